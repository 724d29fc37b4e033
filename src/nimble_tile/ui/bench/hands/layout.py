"""The hand that pulls the place for the piece on a layout."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from nimble_tile.ui.bench.hands.base import Hand, Modifiers, arrow_step
from nimble_tile.ui.bench.hands.placing import KNOB
from nimble_tile.ui.kit import theme as themes


class LayoutHand(Hand):
    """Four corners, and the place as a whole.

    Signals
    -------
    placed : tuple of four (float, float)
        The place's new corners in pixels of the layout's picture.
    ended
        The gesture is over.
    """

    placed = Signal(object)
    ended = Signal()

    def __init__(self, bench) -> None:
        super().__init__(bench)
        self.quad: list[tuple[float, float]] = []  # pixels of the layout's picture
        self.extent = (1, 1)
        self.hover = -1
        self._grab: tuple[int, QPointF, list[tuple[float, float]]] | None = None

    @property
    def ready(self) -> bool:
        shown = self.bench.shown
        return bool(self.quad) and shown is not None and shown.arranged

    @property
    def _unit(self) -> float:
        """Screen pixels a pixel of the layout's picture."""
        return self.bench.image.width() * self.bench.scale / self.extent[0]

    def _points(self) -> list[QPointF]:
        return [self.bench.from_image(QPointF(x, y) * self._unit / self.bench.scale)
                for x, y in self.quad]  # fmt: skip

    def _part_at(self, at: QPointF) -> int:
        """A corner, 4 for the place as a whole, or -1."""
        points = self._points()
        for number, corner in enumerate(points):
            if (corner - at).manhattanLength() < KNOB * 1.4:
                return number
        inside = QPolygonF(points).containsPoint(at, Qt.FillRule.OddEvenFill)
        return 4 if inside else -1

    def cursor(self, at: QPointF) -> Qt.CursorShape | None:
        if not self.ready:
            return None
        part = self._part_at(at)
        if part != self.hover:
            self.hover = part
            self.bench.update()
        return {-1: None, 4: Qt.CursorShape.SizeAllCursor}.get(part, Qt.CursorShape.CrossCursor)

    def press(self, at: QPointF, modifiers: Modifiers) -> bool:
        part = self._part_at(at) if self.ready else -1
        if part < 0:
            return False
        self._grab = (part, at, list(self.quad))
        return True

    def move(self, at: QPointF, modifiers: Modifiers) -> None:
        if self._grab is None:
            return
        part, start, quad = self._grab
        dx, dy = ((at - start) / self._unit).toTuple()
        moved = list(quad)
        for number in range(4) if part == 4 else (part,):
            x, y = quad[number]
            moved[number] = (
                min(max(0.0, x + dx), float(self.extent[0])),
                min(max(0.0, y + dy), float(self.extent[1])),
            )
        self._put(moved)

    def _put(self, moved: list[tuple[float, float]]) -> None:
        import numpy as np

        from nimble_tile.core.picture.placing import possible

        if possible(np.array(moved, float)) and moved != self.quad:
            self.quad = moved
            self.placed.emit(tuple((round(x, 2), round(y, 2)) for x, y in moved))
            self.bench.update()

    def release(self) -> None:
        if self._grab is not None:
            self._grab = None
            self.ended.emit()

    def give_up(self) -> None:
        if self._grab is not None:
            self._put(self._grab[2])
            self.release()

    def key(self, event: QKeyEvent) -> bool:
        by = arrow_step(event, 1.0, 10.0)
        if by is None or not self.ready:
            return False
        dx, dy = by
        moved = [(x + dx, y + dy) for x, y in self.quad]
        inside = all(0 <= x <= self.extent[0] and 0 <= y <= self.extent[1] for x, y in moved)
        if inside:
            self._put(moved)
        return True

    def paint(self, painter: QPainter) -> None:
        if not self.ready:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        light, dark = QColor("#ffffff"), QColor(themes.LIGHT.accent)
        points = self._points()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(light, 3), QPen(dark, 1.2)):
            painter.setPen(pen)
            painter.drawPolygon(QPolygonF(points))
        painter.setBrush(light)
        for corner in points:
            painter.drawPolygon(
                QPolygonF([corner + QPointF(*d) * (KNOB * 0.72) for d in
                           ((0, -1), (1, 0), (0, 1), (-1, 0))])
            )  # fmt: skip
        painter.restore()
