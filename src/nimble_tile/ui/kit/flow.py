"""Widgets one after another in as many lines as they need."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


def flow(*widgets: QWidget, gap: int = 8) -> Flow:
    """Widgets side by side, where there is room for them."""
    layout = Flow(gap)
    for widget in widgets:
        layout.addWidget(widget)
    return layout


class Flow(QLayout):
    """A layout that wraps, for words and other small widgets."""

    def __init__(self, gap: int = 4) -> None:
        super().__init__()
        self._gap = gap
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def clear(self) -> None:
        """Remove all widgets."""
        while (item := self.takeAt(0)) is not None:
            widget = item.widget()
            if isinstance(widget, QWidget):
                widget.hide()
                widget.deleteLater()

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), False)

    def setGeometry(self, area: QRect) -> None:
        super().setGeometry(area)
        self._lay(area, True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size

    def _lay(self, area: QRect, moves: bool) -> int:
        x, y, line = area.x(), area.y(), 0
        for item in self._items:
            size = item.sizeHint()
            if x > area.x() and x + size.width() > area.right() + 1:
                x, y, line = area.x(), y + line + self._gap, 0
            if moves:
                item.setGeometry(QRect(QPoint(x, y), size))
            x += size.width() + self._gap
            line = max(line, size.height())
        return y + line - area.y()
