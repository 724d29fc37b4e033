"""Mediums: how a scene gets onto the canvas, coarse to fine, one step after another.

References
----------
A. Hertzmann, "Painterly Rendering with Curved Brush Strokes of Multiple Sizes", SIGGRAPH 1998:
brushes from large to small, each where the canvas differs from what is seen; strokes follow the
direction in which tones do not change.
"""

from __future__ import annotations

from abc import ABC, abstractmethod

import cv2
import numpy as np

STROKE_POINTS = 7
"""Points of a stroke at most."""

LED_BY = 5.0
"""Radius, in pixels of the small picture that leads it, of a large brush."""

DIFFERS = 14.0
"""Steps of 255 by which the canvas may differ before a stroke is laid."""


class Medium(ABC):
    """A canvas that is painted on.

    Parameters
    ----------
    width, height : int
    rng : Generator
    rough : float
        Size of strokes in parts of the usual.
    """

    paper = (244, 238, 226)

    def __init__(self, width: int, height: int, rng: np.random.Generator, rough: float) -> None:
        self.width, self.height, self.rng, self.rough = width, height, rng, rough
        self.side = min(width, height)
        self.canvas = np.empty((height, width, 3), np.uint8)
        self.canvas[:] = self.paper

    @abstractmethod
    def step(self, seen: np.ndarray, at: float) -> None:
        """Paint one step of what is to be seen (uint8 H × W × 3), 0 the first, 1 the last."""

    def finished(self) -> np.ndarray:
        """The canvas as it is looked at (uint8 H × W × 3)."""
        return self.canvas

    def grain(self, size: float, strength: float) -> np.ndarray:
        """A rough surface (float32 H × W), about 1."""
        small = max(2, round(self.height / size)), max(2, round(self.width / size))
        noise = self.rng.normal(0, strength, small).astype(np.float32)
        return 1 + cv2.resize(noise, (self.width, self.height), interpolation=cv2.INTER_LINEAR)


def strokes(
    canvas: np.ndarray,
    seen: np.ndarray,
    radius: float,
    rng: np.random.Generator,
    differs: float = DIFFERS,
    jitter: float = 5.0,
    length: int = STROKE_POINTS,
) -> None:
    """Strokes of one brush, in place, where the canvas differs from what is seen."""
    height, width = seen.shape[:2]
    # A large brush sees no detail: it is led by a small picture.
    scale = min(1.0, LED_BY / radius)
    led = seen if scale == 1 else cv2.resize(
        seen, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA
    )  # fmt: skip
    blurred = cv2.GaussianBlur(led, (0, 0), max(0.5 * radius * scale, 0.5))
    under = canvas if scale == 1 else cv2.resize(
        canvas, blurred.shape[1::-1], interpolation=cv2.INTER_AREA
    )  # fmt: skip
    apart = cv2.absdiff(under, blurred).sum(2, dtype=np.float32) / 3
    cell = max(2, round(1.15 * radius))
    rows, columns = -(-height // cell), -(-width // cell)
    mean = cv2.resize(apart, (columns, rows), interpolation=cv2.INTER_AREA)
    at_row, at_column = np.nonzero(mean > differs)
    if not len(at_row):
        return
    y = np.clip((at_row + rng.random(len(at_row))) * cell, 0, height - 1)
    x = np.clip((at_column + rng.random(len(at_row))) * cell, 0, width - 1)
    grey = cv2.cvtColor(blurred, cv2.COLOR_RGB2GRAY).astype(np.float32)
    across, down = cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)
    # The direction of the surroundings, where the place itself has none.
    smooth = [
        cv2.GaussianBlur(field, (0, 0), 2.0 * radius * scale)
        for field in (across * across - down * down, 2 * across * down)
    ]
    angle = 0.5 * np.arctan2(smooth[1], smooth[0]) + np.pi / 2
    last = np.array(blurred.shape[:2]) - 1

    def places() -> tuple[np.ndarray, np.ndarray]:
        """Where the strokes are on the small picture."""
        return (np.minimum((y * scale).astype(int), last[0]),
                np.minimum((x * scale).astype(int), last[1]))  # fmt: skip

    paths = np.empty((len(x), length, 2), np.float32)
    ends = np.full(len(x), length)
    colour = blurred[places()].astype(np.float32)
    heading = None
    for number in range(length):
        paths[:, number] = np.column_stack([x, y])
        row, column = places()
        if number > 1:
            here = blurred[row, column].astype(np.float32)
            strays = np.abs(here - colour).sum(1) > np.abs(
                here - under[row, column].astype(np.float32)
            ).sum(1)
            ends = np.where(strays & (ends == length), number, ends)
        turn = angle[row, column] + rng.normal(0, 0.12, len(x))
        step = np.column_stack([np.cos(turn), np.sin(turn)])
        if heading is not None:
            back = (step * heading).sum(1) < 0
            step[back] *= -1
            step = 0.6 * step + 0.4 * heading
        else:
            step *= rng.choice([-1, 1], len(x))[:, None]
        heading = step
        x = np.clip(x + step[:, 0] * radius * 1.3, 0, width - 1)
        y = np.clip(y + step[:, 1] * radius * 1.3, 0, height - 1)
    tints = np.clip(
        colour + rng.normal(0, jitter, (len(x), 1)) + rng.normal(0, 0.5 * jitter, colour.shape),
        0,
        255,
    )
    thick = max(1, round(1.9 * radius))
    points = np.rint(paths).astype(np.int32)
    for number in rng.permutation(len(x)):
        cv2.polylines(
            canvas, [points[number, : max(2, ends[number])]], False, tints[number].tolist(), thick
        )


class Oil(Medium):
    """Curved strokes, the paint standing up a little."""

    paper = (150, 140, 122)

    def step(self, seen: np.ndarray, at: float) -> None:
        largest, least = self.side / 22 * self.rough, max(1.2, self.side / 480)
        radius = largest * (least / largest) ** (at**0.75)
        strokes(
            self.canvas, seen, radius, self.rng, DIFFERS * (1.2 - 0.75 * at), 6.5 * (1 - 0.6 * at)
        )

    def finished(self) -> np.ndarray:
        grey = cv2.cvtColor(self.canvas, cv2.COLOR_RGB2GRAY).astype(np.float32)
        light = cv2.GaussianBlur(grey, (0, 0), 0.8) - cv2.GaussianBlur(
            np.roll(np.roll(grey, 2, 0), 1, 1), (0, 0), 1.2
        )
        weave = (self.grain(1.6, 1.6) - 1)[..., None]
        return np.clip(
            self.canvas + 0.15 * np.clip(light, -28, 28)[..., None] + weave, 0, 255
        ).astype(np.uint8)


class Watercolour(Medium):
    """Washes on rough paper, darker at their edges."""

    def __init__(self, *rest) -> None:
        super().__init__(*rest)
        self._wet = self.grain(self.side / 18, 0.05) * self.grain(self.side / 60, 0.035)

    def step(self, seen: np.ndarray, at: float) -> None:
        spread = self.side / 40 * self.rough * (1 - at) ** 1.5 + 0.6
        small = cv2.resize(seen, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        wash = cv2.bilateralFilter(small, 7, 26, 5)
        wash = cv2.resize(wash, (self.width, self.height), interpolation=cv2.INTER_LINEAR)
        wash = cv2.GaussianBlur(wash, (0, 0), spread).astype(np.float32)
        share = 0.22 + 0.3 * at
        mixed = self.canvas * (1 - share) + wash * share
        self.canvas = np.clip(mixed, 0, 255).astype(np.uint8)

    def finished(self) -> np.ndarray:
        flat = cv2.bilateralFilter(self.canvas, 9, 32, 6)
        grey = cv2.cvtColor(flat, cv2.COLOR_RGB2GRAY).astype(np.float32)
        edge = np.hypot(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1))
        rim = cv2.GaussianBlur(np.clip(edge / 90, 0, 1), (0, 0), 0.9)
        paper = np.array(self.paper, np.float32)
        density = (1 - flat.astype(np.float32) / paper) * (self._wet * (1 + 0.5 * rim))[..., None]
        made = paper * (1 - np.clip(density * 0.97, -0.05, 1))
        return np.clip(made * self.grain(1.8, 0.022)[..., None], 0, 255).astype(np.uint8)


class Ink(Medium):
    """Black ink with a breath of colour: brushes that run dry, and much bare paper."""

    paper = (243, 238, 225)

    def step(self, seen: np.ndarray, at: float) -> None:
        grey = cv2.cvtColor(seen, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
        low, high = np.quantile(grey[::8, ::8], (0.02, 0.9))
        ink = np.clip((high - grey) / max(high - low, 0.25), 0, 1) ** 1.35
        most = cv2.max(cv2.max(seen[..., 0], seen[..., 1]), seen[..., 2])[..., None]
        hue = seen.astype(np.float32) / np.maximum(most, 60)
        paper, black = np.array(self.paper, np.float32), np.array((30, 30, 36), np.float32)
        washed = (paper * (1 - ink[..., None]) + black * ink[..., None]) * (0.72 + 0.28 * hue)
        largest, least = self.side / 30 * self.rough, max(1.4, self.side / 480)
        radius = largest * (least / largest) ** (at**0.8)
        strokes(
            self.canvas, np.clip(washed, 0, 255).astype(np.uint8), radius, self.rng,
            20 - 9 * at, 9 * (1 - 0.5 * at), 10,
        )  # fmt: skip

    def finished(self) -> np.ndarray:
        soft = cv2.GaussianBlur(self.canvas, (0, 0), self.side / 900)
        made = (
            soft * self.grain(2.0, 0.03)[..., None] * self.grain(self.side / 30, 0.015)[..., None]
        )
        return np.clip(made, 0, 255).astype(np.uint8)


class Mosaic(Medium):
    """Little stones beside each other in grout, large ones first."""

    paper = (66, 62, 60)

    def __init__(self, *rest) -> None:
        super().__init__(*rest)
        self._laid = [self._stones(count) for count in (30, 56, 104)]
        self._lit = self.grain(1.5, 0.03)

    def _stones(self, count: int) -> tuple[np.ndarray, np.ndarray, int]:
        """Which stone each pixel belongs to, how far it is from the grout, and their number."""
        from scipy.spatial import cKDTree

        step = self.side / count * self.rough**0.5
        rows, columns = int(self.height / step) + 2, int(self.width / step) + 2
        y, x = np.mgrid[:rows, :columns].astype(np.float32)
        x = (x + 0.5 * (y % 2) + self.rng.uniform(-0.22, 0.22, x.shape)) * step
        y = (y + self.rng.uniform(-0.22, 0.22, y.shape)) * step
        tree = cKDTree(np.column_stack([x.ravel(), y.ravel()]))
        scale = 2 if self.side > 700 else 1
        grid = np.stack(
            np.meshgrid(np.arange(0, self.width, scale), np.arange(0, self.height, scale)), -1
        )
        away, which = tree.query(grid.reshape(-1, 2), 2, workers=2)
        shape = grid.shape[:2]
        inside = ((away[:, 1] - away[:, 0]) / step).reshape(shape).astype(np.float32)
        label = which[:, 0].reshape(shape).astype(np.int32)
        if scale > 1:
            size = (self.width, self.height)
            inside = cv2.resize(inside, size, interpolation=cv2.INTER_LINEAR)
            label = cv2.resize(label, size, interpolation=cv2.INTER_NEAREST)
        return label, inside, rows * columns

    def step(self, seen: np.ndarray, at: float) -> None:
        stage = min(2, int(at * 3.2))
        label, inside, count = self._laid[stage]
        flat = label.ravel()
        number = np.maximum(np.bincount(flat, minlength=count), 1)
        tints = np.column_stack(
            [
                np.bincount(flat, seen[..., channel].ravel(), minlength=count) / number
                for channel in range(3)
            ]
        )
        varied = np.random.default_rng([stage, 7]).normal(1, 0.045, (count, 1))
        stones = np.clip(tints * varied, 0, 240)[label]
        cover = np.clip((inside - 0.10) * 9, 0, 1)[..., None]
        bevel = (1 + 0.07 * np.clip(inside - 0.35, -0.3, 0.4))[..., None]
        # Grout of one dark colour would be darker than many a dark stone.
        made = 0.66 * stones * (1 - cover) + stones * bevel * cover
        # Stones are laid one after another.
        share = (at * 3.2 - stage) * 1.15 + 0.1 if stage < 2 else 1.0
        laid = (np.random.default_rng([stage, 3]).random(count) < share)[label][..., None]
        self.canvas = np.where(laid, np.clip(made, 0, 255), self.canvas).astype(np.uint8)

    def finished(self) -> np.ndarray:
        return np.clip(self.canvas * self._lit[..., None], 0, 255).astype(np.uint8)


class CutPaper(Medium):
    """Sheets of coloured paper on each other, with their shadows."""

    def __init__(self, *rest) -> None:
        super().__init__(*rest)
        self._sheet = self.grain(1.4, 0.02) * self.grain(self.side / 40, 0.012)

    def step(self, seen: np.ndarray, at: float) -> None:
        tones = int(4 + 8 * at)
        small_side = 200 + int(360 * at)
        scale = small_side / self.side
        small = cv2.resize(seen, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        small = cv2.GaussianBlur(small, (0, 0), 1.0 + 1.6 * (1 - at) * self.rough)
        lab = cv2.cvtColor(small, cv2.COLOR_RGB2LAB).reshape(-1, 3).astype(np.float32)
        cv2.setRNGSeed(1)
        ends = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 12, 1.0)
        _, which, tints = cv2.kmeans(lab, tones, None, ends, 1, cv2.KMEANS_PP_CENTERS)
        which = which.reshape(small.shape[:2]).astype(np.uint8)
        colours = cv2.cvtColor(tints[None].astype(np.uint8), cv2.COLOR_LAB2RGB)[0].astype(
            np.float32
        )
        order = np.argsort(-tints[:, 0])  # light sheets lie below
        # Only the last sheets are cut to the pixel.
        part = 1 if at >= 1 else 2
        extent = -(-self.width // part), -(-self.height // part)
        made = np.empty((extent[1], extent[0], 3), np.float32)
        made[:] = colours[order[0]]
        depth = max(1.0, self.side / 400) / part
        rank = np.argsort(order)[which].astype(np.uint8)
        for level in range(1, tones):
            above = (rank >= level).astype(np.float32)
            soft = cv2.resize(above, extent, interpolation=cv2.INTER_CUBIC)
            soft = cv2.GaussianBlur(soft, (0, 0), max(0.9, 0.35 / scale / part))
            sheet = np.clip((soft - 0.5) * 8 / max(1, 0.5 / scale / part) + 0.5, 0, 1)
            shadow = cv2.GaussianBlur(
                np.roll(np.roll(sheet, round(1.6 * depth), 0), round(depth), 1), (0, 0), 1.3 * depth
            )
            made *= (1 - 0.20 * np.clip(shadow - sheet, 0, 1))[..., None]
            made += sheet[..., None] * (colours[order[level]] - made)
        made = np.clip(made, 0, 255).astype(np.uint8)
        if part > 1:
            made = cv2.resize(made, (self.width, self.height), interpolation=cv2.INTER_LINEAR)
        self.canvas = made

    def finished(self) -> np.ndarray:
        return np.clip(self.canvas * self._sheet[..., None], 0, 255).astype(np.uint8)
