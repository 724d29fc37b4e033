"""Weave: the code's square is rebuilt from patches of the picture, or of another matter.

Patches bring the tones that the code asks for; what they leave missing is said by marks, or
lifted softly by tone.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend import marks, quiet
from nimble_tile.core.blend.bands import solve
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import by_strength, strengths
from nimble_tile.core.blend.weave.lay import LEVELS, Cloth, Wish, lay
from nimble_tile.core.blend.weave.lift import lifted
from nimble_tile.core.blend.weave.matter import (
    CELLS,
    Matter,
    Source,
    in_rgb,
    planes,
    stood,
)
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend

GUARANTEE = tr(
    "Patches bring the tones that modules need, and marks say what they leave missing; at 0.7 "
    "readers pass about nine of ten frames that the usual code passes on sample photographs."
)

_SCALE = ((0.0, 0.0), (0.7, 0.55), (1.0, 1.0))
"""Strength of the settings, and that of the margins here."""

_WHOLE = ((0.0, -1.0), (0.2, -0.2), (0.4, -0.02), (0.6, 0.09), (1.0, 0.22))
_FINDER = ((0.0, -1.0), (0.2, 0.0), (0.4, 0.11), (0.6, 0.18), (1.0, 0.3))
"""Margins from the local tone (luma, 0 to 1), by strength, that patches are asked for: over a
module's area, and over a finder's."""

QUICK_LEVELS, QUICK_CANDIDATES = slice(1, 2), 6
"""Sizes of patches, and candidates, while a slider is dragged."""

STEP = 0.1
"""Steps of strength by which patches are chosen: between them the lift alone changes, and a
slider that is moved a little does not weave all anew."""

CLOTHS = 6
"""Cloths of one symbol that are remembered, as a search asks for them again and again."""

SOFT = 0.12
"""Softness, in modules, of the edges of what must be reached."""


def limits(plan: Plan, strength: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Lowest and highest tone that each module may have (float32 N × N, of 255); the quiet zone
    is left to the lift."""
    whole = np.where(plan.function, by_strength(_FINDER, strength), by_strength(_WHOLE, strength))
    enough = 0.84 + 0.35 * np.maximum(0, strength - 0.6)
    inside = (~plan.quiet).astype(np.float32)
    _, below, above = solve(plan.module_luma, plan.dark, whole, whole, inside, enough)
    low = np.where(plan.dark | plan.quiet, 0, np.minimum(above + whole, enough))
    high = np.where(plan.dark, below - whole, 1)
    return tuple((255 * np.clip(one, 0, 1)).astype(np.float32) for one in (low, high))


def woven(
    plan: Plan, strength: np.ndarray, matter: Matter, wish: Wish,
    everywhere: bool = False, drawn: bool = False,
) -> Cloth:  # fmt: skip
    """The cloth of a square, in cells.

    Parameters
    ----------
    plan : Plan
    strength : ndarray of float32, N × N
    matter : Matter
    wish : Wish
    everywhere : bool
        See `Cloth`.
    drawn : bool
        Finders are left to the lift, which draws them.
    """
    import cv2

    side = plan.modules * CELLS
    way = cv2.INTER_AREA if plan.side >= side else cv2.INTER_LINEAR
    picture = planes(cv2.resize(plan.square, (side, side), interpolation=way))
    low, high = limits(plan, strength)

    def fine(grid: np.ndarray) -> np.ndarray:
        large = cv2.resize(grid, (side, side), interpolation=cv2.INTER_NEAREST)
        return cv2.GaussianBlur(large, (0, 0), SOFT * CELLS)

    if drawn:
        low[plan.function], high[plan.function] = 0, 255
    # In the quiet zone the picture goes on: patches that repeat there are seen.
    near = cv2.dilate((~plan.quiet).astype(np.uint8), np.ones((3, 3), np.uint8))
    free = cv2.resize(near * (strength > 0), (side, side), interpolation=cv2.INTER_NEAREST) > 0
    cloth = Cloth(picture.copy(), picture, fine(low), fine(high), free, everywhere)
    lay(cloth, matter, wish)
    return cloth


def laid_out(plan: Plan, cloth: Cloth, matter: Matter, source: Source) -> np.ndarray:
    """The cloth in the square's own resolution (uint8 S × S × 3).

    Parameters
    ----------
    plan : Plan
    cloth : Cloth
    matter : Matter
    source : Source
        What the matter was made of, in a resolution that suits the square's.
    """
    import cv2

    out = plan.square.copy()
    scale = plan.side / (plan.modules * CELLS)
    per_cell = source.module / CELLS
    exact = abs(per_cell - scale) < 1e-3
    kind = cv2.INTER_AREA if per_cell > scale else cv2.INTER_CUBIC
    tops = np.array([way.top for way in matter.ways])
    stands = [stood(source.parts[way.scale], way) for way in matter.ways]
    # The others are covered.
    for index in np.flatnonzero(np.bincount(cloth.owner[cloth.owner >= 0])):
        patch = cloth.patches[index]
        number = int(np.searchsorted(tops, patch.source[0], "right") - 1)
        stand, side = stands[number], patch.mask.shape[0]
        top, left = round(patch.row * scale), round(patch.column * scale)
        bottom, right = round((patch.row + side) * scale), round((patch.column + side) * scale)
        rows, columns = bottom - top, right - left
        if not rows or not columns:
            continue  # less than a pixel in a tiny square
        down, across = (patch.source[0] - tops[number]) * per_cell, patch.source[1] * per_cell
        tall, wide = (rows, columns) if exact else (max(1, round(side * per_cell)),) * 2
        y = max(0, min(round(down), stand.shape[0] - tall))
        x = max(0, min(round(across), stand.shape[1] - wide))
        new = stand[y : y + tall, x : x + wide]
        if new.shape[:2] != (rows, columns):
            new = cv2.resize(np.ascontiguousarray(new), (columns, rows), interpolation=kind)
        mask = cv2.resize(patch.mask.astype(np.float32), (columns, rows))
        share = np.clip((mask - 0.5) * np.float32(max(2.0, scale)) + 0.5, 0, 1)[..., None]
        part = out[top:bottom, left:right]
        mixed = part + share * (new + in_rgb(patch.shift) - part)
        part[:] = np.rint(np.clip(mixed, 0, 255))
    return out


class Weaving:
    """How a square is woven: thought out in one resolution, whatever that of the square, so that
    what is exported is what was seen.

    Parameters
    ----------
    plan : Plan
        The square in which it is thought out.
    thought : Source
        What it is woven of, for that.
    laid : Source, optional
        The same in the square's own resolution.
    matter : Matter, optional
        The patches, where they are known already.
    """

    def __init__(
        self, plan: Plan, thought: Source, laid: Source | None = None, matter: Matter | None = None
    ) -> None:
        self.plan, self.thought, self.laid = plan, thought, laid or thought
        self.matter = matter or Matter(thought)

    def finer(self, laid: Source) -> Weaving:
        """The same to be laid in another resolution; what was thought out is kept."""
        return Weaving(self.plan, self.thought, laid, self.matter)

    def cloth(self, settings: Blend, strength: np.ndarray | None = None) -> Cloth:
        """What is woven, for a map of strengths (else that of the settings); remembered with
        the square in which it is thought out."""
        weave, plan = settings.weave, self.plan
        strength = by_strength(_SCALE, strengths(plan, settings) if strength is None else strength)
        strength = np.where(strength > 0, np.maximum(np.round(strength / STEP), 1) * STEP, 0)
        strength = strength.astype(np.float32)
        levels = tuple((size * weave.patch, step * weave.patch) for size, step in LEVELS)
        wish = Wish(weave.motif, weave.seed, levels)
        if plan.quick:
            wish = Wish(weave.motif, weave.seed, levels[QUICK_LEVELS], QUICK_CANDIDATES)
        other, drawn = weave.matter != "picture", weave.finders == "drawn" or settings.by_marks
        return plan.once(
            "cloth", (weave, plan.quick, drawn, strength.tobytes()),
            lambda: woven(plan, strength, self.matter, wish, other, drawn).finished(), CLOTHS,
        )  # fmt: skip


def cloth_of(plan: Plan, settings: Blend, strength: np.ndarray) -> Plan:
    """The plan of a square with the cloth in the picture's place; remembered with it."""

    def weaving() -> Weaving:
        own = Source(plan.square, plan.side / plan.modules)
        return Weaving(plan, own) if plan.weaving is None else plan.weaving()

    def make() -> Plan:
        how = plan.once("weaving", 0, weaving)
        given = strength if how.plan is plan else None
        square = laid_out(plan, how.cloth(settings, given), how.matter, how.laid)
        return Plan(
            square, plan.symbol, plan.quiet_zone, plan.look, plan.images, plan.guard,
            plan.fades, plan.factors, plan.quick,
        )  # fmt: skip

    return plan.once("woven", (settings.weave, settings.by_marks, strength.tobytes()), make)


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with `Blend.weave`. Returns uint8 S × S × 3."""
    cloth = cloth_of(plan, settings, strength)
    opacity = float(strength[0, 0])
    if settings.by_marks:
        out = marks.blend(cloth, settings, strength)
    else:
        out = lifted(cloth, settings, by_strength(_SCALE, strength), opacity)
    if settings.quiet == "plain":  # on the picture, not on what was woven there
        for place in quiet.strips(plan):
            out[place] = plan.square[place]
        quiet.lay_plain(plan, out, opacity)
    return out
