"""What part of the picture is used: turn, flip, tilt, crop, extension, pattern."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QPushButton

from nimble_tile.core.language import marked, tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit.controls import (
    Fold,
    NumberBox,
    Segments,
    Slider,
    named,
    set_checked,
    soft,
)
from nimble_tile.ui.kit.flow import flow
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

SIDES = (marked("left"), marked("top"), marked("right"), marked("bottom"))


class FramePage(Page):
    """The picture's frame and its pattern.

    Signals
    -------
    crop_wanted : bool
        The crop is worked on on the bench, or no longer.
    """

    crop_wanted = Signal(bool)

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self._transparent = False
        self.left = QPushButton(tr("Turn left"))
        self.right = QPushButton(tr("Turn right"))
        self.flip = QPushButton(tr("Flip"))
        self.flip.setToolTip(tr("Left and right change places"))
        self.left.clicked.connect(lambda: self._turn(-90))
        self.right.clicked.connect(lambda: self._turn(90))
        self.flip.clicked.connect(self._flip)
        self.body.addLayout(flow(self.left, self.right, self.flip, gap=6))
        self.tilt = Slider(tr("Tilt"), -45, 45, 0, "°", decimals=1)
        self.tilt.edited.connect(
            lambda value: session.reframe(tr("Tilt the picture"), "tilt", tilt=round(value, 2))
        )
        self.tilt.released.connect(session.part)
        self.body.addWidget(self.tilt)
        self.crop_on_bench = QPushButton(tr("Crop on the bench"))
        self.crop_on_bench.setCheckable(True)
        self.crop_on_bench.toggled.connect(self.crop_wanted)
        self.crop_on_bench.toggled.connect(
            lambda on: self.crop_on_bench.setText(tr("Done") if on else tr("Crop on the bench"))
        )
        self.whole = QPushButton(tr("Uncrop"))
        self.whole.clicked.connect(
            lambda: session.reframe(tr("Uncrop the picture"), crop=(0, 0, 0, 0))
        )
        self.body.addWidget(soft(tr("Crop, in pixels from each side")))
        self.crop = self._four(tr("Crop"), "crop")
        self.body.addLayout(flow(self.crop_on_bench, self.whole))
        extend = Fold(tr("Extend"))
        extend.inside.addWidget(
            soft(
                tr("Room round the picture, in pixels, for a quiet zone that would not fit on it.")
            )
        )
        self.extend = self._four(tr("Extend"), "extend", extend)
        self.edge = Segments(
            tr("Edge"),
            [
                ("mirror", tr("Mirrored"), tr("The picture goes on mirrored")),
                ("colour", tr("Colour"), tr("One colour all round")),
            ],
        )
        self.edge.chosen.connect(
            lambda edge: session.reframe(tr("Choose the added edge"), edge=edge)
        )
        extend.inside.addWidget(self.edge)
        self.colour = self.swatch(
            tr("Colour of the edge"), tr("Colour of the edge"),
            lambda c: session.reframe(tr("Change the added colour"), "edge colour", colour=c,
                                      edge="colour"),
        )  # fmt: skip
        extend.inside.addLayout(named(tr("Colour"), self.colour))
        self.extend_fold = extend
        self.body.addWidget(extend)
        self._build_pattern()
        self.ground = self.swatch(
            tr("Ground colour"), tr("Ground colour"),
            lambda c: session.edit("picture", tr("Change the ground colour"), "ground", ground=c),
        )  # fmt: skip
        self.ground.setToolTip(tr("Colour behind transparent parts"))
        self.body.addLayout(named(tr("Ground"), self.ground))
        self.transparent = QCheckBox(tr("Transparent in PNG, SVG and PDF"))
        self.transparent.toggled.connect(
            lambda on: session.edit(
                "picture",
                tr("Keep it transparent") if on else tr("Lay it on the ground"),
                transparent=on,
            )
        )
        self.body.addWidget(self.transparent)
        self.body.addStretch(1)

    def _four(self, name: str, field: str, fold: Fold | None = None) -> dict[str, NumberBox]:
        """Four numbers for the four sides."""
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(6)
        made: dict[str, NumberBox] = {}
        for index, side in enumerate(SIDES):
            number = NumberBox(tr("{name} {side}, pixels", name=name, side=tr(side)), 0, 100_000)
            number.setFixedWidth(66)
            number.edited.connect(lambda _, f=field: self._sides(f))
            label = QLabel(tr(side).capitalize())
            label.setBuddy(number)
            row_, column = divmod(index, 2)
            grid.addWidget(label, row_, 2 * column)
            grid.addWidget(number, row_, 2 * column + 1)
            made[side] = number
        grid.setColumnStretch(4, 1)
        (fold.inside if fold else self.body).addLayout(grid)
        return made

    def _sides(self, field: str) -> None:
        numbers = self.crop if field == "crop" else self.extend
        values = tuple(numbers[side].value() for side in SIDES)
        told = tr("Crop the picture") if field == "crop" else tr("Extend the picture")
        if not self.session.reframe(told, field, **{field: values}):
            self.show_piece(self.session.piece)

    def _build_pattern(self) -> None:
        fold = Fold(tr("Pattern"))
        self.pattern_fold = fold
        self.repeat = QCheckBox(tr("Repeat the picture to cover"))
        self.repeat.toggled.connect(
            lambda on: self.session.prepare(
                "tiles", tr("Repeat the picture") if on else tr("Show the picture once"), on=on
            )
        )
        self.across = self.prepares(
            "tiles",
            "across",
            Slider(tr("Repeats across"), 1, 24, 4, decimals=1),
            tr("Change the pattern"),
        )
        self.kind = Segments(
            tr("Pattern"),
            [
                ("rows", tr("Rows"), tr("In rows and columns")),
                ("bricks", tr("Bricks"), tr("Every second row shifted by half")),
                ("mirrored", tr("Mirrored"), tr("Every second one turned over")),
            ],
        )
        self.kind.chosen.connect(
            lambda kind: self.session.prepare("tiles", tr("Choose the pattern"), kind=kind, on=True)
        )
        self.gap = self.prepares(
            "tiles", "gap", Slider(tr("Gap"), 0, 1, 0, "%", factor=100), tr("Change the pattern")
        )
        for widget in (self.repeat, self.across, self.kind, self.gap):
            fold.inside.addWidget(widget)
        self.body.addWidget(fold)

    def _turn(self, by: int) -> None:
        frame = self.session.piece.picture.frame
        # Crop and extension turn along; what is flipped turns the other way round.
        crop, extend = (_rolled(sides, by) for sides in (frame.crop, frame.extend))
        turn = (frame.turn + (-by if frame.flip else by)) % 360
        self.session.reframe(tr("Turn the picture"), turn=turn, crop=crop, extend=extend)

    def _flip(self) -> None:
        frame = self.session.piece.picture.frame
        crop, extend = ((r, t, left, b) for left, t, r, b in (frame.crop, frame.extend))
        self.session.reframe(
            tr("Flip the picture"), flip=not frame.flip, tilt=-frame.tilt, crop=crop, extend=extend
        )

    def know_transparent(self, transparent: bool) -> None:
        """Whether the original has transparent parts."""
        self._transparent = transparent

    def show_piece(self, piece: Piece) -> None:
        picture = piece.picture
        frame, tiles = picture.frame, picture.prepare.tiles
        self.tilt.set_value(frame.tilt)
        for numbers, values in ((self.crop, frame.crop), (self.extend, frame.extend)):
            for side, value in zip(SIDES, values, strict=True):
                numbers[side].set_value(value)
        self.whole.setEnabled(any(frame.crop))
        self.whole.setToolTip("" if any(frame.crop) else tr("Nothing is cropped"))
        self.edge.set_value(frame.edge)
        self.colour.set_colour(frame.colour)
        self.extend_fold.set_note("on" if any(frame.extend) else "")
        set_checked(self.repeat, tiles.on)
        self.across.set_value(tiles.across)
        self.kind.set_value(tiles.kind)
        self.gap.set_value(tiles.gap)
        self.pattern_fold.set_note("on" if tiles.on else "")
        self.ground.set_colour(picture.ground)
        cut = picture.prepare.cut_out
        seen = self._transparent or (tiles.on and tiles.gap > 0) or (
            cut.on and cut.mask is not None and cut.background is None)  # fmt: skip
        set_checked(self.transparent, picture.transparent)
        self.transparent.setEnabled(seen)
        self.transparent.setToolTip(
            tr("The code's square stays opaque")
            if seen
            else tr("This picture has no transparent parts")
        )
        self.ground.setEnabled(seen)
        self.ground.setToolTip(
            tr("Colour behind transparent parts")
            if seen
            else tr("This picture has no transparent parts")
        )

    def stop_cropping(self) -> None:
        """The bench does something else now."""
        self.crop_on_bench.setChecked(False)


def _rolled(sides: tuple[int, int, int, int], by: int) -> tuple[int, int, int, int]:
    """Left, top, right, bottom after a quarter turn clockwise (90) or back (-90)."""
    left, top, right, bottom = sides
    return (bottom, left, top, right) if by > 0 else (top, right, bottom, left)
