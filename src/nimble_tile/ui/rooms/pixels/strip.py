"""The strip of pixel tools under the bench."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr, tr_as
from nimble_tile.core.pixelart import dark_ones
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Segments, row, set_rank

TOOLS = (
    ("pencil", tr("Pencil"), tr("Draw pixel by pixel (P)")),
    ("line", tr("Line"), tr("From where it is pressed to where it is let go (L)")),
    ("fill", tr("Fill"), tr("Everything of one colour that hangs together (F)")),
    ("pick", tr("Pick"), tr("Take a colour from the drawing (K; or Alt with any tool)")),
    ("erase", tr("Erase"), tr("Bring the plain code back (E)")),
)

MIRRORS = (
    ("none", tr("Not mirrored")), ("across", tr("Left and right")), ("down", tr("Above and below")),
    ("both", tr("All four")),
)  # fmt: skip

CELL = 24
"""Side of a colour's cell, in pixels."""


class PaletteBar(QWidget):
    """The colours, dark ones before a gap, light ones after it.

    Signals
    -------
    chosen : int
        Index of a colour.
    """

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.colours: tuple[str, ...] = ()
        self.current = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Palette"))
        self.setFixedHeight(CELL + 6)

    def take(self, colours: Sequence[str]) -> None:
        """Show a palette."""
        if tuple(colours) != self.colours:
            self.colours = tuple(colours)
            self.current = min(self.current, max(0, len(self.colours) - 1))
            self.updateGeometry()
        self._tell()

    def choose(self, index: int) -> None:
        """Take a colour."""
        if 0 <= index < len(self.colours):
            self.current = index
            self._tell()
            self.chosen.emit(index)

    def _tell(self) -> None:
        if self.colours:
            sort = tr("dark") if self._dark[self.current] else tr_as("tone", "light")
            told = tr(
                "{colour}, {sort}, {number} of {most}",
                colour=self.colours[self.current],
                sort=sort,
                number=self.current + 1,
                most=len(self.colours),
            )
            self.setAccessibleDescription(told)
            self.setToolTip(
                tr(
                    "{sort}: {colours}. Arrow keys choose another",
                    sort=sort,
                    colours=self.colours[self.current],
                )
            )
        self.update()

    @property
    def _dark(self) -> list[bool]:
        return [bool(value) for value in dark_ones(self.colours)]

    def _cells(self) -> list[QRectF]:
        side = CELL if len(self.colours) <= 20 else CELL * 20 / len(self.colours)
        found, x = [], 3.0
        dark = self._dark
        for index in range(len(self.colours)):
            if index and dark[index - 1] and not dark[index]:
                x += 8  # what is dark and what is light stand apart
            found.append(QRectF(x, 3, side - 2, CELL - 2))
            x += side
        return found

    def sizeHint(self) -> QSize:
        cells = self._cells()
        return QSize(int(cells[-1].right() + 4) if cells else 60, CELL + 6)

    minimumSizeHint = sizeHint

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        for index, spot in enumerate(self._cells()):
            painter.fillRect(spot, QColor(self.colours[index]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            own = index == self.current
            line = self.theme.accent if own else self.theme.edge
            painter.setPen(QPen(QColor(line), 3 if own else 1))
            painter.drawRect(spot)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for index, spot in enumerate(self._cells()):
            if spot.contains(event.position()):
                self.choose(index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(event.key())
        if step is None:
            super().keyPressEvent(event)
        else:
            self.choose((self.current + step) % max(1, len(self.colours)))


class PixelStrip(QWidget):
    """Tools, mirror, palette, and what the last stroke cost."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.tool = Segments(tr("Tool"), TOOLS)
        self.tool.set_value("pencil")
        self.mirror = Choice(tr("Mirror"), MIRRORS)
        self.mirror.setToolTip(tr("Every stroke on the other side of the middle, too"))
        self.palette = PaletteBar()
        self.done = QPushButton(tr("Done"))
        self.done.setToolTip(tr("Put the pencil away; Artwork, Pixel art takes it up again"))
        self.told = QLabel()
        self.told.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 4)
        layout.setSpacing(4)
        layout.addLayout(row(self.tool, self.mirror, 1, self.done))
        layout.addLayout(row(self.palette, 1))
        layout.addWidget(self.told)

    def tell(self, text: str, fine: bool = True) -> None:
        """What the last stroke cost."""
        self.told.setText(text)
        set_rank(self.told, "soft" if fine else "error")

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.palette.theme = theme
        self.palette.update()
