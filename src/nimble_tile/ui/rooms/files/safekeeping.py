"""Copies of unsaved work, kept aside and offered after a crash."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.project import archive
from nimble_tile.core.project.recovery import Leftover, Recovery
from nimble_tile.ui.work.jobs import Latest, Progress

if TYPE_CHECKING:
    from nimble_tile.ui.work.tools import Tools


class Safekeeping(QObject):
    """Keeps copies of one window's unsaved work.

    Signals
    -------
    began
        A copy is brought back.
    asked
        A copy is about to be brought back.
    """

    began = Signal()
    asked = Signal()

    def __init__(self, tools: Tools, parent: QObject) -> None:
        super().__init__(parent)
        self.tools, self.session = tools, tools.session
        self.recovery = Recovery(tools.settings.folder / "unsaved")
        self._warned = False  # that copies cannot be kept
        self._replaced: list[Leftover] = []  # copies that are brought back
        # Apart from the jobs: a long search must not keep a copy waiting.
        self._copier = Latest("copies", self)
        self._copier.answered.connect(self._copied)

    def keep_copy(self, instead: Leftover | None = None) -> None:
        """Keep a copy of unsaved work aside, or drop it when all is saved.

        `instead`: the older copy that this one takes the place of, once it is written.
        """
        if instead is not None:
            self._replaced.append(instead)
        piece, path, drafts = self.session.piece, self.session.path, self.session.drafts
        recovery, unsaved = self.recovery, self.session.unsaved
        pictures = self.tools.pictures.lease_all()

        def work() -> UserError | None:
            if not unsaved:
                recovery.drop()
                while self._replaced:
                    recovery.discard(self._replaced.pop())
                return None
            try:
                recovery.keep(piece, pictures, path, drafts)
            except UserError as error:
                return error
            # Not before: until then the older copy is the only one.
            while self._replaced:
                recovery.discard(self._replaced.pop())
            return None

        self._copier.ask(work)

    def _copied(self, error: UserError | None) -> None:
        if error is None:
            self._warned = False
        elif not self._warned:
            # Told once: the work itself goes on.
            self._warned = True
            self.tools.notices.say(
                tr(
                    "No copy of the unsaved work could be kept. {error} Save the project now.",
                    error=error,
                )
            )

    def stop(self) -> None:
        """End the worker; a copy that is being written is finished first."""
        self._copier.stop()

    def offer_leftovers(self) -> bool:
        """Offer what a program that did not end properly left behind, and clear the rest;
        whether there was something."""
        self.tools.settings.clear_leftovers()
        leftovers = self.recovery.leftovers()
        if not leftovers or self.session.unsaved:
            return False
        newest = leftovers[0]
        name = newest.original.stem if newest.original else tr("an unsaved piece")
        self.tools.notices.say(
            tr(
                "The program did not end properly last time. Unsaved work on {name} was kept.",
                name=name,
            ),
            choices=(
                (tr("Bring it back"), lambda: self._bring_back(newest)),
                (tr("Throw it away"), lambda: self.recovery.discard(newest)),
            ),
        )
        return True

    def _bring_back(self, leftover: Leftover) -> None:
        def work(progress: Progress) -> archive.Project:
            progress.step(tr("Bringing unsaved work back"), 0.3)
            return archive.load_project(leftover.path)

        def done(project: archive.Project) -> None:
            self.began.emit()
            self.session.start(
                project.piece, leftover.original, saved=False, drafts=project.drafts,
                pictures=project.pictures,
            )  # fmt: skip
            self.keep_copy(instead=leftover)

        self.tools.run(work, done)
