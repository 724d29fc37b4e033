"""The verdict once the trials are through.

The first verdict comes from the readers' straight look, the spare, and one look
at a faded print. The reach of a whole set of trials knows better. Thresholds
are ours; docs/verdict.md tells how well they predict other trials.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from nimble_tile.core.language import tr
from nimble_tile.core.scan.verdict import GOOD_SPARE, Reason, State, Verdict
from nimble_tile.core.trials.reach import percent, reach
from nimble_tile.core.trials.room import Result

GOOD_REACH = 0.78
"""Reach from which the verdict may be "well"."""

BAD_REACH = 0.30
"""Reach below which it is "fails" if few readers read it straight on: what people do first."""

FEW_READERS = 0.5
"""Share of the readers below which they are few."""

LEAST_PAIRS = 12
"""(Trial, reader) pairs of the usual code below which a set says too little."""


def settle(verdict: Verdict, results: Sequence[Result]) -> Verdict:
    """The verdict with what the trials found.

    Parameters
    ----------
    verdict : Verdict
        The first one.
    results : sequence of Result
        Trials of the same image.

    Returns
    -------
    Verdict
        With `reach`, and with another state and a further reason where the
        trials say so. A code that says something else stays as it is.
    """
    found = reach(results)
    if found is None or sum(result.pairs[1] for result in results) < LEAST_PAIRS:
        return replace(verdict, reach=found)
    counted = [mark for mark in verdict.marks if mark.able and mark.name in results[0].passed.read]
    right, able = sum(mark.right(verdict.expected) for mark in counted), len(counted)
    enough = verdict.spare is None or verdict.spare >= GOOD_SPARE
    few = right < FEW_READERS * able
    state = settled_state(right == able and enough, few, found)
    if verdict.matches is False and verdict.found:
        state = verdict.state
    reasons = verdict.reasons
    if state == "well":
        # A whole set of trials outweighs the fear from one hard look.
        reasons = tuple(r for r in reasons if r.cause != "faded")
    elif state != verdict.state or found < GOOD_REACH:
        reasons = (_lost(found, results, verdict.helps), *reasons)
    return replace(verdict, state=state, reach=found, reasons=reasons)


def settled_state(sound: bool, few: bool, found: float) -> State:
    """The state that a reach settles.

    Parameters
    ----------
    sound : bool
        Whether all readers that could read it rightly, straight on, and enough
        spare is left.
    few : bool
        Whether few readers read it straight on.
    found : float
        The reach.
    """
    if few and found < BAD_REACH:
        return "fails"
    return "well" if found >= GOOD_REACH and sound else "thin"


def _lost(found: float, results: Sequence[Result], helps: str) -> Reason:
    """Where the reach is lost, in words."""
    counted = [result for result in results if result.pairs[1]]
    missed = sorted(counted, key=lambda r: r.pairs[0] / r.pairs[1])
    worst = [r.trial.name for r in missed if r.pairs[0] < r.pairs[1]][:3]
    text = tr("It passes {found} of what the usual code passes in the trials", found=percent(found))
    names = ", ".join(f"“{name}”" for name in worst)
    told = tr("{text}; worst: {names}.", text=text, names=names) if worst else f"{text}."
    return Reason("lost in trials", told, helps)
