"""Good places for a piece's code on its picture."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.picture.advice import PlaceAdvice, advise
from nimble_tile.core.picture.placing import corners
from nimble_tile.core.piece import Piece, Region
from nimble_tile.core.render import Renderer

ADVICE_SIDE = 1024
"""Longer side, in pixels, at which a picture is looked at for advice on places."""

PLACED_SIDES = (0.72, 0.6, 0.5)
"""Sides of the code, in parts of the picture's shorter side, where a place is proposed for it:
the largest that leaves what the picture is of alone."""

SMALL_MODULE = 6.0
"""Pixels a module of the finished image below which no code is made smaller."""

COVERED = 0.06
"""How much of that a place may cover, see `nimble_tile.core.picture.advice.PlaceAdvice`."""


def advise_piece(renderer: Renderer, piece: Piece, canvas: np.ndarray | None = None) -> PlaceAdvice:
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


def placed(piece: Piece, renderer: Renderer) -> Piece:
    """The piece with a place for its code by the advice on places, where it has none."""
    size = renderer.picture_size(piece)
    if piece.picture.region is not None or size is None:
        return piece
    found: list[tuple[float, Piece]] = []
    modules = renderer.symbol(piece).side + 2 * piece.code.quiet_zone
    module = (piece.finish.size or renderer.natural_size(piece)) / max(size) / modules
    for part in PLACED_SIDES:
        side = part * min(size)
        if found and side * module < SMALL_MODULE:
            break  # what must be that fine holds little
        middle = Region(x=(size[0] - side) / 2, y=(size[1] - side) / 2, width=side, height=side)
        with_side = piece.edited("picture", region=middle)
        advice = advise_piece(renderer, with_side)
        if not advice.best:
            return with_side
        place = with_side.edited("picture", region=advice.best[0])
        if advice.covered[0] <= COVERED:
            return place
        found.append((advice.covered[0], place))
    return min(found, key=lambda each: each[0])[1]
