"""Every code on an image: text, symbol, place, readers, grade, reach."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.errors import Stopped
from nimble_tile.core.language import tr
from nimble_tile.core.message import kinds
from nimble_tile.core.picture.placing import UNIT, Box
from nimble_tile.core.picture.warping import mapped, matrix_to
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.framed import LARGEST_LOOK, framed_view, gather, steps_back
from nimble_tile.core.scan.grade import Quality, grade
from nimble_tile.core.scan.judging import SMALLER_LOOKS, Given, judge
from nimble_tile.core.scan.readers import Reading, to_grey
from nimble_tile.core.scan.recognise import recognise
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.trials.outlook import settle
from nimble_tile.core.trials.reach import reach
from nimble_tile.core.trials.room import Result, Room
from nimble_tile.core.trials.subject import Subject, subject_on
from nimble_tile.core.trials.trial import Trial

TILE, OVERLAP = 1400, 300
"""Side and overlap, in pixels, of the parts of a large image that are looked at one by one."""

MOST_TILES = 48

TILE_READERS = ("zxing-cpp", "quirc", "qrdec")
"""Readers that report several codes, and take little time."""

TRIAL_SURROUNDINGS = 0.5
"""Surroundings of a code that belong to it in trials, in parts of its extent."""


@dataclass(frozen=True, eq=False)
class Finding:
    """One code on an image.

    Attributes
    ----------
    text : str
    kind : str
        What it is in plain words: "Link", "Wi-Fi", …
    reading : Reading
        The reading that told most; corners in pixels of the whole image.
    verdict : Verdict
        Of this code alone, by all readers.
    symbol : Symbol or None
    quad : ndarray, 4 × 2, or None
        Its corners finer than a pixel, where the symbol is known.
    quality : Quality or None
    results : tuple of Result
        Trials, where they were wanted.
    """

    text: str
    kind: str
    reading: Reading
    verdict: Verdict
    symbol: Symbol | None = None
    quad: np.ndarray | None = None
    quality: Quality | None = None
    results: tuple[Result, ...] = ()

    @property
    def reach(self) -> float | None:
        """Reach over its trials; None without them."""
        return reach(self.results) if self.results else None

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Bounding box of its corners: x, y, width, height in pixels."""
        points = np.array(self.reading.corners)
        left, top = points.min(0)
        width, height = np.ptp(points, axis=0)
        return float(left), float(top), float(width), float(height)


@dataclass(frozen=True, eq=False)
class Checked:
    """One image.

    Attributes
    ----------
    size : (int, int)
        Width and height in pixels.
    findings : tuple of Finding
        From the top to the bottom.
    verdict : Verdict
        Of the image as a whole.
    """

    size: tuple[int, int]
    findings: tuple[Finding, ...]
    verdict: Verdict


def check(
    image: np.ndarray,
    bay: ReaderBay,
    expected: str | None = None,
    room: Room | None = None,
    trials: Sequence[Trial] = (),
    seed: int = 0,
    tell: Callable[[str, float], None] = lambda what, share: None,
    stop: Callable[[], bool] = lambda: False,
) -> Checked:
    """Find and judge every code on an image.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    bay : ReaderBay
    expected : str, optional
        The intended message.
    room : Room, optional
        With it and `trials`, each code goes through them.
    trials : sequence of Trial
    seed : int
    tell : callable
        Is told what is being done, and how much is done, 0 to 1.
    stop : callable
        Asked now and then.

    Raises
    ------
    Stopped
        `stop` said so.
    """
    tell(tr("Looking for codes"), 0.0)
    grey = to_grey(image)
    whole = judge(grey, bay, Given(expected), SMALLER_LOOKS)
    found = list(whole.found)
    for reading in _in_tiles(grey, bay, stop):
        gather(found, reading)
    found = [reading for reading in found if len(reading.corners) == 4]
    findings = []
    for index, reading in enumerate(found):
        if stop():
            raise Stopped
        share = 0.3 + 0.7 * index / len(found)
        tell(tr("Code {index} of {found}", index=index + 1, found=len(found)), share)
        finding = _finding(image, grey, reading, bay, expected)
        if room is not None and trials and finding.symbol is not None:
            results = _tried(image, finding, len(found) == 1, room, trials, seed, stop)
            settled = settle(finding.verdict, results)
            finding = replace(finding, results=results, verdict=settled)
        findings.append(finding)
    findings.sort(key=lambda f: (f.box[1], f.box[0]))
    tell(tr("Done"), 1.0)
    return Checked((image.shape[1], image.shape[0]), tuple(findings), _told(whole, findings))


_WORST = ("fails", "thin", "well")


def _told(whole: Verdict, findings: Sequence[Finding]) -> Verdict:
    """The image's verdict: that of the code that was meant, or of its worst one.

    Each code is shown to the readers by itself; on the whole image some report only one.
    """
    if not findings:
        return whole
    expected = whole.expected
    meant = [finding for finding in findings if expected in (None, finding.text)]
    worst = min(meant or findings, key=lambda f: _WORST.index(f.verdict.state)).verdict
    matches = None if expected is None else bool(meant)
    found = tuple(finding.reading for finding in findings)
    return replace(worst, expected=expected, matches=matches, found=found)


def _in_tiles(grey: np.ndarray, bay: ReaderBay, stop: Callable[[], bool]) -> list[Reading]:
    """Codes that are too small to be seen on the whole of a large image."""
    height, width = grey.shape
    if max(height, width) <= LARGEST_LOOK:
        return []
    step = TILE - OVERLAP
    corners = [
        (left, top)
        for top in range(0, max(height - OVERLAP, 1), step)
        for left in range(0, max(width - OVERLAP, 1), step)
    ]
    readings = []
    for start in range(0, min(len(corners), MOST_TILES), 4):
        if stop():
            raise Stopped
        part = corners[start : min(start + 4, MOST_TILES)]
        views = [
            np.ascontiguousarray(grey[top : top + TILE, left : left + TILE]) for left, top in part
        ]
        for (left, top), outcomes in zip(part, bay.read_all(views, TILE_READERS), strict=True):
            for outcome in outcomes:
                for reading in outcome.readings:
                    moved = tuple((x + left, y + top) for x, y in reading.corners)
                    readings.append(replace(reading, corners=moved))
    return readings


def _finding(
    image: np.ndarray,
    grey: np.ndarray,
    reading: Reading,
    bay: ReaderBay,
    expected: str | None,
) -> Finding:
    points = np.array(reading.corners)
    low = np.maximum(np.floor(points.min(0)), 0).astype(int)
    high = np.minimum(np.ceil(points.max(0)), grey.shape[::-1]).astype(int)
    box = Box(
        int(low[0]), int(low[1]), max(1, int(high[0] - low[0])), max(1, int(high[1] - low[1]))
    )
    reading = _told_most(grey, box, reading, bay)
    wanted = reading.text if expected is None else expected
    again = recognise(grey, reading)
    if again is None:
        verdict = judge(grey, bay, Given(wanted, box=box), SMALLER_LOOKS)
    else:
        symbol = again.symbol
        quiet = tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
        square = np.array(UNIT, float) * (symbol.side + 2 * quiet) - quiet
        quad = mapped(matrix_to(again.quad, symbol.side), square)
        given = Given(wanted, symbol, box, quad, quiet)
        longer = max(framed_view(grey, box)[0].shape)
        edge = float(np.hypot(*(np.roll(again.quad, -1, axis=0) - again.quad).T).mean())
        looks = {*SMALLER_LOOKS, *steps_back(longer, edge / symbol.side)}
        verdict = judge(grey, bay, given, sorted(looks, reverse=True))
    if expected is None:
        verdict = replace(verdict, expected=None, matches=None)
    title = kinds.TITLES[kinds.understand(reading.text).kind]
    if again is None:
        return Finding(reading.text, title, reading, verdict)
    reading = replace(reading, corners=tuple(map(tuple, again.quad.tolist())))
    quality = grade(image, again.quad, again.symbol)
    return Finding(reading.text, title, reading, verdict, again.symbol, again.quad, quality)


def _told_most(grey: np.ndarray, box: Box, reading: Reading, bay: ReaderBay) -> Reading:
    """A reading that names version, level and mask, if any reader gives one here."""
    if reading.version is not None and reading.mask is not None:
        return reading
    view, (left, top) = framed_view(grey, box)
    for outcome in bay.read(view, TILE_READERS):
        for other in outcome.readings:
            if other.text == reading.text and other.mask is not None:
                moved = tuple((x + left, y + top) for x, y in other.corners)
                return replace(other, corners=moved)
    return reading


def _tried(
    image: np.ndarray,
    finding: Finding,
    alone: bool,
    room: Room,
    trials: Sequence[Trial],
    seed: int,
    stop: Callable[[], bool],
) -> tuple[Result, ...]:
    subject = subject_of_finding(image, finding, alone)
    results = tuple(room.run(subject, trials, seed, stop, thumbs=True))
    if stop():
        raise Stopped
    order = {trial: index for index, trial in enumerate(trials)}
    return tuple(sorted(results, key=lambda result: order[result.trial]))


def subject_of_finding(image: np.ndarray, finding: Finding, alone: bool = False) -> Subject:
    """The code with its surroundings as the subject of trials; `alone`: with the whole image."""
    symbol = finding.symbol
    if alone:
        return subject_on(image, finding.quad, symbol, finding.text)
    x, y, width, height = finding.box
    more = TRIAL_SURROUNDINGS * max(width, height) + 4
    left, top = max(0, int(x - more)), max(0, int(y - more))
    part = image[top : int(y + height + more) + 1, left : int(x + width + more) + 1]
    part = np.ascontiguousarray(part)
    quad = finding.quad - np.array([left, top], float)
    return Subject(part, quad, symbol, finding.text)
