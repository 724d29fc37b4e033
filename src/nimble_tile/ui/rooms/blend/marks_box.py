"""Settings of the marks by which a blend changes a picture."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QColor, QLinearGradient, QPainter
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.blend.marks.shapes import stamp
from nimble_tile.core.language import tr, tr_as
from nimble_tile.core.look import Look
from nimble_tile.core.piece import BORDER_LABELS, MARK_LABELS, Marks
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Segments, Slider, named, row
from nimble_tile.ui.kit.paths import to_painter_path
from nimble_tile.ui.kit.pickers import PictureGrid

SAMPLE = (((0.62, 0.62), True), ((1.5, 0.62), False), ((0.62, 1.5), False), ((1.5, 1.5), True))
"""Where the marks of a small picture lie, in modules, and which of them are strong."""


class BorderRow(QWidget):
    """Which border the code has.

    Signals
    -------
    chosen : str
    costs_wanted
        What each border costs is to be found out.
    """

    chosen = Signal(str)
    costs_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.kind = Choice(tr("Border"), list(BORDER_LABELS.items()))
        self.kind.chosen.connect(lambda kind: self.chosen.emit(kind))
        self.costs = QPushButton(tr("What each border costs…"))
        self.costs.setProperty("flat", True)
        self.costs.setToolTip(tr("Tries them all on this piece, with their reach"))
        self.costs.clicked.connect(self.costs_wanted)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(named(tr("Border"), self.kind))
        layout.addLayout(row(self.costs, 1))


class MarksBox(QWidget):
    """Shape, strength, size and border of the marks.

    Signals
    -------
    edited : str, object, str
        Field, its new value, and what the step of undo is called.
    released
        A slider was let go.
    costs_wanted
        See `BorderRow`.
    """

    edited = Signal(str, object, str)
    released = Signal()
    costs_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self._look = Look()
        self.shape = PictureGrid(
            tr_as("blend", "Marks"), list(MARK_LABELS.items()), self._paint, columns=5, cell=45,
            captions=True,
        )  # fmt: skip
        self.shape.set_notes({"look": tr_as("marks", "Look")})
        self.shape.chosen.connect(lambda v: self.edited.emit("shape", v, tr("Shape the marks")))
        self.by = Segments(
            tr("Strength by"),
            [("lightness", tr("By tone"), tr("Marks of one size, darker or lighter")),
             ("size", tr("By size"), tr("Larger and smaller marks, as in a printed picture")),
             ("both", tr("By both"), tr("Larger marks are darker or lighter, too"))],
        )  # fmt: skip
        self.by.chosen.connect(
            lambda v: self.edited.emit("by", v, tr("Choose what tells the strength of marks"))
        )
        plain = Marks()
        self.size = Slider(tr("Size of the marks"), 0.5, 1, plain.size, "%", factor=100)
        self.size.edited.connect(
            lambda v: self.edited.emit("size", round(v, 4), tr("Change the size of the marks"))
        )
        self.size.released.connect(self.released)
        self.texture = Slider(tr("Texture in the marks"), 0, 1, plain.texture, "%", factor=100)
        self.texture.setToolTip(tr("How much of what lies below is seen in the marks"))
        self.texture.edited.connect(
            lambda v: self.edited.emit("texture", round(v, 4), tr("Change the texture of marks"))
        )
        self.texture.released.connect(self.released)
        self.border_row = BorderRow()
        self.border = self.border_row.kind
        self.border_row.chosen.connect(
            lambda v: self.edited.emit("border", v, tr("Choose the border"))
        )
        self.border_row.costs_wanted.connect(self.costs_wanted)
        self._rest = QWidget()
        inside = QVBoxLayout(self._rest)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(8)
        for widget in (self.by, self.size, self.texture, self.border_row):
            inside.addWidget(widget)
        layout.addWidget(self.shape)
        layout.addWidget(self._rest)

    def _paint(self, painter: QPainter, area: QRectF, shape: Any, theme: themes.Theme) -> None:
        ground = QLinearGradient(area.topLeft(), area.bottomRight())
        ground.setColorAt(0, QColor("#d9a35f"))
        ground.setColorAt(1, QColor("#3f7f95"))
        painter.fillRect(area, ground)
        painter.translate(area.topLeft())
        scale = area.width() / 2.12
        painter.scale(scale, scale)
        for (x, y), strong in SAMPLE:
            ink = QColor("#4b2f17") if strong else QColor("#f3e3c8")
            if shape == "soft":
                _smudge(painter, x, y, ink)
            else:
                path = stamp(shape, self._look).moved(x, y, Marks().size)
                painter.fillPath(to_painter_path(path), ink)

    def show_marks(self, marks: Marks, look: Look) -> None:
        """Show settings; `look` has the shape of marks that are as the look."""
        if look != self._look:
            self._look = look
            self.shape.update()
        self.shape.set_value(marks.shape)
        self.by.set_value(marks.by)
        self.size.set_value(marks.size)
        self.texture.set_value(marks.texture)
        self.border.set_value(marks.border)
        self._rest.setVisible(marks.shape != "soft")

    def dress(self, theme: themes.Theme) -> None:
        """Take on a theme."""
        self.shape.dress(theme)


def _smudge(painter: QPainter, x: float, y: float, ink: QColor) -> None:
    """What a soft change of tone looks like."""
    for step in range(6):
        ink.setAlpha(50)
        radius = 0.12 + 0.07 * step
        painter.setBrush(ink)
        painter.setPen(QColor(0, 0, 0, 0))
        painter.drawEllipse(QRectF(x - radius, y - radius, 2 * radius, 2 * radius))
