"""The hand that paints the plate under the logos, over the code's own square."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF
from PySide6.QtGui import QTransform

from nimble_tile.ui.bench.hands.brush import BrushHand


class PlateHand(BrushHand):
    """A brush whose strokes are in parts of the code's square, quiet zone included."""

    def __init__(self, bench) -> None:
        super().__init__(bench, "plate")
        self.size = 0.06
        self.softness = 0.1

    @property
    def ready(self) -> bool:
        return self.bench.image is not None and self.bench.module_transform() is not None

    def _map(self) -> QTransform:
        """From parts of the square to the bench."""
        rendering = self.bench.shown.rendering
        made = QTransform.fromTranslate(-rendering.quiet_zone, -rendering.quiet_zone)
        return QTransform.fromScale(rendering.modules, rendering.modules) * made * (
            self.bench.module_transform()
        )  # fmt: skip

    @property
    def diameter(self) -> float:
        """In parts of the square."""
        return self.size

    @property
    def width(self) -> float:
        made = self._map()
        across = made.map(QPointF(1, 0.5)) - made.map(QPointF(0, 0.5))
        return max(1.0, self.size * math.hypot(across.x(), across.y()))

    def to_target(self, at: QPointF) -> QPointF:
        back, possible = self._map().inverted()
        return back.map(at) if possible else QPointF()

    def from_target(self, at: QPointF) -> QPointF:
        return self._map().map(at)
