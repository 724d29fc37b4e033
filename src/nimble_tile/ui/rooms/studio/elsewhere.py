"""Pictures that are made elsewhere: the guide goes out, pictures come in."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr, tr_as
from nimble_tile.core.output.guide import (
    GuideWish,
    advice,
    checked,
    guide_picture,
    smaller,
)
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.colours import Swatch
from nimble_tile.ui.kit.controls import Choice, NumberBox, Slider, named, row, set_rank, soft
from nimble_tile.ui.kit.images import to_qimage

SIDES = (512, 768, 1024, 1536, 2048)

PREVIEW = 120
"""Side of the small guide, in pixels."""

ALL_RIGHT = tr("Level H and a full quiet zone: what generators spoil is mostly made good.")


class Elsewhere(QWidget):
    """How the guide is drawn, and how pictures come in.

    Signals
    -------
    colour_wanted : Swatch
        A swatch was pressed.
    """

    colour_wanted = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._text = ""
        self.symbol: Symbol | None = None
        self.wide = NumberBox(tr("Width of the guide"), 256, 4096, "px", 64)
        self.high = NumberBox(tr("Height of the guide"), 256, 4096, "px", 64)
        for box in (self.wide, self.high):
            box.setFixedWidth(92)
            box.set_value(1024)
        self.level = Choice(
            tr("Level"), [(level, tr("Level {level}", level=level)) for level in "HQML"]
        )
        self.quiet = NumberBox(tr("Quiet zone"), 0, 8, "modules")
        self.quiet.set_value(4)
        self.share = Slider(tr("Code in the guide"), 0.3, 1, 0.85, "%", factor=100)
        self.softness = Slider(tr("Soft edges"), 0, 0.6, 0, "modules", decimals=2)
        self.swatches = {}
        for key, name, colour in (
            ("dark", tr("Dark modules"), "#000000"), ("light", tr("Light modules"), "#ffffff"),
            ("ground", tr("Ground"), "#808080"),
        ):  # fmt: skip
            swatch = Swatch(name)
            swatch.set_colour(colour)
            swatch.wanted.connect(lambda s=swatch: self.colour_wanted.emit(s))
            self.swatches[key] = swatch
        self.small = QLabel()
        self.small.setFixedSize(QSize(PREVIEW, PREVIEW))
        self.small.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.told = soft()
        self.out = QPushButton(tr("Guide out\u2026"))
        self.bring = QPushButton(tr("Pictures in\u2026"))
        self.watch = QPushButton(tr("Watch a folder\u2026"))
        self.watch.setCheckable(True)
        self.watch.setToolTip(tr("Pictures that are written there are taken in as they appear"))
        self._lay_out()
        for signal in (
            self.wide.edited, self.high.edited, self.level.chosen, self.quiet.edited,
            self.share.edited, self.softness.edited,
        ):  # fmt: skip
            signal.connect(lambda *_: self.refresh())

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row(self.bring, self.watch, 1, spacing=6))
        times = QLabel("×")
        layout.addLayout(row(QLabel(tr("Guide")), 1, self.wide, times, self.high, spacing=6))
        layout.addLayout(named(tr("Level"), self.level))
        layout.addLayout(named(tr("Quiet zone"), self.quiet))
        layout.addWidget(self.share)
        layout.addWidget(self.softness)
        colours = QVBoxLayout()
        colours.setSpacing(6)
        for swatch, name in zip(
            self.swatches.values(), (tr("Dark"), tr_as("tone", "Light"), tr("Ground")), strict=True
        ):
            colours.addLayout(row(QLabel(name), 1, swatch))
        colours.addStretch(1)
        side = QHBoxLayout()
        side.setSpacing(10)
        side.addWidget(self.small)
        side.addLayout(colours, 1)
        layout.addLayout(side)
        layout.addWidget(self.told)
        layout.addLayout(row(self.out, 1))

    def set_message(self, text: str) -> None:
        """The guide is of this message."""
        if text != self._text:
            self._text = text
            self.refresh()

    @property
    def wish(self) -> GuideWish:
        """How the guide is to be drawn."""
        colours = {key: swatch.colour for key, swatch in self.swatches.items()}
        return GuideWish(
            self.wide.value(), self.high.value(), self.share.value, self.quiet.value(),
            softness=self.softness.value, **colours,
        )  # fmt: skip

    def refresh(self) -> None:
        """Draw the guide small, and say what is better done otherwise."""
        try:
            code = Code(level=self.level.currentData(), raise_level=False)
            self.symbol = encode(Message(text=self._text), code)
            wish = self.wish
            checked(self.symbol, wish)
            image = to_qimage(guide_picture(self.symbol, smaller(wish)))
        except UserError as error:
            self.symbol = None
            self.small.clear()
            self._tell(str(error), "error")
            self.out.setEnabled(False)
            return
        self.out.setEnabled(True)
        fitted = image.scaled(
            QSize(PREVIEW, PREVIEW), Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )  # fmt: skip
        self.small.setPixmap(QPixmap.fromImage(fitted))
        told = advice(self.symbol, self.wish)
        self._tell("\n".join(told) or ALL_RIGHT, "warn" if told else "soft")

    def _tell(self, text: str, rank: str) -> None:
        self.told.setText(text)
        set_rank(self.told, rank)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.share.dress(theme)
        self.softness.dress(theme)
