"""One trial seen large: the camera frame, who read it, and why it failed."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QImage,
    QKeyEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTransform,
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

from nimble_tile.ui import theme as themes
from nimble_tile.ui.controls import Segments, rule, soft
from nimble_tile.ui.engine import to_qimage
from nimble_tile.ui.overlays import paint_modules
from nimble_tile.ui.shapes import paint_reader

if TYPE_CHECKING:
    from nimble_tile.core.trials.room import Result
    from nimble_tile.core.trials.trial import Trial
    from nimble_tile.core.trials.why import Cause, Why


def in_words(trial: Trial) -> str:
    """The parameters of a trial that are out of the ordinary, for people to read."""
    shown, view, camera, light = trial.shown, trial.view, trial.camera, trial.light
    before, wear = trial.before, trial.wear
    size = "own size" if shown.size is None else f"{shown.size:g} mm"
    told = [f"{size} on {shown.medium}, from {view.distance:g} mm"]
    tilt = math.hypot(view.sideways, view.lengthways)
    extras = (
        (tilt, f"tilted {tilt:.0f}°"),
        (view.turn, f"turned {abs(view.turn):g}°"),
        (light.lux != 500, f"{light.lux:g} lx"),
        (light.kelvin != 5500, f"{light.kelvin:g} K"),
        (light.falloff, f"light falls by {light.falloff:.0%}"),
        (light.shadow, f"shadow {light.shadow:.0%}"),
        (light.glare, f"glare {light.glare:.0%}"),
        (camera.blur > 0.5, f"blur {camera.blur:g} px"),
        (camera.motion, f"motion {camera.motion:g} px"),
        (camera.exposure, f"exposure {camera.exposure:+g}"),
        (camera.pixels != 1440, f"camera {camera.pixels} px wide"),
        (camera.noise != 1, f"noise × {camera.noise:g}"),
        (before.shrink is not None, f"shrunk to {before.shrink} px"),
        (before.jpeg is not None, f"JPEG {before.jpeg}"),
        (before.jpeg is not None and before.times > 1, f"{before.times} times"),
        (before.dot_gain, f"dot gain {before.dot_gain:.0%}"),
        (before.paper < 0.8 and shown.medium == "paper", f"paper {before.paper:.0%}"),
        (wear.smudge, f"{wear.smudge:.1%} smudged"),
        (wear.crumple, f"crumpled {wear.crumple:.0%}"),
        (wear.fold, f"folded {wear.fold:g}°"),
    )
    return ", ".join(told + [text for on, text in extras if on])


class FrameCanvas(QWidget):
    """The frame, with what is known module by module."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.setMinimumSize(200, 160)
        self.setAccessibleName("Camera frame")
        self._image: QImage | None = None
        self._why: Why | None = None
        self.way = "frame"
        self.cause: Cause | None = None
        self.stale = False

    def take(self, why: Why | None) -> None:
        """Show a frame; None: it is being worked out."""
        self._why = why
        self.cause = None
        self._image = None if why is None else to_qimage(why.frame.image)
        self.update()

    def look(self, way: str) -> None:
        """``"frame"``, ``"x-ray"`` or ``"blame"``."""
        self.way = way
        self.update()

    def point_at(self, cause: Cause | None) -> None:
        """Show where a cause is."""
        self.cause = cause
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        if self._image is None:
            painter.setPen(QColor(self.theme.soft))
            painter.setFont(themes.font(16))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Looking into this trial…")
            return
        room = QRectF(self.rect()).adjusted(12, 12, -12, -12)
        part = self._part()
        scale = min(room.width() / part.width(), room.height() / part.height())
        seen = QRectF(0, 0, part.width() * scale, part.height() * scale)
        seen.moveCenter(room.center())
        painter.setClipRect(seen)
        # Where the whole frame would lie.
        corner = seen.topLeft() - part.topLeft() * scale
        area = QRectF(corner, QSizeF(self._image.width() * scale, self._image.height() * scale))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 3)
        painter.drawImage(area, self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        where = self._modules(area, scale)
        if where is None:
            pass  # its horizon is in sight: there is no plane to draw on
        elif self.way == "x-ray":
            veil = QColor(self.theme.paper)
            veil.setAlphaF(0.5)
            painter.fillRect(area, veil)
            sample = self._why.sample
            paint_modules(painter, where, sample.wrong, sample.weak, self.theme)
        elif self.way == "blame":
            veil = QColor(self.theme.paper)
            veil.setAlphaF(0.5)
            painter.fillRect(area, veil)
            self._blame(painter, where)
        if self.cause is not None and where is not None:
            self._cause(painter, where)
        if self.stale:
            veil = QColor(self.theme.bench)
            veil.setAlphaF(0.5)
            painter.fillRect(seen, veil)

    def _part(self) -> QRectF:
        """What of the frame is shown: all of it, or the code where its modules are looked at."""
        whole = QRectF(self._image.rect())
        if self.way == "frame" and self.cause is None:
            return whole
        where = self._modules(whole, 1.0)
        if where is None:
            return whole
        side = self._why.sample.wrong.shape[0]
        code = where.mapRect(QRectF(0, 0, side, side))
        more = 0.16 * max(code.width(), code.height())
        return code.adjusted(-more, -more, more, more).intersected(whole)

    def _modules(self, area: QRectF, scale: float) -> QTransform | None:
        """From modules of the symbol to the widget."""
        m = self._why.frame.matrix
        side = self._why.sample.wrong.shape[0]
        corners = []
        for x, y in ((0, 0), (side, 0), (side, side), (0, side)):
            u, v, w = m @ (x, y, 1)
            if w <= 0:
                return None
            corners.append(QPointF(area.left() + scale * u / w, area.top() + scale * v / w))
        square = QPolygonF([QPointF(0, 0), QPointF(side, 0), QPointF(side, side), QPointF(0, side)])
        made = QTransform()
        return made if QTransform.quadToQuad(square, QPolygonF(corners), made) else None

    def _blame(self, painter: QPainter, where: QTransform) -> None:
        painter.save()
        painter.setTransform(where, combine=True)
        painter.setFont(themes.font(1))
        for name, mask in self._why.faults.items():
            letter, colour = BLAMED[name][0], QColor(BLAMED[name][1])
            for row, column in zip(*mask.nonzero(), strict=True):
                cell = QRectF(column + 0.04, row + 0.04, 0.92, 0.92)
                painter.fillRect(cell, colour)
                painter.setPen(QPen(QColor("#ffffff"), 0.12))
                _sign(painter, letter, cell)
        painter.restore()

    def _cause(self, painter: QPainter, where: QTransform) -> None:
        cause = self.cause
        for colour, width in ((QColor("#ffffff"), 5), (QColor(themes.LIGHT.fails), 2.5)):
            pen = QPen(colour, width)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if cause.area is not None:
                painter.drawPolygon(where.map(QPolygonF(QRectF(*cause.area))))
            elif cause.modules is not None:
                for row, column in zip(*cause.modules.nonzero(), strict=True):
                    cell = QRectF(column, row, 1, 1)
                    painter.drawPolygon(where.map(QPolygonF(cell)))


BLAMED = {
    "logo": ("disc", "#6a4a8c", "logo"),
    "caption": ("bar", "#8c4a6a", "caption"),
    "picture": ("slash", "#9a2a1c", "picture"),
    "blend": ("cross", "#8a5200", "blend"),
    "look": ("cross", "#8a5200", "shapes or colours"),
    "situation": ("dot", "#56606b", "the situation, plain code too"),
}
"""Sign, colour and name of whose fault a wrong module is."""


def _sign(painter: QPainter, sign: str, cell: QRectF) -> None:
    inner = cell.adjusted(0.24, 0.24, -0.24, -0.24)
    if sign == "disc":
        painter.drawEllipse(inner)
    elif sign == "bar":
        middle = inner.center()
        painter.drawLine(QPointF(inner.left(), middle.y()), QPointF(inner.right(), middle.y()))
    elif sign == "dot":
        painter.drawPoint(inner.center())
    else:
        painter.drawLine(inner.bottomLeft(), inner.topRight())
        if sign == "cross":
            painter.drawLine(inner.topLeft(), inner.bottomRight())


class ReaderRow(QWidget):
    """Which readers read the piece, and which plain code."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.result: Result | None = None
        self.stale = False
        self.setFixedHeight(46)
        self.setAccessibleName("Readers of this trial")

    def take(self, result: Result | None) -> None:
        self.result = result
        if result is not None:
            told = [f"{n} {'read' if ok else 'did not'}" for n, ok in result.passed.read.items()]
            plain = [f"{n} {'read' if ok else 'did not'}" for n, ok in result.plain.read.items()]
            self.setAccessibleDescription(
                f"This piece: {', '.join(told)}. Plain code: {', '.join(plain)}."
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.result is None:
            return
        painter = QPainter(self)
        theme = self.theme
        painter.setFont(themes.font(14))
        for row, (title, passed) in enumerate(
            (("This piece", self.result.passed), ("Plain code", self.result.plain))
        ):
            y = row * 22
            painter.setPen(QColor(theme.soft))
            area = QRectF(0, y, 90, 20)
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, title)
            for index, (name, ok) in enumerate(passed.read.items()):
                x = 94 + index * 100
                colour = QColor(theme.well if ok else theme.fails)
                if self.stale:
                    colour = QColor(theme.soft)
                paint_reader(painter, QRectF(x, y + 4, 12, 12), ok, colour)
                painter.setPen(QColor(theme.ink))
                area = QRectF(x + 18, y, 80, 20)
                painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, name)


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
        self.setAccessibleName("One trial")
        self.trial: Trial | None = None
        self.why: Why | None = None
        self._theme = themes.LIGHT
        self.title, self.detail = QLabel(), soft()
        self.title.setFont(themes.font(20, QFont.Weight.Bold))
        self.title.setStyleSheet("font-size: 20px; font-weight: 700;")
        self.back = QPushButton("Back to the bench")
        self.before, self.after = QToolButton(), QToolButton()
        for button, name in ((self.before, "Trial before"), (self.after, "Next trial")):
            button.setAccessibleName(name)
            button.setToolTip(name)
        self.canvas = FrameCanvas()
        self.way = Segments(
            "Camera frame",
            [
                ("frame", "Frame", "What the readers were shown"),
                ("x-ray", "X-ray", "Modules that read right, weakly and wrongly in this frame"),
                ("blame", "Whose fault", "Each wrong module by what is to blame for it"),
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
            text = " &nbsp; ".join(parts) or "No module is wrong here"
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
            self._causes.addWidget(soft("Nothing stands in the way here."))
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
        self.setToolTip("Show where" if has_place else "")
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
