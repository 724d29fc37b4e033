"""Steering: whether, by what freedom, and what it brought."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments, Slider, soft
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.ui.work.engine import Shown

ROOMY = {"version": "10", "level": "L", "raise_level": False}
"""Symbol with much freedom for a link."""

STEERING_LABELS = {
    "off": "Steer no longer",
    "padding": "Steer by padding",
    "tail": "Steer by a tail",
}


class SteerBox(QWidget):
    """The steering of one symbol."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.way = Segments(
            "Steering",
            [
                ("off", "Off", "The symbol as the standard has it"),
                ("padding", "Padding",
                 "Bits after the message's end, which readers do not look at; what it says stays"),
                ("tail", "Tail",
                 "Digits after a # at the link's end, which say nothing to a web server"),
            ],
        )  # fmt: skip
        self.way.chosen.connect(lambda way: session.edit("code", STEERING_LABELS[way], steer=way))
        self.told = soft()
        self.room = QPushButton("Make room: version 10, level L")
        self.room.setProperty("flat", True)
        self.room.setToolTip("A larger symbol at a low level leaves many modules to choose")
        self.room.clicked.connect(lambda: session.edit("code", "Make room for steering", **ROOMY))
        self.keep = Slider("Spare to keep", 0, 1, 1, "%", 100)
        self.keep.track.setToolTip(
            "Below 100 %, codewords are set against the message for the picture's sake; error "
            "correction makes them good, and has less left for blur and dirt"
        )
        self.keep.edited.connect(
            lambda value: session.edit("code", "Change the spare to keep", "keep", keep=value)
        )
        self.keep.released.connect(session.part)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        head = QLabel("Steering")
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
        self.setToolTip("Micro QR codes have nothing to steer" if micro else "")
        if piece.code.steer == "off":
            self.told.setText(
                "Arranges the code's free bits so that modules fall where the picture wants them. "
                "A larger version at a low level leaves most to choose."
            )
        elif not there:
            self.told.setText("It begins once there is a picture.")
        self.room.setVisible(False)

    def show_rendering(self, shown: Shown) -> None:
        """What it brought."""
        rendering = shown.rendering
        found = None if rendering is None else rendering.steered
        if found is None or self.session.piece.code.steer == "off":
            return
        self.told.setText(
            f"{found.steerable:.0%} of the modules can be chosen. {found.matched:.0%} are as the "
            f"picture wants them, where half would be chance; weighted by how much each matters "
            f"{found.after:.0%}, before {found.before:.0%}."
        )
        self.room.setVisible(found.steerable < 0.4)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.keep.dress(theme)
