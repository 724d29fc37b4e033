"""A small upright copy of a piece on which logos can be tried many times a second."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.additions import Captions, Layout, Logo, Logos
from nimble_tile.core.coverage.hold import Hold, foresee
from nimble_tile.core.laid.items import Item
from nimble_tile.core.laid.paint import painted
from nimble_tile.core.logo.lay import TOUCHED, LaidLogos, lay, under
from nimble_tile.core.picture import warping
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.piece import MAX_SIDE, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.scan.sampling import SAMPLE_CELLS, Sample, cells_of, light_on_dark, sample
from nimble_tile.core.symbol.encode import Symbol


@dataclass(frozen=True, eq=False)
class Tried:
    """The outcome of one try.

    Attributes
    ----------
    hold : Hold
    looked : Sample
    """

    hold: Hold
    looked: Sample

    def keeps(self, spare: float) -> bool:
        """Whether it holds with so much error correction left, 0 to 1."""
        return self.hold.holds and self.looked.corrects and self.looked.spare >= spare


class Scene:
    """A piece's code without what lies on it, upright, a few pixels a module.

    Parameters
    ----------
    renderer : Renderer
    piece : Piece
    """

    def __init__(self, renderer: Renderer, piece: Piece) -> None:
        self.piece = piece
        self.symbol: Symbol = renderer.symbol(piece)
        self.quiet = piece.code.quiet_zone
        self.modules = self.symbol.side + 2 * self.quiet
        self.pixels = renderer.logo_pixels
        bare = bare_piece(piece)
        made = renderer.render(bare, _size_for(renderer, bare, self.modules * SAMPLE_CELLS))
        side = self.modules * SAMPLE_CELLS
        self.base = _square(made, made.image, side)
        empty = made.picture if made.blended else _ground(made)
        self.empty = _square(made, empty, side)
        self.box = Box(0, 0, side, side)
        grey = to_grey(self.base)
        cells = cells_of(grey, self.box, self.modules)
        self.inverted = light_on_dark(cells, self.symbol, self.quiet)
        self.paint = None
        if piece.logo.paint is not None:
            self.paint = renderer.pictures.mask(piece.logo.paint)
        captions = renderer.laid(piece).over
        self.others: tuple[Item, ...] = tuple(i for i in captions if i.role == "caption")

    def lay(self, logos: Logos) -> LaidLogos:
        """Logos laid on this symbol."""
        pixels = [self.pixels(logo) for logo in logos.items]
        return lay(logos, pixels, self.paint, self.symbol.side, self.quiet)

    def image(self, laid: LaidLogos) -> np.ndarray:
        """The square with logos on it (uint8, `SAMPLE_CELLS` pixels a module)."""
        base = self.base
        if laid.cleared.any():
            gone = np.pad(laid.cleared, self.quiet).repeat(SAMPLE_CELLS, 0).repeat(SAMPLE_CELLS, 1)
            base = base.copy()
            base[gone] = self.empty[gone]
        matrix = np.diag([SAMPLE_CELLS, SAMPLE_CELLS, 1.0])
        return painted(base, (*laid.items, *self.others), matrix, SAMPLE_CELLS)

    def attempt(self, logos: Logos) -> Tried:
        """Try logos: the prediction, and what it leaves."""
        laid = self.lay(logos)
        grey = to_grey(self.image(laid))
        if self.inverted:
            grey = 255 - grey
        items = (*laid.items, *self.others)
        touched = (under(items, self.symbol.side, self.quiet) > TOUCHED) | laid.cleared
        return Tried(
            foresee(grey, self.box, self.symbol, self.quiet, touched),
            sample(grey, self.box, self.symbol, self.quiet),
        )


def bare_piece(piece: Piece) -> Piece:
    """A piece without all that is laid on it."""
    return piece.model_copy(
        update={"logo": Logos(), "caption": Captions(), "layout": Layout()}
    )  # fmt: skip


def with_logo(logos: Logos, index: int, logo: Logo) -> Logos:
    """Logos with another one in one place."""
    items: Sequence[Logo] = [logo if i == index else own for i, own in enumerate(logos.items)]
    return logos.model_copy(update={"items": tuple(items)})


def _size_for(renderer: Renderer, piece: Piece, side: int) -> int:
    """Longer side of a rendering whose code has about so many pixels a side."""
    natural = piece.finish.size or renderer.natural_size(piece)
    module = renderer.module_pixels(piece)
    modules = renderer.symbol(piece).side + 2 * piece.code.quiet_zone
    return int(min(MAX_SIDE, max(64, np.ceil(natural * side / (module * modules)))))


def _square(made: Rendering, image: np.ndarray, side: int) -> np.ndarray:
    import cv2

    if made.quad is not None:
        return np.ascontiguousarray(warping.cut(image, made.quad, side))
    part = np.ascontiguousarray(image[made.box.slices])
    if part.shape[:2] == (side, side):
        return part
    return cv2.resize(part, (side, side), interpolation=cv2.INTER_AREA)


def _ground(made: Rendering) -> np.ndarray:
    """An image of the colour that stays where modules are taken away."""
    ground = made.look.ground
    colour = ground.colour if ground is not None else "#ffffff"
    from nimble_tile.core.look import rgb

    return np.broadcast_to(np.array(rgb(colour), np.uint8), made.image.shape).copy()
