"""The one pipeline from a piece to its finished image.

Stages, each remembered on the part of the piece that it reads:

0. brief    symbol (steered where that is wanted), sizes, place, laid items: `brief`
1. framed   the picture turned and cropped, at the output's size
2. prepared its tones, cut-out and pattern
3. canvas   on its ground, extended
4. square   the code's place cut out, upright
5. plan     the square with the symbol on it
6. bare     blended and put back, without the modules that a logo takes away
7. finished with logos, captions and surround on it
8. arranged in a layout, where there is one
"""

from __future__ import annotations

import threading
from dataclasses import replace
from functools import cached_property, partial
from typing import TYPE_CHECKING
from weakref import ref

import cv2
import numpy as np

from nimble_tile.core import arrange, laying
from nimble_tile.core.additions import Layout, Logo
from nimble_tile.core.blend import Plan, blend, laid_marks, look_read
from nimble_tile.core.blend.wants import wants
from nimble_tile.core.brief import Brief, Briefing
from nimble_tile.core.errors import PictureError
from nimble_tile.core.held import Held
from nimble_tile.core.laid import Laid
from nimble_tile.core.laid.paint import painted
from nimble_tile.core.language import tr
from nimble_tile.core.look import Look
from nimble_tile.core.memory import Memory
from nimble_tile.core.picture import framing, warping
from nimble_tile.core.picture.framing import FramedSizes
from nimble_tile.core.picture.opening import on_ground
from nimble_tile.core.picture.placing import Box, Spot, corners, output_size
from nimble_tile.core.picture.prepare import prepared
from nimble_tile.core.picture.store import Lease, PictureStore
from nimble_tile.core.piece import MAX_SIDE, Piece, Region
from nimble_tile.core.rendering import (
    Canvas,
    Rendering,
    filling,
    frozen,
    on_white,
    plain_code,
    squeezed,
)
from nimble_tile.core.standing import compose, ground_of
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.freedom import freedom, spendable
from nimble_tile.core.symbol.looks import drawing
from nimble_tile.core.symbol.steering import Steered, Steering, Wanted

if TYPE_CHECKING:
    from nimble_tile.core.weavings import Weavings

STEERED_BY = 1400
"""Longer side, in pixels, of the picture by which a symbol is steered."""


class Renderer:
    """Renders pieces and remembers each stage's last results.

    One renderer serves one thread at a time; it locks itself.

    Parameters
    ----------
    pictures : Lease
        Where the pieces' pictures are.
    """

    def __init__(self, pictures: Lease) -> None:
        self.pictures = pictures
        self._memory = Memory()
        self._briefing = Briefing(pictures, self._memory)
        self._held: Held | None = None
        self._lock = threading.RLock()

    def render(self, piece: Piece, size: int | None = None, moving: bool = False) -> Rendering:
        """Render a piece.

        Parameters
        ----------
        piece : Piece
        size : int, optional
            Longer side of the result in pixels, 16 to `MAX_SIDE`; None: the
            piece's own (`Finish.size`, else `natural_size`).
        moving : bool
            The piece is being changed under a hand and will be asked for again at rest: its
            steering and its gentle blend may be a little less good, and be there sooner.

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
            raise PictureError(tr("A side of {size} pixels is not possible.", size=size),
                               tr("Choose 16 to {max_side}.", max_side=MAX_SIDE))  # fmt: skip
        with self._lock:
            if piece.layout.digest is not None:
                return self._arranged(piece, size, moving)
            return self._alone(self._brief(piece, size, moving))

    def forget(self) -> None:
        """Let go of all that is remembered: a weave alone takes a hundred megabytes."""
        with self._lock:
            self._memory.clear()
            self._held = None

    # Questions about a piece ------------------------------------------------

    def symbol(self, piece: Piece) -> Symbol:
        """The piece's symbol, steered if it is to be; raises `MessageError` when there can be
        none."""
        with self._lock:
            plain = self._briefing.symbol(piece)
            steered = self._steered(piece, plain)
            return plain if steered is None else steered.symbol

    def picture_size(self, piece: Piece) -> tuple[int, int] | None:
        """Width and height of the piece's framed picture at the original's resolution."""
        return self._briefing.picture_size(piece)

    def natural_size(self, piece: Piece) -> int:
        """Longer side that suits the piece when none was chosen."""
        with self._lock:
            return self._briefing.natural_size(piece)

    def module_pixels(self, piece: Piece) -> float:
        """Pixels of a module in the finished piece, where it is not arranged in a layout."""
        with self._lock:
            return self._briefing.module_pixels(piece, self._briefing.symbol(piece))

    def laid(self, piece: Piece) -> Laid:
        """What is laid on the piece's code or round it; see `render` for errors."""
        with self._lock:
            return self._briefing.laid(piece, self._briefing.symbol(piece))

    def logo_pixels(self, logo: Logo) -> np.ndarray:
        """A logo's pixels made ready (uint8 H × W × 4, straight alpha)."""
        with self._lock:
            return self._briefing.logo_pixels(logo)

    def images(self, look: Look) -> dict[str, np.ndarray]:
        """Pictures that a look needs, by digest (uint8 H × W × 4, straight alpha)."""
        with self._lock:
            return self._images(look)

    def place(self, piece: Piece) -> Region | None:
        """The code's place on the framed picture as it is used; None without a picture.

        Raises
        ------
        MessageError, PictureError
            As in `render`.
        """
        with self._lock:
            if piece.picture.digest is None:
                return None
            modules = self._briefing.symbol(piece).side + 2 * piece.code.quiet_zone
            return self._briefing.located(piece, STEERED_BY, modules)[1].region

    def canvas(self, piece: Piece, size: int) -> np.ndarray | None:
        """The piece's picture alone on its ground (H × W × 3), or None without one."""
        with self._lock:
            framed = self._briefing.sizes(piece, size)
            return None if framed is None else self._canvas(piece, framed).image

    def guard(self, piece: Piece, extent: tuple[int, int]) -> np.ndarray | None:
        """The piece's guard over its framed picture (uint8, 255 = must stay), or None."""
        if piece.picture.guard is None or piece.picture.digest is None:
            return None
        original = self.pictures.about(piece.picture.digest).size
        mask = self.pictures.mask(piece.picture.guard)
        return framing.mask_on(mask, original, piece.picture.frame, extent)

    def matches(self, piece: Piece) -> np.ndarray:
        """Weighted share of modules as the picture wants them by mask (float, 8), steered by
        the padding."""
        with self._lock:
            symbol = self._briefing.symbol(piece)
            wish = self._wanted(piece, symbol)
            solver = Steering(symbol, freedom(symbol), wish.weight)
            return np.array([solver.solve(wish, (mask,)).after for mask in range(8)])

    # The brief -----------------------------------------------------------------

    def _brief(self, piece: Piece, size: int, moving: bool = False) -> Brief:
        """Resolve a piece."""
        own = self._briefing
        symbol = own.symbol(piece)
        modules = symbol.side + 2 * piece.code.quiet_zone
        framed, spot = own.located(piece, size, modules)
        steered = self._steered(piece, symbol, spot, moving)
        if steered is not None:
            symbol = steered.symbol
        laid = own.laid(piece, symbol)
        return Brief(piece, symbol, steered, modules, piece.code.quiet_zone, size, framed, spot,
                     laid, moving)  # fmt: skip

    def _steered(
        self, piece: Piece, symbol: Symbol, spot: Spot | None = None, moving: bool = False
    ) -> Steered | None:
        """The steered symbol; None where nothing is to be steered, or nothing to steer by."""
        if piece.code.steer == "off" or piece.picture.digest is None or symbol.micro:
            return None
        place = self.place(piece) if spot is None else spot.region
        quiet, fixed = piece.code.quiet_zone, piece.code.mask
        tones = piece.picture.model_copy(update={"region": None})
        masks = tuple(range(8)) if fixed == "auto" else (fixed,)
        spend, corner = spendable(symbol, piece.code.keep), corners(place)

        def solve() -> Steered:
            wish, solver = self._wanted(piece, symbol), None if held is None else held.solver
            if solver is None or not solver.fits(symbol, wish.weight):
                solver = Steering(symbol, freedom(symbol), wish.weight)
            module = place.width / (symbol.side + 2 * quiet)
            self._held = Held(solver, symbol, tones, corner, module)
            return solver.best(wish, masks, spend)

        key = (symbol, piece.picture, place, quiet, fixed, piece.code.keep)
        held = self._held
        moving = moving and not self._memory.knows("steered", key)
        if moving and held is not None and held.serves(symbol, tones, corner):
            return self._memory.recall(
                "moving", key, lambda: held.solver.solve(self._wanted(piece, symbol), masks, spend)
            )
        return self._memory.recall("steered", key, solve, 3)

    def _wanted(self, piece: Piece, symbol: Symbol) -> Wanted:
        """What the picture wants of each module."""
        # Always at the same size: what is exported is what was seen.
        longer = min(max(self._briefing.picture_size(piece)), STEERED_BY)
        modules = symbol.side + 2 * piece.code.quiet_zone
        framed, spot = self._briefing.located(piece, longer, modules)
        square = warping.upright(self._canvas(piece, framed).image, spot.box, spot.quad)
        guard = self._guard_grid(piece, framed.extent, spot, modules)
        return wants(square, symbol.side, piece.code.quiet_zone, guard)

    # The stages ------------------------------------------------------------------

    def _alone(self, brief: Brief, loose: bool = False) -> Rendering:
        """The piece without a layout; `loose`: without the ground round its surround."""
        if brief.framed is None:
            return self._plain(brief, loose and brief.piece.surround.kind != "none")
        return self._blended(brief)

    def _plain(self, brief: Brief, loose: bool) -> Rendering:
        """The code without a picture."""
        piece, symbol, quiet, size = brief.piece, brief.symbol, brief.quiet_zone, brief.size
        look, laid = laying.look_of(piece), brief.laid
        outer = None if loose else ground_of(piece.look)
        images = self._images(look)
        if laying.wanted(piece):
            key = (symbol, quiet, size, look, laid, outer)
            image, rgba, bare, box = self._memory.recall(
                "plain", key, lambda: compose(symbol, look, quiet, laid, size, images, outer)
            )
        else:
            box, bare = Box(0, 0, size, size), None

            def draw() -> tuple[np.ndarray, np.ndarray | None]:
                if look.plain:
                    return frozen(plain_code(symbol, quiet, size)), None
                from nimble_tile.core.symbol.looks.paint import raster

                return on_white(raster(drawing(symbol, look, quiet), size, images))

            image, rgba = self._memory.recall("plain", (symbol, quiet, size, look), draw)
        white = self._memory.recall("white", image.shape, lambda: np.full_like(image, 255))
        return Rendering(
            image, white, box, symbol, quiet, False, look, rgba, images, laid=laid, bare=bare,
            outer=outer if laid.over or laid.under else None,
        )  # fmt: skip

    def _canvas(self, piece: Piece, framed: FramedSizes) -> Canvas:
        """Stages 1 to 3: the picture framed, prepared, on its ground and extended."""
        placed, recall = piece.picture, self._memory.recall
        frame, inner = placed.frame, framed.inner
        crisp = placed.pixels is not None
        cut_key = (placed.digest, frame, inner, crisp)

        def mask(digest: str) -> np.ndarray:
            kept = self.pictures.mask(digest)
            return framing.mask_on(kept, framed.original, frame, inner, inner=True)

        cut_out = recall(
            "framed", cut_key,
            lambda: framing.cut(self.pictures.opened(placed.digest), frame, inner, crisp), 2,
        )  # fmt: skip
        image, alpha = recall(
            "prepared", (cut_key, placed.prepare),
            lambda: prepared(*cut_out, placed.prepare, mask), 2,
        )  # fmt: skip
        key = (cut_key, framed.extent, placed.prepare, placed.ground)
        canvas = recall(
            "canvas", key,
            lambda: framing.extended(
                on_ground(image, alpha, placed.ground), frame, framed.extent
            ), 2,
        )  # fmt: skip
        clear = (image, alpha) if placed.transparent and alpha is not None else None
        return Canvas(canvas, key, clear)

    def _blended(self, brief: Brief) -> Rendering:
        """Stages 1 to 7 on a picture."""
        piece, symbol, spot, recall = brief.piece, brief.symbol, brief.spot, self._memory.recall
        quiet, laid, box, quad = brief.quiet_zone, brief.laid, spot.box, spot.quad
        look, images = look_read(piece.look, piece.blend), self._images(piece.look)
        canvas = self._canvas(piece, brief.framed)

        square_key = (canvas.key, spot.region)
        square = recall("square", square_key, lambda: warping.upright(canvas.image, box, quad), 2)

        fades = piece.surround.kind == "none" or piece.surround.paper is None
        method = piece.blend.method
        quick = brief.quick and method in ("gentle", "weave")  # the other methods do not iterate
        woven = piece.blend.weave.matter if method == "weave" else None
        plan_key = (square_key, symbol, quiet, look, piece.picture.guard, fades, piece.blend.map,
                    quick, woven)  # fmt: skip

        def plan() -> Plan:
            guard = factors = None
            if piece.picture.guard is not None:
                guard = self._guard_grid(piece, brief.framed.extent, spot, brief.modules)
            if piece.blend.map is not None:
                factors = self._factors(piece, brief.modules)
            how = None
            if woven is not None:
                # Without a reference to all of this, in which the plan is remembered.
                own = ref(self)
                how = lambda: own()._weavings.of(  # noqa: E731
                    brief, canvas, partial(own()._canvas, piece), quick, guard=guard,
                    factors=factors,
                )  # fmt: skip
            return Plan(square, symbol, quiet, look, images, guard, fades, factors, quick, how)

        planned = recall("plan", plan_key, plan, 2)

        gone = None if laid.cleared is None else laid.cleared.tobytes()
        bare_key = (plan_key, piece.blend, gone)

        def finish() -> np.ndarray:
            blended = blend(planned, piece.blend)
            if laid.cleared is not None:
                blended = _without(blended, square, planned, laid.cleared)
            if quad is not None:
                return warping.put_back(canvas.image, square, blended, quad)
            return placed(blended)

        def placed(upright: np.ndarray) -> np.ndarray:
            out = canvas.image.copy()
            out[box.slices] = squeezed(upright, box)
            return out

        bare, rgba = recall("bare", bare_key, finish, 2), None
        if canvas.clear is not None:
            rgba = recall(
                "see through", bare_key,
                lambda: _see_through(piece, bare, canvas.clear, box, quad),
            )  # fmt: skip
        marks = None if laid.cleared is not None else laid_marks(planned, piece.blend)
        made = Rendering(
            bare, canvas.image, box, symbol, quiet, True, piece.look, rgba, images, quad,
            spot.region, steered=brief.steered,
            marked=None if marks is None else marks[0],
            below=None if marks is None or quad is not None or marks[1] is square
            else placed(marks[1]),
        )  # fmt: skip
        if not laid.over:
            return made

        matrix, scale = made.matrix, made.code_side / made.modules
        image = recall(
            "finished", (bare_key, laid), lambda: painted(bare, laid.over, matrix, scale), 2
        )
        if rgba is not None:
            below = rgba
            rgba = recall(
                "see through laid", (bare_key, laid),
                lambda: painted(below, laid.over, matrix, scale),
            )  # fmt: skip
        return replace(made, image=image, rgba=rgba, laid=laid, bare=bare)

    def _arranged(self, piece: Piece, size: int, moving: bool) -> Rendering:
        """Stage 8: the piece in its layout."""
        layout = piece.layout
        own = self.pictures.about(layout.digest).size
        extent = output_size(own, size)
        scale = extent[0] / own[0]
        bare = piece.model_copy(update={"layout": Layout()})
        aspect = self._briefing.aspect(bare, self._briefing.symbol(bare))
        side = arrange.piece_side(layout, aspect, scale)
        alone = self._alone(self._brief(bare, min(MAX_SIDE, max(16, side)), moving), loose=True)

        def lay() -> np.ndarray:
            opened = self.pictures.opened(layout.digest)
            ground = on_ground(opened.rgb, opened.alpha, "#ffffff")
            way = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
            if extent == opened.size:
                return ground
            return cv2.resize(ground, extent, interpolation=way)

        ground = self._memory.recall("layout", (layout.digest, extent), lay)
        quad = arrange.place_in(layout, alone.size[0] / alone.size[1]) * scale
        return arrange.arranged(alone, ground, quad, np.array(layout.quad, float) * scale)

    # Helpers of the stages ------------------------------------------------------

    def _images(self, look: Look) -> dict[str, np.ndarray]:
        return {
            digest: self._memory.recall(
                "fills", digest, lambda d=digest: filling(self.pictures.opened(d)), 5
            )
            for digest in look.digests
        }

    def _guard_grid(
        self, piece: Piece, extent: tuple[int, int], spot: Spot, modules: int
    ) -> np.ndarray | None:
        """The guard on the grid of modules, 0 to 1."""
        guard = self.guard(piece, extent)
        if guard is None:
            return None
        square = guard[spot.box.slices]
        if spot.quad is not None:
            square = warping.cut(guard, spot.quad, 6 * modules)
        grid = cv2.resize(square, (modules, modules), interpolation=cv2.INTER_AREA)
        return grid.astype(np.float32) / 255

    @cached_property
    def _weavings(self) -> Weavings:
        from nimble_tile.core.weavings import Weavings

        return Weavings(self.pictures, self._briefing, self._memory)

    def _factors(self, piece: Piece, modules: int) -> np.ndarray | None:
        """Each module's strength in parts of the others'; None where the map is not of its size."""
        grid = self.pictures.mask(piece.blend.map)
        return grid.astype(np.float32) / 128 if grid.shape == (modules, modules) else None


def render(piece: Piece, size: int | None = None, pictures: Lease | None = None) -> Rendering:
    """Render a piece once, nothing remembered; see `Renderer.render`."""
    return Renderer(pictures or PictureStore()).render(piece, size)


def _without(
    blended: np.ndarray, square: np.ndarray, plan: Plan, cleared: np.ndarray
) -> np.ndarray:
    """A blended square whose cleared modules are the picture again."""
    grid = np.pad(cleared.astype(np.uint8) * 255, plan.quiet_zone)
    share = plan.on_pixels(grid).astype(np.float32)[..., None] / 255
    return np.rint(square * share + blended * (1 - share)).astype(np.uint8)


def _see_through(
    piece: Piece, image: np.ndarray, bare: tuple, box: Box, quad: np.ndarray | None
) -> np.ndarray:
    """The finished image with the picture's own alpha, opaque on the code's square."""
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
    return np.dstack([out, cv2.max(alpha, code)])
