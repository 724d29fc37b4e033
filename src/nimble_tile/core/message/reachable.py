"""Links that phones cannot follow: addresses that only this machine, or a local network, knows.

References
----------
RFC 6890 (special-purpose addresses), RFC 6761 (special-use names: localhost, test, invalid),
RFC 6762 (``.local``; its appendix G lists names that private networks use), RFC 8375
(``home.arpa``), and ICANN's resolution of 2024 on ``.internal``. WHATWG, URL Standard, "IPv4
parser": addresses written short or in other bases, as browsers read them.
"""

from __future__ import annotations

import ipaddress
import re
from urllib.parse import urlsplit

from nimble_tile.core.language import tr

LINK = re.compile(r"https?://[^\s<>\"\\^`{|}]+", re.IGNORECASE)

LOCAL_NAMES = (
    "local", "localdomain", "home.arpa", "internal", "intranet", "private", "corp", "home", "lan",
    "test", "invalid",
)  # fmt: skip
"""Names that no phone looks up on the internet, and whatever ends in them."""


def unreachable(text: str) -> str:
    """Why phones cannot follow a link in a text, in a sentence; empty: nothing speaks against it.

    Parameters
    ----------
    text : str
        A message: a link, or a contact, an event or other text with links in it.
    """
    for link in LINK.findall(text):
        told = _told(link)
        if told:
            return told
    return ""


def warning(text: str) -> str:
    """`unreachable` with what to do about it."""
    told = unreachable(text)
    if not told:
        return ""
    way_out = tr(
        "Write an address that is on the internet; for short links, give the link desk an address "
        "of your own."
    )
    return f"{told} {way_out}"


def _told(link: str) -> str:
    try:
        host = (urlsplit(link).hostname or "").rstrip(".").lower()
    except ValueError:
        return ""
    if not host:
        return ""
    if host == "localhost" or host.endswith(".localhost"):
        return _this_machine(host)
    try:
        found = ipaddress.ip_address(dotted(host.split("%")[0]))
    except ValueError:
        ends = any(host == name or host.endswith(f".{name}") for name in LOCAL_NAMES)
        if ends or "." not in host:
            return tr(
                "No phone can follow this link: {host} is a name that only a local network knows.",
                host=host,
            )
        return ""
    found = getattr(found, "ipv4_mapped", None) or found
    if found.is_loopback or found.is_unspecified:
        return _this_machine(host)
    if not found.is_global:
        return tr(
            "No phone can follow this link from elsewhere: {host} is an address of a local "
            "network.",
            host=host,
        )
    return ""


def _this_machine(host: str) -> str:
    return tr("No phone can follow this link: at {host} only this machine answers.", host=host)


def dotted(host: str) -> str:
    """An IPv4 address that is written short or with other bases, as browsers read it."""
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
