"""The mend window's controls and where they stand."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Segments, Slider, row, scrolled, soft
from nimble_tile.ui.rooms.mend.places import Places
from nimble_tile.ui.rooms.mend.view import MendView
from nimble_tile.ui.work.side_window import SideWindow

if TYPE_CHECKING:
    from nimble_tile.ui.work.tools import Tools

WANTED = 0.90
"""Reach that is held unless somebody says otherwise."""


class MendFace(SideWindow):
    """All controls; what they do is the window's.

    Parameters
    ----------
    tools : Tools
    parent : QWidget
    """

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, "Mend", 1180, 760)
        self._build(tools.session.piece.message.text)
        self._lay_out()

    def _build(self, text: str) -> None:
        self.open_it, self.pasted = QPushButton("Open…"), QPushButton("Paste")
        self.from_bench = QPushButton("From the bench")
        self.from_bench.setToolTip("The finished piece as it is in the main window")
        self.called = soft("No picture yet.")
        self.message = QPlainTextEdit()
        self.message.setAccessibleName("Intended message")
        self.message.setTabChangesFocus(True)
        self.message.setFixedHeight(58)
        self.message.setPlainText(text)
        self.where = QPushButton("Say where it is")
        self.where.setCheckable(True)
        self.where.setToolTip("Drag a rectangle round the code, quiet zone included")
        self.everywhere = QPushButton("Look everywhere")
        self.find = QPushButton("Find the code")
        self.which = Choice("Symbol", [])
        self.sure = soft()
        self.reach = Slider("Reach to hold", 0.6, 1, WANTED, "%", factor=100)
        self.reach.track.setToolTip("Share of what the plain code of the same symbol passes")
        self.mend = QPushButton("Mend")
        self.stop = QPushButton()
        self.results = Segments(
            "Result",
            [("best", "Smallest change", "The least change that holds"),
             ("second", "Second-best", "Another change that holds: other places, or all of them "
                                       "less")],
        )  # fmt: skip
        self.results.set_value("best")
        self.areas = Places()
        self.keep = QPushButton("Draw what must stay")
        self.keep.setCheckable(True)
        self.keep.setToolTip("Drag rectangles over the picture; a click on one takes it away")
        self.free = QPushButton("Free all")
        self.view = MendView()
        self.way = Segments(
            "View",
            [("before", "Before", "The picture as it came"),
             ("split", "Half and half", "Before to the left of a line that is dragged"),
             ("mended", "Mended", "The picture as it is now"),
             ("changes", "Changes", "Modules that were made lighter or darker")],
        )  # fmt: skip
        self.way.set_value("mended")
        self.told = QLabel()
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        self.told.setWordWrap(True)
        self.copy, self.save = QPushButton("Copy"), QPushButton("Save…")
        for button in (self.find, self.mend):
            button.setProperty("main", True)

    def _lay_out(self) -> None:
        inside = QWidget()
        left = QVBoxLayout(inside)
        left.setContentsMargins(0, 0, 10, 0)
        left.setSpacing(8)
        left.addWidget(_head("Picture"))
        left.addLayout(row(self.open_it, self.pasted, self.from_bench, 1, spacing=6))
        left.addWidget(self.called)
        left.addSpacing(6)
        left.addWidget(_head("Intended message"))
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
        self._places = _head("Changed places")
        left.addWidget(self._places)
        left.addWidget(self.areas, 1)
        left.addLayout(row(self.keep, self.free, 1, spacing=6))
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.view, 1)
        right.addLayout(row(self.way, 1))
        right.addWidget(self.told)
        right.addWidget(self.bar)
        right.addLayout(self.foot(self.copy, self.save))
        whole = QHBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 12)
        whole.setSpacing(16)
        whole.addWidget(scrolled(inside, 316))
        whole.addLayout(right, 1)

    def offer(self, idle: bool, there: bool, known: bool, mended: bool, second: bool) -> None:
        """Show what can be done now.

        Parameters
        ----------
        idle : bool
            Nothing goes on.
        there, known : bool
            There is a picture, and its code is known.
        mended, second : bool
            There is a result, and another one.
        """
        text = bool(self.message.toPlainText())
        for button in (self.open_it, self.pasted, self.from_bench):
            button.setEnabled(idle)
        for button in (self.where, self.everywhere, self.keep):
            button.setEnabled(idle and there)
        self.everywhere.setVisible(self.view.region is not None)
        self.find.setEnabled(idle and there and text)
        self.find.setToolTip("" if there and text else
                             "Write the message" if there else "Open a picture first")  # fmt: skip
        for part in (self.which, self.sure, self.keep):
            part.setVisible(known)
        self.find.setVisible(not known)
        self.mend.setEnabled(idle and known)
        self.mend.setText("Mend again" if mended else "Mend")
        self.mend.setToolTip("" if known else "The code must be found first")
        self.which.setEnabled(idle)
        self.reach.setEnabled(idle)
        self.results.setVisible(second and idle)
        for part in (self._places, self.areas, self.way):
            part.setVisible(mended)
        self.areas.setEnabled(idle)
        self.free.setVisible(known and bool(self.view.kept or self.areas.stays))
        for button in (self.copy, self.save):
            button.setEnabled(idle and mended)


def _head(text: str) -> QLabel:
    label = QLabel(text)
    label.setFont(themes.font(16))
    label.setStyleSheet("font-weight: 700;")
    return label
