"""One trial seen large: the camera frame, who read it, and why it failed."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import (
    QFont,
    QKeyEvent,
)
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments, rule, soft
from nimble_tile.ui.rooms.proof.frame_canvas import BLAMED, FrameCanvas, ReaderRow

if TYPE_CHECKING:
    from nimble_tile.core.trials.room import Result
    from nimble_tile.core.trials.trial import Trial
    from nimble_tile.core.trials.why import Cause, Why


def in_words(trial: Trial) -> str:
    """The parameters of a trial that are out of the ordinary, for people to read."""
    shown, view, camera, light = trial.shown, trial.view, trial.camera, trial.light
    before, wear = trial.before, trial.wear
    size = tr("own size") if shown.size is None else tr("{size:g} mm", size=shown.size)
    told = [
        tr("{size} on paper, from {distance:g} mm", size=size, distance=view.distance)
        if shown.medium == "paper"
        else tr("{size} on a screen, from {distance:g} mm", size=size, distance=view.distance)
    ]
    tilt = math.hypot(view.sideways, view.lengthways)
    extras = (
        (tilt, tr("tilted {tilt:.0f}°", tilt=tilt)),
        (view.turn, tr("turned {turn:g}°", turn=abs(view.turn))),
        (light.lux != 500, tr("{lux:g} lx", lux=light.lux)),
        (light.kelvin != 5500, f"{light.kelvin:g} K"),
        (light.falloff, tr("light falls by {falloff:.0%}", falloff=light.falloff)),
        (light.shadow, tr("shadow {shadow:.0%}", shadow=light.shadow)),
        (light.glare, tr("glare {glare:.0%}", glare=light.glare)),
        (camera.blur > 0.5, tr("blur {blur:g} px", blur=camera.blur)),
        (camera.motion, tr("motion {motion:g} px", motion=camera.motion)),
        (camera.exposure, tr("exposure {exposure:+g}", exposure=camera.exposure)),
        (camera.pixels != 1440, tr("camera {pixels} px wide", pixels=camera.pixels)),
        (camera.noise != 1, tr("noise × {noise:g}", noise=camera.noise)),
        (before.shrink is not None, tr("shrunk to {shrink} px", shrink=before.shrink)),
        (before.jpeg is not None, f"JPEG {before.jpeg}"),
        (before.jpeg is not None and before.times > 1, tr("{times} times", times=before.times)),
        (before.dot_gain, tr("dot gain {dot_gain:.0%}", dot_gain=before.dot_gain)),
        (
            before.paper < 0.8 and shown.medium == "paper",
            tr("paper {paper:.0%}", paper=before.paper),
        ),
        (wear.smudge, tr("{smudge:.1%} smudged", smudge=wear.smudge)),
        (wear.crumple, tr("crumpled {crumple:.0%}", crumple=wear.crumple)),
        (wear.fold, tr("folded {fold:g}°", fold=wear.fold)),
    )
    return ", ".join(told + [text for on, text in extras if on])


class TrialView(QWidget):
    """The whole view; Escape goes back.

    Signals
    -------
    left
        Back to the bench.
    stepped : int
        To the next (1) or the one before (-1).
    """

    left = Signal()
    stepped = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("One trial"))
        self.trial: Trial | None = None
        self.why: Why | None = None
        self._theme = themes.LIGHT
        self.title, self.detail = QLabel(), soft()
        self.title.setFont(themes.font(20, QFont.Weight.Bold))
        self.title.setStyleSheet("font-size: 20px; font-weight: 700;")
        self.back = QPushButton(tr("Back to the bench"))
        self.before, self.after = QToolButton(), QToolButton()
        for button, name in ((self.before, tr("Trial before")), (self.after, tr("Next trial"))):
            button.setAccessibleName(name)
            button.setToolTip(name)
        self.canvas = FrameCanvas()
        self.way = Segments(
            tr("Camera frame"),
            [
                ("frame", tr("Frame"), tr("What the readers were shown")),
                (
                    "x-ray",
                    tr("X-ray"),
                    tr("Modules that read right, weakly and wrongly in this frame"),
                ),
                ("blame", tr("Whose fault"), tr("Each wrong module by what is to blame for it")),
            ],
        )
        self.way.set_value("frame")
        self.legend = QLabel()
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setWordWrap(True)
        self.readers = ReaderRow()
        self._causes = QVBoxLayout()
        self._causes.setContentsMargins(0, 0, 8, 0)
        self._causes.setSpacing(6)
        self._buttons: list[QPushButton] = []

        head = QHBoxLayout()
        head.setSpacing(6)
        head.addWidget(self.title, 1)
        for widget in (self.before, self.after, self.back):
            head.addWidget(widget)
        looks = QHBoxLayout()
        looks.setSpacing(14)
        looks.addWidget(self.way)
        looks.addWidget(self.legend, 1)
        told = QWidget()
        inner = QVBoxLayout(told)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(8)
        inner.addLayout(self._causes)
        inner.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setWidget(told)
        area.setMinimumHeight(120)
        area.setMaximumHeight(190)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 12, 12, 12)
        layout.setSpacing(8)
        layout.addLayout(head)
        layout.addWidget(self.detail)
        layout.addWidget(self.canvas, 1)
        layout.addLayout(looks)
        layout.addWidget(rule())
        layout.addWidget(self.readers)
        layout.addWidget(area)
        self.back.clicked.connect(self.left)
        self.before.clicked.connect(lambda: self.stepped.emit(-1))
        self.after.clicked.connect(lambda: self.stepped.emit(1))
        self.way.chosen.connect(self._look)

    def open(self, trial: Trial, result: Result | None) -> None:
        """Begin with a trial whose reasons are still being worked out."""
        self.trial, self.why = trial, None
        self.title.setText(trial.name)
        self.detail.setText(in_words(trial))
        self.readers.take(result)
        self.canvas.take(None)
        self._show_causes()

    def explain(self, why: Why) -> None:
        """The reasons are known."""
        self.why = why
        self.set_stale(False)
        self.canvas.take(why)
        self._show_causes()
        self._look(self.way.value)

    def set_stale(self, stale: bool) -> None:
        """What is shown belongs to an older piece."""
        self.canvas.stale = self.readers.stale = stale
        self.canvas.update()
        self.readers.update()
        for button in self._buttons:
            button.setEnabled(not stale)

    @property
    def causes(self) -> list[str]:
        """The reasons as they stand there."""
        return [button.text() for button in self._buttons]

    def _look(self, way: str) -> None:
        self.canvas.look(way)
        theme = self._theme
        if way == "x-ray":
            text = (
                f"<span style='color:{theme.well}'>●</span> right &nbsp; "
                f"<span style='color:{theme.thin}'>○</span> weak &nbsp; "
                f"<span style='color:{theme.fails}'>✕</span> wrong"
            )
        elif way == "blame" and self.why is not None:
            parts = [
                f"<span style='color:{BLAMED[name][1]}'>■</span> {BLAMED[name][2]} "
                f"({int(mask.sum())})"
                for name, mask in self.why.faults.items()
            ]
            text = " &nbsp; ".join(parts) or tr("No module is wrong here")
        else:
            text = ""
        self.legend.setText(text)

    def _show_causes(self) -> None:
        while self._causes.count():
            item = self._causes.takeAt(0)
            if item.widget() is not None:
                item.widget().deleteLater()
        self._buttons = []
        if self.why is None:
            return
        if not self.why.causes:
            self._causes.addWidget(soft(tr("Nothing stands in the way here.")))
        for cause in self.why.causes:
            text = f"{cause.text} {cause.way_out}".strip()
            button = _CauseButton(text, cause.area is not None or cause.modules is not None)
            button.toggled.connect(lambda on, c=cause, b=button: self._point(c, on, b))
            self._causes.addWidget(button)
            self._buttons.append(button)

    def _point(self, cause: Cause, on: bool, button: QPushButton) -> None:
        if on:
            for other in self._buttons:
                if other is not button:
                    other.setChecked(False)
            self.canvas.point_at(cause)
        elif self.canvas.cause is cause:
            self.canvas.point_at(None)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Up):
            self.stepped.emit(-1)
        elif event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Down):
            self.stepped.emit(1)
        else:
            super().keyPressEvent(event)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self._theme = theme
        for part in (self.canvas, self.readers):
            part.theme = theme
            part.update()
        self.before.setIcon(themes.icon("caret-left", theme.ink))
        self.after.setIcon(themes.icon("caret-right", theme.ink))
        self._look(self.way.value)


class _CauseButton(QPushButton):
    """A reason; pressed, the frame shows where it is."""

    def __init__(self, text: str, has_place: bool) -> None:
        super().__init__(text)
        self.setCheckable(has_place)
        self.setAccessibleName(text)
        self.setToolTip(tr("Show where") if has_place else "")
        self.setStyleSheet("QPushButton { text-align: left; border: 0; }")
        self._label = QLabel(text)
        self._label.setWordWrap(True)
        self._label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 4, 8, 4)
        layout.addWidget(self._label)
        self.setText("")
        self._told = text
        if not has_place:
            self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def text(self) -> str:
        return self._told

    def sizeHint(self):
        hint = super().sizeHint()
        hint.setHeight(self.layout().heightForWidth(max(200, self.width())))
        return hint

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self.layout().heightForWidth(width)
