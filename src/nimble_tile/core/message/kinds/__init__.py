"""The kinds of message: each writes what its open standard says, and reads it back."""

from __future__ import annotations

from pydantic import ValidationError

from nimble_tile.core.details import FORMS, Details
from nimble_tile.core.language import tr
from nimble_tile.core.message.kinds import calls, contact, event, money, place, wifi
from nimble_tile.core.message.kinds.base import Kind
from nimble_tile.core.message.remarks import Remark
from nimble_tile.core.piece import Message

FORMED: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        calls.EMAIL, calls.PHONE, calls.SMS, place.PLACE, contact.CONTACT, event.EVENT,
        wifi.WIFI, money.TRANSFER, money.PAYMENT,
    )
}  # fmt: skip
"""Kinds that have a form, by name."""

TITLES: dict[str, str] = {
    "link": tr("Link"),
    "text": tr("Plain text"),
    "email": tr("E-mail"),
    "phone": tr("Phone"),
    "sms": "SMS",
    "place": tr("Place"),
    "contact": tr("Contact"),
    "event": tr("Calendar event"),
    "wifi": tr("Wi-Fi"),
    "transfer": tr("Bank transfer"),
    "payment": tr("Payment request"),
    "raw": tr("Raw text"),
}
"""Every kind and its name for people, in the order in which they are offered."""

SCHEMES: dict[str, str] = {
    "email": tr("an e-mail"),
    "phone": tr("a phone call"),
    "sms": tr("an SMS"),
    "place": tr("a place"),
    "contact": tr("a contact"),
    "event": tr("a calendar event"),
    "wifi": tr("a Wi-Fi network"),
    "transfer": tr("a bank transfer"),
    "payment": tr("a payment request"),
}
"""What a scan of a kind with a form offers, in words."""


def compose(details: Details) -> Message:
    """The message that a form makes; its text is empty while something needed is missing."""
    kind = FORMED[details.kind]
    text = "" if any(remark.stops for remark in kind.remarks(details)) else kind.write(details)
    return Message(kind=details.kind, text=text, details=details)


def remarks(details: Details) -> list[Remark]:
    """Everything worth saying about a form, field by field."""
    return FORMED[details.kind].remarks(details)


def understand(text: str) -> Message:
    """The message that a scanned text is: its kind, and its form filled in.

    What no form understands is a link when it has a web scheme, plain text
    otherwise. The text itself is kept to the letter.
    """
    for kind in FORMED.values():
        details = _read(kind, text)
        if details is not None:
            return Message(kind=kind.name, text=text, details=details)
    web = text.lower().startswith(("http://", "https://")) and not any(c.isspace() for c in text)
    return Message(kind="link" if web else "text", text=text)


def _read(kind: Kind, text: str) -> Details | None:
    """A form filled in from a text; None where it is of another kind, or no form holds it."""
    try:
        return kind.read(text)
    except ValidationError:  # a field too long, too many lines
        return None


def in_words(message: Message) -> str:
    """A message in one line: the text itself, or the kind and what tells most of its form."""
    form = message.details
    if form is None:
        return " ".join(message.text.split())
    if message.kind == "contact":
        told = contact.shown_name(form)
    else:
        fields = ("title", "name", "label", "number", "to", "address", "latitude")
        told = next((text for f in fields if (text := getattr(form, f, ""))), "")
    return f"{TITLES[message.kind]}: {' '.join(told.split())}".removesuffix(": ")


def of_kind(kind: str, text: str) -> Message:
    """A message of another kind that keeps what can be kept of a text."""
    if kind not in FORMED:
        return Message(kind=kind, text=text)
    details = _read(FORMED[kind], text)
    if details is not None:
        return Message(kind=kind, text=text, details=details)
    return compose(FORMS[kind]())
