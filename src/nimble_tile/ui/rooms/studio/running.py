"""Studio work in the background, one run after another, and its end at any moment."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.studio.board import BoardFile
from nimble_tile.studio.making import Studio
from nimble_tile.ui.work.jobs import Jobs
from nimble_tile.ui.work.tools import Tools


class Runs(QObject):
    """Runs of a studio.

    Signals
    -------
    told : Told
        What the studio tells while it works.
    ended
        A run is over; `working` says whether others follow.
    failed : UserError
    """

    told = Signal(object)
    ended = Signal()
    failed = Signal(object)

    def __init__(self, board: BoardFile, tools: Tools, jobs: Jobs, parent: QObject) -> None:
        super().__init__(parent)
        self._board, self._tools, self._jobs = board, tools, jobs
        self._studio: Studio | None = None
        self._open: list[Callable] = []  # runs that are not over

    @property
    def working(self) -> bool:
        """Whether something is painted, tried or mended, or waits for that."""
        return bool(self._open)

    def start(self, work: Callable[[Studio], object]) -> None:
        """Let a studio work."""
        tools = self._tools

        def run(progress) -> bool:
            studio = Studio(
                self._board, tools.bay, tools.prover.readers, tools.prover.trials, self.told.emit
            )
            self._studio = studio
            try:
                if not progress.cancelled:
                    work(studio)
            except Stopped:
                pass
            finally:
                self._studio = None
                studio.close()
            return True

        def over(error: UserError | None) -> None:
            self._open.remove(run)
            self.ended.emit()
            if error is not None:
                self.failed.emit(error)

        self._open.append(run)
        self._jobs.start(run, lambda _: over(None), over)

    def stop(self) -> None:
        """End what goes on, at once, and drop what waits."""
        for work in self._jobs.clear():
            if work in self._open:
                self._open.remove(work)
        self._jobs.cancel()
        if self._studio is not None:
            self._studio.stop()
