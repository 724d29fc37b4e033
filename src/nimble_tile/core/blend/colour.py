"""Moving a picture's tones while its colours stay, in a perceptual space inside the gamut.

Readers see luma; people see lightness, hue and chroma. A pixel is moved to a
wanted luma by changing its lightness in OKLab at constant hue. Its chroma is
kept as far as sRGB holds it at the new lightness, and what the two scales
differ by is made up by mixing with black or white, so that the wanted luma is
met exactly before rounding.

References
----------
B. Ottosson, "A perceptual color space for image processing", 2020 (OKLab, its
matrices). IEC 61966-2-1 (sRGB).
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache

import numpy as np

from nimble_tile.core import oklab
from nimble_tile.core.linear import linear
from nimble_tile.core.strips import strips

# In single precision, which is twice as quick and finer than eight bits.
_TO_LMS, _TO_LAB, _FROM_LAB, _FROM_LMS = (
    matrix.astype(np.float32)
    for matrix in (oklab.TO_LMS, oklab.TO_LAB, oklab.FROM_LAB, oklab.FROM_LMS)
)

WITHIN = 0.97
"""Part of the largest possible chroma that is used."""

CACHED_PIXELS = 65_536
"""Pixels that are worked on at once: what fits a processor's cache."""

FEW_PIXELS = 160_000
"""Pixels up to which colours are looked at one by one."""

KEPT = 1_100_000
"""Pixels up to which a square's colours are remembered between two edits."""


HUES, TONES = 180, 65


# Linear light of each 8-bit value, and the lightness of each grey.
_LINEAR = linear(np.arange(256) / 255).astype(np.float32)
_GREY = np.cbrt(_LINEAR)


def to_oklab(square: np.ndarray) -> np.ndarray:
    """Float32 H × W × 3 OKLab (lightness 0 to 1) of uint8 H × W × 3 sRGB."""
    import cv2

    light = cv2.LUT(square, _LINEAR)
    return cv2.transform(np.cbrt(cv2.transform(light, _TO_LMS)), _TO_LAB)


def from_oklab(lab: np.ndarray) -> np.ndarray:
    """Float32 sRGB, 0 to 1 where it is in the gamut, of OKLab (both … × 3)."""
    lms = lab @ _FROM_LAB.T
    return _encoded(lms**3 @ _FROM_LMS.T)


def _encoded(light: np.ndarray) -> np.ndarray:
    """sRGB of linear light; exact to half an 8-bit step."""
    light = np.maximum(light, 0)
    half = np.sqrt(light)
    quarter = np.sqrt(half)
    # Power 1/2.4 by roots, which processors do at once.
    bent = 0.585122381 * half + 0.783140355 * quarter - 0.368262736 * np.sqrt(quarter)
    return np.where(light <= 0.0031308, light * np.float32(12.92), bent)


@lru_cache(maxsize=1)
def largest_chroma() -> np.ndarray:
    """Float32 `TONES` × `HUES` + 1: largest chroma in sRGB by lightness and hue."""
    lightness = np.linspace(0, 1, TONES)[:, None]
    hue = np.linspace(0, 2 * np.pi, HUES + 1)[None]
    low, high = np.zeros((TONES, HUES + 1)), np.full((TONES, HUES + 1), 0.5)
    for _ in range(18):
        chroma = (low + high) / 2
        lab = np.stack(
            [np.broadcast_to(lightness, chroma.shape), chroma * np.cos(hue), chroma * np.sin(hue)],
            -1,
        )
        rgb = (lab @ _FROM_LAB.T.astype(float)) ** 3 @ _FROM_LMS.T.astype(float)
        fits = ((rgb >= -1e-4) & (rgb <= 1 + 1e-4)).all(-1)
        low, high = np.where(fits, chroma, low), np.where(fits, high, chroma)
    return low.astype(np.float32)


class Colours:
    """Lightness, opponent colours and hue of a square, remembered between edits.

    Parameters
    ----------
    square : ndarray of uint8, H × W × 3 sRGB

    Notes
    -----
    Large squares are looked at with half their resolution: eyes see colour
    coarser than tone, and tone is moved at full resolution.
    """

    def __init__(self, square: np.ndarray) -> None:
        import cv2

        self.square = square
        height, width = square.shape[:2]
        self.step = 2 if height * width > FEW_PIXELS else 1
        self.extent = (-(-width // self.step), -(-height // self.step))
        self.small = square
        if self.step > 1:
            self.small = cv2.resize(square, self.extent, interpolation=cv2.INTER_AREA)
        self._planes: dict[int, tuple[np.ndarray, ...]] = {}

    def rows(self, top: int, bottom: int) -> tuple[np.ndarray, ...]:
        """Planes (float32) of some rows: L, a, b, hue as a column of `largest_chroma`."""
        import cv2

        if top in self._planes:
            return self._planes[top]
        lightness, a, b = cv2.split(to_oklab(self.small[top:bottom]))
        hue = cv2.phase(a, b) * np.float32(HUES / (2 * np.pi))
        planes = (lightness, a, b, hue, cv2.magnitude(a, b))
        if self.extent[0] * self.extent[1] <= KEPT:
            self._planes[top] = planes
        return planes


def move_luma(
    square: np.ndarray, before: np.ndarray, after: np.ndarray, colours: Colours | None = None
) -> np.ndarray:
    """Move pixels to another luma; hues stay, chroma as far as the gamut allows.

    Where nothing changes, pixels stay as they are to the bit.

    Parameters
    ----------
    square : ndarray of uint8, H × W × 3 sRGB
    before, after : ndarray of uint8, H × W
        Luma that the pixels have and should have; met within two steps.
    colours : Colours, optional
        Of the same square, to be used again.

    Returns
    -------
    ndarray of uint8, H × W × 3
    """
    import cv2

    colours = colours or Colours(square)
    was, wanted = before, after
    if colours.step > 1:
        was, wanted = (
            cv2.resize(luma, colours.extent, interpolation=cv2.INTER_AREA)
            for luma in (before, after)
        )
    moved = np.empty_like(colours.small)
    step = max(1, CACHED_PIXELS // colours.extent[0])
    height = colours.extent[1]

    def work(top: int) -> None:
        rows = slice(top, min(height, top + step))
        if (was[rows] == wanted[rows]).all():
            moved[rows] = colours.small[rows]
        else:
            _move(was[rows], wanted[rows], colours.rows(top, rows.stop), moved[rows])

    parts = range(0, height, step)
    if len(parts) == 1:
        work(0)
    else:
        # numpy and OpenCV let go of the interpreter while they compute.
        with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
            list(pool.map(work, parts))
    out = np.empty_like(square)
    for rows in strips(square.shape[0]):
        guess = moved[rows] if colours.step == 1 else _grown(moved, rows, square.shape[1])
        _meet(guess, after[rows], out[rows])
        cv2.copyTo(square[rows], cv2.compare(before[rows], after[rows], cv2.CMP_EQ), out[rows])
    return out


def _grown(small: np.ndarray, rows: slice, width: int) -> np.ndarray:
    """Some rows (an even first one) of an image twice as large."""
    import cv2

    first, last = max(0, rows.start // 2 - 1), min(small.shape[0], rows.stop // 2 + 2)
    part = small[first:last]
    large = cv2.resize(part, (2 * part.shape[1], 2 * part.shape[0]), interpolation=cv2.INTER_LINEAR)
    start = rows.start - 2 * first
    return large[start : start + rows.stop - rows.start, :width]


def _meet(guess: np.ndarray, after: np.ndarray, out: np.ndarray) -> None:
    """Mix with black or white until the luma is met, in 8-bit arithmetic."""
    import cv2

    luma = cv2.cvtColor(guess, cv2.COLOR_RGB2GRAY)
    over = cv2.compare(luma, after, cv2.CMP_GT)
    gain = cv2.divide(cv2.bitwise_not(after), cv2.bitwise_not(luma), scale=255)
    cv2.copyTo(cv2.divide(after, luma, scale=255), over, gain)
    offset = cv2.bitwise_not(cv2.bitwise_or(gain, over))
    scaled = cv2.multiply(guess, cv2.cvtColor(gain, cv2.COLOR_GRAY2RGB), scale=1 / 255)
    cv2.add(scaled, cv2.cvtColor(offset, cv2.COLOR_GRAY2RGB), out)


_INVERSE = 1 / np.maximum(_GREY, 1e-4)
_INVERSE_REST = 1 / np.maximum(1 - _GREY, 1e-4)


def _move(before: np.ndarray, after: np.ndarray, planes: tuple, out: np.ndarray) -> None:
    import cv2

    lightness, a, b, hue, chroma = planes
    wanted = cv2.LUT(after, _GREY)
    # The same share of the way to black, or to white, as a grey of this luma goes.
    down = np.minimum(wanted * cv2.LUT(before, _INVERSE), 1)
    up = np.minimum((1 - wanted) * cv2.LUT(before, _INVERSE_REST), 1)
    moved = 1 - (1 - lightness * down) * up
    limit = cv2.remap(
        largest_chroma(), hue, moved * np.float32(TONES - 1), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    # As a pixel darkens, chroma falls with the root of lightness: keeping it would look
    # garish, to keep its saturation dull.
    scale = np.minimum(np.sqrt(down), np.float32(WITHIN) * limit / np.maximum(chroma, 1e-5))
    a, b = a * scale, b * scale
    cubes = []
    for _, from_a, from_b in _FROM_LAB:
        root = moved + from_a * a
        root += from_b * b
        cubes.append(root * root * root)
    planes8 = []
    for first, second, third in _FROM_LMS:
        light = first * cubes[0]
        light += second * cubes[1]
        light += third * cubes[2]
        planes8.append(
            np.minimum(_encoded(light) * np.float32(255) + np.float32(0.5), 255).astype(np.uint8)
        )
    cv2.merge(planes8, out)
