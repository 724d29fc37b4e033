"""The desk's table for the server that answers at the designer's own address.

A printed link must not depend on this machine. So its address is the designer's, and the server
that is there already is told where each link leads: as rules for two common servers, or as data.

References
----------
nginx, "Module ngx_http_rewrite_module" (return, rewrite of variables); Apache HTTP Server,
"Apache mod_rewrite" (RewriteRule: ``%`` and ``$`` in a substitution, flags NC, NE, R, G, L).
RFC 9110: 302 Found, 410 Gone.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from urllib.parse import urlsplit

from nimble_tile.standins.linkdesk.links import Link, address

HEAD = (
    "Short links, written on {day}. After a link is changed, or has come to its end, write this "
    "file anew."
)

AFTER = "(?:/[0-9A-Za-z._-]{1,24})?/?"
"""What may follow a key: a campaign tag."""


def path_of(public: str) -> str:
    """Path of a public address, with a slash at its end."""
    return f"/{urlsplit(public).path.strip('/')}/".replace("//", "/")


def nginx(links: Sequence[Link], public: str, now: datetime) -> str:
    """Locations for a ``server`` block of nginx."""

    def rule(pattern: str, target: str | None) -> str:
        if target is None:
            return f'location ~* "^/{pattern}$" {{ return 410; }}'
        # A dollar sign would begin a variable, and cannot be written otherwise.
        safe = target.replace("$", "%24").replace("\\", "%5C").replace('"', "%22")
        return f'location ~* "^/{pattern}$" {{ return 302 "{safe}"; }}'

    return _file(links, public, now, "#", rule)


def apache(links: Sequence[Link], public: str, now: datetime) -> str:
    """Rules for a ``.htaccess`` file at the top of the site, or its virtual host, of Apache."""

    def rule(pattern: str, target: str | None) -> str:
        if target is None:
            return f'RewriteRule "^/?{pattern}$" "-" [NC,G,L]'
        safe = re.sub(r"([\\%$])", r"\\\1", target).replace('"', "\\%22")
        return f'RewriteRule "^/?{pattern}$" "{safe}" [NC,NE,R=302,L]'

    return _file(links, public, now, "#", rule, ["RewriteEngine On"])


def _file(
    links: Sequence[Link], public: str, now: datetime, mark: str,
    rule: Callable[[str, str | None], str], head: Sequence[str] = (),
) -> str:  # fmt: skip
    lines = [f"{mark} {HEAD.format(day=now.date().isoformat())}", *head]
    for link, target in _led(links, now):
        ends = link.expires
        if ends is not None and now < ends:
            after = f"to {link.fallback}" if link.fallback else "nowhere"
            lines.append(f"{mark} {link.key} leads {after} from {ends.isoformat()} on.")
        lines.append(rule(re.escape(path_of(public)[1:]) + link.key + AFTER, target))
    return "\n".join(lines) + "\n"


def as_json(links: Sequence[Link], public: str, now: datetime) -> str:
    """The links as data, for a server that somebody writes."""
    return json.dumps(
        {
            "links": [
                {
                    "key": link.key, "address": address(link.key, public=public), "now": target,
                    "target": link.target, "fallback": link.fallback or None,
                    "expires": link.expires.isoformat() if link.expires else None,
                    "note": link.note,
                }
                for link, target in _led(links, now)
            ]
        },
        ensure_ascii=False, indent=1,
    )  # fmt: skip


def _led(links: Sequence[Link], now: datetime) -> Iterator[tuple[Link, str | None]]:
    for link in links:
        yield link, link.leads_to(now)


KINDS = {"nginx": nginx, "apache": apache, "json": as_json}
"""Kinds of files, by their names on the command line."""
