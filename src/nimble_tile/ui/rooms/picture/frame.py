"""What part of the picture is used: turn, flip, tilt, crop, extension, pattern."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QPushButton

from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit.controls import (
    Fold,
    NumberBox,
    Segments,
    Slider,
    named,
    row,
    set_checked,
    soft,
)
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

SIDES = ("left", "top", "right", "bottom")


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
        self.left = QPushButton("Turn left")
        self.right = QPushButton("Turn right")
        self.flip = QPushButton("Flip")
        self.flip.setToolTip("Left and right change places")
        self.left.clicked.connect(lambda: self._turn(-90))
        self.right.clicked.connect(lambda: self._turn(90))
        self.flip.clicked.connect(self._flip)
        self.body.addLayout(row(self.left, self.right, self.flip, 1, spacing=6))
        self.tilt = Slider("Tilt", -45, 45, 0, "°", decimals=1)
        self.tilt.edited.connect(
            lambda value: session.reframe("Tilt the picture", "tilt", tilt=round(value, 2))
        )
        self.tilt.released.connect(session.part)
        self.body.addWidget(self.tilt)
        self.crop_on_bench = QPushButton("Crop on the bench")
        self.crop_on_bench.setCheckable(True)
        self.crop_on_bench.toggled.connect(self.crop_wanted)
        self.crop_on_bench.toggled.connect(
            lambda on: self.crop_on_bench.setText("Done" if on else "Crop on the bench")
        )
        self.whole = QPushButton("Uncrop")
        self.whole.clicked.connect(lambda: session.reframe("Uncrop the picture", crop=(0, 0, 0, 0)))
        self.body.addWidget(soft("Crop, in pixels from each side"))
        self.crop = self._four("Crop", "crop")
        self.body.addLayout(row(self.crop_on_bench, self.whole, 1))
        extend = Fold("Extend")
        extend.inside.addWidget(
            soft("Room round the picture, in pixels, for a quiet zone that would not fit on it.")
        )
        self.extend = self._four("Extend", "extend", extend)
        self.edge = Segments(
            "Edge",
            [
                ("mirror", "Mirrored", "The picture goes on mirrored"),
                ("colour", "Colour", "One colour all round"),
            ],
        )
        self.edge.chosen.connect(lambda edge: session.reframe("Choose the added edge", edge=edge))
        extend.inside.addWidget(self.edge)
        self.colour = self.swatch(
            "Colour of the edge", "Colour of the edge",
            lambda c: session.reframe("Change the added colour", "edge colour", colour=c,
                                      edge="colour"),
        )  # fmt: skip
        extend.inside.addLayout(named("Colour", self.colour))
        self.extend_fold = extend
        self.body.addWidget(extend)
        self._build_pattern()
        self.ground = self.swatch(
            "Ground colour", "Ground colour",
            lambda c: session.edit("picture", "Change the ground colour", "ground", ground=c),
        )  # fmt: skip
        self.ground.setToolTip("Colour behind transparent parts")
        self.body.addLayout(named("Ground", self.ground))
        self.transparent = QCheckBox("Transparent in PNG, SVG and PDF")
        self.transparent.toggled.connect(
            lambda on: session.edit(
                "picture", "Keep it transparent" if on else "Lay it on the ground", transparent=on
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
            number = NumberBox(f"{name} {side}, pixels", 0, 100_000)
            number.setFixedWidth(66)
            number.edited.connect(lambda _, f=field: self._sides(f))
            label = QLabel(side.capitalize())
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
        told = "Crop the picture" if field == "crop" else "Extend the picture"
        if not self.session.reframe(told, field, **{field: values}):
            self.show_piece(self.session.piece)

    def _build_pattern(self) -> None:
        fold = Fold("Pattern")
        self.pattern_fold = fold
        self.repeat = QCheckBox("Repeat the picture to cover")
        self.repeat.toggled.connect(
            lambda on: self.session.prepare(
                "tiles", "Repeat the picture" if on else "Show the picture once", on=on
            )
        )
        self.across = self.prepares(
            "tiles", "across", Slider("Repeats across", 1, 24, 4, decimals=1), "Change the pattern"
        )
        self.kind = Segments(
            "Pattern",
            [
                ("rows", "Rows", "In rows and columns"),
                ("bricks", "Bricks", "Every second row shifted by half"),
                ("mirrored", "Mirrored", "Every second one turned over"),
            ],
        )
        self.kind.chosen.connect(
            lambda kind: self.session.prepare("tiles", "Choose the pattern", kind=kind, on=True)
        )
        self.gap = self.prepares(
            "tiles", "gap", Slider("Gap", 0, 1, 0, "%", factor=100), "Change the pattern"
        )
        for widget in (self.repeat, self.across, self.kind, self.gap):
            fold.inside.addWidget(widget)
        self.body.addWidget(fold)

    def _turn(self, by: int) -> None:
        frame = self.session.piece.picture.frame
        # Crop and extension turn along; what is flipped turns the other way round.
        crop, extend = (_rolled(sides, by) for sides in (frame.crop, frame.extend))
        turn = (frame.turn + (-by if frame.flip else by)) % 360
        self.session.reframe("Turn the picture", turn=turn, crop=crop, extend=extend)

    def _flip(self) -> None:
        frame = self.session.piece.picture.frame
        crop, extend = ((r, t, left, b) for left, t, r, b in (frame.crop, frame.extend))
        self.session.reframe(
            "Flip the picture", flip=not frame.flip, tilt=-frame.tilt, crop=crop, extend=extend
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
        self.whole.setToolTip("" if any(frame.crop) else "Nothing is cropped")
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
            "The code's square stays opaque" if seen else "This picture has no transparent parts"
        )
        self.ground.setEnabled(seen)
        self.ground.setToolTip(
            "Colour behind transparent parts" if seen else "This picture has no transparent parts"
        )

    def stop_cropping(self) -> None:
        """The bench does something else now."""
        self.crop_on_bench.setChecked(False)


def _rolled(sides: tuple[int, int, int, int], by: int) -> tuple[int, int, int, int]:
    """Left, top, right, bottom after a quarter turn clockwise (90) or back (-90)."""
    left, top, right, bottom = sides
    return (bottom, left, top, right) if by > 0 else (top, right, bottom, left)
