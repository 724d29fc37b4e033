"""Adding, changing, switching off and saving trials, with the frame as it would be."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.trials.sets import MOST_TRIALS, TrialSet, read, shipped, write
from nimble_tile.core.trials.trial import Trial
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, row, scrolled, set_rank, soft
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.rooms.proof.trial_fields import GROUPS, FieldRow, Preview
from nimble_tile.ui.rooms.proof.trial_view import in_words
from nimble_tile.ui.work.jobs import Latest

if TYPE_CHECKING:
    from nimble_tile.ui.work.prover import Prover


AT_ONCE = 2
"""Groups of numbers that the editor opens with; each of the others, further down, comes in a
turn of the event loop of its own, as building all of them would stop the window."""


class TrialEditor(QDialog):
    """The set of trials; `chosen` is what was made of it."""

    def __init__(self, parent: QWidget, prover: Prover) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Trials"))
        self.resize(1040, 680)
        self.prover = prover
        self.trials: list[Trial] = list(prover.trials)
        self.counted = {name: QCheckBox(name) for name in READER_NAMES}
        self._loading = False
        self._latest = Latest("trial preview", self)
        self._latest.answered.connect(self._previewed)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Trials"))
        self.list.setFixedWidth(236)
        self.add, self.copy, self.delete = (
            QPushButton(tr("Add")), QPushButton(tr("Copy")), QPushButton(tr("Delete")),
        )  # fmt: skip
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name"))
        self.name.setMaxLength(60)
        self.medium = Choice(
            tr("Medium"), [("paper", tr("On paper")), ("screen", tr("On a screen"))]
        )
        self.words = soft()
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.rows: dict[tuple[str, str], FieldRow] = {}
        self.preview = Preview()
        self._lay_out()
        self.list.currentRowChanged.connect(self._chosen)
        self.list.itemChanged.connect(self._switched)
        self.name.textEdited.connect(self._named)
        self.medium.chosen.connect(lambda value: self._set("shown", "medium", value))
        self.add.clicked.connect(lambda: self._insert(Trial(name=tr("New trial"))))
        self.copy.clicked.connect(self._copied)
        self.delete.clicked.connect(self._deleted)
        self._count(prover.readers)
        self._fill(0)

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.list, 1)
        left.addLayout(row(self.add, self.copy, self.delete, spacing=6))
        left.addWidget(soft(tr("Readers that count")))
        counted = QGridLayout()
        counted.setVerticalSpacing(4)
        for index, box in enumerate(self.counted.values()):
            counted.addWidget(box, index // 2, index % 2)
        left.addLayout(counted)
        inside = QWidget()
        self._form = QVBoxLayout(inside)
        self._form.setContentsMargins(0, 0, 12, 0)
        self._form.setSpacing(6)
        self._later = list(GROUPS)
        for _ in range(AT_ONCE):
            self._group()
        self._building = QTimer(self, interval=0)
        self._building.timeout.connect(self._group)
        self._building.start()
        middle = QVBoxLayout()
        middle.setSpacing(8)
        middle.addWidget(self.name)
        middle.addWidget(scrolled(inside), 1)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.preview, 1)
        right.addWidget(self.words)
        top = QHBoxLayout()
        top.setSpacing(20)
        top.addLayout(left)
        top.addLayout(middle, 1)
        top.addLayout(right)
        again, load, keep = (
            QPushButton(tr("As shipped")), QPushButton(tr("Open a set…")),
            QPushButton(tr("Save this set…")),
        )  # fmt: skip
        again.setToolTip(tr("Put the trials back that came with the program; yours are replaced"))
        cancel, done = QPushButton(tr("Cancel")), QPushButton(tr("Use these trials"))
        done.setProperty("main", True)
        done.setDefault(True)
        again.clicked.connect(self._as_shipped)
        load.clicked.connect(self._open)
        keep.clicked.connect(self._save)
        cancel.clicked.connect(self.reject)
        done.clicked.connect(self._done)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.setSpacing(12)
        whole.addLayout(top, 1)
        whole.addWidget(self.note)
        whole.addLayout(row(again, load, keep, 1, cancel, done))

    def _group(self) -> None:
        """The next group of numbers."""
        if not self._later:
            self._form.addStretch(1)
            self._building.stop()
            return
        title, fields = self._later.pop(0)
        head = QLabel(title)
        head.setProperty("head", True)
        self._form.addSpacing(6)
        self._form.addWidget(head)
        if title == tr("Where it is shown"):
            self._form.addWidget(self.medium)
        grid = QGridLayout()
        grid.setHorizontalSpacing(20)
        grid.setVerticalSpacing(6)
        for index, field in enumerate(fields):
            line = FieldRow(field)
            if self.current >= 0:
                trial = self.trials[self.current]
                line.show_value(getattr(getattr(trial, field.part), field.name))
            line.edited.connect(lambda value, f=field: self._set(f.part, f.name, value))
            self.rows[field.part, field.name] = line
            grid.addWidget(line, index // 2, index % 2)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)
        self._form.addLayout(grid)

    @property
    def whole(self) -> bool:
        """Whether all numbers are there."""
        return not self._later

    @property
    def chosen(self) -> TrialSet:
        """The set as it stands."""
        names = (name for name, box in self.counted.items() if box.isChecked())
        return TrialSet(tuple(self.trials), tuple(names))

    def _count(self, readers: tuple[str, ...]) -> None:
        for name, box in self.counted.items():
            box.setChecked(name in readers)

    # The list ----------------------------------------------------------------

    @property
    def current(self) -> int:
        return self.list.currentRow()

    def _fill(self, at: int) -> None:
        self._loading = True
        self.list.clear()
        for trial in self.trials:
            self.list.addItem(self._item(trial))
        self._loading = False
        self.list.setCurrentRow(min(at, len(self.trials) - 1))
        self.delete.setEnabled(len(self.trials) > 1)

    def _item(self, trial: Trial) -> QListWidgetItem:
        item = QListWidgetItem(trial.name)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if trial.on else Qt.CheckState.Unchecked)
        return item

    def _chosen(self, at: int) -> None:
        if self._loading or at < 0:
            return
        trial = self.trials[at]
        self.name.setText(trial.name)
        self.medium.set_value(trial.shown.medium)
        for (part, name), line in self.rows.items():
            line.show_value(getattr(getattr(trial, part), name))
        self._look()

    def _switched(self, item: QListWidgetItem) -> None:
        if self._loading:
            return
        at = self.list.row(item)
        on = item.checkState() == Qt.CheckState.Checked
        self.trials[at] = self.trials[at].model_copy(update={"on": on})

    def _insert(self, trial: Trial) -> None:
        if len(self.trials) >= MOST_TRIALS:
            self._say(tr("A set holds {most_trials} trials at most.", most_trials=MOST_TRIALS))
            return
        at = self.current + 1
        self.trials.insert(at, trial)
        self._fill(at)
        self.name.setFocus()
        self.name.selectAll()

    def _copied(self) -> None:
        trial = self.trials[self.current]
        self._insert(trial.model_copy(update={"name": tr("{name} (copy)", name=trial.name[:50])}))

    def _deleted(self) -> None:
        if len(self.trials) > 1:
            at = self.current
            del self.trials[at]
            self._fill(at)

    # One trial ---------------------------------------------------------------

    def _named(self, text: str) -> None:
        plain = " ".join(text.split())
        if plain and self.current >= 0:
            at = self.current
            self.trials[at] = self.trials[at].model_copy(update={"name": plain})
            self._loading = True
            self.list.item(at).setText(plain)
            self._loading = False

    def _set(self, part: str, name: str, value: object) -> None:
        if self.current < 0:
            return
        if name in ("pixels", "shrink", "jpeg", "times") and value is not None:
            value = round(value)
        at = self.current
        self.trials[at] = self.trials[at].changed(part, **{name: value})
        self._look()

    def _look(self) -> None:
        """Work out the frame of the trial at hand."""
        trial = self.trials[self.current]
        self.words.setText(in_words(trial))
        ask = self.prover.preview(trial)
        if ask is not None:
            self._latest.ask(ask)

    def _previewed(self, found: tuple) -> None:
        trial, frame, passed, usual = found
        if self.current >= 0 and trial == self.trials[self.current]:
            self.preview.take(to_qimage(frame.image), passed.read, usual.read)

    # Sets ----------------------------------------------------------------------

    def _as_shipped(self) -> None:
        self.trials = list(shipped())
        self._count(READER_NAMES)
        self._fill(0)
        self._say(tr("These are the trials that came with the program."), rank="soft")

    def _open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Open a set of trials"), "", tr("Trials (*.json)")
        )
        if path:
            self._try(lambda: self._take(read(Path(path))))

    def _take(self, found: TrialSet) -> None:
        self.trials = list(found.trials)
        self._count(found.readers)
        self._fill(0)
        self._say(tr("{trials} trials were opened.", trials=len(found.trials)), rank="soft")

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, tr("Save this set of trials"), "trials.json", tr("Trials (*.json)")
        )
        if path:
            target = Path(path) if path.lower().endswith(".json") else Path(path + ".json")
            self._try(lambda: write(self.trials, target, self.chosen.readers))

    def _try(self, act: Callable[[], object]) -> None:
        try:
            act()
        except UserError as error:
            self._say(str(error))

    def _say(self, text: str, rank: str = "error") -> None:
        self.note.setText(text)
        set_rank(self.note, rank)

    def _done(self) -> None:
        if not any(trial.on for trial in self.trials):
            self._say(
                tr("All trials are switched off. Switch one on, or let the trials rest instead.")
            )
            return
        if not self.chosen.readers:
            self._say(tr("No reader counts. Tick one at least."))
            return
        names = [trial.name for trial in self.trials]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            self._say(
                tr("Two trials are called “{twice}”. Give one of them another name.", twice=twice)
            )
            return
        self.accept()

    def done(self, result: int) -> None:
        self._latest.stop(wait=False)
        super().done(result)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.preview.theme = theme
        self.preview.update()
