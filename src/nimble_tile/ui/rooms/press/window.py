"""The piece as it will be printed, trials on it, and the test sheet."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.output import inks
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.asking import save_path
from nimble_tile.ui.kit.controls import (
    Segments,
    guard_wheel,
    rule,
    scrolled,
    set_rank,
    soft,
)
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.rooms.press.view import InkBar, PressView
from nimble_tile.ui.work.profiles import Profiles
from nimble_tile.ui.work.side_window import SideWindow

if TYPE_CHECKING:
    from nimble_tile.core.output.testsheet import Cell
    from nimble_tile.core.output.weigh import Weighed
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.tune.proving import Proved
    from nimble_tile.ui.work.jobs import Progress
    from nimble_tile.ui.work.tools import Tools

REST = 700
"""Milliseconds that the piece must stand still before it is printed on screen anew."""

SIDE = 1400
"""Longer side, in pixels, of what is shown."""


class PressWindow(SideWindow):
    """Inks of a profile or a single ink, what they do to the piece, and a sheet to try it."""

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, tr("As printed"), 1120, 720)
        self.inks = Segments(
            tr("Inks"),
            [("cmyk", tr("Four inks"), tr("Cyan, magenta, yellow and black by an ICC profile")),
             ("single", tr("One ink"), tr("A single ink without tints"))],
        )  # fmt: skip
        self.inks.set_value("cmyk")
        self.profile = QComboBox()
        self.profile.setAccessibleName(tr("ICC profile"))
        self.profile.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        guard_wheel(self.profile)
        self.profile_note = soft()
        self.bar_of_ink, self.ink_note = InkBar(), soft()
        self.use = QPushButton(tr("Export with these inks"))
        self.use.setToolTip(tr("The export takes these inks; as PDF, unless it is a TIFF already"))
        self.sheet = QPushButton(tr("Test sheet out…"))
        self.sheet.setProperty("main", True)
        self.sheet.setToolTip(tr("A4 as PDF: five sizes, three strengths, boxes to tick"))
        self.sheet_note = soft(
            tr(
                "The code at 15, 20, 25, 30 and 40 mm and in three strengths, with boxes to tick "
                "what your phones read from the paper."
            )
        )
        self.told = soft()
        self.view = PressView()
        self.weighed: Weighed | None = None
        self.profiles = Profiles(self)
        self.profiles.listed.connect(self._listed)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(REST)
        self._timer.timeout.connect(self.look)
        self._lay_out()
        self.inks.chosen.connect(lambda _: self._changed())
        self.profile.activated.connect(lambda _: self._changed())
        self.use.clicked.connect(self.use_inks)
        self.sheet.clicked.connect(self.choose_sheet)
        tools.session.changed.connect(lambda _: self._stir())

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 10, 0)
        column.setSpacing(8)
        for title, widgets in (
            (tr("Inks"), (self.inks, self.profile, self.profile_note)),
            (tr("Total ink"), (self.bar_of_ink, self.ink_note, self.use)),
            (tr("On paper"), (self.told,)),
            (tr("Try it on paper"), (self.sheet_note, self.sheet)),
        ):
            head = QLabel(title)
            head.setProperty("head", True)
            column.addWidget(head)
            for widget in widgets:
                column.addWidget(widget)
            if title != tr("Try it on paper"):
                column.addWidget(rule())
        column.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.view, 1)
        right.addWidget(self.bar)
        right.addLayout(self.foot())
        whole = QHBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 12)
        whole.setSpacing(16)
        whole.addWidget(scrolled(left, 300))
        whole.addLayout(right, 1)
        self.bar.hide()

    # What is printed -----------------------------------------------------------------

    def showEvent(self, event) -> None:
        super().showEvent(event)
        finish = self.tools.session.piece.finish
        if finish.inks != "screen":
            self.inks.set_value(finish.inks)
        self.view.say(tr("Looking for the inks' profiles…"))
        self.profiles.look()

    def _listed(self) -> None:
        """The profiles that are there now are known."""
        chosen = self.profile.currentData() or self.tools.session.piece.finish.profile
        self.profiles.fill(self.profile, chosen)
        there = self.profile.count() > 0
        self.profile.setVisible(there)
        self.profile_note.setText(
            tr("Relative colorimetric, with black point compensation.") if there
            else tr("There is no ICC profile of four inks here. Put your printer's into "
            "~/.local/share/icc, or install one with the system.")
        )  # fmt: skip
        set_rank(self.profile_note, "soft" if there else "warn")
        self._stir()

    def _changed(self) -> None:
        self._stir()

    def _stir(self) -> None:
        """Something is another one: look again once it stands still."""
        if self.isVisible():
            self.halt()
            self._timer.start()

    @property
    def piece(self) -> Piece:
        """The piece with the inks that are chosen here."""
        return self.tools.session.piece.edited("finish", **self._choice())

    def _choice(self) -> dict[str, str]:
        four = self.inks.value == "cmyk"
        return {
            "inks": "cmyk" if four else "single",
            "profile": (self.profile.currentData() or "") if four else "",
        }

    def look(self) -> None:
        """Print the piece on screen and put it through the trials."""
        four = self.inks.value == "cmyk"
        for widget in (self.profile, self.profile_note):
            widget.setVisible(four and (widget is self.profile_note or self.profile.count() > 0))
        if four and not self.profile.count():
            self.view.show_sides([])
            self.view.say(tr("Without a profile there is nothing to show: try one ink."))
            return
        piece = self.piece
        room, trials = self.tools.prover.room(), self.tools.prover.trials

        def work(progress: Progress) -> tuple[Proved, Weighed]:
            from nimble_tile.core.output.export import outgoing
            from nimble_tile.core.output.weigh import weigh
            from nimble_tile.core.render import Renderer
            from nimble_tile.core.tune.proving import prove

            def stop() -> bool:
                return progress.cancelled

            renderer = Renderer(progress.pictures)
            progress.step(tr("Trials on screen"), 0.1)
            plain = prove(outgoing(piece), renderer, room, trials, stop=stop)
            progress.step(tr("Trials on paper"), 0.5)
            return plain, weigh(piece, renderer, room, trials, stop=stop)

        self._start(work, self._looked)

    def _start(self, work, done) -> None:
        """Run a job while the trials of the main window rest."""
        from nimble_tile.core.errors import Stopped
        from nimble_tile.ui.work.jobs import Cancelled

        def wrapped(progress: Progress):
            try:
                return work(progress)
            except Stopped:
                raise Cancelled from None

        self.hold_trials(True)
        self.bar.show()
        self.bar.setRange(0, 0)
        self.jobs.start(wrapped, done, lambda error: self.say(str(error), "error"))
        self.jobs.idle.connect(self._rest)

    def _rest(self) -> None:
        self.bar.hide()
        self.hold_trials(False)

    def _looked(self, found: tuple[Proved, Weighed]) -> None:
        plain, weighed = found
        self.weighed = weighed
        before, after = plain.reach, weighed.proved.reach
        shown = plain.rendering.image
        self.view.show_sides(
            [
                (tr("On screen"), to_qimage(_small(shown)), plain.verdict.state, _figures(plain)),
                (tr("On paper"), to_qimage(_small(weighed.image)), weighed.proved.verdict.state,
                 _figures(weighed.proved)),
            ]
        )  # fmt: skip
        four = weighed.ink is not None
        self.bar_of_ink.setVisible(four)
        if four:
            most, over = weighed.ink
            self.bar_of_ink.show_ink(most, inks.MOST_INK)
            told = tr(", under the usual limit.")
            if over:
                told = tr(
                    "; {over:.1%} of the area is over {most_ink:.0%}, where sheets stick "
                    "while they dry. Ask your printer for the limit.",
                    over=over,
                    most_ink=inks.MOST_INK,
                )
            self.ink_note.setText(tr("{most:.0%} at most{told}", most=most, told=told))
        else:
            self.ink_note.setText(
                tr(
                    "One ink prints full or not at all: tones become dots of one pixel "
                    "each, so give "
                    "the export many pixels an inch."
                )
            )
        # As it is shown: more than the usual code's counts as all of it.
        lost = None if None in (before, after) else min(before, 1) - min(after, 1)
        self.told.setText(self._paper(lost))
        worse = not weighed.proved.verdict.scans
        self.say(tr("On paper it does not scan with these inks.") if worse else "",
                 "error" if worse else "soft")  # fmt: skip

    def _paper(self, lost: float | None) -> str:
        from nimble_tile.ui.work.paper import advice, print_size

        shown = self.tools.answer.shown
        told = []
        if lost is not None:
            told.append(
                tr("The inks take {lost} of the reach.", lost=percent(lost)) if lost > 0.005
                else tr("The inks take nothing of the reach.")
            )  # fmt: skip
        if shown is not None and shown.rendering is not None:
            told.append(advice(*print_size(self.tools.session.piece, shown)))
        return " ".join(told)

    def use_inks(self) -> None:
        """Let the export take the inks that are chosen here."""
        session = self.tools.session
        kind = session.piece.finish.format
        session.edit(
            "finish", tr("Export with printing inks"), **self._choice(),
            format=kind if kind in ("tiff", "pdf") else "pdf",
        )  # fmt: skip
        self.say(tr("The export takes these inks: see rung 6, Export."))

    # The test sheet ---------------------------------------------------------------------

    def choose_sheet(self) -> None:
        """Ask where the test sheet goes."""
        settings = self.tools.settings
        start = Path(settings.folder_of("exports")) / tr(
            "{name} test sheet.pdf", name=self.tools.session.name
        )
        path = save_path(self, tr("Test sheet out"), start, tr("PDF (*.pdf)"), (".pdf",))
        if path is not None:
            self.sheet_to(path)

    def sheet_to(self, path: Path) -> None:
        """Write the test sheet, and say what the readers read on it."""
        piece, name = self.tools.session.piece, self.tools.session.name
        room, trials = self.tools.prover.room(), self.tools.prover.trials

        def work(progress: Progress) -> list[Cell]:
            from nimble_tile.core.output.testsheet import write_sheet
            from nimble_tile.core.render import Renderer

            return write_sheet(
                piece, name, path, Renderer(progress.pictures), room, trials,
                lambda: progress.cancelled, progress.step,
            )  # fmt: skip

        def done(cells: list[Cell]) -> None:
            from nimble_tile.core.output.testsheet import told
            from nimble_tile.core.scan.readers import READER_NAMES, READS_MICRO

            micro = self.tools.answer.shown.rendering.symbol.micro
            self.sheet_note.setText(told(cells, len(READS_MICRO if micro else READER_NAMES)))
            self.say(tr("Wrote {name}.", name=path.name))

        self._start(work, done)

    def shut_down(self) -> None:
        """End the workers."""
        self.profiles.stop()
        super().shut_down()

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        for part in (self.view, self.bar_of_ink):
            part.theme = theme
            part.update()


def _figures(proved: Proved) -> str:
    reach = "" if proved.reach is None else tr(", reach {reach}", reach=percent(proved.reach))
    return f"{proved.verdict.words}{reach}"


def _small(image):
    """An image of which a screen shows every pixel."""
    import cv2
    import numpy as np

    scale = SIDE / max(image.shape[:2])
    if scale >= 1:
        return np.ascontiguousarray(image)
    size = tuple(max(1, round(side * scale)) for side in (image.shape[1], image.shape[0]))
    return cv2.resize(image, size, interpolation=cv2.INTER_AREA)
