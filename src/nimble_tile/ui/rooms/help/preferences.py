"""What the designer usually wants."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QFormLayout, QPushButton, QVBoxLayout

from nimble_tile.core import language
from nimble_tile.core.language import tr, tr_as
from nimble_tile.ui.kit.controls import Choice, NumberBox, Segments, row, soft
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
        self.setWindowTitle(tr("Preferences"))
        self.settings = settings
        self.theme = Segments(
            tr("Theme"),
            [("desktop", tr("As the desktop"), tr("Light or dark as the desktop is")),
             ("light", tr_as("tone", "Light"), ""), ("dark", tr("Dark"), "")],
        )  # fmt: skip
        self.theme.set_value(theme)
        self.theme.chosen.connect(lambda name: self.theme_chosen.emit(name))
        self.language = Choice(
            tr("Language"), [("", tr("As the desktop")), *language.LANGUAGES.items()]
        )
        self.language.set_value(settings.get("language", ""))
        self.language.setToolTip(tr("It changes when the program starts again"))
        self.language.chosen.connect(self._language)
        self.later = soft(tr("The language changes when the program starts again."))
        self.later.hide()
        self.unit = Segments(
            tr("Sizes of new pieces"),
            [("px", tr("Pixels"), tr("For screens")), ("mm", tr("Millimetres"), tr("For print"))],
        )
        self.unit.set_value(settings.get("unit", "px"))
        self.unit.chosen.connect(lambda value: settings.set("unit", value))
        self.level = Segments(
            tr("Level of new pieces"),
            [(level, level, told) for level, told in (
                ("L", tr("7 % can be wrong")), ("M", tr("15 % can be wrong")),
                ("Q", tr("25 % can be wrong")), ("H", tr("30 % can be wrong")),
            )],
        )  # fmt: skip
        self.level.set_value(settings.usual["level"])
        self.level.chosen.connect(lambda value: settings.set("usual level", value))
        self.autosave = NumberBox(tr("Copy of unsaved work"), 1, 60, "s", 1)
        self.autosave.set_value(settings.autosave)
        self.autosave.edited.connect(lambda value: settings.set("autosave", value))
        self.trials = QPushButton(tr("Edit the trials…"))
        self.trials.setToolTip(tr("Which viewing conditions and readers count for the reach"))
        self.trials.clicked.connect(self.trials_wanted)
        self.tour = QPushButton(tr("Show the tour again"))
        self.tour.clicked.connect(self._tour)
        form = QFormLayout()
        form.setSpacing(12)
        form.addRow(tr("Theme"), self.theme)
        form.addRow(tr("Language"), self.language)
        form.addRow("", self.later)
        form.addRow(tr("Sizes of new pieces"), self.unit)
        form.addRow(tr("Level of new pieces"), self.level)
        form.addRow(tr("Copy of unsaved work after"), self.autosave)
        form.addRow(tr("Trials"), self.trials)
        form.addRow("", self.tour)
        end = QPushButton(tr("Close"))
        end.clicked.connect(self.close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 20, 20, 16)
        layout.setSpacing(14)
        layout.addLayout(form)
        layout.addWidget(soft(tr("Changes take effect at once. Open pieces keep their settings.")))
        layout.addLayout(row(1, end))

    def _language(self, code: str) -> None:
        self.settings.set("language", code)
        self.later.setVisible((code or language.current()) != language.current())

    def _tour(self) -> None:
        self.close()
        self.tour_wanted.emit()
