"""Validation that points things out and never changes or blocks the text.

References
----------
RFC 3986 (URI: scheme, authority, characters), RFC 3987 (IRI), RFC 1035 and
RFC 1123 (host names: labels of 1 to 63 letters, digits and inner hyphens).
"""

from __future__ import annotations

import re
import unicodedata
from urllib.parse import urlsplit

import idna

from nimble_tile.core.language import tr
from nimble_tile.core.message import kinds
from nimble_tile.core.message.reachable import warning
from nimble_tile.core.message.remarks import Advice, Fix
from nimble_tile.core.piece import Message

_SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+.\-]*:")
_LABEL = re.compile(r"[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?")


def encoded_length(text: str) -> int:
    """Bytes of the text as it is written into the code (UTF-8)."""
    return len(text.encode("utf-8"))


def advise(message: Message) -> list[Advice]:
    """Everything worth saying about the message, most urgent first.

    Parameters
    ----------
    message : Message

    Returns
    -------
    list of Advice
        Empty when there is nothing to say.
    """
    text = message.text
    lost = [Advice("warn", told)] if (told := warning(text)) else []
    if message.details is not None:
        return lost  # its other remarks stand beside its fields
    if not text:
        return [Advice("empty", tr("Nothing written yet. Write what a scan should give back."))]
    found: list[Advice] = lost
    if text != text.strip():
        found.append(
            Advice(
                "warn",
                tr(
                    "There is white space at the start or the end, and it becomes part of the code."
                ),
                Fix(tr("Remove it"), text.strip()),
            )
        )
    hidden = sorted({c for c in text if _hidden(c, message.kind)})
    if hidden:
        names = ", ".join(_name(c) for c in hidden[:3]) + (
            tr(" and more") if len(hidden) > 3 else ""
        )
        clean = "".join(c for c in text if c not in hidden)
        found.append(
            Advice("warn", tr("It holds characters that cannot be seen: {names}.", names=names),
                   Fix(tr("Remove them"), clean))
        )  # fmt: skip
    meant = kinds.understand(text)
    if meant.details is not None:
        what = kinds.SCHEMES[meant.kind]
        found.append(
            Advice("note", tr("This text is {what}: it can be edited in a form.", what=what),
                   Fix(tr("Use the form"), text, meant.kind))
        )  # fmt: skip
        return found
    if message.kind == "link" and text.strip():
        found += _link(text.strip())
    order = {"empty": 0, "warn": 1, "note": 2}
    return sorted(found, key=lambda advice: order[advice.weight])


def _hidden(character: str, kind: str) -> bool:
    if kind == "text" and character in "\n\t":
        return False
    if character in "\u200c\u200d\ufe0e\ufe0f":  # joiners and selectors that scripts and emoji need
        return False
    return unicodedata.category(character) in ("Cc", "Cf", "Zl", "Zp")


def _name(character: str) -> str:
    plain = {"\n": tr("line break"), "\t": tr("tab"), "\r": tr("carriage return"), "\0": tr("null")}
    return plain.get(character) or unicodedata.name(character, f"U+{ord(character):04X}").lower()


def _link(text: str) -> list[Advice]:
    if not _SCHEME.match(text) or re.match(r"[^/:?#]+\.[^/:?#]+:\d", text):
        advice = tr("It does not begin with https://, so many phones will show it as text.")
        return [
            Advice("warn", advice, Fix(tr("Put https:// in front"), "https://" + text.lstrip("/")))
        ]
    scheme, _, rest = text.partition(":")
    if scheme.lower() not in ("http", "https"):
        near = (
            "https" if scheme.lower() in ("htp", "htps", "htt", "http s", "hhtps", "ttps") else ""
        )
        fix = Fix(tr("Write https"), "https:" + rest) if near else None
        return [
            Advice(
                "warn",
                tr("“{scheme}:” is not a kind of link that every phone opens.", scheme=scheme),
                fix,
            )
        ]
    if not rest.startswith("//"):
        fixed = f"{scheme}://" + rest.lstrip("/")
        return [
            Advice(
                "warn", tr("Two slashes are missing after the colon."), Fix(tr("Add them"), fixed)
            )
        ]
    if rest.strip("/") == "":
        return [Advice("warn", tr("The link is unfinished: write the address after //."))]
    found: list[Advice] = []
    if " " in text:
        found.append(
            Advice("warn", tr("A link cannot hold spaces; many phones stop reading there."),
                   Fix(tr("Write them as %20"), text.replace(" ", "%20")))
        )  # fmt: skip
    try:
        parts = urlsplit(text)
        host, _port = parts.hostname or "", parts.port
    except ValueError:
        return [*found, Advice("warn", tr("The host or its port is not written correctly."))]
    found += _host(host)
    if parts.username is not None:
        found.append(
            Advice("warn", tr("It holds a user name before the @; phones warn of such links."))
        )
    if scheme.lower() == "http":
        found.append(
            Advice("note", tr("http is not encrypted; phones may warn."),
                   Fix(tr("Use https"), "https" + text[len(scheme) :]))
        )  # fmt: skip
    rest_of_link = text.partition("//")[2].partition("/")[2]
    if not rest_of_link.isascii():
        found.append(
            Advice("note", tr("Letters outside ASCII in the path are written as they are (UTF-8)."))
        )
    if re.search(r"%(?![0-9A-Fa-f]{2})", text):
        found.append(Advice("warn", tr("A % must be followed by two hexadecimal digits.")))
    return found


def _host(host: str) -> list[Advice]:
    if not host:
        return [Advice("warn", tr("The host is missing after //."))]
    if host.startswith("[") or ":" in host or re.fullmatch(r"[\d.]+", host):
        return [Advice("note", tr("The host is a bare number; a name can be moved later."))]
    try:
        ascii_host = host if host.isascii() else idna.encode(host, uts46=True).decode("ascii")
    except idna.IDNAError:
        return [Advice("warn", tr("“{host}” is not a possible host name.", host=host))]
    labels = ascii_host.rstrip(".").split(".")
    if len(labels) == 1:
        return [
            Advice(
                "warn",
                tr(
                    "“{host}” has no ending such as .example: the link looks unfinished.", host=host
                ),
            )
        ]
    if any(not _LABEL.fullmatch(label) for label in labels):
        return [Advice("warn", tr("“{host}” is not a possible host name.", host=host))]
    if len(labels[-1]) < 2 or labels[-1].isdigit():
        return [Advice("warn", tr("“.{labels}” cannot end a host name.", labels=labels[-1]))]
    if not host.isascii():
        return [Advice("note", tr("The host is looked up as {ascii_host}.", ascii_host=ascii_host))]
    return []
