"""Editing a fill: kind, colours, gradient stops, angle, picture."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr, within
from nimble_tile.core.look import MOST_STOPS, Fill, Stop
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.colours import Swatch
from nimble_tile.ui.kit.controls import Choice, Slider, row, soft
from nimble_tile.ui.work.colour_desk import ColourDesk

FILL_KINDS = (
    ("solid", tr("One colour")), ("linear", tr("Linear gradient")),
    ("radial", tr("Radial gradient")),
    ("picture", tr("Picture")), ("stripes", tr("Stripes")), ("dots", tr("Dots")),
    ("weave", tr("Weave")),
)  # fmt: skip
PATTERNS = ("stripes", "dots", "weave")


class GradientBar(QWidget):
    """Stops of a gradient: drag them, click beside them to add, Delete takes one away.

    Signals
    -------
    changed : tuple of Stop
    settled
    chosen : int
        Another stop is the current one.
    """

    changed = Signal(object)
    settled = Signal()
    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.stops: tuple[Stop, ...] = ()
        self.current = 0
        self._dragging = False
        self.setFixedHeight(40)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Stops of the gradient"))
        self.setToolTip(tr("Click the band to add a stop; Delete or a drag far off takes one away"))

    def set_stops(self, stops: tuple[Stop, ...]) -> None:
        self.stops = stops
        self.current = min(self.current, len(stops) - 1)
        self.setAccessibleDescription(
            tr(
                "{stops} stops, number {current} is chosen",
                stops=len(stops),
                current=self.current + 1,
            )
        )
        self.update()

    def _band(self) -> QRectF:
        return QRectF(8, 4, self.width() - 16, 16)

    def _x(self, stop: Stop) -> float:
        band = self._band()
        return band.left() + stop.offset * band.width()

    def _offset(self, x: float) -> float:
        band = self._band()
        return min(1.0, max(0.0, (x - band.left()) / band.width()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        near = min(range(len(self.stops)), key=lambda i: abs(self._x(self.stops[i]) - at.x()))
        if abs(self._x(self.stops[near]) - at.x()) <= 7:
            self.current, self._dragging = near, True
            self.chosen.emit(near)
            self.update()
        elif len(self.stops) < MOST_STOPS:
            self._add(self._offset(at.x()))
            self._dragging = True

    def _add(self, offset: float) -> None:
        made = Stop(offset=round(offset, 4), colour=_between(self.stops, offset))
        stops = sorted([*self.stops, made], key=lambda stop: stop.offset)
        self.current = stops.index(made)
        self._tell(tuple(stops))
        self.chosen.emit(self.current)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self._dragging:
            return
        at = event.position()
        if abs(at.y() - self.height() / 2) > 60 and len(self.stops) > 2:
            self._dragging = False
            self.remove()
            return
        self.move_to(self._offset(at.x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self.settled.emit()

    def move_to(self, offset: float) -> None:
        """Move the current stop; it may pass its neighbours."""
        moved = self.stops[self.current].model_copy(update={"offset": round(offset, 4)})
        rest = [stop for i, stop in enumerate(self.stops) if i != self.current]
        stops = sorted([*rest, moved], key=lambda stop: stop.offset)
        self.current = next(i for i, stop in enumerate(stops) if stop is moved)
        self._tell(tuple(stops))

    def remove(self) -> None:
        """Take the current stop away; two are the least."""
        if len(self.stops) > 2:
            stops = tuple(stop for i, stop in enumerate(self.stops) if i != self.current)
            self.current = min(self.current, len(stops) - 1)
            self._tell(stops)
            self.chosen.emit(self.current)
            self.settled.emit()

    def recolour(self, colour: str) -> None:
        """Another colour for the current stop."""
        stops = list(self.stops)
        stops[self.current] = stops[self.current].model_copy(update={"colour": colour})
        self._tell(tuple(stops))

    def _tell(self, stops: tuple[Stop, ...]) -> None:
        self.set_stops(stops)
        self.changed.emit(stops)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}
        turns = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event.key() in steps:
            self.move_to(min(1.0, max(0.0, self.stops[self.current].offset + steps[event.key()])))
        elif event.key() in turns:
            self.current = (self.current + turns[event.key()]) % len(self.stops)
            self.set_stops(self.stops)
            self.chosen.emit(self.current)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif event.key() == Qt.Key.Key_Insert and len(self.stops) < MOST_STOPS:
            self._add(0.5)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event) -> None:
        self.update()

    def focusOutEvent(self, event) -> None:
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        band = self._band()
        gradient = QLinearGradient(band.topLeft(), band.topRight())
        for stop in self.stops:
            gradient.setColorAt(stop.offset, QColor(stop.colour))
        painter.setPen(QPen(QColor(self.theme.edge), 1))
        painter.setBrush(gradient)
        painter.drawRoundedRect(band, 4, 4)
        for index, stop in enumerate(self.stops):
            here = index == self.current
            x = self._x(stop)
            ring = QColor(self.theme.accent if here else self.theme.edge)
            painter.setPen(QPen(ring, 2.5 if here else 1))
            painter.setBrush(QColor(stop.colour))
            painter.drawEllipse(QPointF(x, 30), 6, 6)
            painter.drawLine(QPointF(x, 20), QPointF(x, 24))
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.accent), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))


def _between(stops: tuple[Stop, ...], offset: float) -> str:
    """Colour of a gradient at an offset."""
    before = max((s for s in stops if s.offset <= offset), key=lambda s: s.offset, default=stops[0])
    after = min((s for s in stops if s.offset >= offset), key=lambda s: s.offset, default=stops[-1])
    span = after.offset - before.offset
    share = (offset - before.offset) / span if span > 0 else 0
    a, b = QColor(before.colour), QColor(after.colour)
    mixed = [
        round(x + (y - x) * share) for x, y in zip(a.getRgb()[:3], b.getRgb()[:3], strict=True)
    ]
    return QColor(*mixed).name()


class FillEditor(QWidget):
    """Settings of one fill.

    Signals
    -------
    changed : Fill or None, str
        The new fill, and a key for changes that belong together.
    settled
        A gesture is over.
    picture_wanted
        The person wants to choose a picture.
    """

    changed = Signal(object, str)
    settled = Signal()
    picture_wanted = Signal()

    def __init__(self, title: str, none: str, desk: ColourDesk) -> None:
        """`none` names the state without a fill of its own; empty: there is none."""
        super().__init__()
        self._title, self._none, self._desk = title, none, desk
        self.fill: Fill | None = Fill()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        options = [("none", none), *FILL_KINDS] if none else list(FILL_KINDS)
        self.kind = Choice(tr("{title}: fill", title=title), options)
        self.kind.chosen.connect(self._choose)
        self.first, self.second = (
            Swatch(tr("{title}: colour", title=title)),
            Swatch(tr("{title}: second colour", title=title)),
        )
        self.first.wanted.connect(lambda: self._open(self.first, "colour"))
        self.second.wanted.connect(lambda: self._open(self.second, "second"))
        self.stop = Swatch(tr("{title}: colour of the stop", title=title))
        self.stop.wanted.connect(self._open_stop)
        self.bar = GradientBar()
        self.bar.changed.connect(lambda stops: self._change("stops", stops=stops))
        self.bar.settled.connect(self.settled)
        self.bar.chosen.connect(lambda _: self._show_stop())
        self.less = QPushButton(tr("Take the stop away"))
        self.less.setProperty("flat", True)
        self.less.clicked.connect(self.bar.remove)
        self.angle = Slider(tr("Angle"), -180, 180, 45, "°")
        self.angle.edited.connect(lambda v: self._change("angle", angle=round(v, 1)))
        self.across = Slider(tr("Centre across"), 0, 1, 0.5, "%", factor=100)
        self.down = Slider(tr("Centre down"), 0, 1, 0.5, "%", factor=100)
        for slider in (self.across, self.down):
            slider.edited.connect(
                lambda _: self._change("centre", centre=(self.across.value, self.down.value))
            )
        self.radius = Slider(tr("Radius"), 0.05, 2, 0.7, "%", factor=100)
        self.radius.edited.connect(lambda v: self._change("radius", radius=round(v, 3)))
        self.tile = Slider(tr("Repeat"), 0.02, 1, 1, "%", factor=100)
        self.tile.edited.connect(lambda v: self._change("tile", tile=round(v, 3)))
        for slider in (self.angle, self.across, self.down, self.radius, self.tile):
            slider.released.connect(self.settled)
        self.picture = QPushButton(tr("Choose a picture…"))
        self.picture.clicked.connect(self.picture_wanted)
        self.picture_name = soft()
        layout.addWidget(self.kind)
        self._swatches = QWidget()
        self._swatches.setLayout(row(self.first, self.second, 1))
        self._stops = QWidget()
        stops = QVBoxLayout(self._stops)
        stops.setContentsMargins(0, 0, 0, 0)
        stops.setSpacing(4)
        stops.addWidget(self.bar)
        stops.addLayout(row(self.stop, self.less, 1))
        for widget in (self._swatches, self._stops, self.picture, self.picture_name, self.angle,
                       self.across, self.down, self.radius, self.tile):  # fmt: skip
            layout.addWidget(widget)

    # Showing ---------------------------------------------------------------

    def show_fill(self, fill: Fill | None) -> None:
        """Show a fill without telling anyone."""
        self.fill = fill
        kind = "none" if fill is None else fill.kind
        self.kind.set_value(kind)
        shown = fill or Fill()
        self.first.set_colour(shown.colour)
        self.second.set_colour(shown.second)
        self.bar.set_stops(shown.stops)
        self._show_stop()
        self.angle.set_value(shown.angle)
        self.across.set_value(shown.centre[0])
        self.down.set_value(shown.centre[1])
        self.radius.set_value(shown.radius)
        self.tile.set_value(shown.tile)
        self.picture_name.setText(shown.name)
        for widget, kinds in (
            (self._swatches, ("solid", *PATTERNS)), (self.second, PATTERNS),
            (self._stops, ("linear", "radial")), (self.angle, ("linear", *PATTERNS)),
            (self.across, ("radial",)), (self.down, ("radial",)), (self.radius, ("radial",)),
            (self.tile, ("picture", *PATTERNS)), (self.picture, ("picture",)),
            (self.picture_name, ("picture",)),
        ):  # fmt: skip
            widget.setVisible(kind in kinds)

    def _show_stop(self) -> None:
        if self.bar.stops:
            self.stop.set_colour(self.bar.stops[self.bar.current].colour)
            self.less.setEnabled(len(self.bar.stops) > 2)
            self.less.setToolTip(
                "" if len(self.bar.stops) > 2 else tr("A gradient needs two stops")
            )

    # Edits -----------------------------------------------------------------

    def _change(self, key: str, **changes: object) -> None:
        if self.fill is None:
            return
        self.changed.emit(Fill.model_validate({**dict(self.fill), **changes}), key)

    def _choose(self, kind: str) -> None:
        if kind == "none":
            self.changed.emit(None, "")
        elif kind == "picture" and (self.fill is None or self.fill.digest is None):
            self.kind.set_value("none" if self.fill is None else self.fill.kind)
            self.picture_wanted.emit()
        else:
            self.changed.emit(self._as(kind), "")

    def _as(self, kind: str) -> Fill:
        """The fill as another kind, keeping the colours that it has."""
        old = self.fill or Fill()
        changes: dict[str, object] = {"kind": kind}
        if kind in ("linear", "radial") and old.kind not in ("linear", "radial"):
            other = QColor(old.colour)
            light = other.lightnessF() > 0.5
            other = other.darker(112) if light else other.lighter(160)
            if not light and other == QColor(old.colour):
                other = QColor("#1d5740")
            changes["stops"] = (
                Stop(offset=0, colour=old.colour), Stop(offset=1, colour=other.name())
            )  # fmt: skip
        elif kind not in ("linear", "radial") and old.kind in ("linear", "radial"):
            changes["colour"] = old.stops[0].colour
        if kind in PATTERNS:
            if old.tile > 0.5:
                changes["tile"] = 0.08
            colour = QColor(str(changes.get("colour", old.colour)))
            light = colour.lightnessF() > 0.5
            changes["second"] = (colour.darker(108) if light else colour.lighter(170)).name()
        if kind == "picture" and old.tile < 1 and old.kind in PATTERNS:
            changes["tile"] = 1.0
        return Fill.model_validate({**dict(old), **changes})

    def take_picture(self, digest: str, name: str) -> None:
        """Fill with a picture of the store."""
        old = self.fill or Fill()
        changes = {"kind": "picture", "digest": digest, "name": name, "tile": 1.0}
        self.changed.emit(Fill.model_validate({**dict(old), **changes}), "")

    def _open(self, swatch: Swatch, field: str) -> None:
        self._desk.open(
            swatch, self._title, lambda c: self._change(field, **{field: c}), self.settled.emit
        )

    def _open_stop(self) -> None:
        title = tr("{title}, stop {current}", title=self._title, current=self.bar.current + 1)
        self._desk.open(self.stop, title, self.bar.recolour, self.settled.emit)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.bar.theme = theme
        self.bar.update()
        for slider in self.findChildren(Slider):
            slider.dress(theme)


def fill_words(fill: Fill | None, none: str) -> str:
    """A fill in a few words."""
    if fill is None:
        return none
    if fill.kind == "solid":
        return fill.colour
    if fill.kind in ("linear", "radial"):
        return tr(
            "{kind}, {stops} stops", kind=within(dict(FILL_KINDS)[fill.kind]), stops=len(fill.stops)
        )
    return within(dict(FILL_KINDS)[fill.kind])
