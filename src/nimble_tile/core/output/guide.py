"""Guide: the code as a control picture for a picture generator."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from nimble_tile.core.errors import OutputError, UserError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.look import rgb
from nimble_tile.core.output.raster import save_png
from nimble_tile.core.piece import Finish
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol

LEAST_SIDE, MOST_SIDE = 256, 4096

PREVIEW = 512
"""Longer side, in pixels, of a guide that is only looked at."""

LEAST_MODULE = 6
"""Pixels of a module below which generators that work at an eighth of the picture's size, as is
common practice, hardly see it."""

GREY_GROUND = "#808080"
"""Neither dark nor light: outside the code nothing is asked for."""


@dataclass(frozen=True)
class GuideWish:
    """How a guide is drawn.

    Attributes
    ----------
    width, height : int
        Pixels.
    share : float
        Side of the code, quiet zone included, in parts of the shorter side, 0.3 to 1.
    quiet_zone : int
        Modules, 0 to 8.
    ground : str
        Colour outside the code, ``#rrggbb``.
    dark, light : str
        Colours of the modules.
    softness : float
        Standard deviation of soft edges in modules, 0 (hard) to 0.6.
    """

    width: int = 1024
    height: int = 1024
    share: float = 0.85
    quiet_zone: int = tables.QUIET_ZONE
    ground: str = GREY_GROUND
    dark: str = "#000000"
    light: str = "#ffffff"
    softness: float = 0.0

    def __post_init__(self) -> None:
        if not all(LEAST_SIDE <= side <= MOST_SIDE for side in (self.width, self.height)):
            raise UserError(
                tr(
                    "A guide has {least_side} to {most_side} pixels a side.",
                    least_side=LEAST_SIDE,
                    most_side=MOST_SIDE,
                )
            )
        if not 0.3 <= self.share <= 1:
            raise UserError(tr("The code takes 0.3 to 1 of the guide\u2019s shorter side."))
        if not 0 <= self.quiet_zone <= 8:
            raise UserError(tr("A guide has 0 to 8 modules of quiet zone."))
        if not 0 <= self.softness <= 0.6:
            raise UserError(tr("Soft edges go from 0 to 0.6 modules."))


def module_pixels(symbol: Symbol, wish: GuideWish) -> int:
    """Whole pixels of a module on the guide; 0 where there is no room."""
    room = wish.share * min(wish.width, wish.height)
    return int(room // (symbol.side + 2 * wish.quiet_zone))


def checked(symbol: Symbol, wish: GuideWish) -> int:
    """Pixels of a module; `UserError` where the guide is too small for the code."""
    module = module_pixels(symbol, wish)
    if module < 2:
        raise UserError(tr("The guide is too small for this code."), tr("Make it larger."))
    return module


def smaller(wish: GuideWish) -> GuideWish:
    """The same guide in few pixels, to be looked at."""
    sides = wish.width, wish.height
    scale = max(PREVIEW / max(sides), LEAST_SIDE / min(sides))
    if scale >= 1:
        return wish
    width, height = (max(LEAST_SIDE, round(side * scale)) for side in sides)
    return replace(wish, width=width, height=height)


def guide_picture(symbol: Symbol, wish: GuideWish) -> np.ndarray:
    """The guide (uint8 H × W × 3 sRGB), the code in its middle, modules on whole pixels.

    Raises
    ------
    UserError
        The guide is too small for the code.
    """
    import cv2

    module = checked(symbol, wish)
    side = module * (symbol.side + 2 * wish.quiet_zone)
    drawn = plain_code(symbol, wish.quiet_zone, side)[..., :1].astype(np.float32) / 255
    if wish.softness:
        drawn = cv2.GaussianBlur(drawn, (0, 0), wish.softness * module)[..., None]
    dark, light, ground = (
        np.array(rgb(colour), np.float32) for colour in (wish.dark, wish.light, wish.ground)
    )
    image = np.empty((wish.height, wish.width, 3), np.uint8)
    image[:] = ground
    top, left = (wish.height - side) // 2, (wish.width - side) // 2
    code = dark + drawn * (light - dark)
    image[top : top + side, left : left + side] = np.rint(code)
    return image


def advice(symbol: Symbol, wish: GuideWish) -> list[str]:
    """What is better done otherwise, and why, in sentences."""
    told = []
    if symbol.level != "H":
        told.append(
            tr(
                "Level {level}: a generator spoils modules everywhere. Level H "
                "corrects the most of them; take it unless the code becomes too dense.",
                level=symbol.level,
            )
        )
    if wish.quiet_zone < tables.QUIET_ZONE:
        told.append(
            tr(
                "{quiet_zone} modules of quiet zone: readers want {quiet_zone2}, and "
                "what a generator paints there is seldom light by itself.",
                quiet_zone=wish.quiet_zone,
                quiet_zone2=tables.QUIET_ZONE,
            )
        )
    module = module_pixels(symbol, wish)
    if module < LEAST_MODULE:
        told.append(
            tr(
                "{module} pixels a module: generators lose what is finer than about "
                "{least_module}. Make the guide larger or the message shorter.",
                module=module,
                least_module=LEAST_MODULE,
            )
        )
    if wish.softness > 0.35:
        told.append(tr("Very soft modules run together: single ones are lost first."))
    tones = [np.dot(rgb(colour), (0.299, 0.587, 0.114)) for colour in (wish.dark, wish.light)]
    if tones[1] - tones[0] < 128:
        told.append(
            tr("Dark and light are near each other: most generators read a guide by its tones.")
        )
    return told


def write_guide(symbol: Symbol, wish: GuideWish, path: Path) -> None:
    """Write a guide as PNG.

    Raises
    ------
    UserError
        The guide is too small for the code, or the file cannot be written.
    """
    image = guide_picture(symbol, wish)
    write_atomically(path, lambda file: save_png(image, file, Finish()), OutputError, "write")
