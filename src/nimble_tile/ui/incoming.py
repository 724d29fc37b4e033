"""What comes in from the clipboard or is dropped, and images as files."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMimeData
from PySide6.QtGui import QDropEvent, QImage


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
