"""The strips round the bench: a notice above it, progress and the foot below."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QWidget,
)

from nimble_tile.ui import theme as themes
from nimble_tile.ui.bench import Lens
from nimble_tile.ui.controls import Choice, Segments, thin_bar

LENSES = (
    (Lens.FINISHED, "Finished", "The finished piece"),
    (Lens.PICTURE, "Picture", "The picture without the code"),
    (Lens.CODE, "Code", "The code alone, black on white, in its place"),
    (Lens.XRAY, "X-ray", "Which modules read right, weakly (ringed) and wrongly (crossed)"),
    (Lens.BLOCKS, "Blocks", "Codewords by their block; spoiled ones are crossed out"),
    (Lens.STEERING, "Steering", "Modules that were chosen for the picture, and what was spent"),
    (Lens.EYE, "Eye", "The finished piece in black and white, as a reader's eye sees it"),
    (Lens.PLACES, "Places", "Clear where the code's middle would cost the picture little; click "
                            "to place it"),
)  # fmt: skip


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
        self.dismiss.setAccessibleName("Put this notice away")
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
        self.cancelled = QPushButton("Cancel")
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


class Foot(QWidget):
    """Lens switch and zoom."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(48)
        self.lens = Segments("Lens", [(lens, label, tip) for lens, label, tip in LENSES])
        self.lens.set_value(Lens.FINISHED)
        # Where there is no room for all buttons.
        self.lens_list = Choice("Lens", [(lens, label) for lens, label, _ in LENSES])
        self.lens_list.set_value(Lens.FINISHED)
        self.lens_list.hide()
        self.drafts = QPushButton("Drafts")
        self.drafts.setCheckable(True)
        self.drafts.setProperty("flat", True)
        self.drafts.setToolTip("The shelf of kept variants")
        self.split = QToolButton()
        self.split.setCheckable(True)
        self.farther, self.closer = QToolButton(), QToolButton()
        self.fit, self.close_up = QToolButton(), QToolButton()
        for button, name in (
            (self.split, "Split view: the picture beside the finished piece"),
            (self.farther, "Zoom out"),
            (self.closer, "Zoom in"),
            (self.fit, "Whole piece"),
            (self.close_up, "Code close up"),
        ):
            button.setAccessibleName(name)
            button.setToolTip(name)
        self.zoom = QLabel("100%")
        self.zoom.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.zoom.setFixedWidth(52)
        self.zoom.setToolTip("Screen pixels for each pixel of the preview")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 0, 12, 0)
        layout.setSpacing(6)
        layout.addWidget(self.lens)
        layout.addWidget(self.lens_list)
        layout.addStretch(1)
        for widget in (
            self.drafts,
            self.split,
            self.farther,
            self.zoom,
            self.closer,
            self.fit,
            self.close_up,
        ):
            layout.addWidget(widget)

    def show_lens(self, lens: Lens) -> None:
        """Mark a lens as the one that is looked through."""
        self.lens.set_value(lens)
        self.lens_list.set_value(lens)

    def minimumSizeHint(self) -> QSize:
        # The buttons give way to a list before they make the window wider.
        return QSize(320, 48)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        tools = sum(
            widget.sizeHint().width() + 6
            for widget in (self.drafts, self.split, self.farther, self.closer, self.fit,
                           self.close_up)
        )  # fmt: skip
        left = self.width() - self.lens.sizeHint().width() - tools - 40
        narrow = left < 0
        self.zoom.setVisible(narrow or left > self.zoom.width() + 6)
        self.lens.setVisible(not narrow)
        self.lens_list.setVisible(narrow)

    def dress(self, theme: themes.Theme) -> None:
        self._theme = theme
        for button, name in (
            (self.split, "arrows-left-right"),
            (self.farther, "minus"),
            (self.closer, "plus"),
            (self.fit, "corners-out"),
            (self.close_up, "magnifying-glass-plus"),
        ):
            button.setIcon(themes.icon(name, theme.ink))
