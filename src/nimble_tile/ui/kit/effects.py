"""Sliders for shadow, inner shadow and bevel, with what they cost."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from nimble_tile.core.language import tr
from nimble_tile.ui.kit.controls import Fold, Slider, soft

if TYPE_CHECKING:
    from nimble_tile.core.relief import Bevel, Inner, Shadow


class Effects(Fold):
    """A fold with the three effects.

    Signals
    -------
    edited : str, str, float
        ``"shadow"``, ``"inner"`` or ``"bevel"``; the field; its value.
    released
        A slider was let go of.
    """

    edited = Signal(str, str, float)
    released = Signal()

    def __init__(self, shadow: Shadow, inner: Inner, bevel: Bevel) -> None:
        super().__init__(tr("Effects of light"))
        self.sliders: dict[tuple[str, str], Slider] = {}
        for part, values in (("shadow", shadow), ("inner", inner), ("bevel", bevel)):
            for field, name, low, high in FIELDS[part]:
                share, turn = field == "strength", field == "angle"
                slider = Slider(
                    name, low, high, getattr(values, field),
                    "%" if share else "°" if turn else "modules",
                    factor=100 if share else 1, decimals=0 if share or turn else 2,
                )  # fmt: skip
                slider.edited.connect(
                    lambda value, p=part, f=field: self.edited.emit(p, f, round(value, 4))
                )
                slider.released.connect(self.released)
                self.sliders[part, field] = slider
                self.inside.addWidget(slider)
        self.cost = soft()
        self.inside.addWidget(self.cost)
        self.cost.hide()

    def show_values(self, shadow: Shadow, inner: Inner, bevel: Bevel) -> None:
        """Show settings; what has no strength hides its details."""
        told = []
        for part, values in (("shadow", shadow), ("inner", inner), ("bevel", bevel)):
            if values.strength > 0:
                told.append(NAMES[part])
            for field, *_ in FIELDS[part]:
                slider = self.sliders[part, field]
                slider.set_value(getattr(values, field))
                slider.setVisible(field == "strength" or values.strength > 0)
        self.set_note(", ".join(told))
        if not told:
            self.show_cost("")

    def show_cost(self, text: str) -> None:
        """What the effects cost, in a sentence."""
        self.cost.setText(text)
        self.cost.setVisible(bool(text))


NAMES = {"shadow": tr("shadow"), "inner": tr("inner shadow"), "bevel": tr("bevel")}

FIELDS = {
    "shadow": (
        ("strength", tr("Shadow"), 0, 1), ("blur", tr("Softness"), 0, 4),
        ("dx", tr("To the right"), -4, 4),
        ("dy", tr("Down"), -4, 4),
    ),
    "inner": (
        ("strength", tr("Inner shadow"), 0, 1), ("blur", tr("Softness"), 0, 4),
        ("dx", tr("To the right"), -4, 4), ("dy", tr("Down"), -4, 4),
    ),
    "bevel": (
        ("strength", tr("Bevel"), 0, 1), ("width", tr("Width"), 0.02, 1),
        ("angle", tr("Light from"), 0, 360),
    ),
}  # fmt: skip
"""Of each effect: its fields, their names, lower and upper ends."""
