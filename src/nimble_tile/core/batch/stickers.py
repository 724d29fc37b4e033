"""Sheets of stickers from the files of a batch, as PDF."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from nimble_tile.core.batch.run import Order, finished
from nimble_tile.core.batch.work import Done
from nimble_tile.core.errors import OutputError, PictureError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.output.page import POINTS, PagePlan, plan_page
from nimble_tile.core.output.press import page_boxes
from nimble_tile.core.output.vector import pdf_pages
from nimble_tile.core.picture.opening import open_picture, read_file
from nimble_tile.core.piece import MM_PER_INCH, Finish

PAGES = 20
"""Pages of one file: what is not written yet is held in memory."""

DRAWN = 1200
"""Pixels of a vector file's longer side."""

SMALLEST = 150
"""Pixels an inch that a sticker must have."""


def write_stickers(
    order: Order,
    mm: float,
    sheet: str = "a4",
    marks: bool = True,
    gap: float = 6,
    stop: Callable[[], bool] = lambda: False,
    step: Callable[[float], None] = lambda share: None,
) -> list[Path]:
    """Lay all pieces of a batch that scan on sheets, in the order of their rows.

    Parameters
    ----------
    order : Order
    mm : float
        Longer side of a sticker.
    sheet : {"a4", "a3"}
    marks : bool
        Crop marks.
    gap : float
        Millimetres between stickers.
    stop, step : callable
        Asked, and told what is done, 0 to 1, between pages.

    Returns
    -------
    list of Path
        Files of at most `PAGES` pages.

    Raises
    ------
    OutputError
        There is nothing to lay, the files are no pictures, or nothing fits on a sheet.
    """
    rows = [done for _, done in sorted(finished(order).items()) if done.scans]
    if not rows:
        raise OutputError(tr("No row of the batch scans: there is nothing to lay on sheets."))
    first = _pixels(order.folder / rows[0].file)
    height, width = first.shape[:2]
    # As many pixels an inch as make the longer side so many millimetres.
    dpi = max(width, height) / mm * MM_PER_INCH
    if dpi < SMALLEST:
        raise OutputError(
            tr("At {mm:g} mm the pieces have only {dpi:.0f} pixels an inch.", mm=mm, dpi=dpi),
            tr("Make the batch larger, or the stickers smaller."),
        )
    finish = Finish(dpi=300, sheet=sheet, marks=marks, gap=gap)
    size = tuple(round(side / dpi * 300) for side in (width, height))
    plan = plan_page(size, finish)
    pages = list(_chunks(rows, len(plan.at)))
    made = []
    for number, part in enumerate(_chunks(pages, PAGES)):
        if stop():
            break
        data = page_boxes(_pages(order.folder, part, plan), plan)
        path = order.folder / f"stickers-{number + 1:03}.pdf"
        write_atomically(path, lambda file, d=data: file.write(d), OutputError, "write")
        made.append(path)
        step(min(1.0, (number + 1) * PAGES / len(pages)))
    return made


def _pages(folder: Path, pages: Sequence[Sequence[Done]], plan: PagePlan) -> bytes:
    size = plan.width * POINTS, plan.height * POINTS

    def drawer(rows: Sequence[Done]) -> Callable[[Any], None]:
        def draw(canvas: Any) -> None:
            for done, at in zip(rows, plan.at, strict=False):
                _draw(canvas, _pixels(folder / done.file), at, plan.trim)

        return draw

    return pdf_pages([(size, drawer(rows)) for rows in pages])


def _draw(
    canvas: Any, pixels: np.ndarray, at: tuple[float, float], trim: tuple[float, float]
) -> None:
    import skia

    opaque = np.full((*pixels.shape[:2], 1), 255, np.uint8)
    rgba = np.ascontiguousarray(np.dstack([pixels, opaque]))
    image = skia.Image.fromarray(rgba, colorType=skia.kRGBA_8888_ColorType, copy=True)
    # Rows may differ in proportions: each lies whole in the middle of its place.
    scale = min(trim[0] / pixels.shape[1], trim[1] / pixels.shape[0]) * POINTS
    width, height = pixels.shape[1] * scale, pixels.shape[0] * scale
    x = at[0] * POINTS + (trim[0] * POINTS - width) / 2
    y = at[1] * POINTS + (trim[1] * POINTS - height) / 2
    canvas.drawImageRect(image, skia.Rect.MakeXYWH(x, y, width, height), skia.SamplingOptions())


def _pixels(path: Path) -> np.ndarray:
    """A piece of the batch on white (uint8 H × W × 3)."""
    try:
        kind = path.suffix.lower().removeprefix(".")
        if kind in ("svg", "pdf"):
            from nimble_tile.core.output.export import rendered_again

            return rendered_again(read_file(path), kind, DRAWN)
        return open_picture.here(read_file(path), path.name).over("#ffffff")
    except PictureError as error:
        raise OutputError(
            tr("{name} cannot be laid on a sheet.", name=path.name),
            tr("Make the batch as PNG, JPEG, SVG or PDF."),
        ) from error


def _chunks(items: Sequence[Any], size: int) -> Iterator[Sequence[Any]]:
    for start in range(0, len(items), size):
        yield items[start : start + size]
