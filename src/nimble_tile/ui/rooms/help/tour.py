"""Five short steps over the window, on a demo piece."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPoint, QRect, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen, QRegion
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import row, soft

WIDTH = 300
SHADE = 110
"""How dark the rest of the window becomes, of 255."""


@dataclass(frozen=True)
class Stop:
    """A step of the tour.

    Attributes
    ----------
    title, text : str
    widget : callable
        What is shown; it may not be there before it is asked for.
    """

    title: str
    text: str
    widget: Callable[[], QWidget]


class Tour(QWidget):
    """Shades the window but for one thing, and says what that is.

    Signals
    -------
    ended
    """

    ended = Signal()

    def __init__(self, stops: Sequence[Stop], parent: QWidget) -> None:
        super().__init__(parent)
        self._stops = stops
        self.at = 0
        self.theme = themes.LIGHT
        self.card = QFrame(self)
        self.card.setObjectName("tour")
        self.card.setFixedWidth(WIDTH)
        self.title, self.text, self.count = QLabel(), QLabel(), soft()
        self.title.setProperty("head", True)
        self.text.setWordWrap(True)
        self.back, self.next = QPushButton(tr("Back")), QPushButton(tr("Next"))
        self.next.setProperty("main", True)
        self.leave = QPushButton(tr("Leave"))
        self.leave.setProperty("flat", True)
        self.back.clicked.connect(lambda: self.go(self.at - 1))
        self.next.clicked.connect(lambda: self.go(self.at + 1))
        self.leave.clicked.connect(self.end)
        inside = QVBoxLayout(self.card)
        inside.setContentsMargins(16, 14, 16, 14)
        inside.setSpacing(10)
        inside.addLayout(row(self.title, 1, self.count))
        inside.addWidget(self.text)
        inside.addLayout(row(self.leave, 1, self.back, self.next))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.hide()
        parent.installEventFilter(self)

    def start(self) -> None:
        """Begin with the first step."""
        self.setGeometry(self.parentWidget().rect())
        self.show()
        self.raise_()
        self.go(0)

    def go(self, at: int) -> None:
        """Show a step; beyond the last one the tour ends."""
        if at >= len(self._stops):
            self.end()
            return
        self.at = max(0, at)
        stop = self._stops[self.at]
        stop.widget()  # what it shows is made, or opened
        self.title.setText(stop.title)
        self.text.setText(stop.text)
        self.count.setText(tr("{at} of {stops}", at=self.at + 1, stops=len(self._stops)))
        self.back.setEnabled(self.at > 0)
        self.next.setText(tr("Next") if self.at + 1 < len(self._stops) else tr("Begin"))
        self.setAccessibleDescription(f"{stop.title}. {stop.text}")
        self._place()
        self.next.setFocus()

    def end(self) -> None:
        """Put it away."""
        self.hide()
        self.ended.emit()

    @property
    def hole(self) -> QRect:
        """What stays bright."""
        widget = self._stops[self.at].widget()
        corner = widget.mapTo(self.parentWidget(), QPoint(0, 0))
        return QRect(corner, widget.size()).intersected(self.rect()).adjusted(-4, -4, 4, 4)

    def _place(self) -> None:
        self.card.setStyleSheet(
            f"#tour {{ background: {self.theme.panel}; border: 1px solid {self.theme.edge}; }}"
        )
        self.card.adjustSize()
        hole, card = self.hole, self.card.size()
        right, left = hole.right() + 16, hole.left() - card.width() - 16
        if right + card.width() < self.width():
            x, y = right, hole.top()
        elif left > 0:
            x, y = left, hole.top()
        else:
            below = hole.bottom() + 16
            x = max(16, hole.center().x() - card.width() // 2)
            y = below if below + card.height() < self.height() else hole.top() + 40
        y = min(max(16, y), self.height() - card.height() - 16)
        self.card.move(x, y)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        hole = self.hole
        painter.setClipRegion(QRegion(self.rect()).subtracted(QRegion(hole)))
        painter.fillRect(self.rect(), QColor(0, 0, 0, SHADE))
        painter.setClipping(False)
        painter.setPen(QPen(QColor(self.theme.accent), 2))
        painter.drawRect(hole)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.end()
        elif event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go(self.at + 1)
        elif event.key() == Qt.Key.Key_Left:
            self.go(self.at - 1)

    def eventFilter(self, watched, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self.setGeometry(self.parentWidget().rect())
            self._place()
        return False
