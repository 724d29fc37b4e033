"""An SVG logo as plain shapes, for files that stay sharp at every size.

References
----------
SVG 1.1: shapes, path data, fill and stroke (read by svgelements).
"""

from __future__ import annotations

import io
import logging
import math

import numpy as np

from nimble_tile.core.errors import PictureError
from nimble_tile.core.foreign import apart
from nimble_tile.core.laid.items import Shape
from nimble_tile.core.language import tr
from nimble_tile.core.picture.drawings import DRAW_LIMIT, draw, has_letters, kind_of
from nimble_tile.core.symbol.looks.paths import Op, Path

MOST_SHAPES = 600
MOST_SEGMENTS = 40_000
"""Segments at most: beyond, the drawing is put in as a picture."""

COMPARED = 420
"""Pixels of the longer side at which shapes and drawing are compared."""

SPOT_DIFFERENCE = 90
"""Mean difference, of 255, of a spot of 9 × 9 pixels up to which they are: edges differ."""

ALIKE = 1.5
"""Mean difference, of 255, up to which the shapes are the drawing."""


@apart(DRAW_LIMIT)
def outlines(data: bytes) -> tuple[Shape, ...] | None:
    """A drawing's shapes round 0, its longer side 1; None where they would not be the drawing.

    Gradients, filters, masks and letters are beyond plain shapes. So the shapes
    are painted and compared with what a renderer makes of the file.

    Parameters
    ----------
    data : bytes
        An SVG that was welcome as a picture before.
    """
    if kind_of(data) != "svg" or has_letters(data):
        return None
    try:
        made = _shapes(data)
        drawn = draw(data, tr("The logo"), COMPARED)
    except (PictureError, ValueError, ArithmeticError, AttributeError, TypeError):
        return None
    return made if made and _alike(made, drawn) else None


def _alike(shapes: tuple[Shape, ...], drawn: np.ndarray) -> bool:
    from nimble_tile.core.laid.paint import painted

    height, width = drawn.shape[:2]
    scale = max(width, height)
    matrix = np.array([[scale, 0, width / 2], [0, scale, height / 2], [0, 0, 1.0]])
    ours = painted(np.zeros_like(drawn), shapes, matrix, scale)

    def weighed(rgba: np.ndarray) -> np.ndarray:
        alpha = rgba[..., 3:].astype(np.float32) / 255
        return np.dstack([rgba[..., :3] * alpha, rgba[..., 3:]])

    off = np.abs(weighed(ours) - weighed(drawn)).max(2)
    # The mean would hide a small missing part, so small areas are compared too.
    import cv2

    spots = cv2.blur(off, (9, 9))
    return float(off.mean()) < ALIKE and float(spots.max()) < SPOT_DIFFERENCE


def _shapes(data: bytes) -> tuple[Shape, ...] | None:
    import svgelements

    logging.getLogger("svgelements").setLevel(logging.CRITICAL)
    try:
        drawing = svgelements.SVG.parse(io.BytesIO(data), reify=True)
        found = [e for e in drawing.elements() if isinstance(e, svgelements.Shape)]
        width, height = float(drawing.width), float(drawing.height)
    except Exception:  # a parser of foreign files: anything may come
        return None
    longer = max(width, height)
    if not found or len(found) > MOST_SHAPES or not 0 < longer < 1e7:
        return None
    made, steps = [], 0
    for element in found:
        shape = _shape(element, svgelements)
        if shape is None:
            continue
        steps += len(shape.path.ops)
        if steps > MOST_SEGMENTS:
            return None
        path = shape.path.moved(-width / 2, -height / 2).moved(scale=1 / longer)
        stroke = shape.stroke / longer
        made.append(
            Shape("logo", 0, path, shape.colour, stroke, shape.stroke_colour,
                  opacity=shape.opacity, round_ends=shape.round_ends)
        )  # fmt: skip
    return tuple(made)


def _shape(element, svgelements) -> Shape | None:
    values = element.values
    if values.get("visibility") == "hidden" or values.get("display") == "none":
        return None
    path = abs(svgelements.Path(element))
    path.approximate_arcs_with_cubics()
    ops = _ops(path, svgelements)
    fill, line = element.fill, element.stroke
    filled = fill is not None and fill.value is not None and fill.alpha > 0
    lined = line is not None and line.value is not None and line.alpha > 0
    if not ops or not (filled or lined):
        return None
    width = float(element.stroke_width or 0) if lined else 0.0
    alphas = {c.alpha / 255 for c, on in ((fill, filled), (line, lined)) if on}
    opacity = alphas.pop() * float(values.get("opacity") or 1)
    return Shape(
        "logo", 0, Path(tuple(ops), even_odd=values.get("fill-rule") == "evenodd"),
        fill.hexrgb if filled else None, width, line.hexrgb if lined else "#000000",
        opacity=min(1.0, opacity), round_ends=values.get("stroke-linecap") == "round",
    )  # fmt: skip


def _ops(path, svgelements) -> list[Op]:
    ops: list[Op] = []
    for part in path:
        if isinstance(part, svgelements.Move):
            ops.append(("M", part.end.x, part.end.y))
        elif isinstance(part, svgelements.Close):
            ops.append(("Z",))
        elif isinstance(part, svgelements.CubicBezier):
            ops.append(("C", part.control1.x, part.control1.y, part.control2.x, part.control2.y,
                        part.end.x, part.end.y))  # fmt: skip
        elif isinstance(part, svgelements.QuadraticBezier):
            a, c, b = part.start, part.control, part.end
            near = (a.x + (c.x - a.x) * 2 / 3, a.y + (c.y - a.y) * 2 / 3)
            far = (b.x + (c.x - b.x) * 2 / 3, b.y + (c.y - b.y) * 2 / 3)
            ops.append(("C", *near, *far, b.x, b.y))
        else:
            ops.append(("L", part.end.x, part.end.y))
    if not all(math.isfinite(v) for op in ops for v in op[1:]):
        return []
    return ops


def placed(shapes: tuple[Shape, ...], middle: tuple[float, float], longer: float, angle: float,
           owner: int) -> tuple[Shape, ...]:  # fmt: skip
    """Shapes from `outlines` in their place, in modules."""
    turn = math.radians(angle)
    return tuple(
        Shape(
            "logo", owner, shape.path.moved(scale=longer, turn=turn).moved(*middle),
            shape.colour, shape.stroke * longer, shape.stroke_colour,
            opacity=shape.opacity, round_ends=shape.round_ends,
        )
        for shape in shapes
    )  # fmt: skip
