"""Judging an image: look, sample, settle, explain.

The thresholds of the first verdict are ours and stand together here.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.logo.lay import TOUCHED, under
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.afar import Afar, from_afar
from nimble_tile.core.scan.bay import Outcome, ReaderBay
from nimble_tile.core.scan.faded import faded
from nimble_tile.core.scan.fidelity import Fidelity, measure
from nimble_tile.core.scan.framed import (
    LARGEST_LOOK,
    Glance,
    area_of,
    framed_part,
    framed_view,
    gather,
    looks,
    module_side,
    says,
    seen_at,
    steps_back,
)
from nimble_tile.core.scan.readers import READER_NAMES, READS_MICRO, Reading, to_grey
from nimble_tile.core.scan.reasons import explain
from nimble_tile.core.scan.recognise import recognise
from nimble_tile.core.scan.sampling import (
    Sample,
    cells_of,
    light_on_dark,
    sample_cells,
    upright_view,
)
from nimble_tile.core.scan.verdict import GOOD_SPARE, Mark, Reason, State, Verdict
from nimble_tile.core.symbol.encode import Symbol

ENOUGH_FADED = 0.75
"""Share of the readers that must read it as a faded print, see
`nimble_tile.core.scan.faded`. Tuned on one half of the composites of docs/verdict.md."""

QUICK = ("zxing-cpp", "quirc", "qrdec")
"""Readers that take a tenth of the time of the others."""

SMALLER_LOOKS = (1100, 640)
"""Sides at which readers that failed look again at a file on disk."""

ARMS_LENGTHS = (5.3, 6.0, 6.7)
"""Pixels a module of looks from farther away, about that of `steps_back`."""

NEARBY = 0.65
"""Part of the first look's size down to which a look is one from nearby."""

BEGIN_AFAR = 11.0
"""Pixels a module from which looks from afar go on downwards."""

ARMS_LENGTH = 6.5
"""Pixels a module: what is read from there on is read at arm's length, as any poster is; what
must be smaller still has little to spare."""

LUCK = 1
"""Looks of these that a reader may miss."""

COVERED, LEAST_COVERED = 0.6, 4
"""Share and number of wrong modules under a logo or caption from which it is blamed."""


@dataclass(frozen=True, eq=False)
class Given:
    """What is known of an image before it is looked at.

    Attributes
    ----------
    expected : str or None
        The intended message.
    symbol : Symbol or None
    box : Box or None
        The code's place: with the symbol it gives the spare, the x-ray and better reasons.
    quad : ndarray, 4 × 2, or None
        Its corners, quiet zone included, where it is turned or in perspective; `box` is what
        lies round them.
    quiet_zone : int
        Modules of margin on each side.
    """

    expected: str | None = None
    symbol: Symbol | None = None
    box: Box | None = None
    quad: np.ndarray | None = None
    quiet_zone: int = 4

    @property
    def micro(self) -> bool:
        """Whether it is known to be a Micro QR code, which few readers know."""
        return self.symbol is not None and self.symbol.micro


@dataclass(eq=False)
class _Seen:
    """What came of looking at an image."""

    marks: dict[str, Mark] = field(default_factory=dict)
    found: list[Reading] = field(default_factory=list)
    sample: Sample | None = None
    upside_down: bool = False
    faded: np.ndarray | None = None  # the code as a faded print
    afar: Afar | None = None


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
    given = Given(
        rendering.symbol.text, rendering.symbol, rendering.box, rendering.quad,
        rendering.quiet_zone,
    )  # fmt: skip
    verdict = judge(
        to_grey(rendering.image), bay, given, rendering_looks(rendering),
        [lambda: fidelity.append(fidelity_of(rendering))] if wanted else (),
    )  # fmt: skip
    reasons = (*_covered(rendering, verdict), *verdict.reasons)
    return replace(verdict, fidelity=fidelity[0] if fidelity else None, reasons=reasons)


def sampled(rendering: Rendering) -> Sample:
    """A rendering compared with its symbol, module by module; no reader is asked."""
    seen = _Seen()
    given = Given(
        symbol=rendering.symbol, box=rendering.box, quad=rendering.quad,
        quiet_zone=rendering.quiet_zone,
    )  # fmt: skip
    _sample(seen, to_grey(rendering.image), given)
    return seen.sample


def missing(rendering: Rendering, bay: ReaderBay, readers: Sequence[str] = READER_NAMES) -> int:
    """How many of some readers do not read a rendering straight on: as `judge_rendering` looks,
    without its reasons, and the smallest look first."""
    framed, names = _framed(rendering, readers)
    text = rendering.symbol.text
    sides = sorted({min(max(framed.shape), LARGEST_LOOK), *rendering_looks(rendering)})
    left = len(names)
    for look in looks(bay, framed, sides, names, lambda outcome: says(outcome, text)):
        left = sum(not says(outcome, text) for outcome in look.outcomes)
    return left


def missing_away(
    rendering: Rendering, bay: ReaderBay, readers: Sequence[str] = READER_NAMES
) -> int:
    """How many of some readers fail at more than one of several steps at arm's length, where
    finished images of all sizes look the same: what one look says alone is luck."""
    framed, names = _framed(rendering, readers)
    text = rendering.symbol.text
    arm = max(framed.shape) * rendering.modules / rendering.code_side
    views = [seen_at(framed, round(pixels * arm))[0] for pixels in ARMS_LENGTHS]
    failed = Counter(
        one.name for found in bay.read_all(views, names) for one in found if not says(one, text)
    )
    return sum(times > LUCK for times in failed.values())


def _framed(rendering: Rendering, readers: Sequence[str]) -> tuple[np.ndarray, list[str]]:
    """What readers are shown of a rendering, and those that know such codes."""
    framed, _ = framed_view(to_grey(rendering.image), rendering.box)
    able = READS_MICRO if rendering.symbol.micro else READER_NAMES
    return framed, [name for name in able if name in readers]


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
    return (
        Reason(
            "covered",
            tr("{own} of {wrong} wrong modules lie under the caption.", own=own, wrong=wrong)
            if captions
            else tr("{own} of {wrong} wrong modules lie under the logo.", own=own, wrong=wrong),
        ),
    )


def fidelity_of(rendering: Rendering) -> Fidelity:
    """How much of the picture is left in the code's square; what is laid on it is not counted."""
    bare = rendering.image if rendering.bare is None else rendering.bare
    before, after = rendering.upright(rendering.picture), rendering.upright(bare)
    return measure(before, after, rendering.modules)


def rendering_looks(rendering: Rendering) -> tuple[int, ...]:
    """`steps_back` for a rendering."""
    part = framed_part(rendering.image.shape[:2], rendering.box)
    longer = max(extent.stop - extent.start for extent in part)
    return steps_back(longer, rendering.code_side / rendering.modules)


def judge(
    image: np.ndarray,
    bay: ReaderBay,
    given: Given = Given(),
    smaller: Sequence[int] = (),
    meanwhile: Sequence[Callable[[], object]] = (),
) -> Verdict:
    """Verdict on an image.

    Parameters
    ----------
    image : ndarray of uint8, H × W or H × W × 3 sRGB
    bay : ReaderBay
    given : Given
        What is known of it.
    smaller : sequence of int
        Longer sides at which readers that failed look again, e.g. `SMALLER_LOOKS`.
    meanwhile : sequence of callable
        Work done beside the readers' first look.
    """
    grey = to_grey(image)
    framed, corner = framed_view(grey, given.box)
    seen = _look(grey, framed, corner, bay, given, smaller, meanwhile)
    symbol = given.symbol
    if seen.sample is None and (read := _best_reading(seen.found, given.expected)) is not None:
        known = recognise(grey, read, given.quiet_zone)
        if known is not None:
            symbol, seen.sample = known.symbol, known.sample
    verdict = _settle(seen, framed, corner, bay, replace(given, symbol=symbol))
    if seen.afar is not None:
        module = _module_of(symbol, given, verdict.found)
        longer = max(framed.shape)
        read_at = None if module is None else module * seen.afar.side / longer
        if read_at is None or read_at < ARMS_LENGTH:
            state = "thin" if verdict.state == "well" else verdict.state
            verdict = replace(verdict, afar=read_at, state=state)
    reasons = explain(verdict, symbol, seen.upside_down)
    return replace(verdict, reasons=reasons)


def _look(
    grey: np.ndarray,
    framed: np.ndarray,
    corner: tuple[int, int],
    bay: ReaderBay,
    given: Given,
    smaller: Sequence[int],
    meanwhile: Sequence[Callable[[], object]],
) -> _Seen:
    """Show the framed view to the readers; sample it, and fade it, while they read."""
    seen, expected = _Seen(), given.expected
    first = min(max(framed.shape), LARGEST_LOOK)
    tasks = list(meanwhile)
    if given.symbol is not None and given.box is not None:
        # The sample first: it decides whether a step back is worth it.
        tasks = [lambda: _sample(seen, grey, given), *tasks,
                 lambda: _fade(seen, framed, corner, given)]  # fmt: skip

    def right(outcome: Outcome) -> bool:
        return _mark(outcome, given, 0).right(expected)

    sides = [first, *(side for side in smaller if side < first)]
    for look in looks(bay, framed, sides, READER_NAMES, right, tasks):
        nearby = look.side >= NEARBY * min(first, max(framed.shape))
        if not nearby and not any(mark.right(expected) for mark in seen.marks.values()):
            break  # nobody reads it from nearby
        _take(seen, look, corner, given)
        if seen.sample is not None and not seen.sample.corrects:
            break  # where no block can be corrected, stepping back finds nothing either
        if given.micro and seen.marks[READS_MICRO[0]].right(expected):
            break
    if not any(mark.right(expected) for mark in seen.marks.values()):
        _look_from_afar(seen, grey, framed, corner, bay, given)
    return seen


def _look_from_afar(
    seen: _Seen,
    grey: np.ndarray,
    framed: np.ndarray,
    corner: tuple[int, int],
    bay: ReaderBay,
    given: Given,
) -> None:
    """Where nobody reads it: step back until a module has three pixels; see `afar`."""
    names = [name for name in READER_NAMES if not given.micro or name in READS_MICRO]
    module = _module_of(given.symbol, given, ())
    begin = NEARBY * min(max(framed.shape), LARGEST_LOOK)
    if module is not None:
        begin = min(begin, BEGIN_AFAR / module * max(framed.shape))
    found = from_afar(
        bay, framed, round(begin), module, names,
        lambda outcome: _mark(outcome, given, 0).right(given.expected),
    )  # fmt: skip
    if found is None:
        return
    seen.afar = found
    _take(seen, found.look, corner, given)
    if given.symbol is not None and given.box is not None:
        _sample(seen, grey, given, found.look.scale)  # as it is seen from there


def _module_of(symbol: Symbol | None, given: Given, found: Sequence[Reading]) -> float | None:
    """Pixels a module, where symbol and place are known."""
    if symbol is None or (given.box is None and not any(len(f.corners) == 4 for f in found)):
        return None
    told = [reading for reading in found if len(reading.corners) == 4]
    # The box of a finding is what lies round its corners, without quiet zone.
    box = None if given.symbol is None else given.box
    if box is None and not told:
        return None
    return module_side(symbol, box, given.quad, given.quiet_zone, told)


def _take(seen: _Seen, look: Glance, corner: tuple[int, int], given: Given) -> None:
    """Add what one look found: each code once, and each reader's mark."""
    for outcome in look.outcomes:
        for reading in outcome.readings:
            moved = ((x / look.scale + corner[0], y / look.scale + corner[1])
                     for x, y in reading.corners)  # fmt: skip
            gather(seen.found, replace(reading, corners=tuple(moved)))
        seen.marks[outcome.name] = _mark(outcome, given, look.side)


def _mark(outcome: Outcome, given: Given, side: int) -> Mark:
    texts = [reading.text for reading in outcome.readings]
    text = given.expected if given.expected in texts else (texts[0] if texts else None)
    able = not given.micro or outcome.name in READS_MICRO
    return Mark(outcome.name, bool(texts), text, able, outcome.trouble, side)


def _sample(seen: _Seen, grey: np.ndarray, given: Given, scale: float = 1.0) -> None:
    """Compare the image with the symbol, module by module; `scale`: seen smaller."""
    view, place, symbol, quiet = grey, given.box, given.symbol, given.quiet_zone
    quad = given.quad
    if scale < 1:
        view, scale = seen_at(grey, round(max(grey.shape) * scale))
        left, top, right, bottom = place.x, place.y, place.x + place.width, place.y + place.height
        square = [[left, top], [right, top], [right, bottom], [left, bottom]]
        quad = np.array(square if quad is None else quad, float) * scale
    if quad is not None:
        view, place = upright_view(view, quad, symbol.side + 2 * quiet)
    cells = cells_of(view, place, symbol.side + 2 * quiet)
    seen.upside_down = light_on_dark(cells, symbol, quiet)
    seen.sample = sample_cells(255 - cells if seen.upside_down else cells, symbol, quiet)


def _fade(seen: _Seen, framed: np.ndarray, corner: tuple[int, int], given: Given) -> None:
    """Make the code a faded print."""
    module = module_side(given.symbol, given.box, given.quad, given.quiet_zone, seen.found)
    area = area_of(given.box, seen.found, corner, framed.shape)
    seen.faded = faded(framed, max(module, 0.5), area)


def _settle(
    seen: _Seen, framed: np.ndarray, corner: tuple[int, int], bay: ReaderBay, given: Given
) -> Verdict:
    """The verdict, from what was seen and from one harder look."""
    expected, found = given.expected, seen.found
    marks = tuple(seen.marks[name] for name in READER_NAMES)
    spare = seen.sample.spare if seen.sample else _reported_spare(found, expected)
    matches = None if expected is None else any(code.text == expected for code in found)
    state, hard = _state(marks, expected, spare), None
    if state == "well" and given.symbol is not None and not seen.upside_down:
        if seen.faded is None:
            _fade(seen, framed, corner, given)
        hard = _hard_look(seen.faded, bay, marks, expected or found[0].text)
        if hard[0] < ENOUGH_FADED * hard[1]:
            state = "thin"
    return Verdict(state, expected, matches, tuple(found), marks, spare, seen.sample, faded=hard)


def _hard_look(
    image: np.ndarray, bay: ReaderBay, marks: Sequence[Mark], expected: str
) -> tuple[int, int]:
    """How many readers read the code as a faded print, and how many could.

    The slow ones are asked only where the quick ones do not settle it.
    """
    able = [mark.name for mark in marks if mark.able]
    quick = [name for name in able if name in QUICK]
    right = sum(says(outcome, expected) for outcome in bay.read(image, quick)) if quick else 0
    rest = [name for name in able if name not in QUICK]
    if rest and right < ENOUGH_FADED * len(able):
        right += sum(says(outcome, expected) for outcome in bay.read(image, rest))
    return right, len(able)


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
    right = sum(mark.right(expected) for mark in able)
    if right == 0:
        return "fails"
    if right < len(able) or (spare is not None and spare < GOOD_SPARE):
        return "thin"
    return "well"
