"""Joins the window with what tries variants beside it: the sweep, and mending."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from nimble_tile.ui.side_window import Later

if TYPE_CHECKING:
    from nimble_tile.ui.mend_window import MendWindow
    from nimble_tile.ui.sweep_window import SweepWindow
    from nimble_tile.ui.window import Window


class TryingDesk(QObject):
    """The sweep window and the mend window of one main window."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._sweep, self._mend = Later(window, _sweep_window), Later(window, _mend_window)

    def open_sweep(self) -> SweepWindow:
        """Bring the sweep window to the front."""
        return self._sweep.open()

    def open_mend(self) -> MendWindow:
        """Bring the mend window to the front."""
        return self._mend.open()

    def dress(self, theme) -> None:
        """Follow the theme."""
        for later in (self._sweep, self._mend):
            later.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        for later in (self._sweep, self._mend):
            later.stop()


def _sweep_window() -> type[SweepWindow]:
    from nimble_tile.ui.sweep_window import SweepWindow

    return SweepWindow


def _mend_window() -> type[MendWindow]:
    from nimble_tile.ui.mend_window import MendWindow

    return MendWindow
