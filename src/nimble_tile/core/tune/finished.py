"""A finished picture that holds a code already becomes a piece.

The code's symbol and place are known, and it is blended at strength 0: the picture is shown as it
came, to the bit, and judged, mended, made stronger or exported as any other piece.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.picture.gestures import fitted, on_quad
from nimble_tile.core.picture.placing import inside
from nimble_tile.core.picture.warping import mapped, matrix_to
from nimble_tile.core.piece import MAX_SIDE, SOFTLY, Blend, Code, Message, Picture, Piece, Region
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol, encode

STRAIGHT = 0.35
"""Pixels by which corners may differ from an upright rectangle's."""


def place_of(
    quad: np.ndarray, side: int, size: tuple[int, int], quiet: int = tables.QUIET_ZONE
) -> tuple[Region, int]:
    """Where a symbol's place lies, with as much quiet zone as the picture has room for.

    Parameters
    ----------
    quad : ndarray of float, 4 × 2
        Corners of the symbol itself on the picture.
    side : int
        Its modules a side.
    size : (int, int)
        Width and height of the picture.
    quiet : int
        Modules of quiet zone that are wanted.

    Returns
    -------
    (Region, int)
        The place, and the modules of quiet zone in it.
    """
    region = None
    for modules in range(quiet, -1, -1):
        low, high = -modules, side + modules
        square = np.array([[low, low], [high, low], [high, high], [low, high]], float)
        region = _upright_or(mapped(matrix_to(np.asarray(quad, float), side), square))
        if inside(region, size):
            return region, modules
    return fitted(region, size), 0


def _upright_or(quad: np.ndarray) -> Region:
    (left, top), (right, bottom) = (quad[[0, 3], 0].mean(), quad[[0, 1], 1].mean()), (
        quad[[1, 2], 0].mean(), quad[[2, 3], 1].mean(),
    )  # fmt: skip
    straight = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
    if np.abs(straight - quad).max() > STRAIGHT:
        return on_quad(quad)
    return Region(
        x=float(left), y=float(top), width=float(right - left), height=float(bottom - top)
    )


def finished_piece(
    base: Piece,
    digest: str,
    name: str,
    size: tuple[int, int],
    symbol: Symbol,
    region: Region | None,
    quiet_zone: int = tables.QUIET_ZONE,
) -> Piece:
    """A piece whose picture holds its code already.

    Parameters
    ----------
    base : Piece
        Its message, and what is laid on the code, are kept; what would draw the code is not.
    digest, name : str
        The finished picture.
    size : (int, int)
        Its width and height: the piece is as large, so that not a pixel changes.
    symbol : Symbol
        What stands there.
    region : Region or None
        Its place on the picture, quiet zone included; None: the picture's middle square.
    quiet_zone : int
        Modules of quiet zone in it.
    """
    message = base.message
    if message.text != symbol.text:
        message = Message(kind="text", text=symbol.text)
    level = "L" if symbol.level == "-" else symbol.level  # M1 has none
    code = Code(
        level=level, version=symbol.version, mask=symbol.mask, raise_level=False,
        quiet_zone=quiet_zone, charset=base.code.charset,
    )  # fmt: skip
    return base.model_copy(
        update={
            "message": message,
            "code": code,
            "picture": Picture(digest=digest, name=name, region=region),
            "blend": Blend(method="gentle", strength=0, marks=SOFTLY),
            "finish": base.finish.in_pixels(min(max(size), MAX_SIDE)),
            "log": (),
        }
    )


def same_symbol(piece: Piece, symbol: Symbol) -> bool:
    """Whether the piece's settings give this very symbol: another encoder may divide the text
    otherwise, and a steered one has other padding."""
    made = encode(piece.message, piece.code)
    return made.dark.shape == symbol.dark.shape and bool((made.dark == symbol.dark).all())
