"""What the piece measures on paper, and what that is good for."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nimble_tile.core.language import tr
from nimble_tile.core.piece import MM_PER_INCH, Piece

if TYPE_CHECKING:
    from nimble_tile.ui.work.engine import Shown

SMALLEST_PRINT = 20.0
"""Millimetres: the smallest height of a printed code that is dependable (common practice)."""

FAR = 10
"""Reading distance over the code's side up to which phones are dependable (common practice)."""


def print_size(piece: Piece, shown: Shown) -> tuple[float, float]:
    """Side of the printed code and of one module, in millimetres."""
    size = piece.finish.size or shown.natural
    rendering = shown.rendering
    share = rendering.code_side / max(rendering.size)
    code = size * share / piece.finish.dpi * MM_PER_INCH
    return code, code / rendering.modules


def advice(code: float, module: float) -> str:
    """What a printed size is good for, in sentences."""
    told = tr(
        "On paper the code is {code:.0f} mm wide, a module {module:.2f} mm.",
        code=code,
        module=module,
    )
    if code < SMALLEST_PRINT:
        return tr(
            "{told} That is small: {smallest_print:.0f} mm is the least that is dependable.",
            told=told,
            smallest_print=SMALLEST_PRINT,
        )
    far = code * FAR
    away = tr("{far:.0f} cm", far=far / 10) if far < 1000 else f"{far / 1000:.1f} m"
    return tr(
        "{told} It is dependable from up to {away} away: ten times its width.", told=told, away=away
    )
