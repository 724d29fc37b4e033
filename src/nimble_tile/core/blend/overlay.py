"""Overlay: the code, as it looks, laid over the picture with an opacity.

References
----------
W3C Compositing and Blending Level 1: ``co = cb · (1 − αs) + B(cb, cs) · αs``
over an opaque backdrop, with B of each blend mode in
`nimble_tile.core.blend.modes`.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from nimble_tile.core.blend.compose import with_quiet_zone
from nimble_tile.core.blend.modes import MODES, SEPARABLE
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.channels import colours_of
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend

PART_PIXELS = 262_144
"""Pixels that are worked on at once in floating point: enough to keep several
processors busy, few enough to need little memory."""

MOST_LEVELS = 3
"""Different opacities up to which the square is laid once with each."""

GUARANTEE = tr(
    "In black on white and normal mode every module keeps its side of mid grey once the "
    "strength is above one half. Other modes guarantee nothing: multiply never lightens, "
    "screen never darkens."
)


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with an opacity for each module in mode `Blend.mode`.

    Returns
    -------
    ndarray of uint8, S × S × 3
        A quiet zone that is to be plain or to fade is treated as in the other methods.
    """
    out = _blend(plan, settings, strength)
    if settings.quiet == "lightened":
        return out
    return with_quiet_zone(plan, out, settings, strength)


def _blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    import cv2

    # Steps of 1/255 throughout, as in the blend's definition on 8-bit images.
    opacity = float(strength[0, 0])
    quick = plan.look.plain and settings.mode in ("normal", "multiply")
    levels = np.unique(strength)
    parted = quick or (settings.mode in SEPARABLE and bool((plan.ink[..., 3] == 255).all()))
    if len(levels) > MOST_LEVELS or (len(levels) > 1 and not parted):
        steps = plan.on_pixels(np.rint(strength * 255).astype(np.uint8))
        return _laid(plan.square, plan.ink, steps, settings.mode)
    if len(levels) > 1:
        return _in_parts(plan, settings, strength, levels)
    opacity = round(opacity, 6)  # which single precision has blurred
    if not quick:
        return _laid(plan.square, plan.ink, opacity, settings.mode)
    light = np.rint((1 - plan.coverage) * 255).astype(np.uint8)
    if settings.mode == "normal":
        offset = cv2.convertScaleAbs(light, alpha=opacity)
        kept = cv2.convertScaleAbs(plan.square, alpha=1 - opacity)
        return cv2.add(kept, cv2.cvtColor(offset, cv2.COLOR_GRAY2RGB))
    factor = cv2.convertScaleAbs(light, alpha=opacity, beta=255 * (1 - opacity))
    return cv2.multiply(plan.square, cv2.cvtColor(factor, cv2.COLOR_GRAY2RGB), scale=1 / 255)


def _in_parts(plan: Plan, settings: Blend, strength: np.ndarray, levels: np.ndarray) -> np.ndarray:
    """A few opacities: the whole square with each of them, and from each its modules."""
    import cv2

    commonest = max(levels, key=lambda level: (strength == level).sum())
    out = _blend(plan, settings, np.full_like(strength, commonest))
    for level in levels[levels != commonest]:
        own = plan.on_pixels((strength == level).astype(np.uint8) * 255)
        cv2.copyTo(_blend(plan, settings, np.full_like(strength, level)), own, out)
    return out


def _laid(
    square: np.ndarray, ink: np.ndarray, opacity: float | np.ndarray, mode: str
) -> np.ndarray:
    """A source with alpha over an opaque backdrop.

    The opacity is a float for all, or 0 to 255 for each pixel.
    """
    import cv2

    single = isinstance(opacity, float)
    if mode == "normal" and single and (ink[..., 3] == 255).all():
        return cv2.addWeighted(square, 1 - opacity, colours_of(ink), opacity, 0)
    out = np.empty_like(square)
    opaque = single and bool((ink[..., 3] == 255).all())
    if opaque and mode in SEPARABLE:
        _by_table(square, ink, opacity, mode, out)
        return out
    mix = MODES[mode]
    unit = np.float32(1 / 255)
    grey = bool((ink[..., 0] == ink[..., 1]).all() and (ink[..., 1] == ink[..., 2]).all())
    step = max(1, PART_PIXELS // square.shape[1])

    def work(top: int) -> None:
        rows = slice(top, top + step)
        backdrop = [plane * unit for plane in cv2.split(square[rows])]
        *source, alpha = cv2.split(ink[rows])
        source = [source[0] * unit] * 3 if grey else [plane * unit for plane in source]
        mixed = mix(backdrop, source)
        share = alpha * (np.float32(opacity / 255) if single else opacity[rows] * unit * unit)
        planes = [
            np.rint((b + (m - b) * share) * np.float32(255)).astype(np.uint8)
            for b, m in zip(backdrop, mixed, strict=True)
        ]
        cv2.merge(planes, out[rows])

    # numpy and OpenCV let go of the interpreter while they compute.
    with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
        list(pool.map(work, range(0, square.shape[0], step)))
    return out


def _by_table(
    square: np.ndarray, ink: np.ndarray, opacity: float, mode: str, out: np.ndarray
) -> None:
    """An opaque source at one opacity: 256 × 256 pairs of values are all that there can be."""
    levels = np.arange(256, dtype=np.float32) * np.float32(1 / 255)
    backdrop, source = np.broadcast_arrays(levels[None], levels[:, None])
    mixed = SEPARABLE[mode](backdrop, source)
    blended = backdrop + (mixed - backdrop) * np.float32(opacity)
    table = np.rint(blended * np.float32(255)).astype(np.uint8).ravel()
    step = max(1, PART_PIXELS // square.shape[1])

    def work(top: int) -> None:
        rows = slice(top, top + step)
        pair = ink[rows, :, :3].astype(np.uint16)
        pair <<= 8
        pair |= square[rows]
        # Clipped, as numpy copies once more what it may have to refuse.
        table.take(pair, out=out[rows], mode="clip")

    with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
        list(pool.map(work, range(0, square.shape[0], step)))
