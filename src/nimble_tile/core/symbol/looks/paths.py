"""Closed paths in module units, and how they are written as SVG path data.

References
----------
SVG 1.1, path data: M, L, H, V, C, A and Z, absolute and relative.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache

from nimble_tile.core.workers.plain import sent

Op = tuple
"""``("M", x, y)``, ``("L", x, y)``, ``("C", x1, y1, x2, y2, x, y)``,
``("A", radius, sweep, x, y)`` (a circular arc of at most half a turn), ``("Z",)``."""

DECIMALS = 3
"""Decimals of path data: a thousandth of a module is nothing to see at any size."""


@sent
@dataclass(frozen=True, eq=False)
class Path:
    """A path that is filled by the non-zero rule unless `even_odd`.

    Attributes
    ----------
    ops : tuple of Op
    even_odd : bool
    """

    ops: tuple[Op, ...]
    even_odd: bool = False

    def moved(
        self, dx: float = 0, dy: float = 0, scale: float = 1, turn: float = 0, flip: bool = False
    ) -> Path:
        """Scaled, mirrored left to right, turned (radians, clockwise) about 0, then moved."""
        cos, sin = math.cos(turn), math.sin(turn)

        def at(x: float, y: float) -> tuple[float, float]:
            x, y = (-x if flip else x) * scale, y * scale
            return x * cos - y * sin + dx, x * sin + y * cos + dy

        out: list[Op] = []
        for op in self.ops:
            kind = op[0]
            if kind == "Z":
                out.append(op)
            elif kind == "A":
                out.append(("A", op[1] * scale, op[2] ^ flip, *at(op[3], op[4])))
            else:
                points = op[1:]
                moved: list[float] = []
                for i in range(0, len(points), 2):
                    moved += at(points[i], points[i + 1])
                out.append((kind, *moved))
        return Path(tuple(out), self.even_odd)

    def bounds(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of all points, control points included."""
        xs, ys = [], []
        for op in self.ops:
            points = op[3:] if op[0] == "A" else op[1:]
            xs += points[0::2]
            ys += points[1::2]
        return (min(xs), min(ys), max(xs), max(ys)) if xs else (0, 0, 0, 0)


def joined(paths: Iterable[Path], even_odd: bool = False) -> Path:
    """All paths as one."""
    return Path(tuple(op for path in paths for op in path.ops), even_odd)


def rectangle(x: float, y: float, width: float, height: float) -> Path:
    """Clockwise from the top left."""
    return Path(
        (("M", x, y), ("L", x + width, y), ("L", x + width, y + height), ("L", x, y + height),
         ("Z",))
    )  # fmt: skip


def rounded(
    x: float, y: float, width: float, height: float, radii: tuple[float, float, float, float]
) -> Path:
    """A rectangle with a radius for each corner: top left, top right, bottom right, bottom left."""
    corners = (
        (x, y, 0, 1, 1, 0), (x + width, y, -1, 0, 0, 1),
        (x + width, y + height, 0, -1, -1, 0), (x, y + height, 1, 0, 0, -1),
    )  # fmt: skip
    most = min(width, height) / 2
    ops: list[Op] = []
    for (cx, cy, inx, iny, outx, outy), radius in zip(corners, radii, strict=True):
        r = min(radius, most)
        start = (cx + inx * r, cy + iny * r)
        ops.append(("L" if ops else "M", *start))
        if r > 0:
            ops.append(("A", r, 1, cx + outx * r, cy + outy * r))
    ops.append(("Z",))
    return Path(tuple(ops))


def circle(cx: float, cy: float, radius: float) -> Path:
    """Clockwise, as four arcs: half circles would bulge when their ends are rounded."""
    r = radius
    return Path(
        (("M", cx - r, cy), ("A", r, 1, cx, cy - r), ("A", r, 1, cx + r, cy),
         ("A", r, 1, cx, cy + r), ("A", r, 1, cx - r, cy), ("Z",))
    )  # fmt: skip


def polygon(points: Iterable[tuple[float, float]]) -> Path:
    """Straight lines from point to point."""
    listed = list(points)
    return Path((("M", *listed[0]), *(("L", *point) for point in listed[1:]), ("Z",)))


def reversed_path(path: Path) -> Path:
    """The same outline the other way round, so that it cuts a hole."""
    contours: list[list[Op]] = []
    for op in path.ops:
        if op[0] == "M":
            contours.append([op])
        elif op[0] != "Z":
            contours[-1].append(op)
    out: list[Op] = []
    for contour in contours:
        points = [op[-2:] for op in contour]
        if points[0] != points[-1]:
            contour = [*contour, ("L", *points[0])]
            points.append(points[0])
        out.append(("M", *points[-1]))
        for i in range(len(contour) - 1, 0, -1):
            op, to = contour[i], points[i - 1]
            if op[0] == "L":
                out.append(("L", *to))
            elif op[0] == "A":
                out.append(("A", op[1], 1 - op[2], *to))
            else:
                out.append(("C", op[3], op[4], op[1], op[2], *to))
        out.append(("Z",))
    return Path(tuple(out), path.even_odd)


@lru_cache(maxsize=8192)
def _text(value: float) -> str:
    text = f"{value:.{DECIMALS}f}".rstrip("0").rstrip(".")
    if text in ("-0", ""):
        return "0"
    return text.replace("0.", ".", 1) if text.startswith(("0.", "-0.")) else text


def _numbers(values: Iterable[float]) -> str:
    """Numbers joined by as few separators as path data needs."""
    out = ""
    for value in values:
        text = _text(value)
        out += text if not out or text.startswith("-") else " " + text
    return out


def path_data(path: Path) -> str:
    """Compact SVG path data in relative coordinates.

    Rounding never adds up: each step starts from where the rounded path
    really is.
    """
    return "".join(_pieces(path.ops))


@lru_cache(maxsize=4096)
def _arc(radius: float, sweep: int, dx: float, dy: float) -> str:
    r, tail = _text(radius), _numbers((dx, dy))
    return f"a{r} {r} 0 0 {sweep}" + ("" if tail[0] == "-" else " ") + tail


def _pieces(ops: Iterable[Op]) -> Iterator[str]:
    x = y = 0.0  # where the written path is
    startx = starty = 0.0
    last = ""
    first = True
    for op in ops:
        kind = op[0]
        if kind == "Z":
            yield "z"
            x, y, last = startx, starty, "z"
            continue
        if kind == "M":
            dx, dy = round(op[1] - x, DECIMALS), round(op[2] - y, DECIMALS)
            yield ("M" if first else "m") + _numbers((dx, dy))
            x, y = x + dx, y + dy
            startx, starty, last, first = x, y, "m", False
            continue
        if kind == "L":
            dx, dy = round(op[1] - x, DECIMALS), round(op[2] - y, DECIMALS)
            if dx == 0 and dy == 0:
                continue
            if dy == 0:
                name, values = "h", (dx,)
            elif dx == 0:
                name, values = "v", (dy,)
            else:
                name, values = "l", (dx, dy)
        elif kind == "A":
            dx, dy = round(op[3] - x, DECIMALS), round(op[4] - y, DECIMALS)
            yield _arc(op[1], op[2], dx, dy)
            x, y, last = x + dx, y + dy, "a"
            continue
        else:
            relative = [
                round(value - (x if i % 2 == 0 else y), DECIMALS) for i, value in enumerate(op[1:])
            ]
            name, values, dx, dy = "c", relative, relative[-2], relative[-1]
        text = _numbers(values)
        if name == last and name in "hvlc":
            yield ("" if text.startswith("-") else " ") + text
        else:
            yield name + text
        x, y, last = x + dx, y + dy, name


_TOKEN = re.compile(r"([MLCZ])|(-?\d+(?:\.\d+)?)")


def from_plain_data(data: str) -> Path:
    """A path from the absolute M, L, C and Z that own shapes are stored as."""
    ops: list[Op] = []
    kind, values = "", []
    need = {"M": 2, "L": 2, "C": 6}

    def flush() -> None:
        if kind in need:
            for i in range(0, len(values) - need[kind] + 1, need[kind]):
                ops.append((kind, *values[i : i + need[kind]]))

    for letter, number in _TOKEN.findall(data):
        if letter:
            flush()
            kind, values = letter, []
            if letter == "Z":
                ops.append(("Z",))
        else:
            values.append(float(number))
    flush()
    return Path(tuple(ops), even_odd=True)


def to_plain_data(path: Path) -> str:
    """The reverse of `from_plain_data`, four decimals."""
    out = []
    for op in path.ops:
        if op[0] == "A":
            raise ValueError("arcs are turned into cubics first")
        out.append(op[0] + " ".join(f"{v:.4f}".rstrip("0").rstrip(".") or "0" for v in op[1:]))
    return "".join(out).replace("-0 ", "0 ")
