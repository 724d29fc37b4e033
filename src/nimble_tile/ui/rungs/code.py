"""Rung 2: the symbol and how it looks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.piece import Piece
from nimble_tile.ui import theme as themes
from nimble_tile.ui.colour_desk import ColourDesk
from nimble_tile.ui.controls import Segments, set_rank
from nimble_tile.ui.pages.colours import ColoursPage
from nimble_tile.ui.pages.looks import LooksPage
from nimble_tile.ui.pages.shapes import ShapesPage
from nimble_tile.ui.pages.symbol import SymbolPage
from nimble_tile.ui.rungs.base import Rung
from nimble_tile.ui.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.study import Study
    from nimble_tile.ui.engine import Shown


class CodeRung(Rung):
    """Four pages: symbol, shapes, colours, looks."""

    title, rung = "Code", "code"
    looks_opened = Signal()

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session)
        self.page = Segments(
            "Page",
            [
                ("symbol", "Symbol", "Level, version, mask, quiet zone"),
                ("shapes", "Shapes", "Modules, finders, alignment patterns"),
                ("colours", "Colours", "Fills and their contrast"),
                ("looks", "Looks", "Saved appearances"),
            ],
        )
        self.page.chosen.connect(self.open_page)
        self.symbol = SymbolPage(session)
        self.shapes = ShapesPage(session, desk)
        self.colours = ColoursPage(session, desk)
        self.looks = LooksPage(session)
        self._pages = {
            "symbol": self.symbol, "shapes": self.shapes, "colours": self.colours,
            "looks": self.looks,
        }  # fmt: skip
        self.error = QLabel()
        self.error.setWordWrap(True)
        set_rank(self.error, "error")
        self.error.hide()
        self.body.addWidget(self.page)
        self.body.addWidget(self.error)
        for page in self._pages.values():
            self.body.addWidget(page)
        self.open_page("symbol")

    def open_page(self, name: str) -> None:
        """Show one of the pages."""
        self.page.set_value(name)
        for own, page in self._pages.items():
            page.setVisible(own == name)
        if name == "looks" and not self.looks.looks:
            self.looks_opened.emit()

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        look = "" if piece.look.plain else f", {piece.look.name or 'own look'}"
        if shown is None or shown.rendering is None:
            return f"Level {piece.code.level}{look}"
        symbol = shown.rendering.symbol
        level = "" if symbol.level == "-" else f"-{symbol.level}"
        return f"{symbol.version}{level}, {symbol.side} modules, mask {symbol.mask}{look}"

    def show_piece(self, piece: Piece) -> None:
        for page in self._pages.values():
            page.show_piece(piece)

    def show_study(self, study: Study) -> None:
        for page in (self.symbol, self.shapes, self.colours):
            page.show_study(study)

    def show_verdict(self, verdict: Verdict) -> None:
        self.colours.show_verdict(verdict)

    def show_error(self, error: UserError | None) -> None:
        concerns = isinstance(error, MessageError) and bool(self.session.piece.message.text)
        self.error.setText(str(error) if concerns else "")
        self.error.setVisible(concerns)

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        for page in self._pages.values():
            page.dress(theme)
