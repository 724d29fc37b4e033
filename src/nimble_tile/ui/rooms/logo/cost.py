"""What logos cost: coverage in codewords, the searches, and the second-purpose marker."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Slider, rule, set_checked, set_rank, soft
from nimble_tile.ui.rooms.logo.logo import ItemPage
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.coverage.count import Coverage
    from nimble_tile.core.coverage.marker import Tracking

BAR = 14
"""Height of a block's bar."""

MOST_BARS = 12
"""Blocks that are drawn one by one; of more the weakest are."""


class BlockBars(QWidget):
    """For each block: what is spoiled, of what it can correct."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self._rows: list[tuple[int, int, int]] = []
        self._more = 0
        self.hide()

    def show_blocks(self, spoiled: tuple[int, ...], correctable: tuple[int, ...]) -> None:
        """Draw blocks, the fullest first."""
        rows = [(s, c, i + 1) for i, (s, c) in enumerate(zip(spoiled, correctable, strict=True))]
        rows.sort(key=lambda r: -(r[0] / max(r[1], 1)))
        self._rows, self._more = rows[:MOST_BARS], max(0, len(rows) - MOST_BARS)
        self.setVisible(bool(rows))
        told = "; ".join(tr("block {i}: {s} of {c}", i=i, s=s, c=c) for s, c, i in self._rows)
        self.setAccessibleName(tr("Spoiled of correctable codewords: {told}", told=told))
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(220, (BAR + 6) * len(self._rows) + (18 if self._more else 0))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        theme = self.theme
        painter.setFont(themes.font(13))
        for row_number, (spoiled, able, number) in enumerate(self._rows):
            y = row_number * (BAR + 6)
            painter.setPen(QColor(theme.soft))
            name = QRectF(0, y - 2, 56, BAR + 4)
            painter.drawText(
                name, Qt.AlignmentFlag.AlignVCenter, tr("Block {number}", number=number)
            )
            bar = QRectF(58, y + 2, self.width() - 58 - 62, BAR - 4)
            painter.fillRect(bar, QColor(theme.tint))
            share = min(1.0, spoiled / max(able, 1))
            over = spoiled > able
            colour = theme.fails if over else theme.thin if share > 0.63 else theme.accent
            painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * share, bar.height()),
                             QColor(colour))  # fmt: skip
            painter.setPen(QColor(theme.fails if over else theme.ink))
            told = QRectF(self.width() - 58, y - 2, 58, BAR + 4)
            painter.drawText(
                told,
                Qt.AlignmentFlag.AlignVCenter,
                tr("{spoiled} of {able}", spoiled=spoiled, able=able),
            )
        if self._more:
            painter.setPen(QColor(theme.soft))
            at = QRectF(0, len(self._rows) * (BAR + 6), self.width(), 18)
            painter.drawText(
                at, Qt.AlignmentFlag.AlignVCenter, tr("and {more} more blocks", more=self._more)
            )


class CostPage(ItemPage):
    """Coverage, searches, marker.

    Signals
    -------
    search : str, float
        ``"largest"``, ``"place"`` or ``"code"``, and the wanted spare.
    """

    search = Signal(str, float)

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self.numbers = QLabel()
        self.numbers.setWordWrap(True)
        self.bars = BlockBars()
        self.patterns = soft()
        self.holds = QLabel()
        self.holds.setWordWrap(True)
        self.why = soft()
        self.spare = Slider(tr("Spare to keep"), 0, 0.9, 0.37, "%", factor=100)
        self.spare.setToolTip(tr("Error correction that the searches leave in the weakest block"))
        self.largest = QPushButton(tr("Largest that holds here"))
        self.place = QPushButton(tr("Best place"))
        self.code = QPushButton(tr("Smallest code for this size"))
        for button, what, tip in (
            (self.largest, "largest", tr("As large as this place and shape allow")),
            (self.place, "place", tr("Where a logo of this size costs least")),
            (self.code, "code", tr("The smallest version, and its lowest level, that bears it")),
        ):
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, w=what: self.search.emit(w, self.spare.value))
        self.found = soft()
        self.found.hide()
        self.marker = QCheckBox(tr("It is also a marker for a viewer"))
        self.marker.setToolTip(tr("The target picture that an augmented-reality viewer looks for"))
        self.marker.toggled.connect(
            lambda on: self.change(
                tr("Use the logo as a marker") if on else tr("No marker"), marker=on
            )
        )
        self.tracks = QLabel()
        self.tracks.setWordWrap(True)
        self.tracks.hide()
        self.features = soft()
        self.features.hide()
        for widget in (self.numbers, self.bars, self.patterns, self.holds, self.why, rule(),
                       self.spare, self.largest, self.place, self.code, self.found, rule(),
                       self.marker, self.tracks, self.features):  # fmt: skip
            self.body.addWidget(widget)
        self.body.addStretch(1)

    def show_piece(self, piece: Piece) -> None:
        logo = self.logo
        set_checked(self.marker, logo is not None and logo.marker)
        for control in (self.largest, self.place, self.code, self.marker):
            control.setEnabled(logo is not None)
        if logo is None or not logo.marker:
            self.tracks.hide()
            self.features.hide()

    def show_coverage(self, found: Coverage | None) -> None:
        """What is covered, and what that spoils."""
        if found is None:
            self.numbers.setText(tr("Nothing lies on the code."))
            self.bars.hide()
            for label in (self.patterns, self.holds, self.why):
                label.hide()
            return
        self.numbers.setText(
            tr(
                "{area:.1%} of the code's area and {modules:.1%} of its modules are "
                "covered: {under} of {codewords} codewords are spoiled.",
                area=found.area,
                modules=found.modules,
                under=sum(found.under),
                codewords=found.codewords,
            )
        )
        self.bars.show_blocks(found.spoiled, found.correctable)
        self.patterns.setText(tr("Touched: ") + ", ".join(found.patterns) + "." if found.patterns
                              else tr("No function pattern is touched."))  # fmt: skip
        self.patterns.show()
        hold = found.hold
        self.holds.setText(
            tr("By our model of readers it holds.") if hold.holds
            else tr("By our model it does not hold. ") + " ".join(hold.why)
        )  # fmt: skip
        set_rank(self.holds, "" if hold.holds else "error")
        self.holds.show()
        self.why.setText(found.explanation)
        self.why.show()

    def show_found(self, text: str) -> None:
        """The result of a search."""
        self.found.setText(text)
        self.found.setVisible(bool(text))

    def show_tracking(self, found: Tracking | None) -> None:
        """Whether the marker is still recognised."""
        logo = self.logo
        if found is None or logo is None or not logo.marker:
            self.tracks.hide()
            self.features.hide()
            return
        self.tracks.setText(found.sentence)
        set_rank(self.tracks, "" if found.tracks and found.reads else "warn")
        self.tracks.show()
        self.features.setText(found.detail)
        self.features.show()

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self.bars.theme = theme
        self.bars.update()
