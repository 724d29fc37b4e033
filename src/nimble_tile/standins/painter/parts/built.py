"""What people have built: houses, towers, bridges, boats, lanterns."""

from __future__ import annotations

import numpy as np

from nimble_tile.standins.painter.colours import lightness, mix
from nimble_tile.standins.painter.stage import Stage, smooth


def _lit(s: Stage) -> bool:
    """Whether lamps are on."""
    return lightness(s.colours.low) < 0.62


def house(
    s: Stage,
    x: float,
    foot: float,
    width: float,
    high: float,
    distance: float = 0.2,
    wall: np.ndarray | None = None,
) -> None:
    """A gabled house with windows, which are lit when it is dark."""
    wall = mix(s.colours.low, s.colours.far, s.between(0.1, 0.7)) if wall is None else wall
    roof = mix(s.colours.accent, s.colours.near, s.between(0.1, 0.6))
    eaves, top = foot - high * 0.62, foot - high
    left, right = x - width / 2, x + width / 2
    dim = 0.72 if s.light[0] > x else 0.95
    s.lay(
        s.shape([(left, foot), (left, eaves), (right, eaves), (right, foot)]),
        s.shaded(s.afar(wall * dim, distance), 0.06, 0.02),
    )
    over = 0.08 * width
    s.lay(
        s.shape(
            [
                (left - over, eaves),
                (x - 0.2 * width, top),
                (x + 0.2 * width, top),
                (right + over, eaves),
            ]
        ),
        s.shaded(s.afar(roof, distance), 0.14, 0.012, 0.3),
    )
    pane = s.colours.glow if _lit(s) else s.afar(s.colours.near, distance)
    columns = 2 if width < 0.09 else 3
    for row in range(2 if high > 0.18 else 1):
        for column in range(columns):
            if _lit(s) and s.often(0.25):
                continue
            cx = left + width * (column + 0.5) / columns
            cy = eaves + (foot - eaves) * (0.28 + 0.42 * row)
            w, h = width * 0.16 / columns * 2, (foot - eaves) * 0.2
            s.lay(
                s.shape(
                    [
                        (cx - w / 2, cy - h / 2),
                        (cx + w / 2, cy - h / 2),
                        (cx + w / 2, cy + h / 2),
                        (cx - w / 2, cy + h / 2),
                    ]
                ),
                pane,
            )
            if _lit(s):
                s.glow(cx, cy, width * 0.5, 0.22)
    if s.often(0.6):
        cx = x + width * 0.22
        s.lay(
            s.shape(
                [
                    (cx, top + 0.03 * high),
                    (cx, top - 0.12 * high),
                    (cx + 0.06 * width, top - 0.12 * high),
                    (cx + 0.06 * width, top + 0.1 * high),
                ]
            ),
            s.afar(mix(roof, s.colours.near, 0.4), distance),
        )


def village(s: Stage, foot: float, number: int, distance: float = 0.4, size: float = 0.1) -> None:
    """Houses beside each other, some behind others."""
    for place in sorted(s.between(-0.02, 1.02) for _ in range(number)):
        wide = size * s.between(0.7, 1.25)
        house(
            s, place, foot + s.between(-0.012, 0.012), wide, wide * s.between(0.85, 1.35), distance
        )


def tower(
    s: Stage,
    x: float,
    foot: float,
    width: float,
    high: float,
    distance: float = 0.3,
    pointed: bool = True,
) -> None:
    """A tower with a pointed or a flat top."""
    wall = s.afar(mix(s.colours.far, s.colours.near, s.between(0.2, 0.6)), distance)
    top = foot - high * (0.78 if pointed else 1)
    across = np.clip((s.across - x) / width + 0.5, 0, 1)
    lit = np.where(s.light[0] > x, across, 1 - across)[..., None]
    s.lay(
        s.shape(
            [
                (x - width / 2, foot),
                (x - width / 2, top),
                (x + width / 2, top),
                (x + width / 2, foot),
            ]
        ),
        s.shaded(wall, 0.08, 0.02) * (0.7 + 0.4 * lit),
    )
    if pointed:
        roof = s.afar(mix(s.colours.accent, s.colours.near, 0.45), distance)
        s.lay(s.shape([(x - 0.62 * width, top), (x, foot - high), (x + 0.62 * width, top)]), roof)
    pane = s.colours.glow if _lit(s) else mix(wall, s.colours.near, 0.7)
    for row in np.arange(top + 0.1 * high, foot - 0.08 * high, 0.14 * high):
        w, h = 0.16 * width, 0.04 * high
        s.lay(s.shape([(x - w, row), (x + w, row), (x + w, row + h), (x - w, row + h)]), pane)
        if _lit(s):
            s.glow(x, row + h / 2, width * 0.7, 0.15)


def skyline(s: Stage, foot: float, number: int = 26, distance: float = 0.45) -> None:
    """Towers of a town, the far ones first."""
    for layer in range(3):
        far = distance * (1.2 - 0.4 * layer)
        for _ in range(number // 3):
            wide = s.between(0.03, 0.075)
            high = s.between(0.14, 0.42) * (1 - 0.18 * layer)
            tower(s, s.between(0, 1), foot + 0.02 * layer, wide, high, far, s.often(0.35))


def street(s: Stage, top: float = 0.46) -> None:
    """Houses on both sides of a street that runs to the horizon."""
    far = s.between(0.4, 0.6)
    steps = np.linspace(0, 1, 7)
    for side in (-1, 1):
        for t in steps:
            near = t**1.7
            x = far + side * (0.05 + 0.62 * near)
            wide, high = 0.09 + 0.36 * near, (0.14 + 0.62 * near) * s.between(0.9, 1.15)
            house(s, x, top + 0.02 + 0.56 * near, wide, high, 0.55 * (1 - t))
    y = np.linspace(top, 1.02, 20)
    half = 0.02 + 0.6 * ((y - top) / (1 - top)) ** 1.25
    outline = np.vstack([np.column_stack([far - half, y]), np.column_stack([far + half, y])[::-1]])
    s.lay(s.shape(outline), s.shaded(mix(s.colours.far, s.colours.near, 0.45), 0.16, 0.014, 0.3))


def bridge(s: Stage, y: float, high: float = 0.14, arches: int = 3) -> None:
    """A bridge of stone arches from side to side."""
    stone = s.shaded(mix(s.colours.far, s.colours.near, 0.4), 0.16, 0.016, 0.6)
    top = y - high + 0.02 * np.cos(np.linspace(-1, 1, 30) * np.pi)
    line = np.linspace(-0.02, 1.02, 30)
    whole = s.shape(
        np.vstack([np.column_stack([line, top]), [(1.02, y + 0.02), (-0.02, y + 0.02)]])
    )
    for number in range(arches):
        cx, half = (number + 0.5) / arches, 0.36 / arches
        t = np.linspace(np.pi, 0, 20)
        arch = np.column_stack([cx + half * np.cos(t), y + 0.03 - (high * 0.8) * np.sin(t)])
        whole = whole * (
            1 - s.shape(np.vstack([arch, [(cx + half, y + 0.04), (cx - half, y + 0.04)]]))
        )
    s.lay(whole, stone)
    rail = [np.column_stack([line, top - 0.012])]
    s.lay(s.lines(rail, 0.008), mix(s.colours.far, s.colours.near, 0.65))


def boat(s: Stage, x: float, y: float, size: float, sail: bool = False) -> None:
    """A rowing boat, or one with a sail, and its image in the water."""
    hull = np.array(
        [(-0.5, -0.08), (-0.36, 0.1), (0.34, 0.1), (0.52, -0.12), (0.3, -0.03), (-0.3, -0.03)]
    )
    points = smooth(hull * size, 4) * (1, s.width / s.height) + (x, y)
    dark = mix(s.colours.near, s.colours.accent, 0.25)
    s.lay(0.35 * s.shape(points * (1, -1) + (0, 2 * y + 0.2 * size)), s.colours.near)
    if sail:
        ratio = s.width / s.height
        s.lay(s.lines([[(x, y), (x, y - 0.95 * size * ratio)]], 0.02 * size), s.colours.near)
        curve = smooth(
            [
                (x + 0.01, y - 0.95 * size * ratio),
                (x + 0.2 * size, y - 0.5 * size * ratio),
                (x + 0.4 * size, y - 0.14 * size * ratio),
            ],
            8,
            False,
        )
        cloth = mix(s.colours.low, np.ones(3), 0.4)
        s.lay(
            s.shape(np.vstack([curve, [(x + 0.01, y - 0.14 * size * ratio)]])),
            s.shaded(cloth, 0.08, 0.02),
        )
    s.lay(s.shape(points), s.shaded(dark, 0.1, 0.02, 0.3))
    s.lay(
        s.lines(
            [
                smooth(np.array([(-0.5, -0.09), (-0.1, -0.02), (0.52, -0.13)]) * size, 5, False)
                * (1, s.width / s.height)
                + (x, y)
            ],
            0.025 * size,
        ),
        s.colours.accent,
    )


def lantern(s: Stage, x: float, y: float, size: float, strength: float = 0.6) -> None:
    """A paper lantern that glows."""
    s.glow(x, y, size * 7, 0.55 * strength)
    s.glow(x, y, size * 2.2, strength)
    ratio = s.width / s.height
    t = np.linspace(0, 2 * np.pi, 18, endpoint=False)
    body = np.column_stack([x + size * 0.8 * np.cos(t), y + size * 1.05 * np.sin(t) * ratio])
    cover = s.shape(body)
    core = np.clip(1 - np.hypot(s.across - x, (s.down - y) / ratio) / (1.1 * size), 0, 1)[..., None]
    paper = mix(s.colours.glow, s.colours.accent, 0.45)
    s.lay(cover, paper * (1 - core) + mix(s.colours.glow, np.ones(3), 0.55) * core)
    ribs = [
        [
            (x - size * 0.8 * np.cos(a), y + size * 1.05 * np.sin(a) * ratio),
            (x + size * 0.8 * np.cos(a), y + size * 1.05 * np.sin(a) * ratio),
        ]
        for a in (-0.9, -0.45, 0, 0.45, 0.9)
    ]
    s.lay(0.3 * cover * s.lines(ribs, 0.08 * size), s.colours.accent)
    for end in (-1, 1):
        s.lay(
            s.lines(
                [
                    [
                        (x - 0.3 * size, y + end * 1.08 * size * ratio),
                        (x + 0.3 * size, y + end * 1.08 * size * ratio),
                    ]
                ],
                0.18 * size,
            ),
            s.colours.near,
        )


def lanterns(s: Stage, number: int, top: float, foot: float, size: float = 0.02) -> None:
    """Lanterns on strings, or afloat."""
    for _ in range(max(1, number // 7)):
        y = s.between(top, foot)
        sag = s.between(0.03, 0.09)
        xs = np.linspace(-0.05, 1.05, 8) + s.rng.normal(0, 0.015, 8)
        ys = y + sag * (1 - (2 * xs - 1) ** 2) + 0.3 * sag * np.sin(3 * xs)
        s.lay(s.lines([smooth(np.column_stack([xs, ys]), 6, False)], 0.002), s.colours.near)
        for x, at in zip(xs, ys, strict=True):
            lantern(s, x, at + size * 1.4, size * s.between(0.8, 1.25))


def floating(s: Stage, number: int, top: float) -> None:
    """Lanterns on the water, small ones far away, with their images."""
    for t in sorted(s.between(0, 1) for _ in range(number)):
        y, size = top + (0.98 - top) * t**1.3, 0.006 + 0.022 * t
        x = s.between(0.03, 0.97)
        s.glow(x, y + size * 3, size * 2.5, 0.35)
        streak = s.lines([[(x, y + size * 1.6), (x, y + size * 5)]], size * 0.7)
        s.lay(0.35 * streak, s.colours.glow)
        lantern(s, x, y, size, 0.5)


def lamp_post(s: Stage, x: float, foot: float, high: float) -> None:
    """A street lamp."""
    s.lay(s.lines([[(x, foot), (x, foot - high)]], 0.02 * high), s.colours.near)
    lantern(s, x, foot - high, 0.06 * high, 0.7 if _lit(s) else 0.15)


def fence(s: Stage, y: float, high: float = 0.08) -> None:
    """Posts and rails."""
    lean = s.between(-0.04, 0.04)
    posts = [
        [(x, y + lean * x), (x + s.between(-0.006, 0.006), y - high + lean * x)]
        for x in np.arange(0.02, 1, s.between(0.06, 0.1))
    ]
    rails = [[(0, y - high * part), (1, y - high * part + lean)] for part in (0.4, 0.8)]
    wood = mix(s.colours.near, s.colours.mid, 0.3)
    s.lay(s.lines(posts, 0.011), wood)
    s.lay(s.lines(rails, 0.006), wood)


def jetty(s: Stage, x: float, top: float) -> None:
    """Planks that lead out over the water."""
    y = np.linspace(1.02, top, 14)
    half = 0.02 + 0.13 * ((y - top) / (1 - top)) ** 1.3
    middle = x + (0.5 - x) * 0.5 * (1.02 - y) / (1.02 - top)
    outline = np.vstack(
        [np.column_stack([middle - half, y]), np.column_stack([middle + half, y])[::-1]]
    )
    wood = mix(s.colours.near, s.colours.far, 0.35)
    s.lay(s.shape(outline), s.shaded(wood, 0.18, 0.014, 2.0))
    planks = [[(m - h, at), (m + h, at)] for m, h, at in zip(middle, half, y, strict=True)]
    s.lay(0.7 * s.lines(planks, 0.004), s.colours.near)
    posts = [
        [(m + e * h, at + 0.03), (m + e * h, at - 0.02 - 0.04 * h / 0.15)]
        for m, h, at in zip(middle[::3], half[::3], y[::3], strict=True)
        for e in (-1, 1)
    ]
    s.lay(s.lines(posts, 0.012), s.colours.near)
