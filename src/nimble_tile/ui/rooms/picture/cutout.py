"""Cutting the subject out of its background."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.bench.hands.brush import BrushHand
from nimble_tile.ui.bench.hands.brush_box import BrushBox
from nimble_tile.ui.kit.controls import Segments, Slider, named, rule, set_checked, soft
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

WHITE = "#ffffff"


class CutOutPage(Page):
    """What is kept of the picture, and what stands behind it."""

    def __init__(self, session: Session, desk: ColourDesk, hand: BrushHand) -> None:
        super().__init__(session, desk)
        self.body.addWidget(soft(tr("While this page is open, paint on the bench what is kept.")))
        self.brush = BrushBox(
            hand,
            (tr("Keep"), tr("What is painted stays")),
            (tr("Take away"), tr("What is painted goes")),
            tr("Keep everything"),
        )
        self.body.addWidget(self.brush)
        self.body.addWidget(rule())
        self.on = QCheckBox(tr("Cut out"))
        self.on.setToolTip(tr("Switch the cut-out off without losing what was painted"))
        self.on.toggled.connect(
            lambda on: session.prepare(
                "cut_out",
                tr("Switch the cut-out on") if on else tr("Switch the cut-out off"),
                on=on,
            )
        )
        self.feather = self.prepares(
            "cut_out", "feather",
            Slider(tr("Feather"), 0, 0.05, 0.002, "%", factor=100, decimals=1),
            tr("Change the feather"),
        )  # fmt: skip
        self.behind = Segments(
            tr("Background"),
            [
                ("none", tr("Removed"), tr("Transparent: the ground colour shows")),
                ("colour", tr("Colour"), tr("One colour behind what is kept")),
            ],
        )
        self.behind.chosen.connect(
            lambda kind: session.prepare(
                "cut_out", tr("Choose the background"),
                background=None if kind == "none" else self.colour.colour,
            )
        )  # fmt: skip
        self.colour = self.swatch(
            tr("Background colour"), tr("Background colour"),
            lambda c: session.prepare(
                "cut_out", tr("Change the background colour"), "background", background=c
            ),
        )  # fmt: skip
        self.colour.set_colour(WHITE)
        for widget in (self.on, self.feather, self.behind):
            self.body.addWidget(widget)
        self.body.addLayout(named(tr("Colour"), self.colour))
        self.body.addStretch(1)

    def show_piece(self, piece: Piece) -> None:
        cut = piece.picture.prepare.cut_out
        there = cut.mask is not None
        self.brush.show_mask(there)
        set_checked(self.on, cut.on and there)
        self.on.setEnabled(there)
        self.on.setToolTip(
            tr("Switch the cut-out off without losing what was painted")
            if there else tr("Paint first what is kept")
        )  # fmt: skip
        self.feather.set_value(cut.feather)
        self.behind.set_value("none" if cut.background is None else "colour")
        if cut.background is not None:
            self.colour.set_colour(cut.background)
