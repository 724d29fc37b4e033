"""The size at which pieces and finished images are judged: the same in every place.

A verdict and a reach depend a little on the size of the image. So the window, the searches,
sweeps and checks all judge at one size, whatever the size of the file that leaves the house.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from nimble_tile.core.picture.placing import region_on, side_of

if TYPE_CHECKING:
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.render import Renderer

JUDGED = 1024
"""Longer side, in pixels, at which a finished image is judged unless its code is small on it."""

LARGEST_JUDGED = 2048

LEAST_PIXELS = 5
"""Pixels a module that are granted, up to `LARGEST_JUDGED`, so that a small code on a large
picture is judged fairly."""


def fair_size(final: int, modules: int, share: float) -> int:
    """Longer side at which an image is judged.

    Parameters
    ----------
    final : int
        Its own longer side in pixels: it is never enlarged.
    modules : int
        Modules along the code, quiet zone included.
    share : float
        Side of the code, quiet zone included, in parts of the longer side.
    """
    wanted = max(JUDGED, math.ceil(LEAST_PIXELS * modules / max(share, 1e-3)))
    return min(final, wanted, LARGEST_JUDGED)


def judged_size(piece: Piece, renderer: Renderer) -> int:
    """Longer side at which a piece is judged; raises as `Renderer.symbol`."""
    final = piece.finish.size or renderer.natural_size(piece)
    if piece.layout.digest is not None:
        # The place is a part of the layout, and the code a part of the piece.
        return min(final, LARGEST_JUDGED)
    modules = renderer.symbol(piece).side + 2 * piece.code.quiet_zone
    extent = renderer.picture_size(piece)
    if extent is None:
        share = max(modules * renderer.module_pixels(piece) / final, 0.05)
    else:
        share = side_of(region_on(extent, piece.picture.region)) / max(extent)
    return fair_size(final, modules, share)
