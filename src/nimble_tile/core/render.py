"""The one pipeline from a piece to its finished image.

Stages, each remembered on the part of the piece that it reads:

1. symbol   the message encoded, and steered by the picture where that is wanted
2. framed   the picture turned and cropped, at the output's size
3. canvas   prepared, on its ground, extended
4. plan     the code's square cut out, upright, with the symbol on it
5. blended  the square after the blend method
6. bare     the square put back, without the modules that a logo takes away
7. laid     logos, captions and the surround in module units
8. finished with these on it
9. arranged in a layout, where there is one
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import replace

import numpy as np

from nimble_tile.core import laying
from nimble_tile.core.additions import Layout
from nimble_tile.core.blend import Plan, blend, look_read
from nimble_tile.core.blend.wants import wants
from nimble_tile.core.errors import PictureError
from nimble_tile.core.held import Held
from nimble_tile.core.laid.paint import painted
from nimble_tile.core.look import Look
from nimble_tile.core.picture import framing, warping
from nimble_tile.core.picture.opening import on_ground
from nimble_tile.core.picture.placing import (
    Box,
    bounds,
    box_at,
    corners,
    natural_size,
    output_size,
    quad_at,
    region_on,
    whole,
)
from nimble_tile.core.picture.prepare import prepared
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import MAX_SIDE, Piece, Region
from nimble_tile.core.rendering import Rendering, filling, fitting, frozen, on_white, plain_code
from nimble_tile.core.stages import Stages
from nimble_tile.core.standing import compose, ground_of
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.freedom import freedom, spendable
from nimble_tile.core.symbol.looks import drawing
from nimble_tile.core.symbol.steering import Steered, Steering, Wanted

STEERED_BY = 1400
"""Longer side, in pixels, of the picture by which a symbol is steered."""


class Renderer(Stages):
    """Renders pieces and remembers each stage's last results.

    One renderer serves one thread at a time; it locks itself.

    Parameters
    ----------
    pictures : PictureStore
        Where the pieces' pictures are.
    """

    def __init__(self, pictures: PictureStore) -> None:
        super().__init__(pictures)
        self._held: Held | None = None

    def render(self, piece: Piece, size: int | None = None, moving: bool = False) -> Rendering:
        """Render a piece.

        Parameters
        ----------
        piece : Piece
        size : int, optional
            Longer side of the result in pixels, 16 to `MAX_SIDE`; None: the
            piece's own (`Finish.size`, else `natural_size`).
        moving : bool
            The code is being moved and will be asked for again where it comes
            to rest: its steering may be a little less good, and be there sooner.

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
            steered = self._steered(piece, moving)
            symbol = self._symbol(piece) if steered is None else steered.symbol
            if steered is not None:
                return replace(self._made(piece, symbol, size), steered=steered)
            return self._made(piece, symbol, size)

    def symbol(self, piece: Piece) -> Symbol:
        """The piece's symbol, steered if it is to be; raises `MessageError` when there can be
        none."""
        with self._lock:
            steered = self._steered(piece)
            return self._symbol(piece) if steered is None else steered.symbol

    def _steered(self, piece: Piece, moving: bool = False) -> Steered | None:
        """The steered symbol; None where nothing is to be steered, or nothing to steer by."""
        if piece.code.steer == "off" or piece.picture.digest is None:
            return None
        symbol = self._symbol(piece)
        if symbol.micro:
            return None
        place, quiet = self.place(piece), piece.code.quiet_zone

        fixed, tones = piece.code.mask, piece.picture.model_copy(update={"region": None})
        masks = tuple(range(8)) if fixed == "auto" else (fixed,)
        spend, corner = spendable(symbol, piece.code.keep), corners(place)

        def solve() -> Steered:
            wish, solver = self._wanted(piece, symbol), None if held is None else held.solver
            if solver is None or not solver.fits(symbol, wish.weight):
                solver = Steering(symbol, freedom(symbol), wish.weight)
            module = place.width / (symbol.side + 2 * quiet)
            self._held = Held(solver, symbol, tones, corner, module)
            return solver.best(wish, masks, spend)

        key = (symbol, piece.picture, place, quiet, piece.code.mask, piece.code.keep)
        held = self._held
        moving = moving and not self._knows("steered", key)
        if moving and held is not None and held.serves(symbol, tones, corner):
            return self._stage(
                "moving", key, lambda: held.solver.solve(self._wanted(piece, symbol), masks, spend)
            )
        return self._stage("steered", key, solve, keep=3)

    def _wanted(self, piece: Piece, symbol: Symbol) -> Wanted:
        """What the picture wants of each module."""
        # Always at the same size: what is exported is what was seen.
        framed, quiet = self.picture_size(piece), piece.code.quiet_zone
        longer = min(max(framed), STEERED_BY)
        extent = output_size(framed, longer)
        box, quad = self._spot(framed, self.place(piece), extent)
        square = warping.upright(self._canvas(piece, longer)[0], box, quad)
        guard = self._guard_grid(piece, extent, box, quad, symbol.side + 2 * quiet)
        return wants(square, symbol.side, quiet, guard)

    def matches(self, piece: Piece) -> np.ndarray:
        """Weighted share of modules as the picture wants them by mask (float, 8), steered by
        the padding."""
        with self._lock:
            symbol = self._symbol(piece)
            wish = self._wanted(piece, symbol)
            solver = Steering(symbol, freedom(symbol), wish.weight)
            return np.array([solver.solve(wish, (mask,)).after for mask in range(8)])

    @staticmethod
    def _spot(
        framed: tuple[int, int], place: Region, extent: tuple[int, int]
    ) -> tuple[Box, np.ndarray | None]:
        """Where the code lies on an output: its box, and its corners unless it stands upright."""
        if place.upright:
            return box_at(framed, place, extent), None
        quad = quad_at(framed, place, extent)
        return bounds(quad, extent), quad

    def _made(self, piece: Piece, symbol: Symbol, size: int) -> Rendering:
        if piece.layout.digest is not None:
            return self._arranged(piece, symbol, size)
        return self._alone(piece, symbol, size)

    def _alone(self, piece: Piece, symbol: Symbol, size: int, loose: bool = False) -> Rendering:
        """The piece without a layout; `loose`: nothing round its surround."""
        if piece.picture.digest is None:
            return self._plain(piece, symbol, size, loose and piece.surround.kind != "none")
        return self._blended(piece, symbol, size)

    def _arranged(self, piece: Piece, symbol: Symbol, size: int) -> Rendering:
        import cv2

        from nimble_tile.core import arrange

        layout = piece.layout
        bare = piece.model_copy(update={"layout": Layout()})
        about = self.pictures.about(layout.digest)
        extent = output_size(about.size, size)
        scale = extent[0] / about.size[0]
        aspect = self._aspect(bare, symbol)
        side = arrange.piece_side(layout, aspect, scale)
        alone = self._alone(bare, symbol, min(MAX_SIDE, max(16, side)), loose=True)
        key = (layout.digest, extent)

        def lay() -> np.ndarray:
            opened = self.pictures.opened(layout.digest)
            ground = on_ground(opened.rgb, opened.alpha, "#ffffff")
            way = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
            return frozen(
                ground if extent == opened.size else cv2.resize(ground, extent, interpolation=way)
            )

        ground = self._stage("layout", key, lay)
        quad = arrange.place_in(layout, alone.size[0] / alone.size[1]) * scale
        clip = np.array(layout.quad, float) * scale
        return arrange.arranged(alone, ground, quad, clip)

    def _aspect(self, piece: Piece, symbol: Symbol) -> float:
        """Width of a piece in parts of its height."""
        size = self.picture_size(piece)
        if size is None:
            size = laying.size_of(self._laid(piece, symbol).extent)
        return size[0] / size[1]

    def place(self, piece: Piece) -> Region | None:
        """The code's place on the framed picture as it is used; None without a picture.

        Raises
        ------
        MessageError, PictureError
            As in `render`.
        """
        size = self.picture_size(piece)
        if size is None:
            return None
        region = region_on(size, piece.picture.region)
        if not piece.picture.whole_pixels:
            return region
        modules = self._symbol(piece).side + 2 * piece.code.quiet_zone
        longer = piece.finish.size or natural_size(size, region, modules)
        return whole(region, size, modules, output_size(size, longer))

    def canvas(self, piece: Piece, size: int) -> np.ndarray | None:
        """The piece's picture alone on its ground (H × W × 3), or None without one."""
        if piece.picture.digest is None:
            return None
        with self._lock:
            return self._canvas(piece, size)[0]

    def guard(self, piece: Piece, extent: tuple[int, int]) -> np.ndarray | None:
        """The piece's guard over its framed picture (uint8, 255 = must stay), or None."""
        if piece.picture.guard is None or piece.picture.digest is None:
            return None
        original = self.pictures.about(piece.picture.digest).size
        mask = self.pictures.mask(piece.picture.guard)
        return framing.mask_on(mask, original, piece.picture.frame, extent)

    def _canvas(
        self, piece: Piece, size: int
    ) -> tuple[np.ndarray, Hashable, tuple[np.ndarray, np.ndarray] | None]:
        """The canvas stage, its key for the stages after it, and the picture with its alpha
        where that is to be kept."""
        placed = piece.picture
        frame, original = placed.frame, self.pictures.about(placed.digest).size
        extent = output_size(framing.framed_size(original, frame), size)
        inner = framing.inner_extent(original, frame, extent)
        cut_key = (placed.digest, frame, inner)

        def cut() -> tuple[np.ndarray, np.ndarray | None]:
            opened = self.pictures.opened(placed.digest)
            return framing.with_alpha(opened.rgb, opened.alpha, frame, inner)

        framed = self._stage("framed", cut_key, cut, keep=2)

        def make() -> tuple[np.ndarray, np.ndarray | None]:
            def mask(digest: str) -> np.ndarray:
                kept = self.pictures.mask(digest)
                return framing.mask_on(kept, original, frame, inner, inner=True)

            return prepared(*framed, placed.prepare, mask)

        image, alpha = self._stage("prepared", (cut_key, placed.prepare), make, keep=2)

        def lay() -> np.ndarray:
            return frozen(framing.extended(on_ground(image, alpha, placed.ground), frame, extent))

        key = (cut_key, extent, placed.prepare, placed.ground)
        canvas = self._stage("canvas", key, lay, keep=2)
        bare = (image, alpha) if placed.transparent and alpha is not None else None
        return canvas, key, bare

    @staticmethod
    def _see_through(
        piece: Piece, image: np.ndarray, bare: tuple, box: Box, quad: np.ndarray | None
    ) -> np.ndarray:
        """The finished image with the picture's own alpha, opaque on the code's square."""
        import cv2

        extent = (image.shape[1], image.shape[0])
        frame = piece.picture.frame
        own, alpha = (framing.extended(part, frame, extent) for part in bare)
        code = np.zeros(image.shape[:2], np.uint8)
        if quad is None:
            code[box.slices] = 255
        else:
            points = np.rint((quad - 0.5) * 16).astype(np.int32)
            cv2.fillConvexPoly(code, points, 255, cv2.LINE_AA, 4)
        out = own.copy()
        cv2.copyTo(image, code, out)
        return frozen(np.dstack([out, cv2.max(alpha, code)]))

    def _plain(self, piece: Piece, symbol: Symbol, size: int, loose: bool = False) -> Rendering:
        quiet, look = piece.code.quiet_zone, laying.look_of(piece)
        outer = None if loose else ground_of(piece.look)
        laid = self._laid(piece, symbol)
        images = self._images(look)
        if laying.wanted(piece):
            key = (symbol, quiet, size, look, laid, outer)
            image, rgba, bare, box = self._stage(
                "plain", key, lambda: compose(symbol, look, quiet, laid, size, images, outer)
            )
        else:
            box, bare = Box(0, 0, size, size), None

            def draw() -> tuple[np.ndarray, np.ndarray | None]:
                if look.plain:
                    return frozen(plain_code(symbol, quiet, size)), None
                from nimble_tile.core.symbol.looks.paint import raster

                return on_white(raster(drawing(symbol, look, quiet), size, images))

            image, rgba = self._stage("plain", (symbol, quiet, size, look), draw)
        white = self._stage("white", image.shape, lambda: frozen(np.full_like(image, 255)))
        return Rendering(
            image, white, box, symbol, quiet, False, look, rgba, images, laid=laid, bare=bare,
            outer=outer if laid.over or laid.under else None,
        )  # fmt: skip

    def images(self, look: Look) -> dict[str, np.ndarray]:
        """Pictures that a look needs, by digest (uint8 H × W × 4, straight alpha)."""
        with self._lock:
            return self._images(look)

    def _images(self, look: Look) -> dict[str, np.ndarray]:
        return {
            digest: self._stage(
                "fills", digest, lambda d=digest: filling(self.pictures.opened(d)), keep=5
            )
            for digest in look.digests
        }

    def _blended(self, piece: Piece, symbol: Symbol, size: int) -> Rendering:
        place = self.place(piece)
        framed = self.picture_size(piece)
        extent = output_size(framed, size)
        canvas, canvas_key, clear = self._canvas(piece, size)
        laid = self._laid(piece, symbol)
        box, quad = self._spot(framed, place, extent)
        square_key = (canvas_key, place)
        square = self._stage(
            "square", square_key, lambda: frozen(warping.upright(canvas, box, quad)), keep=2
        )
        quiet = piece.code.quiet_zone
        look = look_read(piece.look, piece.blend)
        fades = piece.surround.kind == "none" or piece.surround.paper is None
        plan_key = (square_key, symbol, quiet, look, piece.picture.guard, fades, piece.blend.map)

        def plan() -> Plan:
            modules = symbol.side + 2 * quiet
            guard = self._guard_grid(piece, extent, box, quad, modules)
            factors = self._factors(piece, modules)
            return Plan(square, symbol, quiet, look, self._images(look), guard, fades, factors)

        planned = self._stage("plan", plan_key, plan, keep=2)

        def finish() -> np.ndarray:
            blended = blend(planned, piece.blend)
            if laid.cleared is not None:
                blended = _without(blended, square, planned, laid.cleared)
            if quad is not None:
                return frozen(warping.put_back(canvas, square, blended, quad))
            out = canvas.copy()
            out[box.slices] = fitting(blended, box)
            return frozen(out)

        gone = None if laid.cleared is None else laid.cleared.tobytes()
        bare_key = (plan_key, piece.blend, gone)
        bare = self._stage("bare", bare_key, finish, keep=2)
        rgba = None
        if clear is not None:
            rgba = self._stage(
                "see through", bare_key, lambda: self._see_through(piece, bare, clear, box, quad)
            )
        made = Rendering(
            bare, canvas, box, symbol, quiet, True, piece.look, rgba,
            self._images(piece.look), quad, place,
        )  # fmt: skip
        if not laid.over:
            return made
        matrix, scale = made.matrix, made.code_side / made.modules
        image = self._stage(
            "finished", (bare_key, laid), lambda: frozen(painted(bare, laid.over, matrix, scale)),
            keep=2,
        )  # fmt: skip
        if rgba is not None:
            below = rgba
            rgba = self._stage(
                "see through laid", (bare_key, laid),
                lambda: frozen(painted(below, laid.over, matrix, scale)),
            )  # fmt: skip
        return replace(made, image=image, rgba=rgba, laid=laid, bare=bare)

    def _guard_grid(
        self, piece: Piece, extent: tuple[int, int], box: Box, quad: np.ndarray | None, modules: int
    ) -> np.ndarray | None:
        """The guard on the grid of modules, 0 to 1."""
        import cv2

        guard = self.guard(piece, extent)
        if guard is None:
            return None
        square = guard[box.slices] if quad is None else warping.cut(guard, quad, 6 * modules)
        grid = cv2.resize(square, (modules, modules), interpolation=cv2.INTER_AREA)
        return grid.astype(np.float32) / 255

    def _factors(self, piece: Piece, modules: int) -> np.ndarray | None:
        """Each module's strength in parts of the others'; None where the map is not of its size."""
        if piece.blend.map is None:
            return None
        grid = self.pictures.mask(piece.blend.map)
        return grid.astype(np.float32) / 128 if grid.shape == (modules, modules) else None


def render(
    piece: Piece, size: int | None = None, pictures: PictureStore | None = None
) -> Rendering:
    """Render a piece once, nothing remembered; see `Renderer.render`."""
    return Renderer(pictures or PictureStore()).render(piece, size)


def _without(
    blended: np.ndarray, square: np.ndarray, plan: Plan, cleared: np.ndarray
) -> np.ndarray:
    """A blended square whose cleared modules are the picture again."""
    grid = np.pad(cleared.astype(np.uint8) * 255, plan.quiet_zone)
    share = plan.on_pixels(grid).astype(np.float32)[..., None] / 255
    return np.rint(square * share + blended * (1 - share)).astype(np.uint8)
