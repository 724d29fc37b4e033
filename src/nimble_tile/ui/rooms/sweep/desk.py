"""Opens the sweep window."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.ui.work.side_window import Later

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.ui.rooms.sweep.window import SweepWindow
    from nimble_tile.ui.work.tools import Tools


class SweepDesk(QObject):
    """The sweep window of one main window, built when it is first asked for.

    Signals
    -------
    drafts_kept
        Results were put on the draft shelf.
    """

    drafts_kept = Signal()

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self._tools = tools
        self._later: Later[SweepWindow] = Later(self._make)

    def _make(self) -> SweepWindow:
        from nimble_tile.ui.rooms.sweep.window import SweepWindow

        made = SweepWindow(self._tools, self.parent())
        made.drafts_kept.connect(self.drafts_kept)
        return made

    def open(self) -> SweepWindow:
        """Bring the window to the front."""
        return self._later.open()

    def sweep(self, key: str) -> None:
        """Sweep one setting over all that it may be, at once."""
        self.open().sweep_one(key)

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._later.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        self._later.stop()
