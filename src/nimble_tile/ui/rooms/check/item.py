"""One image that was checked: what is kept of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QIcon,
    QImage,
    QPainter,
    QPixmap,
)

from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.marks import paint_verdict

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.checking.check import Finding
    from nimble_tile.core.checking.report import Entry
    from nimble_tile.core.checking.sources import Source


SHOWN = 1400
"""Longer side, in pixels, of the copy of an image that is kept."""


CROP = 420
"""Longer side, in pixels, of the copy of a code that is kept."""


@dataclass(frozen=True, eq=False)
class CheckedImage:
    """One image that was checked.

    Attributes
    ----------
    entry : Entry
    scale : float
        Pixels of the copy a pixel of the image.
    picture : QImage or None
    crops : tuple of QImage
        Each of its codes from close by.
    again : callable or None
        Opens the image anew, in its full size: many large ones are not kept.
    """

    entry: Entry
    scale: float
    picture: QImage | None
    crops: tuple[QImage, ...] = ()
    again: Callable[[], Source] | None = None

    @property
    def state(self) -> str:
        """The verdict's shape."""
        return "fails" if self.entry.checked is None else self.entry.checked.verdict.state


def reduced(image: np.ndarray) -> tuple[np.ndarray, float]:
    """A copy no larger than `SHOWN`, and its pixels a pixel of the image."""
    import cv2

    scale = SHOWN / max(image.shape[:2])
    if scale >= 1:
        return image, 1.0
    size = max(1, round(image.shape[1] * scale)), max(1, round(image.shape[0] * scale))
    return cv2.resize(image, size, interpolation=cv2.INTER_AREA), scale


def close_up(image: np.ndarray, finding: Finding) -> np.ndarray:
    """A code with a little of its surroundings, no larger than `CROP`."""
    import cv2

    x, y, width, height = finding.box
    more = 0.15 * max(width, height)
    top, left = max(0, int(y - more)), max(0, int(x - more))
    part = image[top : int(y + height + more) + 1, left : int(x + width + more) + 1]
    scale = CROP / max(part.shape[:2])
    if scale >= 1:
        return part
    size = max(1, round(part.shape[1] * scale)), max(1, round(part.shape[0] * scale))
    return cv2.resize(part, size, interpolation=cv2.INTER_AREA)


def state_icon(state: str, theme: themes.Theme, ratio: float) -> QIcon:
    """A verdict's shape as an icon."""
    pixmap = QPixmap(QSize(16, 16) * ratio)
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    colour = QColor(themes.verdict_colour(theme, state))
    paint_verdict(painter, QRectF(1, 1, 14, 14), state, colour, QColor(theme.field))
    painter.end()
    return QIcon(pixmap)
