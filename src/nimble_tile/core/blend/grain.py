"""Grain: the picture as fine dark and light cells, error-diffused.

Each module is divided into cells. The cells in the middle keep the module's
value; the others are free for the picture, whose tone they render by error
diffusion, the errors made by the fixed cells included. The picture's tone is
first limited to what a module with its majority on the right side can show.

References
----------
R. W. Floyd, L. Steinberg, "An adaptive algorithm for spatial greyscale",
Proceedings of the Society of Information Display 17(2), 1976.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend.compose import toned
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend
from nimble_tile.core.symbol.anatomy import Part

GUARANTEE = tr(
    "The cells in the middle of every module, and the majority of all its cells, have the "
    "module's value; function patterns are whole."
)

KEPT_RADIUS = 0.3
"""Radius of the middle that keeps its value, in modules."""

# Luma of dark and light cells by strength; between the strengths it is mixed
# with the picture's own tone.
_SHARE = ((0.0, 0.0), (0.3, 0.45), (0.7, 0.74), (1.0, 1.0))

# Share of a module's cells that have its value, by strength.
_MAJORITY = ((0.0, 0.5), (0.5, 0.6), (0.7, 0.68), (1.0, 0.84))

HELD = 1.0
"""Error, in parts of the full range, beyond which none is passed on: a module
that stands against the picture must not spoil the next ones."""


def fixed_cells(cells: int) -> np.ndarray:
    """Bool cells × cells: the middle of a module."""
    at = (np.arange(cells) + 0.5) / cells - 0.5
    return np.hypot(at[:, None], at) <= KEPT_RADIUS


def diffused(tone: np.ndarray, fixed: np.ndarray) -> np.ndarray:
    """Floyd and Steinberg's error diffusion with some cells given.

    Cells of one slanting front depend on earlier fronts alone and are computed
    at once; the result is the same as cell by cell.

    Parameters
    ----------
    tone : ndarray of float, H × W
        0 to 1.
    fixed : ndarray of int8, H × W
        0 or 1 where the cell is given, -1 where it is free.

    Returns
    -------
    ndarray of bool, H × W
        True = light.
    """
    height, width = tone.shape
    # Slanted so that a front is a column: cell (r, c) lies in front c + 2 r.
    fronts = width + 2 * (height - 1)
    slanted = np.zeros((fronts + 3, height + 1))
    given = np.full((fronts, height), -1, np.int8)
    row, column = np.indices(tone.shape)
    slanted[column + 2 * row, row] = tone
    given[column + 2 * row, row] = fixed
    light = np.zeros((fronts, height), bool)
    for front in range(fronts):
        first = max(0, -(-(front - width + 1) // 2))
        last = min(height - 1, front // 2)
        if first > last:
            continue
        part = slice(first, last + 1)
        value = slanted[front, part]
        choice = given[front, part]
        chosen = np.where(choice >= 0, choice == 1, value > 0.5)
        light[front, part] = chosen
        error = np.clip(value - chosen, -HELD, HELD) * (1 / 16)
        slanted[front + 1, part] += 7 * error  # the next cell of the row
        below = slice(first + 1, last + 2)
        slanted[front + 1, below] += 3 * error  # below, to the left
        slanted[front + 2, below] += 5 * error  # below
        slanted[front + 3, below] += error  # below, to the right
    return light[column + 2 * row, row]


def _majority(
    light: np.ndarray, tone: np.ndarray, dark: np.ndarray, least: np.ndarray, cells: int
) -> np.ndarray:
    """Flip the cells whose change shows least until every module has its majority."""
    n = dark.shape[0]

    def by_module(grid: np.ndarray) -> np.ndarray:
        return grid.reshape(n, cells, n, cells).swapaxes(1, 2).reshape(n, n, cells * cells)

    own = by_module(light) != dark[..., None]  # of the module's value
    wish = by_module(tone)
    wish = np.where(dark[..., None], wish, 1 - wish)  # how strongly a cell leans the other way
    lacking = np.maximum(0, least - own.sum(-1))
    order = np.argsort(np.where(own, np.inf, wish), axis=-1, kind="stable")
    rank = np.empty_like(order)
    np.put_along_axis(rank, order, np.broadcast_to(np.arange(cells * cells), order.shape), -1)
    own = own | (rank < lacking[..., None])
    made = own != dark[..., None]
    return made.reshape(n, n, cells, cells).swapaxes(1, 2).reshape(n * cells, n * cells)


def pattern(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Bool, N·cells × N·cells: light cells of the symbol (the quiet zone is all light)."""
    import cv2

    cells, n = settings.grain.cells, plan.modules
    side = n * cells
    tone = cv2.resize(plan.luma, (side, side), interpolation=cv2.INTER_AREA) / 255.0
    middle = fixed_cells(cells)
    whole = np.ones((cells, cells), np.int8)
    share = np.interp(strength, *zip(*_MAJORITY, strict=True))
    least = np.minimum(np.ceil(share * cells**2).astype(int), cells**2)
    least = np.maximum(least, cells**2 // 2 + 1)
    # OpenCV lost codes whose timing pattern was grainy.
    solid = plan.function | plan.quiet | (plan.parts == Part.TIMING)
    least[solid] = cells**2
    # The contrast that a module can show while its majority stays on the right side.
    room = 1 - least / cells**2
    low, high = np.where(plan.dark, 0, 1 - room), np.where(plan.dark, room, 1)
    low, high = (np.kron(grid, whole) for grid in (low, high))
    # Half of what exceeds that contrast is compressed, half is clipped.
    shown = 0.5 * np.clip(tone, low, high) + 0.5 * (low + tone * (high - low))
    given = np.full((side, side), -1, np.int8)
    value = np.kron(~plan.dark, whole).astype(np.int8)
    held = np.tile(middle, (n, n)) | np.kron(solid, whole).astype(bool)
    given[held] = value[held]
    light = diffused(shown, given)
    return _majority(light, tone, plan.dark, least, cells)


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with `Blend.grain`. Returns uint8 S × S × 3."""
    import cv2

    key = (settings.grain, strength.tobytes())
    light = plan.once("grain", key, lambda: pattern(plan, settings, strength))
    side = plan.side
    finer = max(1, round(2 * side / light.shape[0] / 3))
    grid = light.astype(np.uint8) * 255
    if finer > 1:  # crisp cells, soft over a pixel alone
        grid = cv2.resize(grid, (light.shape[1] * finer,) * 2, interpolation=cv2.INTER_NEAREST)
    smooth = cv2.INTER_LINEAR if side >= grid.shape[0] else cv2.INTER_AREA
    cells = cv2.resize(grid, (side, side), interpolation=smooth)
    share = plan.on_pixels(np.interp(strength, *zip(*_SHARE, strict=True)).astype(np.float32))
    share = np.rint(share * 255).astype(np.uint8)
    after = cv2.add(
        cv2.multiply(cells, share, scale=1 / 255),
        cv2.multiply(plan.luma, cv2.bitwise_not(share), scale=1 / 255),
    )
    return toned(plan, after, settings, strength)
