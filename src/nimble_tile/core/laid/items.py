"""Items that are laid on the code or round it, in module units.

Coordinates start at the top left of the quiet zone, x to the right, y down,
as in `nimble_tile.core.symbol.looks.drawing`.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from nimble_tile.core.symbol.looks.paths import Path
from nimble_tile.core.workers.plain import sent

Role = Literal["paper", "line", "plate", "shadow", "paint", "logo", "caption"]
Bounds = tuple[float, float, float, float]
"""Left, top, right, bottom in modules."""


@sent
@dataclass(frozen=True, eq=False)
class Shape:
    """A path with a colour.

    Attributes
    ----------
    role : str
    owner : int
        Which logo or caption it belongs to, counted from 0; 0 for the surround.
    path : Path
    colour : str or None
        Of the filling, ``#rrggbb``; None: only the line.
    stroke : float
        Width of a line along the path in modules; 0: none.
    stroke_colour : str
    soft : float
        Modules over which the edge fades.
    opacity : float
        0 to 1.
    dash : (float, float) or None
        Lengths of the line's dashes and gaps, in modules.
    round_ends : bool
        Whether an open line ends round.
    """

    role: Role
    owner: int
    path: Path
    colour: str | None
    stroke: float = 0
    stroke_colour: str = "#000000"
    soft: float = 0
    opacity: float = 1
    dash: tuple[float, float] | None = None
    round_ends: bool = False

    @property
    def bounds(self) -> Bounds:
        """A box that contains it."""
        left, top, right, bottom = self.path.bounds()
        more = self.stroke / 2 + self.soft
        return left - more, top - more, right + more, bottom + more


@dataclass(frozen=True, eq=False)
class Stamp:
    """A picture in a place.

    Attributes
    ----------
    role : str
    owner : int
    rgba : ndarray of uint8, H × W × 4
        sRGB with straight alpha.
    middle : (float, float)
    width, height : float
        In modules, before turning.
    angle : float
        Degrees clockwise.
    opacity : float
    shapes : tuple of Shape
        The same as plain shapes in modules, for files that stay sharp; empty: there are none.
    """

    role: Role
    owner: int
    rgba: np.ndarray
    middle: tuple[float, float]
    width: float
    height: float
    angle: float = 0
    opacity: float = 1
    shapes: tuple[Shape, ...] = ()

    @property
    def matrix(self) -> np.ndarray:
        """From the picture's pixels to modules (float64 3 × 3)."""
        rows, columns = self.rgba.shape[:2]
        turn = np.radians(self.angle)
        cos, sin = np.cos(turn), np.sin(turn)
        scale = np.diag([self.width / columns, self.height / rows, 1.0])
        centre = np.array([[1, 0, -self.width / 2], [0, 1, -self.height / 2], [0, 0, 1.0]])
        spin = np.array([[cos, -sin, self.middle[0]], [sin, cos, self.middle[1]], [0, 0, 1]])
        return spin @ centre @ scale

    @property
    def corners(self) -> np.ndarray:
        """Its four corners in modules (4 × 2)."""
        rows, columns = self.rgba.shape[:2]
        points = np.array([[0, 0, 1], [columns, 0, 1], [columns, rows, 1], [0, rows, 1.0]])
        return (points @ self.matrix.T)[:, :2]

    @property
    def bounds(self) -> Bounds:
        """A box that contains it."""
        low, high = self.corners.min(0), self.corners.max(0)
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])


Item = Shape | Stamp


@dataclass(frozen=True, eq=False)
class Laid:
    """All items of a piece.

    Attributes
    ----------
    under : tuple of Item
        Beneath the code, where it stands without a picture: the surround's paper.
    over : tuple of Item
        On top, from the bottom to the top.
    cleared : ndarray of bool, n × n, or None
        Modules that are taken away.
    extent : (float, float, float, float)
        Left, top, right, bottom of the finished image in modules, where the code stands
        without a picture.
    notes : tuple of str
        What is worth knowing of how it was laid, in sentences.
    boxes : dict of (str, int) to (middle, width, height, angle)
        Where each logo and caption lies, for handles: in modules, degrees clockwise.
    """

    under: tuple[Item, ...] = ()
    over: tuple[Item, ...] = ()
    cleared: np.ndarray | None = None
    extent: Bounds = (0, 0, 0, 0)
    notes: tuple[str, ...] = ()
    boxes: dict[tuple[str, int], tuple[tuple[float, float], float, float, float]] = field(
        default_factory=dict
    )

    @property
    def on_code(self) -> list[Item]:
        """Items that may lie on modules: all but the surround's."""
        return [item for item in self.over if item.role not in ("paper", "line")]


def together(bounds: Iterable[Bounds]) -> Bounds | None:
    """What covers all of these; None where there is nothing."""
    listed = list(bounds)
    if not listed:
        return None
    lefts, tops, rights, bottoms = zip(*listed, strict=True)
    return min(lefts), min(tops), max(rights), max(bottoms)
