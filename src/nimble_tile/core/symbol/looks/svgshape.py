"""A closed path from an SVG file, made ready to be a module or a finder.

References
----------
SVG 1.1: shapes, path data, transforms (read by svgelements).
"""

from __future__ import annotations

import io
import logging
import math
from pathlib import Path as FilePath

from nimble_tile.core.errors import PictureError
from nimble_tile.core.files import read_bytes
from nimble_tile.core.foreign import apart
from nimble_tile.core.language import tr
from nimble_tile.core.look import MOST_PATH, OwnShape
from nimble_tile.core.symbol.looks.paths import Op, Path, to_plain_data

MOST_BYTES = 4 << 20
"""Bytes of an SVG file that are read at most."""
READ_LIMIT = 12.0
"""Seconds that reading may take."""
MOST_SHAPES = 200
MOST_SEGMENTS = 4000
"""Segments of all paths at most: a module is drawn thousands of times."""


def read_shape(path: FilePath) -> OwnShape:
    """The shape in an SVG file.

    Raises
    ------
    PictureError
        It cannot be read, is no SVG, or holds no closed path.
    """
    path = FilePath(path)
    return shape_from_svg(read_bytes(path, MOST_BYTES, PictureError), path.name)


@apart(READ_LIMIT)
def shape_from_svg(data: bytes, name: str = tr("The drawing")) -> OwnShape:
    """All closed paths of a drawing as one shape that just fits a square.

    Parameters
    ----------
    data : bytes
    name : str
        For messages.

    Raises
    ------
    PictureError
    """
    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import ParseError, fromstring

    try:
        root = fromstring(data, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except DefusedXmlException:
        raise _refused(name, tr("it defines entities, which can be used to swell it")) from None
    except (ParseError, ValueError, LookupError, RecursionError):
        raise _refused(name, tr("it is not an SVG drawing, or it is damaged")) from None
    if not str(root.tag).rpartition("}")[2].lower() == "svg":
        raise _refused(name, tr("it is not an SVG drawing"))
    if any(str(node.tag).rpartition("}")[2] == "use" for node in root.iter()):
        raise _refused(name, tr("it reuses parts by reference; turn these into paths first"))
    ops = _ops(data, name)
    return OwnShape(name=name, path=_fitted(ops, name))


def _refused(name: str, why: str) -> PictureError:
    return PictureError(
        tr("{name} was not taken: {why}.", name=name, why=why),
        tr("Save the outline as a plain SVG with one closed path."),
    )


def _ops(data: bytes, name: str) -> list[Op]:
    import svgelements

    logging.getLogger("svgelements").setLevel(logging.CRITICAL)
    try:
        drawing = svgelements.SVG.parse(io.BytesIO(data), reify=True)
        shapes = [e for e in drawing.elements() if isinstance(e, svgelements.Shape)]
    except Exception as error:  # a parser of foreign files: anything may come
        raise _refused(name, tr("its paths cannot be understood")) from error
    if len(shapes) > MOST_SHAPES:
        raise _refused(
            name,
            tr(
                "it holds {shapes} shapes; {most_shapes} are the most",
                shapes=len(shapes),
                most_shapes=MOST_SHAPES,
            ),
        )
    ops: list[Op] = []
    for shape in shapes:
        if shape.values.get("visibility") == "hidden" or shape.values.get("display") == "none":
            continue
        try:
            path = abs(svgelements.Path(shape))
            path.approximate_arcs_with_cubics()
        except Exception as error:
            raise _refused(name, tr("its paths cannot be understood")) from error
        ops += _closed(path, svgelements)
        if len(ops) > MOST_SEGMENTS:
            raise _refused(
                name,
                tr("its outline has more than {most_segments} steps", most_segments=MOST_SEGMENTS),
            )
    if not ops:
        raise _refused(name, tr("it holds no closed path"))
    return ops


def _closed(path, svgelements) -> list[Op]:
    """Contours of a path that are closed, or end where they began."""
    ops: list[Op] = []
    contour: list[Op] = []
    start = end = None

    def finish(closed: bool) -> None:
        nonlocal contour
        meets = start is not None and end is not None and abs(end - start) < 1e-6
        if len(contour) > 2 and (closed or meets):
            ops.extend([*contour, ("Z",)])
        contour = []

    for part in path:
        if isinstance(part, svgelements.Move):
            finish(False)
            start = end = part.end
            contour = [("M", part.end.x, part.end.y)]
            continue
        if isinstance(part, svgelements.Close):
            finish(True)
            if start is not None:
                contour = [("M", start.x, start.y)]
            continue
        if isinstance(part, svgelements.CubicBezier):
            contour.append(("C", part.control1.x, part.control1.y, part.control2.x,
                            part.control2.y, part.end.x, part.end.y))  # fmt: skip
        elif isinstance(part, svgelements.QuadraticBezier):
            a, c, b = part.start, part.control, part.end
            contour.append(
                ("C", a.x + (c.x - a.x) * 2 / 3, a.y + (c.y - a.y) * 2 / 3,
                 b.x + (c.x - b.x) * 2 / 3, b.y + (c.y - b.y) * 2 / 3, b.x, b.y)
            )  # fmt: skip
        else:
            contour.append(("L", part.end.x, part.end.y))
        end = part.end
    finish(False)
    return ops


def _fitted(ops: list[Op], name: str) -> str:
    """Path data in a square from 0 to 1, centred, proportions kept."""
    numbers = [value for op in ops for value in op[1:]]
    if not all(math.isfinite(value) and abs(value) < 1e9 for value in numbers):
        raise _refused(name, tr("its coordinates are not possible"))
    left, top, right, bottom = Path(tuple(ops)).bounds()
    side = max(right - left, bottom - top)
    if side <= 0 or min(right - left, bottom - top) < side * 1e-3:
        raise _refused(name, tr("its outline has no area"))
    path = Path(tuple(ops)).moved(-(left + right) / 2, -(top + bottom) / 2)
    data = to_plain_data(path.moved(scale=1 / side).moved(0.5, 0.5))
    if len(data) > MOST_PATH:
        raise _refused(name, tr("its outline is too long"))
    return data
