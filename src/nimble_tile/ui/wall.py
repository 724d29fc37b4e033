"""The trial wall: reach, trials, limits and print grade of the newest piece."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.ui import theme as themes
from nimble_tile.ui.controls import Number, Segments, named, rule, soft
from nimble_tile.ui.trial_list import TrialList

if TYPE_CHECKING:
    from nimble_tile.core.scan.grade import Quality
    from nimble_tile.core.trials.limits import Reached

WIDTH = 236


def reach_state(reach: float) -> str:
    """The verdict's word whose colour a reach wears."""
    from nimble_tile.core.trials.outlook import BAD_REACH, GOOD_REACH

    return "well" if reach >= GOOD_REACH else "thin" if reach >= BAD_REACH else "fails"


class ReachGauge(QWidget):
    """The reach as a number, a bar for each trial, and how far the trials are."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.reach: float | None = None
        self.done = self.of = 0
        self.stale = False
        self.paused = False
        self.bars: list[tuple[float | None, str]] = []
        self.setFixedHeight(74)
        self.setAccessibleName("Reach")
        self.setToolTip(
            "Reach: of all (trial, reader) pairs that plain black on white passes,\n"
            "the share that this piece passes too."
        )

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 74)

    @property
    def told(self) -> str:
        """The line under the bar."""
        if self.paused:
            return "Trials rest"
        if self.of and self.done < self.of:
            return f"Trial {self.done} of {self.of}"
        if self.reach is None and self.of:
            return "Plain code passes none of them"
        if self.reach is None:
            return "Waiting for a code"
        return "of what plain code passes"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme = self.theme
        known = self.reach is not None and not self.stale
        colour = QColor(theme.soft)
        if known:
            colour = QColor(themes.verdict_colour(theme, reach_state(self.reach)))
        painter.setFont(themes.font(13))
        painter.setPen(QColor(theme.soft))
        painter.drawText(QRectF(12, 10, 100, 20), Qt.AlignmentFlag.AlignVCenter, "Reach")
        painter.setFont(themes.font(20, QFont.Weight.Bold))
        painter.setPen(colour)
        figure = "–" if self.reach is None else f"{self.reach:.0%}"
        painter.drawText(
            QRectF(12, 8, self.width() - 24, 24),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            figure,
        )
        self._bars(painter, QRectF(12, 38, self.width() - 24, 10))
        painter.setFont(themes.font(13))
        painter.setPen(QColor(theme.soft))
        line = QRectF(12, 51, self.width() - 24, 18)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, self.told)

    def _bars(self, painter: QPainter, area: QRectF) -> None:
        """One bar a trial, as high as what it passes of plain code's pairs."""
        theme = self.theme
        if not self.bars:
            painter.fillRect(area.adjusted(0, 4, 0, 0), QColor(theme.rule))
            return
        step = (area.width() + 1) / len(self.bars)
        for index, (share, state) in enumerate(self.bars):
            slot = QRectF(area.left() + index * step, area.top(), max(1.0, step - 1), area.height())
            painter.fillRect(slot, QColor(theme.rule))
            if share is None:
                continue
            filled = QRectF(slot)
            filled.setTop(slot.bottom() - max(2.0, slot.height() * share))
            colour = QColor(themes.verdict_colour(theme, "" if self.stale else state))
            painter.fillRect(filled, colour)

    def take(self, **values: object) -> None:
        """Take new values and paint them."""
        for name, value in values.items():
            setattr(self, name, value)
        figure = "unknown" if self.reach is None else f"{self.reach:.0%}"
        self.setAccessibleDescription(f"{figure}, {self.told}")
        self.update()


class LimitRow(QWidget):
    """One limit beside the plain twin's."""

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
            return "not read"
        digits = 1 if value < 10 and self.unit else 0
        text = f"{value:.{digits}f} {self.unit}".strip()
        if self.unit == "mm" and value >= 1000:
            text = f"{value / 1000:.2f} m"
        if is_open:
            return f"{text} or {'more' if self.most else 'less'}"
        return text

    def take(self, reached: Reached | None) -> None:
        self.reached = reached
        self.stale = False
        if reached is not None:
            own = self.figure(reached.value, reached.open)
            plain = self.figure(reached.plain, reached.plain_open)
            self.setAccessibleDescription(f"{own}; plain code {plain}")
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
            plain = f"plain {self.figure(reached.plain, reached.plain_open)}"
            painter.drawText(QRectF(12, 26, width, 18), right, plain)
            self._bar(painter, QRectF(12, 48, width, 4))
        painter.setPen(QColor(theme.rule))
        painter.drawLine(12, self.height() - 1, self.width() - 12, self.height() - 1)

    def _bar(self, painter: QPainter, area: QRectF) -> None:
        """How far along the range it goes; a tick where plain code ends."""
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
        plain = min(1.0, max(0.0, share(reached.plain)))
        colour = QColor(theme.soft if self.stale else theme.accent)
        painter.fillRect(QRectF(area.left(), area.top(), area.width() * own, area.height()), colour)
        x = area.left() + area.width() * plain
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

        self.distance = Number("Distance", 50, 10_000, "mm", 10)
        self.size = Number("Symbol", 8, 2000, "mm", 1)
        self.distance.setValue(250)
        self.size.setValue(40)
        self.distance.setToolTip("From the camera to the code, for all limits but the distance's")
        self.size.setToolTip(
            "Side of the symbol without quiet zone, for all limits but the print's"
        )
        for box in (self.distance, self.size):
            box.setFixedWidth(108)
            box.edited.connect(
                lambda _: self.asked.emit(float(self.distance.value()), float(self.size.value()))
            )
        self.rows = {limit.key: LimitRow(limit.title, limit.unit, limit.most) for limit in LIMITS}
        note = soft("Read by three of four readers. The tick is plain black on white.")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 8)
        layout.setSpacing(0)
        top = QVBoxLayout()
        top.setContentsMargins(12, 0, 12, 4)
        top.setSpacing(8)
        top.addLayout(named("Distance", self.distance, 84))
        top.addLayout(named("Symbol", self.size, 84))
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
    "decode": "Whether one threshold for the whole symbol decodes it",
    "contrast": "Lightest less darkest reflectance; A from 70 %",
    "modulation": "How far modules are from the threshold, set off against error correction",
    "fixed": "Damaged modules of finders, timing and alignment patterns",
    "axial": "Width against height of the modules; A up to 6 %",
    "grid": "Farthest that a module lies off the even grid, in modules; A up to 0.38",
    "unused": "Error correction not used up; A from 62 %",
}


class GradePage(QWidget):
    """The print quality grade and its parameters."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.quality: Quality | None = None
        self.stale = False
        self.note = soft(
            "By the methods of ISO/IEC 15415. The standard takes one threshold for the whole "
            "symbol; phones take many, so artwork often reads better than its grade."
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 332, 12, 12)
        layout.addWidget(self.note)
        layout.addStretch(1)
        self.setAccessibleName("Print quality grade")

    def take(self, quality: Quality | None) -> None:
        """The grade is known."""
        self.quality, self.stale = quality, False
        if quality is not None:
            told = [f"{p.title} {p.letter}" for p in quality.parameters]
            self.setAccessibleDescription(f"Overall {quality.letter}. {', '.join(told)}.")
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
        painter.drawText(QRectF(12, 20, width, 20), Qt.AlignmentFlag.AlignVCenter, "Print grade")
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
        return "yes" if value else "no"
    if key == "grid":
        return f"{value:.2f}"
    return f"{value:.0%}"


class TrialWall(QWidget):
    """The right column of the window.

    Signals
    -------
    opened : Trial
    edit_wanted
    paused : bool
    page_changed : str
    """

    opened = Signal(object)
    edit_wanted = Signal()
    paused = Signal(bool)
    page_changed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("wall")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        self.setAccessibleName("Trial wall")
        self.gauge = ReachGauge()
        self.pages = Segments(
            "Trial wall",
            [
                ("trials", "Trials", "Simulated camera frames, each seen by the readers"),
                ("limits", "Limits", "How small, far, tilted, dark and blurred it may be"),
                ("grade", "Grade", "Print quality by the methods of ISO/IEC 15415"),
            ],
        )
        self.pages.set_value("trials")
        self.list, self.grade = TrialList(), GradePage()
        self._limits: LimitsPage | None = None
        self._limits_area = _scrolled(QWidget())
        self.stack = QStackedWidget()
        self.stack.addWidget(self.list)
        self.stack.addWidget(self._limits_area)
        self.stack.addWidget(_scrolled(self.grade))
        self.edit = QPushButton("Edit trials…")
        self.edit.setToolTip("Add, change, switch off and save trials")
        self.rest = QToolButton()
        self.rest.setCheckable(True)
        self.rest.setAccessibleName("Let the trials rest")
        self.rest.setToolTip("Let the trials rest: nothing is tried until this is released")
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 8, 12, 8)
        foot.addWidget(self.edit, 1)
        foot.addWidget(self.rest)
        switch = QVBoxLayout()
        switch.setContentsMargins(12, 0, 12, 8)
        switch.addWidget(self.pages)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.gauge)
        layout.addLayout(switch)
        layout.addWidget(rule())
        layout.addWidget(self.stack, 1)
        layout.addWidget(rule())
        layout.addLayout(foot)
        self.pages.chosen.connect(self.turn_to)
        self.list.opened.connect(self.opened)
        self.edit.clicked.connect(self.edit_wanted)
        self.rest.toggled.connect(self.paused)
        self._theme = themes.LIGHT

    @property
    def limits(self) -> LimitsPage:
        """The page of limits; made when it is first looked at."""
        if self._limits is None:
            self._limits = LimitsPage()
            self._limits.dress(self._theme)
            self._limits_area.setWidget(self._limits)
        return self._limits

    def turn_to(self, page: str) -> None:
        """Show ``"trials"``, ``"limits"`` or ``"grade"``."""
        self.pages.set_value(page)
        if page == "limits":
            _ = self.limits
        self.stack.setCurrentIndex(("trials", "limits", "grade").index(page))
        self.page_changed.emit(page)

    def set_stale(self, stale: bool) -> None:
        """What is shown belongs to an older piece."""
        self.list.trials.set_stale(stale)
        self.gauge.take(stale=stale)
        self.grade.set_stale(stale)
        if self._limits is not None:
            self._limits.set_stale(stale)

    def forget(self) -> None:
        """There is no code."""
        self.list.trials.forget()
        self.gauge.take(reach=None, done=0, of=0, stale=False, bars=[])
        self.grade.take(None)
        if self._limits is not None:
            for line in self._limits.rows.values():
                line.take(None)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self._theme = theme
        self.gauge.theme = theme
        self.gauge.update()
        self.list.dress(theme)
        self.grade.dress(theme)
        if self._limits is not None:
            self._limits.dress(theme)
        self.rest.setIcon(themes.icon("pause", theme.ink))


def _scrolled(widget: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(widget)
    return area
