"""The one pipeline from a piece to its finished image.

Stages, each remembered on the part of the piece that it reads:

1. symbol   the message encoded
2. canvas   the picture on its ground at the output's size
3. plan     the code's square cut out, upright, with the symbol on it
4. blended  the square after the blend method
5. finished the square put back
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from nimble_tile.core.blend import METHODS, Plan
from nimble_tile.core.blend.plan import coverage
from nimble_tile.core.errors import PictureError
from nimble_tile.core.look import Look
from nimble_tile.core.picture.opening import Opened
from nimble_tile.core.picture.placing import Box, box_at, natural_size, output_size, region_on
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import MAX_SIDE, Piece
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.symbol.looks import drawing

LARGEST_FILL = 4096
"""Longer side, in pixels, to which pictures are reduced before they fill modules."""

ROWS = 512
"""Rows that are worked on at once where copies are needed, to save memory."""


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
        The code's place on the image, quiet zone included.
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

    @property
    def modules(self) -> int:
        """Modules along the code, quiet zone included."""
        return self.symbol.side + 2 * self.quiet_zone

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.image.shape[1], self.image.shape[0]

    def plain(self) -> np.ndarray:
        """The code alone, black on white, in its place on the picture (H × W × 3)."""
        out = self.picture.copy()
        out[self.box.slices] = _plain(self.symbol, self.quiet_zone, self.box)
        return out

    def code_alone(self) -> np.ndarray:
        """The code as it looks, without blending, in its place on the picture (H × W × 3)."""
        if not self.blended:
            return self.image
        if self.look.plain:
            return self.plain()
        import cv2

        from nimble_tile.core.symbol.looks.paint import raster

        out = self.picture.copy()
        box = self.box
        side = max(box.width, box.height)
        drawn = drawing(self.symbol, self.look, self.quiet_zone)
        square, _ = _on_white(raster(drawn, side, self.images))
        if box.width != box.height:
            square = cv2.resize(square, (box.width, box.height), interpolation=cv2.INTER_AREA)
        out[box.slices] = square
        return out


class Renderer:
    """Renders pieces and remembers each stage's last results.

    One renderer serves one thread at a time; it locks itself.

    Parameters
    ----------
    pictures : PictureStore
        Where the pieces' pictures are.
    """

    def __init__(self, pictures: PictureStore) -> None:
        self.pictures = pictures
        self._memory: dict[str, list[tuple[Hashable, Any]]] = {}
        self._lock = threading.Lock()

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

    def symbol(self, piece: Piece) -> Symbol:
        """The piece's symbol; raises `MessageError` when there can be none."""
        with self._lock:
            return self._symbol(piece)

    def _symbol(self, piece: Piece) -> Symbol:
        code = piece.code.model_copy(update={"quiet_zone": 0})
        key = (piece.message.text, code)
        return self._stage("symbol", key, lambda: encode(piece.message, code), keep=4)

    def picture_size(self, piece: Piece) -> tuple[int, int] | None:
        """Width and height of the piece's original picture."""
        if piece.picture.digest is None:
            return None
        return self.pictures.about(piece.picture.digest).size

    def natural_size(self, piece: Piece) -> int:
        """Longer side that suits the piece when none was chosen."""
        modules = self.symbol(piece).side + 2 * piece.code.quiet_zone
        return natural_size(self.picture_size(piece), piece.picture.region, modules)

    def render(self, piece: Piece, size: int | None = None) -> Rendering:
        """Render a piece.

        Parameters
        ----------
        piece : Piece
        size : int, optional
            Longer side of the result in pixels, 16 to `MAX_SIDE`; None: the
            piece's own (`Finish.size`, else `natural_size`).

        Returns
        -------
        Rendering

        Raises
        ------
        MessageError
            The message is empty or does not fit.
        PictureError
            The picture is missing, or the code reaches beyond it.
        """
        if size is None:
            size = piece.finish.size or self.natural_size(piece)
        if not 16 <= size <= MAX_SIDE:
            raise PictureError(f"A side of {size} pixels is not possible.",
                               f"Choose 16 to {MAX_SIDE}.")  # fmt: skip
        with self._lock:
            symbol = self._symbol(piece)
            if piece.picture.digest is None:
                return self._plain(piece, symbol, size)
            return self._blended(piece, symbol, size)

    def canvas(self, piece: Piece, size: int) -> np.ndarray | None:
        """The piece's picture alone on its ground (H × W × 3), or None without one."""
        if piece.picture.digest is None:
            return None
        with self._lock:
            return self._canvas(piece, size)[0]

    def _canvas(self, piece: Piece, size: int) -> tuple[np.ndarray, Hashable]:
        """The canvas stage, and its key for the stages after it."""
        placed = piece.picture
        opened = self.pictures.opened(placed.digest)
        key = (placed.digest, placed.ground, size)
        ground = self._stage("ground", key[:2], lambda: _frozen(opened.over(placed.ground)))
        extent = output_size(opened.size, size)
        canvas = self._stage("canvas", key, lambda: _frozen(_resize(ground, extent)), keep=2)
        return canvas, key

    def _plain(self, piece: Piece, symbol: Symbol, size: int) -> Rendering:
        box = Box(0, 0, size, size)
        quiet, look = piece.code.quiet_zone, piece.look

        def draw() -> tuple[np.ndarray, np.ndarray | None]:
            if look.plain:
                return _frozen(_plain(symbol, quiet, box)), None
            from nimble_tile.core.symbol.looks.paint import raster

            return _on_white(raster(drawing(symbol, look, quiet), size, images))

        images = self._images(look)
        image, rgba = self._stage("plain", (symbol, quiet, size, look), draw)
        white = self._stage("white", size, lambda: _frozen(np.full_like(image, 255)))
        return Rendering(image, white, box, symbol, quiet, False, look, rgba, images)

    def images(self, look: Look) -> dict[str, np.ndarray]:
        """Pictures that a look needs, by digest (uint8 H × W × 4, straight alpha)."""
        with self._lock:
            return self._images(look)

    def _images(self, look: Look) -> dict[str, np.ndarray]:
        return {
            digest: self._stage(
                "fills", digest, lambda d=digest: _fill_picture(self.pictures.opened(d)), keep=5
            )
            for digest in look.digests
        }

    def _blended(self, piece: Piece, symbol: Symbol, size: int) -> Rendering:
        import cv2

        placed = piece.picture
        opened = self.pictures.opened(placed.digest)
        region = region_on(opened.size, placed.region)
        extent = output_size(opened.size, size)
        box = box_at(opened.size, region, extent)
        canvas, canvas_key = self._canvas(piece, size)
        square_key = (canvas_key, box)
        side = max(box.width, box.height)

        def cut() -> np.ndarray:
            piece_of_canvas = canvas[box.slices]
            if box.width == box.height:
                return np.ascontiguousarray(piece_of_canvas)
            return cv2.resize(piece_of_canvas, (side, side), interpolation=cv2.INTER_LINEAR)

        square = self._stage("square", square_key, lambda: _frozen(cut()), keep=2)
        quiet = piece.code.quiet_zone
        # Tone reads the look's shapes alone: another colour changes nothing there.
        look = piece.look.bare if piece.blend.method == "tone" else piece.look
        plan_key = (square_key, symbol, quiet, look)
        plan = self._stage(
            "plan",
            plan_key,
            lambda: Plan(square, symbol, quiet, look, self._images(look)),
            keep=2,
        )

        def finish() -> np.ndarray:
            blended = METHODS[piece.blend.method](plan, piece.blend)
            if box.width != box.height:
                blended = cv2.resize(blended, (box.width, box.height), interpolation=cv2.INTER_AREA)
            out = canvas.copy()
            out[box.slices] = blended
            return _frozen(out)

        image = self._stage("finished", (plan_key, piece.blend), finish, keep=2)
        images = self._images(piece.look)
        return Rendering(image, canvas, box, symbol, quiet, True, piece.look, images=images)


def render(
    piece: Piece, size: int | None = None, pictures: PictureStore | None = None
) -> Rendering:
    """Render a piece once, nothing remembered; see `Renderer.render`."""
    return Renderer(pictures or PictureStore()).render(piece, size)


def _plain(symbol: Symbol, quiet_zone: int, box: Box) -> np.ndarray:
    """Black on white code, box.height × box.width × 3."""
    import cv2

    side = max(box.width, box.height)
    light = 1 - coverage(np.pad(symbol.dark, quiet_zone), side)
    grey = np.rint(light * 255).astype(np.uint8)
    if box.width != box.height:
        grey = cv2.resize(grey, (box.width, box.height), interpolation=cv2.INTER_AREA)
    return cv2.cvtColor(grey, cv2.COLOR_GRAY2RGB)


def _resize(image: np.ndarray, extent: tuple[int, int]) -> np.ndarray:
    import cv2

    if (image.shape[1], image.shape[0]) == extent:
        return image
    shrinks = extent[0] < image.shape[1]
    return cv2.resize(image, extent, interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC)


def _on_white(rgba: np.ndarray) -> tuple[np.ndarray, np.ndarray | None]:
    """The image on white, and the image itself unless it is opaque everywhere."""
    import cv2

    rgb = np.ascontiguousarray(rgba[..., :3])
    if (rgba[..., 3] == 255).all():
        return _frozen(rgb), None
    for top in range(0, rgb.shape[0], ROWS):
        rows = slice(top, top + ROWS)
        alpha = np.ascontiguousarray(rgba[rows, :, 3])
        inked = cv2.multiply(rgb[rows], cv2.merge([alpha] * 3), scale=1 / 255)
        rgb[rows] = cv2.add(inked, cv2.merge([255 - alpha] * 3))
    return _frozen(rgb), _frozen(rgba)


def _fill_picture(opened: Opened) -> np.ndarray:
    """A picture as fills use it, not larger than `LARGEST_FILL`."""
    import cv2

    alpha = opened.alpha if opened.alpha is not None else np.full(opened.rgb.shape[:2], 255, "u1")
    scale = LARGEST_FILL / max(opened.size)
    rgba = np.dstack([opened.rgb, alpha])
    if scale < 1:
        extent = tuple(max(1, round(side * scale)) for side in opened.size)
        rgba = cv2.resize(rgba, extent, interpolation=cv2.INTER_AREA)
    return _frozen(np.ascontiguousarray(rgba))


def _frozen(image: np.ndarray) -> np.ndarray:
    image.setflags(write=False)
    return image
