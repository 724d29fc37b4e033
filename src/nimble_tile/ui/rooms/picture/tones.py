"""Light, levels, curve, posterising and two tones of the picture."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QPushButton

from nimble_tile.core.artwork import Curve, Levels, Light, Posterise, TwoTone
from nimble_tile.core.language import marked, tr, tr_as, within
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Fold, Segments, Slider, named, row, set_checked, soft
from nimble_tile.ui.kit.curves import CurveEdit
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

TONE_STEPS = ("light", "levels", "curve", "posterise", "two_tone")


class TonesPage(Page):
    """Each step can be switched off; nothing changes the picture itself."""

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self.body.addWidget(soft(tr("In this order. The picture itself stays as it is.")))
        self.folds: dict[str, Fold] = {}
        self.switches: dict[str, QCheckBox] = {}
        light = self._step("light", tr_as("illumination", "Light"), True)
        self.exposure = self.prepares(
            "light", "exposure", Slider(tr("Exposure"), -4, 4, 0, marked("stops"), decimals=2),
            tr("Change the exposure"),
        )  # fmt: skip
        self.contrast = self.prepares(
            "light", "contrast", Slider(tr("Contrast"), -1, 1, 0, "%", factor=100),
            tr("Change the picture's contrast"),
        )  # fmt: skip
        self.saturation = self.prepares(
            "light", "saturation", Slider(tr("Saturation"), -1, 1, 0, "%", factor=100),
            tr("Change the saturation"),
        )  # fmt: skip
        for slider in (self.exposure, self.contrast, self.saturation):
            light.inside.addWidget(slider)
        levels = self._step("levels", tr("Levels"))
        self.black = self.prepares(
            "levels",
            "black",
            Slider(tr("Black from"), 0, 0.9, 0, "%", factor=100),
            tr("Change the levels"),
        )
        self.white = self.prepares(
            "levels",
            "white",
            Slider(tr("White from"), 0.1, 1, 1, "%", factor=100),
            tr("Change the levels"),
        )
        self.gamma = self.prepares(
            "levels", "gamma", Slider(tr("Gamma"), 0.2, 5, 1, decimals=2), tr("Change the gamma")
        )
        for slider in (self.black, self.white, self.gamma):
            levels.inside.addWidget(slider)
        curve = self._step("curve", tr("Luminance curve"))
        self.curve = CurveEdit()
        self.curve.edited.connect(
            lambda points: session.prepare("curve", tr("Change the curve"), "curve", points=points,
                                           on=True)
        )  # fmt: skip
        self.curve.released.connect(session.part)
        straight = QPushButton(tr("Straighten"))
        straight.clicked.connect(
            lambda: session.prepare("curve", tr("Straighten the curve"), points=Curve().points)
        )
        curve.inside.addWidget(self.curve)
        curve.inside.addLayout(row(straight, 1))
        posterise = self._step("posterise", tr("Posterise"))
        self.steps = self.prepares(
            "posterise", "levels", Slider(tr("Steps a channel"), 2, 32, 5, whole=True),
            tr("Posterise"), whole=True,
        )  # fmt: skip
        posterise.inside.addWidget(self.steps)
        self._build_two_tone()
        self.body.addStretch(1)

    def _step(self, step: str, title: str, is_open: bool = False) -> Fold:
        fold = Fold(title, is_open)
        switch = fold.add_switch(tr("{title}: on", title=title))
        switch.toggled.connect(
            lambda on: self.session.prepare(
                step,
                tr("Switch {title} on", title=within(title))
                if on
                else tr("Switch {title} off", title=within(title)),
                on=on,
            )
        )
        self.folds[step], self.switches[step] = fold, switch
        self.body.addWidget(fold)
        return fold

    def _build_two_tone(self) -> None:
        fold = self._step("two_tone", tr("Two tones"))
        self.kind = Segments(
            tr("Threshold"),
            [
                (
                    "otsu",
                    tr("Found"),
                    tr("The threshold that parts dark from light best (Otsu's method)"),
                ),
                ("global", tr("Fixed"), tr("One threshold for the whole picture")),
                ("local", tr("Local"), tr("The mean of the surroundings")),
            ],
        )
        self.kind.chosen.connect(
            lambda kind: self.session.prepare("two_tone", tr("Choose the threshold"), kind=kind,
                                              on=True)
        )  # fmt: skip
        told = tr("Choose how the threshold is set")
        self.threshold = self.prepares(
            "two_tone", "threshold", Slider(tr("Threshold"), 0, 1, 0.5, "%", factor=100), told
        )
        self.window = self.prepares(
            "two_tone", "window", Slider(tr("Surroundings"), 0.01, 1, 0.15, "%", factor=100), told
        )
        self.smoothing = self.prepares(
            "two_tone", "smoothing",
            Slider(tr("Smoothing"), 0, 0.05, 0.004, "%", factor=100, decimals=1),
            tr("Smooth the edges"),
        )  # fmt: skip
        self.dark = self.swatch(tr("Dark tone"), tr("Dark tone"), lambda c: self._colour("dark", c))
        self.light = self.swatch(
            tr("Light tone"), tr("Light tone"), lambda c: self._colour("light", c)
        )
        for widget in (self.kind, self.threshold, self.window, self.smoothing):
            fold.inside.addWidget(widget)
        fold.inside.addLayout(named(tr("Dark"), self.dark, 60))
        fold.inside.addLayout(named(tr_as("tone", "Light"), self.light, 60))

    def _colour(self, field: str, colour: str) -> None:
        self.session.prepare(
            "two_tone",
            tr("Change the dark tone") if field == "dark" else tr("Change the light tone"),
            f"two_tone {field}",
            **{field: colour},
        )

    def show_piece(self, piece: Piece) -> None:
        steps = piece.picture.prepare
        neutral = {"light": Light(), "levels": Levels(), "curve": Curve(),
                   "posterise": Posterise(), "two_tone": TwoTone()}  # fmt: skip
        for step in TONE_STEPS:
            made = getattr(steps, step)
            switch = self.switches[step]
            set_checked(switch, made.on)
            changed = made.model_copy(update={"on": True}) != neutral[step].model_copy(
                update={"on": True}
            )
            self.folds[step].set_note(tr("changed") if changed else "")
        light, levels, two = steps.light, steps.levels, steps.two_tone
        self.exposure.set_value(light.exposure)
        self.contrast.set_value(light.contrast)
        self.saturation.set_value(light.saturation)
        self.black.set_value(levels.black)
        self.white.set_value(levels.white)
        self.gamma.set_value(levels.gamma)
        self.curve.set_value(steps.curve.points)
        self.steps.set_value(steps.posterise.levels)
        self.kind.set_value(two.kind)
        self.threshold.set_value(two.threshold)
        self.window.set_value(two.window)
        self.smoothing.set_value(two.smoothing)
        self.threshold.setVisible(two.kind != "otsu")
        self.window.setVisible(two.kind == "local")
        self.dark.set_colour(two.dark)
        self.light.set_colour(two.light)

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self.curve.dress(theme)
