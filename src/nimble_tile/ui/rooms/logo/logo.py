"""The logo itself: its place and size, its background, its colours, its effects of light."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QPushButton

from nimble_tile.core.additions import Ground, Logo
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.core.relief import Bevel, Inner, Shadow
from nimble_tile.ui.kit.controls import Fold, Slider, row, set_checked
from nimble_tile.ui.kit.effects import NAMES, Effects
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

SIDE_LABELS = (tr("Left"), tr("Top"), tr("Right"), tr("Bottom"))


class ItemPage(Page):
    """A page that edits one of the piece's logos.

    Attributes
    ----------
    index : int
        Which one.
    """

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self.index = 0

    @property
    def logo(self) -> Logo | None:
        """The logo that is edited."""
        items = self.session.piece.logo.items
        return items[self.index] if 0 <= self.index < len(items) else None

    def change(self, name: str, key: str = "", /, **changes: object) -> None:
        """Change settings of the logo."""
        self.session.edit_item("logo", self.index, name, key, **changes)

    def change_in(self, part: str, name: str, key: str = "", /, **changes: object) -> None:
        """Change settings of a part of the logo: ``"backing"``, ``"ground"``, an effect."""
        logo = self.logo
        if logo is not None:
            old = getattr(logo, part)
            self.change(name, key, **{part: {**dict(old), **changes}})

    def joined(self, part: str, field: str, slider: Slider, name: str) -> Slider:
        """A slider joined with a field of the logo, or of a part of it."""

        def edited(value: float) -> None:
            value = round(value, 4)
            if part:
                self.change_in(part, name, f"{part} {field}", **{field: value})
            else:
                self.change(name, field, **{field: value})

        slider.edited.connect(edited)
        slider.released.connect(self.session.part)
        return slider


class LogoPage(ItemPage):
    """Place, size, crop, background, colour, effects.

    Signals
    -------
    recolour : str
        ``"logo"``: the logo takes the code's colour; ``"code"``: the code takes the logo's.
    """

    recolour = Signal(str)

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self.size = self.joined(
            "",
            "size",
            Slider(tr("Size"), 0.02, 1, 0.24, "%", factor=100, decimals=1),
            tr("Scale the logo"),
        )
        self.size.setToolTip(tr("Longer side in parts of the code's, its quiet zone not counted"))
        self.x = self.joined(
            "", "x", Slider(tr("From the left"), 0, 1, 0.5, "%", factor=100, decimals=1),
            tr("Place the logo"),
        )  # fmt: skip
        self.y = self.joined(
            "", "y", Slider(tr("From the top"), 0, 1, 0.5, "%", factor=100, decimals=1),
            tr("Place the logo"),
        )  # fmt: skip
        self.angle = self.joined(
            "", "angle", Slider(tr("Turn"), -180, 180, 0, "°"), tr("Turn the logo")
        )
        self.centre = QPushButton(tr("To the middle"))
        self.centre.clicked.connect(
            lambda: self.change(tr("Put the logo in the middle"), x=0.5, y=0.5)
        )
        self.body.addWidget(self.size)
        self.body.addWidget(self.x)
        self.body.addWidget(self.y)
        self.body.addWidget(self.angle)
        self.body.addLayout(row(self.centre, 1))
        self.body.addWidget(self._background())
        self.body.addWidget(self._colour())
        self.body.addWidget(self._crop())
        self.body.addWidget(self._effects())
        self.body.addStretch(1)

    def _background(self) -> Fold:
        self.ground_fold = Fold(tr("Its background"))
        self.ground_off = QCheckBox(tr("Take off a background of one colour"))
        self.ground_off.setToolTip(tr("From the edges inwards; the new edge is cleaned"))
        self.ground_off.toggled.connect(
            lambda on: self.change_in(
                "ground", tr("Take off the background") if on else tr("Keep the background"), off=on
            )
        )
        self.tolerance = self.joined(
            "ground", "tolerance",
            Slider(tr("Tolerance"), 0, 0.6, Ground().tolerance, "%", factor=100),
            tr("Change the tolerance"),
        )  # fmt: skip
        self.ground_fold.inside.addWidget(self.ground_off)
        self.ground_fold.inside.addWidget(self.tolerance)
        return self.ground_fold

    def _colour(self) -> Fold:
        self.colour_fold = Fold(tr("Colours"), True)
        self.own = QPushButton(tr("Its own colours"))
        self.own.clicked.connect(
            lambda: self.change(tr("Give the logo its own colours"), tint=None)
        )
        self.to_code = QPushButton(tr("Logo as the code"))
        self.to_code.setToolTip(tr("The logo in one colour: that of the code's modules"))
        self.to_code.clicked.connect(lambda: self.recolour.emit("logo"))
        self.to_logo = QPushButton(tr("Code as the logo"))
        self.to_logo.setToolTip(tr("The modules in the logo's main colour, dark enough to be read"))
        self.to_logo.clicked.connect(lambda: self.recolour.emit("code"))
        for button in (self.to_code, self.to_logo, self.own):
            self.colour_fold.inside.addLayout(row(button, 1))
        return self.colour_fold

    def _crop(self) -> Fold:
        self.crop_fold = Fold(tr("Crop"))
        self.crops = [Slider(name, 0, 0.9, 0, "%", factor=100, decimals=1) for name in SIDE_LABELS]
        for number, slider in enumerate(self.crops):
            slider.edited.connect(lambda value, n=number: self._cut(n, value))
            slider.released.connect(self.session.part)
            self.crop_fold.inside.addWidget(slider)
        return self.crop_fold

    def _cut(self, side: int, value: float) -> None:
        logo = self.logo
        if logo is None:
            return
        crop = list(logo.crop)
        # The opposite side gives way, so that something is left.
        crop[side] = round(value, 4)
        other = (side + 2) % 4
        crop[other] = round(min(crop[other], 0.95 - crop[side]), 4)
        self.change(tr("Crop the logo"), "crop", crop=tuple(max(0.0, v) for v in crop))

    def _effects(self) -> Effects:
        self.effects = Effects(Shadow(), Inner(), Bevel())
        self.effects.edited.connect(
            lambda part, field, value: self.change_in(
                part,
                tr("Change the {names}", names=NAMES[part]),
                f"{part} {field}",
                **{field: value},
            )
        )
        self.effects.released.connect(self.session.part)
        return self.effects

    def show_piece(self, piece: Piece) -> None:
        logo = self.logo
        if logo is None:
            return
        for slider, value in (
            (self.size, logo.size), (self.x, logo.x), (self.y, logo.y), (self.angle, logo.angle),
            (self.tolerance, logo.ground.tolerance),
            *zip(self.crops, logo.crop, strict=True),
        ):  # fmt: skip
            slider.set_value(value)
        set_checked(self.ground_off, logo.ground.off)
        self.tolerance.setVisible(logo.ground.off)
        self.ground_fold.set_note(tr("taken off") if logo.ground.off else "")
        self.colour_fold.set_note("" if logo.tint is None else tr("recoloured"))
        self.own.setEnabled(logo.tint is not None)
        self.own.setToolTip("" if logo.tint is not None else tr("It has its own colours"))
        self.crop_fold.set_note(tr("cropped") if any(logo.crop) else "")
        self.effects.show_values(logo.shadow, logo.inner, logo.bevel)
