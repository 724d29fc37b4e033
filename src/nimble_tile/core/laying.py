"""All that is laid on a piece's code or round it, from the piece's data to items."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nimble_tile.core.caption import lay as captions
from nimble_tile.core.laid import Laid
from nimble_tile.core.laid.items import together
from nimble_tile.core.logo.lay import LaidLogos
from nimble_tile.core.look import Fill, Look
from nimble_tile.core.piece import Piece


def wanted(piece: Piece) -> bool:
    """Whether there is anything to lay."""
    return bool(
        piece.logo.items
        or piece.logo.paint
        or piece.surround.kind != "none"
        or any(caption.text.strip() for caption in piece.caption.items)
    )


def look_of(piece: Piece) -> Look:
    """The look as it is used: on the surround's paper where that is the code's ground, too."""
    frame = piece.surround
    if (
        frame.kind == "none"
        or frame.paper is None
        or not frame.through
        or piece.picture.digest is not None
    ):
        return piece.look
    paper = Fill(colour=frame.paper, second=frame.paper)
    return (
        piece.look
        if piece.look.ground == paper
        else piece.look.model_copy(update={"ground": paper})
    )


def lay(piece: Piece, side: int, logos: LaidLogos, module_mm: float) -> Laid:
    """Lay everything.

    Parameters
    ----------
    piece : Piece
    side : int
        Modules a side of its symbol.
    logos : LaidLogos
        Its logos, laid already.
    module_mm : float
        Millimetres of a module on paper.
    """
    quiet = piece.code.quiet_zone
    total = float(side + 2 * quiet)
    on_picture = piece.picture.digest is not None
    said = captions.lay(piece.caption, piece.surround, side, quiet, module_mm, on_picture)
    under = () if on_picture else said.paper
    over = (*(said.paper if on_picture else ()), *logos.items, *said.over)
    room = together([said.room, (0.0, 0.0, total, total), *(i.bounds for i in logos.items)])
    margin = piece.surround.margin / module_mm if said.room != (0, 0, total, total) else 0.0
    left, top, right, bottom = room
    if on_picture:
        margin = 0.0
    extent = (left - margin, top - margin, right + margin, bottom + margin)
    cleared = logos.cleared if logos.cleared.any() else None
    return Laid(under, over, cleared, extent, said.notes, {**logos.boxes, **said.boxes})


def size_of(extents: Sequence[float]) -> tuple[float, float]:
    """Width and height of bounds."""
    left, top, right, bottom = extents
    return right - left, bottom - top


def no_logos(side: int) -> LaidLogos:
    """No logos on a symbol of this side."""
    return LaidLogos((), np.zeros((side, side), bool), {})
