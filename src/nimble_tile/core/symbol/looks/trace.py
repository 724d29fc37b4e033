"""Fused modules: the outline of a body of dark modules, corners rounded."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.symbol.looks.paths import Op, Path

# Directions: 0 right, 1 down, 2 left, 3 up. Dark is always on the right hand.
_STEP = ((1, 0), (0, 1), (-1, 0), (0, -1))


def contours(dark: np.ndarray) -> list[list[tuple[int, int, int]]]:
    """Corners of every outline, in order.

    Parameters
    ----------
    dark : ndarray of bool, n × n

    Returns
    -------
    list of list of (int, int, int)
        x and y of the corner in modules, and the direction that leaves it.
        Modules that touch at a corner alone stay apart. Outer outlines run
        clockwise, holes the other way.
    """
    wide = dark.shape[1] + 1
    padded = np.pad(dark, 1)
    inner = padded[1:-1, 1:-1]
    # Start vertices of the edges, as y · wide + x, for each direction.
    starts = []
    for beside, dy, dx in (
        (padded[:-2, 1:-1], 0, 0),  # light above: top edge, to the right
        (padded[1:-1, 2:], 0, 1),  # light at the right: right edge, downwards
        (padded[2:, 1:-1], 1, 1),  # light below: bottom edge, to the left
        (padded[1:-1, :-2], 1, 0),  # light at the left: left edge, upwards
    ):
        rows, columns = np.nonzero(inner & ~beside)
        starts.append(set(((rows + dy) * wide + columns + dx).tolist()))
    step = (1, wide, -1, -wide)
    found = []
    # Every outline has an edge to the right that begins a run.
    for first in sorted(starts[0]):
        if first not in starts[0]:
            continue
        at, direction = first, 0
        corners: list[tuple[int, int, int]] = []
        while True:
            starts[direction].discard(at)
            at += step[direction]
            # Hug the same module: right turn first, then straight, then left.
            for turn in (1, 0, 3):
                way = (direction + turn) % 4
                if at in starts[way]:
                    break
            else:
                way = 0  # back at the start, whose edge is used up
            if way != direction:
                corners.append((at % wide, at // wide, way))
            direction = way
            if at == first and way == 0 and at not in starts[0]:
                break
        found.append(corners)
    return found


def fused(dark: np.ndarray, size: float, round_out: float, round_in: float) -> Path:
    """Outline of the body that dark modules grow into.

    Parameters
    ----------
    dark : ndarray of bool, n × n
    size : float
        Thickness of the body where it is one module wide, in modules.
    round_out, round_in : float
        Radii of outer and inner corners, 0 to 0.5.

    Returns
    -------
    Path
        In modules, 0 to n.
    """
    inset = (1 - size) / 2
    ops: list[Op] = []
    for corners in contours(dark):
        count = len(corners)
        points, outer = [], []
        for i in range(count):
            x, y, leaving = corners[i]
            arriving = corners[i - 1][2]
            turn = (leaving - arriving) % 4
            outer.append(turn == 1)
            # Inwards is to the right of both edges.
            ax, ay = _STEP[(arriving + 1) % 4]
            lx, ly = _STEP[(leaving + 1) % 4]
            points.append((x + (ax + lx) * inset, y + (ay + ly) * inset))
        lengths = [
            abs(points[i][0] - points[i - 1][0]) + abs(points[i][1] - points[i - 1][1])
            for i in range(count)
        ]
        for i in range(count):
            x, y = points[i]
            radius = round_out if outer[i] else round_in
            radius = min(radius, lengths[i] / 2, lengths[(i + 1) % count] / 2)
            ax, ay = _STEP[corners[i - 1][2]]
            lx, ly = _STEP[corners[i][2]]
            ops.append(("M" if i == 0 else "L", x - ax * radius, y - ay * radius))
            if radius > 0:
                ops.append(("A", radius, 1 if outer[i] else 0, x + lx * radius, y + ly * radius))
        ops.append(("Z",))
    return Path(tuple(ops))
