"""What a painter is asked for, and what it gives: the protocol of picture generators."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Protocol, runtime_checkable

import numpy as np

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.workers.plain import sent

LEAST_SIZE, MOST_SIZE = 128, 4096
MOST_STEPS = 200

MOST_WEIGHT = 1.5
"""Of a guide."""


@sent
@dataclass(frozen=True, eq=False)
class Guide:
    """A code that a painting is guided by.

    Attributes
    ----------
    dark : ndarray of bool, n × n
    weight : float
        0 (none) to 1.5.
    first, last : float
        Shares of the steps between which it guides, 0 to 1.
    """

    dark: np.ndarray
    weight: float = 0.5
    first: float = 0.0
    last: float = 1.0

    def __post_init__(self) -> None:
        if not 0 <= self.weight <= MOST_WEIGHT:
            raise UserError(
                tr(
                    "The guide\u2019s weight goes from 0 to {most_weight:g}.",
                    most_weight=MOST_WEIGHT,
                )
            )
        if not 0 <= self.first < self.last <= 1:
            raise UserError(tr("The guide must begin before it ends, between 0 and 1."))


@sent
@dataclass(frozen=True, eq=False)
class Request:
    """What is to be painted.

    Attributes
    ----------
    words : str
        Description; see `nimble_tile.standins.painter.words`.
    avoid : str
        What must not be in it.
    seed : int
    width, height : int
        Pixels.
    steps : int
    guides : tuple of Guide
    start : ndarray of uint8, H × W × 3, or None
        A picture to begin from.
    depart : float
        How far to depart from it, 0 (not at all) to 1.
    """

    words: str = ""
    avoid: str = ""
    seed: int = 0
    width: int = 1024
    height: int = 1024
    steps: int = 24
    guides: tuple[Guide, ...] = ()
    start: np.ndarray | None = None
    depart: float = 1.0

    def __post_init__(self) -> None:
        for side in (self.width, self.height):
            if not LEAST_SIZE <= side <= MOST_SIZE:
                raise UserError(
                    tr(
                        "Paintings are {least} to {most} pixels a side.",
                        least=LEAST_SIZE,
                        most=MOST_SIZE,
                    )
                )
        if not 1 <= self.steps <= MOST_STEPS:
            raise UserError(tr("A painting takes 1 to {most_steps} steps.", most_steps=MOST_STEPS))
        if not 0 <= self.depart <= 1:
            raise UserError(tr("How far to depart goes from 0 to 1."))


@sent
@dataclass(frozen=True, eq=False)
class State:
    """A painting as far as it has come.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3
    step, steps : int
    """

    image: np.ndarray
    step: int
    steps: int


@runtime_checkable
class Painter(Protocol):
    """Paints pictures from words, guided by codes.

    It works in a process of its own, which is ended where nobody wants the picture any more.

    Attributes
    ----------
    name : str
        As people are shown it.
    """

    name: str

    def unknown(self, words: str) -> list[str]:
        """Words of a description that it does not know."""
        ...

    def paint(self, request: Request, stop: Callable[[], bool] = lambda: False) -> Iterator[State]:
        """Paint; yields each state of the painting, the finished one last. The same request
        gives the same painting."""
        ...
