"""The designer's own colours and finders in blends whose colours are otherwise the picture's.

Tones stay as the method has made them, so that nothing changes for readers; hue and chroma become
those of the look, as far as sRGB has them at these tones.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.look import BLACK, WHITE
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.looks.drawing import finder_corners

CHANGED = 40
"""Steps of 255 by which a pixel was changed from which on it is wholly in the look's colour."""


def as_drawn(plan: Plan) -> np.ndarray:
    """The code as it looks, on white where its ground is clear (uint8 S × S × 3)."""
    rgb, alpha = plan.ink[..., :3], plan.ink[..., 3:]
    if (alpha == 255).all():
        return np.ascontiguousarray(rgb)
    share = alpha.astype(np.float32) / 255
    return np.rint(rgb * share + 255 * (1 - share)).astype(np.uint8)


def chosen(plan: Plan) -> tuple[np.ndarray, np.ndarray]:
    """Which modules have a colour of their own where they are dark, and which where they are
    light (bool N × N each)."""
    look = plan.look
    dark = np.full(plan.parts.shape, look.fill != BLACK)
    dark[plan.parts == Part.ALIGNMENT] |= look.ring_fill is not None or look.eye_fill is not None
    rings, own = np.maximum(*np.abs(np.indices((7, 7)) - 3)), plan.quiet_zone
    for at, (row, column) in enumerate(finder_corners(plan.symbol)):
        here = look.at_finder(at)
        there = dark[own + row : own + row + 7, own + column : own + column + 7]
        there[rings == 3] |= here.ring_fill is not None
        there[rings <= 1] |= here.eye_fill is not None
    return dark, np.full(dark.shape, look.ground not in (None, WHITE))


def in_own_colours(plan: Plan, out: np.ndarray, hues: bool = True) -> np.ndarray:
    """A blended square (uint8 S × S × 3) in the look's colours, its finders' picture on it.

    Parameters
    ----------
    plan : Plan
    out : ndarray of uint8, S × S × 3
    hues : bool
        False: the picture of the finders alone.
    """
    import cv2

    dark, light = chosen(plan)
    if hues and (dark.any() or light.any()):
        drawn = as_drawn(plan)
        before, after = (cv2.cvtColor(image, cv2.COLOR_RGB2GRAY) for image in (drawn, out))
        # As far as the blend has changed it: what the picture carries stays the picture.
        changed = cv2.absdiff(out, plan.square).max(2) * np.float32(1 / CHANGED)
        changed = np.minimum(changed, 1)
        tinted = move_luma(drawn, before, after)
        covered = plan.covered
        share = covered * plan.on_pixels(dark.astype(np.float32))
        share += (1 - covered) * plan.on_pixels(light.astype(np.float32))
        share = (share * changed)[..., None]
        out = np.rint(out + share * (tinted.astype(np.float32) - out)).astype(np.uint8)
    if plan.look.ring == "picture":
        out = np.where(_finder_boxes(plan)[..., None], as_drawn(plan), out)
    return out


def _finder_boxes(plan: Plan) -> np.ndarray:
    """Bool S × S: where a finder's picture lies."""
    finder = (plan.parts == Part.FINDER).astype(np.float32)
    return plan.on_pixels(finder) > 0.5
