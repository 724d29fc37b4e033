"""The strips round the bench: a notice above it, progress below."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import thin_bar


class Notice(QFrame):
    """One sentence above the bench, until it is put away."""

    def __init__(self) -> None:
        super().__init__()
        self.setAutoFillBackground(True)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self.label.setTextFormat(Qt.TextFormat.PlainText)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.dismiss = QToolButton()
        self.dismiss.setAccessibleName(tr("Put this notice away"))
        self.dismiss.clicked.connect(self.hide)
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(20, 8, 12, 8)
        self._layout.setSpacing(8)
        self._layout.addWidget(self.label, 1)
        self._layout.addWidget(self.dismiss)
        self.buttons: list[QPushButton] = []
        self._good = False
        self._theme = themes.LIGHT
        self.hide()

    def say(
        self,
        text: str,
        good: bool = False,
        choices: Sequence[tuple[str, Callable[[], object]]] = (),
    ) -> None:
        """Show a sentence.

        Parameters
        ----------
        text : str
        good : bool
            News that need no action.
        choices : sequence of (str, callable)
            Buttons beside the sentence; each also puts the notice away.
        """
        self._good = good
        self.label.setText(text)
        self.setAccessibleName(text)
        for button in self.buttons:
            button.hide()
            button.deleteLater()
        self.buttons = []
        for label, action in choices:
            button = QPushButton(label)
            button.clicked.connect(self.hide)
            button.clicked.connect(lambda _=False, act=action: act())
            self._layout.insertWidget(self._layout.count() - 1, button)
            self.buttons.append(button)
        self.dress(self._theme)
        self.show()

    def dress(self, theme: themes.Theme) -> None:
        self._theme = theme
        colour = theme.well if self._good else theme.fails
        self.setStyleSheet(
            f"Notice {{ background: {theme.panel}; border-bottom: 1px solid {theme.rule};"
            f" border-left: 4px solid {colour}; }}"
        )
        self.dismiss.setIcon(themes.icon("x-circle", theme.soft))


class ProgressStrip(QWidget):
    """What is being done, how far it is, and a way to stop it."""

    def __init__(self) -> None:
        super().__init__()
        self.label = QLabel()
        self.bar = thin_bar()
        self.cancelled = QPushButton(tr("Cancel"))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 6, 12, 6)
        layout.setSpacing(12)
        layout.addWidget(self.label)
        layout.addWidget(self.bar, 1)
        layout.addWidget(self.cancelled)
        self.hide()

    def show_step(self, what: str, share: float) -> None:
        self.label.setText(what)
        self.bar.setValue(round(share * 100))
        self.show()

    def dress(self, theme: themes.Theme) -> None:
        self.update()
