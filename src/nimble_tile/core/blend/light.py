"""Light: the code falls on the picture as sun through a pierced screen.

Dark modules are shade and light ones lit. Both are factors in linear light, so that the picture's
own reflectance, with all its detail, stays what it was, and eyes take the code for light. Where
the picture speaks against a module, its shade is deeper or its light stronger, as far as the
bands of `nimble_tile.core.blend.bands` ask for it.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend import quiet, rims, tone
from nimble_tile.core.blend.bands import bands
from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import by_strength
from nimble_tile.core.language import tr
from nimble_tile.core.linear import LUMA, to_linear, to_srgb
from nimble_tile.core.piece import Blend

_SHADE = ((0.0, 1.0), (0.4, 0.62), (0.7, 0.38), (1.0, 0.22))
"""Part of the light that shade leaves, by strength."""

_LIT = ((0.0, 1.0), (0.4, 1.2), (0.7, 1.45), (1.0, 1.8))
"""How many times as bright as in the picture what is lit becomes, by strength."""

DEEPEST, BRIGHTEST = 0.05, 40.0
"""Factors that no module goes beyond."""

POWER = 2.2
"""Of the curve that takes linear light to sRGB, about."""

BLACK = 0.02
"""Tone that is added on both sides of a ratio of tones: black times anything stays black."""

GRAIN = 12
"""Cells a module in which openings are drawn."""

ROUND = 0.26
"""Smoothing, in modules, that rounds and joins the openings where they are rounded wholly."""

BASE = 0.25
"""Standard deviation, in modules, of the detail that stays whatever a module needs."""

ROLLED = 0.03
"""Tone that rolling off highlights takes, about."""

WARM = np.array([0.16, 0.0, -0.34], np.float32)
"""What warm sunlight adds to red, green and blue."""

COOL = np.array([-0.26, 0.0, 0.42], np.float32)
"""The same for shade, which is lit by the blue sky alone."""

SHOULDER = 0.78
"""Linear light from which highlights are rolled off."""

SEAM = 1.0
"""Modules next to the code in which nothing dark may stay."""

FRAME = 1.3
"""Modules of the quiet zone that are lit: what readers need round the code."""

GUARANTEE = tr(
    "From strength 0.6 the middle of every module is set apart from the tone of its surroundings "
    "by a margin that readers need."
)


def openings(plan: Plan, settings: Blend) -> np.ndarray:
    """How far each cell is lit (float32, `GRAIN` cells a module, 0 to 1)."""
    import cv2

    own = settings.light
    side = plan.modules * GRAIN
    shapes = plan.shape_cells(GRAIN)
    dark = plan.dark if shapes is None else shapes
    open_ = cv2.resize((~dark).astype(np.float32), (side, side), interpolation=cv2.INTER_NEAREST)
    border = cv2.BORDER_REPLICATE
    if own.rounding and shapes is None:
        smooth = cv2.GaussianBlur(open_, (0, 0), ROUND * own.rounding * GRAIN, borderType=border)
        open_ = np.clip((smooth - 0.5) * np.float32(GRAIN / 2) + 0.5, 0, 1)
    if own.edge:
        open_ = cv2.GaussianBlur(open_, (0, 0), own.edge / 2 * GRAIN, borderType=border)
    return open_


def factors(plan: Plan, settings: Blend, strength: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Logarithms of what shade and light multiply the picture's light by, wherever they fall
    (float32 S × S each)."""

    def pixels(grid: np.ndarray) -> np.ndarray:
        return plan.on_pixels(grid.astype(np.float32), smooth=True)

    # What lies under a module, but for its finest detail, which stays.
    base = _near(plan, plan.luma.astype(np.float32)) / 255 + np.float32(BLACK)
    floor, ceiling = (one + np.float32(BLACK) for one in _levels(plan, settings, strength))
    power = np.float32(POWER)
    shade = np.minimum(
        np.log(pixels(by_strength(_SHADE, strength))), power * np.log(ceiling / base)
    )
    # What is near white already is lit enough.
    room = power * np.log(np.float32(1 + BLACK) / base)
    lit = np.minimum(np.log(pixels(by_strength(_LIT, strength))), np.maximum(room, 0))
    lit = np.maximum(lit, power * np.log(floor / base))
    return np.clip(shade, np.log(DEEPEST), 0), np.clip(lit, 0, np.log(BRIGHTEST))


def _near(plan: Plan, field: np.ndarray) -> np.ndarray:
    import cv2

    return cv2.GaussianBlur(field, (0, 0), BASE * plan.side / plan.modules)


def _levels(
    plan: Plan, settings: Blend, strength: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Luma that is lit at least, and that shade has at most (float32 S × S each, 0 to 1)."""
    made = bands(plan, settings, strength)
    floor = np.minimum(made.above + made.centre + np.float32(ROLLED), made.enough)
    ceiling = np.maximum(made.below - made.centre, 0)
    return tuple(
        plan.on_pixels(np.maximum(one, 0).astype(np.float32), smooth=True)
        for one in (floor, ceiling)
    )


def _reach(plan: Plan, edge: float) -> np.ndarray:
    """Where sun and shade fall (float32 S × S, 0 to 1): on the code and on a frame round it,
    whose edge is as soft as all others."""
    if not plan.quiet_zone or not plan.fades:
        return np.ones((plan.side, plan.side), np.float32)
    at, broad = rims.along(plan), min(FRAME, plan.quiet_zone - 0.5)
    # Distance from a rounded rectangle round the code, negative inside.
    beyond = np.maximum(-at, at - plan.symbol.side)
    across, down = np.broadcast_arrays(beyond, beyond[:, None])
    outside = np.hypot(np.maximum(across, 0), np.maximum(down, 0))
    soft = max(edge, plan.modules / plan.side)
    share = np.clip(0.5 - (outside - broad) / soft, 0, 1)
    return (share * share * (3 - 2 * share)).astype(np.float32)


def kept(
    plan: Plan, out: np.ndarray, settings: Blend, strength: np.ndarray, open_: np.ndarray
) -> np.ndarray:
    """What no light can do, as dark things in the sun stay dark, and a colour that is full grows
    no brighter: what is missing of a tone is added evenly, and detail that leaves its side is
    limited by the bands; finders and the frame wholly, the code at the modules' middles.

    Parameters
    ----------
    plan, settings, strength
    out : ndarray of uint8, S × S × 3
        What light has made.
    open_ : ndarray of float32, S × S
        How far each pixel is lit; 0.5 beyond the frame, where nothing is missing.
    """
    import cv2

    floor, ceiling = tone.limits(plan, settings, strength)
    if plan.quiet_zone:
        at = rims.along(plan)
        beyond = np.maximum(-at, at - plan.symbol.side)
        outside = np.maximum(beyond[:, None], beyond) > min(SEAM, plan.quiet_zone)
        floor[outside] = 0
    luma = cv2.cvtColor(out, cv2.COLOR_RGB2GRAY)
    missing = np.zeros(luma.shape, np.float32)
    lit, shaded = np.clip(2 * open_ - 1, 0, 1), np.clip(1 - 2 * open_, 0, 1)
    least, most = _levels(plan, settings, strength)
    for share, level, sign in ((lit, least, 1), (shaded, most, -1)):
        # Not across edges, whose two sides have nothing to do with each other.
        near = _near(plan, luma * share) / np.maximum(_near(plan, share), np.float32(1e-3))
        missing += sign * share * np.maximum(sign * (255 * level - near), 0)
    after = np.clip(np.rint(luma + missing), 0, 255).astype(np.uint8)
    after = cv2.min(cv2.max(after, floor), ceiling)
    return move_luma(out, luma, after)


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend by light. Returns uint8 S × S × 3."""
    import cv2

    own, side = settings.light, plan.side
    open_ = cv2.resize(openings(plan, settings), (side, side), interpolation=cv2.INTER_LINEAR)
    shade, lit = factors(plan, settings, strength)
    if own.fall:
        along = np.linspace(-0.5, 0.5, side, dtype=np.float32)
        turn = np.radians(own.angle)
        ramp = along * np.float32(np.cos(turn)) + (along * np.float32(np.sin(turn)))[:, None]
        lit = lit * (1 - np.float32(own.fall) * ramp)
    reach = _reach(plan, own.edge)
    gain = np.exp((shade + open_ * (lit - shade)) * reach)
    tint = (WARM * np.float32(own.warmth), COOL * np.float32(own.warmth))
    warm, cool = ((1 + one) / float((1 + one) @ LUMA) for one in tint)
    amount = (np.abs(shade + open_ * (lit - shade)) * reach).clip(0, 1)[..., None]
    colour = 1 + amount * (cool + open_[..., None] * (warm - cool) - 1)
    light = to_linear(plan.square) * gain[..., None] * colour.astype(np.float32)
    # Highlights roll off together, so that hues stay.
    most = light.max(2, keepdims=True)
    over = np.float32(SHOULDER) + np.float32(1 - SHOULDER) * (
        1 - np.exp(-(most - SHOULDER) / np.float32(1 - SHOULDER))
    )
    top = to_linear(plan.square).max(2, keepdims=True)
    light *= np.where(
        most > np.maximum(SHOULDER, top), np.maximum(over, top) / np.maximum(most, 1e-6), 1
    )
    out = kept(plan, to_srgb(light), settings, strength, 0.5 + reach * (open_ - 0.5))
    if settings.quiet == "plain" and plan.quiet_zone:
        for place in quiet.strips(plan):
            out[place] = plan.square[place]
        quiet.lay_plain(plan, out, float(strength[0, 0]))
    return out
