"""Whether what holds in the trials of a search holds elsewhere, too.

A search looks at many candidates in the same frames and takes the best, so a little of what it
finds is luck. Here a candidate meets trials drawn anew, and other sizes of the finished image.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from nimble_tile.core.errors import Stopped
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.judging import judge_rendering, missing_away
from nimble_tile.core.scan.verdict import GOOD_SPARE
from nimble_tile.core.trials.fresh import fresh
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject, subject_of, subject_on
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune.candidates import Candidate
from nimble_tile.core.tune.measure import Measure

SMALL, LARGE = 512, 2048
"""Longer sides, in pixels, of finished images besides the one at which a search judges. They are
looked at as files are: the large one straight on in full, and in trials at the usual size."""

LEAST_PIXELS = 6
"""Pixels a module from which a size counts: below, the image is too small for the code."""

FRESH_TOLERANCE = 0.025
"""Reach that may be missing in fresh trials, on average over four draws."""

CLEAR = 0.04
"""Reach beyond what is needed at which one pair of draws is enough."""

DRAWS_APART = 0.1
"""Reach by which one draw may be easier than its set."""

FAR = 0.02
"""Reach that is missing from which it does not matter how much it is."""

UNSOUND = 0.03
"""Reach that is taken as missing where an image is not `sound`."""

LEAST_STRENGTH = 0.1
"""Below which no strength is lowered."""

CONFIRMING, AGAIN, TOLD = 101, 202, 303
"""Seeds, added to the search's: of the draws that decide, and of those that are told."""


class Draws:
    """Trials drawn anew, each draw with its opposite: one alone can be far easier or harder than
    the set it was drawn from.

    Parameters
    ----------
    room : Room
    usual : Subject
        The usual code of the message.
    trials : sequence of Trial
        The set about which is drawn.
    seeds : sequence of int
    stop : callable
        True: `Stopped` is raised.
    """

    def __init__(
        self,
        room: Room,
        usual: Subject,
        trials: Sequence[Trial],
        seeds: Sequence[int],
        stop: Callable[[], bool] = lambda: False,
    ) -> None:
        self._drawn = [
            # Another noise and other places of the pixels for each, too.
            [(fresh(trials, seed, way), seed + way) for way in (False, True)]
            for seed in seeds
        ]
        self._made = (room, usual, stop)
        self._pairs: list[list[Measure]] = []

    @property
    def first(self) -> list[Trial]:
        """The trials of the first draw."""
        return list(self._drawn[0][0][0])

    def _pair(self, number: int) -> list[Measure]:
        """Measures of a pair of draws; most candidates need the first pair alone."""
        room, usual, stop = self._made
        while len(self._pairs) <= number:
            self._pairs.append([
                Measure(room, usual, trials, seed, stop)
                for trials, seed in self._drawn[len(self._pairs)]
            ])  # fmt: skip
        return self._pairs[number]

    def reach_of(self, subject: Subject, least: float = 0.0) -> float:
        """Mean reach of an image over all draws.

        Parameters
        ----------
        subject : Subject
        least : float
            What is needed: fewer draws are looked at once it is out of reach, or held by far.
        """
        held: list[float] = []
        for number in range(len(self._drawn)):
            pair = self._pair(number)
            for left in range(len(pair), 0, -1):
                # What this draw must bring if the other one brings as much as can be hoped.
                needed = least * (len(held) + left) - sum(held) - (left - 1) * (least + DRAWS_APART)
                draw = pair[len(pair) - left]
                held.append(draw.reach_of(subject, max(0.0, needed)))
            mean = sum(held) / len(held)
            if least and not least <= mean < least + CLEAR:
                break
        return sum(held) / len(held)


class Elsewhere:
    """Looks at candidates of one search in fresh trials and at other sizes.

    Parameters
    ----------
    room, renderer
    usual : Subject
        The usual code of the message.
    trials : sequence of Trial
        Those of the search.
    wanted : float
        Reach, 0 to 1.
    seed : int
        The search's.
    size : int
        Longer side at which the search judges.
    stop : callable
        True: `Stopped` is raised.
    subject : callable
        Makes a piece and its rendering the subject of trials.
    """

    def __init__(
        self,
        room: Room,
        renderer: Renderer,
        usual: Subject,
        trials: Sequence[Trial],
        wanted: float,
        seed: int,
        size: int,
        stop: Callable[[], bool],
        subject: Callable[[Piece, Rendering], Subject],
    ) -> None:
        self.room, self.renderer, self.usual = room, renderer, usual
        self.trials, self.wanted, self.seed, self.size = trials, wanted, seed, size
        self.stop, self.subject = stop, subject
        self._own = Measure(room, usual, trials, seed, stop)
        self.draws = self._drawn(CONFIRMING, AGAIN)

    def _drawn(self, *further: int) -> Draws:
        seeds = [self.seed + one for one in further]
        return Draws(self.room, self.usual, self.trials, seeds, self.stop)

    def slack(self, found: Candidate) -> float:
        """Reach of a candidate beyond what is needed, where it has least; negative: missing.

        Finished files are left out: see `slack_of_files`.
        """
        slack = found.reach - self.wanted
        if slack >= 0:  # else it will be made stronger whatever other trials say
            slack = min(slack, self._sound(found.rendering))
        if slack < 0:
            return slack
        needed = self.wanted - FRESH_TOLERANCE
        held = self.draws.reach_of(self.subject(found.piece, found.rendering), needed - FAR)
        return min(slack, held - needed)

    def slack_of_files(self, found: Candidate) -> float:
        """The same for finished files of other sizes, in the search's own trials."""
        slack = np.inf
        for size in (SMALL, LARGE):
            if self.stop():
                raise Stopped
            if size == self.size:
                continue
            other = self.renderer.render(found.piece, size)
            if other.code_side < LEAST_PIXELS * other.modules:
                continue
            slack = min(slack, self._sound(other))
            if slack >= 0:
                file = subject_of(other)
                file = subject_on(file.image, file.quad, file.symbol, file.expected)
                held = self._own.reach_of(file, self.wanted - FAR)
                slack = min(slack, held - self.wanted)
            if slack < 0:
                break
        return slack

    def told(self, found: Candidate) -> float:
        """Reach in trials in which nothing was decided."""
        return self._drawn(TOLD).reach_of(self.subject(found.piece, found.rendering))

    def _sound(self, rendering: Rendering) -> float:
        return np.inf if sound(rendering, self.room) else -UNSOUND


def sound(rendering: Rendering, room: Room) -> bool:
    """Whether all readers that count read it straight on, with the spare of “scans well”, and
    from farther away."""
    if missing_away(rendering, room.bay, room.readers):
        return False
    verdict = judge_rendering(rendering, room.bay, with_fidelity=False)
    marks = [mark for mark in verdict.marks if mark.able and mark.name in room.readers]
    return verdict.spare >= GOOD_SPARE and all(mark.right(verdict.expected) for mark in marks)


def stronger(piece: Piece, by: float) -> Piece:
    """The piece with all its strengths raised, or lowered by less than 0."""
    blend = piece.blend
    values = {
        name: round(min(1.0, max(LEAST_STRENGTH, value + by)), 3)
        for name in ("strength", "finders", "quiet_strength")
        if (value := getattr(blend, name)) is not None
    }
    return piece.edited("blend", **values)
