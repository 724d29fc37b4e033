"""Where the modules of a known symbol lie on an image, finer than a pixel.

Patches of modules are looked for round where they should be; a plane through
all of them puts the corners right. Readers report corners to a pixel or worse.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.picture.warping import mapped, matrix_to

UPRIGHT_PIXELS = 10
"""Pixels a module of the upright view."""

PATCH = 9
"""Modules along a patch."""

PATCH_STEP = 3
"""Modules from one patch to the next."""

SEARCH = 1.0
"""Modules by which a patch may be off."""

LIKE = 0.35
"""Correlation with the symbol from which a patch counts as found."""


@dataclass(frozen=True, eq=False)
class Located:
    """Patches that were found.

    Attributes
    ----------
    grid : ndarray, p × 2
        Their middles in modules, (x, y) from the symbol's corner.
    found : ndarray, p × 2
        Where they lie on the image, in pixels.
    share : float
        Found patches over all, 0 to 1.
    """

    grid: np.ndarray
    found: np.ndarray
    share: float


def upright(plane: np.ndarray, quad: np.ndarray, side: int, margin: int) -> np.ndarray:
    """A symbol upright at `UPRIGHT_PIXELS` pixels a module with some modules of margin.

    Parameters
    ----------
    plane : ndarray, H × W
    quad : ndarray, 4 × 2
        The symbol's corners without quiet zone.
    side : int
        Modules a side.
    margin : int
        Modules round it.
    """
    import cv2

    total = (side + 2 * margin) * UPRIGHT_PIXELS
    # Averaged where the image is finer, interpolated where it is coarser.
    edge = float(np.hypot(*(np.roll(quad, -1, axis=0) - quad).T).mean())
    finer = 2 if edge > side * UPRIGHT_PIXELS else 1
    shift = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    scale = np.diag([1 / (finer * UPRIGHT_PIXELS), 1 / (finer * UPRIGHT_PIXELS), 1])
    scale[:2, 2] = -margin
    view = cv2.warpPerspective(
        plane, shift @ matrix_to(quad, side) @ scale @ np.linalg.inv(shift), (finer * total,) * 2,
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return view if finer == 1 else cv2.resize(view, (total, total), interpolation=cv2.INTER_AREA)


def patches(plane: np.ndarray, quad: np.ndarray, dark: np.ndarray) -> Located:
    """Look for patches of a symbol.

    Parameters
    ----------
    plane : ndarray of uint8 or float32, H × W
    quad : ndarray, 4 × 2
        Where the symbol should lie, without its quiet zone.
    dark : ndarray of bool, n × n
        Its modules.
    """
    import cv2

    side = dark.shape[0]
    margin = int(np.ceil(SEARCH)) + 1
    view = upright(plane, np.asarray(quad, float), side, margin).astype(np.float32)
    pattern = np.kron(
        (~dark).astype(np.float32), np.ones((UPRIGHT_PIXELS, UPRIGHT_PIXELS), np.float32)
    )
    pattern = cv2.GaussianBlur(pattern, (0, 0), 0.2 * UPRIGHT_PIXELS)
    blurred = cv2.GaussianBlur(view, (0, 0), 0.2 * UPRIGHT_PIXELS)
    patch, reach = min(PATCH, side), round(SEARCH * UPRIGHT_PIXELS)
    starts = sorted({*range(0, side - patch + 1, PATCH_STEP), side - patch})
    grid, moved = [], []
    for row in starts:
        for column in starts:
            y, x = row * UPRIGHT_PIXELS, column * UPRIGHT_PIXELS
            template = pattern[y : y + patch * UPRIGHT_PIXELS, x : x + patch * UPRIGHT_PIXELS]
            top, left = y + margin * UPRIGHT_PIXELS - reach, x + margin * UPRIGHT_PIXELS - reach
            area = blurred[
                top : top + patch * UPRIGHT_PIXELS + 2 * reach,
                left : left + patch * UPRIGHT_PIXELS + 2 * reach,
            ]
            scores = cv2.matchTemplate(area, template, cv2.TM_CCOEFF_NORMED)
            offset, score = _peak(scores)
            if score >= LIKE:
                centre = np.array([column + patch / 2, row + patch / 2])
                grid.append(centre)
                moved.append(centre + (offset - reach) / UPRIGHT_PIXELS)
    share = len(grid) / len(starts) ** 2
    if not grid:
        return Located(np.empty((0, 2)), np.empty((0, 2)), 0.0)
    return Located(np.array(grid), mapped(matrix_to(quad, side), np.array(moved)), share)


def refined_corners(plane: np.ndarray, quad: np.ndarray, dark: np.ndarray) -> np.ndarray:
    """The symbol's corners put right; unchanged where too little of it is found."""
    import cv2

    quad = np.asarray(quad, float)
    for _ in range(2):
        seen = patches(plane, quad, dark)
        if len(seen.grid) < 6 or seen.share < 0.3:
            return quad
        matrix, _kept = cv2.findHomography(seen.grid, seen.found)
        if matrix is None:
            return quad
        side = dark.shape[0]
        corners = mapped(matrix, np.array([[0, 0], [side, 0], [side, side], [0, side]], float))
        if not np.isfinite(corners).all():
            return quad
        quad = corners
    return quad


def _peak(scores: np.ndarray) -> tuple[np.ndarray, float]:
    """Place (x, y) of the highest score, between pixels, and the score."""
    row, column = np.unravel_index(int(np.argmax(scores)), scores.shape)

    def between(line: np.ndarray, at: int) -> float:
        if not 0 < at < len(line) - 1:
            return float(at)
        left, middle, right = line[at - 1 : at + 2]
        bend = left - 2 * middle + right
        return at + (0.5 * float((left - right) / bend) if bend < 0 else 0.0)

    place = np.array([between(scores[row], column), between(scores[:, column], row)])
    return place, float(scores[row, column])
