"""The hand that places logos and captions: picks, moves, scales and turns them."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF, QTransform

from nimble_tile.core.language import marked, tr
from nimble_tile.ui.bench.hands.base import Hand, Modifiers, arrow_step
from nimble_tile.ui.bench.hands.placing import KNOB, NO_SNAP_KEY, STALK
from nimble_tile.ui.kit import theme as themes

if TYPE_CHECKING:
    from nimble_tile.ui.work.session import Session

SNAP = 8
"""Screen pixels within which an item's middle snaps to the code's."""

TURN_STEP = 15
"""Degrees to which a turn snaps."""

ANGLE_SNAP = 4
"""Degrees within which it does."""


SIZE_RANGES = {marked("logo"): (0.02, 2.0), marked("caption"): (0.02, 0.6)}
"""Least and most size of an item, in parts of the symbol's side."""


@dataclass(frozen=True)
class Handled:
    """An item as it is handled, in modules of the symbol, its quiet zone not counted.

    Attributes
    ----------
    x, y : float
        Its middle.
    width, height : float
        Before turning.
    angle : float
        Degrees clockwise.
    """

    x: float
    y: float
    width: float
    height: float
    angle: float

    def corners(self) -> list[tuple[float, float]]:
        """Top left, top right, bottom right, bottom left."""
        turn = math.radians(self.angle)
        cos, sin = math.cos(turn), math.sin(turn)
        w, h = self.width / 2, self.height / 2
        return [
            (self.x + dx * cos - dy * sin, self.y + dx * sin + dy * cos)
            for dx, dy in ((-w, -h), (w, -h), (w, h), (-w, h))
        ]


class LaidHand(Hand):
    """Handles of the chosen logo or caption.

    Parameters
    ----------
    bench : Bench
    role : {"logo", "caption"}

    Signals
    -------
    chosen : int
        Another item was picked: its number.
    placed : int, Handled, float
        It is being placed: number, where it is now, and the ratio of its size to the one
        that it had when it was grabbed.
    ended
        The gesture is over.
    removed : int
        The chosen item is to go.
    """

    chosen = Signal(int)
    placed = Signal(int, object, float)
    ended = Signal()
    removed = Signal(int)

    def __init__(self, bench, role: str) -> None:
        super().__init__(bench)
        self.role = role
        self.index = 0
        self.hover = ""
        self._now: Handled | None = None  # while it is held
        self._held_map: QTransform | None = None
        self._grab: tuple[str, tuple[float, float], Handled] | None = None
        self._guides = (False, False)

    @property
    def ready(self) -> bool:
        shown = self.bench.shown
        return (
            self.bench.image is not None
            and shown is not None
            and shown.rendering is not None
            and shown.rendering.laid is not None
        )

    @property
    def _side(self) -> int:
        return self.bench.shown.rendering.symbol.side

    def item(self, role: str, index: int) -> Handled | None:
        """Where an item lies, as it was rendered last."""
        if not self.ready:
            return None
        rendering = self.bench.shown.rendering
        box = rendering.laid.boxes.get((role, index))
        if box is None:
            return None
        (x, y), width, height, angle = box
        quiet = rendering.quiet_zone
        return Handled(x - quiet, y - quiet, width, height, angle)

    @property
    def current(self) -> Handled | None:
        """The chosen item, where it is being held."""
        return self._now or self.item(self.role, self.index)

    def _map(self) -> QTransform | None:
        """From modules to the bench; while something is held, as it was when it was grabbed.

        Without a picture the image grows with what is dragged out of it: with the map of
        the newest image the item would run away from the pointer.
        """
        return self._held_map or self.bench.module_transform()

    def _to_modules(self, at: QPointF) -> tuple[float, float] | None:
        made = self._map()
        if made is None:
            return None
        back, possible = made.inverted()
        return back.map(at).toTuple() if possible else None

    def quad(self, item: Handled) -> list[QPointF]:
        """Corners on the bench."""
        made = self._map()
        return [made.map(QPointF(x, y)) for x, y in item.corners()]

    def _knob(self, quad: list[QPointF]) -> QPointF:
        top = (quad[0] + quad[1]) / 2
        away = top - (quad[0] + quad[2]) / 2
        length = max(1.0, math.hypot(away.x(), away.y()))
        return top + away / length * STALK

    def _at(self, at: QPointF) -> tuple[str, int]:
        """What lies under a point: a part of the chosen item, or another item to pick."""
        current = self.current
        if current is not None:
            quad = self.quad(current)
            if (self._knob(quad) - at).manhattanLength() < KNOB * 1.4:
                return "turn", self.index
            for number, corner in enumerate(quad):
                if (corner - at).manhattanLength() < KNOB * 1.4:
                    return tr("corner {number}", number=number), self.index
            if QPolygonF(quad).containsPoint(at, Qt.FillRule.OddEvenFill):
                return "item", self.index
        boxes = self.bench.shown.rendering.laid.boxes if self.ready else {}
        for role, index in sorted(boxes, reverse=True):
            other = self.item(role, index)
            if role == self.role and QPolygonF(self.quad(other)).containsPoint(
                at, Qt.FillRule.OddEvenFill
            ):
                return "item", index
        return "", -1

    def cursor(self, at: QPointF) -> Qt.CursorShape | None:
        if not self.ready or self._map() is None:
            return None
        part, _ = self._at(at)
        if part != self.hover:
            self.hover = part
            self.bench.update()
        if not part:
            return None
        if part == "item":
            return Qt.CursorShape.SizeAllCursor
        if part == "turn":
            return Qt.CursorShape.PointingHandCursor
        return Qt.CursorShape.SizeFDiagCursor

    def press(self, at: QPointF, modifiers: Modifiers) -> bool:
        if not self.ready or self._map() is None:
            return False
        part, index = self._at(at)
        start = self._to_modules(at)
        if not part or start is None:
            return False
        if index != self.index:
            self.index = index
            self.chosen.emit(index)
        item = self.item(self.role, self.index)
        if item is None:
            return False
        self._held_map = self._map()
        self._grab = (part, start, item)
        self._now = item
        return True

    def move(self, at: QPointF, modifiers: Modifiers) -> None:
        now = self._to_modules(at)
        if self._grab is None or now is None:
            return
        part, start, item = self._grab
        snaps = not modifiers & NO_SNAP_KEY
        self._guides = (False, False)
        ratio = 1.0
        if part == "item":
            moved = replace(item, x=item.x + now[0] - start[0], y=item.y + now[1] - start[1])
            if snaps:
                moved = self._snapped(moved)
        elif part == "turn":
            before = math.atan2(start[1] - item.y, start[0] - item.x)
            after = math.atan2(now[1] - item.y, now[0] - item.x)
            angle = item.angle + math.degrees(after - before)
            angle = (angle + 180) % 360 - 180
            step = round(angle / TURN_STEP) * TURN_STEP
            if snaps and abs(angle - step) < ANGLE_SNAP:
                angle = float(step)
            moved = replace(item, angle=max(-180.0, min(180.0, angle)))
        else:
            was = math.hypot(start[0] - item.x, start[1] - item.y)
            ratio = math.hypot(now[0] - item.x, now[1] - item.y) / max(was, 1e-6)
            ratio = min(20.0, max(0.05, ratio))
            moved = replace(item, width=item.width * ratio, height=item.height * ratio)
        self._now = moved
        self.placed.emit(self.index, moved, ratio)
        self.bench.update()

    def _snapped(self, item: Handled) -> Handled:
        """The item with its middle on the code's, where it is near."""
        made = self._map()
        middle = self._side / 2
        unit = math.hypot(*(made.map(QPointF(1, 0)) - made.map(QPointF(0, 0))).toTuple())
        near = SNAP / max(unit, 1e-6)
        upright, across = abs(item.x - middle) < near, abs(item.y - middle) < near
        self._guides = (upright, across)
        return replace(item, x=middle if upright else item.x, y=middle if across else item.y)

    def release(self) -> None:
        if self._grab is not None:
            self._grab = self._now = self._held_map = None
            self._guides = (False, False)
            self.ended.emit()
            self.bench.update()

    def give_up(self) -> None:
        if self._grab is not None:
            self.placed.emit(self.index, self._grab[2], 1.0)
            self.release()

    def key(self, event: QKeyEvent) -> bool:
        item = self.item(self.role, self.index)
        if item is None:
            return False
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.removed.emit(self.index)
            return True
        by = arrow_step(event, 0.1, 1.0)
        if by is None:
            return False
        dx, dy = by
        self.placed.emit(self.index, replace(item, x=item.x + dx, y=item.y + dy), 1.0)
        return True

    def paint(self, painter: QPainter) -> None:
        item = self.current
        made = self._map()
        if item is None or made is None:
            return
        # The handles follow the pointer; the image follows them once it is let go.
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        light, dark = QColor("#ffffff"), QColor(themes.LIGHT.accent)
        side, middle = float(self._side), self._side / 2
        for on, start, end in (
            (self._guides[0], (middle, 0.0), (middle, side)),
            (self._guides[1], (0.0, middle), (side, middle)),
        ):
            if on:
                ends = made.map(QPointF(*start)), made.map(QPointF(*end))
                painter.setPen(QPen(light, 3))
                painter.drawLine(*ends)
                painter.setPen(QPen(dark, 1, Qt.PenStyle.DashLine))
                painter.drawLine(*ends)
        if self.hover or self._grab or self.bench.hasFocus() or self.bench.underMouse():
            quad = self.quad(item)
            knob = self._knob(quad)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for pen in (QPen(light, 3), QPen(dark, 1)):
                painter.setPen(pen)
                painter.drawPolygon(QPolygonF(quad))
                painter.drawLine((quad[0] + quad[1]) / 2, knob)
            painter.setPen(QPen(dark, 1.5))
            painter.setBrush(light)
            painter.drawEllipse(knob, KNOB / 2 + 1, KNOB / 2 + 1)
            for corner in quad:
                half = KNOB / 2
                painter.drawRect(int(corner.x() - half), int(corner.y() - half), KNOB, KNOB)
        painter.restore()


class ItemPlacing(QObject):
    """Turns what a hand does to logos or captions into edits of the piece."""

    def __init__(self, hand: LaidHand, session: Session) -> None:
        super().__init__(hand)
        self._hand, self._session = hand, session
        self._size_before: float | None = None  # when it was grabbed
        hand.placed.connect(self._placed)
        hand.ended.connect(self._ended)

    def _placed(self, index: int, at: Handled, ratio: float) -> None:
        role = self._hand.role
        items = getattr(self._session.piece, role).items
        if not 0 <= index < len(items):
            return
        if self._size_before is None:
            self._size_before = items[index].size
        side = self._hand.bench.shown.rendering.symbol.side
        x, y = (min(3.0, max(-2.0, round(v / side, 4))) for v in (at.x, at.y))
        changes: dict[str, object] = {"x": x, "y": y, "angle": round(at.angle, 1)}
        if ratio != 1.0:
            least, most = SIZE_RANGES[role]
            changes["size"] = round(min(most, max(least, self._size_before * ratio)), 4)
        if role == "caption":
            changes["place"] = "free"
        self._session.edit_item(
            role, index, tr("Place the {role}", role=tr(role)), f"place {role}", **changes
        )

    def _ended(self) -> None:
        self._size_before = None
        self._session.part()
