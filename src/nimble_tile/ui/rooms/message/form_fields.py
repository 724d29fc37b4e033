"""The controls of forms: one for each sort of field, with its label and remark."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
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
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.details import Details
from nimble_tile.core.language import tr
from nimble_tile.core.message.remarks import Remark
from nimble_tile.ui.kit.controls import Choice, guard_wheel, row, set_checked, set_rank

LABEL = 78
"""Width of the labels, in pixels."""


@dataclass(frozen=True)
class LinePart:
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


FormPart = LinePart | Text | Tick | One | When | Zone | Many


class _Area(QPlainTextEdit):
    """Several lines; Tab goes on to the next field, undo belongs to the piece."""

    def __init__(self) -> None:
        super().__init__()
        self.setTabChangesFocus(True)
        self.setUndoRedoEnabled(False)
        self.setFixedHeight(64)


class Single(QLineEdit):
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


class FormField(QWidget):
    """One part of a form with its label and what is said of it.

    Signals
    -------
    edited : object
        The new value.
    """

    edited = Signal(object)

    def __init__(self, part: FormPart) -> None:
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

    def show_remarks(self, remarks: Sequence[Remark]) -> None:
        """Show what concerns this field, the gravest of it."""
        order = ("wrong", "missing", "warn", "note")
        own = [r for r in remarks if r.field.partition(".")[0] == self.part.name]
        worst = min(own, key=lambda r: order.index(r.weight), default=None)
        self.said.setVisible(worst is not None)
        if worst is not None:
            self.said.setText(worst.text)
            set_rank(self.said, _RANKS[worst.weight])


class LineField(FormField):
    """One line."""

    def __init__(self, part: LinePart) -> None:
        super().__init__(part)
        self.control = Single()
        self.control.setPlaceholderText(part.hint)
        self.control.textEdited.connect(lambda text: self.edited.emit(text))
        self.labelled(self.control)

    def show_value(self, value: Any, details: Details) -> None:
        if self.control.text() != value:
            self.control.setText(value)


class TextField(FormField):
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


class TickField(FormField):
    """Yes or no."""

    def __init__(self, part: Tick) -> None:
        super().__init__(part)
        self.control = QCheckBox(part.label)
        self.control.toggled.connect(lambda on: self.edited.emit(on != part.opposite))
        self.box.addLayout(row(self.control, 1))
        self.said.setContentsMargins(0, 0, 0, 0)
        self.box.addWidget(self.said)

    def show_value(self, value: Any, details: Details) -> None:
        set_checked(self.control, bool(value) != self.part.opposite)


class OneField(FormField):
    """One of a few."""

    def __init__(self, part: One) -> None:
        super().__init__(part)
        self.control = Choice(part.label, part.options)
        self.control.chosen.connect(lambda value: self.edited.emit(value))
        self.labelled(self.control)

    def show_value(self, value: Any, details: Details) -> None:
        self.control.set_value(value)


class WhenField(FormField):
    """A date, or a date and time."""

    def __init__(self, part: When) -> None:
        super().__init__(part)
        self.control = QDateTimeEdit()
        self.control.setMinimumWidth(120)
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
            self.tick.setAccessibleName(tr("{label}: given", label=part.label))
            self.tick.setToolTip(tr("Tick to say when it ends"))
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
            set_checked(self.tick, given)
            self.control.setEnabled(given)


class ZoneField(FormField):
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
        self.control.addItem(tr("Wherever the phone is"), "")
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
