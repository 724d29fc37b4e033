"""A window beside the main one, with work of its own."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Generic, TypeVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import row, set_rank, soft, thin_bar
from nimble_tile.ui.work.jobs import Jobs

if TYPE_CHECKING:
    from nimble_tile.ui.work.tools import Tools


class SideWindow(QWidget):
    """It belongs to a main window, uses its readers and trials, and says things at its foot.

    Parameters
    ----------
    tools : Tools
    parent : QWidget
        The main window.
    title : str
    width, height : int
    """

    def __init__(self, tools: Tools, parent: QWidget, title: str, width: int, height: int) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.tools = tools
        self.setWindowTitle(tr("{title} – Nimble Tile", title=title))
        self.resize(width, height)
        self.jobs = Jobs(tools.pictures, self)
        self.bar = thin_bar()
        self.note = soft()
        self.note.setTextFormat(Qt.TextFormat.PlainText)
        self._holds = False

    def say(self, text: str, rank: str = "soft") -> None:
        """A sentence at the foot."""
        self.note.setText(text)
        set_rank(self.note, rank)

    def foot(self, *buttons: QWidget) -> QHBoxLayout:
        """The sentence, and buttons behind it."""
        line = row(self.note, *buttons)
        line.setStretch(0, 1)
        return line

    def hold_trials(self, on: bool) -> None:
        """Let the trials of the main window rest: both would ask for all readers at once."""
        if on != self._holds:
            self._holds = on
            prover = self.tools.prover
            (prover.hold if on else prover.release)()

    def halt(self) -> None:
        """End what is being worked on."""
        self.jobs.clear()
        self.jobs.cancel()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.halt()
        event.accept()

    def shut_down(self) -> None:
        """End the worker."""
        self.halt()
        self.jobs.stop()


AnySideWindow = TypeVar("AnySideWindow", bound=SideWindow)


class Later(Generic[AnySideWindow]):
    """A window beside the main one that is built when it is first asked for."""

    def __init__(self, make: Callable[[], AnySideWindow]) -> None:
        self._make = make
        self._made: AnySideWindow | None = None
        self._theme = themes.LIGHT

    def get(self) -> AnySideWindow:
        """The window."""
        if self._made is None:
            self._made = self._make()
            self._made.dress(self._theme)
        return self._made

    def open(self) -> AnySideWindow:
        """Bring the window to the front."""
        window = self.get()
        window.show()
        window.raise_()
        window.activateWindow()
        return window

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._theme = theme
        if self._made is not None:
            self._made.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        if self._made is not None:
            self._made.shut_down()
            self._made.close()
