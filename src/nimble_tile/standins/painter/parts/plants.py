"""Plants, from grass to woods."""

from __future__ import annotations

import numpy as np

from nimble_tile.standins.painter.colours import lightness, mix
from nimble_tile.standins.painter.stage import Stage, disc_at, smooth


def blades(
    s: Stage,
    number: int,
    base: float,
    high: float,
    colour: np.ndarray,
    lean: float = 0.15,
    spread: tuple[float, float] = (0, 1),
    heads: bool = False,
    width: float = 0.004,
) -> None:
    """Grass or reeds that rise from a line, some with heads."""
    for layer in range(3):
        paths, widths, tips = [], [], []
        for _ in range(number // 3):
            x, y = s.between(*spread), base + s.between(-0.02, 0.05) * high / 0.3
            tall = high * s.between(0.45, 1.0)
            over = s.rng.normal(lean * 0.5, abs(lean) + 0.05) * tall
            t = np.linspace(0, 1, 8)
            paths.append(np.column_stack([x + over * t**2, y - tall * t * (1 - 0.12 * t)]))
            widths.append(width * s.between(0.5, 1.1))
            tips.append(paths[-1][-3:])
        tone = colour * (0.75 + 0.25 * layer) if lightness(colour) > 0.12 else colour
        shade = mix(tone, s.colours.glow, 0.06 * layer * s.between(0.5, 1.5))
        s.lay(s.lines(paths, widths), shade)
        if heads:
            s.lay(s.lines(tips, 2.6 * width), mix(s.colours.near, s.colours.accent, 0.22))


def reeds(
    s: Stage,
    base: float = 1.02,
    high: float = 0.4,
    number: int = 240,
    spread: tuple[float, float] = (0, 1),
) -> None:
    """Reeds with heads, in front."""
    blades(s, number, base, high, s.colours.near, 0.12 * np.sign(s.between(-1, 1)), spread, True)


def grass(s: Stage, base: float = 1.0, high: float = 0.16, number: int = 420) -> None:
    """Grass in front."""
    blades(
        s,
        number,
        base,
        high,
        mix(s.colours.mid, s.colours.near, 0.55),
        s.between(-0.4, 0.4),
        width=0.003,
    )


def flowers(s: Stage, top: float, number: int = 220) -> None:
    """Blooms in a meadow, smaller far away."""
    for _ in range(number):
        t = s.between(0, 1) ** 0.7
        x, y, size = s.between(0, 1), top + (1 - top) * t, 0.002 + 0.011 * t**1.5
        tint = (s.colours.accent, s.colours.glow, mix(s.colours.accent, np.ones(3), 0.5))
        colour = tint[int(s.rng.integers(3))]
        disc_at(s, x, y, size, s.afar(colour, 0.35 * (1 - t)))


def tree(
    s: Stage, x: float, foot: float, high: float, colour: np.ndarray, leaves: bool = True
) -> None:
    """A broad-leaved tree: a trunk that forks, and masses of leaves lit from one side."""
    paths, widths, tips = [], [], []

    def fork(px: float, py: float, angle: float, length: float, thick: float, left: int) -> None:
        bend = s.between(-0.25, 0.25)
        ex = px + np.sin(angle) * length * s.height / s.width
        ey = py - np.cos(angle) * length
        mx = (px + ex) / 2 + bend * length * 0.3
        paths.append([(px, py), (mx, (py + ey) / 2), (ex, ey)])
        widths.append(thick)
        if left == 0:
            tips.append((ex, ey))
            return
        for turn in (-1, 1) if s.often(0.85) else (-1, 0, 1):
            fork(
                ex,
                ey,
                angle + turn * s.between(0.3, 0.65),
                length * s.between(0.62, 0.8),
                max(thick * 0.62, 0.0012),
                left - 1,
            )

    fork(x, foot, s.between(-0.1, 0.1), high * 0.36, high * 0.05, 4 if leaves else 6)
    bark = mix(colour, s.colours.near, 0.6)
    s.lay(s.lines(paths, widths), bark)
    if not leaves:
        return
    side = np.sign(s.light[0] - x) or 1
    for step in range(3):
        tint = mix(colour, s.colours.glow, (-0.12, 0.06, 0.22)[step]) if step else colour * 0.72
        for tx, ty in tips:
            for _ in range(5 if step < 2 else 3):
                size = high * s.between(0.035, 0.075) * (1, 0.8, 0.5)[step]
                disc_at(
                    s,
                    tx + s.rng.normal(0, 0.05) * high + step * side * 0.012 * high,
                    ty + s.rng.normal(0, 0.045) * high - step * 0.015 * high,
                    size,
                    np.clip(tint, 0, 1),
                    0.9,
                )


def pine(s: Stage, x: float, foot: float, high: float, colour: np.ndarray) -> None:
    """A conifer."""
    half = high * s.between(0.16, 0.24) * s.height / s.width
    left, right = [], []
    for tier in np.linspace(0, 1, 9):
        reach = half * tier**0.85
        y = foot - high * (1 - 0.9 * tier)
        left += [
            (x - reach * 0.55, y - 0.012 * high),
            (x - reach * s.between(0.8, 1.1), y + 0.02 * high),
        ]
        right += [
            (x + reach * 0.55, y - 0.012 * high),
            (x + reach * s.between(0.8, 1.1), y + 0.02 * high),
        ]
    s.lay(s.shape([(x, foot - high), *right, *left[::-1]]), s.shaded(colour, 0.18, 0.012))
    s.lay(
        s.lines([[(x, foot - 0.12 * high), (x, foot)]], 0.03 * high),
        mix(colour, s.colours.near, 0.7),
    )


def birch(s: Stage, x: float, foot: float, high: float, width: float, pale: np.ndarray) -> None:
    """A pale trunk with dark marks."""
    bend = s.between(-0.02, 0.02)
    t = np.linspace(0, 1, 12)
    middle = x + bend * np.sin(t * 2)
    half = width * (1 - 0.35 * t) / 2
    y = foot - high * t
    trunk = s.shape(
        np.vstack([np.column_stack([middle - half, y]), np.column_stack([middle + half, y])[::-1]])
    )
    across = np.clip((s.across - x) / width + 0.5, 0, 1)
    lit = np.where(s.light[0] > x, across, 1 - across)[..., None]
    s.lay(trunk, s.shaded(pale, 0.1, 0.02) * (0.66 + 0.38 * lit))
    marks = [
        [
            (x - width * s.between(0, 0.5), h),
            (x + width * s.between(-0.1, 0.5), h + s.between(-1, 1) * 0.004),
        ]
        for h in (foot - high * s.between(0.02, 1) for _ in range(int(high * 26)))
    ]
    s.lay(trunk * s.lines(marks, max(0.002, 0.1 * width)), s.colours.near)


def willow(s: Stage, x: float, foot: float, high: float, colour: np.ndarray) -> None:
    """A trunk, and twigs that hang."""
    s.lay(
        s.lines(
            [
                smooth(
                    [(x, foot), (x - 0.02, foot - 0.3 * high), (x + 0.01, foot - 0.6 * high)],
                    closed=False,
                )
            ],
            0.05 * high,
        ),
        mix(colour, s.colours.near, 0.7),
    )
    for layer in range(2):
        paths = []
        for _ in range(170):
            a = s.between(-1, 1)
            top = foot - high * s.between(0.72, 1.0) * (1 - 0.25 * a * a)
            start = x + a * 0.16 * high
            end = start + a * 0.3 * high + s.rng.normal(0, 0.02)
            fall = high * s.between(0.35, 0.75)
            paths.append(
                smooth(
                    [
                        (x, foot - 0.62 * high),
                        (start, top),
                        (end, top + fall * 0.5),
                        (end + 0.01, top + fall),
                    ],
                    6,
                    False,
                )
            )
        s.lay(s.lines(paths, 0.0045), mix(colour, s.colours.glow, 0.18 * layer))


def woods(s: Stage, foot: float, high: float, distance: float, kind: str = "tree") -> None:
    """A line of trees far away."""
    colour = s.afar(mix(s.colours.mid, s.colours.near, 0.5), distance)
    outline = [(0, foot)]
    x = 0.0
    while x < 1:
        tall, step = high * s.between(0.6, 1.15), s.between(0.012, 0.035)
        if kind == "pine":
            outline += [(x, foot - 0.35 * tall), (x + step / 2, foot - tall)]
        else:
            top = smooth(
                [
                    (x, foot - 0.5 * tall),
                    (x + step * 0.4, foot - tall),
                    (x + step, foot - 0.6 * tall),
                ],
                5,
                False,
            )
            outline += [tuple(p) for p in top]
        x += step
    outline += [(1, foot - 0.5 * high), (1, foot)]
    s.lay(s.shape(outline), s.shaded(colour, 0.16, 0.014))


def leaf(s: Stage, x: float, y: float, size: float, angle: float, colour: np.ndarray) -> None:
    """One leaf from close by, with its ribs."""
    t = np.linspace(0, 1, 14)
    half = 0.28 * np.sin(np.pi * t**0.8) * size
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    ratio = np.array([1, s.width / s.height])
    along = np.column_stack([(t - 0.3) * size, np.zeros(14)])
    sides = [
        (along + np.column_stack([np.zeros(14), sign * half])) @ turn.T * ratio + (x, y)
        for sign in (-1, 1)
    ]
    s.lay(
        0.5 * s.shape(np.add(np.vstack([sides[0], sides[1][::-1]]), (0.008, 0.012))),
        s.colours.near * 0.5,
    )
    for sign, side in zip((-1, 1), sides, strict=True):
        middle = along @ turn.T * ratio + (x, y)
        s.lay(
            s.shape(np.vstack([middle, side[::-1]])),
            s.shaded(colour * (1 + 0.10 * sign), 0.1, 0.03),
        )
    ribs = [
        np.vstack([along[i], along[i] + (0.1 * size, sign * half[i] * 0.8)]) @ turn.T * ratio
        + (x, y)
        for i in range(2, 12, 2)
        for sign in (-1, 1)
    ]
    s.lay(
        0.6 * s.lines([along @ turn.T * ratio + (x, y), *ribs], 0.0035),
        mix(colour, np.ones(3), 0.35),
    )
