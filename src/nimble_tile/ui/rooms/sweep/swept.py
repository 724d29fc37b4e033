"""A setting that is swept, and the values that it takes."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFont
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.core.tune.sweep import MOST_PIECES, SETTINGS, Setting, Value
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, NumberBox, guard_wheel, named, soft


class SweptBox(QWidget):
    """One setting, and the values that it is to take.

    Signals
    -------
    changed
        Another setting, or other values.
    """

    changed = Signal()

    def __init__(self, title: str, optional: bool) -> None:
        super().__init__()
        self._piece: Piece | None = None
        self._title = title
        options: list[tuple[object, str]] = [("", tr("Nothing"))] if optional else []
        options += [(each.key, each.label) for each in SETTINGS]
        self.which = Choice(title, options)
        self.low, self.high = QDoubleSpinBox(), QDoubleSpinBox()
        self.count = NumberBox(tr("{title}: steps", title=title), 2, 16)
        self.count.set_value(5)
        self.count.setFixedWidth(72)
        for box, name in ((self.low, tr("from")), (self.high, tr("to"))):
            box.setAccessibleName(f"{title}: {name}")
            box.setKeyboardTracking(False)
            box.setAlignment(Qt.AlignmentFlag.AlignRight)
            guard_wheel(box)
            box.valueChanged.connect(lambda _: self.changed.emit())
        self.options = QListWidget()
        self.options.setAccessibleName(tr("{title}: values", title=title))
        self.options.itemChanged.connect(lambda _: self.changed.emit())
        self.why = soft()
        head = QLabel(title)
        head.setFont(themes.font(16, QFont.Weight.Bold))
        self._numbers = QWidget()
        numbers = QVBoxLayout(self._numbers)
        numbers.setContentsMargins(0, 0, 0, 0)
        numbers.setSpacing(6)
        numbers.addLayout(named(tr("From"), self.low, 48))
        numbers.addLayout(named(tr("To"), self.high, 48))
        numbers.addLayout(named(tr("Steps"), self.count, 48))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        for part in (head, self.which, self._numbers, self.options, self.why):
            whole.addWidget(part)
        self.which.chosen.connect(self.choose)
        self.count.edited.connect(lambda _: self.changed.emit())
        self.which.setCurrentIndex(0)

    @property
    def setting(self) -> Setting | None:
        """What is swept; None: nothing."""
        key = self.which.currentData()
        return next((each for each in SETTINGS if each.key == key), None)

    @property
    def values(self) -> list[Value]:
        """The values that it takes."""
        each = self.setting
        if each is None:
            return []
        if each.options:
            rows = [self.options.item(index) for index in range(self.options.count())]
            return [
                r.data(Qt.ItemDataRole.UserRole)
                for r in rows
                if r.checkState() == Qt.CheckState.Checked
            ]
        low, high = self.low.value() / each.factor, self.high.value() / each.factor
        return each.values(low, high, self.count.value())

    def follow(self, piece: Piece) -> None:
        """Grey out what this piece does not have."""
        first = self._piece is None
        self._piece = piece
        model = self.which.model()
        for index in range(self.which.count()):
            key = self.which.itemData(index)
            each = next((s for s in SETTINGS if s.key == key), None)
            why = each.why_not(piece) if each else ""
            item = model.item(index)
            item.setEnabled(not why)
            item.setToolTip(why)
        if first:
            self.choose(self.which.currentData())
        else:
            self._say()

    def choose(self, key: object) -> None:
        """Sweep this setting, over its usual range."""
        self.which.set_value(key)
        each = self.setting
        self._numbers.setVisible(each is not None and not each.options)
        self.options.setVisible(each is not None and bool(each.options))
        if each is not None and each.options:
            self.options.blockSignals(True)
            self.options.clear()
            for value, words in each.options:
                item = QListWidgetItem(words)
                item.setData(Qt.ItemDataRole.UserRole, value)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked)
                self.options.addItem(item)
            line = max(20, self.options.sizeHintForRow(0))
            self.options.setFixedHeight(min(9, len(each.options)) * line + 8)
            self.options.blockSignals(False)
        elif each is not None:
            low, high = each.usual(self._piece or Piece())
            for box, value in ((self.low, low), (self.high, high)):
                box.blockSignals(True)
                box.setDecimals(0 if each.whole or each.factor >= 100 else 2)
                box.setSuffix(each.unit)
                box.setRange(*self._limits(each))
                box.setSingleStep(5 if each.factor >= 100 else 1 if each.whole else 0.1)
                box.setValue(value * each.factor)
                box.blockSignals(False)
            self.count.set_value(min(5, round(high - low) + 1) if each.whole else 5)
        self._say()
        self.changed.emit()

    @staticmethod
    def _limits(each: Setting) -> tuple[float, float]:
        """What may be typed: some more than is usual, but nothing below 0 where that is odd."""
        span = 0 if each.whole else each.high - each.low
        low = each.low - span if each.low < 0 else max(0.0, each.low - span)
        return low * each.factor, (each.high + span) * each.factor

    def _say(self) -> None:
        each = self.setting
        why = each.why_not(self._piece) if each is not None and self._piece is not None else ""
        self.why.setText(why)
        self.why.setVisible(bool(why))


def told_number(count: int) -> str:
    """How large a board would be, in words."""
    if count > MOST_PIECES:
        return tr(
            "{count} pieces: more than the {most_pieces} that a board holds. Take fewer steps.",
            count=count,
            most_pieces=MOST_PIECES,
        )
    return tr("{count} pieces.", count=count) if count != 1 else tr("One piece.")
