"""PNG and JPEG with resolution and colour tag, read back after writing.

References
----------
PNG Specification, third edition: ``sRGB`` and ``pHYs`` chunks. JPEG carries
the sRGB profile by the ICC's embedding.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from nimble_tile.core.errors import OutputError, PictureError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.picture.opening import open_picture, read_file
from nimble_tile.core.piece import MAX_SIDE, Finish
from nimble_tile.core.render import Rendering
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.verdict import SMALLER_LOOKS, Verdict, judge

SUFFIX = {"png": ".png", "jpeg": ".jpg"}
"""Usual file name ending of each format."""

_FORMAT_OF = {".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg"}


@dataclass(frozen=True, eq=False)
class Proof:
    """What was found in the file that was written.

    Attributes
    ----------
    path : Path
    size : (int, int)
        Width and height in pixels.
    bytes : int
        Size of the file.
    verdict : Verdict
        From the file as it was read back from disk.
    """

    path: Path
    size: tuple[int, int]
    bytes: int
    verdict: Verdict


def format_of(path: Path) -> str:
    """Format that a file name asks for: ``"png"`` or ``"jpeg"``.

    Raises
    ------
    OutputError
        The name ends in something else.
    """
    try:
        return _FORMAT_OF[Path(path).suffix.lower()]
    except KeyError:
        raise OutputError(
            f"“{Path(path).name}” does not end in .png, .jpg or .jpeg.",
            "Give the file one of these endings.",
        ) from None


def write(image: np.ndarray, path: Path, finish: Finish) -> None:
    """Write an image in the format that the file name asks for.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    path : Path
    finish : Finish
        Resolution and quality.

    Raises
    ------
    OutputError
        The name is of no known format, or the file cannot be written; what
        was there before is untouched.
    """
    from PIL import Image, ImageCms, PngImagePlugin

    kind = format_of(path)
    picture = Image.fromarray(image)

    def save(file: BinaryIO) -> None:
        dpi = (finish.dpi, finish.dpi)
        if kind == "png":
            tags = PngImagePlugin.PngInfo()
            tags.add(b"sRGB", b"\x00")  # perceptual intent
            picture.save(file, "PNG", dpi=dpi, pnginfo=tags, compress_level=6)
        else:
            profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
            # Full colour resolution: halved chroma smears module edges.
            picture.save(
                file, "JPEG", quality=finish.quality, subsampling=0, dpi=dpi, icc_profile=profile
            )

    write_atomically(Path(path), save, OutputError, "write")


def prove(path: Path, rendering: Rendering, bay: ReaderBay) -> Proof:
    """Read a written file back from disk and let all readers look at it.

    Raises
    ------
    OutputError
        The file cannot be read back as it was written.
    """
    try:
        data = read_file(path)
        opened = open_picture(data, path.name, MAX_SIDE * MAX_SIDE)
    except PictureError as error:
        raise OutputError(f"What was written cannot be read back: {error.what}") from error
    if opened.size != rendering.size:
        raise OutputError(
            f"{path.name} came back with {opened.size[0]} × {opened.size[1]} pixels.",
            "Export it again.",
        )
    verdict = judge(
        opened.rgb,
        bay,
        expected=rendering.symbol.text,
        symbol=rendering.symbol,
        box=rendering.box,
        quiet_zone=rendering.quiet_zone,
        looks=SMALLER_LOOKS,
    )
    return Proof(Path(path), opened.size, len(data), verdict)


def export(rendering: Rendering, path: Path, finish: Finish, bay: ReaderBay) -> Proof:
    """Write a rendering and prove the file; see `write` and `prove`."""
    write(rendering.image, path, finish)
    return prove(Path(path), rendering, bay)
