"""The piece on the screen and on paper, side by side."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from nimble_tile.core.language import figure, tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.figures import paint_figures, paint_fitted

HEAD, FOOT = 30, 30
"""Pixels above and below a picture for its name and its verdict."""


class PressView(QWidget):
    """Two pictures with their names and verdicts."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.sides: list[tuple[str, QImage, str, str]] = []
        self.words = ""
        self.setMinimumSize(QSize(420, 300))
        self.setAccessibleName(tr("The piece on screen and on paper"))

    def show_sides(self, sides: list[tuple[str, QImage, str, str]]) -> None:
        """Show pictures: name, image, state of the verdict, figures."""
        self.sides = sides
        told = "; ".join(f"{name}: {figures}" for name, _, _, figures in sides)
        self.setAccessibleDescription(told)
        self.update()

    def say(self, words: str) -> None:
        """What stands there while there are no pictures."""
        self.words = words
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        theme = self.theme
        painter.fillRect(self.rect(), QColor(theme.bench))
        if not self.sides:
            painter.setPen(QColor(theme.soft))
            painter.setFont(themes.font(15))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.words)
            return
        width = self.width() / len(self.sides)
        for number, (name, image, state, figures) in enumerate(self.sides):
            area = QRectF(number * width, 0, width, self.height()).adjusted(14, 10, -14, -10)
            painter.setFont(themes.font(15, QFont.Weight.Bold))
            painter.setPen(QColor(theme.ink))
            head = QRectF(area.left(), area.top(), area.width(), HEAD - 6)
            painter.drawText(head, Qt.AlignmentFlag.AlignCenter, name)
            paint_fitted(painter, area.adjusted(0, HEAD, 0, -FOOT), image)
            foot = QRectF(area.left(), area.bottom() - FOOT + 8, area.width(), FOOT - 8)
            paint_figures(painter, foot, state, figures, theme)


class InkBar(QWidget):
    """Total ink on a scale from none to four full inks, with the usual limit."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.most = 0.0
        self.limit = 3.0
        self.setFixedHeight(34)
        self.setAccessibleName(tr("Total ink"))

    def show_ink(self, most: float, limit: float) -> None:
        """The largest total ink, and where sheets begin to stick."""
        self.most, self.limit = most, limit
        self.setAccessibleDescription(tr("{most:.0%} of {limit:.0%}", most=most, limit=limit))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme = self.theme
        track = QRectF(0, 4, self.width() - 1, 10)
        painter.fillRect(track, QColor(theme.bench))
        share = min(1.0, self.most / 4)
        over = self.most > self.limit
        colour = QColor(theme.thin if over else theme.accent)
        painter.fillRect(QRectF(track.left(), track.top(), track.width() * share, 10), colour)
        at = track.left() + track.width() * self.limit / 4
        painter.setPen(QColor(theme.ink))
        painter.drawLine(round(at), 1, round(at), 17)
        painter.setFont(themes.font(12))
        painter.setPen(QColor(theme.soft))
        text = QRectF(at - 60, 18, 120, 16)
        painter.drawText(text, Qt.AlignmentFlag.AlignHCenter, figure(self.limit, ".0%"))
