"""What the readers found in a file that was written."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.marks import paint_reader, paint_verdict

if TYPE_CHECKING:
    from nimble_tile.core.output.export import Proof


class ProofView(QWidget):
    """What the readers found in the exported file."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.proof: Proof | None = None
        self.hide()

    def show_proof(self, proof: Proof | None) -> None:
        self.proof = proof
        self.setVisible(proof is not None)
        if proof is not None:
            verdict = proof.verdict
            read = [f"{m.name} {'read' if m.read else 'did not read'}" for m in verdict.marks]
            self.setAccessibleName(
                tr("Exported file: {words}. {read}.", words=verdict.words, read=", ".join(read))
            )
            self.setFixedHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(220, 52 + 22 * (len(self.proof.verdict.marks) if self.proof else 0))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.proof is None:
            return
        painter = QPainter(self)
        verdict, theme = self.proof.verdict, self.theme
        colour = QColor(themes.verdict_colour(theme, verdict.state))
        paint_verdict(painter, QRectF(0, 4, 18, 18), verdict.state, colour, QColor(theme.panel))
        painter.setPen(colour)
        painter.setFont(themes.font(16, themes.QFont.Weight.Bold))
        painter.drawText(QRectF(26, 2, self.width() - 26, 22), verdict.words)
        painter.setFont(themes.font(14))
        for index, mark in enumerate(verdict.marks):
            y = 34 + index * 22
            read = (mark.read and mark.text == verdict.expected) if mark.able else None
            shade = QColor(theme.well if read else theme.soft if read is None else theme.fails)
            paint_reader(painter, QRectF(2, y + 3, 12, 12), read, shade)
            painter.setPen(QColor(theme.ink))
            painter.drawText(QRectF(26, y, 90, 20), mark.name)
            painter.setPen(QColor(theme.soft))
            told = (
                tr("does not know Micro QR") if read is None
                else tr("read at {look} px", look=mark.look) if read
                else mark.trouble
                or (tr("read something else") if mark.read else tr("did not read"))
            )  # fmt: skip
            painter.drawText(QRectF(106, y, self.width() - 106, 20), told)
