"""Level, version, character set, mask, quiet zone."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QCheckBox, QLabel, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Code, Piece
from nimble_tile.core.symbol import tables
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import (
    Choice,
    Segments,
    Slider,
    named,
    row,
    set_checked,
    set_rank,
    soft,
)
from nimble_tile.ui.kit.pickers import PictureGrid
from nimble_tile.ui.rooms.code.steering import SteerBox
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.study import Study
    from nimble_tile.core.symbol.encode import Symbol
    from nimble_tile.ui.work.engine import Shown

LEVEL_LABELS = (
    ("L", tr("Corrects about 7% of the code: most room for the picture")),
    ("M", tr("Corrects about 15%: enough indoors")),
    ("Q", tr("Corrects about 25%: for outdoors or a logo")),
    ("H", tr("Corrects about 30%: for a large logo or rough use")),
)

CHARSET_LABELS = (
    ("auto", tr("Automatic")), ("utf-8", tr("UTF-8, marked")),
    ("utf-8 unmarked", tr("UTF-8, unmarked")),
    ("latin-1", tr("Latin-1")),
)  # fmt: skip


class SymbolPage(QWidget):
    """The symbol's own settings."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        self.level = Segments(
            tr("Error correction level"), [(lv, lv, tip) for lv, tip in LEVEL_LABELS]
        )
        self.level.chosen.connect(
            lambda level: session.edit("code", tr("Choose level {level}", level=level), level=level)
        )
        self.level_note = soft()
        self.raises = QCheckBox(tr("Raise the level while it is free"))
        self.raises.setToolTip(tr("Uses a higher level where that takes no larger version"))
        self.raises.toggled.connect(
            lambda on: session.edit(
                "code", tr("Raise the level") if on else tr("Keep the level"), raise_level=on
            )
        )
        self.version = Choice(
            tr("Version"),
            [
                ("auto", tr("Smallest")),
                *(
                    (v, tr("{v}  ({side} modules)", v=v, side=tables.side(v)))
                    for v in tables.QR_VERSIONS
                ),
                ("micro", tr("Smallest Micro QR")),
                *(
                    (v, tr("{v}  (Micro QR, {side})", v=v, side=tables.side(v)))
                    for v in tables.MICRO_VERSIONS
                ),
            ],
        )
        self.version.setMaxVisibleItems(16)
        self.version.chosen.connect(self._choose_version)
        self.micro_note = soft(
            tr("Few phones read Micro QR: of our four readers only zxing-cpp does.")
        )
        set_rank(self.micro_note, "warn")
        self.charset = Choice(tr("Characters"), CHARSET_LABELS)
        self.charset.chosen.connect(
            lambda value: session.edit("code", tr("Choose the character set"), charset=value)
        )
        self.auto_mask = QCheckBox(tr("Choose the mask with the least penalty"))
        self.auto_mask.toggled.connect(self._choose_auto)
        self.masks = PictureGrid(
            tr("Mask pattern"), [(i, str(i)) for i in range(8)], self._paint_mask, 4, 58, True
        )
        self.masks.chosen.connect(
            lambda mask: session.edit("code", tr("Choose mask {mask}", mask=mask), mask=mask)
        )
        self._symbol: Symbol | None = None
        self._pictures: dict[int, QImage] = {}
        self.quiet = Slider(tr("Quiet zone"), 0, 10, Code().quiet_zone, "modules", whole=True)
        self.quiet.edited.connect(
            lambda n: session.edit(
                "code", tr("Change the quiet zone"), "quiet", quiet_zone=round(n)
            )
        )
        self.quiet.released.connect(session.part)
        self.quiet_note = soft()
        self.steering = SteerBox(session)
        layout.addLayout(row(QLabel(tr("Error correction"))))
        for widget in (self.level, self.level_note, self.raises):
            layout.addWidget(widget)
        layout.addLayout(named(tr("Version"), self.version, 78))
        layout.addWidget(self.micro_note)
        layout.addWidget(self.steering)
        layout.addLayout(named(tr("Characters"), self.charset, 78))
        self._mask_head = QLabel(tr("Mask pattern"))
        for widget in (self._mask_head, self.auto_mask, self.masks, self.quiet, self.quiet_note):
            layout.addWidget(widget)

    def _choose_version(self, version: str) -> None:
        """A Micro version brings the quiet zone and level that it needs along."""
        code = self.session.piece.code
        changes: dict[str, object] = {"version": version}
        was_micro, micro = _micro(code.version), _micro(version)
        usual, other = (
            (tables.QUIET_ZONE_MICRO, tables.QUIET_ZONE)
            if micro
            else (tables.QUIET_ZONE, tables.QUIET_ZONE_MICRO)
        )
        if micro != was_micro and code.quiet_zone == other:
            changes["quiet_zone"] = usual
        if micro:
            offered = tables.LEVELS[:3] if version == "micro" else tables.levels_of(version)
            if code.level not in offered and offered != ("-",):
                changes["level"] = offered[-1]
            if code.mask != "auto" and code.mask > 3:
                changes["mask"] = "auto"
        self.session.edit("code", tr("Choose the version"), **changes)

    def _choose_auto(self, on: bool) -> None:
        if on:
            self.session.edit("code", tr("Choose the mask automatically"), mask="auto")
        elif self._symbol is not None:
            self.session.edit(
                "code", tr("Keep mask {mask}", mask=self._symbol.mask), mask=self._symbol.mask
            )

    def _paint_mask(
        self, painter: QPainter, area: QRectF, mask: object, theme: themes.Theme
    ) -> None:
        image = self._pictures.get(mask)
        if image is None:
            return
        painter.fillRect(area, QColor("#ffffff"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(area.adjusted(2, 2, -2, -2), image)

    def show_piece(self, piece: Piece) -> None:
        code = piece.code
        micro = _micro(code.version)
        offered = tables.LEVELS
        if micro:
            offered = (
                tables.LEVELS[:3] if code.version == "micro" else tables.levels_of(code.version)
            )
        for level, tip in LEVEL_LABELS:
            button = self.level.button(level)
            there = level in offered
            button.setEnabled(there)
            what = (
                tr("Micro QR")
                if code.version == "micro"
                else tr("Version {version}", version=code.version)
            )
            button.setToolTip(
                tip if there else tr("{what} does not offer level {level}", what=what, level=level)
            )
        self.level.set_value(code.level)
        self.level_note.setText(dict(LEVEL_LABELS)[code.level] + ".")
        if offered == ("-",):
            self.level_note.setText(tr("Version M1 detects errors and corrects none."))
        set_checked(self.raises, code.raise_level and code.steer == "off")
        self.raises.setEnabled(code.steer == "off")
        self.raises.setToolTip(
            tr("Uses a higher level where that takes no larger version")
            if code.steer == "off"
            else tr("Not while the symbol is steered: it would take the freedom")
        )
        self.steering.show_piece(piece)
        self.version.set_value(code.version)
        self.micro_note.setVisible(micro)
        ascii_only = piece.message.text.isascii()
        self.charset.setEnabled(not ascii_only)
        self.charset.setToolTip(
            tr("The message holds ASCII characters only, which are the same in each set")
            if ascii_only
            else tr("How letters beyond ASCII are written; UTF-8 can carry a mark (ECI)")
        )
        self.charset.set_value(code.charset)
        set_checked(self.auto_mask, code.mask == "auto")
        steers = code.steer != "off" and piece.picture.digest is not None
        self.auto_mask.setText(
            tr("Choose the mask that suits the picture") if steers
            else tr("Choose the mask with the least penalty")
        )  # fmt: skip
        if code.mask != "auto":
            self.masks.set_value(code.mask)
        self.quiet.set_value(code.quiet_zone)
        least = tables.QUIET_ZONE_MICRO if micro else tables.QUIET_ZONE
        self.quiet.set_mark(least, tr("The standard's least: {least} modules", least=least))
        short = code.quiet_zone < least
        self.quiet_note.setText(
            tr(
                "Below the standard's {least} modules: some readers will miss the code.",
                least=least,
            )
            if short
            else tr("The mark shows the standard's least, {least} modules.", least=least)
        )
        set_rank(self.quiet_note, "warn" if short else "soft")

    def show_rendering(self, shown: Shown) -> None:
        self.steering.show_rendering(shown)

    def show_study(self, study: Study) -> None:
        symbol = study.symbol
        for widget in (self._mask_head, self.auto_mask, self.masks):
            widget.setVisible(symbol is not None)
        if symbol is None or symbol is self._symbol:
            return
        self._symbol = symbol
        self._pictures = {mask: _mask_image(dark) for mask, dark in study.masks.items()}
        best = min(symbol.penalties.values())
        self.masks.set_options([
            (mask, tr("Mask {mask}: penalty {score}", mask=mask,
                      score=abs(score)) + (tr(", the least") if score == best else ""))
            for mask, score in symbol.penalties.items()
        ])  # fmt: skip
        if symbol.micro:  # there the highest score is the best
            self.masks.set_notes({m: f"{m} · {-s}" for m, s in symbol.penalties.items()})
        else:
            self.masks.set_notes({m: f"{m} · {s}" for m, s in symbol.penalties.items()})
        self.masks.set_value(symbol.mask)

    def dress(self, theme: themes.Theme) -> None:
        self.masks.dress(theme)
        self.quiet.dress(theme)
        self.steering.dress(theme)


def _micro(version: str) -> bool:
    return version.startswith("M") or version == "micro"


def _mask_image(dark: np.ndarray) -> QImage:
    """A symbol (bool n × n) with whole pixels a module."""
    import numpy as np

    grey = np.ascontiguousarray(np.where(dark, 0, 255).astype(np.uint8))
    side = dark.shape[0]
    image = QImage(grey.data, side, side, side, QImage.Format.Format_Grayscale8)
    scale = max(1, 120 // side)
    return image.scaled(side * scale, side * scale, Qt.AspectRatioMode.IgnoreAspectRatio,
                        Qt.TransformationMode.FastTransformation)  # fmt: skip
