"""What concerns print alone: inks, bleed, crop marks, sheets of copies."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QWidget

from nimble_tile.core.language import tr, within
from nimble_tile.core.piece import Finish
from nimble_tile.ui.kit.colours import Swatch
from nimble_tile.ui.kit.controls import (
    Fold,
    Segments,
    Slider,
    guard_wheel,
    named,
    row,
    set_checked,
    set_rank,
    soft,
)
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.profiles import Profiles
from nimble_tile.ui.work.session import Session

INK_CHOICES = (
    (
        "screen",
        tr("Screen colours"),
        tr("sRGB, for screens and for printers that convert by themselves"),
    ),
    ("cmyk", tr("Four inks"), tr("Cyan, magenta, yellow and black by an ICC profile")),
    ("single", tr("One ink"), tr("A single ink without tints, as for a spot colour or a stamp")),
)


class PaperFold(Fold):
    """Settings of formats for print."""

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(tr("On paper"))
        self.session = session
        self._looking = False
        self.profiles = Profiles(self)
        self.profiles.listed.connect(self._listed)
        self.inks = QComboBox()
        self.inks.setAccessibleName(tr("Inks"))
        guard_wheel(self.inks)
        self.inks.activated.connect(
            lambda index: session.edit(
                "finish", tr("Choose {inks}", inks=within(self.inks.itemText(index))),
                inks=self.inks.itemData(index),
            )
        )  # fmt: skip
        self.profile = QComboBox()
        self.profile.setAccessibleName(tr("ICC profile"))
        self.profile.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        guard_wheel(self.profile)
        self.profile.activated.connect(
            lambda index: session.edit(
                "finish", tr("Choose a profile"), profile=self.profile.itemData(index) or ""
            )
        )
        self.no_profile = soft(
            tr(
                "There is no ICC profile of four inks here. Put your printer's into "
                "~/.local/share/icc, or install one with the system."
            )
        )
        set_rank(self.no_profile, "warn")
        self.ink = Swatch(tr("Colour of the ink"))
        self.ink.wanted.connect(
            lambda: desk.open(
                self.ink, "Ink",
                lambda colour: session.edit("finish", tr("Colour the ink"), "ink", ink=colour),
                session.part,
            )
        )  # fmt: skip
        self.ink_name = QLineEdit()
        self.ink_name.setMaxLength(60)
        self.ink_name.setAccessibleName(tr("Name of the ink"))
        self.ink_name.setToolTip(tr("How the printer calls it; it is written into the PDF"))
        self.ink_name.editingFinished.connect(self._name_ink)
        self._ink_row = QWidget()
        self._ink_row.setLayout(row(self.ink, self.ink_name))
        self.bleed = Slider(tr("Bleed"), 0, 10, 0, "mm", decimals=1)
        self.bleed.setToolTip(tr("The edges go on this far beyond the trimmed size"))
        self.bleed.edited.connect(
            lambda v: session.edit("finish", tr("Change the bleed"), "bleed", bleed=round(v, 1))
        )
        self.bleed.released.connect(session.part)
        self.marks = QCheckBox(tr("Crop marks"))
        self.marks.toggled.connect(lambda on: session.edit("finish", tr("Crop marks"), marks=on))
        self.sheet = Segments(
            tr("Copies"),
            [("none", tr("One"), tr("One copy on a page of its own size")),
             ("a4", tr("A4 sheet"), tr("As many copies as fit on A4")),
             ("a3", tr("A3 sheet"), tr("As many copies as fit on A3"))],
        )  # fmt: skip
        self.sheet.chosen.connect(lambda v: session.edit("finish", tr("Change the sheet"), sheet=v))
        self.gap = Slider(tr("Between copies"), 0, 30, Finish().gap, "mm", decimals=1)
        self.gap.edited.connect(
            lambda v: session.edit("finish", tr("Change the gap"), "gap", gap=round(v, 1))
        )
        self.gap.released.connect(session.part)
        inside = self.inside
        line = named(tr("Inks"), self.inks, 60)
        line.setStretch(1, 1)
        inside.addLayout(line)
        for widget in (
            self.profile, self.no_profile, self._ink_row, self.bleed, self.marks, self.sheet,
            self.gap,
        ):  # fmt: skip
            inside.addWidget(widget)

    def _name_ink(self) -> None:
        name = self.ink_name.text().strip()
        if name and name != self.session.piece.finish.ink_name:
            self.session.edit("finish", tr("Name the ink"), ink_name=name)

    def _listed(self) -> None:
        """The profiles of this computer are known."""
        self._looking = False
        finish = self.session.piece.finish
        self.profiles.fill(self.profile, finish.profile)
        there = bool(self.profiles.found)
        self.profile.setVisible(finish.inks == "cmyk" and there)
        self.no_profile.setVisible(finish.inks == "cmyk" and not there)

    def show_finish(self, finish: Finish) -> None:
        """Show a finish."""
        from nimble_tile.core.output.formats import INKS

        able = INKS.get(finish.format, ())
        pages = finish.format == "pdf"
        self.setVisible(bool(able))
        choices = [c for c in INK_CHOICES if c[0] == "screen" or c[0] in able]
        if self.inks.count() != len(choices):  # an open list is left alone
            self.inks.clear()
            for value, label, told in choices:
                self.inks.addItem(label, value)
                self.inks.setItemData(self.inks.count() - 1, told, Qt.ItemDataRole.ToolTipRole)
        self.inks.setCurrentIndex(max(0, self.inks.findData(finish.inks)))
        four = finish.inks == "cmyk"
        if four and not self.profiles.found and not self._looking:
            self._looking = True
            self.profiles.look()
        there = bool(self.profiles.found)
        self.profile.setVisible(four and there)
        if finish.profile:
            self.profile.setCurrentIndex(max(0, self.profile.findData(finish.profile)))
        self.no_profile.setVisible(four and not there and not self._looking)
        self._ink_row.setVisible(finish.inks == "single" and pages)
        self.ink.set_colour(finish.ink)
        if not self.ink_name.hasFocus():
            self.ink_name.setText(finish.ink_name)
        self.bleed.set_value(finish.bleed)
        set_checked(self.marks, finish.marks)
        self.sheet.set_value(finish.sheet)
        self.gap.set_value(finish.gap)
        for widget in (self.bleed, self.marks, self.sheet):
            widget.setVisible(pages)
        self.gap.setVisible(pages and finish.sheet != "none")
        names = {value: within(label) for value, label, _ in INK_CHOICES}
        told = [] if finish.inks == "screen" else [names[finish.inks]]
        if pages:
            told += [tr("{bleed:g} mm bleed", bleed=finish.bleed)] if finish.bleed else []
            told += ["sheet"] if finish.sheet != "none" else []
        self.set_note(", ".join(told))
