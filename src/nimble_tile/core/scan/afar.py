"""Looks from farther and farther away, before anything is called unreadable.

A picture of fine things, tiles or leaves smaller than a module, hides its code from readers that
see every detail; from afar, or small, it is an ordinary code. Phones read it as soon as they are
far enough, so the looks go down to where a module has three pixels.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.scan.bay import Outcome, ReaderBay
from nimble_tile.core.scan.framed import Glance, seen_at

STEP = 0.83
"""From one look to the next."""

LEAST_MODULE = 3.0
"""Pixels a module of the last look: less no reader needs (see docs/readers.md)."""

SMALLEST_SIDE = 87
"""Longer side of the last look where the modules are not known: the smallest code with its quiet
zone, 29 modules, at three pixels each."""

AGREE = 2
"""Readers that must read it in one look: what a single one reads once is luck."""


@dataclass(frozen=True, eq=False)
class Afar:
    """What looks from afar have shown.

    Attributes
    ----------
    look : Glance
        The one in which most readers read it, the largest of these.
    side : int
        Longer side of the largest look in which enough readers agreed.
    """

    look: Glance
    side: int


def from_afar(
    bay: ReaderBay,
    grey: np.ndarray,
    begin: int,
    module: float | None,
    names: Sequence[str],
    right: Callable[[Outcome], bool],
) -> Afar | None:
    """Look at a view from farther and farther away, until all readers have read it.

    Parameters
    ----------
    bay : ReaderBay
    grey : ndarray of uint8, H × W
    begin : int
        Longer side of the smallest look so far.
    module : float or None
        Pixels a module on `grey`, where that is known.
    names : sequence of str
        Readers that know such codes.
    right : callable
        Whether a reader read what was meant.

    Returns
    -------
    Afar or None
        None where no look shows it to `AGREE` readers, or to the only one that can read it.
    """
    longer = max(grey.shape)
    least = SMALLEST_SIDE if module is None else round(longer * LEAST_MODULE / module)
    needed = min(AGREE, len(names))
    best, most, first, side = None, 0, 0, min(begin, longer)
    while (side := round(side * STEP)) >= least and most < len(names):
        view, scale = seen_at(grey, side)
        outcomes = tuple(bay.read(view, names))
        count = sum(right(outcome) for outcome in outcomes)
        if count >= needed:
            first = first or side
            if count > most:
                best, most = Glance(outcomes, max(view.shape), scale), count
    return None if best is None else Afar(best, first)
