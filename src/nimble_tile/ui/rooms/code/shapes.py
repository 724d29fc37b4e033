"""Shapes of modules and finders, and what the finders measure."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QLabel, QPushButton, QToolButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.look import Look
from nimble_tile.core.piece import Piece
from nimble_tile.core.relief import Relief
from nimble_tile.core.scan.known import warnings
from nimble_tile.core.symbol.looks.drawing import module_layers
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.colours import Swatch
from nimble_tile.ui.kit.controls import Segments, Slider, row, set_rank, soft
from nimble_tile.ui.kit.effects import NAMES, Effects
from nimble_tile.ui.kit.gauges import FinderGauge
from nimble_tile.ui.kit.paths import paint_layer
from nimble_tile.ui.kit.pickers import PictureGrid
from nimble_tile.ui.rooms.code.finders import FindersPart, paint_plus
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.look import OwnShape
    from nimble_tile.core.study import Study

MODULES = (
    ("square", tr("Square")), ("rounded", tr("Rounded square")), ("round", tr("Round")),
    ("diamond", tr("Diamond")), ("star", tr("Star")), ("leaf", tr("Leaf")), ("plus", tr("Plus")),
    ("upright", tr("Upright bars")), ("across", tr("Bars across")),
    ("fused", tr("Fused into one body")), ("own", tr("Your own, from an SVG file")),
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
        self.modules.chosen.connect(self._choose)
        self.finders = FindersPart(session, desk)
        self.finders.file_wanted.connect(self.file_wanted)
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
        titles = tr("Modules"), tr("Alignment patterns"), tr("Run ratio of the finders")
        heads = [QLabel(title) for title in titles]
        for head in heads:
            head.setProperty("head", True)
        for widget in (
            heads[0], self.modules, self.size, self.round_out, self.round_in, self.jitter,
            self._stray_row, self.outline, self._line_row, self.effects, self.finders, self.again,
            self.warning, heads[1], self.alignment, heads[2], self.gauge, self.gauge_note,
        ):  # fmt: skip
            layout.addWidget(widget)

    # Edits -----------------------------------------------------------------

    def _choose(self, shape: str) -> None:
        if shape == "own" and self.session.piece.look.own is None:
            self.file_wanted.emit("own")
            return
        self.session.edit("look", tr("Shape the {names}", names=tr("modules")), shape=shape)

    def taker(self, field: str) -> Callable[[OwnShape, str], None]:
        """Where a shape that is read from a file will go; `field`: see `file_wanted`."""
        if field != "own":
            return self.finders.taker(field)

        def take(shape: OwnShape, name: str) -> None:
            step = tr("Take the shape of {name}", name=name)
            self.session.edit("look", step, own=shape, shape="own")

        return take

    def _light(self, part: str, field: str, value: float) -> None:
        relief = self.session.piece.look.relief
        changed = {**dict(getattr(relief, part)), field: value}
        self.session.edit(
            "look", tr("Change the {names} of the modules", names=NAMES[part]), f"{part} {field}",
            relief={**dict(relief), part: changed},
        )  # fmt: skip

    @property
    def _files(self) -> list[tuple[str, str]]:
        look = self.session.piece.look
        modules = [("own", look.own.name)] if look.shape == "own" else []
        return modules + self.finders.files

    def _ask_again(self) -> None:
        for field, _ in self._files:
            self.file_wanted.emit(field)
            return
        if self.session.piece.look.ring == "picture":
            self.file_wanted.emit("finder_picture")

    def _shuffle(self) -> None:
        seed = self.session.piece.look.seed % 999_999 + 1
        self.session.edit("look", tr("Stray in another way"), seed=seed)

    # Showing ---------------------------------------------------------------

    def show_piece(self, piece: Piece) -> None:
        look = piece.look
        self._look = look
        self.modules.set_value(look.shape)
        self.finders.show_piece(piece)
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
        files = [name for _, name in self._files]
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
            paint_plus(painter, area, theme)
            return
        look = _bare(str(shape), own, self._look.round_out, self._look.round_in)
        painter.translate(area.topLeft())
        painter.scale(area.width() / 3, area.height() / 3)
        for layer in module_layers(_SAMPLE, look):
            paint_layer(painter, layer, QColor(theme.ink))

    def dress(self, theme: themes.Theme) -> None:
        self.modules.dress(theme)
        self.finders.dress(theme)
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
