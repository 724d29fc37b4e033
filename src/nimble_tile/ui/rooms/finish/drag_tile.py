"""The finished piece in small, to be dragged into another program."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, QTimer, Signal
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication, QLabel

from nimble_tile.core.language import tr

STAY = 350
"""Milliseconds that the pointer stays before the file is made ready: it may only pass by."""


class DragTile(QLabel):
    """The finished piece in small; what is dragged from here is the exported file.

    Signals
    -------
    ready_wanted
        The pointer is here: the file should be made ready.
    drag_wanted
        It is being dragged.
    """

    ready_wanted = Signal()
    drag_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(QSize(56, 56))
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName(tr("The finished piece, to be dragged into another program"))
        self.setToolTip(tr("Drag it into another program or a folder"))
        self._press = None
        self._stay = QTimer(self)
        self._stay.setSingleShot(True)
        self._stay.setInterval(STAY)
        self._stay.timeout.connect(self.ready_wanted)

    def enterEvent(self, event) -> None:
        self._stay.start()
        super().enterEvent(event)

    def leaveEvent(self, event) -> None:
        self._stay.stop()
        super().leaveEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position()
        self.ready_wanted.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        away = (event.position() - self._press).manhattanLength()
        if away >= QApplication.startDragDistance():
            self._press = None
            self.drag_wanted.emit()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._press = None
