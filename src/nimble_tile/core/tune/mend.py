"""Mending: the smallest change to a finished picture that makes it scan.

The symbol is found by `nimble_tile.core.tune.recover`. The picture as it is
takes the part of the original in the gentle blend: tones move, in its own
colours and with its own texture, only where a margin is missing, and changes
weigh much more than in a new piece. Strength of the modules, of the finders and
of the quiet zone are found one after the other; readers and trials judge each
step.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.blend import gentle
from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.core.language import tr
from nimble_tile.core.picture import warping
from nimble_tile.core.picture.placing import Box, bounds
from nimble_tile.core.piece import Blend
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.fidelity import Fidelity, measure
from nimble_tile.core.scan.framed import (
    LARGEST_LOOK,
    framed_view,
    looks,
    says,
    seen_at,
    steps_back,
)
from nimble_tile.core.scan.readers import READER_NAMES, to_grey
from nimble_tile.core.scan.recognise import recognise
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.trials.reach import percent
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject, subject_on
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune import MENDED_REACH
from nimble_tile.core.tune.confirm import CONFIRMING, FRESH_TOLERANCE, Draws, sound
from nimble_tile.core.tune.measure import Measure
from nimble_tile.core.tune.recover import Suspect, quiet_around, suspects

WEIGHTS = tuple(gentle.Weights(75.0, changed, 6.0, 0.02) for changed in (14.4, 4.8))
"""What the descent weighs, tried in this order: dear changes first."""

FINDERS = 1.0
"""Margin of finders in parts of the usual one: they have a strength of their own here."""

LADDER = (0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0)
"""Strengths that are tried for all alike, weakest first."""

WEAKENING_STEPS = (0.2, 0.1, 0.05)
"""Steps by which the quiet zone, the modules and the finders are then weakened."""

LEAST_STRENGTH = 0.05

SEEN = 6
"""Steps of 255 in a module's mean tone from which it counts as changed."""

LOOK_SIDE = 1600
"""Longer side, in pixels, at which readers look at the whole picture."""


@dataclass(frozen=True, eq=False)
class Attempt:
    """A mended picture.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    suspect : Suspect
        The symbol that stands there now.
    quiet_zone : int
        Modules of quiet zone that the picture has room for.
    read : dict of str to bool
        Which readers read it straight on.
    reach : float
        Passes over those of the usual code.
    change : Fidelity
        Likeness to the picture as it was, over the code's square.
    changed : ndarray of float32, N × N
        Mean change of tone of each module, quiet zone included, -255 to 255.
    strengths : (float, float, float)
        Of the modules, of finders and other patterns, and of the quiet zone.
    holds : bool
        Whether all readers read it, the wanted reach is held, in fresh trials too, and
        enough spare is left.
    """

    image: np.ndarray
    suspect: Suspect
    quiet_zone: int
    read: dict[str, bool]
    reach: float
    change: Fidelity
    changed: np.ndarray
    strengths: tuple[float, float, float]
    holds: bool

    @property
    def touched(self) -> int:
        """How many modules were changed."""
        return int((np.abs(self.changed) >= SEEN).sum())


@dataclass(frozen=True, eq=False)
class MendStep:
    """How far mending is.

    Attributes
    ----------
    best : Attempt or None
        The least change that holds so far, or what holds most.
    share : float
        Of the work that is done, 0 to 1.
    what : str
        What is being done.
    second : Attempt or None
        Another change that holds: fewer places more strongly, or more of them less.
    """

    best: Attempt | None
    share: float
    what: str
    second: Attempt | None = None


def find(
    image: np.ndarray,
    text: str,
    bay: ReaderBay,
    region: tuple[float, float, float, float] | None = None,
    stop: Callable[[], bool] = lambda: False,
    symbols: Sequence[Symbol] = (),
    places: Sequence[np.ndarray] = (),
) -> list[Suspect]:
    """The symbols that may stand on a picture, surest first.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    text : str
        The intended message; the digits of a steered tail may be missing.
    bay : ReaderBay
    region : (left, top, width, height), optional
        Where the code is, quiet zone included, in pixels.
    stop : callable
        Asked all the time; True: what was found until then must do.
    symbols : sequence of Symbol
        Those that it may be, where they are known.
    places : sequence of ndarray, 4 × 2
        Corners between which it may lie, without quiet zone.

    Raises
    ------
    UserError
        None does; what stands in the way is said.
    """
    view, scale = seen_at(to_grey(image), LOOK_SIDE)
    known, symbols = list(places), [symbol for symbol in symbols if means(symbol.text, text)]
    for outcome in bay.read(view):
        for reading in outcome.readings:
            if len(reading.corners) != 4:
                continue
            known.append(np.asarray(reading.corners) / scale)
            # What one reader reads may be steered, or of another encoder.
            if means(reading.text, text) and (made := recognise(view, reading)) is not None:
                symbols.append(made.symbol)
    found = suspects(image, text, region, known, stop=stop, symbols=symbols)
    if found and not found[0].sure and any(suspect.alike for suspect in found):
        raise UserError(
            tr("The code on the picture says something else that begins alike."),
            tr("Correct the message to the letter."),
        )
    if not found or not found[0].sure:
        raise UserError(
            tr("No code with this message was found on the picture."),
            tr(
                "Check that the message is the intended one to the letter, say where "
                "the code is, or "
                "take a picture that shows more of it."
            ),
        )
    return found


def means(text: str, message: str) -> bool:
    """Whether a symbol's text is a message, or that with a steered tail of digits."""
    rest = text.removeprefix(message)
    return text.startswith(message) and (not rest or (rest[0] == "#" and rest[1:].isdigit()))


class Mender:
    """Mends one picture for one symbol.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    suspect : Suspect
    room : Room
    trials : sequence of Trial
    veto : ndarray of bool, H × W, optional
        Where the picture must stay as it is.
    seed : int
    stop : callable
    """

    def __init__(
        self,
        image: np.ndarray,
        suspect: Suspect,
        room: Room,
        trials: Sequence[Trial],
        veto: np.ndarray | None = None,
        seed: int = 0,
        stop: Callable[[], bool] = lambda: False,
    ) -> None:
        self.image, self.suspect, self.room = image, suspect, room
        symbol = suspect.symbol
        self.quiet = quiet = quiet_around(suspect.quad, symbol.side, image.shape[1::-1])
        self.quad = suspect.outer(quiet)
        self.box = _whole_box(self.quad, image.shape[1::-1])
        edges = np.roll(self.quad, -1, axis=0) - self.quad
        self.measured = float(np.hypot(*edges.T).mean())  # side of the square, in pixels
        self.square = np.ascontiguousarray(self._upright(image))
        factors = None
        if veto is not None and veto.any():
            import cv2

            grid = self._upright((veto > 0).astype(np.uint8) * 255)
            self.free = grid < 128
            modules = symbol.side + 2 * quiet
            grid = cv2.resize(grid, (modules, modules), interpolation=cv2.INTER_AREA)
            factors = (1 - grid.astype(np.float32) / 255).astype(np.float32)
        self.factors = factors
        self.plan = Plan(self.square, symbol, quiet)
        usual = Subject(image, suspect.quad, symbol, symbol.text).usual
        self.measure = Measure(room, usual, trials, seed, stop)
        self.fresh = Draws(room, usual, trials, [seed + CONFIRMING], stop)
        self._descents: dict[gentle.Weights, gentle.Descent] = {}

    def _upright(self, image: np.ndarray) -> np.ndarray:
        if self.box is not None:
            return image[self.box.slices]
        return warping.cut(image, self.quad, warping.square_side(self.quad))

    def _strength(self, strengths: tuple[float, float, float]) -> np.ndarray:
        body, function, quiet = strengths
        plan = self.plan
        found = np.full((plan.modules, plan.modules), body, np.float32)
        patterns = (Part.FINDER, Part.SEPARATOR, Part.ALIGNMENT, Part.TIMING)
        found[np.isin(plan.parts, patterns)] = function
        found[plan.quiet] = quiet
        return found if self.factors is None else found * self.factors

    def attempt(
        self, strengths: tuple[float, float, float], wanted: float, weights: gentle.Weights
    ) -> Attempt:
        """The picture changed by some strengths, and what readers say of it."""
        import cv2

        plan = self.plan
        if weights not in self._descents:
            self._descents[weights] = gentle.Descent(plan, weights)
        strength = self._strength(strengths)
        after = plan.luma
        if strength.any():
            margins = gentle.margins(plan, Blend(), strength, FINDERS)
            solved = self._descents[weights].solve(margins, strength)
            after = gentle.tones(plan, solved, strength, FINDERS)
        if self.factors is not None:  # to the pixel
            kept = plan.on_pixels(self.factors) * self.free
            after = np.rint(plan.luma + kept * (after.astype(np.float32) - plan.luma))
            after = after.astype(np.uint8)
        square = move_luma(self.square, plan.luma, after, plan.colours)
        if self.box is not None:
            image = self.image.copy()
            image[self.box.slices] = square
        else:
            image = warping.put_back(self.image, self.square, square, self.quad)
        change = after.astype(np.float32) - plan.luma
        grid = cv2.resize(change, (plan.modules,) * 2, interpolation=cv2.INTER_AREA)
        read = self.straight(image)
        subject = subject_on(image, self.suspect.quad, plan.symbol, plan.symbol.text)
        reach = self.measure.reach_of(subject, wanted) if all(read.values()) else 0.0
        made = Attempt(
            image, self.suspect, self.quiet, read, reach,
            measure(self.square, square, plan.modules), grid, strengths,
            False,
        )  # fmt: skip
        if reach < wanted or not self._elsewhere(made, subject, wanted):
            return made
        return replace(made, holds=True)

    def _elsewhere(self, made: Attempt, subject: Subject, wanted: float) -> bool:
        """Whether it holds in trials that the search has not used, and the verdict is “well”."""
        least = wanted - FRESH_TOLERANCE
        if self.fresh.reach_of(subject, least) < least:
            return False
        return sound(rendering_of(made, self.image), self.room)

    def straight(self, image: np.ndarray) -> dict[str, bool]:
        """Which readers read the picture as it is, framed and looked at as for the verdict."""
        points = self.quad
        left, top = np.floor(points.min(0)).astype(int)
        right, bottom = np.ceil(points.max(0)).astype(int)
        width, height = image.shape[1], image.shape[0]
        left, top = max(0, left), max(0, top)
        box = Box(left, top, min(right, width) - left, min(bottom, height) - top)
        framed, _ = framed_view(to_grey(image), box)
        text, longer = self.plan.symbol.text, max(framed.shape)
        module = self.measured / self.plan.modules
        found = dict.fromkeys(READER_NAMES, False)
        sides = (min(LARGEST_LOOK, longer), *steps_back(longer, module))
        for look in looks(
            self.room.bay, framed, sides, READER_NAMES, lambda outcome: says(outcome, text)
        ):
            found |= {outcome.name: says(outcome, text) for outcome in look.outcomes}
        return found


def mend(
    image: np.ndarray,
    suspect: Suspect,
    room: Room,
    trials: Sequence[Trial],
    wanted: float = MENDED_REACH,
    veto: np.ndarray | None = None,
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
) -> Iterator[MendStep]:
    """Mend a picture.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    suspect : Suspect
        From `find`.
    room : Room
    trials : sequence of Trial
    wanted : float
        Reach, 0 to 1.
    veto : ndarray of bool, H × W, optional
        Where the picture must stay as it is.
    seed : int
    stop : callable

    Yields
    ------
    MendStep
        The last one is the result; see `why_not` where it does not hold.
    """
    mender = Mender(image, suspect, room, trials, veto, seed, stop)
    best: Attempt | None = None
    most: Attempt | None = None
    each: dict[gentle.Weights | None, Attempt] = {}  # the best of each
    total = len(WEIGHTS) * 17

    def better(tried: Attempt, weights: gentle.Weights | None = None) -> bool:
        nonlocal best, most
        if tried.holds and (best is None or _seen(tried) < _seen(best)):
            best = tried
        if tried.holds and (weights not in each or _seen(tried) < _seen(each[weights])):
            each[weights] = tried
        if most is None or _held(tried) > _held(most):
            most = tried
        return tried.holds

    def step_to(share: float, what: str) -> MendStep:
        others = [tried for tried in each.values() if tried is not best]
        return MendStep(best or most, share, what, min(others, key=_seen, default=None))

    done = 0
    try:
        as_it_is = mender.attempt((0.0, 0.0, 0.0), wanted, WEIGHTS[0])
        if better(as_it_is):
            yield MendStep(best, 1.0, tr("It scans as it is"))
            return
        for weights in WEIGHTS:
            own = None
            for strength in LADDER:
                tried = mender.attempt((strength,) * 3, wanted, weights)
                done += 1
                better(tried, weights)
                yield step_to(min(0.98, done / total), tr("Finding the strength"))
                if tried.holds:
                    own = tried
                    break
            if own is None:
                continue
            for step in WEAKENING_STEPS:
                for group in (2, 0, 1):
                    while own.strengths[group] - step >= LEAST_STRENGTH:
                        lower = list(own.strengths)
                        lower[group] = round(lower[group] - step, 3)
                        tried = mender.attempt(tuple(lower), wanted, weights)
                        done += 1
                        better(tried, weights)
                        yield step_to(min(0.98, done / total), tr("Changing less"))
                        if not tried.holds:
                            break
                        own = tried
    except Stopped:
        pass
    yield step_to(1.0, tr("Done"))


def rendering_of(attempt: Attempt, original: np.ndarray) -> Rendering:
    """A mended picture as a rendering, for the verdict, trials and export."""
    symbol, quiet = attempt.suspect.symbol, attempt.quiet_zone
    quad = attempt.suspect.outer(quiet)
    extent = original.shape[1], original.shape[0]
    box = _whole_box(quad, extent)
    if box is not None:
        return Rendering(attempt.image, original, box, symbol, quiet, True)
    return Rendering(attempt.image, original, bounds(quad, extent), symbol, quiet, True, quad=quad)


def why_not(attempt: Attempt, wanted: float, vetoed: bool) -> str:
    """What stands in the way of a picture that could not be mended, in a sentence."""
    missing = [name for name, ok in attempt.read.items() if not ok]
    if vetoed:
        return tr("What is vetoed takes too much of the code: free a part of it.")
    if missing:
        names = tr(" and ").join(missing)
        return tr(
            "Even with the strongest change it is not read by {names}: the picture "
            "is too small or too blurred there, or hides a finder pattern.",
            names=names,
        )
    if attempt.reach >= wanted:
        return tr(
            "All readers read it and its reach is {reach}, but fresh trials do not "
            "confirm the wanted {wanted:.0%}: ask for less.",
            reach=percent(attempt.reach),
            wanted=wanted,
        )
    return tr(
        "All readers read it, but its reach is {reach}, under the wanted "
        "{wanted:.0%}: ask for less.",
        reach=percent(attempt.reach),
        wanted=wanted,
    )


def _seen(attempt: Attempt) -> float:
    return attempt.change.delta_e_mean


def _held(attempt: Attempt) -> float:
    return sum(attempt.read.values()) + attempt.reach


def _whole_box(quad: np.ndarray, extent: tuple[int, int]) -> Box | None:
    """The box of a square that lies upright on whole pixels, so that nothing is resampled."""
    snapped = np.rint(quad)
    (left, top), (right, bottom) = snapped[0], snapped[2]
    ideal = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
    side = right - left
    if np.abs(quad - ideal).max() > 0.35 or abs(side - (bottom - top)) > 0:
        return None
    if left < 0 or top < 0 or right > extent[0] or bottom > extent[1]:
        return None
    return Box(int(left), int(top), int(side), int(side))
