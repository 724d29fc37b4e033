"""How strongly each module is drawn: one map from strength, finders, quiet zone, the map of
each module by itself, and guard."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.piece import Blend

MAKE_UP = 0.35
"""Strength that the other modules gain, as a share of what the guard takes on average."""

FOUND = 0.25
"""Share of the guard that applies to finders, alignment patterns and quiet zone: without them
no reader finds the code at all."""


# Default strength of finders and quiet zone beyond that of the rest: OpenCV
# found no finders that were duller than a body with nearly the contrast of black and white.
_BEYOND = {
    "overlay": (0.1, 0.0),
    "cut": (0.25, 0.1),
    "ink": (0.25, 0.2),
    "grain": (0.25, 0.2),
    "dots": (0.05, 0.0),
}


def strengths(plan: Plan, settings: Blend) -> np.ndarray:
    """Strength of each module.

    Returns
    -------
    ndarray of float32, N × N
        0 (the picture alone) to 1; with a guard less where it lies and more elsewhere.
    """
    found = np.full((plan.modules, plan.modules), settings.strength, np.float32)
    finders, quiet = (
        min(1.0, settings.strength + beyond) if settings.strength > 0 else 0.0
        for beyond in _BEYOND.get(settings.method, (0.0, 0.0))
    )
    found[plan.function] = finders if settings.finders is None else settings.finders
    found[plan.quiet] = quiet if settings.quiet_strength is None else settings.quiet_strength
    if plan.factors is not None:
        found = np.clip(found * plan.factors, 0, 1)
    if plan.guard is None or not plan.guard.any() or settings.guarding == 0:
        return found
    taken = settings.guarding * plan.guard
    body = ~plan.quiet & ~plan.function
    taken = np.where(body, taken, FOUND * taken)
    made_up = MAKE_UP * float(taken[body].mean()) * settings.strength
    made_up = np.where(body, (1 - plan.guard) * made_up, 0)
    return np.clip(found * (1 - taken) + made_up, 0, 1).astype(np.float32)


def by_strength(knots: tuple[tuple[float, float], ...], strength: np.ndarray) -> np.ndarray:
    """A figure that is given at some strengths, at others in between (float32)."""
    at, value = zip(*knots, strict=True)
    return np.interp(strength, at, value).astype(np.float32)
