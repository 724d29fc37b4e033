"""Text along a line: the guide, and outlines set along it.

References
----------
The textbook arc-length parametrisation of a polyline; letters are placed with
the middle of their advance on the line and turned with it, as SVG 1.1's text on
a path does.
"""

from __future__ import annotations

import math

import numpy as np

from nimble_tile.core.symbol.looks.paths import Op, Path

STEPS_A_CURVE = 24
"""Straight pieces into which each curve of a guide is divided."""

WORD = 1.6
"""Width, in sizes of the font, from which joined letters bend with the line instead of
standing on it as one."""


LETTER_OVERLAP = 0.2
"""Share of the narrower contour above which two that overlap are one letter: letters that
are set closely overlap by less."""


class Guide:
    """A line along which text is set.

    Parameters
    ----------
    points : ndarray of float64, m × 2
        Corners of a polyline; closed where the last is the first.
    """

    def __init__(self, points: np.ndarray) -> None:
        steps = np.hypot(*np.diff(points, axis=0).T)
        keep = np.append(True, steps > 1e-9)
        self.points = points[keep]
        self.along = np.append(0, np.cumsum(np.hypot(*np.diff(self.points, axis=0).T)))

    @property
    def length(self) -> float:
        """From one end to the other."""
        return float(self.along[-1])

    def at(self, distance: float) -> tuple[float, float, float]:
        """Point at a distance along the closed line, and the direction there in radians."""
        distance = distance % self.length if self.length else 0.0
        index = int(np.searchsorted(self.along, distance, side="right")) - 1
        index = min(max(index, 0), len(self.points) - 2)
        start, end = self.points[index], self.points[index + 1]
        step = self.along[index + 1] - self.along[index]
        share = (distance - self.along[index]) / step
        x, y = start + (end - start) * share
        return float(x), float(y), math.atan2(end[1] - start[1], end[0] - start[0])


def flattened(path: Path) -> list[np.ndarray]:
    """Contours of a path as polylines (m × 2), closed where they are."""
    contours: list[list[tuple[float, float]]] = []
    for op in path.ops:
        kind = op[0]
        if kind == "M":
            contours.append([(op[1], op[2])])
        elif kind == "L":
            contours[-1].append((op[1], op[2]))
        elif kind == "C":
            p0 = np.array(contours[-1][-1])
            p1, p2, p3 = (np.array(op[i : i + 2]) for i in (1, 3, 5))
            for t in np.linspace(0, 1, STEPS_A_CURVE + 1)[1:]:
                point = (
                    (1 - t) ** 3 * p0 + 3 * (1 - t) ** 2 * t * p1
                    + 3 * (1 - t) * t * t * p2 + t**3 * p3
                )  # fmt: skip
                contours[-1].append((float(point[0]), float(point[1])))
        elif kind == "A":
            contours[-1] += _arc(contours[-1][-1], op)
        else:
            contours[-1].append(contours[-1][0])
    return [np.array(contour) for contour in contours]


def _arc(start: tuple[float, float], op: Op) -> list[tuple[float, float]]:
    """Points of a circular arc of at most half a turn."""
    _, radius, sweep, x, y = op
    (x0, y0), (dx, dy) = start, (x - start[0], y - start[1])
    half = math.hypot(dx, dy) / 2
    if half < 1e-9:
        return [(x, y)]
    radius = max(radius, half)
    rise = math.sqrt(max(radius**2 - half**2, 0)) * (1 if sweep else -1)
    cx, cy = (x0 + x) / 2 - dy / (2 * half) * rise, (y0 + y) / 2 + dx / (2 * half) * rise
    a0, a1 = math.atan2(y0 - cy, x0 - cx), math.atan2(y - cy, x - cx)
    turn = (a1 - a0) % (2 * math.pi) if sweep else -((a0 - a1) % (2 * math.pi))
    return [
        (cx + radius * math.cos(a0 + turn * t), cy + radius * math.sin(a0 + turn * t))
        for t in np.linspace(0, 1, STEPS_A_CURVE + 1)[1:]
    ]


def letters(path: Path) -> list[Path]:
    """Contours that stand above one another, together: about a letter each."""
    contours: list[list[Op]] = []
    for op in path.ops:
        if op[0] == "M":
            contours.append([])
        contours[-1].append(op)
    spans = []
    for ops in contours:
        left, _, right, _ = Path(tuple(ops)).bounds()
        spans.append((left, right, ops))
    spans.sort(key=lambda span: span[0])
    groups: list[tuple[float, float, list[Op]]] = []
    for left, right, ops in spans:
        if groups:
            low, high, own = groups[-1]
            shared = min(high, right) - max(low, left)
            if shared > LETTER_OVERLAP * min(high - low, right - left):
                groups[-1] = (low, max(high, right), own + ops)
                continue
        groups.append((left, right, list(ops)))
    return [Path(tuple(ops)) for _, _, ops in groups]


def on_guide(path: Path, guide: Guide, start: float, size: float) -> Path:
    """A line of outlines set along a guide.

    Parameters
    ----------
    path : Path
        Baseline at y = 0, in the guide's units.
    guide : Guide
    start : float
        Where on the guide the line's x = 0 comes to be.
    size : float
        Size of the font in the same units.
    """
    out: list[Op] = []
    for letter in letters(path):
        left, _, right, _ = letter.bounds()
        if right - left > WORD * size:
            out += _bent(letter, guide, start).ops
            continue
        middle = (left + right) / 2
        x, y, turn = guide.at(start + middle)
        out += letter.moved(-middle).moved(turn=turn).moved(x, y).ops
    return Path(tuple(out))


def _bent(letter: Path, guide: Guide, start: float) -> Path:
    def at(px: float, py: float) -> tuple[float, float]:
        x, y, turn = guide.at(start + px)
        return x - math.sin(turn) * py, y + math.cos(turn) * py

    out: list[Op] = []
    for op in letter.ops:
        points: list[float] = []
        for i in range(1, len(op), 2):
            points += at(op[i], op[i + 1])
        out.append((op[0], *points))
    return Path(tuple(out))
