"""The gentlest pass: the least visible blend that still holds the wanted reach.

The candidates are the smallest symbols that the message fits in, at some levels
and under all masks, steered by the picture; the strengths of the gentle blend,
of finders and of the quiet zone; and a map that gives each module a strength of
its own by the margin that it keeps in the frames. Readers judge every step in
the trials. What they say decides what is tried next, and no clock does, so that
the same seed gives the same piece.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Any

import numpy as np

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune import GENTLEST_REACH
from nimble_tile.core.tune.candidates import Candidate, Guess, PassStep
from nimble_tile.core.tune.confirm import stronger
from nimble_tile.core.tune.guess import Trait, as_rows, chance, predict
from nimble_tile.core.tune.kinds import THOROUGH, WEAVING, Effort, kinds_for
from nimble_tile.core.tune.line import Line
from nimble_tile.core.tune.looking import CONFIRMING_TAKES, REACH_SPARE, Looking

STRENGTHS = tuple(round(0.2 + 0.03 * step, 2) for step in range(27))
"""Strengths that are guessed about; by one or two hundredths more each second and third time."""

OWN_SLOPE = 0.42
"""What a unit of strength adds to reach, about."""

STRENGTHS_APART = 0.008
"""Strengths of one kind that are closer than this count as the same."""

HOPE = 0.02
"""While nothing holds, gains are counted from this much below the best guess."""

WINDFALL = 0.05
"""Cap on the expected gain in likeness, as predictions far from known candidates are unreliable."""

MAPPED = 2
"""Finalists that are tried with a strength for each module, too."""

FINALISTS = 4
"""Candidates, the most alike of those that hold, that must hold elsewhere, too: what holds by luck
alone does not do so twice."""

NEARLY = 1
"""Candidates that nearly hold and are tried again, stronger."""

MOST_SHORT = 0.08
"""Reach that a candidate may miss to be tried again, stronger."""

SHORT = 1.0
"""Likeness that a unit of missing reach is taken to cost, once it is made up by strength."""

FAR_OFF = 0.08
"""Reach that is missing where an estimate is enough."""

MADE_UP = 0.7
"""Reach that a unit of strength is taken to add to a candidate that misses a little: less would
make it far stronger than it must be."""

MISSING = 2.0
"""Likeness that a unit of reach is worth where nothing holds."""

LUCK = 0.05
"""Likeness at the wanted reach that other marks must promise beyond the usual ones: of five that
promised 0.02 to 0.04 none was better in the end, as luck alone is worth as much."""

SPARED = 1.0
"""Likeness that a unit of reach beyond the wanted one is worth."""


def ready(piece: Piece) -> None:
    """Raise `UserError` where the pass cannot be made."""
    if piece.picture.digest is None:
        raise UserError(
            tr("The gentlest pass needs a picture."), tr("Bring one on the rung Picture.")
        )
    if not piece.message.text:
        raise UserError(tr("There is no message yet."), tr("Write one on the rung Message."))
    if piece.layout.digest is not None:
        raise UserError(
            tr("The gentlest pass looks at the piece alone."),
            tr("Take the layout off for as long."),
        )


def search(
    piece: Piece,
    renderer: Renderer,
    room: Room,
    trials: Sequence[Trial],
    wanted: float = GENTLEST_REACH,
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
    size: int | None = None,
    effort: Effort | None = None,
) -> Iterator[PassStep]:
    """Search for the gentlest blend of a piece.

    Parameters
    ----------
    piece : Piece
        With a message and a picture; its logos, captions and guard stay.
    renderer : Renderer
        Its store takes in the map of strengths.
    room : Room
    trials : sequence of Trial
    wanted : float
        Reach, 0 to 1.
    seed : int
        The same seed gives the same piece.
    stop : callable
        Asked all the time; True: the search ends with what it has.
    size : int
        Longer side at which candidates are judged; None: as everywhere.
    effort : Effort, optional
        How much is looked at; else `THOROUGH`, or `WEAVING`.

    Yields
    ------
    PassStep
        At least twice, and the last one is the result; nothing where it was stopped before
        the piece itself was judged.

    Raises
    ------
    UserError
        The pass cannot be made of this piece.
    """
    ready(piece)
    effort = effort or (WEAVING if piece.blend.method == "weave" else THOROUGH)
    search = Gentlest(piece, renderer, room, trials, wanted, seed, stop, size, effort)
    try:
        yield from search.run()
    finally:
        search.end()


class Gentlest(Looking):
    """The search for the gentlest blend, or weave."""

    def __init__(self, piece: Piece, *rest: Any) -> None:
        super().__init__(piece, *rest)
        effort = self.effort
        self.kinds = kinds_for(piece, effort.brief)
        self.others = 0  # looks at other marks
        looks = effort.own + len(self.kinds.symbols) + effort.candidates
        looks += len(self.kinds.markings(effort.markings))
        self.total = 1 + looks + CONFIRMING_TAKES * effort.confirmed

    def steps(self) -> Iterator[PassStep]:
        pieces = [piece for piece in self.kinds.first() if piece != self.piece]
        waiting = [self.ahead(piece) for piece in pieces[:1]]
        for number in range(len(pieces)):
            waiting += [self.ahead(piece) for piece in pieces[number + 1 : number + 2]]
            self.look(waiting[number], self.hopeless)
            yield self.progress(tr("Comparing symbols"))
        yield from self._marked_otherwise()
        yield from self._as_it_is()
        self.kinds.compared(self.renderer)
        chosen, waiting = self._next(), None
        looks = 0
        for _ in range(self.effort.rendered):
            if chosen is None or looks >= self.effort.candidates:
                break
            waiting = waiting or self.ahead(chosen.piece)
            following = self._next(chosen) if looks + 1 < self.effort.candidates else None
            after = None if following is None else self.ahead(following.piece)
            judged, done = self.judged, self.done
            self.look(waiting, self.wanted)
            looks += self.judged - judged
            self.done = done + self.judged - judged
            chosen, waiting = self._next(also=following), None
            if following is not None and chosen is not None and chosen.piece == following.piece:
                waiting = after
            yield self.progress(tr("Finding mask and strength"))
        yield from self.confirm(self._lines())

    def _marked_otherwise(self) -> Iterator[PassStep]:
        """The most promising symbol with other marks; from then on all have the best ones."""
        known = [found for found in self.looked if self._kind(found) is not None]
        if not known:
            return
        usual = best = max(known, key=self._at_wanted)
        others = self.kinds.markings(self.effort.markings)
        for waiting in [self.ahead(usual.piece.edited("blend", marks=marks)) for marks in others]:
            found = self.look(waiting)
            self.others += 1
            if self._at_wanted(found) > self._at_wanted(best) + (LUCK if best is usual else 0):
                best = found
            yield self.progress(tr("Trying other marks"))
        if best is not usual:
            reach, worth = best.reach - usual.reach, best.worth - usual.worth
            self.kinds.take(best.piece.blend.marks, reach, worth)

    def _at_wanted(self, found: Candidate) -> float:
        """About what a candidate would be worth at the wanted reach."""
        beyond = found.reach - self.wanted - REACH_SPARE
        return found.worth + beyond * (MISSING if beyond < 0 else SPARED)

    @property
    def hopeless(self) -> float:
        """Reach from which on it does not matter how much is missing."""
        return self.wanted - FAR_OFF

    def _as_it_is(self) -> Iterator[PassStep]:
        """The piece's own blend and symbol with another strength: what a person would try."""
        found = self.before
        for _ in range(self.effort.own):
            best = self.best
            if found.reach < self.wanted <= best.reach and found.worth <= best.worth:
                return  # with more strength it would be even less alike
            step = float(
                np.clip((self.wanted + REACH_SPARE - found.reach) / OWN_SLOPE, -0.15, 0.15)
            )
            strength = round(float(np.clip(found.piece.blend.strength + step, 0.1, 1)), 3)
            piece = self.piece.edited("blend", strength=strength)
            if any(piece == known.piece for known in self.looked):
                return
            found = self.look(self.ahead(piece), self.hopeless)
            yield self.progress(tr("Trying other strengths"))

    def _next(self, pending: Guess | None = None, also: Guess | None = None) -> Guess | None:
        """The candidate with the greatest expected improvement.

        `pending`: one that is being looked at; it is taken for what is expected of it.
        `also`: one that is rendered already; it is taken if it promises half as much.
        """
        known = [found for found in self.looked if self._kind(found) is not None]
        kinds = [self._kind(found) for found in known]
        leads = np.array([self.kinds.lead(found.piece) for found in known]).reshape(-1, 2)
        strengths = np.array([found.piece.blend.strength for found in known])
        # The prior of the masks is subtracted before the prediction and added after it.
        worth = np.array([found.worth for found in known]) + leads[:, 1] - self.kinds.gains(kinds)
        tried = np.array([found.reach > 0 for found in known])
        reaches = np.array([found.reach for found in known]) + leads[:, 0]
        rows = as_rows(kinds)
        if pending is not None:
            at = as_rows([pending.kind]), np.array([pending.piece.blend.strength])
            guess, _ = predict(self.kinds.likeness, rows, strengths, worth, *at)
            hope, _ = predict(self.kinds.reach, rows[tried], strengths[tried], reaches[tried], *at)
            kinds, rows = [*kinds, pending.kind], np.vstack([rows, at[0]])
            strengths, worth = np.append(strengths, at[1]), np.append(worth, guess)
            reaches, tried = np.append(reaches, hope), np.append(tried, True)
        every = self.kinds.every()
        looks = len(self.looked) - self.others  # else marks that are not taken change the rest
        strengths_now = np.array(STRENGTHS) + 0.01 * (looks % 3)
        new_kinds = [kind for kind in every for _ in STRENGTHS]
        new = np.repeat(as_rows(every), len(STRENGTHS), axis=0)
        new_strengths = np.round(np.tile(strengths_now, len(every)), 3)
        if also is not None:
            new_kinds.append(also.kind)
            new = np.vstack([new, as_rows([also.kind])])
            new_strengths = np.append(new_strengths, also.piece.blend.strength)
        likeness, _ = predict(self.kinds.likeness, rows, strengths, worth, new, new_strengths)
        likeness += self.kinds.gains(new_kinds)
        reach, deviation = predict(
            self.kinds.reach, rows[tried], strengths[tried],
            reaches[tried], new, new_strengths,
        )  # fmt: skip
        holds = chance(reach, deviation, self.wanted + REACH_SPARE)
        if self.passing:
            least = max(found.worth for found in self.passing)
        else:
            least = float(likeness[holds > 0.5].max(initial=likeness.min())) - HOPE
        gain = holds * np.clip(likeness - least, 0, WINDFALL)
        if also is not None and gain[-1] > 0 and gain[-1] >= 0.5 * gain.max():
            return also
        for best in np.argsort(-gain, kind="stable")[:400]:
            if not gain[best] > 0:
                return None
            kind, strength = new_kinds[best], float(new_strengths[best])
            near = (s for k, s in zip(kinds, strengths, strict=True) if k == kind)
            if any(abs(strength - s) < STRENGTHS_APART for s in near):
                continue
            made = self.kinds.made(kind, strength)
            taken = [found.piece for found in self.looked]
            if made not in taken and (pending is None or made != pending.piece):
                return Guess(made, kind)
        return None

    def _lines(self) -> list[Line]:
        """The best candidates, and the same with a strength for each module."""
        ranked = sorted(self.passing, key=lambda found: -found.worth)[:FINALISTS]
        if not ranked:  # those that miss least for what they are worth
            order = sorted(self.looked, key=lambda found: MISSING * found.reach + found.worth)
            ranked = [found for found in order[::-1] if found.reach > 0][:MAPPED]
        lines = [
            Line(lambda found=found: found.piece, found.worth, found.reach - self.wanted)
            for found in ranked
        ]
        lines += self._nearly()
        for found in ranked[:MAPPED]:
            if self.kinds.follows(found.piece):
                lines.append(
                    Line(partial(self.mapped, found), found.worth + self.kinds.each_brings)
                )
        return lines

    def _nearly(self) -> list[Line]:
        """What does not hold, but promises most once it is made as strong as it must be: where
        one symbol has had all the looks, another one may be better."""
        lines = []
        for found in self.looked:
            short = self.wanted + REACH_SPARE - found.reach
            if found.reach and 0 < short <= MOST_SHORT and self.kinds.follows(found.piece):
                by = round(short / MADE_UP, 3)
                promise = found.worth - SHORT * short + self.kinds.each_brings
                make = partial(self._mapped_by, found, by)
                lines.append(Line(make, promise))
        return sorted(lines, key=lambda line: -line.worth)[:NEARLY]

    def _mapped_by(self, found: Candidate, by: float) -> Piece:
        return stronger(self.mapped(found), by)

    def _kind(self, found: Candidate) -> Trait | None:
        return self.kinds.kind_of(found.piece, found.rendering.symbol)
