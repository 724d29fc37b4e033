"""Dots: the picture shows between the modules' centres, which keep their reflectance.

A small dot alone is not enough for every reader: one of ours resamples by
area, so the majority of a module must lean its way too. Under the dots
therefore lies a mild tone over whole modules.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from nimble_tile.core.blend import tone
from nimble_tile.core.blend.bands import Bands, bands
from nimble_tile.core.blend.compose import toned
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend, Dots

GUARANTEE = tr(
    "The middle of every module keeps a reflectance of its own, at strength 1 nearly black "
    "or white, whatever the picture is; between the dots only a mild tone is asked for."
)

# Luma that dots reach at most (dark) and at least (light), by strength. Both
# also keep the margins of the bands.
_DARK = ((0.0, 1.0), (0.3, 0.45), (0.7, 0.22), (1.0, 0.06))
_LIGHT = ((0.0, 0.0), (0.3, 0.6), (0.7, 0.82), (1.0, 0.96))

MILD = 0.92
"""Strength of the tone between the dots, in parts of the strength for small dots;
large dots need less of it, as they are a majority by themselves."""


def spots(plan: Plan, settings: Dots) -> np.ndarray:
    """Uint8 S × S: 255 inside the dot at each module's centre, 0 between the dots."""
    across = np.abs(plan.offsets())
    radius = settings.size / 2
    soft = max(settings.softness * radius, 0.5 * plan.modules / plan.side)
    if settings.shape == "round":
        distance = np.hypot(across[:, None], across)
    elif settings.shape == "square":
        distance = np.maximum(across[:, None], across)
    else:
        # A diamond of the same area as the round dot.
        distance = (across[:, None] + across) * np.float32(np.sqrt(np.pi / 8) * 1.0)
    share = np.clip((np.float32(radius) - distance) / np.float32(soft) + 0.5, 0, 1)
    return np.rint(share * 255).astype(np.uint8)


def _mix(first: np.ndarray, second: np.ndarray, share: np.ndarray) -> np.ndarray:
    """`first` where the share is 255, `second` where it is 0 (all uint8)."""
    import cv2

    own = cv2.multiply(first, share, scale=1 / 255)
    return cv2.add(own, cv2.multiply(second, cv2.bitwise_not(share), scale=1 / 255))


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with `Blend.dots`. Returns uint8 S × S × 3."""
    import cv2

    mild = MILD + (1 - MILD) * 0.5 * (0.6 - settings.dots.size)
    between = strength.copy()
    body = ~plan.function & ~plan.quiet
    between[body] *= np.float32(mild)
    after = tone.tones(plan, settings, between)
    made: Bands = bands(plan, settings, strength)
    made = replace(made, centre=np.maximum(made.centre, made.whole))
    dark, light = (
        np.interp(strength, *zip(*knots, strict=True)).astype(np.float32)
        for knots in (_DARK, _LIGHT)
    )
    dark = np.minimum(dark, np.clip(made.below - made.centre, 0, 1))
    light = np.maximum(light, np.clip(np.minimum(made.above + made.centre, made.enough), 0, 1))
    # On function patterns the tone itself is strong enough.
    ceiling = np.where(plan.dark & body, dark, 1)
    floor = np.where(~plan.dark & body, light, 0)
    ceiling, floor = (
        plan.on_pixels(np.rint(grid * 255).astype(np.uint8)) for grid in (ceiling, floor)
    )
    dotted = cv2.min(cv2.max(after, floor), ceiling)
    share = plan.once("spots", settings.dots, lambda: spots(plan, settings.dots))
    return toned(plan, _mix(dotted, after, share), settings, strength)
