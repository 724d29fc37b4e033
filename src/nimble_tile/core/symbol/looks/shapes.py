"""Shapes of modules and finders, centred on 0."""

from __future__ import annotations

import math

from nimble_tile.core.look import Look, OwnShape
from nimble_tile.core.symbol.looks.paths import (
    Path,
    circle,
    from_plain_data,
    joined,
    polygon,
    rectangle,
    reversed_path,
    rounded,
)

CORNER_RADII = {"square": 0.0, "rounded": 0.34, "soft": 0.56}
"""Corner radius of a finder's shapes, in parts of half their side. From 0.57 on an
eye in a square ring is more than half a module short along diagonals."""

LEAF = {"ring": 0.85, "eye": 0.56}
"""The same for the two round corners of a leaf."""

RING_HOLE = 0.4
"""Radius of the hole of a ring that is square outside, in parts of half its side."""

SAIL = 0.043
"""How far the sides of a sail curve inwards, in parts of half its side. Farther in,
readers that look along rows lose the ratio."""

CUT = 0.32
"""What an octagonal shape loses at its corners, in parts of half its side."""


def _star(radius: float, points: int = 5, waist: float = 0.6) -> Path:
    """A star that stands on two points."""
    at = []
    for i in range(2 * points):
        r = radius if i % 2 == 0 else radius * waist
        angle = math.pi * i / points
        at.append((r * math.sin(angle), -r * math.cos(angle)))
    return polygon(at)


def _cut(half: float, cut: float) -> Path:
    a, b = half, half - cut
    return polygon([(-b, -a), (b, -a), (a, -b), (a, b), (b, a), (-b, a), (-a, b), (-a, -b)])


def _sail(half: float, bend: float) -> Path:
    """A square whose sides curve inwards, so that its corners stay where readers look."""
    middle = half - 2 * bend  # of the quadratic curves' control points

    def side(x0: float, y0: float, cx: float, cy: float, x1: float, y1: float) -> tuple:
        first = (x0 + (cx - x0) * 2 / 3, y0 + (cy - y0) * 2 / 3)
        second = (x1 + (cx - x1) * 2 / 3, y1 + (cy - y1) * 2 / 3)
        return ("C", *first, *second, x1, y1)

    h, m = half, middle
    return Path(
        (("M", -h, -h), side(-h, -h, 0, -m, h, -h), side(h, -h, m, 0, h, h),
         side(h, h, 0, m, -h, h), side(-h, h, -m, 0, -h, -h), ("Z",))
    )  # fmt: skip


def _own(shape: OwnShape, side: float) -> Path:
    return from_plain_data(shape.path).moved(-0.5, -0.5).moved(scale=side)


def module_shape(look: Look) -> Path:
    """Shape of one module, 1 × 1; the size factor is not applied.

    Bars and fused bodies are not stamps and have none; for these the square.
    """
    made = {
        "rounded": lambda: rounded(-0.5, -0.5, 1, 1, (0.28,) * 4),
        "round": lambda: circle(0, 0, 0.5),
        "diamond": lambda: polygon([(0, -0.5), (0.5, 0), (0, 0.5), (-0.5, 0)]),
        "star": lambda: _star(0.55).moved(0, 0.03),
        "leaf": lambda: rounded(-0.5, -0.5, 1, 1, (0.5, 0, 0.5, 0)),
        "plus": lambda: polygon(
            [(-0.26, -0.5), (0.26, -0.5), (0.26, -0.26), (0.5, -0.26), (0.5, 0.26), (0.26, 0.26),
             (0.26, 0.5), (-0.26, 0.5), (-0.26, 0.26), (-0.5, 0.26), (-0.5, -0.26),
             (-0.26, -0.26)]
        ),
        "own": lambda: _own(look.own, 1),
    }  # fmt: skip
    return made[look.shape]() if look.shape in made else rectangle(-0.5, -0.5, 1, 1)


def _block(shape: str, half: float, leaf: float = LEAF["ring"]) -> Path:
    """A filled block of a finder's kind."""
    if shape == "round":
        return circle(0, 0, half)
    if shape == "cut":
        return _cut(half, CUT * half)
    if shape == "leaf":
        return rounded(-half, -half, 2 * half, 2 * half, (leaf * half, 0, leaf * half, 0))
    radius = CORNER_RADII.get(shape, 0) * half
    return rounded(-half, -half, 2 * half, 2 * half, (radius,) * 4)


def ring_shape(look: Look, half: float = 3.5, width: float = 1) -> Path:
    """Outer ring of a finder, with its hole; all of it within 2 · `half`."""
    shape = look.ring
    if shape == "own":
        return _own(look.ring_own, 2 * half)
    inner = half - width
    if shape in ("window", "sail"):
        radius = RING_HOLE * inner if shape == "window" else 0.8 * RING_HOLE * inner
        hole = rounded(-inner, -inner, 2 * inner, 2 * inner, (radius,) * 4)
        block = _block("square", half) if shape == "window" else _sail(half, SAIL * half)
        return joined([block, reversed_path(hole)])
    if shape in ("rounded", "soft"):
        radius = CORNER_RADII[shape] * half
        inside = max(0.0, radius - width)
        hole = rounded(-inner, -inner, 2 * inner, 2 * inner, (inside,) * 4)
    elif shape == "leaf":
        radius = LEAF["ring"] * half - width
        hole = rounded(-inner, -inner, 2 * inner, 2 * inner, (radius, 0, radius, 0))
    elif shape == "cut":
        # Sides of the same thickness everywhere.
        hole = _cut(inner, CUT * half - width * (2 - math.sqrt(2)))
    else:
        hole = _block(shape, inner)
    return joined([_block(shape, half), reversed_path(hole)])


def eye_shape(look: Look, half: float = 1.5) -> Path:
    """Inner eye of a finder."""
    if look.eye == "own":
        return _own(look.eye_own, 2 * half)
    if look.eye == "diamond":
        far = half * 1.15
        return polygon([(0, -far), (far, 0), (0, far), (-far, 0)])
    if look.eye == "star":
        return _star(half * 1.15, 8, 0.75)
    return _block(look.eye, half, LEAF["eye"])
