"""Masks over the original picture: painting, flood selection, refinement by graph cut.

A mask is uint8 H × W of the original's proportions, its longer side at most
`LONGEST_MASK_SIDE`, 255 = chosen. Points are (x, y) in pixels of the mask.

References
----------
C. Rother, V. Kolmogorov, A. Blake, "GrabCut: interactive foreground extraction
using iterated graph cuts", ACM Transactions on Graphics 23(3), 2004 (by OpenCV).
"""

from __future__ import annotations

import io
from collections.abc import Sequence

import numpy as np

from nimble_tile.core.artwork import Point

LONGEST_MASK_SIDE = 2048
"""Longer side of a mask in pixels: finer than a feathered edge ever is."""

LEAST_MASK_SIDE = 16
"""Shorter side of a mask at least."""

CUT_SIDE = 480
"""Longer side at which graph cuts are made; they take a second there."""


def mask_size(size: tuple[int, int]) -> tuple[int, int]:
    """Width and height of the masks of a picture of this size."""
    scale = min(1.0, LONGEST_MASK_SIDE / max(size))
    return max(LEAST_MASK_SIDE, round(size[0] * scale)), max(
        LEAST_MASK_SIDE, round(size[1] * scale)
    )


def empty(size: tuple[int, int], value: int = 0) -> np.ndarray:
    """A mask of one value for a picture of this width and height."""
    width, height = mask_size(size)
    return np.full((height, width), value, np.uint8)


def as_file(mask: np.ndarray) -> bytes:
    """The mask as a grey PNG, the same bytes for the same mask."""
    from PIL import Image

    file = io.BytesIO()
    Image.fromarray(mask).save(file, "PNG", compress_level=3)
    return file.getvalue()


def painted(
    mask: np.ndarray, points: Sequence[Point], radius: float, softness: float, value: int = 255
) -> np.ndarray:
    """The mask after a stroke of the brush (255) or the eraser (0).

    Parameters
    ----------
    mask : ndarray of uint8, H × W
    points : sequence of (float, float)
        Where the brush went.
    radius : float
        Of the brush, in pixels of the mask.
    softness : float
        Part of the radius, 0 to 1, over which the brush fades.
    value : int
        What it paints.
    """
    import cv2

    if not points:
        return mask
    radius = max(0.5, radius)
    at = np.asarray(points, float)
    low = np.floor(at.min(0) - 2 * radius - 2).astype(int)
    high = np.ceil(at.max(0) + 2 * radius + 3).astype(int)
    left, top = (int(v) for v in np.maximum(low, 0))
    right, bottom = (int(v) for v in np.minimum(high, (mask.shape[1], mask.shape[0])))
    if left >= right or top >= bottom:
        return mask
    away = np.full((bottom - top, right - left), 255, np.uint8)
    # Distance to the stroke's spine, exact to a sixteenth of a pixel at its joints.
    fine = np.rint((at - (left, top)) * 16).astype(np.int32)
    if len(fine) == 1:
        fine = np.repeat(fine, 2, axis=0)
    cv2.polylines(away, [fine.reshape(-1, 1, 2)], False, 0, 1, cv2.LINE_8, 4)
    distance = cv2.distanceTransform(away, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    soft = max(softness * radius, 1.0)
    strength = np.clip((radius + 0.5 - distance) / soft, 0, 1)
    out = mask.copy()
    part = out[top:bottom, left:right].astype(np.float32)
    wanted = value * strength + part * (1 - strength)
    # Going over an area twice with a soft brush must not undo the first stroke.
    wanted = np.maximum(part, wanted) if value == 255 else np.minimum(part, wanted)
    out[top:bottom, left:right] = np.rint(wanted).astype(np.uint8)
    return out


def flooded(
    mask: np.ndarray, picture: np.ndarray, at: Point, tolerance: float, value: int = 255
) -> np.ndarray:
    """The mask with the area of like colour round a point added, or taken away with 0.

    Parameters
    ----------
    mask : ndarray of uint8, H × W
    picture : ndarray of uint8, H × W × 3
        The original at the mask's size.
    at : (float, float)
    tolerance : float
        Greatest difference from the colour at the point, 0 to 1, in each channel.
    """
    import cv2

    height, width = mask.shape
    x, y = int(at[0]), int(at[1])
    if not (0 <= x < width and 0 <= y < height):
        return mask
    found = np.zeros((height + 2, width + 2), np.uint8)
    reach = (tolerance * 255,) * 3
    flags = 4 | (255 << 8) | cv2.FLOODFILL_MASK_ONLY | cv2.FLOODFILL_FIXED_RANGE
    # A little smoothing first, so that noise of a single pixel does not stop the flood fill.
    calm = cv2.GaussianBlur(picture, (0, 0), 0.8)
    cv2.floodFill(calm, found, (x, y), 0, reach, reach, flags)
    out = mask.copy()
    out[found[1:-1, 1:-1] == 255] = value
    return out


def refined(mask: np.ndarray, picture: np.ndarray, rounds: int = 4) -> np.ndarray:
    """The subject that a rough stroke lies on, by graph cut.

    What is painted is taken to be subject for sure; the picture's border, where
    nothing is painted, background; all between is decided by colour and edges.

    Parameters
    ----------
    mask : ndarray of uint8, H × W
        The rough stroke.
    picture : ndarray of uint8, H × W × 3
        The original at the mask's size.

    Returns
    -------
    ndarray of uint8, H × W
        The stroke itself where it covers nothing, everything, or no subject
        can be told.
    """
    import cv2

    scale = min(1.0, CUT_SIDE / max(mask.shape))
    extent = (max(8, round(mask.shape[1] * scale)), max(8, round(mask.shape[0] * scale)))
    small = cv2.resize(picture, extent, interpolation=cv2.INTER_AREA)
    rough = cv2.resize(mask, extent, interpolation=cv2.INTER_AREA)
    sure = rough > 200
    if not sure.any() or sure.all():
        return mask
    label = np.full(rough.shape, cv2.GC_PR_BGD, np.uint8)
    # Pixels near the stroke are probably subject, pixels far away probably not.
    reach = max(3.0, 0.12 * max(extent))
    distance = cv2.distanceTransform((~sure).astype(np.uint8), cv2.DIST_L2, 5)
    label[distance < reach] = cv2.GC_PR_FGD
    rim = max(1, round(0.01 * max(extent)))
    edge = np.ones(rough.shape, bool)
    edge[rim:-rim, rim:-rim] = False
    label[edge & (distance > rim)] = cv2.GC_BGD
    label[sure] = cv2.GC_FGD
    cv2.setRNGSeed(1)
    models = np.zeros((1, 65)), np.zeros((1, 65))
    bgr = np.ascontiguousarray(small[..., ::-1])
    try:
        cv2.grabCut(bgr, label, None, *models, rounds, cv2.GC_INIT_WITH_MASK)
    except cv2.error:
        return mask  # too few samples on one side to tell anything
    subject = np.isin(label, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8) * 255
    subject = _with_stroke(subject, sure)
    large = cv2.resize(subject, mask.shape[1::-1], interpolation=cv2.INTER_CUBIC)
    # Smooths the stair steps of the cut that was made at a small size.
    smooth = cv2.GaussianBlur(large, (0, 0), 0.6 / scale)
    steep = np.clip((smooth.astype(np.float32) - 127.5) * 3 + 127.5, 0, 255)
    return np.rint(steep).astype(np.uint8)


def _with_stroke(subject: np.ndarray, sure: np.ndarray) -> np.ndarray:
    """Only the parts of the subject that the stroke touches."""
    import cv2

    _, parts = cv2.connectedComponents(subject, connectivity=4)
    touched = np.unique(parts[sure])
    return np.where(np.isin(parts, touched[touched > 0]), subject, 0).astype(np.uint8)
