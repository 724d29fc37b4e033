"""A feathered mask for the lantern walk, as a portrait: a lit face in a fan of feathers."""

from __future__ import annotations

import cv2
import numpy as np
import skia
from PIL import Image

from painting import ARTWORK, Layer, colour, glow, gradient, noise, paint, to_srgb8

WIDTH, HEIGHT = 1200, 1500
MIDDLE, CHIN = 600.0, 1010.0
FACE = (600.0, 820.0)


def hexed(rgb: np.ndarray) -> str:
    return "#" + "".join(f"{int(v):02x}" for v in np.clip(rgb, 0, 255))


def mixed(a: str, b: str, t: float) -> str:
    one, two = (np.array([int(c[i : i + 2], 16) for i in (1, 3, 5)]) for c in (a, b))
    return hexed(one * (1 - t) + two * t)


def feather(canvas: skia.Canvas, rng: np.random.Generator, x: float, y: float, angle: float,
            length: float, width: float, foot: str, tip: str, eye: str = "") -> None:  # fmt: skip
    """One feather: shaft, two vanes of fine barbs, down at its foot, perhaps an eye."""
    canvas.save()
    canvas.translate(x, y)
    canvas.rotate(angle)
    bend = rng.normal(0, 0.05) * length
    under = skia.Path()
    under.moveTo(0, 0)
    under.cubicTo(width * 0.72, -length * 0.25, width * 0.72, -length * 0.8, bend, -length)
    under.cubicTo(-width * 0.72, -length * 0.8, -width * 0.72, -length * 0.25, 0, 0)
    canvas.drawPath(under, paint("#05080c", 0.55, blur=9))
    canvas.drawPath(under, paint(mixed(foot, tip, 0.4), 0.95))
    steps = int(length / 2.1)
    for step in range(steps):
        t = step / steps
        at_y, at_x = -length * t, bend * t * t
        full = (
            width * (np.sin(np.pi * min(1.0, t * 1.04 + 0.03)) ** 0.55) * (0.9 if t > 0.12 else 0.5)
        )
        for side in (-1, 1):
            if rng.uniform() < 0.012:  # the vane parts here and there
                continue
            reach = full * rng.uniform(0.9, 1.04) * side
            rise = length * (0.06 + 0.05 * (1 - t))
            tone = mixed(mixed(foot, tip, t**1.1), "#ffffff" if rng.uniform() < 0.5 else "#000000",
                         abs(rng.normal(0, 0.13)))  # fmt: skip
            path = skia.Path()
            path.moveTo(at_x, at_y)
            path.quadTo(at_x + reach * 0.6, at_y - rise * 0.35, at_x + reach, at_y - rise)
            canvas.drawPath(path, paint(tone, 0.85, rng.uniform(1.0, 2.1)))
    for _ in range(60):
        t = rng.uniform(0.0, 0.12)
        path = skia.Path()
        path.moveTo(0, -length * t)
        path.quadTo(
            rng.normal(0, width * 0.4),
            -length * t,
            rng.normal(0, width * 0.7),
            -length * (t - 0.05),
        )
        canvas.drawPath(path, paint(mixed(foot, "#e8e2d2", 0.5), 0.5, 1))
    if eye:
        for scale, tone, alpha in ((1.0, eye, 0.9), (0.66, "#0b1f2d", 0.95), (0.40, "#3f8f86", 1),
                                   (0.2, "#0a0d12", 1)):  # fmt: skip
            w, h = width * 0.52 * scale, width * 0.72 * scale
            centre = -length * 0.80
            canvas.drawOval(skia.Rect.MakeLTRB(-w + bend * 0.7, centre - h, w + bend * 0.7, centre + h),
                            paint(tone, alpha))  # fmt: skip
    shaft = skia.Path()
    shaft.moveTo(0, 0)
    shaft.quadTo(0, -length * 0.5, bend, -length * 0.985)
    canvas.drawPath(shaft, paint("#efe3c6", 0.85, 2.6))
    canvas.drawPath(shaft, paint("#6b5a3e", 0.5, 0.9))
    canvas.restore()


def fan(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Rings of feathers round the face, the longest behind."""
    rings = (
        # number, from and to (degrees from upright), distance of the foot, length, width, tones, eye
        (23, -128, 128, 170, 560, 50, "#12303f", "#2d6f74", "#c98a2f"),
        (19, -112, 112, 165, 430, 47, "#1b2b52", "#3a62a0", "#d9a648"),
        (21, -122, 122, 160, 300, 40, "#4a1f2c", "#b5533a", ""),
        (27, -135, 135, 165, 205, 30, "#7a4a1e", "#e2a94e", ""),
        (35, -145, 145, 172, 128, 22, "#e9dcc0", "#f6efdf", ""),
    )
    for count, low, high, foot, length, width, dark, light, eye in rings:
        layer = Layer(WIDTH, HEIGHT)
        angles = np.linspace(low, high, count)
        # From the outside in, so that the upright one lies on top.
        for angle in sorted(angles, key=lambda a: -abs(a)):
            turn = angle + rng.normal(0, 1.6)
            rad = np.radians(angle)
            x, y = FACE[0] + foot * 0.86 * np.sin(rad), FACE[1] - 60 - foot * np.cos(rad)
            size = length * rng.uniform(0.92, 1.06) * (1 - 0.22 * abs(angle / 180) ** 1.4)
            feather(
                layer.canvas, rng, x, y, turn, size, width * rng.uniform(0.9, 1.1), dark, light, eye
            )
        image = layer.over(image)
        # Light from the front left: what lies farther out and lower is darker.
        image *= 1 - 0.16 * (1 - glow((HEIGHT, WIDTH), 520, 560, 640, 2))[..., None]
    return image


def height_map() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The mask as a relief: coverage, height in pixels, and where the eyes are open."""
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    u, v = (x - FACE[0]) / 190, (y - FACE[1]) / 255
    narrow = 1 + 0.34 * np.clip(v, 0, 2) ** 1.6
    r2 = (u * narrow) ** 2 + v**2
    relief = 150 * np.sqrt(np.clip(1 - r2, 0, 1))
    brow = np.exp(
        -(((v + 0.30 - 0.20 * np.abs(u) + 0.10 * np.exp(-((u / 0.2) ** 2))) / 0.085) ** 2)
    )
    relief += 20 * brow * np.exp(-(((np.abs(u) - 0.42) / 0.36) ** 2))
    ridge = np.exp(-((u / (0.10 + 0.06 * np.clip(v + 0.2, 0, 1))) ** 2))
    beak = np.clip((v + 0.34) / 0.75, 0, 1) * np.clip((0.52 - v) / 0.16, 0, 1)
    relief += 74 * ridge * beak
    for side in (-1, 1):
        socket = np.exp(-(((u - side * 0.42) / 0.25) ** 2 + ((v + 0.10) / 0.16) ** 2))
        cheek = np.exp(-(((u - side * 0.46) / 0.24) ** 2 + ((v - 0.26) / 0.22) ** 2))
        relief += 22 * cheek - 34 * socket
    lips = np.exp(-(((v - 0.66) / 0.05) ** 2)) * np.exp(-((u / 0.24) ** 2))
    part = np.exp(-(((v - 0.665) / 0.012) ** 2)) * np.exp(-((u / 0.25) ** 2))
    relief += 15 * lips - 12 * part
    open_eye = np.zeros_like(u)
    for side in (-1, 1):
        a = (u - side * 0.42) * side
        upper = -0.145 + 0.50 * (a - 0.03) ** 2 - 0.10 * a
        lower = -0.055 - 0.42 * (a - 0.02) ** 2 - 0.10 * a
        inside = np.minimum(v - upper, lower - v) * 255
        open_eye = np.maximum(open_eye, np.clip(inside + 0.5, 0, 1))
    cover = np.clip((1 - np.sqrt(r2)) * 190, 0, 1)
    return cover, cv2.GaussianBlur(relief, (0, 0), 2.2), open_eye


def face(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Lit from the upper left, ivory lacquer with gold lines."""
    cover, relief, eyes = height_map()
    relief = relief + 0.5 * noise(rng, relief.shape, (60, 60), 4)
    gy, gx = np.gradient(relief)
    normal = np.dstack([-gx, -gy, np.full_like(gx, 1.35)])
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    key, rim = np.array([-0.50, -0.52, 0.70]), np.array([0.92, 0.10, 0.20])
    key, rim = key / np.linalg.norm(key), rim / np.linalg.norm(rim)
    diffuse = np.clip(normal @ key, 0, 1)
    half = key + np.array([0, 0, 1])
    gloss = np.clip(normal @ (half / np.linalg.norm(half)), 0, 1) ** 46
    edge = np.clip(normal @ rim, 0, 1) ** 2.2
    base = colour("#efe2c6") * (1 + 0.05 * noise(rng, relief.shape, (14, 14), 3))[..., None]
    lines = Layer(WIDTH, HEIGHT)
    gold = paint("#c48a2c", 1, 4.6)
    for side in (-1, 1):
        for number in range(4):
            path = skia.Path()
            x0 = FACE[0] + side * (30 + 13 * number)
            path.moveTo(x0, FACE[1] - 128 - 15 * number)
            path.cubicTo(x0 + side * 54, FACE[1] - 178 - 12 * number, x0 + side * 100,
                         FACE[1] - 132 - 6 * number, x0 + side * (102 - 12 * number), FACE[1] - 62)  # fmt: skip
            lines.canvas.drawPath(path, gold)
        for number in range(7):
            lines.canvas.drawCircle(FACE[0] + side * (128 - 7 * number), FACE[1] + 36 + 21 * number, 5.4,
                                    paint("#c48a2c"))  # fmt: skip
        path = skia.Path()
        path.moveTo(FACE[0] + side * 26, FACE[1] - 30)
        path.cubicTo(FACE[0] + side * 60, FACE[1] - 62, FACE[0] + side * 118, FACE[1] - 58,
                     FACE[0] + side * 142, FACE[1] - 38)  # fmt: skip
        lines.canvas.drawPath(path, paint("#1d2b3f", 1, 7))
    lines.canvas.drawPath(
        skia.Path().moveTo(FACE[0], FACE[1] - 232).lineTo(FACE[0] + 17, FACE[1] - 196)
        .lineTo(FACE[0], FACE[1] - 158).lineTo(FACE[0] - 17, FACE[1] - 196).close(),
        paint("#8d2f2b"),
    )  # fmt: skip
    base = lines.over(base)
    lip = np.zeros((HEIGHT, WIDTH), np.float32)
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    u, v = (x - FACE[0]) / 190, (y - FACE[1]) / 255
    lip = np.exp(-(((v - 0.665) / 0.045) ** 4)) * np.clip((0.25 - np.abs(u)) * 40, 0, 1)
    base = base * (1 - 0.8 * lip[..., None]) + colour("#9c3a33") * 0.8 * lip[..., None]
    warm = colour("#ffe2b4")
    lit = base * (0.10 + 1.02 * diffuse[..., None] * warm)
    lit += gloss[..., None] * colour("#fff3dc") * 0.55 + edge[..., None] * colour("#ff9a45") * 0.42
    lit = lit * (1 - eyes[..., None]) + colour("#04070b") * eyes[..., None]
    for side in (-1, 1):
        spark = glow((HEIGHT, WIDTH), FACE[0] + side * 80 - 10, FACE[1] - 32, 3.6, 3)
        lit += (spark * eyes)[..., None] * colour("#ffe9c0") * 1.2
    shade = cv2.GaussianBlur(cover, (0, 0), 26)
    image = image * (1 - 0.62 * shade[..., None] * (1 - cover[..., None]))
    return image * (1 - cover[..., None]) + lit * cover[..., None]


def main() -> None:
    rng = np.random.default_rng(12)
    shape = (HEIGHT, WIDTH)
    light = glow(shape, 470, 560, 620, 1.7)
    image = gradient([(0, "#0a0f16"), (0.5, "#1a2430"), (1, "#4a3a30")],
                     np.clip(0.9 * light + 0.06 * noise(rng, shape, (420, 420), 4), 0, 1))  # fmt: skip
    for _ in range(60):  # lanterns far behind, out of focus
        x, y = rng.uniform(0, WIDTH), rng.uniform(0, HEIGHT)
        radius = rng.uniform(9, 32)
        away = np.hypot(np.arange(HEIGHT)[:, None] - y, np.arange(WIDTH)[None, :] - x)
        disc = np.clip((radius - away) / 3, 0, 1) * (0.75 + 0.25 * (away / radius) ** 4)
        image += (
            disc[..., None].astype(np.float32)
            * colour(rng.choice(["#ffb45c", "#ff8f3f", "#ffd9a0"]))
            * rng.uniform(0.03, 0.14)
        )
    image = face(fan(image, rng), rng)
    collar = Layer(WIDTH, HEIGHT)
    for row in range(5, -1, -1):
        for number in range(26):
            angle = np.linspace(-74, 74, 26)[number] + rng.normal(0, 2)
            x = MIDDLE + (64 + 62 * row) * np.sin(np.radians(angle)) * 1.7
            y = CHIN + 60 + 62 * row + 20 * abs(np.sin(np.radians(angle)))
            feather(collar.canvas, rng, x, y - 40, 180 - angle * 0.45, 150, 26, "#131c27",
                    "#34566a" if row % 2 else "#27414f")  # fmt: skip
    below = image.copy()
    image = collar.over(image)
    cover, _, _ = height_map()
    image = image * (1 - cover[..., None]) + below * cover[..., None]
    image *= (0.62 + 0.5 * glow(shape, 560, 700, 900, 2.4))[..., None]
    image += rng.normal(0, 0.0024, image.shape).astype(np.float32)
    Image.fromarray(to_srgb8(image * 1.25)).save(ARTWORK / "mask.jpg", quality=91, subsampling=0)


if __name__ == "__main__":
    main()
