"""Reach for searches: the same as anywhere, but given up early where it is out of reach."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from nimble_tile.core.errors import Stopped
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.trials.reach import ratio, reach
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject, subject_of
from nimble_tile.core.trials.trial import Trial

PASSES_SLACK = 2.5
"""Passes more than expected that the trials which are left may still bring."""

CHUNK = 8
"""Trials between two looks at whether it is still worth going on."""


class Measure:
    """Reach of one message's artworks; see `nimble_tile.core.trials.room.reach`.

    Parameters
    ----------
    room : Room
    usual : Subject
        The usual code of the message.
    trials : sequence of Trial
        Those that are on count.
    seed : int
    stop : callable
        Asked between chunks of trials; True: `Stopped` is raised.
    """

    def __init__(
        self,
        room: Room,
        usual: Subject,
        trials: Sequence[Trial],
        seed: int = 0,
        stop: Callable[[], bool] = lambda: False,
    ) -> None:
        self.room, self.usual = room, usual
        self.seed = seed
        self._stop = stop
        self.trials = [trial for trial in trials if trial.on]
        passes = room.passes([(usual, trial) for trial in self.trials], seed)
        self._usual = {t.situation: p.count for t, p in zip(self.trials, passes, strict=True)}
        self.pairs = sum(passed.count for passed in passes)
        self._seen: dict[Trial, list[int]] = {situation: [] for situation in self._usual}

    def reach(self, rendering: Rendering, least: float = 0.0) -> float:
        """Reach of a rendering; an estimate, below `least`, once that is out of reach.

        Parameters
        ----------
        rendering : Rendering
        least : float
            Below which nobody cares how far.
        """
        return self.reach_of(subject_of(rendering), least)

    def reach_of(self, subject: Subject, least: float = 0.0) -> float:
        """As `reach`, of any image."""
        if subject.usual.digest != self.usual.digest:  # Micro QR where that is another kind
            results = self.room.run(subject, self.trials, self.seed, self._stop)
            return reach(list(results)) or 0.0
        if not self.pairs:
            return 0.0
        # What was lost most often comes first, so that hopeless ones end soon.
        order = sorted(self.trials, key=lambda t: self._expected(t) - self._usual[t.situation])
        left, passed = sum(map(self._expected, order)), 0
        for start in range(0, len(order), CHUNK):
            if self._stop():
                raise Stopped
            part = order[start : start + CHUNK]
            left -= sum(map(self._expected, part))
            jobs = [(subject, trial) for trial in part]
            after = [(subject, trial) for trial in order[start + CHUNK : start + 2 * CHUNK]]
            passes = self.room.passes(jobs, self.seed, after)
            for trial, found in zip(part, passes, strict=True):
                passed += found.count
                self._seen[trial.situation].append(found.count)
            if (passed + left + PASSES_SLACK) / self.pairs < least and start + CHUNK < len(order):
                return (passed + left) / self.pairs
        return ratio(passed, self.pairs)

    def _expected(self, trial: Trial) -> float:
        """Expected readers that pass a trial, from past results; some read artwork there that
        do not read the usual code."""
        seen = self._seen[trial.situation]
        return sum(seen) / len(seen) if seen else self._usual[trial.situation]
