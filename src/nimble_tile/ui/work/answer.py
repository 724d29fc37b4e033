"""What is known at the moment of the piece on the bench."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.ui.work.engine import Shown


class Answer:
    """The newest rendering, verdict and reach; the window writes them, rooms read them.

    Attributes
    ----------
    shown : Shown or None
        What the bench shows.
    verdict : Verdict or None
        The newest verdict, which may be that of an older piece; see `stale`. None where
        there is no code.
    reach : float or None
        Reach of the piece as it is; None until all its trials are through.
    proved : bool
        Whether all trials of the piece as it is are through.
    stale : bool
        Whether `verdict` belongs to an older piece.
    """

    def __init__(self) -> None:
        self.shown: Shown | None = None
        self.verdict: Verdict | None = None
        self.reach: float | None = None
        self.proved = False
        self.stale = True

    def piece_changed(self) -> None:
        """What is known belongs to an older piece now."""
        self.stale, self.proved, self.reach = True, False, None

    def no_code(self) -> None:
        """The piece as it is has no code, and that is known."""
        self.verdict, self.stale = None, False

    def judged(self, verdict: Verdict) -> None:
        """The piece as it is has a verdict."""
        self.verdict, self.stale = verdict, False

    @property
    def of_now(self) -> tuple[Verdict | None, float | None]:
        """Verdict and reach of the piece as it is, as far as they are known."""
        return (None, None) if self.stale else (self.verdict, self.reach)
