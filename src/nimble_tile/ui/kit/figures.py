"""A variant's verdict, reach and fidelity: in words, in short, and painted on a card."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyleOptionViewItem

from nimble_tile.core.language import figure, tr
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.marks import paint_verdict

STATE_SHAPE_SIDE = 14
"""Side of the verdict's shape on a card, in pixels."""


def in_line(words: str, reach: float | None, fidelity: float | None) -> str:
    """All that is known, in a line without a full stop."""
    told = [words or tr("Not judged yet")]
    told += [] if reach is None else [tr("reach {reach}", reach=percent(reach))]
    told += [] if fidelity is None else [tr("fidelity {fidelity:.2f}", fidelity=fidelity)]
    return ", ".join(told)


def in_short(reach: float | None, fidelity: float | None) -> str:
    """Reach and fidelity in a few signs."""
    told = [] if reach is None else [percent(reach)]
    told += [] if fidelity is None else [figure(fidelity, ".2f")]
    return " · ".join(told)


def paint_frame(
    painter: QPainter, area: QRectF, option: QStyleOptionViewItem, theme: themes.Theme
) -> None:
    """The ground of a chosen card and the line round the one that has the focus."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    chosen = bool(option.state & QStyle.StateFlag.State_Selected)
    focused = bool(option.state & QStyle.StateFlag.State_HasFocus)
    if chosen or focused:
        painter.setPen(QPen(QColor(theme.accent), 2) if focused else Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.tint) if chosen else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(area.adjusted(1, 1, -1, -1), 5, 5)


def paint_fitted(painter: QPainter, room: QRectF, image: QImage) -> None:
    """An image, whole, in the middle of some room."""
    size = QSize(image.size())
    size.scale(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
    fitted = QRectF(0, 0, size.width(), size.height())
    fitted.moveCenter(room.center())
    painter.drawImage(fitted, image)


def fitting_font(text: str, width: float, size: int) -> QFont:
    """The program's font at this size, or as much smaller as lets a text fit; 10 at least."""
    while size > 10 and QFontMetricsF(themes.font(size)).horizontalAdvance(text) > width:
        size -= 1
    return themes.font(size)


def paint_title(
    painter: QPainter, line: QRectF, title: str, bold: bool, theme: themes.Theme
) -> None:
    """A card's name, shortened where there is no room."""
    painter.setFont(themes.font(14, QFont.Weight.Bold if bold else QFont.Weight.Normal))
    painter.setPen(QColor(theme.ink))
    metrics = QFontMetricsF(painter.font())
    shown = metrics.elidedText(title, Qt.TextElideMode.ElideRight, line.width())
    painter.drawText(line, Qt.AlignmentFlag.AlignCenter, shown)


def paint_figures(
    painter: QPainter, line: QRectF, state: str, told: str, theme: themes.Theme
) -> None:
    """The verdict's shape and a few signs, in the middle of a line."""
    painter.setFont(themes.font(13))
    width = QFontMetricsF(painter.font()).horizontalAdvance(told) + STATE_SHAPE_SIDE + 5
    left = line.center().x() - width / 2
    mark = QRectF(
        left, line.center().y() - STATE_SHAPE_SIDE / 2, STATE_SHAPE_SIDE, STATE_SHAPE_SIDE
    )
    colour = QColor(themes.verdict_colour(theme, state))
    paint_verdict(painter, mark, state, colour, QColor(theme.panel))
    painter.setPen(QColor(theme.ink if state else theme.soft))
    text = QRectF(mark.right() + 5, line.top(), width, line.height())
    painter.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, told)


def paint_card(
    painter: QPainter,
    option: QStyleOptionViewItem,
    theme: themes.Theme,
    side: int,
    image: QImage,
    instead: str,
    title: tuple[str, bool],
    figures: tuple[str, str],
) -> QRectF:
    """A card of a row or a board: picture, name, verdict and figures.

    Parameters
    ----------
    painter : QPainter
    option : QStyleOptionViewItem
        Where it lies, and whether it is chosen.
    theme : Theme
    side : int
        Longer side of the picture.
    image : QImage
    instead : str
        What stands in the place of a null image.
    title : (str, bool)
        The name, and whether it is bold.
    figures : (str, str)
        State of the verdict, and a few signs.

    Returns
    -------
    QRectF
        Where the picture is.
    """
    area = QRectF(option.rect).adjusted(4, 4, -4, -4)
    paint_frame(painter, area, option, theme)
    picture = QRectF(0, 0, side, side)
    picture.moveCenter(area.center())
    picture.moveTop(area.top() + 5)
    if image.isNull():
        painter.fillRect(picture, QColor(theme.bench))
        painter.setPen(QColor(theme.soft))
        painter.setFont(themes.font(13))
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        painter.drawText(picture.adjusted(6, 6, -6, -6), flags, instead)
    else:
        paint_fitted(painter, picture, image)
    line = QRectF(area.left() + 4, picture.bottom() + 3, area.width() - 8, 18)
    paint_title(painter, line, *title, theme)
    paint_figures(painter, line.translated(0, 17), *figures, theme)
    return picture
