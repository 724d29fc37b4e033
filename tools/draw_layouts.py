"""Layouts of the Saltmarsh Lantern Walk: a visiting card and a ticket, each with a place."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import skia
from PIL import Image

from painting import DEMO, heron_paths, lettering, paint

LAYOUTS = DEMO.parent / "layouts"
PAPER, GREEN, GOLD, INK, DUSK = "#f6efdf", "#1d5740", "#e0a44a", "#1d2a24", "#26415a"


def words(canvas: skia.Canvas, text: str, x: float, y: float, size: float, colour: str,
          weight: str = "Regular") -> None:  # fmt: skip
    blob, _ = lettering(text, size, weight)
    canvas.drawTextBlob(blob, x, y, paint(colour))


def heron(canvas: skia.Canvas, x: float, y: float, height: float, colour: str) -> None:
    body, legs = heron_paths(x, y, height)
    canvas.drawPath(body, paint(colour))
    line = paint(colour, width=height * 0.026)
    line.setStyle(skia.Paint.kStroke_Style)
    line.setStrokeCap(skia.Paint.kRound_Cap)
    canvas.drawPath(legs, line)


def reeds(canvas: skia.Canvas, rng: np.random.Generator, left: float, right: float, foot: float,
          height: float, colour: str) -> None:  # fmt: skip
    for x in np.sort(rng.uniform(left, right, int((right - left) / 9))):
        tall = height * rng.uniform(0.4, 1)
        lean = rng.normal(0, 0.1) * tall
        path = skia.Path()
        path.moveTo(x - 2.4, foot)
        path.quadTo(x + lean * 0.3, foot - tall * 0.6, x + lean, foot - tall)
        path.quadTo(x + lean * 0.3 + 3, foot - tall * 0.55, x + 2.4, foot)
        path.close()
        canvas.drawPath(path, paint(colour, rng.uniform(0.5, 1)))


def grain(surface: skia.Surface, seed: int) -> np.ndarray:
    pixels = surface.toarray(colorType=skia.kRGBA_8888_ColorType)[..., :3].astype(np.float32)
    rng = np.random.default_rng(seed)
    fine = rng.normal(0, 1.6, pixels.shape[:2])[..., None]
    return np.clip(pixels + fine, 0, 255).astype(np.uint8)


def card() -> tuple[np.ndarray, list[tuple[float, float]]]:
    """A visiting card lying on dark wood-green cloth, seen from above."""
    width, height = 1500, 1000
    surface = skia.Surface(width, height)
    canvas = surface.getCanvas()
    shader = skia.GradientShader.MakeRadial(
        skia.Point(620, 380), 1150, [0xFF33514A, 0xFF1B2E2B], [0.0, 1.0]
    )
    canvas.drawPaint(skia.Paint(Shader=shader))
    rng = np.random.default_rng(5)
    for _ in range(2600):
        x, y = rng.uniform(0, width), rng.uniform(0, height)
        canvas.drawLine(x, y, x + rng.normal(0, 9), y + rng.normal(0, 2),
                        paint("#ffffff", 0.018, width=1.2))  # fmt: skip
    canvas.save()
    canvas.rotate(-4, width / 2, height / 2)
    box = skia.Rect.MakeXYWH(190, 205, 1120, 600)
    canvas.drawRoundRect(box.makeOffset(10, 22), 14, 14, paint("#08110f", 0.55, blur=24))
    canvas.drawRoundRect(box, 14, 14, paint(PAPER))
    canvas.save()
    canvas.clipRRect(skia.RRect.MakeRectXY(box, 14, 14), True)
    canvas.drawCircle(330, 860, 250, paint(GOLD, 0.28))
    reeds(canvas, rng, 180, 760, 815, 190, GREEN)
    canvas.restore()
    heron(canvas, 330, 520, 210, GREEN)
    words(canvas, "Redshank Marsh Trust", 250, 590, 50, INK, "Bold")
    words(canvas, "The Saltmarsh Lantern Walk", 252, 636, 34, GREEN)
    words(canvas, "lanternwalk.example", 830, 758, 32, INK)
    place = skia.Rect.MakeXYWH(850, 270, 400, 430)
    canvas.drawRoundRect(place.makeOutset(4, 4), 10, 10, paint(GREEN, 0.35, width=2))
    matrix = canvas.getTotalMatrix()
    canvas.restore()
    corners = [(place.left(), place.top()), (place.right(), place.top()),
               (place.right(), place.bottom()), (place.left(), place.bottom())]  # fmt: skip
    quad = [matrix.mapXY(x, y) for x, y in corners]
    return grain(surface, 3), [(round(p.x(), 1), round(p.y(), 1)) for p in quad]


def ticket() -> tuple[np.ndarray, list[tuple[float, float]]]:
    """A long ticket with a stub, upright on pale linen."""
    width, height = 1600, 900
    surface = skia.Surface(width, height)
    canvas = surface.getCanvas()
    canvas.drawPaint(paint("#d9d2c1"))
    rng = np.random.default_rng(9)
    for _ in range(1200):
        x, y = rng.uniform(0, width), rng.uniform(0, height)
        canvas.drawLine(x, y, x + rng.normal(0, 26), y, paint("#8b8169", 0.05, width=1.4))
    left, top, right, bottom, tear, notch = 110, 150, 1490, 750, 1060, 30
    path = skia.Path()
    path.addRoundRect(skia.Rect.MakeLTRB(left, top, right, bottom), 26, 26)
    holes = skia.Path()
    holes.addCircle(tear, top, notch)
    holes.addCircle(tear, bottom, notch)
    path = skia.Op(path, holes, skia.PathOp.kDifference_PathOp)
    canvas.save()
    canvas.translate(6, 14)
    canvas.drawPath(path, paint("#4a4231", 0.4, blur=16))
    canvas.restore()
    canvas.save()
    canvas.clipPath(path, True)
    sky = skia.GradientShader.MakeLinear(
        [skia.Point(0, top), skia.Point(0, bottom)],
        [0xFF24364F, 0xFF6F6F8C, 0xFFE8A96C, 0xFFF3CF93], [0, 0.42, 0.74, 1],
    )  # fmt: skip
    canvas.drawRect(skia.Rect.MakeLTRB(left, top, tear, bottom), skia.Paint(Shader=sky))
    canvas.drawCircle(860, 470, 74, paint("#f8e3b4", 0.95))
    canvas.drawRect(skia.Rect.MakeLTRB(left, 610, tear, bottom), paint(DUSK, 0.75))
    for y in range(622, 745, 11):
        canvas.drawLine(790 - (y - 610) * 0.8, y, 930 + (y - 610) * 0.8, y,
                        paint("#f8e3b4", 0.5, width=2.4))  # fmt: skip
    reeds(canvas, rng, 560, 1060, 770, 230, "#162326")
    heron(canvas, 700, 700, 260, "#162326")
    canvas.drawRect(skia.Rect.MakeLTRB(tear, top, right, bottom), paint(PAPER))
    canvas.restore()
    for y in range(top + 46, bottom - 30, 16):
        canvas.drawCircle(tear, y, 3, paint(INK, 0.6))
    words(canvas, "Saltmarsh", 160, 300, 104, "#fdf4e0", "Bold")
    words(canvas, "Lantern Walk", 160, 400, 104, "#fdf4e0", "Bold")
    words(canvas, "An evening through the reed beds", 164, 460, 40, "#fdf4e0")
    words(canvas, "Admit one", 164, 700, 44, "#fdf4e0", "Medium")
    words(canvas, "Gate 2", 1125, 690, 40, INK, "Medium")
    words(canvas, "No. 0417", 1320, 690, 40, INK)
    return grain(surface, 4), [(1120, 205), (1430, 205), (1430, 635), (1120, 635)]


def main() -> None:
    LAYOUTS.mkdir(parents=True, exist_ok=True)
    made = {}
    for name, draw in (("card", card), ("ticket", ticket)):
        pixels, quad = draw()
        Image.fromarray(pixels).save(LAYOUTS / f"{name}.jpg", quality=92, subsampling=0)
        made[name] = {"file": f"{name}.jpg", "quad": quad}
    # The poster's own water is the place there.
    made["poster"] = {
        "file": "demo/poster.jpg",
        "quad": [(760, 1120), (1120, 1120), (1120, 1540), (760, 1540)],
    }
    text = json.dumps(made, indent=1)
    Path(LAYOUTS / "layouts.json").write_text(text + "\n", "utf-8")


if __name__ == "__main__":
    main()
