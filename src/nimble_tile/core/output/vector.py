"""SVG and PDF: real vectors without a picture, the finished picture inside with one.

References
----------
SVG 1.1: gradients and patterns in user space, path data. PDF through skia.
"""

from __future__ import annotations

import base64
import io
import math
from collections.abc import Callable, Iterator, Sequence
from itertools import groupby
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from nimble_tile.core.blend.marks.painting import paint_flats
from nimble_tile.core.laid import Laid
from nimble_tile.core.laid.items import Shape
from nimble_tile.core.laid.paint import paint_items
from nimble_tile.core.look import Fill
from nimble_tile.core.output.inks import profile_of, read_profile, single
from nimble_tile.core.output.items import svg_items
from nimble_tile.core.output.page import POINTS, mirrored, plan_page
from nimble_tile.core.output.press import page_boxes, stencil
from nimble_tile.core.output.raster import save_png
from nimble_tile.core.piece import MM_PER_INCH, Finish
from nimble_tile.core.render import Rendering
from nimble_tile.core.symbol.looks import Drawing, Layer, drawing
from nimble_tile.core.symbol.looks.drawing import Images, ModuleRect
from nimble_tile.core.symbol.looks.paint import (
    gradient_ends,
    paint_layers,
    picture_place,
    tiles,
)
from nimble_tile.core.symbol.looks.paths import path_data

POINTS_PER_INCH = 72

EVEN_ODD = ' fill-rule="evenodd"'
CRISP = ' shape-rendering="crispEdges"'


def flat(rendering: Rendering) -> bool:
    """Whether the code is written as pixels: blended, in a layout, or with effects of light."""
    return rendering.blended or rendering.arranged or rendering.look.relief.any


def svg(rendering: Rendering, finish: Finish, about: str = "") -> bytes:
    """The piece as an SVG document.

    Returns
    -------
    bytes
        UTF-8. Its size on paper follows from the pixels and `Finish.dpi`;
        inside, lengths are modules, or pixels with a picture.
    """
    width, height = (side / finish.dpi * MM_PER_INCH for side in rendering.size)
    if flat(rendering):
        box = f"0 0 {rendering.size[0]} {rendering.size[1]}"
        body = _image(_below(rendering), finish, (0, 0, *rendering.size))
        if _marks(rendering):
            body += "\n" + _svg_marks(rendering)
        if _apart(rendering):
            matrix = " ".join(f"{value:.8g}" for value in rendering.matrix[:2].T.ravel())
            over = "\n".join(svg_items(rendering.laid.over, finish, "over"))
            body += f'\n<g transform="matrix({matrix})">{over}</g>'
    else:
        drawn = _drawn(rendering)
        laid = rendering.laid or Laid(extent=(0, 0, drawn.side, drawn.side))
        left, top, right, bottom = laid.extent
        box = " ".join(map(_number, (left, top, right - left, bottom - top)))
        parts = [_ground(rendering, laid)] if rendering.outer else []
        parts += svg_items(laid.under, finish, "under")
        parts += _layers(drawn, rendering.images, finish)
        parts += svg_items(laid.over, finish, "over")
        body = "\n".join(parts)
    title = f"<title>{escape(printable(about))}</title>\n" if about else ""
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
        f'version="1.1" width="{width:.4g}mm" height="{height:.4g}mm" viewBox="{box}">\n'
        f"{title}{body}\n</svg>\n"
    ).encode()


def printable(text: str) -> str:
    """Without what XML 1.0 cannot hold."""
    return "".join(c for c in text if c in "\t\n" or (c >= " " and c not in "\ufffe\uffff"))


def _drawn(rendering: Rendering) -> Drawing:
    cleared = None if rendering.laid is None else rendering.laid.cleared
    return drawing(rendering.symbol, rendering.look, rendering.quiet_zone, cleared)


def _apart(rendering: Rendering) -> bool:
    """Whether what is laid on a picture is written apart from it, as vectors.

    In perspective it is part of the pixels: neither format bends a path.
    """
    return (
        rendering.quad is None
        and rendering.rgba is None
        and rendering.bare is not None
        and rendering.laid is not None
        and bool(rendering.laid.over)
    )


def _marks(rendering: Rendering) -> bool:
    """Whether the picture is put inside as it is, and its marks are written as vectors; what is
    laid on them must be vectors, too."""
    return (
        rendering.marked is not None
        and not rendering.arranged
        and rendering.quad is None
        and rendering.rgba is None
        and (_apart(rendering) or rendering.laid is None or not rendering.laid.over)
    )


def _svg_marks(rendering: Rendering) -> str:
    """A blend's marks, each in its colour; those that follow each other in one colour together."""
    matrix = " ".join(f"{value:.8g}" for value in rendering.matrix[:2].T.ravel())
    runs = groupby(
        rendering.marked.flats, lambda flat: (flat.colour, flat.path.even_odd, flat.tiled)
    )
    parts = (
        f'<path fill="#{red:02x}{green:02x}{blue:02x}"{EVEN_ODD * odd}{CRISP * tiled} '
        f'd="{"".join(path_data(flat.path) for flat in run)}"/>'
        for ((red, green, blue), odd, tiled), run in runs
    )
    return f'<g transform="matrix({matrix})">{"".join(parts)}</g>'


def _below(rendering: Rendering) -> np.ndarray:
    """Pixels that are put inside; see `_marks` and `_apart`."""
    if _marks(rendering):
        return rendering.picture if rendering.below is None else rendering.below
    if _apart(rendering):
        return rendering.bare
    return rendering.image if rendering.rgba is None else rendering.rgba


def _ground(rendering: Rendering, laid: Laid) -> str:
    left, top, right, bottom = laid.extent
    where = f'x="{left:g}" y="{top:g}" width="{right - left:g}" height="{bottom - top:g}"'
    return f'<rect {where} fill="{rendering.outer}"/>'


def layer_data(layer: Layer) -> str:
    """Path data of a layer; stamps are written one after the other."""
    if layer.at is None:
        return path_data(layer.path)
    data = path_data(layer.path)
    first = layer.path.ops[0]
    # All that follows the first move is relative to it.
    cut = next(i for i, c in enumerate(data[1:], 1) if c in "hvlcaz")
    tail = data[cut:]
    return "".join(f"M{x + first[1]:.6g} {y + first[2]:.6g}{tail}" for x, y in layer.at)


def _layers(drawn: Drawing, images: Images, finish: Finish) -> Iterator[str]:
    for number, layer in enumerate(drawn.layers):
        name = f"fill{number}"
        rule = ' fill-rule="evenodd"' if layer.path.even_odd else ""
        paint, definition = _paint(layer.fill, layer.frame, name)
        if definition:
            yield f"<defs>{definition}</defs>"
        if layer.fill.kind in ("stripes", "dots", "weave", "picture"):
            inside = _inside(layer, name, images, finish)
            clip = rule.replace("fill", "clip")
            yield (
                f'<clipPath id="{name}"><path{clip} d="{layer_data(layer)}"/></clipPath>\n'
                f'<g clip-path="url(#{name})">{inside}</g>'
            )
            continue
        if layer.stroke:
            style = (
                f'fill="none" stroke="{paint}" stroke-width="{layer.stroke:g}" '
                f'stroke-linejoin="round"'
            )
        else:
            style = f'fill="{paint}"'
        yield f'<path {style}{rule} d="{layer_data(layer)}"/>'


def _number(value: float) -> str:
    return f"{value:.6g}"


def _paint(fill: Fill, frame: ModuleRect, name: str) -> tuple[str, str]:
    """Value of a fill attribute, and the definition that it refers to."""
    if fill.kind in ("linear", "radial"):
        x, y, width, height = frame
        stops = "".join(
            f'<stop offset="{stop.offset:g}" stop-color="{stop.colour}"/>' for stop in fill.stops
        )
        if fill.kind == "linear":
            x1, y1, x2, y2 = map(_number, gradient_ends(fill, frame))
            where = f'x1="{x1}" y1="{y1}" x2="{x2}" y2="{y2}"'
            tag = "linearGradient"
        else:
            cx, cy = x + fill.centre[0] * width, y + fill.centre[1] * height
            where = f'cx="{cx:g}" cy="{cy:g}" r="{fill.radius * width:g}"'
            tag = "radialGradient"
        made = f'<{tag} id="{name}" gradientUnits="userSpaceOnUse" {where}>{stops}</{tag}>'
        return f"url(#{name})", made
    return fill.colour, ""


def _inside(layer: Layer, name: str, images: Images, finish: Finish) -> str:
    """A picture or pattern that is cut to the layer's path.

    SVG has patterns, but renderers show seams between their tiles and rough
    edges where they end.
    """
    x, y, width, height = layer.frame
    fill = layer.fill
    if fill.kind != "picture":
        # Shapes may stick out of the frame by part of a module.
        box = f'x="{x - 1:g}" y="{y - 1:g}" width="{width + 2:g}" height="{height + 2:g}"'
        return (
            f'<rect {box} fill="{fill.colour}"/>'
            f'<path fill="{fill.second}" d="{path_data(tiles(fill, layer.frame))}"/>'
        )
    pixels = images[fill.digest]
    px, py, w, h = picture_place((pixels.shape[1], pixels.shape[0]), fill.tile, layer.frame)
    image = _image(pixels, finish, (px, py, w, h), f"{name}p")
    if fill.tile >= 1:
        return image
    copies = [
        f'<use xlink:href="#{name}p" x="{column * w:g}" y="{row * h:g}"/>'
        for row in range(math.ceil(height / h))
        for column in range(math.ceil(width / w))
        if row or column
    ]
    return image + "".join(copies)


def _image(pixels: np.ndarray, finish: Finish, place: ModuleRect, name: str = "") -> str:
    file = io.BytesIO()
    save_png(pixels, file, finish)
    data = base64.b64encode(file.getvalue()).decode("ascii")
    x, y, width, height = map(_number, place)
    href = quoteattr(f"data:image/png;base64,{data}")
    own = f'id="{name}" ' if name else ""
    return (
        f'<image {own}x="{x}" y="{y}" width="{width}" height="{height}" '
        f'preserveAspectRatio="none" xlink:href={href}/>'
    )


def pdf(rendering: Rendering, finish: Finish, about: str = "") -> bytes:
    """The piece as a PDF of one page: its size on paper, or a sheet of copies.

    Parameters
    ----------
    rendering : Rendering
    finish : Finish
        Bleed, marks, sheet and inks.
    about : str
        Its title; empty: it says nothing of itself.

    Raises
    ------
    OutputError
        A copy does not fit on the sheet, or there is no profile of the inks.
    """
    plan = plan_page(rendering.size, finish)
    profile = None
    if finish.inks == "cmyk":
        known = profile_of(finish)
        profile = known.name, read_profile(known)
    if finish.inks == "single":
        if not one_ink_vector(rendering):
            paper = single(rendering.image, not rendering.blended)
            wider = mirrored(paper.astype(np.uint8), round(plan.bleed / MM_PER_INCH * finish.dpi))
            return stencil(wider > 0, plan, about, finish.ink_name, finish.ink)
        ink = finish.ink_name, finish.ink
    else:
        ink = None
    points = plan.width * POINTS, plan.height * POINTS

    def draw(canvas: Any) -> None:
        scale = POINTS_PER_INCH / finish.dpi
        copy = piece_drawer(rendering, scale, math.ceil(plan.bleed / MM_PER_INCH * finish.dpi))
        for left, top in plan.at:
            canvas.save()
            canvas.translate(left * POINTS, top * POINTS)
            copy(canvas)
            canvas.restore()

    return page_boxes(pdf_pages([(points, draw)]), plan, about, profile, ink)


Drawer = Callable[[Any], None]


def pdf_pages(pages: Sequence[tuple[tuple[float, float], Drawer]]) -> bytes:
    """A PDF of some pages, each with its width and height in points and what draws it.

    Its pages have whole points a side, what is drawn lies at their top left; see
    `nimble_tile.core.output.press.page_boxes`.
    """
    import skia

    stream = skia.DynamicMemoryWStream()
    with skia.PDF.MakeDocument(stream, skia.PDF.Metadata()) as document:
        for (width, height), draw in pages:
            # A millionth of a point must not become a whole one.
            page = math.ceil(width - 1e-4), math.ceil(height - 1e-4)
            with document.page(*page) as canvas:
                draw(canvas)
    return bytes(stream.detachAsData())


def one_ink_vector(rendering: Rendering) -> bool:
    """Whether the piece can be drawn in one ink as vectors: plain fills, nothing see-through."""
    if flat(rendering):
        return False
    laid = rendering.laid
    items = [] if laid is None else [*laid.under, *laid.over]
    shapes = [s for item in items for s in (getattr(item, "shapes", ()) or (item,))]
    solid = all(layer.fill.kind == "solid" for layer in _drawn(rendering).layers)
    return solid and all(isinstance(s, Shape) and s.opacity == 1 and s.soft == 0 for s in shapes)


def _solid_ground(rendering: Rendering) -> str | None:
    """Colour at the edges of a code without a picture, where it is the same all along them."""
    if rendering.outer:
        return rendering.outer
    ground = rendering.look.ground
    return ground.colour if ground is not None and ground.kind == "solid" else None


def _skia_image(pixels: np.ndarray) -> Any:
    import skia

    if pixels.shape[2] == 3:
        opaque = np.full((*pixels.shape[:2], 1), 255, np.uint8)
        pixels = np.dstack([pixels, opaque])
    pixels = np.ascontiguousarray(pixels)
    return skia.Image.fromarray(pixels, colorType=skia.kRGBA_8888_ColorType, copy=True)


def piece_drawer(rendering: Rendering, scale: float, bleed: int = 0) -> Drawer:
    """What draws a piece on a page, its top left at the canvas's.

    Parameters
    ----------
    rendering : Rendering
    scale : float
        Points a pixel.
    bleed : int
        Pixels by which its edges are mirrored outwards.
    """
    import skia

    width, height = (side * scale for side in rendering.size)
    more = bleed * scale
    place = skia.Rect.MakeLTRB(-more, -more, width + more, height + more)
    if flat(rendering):
        # One image for all copies: it is written once.
        image = _skia_image(mirrored(_below(rendering), bleed))

        def draw_flat(canvas: Any) -> None:
            canvas.drawImageRect(image, place, skia.SamplingOptions())
            canvas.save()
            canvas.scale(scale, scale)
            canvas.concat(skia.Matrix.MakeAll(*(float(value) for value in rendering.matrix.flat)))
            if _marks(rendering):
                paint_flats(canvas, rendering.marked.flats)
            if _apart(rendering):
                fine = rendering.code_side / rendering.modules
                paint_items(canvas, rendering.laid.over, fine, page=True)
            canvas.restore()

        return draw_flat
    drawn, colour = _drawn(rendering), _solid_ground(rendering)
    laid = rendering.laid or Laid(extent=(0, 0, drawn.side, drawn.side))
    left, top, right, bottom = laid.extent
    edges = None
    if bleed and colour is None:
        edges = _skia_image(mirrored(rendering.image, bleed))
    paint = None
    if rendering.outer or (bleed and colour is not None):
        paint = skia.Paint(Color=0xFF000000 | int((rendering.outer or colour)[1:], 16))

    def draw(canvas: Any) -> None:
        if paint is not None:
            canvas.drawRect(place, paint)
        elif edges is not None:
            canvas.drawImageRect(edges, place, skia.SamplingOptions())
        canvas.save()
        canvas.scale(width / (right - left), height / (bottom - top))
        canvas.translate(-left, -top)
        fine = rendering.box.width / rendering.modules
        paint_items(canvas, laid.under, fine, page=True)
        paint_layers(canvas, drawn, rendering.images, vectors=True)
        paint_items(canvas, laid.over, fine, page=True)
        canvas.restore()

    return draw
