"""Morning light through mist over the marsh: the tonal richness of a photograph."""

from __future__ import annotations

import cv2
import numpy as np
import skia
from PIL import Image

from painting import DEMO, Layer, blade, colour, glow, gradient, noise, paint, plume, to_srgb8

WIDTH, HEIGHT, SHORE = 1800, 1200, 735
SUN = (1165.0, 300.0)


def tree(canvas: skia.Canvas, rng: np.random.Generator, x: float, y: float, height: float) -> None:
    """A bare, twiggy tree in black."""

    def branch(x0: float, y0: float, angle: float, length: float, width: float, depth: int) -> None:
        angle += rng.normal(0, 0.08)
        mid_x, mid_y = x0 + np.cos(angle) * length / 2, y0 - np.sin(angle) * length / 2
        # Branches seek the light: they bend back towards the sky.
        angle += (np.pi / 2 - angle) * 0.16 + rng.normal(0, 0.10)
        x1, y1 = mid_x + np.cos(angle) * length / 2, mid_y - np.sin(angle) * length / 2
        path = skia.Path()
        path.moveTo(x0, y0)
        path.quadTo(mid_x, mid_y, x1, y1)
        canvas.drawPath(path, paint("#000000", 1, max(0.55, width)))
        if depth == 0:
            return
        for side in (-1, 1):
            turn = side * rng.uniform(0.22, 0.62)
            branch(x1, y1, angle + turn, length * rng.uniform(0.60, 0.82), width * 0.6, depth - 1)
        branch(x1, y1, angle + rng.normal(0, 0.14), length * rng.uniform(0.7, 0.86), width * 0.76,
               depth - 1)  # fmt: skip

    branch(x, y, np.pi / 2 + rng.normal(0, 0.05), height * 0.24, height * 0.026, 6)


def wood(rng: np.random.Generator, rise: float, blur: float) -> np.ndarray:
    """Coverage of a distant wood, 0 to 1: a rolling line of crowns with leafy edges."""
    shape = (SHORE, WIDTH)
    roll = noise(rng, (64, WIDTH), (rise * 5.5, 64), 3)[32]
    crown = np.abs(noise(rng, (64, WIDTH), (rise * 0.62, 64), 3)[32])
    top = SHORE - rise * (0.62 + 0.34 * roll + 0.30 * crown)
    leaves = noise(rng, shape, (rise * 0.30, rise * 0.30), 5)
    rows = np.arange(SHORE, dtype=np.float32)[:, None]
    inside = (rows - top[None, :]) / (rise * 0.10) + leaves * 1.25
    cover = np.clip(inside + 0.5, 0, 1)
    # Light comes through near the tops, less so lower down.
    holes = np.clip(noise(rng, shape, (rise * 0.14, rise * 0.2), 3) - 0.55, 0, 1)
    cover *= 1 - holes * np.clip(1 - (rows - top[None, :]) / rise, 0, 1)
    return cv2.GaussianBlur(cover.astype(np.float32), (0, 0), blur)


def far_shore(rng: np.random.Generator) -> np.ndarray:
    """Sky, sun, woods behind woods, each paler the farther it is, and shafts of light."""
    shape = (SHORE, WIDTH)
    rows = np.linspace(0, 1, SHORE, dtype=np.float32)[:, None]
    drift = 0.05 * noise(rng, shape, (900, 500), 4)
    image = gradient(
        [(0, "#4f6b80"), (0.4, "#8b9a9b"), (0.75, "#cdb48a"), (1, "#dcc090")],
        np.clip(rows + drift, 0, 1),
    )
    light = glow(shape, *SUN, 250, 1.5)
    image += light[..., None] * colour("#ffcf80") * 0.9
    image += glow(shape, *SUN, 40, 3)[..., None] * colour("#fff5da") * 1.3

    open_sky = np.ones(shape, np.float32)
    layers = (
        # rise, lone trees, their height, haze left in front of it, blur
        (300, 0, 0, 0.72, 3.0),
        (230, 3, 330, 0.52, 2.0),
        (165, 4, 460, 0.30, 1.2),
        (84, 3, 660, 0.09, 0.7),
    )
    for rise, count, height, haze, blur in layers:
        layer = Layer(WIDTH, SHORE)
        for _ in range(count):
            x = rng.uniform(0, WIDTH)
            while abs(x - SUN[0]) < 130 and height > 400:
                x = rng.uniform(0, WIDTH)
            tree(layer.canvas, rng, x, SHORE - 8, height * rng.uniform(0.75, 1.1))
        cover = np.maximum(cv2.GaussianBlur(layer.alpha(), (0, 0), blur), wood(rng, rise, blur))
        open_sky *= 1 - cover * (1 - haze * 0.55)
        near = gradient([(0, "#1f2b2c"), (1, "#3a4238")], rows)
        haze_here = haze * (0.75 + 0.45 * rows) + 0.28 * light
        haze_here = np.clip(haze_here + 0.10 * noise(rng, shape, (420, 120), 4), 0, 1)[..., None]
        tone = near * (1 - haze_here) + image * haze_here
        image = image * (1 - cover[..., None]) + tone * cover[..., None]
        mist = np.exp(-(((1 - rows) / 0.13) ** 1.4)) * (
            0.36 + 0.42 * noise(rng, shape, (500, 70), 5)
        )
        mist = np.clip(mist, 0, 0.85)[..., None]
        image = image * (1 - mist) + colour("#e0c79a") * (0.66 + 0.5 * light[..., None]) * mist

    # Shafts: what the branches leave of the sun, smeared away from it.
    shafts = open_sky * np.clip(light * 1.3, 0, 1)
    for _ in range(7):
        spread = shafts.copy()
        for step in (1.012, 1.028, 1.055, 1.09):
            matrix = np.array(
                [[step, 0, SUN[0] * (1 - step)], [0, step, SUN[1] * (1 - step)]], np.float32
            )
            spread += cv2.warpAffine(
                shafts, matrix, (WIDTH, SHORE), borderMode=cv2.BORDER_REPLICATE
            )
        shafts = spread / 5
    detail = shafts - 0.82 * cv2.GaussianBlur(shafts, (0, 0), 60)
    image += np.clip(detail, 0, 1)[..., None] * colour("#ffd68f") * 2.3
    return image


def water(above: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Still water: the shore mirrored, broken by wind in bands, mist lying on it."""
    depth = HEIGHT - SHORE
    near = (np.arange(depth, dtype=np.float32) / depth)[:, None]
    ripple = noise(rng, (depth, WIDTH), (500, 12), 5) + 0.5 * noise(rng, (depth, WIDTH), (90, 5), 4)
    band = np.clip(0.5 + 0.9 * noise(rng, (depth, WIDTH), (1500, 90), 3), 0.05, 1.4)
    columns = np.arange(WIDTH, dtype=np.float32)[None, :] + ripple * band * (3 + 22 * near)
    source = SHORE - 2 - np.arange(depth, dtype=np.float32)[:, None] * 1.12
    source = source + ripple * band * (2 + 34 * near)
    image = cv2.remap(
        above, columns.astype(np.float32), np.clip(source, 0, SHORE - 1).astype(np.float32),
        cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT,
    )  # fmt: skip
    image = cv2.GaussianBlur(image, (0, 0), 1.2, sigmaY=3.0)
    deep = gradient([(0, "#c9bea0"), (0.5, "#6c7775"), (1, "#26353a")], near)
    share = (0.12 + 0.5 * near**1.2)[..., None]
    image = image * (1 - share) + deep * share
    across = np.exp(-(((np.arange(WIDTH, dtype=np.float32) - SUN[0]) / (150 + 320 * near)) ** 2))
    sparks = np.clip(ripple * band - 0.55, 0, 1) ** 1.5 * across
    image += sparks[..., None] * colour("#ffe6b3") * 1.1
    mist = np.exp(-((near / 0.16) ** 1.1)) * (0.72 + 0.3 * noise(rng, (depth, WIDTH), (420, 40), 4))
    mist = np.clip(mist, 0, 0.9)[..., None]
    return image * (1 - mist) + colour("#dcc69c") * mist


def near_reeds(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Reeds at the near shore: sharp ones, and some out of focus right before the lens."""
    rim = colour("#e8c98e")
    for count, low, high, width, blur, opacity in (
        (170, 110, 330, 5, 0.6, 0.93),
        (9, 260, 470, 20, 7.0, 0.8),
    ):
        layer, heads = Layer(WIDTH, HEIGHT), skia.Path()
        for _ in range(count):
            left = rng.random() < 0.62
            edge = abs(rng.normal(0, 0.15 if blur < 2 else 0.05))
            x = edge * WIDTH if left else WIDTH - edge * 0.75 * WIDTH
            height = rng.uniform(low, high) * (1 - min(edge * 1.5, 0.6))
            lean = rng.normal(25 if left else -25, 50)
            layer.canvas.drawPath(
                blade(x, HEIGHT + 15, height, lean, rng.uniform(0.6, 1.5) * width), paint("#000000")
            )
            if rng.random() < 0.35:
                stem, bend = height * 1.15, lean * 0.4
                line = skia.Path()
                line.moveTo(x, HEIGHT + 15)
                line.quadTo(x + bend * 0.2, HEIGHT - stem * 0.6, x + bend, HEIGHT + 15 - stem)
                layer.canvas.drawPath(line, paint("#000000", 1, width * 0.4))
                heads.addPath(
                    plume(
                        rng,
                        x + bend,
                        HEIGHT + 15 - stem,
                        rng.uniform(45, 75) * (1 + blur / 9),
                        bend or 1,
                    )
                )
        layer.canvas.drawPath(heads, paint("#000000", 0.95, max(1.6, width * 0.16)))
        cover = cv2.GaussianBlur(layer.alpha(), (0, 0), blur) * opacity
        tone = gradient([(0, "#3c4537"), (1, "#0d1416")], np.linspace(0, 1, HEIGHT)[:, None])
        # A rim of sunlight on the side that faces it.
        lit = np.clip(cover - np.roll(cover, -max(2, int(blur * 1.2)), axis=1), 0, 1)
        image = image * (1 - cover[..., None]) + tone * cover[..., None]
        reach = glow((HEIGHT, WIDTH), SUN[0], SUN[1] + 300, 620, 1.6)
        image += (lit * reach)[..., None] * rim * 0.75
    return image


def develop(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Lens and film: bloom, fall-off to the corners, a gentle curve, grain."""
    bright = np.clip(image - 0.72, 0, 2)
    image = image + cv2.GaussianBlur(bright, (0, 0), 26) * 0.35
    y, x = np.mgrid[-1 : 1 : HEIGHT * 1j, -1 : 1 : WIDTH * 1j].astype(np.float32)
    image = image * (1 - 0.30 * np.clip(x * x * 0.9 + y * y * 0.7, 0, 1.4))[..., None]
    image = 1 - np.exp(-1.32 * image**1.16)  # toe and shoulder
    grey = image.mean(-1, keepdims=True)
    image = grey + (image - grey) * 1.10
    grain = rng.normal(size=(HEIGHT, WIDTH, 1)).astype(np.float32)
    grain = 0.7 * cv2.GaussianBlur(grain, (0, 0), 0.9)[..., None] * 1.9 + 0.25 * rng.normal(
        size=(HEIGHT, WIDTH, 3)
    )
    strength = 0.045 * np.sqrt(np.clip(image, 0.01, 1))
    return image + grain * strength * (1.05 - np.clip(image, 0, 1))


def main() -> None:
    rng = np.random.default_rng(44)
    above = far_shore(rng)
    image = np.vstack([above, water(above.astype(np.float32), rng)])
    image = near_reeds(image, rng)
    image = develop(image.astype(np.float32), rng)
    DEMO.mkdir(parents=True, exist_ok=True)
    Image.fromarray(to_srgb8(image)).save(DEMO / "mist.jpg", quality=90, subsampling=0)


if __name__ == "__main__":
    main()
