"""Density of the message: standing, version at each level, ways to a smaller code."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.core.symbol import tables
from nimble_tile.ui.kit.controls import Segments, row, soft

if TYPE_CHECKING:
    from nimble_tile.core.message.density import Offer
    from nimble_tile.core.study import Study


class DensityView(QWidget):
    """How dense the code is and what would make it simpler.

    Signals
    -------
    level_chosen : str
    offer_taken : Offer
    """

    level_chosen = Signal(object)
    offer_taken = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.head = QLabel(tr("Density"))
        self.head.setProperty("head", True)
        self.standing = soft()
        self.levels = Segments(
            tr("Level"),
            [(level, level, tr("Level {level}", level=level)) for level in tables.LEVELS],
        )
        self.levels.chosen.connect(self.level_chosen)
        self.levels_note = soft(
            tr("Version that each level takes. Fewer modules are easier to hide.")
        )
        self._ways = QVBoxLayout()
        self._ways.setSpacing(8)
        for widget in (self.head, self.standing, self.levels, self.levels_note):
            layout.addWidget(widget)
        layout.addLayout(self._ways)
        self._offers: tuple[Offer, ...] | None = None
        self.hide()

    def show_study(self, study: Study, piece: Piece) -> None:
        """Show what is known of a piece's message."""
        dense = study.density
        self.setVisible(dense is not None or bool(study.offers))
        for widget in (self.standing, self.levels, self.levels_note):
            widget.setVisible(dense is not None)
        if dense is not None:
            raised = dense.level not in ("-", piece.code.level)
            level = "" if dense.level == "-" else f"-{dense.level}"
            self.standing.setText(
                tr(
                    "Version {version}{level}, {modules} modules a side, {fill:.0%} full. "
                    "Written in {mode} mode.",
                    version=dense.version,
                    level=level,
                    modules=dense.modules,
                    fill=dense.fill,
                    mode=dense.mode,
                )
                + (
                    tr(" Level raised from {level} at no cost.", level=piece.code.level)
                    if raised
                    else ""
                )
            )
            for level, version in dense.versions.items():
                button = self.levels.button(level)
                button.setText(f"{level}  {version or '–'}")
                button.setEnabled(version is not None)
                button.setToolTip(
                    tr(
                        "Level {level}: version {version}, {side} modules a side",
                        level=level,
                        version=version,
                        side=tables.side(version),
                    )
                    if version
                    else tr("The message does not fit level {level}", level=level)
                )
            self.levels.set_value(piece.code.level)
        self._show_offers(study.offers)

    def _show_offers(self, offers: tuple[Offer, ...]) -> None:
        if offers == self._offers:
            return
        self._offers = offers
        while (item := self._ways.takeAt(0)) is not None:
            item.widget().hide()
            item.widget().deleteLater()
        for offer in offers:
            entry = QWidget()
            layout = QVBoxLayout(entry)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(0)
            button = QPushButton(_wrapped(offer.label))
            button.setProperty("flat", True)
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            button.setAccessibleName(f"{offer.label}: {offer.gain}")
            button.clicked.connect(lambda _=False, o=offer: self.offer_taken.emit(o))
            layout.addLayout(row(button, 1))
            layout.addWidget(soft(f"{offer.gain[0].upper()}{offer.gain[1:]}. {offer.note}".strip()))
            self._ways.addWidget(entry)


def _wrapped(text: str, width: int = 36) -> str:
    """Buttons do not wrap by themselves."""
    import textwrap

    return "\n".join(textwrap.wrap(text, width))
