"""Opens the window for many codes at once."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from nimble_tile.ui.work.side_window import Later

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.ui.rooms.batch.window import BatchWindow
    from nimble_tile.ui.work.tools import Tools


class BatchDesk(QObject):
    """Batches for one main window; built when it is first asked for."""

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self._tools = tools
        self._later: Later[BatchWindow] = Later(self._make)

    def _make(self) -> BatchWindow:
        from nimble_tile.ui.rooms.batch.window import BatchWindow

        return BatchWindow(self._tools, self.parent())

    def open(self) -> BatchWindow:
        """Bring the window to the front."""
        return self._later.open()

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._later.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        self._later.stop()
