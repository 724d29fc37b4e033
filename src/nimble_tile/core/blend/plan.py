"""What a blend method works on: one square of picture and the symbol on it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any

import numpy as np

from nimble_tile.core.blend.colour import Colours
from nimble_tile.core.look import Look
from nimble_tile.core.memory import Memory
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol

QUIET = 255
"""Value in `Plan.parts` for modules of the quiet zone."""


class Plan:
    """The code's square before blending.

    Parameters
    ----------
    square : ndarray of uint8, S × S × 3 sRGB
        The picture under the code.
    symbol : Symbol
    quiet_zone : int
        Modules of margin on each side.
    look : Look
        How the code itself looks.
    images : mapping of str to ndarray
        Pictures that the look's fills need.
    guard : ndarray of float32, N × N, optional
        0 to 1: where the picture must stay, on the grid of modules.
    fades : bool
        Whether the quiet zone fades into the picture at its outer edge; not where paper
        lies round it.
    factors : ndarray of float32, N × N, optional
        Strength of each module in parts of what it would be, 0 to 2.
    quick : bool
        The result is looked at for a moment only: a search may end early.
    weaving : callable, optional
        Gives how the square is woven; else it is woven of itself.

    Attributes
    ----------
    once : callable
        ``(name, key, make)``: what `make` gives, remembered for the last two keys.

    Notes
    -----
    Everything derived is computed once and kept, so that moving a slider
    recomputes only what depends on it.
    """

    def __init__(
        self,
        square: np.ndarray,
        symbol: Symbol,
        quiet_zone: int,
        look: Look | None = None,
        images: Mapping[str, np.ndarray] | None = None,
        guard: np.ndarray | None = None,
        fades: bool = True,
        factors: np.ndarray | None = None,
        quick: bool = False,
        weaving: Callable[[], Any] | None = None,
    ) -> None:
        self.square = square
        self.symbol = symbol
        self.quiet_zone = quiet_zone
        self.look = look or Look()
        self.images = images or {}
        self.guard = guard
        self.fades = fades
        self.factors = factors
        self.quick = quick
        self.weaving = weaving
        self.once = Memory(2).recall

    @property
    def modules(self) -> int:
        """Modules along a side, quiet zone included."""
        return self.symbol.side + 2 * self.quiet_zone

    @property
    def side(self) -> int:
        """Pixels along a side."""
        return self.square.shape[0]

    @cached_property
    def dark(self) -> np.ndarray:
        """Bool N × N: dark modules, quiet zone included."""
        return np.pad(self.symbol.dark, self.quiet_zone)

    @cached_property
    def parts(self) -> np.ndarray:
        """Uint8 N × N: `Part` of each module, `QUIET` in the quiet zone."""
        return np.pad(self.symbol.anatomy.parts, self.quiet_zone, constant_values=QUIET)

    @cached_property
    def function(self) -> np.ndarray:
        """Bool N × N: finder, separator and alignment modules, which readers look for first."""
        return np.isin(self.parts, (Part.FINDER, Part.SEPARATOR, Part.ALIGNMENT))

    @cached_property
    def quiet(self) -> np.ndarray:
        """Bool N × N: modules of the quiet zone."""
        return self.parts == QUIET

    @cached_property
    def colours(self) -> Colours:
        """The square's colours as `nimble_tile.core.blend.colour.move_luma` needs them."""
        return Colours(self.square)

    @cached_property
    def luma(self) -> np.ndarray:
        """Uint8 S × S: luma of the square (ITU-R BT.601 weights)."""
        import cv2

        return cv2.cvtColor(self.square, cv2.COLOR_RGB2GRAY)

    @cached_property
    def module_luma(self) -> np.ndarray:
        """Float32 N × N, 0 to 1: mean luma of each module."""
        import cv2

        size = (self.modules, self.modules)
        fine = self.luma.astype(np.float32) * np.float32(1 / 255)
        return cv2.resize(fine, size, interpolation=cv2.INTER_AREA)

    @cached_property
    def coverage(self) -> np.ndarray:
        """Float32 S × S, 0 to 1: share of each pixel that dark modules cover."""
        return pixel_shares(self.dark, self.side)

    @cached_property
    def ink(self) -> np.ndarray:
        """Uint8 S × S × 4: the code as it looks, straight alpha, without the picture."""
        from nimble_tile.core.symbol.looks import drawing
        from nimble_tile.core.symbol.looks.paint import raster

        return raster(drawing(self.symbol, self.look, self.quiet_zone), self.side, self.images)

    def shape_cells(self, grain: int) -> np.ndarray | None:
        """Where the look's shapes are dark (bool, `grain` cells a module).

        None when the shapes are the modules' own squares.
        """
        if self.look.plain_shapes:
            return None
        if self._cells is None or self._cells[0] != grain:
            self._cells = (grain, self._shapes(self.modules * grain) > 127)
        return self._cells[1]

    _cells: tuple[int, np.ndarray] | None = None

    def _shapes(self, side: int) -> np.ndarray:
        """What the look's dark shapes cover (uint8 side × side, 0 to 255)."""
        from nimble_tile.core.symbol.looks import drawing
        from nimble_tile.core.symbol.looks.paint import raster

        bare = self.look.bare
        if bare.ring == "picture":  # no tone can be measured there
            bare = bare.model_copy(update={"ring": "square"})
        return raster(drawing(self.symbol, bare, self.quiet_zone), side)[..., 3]

    @cached_property
    def covered(self) -> np.ndarray:
        """Float32 S × S, 0 to 1: share of each pixel that the look's dark shapes cover."""
        if self.look.plain_shapes:
            return self.coverage
        return self._shapes(self.side) * np.float32(1 / 255)

    def edges(self) -> np.ndarray:
        """Pixel boundaries of the modules, float64 N + 1."""
        return np.arange(self.modules + 1) * (self.side / self.modules)

    def offsets(self) -> np.ndarray:
        """Float32 S: distance of each pixel's middle from its module's, -0.5 to 0.5 modules."""
        at = (np.arange(self.side) + 0.5) * (self.modules / self.side)
        return (at - np.floor(at) - 0.5).astype(np.float32)

    def on_pixels(self, grid: np.ndarray, smooth: bool = False) -> np.ndarray:
        """A grid of modules (N × N, float or uint8) at the square's pixels.

        Module edges on pixels by area where they fall between two, or a
        smooth field between the modules' middles.
        """
        import cv2

        size = (self.side, self.side)
        if smooth:
            return cv2.resize(grid, size, interpolation=cv2.INTER_LINEAR)
        if self.side % self.modules == 0:
            return cv2.resize(grid, size, interpolation=cv2.INTER_NEAREST)
        finer = max(2, round(4 * self.side / self.modules / 8))
        fine = cv2.resize(grid, (self.modules * finer,) * 2, interpolation=cv2.INTER_NEAREST)
        return cv2.resize(fine, size, interpolation=cv2.INTER_LINEAR)


def pixel_shares(dark: np.ndarray, side: int) -> np.ndarray:
    """Share of each pixel that dark modules cover, edges exact.

    Parameters
    ----------
    dark : ndarray of bool, N × N
    side : int
        Pixels a side of the result.

    Returns
    -------
    ndarray of float32, side × side
    """
    n = dark.shape[0]
    edges = np.arange(side + 1) * (n / side)

    def weights() -> np.ndarray:
        """Share of pixel i (rows) that lies in module j (columns)."""
        low = np.maximum(edges[:-1, None], np.arange(n))
        high = np.minimum(edges[1:, None], np.arange(1, n + 1))
        return np.clip(high - low, 0, None).astype(np.float32) * (side / n)

    share = weights()
    return share @ dark.astype(np.float32) @ share.T
