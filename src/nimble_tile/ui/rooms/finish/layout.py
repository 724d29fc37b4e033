"""The finished piece arranged in a layout: a picture with a place for it."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton

from nimble_tile.core.additions import Layout
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit.controls import Segments, row, soft
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session


class LayoutPage(Page):
    """Choose, replace, remove; how the piece fits.

    Signals
    -------
    wanted
        A picture is to be chosen as the layout.
    shipped_wanted : str
        A layout that ships with the program.
    """

    wanted = Signal()
    shipped_wanted = Signal(str)

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self.told = soft()
        self.body.addWidget(self.told)
        self.shipped: dict[str, QPushButton] = {}
        from nimble_tile.core.arrange import SHIPPED_LAYOUTS

        for name, label in SHIPPED_LAYOUTS.items():
            button = QPushButton(label)
            button.clicked.connect(lambda _=False, n=name: self.shipped_wanted.emit(n))
            self.shipped[name] = button
        self.own = QPushButton(tr("A picture of yours…"))
        self.own.clicked.connect(self.wanted)
        self.remove = QPushButton(tr("Without a layout"))
        self.remove.clicked.connect(
            lambda: session.edit(
                "layout", tr("Take the piece out of its layout"), digest=None, name=""
            )
        )
        self.body.addLayout(row(*self.shipped.values(), 1))
        self.body.addLayout(row(self.own, 1))
        self.body.addLayout(row(self.remove, 1))
        self.fit = Segments(
            tr("Fit"),
            [
                ("inside", tr("Inside"), tr("The whole piece, inside the place")),
                ("cover", tr("Covering"), tr("As much of the piece as covers the place")),
            ],
        )
        self.fit.chosen.connect(lambda fit: session.edit("layout", tr("Fit the piece"), fit=fit))
        self.body.addWidget(self.fit)
        self.hint = soft(
            tr(
                "Pull the place's corners on the bench, or move it as a whole. The bench shows the "
                "layout while this rung is open."
            )
        )
        self.body.addWidget(self.hint)
        self.body.addStretch(1)

    def show_piece(self, piece: Piece) -> None:
        layout: Layout = piece.layout
        there = layout.digest is not None
        self.told.setText(
            tr("Arranged in {name}. Choose another and the rest stays.",
               name=layout.name or tr('a layout'))
            if there else tr("Put the finished piece on a card, a ticket or any other picture.")
        )  # fmt: skip
        self.remove.setVisible(there)
        self.fit.setVisible(there)
        self.hint.setVisible(there)
        self.fit.set_value(layout.fit)
