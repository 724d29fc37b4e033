"""Rung 6: caption, frame, layout, export."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from nimble_tile.core.language import tr, within
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments
from nimble_tile.ui.ladder.paged import PagedRung
from nimble_tile.ui.rooms.finish.export_page import FORMATS, ExportPage
from nimble_tile.ui.rooms.finish.surround import SURROUND_KINDS
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session
from nimble_tile.ui.work.settings import Settings

if TYPE_CHECKING:
    from nimble_tile.core.laid import Laid
    from nimble_tile.core.study import Study
    from nimble_tile.ui.rooms.finish.caption import CaptionPage
    from nimble_tile.ui.rooms.finish.layout import LayoutPage
    from nimble_tile.ui.rooms.finish.surround import SurroundPage
    from nimble_tile.ui.work.engine import Shown


class FinishRung(PagedRung):
    """Four pages: caption, frame, layout, export.

    Signals
    -------
    export_wanted, print_wanted, press_wanted
        See `ExportPage`.
    work : str
        What is worked on on the bench: ``"caption"``, ``"layout"`` or ``""``.
    layout_open : bool
        The rung is open, so that the piece is shown in its layout, or no longer.
    picked : int
        Another caption is edited.
    room_wanted
        See `SurroundPage`.
    layout_wanted, shipped_wanted
        See `LayoutPage`.
    """

    title, rung = tr("Finish"), "finish"
    export_wanted = Signal()
    print_wanted = Signal()
    press_wanted = Signal()
    work = Signal(str)
    layout_open = Signal(bool)
    picked = Signal(int)
    room_wanted = Signal()
    layout_wanted = Signal()
    shipped_wanted = Signal(str)

    def __init__(self, session: Session, desk: ColourDesk, settings: Settings) -> None:
        super().__init__(session, desk)
        self._settings = settings
        self._study: Study | None = None
        self._laid: Laid | None = None
        self._beyond = ""
        self.page = Segments(
            tr("Page"),
            [
                ("caption", tr("Caption"), tr("Text on the code or beside it")),
                ("surround", tr("Frame"), tr("A frame drawn round code and caption")),
                ("layout", tr("Layout"), tr("The piece on a card, a ticket, a poster")),
                ("export", tr("Export"), tr("Size, file format, export and check")),
            ],
        )
        self.page.set_value("export")
        self.page.chosen.connect(self.open_page)
        self.files = ExportPage(session, desk, settings)
        self.files.export_wanted.connect(self.export_wanted)
        self.files.print_wanted.connect(self.print_wanted)
        self.files.press_wanted.connect(self.press_wanted)
        self.body.addWidget(self.page)
        self.body.addWidget(self.files)

    # Pages -----------------------------------------------------------------

    @cached_property
    def caption(self) -> CaptionPage:
        from nimble_tile.ui.rooms.finish.caption import CaptionPage

        page = CaptionPage(self.session, self._desk, self._settings)
        page.picked.connect(self.picked)
        return self._take("caption", page)

    @cached_property
    def surround(self) -> SurroundPage:
        from nimble_tile.ui.rooms.finish.surround import SurroundPage

        page = SurroundPage(self.session, self._desk)
        page.room_wanted.connect(self.room_wanted)
        page.show_reach(self._beyond)
        return self._take("surround", page)

    @cached_property
    def layout_page(self) -> LayoutPage:
        from nimble_tile.ui.rooms.finish.layout import LayoutPage

        page = LayoutPage(self.session, self._desk)
        page.wanted.connect(self.layout_wanted)
        page.shipped_wanted.connect(self.shipped_wanted)
        return self._take("layout", page)

    def open_page(self, name: str) -> None:
        """Show one of the pages, and take the hand that it works with."""
        self.page.set_value(name)
        if name != "export":
            getattr(self, "layout_page" if name == "layout" else name)
        self.files.setVisible(name == "export")
        self._show_page(name)
        self._show_notes()
        self._tell()

    def _tell(self) -> None:
        """What is worked on on the bench, as far as this rung is open."""
        name = self.page.value if self.isVisible() else ""
        there = bool(self.session.piece.caption.items)
        self.layout_open.emit(self.isVisible())
        in_layout = self.session.piece.layout.digest is not None
        self.work.emit(
            "caption" if name == "caption" and there
            else "layout" if name == "layout" and in_layout else ""
        )  # fmt: skip

    def show_study(self, study: Study) -> None:
        self._study = study
        self._show_notes()

    def show_beyond(self, told: str) -> None:
        """Whether what is laid sticks out of the picture."""
        self._beyond = told
        if "surround" in self._made:
            self.surround.show_reach(told)

    def _show_notes(self) -> None:
        if "caption" not in self._made:
            return
        found = self._study.coverage if self._study is not None else None
        shares = [s for s in found.shares if s.role == "caption"] if found else []
        cost = ""
        if shares:
            count = sum(s.codewords for s in shares)
            cost = tr(
                "On the code captions touch {count} modules and spoil {count2} codewords.",
                count=sum(s.modules for s in shares),
                count2=count,
            )
        self.caption.show_notes(self._laid.notes if self._laid else (), cost)

    # Showing ---------------------------------------------------------------

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        size = piece.finish.size or (shown.natural if shown and shown.natural else 0)
        kind = {kind: label for kind, label, _ in FORMATS}[piece.finish.format]
        more = [name for name, there in (
            (tr("caption"), any(c.text.strip() for c in piece.caption.items)),
            (within(dict(SURROUND_KINDS)[piece.surround.kind]), piece.surround.kind != "none"),
            (tr("in {name}",
                name=piece.layout.name or tr('a layout')), piece.layout.digest is not None),
        ) if there]  # fmt: skip
        if kind == "JPEG":
            kind = f"JPEG {piece.finish.quality}"
        extent = (
            tr("{mm:g} mm", mm=piece.finish.mm)
            if piece.finish.mm
            else tr("{size} px", size=size)
            if size
            else ""
        )
        told = f"{kind}, {extent}" if extent else kind
        line = ", ".join([*more, told])
        return line[0].upper() + line[1:]

    def show_piece(self, piece: Piece) -> None:
        for page in self._made.values():
            page.show_piece(piece)
        if self.isVisible():
            self._tell()
        self.files.show_piece(piece)

    def show_rendering(self, shown: Shown) -> None:
        self._laid = shown.rendering.laid if shown.rendering is not None else None
        self._show_notes()
        self.files.show_rendering(shown)

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self.files.dress(theme)
