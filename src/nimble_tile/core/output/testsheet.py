"""A sheet to print and scan: the code at five sizes and three strengths, with boxes to tick."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from nimble_tile.core.caption.fonts import line
from nimble_tile.core.errors import OutputError, Stopped
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr, within
from nimble_tile.core.output.page import PAGES, POINTS, PagePlan
from nimble_tile.core.output.press import page_boxes
from nimble_tile.core.output.vector import pdf_pages
from nimble_tile.core.picture.drawings import PDFIUM
from nimble_tile.core.picture.placing import side_of
from nimble_tile.core.piece import MAX_SIDE, MM_PER_INCH, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.framed import says
from nimble_tile.core.symbol.looks.paint import to_skia
from nimble_tile.core.trials.reach import percent
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune.proving import prove

SIZES = (15, 20, 25, 30, 40)
"""Sides of the code on the sheet, quiet zone included, in millimetres."""

BOXES = 3
"""Boxes to tick for each code: one a phone."""

DOTS = 600
"""Pixels an inch of the largest code."""

SCANNED = 300
"""Pixels an inch at which the readers look at the sheet."""

ROUND = 0.06
"""What is shown of the picture round the code, in parts of its side."""

PALE = (1.0, 0.85, 0.7)
"""Shares of the ink with which a code is printed whose blend has no strength to change."""

LEFT, TOP, GAP, ROW = 14.0, 58.0, 6.5, 68.0
"""Where the codes begin, between them, and from row to row, in millimetres."""


@dataclass(frozen=True, eq=False)
class Row:
    """Codes of one strength.

    Attributes
    ----------
    told : str
        What is special about them.
    image : ndarray of uint8, H × W × 3 sRGB
        The code and a little of what lies round it.
    share : float
        Side of the code in parts of the image's width.
    reach : float or None
    """

    told: str
    image: np.ndarray
    share: float
    reach: float | None


@dataclass(frozen=True)
class Cell:
    """A code of the sheet as the readers saw it, straight on at 300 pixels an inch.

    Attributes
    ----------
    row : int
    size : int
        Millimetres.
    read : tuple of str
        Readers that read it.
    """

    row: int
    size: int
    read: tuple[str, ...]


def rows_of(
    piece: Piece,
    renderer: Renderer,
    room: Room,
    trials: Sequence[Trial],
    stop: Callable[[], bool] = lambda: False,
    step: Callable[[str, float], None] = lambda what, share: None,
) -> list[Row]:
    """The three strengths of a piece.

    A blend gets a quarter less and more of its strength; what has none to change, a code
    without a picture or a finished one, is printed with less ink.
    """
    base = piece.blend.strength
    found = []
    if piece.picture.digest is not None and base > 0:
        middle = min(base, 0.8)
        shares = [middle * 0.75, middle, min(1.0, middle * 1.25)]
        if base > 0.8:
            shares = [base * 0.7, base * 0.85, base]
        cases = [
            (tr("Strength {s:.0%}", s=s), piece.edited("blend", strength=s), 1.0) for s in shares
        ]
    else:
        cases = [(tr("Ink {s:.0%}", s=s), piece, s) for s in PALE]
    for number, (told, case, ink) in enumerate(cases):
        step(tr("Trying {told}", told=within(told)), number / (len(cases) + 1))
        if stop():
            raise Stopped
        lighter = None if ink == 1 else _paler(ink)
        proved = prove(case, renderer, room, trials, stop=stop, through=lighter)
        image, share = _cut_out(renderer.render(case, _side(case, renderer)))
        if lighter is not None:
            image = lighter(image)
        found.append(Row(told, image, share, proved.reach))
    return found


def _paler(ink: float) -> Callable[[np.ndarray], np.ndarray]:
    table = np.rint(255 - (255 - np.arange(256)) * ink).astype(np.uint8)
    return lambda image: table[image]


def _side(piece: Piece, renderer: Renderer) -> int:
    """Longer side of the piece at which its code has `DOTS` at its largest."""
    wanted = SIZES[-1] / MM_PER_INCH * DOTS
    place = renderer.place(piece)
    if place is None or piece.layout.digest is not None:
        return round(min(wanted * 1.6, MAX_SIDE))
    longer = max(renderer.picture_size(piece))
    return round(min(wanted * longer / side_of(place), 6000))


def _cut_out(rendering: Rendering) -> tuple[np.ndarray, float]:
    """The code with a little round it, and its side in parts of that width."""
    box = rendering.box
    # Round a code without a picture lie captions and frames, of which a strip says nothing.
    more = ROUND * rendering.code_side if rendering.blended else 0
    height, width = rendering.image.shape[:2]
    left, top = max(0, round(box.x - more)), max(0, round(box.y - more))
    right = min(width, round(box.x + box.width + more))
    bottom = min(height, round(box.y + box.height + more))
    cut = rendering.image[top:bottom, left:right]
    return np.ascontiguousarray(cut), rendering.code_side / (right - left)


@dataclass(frozen=True)
class _Placed:
    row: int
    size: int
    x: float
    y: float
    width: float
    height: float


def _places(rows: Sequence[Row]) -> list[_Placed]:
    """Where each code lies on the page, in millimetres."""
    found = []
    for number, row in enumerate(rows):
        x, bottom = LEFT, TOP + number * ROW + SIZES[-1] / row.share
        ratio = row.image.shape[0] / row.image.shape[1]
        for size in SIZES:
            width = size / row.share
            height = width * ratio
            found.append(_Placed(number, size, x, bottom - height, width, height))
            x += width + GAP
    return found


def sheet(rows: Sequence[Row], message: str, name: str) -> bytes:
    """The sheet as a PDF of one page.

    Parameters
    ----------
    rows : sequence of Row
    message : str
        What the codes say.
    name : str
        Of the piece.
    """
    width, height = PAGES["a4"]

    def draw(canvas: Any) -> None:
        canvas.scale(POINTS, POINTS)
        _head(canvas, message, name)
        for number, row in enumerate(rows):
            reach = (
                ""
                if row.reach is None
                else tr(", reach {reach} on screen", reach=percent(row.reach))
            )
            top = TOP + number * ROW
            _text(canvas, f"{row.told}{reach}", LEFT, top - 4, 4.2, 700)
        for place in _places(rows):
            _picture(canvas, rows[place.row].image, place)
            below = place.y + place.height
            _text(canvas, tr("{size} mm", size=place.size), place.x, below + 5, 3.6)
            for box in range(BOXES):
                _box(canvas, place.x + box * 5.2, below + 7, 3.6)

    plan = PagePlan(width, height, (width, height), ((0.0, 0.0),), 0, ())
    return page_boxes(pdf_pages([((width * POINTS, height * POINTS), draw)]), plan)


def _head(canvas: Any, message: str, name: str) -> None:
    import skia

    _text(canvas, tr("Test sheet: {name}", name=name)[:60], LEFT, 18, 7, 700)
    said = " ".join(message.split())
    said = said if len(said) <= 76 else said[:75] + "…"
    _text(canvas, tr("Every code must say: {said}", said=said), LEFT, 25, 3.8)
    _text(
        canvas, tr("Print it at 100 % on the paper that will be used. Scan each code from the "
        "distance and in the light it is meant for."), LEFT, 31, 3.8,
    )  # fmt: skip
    _text(
        canvas, tr("Tick what read within two seconds, one box a phone. The line is 100 mm long:"),
        LEFT, 36, 3.8,
    )  # fmt: skip
    paint = skia.Paint(AntiAlias=True, Color=0xFF1D2A24, StrokeWidth=0.3)
    canvas.drawLine(LEFT, 41, LEFT + 100, 41, paint)
    for x in (LEFT, LEFT + 100):
        canvas.drawLine(x, 39.5, x, 42.5, paint)
    foot = TOP + 3 * ROW + 6
    for box in range(BOXES):
        x = LEFT + box * 62
        _box(canvas, x, foot, 3.6)
        _text(canvas, tr("Phone {box}", box=box + 1), x + 6, foot + 3.2, 3.8)
        canvas.drawLine(x + 20, foot + 3.6, x + 58, foot + 3.6, paint)


def _text(
    canvas: Any, text: str, x: float, y: float, size: float, weight: int = 400
) -> None:  # fmt: skip
    import skia

    canvas.save()
    canvas.translate(x, y)
    canvas.scale(size, size)
    path = to_skia(line(text, weight=weight).path)
    canvas.drawPath(path, skia.Paint(AntiAlias=True, Color=0xFF1D2A24))
    canvas.restore()


def _box(canvas: Any, x: float, y: float, side: float) -> None:
    import skia

    paint = skia.Paint(AntiAlias=True, Color=0xFF1D2A24, StrokeWidth=0.25)
    paint.setStyle(skia.Paint.kStroke_Style)
    canvas.drawRect(skia.Rect.MakeXYWH(x, y, side, side), paint)


def _picture(canvas: Any, image: np.ndarray, place: _Placed) -> None:
    import skia

    opaque = np.full((*image.shape[:2], 1), 255, np.uint8)
    rgba = np.ascontiguousarray(np.dstack([image, opaque]))
    made = skia.Image.fromarray(rgba, colorType=skia.kRGBA_8888_ColorType, copy=True)
    where = skia.Rect.MakeXYWH(place.x, place.y, place.width, place.height)
    canvas.drawImageRect(made, where, skia.SamplingOptions())


def looked_at(data: bytes, rows: Sequence[Row], text: str, bay: ReaderBay) -> list[Cell]:
    """What all readers read on a written sheet, code by code, straight on.

    Raises
    ------
    OutputError
        The file cannot be rendered again.
    """
    import pypdfium2

    try:
        with PDFIUM:
            document = pypdfium2.PdfDocument(data)
            try:
                bitmap = document[0].render(scale=SCANNED / 72, grayscale=True)
                page = np.array(bitmap.to_pil().convert("L"))
            finally:
                document.close()
    except (ValueError, RuntimeError, OSError) as error:
        raise OutputError(
            tr("The sheet cannot be rendered again."), tr("Write it again.")
        ) from error
    dots = SCANNED / MM_PER_INCH
    found = []
    for place in _places(rows):
        more = GAP / 2
        left, top = (math.floor((v - more) * dots) for v in (place.x, place.y))
        right = math.ceil((place.x + place.width + more) * dots)
        bottom = math.ceil((place.y + place.height + 1) * dots)
        cut = np.ascontiguousarray(page[top:bottom, left:right])
        read = tuple(one.name for one in bay.read(cut) if says(one, text))
        found.append(Cell(place.row, place.size, read))
    return found


def write_sheet(
    piece: Piece,
    name: str,
    path: Path,
    renderer: Renderer,
    room: Room,
    trials: Sequence[Trial],
    stop: Callable[[], bool] = lambda: False,
    step: Callable[[str, float], None] = lambda what, share: None,
) -> list[Cell]:
    """Make a test sheet, write it, and let the readers look at the file; see `rows_of`.

    Raises
    ------
    UserError
        There is no code, or the file cannot be written.
    Stopped
        `stop` said so.
    """
    piece = piece.model_copy(update={"layout": type(piece.layout)()})
    rows = rows_of(piece, renderer, room, trials, stop, step)
    text = renderer.symbol(piece).text
    data = sheet(rows, text, name)
    step(tr("Writing {name} and reading it back", name=path.name), 0.85)
    write_atomically(path, lambda file: file.write(data), OutputError, "write")
    return looked_at(path.read_bytes(), rows, text, room.bay)


def told(cells: Sequence[Cell], able: int) -> str:
    """What the readers made of the sheet, in a sentence."""
    whole = sum(len(cell.read) == able for cell in cells)
    poor = [cell for cell in cells if not cell.read]
    if whole == len(cells):
        return tr("All readers read every code of it straight on: what the phones read tells more.")
    least = min((cell.size for cell in cells if len(cell.read) == able), default=None)
    start = tr(
        "{whole} of {cells} codes are read by all {able} readers straight on",
        whole=whole,
        cells=len(cells),
        able=able,
    )
    start += "" if least is None else tr(", the smallest at {least} mm", least=least)
    return tr("{start}; {poor} by none.", start=start, poor=len(poor)) if poor else f"{start}."
