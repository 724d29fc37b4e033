"""Where a code would change the picture least.

Before the symbol is laid, half of its modules will be dark and half light at
any spot. What each would cost there follows from the picture alone: how far
the tone must be moved to leave the local tone by the margin that readers need,
weighed by how visible a change is (little in texture, much on smooth areas).
The quiet zone must be lightened. Summed over every place of one size.

References
----------
Weighing by local contrast is common practice in watermarking and coding
("noise visibility"); the constants are ours.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.picture.subjects import subjects
from nimble_tile.core.piece import Region

ADVICE_CELLS = 3.0
"""Cells a module at which the picture is looked at, if that is less than `SIDE`."""

SIDE = 420
"""Longer side of the small picture at most."""

TONE_DISTANCE = 0.2
"""Distance from the local tone that a module needs, 0 to 1."""

QUIET_TONE = 0.78
"""Tone to which a quiet zone is lightened."""

TEXTURE = 9.0
"""How much texture hides: a local deviation of 0.11 halves the cost."""

SUBJECT = 1.2
"""What strong shapes cost: a deviation of tone of 0.3 as much as a change of 0.24."""

CALM = 0.10
"""Deviation of tone up to which nothing counts as a shape."""

SHAPE_SIZE = 1.5
"""Size of such shapes: standard deviation in modules."""

FACE, THING = 8.0, 0.6
"""What a face costs, as much as a guarded area; and something that stands out from the whole."""

GUARD = 8.0
"""What a guarded area costs, in parts of a change from black to white."""

PLACES_APART = 0.5
"""Distance of two good places in parts of the code's side."""


@dataclass(frozen=True, eq=False)
class PlaceAdvice:
    """How well the code would lie at every place.

    Attributes
    ----------
    score : ndarray of float32, h × w
        For the code's middle at this spot: 0 (the best place on this picture)
        to 1 (the worst). NaN where the code would reach beyond the picture.
    scale : float
        Cells a pixel of the framed picture.
    side : float
        Side of the code in pixels of the framed picture.
    best : tuple of Region
        Up to three good places, best first, none overlapping another by much.
    covered : tuple of float
        How much each of them covers of what the picture is of: the share of its area on which
        faces are, and things as far as they stand out, 0 to 1.
    """

    score: np.ndarray
    scale: float
    side: float
    best: tuple[Region, ...]
    covered: tuple[float, ...] = ()


def advise(
    picture: np.ndarray,
    size: tuple[int, int],
    side: float,
    modules: int,
    quiet_zone: int,
    guard: np.ndarray | None = None,
) -> PlaceAdvice:
    """Score every upright place for a code of one size.

    Parameters
    ----------
    picture : ndarray of uint8, H × W × 3 sRGB
        The framed and prepared picture at any resolution.
    size : (int, int)
        Width and height of the framed picture in its own pixels.
    side : float
        Side of the code, quiet zone included, in these pixels.
    modules, quiet_zone : int
        Modules along the code, quiet zone included, and of the quiet zone.
    guard : ndarray of uint8, h × w, optional
        255 where the picture must stay.
    """
    import cv2

    scale = min(SIDE / max(size), ADVICE_CELLS * modules / side)
    extent = (max(8, round(size[0] * scale)), max(8, round(size[1] * scale)))
    scale = extent[0] / size[0]
    window = max(3, min(round(side * scale), *extent))
    small = cv2.resize(picture, extent, interpolation=cv2.INTER_AREA)
    tone = cv2.cvtColor(small, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    module = max(window / modules, 0.5)
    local = cv2.GaussianBlur(tone, (0, 0), 2.5 * module, borderType=cv2.BORDER_REFLECT_101)
    spread = (
        cv2.GaussianBlur(tone * tone, (0, 0), module) - cv2.GaussianBlur(tone, (0, 0), module) ** 2
    )
    visible = 1 / (1 + TEXTURE * np.sqrt(np.maximum(spread, 0)))
    darker = np.maximum(0, tone - np.maximum(np.minimum(local, 0.5) - TONE_DISTANCE, 0.04))
    lighter = np.maximum(0, np.minimum(np.maximum(local, 0.5) + TONE_DISTANCE, 0.84) - tone)
    body = 0.5 * (darker + lighter) * visible
    quiet = np.maximum(0, QUIET_TONE - tone) * visible
    # Letters, faces and other subjects are strong shapes, which a code would break.
    wide = cv2.GaussianBlur(tone * tone, (0, 0), SHAPE_SIZE * module)
    wide -= cv2.GaussianBlur(tone, (0, 0), SHAPE_SIZE * module) ** 2
    shape = SUBJECT * np.maximum(0, np.sqrt(np.maximum(wide, 0)) - CALM)
    face, thing = subjects(small)
    shape += FACE * face + THING * thing
    body += shape
    quiet += shape
    if guard is not None and guard.any():
        kept = cv2.resize(guard, extent, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        body += GUARD * kept
        quiet += GUARD * kept
    inner = max(1, round(window * (1 - 2 * quiet_zone / modules)))
    cost = _sums(quiet, window) - _inner(_sums(quiet, inner), window, inner)
    cost = (cost + _inner(_sums(body, inner), window, inner)) / window**2
    score = np.full(tone.shape, np.nan, np.float32)
    first = window // 2
    area = score[first : first + cost.shape[0], first : first + cost.shape[1]]
    low, high = float(cost.min()), float(cost.max())
    area[:] = (cost - low) / max(high - low, 1e-9)
    best = _best(cost, window, scale, size, side)
    of = np.maximum(face, thing)
    covered = tuple(float(of[_cells(place, scale)].mean()) for place in best)
    return PlaceAdvice(score, scale, side, best, covered)


def _cells(place: Region, scale: float) -> tuple[slice, slice]:
    """A place on the small picture."""
    left, top = round(place.x * scale), round(place.y * scale)
    side = max(1, round(place.width * scale))
    return slice(top, top + side), slice(left, left + side)


def _sums(field: np.ndarray, window: int) -> np.ndarray:
    """Sum over each whole window of a field (valid places alone)."""
    import cv2

    total = cv2.integral(field.astype(np.float64))
    w = window
    return total[w:, w:] - total[:-w, w:] - total[w:, :-w] + total[:-w, :-w]


def _inner(sums: np.ndarray, window: int, inner: int) -> np.ndarray:
    """Sums of inner windows as seen from the outer windows round them."""
    shift = (window - inner) // 2
    high, wide = sums.shape[0] - (window - inner), sums.shape[1] - (window - inner)
    return sums[shift : shift + high, shift : shift + wide]


def _best(
    cost: np.ndarray, window: int, scale: float, size: tuple[int, int], side: float
) -> tuple[Region, ...]:
    """Up to three places, each the best one apart from those before it."""
    left = cost.copy()
    found: list[Region] = []
    apart = max(1, round(window * PLACES_APART))
    while len(found) < 3 and np.isfinite(left).any():
        row, column = np.unravel_index(int(np.argmin(left)), left.shape)
        x = min(max(0.0, column / scale), size[0] - side)
        y = min(max(0.0, row / scale), size[1] - side)
        found.append(Region(x=max(0, round(x)), y=max(0, round(y)), width=side, height=side))
        left[max(0, row - apart) : row + apart + 1, max(0, column - apart) : column + apart + 1] = (
            np.inf
        )
    return tuple(found)
