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


def address(key: str, tag: str = "", port: int = PORT) -> str:
    """A short link as it is printed: in capitals throughout, for alphanumeric mode."""
    return f"HTTP://{HOST}:{port}/{key}" + (f"/{tag.upper()}" if tag else "")


def key_of(text: str, port: int = PORT) -> str | None:
    """The key of a desk's address; None for all other texts."""
    try:
        parts = urlsplit(text.strip())
        if parts.scheme.lower() != "http" or not own_address(parts, port):
            return None
    except ValueError:
        return None
    key = parts.path.strip("/").split("/")[0].upper()
    return key if key and set(key) <= set(ALPHABET) else None


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
        found = ipaddress.ip_address(_dotted(host))
    except ValueError:
        return False
    mapped = getattr(found, "ipv4_mapped", None) or found
    return mapped.is_loopback or mapped.is_unspecified


def _dotted(host: str) -> str:
    """An IPv4 address that is written short or with other bases, as browsers read it (WHATWG,
    URL Standard, "IPv4 parser")."""
    parts = host.split(".")
    numbers = all(re.fullmatch(r"0[xX][0-9a-fA-F]*|\d+", part) for part in parts)
    if not numbers or len(parts) > 4:
        return host
    values = [
        int(p[2:] or "0", 16) if p[:2].lower() == "0x"
        else int(p, 8) if p.startswith("0") and set(p) <= set("01234567") else int(p)
        for p in parts
    ]  # fmt: skip
    whole = values[-1]
    for at, value in enumerate(values[:-1]):
        whole += value << (8 * (3 - at))
    return str(ipaddress.IPv4Address(whole)) if whole < 2**32 else host


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
