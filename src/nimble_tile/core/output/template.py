"""Drawing template: the code prepared for drawing it by hand.

Faint shapes say which modules must be dark, which must stay light, and which are free: what
error correction makes good may be smudged or drawn over. Where a stroke along dark modules would
close a single light one, a mark asks for a gap.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Literal

import numpy as np

from nimble_tile.core.channels import colours_of
from nimble_tile.core.errors import OutputError, UserError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.output.openraster import RasterLayer, merged, save_openraster
from nimble_tile.core.output.raster import save_png
from nimble_tile.core.piece import Finish
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks.paths import Path, circle, joined, path_data, polygon, rectangle
from nimble_tile.core.trials.subject import quiet_modules

if TYPE_CHECKING:
    import skia

INK, FREE_TINT, GAP_TINT = "#2a2722", "#1d5740", "#9a2a1c"

EDGE = 2.5
"""Modules of paper beyond the quiet zone, with the corner marks and the words."""

USUAL_FREE = 0.5
"""Share of the spare that may be smudged: the rest is for what goes wrong by itself."""

MOST_PIXELS = 12_000

SUFFIXES = (".png", ".ora", ".svg", ".pdf")


@dataclass(frozen=True)
class TemplateWish:
    """How a template is made.

    Attributes
    ----------
    size : float
        Side of the sheet on paper in mm, 30 to 1000.
    dpi : int
        Of PNG and OpenRaster, 72 to 1200.
    strong : {"whole", "finders"}
        What is shown strongly: every dark module, or the finders alone, the rest as a breath.
    faint : float
        Opacity of what is faint, 0.03 to 0.6.
    free : float
        Share of the spare that may be smudged, 0 to 0.8.
    about : (float, float)
        Where free modules lie, (x, y) in parts of the symbol.
    """

    size: float = 150.0
    dpi: int = 300
    strong: Literal["whole", "finders"] = "finders"
    faint: float = 0.16
    free: float = USUAL_FREE
    about: tuple[float, float] = (0.5, 0.5)

    def __post_init__(self) -> None:
        if not 30 <= self.size <= 1000:
            raise UserError(tr("A template is 30 to 1000 mm large."))
        if not 72 <= self.dpi <= 1200:
            raise UserError(tr("A template has 72 to 1200 dpi."))
        if not 0.03 <= self.faint <= 0.6:
            raise UserError(tr("Faint shapes have an opacity of 3 to 60 %."))
        if not 0 <= self.free <= 0.8:
            raise UserError(tr("0 to 80 % of the spare may be smudged."))

    @property
    def side(self) -> int:
        """Pixels a side of PNG and OpenRaster."""
        return round(self.size / 25.4 * self.dpi)


@dataclass(frozen=True, eq=False)
class Shape:
    """A filled path in modules, counted from the sheet's corner."""

    path: Path
    colour: str
    opacity: float = 1.0


@dataclass(frozen=True, eq=False)
class TemplateLayer:
    """A named layer of shapes."""

    name: str
    shapes: tuple[Shape, ...]


@dataclass(frozen=True, eq=False)
class Template:
    """A template, ready to be written.

    Attributes
    ----------
    symbol : Symbol
    wish : TemplateWish
    modules : float
        Side of the sheet in modules.
    first : float
        Where the symbol begins, in modules.
    free : ndarray of bool, n × n
        Modules that may be smudged.
    gaps : tuple of (int, int, bool)
        Row and column of light modules that strokes must leave open, and whether the stroke
        that would close them runs across.
    layers : tuple of TemplateLayer
        The lowest first.
    """

    symbol: Symbol
    wish: TemplateWish
    modules: float
    first: float
    free: np.ndarray
    gaps: tuple[tuple[int, int, bool], ...]
    layers: tuple[TemplateLayer, ...]

    @property
    def module(self) -> float:
        """Side of a module in mm."""
        return self.wish.size / self.modules


def free_modules(
    symbol: Symbol, share: float = USUAL_FREE, about: tuple[float, float] = (0.5, 0.5)
) -> np.ndarray:
    """Modules that may be anything at once, near a place.

    Parameters
    ----------
    symbol : Symbol
    share : float
        Of what the error correction of each block makes good, 0 to 1.
    about : (float, float)
        (x, y) in parts of the symbol.

    Returns
    -------
    ndarray of bool, n × n
        Whole codewords: of each block at most the share that it corrects. Function patterns are
        never free.
    """
    plan, side = symbol.anatomy, symbol.side
    rows, columns = np.mgrid[:side, :side] + 0.5
    away = np.hypot(columns - about[0] * side, rows - about[1] * side)
    count = int(plan.codeword.max()) + 1
    distance = np.zeros(count)
    own = plan.codeword >= 0
    # A codeword is as far away as its farthest module: they are to lie together.
    np.maximum.at(distance, plan.codeword[own], away[own])
    chosen = np.zeros(count, bool)
    spent = np.zeros(count, bool)
    if symbol.spent is not None:
        spent[plan.codeword[own & symbol.spent]] = True
    for block in plan.blocks:
        words = np.array(block.codewords)
        able = int(block.correctable * share) - int(spent[words].sum())
        chosen[words[np.argsort(distance[words], kind="stable")[: max(0, able)]]] = True
    return own & chosen[np.maximum(plan.codeword, 0)]


def gaps_of(symbol: Symbol, free: np.ndarray) -> tuple[tuple[int, int, bool], ...]:
    """Single light modules between two dark ones in a row or a column, none of them free; rings of
    finders are drawn as such."""
    dark, found = symbol.dark, []
    free = free | np.isin(symbol.anatomy.parts, (Part.FINDER, Part.ALIGNMENT)) & ~dark
    for across in (True, False):
        own, let = (dark, free) if across else (dark.T, free.T)
        shut = ~own[:, 1:-1] & own[:, :-2] & own[:, 2:]
        shut &= ~(let[:, 1:-1] | let[:, :-2] | let[:, 2:])
        for row, column in np.argwhere(shut):
            place = (int(row), int(column) + 1)
            found.append((*(place if across else place[::-1]), across))
    return tuple(found)


def template(symbol: Symbol, wish: TemplateWish) -> Template:
    """Make a template of a symbol."""
    quiet = quiet_modules(symbol)
    first = quiet + EDGE
    modules = symbol.side + 2 * first
    free = free_modules(symbol, wish.free, wish.about)
    gaps = gaps_of(symbol, free)
    patterns = np.isin(symbol.anatomy.parts, (Part.FINDER, Part.ALIGNMENT))
    body = symbol.dark & ~free & ~patterns
    finders = symbol.dark & patterns
    light = ~symbol.dark & ~free & ~patterns
    strong = min(1.0, 4 * wish.faint)
    ink = strong if wish.strong == "whole" else wish.faint
    finder_ink = min(1.0, 5.5 * wish.faint)
    layers = (
        TemplateLayer(tr("Paper"), (Shape(rectangle(0, 0, modules, modules), "#ffffff"),)),
        TemplateLayer(
            tr("Must be dark"), (Shape(joined(_runs(body, first)), INK, ink),)
        ),
        TemplateLayer(tr("Finders"), (Shape(joined(_runs(finders, first)), INK, finder_ink),)),
        TemplateLayer(
            tr("Must stay light"),
            (Shape(joined(_rings(light, first)), INK, min(1.0, 1.6 * wish.faint)),),
        ),
        TemplateLayer(
            tr("Free to smudge"),
            (Shape(joined(_hatches(free, first)), FREE_TINT, min(1.0, 2.4 * wish.faint)),),
        ),
        TemplateLayer(
            tr("Gaps in strokes"),
            (Shape(joined(_ticks(gaps, first)), GAP_TINT, min(1.0, 4 * wish.faint)),),
        ),
        TemplateLayer(tr("Marks"), tuple(_marks(symbol, modules, wish))),
    )  # fmt: skip
    layers = tuple(
        TemplateLayer(each.name, tuple(s for s in each.shapes if s.path.ops)) for each in layers
    )
    return Template(symbol, wish, modules, first, free, gaps, layers)


def _runs(grid: np.ndarray, first: float) -> Iterator[Path]:
    """Modules, each run of a row as one rectangle."""
    for row, line in enumerate(grid):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], line.astype(np.int8), [0]])))
        for begin, end in edges.reshape(-1, 2):
            yield rectangle(first + int(begin), first + row, int(end - begin), 1)


def _rings(grid: np.ndarray, first: float) -> Iterator[Path]:
    from nimble_tile.core.symbol.looks.paths import reversed_path

    for row, column in np.argwhere(grid):
        x, y = first + int(column) + 0.5, first + int(row) + 0.5
        yield circle(x, y, 0.14)
        yield reversed_path(circle(x, y, 0.09))


def _hatches(grid: np.ndarray, first: float) -> Iterator[Path]:
    """A slanted line through each module, so that neighbours make a hatching."""
    for row, column in np.argwhere(grid):
        x, y = first + int(column), first + int(row)
        for begin in (0.0, 0.5):
            yield polygon(
                [(x + begin, y + 1), (x + begin + 0.5, y), (x + begin + 0.56, y),
                 (x + begin + 0.06, y + 1)]
            )  # fmt: skip


def _ticks(gaps: tuple[tuple[int, int, bool], ...], first: float) -> Iterator[Path]:
    """Two short lines across the stroke, where it must be lifted and set down again."""
    for row, column, across in gaps:
        x, y = first + column, first + row
        for along in (0.1, 0.82):
            if across:
                yield rectangle(x + along, y + 0.22, 0.08, 0.56)
            else:
                yield rectangle(x + 0.22, y + along, 0.56, 0.08)


def _marks(symbol: Symbol, modules: float, wish: TemplateWish) -> Iterator[Shape]:
    """Corner marks, a measure of 10 mm, and a line of words."""
    from nimble_tile.core.caption.fonts import line

    near, far = EDGE / 2, modules - EDGE / 2
    for x in (near, far):
        for y in (near, far):
            yield Shape(rectangle(x - 0.7, y - 0.04, 1.4, 0.08), INK, 0.7)
            yield Shape(rectangle(x - 0.04, y - 0.7, 0.08, 1.4), INK, 0.7)
    module = wish.size / modules
    ten = 10 / module
    left, low = near + 1.4, far
    if ten < modules / 3:
        yield Shape(rectangle(left, low - 0.04, ten, 0.08), INK, 0.7)
        for x in (left, left + ten - 0.08):
            yield Shape(rectangle(x, low - 0.3, 0.08, 0.6), INK, 0.7)
        left += ten + 0.8
    words = line(
        tr(
            "10 mm. {kind} code {version}-{level}, {module:.1f} mm a module. Keep "
            "all round the code light.",
            kind="Micro QR" if symbol.micro else "QR",
            version=symbol.version,
            level=symbol.level,
            module=module,
        )
    )
    room = far - 1.4 - left
    size = min(1.0, room / max(words.width, 1e-6))
    yield Shape(words.path.moved(left, low + 0.3 * size, size), INK, 0.7)


def sheet_corners(made: Template) -> np.ndarray:
    """The corner marks, in modules counted from the symbol's corner (float 4 × 2)."""
    near, far = EDGE / 2 - made.first, made.modules - EDGE / 2 - made.first
    return np.array([[near, near], [far, near], [far, far], [near, far]], float)


# Writing ---------------------------------------------------------------------------------------


def svg(made: Template) -> bytes:
    """The template as SVG, one group a layer."""
    size = f'{made.wish.size:g}mm" height="{made.wish.size:g}mm'
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" version="1.1" width="{size}" '
        f'viewBox="0 0 {made.modules:g} {made.modules:g}">'
    ]
    for number, layer in enumerate(made.layers):
        out.append(f'<g id="layer{number}"><title>{layer.name}</title>')
        out += [
            f'<path fill="{s.colour}" fill-opacity="{s.opacity:.3g}" d="{path_data(s.path)}"/>'
            for s in layer.shapes
        ]
        out.append("</g>")
    out.append("</svg>\n")
    return "\n".join(out).encode()


def _paint(canvas: skia.Canvas, layer: TemplateLayer) -> None:
    import skia

    from nimble_tile.core.symbol.looks.paint import to_skia

    for shape in layer.shapes:
        paint = skia.Paint(AntiAlias=True)
        alpha = round(255 * shape.opacity)
        paint.setColor(alpha << 24 | int(shape.colour[1:], 16))
        canvas.drawPath(to_skia(shape.path), paint)


def pdf(made: Template) -> bytes:
    """The template as a PDF of one page, true to size."""
    from nimble_tile.core.output.page import POINTS, PagePlan
    from nimble_tile.core.output.press import page_boxes
    from nimble_tile.core.output.vector import pdf_pages

    size = made.wish.size
    side = size * POINTS

    def draw(canvas: skia.Canvas) -> None:
        canvas.scale(side / made.modules, side / made.modules)
        for layer in made.layers:
            _paint(canvas, layer)

    plan = PagePlan(size, size, (size, size), ((0.0, 0.0),), 0, ())
    return page_boxes(pdf_pages([((side, side), draw)]), plan, tr("Drawing template"))


def rasters(made: Template, side: int) -> list[RasterLayer]:
    """The layers as pixels."""
    import skia

    found = []
    for layer in made.layers:
        pixels = np.zeros((side, side, 4), np.uint8)
        surface = skia.Surface.MakeRasterDirect(
            skia.ImageInfo.Make(side, side, skia.kRGBA_8888_ColorType, skia.kPremul_AlphaType),
            pixels,
        )
        with surface as canvas:
            canvas.scale(side / made.modules, side / made.modules)
            _paint(canvas, layer)
        alpha = np.maximum(pixels[..., 3:].astype(np.float32), 1) / 255
        pixels[..., :3] = np.rint(np.clip(pixels[..., :3] / alpha, 0, 255))
        found.append(RasterLayer(layer.name, pixels))
    return found


def picture(made: Template, side: int) -> np.ndarray:
    """The whole template (uint8 side × side × 3 sRGB)."""
    return colours_of(merged(rasters(made, side)))


def write_template(made: Template, path: FilePath) -> None:
    """Write a template in the format of its name's ending, see `SUFFIXES`.

    Raises
    ------
    UserError
        The ending is none of them, there would be too many pixels, or it cannot be written.
    """
    kind = path.suffix.lower()
    if kind not in SUFFIXES:
        raise UserError(tr("{name} is no PNG, OpenRaster, SVG or PDF.", name=path.name),
                        tr("End its name in .png, .ora, .svg or .pdf."))  # fmt: skip
    side, finish = made.wish.side, Finish(dpi=made.wish.dpi)
    if kind in (".png", ".ora") and side > MOST_PIXELS:
        raise UserError(
            tr("The template would have {side} pixels a side.", side=side),
            tr("Take fewer dpi, or a PDF."),
        )

    def write(file: io.BufferedIOBase) -> None:
        if kind == ".svg":
            file.write(svg(made))
        elif kind == ".pdf":
            file.write(pdf(made))
        elif kind == ".ora":
            layers = rasters(made, side)
            # What is drawn goes on top.
            empty = np.zeros((side, side, 4), np.uint8)
            save_openraster([*layers, RasterLayer(tr("Draw here"), empty)], file, finish)
        else:
            save_png(picture(made, side), file, finish)

    write_atomically(path, write, OutputError, "write")


__all__ = ["Template", "TemplateWish", "free_modules", "gaps_of", "template", "write_template"]
