"""Small pictures to choose from: shapes, masks, looks."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QToolTip, QWidget

from nimble_tile.ui.kit import theme as themes

Painter = Callable[[QPainter, QRectF, object, themes.Theme], None]
"""Paints the picture of a value into a rectangle."""


class PictureGrid(QWidget):
    """One of several values, each shown as a small picture.

    Parameters
    ----------
    name : str
    options : sequence of (value, label)
        The label is the tooltip, and the caption where there is room for one.
    paint : callable
        Paints a value.
    columns : int
    cell : int
        Side of a picture in pixels; 0: as wide as the grid lets it.
    captions : bool
        Whether the labels stand below the pictures.
    """

    chosen = Signal(object)

    GAP = 4
    CAPTION = 18

    def __init__(
        self,
        name: str,
        options: Sequence[tuple[object, str]],
        paint: Painter,
        columns: int = 6,
        cell: int = 38,
        captions: bool = False,
    ) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self._name = name
        self._paint = paint
        self._columns, self._cell, self._captions = columns, cell, captions
        self._options: list[tuple[object, str]] = []
        self._notes: dict[object, str] = {}
        self.value: object = None
        self._at = 0  # where the keyboard is
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.set_options(options)

    def set_options(self, options: Sequence[tuple[object, str]]) -> None:
        """Other values to choose from."""
        self._options = list(options)
        rows = -(-len(self._options) // self._columns)
        step = self._cell + self.GAP + (self.CAPTION if self._captions else 0)
        self.setFixedHeight(max(0, rows * step - self.GAP))
        self.setMinimumWidth(self._columns * (self._cell + self.GAP) - self.GAP)
        self.update()

    def set_value(self, value: object) -> None:
        """Show a value without telling anyone."""
        self.value = value
        for index, (own, label) in enumerate(self._options):
            if own == value:
                self._at = index
                self.setAccessibleDescription(label)
        self.update()

    def set_notes(self, notes: dict[object, str]) -> None:
        """Captions that differ from the labels, such as scores."""
        self._notes = notes
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(self.minimumWidth(), self.height())

    def cell(self, index: int) -> QRectF:
        """Place of a picture."""
        row, column = divmod(index, self._columns)
        step = self._cell + self.GAP
        down = step + (self.CAPTION if self._captions else 0)
        return QRectF(column * step, row * down, self._cell, self._cell)

    def _index_at(self, at: QPointF) -> int:
        for index in range(len(self._options)):
            area = self.cell(index)
            if self._captions:
                area.setHeight(area.height() + self.CAPTION)
            if area.contains(at):
                return index
        return -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self._index_at(event.position())
        if index >= 0 and event.button() == Qt.MouseButton.LeftButton:
            self._choose(index)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        index = self._index_at(event.position())
        self.setCursor(
            Qt.CursorShape.PointingHandCursor if index >= 0 else Qt.CursorShape.ArrowCursor
        )
        if index >= 0:
            label = self._options[index][1]
            QToolTip.showText(event.globalPosition().toPoint(), label, self)

    def _choose(self, index: int) -> None:
        self._at = index
        self.update()
        self.chosen.emit(self._options[index][0])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self._columns, Qt.Key.Key_Down: self._columns,
        }  # fmt: skip
        if event.key() in steps and self._options:
            self._at = min(len(self._options) - 1, max(0, self._at + steps[event.key()]))
            self.setAccessibleDescription(self._options[self._at][1])
            self.update()
        elif event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._options:
                self._choose(self._at)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event) -> None:
        self.update()

    def focusOutEvent(self, event) -> None:
        self.update()

    def dress(self, theme: themes.Theme) -> None:
        self.theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        for index, (value, label) in enumerate(self._options):
            area = self.cell(index)
            here = value == self.value
            painter.setPen(QPen(QColor(theme.accent if here else theme.rule), 2 if here else 1))
            painter.setBrush(QColor(theme.tint if here else theme.field))
            inset = 1 if here else 0.5
            painter.drawRoundedRect(area.adjusted(inset, inset, -inset, -inset), 5, 5)
            painter.save()
            self._paint(painter, area.adjusted(5, 5, -5, -5), value, theme)
            painter.restore()
            if self._captions:
                text = self._notes.get(value, label)
                painter.setFont(themes.font(12))
                painter.setPen(QColor(theme.ink if here else theme.soft))
                line = QRectF(area.left(), area.bottom(), area.width(), self.CAPTION)
                shown = QFontMetricsF(painter.font()).elidedText(
                    text, Qt.TextElideMode.ElideRight, line.width()
                )
                painter.drawText(line, Qt.AlignmentFlag.AlignCenter, shown)
            if self.hasFocus() and index == self._at:
                painter.setPen(QPen(QColor(theme.accent), 1.5, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(area.adjusted(3, 3, -3, -3), 3, 3)


def paint_image(painter: QPainter, area: QRectF, image: QImage | None) -> None:
    """An image that fills an area."""
    if image is not None and not image.isNull():
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(area, image)
