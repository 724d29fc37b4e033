"""What is looked at in a trial: an image and where the code lies on it."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from nimble_tile.core.picture.warping import mapped, matrix_to
from nimble_tile.core.rendering import Rendering, plain_code
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol

TWIN_MODULE = 10
"""Pixels a module of the plain twin."""

TWIN_MARGIN = 12
"""Modules of white round the plain twin: its quiet zone, and paper beyond."""


@dataclass(frozen=True, eq=False)
class Subject:
    """An image with a code on it.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    quad : ndarray of float64, 4 × 2
        Corners of the symbol without its quiet zone: top left, top right,
        bottom right, bottom left.
    symbol : Symbol
        What stands there.
    expected : str
        What a reader should read.
    own_size : float or None
        Side of the symbol on paper in mm, where it is known.
    plain : bool
        Whether this is a plain twin.
    """

    image: np.ndarray
    quad: np.ndarray
    symbol: Symbol
    expected: str
    own_size: float | None = None
    plain: bool = False

    @cached_property
    def digest(self) -> str:
        """Names the image's content, the code's place and the expected text."""
        found = hashlib.blake2b(np.ascontiguousarray(self.image), digest_size=20)
        for part in (self.image.shape, np.round(self.quad, 3).tolist(), self.expected,
                     self.symbol.version, self.symbol.level, self.symbol.mask):  # fmt: skip
            found.update(repr(part).encode("utf-8", "surrogatepass"))
        return found.hexdigest()

    @property
    def edge(self) -> float:
        """Mean edge of the symbol in pixels of the image."""
        return float(np.hypot(*(np.roll(self.quad, -1, axis=0) - self.quad).T).mean())

    @property
    def matrix(self) -> np.ndarray:
        """From modules, counted from the symbol's corner, to pixels (3 × 3)."""
        return matrix_to(self.quad, self.symbol.side)

    @cached_property
    def twin(self) -> Subject:
        """The plain twin: the same symbol, black on white, upright on white paper."""
        if self.plain:
            return self
        return plain_twin(self.symbol, self.expected, self.own_size)


def plain_twin(symbol: Symbol, expected: str, own_size: float | None = None) -> Subject:
    """A symbol in black on white by itself, nothing spent; see `Subject.twin`."""
    if symbol.spent is not None:
        symbol = replace(symbol, dark=symbol.dark ^ symbol.spent, spent=None)
    side = (symbol.side + 2 * TWIN_MARGIN) * TWIN_MODULE
    image = plain_code(symbol, TWIN_MARGIN, side)
    low, high = TWIN_MARGIN * TWIN_MODULE, (TWIN_MARGIN + symbol.side) * TWIN_MODULE
    quad = np.array([[low, low], [high, low], [high, high], [low, high]], float)
    return Subject(image, quad, symbol, expected, own_size, plain=True)


def subject_of(rendering: Rendering, dpi: float | None = None, full: int = 0) -> Subject:
    """A rendering as the subject of trials.

    Parameters
    ----------
    rendering : Rendering
    dpi : float, optional
        Pixels an inch on paper of the finished image.
    full : int
        Longer side of the finished image in pixels, where the rendering is a
        smaller preview of it.
    """
    quiet, side = rendering.quiet_zone, rendering.symbol.side
    square = quiet + np.array([[0, 0], [side, 0], [side, side], [0, side]], float)
    quad = mapped(rendering.matrix, square)
    found = Subject(rendering.image, quad, rendering.symbol, rendering.symbol.text)
    if dpi is None:
        return found
    scale = (full or max(rendering.size)) / max(rendering.size)
    size = found.edge * scale / dpi * 25.4
    return Subject(found.image, quad, found.symbol, found.expected, size)


def quiet_modules(symbol: Symbol) -> int:
    """Quiet zone that the standard asks for, in modules."""
    return tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
