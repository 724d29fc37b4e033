"""Finishes by name: chosen, kept, removed."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QComboBox, QInputDialog, QMenu, QToolButton, QVBoxLayout, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.ui.kit.controls import guard_wheel, named, set_rank, soft
from nimble_tile.ui.work.session import Session
from nimble_tile.ui.work.settings import Settings


class PresetRow(QWidget):
    """A list of presets, and a menu for keeping and removing them."""

    def __init__(self, session: Session, settings: Settings) -> None:
        super().__init__()
        self.session, self._settings = session, settings
        self._own: set[str] = set()
        self.choice = QComboBox()
        self.choice.setAccessibleName(tr("Preset"))
        self.choice.setToolTip(tr("Size, format and print settings by name"))
        guard_wheel(self.choice)
        self.choice.activated.connect(lambda index: self.take(self.choice.itemText(index)))
        self.choice.setMinimumContentsLength(6)
        self.choice.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.more = QToolButton()
        self.more.setText("…")
        self.more.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        self.more.setAccessibleName(tr("More about presets"))
        self.more.setToolTip(tr("Keep these settings as a preset, or remove one"))
        menu = QMenu(self)
        menu.addAction(tr("Keep as a preset…")).triggered.connect(lambda: self.ask())
        self._remove = menu.addAction(tr("Remove this preset"))
        self._remove.triggered.connect(lambda: self.forget())
        self.more.setMenu(menu)
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.note = soft()
        self.note.hide()
        line = named(tr("Preset"), self.choice, 80)
        line.addWidget(self.more)
        line.setStretch(1, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(line)
        whole.addWidget(self.note)
        self.fill()

    def fill(self, chosen: str = "") -> None:
        """List all presets."""
        from nimble_tile.core.project.presets import presets, understood

        file = self._settings.presets_file
        mine, trouble = understood(file)
        self._own = {preset.name for preset in mine}
        self.choice.clear()
        self.choice.addItem(tr("Choose…"))
        for preset in presets(file):
            self.choice.addItem(preset.name)
        self.choice.setCurrentIndex(max(0, self.choice.findText(chosen)) if chosen else 0)
        self._remove.setEnabled(chosen in self._own)
        self._say(trouble)

    def take(self, name: str) -> None:
        """Take a preset's settings."""
        from nimble_tile.core.project.presets import presets

        self._remove.setEnabled(name in self._own)
        for preset in presets(self._settings.presets_file):
            if preset.name == name:
                finish = preset.on(self.session.piece.finish)
                self.session.edit("finish", tr("Take the preset {name}", name=name), **dict(finish))

    def ask(self) -> None:
        """Ask for a name and keep the settings."""
        there = self.choice.currentText() if self.choice.currentIndex() > 0 else ""
        name, good = QInputDialog.getText(
            self, tr("Keep as a preset"), tr("Name of the preset:"), text=there
        )
        if good and name.strip():
            self.keep(name.strip()[:60])

    def keep(self, name: str) -> None:
        """Keep the settings under a name."""
        from nimble_tile.core.project.presets import Preset
        from nimble_tile.core.project.presets import keep as keep_preset

        try:
            aside = keep_preset(
                Preset(name=name, finish=self.session.piece.finish), self._settings.presets_file
            )
        except UserError as error:
            self._say(str(error))
            return
        self.fill(name)
        self._say_kept(aside)

    def forget(self) -> None:
        """Remove the chosen preset, if it is one of the designer's own."""
        from nimble_tile.core.project.presets import forget as forget_preset

        try:
            aside = forget_preset(self.choice.currentText(), self._settings.presets_file)
        except UserError as error:
            self._say(str(error))
            return
        self.fill()
        self._say_kept(aside)

    def _say_kept(self, aside: Path | None) -> None:
        """The file was written anew; what was not understood of it is kept aside."""
        if aside is not None:
            self._say(
                tr("What was not understood of the presets is kept in {aside}.", aside=aside.name)
            )

    def _say(self, text: str) -> None:
        self.note.setText(text)
        set_rank(self.note, "error")
        self.note.setVisible(bool(text))
