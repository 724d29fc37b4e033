"""The verdict's shapes: told apart without colour."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

TRIAL_SHAPES = {"passed": "well", "partly": "thin", "failed": "fails", "void": "void"}
"""The verdict's shape that each state of a trial wears."""


def paint_verdict(painter: QPainter, area: QRectF, state: str, colour: QColor, on: QColor) -> None:
    """Draw a verdict's shape.

    "well": a disc with a tick; "thin": a triangle standing on its base with a
    bar; "fails": a square with a slash through; anything else: an open ring.
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    side = min(area.width(), area.height())
    centre = area.center()
    pen = QPen(on, side * 0.1, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap,
               Qt.PenJoinStyle.RoundJoin)  # fmt: skip
    half = side / 2

    def at(x: float, y: float) -> QPointF:
        return QPointF(centre.x() + x * half, centre.y() + y * half)

    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    if state == "well":
        painter.drawEllipse(centre, half, half)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([at(-0.42, 0.04), at(-0.1, 0.36), at(0.46, -0.32)]))
    elif state == "thin":
        path = QPainterPath()
        path.addPolygon(QPolygonF([at(0, -0.92), at(1, 0.84), at(-1, 0.84), at(0, -0.92)]))
        painter.drawPath(path)
        painter.setPen(pen)
        painter.drawLine(at(0, -0.28), at(0, 0.22))
        painter.drawPoint(at(0, 0.56))
    elif state == "fails":
        painter.drawRect(QRectF(at(-0.86, -0.86), at(0.86, 0.86)))
        painter.setPen(pen)
        painter.drawLine(at(-0.42, -0.42), at(0.42, 0.42))
        painter.drawLine(at(-0.42, 0.42), at(0.42, -0.42))
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, side * 0.09))
        painter.drawEllipse(centre, half * 0.86, half * 0.86)
    painter.restore()


def paint_reader(painter: QPainter, area: QRectF, read: bool | None, colour: QColor) -> None:
    """Draw a reader's mark: filled square = read, empty = did not, dash = cannot."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    side = min(area.width(), area.height())
    box = QRectF(0, 0, side, side)
    box.moveCenter(area.center())
    if read is None:
        painter.setPen(QPen(colour, 2))
        painter.drawLine(
            QPointF(box.left() + 1, box.center().y()), QPointF(box.right() - 1, box.center().y())
        )
    elif read:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawRoundedRect(box, 2, 2)
    else:
        inner = box.adjusted(0.75, 0.75, -0.75, -0.75)
        painter.setPen(QPen(colour, 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(inner, 2, 2)
        painter.drawLine(inner.bottomLeft(), inner.topRight())
    painter.restore()
