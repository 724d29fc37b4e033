"""The middle of the window: the bench, or for a while a view in its place."""

from __future__ import annotations

from PySide6.QtWidgets import QStackedWidget, QWidget


class MiddleStage(QStackedWidget):
    """Shows the bench; the foot below it is seen only with the bench."""

    def __init__(self, bench: QWidget, foot: QWidget) -> None:
        super().__init__()
        self._bench, self._foot = bench, foot
        self.addWidget(bench)

    def show_instead(self, view: QWidget) -> None:
        """Show a view in the place of the bench."""
        if self.indexOf(view) < 0:
            self.addWidget(view)
        self.setCurrentWidget(view)
        self._foot.hide()

    def leave(self, view: QWidget) -> bool:
        """Back to the bench, if this view stands in its place; whether it did."""
        if self.currentWidget() is not view:
            return False
        self.setCurrentWidget(self._bench)
        self._foot.show()
        return True
