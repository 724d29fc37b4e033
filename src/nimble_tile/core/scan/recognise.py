"""From a reading back to the symbol that was read, set upright.

A reader tells text, version, level, mask and corners. Encoding the text again
with these settings gives the truth to compare the image with, so that images
from anywhere get a spare of our own and an answer module by module.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.errors import UserError
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.scan.framed import seen_at
from nimble_tile.core.scan.locate import refined_corners
from nimble_tile.core.scan.readers import Reading
from nimble_tile.core.scan.sampling import THRESHOLD_WINDOW, Sample, sample
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import anatomy
from nimble_tile.core.symbol.assemble import assemble, mask_pattern
from nimble_tile.core.symbol.encode import Symbol, encode

PIXELS = 8
"""Pixels a module in the upright square."""

MODULES_AROUND = 9
"""Modules of surroundings taken along: a quiet zone and what the threshold needs."""

AFAR = 4.0
"""Pixels a module from afar."""

MISFIT = 0.15
"""Share of wrong modules from which it was not this symbol after all: another
encoder may split the same text into other segments. A symbol that was read has
fewer, or it could not have been corrected."""


CHARSETS_TRIED = ("auto", "utf-8 unmarked", "utf-8", "latin-1")
"""Character sets that are tried before the modules themselves are read."""


@dataclass(frozen=True, eq=False)
class Recognised:
    """A symbol found again, and how its modules look on the image.

    Attributes
    ----------
    symbol : Symbol
    sample : Sample
    quad : ndarray of float64, 4 × 2
        Its corners on the image without quiet zone, finer than a pixel.
    """

    symbol: Symbol
    sample: Sample
    quad: np.ndarray


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
        None when the reading tells too little, or when neither the text
        encoded again nor the modules themselves agree with the image.
    """
    if reading.version is None or reading.mask is None or len(reading.corners) != 4:
        return None
    found = _recognised(grey, reading, quiet_zone)
    if found is None or found.sample.spare <= 0:
        return _from_afar(grey, reading, quiet_zone) or found
    return found


def _from_afar(grey: np.ndarray, reading: Reading, quiet_zone: int) -> Recognised | None:
    """As the reader saw it, where fine detail hides the modules from nearby."""
    side = tables.side(reading.version)
    quad = np.array(reading.corners, float)
    module = float(np.hypot(*(np.roll(quad, -1, axis=0) - quad).T).mean()) / side
    if module <= 2 * AFAR:
        return None
    view, scale = seen_at(grey, round(max(grey.shape) * AFAR / module))
    smaller = replace(reading, corners=tuple((x * scale, y * scale) for x, y in reading.corners))
    found = _recognised(view, smaller, quiet_zone)
    return None if found is None else replace(found, quad=found.quad / scale)


def _recognised(grey: np.ndarray, reading: Reading, quiet_zone: int) -> Recognised | None:
    quad = np.array(reading.corners, float)
    doubtful = None
    for charset in CHARSETS_TRIED:
        symbol = _encoded(reading, charset)
        if symbol is None:
            continue
        found = _looked(grey, quad, symbol, quiet_zone)
        if found.sample.wrong.mean() < MISFIT:
            if found.sample.spare > 0:
                return found
            # No reader corrects this much, so padding or segments must differ.
            doubtful = doubtful or found
    if (symbol := _recovered(grey, quad, reading)) is not None:
        found = _looked(grey, quad, symbol, quiet_zone)
        fits = MISFIT if doubtful is None else doubtful.sample.wrong.mean()
        if found.sample.wrong.mean() < fits:
            return found
    return doubtful


def _encoded(reading: Reading, charset: str) -> Symbol | None:
    """The text encoded again as the reading says."""
    try:
        level = {"level": reading.level} if reading.level in ("L", "M", "Q", "H") else {}
        code = Code(
            version=reading.version, mask=reading.mask, quiet_zone=0, charset=charset,
            raise_level=False, **level,
        )  # fmt: skip
        return encode(Message(kind="text", text=reading.text), code)
    except (UserError, ValueError):
        return None


def _looked(grey: np.ndarray, quad: np.ndarray, symbol: Symbol, quiet_zone: int) -> Recognised:
    quad = refined_corners(grey, quad, symbol.dark)
    view = _square(grey, quad, symbol.side)
    standard = tables.QUIET_ZONE_MICRO if symbol.micro else MODULES_AROUND
    quiet = min(quiet_zone, standard)
    outer = (MODULES_AROUND - quiet) * PIXELS
    extent = view.shape[0] - 2 * outer
    looked = sample(view, Box(outer, outer, extent, extent), symbol, quiet)
    return Recognised(symbol, looked, quad)


def _square(grey: np.ndarray, quad: np.ndarray, modules: int) -> np.ndarray:
    """The symbol upright at `PIXELS` a module with `MODULES_AROUND` modules of surroundings."""
    import cv2

    side = (modules + 2 * MODULES_AROUND) * PIXELS
    low, high = MODULES_AROUND * PIXELS, side - MODULES_AROUND * PIXELS
    square = np.float32([[low, low], [high, low], [high, high], [low, high]])
    matrix = cv2.getPerspectiveTransform(np.float32(quad), square)
    return cv2.warpPerspective(
        grey, matrix, (side, side), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )


def _recovered(grey: np.ndarray, quad: np.ndarray, reading: Reading) -> Symbol | None:
    """The symbol from its modules on the image, corrected block by block.

    Another program may have divided the text into segments, or filled the
    padding, as ours never would; what stands on the image is the truth then.
    """
    import cv2
    from reedsolo import ReedSolomonError, RSCodec

    version, level = reading.version, reading.level or "-"
    if tables.is_micro(version) or level not in tables.LEVEL_BITS:
        return None
    plan = anatomy(version, level)
    side = plan.side
    view = _square(grey, quad, side).astype(np.float32)
    threshold = cv2.blur(
        view, (THRESHOLD_WINDOW * PIXELS + 1,) * 2, borderType=cv2.BORDER_REPLICATE
    )
    own = slice(MODULES_AROUND * PIXELS, (MODULES_AROUND + side) * PIXELS)

    def cells(plane: np.ndarray) -> np.ndarray:
        modules = plane[own, own].reshape(side, PIXELS, side, PIXELS)
        middle = slice(PIXELS // 2 - 1, PIXELS // 2 + 1)
        return modules[:, middle, :, middle].mean((1, 3))

    dark = cells(view) < cells(threshold)
    plain = dark ^ mask_pattern(reading.mask, side)
    carries = plan.codeword >= 0
    words = np.zeros(int(plan.codeword.max()) + 1, np.int64)
    np.add.at(words, plan.codeword[carries], plain[carries].astype(np.int64) << plan.bit[carries])
    for block in plan.blocks:
        codec = RSCodec(len(block.correction), fcr=0, prim=0x11D, c_exp=8)
        try:
            _, whole, _ = codec.decode(bytearray(words[list(block.codewords)].tolist()))
        except ReedSolomonError:
            return None
        words[list(block.codewords)] = list(whole)
    made = assemble(version, level, reading.mask, words.tolist())
    return Symbol(made, version, level, reading.mask, reading.text)
