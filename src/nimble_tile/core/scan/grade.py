"""Print quality of a symbol on an image, graded by the methods of ISO/IEC 15415.

Reflectance is the linear luminance of the image, white = 1; the synthetic
aperture is 0.8 module. Each parameter is graded 4 (A) to 0 (F), and the lowest
is the symbol's grade.

References
----------
ISO/IEC 15415: symbol contrast, modulation (overlaid on unused error
correction), axial and grid non-uniformity, unused error correction; their
thresholds are written down from memory. ISO/IEC 18004, annex on print quality:
segments of fixed pattern damage, likewise.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.linear import luminance
from nimble_tile.core.scan.locate import UPRIGHT_PIXELS, Located, patches, refined_corners, upright
from nimble_tile.core.scan.sampling import spoiled
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol

GRADE_LETTERS = "FDCBA"
"""Letters of the grades 0 to 4."""

SYMBOL_CONTRAST = (0.70, 0.55, 0.40, 0.20)
MODULATION = (0.50, 0.40, 0.30, 0.20)
UNUSED_CORRECTION = (0.62, 0.50, 0.37, 0.25)
AXIAL = (0.06, 0.08, 0.10, 0.12)
GRID_LIMITS = (0.38, 0.50, 0.63, 0.75)
"""Least (of the first three) and most (of the others) for grades 4, 3, 2 and 1."""

FINDER_DAMAGE = (0, 1, 2, 3)
"""Damaged modules of a finder with its separator, at most, for grades 4 to 1."""

TIMING_DAMAGE = (0.0, 0.07, 0.11, 0.14)
ALIGNMENT_DAMAGE = (0.0, 0.10, 0.20, 0.30)
"""Damaged share of the timing and alignment patterns, at most, for grades 4 to 1."""

APERTURE = 0.8
"""Diameter of the synthetic aperture in modules."""


@dataclass(frozen=True)
class Parameter:
    """One graded parameter.

    Attributes
    ----------
    key, title : str
    value : float
        As the standard defines it; of modulation the least of any codeword, of
        fixed pattern damage the damaged share of the worst segment.
    grade : int
        4 (A) to 0 (F).
    """

    key: str
    title: str
    value: float
    grade: int

    @property
    def letter(self) -> str:
        return GRADE_LETTERS[self.grade]


@dataclass(frozen=True, eq=False)
class Quality:
    """The grades of one symbol.

    Attributes
    ----------
    parameters : tuple of Parameter
    """

    parameters: tuple[Parameter, ...]

    @property
    def overall(self) -> int:
        """The lowest grade, 4 to 0."""
        return min(parameter.grade for parameter in self.parameters)

    @property
    def letter(self) -> str:
        return GRADE_LETTERS[self.overall]

    def of(self, key: str) -> Parameter:
        """A parameter by its key."""
        return next(p for p in self.parameters if p.key == key)


def at_least(value: float, limits: tuple[float, ...]) -> int:
    """Grade of a value of which more is better."""
    return next((4 - i for i, limit in enumerate(limits) if value >= limit - 1e-9), 0)


def at_most(value: float, limits: tuple[float, ...]) -> int:
    """Grade of a value of which less is better."""
    return next((4 - i for i, limit in enumerate(limits) if value <= limit + 1e-9), 0)


def grade(image: np.ndarray, quad: np.ndarray, symbol: Symbol) -> Quality:
    """Grade a symbol on an image.

    Parameters
    ----------
    image : ndarray of uint8, H × W or H × W × 3 sRGB
    quad : ndarray, 4 × 2
        Corners of the symbol without its quiet zone; they are put right here.
    symbol : Symbol
        The truth.

    Returns
    -------
    Quality
    """
    quiet = tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
    plane = luminance(image)
    quad = refined_corners(plane, quad, symbol.dark)
    view = upright(plane, quad, symbol.side, quiet)
    seen = _aperture(view)
    inside = seen[
        UPRIGHT_PIXELS // 2 : -UPRIGHT_PIXELS // 2, UPRIGHT_PIXELS // 2 : -UPRIGHT_PIXELS // 2
    ]
    high, low = float(inside.max()), float(inside.min())
    contrast = high - low
    threshold = (high + low) / 2
    side = symbol.side
    at = (quiet + np.arange(side)) * UPRIGHT_PIXELS + UPRIGHT_PIXELS // 2
    values = seen[np.ix_(at, at)]
    wrong = (values < threshold) != symbol.dark
    margin = 2 * np.abs(values - threshold) / max(contrast, 1e-6)
    margin[wrong] = 0.0
    unused = _unused(wrong, symbol)
    modulation, lowest = _modulation(margin, wrong, symbol)
    damage, damaged = _fixed(margin, symbol)
    axial, grid = _geometry(patches(plane, quad, symbol.dark))
    return Quality(
        (
            Parameter("decode", tr("Decode"), float(unused > 0 or _corrects(wrong, symbol)),
                      4 if _corrects(wrong, symbol) else 0),
            Parameter("contrast", tr("Symbol contrast"), contrast,
                      at_least(contrast, SYMBOL_CONTRAST)),
            Parameter("modulation", tr("Modulation"), lowest, modulation),
            Parameter("fixed", tr("Fixed pattern damage"), damaged, damage),
            Parameter("axial", tr("Axial non-uniformity"), axial, at_most(axial, AXIAL)),
            Parameter("grid", tr("Grid non-uniformity"), grid, at_most(grid, GRID_LIMITS)),
            Parameter("unused", tr("Unused error correction"), unused,
                      at_least(unused, UNUSED_CORRECTION)),
        )
    )  # fmt: skip


def _aperture(view: np.ndarray) -> np.ndarray:
    """Mean over a disk of `APERTURE` modules."""
    import cv2

    reach = UPRIGHT_PIXELS // 2
    line = np.arange(-reach, reach + 1)
    away = np.hypot(*np.meshgrid(line, line))
    disk = np.clip(APERTURE * UPRIGHT_PIXELS / 2 - away + 0.5, 0, 1).astype(np.float32)
    return cv2.filter2D(view, -1, disk / disk.sum(), borderType=cv2.BORDER_REPLICATE)


def _corrects(wrong: np.ndarray, symbol: Symbol) -> bool:
    pairs = zip(spoiled(wrong, symbol), symbol.anatomy.blocks, strict=True)
    return all(errors <= block.correctable for errors, block in pairs)


def _unused(wrong: np.ndarray, symbol: Symbol) -> float:
    """Unused error correction of the weakest block, never below 0."""
    shares = [
        1 - errors / block.correctable if block.correctable else float(errors == 0)
        for errors, block in zip(spoiled(wrong, symbol), symbol.anatomy.blocks, strict=True)
    ]
    return max(0.0, min(shares))


def _modulation(margin: np.ndarray, wrong: np.ndarray, symbol: Symbol) -> tuple[int, float]:
    """Grade by overlay: at each level codewords below it count as wrong; and the least."""
    best = 0
    for level, limit in zip((4, 3, 2, 1), MODULATION, strict=True):
        unused = _unused(wrong | (margin < limit - 1e-9), symbol)
        best = max(best, min(level, at_least(unused, UNUSED_CORRECTION)))
    return best, float(margin[symbol.anatomy.codeword >= 0].min())


def _fixed(margin: np.ndarray, symbol: Symbol) -> tuple[int, float]:
    """Grade of the worst segment, and its damaged share."""
    parts = symbol.anatomy.parts
    side = symbol.side
    rows, columns = np.indices(parts.shape)
    segments: list[tuple[np.ndarray, bool, tuple]] = []
    ringed = (parts == Part.FINDER) | (parts == Part.SEPARATOR)
    corners = [(0, 0)] if symbol.micro else [(0, 0), (0, side - 8), (side - 8, 0)]
    for top, left in corners:
        own = ringed & (rows >= top) & (rows < top + 8) & (columns >= left) & (columns < left + 8)
        segments.append((own, True, FINDER_DAMAGE))
    segments.append((parts == Part.TIMING, False, TIMING_DAMAGE))
    segments.append((parts == Part.ALIGNMENT, False, ALIGNMENT_DAMAGE))
    worst, share = 4, 0.0
    for own, counted, limits in segments:
        if not own.any():
            continue
        reached = 0
        for level, limit in zip((4, 3, 2, 1), MODULATION, strict=True):
            bad = own & (margin < limit - 1e-9)
            amount = float(bad.sum()) if counted else float(bad.sum() / own.sum())
            reached = max(reached, min(level, at_most(amount, limits)))
        damaged = float((own & (margin <= 0)).sum() / own.sum())
        if (reached, -damaged) < (worst, -share):
            worst, share = reached, damaged
    return worst, share


def _geometry(seen: Located) -> tuple[float, float]:
    """Axial and grid non-uniformity, from where patches of modules lie."""
    if len(seen.grid) < 4:
        return 0.0, 0.0
    design = np.column_stack([seen.grid, np.ones(len(seen.grid))])
    affine, *_ = np.linalg.lstsq(design, seen.found, rcond=None)
    across, down = np.hypot(*affine[0]), np.hypot(*affine[1])
    axial = abs(across - down) / ((across + down) / 2)
    back = (seen.found - affine[2]) @ np.linalg.inv(affine[:2])
    return float(axial), float(np.hypot(*(back - seen.grid).T).max())
