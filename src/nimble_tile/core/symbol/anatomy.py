"""What each module of a symbol is.

For every version 1 to 40 and Micro QR M1 to M4: which module belongs to a
finder pattern, a separator, timing, alignment, format or version information,
and for each data or error correction module which codeword, bit and block it
carries. All arrays are n × n, indexed (row, column).

References
----------
ISO/IEC 18004: symbol structure, codeword placement, format and version
information, error correction characteristics.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from functools import cached_property, lru_cache

import numpy as np

from nimble_tile.core.symbol import tables


class Part(IntEnum):
    """What a module is for."""

    DATA = 0
    CORRECTION = 1
    REMAINDER = 2
    FINDER = 3
    SEPARATOR = 4
    TIMING = 5
    ALIGNMENT = 6
    FORMAT = 7
    VERSION = 8
    DARK = 9


@dataclass(frozen=True)
class Block:
    """One error correction block.

    Attributes
    ----------
    data, correction : tuple of int
        Indices of its codewords in the order of the final message.
    correctable : int
        Wrong codewords that the standard lets a reader repair.
    """

    data: tuple[int, ...]
    correction: tuple[int, ...]
    correctable: int

    @property
    def codewords(self) -> tuple[int, ...]:
        """All codewords of the block, data first."""
        return self.data + self.correction


@dataclass(frozen=True, eq=False)
class Anatomy:
    """Anatomy of one version at one level.

    Attributes
    ----------
    version : str
        ``"1"`` to ``"40"``, ``"M1"`` to ``"M4"``.
    level : str
        ``"L"``, ``"M"``, ``"Q"``, ``"H"``; ``"-"`` for M1.
    parts : ndarray of uint8, n × n
        A `Part` for each module.
    codeword : ndarray of int32, n × n
        Index of the codeword in the final message; -1 for others.
    bit : ndarray of int8, n × n
        Bit of that codeword, 7 (first) to 0; -1 for others. The four-bit data
        codeword of M1 and M3 uses bits 3 to 0.
    block : ndarray of int32, n × n
        Index into `blocks`; -1 for others.
    blocks : tuple of Block
    path : ndarray of int32, m × 2
        (row, column) of every encoding module in placement order, remainder
        bits included.
    """

    version: str
    level: str
    parts: np.ndarray
    codeword: np.ndarray
    bit: np.ndarray
    block: np.ndarray
    blocks: tuple[Block, ...]
    path: np.ndarray

    @property
    def side(self) -> int:
        """Modules a side."""
        return self.parts.shape[0]

    @property
    def encoding(self) -> np.ndarray:
        """Bool n × n: modules that carry codewords or remainder bits."""
        return self.parts <= Part.REMAINDER

    @cached_property
    def bits_of(self) -> np.ndarray:
        """Bits in each codeword of the final message, 8 or 4."""
        count = int(self.codeword.max()) + 1
        return np.bincount(self.codeword[self.codeword >= 0], minlength=count)


def function_parts(version: str) -> np.ndarray:
    """Parts outside the encoding region; encoding modules hold `Part.DATA`.

    Parameters
    ----------
    version : str
        ``"1"`` to ``"40"``, ``"M1"`` to ``"M4"``.

    Returns
    -------
    ndarray of uint8, n × n
    """
    n = tables.side(version)
    micro = tables.is_micro(version)
    parts = np.full((n, n), Part.DATA, np.uint8)
    edge = 0 if micro else 6
    parts[edge, :] = parts[:, edge] = Part.TIMING
    for row in tables.alignment_centres(version):
        for column in tables.alignment_centres(version):
            if (row, column) not in ((6, 6), (6, n - 7), (n - 7, 6)):
                parts[row - 2 : row + 3, column - 2 : column + 3] = Part.ALIGNMENT
    if micro:
        parts[8, 1:9] = parts[1:9, 8] = Part.FORMAT
        parts[:8, :8] = Part.SEPARATOR
        parts[:7, :7] = Part.FINDER
        return parts
    parts[8, :9] = parts[:9, 8] = Part.FORMAT
    parts[8, n - 8 :] = parts[n - 7 :, 8] = Part.FORMAT
    parts[8, 6] = parts[6, 8] = Part.TIMING
    parts[n - 8, 8] = Part.DARK
    for rows, columns in (
        (slice(0, 8), slice(0, 8)),
        (slice(0, 8), slice(n - 8, n)),
        (slice(n - 8, n), slice(0, 8)),
    ):
        parts[rows, columns] = Part.SEPARATOR
    for row, column in ((0, 0), (0, n - 7), (n - 7, 0)):
        parts[row : row + 7, column : column + 7] = Part.FINDER
    if int(version) >= 7:
        parts[0:6, n - 11 : n - 8] = Part.VERSION
        parts[n - 11 : n - 8, 0:6] = Part.VERSION
    return parts


def _placement(free: np.ndarray, micro: bool) -> np.ndarray:
    """Free modules in placement order: two columns wide, upwards first."""
    n = free.shape[0]
    path = []
    upwards = True
    column = n - 1
    while column > 0:
        if not micro and column == 6:
            column -= 1
        rows = np.arange(n)[:: -1 if upwards else 1]
        path.append(np.stack([rows.repeat(2), np.tile([column, column - 1], n)], 1))
        upwards = not upwards
        column -= 2
    every = np.concatenate(path)
    return every[free[every[:, 0], every[:, 1]]].astype(np.int32)


def _blocks(version: str, level: str) -> tuple[Block, ...]:
    """Blocks with their codewords' places in the interleaved message."""
    guard = tables.MISDECODE_GUARD.get((version, level), 0)
    if tables.is_micro(version):
        data, correction = tables.MICRO_CODEWORDS[version][level]
        return (
            Block(
                tuple(range(data)),
                tuple(range(data, data + correction)),
                (correction - guard) // 2,
            ),
        )
    number = int(version) - 1
    count = tables.BLOCKS[level][number]
    per_block = tables.EC_PER_BLOCK[level][number]
    total = codeword_total(version)
    data_total = total - count * per_block
    short = data_total // count
    longer = data_total % count  # these many, the last ones, have one more
    places: list[list[int]] = [[] for _ in range(count)]
    place = 0
    for position in range(short + (longer > 0)):
        first = 0 if position < short else count - longer
        for block in range(first, count):
            places[block].append(place)
            place += 1
    return tuple(
        Block(
            tuple(places[block]),
            tuple(data_total + position * count + block for position in range(per_block)),
            (per_block - guard) // 2,
        )
        for block in range(count)
    )


@lru_cache(maxsize=64)
def codeword_total(version: str) -> int:
    """Codewords of the symbol, data and error correction together."""
    if tables.is_micro(version):
        return sum(next(iter(tables.MICRO_CODEWORDS[version].values())))
    return int((function_parts(version) == Part.DATA).sum()) // 8


@lru_cache(maxsize=32)
def anatomy(version: str, level: str) -> Anatomy:
    """Anatomy of a version at a level.

    Parameters
    ----------
    version : str
        ``"1"`` to ``"40"``, ``"M1"`` to ``"M4"``.
    level : str
        One that the version offers (`tables.levels_of`).

    Returns
    -------
    Anatomy
        Its arrays are read-only.
    """
    parts = function_parts(version)
    path = _placement(parts == Part.DATA, tables.is_micro(version))
    blocks = _blocks(version, level)
    total = sum(len(block.codewords) for block in blocks)
    bits = np.full(total, 8)
    if version in ("M1", "M3"):
        bits[len(blocks[0].data) - 1] = 4
    owner = np.full(total, -1, np.int32)
    kind = np.full(total, Part.DATA, np.uint8)
    for index, block in enumerate(blocks):
        owner[list(block.codewords)] = index
        kind[list(block.correction)] = Part.CORRECTION

    n = parts.shape[0]
    codeword = np.full((n, n), -1, np.int32)
    bit = np.full((n, n), -1, np.int8)
    block_map = np.full((n, n), -1, np.int32)
    of_module = np.repeat(np.arange(total), bits)
    bit_of = np.concatenate([np.arange(count - 1, -1, -1) for count in bits])
    rows, columns = path[: len(of_module)].T
    codeword[rows, columns] = of_module
    bit[rows, columns] = bit_of
    block_map[rows, columns] = owner[of_module]
    parts[rows, columns] = kind[of_module]
    rest = path[len(of_module) :]
    parts[rest[:, 0], rest[:, 1]] = Part.REMAINDER
    for array in (parts, codeword, bit, block_map, path):
        array.setflags(write=False)
    return Anatomy(version, level, parts, codeword, bit, block_map, blocks, path)
