"""The ICC profiles of this computer, listed without holding the window up."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QComboBox

from nimble_tile.ui.work.jobs import Latest

if TYPE_CHECKING:
    from nimble_tile.core.output.inks import Profile


class Profiles(QObject):
    """Looks for profiles in a thread of its own.

    Signals
    -------
    listed
        They are known now.
    """

    listed = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.found: tuple[Profile, ...] | None = None
        self._latest = Latest("profiles", self)
        self._latest.answered.connect(self._took)

    def look(self) -> None:
        """Look again: some may have been put there."""

        def work() -> tuple[Profile, ...]:
            from nimble_tile.core.output.inks import profiles

            return profiles()

        self._latest.ask(work)

    def _took(self, found: tuple[Profile, ...]) -> None:
        self.found = found
        self.listed.emit()

    def fill(self, combo: QComboBox, chosen: str) -> None:
        """Put them into a list, with one of them chosen by its file name."""
        combo.clear()
        for profile in self.found or ():
            combo.addItem(profile.name, profile.path.name)
        combo.setCurrentIndex(max(0, combo.findData(chosen)))

    def stop(self) -> None:
        """End the thread."""
        self._latest.stop()
