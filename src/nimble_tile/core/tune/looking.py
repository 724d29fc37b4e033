"""What all searches for a piece have in common: looks at candidates, and a last round in which
the best must hold elsewhere, too."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.errors import Stopped
from nimble_tile.core.judged import judged_size
from nimble_tile.core.language import tr
from nimble_tile.core.memory import give_back
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.fidelity import Fidelity
from nimble_tile.core.scan.judging import fidelity_of, judge_rendering, missing
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.core.trials.outlook import settle
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject, subject_of
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune.candidates import Candidate, PassStep
from nimble_tile.core.tune.confirm import Elsewhere, stronger
from nimble_tile.core.tune.kinds import Effort
from nimble_tile.core.tune.line import Line, Look
from nimble_tile.core.tune.measure import Measure
from nimble_tile.core.tune.weak import weakest

REACH_SPARE = 0.005
"""Reach beyond the wanted one that is aimed at."""

KEPT_MARGIN = 10.0
"""Margin, in steps of 255 of a frame, at which a module's strength stays as it is."""

MARGIN_SLOPE = 40.0
"""Steps of 255 of further margin that would take all of a module's strength."""

LEAST_FACTOR, MOST_FACTOR = 0.8, 1.5
"""Limits of a module's strength in parts of the others'."""

CONFIRMING_TAKES = 4
"""Times that it takes of a look in the search's own trials."""

TO_SPARE = 0.03
"""Reach beyond what is needed at which what holds is made weaker even after the usual looks."""

GAIN = 0.008
"""Likeness that a further look must promise once something holds."""


@dataclass(eq=False)
class Tried:
    """A candidate that was looked at elsewhere, at a strength of its line."""

    found: Candidate
    line: Line
    by: float
    slack: float


class Looking(ABC):
    """A search: what it has looked at, and the best so far.

    Parameters
    ----------
    piece : Piece
        Where it begins.
    renderer : Renderer
        Its lease holds the maps of strengths that the search makes.
    room : Room
    trials : sequence of Trial
    wanted : float
        Reach, 0 to 1.
    seed : int
    stop : callable
        Asked all the time; True: the search ends with what it has.
    size : int or None
        Longer side at which candidates are judged; None: as everywhere.
    effort : Effort
    worth : callable, optional
        What a candidate is worth; None: its likeness.
    """

    def __init__(
        self,
        piece: Piece,
        renderer: Renderer,
        room: Room,
        trials: Sequence[Trial],
        wanted: float,
        seed: int,
        stop: Callable[[], bool],
        size: int | None,
        effort: Effort,
        worth: Callable[[Rendering], float] | None = None,
    ) -> None:
        self.piece, self.renderer, self.room = piece, renderer, room
        self.trials, self.wanted, self.seed = trials, wanted, seed
        self.stop, self.effort, self._worth = stop, effort, worth
        self.size = size or judged_size(piece, renderer)
        self.passing: list[Candidate] = []
        self.most: Candidate | None = None
        self.done, self.total = 0, 1
        self.looked: list[Candidate] = []
        self.judged = 0  # by readers
        self.maps: dict[int, str] = {}  # by the candidate
        self.tried: list[Tried] = []
        self.rounds = 0  # of looks elsewhere
        self.settled = False  # what won stands as a file, too
        self.fresh: float | None = None

    def end(self) -> None:
        """Let everything go: its parts refer to one another, and would stay, with hundreds of
        megabytes of images, until somebody looked for such circles."""
        self.__dict__.clear()

    def run(self) -> Iterator[PassStep]:
        """Search; nothing is yielded where it is stopped before the piece itself is judged."""
        self.usual = self.subject(self.piece, self._render(self.piece)).usual
        # One candidate is rendered while the readers look at the one before it.
        with ThreadPoolExecutor(1) as self.pool:
            try:
                self.measure = Measure(self.room, self.usual, self.trials, self.seed, self.stop)
                self.before = self.look(self.ahead(self.piece))
            except Stopped:
                return  # before anything is known
            yield self.progress(tr("Comparing symbols"))
            try:
                yield from self.steps()
                if self.confirmed is not None:
                    self.fresh = self.elsewhere.told(self.confirmed)
            except Stopped:
                pass
        self.done = self.total
        yield self.progress(tr("Done"))

    @abstractmethod
    def steps(self) -> Iterator[PassStep]:
        """What follows the first look."""

    def mapped(self, found: Candidate) -> Piece:
        """Strengthen the modules that are weak in frames, weaken those with margin to spare."""
        piece = found.piece
        known = self.maps.get(id(found))
        if known is None:
            quiet = piece.code.quiet_zone
            # Every other one of the set and the others drawn anew: all would say hardly more.
            level = [
                trial for trial in (*self.measure.trials[::2], *self.elsewhere.draws.first[1::2])
                if not (trial.wear.smudge or trial.wear.fold or trial.wear.crumple)
            ]  # fmt: skip
            subject = subject_of(found.rendering)
            margin = weakest(self.room, subject, quiet, level, self.seed)
            factors = np.clip(1 - (margin - KEPT_MARGIN) / MARGIN_SLOPE, LEAST_FACTOR, MOST_FACTOR)
            function = subject.symbol.anatomy.codeword < 0
            factors[np.pad(function, quiet, constant_values=True)] = 1
            known = self.renderer.pictures.add_mask(np.rint(factors * 128).astype(np.uint8))
            self.maps[id(found)] = known
        return piece.edited("blend", map=known)

    def confirm(self, lines: Sequence[Line]) -> Iterator[PassStep]:
        """The most alike candidate that holds in fresh trials and at other sizes, too.

        One that nearly does is made a little stronger and one with reach to spare weaker, as
        long as that promises more than the others.
        """
        self.elsewhere = Elsewhere(
            self.room, self.renderer, self.usual, self.trials, self.wanted, self.seed, self.size,
            self.stop, self.subject,
        )  # fmt: skip
        self.most_looks = self.effort.at_most
        yield from self._rounds(lines)
        # Files of other sizes take as long as all the rest, and hardly ever say otherwise: only
        # what would win must stand them.
        while self.holds:
            won = self.won
            slack = self.elsewhere.slack_of_files(won.found)
            if slack >= 0:
                self.settled = True
                return
            won.slack = slack
            won.line.add(Look(won.by, won.found.worth, slack))
            self.most_looks += 1
            yield from self._rounds(lines)

    def _rounds(self, lines: Sequence[Line]) -> Iterator[PassStep]:
        """Looks elsewhere, until none promises more."""
        for _ in range(self.most_looks - self.rounds):
            enough = self.rounds >= self.effort.confirmed
            least = self.confirmed.worth + GAIN if self.holds else -np.inf
            promised = [
                (line.promise(by), line, by) for line in lines if (by := line.next()) is not None
            ]
            if enough and self.holds:
                won = self.won
                if won.slack < TO_SPARE:
                    return
                promised = [one for one in promised if one[1] is won.line and one[2] < won.by]
            elif enough:  # what has come nearest is nearest to an end
                promised = [(line.nearest, line, by) for _, line, by in promised]
            worth, line, by = max(promised, key=lambda one: one[0], default=(-np.inf, None, 0.0))
            if line is None or worth < least:
                return
            self.rounds += 1
            piece = stronger(line.make(), by) if by else line.make()
            if any(piece == tried.found.piece for tried in self.tried):
                line.ended = True
                continue
            done = self.done
            # Some were not read, as they were less alike than another one.
            read = (one for one in self.looked if one.piece == piece and one.reach)
            found = next(read, None)
            if found is None:
                found = self.look(self.ahead(piece))
            slack = self.elsewhere.slack(found)
            line.add(Look(by, found.worth, slack))
            self.tried.append(Tried(found, line, by, slack))
            self.done = done + CONFIRMING_TAKES
            yield self.progress(tr("Looking with fresh trials and at other sizes"))

    @property
    def won(self) -> Tried | None:
        """The most alike of those that hold elsewhere, too, else the one that misses least."""
        holding = [tried for tried in self.tried if tried.slack >= 0]
        if holding:
            return max(holding, key=lambda tried: tried.found.worth)
        return max(self.tried, key=lambda tried: tried.slack, default=None)

    @property
    def confirmed(self) -> Candidate | None:
        """What `won`."""
        return self.won.found if self.tried else None

    @property
    def holds(self) -> bool:
        """Whether a candidate was found that holds in fresh trials, too."""
        return bool(self.tried) and self.won.slack >= 0

    def _render(self, piece: Piece) -> Rendering:
        return self.renderer.render(piece, self.size)

    def subject(self, piece: Piece, rendering: Rendering) -> Subject:
        """A candidate as the subject of trials, in its size on paper."""
        full = piece.finish.size or self.renderer.natural_size(piece)
        return subject_of(rendering, piece.finish.dpi, full)

    def ahead(self, piece: Piece) -> Future:
        """Render a candidate beside other work."""

        def work() -> tuple[Piece, Rendering, Fidelity]:
            rendering = self._render(piece)
            return piece, rendering, fidelity_of(rendering)

        return self.pool.submit(work)

    def _found(self, made: Future, least: float) -> Candidate:
        if self.stop():
            raise Stopped
        piece, rendering, fidelity = made.result()
        worth = None if self._worth is None else self._worth(rendering)
        held = self.renderer.pictures.lease(piece.digests)
        found = Candidate(piece, rendering, 0.0, fidelity, worth, held)
        if (
            least >= self.wanted
            and self.passing
            and found.worth <= max(f.worth for f in self.passing)
        ):
            return found  # not worth reading, whatever the readers would say
        self.judged += 1
        reach = self.measure.reach_of(self.subject(piece, rendering), least)
        if reach >= self.wanted and missing(rendering, self.room.bay, self.room.readers):
            reach = min(reach, self.wanted - REACH_SPARE)
        return replace(found, reach=reach)

    def look(self, made: Future, least: float = 0.0) -> Candidate:
        """Judge a candidate (from `ahead`) and remember it if it is better.

        `least`: reach below which nobody cares how far; where it is all that is wanted, what is
        less alike than another one that holds is not read at all.
        """
        found = self._found(made, least)
        self.done += 1
        give_back()  # else what was free between two candidates is memory that nobody uses
        self.looked.append(found)
        if found.reach >= self.wanted:
            self.passing.append(found)
        elif self.most is None or found.reach > self.most.reach:
            self.most = found
        return found

    def verdict(self, found: Candidate) -> Verdict:
        """What the window says of a candidate; trials that are known are not made again."""
        first = judge_rendering(found.rendering, self.room.bay)
        subject = self.subject(found.piece, found.rendering)
        return settle(first, list(self.room.run(subject, self.trials, self.seed, self.stop)))

    @property
    def best(self) -> Candidate | None:
        """The one that was confirmed, else the best that holds, else what holds most; in the end,
        where nothing holds elsewhere, too, what misses least there."""
        ended = self.done >= self.total
        if self.confirmed is not None and (self.holds or ended or not self.passing):
            return self.confirmed
        if self.passing:
            return max(self.passing, key=lambda found: found.worth)
        return self.most

    def progress(self, what: str) -> PassStep:
        """Where the search is."""
        share = min(1.0, self.done / self.total)
        best = self.best
        seen = bool(self.tried) and (self.settled or not self.holds)
        holds = best is not None and best.reach >= self.wanted and (self.holds or not seen)
        return PassStep(self.before, best, holds, share, what, seen, self.fresh)
