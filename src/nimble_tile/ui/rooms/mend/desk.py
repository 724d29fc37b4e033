"""Opens the mend window."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from nimble_tile.ui.work.side_window import Later

if TYPE_CHECKING:
    import numpy as np
    from PySide6.QtWidgets import QWidget

    from nimble_tile.ui.rooms.mend.window import MendWindow
    from nimble_tile.ui.work.tools import Tools


class MendDesk(QObject):
    """The mend window of one main window, built when it is first asked for."""

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self._tools = tools
        self._later: Later[MendWindow] = Later(self._make)

    def _make(self) -> MendWindow:
        from nimble_tile.ui.rooms.mend.window import MendWindow

        return MendWindow(self._tools, self.parent())

    def open(self) -> MendWindow:
        """Bring the window to the front."""
        return self._later.open()

    def take(self, pixels: np.ndarray, name: str, says: str) -> None:
        """Mend an image (uint8 H × W × 3) that is to say this."""
        window = self.open()
        window.controls.message.setPlainText(says)
        window.take(pixels, name)

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._later.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        self._later.stop()
