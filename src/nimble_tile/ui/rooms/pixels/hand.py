"""The hand that draws pixels on the bench."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen

from nimble_tile.ui.bench.hands.base import Hand, Modifiers
from nimble_tile.ui.kit import theme as themes

KEYS = {
    Qt.Key.Key_P: "pencil", Qt.Key.Key_L: "line", Qt.Key.Key_F: "fill", Qt.Key.Key_K: "pick",
    Qt.Key.Key_E: "erase",
}  # fmt: skip
"""Tools by their key."""

GRID_FROM = 7.0
"""Pixels of the screen a pixel of the drawing from which lines stand between them."""


@dataclass(frozen=True)
class PixelStroke:
    """A finished stroke: the tool, and the pixels (x, y) that the pointer went through."""

    tool: str
    points: tuple[tuple[int, int], ...]


class PixelHand(Hand):
    """Draws pixel by pixel.

    Signals
    -------
    drawn : PixelStroke
    picked : (int, int)
        A pixel whose colour is wanted.
    tooled : str
        A key has chosen a tool.
    """

    drawn = Signal(object)
    picked = Signal(object)
    tooled = Signal(str)

    def __init__(self, bench, mirrored: Callable[[list], list]) -> None:
        super().__init__(bench)
        self.tool = "pencil"
        self.colour = "#000000"
        self.side: tuple[int, int] | None = None  # width and height of the drawing
        self._mirrored = mirrored  # points and their mirror images
        self._points: list[tuple[int, int]] = []
        self._over: tuple[int, int] | None = None

    @property
    def ready(self) -> bool:
        return self.side is not None and super().ready

    def _pixel(self, at: QPointF) -> tuple[int, int]:
        spot = self.bench.to_picture(at)
        return int(spot.x() // 1), int(spot.y() // 1)

    def _inside(self, pixel: tuple[int, int]) -> bool:
        return 0 <= pixel[0] < self.side[0] and 0 <= pixel[1] < self.side[1]

    def cursor(self, at: QPointF) -> Qt.CursorShape | None:
        if not self.ready:
            return None
        pixel = self._pixel(at)
        if pixel != self._over:
            self._over = pixel
            self.bench.update()
        return Qt.CursorShape.CrossCursor if self._inside(pixel) else None

    def press(self, at: QPointF, modifiers: Modifiers) -> bool:
        if not self.ready or not self._inside(self._pixel(at)):
            return False
        pixel = self._pixel(at)
        if self.tool == "pick" or modifiers & Qt.KeyboardModifier.AltModifier:
            self.picked.emit(pixel)
            return True
        self._points = [pixel]
        if self.tool == "fill":
            self.release()
        self.bench.update()
        return True

    def move(self, at: QPointF, modifiers: Modifiers) -> None:
        pixel = self._pixel(at)
        self._over = pixel
        if self._points and pixel != self._points[-1]:
            self._points.append(pixel)
        self.bench.update()

    def release(self) -> None:
        points, self._points = self._points, []
        if points:
            self.drawn.emit(PixelStroke(self.tool, tuple(points)))
        self.bench.update()

    def give_up(self) -> None:
        self._points = []
        self.bench.update()

    def key(self, event: QKeyEvent) -> bool:
        tool = KEYS.get(event.key())
        if tool is None or event.modifiers():
            return False
        self.tooled.emit(tool)
        return True

    def _spot(self, pixel: tuple[int, int]) -> QRectF:
        x, y = pixel
        return QRectF(self.bench.from_picture(x, y), self.bench.from_picture(x + 1, y + 1))

    def _trail(self) -> list[tuple[int, int]]:
        """Pixels that the stroke takes so far."""
        if self.tool != "line" or len(self._points) < 2:
            return _filled(self._points)
        return _filled([self._points[0], self._points[-1]])

    def paint(self, painter: QPainter) -> None:
        if not self.ready:
            return
        unit = self._spot((0, 0)).width()
        painter.save()
        if unit >= GRID_FROM:
            self._paint_grid(painter)
        colour = QColor("#ffffff" if self.tool == "erase" else self.colour)
        if self._points:
            for pixel in self._mirrored(self._trail()):
                painter.fillRect(self._spot(pixel), colour)
        elif self._over is not None and self._inside(self._over) and self.tool != "pick":
            for pixel in self._mirrored([self._over]):
                painter.fillRect(self._spot(pixel), colour)
        if self._over is not None and self._inside(self._over):
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for pen in (QPen(QColor("#ffffff"), 3), QPen(QColor(themes.LIGHT.accent), 1.2)):
                painter.setPen(pen)
                painter.drawRect(self._spot(self._over))
        painter.restore()

    def _paint_grid(self, painter: QPainter) -> None:
        width, height = self.side
        painter.setPen(QPen(QColor(128, 128, 128, 70), 1))
        top, bottom = self.bench.from_picture(0, 0).y(), self.bench.from_picture(0, height).y()
        for x in range(width + 1):
            at = self.bench.from_picture(x, 0).x()
            painter.drawLine(QPointF(at, top), QPointF(at, bottom))
        left, right = self.bench.from_picture(0, 0).x(), self.bench.from_picture(width, 0).x()
        for y in range(height + 1):
            at = self.bench.from_picture(0, y).y()
            painter.drawLine(QPointF(left, at), QPointF(right, at))


def _filled(points: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Pixels along straight lines between some points, each once, in order."""
    found: dict[tuple[int, int], None] = {}
    for number, (x, y) in enumerate(points):
        x0, y0 = points[max(0, number - 1)]
        steps = max(abs(x - x0), abs(y - y0), 1)
        for step in range(steps + 1):
            found[round(x0 + (x - x0) * step / steps), round(y0 + (y - y0) * step / steps)] = None
    return list(found)
