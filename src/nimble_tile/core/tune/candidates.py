"""Candidates of the gentlest pass, and its progress."""

from __future__ import annotations

from dataclasses import dataclass

from nimble_tile.core.language import tr
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import Piece
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.fidelity import Fidelity
from nimble_tile.core.tune.guess import Trait

COLOUR = 0.006
"""Likeness that a unit of mean colour difference is worth."""


@dataclass(frozen=True, eq=False)
class Candidate:
    """What the search has so far.

    Attributes
    ----------
    piece : Piece
    rendering : Rendering or None
        None where it is shown only.
    reach : float
        Passes over those of the usual code.
    fidelity : Fidelity
    own_worth : float or None
        What it is worth by another measure than likeness.
    pictures : Lease or None
        The right to the piece's pictures and maps, for as long as the candidate is kept.
    """

    piece: Piece
    rendering: Rendering | None
    reach: float
    fidelity: Fidelity
    own_worth: float | None = None
    pictures: Lease | None = None

    @property
    def worth(self) -> float:
        """Likeness, less a little for changed colours; or by its own measure."""
        if self.own_worth is not None:
            return self.own_worth
        return self.fidelity.ssim_view - COLOUR * self.fidelity.delta_e_mean


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
        Whether the best holds the wanted reach, as far as it is known.
    share : float
        Of the work that is done, 0 to 1.
    what : str
        What is being done.
    confirmed : bool
        Whether the best was looked at in fresh trials and at other sizes.
    fresh : float or None
        Its reach in trials that had no part in the search; known at the end.
    """

    before: Candidate
    best: Candidate | None
    holds: bool
    share: float
    what: str
    confirmed: bool = False
    fresh: float | None = None

    def shortfall(self, wanted: float) -> str:
        """What is missing of what was wanted, in a sentence; empty where it holds."""
        if not self.confirmed:
            return tr("It was ended before fresh trials could confirm it.")
        if self.holds:
            return ""
        if self.best is not None and self.best.reach >= wanted:
            return tr(
                "Fresh trials and other sizes do not confirm the wanted {wanted:.0%}.",
                wanted=wanted,
            )
        return tr("The wanted {wanted:.0%} was not reached.", wanted=wanted)


@dataclass(frozen=True)
class Guess:
    """A candidate that is worth a look."""

    piece: Piece
    kind: Trait
