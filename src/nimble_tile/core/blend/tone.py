"""Tone: each module's picture tone is drawn into a dark or a light band.

The bands follow the picture. Round each module lies a local tone, the mean of
the finished square over a few modules, as readers with a local threshold see
it; dark modules are drawn below it and light modules above it by a margin, on
their side of mid grey for readers with one threshold for all. The margin is
larger in a soft spot at the module's centre, where readers sample, than over
its whole area. A module that is in its band already is not touched. The bands
depend on each other through the local tone, so they are solved together by
fixed-point iteration on the grid of modules.

Pixels change their luma alone, keep their hue and never leave the gamut.
"""

from __future__ import annotations

from functools import partial

import numpy as np

from nimble_tile.core.blend.plan import QUIET, Plan
from nimble_tile.core.piece import Blend

# Margins from the local tone (luma, 0 to 1) by strength. Negative margins let
# modules stay on the wrong side: at -1 nothing is ever moved. The values at
# 0.6 are those at which our readers read sample photographs straight on, the
# values at 1 those beyond which their reach no longer grew. The quiet zone
# needs the most: OpenCV misses whole codes where it is dull.
_WHOLE = ((0.0, -1.0), (0.2, -0.3), (0.4, -0.12), (0.6, -0.04), (1.0, 0.20))
_CENTRE = ((0.0, -1.0), (0.2, -0.12), (0.4, 0.11), (0.6, 0.26), (1.0, 0.42))
_QUIET = ((0.0, -1.0), (0.2, -0.15), (0.4, 0.06), (0.6, 0.24), (1.0, 0.40))
_FUNCTION = ((0.0, -1.0), (0.2, -0.10), (0.4, 0.12), (0.6, 0.25), (1.0, 0.40))

LOCAL = 2.5
"""Standard deviation of the local tone in modules; 2.5 kept more of the
picture at the same reach than 3.5, 4 and 7."""

SPOT = (0.34, 0.16)
"""Radius of the centre spot and half width of its soft edge, in modules."""

EDGE = 0.10
"""Softness of a module's edge, standard deviation in modules."""

LIGHT_ENOUGH = np.float32(0.84)
"""Luma from which no light module is lightened further, so that bright pictures
keep their tones; grows by `STRONGER` for each unit of strength above 0.6."""
STRONGER = 0.35

FADE = 1.0
"""Outermost modules of the quiet zone over which its lightening fades out."""

LEAST_QUIET = 3
"""Quiet zone, in modules, from which it can spare that edge."""

KEEP = 0.6
"""Share of a module's shift that is made as a shift, which keeps its texture;
the rest is made by limiting what sticks out of the band."""

ONE = 128
"""A gain of 1 in 8-bit arithmetic."""

# Largest gain that keeps a pixel in the gamut, by its strongest channel.
_ROOM = np.minimum(255, 255 * ONE // np.maximum(np.arange(256), 1)).astype(np.uint8)

ROUNDS = 24
GRAIN = 8
"""Cells a module in which the bands are drawn before scaling to pixels."""


def _margin(knots: tuple[tuple[float, float], ...], strength: float) -> float:
    at, value = zip(*knots, strict=True)
    return float(np.interp(strength, at, value))


def _spot() -> np.ndarray:
    """Float32 `GRAIN` × `GRAIN`: 1 at a module's centre, 0 at its corners."""
    radius, soft = SPOT
    axis = (np.arange(GRAIN) + 0.5) / GRAIN - 0.5
    distance = np.hypot(axis[:, None], axis)
    return np.clip((radius + soft - distance) / (2 * soft), 0, 1).astype(np.float32)


def _soft_edge(side: int) -> np.ndarray:
    """Float32 side × side: 1 inside, falling to 0 over the outermost `FADE` modules."""
    axis = np.minimum(np.arange(side), np.arange(side)[::-1]) + 0.5
    ramp = np.clip(axis / (FADE * GRAIN), 0, 1).astype(np.float32)
    ramp = ramp * ramp * (3 - 2 * ramp)
    return ramp[:, None] * ramp


def _solve(
    luma: np.ndarray,
    dark: np.ndarray,
    whole: np.ndarray,
    centre: np.ndarray,
    inside: np.ndarray,
    enough: np.float32,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Tone of each module, and the thresholds round it.

    Parameters
    ----------
    luma : ndarray of float32, N × N
        Picture's tone of each module.
    dark : ndarray of bool, N × N
    whole, centre : ndarray of float32, N × N
        Margins.
    inside : ndarray of float32, N × N
        1 where a module counts for the local tone, 0 in the quiet zone: were
        it to count, the quiet zone would chase its own mean up to white.
    enough : float32
        Tone beyond which no light module is lightened.

    Returns
    -------
    tone, below, above : ndarray of float32, N × N
        Mean tone of the module; what a dark one there must stay under and a
        light one over, each a smooth field.
    """
    import cv2

    mean_margin = 0.55 * whole + 0.45 * centre
    room = 0.9 * np.maximum(centre, 0)
    tone = luma
    near = partial(cv2.GaussianBlur, ksize=(0, 0), sigmaX=LOCAL, borderType=cv2.BORDER_CONSTANT)
    weight = np.maximum(near(inside), 1e-6)
    for _ in range(ROUNDS):
        local = near(tone * inside) / weight
        below = np.maximum(np.minimum(local, 0.5), room)
        above = np.minimum(np.maximum(local, 0.5), 1 - room)
        wanted = np.where(
            dark,
            np.minimum(luma, below - mean_margin),
            np.maximum(luma, np.minimum(above + mean_margin, enough)),
        )
        tone = (0.5 * tone + 0.5 * np.clip(wanted, 0, 1)).astype(np.float32)
    return tone, below.astype(np.float32), above.astype(np.float32)


def blend(plan: Plan, settings: Blend) -> np.ndarray:
    """Blend with `Blend.strength`.

    Returns
    -------
    ndarray of uint8, S × S × 3
        At strength 0 the picture itself. Guarantees nothing by itself below
        about 0.6; above, the centre of every dark module lies below the local
        tone by the margin, and that of every light one above it or at
        `LIGHT_ENOUGH`.
    """
    import cv2

    if settings.strength == 0:
        return plan.square.copy()
    n, size = plan.modules, (plan.side, plan.side)
    fine = (n * GRAIN, n * GRAIN)
    dark = plan.dark

    whole = np.full((n, n), _margin(_WHOLE, settings.strength), np.float32)
    whole[plan.function] = _margin(_FUNCTION, settings.strength)
    centre = np.maximum(whole, np.float32(_margin(_CENTRE, settings.strength)))
    quiet = plan.parts == QUIET
    whole[quiet] = centre[quiet] = _margin(_QUIET, settings.strength)
    inside = (~quiet).astype(np.float32)
    enough = LIGHT_ENOUGH + np.float32(STRONGER * max(0.0, settings.strength - 0.6))
    tone, below, above = _solve(plan.module_luma, dark, whole, centre, inside, enough)

    def spread(grid: np.ndarray) -> np.ndarray:
        return cv2.resize(grid, fine, interpolation=cv2.INTER_NEAREST)

    spot = np.tile(_spot(), (n, n))
    margin = spread(whole) + spread(centre - whole) * spot
    is_dark = spread(dark.astype(np.uint8)).astype(bool)
    is_light = ~is_dark
    shapes = plan.shape_cells(GRAIN)
    if shapes is not None:
        # What a shape leaves of its module stays picture; where shapes grow
        # into light modules, these are dark.
        is_dark, is_light = shapes, is_light & ~shapes
    below, above = (cv2.resize(g, fine, interpolation=cv2.INTER_LINEAR) for g in (below, above))
    ceiling = np.where(is_dark, below - margin, np.float32(1))
    floor = np.where(is_light, np.minimum(above + margin, enough), np.float32(0))
    change = (tone - plan.module_luma) * np.float32(KEEP)
    fine_change = spread(change)
    if shapes is not None:
        own = (fine_change < 0) & is_dark | (fine_change > 0) & is_light
        fine_change = np.where(own, fine_change, np.float32(0))
    shift = cv2.GaussianBlur(fine_change, (0, 0), EDGE * GRAIN)
    if plan.quiet_zone:
        # Nothing has an edge in the quiet zone, so neither may the shift.
        near = partial(cv2.GaussianBlur, ksize=(0, 0), sigmaX=1.0)
        even = near(change * quiet) / np.maximum(near(quiet.astype(np.float32)), 1e-6)
        even = cv2.resize(even.astype(np.float32), fine, interpolation=cv2.INTER_LINEAR)
        shift = np.where(spread(quiet.astype(np.uint8)), even, shift)
    if plan.quiet_zone >= LEAST_QUIET:
        soft_edge = _soft_edge(n * GRAIN)
        floor, shift = floor * soft_edge, shift * soft_edge

    def pixels(field: np.ndarray) -> np.ndarray:
        steps = cv2.max(cv2.multiply(field, 255.0), 0.0).astype(np.float32)
        return cv2.resize(
            np.rint(cv2.min(steps, 255.0)).astype(np.uint8), size, interpolation=cv2.INTER_LINEAR
        )

    before = plan.luma
    after = cv2.subtract(cv2.add(before, pixels(shift)), pixels(-shift))
    after = cv2.min(cv2.max(after, pixels(floor)), pixels(ceiling))
    return move_luma(plan.square, before, after)


def move_luma(square: np.ndarray, before: np.ndarray, after: np.ndarray) -> np.ndarray:
    """Move pixels to another luma and keep their hue.

    Darkening mixes with black, which keeps the saturation too. Lightening goes
    half by mixing with white, which would make everything chalky by itself,
    and half by brightening the colour as far as the gamut lets it, which would
    make it garish. Luma is linear in R, G and B, so all of these meet the
    wanted luma and none leaves the gamut. Where nothing changes, pixels stay
    as they are to the bit.

    Parameters
    ----------
    square : ndarray of uint8, H × W × 3 sRGB
    before, after : ndarray of uint8, H × W
        Luma that the pixels have and should have.

    Returns
    -------
    ndarray of uint8, H × W × 3
    """
    import cv2

    # New pixel = pixel · gain + offset. Gains are in steps of 1/128 up to 2 and
    # the offset makes up for their rounding, so that luma is met within a step
    # or two; 8-bit arithmetic keeps this several times faster than floats.
    # Division by zero gives 0 here, which is right: black pixels take their
    # new luma from the offset alone.
    ratio = cv2.divide(after, before, scale=ONE)
    left = cv2.bitwise_not(after)
    white = cv2.divide(left, cv2.bitwise_not(before), scale=ONE)
    red, green, blue = cv2.split(square)
    bright = cv2.min(ratio, cv2.LUT(cv2.max(cv2.max(red, green), blue), _ROOM))
    reached = cv2.multiply(before, bright, scale=1 / ONE)
    rest = cv2.divide(left, cv2.bitwise_not(reached), scale=255)
    lighter = cv2.addWeighted(cv2.multiply(bright, rest, scale=1 / 255), 0.5, white, 0.5, 0)
    gain = np.where(after > before, lighter, ratio)
    offset = cv2.subtract(after, cv2.multiply(before, gain, scale=1 / ONE))
    moved = cv2.multiply(square, cv2.cvtColor(gain, cv2.COLOR_GRAY2RGB), scale=1 / ONE)
    return cv2.add(moved, cv2.cvtColor(offset, cv2.COLOR_GRAY2RGB))
