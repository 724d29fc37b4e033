"""The poster of the Saltmarsh Lantern Walk: reeds, water, moon, lanterns at dusk."""

from __future__ import annotations

import cv2
import numpy as np
import skia
from PIL import Image

from painting import (
    DEMO,
    Layer,
    blade,
    colour,
    glow,
    gradient,
    heron_paths,
    lettering,
    noise,
    paint,
    plume,
    to_srgb8,
)

WIDTH, HEIGHT, HORIZON = 1500, 2000, 880
MOON = (1178.0, 560.0, 108.0)
SKY = [
    (0.00, "#1b2b4d"),
    (0.30, "#30527a"),
    (0.55, "#7d7f9c"),
    (0.75, "#d19a86"),
    (0.90, "#f2bd8b"),
    (1.00, "#fbd9a6"),
]


def line(rng: np.random.Generator, length: int, scale: float, octaves: int) -> np.ndarray:
    """One row of smooth noise."""
    return noise(rng, (64, length), (scale, 64), octaves)[32]


def sky(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Gradient, stars, moon and its halo, streaks of cloud; and the same without the disc."""
    rows = np.linspace(0, 1, HORIZON, dtype=np.float32)
    drift = noise(rng, (HORIZON, WIDTH), (900, 380), 3) * 0.02
    image = gradient(SKY, np.clip(rows[:, None] + drift, 0, 1))

    stars = Layer(WIDTH, HORIZON)
    for _ in range(150):
        x, y = rng.uniform(0, WIDTH), rng.uniform(0, HORIZON * 0.5) ** 1.0
        faint = (1 - y / (HORIZON * 0.52)) * rng.uniform(0.2, 0.9)
        stars.canvas.drawCircle(x, y, rng.uniform(0.6, 1.8), paint("#fff6e0", max(0.0, faint)))
    image = stars.over(image)

    x, y, radius = MOON
    shape = image.shape[:2]
    image += glow(shape, x, y, radius * 1.2, 1.7)[..., None] * colour("#f6dcb2") * 0.5
    streaks = noise(rng, shape, (820, 60), 5) + 0.25 * noise(rng, shape, (300, 22), 4)
    lift = np.exp(-(((rows - 0.66) / 0.17) ** 2))[:, None]
    veil = np.clip(streaks - 0.25, 0, 1.2) * lift * 0.62
    warm = gradient([(0, "#8d86a6"), (0.6, "#f3b892"), (1, "#ffe2b4")], rows[:, None])
    veil = veil[..., None]
    disc = Layer(WIDTH, HORIZON)
    disc.canvas.drawCircle(x, y, radius, paint("#fff3d6"))
    cover = disc.alpha()[..., None]
    seas = np.clip(noise(rng, shape, (120, 120), 4), 0, 1.2)[..., None]
    moon = colour("#fff2d2") * (1 - 0.16 * seas)
    with_moon = image * (1 - cover) + moon * cover
    # Cloud passes thinly before the moon.
    return (
        with_moon * (1 - veil * (1 - 0.65 * cover)) + warm * veil * (1 - 0.65 * cover),
        image * (1 - veil) + warm * veil,
    )


def hills(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Three lines of land, each nearer one darker, mist between them."""
    for level, (rise, shade, rough) in enumerate(
        ((92, "#a98d92", 700), (58, "#6f6f7f", 420), (30, "#3c4a59", 170))
    ):
        ridge = line(rng, WIDTH, rough, 6 if level == 2 else 4)
        top = HORIZON - rise - ridge * rise * 0.55
        layer = Layer(WIDTH, HORIZON)
        path = skia.Path()
        path.moveTo(0, HORIZON)
        for x in range(0, WIDTH + 1, 2):
            y = float(top[min(x, WIDTH - 1)])
            if level == 2:  # a wood: the ridge is made of crowns
                y -= abs(np.sin(x * 0.11 + ridge[min(x, WIDTH - 1)] * 9)) * 8
            path.lineTo(x, y)
        path.lineTo(WIDTH, HORIZON)
        path.close()
        layer.canvas.drawPath(path, paint(shade))
        image = layer.over(image, 0.86)
        rows = np.arange(HORIZON, dtype=np.float32)
        mist = np.exp(-(((HORIZON - rows) / (rise * 0.55)) ** 1.3))[:, None, None] * 0.42
        image = image * (1 - mist) + colour("#f0c6a0") * mist
    return image


def water(above: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """The sky mirrored in slow ripples, deepening towards the near shore."""
    depth = HEIGHT - HORIZON
    rows = np.arange(depth, dtype=np.float32)
    near = rows / depth
    # The mirror is compressed near the horizon, as seen from a low shore.
    source = HORIZON - 1 - (rows**0.985) * (HORIZON - 2) / depth**0.985
    ripple = noise(rng, (depth, WIDTH), (420, 16), 5) + 0.6 * noise(
        rng, (depth, WIDTH), (150, 7), 4
    )
    columns = np.arange(WIDTH, dtype=np.float32)[None, :] + ripple * (2 + 34 * near[:, None])
    sway = source[:, None] + ripple * (1 + 26 * near[:, None])
    image = cv2.remap(
        above.astype(np.float32),
        columns.astype(np.float32),
        np.clip(sway, 0, HORIZON - 1).astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REFLECT,
    )
    deep = gradient([(0, "#f0c79d"), (0.35, "#b48f8f"), (0.75, "#596f8a"), (1, "#2b4562")], near)
    share = (0.16 + 0.34 * near)[:, None, None]
    image = image * (1 - share) + deep[:, None, :] * share
    # Light on the crests, shade in the troughs.
    image *= 1 + (np.clip(ripple, -1, 1.4) * (0.05 + 0.16 * near[:, None]))[..., None]
    # The moon's path.
    across = np.abs(np.arange(WIDTH, dtype=np.float32) - MOON[0])[None, :]
    path = np.exp(-((across / (46 + 190 * near[:, None])) ** 2))
    sparkle = np.clip(noise(rng, (depth, WIDTH), (70, 5), 3) + 0.15, 0, 1) ** 2
    image += (path * sparkle * 1.25 * (1 - 0.55 * near[:, None]))[..., None] * colour("#ffe9bd")
    return image


def lantern(canvas: skia.Canvas, x: float, y: float, scale: float) -> None:
    """A post with a hanging lantern whose light hangs at (x, y)."""
    ink = "#1c2530"
    canvas.drawLine(x + 26 * scale, y + 190 * scale, x + 26 * scale, y - 40 * scale,
                    paint(ink, 1, 5.5 * scale))  # fmt: skip
    arm = skia.Path()
    arm.moveTo(x + 26 * scale, y - 36 * scale)
    arm.quadTo(x + 14 * scale, y - 52 * scale, x, y - 30 * scale)
    canvas.drawPath(arm, paint(ink, 1, 4 * scale))
    body = skia.Path()
    body.moveTo(x - 9 * scale, y - 19 * scale)
    body.lineTo(x + 9 * scale, y - 19 * scale)
    body.lineTo(x + 15 * scale, y + 14 * scale)
    body.lineTo(x - 15 * scale, y + 14 * scale)
    body.close()
    canvas.drawPath(body, paint("#ffd787"))
    canvas.drawCircle(x, y, 8 * scale, paint("#fffbe8", 1, None, 3 * scale))
    for dx in (-1, 0, 1):
        canvas.drawLine(x + dx * 7 * scale, y - 19 * scale, x + dx * 13 * scale, y + 14 * scale,
                        paint(ink, 0.9, 1.8 * scale))  # fmt: skip
    roof = skia.Path()
    roof.moveTo(x - 15 * scale, y - 18 * scale)
    roof.lineTo(x, y - 32 * scale)
    roof.lineTo(x + 15 * scale, y - 18 * scale)
    roof.close()
    canvas.drawPath(roof, paint(ink))
    canvas.drawRoundRect(skia.Rect(x - 17 * scale, y + 13 * scale, x + 17 * scale, y + 18 * scale),
                         2, 2, paint(ink))  # fmt: skip


def lanterns(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A row along the far shore, coming nearer to the left, each with its reflection."""
    spots = []
    for index in range(9):
        t = index / 8
        x = 1395 - 1290 * t**0.93
        scale = 0.30 + 0.62 * t**1.6
        y = HORIZON + 6 - 96 * scale + 44 * t**1.8
        spots.append((x, y, scale))
    shape = image.shape[:2]
    for x, y, scale in spots:
        halo = glow(shape, x, y, 52 * scale, 1.8)
        image = image + halo[..., None] * colour("#ffab4f") * 1.1
        foot = y + 190 * scale
        length = 330 * scale
        rows = np.arange(shape[0], dtype=np.float32)
        along = np.clip((rows - foot) / length, 0, None)
        fade = np.where(rows > foot, np.exp(-(along**1.25) * 2.1), 0)
        wobble = line(rng, shape[0], 22, 3) * 15 * scale * np.minimum(along + 0.15, 1)
        across = np.abs(np.arange(shape[1], dtype=np.float32)[None, :] - x - wobble[:, None])
        streak = np.exp(-((across / (15 * scale * (1 + along[:, None]))) ** 2)) * fade[:, None]
        broken = np.clip(0.75 + 0.6 * line(rng, shape[0], 13, 2), 0.15, 1.3)
        image = image + (streak * broken[:, None])[..., None] * colour("#ffb45c") * 0.95
    layer = Layer(WIDTH, HEIGHT)
    walk = skia.Path()  # the boardwalk that carries the posts
    walk.moveTo(WIDTH + 40, spots[0][1] + 176 * spots[0][2] - 2)
    for x, y, scale in spots:
        walk.lineTo(x + 26 * scale, y + 178 * scale)
    walk.lineTo(-40, spots[-1][1] + 206 * spots[-1][2])
    walk.lineTo(-40, spots[-1][1] + 232 * spots[-1][2])
    for x, y, scale in reversed(spots):
        walk.lineTo(x + 26 * scale, y + 192 * scale)
    walk.lineTo(WIDTH + 40, spots[0][1] + 190 * spots[0][2] - 2)
    walk.close()
    layer.canvas.drawPath(walk, paint("#232c37"))
    for x, y, scale in spots:
        lantern(layer.canvas, x, y, scale)
    return layer.over(image)


def reeds(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Reed beds on both sides of the near shore, back rows paler than the front."""
    for shade, count, low, high, spread in (
        ("#3c5160", 90, 240, 520, 1.0),
        ("#263947", 90, 220, 600, 0.92),
        ("#131f2a", 120, 180, 640, 0.8),
    ):
        layer = Layer(WIDTH, HEIGHT)
        heads = skia.Path()
        for _ in range(count):
            edge = abs(rng.normal(0, 0.11)) * spread
            left = rng.random() < 0.52
            x = edge * WIDTH if left else WIDTH - edge * WIDTH
            height = rng.uniform(low, high) * (1 - min(edge * 2.1, 0.72))
            lean = rng.normal(46 if left else -46, 66)
            y = HEIGHT + 20
            width = rng.uniform(5, 13)
            layer.canvas.drawPath(blade(x, y, height, lean, width), paint(shade))
            if rng.random() < 0.4:
                stem = height * rng.uniform(1.0, 1.22)
                bend = lean * 0.35
                line = skia.Path()
                line.moveTo(x, y)
                line.quadTo(x + bend * 0.2, y - stem * 0.6, x + bend, y - stem)
                layer.canvas.drawPath(line, paint(shade, 1, 2.6))
                heads.addPath(plume(rng, x + bend, y - stem, rng.uniform(60, 105), bend or 1))
        layer.canvas.drawPath(heads, paint(shade, 0.95, 2.2))
        image = layer.over(image)
    # A low bank of short reeds closes the foot of the sheet for the lettering.
    layer = Layer(WIDTH, HEIGHT)
    for x in np.linspace(-20, WIDTH + 20, 330):
        height = rng.uniform(50, 150) * (0.55 + 0.6 * abs(x / WIDTH - 0.5) * 2)
        layer.canvas.drawPath(
            blade(
                x + rng.normal(0, 6),
                HEIGHT + 10,
                height + 30,
                rng.normal(0, 26),
                rng.uniform(5, 11),
            ),
            paint("#0f1922"),
        )
    return layer.over(image)


def heron(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """The heron in the shallows, with its reflection."""
    x, y, height = 312.0, 1330.0, 250.0
    body, legs = heron_paths(x, y, height)
    for mirrored in (True, False):
        layer = Layer(WIDTH, HEIGHT)
        if mirrored:
            layer.canvas.translate(0, 2 * y)
            layer.canvas.scale(1, -1)
        layer.canvas.drawPath(legs, paint("#16222e", 1, 4.6))
        layer.canvas.drawPath(body, paint("#16222e"))
        if mirrored:
            shift = line(rng, HEIGHT, 16, 3) * 6
            columns = np.arange(WIDTH, dtype=np.float32)[None, :] + shift[:, None]
            rows = np.repeat(np.arange(HEIGHT, dtype=np.float32)[:, None], WIDTH, 1)
            cover = cv2.remap(layer.alpha(), columns, rows, cv2.INTER_LINEAR)[..., None] * 0.5
            image = image * (1 - cover) + colour("#2a3b4c") * cover
        else:
            image = layer.over(image)
    rings = Layer(WIDTH, HEIGHT)
    for grow, alpha in ((34, 0.5), (62, 0.32), (96, 0.18)):
        oval = skia.Rect.MakeLTRB(x - 8 - grow, y - grow / 7, x - 8 + grow, y + grow / 7)
        rings.canvas.drawOval(oval, paint("#ffe6bf", alpha, 2))
    return rings.over(image)


def words(image: np.ndarray) -> np.ndarray:
    """Title and foot lines."""
    layer = Layer(WIDTH, HEIGHT)
    cream = "#fff1d6"
    for text, size, weight, y in (
        ("Saltmarsh", 176, "Bold", 208),
        ("Lantern Walk", 176, "Bold", 368),
        ("An evening among the reed beds", 53, "Regular", 442),
    ):
        blob, _ = lettering(text, size, weight)
        layer.canvas.drawTextBlob(blob, 96, y, paint(cream))
    for text, x_side, weight in (
        ("Redshank Marsh Trust", "left", "Medium"),
        ("lanternwalk.example", "right", "Medium"),
    ):
        blob, width = lettering(text, 46, weight)
        x = 96 if x_side == "left" else WIDTH - 96 - width
        layer.canvas.drawTextBlob(blob, x, HEIGHT - 52, paint(cream))
    return layer.over(image)


def main() -> None:
    rng = np.random.default_rng(1907)
    with_moon, without = sky(rng)
    above = hills(with_moon, np.random.default_rng(5))
    mirrored = hills(without, np.random.default_rng(5))
    image = np.vstack([above, water(mirrored, rng)])
    image = lanterns(image, rng)
    image = heron(image, rng)
    image = reeds(image, rng)
    image = words(image)
    # Paper: a fine tooth that takes ink unevenly.
    tooth = cv2.GaussianBlur(rng.normal(size=image.shape[:2]).astype(np.float32), (0, 0), 0.8)
    image = image * (1 + 0.045 * tooth[..., None])
    DEMO.mkdir(parents=True, exist_ok=True)
    Image.fromarray(to_srgb8(image)).save(DEMO / "poster.jpg", quality=91, subsampling=0)


if __name__ == "__main__":
    main()
