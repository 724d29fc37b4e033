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

    made, shapes = bands(plan, settings, strength), plan.shape_cells(GRAIN)
    n, size = plan.modules, (plan.side, plan.side)
    fine = (n * GRAIN, n * GRAIN)

    def spread(grid: np.ndarray) -> np.ndarray:
        return cv2.resize(grid, fine, interpolation=cv2.INTER_NEAREST)

    spot = np.tile(_spot(), (n, n))
    margin = spread(made.whole) + spread(made.centre - made.whole) * spot
    is_dark = spread(plan.dark.astype(np.uint8)).astype(bool)
    is_light = ~is_dark
    if shapes is not None:
        # The part of a module that its shape leaves free stays picture; where shapes grow
        # into light modules, these are dark.
        is_dark, is_light = shapes, is_light & ~shapes
    smooth = {"dsize": fine, "interpolation": cv2.INTER_LINEAR}
    below, above = cv2.resize(made.below, **smooth), cv2.resize(made.above, **smooth)
    ceiling = np.where(is_dark, below - margin, np.float32(1))
    floor = np.where(is_light, np.minimum(above + margin, spread(made.enough)), np.float32(0))
    change = (made.tone - plan.module_luma) * np.float32(KEEP)
    # The quiet zone is treated by itself.
    change[plan.quiet] = 0
    fine_change = spread(change)
    if shapes is not None:
        own = (fine_change < 0) & is_dark | (fine_change > 0) & is_light
        fine_change = np.where(own, fine_change, np.float32(0))
    shift = cv2.GaussianBlur(fine_change, (0, 0), EDGE_BLUR * GRAIN)

    def pixels(field: np.ndarray) -> np.ndarray:
        steps = cv2.max(cv2.multiply(field, 255.0), 0.0).astype(np.float32)
        return cv2.resize(
            np.rint(cv2.min(steps, 255.0)).astype(np.uint8), size, interpolation=cv2.INTER_LINEAR
        )

    after = cv2.subtract(cv2.add(plan.luma, pixels(shift)), pixels(-shift))
    return cv2.min(cv2.max(after, pixels(floor)), pixels(ceiling))


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend; see `tones`. Returns uint8 S × S × 3."""
    return toned(plan, tones(plan, settings, strength), settings, strength)
