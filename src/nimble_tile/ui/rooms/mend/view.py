"""The picture in the mend window: before, mended, or what was changed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTransform,
)

from nimble_tile.core.language import tr
from nimble_tile.ui.bench.divided import Divided
from nimble_tile.ui.bench.overlays import paint_split, paint_words
from nimble_tile.ui.kit import theme as themes

if TYPE_CHECKING:
    import numpy as np

LEAST_RECTANGLE_SIDE = 6
"""Pixels of the screen along a side of a rectangle, at least."""


class MendView(Divided):
    """Shows the picture; rectangles are dragged on it.

    Signals
    -------
    dragged : QRectF
        A rectangle was drawn, in pixels of the picture.
    clicked : QPointF
        A place was clicked, in pixels of the picture.
    """

    dragged = Signal(QRectF)
    clicked = Signal(QPointF)

    def __init__(self) -> None:
        super().__init__()
        self.before: QImage | None = None
        self.after: QImage | None = None
        self.way = "mended"  # or "before", "changes", "split"
        self.draws = False  # a rectangle, instead of panning
        self.region: QRectF | None = None  # where the code is, said by hand
        self.kept: list[QRectF] = []  # rectangles that must stay
        self.quad: np.ndarray | None = None  # of the symbol
        self.outer: np.ndarray | None = None  # with its quiet zone
        self.changed: QImage | None = None  # one pixel a module
        self.stays: QImage | None = None  # one pixel a module
        self.setAccessibleName(tr("Picture that is mended"))

    @property
    def image(self) -> QImage | None:
        return self.before

    @property
    def divided(self) -> bool:
        """Whether before and mended stand beside each other."""
        return self.after is not None and self.way == "split"

    def take(self, image: QImage | None) -> None:
        """Show another picture, nothing of it known."""
        self.before, self.after = image, None
        self.region, self.kept = None, []
        self.quad = self.outer = self.changed = self.stays = None
        self.fit()
        self.update()

    def _on_screen(self, area: QRectF) -> QRectF:
        return QRectF(self.from_image(area.topLeft()), self.from_image(area.bottomRight()))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        if self.before is None:
            told = tr("Drop a finished picture here that does not scan.")
            paint_words(painter, QRectF(self.rect()), told, self.theme.soft, 16)
            return
        frame = self.frame
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._scale < 3)
        mended = self.after is not None and self.way != "before"
        painter.drawImage(frame, self.after if mended else self.before)
        if self.divided:
            paint_split(painter, frame, self.before, self.share, self.theme)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.way == "changes":
            self._paint_grid(painter, self.changed)
        self._paint_grid(painter, self.stays)
        if self.quad is not None and (self.after is None or self.way == "changes"):
            self._paint_quad(painter)
        self._paint_areas(painter)

    def _paint_grid(self, painter: QPainter, grid: QImage | None) -> None:
        """A picture of one pixel a module, laid where the modules are."""
        if grid is None or self.outer is None:
            return
        width, height = grid.width(), grid.height()
        corners = ((0, 0), (width, 0), (width, height), (0, height))
        source = QPolygonF([QPointF(x, y) for x, y in corners])
        target = QPolygonF([self.from_image(QPointF(x, y)) for x, y in self.outer])
        bent = QTransform()
        if QTransform.quadToQuad(source, target, bent):
            painter.save()
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
            painter.setTransform(bent, True)
            painter.drawImage(0, 0, grid)
            painter.restore()

    def _paint_quad(self, painter: QPainter) -> None:
        quad = QPolygonF([self.from_image(QPointF(x, y)) for x, y in self.quad])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor("#ffffff"), 4), QPen(QColor(themes.LIGHT.accent), 2)):
            painter.setPen(pen)
            painter.drawPolygon(quad)

    def _paint_areas(self, painter: QPainter) -> None:
        if self.region is not None:
            self._paint_area(painter, self._on_screen(self.region), Qt.PenStyle.DashLine)
        for area in self.kept:
            spot = self._on_screen(area)
            painter.fillRect(spot, QColor(255, 255, 255, 70))
            painter.fillRect(spot, Qt.BrushStyle.BDiagPattern)
            self._paint_area(painter, spot, Qt.PenStyle.SolidLine)
        if self._held == "area":
            self._paint_area(
                painter, QRectF(self._from, self._to).normalized(), Qt.PenStyle.DashLine
            )

    @staticmethod
    def _paint_area(painter: QPainter, spot: QRectF, line: Qt.PenStyle) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor("#ffffff"), 3))
        painter.drawRect(spot)
        painter.setPen(QPen(QColor(themes.LIGHT.accent), 1.5, line))
        painter.drawRect(spot)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if self.draws and self._held == "view":
            self._held = "area"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        # A click of an unsteady hand moves nothing.
        if self._held != "view" or not self._still(event.position()):
            super().mouseMoveEvent(event)
        if self.draws and not self._held:
            self.setCursor(Qt.CursorShape.CrossCursor)
        self.update()

    def _still(self, at: QPointF) -> bool:
        return (at - self._from).manhattanLength() <= LEAST_RECTANGLE_SIDE

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, end = self._held, event.position()
        super().mouseReleaseEvent(event)
        if held in ("view", "area") and self._still(end):
            self.clicked.emit(self.to_image(end))
        elif held == "area":
            area = QRectF(self.to_image(self._from), self.to_image(end)).normalized()
            inside = area.intersected(QRectF(self.before.rect()))
            if not inside.isEmpty():
                self.dragged.emit(inside)
        self.update()
