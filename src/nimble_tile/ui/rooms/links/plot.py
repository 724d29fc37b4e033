"""Visits of a link by day, each campaign tag in a shade of its own."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import date, timedelta
from typing import TYPE_CHECKING

from PySide6.QtCore import QDate, QLocale, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes

if TYPE_CHECKING:
    from nimble_tile.standins.linkdesk.store import Count

DAYS = 14
"""Days that are shown at least."""

MOST_DAYS = 92

FOOT, TOP = 20, 22


class VisitsPlot(QWidget):
    """Bars of visits; the newest day is on the right."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.counts: list[Count] = []
        self.today = date.today()
        self.setMinimumHeight(120)
        self.setAccessibleName(tr("Visits by day"))

    def take(self, counts: Sequence[Count], today: date) -> None:
        """Show the visits of one link."""
        self.counts, self.today = list(counts), today
        told = [f"{day:%Y-%m-%d}: {count}" for day, count in sorted(self._days().items())]
        self.setAccessibleDescription(", ".join(told[-DAYS:]) or tr("No visits yet"))
        self.setToolTip("\n".join(told[-DAYS:]))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(420, 150)

    def _days(self) -> Counter:
        days: Counter = Counter()
        for one in self.counts:
            days[one.day] += one.count
        return days

    def shade(self, number: int, of: int) -> QColor:
        """The colour of a tag."""
        colour = QColor(self.theme.accent)
        share = number / max(of, 1)
        paper = QColor(self.theme.panel)
        mixed = (
            a + (b - a) * 0.75 * share
            for a, b in zip(colour.getRgbF()[:3], paper.getRgbF()[:3], strict=True)
        )
        return QColor.fromRgbF(*mixed)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.panel))
        painter.setFont(themes.font(13))
        days = self._days()
        if not days:
            painter.setPen(QColor(self.theme.soft))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr("No visits yet"))
            return
        first = min(self.today - timedelta(days=DAYS - 1), min(days))
        first = max(first, self.today - timedelta(days=MOST_DAYS - 1))
        shown = (self.today - first).days + 1
        most = max((days[first + timedelta(days=n)] for n in range(shown)), default=1) or 1
        room = QRectF(self.rect()).adjusted(12, TOP, -12, -FOOT)
        step = room.width() / shown
        tags = sorted({one.tag for one in self.counts})
        painter.setPen(QColor(self.theme.soft))
        painter.drawText(QRectF(12, 2, room.width(), TOP), Qt.AlignmentFlag.AlignLeft, f"{most}")
        self._legend(painter, tags, room)
        painter.setPen(QColor(self.theme.rule))
        painter.drawLine(room.bottomLeft(), room.bottomRight())
        painter.setPen(Qt.PenStyle.NoPen)
        for number in range(shown):
            day, base = first + timedelta(days=number), room.bottom()
            for at, tag in enumerate(tags):
                count = sum(one.count for one in self.counts if (one.day, one.tag) == (day, tag))
                height = room.height() * count / most
                painter.setBrush(self.shade(at, len(tags)))
                gap = min(6.0, 0.2 * step)
                left = room.left() + number * step + gap / 2
                painter.drawRect(QRectF(left, base - height, step - gap, height))
                base -= height
        painter.setPen(QColor(self.theme.soft))
        line = QRectF(room.left(), room.bottom() + 2, room.width(), FOOT)
        painter.drawText(
            line, Qt.AlignmentFlag.AlignLeft, QLocale().toString(QDate(first), "d MMM")
        )
        painter.drawText(line, Qt.AlignmentFlag.AlignRight, tr("today"))

    def _legend(self, painter: QPainter, tags: list[str], room: QRectF) -> None:
        """What the shades mean, from the right; no more than there is room for."""
        if tags == [""]:
            return
        right, metrics = room.right(), painter.fontMetrics()
        for at, tag in reversed(list(enumerate(tags))):
            text = tag or tr("no tag")
            width = metrics.horizontalAdvance(text) + 22
            if right - width < room.left() + 60:
                return
            painter.setPen(QColor(self.theme.soft))
            painter.drawText(
                QRectF(right - width + 16, 2, width, TOP), Qt.AlignmentFlag.AlignLeft, text
            )
            painter.fillRect(QRectF(right - width, 6, 10, 10), self.shade(at, len(tags)))
            right -= width + 10
