"""The picture in the mend window: before, mended, or what was changed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
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

from nimble_tile.ui import theme as themes
from nimble_tile.ui.overlays import paint_split, paint_words
from nimble_tile.ui.view import View

if TYPE_CHECKING:
    import numpy as np

LEAST = 6
"""Pixels of the screen along a side of a rectangle, at least."""


class MendView(View):
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
        self.theme = themes.LIGHT
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
        self._from: QPointF | None = None
        self._to = QPointF()
        self._origin = QPointF()
        self.setMinimumSize(320, 240)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture that is mended")

    @property
    def image(self) -> QImage | None:
        return self.before

    def take(self, image: QImage | None) -> None:
        """Show another picture, nothing of it known."""
        self.before, self.after = image, None
        self.region, self.kept = None, []
        self.quad = self.outer = self.changed = self.stays = None
        self.fit()
        self.update()

    def _frame(self) -> QRectF:
        return QRectF(self._offset, QSizeF(self.image.size()) * self._scale)

    def _on_screen(self, area: QRectF) -> QRectF:
        return QRectF(self.from_image(area.topLeft()), self.from_image(area.bottomRight()))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        if self.before is None:
            told = "Drop a finished picture here that does not scan."
            paint_words(painter, QRectF(self.rect()), told, self.theme.soft, 16)
            return
        frame = self._frame()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._scale < 3)
        mended = self.after is not None and self.way != "before"
        painter.drawImage(frame, self.after if mended else self.before)
        if mended and self.way == "split":
            paint_split(painter, frame, self.before, 0.5, self.theme)
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
        drawn = [] if self.region is None else [(self.region, Qt.PenStyle.DashLine)]
        for area, line in drawn:
            self._paint_area(painter, self._on_screen(area), line)
        for area in self.kept:
            spot = self._on_screen(area)
            painter.fillRect(spot, QColor(255, 255, 255, 70))
            painter.fillRect(spot, Qt.BrushStyle.BDiagPattern)
            self._paint_area(painter, spot, Qt.PenStyle.SolidLine)
        if self.draws and self._from is not None:
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
        if self.before is not None:
            self._from = self._to = event.position()
            self._origin = QPointF(self._offset)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is None:
            cross = Qt.CursorShape.CrossCursor if self.draws else Qt.CursorShape.ArrowCursor
            self.setCursor(cross)
            return
        self._to = event.position()
        if not self.draws and (self._to - self._from).manhattanLength() > LEAST:
            self._fits = False
            self._offset = self._origin + self._to - self._from
            self._hold()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._from is None:
            return
        start, end = self._from, event.position()
        self._from = None
        area = QRectF(start, end).normalized()
        if max(area.width(), area.height()) <= LEAST:
            self.clicked.emit(self.to_image(end))
        elif self.draws and min(area.width(), area.height()) >= LEAST:
            corners = QRectF(self.to_image(area.topLeft()), self.to_image(area.bottomRight()))
            inside = corners.intersected(QRectF(self.before.rect()))
            if not inside.isEmpty():
                self.dragged.emit(inside)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.fit()
