"""The open piece: its history, its file, and the way every edit goes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QObject, Signal

from nimble_tile.core.artwork import Frame
from nimble_tile.core.errors import PictureError
from nimble_tile.core.language import tr
from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import Code, Finish, Message, Picture, Piece, Region
from nimble_tile.core.project.drafts import Draft
from nimble_tile.core.project.history import History
from nimble_tile.core.tune.first import untouched, with_marks

SAMPLE_MESSAGE = "https://lanternwalk.example"
"""Message of a new piece, so that a dropped picture shows a code at once."""


def brought(piece: Piece, digest: str, name: str, place: Region | None = None) -> Picture:
    """A picture as it comes to a piece; without a place its code is in the middle."""
    ground = piece.picture.ground
    return Picture(digest=digest, name=name, ground=ground, whole_pixels=True, region=place)


def new_piece(level: str = "M", mm: float | None = None) -> Piece:
    """What an empty window starts with.

    Parameters
    ----------
    level : {"L", "M", "Q", "H"}
        The designer's usual one.
    mm : float, optional
        Longer side on paper, for those who think in millimetres.
    """
    # Without checks, which take long to build: the window is to stand there first.
    return Piece.model_construct(
        message=Message.model_construct(text=SAMPLE_MESSAGE),
        code=Code.model_construct(level=level),
        finish=Finish.model_construct() if mm is None else Finish(mm=mm),
    )


class Session(QObject):
    """One piece being worked on.

    Signals
    -------
    changed : Piece
        The current piece is another one: edit, undo, redo, open, new.
    titled
        File name or unsaved state changed.
    logged
        The phone log is another one.
    drafted
        The drafts are others, or something about them is.
    """

    changed = Signal(object)
    titled = Signal()
    logged = Signal()
    drafted = Signal()

    def __init__(self, pictures: Lease, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.pictures = pictures
        self.path: Path | None = None
        self._history = History(new_piece(), lease=pictures.lease)
        self._title = ""
        self._drafts: tuple[Draft, ...] = ()
        self._saved_drafts: tuple[Draft, ...] = ()
        self._drafts_pictures = pictures.lease()

    @property
    def piece(self) -> Piece:
        return self._history.piece

    @property
    def drafts(self) -> tuple[Draft, ...]:
        """The kept variants, oldest first; they go into the project with the piece."""
        return self._drafts

    @property
    def unsaved(self) -> bool:
        return self._history.changed or self._drafts != self._saved_drafts

    @property
    def name(self) -> str:
        """Name of the piece for titles and file names."""
        return self.path.stem if self.path else self._title or tr("Untitled piece")

    @property
    def undo_name(self) -> str | None:
        return self._history.undo_name

    @property
    def redo_name(self) -> str | None:
        return self._history.redo_name

    def edit(self, rung: str, name: str, key: str = "", /, **changes: Any) -> bool:
        """Change settings of one rung as one undoable step.

        Parameters
        ----------
        rung : str
            ``"message"`` … ``"finish"``.
        name : str
            For the undo menu.
        key : str
            Quick changes with one key become one step.

        Returns
        -------
        bool
            False when a value is not possible; nothing changed then.
        """
        if rung == "look" and "name" not in changes:
            changes["name"] = ""  # it is no longer the look of that name
        try:
            piece = self.piece.edited(rung, **changes)
        except ValidationError:
            return False
        self.put(piece, name, key)
        return True

    def edit_item(self, rung: str, index: int, name: str, key: str = "", /, **changes: Any) -> bool:
        """Change one logo (rung ``"logo"``) or caption (``"caption"``); see `edit`."""
        items = list(getattr(self.piece, rung).items)
        if not 0 <= index < len(items):
            return False
        try:
            items[index] = type(items[index]).model_validate({**dict(items[index]), **changes})
        except ValidationError:
            return False
        return self.edit(rung, name, key, items=tuple(items))

    def prepare(self, step: str, name: str, key: str = "", /, **changes: Any) -> bool:
        """Change one step of the picture's preparation; see `edit`."""
        steps = self.piece.picture.prepare
        try:
            made = getattr(steps, step)
            made = type(made).model_validate({**dict(made), **changes})
        except ValidationError:
            return False
        return self.edit("picture", name, key, prepare=steps.model_copy(update={step: made}))

    def reframe(
        self, name: str, key: str = "", /, start: Picture | None = None, **changes: Any
    ) -> bool:
        """Change the picture's frame; the code stays on the same spot of the picture.

        Parameters
        ----------
        start : Picture, optional
            As it was before a gesture whose steps come one by one.

        Returns
        -------
        bool
            False when the frame is not possible; nothing changed then.
        """
        from nimble_tile.core.picture.framing import between, framed_size
        from nimble_tile.core.picture.gestures import carried

        picture = start or self.piece.picture
        if picture.digest is None:
            return False
        size = self.pictures.about(picture.digest).size
        try:
            frame = Frame.model_validate({**dict(self.piece.picture.frame), **changes})
            before, after = framed_size(size, picture.frame), framed_size(size, frame)
        except (ValidationError, PictureError):
            return False
        matrix = between(size, picture.frame, frame)
        region = carried(picture.region, before, after, matrix)
        return self.edit("picture", name, key, frame=frame, region=region)

    def put(self, piece: Piece, name: str, key: str = "", grows: bool = False) -> None:
        """Make another piece current as one undoable step; see `History.push`."""
        if piece != self.piece:
            self._history.push(piece, name, key, grows)
            self._tell()

    def note(self, log: tuple[PhoneTest, ...]) -> None:
        """Another phone log; undo leaves it alone."""
        self._history.note(log)
        self.logged.emit()
        self.titled.emit()

    def put_drafts(self, drafts: Iterable[Draft], learned: bool = False) -> None:
        """Other drafts. They are no settings of the piece: undo leaves them alone.

        `learned`: only more is known of them; nobody has to be asked to save that.
        """
        new = tuple(drafts)
        if new != self._drafts:
            if learned and self._drafts == self._saved_drafts:
                self._saved_drafts = new
            self._drafts = new
            self._hold_drafts()
            self.drafted.emit()
            self.titled.emit()

    def part(self) -> None:
        """End a gesture: the next change is its own step."""
        self._history.part()

    def undo(self) -> None:
        self._history.undo()
        self._tell()

    def redo(self) -> None:
        self._history.redo()
        self._tell()

    @property
    def steps(self) -> tuple[tuple[str, ...], int]:
        """Names of all steps, the oldest first, and which is current."""
        return self._history.names, self._history.at

    def go_to(self, at: int) -> None:
        """Undo or redo to a step."""
        if at != self._history.at:
            self._history.go_to(at)
            self._tell()

    def take_picture(self, digest: str, name: str, place: Region | None = None) -> bool:
        """Put a picture of the store into the piece, with a place for the code on it.

        Where nobody has chosen a method, the code becomes crisp marks; returns whether it did.
        """
        picture = brought(self.piece, digest, name, place)
        piece = self.piece.model_copy(update={"picture": picture})
        guessed = untouched(self.piece)
        self.put(
            with_marks(piece) if guessed else piece,
            tr("Bring in {name}", name=name or tr("a picture")),
        )
        return guessed

    def start(
        self,
        piece: Piece,
        path: Path | None,
        saved: bool = True,
        drafts: Sequence[Draft] = (),
        title: str = "",
        pictures: Lease | None = None,
    ) -> None:
        """Begin with another piece: new, opened, or recovered.

        `title`: its name without a file; `pictures`: a store of its own, whose pictures are
        taken over.
        """
        self._title = title
        held = self.pictures.lease() if pictures is None else self.pictures.take_over(pictures)
        self._history = History(piece, lease=self.pictures.lease)
        self._drafts = self._saved_drafts = tuple(drafts)
        self._hold_drafts()
        held.release()
        self.path = path
        if not saved:
            self._history.mark_unsaved()
        self._tell()
        self.drafted.emit()

    def _hold_drafts(self) -> None:
        digests = (digest for draft in self._drafts for digest in draft.piece.digests)
        self._drafts_pictures = self.pictures.lease(digests)

    def mark_saved(self, path: Path, piece: Piece, drafts: Sequence[Draft] = ()) -> None:
        """A file holds `piece` and its drafts now."""
        self.path = path
        self._history.mark_saved(piece)
        self._saved_drafts = tuple(drafts)
        self.titled.emit()

    def _tell(self) -> None:
        self.changed.emit(self.piece)
        self.titled.emit()
