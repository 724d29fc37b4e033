"""The frame that is drawn round code and captions: its outline, and what it needs of room.

Six shapes of our own. None of them reaches into the quiet zone: they are drawn round a
box that holds it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from nimble_tile.core.additions import Surround
from nimble_tile.core.laid.items import Bounds, Item, Shape
from nimble_tile.core.symbol.looks.paths import (
    Path,
    circle,
    joined,
    polygon,
    rectangle,
    rounded,
)

NOTCH = 0.045
"""Radius of a ticket's notches in parts of its shorter side."""

HOLE = 0.05
"""Radius of a tag's hole in parts of its width."""

TONGUE = (0.13, 0.10, 0.30)
"""Of a pointer: width and length of its tip in parts of its side, and where it stands."""


@dataclass(frozen=True)
class Lengths:
    """A surround's lengths in modules."""

    gap: float
    margin: float
    line: float
    corner: float

    @classmethod
    def of(cls, surround: Surround, module_mm: float) -> Lengths:
        """From millimetres, where one module has `module_mm` of them."""
        scale = 1 / max(module_mm, 1e-6)
        return cls(
            surround.gap * scale, surround.margin * scale, surround.line * scale,
            surround.corner * scale,
        )  # fmt: skip


def stub_gap(surround: Surround, total: float) -> float:
    """Modules that a ticket's perforation takes between code and captions."""
    return 2.6 * NOTCH * total if surround.kind == "ticket" else 0.0


def head(surround: Surround, width: float) -> float:
    """Modules that a tag's hole takes at its side."""
    return 4.4 * HOLE * width if surround.kind == "tag" else 0.0


def ring_radius(total: float, lengths: Lengths, band: float) -> float:
    """Radius of a ring round a square, with a band for captions, in modules."""
    return total / math.sqrt(2) + lengths.gap + band + lengths.line / 2


def _grown(box: Bounds, by: float) -> Bounds:
    left, top, right, bottom = box
    return left - by, top - by, right + by, bottom + by


def outline(
    surround: Surround, lengths: Lengths, content: Bounds, total: float, band: float
) -> Path:
    """The surround's outline, clockwise.

    Parameters
    ----------
    surround : Surround
    lengths : Lengths
    content : (float, float, float, float)
        What it goes round: code and captions, in modules.
    total : float
        Modules of the code, quiet zone included.
    band : float
        Of a ring: modules for captions.
    """
    kind = surround.kind
    if kind == "ring":
        return circle(total / 2, total / 2, ring_radius(total, lengths, band))
    left, top, right, bottom = _grown(content, lengths.gap + lengths.line / 2)
    width, height = right - left, bottom - top
    if kind == "rule":
        return rectangle(left, top, width, height)
    corner = min(lengths.corner, width / 2, height / 2)
    if kind == "card":
        return rounded(left, top, width, height, (corner,) * 4)
    if kind == "ticket":
        return _ticket(surround, (left, top, right, bottom), corner, total)
    if kind == "tag":
        return _tag(surround, (left, top, right, bottom), corner)
    return _pointer(surround, (left, top, right, bottom), corner)


def _turned(side: str, box: Bounds) -> tuple[Bounds, float]:
    """The box turned so that `side` is at the bottom, and the turn that undoes it."""
    left, top, right, bottom = box
    turn = {"below": 0, "left": math.pi / 2, "above": math.pi, "right": -math.pi / 2}[side]
    width, height = right - left, bottom - top
    if side in ("left", "right"):
        width, height = height, width
    return (-width / 2, -height / 2, width / 2, height / 2), turn


def _back(path: Path, box: Bounds, turn: float) -> Path:
    left, top, right, bottom = box
    return path.moved(turn=turn).moved((left + right) / 2, (top + bottom) / 2)


def perforation(surround: Surround, box: Bounds, total: float) -> float:
    """Row (or column) of a ticket's perforation, in modules from code to stub."""
    left, top, right, bottom = box
    half = stub_gap(surround, total) / 2
    return {
        "below": min(total + half, bottom - half), "above": max(-half, top + half),
        "left": max(-half, left + half), "right": min(total + half, right - half),
    }[surround.side]  # fmt: skip


def _ticket(surround: Surround, box: Bounds, corner: float, total: float) -> Path:
    (x0, y0, x1, y1), turn = _turned(surround.side, box)
    left, top, right, bottom = box
    row = perforation(surround, box, total)
    # Distance from the edge where the stub is to the perforation.
    depth = {
        "below": bottom - row, "above": row - top, "left": row - left, "right": right - row,
    }[surround.side]  # fmt: skip
    y = y1 - depth
    n = NOTCH * total
    c = min(corner, (x1 - x0) / 2 - n, max(depth - n, 0), max(y1 - y0 - depth - n, 0))
    c = max(c, 0.0)
    ops = [
        ("M", x0 + c, y0), ("L", x1 - c, y0), ("A", c, 1, x1, y0 + c), ("L", x1, y - n),
        ("A", n, 0, x1 - n, y), ("A", n, 0, x1, y + n), ("L", x1, y1 - c), ("A", c, 1, x1 - c, y1),
        ("L", x0 + c, y1), ("A", c, 1, x0, y1 - c), ("L", x0, y + n), ("A", n, 0, x0 + n, y),
        ("A", n, 0, x0, y - n), ("L", x0, y0 + c), ("A", c, 1, x0 + c, y0), ("Z",),
    ]  # fmt: skip
    return _back(Path(tuple(op for op in ops if op[0] != "A" or op[1] > 0)), box, turn)


def _tag(surround: Surround, box: Bounds, corner: float) -> Path:
    (x0, y0, x1, y1), turn = _turned(surround.side, box)
    width = x1 - x0
    cut = min(0.22 * width, 4.4 * HOLE * width)
    c = min(corner, width / 4, (y1 - y0) / 4)
    body = Path((
        ("M", x0 + c, y0), ("L", x1 - c, y0), ("A", c, 1, x1, y0 + c), ("L", x1, y1 - cut),
        ("L", x1 - cut, y1), ("L", x0 + cut, y1), ("L", x0, y1 - cut), ("L", x0, y0 + c),
        ("A", c, 1, x0 + c, y0), ("Z",),
    ) if c > 0 else polygon(
        [(x0, y0), (x1, y0), (x1, y1 - cut), (x1 - cut, y1), (x0 + cut, y1), (x0, y1 - cut)]
    ).ops)  # fmt: skip
    hole = circle(0, y1 - 2.2 * HOLE * width, HOLE * width)
    return _back(joined([body, hole], even_odd=True), box, turn)


def _pointer(surround: Surround, box: Bounds, corner: float) -> Path:
    (x0, y0, x1, y1), turn = _turned(surround.side, box)
    width = x1 - x0
    half, length, where = TONGUE[0] * width / 2, TONGUE[1] * width, TONGUE[2]
    x = x0 + where * width
    c = max(0.0, min(corner, (y1 - y0) / 2, where * width - half))
    ops = [
        ("M", x0 + c, y0), ("L", x1 - c, y0), ("A", c, 1, x1, y0 + c), ("L", x1, y1 - c),
        ("A", c, 1, x1 - c, y1), ("L", x + half, y1), ("L", x - half * 0.6, y1 + length),
        ("L", x - half, y1), ("L", x0 + c, y1), ("A", c, 1, x0, y1 - c), ("L", x0, y0 + c),
        ("A", c, 1, x0 + c, y0), ("Z",),
    ]  # fmt: skip
    return _back(Path(tuple(op for op in ops if op[0] != "A" or op[1] > 0)), box, turn)


def shapes(
    surround: Surround, lengths: Lengths, path: Path, total: float, box: Bounds, window: bool
) -> tuple[list[Item], list[Item]]:
    """The surround's paper and lines.

    Parameters
    ----------
    surround : Surround
    lengths : Lengths
    path : Path
        From `outline`.
    total : float
    box : (float, float, float, float)
        Of the outline before a pointer's tip, for a ticket's perforation.
    window : bool
        Whether the paper leaves the code's square open.

    Returns
    -------
    (list of Item, list of Item)
    """
    paper: list[Item] = []
    lines: list[Item] = []
    if surround.paper is not None:
        inside = path
        if window:
            inside = joined([path, rectangle(0, 0, total, total)], even_odd=True)
        paper.append(Shape("paper", 0, inside, surround.paper))
    if lengths.line > 0:
        lines.append(Shape("line", 0, path, None, lengths.line, surround.line_colour))
        if surround.kind == "ticket":
            lines.append(_tear(surround, lengths, box, total))
    return paper, lines


def _tear(surround: Surround, lengths: Lengths, box: Bounds, total: float) -> Shape:
    """A ticket's perforation, from notch to notch."""
    left, top, right, bottom = box
    row = perforation(surround, box, total)
    clear = 1.6 * NOTCH * total
    if surround.side in ("below", "above"):
        ends = ((left + clear, row), (right - clear, row))
    else:
        ends = ((row, top + clear), (row, bottom - clear))
    path = Path((("M", *ends[0]), ("L", *ends[1])))
    width = max(0.7 * lengths.line, 0.1)
    return Shape("line", 0, path, None, width, surround.line_colour, dash=(0.01, 2.4 * width + 0.4))
