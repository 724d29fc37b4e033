"""Waders at the edge of the tide, as a watercolour: washes, granulation, wet edges, a dry brush."""

from __future__ import annotations

import cv2
import numpy as np
import skia
from PIL import Image

from painting import ARTWORK, Layer, colour, noise, paint, to_srgb8

WIDTH, HEIGHT = 1500, 1150
TIDE = 560
THIN = 0.68
"""How much water is in every wash."""


class Sheet:
    """Paper that takes pigment; light goes through every layer twice."""

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng = rng
        shape = (HEIGHT, WIDTH)
        self.tooth = noise(rng, shape, (9, 9), 3) * 0.6 + noise(rng, shape, (3.2, 3.2), 1) * 0.4
        light = 1 + 0.020 * self.tooth + 0.01 * noise(rng, shape, (500, 500), 2)
        self.image = colour("#f7f1e4") * light[..., None]

    def wash(self, cover: np.ndarray, tone: str, strength: float = 1.0, edge: float = 0.5,
             grain: float = 0.25, pool: float = 0.35) -> None:  # fmt: skip
        """Lay pigment where `cover` (0 to 1) is wet.

        Pigment gathers at the rim of a wash as it dries, settles in the paper's tooth, and
        pools where the water stood longer.
        """
        shape = cover.shape
        rim = cv2.GaussianBlur(cover, (0, 0), 2.2) * (1 - cv2.GaussianBlur(cover, (0, 0), 7)) * 4
        pools = noise(self.rng, shape, (170, 120), 5)
        amount = cover * (1 + pool * pools - grain * self.tooth) + edge * rim * cover
        amount = np.clip(amount * strength * THIN, 0, 2.4)[..., None]
        self.image = self.image * colour(tone) ** amount

    def lift(self, cover: np.ndarray, amount: float) -> None:
        """Take pigment up again with a damp brush."""
        share = (cover * amount)[..., None]
        self.image = self.image * (1 - share) + colour("#f5efe2") * share


def bled(rng: np.random.Generator, cover: np.ndarray, reach: float, soft: float) -> np.ndarray:
    """A drawn area as water makes it: its edge wanders and softens."""
    shape = cover.shape
    y, x = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    dx, dy = (reach * noise(rng, shape, (34, 34), 4) for _ in range(2))
    moved = cv2.remap(cover, x + dx, y + dy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return cv2.GaussianBlur(moved, (0, 0), soft)


def sky(sheet: Sheet, rng: np.random.Generator) -> None:
    shape = (HEIGHT, WIDTH)
    rows = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None] + np.zeros((1, WIDTH), np.float32)
    border = frame(rng)
    cloud = np.clip(0.62 + 0.75 * noise(rng, shape, (620, 240), 5), 0, 1)
    upper = np.clip(1 - rows / 0.46, 0, 1) ** 0.8
    sheet.wash(border * upper * cloud, "#7f9fb6", 0.95, 0.2, 0.3, 0.3)
    glow = np.exp(-(((rows - 0.40) / 0.13) ** 2)) * np.clip(
        0.6 + 0.5 * noise(rng, shape, (700, 120), 4), 0, 1
    )
    sheet.wash(border * glow, "#f0b98a", 0.75, 0.1, 0.2, 0.3)
    sheet.wash(border * glow * np.clip(noise(rng, shape, (420, 60), 4), 0, 1), "#d98a8f", 0.8, 0.1)
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    for _ in range(6):  # blooms: a drop fell into the wet wash and pushed the pigment away
        cx, cy, r = rng.uniform(150, WIDTH - 150), rng.uniform(100, 330), rng.uniform(30, 90)
        wobble = 1 + 0.2 * noise(rng, shape, (60, 60), 4)
        away = np.hypot(x - cx, (y - cy) * 1.3) / (r * wobble)
        sheet.lift(np.clip(1 - away, 0, 1) * border, 0.35)
        rim = np.exp(-(((away - 1) / 0.22) ** 2)) * np.clip(
            noise(rng, shape, (90, 90), 2) + 0.4, 0, 1
        )
        sheet.wash(rim * border, "#8aa5ba", 0.35, 0, 0.5)


def frame(rng: np.random.Generator) -> np.ndarray:
    """The painted part of the sheet: paper stays round it, the brush's edge is not straight."""
    layer = np.zeros((HEIGHT, WIDTH), np.float32)
    layer[62:-62, 62:-62] = 1
    return np.clip(bled(rng, layer, 7, 1.0), 0, 1)


def land(sheet: Sheet, rng: np.random.Generator) -> None:
    """Far dunes and reeds, wet into wet, then the sand bars."""
    columns = np.arange(WIDTH, dtype=np.float32)
    rows = np.arange(HEIGHT, dtype=np.float32)[:, None]
    border = frame(rng)
    for rise, tone, strength, soft in (
        (66, "#a9b3b4", 0.8, 5),
        (40, "#8f9d86", 0.8, 3),
        (20, "#6f7a5b", 0.9, 1.6),
    ):
        line = TIDE - rise * (0.62 + 0.42 * noise(rng, (8, WIDTH), (360, 8), 4)[4])
        cover = np.clip((rows - line[None, :]) / 2, 0, 1) * np.clip((TIDE + 6 - rows) / 3, 0, 1)
        sheet.wash(bled(rng, cover, 5, soft) * border, tone, strength, 0.5)
    del columns
    # Water: the sky's colours again, in long level strokes with dry gaps.
    depth = np.clip((rows - TIDE) / (HEIGHT - TIDE), 0, 1) + np.zeros((1, WIDTH), np.float32)
    stroke = noise(rng, (HEIGHT, WIDTH), (900, 16), 4)
    wet = np.clip((rows - TIDE) / 3, 0, 1) * np.clip(0.78 + 0.55 * stroke, 0, 1)
    sheet.wash(wet * border * (1 - 0.4 * depth), "#8fb0bd", 0.85, 0.35, 0.3)
    sheet.wash(wet * border * np.clip(stroke, 0, 1) * depth, "#5d8496", 0.9, 0.3)
    sheet.wash(border * np.exp(-(((rows - TIDE - 26) / 36) ** 2)) * wet, "#eebd92", 0.55, 0.1)
    for base, tone in ((742, "#c9b48c"), (905, "#b59a6c")):
        edge = base + 46 * noise(rng, (8, WIDTH), (520, 8), 4)[4]
        below = base + 74 + 30 * noise(rng, (8, WIDTH), (300, 8), 4)[4]
        bar = np.clip((rows - edge[None, :]) / 2, 0, 1) * np.clip(
            (below[None, :] - rows) / 16, 0, 1
        )
        gap = np.clip((np.arange(WIDTH)[None, :] - (110 if base < 800 else 640)) / 240, 0, 1)
        far = np.clip(((1180 if base < 800 else 1480) - np.arange(WIDTH)[None, :]) / 260, 0, 1)
        area = bled(rng, bar * gap * far, 6, 1.1) * border
        sheet.lift(area, 0.72)
        sheet.wash(area, tone, 0.9, 0.75, 0.5, 0.4)
        low = np.clip((rows - edge[None, :] - 26) / 26, 0, 1) * area
        sheet.wash(low, "#8a7250", 0.55, 0.2, 0.5)


def wader(
    x: float, y: float, size: float, lean: float, down: bool, flip: bool
) -> dict[str, np.ndarray]:
    """Coverage of a bird's parts: body, back, wing tip, breast spots, bill, legs."""
    unit = size / 100

    def layer(draw) -> np.ndarray:
        made = Layer(WIDTH, HEIGHT)
        canvas = made.canvas
        canvas.translate(x, y)
        if flip:
            canvas.scale(-1, 1)
        canvas.scale(unit, unit)
        canvas.rotate(lean)
        draw(canvas)
        return made.alpha()

    body = skia.Path()
    body.moveTo(-46, -38)
    body.cubicTo(-30, -66, 6, -76, 22, -62)
    if down:
        body.cubicTo(32, -54, 40, -44, 46, -34)
        body.cubicTo(53, -33, 58, -27, 55, -21)
        body.cubicTo(50, -17, 43, -20, 40, -26)
        body.cubicTo(34, -32, 26, -34, 18, -34)
    else:
        body.cubicTo(27, -72, 26, -84, 32, -91)
        body.cubicTo(38, -97, 48, -95, 49, -88)
        body.cubicTo(49, -82, 43, -79, 41, -73)
        body.cubicTo(40, -60, 34, -46, 20, -38)
    body.cubicTo(2, -29, -24, -28, -46, -38)
    body.close()
    back = skia.Path()
    back.moveTo(-62, -39)
    back.cubicTo(-36, -58, -8, -71, 16, -62)
    back.cubicTo(8, -50, -18, -42, -62, -39)
    back.close()
    bill = ((54, -23), (88, 5)) if down else ((48, -88), (90, -83))
    eye = (49, -28) if down else (42, -88)

    def legs(canvas: skia.Canvas) -> None:
        for knee, foot in (((-4, -14), (-8, 0)), ((8, -15), (15, 0))):
            path = skia.Path()
            path.moveTo(knee[0] + 3, -33)
            path.lineTo(*knee)
            path.lineTo(*foot)
            path.lineTo(foot[0] + 7, foot[1] + 1)
            canvas.drawPath(path, paint("#000000", 1, 2.7))

    def spots(canvas: skia.Canvas) -> None:
        rng = np.random.default_rng(round(x))
        canvas.clipPath(body, skia.ClipOp.kIntersect, True)
        for _ in range(34):
            px, py = rng.uniform(-30, 44), rng.uniform(-74, -34)
            canvas.drawLine(px, py, px + 3.4, py + 1.2, paint("#000000", 0.9, rng.uniform(1, 2.4)))

    def bill_line(canvas: skia.Canvas) -> None:
        path = skia.Path()
        path.moveTo(*bill[0])
        path.quadTo((bill[0][0] + bill[1][0]) / 2, (bill[0][1] + bill[1][1]) / 2 - 1.5, *bill[1])
        canvas.drawPath(path, paint("#000000", 1, 3.1))

    return {
        "body": layer(lambda c: c.drawPath(body, paint("#000000"))),
        "back": layer(lambda c: c.drawPath(back, paint("#000000"))),
        "spots": layer(spots),
        "bill": layer(bill_line),
        "legs": layer(legs),
        "eye": layer(lambda c: c.drawCircle(*eye, 2.3, paint("#000000"))),
    }


def birds(sheet: Sheet, rng: np.random.Generator) -> None:
    border = frame(rng)
    flock = [
        (315, 806, 196, 2, False, False), (640, 812, 168, -3, True, False),
        (1000, 812, 176, 0, True, True), (1180, 990, 236, 3, False, True),
        (262, 668, 84, 0, True, False), (800, 676, 92, 0, False, True),
    ]  # fmt: skip
    for x, y, size, lean, down, flip in flock:
        parts = wader(x, y, size, lean, down, flip)
        # The reflection first: the same bird, loose and broken.
        shift = np.float32([[1, 0, 0], [0, -0.72, y * 1.72 + 3]])
        mirror = cv2.warpAffine(np.maximum(parts["body"], parts["back"]), shift, (WIDTH, HEIGHT))
        broken = np.clip(0.72 + 0.8 * noise(rng, mirror.shape, (120, 8), 3), 0, 1)
        sheet.wash(bled(rng, mirror, 7, 2.2) * broken * border, "#7d7365", 0.55, 0.3)
        body = bled(rng, parts["body"], 1.6 * size / 150, 0.9)
        sheet.lift(body, 0.82)
        sheet.wash(body, "#c8a982", 0.75, 0.9, 0.3, 0.5)
        sheet.wash(
            bled(rng, parts["back"], 2, 1.0) * np.clip(body + 0.7, 0, 1),
            "#6f5236",
            0.95,
            0.7,
            0.4,
            0.5,
        )
        sheet.wash(cv2.GaussianBlur(parts["spots"], (0, 0), 1.1), "#5a4430", 0.75, 0.2)
        sheet.wash(parts["legs"], "#d0572e", 1.15, 0.2, 0.1)
        half = bled(rng, parts["bill"], 0.6, 0.5)
        sheet.wash(half, "#c25a33", 1.0, 0.2, 0.1)
        sheet.wash(half * (np.cumsum(half, 1) > 0), "#4a3128", 0.55, 0.1, 0.1)
        sheet.wash(parts["eye"], "#17130f", 1.6, 0, 0)


def reeds(sheet: Sheet, rng: np.random.Generator) -> None:
    """A few quick strokes in the foreground, and spatter."""
    border = frame(rng)
    layer = Layer(WIDTH, HEIGHT)
    for _ in range(70):
        x = (
            WIDTH - 62 - abs(rng.normal(0, 130))
            if rng.uniform() < 0.62
            else 62 + abs(rng.normal(0, 90))
        )
        height, lean = rng.uniform(110, 430), rng.normal(0, 60)
        path = skia.Path()
        path.moveTo(x, HEIGHT - 50)
        path.quadTo(x + lean * 0.2, HEIGHT - 50 - height * 0.6, x + lean, HEIGHT - 50 - height)
        layer.canvas.drawPath(path, paint("#000000", rng.uniform(0.5, 1), rng.uniform(2, 6)))
    dry = np.clip(1.15 - 0.75 * np.clip(sheet.tooth + 0.2, 0, 1), 0, 1)
    sheet.wash(bled(rng, layer.alpha(), 2, 0.7) * dry * border, "#6d7441", 1.0, 0.6, 0.4, 0.5)
    drops = Layer(WIDTH, HEIGHT)
    for _ in range(120):
        drops.canvas.drawCircle(rng.uniform(0, WIDTH), rng.uniform(520, HEIGHT), abs(rng.normal(0, 2.1)),
                                paint("#000000", rng.uniform(0.3, 0.9)))  # fmt: skip
    sheet.wash(drops.alpha(), "#7a6547", 0.7, 0.9)


def main() -> None:
    rng = np.random.default_rng(7)
    sheet = Sheet(rng)
    sky(sheet, rng)
    land(sheet, rng)
    birds(sheet, rng)
    reeds(sheet, rng)
    Image.fromarray(to_srgb8(sheet.image)).save(ARTWORK / "waders.jpg", quality=91, subsampling=0)


if __name__ == "__main__":
    main()
