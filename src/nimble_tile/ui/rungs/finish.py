"""The last rung: size, file format, export, and the proof of what was exported."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.piece import MAX_SIDE, Finish, Piece
from nimble_tile.ui import theme as themes
from nimble_tile.ui.controls import Number, Segments, Slider, named, row, rule, soft
from nimble_tile.ui.rungs.base import Rung
from nimble_tile.ui.session import Session
from nimble_tile.ui.shapes import paint_reader, paint_verdict

if TYPE_CHECKING:
    from nimble_tile.core.output.export import Proof
    from nimble_tile.ui.engine import Shown

SMALLEST_PRINT = 20.0
"""Millimetres: the smallest height of a printed code that is dependable (common practice)."""


def print_size(piece: Piece, shown: Shown) -> tuple[float, float]:
    """Side of the printed code and of one module, in millimetres."""
    size = piece.finish.size or shown.natural
    rendering = shown.rendering
    share = rendering.code_side / max(rendering.size)
    code = size * share / piece.finish.dpi * 25.4
    return code, code / rendering.modules


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
            self.setAccessibleName(f"Exported file: {verdict.words}. {', '.join(read)}.")
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
                "does not know Micro QR" if read is None
                else f"read at {mark.look} px" if read
                else mark.trouble or ("read something else" if mark.read else "did not read")
            )  # fmt: skip
            painter.drawText(QRectF(106, y, self.width() - 106, 20), told)


class FinishRung(Rung):
    """Size, resolution, format, export."""

    title, rung = "Finish", "finish"
    export_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._natural = 1024
        self.size = Number("Longer side", 64, MAX_SIDE, "px", 64)
        self.size.edited.connect(
            lambda n: session.edit("finish", "Change the size", "size", size=n)
        )
        self.natural = QPushButton("As the picture")
        self.natural.clicked.connect(
            lambda: session.edit("finish", "Take the natural size", size=None)
        )
        self.dpi = Number("Resolution", 30, 2400, "dpi", 10)
        self.dpi.edited.connect(lambda n: session.edit("finish", "Change the dpi", "dpi", dpi=n))
        self.format = Segments(
            "File format",
            [
                ("png", "PNG", "Exact, larger file"),
                ("jpeg", "JPEG", "Smaller file; slight changes at edges"),
                ("svg", "SVG", "Vectors for further work; a picture is put inside"),
                ("pdf", "PDF", "Vectors for print; a picture is put inside"),
            ],
        )
        self.format.chosen.connect(
            lambda kind: session.edit("finish", f"Choose {kind.upper()}", format=kind)
        )
        self.quality = Slider("JPEG quality", 1, 100, Finish().quality)
        self.quality.edited.connect(
            lambda q: session.edit("finish", "Change the quality", "quality", quality=round(q))
        )
        self.quality.released.connect(session.part)
        self.on_paper = soft()
        self.format_note = soft()
        self.export = QPushButton("Export and check…")
        self.export.setProperty("main", True)
        self.export.clicked.connect(self.export_wanted)
        self.exported = soft()
        self.exported.hide()
        self.proof = ProofView()
        self.body.addLayout(named("Longer side", self.size))
        self.body.addLayout(row(self.natural, 1))
        self.body.addLayout(named("Resolution", self.dpi))
        self.body.addWidget(self.on_paper)
        self.body.addWidget(self.format)
        self.body.addWidget(self.format_note)
        self.body.addWidget(self.quality)
        self.body.addWidget(self.export)
        self._result = QWidget()
        result = QVBoxLayout(self._result)
        result.setContentsMargins(0, 0, 0, 0)
        result.setSpacing(8)
        result.addWidget(rule())
        result.addWidget(self.exported)
        result.addWidget(self.proof)
        self._result.hide()
        self.body.addWidget(self._result)

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        size = piece.finish.size or (shown.natural if shown and shown.natural else 0)
        kind = piece.finish.format.upper()
        if kind == "JPEG":
            kind = f"JPEG {piece.finish.quality}"
        return f"{kind}, {size} px" if size else kind

    def show_piece(self, piece: Piece) -> None:
        finish = piece.finish
        self.size.set_value(finish.size or self._natural)
        there = piece.picture.digest is not None
        self.natural.setText("As the picture" if there else "As suits the code")
        self.natural.setVisible(finish.size is not None)
        self.natural.setToolTip(f"{self._natural} px")
        self.dpi.set_value(finish.dpi)
        self.format.set_value(finish.format)
        self.quality.set_value(finish.quality)
        jpeg = finish.format == "jpeg"
        self.quality.setVisible(jpeg)
        clear = piece.look.ground is None and not there
        self.format_note.setText(
            "JPEG has no transparency: the ground becomes white." if clear and jpeg
            else "The ground stays transparent." if clear
            else "With a picture the finished image is put inside, pixel by pixel."
            if there and finish.format in ("svg", "pdf")
            else "Real vectors: sharp at every size." if finish.format in ("svg", "pdf")
            else ""
        )  # fmt: skip
        self.format_note.setVisible(bool(self.format_note.text()))

    def show_rendering(self, shown: Shown) -> None:
        able = shown.rendering is not None
        self.export.setEnabled(able)
        self.export.setToolTip("" if able else "There is no code yet")
        if not able:
            self.on_paper.setText("")
            return
        self._natural = shown.natural
        self.show_piece(self.session.piece)
        code, module = print_size(self.session.piece, shown)
        small = " That is small: 20 mm is the least that is dependable." if code < 20 else ""
        self.on_paper.setText(
            f"On paper the code is {code:.0f} mm wide, a module {module:.2f} mm.{small}"
        )

    def show_proof(self, proof: Proof) -> None:
        width, height = proof.size
        self.exported.setText(
            f"{proof.path.name}, {width} × {height} px, {_bytes(proof.bytes)}, read back from disk:"
        )
        self.exported.setToolTip(str(proof.path))
        self._result.show()
        self.exported.show()
        self.proof.show_proof(proof)

    def forget_proof(self) -> None:
        """The piece has changed since the last export."""
        self._result.hide()

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self.proof.theme = theme
        self.proof.update()


def _bytes(count: int) -> str:
    return f"{count / 1e6:.1f} MB" if count >= 1e6 else f"{max(1, round(count / 1000))} kB"
