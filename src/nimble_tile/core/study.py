"""Everything that is worth knowing of a piece besides its image and verdict.

Density of the message, contrast and finders of the look. Remembered by what
each of them reads, so that a slider of the blend costs nothing here.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from nimble_tile.core.errors import MessageError
from nimble_tile.core.laying import look_of
from nimble_tile.core.message.density import Density, Offer, density, offers
from nimble_tile.core.picture.advice import Advice, advise
from nimble_tile.core.picture.placing import corners
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.contrast import Better, Contrast, better, contrast, views
from nimble_tile.core.scan.finders import Finders, finders
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks import drawing

ADVICE_SIDE = 1024
"""Longer side, in pixels, at which a picture is looked at for advice on places."""


@dataclass(frozen=True, eq=False)
class Study:
    """What is known of a piece.

    Attributes
    ----------
    symbol : Symbol or None
        None where the message does not fit.
    density : Density or None
    offers : tuple of Offer
        Ways to a smaller code, there also where the message does not fit.
    contrast : Contrast or None
    finders : Finders or None
    views : dict of str to ndarray
        The look with each colour vision deficiency; see `contrast.views`.
    masks : dict of int to ndarray of bool, n × n
        The symbol under each mask.
    better : dict of str to tuple of Better
        Colours that would reach each grade A to C.
    """

    symbol: Symbol | None
    density: Density | None
    offers: tuple[Offer, ...]
    contrast: Contrast | None
    finders: Finders | None
    views: dict[str, np.ndarray] = field(default_factory=dict)
    masks: dict[int, np.ndarray] = field(default_factory=dict)
    better: dict[str, tuple[Better, ...]] = field(default_factory=dict)


class Student:
    """Studies pieces with one renderer, and remembers the last results."""

    def __init__(self, renderer: Renderer) -> None:
        self._renderer = renderer
        self._memory: dict[str, tuple[Hashable, Any]] = {}

    def _once(self, name: str, key: Hashable, make: Callable[[], Any]) -> Any:
        known = self._memory.get(name)
        if known is None or known[0] != key:
            known = (key, make())
            self._memory[name] = known
        return known[1]

    def study(self, piece: Piece) -> Study:
        """Study a piece; `PictureError` when a picture of its look is missing."""
        message, code, look = piece.message, piece.code, look_of(piece)
        try:
            symbol = self._renderer.symbol(piece)
        except MessageError:
            ways = () if not message.text else tuple(offers(message, code))
            return Study(None, None, ways, None, None)
        dense = self._once("density", (message, code), lambda: density(message, code, symbol))
        quiet = code.quiet_zone
        images = self._renderer.images(look)
        key = (symbol, look, quiet)
        pair = self._once("contrast", key, lambda: contrast(symbol, look, quiet, images))
        drawn = drawing(symbol, look, quiet)
        found = self._once("finders", key, lambda: finders(symbol, drawn, images))
        seen = self._once("views", key, lambda: views(symbol, look, quiet, images))
        masks = self._once("masks", symbol, lambda: {m: symbol.under(m) for m in symbol.penalties})
        offered = self._once(
            "better", key, lambda: {grade: tuple(better(look, pair, grade)) for grade in "ABC"}
        )
        return Study(symbol, dense, dense.offers, pair, found, seen, masks, offered)


def advise_piece(renderer: Renderer, piece: Piece, canvas: np.ndarray | None = None) -> Advice:
    """Where a piece's code, at its size, would change the picture least.

    Parameters
    ----------
    renderer : Renderer
    piece : Piece
        With a picture.
    canvas : ndarray of uint8, H × W × 3, optional
        Its framed and prepared picture at any size, if there is one already.

    Raises
    ------
    MessageError, PictureError
        As in `Renderer.render`.
    """
    size = renderer.picture_size(piece)
    place = renderer.place(piece)
    quad = np.ptp(corners(place), axis=0)
    side = min(float(quad.max()), *size)
    modules = renderer.symbol(piece).side + 2 * piece.code.quiet_zone
    if canvas is None:
        canvas = renderer.canvas(piece, min(max(size), ADVICE_SIDE))
    guard = renderer.guard(piece, (canvas.shape[1], canvas.shape[0]))
    return advise(canvas, size, side, modules, piece.code.quiet_zone, guard)
