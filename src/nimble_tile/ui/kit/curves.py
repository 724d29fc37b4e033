"""The curve editor: tone before against tone after, by points."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes

Points = tuple[tuple[float, float], ...]

GRIP = 9
LEAST_APART = 0.02
MOST_POINTS = 12


class CurveEdit(QWidget):
    """Points to drag; a click on the curve adds one, double-click or Delete takes it away.

    Signals
    -------
    edited : tuple of (float, float)
    released
    """

    edited = Signal(object)
    released = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.points: Points = ((0.0, 0.0), (1.0, 1.0))
        self._at = 0  # the point that the keyboard moves
        self._held = False
        self.setFixedHeight(150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Luminance curve"))
        self.setToolTip(
            tr(
                "Drag a point; click on the curve for another one; double-click or "
                "Delete takes it away"
            )
        )

    def set_value(self, points: Points) -> None:
        """Show points without telling anyone."""
        if points != self.points:
            self.points = points
            self._at = min(self._at, len(points) - 1)
            self.update()

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 8, -8, -8)

    def at(self, point: tuple[float, float]) -> QPointF:
        """Where a point is drawn."""
        area = self._area()
        return QPointF(
            area.left() + point[0] * area.width(), area.bottom() - point[1] * area.height()
        )

    def _value(self, at: QPointF) -> tuple[float, float]:
        area = self._area()
        x = (at.x() - area.left()) / area.width()
        y = (area.bottom() - at.y()) / area.height()
        return min(1.0, max(0.0, x)), min(1.0, max(0.0, y))

    def _near(self, at: QPointF) -> int:
        for index, point in enumerate(self.points):
            if (self.at(point) - at).manhattanLength() < GRIP * 1.6:
                return index
        return -1

    def _put(self, index: int, value: tuple[float, float]) -> None:
        points = list(self.points)
        low = points[index - 1][0] + LEAST_APART if index else 0.0
        high = points[index + 1][0] - LEAST_APART if index + 1 < len(points) else 1.0
        points[index] = (round(min(high, max(low, value[0])), 4), round(value[1], 4))
        self._take(tuple(points))

    def _take(self, points: Points) -> None:
        if points != self.points:
            self.points = points
            self.update()
            self.edited.emit(points)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        index = self._near(at)
        if index < 0 and len(self.points) < MOST_POINTS:
            value = self._value(at)
            if min(abs(value[0] - x) for x, _ in self.points) < LEAST_APART:
                return
            points = sorted((*self.points, value))
            index = points.index(value)
            self._take(tuple(points))
        self._at, self._held = max(0, index), index >= 0
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._put(self._at, self._value(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = False
            self.released.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        index = self._near(event.position())
        if index >= 0:
            self._at = index
            self._remove()

    def _remove(self) -> None:
        """The ends stay."""
        if 0 < self._at < len(self.points) - 1:
            points = [p for i, p in enumerate(self.points) if i != self._at]
            self._at = 0
            self._take(tuple(points))
            self.released.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-0.01, 0), Qt.Key.Key_Right: (0.01, 0),
            Qt.Key.Key_Up: (0, 0.01), Qt.Key.Key_Down: (0, -0.01),
        }  # fmt: skip
        if event.key() in steps:
            x, y = self.points[self._at]
            by = steps[event.key()]
            self._put(self._at, (x + by[0], min(1.0, max(0.0, y + by[1]))))
        elif event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            step = 1 if event.key() == Qt.Key.Key_PageDown else -1
            self._at = (self._at + step) % len(self.points)
            self.update()
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._remove()
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
        from nimble_tile.core.artwork import Curve
        from nimble_tile.core.picture.prepare import curve_table

        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, area = self.theme, self._area()
        painter.setPen(QPen(QColor(theme.accent if self.hasFocus() else theme.rule), 1))
        painter.setBrush(QColor(theme.field))
        painter.drawRect(area)
        painter.setPen(QPen(QColor(theme.rule), 1))
        for share in (0.25, 0.5, 0.75):
            x, y = area.left() + share * area.width(), area.top() + share * area.height()
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        painter.setPen(QPen(QColor(theme.soft), 1, Qt.PenStyle.DotLine))
        painter.drawLine(area.bottomLeft(), area.topRight())
        table = curve_table(Curve(points=self.points))
        line = [self.at((i / 255, table[i] / 255)) for i in range(256)]
        painter.setPen(QPen(QColor(theme.ink), 1.8))
        painter.drawPolyline(QPolygonF(line))
        for index, point in enumerate(self.points):
            here = index == self._at and self.hasFocus()
            painter.setPen(QPen(QColor(theme.accent), 1.5))
            painter.setBrush(QColor(theme.accent if here else theme.field))
            painter.drawEllipse(self.at(point), 4.5, 4.5)
