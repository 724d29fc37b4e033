"""Whether a code still holds with what lies on it: a careful prediction, module by module.

Every module is looked at by several models of a reader at once and counts as
right only where all of them agree. So "holds" is meant to be kept by every
reader; what the readers then really do is measured beside it.

References
----------
ISO/IEC 18004: error correction, format information (any three of its 15 bits
may be wrong), finder pattern run ratio.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.scan.sampling import (
    THRESHOLD_WINDOW,
    cells_of,
    centres,
    middle_of,
    spoiled,
    threshold_of,
)
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol

WIDE = 11
"""Side, in modules, of the wider window whose mean is also a threshold."""

NEAR_THRESHOLD = 0.02
"""A module nearer than this to any threshold, as a share of the full range, may read either way."""

NICKS = 1
"""Modules of a finder's light border that may be spoiled: every reader bears one."""

FORMAT_BITS = 3
"""Wrong bits of one copy of the format information that a reader repairs."""


@dataclass(frozen=True, eq=False)
class Hold:
    """The prediction.

    Attributes
    ----------
    holds : bool
        Every block can be corrected, finders are whole, the format is read.
    unsure : ndarray of bool, n × n
        Modules that at least one model reads wrongly or hardly.
    errors : tuple of int
        Codewords of each block with such modules.
    most : tuple of int
        Codewords of each block that can be corrected at all; what the standard keeps
        back against misreading is used, too.
    why : tuple of str
        What stands in the way, in words; empty where it holds.
    """

    holds: bool
    unsure: np.ndarray
    errors: tuple[int, ...]
    most: tuple[int, ...]
    why: tuple[str, ...]

    @property
    def spare(self) -> float:
        """Predicted error correction left in the weakest block, 0 to 1."""
        return min(
            max(0.0, 1 - errors / most) if most else float(errors == 0)
            for errors, most in zip(self.errors, self.most, strict=True)
        )


def _margins(cells: np.ndarray, quiet_zone: int, symbol: Symbol) -> tuple[np.ndarray, np.ndarray]:
    """Least margin of each module's middle under all models, and that against mid grey."""
    first = THRESHOLD_WINDOW + quiet_zone
    own = slice(first, first + symbol.side)
    sign = np.where(symbol.dark, -1, 1).astype(np.float32) / 255
    middle = centres(cells)
    thresholds = [centres(threshold_of(cells, window)) for window in (THRESHOLD_WINDOW, WIDE)]
    thresholds.append(np.full_like(middle, middle_of(cells)))
    # A reader's grid lies a little beside the true one.
    shifted = [middle, *(centres(np.roll(cells, by, axis)) for by in (-1, 1) for axis in (0, 1))]
    worst = np.min([m[own, own] * sign for m in shifted], axis=0)
    found = [worst - t[own, own] * sign for t in thresholds]
    return np.min(found, axis=0), (middle - thresholds[-1])[own, own] * sign


def foresee(
    grey: np.ndarray,
    box: Box,
    symbol: Symbol,
    quiet_zone: int,
    touched: np.ndarray | None = None,
) -> Hold:
    """Foresee whether a finished image holds.

    Parameters
    ----------
    grey : ndarray of uint8, H × W
        Luma of the finished image.
    box : Box
        The code's place, quiet zone included, upright.
    symbol : Symbol
    quiet_zone : int
    touched : ndarray of bool, n × n, optional
        Modules on which something lies. Only there are function patterns looked at: what
        a look's own shapes make of them is for the readers to say.
    """
    margin, plain = _margins(cells_of(grey, box, symbol.side + 2 * quiet_zone), quiet_zone, symbol)
    unsure = margin <= NEAR_THRESHOLD
    errors = spoiled(unsure, symbol)
    most = tuple(len(block.correction) // 2 for block in symbol.anatomy.blocks)
    why = []
    hurt = unsure if touched is None else unsure & touched
    over = [(e - m, i) for i, (e, m) in enumerate(zip(errors, most, strict=True))]
    excess, index = max(over)
    if excess > 0:
        which = tr("Block {index} has", index=index + 1) if len(most) > 1 else tr("It has")
        why.append(
            tr(
                "{which} {errors} codewords spoiled and can correct {most}.",
                which=which,
                errors=errors[index],
                most=most[index],
            )
        )
    # A finder is large, so it is judged by the side of mid grey that it lies on.
    dented = plain <= NEAR_THRESHOLD
    why += _patterns(symbol, hurt, dented if touched is None else dented & touched)
    return Hold(not why, unsure, errors, most, tuple(why))


def _corners(symbol: Symbol) -> list[tuple[str, int, int]]:
    n = symbol.side
    if symbol.micro:
        return [(tr("the finder pattern"), 0, 0)]
    return [(tr("the finder pattern at the top left"), 0, 0),
            (tr("the finder pattern at the top right"), 0, n - 7),
            (tr("the finder pattern at the bottom left"), n - 7, 0)]  # fmt: skip


def _patterns(symbol: Symbol, unsure: np.ndarray, dented: np.ndarray) -> list[str]:
    """What stands in the way in finders (`dented`) and format information (`unsure`)."""
    why = []
    parts = symbol.anatomy.parts
    for name, row, column in _corners(symbol):
        rows = slice(max(row - 1, 0), row + 8)
        columns = slice(max(column - 1, 0), column + 8)
        hurt = dented[rows, columns]
        border = parts[rows, columns] == Part.SEPARATOR
        if (hurt & ~border).any() or (hurt & border).sum() > NICKS:
            why.append(
                tr(
                    "{name} or its light border is damaged.",
                    name=name[0].upper() + name[1:],
                )
            )
    formats = parts == Part.FORMAT
    if symbol.micro:
        copies = [formats]
    else:
        near = np.zeros_like(formats)
        near[:9, :9] = True
        copies = [formats & near, formats & ~near]
    if min(int(unsure[copy].sum()) for copy in copies) > FORMAT_BITS:
        why.append(tr("The format information is spoiled in both copies.")
                   if len(copies) > 1 else tr("The format information is spoiled."))  # fmt: skip
    return why
