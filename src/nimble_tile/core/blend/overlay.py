"""Overlay: the black and white code laid over the picture with an opacity.

References
----------
W3C Compositing and Blending Level 1: blend modes ``normal`` and ``multiply``,
``co = cb · (1 − αs) + B(cb, cs) · αs`` over an opaque backdrop.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.piece import Blend


def blend(plan: Plan, settings: Blend) -> np.ndarray:
    """Blend with opacity `Blend.strength` in mode `Blend.mode`.

    Returns
    -------
    ndarray of uint8, S × S × 3
        Guarantees that every module keeps its side of mid grey once the
        strength is above one half in normal mode; multiply never lightens, so
        a dark picture stays unreadable.
    """
    import cv2

    # Steps of 1/255 throughout, as in the blend's definition on 8-bit images.
    opacity = settings.strength
    light = np.rint((1 - plan.coverage) * 255).astype(np.uint8)
    if settings.mode == "normal":
        offset = cv2.convertScaleAbs(light, alpha=opacity)
        kept = cv2.convertScaleAbs(plan.square, alpha=1 - opacity)
        return cv2.add(kept, cv2.cvtColor(offset, cv2.COLOR_GRAY2RGB))
    factor = cv2.convertScaleAbs(light, alpha=opacity, beta=255 * (1 - opacity))
    return cv2.multiply(plan.square, cv2.cvtColor(factor, cv2.COLOR_GRAY2RGB), scale=1 / 255)
