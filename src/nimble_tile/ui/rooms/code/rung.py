"""Rung 2: the symbol and how it looks."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QLabel, QWidget

from nimble_tile.core.blend.unused import unused
from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments, set_rank
from nimble_tile.ui.ladder.rung import Rung
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.study import Study
    from nimble_tile.ui.rooms.code.colours import ColoursPage
    from nimble_tile.ui.rooms.code.looks import LooksPage
    from nimble_tile.ui.rooms.code.shapes import ShapesPage
    from nimble_tile.ui.rooms.code.symbol import SymbolPage
    from nimble_tile.ui.work.engine import Shown


class CodeRung(Rung):
    """Four pages: symbol, shapes, colours, looks.

    A page is made when it is first needed, so that the window opens sooner.

    Signals
    -------
    file_wanted : str
        A shape or a picture of the finders; see `ShapesPage`.
    picture_wanted : str
        A picture for a fill; see `ColoursPage`.
    looks_opened
        The page of the looks is there for the first time.
    apply_wanted : Look
    save_wanted, forget_wanted : str
    export_wanted, import_wanted
        See `LooksPage`.
    """

    title, rung = tr("Code"), "code"
    file_wanted = Signal(str)
    picture_wanted = Signal(str)
    looks_opened = Signal()
    apply_wanted = Signal(object)
    save_wanted = Signal(str)
    forget_wanted = Signal(str)
    export_wanted = Signal()
    import_wanted = Signal()

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session)
        self._desk = desk
        self._theme = themes.LIGHT
        self._study: Study | None = None
        self._verdict: Verdict | None = None
        self._shown: Shown | None = None
        self.page = Segments(
            tr("Page"),
            [
                ("symbol", tr("Symbol"), tr("Level, version, mask, quiet zone")),
                ("shapes", tr("Shapes"), tr("Modules, finders, alignment patterns")),
                ("colours", tr("Colours"), tr("Fills and their contrast")),
                ("looks", tr("Looks"), tr("Saved appearances")),
            ],
        )
        self.page.chosen.connect(self.open_page)
        self.page.set_value("symbol")
        self._made: dict[str, QWidget] = {}
        self.error = QLabel()
        self.error.setWordWrap(True)
        set_rank(self.error, "error")
        self.error.hide()
        self.unused = QLabel()
        self.unused.setWordWrap(True)
        set_rank(self.unused, "warn")
        self.unused.hide()
        self.body.addWidget(self.page)
        self.body.addWidget(self.error)
        self.body.addWidget(self.unused)

    # Pages -----------------------------------------------------------------

    @cached_property
    def symbol(self) -> SymbolPage:
        from nimble_tile.ui.rooms.code.symbol import SymbolPage

        return self._take("symbol", SymbolPage(self.session))

    @cached_property
    def shapes(self) -> ShapesPage:
        from nimble_tile.ui.rooms.code.shapes import ShapesPage

        page = ShapesPage(self.session, self._desk)
        page.file_wanted.connect(self.file_wanted)
        return self._take("shapes", page)

    @cached_property
    def colours(self) -> ColoursPage:
        from nimble_tile.ui.rooms.code.colours import ColoursPage

        page = ColoursPage(self.session, self._desk)
        page.picture_wanted.connect(self.picture_wanted)
        return self._take("colours", page)

    @cached_property
    def looks(self) -> LooksPage:
        from nimble_tile.ui.rooms.code.looks import LooksPage

        page = LooksPage(self.session)
        page.apply_wanted.connect(self.apply_wanted)
        page.save_wanted.connect(self.save_wanted)
        page.forget_wanted.connect(self.forget_wanted)
        page.export_wanted.connect(self.export_wanted)
        page.import_wanted.connect(self.import_wanted)
        return self._take("looks", page)

    def _take(self, name: str, page: QWidget) -> QWidget:
        """A page that was just made gets what the others know already."""
        self._made[name] = page
        self.body.addWidget(page)
        page.setVisible(self.page.value == name)
        page.dress(self._theme)
        page.show_piece(self.session.piece)
        if name == "colours" and self._verdict is not None:
            page.show_verdict(self._verdict)
        if name != "looks" and self._study is not None:
            page.show_study(self._study)
        if name == "symbol" and self._shown is not None:
            page.show_rendering(self._shown)
        if name == "looks":
            QTimer.singleShot(0, self, self.looks_opened.emit)
        return page

    def open_page(self, name: str) -> None:
        """Show one of the pages."""
        self.page.set_value(name)
        getattr(self, name)
        for own, page in self._made.items():
            page.setVisible(own == name)

    def showEvent(self, event: QShowEvent) -> None:
        self.open_page(self.page.value)
        super().showEvent(event)

    # Showing ---------------------------------------------------------------

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        look = "" if piece.look.plain else f", {piece.look.name or tr('own look')}"
        if shown is None or shown.rendering is None:
            return tr("Level {level}{look}", level=piece.code.level, look=look)
        symbol = shown.rendering.symbol
        level = "" if symbol.level == "-" else f"-{symbol.level}"
        steered = tr(", steered") if shown.rendering.steered is not None else ""
        return tr(
            "{version}{level}, {side} modules, mask {mask}{steered}{look}",
            version=symbol.version,
            level=level,
            side=symbol.side,
            mask=symbol.mask,
            steered=steered,
            look=look,
        )

    def show_piece(self, piece: Piece) -> None:
        self._verdict = None
        left = unused(piece)
        self.unused.setText(left)
        self.unused.setVisible(bool(left))
        for page in self._made.values():
            page.show_piece(piece)

    def show_rendering(self, shown: Shown) -> None:
        self._shown = shown
        if "symbol" in self._made:
            self.symbol.show_rendering(shown)

    def show_study(self, study: Study) -> None:
        self._study = study
        for name, page in self._made.items():
            if name != "looks":
                page.show_study(study)

    def show_verdict(self, verdict: Verdict) -> None:
        self._verdict = verdict
        if "colours" in self._made:
            self.colours.show_verdict(verdict)

    def show_error(self, error: UserError | None) -> None:
        concerns = isinstance(error, MessageError) and bool(self.session.piece.message.text)
        self.error.setText(str(error) if concerns else "")
        self.error.setVisible(concerns)

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self._theme = theme
        for page in self._made.values():
            page.dress(theme)
