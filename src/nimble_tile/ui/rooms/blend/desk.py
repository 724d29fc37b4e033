"""Joins the blend rung with the guard's brush on the bench and with the gentlest pass."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog

from nimble_tile.core.language import tr
from nimble_tile.core.picture.opening import read_file
from nimble_tile.ui.bench.hands.brush import BrushHand
from nimble_tile.ui.bench.hands.picture_mask import PictureMask
from nimble_tile.ui.kit.images import PICTURES
from nimble_tile.ui.rooms.blend.gentlest_run import GentlestRun
from nimble_tile.ui.rooms.blend.proposing import Proposing
from nimble_tile.ui.rooms.blend.rung import BlendRung
from nimble_tile.ui.work.jobs import Progress

if TYPE_CHECKING:
    from nimble_tile.core.piece import Piece
    from nimble_tile.ui.bench.bench import Bench
    from nimble_tile.ui.work.tools import Sight, Tools


class BlendDesk(QObject):
    """Rung 4.

    Attributes
    ----------
    rung : BlendRung
    brush : BrushHand
        Paints the guard.
    run : GentlestRun
    proposing : Proposing
    """

    def __init__(self, tools: Tools, bench: Bench, sight: Sight, parent: QObject) -> None:
        super().__init__(parent)
        self.tools = tools
        self.session, self.bench, self.sight = tools.session, bench, sight
        self.rung = rung = BlendRung(tools.session)
        self.brush = rung.hand = BrushHand(bench, "guard")
        self.guard = PictureMask(tools, self.brush, tr("Remove the guard"), self)
        self.run = GentlestRun(tools, rung, self)
        self.proposing = Proposing(tools, self)
        rung.completed.connect(lambda: self.proposing.take_box(rung.proposals))
        rung.work.connect(self.work_on)
        rung.methods_wanted.connect(lambda on: sight.want("methods", on))
        rung.guard_cleared.connect(self.guard.clear)
        rung.guard_inverted.connect(self.guard.invert)
        rung.matter_wanted.connect(self.choose_matter)

    def work_on(self, what: str) -> None:
        """Take the brush for the ``"guard"``, or lay it down."""
        if what and self.session.piece.picture.digest is not None:
            self.bench.take_hand(self.brush)
            self.sight.work_on("guard")
        elif self.bench.hand is self.brush:
            self.bench.take_hand(None)
            self.sight.work_on("")

    def choose_matter(self) -> None:
        """Ask for a picture to weave of."""
        settings = self.tools.settings
        start = settings.folder_of("pictures")
        path, _ = QFileDialog.getOpenFileName(
            self.parent(), tr("Choose a picture to weave of"), start, PICTURES
        )
        if path:
            settings.set_folder_of("pictures", Path(path))
            self.take_matter(Path(path))

    def take_matter(self, path: Path) -> None:
        """Weave of a picture file."""

        def work(progress: Progress) -> str:
            progress.step(tr("Opening {name}", name=path.name), 0.3)
            return progress.pictures.add(read_file(path), path.name)

        def use(digest: str) -> None:
            weave = self.session.piece.blend.weave.model_copy(update={"matter": digest})
            self.session.edit("blend", tr("Weave of {name}", name=path.name), weave=weave)

        self.tools.run(work, use)

    def stop(self) -> None:
        """End what works in the background."""
        self.proposing.end()

    def follow(self, piece: Piece) -> None:
        """The piece has changed."""
        if piece.picture.digest is None:
            self.work_on("")

    def show_method(self, method: str, image: QImage) -> None:
        """A method's small picture is there."""
        self.rung.show_method(method, image)
