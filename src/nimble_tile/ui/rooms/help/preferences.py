"""What the designer usually wants."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QFormLayout, QPushButton, QVBoxLayout

from nimble_tile.ui.kit.controls import NumberBox, Segments, row, soft
from nimble_tile.ui.work.settings import Settings


class Preferences(QDialog):
    """Theme, units, usual level, trial set, autosave; each takes effect at once.

    Signals
    -------
    theme_chosen : str
    trials_wanted
        The set of trials is to be edited.
    tour_wanted
    """

    theme_chosen = Signal(str)
    trials_wanted = Signal()
    tour_wanted = Signal()

    def __init__(self, settings: Settings, theme: str, parent) -> None:
        super().__init__(parent)
        self.setWindowTitle("Preferences")
        self.settings = settings
        self.theme = Segments(
            "Theme",
            [("desktop", "As the desktop", "Light or dark as the desktop is"),
             ("light", "Light", ""), ("dark", "Dark", "")],
        )  # fmt: skip
        self.theme.set_value(theme)
        self.theme.chosen.connect(lambda name: self.theme_chosen.emit(name))
        self.unit = Segments(
            "Sizes of new pieces",
            [("px", "Pixels", "For screens"), ("mm", "Millimetres", "For print")],
        )
        self.unit.set_value(settings.get("unit", "px"))
        self.unit.chosen.connect(lambda value: settings.set("unit", value))
        self.level = Segments(
            "Level of new pieces",
            [(level, level, told) for level, told in (
                ("L", "7 % can be wrong"), ("M", "15 % can be wrong"),
                ("Q", "25 % can be wrong"), ("H", "30 % can be wrong"),
            )],
        )  # fmt: skip
        self.level.set_value(settings.usual["level"])
        self.level.chosen.connect(lambda value: settings.set("usual level", value))
        self.autosave = NumberBox("Copy of unsaved work", 1, 60, "s", 1)
        self.autosave.set_value(settings.autosave)
        self.autosave.edited.connect(lambda value: settings.set("autosave", value))
        self.trials = QPushButton("Edit the trials…")
        self.trials.setToolTip("Which viewing conditions and readers count for the reach")
        self.trials.clicked.connect(self.trials_wanted)
        self.tour = QPushButton("Show the tour again")
        self.tour.clicked.connect(self._tour)
        form = QFormLayout()
        form.setSpacing(12)
        form.addRow("Theme", self.theme)
        form.addRow("Sizes of new pieces", self.unit)
        form.addRow("Level of new pieces", self.level)
        form.addRow("Copy of unsaved work after", self.autosave)
        form.addRow("Trials", self.trials)
        form.addRow("", self.tour)
        end = QPushButton("Close")
        end.clicked.connect(self.close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 20, 20, 16)
        layout.setSpacing(14)
        layout.addLayout(form)
        layout.addWidget(soft("Changes take effect at once. Open pieces keep their settings."))
        layout.addLayout(row(1, end))

    def _tour(self) -> None:
        self.close()
        self.tour_wanted.emit()
