"""The one colour panel of a window, shared by all swatches."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QPoint, Signal
from PySide6.QtWidgets import QWidget

from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.colours import MOST_RECENT, ColourPanel, Swatch
from nimble_tile.ui.work.settings import Settings


class ColourDesk(QObject):
    """Opens the panel for a swatch and remembers colours that were used.

    Signals
    -------
    pick_wanted : object
        A colour is to be picked from the bench; carries what to call with it.
    """

    pick_wanted = Signal(object)

    def __init__(self, parent: QWidget, settings: Settings) -> None:
        super().__init__(parent)
        self._settings = settings
        self.panel = ColourPanel(parent)
        self.panel.chosen.connect(self._chosen)
        self.panel.settled.connect(self._settled)
        self.panel.pick_wanted.connect(self._pick)
        self.palette: list[str] = []
        self._take: Callable[[str], None] | None = None
        self._settle: Callable[[], None] | None = None

    @property
    def recent(self) -> list[str]:
        """Colours used last, newest first."""
        import re

        known = self._settings.get("colours", [])
        good = [c for c in known if isinstance(c, str) and re.fullmatch("#[0-9a-f]{6}", c)]
        return good[:MOST_RECENT]

    def remember(self, colour: str) -> None:
        """A colour was used."""
        others = [known for known in self.recent if known != colour]
        self._settings.set("colours", [colour, *others][:MOST_RECENT])

    def open(
        self,
        swatch: Swatch,
        title: str,
        take: Callable[[str], None],
        settle: Callable[[], None],
    ) -> None:
        """Open the panel for a swatch.

        Parameters
        ----------
        swatch : Swatch
        title : str
        take : callable
            Gets each colour while it is being changed.
        settle : callable
            Called when the change is over.
        """
        self._take, self._settle = take, settle
        corner = swatch.mapToGlobal(QPoint(swatch.width() + 8, -40))
        self.panel.open_for(title, swatch.colour, self.recent, self.palette, corner)
        self._before = swatch.colour

    def _chosen(self, colour: str) -> None:
        if self._take is not None:
            self._take(colour)

    def _settled(self) -> None:
        if self._settle is not None:
            self._settle()
            if self.panel.colour != self._before:
                self.remember(self.panel.colour)
                self._before = self.panel.colour

    def _pick(self) -> None:
        take, settle = self._take, self._settle

        def picked(colour: str) -> None:
            take(colour)
            settle()
            self.remember(colour)

        self.pick_wanted.emit(picked)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.panel.dress(theme)
