"""Candidates of the gentlest pass, and its progress."""

from __future__ import annotations

from dataclasses import dataclass

from nimble_tile.core.piece import Piece
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.fidelity import Fidelity
from nimble_tile.core.tune.guess import Trait

MISSING = 0.02
"""Likeness taken off for each reader that does not read the image straight on."""

COLOUR = 0.001
"""Likeness that a unit of mean colour difference is worth."""


@dataclass(frozen=True, eq=False)
class Candidate:
    """What the search has so far.

    Attributes
    ----------
    piece : Piece
    rendering : Rendering
    reach : float
        Passes over those of the usual code.
    fidelity : Fidelity
    missing : int
        Readers that do not read the image straight on, where it was looked at.
    """

    piece: Piece
    rendering: Rendering
    reach: float
    fidelity: Fidelity
    missing: int = 0

    @property
    def worth(self) -> float:
        """Likeness, less a little for changed colours and for readers that miss it."""
        seen = self.fidelity.ssim_view - COLOUR * self.fidelity.delta_e_mean
        return seen - MISSING * self.missing


@dataclass(frozen=True, eq=False)
class PassStep:
    """One step of the search.

    Attributes
    ----------
    before : Candidate
        The piece as it was.
    best : Candidate or None
        The best so far: one that holds the wanted reach, else the one that holds most.
    holds : bool
        Whether the best holds the wanted reach.
    share : float
        Of the work that is done, 0 to 1.
    what : str
        What is being done.
    """

    before: Candidate
    best: Candidate | None
    holds: bool
    share: float
    what: str


@dataclass(frozen=True)
class Guess:
    """A candidate that is worth a look."""

    piece: Piece
    kind: Trait
