"""The whole code as layers of paths with fills."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Literal

import numpy as np

from nimble_tile.core.look import Fill, Look
from nimble_tile.core.relief import Relief
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks import shapes
from nimble_tile.core.symbol.looks.paths import Path, joined, rectangle, rounded
from nimble_tile.core.symbol.looks.trace import fused

LayerRole = Literal["ground", "modules", "outline", "ring", "eye", "picture"]
ModuleRect = tuple[float, float, float, float]
"""x, y, width, height in modules."""

Images = Mapping[str, np.ndarray]
"""Pictures of fills by digest: uint8 H × W × 4, straight alpha."""

STRAY, TURN, SWELL = 0.10, math.radians(16), 0.14
"""What jitter 1 means at most: modules away, radians, parts of the size."""


@dataclass(frozen=True, eq=False)
class Layer:
    """One area with one fill.

    Attributes
    ----------
    role : str
    path : Path
        In modules, from the top left of the quiet zone; of a layer with
        `at`, one stamp round 0.
    fill : Fill
    frame : (float, float, float, float)
        x, y, width, height that gradients, pictures and patterns refer to.
    at : ndarray of float64, m × 2, or None
        Centres of the stamps.
    stroke : float
        Width of a line along the path instead of a filling, in modules.
    """

    role: LayerRole
    path: Path
    fill: Fill
    frame: ModuleRect
    at: np.ndarray | None = None
    stroke: float = 0

    def whole(self) -> Path:
        """The path with all stamps written out."""
        if self.at is None:
            return self.path
        return joined((self.path.moved(x, y) for x, y in self.at), self.path.even_odd)


@dataclass(frozen=True, eq=False)
class Drawing:
    """A code to be drawn.

    Attributes
    ----------
    side : int
        Modules a side, quiet zone included.
    layers : tuple of Layer
        From the bottom to the top.
    relief : Relief
        Effects on modules, rings and eyes.
    """

    side: int
    layers: tuple[Layer, ...]
    relief: Relief = field(default_factory=Relief)


def finder_corners(symbol: Symbol) -> tuple[tuple[int, int], ...]:
    """Top left module (row, column) of each finder pattern."""
    n = symbol.side
    return ((0, 0),) if symbol.micro else ((0, 0), (0, n - 7), (n - 7, 0))


def alignment_middles(symbol: Symbol) -> tuple[tuple[int, int], ...]:
    """Middle module (row, column) of each alignment pattern."""
    n = symbol.side
    centres = tables.alignment_centres(symbol.version)
    return tuple(
        (row, column)
        for row in centres
        for column in centres
        if (row, column) not in ((6, 6), (6, n - 7), (n - 7, 6))
    )


def body(symbol: Symbol, look: Look) -> np.ndarray:
    """Dark modules that are drawn as modules (bool n × n); the rest belongs to patterns."""
    dark = symbol.dark.copy()
    rings = np.maximum(*np.abs(np.indices((7, 7)) - 3))
    for at, (row, column) in enumerate(finder_corners(symbol)):
        own, here = dark[row : row + 7, column : column + 7], look.at_finder(at)
        if here.ring != "modules":
            own[rings == 3] = False
        if here.eye != "modules" or here.ring == "picture":
            own[rings <= 1] = False
    if look.alignment != "modules":
        dark[symbol.anatomy.parts == Part.ALIGNMENT] = False
    return dark


MOSTLY = 0.5
"""Share of a finder or alignment pattern that is taken away from which it is not drawn."""


def drawing(
    symbol: Symbol, look: Look, quiet_zone: int, cleared: np.ndarray | None = None
) -> Drawing:
    """Draw a symbol with a look.

    Parameters
    ----------
    symbol : Symbol
    look : Look
    quiet_zone : int
        Modules of margin.
    cleared : ndarray of bool, n × n, optional
        Modules that are taken away, for a logo.

    Returns
    -------
    Drawing
    """
    n, q = symbol.side, quiet_zone
    gone = None if cleared is None or not cleared.any() else np.ascontiguousarray(cleared)
    total = n + 2 * q
    frame: ModuleRect = (q, q, n, n)
    layers: list[Layer] = []
    if look.ground is not None:
        layers.append(
            Layer("ground", rectangle(0, 0, total, total), look.ground, (0, 0, total, total))
        )
    bits = None if gone is None else gone.tobytes()
    layers += _painted(_body_path(symbol, look.bare, q, bits), look, frame)
    layers += _finders(symbol, look, q, frame, gone)
    layers += _alignments(symbol, look, q, frame, gone)
    return Drawing(total, tuple(layers), look.relief)


def module_layers(dark: np.ndarray, look: Look) -> list[Layer]:
    """Layers of modules alone (bool n × n), without a quiet zone; for small pictures."""
    side = float(dark.shape[0])
    return _painted(_path_of(dark, look, 0), look, (0, 0, side, side))


Body = tuple[Path, np.ndarray | None] | None
"""A path and, where it is a stamp, its centres; None: there is nothing to draw."""


@lru_cache(maxsize=6)
def _body_path(symbol: Symbol, bare: Look, q: int, cleared: bytes | None) -> Body:
    """The modules' path: what takes time, and what colours do not change."""
    dark = body(symbol, bare)
    if cleared is not None:
        dark &= ~np.frombuffer(cleared, bool).reshape(dark.shape)
    return _path_of(dark, bare, q)


def _stays(cleared: np.ndarray | None, row: int, column: int, side: int) -> bool:
    """Whether enough of a pattern is left for it to be drawn."""
    if cleared is None:
        return True
    return bool(cleared[row : row + side, column : column + side].mean() < MOSTLY)


def _path_of(dark: np.ndarray, look: Look, q: int) -> Body:
    if not dark.any():
        return None
    at = None
    if look.shape == "fused":
        path = fused(dark, look.size, look.round_out, look.round_in).moved(q, q)
    elif look.shape in ("upright", "across"):
        path = _bars(dark, look).moved(q, q)
    elif look.shape == "square" and look.size == 1 and look.jitter == 0:
        path = fused(dark, 1, 0, 0).moved(q, q)  # no seams between neighbours
    else:
        stamp = shapes.module_shape(look).moved(scale=look.size)
        rows, columns = np.nonzero(dark)
        centres = np.stack([columns, rows], 1) + 0.5 + q
        if look.jitter:
            path = _strayed(stamp, centres, dark.shape[0], rows, columns, look)
        else:
            path, at = stamp, centres
    return path, at


def _painted(made: Body, look: Look, frame: ModuleRect) -> list[Layer]:
    """Layers of the modules: their filling, and the line round them."""
    if made is None:
        return []
    path, at = made
    layers = [Layer("modules", path, look.fill, frame, at)]
    if look.outline:
        line = Fill(colour=look.outline_colour)
        layers.append(Layer("outline", path, line, frame, at, stroke=look.outline))
    return layers


def _chances(look: Look, count: int) -> np.ndarray:
    """Random numbers from -1 to 1 (count × 4) that depend on each module alone."""
    return np.random.default_rng(look.seed).uniform(-1, 1, (count, 4))


def _strayed(
    stamp: Path, centres: np.ndarray, n: int, rows: np.ndarray, columns: np.ndarray, look: Look
) -> Path:
    chance = _chances(look, 177 * 177)[rows * 177 + columns] * look.jitter
    return joined(
        (
            stamp.moved(scale=1 + SWELL * c[2], turn=TURN * c[3]).moved(
                x + STRAY * c[0], y + STRAY * c[1]
            )
            for (x, y), c in zip(centres, chance, strict=True)
        ),
        stamp.even_odd,
    )


def _bars(dark: np.ndarray, look: Look) -> Path:
    """Runs of dark modules as bars with round ends."""
    across = look.shape == "across"
    lines = dark if across else dark.T
    thick = look.size
    still = np.zeros(4)
    chances = _chances(look, 177 * 177) * look.jitter if look.jitter else None
    made = []
    for line, row in enumerate(lines):
        edges = np.flatnonzero(np.diff(np.pad(row.astype(np.int8), 1)))
        for start, end in edges.reshape(-1, 2):
            chance = still if chances is None else chances[line * 177 + start]
            width = thick * (1 + SWELL * min(0, chance[2]))
            middle = line + 0.5 + STRAY * chance[0]
            short = (1 - min(1, thick)) / 2
            low, high = start + short, end - short
            radii = (width / 2,) * 4
            if across:
                made.append(rounded(low, middle - width / 2, high - low, width, radii))
            else:
                made.append(rounded(middle - width / 2, low, width, high - low, radii))
    return joined(made)


def _finders(
    symbol: Symbol, look: Look, q: int, frame: ModuleRect, cleared: np.ndarray | None
) -> list[Layer]:
    layers = []
    rings, eyes = [], []
    for at, (row, column) in enumerate(finder_corners(symbol)):
        if not _stays(cleared, row, column, 7):
            continue
        x, y = column + 3.5 + q, row + 3.5 + q
        if look.ring == "picture":
            fill = Fill(kind="picture", digest=look.finder_picture)
            box = (x - 3.5, y - 3.5, 7, 7)
            layers.append(Layer("picture", rectangle(*box), fill, box))
            continue
        here, (ring, eye) = look.at_finder(at), finder_shapes(look, at)
        if here.ring != "modules":
            rings.append((ring.moved(x, y), here.ring_fill, (x, y)))
        if here.eye != "modules":
            eyes.append((eye.moved(x, y), here.eye_fill, (x, y)))
    for role, made, half in (("ring", rings, 3.5), ("eye", eyes, 1.5)):
        together: dict[tuple, list[Path]] = {}
        for path, fill, (x, y) in made:
            if fill is None or fill.kind == "solid":
                together.setdefault((fill or look.fill, path.even_odd), []).append(path)
            else:  # a fill of its own fills each finder from side to side
                box = (x - half, y - half, 2 * half, 2 * half)
                layers.append(Layer(role, path, fill, box))
        for (fill, even_odd), paths in together.items():
            layers.append(Layer(role, joined(paths, even_odd), fill, frame))
    return layers


def finder_shapes(look: Look, at: int) -> tuple[Path, Path]:
    """Ring and eye of one finder round its middle, turned as they are in that corner.

    Parameters
    ----------
    look : Look
    at : int
        0 to 2, in the order of `finder_corners`.
    """
    here, turn = look.at_finder(at), (0, math.pi / 2, -math.pi / 2)[at]
    ring = shapes.ring_shape(here).moved(turn=0 if here.ring == "own" else turn)
    still = here.eye in ("own", "diamond", "star")
    return ring, shapes.eye_shape(here).moved(turn=0 if still else turn)


def _alignments(
    symbol: Symbol, look: Look, q: int, frame: ModuleRect, cleared: np.ndarray | None
) -> list[Layer]:
    middles = [at for at in alignment_middles(symbol) if _stays(cleared, at[0] - 2, at[1] - 2, 5)]
    if look.alignment == "modules" or not middles:
        return []
    follows = look.alignment == "follow"
    known = look.model_copy(
        update={
            "ring": look.ring if follows and look.ring not in ("modules", "picture") else "square",
            "eye": look.eye if follows and look.eye != "modules" else "square",
        }
    )
    ring, eye = shapes.ring_shape(known, 2.5, 1), shapes.eye_shape(known, 0.5)
    at = [(column + 0.5 + q, row + 0.5 + q) for row, column in middles]
    ring_fill = look.ring_fill if follows and look.ring_fill is not None else look.fill
    eye_fill = look.eye_fill if follows and look.eye_fill is not None else look.fill
    return [
        Layer("ring", joined([ring.moved(x, y) for x, y in at], ring.even_odd), ring_fill, frame),
        Layer("eye", joined([eye.moved(x, y) for x, y in at], eye.even_odd), eye_fill, frame),
    ]
