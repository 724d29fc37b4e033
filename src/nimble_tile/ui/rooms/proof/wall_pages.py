"""The wall's pages of limits and of the print grade."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import figure, tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import NumberBox, named, soft

if TYPE_CHECKING:
    from nimble_tile.core.scan.grade import Quality
    from nimble_tile.core.trials.limits import Reached


class LimitRow(QWidget):
    """One limit beside the usual code's."""

    def __init__(self, title: str, unit: str, most: bool) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.title, self.unit, self.most = title, unit, most
        self.reached: Reached | None = None
        self.stale = False
        self.setFixedHeight(66)
        self.setAccessibleName(title)

    def figure(self, value: float | None, is_open: bool) -> str:
        """A limit as people write it."""
        if value is None:
            return tr("not read")
        digits = 1 if value < 10 and self.unit else 0
        text = f"{figure(value, f'.{digits}f')} {self.unit}".strip()
        if self.unit == "mm" and value >= 1000:
            text = f"{figure(value / 1000, '.2f')} m"
        if is_open:
            return tr("{text} or more", text=text) if self.most else tr("{text} or less", text=text)
        return text

    def take(self, reached: Reached | None) -> None:
        self.reached = reached
        self.stale = False
        if reached is not None:
            own = self.figure(reached.value, reached.open)
            usual = self.figure(reached.usual, reached.usual_open)
            self.setAccessibleDescription(tr("{own}; usual code {usual}", own=own, usual=usual))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme = self.theme
        width = self.width() - 24
        painter.setFont(themes.font(13))
        painter.setPen(QColor(theme.soft))
        painter.drawText(QRectF(12, 6, width, 18), Qt.AlignmentFlag.AlignVCenter, self.title)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.setFont(themes.font(16, QFont.Weight.Bold))
        reached = self.reached
        painter.setPen(QColor(theme.soft if self.stale or reached is None else theme.ink))
        own = "–" if reached is None else self.figure(reached.value, reached.open)
        painter.drawText(QRectF(12, 24, width, 20), Qt.AlignmentFlag.AlignVCenter, own)
        if reached is not None:
            painter.setFont(themes.font(13))
            painter.setPen(QColor(theme.soft))
            usual = tr("usual {figure}", figure=self.figure(reached.usual, reached.usual_open))
            painter.drawText(QRectF(12, 26, width, 18), right, usual)
            self._bar(painter, QRectF(12, 48, width, 4))
        painter.setPen(QColor(theme.rule))
        painter.drawLine(12, self.height() - 1, self.width() - 12, self.height() - 1)

    def _bar(self, painter: QPainter, area: QRectF) -> None:
        """How far along the range it goes; a tick where the usual code ends."""
        reached, theme = self.reached, self.theme
        painter.fillRect(area, QColor(theme.rule))
        limit = reached.limit
        import math

        def share(value: float | None) -> float:
            if value is None:
                return 0.0
            if limit.logarithmic:
                return math.log(value / limit.easy) / math.log(limit.cruel / limit.easy)
            return (value - limit.easy) / (limit.cruel - limit.easy)

        own = min(1.0, max(0.0, share(reached.value)))
        usual = min(1.0, max(0.0, share(reached.usual)))
        colour = QColor(theme.soft if self.stale else theme.accent)
        painter.fillRect(QRectF(area.left(), area.top(), area.width() * own, area.height()), colour)
        x = area.left() + area.width() * usual
        painter.fillRect(QRectF(x - 1, area.top() - 3, 2, area.height() + 6), QColor(theme.ink))


class LimitsPage(QWidget):
    """Limits, and at which distance and size they are sought.

    Signals
    -------
    asked : float, float
        Other distance and size in mm.
    """

    asked = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        from nimble_tile.core.trials.limits import LIMITS

        self.distance = NumberBox(tr("Distance"), 50, 10_000, "mm", 10)
        self.size = NumberBox(tr("Symbol"), 8, 2000, "mm", 1)
        self.distance.setValue(250)
        self.size.setValue(40)
        self.distance.setToolTip(
            tr("From the camera to the code, for all limits but the distance's")
        )
        self.size.setToolTip(
            tr("Side of the symbol without quiet zone, for all limits but the print's")
        )
        for box in (self.distance, self.size):
            box.setFixedWidth(108)
            box.edited.connect(
                lambda _: self.asked.emit(float(self.distance.value()), float(self.size.value()))
            )
        self.rows = {limit.key: LimitRow(limit.title, limit.unit, limit.most) for limit in LIMITS}
        note = soft(tr("Read by three of four readers. The tick is the usual code."))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 8)
        layout.setSpacing(0)
        top = QVBoxLayout()
        top.setContentsMargins(12, 0, 12, 4)
        top.setSpacing(8)
        top.addLayout(named(tr("Distance"), self.distance, 84))
        top.addLayout(named(tr("Symbol"), self.size, 84))
        top.addWidget(note)
        layout.addLayout(top)
        for line in self.rows.values():
            layout.addWidget(line)
        layout.addStretch(1)

    def take(self, reached: Reached) -> None:
        """A limit is known."""
        self.rows[reached.limit.key].take(reached)

    def set_stale(self, stale: bool) -> None:
        for line in self.rows.values():
            line.stale = stale
            line.update()

    def dress(self, theme: themes.Theme) -> None:
        for line in self.rows.values():
            line.theme = theme
            line.update()


NOTES = {
    "decode": tr("Whether one threshold for the whole symbol decodes it"),
    "contrast": tr("Lightest less darkest reflectance; A from 70 %"),
    "modulation": tr("How far modules are from the threshold, set off against error correction"),
    "fixed": tr("Damaged modules of finders, timing and alignment patterns"),
    "axial": tr("Width against height of the modules; A up to 6 %"),
    "grid": tr("Farthest that a module lies off the even grid, in modules; A up to 0.38"),
    "unused": tr("Error correction not used up; A from 62 %"),
}


class GradePage(QWidget):
    """The print quality grade and its parameters."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.quality: Quality | None = None
        self.stale = False
        self.note = soft(
            tr(
                "After ISO/IEC 15415, with thresholds written down from memory: no certified "
                "measurement. The standard takes one threshold for the whole symbol; phones take "
                "many, so artwork often reads better than its grade."
            )
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 332, 12, 12)
        layout.addWidget(self.note)
        layout.addStretch(1)
        self.setAccessibleName(tr("Print quality grade"))

    def take(self, quality: Quality | None) -> None:
        """The grade is known."""
        self.quality, self.stale = quality, False
        if quality is not None:
            told = [f"{p.title} {p.letter}" for p in quality.parameters]
            self.setAccessibleDescription(
                tr("Overall {letter}. {told}.", letter=quality.letter, told=", ".join(told))
            )
            self.setToolTip("\n".join(f"{p.title}: {NOTES[p.key]}" for p in quality.parameters))
        self.update()

    def set_stale(self, stale: bool) -> None:
        self.stale = stale
        self.update()

    def dress(self, theme: themes.Theme) -> None:
        self.theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme, quality = self.theme, self.quality
        width = self.width() - 24
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.setFont(themes.font(13))
        painter.setPen(QColor(theme.soft))
        painter.drawText(
            QRectF(12, 20, width, 20), Qt.AlignmentFlag.AlignVCenter, tr("Print grade")
        )
        letter = "–" if quality is None else quality.letter
        painter.setFont(themes.font(34, QFont.Weight.Bold))
        painter.setPen(self._colour(None if quality is None else quality.overall))
        painter.drawText(QRectF(12, 8, width, 44), right, letter)
        if quality is None:
            return
        for index, parameter in enumerate(quality.parameters):
            top = 62 + index * 37
            painter.setPen(QColor(theme.rule))
            painter.drawLine(12, top, self.width() - 12, top)
            painter.setFont(themes.font(14))
            painter.setPen(QColor(theme.soft if self.stale else theme.ink))
            line = QRectF(12, top + 8, width, 20)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, parameter.title)
            painter.setFont(themes.font(15, QFont.Weight.Bold))
            painter.setPen(self._colour(parameter.grade))
            painter.drawText(line, right, parameter.letter)
            painter.setFont(themes.font(12))
            painter.setPen(QColor(theme.soft))
            value = QRectF(12, top + 8, width - 20, 20)
            painter.drawText(value, right, _value(parameter.key, parameter.value))

    def _colour(self, grade: int | None) -> QColor:
        if grade is None or self.stale:
            return QColor(self.theme.soft)
        state = "well" if grade >= 3 else "thin" if grade == 2 else "fails"
        return QColor(themes.verdict_colour(self.theme, state))


def _value(key: str, value: float) -> str:
    if key == "decode":
        return tr("yes") if value else tr("no")
    if key == "grid":
        return figure(value, ".2f")
    return figure(value, ".0%")
