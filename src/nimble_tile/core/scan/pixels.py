"""What a drawing of whole pixels leaves of its code, at each stroke."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.pixelart import PixelArt
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.scan.sampling import sample
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol

LIGHT_QUIET_ZONE = 0.8
"""Share of the quiet zone that must be light."""

SEEN_MODULE = 8
"""Pixels of a module at least at which a drawing is sampled."""


@dataclass(frozen=True)
class PixelCost:
    """How a drawing stands.

    Attributes
    ----------
    spare : float
        Error correction not used up in the weakest block, 0 to 1.
    wrong, weak : int
        Modules that are read wrongly, and those that are nearly so.
    readable : bool
        Whether every block can be corrected.
    quiet_zone : float
        Share of the quiet zone that reads as light, 0 to 1.
    """

    spare: float
    wrong: int
    weak: int
    readable: bool
    quiet_zone: float = 1.0

    @property
    def fine(self) -> bool:
        """Whether nothing is in the way of readers."""
        return self.readable and self.quiet_zone >= LIGHT_QUIET_ZONE

    def told(self, before: PixelCost | None = None) -> str:
        """In words, with what has changed since then."""
        words = tr("{spare:.0%} of the error correction is left", spare=self.spare)
        if before is not None and abs(before.spare - self.spare) >= 0.005:
            words += tr(" (this stroke: {spare:+.0%})", spare=self.spare - before.spare)
        wrong = (
            tr("1 module is wrong")
            if self.wrong == 1
            else tr("{wrong} modules are wrong", wrong=self.wrong)
        )
        told = f"{words}; {wrong}." if self.wrong else f"{words}."
        if self.quiet_zone < LIGHT_QUIET_ZONE:
            told += tr(
                " Only {quiet_zone:.0%} of the quiet zone is light: readers need it.",
                quiet_zone=self.quiet_zone,
            )
        return told if self.readable else tr("{told} It cannot be read any more.", told=told)


def pixel_cost(art: PixelArt, symbol: Symbol) -> PixelCost:
    """How a drawing stands."""
    factor = math.ceil(SEEN_MODULE / art.module)
    grey = to_grey(np.ascontiguousarray(art.rgb)).repeat(factor, 0).repeat(factor, 1)
    quiet = tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
    side = (symbol.side + 2 * quiet) * art.module * factor
    x, y = (value * factor for value in art.first)
    found = sample(np.ascontiguousarray(grey), Box(x, y, side, side), symbol, quiet)
    wrong, weak = int(found.wrong.sum()), int(found.weak.sum())
    return PixelCost(found.spare, wrong, weak, found.corrects, found.quiet_zone)
