"""Room for frame and captions on a picture."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.errors import PictureError
from nimble_tile.core.language import tr
from nimble_tile.core.picture import warping
from nimble_tile.core.picture.placing import corners, region_on
from nimble_tile.core.piece import Piece, Region
from nimble_tile.core.render import Renderer

SMALLEST_ROOM = 0.05
"""Share of its size to which a code is made smaller at most to make room."""


def with_room(renderer: Renderer, piece: Piece) -> Piece:
    """A piece whose code is so small that frame and captions fit on its picture.

    Parameters
    ----------
    renderer : Renderer
    piece : Piece
        With a picture.

    Raises
    ------
    PictureError
        Even a tiny code would not leave room.
    """
    size = renderer.picture_size(piece)
    region = region_on(size, piece.picture.region)
    middle = np.array([region.x + region.width / 2, region.y + region.height / 2])

    def reach(scaled: Region) -> np.ndarray:
        """What frame and captions cover on the framed picture (4 × 2 bounds)."""
        made = piece.model_copy(
            update={"picture": piece.picture.model_copy(update={"region": scaled})}
        )
        laid = renderer.laid(made)
        modules = renderer.symbol(made).side + 2 * made.code.quiet_zone
        left, top, right, bottom = laid.extent
        corners_of = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
        return warping.mapped(warping.matrix_to(corners(scaled), modules), corners_of)

    share = 1.0
    while share > SMALLEST_ROOM:
        side = np.array([region.width, region.height]) * share
        at = middle - side / 2
        scaled = region.model_copy(
            update={"x": float(at[0]), "y": float(at[1]), "width": float(side[0]),
                    "height": float(side[1])}
        )  # fmt: skip
        around = reach(scaled)
        low, high = around.min(0), around.max(0)
        if (high - low <= size).all():
            # If moving it inwards is enough, it is moved.
            shift = np.clip(low, 0, None) - low + np.minimum(np.array(size) - high, 0)
            moved = scaled.model_copy(
                update={"x": scaled.x + float(shift[0]), "y": scaled.y + float(shift[1])}
            )
            return piece.model_copy(
                update={"picture": piece.picture.model_copy(update={"region": moved})}
            )
        share *= 0.94
    raise PictureError(
        tr("There is no room for this frame on the picture."), tr("Extend the picture.")
    )
