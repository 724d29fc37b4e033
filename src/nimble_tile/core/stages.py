"""The first stages of the pipeline: the symbol, and what is laid on it in module units."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any

import numpy as np

from nimble_tile.core import laying
from nimble_tile.core.additions import MOST_LOGOS, Logo
from nimble_tile.core.laid import Laid, Shape
from nimble_tile.core.logo.lay import LaidLogos
from nimble_tile.core.logo.lay import lay as lay_logos
from nimble_tile.core.logo.outlines import outlines
from nimble_tile.core.logo.pixels import prepared as prepared_logo
from nimble_tile.core.picture import framing
from nimble_tile.core.picture.placing import natural_size, region_on, side_of
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import MAX_SIDE, Piece
from nimble_tile.core.symbol.encode import Symbol, encode


class Stages:
    """Remembers each stage's last results; knows a piece's symbol, sizes and laid items.

    One object serves one thread at a time; it locks itself.

    Parameters
    ----------
    pictures : PictureStore
        Where the pieces' pictures are.
    """

    def __init__(self, pictures: PictureStore) -> None:
        self.pictures = pictures
        self._memory: dict[str, list[tuple[Hashable, Any]]] = {}
        self._lock = threading.RLock()

    def _stage(self, name: str, key: Hashable, make: Callable[[], Any], keep: int = 1) -> Any:
        """The stage's result for this key, made if it is not remembered."""
        kept = self._memory.setdefault(name, [])
        for entry in kept:
            if entry[0] == key:
                return entry[1]
        result = make()
        kept.insert(0, (key, result))
        del kept[keep:]
        return result

    def _knows(self, name: str, key: Hashable) -> bool:
        """Whether a stage's result for this key is remembered."""
        return any(entry[0] == key for entry in self._memory.get(name, ()))

    def symbol(self, piece: Piece) -> Symbol:
        """The piece's symbol; raises `MessageError` when there can be none."""
        with self._lock:
            return self._symbol(piece)

    def _symbol(self, piece: Piece) -> Symbol:
        code = piece.code.model_copy(update={"quiet_zone": 0, "keep": 1.0})
        key = (piece.message.text, code)
        return self._stage("symbol", key, lambda: encode(piece.message, code), keep=4)

    def picture_size(self, piece: Piece) -> tuple[int, int] | None:
        """Width and height of the piece's framed picture at the original's resolution."""
        if piece.picture.digest is None:
            return None
        size = self.pictures.about(piece.picture.digest).size
        return framing.framed_size(size, piece.picture.frame)

    def natural_size(self, piece: Piece) -> int:
        """Longer side that suits the piece when none was chosen."""
        if piece.layout.digest is not None:
            return max(self.pictures.about(piece.layout.digest).size)
        with self._lock:
            symbol = self._symbol(piece)
        modules = symbol.side + 2 * piece.code.quiet_zone
        size = self.picture_size(piece)
        if size is not None or not laying.wanted(piece):
            return natural_size(size, piece.picture.region, modules)
        with self._lock:
            laid = self._laid(piece, symbol)
        module = natural_size(None, None, modules) / modules
        return min(MAX_SIDE, round(max(laying.size_of(laid.extent)) * module))

    def module_pixels(self, piece: Piece) -> float:
        """Pixels of a module in the finished piece, where it is not arranged in a layout."""
        with self._lock:
            return self._module_pixels(piece, self._symbol(piece))

    def laid(self, piece: Piece) -> Laid:
        """What is laid on the piece's code or round it; see `render` for errors."""
        with self._lock:
            return self._laid(piece, self._symbol(piece))

    def _module_pixels(self, piece: Piece, symbol: Symbol) -> float:
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

    def _laid(self, piece: Piece, symbol: Symbol) -> Laid:
        if not laying.wanted(piece):
            side = float(symbol.side + 2 * piece.code.quiet_zone)
            return Laid(extent=(0, 0, side, side))
        return self._laid_at(piece, symbol, self._module_pixels(piece, symbol))

    def _laid_at(self, piece: Piece, symbol: Symbol, module: float) -> Laid:
        millimetres = round(module / piece.finish.dpi * 25.4, 4)
        on_picture = piece.picture.digest is not None
        quiet = piece.code.quiet_zone
        key = (piece.logo, piece.caption, piece.surround, symbol.side, quiet, on_picture,
               millimetres)  # fmt: skip
        return self._stage(
            "laid", key,
            lambda: laying.lay(piece, symbol.side, self._logos(piece, symbol.side), millimetres),
            keep=3,
        )  # fmt: skip

    def _logos(self, piece: Piece, side: int) -> LaidLogos:
        logos, quiet = piece.logo, piece.code.quiet_zone
        if not logos.items and logos.paint is None:
            return laying.no_logos(side)

        def lay() -> LaidLogos:
            pixels = [self.logo_pixels(logo) for logo in logos.items]
            paint = None if logos.paint is None else self.pictures.mask(logos.paint)
            shapes = [self._logo_shapes(logo) for logo in logos.items]
            return lay_logos(logos, pixels, paint, side, quiet, shapes)

        return self._stage("logos", (logos, side, quiet), lay, keep=2)

    def logo_pixels(self, logo: Logo) -> np.ndarray:
        """A logo's pixels made ready (uint8 H × W × 4, straight alpha)."""
        key = (logo.digest, logo.crop, logo.ground, logo.tint)
        with self._lock:
            return self._stage(
                "logo", key, lambda: prepared_logo(self.pictures.opened(logo.digest), logo),
                keep=MOST_LOGOS,
            )  # fmt: skip

    def _logo_shapes(self, logo: Logo) -> tuple[Shape, ...]:
        """A logo as plain shapes, where it is an SVG and left as it is; else none."""
        if any(logo.crop) or logo.ground.off or logo.tint is not None:
            return ()
        file = self.pictures.file(logo.digest)
        return self._stage(
            "logo shapes", logo.digest, lambda: outlines(file) or (), keep=MOST_LOGOS
        )
