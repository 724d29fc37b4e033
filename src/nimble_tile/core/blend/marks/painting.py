"""Painting marks: as paths, on the square's pixels."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from functools import lru_cache
from typing import Any

import numpy as np

from nimble_tile.core.blend import quiet
from nimble_tile.core.blend.marks.inks import LUMA, Palette
from nimble_tile.core.blend.marks.parts import Flat, Marked, faded, parts
from nimble_tile.core.blend.marks.shapes import stamp
from nimble_tile.core.blend.marks.solving import LEAST_SIZE, cost, solve
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.look import Look
from nimble_tile.core.piece import Blend
from nimble_tile.core.symbol.looks.paths import Path, joined

SIZES = 13
"""Sizes of marks where sizes tell the strength."""

FINE = 16
"""Pixels a cell at which it is measured how much a mark covers of it."""


@lru_cache(maxsize=64)
def _covers(shape: str, look: Look, size: float, cells: int) -> np.ndarray:
    """What a mark covers of its module's cells (float32 cells × cells, 0 to 1)."""
    fine = cells * FINE
    canvas = np.zeros((fine, fine, 3), np.uint8)
    paths = [((255, 255, 255), stamp(shape, look).moved(0.5, 0.5, scale=size), True)]
    painted = _paint(canvas, paths, fine)[..., 0].astype(np.float32) / 255
    return painted.reshape(cells, FINE, cells, FINE).mean((1, 3))


def marked(plan: Plan, settings: Blend, strength: np.ndarray) -> Marked:
    """All that is laid on a square; remembered with it."""
    key = (strength.tobytes(), settings.darks, settings.lights, settings.marks, settings.colours)
    return plan.once("marked", key, lambda: _marked(plan, settings, strength))


def _marked(plan: Plan, settings: Blend, strength: np.ndarray) -> Marked:
    import cv2

    own = settings.marks
    by_look = settings.colours == "look" and plan.look.coloured
    palette = plan.once("palette", by_look, lambda: Palette(plan, by_look))
    drawn = list(parts(plan, own, palette, strength))
    cells = cost(plan).cells
    side = plan.modules * cells
    # Seen in more pixels than there are cells: the parts' edges lie between these.
    small = cv2.resize(plan.square, (4 * side, 4 * side), interpolation=cv2.INTER_AREA if (
        plan.side >= 4 * side) else cv2.INTER_LINEAR)  # fmt: skip
    ground = faded(plan, own, strength)
    below = (
        small
        if ground is plan.square
        else cv2.resize(ground, small.shape[1::-1], interpolation=cv2.INTER_AREA)
    )
    with_parts = _paint(below, _in_order(drawn), 4 * side / plan.modules)
    seen = (with_parts.astype(np.float32) - small) @ LUMA
    base = cv2.resize(seen, (side, side), interpolation=cv2.INTER_AREA)
    sizes = [1.0] if own.by == "lightness" else list(np.linspace(1, LEAST_SIZE, SIZES))
    stamps = [_covers(own.shape, plan.look.bare, own.size * s, cells) for s in sizes]
    found = solve(plan, settings, strength, stamps, base)
    shape = stamp(own.shape, plan.look)
    turns = directions(plan) if own.shape == "dash" else np.zeros(found.tone.shape)
    inks = palette.marks(found.there, found.tone)
    for (row, column), ink in zip(np.argwhere(found.there), inks, strict=True):
        scale = own.size * float(found.size[row, column])
        path = shape.moved(column + 0.5, row + 0.5, scale, float(turns[row, column]))
        drawn.append(Flat(path, ink, "mark", tiled=own.shape == "square" and scale == 1))
    return Marked(tuple(drawn))


def directions(plan: Plan) -> np.ndarray:
    """Along which way the picture runs in each module (N × N, radians, clockwise from
    left → right): the weaker axis of its structure tensor."""
    import cv2

    luma = plan.luma.astype(np.float32)
    across = cv2.Sobel(luma, cv2.CV_32F, 1, 0)
    down = cv2.Sobel(luma, cv2.CV_32F, 0, 1)
    size = (plan.modules, plan.modules)
    xx, yy, xy = (
        cv2.GaussianBlur(cv2.resize(field, size, interpolation=cv2.INTER_AREA), (0, 0), 1.2)
        for field in (across * across, down * down, across * down)
    )
    return 0.5 * np.arctan2(2 * xy, xx - yy) + np.pi / 2


def _in_order(flats: Iterable[Flat]) -> list[tuple[tuple, Path, bool]]:
    """Areas with their colours, as they lie on each other, and whether they have smooth edges;
    marks of one colour at once, as these cover nothing of each other."""
    found, stamps = [], defaultdict(list)
    for flat in flats:
        if flat.role == "mark":
            stamps[flat.colour, not flat.tiled].append(flat.path)
        else:
            found.append((flat.colour, flat.path, True))
    for (colour, smooth), own in stamps.items():
        found.append((colour, joined(own, own[0].even_odd), smooth))
    return found


def _paint(square: np.ndarray, paths: list[tuple[tuple, Path, bool]], scale: float) -> np.ndarray:
    """Paths in their colours painted on a square (uint8 S × S × 3), with so many pixels a
    module."""
    import skia

    side = square.shape[0]
    out = np.full((side, side, 4), 255, np.uint8)
    out[..., :3] = square
    info = skia.ImageInfo.Make(
        side, side, skia.kRGBA_8888_ColorType, skia.kOpaque_AlphaType, skia.ColorSpace.MakeSRGB()
    )
    surface = skia.Surface.MakeRasterDirect(info, out, out.strides[0])
    canvas = surface.getCanvas()
    canvas.scale(scale, scale)
    _draw(canvas, paths)
    surface.flushAndSubmit()
    return out[..., :3].copy()


def _draw(canvas: Any, paths: Iterable[tuple[tuple, Path, bool]]) -> None:
    import skia

    from nimble_tile.core.symbol.looks.paint import to_skia

    for (red, green, blue), path, smooth in paths:
        paint = skia.Paint(Color=skia.Color(red, green, blue), AntiAlias=smooth)
        canvas.drawPath(to_skia(path), paint)


def paint_flats(canvas: Any, flats: Iterable[Flat]) -> None:
    """Paint areas on a canvas of skia that counts in modules."""
    _draw(canvas, _in_order(flats))


def on_nothing(
    flats: Iterable[Flat], size: tuple[int, int], matrix: np.ndarray
) -> np.ndarray:  # fmt: skip
    """Areas alone, on an image of so many pixels (width, height).

    Parameters
    ----------
    flats : iterable of Flat
    size : (int, int)
    matrix : ndarray of float, 3 × 3
        From modules to pixels.

    Returns
    -------
    ndarray of uint8, H × W × 4
        sRGB with straight alpha.
    """
    import skia

    width, height = size
    out = np.zeros((height, width, 4), np.uint8)
    info = skia.ImageInfo.Make(
        width, height, skia.kRGBA_8888_ColorType, skia.kPremul_AlphaType,
        skia.ColorSpace.MakeSRGB(),
    )  # fmt: skip
    surface = skia.Surface.MakeRasterDirect(info, out, out.strides[0])
    canvas = surface.getCanvas()
    canvas.concat(skia.Matrix.MakeAll(*(float(value) for value in matrix.flat)))
    paint_flats(canvas, flats)
    surface.flushAndSubmit()
    alpha = np.maximum(out[..., 3:].astype(np.float32), 1) / 255
    straight = np.minimum(np.rint(out[..., :3] / alpha), 255).astype(np.uint8)
    return np.dstack([straight, out[..., 3]])


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with `Blend.marks`. Returns uint8 S × S × 3."""
    flats = marked(plan, settings, strength).flats
    ground = faded(plan, settings.marks, strength)
    out = _paint(ground, _in_order(flats), plan.side / plan.modules)
    if settings.quiet == "plain" and plan.quiet_zone:  # instead of a border
        for place in quiet.strips(plan):
            out[place] = plan.square[place]
        quiet.lay_plain(plan, out, float(strength[0, 0]))
    return out
