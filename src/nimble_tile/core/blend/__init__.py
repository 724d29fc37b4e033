"""Ways to make one square of a picture and a symbol.

Every method is one module here with one function
``blend(plan, settings, strength) -> raster`` that works in the code's square:
the part of the picture under the code, upright, S × S pixels for
`Plan.modules` modules a side, quiet zone included. `strength` is a map on the
grid of modules. A module's ``GUARANTEE`` says what its method holds for readers.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from nimble_tile.core.blend import (
    cut,
    dots,
    gentle,
    grain,
    ink,
    light,
    marks,
    overlay,
    strokes,
    tone,
    weave,
)
from nimble_tile.core.blend.marks import Marked
from nimble_tile.core.blend.own import in_own_colours
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import strengths
from nimble_tile.core.blend.unused import LOOKLESS
from nimble_tile.core.look import Look, Relief
from nimble_tile.core.piece import Blend

_MODULES = {
    "tone": tone, "overlay": overlay, "dots": dots, "cut": cut, "grain": grain, "ink": ink,
    "strokes": strokes, "gentle": gentle, "weave": weave,
    "light": light,
}  # fmt: skip

METHODS: dict[str, Callable[[Plan, Blend, np.ndarray], np.ndarray]] = {
    name: module.blend for name, module in _MODULES.items()
}
"""Blend methods by the name that the piece uses."""


def _gentle(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Softly, or by marks."""
    way = gentle if settings.marks.shape == "soft" else marks
    return way.blend(plan, settings, strength)


METHODS["gentle"] = _gentle


def laid_marks(plan: Plan, settings: Blend) -> tuple[Marked, np.ndarray] | None:
    """The flat areas of a blend by marks, and the square below them (uint8 S × S × 3): the
    picture, or what is woven of it or has texture; None for other blends."""
    if not settings.by_marks or settings.marks.border == "fade" or settings.quiet == "plain":
        return None
    if settings.colours == "look" and plan.look.ring == "picture":  # which is no path
        return None
    strength = strengths(plan, settings)
    if not strength.any():
        return None
    below = weave.cloth_of(plan, settings, strength) if settings.method == "weave" else plan
    return marks.layers(below, settings, strength)


GUARANTEES: dict[str, str] = {name: module.GUARANTEE for name, module in _MODULES.items()}
"""What each method holds for readers, in a sentence."""


def look_read(look: Look, settings: Blend) -> Look:
    """The part of a look that a blend method reads: changing the rest recomputes nothing."""
    if settings.method not in LOOKLESS or settings.quiet == "plain":
        return look
    if settings.colours == "look" and look.coloured:
        return look.model_copy(update={"relief": Relief()})  # which no tones can show
    return look.bare


def blend(plan: Plan, settings: Blend, strength: np.ndarray | None = None) -> np.ndarray:
    """Blend a square.

    Parameters
    ----------
    plan : Plan
    settings : Blend
    strength : ndarray of float32, N × N, optional
        Strength of each module, 0 to 1; else that of the settings.

    Returns
    -------
    ndarray of uint8, S × S × 3 sRGB
        The picture itself, to the bit, where the strength is 0 throughout.
    """
    if strength is None:
        strength = strengths(plan, settings)
    if not strength.any():
        return plan.square.copy()
    out = METHODS[settings.method](plan, settings, strength)
    if settings.method in LOOKLESS and settings.colours == "look" and plan.look.coloured:
        # Marks have taken the look's hues already.
        out = in_own_colours(plan, out, hues=not settings.by_marks)
    if settings.quiet == "border" and not settings.bordered and plan.quiet_zone:
        return marks.bordered(plan, out, settings, strength)
    return out


__all__ = [
    "GUARANTEES",
    "LOOKLESS",
    "METHODS",
    "Plan",
    "blend",
    "laid_marks",
    "look_read",
    "strengths",
]
