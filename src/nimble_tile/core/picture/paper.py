"""What was drawn on paper and photographed: set straight, and freed of the paper's tone.

References
----------
Dividing by the paper, found as what is lightest round each place, is common practice in the
cleaning of scanned pages.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.picture.warping import matrix_to

LEAST_MODULE, MOST_MODULE = 6, 28
"""Pixels a module of a drawing that was set straight."""

LARGEST_INK = 9.0
"""Modules: no dark area of a code is wider, so that the lightest in such a window is paper."""

SMOOTH = 5.0
"""Standard deviation, in modules, of the light on the paper."""

DARK_SHAPE = 0.8
"""Tone, in parts of the smooth light's, below which a place is no paper."""

FITS = 6
"""Times that the smooth light is fitted."""

PAPER_WHITE = 250.0
"""Tone of clean paper, of 255."""

COARSE_MODULE = 4
"""Pixels a module at which the light on the paper is found."""


def straightened(
    image: np.ndarray, quad: np.ndarray, side: int, margin: float
) -> tuple[np.ndarray, float]:
    """A drawing set straight by the corners of its code.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    quad : ndarray of float, 4 × 2
        Corners of the symbol without its quiet zone: top left, top right, bottom right, bottom
        left.
    side : int
        Its modules a side.
    margin : float
        Modules round the symbol that are kept, too; where the picture ends, its edge goes on.

    Returns
    -------
    (ndarray of uint8, S × S × 3, float)
        The drawing, and pixels of a module on it.
    """
    import cv2

    edge = float(np.hypot(*(np.roll(quad, -1, axis=0) - quad).T).mean())
    module = int(np.clip(round(edge / side), LEAST_MODULE, MOST_MODULE))
    size = round((side + 2 * margin) * module)
    # From pixels of the result to modules, and on to the picture.
    scale = np.array([[1 / module, 0, 0.5 / module - margin],
                      [0, 1 / module, 0.5 / module - margin], [0, 0, 1]])  # fmt: skip
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    matrix = half @ matrix_to(quad, side) @ scale
    made = cv2.warpPerspective(
        image, matrix, (size, size), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return made, float(module)


def light_on(image: np.ndarray, module: float) -> np.ndarray:
    """The paper as the lamp lights it, without what is drawn on it (float32 H × W × 3)."""
    import cv2

    height, width = image.shape[:2]
    scale = min(1.0, COARSE_MODULE / module)
    small = cv2.resize(image, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    unit = module * scale
    # Grain and glints are not the paper.
    small = cv2.medianBlur(small, 5)
    window = np.ones((2 * int(LARGEST_INK * unit / 2) + 1,) * 2, np.uint8)
    paper = cv2.morphologyEx(small, cv2.MORPH_CLOSE, window, borderType=cv2.BORDER_REPLICATE)
    paper = np.maximum(paper.astype(np.float32), 1.0)
    # A lamp's light is smooth: what lies far below it is a large dark shape, and no paper.
    smooth = _smooth_light(paper)
    shape = paper.mean(-1, keepdims=True) < DARK_SHAPE * smooth.mean(-1, keepdims=True)
    paper = np.where(shape, smooth, paper)
    paper = cv2.GaussianBlur(paper, (0, 0), SMOOTH * unit)
    return cv2.resize(paper, (width, height), interpolation=cv2.INTER_LINEAR)


def _smooth_light(paper: np.ndarray) -> np.ndarray:
    """A light without edges through the lightest places (float32 h × w × 3): a polynomial of
    the third degree in its logarithm, fitted again without what lies below it."""
    height, width = paper.shape[:2]
    y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
    powers = [(i, j) for i in range(4) for j in range(4 - i)]
    terms = np.stack([x**i * y**j for i, j in powers], -1).reshape(-1, len(powers))
    tones = np.log(paper.reshape(-1, 3))
    level = tones.mean(-1)
    kept = level > np.quantile(level, 0.5)
    for _ in range(FITS):
        factors, *_ = np.linalg.lstsq(terms[kept], tones[kept], rcond=None)
        off = level - (terms @ factors).mean(-1)
        kept = off > np.log(DARK_SHAPE)
    return np.exp(terms @ factors).reshape(height, width, 3).astype(np.float32)


def cleaned(image: np.ndarray, module: float, strength: float = 1.0) -> np.ndarray:
    """A drawing without the tone of its paper and without shadows.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
        Set straight.
    module : float
        Pixels of a module.
    strength : float
        0 (as it is) to 1.

    Returns
    -------
    ndarray of uint8, H × W × 3
        Paper is nearly white everywhere; ink keeps its hue.
    """
    if strength <= 0:
        return image.copy()
    paper = np.maximum(light_on(image, module), 24.0)
    clean = np.minimum(image * (PAPER_WHITE / paper), 255.0)
    return np.rint(image + strength * (clean - image)).astype(np.uint8)
