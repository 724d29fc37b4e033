"""Painting a drawing with skia: on pixels, or on the page of a PDF.

References
----------
W3C Compositing and Blending Level 1 (source over); SVG 1.1, gradients and
patterns, which the fills here match.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from weakref import WeakKeyDictionary

import numpy as np
import skia

from nimble_tile.core.look import Fill
from nimble_tile.core.relief import SHADE, SHINE, Relief
from nimble_tile.core.strips import strips
from nimble_tile.core.symbol.looks.drawing import Drawing, Images, Layer, ModuleRect
from nimble_tile.core.symbol.looks.paths import Path, circle, joined, rectangle


def tile_shape(kind: str) -> Path:
    """The part of a pattern's unit square that has its second colour."""
    if kind == "stripes":
        return rectangle(0, 0, 0.5, 1)
    if kind == "dots":
        return circle(0.5, 0.5, 0.28)
    return joined([rectangle(0, 0, 0.5, 0.5), rectangle(0.5, 0.5, 0.5, 0.5)])


def tiles(fill: Fill, frame: ModuleRect) -> Path:
    """All of a pattern's second colour that lies in a frame, as one path."""
    x, y, width, height = frame
    step = fill.tile * width
    turn = math.radians(fill.angle)
    cos, sin = math.cos(turn), math.sin(turn)
    reach = math.ceil(1.5 * max(width, height) / step)
    if fill.kind == "stripes":
        long = rectangle(0, -reach, 0.5, 2 * reach)
        stripes = (long.moved(column, 0) for column in range(-reach, reach + 1))
        return joined(stripes).moved(scale=step, turn=turn).moved(x, y)
    one = tile_shape(fill.kind)
    placed = []
    for row in range(-reach, reach + 1):
        for column in range(-reach, reach + 1):
            # The tile's middle, relative to the frame.
            u, v = (column + 0.5) * step, (row + 0.5) * step
            px, py = u * cos - v * sin, u * sin + v * cos
            if -step < px < width + step and -step < py < height + step:
                placed.append(one.moved(column, row))
    return joined(placed).moved(scale=step, turn=turn).moved(x, y)


def gradient_ends(fill: Fill, frame: ModuleRect) -> tuple[float, float, float, float]:
    """Start and end of a linear gradient: it just spans the frame at its angle."""
    x, y, width, height = frame
    angle = math.radians(fill.angle)
    dx, dy = math.cos(angle), math.sin(angle)
    reach = (abs(dx) * width + abs(dy) * height) / 2
    cx, cy = x + width / 2, y + height / 2
    return cx - dx * reach, cy - dy * reach, cx + dx * reach, cy + dy * reach


def picture_place(size: tuple[int, int], tile: float, frame: ModuleRect) -> ModuleRect:
    """Where one repeat of a picture lies: it covers the frame, or is `tile` of its width."""
    x, y, width, height = frame
    across, down = size
    if tile >= 1:
        scale = max(width / across, height / down)
        w, h = across * scale, down * scale
        return x + (width - w) / 2, y + (height - h) / 2, w, h
    w = width * tile
    return x, y, w, w * down / across


def to_skia(path: Path) -> skia.Path:
    """The path as skia knows it."""
    made = skia.Path()
    for op in path.ops:
        kind = op[0]
        if kind == "M":
            made.moveTo(op[1], op[2])
        elif kind == "L":
            made.lineTo(op[1], op[2])
        elif kind == "C":
            made.cubicTo(*op[1:])
        elif kind == "A":
            way = skia.PathDirection.kCW if op[2] else skia.PathDirection.kCCW
            made.arcTo(op[1], op[1], 0, skia.Path.kSmall_ArcSize, way, op[3], op[4])
        else:
            made.close()
    if path.even_odd:
        made.setFillType(skia.PathFillType.kEvenOdd)
    return made


# The path object is reused however often and in whatever colours it is painted.
_known: WeakKeyDictionary[Path, skia.Path] = WeakKeyDictionary()


def layer_path(layer: Layer) -> skia.Path:
    """All of a layer's path, made once."""
    known = _known.get(layer.path)
    if known is not None:
        return known
    one = to_skia(layer.path)
    whole = one
    if layer.at is not None:
        whole = skia.Path()
        whole.setFillType(one.getFillType())
        for x, y in layer.at:
            whole.addPath(one, float(x), float(y))
    _known[layer.path] = whole
    return whole


def _colour(text: str) -> int:
    return 0xFF000000 | int(text[1:], 16)


def _shader(fill: Fill, frame: ModuleRect) -> skia.Shader:
    x, y, width, height = frame
    if fill.kind in ("linear", "radial"):
        colours = [_colour(stop.colour) for stop in fill.stops]
        offsets = [stop.offset for stop in fill.stops]
        if fill.kind == "linear":
            x1, y1, x2, y2 = gradient_ends(fill, frame)
            return skia.GradientShader.MakeLinear(
                [skia.Point(x1, y1), skia.Point(x2, y2)], colours, offsets
            )
        centre = skia.Point(x + fill.centre[0] * width, y + fill.centre[1] * height)
        return skia.GradientShader.MakeRadial(centre, fill.radius * width, colours, offsets)
    recorder = skia.PictureRecorder()
    canvas = recorder.beginRecording(skia.Rect.MakeWH(1, 1))
    canvas.drawRect(skia.Rect.MakeWH(1, 1), skia.Paint(Color=_colour(fill.colour)))
    canvas.drawPath(
        to_skia(tile_shape(fill.kind)), skia.Paint(Color=_colour(fill.second), AntiAlias=True)
    )
    matrix = skia.Matrix.Translate(x, y)
    matrix.preRotate(fill.angle)
    matrix.preScale(fill.tile * width, fill.tile * width)
    repeat = skia.TileMode.kRepeat
    return recorder.finishRecordingAsPicture().makeShader(
        repeat, repeat, skia.FilterMode.kLinear, matrix, skia.Rect.MakeWH(1, 1)
    )


def _tiled(canvas: skia.Canvas, layer: Layer) -> None:
    """A pattern drawn tile by tile, which stays vectors where a shader would not."""
    canvas.save()
    canvas.clipPath(layer_path(layer), True)
    canvas.drawPaint(skia.Paint(Color=_colour(layer.fill.colour)))
    paint = skia.Paint(Color=_colour(layer.fill.second), AntiAlias=True)
    canvas.drawPath(to_skia(tiles(layer.fill, layer.frame)), paint)
    canvas.restore()


def _pictured(canvas: skia.Canvas, layer: Layer, images: Images) -> None:
    """A picture cut to the layer's path, repeated where it is a tile.

    Not as a shader: the binding writes and reads the whole picture anew for each.
    """
    pixels = np.ascontiguousarray(images[layer.fill.digest])
    image = skia.Image.fromarray(pixels, colorType=skia.kRGBA_8888_ColorType, copy=False)
    across, down = pixels.shape[1], pixels.shape[0]
    left, top, w, h = picture_place((across, down), layer.fill.tile, layer.frame)
    _, _, width, height = layer.frame
    smooth = skia.SamplingOptions(skia.FilterMode.kLinear, skia.MipmapMode.kLinear)
    canvas.save()
    canvas.clipPath(layer_path(layer), True)
    repeats = layer.fill.tile < 1
    columns = range(-1, math.ceil(width / w) + 1) if repeats else range(1)
    rows = range(-1, math.ceil(height / h) + 1) if repeats else range(1)
    for row in rows:
        for column in columns:
            place = skia.Rect.MakeXYWH(left + column * w, top + row * h, w, h)
            canvas.drawImageRect(image, place, smooth)
    canvas.restore()


def paint_layers(
    canvas: skia.Canvas, drawing: Drawing, images: Images, vectors: bool = False
) -> None:
    """Paint all layers in module units on a canvas that is scaled already.

    With `vectors` patterns are drawn shape by shape, for pages that can be
    scaled later. Effects are drawn on pixels only.
    """
    relief = drawing.relief
    shaded = relief.shadow.strength > 0
    for layer in drawing.layers:
        if shaded and layer.role in LIT:
            shaded = False  # one shadow for all of them, beneath the first
            cast_shadow(canvas, [each for each in drawing.layers if each.role in LIT], relief)
        _paint_layer(canvas, layer, images, vectors)
        if layer.role in LIT and not layer.stroke:
            light(canvas, layer, relief)


LIT = ("modules", "ring", "eye")
"""Roles that effects are for."""


def cast_shadow(canvas: skia.Canvas, layers: Sequence[Layer], relief: Relief) -> None:
    """The shadow of some layers, all in one, so that it is no darker where they touch."""
    shadow = relief.shadow
    paint = skia.Paint(Alphaf=shadow.strength)
    if shadow.blur > 0:
        paint.setImageFilter(skia.ImageFilters.Blur(shadow.blur / 2, shadow.blur / 2))
    canvas.saveLayer(None, paint)
    canvas.translate(shadow.dx, shadow.dy)
    for layer in layers:
        canvas.drawPath(layer_path(layer), skia.Paint(Color=_colour(SHADE), AntiAlias=True))
    canvas.restore()


def light(canvas: skia.Canvas, layer: Layer, relief: Relief) -> None:
    """Inner shadow and bevel of a layer."""
    inner, bevel = relief.inner, relief.bevel
    if inner.strength > 0:
        _edge(canvas, layer, SHADE, inner.strength, inner.blur, inner.dx, inner.dy)
    if bevel.strength > 0:
        turn = math.radians(bevel.angle)
        dx, dy = bevel.width * math.cos(turn), bevel.width * math.sin(turn)
        blur = bevel.width / 2
        _edge(canvas, layer, SHADE, bevel.strength, blur, dx, dy)
        _edge(canvas, layer, SHINE, bevel.strength, blur, -dx, -dy)


def _edge(
    canvas: skia.Canvas, layer: Layer, colour: str, strength: float, blur: float,
    dx: float, dy: float,
) -> None:  # fmt: skip
    """The part of a layer's shape that its own blurred and moved shape leaves free."""
    path = layer_path(layer)
    canvas.saveLayer(None, skia.Paint(Alphaf=strength))
    canvas.drawPath(path, skia.Paint(Color=_colour(colour), AntiAlias=True))
    out = skia.Paint(BlendMode=skia.BlendMode.kDstOut)
    if blur > 0:
        out.setImageFilter(skia.ImageFilters.Blur(blur / 2, blur / 2))
    canvas.saveLayer(None, out)
    canvas.translate(dx, dy)
    canvas.drawPath(path, skia.Paint(AntiAlias=True))
    canvas.restore()
    canvas.restore()


def _paint_layer(canvas: skia.Canvas, layer: Layer, images: Images, vectors: bool) -> None:
    if vectors and layer.fill.kind in ("stripes", "dots", "weave"):
        _tiled(canvas, layer)
        return
    if layer.fill.kind == "picture":
        _pictured(canvas, layer, images)
        return
    paint = skia.Paint(AntiAlias=True)
    if layer.fill.kind == "solid":
        paint.setColor(_colour(layer.fill.colour))
    else:
        paint.setShader(_shader(layer.fill, layer.frame))
    if layer.stroke:
        paint.setStyle(skia.Paint.kStroke_Style)
        paint.setStrokeWidth(layer.stroke)
        paint.setStrokeJoin(skia.Paint.kRound_Join)
    canvas.drawPath(layer_path(layer), paint)


def raster(
    drawing: Drawing,
    side: int,
    images: Images | None = None,
    part: tuple[float, float, float] | None = None,
) -> np.ndarray:
    """Paint a drawing, or a square part of it, on pixels.

    Parameters
    ----------
    drawing : Drawing
    side : int
        Pixels a side.
    images : mapping of str to ndarray, optional
        Pictures that fills need, by digest.
    part : (float, float, float), optional
        x, y and side of the part in modules; it may reach beyond the drawing.

    Returns
    -------
    ndarray of uint8, side × side × 4
        sRGB with straight alpha.
    """
    out = np.zeros((side, side, 4), np.uint8)
    info = skia.ImageInfo.Make(
        side, side, skia.kRGBA_8888_ColorType, skia.kPremul_AlphaType, skia.ColorSpace.MakeSRGB()
    )
    surface = skia.Surface.MakeRasterDirect(info, out, out.strides[0])
    canvas = surface.getCanvas()
    x, y, extent = part or (0, 0, drawing.side)
    canvas.scale(side / extent, side / extent)
    canvas.translate(-x, -y)
    paint_layers(canvas, drawing, images or {})
    surface.flushAndSubmit()
    for part in strips(side):
        rows = out[part]
        if not (rows[..., 3] == 255).all():
            alpha = rows[..., 3:].astype(np.uint16)
            straight = (rows[..., :3].astype(np.uint16) * 255 + alpha // 2) // np.maximum(alpha, 1)
            rows[..., :3] = np.minimum(straight, 255)
    return out
