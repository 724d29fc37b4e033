"""A rung of several pages, each made when it is first looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtGui import QHideEvent, QShowEvent

from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments
from nimble_tile.ui.ladder.rung import Rung
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.ui.ladder.page import Page


class PagedRung(Rung):
    """A bar of pages, one of them open; heirs say what is worked on on the bench.

    Attributes
    ----------
    page : Segments
        The bar, which heirs make.
    """

    page: Segments

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session)
        self._desk = desk
        self._theme = themes.LIGHT
        self._made: dict[str, Page] = {}

    def _take(self, name: str, page: Page) -> Page:
        """Put in a page that was just made."""
        self._made[name] = page
        self.body.addWidget(page)
        page.setVisible(False)
        page.dress(self._theme)
        page.show_piece(self.session.piece)
        return page

    def _show_page(self, name: str | None) -> None:
        """Of the pages that were made, show this one alone."""
        for own, page in self._made.items():
            page.setVisible(own == name)

    def open_page(self, name: str) -> None:
        """Show one of the pages, and take the hand that it works with."""

    def _tell(self) -> None:
        """Say what is worked on on the bench, as far as this rung is open."""

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.open_page(self.page.value)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._tell()

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self._theme = theme
        for page in self._made.values():
            page.dress(theme)
