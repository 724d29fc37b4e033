"""The stage that parts are put on: a picture in the making, back to front.

Everything is float32 sRGB, 0 to 1, on a grid of H × W pixels; places are in parts of the width
and of the height, from the top left.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from nimble_tile.standins.painter.colours import Colours, mix

FINE = 3
"""Binary places of a pixel in which outlines are drawn."""


class Stage:
    """A picture in the making.

    Parameters
    ----------
    width, height : int
    rng : Generator
    colours : Colours
    """

    def __init__(self, width: int, height: int, rng: np.random.Generator, colours: Colours) -> None:
        self.width, self.height, self.rng, self.colours = width, height, rng, colours
        self.image = np.empty((height, width, 3), np.float32)
        self.image[:] = colours.low
        self.horizon = 0.5
        self.light = 0.5, 0.3  # where the sun, the moon or the lamp stands
        self.haze = 0.0  # of the air, 0 to 1
        self._surfaces: dict[tuple, np.ndarray] = {}
        line = (np.arange(height, dtype=np.float32) + 0.5) / height
        self.down = line[:, None].repeat(width, 1)
        self.across = ((np.arange(width, dtype=np.float32) + 0.5) / width)[None].repeat(height, 0)

    # Chance ------------------------------------------------------------------------

    def between(self, low: float, high: float) -> float:
        """A number drawn between two."""
        return float(self.rng.uniform(low, high))

    def often(self, share: float) -> bool:
        """True as often as asked for."""
        return bool(self.rng.random() < share)

    def noise(self, size: float, octaves: int = 4, stretch: float = 1.0) -> np.ndarray:
        """A smooth random surface, about -1 to 1, with bumps of this part of the height; they
        are as many times narrower as `stretch` says.

        One surface of each kind is made, larger than the stage, and another part of it taken
        each time.
        """
        key = round(size, 3), octaves, round(stretch, 2)
        height, width = round(1.6 * self.height), round(1.6 * self.width)
        if key not in self._surfaces:
            total = np.zeros((height, width), np.float32)
            weight, norm = 1.0, 0.0
            for _ in range(octaves):
                columns = max(3, round(1.6 * stretch / max(size, 1e-3)) + 3)
                rows = max(3, round(1.6 * self.height / self.width / max(size, 1e-3)) + 3)
                grid = self.rng.normal(0, 1, (min(rows, height), min(columns, width)))
                total += weight * cv2.resize(
                    grid.astype(np.float32), (width, height), interpolation=cv2.INTER_CUBIC
                )
                norm += weight * weight
                weight, size = weight * 0.55, size / 2
            self._surfaces[key] = total / np.float32(1.6 * np.sqrt(norm))
        top = int(self.rng.integers(0, height - self.height + 1))
        left = int(self.rng.integers(0, width - self.width + 1))
        return self._surfaces[key][top : top + self.height, left : left + self.width]

    def ridge(self, size: float, octaves: int = 5, rough: float = 0.5) -> np.ndarray:
        """A random line over the width, about -1 to 1."""
        total, weight = np.zeros(self.width, np.float32), 1.0
        for _ in range(octaves):
            count = max(3, round(1 / size) + 3)
            grid = self.rng.normal(0, 0.6, (1, count)).astype(np.float32)
            line = cv2.resize(grid, (self.width, 1), interpolation=cv2.INTER_CUBIC)[0]
            total += weight * line
            weight, size = weight * rough, size / 2
        return total

    # Laying on ---------------------------------------------------------------------

    def lay(self, cover: np.ndarray, colour: np.ndarray) -> None:
        """Lay a colour (one, or one for each pixel) on by a cover of 0 to 1 (H × W)."""
        left, top, width, height = cv2.boundingRect((cover > 0).astype(np.uint8))
        box = slice(top, top + height), slice(left, left + width)
        colour = np.asarray(colour, np.float32)
        part = self.image[box]
        part += cover[box][..., None] * ((colour[box] if colour.ndim == 3 else colour) - part)

    def shape(self, *outlines: Sequence[Sequence[float]]) -> np.ndarray:
        """Cover of some outlines, points in parts of the width and the height."""
        mask = np.zeros((self.height, self.width), np.uint8)
        scale = np.array([self.width, self.height]) * (1 << FINE)
        for outline in outlines:
            points = np.rint(np.asarray(outline, float) * scale - 0.5).astype(np.int32)
            points = np.clip(points, -(1 << 20), 1 << 20)
            cv2.fillPoly(mask, [points], 255, cv2.LINE_AA, FINE)
        return mask.astype(np.float32) / 255

    def lines(self, paths: Sequence, widths: Sequence[float] | float) -> np.ndarray:
        """Cover of some lines, their widths in parts of the width."""
        mask = np.zeros((self.height, self.width), np.uint8)
        scale = np.array([self.width, self.height]) * (1 << FINE)
        if isinstance(widths, float | int):
            widths = [widths] * len(paths)
        for path, width in zip(paths, widths, strict=True):
            points = np.rint(np.asarray(path, float) * scale - 0.5).astype(np.int32)
            points = np.clip(points, -(1 << 20), 1 << 20)
            thick = max(1, round(width * self.width))
            cv2.polylines(mask, [points], False, 255, thick, cv2.LINE_AA, FINE)
        return mask.astype(np.float32) / 255

    def glow(self, x: float, y: float, size: float, strength: float, colour=None) -> None:
        """Light that adds to what is there."""
        colour = self.colours.glow if colour is None else colour
        ratio = self.height / self.width
        away = np.hypot(self.across - x, (self.down - y) * ratio) / max(size, 1e-4)
        light = strength / (1 + (2.2 * away) ** 2) ** 1.4
        self.image += light[..., None] * (1 - self.image) * np.asarray(colour, np.float32)

    def afar(self, colour: np.ndarray, distance: float) -> np.ndarray:
        """A colour as it looks from a distance, 0 (here) to 1 (the horizon)."""
        share = min(0.92, (0.75 + self.haze) * distance)
        return mix(colour, self.colours.low, share)

    def shaded_once(self, colour: np.ndarray) -> np.ndarray:
        """One colour, by chance a little lighter or darker."""
        return np.clip(np.asarray(colour, np.float32) * self.between(0.9, 1.08), 0, 1)

    def shaded(
        self,
        colour: np.ndarray,
        cover_noise: float = 0.08,
        size: float = 0.02,
        stretch: float = 1.0,
    ) -> np.ndarray:
        """A colour for each pixel, a little lighter here and darker there."""
        surface = self.noise(size, 3, stretch)[..., None] * np.float32(cover_noise)
        return np.clip(np.asarray(colour, np.float32) * (1 + surface) + surface * 0.25, 0, 1)


def smooth(points: Sequence[Sequence[float]], each: int = 8, closed: bool = True) -> np.ndarray:
    """A curve through points (Catmull-Rom), `each` points from one to the next."""
    p = np.asarray(points, float)
    if closed:
        p0, p1, p2, p3 = (np.roll(p, shift, 0) for shift in (1, 0, -1, -2))
    else:
        padded = np.vstack([2 * p[0] - p[1], p, 2 * p[-1] - p[-2]])
        p0, p1, p2, p3 = padded[:-3], padded[1:-2], padded[2:-1], padded[3:]
    t = np.linspace(0, 1, each, endpoint=False)[None, :, None]
    a, b = (2 * p1)[:, None], (p2 - p0)[:, None]
    c, d = (2 * p0 - 5 * p1 + 4 * p2 - p3)[:, None], (3 * p1 - p0 - 3 * p2 + p3)[:, None]
    made = (0.5 * (a + b * t + c * t**2 + d * t**3)).reshape(-1, 2)
    return made if closed else np.vstack([made, p[-1:]])


def round_cover(s: Stage, x: float, y: float, size: float, soft: float = 1.5) -> np.ndarray:
    """Cover of a disc."""
    ratio = s.height / s.width
    away = np.hypot(s.across - x, (s.down - y) * ratio)
    return np.clip((size - away) * s.width / soft + 0.5, 0, 1)


def disc(s: Stage, x: float, y: float, size: float, colour: np.ndarray, soft: float = 1.5) -> None:
    """A disc of one colour."""
    s.lay(round_cover(s, x, y, size, soft), colour)


def disc_at(
    s: Stage, x: float, y: float, size: float, colour: np.ndarray, share: float = 1.0
) -> None:
    """A small disc; only the pixels near it are looked at."""
    reach = size * 1.4 + 2 / s.width
    rows = slice(
        max(0, int((y - reach * s.width / s.height) * s.height)),
        max(0, int((y + reach * s.width / s.height) * s.height) + 2),
    )
    columns = slice(max(0, int((x - reach) * s.width)), max(0, int((x + reach) * s.width) + 2))
    away = np.hypot(s.across[rows, columns] - x, (s.down[rows, columns] - y) * s.height / s.width)
    cover = np.clip((size - away) * s.width + 0.5, 0, 1)[..., None] * share
    part = s.image[rows, columns]
    part += cover * (np.asarray(colour, np.float32) - part)
