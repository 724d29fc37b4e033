"""A camera frame large, with what is known module by module, and its readers."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import (
    QColor,
    QImage,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTransform,
)
from PySide6.QtWidgets import (
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.ui.bench.overlays import paint_modules, veil
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.kit.marks import paint_reader

if TYPE_CHECKING:
    from nimble_tile.core.trials.room import Result
    from nimble_tile.core.trials.why import Cause, Why


class FrameCanvas(QWidget):
    """The frame, with what is known module by module."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.setMinimumSize(200, 160)
        self.setAccessibleName(tr("Camera frame"))
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
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, tr("Looking into this trial…")
            )
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
            veil(painter, area, self.theme)
            sample = self._why.sample
            paint_modules(painter, where, sample.wrong, sample.weak, self.theme)
        elif self.way == "blame":
            veil(painter, area, self.theme)
            self._blame(painter, where)
        if self.cause is not None and where is not None:
            self._cause(painter, where)
        if self.stale:
            old = QColor(self.theme.bench)
            old.setAlphaF(0.5)
            painter.fillRect(seen, old)

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
    "logo": ("disc", "#6a4a8c", tr("logo")),
    "caption": ("bar", "#8c4a6a", tr("caption")),
    "picture": ("slash", "#9a2a1c", tr("picture")),
    "blend": ("cross", "#8a5200", tr("blend")),
    "look": ("cross", "#8a5200", tr("shapes or colours")),
    "situation": ("dot", "#56606b", tr("the situation, plain modules too")),
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
    """Which readers read the piece, and which the usual code."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.result: Result | None = None
        self.stale = False
        self.setFixedHeight(46)
        self.setAccessibleName(tr("Readers of this trial"))

    def take(self, result: Result | None) -> None:
        self.result = result
        if result is not None:
            told, usual = (
                [tr("{name} read", name=n) if ok else tr("{name} did not", name=n)
                 for n, ok in readers.read.items()]
                for readers in (result.passed, result.usual)
            )  # fmt: skip
            self.setAccessibleDescription(
                tr(
                    "This piece: {told}. Usual code: {usual}.",
                    told=", ".join(told),
                    usual=", ".join(usual),
                )
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.result is None:
            return
        painter = QPainter(self)
        theme = self.theme
        painter.setFont(themes.font(14))
        for row, (title, passed) in enumerate(
            ((tr("This piece"), self.result.passed), (tr("Usual code"), self.result.usual))
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
