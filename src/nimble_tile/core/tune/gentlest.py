"""The gentlest pass: the least visible blend that still holds the wanted reach.

The candidates are the symbols that the message fits in (smallest version and
the next ones at level L, steered by the picture), the strengths of the gentle
blend, the masks, and a map that lowers each module by itself where all frames
show that it has margin to spare. Readers judge every step in the trials. The
number of steps is fixed, so that the same seed gives the same piece.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.piece import Blend, Code, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.fidelity import Fidelity
from nimble_tile.core.scan.verdict import fidelity_of, judge_rendering
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import subject_of
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune.measure import Measure, Stopped
from nimble_tile.core.tune.weak import weakest

WANTED = 0.97

SIZE = 1024
"""Longer side, in pixels, at which candidates are judged, where the piece is not smaller."""

LARGER = 3
"""Versions above the smallest that are tried."""

START = 0.66
"""Strength at which candidates are compared."""

REACH_SLOPE, WORTH_SLOPE = 0.42, -0.45
"""What a unit of strength adds to reach and takes from likeness, about: by these it is guessed
what is worth a look."""

TRIES = 36
"""Looks after the first comparison."""

OWN = 3
"""Looks at the piece's own blend with other strengths."""

VERSIONS = 3
"""Versions that are followed after it."""

BETTER = 0.004
"""A candidate must promise to be better by so much to be shown to readers."""

SPARE = 0.6
"""Likeness that is aimed at for a unit of reach beyond the wanted one."""

SURE = 0.005
"""Reach beyond the wanted one that is aimed at."""

SHORT = 2.5
"""Likeness that a unit of expected reach below the wanted one is worth."""

UNKNOWN = 0.03
"""Reach that a mask may have beyond what its version lets expect; halves with each look."""

LOWERED = ((0.11, 16.0, 0.5), (0.08, 19.0, 0.55), (0.05, 23.0, 0.6))
"""Strength that is added for all; margin, in steps of 255 of a frame, above which a module is
lowered; and how far at most, in parts of its strength: from bold to careful."""

LOWER_AT = (14,)
"""Looks before which modules are lowered."""

MISSING, MOST_MISSING = 0.02, 1
"""Likeness that a reader is worth which does not read the image straight on, and how many such
readers there may be: some are blind to large flat areas there, and read every photo of it."""

FINALISTS = 4

ELSEWHERE = 0.25
"""Likeness that a unit of reach missing with another seed is worth."""

COLOUR = 0.001
"""Likeness that a unit of mean colour difference is worth."""


@dataclass(frozen=True, eq=False)
class Found:
    """What the search has so far.

    Attributes
    ----------
    piece : Piece
    rendering : Rendering
    reach : float
        Against the plain code that a person would make.
    fidelity : Fidelity
    missing : int
        Readers that do not read the image straight on, where it was looked at.
    """

    piece: Piece
    rendering: Rendering
    reach: float
    fidelity: Fidelity
    missing: int = 0

    @property
    def worth(self) -> float:
        """Likeness, less a little for changed colours and for readers that miss it."""
        seen = self.fidelity.ssim_view - COLOUR * self.fidelity.delta_e_mean
        return seen - MISSING * self.missing


@dataclass(frozen=True, eq=False)
class Progress:
    """One step of the search.

    Attributes
    ----------
    before : Found
        The piece as it was.
    best : Found or None
        The best so far: one that holds the wanted reach, else the one that holds most.
    holds : bool
        Whether the best holds the wanted reach.
    share : float
        Of the work that is done, 0 to 1.
    what : str
        What is being done.
    """

    before: Found
    best: Found | None
    holds: bool
    share: float
    what: str


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
    wanted: float = WANTED,
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
    size: int = SIZE,
) -> Iterator[Progress]:
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
        Reach, 0 to 1, against the plain code that a person would make.
    seed : int
        The same seed gives the same piece.
    stop : callable
        Asked all the time; True: the search ends with what it has.
    size : int
        Longer side at which candidates are judged.

    Yields
    ------
    Progress
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
        self.size = min(size, piece.finish.size or renderer.natural_size(piece))
        self.passing: list[Found] = []
        self.most: Found | None = None
        self.symbols = candidates(piece)
        self.done = 0
        self.total = 1 + OWN + len(self.symbols) + TRIES + len(LOWERED) * len(LOWER_AT) + FINALISTS
        self.looked: list[Found] = []

    def run(self) -> Iterator[Progress]:
        self.measure = Measure(self.room, self.piece.message, self.trials, self.seed, self.stop)
        try:
            self.before = self._try(self.piece)
        except Stopped:
            return  # before anything is known
        yield self._progress("Comparing symbols")
        try:
            yield from self._steps()
        except Stopped:
            pass
        self.done = self.total
        yield self._progress("Done")

    def _steps(self) -> Iterator[Progress]:
        own = self.looked[:]
        for version, level in self.symbols:
            self._try(self._with(version, level, START))
            yield self._progress("Comparing symbols")
        yield from self._as_it_is()
        looked = [found for found in self.looked if found.piece.blend.method == "gentle"]
        first = sorted(
            [found for found in looked if found not in own],
            key=lambda f: -(f.worth + 1.2 * (f.reach - self.wanted)),
        )
        arms = {(_version(found), mask): found for found in first[:VERSIONS] for mask in range(8)}
        for number in range(TRIES):
            if number in LOWER_AT:
                yield from self._lower()
            piece = self._next(arms)
            if piece is None:
                self.done += 1
                continue
            self._try(piece, self.wanted)
            yield self._progress("Finding mask and strength")
        yield from self._confirm()

    def _as_it_is(self) -> Iterator[Progress]:
        """The piece's own blend and symbol with another strength: what a person would try."""
        found = self.before
        for _ in range(OWN):
            step = float(np.clip((self.wanted + SURE - found.reach) / REACH_SLOPE, -0.15, 0.15))
            strength = round(float(np.clip(found.piece.blend.strength + step, 0.1, 1)), 3)
            piece = self.piece.edited("blend", strength=strength)
            if any(piece == known.piece for known in self.looked):
                return
            found = self._try(piece)
            yield self._progress("Trying other strengths")

    def _next(self, arms: dict[tuple, Found]) -> Piece | None:
        """The candidate with the best chance of being better than the best."""
        best = max(self.passing, key=lambda f: f.worth) if self.passing else None
        chances = []
        for (version, mask), start in arms.items():
            seen = [f for f in self.looked if _version(f) == version and _followed(f)]
            at = [f for f in seen if f.rendering.symbol.mask == mask]
            near = (at or [start])[-1]
            known = [f for f in seen if f.reach]
            own = [f for f in at if f.reach]
            if not known:
                continue
            level = sum(f.reach - REACH_SLOPE * f.piece.blend.strength for f in known) / len(known)
            bias = sum(f.reach - level - REACH_SLOPE * f.piece.blend.strength for f in own)
            level += bias / (len(own) + 1) + UNKNOWN / 2 ** len(own)
            strength = (self.wanted + SURE - level) / REACH_SLOPE
            if best is not None:
                # No stronger than what would be better than the best.
                missing = best.worth + BETTER + SPARE * (best.reach - self.wanted) - near.worth
                strength = min(strength, near.piece.blend.strength + missing / WORTH_SLOPE)
            held = [f.piece.blend.strength for f in own if f.reach >= self.wanted]
            if held:  # between what held and what did not
                low = [f.piece.blend.strength for f in own if f.piece.blend.strength < min(held)]
                if low:
                    strength = max(strength, (max(low) + min(held)) / 2)
            strength = round(float(np.clip(strength, 0.1, 1)), 3)
            if any(abs(f.piece.blend.strength - strength) < 0.006 for f in at):
                continue
            worth = near.worth + WORTH_SLOPE * (strength - near.piece.blend.strength)
            short = min(0.0, level + REACH_SLOPE * strength - self.wanted)
            chances.append((worth + SHORT * short, strength, mask, near))
        if not chances:
            return None
        _, strength, mask, near = max(chances, key=lambda chance: chance[0])
        code = near.piece.code.model_copy(update={"mask": mask})
        return near.piece.model_copy(update={"code": code}).edited("blend", strength=strength)

    def _lower(self) -> Iterator[Progress]:
        """Lower each module that has margin to spare in all frames, and raise all a little."""
        best = self.best
        if best is None:
            return
        quiet = best.piece.code.quiet_zone
        shown = [
            self.measure.shown(best.rendering.symbol, quiet, trial)
            for trial in self.measure.trials
            if not (trial.wear.smudge or trial.wear.fold or trial.wear.crumple)
        ]
        for raised, kept, least in LOWERED:
            strength = round(min(1.0, best.piece.blend.strength + raised), 3)
            piece = best.piece.edited("blend", strength=strength, map=None)
            subject = subject_of(self.renderer.render(piece, self.size))
            margin = weakest(self.room, subject, quiet, shown, self.seed)
            factors = np.clip(1 - (margin - kept) / 40, least, 1)
            factors[np.pad(subject.symbol.anatomy.codeword < 0, quiet, constant_values=True)] = 1
            digest = self.renderer.pictures.add_mask(np.rint(factors * 128).astype(np.uint8))
            self._try(piece.edited("blend", map=digest), self.wanted)
            yield self._progress("Lowering modules with margin to spare")

    def _confirm(self) -> Iterator[Progress]:
        """Of the best, the one that is also good with other noise and other smudges."""
        if len(self.passing) < 2:
            return
        other = Measure(self.room, self.piece.message, self.trials, self.seed + 1, self.stop)
        ranked = sorted(self.passing, key=lambda found: -found.worth)[:FINALISTS]
        scores = []
        for found in ranked:
            short = min(0.0, other.reach(found.rendering) - self.wanted)
            scores.append(found.worth + ELSEWHERE * short)
            yield self._progress("Looking with other noise")
        self.passing = [ranked[int(np.argmax(scores))]]

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

    def _found(self, piece: Piece, least: float) -> Found:
        if self.stop():
            raise Stopped
        rendering = self.renderer.render(piece, self.size)
        found = Found(piece, rendering, 0.0, fidelity_of(rendering))
        if least and self.passing and found.worth <= max(f.worth for f in self.passing):
            return found  # worth no look, whatever readers say
        reach = self.measure.reach(rendering, least)
        missing = self._missing(rendering) if reach >= self.wanted else 0
        if missing > MOST_MISSING:
            reach = min(reach, self.wanted - SURE)
        return replace(found, reach=reach, missing=missing)

    def _missing(self, rendering: Rendering) -> int:
        """How many readers do not read the image itself, as the verdict looks at it."""
        right, of = judge_rendering(rendering, self.room.bay, with_fidelity=False).readers_right
        return of - right

    def _try(self, piece: Piece, least: float = 0.0) -> Found:
        """Judge a candidate and remember it if it is better."""
        found = self._found(piece, least)
        self.done += 1
        self.looked.append(found)
        if found.reach >= self.wanted:
            self.passing.append(found)
        elif self.most is None or found.reach > self.most.reach:
            self.most = found
        return found

    @property
    def best(self) -> Found | None:
        """The best that holds, else what holds most."""
        if self.passing:
            return max(self.passing, key=lambda found: found.worth)
        return self.most

    def _progress(self, what: str) -> Progress:
        share = min(1.0, self.done / self.total)
        return Progress(self.before, self.best, bool(self.passing), share, what)


def candidates(piece: Piece) -> list[tuple[str, str]]:
    """Versions and levels that are tried, the likeliest first.

    Where something is laid on the code, also the piece's own level: without its
    error correction nothing could be read below.
    """
    levels = ["L"]
    if (piece.logo.items or piece.logo.paint is not None) and piece.code.level != "L":
        levels = [piece.code.level]
    found = []
    for level in levels:
        code = Code(level=level, raise_level=False, charset=piece.code.charset)
        try:
            least = int(encode(piece.message, code).version)
        except MessageError:
            continue
        versions = [version for version in range(least, least + LARGER + 1) if version <= 40]
        found += [(str(v), level) for v in sorted(versions, key=lambda v: (v != least + 1, v))]
    if not found:
        raise UserError("The message does not fit.", "Shorten it.")
    return found


def _followed(found: Found) -> bool:
    """Whether it tells about masks and strengths of the search's own candidates."""
    blend, code = found.piece.blend, found.piece.code
    return blend.method == "gentle" and blend.map is None and code.steer != "off"


def _version(found: Found) -> tuple[str, str]:
    return found.rendering.symbol.version, found.rendering.symbol.level
