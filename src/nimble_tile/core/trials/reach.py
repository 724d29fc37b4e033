"""Reach, the one figure for how well a piece scans: the same wherever the program tells one.

References
----------
Ours: pairs of trial and reader that the artwork passes, over those that the usual code passes
in the same square; see `nimble_tile.core.trials.subject` for the usual code.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from nimble_tile.core.language import figure

if TYPE_CHECKING:
    from nimble_tile.core.trials.room import Result


def reach(results: Sequence[Result]) -> float | None:
    """Passes of the artwork over passes of the usual code, over all trials and readers.

    It can be a little over 1; people are shown 1 then, see `percent`. None where the usual
    code passes nothing.
    """
    return ratio(sum(r.pairs[0] for r in results), sum(r.pairs[1] for r in results))


def ratio(passed: float, usual: int) -> float | None:
    """The reach of so many passes; see `reach`."""
    return passed / usual if usual else None


def percent(found: float) -> str:
    """A reach as people are shown it: 100 % at most."""
    return figure(min(1.0, found), ".0%")
