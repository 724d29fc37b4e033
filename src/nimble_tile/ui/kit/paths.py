"""The core's paths and fills as Qt paints them, for small pictures in the ladder."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QBrush, QColor, QLinearGradient, QPainter, QPainterPath, QRadialGradient

from nimble_tile.core.look import Fill
from nimble_tile.core.symbol.looks.drawing import Layer
from nimble_tile.core.symbol.looks.paths import Path


def to_painter_path(path: Path) -> QPainterPath:
    """The path as Qt knows it."""
    from PySide6.QtCore import Qt

    made = QPainterPath()
    made.setFillRule(Qt.FillRule.OddEvenFill if path.even_odd else Qt.FillRule.WindingFill)
    x = y = 0.0
    for op in path.ops:
        kind = op[0]
        if kind == "M":
            made.moveTo(op[1], op[2])
        elif kind == "L":
            made.lineTo(op[1], op[2])
        elif kind == "C":
            made.cubicTo(*op[1:])
        elif kind == "A":
            _arc(made, x, y, *op[1:])
        else:
            made.closeSubpath()
            continue
        x, y = op[-2], op[-1]
    return made


def _arc(made: QPainterPath, x0: float, y0: float, radius: float, sweep: int,
         x1: float, y1: float) -> None:  # fmt: skip
    """A circular arc of at most half a turn, by its end points."""
    dx, dy = x1 - x0, y1 - y0
    chord = math.hypot(dx, dy)
    if chord == 0:
        return
    radius = max(radius, chord / 2)
    height = math.sqrt(max(0.0, radius**2 - (chord / 2) ** 2))
    # The centre lies on the left of the chord for arcs that run clockwise on screens.
    side = 1 if sweep else -1
    cx = (x0 + x1) / 2 - side * dy / chord * height
    cy = (y0 + y1) / 2 + side * dx / chord * height
    start = math.degrees(math.atan2(-(y0 - cy), x0 - cx))
    end = math.degrees(math.atan2(-(y1 - cy), x1 - cx))
    span = (end - start) % 360
    if sweep:
        span -= 360
        if span <= -360:
            span += 360
    made.arcTo(QRectF(cx - radius, cy - radius, 2 * radius, 2 * radius), start, span)


def brush(fill: Fill, frame: tuple[float, float, float, float]) -> QBrush:
    """A brush for a fill; pictures show as a grey and patterns as their colours."""
    x, y, width, height = frame
    if fill.kind == "linear":
        from nimble_tile.core.symbol.looks.paint import gradient_ends

        x1, y1, x2, y2 = gradient_ends(fill, frame)
        made = QLinearGradient(x1, y1, x2, y2)
    elif fill.kind == "radial":
        centre = QPointF(x + fill.centre[0] * width, y + fill.centre[1] * height)
        made = QRadialGradient(centre, fill.radius * width)
    else:
        return QBrush(QColor("#808080" if fill.kind == "picture" else fill.colour))
    for stop in fill.stops:
        made.setColorAt(stop.offset, QColor(stop.colour))
    return QBrush(made)


def paint_layer(painter: QPainter, layer: Layer, colour: QColor | None = None) -> None:
    """Paint a layer, in one colour if one is given; the painter is scaled to modules."""
    from PySide6.QtCore import Qt

    one = to_painter_path(layer.path)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QBrush(colour) if colour is not None else brush(layer.fill, layer.frame))
    if layer.at is None:
        painter.drawPath(one)
        return
    for x, y in layer.at:
        painter.drawPath(one.translated(float(x), float(y)))
