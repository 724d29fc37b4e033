"""The image that is looked at, with its codes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import (
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes

if TYPE_CHECKING:
    pass
from nimble_tile.ui.rooms.check.item import CheckedImage


class CodesView(QWidget):
    """An image with its codes outlined and numbered; a click chooses one."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.item: CheckedImage | None = None
        self.index = -1
        self.setMinimumHeight(300)
        self.setAccessibleName(tr("Image with its codes"))

    def take(self, item: CheckedImage | None, index: int) -> None:
        """Show an image, with one of its codes chosen (-1: none)."""
        self.item, self.index = item, index
        self.update()

    def _area(self) -> QRectF:
        picture = self.item.picture
        room = QRectF(self.rect()).adjusted(12, 12, -12, -12)
        scale = min(room.width() / picture.width(), room.height() / picture.height(), 4)
        area = QRectF(0, 0, picture.width() * scale, picture.height() * scale)
        area.moveCenter(room.center())
        return area

    def _quads(self) -> list[QPolygonF]:
        if self.item is None or self.item.picture is None or self.item.entry.checked is None:
            return []
        area = self._area()
        scale = area.width() / self.item.picture.width() * self.item.scale
        return [
            QPolygonF([area.topLeft() + QPointF(x, y) * scale for x, y in f.reading.corners])
            for f in self.item.entry.checked.findings
        ]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for index, quad in enumerate(self._quads()):
            if quad.containsPoint(event.position(), Qt.FillRule.OddEvenFill):
                self.chosen.emit(index)
                return

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        if self.item is None or self.item.picture is None:
            painter.setPen(QColor(self.theme.soft))
            painter.setFont(themes.font(16))
            told = tr("Drop images here: every code on them is read and judged.")
            if self.item is not None:
                told = tr("There is no image to be seen.")
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, told)
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self._area(), self.item.picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(themes.font(14, QFont.Weight.Bold))
        for index, quad in enumerate(self._quads()):
            finding = self.item.entry.checked.findings[index]
            colour = QColor(themes.verdict_colour(themes.LIGHT, finding.verdict.state))
            chosen = index == self.index
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor("#ffffff"), 6 if chosen else 4))
            painter.drawPolygon(quad)
            painter.setPen(QPen(colour, 3 if chosen else 1.5))
            painter.drawPolygon(quad)
            # The number stands outside the code, which may be smaller than the badge.
            outer = quad.boundingRect()
            badge = QRectF(0, 0, 24, 24)
            badge.moveCenter(outer.topLeft() - QPointF(12, 12))
            badge.moveLeft(max(2.0, badge.left()))
            badge.moveTop(max(2.0, badge.top()))
            painter.setPen(QPen(QColor("#ffffff"), 2))
            painter.setBrush(colour)
            painter.drawEllipse(badge)
            painter.drawText(badge, Qt.AlignmentFlag.AlignCenter, str(index + 1))
