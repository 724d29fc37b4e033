"""Which bits of a symbol no reader looks at, and how much of its spare may be spent.

References
----------
ISO/IEC 18004: terminator, padding, numeric segments.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.segments import bits

TERMINATOR = 4
"""Bits of the terminator."""


def free_bits(symbol: Symbol, used: int) -> np.ndarray:
    """Which data bits, in the order of the bit stream, readers do not look at (bool).

    Parameters
    ----------
    symbol : Symbol
        A QR symbol, not Micro QR.
    used : int
        Bits that the message takes, mode indicators and counts included.
    """
    total = 8 * sum(len(block.data) for block in symbol.anatomy.blocks)
    free = np.zeros(total, bool)
    free[min(total, used + TERMINATOR) :] = True
    return free


def tail_bits(symbol: Symbol) -> np.ndarray:
    """Bits of a symbol's tail of digits that may be anything (bool, in the bit stream's order).

    Three digits take ten bits; the first of them stays 0, so that any choice of
    the others is a number below 1000.
    """
    total = 8 * sum(len(block.data) for block in symbol.anatomy.blocks)
    free = np.zeros(total, bool)
    start, digits = symbol.tail
    for group in range(digits // 3):
        free[start + 10 * group + 1 : start + 10 * group + 10] = True
    return free


def freedom(symbol: Symbol) -> np.ndarray:
    """Free bits of a symbol: of its tail, if it has one, else of its padding.

    Raises
    ------
    ValueError
        It is Micro QR.
    """
    if tables.is_micro(symbol.version):
        raise ValueError("Micro QR codes are not steered")
    if symbol.tail is not None:
        return tail_bits(symbol)
    return free_bits(symbol, bits(symbol.segments, symbol.version))


def spendable(symbol: Symbol, keep: float) -> int:
    """Codewords of each block that may be spent while this spare is kept, 0 to 1."""
    least = min(block.correctable for block in symbol.anatomy.blocks)
    return int((1 - keep) * least + 1e-9)
