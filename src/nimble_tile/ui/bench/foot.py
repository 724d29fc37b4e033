"""The foot of the bench: lenses, zoom, split view, the way to the drafts."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QToolButton, QWidget

from nimble_tile.core.language import figure, tr
from nimble_tile.ui.bench.lenses import Lens
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Segments

LENSES = (
    (Lens.FINISHED, tr("Finished"), tr("The finished piece")),
    (Lens.PICTURE, tr("Picture"), tr("The picture without the code")),
    (Lens.CODE, tr("Code"), tr("The code alone, black on white, in its place")),
    (Lens.XRAY, tr("X-ray"), tr("Which modules read right, weakly (ringed) and wrongly (crossed)")),
    (Lens.BLOCKS, tr("Blocks"), tr("Codewords by their block; spoiled ones are crossed out")),
    (Lens.STEERING, tr("Steering"),
     tr("Modules that were chosen for the picture, and what was spent")),
    (Lens.EYE, tr("Eye"), tr("The finished piece in black and white, as a reader's eye sees it")),
    (Lens.PLACES, tr("Places"),
     tr("Clear where the code's middle would cost the picture little; click "
                            "to place it")),
)  # fmt: skip


class Foot(QWidget):
    """Lens switch and zoom."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(48)
        self.lens = Segments(tr("Lens"), [(lens, label, tip) for lens, label, tip in LENSES])
        self.lens.set_value(Lens.FINISHED)
        # Where there is no room for all buttons.
        self.lens_list = Choice(tr("Lens"), [(lens, label) for lens, label, _ in LENSES])
        self.lens_list.set_value(Lens.FINISHED)
        self.lens_list.hide()
        self.drafts = QPushButton(tr("Drafts"))
        self.drafts.setCheckable(True)
        self.drafts.setProperty("flat", True)
        self.drafts.setToolTip(tr("The shelf of kept variants"))
        self.split = QToolButton()
        self.split.setCheckable(True)
        self.farther, self.closer = QToolButton(), QToolButton()
        self.fit, self.close_up = QToolButton(), QToolButton()
        for button, name in (
            (self.split, tr("Split view: the picture beside the finished piece")),
            (self.farther, tr("Zoom out")),
            (self.closer, tr("Zoom in")),
            (self.fit, tr("Whole piece")),
            (self.close_up, tr("Code close up")),
        ):
            button.setAccessibleName(name)
            button.setToolTip(name)
        self.zoom = QLabel("100%")
        self.zoom.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.zoom.setFixedWidth(52)
        self.zoom.setToolTip(tr("Screen pixels for each pixel of the preview"))
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

    def show_zoom(self, scale: float) -> None:
        """Screen pixels for each pixel of the preview."""
        self.zoom.setText(figure(scale * self.devicePixelRatioF(), ".0%"))

    def count_drafts(self, count: int) -> None:
        """Tell how many drafts there are."""
        self.drafts.setText(tr("Drafts ({count})", count=count) if count else tr("Drafts"))

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
