"""The settings that only one blend method has."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr, tr_as, within
from nimble_tile.core.look import Look
from nimble_tile.core.piece import (
    MATERIAL_LABELS,
    MODE_LABELS,
    Blend,
    Cut,
    Dots,
    Grain,
    Light,
    Strokes,
    Weave,
)
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Segments, Slider, named, row, set_checked
from nimble_tile.ui.kit.pickers import PictureGrid, paint_image
from nimble_tile.ui.rooms.blend.marks_box import MarksBox
from nimble_tile.ui.work.session import Session

ABOUT = {
    "tone": tr("Draws each module's own tone into a dark or a light band; colours stay."),
    "overlay": tr("Lays the code, as it looks, over the picture."),
    "dots": tr("Dots at the modules' centres; between them the picture shows."),
    "cut": tr("A dark-and-light motif runs through the whole code."),
    "grain": tr("The picture in fine dark and light grain inside the modules."),
    "ink": tr("The picture is printed in the modules of one kind, or as a tint."),
    "gentle": tr("As few marks as readers let it, in the picture's own colours; or soft tones."),
    "strokes": tr("Brush strokes along the picture's contours, toned by the code."),
    "weave": tr("Rebuilds the square from patches of the picture, or of another matter."),
    "light": tr("The code falls on the picture as sun through a pierced screen."),
}
"""What each method does."""


class MethodBox(QWidget):
    """Shows the settings of the chosen method alone.

    Signals
    -------
    matter_wanted
        Another picture is to be chosen to weave of.
    sweep_wanted : str
        All values of a setting are to be tried; its key.
    """

    matter_wanted = Signal()
    sweep_wanted = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self._boxes: dict[str, QWidget] = {}
        self._made: dict[str, QVBoxLayout] = {}
        for method in ABOUT:
            box = QWidget()
            inside = QVBoxLayout(box)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.setSpacing(8)
            layout.addWidget(box)
            self._boxes[method], self._made[method] = box, inside
        self._tone()
        self._gentle()
        self._overlay()
        self._dots()
        self._cut()
        self._grain()
        self._ink()
        self._strokes()
        self._weave()
        self._light()

    def _slider(self, method: str, field: str, slider: Slider, sub: str = "") -> Slider:
        """A slider for a field of the blend, or of one of its methods."""

        def edit(value: float) -> None:
            value = round(value) if slider.whole else round(value, 4)
            self._edit(
                field,
                value,
                sub,
                tr(
                    "Change the {name}",
                    name=within(slider.track.accessibleName()),
                ),
            )

        slider.edited.connect(edit)
        slider.released.connect(self.session.part)
        self._made[method].addWidget(slider)
        return slider

    def _edit(self, field: str, value: Any, sub: str, name: str) -> None:
        key = f"{sub}.{field}"
        if sub:
            old = getattr(self.session.piece.blend, sub)
            made = type(old).model_validate({**dict(old), field: value})
            self.session.edit("blend", name, key, **{sub: made})
        else:
            self.session.edit("blend", name, key, **{field: value})

    def _tone(self) -> None:
        share = {"unit": "%", "factor": 100}
        self.darks = self._slider("tone", "darks", Slider(tr("Dark band"), 0, 2, 1, **share))
        self.lights = self._slider("tone", "lights", Slider(tr("Light band"), 0, 2, 1, **share))

    def _gentle(self) -> None:
        share = {"unit": "%", "factor": 100}
        self.marks = self._marks("gentle")
        darks = Slider(tr("Dark modules"), 0, 2, 1, **share)
        self.gentle_darks = self._slider("gentle", "darks", darks)
        self.gentle_lights = self._slider(
            "gentle", "lights", Slider(tr("Light modules"), 0, 2, 1, **share)
        )

    def _marks(self, method: str) -> MarksBox:
        made = MarksBox()
        made.edited.connect(lambda field, value, name: self._edit(field, value, "marks", name))
        made.released.connect(self.session.part)
        made.costs_wanted.connect(lambda: self.sweep_wanted.emit("blend.marks.border"))
        self._made[method].addWidget(made)
        return made

    def _overlay(self) -> None:
        self.mode = Choice(tr("Blend mode"), list(MODE_LABELS.items()))
        self.mode.setMaxVisibleItems(16)
        self.mode.chosen.connect(
            lambda mode: self.session.edit("blend", tr("Change the blend mode"), mode=mode)
        )
        self._made["overlay"].addLayout(named(tr("Blend mode"), self.mode))

    def _dots(self) -> None:
        default = Dots()
        self.dot_shape = Segments(
            tr("Dot shape"),
            [
                ("round", tr("Round"), ""),
                ("square", tr("Square"), ""),
                ("diamond", tr("Diamond"), ""),
            ],
        )
        self.dot_shape.chosen.connect(
            lambda shape: self._edit("shape", shape, "dots", tr("Choose the dots' shape"))
        )
        self._made["dots"].addWidget(self.dot_shape)
        self.dot_size = self._slider(
            "dots", "size", Slider(tr("Dot size"), 0.3, 1, default.size, "%", factor=100), "dots"
        )
        self.dot_softness = self._slider(
            "dots", "softness",
            Slider(tr("Dot softness"), 0, 1, default.softness, "%", factor=100), "dots",
        )  # fmt: skip

    def _cut(self) -> None:
        default = Cut()
        self.cut_found = QCheckBox(tr("Find the threshold"))
        self.cut_found.toggled.connect(
            lambda on: self._edit(
                "threshold", None if on else 0.5, "cut",
                tr("Find the threshold") if on else tr("Set the threshold"),
            )
        )  # fmt: skip
        self._made["cut"].addWidget(self.cut_found)
        self.cut_threshold = self._slider(
            "cut", "threshold", Slider(tr("Cut at"), 0, 1, 0.5, "%", factor=100), "cut"
        )
        self.cut_smoothing = self._slider(
            "cut", "smoothing",
            Slider(tr("Smoothing"), 0, 1, default.smoothing, "%", factor=100), "cut",
        )  # fmt: skip
        self.cut_colour = self._slider(
            "cut", "colour", Slider(tr("Colour"), 0, 1, default.colour, "%", factor=100), "cut"
        )

    def _grain(self) -> None:
        self.cells = self._slider(
            "grain", "cells", Slider(tr("Cells a module"), 3, 7, Grain().cells, whole=True), "grain"
        )

    def _ink(self) -> None:
        self.ink = Segments(
            tr("Picture in"),
            [
                ("dark", tr("Dark"), tr("The picture in the dark modules alone")),
                ("light", tr_as("tone", "Light"), tr("The picture in the light modules alone")),
                (
                    "tint",
                    tr("Tint"),
                    tr("Hue and saturation of the picture, luminance of the code"),
                ),
            ],
        )
        self.ink.chosen.connect(
            lambda where: self._edit(
                "where", where, "ink", tr("Choose where the picture is printed")
            )
        )
        self._made["ink"].addWidget(self.ink)

    def _strokes(self) -> None:
        default = Strokes()
        for name, field, low, high in (
            (tr("Stroke width"), "width", 0.15, 0.6),
            (tr("Stroke length"), "length", 0.4, 2),
            (tr("Gaps"), "gaps", 0, 0.6),
        ):
            slider = Slider(name, low, high, getattr(default, field), "%", factor=100)
            setattr(self, f"stroke_{field}", self._slider("strokes", field, slider, "strokes"))
        again = QPushButton(tr("Another scatter"))
        again.clicked.connect(
            lambda: self._edit(
                "seed", (self.session.piece.blend.strokes.seed + 1) % 10_000, "strokes",
                tr("Scatter the strokes anew"),
            )
        )  # fmt: skip
        self.scatter = again
        self._made["strokes"].addLayout(row(again, 1))

    def _weave(self) -> None:
        default = Weave()
        self._matter_images: dict[str, QImage] = {}
        self.matter = PictureGrid(
            tr("Matter"),
            [("picture", tr("The picture itself")), *MATERIAL_LABELS.items(),
             ("other", tr("Another picture …"))],
            self._paint_matter, columns=5, cell=45,
        )  # fmt: skip
        self.matter.chosen.connect(self._choose_matter)
        self.matter_name = QLabel()
        share = {"unit": "%", "factor": 100}
        made = self._made["weave"]
        made.addWidget(self.matter_name)
        made.addWidget(self.matter)
        self.motif = self._slider(
            "weave", "motif", Slider(tr("Motif kept"), 0, 1, default.motif, **share), "weave"
        )
        self.motif.setToolTip(tr("How far the picture's shapes and colours stay where they are"))
        self.patch = self._slider(
            "weave", "patch", Slider(tr("Patch size"), 0.6, 1.6, default.patch, **share), "weave"
        )
        self.woven_marks = self._marks("weave")
        self.woven_finders = Segments(
            tr("Finders"),
            [
                ("woven", tr("Woven finders"), tr("Finders of the same matter")),
                ("drawn", tr("Drawn finders"), tr("Finders in the shapes of the look")),
            ],
        )
        self.woven_finders.chosen.connect(
            lambda how: self._edit("finders", how, "weave", tr("Choose the finders"))
        )
        made.addWidget(self.woven_finders)
        self.reweave = QPushButton(tr("Another weaving"))
        self.reweave.clicked.connect(
            lambda: self._edit(
                "seed", (self.session.piece.blend.weave.seed + 1) % 10_000, "weave",
                tr("Weave anew"),
            )
        )  # fmt: skip
        made.addLayout(row(self.reweave, 1))

    def _light(self) -> None:
        default = Light()
        share = {"unit": "%", "factor": 100}
        for field, slider, tip in (
            ("warmth", Slider(tr("Warmth"), 0, 1, default.warmth, **share),
             tr("How warm the light is, and how blue the shade")),
            ("edge", Slider(tr("Penumbra"), 0, 0.6, default.edge, **share),
             tr("Width of the soft edge, in parts of a module: it grows with the screen's "
                "distance")),
            ("rounding", Slider(tr("Rounded openings"), 0, 1, default.rounding, **share),
             tr("How far openings are rounded and joined; a look's own shapes stay")),
            ("fall", Slider(tr("Falls off by"), 0, 1, default.fall, **share),
             tr("How much weaker the light is at its far end")),
            ("angle", Slider(tr("Falls off towards"), -180, 180, default.angle, "°"),
             tr("0: to the right; 90: downwards")),
        ):  # fmt: skip
            slider.setToolTip(tip)
            setattr(self, f"light_{field}", self._slider("light", field, slider, "light"))

    def _choose_matter(self, matter: object) -> None:
        if matter == "other":
            self.matter_wanted.emit()
        else:
            self._edit("matter", matter, "weave", tr("Choose what to weave of"))

    def _paint_matter(
        self, painter: QPainter, area: QRectF, matter: object, theme: themes.Theme
    ) -> None:
        name = str(matter)
        if name in MATERIAL_LABELS and name not in self._matter_images:
            from importlib.resources import files

            small = files("nimble_tile.assets").joinpath(f"materials/small/{name}.png")
            self._matter_images[name] = QImage.fromData(small.read_bytes())
        image = self._matter_images.get(name)
        if image is not None:
            paint_image(painter, area, image)
            return
        painter.setPen(QColor(theme.soft))
        painter.setFont(themes.font(18))
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "…" if name == "other" else "P")

    def show_picture(self, image: QImage | None) -> None:
        """The picture itself, small, as the first matter."""
        if image is None:
            self._matter_images.pop("picture", None)
        else:
            self._matter_images["picture"] = image
        self.matter.update()

    def dress(self, theme: themes.Theme) -> None:
        """Take on a theme."""
        self.marks.dress(theme)
        self.woven_marks.dress(theme)
        self.matter.dress(theme)

    def show_blend(self, blend: Blend, look: Look) -> None:
        """Show the settings of the blend's method, of a piece that looks so."""
        self.marks.show_marks(blend.marks, look)
        self.woven_marks.show_marks(blend.marks, look)
        for method, box in self._boxes.items():
            box.setVisible(method == blend.method)
        self.darks.set_value(blend.darks)
        self.lights.set_value(blend.lights)
        self.gentle_darks.set_value(blend.darks)
        self.gentle_lights.set_value(blend.lights)
        self.mode.set_value(blend.mode)
        self.dot_shape.set_value(blend.dots.shape)
        self.dot_size.set_value(blend.dots.size)
        self.dot_softness.set_value(blend.dots.softness)
        found = blend.cut.threshold is None
        set_checked(self.cut_found, found)
        self.cut_threshold.setVisible(not found)
        self.cut_threshold.set_value(0.5 if found else blend.cut.threshold)
        self.cut_smoothing.set_value(blend.cut.smoothing)
        self.cut_colour.set_value(blend.cut.colour)
        self.cells.set_value(blend.grain.cells)
        self.ink.set_value(blend.ink.where)
        self.stroke_width.set_value(blend.strokes.width)
        self.stroke_length.set_value(blend.strokes.length)
        self.stroke_gaps.set_value(blend.strokes.gaps)
        weave = blend.weave
        self.matter.set_value("other" if weave.digests else weave.matter)
        named_ = {"picture": tr("The picture itself"), **MATERIAL_LABELS}
        self.matter_name.setText(
            tr("Woven of: {get}", get=named_.get(weave.matter, "another picture"))
        )
        self.motif.set_value(weave.motif)
        self.patch.set_value(weave.patch)
        self.woven_finders.set_value(weave.finders)
        self.woven_finders.setVisible(not blend.by_marks)  # by marks they are drawn
        for field, value in blend.light:
            getattr(self, f"light_{field}").set_value(value)
