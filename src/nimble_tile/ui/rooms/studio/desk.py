"""Opens the studio."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.core.errors import UserError
from nimble_tile.ui.work.side_window import Later

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.ui.rooms.studio.window import StudioWindow
    from nimble_tile.ui.work.tools import Tools


class StudioDesk(QObject):
    """The studio of one main window, built when it is first asked for.

    Signals
    -------
    used
        A candidate has become the picture of the piece.
    drafted
        Candidates were kept as drafts.
    mend_wanted : ndarray, str, str
        A picture is to be mended by hand: its name, and what it is to say.
    """

    used = Signal()
    drafted = Signal()
    mend_wanted = Signal(object, str, str)

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self._tools = tools
        self._later: Later[StudioWindow] = Later(self._make)

    def _make(self) -> StudioWindow:
        from nimble_tile.ui.rooms.studio.window import StudioWindow

        made = StudioWindow(self._tools, self.parent())
        made.used.connect(self.used)
        made.drafted.connect(self.drafted)
        made.mend_wanted.connect(self.mend_wanted)
        return made

    def open(self) -> StudioWindow | None:
        """Bring the window to the front."""
        try:
            return self._later.open()
        except UserError as error:  # its board cannot be kept
            self._tools.notices.say(str(error))
            return None

    def open_elsewhere(self) -> None:
        """Bring the window to the front where pictures come in."""
        window = self.open()
        if window is not None:
            for fold in window.folds:
                fold.set_open(fold is window.folds[-1])

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._later.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        self._later.stop()
