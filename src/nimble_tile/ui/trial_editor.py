"""Adding, changing, switching off and saving trials, with the frame as it would be."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDoubleSpinBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import UserError
from nimble_tile.core.trials.sets import MOST_TRIALS, read, shipped, write
from nimble_tile.core.trials.trial import Trial
from nimble_tile.ui import theme as themes
from nimble_tile.ui.controls import Choice, guard_wheel, row, set_rank, soft
from nimble_tile.ui.engine import to_qimage
from nimble_tile.ui.jobs import Latest
from nimble_tile.ui.shapes import paint_reader
from nimble_tile.ui.trial_view import in_words

if TYPE_CHECKING:
    from nimble_tile.ui.prover import Prover


@dataclass(frozen=True)
class Field:
    """One parameter: where it stands in a trial and how it is shown."""

    part: str
    name: str
    label: str
    unit: str = ""
    factor: float = 1
    decimals: int = 0
    step: float = 1
    optional: float | None = None  # what it is when it is switched on
    tip: str = ""


GROUPS: tuple[tuple[str, tuple[Field, ...]], ...] = (
    ("Where it is shown", (
        Field("shown", "size", "Symbol", "mm", 1, 1, 1, 40,
              "Side without quiet zone; switched off: as large as the piece comes out on paper"),
        Field("shown", "ground", "Surroundings", "%", 100, 0, 5,
              tip="Reflectance of what lies round the image: 0 black, 100 white"),
        Field("before", "paper", "Paper", "%", 100, 0, 5, tip="Reflectance of the paper"),
        Field("before", "ink", "Ink", "%", 100, 0, 1,
              tip="Reflectance of full ink, or of the screen where it is black"),
    )),
    ("Where the camera stands", (
        Field("view", "distance", "Distance", "mm", 1, 0, 10),
        Field("view", "sideways", "Tilt sideways", "°"),
        Field("view", "lengthways", "Tilt lengthways", "°"),
        Field("view", "turn", "Turn", "°"),
    )),
    ("Camera", (
        Field("camera", "pixels", "Frame width", "px", 1, 0, 20),
        Field("camera", "field", "Field of view", "°"),
        Field("camera", "blur", "Focus blur", "px", 1, 2, 0.1,
              tip="Standard deviation in pixels of the frame"),
        Field("camera", "motion", "Motion", "px", 1, 1, 0.5),
        Field("camera", "motion_angle", "Direction", "°", step=5),
        Field("camera", "exposure", "Exposure", "EV", 1, 1, 0.1),
        Field("camera", "noise", "Noise", "×", 1, 1, 0.1, tip="1: a common phone"),
    )),
    ("Light", (
        Field("light", "lux", "Light", "lx", 1, 1, 1, tip="500: an office; 10: a candlelit table"),
        Field("light", "kelvin", "Colour", "K", 1, 0, 100),
        Field("light", "falloff", "Falls off by", "%", 100, 0, 5),
        Field("light", "shadow", "Shadow takes", "%", 100, 0, 5),
        Field("light", "shadow_at", "Shadow's place", "%", 100, 0, 5),
        Field("light", "shadow_angle", "Shadow's angle", "°", step=5),
        Field("light", "shadow_edge", "Shadow's edge", "%", 100, 0, 1),
        Field("light", "glare", "Glare", "%", 100, 0, 10, tip="100: as bright as white paper"),
        Field("light", "glare_x", "Glare across", "%", 100, 0, 5),
        Field("light", "glare_y", "Glare down", "%", 100, 0, 5),
        Field("light", "glare_size", "Glare's radius", "%", 100, 0, 1),
    )),
    ("What happened to it", (
        Field("before", "shrink", "Shrunk to", "px", 1, 0, 20, 640, "Longer side of the image"),
        Field("before", "jpeg", "Saved as JPEG", "", 1, 0, 5, 50, "Quality, 1 to 100"),
        Field("before", "times", "Times", "×", tip="Each time a little smaller"),
        Field("before", "dot_gain", "Dot gain", "%", 100, 0, 1),
        Field("wear", "smudge", "Smudged", "%", 100, 1, 0.5, tip="Share of the area"),
        Field("wear", "crumple", "Crumpled", "%", 100, 0, 5),
        Field("wear", "fold", "Folded by", "°"),
        Field("wear", "fold_at", "Fold's place", "%", 100, 0, 5),
        Field("wear", "fold_angle", "Fold's angle", "°", step=5),
    )),
)  # fmt: skip


def limits_of(part: str, name: str) -> tuple[float, float]:
    """Lowest and highest value of a parameter, as the model has them."""
    info = type(getattr(Trial(), part)).model_fields[name]
    low, high = 0.0, 1.0
    for rule in info.metadata:
        low = getattr(rule, "ge", low) if hasattr(rule, "ge") else low
        high = getattr(rule, "le", high) if hasattr(rule, "le") else high
    return float(low), float(high)


class FieldRow(QWidget):
    """Label, number, and a switch where the parameter may be absent.

    Signals
    -------
    edited : object
        The new value, None where it is switched off.
    """

    edited = Signal(object)

    def __init__(self, field: Field) -> None:
        super().__init__()
        self.field = field
        low, high = limits_of(field.part, field.name)
        self.box = QDoubleSpinBox()
        self.box.setDecimals(field.decimals)
        self.box.setRange(low * field.factor, high * field.factor)
        self.box.setSingleStep(field.step)
        self.box.setKeyboardTracking(False)
        self.box.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.box.setFixedWidth(92)
        self.box.setSuffix(f" {field.unit}" if field.unit else "")
        self.box.setAccessibleName(field.label)
        guard_wheel(self.box)
        self.switch: QCheckBox | None = None
        if field.optional is not None:
            self.switch = QCheckBox(field.label)
            self.switch.toggled.connect(self._told)
            label: QWidget = self.switch
        else:
            label = QLabel(field.label)
            label.setBuddy(self.box)
        label.setToolTip(field.tip)
        self.box.setToolTip(field.tip)
        self.setLayout(row(label, 1, self.box))
        self.box.valueChanged.connect(self._told)

    def show_value(self, value: float | None) -> None:
        """Show a value without telling anyone."""
        self.blockSignals(True)
        if self.switch is not None:
            self.switch.setChecked(value is not None)
            self.box.setEnabled(value is not None)
        shown = self.field.optional if value is None else value
        self.box.setValue(shown * self.field.factor)
        self.blockSignals(False)

    def _told(self, _: object) -> None:
        on = self.switch is None or self.switch.isChecked()
        self.box.setEnabled(on)
        self.edited.emit(self.box.value() / self.field.factor if on else None)


class Preview(QWidget):
    """The frame of the trial at hand, and who reads it."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.setFixedWidth(280)
        self.setAccessibleName("Frame of this trial")
        self.image: QImage | None = None
        self.read: dict[str, bool] = {}
        self.plain: dict[str, bool] = {}
        self.told = "A frame appears here once there is a code."

    def take(self, image: QImage, read: dict[str, bool], plain: dict[str, bool]) -> None:
        """Show a frame and its readers."""
        self.image, self.read, self.plain = image, read, plain
        told = [f"{name} {'reads' if ok else 'does not read'} it" for name, ok in read.items()]
        self.setAccessibleDescription(", ".join(told))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        area = QRectF(0, 0, self.width(), 280)
        painter.fillRect(area, QColor(theme.bench))
        if self.image is None:
            painter.setPen(QColor(theme.soft))
            wraps = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(area.adjusted(20, 0, -20, 0), wraps, self.told)
            return
        scale = min(area.width() / self.image.width(), area.height() / self.image.height())
        frame = QRectF(0, 0, self.image.width() * scale, self.image.height() * scale)
        frame.moveCenter(area.center())
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 3)
        painter.drawImage(frame, self.image)
        painter.setFont(themes.font(14))
        for column, title in ((0, ""), (140, "piece"), (200, "plain")):
            painter.setPen(QColor(theme.soft))
            line = QRectF(column, 290, 60, 20)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, title)
        for index, (name, ok) in enumerate(self.read.items()):
            y = 314 + index * 22
            painter.setPen(QColor(theme.ink))
            painter.drawText(QRectF(0, y, 130, 20), Qt.AlignmentFlag.AlignVCenter, name)
            for x, value in ((148, ok), (208, self.plain.get(name, False))):
                colour = QColor(theme.well if value else theme.fails)
                paint_reader(painter, QRectF(x, y + 4, 12, 12), value, colour)


class TrialEditor(QDialog):
    """The set of trials; `trials` is what was made of it."""

    def __init__(self, parent: QWidget, prover: Prover) -> None:
        super().__init__(parent)
        self.setWindowTitle("Trials")
        self.resize(1040, 680)
        self.prover = prover
        self.trials: list[Trial] = list(prover.trials)
        self._loading = False
        self._latest = Latest("trial preview", self)
        self._latest.answered.connect(self._previewed)
        self.list = QListWidget()
        self.list.setAccessibleName("Trials")
        self.list.setFixedWidth(236)
        self.add, self.copy, self.delete = (
            QPushButton("Add"), QPushButton("Copy"), QPushButton("Delete"),
        )  # fmt: skip
        self.name = QLineEdit()
        self.name.setAccessibleName("Name")
        self.name.setMaxLength(60)
        self.medium = Choice("Medium", [("paper", "On paper"), ("screen", "On a screen")])
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
        self.add.clicked.connect(lambda: self._insert(Trial(name="New trial")))
        self.copy.clicked.connect(self._copied)
        self.delete.clicked.connect(self._deleted)
        self._fill(0)

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.list, 1)
        left.addLayout(row(self.add, self.copy, self.delete, spacing=6))
        inside = QWidget()
        form = QVBoxLayout(inside)
        form.setContentsMargins(0, 0, 12, 0)
        form.setSpacing(6)
        for title, fields in GROUPS:
            head = QLabel(title)
            head.setProperty("head", True)
            form.addSpacing(6)
            form.addWidget(head)
            if title == "Where it is shown":
                form.addWidget(self.medium)
            grid = QGridLayout()
            grid.setHorizontalSpacing(20)
            grid.setVerticalSpacing(6)
            for index, field in enumerate(fields):
                line = FieldRow(field)
                line.edited.connect(lambda value, f=field: self._set(f.part, f.name, value))
                self.rows[field.part, field.name] = line
                grid.addWidget(line, index // 2, index % 2)
            grid.setColumnStretch(0, 1)
            grid.setColumnStretch(1, 1)
            form.addLayout(grid)
        form.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inside)
        middle = QVBoxLayout()
        middle.setSpacing(8)
        middle.addWidget(self.name)
        middle.addWidget(area, 1)
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
            QPushButton("As shipped"), QPushButton("Open a set…"), QPushButton("Save this set…"),
        )  # fmt: skip
        again.setToolTip("Put the trials back that came with the program; yours are replaced")
        cancel, done = QPushButton("Cancel"), QPushButton("Use these trials")
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
            self._say(f"A set holds {MOST_TRIALS} trials at most.")
            return
        at = self.current + 1
        self.trials.insert(at, trial)
        self._fill(at)
        self.name.setFocus()
        self.name.selectAll()

    def _copied(self) -> None:
        trial = self.trials[self.current]
        self._insert(trial.model_copy(update={"name": f"{trial.name[:50]} (copy)"}))

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
        trial, frame, passed, plain = found
        if self.current >= 0 and trial == self.trials[self.current]:
            self.preview.take(to_qimage(frame.image), passed.read, plain.read)

    # Sets ----------------------------------------------------------------------

    def _as_shipped(self) -> None:
        self.trials = list(shipped())
        self._fill(0)
        self._say("These are the trials that came with the program.", rank="soft")

    def _open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open a set of trials", "", "Trials (*.json)")
        if path:
            self._try(lambda: self._take(read(Path(path))))

    def _take(self, trials: tuple[Trial, ...]) -> None:
        self.trials = list(trials)
        self._fill(0)
        self._say(f"{len(trials)} trials were opened.", rank="soft")

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, "Save this set of trials", "trials.json", "Trials (*.json)"
        )
        if path:
            target = Path(path) if path.lower().endswith(".json") else Path(path + ".json")
            self._try(lambda: write(self.trials, target))

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
            self._say("All trials are switched off. Switch one on, or let the trials rest instead.")
            return
        names = [trial.name for trial in self.trials]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            self._say(f"Two trials are called “{twice}”. Give one of them another name.")
            return
        self.accept()

    def done(self, result: int) -> None:
        self._latest.stop()
        super().done(result)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.preview.theme = theme
        self.preview.update()
