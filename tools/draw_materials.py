"""Draw the materials that a code can be woven of: things of the shore, and of the hands there.

    tools/draw_materials.py [name …]

Each is a square of `SIDE` pixels with parts of one to three modules of `MODULE` pixels, from
quite dark to quite light, so that every module finds what it needs.
"""

from __future__ import annotations

import sys

import cv2
import numpy as np
import skia
from PIL import Image
from scipy.spatial import cKDTree

from painting import ASSETS, Layer, colour, glow, gradient, noise, paint, to_srgb8

SIDE, MODULE = 1152, 24
OUT = ASSETS / "materials"

ROWS, COLUMNS = np.mgrid[:SIDE, :SIDE].astype(np.float32)


def tones(rng: np.random.Generator, scale: float, spread: float = 1.0) -> np.ndarray:
    """A smooth field, 0 to 1, with as much of each tone: light and dark parts of this size."""
    field = noise(rng, (SIDE, SIDE), (scale, scale), 3)
    order = np.argsort(np.argsort(field.ravel()[::97]))
    levels = np.sort(field.ravel()[::97])
    even = np.interp(field, levels, np.linspace(0, 1, len(order)))
    return np.clip(0.5 + spread * (even - 0.5), 0, 1).astype(np.float32)


def cells(rng: np.random.Generator, spacing: float, rounds: int = 2) -> tuple:
    """Voronoi cells about evenly spread points: index, distance to the point, to the border."""
    n = round(SIDE / spacing) + 4
    grid = np.stack(np.meshgrid(np.arange(n), np.arange(n)), -1).reshape(-1, 2) - 1.5
    points = (grid + rng.uniform(-0.42, 0.42, grid.shape)) * spacing
    places = np.stack([COLUMNS, ROWS], -1).reshape(-1, 2)
    for _ in range(rounds):
        _, own = cKDTree(points).query(places[::7], workers=-1)
        count = np.bincount(own, minlength=len(points))
        middle = np.stack(
            [np.bincount(own, places[::7, k], len(points)) for k in (0, 1)], -1
        ) / np.maximum(count, 1)[:, None]  # fmt: skip
        points = np.where(count[:, None] > 0, 0.5 * points + 0.5 * middle, points)
    away, own = cKDTree(points).query(places, 2, workers=-1)
    shape = (SIDE, SIDE)
    first, second = points[own[:, 0]], points[own[:, 1]]
    between = np.hypot(*(first - second).T)
    border = (away[:, 1] ** 2 - away[:, 0] ** 2) / (2 * np.maximum(between, 1e-6))
    return (points, own[:, 0].reshape(shape), away[:, 0].reshape(shape).astype(np.float32),
            border.reshape(shape).astype(np.float32))  # fmt: skip


def at(field: np.ndarray, points: np.ndarray) -> np.ndarray:
    """A field at points, held within the square."""
    x, y = np.clip(np.rint(points), 0, SIDE - 1).astype(int).T
    return field[y, x]


def lit(height: np.ndarray, strength: float) -> np.ndarray:
    """Shading of a relief by light from the upper left, about 1."""
    across = cv2.Sobel(height, cv2.CV_32F, 1, 0, ksize=3) / 8
    down = cv2.Sobel(height, cv2.CV_32F, 0, 1, ksize=3) / 8
    return np.clip(1 + strength * (across + down), 0.25, 1.9)


def mosaic(rng: np.random.Generator) -> np.ndarray:
    """Glass stones in bending rows, as on the floor of the bath house."""
    bend = noise(rng, (SIDE, SIDE), (420, 420), 2) * 46
    other = noise(rng, (SIDE, SIDE), (420, 420), 2) * 46
    size = 19.0
    v = (ROWS + bend) / size
    row = np.floor(v)
    u = (COLUMNS + other) / size + 0.37 * row
    column = np.floor(u)
    in_u, in_v = u - column, v - row
    name = (row * 7919 + column * 104729).astype(np.int64)
    chance = np.modf(np.abs(np.sin(name * 12.9898)) * 43758.5453)[0].astype(np.float32)
    tone = tones(rng, 150)
    # One tone a stone: that of its middle.
    blurred = cv2.blur(tone, (15, 15))
    place = np.clip(blurred + 0.28 * (chance - 0.5), 0, 1)
    place = np.round(place * 9) / 9
    stone = gradient(
        [(0, "#0b1a2b"), (0.22, "#123f5a"), (0.4, "#2a7f86"), (0.55, "#b2603a"), (0.7, "#d9a441"),
         (0.86, "#ecdcae"), (1, "#fbf6e6")], place,
    )  # fmt: skip
    edge = np.minimum(np.minimum(in_u, 1 - in_u), np.minimum(in_v, 1 - in_v)) * size
    height = np.clip(edge / 4, 0, 1).astype(np.float32)
    shade = lit(cv2.GaussianBlur(height, (0, 0), 0.8) * 9, 0.5) * (0.9 + 0.2 * chance)
    grout = np.clip((edge - 1.1) / 1.2, 0, 1)[..., None]
    return stone * shade[..., None] * grout + colour("#2b241f") * (1 - grout)


def glass(rng: np.random.Generator) -> np.ndarray:
    """Stained glass with lead between the panes, light behind it."""
    points, own, away, border = cells(rng, 52, 1)
    tone = at(tones(rng, 210, 1.1), points) + rng.normal(0, 0.12, len(points))
    panes = gradient(
        [(0, "#0d1030"), (0.18, "#1c2f86"), (0.34, "#0f6f7a"), (0.5, "#2f9a55"), (0.62, "#d0452e"),
         (0.76, "#f08a24"), (0.9, "#ffd75e"), (1, "#fff6d2")], np.clip(tone, 0, 1),
    )[own]  # fmt: skip
    streak = noise(rng, (SIDE, SIDE), (26, 120), 4)
    light = (0.82 + 0.3 * np.exp(-((away / 26) ** 2)) + 0.14 * streak)[..., None]
    image = panes * light
    lead = np.clip((border - 2.6) / 1.4, 0, 1)[..., None]
    ridge = np.clip(1 - np.abs(border - 0.8) / 1.6, 0, 1)[..., None] * 0.10
    return image * lead + (colour("#0c0b0d") + ridge) * (1 - lead)


def embroidery(rng: np.random.Generator) -> np.ndarray:
    """Satin stitch in wool on linen."""
    thread = 0.5 + 0.25 * np.sin(COLUMNS * 2 * np.pi / 5) + 0.25 * np.sin(ROWS * 2 * np.pi / 5)
    image = gradient([(0, "#8b7d68"), (1, "#cdbfa6")], np.clip(thread, 0, 1))
    tone, turn = tones(rng, 165, 1.1), noise(rng, (SIDE, SIDE), (330, 330), 2) * 1.6
    layer = Layer(SIDE, SIDE)
    palette = [(0, "#1d1530"), (0.2, "#43235c"), (0.38, "#8e2f4c"), (0.52, "#c8593a"),
               (0.66, "#dd9a3c"), (0.82, "#efd58f"), (1, "#fbf2d8")]  # fmt: skip
    count = 46_000
    x, y = rng.uniform(-10, SIDE + 10, (2, count))
    order = np.argsort(np.floor(y / 3) + rng.uniform(0, 18, count))
    points = np.stack([x, y], -1)[order]
    where = np.clip(np.round((at(tone, points) + rng.normal(0, 0.03, count)) * 8) / 8, 0, 1)
    colours = to_srgb8(gradient(palette, where))
    angle = at(turn, points) + 0.7 + rng.normal(0, 0.06, count)
    for (px, py), a, rgb, length in zip(
        points, angle, colours, rng.uniform(11, 17, count), strict=True
    ):
        dx, dy = np.cos(a) * length, np.sin(a) * length
        dark = skia.Paint(Color=skia.Color(*(rgb * 0.45).astype(int).tolist()), AntiAlias=True,
                          StrokeWidth=4.4, Style=skia.Paint.kStroke_Style,
                          StrokeCap=skia.Paint.kRound_Cap)  # fmt: skip
        layer.canvas.drawLine(px - dx, py - dy + 1.0, px + dx, py + dy + 1.0, dark)
        dark.setColor(skia.Color(*rgb.tolist()))
        dark.setStrokeWidth(3.0)
        layer.canvas.drawLine(px - dx, py - dy, px + dx, py + dy, dark)
        shine = np.minimum(rgb.astype(int) + 46, 255).tolist()
        dark.setColor(skia.Color(*shine))
        dark.setStrokeWidth(0.9)
        layer.canvas.drawLine(px - dx * 0.8 - 0.6, py - dy * 0.8 - 0.8,
                              px + dx * 0.8 - 0.6, py + dy * 0.8 - 0.8, dark)  # fmt: skip
    return layer.over(image)


def reed(rng: np.random.Generator) -> np.ndarray:
    """Split reeds, woven over and under."""
    size = 36.0
    row, column = np.floor(ROWS / size), np.floor(COLUMNS / size)
    over = (row + column) % 2 < 1
    tone = tones(rng, 230, 1.1)
    image = np.zeros((SIDE, SIDE, 3), np.float32)
    for lies, along, across, strip in (
        (over, COLUMNS, ROWS, row), (~over, ROWS, COLUMNS, column),
    ):  # fmt: skip
        inside = across / size - np.floor(across / size) - 0.5
        of = along / size - np.floor(along / size) - 0.5
        fibre = noise(rng, (SIDE, SIDE), (180, 3) if lies is over else (3, 180), 3)
        own = np.modf(np.abs(np.sin(strip * 78.233)) * 4375.85)[0] - 0.5
        place = np.clip(tone + 0.16 * own + 0.10 * fibre, 0, 1)
        body = gradient(
            [(0, "#1c1208"), (0.25, "#4d3216"), (0.5, "#94692f"), (0.75, "#d6b26a"),
             (1, "#f6e8bd")], place,
        )  # fmt: skip
        round_ = np.sqrt(np.clip(1 - (inside / 0.5) ** 2, 0, 1))
        bow = 0.45 + 0.55 * np.cos(of * np.pi * 0.9)  # it dips under its neighbours
        shade = (0.25 + 0.85 * round_ - 0.18 * inside) * bow
        image = np.where(lies[..., None], body * shade[..., None], image)
    return image


def pebbles(rng: np.random.Generator) -> np.ndarray:
    """Pebbles and shells at the water's edge."""
    points, own, _, border = cells(rng, 40, 3)
    tone = np.clip(at(tones(rng, 200, 1.1), points) + rng.normal(0, 0.15, len(points)), 0, 1)
    stones = gradient(
        [(0, "#14161a"), (0.25, "#3b4046"), (0.45, "#7a6f66"), (0.62, "#a9917a"), (0.8, "#cfc3b0"),
         (1, "#f7f3ea")], tone,
    )[own]  # fmt: skip
    height = 1 - np.exp(-np.maximum(border - 1.5, 0) / 7)
    spots = noise(rng, (SIDE, SIDE), (12, 12), 4)[..., None]
    veins = np.exp(-((noise(rng, (SIDE, SIDE), (60, 60), 3) * 9) ** 2))[..., None]
    body = stones * (1 + 0.10 * spots) + 0.10 * veins * (tone[own] < 0.6)[..., None]
    # Some are shells: ribs that run together at one side.
    shell = (rng.uniform(0, 1, len(points)) < 0.16)[own]
    foot = points + 14 * np.stack([np.cos(p := rng.uniform(0, 6.28, len(points))), np.sin(p)], -1)
    dx, dy = COLUMNS - foot[own, 0], ROWS - foot[own, 1]
    ribs = 0.5 + 0.5 * np.cos(np.arctan2(dy, dx) * 26)
    rings = 0.5 + 0.5 * np.cos(np.hypot(dx, dy) * 0.55)
    pale = gradient([(0, "#b98a6a"), (0.5, "#ecd3b6"), (1, "#fffaf0")],
                    np.clip(0.25 + 0.6 * ribs + 0.15 * rings, 0, 1))  # fmt: skip
    body = np.where(shell[..., None], pale, body)
    relief = cv2.GaussianBlur(height.astype(np.float32), (0, 0), 1.6)
    shade = lit(relief * 30, 0.5) * (0.45 + 0.6 * height)
    gap = np.clip((border - 1.2) / 2.0, 0, 1)[..., None]
    wet = colour("#0d0f10")
    return body * shade[..., None] * gap + wet * (1 - gap)


def brush(rng: np.random.Generator) -> np.ndarray:
    """Ink on rough paper, wet and dry."""
    grain = noise(rng, (SIDE, SIDE), (7, 7), 3)
    image = gradient([(0, "#e9e2d2"), (1, "#fbf8ef")], np.clip(0.6 + 0.3 * grain, 0, 1))
    wash = tones(rng, 260)
    image = image * (1 - 0.45 * np.clip(wash - 0.62, 0, 1)[..., None] * colour("#8090a0"))
    for _ in range(150):
        layer = Layer(SIDE, SIDE)
        x, y = rng.uniform(-40, SIDE + 40, 2)
        angle, length = rng.uniform(0, 2 * np.pi), rng.uniform(90, 330)
        bow, width = rng.normal(0, 0.35) * length, rng.uniform(12, 44)
        dry = rng.uniform(0, 1) < 0.45
        ink = ("#0c0d12", "#14161e", "#20242e", "#3c4450", "#6b7280")[
            min(4, int(abs(rng.normal(0, 1.6))))
        ]
        c, s = np.cos(angle), np.sin(angle)
        hairs = int(width * 1.5)
        for hair in range(hairs):
            off = (hair / (hairs - 1) - 0.5) * width
            ends = abs(2 * hair / (hairs - 1) - 1) ** 2
            begin = rng.uniform(0, 0.06) + 0.05 * ends
            end = 1 - rng.uniform(0, 0.5 if dry else 0.10) - 0.05 * ends
            path = skia.Path()
            for step, t in enumerate(np.linspace(begin, max(begin + 0.1, end), 14)):
                lift = 4 * t * (1 - t)
                px = x + c * (t - 0.5) * length - s * (off + bow * lift)
                py = y + s * (t - 0.5) * length + c * (off + bow * lift)
                (path.moveTo if step == 0 else path.lineTo)(px, py)
            alpha = rng.uniform(0.25, 0.9) if dry else rng.uniform(0.75, 1)
            layer.canvas.drawPath(path, paint(ink, alpha, rng.uniform(0.8, 2.6 if dry else 3.2)))
        for _drop in range(rng.integers(0, 5)):
            at_x, at_y = x + rng.normal(0, length / 3), y + rng.normal(0, length / 3)
            layer.canvas.drawCircle(at_x, at_y, rng.uniform(0.8, 4.5), paint(ink, 0.9))
        image = layer.over(image, rng.uniform(0.75, 1))
    return image * (1 + 0.05 * grain[..., None])


def feathers(rng: np.random.Generator) -> np.ndarray:
    """A heron's feathers, lying over each other."""
    image = np.broadcast_to(colour("#20262c"), (SIDE, SIDE, 3)).copy()
    layer, tone = Layer(SIDE, SIDE), tones(rng, 230, 1.15)
    step_x, step_y = 46, 38
    palette = [(0, "#11151b"), (0.25, "#2e3a48"), (0.5, "#667689"), (0.72, "#a9b4bd"),
               (0.88, "#e3e2dc"), (1, "#fdfbf4")]  # fmt: skip
    for row in range(-2, SIDE // step_y + 4):
        for column in range(-1, SIDE // step_x + 2):
            x = column * step_x + (row % 2) * step_x / 2 + rng.normal(0, 4)
            y = SIDE - row * step_y + rng.normal(0, 4)  # the upper ones lie on the lower ones
            length, half = rng.uniform(96, 122), rng.uniform(23, 30)
            lean = rng.normal(0, 0.16)
            place = float(np.clip(at(tone, np.array([[x, y]]))[0] + rng.normal(0, 0.07), 0, 1))
            canvas = layer.canvas
            canvas.save()
            canvas.translate(x, y)
            canvas.rotate(float(np.degrees(lean)))
            shape = skia.Path()
            shape.moveTo(0, -length * 0.5)
            shape.cubicTo(half * 1.25, -length * 0.35, half * 1.2, length * 0.32, 0, length * 0.5)
            shape.cubicTo(-half * 1.2, length * 0.32, -half * 1.25, -length * 0.35, 0,
                          -length * 0.5)  # fmt: skip
            canvas.drawPath(shape, paint("#05070a", 0.55, 5, blur=3))
            canvas.save()
            canvas.clipPath(shape, doAntiAlias=True)
            base, tip = np.clip(place - 0.12, 0, 1), np.clip(place + 0.16, 0, 1)
            ends = [
                skia.Color(*to_srgb8(gradient(palette, np.array([p])))[0].tolist())
                for p in (base, tip)
            ]
            fill = skia.Paint(AntiAlias=True, Shader=skia.GradientShader.MakeLinear(
                [skia.Point(0, -length * 0.4), skia.Point(0, length * 0.5)], ends))  # fmt: skip
            canvas.drawPath(shape, fill)
            for barb in np.linspace(-0.48, 0.5, 58):
                side = paint("#0a0d12" if rng.uniform() < 0.55 else "#ffffff",
                             rng.uniform(0.05, 0.22), 1.0)  # fmt: skip
                for sign in (-1, 1):
                    canvas.drawLine(0, barb * length, sign * half * 1.2, barb * length + 17, side)
            canvas.restore()
            canvas.drawLine(0, -length * 0.5, 0, length * 0.46, paint("#f2ead8", 0.55, 1.6))
            canvas.drawPath(shape, paint("#ffffff", 0.14, 1.0))
            canvas.restore()
    return layer.over(image)


def lanterns(rng: np.random.Generator) -> np.ndarray:
    """Paper lanterns in the dark, and what the water makes of them."""
    haze = tones(rng, 300)
    image = gradient([(0, "#05070f"), (0.6, "#0c1526"), (1, "#1b2740")], haze)
    hues = ("#ffdf9a", "#ffc25e", "#ff9a3d", "#ff7a4a", "#fff1cc", "#ffd0a8")
    shape = (SIDE, SIDE)
    spots = []
    while len(spots) < 210:
        x, y = rng.uniform(-10, SIDE + 10, 2)
        size = float(np.exp(rng.normal(3.05, 0.42)))
        crowd = at(haze, np.array([[x, y]]))[0]
        if rng.uniform() > 0.25 + 0.75 * crowd:
            continue
        if all(np.hypot(x - a, y - b) > 0.85 * (size + c) for a, b, c in spots):
            spots.append((x, y, size))
    for x, y, size in spots:
        power = rng.uniform(0.05, 0.16)
        image += glow(shape, x, y, size * 1.15, 3.4)[..., None] * colour(hues[rng.integers(6)]) * (
            power)  # fmt: skip
    layer = Layer(SIDE, SIDE)
    for x, y, size in sorted(spots, key=lambda spot: spot[2]):
        hue = hues[rng.integers(6)]
        rgb = [int(hue[i : i + 2], 16) for i in (1, 3, 5)]
        tall = rng.uniform(0.95, 1.3)
        oval = skia.Rect.MakeXYWH(x - size, y - size * tall, 2 * size, 2 * size * tall)
        inner = skia.Color(255, 248, 226)
        fill = skia.Paint(AntiAlias=True, Shader=skia.GradientShader.MakeRadial(
            skia.Point(x, y + size * 0.2), size * 1.25,
            [inner, skia.Color(*rgb), skia.Color(*(int(c * 0.45) for c in rgb))],
            [0, 0.55, 1]))  # fmt: skip
        layer.canvas.drawOval(oval, fill)
        ribs = max(3, int(size / 6))
        for rib in range(1, ribs):
            level = y - size * tall + 2 * size * tall * rib / ribs
            half = size * np.sqrt(max(0, 1 - ((level - y) / (size * tall)) ** 2))
            layer.canvas.drawLine(x - half, level, x + half, level, paint("#6b2f10", 0.35, 1.1))
        for end in (-1, 1):
            layer.canvas.drawRect(
                skia.Rect.MakeXYWH(x - size * 0.3, y + end * size * tall - 2, size * 0.6, 4),
                paint("#2a1408"),
            )
    image = layer.over(image)
    dust = rng.uniform(0, 1, shape) > 0.9994
    sparks = cv2.GaussianBlur(dust.astype(np.float32), (0, 0), 1.1) * 9
    return image + sparks[..., None] * colour("#ffe6b0")


MATERIALS = {one.__name__: one for one in (
    mosaic, glass, embroidery, reed, pebbles, brush, feathers, lanterns,
)}  # fmt: skip


def main() -> None:
    """Draw those that are named, or all."""
    OUT.mkdir(exist_ok=True)
    for number, (name, draw) in enumerate(MATERIALS.items()):
        if sys.argv[1:] and name not in sys.argv[1:]:
            continue
        pixels = to_srgb8(draw(np.random.default_rng(90 + number)))
        Image.fromarray(pixels).save(OUT / f"{name}.jpg", quality=86, optimize=True)
        small = cv2.resize(pixels[:640, :640], (96, 96), interpolation=cv2.INTER_AREA)
        (OUT / "small").mkdir(exist_ok=True)
        Image.fromarray(small).save(OUT / "small" / f"{name}.png", optimize=True)
        print(name, (OUT / f"{name}.jpg").stat().st_size // 1024, "KB", flush=True)


if __name__ == "__main__":
    main()
