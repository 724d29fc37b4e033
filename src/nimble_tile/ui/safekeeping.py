"""Copies of unsaved work, kept aside and offered after a crash."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from nimble_tile.core.project import archive
from nimble_tile.core.project.recovery import Leftover
from nimble_tile.ui.jobs import Progress

if TYPE_CHECKING:
    from nimble_tile.ui.window import Window


class Safekeeping(QObject):
    """Keeps copies of one window's unsaved work."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self.session = window.session

    def keep_copy(self) -> None:
        """Keep a copy of unsaved work aside, or drop it when all is saved."""
        piece, path, drafts = self.session.piece, self.session.path, self.session.drafts
        recovery = self.window.recovery
        if not self.session.unsaved:
            recovery.drop()
            return

        def work(progress: Progress) -> None:
            recovery.keep(piece, self.window.pictures, path, drafts)

        # A copy that cannot be kept must not disturb the work itself.
        self.window.jobs.start(work, lambda _: None, lambda _: None)

    def offer_leftovers(self) -> None:
        """Offer what a program that did not end properly left behind."""
        leftovers = self.window.recovery.leftovers()
        if not leftovers or self.session.unsaved:
            return
        newest = leftovers[0]
        name = newest.original.stem if newest.original else "an unsaved piece"
        self.window.notice.say(
            f"The program did not end properly last time. Unsaved work on {name} was kept.",
            choices=(
                ("Bring it back", lambda: self._bring_back(newest)),
                ("Throw it away", lambda: self.window.recovery.discard(newest)),
            ),
        )

    def _bring_back(self, leftover: Leftover) -> None:
        def work(progress: Progress) -> archive.Project:
            progress.step("Bringing unsaved work back", 0.3)
            return archive.load_project(leftover.path, self.window.pictures)

        def done(project: archive.Project) -> None:
            self.window.bench.clear()
            self.session.start(project.piece, leftover.original, saved=False, drafts=project.drafts)
            self.window.recovery.discard(leftover)
            self.keep_copy()

        self.window.desk.job(work, done)
