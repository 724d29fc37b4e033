"""How the template is made, and how a drawing is taken back: the column of controls."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.output.template import USUAL_FREE, TemplateWish
from nimble_tile.core.tune.drawn import USUAL_MARGIN
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Fold, NumberBox, Segments, Slider, named, row, soft


class TemplateControls(QWidget):
    """Settings of the template."""

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.size = NumberBox(tr("Sheet"), 30, 1000, "mm", 10)
        self.size.set_value(150)
        self.dpi = NumberBox(tr("Resolution"), 72, 1200, "dpi", 50)
        self.dpi.set_value(300)
        self.strong = Segments(
            tr("Strongly shown"),
            [("finders", tr("Finders"), tr("The finders strongly, the rest as a breath")),
             ("whole", tr("The whole code"), tr("Every dark module strongly"))],
        )  # fmt: skip
        self.strong.set_value("finders")
        self.faint = Slider(tr("Faintness"), 0.03, 0.6, 0.16, "%", factor=100)
        self.free = Slider(tr("Spare to smudge"), 0, 0.8, USUAL_FREE, "%", factor=100)
        self.free.track.setToolTip(tr("Share of the error correction that the drawing may use up"))
        self.about = (0.5, 0.5)
        self.told = soft()
        self.out = QPushButton(tr("Template out\u2026"))
        self.out.setProperty("main", True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(named(tr("Sheet"), self.size))
        layout.addLayout(named(tr("Resolution"), self.dpi))
        layout.addWidget(self.strong)
        layout.addWidget(self.faint)
        layout.addWidget(self.free)
        layout.addWidget(self.told)
        layout.addLayout(row(self.out, 1))
        for signal in (
            self.size.edited, self.dpi.edited, self.strong.chosen, self.faint.edited,
            self.free.edited,
        ):  # fmt: skip
            signal.connect(lambda *_: self.edited.emit())

    @property
    def wish(self) -> TemplateWish:
        return TemplateWish(
            self.size.value(), self.dpi.value(), self.strong.value, round(self.faint.value, 3),
            round(self.free.value, 3), self.about,
        )  # fmt: skip

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.faint.dress(theme)
        self.free.dress(theme)


class BackControls(QWidget):
    """How a photo or a scan becomes a drawing that is set straight."""

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.open_it, self.paste = QPushButton(tr("Open\u2026")), QPushButton(tr("Paste"))
        self.open_it.setToolTip(tr("A photo or a scan of the drawing; or drop it on the window"))
        self.find = QPushButton(tr("Find the corners"))
        self.find.setToolTip(tr("By the code’s finders; or drag the four corners yourself"))
        self.called = soft(tr("No photo yet."))
        self.clean = Slider(tr("Paper tone taken away"), 0, 1, 1, "%", factor=100)
        self.margin = Slider(tr("Kept round the code"), 1, 16, USUAL_MARGIN, "modules", decimals=1)
        self.told = soft()
        self.use = QPushButton(tr("Use it in the piece"))
        self.use.setProperty("main", True)
        self.keep = QPushButton(tr("Keep as a revision"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row(self.open_it, self.paste, self.find, 1, spacing=6))
        layout.addWidget(self.called)
        layout.addWidget(self.clean)
        layout.addWidget(self.margin)
        layout.addWidget(self.told)
        layout.addLayout(row(self.use, self.keep, 1, spacing=6))
        for slider in (self.clean, self.margin):
            slider.released.connect(self.edited)
            slider.box.editingFinished.connect(self.edited)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.clean.dress(theme)
        self.margin.dress(theme)


def folds(template: TemplateControls, back: BackControls) -> list[Fold]:
    """Both under their headings."""
    made = [Fold(tr("Template"), True), Fold(tr("Back in"), True)]
    made[0].inside.addWidget(template)
    made[1].inside.addWidget(back)
    return made
