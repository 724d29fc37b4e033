"""Shapes of modules and finders, and what the finders measure."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QLabel, QPushButton, QToolButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.look import Look
from nimble_tile.core.piece import Piece
from nimble_tile.core.relief import Relief
from nimble_tile.core.scan.known import warnings
from nimble_tile.core.symbol.looks import shapes
from nimble_tile.core.symbol.looks.drawing import module_layers
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.colours import Swatch
from nimble_tile.ui.kit.controls import Segments, Slider, row, set_rank, soft
from nimble_tile.ui.kit.effects import NAMES, Effects
from nimble_tile.ui.kit.gauges import FinderGauge
from nimble_tile.ui.kit.paths import paint_layer, to_painter_path
from nimble_tile.ui.kit.pickers import PictureGrid
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.study import Study

MODULES = (
    ("square", tr("Square")), ("rounded", tr("Rounded square")), ("round", tr("Round")),
    ("diamond", tr("Diamond")), ("star", tr("Star")), ("leaf", tr("Leaf")), ("plus", tr("Plus")),
    ("upright", tr("Upright bars")), ("across", tr("Bars across")),
    ("fused", tr("Fused into one body")), ("own", tr("Your own, from an SVG file")),
)  # fmt: skip
RINGS = (
    ("square", tr("Square")), ("window", tr("Window: square outside, rounded inside")),
    ("sail", tr("Sail: sides curve inwards")), ("rounded", tr("Rounded")),
    ("soft", tr("Softly rounded")),
    ("round", tr("Round")), ("leaf", tr("Leaf")), ("cut", tr("Corners cut")),
    ("modules", tr("Made of modules")), ("own", tr("Your own, from an SVG file")),
    ("picture", tr("A picture in place of the finders")),
)  # fmt: skip
EYES = (
    ("square", tr("Square")), ("rounded", tr("Rounded")), ("soft", tr("Softly rounded")),
    ("round", tr("Round")),
    ("leaf", tr("Leaf")), ("cut", tr("Corners cut")), ("diamond", tr("Diamond")),
    ("star", tr("Star")),
    ("modules", tr("Made of modules")), ("own", tr("Your own, from an SVG file")),
)  # fmt: skip

# A little piece of a code that shows how neighbours meet.
_SAMPLE = np.array([[1, 1, 0], [0, 1, 1], [1, 0, 1]], bool)


class ShapesPage(QWidget):
    """Modules, finders, alignment patterns.

    Signals
    -------
    file_wanted : str
        ``"own"``, ``"ring_own"``, ``"eye_own"``: an SVG; ``"finder_picture"``: a picture.
    """

    file_wanted = Signal(str)

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self._look = Look()
        self.modules = PictureGrid(tr("Shape of the modules"), MODULES, self._paint_modules)
        self.rings = PictureGrid(tr("Ring of the finders"), RINGS, self._paint_ring)
        self.eyes = PictureGrid(tr("Eye of the finders"), EYES, self._paint_eye)
        for grid, field, own in (
            (self.modules, "shape", "own"), (self.rings, "ring", "ring_own"),
            (self.eyes, "eye", "eye_own"),
        ):  # fmt: skip
            grid.chosen.connect(lambda value, f=field, o=own: self._choose(f, value, o))
        self.size = Slider(tr("Size"), 0.4, 1.1, 1, "%", factor=100)
        self.round_out = Slider(tr("Outer corners"), 0, 0.5, 0.5, "%", factor=200)
        self.round_in = Slider(tr("Inner corners"), 0, 0.5, 0.35, "%", factor=200)
        self.jitter = Slider(tr("Stray"), 0, 1, 0, "%", factor=100)
        self.outline = Slider(tr("Outline"), 0, 0.3, 0, "%", factor=100)
        for slider, field, name in (
            (self.size, "size", tr("Change the size of the modules")),
            (self.round_out, "round_out", tr("Change the outer corners")),
            (self.round_in, "round_in", tr("Change the inner corners")),
            (self.jitter, "jitter", tr("Change how modules stray")),
            (self.outline, "outline", tr("Change the outline")),
        ):
            slider.edited.connect(
                lambda v, f=field, n=name: session.edit("look", n, f, **{f: round(v, 4)})
            )
            slider.released.connect(session.part)
        self.jitter.track.setToolTip(
            tr("How far modules stray from the grid, for a hand-made feel")
        )
        self.shuffle = QToolButton()
        self.shuffle.setToolTip(tr("Stray in another way"))
        self.shuffle.setAccessibleName(tr("Stray in another way"))
        self.shuffle.clicked.connect(self._shuffle)
        self.seed = soft()
        self.line = Swatch(tr("Colour of the outline"), 36)
        self.line.wanted.connect(
            lambda: desk.open(
                self.line,
                "Outline",
                lambda c: session.edit(
                    "look", tr("Colour the outline"), "outline colour", outline_colour=c
                ),
                session.part,
            )
        )
        self._line_row = QWidget()
        self._line_row.setLayout(row(soft(tr("Colour of the outline")), 1, self.line))
        self._stray_row = QWidget()
        self._stray_row.setLayout(row(self.seed, 1, self.shuffle))
        self.alignment = Segments(
            tr("Alignment patterns"),
            [("follow", tr("Follow"), tr("Shaped like the finders")),
             ("plain", tr("Plain"), tr("Plain squares")),
             ("modules", tr("Modules"), tr("Made of modules"))],
        )  # fmt: skip
        self.alignment.chosen.connect(
            lambda v: session.edit("look", tr("Shape the alignment patterns"), alignment=v)
        )
        plain = Relief()
        self.effects = Effects(plain.shadow, plain.inner, plain.bevel)
        self.effects.edited.connect(self._light)
        self.effects.released.connect(session.part)
        self.again = QPushButton(tr("Another file…"))
        self.again.setProperty("flat", True)
        self.again.clicked.connect(self._ask_again)
        self.warning = QLabel()
        self.warning.setWordWrap(True)
        set_rank(self.warning, "warn")
        self.gauge = FinderGauge()
        self.gauge_note = soft()
        titles = (
            tr("Modules"), tr("Finder ring"), tr("Finder eye"), tr("Alignment patterns"),
            tr("Run ratio of the finders"),
        )  # fmt: skip
        heads = [QLabel(title) for title in titles]
        for head in heads:
            head.setProperty("head", True)
        for widget in (
            heads[0], self.modules, self.size, self.round_out, self.round_in, self.jitter,
            self._stray_row, self.outline, self._line_row, self.effects, heads[1], self.rings,
            heads[2], self.eyes, self.again, self.warning, heads[3], self.alignment, heads[4],
            self.gauge, self.gauge_note,
        ):  # fmt: skip
            layout.addWidget(widget)

    # Edits -----------------------------------------------------------------

    def _choose(self, field: str, value: str, own: str) -> None:
        look = self.session.piece.look
        names = {"shape": tr("modules"), "ring": tr("finder ring"), "eye": tr("finder eye")}
        if value == "own" and getattr(look, own) is None:
            self.file_wanted.emit(own)
            return
        if value == "picture" and look.finder_picture is None:
            self.file_wanted.emit("finder_picture")
            return
        self.session.edit("look", tr("Shape the {names}", names=names[field]), **{field: value})

    def _light(self, part: str, field: str, value: float) -> None:
        relief = self.session.piece.look.relief
        changed = {**dict(getattr(relief, part)), field: value}
        self.session.edit(
            "look", tr("Change the {names} of the modules", names=NAMES[part]), f"{part} {field}",
            relief={**dict(relief), part: changed},
        )  # fmt: skip

    def _ask_again(self) -> None:
        look = self.session.piece.look
        for value, field in (
            (look.shape, "own"), (look.ring, "ring_own"), (look.eye, "eye_own")
        ):  # fmt: skip
            if value == "own":
                self.file_wanted.emit(field)
                return
        if look.ring == "picture":
            self.file_wanted.emit("finder_picture")

    def _shuffle(self) -> None:
        seed = self.session.piece.look.seed % 999_999 + 1
        self.session.edit("look", tr("Stray in another way"), seed=seed)

    # Showing ---------------------------------------------------------------

    def show_piece(self, piece: Piece) -> None:
        look = piece.look
        self._look = look
        self.modules.set_value(look.shape)
        self.rings.set_value(look.ring)
        self.eyes.set_value(look.eye)
        self.eyes.setEnabled(look.ring != "picture")
        for slider, value in (
            (self.size, look.size), (self.round_out, look.round_out),
            (self.round_in, look.round_in), (self.jitter, look.jitter),
            (self.outline, look.outline),
        ):  # fmt: skip
            slider.set_value(value)
        fused = look.shape == "fused"
        self.round_out.setVisible(fused)
        self.round_in.setVisible(fused)
        self.jitter.setVisible(not fused)
        self._stray_row.setVisible(look.jitter > 0 and not fused)
        self.seed.setText(tr("Way of straying: {seed}", seed=look.seed))
        self._line_row.setVisible(look.outline > 0)
        self.effects.show_values(look.relief.shadow, look.relief.inner, look.relief.bevel)
        self.line.set_colour(look.outline_colour)
        self.alignment.set_value(look.alignment)
        files = [s.name for value, s in ((look.shape, look.own), (look.ring, look.ring_own),
                                         (look.eye, look.eye_own)) if value == "own"]  # fmt: skip
        self.again.setVisible(bool(files) or look.ring == "picture")
        self.again.setText(
            tr("Another file than {files}…", files=files[0]) if files else tr("Another picture…")
        )
        said = " ".join(warnings(look))
        self.warning.setText(said)
        self.warning.setVisible(bool(said))

    def show_study(self, study: Study) -> None:
        self.gauge.show_finders(study.finders)
        lit = self.session.piece.look.relief.any
        self.effects.show_cost(study.code_effects if lit else "")
        if study.finders is None:
            return
        worst = study.finders.worst
        good = study.finders.good
        name = ("ring", "gap", "eye", "gap", "ring")[worst.worst]
        self.gauge_note.setText(
            tr("1 : 1 : 3 : 1 : 1, each within half a module.")
            if good
            else tr(
                "Too far from 1 : 1 : 3 : 1 : 1: readers may not find the code along this line."
            )
            if not worst.runs
            else tr("Too far from 1 : 1 : 3 : 1 : 1: the {name} is {error:.1f} modules off "
                    "along the {way}. ", name=name, error=worst.error, way=tr(worst.way))
            + (tr("Few readers look along diagonals; watch the verdict.") if "diagonal" in worst.way
               else tr("Readers search along these lines first."))
        )  # fmt: skip
        severe = not good and "diagonal" not in worst.way
        set_rank(self.gauge_note, "error" if severe else "soft" if good else "warn")

    # Pictures of the shapes -------------------------------------------------

    def _paint_modules(
        self, painter: QPainter, area: QRectF, shape: object, theme: themes.Theme
    ) -> None:
        own = self._look.own
        if shape == "own" and own is None:
            _paint_plus(painter, area, theme)
            return
        look = _bare(str(shape), own, self._look.round_out, self._look.round_in)
        painter.translate(area.topLeft())
        painter.scale(area.width() / 3, area.height() / 3)
        for layer in module_layers(_SAMPLE, look):
            paint_layer(painter, layer, QColor(theme.ink))

    def _paint_ring(
        self, painter: QPainter, area: QRectF, ring: object, theme: themes.Theme
    ) -> None:
        if ring == "picture" or (ring == "own" and self._look.ring_own is None):
            if ring == "picture":
                painter.drawPixmap(area.toRect(), themes.icon_pixmap("image", theme.ink, 28))
            else:
                _paint_plus(painter, area, theme)
            return
        painter.translate(area.center())
        painter.scale(area.width() / 7, area.height() / 7)
        painter.setPen(QPen(QColor(0, 0, 0, 0)))
        if ring == "modules":
            _paint_dots(painter, 3, theme)
            return
        look = self._look.model_copy(update={"ring": ring})
        painter.setBrush(QColor(theme.ink))
        painter.drawPath(to_painter_path(shapes.ring_shape(look)))

    def _paint_eye(self, painter: QPainter, area: QRectF, eye: object, theme: themes.Theme) -> None:
        if eye == "own" and self._look.eye_own is None:
            _paint_plus(painter, area, theme)
            return
        painter.translate(area.center())
        painter.scale(area.width() / 4.4, area.height() / 4.4)
        painter.setPen(QPen(QColor(0, 0, 0, 0)))
        if eye == "modules":
            _paint_dots(painter, 1, theme, filled=True)
            return
        look = self._look.model_copy(update={"eye": eye})
        painter.setBrush(QColor(theme.ink))
        painter.drawPath(to_painter_path(shapes.eye_shape(look)))

    def dress(self, theme: themes.Theme) -> None:
        for grid in (self.modules, self.rings, self.eyes):
            grid.dress(theme)
        for slider in self.findChildren(Slider):
            slider.dress(theme)
        self.effects.dress(theme)
        self.shuffle.setIcon(themes.icon("shuffle", theme.ink))
        self.gauge.theme = theme
        self.gauge.update()


@lru_cache(maxsize=64)
def _bare(shape: str, own, round_out: float, round_in: float) -> Look:
    size = 0.8 if shape in ("upright", "across") else 1
    return Look(shape=shape, own=own, size=size, round_out=round_out, round_in=round_in)


def _paint_plus(painter: QPainter, area: QRectF, theme: themes.Theme) -> None:
    """The sign for a file still to be chosen."""
    painter.setPen(QPen(QColor(theme.soft), 1.6))
    middle, reach = area.center(), area.width() * 0.28
    painter.drawLine(middle - QPointF(reach, 0), middle + QPointF(reach, 0))
    painter.drawLine(middle - QPointF(0, reach), middle + QPointF(0, reach))


def _paint_dots(painter: QPainter, half: int, theme: themes.Theme, filled: bool = False) -> None:
    painter.setBrush(QColor(theme.ink))
    for y in range(-half, half + 1):
        for x in range(-half, half + 1):
            if filled or max(abs(x), abs(y)) == half:
                painter.drawEllipse(QPointF(x, y), 0.42, 0.42)
