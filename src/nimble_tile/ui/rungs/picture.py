"""Rung 3: the picture and the code's place on it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import QColorDialog, QLabel, QPushButton, QWidget

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.picture.placing import centred_square
from nimble_tile.core.picture.store import About
from nimble_tile.core.piece import Piece, Region
from nimble_tile.ui.controls import Number, named, row, set_rank, soft
from nimble_tile.ui.rungs.base import Rung
from nimble_tile.ui.session import Session

if TYPE_CHECKING:
    from nimble_tile.ui.engine import Shown


class PictureRung(Rung):
    """Bring, replace, remove; ground colour; place in numbers."""

    title, rung = "Picture", "picture"
    wanted = Signal()  # the person wants to choose a file

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._about: About | None = None
        self.about = QLabel()
        self.about.setWordWrap(True)
        self.note = soft()
        self.bring = QPushButton("Bring in a picture…")
        self.bring.clicked.connect(self.wanted)
        self.remove = QPushButton("Remove")
        self.remove.clicked.connect(
            lambda: session.edit("picture", "Remove the picture", digest=None, name="", region=None)
        )
        self.ground = QPushButton()
        self.ground.setAccessibleName("Ground colour")
        self.ground.clicked.connect(self._choose_ground)
        self.x = Number("From the left", 0, 100_000, "px")
        self.y = Number("From the top", 0, 100_000, "px")
        self.side = Number("Side of the code", 1, 100_000, "px")
        for number in (self.x, self.y, self.side):
            number.edited.connect(self._place)
        self.centre = QPushButton("Fill the middle")
        self.centre.setToolTip("The largest square in the middle of the picture")
        self.centre.clicked.connect(
            lambda: session.edit("picture", "Place the code in the middle", region=None)
        )
        self.error = QLabel()
        self.error.setWordWrap(True)
        set_rank(self.error, "error")
        self.error.hide()
        self.body.addWidget(self.about)
        self.body.addWidget(self.note)
        self.body.addLayout(row(self.bring, self.remove, 1))
        self._placing = QWidget()
        place = self._placing_layout()
        self._placing.setLayout(place)
        self.body.addWidget(self._placing)
        self.body.addWidget(self.error)

    def _placing_layout(self):
        from PySide6.QtWidgets import QVBoxLayout

        layout = QVBoxLayout()
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(named("Ground", self.ground, 110))
        layout.addWidget(soft("Place of the code, quiet zone included. Or drag it on the bench."))
        layout.addLayout(named("From the left", self.x, 110))
        layout.addLayout(named("From the top", self.y, 110))
        layout.addLayout(named("Side", self.side, 110))
        layout.addLayout(row(self.centre, 1))
        return layout

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        if piece.picture.digest is None:
            return "None yet: the code stands alone"
        return piece.picture.name or "A picture"

    def know_picture(self, about: About | None) -> None:
        """What is known of the piece's picture."""
        self._about = about

    def _region(self, piece: Piece) -> Region | None:
        if self._about is None:
            return None
        return piece.picture.region or centred_square(self._about.size)

    def show_piece(self, piece: Piece) -> None:
        picture = piece.picture
        there = picture.digest is not None
        self.bring.setText("Replace…" if there else "Bring in a picture…")
        self.remove.setVisible(there)
        self._placing.setVisible(there)
        notes = self._about.notes if self._about else ()
        transparent = self._about is not None and self._about.transparent
        if self._about:
            width, height = self._about.size
            self.about.setText(f"{picture.name}\n{width} × {height} pixels")
        else:
            self.about.setText("Drop a PNG, JPEG, WebP or TIFF file anywhere on the window.")
        self.note.setText(" ".join(notes))
        self.note.setVisible(bool(notes))
        self.ground.setText(picture.ground)
        swatch = QPixmap(16, 16)
        swatch.fill(QColor(picture.ground))
        self.ground.setIcon(QIcon(swatch))
        self.ground.setEnabled(transparent)
        self.ground.setToolTip(
            "Colour behind transparent parts"
            if transparent
            else "This picture has no transparent parts"
        )
        region = self._region(piece)
        if region is not None:
            width, height = self._about.size
            self.x.set_value(round(region.x), width)
            self.y.set_value(round(region.y), height)
            self.side.set_value(round(region.width), min(width, height))

    def _place(self) -> None:
        """Keep what was typed and give way in the other numbers."""
        if self._about is None:
            return
        width, height = self._about.size
        side = self.side.value()
        region = Region(
            x=min(self.x.value(), width - side),
            y=min(self.y.value(), height - side),
            width=side,
            height=side,
        )
        self.session.edit("picture", "Place the code", "place", region=region)

    def _choose_ground(self) -> None:
        old = QColor(self.session.piece.picture.ground)
        colour = QColorDialog.getColor(old, self, "Ground colour")
        if colour.isValid():
            self.session.edit("picture", "Change the ground colour", ground=colour.name())

    def show_error(self, error: UserError | None) -> None:
        concerns = error is not None and not isinstance(error, MessageError)
        self.error.setText(str(error) if concerns else "")
        self.error.setVisible(concerns)

    def show_problem(self, error: UserError) -> None:
        """A picture could not be brought in."""
        self.error.setText(str(error))
        self.error.show()
