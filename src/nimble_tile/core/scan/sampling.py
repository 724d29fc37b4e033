"""Our own look at a symbol whose modules are known: which read right, and the spare.

The finished image is sampled as a reader would: the grey around the centre of
each module against a threshold that follows the surroundings. Comparing with
the truth tells which modules and codewords are wrong, and the error correction
that is not used up in the weakest block.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nimble_tile.core.picture.framing import centred_on_pixels
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.picture.warping import matrix_to
from nimble_tile.core.symbol.encode import Symbol

if TYPE_CHECKING:
    from nimble_tile.core.rendering import Rendering

SAMPLE_CELLS = 6
"""Cells a module at which the image is sampled; the centre is the inner 2 × 2."""

THRESHOLD_WINDOW = 5
"""Side of the window whose mean is the threshold, in modules. Readers with a
local threshold use 40 pixels, 4 to 8 modules at usual sizes."""

WEAK = 14 / 255
"""A module nearer to its threshold than this is weak: camera noise in dim
light, about 10 levels of 255, flips it now and then."""


@dataclass(frozen=True, eq=False)
class Sample:
    """What a reader would make of each module.

    Attributes
    ----------
    margin : ndarray of float32, n × n
        Distance of the module from its threshold on its own side, in parts of
        the full range: negative = wrong.
    wrong, weak : ndarray of bool, n × n
        Modules read wrongly; modules read rightly but by less than `WEAK`.
    codeword_errors : tuple of int
        Wrong codewords of each block.
    correctable : tuple of int
        What each block can correct.
    quiet_zone : float
        Share of the quiet zone, 0 to 1, that reads as light; 1 if there is none.
    quiet_sides : tuple of float
        The same of each side: top, right, bottom, left.
    """

    margin: np.ndarray
    wrong: np.ndarray
    weak: np.ndarray
    codeword_errors: tuple[int, ...]
    correctable: tuple[int, ...]
    quiet_zone: float
    quiet_sides: tuple[float, ...] = (1.0, 1.0, 1.0, 1.0)

    @property
    def spare(self) -> float:
        """Error correction not used up in the weakest block.

        1 = none used, 0 = at the limit; never below 0. Defined as in
        ISO/IEC 15415 (unused error correction), whose p codewords kept back
        against misdecoding are respected.
        """
        return min(self.block_spare)

    @property
    def block_spare(self) -> tuple[float, ...]:
        """Spare of each block, 0 to 1."""
        pairs = zip(self.codeword_errors, self.correctable, strict=True)
        return tuple(
            max(0.0, 1 - errors / most) if most else float(errors == 0) for errors, most in pairs
        )

    @property
    def corrects(self) -> bool:
        """Whether every block can be corrected."""
        pairs = zip(self.codeword_errors, self.correctable, strict=True)
        return all(errors <= most for errors, most in pairs)


def upright_view(grey: np.ndarray, quad: np.ndarray, modules: int) -> tuple[np.ndarray, Box]:
    """A code in perspective set upright with its surroundings, and its place there.

    Parameters
    ----------
    grey : ndarray of uint8, H × W
    quad : ndarray, 4 × 2
        The code's corners, quiet zone included.
    modules : int
        Modules along a side, quiet zone included.
    """
    import cv2

    around, side = THRESHOLD_WINDOW * SAMPLE_CELLS, modules * SAMPLE_CELLS
    whole = side + 2 * around
    # Twice as fine, then averaged: a reader sees areas, not points.
    shift = np.array([[1, 0, -2.0 * around], [0, 1, -2.0 * around], [0, 0, 1.0]])
    finer = centred_on_pixels(matrix_to(quad, 2 * side) @ shift)
    view = cv2.warpPerspective(
        grey, finer, (2 * whole, 2 * whole), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    view = cv2.resize(view, (whole, whole), interpolation=cv2.INTER_AREA)
    return view, Box(around, around, side, side)


def cells_of(grey: np.ndarray, box: Box, modules: int) -> np.ndarray:
    """The code and `THRESHOLD_WINDOW` modules of its surroundings on a grid of cells.

    Parameters
    ----------
    grey : ndarray of uint8, H × W
    box : Box
        The code's place on it, quiet zone included, upright.
    modules : int
        Modules along the box.

    Returns
    -------
    ndarray of float32, T·CELLS a side
        T = modules + 2 · `THRESHOLD_WINDOW`; 0 to 255.
    """
    import cv2

    # Some of the surroundings, which the threshold near the edge depends on.
    margin_x = round(box.width / modules * THRESHOLD_WINDOW)
    margin_y = round(box.height / modules * THRESHOLD_WINDOW)
    left, top = box.x - margin_x, box.y - margin_y
    right, bottom = box.x + box.width + margin_x, box.y + box.height + margin_y
    height, width = grey.shape
    crop = grey[max(0, top) : min(height, bottom), max(0, left) : min(width, right)]
    pads = (max(0, -top), max(0, bottom - height), max(0, -left), max(0, right - width))
    if any(pads):
        crop = cv2.copyMakeBorder(crop, *pads, cv2.BORDER_REPLICATE)
    side = (modules + 2 * THRESHOLD_WINDOW) * SAMPLE_CELLS
    way = cv2.INTER_AREA if crop.shape[0] >= side else cv2.INTER_LINEAR
    return cv2.resize(crop, (side, side), interpolation=way).astype(np.float32)


UPSIDE_DOWN = 40
"""Levels of 255 by which dark modules must be lighter than light ones on average for a code
to count as light on dark; a picture that hardly shows its code stays below."""

FLAT_SPREAD = 10.0
"""Standard deviation, of 255, below which surroundings are flat: a plate, a logo of one
colour. There readers fall back on a threshold for the whole image."""


def threshold_of(cells: np.ndarray, window: int) -> np.ndarray:
    """Threshold at each cell: the mean of its surroundings, or mid grey where they are flat.

    Parameters
    ----------
    cells : ndarray of float32
        From `cells_of`.
    window : int
        Side of the surroundings in modules.
    """
    import cv2

    side = (window * SAMPLE_CELLS + 1,) * 2
    mean = cv2.blur(cells, side, borderType=cv2.BORDER_REPLICATE)
    square = cv2.blur(cells * cells, side, borderType=cv2.BORDER_REPLICATE)
    flat = square - mean * mean < FLAT_SPREAD * FLAT_SPREAD
    if flat.any():
        mean[flat] = middle_of(cells)
    return mean


def middle_of(cells: np.ndarray) -> float:
    """The value half way between the code's dark and light modules."""
    inner = cells[
        THRESHOLD_WINDOW * SAMPLE_CELLS : -THRESHOLD_WINDOW * SAMPLE_CELLS,
        THRESHOLD_WINDOW * SAMPLE_CELLS : -THRESHOLD_WINDOW * SAMPLE_CELLS,
    ]
    low, high = np.percentile(inner[::3, ::3], (5, 95))
    return float(low + high) / 2


def centres(cells: np.ndarray) -> np.ndarray:
    """Mean of each module's inner 2 × 2 cells."""
    total = cells.shape[0] // SAMPLE_CELLS
    inner = cells.reshape(total, SAMPLE_CELLS, total, SAMPLE_CELLS)
    low, high = SAMPLE_CELLS // 2 - 1, SAMPLE_CELLS // 2 + 1
    return inner[:, low:high, :, low:high].mean((1, 3))


def sample(grey: np.ndarray, box: Box, symbol: Symbol, quiet_zone: int) -> Sample:
    """Sample a finished image.

    Parameters
    ----------
    grey : ndarray of uint8, H × W
        Luma of the finished image.
    box : Box
        The code's place on it, quiet zone included, upright.
    symbol : Symbol
        The truth.
    quiet_zone : int
        Modules of margin within the box.
    """
    return sample_cells(cells_of(grey, box, symbol.side + 2 * quiet_zone), symbol, quiet_zone)


def light_on_dark(cells: np.ndarray, symbol: Symbol, quiet_zone: int) -> bool:
    """Whether the dark modules are clearly lighter than the light ones; of `cells_of`."""
    import cv2

    first = (THRESHOLD_WINDOW + quiet_zone) * SAMPLE_CELLS
    inner = slice(first, first + symbol.side * SAMPLE_CELLS)
    own = cv2.resize(cells[inner, inner], (symbol.side,) * 2, interpolation=cv2.INTER_AREA)
    return bool(own[symbol.dark].mean() > own[~symbol.dark].mean() + UPSIDE_DOWN)


def sample_cells(cells: np.ndarray, symbol: Symbol, quiet_zone: int) -> Sample:
    """`sample` of what `cells_of` gives."""
    around, total = THRESHOLD_WINDOW, cells.shape[0] // SAMPLE_CELLS
    threshold = threshold_of(cells, THRESHOLD_WINDOW)
    first = around + quiet_zone
    own = slice(first, first + symbol.side)
    lighter = (centres(cells) - centres(threshold)) / 255
    margin = np.where(symbol.dark, -1, 1).astype(np.float32) * lighter[own, own]
    wrong = margin <= 0
    weak = ~wrong & (margin < WEAK)

    ring = np.zeros((total, total), bool)
    ring[around : total - around, around : total - around] = True
    ring[own, own] = False
    light = lighter > -WEAK
    quiet = float(light[ring].mean()) if quiet_zone else 1.0
    near, far = slice(around, first), slice(first + symbol.side, total - around)
    sides = ((near, own), (own, far), (far, own), (own, near))

    return Sample(
        margin=margin,
        wrong=wrong,
        weak=weak,
        codeword_errors=spoiled(wrong, symbol),
        correctable=tuple(block.correctable for block in symbol.anatomy.blocks),
        quiet_zone=quiet,
        quiet_sides=tuple(float(light[side].mean()) for side in sides)
        if quiet_zone
        else (1.0,) * 4,
    )


def spoiled(wrong: np.ndarray, symbol: Symbol) -> tuple[int, ...]:
    """Number of wrong codewords in each block, from wrong modules (bool n × n).

    What was drawn against the message on purpose counts too, unless it is misread.
    """
    plan = symbol.anatomy
    if symbol.spent is not None:
        wrong = wrong ^ symbol.spent
    hit = np.zeros(int(plan.codeword.max()) + 1, bool)
    hit[plan.codeword[(plan.codeword >= 0) & wrong]] = True
    return tuple(int(hit[list(block.codewords)].sum()) for block in plan.blocks)


def readers_eye(rendering: Rendering) -> np.ndarray:
    """The finished image in black and white, as a reader with a local threshold sees it.

    Parameters
    ----------
    rendering : Rendering

    Returns
    -------
    ndarray of uint8, H × W × 3
        Every pixel against the mean of `THRESHOLD_WINDOW` modules round it.
    """
    import cv2

    grey = cv2.cvtColor(rendering.image, cv2.COLOR_RGB2GRAY)
    side = max(3, round(rendering.code_side / rendering.modules * THRESHOLD_WINDOW) | 1)
    mean = cv2.blur(grey, (side, side), borderType=cv2.BORDER_REPLICATE)
    seen = np.where(grey < mean, np.uint8(0), np.uint8(255))
    return cv2.cvtColor(seen, cv2.COLOR_GRAY2RGB)
