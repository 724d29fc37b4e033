"""Land and water."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from nimble_tile.standins.painter.colours import lightness, mix
from nimble_tile.standins.painter.stage import Stage, smooth


@dataclass(frozen=True, eq=False)
class Course:
    """Where a river runs: its middle (x, y) and half its width, from the horizon to the foot."""

    x: np.ndarray
    y: np.ndarray
    half: np.ndarray

    def at(self, y: float) -> tuple[float, float]:
        """The middle and half the width at a height."""
        return float(np.interp(y, self.y, self.x)), float(np.interp(y, self.y, self.half))


def hills(
    s: Stage,
    top: float,
    rough: float,
    distance: float,
    amp: float = 0.06,
    colour: np.ndarray | None = None,
) -> np.ndarray:
    """A line of hills from `top` down; returns its height at each column."""
    line = top - amp * s.ridge(s.between(0.2, 0.4), 5, rough)
    base = s.afar(s.colours.mid if colour is None else colour, distance)
    cover = np.clip((s.down - line[None]) * s.height + 0.5, 0, 1)
    fade = np.clip((s.down - line[None]) / 0.25, 0, 1)[..., None]
    body = s.shaded(base, 0.10, 0.05) * (1 - 0.25 * fade) + 0.25 * fade * s.colours.low
    s.lay(cover, body)
    return line


def mountains(s: Stage, top: float, distance: float, amp: float = 0.2, snow: bool = True) -> None:
    """Peaks with lit and shaded sides, and snow on them."""
    line = top - amp * np.abs(s.ridge(s.between(0.22, 0.4), 6, 0.5)) ** 0.9
    cover = np.clip((s.down - line[None]) * s.height + 0.5, 0, 1)
    rock = s.afar(mix(s.colours.near, s.colours.far, 0.5), distance)
    slope = np.gradient(cv2.GaussianBlur(line[None], (0, 0), 0.008 * s.width)[0]) * s.width
    facets = s.noise(0.08, 5, 0.6) + 2.2 * np.sign(0.5 - s.light[0]) * slope[None]
    lit = np.clip(0.5 + 0.55 * facets, 0, 1)[..., None]
    body = rock * (0.72 + 0.42 * lit)
    if snow:
        depth = (s.down - line[None]) / max(amp, 0.05)
        white = np.clip((0.42 - depth + 0.35 * facets * 0.5 + 0.1) * 4, 0, 1)[..., None]
        ice = s.afar(
            np.array([0.95, 0.96, 1.0]) * min(1, 0.35 + lightness(s.colours.low)), distance
        )
        body = body * (1 - white) + ice * (0.8 + 0.25 * lit) * white
    fade = np.clip((s.down - line[None]) / (1.5 * amp), 0, 1)[..., None]
    s.lay(cover, np.clip(body * (1 - 0.4 * fade) + 0.4 * fade * s.colours.low, 0, 1))


def ground(s: Stage, top: float, colour: np.ndarray | None = None, rough: float = 0.012) -> None:
    """The land in front, from `top` to the foot, darker towards it."""
    line = top - rough * s.ridge(0.3, 4)
    cover = np.clip((s.down - line[None]) * s.height + 0.5, 0, 1)
    near = s.colours.mid if colour is None else colour
    depth = np.clip((s.down - top) / max(1 - top, 0.05), 0, 1)[..., None]
    surface = s.noise(0.02, 4, 0.35)[..., None] * (0.04 + 0.12 * depth)
    body = s.afar(near, 0.35) * (1 - depth) + mix(near, s.colours.near, 0.55) * depth
    s.lay(cover, np.clip(body * (1 + surface), 0, 1))


def water(s: Stage, top: float, foot: float = 1.0, calm: float = 0.6) -> None:
    """What stands above it upside down, in ripples that grow towards the viewer."""
    rows = np.arange(s.height, dtype=np.float32)[:, None]
    first, last = top * s.height, foot * s.height
    depth = np.clip((rows - first) / max(last - first, 1), 0, 1)
    wave = s.noise(0.012, 3, 0.12) * (1.2 - calm) * (0.004 + 0.03 * depth) * s.height
    wave += s.noise(0.05, 2, 0.2) * (1.2 - calm) * 0.02 * depth * s.height
    source = (2 * first - rows + wave).repeat(1, 1)
    columns = np.arange(s.width, dtype=np.float32)[None].repeat(s.height, 0)
    mirrored = cv2.remap(
        s.image,
        columns + 0.35 * wave,
        np.clip(source, 0, s.height - 1).astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REFLECT,
    )
    mirrored = cv2.blur(mirrored, (1, max(1, round(0.012 * s.height))))
    deep = mix(s.colours.top, s.colours.near, 0.45)
    share = (0.18 + 0.30 * depth)[..., None]
    body = mirrored * (1 - share) + deep * share
    shine = np.clip(s.noise(0.006, 2, 0.08) - 0.75 + 0.2 * depth, 0, 1)
    x = s.light[0]
    road = np.exp(-(((s.across - x) / (0.05 + 0.16 * depth)) ** 2))
    body = body + (shine * (0.35 + 1.3 * road))[..., None] * (s.colours.glow - body)
    line = top + 0.0015 * s.ridge(0.3, 3)
    cover = np.clip((s.down - line[None]) * s.height + 0.5, 0, 1)
    cover *= np.clip((foot - s.down) * s.height + 0.5, 0, 1)
    s.lay(cover, np.clip(body, 0, 1))


def meadows(s: Stage, top: float, width: float, at: float) -> Course:
    """Flat land from `top` down with a river in it; the water must be there already.

    Parameters
    ----------
    s : Stage
    top : float
        Where the land begins.
    width : float
        Of the river at the foot of the picture, in parts of the width.
    at : float
        Where it comes to the foot.
    """
    t = np.linspace(0, 1, 90)
    bend, phase = s.between(0.16, 0.26), s.between(0, 2 * np.pi)
    # Bends lie the closer together the farther away they are.
    wind = np.sin(phase + 7.5 * t**0.55) - np.sin(phase + 7.5)
    x = at + (s.between(0.4, 0.6) - at) * (1 - t) + bend * wind * (0.12 + 0.88 * t)
    y = top + (1.04 - top) * t**1.55
    half = 0.5 * width * (0.035 + 0.965 * t**1.6)
    outline = np.vstack([np.column_stack([x - half, y]), np.column_stack([x + half, y])[::-1]])
    river = s.shape(outline)
    line = top - 0.004 * s.ridge(0.3, 4)
    cover = np.clip((s.down - line[None]) * s.height + 0.5, 0, 1)
    depth = np.clip((s.down - top) / max(1 - top, 0.05), 0, 1)[..., None]
    grass = mix(s.colours.mid, s.colours.glow, 0.12)
    surface = s.noise(0.02, 4, 0.3)[..., None] * (0.05 + 0.14 * depth)
    fields = 0.05 * np.sign(s.noise(0.12, 2, 0.25))[..., None] * (1 - depth)
    body = s.afar(grass, 0.45) * (1 - depth) + mix(grass, s.colours.near, 0.5) * depth
    s.lay(cover * (1 - river), np.clip(body * (1 + surface + fields), 0, 1))
    # The far bank shows its earth over the water.
    down = np.float32([[1, 0, 0], [0, 1, 0.014 * s.height]])
    below = cv2.warpAffine(river, down, (s.width, s.height))
    bank = river * (1 - below) * np.clip(depth[..., 0] * 3 + 0.15, 0, 1)
    s.lay(0.85 * bank, s.shaded(mix(s.colours.near, grass, 0.25) * 0.7, 0.2, 0.01))
    tufts, size = [], []
    for edge in (-1, 1):
        for k in range(14, 90, 1):
            if s.often(0.7):
                foot = x[k] + edge * half[k] * s.between(0.98, 1.12), y[k] + 0.004
                high = (0.006 + 0.05 * t[k] ** 1.4) * s.between(0.5, 1.2)
                tufts.append([foot, (foot[0] + s.between(-0.4, 0.4) * high, foot[1] - high)])
                size.append(0.0012 + 0.003 * t[k])
    s.lay(0.9 * s.lines(tufts, size), mix(s.colours.near, grass, 0.35))
    return Course(x, y, half)


def shore(
    s: Stage, top: float, side: float, colour: np.ndarray | None = None, steep: float = 0.5
) -> None:
    """A bank that comes in from the left (`side` below 0.5) or the right, and falls the steeper
    the less of the water it covers."""
    line = top + (s.across[0] - side) ** 2 * s.between(0.6, 1.4) * steep * np.where(
        (s.across[0] - side) * (0.5 - side) > 0, 1, -0.2
    )
    line += 0.01 * s.ridge(0.1, 4)
    cover = np.clip((s.down - line[None]) * s.height + 0.5, 0, 1)
    s.lay(
        cover,
        s.shaded(
            mix(s.colours.near, s.colours.mid, 0.4) if colour is None else colour, 0.2, 0.02, 0.4
        ),
    )


def path(s: Stage, top: float, at: float, width: float = 0.28, colour=None) -> None:
    """A way that winds from the foot to the horizon."""
    t = np.linspace(0, 1, 40)
    bend = s.between(0.08, 0.2) * np.sign(s.between(-1, 1))
    x = at + (s.between(0.4, 0.6) - at) * t + bend * np.sin(t * np.pi * 1.7) * t
    y, half = top + (1.02 - top) * t**1.5, 0.5 * width * t**1.6 + 0.004
    outline = np.vstack([np.column_stack([x - half, y]), np.column_stack([x + half, y])[::-1]])
    base = mix(s.colours.low, s.colours.mid, 0.35) if colour is None else colour
    s.lay(0.9 * s.shape(outline), s.shaded(base, 0.14, 0.015, 0.4))


def stones(s: Stage, top: float = 0.0, number: int = 90, least: float = 0.03) -> None:
    """Pebbles beside each other, larger in front."""
    ground(s, top, s.colours.near, 0.0)
    spots = []
    for _ in range(number * 30):
        x, y = s.between(-0.05, 1.05), s.between(top, 1.08)
        depth = (y - top) / max(1 - top, 0.1) if top > 0 else 1
        size = least * (0.35 + 0.65 * depth) * s.between(0.7, 1.9)
        if all(np.hypot(x - a, (y - b) * 1.1) > 0.94 * (size + c) for a, b, c in spots):
            spots.append((x, y, size))
        if len(spots) >= number:
            break
    tints = [
        s.colours.far,
        s.colours.mid,
        mix(s.colours.low, s.colours.far, 0.5),
        s.colours.near,
        mix(s.colours.accent, s.colours.far, 0.6),
    ]
    for x, y, size in sorted(spots, key=lambda spot: spot[1]):
        angles = np.linspace(0, 2 * np.pi, 9, endpoint=False)
        reach = size * (1 + 0.16 * s.rng.normal(size=9))
        points = np.column_stack(
            [x + reach * np.cos(angles), y + 0.82 * reach * np.sin(angles) * s.width / s.height]
        )
        cover = s.shape(smooth(points))
        s.lay(0.55 * s.shape(smooth(np.add(points, (0.006, 0.012)))), s.colours.near * 0.4)
        lit = np.clip(
            0.6
            - (s.down - y) / (2.2 * size)
            + (s.across - x) * 0.6 / size * np.sign(s.light[0] - 0.5),
            0.1,
            1.1,
        )[..., None]
        tint = tints[int(s.rng.integers(len(tints)))]
        s.lay(cover, np.clip(s.shaded(tint, 0.2, 0.012) * (0.55 + 0.6 * lit), 0, 1))
