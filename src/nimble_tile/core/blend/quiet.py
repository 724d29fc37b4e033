"""The quiet zone: the picture lightened, fading into the picture, or plain."""

from __future__ import annotations

from functools import partial

import numpy as np

from nimble_tile.core.blend.bands import Bands
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.look import rgb

FADE = 1.0
"""Outermost modules of the quiet zone over which its lightening fades out."""

LEAST_QUIET = 3
"""Width of the quiet zone, in modules, from which that edge may fade."""

KEPT_CLEAR = 2.0
"""Modules next to the code that a fading quiet zone keeps light: where less was,
OpenCV lost codes."""

SHIFT = 0.6
"""Share of the lightening that is made as a shift, which keeps the texture."""

EVEN = 5.0
"""Standard deviation, in modules, over which the quiet zone's tone is evened out."""

QUIET_CELLS = 8
"""Cells a module in which the fields are drawn."""


def fade(plan: Plan, soft: bool) -> np.ndarray:
    """Float32, (N · `QUIET_CELLS`)²: 1 where the lightening is whole, 0 at the outer edge."""
    side = plan.modules * QUIET_CELLS
    away = np.minimum(np.arange(side), np.arange(side)[::-1]) + 0.5
    if soft:
        width = max(1.0, plan.quiet_zone - KEPT_CLEAR)
    elif plan.quiet_zone >= LEAST_QUIET and plan.fades:
        width = FADE
    else:
        return np.ones((side, side), np.float32)
    if soft:
        # Round at the corners, so that no frame is seen.
        axis = np.clip(1 - away / (width * QUIET_CELLS), 0, 1).astype(np.float32)
        ramp = np.clip(1 - np.hypot(axis[:, None], axis), 0, 1)
        return ramp * ramp * (3 - 2 * ramp)
    ramp = np.clip(away / (width * QUIET_CELLS), 0, 1).astype(np.float32)
    ramp = ramp * ramp * (3 - 2 * ramp)
    return ramp[:, None] * ramp


def strips(plan: Plan) -> list[tuple[slice, slice]]:
    """The four parts of the square (rows, columns) that the quiet zone covers.

    A pixel that it shares with the symbol belongs to the symbol.
    """
    side = plan.side
    low = int(plan.quiet_zone * side / plan.modules + 1e-6)
    high = side - low
    if not low:
        return []
    return [
        (slice(0, low), slice(0, side)),
        (slice(high, side), slice(0, side)),
        (slice(low, high), slice(0, low)),
        (slice(low, high), slice(high, side)),
    ]


def lightened(plan: Plan, made: Bands, soft: bool) -> np.ndarray:
    """Luma of the quiet zone (uint8 S × S, meaningless on the symbol)."""
    import cv2

    n, size = plan.modules, (plan.side, plan.side)
    fine = (n * QUIET_CELLS, n * QUIET_CELLS)
    change = (made.tone - plan.module_luma) * np.float32(SHIFT)
    # The quiet zone has no edges, so the shift must have none either.
    quiet = plan.quiet.astype(np.float32)
    near = partial(cv2.GaussianBlur, ksize=(0, 0), sigmaX=1.0)
    even = near(change * quiet) / np.maximum(near(quiet), 1e-6)
    smooth = {"dsize": fine, "interpolation": cv2.INTER_LINEAR}
    # Its target tone must not follow single finders either.
    wide = partial(cv2.GaussianBlur, ksize=(0, 0), sigmaX=EVEN)
    above = (wide(made.above * quiet) / np.maximum(wide(quiet), 1e-6)).astype(np.float32)
    margin = cv2.resize(made.whole, fine, interpolation=cv2.INTER_NEAREST)
    enough = cv2.resize(made.enough, fine, interpolation=cv2.INTER_NEAREST)
    faded = fade(plan, soft)
    floor = np.minimum(cv2.resize(above, **smooth) + margin, enough) * faded
    shift = np.maximum(cv2.resize(even.astype(np.float32), **smooth), 0) * faded

    def pixels(field: np.ndarray) -> np.ndarray:
        steps = np.rint(np.clip(field, 0, 1) * 255).astype(np.uint8)
        return cv2.resize(steps, size, interpolation=cv2.INTER_LINEAR)

    return cv2.max(cv2.add(plan.luma, pixels(shift)), pixels(floor))


def plain_colour(plan: Plan) -> tuple[int, int, int]:
    """Colour of a plain quiet zone: the look's light, or white."""
    ground = plan.look.ground
    colour = ground.colour if ground is not None and ground.kind == "solid" else "#ffffff"
    return rgb(colour)


def lay_plain(plan: Plan, out: np.ndarray, strength: float) -> None:
    """A plain quiet zone on a finished square, in place; `strength` is its opacity."""
    import cv2

    colour = np.array(plain_colour(plan), np.uint8)
    for place in strips(plan):
        part = out[place]
        flat = np.broadcast_to(colour, part.shape)
        out[place] = cv2.addWeighted(part, 1 - strength, np.ascontiguousarray(flat), strength, 0)
