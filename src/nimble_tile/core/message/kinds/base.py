"""What every kind with a form provides."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote, unquote

from nimble_tile.core.language import tr
from nimble_tile.core.message.kinds.numbers import phone_trouble
from nimble_tile.core.message.remarks import Remark


@dataclass(frozen=True)
class Kind:
    """A kind of message.

    Attributes
    ----------
    name : str
    write : callable
        Details → text; called only when no remark stops it.
    read : callable
        Text → details, or None when the text is not of this kind.
    remarks : callable
        Details → list of `Remark`.
    """

    name: str
    write: Callable[[Any], str]
    read: Callable[[str], Any | None]
    remarks: Callable[[Any], list[Remark]]


def percent(text: str, safe: str = "") -> str:
    """Percent-encoded UTF-8 with line breaks as CRLF (RFC 3986, RFC 6068)."""
    return quote(re.sub(r"\r\n|\r|\n", "\r\n", text), safe=safe + "-._~!$'()*,:@/")


def plain(text: str) -> str:
    """The reverse of `percent`; line breaks come back in the form that forms keep."""
    return unquote(text).replace("\r\n", "\n")


def query(text: str) -> dict[str, str]:
    """Fields of a query, names in lower case, plus signs left alone (RFC 6068)."""
    fields: dict[str, str] = {}
    for part in text.split("&"):
        name, sign, value = part.partition("=")
        if sign:
            fields.setdefault(plain(name).lower(), plain(value))
    return fields


def filled(**fields: str) -> dict[str, str]:
    """Those fields that hold something."""
    return {name: value for name, value in fields.items() if value.strip()}


_VISUAL = re.compile(r"[\s.\-()/\u00a0\u2010-\u2015]")


def digits_of(number: str) -> str:
    """A phone number without what only helps the eye (RFC 3966, visual separators)."""
    return _VISUAL.sub("", number.strip())


def phone_remark(field: str, number: str, needed: bool = True) -> list[Remark]:
    """What is wrong with a phone number.

    References
    ----------
    RFC 3966; ITU-T E.164: at most 15 digits.
    """
    if not number.strip():
        return [Remark(field, "missing", tr("Write the number."))] if needed else []
    short = digits_of(number)
    if not re.fullmatch(r"\+?[0-9*#]+", short):
        wrong = next((c for c in short.lstrip("+") if c not in "0123456789*#"), "+")
        return [Remark(field, "wrong", tr("A phone number cannot hold “{wrong}”.", wrong=wrong))]
    count = sum(c.isdigit() for c in short)
    if count > 15:
        return [Remark(field, "wrong", tr("A phone number has at most 15 digits."))]
    if not short.startswith("+"):
        text = tr("Without + and the country code it works only near you.")
        return [Remark(field, "warn", text)]
    trouble = phone_trouble(short)
    return [Remark(field, "warn", trouble)] if trouble else []
