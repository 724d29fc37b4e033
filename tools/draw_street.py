"""The street of boat sheds at dusk, after rain: painted planks, lit windows, a wet quay."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
import skia
from PIL import Image

from painting import ARTWORK, Layer, colour, glow, gradient, noise, paint, to_srgb8

WIDTH, HEIGHT, QUAY = 1500, 1150, 800
SHEDS = (
    # left, width, wall height, paint, roof, doors
    (-40, 250, 300, "#7c3b34", "#3b3a44", "#d8c7a2"),
    (218, 212, 372, "#2f5d6b", "#4b4450", "#e0a04a"),
    (436, 262, 292, "#c39a45", "#3a3f4b", "#4d2f2b"),
    (704, 206, 396, "#46604a", "#50464d", "#dccfb0"),
    (916, 250, 318, "#93504a", "#3c3c47", "#2f4557"),
    (1172, 196, 364, "#33476b", "#473f49", "#c9883c"),
    (1374, 240, 300, "#a88a5c", "#3b3a44", "#3f5a50"),
)


def sky(rng: np.random.Generator) -> np.ndarray:
    shape = (QUAY, WIDTH)
    rows = np.linspace(0, 1, QUAY, dtype=np.float32)[:, None] + np.zeros((1, WIDTH), np.float32)
    image = gradient([(0, "#1f2c52"), (0.35, "#4a4f7a"), (0.62, "#b0708a"), (0.8, "#f0a878"), (1, "#ffd49a")],
                     np.clip(rows * 1.08 + 0.05 * noise(rng, shape, (900, 200), 4), 0, 1))  # fmt: skip
    cloud = np.clip(noise(rng, shape, (760, 120), 6) - 0.12, 0, 1) * np.clip(1.1 - rows * 1.1, 0, 1)
    under = np.clip(noise(rng, shape, (760, 120), 6), 0, 1)
    image = image * (1 - 0.55 * cloud[..., None]) + colour("#36345c") * 0.55 * cloud[..., None]
    return image + (cloud * under)[..., None] * colour("#ff9a7a") * 0.35


def planks(
    rng: np.random.Generator, shape: tuple[int, int], tone: str, step: int = 17
) -> np.ndarray:
    """Painted boards, upright, weathered: each a little other than the next."""
    height, width = shape
    board = (np.arange(width) // step).astype(int)
    shade = 1 + 0.14 * rng.normal(size=board.max() + 2)[board]
    grain = noise(rng, shape, (5, 130), 4)
    worn = np.clip(
        noise(rng, shape, (46, 70), 4) - 0.35 + 0.5 * np.linspace(0, 1, height)[:, None] ** 3, 0, 1
    )
    base = colour(tone) * (shade[None, :] * (1 + 0.10 * grain))[..., None]
    bare = colour("#9a8a74") * (1 + 0.2 * grain)[..., None]
    base = base * (1 - 0.55 * worn[..., None]) + bare * 0.55 * worn[..., None]
    gap = (np.arange(width) % step < 2).astype(np.float32)
    return base * (1 - 0.62 * gap)[None, :, None]


def shed(image: np.ndarray, lamps: list, rng: np.random.Generator, spec: tuple) -> np.ndarray:
    """One shed: wall, gable, doors, a window with somebody in, a number board."""
    left, width, tall, tone, roof, door = spec
    top = QUAY - tall
    peak = top - width * 0.36
    outline = skia.Path()
    outline.moveTo(left, QUAY)
    outline.lineTo(left, top)
    outline.lineTo(left + width / 2, peak)
    outline.lineTo(left + width, top)
    outline.lineTo(left + width, QUAY)
    outline.close()
    mask = Layer(WIDTH, QUAY)
    mask.canvas.drawPath(outline, paint("#ffffff"))
    cover = mask.alpha()[..., None]
    wall = np.zeros_like(image)
    low, high = max(0, left), min(WIDTH, left + width)
    first = max(0, int(peak))
    wall[first:QUAY, low:high] = planks(
        rng, (QUAY - first, high - low), tone, int(rng.integers(14, 21))
    )
    light = 0.30 + 0.40 * np.linspace(1, 0.45, QUAY, dtype=np.float32)[:, None, None]
    image = image * (1 - cover) + wall * light * colour("#d9c7d8") * 1.45 * cover
    art = Layer(WIDTH, QUAY)
    canvas = art.canvas
    for x0, x1 in ((left - 13, left + width / 2), (left + width + 13, left + width / 2)):
        path = skia.Path()
        path.moveTo(x0, top + 12)
        path.lineTo(x1, peak - 8)
        path.lineTo(x1, peak + 15)
        path.lineTo(x0 + (13 if x0 < x1 else -13), top + 26)
        path.close()
        canvas.drawPath(path, paint(roof))
        canvas.drawLine(x0, top + 11, x1, peak - 9, paint("#d9a7a0", 0.75, 2.2))
    half = width * 0.27
    middle = left + width / 2
    door_top = QUAY - tall * 0.56
    canvas.drawRect(
        skia.Rect.MakeLTRB(middle - half - 7, door_top - 9, middle + half + 7, QUAY),
        paint("#1c1a1f"),
    )
    for side in (-1, 1):
        x0, x1 = (middle - half, middle - 2) if side < 0 else (middle + 2, middle + half)
        canvas.drawRect(skia.Rect.MakeLTRB(x0, door_top, x1, QUAY - 4), paint(door))
        for plank in np.arange(x0 + 11, x1, 13):
            canvas.drawLine(plank, door_top, plank, QUAY - 4, paint("#000000", 0.35, 1.6))
        for level in (0.16, 0.80):
            y = door_top + (QUAY - door_top) * level
            canvas.drawLine(x0 + 4, y, x1 - 4, y, paint("#000000", 0.4, 6))
            canvas.drawLine(x0 + 4, y - 2, x1 - 4, y - 2, paint("#ffffff", 0.22, 1.6))
        canvas.drawLine(x0 + 5, door_top + (QUAY - door_top) * (0.8 if side < 0 else 0.18), x1 - 5,
                        door_top + (QUAY - door_top) * (0.18 if side < 0 else 0.8), paint("#000000", 0.32, 6))  # fmt: skip
    radius = width * 0.105
    window_y = top + (door_top - top) * 0.36
    canvas.drawCircle(middle, window_y, radius + 6, paint("#e7dcc4"))
    lit = rng.uniform() < 0.72
    canvas.drawCircle(middle, window_y, radius, paint("#ffd98c" if lit else "#2a3350"))
    for dx, dy in ((1, 0), (0, 1)):
        canvas.drawLine(middle - dx * radius, window_y - dy * radius, middle + dx * radius, window_y + dy * radius,
                        paint("#e7dcc4", 1, 4))  # fmt: skip
    bracket = middle + (half + 26)
    canvas.drawLine(bracket - 16, door_top - 24, bracket, door_top - 24, paint("#17161a", 1, 4))
    canvas.drawLine(bracket, door_top - 24, bracket, door_top - 12, paint("#17161a", 1, 2.4))
    canvas.drawRoundRect(
        skia.Rect.MakeLTRB(bracket - 9, door_top - 12, bracket + 9, door_top + 16),
        3,
        3,
        paint("#ffe2a4"),
    )
    canvas.drawRoundRect(
        skia.Rect.MakeLTRB(bracket - 9, door_top - 12, bracket + 9, door_top + 16),
        3,
        3,
        paint("#17161a", 1, 3),
    )
    image = art.over(image)
    shade = np.zeros((QUAY, WIDTH), np.float32)
    edge = int(min(WIDTH - 1, left + width))
    shade[int(max(0, top)) : QUAY, max(0, edge - 16) : edge] = np.linspace(0, 0.5, min(16, edge))[
        None, :
    ]
    image = image * (1 - shade[..., None])
    lamps.append((bracket, door_top, 1.0))
    if lit:
        lamps.append((middle, window_y, 0.55))
    return image


def boats(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Two hulls drawn up on trestles, oars, coils, crab pots."""
    art = Layer(WIDTH, HEIGHT)
    canvas = art.canvas
    for x, y, length, tone, stripe in (
        (470, 872, 330, "#e6dcc6", "#2d5f73"),
        (1085, 858, 270, "#8e3b33", "#e4cf9e"),
    ):
        for leg in (-0.3, 0.3):
            for lean in (-16, 16):
                canvas.drawLine(
                    x + leg * length, y - 6, x + leg * length + lean, y + 40, paint("#2b2320", 1, 8)
                )
        hull = skia.Path()
        hull.moveTo(x - length * 0.52, y - 76)
        hull.cubicTo(x - length * 0.44, y + 4, x - length * 0.2, y + 14, x, y + 14)
        hull.cubicTo(x + length * 0.3, y + 14, x + length * 0.46, y - 10, x + length * 0.56, y - 88)
        hull.cubicTo(x + length * 0.3, y - 56, x - length * 0.3, y - 52, x - length * 0.52, y - 76)
        hull.close()
        canvas.drawPath(hull, paint(tone))
        canvas.save()
        canvas.clipPath(hull, skia.ClipOp.kIntersect, True)
        for number in range(7):
            path = skia.Path()
            drop = 12 * number
            path.moveTo(x - length * 0.6, y - 80 + drop)
            path.cubicTo(
                x - length * 0.3,
                y - 50 + drop,
                x + length * 0.3,
                y - 54 + drop,
                x + length * 0.62,
                y - 92 + drop,
            )
            canvas.drawPath(
                path,
                paint(
                    stripe if number == 0 else "#000000",
                    0.95 if number == 0 else 0.26,
                    13 if number == 0 else 2,
                ),
            )
        canvas.drawRect(
            skia.Rect.MakeLTRB(x - length, y - 18, x + length, y + 30),
            paint("#000000", 0.30, blur=14),
        )
        canvas.restore()
        canvas.drawPath(hull, paint("#17130f", 0.8, 2.4))
    for x in (170, 830, 1410):
        for number in range(3):
            y = 858 - 28 * number
            canvas.drawRoundRect(
                skia.Rect.MakeLTRB(x - 46 + 7 * number, y - 26, x + 46 - 5 * number, y),
                5,
                5,
                paint("#3a3128"),
            )
            for rib in range(7):
                canvas.drawLine(
                    x - 40 + 13 * rib, y - 25, x - 40 + 13 * rib, y - 2, paint("#a78d62", 0.75, 1.8)
                )
            canvas.drawRoundRect(
                skia.Rect.MakeLTRB(x - 46 + 7 * number, y - 26, x + 46 - 5 * number, y),
                5,
                5,
                paint("#c5a874", 0.9, 2.4),
            )
    return art.over(image)


def quay(above: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Wet setts: stone, its joints, and the street standing on its head in it."""
    depth = HEIGHT - QUAY
    near = (np.arange(depth, dtype=np.float32) / depth)[:, None]
    y = (1 / (1.12 - near) - 1 / 1.12) * 9.5
    x = (
        (np.arange(WIDTH, dtype=np.float32)[None, :] - WIDTH / 2)
        / (WIDTH * (0.35 + 0.9 * near))
        * 22
    )
    row = np.floor(y)
    offset = x + 0.5 * (row % 2)
    joint = np.minimum(
        np.abs(offset - np.round(offset)) * 2.2, np.minimum(y - row, row + 1 - y) * 2 + 0 * x
    )
    gap = np.clip(1 - joint / 0.14, 0, 1)
    column = np.round(offset).astype(int)
    table = rng.uniform(0.75, 1.2, (64, 64)).astype(np.float32)
    each = table[row.astype(int) % 64 + 0 * column, column % 64]
    stone = (
        colour("#4f4c55") * (each * (1 + 0.12 * noise(rng, (depth, WIDTH), (12, 8), 3)))[..., None]
    )
    stone = stone * (1 - 0.6 * gap[..., None])
    puddle = np.clip(noise(rng, (depth, WIDTH), (420, 70), 4) * 1.6 + 0.35, 0, 1) * (1 - 0.3 * gap)
    ripple = noise(rng, (depth, WIDTH), (60, 9), 4) * (1 - 0.75 * puddle) + 0.15 * noise(
        rng, (depth, WIDTH), (200, 12), 3
    )
    columns = (
        np.arange(WIDTH, dtype=np.float32)[None, :]
        + ripple * (5 + 22 * near)
        + 2.5 * (each - 1) * 10 * (1 - puddle)
    )
    rows = QUAY - 1 - np.arange(depth, dtype=np.float32)[:, None] * 1.55 + ripple * (6 + 26 * near)
    mirror = cv2.remap(
        above, columns, np.clip(rows, 0, QUAY - 1), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT
    )
    mirror = cv2.GaussianBlur(mirror, (0, 0), sigmaX=1.5, sigmaY=5)
    share = (0.30 + 0.50 * puddle) * (1 - 0.25 * near)
    return stone * 0.42 + mirror * share[..., None]


def string(image: np.ndarray, lamps: list, rng: np.random.Generator) -> np.ndarray:
    """A line of lanterns across the street."""
    art = Layer(WIDTH, QUAY)
    points = [(60, 300), (560, 236), (1010, 300), (1470, 216)]
    for (x0, y0), (x1, y1) in pairwise(points):
        path = skia.Path()
        path.moveTo(x0, y0)
        path.quadTo((x0 + x1) / 2, max(y0, y1) + 92, x1, y1)
        art.canvas.drawPath(path, paint("#15141b", 0.9, 2))
        for t in np.linspace(0.09, 0.91, 7):
            x = (1 - t) ** 2 * x0 + 2 * t * (1 - t) * (x0 + x1) / 2 + t * t * x1
            y = (1 - t) ** 2 * y0 + 2 * t * (1 - t) * (max(y0, y1) + 92) + t * t * y1
            tone = rng.choice(["#ffdf9a", "#ffb56a", "#f6e8c2", "#ff9a72"])
            art.canvas.drawOval(skia.Rect.MakeLTRB(x - 11, y + 5, x + 11, y + 31), paint(tone))
            art.canvas.drawLine(x - 6, y + 5, x + 6, y + 5, paint("#15141b", 1, 3))
            lamps.append((x, y + 18, 0.42))
    return art.over(image)


def main() -> None:
    rng = np.random.default_rng(5)
    above, lamps = sky(rng), []
    far = Layer(WIDTH, QUAY)
    for number in range(26):
        x, tall = number * 62 - 20, rng.uniform(150, 250)
        far.canvas.drawRect(
            skia.Rect.MakeLTRB(x, QUAY - 240 - tall * 0.5, x + 4, QUAY), paint("#4b4262", 0.9)
        )
    far.canvas.drawRect(skia.Rect.MakeLTRB(0, QUAY - 262, WIDTH, QUAY), paint("#3c3450"))
    above = far.over(above, 0.8)
    for spec in SHEDS:
        above = shed(above, lamps, rng, spec)
    above = string(above, lamps, rng)
    for x, y, power in lamps:
        above += glow(above.shape[:2], x, y, 46, 1.7)[..., None] * colour("#ffb055") * 0.62 * power
        above += glow(above.shape[:2], x, y, 9, 3)[..., None] * colour("#fff0c8") * 1.2 * power
    image = boats(np.vstack([above, quay(above, rng)]), rng)
    for x, _, power in lamps:
        if power == 1.0:
            image += (
                glow((HEIGHT, WIDTH), x, QUAY + 30, 120, 2, 0.4)[..., None]
                * colour("#ffae5a")
                * 0.12
            )
    haze = np.exp(-(((np.arange(HEIGHT) - QUAY) / 70.0) ** 2))[:, None, None].astype(np.float32)
    image = image * (1 - 0.07 * haze) + colour("#f0b49a") * 0.07 * haze
    image += rng.normal(0, 0.0025, image.shape).astype(np.float32)
    Image.fromarray(to_srgb8(image * 1.08)).save(ARTWORK / "street.jpg", quality=91, subsampling=0)


if __name__ == "__main__":
    main()
