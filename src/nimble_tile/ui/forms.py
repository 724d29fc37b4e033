"""Forms of the message kinds: fields, remarks beside them, lists that grow."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from PySide6.QtCore import QDateTime, Qt, Signal
from PySide6.QtGui import QKeyEvent, QTextCharFormat
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateTimeEdit,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.details import Address, Details, Number
from nimble_tile.core.message.remarks import Remark
from nimble_tile.ui import theme as themes
from nimble_tile.ui.controls import Choice, guard_wheel, row, set_rank

LABEL = 78
"""Width of the labels, in pixels."""


@dataclass(frozen=True)
class Line:
    """One line to type."""

    name: str
    label: str
    hint: str = ""


@dataclass(frozen=True)
class Text:
    """Several lines to type."""

    name: str
    label: str
    hint: str = ""


@dataclass(frozen=True)
class Tick:
    """Yes or no; what is stored is the opposite when `opposite`."""

    name: str
    label: str
    opposite: bool = False


@dataclass(frozen=True)
class One:
    """One of a few."""

    name: str
    label: str
    options: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class When:
    """A date and time; `optional` ones can be left out."""

    name: str
    label: str
    optional: bool = False


@dataclass(frozen=True)
class Zone:
    """A time zone."""

    name: str
    label: str


@dataclass(frozen=True)
class Many:
    """A list: phones, e-mails or addresses."""

    name: str
    label: str
    what: str


Part = Line | Text | Tick | One | When | Zone | Many

LAYOUTS: dict[str, tuple[Part, ...]] = {
    "email": (
        Line("to", "To", "walk@lanternwalk.example"), Line("cc", "Copy to"),
        Line("bcc", "Blind copy"), Line("subject", "Subject"), Text("body", "Text"),
    ),
    "phone": (Line("number", "Number", "+44 1632 960983"),),
    "sms": (Line("number", "Number", "+44 1632 960983"), Text("body", "Text")),
    "place": (
        Line("latitude", "Latitude", "54.9731 or 54° 58′ 23″ N"),
        Line("longitude", "Longitude", "-1.6139"), Line("altitude", "Altitude", "metres"),
        Line("label", "Label"),
    ),
    "contact": (
        Line("given", "First name"), Line("family", "Last name"),
        Line("organisation", "Firm or club"), Line("role", "Role"),
        Many("phones", "Phones", "phone"), Many("emails", "E-mails", "e-mail"),
        Many("addresses", "Addresses", "address"), Line("web", "Web page", "https://"),
        Text("note", "Note"),
        One("form", "vCard", (("3.0", "3.0, every phone"), ("4.0", "4.0, newer"))),
    ),
    "event": (
        Line("title", "Title"), Tick("all_day", "All day"), When("start", "Begins"),
        When("end", "Ends", True), Zone("zone", "Time zone"), Line("place", "Where"),
        Text("note", "Note"), Tick("whole", "Short form, the event alone", True),
    ),
    "wifi": (
        Line("name", "Name", "SSID of the network"),
        One("security", "Security", (("wpa", "WPA2 / WPA3"), ("wpa3", "WPA3 only"),
                                     ("open", "Open, no password"))),
        Line("password", "Password"), Tick("hidden", "Hidden: it does not show its name"),
    ),
    "transfer": (
        Line("name", "Receiver"), Line("iban", "IBAN"), Line("bic", "BIC", "may be left out"),
        Line("amount", "Euro", "12.50"), Line("text", "Text"),
        Line("reference", "Reference", "RF…"), Line("purpose", "Purpose", "up to 4 letters"),
        Line("info", "Hint", "for the payer"),
    ),
    "payment": (
        Line("address", "Address"), Line("amount", "Bitcoin", "0.001"), Line("label", "Label"),
        Line("message", "Message"),
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


class _Area(QPlainTextEdit):
    """Several lines; Tab goes on to the next field, undo belongs to the piece."""

    def __init__(self) -> None:
        super().__init__()
        self.setTabChangesFocus(True)
        self.setUndoRedoEnabled(False)
        self.setFixedHeight(64)


class _Single(QLineEdit):
    """One line, whose undo belongs to the piece."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        from PySide6.QtGui import QKeySequence

        undo, redo = QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo
        if event.matches(undo) or event.matches(redo):
            event.ignore()
            return
        super().keyPressEvent(event)

    def event(self, event) -> bool:
        from PySide6.QtCore import QEvent
        from PySide6.QtGui import QKeySequence

        undo, redo = QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo
        if event.type() == QEvent.Type.ShortcutOverride and (
            event.matches(undo) or event.matches(redo)
        ):
            event.ignore()
            return False
        return super().event(event)


def _remark_label() -> QLabel:
    label = QLabel()
    label.setWordWrap(True)
    label.setContentsMargins(LABEL + 8, 0, 0, 0)
    label.hide()
    return label


_RANKS = {"missing": "soft", "wrong": "error", "warn": "warn", "note": "soft"}


class Field(QWidget):
    """One part of a form with its label and what is said of it.

    Signals
    -------
    edited : object
        The new value.
    """

    edited = Signal(object)

    def __init__(self, part: Part) -> None:
        super().__init__()
        self.part = part
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(2)
        self.said = _remark_label()

    def labelled(self, control: QWidget) -> None:
        """The label, then the control, then the remark below."""
        label = QLabel(self.part.label)
        label.setFixedWidth(LABEL)
        label.setBuddy(control)
        control.setAccessibleName(self.part.label)
        line = row(label, control)
        line.setAlignment(label, Qt.AlignmentFlag.AlignTop)
        label.setContentsMargins(0, 4, 0, 0)
        self.box.addLayout(line)
        self.box.addWidget(self.said)

    def show_value(self, value: Any, details: Details) -> None:
        """Show a value without telling anyone."""
        raise NotImplementedError

    def show_remarks(self, remarks: Sequence[Remark]) -> None:
        """Show what concerns this field, the gravest of it."""
        order = ("wrong", "missing", "warn", "note")
        own = [r for r in remarks if r.field.partition(".")[0] == self.part.name]
        worst = min(own, key=lambda r: order.index(r.weight), default=None)
        self.said.setVisible(worst is not None)
        if worst is not None:
            self.said.setText(worst.text)
            set_rank(self.said, _RANKS[worst.weight])


class LineField(Field):
    """One line."""

    def __init__(self, part: Line) -> None:
        super().__init__(part)
        self.control = _Single()
        self.control.setPlaceholderText(part.hint)
        self.control.textEdited.connect(lambda text: self.edited.emit(text))
        self.labelled(self.control)

    def show_value(self, value: Any, details: Details) -> None:
        if self.control.text() != value:
            self.control.setText(value)


class TextField(Field):
    """Several lines."""

    def __init__(self, part: Text) -> None:
        super().__init__(part)
        self.control = _Area()
        self.control.setPlaceholderText(part.hint)
        self.control.textChanged.connect(lambda: self.edited.emit(self.control.toPlainText()))
        self.labelled(self.control)

    def show_value(self, value: Any, details: Details) -> None:
        if self.control.toPlainText() != value:
            self.control.blockSignals(True)
            self.control.setPlainText(value)
            self.control.blockSignals(False)


class TickField(Field):
    """Yes or no."""

    def __init__(self, part: Tick) -> None:
        super().__init__(part)
        self.control = QCheckBox(part.label)
        self.control.toggled.connect(lambda on: self.edited.emit(on != part.opposite))
        self.box.addLayout(row(self.control, 1))
        self.said.setContentsMargins(0, 0, 0, 0)
        self.box.addWidget(self.said)

    def show_value(self, value: Any, details: Details) -> None:
        self.control.blockSignals(True)
        self.control.setChecked(bool(value) != self.part.opposite)
        self.control.blockSignals(False)


class OneField(Field):
    """One of a few."""

    def __init__(self, part: One) -> None:
        super().__init__(part)
        self.control = Choice(part.label, part.options)
        self.control.chosen.connect(lambda value: self.edited.emit(value))
        self.labelled(self.control)

    def show_value(self, value: Any, details: Details) -> None:
        self.control.set_value(value)


class WhenField(Field):
    """A date, or a date and time."""

    def __init__(self, part: When) -> None:
        super().__init__(part)
        self.control = QDateTimeEdit()
        self.control.setCalendarPopup(True)
        self.control.setButtonSymbols(QDateTimeEdit.ButtonSymbols.NoButtons)
        guard_wheel(self.control)
        calendar = self.control.calendarWidget()
        plain = QTextCharFormat()  # red is for verdicts alone
        for day in (Qt.DayOfWeek.Saturday, Qt.DayOfWeek.Sunday):
            calendar.setWeekdayTextFormat(day, plain)
        self.control.dateTimeChanged.connect(self._changed)
        self._all_day = False
        self._known = False
        self.tick: QCheckBox | None = None
        if part.optional:
            self.tick = QCheckBox()
            self.tick.setAccessibleName(f"{part.label}: given")
            self.tick.setToolTip("Tick to say when it ends")
            self.tick.toggled.connect(self._ticked)
            inner = QWidget()
            line = QHBoxLayout(inner)
            line.setContentsMargins(0, 0, 0, 0)
            line.setSpacing(4)
            line.addWidget(self.tick)
            line.addWidget(self.control, 1)
            self.labelled(inner)
            self.control.setAccessibleName(part.label)
        else:
            self.labelled(self.control)

    def _format(self) -> str:
        return "yyyy-MM-dd" if self._all_day else "yyyy-MM-ddTHH:mm"

    def _changed(self, moment: QDateTime) -> None:
        self.edited.emit(moment.toString(self._format()))

    def _ticked(self, on: bool) -> None:
        self.control.setEnabled(on)
        self.edited.emit(self.control.dateTime().toString(self._format()) if on else "")

    def show_value(self, value: Any, details: Details) -> None:
        self._all_day = details.all_day
        shown = "d MMM yyyy" if self._all_day else "d MMM yyyy  HH:mm"
        self.control.blockSignals(True)
        self.control.setDisplayFormat(shown)
        given = bool(value)
        moment = QDateTime.fromString(value[:16], "yyyy-MM-ddTHH:mm")
        if not moment.isValid():
            moment = QDateTime.fromString(value[:10], "yyyy-MM-dd")
        if not moment.isValid():  # an end that is not given lies after the start
            moment = QDateTime.fromString(details.start[:16], "yyyy-MM-ddTHH:mm").addSecs(7200)
        if moment.isValid() and moment != self.control.dateTime():
            self.control.setDateTime(moment)
        self.control.blockSignals(False)
        if self.tick is not None:
            self.tick.blockSignals(True)
            self.tick.setChecked(given)
            self.tick.blockSignals(False)
            self.control.setEnabled(given)


class ZoneField(Field):
    """A time zone, by typing part of its name."""

    def __init__(self, part: Zone) -> None:
        super().__init__(part)
        from nimble_tile.core.message.kinds.event import zones

        self.control = QComboBox()
        self.control.setEditable(True)
        self.control.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.control.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.control.setMinimumContentsLength(8)
        self.control.addItem("Wherever the phone is", "")
        for zone in zones():
            self.control.addItem(zone.replace("_", " "), zone)
        self.control.completer().setFilterMode(Qt.MatchFlag.MatchContains)
        self.control.completer().setCompletionMode(
            self.control.completer().CompletionMode.PopupCompletion
        )
        guard_wheel(self.control)
        self.control.activated.connect(lambda _: self.edited.emit(self.control.currentData()))
        self.control.lineEdit().editingFinished.connect(self._typed)
        self.labelled(self.control)

    def _typed(self) -> None:
        at = self.control.findText(self.control.currentText(), Qt.MatchFlag.MatchFixedString)
        if at >= 0:
            self.edited.emit(self.control.itemData(at))
        else:
            self.control.setEditText(self.control.itemText(self.control.currentIndex()))

    def show_value(self, value: Any, details: Details) -> None:
        self.setVisible(not details.all_day)
        at = self.control.findData(value)
        if at >= 0 and at != self.control.currentIndex():
            self.control.setCurrentIndex(at)


class ManyField(Field):
    """A list of entries, each with a way to take it out."""

    def __init__(self, part: Many) -> None:
        super().__init__(part)
        self._value: tuple[Any, ...] = ()
        self._rows: list[tuple[Any, QWidget]] = []
        self._theme = themes.LIGHT
        head = QLabel(part.label)
        self.add = QPushButton(f"Add {'an' if part.what[0] in 'aeio' else 'a'} {part.what}")
        self.add.setProperty("flat", True)
        self.add.clicked.connect(self._grow)
        self.box.addLayout(row(head, 1, self.add))
        self.entries = QVBoxLayout()
        self.entries.setSpacing(4)
        self.box.addLayout(self.entries)
        self.said.setContentsMargins(0, 0, 0, 0)
        self.box.addWidget(self.said)

    def dress(self, theme: themes.Theme) -> None:
        self._theme = theme
        for _, entry in self._rows:
            for button in entry.findChildren(QToolButton):
                button.setIcon(themes.icon("x", theme.soft))

    def _blank(self) -> Any:
        return {"phone": Number(), "e-mail": "", "address": Address()}[self.part.what]

    def _grow(self) -> None:
        self._set((*self._value, self._blank()))
        self._rows[-1][1].findChild(QLineEdit).setFocus()

    def _set(self, value: tuple[Any, ...]) -> None:
        self.edited.emit(value)
        self.show_value(value, None)

    def _change(self, index: int, entry: Any) -> None:
        value = (*self._value[:index], entry, *self._value[index + 1 :])
        self._value = value
        self.edited.emit(value)

    def show_value(self, value: Any, details: Details | None) -> None:
        if value == self._value and len(self._rows) == len(value):
            return
        same_shape = len(value) == len(self._rows)
        self._value = tuple(value)
        if same_shape:
            for (fill, _), entry in zip(self._rows, value, strict=True):
                fill(entry)
            return
        while self._rows:
            _, old = self._rows.pop()
            self.entries.removeWidget(old)
            old.hide()
            old.deleteLater()
        for index, entry in enumerate(value):
            fill, made = self._row(index)
            fill(entry)
            self.entries.addWidget(made)
            self._rows.append((fill, made))
        self.dress(self._theme)

    def _row(self, index: int) -> tuple[Callable[[Any], None], QWidget]:
        """An entry's controls, and how to fill them."""
        made = QWidget()
        away = QToolButton()
        away.setAccessibleName(f"Take out {self.part.what} {index + 1}")
        away.setToolTip(f"Take out this {self.part.what}")
        away.clicked.connect(lambda: self._set((*self._value[:index], *self._value[index + 1 :])))
        name = f"{self.part.what.capitalize()} {index + 1}"

        def change(**changes: Any) -> None:
            self._change(index, self._value[index].model_copy(update=changes))

        def single(label: str, slot: Callable[[str], None], hint: str = "") -> _Single:
            line = _Single()
            line.setAccessibleName(label)
            line.setPlaceholderText(hint)
            line.textEdited.connect(slot)
            return line

        if self.part.what == "e-mail":
            line = single(name, lambda text: self._change(index, text), "name@lanternwalk.example")
            made.setLayout(row(line, away, spacing=4))
            return lambda entry: _show_line(line, entry), made
        uses = (
            [("mobile", "Mobile"), ("work", "Work"), ("home", "Home"), ("fax", "Fax")]
            if self.part.what == "phone"
            else [("work", "Work"), ("home", "Home")]
        )
        use = Choice(f"{name}, use", uses)
        use.chosen.connect(lambda value: change(use=value))
        if self.part.what == "phone":
            line = single(name, lambda text: change(number=text), "+44 1632 960983")
            use.setFixedWidth(88)
            made.setLayout(row(use, line, away, spacing=4))

            def fill(entry: Number) -> None:
                use.set_value(entry.use)
                _show_line(line, entry.number)

            return fill, made
        box = QVBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 4)
        box.setSpacing(4)
        box.addLayout(row(use, 1, away, spacing=4))
        lines = {}
        for field, hint in (
            ("street", "Street and number"), ("code", "Code"), ("city", "Town"),
            ("region", "Region"), ("country", "Country"),
        ):  # fmt: skip
            lines[field] = single(
                f"{name}, {hint.lower()}", lambda text, f=field: change(**{f: text}), hint
            )
        lines["code"].setFixedWidth(84)
        box.addWidget(lines["street"])
        box.addLayout(row(lines["code"], lines["city"], spacing=4))
        box.addLayout(row(lines["region"], lines["country"], spacing=4))

        def fill_address(entry: Address) -> None:
            use.set_value(entry.use)
            for field, line in lines.items():
                _show_line(line, getattr(entry, field))

        return fill_address, made


def _show_line(line: QLineEdit, text: str) -> None:
    if line.text() != text:
        line.setText(text)


_FIELDS: dict[type, type[Field]] = {
    Line: LineField, Text: TextField, Tick: TickField, One: OneField, When: WhenField,
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
        self.fields: dict[str, Field] = {}
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
