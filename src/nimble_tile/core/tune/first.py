"""The first sight of a picture: crisp marks at a good place, before any reader was asked."""

from __future__ import annotations

from functools import cache
from io import BytesIO
from typing import TYPE_CHECKING

from nimble_tile.core.errors import UserError
from nimble_tile.core.piece import Blend, Piece, Region

if TYPE_CHECKING:
    from nimble_tile.core.render import Renderer

STRENGTH = 0.5
"""Strength of the marks: straight on, all four readers read twenty of twenty-one photographs and
drawings (three of four the last, a lawn), while the picture stays clear."""


def untouched(piece: Piece) -> bool:
    """Whether nobody has said yet how code and picture become one: there was no picture, and all
    of the blend is as in a new piece. A piece that has a picture is meant to look as it does."""
    return piece.picture.digest is None and piece.blend == Blend()


def with_marks(piece: Piece, strength: float | None = None) -> Piece:
    """The piece with marks, and with the symbol that needs fewest of them.

    Parameters
    ----------
    piece : Piece
    strength : float, optional
        0 to 1; else `STRENGTH`.
    """
    own = STRENGTH if strength is None else strength
    blend = piece.blend.turned("gentle").model_copy(update={"strength": own})
    made = piece.model_copy(update={"blend": blend})
    # Micro symbols have no bits to spare.
    free = piece.code.steer == "off" and not piece.code.version.lower().startswith("m")
    return made.edited("code", steer="padding") if free else made


def prepare() -> None:
    """Get ready for the first picture, which would else take twice as long: a worker that
    decodes, tables of colours, the detector of faces, all that a first guess needs."""
    from nimble_tile.core.foreign import decoders

    decoders.warm()
    _rehearse()


@cache
def _rehearse() -> None:
    """Make a first guess on a small picture, once in a process."""
    import numpy as np
    from PIL import Image

    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.piece import Message, Picture
    from nimble_tile.core.render import Renderer

    shades = np.linspace(60, 200, 96 * 96 * 3).astype(np.uint8).reshape(96, 96, 3)
    file, pictures = BytesIO(), PictureStore()
    Image.fromarray(shades).save(file, "PNG")
    picture = Picture(digest=pictures.add(file.getvalue(), "shades"))
    piece, renderer = with_marks(Piece(message=Message(text="reed"))), Renderer(pictures)
    piece = piece.model_copy(update={"picture": picture})
    place_for(piece, renderer)
    renderer.render(piece, 96)


def place_for(piece: Piece, renderer: Renderer) -> Region | None:
    """Where its code goes on a picture that has just come: see
    `nimble_tile.core.places.placed`; None: in its middle.

    Takes some tenths of a second for four megapixels.
    """
    from nimble_tile.core.places import placed

    try:
        return placed(piece, renderer).picture.region
    except UserError:  # there is no message yet, or none that fits in a code
        return None
