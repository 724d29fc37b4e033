"""What a short link is, and what it may lead to.

References
----------
RFC 3986: the parts of an address. RFC 9110, section 10.2.2: a redirect's `Location`; a
line break in it would end the header. RFC 6761, section 6.3, and RFC 1122, section 3.2.1.3:
names and addresses of this very machine. ISO/IEC 18004, table 5: the 45 characters of
alphanumeric mode, which take 5.5 bits each where others take 8.
"""

from __future__ import annotations

import ipaddress
import re
import secrets
import unicodedata
from collections.abc import Container
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import SplitResult, quote, urlsplit, urlunsplit

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.message.reachable import dotted, unreachable

ALPHABET = "2346789CDFGHJKMNPQRTVWXY"
"""Characters of keys: all in alphanumeric mode, none that is easily taken for another one when
it is read aloud or typed from paper, and no vowels, so that no words come about."""

KEY_LENGTH = 5
"""Characters of a key: eight million keys."""

LONGEST = 2000
"""Characters of a target: some browsers take no longer ones."""

TAG = re.compile(r"[0-9A-Za-z._-]{1,24}")
"""What a campaign tag may be."""

HOST, PORT = "127.0.0.1", 8431
"""Where the desk answers."""


@dataclass(frozen=True)
class Link:
    """A short link.

    Attributes
    ----------
    key : str
        What follows the desk's address.
    target : str
        Where it leads now.
    made : datetime
        With a time zone, as the others.
    expires : datetime or None
        From when on it leads to the fallback.
    fallback : str
        Where it leads then; empty: nowhere.
    note : str
        The designer's own words.
    """

    key: str
    target: str
    made: datetime
    expires: datetime | None = None
    fallback: str = ""
    note: str = ""

    def leads_to(self, now: datetime) -> str | None:
        """Where it leads at a time; None: nowhere any more."""
        if self.expires is None or now < self.expires:
            return self.target
        return self.fallback or None


def new_key(taken: Container[str]) -> str:
    """A key that nobody can guess from others, and that is not taken."""
    while True:
        key = "".join(secrets.choice(ALPHABET) for _ in range(KEY_LENGTH))
        if key not in taken:
            return key


def address(key: str, tag: str = "", port: int = PORT, public: str = "") -> str:
    """A short link as it is printed: in capitals throughout, for alphanumeric mode.

    `public`: the designer's own address, see `public_of`; without one it is this machine's, which
    no phone can reach.
    """
    base = public.rstrip("/") if public else f"http://{HOST}:{port}"
    return f"{base}/{key}".upper() + (f"/{tag.upper()}" if tag else "")


def key_of(text: str, port: int = PORT, public: str = "") -> str | None:
    """The key of a desk's address, this machine's or the public one; None for all other texts."""
    text = text.strip()
    try:
        parts = urlsplit(text)
        if parts.scheme.lower() == "http" and own_address(parts, port):
            rest = parts.path
        elif public and text.upper().startswith(f"{public.rstrip('/')}/".upper()):
            rest = text[len(public.rstrip("/")) :]
        else:
            return None
    except ValueError:
        return None
    key = rest.strip("/").split("/")[0].upper()
    return key if key and set(key) <= set(ALPHABET) else None


def public_of(text: str) -> str:
    """A public address in the form in which it is kept: scheme, domain and path, no slash at its
    end; empty for an empty text.

    Raises
    ------
    UserError
        It is no web address, has more parts than these, or phones cannot reach it.
    """
    text = text.strip()
    if not text:
        return ""
    if "://" not in text:
        text = f"https://{text}"
    made = checked(text)
    parts = urlsplit(made)
    if parts.query or parts.fragment:
        raise UserError(
            tr("A public address has a domain and a path, nothing more."),
            tr("Take out what follows ? or #."),
        )
    if not re.fullmatch(r"[0-9A-Za-z$%*+\-./:]*", made):
        raise UserError(
            tr(
                "A public address is printed in capitals: it takes letters, digits and - . / alone."
            ),
            tr("Choose a plainer path."),
        )
    if told := unreachable(made):
        raise UserError(told, tr("Give an address that is on the internet."))
    return made.rstrip("/")


def tag_of(text: str) -> str:
    """A campaign tag as it is counted: in capitals; empty for what is none."""
    return text.upper() if TAG.fullmatch(text) else ""


def own_address(parts: SplitResult, port: int) -> bool:
    """Whether an address is that of the desk itself, however it is written."""
    host = (parts.hostname or "").rstrip(".")
    if (parts.port or 80) != port:
        return False
    if host == "localhost" or host.endswith(".localhost"):
        return True
    try:
        found = ipaddress.ip_address(dotted(host))
    except ValueError:
        return False
    mapped = getattr(found, "ipv4_mapped", None) or found
    return mapped.is_loopback or mapped.is_unspecified


def checked(text: str, port: int = PORT) -> str:
    """A target in the form in which it is kept and sent: in ASCII throughout.

    Raises
    ------
    UserError
        It is no web address, too long, or leads back to the desk.
    """
    text = text.strip()
    if len(text) > LONGEST:
        raise UserError(
            tr(
                "The target has {text:,} characters; {longest:,} is the most.",
                text=len(text),
                longest=LONGEST,
            ),
            tr("Shorten it."),
        )
    if any(unicodedata.category(c) in ("Cc", "Zl", "Zp") or c.isspace() for c in text):
        raise UserError(tr("The target has a space or a line break in it."), tr("Take that out."))
    try:
        parts = urlsplit(text)
        parts.port  # noqa: B018  raises where it is no number
    except ValueError:
        raise UserError(
            tr("The target is no web address."), tr("Begin it with https://.")
        ) from None
    if parts.scheme.lower() not in ("http", "https") or not parts.hostname:
        raise UserError(tr("The target is no web address."), tr("Begin it with https://."))
    if parts.username or parts.password:
        raise UserError(
            tr("The target has a user\u2019s name in it, as addresses have that deceive."),
            tr("Take out what stands before the @."),
        )
    host = _host(parts.hostname)
    parts = parts._replace(netloc=host + (f":{parts.port}" if parts.port else ""))
    if own_address(parts, port):
        raise UserError(tr("The target leads back to the link desk."), tr("Choose another one."))
    safe = "/:?#[]@!$&'()*+,;=%~"
    kept = (quote(part, safe=safe) for part in (parts.path, parts.query, parts.fragment))
    made = urlunsplit((parts.scheme.lower(), parts.netloc, *kept))
    if len(made) > LONGEST:
        raise UserError(
            tr("The target is too long once it is written in ASCII."), tr("Shorten it.")
        )
    return made


def _host(name: str) -> str:
    """A host's name in ASCII."""
    import idna

    try:
        found = ipaddress.ip_address(name.split("%")[0])
        return f"[{found}]" if found.version == 6 else str(found)
    except ValueError:
        pass
    try:
        return name if name.isascii() else idna.encode(name, uts46=True).decode()
    except idna.IDNAError:
        raise UserError(tr("The target\u2019s host has no valid name."), tr("Check it.")) from None
