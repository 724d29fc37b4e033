"""Numbers of ISO/IEC 18004 that the symbol floor is built on.

Every table here names the part of the standard it comes from. The totals
that the standard also prints (codewords a version, remainder bits) are not
repeated: they follow from the geometry and are checked in the tests.
"""

from __future__ import annotations

LEVELS = ("L", "M", "Q", "H")
"""Error correction levels from the least to the most robust."""

QR_VERSIONS = tuple(str(v) for v in range(1, 41))
MICRO_VERSIONS = ("M1", "M2", "M3", "M4")


def _row(numbers: str) -> tuple[int, ...]:
    """One number for each version, 1 to 20 and 21 to 40."""
    return tuple(map(int, numbers.split()))


# ISO/IEC 18004, table of error correction characteristics, versions 1 to 40:
# error correction codewords in each block.
EC_PER_BLOCK: dict[str, tuple[int, ...]] = {
    "L": _row(
        "7 10 15 20 26 18 20 24 30 18 20 24 26 30 22 24 28 30 28 28 "
        "28 28 30 30 26 28 30 30 30 30 30 30 30 30 30 30 30 30 30 30"
    ),
    "M": _row(
        "10 16 26 18 24 16 18 22 22 26 30 22 22 24 24 28 28 26 26 26 "
        "26 28 28 28 28 28 28 28 28 28 28 28 28 28 28 28 28 28 28 28"
    ),
    "Q": _row(
        "13 22 18 26 18 24 18 22 20 24 28 26 24 20 30 24 28 28 26 30 "
        "28 30 30 30 30 28 30 30 30 30 30 30 30 30 30 30 30 30 30 30"
    ),
    "H": _row(
        "17 28 22 16 22 28 26 26 24 28 24 28 22 24 24 30 28 28 26 28 "
        "30 24 30 30 30 30 30 30 30 30 30 30 30 30 30 30 30 30 30 30"
    ),
}

# The same table: number of blocks.
BLOCKS: dict[str, tuple[int, ...]] = {
    "L": _row(
        "1 1 1 1 1 2 2 2 2 4 4 4 4 4 6 6 6 6 7 8 "
        "8 9 9 10 12 12 12 13 14 15 16 17 18 19 19 20 21 22 24 25"
    ),
    "M": _row(
        "1 1 1 2 2 4 4 4 5 5 5 8 9 9 10 10 11 13 14 16 "
        "17 17 18 20 21 23 25 26 28 29 31 33 35 37 38 40 43 45 47 49"
    ),
    "Q": _row(
        "1 1 2 2 4 4 6 6 8 8 8 10 12 16 12 17 16 18 21 20 "
        "23 23 25 27 29 34 34 35 38 40 43 45 48 51 53 56 59 62 65 68"
    ),
    "H": _row(
        "1 1 2 4 4 4 5 6 8 8 11 11 16 16 18 16 19 21 25 25 "
        "25 34 30 32 35 37 40 42 45 48 51 54 57 60 63 66 70 74 77 81"
    ),
}

# The same table, Micro QR: (data codewords, error correction codewords).
# M1 and M3 end in a data codeword of four bits.
MICRO_CODEWORDS: dict[str, dict[str, tuple[int, int]]] = {
    "M1": {"-": (3, 2)},
    "M2": {"L": (5, 5), "M": (4, 6)},
    "M3": {"L": (11, 6), "M": (9, 8)},
    "M4": {"L": (16, 8), "M": (14, 10), "Q": (10, 14)},
}

# The same table, footnote on the codewords kept back against misdecoding (p):
# symbols that give up some correction to be surer of what they read.
MISDECODE_GUARD: dict[tuple[str, str], int] = {
    ("1", "L"): 3,
    ("1", "M"): 2,
    ("1", "Q"): 1,
    ("1", "H"): 1,
    ("2", "L"): 2,
    ("3", "L"): 1,
    ("M1", "-"): 2,
    ("M2", "L"): 3,
    ("M2", "M"): 2,
    ("M3", "L"): 2,
    ("M4", "L"): 2,
}

# Format information: the two bits that stand for the level.
LEVEL_BITS = {"L": 0b01, "M": 0b00, "Q": 0b11, "H": 0b10}

# Micro QR format information: symbol number of (version, level).
MICRO_SYMBOL_NUMBER = {
    ("M1", "-"): 0,
    ("M2", "L"): 1,
    ("M2", "M"): 2,
    ("M3", "L"): 3,
    ("M3", "M"): 4,
    ("M4", "L"): 5,
    ("M4", "M"): 6,
    ("M4", "Q"): 7,
}

FORMAT_GENERATOR = 0b10100110111
"""Generator polynomial of the (15, 5) BCH code of the format information."""
FORMAT_XOR = 0b101010000010010
FORMAT_XOR_MICRO = 0b100010001000101
VERSION_GENERATOR = 0b1111100100101
"""Generator polynomial of the (18, 6) Golay code of the version information."""

MICRO_MASKS = (1, 4, 6, 7)
"""The four masks of Micro QR as mask patterns of QR (table of mask patterns)."""

QUIET_ZONE = 4
"""Quiet zone that the standard asks for round a QR code, in modules."""
QUIET_ZONE_MICRO = 2
"""The same for Micro QR."""


def is_micro(version: str) -> bool:
    """Whether the version name belongs to Micro QR."""
    return version.startswith("M")


def side(version: str) -> int:
    """Modules a side, quiet zone not counted: 21 to 177, Micro 11 to 17."""
    if is_micro(version):
        return 2 * int(version[1:]) + 9
    return 4 * int(version) + 17


def levels_of(version: str) -> tuple[str, ...]:
    """Levels that the version offers; M1 has none and answers ``("-",)``."""
    return tuple(MICRO_CODEWORDS[version]) if is_micro(version) else LEVELS


def alignment_centres(version: str) -> tuple[int, ...]:
    """Row and column positions of alignment pattern centres.

    Follows the table of alignment patterns in ISO/IEC 18004: first at 6, last
    at side - 7, the rest spaced evenly by even steps counted from the end;
    version 32 is the one that the rule rounds differently.
    """
    if is_micro(version) or version == "1":
        return ()
    number = int(version)
    count = number // 7 + 2
    last = side(version) - 7
    step = 26 if number == 32 else (number * 4 + count * 2 + 1) // (count * 2 - 2) * 2
    inner = [last - i * step for i in range(count - 1)]
    return (6, *reversed(inner))
