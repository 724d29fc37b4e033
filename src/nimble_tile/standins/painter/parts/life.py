"""Animals and people as silhouettes: outlines through a few points, facing right."""

from __future__ import annotations

import numpy as np

from nimble_tile.standins.painter.colours import mix
from nimble_tile.standins.painter.stage import Stage, smooth

# Points in parts of the size, y upwards from the feet.
HERON = [
    (-0.30, 0.42),
    (-0.12, 0.55),
    (0.02, 0.56),
    (0.08, 0.70),
    (0.02, 0.84),
    (0.10, 0.95),
    (0.22, 0.95),
    (0.44, 0.90),
    (0.20, 0.89),
    (0.13, 0.84),
    (0.18, 0.70),
    (0.12, 0.52),
    (0.02, 0.40),
    (-0.16, 0.34),
]
DEER = [
    (-0.42, 0.52),
    (-0.34, 0.62),
    (0.0, 0.62),
    (0.16, 0.68),
    (0.24, 0.86),
    (0.30, 0.93),
    (0.44, 0.86),
    (0.42, 0.80),
    (0.32, 0.78),
    (0.28, 0.60),
    (0.22, 0.46),
    (0.21, 0.0),
    (0.16, 0.0),
    (0.15, 0.38),
    (-0.20, 0.38),
    (-0.26, 0.2),
    (-0.25, 0.0),
    (-0.30, 0.0),
    (-0.33, 0.22),
    (-0.36, 0.40),
]
FOX = [
    (-0.72, 0.20),
    (-0.60, 0.32),
    (-0.36, 0.34),
    (-0.28, 0.40),
    (0.06, 0.42),
    (0.18, 0.54),
    (0.16, 0.68),
    (0.24, 0.60),
    (0.28, 0.68),
    (0.30, 0.56),
    (0.46, 0.46),
    (0.30, 0.42),
    (0.22, 0.28),
    (0.20, 0.0),
    (0.14, 0.0),
    (0.12, 0.22),
    (-0.16, 0.22),
    (-0.22, 0.0),
    (-0.28, 0.0),
    (-0.30, 0.24),
    (-0.5, 0.18),
]
CAT = [
    (-0.26, 0.0),
    (-0.30, 0.30),
    (-0.20, 0.52),
    (-0.06, 0.62),
    (-0.10, 0.86),
    (-0.02, 0.78),
    (0.10, 0.79),
    (0.18, 0.87),
    (0.17, 0.64),
    (0.10, 0.54),
    (0.16, 0.30),
    (0.20, 0.0),
    (0.06, 0.0),
    (0.05, 0.16),
    (-0.10, 0.0),
    (-0.46, 0.02),
    (-0.56, 0.14),
    (-0.46, 0.08),
]
OWL = [
    (-0.20, 0.0),
    (-0.27, 0.35),
    (-0.26, 0.68),
    (-0.28, 0.94),
    (-0.14, 0.86),
    (0.14, 0.86),
    (0.28, 0.94),
    (0.26, 0.68),
    (0.27, 0.35),
    (0.20, 0.0),
    (0.05, -0.12),
    (-0.05, -0.12),
]
HORSE = [
    (-0.50, 0.50),
    (-0.44, 0.64),
    (0.0, 0.60),
    (0.14, 0.66),
    (0.26, 0.90),
    (0.30, 0.98),
    (0.36, 0.90),
    (0.52, 0.78),
    (0.48, 0.72),
    (0.36, 0.76),
    (0.30, 0.60),
    (0.26, 0.42),
    (0.26, 0.0),
    (0.20, 0.0),
    (0.17, 0.34),
    (-0.22, 0.36),
    (-0.32, 0.2),
    (-0.30, 0.0),
    (-0.36, 0.0),
    (-0.42, 0.24),
    (-0.42, 0.42),
    (-0.56, 0.2),
    (-0.58, 0.4),
]
SWAN = [
    (-0.52, 0.20),
    (-0.36, 0.34),
    (-0.10, 0.32),
    (0.10, 0.26),
    (0.20, 0.32),
    (0.16, 0.52),
    (0.20, 0.70),
    (0.30, 0.74),
    (0.44, 0.66),
    (0.32, 0.64),
    (0.27, 0.58),
    (0.30, 0.40),
    (0.30, 0.22),
    (0.20, 0.06),
    (-0.10, 0.0),
    (-0.40, 0.06),
]
FISH = [
    (-0.50, 0.22),
    (-0.36, 0.06),
    (-0.30, 0.0),
    (0.06, 0.18),
    (0.34, 0.10),
    (0.50, 0.0),
    (0.34, -0.10),
    (0.06, -0.16),
    (-0.30, 0.0),
    (-0.36, -0.06),
    (-0.50, -0.22),
    (-0.42, 0.0),
]
WALKER = [
    (-0.10, 0.0),
    (-0.06, 0.28),
    (-0.13, 0.52),
    (-0.12, 0.76),
    (-0.04, 0.82),
    (-0.07, 0.92),
    (0.0, 1.0),
    (0.07, 0.92),
    (0.04, 0.82),
    (0.12, 0.76),
    (0.13, 0.52),
    (0.06, 0.28),
    (0.12, 0.0),
    (0.05, 0.0),
    (0.0, 0.26),
    (-0.04, 0.0),
]


def silhouette(
    s: Stage,
    outline,
    x: float,
    foot: float,
    size: float,
    colour: np.ndarray,
    flip: bool | None = None,
) -> None:
    """An animal that stands at a place."""
    flip = s.often(0.5) if flip is None else flip
    points = smooth(outline, 5) * (-1 if flip else 1, -s.width / s.height) * size + (x, foot)
    s.lay(s.shape(points), s.shaded(colour, 0.1, 0.02))
    rim = s.shape(points) * (
        1 - s.shape(np.add(points, (0.012 * size * np.sign(x - s.light[0]), 0.012 * size)))
    )
    s.lay(0.4 * rim, s.colours.glow)


def heron(s: Stage, x: float, foot: float, size: float, colour: np.ndarray) -> None:
    """A heron on its thin legs."""
    flip, ratio = s.often(0.5), s.width / s.height
    side = -1 if flip else 1
    legs = [
        [(x + side * a * size, foot - 0.42 * size * ratio), (x + side * b * size, foot)]
        for a, b in ((-0.04, -0.03), (0.03, 0.06))
    ]
    s.lay(s.lines(legs, max(0.0018, 0.02 * size)), colour)
    silhouette(s, HERON, x, foot, size, colour, flip)


def deer(s: Stage, x: float, foot: float, size: float, colour: np.ndarray) -> None:
    """A deer with antlers."""
    flip, ratio = s.often(0.5), s.width / s.height
    side = -1 if flip else 1
    silhouette(s, DEER, x, foot, size, colour, flip)
    horns = []
    for lean in (-0.06, 0.05):
        stem = np.array([(0.29, 0.92), (0.27 + lean, 1.06), (0.30 + 2 * lean, 1.2)])
        horns += [stem, np.array([(0.27 + lean, 1.06), (0.36 + lean, 1.14)])]
    s.lay(
        s.lines([h * (side, -ratio) * size + (x, foot) for h in horns], max(0.0018, 0.018 * size)),
        colour,
    )


def flock(s: Stage, number: int, top: float, foot: float, size: float, colour: np.ndarray) -> None:
    """Birds in the air, as two strokes each."""
    x, y = s.between(0.2, 0.8), s.between(top, foot)
    paths = []
    for at in range(number):
        away = (at + 1) // 2 * (1 if at % 2 else -1)
        bx, by = (
            x + away * size * 1.6 + s.rng.normal(0, 0.01),
            y + abs(away) * size * 0.8 + s.rng.normal(0, 0.01),
        )
        lift = size * s.between(0.25, 0.6)
        paths.append(
            smooth(
                [
                    (bx - size, by - lift),
                    (bx - 0.4 * size, by - 0.6 * lift),
                    (bx, by),
                    (bx + 0.4 * size, by - 0.6 * lift),
                    (bx + size, by - lift),
                ],
                4,
                False,
            )
        )
    s.lay(s.lines(paths, max(0.002, 0.13 * size)), colour)


def butterflies(s: Stage, number: int) -> None:
    """Butterflies over a meadow."""
    ratio = s.width / s.height
    for _ in range(number):
        x, y, size = s.between(0.05, 0.95), s.between(0.3, 0.9), s.between(0.012, 0.03)
        tint = mix(s.colours.accent, s.colours.glow, s.between(0, 0.7))
        for side in (-1, 1):
            wing = smooth([(0, 0), (0.9, -0.8), (1.0, -0.1), (0.35, 0.1), (0.75, 0.7), (0.2, 0.5)])
            s.lay(s.shape(wing * (side * size, size * ratio) + (x, y)), tint)
        s.lay(
            s.lines([[(x, y - 0.4 * size * ratio), (x, y + 0.5 * size * ratio)]], 0.16 * size),
            s.colours.near,
        )
