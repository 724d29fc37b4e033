"""Steering: whether, by what freedom, and what it brought."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments, Slider, soft
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.ui.work.engine import Shown

ROOMY = {"version": "10", "level": "L", "raise_level": False}
"""Symbol with much freedom for a link."""

STEERING_LABELS = {
    "off": tr("Steer no longer"),
    "padding": tr("Steer by padding"),
    "tail": tr("Steer by a tail"),
}


class SteerBox(QWidget):
    """The steering of one symbol."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.way = Segments(
            tr("Steering"),
            [
                ("off", tr("Off"), tr("The symbol as the standard has it")),
                ("padding", tr("Padding"),
                 tr("Bits after the message's end, which readers do not look at; "
                    "what it says stays")),
                ("tail", tr("Tail"),
                 tr("Digits after a # at the link's end, which say nothing to a web server")),
            ],
        )  # fmt: skip
        self.way.chosen.connect(lambda way: session.edit("code", STEERING_LABELS[way], steer=way))
        self.told = soft()
        self.room = QPushButton(tr("Make room: version 10, level L"))
        self.room.setProperty("flat", True)
        self.room.setToolTip(tr("A larger symbol at a low level leaves many modules to choose"))
        self.room.clicked.connect(
            lambda: session.edit("code", tr("Make room for steering"), **ROOMY)
        )
        self.keep = Slider(tr("Spare to keep"), 0, 1, 1, "%", 100)
        self.keep.track.setToolTip(
            tr(
                "Below 100 %, codewords are set against the message for the picture's sake; error "
                "correction makes them good, and has less left for blur and dirt"
            )
        )
        self.keep.edited.connect(
            lambda value: session.edit("code", tr("Change the spare to keep"), "keep", keep=value)
        )
        self.keep.released.connect(session.part)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        head = QLabel(tr("Steering"))
        head.setProperty("head", True)
        for widget in (head, self.way, self.told, self.room, self.keep):
            layout.addWidget(widget)

    def show_piece(self, piece: Piece) -> None:
        """Show the piece's setting."""
        self.way.set_value(piece.code.steer)
        self.keep.set_value(piece.code.keep)
        self.keep.setVisible(piece.code.steer != "off")
        there = piece.picture.digest is not None
        micro = piece.code.version.lower().startswith("m")
        self.setEnabled(not micro)
        self.setToolTip(tr("Micro QR codes have nothing to steer") if micro else "")
        if piece.code.steer == "off":
            self.told.setText(
                tr(
                    "Arranges the code's free bits so that modules fall where the picture "
                    "wants them. "
                    "A larger version at a low level leaves most to choose."
                )
            )
        elif not there:
            self.told.setText(tr("It begins once there is a picture."))
        self.room.setVisible(False)

    def show_rendering(self, shown: Shown) -> None:
        """What it brought."""
        rendering = shown.rendering
        found = None if rendering is None else rendering.steered
        if found is None or self.session.piece.code.steer == "off":
            return
        self.told.setText(
            tr(
                "{steerable:.0%} of the modules can be chosen. {matched:.0%} are as "
                "the picture wants them, where half would be chance; weighted by how "
                "much each matters {after:.0%}, before {before:.0%}.",
                steerable=found.steerable,
                matched=found.matched,
                after=found.after,
                before=found.before,
            )
        )
        self.room.setVisible(found.steerable < 0.4)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.keep.dress(theme)
