"""The code's place: numbers, angle, perspective, whole pixels, best places."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QPushButton

from nimble_tile.core.language import tr
from nimble_tile.core.picture.placing import CORNERS
from nimble_tile.core.piece import Piece, Region
from nimble_tile.ui.kit.controls import (
    Fold,
    NumberBox,
    Slider,
    named,
    row,
    rule,
    set_checked,
    set_rank,
    soft,
)
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session
from nimble_tile.ui.work.sights import Places


class PlacePage(Page):
    """Where the code lies on the picture.

    Signals
    -------
    free_corners : bool
        Corners are pulled freely from now on, or scale the code.
    snaps : bool
        Whether moving snaps.
    place_chosen : Region
        One of the best places.
    lens_wanted
        The places lens.
    """

    free_corners = Signal(bool)
    snaps = Signal(bool)
    place_chosen = Signal(object)
    lens_wanted = Signal()

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self._size: tuple[int, int] | None = None
        self._best: tuple[Region, ...] = ()
        self.body.addWidget(soft(tr("Quiet zone included. Or drag it on the bench.")))
        self.x = NumberBox(tr("From the left"), -100_000, 100_000, "px")
        self.y = NumberBox(tr("From the top"), -100_000, 100_000, "px")
        self.side = NumberBox(tr("Side of the code"), 1, 100_000, "px")
        for name, number in ((tr("From the left"), self.x), (tr("From the top"), self.y),
                             (tr("Side"), self.side)):  # fmt: skip
            number.edited.connect(self._place)
            self.body.addLayout(named(name, number, 110))
        self.angle = Slider(tr("Angle"), -180, 180, 0, "°", decimals=1)
        self.angle.edited.connect(self._turn)
        self.angle.released.connect(session.part)
        self.body.addWidget(self.angle)
        self.centre = QPushButton(tr("Fill the middle"))
        self.centre.setToolTip(tr("The largest square in the middle of the picture"))
        self.centre.clicked.connect(
            lambda: session.edit("picture", tr("Place the code in the middle"), region=None)
        )
        self.body.addLayout(row(self.centre, 1))
        self.whole = QCheckBox(tr("Whole pixels for every module"))
        self.whole.setToolTip(
            tr("An upright code takes the nearest size at which module edges fall between pixels")
        )
        self.whole.toggled.connect(
            lambda on: session.edit(
                "picture", tr("Whole pixels") if on else tr("Any size of pixels"), whole_pixels=on
            )
        )
        self.snap = QCheckBox(tr("Snap to the middle and the thirds"))
        self.snap.setChecked(True)
        self.snap.setToolTip(tr("Hold Ctrl while dragging to let it be"))
        self.snap.toggled.connect(self.snaps)
        self.body.addWidget(self.whole)
        self.body.addWidget(self.snap)
        self.body.addWidget(rule())
        self.free = QCheckBox(tr("Perspective: pull the corners freely"))
        self.free.setToolTip(tr("For a sign, a screen or a page in the scene"))
        self.free.toggled.connect(self.free_corners)
        self.flat = QPushButton(tr("Make it flat again"))
        self.flat.clicked.connect(self._flatten)
        self.bent_note = soft()
        self.body.addWidget(self.free)
        self.body.addWidget(self.bent_note)
        self.corners = self._corner_numbers()
        self.body.addLayout(row(self.flat, 1))
        self.body.addWidget(rule())
        self.best_note = soft(tr("Where the picture would change least, at this size:"))
        self.body.addWidget(self.best_note)
        self.buttons = [QPushButton(str(number)) for number in (1, 2, 3)]
        for index, button in enumerate(self.buttons):
            button.setAccessibleName(tr("Best place {index}", index=index + 1))
            button.setEnabled(False)
            button.setToolTip(tr("Being looked for"))
            button.clicked.connect(lambda _=False, i=index: self.place_chosen.emit(self._best[i]))
        self.lens = QPushButton(tr("See all"))
        self.lens.setToolTip(tr("The places lens: clear where the code's middle costs little"))
        self.lens.clicked.connect(self.lens_wanted)
        self.body.addLayout(row(*self.buttons, self.lens, 1, spacing=6))
        self.body.addStretch(1)

    def _corner_numbers(self) -> Fold:
        """Eight numbers: the corners of the code."""
        fold = Fold(tr("Corners in numbers"))
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(6)
        self.corner_numbers: list[tuple[NumberBox, NumberBox]] = []
        for index, name in enumerate(CORNERS):
            pair = (
                NumberBox(tr("{name}, from the left", name=tr(name).capitalize()), 0, 100_000),
                NumberBox(tr("{name}, from the top", name=tr(name).capitalize()), 0, 100_000),
            )
            grid.addWidget(QLabel(tr(name).capitalize()), index, 0)
            for column, number in enumerate(pair):
                number.setFixedWidth(66)
                number.edited.connect(lambda _, i=index: self._type_corner(i))
                grid.addWidget(number, index, column + 1)
            self.corner_numbers.append(pair)
        grid.setColumnStretch(3, 1)
        self.corner_note = soft()
        set_rank(self.corner_note, "error")
        self.corner_note.hide()
        fold.inside.addLayout(grid)
        fold.inside.addWidget(self.corner_note)
        self.body.addWidget(fold)
        return fold

    def _type_corner(self, index: int) -> None:
        """Put one corner where it was typed, as far as that is possible."""
        old = self._region(self.session.piece)
        if old is None or self._size is None:
            return
        from nimble_tile.core.picture.gestures import bent
        from nimble_tile.core.picture.placing import corners

        now = corners(old)[index]
        typed = tuple(number.value() for number in self.corner_numbers[index])
        by = tuple(
            0.0 if value == round(float(at)) else value - float(at)
            for value, at in zip(typed, now, strict=True)
        )
        new = bent(old, CORNERS[index], by, self._size)
        if new is not None:
            self.session.edit("picture", tr("Place a corner"), "corner", region=new)
        self.corner_note.setText(
            "" if new is not None else tr("There the code would be crossed or folded.")
        )
        self.corner_note.setVisible(new is None)
        self.show_piece(self.session.piece)

    def show_frame(self, size: tuple[int, int] | None, place: Region | None) -> None:
        """Size of the framed picture, and the place that is used on it."""
        self._size, self._used = size, place
        self.show_piece(self.session.piece)

    _used: Region | None = None

    def _region(self, piece: Piece) -> Region | None:
        if piece.picture.region is not None:
            return piece.picture.region
        if self._size is None:
            return None
        from nimble_tile.core.picture.placing import centred_square

        return centred_square(self._size)

    def show_piece(self, piece: Piece) -> None:
        picture = piece.picture
        for box, value in ((self.whole, picture.whole_pixels),):
            set_checked(box, value)
        region = self._region(piece)
        if region is None or self._size is None:
            return
        width, height = self._size
        self.x.set_value(round(region.x), width)
        self.y.set_value(round(region.y), height)
        self.side.set_value(round(region.width), min(width, height))
        self.angle.set_value(region.angle)
        bent = region.bend is not None
        self.flat.setEnabled(bent)
        self.flat.setToolTip("" if bent else tr("The code is flat"))
        self.whole.setEnabled(region.upright)
        self.whole.setToolTip(
            tr("An upright code takes the nearest size at which module edges fall between pixels")
            if region.upright
            else tr("Only for a code that stands upright")
        )
        free = self.free.isChecked()
        self.corners.setVisible(free or bent)
        if free or bent:
            from nimble_tile.core.picture.placing import corners

            for pair, at in zip(self.corner_numbers, corners(region), strict=True):
                for number, value, most in zip(pair, at, self._size, strict=True):
                    number.set_value(round(float(value)), most)
        self.bent_note.setText(
            tr("Drag each corner to the sign's. Moving, scaling and turning keep the perspective.")
            if free or bent
            else ""
        )
        self.bent_note.setVisible(free or bent)

    def show_places(self, places: Places | None) -> None:
        """The best places of the current piece."""
        self._best = () if places is None else places.best
        for index, button in enumerate(self.buttons):
            there = index < len(self._best)
            button.setEnabled(there)
            button.setToolTip(
                tr("Put the code there") if there else
                (tr("Being looked for") if places is None else tr("There is no other good place"))
            )  # fmt: skip

    def set_free(self, on: bool) -> None:
        """Show whether corners are pulled freely, without telling anyone."""
        set_checked(self.free, on)
        self.show_piece(self.session.piece)

    def _place(self) -> None:
        """Keep what was typed and give way in the other numbers."""
        old = self._region(self.session.piece)
        if old is None or self._size is None:
            return
        from nimble_tile.core.picture.gestures import fitted

        # What was not typed stays as exact as it was.
        x, y, side = (
            old_value if number.value() == round(old_value) else float(number.value())
            for number, old_value in (
                (self.x, old.x), (self.y, old.y), (self.side, old.width),
            )
        )  # fmt: skip
        side = min(side, *self._size)
        height = side * old.height / old.width
        # A new side length keeps the middle where it is.
        x, y = x + (old.width - side) / 2, y + (old.height - height) / 2
        if old.upright:
            x, y = float(round(x)), float(round(y))
        new = old.model_copy(update={"x": x, "y": y, "width": side, "height": height})
        self.session.edit("picture", tr("Place the code"), "place", region=fitted(new, self._size))

    def _turn(self, angle: float) -> None:
        old = self._region(self.session.piece)
        if old is None or self._size is None:
            return
        from nimble_tile.core.picture.gestures import turned

        new = turned(old, angle, self._size, free=True)
        self.session.edit("picture", tr("Turn the code"), "turn", region=new)

    def _flatten(self) -> None:
        old = self._region(self.session.piece)
        if old is not None and self._size is not None:
            from nimble_tile.core.picture.gestures import without_perspective

            self.session.edit(
                "picture", tr("Make the code flat"), region=without_perspective(old, self._size)
            )
