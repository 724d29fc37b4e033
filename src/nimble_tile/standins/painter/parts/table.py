"""Rooms, what stands on tables, and patterns."""

from __future__ import annotations

import cv2
import numpy as np

from nimble_tile.standins.painter.colours import mix
from nimble_tile.standins.painter.stage import Stage, disc_at, smooth


def wall(s: Stage, colour: np.ndarray) -> None:
    """The wall of a room, lighter towards the light, with a window's light on it."""
    away = np.hypot(s.across - s.light[0], s.down - s.light[1])[..., None]
    s.image[:] = np.clip(s.shaded(colour, 0.05, 0.06) * (1.12 - 0.5 * away), 0, 1)
    slant = 0.35 * np.sign(0.5 - s.light[0])
    left = 0.5 + slant * 0.4 + s.between(-0.08, 0.08)
    for column in range(2):
        for row in range(2):
            x, y = left + 0.13 * (column - 1), 0.08 + 0.2 * row
            pane = [(x, y), (x + 0.115, y), (x + 0.115 + 0.18 * slant, y + 0.18),
                    (x + 0.18 * slant, y + 0.18)]  # fmt: skip
            light = cv2.GaussianBlur(s.shape(pane), (0, 0), 0.006 * s.width)
            s.lay(0.16 * light, mix(s.colours.glow, np.ones(3), 0.3))


def table(s: Stage, top: float, cloth: bool = True) -> None:
    """A table in front, with a cloth that hangs in folds."""
    colour = (
        mix(mix(s.colours.accent, s.colours.low, 0.55), s.colours.near, 0.12)
        if cloth
        else mix(s.colours.near, s.colours.mid, 0.5)
    )
    surface = s.shape([(-0.1, top), (1.1, top), (1.1, 1.1), (-0.1, 1.1)])
    folds = (
        0.12
        * np.sin(s.across * s.between(30, 46) + 3 * s.noise(0.2, 2))
        * np.clip((s.down - top - 0.2) * 6, 0, 1)
    )
    depth = np.clip((s.down - top) * 1.4, 0, 1)
    away = np.abs(s.across - s.light[0])
    body = s.shaded(colour, 0.07, 0.03) * (1.12 - 0.3 * depth - 0.22 * away + folds)[..., None]
    s.lay(surface, np.clip(body, 0, 1))
    edge = s.lines([[(-0.1, top), (1.1, top)]], 0.006)
    s.lay(0.55 * edge, mix(colour, np.ones(3), 0.35))


def turned(s: Stage, x: float, foot: float, profile, colour: np.ndarray) -> None:
    """Something turned on a wheel: points of (half width, height) from the foot up."""
    ratio = s.width / s.height
    half, high = np.asarray(profile, float).T
    right = smooth(np.column_stack([x + half, foot - high * ratio]), 6, False)
    left = smooth(np.column_stack([x - half, foot - high * ratio]), 6, False)
    reach = float(half.max())
    s.lay(
        0.45
        * s.shape(
            smooth(
                [
                    (x - reach * 0.9, foot),
                    (x + reach, foot - 0.012),
                    (x + 2.3 * reach, foot),
                    (x + reach, foot + 0.016),
                ]
            )
        ),
        s.colours.near * 0.6,
    )
    across = (s.across - x) / max(reach, 1e-3)
    side = np.sign(s.light[0] - x) or 1
    lit = np.clip(0.72 + 0.42 * side * across - 0.35 * across**2, 0.25, 1.15)[..., None]
    shine = np.exp(-(((across - 0.42 * side) / 0.14) ** 2))[..., None] * 0.35
    body = s.shaded(colour, 0.05, 0.02) * lit
    s.lay(s.shape(np.vstack([right, left[::-1]])), np.clip(body + shine * (1 - body), 0, 1))


def jug(s: Stage, x: float, foot: float, size: float, colour: np.ndarray) -> None:
    """A jug with a handle."""
    ratio = s.width / s.height
    handle = smooth(
        [
            (x + 0.2 * size, foot - 0.85 * size * ratio),
            (x + 0.52 * size, foot - 0.75 * size * ratio),
            (x + 0.34 * size, foot - 0.3 * size * ratio),
        ],
        8,
        False,
    )
    s.lay(s.lines([handle], 0.07 * size), colour * 0.7)
    turned(
        s,
        x,
        foot,
        np.array([(0.2, 0), (0.34, 0.22), (0.36, 0.42), (0.2, 0.72), (0.17, 0.9), (0.24, 1.0)])
        * size,
        colour,
    )


def vase(s: Stage, x: float, foot: float, size: float, colour: np.ndarray, blooms: int = 9) -> None:
    """A vase with flowers."""
    ratio = s.width / s.height
    neck = foot - 0.78 * size * ratio
    for _ in range(blooms):
        a, length = s.between(-0.75, 0.75), size * s.between(0.55, 1.15)
        bx, by = x + np.sin(a) * length, neck - np.cos(a) * length * ratio
        s.lay(
            s.lines(
                [smooth([(x, neck), (x + 0.35 * (bx - x), (neck + by) / 2), (bx, by)], 6, False)],
                0.016 * size,
            ),
            mix(s.colours.mid, s.colours.near, 0.4),
        )
        tint = (s.colours.accent, s.colours.glow, mix(s.colours.accent, np.ones(3), 0.45))[
            int(s.rng.integers(3))
        ]
        petals, reach = int(s.rng.integers(6, 9)), size * s.between(0.13, 0.2)
        for petal in range(petals):
            b = 2 * np.pi * petal / petals
            disc_at(
                s,
                bx + 0.62 * reach * np.cos(b),
                by + 0.62 * reach * np.sin(b) * ratio,
                0.5 * reach,
                np.clip(tint * s.between(0.82, 1.08), 0, 1),
            )
        disc_at(s, bx, by, 0.34 * reach, mix(s.colours.glow, s.colours.near, 0.35))
    turned(
        s,
        x,
        foot,
        np.array([(0.14, 0), (0.28, 0.2), (0.3, 0.38), (0.15, 0.66), (0.19, 0.8)]) * size,
        colour,
    )


def fruit(s: Stage, x: float, foot: float, size: float, colour: np.ndarray) -> None:
    """An apple or an orange."""
    turned(
        s,
        x,
        foot,
        np.array([(0.1, 0), (0.44, 0.2), (0.5, 0.45), (0.4, 0.75), (0.08, 0.86)]) * size,
        colour,
    )
    ratio = s.width / s.height
    s.lay(
        s.lines(
            [[(x, foot - 0.82 * size * ratio), (x + 0.06 * size, foot - size * ratio)]], 0.05 * size
        ),
        s.colours.near,
    )


def books(s: Stage, x: float, foot: float, size: float, number: int = 4) -> None:
    """Books that lie on each other."""
    high = 0.14 * size * s.width / s.height
    for at in range(number):
        half, shift = size * s.between(0.36, 0.5), s.between(-0.06, 0.06) * size
        y = foot - at * high
        tint = (s.colours.accent, s.colours.mid, s.colours.far, s.colours.near)[
            (at + int(x * 10)) % 4
        ]
        s.lay(
            s.shape(
                [
                    (x + shift - half, y),
                    (x + shift + half, y),
                    (x + shift + half, y - 0.92 * high),
                    (x + shift - half, y - 0.92 * high),
                ]
            ),
            s.shaded(tint, 0.1, 0.02, 0.2),
        )
        s.lay(
            s.shape(
                [
                    (x + shift - half, y - 0.2 * high),
                    (x + shift - half * 0.94, y - 0.2 * high),
                    (x + shift - half * 0.94, y - 0.74 * high),
                    (x + shift - half, y - 0.74 * high),
                ]
            ),
            mix(s.colours.low, np.ones(3), 0.5),
        )


def candle(s: Stage, x: float, foot: float, size: float) -> None:
    """A candle with its light."""
    ratio = s.width / s.height
    top = foot - size * ratio
    turned(
        s,
        x,
        foot,
        np.array([(0.12, 0), (0.12, 0.5), (0.12, 1.0)]) * size,
        mix(s.colours.low, np.ones(3), 0.6),
    )
    s.glow(x, top, 0.5, 0.5)
    s.glow(x, top - 0.1 * size, 0.1, 0.9)
    flame = smooth(
        [
            (x, top - 0.34 * size * ratio),
            (x + 0.07 * size, top - 0.1 * size * ratio),
            (x, top),
            (x - 0.07 * size, top - 0.1 * size * ratio),
        ]
    )
    s.lay(s.shape(flame), mix(s.colours.glow, np.ones(3), 0.6))


def window_frame(
    s: Stage, left: float, top: float, right: float, foot: float, view: np.ndarray
) -> None:
    """A window, and what is seen through it (H × W × 3, laid over the whole stage)."""
    inside = s.shape([(left, top), (right, top), (right, foot), (left, foot)])
    s.lay(inside, view)
    bars = [
        [(left, top), (right, top), (right, foot), (left, foot), (left, top)],
        [((left + right) / 2, top), ((left + right) / 2, foot)],
        [(left, top + 0.4 * (foot - top)), (right, top + 0.4 * (foot - top))],
    ]
    frame = mix(s.colours.low, np.ones(3), 0.35)
    s.lay(s.lines(bars, (0.022, 0.014, 0.014)), s.shaded(frame * 0.92, 0.05, 0.02))
    sill = [
        (left - 0.04, foot),
        (right + 0.04, foot),
        (right + 0.06, foot + 0.035),
        (left - 0.06, foot + 0.035),
    ]
    s.lay(s.shape(sill), frame)


def curtain(s: Stage, left: float, right: float, colour: np.ndarray) -> None:
    """A curtain that hangs in folds."""
    cover = np.clip((s.across - left) * s.width + 0.5, 0, 1) * np.clip(
        (right - s.across) * s.width + 0.5, 0, 1
    )
    fold = np.sin(s.across * s.between(110, 150) + 2 * s.noise(0.3, 2))
    s.lay(
        cover * 0.96, np.clip(s.shaded(colour, 0.05, 0.03) * (0.9 + 0.22 * fold)[..., None], 0, 1)
    )


def tiles(s: Stage, across: int = 6) -> None:
    """Tiles, each with the same ornament, its colours chosen by chance row by row."""
    s.image[:] = s.colours.low
    side, ratio = 1 / across, s.width / s.height
    kind = int(s.rng.integers(3))
    tints = [s.colours.accent, s.colours.mid, s.colours.top, s.colours.near, s.colours.glow]
    order = s.rng.permutation(len(tints))
    down = int(np.ceil(s.height / s.width * across)) + 1
    for row in range(down):
        for column in range(across):
            x, y = (column + 0.5) * side, (row + 0.5) * side * ratio
            ground = tints[order[(row + column) % 2]]
            half = 0.485 * side
            corners = np.array([(-half, -half), (half, -half), (half, half), (-half, half)]) * (
                1,
                ratio,
            )
            s.lay(s.shape(np.add(corners, (x, y))), s.shaded_once(mix(ground, s.colours.low, 0.25)))
            t = np.linspace(0, 2 * np.pi, 48, endpoint=False)
            reach = side * (0.30 + 0.12 * np.cos((4, 8, 6)[kind] * t))
            star = np.add(np.column_stack([reach * np.cos(t), reach * np.sin(t) * ratio]), (x, y))
            s.lay(s.shape(star), tints[order[2 + (row % 2)]])
            disc_at(s, x, y, 0.15 * side, tints[order[4]])
            disc_at(s, x, y, 0.07 * side, tints[order[(row + column + 1) % 2]])
    lines = [[(c * side, 0), (c * side, 1)] for c in range(across + 1)]
    lines += [[(0, r * side * ratio), (1, r * side * ratio)] for r in range(down + 1)]
    s.lay(s.lines(lines, 0.006), mix(s.colours.near, s.colours.far, 0.3))


def cloth(s: Stage) -> None:
    """A woven cloth: bands of stripes, zigzags and lozenges, with its threads."""
    y, tints = (
        0.0,
        [
            s.colours.accent,
            s.colours.mid,
            s.colours.top,
            s.colours.glow,
            s.colours.near,
            s.colours.low,
        ],
    )
    s.image[:] = s.colours.low
    while y < 1:
        high = s.between(0.05, 0.16)
        ground, figure = (tints[int(i)] for i in s.rng.choice(len(tints), 2, replace=False))
        s.lay(s.shape([(0, y), (1, y), (1, y + high), (0, y + high)]), ground)
        number, kind = int(s.rng.integers(8, 18)), int(s.rng.integers(4))
        for at in range(number):
            x, w = (at + 0.5) / number, 1 / number
            middle = y + high / 2
            if kind == 0:
                outline = [(x - w / 2, y + high), (x, y + 0.15 * high), (x + w / 2, y + high)]
            elif kind == 1:
                outline = [
                    (x - w * 0.42, middle),
                    (x, y + 0.1 * high),
                    (x + w * 0.42, middle),
                    (x, y + 0.9 * high),
                ]
            elif kind == 2:
                outline = [
                    (x - w * 0.2, y),
                    (x + w * 0.2, y),
                    (x + w * 0.2, y + high),
                    (x - w * 0.2, y + high),
                ]
            else:
                outline = [
                    (0, middle - 0.12 * high),
                    (1, middle - 0.12 * high),
                    (1, middle + 0.12 * high),
                    (0, middle + 0.12 * high),
                ]
            s.lay(s.shape(outline), figure)
        y += high
    thread = 0.07 * np.sin(s.down * s.height * 1.6) + 0.06 * np.sin(s.across * s.width * 1.9)
    s.image *= (1 + thread[..., None] * 0.8).astype(np.float32)
    folds = 0.16 * s.noise(0.4, 2, 0.5)[..., None]
    s.image *= 1 + folds
