"""OKLab: lightness and two opponent colours in which equal steps look alike.

References
----------
B. Ottosson, "A perceptual color space for image processing", 2020: both matrices.
"""

from __future__ import annotations

import numpy as np

TO_LMS = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929],
     [0.2119034982, 0.6806995451, 0.1073969566],
     [0.0883024619, 0.2817188376, 0.6299787005]])  # fmt: skip
"""From linear sRGB to the responses of long, middle and short cones (float64 3 × 3)."""

TO_LAB = np.array(
    [[0.2104542553, 0.7936177850, -0.0040720468],
     [1.9779984951, -2.4285922050, 0.4505937099],
     [0.0259040371, 0.7827717662, -0.8086757660]])  # fmt: skip
"""From their cube roots to L, a, b."""

FROM_LMS, FROM_LAB = np.linalg.inv(TO_LMS), np.linalg.inv(TO_LAB)


def lab_of(light: np.ndarray) -> np.ndarray:
    """OKLab (L 0 to 1) of linear sRGB, 0 to 1 (both float … × 3)."""
    return np.cbrt(light @ TO_LMS.T) @ TO_LAB.T


def light_of(lab: np.ndarray) -> np.ndarray:
    """Linear sRGB of OKLab (both float … × 3); outside of 0 to 1 where no screen shows it."""
    return (np.asarray(lab) @ FROM_LAB.T) ** 3 @ FROM_LMS.T
