"""An image in a widget, zoomed and panned: where its points are on the screen."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSizeF, Signal
from PySide6.QtGui import QImage, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

if TYPE_CHECKING:
    from nimble_tile.ui.work.engine import Shown

FREE_MARGIN = 24
"""Free space round the fitted image."""

INVITATION = 44
"""Room under the image for the invitation to bring a picture."""


class ImageView(QWidget):
    """Shows `image`, which its heirs provide.

    Signals
    -------
    zoomed : float
        Screen pixels a pixel of the image.
    """

    zoomed = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.shown: Shown | None = None
        self.extent: tuple[int, int] | None = None  # of the framed picture
        self._fits = True
        self._scale = 1.0  # screen pixels a preview pixel
        self._offset = QPointF()  # of the image's corner from the widget's

    @property
    def image(self) -> QImage | None:
        """What is shown; heirs have something."""
        return None

    @property
    def _invites(self) -> bool:
        """Whether there is no picture yet."""
        shown = self.shown
        return shown is not None and self.extent is None and not shown.arranged

    @property
    def unit(self) -> float:
        """Screen pixels a pixel of the framed picture."""
        return self.image.width() * self._scale / self.extent[0]

    def to_picture(self, at: QPointF) -> QPointF:
        """A point of the bench in pixels of the framed picture."""
        return (at - self._offset) / self.unit

    def from_picture(self, x: float, y: float) -> QPointF:
        """A point of the framed picture on the bench."""
        return self._offset + QPointF(x, y) * self.unit

    def from_image(self, at: QPointF) -> QPointF:
        """A point of the preview on the bench."""
        return self._offset + at * self._scale

    def to_image(self, at: QPointF) -> QPointF:
        """A point of the bench in pixels of the preview."""
        return (at - self._offset) / self._scale

    @property
    def scale(self) -> float:
        """Screen pixels a pixel of the preview."""
        return self._scale

    @property
    def frame(self) -> QRectF:
        """Where the image lies on the widget."""
        return QRectF(self._offset, QSizeF(self.image.size()) * self._scale)

    def fit(self) -> None:
        """Show the whole image."""
        self._fits = True
        self._refit()

    def close_up(self) -> None:
        """Fill the bench with the code."""
        image = self.image
        if image is None or self.shown.rendering is None:
            return
        box = self.shown.rendering.box
        self.show_part(QRectF(box.x, box.y, box.width, box.height))

    def show_part(self, part: QRectF) -> None:
        """Fill the widget with a part of the image, in its pixels."""
        room = QSizeF(self.width() - 2 * FREE_MARGIN, self.height() - 2 * FREE_MARGIN)
        self._scale = min(32.0, room.width() / part.width(), room.height() / part.height())
        self._offset = QPointF(self.width(), self.height()) / 2 - part.center() * self._scale
        self._fits = False
        self._hold()
        self.zoomed.emit(self._scale)
        self.update()

    def zoom(self, factor: float, about: QPointF | None = None) -> None:
        """Zoom by a factor, keeping a point of the bench where it is."""
        image = self.image
        if image is None:
            return
        about = about or QPointF(self.rect().center())
        scale = min(32.0, max(0.05, self._scale * factor))
        at = (about - self._offset) / self._scale
        self._scale, self._offset = scale, about - at * scale
        self._fits = False
        self._hold()
        self.zoomed.emit(self._scale)
        self.update()

    def zoom_to(self, scale: float) -> None:
        """Zoom to so many screen pixels a preview pixel."""
        self.zoom(scale / self._scale)

    def _refit(self) -> None:
        image = self.image
        if image is None:
            return
        if self._fits:
            foot = INVITATION if self._invites else 0
            room = QSizeF(self.width() - 2 * FREE_MARGIN, self.height() - 2 * FREE_MARGIN - foot)
            self._scale = max(
                0.02, min(room.width() / image.width(), room.height() / image.height())
            )
            size = QPointF(image.width(), image.height()) * self._scale
            self._offset = (QPointF(self.width(), self.height() - foot) - size) / 2
        self._hold()
        self.zoomed.emit(self._scale)
        self.update()

    def _hold(self) -> None:
        """Keep some of the image in sight."""
        image = self.image
        if image is None or self._fits:
            return
        size = QPointF(image.width(), image.height()) * self._scale
        keep = 60.0
        self._offset = QPointF(
            min(self.width() - keep, max(keep - size.x(), self._offset.x())),
            min(self.height() - keep, max(keep - size.y(), self._offset.y())),
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._refit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.2 ** (event.angleDelta().y() / 120), event.position())
        event.accept()
