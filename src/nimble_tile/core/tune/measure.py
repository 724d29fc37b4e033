"""Reach against the plain code that a person would make.

A search that may choose version and level must not be measured against its own
symbol: a larger version loses frames in plain black and white, too. Here the
measure is one plain code for all: level H, the smallest version, printed on the
same square, quiet zone included. The reach is what the artwork passes over what
that code passes in the same trials.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from nimble_tile.core.errors import MessageError, Stopped
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject, plain_twin, subject_of
from nimble_tile.core.trials.trial import Trial

PASSES_SLACK = 2.5
"""Passes more than expected that the trials which are left may still bring."""

CHUNK = 8
"""Trials between two looks at whether it is still worth going on."""


def person_made(message: Message) -> Symbol:
    """The plain code that a person would make: level H, or the highest that fits.

    Raises
    ------
    MessageError
        The message fits in no QR code.
    """
    for level in ("H", "Q", "M"):
        try:
            return encode(message, Code(level=level, raise_level=False))
        except MessageError:
            continue
    return encode(message, Code(level="L", raise_level=False))


class Measure:
    """Reach of one message's artworks.

    Parameters
    ----------
    room : Room
    message : Message
    trials : sequence of Trial
        Those that are on count.
    seed : int
    stop : callable
        Asked between chunks of trials; True: `Stopped` is raised.
    plain : Symbol, optional
        Another plain code to measure against.
    """

    def __init__(
        self,
        room: Room,
        message: Message,
        trials: Sequence[Trial],
        seed: int = 0,
        stop: Callable[[], bool] = lambda: False,
        plain: Symbol | None = None,
    ) -> None:
        self.room = room
        self.seed = seed
        self._stop = stop
        self.plain = plain or person_made(message)
        twin = plain_twin(self.plain, message.text)
        wanted = [trial for trial in trials if trial.on]
        passes = room.passes([(twin, trial) for trial in wanted], seed)
        self.trials = [t for t, p in zip(wanted, passes, strict=True) if p.count]
        self._plain = {t.situation: p.count for t, p in zip(wanted, passes, strict=True)}
        self.pairs = sum(self._plain.values())
        self._seen: dict[Trial, list[int]] = {situation: [] for situation in self._plain}

    def shown(self, symbol: Symbol, quiet_zone: int, trial: Trial) -> Trial:
        """A trial in which the artwork has the plain code's outer size."""
        if trial.shown.size is None:
            return trial
        own = symbol.side / (symbol.side + 2 * quiet_zone)
        plain = self.plain.side / (self.plain.side + 2 * tables.QUIET_ZONE)
        return trial.changed("shown", size=trial.shown.size * own / plain)

    def reach(self, rendering: Rendering, least: float = 0.0) -> float:
        """Reach of a rendering; an estimate, below `least`, once that is out of reach.

        Parameters
        ----------
        rendering : Rendering
        least : float
            Below which nobody cares how far.
        """
        return self.reach_of(subject_of(rendering), rendering.quiet_zone, least)

    def reach_of(self, subject: Subject, quiet_zone: int, least: float = 0.0) -> float:
        """As `reach`, of any image."""
        if not self.pairs:
            return 0.0
        # What was lost most often comes first, so that hopeless ones end soon.
        order = sorted(self.trials, key=lambda t: self._expected(t) - self._plain[t.situation])
        left, passed = sum(map(self._expected, order)), 0
        for start in range(0, len(order), CHUNK):
            if self._stop():
                raise Stopped
            part = order[start : start + CHUNK]
            left -= sum(map(self._expected, part))
            jobs = [(subject, self.shown(subject.symbol, quiet_zone, trial)) for trial in part]
            for trial, found in zip(part, self.room.passes(jobs, self.seed), strict=True):
                passed += found.count
                self._seen[trial.situation].append(found.count)
            if (passed + left + PASSES_SLACK) / self.pairs < least and start + CHUNK < len(order):
                return (passed + left) / self.pairs
        return passed / self.pairs

    def _expected(self, trial: Trial) -> float:
        """Expected readers that pass a trial, from past results; some read artwork there that
        do not read the plain code."""
        seen = self._seen[trial.situation]
        return sum(seen) / len(seen) if seen else self._plain[trial.situation]
