"""Shapes of marks, as paths about 0."""

from __future__ import annotations

from nimble_tile.core.look import Look
from nimble_tile.core.symbol.looks.paths import (
    Path,
    circle,
    joined,
    polygon,
    rectangle,
    reversed_path,
    rounded,
)
from nimble_tile.core.symbol.looks.shapes import module_shape

HOLE, DOT = 0.66, 0.42
"""Hole of a ring, and the dot in its middle, in parts of its size: readers look at the middle."""

ARM = 0.46
"""Width of a cross's arms, in parts of its size."""


def stamp(shape: str, look: Look) -> Path:
    """A mark about 0, as wide as a module."""
    if shape == "square":
        return rectangle(-0.5, -0.5, 1, 1)
    if shape == "rounded":
        return rounded(-0.5, -0.5, 1, 1, (0.3,) * 4)
    if shape == "diamond":
        return polygon([(0, -0.62), (0.62, 0), (0, 0.62), (-0.62, 0)])
    if shape == "ring":
        return joined(
            [circle(0, 0, 0.5), reversed_path(circle(0, 0, 0.5 * HOLE)), circle(0, 0, 0.5 * DOT)]
        )
    if shape == "cross":
        a = ARM / 2
        return polygon([(-a, -0.5), (a, -0.5), (a, -a), (0.5, -a), (0.5, a), (a, a), (a, 0.5),
                        (-a, 0.5), (-a, a), (-0.5, a), (-0.5, -a), (-a, -a)])  # fmt: skip
    if shape == "dash":
        return rounded(-0.56, -0.36, 1.12, 0.72, (0.36,) * 4)
    if shape == "look":
        return module_shape(look)
    return circle(0, 0, 0.5)
