"""Images from arrays and back, as files, from the clipboard, dropped."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QIODevice, QMimeData
from PySide6.QtGui import QColor, QDropEvent, QImage, QPainter

from nimble_tile.core.language import tr

if TYPE_CHECKING:
    import numpy as np

PICTURES = tr("Pictures (*.png *.jpg *.jpeg *.webp *.tif *.tiff)")
"""What file dialogs offer where a picture is asked for."""


def paths_in(mime: QMimeData | None) -> list[Path]:
    """Local files that lie there."""
    if mime is None:  # nothing at all lies on the clipboard
        return []
    return [Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()]


def image_in(mime: QMimeData | None) -> QImage:
    """The image that lies there; a null image where there is none."""
    return QImage(mime.imageData()) if mime is not None and mime.hasImage() else QImage()


def welcome(event: QDropEvent) -> None:
    """Let files and images be dropped."""
    if event.mimeData().hasImage() or paths_in(event.mimeData()):
        event.acceptProposedAction()


def as_png(image: QImage) -> bytes:
    """An image as a PNG file."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(buffer.data().data())


def to_qimage(pixels: np.ndarray) -> QImage:
    """A QImage with its own copy of the pixels (uint8 sRGB, H × W × 3, or × 4 with alpha)."""
    import numpy as np

    height, width, channels = pixels.shape
    pixels = np.ascontiguousarray(pixels)
    if channels == 4:
        image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_RGBA8888)
        return image.convertToFormat(QImage.Format.Format_ARGB32_Premultiplied)
    image = QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888)
    return image.convertToFormat(QImage.Format.Format_RGB32)


def from_qimage(image: QImage) -> np.ndarray:
    """Pixels of a QImage (uint8, H × W × 3), transparent parts on white."""
    import numpy as np

    flat = QImage(image.size(), QImage.Format.Format_RGB888)
    flat.fill(QColor("#ffffff"))
    painter = QPainter(flat)
    painter.drawImage(0, 0, image)
    painter.end()
    width, height, step = flat.width(), flat.height(), flat.bytesPerLine()
    rows = np.frombuffer(flat.constBits(), np.uint8, height * step).reshape(height, step)
    return rows[:, : 3 * width].reshape(height, width, 3).copy()
