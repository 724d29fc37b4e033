"""How the code guides, and what is varied from candidate to candidate."""

from __future__ import annotations

import re

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QLabel, QLineEdit, QVBoxLayout, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.standins import painters
from nimble_tile.standins.painting import MOST_STEPS, MOST_WEIGHT
from nimble_tile.studio.recipes import Guiding, Recipe, variations
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Fold, NumberBox, Segments, Slider, named, row, soft

SIZES = (512, 640, 768, 1024, 1536, 2048)


class GuideSliders(QWidget):
    """Weight, beginning and end of one guide."""

    edited = Signal()

    def __init__(self, name: str, usual: Guiding) -> None:
        super().__init__()
        self.weight = Slider(
            tr("Weight{name}", name=name), 0, MOST_WEIGHT, usual.weight, decimals=2
        )
        self.first = Slider(tr("From{name}", name=name), 0, 0.95, usual.first, "%", factor=100)
        self.last = Slider(tr("Until{name}", name=name), 0.05, 1, usual.last, "%", factor=100)
        self.first.track.setToolTip(tr("Early guidance shapes masses, late guidance texture"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        for slider in self.sliders:
            layout.addWidget(slider)
            slider.edited.connect(lambda _: self._keep_order())

    @property
    def sliders(self) -> tuple[Slider, Slider, Slider]:
        return self.weight, self.first, self.last

    def _keep_order(self) -> None:
        if self.last.value <= self.first.value + 0.04:
            if self.sender() is self.first:
                self.last.set_value(min(1.0, self.first.value + 0.05))
            else:
                self.first.set_value(max(0.0, self.last.value - 0.05))
        self.edited.emit()

    @property
    def guiding(self) -> Guiding:
        return Guiding(*(round(slider.value, 3) for slider in self.sliders))


class Guides(QWidget):
    """All that a recipe has besides its words."""

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.on = QCheckBox(tr("The code guides the painting"))
        self.on.setChecked(True)
        self.first = GuideSliders("", Guiding(0.7))
        self.two = QCheckBox(tr("A second guide"))
        self.two.setToolTip(tr("The same code once more, for instance in the middle steps alone"))
        self.second = GuideSliders(tr(" of the second"), Guiding(0.4, 0.3, 0.7))
        self.size = Choice(tr("Size"), [(side, f"{side} × {side}") for side in SIZES])
        self.size.set_value(640)
        self.steps = NumberBox(tr("Steps"), 1, MOST_STEPS)
        self.steps.set_value(24)
        self.seed = NumberBox(tr("Seed"), 0, 999_999)
        self.seed.set_value(1)
        self.painter = Choice(
            tr("Painter"), [(name, each.name) for name, each in painters().items()]
        )
        self.start = Segments(
            tr("Begin from"),
            [("", tr("Nothing"), tr("From the words alone")),
             ("picture", tr("The picture"), tr("The piece’s own picture")),
             ("chosen", tr("The chosen one"), tr("The candidate that is chosen"))],
        )  # fmt: skip
        self.start.set_value("")
        self.depart = Slider(tr("Departing"), 0, 1, 0.6, "%", factor=100)
        self.depart.track.setToolTip(tr("How far it departs from the picture that it begins from"))
        self.fold = Fold(tr("Painting"))
        self._lay_out()
        for signal in (
            self.on.toggled, self.two.toggled, self.first.edited, self.second.edited,
            self.size.chosen, self.steps.edited, self.seed.edited, self.start.chosen,
            self.depart.edited,
        ):  # fmt: skip
            signal.connect(lambda *_: self._changed())
        self._changed()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.on)
        layout.addWidget(self.first)
        layout.addWidget(self.two)
        layout.addWidget(self.second)
        inside = self.fold.inside
        inside.addLayout(named(tr("Size"), self.size))
        inside.addLayout(named(tr("Steps"), self.steps))
        if self.painter.count() > 1:
            inside.addLayout(named(tr("Painter"), self.painter))
        inside.addWidget(QLabel(tr("Begin from")))
        inside.addWidget(self.start)
        inside.addWidget(self.depart)
        layout.addWidget(self.fold)

    def _changed(self) -> None:
        self.first.setEnabled(self.on.isChecked())
        self.two.setEnabled(self.on.isChecked())
        self.second.setVisible(self.two.isChecked() and self.on.isChecked())
        self.depart.setEnabled(bool(self.start.value))
        self.edited.emit()

    def recipe(self, words: str, avoid: str, start: str = "") -> Recipe:
        """The recipe as it is set."""
        guides = ()
        if self.on.isChecked():
            guides = (self.first.guiding,)
            if self.two.isChecked():
                guides += (self.second.guiding,)
        return Recipe(
            words, avoid, self.seed.value(), self.size.currentData(), self.steps.value(), guides,
            start, round(self.depart.value, 3), self.painter.currentData() or "local",
        )  # fmt: skip

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        for slider in (*self.first.sliders, *self.second.sliders, self.depart):
            slider.dress(theme)
        self.fold.dress(theme)


class Varied(QWidget):
    """Over what candidates differ."""

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.seeds = NumberBox(tr("Seeds"), 1, 96)
        self.seeds.set_value(6)
        self.weights, self.ends = QLineEdit("0.5, 0.6, 0.7, 0.8"), QLineEdit("100")
        self.every = QCheckBox(tr("All three descriptions"))
        self.every.setToolTip(tr("Each candidate once for every description that is offered above"))
        self.told = soft()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(named(tr("Seeds"), self.seeds))
        layout.addLayout(named(tr("Weights"), self.weights))
        layout.addLayout(named(tr("Ends, %"), self.ends))
        self.weights.setToolTip(tr("Weights of the guide, with commas between"))
        self.ends.setToolTip(
            tr("When the guide ends, in percent of the steps, with commas between")
        )
        layout.addLayout(row(self.every, 1))
        layout.addWidget(self.told)
        self.seeds.edited.connect(lambda _: self.edited.emit())
        self.every.toggled.connect(lambda _: self.edited.emit())
        for line in (self.weights, self.ends):
            line.textEdited.connect(lambda _: self.edited.emit())

    def recipes(self, recipe: Recipe, described: list[tuple[str, str]]) -> list[Recipe]:
        """All candidates; `UserError` where the numbers are none."""
        weights = numbers(self.weights.text(), 0, MOST_WEIGHT, tr("A weight"))
        ends = [end / 100 for end in numbers(self.ends.text(), 1, 100, tr("An end"))]
        seeds = range(recipe.seed, recipe.seed + self.seeds.value())
        if not recipe.guides:
            raise UserError(
                tr("Candidates differ in how the code guides."),
                tr("Let the code guide the painting."),
            )
        every = described if self.every.isChecked() else ()
        return variations(recipe, seeds, weights, ends, every)


def numbers(text: str, low: float, high: float, what: str) -> list[float]:
    """Numbers with commas, semicolons or spaces between them, each once.

    Raises
    ------
    UserError
        One is no number, or out of range.
    """
    found = []
    for part in re.split(r"[;,\s]+", text.strip()):
        try:
            value = float(part)
        except ValueError:
            raise UserError(
                tr("{what} is a number; “{part}” is none.", what=what, part=part)
            ) from None
        if not low <= value <= high:
            raise UserError(
                tr(
                    "{what} goes from {low:g} to {high:g}; {value:g} is outside.",
                    what=what,
                    low=low,
                    high=high,
                    value=value,
                )
            )
        if value not in found:
            found.append(value)
    return found
