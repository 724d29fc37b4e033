"""What the bench draws over the image: the x-ray's marks, the best places, the divider."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QFontMetricsF,
    QImage,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
    QTransform,
)

from nimble_tile.core.language import tr
from nimble_tile.core.memory import Memory
from nimble_tile.ui.kit import theme as themes

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.scan.sampling import Sample
    from nimble_tile.core.symbol.encode import Symbol
    from nimble_tile.core.symbol.steering import Steered
    from nimble_tile.ui.work.sights import Places


def veil(painter: QPainter, frame: QRectF, theme: themes.Theme) -> None:
    """Paper laid thinly over an image, so that marks stand out."""
    paper = QColor(theme.paper)
    paper.setAlphaF(0.52)
    painter.fillRect(frame, paper)


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
    veil(painter, frame, theme)
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
    right, rings, cells, crosses = _KEPT.recall(
        "modules", (wrong.tobytes(), weak.tobytes()), lambda: _module_marks(wrong, weak)
    )
    dot = QPen(QColor(theme.well), 0.22)
    dot.setCapStyle(Qt.PenCapStyle.RoundCap)
    painter.setPen(dot)
    painter.drawPoints(right)
    painter.setPen(QPen(QColor(theme.thin), 0.16))
    painter.drawPath(rings)
    painter.fillPath(cells, QColor(theme.fails))
    painter.setPen(QPen(QColor(theme.panel), 0.13))
    painter.drawPath(crosses)
    painter.restore()


_KEPT = Memory(4)
"""Marks are made once: each repaint of a zoomed or panned image draws them again."""


def _module_marks(
    wrong: np.ndarray, weak: np.ndarray
) -> tuple[QPolygonF, QPainterPath, QPainterPath, QPainterPath]:
    """Middles of right modules, rings of weak ones, cells and crosses of wrong ones."""
    rings, cells, crosses = QPainterPath(), QPainterPath(), QPainterPath()
    for row, column in zip(*weak.nonzero(), strict=True):
        rings.addEllipse(QPointF(column + 0.5, row + 0.5), 0.28, 0.28)
    for row, column in zip(*wrong.nonzero(), strict=True):
        cell = QRectF(column + 0.06, row + 0.06, 0.88, 0.88)
        cells.addRect(cell)
        inner = cell.adjusted(0.24, 0.24, -0.24, -0.24)
        for start, end in (
            (inner.topLeft(), inner.bottomRight()), (inner.topRight(), inner.bottomLeft())
        ):  # fmt: skip
            crosses.moveTo(start)
            crosses.lineTo(end)
    return _middles(~wrong & ~weak), rings, cells, crosses


def _middles(mask: np.ndarray) -> QPolygonF:
    """The middles of some modules."""
    places = zip(*mask.nonzero(), strict=True)
    return QPolygonF([QPointF(column + 0.5, row + 0.5) for row, column in places])


def _steering_marks(steered: Steered) -> tuple[QPolygonF, QPolygonF, QPainterPath]:
    """Middles of chosen dark and light modules, diamonds where spare was spent."""
    diamonds = QPainterPath()
    for row, column in zip(*steered.spent.nonzero(), strict=True):
        x, y = column + 0.5, row + 0.5
        diamonds.addPolygon(QPolygonF([QPointF(x, y - 0.4), QPointF(x + 0.4, y),
                                       QPointF(x, y + 0.4), QPointF(x - 0.4, y)]))  # fmt: skip
        diamonds.closeSubpath()
    dark = steered.symbol.dark
    return _middles(steered.chosen & dark), _middles(steered.chosen & ~dark), diamonds


MOST_NAMED = 6
"""Blocks that a legend has room for."""

BLOCK_CELLS = 8
"""Pixels a module of the picture of blocks."""

BLOCK_TINTS = ("#2f6f9f", "#b0742a", "#7a5aa0", "#3f8a5c", "#a8505c", "#6f7a2e", "#39808a",
               "#93638f")  # fmt: skip
"""Colours that tell neighbouring blocks apart; a block's number is written too."""


def blocks_image(symbol: Symbol, looked: Sample | None) -> QImage:
    """Codewords outlined and coloured by their block; spoiled ones are crossed out.

    Parameters
    ----------
    symbol : Symbol
    looked : Sample or None
        Module by module truth; None while it is not known.

    Returns
    -------
    QImage
        The symbol at `BLOCK_CELLS` pixels a module, transparent where no codeword is.
    """
    import numpy as np

    from nimble_tile.ui.kit.images import to_qimage

    plan, cells = symbol.anatomy, BLOCK_CELLS
    words = plan.codeword
    spoiled = np.zeros(words.shape, bool)
    if looked is not None:
        hit = np.unique(words[(words >= 0) & looked.wrong])
        spoiled = np.isin(words, hit) & (words >= 0)
    tints = np.array([QColor(tint).getRgb()[:3] for tint in BLOCK_TINTS], np.uint8)
    rgba = np.zeros((*words.shape, 4), np.uint8)
    rgba[..., :3] = tints[plan.block % len(tints)]
    rgba[..., 3] = np.where(words < 0, 0, np.where(spoiled, 225, 105))
    big = rgba.repeat(cells, 0).repeat(cells, 1)
    rows, columns = np.indices((cells, cells))
    stroke = np.abs(rows + columns - cells + 1) <= 0
    crossed = spoiled.repeat(cells, 0).repeat(cells, 1) & np.tile(stroke, words.shape)
    big[crossed] = (255, 255, 255, 255)
    right = np.zeros(words.shape, bool)
    below = np.zeros(words.shape, bool)
    right[:, :-1] = words[:, :-1] != words[:, 1:]
    below[:-1] = words[:-1] != words[1:]
    edge = np.zeros((cells, cells), bool)
    edge[:, -1] = True
    lines = right.repeat(cells, 0).repeat(cells, 1) & np.tile(edge, words.shape)
    lines |= below.repeat(cells, 0).repeat(cells, 1) & np.tile(edge.T, words.shape)
    big[lines] = (30, 28, 24, 210)
    return to_qimage(big)


def paint_blocks(
    painter: QPainter,
    frame: QRectF,
    where: QTransform | None,
    image: QImage | None,
    theme: themes.Theme,
) -> None:
    """Veil the image and lay the codewords over it.

    Parameters
    ----------
    frame : QRectF
        The image on the bench.
    where : QTransform or None
        From modules of the symbol to the bench.
    image : QImage or None
        From `blocks_image`.
    """
    veil(painter, frame, theme)
    if where is None or image is None:
        return
    painter.save()
    painter.setTransform(where, combine=True)
    side = image.width() / BLOCK_CELLS
    painter.drawImage(QRectF(0, 0, side, side), image)
    painter.restore()


def paint_steering(
    painter: QPainter,
    frame: QRectF,
    where: QTransform | None,
    steered: Steered | None,
    theme: themes.Theme,
) -> None:
    """A dot where a module was chosen, a diamond where spare was spent, nothing where it is fixed.

    Parameters
    ----------
    frame : QRectF
        The image on the bench.
    where : QTransform or None
        From modules of the symbol to the bench.
    steered : Steered or None
    """
    veil(painter, frame, theme)
    if where is None or steered is None:
        return
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setTransform(where, combine=True)
    side = steered.chosen.shape[0]
    painter.setPen(QPen(QColor(theme.edge), 0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(0, 0, side, side))
    key = (steered.symbol.dark.tobytes(), steered.chosen.tobytes(), steered.spent.tobytes())
    dark, light, diamonds = _KEPT.recall("steering", key, lambda: _steering_marks(steered))
    for shade, width, middles in ((theme.well, 0.56, dark), (theme.accent, 0.3, light)):
        dot = QPen(QColor(shade), width)
        dot.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(dot)
        painter.drawPoints(middles)
    painter.setPen(QPen(QColor(theme.panel), 0.06))
    painter.setBrush(QColor(theme.thin))
    painter.drawPath(diamonds)
    painter.restore()


Legend = list[tuple[str, str]]
"""Signs with words, and their colours."""


def xray_legend(theme: themes.Theme) -> Legend:
    return [(tr("● right"), theme.well), (tr("○ weak"), theme.thin), (tr("✕ wrong"), theme.fails)]


def steering_legend(theme: themes.Theme) -> Legend:
    return [(tr("● steered"), theme.well), (tr("◆ spent"), theme.thin), ("fixed", theme.soft)]


def blocks_legend(symbol: Symbol, looked: Sample | None, theme: themes.Theme) -> Legend:
    """Each block with what is spoiled of what it can correct."""
    blocks = symbol.anatomy.blocks
    entries = []
    for index, block in enumerate(blocks[:MOST_NAMED]):
        told = tr("■ block {index}", index=index + 1)
        if looked is not None:
            told += tr(
                ": {codeword_errors} of {correctable}",
                codeword_errors=looked.codeword_errors[index],
                correctable=block.correctable,
            )
        entries.append((told, BLOCK_TINTS[index % len(BLOCK_TINTS)]))
    if len(blocks) > MOST_NAMED:
        entries.append((tr("and {blocks} more", blocks=len(blocks) - MOST_NAMED), theme.soft))
    return entries


def paint_legend(
    painter: QPainter, entries: Sequence[tuple[str, str]], theme: themes.Theme
) -> None:
    """What marks mean, in the bench's corner: (sign and words, colour) each."""
    font = themes.font(14)
    painter.setFont(font)
    measure = QFontMetricsF(font)
    widths = [measure.horizontalAdvance(text) for text, _ in entries]
    area = QRectF(12, 12, sum(widths) + 16 * (len(entries) + 1), 30)
    painter.setPen(QColor(theme.rule))
    painter.setBrush(QColor(theme.panel))
    painter.drawRect(area)
    x = area.left() + 16
    for (text, colour), width in zip(entries, widths, strict=True):
        # Only the sign has the colour: block tints on a dark panel are hard to read as words.
        sign, _, words = text.partition(" ") if len(text.split(" ", 1)[0]) == 1 else ("", "", text)
        slot = QRectF(x, area.top(), width + 4, area.height())
        painter.setPen(QColor(colour))
        painter.drawText(slot, Qt.AlignmentFlag.AlignVCenter, sign)
        if sign:
            slot.setLeft(x + measure.horizontalAdvance(f"{sign} "))
        painter.setPen(QColor(theme.ink if sign else colour))
        painter.drawText(slot, Qt.AlignmentFlag.AlignVCenter, words)
        x += width + 16


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
    seen = frame.intersected(QRectF(painter.viewport()))
    middle = QPointF(x, seen.center().y())
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


def paint_told(painter: QPainter, width: float, text: str, theme: themes.Theme) -> None:
    """What to do now, in a plate at the top of the bench."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    font = themes.font(14)
    wide = QFontMetricsF(font).horizontalAdvance(text) + 40
    line = QRectF((width - wide) / 2, 12, wide, 36)
    painter.setPen(QColor(theme.rule))
    painter.setBrush(QColor(theme.panel))
    painter.drawRoundedRect(line, 6, 6)
    painter.setPen(QColor(theme.ink))
    painter.setFont(font)
    painter.drawText(line, Qt.AlignmentFlag.AlignCenter, text)


def paint_picking(
    painter: QPainter, width: float, over: QPointF, colour: str | None, theme: themes.Theme
) -> None:
    """What to do while a colour is picked, and the colour under the pointer."""
    paint_told(painter, width, tr("Click a colour; Escape calls it off"), theme)
    if colour is not None:
        painter.setPen(QPen(QColor("#ffffff"), 3))
        painter.setBrush(QColor(colour))
        painter.drawEllipse(over + QPointF(22, -22), 14, 14)


def paint_words(painter: QPainter, area: QRectF, text: str, colour: str, size: int = 17) -> None:
    """A line of words in the middle of an area."""
    painter.setPen(QColor(colour))
    painter.setFont(themes.font(size))
    painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)
