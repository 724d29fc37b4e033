"""The page Export: size, format and what goes with it, and the proof of what was written."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.core.piece import MAX_SIDE, MM_PER_INCH, Finish, Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import (
    NumberBox,
    Segments,
    Slider,
    guard_wheel,
    named,
    row,
    rule,
    set_checked,
    set_rank,
    soft,
)
from nimble_tile.ui.kit.flow import flow
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.rooms.finish.drag_tile import DragTile
from nimble_tile.ui.rooms.finish.paper_fold import PaperFold
from nimble_tile.ui.rooms.finish.preset_row import PresetRow
from nimble_tile.ui.rooms.finish.proof_view import ProofView
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.paper import advice, print_size
from nimble_tile.ui.work.session import Session
from nimble_tile.ui.work.settings import Settings

if TYPE_CHECKING:
    from nimble_tile.core.output.export import Proof
    from nimble_tile.core.output.weigh import Weighed
    from nimble_tile.ui.work.engine import Shown

FORMATS = (
    ("png", "PNG", tr("Exact, larger file")),
    ("jpeg", "JPEG", tr("Smaller file; slight changes at edges")),
    ("webp", "WebP", tr("For the web: exact, or much smaller")),
    ("tiff", "TIFF", tr("For print: 8 or 16 bits, four inks or one")),
    ("svg", "SVG", tr("Vectors for further work; a picture is put inside")),
    ("pdf", "PDF", tr("For print: true to size, vectors, bleed, crop marks, sheets")),
    ("ora", "OpenRaster", tr("Named layers for painting programs")),
)


class ExportPage(Page):
    """Everything about the file that leaves the house.

    Signals
    -------
    export_wanted, print_wanted, press_wanted
        The piece is to be written; printed; looked at as it will be printed.
    """

    export_wanted = Signal()
    print_wanted = Signal()
    press_wanted = Signal()

    def __init__(self, session: Session, desk: ColourDesk, settings: Settings) -> None:
        super().__init__(session, desk)
        self._natural = 1024
        self._code: tuple[float, float] | None = None
        self._make_result()
        self.presets = PresetRow(session, settings)
        self.body.addWidget(self.presets)
        self._make_size()
        self._make_format()
        self.paper = PaperFold(session, desk)
        for widget in (self.paper, self.weighed, self.alone, self.about):
            self.body.addWidget(widget)
        self.body.addWidget(self.press)

    # Making -------------------------------------------------------------------

    def _make_size(self) -> None:
        session = self.session
        self.size = NumberBox(tr("Longer side"), 64, MAX_SIDE, "px", 64)
        self.size.edited.connect(
            lambda n: session.edit("finish", tr("Change the size"), "size", size=self._whole(n))
        )
        self.mm = QDoubleSpinBox()
        self.mm.setRange(3, 5000)
        self.mm.setDecimals(1)
        self.mm.setSuffix(tr(" mm"))
        self.mm.setKeyboardTracking(False)
        self.mm.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.mm.setFixedWidth(88)
        self.size.setFixedWidth(88)
        self.mm.setAccessibleName(tr("Longer side on paper"))
        guard_wheel(self.mm)
        self.mm.valueChanged.connect(self._take_mm)
        self.unit = QComboBox()
        self.unit.addItems(["px", "mm"])
        self.unit.setFixedWidth(60)
        self.unit.setAccessibleName(tr("Unit of the longer side"))
        self.unit.setToolTip(tr("Pixels, or millimetres on paper at the resolution below"))
        guard_wheel(self.unit)
        self.unit.activated.connect(self._take_unit)
        self.natural = QPushButton(tr("As the picture"))
        self.natural.clicked.connect(
            lambda: session.edit("finish", tr("Take the natural size"), size=None)
        )
        self.dpi = NumberBox(tr("Resolution"), 30, 2400, "dpi", 10)
        self.dpi.edited.connect(self._take_dpi)
        self.square = QCheckBox(tr("On a square"))
        self.square.setToolTip(
            tr("A picture's edges are mirrored outwards, a code gets more ground")
        )
        self.square.toggled.connect(
            lambda on: session.edit("finish", tr("Export on a square"), square=on)
        )
        self.on_paper = soft()
        line = named(tr("Longer side"), self.size, 80)
        line.insertWidget(2, self.mm)
        line.insertWidget(3, self.unit)
        self.body.addLayout(line)
        self.dpi.setFixedWidth(88)
        self.body.addLayout(named(tr("Resolution"), self.dpi, 80))
        self.body.addWidget(self.on_paper)
        self.body.addLayout(flow(self.square, self.natural))

    def _make_format(self) -> None:
        session = self.session
        self.format = QComboBox()
        self.format.setAccessibleName(tr("File format"))
        for kind, label, told in FORMATS:
            self.format.addItem(label, kind)
            index = self.format.count() - 1
            self.format.setItemData(index, told, Qt.ItemDataRole.ToolTipRole)
        guard_wheel(self.format)
        self.format.activated.connect(lambda index: self._take_format(self.format.itemData(index)))
        self.format_note = soft()
        self.lossless = QCheckBox(tr("Keep every pixel"))
        self.lossless.toggled.connect(
            lambda on: session.edit("finish", tr("Keep every pixel"), lossless=on)
        )
        self.quality = Slider(tr("Quality"), 1, 100, Finish().quality)
        self.quality.edited.connect(
            lambda q: session.edit("finish", tr("Change the quality"), "quality", quality=round(q))
        )
        self.quality.released.connect(session.part)
        self.chroma = Segments(
            tr("Colour resolution"),
            [
                ("full", tr("Full"), tr("4:4:4: the colour of every pixel")),
                ("half", tr("Half"), tr("4:2:2: one colour for two pixels side by side")),
                ("quarter", tr("Quarter"), tr("4:2:0: one colour for four pixels")),
            ],
        )
        self.chroma.chosen.connect(
            lambda v: session.edit("finish", tr("Change the colour resolution"), chroma=v)
        )
        self._chroma_row = QWidget()
        chroma = QVBoxLayout(self._chroma_row)
        chroma.setContentsMargins(0, 0, 0, 0)
        chroma.setSpacing(4)
        chroma.addWidget(soft(tr("Colour resolution")))
        chroma.addWidget(self.chroma)
        self.depth = Segments(
            tr("Bits a channel"),
            [(8, tr("8 bits"), tr("What screens and most printers use")),
             (16, tr("16 bits"), tr("For programs that go on working with the tones"))],
        )  # fmt: skip
        self.depth.chosen.connect(lambda v: session.edit("finish", tr("Change the depth"), depth=v))
        self.weighed = soft()
        self.weighed.hide()
        self.alone = QCheckBox(tr("The code alone, on nothing"))
        self.alone.setToolTip(
            tr("With its look, on a transparent ground, for laying it in elsewhere")
        )
        self.alone.toggled.connect(
            lambda on: session.edit("finish", tr("Export the code alone"), alone=on)
        )
        self.about = QCheckBox(tr("Say inside the file what it is"))
        self.about.setToolTip(
            tr("The message and this program's name; otherwise the file says nothing")
        )
        self.about.toggled.connect(
            lambda on: session.edit("finish", tr("Say what the file is"), about=on)
        )
        line = named(tr("File format"), self.format, 80)
        line.setStretch(1, 1)
        self.body.addLayout(line)
        for widget in (
            self.format_note, self.lossless, self.quality, self._chroma_row, self.depth,
        ):  # fmt: skip
            self.body.addWidget(widget)

    def _make_result(self) -> None:
        self.export = QPushButton(tr("Export and check…"))
        self.export.setProperty("main", True)
        self.export.clicked.connect(self.export_wanted)
        self.press = QPushButton(tr("As printed, and a test sheet…"))
        self.press.setToolTip(
            tr("The inks on paper, trials on them, and a sheet to print and tick")
        )
        self.press.clicked.connect(self.press_wanted)
        self.print = QPushButton(tr("Print…"))
        self.print.clicked.connect(self.print_wanted)
        self.tile = DragTile()
        beside = QWidget()
        column = QVBoxLayout(beside)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.export)
        column.addLayout(row(self.print, 1))
        line = row(self.tile, beside, spacing=12)
        line.setStretch(1, 1)
        self.body.addLayout(line)
        self.exported = soft()
        self.exported.hide()
        self.compared = soft()
        self.compared.hide()
        self.proof = ProofView()
        self._result = QWidget()
        result = QVBoxLayout(self._result)
        result.setContentsMargins(0, 0, 0, 0)
        result.setSpacing(8)
        for widget in (rule(), self.exported, self.proof, self.compared):
            result.addWidget(widget)
        self._result.hide()
        self.body.addWidget(self._result)

    # Edits ------------------------------------------------------------------------

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

    def _take_mm(self, value: float) -> None:
        finish = self.session.piece.finish
        most = MAX_SIDE / finish.dpi * MM_PER_INCH
        least = 64 / finish.dpi * MM_PER_INCH
        self.session.edit(
            "finish", tr("Change the size"), "size", mm=round(min(max(value, least), most), 2)
        )

    def _take_unit(self, index: int) -> None:
        finish = self.session.piece.finish
        size = finish.size or self._natural
        if index:
            mm = round(size / finish.dpi * MM_PER_INCH, 1)
            self.session.edit("finish", tr("Measure in millimetres"), mm=max(3, mm))
        else:
            self.session.edit("finish", tr("Measure in pixels"), size=size)

    def _take_dpi(self, dpi: int) -> None:
        finish = self.session.piece.finish
        if finish.mm is not None:
            most = MAX_SIDE / finish.mm * MM_PER_INCH
            least = 64 / finish.mm * MM_PER_INCH
            dpi = int(min(max(dpi, least + 1), most))
        self.session.edit("finish", tr("Change the dpi"), "dpi", dpi=dpi)

    def _take_format(self, kind: str) -> None:
        from nimble_tile.core.output.formats import INKS, LABELS

        changes: dict[str, object] = {"format": kind}
        if self.session.piece.finish.inks not in ("screen", *INKS.get(kind, ())):
            changes["inks"] = "screen"
        self.session.edit("finish", tr("Choose {labels}", labels=LABELS[kind]), **changes)

    # Showing ------------------------------------------------------------------------

    def show_piece(self, piece: Piece) -> None:
        finish = piece.finish
        there = piece.picture.digest is not None
        on_paper = finish.mm is not None
        self.size.set_value(finish.size or self._natural)
        self.size.setVisible(not on_paper)
        self.mm.setVisible(on_paper)
        self.mm.blockSignals(True)
        self.mm.setValue(finish.mm or 0)
        self.mm.blockSignals(False)
        self.unit.setCurrentIndex(int(on_paper))
        self.natural.setText(tr("As the picture") if there else tr("As suits the code"))
        self.natural.setVisible(finish.size is not None)
        self.natural.setToolTip(tr("{natural} px", natural=self._natural))
        self.dpi.set_value(finish.dpi)
        set_checked(self.square, finish.square)
        self.format.setCurrentIndex(self.format.findData(finish.format))
        self._show_format(piece)
        self.paper.show_finish(finish)
        set_checked(self.alone, finish.alone)
        set_checked(self.about, finish.about)

    def _show_format(self, piece: Piece) -> None:
        finish, kind = piece.finish, piece.finish.format
        there = piece.picture.digest is not None and not finish.alone
        set_checked(self.lossless, finish.lossless)
        self.lossless.setVisible(kind == "webp")
        self.quality.set_value(finish.quality)
        self.quality.setVisible(kind == "jpeg" or (kind == "webp" and not finish.lossless))
        self.chroma.set_value(finish.chroma)
        self._chroma_row.setVisible(kind == "jpeg")
        self.depth.set_value(finish.depth)
        self.depth.setVisible(kind == "tiff" and finish.inks != "single")
        clear = finish.alone or (piece.look.ground is None and not there)
        vector = kind in ("svg", "pdf")
        effects = piece.look.relief.any and not there
        self.format_note.setText(
            tr("JPEG has no transparency: the ground becomes white.") if clear and kind == "jpeg"
            else tr("The ground stays transparent.") if clear and finish.inks == "screen"
            else tr("With a picture the finished image is put inside, pixel by pixel.")
            if there and vector
            else tr("With effects of light the code is put inside, pixel by pixel.")
            if effects and vector
            else tr("Real vectors: sharp at every size.") if vector
            else tr("Layers: picture, blend, code, frame, logo, caption.") if kind == "ora"
            else ""
        )  # fmt: skip
        self.format_note.setVisible(bool(self.format_note.text()))

    def show_rendering(self, shown: Shown) -> None:
        able = shown.rendering is not None
        for button in (self.export, self.print, self.press):
            button.setEnabled(able)
            if not able:
                button.setToolTip(tr("There is no code yet"))
        if not able:
            self.on_paper.setText("")
            self.tile.clear()
            return
        self.export.setToolTip("")
        self._natural = shown.natural
        self._code = print_size(self.session.piece, shown)
        self.show_piece(self.session.piece)
        self.on_paper.setText(advice(*self._code))
        small = shown.rendering.image
        step = max(1, max(small.shape[:2]) // 160)
        image = to_qimage(small[::step, ::step].copy())
        self.tile.setPixmap(
            QPixmap.fromImage(image).scaled(
                self.tile.size(), Qt.AspectRatioMode.KeepAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            )
        )  # fmt: skip

    def show_weighed(self, text: str, rank: str = "soft") -> None:
        """What the file keeps of the piece, in a sentence; empty: there is nothing to say."""
        self.weighed.setText(text)
        set_rank(self.weighed, rank)
        self.weighed.setVisible(bool(text))

    def show_proof(self, proof: Proof, compared: str) -> None:
        width, height = proof.size
        self.exported.setText(
            tr(
                "{name}, {width} × {height} px, {bytes}, read back from disk:",
                name=proof.path.name,
                width=width,
                height=height,
                bytes=in_bytes(proof.bytes),
            )
        )
        self.exported.setToolTip(str(proof.path))
        self.compared.setText(compared)
        self.compared.setVisible(bool(compared))
        set_rank(self.compared, "warn")
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


def weighed_in_words(found: Weighed, before: float | None) -> tuple[str, str]:
    """What a file keeps of a piece, and the rank of that sentence."""
    from nimble_tile.core.trials.reach import percent

    verdict, after = found.proved.verdict, found.proved.reach
    size = (
        ""
        if found.bytes is None
        else tr("The file will take {bytes}. ", bytes=in_bytes(found.bytes))
    )
    ink = ""
    if found.ink is not None:
        most, over = found.ink
        ink = tr("Total ink {most:.0%} at most", most=most) + (
            tr(", {over:.1%} of the area over 300 %. ", over=over) if over else ". "
        )
    if not verdict.scans:
        return tr("{size}{ink}In the file it does not scan.", size=size, ink=ink), "error"
    if after is None:
        return tr(
            "{size}{ink}{words} in the file.", size=size, ink=ink, words=verdict.words
        ), "soft"
    thin = tr("{words} in the file. ", words=verdict.words) if verdict.state == "thin" else ""
    then = tr("{thin}Reach {after} in the file", thin=thin, after=percent(after))
    then += tr(", {before} on the bench.", before=percent(before)) if before is not None else "."
    worse = before is not None and after < before - 0.02
    return f"{size}{ink}{then}", "warn" if worse or verdict.state == "thin" else "soft"


def in_bytes(count: int) -> str:
    """A size of a file for people."""
    return (
        tr("{size:.1f} MB", size=count / 1e6)
        if count >= 1e6
        else tr("{size} kB", size=max(1, round(count / 1000)))
    )
