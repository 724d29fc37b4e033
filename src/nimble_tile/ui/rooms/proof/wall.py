"""The trial wall: reach, trials, limits and print grade of the newest piece."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments, rule, scrolled
from nimble_tile.ui.rooms.proof.trial_list import TrialList
from nimble_tile.ui.rooms.proof.wall_pages import GradePage, LimitsPage

if TYPE_CHECKING:
    pass

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
        self.readers: tuple[str, ...] = READER_NAMES
        self.stale = False
        self.paused = False
        self.bars: list[tuple[float | None, str]] = []
        self.setFixedHeight(74)
        self.setAccessibleName(tr("Reach"))
        self.setToolTip(
            tr(
                "Reach: in how many pairs of trial and reader the piece is read, over "
                "those of the\n"
                "usual code: the same message at level H, black on white, in the same square."
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 74)

    @property
    def told(self) -> str:
        """The line under the bar."""
        if self.paused:
            return tr("Trials rest")
        if self.of and self.done < self.of:
            return tr("Trial {done} of {of}", done=self.done, of=self.of)
        if self.reach is None and self.of:
            return tr("The usual code passes none")
        if self.reach is None:
            return tr("Waiting for a code")
        if len(self.readers) < 4:
            return tr("by {readers}", readers=", ".join(self.readers))
        return tr("of what the usual code passes")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme = self.theme
        known = self.reach is not None and not self.stale
        colour = QColor(theme.soft)
        if known:
            colour = QColor(themes.verdict_colour(theme, reach_state(self.reach)))
        painter.setFont(themes.font(13))
        painter.setPen(QColor(theme.soft))
        painter.drawText(QRectF(12, 10, 100, 20), Qt.AlignmentFlag.AlignVCenter, tr("Reach"))
        painter.setFont(themes.font(20, QFont.Weight.Bold))
        painter.setPen(colour)
        figure = "–" if self.reach is None else percent(self.reach)
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
        """One bar a trial, as high as what it passes of the usual code's pairs."""
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
        figure = tr("unknown") if self.reach is None else percent(self.reach)
        self.setAccessibleDescription(f"{figure}, {self.told}")
        self.update()


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
        self.setAccessibleName(tr("Trial wall"))
        self.gauge = ReachGauge()
        self.pages = Segments(
            tr("Trial wall"),
            [
                ("trials", tr("Trials"), tr("Simulated camera frames, each seen by the readers")),
                ("limits", tr("Limits"), tr("How small, far, tilted, dark and blurred it may be")),
                ("grade", tr("Grade"), tr("Print quality, after ISO/IEC 15415")),
            ],
        )
        self.pages.set_value("trials")
        self.list, self.grade = TrialList(), GradePage()
        self._limits: LimitsPage | None = None
        self._limits_area = scrolled(QWidget())
        self.stack = QStackedWidget()
        self.stack.addWidget(self.list)
        self.stack.addWidget(self._limits_area)
        self.stack.addWidget(scrolled(self.grade))
        self.edit = QPushButton(tr("Edit trials…"))
        self.edit.setToolTip(tr("Add, change, switch off and save trials"))
        self.rest = QToolButton()
        self.rest.setCheckable(True)
        self.rest.setAccessibleName(tr("Let the trials rest"))
        self.rest.setToolTip(tr("Let the trials rest: nothing is tried until this is released"))
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
