"""How well dark and light can be told apart, and which colours would do better.

References
----------
ISO/IEC 15415, symbol contrast: grades A, B, C, D from 0.70, 0.55, 0.40, 0.20
(memory). WCAG 2.2, relative luminance and contrast ratio. IEC 61966-2-1, sRGB
transfer curve. Machado, Oliveira and Fernandes 2009, simulation of colour
vision deficiencies (severity 1). Ottosson 2020, OKLab.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from nimble_tile.core import linear as srgb
from nimble_tile.core.language import marked, tr
from nimble_tile.core.look import Fill, Finder, Look, rgb
from nimble_tile.core.oklab import lab_of, light_of
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks import drawing
from nimble_tile.core.symbol.looks.drawing import Drawing, Images

GRADES = (("A", 0.70), ("B", 0.55), ("C", 0.40), ("D", 0.20))
"""Symbol contrast from which each grade is given; below the last: F."""

ASKED = "B"
"""Grade that offers aim at unless another is asked for. Ours: at A few colours
but near-black and near-white are left, at C dim light costs phones their reading."""

LOOK_PIXELS = 6
"""Pixels a module at which a look is measured."""

LARGE_SYMBOL = 480
"""Pixels a side from which large versions get fewer a module."""

TAIL = 2.0
"""Percent of the area that may be darker (of the light) or lighter (of the
dark) than what counts: soft edges and stray pixels of a picture."""

DEFICIENCIES = {
    marked("protanopia"): (
        (0.152286, 1.052583, -0.204868), (0.114503, 0.786281, 0.099216),
        (-0.003882, -0.048116, 1.051998),
    ),
    marked("deuteranopia"): (
        (0.367322, 0.860646, -0.227968), (0.280085, 0.672501, 0.047413),
        (-0.011820, 0.042940, 0.968881),
    ),
    marked("tritanopia"): (
        (1.255528, -0.076749, -0.178779), (-0.078411, 0.930809, 0.147602),
        (0.004733, 0.691367, 0.303900),
    ),
}  # fmt: skip
"""Matrices on linear sRGB (Machado et al. 2009, severity 1)."""

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722])


def linear(colours: np.ndarray) -> np.ndarray:
    """Linear light, 0 to 1, of uint8 sRGB values."""
    return srgb.linear(np.asarray(colours, float) / 255)


def encoded(light: np.ndarray) -> np.ndarray:
    """Uint8 sRGB of linear light; outside of 0 to 1 it is cut off."""
    return np.rint(srgb.encoded(light) * 255).astype(np.uint8)


def rgb_of(colour: str) -> np.ndarray:
    """Uint8 R, G, B of ``#rrggbb``."""
    return np.array(rgb(colour), np.uint8)


def hex_of(rgb: np.ndarray) -> str:
    """``#rrggbb`` of uint8 R, G, B."""
    return "#" + "".join(f"{int(v):02x}" for v in rgb)


def luminance(colours: np.ndarray) -> np.ndarray:
    """Relative luminance, 0 to 1 (WCAG 2.2), which stands for reflectance here."""
    return linear(colours) @ _LUMINANCE


def ratio(a: float, b: float) -> float:
    """Contrast ratio of two luminances, 1 to 21 (WCAG 2.2)."""
    return (max(a, b) + 0.05) / (min(a, b) + 0.05)


def contrast_grade(difference: float) -> str:
    """Grade of a symbol contrast, A to F (ISO/IEC 15415)."""
    return next((name for name, least in GRADES if difference >= least - 1e-9), "F")


def seen_with(colours: np.ndarray, deficiency: str) -> np.ndarray:
    """Uint8 sRGB colours (… × 3) as a person with the deficiency sees them."""
    return encoded(linear(colours) @ np.array(DEFICIENCIES[deficiency]).T)


@dataclass(frozen=True)
class Contrast:
    """Contrast of a look.

    Attributes
    ----------
    dark, light : str
        Lightest colour of the dark modules, darkest of the light ones.
    difference : float
        Difference of their reflectance, 0 to 1; negative: light on dark.
    red : float
        The same as a scanner with red light (about 660 nm) sees it.
    ratio : float
        Contrast ratio, 1 to 21.
    clear : bool
        Whether the ground is transparent; it is taken as white then.
    """

    dark: str
    light: str
    difference: float
    red: float
    ratio: float
    clear: bool

    @property
    def inverted(self) -> bool:
        """Whether it is light on dark."""
        return self.difference < 0

    @property
    def grade(self) -> str:
        """Grade of the size of the difference, A to F."""
        return contrast_grade(abs(self.difference))

    @property
    def red_grade(self) -> str:
        """The same under red light; F where it turns over."""
        same_way = (self.red < 0) == (self.difference < 0)
        return contrast_grade(abs(self.red)) if same_way else "F"

    def seen_with(self, deficiency: str) -> tuple[str, str, float]:
        """Both colours, and their ratio, with a colour vision deficiency."""
        dark, light = (seen_with(rgb_of(c), deficiency) for c in (self.dark, self.light))
        return hex_of(dark), hex_of(light), ratio(*(float(luminance(c)) for c in (dark, light)))


def contrast(symbol: Symbol, look: Look, quiet_zone: int, images: Images) -> Contrast:
    """Measure a look without a picture behind it."""
    from nimble_tile.core.symbol.looks.paint import raster

    whole = drawing(symbol, look, quiet_zone)
    side = whole.side * max(3, min(LOOK_PIXELS, LARGE_SYMBOL // whole.side))
    inked = tuple(layer for layer in whole.layers if layer.role != "ground")
    ink = raster(Drawing(whole.side, inked), side, images)
    dark = ink[ink[..., 3] >= max(1, int(0.95 * ink[..., 3].max()))][:, :3]
    free = ink[..., 3] == 0
    light = np.full((1, 3), 255, np.uint8)
    if look.ground is not None and free.any():
        grounds = tuple(layer for layer in whole.layers if layer.role == "ground")
        ground = raster(Drawing(whole.side, grounds), side, images)[free]
        share = ground[:, 3:] / 255  # a picture may be transparent in places
        light = np.rint(ground[:, :3] * share + 255 * (1 - share)).astype(np.uint8)
    if not len(dark):
        dark = np.zeros((1, 3), np.uint8)
    upside_down = _middle(dark) > _middle(light)
    # Of the dark the lightest counts, of the light the darkest; light on dark the other way.
    d = _percentile(dark, TAIL if upside_down else 100 - TAIL)
    li = _percentile(light, 100 - TAIL if upside_down else TAIL)
    a, b = float(luminance(d)), float(luminance(li))
    red = float(linear(li)[0] - linear(d)[0])
    return Contrast(hex_of(d), hex_of(li), b - a, red, ratio(a, b), look.ground is None)


def views(
    symbol: Symbol, look: Look, quiet_zone: int, images: Images, side: int = 144
) -> dict[str, np.ndarray]:
    """The code as people with each of `DEFICIENCIES` see it.

    Returns
    -------
    dict of str to ndarray of uint8, side × side × 3
        Transparent parts on white.
    """
    from nimble_tile.core.symbol.looks.paint import raster

    rgba = raster(drawing(symbol, look, quiet_zone), side, images)
    share = rgba[..., 3:] / 255
    seen = rgba[..., :3] * share + 255 * (1 - share)
    return {name: seen_with(seen, name) for name in DEFICIENCIES}


def _middle(colours: np.ndarray) -> float:
    """Luminance of the colours' mean, by every few of many."""
    return float(luminance(colours[:: max(1, len(colours) // 4096)]).mean())


def _percentile(colours: np.ndarray, percent: float) -> np.ndarray:
    """The colour at a percentile of luminance."""
    # As numbers: to sort rows takes thirty times as long.
    packed, counts = np.unique(colours @ np.array([65536, 256, 1]), return_counts=True)
    colours = np.stack([packed >> 16, packed >> 8 & 255, packed & 255], 1).astype(np.uint8)
    order = np.argsort(luminance(colours), kind="stable")
    reached = np.cumsum(counts[order])
    at = int(np.searchsorted(reached, reached[-1] * percent / 100, side="right"))
    return colours[order[min(at, len(order) - 1)]]


def _in_gamut(lightness: float, a: float, b: float) -> np.ndarray:
    """Uint8 sRGB of this lightness and hue with as much of the chroma as there is room for."""

    def fits(share: float) -> bool:
        light = light_of(np.array([lightness, a * share, b * share]))
        return bool(light.min() >= -1e-4 and light.max() <= 1 + 1e-4)

    low, high = 0.0, 1.0
    if fits(1):
        low = 1.0
    else:
        for _ in range(16):
            middle = (low + high) / 2
            low, high = (middle, high) if fits(middle) else (low, middle)
    return encoded(light_of(np.array([lightness, a * low, b * low])))


def to_luminance(colour: str, wanted: float) -> str:
    """The colour of the same hue nearest to a luminance, on the far side of it.

    Parameters
    ----------
    colour : str
        ``#rrggbb``.
    wanted : float
        Relative luminance, 0 to 1: not exceeded where the colour gets darker,
        reached where it gets lighter.
    """
    lightness, a, b = lab_of(linear(rgb_of(colour)))
    darker = wanted < float(luminance(rgb_of(colour)))
    low, high = (0.0, float(lightness)) if darker else (float(lightness), 1.0)
    for _ in range(20):
        middle = (low + high) / 2
        there = float(luminance(_in_gamut(middle, a, b)))
        beyond = there > wanted if darker else there >= wanted
        low, high = (low, middle) if beyond else (middle, high)
    return hex_of(_in_gamut(low if darker else high, a, b))


@dataclass(frozen=True)
class Better:
    """A change of colours on offer.

    Attributes
    ----------
    label : str
    look : Look
    """

    label: str
    look: Look


def _moved(fill: Fill, limit: float, darker: bool) -> Fill:
    """A fill none of whose colours is on the wrong side of a luminance."""

    def move(colour: str) -> str:
        now = float(luminance(rgb_of(colour)))
        wrong = now > limit if darker else now < limit
        return to_luminance(colour, limit) if wrong else colour

    if fill.kind in ("linear", "radial"):
        stops = tuple(stop.model_copy(update={"colour": move(stop.colour)}) for stop in fill.stops)
        return fill.model_copy(update={"stops": stops})
    second = move(fill.second) if fill.kind != "solid" else fill.second
    return fill.model_copy(update={"colour": move(fill.colour), "second": second})


def _finder_moved(own: Finder, limit: float) -> Finder:
    """A finder whose own colours are at most as light."""
    return own.model_copy(
        update={
            name: _moved(Fill(colour=colour), limit, True).colour
            for name in ("ring_colour", "eye_colour")
            if (colour := getattr(own, name)) is not None
        }
    )


def better(look: Look, found: Contrast, asked: str = ASKED) -> list[Better]:
    """Nearest colours of the same hues that reach a grade.

    Parameters
    ----------
    look : Look
    found : Contrast
        Of this look.
    asked : str
        A to D.

    Returns
    -------
    list of Better
        Empty where the grade is reached already, for light on dark, and
        where pictures fill what would have to change.
    """
    least = dict(GRADES)[asked]
    if found.inverted or found.difference >= least:
        return []
    need = least + 0.01  # so that rounding to 8 bits does not miss it
    dark, light = (float(luminance(rgb_of(c))) for c in (found.dark, found.light))
    inks = (look.fill, look.ring_fill, look.eye_fill)

    def inked(limit: float) -> dict[str, Any]:
        return {
            name: None if fill is None else _moved(fill, limit, True)
            for name, fill in zip(("fill", "ring_fill", "eye_fill"), inks, strict=True)
        } | {"finders": tuple(_finder_moved(own, limit) for own in look.finders)}

    pictures = [fill for fill in inks if fill is not None and fill.kind == "picture"]
    can_ink = not pictures and look.ring != "picture"
    can_ground = look.ground is not None and look.ground.kind != "picture"
    made = []
    if can_ink and light - need >= 0:
        made.append(Better(tr("Darker modules"), look.model_copy(update=inked(light - need))))
    if can_ground and dark + need <= 1:
        ground = _moved(look.ground, dark + need, False)
        made.append(Better(tr("Lighter ground"), look.model_copy(update={"ground": ground})))
    if can_ink and can_ground and len(made) < 2:
        missing = need - (light - dark)
        down = min(dark, missing / 2)
        up = min(1 - light, missing - down)
        down = min(dark, missing - up)
        changes = {**inked(dark - down), "ground": _moved(look.ground, light + up, False)}
        made.append(Better(tr("Both a little"), look.model_copy(update=changes)))
    return made


def swapped(look: Look) -> Look:
    """Colours of modules and ground exchanged; a transparent ground counts as white."""
    ground = look.ground or Fill(colour="#ffffff")
    return look.model_copy(
        update={"fill": ground, "ground": look.fill, "ring_fill": None, "eye_fill": None,
                "finders": look.uncoloured_finders}
    )  # fmt: skip
