"""Captions: text beside the code, on it, along a line."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import (
    QCheckBox,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QWidget,
)

from nimble_tile.core.additions import MOST_CAPTIONS, MOST_TEXT, Caption
from nimble_tile.core.language import tr, tr_as, within
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import (
    Choice,
    Fold,
    Segments,
    Slider,
    named,
    row,
    set_checked,
    soft,
)
from nimble_tile.ui.kit.pickers import PictureGrid
from nimble_tile.ui.ladder.page import Page
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session
from nimble_tile.ui.work.settings import Settings

CALLS = (
    tr("Scan for times and tickets"),
    tr("Point your camera here"),
    tr("The walk starts here"),
    tr("See the map"),
    tr("Bring a lantern: details here"),
    tr("Book a place"),
)
"""Short calls to act, until the list is edited."""

MOST_CALLS = 24

PLACE_LABELS = (
    ("above left", tr("Above, from the left")), ("above", tr("Above the code")),
    ("above right", tr("Above, to the right")), ("left", tr("Left, upwards")),
    ("free", tr("On the code")),
    ("below left", tr("Below, from the left")), ("below", tr("Below the code")),
    ("below right", tr("Below, to the right")), ("right", tr("Right, downwards")),
    ("along", tr("Along the frame")),
)  # fmt: skip

TOLD = {
    "free": tr("On the code, wherever it is dragged on the bench"),
    "along": tr("Along the frame's line"),
}

WEIGHTS = (
    (300, tr_as("weight", "Light")),
    (400, tr("Regular")),
    (500, tr_as("weight", "Medium")),
    (700, tr("Bold")),
    (900, tr("Black")),
)


class CaptionPage(Page):
    """Text, place, font, colours.

    Signals
    -------
    picked : int
        Another caption is edited.
    """

    picked = Signal(int)

    def __init__(self, session: Session, desk: ColourDesk, settings: Settings) -> None:
        super().__init__(session, desk)
        self._settings = settings
        self.index = 0
        self.which = Choice(tr("Caption"), [])
        self.which.chosen.connect(self.choose)
        self.add = QPushButton(tr("New caption"))
        self.add.clicked.connect(lambda: self.add_caption())
        self.remove = QPushButton(tr("Remove"))
        self.remove.clicked.connect(lambda: self.remove_caption(self.index))
        self.calls = QPushButton(tr("Ready words"))
        self.calls.setToolTip(tr("A short list of calls to act, which you can edit"))
        self._menu = QMenu(self.calls)
        self._menu.aboutToShow.connect(self._fill_calls)
        self.calls.setMenu(self._menu)
        self.none = soft(tr("No caption yet. Text beside the code makes people scan it."))
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(tr("Caption text"))
        self.text.setPlaceholderText(tr("A line or two"))
        self.text.setFixedHeight(64)
        self.text.setTabChangesFocus(True)
        self.text.textChanged.connect(self._typed)
        self.body.addWidget(self.none)
        self.body.addLayout(row(self.add, self.calls, 1))
        self._box = QWidget()
        self.body.addWidget(self._box)
        self._fill(self._box)
        self.body.addStretch(1)

    def _fill(self, box: QWidget) -> None:
        from PySide6.QtWidgets import QVBoxLayout

        inside = QVBoxLayout(box)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(10)
        inside.addLayout(row(self.which, self.remove))
        inside.addWidget(self.text)
        self.places = PictureGrid(tr("Place"), PLACE_LABELS, self._paint_place, columns=5, cell=46)
        self.places.chosen.connect(self._put)
        inside.addWidget(self.places)
        self.place_note = soft()
        inside.addWidget(self.place_note)
        self.size = self._slider(tr("Size"), "size", 0.02, 0.4, 0.09, "%", 100, 1)
        self.size.setToolTip(tr("Height of the letters in parts of the code's side"))
        self.start = self._slider(tr("Way along the line"), "start", 0, 1, 0, "%", 100, 0)
        self.angle = self._slider(tr("Turn"), "angle", -180, 180, 0, "°", 1, 0)
        for widget in (self.size, self.start, self.angle):
            inside.addWidget(widget)
        self.font = Choice(tr("Font"), [])
        self.font.chosen.connect(lambda name: self.change(tr("Change the font"), font=name))
        inside.addLayout(named(tr("Font"), self.font, 64))
        self.weight = Choice(tr("Weight"), WEIGHTS)
        self.weight.chosen.connect(lambda w: self.change(tr("Change the weight"), weight=w))
        self.italic = QCheckBox(tr("Italic"))
        self.italic.toggled.connect(
            lambda on: self.change(tr("Set in italics") if on else tr("Set upright"), italic=on)
        )
        inside.addLayout(named(tr("Weight"), self.weight, 64))
        inside.addLayout(row(self.italic, 1))
        self.colour = self.swatch(
            tr("Text colour"), tr("Text colour"),
            lambda c: self.change(tr("Change the text's colour"), "text colour", colour=c),
        )  # fmt: skip
        inside.addLayout(named(tr("Colour"), self.colour, 64))
        self.lines_fold = Fold(tr("Several lines"))
        self.align = Segments(
            tr("Alignment"),
            [("left", tr("Left"), tr("Lines begin together")),
             ("centre", tr("Middle"), tr("Lines are centred")),
             ("right", tr("Right"), tr("Lines end together"))],
        )  # fmt: skip
        self.align.chosen.connect(lambda to: self.change(tr("Align the caption"), align=to))
        self.leading = self._slider(tr("Line distance"), "leading", 0.8, 2.5, 1.2, "", 1, 2)
        self.lines_fold.inside.addWidget(self.align)
        self.lines_fold.inside.addWidget(self.leading)
        self.outline_fold = Fold(tr("Outline"))
        self.outline = self._slider(tr("Width"), "outline", 0, 0.3, 0, "%", 100, 0)
        self.outline_colour = self.swatch(
            tr("Outline colour"), tr("Outline colour"),
            lambda c: self.change(tr("Change the outline's colour"), "outline colour",
                                  outline_colour=c),
        )  # fmt: skip
        self.outline_fold.inside.addWidget(self.outline)
        self.outline_fold.inside.addLayout(named(tr("Colour"), self.outline_colour, 64))
        self.notes = soft()
        self.cost = soft()
        for widget in (self.lines_fold, self.outline_fold, self.notes, self.cost):
            inside.addWidget(widget)

    def _paint_place(
        self, painter: QPainter, area: QRectF, place: object, theme: themes.Theme
    ) -> None:
        """The code as a square, and where the text is."""
        side = area.width() * 0.46
        code = QRectF(0, 0, side, side)
        code.moveCenter(area.center())
        painter.setPen(QPen(QColor(theme.soft), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        ink = QColor(theme.ink)
        if place == "along":
            painter.setPen(QPen(ink, 2.4, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(code.adjusted(-6, -6, 6, 6), 5, 5)
            painter.setPen(QPen(QColor(theme.soft), 1.2))
            painter.drawRect(code)
            return
        painter.drawRect(code)
        long, thick = side * (0.6 if " " in str(place) else 0.8), 3.2
        words = str(place).split()
        upright = place in ("left", "right")
        bar = QRectF(0, 0, thick, long) if upright else QRectF(0, 0, long, thick)
        bar.moveCenter(code.center())
        gap = thick * 1.6
        if "above" in words:
            bar.moveBottom(code.top() - gap + thick)
        elif "below" in words:
            bar.moveTop(code.bottom() + gap - thick)
        if upright:
            at = code.left() - gap if place == "left" else code.right() + gap - thick
            bar.moveLeft(at)
        elif "left" in words:
            bar.moveLeft(code.left())
        elif "right" in words:
            bar.moveRight(code.right())
        painter.fillRect(bar, ink)

    def _put(self, place: str) -> None:
        self.change(tr("Place the caption"), place=place)
        self.show_piece(self.session.piece)

    def _slider(
        self, name: str, field: str, low: float, high: float, default: float, unit: str,
        factor: float, decimals: int,
    ) -> Slider:  # fmt: skip
        slider = Slider(name, low, high, default, unit, factor=factor, decimals=decimals)
        slider.edited.connect(
            lambda value: self.change(tr("Change the caption's {name}", name=within(name)), field,
                                      **{field: round(value, 4)})
        )  # fmt: skip
        slider.released.connect(self.session.part)
        return slider

    # Captions --------------------------------------------------------------

    @property
    def caption(self) -> Caption | None:
        """The caption that is edited."""
        items = self.session.piece.caption.items
        return items[self.index] if 0 <= self.index < len(items) else None

    def change(self, name: str, key: str = "", /, **changes: object) -> None:
        """Change settings of the caption."""
        self.session.edit_item("caption", self.index, name, key, **changes)

    def choose(self, index: int) -> None:
        """Edit another caption."""
        self.index = index
        self.show_piece(self.session.piece)
        self.picked.emit(index)

    def add_caption(self, text: str = CALLS[0]) -> None:
        """One more caption."""
        items = self.session.piece.caption.items
        if len(items) < MOST_CAPTIONS:
            taken = {item.place for item in items}
            place = next(p for p in ("below", "above", "free") if p not in taken or p == "free")
            self.index = len(items)
            new = Caption(text=text, place=place)
            self.session.edit("caption", tr("Add a caption"), items=(*items, new))
            self.picked.emit(self.index)
            self.text.setFocus()
            self.text.selectAll()

    def remove_caption(self, index: int) -> None:
        """Take a caption away."""
        items = self.session.piece.caption.items
        if 0 <= index < len(items):
            kept = tuple(item for i, item in enumerate(items) if i != index)
            self.index = max(0, min(self.index, len(kept) - 1))
            self.session.edit("caption", tr("Remove the caption"), items=kept)
            self.picked.emit(self.index)

    def _typed(self) -> None:
        text = self.text.toPlainText()
        if len(text) > MOST_TEXT:
            text = text[:MOST_TEXT]
            self.text.blockSignals(True)
            self.text.setPlainText(text)
            self.text.blockSignals(False)
        self.change(tr("Write the caption"), "caption text", text=text)

    # Ready words -----------------------------------------------------------

    @property
    def call_list(self) -> list[str]:
        """The calls to act, as they were edited last."""
        known = self._settings.get("calls")
        if not isinstance(known, list):
            return list(CALLS)
        return [c for c in known if isinstance(c, str) and c.strip()][:MOST_CALLS]

    def _fill_calls(self) -> None:
        menu = self._menu
        menu.clear()
        for call in self.call_list:
            menu.addAction(call.replace("&", "&&")).triggered.connect(
                lambda _=False, c=call: self.take_call(c)
            )
        menu.addSeparator()
        caption = self.caption
        own = caption.text.strip() if caption is not None else ""
        keep = menu.addAction(tr("Keep this text in the list"))
        keep.setEnabled(bool(own) and own not in self.call_list)
        keep.triggered.connect(lambda _=False: self.keep_call(own))
        away = menu.addMenu(tr("Take out of the list"))
        for call in self.call_list:
            away.addAction(call.replace("&", "&&")).triggered.connect(
                lambda _=False, c=call: self.drop_call(c)
            )
        away.setEnabled(bool(self.call_list))
        menu.addAction(tr("The first list again")).triggered.connect(
            lambda _=False: self._settings.set("calls", list(CALLS))
        )

    def take_call(self, call: str) -> None:
        """Ready words become the caption, or a new one."""
        if self.caption is None:
            self.add_caption(call)
        else:
            self.change(tr("Take ready words"), text=call)

    def keep_call(self, call: str) -> None:
        """Put words into the list."""
        self._settings.set("calls", [*self.call_list, call][-MOST_CALLS:])

    def drop_call(self, call: str) -> None:
        """Take words out of the list."""
        self._settings.set("calls", [known for known in self.call_list if known != call])

    # Showing ---------------------------------------------------------------

    def _fill_fonts(self) -> None:
        """All fonts, once the page is seen: asking for them takes a moment."""
        if self.font.count():
            return
        from nimble_tile.core.caption.fonts import SHIPPED_FAMILY, families

        for name in families():
            self.font.addItem(name, "" if name == SHIPPED_FAMILY else name)

    def showEvent(self, event) -> None:
        self._fill_fonts()
        super().showEvent(event)
        self.show_piece(self.session.piece)

    def show_piece(self, piece: Piece) -> None:
        items = piece.caption.items
        self.index = max(0, min(self.index, len(items) - 1))
        caption = self.caption
        self.none.setVisible(caption is None)
        self._box.setVisible(caption is not None)
        full = len(items) >= MOST_CAPTIONS
        self.add.setEnabled(not full)
        self.add.setToolTip(
            tr("{most_captions} are the most", most_captions=MOST_CAPTIONS) if full else ""
        )
        if caption is None:
            return
        self.which.blockSignals(True)
        self.which.clear()
        for number, item in enumerate(items):
            first = item.text.strip().split("\n")[0] or tr("(empty)")
            self.which.addItem(f"{number + 1}  {first[:30]}", number)
        self.which.set_value(self.index)
        self.which.blockSignals(False)
        if self.text.toPlainText() != caption.text:
            self.text.blockSignals(True)
            self.text.setPlainText(caption.text)
            self.text.blockSignals(False)
        self.places.set_value(caption.place)
        for slider, value in (
            (self.size, caption.size), (self.start, caption.start), (self.angle, caption.angle),
            (self.leading, caption.leading), (self.outline, caption.outline),
        ):  # fmt: skip
            slider.set_value(value)
        self.start.setVisible(caption.place == "along")
        self.angle.setVisible(caption.place == "free")
        self.place_note.setText(TOLD.get(caption.place, ""))
        self.place_note.setVisible(caption.place in TOLD)
        if self.font.count():
            if self.font.findData(caption.font) < 0:
                self.font.addItem(tr("{font} (not here)", font=caption.font), caption.font)
            self.font.set_value(caption.font)
        if self.weight.findData(caption.weight) < 0:
            self.weight.addItem(str(caption.weight), caption.weight)
        self.weight.set_value(caption.weight)
        set_checked(self.italic, caption.italic)
        self.colour.set_colour(caption.colour)
        self.outline_colour.set_colour(caption.outline_colour)
        self.align.set_value(caption.align)
        several = "\n" in caption.text
        self.lines_fold.setVisible(several)
        self.outline_fold.set_note(tr("on") if caption.outline else "")

    def show_notes(self, notes: tuple[str, ...], cost: str) -> None:
        """What is worth knowing of fonts, and what captions on the code cost."""
        self.notes.setText(" ".join(notes))
        self.notes.setVisible(bool(notes))
        self.cost.setText(cost)
        self.cost.setVisible(bool(cost))

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self.places.dress(theme)
