"""The chosen candidate shown large: as it is, as it was, or as it grows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtGui import QImage

from nimble_tile.core.language import tr
from nimble_tile.studio.board import BoardFile, Candidate
from nimble_tile.studio.making import unguided_key
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.rooms.studio.board import BoardView
from nimble_tile.ui.rooms.studio.large import Large
from nimble_tile.ui.work.jobs import Latest

if TYPE_CHECKING:
    from nimble_tile.standins.painting import State


class Looking(QObject):
    """Brings the pictures of the chosen candidate from the board.

    Attributes
    ----------
    growing : int
        Number of the candidate that is being painted; 0: none.
    """

    def __init__(self, board: BoardFile, view: BoardView, large: Large, parent: QObject) -> None:
        super().__init__(parent)
        self.board, self.view, self.large = board, view, large
        self.growing = 0
        self._chosen: list[Candidate] = []
        self._looker = Latest("candidate", self)
        self._looker.answered.connect(self._looked)
        large.way.chosen.connect(lambda _: self._look())

    def show(self, chosen: Sequence[Candidate]) -> None:
        """Show what is chosen."""
        self._chosen = list(chosen)
        self.large.show_candidates(self._chosen, True)
        way = self.large.way
        if len(chosen) != 1 or not way.button(way.value).isEnabled():
            way.set_value("image")
        self._look()

    def grow(self, number: int, state: State) -> None:
        """Show a painting as far as it has come."""
        self.growing = number
        image = to_qimage(state.image)
        self.view.grow(
            number, image, tr("step {step} of {steps}", step=state.step, steps=state.steps)
        )
        if self.view.chosen in ([], [number]):
            self.large.canvas.take(image)

    def _look(self) -> None:
        if len(self._chosen) != 1:
            if not (self.growing and not self._chosen):
                self.large.canvas.take(QImage())
            return
        one, way = self._chosen[0], self.large.way.value
        if one.state == "waiting":
            self.large.canvas.take(self.view.image(one))
            return

        def open_it() -> tuple[int, QImage]:
            from nimble_tile.core.picture.opening import open_picture

            if way == "unguided":
                data = self.board.kept(unguided_key(one.recipe))
            else:
                data = self.board.image(one.id, way == "before")
            if data is None:
                return one.id, QImage()
            return one.id, to_qimage(open_picture(data, one.name).over("#ffffff"))

        self._looker.ask(open_it)

    def _looked(self, found: tuple[int, QImage]) -> None:
        if self.view.chosen == [found[0]]:
            self.large.canvas.take(found[1])

    def stop(self) -> None:
        """Nothing is opened any more."""
        self._looker.stop()
