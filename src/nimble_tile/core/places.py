"""Good places for a piece's code on its picture."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.picture.advice import PlaceAdvice, advise
from nimble_tile.core.picture.placing import corners
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer

ADVICE_SIDE = 1024
"""Longer side, in pixels, at which a picture is looked at for advice on places."""


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
