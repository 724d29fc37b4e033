"""Overlay: the code, as it looks, laid over the picture with an opacity.

References
----------
W3C Compositing and Blending Level 1: blend modes ``normal`` and ``multiply``,
``co = cb · (1 − αs) + B(cb, cs) · αs`` over an opaque backdrop.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.piece import Blend

ROWS = 512
"""Rows that are worked on at once in floating point, to save memory."""


def blend(plan: Plan, settings: Blend) -> np.ndarray:
    """Blend with opacity `Blend.strength` in mode `Blend.mode`.

    Returns
    -------
    ndarray of uint8, S × S × 3
        In black on white it guarantees that every module keeps its side of mid grey once the
        strength is above one half in normal mode; multiply never lightens, so
        a dark picture stays unreadable.
    """
    import cv2

    # Steps of 1/255 throughout, as in the blend's definition on 8-bit images.
    opacity = settings.strength
    if not plan.look.plain:
        return _laid(plan.square, plan.ink, opacity, settings.mode)
    light = np.rint((1 - plan.coverage) * 255).astype(np.uint8)
    if settings.mode == "normal":
        offset = cv2.convertScaleAbs(light, alpha=opacity)
        kept = cv2.convertScaleAbs(plan.square, alpha=1 - opacity)
        return cv2.add(kept, cv2.cvtColor(offset, cv2.COLOR_GRAY2RGB))
    factor = cv2.convertScaleAbs(light, alpha=opacity, beta=255 * (1 - opacity))
    return cv2.multiply(plan.square, cv2.cvtColor(factor, cv2.COLOR_GRAY2RGB), scale=1 / 255)


def _laid(square: np.ndarray, ink: np.ndarray, opacity: float, mode: str) -> np.ndarray:
    """A source with alpha over an opaque backdrop."""
    import cv2

    if mode == "normal" and (ink[..., 3] == 255).all():
        return cv2.addWeighted(square, 1 - opacity, np.ascontiguousarray(ink[..., :3]), opacity, 0)
    out = np.empty_like(square)
    for top in range(0, square.shape[0], ROWS):
        rows = slice(top, top + ROWS)
        backdrop = square[rows].astype(np.float32)
        source = ink[rows, :, :3].astype(np.float32)
        share = ink[rows, :, 3:].astype(np.float32) * np.float32(opacity / 255)
        if mode == "multiply":
            source *= backdrop * np.float32(1 / 255)
        out[rows] = np.rint(backdrop + (source - backdrop) * share)
    return out
