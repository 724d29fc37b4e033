"""Joins pixel art with the bench: beginning it, drawing on it, telling what a stroke costs."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from nimble_tile.core.artwork import Frame, Pixels
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import SOFTLY, Blend, Picture, Piece, Region
from nimble_tile.core.pixelart import PixelArt, drawn, indexed, mirrored, whole_size
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.ui.kit.asking import passing
from nimble_tile.ui.rooms.pixels.hand import PixelHand, PixelStroke
from nimble_tile.ui.rooms.pixels.strip import PixelStrip

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.core.scan.pixels import PixelCost
    from nimble_tile.ui.bench.bench import Bench
    from nimble_tile.ui.work.jobs import Progress
    from nimble_tile.ui.work.tools import Sight, Tools

USUAL_SIZE = 1080
"""About how large pixel art is exported, in pixels."""


class PixelsDesk(QObject):
    """Pixel art in one main window.

    Signals
    -------
    begun
        The piece has become pixel art.

    Attributes
    ----------
    strip : PixelStrip
        The tools; in sight while there is pixel art and the pencil is not put away.
    hand : PixelHand
    """

    begun = Signal()

    def __init__(self, tools: Tools, bench: Bench, sight: Sight, parent: QWidget) -> None:
        super().__init__(parent)
        self.tools, self.session, self.bench, self.sight = tools, tools.session, bench, sight
        self.strip = PixelStrip()
        self.strip.hide()
        self.hand = PixelHand(bench, self._mirror)
        self.art: PixelArt | None = None
        self.symbol: Symbol | None = None
        self.cost: PixelCost | None = None
        self._digest: str | None = None
        self._stroke_before: PixelCost | None = None
        self.hand.drawn.connect(self.stroke)
        self.hand.picked.connect(self._pick)
        self.hand.tooled.connect(self.take_tool)
        self.strip.tool.chosen.connect(lambda tool: self.take_tool(str(tool)))
        self.strip.palette.chosen.connect(lambda _: self._colour())
        self.strip.done.clicked.connect(self.put_away)

    # Beginning ------------------------------------------------------------------------------

    def open(self) -> None:
        """Begin pixel art, or take up the pencil where there is some."""
        if self.art is not None and not self.strip.isVisible():
            self.take_up()
            return
        self.begin()

    def begin(self) -> None:
        """Ask how it is to begin, and begin it."""
        picture = self.session.piece.picture
        if picture.digest is None:
            self._ask(None)
            return

        def work(progress: Progress) -> np.ndarray:
            return progress.pictures.opened(picture.digest).over(picture.ground)

        self.tools.run(work, self._ask)

    def _ask(self, image: np.ndarray | None) -> None:
        from nimble_tile.ui.rooms.pixels.begin import BeginDialog

        piece = self.session.piece
        with passing(BeginDialog(piece, image, self.parent())) as dialog:
            if dialog.exec() and dialog.art is not None:
                self.start(dialog.art, dialog.symbol, dialog.code)

    def start(self, art: PixelArt, symbol: Symbol, code) -> None:
        """The piece becomes this pixel art."""
        piece, name = self.session.piece, tr("Pixel art")
        lease = self.tools.pictures.lease()  # until the piece has it
        digest = lease.add_own(art.file(), name)
        side = art.pixels.shape[0]
        inner = side - 2 * art.first[0]
        quiet = inner // art.module - symbol.side
        region = Region(x=art.first[0], y=art.first[1], width=inner, height=inner)
        # The symbol stays this one: what is drawn stands on it.
        fixed = {"version": symbol.version, "mask": symbol.mask, "quiet_zone": quiet // 2,
                 "raise_level": False}  # fmt: skip
        if symbol.level != "-":
            fixed["level"] = symbol.level
        made = piece.model_copy(
            update={
                "code": code.model_copy(update=fixed),
                "picture": Picture(
                    digest=digest, name=name, region=region,
                    pixels=Pixels(module=art.module, palette=art.palette),
                ),
                "blend": Blend(method="gentle", strength=0, marks=SOFTLY),
                "finish": piece.finish.model_copy(
                    update={"size": whole_size(side, USUAL_SIZE), "mm": None, "format": "png"}
                ),
            }
        )  # fmt: skip
        self.session.put(made, tr("Begin pixel art"))
        self.begun.emit()
        self.take_up()

    # Following the piece -----------------------------------------------------------------

    def follow(self, piece: Piece) -> None:
        """The piece has changed: by a stroke, an undo, another file."""
        pixels, digest = piece.picture.pixels, piece.picture.digest
        if pixels is None or digest is None:
            self.art = self._digest = None
            self.put_away()
            return
        if digest != self._digest or self.art.palette != pixels.palette:
            self._digest = digest
            rgb = self.tools.pictures.opened(digest).over("#ffffff")
            region = piece.picture.region
            first = (0, 0) if region is None else (round(region.x), round(region.y))
            indices = indexed(rgb, pixels.palette)
            self.art = PixelArt(indices, pixels.palette, pixels.module, first)
            self.strip.palette.take(pixels.palette)
            self._colour()
        height, width = self.art.pixels.shape
        if piece.picture.frame != Frame():  # its pixels lie elsewhere on the bench then
            self.hand.side, self.cost = None, None
            self.strip.tell(
                tr("It is turned, cropped or extended: set the frame back to draw."), False
            )
            return
        self.hand.side = width, height
        self._count(piece)

    def _count(self, piece: Piece) -> None:
        """What the drawing leaves of the code, and what the last stroke took."""
        from nimble_tile.core.scan.pixels import pixel_cost

        try:
            self.symbol = encode(piece.message, piece.code)
        except UserError as error:
            self.symbol, self.cost = None, None
            self.strip.tell(str(error), False)
            return
        inner = self.art.module * (self.symbol.side + 2 * piece.code.quiet_zone)
        if inner + self.art.first[0] > self.art.pixels.shape[1]:
            self.cost = None
            self.strip.tell(tr("The code has become too large for this drawing."), False)
            return
        cost = pixel_cost(self.art, self.symbol)
        before, self._stroke_before = self._stroke_before, None
        self.cost = cost
        self.strip.tell(cost.told(before), cost.fine)

    # Drawing -------------------------------------------------------------------------------

    def take_up(self) -> None:
        """The pencil in the hand."""
        self.strip.show()
        self.sight.take_up(self.hand, (self.hand,))
        self.bench.setFocus()

    def put_away(self) -> None:
        """No pencil any more."""
        self.strip.hide()
        self.sight.take_up(None, (self.hand,))

    def take_tool(self, tool: str) -> None:
        """Take a tool."""
        self.hand.tool = tool
        self.strip.tool.set_value(tool)
        self.sight.take_up(self.hand, (self.hand,))
        self.bench.update()

    def _colour(self) -> None:
        palette = self.strip.palette
        if palette.colours:
            self.hand.colour = palette.colours[palette.current]
            if self.hand.tool in ("pick", "erase"):
                self.take_tool("pencil")

    def _pick(self, pixel: tuple[int, int]) -> None:
        x, y = pixel
        self.strip.palette.choose(int(self.art.pixels[y, x]))

    def _mirror(self, points: list[tuple[int, int]]) -> list[tuple[int, int]]:
        if self.art is None or not points:
            return points
        every = mirrored(np.array(points), self.art.pixels.shape, self.strip.mirror.currentData())
        return [tuple(map(int, point)) for part in every for point in part]

    def stroke(self, stroke: PixelStroke) -> None:
        """Draw a stroke: one step of undo."""
        if self.art is None or self.symbol is None:
            return
        art = drawn(
            self.art, self.symbol, stroke.tool, stroke.points, self.strip.palette.current,
            self.strip.mirror.currentData(),
        )  # fmt: skip
        if np.array_equal(art.pixels, self.art.pixels):
            return
        lease = self.tools.pictures.lease()  # until the piece has it
        digest = lease.add_own(art.file(), tr("Pixel art"))
        names = {"pencil": tr("Draw pixels"), "line": tr("Draw a line"), "fill": tr("Fill pixels"),
                 "erase": tr("Erase pixels")}  # fmt: skip
        self._stroke_before = self.cost
        self.session.edit("picture", names[stroke.tool], digest=digest)

    def dress(self, theme) -> None:
        """Follow the theme."""
        self.strip.dress(theme)
