"""How pixel art begins: pixels a module, colours, what it shows."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.language import tr
from nimble_tile.core.pixelart import PALETTES, PixelArt, art_of, palette_of
from nimble_tile.core.scan.pixels import pixel_cost
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.ui.kit.controls import Choice, NumberBox, Segments, named, set_rank, soft
from nimble_tile.ui.kit.images import to_qimage

if TYPE_CHECKING:
    from nimble_tile.core.piece import Code, Piece

PREVIEW = 420

FROM_PICTURE = tr("from the picture")


class BeginDialog(QDialog):
    """Settings with a live picture of what comes of them.

    Parameters
    ----------
    piece : Piece
    image : ndarray of uint8, H × W × 3, or None
        The piece's picture.
    parent : QWidget
    """

    def __init__(self, piece: Piece, image: np.ndarray | None, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Pixel art"))
        self.piece, self._image = piece, image
        self.art: PixelArt | None = None
        self.symbol: Symbol | None = None
        self.module = NumberBox(tr("Pixels a module"), 1, 12)
        self.module.set_value(5)
        self.around = NumberBox(tr("Modules round the code"), 0, 16)
        self.around.set_value(2)
        there = [(FROM_PICTURE, tr("Of the picture"))] if image is not None else []
        self.colours = Choice(tr("Colours"), [*there, *((name, tr(name)) for name in PALETTES)])
        self.colours.set_value(there[0][0] if there else "Marsh")
        self.count = NumberBox(tr("Number of colours"), 2, 32)
        self.count.set_value(16)
        self.shows = Segments(
            tr("Shows"),
            [("picture", tr("The picture"),
              tr("The picture in these colours, each module of its sort")),
             ("plain", tr("The code alone"), tr("An empty sheet to draw on"))],
        )  # fmt: skip
        self.shows.set_value("picture" if image is not None else "plain")
        self.shows.button("picture").setEnabled(image is not None)
        self.micro = QCheckBox(tr("Micro QR, where the message fits"))
        self.told = soft()
        self.small = QLabel()
        self.small.setFixedSize(QSize(PREVIEW, PREVIEW))
        self.small.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.small.setAccessibleName(tr("What comes of it"))
        self.buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        self.ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        self.ok.setText(tr("Begin"))
        self.ok.setProperty("main", True)
        for button in self.buttons.buttons():
            button.setIcon(QIcon())
        self._lay_out()
        for signal in (
            self.module.edited, self.around.edited, self.colours.chosen, self.count.edited,
            self.shows.chosen, self.micro.toggled,
        ):  # fmt: skip
            signal.connect(lambda *_: self.refresh())
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addLayout(named(tr("Pixels a module"), self.module, 150))
        left.addLayout(named(tr("Modules round it"), self.around, 150))
        left.addLayout(named(tr("Colours"), self.colours, 150))
        left.addLayout(named(tr("How many"), self.count, 150))
        left.addWidget(self.shows)
        left.addWidget(self.micro)
        left.addWidget(self.told)
        left.addStretch(1)
        side = QWidget()
        side.setLayout(left)
        side.setFixedWidth(300)
        middle = QHBoxLayout()
        middle.setSpacing(16)
        middle.addWidget(side)
        middle.addWidget(self.small)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.addLayout(middle)
        whole.addWidget(self.buttons)

    @property
    def code(self) -> Code:
        """The code's settings: Micro QR where that is wanted."""
        code = self.piece.code
        micro = self.micro.isChecked()
        if micro:
            changes = {"version": "micro", "level": "L", "raise_level": True, "mask": "auto"}
        else:
            own = "auto" if code.version in ("micro", "M1", "M2", "M3", "M4") else code.version
            changes = {"version": own}
        return code.model_copy(update={**changes, "steer": "off"})

    def refresh(self) -> None:
        """Work out what comes of the settings."""
        of_picture = self.colours.currentData() == FROM_PICTURE
        self.count.setEnabled(of_picture)
        try:
            self.symbol = encode(self.piece.message, self.code)
            image = self._image if self.shows.value == "picture" else None
            palette = PALETTES.get(self.colours.currentData())
            if palette is None:
                palette = palette_of(self._image, self.count.value())
            self.art = art_of(self.symbol, palette, self.module.value(), self.around.value(), image)
        except UserError as error:
            self.art = None
            self.small.clear()
            told = str(error)
            if self.micro.isChecked() and isinstance(error, MessageError):
                told += tr(" Micro QR holds up to 35 digits or 21 capital letters.")
            self._tell(told, "error")
            self.ok.setEnabled(False)
            return
        self.ok.setEnabled(True)
        side = self.art.pixels.shape[0]
        factor = max(1, PREVIEW // side)
        shown = to_qimage(self.art.rgb.repeat(factor, 0).repeat(factor, 1))
        if shown.width() > PREVIEW:
            shown = shown.scaled(PREVIEW, PREVIEW)
        self.small.setPixmap(QPixmap.fromImage(shown))
        cost = pixel_cost(self.art, self.symbol)
        told = tr(
            "Version {version}, {side} × {side} pixels, {palette} colours. {told}",
            version=self.symbol.version,
            side=side,
            palette=len(self.art.palette),
            told=cost.told(),
        )
        if self.symbol.micro:
            told += tr(" Of four readers only one knows Micro QR; few phones do.")
        self._tell(told, "soft" if cost.fine else "error")

    def _tell(self, text: str, rank: str) -> None:
        self.told.setText(text)
        set_rank(self.told, rank)
