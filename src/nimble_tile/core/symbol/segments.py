"""How a text is cut into segments of encoding modes, as short as can be.

The division is found by dynamic programming over the characters, so that no
other division into numeric, alphanumeric, byte and Kanji segments takes fewer
bits for the versions concerned.

References
----------
ISO/IEC 18004: modes, mode indicators, character count indicators, extended
channel interpretation (ECI). Kanji mode: Shift JIS values of JIS X 0208.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import codeword_total

SegmentMode = Literal["numeric", "alphanumeric", "byte", "kanji"]
Charset = Literal["iso-8859-1", "utf-8", "utf-8 unmarked"]

ALPHANUMERIC = frozenset("0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ $%*+-./:")
"""Characters of alphanumeric mode (table of ISO/IEC 18004)."""

ECI_BITS = 12
"""Mode indicator and assignment number of an ECI mark below 128."""

# Bits of the character count: versions 1-9, 10-26, 27-40, then M1 to M4
# (0: the mode is not offered). ISO/IEC 18004, table of count indicators.
_COUNT: dict[SegmentMode, tuple[int, ...]] = {
    "numeric": (10, 12, 14, 3, 4, 5, 6),
    "alphanumeric": (9, 11, 13, 0, 3, 4, 5),
    "byte": (8, 16, 16, 0, 0, 4, 5),
    "kanji": (8, 10, 12, 0, 0, 3, 4),
}
_MODES: tuple[SegmentMode, ...] = ("numeric", "alphanumeric", "kanji", "byte", "byte")
_WIDE = 4
"""Index of byte mode in UTF-8, as against byte mode in ASCII or Latin-1."""
_SIXTH = 6
"""Costs are counted in sixths of a bit: a digit takes 10/3, a pair 11/2."""


@dataclass(frozen=True)
class Segment:
    """A stretch of the text in one mode.

    Attributes
    ----------
    mode : {"numeric", "alphanumeric", "byte", "kanji"}
    text : str
    marked : bool
        Byte mode with an ECI mark for UTF-8 in front.
    charset : {"iso-8859-1", "utf-8"}
        Of byte mode.
    """

    mode: SegmentMode
    text: str
    marked: bool = False
    charset: str = "iso-8859-1"

    @property
    def count(self) -> int:
        """What its character count says: characters, or bytes in byte mode."""
        return len(self.text.encode(self.charset)) if self.mode == "byte" else len(self.text)

    def bits(self, size_class: int) -> int:
        """Bits it takes in a class of versions (`size_class`)."""
        n = self.count
        data = {
            "numeric": n // 3 * 10 + (0, 4, 7)[n % 3],
            "alphanumeric": n // 2 * 11 + n % 2 * 6,
            "byte": 8 * n,
            "kanji": 13 * n,
        }[self.mode]
        head = _mode_bits(size_class) + _COUNT[self.mode][size_class]
        return data + head + (ECI_BITS if self.marked else 0)


def size_class(version: str) -> int:
    """Class of versions that share the lengths of their count indicators, 0 to 6."""
    if tables.is_micro(version):
        return 2 + int(version[1:])
    number = int(version)
    return 0 if number <= 9 else 1 if number <= 26 else 2


def _mode_bits(cls: int) -> int:
    return 4 if cls < 3 else cls - 3


@lru_cache(maxsize=4096)
def is_kanji(character: str) -> bool:
    """Whether Kanji mode can hold the character, and gives it back unchanged."""
    try:
        raw = character.encode("shift_jis")
    except UnicodeEncodeError:
        return False
    if len(raw) != 2 or raw.decode("shift_jis") != character:
        return False
    value = raw[0] << 8 | raw[1]
    return 0x8140 <= value <= 0x9FFC or 0xE040 <= value <= 0xEBBF


_SURE = frozenset(map(chr, range(0x80))) | frozenset(map(chr, range(0xC0, 0x100))) - {"×", "÷"}
"""ASCII, and the letters of Latin-1 beyond it."""

_SIDE_BY_SIDE = re.compile(r"[^\x00-\x7f]{2}")


def charset_for(text: str) -> Charset:
    """Character set of byte mode that a reader cannot mistake.

    Latin-1, the standard's default, where beyond ASCII there are single
    letters only and the bytes make no sense as UTF-8 or Shift JIS; UTF-8 with
    an ECI mark otherwise. Readers guess at text without a mark, and guess
    Shift JIS where letters beyond ASCII stand side by side or signs such as °
    and ª are frequent.
    """
    if text.isascii():
        return "iso-8859-1"
    if _SIDE_BY_SIDE.search(text) or not set(text) <= _SURE:
        return "utf-8"
    raw = text.encode("iso-8859-1")
    for other in ("utf-8", "shift_jis"):
        try:
            raw.decode(other)
        except UnicodeDecodeError:
            continue
        return "utf-8"
    return "iso-8859-1"


def _costs(character: str, charset: Charset, kanji: bool) -> list[int | None]:
    """Cost of one character in each of `_MODES`, in sixths of a bit; None if impossible."""
    narrow = character.isascii() or (charset == "iso-8859-1" and not kanji)
    wide = charset != "iso-8859-1"
    return [
        20 if "0" <= character <= "9" else None,
        33 if character in ALPHANUMERIC else None,
        78 if kanji and is_kanji(character) else None,
        48 if narrow else None,
        48 * len(character.encode("utf-8")) if wide else None,
    ]


def split(text: str, version: str, charset: Charset | None = None) -> tuple[Segment, ...]:
    """The shortest division of a text for a version.

    Parameters
    ----------
    text : str
        Not empty.
    version : str
        ``"1"`` to ``"40"``, ``"M1"`` to ``"M4"``; only its class matters.
    charset : str, optional
        ``"iso-8859-1"``, ``"utf-8"`` (with ECI mark), ``"utf-8 unmarked"``;
        None: `charset_for`, and Kanji mode where that is shorter.

    Returns
    -------
    tuple of Segment
        Empty when the version does not offer the modes that the text needs.
    """
    cls = size_class(version)
    if charset is None:
        # Readers disagree about Kanji mode beside marked text, so a text is
        # either Kanji and ASCII, or all of it in one character set.
        if any(is_kanji(c) for c in text) and all(c.isascii() or is_kanji(c) for c in text):
            return _divide(text, cls, "iso-8859-1", True)
        charset = charset_for(text)
    if charset == "utf-8" and tables.is_micro(version):
        charset = "utf-8 unmarked"  # Micro QR has no ECI
    return _divide(text, cls, charset, False)


def _divide(text: str, cls: int, charset: Charset, kanji: bool) -> tuple[Segment, ...]:
    able = [_COUNT[mode][cls] > 0 for mode in _MODES]
    head = [(_mode_bits(cls) + _COUNT[mode][cls]) * _SIXTH for mode in _MODES]
    if charset == "utf-8":
        head[_WIDE] += ECI_BITS * _SIXTH
    modes = range(len(_MODES))
    infinite = 1 << 60
    best = [0 for _ in modes]
    first = True
    trail: list[list[int]] = []
    for character in text:
        own = _costs(character, charset, kanji)
        # Whole bits at each end of a segment: a change of mode rounds up.
        whole = [-(-cost // _SIXTH) * _SIXTH for cost in best]
        lead = 0 if first else min(whole)
        lead_mode = whole.index(lead) if not first else 0
        fresh, came = [], []
        for mode in modes:
            cost = own[mode]
            change = lead + head[mode]
            stay = infinite if first else best[mode]
            if cost is None or not able[mode]:
                fresh.append(infinite)
                came.append(mode)
            elif stay <= change:
                fresh.append(stay + cost)
                came.append(mode)
            else:
                fresh.append(change + cost)
                came.append(lead_mode)
        trail.append(came)
        best, first = fresh, False
    mode = min(modes, key=lambda m: -(-best[m] // _SIXTH))
    if best[mode] >= infinite:
        return ()
    chosen = []
    for came in reversed(trail):
        chosen.append(mode)
        mode = came[mode]
    return _joined(text, chosen[::-1], charset)


def _joined(text: str, modes: Sequence[int], charset: Charset) -> tuple[Segment, ...]:
    segments: list[Segment] = []
    start = 0
    for end in range(1, len(text) + 1):
        if end < len(text) and modes[end] == modes[start]:
            continue
        wide = modes[start] == _WIDE
        segments.append(
            Segment(
                _MODES[modes[start]],
                text[start:end],
                marked=wide and charset == "utf-8",
                charset="utf-8" if wide else "iso-8859-1",
            )
        )
        start = end
    return tuple(segments)


def bits(segments: Sequence[Segment], version: str) -> int:
    """Bits that the segments take in a version."""
    cls = size_class(version)
    return sum(segment.bits(cls) for segment in segments)


def capacity_bits(version: str, level: str) -> int:
    """Data bits of a version at a level (`tables.levels_of`)."""
    if tables.is_micro(version):
        whole = tables.MICRO_CODEWORDS[version][level][0] * 8
        return whole - 4 if version in ("M1", "M3") else whole
    number = int(version) - 1
    return 8 * (
        codeword_total(version) - tables.BLOCKS[level][number] * tables.EC_PER_BLOCK[level][number]
    )


def capacity(version: str, level: str, mode: SegmentMode) -> int:
    """Characters of one mode that a version holds at a level; 0 where it is not offered.

    Returns
    -------
    int
        Digits, alphanumeric characters, bytes or Kanji.
    """
    cls = size_class(version)
    count = _COUNT[mode][cls]
    if not count:
        return 0
    room = capacity_bits(version, level) - _mode_bits(cls) - count
    if mode == "numeric":
        return room // 10 * 3 + (2 if room % 10 >= 7 else 1 if room % 10 >= 4 else 0)
    if mode == "alphanumeric":
        return room // 11 * 2 + (room % 11 >= 6)
    return max(0, room // (8 if mode == "byte" else 13))
