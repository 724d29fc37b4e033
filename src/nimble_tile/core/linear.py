"""Linear light and sRGB.

References
----------
IEC 61966-2-1: transfer curve of sRGB and the weights of its primaries in luminance.
"""

from __future__ import annotations

from functools import cache

import numpy as np

LIGHT_STEPS = 4095
"""Steps of linear light that are told apart when it is stored."""

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Weights of linear red, green and blue in luminance."""


def linear(tone: np.ndarray) -> np.ndarray:
    """sRGB to linear light (IEC 61966-2-1), both 0 to 1."""
    tone = np.asarray(tone, float)
    return np.where(tone <= 0.04045, tone / 12.92, ((tone + 0.055) / 1.055) ** 2.4)


def encoded(light: np.ndarray) -> np.ndarray:
    """Linear light to sRGB (IEC 61966-2-1), both 0 to 1."""
    light = np.clip(light, 0, 1)
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)


@cache
def linear_table() -> np.ndarray:
    """Linear value, 0 to 1, of each of the 256 values of sRGB (float32)."""
    return linear(np.arange(256) / 255).astype(np.float32)


@cache
def encoded_table() -> np.ndarray:
    """sRGB value of each of `LIGHT_STEPS` + 1 steps of linear light (uint8)."""
    return np.rint(encoded(np.arange(LIGHT_STEPS + 1) / LIGHT_STEPS) * 255).astype(np.uint8)


def to_linear(image: np.ndarray) -> np.ndarray:
    """sRGB (uint8, any shape of an image) to linear light (float32, 0 to 1)."""
    import cv2

    return cv2.LUT(np.ascontiguousarray(image), linear_table())


def to_srgb(light: np.ndarray) -> np.ndarray:
    """Linear light to sRGB (uint8); what is beyond 0 to 1 is clipped, as in a sensor."""
    scaled = light * np.float32(LIGHT_STEPS)
    scaled += np.float32(0.5)
    np.clip(scaled, 0, LIGHT_STEPS, out=scaled)
    return encoded_table().take(scaled.astype(np.intp))


def luminance(image: np.ndarray) -> np.ndarray:
    """Linear luminance (float32 H × W, 0 to 1) of sRGB (uint8 H × W or H × W × 3)."""
    light = to_linear(image)
    return light if light.ndim == 2 else light @ LUMA
