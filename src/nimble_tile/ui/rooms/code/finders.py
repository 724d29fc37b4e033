"""Ring and eye of the finders: of all alike, or of one."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.look import FINDERS, Finder, Look
from nimble_tile.core.piece import Piece
from nimble_tile.core.symbol.looks import shapes
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.colours import Swatch
from nimble_tile.ui.kit.controls import row, soft
from nimble_tile.ui.kit.paths import to_painter_path
from nimble_tile.ui.kit.pickers import PictureGrid
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.look import OwnShape

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
WHICH = (
    (None, tr("All finders")), (0, tr("Top left finder")), (1, tr("Top right finder")),
    (2, tr("Bottom left finder")),
)  # fmt: skip
_AT = ((0, 0), (1, 0), (0, 1))
"""Where each finder is: right, down."""


class FindersPart(QWidget):
    """Which finders, and the shapes and colours of their rings and eyes.

    Signals
    -------
    file_wanted : str
        ``"ring_own"``, ``"eye_own"``: an SVG; ``"finder_picture"``: a picture.
    """

    file_wanted = Signal(str)

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__()
        self.session, self._desk = session, desk
        self.at: int | None = None  # the finder that is edited; None: all
        self._look = Look()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.which = PictureGrid(tr("Which finders"), WHICH, self._paint_which)
        self.which.chosen.connect(self.choose)
        self.which_note = soft()
        self.rings = PictureGrid(tr("Ring of the finders"), RINGS, self._paint_ring)
        self.eyes = PictureGrid(tr("Eye of the finders"), EYES, self._paint_eye)
        self.rings.chosen.connect(lambda value: self._shape("ring", value))
        self.eyes.chosen.connect(lambda value: self._shape("eye", value))
        self.swatches = {
            "ring_colour": Swatch(tr("Colour of this finder's ring"), 36),
            "eye_colour": Swatch(tr("Colour of this finder's eye"), 36),
        }
        for field, swatch in self.swatches.items():
            swatch.wanted.connect(lambda f=field: self._colour(f))
        self.alike = QPushButton(tr("Like the others"))
        self.alike.clicked.connect(self._make_alike)
        self._own_row = QWidget()
        self._own_row.setLayout(
            row(
                soft(tr("Ring"), False), self.swatches["ring_colour"],
                soft(tr("Eye"), False), self.swatches["eye_colour"], 1, self.alike,
            )
        )  # fmt: skip
        heads = [QLabel(title) for title in (tr("Finders"), tr("Finder ring"), tr("Finder eye"))]
        for head in heads:
            head.setProperty("head", True)
        for widget in (heads[0], self.which, self.which_note, self._own_row, heads[1], self.rings,
                       heads[2], self.eyes):  # fmt: skip
            layout.addWidget(widget)

    # Edits -----------------------------------------------------------------

    def choose(self, at: int | None) -> None:
        """Edit one finder (0 to 2), or all alike (None)."""
        if at != self.at:
            self.at = at
            self.rings.set_options(RINGS if at is None else RINGS[:-1])
        self.show_piece(self.session.piece)

    def _shape(self, part: str, value: str) -> None:
        own, look = f"{part}_own", self.session.piece.look
        here = look if self.at is None else look.at_finder(self.at)
        if value == "own" and getattr(here, own) is None:
            self.file_wanted.emit(own)
        elif value == "picture" and look.finder_picture is None:
            self.file_wanted.emit("finder_picture")
        else:
            shape = {own: getattr(here, own)} if value == "own" else {}
            self._edit(self.at, self._shape_step(self.at, part), **{part: value}, **shape)

    @staticmethod
    def _shape_step(at: int | None, part: str) -> str:
        names = {"ring": tr("finder ring"), "eye": tr("finder eye")}
        if at is None:
            return tr("Shape the {names}", names=names[part])
        return tr("Shape one {names}", names=names[part])

    def _edit(self, at: int | None, step: str, key: str = "", /, **changes: Any) -> None:
        if at is None:
            self.session.edit("look", step, key, **changes)
            return
        each = list(self.session.piece.look.finders or (Finder(),) * len(FINDERS))
        each[at] = Finder.model_validate({**dict(each[at]), **changes})
        self.session.edit("look", step, key, finders=self._short(each))

    @staticmethod
    def _short(each: list[Finder]) -> tuple[Finder, ...]:
        return () if all(own.plain for own in each) else tuple(each)

    def taker(self, field: str) -> Callable[[OwnShape, str], None]:
        """Where a shape that is read from a file will go: to the finders chosen now.

        `field`: ``"ring_own"`` or ``"eye_own"``.
        """
        at, part = self.at, field.removesuffix("_own")

        def take(shape: OwnShape, name: str) -> None:
            self._edit(at, tr("Take the shape of {name}", name=name), **{field: shape, part: "own"})

        return take

    def _colour(self, field: str) -> None:
        at = self.at
        if at is None:
            return
        names = {"ring_colour": tr("finder ring"), "eye_colour": tr("finder eye")}
        step = tr("Colour one {names}", names=names[field])
        self._desk.open(
            self.swatches[field], "Finder",
            lambda c: self._edit(at, step, f"finder {at} {field}", **{field: c}),
            self.session.part,
        )  # fmt: skip

    def _make_alike(self) -> None:
        each = list(self.session.piece.look.finders)
        if self.at is None or not each:
            return
        each[self.at] = Finder()
        self.session.edit("look", tr("Make a finder like the others"), finders=self._short(each))

    # Showing ---------------------------------------------------------------

    def show_piece(self, piece: Piece) -> None:
        look = self._look = piece.look
        whole = look.ring == "picture"
        if whole and self.at is not None:
            self.at = None
            self.rings.set_options(RINGS)
        here = self._here()
        self.which.set_value(self.at)
        self.which.setEnabled(not whole)
        self.rings.set_value(here.ring)
        self.eyes.set_value(here.eye)
        self.eyes.setEnabled(not whole)
        own = [WHICH[at + 1][1] for at, each in enumerate(look.finders) if not each.plain]
        self.which_note.setText(
            tr("A picture stands in place of all finders.") if whole
            else tr("Has something of its own: {finders}", finders=", ".join(own)) if own
            else tr("All are alike.")
        )  # fmt: skip
        self._own_row.setVisible(self.at is not None)
        fills = {"ring_colour": here.ring_fill, "eye_colour": here.eye_fill}
        for field, swatch in self.swatches.items():
            fill = fills[field] or look.fill
            graded = fill.kind in ("linear", "radial")
            swatch.set_colour(fill.stops[0].colour if graded else fill.colour)
        chosen = self.at is not None and bool(look.finders) and not look.finders[self.at].plain
        self.alike.setEnabled(chosen)

    @property
    def files(self) -> list[tuple[str, str]]:
        """What of the finders that are edited is the designer's own: its field, and the file."""
        here = self._here()
        each = (("ring_own", here.ring, here.ring_own), ("eye_own", here.eye, here.eye_own))
        return [(field, shape.name) for field, value, shape in each if value == "own"]

    # Pictures --------------------------------------------------------------

    def _paint_which(
        self, painter: QPainter, area: QRectF, at: object, theme: themes.Theme
    ) -> None:
        """A small code: the finders that are meant are full."""
        side = area.width() / 2.6
        for index, (right, down) in enumerate(_AT):
            corner = area.topLeft() + QPointF(right, down) * (area.width() - side)
            box = QRectF(corner, QSizeF(side, side))
            meant = at is None or at == index
            painter.setPen(QPen(QColor(theme.ink if meant else theme.edge), 1.4))
            painter.setBrush(QColor(theme.ink) if meant else Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(0.7, 0.7, -0.7, -0.7))

    def _here(self) -> Look:
        return self._look if self.at is None else self._look.at_finder(self.at)

    def _paint_ring(
        self, painter: QPainter, area: QRectF, ring: object, theme: themes.Theme
    ) -> None:
        if ring == "picture":
            painter.drawPixmap(area.toRect(), themes.icon_pixmap("image", theme.ink, 28))
        else:
            self._paint_part(painter, area, "ring", ring, theme)

    def _paint_eye(self, painter: QPainter, area: QRectF, eye: object, theme: themes.Theme) -> None:
        self._paint_part(painter, area, "eye", eye, theme)

    def _paint_part(
        self, painter: QPainter, area: QRectF, part: str, shape: object, theme: themes.Theme
    ) -> None:
        if shape == "own" and getattr(self._here(), f"{part}_own") is None:
            paint_plus(painter, area, theme)
            return
        ring = part == "ring"
        painter.translate(area.center())
        scale = area.width() / (7 if ring else 4.4)
        painter.scale(scale, scale)
        painter.setPen(QPen(QColor(0, 0, 0, 0)))
        if shape == "modules":
            _paint_dots(painter, 3 if ring else 1, theme, filled=not ring)
            return
        look = self._here().model_copy(update={part: shape})
        painter.setBrush(QColor(theme.ink))
        outline = shapes.ring_shape(look) if ring else shapes.eye_shape(look)
        painter.drawPath(to_painter_path(outline))

    def dress(self, theme: themes.Theme) -> None:
        for grid in (self.which, self.rings, self.eyes):
            grid.dress(theme)


def paint_plus(painter: QPainter, area: QRectF, theme: themes.Theme) -> None:
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
