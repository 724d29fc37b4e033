"""Writing the finished piece, and reading every file back after writing it."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import BinaryIO

import cv2
import numpy as np

from nimble_tile.core.additions import Captions, Layout, Surround
from nimble_tile.core.artwork import Picture
from nimble_tile.core.errors import OutputError, PictureError
from nimble_tile.core.files import Aside, write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.look import rgb
from nimble_tile.core.output.formats import INKS, LABELS, SUFFIX
from nimble_tile.core.output.layers import layers_of
from nimble_tile.core.output.openraster import save_openraster
from nimble_tile.core.output.page import POINTS, PagePlan, plan_page
from nimble_tile.core.output.raster import save_jpeg, save_png, save_tiff, save_webp
from nimble_tile.core.picture.drawings import PDFIUM
from nimble_tile.core.picture.opening import open_picture, read_file
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.piece import MAX_SIDE, Blend, Finish, Piece
from nimble_tile.core.render import Renderer, Rendering
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.judging import SMALLER_LOOKS, Given, judge, rendering_looks
from nimble_tile.core.scan.verdict import Verdict

VECTOR = ("svg", "pdf")
"""Formats that are rendered again before the readers see them."""

LARGEST_AGAIN = 3000
"""Longer side, in pixels, at which a vector file is rendered again at most."""

_FORMAT_OF = {suffix: kind for kind, suffix in SUFFIX.items()} | {
    ".jpeg": "jpeg", ".tiff": "tiff",
}  # fmt: skip


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

    @property
    def told(self) -> str:
        """That it was saved, and what the readers found, in a sentence each."""
        right, able = self.verdict.readers_right
        return tr(
            "Saved {name}. {words}: {right} of {able} readers read the file back from disk.",
            name=self.path.name, words=self.verdict.words, right=right, able=able,
        )  # fmt: skip


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
            tr(
                "“{name}” does not end in {suffix} or {suffix2}.",
                name=Path(path).name,
                suffix=", ".join(list(SUFFIX.values())[:-1]),
                suffix2=list(SUFFIX.values())[-1],
            ),
            tr("Give the file one of these endings."),
        ) from None


def possible(kind: str, finish: Finish) -> None:
    """Refuse what a format cannot hold; raises `OutputError`."""
    if finish.inks != "screen" and finish.inks not in INKS.get(kind, ()):
        told = tr("the four inks") if finish.inks == "cmyk" else tr("a single ink")
        able = tr(" or ").join(LABELS[own] for own, inks in INKS.items() if finish.inks in inks)
        raise OutputError(
            tr("{labels} does not know {told}.", labels=LABELS[kind], told=told),
            tr("Choose {able}.", able=able),
        )


def outgoing(piece: Piece) -> Piece:
    """What leaves the house: the piece, or its code alone where that is asked for."""
    if not piece.finish.alone:
        return piece
    clear = piece.look.model_copy(update={"ground": None})
    return piece.model_copy(
        update={
            "look": clear, "picture": Picture(), "blend": Blend(), "layout": Layout(),
            "caption": Captions(), "surround": Surround(),
            "code": piece.code.model_copy(update={"steer": "off"}),
        }
    )  # fmt: skip


def squared(rendering: Rendering, finish: Finish) -> Rendering:
    """The rendering on a square, where its finish asks for one."""
    width, height = rendering.size
    if not finish.square or width == height:
        return rendering
    longer = max(width, height)
    left, top = (longer - width) // 2, (longer - height) // 2
    sides = top, longer - height - top, left, longer - width - left
    colour = (255, 255, 255) if rendering.outer is None else rgb(rendering.outer)

    def wider(image: np.ndarray | None) -> np.ndarray | None:
        if image is None:
            return None
        if not rendering.blended:
            fill = (*colour, 0 if rendering.outer is None else 255)[: image.shape[2]]
            return cv2.copyMakeBorder(image, *sides, cv2.BORDER_CONSTANT, value=fill)
        return cv2.copyMakeBorder(image, *sides, cv2.BORDER_REFLECT)

    laid = rendering.laid
    if laid is not None and not rendering.blended:
        module = rendering.box.width / rendering.modules
        bounds = laid.extent
        more = (-sides[2], -sides[0], sides[3], sides[1])
        laid = replace(
            laid, extent=tuple(b + m / module for b, m in zip(bounds, more, strict=True))
        )
    box = rendering.box
    return replace(
        rendering, image=wider(rendering.image), picture=wider(rendering.picture),
        rgba=wider(rendering.rgba), bare=wider(rendering.bare), laid=laid,
        box=Box(box.x + left, box.y + top, box.width, box.height),
        quad=None if rendering.quad is None else rendering.quad + np.array([left, top]),
    )  # fmt: skip


def about(rendering: Rendering, finish: Finish) -> str:
    """What a file says of itself: nothing, unless it was asked for."""
    from nimble_tile.core.output.vector import printable

    return (
        printable(tr("QR code: {text}", text=rendering.symbol.text)[:300]) if finish.about else ""
    )


def saver(rendering: Rendering, kind: str, finish: Finish) -> Callable[[BinaryIO], None]:
    """What writes a rendering in a format into an open file; see `write` for errors."""
    possible(kind, finish)
    told = about(rendering, finish)

    def save(file: BinaryIO) -> None:
        from nimble_tile.core.output import inks, vector

        seen = rendering.image if rendering.rgba is None else rendering.rgba
        if kind in ("png", "tiff") and finish.inks == "single":
            seen = inks.single(rendering.image, not rendering.blended)
        if kind == "png":
            save_png(seen, file, finish, told, drawn=not rendering.blended)
        elif kind == "jpeg":
            save_jpeg(rendering.image, file, finish, told)
        elif kind == "webp":
            save_webp(seen, file, finish, told)
        elif kind == "tiff":
            profile = None
            if finish.inks == "cmyk":
                profile = inks.read_profile(inks.profile_of(finish))
                seen = inks.proofed(rendering.image, profile).inks
            save_tiff(seen, file, finish, told, profile)
        elif kind == "ora":
            save_openraster(layers_of(rendering), file, finish, told)
        elif kind == "svg":
            file.write(vector.svg(rendering, finish, told))
        else:
            file.write(vector.pdf(rendering, finish, told))

    return save


def write(rendering: Rendering, path: Path, finish: Finish) -> None:
    """Write a rendering in the format that the file name asks for.

    Parameters
    ----------
    rendering : Rendering
    path : Path
    finish : Finish

    Raises
    ------
    OutputError
        The name is of no known format, the format does not know what is asked for, or the file
        cannot be written; what was there before is untouched.
    """
    rendering = squared(rendering, finish)
    write_atomically(Path(path), saver(rendering, format_of(path), finish), OutputError, "write")


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
        raise OutputError(
            tr("The file cannot be rendered again."), tr("Export it again.")
        ) from error


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


def _pdf_pixels(
    data: bytes, side: int, plan: PagePlan | None = None, number: int = 0
) -> np.ndarray:
    """A page, or with its plan the first copy on it, `side` pixels on its longer side."""
    import pypdfium2

    with PDFIUM:
        document = pypdfium2.PdfDocument(data)
        try:
            page = document[number]
            # pdfium rounds up to whole pixels, and sizes come back a millionth too large.
            if plan is None:
                bitmap = page.render(scale=(side - 0.01) / max(page.get_size()))
                return np.array(bitmap.to_pil().convert("RGB"))
            # The first copy alone: a sheet at the size of a large copy would fill the memory.
            scale = side / (max(plan.trim) * POINTS)
            left, top = (value * POINTS for value in plan.at[0])
            width, height = (own * POINTS for own in plan.trim)
            across, down = page.get_size()
            crop = left, max(0.0, down - top - height), max(0.0, across - left - width), top
            bitmap = page.render(scale=scale, crop=crop).to_pil().convert("RGB")
        finally:
            document.close()
    # pdfium rounds up: a last row or column may be too much.
    wide, high = (round(own * scale) for own in (width, height))
    return np.array(bitmap.crop((0, 0, wide, high)))


def prove(
    path: Path, rendering: Rendering, bay: ReaderBay, finish: Finish, name: Path | None = None
) -> Proof:
    """Read a written file back from disk and let all readers look at it.

    Parameters
    ----------
    path : Path
        Where it lies.
    rendering : Rendering
        From which it was written, `squared` where it was.
    bay : ReaderBay
    finish : Finish
        With which it was written.
    name : Path, optional
        How it will be called, where that is not where it lies yet.

    Raises
    ------
    OutputError
        The file cannot be read back as it was written.
    """
    name = name or Path(path)
    kind = format_of(name)
    box, quad = rendering.box, rendering.quad
    try:
        data = read_file(path)
        if kind in VECTOR:
            image = _drawn_again(data, kind, rendering, finish)
            scale = image.shape[1] / rendering.size[0]
            box, quad = _scaled(box, scale), None if quad is None else quad * scale
        else:
            image = _decoded(data, kind, name.name, rendering.size)
    except PictureError as error:
        raise OutputError(
            tr("What was written cannot be read back: {what}", what=error.what)
        ) from error
    symbol = rendering.symbol
    given = Given(symbol.text, symbol, box, quad, rendering.quiet_zone)
    # As on the bench, and some smaller ones for what is larger.
    smaller = sorted({*SMALLER_LOOKS, *rendering_looks(rendering)}, reverse=True)
    verdict = judge(image, bay, given, smaller)
    return Proof(name, rendering.size, len(data), verdict)


def _drawn_again(data: bytes, kind: str, rendering: Rendering, finish: Finish) -> np.ndarray:
    side = min(max(rendering.size), LARGEST_AGAIN)
    if kind == "svg":
        return rendered_again(data, kind, side)
    try:
        return _pdf_pixels(data, side, plan_page(rendering.size, finish))
    except (ValueError, RuntimeError, OSError) as error:
        raise OutputError(
            tr("The file cannot be rendered again."), tr("Export it again.")
        ) from error


def _decoded(data: bytes, kind: str, name: str, size: tuple[int, int]) -> np.ndarray:
    """Pixels of a raster file, on white."""
    if kind == "ora":
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            data = archive.read("mergedimage.png")
    image = _libpng(data) if kind == "png" else None
    if image is None:
        image = open_picture.here(data, name, MAX_SIDE * MAX_SIDE).over("#ffffff")
    height, width = image.shape[:2]
    if (width, height) != size:
        raise OutputError(
            tr(
                "{name} came back with {size} × {size2} pixels.",
                name=name,
                size=width,
                size2=height,
            ),
            tr("Export it again."),
        )
    return image


def _libpng(data: bytes) -> np.ndarray | None:
    """Opaque colour from a PNG, by the format's own library and twice as fast as by Pillow, which
    has to do with all others."""
    import imagecodecs

    try:
        image = imagecodecs.png_decode(data)
    except imagecodecs.PngError:
        return None
    plain = image.dtype == np.uint8 and image.ndim == 3 and image.shape[2] == 3
    return image if plain else None


def _scaled(box: Box, scale: float) -> Box:
    return Box(*(round(value * scale) for value in (box.x, box.y, box.width, box.height)))


def export_pages(
    pieces: Sequence[Piece],
    renderer: Renderer,
    path: Path,
    bay: ReaderBay,
    step: Callable[[int], None] = lambda number: None,
) -> list[Verdict]:
    """Write several pieces into one PDF, a page each, and prove every page from disk.

    Parameters
    ----------
    pieces : sequence of Piece
        Each with its own finish, whose format does not count.
    renderer : Renderer
    path : Path
        Its name ends in .pdf.
    bay : ReaderBay
    step : callable
        Is told which page is worked on, counted from 0.

    Raises
    ------
    UserError
        One of them cannot be rendered, or the file cannot be written.
    """
    from nimble_tile.core.output import press, vector

    if format_of(path) != "pdf":
        raise OutputError(tr("Several pages are for PDF."), tr("End the file's name in .pdf."))
    made, documents = [], []
    for number, piece in enumerate(pieces):
        step(number)
        rendering = squared(renderer.render(outgoing(piece)), piece.finish)
        documents.append(vector.pdf(rendering, piece.finish))
        made.append((rendering, piece.finish))
    data = press.bound(documents)
    write_atomically(path, lambda file: file.write(data), OutputError, "write")
    data = read_file(path)
    found = []
    for number, (rendering, finish) in enumerate(made):
        step(number)
        side = min(max(rendering.size), LARGEST_AGAIN)
        image = _pdf_pixels(data, side, plan_page(rendering.size, finish), number)
        found.append(judge(image, bay, Given(rendering.symbol.text), SMALLER_LOOKS))
    return found


@dataclass(eq=False)
class Export:
    """A file that is written and proved, and not yet in its place.

    Attributes
    ----------
    proof : Proof
    """

    proof: Proof
    _file: Aside

    def deliver(self) -> Proof:
        """Put the file in its place; raises `OutputError` where that is not possible."""
        self._file.place()
        return self.proof

    def drop(self) -> None:
        """Remove it; what was there before stays."""
        self._file.drop()


def prepare(
    rendering: Rendering, path: Path, finish: Finish, bay: ReaderBay, durable: bool = True
) -> Export:
    """Write a rendering beside its place, and prove the file from disk; see `write`, `prove`."""
    path, rendering = Path(path), squared(rendering, finish)
    file = Aside(path, OutputError, "write", durable)
    try:
        aside = file.write(saver(rendering, format_of(path), finish))
        return Export(prove(aside, rendering, bay, finish, path), file)
    except BaseException:
        file.drop()
        raise


def export(rendering: Rendering, path: Path, finish: Finish, bay: ReaderBay) -> Proof:
    """Write a rendering, prove the file, and deliver it whatever the proof says."""
    return prepare(rendering, path, finish, bay).deliver()


def beside(file: Verdict, piece: Verdict | None) -> str:
    """How a file compares with the piece on the bench, in a sentence; empty: as good."""
    if piece is None or not piece.scans or file.state == piece.state:
        return ""
    if not file.scans:
        return tr("The piece scans, and this file does not: its format takes too much.")
    if (piece.state, file.state) == ("well", "thin"):
        return tr("On the bench it has more to spare: the format takes some of it.")
    return ""
