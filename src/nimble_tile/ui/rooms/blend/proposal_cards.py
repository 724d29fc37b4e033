"""A proposal as a picture that can be taken: large with its words, or small with its figures."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QPushButton, QSizePolicy

from nimble_tile.core.language import tr, within
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.figures import (
    fitting_font,
    in_line,
    in_short,
    paint_figures,
    paint_fitted,
)
from nimble_tile.ui.kit.marks import paint_verdict

if TYPE_CHECKING:
    from nimble_tile.core.tune.propose import Proposal

LARGE, SMALL = 108, 68
"""Sides, in pixels, of the pictures."""

EDGE = 5

ABOUT = {
    "quietest": tr("The picture stays; the code hides in it."),
    "woven": tr("Code and picture of one cloth."),
    "boldest": tr("The code is part of the show."),
    "light": tr("The code falls on the picture as sunlight."),
}


class ProposalCell(QAbstractButton):
    """One proposal's picture; clicking it takes the proposal."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name = name
        self.image = QImage()
        self.proposal: Proposal | None = None
        self.taken = False
        self.theme = themes.LIGHT
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.forget()

    def forget(self) -> None:
        """Nothing is proposed here."""
        self.proposal, self.image, self.taken = None, QImage(), False
        self._tell()

    def show_proposal(self, proposal: Proposal, image: QImage) -> None:
        """What is proposed, as far as it is known."""
        self.proposal, self.image = proposal, image
        self._tell()

    def set_taken(self, taken: bool) -> None:
        """Whether the piece is this proposal now."""
        if taken != self.taken:
            self.taken = taken
            self._tell()

    def _tell(self) -> None:
        found = self.proposal
        self.setEnabled(found is not None)
        self.setCursor(
            Qt.CursorShape.ArrowCursor if found is None else Qt.CursorShape.PointingHandCursor
        )
        told = tr("{name}: nothing yet", name=self.name)
        if found is not None:
            figures = in_line(
                found.verdict.words, found.candidate.reach, found.candidate.fidelity.ssim_view
            )
            missed = tr("It misses: {missed}. ", missed=found.missed) if found.missed else ""
            told = f"{self.name}. {figures}. {missed}" + (
                tr("The piece is this.") if self.taken else tr("Take it.")
            )
        self.setAccessibleName(told)
        self.setToolTip("" if found is None else told)
        self.update()

    def _paint_frame(self, painter: QPainter, area: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        theme = self.theme
        marked = self.taken or self.hasFocus()
        pen = QPen(QColor(theme.accent if marked else theme.rule), 2 if marked else 1)
        painter.setPen(pen)
        over = self.isEnabled() and self.underMouse()
        painter.setBrush(QColor(theme.tint if over or self.taken else theme.panel))
        painter.drawRoundedRect(area.adjusted(1, 1, -1, -1), 6, 6)

    def _paint_image(self, painter: QPainter, area: QRectF) -> None:
        if self.image.isNull():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.theme.tint))
            painter.drawRoundedRect(area, 4, 4)
        else:
            paint_fitted(painter, area, self.image)


class ProposalThumb(ProposalCell):
    """A small proposal: its picture, verdict and figures."""

    def sizeHint(self) -> QSize:
        return QSize(SMALL + 2 * EDGE, SMALL + 2 * EDGE + 18)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        area = QRectF(self.rect())
        self._paint_frame(painter, area)
        picture = QRectF(0, EDGE, SMALL, SMALL)
        picture.moveLeft((area.width() - SMALL) / 2)
        self._paint_image(painter, picture)
        found = self.proposal
        if found is not None:
            line = QRectF(0, picture.bottom() + 1, area.width(), 18)
            told = in_short(found.candidate.reach, found.candidate.fidelity.ssim_view)
            paint_figures(painter, line, found.verdict.state, told, self.theme)


class ProposalCard(ProposalCell):
    """A proposal with its words.

    Signals
    -------
    more_wanted
        Three neighbours are wanted.
    """

    more_wanted = Signal()

    def __init__(self, kind: str, name: str) -> None:
        self.kind = kind
        self.note = ""
        super().__init__(name)
        self.more = QPushButton(tr("More like this"), self)
        self.more.setProperty("flat", True)
        self.more.setAccessibleName(tr("More like the {name}", name=within(name)))
        self.more.clicked.connect(self.more_wanted)
        self.more.hide()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(240, LARGE + 2 * EDGE)

    def minimumSizeHint(self) -> QSize:
        return QSize(240, LARGE + 2 * EDGE)

    def set_note(self, note: str) -> None:
        """What is being done about it."""
        self.note = note
        self.update()

    def forget(self) -> None:
        super().forget()
        if hasattr(self, "more"):
            self.more.hide()

    def show_proposal(self, proposal: Proposal, image: QImage) -> None:
        super().show_proposal(proposal, image)
        self.more.setVisible(proposal.final)

    def resizeEvent(self, event: QEvent) -> None:
        size = self.more.sizeHint()
        self.more.setGeometry(
            LARGE + 2 * EDGE + 4, self.height() - size.height() - EDGE, size.width(), size.height()
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme, area = self.theme, QRectF(self.rect())
        self._paint_frame(painter, area)
        self._paint_image(painter, QRectF(EDGE, EDGE, LARGE, LARGE))
        left = LARGE + 2 * EDGE + 6
        line = QRectF(left, EDGE + 2, area.width() - left - EDGE, 20)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(themes.font(15, QFont.Weight.DemiBold))
        painter.setPen(QColor(theme.ink))
        painter.drawText(line, middle, self.name)
        if self.taken:
            painter.setFont(themes.font(13))
            painter.setPen(QColor(theme.accent))
            painter.drawText(line, middle | Qt.AlignmentFlag.AlignRight, tr("taken"))
        painter.setFont(themes.font(13))
        found = self.proposal
        line.translate(0, 21)
        if found is None:
            painter.setPen(QColor(theme.soft))
            line.setHeight(40)
            painter.drawText(line, Qt.TextFlag.TextWordWrap, ABOUT[self.kind])
            if self.note:
                line.translate(0, 44)
                painter.drawText(line, Qt.TextFlag.TextWordWrap, self.note)
            return
        mark = QRectF(line.left(), line.center().y() - 7, 14, 14)
        colour = QColor(themes.verdict_colour(theme, found.verdict.state))
        paint_verdict(painter, mark, found.verdict.state, colour, QColor(theme.panel))
        painter.setPen(QColor(theme.ink))
        words = line.adjusted(20, 0, 0, 0)
        painter.setFont(fitting_font(found.verdict.words, words.width(), 13))
        painter.drawText(words, middle, found.verdict.words)
        painter.setFont(themes.font(13))
        line.translate(0, 19)
        candidate = found.candidate
        painter.drawText(line, middle, tr("Reach {reach}", reach=percent(candidate.reach)))
        line.translate(0, 19)
        painter.setPen(QColor(theme.soft))
        fidelity = tr("Fidelity {ssim_view:.2f}", ssim_view=candidate.fidelity.ssim_view)
        if found.missed and not self.note:
            painter.setPen(QColor(theme.thin))
            painter.setFont(fitting_font(found.missed, line.width(), 13))
        painter.drawText(line, middle, self.note or found.missed or fidelity)
