"""A still life on a windowsill: lantern, jug of reeds, pears and shells against the evening."""

from __future__ import annotations

import cv2
import numpy as np
import skia
from PIL import Image

from painting import ARTWORK, Layer, blade, colour, glow, gradient, noise, paint, plume, to_srgb8

WIDTH, HEIGHT, SILL = 1300, 1300, 900
LIGHT = np.array([-0.45, -0.35, 0.82])
FLAME = (905.0, 640.0)


def view(rng: np.random.Generator) -> np.ndarray:
    """The marsh through the panes, out of focus."""
    shape = (SILL, WIDTH)
    rows = np.linspace(0, 1, SILL, dtype=np.float32)[:, None] + np.zeros((1, WIDTH), np.float32)
    image = gradient([(0, "#2e4a72"), (0.35, "#6d84a0"), (0.58, "#d9a184"), (0.68, "#f3c78f"),
                      (0.70, "#4d4b50"), (0.76, "#8d8f93"), (1, "#3f5468")],
                     np.clip(rows + 0.03 * noise(rng, shape, (500, 120), 4), 0, 1))  # fmt: skip
    image += glow(shape, 330, 590, 90, 2)[..., None] * colour("#ffd9a0") * 0.8
    layer = Layer(WIDTH, SILL)
    for _ in range(120):
        x, height = rng.uniform(0, WIDTH), rng.uniform(40, 190)
        layer.canvas.drawPath(
            blade(x, SILL * 0.99, height, rng.normal(0, 30), 9), paint("#27323a", 0.8)
        )
    image = layer.over(image)
    image = cv2.GaussianBlur(image, (0, 0), 7)
    for _ in range(9):
        x, y = rng.uniform(60, WIDTH - 60), rng.uniform(600, 665)
        away = np.hypot(np.arange(SILL)[:, None] - y, np.arange(WIDTH)[None, :] - x)
        image += (np.clip((13 - away) / 3, 0, 1)[..., None] * colour("#ffb04f") * 0.5).astype(
            np.float32
        )
    return image


def room(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Window frame, wall, and a sill of old painted wood."""
    whole = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    whole[:SILL] = image
    rows = np.linspace(0, 1, HEIGHT - SILL, dtype=np.float32)[:, None] + np.zeros(
        (1, WIDTH), np.float32
    )
    grain = noise(rng, rows.shape, (760, 9), 5)
    top = np.clip(0.16 + 0.10 * grain + 0.55 * rows, 0, 1)
    wood = gradient([(0, "#dccfb6"), (0.5, "#b5a283"), (1, "#6f5f4b")], top)
    front = rows > 0.62
    wood = np.where(front[..., None], wood * 0.46, wood)
    wood[np.abs(rows - 0.62) < 0.006] *= 1.9
    whole[SILL:] = wood
    layer = Layer(WIDTH, HEIGHT)
    canvas = layer.canvas

    def bar(left: float, top: float, right: float, bottom: float) -> None:
        upright = bottom - top > right - left
        ends = [
            skia.Point(left, top),
            skia.Point(right, top) if upright else skia.Point(left, bottom),
        ]
        tones = [0xFF8C7C66, 0xFFEFE6D2, 0xFFD3C6AC, 0xFF5D503F]
        fill = skia.Paint(
            Shader=skia.GradientShader.MakeLinear(ends, tones, [0, 0.25, 0.7, 1]), AntiAlias=True
        )
        canvas.drawRect(skia.Rect.MakeLTRB(left, top, right, bottom), fill)

    for left, right in ((0, 70), (WIDTH - 70, WIDTH), (628, 668)):
        bar(left, 0, right, SILL)
    bar(70, 0, WIDTH - 70, 44)
    bar(70, 400, 628, 428)
    bar(668, 400, WIDTH - 70, 428)
    bar(40, SILL - 40, WIDTH - 40, SILL + 6)
    whole = layer.over(whole)
    return whole * (1 + 0.03 * noise(rng, (HEIGHT, WIDTH), (5, 5), 2)[..., None])


def turned(
    profile: list[tuple[float, float]], x: float, foot: float
) -> tuple[np.ndarray, np.ndarray]:
    """A thing turned on a wheel: its coverage and its normals.

    Parameters
    ----------
    profile : list of (float, float)
        Height above the foot and radius there, from the foot up.
    """
    y, xs = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    heights, radii = np.array(profile, np.float32).T
    up = foot - y
    fine = np.linspace(heights[0], heights[-1], 600)
    smooth = cv2.GaussianBlur(
        np.interp(fine, heights, radii).astype(np.float32)[None],
        (0, 0),
        20,
        borderType=cv2.BORDER_REPLICATE,
    )[0]
    radius = np.interp(up, fine, smooth, left=0, right=0)
    slope = np.interp(up, fine, np.gradient(smooth, fine))
    side = (xs - x) / np.maximum(radius, 1)
    # The foot and the rim are seen as ellipses.
    cover = np.clip((1 - np.abs(side)) * radius / 1.6, 0, 1) * (radius > 0)
    depth = np.sqrt(np.clip(1 - side**2, 0, 1))
    normal = np.dstack([side, slope * np.ones_like(side), depth])
    normal /= np.linalg.norm(normal, axis=2, keepdims=True) + 1e-6
    return cover.astype(np.float32), normal


def ball(x: float, y: float, rx: float, ry: float) -> tuple[np.ndarray, np.ndarray]:
    ys, xs = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    u, v = (xs - x) / rx, (ys - y) / ry
    r = np.hypot(u, v)
    normal = np.dstack([u, v, np.sqrt(np.clip(1 - r * r, 0, 1))])
    return np.clip((1 - r) * min(rx, ry), 0, 1).astype(np.float32), normal


def lay(image: np.ndarray, cover: np.ndarray, normal: np.ndarray, base: np.ndarray, gloss: float,
        tight: float = 40) -> np.ndarray:  # fmt: skip
    """A thing lit by the window and, from its side, by the lantern."""
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    key = LIGHT / np.linalg.norm(LIGHT)
    to_flame = np.dstack([FLAME[0] - x, FLAME[1] - y, np.full_like(x, 120)])
    away = np.linalg.norm(to_flame, axis=2)
    warm = (
        np.clip((normal * (to_flame / away[..., None])).sum(2), 0, 1)
        * 1.5
        / (1 + (away / 190) ** 2)
    )
    day = np.clip(normal @ key, 0, 1)
    half = key + np.array([0, 0, 1])
    shine = np.clip(normal @ (half / np.linalg.norm(half)), 0, 1) ** tight
    back = np.clip(1 - normal[..., 2], 0, 1) ** 3 * 0.5
    lit = base * (
        0.13 + 0.85 * day[..., None] * colour("#e8eef8") + warm[..., None] * colour("#ffb665")
    )
    lit += gloss * shine[..., None] * colour("#f4f7ff") + back[..., None] * colour("#c58d68") * 0.25
    return image * (1 - cover[..., None]) + lit * cover[..., None]


def shadow(
    image: np.ndarray, x: float, y: float, rx: float, ry: float, slant: float, depth: float
) -> np.ndarray:
    """Cast on the sill, away from the window."""
    ys, xs = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    u, v = (xs - x - slant * (ys - y)) / rx, (ys - y) / ry
    dark = np.clip(1.15 - np.hypot(u, v), 0, 1) ** 0.7 * np.clip((ys - SILL + 30) / 20, 0, 1)
    dark = cv2.GaussianBlur(dark, (0, 0), 9)
    return image * (1 - depth * dark[..., None])


def lantern(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    x, foot = FLAME[0], 985.0
    image = shadow(image, x + 30, foot + 10, 150, 46, 0.5, 0.75)
    image += glow((HEIGHT, WIDTH), *FLAME, 300, 1.8)[..., None] * colour("#ff9d3f") * 0.16
    metal = colour("#3a4046") * (1 + 0.2 * noise(rng, (HEIGHT, WIDTH), (12, 12), 3))[..., None]
    for profile in ([(0, 112), (18, 116), (34, 110), (52, 84), (62, 70)],
                    [(508, 70), (516, 92), (540, 90), (566, 52), (580, 34), (600, 30), (604, 8)]):  # fmt: skip
        cover, normal = turned(profile, x, foot)
        image = lay(image, cover, normal, metal, 0.5, 26)
    cover, normal = turned([(60, 76), (120, 104), (280, 112), (430, 100), (508, 74)], x, foot)
    inside = glow((HEIGHT, WIDTH), FLAME[0], FLAME[1] + 20, 84, 1.6)
    glass = image * 0.72 + inside[..., None] * colour("#ffb052") * 1.15
    rim = np.clip(1 - normal[..., 2], 0, 1) ** 2.5
    shine = np.clip(normal @ (np.array([-0.72, -0.25, 0.65]) / 1.0), 0, 1) ** 60
    glass += rim[..., None] * colour("#ffd9a2") * 0.32 + shine[..., None] * colour("#eef4ff") * 0.9
    image = image * (1 - cover[..., None]) + glass * cover[..., None]
    candle, bent = turned([(60, 40), (66, 42), (196, 42), (204, 38)], x, foot)
    wax = lay(image, candle, bent, colour("#f4e6c8") * np.ones((HEIGHT, WIDTH, 1), np.float32), 0.1)
    wax += (
        (candle * glow((HEIGHT, WIDTH), x, foot - 200, 90, 2))[..., None] * colour("#ffb864") * 0.9
    )
    image = wax
    ys, xs = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    for size, tone, strength in (
        (1.0, "#ff8a2a", 1.3),
        (0.72, "#ffc35a", 2.2),
        (0.42, "#fff6dc", 3.0),
    ):
        v = (ys - (FLAME[1] + 70)) / (88 * size)
        wide = 24 * size * np.clip(-v, 0, 1) ** 0.5 * np.clip(1 + v, 0, 1) ** 0.8 * 1.9
        flame = np.clip((wide - np.abs(xs - x)) / 5, 0, 1) * (v > -1) * (v < 0)
        image += cv2.GaussianBlur(flame, (0, 0), 2.5)[..., None] * colour(tone) * strength
    bars = Layer(WIDTH, HEIGHT)
    for offset in (-104, -38, 38, 104):
        path = skia.Path()
        path.moveTo(x + offset * 0.70, foot - 58)
        path.cubicTo(
            x + offset * 1.12,
            foot - 140,
            x + offset * 1.12,
            foot - 420,
            x + offset * 0.68,
            foot - 510,
        )
        bars.canvas.drawPath(path, paint("#20262b", 1, 7))
        bars.canvas.drawPath(path, paint("#8d7a5c", 0.7, 1.8))
    bars.canvas.drawOval(
        skia.Rect.MakeLTRB(x - 52, foot - 716, x + 52, foot - 600), paint("#20262b", 1, 8)
    )
    return bars.over(image)


def jug(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    x, foot = 330.0, 1010.0
    reeds = Layer(WIDTH, HEIGHT)
    for _ in range(46):
        lean, height = rng.normal(0, 170), rng.uniform(260, 640)
        tone = rng.choice(["#6e6b3c", "#8d7f48", "#4d5a3c", "#a68d54"])
        at = x + rng.uniform(-40, 40)
        reeds.canvas.drawPath(blade(at, foot - 330, height, lean, rng.uniform(5, 10)), paint(tone))
        if rng.uniform() < 0.5:
            stem = height * 1.05
            reeds.canvas.drawPath(
                plume(rng, at + lean * 0.86, foot - 330 - stem * 0.96, stem * 0.24, lean),
                paint(rng.choice(["#b89a6b", "#8d6f4a", "#d3b88a"]), 0.85, 1.8),
            )
    image = reeds.over(image)
    image = shadow(image, x + 60, foot + 6, 200, 52, 0.5, 0.7)
    profile = [
        (0, 92),
        (10, 104),
        (90, 158),
        (170, 168),
        (250, 128),
        (310, 82),
        (350, 84),
        (372, 96),
    ]
    cover, normal = turned(profile, x, foot)
    y = np.arange(HEIGHT, dtype=np.float32)[:, None] + np.zeros((1, WIDTH), np.float32)
    glaze = gradient([(0, "#e9e2d0"), (0.40, "#e6dcc4"), (0.44, "#2c5674"), (0.60, "#33678a"), (0.64, "#e3d8bf"),
                      (1, "#b59a76")], np.clip((foot - y + 14 * noise(rng, y.shape, (60, 60), 3)) / 372, 0, 1))  # fmt: skip
    image = lay(image, cover, normal, glaze, 0.75, 60)
    handle = Layer(WIDTH, HEIGHT)
    path = skia.Path()
    path.moveTo(x - 84, foot - 336)
    path.cubicTo(x - 214, foot - 366, x - 236, foot - 214, x - 152, foot - 170)
    for tone, width, alpha in (("#4f4a40", 30, 1), ("#cfc3a8", 24, 1), ("#f3eddc", 9, 0.8)):
        handle.canvas.drawPath(path, paint(tone, alpha, width))
    return handle.over(image)


def fruit(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Three pears, each a turned body with a blush and freckles."""
    for x, foot, size, tone, blush in ((560, 1040, 1.0, "#b9a63c", "#b5512f"), (690, 1070, 0.92, "#9aa544", "#c7742f"),
                                       (628, 1110, 0.86, "#c9a63f", "#a83f2a")):  # fmt: skip
        image = shadow(image, x + 42, foot - 4, 112 * size, 34, 0.5, 0.72)
        profile = [
            (0, 20),
            (6, 46),
            (40, 80),
            (80, 84),
            (120, 66),
            (160, 40),
            (190, 34),
            (208, 22),
            (214, 4),
        ]
        cover, normal = turned([(h * size, r * size) for h, r in profile], x, foot)
        speck = (noise(rng, (HEIGHT, WIDTH), (5, 5), 1) > 0.85).astype(np.float32)
        share = np.clip(
            0.5 + 0.9 * normal[..., 0] + 0.4 * noise(rng, (HEIGHT, WIDTH), (80, 80), 3), 0, 1
        )[..., None]
        base = colour(tone) * (1 - share) + colour(blush) * share
        base = base * (1 - 0.35 * cv2.GaussianBlur(speck, (0, 0), 0.8))[..., None]
        image = lay(image, cover, normal, base, 0.35, 30)
        stalk = Layer(WIDTH, HEIGHT)
        path = skia.Path()
        path.moveTo(x, foot - 206 * size)
        path.quadTo(x + 3, foot - 232 * size, x + 18, foot - 246 * size)
        stalk.canvas.drawPath(path, paint("#3d2c1b", 1, 6))
        image = stalk.over(image)
    return image


def shells(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Scallops lying on the sill, their ribs in relief."""
    for x, y, r, tone in (
        (1110, 1095, 66, "#d8a48a"),
        (1195, 1062, 46, "#e6d3b8"),
        (1030, 1135, 50, "#c9896f"),
    ):
        image = shadow(image, x + 18, y + 12, r * 1.15, r * 0.5, 0.4, 0.6)
        cover, normal = ball(x, y, r, r * 0.72)
        ys, xs = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
        angle = np.arctan2(xs - x, (y + r * 0.72 - ys) + 1e-3)
        ribs = np.cos(angle * 22)
        bent = normal.copy()
        bent[..., 0] += 0.35 * np.sin(angle * 22)
        bent /= np.linalg.norm(bent, axis=2, keepdims=True) + 1e-6
        growth = 0.5 + 0.5 * np.cos(np.hypot(xs - x, y + r * 0.7 - ys) / 5)
        base = colour(tone) * (0.82 + 0.14 * ribs + 0.12 * growth)[..., None]
        image = lay(image, cover, bent, base, 0.25, 24)
    return image


def main() -> None:
    rng = np.random.default_rng(31)
    image = room(view(rng), rng)
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    image += (
        (glow((HEIGHT, WIDTH), FLAME[0], 1010, 260, 1.8) * (y > SILL))[..., None]
        * colour("#ff9c45")
        * 0.32
    )
    image = jug(image, rng)
    image = lantern(image, rng)
    image = shells(fruit(image, rng), rng)
    image *= (0.66 + 0.42 * glow((HEIGHT, WIDTH), 700, 640, 1000, 2.2))[..., None]
    image += rng.normal(0, 0.0025, image.shape).astype(np.float32)
    del x
    Image.fromarray(to_srgb8(image * 1.06)).save(ARTWORK / "sill.jpg", quality=91, subsampling=0)


if __name__ == "__main__":
    main()
