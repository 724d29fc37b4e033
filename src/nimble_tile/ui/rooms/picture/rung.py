"""Rung 3: the picture, what is done to it, and the code's place on it."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import QLabel, QPushButton

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.language import tr
from nimble_tile.core.picture.store import About
from nimble_tile.core.piece import Picture, Piece, Region
from nimble_tile.ui.kit.controls import Segments, row, set_rank, soft
from nimble_tile.ui.ladder.paged import PagedRung
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.ui.bench.hands.brush import BrushHand
    from nimble_tile.ui.rooms.picture.cutout import CutOutPage
    from nimble_tile.ui.rooms.picture.frame import FramePage
    from nimble_tile.ui.rooms.picture.placement import PlacePage
    from nimble_tile.ui.rooms.picture.tones import TonesPage
    from nimble_tile.ui.work.engine import Shown
    from nimble_tile.ui.work.sights import Places


class PictureRung(PagedRung):
    """Bring, replace, remove; four pages: place, crop, tones, cut-out.

    Signals
    -------
    wanted
        The person wants to choose a file.
    work : str
        What is to be worked on on the bench: ``"cut_out"``, ``"crop"`` or ``""``.
    looks_at_places : bool
        The best places are in sight, or no longer.
    free_corners, snaps, place_chosen, lens_wanted
        See `PlacePage`.
    mask_cleared, mask_inverted
        The cut-out is to be forgotten, or turned round.
    """

    title, rung = tr("Picture"), "picture"
    wanted = Signal()
    work = Signal(str)
    looks_at_places = Signal(bool)
    free_corners = Signal(bool)
    snaps = Signal(bool)
    place_chosen = Signal(object)
    lens_wanted = Signal()
    mask_cleared = Signal()
    mask_inverted = Signal()

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self._about: About | None = None
        self._frame: tuple[tuple[int, int] | None, Region | None] = (None, None)
        self._places: Places | None = None
        self.hand: BrushHand | None = None
        self.about = QLabel()
        self.about.setWordWrap(True)
        self.note = soft()
        self.bring = QPushButton(tr("Bring in a picture…"))
        self.bring.clicked.connect(self.wanted)
        self.remove = QPushButton(tr("Remove"))
        self.remove.clicked.connect(self._remove)
        self.page = Segments(
            tr("Page"),
            [
                ("place", tr("Place"), tr("Where the code lies on the picture")),
                ("frame", tr("Crop"), tr("Turn, crop, extend, repeat")),
                ("tones", tr("Tones"), tr("Light, levels, curve, posterise, two tones")),
                ("cutout", tr("Cut-out"), tr("Keep the subject, take the background away")),
            ],
        )
        self.page.set_value("place")
        self.page.chosen.connect(self.open_page)
        self.error = QLabel()
        self.error.setWordWrap(True)
        set_rank(self.error, "error")
        self.error.hide()
        self.body.addWidget(self.about)
        self.body.addWidget(self.note)
        self.body.addLayout(row(self.bring, self.remove, 1))
        self.body.addWidget(self.error)
        self.body.addWidget(self.page)

    def _remove(self) -> None:
        ground = self.session.piece.picture.ground
        piece = self.session.piece.model_copy(update={"picture": Picture(ground=ground)})
        self.session.put(piece, tr("Remove the picture"))

    # Pages -----------------------------------------------------------------

    @cached_property
    def place(self) -> PlacePage:
        from nimble_tile.ui.rooms.picture.placement import PlacePage

        page = PlacePage(self.session, self._desk)
        page.free_corners.connect(self.free_corners)
        page.snaps.connect(self.snaps)
        page.place_chosen.connect(self.place_chosen)
        page.lens_wanted.connect(self.lens_wanted)
        page.show_frame(*self._frame)
        page.show_places(self._places)
        return self._take("place", page)

    @cached_property
    def frame(self) -> FramePage:
        from nimble_tile.ui.rooms.picture.frame import FramePage

        page = FramePage(self.session, self._desk)
        page.crop_wanted.connect(lambda on: self.work.emit("crop" if on else ""))
        page.know_transparent(self._about is not None and self._about.transparent)
        return self._take("frame", page)

    @cached_property
    def tones(self) -> TonesPage:
        from nimble_tile.ui.rooms.picture.tones import TonesPage

        return self._take("tones", TonesPage(self.session, self._desk))

    @cached_property
    def cutout(self) -> CutOutPage:
        from nimble_tile.ui.rooms.picture.cutout import CutOutPage

        page = CutOutPage(self.session, self._desk, self.hand)
        page.brush.clear.clicked.connect(self.mask_cleared)
        page.brush.invert.clicked.connect(self.mask_inverted)
        return self._take("cutout", page)

    def open_page(self, name: str) -> None:
        """Show one of the pages, and take the hand that it works with."""
        self.page.set_value(name)
        there = self.session.piece.picture.digest is not None
        if there:
            getattr(self, name)
        self._show_page(name if there else None)
        if "frame" in self._made and name != "frame":
            self.frame.stop_cropping()
        if name == "cutout" and there:
            self.cutout.brush.show_hand()
        self._tell()

    def _tell(self) -> None:
        """What is worked on on the bench, as far as this rung is open."""
        there = self.isVisible() and self.session.piece.picture.digest is not None
        name = self.page.value
        cropping = name == "frame" and "frame" in self._made and (
            self.frame.crop_on_bench.isChecked())  # fmt: skip
        what = "cut_out" if name == "cutout" else "crop" if cropping else ""
        self.work.emit(what if there else "")
        self.looks_at_places.emit(there and name == "place")

    def hideEvent(self, event: QHideEvent) -> None:
        if "frame" in self._made:
            self.frame.stop_cropping()
        super().hideEvent(event)

    # Showing ---------------------------------------------------------------

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        if piece.picture.digest is None:
            return tr("None yet: the code stands alone")
        return piece.picture.name or tr("A picture")

    def know_picture(self, about: About | None) -> None:
        """What is known of the piece's picture."""
        self._about = about
        if "frame" in self._made:
            self.frame.know_transparent(about is not None and about.transparent)

    def show_frame(self, size: tuple[int, int] | None, place: Region | None) -> None:
        """Size of the framed picture, and the place that is used on it."""
        self._frame = (size, place)
        if "place" in self._made:
            self.place.show_frame(size, place)

    def show_places(self, places: Places | None) -> None:
        """The best places of the current piece."""
        self._places = places
        if "place" in self._made:
            self.place.show_places(places)

    def show_piece(self, piece: Piece) -> None:
        picture = piece.picture
        there = picture.digest is not None
        self.bring.setText(tr("Replace…") if there else tr("Bring in a picture…"))
        self.remove.setVisible(there)
        self.page.setVisible(there)
        notes = self._about.notes if self._about else ()
        if self._about:
            width, height = self._about.size
            self.about.setText(
                tr(
                    "{name}\n{width} × {height} pixels",
                    name=picture.name,
                    width=width,
                    height=height,
                )
            )
        else:
            self.about.setText(tr("Drop a PNG, JPEG, WebP or TIFF file anywhere on the window."))
        self.note.setText(" ".join(notes))
        self.note.setVisible(bool(notes))
        for page in self._made.values():
            page.show_piece(piece)
        shown = self._made.get(self.page.value)
        if self.isVisible() and (shown is None or shown.isVisibleTo(self) != there):
            self.open_page(self.page.value)

    def show_error(self, error: UserError | None) -> None:
        concerns = error is not None and not isinstance(error, MessageError)
        self.error.setText(str(error) if concerns else "")
        self.error.setVisible(concerns)
