"""Night over the reed beds: the milky way, a meteor, lanterns far off on the water."""

from __future__ import annotations

import cv2
import numpy as np
from PIL import Image

from painting import ARTWORK, Layer, blade, colour, glow, gradient, noise, paint, plume, to_srgb8

WIDTH, HEIGHT, SHORE = 1200, 1500, 1130


def sky(rng: np.random.Generator) -> np.ndarray:
    """Dusk's last light low down, the band of the milky way above, and stars."""
    shape = (SHORE, WIDTH)
    rows = np.linspace(0, 1, SHORE, dtype=np.float32)[:, None] + np.zeros((1, WIDTH), np.float32)
    tones = [
        (0, "#060a1c"),
        (0.45, "#0d1838"),
        (0.75, "#1c2f55"),
        (0.92, "#3f5068"),
        (1, "#8a7a63"),
    ]
    image = gradient(tones, np.clip(rows + 0.03 * noise(rng, shape, (700, 400), 4), 0, 1))
    # The band runs from the lower left to the upper right.
    y, x = np.mgrid[:SHORE, :WIDTH].astype(np.float32)
    along, across = 0.62 * x - 0.78 * y, 0.78 * x + 0.62 * y - 900
    wander = 60 * noise(rng, shape, (800, 800), 3)
    core = np.exp(-(((across + wander) / 150) ** 2))
    wide = np.exp(-(((across + wander) / 330) ** 2))
    cloud = np.clip(0.55 + 0.6 * noise(rng, shape, (260, 260), 6), 0, 1.6)
    rift = np.clip(1.3 * noise(rng, shape, (300, 220), 5) + 0.25, 0, 1) * np.exp(
        -(((across + wander - 26) / 80) ** 2)
    )
    swell = np.clip(0.7 + 0.3 * np.sin(along / 330), 0.4, 1)
    light = (0.55 * core * cloud + 0.22 * wide) * swell * (1 - 0.85 * np.clip(rift, 0, 1))
    fade = np.clip((0.98 - rows) / 0.5, 0, 1)
    image += (light * fade)[..., None] * colour("#9fb0d8") * 0.62
    image += (core * cloud * fade * (1 - rift))[..., None] ** 2 * colour("#e7b98c") * 0.16
    # Stars: many faint, few bright, denser in the band.
    count = 5200
    sx, sy = rng.uniform(0, WIDTH, count), rng.uniform(0, SHORE, count)
    bright = 0.09 * (1 - rng.uniform(0, 1, count)) ** -0.6
    stars = np.zeros((*shape, 3), np.float32)
    for px, py, power in zip(sx.astype(int), sy.astype(int), bright, strict=True):
        density = 0.35 + 1.3 * core[py, px]
        if rng.uniform() > density or fade[py, px] < rng.uniform(0, 0.8):
            continue
        tint = colour(rng.choice(["#ffffff", "#cfdcff", "#fff0d2", "#ffd9b0"]))
        power = min(power, 3.0)
        if power < 0.5:
            stars[py, px] += tint * power * 1.9
        else:
            radius = 0.7 + 0.42 * power
            low_y, high_y = max(0, py - 26), min(SHORE, py + 27)
            low_x, high_x = max(0, px - 26), min(WIDTH, px + 27)
            spot = np.exp(
                -(
                    (y[low_y:high_y, low_x:high_x] - py) ** 2
                    + (x[low_y:high_y, low_x:high_x] - px) ** 2
                )
                / (2 * radius**2)
            )
            stars[low_y:high_y, low_x:high_x] += spot[..., None] * tint * min(1.6, power)
    image += cv2.GaussianBlur(stars, (0, 0), 0.55) * 1.5 + cv2.GaussianBlur(stars, (0, 0), 7) * 0.9
    layer = Layer(WIDTH, SHORE)
    for width, strength in ((7, 0.10), (3.2, 0.35), (1.4, 0.95)):
        for step in range(40):
            t = step / 40
            x0, y0 = 905 - 300 * t, 190 + 165 * t
            mark = paint("#eaf2ff", strength * (1 - t) ** 1.4 * (0.3 + 0.7 * min(1, 12 * t)), width)
            layer.canvas.drawLine(x0, y0, x0 - 7.6, y0 + 4.2, mark)
    return layer.over(image)


def hills(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Low land and a far line of lanterns along the path."""
    columns = np.arange(WIDTH)
    rows = np.arange(SHORE, dtype=np.float32)[:, None]
    for rise, tone in ((62, "#24324a"), (34, "#141d30"), (16, "#0a0f1c")):
        line = SHORE - rise * (0.7 + 0.5 * noise(rng, (8, WIDTH), (340, 8), 4)[4])
        cover = np.clip(rows - line[None, :] + 0.5, 0, 1)[..., None]
        image = image * (1 - cover) + colour(tone) * cover
    for number in range(11):
        at_x = 110 + 98 * number + rng.uniform(-8, 8)
        at_y = SHORE - 12 - 7 * np.sin(number / 2.4)
        light = glow(image.shape[:2], at_x, at_y, 9, 2.4)
        image += light[..., None] * colour("#ffb65a") * 1.5
        image += glow(image.shape[:2], at_x, at_y, 2.6, 4)[..., None] * colour("#fff1cf") * 2
    del columns
    return image


def water(above: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """The sky again, darker, drawn out into streaks."""
    depth = HEIGHT - SHORE
    near = (np.arange(depth, dtype=np.float32) / depth)[:, None]
    ripple = noise(rng, (depth, WIDTH), (420, 14), 5)
    columns = np.arange(WIDTH, dtype=np.float32)[None, :] + ripple * (4 + 26 * near)
    rows = SHORE - 1 - np.arange(depth, dtype=np.float32)[:, None] * 1.45 + ripple * (5 + 22 * near)
    mirrored = cv2.remap(above, columns, np.clip(rows, 0, SHORE - 1), cv2.INTER_LINEAR,
                         borderMode=cv2.BORDER_REFLECT)  # fmt: skip
    mirrored = cv2.GaussianBlur(mirrored, (0, 0), sigmaX=1.2, sigmaY=6)
    return mirrored * (0.82 - 0.42 * near[..., None]) + colour("#0a1830") * 0.35


def reeds(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Silhouettes on both sides, the nearest out of focus."""
    for blur, count, tone, low, high in (
        (0.8, 230, "#0b1322", 150, 420), (0.5, 200, "#070c17", 230, 640), (2.6, 46, "#030509", 420, 900)
    ):  # fmt: skip
        layer = Layer(WIDTH, HEIGHT)
        for _ in range(count):
            side = rng.choice([-1, 1])
            reach = abs(rng.normal(0, 0.21))
            x = WIDTH * (reach if side < 0 else 1 - reach)
            height = rng.uniform(low, high) * np.clip(1.12 - 1.35 * reach, 0.3, 1)
            lean = rng.normal(0.10, 0.13) * height
            foot = HEIGHT + rng.uniform(0, 40)
            layer.canvas.drawPath(blade(x, foot, height, lean, rng.uniform(4, 11)), paint(tone))
            if rng.uniform() < 0.34:
                stem = height * rng.uniform(1.0, 1.25)
                layer.canvas.drawPath(blade(x, foot, stem, lean * 0.6, 5), paint(tone))
                layer.canvas.drawPath(
                    plume(rng, x + lean * 0.6, foot - stem + stem * 0.2, stem * 0.2, lean * 0.5),
                    paint(tone, 0.85, 2.2),
                )
        drawn = layer.alpha()
        soft = cv2.GaussianBlur(drawn, (0, 0), blur)[..., None]
        image = image * (1 - soft) + colour(tone) * soft
    return image


def main() -> None:
    rng = np.random.default_rng(41)
    above = hills(sky(rng), rng)
    image = reeds(np.vstack([above, water(above, rng)]), rng)
    image += rng.normal(0, 0.0022, image.shape).astype(np.float32)
    Image.fromarray(to_srgb8(image)).save(ARTWORK / "night.jpg", quality=91, subsampling=0)


if __name__ == "__main__":
    main()
