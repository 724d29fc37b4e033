"""zbar, a reader that the program does not have: an outside judge for tests and tools."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.scan.readers import to_grey


def zbar_texts(image: np.ndarray) -> list[str]:
    """What zbar reads in an image (uint8, H × W or H × W × 3)."""
    from pyzbar.pyzbar import ZBarSymbol, decode

    found = decode(to_grey(image), symbols=[ZBarSymbol.QRCODE])
    return [code.data.decode("utf-8", "replace") for code in found]


def zbar_reads(image: np.ndarray, text: str) -> bool:
    """Whether zbar reads this text."""
    return text in zbar_texts(image)
