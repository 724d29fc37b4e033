"""The hand that places the code: moves, scales, turns, and pulls free corners."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from nimble_tile.core.language import tr
from nimble_tile.core.picture.placing import CORNERS, inside
from nimble_tile.core.piece import Region
from nimble_tile.ui.bench.hands.base import Hand, Modifiers, arrow_step
from nimble_tile.ui.kit import theme as themes

KNOB = 10
"""Side of a handle, in screen pixels."""

STALK = 26
"""Screen pixels from the code's upper edge to the knob that turns it."""

SNAP = 8
"""Screen pixels within which the code's middle snaps to a line."""

NO_SNAP_KEY = Qt.KeyboardModifier.ControlModifier
"""Held down, nothing snaps."""


class PlacingHand(Hand):
    """Handles at the code's corners, one to turn it, and the code itself.

    Signals
    -------
    placed : Region
        The code is being placed; its new place in picture pixels.
    ended
        The gesture is over.
    refused : str
        A corner was not let where it was pulled, and why; empty when it is again.
    """

    placed = Signal(object)
    ended = Signal()
    refused = Signal(str)

    def __init__(self, bench) -> None:
        super().__init__(bench)
        self.free_corners = False
        self.snaps = True
        self.hover = ""
        self._grab: tuple[str, QPointF, Region] | None = None
        self._guides: tuple[float | None, float | None] = (None, None)
        self._denied = ""

    @property
    def ready(self) -> bool:
        shown = self.bench.shown
        return (
            super().ready
            and shown is not None
            and shown.rendering is not None
            and self.bench.place is not None
        )

    @property
    def busy(self) -> bool:
        return self._grab is not None

    def quad(self, region: Region | None = None) -> list[QPointF]:
        """Corners of the code, or of another place, on the bench."""
        from nimble_tile.core.picture.placing import corners

        region = region or self.bench.place
        return [self.bench.from_picture(x, y) for x, y in corners(region)]

    def knob(self, quad: list[QPointF]) -> QPointF:
        """Where the knob is that turns the code."""
        top = (quad[0] + quad[1]) / 2
        middle = (quad[0] + quad[1] + quad[2] + quad[3]) / 4
        away = top - middle
        length = max(1.0, math.hypot(away.x(), away.y()))
        return top + away / length * STALK

    def part_at(self, at: QPointF) -> str:
        """Which handle lies under a point: a corner, ``"turn"``, ``"code"``, or none."""
        if not self.ready:
            return ""
        quad = self.quad()
        for name, corner in zip(CORNERS, quad, strict=True):
            if (corner - at).manhattanLength() < KNOB * 1.4:
                return name
        if (self.knob(quad) - at).manhattanLength() < KNOB * 1.4:
            return "turn"
        inside_it = QPolygonF(quad).containsPoint(at, Qt.FillRule.OddEvenFill)
        return "code" if inside_it else ""

    def cursor(self, at: QPointF) -> Qt.CursorShape | None:
        part = self.part_at(at)
        if part != self.hover:
            self.hover = part
            self.bench.update()
        if not part:
            return None
        if part == "code":
            return Qt.CursorShape.SizeAllCursor
        if part == "turn":
            return Qt.CursorShape.PointingHandCursor
        if self.free_corners:
            return Qt.CursorShape.CrossCursor
        quad = self.quad()
        arm = quad[CORNERS.index(part)] - (quad[0] + quad[2]) / 2
        falls = arm.x() * arm.y() > 0
        return Qt.CursorShape.SizeFDiagCursor if falls else Qt.CursorShape.SizeBDiagCursor

    def press(self, at: QPointF, modifiers: Modifiers) -> bool:
        part = self.part_at(at)
        if not part:
            return False
        self._grab = (part, at, self.bench.place)
        return True

    def move(self, at: QPointF, modifiers: Modifiers) -> None:
        if self._grab is None:
            return
        from nimble_tile.core.picture import gestures

        part, start, region = self._grab
        size = self.bench.extent
        x, y = ((at - start) / self.bench.unit).toTuple()
        snaps = self.snaps and not modifiers & NO_SNAP_KEY
        self._guides = (None, None)
        denied = ""
        if part == "code":
            reach = SNAP / self.bench.unit if snaps else 0
            new, guides = gestures.moved(region, (x, y), size, reach)
            self._guides = (guides.upright, guides.across)
        elif part == "turn":
            quad = self.quad(region)
            middle = (quad[0] + quad[1] + quad[2] + quad[3]) / 4
            before, after = start - middle, at - middle
            by = math.degrees(math.atan2(after.y(), after.x()) - math.atan2(before.y(), before.x()))
            new = gestures.turned(region, region.angle + by, size, free=not snaps)
        elif self.free_corners:
            new = gestures.bent(region, part, (x, y), size)
            if new is None:
                denied = tr("The corner stays here: farther, the code would be crossed or folded.")
                new = self._farthest(region, part, (x, y))
        else:
            new = gestures.scaled(region, part, (x, y), size)
        if denied != self._denied:
            self._denied = denied
            self.refused.emit(denied)
        self._put(new)

    def _farthest(self, region: Region, part: str, by: tuple[float, float]) -> Region:
        """As far towards the pointer as a corner may go."""
        from nimble_tile.core.picture import gestures

        low, high, best = 0.0, 1.0, region
        for _ in range(12):
            share = (low + high) / 2
            tried = gestures.bent(region, part, (by[0] * share, by[1] * share), self.bench.extent)
            if tried is None:
                high = share
            else:
                low, best = share, tried
        return best

    def release(self) -> None:
        if self._grab is not None:
            self._grab = None
            self._guides = (None, None)
            if self._denied:
                self._denied = ""
                self.refused.emit("")
            self.ended.emit()

    def give_up(self) -> None:
        if self._grab is not None:
            self._put(self._grab[2])
            self.release()

    def key(self, event: QKeyEvent) -> bool:
        by = arrow_step(event, 1, 10)
        if by is None or not self.ready:
            return False
        from nimble_tile.core.picture import gestures

        new, _ = gestures.moved(self.bench.place, by, self.bench.extent)
        self._put(new)
        return True

    def _put(self, region: Region) -> None:
        if region != self.bench.place and inside(region, self.bench.extent, 1.0):
            self.bench.place = region
            self.placed.emit(region)
            self.bench.update()

    def paint(self, painter: QPainter) -> None:
        if not self.ready or not (self.hover or self.busy or self.bench.hasFocus()):
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        quad = self.quad()
        light, dark = QColor("#ffffff"), QColor(themes.LIGHT.accent)
        self._paint_guides(painter, dark)
        knob = self.knob(quad)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        top = (quad[0] + quad[1]) / 2
        for pen in (QPen(light, 3), QPen(dark, 1)):
            painter.setPen(pen)
            painter.drawPolygon(QPolygonF(quad))
            painter.drawLine(top, knob)
        painter.setPen(QPen(dark, 1.5))
        painter.setBrush(light)
        painter.drawEllipse(knob, KNOB / 2 + 1, KNOB / 2 + 1)
        for corner in quad:
            if self.free_corners:
                painter.drawPolygon(
                    QPolygonF([corner + QPointF(*d) * (KNOB * 0.72) for d in
                               ((0, -1), (1, 0), (0, 1), (-1, 0))])
                )  # fmt: skip
            else:
                half = KNOB / 2
                painter.drawRect(int(corner.x() - half), int(corner.y() - half), KNOB, KNOB)
        painter.restore()

    def _paint_guides(self, painter: QPainter, colour: QColor) -> None:
        width, height = self.bench.extent
        upright, across = self._guides
        lines = []
        if upright is not None:
            lines.append((self.bench.from_picture(upright, 0),
                          self.bench.from_picture(upright, height)))  # fmt: skip
        if across is not None:
            lines.append((self.bench.from_picture(0, across),
                          self.bench.from_picture(width, across)))  # fmt: skip
        for start, end in lines:
            painter.setPen(QPen(QColor("#ffffff"), 3))
            painter.drawLine(start, end)
            painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
            painter.drawLine(start, end)
