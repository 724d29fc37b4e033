"""What the bench draws over the image: the x-ray's marks, the best places, the divider."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QImage, QPainter, QPen, QTransform

from nimble_tile.ui import theme as themes

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.scan.sampling import Sample
    from nimble_tile.ui.extras import Places


def paint_xray(
    painter: QPainter,
    frame: QRectF,
    where: QTransform | None,
    looked: Sample | None,
    theme: themes.Theme,
) -> None:
    """Veil the image and mark its wrong modules with crosses, weak ones with rings.

    Parameters
    ----------
    frame : QRectF
        The image on the bench.
    where : QTransform or None
        From modules of the symbol to the bench.
    looked : Sample or None
        Module by module truth; None while it is not known.
    """
    veil = QColor(theme.paper)
    veil.setAlphaF(0.55)
    painter.fillRect(frame, veil)
    if where is None or looked is None:
        return
    paint_modules(painter, where, looked.wrong, looked.weak, theme)


def paint_modules(
    painter: QPainter,
    where: QTransform,
    wrong: np.ndarray,
    weak: np.ndarray,
    theme: themes.Theme,
) -> None:
    """Three states: a dot where a module is right, a ring where weak, a cross where wrong.

    Parameters
    ----------
    where : QTransform
        From modules of the symbol to the widget.
    wrong, weak : ndarray of bool, n × n
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setTransform(where, combine=True)
    side = wrong.shape[0]
    painter.setPen(QPen(QColor(theme.edge), 0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(0, 0, side, side))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.well))
    for row, column in zip(*(~wrong & ~weak).nonzero(), strict=True):
        painter.drawEllipse(QPointF(column + 0.5, row + 0.5), 0.11, 0.11)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(theme.thin), 0.16))
    for row, column in zip(*weak.nonzero(), strict=True):
        painter.drawEllipse(QPointF(column + 0.5, row + 0.5), 0.28, 0.28)
    painter.setPen(QPen(QColor(theme.panel), 0.13))
    for row, column in zip(*wrong.nonzero(), strict=True):
        cell = QRectF(column + 0.06, row + 0.06, 0.88, 0.88)
        painter.fillRect(cell, QColor(theme.fails))
        inner = cell.adjusted(0.24, 0.24, -0.24, -0.24)
        painter.drawLine(inner.topLeft(), inner.bottomRight())
        painter.drawLine(inner.topRight(), inner.bottomLeft())
    painter.restore()


def paint_split(
    painter: QPainter, frame: QRectF, picture: QImage, share: float, theme: themes.Theme
) -> None:
    """The picture alone to the left of a divider."""
    left = QRectF(frame.left(), frame.top(), frame.width() * share, frame.height())
    painter.save()
    painter.setClipRect(left)
    painter.drawImage(frame, picture)
    painter.restore()
    x = left.right()
    for pen in (QPen(QColor("#ffffff"), 3), QPen(QColor(themes.LIGHT.accent), 1)):
        painter.setPen(pen)
        painter.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor("#ffffff"))
    middle = QPointF(x, frame.center().y())
    painter.drawEllipse(middle, 8, 8)
    for sign in (-1, 1):
        tip = middle + QPointF(5 * sign, 0)
        painter.drawLine(tip, tip + QPointF(-3 * sign, -3))
        painter.drawLine(tip, tip + QPointF(-3 * sign, 3))


def paint_places(
    painter: QPainter,
    frame: QRectF,
    places: Places,
    at: Callable[[float, float], QPointF],
    theme: themes.Theme,
) -> None:
    """Fog where the code's middle would cost the picture much, and the best places."""
    painter.drawImage(frame, places.fog)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(themes.font(15, QFont.Weight.Bold))
    accent = QColor(themes.LIGHT.accent)
    for number, region in reversed(list(enumerate(places.best, 1))):
        area = QRectF(at(region.x, region.y), at(region.x + region.width, region.y + region.height))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        dashed = Qt.PenStyle.SolidLine if number == 1 else Qt.PenStyle.DashLine
        painter.setPen(QPen(QColor("#ffffff"), 4))
        painter.drawRect(area)
        painter.setPen(QPen(accent, 1.5, dashed))
        painter.drawRect(area)
        badge = QRectF(area.left() + 6, area.top() + 6, 24, 24)
        painter.setPen(QPen(QColor("#ffffff"), 2))
        painter.setBrush(accent)
        painter.drawEllipse(badge)
        painter.drawText(badge, Qt.AlignmentFlag.AlignCenter, str(number))
    painter.restore()


def paint_hatch(painter: QPainter, frame: QRectF, theme: themes.Theme) -> None:
    """What shows through where the piece is transparent: paper with thin slanting lines."""
    painter.fillRect(frame, QColor("#ffffff"))
    painter.fillRect(frame, QBrush(QColor("#e2dccf"), Qt.BrushStyle.BDiagPattern))


def paint_picking(
    painter: QPainter, width: float, over: QPointF, colour: str | None, theme: themes.Theme
) -> None:
    """What to do while a colour is picked, and the colour under the pointer."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    line = QRectF(width / 2 - 150, 12, 300, 36)
    painter.setPen(QColor(theme.rule))
    painter.setBrush(QColor(theme.panel))
    painter.drawRoundedRect(line, 6, 6)
    painter.setPen(QColor(theme.ink))
    painter.setFont(themes.font(14))
    told = "Click a colour; Escape calls it off"
    painter.drawText(line, Qt.AlignmentFlag.AlignCenter, told)
    if colour is not None:
        painter.setPen(QPen(QColor("#ffffff"), 3))
        painter.setBrush(QColor(colour))
        painter.drawEllipse(over + QPointF(22, -22), 14, 14)


def paint_words(painter: QPainter, area: QRectF, text: str, colour: str, size: int = 17) -> None:
    """A line of words in the middle of an area."""
    painter.setPen(QColor(colour))
    painter.setFont(themes.font(size))
    painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)
