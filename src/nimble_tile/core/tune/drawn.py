"""A drawing comes back: found on a photo or a scan, set straight, cleaned, and a piece."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.picture.paper import cleaned, straightened
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.tune.mend import find
from nimble_tile.core.tune.recover import suspects

USUAL_MARGIN = 6.5
"""Modules round the code that are kept: quiet zone and edge of a template."""


@dataclass(frozen=True, eq=False)
class Drawn:
    """A drawing that was set straight.

    Attributes
    ----------
    image : ndarray of uint8, S × S × 3 sRGB
    symbol : Symbol
        What stands there.
    quad : ndarray of float64, 4 × 2
        Corners of the symbol on the image.
    from_corners : ndarray of float64, 4 × 2
        The same on the picture as it came.
    sure : bool
        Whether the symbol was found on it; False: it is taken on trust.
    """

    image: np.ndarray
    symbol: Symbol
    quad: np.ndarray
    from_corners: np.ndarray
    sure: bool


def corners_of(
    image: np.ndarray,
    text: str,
    bay: ReaderBay,
    known: Sequence[Symbol] = (),
    stop: Callable[[], bool] = lambda: False,
) -> tuple[Symbol, np.ndarray]:
    """The symbol on a photo of a drawing, and its corners, by its finders.

    Raises
    ------
    UserError
        It was not found.
    """
    try:
        found = find(image, text, bay, None, stop, known)[0]
    except UserError as error:
        raise UserError(error.what, tr("Put the four corners on it by hand.")) from error
    return found.symbol, found.quad


def symbol_at(
    image: np.ndarray, text: str, quad: np.ndarray, known: Sequence[Symbol]
) -> tuple[Symbol, np.ndarray, bool]:
    """The symbol between four corners that somebody has put there.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    text : str
    quad : ndarray, 4 × 2
        Corners of the symbol without quiet zone.
    known : sequence of Symbol
        Those that it may be; the first one is taken on trust where none is found.

    Returns
    -------
    (Symbol, ndarray, bool)
        The symbol, its corners, and whether it was found there.
    """
    upright, module = straightened(image, np.asarray(quad, float), known[0].side, 4)
    low, high = 4 * module, upright.shape[0] - 4 * module
    square = np.array([[low, low], [high, low], [high, high], [low, high]])
    found = suspects(upright, text, None, [square], symbols=known)
    if found and found[0].sure:
        from nimble_tile.core.picture.warping import mapped, matrix_to

        # Corners that were put there roughly are moved to where the symbol agrees best.
        back = matrix_to(np.asarray(quad, float), 1.0) @ np.linalg.inv(matrix_to(square, 1.0))
        return found[0].symbol, mapped(back, found[0].quad), True
    return known[0], np.asarray(quad, float), False


def bring_back(
    image: np.ndarray,
    symbol: Symbol,
    quad: np.ndarray,
    sure: bool = True,
    margin: float = USUAL_MARGIN,
    clean: float = 1.0,
) -> Drawn:
    """Set a drawing straight and clean it.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    symbol : Symbol
    quad : ndarray, 4 × 2
        Corners of the symbol.
    sure : bool
        Whether it was found there.
    margin : float
        Modules round it that are kept.
    clean : float
        How far the paper's tone is taken away, 0 to 1.
    """
    quad = np.asarray(quad, float)
    made, module = straightened(image, quad, symbol.side, margin)
    made = cleaned(made, module, clean)
    low, high = margin * module, (margin + symbol.side) * module
    square = np.array([[low, low], [high, low], [high, high], [low, high]])
    return Drawn(made, symbol, square, quad, sure)
