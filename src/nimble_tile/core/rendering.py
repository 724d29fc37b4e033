"""A finished image and what it was made from."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field

import numpy as np

from nimble_tile.core.blend.marks.parts import Marked
from nimble_tile.core.blend.plan import pixel_shares
from nimble_tile.core.channels import alpha_of, colours_of
from nimble_tile.core.laid import Laid
from nimble_tile.core.look import Look
from nimble_tile.core.picture import warping
from nimble_tile.core.picture.opening import Opened
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.piece import Region
from nimble_tile.core.strips import strips
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks import drawing
from nimble_tile.core.symbol.steering import Steered

LARGEST_FILL = 4096
"""Longer side, in pixels, to which pictures are reduced before they fill modules."""


@dataclass(frozen=True, eq=False)
class Canvas:
    """The picture ready for the code.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3
        On its ground, at the output's size.
    key : hashable
        All that it depends on.
    clear : (ndarray, ndarray) or None
        The picture before its ground, and its alpha, where that is to be kept.
    """

    image: np.ndarray
    key: Hashable
    clear: tuple[np.ndarray, np.ndarray] | None


@dataclass(frozen=True, eq=False)
class Rendering:
    """A finished image and what it was made from.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
        The finished image. Read-only, as all arrays here.
    picture : ndarray of uint8, H × W × 3 sRGB
        The picture as it was placed, before blending.
    box : Box
        The code's place on the image, quiet zone included; the whole pixels
        that it touches where it does not stand upright.
    symbol : Symbol
    quiet_zone : int
        Modules of margin on each side.
    blended : bool
        Whether a picture takes part; otherwise it is the code alone.
    look : Look
        How the code itself looks.
    rgba : ndarray of uint8, H × W × 4, or None
        The finished image with straight alpha where its ground is
        transparent; `image` shows it on white.
    images : mapping of str to ndarray
        Pictures of the look's fills, by digest.
    quad : ndarray of float64, 4 × 2, or None
        The code's corners on the image (top left, top right, bottom right,
        bottom left) where it is turned or in perspective.
    place : Region or None
        The place that was used, in pixels of the framed picture.
    laid : Laid or None
        Logos, captions and surround that lie on it, in module units.
    bare : ndarray of uint8, H × W × 3, or None
        The image without them, and with the modules that they take away; None: as `image`.
    arranged : bool
        Whether the piece is arranged in a layout.
    outer : str or None
        Colour round a code without a picture; None: transparent.
    steered : Steered or None
        How its symbol was steered, where it was.
    marked : Marked or None
        Flat areas that are laid on the picture, or on `below`, where these are all that was
        changed.
    below : ndarray of uint8, H × W × 3, or None
        What these lie on: a weave, or marks with texture; None: `picture`.
    """

    image: np.ndarray
    picture: np.ndarray
    box: Box
    symbol: Symbol
    quiet_zone: int
    blended: bool
    look: Look = field(default_factory=Look)
    rgba: np.ndarray | None = None
    images: Mapping[str, np.ndarray] = field(default_factory=dict)
    quad: np.ndarray | None = None
    place: Region | None = None
    laid: Laid | None = None
    bare: np.ndarray | None = None
    arranged: bool = False
    outer: str | None = None
    steered: Steered | None = None
    marked: Marked | None = None
    below: np.ndarray | None = None

    @property
    def matrix(self) -> np.ndarray:
        """From modules, counted from the quiet zone's corner, to pixels (float64 3 × 3)."""
        if self.quad is not None:
            return warping.matrix_to(self.quad, self.modules)
        return self.box.matrix(self.modules)

    @property
    def modules(self) -> int:
        """Modules along the code, quiet zone included."""
        return self.symbol.side + 2 * self.quiet_zone

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.image.shape[1], self.image.shape[0]

    @property
    def code_side(self) -> float:
        """Side of the code in pixels of the image: its shorter side, or its mean edge."""
        if self.quad is None:
            return min(self.box.width, self.box.height)
        return float(np.hypot(*(np.roll(self.quad, -1, axis=0) - self.quad).T).mean())

    def upright(self, image: np.ndarray) -> np.ndarray:
        """The code's square of an image of this size (S × S × …), upright."""
        if self.quad is None:
            return image[self.box.slices]
        return warping.cut(image, self.quad, warping.square_side(self.quad))

    def plain(self) -> np.ndarray:
        """The code alone, black on white, in its place on the picture (H × W × 3)."""
        return self._with(lambda side: plain_code(self.symbol, self.quiet_zone, side))

    def code_alone(self) -> np.ndarray:
        """The code as it looks, without blending, in its place on the picture (H × W × 3)."""
        if not self.blended:
            return self.image
        if self.look.plain:
            return self.plain()
        from nimble_tile.core.symbol.looks.paint import raster

        drawn = drawing(self.symbol, self.look, self.quiet_zone)
        return self._with(lambda side: on_white(raster(drawn, side, self.images))[0])

    def _with(self, draw: Callable[[int], np.ndarray]) -> np.ndarray:
        """The picture with a drawn square on the code's place."""
        if self.quad is None:
            out = self.picture.copy()
            out[self.box.slices] = squeezed(draw(max(self.box.width, self.box.height)), self.box)
            return out
        square = self.upright(self.picture)
        return warping.put_back(self.picture, square, draw(square.shape[0]), self.quad)


def squeezed(square: np.ndarray, box: Box) -> np.ndarray:
    """A square squeezed into a box."""
    import cv2

    if square.shape[:2] == (box.height, box.width):
        return square
    return cv2.resize(square, (box.width, box.height), interpolation=cv2.INTER_AREA)


def plain_code(
    symbol: Symbol, quiet_zone: int, side: int, cleared: np.ndarray | None = None
) -> np.ndarray:
    """Black on white code, side × side × 3, without the modules that are taken away."""
    import cv2

    dark = symbol.dark if cleared is None else symbol.dark & ~cleared
    light = 1 - pixel_shares(np.pad(dark, quiet_zone), side)
    return cv2.cvtColor(np.rint(light * 255).astype(np.uint8), cv2.COLOR_GRAY2RGB)


def on_white(rgba: np.ndarray) -> tuple[np.ndarray, np.ndarray | None]:
    """The image on white, and the image itself unless it is opaque everywhere."""
    import cv2

    rgb = colours_of(rgba)
    if alpha_of(rgba).min() == 255:
        return frozen(rgb), None
    for rows in strips(rgb.shape[0]):
        alpha = alpha_of(rgba[rows])
        inked = cv2.multiply(rgb[rows], cv2.merge([alpha] * 3), scale=1 / 255)
        rgb[rows] = cv2.add(inked, cv2.merge([255 - alpha] * 3))
    return frozen(rgb), frozen(rgba)


def frozen(image: np.ndarray) -> np.ndarray:
    """The same image, which nobody can write to any more."""
    image.setflags(write=False)
    return image


def filling(opened: Opened) -> np.ndarray:
    """A picture as fills use it, not larger than `LARGEST_FILL`."""
    import cv2

    alpha = opened.alpha if opened.alpha is not None else np.full(opened.rgb.shape[:2], 255, "u1")
    scale = LARGEST_FILL / max(opened.size)
    rgba = np.dstack([opened.rgb, alpha])
    if scale < 1:
        extent = tuple(max(1, round(side * scale)) for side in opened.size)
        rgba = cv2.resize(rgba, extent, interpolation=cv2.INTER_AREA)
    return frozen(np.ascontiguousarray(rgba))
