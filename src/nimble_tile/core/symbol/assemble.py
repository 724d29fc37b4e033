"""From codewords to the matrix, in the standard's own order.

References
----------
ISO/IEC 18004: masking, format information, version information.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import Part, anatomy


@lru_cache(maxsize=32)
def mask_pattern(mask: int, side: int) -> np.ndarray:
    """Where a mask of QR inverts, bool n × n, read-only.

    Parameters
    ----------
    mask : int
        0 to 7, numbered as in QR (Micro QR uses `tables.MICRO_MASKS`).
    side : int
        Modules a side.
    """
    i, j = np.indices((side, side))
    conditions = (
        lambda: (i + j) % 2,
        lambda: i % 2,
        lambda: j % 3,
        lambda: (i + j) % 3,
        lambda: (i // 2 + j // 3) % 2,
        lambda: i * j % 2 + i * j % 3,
        lambda: (i * j % 2 + i * j % 3) % 2,
        lambda: ((i + j) % 2 + i * j % 3) % 2,
    )
    pattern = conditions[mask]() == 0
    pattern.setflags(write=False)
    return pattern


def _remainder(value: int, generator: int) -> int:
    """Remainder of a polynomial division over GF(2)."""
    while value.bit_length() >= generator.bit_length():
        value ^= generator << (value.bit_length() - generator.bit_length())
    return value


def format_bits(version: str, level: str, mask: int) -> int:
    """The 15 bits of format information, masked as they are placed."""
    if tables.is_micro(version):
        data = tables.MICRO_SYMBOL_NUMBER[version, level] << 2 | mask
        pattern = tables.FORMAT_XOR_MICRO
    else:
        data = tables.LEVEL_BITS[level] << 3 | mask
        pattern = tables.FORMAT_XOR
    word = data << 10
    return (word | _remainder(word, tables.FORMAT_GENERATOR)) ^ pattern


def version_bits(number: int) -> int:
    """The 18 bits of version information, versions 7 to 40."""
    word = number << 12
    return word | _remainder(word, tables.VERSION_GENERATOR)


def function_pattern(version: str, level: str, mask: int) -> np.ndarray:
    """Bool n × n: function patterns, format and version information; the rest light."""
    n = tables.side(version)
    micro = tables.is_micro(version)
    dark = np.zeros((n, n), bool)
    edge = 0 if micro else 6
    dark[edge, ::2] = dark[::2, edge] = True
    rings = np.maximum(*np.abs(np.indices((7, 7)) - 3))
    corners = ((0, 0),) if micro else ((0, 0), (0, n - 7), (n - 7, 0))
    for row, column in corners:
        top, left = max(row - 1, 0), max(column - 1, 0)
        dark[top : row + 8, left : column + 8] = False
        dark[row : row + 7, column : column + 7] = rings != 2
    for row in tables.alignment_centres(version):
        for column in tables.alignment_centres(version):
            if (row, column) not in ((6, 6), (6, n - 7), (n - 7, 6)):
                dark[row - 2 : row + 3, column - 2 : column + 3] = rings[1:6, 1:6] != 1

    word = format_bits(version, level, mask)
    bits = np.array([word >> shift & 1 for shift in range(15)], bool)  # lowest first
    if micro:
        dark[1:9, 8] = bits[:8]
        dark[8, 1:8] = bits[:7:-1]
        return dark
    dark[[0, 1, 2, 3, 4, 5, 7, 8], 8] = bits[:8]
    dark[8, [7, 5, 4, 3, 2, 1, 0]] = bits[8:]
    dark[8, n - 8 :] = bits[7::-1]
    dark[n - 7 :, 8] = bits[8:]
    dark[n - 8, 8] = True
    if int(version) >= 7:
        word = version_bits(int(version))
        block = np.array([word >> shift & 1 for shift in range(18)], bool).reshape(6, 3)
        dark[0:6, n - 11 : n - 8] = block
        dark[n - 11 : n - 8, 0:6] = block.T
    return dark


def assemble(version: str, level: str, mask: int, codewords: Sequence[int]) -> np.ndarray:
    """The matrix of a symbol from its final message.

    Parameters
    ----------
    version, level : str
        As in `anatomy`.
    mask : int
        0 to 7; 0 to 3 in Micro QR.
    codewords : sequence of int
        The final message, interleaved, data before error correction. Four-bit
        codewords of M1 and M3 as values 0 to 15.

    Returns
    -------
    ndarray of bool, n × n
        True = dark.
    """
    plan = anatomy(version, level)
    values = np.asarray(codewords, np.int64)
    qr_mask = tables.MICRO_MASKS[mask] if tables.is_micro(version) else mask
    dark = function_pattern(version, level, mask)
    carries = plan.codeword >= 0
    dark[carries] = (values[plan.codeword[carries]] >> plan.bit[carries] & 1).astype(bool)
    dark[plan.parts == Part.REMAINDER] = False
    inverted = mask_pattern(qr_mask, plan.side) & plan.encoding
    return dark ^ inverted
