"""From the message to the symbol, through segno."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.errors import MessageError
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import Anatomy, anatomy


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
    mode : str
        Encoding mode: ``"numeric"``, ``"alphanumeric"``, ``"byte"`` or a mix.
    text : str
        What it says.
    """

    dark: np.ndarray
    version: str
    level: str
    mask: int
    mode: str
    text: str

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


def encode(message: Message, code: Code) -> Symbol:
    """Encode the message with the rung's settings.

    ASCII goes into the shortest mode; anything else is written as UTF-8 in
    byte mode without a character set mark, which is what all readers that we
    use agree on.

    Raises
    ------
    MessageError
        The message is empty or does not fit; the text names the nearest
        setting that works.
    """
    import segno

    if not message.text:
        raise MessageError("There is no message yet.", "Write what the code should say.")
    micro = tables.is_micro(code.version) if code.version != "auto" else False
    level = code.level
    if micro:
        offered = tables.levels_of(code.version)
        if offered == ("-",):
            level = None
        elif level not in offered:
            raise MessageError(
                f"Version {code.version} has no level {level}.",
                f"Choose level {' or '.join(offered)}.",
            )
        if code.mask != "auto" and code.mask > 3:
            raise MessageError(
                "Micro QR codes have four masks, 0 to 3.", "Choose one of these or automatic."
            )
    try:
        made = segno.make(
            message.text,
            error=level,
            version=None if code.version == "auto" else code.version,
            mask=None if code.mask == "auto" else code.mask,
            encoding=None if message.text.isascii() else "utf-8",
            micro=micro,
            boost_error=False,
        )
    except (segno.DataOverflowError, ValueError) as error:
        raise _does_not_fit(message, code) from error
    dark = np.array([list(row) for row in made.matrix], bool)
    dark.setflags(write=False)
    return Symbol(
        dark=dark,
        version=str(made.version),
        level="-" if made.error is None else made.error,
        mask=made.mask,
        mode=made.mode or "mixed",
        text=message.text,
    )


def _does_not_fit(message: Message, code: Code) -> MessageError:
    """Find the nearest setting that works, for the error's second sentence."""
    nearest = []
    if code.version != "auto":
        automatic = _fitting_version(message, code.level)
        if automatic:
            nearest.append(f"set the version to {automatic} or automatic")
    for level in reversed(tables.LEVELS[: tables.LEVELS.index(code.level)]):
        trial = code.model_copy(update={"level": level})
        if _fits(message, trial):
            nearest.append(f"choose level {level}")
            break
    nearest.append("shorten the message")
    way_out = " or ".join(nearest)
    if len(nearest) > 2:
        way_out = ", ".join(nearest[:-1]) + ", or " + nearest[-1]
    if code.version == "auto":
        what = f"The message is too long for any QR code at level {code.level}."
    elif code.version == "M1":
        what = "The message does not fit version M1, which holds up to five digits."
    else:
        what = f"The message does not fit version {code.version} at level {code.level}."
    return MessageError(what, way_out[0].upper() + way_out[1:] + ".")


def _fits(message: Message, code: Code) -> bool:
    return _made(message, code.level, None if code.version == "auto" else code.version) is not None


def _fitting_version(message: Message, level: str) -> str | None:
    made = _made(message, level, None)
    return None if made is None else str(made.version)


def _made(message: Message, level: str, version: str | None):
    import segno

    try:
        return segno.make(
            message.text,
            error=None if version == "M1" else level,
            version=version,
            mask=0,
            encoding=None if message.text.isascii() else "utf-8",
            micro=version is not None and tables.is_micro(version),
            boost_error=False,
        )
    except (segno.DataOverflowError, ValueError):
        return None
