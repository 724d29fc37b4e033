"""Tone: each module's picture tone is drawn into a dark or a light band.

A module that is in its band already is not touched. Pixels change their luma,
keep their hue and never leave the gamut; see `nimble_tile.core.blend.bands`
and `nimble_tile.core.blend.colour`.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend.bands import bands
from nimble_tile.core.blend.compose import toned
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend

CENTRE_SPOT = (0.34, 0.16)
"""Radius of the centre spot and half width of its soft edge, in modules."""

EDGE_BLUR = 0.10
"""Softness of a module's edge, standard deviation in modules."""

KEEP = 0.6
"""Share of a module's shift that is made as a shift, which keeps its texture;
the rest is made by limiting what sticks out of the band."""

GRAIN = 8
"""Cells a module in which the bands are drawn before scaling to pixels."""

GUARANTEE = tr(
    "From strength 0.6 the middle of every dark module lies below, and that of every light "
    "module above, the tone of its surroundings by a margin that readers need."
)


def _spot() -> np.ndarray:
    """Float32 `GRAIN` × `GRAIN`: 1 at a module's centre, 0 at its corners."""
    radius, soft = CENTRE_SPOT
    axis = (np.arange(GRAIN) + 0.5) / GRAIN - 0.5
    distance = np.hypot(axis[:, None], axis)
    return np.clip((radius + soft - distance) / (2 * soft), 0, 1).astype(np.float32)


def tones(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Luma that every pixel gets (uint8 S × S); the quiet zone is left as it is.

    At strength 0 the picture's own. Guarantees nothing by itself below about
    0.6; above, the centre of every dark module lies below the local tone by
    the margin, and that of every light one above it or at
    `nimble_tile.core.blend.bands.LIGHT_ENOUGH`.
    """
    import cv2

    made = bands(plan, settings, strength)
    is_dark, is_light = _sides(plan)
    change = (made.tone - plan.module_luma) * np.float32(KEEP)
    # The quiet zone is treated by itself.
    change[plan.quiet] = 0
    fine_change = _spread(plan, change)
    if not plan.look.plain_shapes:
        own = (fine_change < 0) & is_dark | (fine_change > 0) & is_light
        fine_change = np.where(own, fine_change, np.float32(0))
    shift = cv2.GaussianBlur(fine_change, (0, 0), EDGE_BLUR * GRAIN)
    after = cv2.subtract(cv2.add(plan.luma, _pixels(plan, shift)), _pixels(plan, -shift))
    floor, ceiling = limits(plan, settings, strength)
    return cv2.min(cv2.max(after, floor), ceiling)


def limits(plan: Plan, settings: Blend, strength: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Luma that each pixel has at least and at most, by the bands (uint8 S × S each)."""
    import cv2

    made = bands(plan, settings, strength)
    n = plan.modules
    spot = np.tile(_spot(), (n, n))
    margin = _spread(plan, made.whole) + _spread(plan, made.centre - made.whole) * spot
    is_dark, is_light = _sides(plan)
    smooth = {"dsize": (n * GRAIN, n * GRAIN), "interpolation": cv2.INTER_LINEAR}
    below, above = cv2.resize(made.below, **smooth), cv2.resize(made.above, **smooth)
    ceiling = np.where(is_dark, below - margin, np.float32(1))
    enough = _spread(plan, made.enough)
    floor = np.where(is_light, np.minimum(above + margin, enough), np.float32(0))
    return _pixels(plan, floor), _pixels(plan, ceiling)


def _spread(plan: Plan, grid: np.ndarray) -> np.ndarray:
    """A grid of modules on cells, `GRAIN` a module."""
    import cv2

    fine = (plan.modules * GRAIN,) * 2
    return cv2.resize(grid, fine, interpolation=cv2.INTER_NEAREST)


def _sides(plan: Plan) -> tuple[np.ndarray, np.ndarray]:
    """Which cells are dark and which light (bool); a shape leaves some free."""
    shapes = plan.shape_cells(GRAIN)
    is_dark = _spread(plan, plan.dark.astype(np.uint8)).astype(bool)
    if shapes is None:
        return is_dark, ~is_dark
    # The part of a module that its shape leaves free stays picture; where shapes grow
    # into light modules, these are dark.
    return shapes, ~is_dark & ~shapes


def _pixels(plan: Plan, field: np.ndarray) -> np.ndarray:
    """Cells of luma, 0 to 1, on pixels (uint8 S × S)."""
    import cv2

    steps = cv2.max(cv2.multiply(field, 255.0), 0.0).astype(np.float32)
    rounded = np.rint(cv2.min(steps, 255.0)).astype(np.uint8)
    return cv2.resize(rounded, (plan.side, plan.side), interpolation=cv2.INTER_LINEAR)


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend; see `tones`. Returns uint8 S × S × 3."""
    return toned(plan, tones(plan, settings, strength), settings, strength)
