"""Writing the finished image into a file, and saying what readers found there."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.ui.kit.asking import choose, save_path
from nimble_tile.ui.work.jobs import Progress

if TYPE_CHECKING:
    from nimble_tile.core.output.export import Export
    from nimble_tile.ui.work.tools import Tools


class Exporting(QObject):
    """What leaves the program as a file.

    Signals
    -------
    exported : Piece, Proof, str
        A piece was written to a file, what the readers found there, and how that compares
        with the piece.
    check_wanted : Path
        An exported file is to be checked.
    """

    exported = Signal(object, object, str)
    check_wanted = Signal(object)

    def __init__(self, tools: Tools, window: QWidget) -> None:
        super().__init__(window)
        self.tools, self._window = tools, window
        self.session, self.pictures = tools.session, tools.pictures
        self.settings = tools.settings

    def choose_export(self) -> None:
        """Ask where the finished image should go, then export and check it."""
        from nimble_tile.core.output.formats import LABELS, SUFFIX

        kind = self.session.piece.finish.format
        start = Path(self.settings.folder_of("exports")) / f"{self.session.name}{SUFFIX[kind]}"
        suffixes = (SUFFIX[kind], *SUFFIX.values(), ".jpeg", ".tiff")
        kinds = f"{LABELS[kind]} (*{SUFFIX[kind]})"
        path = save_path(self._window, tr("Export the finished image"), start, kinds, suffixes)
        if path is not None:
            self.export_to(path)

    def export_to(self, path: Path) -> None:
        """Render at full size, write, read back, and show what the readers found.

        A file that does not scan is put in its place only when the person says so.
        """
        piece, known = self.session.piece, self.tools.answer.of_now[0]
        self.settings.set_folder_of("exports", path)

        def work(progress: Progress) -> Export:
            from nimble_tile.core.output.export import format_of, outgoing, prepare
            from nimble_tile.core.render import Renderer

            format_of(path)
            progress.step(tr("Rendering at full size"), 0.1)
            rendering = Renderer(progress.pictures).render(outgoing(piece))
            progress.step(tr("Writing {name} and reading it back", name=path.name), 0.5)
            made = prepare(rendering, path, piece.finish, self.tools.bay)
            if made.proof.verdict.scans:
                made.deliver()
            return made

        def done(made: Export) -> None:
            from nimble_tile.core.output.export import beside

            proof = made.proof
            compared = beside(proof.verdict, known)
            if not proof.verdict.scans:
                if not self.ask_keep(path, compared):
                    made.drop()
                    self.tools.notices.say(
                        tr("{name} was not written: it does not scan.", name=path.name)
                    )
                    return
                try:
                    made.deliver()
                except UserError as error:
                    self.tools.notices.say(str(error))
                    return
            self.exported.emit(piece, proof, compared)
            right, able = proof.verdict.readers_right
            warned = proof.verdict.warnings
            if warned:
                self.tools.notices.say(
                    tr("Exported {name}. Beware: {told}", name=path.name, told=warned[0])
                )
                return
            self.tools.notices.say(
                tr(
                    "Exported {name}. {words}: {right} of {able} readers read the file "
                    "back from disk. {compared}",
                    name=path.name,
                    words=proof.verdict.words,
                    right=right,
                    able=able,
                    compared=compared,
                ).rstrip(),
                good=proof.verdict.scans,
                choices=((tr("Check it with trials"), lambda: self.check_wanted.emit(path)),),
            )

        self.tools.run(work, done)

    def ask_keep(self, path: Path, why: str) -> bool:
        """Ask whether a file that does not scan is wanted all the same."""
        return (
            choose(
                self._window,
                tr("It does not scan"),
                tr("The readers do not read {name}.", name=path.name),
                why or tr("The piece itself does not scan; the band says why."),
                ((tr("Write it all the same"), "write"), (tr("Do not write it"), "leave")),
                loses="write",
            )
            == "write"
        )
