"""What the pages of the picture rung have in common."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QVBoxLayout, QWidget

from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.colours import Swatch
from nimble_tile.ui.kit.controls import Fold, Slider
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session


class Page(QWidget):
    """A page of a rung: shows the piece, sends changes to the session."""

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__()
        self.session, self.desk = session, desk
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(10)

    def show_piece(self, piece: Piece) -> None:
        """Show the piece's settings."""

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        for part in (*self.findChildren(Slider), *self.findChildren(Fold)):
            part.dress(theme)

    def swatch(self, name: str, title: str, take: Callable[[str], None]) -> Swatch:
        """A swatch whose colours go to `take`."""
        made = Swatch(name)
        made.wanted.connect(lambda: self.desk.open(made, title, take, self.session.part))
        return made

    def prepares(
        self, step: str, field: str, slider: Slider, name: str, whole: bool = False
    ) -> Slider:
        """Join a slider with a field of the picture's preparation; moving it switches it on."""
        slider.edited.connect(
            lambda value: self.session.prepare(
                step, name, f"{step} {field}",
                **{field: round(value) if whole else round(value, 4), "on": True},
            )
        )  # fmt: skip
        slider.released.connect(self.session.part)
        return slider
