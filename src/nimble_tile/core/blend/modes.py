"""The blend modes of the W3C: B(cb, cs) for every one of the sixteen.

References
----------
W3C Compositing and Blending Level 1, sections 10.1 (separable) and 10.2
(non-separable blend modes).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

Planes = Sequence[np.ndarray]
"""Red, green, blue: float32 arrays of one shape, 0 to 1."""

Blender = Callable[[Planes, Planes], Planes]


def _multiply(cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    return cb * cs


def _screen(cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    return cb + cs - cb * cs


def _hard_light(cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    twice = 2 * cs
    return np.where(cs <= 0.5, cb * twice, _screen(cb, twice - 1))


def _colour_dodge(cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    with np.errstate(divide="ignore", invalid="ignore"):
        out = np.minimum(1, cb / (1 - cs))
    return np.where(cb == 0, np.float32(0), np.where(cs >= 1, np.float32(1), out))


def _colour_burn(cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    with np.errstate(divide="ignore", invalid="ignore"):
        out = 1 - np.minimum(1, (1 - cb) / cs)
    return np.where(cb >= 1, np.float32(1), np.where(cs <= 0, np.float32(0), out))


def _soft_light(cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    root = np.where(cb <= 0.25, ((16 * cb - 12) * cb + 4) * cb, np.sqrt(cb))
    pull = 2 * cs - 1
    return np.where(cs <= 0.5, cb + pull * cb * (1 - cb), cb + pull * (root - cb))


def _exclusion(cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    return cb + cs - 2 * cb * cs


def _lum(c: Planes) -> np.ndarray:
    return np.float32(0.3) * c[0] + np.float32(0.59) * c[1] + np.float32(0.11) * c[2]


def _ends(c: Planes) -> tuple[np.ndarray, np.ndarray]:
    """Smallest and largest channel."""
    low = np.minimum(np.minimum(c[0], c[1]), c[2])
    return low, np.maximum(np.maximum(c[0], c[1]), c[2])


def _set_lum(c: Planes, lum: np.ndarray) -> Planes:
    """SetLum with ClipColor: moved to a luminosity, pulled towards grey until it fits."""
    shift = lum - _lum(c)
    low, high = _ends(c)
    low, high = low + shift, high + shift
    # How much of the distance from grey is left: what fits below, then what fits above.
    tiny = np.float32(1e-12)
    # Colours that fit give 1 or more, and grey has no distance from itself to lose.
    below = np.minimum(lum / np.maximum(lum - low, tiny), 1)
    above = np.minimum((1 - lum) / np.maximum((high - lum) * below, tiny), 1)
    left = below * above
    base = lum + left * (shift - lum)
    return [base + left * channel for channel in c]


def _set_sat(c: Planes, sat: np.ndarray) -> Planes:
    """Smallest channel to 0, largest to `sat`, the middle one between as it was."""
    low, high = _ends(c)
    span = high - low
    gain = sat / np.maximum(span, np.float32(1e-12))  # grey has no saturation to enlarge
    return [(channel - low) * gain for channel in c]


def _sat(c: Planes) -> np.ndarray:
    low, high = _ends(c)
    return high - low


def _each(mix: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> Blender:
    """A separable mode: the same for each channel."""

    def blended(backdrop: Planes, source: Planes) -> Planes:
        return [mix(cb, cs) for cb, cs in zip(backdrop, source, strict=True)]

    return blended


SEPARABLE: dict[str, Callable[[np.ndarray, np.ndarray], np.ndarray]] = {
    "multiply": _multiply,
    "screen": _screen,
    "overlay": lambda cb, cs: _hard_light(cs, cb),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": _colour_dodge,
    "color-burn": _colour_burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda cb, cs: np.abs(cb - cs),
    "exclusion": _exclusion,
}
"""B(cb, cs) of one channel, for the modes that treat each channel by itself."""


def _is_grey(source: Planes) -> bool:
    """Whether all three planes are the same array."""
    return source[0] is source[1] is source[2]


def _hue(cb: Planes, cs: Planes) -> Planes:
    # Grey has neither hue nor saturation: what is left is the backdrop's luminosity.
    return [_lum(cb)] * 3 if _is_grey(cs) else _set_lum(_set_sat(cs, _sat(cb)), _lum(cb))


def _saturation(cb: Planes, cs: Planes) -> Planes:
    return [_lum(cb)] * 3 if _is_grey(cs) else _set_lum(_set_sat(cb, _sat(cs)), _lum(cb))


def _colour(cb: Planes, cs: Planes) -> Planes:
    return [_lum(cb)] * 3 if _is_grey(cs) else _set_lum(cs, _lum(cb))


def _luminosity(cb: Planes, cs: Planes) -> Planes:
    return _set_lum(cb, cs[0] if _is_grey(cs) else _lum(cs))


MODES: dict[str, Blender] = {
    "normal": lambda cb, cs: cs,
    **{name: _each(mix) for name, mix in SEPARABLE.items()},
    "hue": _hue,
    "saturation": _saturation,
    "color": _colour,
    "luminosity": _luminosity,
}
"""B(cb, cs) by the specification's names: three planes each of backdrop and source, float32
from 0 to 1, to three planes. A source whose planes are one array is grey."""
