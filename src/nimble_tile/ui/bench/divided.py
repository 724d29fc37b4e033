"""An image that is panned and zoomed, with a dividing line that is dragged."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QMouseEvent

from nimble_tile.ui.bench.view import ImageView
from nimble_tile.ui.kit import theme as themes

LINE_GRIP = 8
"""Pixels of the screen from the line at which it is taken."""


class Divided(ImageView):
    """Heirs give `image`, paint it, and say whether it is `divided` now."""

    divided = True

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.share = 0.5  # of the image to the left of the line
        self._held = ""  # "line" or "view"
        self._from = self._to = self._origin = QPointF()
        self.setMinimumSize(320, 240)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def move_line(self, share: float) -> None:
        """Put the line somewhere, 0 (left) to 1."""
        self.share = min(1.0, max(0.0, share))
        self.update()

    def _on_line(self, at: QPointF) -> bool:
        frame = self.frame
        return self.divided and abs(at.x() - frame.left() - self.share * frame.width()) < LINE_GRIP

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.image is not None:
            at = event.position()
            self._held = "line" if self._on_line(at) else "view"
            self._from, self._to, self._origin = at, at, QPointF(self._offset)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = self._to = event.position()
        if self._held == "line":
            self.move_line((at.x() - self.frame.left()) / self.frame.width())
        elif self._held == "view":
            self._fits = False
            self._offset = self._origin + at - self._from
            self._hold()
            self.update()
        elif self.image is not None:
            on = self._on_line(at)
            self.setCursor(Qt.CursorShape.SplitHCursor if on else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = ""

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.fit()
