"""A block-printed pattern: herons, reeds and lanterns in three inks on handmade paper."""

from __future__ import annotations

import cv2
import numpy as np
import skia
from PIL import Image

from painting import ARTWORK, colour, heron_paths, noise, to_srgb8

SIDE, TILE = 1400, 350
INKS = {"green": "#1f5a4c", "indigo": "#223a63", "ochre": "#c8791f"}
SHIFT = {"green": (0.0, 0.0), "indigo": (2.2, -1.6), "ochre": (-2.0, 2.4)}
"""Pixels by which each block was set down beside the first: no hand is exact."""


def ink() -> skia.Paint:
    return skia.Paint(Color=skia.ColorBLACK, AntiAlias=True)


def line(width: float) -> skia.Paint:
    made = ink()
    made.setStyle(skia.Paint.kStroke_Style)
    made.setStrokeWidth(width)
    made.setStrokeCap(skia.Paint.kRound_Cap)
    return made


def cut(width: float) -> skia.Paint:
    """A line that the gouge took away."""
    made = line(width)
    made.setBlendMode(skia.BlendMode.kClear)
    return made


def leaf(
    canvas: skia.Canvas, x: float, y: float, length: float, angle: float, width: float
) -> None:
    """A pointed leaf with its rib carved out."""
    canvas.save()
    canvas.translate(x, y)
    canvas.rotate(angle)
    path = skia.Path()
    path.moveTo(0, 0)
    path.cubicTo(width, -length * 0.3, width * 0.7, -length * 0.75, 0, -length)
    path.cubicTo(-width * 0.7, -length * 0.75, -width, -length * 0.3, 0, 0)
    canvas.drawPath(path, ink())
    canvas.drawLine(0, -length * 0.08, 0, -length * 0.86, cut(2.2))
    for step in np.linspace(0.24, 0.72, 4):
        for side in (-1, 1):
            canvas.drawLine(
                0, -length * step, side * width * 0.55, -length * (step + 0.12), cut(1.6)
            )
    canvas.restore()


def heron(canvas: skia.Canvas, x: float, y: float, height: float, flip: bool) -> None:
    """The heron, its feathers carved as rows of strokes."""
    canvas.save()
    canvas.translate(x, y)
    if flip:
        canvas.scale(-1, 1)
    body, legs = heron_paths(0, 0, height)
    canvas.drawPath(body, ink())
    canvas.drawPath(legs, line(height * 0.026))
    canvas.clipPath(body, skia.ClipOp.kIntersect, True)
    unit = height / 100
    for row in range(5):
        for column in range(7):
            px, py = -29 + 6.2 * column + 2.4 * row, 31 + 5.0 * row + 1.5 * column
            path = skia.Path()
            path.moveTo(px * unit, -py * unit)
            path.quadTo(
                (px - 2.6) * unit, -(py + 2.5) * unit, (px - 5.4) * unit, -(py - 0.2) * unit
            )
            canvas.drawPath(path, cut(1.25 * unit))
    canvas.drawCircle(20 * unit, -95.6 * unit, 1.5 * unit, cut(1.2 * unit))
    canvas.restore()


def lantern(canvas: skia.Canvas, x: float, y: float, size: float) -> None:
    """A hanging lantern with rays."""
    canvas.save()
    canvas.translate(x, y)
    for number in range(16):
        angle = 2 * np.pi * (number + 0.5) / 16
        reach = size * (1.25 if number % 2 else 1.02)
        c, s = np.cos(angle), np.sin(angle)
        canvas.drawLine(c * size * 0.8, s * size * 0.8, c * reach, s * reach, line(size * 0.065))
    canvas.drawRoundRect(skia.Rect.MakeLTRB(-size * 0.34, -size * 0.42, size * 0.34, size * 0.46),
                         size * 0.1, size * 0.1, ink())  # fmt: skip
    for px in (-0.14, 0.14):
        canvas.drawLine(px * size, -size * 0.30, px * size, size * 0.34, cut(size * 0.07))
    roof = skia.Path()
    roof.moveTo(-size * 0.44, -size * 0.42)
    roof.lineTo(0, -size * 0.72)
    roof.lineTo(size * 0.44, -size * 0.42)
    roof.close()
    canvas.drawPath(roof, ink())
    canvas.restore()


def seed_head(canvas: skia.Canvas, x: float, y: float, length: float, lean: float) -> None:
    """A bulrush: stalk, cob with carved rings, point."""
    path = skia.Path()
    path.moveTo(x, y)
    path.quadTo(x + lean * 0.2, y - length * 0.6, x + lean, y - length)
    canvas.drawPath(path, line(3.4))
    canvas.save()
    canvas.translate(x + lean, y - length)
    canvas.rotate(float(np.degrees(np.arctan2(lean, length)) * 1.3))
    canvas.drawRoundRect(skia.Rect.MakeLTRB(-8, -52, 8, 6), 8, 8, ink())
    for step in range(5):
        canvas.drawLine(-5, -42 + 10 * step, 5, -38 + 10 * step, cut(1.8))
    canvas.drawLine(0, -54, 0, -70, line(2.6))
    canvas.restore()


def block(name: str, canvas: skia.Canvas, flip: bool) -> None:
    """What one block prints in a tile of `TILE` × `TILE`."""
    mid = TILE / 2
    if name == "indigo":
        heron(canvas, mid + (-8 if flip else 8), mid + 92, 196, flip)
        for number in range(5):
            y = mid + 100 + 11 * number
            for start in range(-2, 3):
                x = mid + 62 * start + (31 if number % 2 else 0)
                path = skia.Path()
                path.moveTo(x - 24, y)
                path.quadTo(x, y - 8, x + 24, y)
                canvas.drawPath(path, line(2.8))
    elif name == "green":
        for side in (-1, 1):
            for number in range(5):
                leaf(canvas, mid + side * (118 + 9 * number), mid + 150, 150 - 17 * number,
                     side * (4 + 15 * number), 13)  # fmt: skip
            seed_head(canvas, mid + side * 126, mid + 146, 196, side * 22)
        for number in range(12):
            angle = 30 * number
            leaf(canvas, 0, 0, 50, angle, 10)
            for cx, cy in ((TILE, 0), (0, TILE), (TILE, TILE)):
                leaf(canvas, cx, cy, 50, angle, 10)
    else:
        lantern(canvas, mid + (-78 if not flip else 78), mid - 92, 46)
        for cx, cy in ((0, 0), (TILE, 0), (0, TILE), (TILE, TILE)):
            canvas.drawCircle(cx, cy, 11, ink())
        for number in range(9):
            angle = 2 * np.pi * number / 9
            canvas.drawCircle(mid + (104 if not flip else -104) + 20 * np.cos(angle),
                              mid - 128 + 20 * np.sin(angle), 4.4, ink())  # fmt: skip


def plate(name: str, rng: np.random.Generator) -> np.ndarray:
    """Where an ink lies on the sheet, 0 to 1: each tile is set down by hand."""
    surface = skia.Surface(SIDE, SIDE)
    canvas = surface.getCanvas()
    canvas.clear(0)
    for row in range(-1, SIDE // TILE + 1):
        for column in range(-1, SIDE // TILE + 2):
            canvas.saveLayer()
            canvas.translate(column * TILE - (TILE / 2 if row % 2 else 0), row * TILE)
            dx, dy = SHIFT[name] + rng.normal(0, 1.1, 2)
            canvas.translate(float(dx), float(dy))
            canvas.rotate(float(rng.normal(0, 0.28)), TILE / 2, TILE / 2)
            block(name, canvas, (row + column) % 2 == 0)
            canvas.restore()
    cover = surface.toarray(colorType=skia.kRGBA_8888_ColorType)[..., 3] / np.float32(255)
    # Ink gathers at the edges of a block and is thin where the roller missed.
    inner = cv2.GaussianBlur(cover, (0, 0), 5)
    edge = np.clip(cover - inner, 0, 1)
    grain = 0.5 + 0.5 * noise(rng, (SIDE, SIDE), (7, 7), 2)
    patch = 0.5 + 0.5 * noise(rng, (SIDE, SIDE), (260, 260), 4)
    thin = np.clip(1.28 - 0.55 * np.clip(grain, 0, 1) - 0.32 * np.clip(patch, 0, 1), 0, 1)
    speck = (noise(rng, (SIDE, SIDE), (3, 3), 1) > 1.05 - 0.25 * patch).astype(np.float32)
    return np.clip(cover * np.clip(thin + 0.9 * edge, 0, 1) * (1 - 0.8 * speck), 0, 1)


def main() -> None:
    rng = np.random.default_rng(23)
    fibre = noise(rng, (SIDE, SIDE), (26, 4), 3) + noise(rng, (SIDE, SIDE), (4, 26), 3)
    shade = 1 + 0.018 * fibre + 0.012 * noise(rng, (SIDE, SIDE), (500, 500), 3)
    image = colour("#f0e6d2") * shade[..., None]
    for name, tone in INKS.items():
        cover = plate(name, rng)[..., None] * 0.96
        # Inks are transparent: where they meet they darken.
        image = image * (1 - cover) + image * colour(tone) * 1.12 * cover
    Image.fromarray(to_srgb8(image)).save(ARTWORK / "print.jpg", quality=91, subsampling=0)


if __name__ == "__main__":
    main()
