"""Light: its colour, and where it falls.

References
----------
B. Kim et al., "Design of advanced color temperature control system for HDTV
applications", Journal of the Korean Physical Society 41(6), 2002: chromaticity
of the Planckian locus by cubic splines.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from nimble_tile.core.linear import LUMA
from nimble_tile.core.trials.trial import Lighting

WHITE_BALANCE = 0.85
"""Share of the light's colour that the camera's white balance takes out."""


@cache
def colour_of(kelvin: float) -> tuple[float, float, float]:
    """Linear sRGB of a black body, with luminance 1.

    Parameters
    ----------
    kelvin : float
        1,667 to 25,000.
    """
    t = 1000.0 / kelvin
    if kelvin <= 4000:
        x = ((-0.2661239 * t - 0.2343589) * t + 0.8776956) * t + 0.179910
    else:
        x = ((-3.0258469 * t + 2.1070379) * t + 0.2226347) * t + 0.240390
    if kelvin <= 2222:
        y = ((-1.1063814 * x - 1.34811020) * x + 2.18555832) * x - 0.20219683
    elif kelvin <= 4000:
        y = ((-0.9549476 * x - 1.37418593) * x + 2.09137015) * x - 0.16748867
    else:
        y = ((3.0817580 * x - 5.87338670) * x + 3.75112997) * x - 0.37001483
    xyz = np.array([x / y, 1.0, (1 - x - y) / y])
    to_rgb = np.array(
        [[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]]
    )
    return tuple(np.clip(to_rgb @ xyz, 0.01, None))


def tint(kelvin: float) -> np.ndarray:
    """What the light's colour does to linear sRGB after white balance (float32, 3)."""
    neutral = np.array(colour_of(6500.0))
    left = (np.array(colour_of(kelvin)) / neutral) ** (1 - WHITE_BALANCE)
    return (left / float(LUMA @ left)).astype(np.float32)


def falls_unevenly(light: Lighting) -> bool:
    """Whether it matters where on the object a point lies."""
    return light.falloff > 0 or light.shadow > 0 or light.glare > 0


def illumination(light: Lighting, across: np.ndarray, down: np.ndarray) -> np.ndarray | None:
    """How much of the full light arrives; None where it is the same everywhere.

    Parameters
    ----------
    light : Lighting
    across, down : ndarray of float32, H × W
        Each pixel's place from the code's middle, in parts of the code.

    Returns
    -------
    ndarray of float32, H × W, or None
    """
    arrives = None
    if light.falloff > 0:
        arrives = 1 - light.falloff * np.clip(across + 0.5, 0, 1)
    if light.shadow > 0:
        angle = np.radians(light.shadow_angle)
        beyond = across * np.cos(angle) + down * np.sin(angle) - light.shadow_at
        edge = np.clip(beyond / max(light.shadow_edge, 0.01) + 0.5, 0, 1)
        shade = 1 - light.shadow * edge
        arrives = shade if arrives is None else arrives * shade
    return None if arrives is None else arrives.astype(np.float32)


def glare(light: Lighting, across: np.ndarray, down: np.ndarray) -> np.ndarray | None:
    """Light that the surface throws back as a mirror does; None where there is none."""
    if light.glare <= 0:
        return None
    away = (across - light.glare_x) ** 2 + (down - light.glare_y) ** 2
    return (light.glare * np.exp(-away / (2 * light.glare_size**2))).astype(np.float32)
