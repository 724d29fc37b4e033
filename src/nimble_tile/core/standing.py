"""The code without a picture: its square on a ground, with what is laid round it."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.laid import Laid
from nimble_tile.core.laid.paint import Sheet
from nimble_tile.core.look import Look
from nimble_tile.core.look import rgb as rgb_of
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.rendering import frozen, on_white, plain_code
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks import drawing
from nimble_tile.core.symbol.looks.drawing import Images


def ground_of(look: Look) -> str | None:
    """Colour round the code's square; None: transparent."""
    if look.ground is None:
        return None
    return look.ground.colour if look.ground.kind == "solid" else "#ffffff"


def box_on(extent: tuple[float, float, float, float], modules: int, size: int) -> tuple[Box, tuple]:
    """Where the code's square lies on an image, and the image's width and height.

    Parameters
    ----------
    extent : (float, float, float, float)
        Left, top, right, bottom of the image in modules.
    modules : int
        Modules of the square.
    size : int
        Longer side of the image in pixels.
    """
    left, top, right, bottom = extent
    scale = size / max(right - left, bottom - top)
    side = max(1, round(modules * scale))
    width = max(side, round((right - left) * scale))
    height = max(side, round((bottom - top) * scale))
    x = min(max(0, round(-left * scale)), width - side)
    y = min(max(0, round(-top * scale)), height - side)
    return Box(x, y, side, side), (width, height)


def compose(
    symbol: Symbol,
    look: Look,
    quiet_zone: int,
    laid: Laid,
    size: int,
    images: Images,
    ground: str | None,
) -> tuple[np.ndarray, np.ndarray | None, np.ndarray, Box]:
    """Draw the code with what is laid under, on and round it.

    Parameters
    ----------
    symbol : Symbol
    look : Look
    quiet_zone : int
    laid : Laid
    size : int
        Longer side of the image in pixels.
    images : mapping of str to ndarray
        Pictures that the look's fills need.
    ground : str or None
        Colour round everything; None: transparent.

    Returns
    -------
    image : ndarray of uint8, H × W × 3
        On white.
    rgba : ndarray of uint8, H × W × 4, or None
        With straight alpha, unless it is opaque everywhere.
    bare : ndarray of uint8, H × W × 3
        Without what lies on top.
    box : Box
        The code's square.
    """
    from nimble_tile.core.symbol.looks.paint import paint_layers

    modules = symbol.side + 2 * quiet_zone
    box, (width, height) = box_on(laid.extent, modules, size)
    # Without transparency three channels do, which are painted on much sooner.
    colour = (0, 0, 0, 0) if ground is None else rgb_of(ground)
    canvas = np.empty((height, width, len(colour)), np.uint8)
    canvas[...] = colour
    matrix, scale = box.matrix(modules), box.width / modules
    sheet = Sheet(canvas)
    sheet.paint(laid.under, matrix, scale)
    if look.plain:
        sheet.rgba[box.slices][..., :3] = plain_code(symbol, quiet_zone, box.width, laid.cleared)
        sheet.rgba[box.slices][..., 3] = 255
    else:
        drawn = drawing(symbol, look, quiet_zone, laid.cleared)
        sheet.draw(matrix, lambda canvas: paint_layers(canvas, drawn, images))
    bare = sheet.pixels()
    sheet.paint(laid.over, matrix, scale)
    finished = sheet.pixels()
    if ground is not None:
        return frozen(finished), None, frozen(bare), box
    image, rgba = on_white(finished)
    return image, rgba, on_white(bare)[0], box
