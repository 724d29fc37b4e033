"""The hand that crops: the edges and corners of what is kept of the picture."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from nimble_tile.ui.bench.hands.base import Hand, Modifiers
from nimble_tile.ui.kit import theme as themes

GRIP = 14
"""Screen pixels round an edge or corner within which it is taken."""

LEAST_CROP_SIDE = 48
"""Pixels of the picture that stay at least."""


class CropHand(Hand):
    """Shows the whole picture with what is cut off veiled.

    While this hand holds the bench, the picture is shown uncropped: its crop is
    four numbers (left, top, right, bottom) in pixels of the turned picture.

    Signals
    -------
    cropped : tuple of int
        The new crop, while it is being dragged.
    ended
    """

    cropped = Signal(object)
    ended = Signal()

    def __init__(self, bench) -> None:
        super().__init__(bench)
        self.crop = (0, 0, 0, 0)
        self._grab: tuple[str, QPointF, tuple[int, int, int, int]] | None = None

    def area(self) -> QRectF:
        """What is kept, on the bench."""
        width, height = self.bench.extent
        left, top, right, bottom = self.crop
        return QRectF(
            self.bench.from_picture(left, top),
            self.bench.from_picture(width - right, height - bottom),
        )

    def part_at(self, at: QPointF) -> str:
        """Names of the edges under a point, or ``"inside"``, or none."""
        if not self.ready:
            return ""
        area = self.area()
        if not area.adjusted(-GRIP, -GRIP, GRIP, GRIP).contains(at):
            return ""
        found = [
            name
            for name, away in (
                ("left", abs(at.x() - area.left())), ("right", abs(at.x() - area.right())),
                ("top", abs(at.y() - area.top())), ("bottom", abs(at.y() - area.bottom())),
            )
            if away < GRIP
        ]  # fmt: skip
        return " ".join(found) or "inside"

    def cursor(self, at: QPointF) -> Qt.CursorShape | None:
        part = self.part_at(at)
        if not part:
            return None
        shapes = {
            "inside": Qt.CursorShape.SizeAllCursor,
            "left": Qt.CursorShape.SizeHorCursor, "right": Qt.CursorShape.SizeHorCursor,
            "top": Qt.CursorShape.SizeVerCursor, "bottom": Qt.CursorShape.SizeVerCursor,
            "left top": Qt.CursorShape.SizeFDiagCursor,
            "right bottom": Qt.CursorShape.SizeFDiagCursor,
        }  # fmt: skip
        return shapes.get(part, Qt.CursorShape.SizeBDiagCursor)

    def press(self, at: QPointF, modifiers: Modifiers) -> bool:
        part = self.part_at(at)
        if not part:
            return False
        self._grab = (part, at, self.crop)
        return True

    def move(self, at: QPointF, modifiers: Modifiers) -> None:
        if self._grab is None:
            return
        part, start, (left, top, right, bottom) = self._grab
        width, height = self.bench.extent
        x, y = ((at - start) / self.bench.unit).toTuple()
        if part == "inside":
            x = min(max(x, -left), right)
            y = min(max(y, -top), bottom)
            new = left + x, top + y, right - x, bottom - y
        else:
            if "left" in part:
                left = min(max(0, left + x), width - right - LEAST_CROP_SIDE)
            if "right" in part:
                right = min(max(0, right - x), width - left - LEAST_CROP_SIDE)
            if "top" in part:
                top = min(max(0, top + y), height - bottom - LEAST_CROP_SIDE)
            if "bottom" in part:
                bottom = min(max(0, bottom - y), height - top - LEAST_CROP_SIDE)
            new = left, top, right, bottom
        self._put(tuple(max(0, round(v)) for v in new))

    def _put(self, crop: tuple[int, int, int, int]) -> None:
        if crop != self.crop:
            self.crop = crop
            self.cropped.emit(crop)
            self.bench.update()

    def release(self) -> None:
        if self._grab is not None:
            self._grab = None
            self.ended.emit()

    def give_up(self) -> None:
        if self._grab is not None:
            self._put(self._grab[2])
            self.release()

    def paint(self, painter: QPainter) -> None:
        if not self.ready:
            return
        painter.save()
        area = self.area()
        width, height = self.bench.extent
        whole = QRectF(self.bench.from_picture(0, 0), self.bench.from_picture(width, height))
        veil = QPainterPath()
        veil.addRect(whole)
        kept = QPainterPath()
        kept.addRect(area)
        shade = QColor(self.bench.theme.bench)
        shade.setAlphaF(0.72)
        painter.fillPath(veil.subtracted(kept), shade)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor("#ffffff"), 3), QPen(QColor(themes.LIGHT.accent), 1)):
            painter.setPen(pen)
            painter.drawRect(area)
        painter.setBrush(QColor("#ffffff"))
        painter.setPen(QPen(QColor(themes.LIGHT.accent), 1.5))
        middle = area.center()
        for x, y in (
            (area.left(), middle.y()), (area.right(), middle.y()),
            (middle.x(), area.top()), (middle.x(), area.bottom()),
        ):  # fmt: skip
            painter.drawRect(QRectF(x - 4, y - 4, 8, 8))
        painter.restore()
