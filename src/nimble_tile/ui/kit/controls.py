"""Small controls that all rungs share."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QObject, QPointF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPalette, QPen
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSlider,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr, within
from nimble_tile.ui.kit import theme as themes


class _WheelGuard(QObject):
    """Lets the wheel change a control only when it has the focus."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Wheel and not watched.hasFocus():
            event.ignore()
            return True
        return False


def guard_wheel(widget: QWidget) -> None:
    """Make the wheel scroll past a control that does not have the focus."""
    widget.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    widget.installEventFilter(_WheelGuard(widget))


def soft(text: str = "", wraps: bool = True) -> QLabel:
    """A label of second rank."""
    label = QLabel(text)
    label.setProperty("rank", "soft")
    label.setWordWrap(wraps)
    return label


def set_rank(label: QLabel, rank: str) -> None:
    """Change a label's rank: ``"soft"``, ``"warn"``, ``"error"``, ``""``."""
    if label.property("rank") != rank:
        label.setProperty("rank", rank)
        label.style().unpolish(label)
        label.style().polish(label)


def set_checked(box: QAbstractButton, on: bool) -> None:
    """Show a state of a check box without telling anyone."""
    box.blockSignals(True)
    box.setChecked(on)
    box.blockSignals(False)


def rule() -> QFrame:
    """A thin line across."""
    line = QFrame()
    line.setProperty("rule", True)
    return line


def row(*widgets: QWidget | int, spacing: int = 8) -> QHBoxLayout:
    """Widgets side by side; a number is a stretch."""
    layout = QHBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(spacing)
    for widget in widgets:
        if isinstance(widget, int):
            layout.addStretch(widget)
        else:
            layout.addWidget(widget)
    return layout


def scrolled(inside: QWidget, width: int | None = None) -> QScrollArea:
    """A widget that is scrolled up and down where there is no room for it."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inside)
    if width is not None:
        area.setFixedWidth(width)
    return area


def thin_bar() -> QProgressBar:
    """How far work is, 0 to 100, as a line."""
    bar = QProgressBar()
    bar.setRange(0, 100)
    bar.setTextVisible(False)
    bar.setFixedHeight(4)
    return bar


def named(label: str, control: QWidget, width: int = 92) -> QHBoxLayout:
    """A control with its name in front."""
    text = QLabel(label)
    text.setFixedWidth(width)
    text.setBuddy(control)
    if not control.accessibleName():
        control.setAccessibleName(label)
    return row(text, control, 1) if control.maximumWidth() < 400 else row(text, control)


class Fold(QWidget):
    """A heading that opens and closes what stands below it."""

    opened = Signal()

    def __init__(self, title: str, is_open: bool = False) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.head = QToolButton()
        self.head.setText(title)
        self.head.setCheckable(True)
        self.head.setChecked(is_open)
        self.head.setProperty("fold", True)
        self.head.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.head.setAccessibleName(title)
        self._note = QLabel()
        self._note.setProperty("rank", "soft")
        self._head_row = row(self.head, self._note, 1)
        layout.addLayout(self._head_row)
        content = QWidget()
        self.inside = QVBoxLayout(content)
        self.inside.setContentsMargins(0, 0, 0, 4)
        self.inside.setSpacing(6)
        layout.addWidget(content)
        content.setVisible(is_open)
        self._content = content
        self._theme = themes.LIGHT
        self.head.toggled.connect(self._toggle)
        self._draw()

    @property
    def is_open(self) -> bool:
        return self.head.isChecked()

    def set_open(self, on: bool) -> None:
        """Open or close it."""
        self.head.setChecked(on)

    def add_switch(self, name: str) -> QCheckBox:
        """A switch at the end of the heading's line."""
        switch = QCheckBox()
        switch.setAccessibleName(name)
        switch.setToolTip(tr("On or off, without losing the settings"))
        self._head_row.addWidget(switch)
        return switch

    def set_note(self, text: str) -> None:
        """A few words beside the heading."""
        self._note.setText(text)

    def _toggle(self, on: bool) -> None:
        self._content.setVisible(on)
        self._draw()
        if on:
            self.opened.emit()

    def _draw(self) -> None:
        name = "caret-down" if self.is_open else "caret-right"
        self.head.setIcon(themes.icon(name, self._theme.soft))

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self._theme = theme
        self._draw()


class _Segment(QPushButton):
    """Roomy where there is room, and as narrow as its word where there is little."""

    def sizeHint(self) -> QSize:
        return super().sizeHint() + QSize(12, 0)

    def minimumSizeHint(self) -> QSize:
        return super().sizeHint()


class Segments(QWidget):
    """One of a few values, all of them in sight."""

    chosen = Signal(object)

    def __init__(self, name: str, options: Sequence[tuple[object, str, str]]) -> None:
        """`options` are (value, label, tooltip)."""
        super().__init__()
        self.setAccessibleName(name)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self._group = QButtonGroup(self)
        self._values = [value for value, _, _ in options]
        for index, (_, label, tip) in enumerate(options):
            button = _Segment(label)
            button.setCheckable(True)
            button.setProperty("segment", True)
            place = "first" if index == 0 else "last" if index == len(options) - 1 else "middle"
            button.setProperty("place", "only" if len(options) == 1 else place)
            button.setToolTip(tip)
            button.setAccessibleName(f"{name}: {label}")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            layout.addWidget(button)
            self._group.addButton(button, index)
        self._group.idClicked.connect(lambda index: self.chosen.emit(self._values[index]))

    def set_value(self, value: object) -> None:
        """Show a value without telling anyone."""
        if value in self._values:
            self._group.button(self._values.index(value)).setChecked(True)

    def button(self, value: object) -> QPushButton:
        """The button of a value."""
        return self._group.button(self._values.index(value))

    @property
    def value(self) -> object:
        return self._values[self._group.checkedId()]


class Choice(QComboBox):
    """One of many values."""

    chosen = Signal(object)

    def __init__(self, name: str, options: Sequence[tuple[object, str]]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        # Long entries must not make the ladder wider than it is.
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(6)
        for value, label in options:
            self.addItem(label, value)
        guard_wheel(self)
        self._values = [value for value, _ in options]
        self.activated.connect(lambda _: self.chosen.emit(self._value()))

    def _value(self) -> object:
        """What is chosen, as it was given: Qt hands members of an enumeration of texts back as
        bare texts."""
        data = self.currentData()
        return next((value for value in self._values if value == data), data)

    def set_value(self, value: object) -> None:
        """Show a value without telling anyone."""
        index = next((i for i in range(self.count()) if self.itemData(i) == value), -1)
        self.setCurrentIndex(index)


class NumberBox(QSpinBox):
    """A whole number to type, with its unit."""

    edited = Signal(int)

    def __init__(self, name: str, low: int, high: int, unit: str = "", step: int = 1) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setRange(low, high)
        self.setSingleStep(step)
        self.setKeyboardTracking(False)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(120)
        if unit:
            self.setSuffix(f" {tr(unit)}")
        guard_wheel(self)
        self.valueChanged.connect(self.edited)

    def set_value(self, value: int, most: int | None = None) -> None:
        """Show a value, and a new upper limit, without telling anyone."""
        self.blockSignals(True)
        if most is not None:
            self.setMaximum(most)
        self.setValue(value)
        self.blockSignals(False)


class _Track(QSlider):
    """A slider that double-click resets, with a mark where one is set."""

    reset = Signal()
    mark: float | None = None  # share of the track

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.mark is not None:
            painter = QPainter(self)
            painter.setPen(QPen(self.palette().color(QPalette.ColorRole.WindowText), 2))
            x = 6 + self.mark * (self.width() - 12)
            painter.drawLine(QPointF(x, self.height() - 5), QPointF(x, self.height()))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.reset.emit()
        event.accept()


class Slider(QWidget):
    """A value on a track with its number, unit and a reset.

    Parameters
    ----------
    name : str
    low, high, default : float
    unit : str
        Shown after the number.
    factor : float
        What the number shows is the value times this: 100 for percent.
    whole : bool
        Whether only whole numbers are possible.
    """

    edited = Signal(float)
    released = Signal()

    STEPS = 1000

    def __init__(
        self,
        name: str,
        low: float,
        high: float,
        default: float,
        unit: str = "",
        factor: float = 1,
        decimals: int = 0,
        whole: bool = False,
    ) -> None:
        super().__init__()
        self.whole = whole
        if whole:
            self.STEPS = round(high - low)
        self._low, self._high, self._default, self._factor = low, high, default, factor
        self._value = default
        self._icon_name = "arrow-counter-clockwise"
        label = QLabel(name)
        self.track = _Track(Qt.Orientation.Horizontal)
        self.track.setRange(0, self.STEPS)
        self.track.setPageStep(max(1, self.STEPS // 10))
        self.track.setSingleStep(max(1, self.STEPS // 100))
        self.track.setAccessibleName(name)
        self.track.setToolTip(tr("Double-click to reset"))
        guard_wheel(self.track)
        self.box = QDoubleSpinBox()
        self.box.setDecimals(decimals)
        self.box.setRange(low * factor, high * factor)
        self.box.setSuffix(f" {tr(unit)}" if unit else "")
        self.box.setAccessibleName(tr("{name}, number", name=name))
        self.box.setKeyboardTracking(False)
        self.box.setFixedWidth(72 if len(unit) < 3 else 104)
        self.box.setAlignment(Qt.AlignmentFlag.AlignRight)
        guard_wheel(self.box)
        label.setBuddy(self.box)
        self.again = QToolButton()
        self.again.setAccessibleName(tr("Reset {name}", name=within(name)))
        self.again.setToolTip(
            tr("Reset to {default:g} {unit}", default=default * factor, unit=tr(unit)).rstrip()
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(row(label, 1, self.box, self.again, spacing=4))
        layout.addWidget(self.track)
        self.track.valueChanged.connect(
            lambda step: self._take(low + (high - low) * step / self.STEPS)
        )
        self.track.sliderReleased.connect(self.released)
        self.track.reset.connect(self._reset)
        self.again.clicked.connect(self._reset)
        self.box.valueChanged.connect(lambda shown: self._take(shown / factor))
        self.dress(themes.LIGHT)
        self._show()

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.again.setIcon(themes.icon(self._icon_name, theme.soft, theme.rule))

    @property
    def value(self) -> float:
        return self._value

    def set_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        if value != self._value:
            self._value = value
            self._show()

    def _reset(self) -> None:
        self._take(self._default)
        self.released.emit()

    def set_mark(self, value: float, told: str) -> None:
        """Mark a value on the track."""
        self.track.mark = (value - self._low) / (self._high - self._low)
        self.track.setToolTip(tr("{told}. Double-click to reset", told=told))
        self.track.update()

    def _take(self, value: float) -> None:
        if self.whole:
            value = round(value)
        value = min(self._high, max(self._low, value))
        if value != self._value:
            self._value = value
            self._show()
            self.edited.emit(value)

    def _show(self) -> None:
        for control in (self.track, self.box):
            control.blockSignals(True)
        share = (self._value - self._low) / (self._high - self._low)
        self.track.setValue(round(share * self.STEPS))
        self.box.setValue(self._value * self._factor)
        for control in (self.track, self.box):
            control.blockSignals(False)
        self.again.setEnabled(self._value != self._default)
