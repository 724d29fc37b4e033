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
from nimble_tile.core.language import tr, tr_as
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
        LinePart("to", tr_as("receiver", "To"), "walk@lanternwalk.example"),
        LinePart("cc", tr("Copy to")),
        LinePart("bcc", tr("Blind copy")), LinePart("subject", tr("Subject")),
        Text("body", tr("Text")),
    ),
    "phone": (LinePart("number", tr("Number"), "+44 1632 960983"),),
    "sms": (LinePart("number", tr("Number"), "+44 1632 960983"), Text("body", tr("Text"))),
    "place": (
        LinePart("latitude", tr("Latitude"), tr("54.9731 or 54° 58′ 23″ N")),
        LinePart("longitude", tr("Longitude"), "-1.6139"),
        LinePart("altitude", tr("Altitude"), tr("metres")),
        LinePart("label", tr("Label")),
    ),
    "contact": (
        LinePart("given", tr("First name")), LinePart("family", tr("Last name")),
        LinePart("organisation", tr("Firm or club")), LinePart("role", tr("Role")),
        Many("phones", tr("Phones"), "phone"), Many("emails", tr("E-mails"), "e-mail"),
        Many("addresses", tr("Addresses"), "address"), LinePart("web", tr("Web page"), "https://"),
        Text("note", tr("Note")),
        One("form", "vCard", (("3.0", tr("3.0, every phone")), ("4.0", tr("4.0, newer")))),
    ),
    "event": (
        LinePart("title", tr("Title")), Tick("all_day", tr("All day")), When("start", tr("Begins")),
        When("end", tr("Ends"), True), Zone("zone", tr("Time zone")),
        LinePart("place", tr("Where")),
        Text("note", tr("Note")), Tick("whole", tr("Short form, the event alone"), True),
    ),
    "wifi": (
        LinePart("name", tr("Name"), tr("SSID of the network")),
        One("security", tr("Security"), (("wpa", "WPA2 / WPA3"), ("wpa3", tr("WPA3 only")),
                                     ("open", tr("Open, no password")))),
        LinePart("password", tr("Password")),
        Tick("hidden", tr("Hidden: it does not show its name")),
    ),
    "transfer": (
        LinePart("name", tr("Receiver")), LinePart("iban", "IBAN"),
        LinePart("bic", "BIC", tr("may be left out")),
        LinePart("amount", tr("Euro"), "12.50"), LinePart("text", tr("Text")),
        LinePart("reference", tr("Reference"), "RF…"),
        LinePart("purpose", tr("Purpose"), tr("up to 4 letters")),
        LinePart("info", tr("Hint"), tr("for the payer")),
    ),
    "payment": (
        LinePart("address", tr("Address")), LinePart("amount", "Bitcoin", "0.001"),
        LinePart("label", tr("Label")),
        LinePart("message", tr("Message")),
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
