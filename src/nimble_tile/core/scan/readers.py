"""Four independent decoders behind one interface.

Each reader takes a uint8 image, H × W grey or H × W × 3 sRGB, and returns
what it found. It never changes its input. Readers may raise; who calls them
counts that as "did not read" (see `nimble_tile.core.scan.bay`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    import numpy as np


READER_NAMES = ("zxing-cpp", "OpenCV", "quirc", "qrdec")
"""Names of the readers, in the order in which they are shown."""

LIBRARIES = {
    "zxing-cpp": "zxing-cpp", "OpenCV": "opencv-python-headless", "quirc": "deqr", "qrdec": "deqr",
}  # fmt: skip
"""The package that each reader comes with."""

READS_MICRO = ("zxing-cpp",)
"""Readers that know Micro QR at all."""


@dataclass(frozen=True)
class Reading:
    """One code that a reader found and decoded.

    Attributes
    ----------
    text : str
        What it says.
    corners : tuple of (float, float)
        Top left, top right, bottom right, bottom left of the symbol without
        its quiet zone, in pixels (x, y) of the image that was read.
    version, level : str or None
        ``"8"``, ``"M2"``; ``"L"`` … where the reader tells.
    mask : int or None
    spare : float or None
        The reader's own figure of unused error correction, 0 to 1.
    """

    text: str
    corners: tuple[tuple[float, float], ...] = ()
    version: str | None = None
    level: str | None = None
    mask: int | None = None
    spare: float | None = None


@cache
def versions() -> dict[str, str]:
    """The version of each reader, by its name: another one may read otherwise."""
    from importlib.metadata import PackageNotFoundError, version

    found = {}
    for name, package in LIBRARIES.items():
        try:
            found[name] = version(package)
        except PackageNotFoundError:  # a package of a distribution, under another name
            found[name] = "?"
    return found


class Reader(Protocol):
    """A decoder library."""

    name: str

    def read(self, image: np.ndarray) -> list[Reading]:
        """Every code in the image that decodes."""
        ...


def to_grey(image: np.ndarray) -> np.ndarray:
    """Luma of an sRGB image as readers compute it (ITU-R BT.601 weights).

    Parameters
    ----------
    image : ndarray of uint8, H × W or H × W × 3

    Returns
    -------
    ndarray of uint8, H × W, C-contiguous
    """
    import cv2
    import numpy as np

    if image.ndim == 3:
        image = cv2.cvtColor(image, cv2.COLOR_RGB2GRAY)
    return np.ascontiguousarray(image)


def decode_bytes(raw: bytes) -> str:
    """Text of a byte segment: UTF-8, else Shift JIS (Kanji mode), else Latin-1."""
    for charset in ("utf-8", "shift_jis", "latin-1"):
        try:
            return raw.decode(charset)
        except UnicodeDecodeError:
            continue
    raise AssertionError("Latin-1 decodes everything")


class ZxingReader:
    """zxing-cpp; also reads Micro QR and light-on-dark codes."""

    name = "zxing-cpp"

    def read(self, image: np.ndarray) -> list[Reading]:
        import zxingcpp

        formats = [zxingcpp.BarcodeFormat.QRCode, zxingcpp.BarcodeFormat.MicroQRCode]
        found = []
        for code in zxingcpp.read_barcodes(to_grey(image), formats=formats):
            place = code.position
            corners = (place.top_left, place.top_right, place.bottom_right, place.bottom_left)
            extra = code.extra
            version = str(extra.get("Version", "")) or None
            if version and "Micro" in str(code.format) and not version.startswith("M"):
                version = "M" + version
            found.append(
                Reading(
                    text=decode_bytes(bytes(code.bytes)),
                    corners=tuple((float(p.x), float(p.y)) for p in corners),
                    version=version,
                    level=code.ec_level or None,
                    mask=extra.get("DataMask"),
                    spare=extra.get("UEC"),
                )
            )
        return found


def _kanji_undone(text: str) -> str:
    """OpenCV hands Kanji over as if each byte were a Latin-1 letter: put that right.

    All bits were read, which is what counts here. No text that people write
    has the control characters 0x80 to 0x9F that give this away.
    """
    if any("\x80" <= c <= "\x9f" for c in text) and all(c <= "\xff" for c in text):
        try:
            return text.encode("iso-8859-1").decode("shift_jis")
        except UnicodeDecodeError:
            pass
    return text


class OpenCvReader:
    """The detector of OpenCV's objdetect module."""

    name = "OpenCV"

    def read(self, image: np.ndarray) -> list[Reading]:
        import cv2
        import numpy as np

        # Its detector starts from random numbers; a fixed seed gives the same answer each time.
        cv2.setRNGSeed(0)
        raw, corners, _ = cv2.QRCodeDetector().detectAndDecodeBytes(to_grey(image))
        if not raw:
            return []
        text = _kanji_undone(decode_bytes(bytes(raw)))
        points = np.asarray(corners, float).reshape(-1, 2)
        return [Reading(text, tuple((float(x), float(y)) for x, y in points))]


def _deqr_readings(decoder, image: np.ndarray) -> list[Reading]:
    """What both readers of deqr share."""
    found = []
    # deqr binarises in place, so it gets a copy. How it wants the image
    # inverted differs between its two decoders; their defaults are right.
    for code in decoder.decode(to_grey(image).copy(), convert_data=False):
        raw = b"".join(bytes(entry.data) for entry in code.data_entries)
        found.append(
            Reading(
                text=decode_bytes(raw),
                corners=tuple((float(x), float(y)) for x, y in code.corners),
                version=str(code.version),
                level=code.ecc_level.name,
                mask=code.mask,
            )
        )
    return found


class QuircReader:
    """quirc, as built into deqr."""

    name = "quirc"

    def read(self, image: np.ndarray) -> list[Reading]:
        import deqr

        return _deqr_readings(deqr.QuircDecoder(), image)


class QrdecReader:
    """qrdec, as built into deqr."""

    name = "qrdec"

    def read(self, image: np.ndarray) -> list[Reading]:
        import deqr

        return _deqr_readings(deqr.QRdecDecoder(), image)


READERS: dict[str, Callable[[], Reader]] = {
    reader.name: reader for reader in (ZxingReader, OpenCvReader, QuircReader, QrdecReader)
}
"""How to make each reader, by name."""
