"""Painting marks: as paths, on the square's pixels."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from functools import lru_cache
from typing import Any

import numpy as np

from nimble_tile.core.blend import quiet
from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.marks.inks import LEAST_LUMA, LUMA, MOST_LUMA, Palette, richer_pixels
from nimble_tile.core.blend.marks.parts import Flat, Marked, border, faded, parts
from nimble_tile.core.blend.marks.shapes import stamp
from nimble_tile.core.blend.marks.solving import LEAST_SIZE, cost, solve
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.look import Look
from nimble_tile.core.piece import Blend
from nimble_tile.core.symbol.looks.paths import Path, joined

SIZES = 13
"""Sizes of marks where sizes tell the strength."""

REACHES = 1.5
"""Standard deviations of a texture that must have room on the scale of tones."""

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
    return plan.once("marked", _key(settings, strength), lambda: _marked(plan, settings, strength))


def _key(settings: Blend, strength: np.ndarray) -> tuple:
    """All that marks depend on."""
    return strength.tobytes(), settings.darks, settings.lights, settings.marks, settings.colours


def _marked(plan: Plan, settings: Blend, strength: np.ndarray) -> Marked:
    import cv2

    own = settings.marks
    palette = _palette(plan, settings)
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


def _palette(plan: Plan, settings: Blend) -> Palette:
    by_look = settings.colours == "look" and plan.look.coloured
    return plan.once("palette", by_look, lambda: Palette(plan, by_look))


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


def textured(
    plan: Plan, marks: Iterable[Flat], ground: np.ndarray, settings: Blend
) -> np.ndarray:  # fmt: skip
    """Marks in which the texture below is seen: each as light as it must be on average.

    Parameters
    ----------
    plan : Plan
    marks : iterable of Flat
    ground : ndarray of uint8, S × S × 3
        What they lie on.
    settings : Blend

    Returns
    -------
    ndarray of uint8, S × S × 3
    """
    import cv2

    paths, scale = _in_order(marks), plan.side / plan.modules
    flat = _paint(ground, paths, scale)
    white = [((255, 255, 255), path, smooth) for _, path, smooth in paths]
    cover = _paint(np.zeros_like(ground), white, scale)[..., 0].astype(np.float32) / 255
    tone, below = cv2.cvtColor(flat, cv2.COLOR_RGB2GRAY), plan.luma.astype(np.float32)

    def means(field: np.ndarray) -> np.ndarray:
        size = (plan.modules, plan.modules)
        return cv2.resize(field * inside, size, interpolation=cv2.INTER_AREA)

    def pixels(grid: np.ndarray) -> np.ndarray:
        # Each has its own module's, as marks reach over no border of one.
        return cv2.resize(grid, (plan.side, plan.side), interpolation=cv2.INTER_NEAREST)

    # Their edges are mixed with what is below: they count where a mark is nothing but edge.
    inside = (cover == 1) + np.float32(1e-3) * cover
    area = np.maximum(means(np.ones_like(cover)), np.float32(1e-9))
    middle, own = means(tone.astype(np.float32)) / area, means(below) / area
    spread = np.sqrt(np.maximum(means(below * below) / area - own * own, 1))
    # Less of it where the scale would cut it off, so that the mark stays as light as it is.
    room = np.minimum(middle - LEAST_LUMA, MOST_LUMA - middle)
    share = np.clip(room / (REACHES * spread), 0, settings.marks.texture).astype(np.float32)
    after = pixels(middle - share * own) + pixels(share) * below
    after = np.rint(np.clip(after, LEAST_LUMA, MOST_LUMA)).astype(np.uint8)
    if settings.colours == "look" and plan.look.coloured:
        moved = move_luma(flat, tone, after)
    else:
        moved = move_luma(plan.square, plan.luma, after, plan.colours)
        darker = (after < below) & (cover > 0)
        moved[darker] = richer_pixels(moved[darker], after[darker])
    share = cover[..., None]
    return np.rint(ground + share * (moved.astype(np.float32) - ground)).astype(np.uint8)


def layers(plan: Plan, settings: Blend, strength: np.ndarray) -> tuple[Marked, np.ndarray]:
    """What is laid as flat areas, and what these lie on (uint8 S × S × 3): the square itself, or
    with marks in which its texture is seen."""
    flats = marked(plan, settings, strength)
    ground = faded(plan, settings.marks, strength)
    if not settings.marks.texture:
        return flats, ground
    marks = [flat for flat in flats.flats if flat.role == "mark"]
    parts = tuple(flat for flat in flats.flats if flat.role != "mark")
    if not marks:
        return Marked(parts), ground
    key = _key(settings, strength)
    return Marked(parts), plan.once(
        "textured", key, lambda: textured(plan, marks, ground, settings)
    )  # fmt: skip


def bordered(
    plan: Plan, out: np.ndarray, settings: Blend, strength: np.ndarray
) -> np.ndarray:  # fmt: skip
    """A square by another method (uint8 S × S × 3, changed in place) with the picture itself and
    a border in its quiet zone."""
    ground = faded(plan, settings.marks, strength)
    for place in quiet.strips(plan):
        out[place] = ground[place]
    laid = border(plan, settings.marks, _palette(plan, settings), strength)
    return _paint(out, _in_order(laid), plan.side / plan.modules)


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with `Blend.marks`. Returns uint8 S × S × 3."""
    laid, ground = layers(plan, settings, strength)
    out = _paint(ground, _in_order(laid.flats), plan.side / plan.modules)
    if settings.quiet == "plain" and plan.quiet_zone:  # instead of a border
        for place in quiet.strips(plan):
            out[place] = plan.square[place]
        quiet.lay_plain(plan, out, float(strength[0, 0]))
    return out
