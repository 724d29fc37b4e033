"""What dragging does to the code's place: moving, scaling, turning, free corners, snapping."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from nimble_tile.core.artwork import Point
from nimble_tile.core.picture.placing import (
    CORNERS,
    UNIT,
    centred_square,
    corners,
    inside,
    possible,
)
from nimble_tile.core.piece import Region

LEAST_CODE_SIDE = 48.0
"""Smallest side, in picture pixels, that a corner can be dragged to."""

RIGHT_ANGLES = 3.0
"""Degrees within which turning snaps to a multiple of 15."""

Size = tuple[int, int]


@dataclass(frozen=True)
class Guides:
    """Lines that a gesture has snapped to, in picture pixels."""

    across: float | None = None  # y of a level line
    upright: float | None = None  # x of an upright line


def moved(region: Region, by: Point, size: Size, snap: float = 0) -> tuple[Region, Guides]:
    """The place after moving it; it stays on the picture.

    Parameters
    ----------
    region : Region
        Before the gesture.
    by : (float, float)
        How far, in picture pixels.
    size : (int, int)
        Width and height of the picture.
    snap : float
        Distance, in picture pixels, within which the code's middle snaps to
        the middle and the thirds of the picture; 0: not at all.

    Returns
    -------
    Region
        On whole pixels where it stands upright.
    Guides
    """
    quad = corners(region)
    shift = np.array(by, float)
    middle = quad.mean(0) + shift
    lines: list[float | None] = [None, None]
    for axis in (0, 1):
        for share in (1 / 2, 1 / 3, 2 / 3):
            line = size[axis] * share
            if abs(middle[axis] - line) <= snap:
                shift[axis] += line - middle[axis]
                lines[axis] = line
                break
    shift = np.clip(shift, -quad.min(0), np.maximum(np.array(size) - quad.max(0), -quad.min(0)))
    x, y = region.x + shift[0], region.y + shift[1]
    if region.upright:
        x, y = round(x), round(y)
        x, y = (max(0, min(v, int(s - e))) for v, s, e in (
            (x, size[0], region.width), (y, size[1], region.height)))  # fmt: skip
    held = corners(region).mean(0) + shift
    lines = [v if v is not None and abs(held[i] - v) < 1 else None for i, v in enumerate(lines)]
    return region.model_copy(update={"x": float(x), "y": float(y)}), Guides(lines[1], lines[0])


def scaled(
    region: Region, corner: str, by: Point, size: Size, least: float = LEAST_CODE_SIDE
) -> Region:
    """The place after dragging a corner to scale it.

    The opposite corner stays, as do proportions, angle and perspective, and the
    place stays on the picture.
    """
    at = CORNERS.index(corner)
    quad = corners(region)
    fixed, pulled = quad[(at + 2) % 4], quad[at]
    arm = pulled - fixed
    factor = 1 + float(np.dot(by, arm) / max(np.dot(arm, arm), 1e-9))
    most = 1e9
    for axis in (0, 1):
        reach = quad[:, axis] - fixed[axis]
        # How far each corner may go along its ray from the fixed one.
        with np.errstate(divide="ignore", invalid="ignore"):
            room = np.where(reach > 1e-9, (size[axis] - fixed[axis]) / reach,
                            np.where(reach < -1e-9, -fixed[axis] / reach, 1e9))  # fmt: skip
        most = min(most, float(room.min()))
    small = least / min(region.width, region.height)
    factor = min(max(factor, min(small, 1.0)), max(most, 1e-3))
    if region.upright:
        side = region.width * factor
        side = math.floor(side + 1e-6) if factor >= most else round(side)
        factor = max(1, side) / region.width
    extent = np.array([region.width, region.height])
    middle = np.array([region.x, region.y]) + extent / 2
    middle = fixed + (middle - fixed) * factor
    x, y = middle - extent * factor / 2
    width, height = (float(v) for v in extent * factor)
    if region.upright:
        x, y = max(0.0, round(x, 6)), max(0.0, round(y, 6))
    new = {"x": float(x), "y": float(y), "width": width, "height": height}
    return region.model_copy(update=new)


def turned(region: Region, angle: float, size: Size, free: bool = False) -> Region:
    """The place turned to an angle about its middle, made smaller if it would stick out.

    Parameters
    ----------
    angle : float
        Degrees clockwise.
    free : bool
        Do not snap to multiples of 15.
    """
    nearest = round(angle / 15) * 15
    if not free and abs(angle - nearest) <= RIGHT_ANGLES:
        angle = nearest
    angle = (angle + 180) % 360 - 180
    return fitted(region.model_copy(update={"angle": float(round(angle, 2))}), size)


def fitted(region: Region, size: Size) -> Region:
    """The place brought onto the picture: moved where that is enough, else scaled too."""
    quad = corners(region)
    extent = np.ptp(quad, axis=0)
    factor = min(1.0, float((np.array(size) / np.maximum(extent, 1e-9)).min()))
    if factor < 1:
        factor *= 1 - 1e-9
        middle = np.array([region.x + region.width / 2, region.y + region.height / 2])
        width, height = region.width * factor, region.height * factor
        region = region.model_copy(
            update={"x": float(middle[0] - width / 2), "y": float(middle[1] - height / 2),
                    "width": width, "height": height}
        )  # fmt: skip
        quad = corners(region)
    low, high = np.maximum(0, -quad.min(0)), np.minimum(0, np.array(size) - quad.max(0))
    shift = low + high
    return region.model_copy(
        update={"x": float(region.x + shift[0]), "y": float(region.y + shift[1])}
    )


def bent(region: Region, corner: str, by: Point, size: Size) -> Region | None:
    """The place after dragging one corner freely, or None where that is impossible.

    The corner stays on the picture. None means that the corners would be
    crossed, folded or seen from behind.
    """
    quad = corners(region)
    at = CORNERS.index(corner)
    quad[at] = np.clip(quad[at] + np.array(by, float), 0, size)
    return on_quad(quad, region.angle) if possible(quad) else None


def on_quad(quad: ArrayLike, angle: float = 0.0) -> Region:
    """The place whose corners these are.

    Parameters
    ----------
    quad : array_like, 4 × 2
    angle : float
        Degrees clockwise that count as turning; the rest is perspective.
    """
    quad = np.asarray(quad, float)
    turn = math.radians(angle)
    matrix = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    middle = quad.mean(0)
    flat = (quad - middle) @ matrix  # turned back
    side = float(np.hypot(*(np.roll(quad, -1, axis=0) - quad).T).mean())
    bend = flat / side + 0.5 - np.array(UNIT)
    made = {
        "x": float(middle[0] - side / 2),
        "y": float(middle[1] - side / 2),
        "width": side,
        "height": side,
        "angle": angle,
    }
    if np.abs(bend).max() < 1e-9:
        return Region(**made)
    return Region(**made, bend=tuple((float(x), float(y)) for x, y in bend))


def without_perspective(region: Region, size: Size) -> Region:
    """The place without perspective, of the same size and turn."""
    quad = corners(region)
    side = float(np.hypot(*(np.roll(quad, -1, axis=0) - quad).T).mean())
    middle = quad.mean(0)
    flat = Region(
        x=float(middle[0] - side / 2),
        y=float(middle[1] - side / 2),
        width=side,
        height=side,
        angle=region.angle,
    )
    return fitted(flat, size)


def carried(region: Region | None, before: Size, after: Size, matrix: np.ndarray) -> Region | None:
    """The place on the same spot of the picture after its frame has changed.

    Parameters
    ----------
    region : Region or None
    before, after : (int, int)
        Size of the framed picture.
    matrix : ndarray, 2 × 3
        From points of the old frame to points of the new one.

    Returns
    -------
    Region or None
        None (the centred square) where it was so before, or where the place
        no longer lies on the picture in any way.
    """
    if region is None or (after == before and np.allclose(matrix, [[1, 0, 0], [0, 1, 0]])):
        return region
    linear = matrix[:, :2]
    middle = linear @ corners(region).mean(0) + matrix[:, 2]
    # A code is never mirrored: it keeps its own right side up and goes along.
    old_middle = corners(region).mean(0)
    scale = math.sqrt(abs(np.linalg.det(linear)))
    shape = (corners(region) - old_middle) * scale + middle
    placed = Region(
        x=float(shape.mean(0)[0] - region.width * scale / 2),
        y=float(shape.mean(0)[1] - region.height * scale / 2),
        width=region.width * scale,
        height=region.height * scale,
        angle=region.angle,
    )
    if region.bend is not None:
        placed = on_quad(shape, region.angle)
    if not (-0.25 * after[0] < middle[0] < 1.25 * after[0]):
        return None
    if not (-0.25 * after[1] < middle[1] < 1.25 * after[1]):
        return None
    placed = fitted(placed, after)
    if region.upright:
        placed = placed.model_copy(update={"x": float(math.floor(placed.x)),
                                           "y": float(math.floor(placed.y))})  # fmt: skip
    return placed if inside(placed, after) else centred_square(after)
