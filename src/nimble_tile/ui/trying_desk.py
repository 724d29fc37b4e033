"""Joins the window with what tries variants beside it: the sweep, and mending."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

if TYPE_CHECKING:
    from nimble_tile.ui.mend_window import MendWindow
    from nimble_tile.ui.sweep_window import SweepWindow
    from nimble_tile.ui.window import Window


class TryingDesk(QObject):
    """Windows of one main window, built when they are first asked for."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self._sweep: SweepWindow | None = None
        self._mend: MendWindow | None = None

    @property
    def mend(self) -> MendWindow:
        """The mend window."""
        if self._mend is None:
            from nimble_tile.ui.mend_window import MendWindow

            self._mend = MendWindow(self.window)
            self._mend.dress(self.window._theme())
        return self._mend

    def open_mend(self) -> MendWindow:
        """Bring the mend window to the front."""
        return _to_front(self.mend)

    @property
    def sweep(self) -> SweepWindow:
        """The sweep window."""
        if self._sweep is None:
            from nimble_tile.ui.sweep_window import SweepWindow

            self._sweep = SweepWindow(self.window)
            self._sweep.dress(self.window._theme())
        return self._sweep

    def open_sweep(self) -> SweepWindow:
        """Bring the sweep window to the front."""
        return _to_front(self.sweep)

    def dress(self, theme) -> None:
        """Follow the theme."""
        for window in (self._sweep, self._mend):
            if window is not None:
                window.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        for window in (self._sweep, self._mend):
            if window is not None:
                window.shut_down()
                window.close()


def _to_front(window):
    window.show()
    window.raise_()
    window.activateWindow()
    return window
