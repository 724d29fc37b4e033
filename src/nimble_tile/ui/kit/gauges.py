"""What is measured of a look, drawn: the finder's runs, and the contrast of its colours."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from nimble_tile.core.language import figure, tr
from nimble_tile.core.scan.contrast import DEFICIENCIES, Contrast
from nimble_tile.core.scan.finders import TOLERANCE, WAYS, Finders
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.kit.marks import paint_reader


class FinderGauge(QWidget):
    """The finder that is farthest off, its worst line, and the ratio of each way."""

    SIDE = 104

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.finders: Finders | None = None
        self._image: QImage | None = None
        self.setFixedHeight(self.SIDE + 4)
        self.setAccessibleName(tr("Run ratio of the finders"))

    def show_finders(self, finders: Finders | None) -> None:
        if finders is self.finders:
            return
        self.finders = finders
        self._image = None if finders is None else to_qimage(finders.image)
        if finders is not None:
            worst = finders.worst
            state = tr("holds") if finders.good else tr("is broken")
            self.setAccessibleDescription(
                tr(
                    "The ratio {state}: at worst {words} along a {way}",
                    state=state,
                    words=worst.words,
                    way=tr(worst.way),
                )
            )
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(240, self.SIDE + 4)

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.finders is None or self._image is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        theme = self.theme
        area = QRectF(0, 2, self.SIDE, self.SIDE)
        painter.fillRect(area, QColor("#ffffff"))
        painter.drawImage(area, self._image)
        self._paint_line(painter, area)
        left = self.SIDE + 12
        painter.setFont(themes.font(13))
        for index, way in enumerate(WAYS):
            line = self.finders.of_way(way)
            y = 4 + index * 26
            good = line.error <= TOLERANCE
            colour = QColor(theme.well if good else theme.fails)
            paint_reader(painter, QRectF(left, y + 3, 11, 11), good, colour)
            painter.setPen(QColor(theme.ink))
            name = {"row": tr("Rows"), "column": tr("Columns"),
                    "falling diagonal": tr("Diagonal ↘"),
                    "rising diagonal": tr("Diagonal ↗")}[way]  # fmt: skip
            painter.drawText(QPointF(left + 18, y + 12), name)
            painter.setPen(QColor(theme.soft if good else theme.fails))
            painter.drawText(QPointF(left + 18, y + 25), line.words)

    def _paint_line(self, painter: QPainter, area: QRectF) -> None:
        """The worst line, its worst run thicker."""
        worst = self.finders.worst
        module = area.width() / 9  # one module of margin on each side
        middle = area.center() + QPointF(0, 0)
        shift = worst.offset * module
        way = {"row": QPointF(1, 0), "column": QPointF(0, 1), "falling diagonal": QPointF(1, 1),
               "rising diagonal": QPointF(1, -1)}[worst.way]  # fmt: skip
        if worst.way == "row":
            middle += QPointF(0, shift)
        elif worst.way == "column":
            middle += QPointF(shift, 0)
        else:
            middle += QPointF(
                shift / 2, -shift / 2 if worst.way == "falling diagonal" else shift / 2
            )
        start, end = middle - way * 3.5 * module, middle + way * 3.5 * module
        colour = QColor(self.theme.well if self.finders.good else "#d6402a")
        painter.setPen(QPen(colour, 1.5))
        painter.drawLine(start, end)
        if worst.runs and not self.finders.good:
            total, before = sum(worst.runs), sum(worst.runs[: worst.worst])
            a = start + (end - start) * (before / total)
            b = start + (end - start) * ((before + worst.runs[worst.worst]) / total)
            painter.setPen(QPen(QBrush(colour), 5, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            painter.drawLine(a, b)


class ContrastGauge(QWidget):
    """Grade, figures, red light, and three ways of seeing colour."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.contrast: Contrast | None = None
        self._views: dict[str, QImage] = {}
        self.setFixedHeight(186)
        self.setAccessibleName(tr("Contrast"))

    def show_contrast(self, contrast: Contrast | None, views: dict[str, np.ndarray]) -> None:
        self.contrast = contrast
        self._views = {name: to_qimage(view) for name, view in views.items()}
        if contrast is not None:
            self.setAccessibleDescription(
                tr(
                    "Grade {grade}, reflectance difference {difference:.2f}, ratio "
                    "{ratio:.1f} to 1, in red light grade {red_grade}",
                    grade=contrast.grade,
                    difference=abs(contrast.difference),
                    ratio=contrast.ratio,
                    red_grade=contrast.red_grade,
                )
                + (tr(", light on dark") if contrast.inverted else "")
            )
        self.update()

    def _pair(self, painter: QPainter, area: QRectF, dark: str, light: str) -> None:
        """A light square with a dark one in it."""
        painter.setPen(QPen(QColor(self.theme.edge), 1))
        painter.setBrush(QColor(light))
        painter.drawRoundedRect(area, 4, 4)
        inset = area.width() * 0.28
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(dark))
        painter.drawRect(area.adjusted(inset, inset, -inset, -inset))

    def paintEvent(self, event: QPaintEvent) -> None:
        found = self.contrast
        if found is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        self._pair(painter, QRectF(0.5, 0.5, 56, 56), found.dark, found.light)
        grade = "A" if found.grade == "A" else found.grade
        colour = theme.well if grade in "AB" else theme.thin if grade == "C" else theme.fails
        if found.inverted:
            colour = theme.fails
        painter.setFont(themes.font(38, QFont.Weight.Bold))
        painter.setPen(QColor(colour))
        painter.drawText(QRectF(66, 0, 34, 56), Qt.AlignmentFlag.AlignCenter, grade)
        painter.setFont(themes.font(13))
        lines = (
            (tr("Light on dark") if found.inverted else tr("Symbol contrast"),
             f"{_down(found.difference)}"),
            (tr("Ratio"), f"{figure(found.ratio, '.1f')} : 1"),
            (tr("In red light"), f"{found.red_grade}, {_down(found.red)}"),
        )  # fmt: skip
        for index, (name, value) in enumerate(lines):
            y = 1 + index * 19
            low = index == 2 and found.red_grade in "DF"
            painter.setPen(QColor(theme.soft))
            painter.drawText(QRectF(108, y, 96, 18), Qt.AlignmentFlag.AlignVCenter, name)
            painter.setPen(QColor(theme.fails if low else theme.ink))
            painter.drawText(
                QRectF(108, y, self.width() - 108, 18),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, value,
            )  # fmt: skip
        painter.setPen(QColor(theme.soft))
        painter.drawText(QRectF(0, 62, self.width(), 18), Qt.AlignmentFlag.AlignVCenter,
                         tr("As seen with a colour vision deficiency"))  # fmt: skip
        step = self.width() / 3
        for index, name in enumerate(DEFICIENCIES):
            _, _, ratio = found.seen_with(name)
            left = index * step
            if name in self._views:
                painter.drawImage(QRectF(left, 84, 64, 64), self._views[name])
            painter.setPen(QColor(theme.ink))
            painter.drawText(QRectF(left, 150, step, 18), Qt.AlignmentFlag.AlignVCenter,
                             f"{figure(ratio, '.1f')} : 1")  # fmt: skip
            painter.setPen(QColor(theme.soft))
            painter.drawText(QRectF(left, 166, step, 18), Qt.AlignmentFlag.AlignVCenter, tr(name))


def _down(value: float) -> str:
    """Two decimals, never rounded up across the limit of a grade."""
    return figure(int(abs(value) * 100 + 1e-6) / 100, ".2f")
