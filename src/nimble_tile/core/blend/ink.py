"""Ink: the picture printed in the dark modules alone, in the light ones alone, or as a tint.

The code keeps its shapes as the look draws them.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend.compose import toned
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.quiet import strips
from nimble_tile.core.channels import colours_of
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend

GUARANTEE = tr(
    "Where the picture is printed, its tones are pressed to one side of mid grey from "
    "strength 0.5, and the other modules carry the plain colour of the look."
)

# Luma between which the printed picture is pressed, at strength 1 and at 0.5.
DARK_HALF, DARK_END = 0.44, 0.26
LIGHT_HALF, LIGHT_END = 0.66, 0.80

TINT = (0.16, 0.88)
"""Luma of dark and light modules of a tint: not black and white, which have no hue."""

VEIN = 0.25
"""Part of the picture's own contrast that a tint keeps."""


def _pressed(luma: np.ndarray, end: np.ndarray, towards: float) -> np.ndarray:
    """Tones 0 to 1 compressed between `towards` and `end`; their order stays."""
    if towards == 0:
        return luma * end
    return 1 - (1 - luma) * (1 - end)


def _ends(strength: np.ndarray, half: float, full: float, free: float) -> np.ndarray:
    """Where the pressed tones end: `free` at strength 0, `half` at 0.5, `full` at 1."""
    return np.interp(strength, (0, 0.5, 1), (free, half, full)).astype(np.float32)


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with `Blend.ink`. Returns uint8 S × S × 3."""
    where = settings.ink.where
    inked = plan.covered
    luma = plan.luma
    full = plan.on_pixels(strength)
    if where == "tint":
        return _tinted(plan, settings, strength, inked, full)
    import cv2

    after = np.empty_like(luma)
    step = 256
    for top in range(0, plan.side, step):
        rows = slice(top, top + step)
        tone = luma[rows] * np.float32(1 / 255)
        opacity = np.clip(full[rows] / np.float32(0.7), 0, 1)
        if where == "dark":
            printed = _pressed(tone, _ends(full[rows], DARK_HALF, DARK_END, 1), 0)
            bare = tone + (1 - tone) * opacity
        else:
            printed = _pressed(tone, _ends(full[rows], LIGHT_HALF, LIGHT_END, 0), 1)
            bare = tone * (1 - opacity)
        share = inked[rows] if where == "dark" else 1 - inked[rows]
        after[rows] = np.rint((bare + (printed - bare) * share) * 255)
    out = toned(plan, after, settings, strength)
    if plan.look.plain:
        return out
    # The modules without picture take the look's own colour.
    only = 1 - inked if where == "dark" else inked
    share = only * np.clip(full / np.float32(0.7), 0, 1) * (plan.ink[..., 3] * np.float32(1 / 255))
    for place in strips(plan):
        share[place] = 0
    share = cv2.cvtColor(np.rint(share * 255).astype(np.uint8), cv2.COLOR_GRAY2RGB)
    laid = cv2.multiply(colours_of(plan.ink), share, scale=1 / 255)
    return cv2.add(laid, cv2.multiply(out, cv2.bitwise_not(share), scale=1 / 255))


def _tinted(
    plan: Plan, settings: Blend, strength: np.ndarray, inked: np.ndarray, full: np.ndarray
) -> np.ndarray:
    """Hue and saturation of the picture, luminance of the code."""
    low, high = (np.float32(v) for v in TINT)
    after = np.empty_like(plan.luma)
    for top in range(0, plan.side, 256):
        rows = slice(top, top + 256)
        tone = plan.luma[rows] * np.float32(1 / 255)
        code = high + (low - high) * inked[rows] + np.float32(VEIN) * (tone - np.float32(0.5)) * (
            high - low) * np.float32(0.5)  # fmt: skip
        share = np.clip(full[rows] / np.float32(0.8), 0, 1)
        after[rows] = np.rint(np.clip(tone + (code - tone) * share, 0, 1) * 255)
    return toned(plan, after, settings, strength)
