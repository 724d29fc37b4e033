"""The changed places of a mended picture, as a person would point at them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.picture.warping import matrix_to
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.tune.mend import SEEN, Attempt

THIRDS = (
    (tr("Upper left"), tr("Upper middle"), tr("Upper right")),
    (tr("Middle left"), tr("Middle"), tr("Middle right")),
    (tr("Lower left"), tr("Lower middle"), tr("Lower right")),
)
"""Names of the nine parts of a symbol."""


@dataclass(frozen=True, eq=False)
class Area:
    """One place of the code's square.

    Attributes
    ----------
    name : str
    modules : ndarray of bool, N × N
        All its modules, quiet zone included.
    changed : int
        How many of them were changed.
    by : float
        Mean change of these, in steps of 255, without sign.
    """

    name: str
    modules: np.ndarray
    changed: int
    by: float


def named_areas(attempt: Attempt) -> dict[str, np.ndarray]:
    """All places by name (bool N × N): finders, quiet zone by side, patterns, ninths of the rest.

    Each module belongs to one place.
    """
    symbol, quiet = attempt.suspect.symbol, attempt.quiet_zone
    side, total = symbol.side, symbol.side + 2 * quiet
    rows, columns = np.mgrid[:total, :total] - quiet
    inside = (rows >= 0) & (rows < side) & (columns >= 0) & (columns < side)
    kinds = np.full((total, total), -1)
    kinds[inside] = symbol.anatomy.parts.ravel()
    found: dict[str, np.ndarray] = {}
    finder = np.isin(kinds, (Part.FINDER, Part.SEPARATOR)) & inside
    half = side / 2
    for name, there in (
        (tr("Upper left finder"), (rows < half) & (columns < half)),
        (tr("Upper right finder"), (rows < half) & (columns >= half)),
        (tr("Lower left finder"), (rows >= half) & (columns < half)),
    ):
        found[name] = finder & there
    # A corner of the quiet zone belongs to the side that it is nearer to; ties go up or down.
    above, below, before = -rows, rows - side + 1, -columns
    beyond = columns - side + 1
    most = np.maximum.reduce([above, below, before, beyond])
    free = ~inside
    for name, how_far in (
        (tr("Quiet zone above"), above), (tr("Quiet zone below"), below),
        (tr("Quiet zone on the left"), before), (tr("Quiet zone on the right"), beyond),
    ):  # fmt: skip
        found[name] = free & (how_far == most)
        free = free & ~found[name]
    found[tr("Timing and alignment")] = np.isin(kinds, (Part.TIMING, Part.ALIGNMENT)) & inside
    taken = np.logical_or.reduce(list(found.values()))
    for y, row in enumerate(THIRDS):
        for x, name in enumerate(row):
            here = inside & ~taken & (rows * 3 // side == y) & (columns * 3 // side == x)
            found[name] = here
    return {name: modules for name, modules in found.items() if modules.any()}


def changed_areas(attempt: Attempt) -> list[Area]:
    """Places in which something was changed, most changed first."""
    size = np.abs(attempt.changed)
    found = []
    for name, modules in named_areas(attempt).items():
        seen = modules & (size >= SEEN)
        if seen.any():
            found.append(Area(name, modules, int(seen.sum()), float(size[seen].mean())))
    return sorted(found, key=lambda area: -area.changed * area.by)


def on_image(modules: np.ndarray, attempt: Attempt) -> np.ndarray:
    """Places of the code's square (bool N × N) on the picture (bool H × W)."""
    import cv2

    quiet, symbol = attempt.quiet_zone, attempt.suspect.symbol
    height, width = attempt.image.shape[:2]
    fine = 8
    grid = modules.astype(np.uint8).repeat(fine, 0).repeat(fine, 1) * 255
    to_modules = np.array([[1 / fine, 0, -quiet], [0, 1 / fine, -quiet], [0, 0, 1.0]])
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    matrix = np.linalg.inv(half) @ matrix_to(attempt.suspect.quad, symbol.side) @ to_modules @ half
    return cv2.warpPerspective(grid, matrix, (width, height), flags=cv2.INTER_LINEAR) > 127
