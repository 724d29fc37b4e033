"""How alike two views look to the eye, and how a change of each pixel would alter that.

References
----------
Z. Wang, A. C. Bovik, H. R. Sheikh, E. P. Simoncelli, "Image quality
assessment: from error visibility to structural similarity", IEEE Transactions
on Image Processing 13(4), 2004. Its derivative by the second image follows from
the chain rule; every mean in it is a box blur, which is its own transpose.
"""

from __future__ import annotations

from functools import partial

import numpy as np

EYE_CELLS = 4
"""Cells a module at which views are compared."""

EYE_BLUR = 0.5
"""Standard deviation, in modules, of the eye at viewing distance."""

WINDOW = 7
"""Side of the window of the comparison at `EYE_CELLS` cells a module."""

_C1, _C2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2


class Likeness:
    """Structural similarity to one view, with its slope.

    Parameters
    ----------
    reference : ndarray of float32, H × W
        The view that others are compared with, 0 to 255.
    window : int
        Side of the uniform window in cells, odd.
    """

    def __init__(self, reference: np.ndarray, window: int = WINDOW) -> None:
        import cv2

        self._window = (window, window)
        self._unbiased = np.float32(window**2 / (window**2 - 1))
        self._mean = partial(cv2.blur, ksize=self._window, borderType=cv2.BORDER_REFLECT)
        # Pixels outside the border have no weight, so no reflection is needed there.
        self._back = partial(cv2.blur, ksize=self._window, borderType=cv2.BORDER_CONSTANT)
        self._a = reference
        self._ma = self._mean(reference)
        self._va = self._unbiased * (self._mean(reference * reference) - self._ma * self._ma)
        edge = window // 2
        self._inner = np.zeros(reference.shape, np.float32)
        counted = (reference.shape[0] - 2 * edge) * (reference.shape[1] - 2 * edge)
        self._inner[edge:-edge, edge:-edge] = 1 / counted

    def __call__(self, view: np.ndarray) -> tuple[float, np.ndarray]:
        """Mean similarity of a view (float32 H × W), and its slope by each of its pixels."""
        unbiased, ma, a = self._unbiased, self._ma, self._a
        mb = self._mean(view)
        vb = unbiased * (self._mean(view * view) - mb * mb)
        covariance = unbiased * (self._mean(a * view) - ma * mb)
        a1, a2 = 2 * ma * mb + _C1, 2 * covariance + _C2
        b1, b2 = ma * ma + mb * mb + _C1, self._va + vb + _C2
        below = self._inner / (b1 * b2)
        alike = a1 * a2 * below
        by_mean = 2 * alike * (ma / a1 - mb / b1)
        by_covariance = 2 * unbiased * a1 * below
        by_variance = -unbiased * alike / b2
        slope = self._back(by_mean - 2 * mb * by_variance - ma * by_covariance)
        slope += 2 * view * self._back(by_variance) + a * self._back(by_covariance)
        return float(alike.sum()), slope
