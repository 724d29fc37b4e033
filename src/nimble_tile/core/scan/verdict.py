"""The standing answer: does it scan, how close is it to failing, and why.

The thresholds of the verdict are ours and stand together here.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from nimble_tile.core.logo.lay import TOUCHED, under
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.render import Rendering
from nimble_tile.core.scan.bay import Outcome, ReaderBay
from nimble_tile.core.scan.faded import faded
from nimble_tile.core.scan.fidelity import Fidelity, measure
from nimble_tile.core.scan.framed import (
    LARGEST_LOOK,
    area_of,
    framed_view,
    gather,
    module_side,
    seen_at,
)
from nimble_tile.core.scan.readers import NAMES, READS_MICRO, Reading, to_grey
from nimble_tile.core.scan.reasons import Reason, explain
from nimble_tile.core.scan.recognise import recognise
from nimble_tile.core.scan.sampling import Sample, sample, upright_view
from nimble_tile.core.symbol.encode import Symbol

LEAST_READERS = 0.5
"""With fewer than this share of the readers the verdict is "fails": a passer-by
tries once or twice with whatever phone they have."""

GOOD_SPARE = 0.37
"""Spare from which the verdict may be "well": grade C for unused error
correction in ISO/IEC 15415."""

ENOUGH_FADED = 0.75
"""Share of the readers that must read it as a faded print, see
`nimble_tile.core.scan.faded`. Tuned on one half of the composites of docs/verdict.md."""

SMALLER_LOOKS = (1100, 640)
"""Sides at which readers that failed look again at a file on disk."""

STEP_BACK = 0.72
"""A reader that fails on the preview looks once more from this much farther
away, as a person with a phone does without thinking."""

ARM = 6.0
"""Pixels a module of the last look at the preview, where it is much larger: what a phone at
arm's length sees of a poster. Detectors with a window of so many pixels are blind to patterns
that fill it."""

UPSIDE_DOWN = 40
"""Levels of 255 by which dark modules must be the lighter ones on average for a code
to count as light on dark; a picture that hardly shows its code stays below."""

LEAST_MODULE = 4
"""Pixels a module that this second look needs to be worth taking."""

COVERED, LEAST_COVERED = 0.6, 4
"""Share of the wrong modules, and their number, from which what lies on them is to blame."""

State = Literal["well", "thin", "fails"]

WORDS: dict[State, str] = {
    "well": "Scans well",
    "thin": "Scans, little to spare",
    "fails": "Does not scan",
}


@dataclass(frozen=True)
class Mark:
    """What one reader made of the image.

    Attributes
    ----------
    name : str
    read : bool
        Whether it decoded anything.
    text : str or None
        What it read; the expected text when it is among several.
    able : bool
        False when the reader does not know this kind of code at all.
    trouble : str
        Why it could not even try, else empty.
    look : int
        Longer side, in pixels, of the view in which it read (or tried last):
        the whole image, or the code's surroundings where its place is known.
    """

    name: str
    read: bool
    text: str | None = None
    able: bool = True
    trouble: str = ""
    look: int = 0


@dataclass(frozen=True, eq=False)
class Verdict:
    """The answer for one image.

    Attributes
    ----------
    state : {"well", "thin", "fails"}
    expected : str or None
        The intended message, where one is known.
    matches : bool or None
        Whether it was read; None without an intended message.
    found : tuple of Reading
        Every code found, once each; corners in pixels of the image.
    marks : tuple of Mark
        One for each reader.
    spare : float or None
        0 to 1; None when the symbol is not known.
    sample : Sample or None
        Module by module, when the symbol and its place are known.
    fidelity : Fidelity or None
        When the picture before blending is known.
    reasons : tuple of Reason
        Why it is not better, most important first.
    faded : (int, int) or None
        How many readers read it as a faded print, and how many could; None
        where that was not tried.
    reach : float or None
        Where the trials are through.
    """

    state: State
    expected: str | None
    matches: bool | None
    found: tuple[Reading, ...]
    marks: tuple[Mark, ...]
    spare: float | None = None
    sample: Sample | None = None
    fidelity: Fidelity | None = None
    reasons: tuple[Reason, ...] = ()
    faded: tuple[int, int] | None = None
    reach: float | None = None

    @property
    def words(self) -> str:
        """The verdict as people read it."""
        return WORDS[self.state]

    @property
    def scans(self) -> bool:
        """Whether it scans and says what was expected."""
        return self.state != "fails" and self.matches is not False

    @property
    def readers_right(self) -> tuple[int, int]:
        """How many readers read it rightly, and how many could."""
        able = [mark for mark in self.marks if mark.able]
        return sum(_right(mark, self.expected) for mark in able), len(able)


def _right(mark: Mark, expected: str | None) -> bool:
    return mark.read and (expected is None or mark.text == expected)


def judge_rendering(rendering: Rendering, bay: ReaderBay, with_fidelity: bool = True) -> Verdict:
    """Verdict on a rendering at its own size, symbol known.

    Parameters
    ----------
    rendering : Rendering
    bay : ReaderBay
    with_fidelity : bool
        Also compare the code's square with the picture.
    """
    fidelity: list[Fidelity] = []
    wanted = with_fidelity and rendering.blended
    verdict = judge(
        to_grey(rendering.image),
        bay,
        expected=rendering.symbol.text,
        symbol=rendering.symbol,
        box=rendering.box,
        quiet_zone=rendering.quiet_zone,
        quad=rendering.quad,
        looks=steps_back(rendering),
        blended=rendering.blended,
        meanwhile=[lambda: fidelity.append(fidelity_of(rendering))] if wanted else (),
    )
    reasons = (*_covered(rendering, verdict), *verdict.reasons)
    return replace(verdict, fidelity=fidelity[0] if fidelity else None, reasons=reasons)


def missing(rendering: Rendering, bay: ReaderBay) -> int:
    """How many readers do not read a rendering straight on: as `judge_rendering` looks, without
    its reasons, and the smallest look first."""
    framed, _ = framed_view(to_grey(rendering.image), rendering.box)
    sides = {min(max(framed.shape), LARGEST_LOOK), *steps_back(rendering)}
    waiting = list(READS_MICRO if rendering.symbol.micro else NAMES)
    for side in sorted(sides):
        for outcome in bay.read(seen_at(framed, side)[0], waiting):
            if any(reading.text == rendering.symbol.text for reading in outcome.readings):
                waiting.remove(outcome.name)
        if not waiting:
            break
    return len(waiting)


def _covered(rendering: Rendering, verdict: Verdict) -> tuple[Reason, ...]:
    """The reason, where most of what is wrong lies under a logo or a caption."""
    laid, looked = rendering.laid, verdict.sample
    if laid is None or looked is None or looked.spare >= GOOD_SPARE:
        return ()
    items = laid.on_code
    touched = under(items, rendering.symbol.side, rendering.quiet_zone) > TOUCHED
    if laid.cleared is not None:
        touched |= laid.cleared
    wrong = int(looked.wrong.sum())
    own = int((looked.wrong & touched).sum())
    if own < COVERED * max(wrong, 1) or own < LEAST_COVERED:
        return ()
    captions = {item.role for item in items} == {"caption"}
    what = "caption" if captions else "logo"
    return (
        Reason(
            f"{own} of {wrong} wrong modules lie under the {what}.",
            "Make it smaller, move it, or raise the level.",
        ),
    )


def fidelity_of(rendering: Rendering) -> Fidelity:
    """How much of the picture is left in the code's square; what is laid on it is not counted."""
    bare = rendering.image if rendering.bare is None else rendering.bare
    before, after = rendering.upright(rendering.picture), rendering.upright(bare)
    return measure(before, after, rendering.modules)


def steps_back(rendering: Rendering) -> tuple[int, ...]:
    """`step_back` for a rendering."""
    longer = max(framed_view(rendering.image[..., 0], rendering.box)[0].shape)
    return step_back(longer, rendering.code_side / rendering.modules)


def step_back(longer: int, module: float) -> tuple[int, ...]:
    """Longer sides at which readers that failed look again: a step back, and at arm's length.

    Parameters
    ----------
    longer : int
        Longer side of what is looked at, in pixels.
    module : float
        Pixels a module on it.
    """
    smaller = round(min(longer, LARGEST_LOOK) * STEP_BACK)
    looks = [smaller] if module * smaller / longer >= LEAST_MODULE else []
    arm = round(longer * ARM / module)
    return (*looks, arm) if arm < STEP_BACK * smaller else tuple(looks)


def judge(
    image: np.ndarray,
    bay: ReaderBay,
    expected: str | None = None,
    symbol: Symbol | None = None,
    box: Box | None = None,
    quiet_zone: int = 4,
    looks: Sequence[int] = (),
    meanwhile: Sequence[Callable[[], object]] = (),
    blended: bool = True,
    quad: np.ndarray | None = None,
) -> Verdict:
    """Verdict on an image.

    Parameters
    ----------
    image : ndarray of uint8, H × W or H × W × 3 sRGB
    bay : ReaderBay
    expected : str, optional
        The intended message.
    symbol, box, quiet_zone : optional
        The symbol and its upright place on the image, when they are known;
        they give the spare, the x-ray and better reasons.
    looks : sequence of int
        Longer sides at which readers that failed look again, e.g.
        `SMALLER_LOOKS`.
    meanwhile : sequence of callable
        Work done beside the readers' first look.
    blended : bool
        Whether a picture takes part, for the way out of the reasons.
    quad : ndarray, 4 × 2, optional
        The code's corners where it is turned or in perspective; `box` is what
        lies round them.
    """
    grey = to_grey(image)
    micro = symbol is not None and symbol.micro
    marks: dict[str, Mark] = {}
    found: list[Reading] = []
    framed, corner = framed_view(grey, box)
    longer = max(framed.shape)
    first = min(longer, LARGEST_LOOK)
    waiting, looked = list(NAMES), None
    samples: list[tuple[Sample, bool]] = []
    prints: list[np.ndarray] = []  # the code as a faded print, made while readers read
    upside_down = False
    for side in [first, *(side for side in looks if side < first)]:
        if side != first and looked is not None and not looked.corrects:
            break  # where no block can be corrected, stepping back finds nothing either
        view, scale = seen_at(framed, side)
        tasks = list(meanwhile) if side == first else []
        if looked is None and symbol is not None and box is not None:

            def look_ourselves(symbol=symbol) -> None:
                view, place = grey, box
                if quad is not None:
                    view, place = upright_view(grey, quad, symbol.side + 2 * quiet_zone)
                inverted = light_on_dark(view, place, symbol, quiet_zone)
                seen = 255 - view if inverted else view
                samples.append((sample(seen, place, symbol, quiet_zone), inverted))

            def fade(symbol=symbol) -> None:
                module = module_side(symbol, box, quad, quiet_zone, ())
                area = area_of(box, (), corner, framed.shape)
                prints.append(faded(framed, max(module, 0.5), area))

            tasks = [look_ourselves, *tasks, fade]
        for outcome in bay.read(view, waiting, tasks):
            _gather(found, outcome, scale, corner)
            marks[outcome.name] = _mark(outcome, expected, micro, max(view.shape))
        looked, upside_down = samples[0] if samples else (None, False)
        waiting = [name for name in waiting if not _right(marks[name], expected)]
        if not waiting or (micro and READS_MICRO[0] not in waiting):
            break
    ordered = tuple(marks[name] for name in NAMES)
    if looked is None and (read := _best_reading(found, expected)) is not None:
        known = recognise(grey, read, quiet_zone)
        if known is not None:
            symbol, looked = known.symbol, known.sample
    spare = looked.spare if looked else _reported_spare(found, expected)
    matches = None if expected is None else any(code.text == expected for code in found)
    state = _state(ordered, expected, spare)
    hard = None
    if state == "well" and symbol is not None and not upside_down:
        if not prints:
            module = module_side(symbol, box, quad, quiet_zone, found)
            area = area_of(box, found, corner, framed.shape)
            prints.append(faded(framed, max(module, 0.5), area))
        hard = _hard_look(prints[0], bay, ordered, expected or found[0].text)
        if hard[0] < ENOUGH_FADED * hard[1]:
            state = "thin"
    verdict = Verdict(state, expected, matches, tuple(found), ordered, spare, looked, faded=hard)
    reasons = explain(
        state, ordered, tuple(found), expected, looked, symbol, spare=spare, good=GOOD_SPARE,
        upside_down=upside_down, blended=blended, faded=hard,
    )  # fmt: skip
    return replace(verdict, reasons=reasons)


def _hard_look(
    image: np.ndarray, bay: ReaderBay, marks: Sequence[Mark], expected: str
) -> tuple[int, int]:
    """How many readers read the code as a faded print, and how many could."""
    able = [mark.name for mark in marks if mark.able]
    outcomes = bay.read(image, able)
    read = sum(any(r.text == expected for r in outcome.readings) for outcome in outcomes)
    return read, len(able)


def light_on_dark(grey: np.ndarray, box: Box, symbol: Symbol, quiet_zone: int) -> bool:
    """Whether the dark modules are clearly lighter than the light ones."""
    import cv2

    side = symbol.side + 2 * quiet_zone
    tones = cv2.resize(grey[box.slices], (side, side), interpolation=cv2.INTER_AREA)
    own = tones[quiet_zone : side - quiet_zone, quiet_zone : side - quiet_zone]
    return bool(own[symbol.dark].mean() > own[~symbol.dark].mean() + UPSIDE_DOWN)


def _gather(found: list[Reading], outcome: Outcome, scale: float, corner: tuple[int, int]) -> None:
    """Add readings to the list of codes, each code once."""
    for reading in outcome.readings:
        corners = tuple((x / scale + corner[0], y / scale + corner[1]) for x, y in reading.corners)
        gather(found, replace(reading, corners=corners))


def _mark(outcome: Outcome, expected: str | None, micro: bool, side: int) -> Mark:
    texts = [reading.text for reading in outcome.readings]
    text = expected if expected in texts else (texts[0] if texts else None)
    able = not micro or outcome.name in READS_MICRO
    return Mark(outcome.name, bool(texts), text, able, outcome.trouble, side)


def _best_reading(found: Sequence[Reading], expected: str | None) -> Reading | None:
    """The reading that tells most about the code in question, if there is just one."""
    right = [code for code in found if expected is None or code.text == expected]
    telling = [code for code in right if code.version is not None]
    return telling[0] if len(right) == 1 and telling else None


def _reported_spare(found: Sequence[Reading], expected: str | None) -> float | None:
    """The reader's own figure, where the symbol itself is not known."""
    figures = [
        code.spare
        for code in found
        if code.spare is not None and (expected is None or code.text == expected)
    ]
    return min(figures) if figures else None


def _state(marks: Sequence[Mark], expected: str | None, spare: float | None) -> State:
    able = [mark for mark in marks if mark.able]
    right = sum(_right(mark, expected) for mark in able)
    if right == 0 or right < LEAST_READERS * len(able):
        return "fails"
    if right < len(able) or (spare is not None and spare < GOOD_SPARE):
        return "thin"
    return "well"
