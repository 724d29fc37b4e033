"""Rims: what OpenCV's search for a code's corners needs at its edges, and where it ends.

Its detector draws the code's right and lower edge from two finders' outermost points and takes
every dark part into the code that those lines touch: see docs/methods.md, "Corners".
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend import quiet
from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import by_strength
from nimble_tile.core.piece import Blend

SEAM_MARGIN = ((0, -255), (0.15, 0), (0.3, 26), (0.6, 50), (0.8, 55), (1, 80))

SEAM = (0.15, 0.55, 0.8)
"""A seam of light round the code: from so many modules outside it on wholly, up to there wholly,
and up to there fading. It has no gap, not of a pixel: OpenCV follows dark parts from the code's
edges outwards, and through the thinnest crack it takes a part of the picture for code."""

SERIF = (0.25, 0.75)
"""How far, in modules, the outermost corners of the upper right and the lower left finder are
drawn out, and along how much of their edges, in a curve. A camera rounds corners off; OpenCV
draws the code's right and lower edge from these two on, and a fifth of a module lost there is
one lost at the far end. Letters cut for print end in serifs for the same reason."""


def along(plan: Plan) -> np.ndarray:
    """Positions of the pixels of a row or a column, in modules from the code's corner."""
    at = (np.arange(plan.side, dtype=np.float32) + 0.5) * (plan.modules / plan.side)
    return at - plan.quiet_zone


def lay_seam(plan: Plan, after: np.ndarray, local: np.ndarray, strength: np.ndarray) -> None:
    """Let no pixel of the seam round the code be dark, in place; see `SEAM`."""
    import cv2

    at, (begin, end, out) = along(plan), SEAM
    beyond = np.maximum(-at, at - plan.symbol.side)
    away = np.maximum(beyond[:, None], beyond[None, :])
    share = np.minimum(np.clip(away / begin, 0, 1), np.clip((out - away) / (out - end), 0, 1))
    margin = np.where(plan.quiet, np.maximum(by_strength(SEAM_MARGIN, strength), 0), 0).astype(
        np.float32
    )
    wanted = plan.on_pixels(margin)
    share *= wanted > 0
    after += share.astype(np.float32) * (cv2.max(after, local + wanted) - after)


def lay_serifs(plan: Plan, after: np.ndarray, local: np.ndarray, margin: np.ndarray) -> None:
    """Draw out the two corners that the code's edges are drawn from, in place; see `SERIF`."""
    import cv2

    n, own = plan.symbol.side, plan.quiet_zone
    if plan.symbol.micro:
        return  # it has one finder alone
    at, pixel = along(plan), plan.modules / plan.side
    first, last = -at, at - n  # modules beyond the first and the last edge
    reach = max(SERIF) + pixel
    for down, right, corner in (
        (first, last, (own, own + n - 1)), (last, first, (own + n - 1, own)),
    ):  # fmt: skip
        deep = float(margin[corner])
        if deep > 0:
            rows, columns = (_near(beyond, reach) for beyond in (down, right))
            share = _serif(down[rows, None], right[None, columns], pixel)
            below = cv2.min(after[rows, columns], local[rows, columns] - np.float32(deep))
            after[rows, columns] += share * (below - after[rows, columns])


def _near(beyond: np.ndarray, reach: float) -> slice:
    """The part of a row or a column of distances that is within a limit of 0."""
    inside = np.flatnonzero(np.abs(beyond) <= reach)
    return slice(inside[0], inside[-1] + 1)


def _serif(beyond: np.ndarray, across: np.ndarray, pixel: float) -> np.ndarray:
    """How far each pixel belongs to a serif (float32, 0 to 1), by its distances in modules
    beyond the two edges that meet there."""
    out, length = SERIF

    def flare(u: np.ndarray) -> np.ndarray:
        # How far the serif stands out at a point of the edge; fully beyond the edge's end.
        return out * np.clip(1 + np.minimum(u, 0) / length, 0, 1) ** 2

    inside = np.minimum(flare(across) - beyond, flare(beyond) - across)
    # Only the finder's ring is touched.
    inside = np.minimum(inside, np.minimum(np.maximum(beyond, across), 0) + 0.5)
    near = np.minimum(beyond, across) > -length
    return (near * np.clip(inside / pixel + 0.5, 0, 1)).astype(np.float32)


def fade_out(plan: Plan, after: np.ndarray, soft: bool) -> None:
    """Fade the quiet zone into the picture's own tone, in place."""
    import cv2

    share = cv2.resize(quiet.fade(plan, soft), (plan.side,) * 2, interpolation=cv2.INTER_LINEAR)
    for place in quiet.strips(plan):
        before = plan.luma[place].astype(np.float32)
        faded = before + share[place] * (after[place] - before)
        after[place] = np.rint(np.clip(faded, 0, 255)).astype(np.uint8)


def coloured(plan: Plan, after: np.ndarray, settings: Blend, opacity: float) -> np.ndarray:
    """The square with another luma (uint8 S × S, changed), which ends at its outer edge as the
    settings of the quiet zone ask for (a plain one with this opacity); returns uint8 S × S × 3."""
    if plan.quiet_zone:
        fade_out(plan, after, settings.quiet == "soft")
    plain = settings.quiet == "plain" and plan.quiet_zone
    if plain:
        for place in quiet.strips(plan):
            after[place] = plan.luma[place]
    out = move_luma(plan.square, plan.luma, after, plan.colours)
    if plain:
        quiet.lay_plain(plan, out, opacity)
    return out
