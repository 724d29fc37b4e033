"""Whether finder patterns keep the run ratio that readers search for.

References
----------
ISO/IEC 18004, reference decode algorithm: runs of dark, light, dark, light,
dark as 1 : 1 : 3 : 1 : 1, each within half a module.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.language import figure, marked, tr
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks.drawing import Drawing, Images, finder_corners

NOMINAL = (1.0, 1.0, 3.0, 1.0, 1.0)

TOLERANCE = 0.5
"""Modules that each run may be off (ISO/IEC 18004)."""

FINDER_PIXELS = 24
"""Pixels a module at which finders are measured."""

OFFSETS = (-0.4, -0.2, 0.0, 0.2, 0.4)
"""Lines through the middle module of the eye, in modules from its centre: the
standard's reader looks for lines that cross it."""

WAYS = (marked("row"), marked("column"), marked("falling diagonal"), marked("rising diagonal"))


@dataclass(frozen=True)
class FinderLine:
    """One line across a finder.

    Attributes
    ----------
    finder : int
        0 top left, 1 top right, 2 bottom left.
    way : str
        One of `WAYS`.
    offset : float
        Modules from the middle.
    runs : tuple of float
        Five runs in modules, scaled so that they add up to seven; empty where
        there are no five runs.
    """

    finder: int
    way: str
    offset: float
    runs: tuple[float, ...]

    @property
    def worst(self) -> int:
        """Index of the run that is farthest off."""
        if not self.runs:
            return 2
        return int(np.argmax([abs(r - n) for r, n in zip(self.runs, NOMINAL, strict=True)]))

    @property
    def error(self) -> float:
        """How far that is, in modules; 7 where there are no five runs."""
        return abs(self.runs[self.worst] - NOMINAL[self.worst]) if self.runs else 7.0

    @property
    def words(self) -> str:
        """The ratio as people write it."""
        return (
            " : ".join(figure(run, ".1f") for run in self.runs) if self.runs else tr("no five runs")
        )


@dataclass(frozen=True, eq=False)
class Finders:
    """All lines across all finders.

    Attributes
    ----------
    lines : tuple of FinderLine
    image : ndarray of uint8, H × W × 4
        The finder with the worst line, one module of margin, as it was measured.
    """

    lines: tuple[FinderLine, ...]
    image: np.ndarray

    @property
    def worst(self) -> FinderLine:
        """The line with the largest error."""
        return max(self.lines, key=lambda line: line.error)

    @property
    def good(self) -> bool:
        """Whether every run of every line is within the tolerance."""
        return self.worst.error <= TOLERANCE

    def of_way(self, way: str) -> FinderLine:
        """The worst line of one way."""
        return max((line for line in self.lines if line.way == way), key=lambda line: line.error)


def finders(symbol: Symbol, drawn: Drawing, images: Images) -> Finders:
    """Measure every finder of a drawing along rows, columns and diagonals.

    Parameters
    ----------
    symbol : Symbol
    drawn : Drawing
        The symbol with its look, without a picture behind it.
    images : mapping
        Pictures of its fills.
    """
    import cv2

    from nimble_tile.core.symbol.looks.paint import raster

    quiet = (drawn.side - symbol.side) // 2
    lines: list[FinderLine] = []
    pictures = []
    for index, (row, column) in enumerate(finder_corners(symbol)):
        # The finder with one module of margin.
        part = (column + quiet - 1, row + quiet - 1, 9)
        rgba = raster(drawn, 9 * FINDER_PIXELS, images, part)
        alpha = rgba[..., 3:].astype(np.float32) / 255
        on_white = rgba[..., :3] * alpha + 255 * (1 - alpha)
        grey = cv2.cvtColor(np.rint(on_white).astype(np.uint8), cv2.COLOR_RGB2GRAY)
        lines += across(
            grey[FINDER_PIXELS : 8 * FINDER_PIXELS, FINDER_PIXELS : 8 * FINDER_PIXELS],
            index,
            FINDER_PIXELS,
        )
        pictures.append(rgba)
    worst = max(lines, key=lambda line: line.error)
    return Finders(tuple(lines), pictures[worst.finder])


def across(own: np.ndarray, index: int, cells: int) -> list[FinderLine]:
    """Lines across one finder.

    Parameters
    ----------
    own : ndarray of uint8
        Its 7 × 7 modules in grey, upright.
    index : int
        Which finder it is; see `FinderLine`.
    cells : int
        Pixels a module.
    """
    low, high = int(3.25 * cells), int(3.75 * cells) + 1
    eye = float(own[low:high, low:high].mean())
    threshold = (float(own.max()) + float(own.min())) / 2
    # Light on dark: what counts as dark is what the eye is.
    dark = own < threshold if eye < threshold else own > threshold
    found = []
    for way in WAYS:
        for offset in OFFSETS:
            # On a diagonal the middle module is left sooner.
            if way in WAYS[:2] or abs(offset) < 0.3:
                found.append(
                    FinderLine(index, way, offset, _runs(_along(dark, way, offset, cells)))
                )
    return found


def _along(dark: np.ndarray, way: str, offset: float, cells: int) -> np.ndarray:
    """What is dark along a line, in even steps."""
    at = int((3.5 + offset) * cells)
    if way == "row":
        return dark[at]
    if way == "column":
        return dark[:, at]
    return np.diagonal(dark if way == "falling diagonal" else dark[:, ::-1], round(offset * cells))


def _runs(line: np.ndarray) -> tuple[float, ...]:
    """The five runs round the middle, in sevenths of their sum."""
    edges = np.flatnonzero(np.diff(line.astype(np.int8))) + 1
    bounds = np.concatenate([[0], edges, [len(line)]])
    lengths = np.diff(bounds)
    values = line[bounds[:-1]]
    middle = int(np.searchsorted(bounds, len(line) // 2, side="right")) - 1
    if not values[middle] or middle < 2 or middle > len(lengths) - 3:
        return ()
    five = lengths[middle - 2 : middle + 3]
    return tuple(float(v) for v in five * 7 / five.sum())
