"""The settings of the brush, shared by the cut-out and the guard."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.bench.hands.brush import BrushHand
from nimble_tile.ui.kit.controls import Segments, Slider, row, soft

TOOLS = (
    (
        "brush",
        tr("Brush"),
        tr("Paint by hand; arrows up and down change the size, Shift does the opposite"),
    ),
    ("flood", tr("Flood"), tr("Click: everything of like colour that hangs together")),
    ("rough", tr("Rough"), tr("Draw roughly over a subject: its outline is found")),
)


class BrushBox(QWidget):
    """Tool, add or take away, size, softness, tolerance.

    Parameters
    ----------
    hand : BrushHand
        What the settings belong to.
    adds, takes : (str, str)
        Label and explanation of the two ways to paint.
    clear : str
        Label of the button that forgets the mask.
    """

    def __init__(
        self, hand: BrushHand, adds: tuple[str, str], takes: tuple[str, str], clear: str
    ) -> None:
        super().__init__()
        self.hand = hand
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.tool = Segments(tr("Tool"), TOOLS)
        self.way = Segments(tr("What it does"), [(True, *adds), (False, *takes)])
        self.size = Slider(tr("Size"), 0.005, 0.6, 0.08, "%", factor=100, decimals=1)
        self.softness = Slider(tr("Softness"), 0, 1, 0.4, "%", factor=100)
        self.tolerance = Slider(tr("Tolerance"), 0, 0.6, 0.12, "%", factor=100)
        self.tool.chosen.connect(self._choose_tool)
        self.way.chosen.connect(lambda adds: setattr(hand, "adds", adds))
        for slider, field in (
            (self.size, "size"), (self.softness, "softness"), (self.tolerance, "tolerance"),
        ):  # fmt: skip
            slider.edited.connect(lambda value, f=field: setattr(hand, f, value))
        hand.sized.connect(self.size.set_value)
        self.clear = QPushButton(clear)
        self.invert = QPushButton(tr("Turn round"))
        self.invert.setToolTip(tr("What is chosen and what is not change places"))
        self.hint = soft()
        for widget in (self.tool, self.hint, self.way, self.size, self.softness, self.tolerance):
            layout.addWidget(widget)
        layout.addLayout(row(self.clear, self.invert, 1))
        self.show_hand()

    def _choose_tool(self, tool: str) -> None:
        self.hand.tool = tool
        self.show_hand()

    def show_hand(self) -> None:
        """Show the hand's settings, which two boxes share."""
        hand = self.hand
        self.tool.set_value(hand.tool)
        self.way.set_value(hand.adds)
        self.size.set_value(hand.size)
        self.softness.set_value(hand.softness)
        self.tolerance.set_value(hand.tolerance)
        self.size.setVisible(hand.tool != "flood")
        self.softness.setVisible(hand.tool == "brush")
        self.tolerance.setVisible(hand.tool == "flood")
        self.hint.setText(next(tip for name, _, tip in TOOLS if name == hand.tool) + ".")

    def show_mask(self, there: bool) -> None:
        """Whether anything is painted."""
        for button in (self.clear, self.invert):
            button.setEnabled(there)
            button.setToolTip("" if there else tr("Nothing is painted yet"))
