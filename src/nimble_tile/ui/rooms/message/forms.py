"""Forms of the message kinds: fields, remarks beside them, lists that grow."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.details import Details
from nimble_tile.core.message.remarks import Remark
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.rooms.message.form_fields import (
    FormField,
    FormPart,
    LineField,
    LinePart,
    Many,
    One,
    OneField,
    Text,
    TextField,
    Tick,
    TickField,
    When,
    WhenField,
    Zone,
    ZoneField,
)
from nimble_tile.ui.rooms.message.form_lists import ManyField

LAYOUTS: dict[str, tuple[FormPart, ...]] = {
    "email": (
        LinePart("to", "To", "walk@lanternwalk.example"), LinePart("cc", "Copy to"),
        LinePart("bcc", "Blind copy"), LinePart("subject", "Subject"), Text("body", "Text"),
    ),
    "phone": (LinePart("number", "Number", "+44 1632 960983"),),
    "sms": (LinePart("number", "Number", "+44 1632 960983"), Text("body", "Text")),
    "place": (
        LinePart("latitude", "Latitude", "54.9731 or 54° 58′ 23″ N"),
        LinePart("longitude", "Longitude", "-1.6139"), LinePart("altitude", "Altitude", "metres"),
        LinePart("label", "Label"),
    ),
    "contact": (
        LinePart("given", "First name"), LinePart("family", "Last name"),
        LinePart("organisation", "Firm or club"), LinePart("role", "Role"),
        Many("phones", "Phones", "phone"), Many("emails", "E-mails", "e-mail"),
        Many("addresses", "Addresses", "address"), LinePart("web", "Web page", "https://"),
        Text("note", "Note"),
        One("form", "vCard", (("3.0", "3.0, every phone"), ("4.0", "4.0, newer"))),
    ),
    "event": (
        LinePart("title", "Title"), Tick("all_day", "All day"), When("start", "Begins"),
        When("end", "Ends", True), Zone("zone", "Time zone"), LinePart("place", "Where"),
        Text("note", "Note"), Tick("whole", "Short form, the event alone", True),
    ),
    "wifi": (
        LinePart("name", "Name", "SSID of the network"),
        One("security", "Security", (("wpa", "WPA2 / WPA3"), ("wpa3", "WPA3 only"),
                                     ("open", "Open, no password"))),
        LinePart("password", "Password"), Tick("hidden", "Hidden: it does not show its name"),
    ),
    "transfer": (
        LinePart("name", "Receiver"), LinePart("iban", "IBAN"),
        LinePart("bic", "BIC", "may be left out"),
        LinePart("amount", "Euro", "12.50"), LinePart("text", "Text"),
        LinePart("reference", "Reference", "RF…"),
        LinePart("purpose", "Purpose", "up to 4 letters"),
        LinePart("info", "Hint", "for the payer"),
    ),
    "payment": (
        LinePart("address", "Address"), LinePart("amount", "Bitcoin", "0.001"),
        LinePart("label", "Label"),
        LinePart("message", "Message"),
    ),
}  # fmt: skip
"""Fields of each kind's form, in their order."""


def fresh(kind: str) -> dict[str, Any]:
    """What a new form of a kind begins with, besides its defaults."""
    if kind != "event":
        return {}
    start = datetime.now().replace(hour=18, minute=0) + timedelta(days=7)
    return {"start": start.strftime("%Y-%m-%dT%H:%M"), "zone": local_zone()}


def local_zone() -> str:
    """Name of the time zone of this machine, else UTC."""
    from PySide6.QtCore import QTimeZone

    from nimble_tile.core.message.kinds.event import zones

    name = bytes(QTimeZone.systemTimeZoneId().data()).decode("ascii", "replace")
    return name if name in zones() else "UTC"


_FIELDS: dict[type, type[FormField]] = {
    LinePart: LineField, Text: TextField, Tick: TickField, One: OneField, When: WhenField,
    Zone: ZoneField, Many: ManyField,
}  # fmt: skip


class FormView(QWidget):
    """The form of one kind of message.

    Signals
    -------
    changed : str, object
        Name of the field and its new value.
    """

    changed = Signal(str, object)

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.kind = kind
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.fields: dict[str, FormField] = {}
        for part in LAYOUTS[kind]:
            field = _FIELDS[type(part)](part)
            field.edited.connect(lambda value, name=part.name: self.changed.emit(name, value))
            layout.addWidget(field)
            self.fields[part.name] = field

    def show_details(self, details: Details, remarks: Sequence[Remark]) -> None:
        """Show what a form holds and what is said of it."""
        for name, field in self.fields.items():
            field.show_value(getattr(details, name), details)
            field.show_remarks(remarks)
        if self.kind == "wifi":
            self.fields["password"].setVisible(details.security != "open" or bool(details.password))

    def begin(self) -> None:
        """Put the cursor into the first field."""
        next(iter(self.fields.values())).control.setFocus()

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        for field in self.fields.values():
            if isinstance(field, ManyField):
                field.dress(theme)
