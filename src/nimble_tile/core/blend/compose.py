"""The last steps that the methods share: the quiet zone, and tones given to colours."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend import quiet
from nimble_tile.core.blend.bands import bands
from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.piece import Blend


def toned(plan: Plan, after: np.ndarray, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """The square with the given luma on the symbol, and its quiet zone treated.

    Parameters
    ----------
    plan : Plan
    after : ndarray of uint8, S × S
        Luma of each pixel; changed in place in the quiet zone.
    settings : Blend
    strength : ndarray of float32, N × N

    Returns
    -------
    ndarray of uint8, S × S × 3
    """
    plain = settings.quiet == "plain"
    if plan.quiet_zone:
        light = plan.luma if plain else _light(plan, settings, strength)
        for place in quiet.strips(plan):
            after[place] = light[place]
    out = move_luma(plan.square, plan.luma, after, plan.colours)
    if plan.quiet_zone and plain:
        quiet.lay_plain(plan, out, float(strength[0, 0]))
    return out


def with_quiet_zone(
    plan: Plan, out: np.ndarray, settings: Blend, strength: np.ndarray
) -> np.ndarray:
    """A square (uint8 S × S × 3, changed in place) with its quiet zone treated."""
    if not plan.quiet_zone:
        return out
    places = quiet.strips(plan)
    if settings.quiet == "plain":
        for place in places:
            out[place] = plan.square[place]
        quiet.lay_plain(plan, out, float(strength[0, 0]))
        return out
    light = _light(plan, settings, strength)
    for place in places:
        part = np.ascontiguousarray(plan.square[place])
        before, after = (np.ascontiguousarray(luma[place]) for luma in (plan.luma, light))
        out[place] = move_luma(part, before, after)
    return out


def _light(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    soft = settings.quiet == "soft"
    key = (strength.tobytes(), settings.darks, settings.lights, soft)
    return plan.once(
        "quiet", key, lambda: quiet.lightened(plan, bands(plan, settings, strength), soft)
    )
