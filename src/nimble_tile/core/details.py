"""What the forms of the message kinds hold, as it was typed.

Plain data: nothing here is checked beyond its type, so that a half-written
form is kept, undone and saved like anything else. `nimble_tile.core.message`
writes these as text, reads them back and says what is wrong with them.
"""

from __future__ import annotations

import os
from typing import Annotated, Literal

os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")

from pydantic import BaseModel, ConfigDict, Field

MOST_CHARACTERS = 8000
"""Characters of one field; no symbol holds more."""

MOST_ENTRIES = 20
"""Phones, addresses and so on of one contact."""

Line = Annotated[str, Field(max_length=MOST_CHARACTERS)]


class _Form(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


class Email(_Form):
    """An e-mail to be written; addresses are separated by commas."""

    kind: Literal["email"] = "email"
    to: Line = ""
    cc: Line = ""
    bcc: Line = ""
    subject: Line = ""
    body: Line = ""


class Phone(_Form):
    """A number to be called."""

    kind: Literal["phone"] = "phone"
    number: Line = ""


class Sms(_Form):
    """A short message to be sent."""

    kind: Literal["sms"] = "sms"
    number: Line = ""
    body: Line = ""


class Place(_Form):
    """A place: degrees north and east (WGS 84), metres of altitude, a label."""

    kind: Literal["place"] = "place"
    latitude: Line = ""
    longitude: Line = ""
    altitude: Line = ""
    label: Line = ""


class Number(_Form):
    """One of a contact's phone numbers."""

    use: Literal["mobile", "work", "home", "fax"] = "mobile"
    number: Line = ""


class Address(_Form):
    """One of a contact's addresses."""

    use: Literal["work", "home"] = "work"
    street: Line = ""
    code: Line = ""
    city: Line = ""
    region: Line = ""
    country: Line = ""


class Contact(_Form):
    """A person or an organisation for the address book.

    Attributes
    ----------
    form : {"3.0", "4.0"}
        Version of vCard.
    extra : tuple of str
        Content lines that were read and have no field here; kept as they are.
    """

    kind: Literal["contact"] = "contact"
    form: Literal["3.0", "4.0"] = "3.0"
    given: Line = ""
    family: Line = ""
    organisation: Line = ""
    role: Line = ""
    phones: tuple[Number, ...] = Field(default=(Number(),), max_length=MOST_ENTRIES)
    emails: tuple[Line, ...] = Field(default=("",), max_length=MOST_ENTRIES)
    addresses: tuple[Address, ...] = Field(default=(), max_length=MOST_ENTRIES)
    web: Line = ""
    note: Line = ""
    extra: tuple[Line, ...] = Field(default=(), max_length=200)


class Event(_Form):
    """An entry for the calendar.

    Attributes
    ----------
    start, end : str
        ``YYYY-MM-DDTHH:MM``, local to `zone`; ``YYYY-MM-DD`` when `all_day`,
        the end being the last day. An empty end means: no end.
    zone : str
        Name of the IANA time zone database; ``"UTC"``; empty: wherever the
        phone is.
    whole : bool
        The calendar object that the standard asks for; False: the event alone.
    uid : str
        Unique name; empty: made from the content.
    """

    kind: Literal["event"] = "event"
    title: Line = ""
    all_day: bool = False
    start: Line = ""
    end: Line = ""
    zone: Line = "UTC"
    place: Line = ""
    note: Line = ""
    whole: bool = True
    uid: Line = ""
    extra: tuple[Line, ...] = Field(default=(), max_length=200)


class Wifi(_Form):
    """A wireless network to join."""

    kind: Literal["wifi"] = "wifi"
    name: Line = ""
    security: Literal["wpa", "wpa3", "open"] = "wpa"
    password: Line = ""
    hidden: bool = False


class Transfer(_Form):
    """A bank transfer in euro."""

    kind: Literal["transfer"] = "transfer"
    name: Line = ""
    iban: Line = ""
    bic: Line = ""
    amount: Line = ""
    purpose: Line = ""
    reference: Line = ""
    text: Line = ""
    info: Line = ""


class Payment(_Form):
    """A payment request in bitcoin."""

    kind: Literal["payment"] = "payment"
    address: Line = ""
    amount: Line = ""
    label: Line = ""
    message: Line = ""


Details = Annotated[
    Email | Phone | Sms | Place | Contact | Event | Wifi | Transfer | Payment,
    Field(discriminator="kind"),
]

FORMS: dict[str, type[_Form]] = {
    "email": Email, "phone": Phone, "sms": Sms, "place": Place, "contact": Contact,
    "event": Event, "wifi": Wifi, "transfer": Transfer, "payment": Payment,
}  # fmt: skip
"""Model of each kind of message that has a form."""
