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
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from functools import partial

import numpy as np

from nimble_tile.core.errors import MessageError, Stopped, UserError
from nimble_tile.core.judged import judged_size
from nimble_tile.core.piece import Blend, Code, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.fidelity import Fidelity
from nimble_tile.core.scan.judging import fidelity_of, missing
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject, subject_of
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune import GENTLEST_REACH
from nimble_tile.core.tune.candidates import Candidate, Guess, PassStep
from nimble_tile.core.tune.confirm import Elsewhere, stronger
from nimble_tile.core.tune.guess import LIKENESS, REACH, Trait, as_rows, chance, predict
from nimble_tile.core.tune.line import Line, Look
from nimble_tile.core.tune.measure import Measure
from nimble_tile.core.tune.weak import weakest

LEVELS_TRIED = (("L", 3, 0.62), ("M", 2, 0.55), ("Q", 1, 0.5))
"""Levels that are tried, with how many versions of each, from the smallest on, and the strength
at which these are compared. A low level leaves free bits that follow the picture, a higher one
lets more modules be missed."""

_START = (*((level, strength) for level, _, strength in LEVELS_TRIED), ("H", 0.5))

SHARINGS = tuple((finders, quiet) for quiet in (0.0, -0.2, 0.2) for finders in (0.0, 0.15, 0.3))
"""Strengths of finders and of the quiet zone that are tried, beyond that of the rest."""

STRENGTHS = tuple(round(0.2 + 0.03 * step, 2) for step in range(27))
"""Strengths that are guessed about; by one or two hundredths more each second and third time."""

MOST_CANDIDATES = 8
"""Candidates that readers look at after the first comparison."""

RENDERED = 13
"""Candidates that are rendered then: some turn out to be less alike than the best."""

OWN_LOOKS = 2
"""Looks at the piece's own blend with other strengths."""

OWN_SLOPE = 0.42
"""What a unit of strength adds to reach, about."""

REACH_SPARE = 0.005
"""Reach beyond the wanted one that is aimed at."""

STRENGTHS_APART = 0.008
"""Strengths of one kind that are closer than this count as the same."""

HOPE = 0.02
"""While nothing holds, gains are counted from this much below the best guess."""

WINDFALL = 0.05
"""Cap on the expected gain in likeness, as predictions far from known candidates are unreliable."""

MATCHED = 0.53
"""Likeness that a mask gains by each unit of weighted match: measured on six photographs, where
it explains more than half of the variance between masks."""

KEPT_MARGIN = 10.0
"""Margin, in steps of 255 of a frame, at which a module's strength stays as it is."""

MARGIN_SLOPE = 40.0
"""Steps of 255 of further margin that would take all of a module's strength."""

LEAST_FACTOR, MOST_FACTOR = 0.8, 1.5
"""Limits of a module's strength in parts of the others'."""

EACH_BRINGS = 0.01
"""Likeness that strengths of their own bring, about, at the same reach."""

MAPPED = 2
"""Finalists that are tried with a strength for each module, too."""

FINALISTS = 4
"""Candidates, the most alike of those that hold, that must hold elsewhere, too: what holds by luck
alone does not do so twice."""

CONFIRMED, CONFIRMED_AT_MOST = 7, 9
"""Candidates that are looked at elsewhere; and where none of these holds."""

CONFIRMING_TAKES = 4
"""Times that it takes of a look in the search's own trials."""

GAIN = 0.005
"""Likeness that a further look must promise once something holds."""


def ready(piece: Piece) -> None:
    """Raise `UserError` where the pass cannot be made."""
    if piece.picture.digest is None:
        raise UserError("The gentlest pass needs a picture.", "Bring one on the rung Picture.")
    if not piece.message.text:
        raise UserError("There is no message yet.", "Write one on the rung Message.")
    if piece.layout.digest is not None:
        raise UserError(
            "The gentlest pass looks at the piece alone.", "Take the layout off for as long."
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
    yield from _Search(piece, renderer, room, trials, wanted, seed, stop, size).run()


class _Search:
    def __init__(self, piece, renderer, room, trials, wanted, seed, stop, size) -> None:
        self.piece, self.renderer, self.room = piece, renderer, room
        self.trials, self.wanted, self.seed = trials, wanted, seed
        self.stop = stop
        self.size = size or judged_size(piece, renderer)
        self.passing: list[Candidate] = []
        self.most: Candidate | None = None
        self.symbols = candidates(piece)
        self.done = 0
        self.total = (
            1 + OWN_LOOKS + len(self.symbols) + MOST_CANDIDATES + CONFIRMING_TAKES * CONFIRMED
        )
        self.looked: list[Candidate] = []
        self.judged = 0  # by readers
        self.matches: list[np.ndarray] = []
        self.maps: dict[int, str] = {}  # by the candidate
        self.confirmed: Candidate | None = None
        self.slack = -np.inf  # of the confirmed one
        self.fresh: float | None = None

    def run(self) -> Iterator[PassStep]:
        self.usual = self.subject(self.piece, self._render(self.piece)).usual
        self.measure = Measure(self.room, self.usual, self.trials, self.seed, self.stop)
        # One candidate is rendered while the readers look at the one before it.
        with ThreadPoolExecutor(1) as self.pool:
            try:
                self.before = self._try(self._ahead(self.piece))
            except Stopped:
                return  # before anything is known
            yield self._progress("Comparing symbols")
            try:
                yield from self._steps()
            except Stopped:
                pass
        self.done = self.total
        yield self._progress("Done")

    def _steps(self) -> Iterator[PassStep]:
        pieces = [self._with(v, level, dict(_START)[level]) for v, level in self.symbols]
        waiting = self._ahead(pieces[0])
        for following in (*pieces[1:], None):
            now, waiting = waiting, None if following is None else self._ahead(following)
            self._try(now)
            yield self._progress("Comparing symbols")
        yield from self._as_it_is()
        self.matches = [self.renderer.matches(piece) for piece in pieces]
        chosen, waiting = self._next(), None
        looks = 0
        for _ in range(RENDERED):
            if chosen is None or looks >= MOST_CANDIDATES:
                break
            waiting = waiting or self._ahead(chosen.piece)
            following = self._next(chosen) if looks + 1 < MOST_CANDIDATES else None
            after = None if following is None else self._ahead(following.piece)
            judged, done = self.judged, self.done
            self._try(waiting, self.wanted)
            looks += self.judged - judged
            self.done = done + self.judged - judged
            chosen, waiting = self._next(also=following), None
            if following is not None and chosen is not None and chosen.piece == following.piece:
                waiting = after
            yield self._progress("Finding mask and strength")
        yield from self._confirm()
        if self.confirmed is not None:
            self.fresh = self.elsewhere.told(self.confirmed)

    def _as_it_is(self) -> Iterator[PassStep]:
        """The piece's own blend and symbol with another strength: what a person would try."""
        found = self.before
        for _ in range(OWN_LOOKS):
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
            found = self._try(self._ahead(piece))
            yield self._progress("Trying other strengths")

    def _next(self, pending: Guess | None = None, also: Guess | None = None) -> Guess | None:
        """The candidate with the greatest expected improvement.

        `pending`: one that is being looked at; it is taken for what is expected of it.
        `also`: one that is rendered already; it is taken if it promises half as much.
        """
        known = [found for found in self.looked if self._kind(found) is not None]
        kinds = [self._kind(found) for found in known]
        strengths = np.array([found.piece.blend.strength for found in known])
        # The prior of the masks is subtracted before the prediction and added after it.
        worth = np.array([found.worth for found in known]) - self._by_match(kinds)
        tried = np.array([found.reach > 0 for found in known])
        reaches = np.array([found.reach for found in known])
        rows = as_rows(kinds)
        if pending is not None:
            at = as_rows([pending.kind]), np.array([pending.piece.blend.strength])
            guess, _ = predict(LIKENESS, rows, strengths, worth, *at)
            hope, _ = predict(REACH, rows[tried], strengths[tried], reaches[tried], *at)
            kinds, rows = [*kinds, pending.kind], np.vstack([rows, at[0]])
            strengths, worth = np.append(strengths, at[1]), np.append(worth, guess)
            reaches, tried = np.append(reaches, hope), np.append(tried, True)
        every = [
            Trait(version, mask, *sharing)
            for version in range(len(self.symbols)) for mask in range(8) for sharing in SHARINGS
        ]  # fmt: skip
        strengths_now = np.array(STRENGTHS) + 0.01 * (len(self.looked) % 3)
        new_kinds = [kind for kind in every for _ in STRENGTHS]
        new = np.repeat(as_rows(every), len(STRENGTHS), axis=0)
        new_strengths = np.round(np.tile(strengths_now, len(every)), 3)
        if also is not None:
            new_kinds.append(also.kind)
            new = np.vstack([new, as_rows([also.kind])])
            new_strengths = np.append(new_strengths, also.piece.blend.strength)
        likeness, _ = predict(LIKENESS, rows, strengths, worth, new, new_strengths)
        likeness += self._by_match(new_kinds)
        reach, deviation = predict(
            REACH, rows[tried], strengths[tried],
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
            made = self._with(*self.symbols[kind.version], strength)
            made = _shared(made.edited("code", mask=kind.mask), kind)
            taken = [found.piece for found in self.looked]
            if made not in taken and (pending is None or made != pending.piece):
                return Guess(made, kind)
        return None

    def _by_match(self, kinds: Sequence[Trait]) -> np.ndarray:
        """Likeness that masks gain beyond the best of their version."""
        return MATCHED * np.array([self.matches[k.version][k.mask] for k in kinds])

    def _kind(self, found: Candidate) -> Trait | None:
        """What a candidate of the search is made of; None for others."""
        if not _followed(found):
            return None
        blend, symbol = found.piece.blend, found.rendering.symbol
        finders = blend.strength if blend.finders is None else blend.finders
        quiet = blend.strength if blend.quiet_strength is None else blend.quiet_strength
        strength = blend.strength
        known = [
            sharing for sharing in SHARINGS
            if (_at(strength, sharing[0]), _at(strength, sharing[1])) == (finders, quiet)
        ]  # fmt: skip
        version = (symbol.version, symbol.level)
        if version not in self.symbols or not known:
            return None
        return Trait(self.symbols.index(version), symbol.mask, *known[0])

    def _mapped(self, found: Candidate) -> Piece:
        """Strengthen the modules that are weak in frames, weaken those with margin to spare."""
        piece = found.piece
        known = self.maps.get(id(found))
        if known is None:
            quiet = piece.code.quiet_zone
            level = [
                trial for trial in (*self.measure.trials, *self.elsewhere.draws.first)
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

    def _confirm(self) -> Iterator[PassStep]:
        """The most alike candidate that holds in fresh trials and at other sizes, too.

        One that nearly does is made a little stronger and one with reach to spare weaker, as
        long as that promises more than the others.
        """
        self.elsewhere = Elsewhere(
            self.room, self.renderer, self.usual, self.trials, self.wanted, self.seed, self.size,
            self.stop, self.subject,
        )  # fmt: skip
        ranked = sorted(self.passing, key=lambda found: -found.worth)[:FINALISTS]
        ranked = ranked or [found for found in (self.most,) if found is not None]
        lines = [Line(partial(_piece_of, found), found.worth) for found in ranked]
        for found in ranked[:MAPPED]:
            if _followed(found):
                lines.append(Line(partial(self._mapped, found), found.worth + EACH_BRINGS))
        seen: list[Piece] = []
        for number in range(CONFIRMED_AT_MOST):
            if number >= CONFIRMED and self.holds:
                return
            least = self.confirmed.worth + GAIN if self.holds else -np.inf
            promised = [
                (line.promise(by), line, by) for line in lines if (by := line.next()) is not None
            ]
            if number >= CONFIRMED:  # what has come nearest is nearest to an end
                promised = [(line.nearest, line, by) for _, line, by in promised]
            worth, line, by = max(promised, key=lambda one: one[0], default=(-np.inf, None, 0.0))
            if line is None or worth < least:
                return
            piece = stronger(line.make(), by) if by else line.make()
            if piece in seen:
                line.ended = True
                continue
            seen.append(piece)
            done = self.done
            # Some were not read, as they were less alike than another one.
            read = (one for one in self.looked if one.piece == piece and one.reach)
            found = next(read, None)
            if found is None:
                found = self._try(self._ahead(piece))
            slack = self.elsewhere.slack(found)
            line.add(Look(by, found.worth, slack))
            self._remember(found, slack)
            self.done = done + CONFIRMING_TAKES
            yield self._progress("Looking with fresh trials and at other sizes")

    def _remember(self, found: Candidate, slack: float) -> None:
        """Keep the most alike of those that hold everywhere, else the one that misses least."""
        if slack >= 0:
            better = not self.holds or found.worth > self.confirmed.worth
        else:
            better = not self.holds and slack > self.slack
        if better:
            self.confirmed, self.slack = found, slack

    @property
    def holds(self) -> bool:
        """Whether a candidate was found that holds everywhere."""
        return self.slack >= 0

    def _with(self, version: str, level: str, strength: float) -> Piece:
        old = self.piece
        steer = "tail" if old.code.steer == "tail" else "padding"
        code = old.code.model_copy(
            update={"version": version, "level": level, "raise_level": False, "steer": steer,
                    "mask": "auto", "keep": 1.0}
        )  # fmt: skip
        blend = Blend(
            method="gentle", strength=strength, guarding=old.blend.guarding, quiet=old.blend.quiet
        )
        return old.model_copy(update={"code": code, "blend": blend})

    def _render(self, piece: Piece) -> Rendering:
        return self.renderer.render(piece, self.size)

    def subject(self, piece: Piece, rendering: Rendering) -> Subject:
        """A candidate as the subject of trials, in its size on paper."""
        full = piece.finish.size or self.renderer.natural_size(piece)
        return subject_of(rendering, piece.finish.dpi, full)

    def _ahead(self, piece: Piece) -> Future:
        """Render a candidate beside other work."""

        def work() -> tuple[Piece, Rendering, Fidelity]:
            rendering = self._render(piece)
            return piece, rendering, fidelity_of(rendering)

        return self.pool.submit(work)

    def _found(self, made: Future, least: float) -> Candidate:
        if self.stop():
            raise Stopped
        piece, rendering, fidelity = made.result()
        found = Candidate(piece, rendering, 0.0, fidelity)
        if least and self.passing and found.worth <= max(f.worth for f in self.passing):
            return found  # not worth reading, whatever the readers would say
        self.judged += 1
        reach = self.measure.reach_of(self.subject(piece, rendering), least)
        if reach >= self.wanted and missing(rendering, self.room.bay, self.room.readers):
            reach = min(reach, self.wanted - REACH_SPARE)
        return replace(found, reach=reach)

    def _try(self, made: Future, least: float = 0.0) -> Candidate:
        """Judge a candidate (from `_ahead`) and remember it if it is better."""
        found = self._found(made, least)
        self.done += 1
        self.looked.append(found)
        if found.reach >= self.wanted:
            self.passing.append(found)
        elif self.most is None or found.reach > self.most.reach:
            self.most = found
        return found

    @property
    def best(self) -> Candidate | None:
        """The one that was confirmed, else the best that holds, else what holds most."""
        if self.confirmed is not None:
            return self.confirmed
        if self.passing:
            return max(self.passing, key=lambda found: found.worth)
        return self.most

    def _progress(self, what: str) -> PassStep:
        share = min(1.0, self.done / self.total)
        best, seen = self.best, self.confirmed is not None
        holds = best is not None and best.reach >= self.wanted and (self.holds or not seen)
        return PassStep(self.before, best, holds, share, what, seen, self.fresh)


def candidates(piece: Piece) -> list[tuple[str, str]]:
    """Versions and levels that are tried; the piece's own level alone where something is laid
    on the code."""
    levels = LEVELS_TRIED
    if piece.logo.items or piece.logo.paint is not None:
        # Without its own error correction nothing could be read below what is laid on it.
        levels = [(piece.code.level, LEVELS_TRIED[0][1] + 1, dict(_START)[piece.code.level])]
    found = []
    for level, count, _ in levels:
        code = Code(level=level, raise_level=False, charset=piece.code.charset)
        try:
            least = int(encode(piece.message, code).version)
        except MessageError:
            continue
        found += [(str(v), level) for v in range(least, min(40, least + count - 1) + 1)]
    if not found:
        raise UserError("The message does not fit.", "Shorten it.")
    return found


def _piece_of(found: Candidate) -> Piece:
    return found.piece


def _at(strength: float, beyond: float) -> float:
    return round(float(np.clip(strength + beyond, 0.1, 1)), 3)


def _shared(piece: Piece, kind: Trait) -> Piece:
    """A candidate with its own strengths for finders and for the quiet zone."""
    strength = piece.blend.strength
    return piece.edited(
        "blend",
        finders=_at(strength, kind.finders) if kind.finders else None,
        quiet_strength=_at(strength, kind.quiet) if kind.quiet else None,
    )


def _followed(found: Candidate) -> bool:
    """Whether it tells about masks and strengths of the search's own candidates."""
    blend, code = found.piece.blend, found.piece.code
    return blend.method == "gentle" and blend.map is None and code.steer != "off"
