"""Which modules get a mark, how large it is, and at which tone.

The same cost as for the soft blend is descended by the marks' tones alone: a module's
change is what its mark covers of it. What comes out small is left to the picture; the others
become flat, and their tones are settled once more.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.blend import gentle
from nimble_tile.core.blend.marks.inks import LEAST_LUMA, MOST_LUMA
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import by_strength
from nimble_tile.core.piece import Blend
from nimble_tile.core.symbol.anatomy import Part

WEIGHTS = gentle.Weights(100.0, 10.0, 0.0, 0.3, ((0.45, 1.0), (0.7, 2.0), (1, 4.0)))
"""Those of the soft blend, but edges are what marks are made of."""

ROUNDS, SETTLING = 50, 20
"""Steps of the descent, and of settling the flat tones."""

QUICK_ROUNDS, QUICK_SETTLING = 12, 6
"""The same while a slider is dragged."""

STEP, SETTLING_STEP = 40.0, 15.0
"""First steps' length, of 255."""

FROM_GREY = 38.0
"""Steps of 255 by which the margin from mid grey is less: colours change by a tenth less
on four pictures, at about the same reach."""

LEAST = ((0.0, 5.0), (0.5, 30.0), (0.65, 30.0), (1.0, 10.0))
"""Change of tone, of 255, below which a module gets no mark, by strength. The marks that stay
make up for what the others said: on five pictures, at strength 0.5, reach stays 0.90 and FLIP
falls from 0.42 to 0.41 where those below 25 go, to 0.395 below 40. There, straight on, OpenCV
misses one of six photographs. Whoever asks for much strength asks for every mark that helps."""

LEAST_SIZE = 0.4
"""Size, in parts of the largest, of the smallest mark where sizes tell the strength."""

FULL = 120.0
"""Change of tone, of 255, at which a mark is as large as can be where sizes tell the strength."""


@dataclass(frozen=True, eq=False)
class Solved:
    """Marks on the grid of modules.

    Attributes
    ----------
    there : ndarray of bool, N × N
    tone : ndarray of float32, N × N
        Luma, 0 to 255.
    size : ndarray of float32, N × N
        In parts of the largest.
    """

    there: np.ndarray
    tone: np.ndarray
    size: np.ndarray


class _Descent:
    """The tones of marks on one square.

    Parameters
    ----------
    plan : Plan
    base : ndarray of float32
        Change of tone that the parts make, on the grid of cells.
    wanted : Margins
    strength : ndarray of float32, N × N
    """

    def __init__(self, plan: Plan, base: np.ndarray, wanted, strength: np.ndarray) -> None:
        self.inner = cost(plan)
        self.base, self.wanted, self.strength = base, wanted, strength

    def down(
        self, start: np.ndarray, cover: np.ndarray, below: np.ndarray | float,
        low: np.ndarray, high: np.ndarray, rounds: int, step: float,
    ) -> np.ndarray:  # fmt: skip
        """Values of the modules (N × N) between two limits; the change of tone is what `cover`
        (on the cells) lets through of them, less `below` (on the cells)."""
        cells = self.inner.cells
        found = start.astype(np.float32)
        first, second = np.zeros_like(found), np.zeros_like(found)
        for number in range(1, rounds + 1):
            change = self.base + cover * (_cells(found, cells) - below)
            _, slope = self.inner.value(change, self.wanted, self.strength)
            slope = gentle.module_means(slope * cover, cells) * np.float32(cells**2)
            first = np.float32(0.9) * first + np.float32(0.1) * slope
            second = np.float32(0.95) * second + np.float32(0.05) * slope * slope
            length = step * (0.03 + 0.97 * 0.5 * (1 + np.cos(np.pi * number / rounds)))
            ratio = np.float32(length / (1 - 0.9**number))
            scale = np.float32(1 / (1 - 0.95**number))
            found -= ratio * first / (np.sqrt(scale * second) + np.float32(1e-9))
            found = np.clip(found, low, high)
        return found


def cost(plan: Plan) -> gentle.Descent:
    """What is to be made small, remembered with the square."""
    return plan.once("marks' cost", 0, lambda: gentle.Descent(plan, WEIGHTS))


def _cells(grid: np.ndarray, cells: int) -> np.ndarray:
    return grid.repeat(cells, 0).repeat(cells, 1)


def _wanted(plan: Plan, settings: Blend, strength: np.ndarray) -> gentle.Margins:
    """Margins of the soft blend, but less from mid grey: a mark leaves part of its module as it
    is, and would have to be black for the whole to be dark."""
    asked = gentle.margins(plan, settings, strength)
    grey = np.where(asked.grey > 0, asked.grey - FROM_GREY, asked.grey)
    return gentle.Margins(asked.middle, asked.area, grey.astype(np.float32))


def body(plan: Plan) -> np.ndarray:
    """Bool N × N: modules that marks are for."""
    drawn = np.isin(plan.parts, (Part.FINDER, Part.SEPARATOR, Part.ALIGNMENT))
    return ~plan.quiet & ~drawn


def solve(
    plan: Plan, settings: Blend, strength: np.ndarray, stamps: list[np.ndarray], base: np.ndarray
) -> Solved:
    """The marks of a square.

    Parameters
    ----------
    plan : Plan
    settings : Blend
    strength : ndarray of float32, N × N
    stamps : list of ndarray of float32, cells × cells
        What a mark covers of its module's cells, by sizes from 1 down to `LEAST_SIZE`, evenly.
    base : ndarray of float32, (N · cells)²
        Change of tone that the parts make.
    """
    wanted = _wanted(plan, settings, strength)
    descent = _Descent(plan, base, wanted, strength)
    cells, count = descent.inner.cells, plan.modules
    rounds, settling = (QUICK_ROUNDS, QUICK_SETTLING) if plan.quick else (ROUNDS, SETTLING)
    inside = body(plan)
    sign = np.where(plan.dark, np.float32(-1), np.float32(1))
    free = np.clip(strength / np.float32(gentle.FREE_STRENGTH), 0, 1) * inside
    tiled = np.tile(stamps[0], (count, count)) * _cells(inside.astype(np.float32), cells)
    under = gentle.module_means(descent.inner.tone * np.tile(stamps[0], (count, count)), cells)
    under /= max(float(stamps[0].mean()), 1e-6)
    # Towards the side that is asked for alone: a mark that helps its neighbours is a stain.
    low = np.where(plan.dark, -under * free, 0).astype(np.float32)
    high = np.where(plan.dark, 0, (255 - under) * free).astype(np.float32)
    change = descent.down(np.zeros_like(under), tiled, 0.0, low, high, rounds, STEP)
    there = (sign * change > by_strength(LEAST, strength)) & inside
    size = np.ones_like(under)
    way = settings.marks.by
    if way != "lightness":
        # The same mean change by a smaller mark of more contrast.
        room = np.where(plan.dark, under - LEAST_LUMA, MOST_LUMA - under)
        most = np.clip(np.float32(FULL), None, np.maximum(room, 1))
        share = np.clip(np.abs(change) / most, 0, 1)
        size = np.sqrt(share) if way == "size" else share**0.25
        size = np.clip(size, LEAST_SIZE, 1).astype(np.float32)
        change = np.where(there, change / size**2, change)
    steps = len(stamps)
    number = (
        np.rint((1 - size) / (1 - LEAST_SIZE) * (steps - 1)).astype(int)
        if steps > 1
        else (np.zeros(size.shape, int))
    )
    cover = np.array(stamps)[number].transpose(0, 2, 1, 3).reshape(tiled.shape)
    cover = cover * _cells(there.astype(np.float32), cells)
    tone = np.clip(under + change, LEAST_LUMA, MOST_LUMA).astype(np.float32)
    least, most = np.float32(LEAST_LUMA), np.float32(MOST_LUMA)
    tone = descent.down(
        tone, cover, descent.inner.tone, least, most, settling, SETTLING_STEP
    )  # fmt: skip
    if steps > 1:
        size = 1 - number.astype(np.float32) * np.float32((1 - LEAST_SIZE) / (steps - 1))
    return Solved(there, tone, size)
