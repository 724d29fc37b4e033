"""Everything resolved about a piece before anything is painted: symbol, sizes, place, laid items.

All of it is worked out once, at the renderer's door, and handed down in one value.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core import laying
from nimble_tile.core.additions import MOST_LOGOS, Logo
from nimble_tile.core.errors import PictureError
from nimble_tile.core.laid import Laid, Shape
from nimble_tile.core.logo.lay import LaidLogos
from nimble_tile.core.logo.lay import lay as lay_logos
from nimble_tile.core.logo.outlines import outlines
from nimble_tile.core.logo.pixels import prepared as prepared_logo
from nimble_tile.core.memory import Memory
from nimble_tile.core.picture.framing import FramedSizes, framed_size, framed_sizes
from nimble_tile.core.picture.placing import (
    NATURAL,
    Spot,
    natural_size,
    region_on,
    side_of,
    spot,
)
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import MAX_SIDE, Piece
from nimble_tile.core.pixelart import whole_size
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.symbol.steering import Steered


@dataclass(frozen=True, eq=False)
class Brief:
    """A piece with everything resolved that its stages ask for.

    Attributes
    ----------
    piece : Piece
    symbol : Symbol
        Steered where it is to be.
    steered : Steered or None
        How it was steered.
    modules : int
        Modules along the code, quiet zone included.
    quiet_zone : int
    size : int
        Longer side of the output in pixels.
    framed : FramedSizes or None
        Sizes of the picture on its way to the output; None without a picture.
    spot : Spot or None
        Where the code lies on picture and output; None without a picture.
    laid : Laid
        Logos, captions and surround in module units.
    quick : bool
        The result is looked at for a moment only.
    """

    piece: Piece
    symbol: Symbol
    steered: Steered | None
    modules: int
    quiet_zone: int
    size: int
    framed: FramedSizes | None
    spot: Spot | None
    laid: Laid
    quick: bool = False


class Briefing:
    """Resolves pieces; remembers symbols and laid items.

    Parameters
    ----------
    pictures : Lease
    memory : Memory
    """

    def __init__(self, pictures: Lease, memory: Memory) -> None:
        self.pictures, self._memory = pictures, memory

    def symbol(self, piece: Piece) -> Symbol:
        """The piece's symbol before steering; raises `MessageError` when there can be none."""
        code = piece.code.model_copy(update={"quiet_zone": 0, "keep": 1.0})
        key = (piece.message.text, code)
        return self._memory.recall("symbol", key, lambda: encode(piece.message, code), 4)

    def picture_size(self, piece: Piece) -> tuple[int, int] | None:
        """Width and height of the framed picture at the original's resolution."""
        if piece.picture.digest is None:
            return None
        return framed_size(self.pictures.about(piece.picture.digest).size, piece.picture.frame)

    def sizes(self, piece: Piece, size: int) -> FramedSizes | None:
        """Sizes of the picture on its way to an output of this longer side."""
        if piece.picture.digest is None:
            return None
        original = self.pictures.about(piece.picture.digest).size
        return framed_sizes(original, piece.picture.frame, size)

    def located(
        self, piece: Piece, size: int, modules: int
    ) -> tuple[FramedSizes | None, Spot | None]:
        """The picture's sizes for an output of this longer side, and where the code lies.

        Raises
        ------
        PictureError
            The picture is missing, or the code reaches beyond it.
        """
        picture = piece.picture
        if picture.digest is None:
            return None, None
        framed = framed_sizes(self.pictures.about(picture.digest).size, picture.frame, size)
        longer = (piece.finish.size or NATURAL) if picture.whole_pixels else None
        return framed, spot(framed.whole, picture.region, framed.extent, modules, longer)

    def natural_size(self, piece: Piece) -> int:
        """Longer side that suits the piece when none was chosen."""
        if piece.layout.digest is not None:
            return max(self.pictures.about(piece.layout.digest).size)
        symbol = self.symbol(piece)
        modules = symbol.side + 2 * piece.code.quiet_zone
        size = self.picture_size(piece)
        if size is not None or not laying.wanted(piece):
            natural = natural_size(size, piece.picture.region, modules)
            return natural if piece.picture.pixels is None else whole_size(max(size), natural)
        module = natural_size(None, None, modules) / modules
        return min(MAX_SIDE, round(max(laying.size_of(self.laid(piece, symbol).extent)) * module))

    def aspect(self, piece: Piece, symbol: Symbol) -> float:
        """Width of a piece without its layout, in parts of its height."""
        size = self.picture_size(piece) or laying.size_of(self.laid(piece, symbol).extent)
        return size[0] / size[1]

    def module_pixels(self, piece: Piece, symbol: Symbol) -> float:
        """Pixels of a module in the finished piece, where it is not arranged in a layout."""
        modules = symbol.side + 2 * piece.code.quiet_zone
        framed = self.picture_size(piece)
        region = piece.picture.region
        if framed is not None:
            longer = piece.finish.size or natural_size(framed, region, modules)
            return side_of(region_on(framed, region)) * longer / max(framed) / modules
        module = natural_size(None, None, modules) / modules
        if piece.finish.size is None or piece.layout.digest is not None:
            return module
        if not laying.wanted(piece):
            return piece.finish.size / modules
        # Millimetres depend on the module's size, and that on the millimetres round it.
        for _ in range(12):
            laid = self._laid_at(piece, symbol, module)
            better = max(0.5, piece.finish.size / max(laying.size_of(laid.extent)))
            if abs(better - module) < 0.002 * module:
                break
            module = better
        return module

    # What is laid on the code or round it ------------------------------------

    def laid(self, piece: Piece, symbol: Symbol) -> Laid:
        """Logos, captions and surround in module units."""
        if not laying.wanted(piece):
            side = float(symbol.side + 2 * piece.code.quiet_zone)
            return Laid(extent=(0, 0, side, side))
        return self._laid_at(piece, symbol, self.module_pixels(piece, symbol))

    def _laid_at(self, piece: Piece, symbol: Symbol, module: float) -> Laid:
        millimetres = round(module / piece.finish.dpi * 25.4, 4)
        on_picture = piece.picture.digest is not None
        quiet = piece.code.quiet_zone
        key = (piece.logo, piece.caption, piece.surround, symbol.side, quiet, on_picture,
               millimetres)  # fmt: skip

        def lay() -> Laid:
            return laying.lay(piece, symbol.side, self._logos(piece, symbol.side), millimetres)

        return self._memory.recall("laid", key, lay, 3)

    def _logos(self, piece: Piece, side: int) -> LaidLogos:
        logos, quiet = piece.logo, piece.code.quiet_zone
        if not logos.items and logos.paint is None:
            return laying.no_logos(side)

        def lay() -> LaidLogos:
            pixels = [self.logo_pixels(logo) for logo in logos.items]
            paint = None if logos.paint is None else self.pictures.mask(logos.paint)
            shapes = [self._logo_shapes(logo) for logo in logos.items]
            return lay_logos(logos, pixels, paint, side, quiet, shapes)

        return self._memory.recall("logos", (logos, side, quiet), lay, 2)

    def logo_pixels(self, logo: Logo) -> np.ndarray:
        """A logo's pixels made ready (uint8 H × W × 4, straight alpha)."""
        key = (logo.digest, logo.crop, logo.ground, logo.tint)
        return self._memory.recall(
            "logo", key, lambda: prepared_logo(self.pictures.opened(logo.digest), logo), MOST_LOGOS
        )

    def _logo_shapes(self, logo: Logo) -> tuple[Shape, ...]:
        """A logo as plain shapes, where it is an SVG and left as it is; else none."""
        if any(logo.crop) or logo.ground.off or logo.tint is not None:
            return ()
        file = self.pictures.file(logo.digest)

        def trace() -> tuple[Shape, ...]:
            try:
                return outlines(file) or ()
            except PictureError:  # it takes too long to trace; its pixels are used instead
                return ()

        return self._memory.recall("logo shapes", logo.digest, trace, MOST_LOGOS)
