"""Ways to make one square of a picture and a symbol.

Every method is one module here with one function
``blend(plan, settings) -> raster`` that works in the code's square: the part
of the picture under the code, upright, S × S pixels for `Plan.modules`
modules a side, quiet zone included.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from nimble_tile.core.blend import overlay, tone
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.piece import Blend

METHODS: dict[str, Callable[[Plan, Blend], np.ndarray]] = {
    "tone": tone.blend,
    "overlay": overlay.blend,
}
"""Blend methods by the name that the piece uses."""

__all__ = ["METHODS", "Plan"]
