"""Looks by name: apply, save, export, import."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import row, soft
from nimble_tile.ui.kit.pickers import PictureGrid, paint_image
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.look import Look
    from nimble_tile.core.piece import Piece

CARD_SIDE = 80


class LooksPage(QWidget):
    """Cards of all looks.

    Signals
    -------
    apply_wanted : Look
    save_wanted, forget_wanted : str
    export_wanted, import_wanted
    """

    apply_wanted = Signal(object)
    save_wanted = Signal(str)
    forget_wanted = Signal(str)
    export_wanted = Signal()
    import_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.looks: dict[str, Look] = {}
        self.saved: set[str] = set()
        self._images: dict[str, QImage] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.cards = PictureGrid(tr("Looks"), (), self._paint, 3, CARD_SIDE, True)
        self.cards.chosen.connect(lambda name: self.apply_wanted.emit(self.looks[name]))
        self.plain = QPushButton(tr("Back to plain black on white"))
        self.plain.setProperty("flat", True)
        self.plain.clicked.connect(self._plain)
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("Name for this look"))
        self.name.setAccessibleName(tr("Name for this look"))
        self.name.setMaxLength(80)
        self.name.textChanged.connect(self._named)
        self.name.returnPressed.connect(self._save)
        self.save = QPushButton(tr("Save"))
        self.save.clicked.connect(self._save)
        self.take_out = QPushButton()
        self.take_out.setProperty("flat", True)
        self.take_out.clicked.connect(lambda: self.forget_wanted.emit(self.name.text().strip()))
        self.export, self.bring = QPushButton(tr("Export…")), QPushButton(tr("Import…"))
        self.export.setToolTip(tr("Writes this look as one file"))
        self.bring.setToolTip(tr("Takes a look from a file and applies it"))
        self.export.clicked.connect(self.export_wanted)
        self.bring.clicked.connect(self.import_wanted)
        head = QLabel(tr("Save this look"))
        head.setProperty("head", True)
        layout.addWidget(self.cards)
        layout.addLayout(row(self.plain, 1))
        layout.addWidget(head)
        layout.addLayout(row(self.name, self.save))
        layout.addLayout(row(self.take_out, 1))
        layout.addLayout(row(self.export, self.bring, 1))
        layout.addWidget(
            soft(tr("A look holds shapes and colours, not the message or the picture."))
        )
        self._named()

    def show_looks(self, looks: dict[str, Look], saved: set[str],
                   images: dict[str, QImage]) -> None:  # fmt: skip
        """Show the looks that there are."""
        self.looks, self.saved, self._images = looks, saved, images
        self.cards.set_options([(name, name) for name in looks])
        self._named()

    def _paint(self, painter: QPainter, area: QRectF, name: object, theme: themes.Theme) -> None:
        paint_image(painter, area.adjusted(-2, -2, 2, 2), self._images.get(str(name)))

    def _plain(self) -> None:
        from nimble_tile.core.look import Look

        self.apply_wanted.emit(Look())

    def _save(self) -> None:
        if self.name.text().strip():
            self.save_wanted.emit(self.name.text())

    def _named(self) -> None:
        name = " ".join(self.name.text().split())
        ships = name in self.looks and name not in self.saved
        self.save.setEnabled(bool(name) and not ships)
        self.save.setText(tr("Replace") if name in self.saved else tr("Save"))
        self.save.setToolTip(
            tr("Write a name first") if not name
            else tr("A look that ships has this name") if ships
            else tr("Keeps this look as {name}", name=name)
        )  # fmt: skip
        self.take_out.setVisible(name in self.saved)
        self.take_out.setText(tr("Delete the saved look {name}", name=name))

    def show_piece(self, piece: Piece) -> None:
        look = piece.look
        self.cards.set_value(look.name if self.looks.get(look.name) == look else None)
        self.plain.setVisible(not look.plain)

    def dress(self, theme: themes.Theme) -> None:
        self.cards.dress(theme)
