"""PNG, JPEG, WebP and TIFF with resolution and colour tag.

References
----------
PNG Specification, third edition: ``sRGB`` and ``pHYs`` chunks. JPEG, WebP and TIFF carry
profiles by the ICC's embedding. TIFF 6.0 (Adobe, 1992): LZW, CMYK. Exif 2.32: resolution.
"""

from __future__ import annotations

import io
import struct
import zlib
from functools import lru_cache
from typing import TYPE_CHECKING, BinaryIO

import numpy as np

from nimble_tile.core.errors import OutputError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Finish

if TYPE_CHECKING:
    from PIL import Image

COMPRESSION = 3
"""Of PNG, 0 to 9: a quarter of the time that 6 takes, for a tenth more bytes."""

DRAWN_COMPRESSION = 2
"""Of PNG with areas of one colour, 0 to 9."""

SIGNATURE = b"\x89PNG\r\n\x1a\n"

PERCEPTUAL = b"\0"
"""Rendering intent in an sRGB chunk."""

LARGEST_WEBP = 16_383
"""Pixels a side that the format has room for."""

CHROMA = {"full": 0, "half": 1, "quarter": 2}
"""Colour resolution of JPEG, by Pillow's numbers."""

PROGRAM = "Nimble Tile"


def save_png(
    image: np.ndarray, file: BinaryIO, finish: Finish, about: str = "", drawn: bool = False
) -> None:  # fmt: skip
    """Write an image as PNG.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 or H × W × 4 (straight alpha), sRGB; or of bool, H × W
        Of bool: one bit a pixel, True = white.
    file : binary file
    finish : Finish
    about : str
        What is said of the image inside the file; empty: nothing.
    drawn : bool
        It has areas of one colour.
    """
    if drawn and image.dtype != bool:
        file.write(_drawn_png(image, finish, about))
        return
    from PIL import PngImagePlugin

    tags = PngImagePlugin.PngInfo()
    if image.dtype != bool:
        tags.add(b"sRGB", PERCEPTUAL)
    if about:
        tags.add_itxt("Title", about)
        tags.add_itxt("Software", PROGRAM)
    dpi = (finish.dpi, finish.dpi)
    _pil(image).save(file, "PNG", dpi=dpi, pnginfo=tags, compress_level=COMPRESSION)


def _drawn_png(image: np.ndarray, finish: Finish, about: str) -> bytes:
    """A PNG of areas of one colour, colours 8 bits deep.

    Without a filter for each line, and with zlib-ng: as small as Pillow's and five times
    as fast, which counts where there are thousands.
    """
    import imagecodecs

    height, width, channels = image.shape
    lines = np.zeros((height, 1 + channels * width), np.uint8)  # each begins with its filter
    lines[:, 1:] = image.reshape(height, -1)
    deflated = imagecodecs.zlibng_encode(lines, DRAWN_COMPRESSION)
    metre = round(finish.dpi / 0.0254)
    chunks = [
        (b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2 if channels == 3 else 6, 0, 0, 0)),
        (b"sRGB", PERCEPTUAL),
        (b"pHYs", struct.pack(">IIB", metre, metre, 1)),
    ]
    for key, text in (("Title", about), ("Software", PROGRAM)) if about else ():
        chunks.append((b"iTXt", key.encode() + b"\0\0\0\0\0" + text.encode()))
    chunks += [(b"IDAT", deflated), (b"IEND", b"")]
    return SIGNATURE + b"".join(
        struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
        for kind, body in chunks
    )


def save_jpeg(image: np.ndarray, file: BinaryIO, finish: Finish, about: str = "") -> None:
    """Write an image (uint8 H × W × 3 sRGB) as JPEG."""
    more = {"exif": _exif(None, about)} if about else {}
    dpi = (finish.dpi, finish.dpi)
    _pil(image).save(
        file, "JPEG", quality=finish.quality, subsampling=CHROMA[finish.chroma], dpi=dpi,
        icc_profile=srgb_profile(), **more,
    )  # fmt: skip


def save_webp(image: np.ndarray, file: BinaryIO, finish: Finish, about: str = "") -> None:
    """Write an image (uint8 H × W × 3 or 4, sRGB) as WebP; `OutputError` where it is too large."""
    longer = max(image.shape[:2])
    if longer > LARGEST_WEBP:
        raise OutputError(
            tr(
                "WebP holds {largest_webp} pixels a side at most, and this has {longer}.",
                largest_webp=LARGEST_WEBP,
                longer=longer,
            ),
            tr("Choose a smaller size or another format."),
        )
    _pil(image).save(
        file, "WEBP", quality=finish.quality, lossless=finish.lossless, method=4,
        icc_profile=srgb_profile(), exif=_exif(finish, about),
    )  # fmt: skip


def save_tiff(
    image: np.ndarray, file: BinaryIO, finish: Finish, about: str = "",
    profile: bytes | None = None,
) -> None:  # fmt: skip
    """Write an image as TIFF, LZW-compressed.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 or 4 (sRGB, straight alpha); or of bool, H × W
        With `profile` the four channels are inks, 255 = full. Of bool: True = white.
    file : binary file
    finish : Finish
        `Finish.depth`; where it is 16, 8 bits are spread over the whole range.
    about : str
    profile : bytes, optional
        ICC profile of the inks.
    """
    import tifffile

    inks = profile is not None
    known: dict = {"photometric": "rgb", "iccprofile": srgb_profile()}
    if image.dtype == bool:
        known = {"photometric": "minisblack"}
    elif inks:
        known = {"photometric": "separated", "iccprofile": profile}
    elif image.shape[2] == 4:
        known["extrasamples"] = ["unassalpha"]
    if image.dtype != bool:
        known["predictor"] = True
        if finish.depth == 16:
            image = image.astype(np.uint16) * 257
    whole = io.BytesIO()  # tifffile wants files that have a name, or none at all
    tifffile.imwrite(
        whole, np.ascontiguousarray(image), compression="lzw", resolution=(finish.dpi, finish.dpi),
        resolutionunit="INCH", metadata=None, description=about.encode() or None,
        software=PROGRAM if about else False, rowsperstrip=64, **known,
    )  # fmt: skip
    file.write(whole.getbuffer())


@lru_cache(1)
def srgb_profile() -> bytes:
    """The ICC profile of sRGB."""
    from PIL import ImageCms

    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def _pil(image: np.ndarray) -> Image.Image:
    from PIL import Image

    return Image.fromarray(image)


def _exif(finish: Finish | None, about: str) -> bytes:
    """Exif data with a resolution, and what is said of the image."""
    from PIL import Image

    exif = Image.Exif()
    if finish is not None:
        exif[0x011A] = exif[0x011B] = float(finish.dpi)
        exif[0x0128] = 2  # inches
    if about:
        exif[0x010E] = about.encode("ascii", "backslashreplace").decode()  # the tag is ASCII
        exif[0x0131] = PROGRAM
    return exif.tobytes()


def encoded(image: np.ndarray, finish: Finish) -> bytes:
    """An image as it would lie in a file of the finish's format (a raster one)."""
    file = io.BytesIO()
    {"png": save_png, "jpeg": save_jpeg, "webp": save_webp, "tiff": save_tiff}[finish.format](
        image, file, finish
    )
    return file.getvalue()
