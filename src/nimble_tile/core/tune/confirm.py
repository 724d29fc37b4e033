"""Whether what holds in the trials of a search holds elsewhere, too.

A search looks at many candidates in the same frames and takes the best, so a little of what it
finds is luck. Here a candidate meets trials drawn anew, and other sizes of the finished image.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from nimble_tile.core.errors import Stopped
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.verdict import GOOD_SPARE
from nimble_tile.core.trials.fresh import fresh
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune.candidates import Candidate
from nimble_tile.core.tune.measure import Measure

SMALL, LARGE = 512, 2048
"""Longer sides, in pixels, of finished images besides the one at which a search judges. A small
one goes through the trials; a large one has the reach of the usual size, but readers that
look straight at it can be lost."""

LEAST_PIXELS = 6
"""Pixels a module from which a size counts: below, the image is too small for the code."""

FRESH_TOLERANCE = 0.02
"""Reach that may be missing in fresh trials, over two draws: some draws are harder than others."""

DRAW_TOLERANCE = 0.05
"""Reach that may be missing in either draw."""

SIZE_TOLERANCE = 0.03
"""Reach that may be missing at another size. It is lower by about 0.015 at 512 pixels, and the
search found it highest at its own."""

FAR = 0.02
"""Reach that is missing from which no other size is looked at."""

UNSOUND = 0.03
"""Reach that is taken as missing where a reader does not read the image straight on."""

CONFIRMING, AGAIN, TOLD = 101, 202, 303
"""Seeds, added to the search's: of the two draws that decide, and of the one that is told."""


@dataclass(frozen=True)
class Confirmation:
    """What came of looking elsewhere.

    Attributes
    ----------
    short : float
        Reach that is missing where most is; 0: the candidate holds everywhere.
    """

    short: float

    @property
    def holds(self) -> bool:
        """Whether the candidate holds everywhere."""
        return self.short <= 0


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
        self._draws = self._drawn(CONFIRMING), self._drawn(AGAIN)

    def _drawn(self, further: int) -> Measure:
        seed = self.seed + further
        return Measure(self.room, self.usual, fresh(self.trials, seed), seed, self.stop)

    def confirm(self, found: Candidate) -> Confirmation:
        """Look at a candidate elsewhere."""
        lost = self._lost(self.subject(found.piece, found.rendering))
        short = max(lost, self._unsound(found.rendering))
        if short > FAR:
            return Confirmation(short)  # it will be made stronger whatever the sizes say
        if self.stop():
            raise Stopped
        if self.size != SMALL:
            small = self.renderer.render(found.piece, SMALL)
            if small.code_side >= LEAST_PIXELS * small.modules:
                held = self._own.reach_of(self.subject(found.piece, small))
                short = max(short, self.wanted - SIZE_TOLERANCE - held, self._unsound(small))
        short = max(short, self._unsound(self.renderer.render(found.piece, LARGE)))
        return Confirmation(max(0.0, short))

    def _lost(self, subject: Subject) -> float:
        """Reach that is missing in fresh trials."""
        held = []
        for draw in self._draws:
            held.append(draw.reach_of(subject))
            if self.wanted - held[-1] > FAR + DRAW_TOLERANCE:
                break
        mean = self.wanted - FRESH_TOLERANCE - sum(held) / len(held)
        return max(mean, self.wanted - DRAW_TOLERANCE - min(held))

    def told(self, found: Candidate) -> float:
        """Reach in trials in which nothing was decided."""
        return self._drawn(TOLD).reach_of(self.subject(found.piece, found.rendering))

    def _unsound(self, rendering: Rendering) -> float:
        return 0.0 if sound(rendering, self.room) else UNSOUND


def sound(rendering: Rendering, room: Room) -> bool:
    """Whether all readers that count read it straight on, with the spare of “scans well”."""
    verdict = judge_rendering(rendering, room.bay, with_fidelity=False)
    marks = [mark for mark in verdict.marks if mark.able and mark.name in room.readers]
    return verdict.spare >= GOOD_SPARE and all(mark.right(verdict.expected) for mark in marks)


def stronger(piece: Piece, by: float) -> Piece:
    """The piece with all its strengths raised."""
    blend = piece.blend
    values = {
        name: round(min(1.0, value + by), 3)
        for name in ("strength", "finders", "quiet_strength")
        if (value := getattr(blend, name)) is not None
    }
    return piece.edited("blend", **values)
