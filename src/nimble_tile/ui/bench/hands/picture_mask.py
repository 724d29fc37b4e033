"""A mask over the piece's picture, the guard or the cut-out, painted with a brush."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.bench.hands.mask_editor import MaskEditor

if TYPE_CHECKING:
    from nimble_tile.core.picture.store import Lease
    from nimble_tile.core.picture.strokes import Stroke
    from nimble_tile.ui.bench.hands.brush import BrushHand
    from nimble_tile.ui.work.tools import Tools

STROKE_LABELS = {
    ("guard", True): tr("Paint the guard"),
    ("guard", False): tr("Free a part of the guard"),
    ("cut_out", True): tr("Keep a part of the picture"),
    ("cut_out", False): tr("Take a part of the picture away"),
}


class PictureMask(QObject):
    """Edits the mask that the brush's `target` names.

    Parameters
    ----------
    tools : Tools
    brush : BrushHand
    emptied : str
        Name of the step that forgets the mask.
    """

    def __init__(self, tools: Tools, brush: BrushHand, emptied: str, parent: QObject) -> None:
        super().__init__(parent)
        self._tools, self._target, self._emptied = tools, brush.target, emptied
        self.editor = MaskEditor(
            tools.jobs, self._current, self._painted,
            lambda stroke, mask: self._put(mask, STROKE_LABELS[self._target, stroke.adds]),
            lambda error: tools.notices.say(str(error)), self,
        )  # fmt: skip
        brush.painted.connect(self._take)

    def _take(self, stroke: Stroke) -> None:
        if self._tools.session.piece.picture.digest is not None:
            self.editor.take(stroke)

    def of(self, piece: Piece) -> str | None:
        """Digest of the mask in a piece."""
        picture = piece.picture
        return picture.guard if self._target == "guard" else picture.prepare.cut_out.mask

    def _current(self) -> tuple[object, str | None]:
        piece = self._tools.session.piece
        return (piece.picture.digest, piece.picture.frame), self.of(piece)

    @staticmethod
    def _painted(pictures: Lease, stroke: Stroke, key: object, mask: str | None) -> str:
        from nimble_tile.core.picture.strokes import on_picture

        digest, frame = key
        return pictures.add_mask(on_picture(pictures, digest, frame, mask, stroke))

    def _put(self, mask: str | None, name: str) -> None:
        session = self._tools.session
        if self._target == "guard":
            session.edit("picture", name, guard=mask)
        else:
            session.prepare("cut_out", name, mask=mask, on=True)

    def clear(self) -> None:
        """Forget the mask."""
        self._put(None, self._emptied)

    def invert(self) -> None:
        """What is chosen, and what is not, change places."""
        digest = self.of(self._tools.session.piece)
        if digest is not None:
            self._tools.run(
                lambda progress: progress.pictures.add_mask(255 - progress.pictures.mask(digest)),
                lambda mask: self._put(mask, tr("Turn the mask round")),
            )
