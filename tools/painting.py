"""Shared means of the scripts that draw the demo artwork.

Everything is drawn from a seed with numpy and skia; no found pictures. Images
are float32 H × W × 3 in linear light unless a name says otherwise.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import skia

ASSETS = Path(__file__).parent.parent / "src" / "nimble_tile" / "assets"
DEMO = ASSETS / "demo"
ARTWORK = ASSETS / "artwork"


def colour(code: str) -> np.ndarray:
    """``#rrggbb`` as linear light, shape (3,)."""
    value = np.array([int(code[i : i + 2], 16) for i in (1, 3, 5)], np.float32) / 255
    return to_linear(value)


def to_linear(srgb: np.ndarray) -> np.ndarray:
    """SRGB, 0 to 1, to linear light (IEC 61966-2-1)."""
    return np.where(srgb <= 0.04045, srgb / 12.92, ((srgb + 0.055) / 1.055) ** 2.4).astype(
        np.float32
    )


def to_srgb8(linear: np.ndarray) -> np.ndarray:
    """Linear light to 8-bit sRGB."""
    x = np.clip(linear, 0, 1)
    s = np.where(x <= 0.0031308, 12.92 * x, 1.055 * x ** (1 / 2.4) - 0.055)
    return np.clip(s * 255 + 0.5, 0, 255).astype(np.uint8)


def gradient(stops: list[tuple[float, str]], at: np.ndarray) -> np.ndarray:
    """Colours of a gradient, blended in a perceptual (sRGB) mix, as linear light."""
    places = [place for place, _ in stops]
    values = np.array([[int(c[i : i + 2], 16) for i in (1, 3, 5)] for _, c in stops]) / 255
    mixed = np.stack([np.interp(at, places, values[:, i]) for i in range(3)], -1)
    return to_linear(mixed)


def noise(rng: np.random.Generator, shape: tuple[int, int], scale: tuple[float, float],
          octaves: int = 5) -> np.ndarray:  # fmt: skip
    """Smooth fractal noise, about -1 to 1; `scale` is the coarsest cell (x, y) in pixels."""
    height, width = shape
    total = np.zeros(shape, np.float32)
    strength = 1.0
    for octave in range(octaves):
        cells = (
            max(2, round(width / scale[0] * 2**octave)) + 3,
            max(2, round(height / scale[1] * 2**octave)) + 3,
        )
        if cells[0] > width or cells[1] > height:
            break
        field = rng.normal(size=(cells[1], cells[0])).astype(np.float32)
        total += strength * cv2.resize(field, (width, height), interpolation=cv2.INTER_CUBIC)
        strength *= 0.5
    return total / 1.6


def glow(shape: tuple[int, int], x: float, y: float, radius: float, power: float = 2.0,
         stretch: float = 1.0) -> np.ndarray:  # fmt: skip
    """A soft light, 1 in the middle, falling off; `stretch` makes it taller."""
    rows = (np.arange(shape[0], dtype=np.float32) - y) / stretch
    columns = np.arange(shape[1], dtype=np.float32) - x
    distance = np.hypot(rows[:, None], columns[None, :]) / radius
    return 1 / (1 + distance**power * (1 + distance))


class Layer:
    """A transparent drawing surface over an image of the same size."""

    def __init__(self, width: int, height: int) -> None:
        self.surface = skia.Surface(width, height)
        self.canvas = self.surface.getCanvas()
        self.canvas.clear(0)

    def over(self, image: np.ndarray, opacity: float = 1.0) -> np.ndarray:
        """Lay the drawing over an image in linear light."""
        pixels = self.surface.toarray(colorType=skia.kRGBA_8888_ColorType)
        alpha = pixels[..., 3:4].astype(np.float32) / 255
        drawn = to_linear(pixels[..., :3].astype(np.float32) / 255)
        return image * (1 - alpha * opacity) + drawn * alpha * opacity

    def alpha(self) -> np.ndarray:
        """Coverage, 0 to 1."""
        return self.surface.toarray(colorType=skia.kRGBA_8888_ColorType)[..., 3] / np.float32(255)


def paint(code: str, alpha: float = 1.0, width: float | None = None, blur: float = 0) -> skia.Paint:
    """A skia paint from ``#rrggbb``."""
    rgb = tuple(int(code[i : i + 2], 16) for i in (1, 3, 5))
    made = skia.Paint(Color=skia.Color(*rgb, round(255 * alpha)), AntiAlias=True)
    if width is not None:
        made.setStyle(skia.Paint.kStroke_Style)
        made.setStrokeWidth(width)
        made.setStrokeCap(skia.Paint.kRound_Cap)
    if blur:
        made.setMaskFilter(skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, blur))
    return made


def blade(x: float, y: float, height: float, lean: float, width: float) -> skia.Path:
    """A reed's leaf: from its foot up to a point, bending over."""
    path = skia.Path()
    tip_x, tip_y = x + lean, y - height
    mid_x, mid_y = x + lean * 0.18, y - height * 0.62
    path.moveTo(x - width / 2, y)
    path.quadTo(mid_x - width / 2, mid_y, tip_x, tip_y)
    path.quadTo(mid_x + width / 2, mid_y, x + width / 2, y)
    path.close()
    return path


def plume(rng: np.random.Generator, x: float, y: float, height: float, lean: float) -> skia.Path:
    """A reed's seed head: many fine strands hanging to one side."""
    path = skia.Path()
    for _ in range(26):
        along = rng.uniform(0, 1)
        from_x, from_y = x + lean * along * 0.5, y - height * (1 - along * 0.85)
        fall = height * rng.uniform(0.18, 0.42)
        side = np.sign(lean or 1) * height * rng.uniform(0.05, 0.30) * (0.35 + along)
        path.moveTo(from_x, from_y)
        path.quadTo(from_x + side * 0.7, from_y - fall * 0.1, from_x + side, from_y + fall)
    return path


def heron_paths(x: float, y: float, height: float) -> tuple[skia.Path, skia.Path]:
    """The heron mark: body as one filled path, legs as strokes.

    Parameters
    ----------
    x, y : float
        Where its feet stand.
    height : float
        From the feet to the crown.
    """
    unit = height / 100

    def at(px: float, py: float) -> tuple[float, float]:
        return x + px * unit, y - py * unit

    body = skia.Path()
    body.moveTo(*at(-34, 26))  # tail
    body.cubicTo(*at(-26, 40), *at(-16, 54), *at(2, 58))  # back
    body.cubicTo(*at(10, 60), *at(15, 65), *at(13, 72))  # shoulder into the neck
    body.cubicTo(*at(11, 79), *at(4, 82), *at(5, 90))  # the S of the neck
    body.cubicTo(*at(6, 97), *at(12, 100.5), *at(18, 99))  # crown
    body.lineTo(*at(2, 103.5))  # plume
    body.lineTo(*at(19, 99.6))
    body.cubicTo(*at(22, 98.6), *at(25, 96.8), *at(27, 95.2))
    body.lineTo(*at(47, 90.2))  # beak
    body.lineTo(*at(26, 91.6))
    body.cubicTo(*at(20, 91), *at(14.5, 90), *at(14, 87))
    body.cubicTo(*at(13.4, 83), *at(21, 79), *at(21.5, 71))  # throat
    body.cubicTo(*at(22, 62), *at(17, 52), *at(8, 43))  # breast
    body.cubicTo(*at(0, 36), *at(-14, 33), *at(-34, 26))
    body.close()
    legs = skia.Path()
    legs.moveTo(*at(1, 40))
    legs.lineTo(*at(3.5, 21))
    legs.lineTo(*at(0.5, 0))
    legs.moveTo(*at(-4.5, 38))
    legs.lineTo(*at(-5.5, 22))
    legs.lineTo(*at(-9.5, 0))
    return body, legs


def lettering(text: str, size: float, weight: str = "Regular") -> tuple[skia.TextBlob, float]:
    """A line of text in the shipped font, and its width."""
    face = skia.Typeface.MakeFromFile(str(ASSETS / "fonts" / f"AlegreyaSans-{weight}.ttf"))
    font = skia.Font(face, size)
    font.setSubpixel(True)
    return skia.TextBlob(text, font), font.measureText(text)
