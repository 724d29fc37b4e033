"""The numbers of a trial as rows to type in, and the frame that they make."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QDoubleSpinBox,
    QLabel,
    QWidget,
)

from nimble_tile.core.language import tr, tr_as
from nimble_tile.core.trials.trial import Trial
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import guard_wheel, row
from nimble_tile.ui.kit.marks import paint_reader

if TYPE_CHECKING:
    pass


@dataclass(frozen=True)
class TrialField:
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


GROUPS: tuple[tuple[str, tuple[TrialField, ...]], ...] = (
    (tr("Where it is shown"), (
        TrialField("shown", "size", tr("Symbol"), "mm", 1, 1, 1, 40,
              tr("Side of the usual code without quiet zone, whose square the piece fills; "
              "switched off: as large as the piece comes out on paper")),
        TrialField("shown", "ground", tr("Surroundings"), "%", 100, 0, 5,
              tip=tr("Reflectance of what lies round the image: 0 black, 100 white")),
        TrialField("before", "paper", tr("Paper"), "%", 100, 0, 5,
                   tip=tr("Reflectance of the paper")),
        TrialField("before", "ink", tr("Ink"), "%", 100, 0, 1,
              tip=tr("Reflectance of full ink, or of the screen where it is black")),
    )),
    (tr("Where the camera stands"), (
        TrialField("view", "distance", tr("Distance"), "mm", 1, 0, 10),
        TrialField("view", "sideways", tr("Tilt sideways"), "°"),
        TrialField("view", "lengthways", tr("Tilt lengthways"), "°"),
        TrialField("view", "turn", tr("Turn"), "°"),
    )),
    (tr("Camera"), (
        TrialField("camera", "pixels", tr("Frame width"), "px", 1, 0, 20),
        TrialField("camera", "field", tr("Field of view"), "°"),
        TrialField("camera", "blur", tr("Focus blur"), "px", 1, 2, 0.1,
              tip=tr("Standard deviation in pixels of the frame")),
        TrialField("camera", "motion", tr("Motion"), "px", 1, 1, 0.5),
        TrialField("camera", "motion_angle", tr("Direction"), "°", step=5),
        TrialField("camera", "exposure", tr("Exposure"), "EV", 1, 1, 0.1),
        TrialField("camera", "noise", tr("Noise"), "×", 1, 1, 0.1, tip=tr("1: a common phone")),
    )),
    (tr_as("illumination", "Light"), (
        TrialField("light", "lux", tr_as("illumination", "Light"), "lx", 1, 1, 1,
                   tip=tr("500: an office; 10: a candle")),
        TrialField("light", "kelvin", tr("Colour"), "K", 1, 0, 100),
        TrialField("light", "falloff", tr("Falls off by"), "%", 100, 0, 5),
        TrialField("light", "shadow", tr("Shadow takes"), "%", 100, 0, 5),
        TrialField("light", "shadow_at", tr("Shadow's place"), "%", 100, 0, 5),
        TrialField("light", "shadow_angle", tr("Shadow's angle"), "°", step=5),
        TrialField("light", "shadow_edge", tr("Shadow's edge"), "%", 100, 0, 1),
        TrialField("light", "glare", tr("Glare"), "%", 100, 0, 10,
                   tip=tr("100: as bright as white paper")),
        TrialField("light", "glare_x", tr("Glare across"), "%", 100, 0, 5),
        TrialField("light", "glare_y", tr("Glare down"), "%", 100, 0, 5),
        TrialField("light", "glare_size", tr("Glare's radius"), "%", 100, 0, 1),
    )),
    (tr("What happened to it"), (
        TrialField("before", "shrink", tr("Shrunk to"), "px", 1, 0, 20, 640, tr("Its longer side")),
        TrialField("before", "jpeg", tr("Saved as JPEG"), "", 1, 0, 5, 50, tr("Quality, 1 to 100")),
        TrialField("before", "times", tr("Times"), "×", tip=tr("Each time a little smaller")),
        TrialField("before", "dot_gain", tr("Dot gain"), "%", 100, 0, 1),
        TrialField("wear", "smudge", tr("Smudged"), "%", 100, 1, 0.5, tip=tr("Share of the area")),
        TrialField("wear", "crumple", tr("Crumpled"), "%", 100, 0, 5),
        TrialField("wear", "fold", tr("Folded by"), "°"),
        TrialField("wear", "fold_at", tr("Fold's place"), "%", 100, 0, 5),
        TrialField("wear", "fold_angle", tr("Fold's angle"), "°", step=5),
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

    def __init__(self, field: TrialField) -> None:
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
        self.setAccessibleName(tr("Frame of this trial"))
        self.image: QImage | None = None
        self.read: dict[str, bool] = {}
        self.usual: dict[str, bool] = {}
        self.told = tr("A frame appears here once there is a code.")

    def take(self, image: QImage, read: dict[str, bool], usual: dict[str, bool]) -> None:
        """Show a frame and its readers."""
        self.image, self.read, self.usual = image, read, usual
        told = [
            tr("{name} reads it", name=name) if ok else tr("{name} does not read it", name=name)
            for name, ok in read.items()
        ]
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
        for column, title in ((0, ""), (140, "piece"), (200, "usual")):
            painter.setPen(QColor(theme.soft))
            line = QRectF(column, 290, 60, 20)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, title)
        for index, (name, ok) in enumerate(self.read.items()):
            y = 314 + index * 22
            painter.setPen(QColor(theme.ink))
            painter.drawText(QRectF(0, y, 130, 20), Qt.AlignmentFlag.AlignVCenter, name)
            for x, value in ((148, ok), (208, self.usual.get(name, False))):
                colour = QColor(theme.well if value else theme.fails)
                paint_reader(painter, QRectF(x, y + 4, 12, 12), value, colour)
