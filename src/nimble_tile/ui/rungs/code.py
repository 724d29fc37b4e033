"""Rung 2: level, version, mask, quiet zone."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QLabel

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.piece import Piece
from nimble_tile.core.symbol import tables
from nimble_tile.ui.controls import Choice, Number, Segments, named, row, set_rank, soft
from nimble_tile.ui.rungs.base import Rung
from nimble_tile.ui.session import Session

if TYPE_CHECKING:
    from nimble_tile.ui.engine import Shown

_LEVELS = (
    ("L", "Corrects about 7% of the code: most room for the picture"),
    ("M", "Corrects about 15%: enough indoors"),
    ("Q", "Corrects about 25%: for outdoors or a logo"),
    ("H", "Corrects about 30%: for a large logo or rough use"),
)


class CodeRung(Rung):
    """The symbol's settings."""

    title, rung = "Code", "code"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.level = Segments("Error correction level", [(lv, lv, tip) for lv, tip in _LEVELS])
        self.level.chosen.connect(
            lambda level: session.edit("code", f"Choose level {level}", level=level)
        )
        self.level_note = soft()
        self.version = Choice(
            "Version",
            [
                ("auto", "Automatic"),
                *((v, f"{v}  ({tables.side(v)} modules)") for v in tables.QR_VERSIONS),
                *((v, f"{v}  (Micro QR, {tables.side(v)})") for v in tables.MICRO_VERSIONS),
            ],
        )
        self.version.setMaxVisibleItems(16)
        self.version.chosen.connect(self._choose_version)
        self.mask = Choice(
            "Mask pattern", [("auto", "Automatic"), *((i, str(i)) for i in range(8))]
        )
        self.mask.chosen.connect(
            lambda mask: session.edit("code", "Choose the mask pattern", mask=mask)
        )
        self.quiet = Number("Quiet zone", 0, 10, "modules")
        self.quiet.edited.connect(
            lambda n: session.edit("code", "Change the quiet zone", "quiet", quiet_zone=n)
        )
        self.quiet_note = soft()
        self.error = QLabel()
        self.error.setWordWrap(True)
        set_rank(self.error, "error")
        self.error.hide()
        level_label = QLabel("Error correction")
        self.body.addLayout(row(level_label))
        self.body.addWidget(self.level)
        self.body.addWidget(self.level_note)
        self.body.addLayout(named("Version", self.version))
        self.body.addLayout(named("Mask pattern", self.mask))
        self.body.addLayout(named("Quiet zone", self.quiet))
        self.body.addWidget(self.quiet_note)
        self.body.addWidget(self.error)

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        if shown is None or shown.rendering is None:
            return f"Level {piece.code.level}"
        symbol = shown.rendering.symbol
        level = "" if symbol.level == "-" else f"-{symbol.level}"
        return f"{symbol.version}{level}, {symbol.side} modules, mask {symbol.mask}"

    def _choose_version(self, version: str) -> None:
        """A Micro version brings the quiet zone and level that it needs along."""
        code = self.session.piece.code
        changes: dict[str, object] = {"version": version}
        was_micro, micro = code.version.startswith("M"), version.startswith("M")
        usual, other = (
            (tables.QUIET_ZONE_MICRO, tables.QUIET_ZONE)
            if micro
            else (tables.QUIET_ZONE, tables.QUIET_ZONE_MICRO)
        )
        if micro != was_micro and code.quiet_zone == other:
            changes["quiet_zone"] = usual
        if micro:
            offered = tables.levels_of(version)
            if code.level not in offered and offered != ("-",):
                changes["level"] = offered[-1]
            if code.mask != "auto" and code.mask > 3:
                changes["mask"] = "auto"
        self.session.edit("code", "Choose the version", **changes)

    def show_piece(self, piece: Piece) -> None:
        code = piece.code
        micro = code.version.startswith("M")
        offered = tables.levels_of(code.version) if micro else tables.LEVELS
        for level, tip in _LEVELS:
            button = self.level.button(level)
            there = level in offered
            button.setEnabled(there)
            button.setToolTip(
                tip if there else f"Version {code.version} does not offer level {level}"
            )
        self.level.set_value(code.level)
        self.level_note.setText(dict(_LEVELS)[code.level] + ".")
        if offered == ("-",):
            self.level_note.setText("Version M1 detects errors and corrects none.")
        self.version.set_value(code.version)
        for index in range(5, 9):
            item = self.mask.model().item(index)
            item.setEnabled(not micro)
            item.setToolTip("Micro QR codes have masks 0 to 3" if micro else "")
        self.mask.set_value(code.mask)
        self.quiet.set_value(code.quiet_zone)
        least = tables.QUIET_ZONE_MICRO if micro else tables.QUIET_ZONE
        short = code.quiet_zone < least
        self.quiet_note.setText(
            f"Below the standard's {least} modules: some readers will miss the code."
            if short
            else f"The standard asks for at least {least}."
        )
        set_rank(self.quiet_note, "warn" if short else "soft")

    def show_error(self, error: UserError | None) -> None:
        concerns = isinstance(error, MessageError) and bool(self.session.piece.message.text)
        self.error.setText(str(error) if concerns else "")
        self.error.setVisible(concerns)
