"""What all rungs have in common."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Slider
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.study import Study
    from nimble_tile.ui.work.engine import Shown


class Rung(QWidget):
    """Settings of one rung.

    A rung shows the current piece (`show_piece`) and sends every change to
    the session; it keeps no state of the piece itself.
    """

    title = ""
    rung = ""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(44, 4, 20, 16)
        self.body.setSpacing(11)

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        """One line for the rung's row."""
        return ""

    def show_piece(self, piece: Piece) -> None:
        """Show the piece's settings."""

    def show_rendering(self, shown: Shown) -> None:
        """Show what a current rendering tells."""

    def show_verdict(self, verdict: Verdict) -> None:
        """Show what a current verdict tells."""

    def show_study(self, study: Study) -> None:
        """Show what is known of the current piece besides image and verdict."""

    def show_error(self, error: UserError | None) -> None:
        """Show, beside the control that it concerns, why there is no code."""

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        for slider in self.findChildren(Slider):
            slider.dress(theme)
