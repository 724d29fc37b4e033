"""The hand that paints masks: brush, flood, rough stroke, each adding or taking away."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPainterPath, QPen

from nimble_tile.core.picture.strokes import Stroke
from nimble_tile.ui.bench.hands.base import Hand, Modifiers
from nimble_tile.ui.kit import theme as themes

ERASES = Qt.KeyboardModifier.ShiftModifier
"""Held down, what adds takes away and the other way round."""


class BrushHand(Hand):
    """Paints with a round brush whose size is seen at the pointer.

    Parameters
    ----------
    bench : Bench
    target : {"guard", "cut_out", "plate"}
        What its strokes are for.

    Signals
    -------
    painted : Stroke
        A stroke is finished.
    sized : float
        The keyboard changed the brush's size, in parts of the picture's shorter side.
    """

    painted = Signal(object)
    sized = Signal(float)

    def __init__(self, bench, target: str) -> None:
        super().__init__(bench)
        self.target = target
        self.tool = "brush"
        self.adds = True
        self.size = 0.08  # diameter, in parts of the framed picture's shorter side
        self.softness = 0.4
        self.tolerance = 0.12
        self._points: list[QPointF] = []  # on the picture
        self._over: QPointF | None = None
        self._swapped = False

    @property
    def diameter(self) -> float:
        """In pixels of the framed picture."""
        return max(1.0, self.size * min(self.bench.extent))

    @property
    def width(self) -> float:
        """Diameter in screen pixels."""
        return self.diameter * self.bench.unit

    def to_target(self, at: QPointF) -> QPointF:
        """A point of the bench where it is painted: on the framed picture."""
        return self.bench.to_picture(at)

    def from_target(self, at: QPointF) -> QPointF:
        """The reverse of `to_target`."""
        return self.bench.from_picture(*at.toTuple())

    @property
    def _adds_now(self) -> bool:
        return self.adds != self._swapped

    def cursor(self, at: QPointF) -> Qt.CursorShape | None:
        if not self.ready:
            return None
        self._over = at
        self.bench.update()
        return Qt.CursorShape.CrossCursor if self.tool == "flood" else Qt.CursorShape.BlankCursor

    def press(self, at: QPointF, modifiers: Modifiers) -> bool:
        if not self.ready:
            return False
        self._swapped = bool(modifiers & ERASES)
        self._points = [self.to_target(at)]
        self._over = at
        if self.tool == "flood":
            self.release()
        self.bench.update()
        return True

    def move(self, at: QPointF, modifiers: Modifiers) -> None:
        self._over = at
        if self._points:
            self._points.append(self.to_target(at))
        self.bench.update()

    def release(self) -> None:
        points, self._points = self._points, []
        if points:
            self.painted.emit(
                Stroke(
                    self.target, self.tool, self._adds_now, tuple(p.toTuple() for p in points),
                    self.diameter, self.softness, self.tolerance,
                )
            )  # fmt: skip
        self.bench.update()

    def give_up(self) -> None:
        self._points = []
        self.bench.update()

    def left(self) -> None:
        """The pointer is no longer over the bench."""
        self._over = None
        self.bench.update()

    def key(self, event: QKeyEvent) -> bool:
        factor = {Qt.Key.Key_Down: 0.8, Qt.Key.Key_Up: 1.25}.get(event.key())
        if factor is None:
            return False
        self.size = min(0.6, max(0.005, self.size * factor))
        self.sized.emit(self.size)
        self.bench.update()
        return True

    def paint(self, painter: QPainter) -> None:
        if not self.ready:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width = self.width
        if self._points and self.tool != "flood":
            path = QPainterPath(self.from_target(self._points[0]))
            for point in self._points[1:]:
                path.lineTo(self.from_target(point))
            if len(self._points) == 1:
                path.lineTo(path.currentPosition() + QPointF(0.01, 0))
            colour = QColor(themes.LIGHT.accent if self._adds_now else "#ffffff")
            colour.setAlphaF(0.45)
            pen = QPen(colour, width)
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.strokePath(path, pen)
        if self._over is not None and self.tool != "flood":
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for pen in (QPen(QColor("#ffffff"), 3), QPen(QColor(themes.LIGHT.accent), 1.2)):
                painter.setPen(pen)
                painter.drawEllipse(self._over, width / 2, width / 2)
        painter.restore()
