"""What lies between modules and logo: cleared modules, a plate, a plate painted by hand."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox

from nimble_tile.core.additions import Backing
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.bench.hands.brush_box import BrushBox
from nimble_tile.ui.bench.hands.plate import PlateHand
from nimble_tile.ui.kit.controls import Fold, Segments, Slider, named, set_checked, soft
from nimble_tile.ui.rooms.logo.logo import ItemPage
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

TOLD = {
    "none": tr("The logo lies on the modules as they are."),
    "cleared": tr("Modules that the shape touches are taken away whole; what is below them shows."),
    "plate": tr("A plate of one colour lies under the logo."),
}


class BackingPage(ItemPage):
    """Kind, shape, margin, plate, painted plate.

    Signals
    -------
    paints : bool
        The plate is to be painted on the bench, or no longer.
    """

    paints = Signal(bool)

    def __init__(self, session: Session, desk: ColourDesk, hand: PlateHand) -> None:
        super().__init__(session, desk)
        default = Backing()
        self.kind = Segments(
            tr("Under the logo"),
            [
                ("none", tr("Modules"), TOLD["none"]),
                ("cleared", tr("Cleared"), TOLD["cleared"]),
                ("plate", tr("Plate"), TOLD["plate"]),
            ],
        )
        self.kind.chosen.connect(
            lambda kind: self.change_in("backing", tr("Choose what lies under the logo"), kind=kind)
        )
        self.told = soft()
        self.shape = Segments(
            tr("Shape"),
            [
                ("outline", tr("Outline"), tr("The logo's own outline")),
                ("box", tr("Box"), tr("The logo's box")),
                ("rounded", tr("Round"), tr("A box with round corners")),
                ("circle", tr("Circle"), tr("A circle round the logo")),
            ],
        )
        self.shape.chosen.connect(
            lambda shape: self.change_in("backing", tr("Choose the plate's shape"), shape=shape)
        )
        self.margin = self.joined(
            "backing", "margin",
            Slider(tr("Margin"), 0, 6, default.margin, "modules", decimals=1),
            tr("Change the margin"),
        )  # fmt: skip
        self.corner = self.joined(
            "backing", "corner", Slider(tr("Corners"), 0, 1, default.corner, "%", factor=100),
            tr("Change the corners"),
        )  # fmt: skip
        self.whole = QCheckBox(tr("Take modules away whole"))
        self.whole.setToolTip(tr("Modules that the plate touches are not cut but left out"))
        self.whole.toggled.connect(
            lambda on: self.change_in(
                "backing", tr("Take modules away whole") if on else tr("Cut modules at the plate"),
                whole=on,
            )
        )  # fmt: skip
        self.colour = self.swatch(
            tr("Plate colour"), tr("Plate colour"),
            lambda c: self.change_in(
                "backing", tr("Change the plate's colour"), "plate colour", colour=c
            ),
        )  # fmt: skip
        self.soft_edge = self.joined(
            "backing", "soft", Slider(tr("Soft edge"), 0, 4, 0, "modules", decimals=1),
            tr("Change the plate's edge"),
        )  # fmt: skip
        self.line = self.joined(
            "backing", "line", Slider(tr("Line"), 0, 2, 0, "modules", decimals=2),
            tr("Change the plate's line"),
        )  # fmt: skip
        self.line_colour = self.swatch(
            tr("Line colour"), tr("Line colour"),
            lambda c: self.change_in(
                "backing", tr("Change the line's colour"), "line colour", line_colour=c
            ),
        )  # fmt: skip
        for widget in (self.kind, self.told, self.shape, self.margin, self.corner, self.whole):
            self.body.addWidget(widget)
        self.plate_fold = Fold(tr("The plate"), True)
        self.plate_fold.inside.addLayout(named(tr("Colour"), self.colour))
        self.plate_fold.inside.addWidget(self.soft_edge)
        self.plate_fold.inside.addWidget(self.line)
        self.plate_fold.inside.addLayout(named(tr("Line colour"), self.line_colour))
        self.body.addWidget(self.plate_fold)
        self.body.addWidget(self._painted(hand))
        self.body.addStretch(1)

    def _painted(self, hand: PlateHand) -> Fold:
        self.paint_fold = Fold(tr("Painted by hand"))
        self.paint_fold.inside.addWidget(
            soft(tr("While this is open, paint on the code: a plate under all logos."))
        )
        self.brush = BrushBox(
            hand, (tr("Cover"), tr("What is painted covers modules")),
            (tr("Free"), tr("What is painted shows modules again")), tr("Remove it"),
        )  # fmt: skip
        self.brush.tool.hide()
        self.brush.hint.hide()
        self.paint_colour = self.swatch(
            tr("Colour of what is painted"), tr("Colour of what is painted"),
            lambda c: self.session.edit(
                "logo", tr("Change the painted plate's colour"), "paint colour", paint_colour=c
            ),
        )  # fmt: skip
        self.paint_fold.inside.addWidget(self.brush)
        self.paint_fold.inside.addLayout(named(tr("Colour"), self.paint_colour))
        self.paint_fold.head.toggled.connect(self.paints)
        return self.paint_fold

    def show_piece(self, piece: Piece) -> None:
        logos = piece.logo
        self.brush.show_mask(logos.paint is not None)
        self.paint_fold.set_note("painted" if logos.paint else "")
        self.paint_colour.set_colour(logos.paint_colour)
        logo = self.logo
        there = logo is not None
        for widget in (self.kind, self.told, self.shape, self.margin, self.corner, self.whole,
                       self.plate_fold):  # fmt: skip
            widget.setVisible(there)
        if logo is None:
            return
        backing = logo.backing
        self.kind.set_value(backing.kind)
        self.told.setText(TOLD[backing.kind])
        self.shape.set_value(backing.shape)
        for slider, value in (
            (self.margin, backing.margin), (self.corner, backing.corner),
            (self.soft_edge, backing.soft), (self.line, backing.line),
        ):  # fmt: skip
            slider.set_value(value)
        set_checked(self.whole, backing.whole)
        self.colour.set_colour(backing.colour)
        self.line_colour.set_colour(backing.line_colour)
        under = backing.kind != "none"
        self.shape.setVisible(under)
        self.margin.setVisible(under)
        self.corner.setVisible(under and backing.shape == "rounded")
        self.whole.setVisible(backing.kind == "plate")
        self.plate_fold.setVisible(backing.kind == "plate")
