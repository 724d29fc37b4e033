"""What comes of a drawing: the picture of the piece, or a revision among the drafts."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QRectF, Signal

from nimble_tile.core.language import tr, within
from nimble_tile.core.project.drafts import Draft
from nimble_tile.ui.kit.images import as_png, to_qimage
from nimble_tile.ui.rooms.drawn.revisions import revisions_of
from nimble_tile.ui.work.drafts import FULL_SHELF, add, small

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.core.errors import UserError
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.tune.drawn import Drawn
    from nimble_tile.core.tune.proving import Proved
    from nimble_tile.ui.work.jobs import Jobs
    from nimble_tile.ui.work.tools import Tools


@dataclass(frozen=True, eq=False)
class Brought:
    """A drawing that was brought back and tried.

    Attributes
    ----------
    name : str
        Of the photo.
    drawn : Drawn
    data : bytes
        The drawing as a PNG file.
    piece : Piece
        With the drawing as its picture.
    proved : Proved
    """

    name: str
    drawn: Drawn
    data: bytes
    piece: Piece
    proved: Proved


class Keeping(QObject):
    """Puts drawings into the piece and on the shelf.

    Signals
    -------
    used
        A drawing has become the picture of the piece.
    drafted
        A revision was kept.
    told : str, bool
        A sentence, and whether it is bad news.
    """

    used = Signal()
    drafted = Signal()
    told = Signal(str, bool)

    def __init__(self, tools: Tools, jobs: Jobs, parent: QWidget) -> None:
        super().__init__(parent)
        self._tools, self._jobs = tools, jobs

    def _piece(self, brought: Brought) -> Piece:
        """The open piece with the drawing as its picture."""
        now, made = self._tools.session.piece, brought.piece
        return now.model_copy(
            update={
                "message": made.message, "code": made.code, "picture": made.picture,
                "blend": made.blend,
                "finish": now.finish.in_pixels(made.finish.size),
            }
        )  # fmt: skip

    def _with_picture(self, brought: Brought, done) -> None:
        """Take the drawing into the project, then go on."""
        self._jobs.start(
            lambda progress: progress.pictures.add(brought.data, brought.name),
            lambda _: done(), self._failed,
        )  # fmt: skip

    def _failed(self, error: UserError) -> None:
        self.told.emit(str(error), True)

    def use(self, brought: Brought) -> None:
        """It becomes the picture of the piece, as one step of undo."""

        def done() -> None:
            self._tools.session.put(self._piece(brought), tr("Bring in {name}", name=brought.name))
            self.told.emit(tr("The piece has it now."), False)
            self.used.emit()

        self._with_picture(brought, done)

    def keep(self, brought: Brought) -> None:
        """It goes on the shelf, as the next revision."""
        session, image = self._tools.session, to_qimage(brought.drawn.image)
        verdict, reach = brought.proved.verdict, brought.proved.reach

        def done() -> None:
            number = max((d.revision for d in revisions_of(session.drafts)), default=0) + 1
            draft = Draft(
                key=secrets.token_hex(4), name=tr("Revision {number}",
                                                  number=number), note=brought.name[:2000],
                piece=self._piece(brought), state=verdict.state, words=verdict.words,
                reach=reach, revision=number, thumb=as_png(small(image, QRectF(image.rect()))),
            )  # fmt: skip
            if add(session, [draft]):
                self.told.emit(tr("Kept as revision {number}.", number=number), False)
                self.drafted.emit()
            else:
                self.told.emit(FULL_SHELF, True)

        self._with_picture(brought, done)

    def take(self, draft: Draft) -> None:
        """The piece becomes a revision; undo brings the other one back."""
        session, name = self._tools.session, within(draft.name)
        session.put(
            draft.piece.model_copy(update={"log": session.piece.log}), tr("Take {name}", name=name)
        )
        self.told.emit(tr("The piece is {name} now.", name=name), False)
        self.used.emit()
