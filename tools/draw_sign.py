"""The path sign: an evening boardwalk through the reeds, with a wooden board in perspective."""

from __future__ import annotations

import itertools

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

WIDTH, HEIGHT, HORIZON = 1800, 1350, 560
VANISHING = (560.0, 548.0)
SKY = [
    (0.00, "#232f56"),
    (0.35, "#45547f"),
    (0.62, "#8f7a97"),
    (0.82, "#d98f7b"),
    (0.94, "#f3b57f"),
    (1.00, "#fbd49a"),
]
BOARD = np.float32([[1010, 300], [1580, 214], [1604, 968], [1002, 900]])
"""Corners of the board in the picture: top left, top right, bottom right, bottom left."""

PANEL = (0.155, 0.300, 0.845, 0.885)
"""Left, top, right, bottom of the pale panel, in parts of the board."""

FLAT = (1120, 1330)
"""Width and height at which the board is drawn before it is set into the picture."""

LANTERNS = ((935.0, 250.0, 1.0), (742.0, 414.0, 0.5), (662.0, 478.0, 0.27), (618.0, 512.0, 0.16))
"""Lanterns: x, y of the light, and size in parts of the nearest."""


def backdrop(rng: np.random.Generator) -> np.ndarray:
    """Sky, far trees, and water between the reeds."""
    rows = np.linspace(0, 1, HORIZON, dtype=np.float32)
    shape = (HORIZON, WIDTH)
    drift = noise(rng, shape, (1000, 320), 3) * 0.03
    sky = gradient(SKY, np.clip(rows[:, None] + drift, 0, 1))
    streaks = noise(rng, shape, (900, 52), 5) + 0.3 * noise(rng, shape, (300, 20), 4)
    lift = np.exp(-(((rows - 0.60) / 0.2) ** 2))[:, None]
    veil = (np.clip(streaks - 0.15, 0, 1.1) * lift * 0.6)[..., None]
    warm = gradient([(0, "#6d6b92"), (0.6, "#e9a184"), (1, "#ffdca8")], rows[:, None])
    sky = sky * (1 - veil) + warm * veil
    sky += glow(shape, 470, HORIZON + 20, 300, 1.6)[..., None] * colour("#ffc27d") * 0.55

    image = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    image[:HORIZON] = sky
    water = sky[::-1][: HEIGHT - HORIZON]
    water = cv2.resize(water, (WIDTH, HEIGHT - HORIZON), interpolation=cv2.INTER_LINEAR)
    depth = np.linspace(0, 1, HEIGHT - HORIZON, dtype=np.float32)[:, None, None]
    ripple = noise(rng, (HEIGHT - HORIZON, WIDTH), (420, 12), 4)[..., None]
    image[HORIZON:] = water * (0.62 - 0.34 * depth) * (1 + 0.10 * ripple) + colour("#141f33") * (
        0.25 * depth
    )
    for rise, shade in ((64, "#7d6f86"), (38, "#4a4d63"), (20, "#2b3546")):
        ridge = noise(rng, (64, WIDTH), (260, 64), 6)[32]
        top = HORIZON - rise * (0.75 + 0.3 * ridge)
        cover = np.clip(np.arange(HEIGHT)[:, None] - top[None], 0, 1)
        cover = (cover * (np.arange(HEIGHT)[:, None] <= HORIZON + 3))[..., None]
        image = image * (1 - cover) + colour(shade) * cover
    mist = np.exp(-(((np.arange(HEIGHT) - HORIZON) / 46.0) ** 2))[:, None, None]
    return image * (1 - 0.4 * mist) + colour("#eeb48d") * 0.4 * mist


def wood(rng: np.random.Generator, size: tuple[int, int], planks: int, base: str,
         upright: bool = False) -> np.ndarray:  # fmt: skip
    """Planks with grain and knots, linear light, size (width, height); planks lie level."""
    width, height = size[::-1] if upright else size
    image = np.zeros((height, width, 3), np.float32)
    edges = np.linspace(0, height, planks + 1).round().astype(int)
    for top, bottom in itertools.pairwise(edges):
        shape = (bottom - top, width)
        grain = noise(rng, shape, (width * 0.8, max(6, shape[0] * 0.16)), 6)
        fine = noise(rng, shape, (width * 0.3, 4), 3)
        rings = 0.5 + 0.5 * np.sin(grain * 9 + rng.uniform(0, 6))
        tone = rng.uniform(0.82, 1.12) * (0.80 + 0.22 * rings + 0.07 * fine)
        for _ in range(rng.integers(0, 3)):
            x, y = rng.uniform(0, width), rng.uniform(0, shape[0])
            away = np.hypot(
                (np.arange(width) - x)[None] / 22, (np.arange(shape[0]) - y)[:, None] / 11
            )
            tone *= 1 - 0.5 * np.exp(-(away**2))
        part = colour(base) * tone[..., None]
        bevel = np.minimum(np.arange(shape[0]), np.arange(shape[0])[::-1]) / max(
            3.0, shape[0] * 0.03
        )
        part *= np.clip(0.25 + bevel, 0, 1)[:, None, None]
        image[top:bottom] = part
    return np.ascontiguousarray(image.transpose(1, 0, 2)) if upright else image


def board(rng: np.random.Generator) -> np.ndarray:
    """The board as seen from straight ahead."""
    width, height = FLAT
    image = wood(rng, FLAT, 7, "#8a6a4c")
    left, top, right, bottom = (
        round(share * side) for share, side in zip(PANEL, (width, height) * 2, strict=True)
    )
    panel = Layer(width, height)
    panel.canvas.drawRoundRect(skia.Rect(left, top, right, bottom), 16, 16, paint("#e9dcc0", 0.92))
    worn = np.clip(0.5 + 0.9 * noise(rng, (height, width), (260, 40), 6), 0, 1)
    cover = panel.alpha() * (0.84 + 0.16 * worn)
    grain = image / image.mean()
    paper = colour("#e6d8ba") * (0.82 + 0.18 * grain.mean(-1, keepdims=True))
    image = image * (1 - cover[..., None]) + paper * cover[..., None]
    ink = Layer(width, height)
    for text, size, y, weight in (
        ("Lantern Walk", 142, 192, "Bold"),
        ("Along the boardwalk to gate 2", 60, 300, "Medium"),
        ("Scan for tonight’s path", 62, 1262, "Medium"),
    ):
        blob, length = lettering(text, size, weight)
        ink.canvas.drawTextBlob(blob, (width - length) / 2, y, paint("#f4e7c8", 0.95))
    body, legs = heron_paths(1000, 1292, 118)
    ink.canvas.drawPath(body, paint("#f4e7c8", 0.9))
    ink.canvas.drawPath(legs, paint("#f4e7c8", 0.9, 4))
    image = ink.over(image)
    screws = Layer(width, height)
    for x in (46, width - 46):
        for y in (56, height - 56):
            screws.canvas.drawCircle(x + 3, y + 4, 17, paint("#000000", 0.4, blur=3))
            screws.canvas.drawCircle(x, y, 15, paint("#51483f"))
            screws.canvas.drawCircle(x - 4, y - 5, 6, paint("#a79a88", 0.8))
    return screws.over(image)


def set_in(image: np.ndarray, flat: np.ndarray, quad: np.ndarray) -> np.ndarray:
    """A flat drawing set into the picture on four corners, edges smooth."""
    height, width = flat.shape[:2]
    source = np.float32([[0, 0], [width, 0], [width, height], [0, height]])
    matrix = cv2.getPerspectiveTransform(source, quad * 2)
    size = (WIDTH * 2, HEIGHT * 2)
    drawn = cv2.warpPerspective(flat, matrix, size, flags=cv2.INTER_AREA)
    cover = cv2.warpPerspective(np.ones((height, width), np.float32), matrix, size)
    drawn, cover = (
        cv2.resize(part, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA) for part in (drawn, cover)
    )
    return image * (1 - cover[..., None]) + drawn


def boardwalk(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Planks across the path, running to the vanishing point."""
    x, y = VANISHING
    flat = wood(rng, (620, 3400), 46, "#6d5a4c")
    far = 20.0
    # Lines of the path meet in the vanishing point; planks shorten with distance.
    quad = np.float32(
        [[x - 22, y + far], [x + 24, y + far], [1010, HEIGHT + 60], [-150, HEIGHT + 60]]
    )
    shaded = np.linspace(1.25, 0.42, flat.shape[0], dtype=np.float32)[:, None, None]
    image = set_in(image, flat * shaded * colour("#e7c3ad") * 1.7, quad)
    rails = Layer(WIDTH, HEIGHT)
    for foot, side in ((-150, -1), (1010, 1)):
        # The shadow between the path and the reeds.
        shade = skia.Path()
        shade.moveTo(x + side * 20, y + far)
        for px, py in (
            (x + side * 30, y + far), (foot + side * 90, HEIGHT + 60), (foot, HEIGHT + 60),
        ):  # fmt: skip
            shade.lineTo(px, py)
        shade.close()
        rails.canvas.drawPath(shade, paint("#262433", 0.9, blur=4))
    for foot, side in ((-150, -1), (1010, 1)):
        top = x + side * 23
        rails.canvas.drawLine(top, y + far - 1, foot, HEIGHT + 60, paint("#120f12", 0.75, 15))
        rails.canvas.drawLine(top, y + far - 3, foot, HEIGHT + 44, paint("#c99a78", 0.35, 3))
    return rails.over(image)


def reeds(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Reeds on both sides, from small and pale at the horizon to tall and dark in front."""
    for depth in np.linspace(0.012, 1.0, 84) ** 1.25:
        layer = Layer(WIDTH, HEIGHT)
        foot_y = HORIZON + (HEIGHT + 90 - HORIZON) * depth
        stops = [(0, "#8d6f72"), (0.12, "#5b4d5c"), (0.45, "#2b3040"), (1, "#0d141d")]
        shade = gradient(stops, np.array([depth * rng.uniform(0.85, 1.15)]))[0]
        code = "#" + "".join(f"{v:02x}" for v in to_srgb8(shade))
        left_edge = VANISHING[0] + (-150 - VANISHING[0]) * depth - 10
        right_edge = VANISHING[0] + (1010 - VANISHING[0]) * depth + 14
        for _ in range(int(260 - 150 * depth)):
            x = rng.uniform(-60, WIDTH + 60)
            if left_edge < x < right_edge:
                continue
            tall = (22 + 300 * depth) * rng.uniform(0.55, 1.1)
            lean = tall * rng.normal(0.06, 0.16)
            layer.canvas.drawPath(blade(x, foot_y, tall, lean, 1.6 + 10 * depth), paint(code, 0.92))
            if rng.random() < 0.07:
                layer.canvas.drawPath(
                    plume(rng, x + lean, foot_y - tall * 0.98, 26 + 74 * depth, lean),
                    paint(code, 0.8, 0.8 + 2.2 * depth),
                )
        image = layer.over(image)
    return image


def lanterns(image: np.ndarray) -> np.ndarray:
    """Lanterns on posts along the path, and the light that they throw."""
    light = np.zeros_like(image)
    shape = image.shape[:2]
    for x, y, size in reversed(LANTERNS):
        layer = Layer(WIDTH, HEIGHT)
        post = paint("#14151d", 1, 15 * size)
        foot = y + 860 * size
        layer.canvas.drawLine(x + 52 * size, y - 70 * size, x + 52 * size, foot, post)
        layer.canvas.drawLine(
            x + 52 * size, y - 62 * size, x, y - 62 * size, paint("#14151d", 1, 9 * size)
        )
        cage = skia.Path()
        for px, py in ((-20, -40), (20, -40), (29, 36), (-29, 36)):
            (cage.moveTo if cage.isEmpty() else cage.lineTo)(x + px * size, y + py * size)
        cage.close()
        layer.canvas.drawPath(cage, paint("#ffdf9c"))
        layer.canvas.drawCircle(x, y + 4 * size, 13 * size, paint("#fff8e2"))
        frame = paint("#14151d", 1, max(1.5, 5 * size))
        layer.canvas.drawPath(cage, frame)
        layer.canvas.drawLine(x, y - 40 * size, x, y - 62 * size, frame)
        layer.canvas.drawLine(x - 30 * size, y - 42 * size, x + 30 * size, y - 42 * size, frame)
        image = layer.over(image)
        light += (
            glow(shape, x, y, 190 * size, 1.5)[..., None] * colour("#ffb866") * (0.30 + 0.35 * size)
        )
        light += (
            glow(shape, x, y + 820 * size, 210 * size, 2.0, 0.28)[..., None]
            * colour("#ff9d4d")
            * 0.30
        )
    return image * (1 + 1.1 * np.minimum(light, 1.2)) + 0.42 * light


def main() -> None:
    rng = np.random.default_rng(11)
    image = backdrop(rng)
    image = boardwalk(image, rng)
    image = reeds(image, rng)
    posts = Layer(WIDTH, HEIGHT)
    for x, top, width in ((1078, 255, 44), (1512, 170, 52)):
        posts.canvas.drawRect(
            skia.Rect(x - width / 2, top, x + width / 2, HEIGHT), paint("#33271f")
        )
        posts.canvas.drawRect(
            skia.Rect(x - width / 2, top, x - width / 5, HEIGHT), paint("#6b4f3a", 0.7)
        )
    image = posts.over(image)
    shadow = Layer(WIDTH, HEIGHT)
    outline = skia.Path()
    for px, py in BOARD + np.float32([14, 20]):
        (outline.moveTo if outline.isEmpty() else outline.lineTo)(float(px), float(py))
    outline.close()
    shadow.canvas.drawPath(outline, paint("#000000", 0.5, blur=16))
    image = shadow.over(image)
    flat = board(rng)
    # Light from the lantern on the left falls off across the board.
    across = np.linspace(1.12, 0.74, FLAT[0], dtype=np.float32)[None, :, None]
    down = np.linspace(1.06, 0.84, FLAT[1], dtype=np.float32)[:, None, None]
    image = set_in(image, flat * across * down * colour("#ffdcb4") * 1.12, BOARD)
    image = lanterns(image)
    front = Layer(WIDTH, HEIGHT)
    for _ in range(46):
        x = rng.uniform(1120, WIDTH + 30)
        tall = rng.uniform(200, 420)
        front.canvas.drawPath(
            blade(x, HEIGHT + 20, tall, rng.normal(-10, 60), rng.uniform(8, 14)), paint("#0b1118")
        )
    image = front.over(image)
    image *= 1 + 0.03 * noise(rng, image.shape[:2], (3, 3), 1)[..., None]
    Image.fromarray(to_srgb8(image)).save(DEMO / "sign.jpg", quality=90, subsampling=0)
    print(DEMO / "sign.jpg")


if __name__ == "__main__":
    main()
