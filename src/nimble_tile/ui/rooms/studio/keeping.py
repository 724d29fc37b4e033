"""What comes of a candidate: the picture of the piece, a draft, a file; and the guide as a file."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.project.drafts import Draft, free_name
from nimble_tile.ui.kit.asking import save_path
from nimble_tile.ui.work.drafts import FULL_SHELF, add

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.core.output.guide import GuideWish
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.symbol.encode import Symbol
    from nimble_tile.studio.board import BoardFile, Candidate
    from nimble_tile.ui.work.jobs import Jobs
    from nimble_tile.ui.work.tools import Tools

_FILES = tr("PNG (*.png);;JPEG (*.jpg *.jpeg)")


class Keeping(QObject):
    """Takes candidates out of the studio.

    Signals
    -------
    used
        A candidate has become the picture of the piece.
    drafted
        Candidates were kept as drafts.
    mend_wanted : ndarray, str, str
        A picture (uint8 H × W × 3) is to be mended by hand: its name, and what it is to say.
    told : str, bool
        A sentence, and whether it is bad news.
    """

    used = Signal()
    drafted = Signal()
    mend_wanted = Signal(object, str, str)
    told = Signal(str, bool)

    def __init__(self, board: BoardFile, jobs: Jobs, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self.board, self._jobs, self.tools = board, jobs, tools

    def _piece(self, candidate: Candidate) -> Piece:
        """The open piece with a candidate as its picture: what is laid on it stays."""
        made, now = candidate.piece, self.tools.session.piece
        message = now.message if now.message.text == made.message.text else made.message
        return now.model_copy(
            update={
                "message": message,
                "code": made.code,
                "picture": made.picture.model_copy(update={"name": candidate.name}),
                "blend": made.blend,
                "finish": now.finish.in_pixels(made.finish.size),
            }
        )

    def _with_pictures(self, candidates: Sequence[Candidate], done) -> None:
        """Take the pictures of candidates into the project, then go on."""
        board = self.board

        def work(progress) -> bool:
            for candidate in candidates:
                progress.pictures.add(board.image(candidate.id), candidate.name)
            return True

        self._jobs.start(work, lambda _: done(), self._failed)

    def _failed(self, error: UserError) -> None:
        self.told.emit(str(error), True)

    def use(self, candidate: Candidate) -> None:
        """It becomes the picture of the piece, as one step of undo."""

        def done() -> None:
            before = self.tools.session.piece.message.text
            self.tools.session.put(self._piece(candidate), tr("Take {name}", name=candidate.name))
            told = tr("The piece has it now: {name}.", name=candidate.name)
            if candidate.message != before:
                told += tr(
                    " Its code says {message}; so does the piece now.", message=candidate.message
                )
            self.told.emit(f"{told} {candidate.note}".strip(), False)
            self.used.emit()

        self._with_pictures([candidate], done)

    def draft(self, candidates: Sequence[Candidate]) -> None:
        """They go on the draft shelf."""

        def done() -> None:
            drafts: list[Draft] = []
            for each in candidates:
                name = free_name((*self.tools.session.drafts, *drafts), each.name)
                drafts.append(
                    Draft(
                        key=secrets.token_hex(4), name=name, piece=self._piece(each),
                        state=each.verdict, words=each.words, reach=each.reach,
                        thumb=self.board.thumb(each.id) or b"",
                    )
                )  # fmt: skip
            if not add(self.tools.session, drafts):
                self.told.emit(FULL_SHELF, True)
                return
            many = tr("1 draft") if len(drafts) == 1 else tr("{drafts} drafts", drafts=len(drafts))
            self.told.emit(tr("{many} on the shelf.", many=many), False)
            self.drafted.emit()

        if candidates:
            self._with_pictures(candidates, done)

    def hand_on(self, candidate: Candidate) -> None:
        """Hand a picture on which no code was found to whoever mends by hand."""
        data = self.board.image(candidate.id)

        def work(progress):
            from nimble_tile.core.picture.opening import open_picture

            return open_picture(data, candidate.name).over("#ffffff")

        def done(pixels) -> None:
            self.mend_wanted.emit(pixels, candidate.name, candidate.message)

        self._jobs.start(work, done, self._failed)

    def save(self, candidate: Candidate) -> None:
        """Ask where a candidate goes, write it, and read it back."""
        settings = self.tools.settings
        stem = Path(candidate.name).stem.replace(",", "")
        start = Path(settings.folder_of("candidates")) / tr("{stem}.png", stem=stem)
        path = save_path(
            self.parent(), tr("Save the candidate"), start, _FILES, (".png", ".jpg", ".jpeg")
        )
        if path is not None:
            settings.set_folder_of("candidates", path)
            self.save_to(candidate, path)

    def save_to(self, candidate: Candidate, path: Path) -> None:
        """Write a candidate, read it back, and say what readers found."""
        board, bay = self.board, self.tools.bay

        def work(progress):
            from nimble_tile.core.output.export import export
            from nimble_tile.core.picture.store import PictureStore
            from nimble_tile.core.render import Renderer

            pictures = PictureStore()
            pictures.add(board.image(candidate.id), candidate.name)
            made = Renderer(pictures).render(candidate.piece)
            kind = "png" if path.suffix.lower() == ".png" else "jpeg"
            finish = candidate.piece.finish.model_copy(update={"format": kind})
            return export(made, path, finish, bay)

        def done(proof) -> None:
            self.told.emit(proof.told, not proof.verdict.scans)

        self._jobs.start(work, done, self._failed)

    def guide_out(self, symbol: Symbol, wish: GuideWish) -> None:
        """Ask where the guide goes, and write it."""
        settings = self.tools.settings
        start = Path(settings.folder_of("guides")) / "guide.png"
        path = save_path(self.parent(), tr("Guide out"), start, tr("PNG (*.png)"), (".png",))
        if path is not None:
            settings.set_folder_of("guides", path)
            self.guide_to(symbol, wish, path)

    def guide_to(self, symbol: Symbol, wish: GuideWish, path: Path) -> None:
        """Write the guide."""

        def work(progress) -> bool:
            from nimble_tile.core.output.guide import write_guide

            write_guide(symbol, wish, path)
            return True

        told = tr(
            "Wrote {name}: version {version}-{level}. Give it to a generator as "
            "its control picture; bring in here what comes out.",
            name=path.name,
            version=symbol.version,
            level=symbol.level,
        )
        self._jobs.start(work, lambda _: self.told.emit(told, False), self._failed)
