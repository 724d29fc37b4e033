"""The dark and the light band: tones that modules must keep to for readers.

The bands follow the picture. Round each module lies a local tone, the mean of
the finished square over a few modules, as readers with a local threshold see
it; dark modules are drawn below it and light modules above it by a margin, on
their side of mid grey for readers with one threshold for all. The margin is
larger in a spot at the module's centre, where readers sample, than over its
whole area. The bands depend on each other through the local tone, so they are
solved together by fixed-point iteration on the grid of modules.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import by_strength
from nimble_tile.core.piece import Blend

# Margins from the local tone (luma, 0 to 1) by strength. Negative margins let
# modules stay on the wrong side: at -1 nothing is ever moved. The values at
# 0.6 are those at which our readers read sample photographs straight on, the
# values at 1 those beyond which their reach no longer grew. The quiet zone
# needs the most: OpenCV misses whole codes where it is dull.
_WHOLE = ((0.0, -1.0), (0.2, -0.3), (0.4, -0.12), (0.6, -0.04), (1.0, 0.20))
_CENTRE = ((0.0, -1.0), (0.2, -0.12), (0.4, 0.11), (0.6, 0.26), (1.0, 0.42))
_QUIET = ((0.0, -1.0), (0.2, -0.15), (0.4, 0.06), (0.6, 0.24), (1.0, 0.40))
_FUNCTION = ((0.0, -1.0), (0.2, -0.10), (0.4, 0.12), (0.6, 0.25), (1.0, 0.40))

LOCAL = 2.5
"""Standard deviation of the local tone in modules; 2.5 kept more of the
picture at the same reach than 3.5, 4 and 7."""

LIGHT_ENOUGH = np.float32(0.84)
"""Luma from which no light module is lightened further, so that bright pictures
keep their tones; grows by `STRONGER` for each unit of strength above 0.6."""
STRONGER = np.float32(0.35)

ROUNDS = 24


@dataclass(frozen=True, eq=False)
class Bands:
    """Tones and margins on the grid of modules, all float32 N × N, luma 0 to 1.

    Attributes
    ----------
    tone : mean tone that each module gets.
    below, above : what a dark module there must stay under and a light one over,
        less and plus the margin; smooth fields.
    whole, centre : margins of the whole module and of its centre.
    enough : tone beyond which no light module is lightened.
    """

    tone: np.ndarray
    below: np.ndarray
    above: np.ndarray
    whole: np.ndarray
    centre: np.ndarray
    enough: np.ndarray


def bands(plan: Plan, settings: Blend, strength: np.ndarray) -> Bands:
    """The bands of a square.

    Parameters
    ----------
    plan : Plan
    settings : Blend
        Of which `darks` and `lights` widen or narrow the two bands.
    strength : ndarray of float32, N × N
        See `nimble_tile.core.blend.strength`.
    """
    key = (strength.tobytes(), settings.darks, settings.lights)
    return plan.once("bands", key, lambda: _bands(plan, settings, strength))


def _bands(plan: Plan, settings: Blend, strength: np.ndarray) -> Bands:
    whole = by_strength(_WHOLE, strength)
    whole[plan.function] = by_strength(_FUNCTION, strength[plan.function])
    centre = np.maximum(whole, by_strength(_CENTRE, strength))
    quiet = plan.quiet
    whole[quiet] = centre[quiet] = by_strength(_QUIET, strength[quiet])
    share = np.where(plan.dark, np.float32(settings.darks), np.float32(settings.lights))
    if settings.darks != 1 or settings.lights != 1:
        body = ~quiet
        whole, centre = (np.where(body, _shared(m, share), m) for m in (whole, centre))
    inside = (~quiet).astype(np.float32)
    enough = LIGHT_ENOUGH + STRONGER * np.maximum(0, strength - np.float32(0.6))
    tone, below, above = solve(plan.module_luma, plan.dark, whole, centre, inside, enough)
    return Bands(tone, below, above, whole, centre, enough)


def _shared(margin: np.ndarray, share: np.ndarray) -> np.ndarray:
    """A margin widened or narrowed: 0 lets the picture be, 1 changes nothing."""
    return (np.float32(-1) + (margin + 1) * np.minimum(share, 1)
            + np.maximum(share - 1, 0) * np.float32(0.2)).astype(np.float32)  # fmt: skip


def solve(
    luma: np.ndarray,
    dark: np.ndarray,
    whole: np.ndarray,
    centre: np.ndarray,
    inside: np.ndarray,
    enough: np.ndarray,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Tone of each module, and the thresholds round it.

    Parameters
    ----------
    luma : ndarray of float32, N × N
        Picture's tone of each module.
    dark : ndarray of bool, N × N
    whole, centre : ndarray of float32, N × N
        Margins.
    inside : ndarray of float32, N × N
        1 where a module counts for the local tone, 0 in the quiet zone: were
        it to count, the quiet zone would chase its own mean up to white.
    enough : ndarray of float32, N × N
        Tone beyond which no light module is lightened.

    Returns
    -------
    tone, below, above : ndarray of float32, N × N
        Mean tone of the module; what a dark one there must stay under and a
        light one over, each a smooth field.
    """
    import cv2

    mean_margin = 0.55 * whole + 0.45 * centre
    room = 0.9 * np.maximum(centre, 0)
    tone = luma
    near = partial(cv2.GaussianBlur, ksize=(0, 0), sigmaX=LOCAL, borderType=cv2.BORDER_CONSTANT)
    weight = np.maximum(near(inside), 1e-6)
    for _ in range(ROUNDS):
        local = near(tone * inside) / weight
        below = np.maximum(np.minimum(local, 0.5), room)
        above = np.minimum(np.maximum(local, 0.5), 1 - room)
        wanted = np.where(
            dark,
            np.minimum(luma, below - mean_margin),
            np.maximum(luma, np.minimum(above + mean_margin, enough)),
        )
        tone = (0.5 * tone + 0.5 * np.clip(wanted, 0, 1)).astype(np.float32)
    return tone, below.astype(np.float32), above.astype(np.float32)
