"""One harder look: the code as a poor print, seen by a phone.

Of all situations that we tried, grey paper with spread ink told best whether a
code would also be read in others: it takes contrast away and pulls the tones
together, which is what dim light, glare and distance do too.
"""

from __future__ import annotations

from functools import cache, lru_cache

import numpy as np

from nimble_tile.core.linear import to_linear, to_srgb

MODULE = 6.0
"""Pixels a module: a code in the hand."""

MOST_ENLARGED = 4.0
"""Enlargement at most."""

DOT_GAIN = 0.22
PAPER, INK = 0.55, 0.09
"""Spread of the ink at 50 %, reflectance of paper and ink."""

SEEN_ROUND = 0.35
"""Surroundings of the code that are seen with it, in parts of its extent: what a person
who aims at a code has in the middle of the frame."""

LENS_BLUR = 0.7
"""Standard deviation of print and lens together, in pixels."""

NOISE = 0.012
"""Standard deviation of the noise, of full scale."""

EXPOSED = 0.3
"""Mean, of full scale, that automatic exposure aims at: phones keep pictures brighter than
the mid grey of 18 % (estimate), and who aims at a code exposes for it."""


def faded(grey: np.ndarray, module: float, area: tuple[slice, slice] | None = None) -> np.ndarray:
    """The view as a faded print.

    Parameters
    ----------
    grey : ndarray of uint8, H × W
        A code with its surroundings.
    module : float
        Side of a module in pixels.
    area : (slice, slice), optional
        Rows and columns of the code; the whole view if left out.

    Returns
    -------
    ndarray of uint8
        At `MODULE` pixels a module, unless that were more than `MOST_ENLARGED` times larger.
    """
    import cv2

    grey, area = _closer(grey, area)
    linear = to_linear(grey)
    scale = min(MODULE / module, MOST_ENLARGED)
    size = max(16, round(grey.shape[1] * scale)), max(16, round(grey.shape[0] * scale))
    way = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    mean = _mean_after_print(grey[area] if area is not None else grey)
    linear = cv2.resize(linear, size, interpolation=way)
    linear = cv2.GaussianBlur(linear, (0, 0), LENS_BLUR)
    seen = _after_print(linear) * np.float32(EXPOSED / max(float(mean), 1e-3))
    return to_srgb(seen + _noise(seen.shape))


@lru_cache(4)
def _noise(shape: tuple[int, int]) -> np.ndarray:
    """The same noise for every code of a size."""
    return np.float32(NOISE) * np.random.default_rng(1).standard_normal(shape, np.float32)


def _closer(
    grey: np.ndarray, area: tuple[slice, slice] | None
) -> tuple[np.ndarray, tuple[slice, slice] | None]:
    """The view cut down to the code with `SEEN_ROUND` round it, and the code's place there."""
    if area is None:
        return grey, None
    more = round(SEEN_ROUND * max(part.stop - part.start for part in area))
    cuts = tuple(
        slice(max(0, part.start - more), min(whole, part.stop + more))
        for part, whole in zip(area, grey.shape, strict=True)
    )
    own = tuple(
        slice(part.start - cut.start, part.stop - cut.start)
        for part, cut in zip(area, cuts, strict=True)
    )
    return np.ascontiguousarray(grey[cuts]), own


def _mean_after_print(grey: np.ndarray) -> float:
    """Mean of `_after_print` over an image of 8 bits."""
    import cv2

    return cv2.mean(cv2.LUT(grey, _tones_after_print()))[0]


@cache
def _tones_after_print() -> np.ndarray:
    """`_after_print` of all 256 tones."""
    return _after_print(to_linear(np.arange(256, dtype=np.uint8)[None]))[0]


def _after_print(linear: np.ndarray) -> np.ndarray:
    """Reflectance of spread ink on grey paper."""
    covered = 1 - linear
    covered += 4 * DOT_GAIN * covered * linear
    return INK + (PAPER - INK) * (1 - covered)
