"""The shape that lies between modules and a logo, as a path in module units."""

from __future__ import annotations

import math

import numpy as np

from nimble_tile.core.additions import Backing
from nimble_tile.core.laid.items import Stamp
from nimble_tile.core.symbol.looks.paths import Path, circle, joined, polygon, rounded

TRACED = 400
"""Pixels of the longer side at which a logo's outline is traced, at least."""

LEAST_TRACED = 24
"""Pixels of a tiny logo in a wide margin."""

OPAQUE = 100
"""Alpha, of 255, from which a pixel belongs to the logo."""

OUTLINE_BLUR = 1.6
"""Standard deviation, in traced pixels, by which an outline is smoothed."""

SIMPLE = 0.25
"""Traced pixels by which an outline may be simplified."""


def shape_of(stamp: Stamp, backing: Backing) -> Path:
    """The backing's shape round a logo.

    Parameters
    ----------
    stamp : Stamp
        The logo in its place.
    backing : Backing

    Returns
    -------
    Path
        In modules.
    """
    margin = backing.margin
    width, height = stamp.width + 2 * margin, stamp.height + 2 * margin
    x, y = stamp.middle
    turn = math.radians(stamp.angle)
    if backing.shape == "circle":
        return circle(x, y, _reach(stamp) + margin)
    if backing.shape == "outline":
        return _outline(stamp, margin).moved(turn=turn).moved(x, y)
    radius = backing.corner * min(width, height) / 2 if backing.shape == "rounded" else 0.0
    box = rounded(-width / 2, -height / 2, width, height, (radius,) * 4)
    return box.moved(turn=turn).moved(x, y)


def _reach(stamp: Stamp) -> float:
    """Modules from the logo's middle to its farthest opaque pixel."""
    rows, columns = np.nonzero(stamp.rgba[..., 3] >= OPAQUE)
    height, width = stamp.rgba.shape[:2]
    if not len(rows):
        return max(stamp.width, stamp.height) / 2
    x = (columns + 0.5 - width / 2) * (stamp.width / width)
    y = (rows + 0.5 - height / 2) * (stamp.height / height)
    return float(np.hypot(x, y).max()) + 0.5 * stamp.width / width


def _outline(stamp: Stamp, margin: float) -> Path:
    """The logo's outline grown by a margin, round 0, not turned; holes are filled."""
    import cv2

    from nimble_tile.core.laid.paint import smaller

    # With a wide margin, fewer traced pixels are left for the logo itself.
    longer = max(stamp.width, stamp.height)
    wanted = min(TRACED, max(LEAST_TRACED, 2 * TRACED * longer / (longer + 2 * margin)))
    # The reduced logo is reused for every size that is tried.
    alpha = np.ascontiguousarray(smaller(stamp.rgba, wanted)[..., 3])
    grow = wanted / max(alpha.shape)
    if grow > 1 or grow < 0.6:  # a thin outline must not fall between pixels
        way = cv2.INTER_LINEAR if grow > 1 else cv2.INTER_AREA
        alpha = cv2.resize(alpha, None, fx=grow, fy=grow, interpolation=way)
    scale = max(alpha.shape) / max(stamp.width, stamp.height)  # traced pixels a module
    more = math.ceil(margin * scale + 4 * OUTLINE_BLUR) + 2
    alpha = cv2.copyMakeBorder(alpha, more, more, more, more, cv2.BORDER_CONSTANT, value=0)
    inside = alpha >= OPAQUE
    if not inside.any():
        inside = alpha > 0
    away = cv2.distanceTransform((~inside).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    grown = (away <= margin * scale + 0.5).astype(np.uint8)
    found, _ = cv2.findContours(grown, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    middle = np.array([grown.shape[1], grown.shape[0]]) / 2
    paths = []
    for contour in found:
        if cv2.contourArea(contour) < 4:
            continue
        points = _smoothed(contour[:, 0, :].astype(np.float32))
        points = cv2.approxPolyDP(points[:, None], SIMPLE, True)[:, 0]
        if len(points) > 2:
            at = (points + 0.5 - middle) / scale
            paths.append(polygon([(float(px), float(py)) for px, py in at]))
    if not paths:
        half_w, half_h = stamp.width / 2 + margin, stamp.height / 2 + margin
        return rounded(-half_w, -half_h, 2 * half_w, 2 * half_h, (0, 0, 0, 0))
    return joined(paths)


def _smoothed(points: np.ndarray) -> np.ndarray:
    """A closed contour (m × 2) smoothed along itself, without shrinking by the pixels' half."""
    reach = math.ceil(3 * OUTLINE_BLUR)
    if len(points) < 4 * reach:
        return points
    kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) / OUTLINE_BLUR) ** 2)
    kernel = (kernel / kernel.sum()).astype(np.float32)
    wrapped = np.concatenate([points[-reach:], points, points[:reach]])
    return np.stack(
        [np.convolve(wrapped[:, axis], kernel, mode="valid") for axis in (0, 1)], axis=1
    )
