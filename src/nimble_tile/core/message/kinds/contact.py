"""A contact as vCard.

References
----------
RFC 2426 (version 3.0, which every phone knows) and RFC 6350 (version 4.0).
Lines are not folded: both say that they should be, for mail's sake, and no
reader of codes needs it.
"""

from __future__ import annotations

from nimble_tile.core.details import MOST_ENTRIES, Address, Contact, Number
from nimble_tile.core.language import counted, tr
from nimble_tile.core.message.kinds.base import Kind, digits_of, phone_remark
from nimble_tile.core.message.kinds.calls import address_remark
from nimble_tile.core.message.kinds.lines import (
    CRLF,
    begun,
    content_lines,
    escaped,
    parts,
    unescaped,
)
from nimble_tile.core.message.remarks import Remark

_TYPES = {"mobile": "CELL", "work": "WORK", "home": "HOME", "fax": "FAX"}


def shown_name(form: Contact) -> str:
    """Name that an address book shows."""
    name = " ".join(part.strip() for part in (form.given, form.family) if part.strip())
    return name or form.organisation.strip()


def _write(form: Contact) -> str:
    lines = ["BEGIN:VCARD", f"VERSION:{form.form}"]
    person = form.given.strip() or form.family.strip()
    if person or form.form == "3.0":  # 3.0 asks for N even without a person
        lines.append(f"N:{escaped(form.family)};{escaped(form.given)};;;")
    lines.append(f"FN:{escaped(shown_name(form))}")
    for name, value in (("ORG", form.organisation), ("TITLE", form.role)):
        if value.strip():
            lines.append(f"{name}:{escaped(value)}")
    for phone in form.phones:
        if phone.number.strip():
            lines.append(f"TEL;TYPE={_TYPES[phone.use]}:{digits_of(phone.number)}")
    lines += [f"EMAIL:{escaped(email)}" for email in form.emails if email.strip()]
    for address in form.addresses:
        fields = (address.street, address.city, address.region, address.code, address.country)
        if any(part.strip() for part in fields):
            value = ";".join(escaped(part) for part in fields)
            lines.append(f"ADR;TYPE={_TYPES[address.use]}:;;{value}")
    if form.web.strip():
        lines.append(f"URL:{form.web.strip()}")
    if form.note.strip():
        lines.append(f"NOTE:{escaped(form.note)}")
    return CRLF.join([*lines, *form.extra, "END:VCARD"]) + CRLF


def _use(types: list[str]) -> str:
    for name, use in (("FAX", "fax"), ("CELL", "mobile"), ("WORK", "work"), ("HOME", "home")):
        if name in types:
            return use
    return "mobile"


def _read(text: str) -> Contact | None:
    if text.strip()[:11].upper() != "BEGIN:VCARD" or begun(text, "VCARD") != 1:
        return None
    single: dict[str, str] = {}
    phones, emails, addresses, extra = [], [], [], []
    version = "3.0"
    structured: list[str] = []
    full = ""
    for line in content_lines(text):
        types = line.parameters.get("TYPE", [])
        if line.name in ("BEGIN", "END"):
            continue
        if "ENCODING" in line.parameters and line.name != "PHOTO":
            return None  # an older form that would be garbled
        if line.name == "VERSION":
            version = "4.0" if line.value.strip() == "4.0" else "3.0"
        elif line.name == "N" and not structured:
            structured = parts(line.value)
        elif line.name == "FN":
            full = unescaped(line.value)
        elif line.name in ("ORG", "TITLE", "URL", "NOTE") and line.name not in single:
            value = line.value if line.name == "URL" else unescaped(line.value)
            single[line.name] = value.rstrip(";") if line.name == "ORG" else value
        elif line.name == "TEL" and len(phones) < MOST_ENTRIES:
            phones.append(Number(use=_use(types), number=line.value.removeprefix("tel:")))
        elif line.name == "EMAIL" and len(emails) < MOST_ENTRIES:
            emails.append(unescaped(line.value))
        elif line.name == "ADR" and len(addresses) < MOST_ENTRIES:
            _, _, street, city, region, code, country = (parts(line.value) + [""] * 7)[:7]
            use = "home" if "HOME" in types else "work"
            addresses.append(Address(use=use, street=street, city=city, region=region,
                                     code=code, country=country))  # fmt: skip
        else:
            extra.append(line.whole)
    family, given, middle, before, after = (structured + [""] * 5)[:5]
    if middle or before or after:
        given = " ".join(part for part in (before, given, middle) if part)
        family = " ".join(part for part in (family, after) if part)
    if not (given or family) and full != single.get("ORG", ""):
        given = full
    return Contact(
        form=version, given=given, family=family, organisation=single.get("ORG", ""),
        role=single.get("TITLE", ""), phones=tuple(phones), emails=tuple(emails),
        addresses=tuple(addresses), web=single.get("URL", ""), note=single.get("NOTE", ""),
        extra=tuple(extra),
    )  # fmt: skip


def _remarks(form: Contact) -> list[Remark]:
    found = []
    if not shown_name(form):
        found.append(Remark("given", "missing", tr("Write a name or an organisation.")))
    for index, phone in enumerate(form.phones):
        found += phone_remark(f"phones.{index}.number", phone.number, needed=False)
    for index, email in enumerate(form.emails):
        if email.strip():
            found += address_remark(f"emails.{index}", email.strip())
    if form.web.strip() and ":" not in form.web:
        found.append(Remark("web", "warn", tr("Begin with https:// so that phones open it.")))
    if any(c.isspace() for c in form.web.strip()):
        found.append(Remark("web", "wrong", tr("A link cannot hold spaces.")))
    if form.extra:
        count = len(form.extra)
        text = counted(
            "{count} more line from the scanned text is kept.",
            "{count} more lines from the scanned text are kept.",
            count,
        )
        found.append(Remark("note", "note", text))
    return found


CONTACT = Kind("contact", _write, _read, _remarks)
