"""What the trials foresee of real phones: the phone log beside the readers here.

Each entry of the log becomes a trial of its own, as far as its words tell one.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.language import counted
from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.trials.limits import SEEDS
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject
from nimble_tile.core.trials.trial import Trial

USUAL_DISTANCE = 200.0
"""Millimetres at which a phone is held where nothing was noted, and at least."""

DISTANCE_OF_SIZE = 4.0
"""Distance in parts of the code's side where nothing was noted and the code is large."""

ENOUGH_READERS = 0.5
"""Share of the readers that must read one of a few looks: a phone is better than the worst."""

LIGHTS = (
    (("lantern", "candle", "night", "dark"), 5.0),
    (("dusk", "dim", "evening", "dawn", "bar"), 20.0),
    (("lamp", "indoor", "room", "inside", "kitchen"), 150.0),
    (("office", "shop", "window", "bright"), 500.0),
    (("cloud", "overcast", "rain", "shade", "outside", "outdoor"), 5_000.0),
    (("sun", "noon"), 40_000.0),
)
"""Lux by words of the log (common practice); the first that is found counts."""

USUAL_LUX = 300.0


@dataclass(frozen=True)
class Foreseen:
    """What came of the log's entries.

    Attributes
    ----------
    as_seen : tuple of bool
        Of each entry, whether the phone did as the trials foresaw.
    """

    as_seen: tuple[bool, ...]

    @property
    def words(self) -> str:
        """In a line; empty without entries."""
        of = len(self.as_seen)
        if not of:
            return ""
        return counted(
            "{as_seen} of {count} phone as foreseen",
            "{as_seen} of {count} phones as foreseen",
            of,
            as_seen=sum(self.as_seen),
        )


def trial_of(test: PhoneTest, subject: Subject) -> Trial:
    """The situation of an entry.

    Parameters
    ----------
    test : PhoneTest
        Its size is the side of the code's square, quiet zone included.
    subject : Subject
        What the phone looked at.
    """
    distance = test.distance or max(USUAL_DISTANCE, DISTANCE_OF_SIZE * test.size)
    size = float(np.clip(test.size * subject.usual.share, 4, 5000))
    trial = Trial(name=test.device[:60]).changed("shown", size=size, medium=test.medium)
    trial = trial.changed("view", distance=float(np.clip(distance, 20, 50_000)))
    return trial.changed("light", lux=lux_of(test.light))


def lux_of(words: str) -> float:
    """The light that is meant by some words."""
    words = words.lower()
    return next((lux for signs, lux in LIGHTS if any(s in words for s in signs)), USUAL_LUX)


def foresee(
    room: Room,
    subject: Subject,
    log: Sequence[PhoneTest],
    stop: Callable[[], bool] = lambda: False,
) -> Foreseen:
    """Compare a log with what the readers make of the same situations."""
    found = []
    for test in log:
        if stop():
            break
        job = [(subject, trial_of(test, subject))]
        reads = False
        for seed in SEEDS:
            passed = room.passes(job, seed)[0]
            if passed.read and passed.count >= ENOUGH_READERS * len(passed.read):
                reads = True
                break
        found.append(reads == test.read)
    return Foreseen(tuple(found))
