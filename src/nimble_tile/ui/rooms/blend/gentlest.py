"""The gentlest pass on the blend rung: what is wanted, the search, what it bought."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.kit.controls import Fold, Slider, row, soft


class GentlestBox(Fold):
    """Asks for the gentlest pass and says what came of it.

    Parameters
    ----------
    reach : Slider
        The reach to hold: the one of the proposals, so that the rung asks for it once.

    Signals
    -------
    wanted : float
        Search for the gentlest blend that holds this reach.
    stopped
        Enough: keep the best so far.
    map_dropped
        Every module is to have the same strength again.
    """

    wanted = Signal(float)
    stopped = Signal()
    map_dropped = Signal()

    def __init__(self, reach: Slider) -> None:
        super().__init__(tr("Gentlest pass"))
        self.about = soft(
            tr(
                "Searches symbol, mask, strength and each module's own strength for the blend that "
                "is seen least and still holds the reach asked for above."
            )
        )
        self.reach, self._woven = reach, False
        reach.edited.connect(lambda _: self._label())
        self.find = QPushButton()
        self.find.clicked.connect(lambda: self.wanted.emit(self.reach.value))
        self.stop = QPushButton(tr("Keep the best so far"))
        self.stop.clicked.connect(self.stopped)
        self.stop.hide()
        self.told = soft()
        self.told.hide()
        self.map_note = soft()
        self.drop_map = QPushButton(tr("Give all modules the same strength"))
        self.drop_map.setProperty("flat", True)
        self.drop_map.clicked.connect(self.map_dropped)
        self._label()
        self.inside.addWidget(self.about)
        self.inside.addLayout(row(self.find, self.stop, 1))
        for part in (self.told, self.map_note, self.drop_map):
            self.inside.addWidget(part)

    def show_piece(self, piece: Piece, fits: bool) -> None:
        """Follow the piece; `fits`: whether its map of strengths is that of its symbol."""
        self._woven = piece.blend.method == "weave"
        self._label()
        has = piece.blend.map is not None
        self.map_note.setVisible(has)
        self.drop_map.setVisible(has)
        self.map_note.setText(
            tr("Each module has a strength of its own.") if fits
            else tr(
                "The modules\u2019 own strengths were found for another symbol and do not count."
            )
        )  # fmt: skip

    def _label(self) -> None:
        reach = percent(self.reach.value)
        self.find.setText(
            tr("Find the gentlest weave that holds {reach}", reach=reach)
            if self._woven
            else tr("Find the gentlest blend that holds {reach}", reach=reach)
        )

    def show_running(self, running: bool) -> None:
        """A search has begun or ended."""
        self.find.setVisible(not running)
        self.stop.setVisible(running)

    def tell(self, text: str) -> None:
        """What the search has so far, or bought."""
        self.told.setText(text)
        self.told.setVisible(bool(text))
