"""Opens the window for drawing by hand."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.ui.work.side_window import Later

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.ui.rooms.drawn.window import DrawnWindow
    from nimble_tile.ui.work.tools import Tools


class DrawnDesk(QObject):
    """Drawing by hand for one main window; built when it is first asked for.

    Signals
    -------
    used
        A drawing has become the picture of the piece.
    drafted
        A revision was kept.
    """

    used = Signal()
    drafted = Signal()

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self._tools = tools
        self._later: Later[DrawnWindow] = Later(self._make)

    def _make(self) -> DrawnWindow:
        from nimble_tile.ui.rooms.drawn.window import DrawnWindow

        made = DrawnWindow(self._tools, self.parent())
        made.used.connect(self.used)
        made.drafted.connect(self.drafted)
        return made

    def open(self) -> DrawnWindow:
        """Bring the window to the front."""
        return self._later.open()

    def open_back(self) -> None:
        """Bring the window to the front, and ask for a photo."""
        self.open().choose_photo()

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._later.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        self._later.stop()
