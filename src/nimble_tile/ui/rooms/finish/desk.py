"""Joins the finish rung with the bench: captions, frame, layouts, the export's proof."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QWidget

from nimble_tile.core.additions import Layout
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.bench.hands.laid import ItemPlacing, LaidHand
from nimble_tile.ui.bench.hands.layout import LayoutHand
from nimble_tile.ui.kit.images import PICTURES
from nimble_tile.ui.rooms.finish.rung import FinishRung
from nimble_tile.ui.work.jobs import Latest, Progress

if TYPE_CHECKING:
    from nimble_tile.core.output.export import Proof
    from nimble_tile.ui.bench.bench import Bench
    from nimble_tile.ui.work.tools import Sight, Steps, Tools


class FinishDesk(QObject):
    """Rung 6.

    Attributes
    ----------
    rung : FinishRung
    hand : LaidHand
        Places captions.
    layout : LayoutHand
        Places the piece in its layout.
    """

    def __init__(
        self, tools: Tools, bench: Bench, sight: Sight, ladder: Steps, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.tools, self.session, self.pictures = tools, tools.session, tools.pictures
        self.bench, self.sight, self.ladder = bench, sight, ladder
        self.rung = rung = FinishRung(tools.session, tools.colours, tools.settings)
        self.hand, self.layout = LaidHand(bench, "caption"), LayoutHand(bench)
        self.placing = ItemPlacing(self.hand, tools.session)
        self.hand.chosen.connect(lambda index: rung.caption.choose(index))
        self.hand.removed.connect(lambda index: rung.caption.remove_caption(index))
        self.layout.placed.connect(
            lambda quad: self.session.edit("layout", tr("Place the piece"), "layout", quad=quad)
        )
        self.layout.ended.connect(self.session.part)
        self._weighing: Piece | None = None  # whose file is being tried
        self._weigher = Latest("weigher", self)
        self._weigher.answered.connect(self._weighed)
        tools.prover.costed.connect(lambda _: self._weigh())
        rung.page.chosen.connect(lambda _: self._weigh())
        rung.work.connect(self.work_on)
        rung.picked.connect(self._pick)
        rung.layout_open.connect(lambda on: sight.want("layout", on))
        rung.room_wanted.connect(self.make_room)
        rung.layout_wanted.connect(self.choose_layout)
        rung.shipped_wanted.connect(self.take_shipped)

    # Hands -------------------------------------------------------------------

    def work_on(self, what: str) -> None:
        """Take a hand: ``"caption"``, ``"layout"``, or neither of them."""
        hand = {"caption": self.hand, "layout": self.layout}.get(what)
        if what == "caption":
            self.hand.index = self.rung.caption.index
        elif what == "layout":
            self._follow_layout(self.session.piece)
        self.sight.take_up(hand, (self.hand, self.layout))

    def _pick(self, index: int) -> None:
        self.hand.index = index
        self.bench.update()

    def follow(self, piece: Piece) -> None:
        """The piece has changed."""
        self.rung.files.forget_proof()
        self.rung.files.show_weighed("")
        self._weighing = None
        if self.bench.hand is self.layout:
            self._follow_layout(piece)

    def _follow_layout(self, piece: Piece) -> None:
        if piece.layout.digest is not None:
            self.layout.extent = self.pictures.about(piece.layout.digest).size
            self.layout.quad = [tuple(point) for point in piece.layout.quad]
        else:
            self.layout.quad = []

    # Frame and layout ----------------------------------------------------------

    def make_room(self) -> None:
        """Make the code smaller until frame and captions fit on the picture."""
        piece = self.session.piece

        def work(progress: Progress) -> Piece:
            from nimble_tile.core.coverage.room import with_room
            from nimble_tile.core.render import Renderer

            progress.step(tr("Making room"), 0.3)
            return with_room(Renderer(progress.pictures), piece)

        def done(made: Piece) -> None:
            if self.session.piece == piece:
                self.session.put(made, tr("Make room for the frame"))

        self.tools.run(work, done)

    def choose_layout(self) -> None:
        """Ask for a picture as the layout."""
        path, _ = QFileDialog.getOpenFileName(
            self.parent(), tr("Choose a layout"), self.tools.settings.folder_of("layouts"), PICTURES
        )
        if path:
            self.bring_layout(Path(path))

    def bring_layout(self, path: Path) -> None:
        """Take a picture as the layout; the place stays where the old one's was, if it fits."""
        self.tools.settings.set_folder_of("layouts", path)

        def work(progress: Progress) -> Layout:
            from nimble_tile.core.arrange import first_place
            from nimble_tile.core.picture.opening import read_file

            progress.step(tr("Opening {name}", name=path.name), 0.3)
            digest = progress.pictures.add(read_file(path), path.name)
            size = progress.pictures.about(digest).size
            old = self.session.piece.layout
            quad = first_place(size)
            if old.digest is not None and progress.pictures.about(old.digest).size == size:
                quad = old.quad
            return Layout(digest=digest, name=path.name, quad=quad, fit=old.fit)

        self.tools.run(work, self._take_layout)

    def take_shipped(self, name: str) -> None:
        """Take a layout that ships with the program."""

        def work(progress: Progress) -> Layout:
            from nimble_tile.core.arrange import shipped

            progress.step(tr("Opening the layout"), 0.3)
            return shipped(name, progress.pictures)

        self.tools.run(work, self._take_layout)

    def _take_layout(self, layout: Layout) -> None:
        piece = self.session.piece.model_copy(update={"layout": layout})
        self.session.put(piece, tr("Arrange the piece in {name}", name=layout.name))

    # Export --------------------------------------------------------------------

    def show_export(self, piece: Piece, proof: Proof, compared: str) -> None:
        """A file was written and read back: show what the readers found."""
        self.ladder.open_rung("finish")
        if piece == self.session.piece:
            self.rung.files.show_proof(proof, compared)
            self.ladder.reveal(self.rung.files.proof)

    def _weigh(self) -> None:
        """Find out what the file's format takes, once the piece itself is known."""
        piece, answer = self.session.piece, self.tools.answer
        page = self.rung.files
        if not page.isVisible() or answer.stale or self.tools.prover.resting:
            return
        from nimble_tile.core.output.weigh import changes

        if not changes(piece.finish):
            page.show_weighed("")
            return
        page.show_weighed(tr("Trying what the file will show…"))
        reach, prover = answer.reach, self.tools.prover
        room, trials = prover.room(), prover.trials
        self._weighing = piece
        pictures = self.pictures.lease(piece.digests)

        def work() -> tuple[Piece, str, str]:
            from nimble_tile.core.errors import Stopped, UserError
            from nimble_tile.core.output.weigh import weigh
            from nimble_tile.core.render import Renderer
            from nimble_tile.ui.rooms.finish.export_page import weighed_in_words

            try:
                found = weigh(
                    piece, Renderer(pictures), room, trials,
                    stop=lambda: self._weighing is not piece,
                )  # fmt: skip
            except Stopped:
                return piece, "", "soft"
            except UserError as error:
                return piece, str(error), "error"
            return piece, *weighed_in_words(found, reach)

        self._weigher.ask(work)

    def _weighed(self, found: tuple[Piece, str, str]) -> None:
        piece, text, rank = found
        if piece is self._weighing:
            self.rung.files.show_weighed(text, rank)

    def stop(self) -> None:
        """End what works in the background."""
        self._weighing = None
        self._weigher.stop()
        self.rung.files.paper.profiles.stop()
