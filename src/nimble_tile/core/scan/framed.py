"""How an image is held before the readers: framed, sized, and what they found gathered."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.picture.placing import Box
from nimble_tile.core.scan.bay import Outcome, ReaderBay
from nimble_tile.core.scan.readers import Reading
from nimble_tile.core.symbol.encode import Symbol

LARGEST_LOOK = 1600
"""Longest side, in pixels, at which an image is first shown to the readers.
Phones see no more, and one of the readers takes seconds beyond."""

STEP_BACK = 0.72
"""A reader that fails on the preview looks once more from this much farther
away, as a person with a phone does without thinking."""

ARMS = (7.2, 6.0)
"""Pixels a module of the last looks at the preview, where it is much larger: what a phone at
arm's length sees of a poster. Detectors with a window of so many pixels are blind to patterns
that fill it. A hand is never still: what one look alone says is luck."""

LEAST_MODULE = 4
"""Pixels a module that a second look needs to be worth taking."""

SURROUNDINGS = 0.6
"""Margin round a code whose place is known, in parts of its side, that the
readers are shown with it."""


def seen_at(image: np.ndarray, side: int) -> tuple[np.ndarray, float]:
    """The image with this longer side, and what its coordinates must be divided by."""
    import cv2

    longer = max(image.shape[:2])
    if longer <= side:
        return image, 1.0
    scale = side / longer
    height, width = (max(1, round(extent * scale)) for extent in image.shape[:2])
    return cv2.resize(image, (width, height), interpolation=cv2.INTER_AREA), scale


@dataclass(frozen=True)
class Glance:
    """What readers made of a view at one size.

    Attributes
    ----------
    outcomes : tuple of Outcome
        Of those readers that were asked.
    side : int
        Longer side of the view in pixels.
    scale : float
        What coordinates on it must be divided by.
    """

    outcomes: tuple[Outcome, ...]
    side: int
    scale: float


def looks(
    bay: ReaderBay,
    grey: np.ndarray,
    sides: Iterable[int],
    names: Sequence[str],
    right: Callable[[Outcome], bool],
    meanwhile: Sequence[Callable[[], object]] = (),
) -> Iterator[Glance]:
    """Show a view to readers at one size after the other, until all have read it rightly.

    Parameters
    ----------
    bay : ReaderBay
    grey : ndarray of uint8, H × W
    sides : iterable of int
        Longer sides of the looks.
    names : sequence of str
        Readers; who was right is not asked again.
    right : callable
        Whether a reader read what was meant.
    meanwhile : sequence of callable
        Work done beside the readers' first look.
    """
    waiting = list(names)
    for side in sides:
        view, scale = seen_at(grey, side)
        outcomes = tuple(bay.read(view, waiting, meanwhile))
        meanwhile = ()
        waiting = [outcome.name for outcome in outcomes if not right(outcome)]
        yield Glance(outcomes, max(view.shape), scale)
        if not waiting:
            return


def framed_view(grey: np.ndarray, box: Box | None) -> tuple[np.ndarray, tuple[int, int]]:
    """What a person would hold the phone at, and its corner (x, y) on the image.

    That is the whole image, or the code with a margin of `SURROUNDINGS` where
    its place is known and it is small on the image.
    """
    rows, columns = framed_part(grey.shape[:2], box)
    return np.ascontiguousarray(grey[rows, columns]), (columns.start, rows.start)


def framed_part(shape: tuple[int, int], box: Box | None) -> tuple[slice, slice]:
    """Rows and columns of `framed_view`, of an image of this height and width."""
    if box is None:
        return slice(0, shape[0]), slice(0, shape[1])
    margin = round(SURROUNDINGS * max(box.width, box.height))
    return (
        slice(max(0, box.y - margin), min(shape[0], box.y + box.height + margin)),
        slice(max(0, box.x - margin), min(shape[1], box.x + box.width + margin)),
    )


def module_side(
    symbol: Symbol, box: Box | None, quad: np.ndarray | None, quiet: int, found: Sequence[Reading]
) -> float:
    """Side of a module in pixels of the image."""
    if box is not None and quad is None:
        return min(box.width, box.height) / (symbol.side + 2 * quiet)
    modules = symbol.side
    if quad is not None:
        corners, modules = np.asarray(quad), symbol.side + 2 * quiet
    else:
        corners = np.asarray(found[0].corners)
    return float(np.hypot(*(np.roll(corners, -1, axis=0) - corners).T).mean()) / modules


def area_of(
    box: Box | None, found: Sequence[Reading], corner: tuple[int, int], shape: tuple[int, ...]
) -> tuple[slice, slice] | None:
    """Rows and columns of the code on the framed view."""
    if box is not None:
        left, top, right, bottom = box.x, box.y, box.x + box.width, box.y + box.height
    elif found and len(found[0].corners) == 4:
        points = np.asarray(found[0].corners)
        (left, top), (right, bottom) = points.min(0), points.max(0)
    else:
        return None
    rows = slice(max(0, int(top - corner[1])), min(shape[0], int(bottom - corner[1])))
    columns = slice(max(0, int(left - corner[0])), min(shape[1], int(right - corner[0])))
    empty = rows.stop - rows.start < 4 or columns.stop - columns.start < 4
    return None if empty else (rows, columns)


def says(outcome: Outcome, text: str) -> bool:
    """Whether a reader read this text, perhaps among others."""
    return any(reading.text == text for reading in outcome.readings)


def gather(found: list[Reading], new: Reading) -> None:
    """Add a reading to a list of codes unless that code is there already; the reading that
    tells more stays."""
    for index, known in enumerate(found):
        if known.text == new.text and _near(known, new):
            if known.version is None and new.version is not None:
                found[index] = new
            return
    found.append(new)


def _near(a: Reading, b: Reading) -> bool:
    if not a.corners or not b.corners:
        return True
    first, second = np.asarray(a.corners), np.asarray(b.corners)
    extent = np.ptp(first, axis=0).max()
    return bool(np.linalg.norm(first.mean(0) - second.mean(0)) < 0.5 * max(extent, 1))


def steps_back(longer: int, module: float) -> tuple[int, ...]:
    """Longer sides at which readers that failed look again: a step back, and at arm's length
    twice.

    Parameters
    ----------
    longer : int
        Longer side of what is looked at, in pixels.
    module : float
        Pixels a module on it.
    """
    smaller = round(min(longer, LARGEST_LOOK) * STEP_BACK)
    looks = [smaller] if module * smaller / longer >= LEAST_MODULE else []
    arms = [round(longer * arm / module) for arm in ARMS]
    return (*looks, *(side for side in arms if side < STEP_BACK * smaller))
