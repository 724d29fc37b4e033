"""The code's square cut out of a picture where it lies in perspective, and put back.

References
----------
R. Hartley, A. Zisserman, "Multiple View Geometry in Computer Vision", 2nd ed.
2004, section 2.3: plane projective transformations.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.picture.framing import centred_on_pixels
from nimble_tile.core.picture.placing import UNIT, Box, bounds
from nimble_tile.core.strips import strips

LARGEST_SQUARE = 8192
"""Pixels a side of the cut-out square at most."""


CROWDED = 1.4
"""Pixels of the square on one of the image from which twice as many are
computed and averaged, so that module edges do not fray."""


def matrix_to(quad: np.ndarray, side: float = 1.0) -> np.ndarray:
    """From points of an upright square of this side to points of a quad (float64 3 × 3)."""
    source, target = (np.array(UNIT, float) * side).tolist(), np.asarray(quad, float).tolist()
    rows, wanted = [], []
    for (x, y), (u, v) in zip(source, target, strict=True):
        rows.append((x, y, 1, 0, 0, 0, -u * x, -u * y))
        rows.append((0, 0, 0, x, y, 1, -v * x, -v * y))
        wanted += [u, v]
    try:
        return np.append(np.linalg.solve(np.array(rows), np.array(wanted)), 1).reshape(3, 3)
    except np.linalg.LinAlgError:
        import cv2

        square = np.float32(source)
        return cv2.getPerspectiveTransform(square, np.float32(quad)).astype(float)


def mapped(matrix: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Points (… × 2) through a projective matrix."""
    points = np.asarray(points, float)
    homogeneous = np.concatenate([points, np.ones((*points.shape[:-1], 1))], -1) @ matrix.T
    return homogeneous[..., :2] / homogeneous[..., 2:]


def densities(quad: np.ndarray) -> tuple[float, float]:
    """Least and greatest length on the image of one side of the square, over its corners.

    Both are pixels of the image for a whole side, were it drawn everywhere as
    it is at that corner.
    """
    matrix = matrix_to(quad)
    found = []
    for x, y in UNIT:
        u, v, w = matrix @ (x, y, 1)
        du = (matrix[:2, :2] * w - np.outer((u, v), matrix[2, :2])) / w**2
        found += list(np.linalg.svd(du, compute_uv=False))
    return min(found), max(found)


def square_side(quad: np.ndarray) -> int:
    """Pixels of the square that lose nothing of the picture under the quad."""
    return int(min(LARGEST_SQUARE, max(16, np.ceil(densities(quad)[1] - 1e-6))))


def cut(image: np.ndarray, quad: np.ndarray, side: int) -> np.ndarray:
    """The part of an image under a quad as an upright square (uint8 side × side × …)."""
    import cv2

    matrix = centred_on_pixels(matrix_to(quad, side))
    return cv2.warpPerspective(
        image, matrix, (side, side), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip


def upright(image: np.ndarray, box: Box, quad: np.ndarray | None) -> np.ndarray:
    """The square of a picture that a code lies on, upright: from its box, or in perspective."""
    import cv2

    if quad is not None:
        return cut(image, quad, square_side(quad))
    square = image[box.slices]
    if box.width == box.height:
        return np.ascontiguousarray(square)
    side = max(box.width, box.height)
    return cv2.resize(square, (side, side), interpolation=cv2.INTER_LINEAR)


def put_back(
    canvas: np.ndarray, square: np.ndarray, blended: np.ndarray, quad: np.ndarray
) -> np.ndarray:
    """The image with the change from `square` to `blended` on the quad.

    Only the change is carried over, so that the picture keeps its own pixels
    where the blend left it alone.

    Parameters
    ----------
    canvas : ndarray of uint8, H × W × 3
    square, blended : ndarray of uint8, S × S × 3
        Cut out of it, before and after blending.
    quad : ndarray, 4 × 2

    Returns
    -------
    ndarray of uint8, H × W × 3
    """

    out = canvas.copy()
    side = square.shape[0]
    box = bounds(quad, (canvas.shape[1], canvas.shape[0]))
    change = blended.astype(np.int16)
    change -= square
    finer = 2 if side / max(densities(quad)[0], 1) > CROWDED else 1
    for part in strips(box.height):
        rows = Box(box.x, box.y + part.start, box.width, part.stop - part.start)
        out[rows.slices] = _changed(canvas[rows.slices], change, quad, rows, finer)
    return out


def _changed(
    pixels: np.ndarray, change: np.ndarray, quad: np.ndarray, rows: Box, finer: int
) -> np.ndarray:
    import cv2

    local = (quad - np.array([rows.x, rows.y])) * finer
    matrix = centred_on_pixels(matrix_to(local, change.shape[0]))
    extent = (rows.width * finer, rows.height * finer)
    moved = cv2.warpPerspective(
        change, matrix, extent, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT
    )
    if finer > 1:
        moved = cv2.resize(moved, (rows.width, rows.height), interpolation=cv2.INTER_AREA)
    moved += pixels
    return np.clip(moved, 0, 255).astype(np.uint8)
