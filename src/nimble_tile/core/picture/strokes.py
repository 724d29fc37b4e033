"""Strokes of a brush on the masks of a picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from nimble_tile.core.picture import masks
from nimble_tile.core.picture.framing import to_frame

if TYPE_CHECKING:
    from nimble_tile.core.artwork import Frame
    from nimble_tile.core.picture.store import Lease

MOST_POINTS = 4000
"""Points of one stroke that are used; a hand makes a few hundred."""


@dataclass(frozen=True)
class Stroke:
    """What was painted.

    Attributes
    ----------
    target : {"guard", "cut_out", "plate"}
    tool : {"brush", "flood", "rough"}
    adds : bool
        Whether the mask grows.
    points : tuple of (float, float)
        Where the pointer went: pixels of the framed picture; for the plate, parts of the
        code's square, quiet zone included.
    size : float
        Diameter in the same unit.
    softness, tolerance : float
        0 to 1.
    """

    target: str
    tool: str
    adds: bool
    points: tuple[tuple[float, float], ...]
    size: float
    softness: float
    tolerance: float


def on_picture(
    store: Lease, digest: str, frame: Frame, known: str | None, stroke: Stroke
) -> np.ndarray:
    """A picture's mask after a stroke.

    Parameters
    ----------
    store : Lease
    digest : str
        The picture.
    frame : Frame
        How it is turned and cropped; strokes are in pixels of what comes out of that.
    known : str or None
        Digest of the mask before. Without one, a first stroke that takes away starts from
        everything.
    stroke : Stroke

    Returns
    -------
    ndarray of uint8, H × W
        Over the original, at the size of masks.
    """
    size = store.about(digest).size
    mask = masks.empty(size, 0 if stroke.adds else 255) if known is None else store.mask(known)
    matrix = np.vstack([to_frame(size, frame), [0, 0, 1]])
    scale = np.array([mask.shape[1] / size[0], mask.shape[0] / size[1]])
    points = np.array(stroke.points[:MOST_POINTS], float)
    points = cv2.transform(points[None], np.linalg.inv(matrix)[:2])[0] * scale
    enlarged = float(np.sqrt(abs(np.linalg.det(matrix[:2, :2]))))
    radius = stroke.size / 2 / enlarged * float(scale.mean())
    value = 255 if stroke.adds else 0
    at = [tuple(point) for point in points]
    if stroke.tool == "flood":
        return masks.flooded(mask, _original(store, digest, mask), at[0], stroke.tolerance, value)
    if stroke.tool == "rough":
        rough = masks.painted(np.zeros_like(mask), at, radius, 0.0)
        found = masks.refined(rough, _original(store, digest, mask))
        return np.maximum(mask, found) if stroke.adds else np.minimum(mask, 255 - found)
    return masks.painted(mask, at, radius, stroke.softness, value)


def on_plate(store: Lease, known: str | None, stroke: Stroke, side: int) -> np.ndarray:
    """The painted plate (uint8, `side` × `side`) after a stroke in parts of the code's square."""
    mask = np.zeros((side, side), np.uint8) if known is None else store.mask(known)
    at = [(x * side, y * side) for x, y in stroke.points[:MOST_POINTS]]
    value = 255 if stroke.adds else 0
    return masks.painted(mask, at, stroke.size * side / 2, stroke.softness, value)


def _original(store: Lease, digest: str, mask: np.ndarray) -> np.ndarray:
    """The original (uint8 H × W × 3) at the size of its masks."""
    rgb = store.opened(digest).rgb
    return cv2.resize(rgb, (mask.shape[1], mask.shape[0]), interpolation=cv2.INTER_AREA)
