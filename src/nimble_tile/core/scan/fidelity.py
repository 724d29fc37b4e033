"""How much of the picture is left, as the eye sees it at viewing distance.

References
----------
Z. Wang, A. C. Bovik, H. R. Sheikh, E. P. Simoncelli, "Image quality
assessment: from error visibility to structural similarity", IEEE Transactions
on Image Processing 13(4), 2004.
G. Sharma, W. Wu, E. N. Dalal, "The CIEDE2000 color-difference formula:
implementation notes, supplementary test data, and mathematical
observations", Color Research and Application 30(1), 2005.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

PIXELS_A_MODULE = 4
"""Size at which fidelity is measured, so that it does not depend on the output's."""

EYE_BLUR = 2.0
"""Standard deviation in those pixels: half a module, the eye at viewing distance."""

WINDOW = 7


@dataclass(frozen=True)
class Fidelity:
    """Likeness of the finished square to the picture as it was placed.

    Attributes
    ----------
    ssim_view : float
        Structural similarity of luma, 1 = the same.
    delta_e_mean : float
        Mean CIEDE2000, 0 = the same.
    """

    ssim_view: float
    delta_e_mean: float


def measure(before: np.ndarray, after: np.ndarray, modules: int) -> Fidelity:
    """Compare the code's square before and after blending.

    Parameters
    ----------
    before, after : ndarray of uint8, S × S × 3 sRGB
        The square, quiet zone included.
    modules : int
        Modules along its side, quiet zone included.
    """
    import cv2

    views = []
    for square in (before, after):
        side = modules * PIXELS_A_MODULE
        seen = cv2.resize(square, (side, side), interpolation=cv2.INTER_AREA)
        views.append(cv2.GaussianBlur(seen.astype(np.float32), (0, 0), EYE_BLUR))
    lumas = [cv2.cvtColor(view / 255, cv2.COLOR_RGB2GRAY) * 255 for view in views]
    labs = [cv2.cvtColor(view / 255, cv2.COLOR_RGB2LAB) for view in views]
    return Fidelity(structural_similarity(*lumas), float(ciede2000(*labs).mean()))


def smeared(
    before: np.ndarray, after: np.ndarray, colours: Iterable[tuple[int, int, int]] = ()
) -> float:
    """Share of a square's pixels that are neither as in the picture nor of one flat colour: the
    less, the cleaner a blend looks.

    Parameters
    ----------
    before, after : ndarray of uint8, S × S × 3 sRGB
        The square, quiet zone included, before and after blending.
    colours : iterable of (int, int, int)
        Those of marks and designed parts; none for blends that have neither.

    Returns
    -------
    float, 0 to 1
    """
    clean = (before == after).all(2)
    for colour in set(colours):
        clean |= (after == np.array(colour, np.uint8)).all(2)
    return float(1 - clean.mean())


def structural_similarity(a: np.ndarray, b: np.ndarray, span: float = 255.0) -> float:
    """Mean structural similarity (Wang et al. 2004), uniform 7 × 7 window.

    Parameters
    ----------
    a, b : ndarray, H × W
        At least 7 × 7.
    span : float
        Difference between the highest and the lowest possible value.
    """
    import cv2

    a, b = a.astype(np.float64), b.astype(np.float64)
    size = (WINDOW, WINDOW)

    def mean(x: np.ndarray) -> np.ndarray:
        return cv2.blur(x, size, borderType=cv2.BORDER_REFLECT)

    unbiased = WINDOW**2 / (WINDOW**2 - 1)
    mean_a, mean_b = mean(a), mean(b)
    var_a = unbiased * (mean(a * a) - mean_a**2)
    var_b = unbiased * (mean(b * b) - mean_b**2)
    covariance = unbiased * (mean(a * b) - mean_a * mean_b)
    c1, c2 = (0.01 * span) ** 2, (0.03 * span) ** 2
    ratio = (2 * mean_a * mean_b + c1) * (2 * covariance + c2)
    ratio /= (mean_a**2 + mean_b**2 + c1) * (var_a + var_b + c2)
    edge = WINDOW // 2
    return float(ratio[edge:-edge, edge:-edge].mean())


def ciede2000(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    """Colour difference CIEDE2000 (Sharma, Wu and Dalal 2005), weights 1.

    Parameters
    ----------
    first, second : ndarray, … × 3
        CIE L*a*b*.

    Returns
    -------
    ndarray, …
    """
    l1, a1, b1 = np.moveaxis(np.asarray(first, np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(second, np.float64), -1, 0)
    chroma7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(chroma7 / (chroma7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1 = np.degrees(np.arctan2(b1, a1)) % 360
    h2 = np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    dh = h2 - h1
    dh = np.where(dh > 180, dh - 360, np.where(dh < -180, dh + 360, dh))
    dh = np.where(grey, 0, dh)
    delta_h = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh) / 2)
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    total = h1 + h2
    mean_h = np.where(
        np.abs(h1 - h2) <= 180, total / 2, np.where(total < 360, total / 2 + 180, total / 2 - 180)
    )
    mean_h = np.where(grey, total, mean_h)
    t = (
        1
        - 0.17 * np.cos(np.radians(mean_h - 30))
        + 0.24 * np.cos(np.radians(2 * mean_h))
        + 0.32 * np.cos(np.radians(3 * mean_h + 6))
        - 0.20 * np.cos(np.radians(4 * mean_h - 63))
    )
    s_l = 1 + 0.015 * (mean_l - 50) ** 2 / np.sqrt(20 + (mean_l - 50) ** 2)
    s_c = 1 + 0.045 * mean_c
    s_h = 1 + 0.015 * mean_c * t
    turn = 30 * np.exp(-(((mean_h - 275) / 25) ** 2))
    r_t = -2 * np.sqrt(mean_c**7 / (mean_c**7 + 25.0**7)) * np.sin(np.radians(2 * turn))
    x, y, z = (l2 - l1) / s_l, (c2 - c1) / s_c, delta_h / s_h
    return np.sqrt(x * x + y * y + z * z + r_t * y * z)
