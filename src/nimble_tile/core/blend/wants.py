"""What a picture wants of each module, for steering."""

from __future__ import annotations

from functools import partial

import numpy as np

from nimble_tile.core.symbol.steering import Wanted

PIXELS = 6
"""Pixels a module at which the picture is looked at."""

LOCAL = 3.0
"""Standard deviation, in modules, of the tone that parts dark from light."""

EYE = 0.5
"""Standard deviation, in modules, of the eye at viewing distance."""

FLAT_WEIGHT = 4.0
"""Weight, in luma of 255, that a module has even where the picture is as its surroundings: a
contrary one shows in a sky, too."""

TEXTURE = 20.0
"""Standard deviation of what the eye sees near a module, of 255, at which a contrary module
shows half as much: it forgives in grass what it sees in the sky."""

CORNER_WEIGHT = 0.6
"""Weight at the code's corners, beside 1 in its middle: the middle is looked at first."""

GUARDED = 3.0
"""Further weight where the guard lies."""


def wants(
    square: np.ndarray, side: int, quiet_zone: int, guard: np.ndarray | None = None
) -> Wanted:
    """Which modules a picture would have dark, and how much each matters.

    Parameters
    ----------
    square : ndarray of uint8, S × S × 3 sRGB
        The picture under the code, upright, quiet zone included.
    side : int
        Modules of the symbol.
    quiet_zone : int
        Modules of margin within the square.
    guard : ndarray of float, m × m, optional
        The guard on the grid of modules, quiet zone included, 0 to 1.

    Returns
    -------
    Wanted
        A module is wanted dark where the picture is darker than its
        surroundings; the weight is the luma between them, less in texture and
        towards the corners, more under the guard.
    """
    import cv2

    modules = side + 2 * quiet_zone
    total = modules * PIXELS
    grey = cv2.cvtColor(square, cv2.COLOR_RGB2GRAY)
    way = cv2.INTER_AREA if grey.shape[0] >= total else cv2.INTER_LINEAR
    fine = cv2.resize(grey, (total, total), interpolation=way).astype(np.float32)
    cells = fine.reshape(modules, PIXELS, modules, PIXELS)
    tones = cells.mean((1, 3))
    seen = cv2.GaussianBlur(fine, (0, 0), EYE * PIXELS)
    near = partial(cv2.GaussianBlur, ksize=(0, 0), sigmaX=0.7 * PIXELS)
    spread = np.sqrt(np.maximum(near(seen * seen) - near(seen) ** 2, 0))
    rough = spread.reshape(modules, PIXELS, modules, PIXELS).mean((1, 3))
    local = cv2.GaussianBlur(tones, (0, 0), LOCAL, borderType=cv2.BORDER_REPLICATE)
    line = np.linspace(-1, 1, modules)
    away = np.minimum(1, np.hypot(*np.meshgrid(line, line)) / np.sqrt(2))
    weight = (
        (np.abs(tones - local) + FLAT_WEIGHT)
        / (1 + rough / TEXTURE)
        * (1 - (1 - CORNER_WEIGHT) * away)
    )
    if guard is not None:
        weight = weight * (1 + GUARDED * guard)
    own = slice(quiet_zone, quiet_zone + side)
    return Wanted((tones < local)[own, own], weight[own, own].astype(float))
