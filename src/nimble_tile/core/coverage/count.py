"""Coverage, exactly: area, modules, and the codewords that what is laid on a code spoils."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.coverage.hold import Hold, foresee
from nimble_tile.core.laid.items import Item, Laid
from nimble_tile.core.language import tr
from nimble_tile.core.logo.lay import CLEARED_FROM, TOUCHED, under
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.scan.sampling import (
    Sample,
    cells_of,
    light_on_dark,
    sample,
    spoiled,
    upright_view,
)
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks.drawing import alignment_middles


@dataclass(frozen=True)
class Share:
    """What one logo, one caption or the painted plate covers.

    Attributes
    ----------
    role : {"logo", "caption", "paint"}
    owner : int
        Which one, counted from 0.
    area : float
        Share of the symbol's area, 0 to 1.
    modules : int
        Modules that it touches.
    codewords : int
        Codewords that are wrong in a module that it touches.
    """

    role: str
    owner: int
    area: float
    modules: int
    codewords: int


@dataclass(frozen=True, eq=False)
class Coverage:
    """What is covered, and what that spoils.

    Attributes
    ----------
    area : float
        Share of the symbol's area, 0 to 1; modules that were taken away included.
    modules : float
        Share of its modules that are touched.
    touched : ndarray of bool, n × n
    shares : tuple of Share
    spoiled : tuple of int
        Wrong codewords of each block, in the rendered image.
    under : tuple of int
        Those of them that have a wrong module under what is laid.
    correctable : tuple of int
        What each block corrects.
    codewords : int
        Codewords of the whole symbol.
    patterns : tuple of str
        Function patterns that are touched, by name.
    hold : Hold
        The prediction.
    explanation : str
        Why the level's percentage is not a share of the area, with this piece's numbers.
    """

    area: float
    modules: float
    touched: np.ndarray
    shares: tuple[Share, ...]
    spoiled: tuple[int, ...]
    under: tuple[int, ...]
    correctable: tuple[int, ...]
    codewords: int
    patterns: tuple[str, ...]
    hold: Hold
    explanation: str


def seen(rendering: Rendering) -> tuple[np.ndarray, object]:
    """The code upright as grey, dark on light, and its box there."""
    grey, box = to_grey(rendering.image), rendering.box
    if rendering.quad is not None:
        grey, box = upright_view(grey, rendering.quad, rendering.modules)
    cells = cells_of(grey, box, rendering.modules)
    if light_on_dark(cells, rendering.symbol, rendering.quiet_zone):
        grey = 255 - grey
    return grey, box


def coverage(rendering: Rendering) -> Coverage | None:
    """Coverage of a rendering; None where nothing lies on its code.

    Parameters
    ----------
    rendering : Rendering
        At any size of at least four pixels a module.
    """
    laid, symbol, quiet = rendering.laid, rendering.symbol, rendering.quiet_zone
    if laid is None:
        return None
    items = laid.on_code
    modules = under(items, symbol.side, quiet)
    if laid.cleared is not None:
        modules = np.where(laid.cleared, 1, modules)
    touched = modules > TOUCHED
    if not touched.any():
        return None
    grey, box = seen(rendering)
    looked = sample(grey, box, symbol, quiet)
    hold = foresee(grey, box, symbol, quiet, touched)
    shares = _shares(laid, items, looked, symbol, quiet)
    below = spoiled(looked.wrong & touched, symbol)
    area = float(modules.mean())
    return Coverage(
        area=area,
        modules=float(touched.mean()),
        touched=touched,
        shares=shares,
        spoiled=looked.codeword_errors,
        under=below,
        correctable=looked.correctable,
        codewords=len(symbol.anatomy.bits_of),
        patterns=touched_patterns(modules >= CLEARED_FROM, symbol),
        hold=hold,
        explanation=_explanation(area, below, looked, symbol),
    )


def _shares(
    laid: Laid, items: list[Item], looked: Sample, symbol: Symbol, quiet: int
) -> tuple[Share, ...]:
    owners: dict[tuple[str, int], list[Item]] = {}
    for item in items:
        role = item.role if item.role in ("caption", "paint") else "logo"
        owners.setdefault((role, item.owner), []).append(item)
    found = []
    for (role, owner), own in owners.items():
        modules = under(own, symbol.side, quiet)
        touched = modules > TOUCHED
        if touched.any():
            count = sum(spoiled(looked.wrong & touched, symbol))
            found.append(Share(role, owner, float(modules.mean()), int(touched.sum()), count))
    return tuple(found)


def _explanation(area: float, under: tuple[int, ...], looked: Sample, symbol: Symbol) -> str:
    total = len(symbol.anatomy.bits_of)
    able = sum(looked.correctable)
    blocks = len(looked.correctable)
    own = tr("each of its blocks must hold by itself") if blocks > 1 else tr("it is one block")
    return tr(
        "Level {level} repairs {able} of {total} codewords ({able2:.0%}), "
        "which is not {able2:.0%} of the area: one wrong module spoils a "
        "codeword of eight, and {own}. Here {area:.1%} of the area spoil "
        "{under} codewords.",
        level=symbol.level,
        able=able,
        total=total,
        able2=able / total,
        own=own,
        area=area,
        under=sum(under),
    )


def touched_patterns(touched: np.ndarray, symbol: Symbol) -> tuple[str, ...]:
    """Names of the function patterns that have touched modules (bool n × n)."""
    parts, n = symbol.anatomy.parts, symbol.side
    names = []
    corners = ((tr("top left"), 0, 0), (tr("top right"), 0, n - 7), (tr("bottom left"), n - 7, 0))
    for name, row, column in corners[:1] if symbol.micro else corners:
        if touched[row : row + 7, column : column + 7].any():
            names.append(tr("finder pattern at the {name}", name=name))
        around = touched[max(0, row - 1) : row + 8, max(0, column - 1) : column + 8]
        edge = parts[max(0, row - 1) : row + 8, max(0, column - 1) : column + 8] == Part.SEPARATOR
        if (around & edge).any():
            names.append(tr("light border of the finder at the {name}", name=name))
    timing = parts == Part.TIMING
    line = 0 if symbol.micro else 6
    if (touched & timing)[line].any():
        names.append(tr("timing pattern across"))
    if (touched & timing)[:, line].any():
        names.append(tr("timing pattern down"))
    names += [
        tr("alignment pattern {where}", where=_where(row, column, n))
        for row, column in alignment_middles(symbol)
        if touched[row - 2 : row + 3, column - 2 : column + 3].any()
    ]
    if (touched & (parts == Part.FORMAT)).any():
        names.append(tr("format information"))
    if (touched & (parts == Part.VERSION)).any():
        names.append(tr("version information"))
    return tuple(names)


_PLACES = (
    (tr("at the top left"), tr("at the top"), tr("at the top right")),
    (tr("at the left"), tr("in the middle"), tr("at the right")),
    (tr("at the bottom left"), tr("at the bottom"), tr("at the bottom right")),
)


def _where(row: int, column: int, n: int) -> str:
    """Place of an alignment pattern in words."""
    down = 0 if row < n / 3 else 2 if row > n * 2 / 3 else 1
    across = 0 if column < n / 3 else 2 if column > n * 2 / 3 else 1
    return _PLACES[down][across]
