"""Choosing colours: swatches, a panel with sliders, hexadecimal, recent and picture colours."""

from __future__ import annotations

import re

from PySide6.QtCore import QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import figure, tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import row, soft

MOST_RECENT = 8


class Swatch(QToolButton):
    """A colour that opens the panel when pressed."""

    wanted = Signal()

    def __init__(self, name: str, width: int = 44) -> None:
        super().__init__()
        self.colour = "#000000"
        self._name = name
        self.setFixedSize(width, 28)
        self.setAccessibleName(name)
        self.clicked.connect(self.wanted)

    def set_colour(self, colour: str) -> None:
        self.colour = colour
        self.setToolTip(f"{self._name}: {colour}")
        self.setAccessibleDescription(colour)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        palette = self.palette()
        focus = palette.color(palette.ColorRole.Accent)
        edge = palette.color(palette.ColorRole.PlaceholderText)
        painter.setPen(QPen(focus if self.hasFocus() else edge, 2 if self.hasFocus() else 1))
        painter.setBrush(QColor(self.colour))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), 5, 5)


class Band(QWidget):
    """A value from 0 to 1 on a band of the colours that it would give."""

    moved = Signal(float)
    released = Signal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.value = 0.0
        self.colours: list[QColor] = []
        self.setFixedHeight(20)
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def set_state(self, value: float, colours: list[QColor]) -> None:
        self.value, self.colours = value, colours
        self.setAccessibleDescription(figure(value, ".0%"))
        self.update()

    def _take(self, x: float) -> None:
        self.value = min(1.0, max(0.0, (x - 6) / max(1, self.width() - 12)))
        self.update()
        self.moved.emit(self.value)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._take(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._take(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.released.emit()

    def keyPressEvent(self, event) -> None:
        steps = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}
        if event.key() in steps:
            self.value = min(1.0, max(0.0, self.value + steps[event.key()]))
            self.update()
            self.moved.emit(self.value)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(6, 5, self.width() - 12, 10)
        gradient = QLinearGradient(area.topLeft(), area.topRight())
        for index, colour in enumerate(self.colours):
            gradient.setColorAt(index / max(1, len(self.colours) - 1), colour)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(gradient)
        painter.drawRoundedRect(area, 4, 4)
        x = area.left() + self.value * area.width()
        palette = self.palette()
        ink = palette.color(palette.ColorRole.WindowText)
        painter.setPen(QPen(ink, 3 if self.hasFocus() else 2))
        painter.setBrush(palette.color(palette.ColorRole.Base))
        painter.drawRoundedRect(QRectF(x - 4, 1, 8, 18), 3, 3)


class ColourPanel(QFrame):
    """A panel for one colour, opened beside a swatch.

    Signals
    -------
    chosen : str
        ``#rrggbb``, while it is being changed.
    settled
        The change is over.
    pick_wanted
        A colour is to be picked from the piece on the bench.
    """

    chosen = Signal(str)
    settled = Signal()
    pick_wanted = Signal()

    WIDTH = 272

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("colours")
        self.setFixedWidth(self.WIDTH)
        self._colour = QColor("#000000")
        self._hue = 0.0  # kept while the colour is grey
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        layout.setSpacing(6)
        self.title = QLabel()
        self.title.setProperty("head", True)
        layout.addWidget(self.title)
        self.bands = {
            part: Band(name)
            for part, name in (
                ("hue", tr("Hue")),
                ("saturation", tr("Saturation")),
                ("lightness", tr("Lightness")),
            )
        }
        for part, band in self.bands.items():
            band.moved.connect(lambda value, p=part: self._slide(p, value))
            band.released.connect(self.settled)
            layout.addWidget(soft(band.accessibleName()))
            layout.addWidget(band)
        self.hex = QLineEdit()
        self.hex.setAccessibleName(tr("Hexadecimal colour"))
        self.hex.setMaxLength(7)
        self.hex.setFixedWidth(88)
        self.hex.textEdited.connect(self._type)
        self.hex.returnPressed.connect(self.close)
        self.pick = QPushButton(tr("Pick from the piece"))
        self.pick.clicked.connect(self._pick)
        layout.addLayout(row(self.hex, self.pick))
        self.wrong = QLabel(tr("Write # and six hexadecimal digits."))
        self.wrong.setProperty("rank", "error")
        self.wrong.hide()
        layout.addWidget(self.wrong)
        self._rows: dict[str, tuple[QLabel, QGridLayout]] = {}
        for name in (tr("Recent"), tr("Of the picture")):
            label, grid = soft(name), QGridLayout()
            grid.setSpacing(4)
            layout.addWidget(label)
            layout.addLayout(grid)
            self._rows[name] = (label, grid)

    def open_for(
        self, title: str, colour: str, recent: list[str], palette: list[str], at: QPoint
    ) -> None:
        """Open beside a swatch."""
        self.title.setText(title)
        for name, colours in ((tr("Recent"), recent), (tr("Of the picture"), palette)):
            self._offer(name, colours)
        self._show(QColor(colour))
        self.adjustSize()
        screen = self.screen().availableGeometry()
        at.setX(min(at.x(), screen.right() - self.width()))
        at.setY(max(screen.top(), min(at.y(), screen.bottom() - self.height())))
        self.move(at)
        self.show()
        self.hex.setFocus()
        self.hex.selectAll()

    def _offer(self, name: str, colours: list[str]) -> None:
        label, grid = self._rows[name]
        while (item := grid.takeAt(0)) is not None:
            item.widget().hide()
            item.widget().deleteLater()
        label.setVisible(bool(colours))
        for index, colour in enumerate(colours[:MOST_RECENT]):
            swatch = Swatch(name, 25)
            swatch.set_colour(colour)
            swatch.wanted.connect(lambda c=colour: self._jump(c))
            grid.addWidget(swatch, 0, index)
        grid.setColumnStretch(MOST_RECENT, 1)

    @property
    def colour(self) -> str:
        return self._colour.name()

    def _jump(self, colour: str) -> None:
        self._show(QColor(colour))
        self.chosen.emit(self.colour)
        self.settled.emit()

    def _type(self, text: str) -> None:
        text = text.strip()
        full = text if text.startswith("#") else "#" + text
        good = bool(re.fullmatch("#[0-9A-Fa-f]{6}", full))
        self.wrong.setVisible(not good and len(full) == 7)
        if good:
            self._show(QColor(full), typed=True)
            self.chosen.emit(self.colour)

    def _slide(self, part: str, value: float) -> None:
        hue, saturation, lightness = self._hue, self._colour.hslSaturationF(), self._lightness()
        if part == "hue":
            hue = self._hue = min(value, 0.9999)
        elif part == "saturation":
            saturation = value
        else:
            lightness = value
        self._colour = QColor.fromHslF(hue, saturation, lightness)
        self._draw()
        self.chosen.emit(self.colour)

    def _lightness(self) -> float:
        return self._colour.lightnessF()

    def _show(self, colour: QColor, typed: bool = False) -> None:
        self._colour = QColor(colour)
        if colour.hslHueF() >= 0:
            self._hue = colour.hslHueF()
        self._draw(typed)

    def _draw(self, typed: bool = False) -> None:
        s, li = max(0.0, self._colour.hslSaturationF()), self._lightness()
        hues = [QColor.fromHslF(i / 12 % 1, max(s, 0.35), min(0.7, max(0.3, li)))
                for i in range(13)]  # fmt: skip
        self.bands["hue"].set_state(self._hue, hues)
        self.bands["saturation"].set_state(
            s, [QColor.fromHslF(self._hue, i / 4, li) for i in range(5)]
        )
        self.bands["lightness"].set_state(
            li, [QColor.fromHslF(self._hue, s, i / 8) for i in range(9)]
        )
        if not typed:
            self.hex.setText(self._colour.name())
            self.wrong.hide()

    def _pick(self) -> None:
        self.hide()
        self.pick_wanted.emit()

    def hideEvent(self, event) -> None:
        self.settled.emit()
        super().hideEvent(event)

    def sizeHint(self) -> QSize:
        return QSize(self.WIDTH, super().sizeHint().height())

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.pick.setIcon(themes.icon("eyedropper", theme.ink))
