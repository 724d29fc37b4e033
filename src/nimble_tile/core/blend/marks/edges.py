"""Edges of panels round a code: round, of a ticket, of a label, torn."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.symbol.looks.paths import Path, polygon, rounded

SEAM = 0.85
"""Modules of panel that are left at the code's corners: below four fifths OpenCV follows dark
parts of the code outwards, see `nimble_tile.core.blend.rims`."""

BITE = 0.42
"""Radius of a ticket's bites, in parts of how broad its edge is."""

TEAR, STEP = 0.3, 0.2
"""How far torn paper strays from its edge, in parts of how broad it is, and the length of its
fibres, in modules."""

ARC = 24
"""Points of an arc."""


def edge(kind: str, side: int, broad: float) -> Path:
    """The outer edge of a panel.

    Parameters
    ----------
    kind : {"round", "ticket", "label", "torn"}
    side : int
        Modules of the symbol, whose corner is at 0.
    broad : float
        How far the panel goes beyond it, in modules.
    """
    low, high = -broad, side + broad
    if kind == "round":
        radius = max(0.0, (np.sqrt(2) * broad - SEAM) / (np.sqrt(2) - 1))
        return rounded(low, low, high - low, high - low, (float(radius),) * 4)
    if kind == "label":
        cut = max(0.0, 2 * broad - float(np.sqrt(2)) * SEAM)
        return polygon([
            (low + cut, low), (high - cut, low), (high, low + cut), (high, high - cut),
            (high - cut, high), (low + cut, high), (low, high - cut), (low, low + cut),
        ])  # fmt: skip
    if kind == "ticket":
        return polygon(_ticket(low, high, BITE * broad))
    return polygon(_torn(low, high, broad, side))


def _ticket(low: float, high: float, bite: float) -> list[tuple[float, float]]:
    """A quarter of a disc is missing at each corner, and half of one in two sides."""
    middle = (low + high) / 2
    points: list[tuple[float, float]] = []
    # About where, from which angle, by how much: clockwise from the top left.
    for x, y, start, turn in (
        (low, low, 90, -90), (high, low, 180, -90), (high, middle, 270, -180),
        (high, high, 270, -90), (low, high, 0, -90), (low, middle, 90, -180),
    ):  # fmt: skip
        angles = np.radians(np.linspace(start, start + turn, ARC))
        points += [(x + bite * float(np.cos(a)), y + bite * float(np.sin(a))) for a in angles]
    return points


def _torn(low: float, high: float, broad: float, side: int) -> list[tuple[float, float]]:
    """Straight from afar, ragged from near; the same for symbols of one size."""
    rng = np.random.default_rng([side, 7])
    steps = max(8, int((high - low) / STEP))
    along = np.linspace(0, 1, steps, endpoint=False)
    points: list[tuple[float, float]] = []
    corners = [(low, low), (high, low), (high, high), (low, high)]
    for number, (start, end) in enumerate(zip(corners, corners[1:] + corners[:1], strict=True)):
        waves = sum(
            rng.normal() / k * np.sin(2 * np.pi * (k * along + rng.uniform())) for k in range(2, 7)
        )
        stray = 0.4 * waves + rng.uniform(-0.22, 0.22, steps)
        inwards = TEAR * broad * np.clip(stray + 0.5, 0, 1.6)
        inwards *= np.minimum(1, 8 * np.minimum(along, 1 - along))  # corners stay in their place
        away = [(0, 1), (-1, 0), (0, -1), (1, 0)][number]
        for share, by in zip(along, inwards, strict=True):
            x = start[0] + share * (end[0] - start[0]) + away[0] * by
            y = start[1] + share * (end[1] - start[1]) + away[1] * by
            points.append((float(x), float(y)))
    return points
