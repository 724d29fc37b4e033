"""One candidate at several strengths: how weak may it be and still hold?

Each look tells by how much a candidate holds, or what it misses; the next strength is where
the line through what is known crosses zero.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from nimble_tile.core.piece import Piece

LEAST_STEP, MOST_STEP = 0.015, 0.08
"""Limits by which a strength is changed from one look to the next."""

CLOSE = 0.02
"""Strengths, one that holds and one that does not, between which nothing is looked for."""

ENOUGH = 0.01
"""Slack from which a weaker one is worth a look: one pair of a trial and a reader has more."""

HOLDS_BY = 0.8
"""Slack that a unit of strength brings, as long as two looks do not tell."""

COSTS = 0.8
"""Likeness that a unit of strength costs, as long as two looks do not tell."""


@dataclass(frozen=True)
class Look:
    """What came of one strength.

    Attributes
    ----------
    by : float
        Strength beyond the candidate's own.
    worth : float
        Likeness of the candidate at this strength.
    slack : float
        Reach beyond what is needed; negative: what is missing.
    """

    by: float
    worth: float
    slack: float


class Line:
    """A candidate and what is known of it.

    Parameters
    ----------
    make : callable
        The piece as it is without further strength; asked when it is first needed.
    worth : float
        Its likeness, or what is expected of it.
    slack : float
        What it has beyond what is needed, as far as it is known without a look.

    Attributes
    ----------
    ended : bool
        Whether its strengths can go no farther.
    """

    def __init__(self, make: Callable[[], Piece], worth: float, slack: float = -np.inf) -> None:
        self.make, self.worth, self.slack = make, worth, slack
        self.looks: list[Look] = []
        self.ended = False

    @property
    def nearest(self) -> float:
        """The greatest slack so far."""
        return max((one.slack for one in self.looks), default=self.slack)

    def add(self, look: Look) -> None:
        """Take in what came of a look, in the place of a former one at the same strength."""
        others = [one for one in self.looks if one.by != look.by]
        self.looks = sorted([*others, look], key=lambda one: one.by)

    def next(self) -> float | None:
        """The strength, beyond the candidate's own, to look at next; None: it is known."""
        if self.ended:
            return None
        if not self.looks:
            return 0.0
        holding = [one for one in self.looks if one.slack >= 0]
        if not holding:
            best = self.looks[-1]
            step = -best.slack / self._slope("slack", HOLDS_BY, 0.5, 4.0)
            if len(self.looks) > 1 and best.slack <= self.looks[-2].slack:
                # The last step brought nothing: a larger one.
                step = max(step, 2 * (best.by - self.looks[-2].by))
            return round(best.by + float(np.clip(step, LEAST_STEP, MOST_STEP)), 3)
        low = holding[0]
        below = [one for one in self.looks if one.by < low.by]
        if not below:
            if low.slack < ENOUGH:
                return None
            step = low.slack / self._slope("slack", HOLDS_BY, 0.5, 4.0)
            return round(low.by - float(np.clip(step, LEAST_STEP, MOST_STEP)), 3)
        high = below[-1]
        if low.by - high.by < CLOSE:
            return None
        share = float(np.clip(-high.slack / (low.slack - high.slack), 0.3, 0.7))
        return round(high.by + share * (low.by - high.by), 3)

    def promise(self, by: float) -> float:
        """Likeness to be expected at a strength."""
        if not self.looks:
            return self.worth
        near = min(self.looks, key=lambda one: abs(one.by - by))
        return near.worth + self._slope("worth", -COSTS, -4.0, -0.2) * (by - near.by)

    def _slope(self, name: str, usual: float, least: float, most: float) -> float:
        """Change of a figure with the strength, between the last two looks."""
        pairs = [
            (getattr(after, name) - getattr(before, name)) / (after.by - before.by)
            for before, after in pairwise(self.looks)
        ]
        return float(np.clip(pairs[-1], least, most)) if pairs else usual
