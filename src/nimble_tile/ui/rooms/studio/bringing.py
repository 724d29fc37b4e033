"""How pictures that were made elsewhere come in: chosen, dropped, or from a watched folder."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.studio.board import BoardFile
from nimble_tile.ui.kit.images import PICTURES
from nimble_tile.ui.work.jobs import Jobs
from nimble_tile.ui.work.settings import Settings
from nimble_tile.ui.work.watcher import Watcher


class Bringing(QObject):
    """Takes picture files onto a board.

    Signals
    -------
    taken
        Pictures wait on the board to be tried.
    told : str, bool
        A sentence, and whether it is bad news.
    watching : bool
        Whether a folder is watched.
    """

    taken = Signal()
    told = Signal(str, bool)
    watching = Signal(bool)

    def __init__(self, board: BoardFile, jobs: Jobs, settings: Settings, parent: QWidget) -> None:
        super().__init__(parent)
        self.board, self._jobs, self._settings = board, jobs, settings
        self.message = ""  # what their codes are to say
        self.watcher = Watcher(self)
        self.watcher.appeared.connect(lambda path: self.bring([path]))
        self.watcher.lost.connect(self._lost)

    def choose(self) -> None:
        """Ask for pictures."""
        paths, _ = QFileDialog.getOpenFileNames(
            self.parent(), tr("Pictures in"), self._settings.folder_of("candidates"), PICTURES
        )
        if paths:
            self._settings.set_folder_of("candidates", Path(paths[0]))
            self.bring([Path(path) for path in paths])

    def bring(self, paths: Sequence[Path]) -> None:
        """Take pictures in."""
        message, board = self.message, self.board

        def read(progress) -> tuple[int, list[str]]:
            from nimble_tile.core.picture.opening import read_file

            taken, troubles = 0, []
            for path in paths:
                try:
                    board.bring(message, path.name, read_file(path))
                    taken += 1
                except UserError as error:
                    troubles.append(str(error))
            return taken, troubles

        def done(found: tuple[int, list[str]]) -> None:
            taken, troubles = found
            if taken:
                self.taken.emit()
            if troubles:
                self.told.emit(" ".join(troubles[:3]), True)

        self._jobs.start(read, done, lambda error: self.told.emit(str(error), True))

    def toggle(self) -> None:
        """Watch a folder, or no longer."""
        if self.watcher.folder is not None:
            self.stop()
            self.told.emit(tr("No folder is watched any more."), False)
            return
        folder = QFileDialog.getExistingDirectory(
            self.parent(), tr("Watch a folder"), self._settings.folder_of("candidates")
        )
        if folder:
            self.watch(Path(folder))
        else:
            self.watching.emit(False)

    def watch(self, folder: Path) -> None:
        """Take in what is written into a folder from now on."""
        self.watcher.watch(folder)
        there = self.watcher.folder is not None
        if there:
            told = tr(
                "Pictures that are written into {name} are taken in as they appear.",
                name=folder.name,
            )
            self.told.emit(told, False)
        self.watching.emit(there)

    def stop(self) -> None:
        """Watch no longer."""
        self.watcher.stop()
        self.watching.emit(False)

    def _lost(self, told: str) -> None:
        self.watching.emit(False)
        self.told.emit(told, True)
