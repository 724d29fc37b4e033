"""The steps of undo as a list: any of them is a click away."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.kit.controls import soft
from nimble_tile.ui.work.session import Session


class StepList(QDialog):
    """All steps, the newest at the end; those that were undone say so."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Steps"))
        self.resize(320, 460)
        self.session = session
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Steps of undo"))
        self.list.currentRowChanged.connect(self._go)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 16, 16, 12)
        layout.addWidget(soft(tr("Choose a step to go back or forward to it.")))
        layout.addWidget(self.list)
        session.changed.connect(lambda _: self._follow())

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._follow()

    def _follow(self) -> None:
        """Show the steps as they are now."""
        if not self.isVisible():
            return
        names, at = self.session.steps
        self.list.blockSignals(True)
        self.list.clear()
        for number, name in enumerate(names):
            told = name or tr("As it began")
            item = QListWidgetItem(tr("{told} (undone)", told=told) if number > at else told)
            if number > at:
                font = item.font()
                font.setItalic(True)
                item.setFont(font)
            self.list.addItem(item)
        self.list.setCurrentRow(at)
        self.list.blockSignals(False)

    def _go(self, row: int) -> None:
        if row >= 0:
            self.session.go_to(row)
