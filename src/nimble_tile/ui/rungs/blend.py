"""Rung 4: how code and picture become one."""

from __future__ import annotations

from typing import TYPE_CHECKING, get_args

from PySide6.QtWidgets import QLabel

from nimble_tile.core.piece import Blend, Mode, Piece
from nimble_tile.ui.controls import Choice, Segments, Slider, named, set_rank, soft
from nimble_tile.ui.rungs.base import Rung
from nimble_tile.ui.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.ui.engine import Shown

_METHODS = {
    "tone": "Draws each module's own tone into a dark or a light band; the colours stay.",
    "overlay": "Lays the code, as it looks, over the picture.",
}


class BlendRung(Rung):
    """Method, strength, mode, and how much of the picture is left."""

    title, rung = "Blend", "blend"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.method = Segments(
            "Blend method",
            [("tone", "Tone", _METHODS["tone"]), ("overlay", "Overlay", _METHODS["overlay"])],
        )
        self.method.chosen.connect(
            lambda method: session.edit("blend", f"Blend by {method}", method=method)
        )
        self.about = soft()
        self.strength = Slider("Strength", 0, 1, Blend().strength, "%", factor=100)
        self.strength.edited.connect(
            lambda value: session.edit(
                "blend", "Change the strength", "strength", strength=round(value, 4)
            )
        )
        self.strength.released.connect(session.part)
        self.mode = Choice("Blend mode", [(mode, mode) for mode in get_args(Mode)])
        self.mode.setMaxVisibleItems(16)
        self.mode.chosen.connect(
            lambda mode: session.edit("blend", "Change the blend mode", mode=mode)
        )
        self.fidelity = soft()
        self.fidelity.setToolTip(
            "Structural similarity and mean colour difference (CIEDE2000) of the code's "
            "square, seen from viewing distance"
        )
        self.why = QLabel()
        self.why.setWordWrap(True)
        self.why.hide()
        self.none = soft("Bring in a picture first: there is nothing to blend with.")
        for widget in (self.none, self.method, self.about, self.strength):
            self.body.addWidget(widget)
        self.body.addLayout(named("Blend mode", self.mode))
        self.body.addWidget(self.fidelity)
        self.body.addWidget(self.why)

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        if piece.picture.digest is None:
            return "No picture to blend with"
        blend = piece.blend
        mode = f", {blend.mode}" if blend.method == "overlay" else ""
        return f"{blend.method.capitalize()}{mode}, strength {blend.strength:.0%}"

    def show_piece(self, piece: Piece) -> None:
        blend, there = piece.blend, piece.picture.digest is not None
        self.none.setVisible(not there)
        why = "" if there else "Bring in a picture first"
        for control in (self.method, self.strength):
            control.setEnabled(there)
            control.setToolTip(why)
        self.method.set_value(blend.method)
        self.about.setText(_METHODS[blend.method])
        self.strength.set_value(blend.strength)
        overlay = blend.method == "overlay"
        self.mode.setEnabled(there and overlay)
        self.mode.setToolTip(why or ("" if overlay else "Only overlay has blend modes"))
        self.mode.set_value(blend.mode)
        if not there:
            self.fidelity.setText("")

    def show_verdict(self, verdict: Verdict) -> None:
        fidelity = verdict.fidelity
        self.fidelity.setText(
            ""
            if fidelity is None
            else f"Fidelity {fidelity.ssim_view:.2f} of 1\n"
            f"Mean colour difference {fidelity.delta_e_mean:.1f}"
        )
        # Every reason, where the slider is that answers most of them.
        reasons = [f"{reason.text} {reason.way_out}".strip() for reason in verdict.reasons]
        self.why.setText("\n\n".join(reasons))
        self.why.setVisible(bool(reasons))
        set_rank(self.why, "error" if verdict.state == "fails" else "warn")
