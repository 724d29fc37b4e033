"""Rung 6: caption, frame, layout; size, file format, export, and the proof of what was exported."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.piece import MAX_SIDE, Finish, Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import NumberBox, Segments, Slider, named, row, rule, soft
from nimble_tile.ui.kit.marks import paint_reader, paint_verdict
from nimble_tile.ui.ladder.paged import PagedRung
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session
from nimble_tile.ui.work.settings import Settings

if TYPE_CHECKING:
    from nimble_tile.core.laid import Laid
    from nimble_tile.core.output.export import Proof
    from nimble_tile.core.study import Study
    from nimble_tile.ui.rooms.finish.caption import CaptionPage
    from nimble_tile.ui.rooms.finish.layout import LayoutPage
    from nimble_tile.ui.rooms.finish.surround import SurroundPage
    from nimble_tile.ui.work.engine import Shown

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


class FinishRung(PagedRung):
    """Four pages: caption, frame, layout, export.

    Signals
    -------
    export_wanted
        The finished image is to be written.
    work : str
        What is worked on on the bench: ``"caption"``, ``"layout"`` or ``""``.
    layout_open : bool
        The rung is open, so that the piece is shown in its layout, or no longer.
    picked : int
        Another caption is edited.
    room_wanted
        See `SurroundPage`.
    layout_wanted, shipped_wanted
        See `LayoutPage`.
    """

    title, rung = "Finish", "finish"
    export_wanted = Signal()
    work = Signal(str)
    layout_open = Signal(bool)
    picked = Signal(int)
    room_wanted = Signal()
    layout_wanted = Signal()
    shipped_wanted = Signal(str)

    def __init__(self, session: Session, desk: ColourDesk, settings: Settings) -> None:
        super().__init__(session, desk)
        self._settings = settings
        self._study: Study | None = None
        self._laid: Laid | None = None
        self._beyond = ""
        self._natural = 1024
        self.page = Segments(
            "Page",
            [
                ("caption", "Caption", "Text on the code or beside it"),
                ("surround", "Frame", "A frame drawn round code and caption"),
                ("layout", "Layout", "The piece on a card, a ticket, a poster"),
                ("export", "Export", "Size, file format, export and check"),
            ],
        )
        self.page.set_value("export")
        self.page.chosen.connect(self.open_page)
        self._export_box = QWidget()
        self.size = NumberBox("Longer side", 64, MAX_SIDE, "px", 64)
        self.size.edited.connect(
            lambda n: session.edit("finish", "Change the size", "size", size=self._whole(n))
        )
        self.natural = QPushButton("As the picture")
        self.natural.clicked.connect(
            lambda: session.edit("finish", "Take the natural size", size=None)
        )
        self.dpi = NumberBox("Resolution", 30, 2400, "dpi", 10)
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
        self.body.addWidget(self.page)
        self.body.addWidget(self._export_box)
        inside = QVBoxLayout(self._export_box)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(11)
        inside.addLayout(named("Longer side", self.size))
        inside.addLayout(row(self.natural, 1))
        inside.addLayout(named("Resolution", self.dpi))
        inside.addWidget(self.on_paper)
        inside.addWidget(self.format)
        inside.addWidget(self.format_note)
        inside.addWidget(self.quality)
        inside.addWidget(self.export)
        self._result = QWidget()
        result = QVBoxLayout(self._result)
        result.setContentsMargins(0, 0, 0, 0)
        result.setSpacing(8)
        result.addWidget(rule())
        result.addWidget(self.exported)
        result.addWidget(self.proof)
        self._result.hide()
        inside.addWidget(self._result)

    # Pages -----------------------------------------------------------------

    @cached_property
    def caption(self) -> CaptionPage:
        from nimble_tile.ui.rooms.finish.caption import CaptionPage

        page = CaptionPage(self.session, self._desk, self._settings)
        page.picked.connect(self.picked)
        return self._take("caption", page)

    @cached_property
    def surround(self) -> SurroundPage:
        from nimble_tile.ui.rooms.finish.surround import SurroundPage

        page = SurroundPage(self.session, self._desk)
        page.room_wanted.connect(self.room_wanted)
        page.show_reach(self._beyond)
        return self._take("surround", page)

    @cached_property
    def layout_page(self) -> LayoutPage:
        from nimble_tile.ui.rooms.finish.layout import LayoutPage

        page = LayoutPage(self.session, self._desk)
        page.wanted.connect(self.layout_wanted)
        page.shipped_wanted.connect(self.shipped_wanted)
        return self._take("layout", page)

    def open_page(self, name: str) -> None:
        """Show one of the pages, and take the hand that it works with."""
        self.page.set_value(name)
        if name != "export":
            getattr(self, "layout_page" if name == "layout" else name)
        self._export_box.setVisible(name == "export")
        self._show_page(name)
        self._show_notes()
        self._tell()

    def _tell(self) -> None:
        """What is worked on on the bench, as far as this rung is open."""
        name = self.page.value if self.isVisible() else ""
        there = bool(self.session.piece.caption.items)
        self.layout_open.emit(self.isVisible())
        in_layout = self.session.piece.layout.digest is not None
        self.work.emit(
            "caption" if name == "caption" and there
            else "layout" if name == "layout" and in_layout else ""
        )  # fmt: skip

    def show_study(self, study: Study) -> None:
        self._study = study
        self._show_notes()

    def show_beyond(self, told: str) -> None:
        """Whether what is laid sticks out of the picture."""
        self._beyond = told
        if "surround" in self._made:
            self.surround.show_reach(told)

    def _show_notes(self) -> None:
        if "caption" not in self._made:
            return
        found = self._study.coverage if self._study is not None else None
        shares = [s for s in found.shares if s.role == "caption"] if found else []
        cost = ""
        if shares:
            count = sum(s.codewords for s in shares)
            cost = (
                f"On the code captions touch {sum(s.modules for s in shares)} modules and spoil "
                f"{count} codewords."
            )
        self.caption.show_notes(self._laid.notes if self._laid else (), cost)

    def _whole(self, size: int) -> int:
        """A size at which pixel art keeps whole pixels; any other as it is."""
        picture = self.session.piece.picture
        if picture.pixels is None:
            return size
        from nimble_tile.core.pixelart import whole_size

        side = max(self.session.pictures.about(picture.digest).size)
        whole = whole_size(side, size)
        self.size.set_value(whole)
        return whole

    # Showing ---------------------------------------------------------------

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        size = piece.finish.size or (shown.natural if shown and shown.natural else 0)
        kind = piece.finish.format.upper()
        more = [name for name, there in (
            ("caption", any(c.text.strip() for c in piece.caption.items)),
            (piece.surround.kind, piece.surround.kind != "none"),
            (f"in {piece.layout.name or 'a layout'}", piece.layout.digest is not None),
        ) if there]  # fmt: skip
        if kind == "JPEG":
            kind = f"JPEG {piece.finish.quality}"
        told = f"{kind}, {size} px" if size else kind
        line = ", ".join([*more, told])
        return line[0].upper() + line[1:]

    def show_piece(self, piece: Piece) -> None:
        finish = piece.finish
        for page in self._made.values():
            page.show_piece(piece)
        if self.isVisible():
            self._tell()
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
        self._laid = shown.rendering.laid if able else None
        self._show_notes()
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
