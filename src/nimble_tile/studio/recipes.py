"""Recipes of candidates: what is painted, and what of it is varied."""

from __future__ import annotations

import itertools
import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace

import numpy as np

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.standins.painting import Guide, Request

MOST_CANDIDATES = 96
"""Candidates that are asked for at once."""

MORE_WEIGHT = 0.1
"""What "a little more weight" adds."""


@dataclass(frozen=True)
class Guiding:
    """How a code guides a painting: its weight, 0 to 1.5, and the shares of the steps between
    which it does."""

    weight: float = 0.6
    first: float = 0.0
    last: float = 1.0


@dataclass(frozen=True)
class Recipe:
    """What a candidate is painted from.

    Attributes
    ----------
    words, avoid : str
    seed, size, steps : int
        Size in pixels a side.
    guides : tuple of Guiding
        None, one or two.
    start : str
        Digest of a picture to begin from; empty: none.
    depart : float
        How far to depart from it, 0 to 1.
    painter : str
        Entry point of the painter.
    """

    words: str = ""
    avoid: str = ""
    seed: int = 1
    size: int = 640
    steps: int = 24
    guides: tuple[Guiding, ...] = (Guiding(),)
    start: str = ""
    depart: float = 0.6
    painter: str = "local"

    @property
    def unguided(self) -> Recipe:
        """The same without guides: what a candidate is compared with."""
        return replace(self, guides=())

    @property
    def name(self) -> str:
        """What tells it from others of the same words."""
        if not self.guides:
            return tr("seed {seed}, no guide", seed=self.seed)
        ends = "" if self.guides[0].last == 1 else tr(", ends {last:g}", last=self.guides[0].last)
        more = tr(", two guides") if len(self.guides) > 1 else ""
        return tr(
            "seed {seed}, weight {weight:g}{ends}{more}",
            seed=self.seed,
            weight=self.guides[0].weight,
            ends=ends,
            more=more,
        )

    def request(self, dark: np.ndarray | None, start: np.ndarray | None = None) -> Request:
        """As it is given to a painter.

        Parameters
        ----------
        dark : ndarray of bool, n × n, or None
            Modules of the code that guides; None: nothing does.
        start : ndarray of uint8, H × W × 3, optional
            The picture to begin from.
        """
        guides = () if dark is None else tuple(
            Guide(dark, each.weight, each.first, each.last) for each in self.guides if each.weight
        )  # fmt: skip
        return Request(
            self.words, self.avoid, self.seed, self.size, self.size, self.steps, guides, start,
            1.0 if start is None else self.depart,
        )  # fmt: skip

    def as_json(self) -> str:
        return json.dumps(asdict(self))

    @classmethod
    def from_json(cls, text: str) -> Recipe:
        """Raises ValueError, TypeError or KeyError on what is none."""
        data = json.loads(text)
        guides = tuple(Guiding(**guide) for guide in data.pop("guides"))
        return cls(**data, guides=guides)


def variations(
    recipe: Recipe,
    seeds: Sequence[int],
    weights: Sequence[float],
    ends: Sequence[float],
    descriptions: Sequence[tuple[str, str]] = (),
) -> list[Recipe]:
    """Recipes over seeds × weights × ends × descriptions, all of one painting beside each other.

    Parameters
    ----------
    recipe : Recipe
        What is not varied.
    seeds, weights, ends : sequence
        Of the first guide.
    descriptions : sequence of (words, avoid)
        None: those of the recipe.

    Raises
    ------
    UserError
        None, too many, or a guide that ends before it begins.
    """
    descriptions = descriptions or ((recipe.words, recipe.avoid),)
    many = len(seeds) * len(weights) * len(ends) * len(descriptions)
    if not many:
        raise UserError(tr("Nothing is asked for."), tr("Give at least one seed, weight and end."))
    if many > MOST_CANDIDATES:
        raise UserError(
            tr(
                "That makes {many} candidates; {most_candidates} at once are enough.",
                many=many,
                most_candidates=MOST_CANDIDATES,
            ),
            tr("Take fewer seeds, weights or ends."),
        )
    first = recipe.guides[0] if recipe.guides else Guiding()
    made = []
    for (words, avoid), seed, weight, end in itertools.product(descriptions, seeds, weights, ends):
        if end <= first.first:
            raise UserError(tr("The guide must begin before it ends."), tr("Let it end later."))
        guides = (replace(first, weight=weight, last=end), *recipe.guides[1:])
        made.append(replace(recipe, words=words, avoid=avoid, seed=seed, guides=guides))
    return made


def other_seeds(recipe: Recipe, count: int, taken: Sequence[int] = ()) -> list[Recipe]:
    """The same with seeds that were not taken yet."""
    free = (seed for seed in itertools.count(recipe.seed + 1) if seed not in taken)
    return [replace(recipe, seed=seed) for seed in itertools.islice(free, count)]


def more_weight(recipe: Recipe) -> Recipe:
    """The same with a little more weight."""
    if not recipe.guides:
        return replace(recipe, guides=(Guiding(),))
    first = recipe.guides[0]
    weight = round(min(first.weight + MORE_WEIGHT, 1.5), 2)
    return replace(recipe, guides=(replace(first, weight=weight), *recipe.guides[1:]))
