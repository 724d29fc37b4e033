"""The hand that drags a rectangle over the image to have it checked."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from nimble_tile.core.language import tr
from nimble_tile.ui.bench.hands.base import Hand, Modifiers
from nimble_tile.ui.bench.overlays import paint_told
from nimble_tile.ui.kit import theme as themes

LEAST_REGION_SIDE = 16
"""Pixels of the image along a side of the rectangle, at least."""


class RegionHand(Hand):
    """One rectangle, then it lets go of the bench.

    Signals
    -------
    dragged : QRectF
        In pixels of the image that the bench shows.
    ended
        It was called off, or the rectangle is too small.
    """

    anywhere = True

    dragged = Signal(QRectF)
    ended = Signal()

    def __init__(self, bench) -> None:
        super().__init__(bench)
        self._from: QPointF | None = None
        self._to = QPointF()

    @property
    def ready(self) -> bool:
        return self.bench.image is not None

    def cursor(self, at: QPointF) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor

    def press(self, at: QPointF, modifiers: Modifiers) -> bool:
        self._from = self._to = at
        return True

    def move(self, at: QPointF, modifiers: Modifiers) -> None:
        self._to = at
        self.bench.update()

    def release(self) -> None:
        area, self._from = self._area(), None
        image = self.bench.image
        if area is None or image is None:
            self.ended.emit()
            return
        whole = QRectF(image.rect())
        corner, far = self.bench.to_image(area.topLeft()), self.bench.to_image(area.bottomRight())
        inside = QRectF(corner, far).intersected(whole)
        if inside.width() < LEAST_REGION_SIDE or inside.height() < LEAST_REGION_SIDE:
            self.ended.emit()
        else:
            self.dragged.emit(inside)

    def give_up(self) -> None:
        self._from = None
        self.ended.emit()

    def key(self, event) -> bool:
        if event.key() == Qt.Key.Key_Escape:
            self.give_up()
            return True
        return False

    def _area(self) -> QRectF | None:
        if self._from is None:
            return None
        return QRectF(self._from, self._to).normalized()

    def paint(self, painter: QPainter) -> None:
        area = self._area()
        if area is None:
            told = tr("Drag a rectangle round what is to be checked; Escape calls it off")
            paint_told(painter, self.bench.width(), told, self.bench.theme)
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (
            QPen(QColor("#ffffff"), 4),
            QPen(QColor(themes.LIGHT.accent), 2, Qt.PenStyle.DashLine),
        ):
            painter.setPen(pen)
            painter.drawRect(area)
