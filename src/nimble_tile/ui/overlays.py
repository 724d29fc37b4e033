"""What the bench draws over the image: the x-ray's marks and the code's handles."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QTransform

from nimble_tile.ui import theme as themes

if TYPE_CHECKING:
    from nimble_tile.core.scan.sampling import Sample

KNOB = 10
"""Side of a handle, in screen pixels."""

CURSORS = {
    "code": Qt.CursorShape.SizeAllCursor,
    "top left": Qt.CursorShape.SizeFDiagCursor,
    "bottom right": Qt.CursorShape.SizeFDiagCursor,
    "top right": Qt.CursorShape.SizeBDiagCursor,
    "bottom left": Qt.CursorShape.SizeBDiagCursor,
}
"""Pointers over the parts of the code."""


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
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setTransform(where, combine=True)
    side = looked.wrong.shape[0]
    painter.setPen(QPen(QColor(theme.edge), 0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(0, 0, side, side))
    wrong, weak = QColor(theme.fails), QColor(theme.thin)
    painter.setPen(QPen(weak, 0.16))
    for row, column in zip(*looked.weak.nonzero(), strict=True):
        painter.drawEllipse(QPointF(column + 0.5, row + 0.5), 0.28, 0.28)
    painter.setPen(QPen(QColor(theme.panel), 0.13))
    for row, column in zip(*looked.wrong.nonzero(), strict=True):
        cell = QRectF(column + 0.06, row + 0.06, 0.88, 0.88)
        painter.fillRect(cell, wrong)
        inner = cell.adjusted(0.24, 0.24, -0.24, -0.24)
        painter.drawLine(inner.topLeft(), inner.bottomRight())
        painter.drawLine(inner.topRight(), inner.bottomLeft())
    painter.restore()


def corners(area: QRectF) -> dict[str, QPointF]:
    """Corners of the code's area by name."""
    return {
        "top left": area.topLeft(),
        "top right": area.topRight(),
        "bottom left": area.bottomLeft(),
        "bottom right": area.bottomRight(),
    }


def paint_handles(painter: QPainter, area: QRectF | None) -> None:
    """Draw the code's outline and its four handles, visible on any picture."""
    if area is None:
        return
    painter.save()
    light, dark = QColor("#ffffff"), QColor(themes.LIGHT.accent)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(light, 3))
    painter.drawRect(area)
    painter.setPen(QPen(dark, 1))
    painter.drawRect(area)
    painter.setPen(QPen(dark, 1.5))
    painter.setBrush(light)
    for corner in corners(area).values():
        painter.drawRect(QRectF(corner.x() - KNOB / 2, corner.y() - KNOB / 2, KNOB, KNOB))
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
