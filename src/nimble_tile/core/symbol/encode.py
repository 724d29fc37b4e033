"""From the message to the symbol.

The text is divided into segments by `nimble_tile.core.symbol.segments`, the
codewords and the matrix come from segno, the mask from
`nimble_tile.core.symbol.masks`.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from nimble_tile.core.errors import MessageError
from nimble_tile.core.language import counted, marked, tr
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.symbol import masks, tables
from nimble_tile.core.symbol.anatomy import Anatomy, anatomy
from nimble_tile.core.symbol.segments import (
    Charset,
    Segment,
    bits,
    capacity_bits,
    size_class,
    split,
)

_CHARSETS: dict[str, Charset | None] = {
    "auto": None,
    "latin-1": "iso-8859-1",
    "utf-8": "utf-8",
    "utf-8 unmarked": "utf-8 unmarked",
}

# Mode indicators (ISO/IEC 18004), which is how segno names modes of segments.
_SEGNO = {
    marked("numeric"): 1, marked("alphanumeric"): 2, marked("byte"): 4, marked("kanji"): 8,
}  # fmt: skip
_ENCODING = {"numeric": None, "alphanumeric": None, "kanji": "shift_jis"}


@dataclass(frozen=True, eq=False)
class Symbol:
    """An encoded message.

    Attributes
    ----------
    dark : ndarray of bool, n × n
        The modules, True = dark; read-only.
    version : str
        ``"1"`` to ``"40"``, ``"M1"`` to ``"M4"``.
    level : str
        ``"L"``, ``"M"``, ``"Q"``, ``"H"``; ``"-"`` for M1.
    mask : int
        Mask pattern, 0 to 7 (0 to 3 in Micro QR).
    text : str
        What it says.
    segments : tuple of Segment
        How the text is written.
    tail : (int, int) or None
        First bit and number of the digits at its end that say nothing and may
        be chosen freely.
    spent : ndarray of bool, n × n, or None
        Modules that are drawn against the message on purpose; error correction
        makes them good.
    """

    dark: np.ndarray
    version: str
    level: str
    mask: int
    text: str
    segments: tuple[Segment, ...] = field(default=())
    tail: tuple[int, int] | None = None
    spent: np.ndarray | None = None

    @property
    def side(self) -> int:
        """Modules a side."""
        return self.dark.shape[0]

    @property
    def micro(self) -> bool:
        """Whether it is a Micro QR code."""
        return tables.is_micro(self.version)

    @property
    def anatomy(self) -> Anatomy:
        """What each module is."""
        return anatomy(self.version, self.level)

    @property
    def mode(self) -> str:
        """Encoding modes in the order of their first use: ``"byte and numeric"``."""
        modes = [tr(mode) for mode in dict.fromkeys(segment.mode for segment in self.segments)]
        return tr(" and ").join([", ".join(modes[:-1]), modes[-1]] if len(modes) > 1 else modes)

    @cached_property
    def penalties(self) -> dict[int, int]:
        """The standard's penalty score of each mask; the lowest is the best."""
        return masks.best_mask(self.dark, self.version, self.level, self.mask)[1]

    def under(self, mask: int) -> np.ndarray:
        """The modules under another mask (bool n × n)."""
        return masks.remask(self.dark, self.version, self.level, self.mask, mask)


def encode(message: Message, code: Code) -> Symbol:
    """Encode the message with the rung's settings.

    Raises
    ------
    MessageError
        The message is empty or does not fit; the text names the nearest
        setting that works.
    """
    import segno

    if not message.text:
        raise MessageError(tr("There is no message yet."), tr("Write what the code should say."))
    charset = _charset(message, code)
    _check_micro(code)
    tailed = code.steer == "tail"
    if code.steer != "off":
        code = code.model_copy(
            update={"raise_level": False}
        )  # a raised level would use up the freedom
    text = _before_tail(message) if tailed else message.text
    found = fitting(text, code, charset)
    if found is None:
        raise _does_not_fit(message, code, charset)
    version, level, segments = found
    tail = None
    if tailed:
        segments, tail = _with_tail(segments, version, level)
        text += segments[-1].text
    mask = 0 if code.mask == "auto" else code.mask
    made = segno.make(
        [(s.text, _SEGNO[s.mode], _ENCODING.get(s.mode, s.charset)) for s in segments],
        error=None if level == "-" else level,
        version=version,
        mask=mask,
        eci=any(segment.marked for segment in segments),
        micro=tables.is_micro(version),
        boost_error=False,
    )
    dark = np.array([list(row) for row in made.matrix], bool)
    if code.mask == "auto":
        mask, scores = masks.best_mask(dark, version, level, 0)
        dark = masks.remask(dark, version, level, 0, mask)
    dark.setflags(write=False)
    symbol = Symbol(dark, version, level, mask, text, segments, tail)
    if code.mask == "auto":
        symbol.__dict__["penalties"] = scores
    return symbol


def _before_tail(message: Message) -> str:
    """The link up to and with the # before its tail."""
    if not message.text.lower().startswith(("http://", "https://")):
        raise MessageError(
            tr("Only a link can have a tail of digits."), tr("Steer by padding instead.")
        )
    if "#" in message.text:
        raise MessageError(
            tr("The link has a part after # already."), tr("Steer by padding instead.")
        )
    return message.text + "#"


def _with_tail(
    segments: tuple[Segment, ...], version: str, level: str
) -> tuple[tuple[Segment, ...], tuple[int, int]]:
    """The segments with as many digits as there is room for, and where they begin."""
    used = bits(segments, version)
    empty = Segment("numeric", "")
    head = bits((empty,), version)
    groups = (capacity_bits(version, level) - used - head) // 10
    if groups < 1 or tables.is_micro(version):
        raise MessageError(
            tr(
                "Version {version}-{level} has no room for a tail of digits.",
                version=version,
                level=level,
            ),
            tr("Choose a larger version or a lower level."),
        )
    digits = 3 * groups
    return (*segments, Segment("numeric", "0" * digits)), (used + head, digits)


def versions_for(code: Code) -> tuple[str, ...]:
    """Versions that the settings allow, from the smallest."""
    if code.version == "auto":
        return tables.QR_VERSIONS
    if code.version == "micro":
        return tables.MICRO_VERSIONS[1:]  # M1 corrects nothing: only when asked for by name
    return (code.version,)


def _levels(version: str, code: Code) -> Iterator[str]:
    """Levels to try for a version: the highest that the settings allow first."""
    offered = tables.levels_of(version)
    if offered == ("-",):
        yield "-"
    elif code.level in offered:
        start = offered.index(code.level)
        if code.raise_level:
            yield from reversed(offered[start:])
        else:
            yield code.level


def fitting(
    text: str, code: Code, charset: Charset | None = None
) -> tuple[str, str, tuple[Segment, ...]] | None:
    """Smallest version that holds a text, its level, and how the text is written.

    Parameters
    ----------
    text : str
    code : Code
        Level, whether it may be raised, and version or automatic.
    charset : str, optional
        As in `segments.split`.

    Returns
    -------
    (str, str, tuple of Segment) or None
        None: it fits none of them.
    """
    divided: dict[int, tuple[tuple[Segment, ...], int]] = {}
    for version in versions_for(code):
        cls = size_class(version)
        if cls not in divided:
            segments = split(text, version, charset)
            divided[cls] = (segments, bits(segments, version))
        segments, length = divided[cls]
        if not segments:
            continue
        for level in _levels(version, code):
            if length <= capacity_bits(version, level):
                return version, level, segments
    return None


def _charset(message: Message, code: Code) -> Charset | None:
    charset = _CHARSETS[code.charset]
    if charset == "iso-8859-1":
        wrong = next((c for c in message.text if ord(c) > 0xFF), None)
        if wrong is not None:
            raise MessageError(
                tr("Latin-1 has no “{wrong}”.", wrong=wrong),
                tr("Choose the character set UTF-8 or automatic."),
            )
    return charset


def _check_micro(code: Code) -> None:
    if code.version != "micro" and not tables.is_micro(code.version):
        return
    if code.version == "micro":
        if code.level == "H":
            raise MessageError(
                tr("Micro QR has no level H."), tr("Choose level Q, or another version.")
            )
    else:
        offered = tables.levels_of(code.version)
        if offered != ("-",) and code.level not in offered:
            raise MessageError(
                tr(
                    "Version {version} has no level {level}.",
                    version=code.version,
                    level=code.level,
                ),
                tr("Choose level {offered}.", offered=tr(" or ").join(offered)),
            )
    if code.mask != "auto" and code.mask > 3:
        raise MessageError(
            tr("Micro QR codes have four masks, 0 to 3."), tr("Choose one of these or automatic.")
        )


def _does_not_fit(message: Message, code: Code, charset: Charset | None) -> MessageError:
    """Find the nearest setting that works, for the error's second sentence."""

    def fits(**changes: object) -> str | None:
        found = fitting(message.text, code.model_copy(update=changes), charset)
        return None if found is None else found[0]

    nearest = []
    if code.version != "auto":
        automatic = fits(version="auto")
        if automatic:
            nearest.append(tr("set the version to {automatic} or automatic", automatic=automatic))
    for level in reversed(tables.LEVELS[: tables.LEVELS.index(code.level)]):
        if fits(level=level):
            nearest.append(tr("choose level {level}", level=level))
            break
    nearest.append(_shorten(message.text, code, charset))
    way_out = tr(" or ").join(nearest)
    if len(nearest) > 2:
        way_out = ", ".join(nearest[:-1]) + tr(", or ") + nearest[-1]
    if code.version == "auto":
        what = tr("The message is too long for any QR code at level {level}.", level=code.level)
    elif code.version == "M1":
        what = tr("The message does not fit version M1, which holds up to five digits.")
    elif code.version == "micro":
        what = tr("The message does not fit any Micro QR code at level {level}.", level=code.level)
    else:
        what = tr(
            "The message does not fit version {version} at level {level}.",
            version=code.version,
            level=code.level,
        )
    return MessageError(what, way_out[0].upper() + way_out[1:] + ".")


def _shorten(text: str, code: Code, charset: Charset | None) -> str:
    """How much of the text must go, found by bisection."""
    low, high = 0, len(text)  # the first `low` characters fit, the first `high` do not
    plain = code.model_copy(update={"raise_level": False})
    while high - low > 1:
        middle = (low + high) // 2
        if fitting(text[:middle], plain, charset):
            low = middle
        else:
            high = middle
    if low == 0:
        return tr("shorten the message")
    count = len(text) - low
    return counted(
        "shorten the message by about {count} character",
        "shorten the message by about {count} characters",
        count,
    )
