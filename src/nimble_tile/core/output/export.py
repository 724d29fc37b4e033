"""Writing the finished piece, and reading every file back after writing it."""

from __future__ import annotations

import io
import re
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from nimble_tile.core.errors import OutputError, PictureError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.output.raster import save_jpeg, save_png
from nimble_tile.core.picture.drawings import PDFIUM
from nimble_tile.core.picture.opening import open_picture, read_file
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.piece import MAX_SIDE, Finish
from nimble_tile.core.render import Rendering
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.judging import SMALLER_LOOKS, Given, judge, rendering_looks
from nimble_tile.core.scan.verdict import Verdict

SUFFIX = {"png": ".png", "jpeg": ".jpg", "svg": ".svg", "pdf": ".pdf"}
"""Usual file name ending of each format."""

VECTOR = ("svg", "pdf")
"""Formats that are rendered again before the readers see them."""

LARGEST_AGAIN = 3000
"""Longer side, in pixels, at which a vector file is rendered again at most."""

_FORMAT_OF = {".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".svg": "svg", ".pdf": "pdf"}


@dataclass(frozen=True, eq=False)
class Proof:
    """What was found in the file that was written.

    Attributes
    ----------
    path : Path
    size : (int, int)
        Width and height in pixels; of vector files those at `Finish.dpi`.
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
    """Format that a file name asks for: a key of `SUFFIX`.

    Raises
    ------
    OutputError
        The name ends in something else.
    """
    try:
        return _FORMAT_OF[Path(path).suffix.lower()]
    except KeyError:
        raise OutputError(
            f"“{Path(path).name}” does not end in .png, .jpg, .svg or .pdf.",
            "Give the file one of these endings.",
        ) from None


def write(rendering: Rendering, path: Path, finish: Finish) -> None:
    """Write a rendering in the format that the file name asks for.

    Parameters
    ----------
    rendering : Rendering
    path : Path
    finish : Finish
        Resolution and quality.

    Raises
    ------
    OutputError
        The name is of no known format, or the file cannot be written; what
        was there before is untouched.
    """
    kind = format_of(path)

    def save(file: BinaryIO) -> None:
        from nimble_tile.core.output import vector

        if kind == "png":
            save_png(rendering.image if rendering.rgba is None else rendering.rgba, file, finish)
        elif kind == "jpeg":
            save_jpeg(rendering.image, file, finish)
        elif kind == "svg":
            file.write(vector.svg(rendering, finish))
        else:
            file.write(vector.pdf(rendering, finish))

    write_atomically(Path(path), save, OutputError, "write")


def rendered_again(data: bytes, kind: str, side: int) -> np.ndarray:
    """A vector file on pixels, by a renderer that had no part in writing it.

    Parameters
    ----------
    data : bytes
    kind : {"svg", "pdf"}
    side : int
        Longer side of the result in pixels.

    Returns
    -------
    ndarray of uint8, H × W × 3 sRGB
        Transparent parts on white.

    Raises
    ------
    OutputError
        It cannot be rendered.
    """
    try:
        if kind == "svg":
            return _svg_pixels(data, side)
        return _pdf_pixels(data, side)
    except (ValueError, RuntimeError, OSError) as error:
        raise OutputError("The file cannot be rendered again.", "Export it again.") from error


def _svg_pixels(data: bytes, side: int) -> np.ndarray:
    import resvg_py
    from PIL import Image

    text = data.decode("utf-8")

    def drawn(width: int) -> Image.Image:
        png = resvg_py.svg_to_bytes(
            svg_string=text, width=width, background="#ffffff", skip_system_fonts=True, dpi=96
        )
        return Image.open(io.BytesIO(png)).convert("RGB")

    # Only a width can be asked for; the view box tells the proportions, or else a rendering.
    known = re.search(r'viewBox="([^"]*)"', text[:2000])
    numbers = known.group(1).split() if known else []
    width, height = map(float, numbers[2:]) if len(numbers) == 4 else drawn(512).size
    return np.array(drawn(side if width >= height else round(side * width / height)))


def _pdf_pixels(data: bytes, side: int) -> np.ndarray:
    import pypdfium2

    with PDFIUM:
        document = pypdfium2.PdfDocument(data)
        try:
            page = document[0]
            # pdfium rounds up to whole pixels, and sizes come back a millionth too large.
            bitmap = page.render(scale=(side - 0.01) / max(page.get_size()))
            return np.array(bitmap.to_pil().convert("RGB"))
        finally:
            document.close()


def prove(path: Path, rendering: Rendering, bay: ReaderBay) -> Proof:
    """Read a written file back from disk and let all readers look at it.

    Raises
    ------
    OutputError
        The file cannot be read back as it was written.
    """
    kind = format_of(path)
    box, quad = rendering.box, rendering.quad
    try:
        data = read_file(path)
        if kind in VECTOR:
            longer = max(rendering.size)
            image = rendered_again(data, kind, min(longer, LARGEST_AGAIN))
            scale = image.shape[1] / rendering.size[0]
            box, quad = _scaled(box, scale), None if quad is None else quad * scale
        else:
            opened = open_picture.here(data, path.name, MAX_SIDE * MAX_SIDE)
            if opened.size != rendering.size:
                raise OutputError(
                    f"{path.name} came back with {opened.size[0]} × {opened.size[1]} pixels.",
                    "Export it again.",
                )
            image = opened.over("#ffffff")
    except PictureError as error:
        raise OutputError(f"What was written cannot be read back: {error.what}") from error
    symbol = rendering.symbol
    given = Given(symbol.text, symbol, box, quad, rendering.quiet_zone, rendering.blended)
    # As on the bench, and some smaller ones for what is larger.
    smaller = sorted({*SMALLER_LOOKS, *rendering_looks(rendering)}, reverse=True)
    verdict = judge(image, bay, given, smaller)
    return Proof(Path(path), rendering.size, len(data), verdict)


def _scaled(box: Box, scale: float) -> Box:
    return Box(*(round(value * scale) for value in (box.x, box.y, box.width, box.height)))


def export(rendering: Rendering, path: Path, finish: Finish, bay: ReaderBay) -> Proof:
    """Write a rendering and prove the file; see `write` and `prove`."""
    write(rendering, path, finish)
    return prove(Path(path), rendering, bay)
