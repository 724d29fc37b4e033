"""Joins the picture rung with the bench: placing the code, crop, cut-out, best places."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Picture, Piece, Region
from nimble_tile.ui.bench.hands.brush import BrushHand
from nimble_tile.ui.bench.hands.crop import CropHand
from nimble_tile.ui.bench.hands.picture_mask import PictureMask
from nimble_tile.ui.bench.lenses import Lens
from nimble_tile.ui.rooms.picture.rung import PictureRung

if TYPE_CHECKING:
    from nimble_tile.ui.bench.bench import Bench
    from nimble_tile.ui.work.sights import Places
    from nimble_tile.ui.work.tools import Sight, Tools


class PictureDesk(QObject):
    """Rung 3.

    Attributes
    ----------
    rung : PictureRung
    brush : BrushHand
        Paints the cut-out.
    crop : CropHand
    """

    def __init__(self, tools: Tools, bench: Bench, sight: Sight, parent: QObject) -> None:
        super().__init__(parent)
        self.tools, self.session, self.bench, self.sight = tools, tools.session, bench, sight
        self._digest: str | None = None
        self._crop_start: Picture | None = None
        self.rung = rung = PictureRung(tools.session, tools.colours)
        self.brush = rung.hand = BrushHand(bench, "cut_out")
        self.crop = CropHand(bench)
        self.mask = PictureMask(tools, self.brush, tr("Keep the whole picture"), self)
        self.crop.cropped.connect(self._crop)
        self.crop.ended.connect(self._cropped)
        placing = bench.placing
        placing.placed.connect(self._placing)
        placing.ended.connect(self._placed)
        placing.refused.connect(self._refused)
        bench.spot_chosen.connect(self.place_middle)
        rung.work.connect(self.work_on)
        rung.looks_at_places.connect(lambda on: sight.want("places", on))
        rung.free_corners.connect(self._free_corners)
        rung.snaps.connect(lambda on: setattr(placing, "snaps", on))
        rung.place_chosen.connect(self.place_at)
        rung.lens_wanted.connect(lambda: sight.look_through(Lens.PLACES))
        rung.mask_cleared.connect(self.mask.clear)
        rung.mask_inverted.connect(self.mask.invert)

    # The pointer on the bench ------------------------------------------------

    def _placing(self, region: Region) -> None:
        self.sight.move_code(self.bench.placing.busy)
        self.session.edit("picture", tr("Place the code"), "place", region=region)

    def _placed(self) -> None:
        self.session.part()
        self.sight.move_code(False)

    def _free_corners(self, on: bool) -> None:
        self.bench.placing.free_corners = on
        self.rung.place.set_free(on)
        self.bench.update()

    def _refused(self, why: str) -> None:
        """A corner was held back; the word stands as long as it is."""
        if why:
            self.tools.notices.say(why)
        else:
            self.tools.notices.hide()

    def work_on(self, what: str) -> None:
        """Take a hand: for the ``"cut_out"``, the ``"crop"``, or ``""`` to place the code."""
        hand = {"cut_out": self.brush, "crop": self.crop}.get(what)
        if hand is None or self.session.piece.picture.digest is None:
            if self.bench.hand in (self.brush, self.crop):
                self.bench.take_hand(None)
                self.sight.work_on("")
            return
        if hand is self.crop:
            self.crop.crop = self.session.piece.picture.frame.crop
        self.bench.take_hand(hand)
        self.sight.work_on(what)

    def follow(self, piece: Piece) -> None:
        """The piece has changed: by an edit, an undo, another file."""
        digest = piece.picture.digest
        self.rung.know_picture(None if digest is None else self.tools.pictures.about(digest))
        if digest != self._digest:
            self._digest = digest
            self._offer_colours(digest)
        if self._crop_start is None:
            self.crop.crop = piece.picture.frame.crop
        if digest is None:
            self.work_on("")

    def _offer_colours(self, digest: str | None) -> None:
        """Colours of the piece's picture go to the colour panel."""
        colours = self.tools.colours
        colours.palette = []
        if digest is None:
            return

        def work(progress) -> list[str]:
            from nimble_tile.core.picture.palette import palette

            return palette(progress.pictures.opened(digest).over("#ffffff"))

        def done(found: list[str]) -> None:
            if digest == self._digest:
                colours.palette = found

        self.tools.jobs.start(work, done, lambda _: None)

    # Crop --------------------------------------------------------------------

    def _crop(self, crop: tuple[int, int, int, int]) -> None:
        if self._crop_start is None:
            self._crop_start = self.session.piece.picture
        self.session.reframe(tr("Crop the picture"), "crop", start=self._crop_start, crop=crop)

    def _cropped(self) -> None:
        self._crop_start = None
        self.session.part()

    # Best places -------------------------------------------------------------

    def show_places(self, places: Places) -> None:
        """The best places of the piece as it is are known."""
        self.bench.show_places(places)
        self.rung.show_places(places)

    def place_at(self, region: Region) -> None:
        """Put the code, with its turn and perspective, where a good place is."""
        self.place_middle(region.x + region.width / 2, region.y + region.height / 2)

    def place_middle(self, x: float, y: float) -> None:
        """Put the code's middle on a point of the framed picture."""
        from nimble_tile.core.picture.gestures import moved
        from nimble_tile.core.picture.placing import corners

        old = self.bench.place
        if old is None:
            return
        middle = corners(old).mean(0)
        by = (x - float(middle[0]), y - float(middle[1]))
        new, _ = moved(old, by, self.bench.extent)
        self.session.edit("picture", tr("Place the code"), region=new)
