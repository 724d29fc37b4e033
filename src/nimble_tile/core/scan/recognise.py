"""From a reading back to the symbol that was read, set upright.

A reader tells text, version, level, mask and corners. Encoding the text again
with these settings gives the truth to compare the image with, so that images
from anywhere get a spare of our own and an answer module by module.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.errors import UserError
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.scan.readers import Reading
from nimble_tile.core.scan.sampling import Sample, sample
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol, encode

PIXELS = 8
"""Pixels a module in the upright square."""

AROUND = 9
"""Modules of surroundings taken along: a quiet zone and what the threshold needs."""

MISFIT = 0.15
"""Share of wrong modules from which it was not this symbol after all: another
encoder may split the same text into other segments. A symbol that was read has
fewer, or it could not have been corrected."""


@dataclass(frozen=True, eq=False)
class Recognised:
    """A symbol found again, and how its modules look on the image."""

    symbol: Symbol
    sample: Sample


def recognise(grey: np.ndarray, reading: Reading, quiet_zone: int = 4) -> Recognised | None:
    """Find the symbol of a reading again.

    Parameters
    ----------
    grey : ndarray of uint8, H × W
    reading : Reading
        With corners in pixels of `grey`.
    quiet_zone : int
        Modules of quiet zone to look at.

    Returns
    -------
    Recognised or None
        None when the reading tells too little, or when the text encoded again
        is not what stands on the image.
    """
    import cv2

    if reading.version is None or reading.mask is None or len(reading.corners) != 4:
        return None
    try:
        level = {"level": reading.level} if reading.level in ("L", "M", "Q", "H") else {}
        code = Code(version=reading.version, mask=reading.mask, quiet_zone=0, **level)
        symbol = encode(Message(kind="text", text=reading.text), code)
    except (UserError, ValueError):
        return None
    side = (symbol.side + 2 * AROUND) * PIXELS
    low, high = AROUND * PIXELS, side - AROUND * PIXELS
    upright = np.float32([[low, low], [high, low], [high, high], [low, high]])
    matrix = cv2.getPerspectiveTransform(np.float32(reading.corners), upright)
    square = cv2.warpPerspective(
        grey, matrix, (side, side), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    quiet = min(quiet_zone, tables.QUIET_ZONE_MICRO if symbol.micro else AROUND)
    outer = (AROUND - quiet) * PIXELS
    box = Box(outer, outer, side - 2 * outer, side - 2 * outer)
    looked = sample(square, box, symbol, quiet)
    return Recognised(symbol, looked) if looked.wrong.mean() < MISFIT else None
