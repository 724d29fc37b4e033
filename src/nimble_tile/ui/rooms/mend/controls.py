"""What is mended and how: the column of controls in the mend window."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import (
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.core.tune import MENDED_REACH
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Segments, Slider, row, soft
from nimble_tile.ui.rooms.mend.places import ChangedPlaces

if TYPE_CHECKING:
    pass


class MendControls(QWidget):
    """Picture, message, symbol, reach, and the places that were changed.

    Parameters
    ----------
    text : str
        The intended message to begin with.
    """

    def __init__(self, text: str) -> None:
        super().__init__()
        self.open_it, self.pasted = QPushButton(tr("Open…")), QPushButton(tr("Paste"))
        self.from_bench = QPushButton(tr("From the bench"))
        self.from_bench.setToolTip(tr("The finished piece as it is in the main window"))
        self.called = soft(tr("No picture yet."))
        self.message = QPlainTextEdit()
        self.message.setAccessibleName(tr("Intended message"))
        self.message.setTabChangesFocus(True)
        self.message.setFixedHeight(58)
        self.message.setPlainText(text)
        self.where = QPushButton(tr("Say where it is"))
        self.where.setCheckable(True)
        self.where.setToolTip(tr("Drag a rectangle round the code, quiet zone included"))
        self.everywhere = QPushButton(tr("Look everywhere"))
        self.find = QPushButton(tr("Find the code"))
        self.which = Choice(tr("Symbol"), [])
        self.sure = soft()
        self.reach = Slider(tr("Reach to hold"), 0.6, 1, MENDED_REACH, "%", factor=100)
        self.reach.track.setToolTip(tr("Share of what the usual code passes in the trials"))
        self.mend = QPushButton(tr("Mend"))
        self.stop = QPushButton()
        self.results = Segments(
            tr("Result"),
            [("best", tr("Smallest change"), tr("The least change that holds")),
             ("second", tr("Second-best"),
              tr("Another change that holds: other places, or all of them "
                                       "less"))],
        )  # fmt: skip
        self.results.set_value("best")
        self.areas = ChangedPlaces()
        self.keep = QPushButton(tr("Draw what must stay"))
        self.keep.setCheckable(True)
        self.keep.setToolTip(tr("Drag rectangles over the picture; a click on one takes it away"))
        self.free = QPushButton(tr("Free all"))
        for button in (self.find, self.mend):
            button.setProperty("main", True)
        left = QVBoxLayout(self)
        left.setContentsMargins(0, 0, 10, 0)
        left.setSpacing(8)
        left.addWidget(_head(tr("Picture")))
        left.addLayout(row(self.open_it, self.pasted, self.from_bench, 1, spacing=6))
        left.addWidget(self.called)
        left.addSpacing(6)
        left.addWidget(_head(tr("Intended message")))
        left.addWidget(self.message)
        left.addLayout(row(self.where, self.everywhere, 1, spacing=6))
        left.addLayout(row(self.find, 1))
        left.addWidget(self.which)
        left.addWidget(self.sure)
        left.addSpacing(6)
        left.addWidget(self.reach)
        left.addLayout(row(self.mend, self.stop, 1))
        left.addWidget(self.results)
        left.addSpacing(6)
        self._places = _head(tr("Changed places"))
        left.addWidget(self._places)
        left.addWidget(self.areas, 1)
        left.addStretch(0)  # takes the room where there are no places yet
        left.addLayout(row(self.keep, self.free, 1, spacing=6))

    def offer(
        self, idle: bool, there: bool, known: bool, mended: bool, second: bool, bounded: bool,
        kept: bool,
    ) -> None:  # fmt: skip
        """Show what can be done now.

        Parameters
        ----------
        idle : bool
            Nothing goes on.
        there, known : bool
            There is a picture, and its code is known.
        mended, second : bool
            There is a result, and another one.
        bounded, kept : bool
            A rectangle says where the code is; others say what must stay.
        """
        text = bool(self.message.toPlainText())
        for button in (self.open_it, self.pasted, self.from_bench):
            button.setEnabled(idle)
        for button in (self.where, self.everywhere, self.keep):
            button.setEnabled(idle and there)
        self.everywhere.setVisible(bounded)
        self.find.setEnabled(idle and there and text)
        self.find.setToolTip("" if there and text else
                             tr("Write the message") if there
                             else tr("Open a picture first"))  # fmt: skip
        for part in (self.which, self.sure, self.keep):
            part.setVisible(known)
        self.find.setVisible(not known)
        self.mend.setEnabled(idle and known)
        self.mend.setText(tr("Mend again") if mended else tr("Mend"))
        self.mend.setToolTip("" if known else tr("The code must be found first"))
        self.which.setEnabled(idle)
        self.reach.setEnabled(idle)
        self.results.setVisible(second and idle)
        for part in (self._places, self.areas):
            part.setVisible(mended)
        self.areas.setEnabled(idle)
        self.free.setVisible(known and (kept or bool(self.areas.stays)))


def _head(text: str) -> QLabel:
    label = QLabel(text)
    label.setFont(themes.font(16))
    label.setStyleSheet("font-weight: 700;")
    return label
