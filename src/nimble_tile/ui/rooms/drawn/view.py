"""The template, the photo with its four corners, or the drawing set straight."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.bench.overlays import paint_words
from nimble_tile.ui.kit import theme as themes

GRIP = 14.0
"""Pixels of the screen within which a corner is taken hold of."""

STEPS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}  # fmt: skip


class DrawnView(QWidget):
    """A picture, whole; four corners are dragged on it where that is asked for.

    Signals
    -------
    cornered
        A corner was moved by hand.
    pointed : QPointF
        The picture was clicked, (x, y) in parts of it.
    """

    cornered = Signal()
    pointed = Signal(QPointF)

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.image = QImage()
        self.words = ""
        self.quad: np.ndarray | None = None  # in pixels of the image
        self._held = -1
        self._chosen = 0  # the corner that keys move
        self.setMinimumSize(QSize(320, 320))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Template, photo or drawing"))
        self.setAccessibleDescription(
            tr("Tab to it; the keys 1 to 4 choose a corner, arrow keys move it")
        )

    def take(self, image: QImage, quad: np.ndarray | None = None, words: str = "") -> None:
        """Show a picture, with corners or without; `words` where there is none."""
        self.image, self.words = image, words
        self.quad = None if quad is None else np.array(quad, float)
        self._held = -1
        self.update()

    @property
    def frame(self) -> QRectF:
        """Where the picture lies on the widget."""
        size = self.image.size().scaled(
            self.size() - QSize(16, 16), Qt.AspectRatioMode.KeepAspectRatio
        )
        spot = QRectF(0, 0, size.width(), size.height())
        spot.moveCenter(QRectF(self.rect()).center())
        return spot

    def _on_screen(self) -> list[QPointF]:
        frame = self.frame
        scale = frame.width() / max(1, self.image.width())
        return [QPointF(frame.x() + x * scale, frame.y() + y * scale) for x, y in self.quad]

    def _to_image(self, at: QPointF) -> tuple[float, float]:
        frame = self.frame
        scale = max(1, self.image.width()) / max(1.0, frame.width())
        x, y = (at.x() - frame.x()) * scale, (at.y() - frame.y()) * scale
        return (
            float(np.clip(x, 0, self.image.width())), float(np.clip(y, 0, self.image.height())),
        )  # fmt: skip

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        if self.image.isNull():
            paint_words(painter, QRectF(self.rect()), self.words, self.theme.soft, 16)
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.frame, self.image)
        if self.quad is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        points = self._on_screen()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor("#ffffff"), 4), QPen(QColor(themes.LIGHT.accent), 2)):
            painter.setPen(pen)
            painter.drawPolygon(QPolygonF(points))
        painter.setFont(themes.font(13))
        for number, point in enumerate(points):
            own = number == self._chosen and self.hasFocus()
            painter.setPen(QPen(QColor("#ffffff"), 2))
            painter.setBrush(QColor(themes.LIGHT.thin if own else themes.LIGHT.accent))
            painter.drawEllipse(point, 9, 9)
            spot = QRectF(point.x() - 9, point.y() - 9, 18, 18)
            painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, str(number + 1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self.quad is not None and not self.image.isNull():
            away = [(point - at).manhattanLength() for point in self._on_screen()]
            nearest = int(np.argmin(away))
            if away[nearest] <= 2 * GRIP:
                self._held = self._chosen = nearest
                self.update()
        elif self.frame.contains(at):
            frame = self.frame
            self.pointed.emit(
                QPointF((at.x() - frame.x()) / frame.width(), (at.y() - frame.y()) / frame.height())
            )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held >= 0:
            self.quad[self._held] = self._to_image(event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held >= 0:
            self._held = -1
            self.cornered.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if self.quad is not None and Qt.Key.Key_1 <= key <= Qt.Key.Key_4:
            self._chosen = key - Qt.Key.Key_1
            self.update()
        elif self.quad is not None and key in STEPS:
            far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            limits = [self.image.width(), self.image.height()]
            moved = self.quad[self._chosen] + far * np.array(STEPS[key], float)
            self.quad[self._chosen] = np.clip(moved, 0, limits)
            self.cornered.emit()
            self.update()
        else:
            super().keyPressEvent(event)
