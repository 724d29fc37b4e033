"""The frame that is drawn round code and captions."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QCheckBox, QPushButton

from nimble_tile.core.additions import Surround
from nimble_tile.core.language import tr, within
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments, Slider, named, row, set_checked, soft
from nimble_tile.ui.kit.paths import to_painter_path
from nimble_tile.ui.kit.pickers import PictureGrid
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

SURROUND_KINDS = (
    ("none", tr("None")), ("rule", tr("Rule")), ("card", tr("Card")), ("ticket", tr("Ticket")),
    ("tag", tr("Tag")),
    ("pointer", tr("Pointer")), ("ring", tr("Ring")),
)  # fmt: skip

SIDED = ("ticket", "tag", "pointer")
"""Kinds with a side of their own."""

FIRST_SIDE = {"tag": "above"}
"""Where a kind's side is when it is first chosen; else below."""


@lru_cache(maxsize=16)
def _picture(kind: str) -> QPainterPath:
    """A kind's outline in a small square."""
    from nimble_tile.core.caption.surround import Lengths, outline

    frame = Surround(kind=kind, side=FIRST_SIDE.get(kind, "below"))
    lengths = Lengths(gap=2, margin=0, line=1, corner=4)
    content = (0.0, 0.0, 24.0, 29.0 if kind == "ticket" else 24.0)
    if kind == "tag":
        content = (0.0, -5.0, 24.0, 24.0)
    return to_painter_path(outline(frame, lengths, content, 24, 0))


class SurroundPage(Page):
    """Kind, distances, line, paper.

    Signals
    -------
    room_wanted
        The code is to be made smaller so that the frame fits on the picture.
    """

    room_wanted = Signal()

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        default = Surround()
        self.kind = PictureGrid(
            tr("Frame"), SURROUND_KINDS, self._paint_kind, columns=4, cell=57, captions=True
        )
        self.kind.chosen.connect(self._choose)
        self.body.addWidget(self.kind)
        self.side = Segments(
            tr("Side"),
            [("below", tr("Below"), tr("At the lower edge")),
             ("above", tr("Above"), tr("At the upper edge")),
             ("left", tr("Left"), tr("At the left edge")),
             ("right", tr("Right"), tr("At the right edge"))],
        )  # fmt: skip
        self.side.chosen.connect(
            lambda side: session.edit("surround", tr("Turn the frame"), side=side)
        )
        self.gap = self._slider(tr("Distance to the code"), "gap", 30, default.gap)
        self.corner = self._slider(tr("Corners"), "corner", 30, default.corner)
        self.line = self._slider(tr("Line"), "line", 5, default.line, 2)
        self.margin = self._slider(tr("Margin outside"), "margin", 40, default.margin)
        self.line_colour = self.swatch(
            tr("Line colour"), tr("Line colour"),
            lambda c: session.edit("surround", tr("Change the line's colour"), "line colour",
                                   line_colour=c),
        )  # fmt: skip
        self.paper_on = QCheckBox(tr("Paper inside"))
        self.paper_on.toggled.connect(
            lambda on: session.edit(
                "surround", tr("Lay paper") if on else tr("Take the paper away"),
                paper=self.paper.colour if on else None,
            )
        )  # fmt: skip
        self.paper = self.swatch(
            tr("Paper colour"),
            tr("Paper colour"),
            lambda c: session.edit("surround", tr("Change the paper's colour"), "paper", paper=c),
        )
        self.paper.set_colour(default.paper)
        self.through = QCheckBox(tr("The paper is the code's ground, too"))
        self.through.toggled.connect(
            lambda on: session.edit("surround", tr("Choose the code's ground"), through=on)
        )
        for widget in (self.side, self.gap, self.corner, self.line):
            self.body.addWidget(widget)
        self.body.addLayout(named(tr("Line colour"), self.line_colour))
        self.body.addWidget(self.paper_on)
        self.body.addLayout(named(tr("Paper"), self.paper))
        self.body.addWidget(self.through)
        self.body.addWidget(self.margin)
        self.beyond = soft()
        self.make_room = QPushButton(tr("Make room for it"))
        self.make_room.setToolTip(tr("Makes the code smaller until the frame fits on the picture"))
        self.make_room.clicked.connect(self.room_wanted)
        self.body.addWidget(self.beyond)
        self.body.addLayout(row(self.make_room, 1))
        self.body.addStretch(1)
        self.show_reach("")

    def _slider(self, name: str, field: str, most: float, default: float, places: int = 1):
        slider = Slider(name, 0, most, default, "mm", decimals=places)
        slider.edited.connect(
            lambda value: self.session.edit(
                "surround",
                tr("Change the frame's {name}", name=within(name)),
                field,
                **{field: round(value, 3)},
            )
        )
        slider.released.connect(self.session.part)
        return slider

    def _choose(self, kind: str) -> None:
        changes: dict[str, object] = {"kind": kind}
        if kind in SIDED and self.session.piece.surround.kind not in SIDED:
            changes["side"] = FIRST_SIDE.get(kind, "below")
        self.session.edit("surround", tr("Choose the frame"), **changes)

    def _paint_kind(
        self, painter: QPainter, area: QRectF, kind: object, theme: themes.Theme
    ) -> None:
        side = 24.0
        code = QRectF(0, 0, side, side)
        painter.setPen(QPen(QColor(theme.ink), 1.2))
        painter.setBrush(QColor(theme.panel))
        path = None if kind == "none" else _picture(str(kind))
        whole = code if path is None else path.boundingRect()
        scale = min(area.width() / whole.width(), area.height() / whole.height())
        scale = min(scale, area.width() / (side * 1.1))
        painter.translate(area.center())
        painter.scale(scale, scale)
        painter.translate(-whole.center())
        pen = QPen(QColor(theme.ink), 1.3)
        pen.setCosmetic(True)
        painter.setPen(pen)
        if path is not None:
            painter.drawPath(path)
        painter.setPen(QColor(0, 0, 0, 0))
        painter.setBrush(QColor(theme.soft))
        for x, y in ((3, 3), (15, 3), (3, 15)):
            painter.drawRect(QRectF(x, y, 6, 6))
        for x, y in ((15, 15), (18, 18), (12, 12)):
            painter.drawRect(QRectF(x, y, 3, 3))

    def show_piece(self, piece: Piece) -> None:
        frame = piece.surround
        there = frame.kind != "none"
        on_picture = piece.picture.digest is not None
        self.kind.set_value(frame.kind)
        self.side.set_value(frame.side)
        for slider, value in (
            (self.gap, frame.gap), (self.corner, frame.corner), (self.line, frame.line),
            (self.margin, frame.margin),
        ):  # fmt: skip
            slider.set_value(value)
        self.line_colour.set_colour(frame.line_colour)
        set_checked(self.paper_on, frame.paper is not None)
        if frame.paper is not None:
            self.paper.set_colour(frame.paper)
        set_checked(self.through, frame.through)
        self.side.setVisible(frame.kind in SIDED)
        self.corner.setVisible(frame.kind in ("card", "ticket", "tag", "pointer"))
        for widget in (self.gap, self.line, self.paper_on):
            widget.setVisible(there)
        self.through.setVisible(there and not on_picture and frame.paper is not None)
        self.margin.setVisible(not on_picture and (there or bool(piece.caption.items)))
        for swatch, shown in (
            (self.line_colour, there and frame.line > 0),
            (self.paper, there and frame.paper is not None),
        ):
            swatch.setEnabled(shown)

    def show_reach(self, told: str) -> None:
        """Whether something sticks out of the picture."""
        self.beyond.setText(told)
        self.beyond.setVisible(bool(told))
        self.make_room.setVisible(bool(told))

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self.kind.dress(theme)
