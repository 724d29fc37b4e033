"""E-mail, phone and SMS.

References
----------
RFC 6068 (mailto), RFC 3966 (tel), RFC 5724 (sms), RFC 5322 (addresses).
"""

from __future__ import annotations

import re

from nimble_tile.core.details import Email, Phone, Sms
from nimble_tile.core.language import tr
from nimble_tile.core.message.kinds.base import (
    Kind,
    digits_of,
    filled,
    percent,
    phone_remark,
    plain,
    query,
)
from nimble_tile.core.message.remarks import Remark

_ADDRESS = re.compile(r"[^\s@,<>\"]+@(?:[^\s@,.<>\"]+\.)+[^\s@,.<>\"]{2,}")


def address_remark(field: str, address: str) -> list[Remark]:
    """What is wrong with one e-mail address."""
    if "@" not in address:
        return [Remark(field, "wrong", tr("“{address}” has no @.", address=address))]
    if not _ADDRESS.fullmatch(address):
        return [
            Remark(
                field,
                "warn",
                tr("“{address}” does not look like an e-mail address.", address=address),
            )
        ]
    return []


def _addresses(text: str) -> list[str]:
    return [part.strip() for part in re.split(r"[,;]", text) if part.strip()]


def _write_email(form: Email) -> str:
    to = ",".join(percent(address).replace("%40", "@") for address in _addresses(form.to))
    fields = filled(
        cc=",".join(_addresses(form.cc)),
        bcc=",".join(_addresses(form.bcc)),
        subject=form.subject,
        body=form.body,
    )
    tail = "&".join(f"{name}={percent(value)}" for name, value in fields.items())
    return f"mailto:{to}" + (f"?{tail}" if tail else "")


def _read_email(text: str) -> Email | None:
    if text[:7].lower() != "mailto:":
        return None
    to, _, tail = text[7:].partition("?")
    fields = query(tail)
    more = fields.get("to", "")
    all_to = [plain(part) for part in to.split(",") if part] + _addresses(more)
    if set(fields) - {"to", "cc", "bcc", "subject", "body"}:
        return None  # a form would lose the rest
    return Email(
        to=", ".join(all_to),
        cc=", ".join(_addresses(fields.get("cc", ""))),
        bcc=", ".join(_addresses(fields.get("bcc", ""))),
        subject=fields.get("subject", ""),
        body=fields.get("body", ""),
    )


def _email_remarks(form: Email) -> list[Remark]:
    found = []
    if not form.to.strip():
        found.append(Remark("to", "missing", tr("Write the address it goes to.")))
    for field in ("to", "cc", "bcc"):
        for address in _addresses(getattr(form, field)):
            found += address_remark(field, address)
    if "\n" in form.subject:
        found.append(Remark("subject", "wrong", tr("A subject is one line.")))
    return found


EMAIL = Kind("email", _write_email, _read_email, _email_remarks)


def _read_phone(text: str) -> Phone | None:
    if text[:4].lower() != "tel:" or ";" in text:
        return None
    return Phone(number=plain(text[4:]))


PHONE = Kind(
    "phone",
    lambda form: "tel:" + digits_of(form.number).replace("#", "%23"),
    _read_phone,
    lambda form: phone_remark("number", form.number),
)


def _write_sms(form: Sms) -> str:
    body = f"?body={percent(form.body)}" if form.body else ""
    return f"sms:{digits_of(form.number)}{body}"


def _read_sms(text: str) -> Sms | None:
    if text[:4].lower() == "sms:":
        number, _, tail = text[4:].partition("?")
        fields = query(tail)
        if set(fields) - {"body"} or ";" in number:
            return None
        return Sms(number=plain(number), body=fields.get("body", ""))
    if text[:6].lower() == "smsto:":  # common practice, understood but not written
        number, _, body = text[6:].partition(":")
        return Sms(number=number, body=body)
    return None


SMS = Kind("sms", _write_sms, _read_sms, lambda form: phone_remark("number", form.number))
