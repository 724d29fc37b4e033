"""Two-tone cut: a dark-and-light motif from the picture across the whole code.

Where the motif is dark, dark modules are deepened and light modules show it as
a grey; where it is light, light modules are bright and dark ones a little less
than black. How grey and how pale follows from measurement on this motif and
this symbol: a reader is modelled (each module's centre against the mean of its
surroundings and against mid grey), and the greatest contrast of the motif at
which the modules keep their margins is found by bisection.

References
----------
N. Otsu, "A threshold selection method from gray-level histograms", IEEE
Transactions on Systems, Man and Cybernetics 9(1), 1979.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.blend.compose import toned
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend

GUARANTEE = tr(
    "The grey of the motif in light modules, and the paleness of dark ones, are the most at "
    "which all but one in forty modules keep their margin against a modelled reader."
)

BLACK, WHITE = 0.02, 0.98
"""Luma of the motif where the code does not hold it back."""

LOCAL = 2.0
"""Standard deviation, in modules, of the surroundings that the modelled reader knows."""

# Margin that modules keep from the modelled reader's threshold, by strength.
_MARGIN = ((0.0, -1.0), (0.2, -0.06), (0.45, 0.04), (0.7, 0.17), (1.0, 0.33))

GIVEN = 0.025
"""Share of modules that may miss the margin: error correction is there for them."""

CENTRE = 0.5
"""Side of a module's centre, in modules, where readers sample."""

MOTIF_CELLS = 8
"""Cells a module in which the motif is looked at for the measurement."""

FADES = 0.2
"""Strength below which the motif fades into the picture."""

MOST_MEASURED = 5
"""Strengths for which the tones are measured; between them they are interpolated."""

HALVINGS = 9
"""Halvings by which the strongest motif is found: to within 1/512."""


@dataclass(frozen=True)
class Tones:
    """What was measured: luma of the motif in light modules and of bare dark modules."""

    grey: float
    pale: float


def motif(plan: Plan, settings: Blend) -> np.ndarray:
    """Uint8 S × S: 255 where the picture's motif is dark, soft at the edges."""
    import cv2

    def make() -> np.ndarray:
        luma = plan.luma
        smooth = settings.cut.smoothing * plan.side / plan.modules
        if smooth > 0.3:
            luma = cv2.GaussianBlur(luma, (0, 0), smooth)
        level = None if settings.cut.threshold is None else settings.cut.threshold * 255
        if level is None:
            level, _ = cv2.threshold(luma, 0, 255, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
        # About a pixel of softness on a smoothed picture.
        steep = (np.float32(level) + 0.5 - luma.astype(np.float32)) * 24 + 127.5
        return np.clip(steep, 0, 255).astype(np.uint8)

    return plan.once("motif", settings.cut, make)


def shares(plan: Plan, dark_motif: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Share of the motif in each whole module and in its centre (float32 N × N)."""
    import cv2

    n = plan.modules
    cells = cv2.resize(dark_motif, (n * MOTIF_CELLS,) * 2, interpolation=cv2.INTER_AREA)
    parts = cells.reshape(n, MOTIF_CELLS, n, MOTIF_CELLS).astype(np.float32) / 255
    low = round(MOTIF_CELLS * (1 - CENTRE) / 2)
    return parts.mean((1, 3)), parts[:, low : MOTIF_CELLS - low, :, low : MOTIF_CELLS - low].mean(
        (1, 3)
    )


def margins(
    dark: np.ndarray, whole: np.ndarray, centre: np.ndarray, grey: float, pale: float
) -> np.ndarray:
    """How far each module's centre lies on its own side for the modelled reader.

    Parameters
    ----------
    dark : ndarray of bool, N × N
    whole, centre : ndarray of float32, N × N
        Share of the motif in the module and in its centre.
    grey, pale : float
        Luma of the motif in light modules, and of dark modules without it.

    Returns
    -------
    ndarray of float32, N × N
        Luma, negative = read wrongly.
    """
    import cv2

    def tone(share: np.ndarray) -> np.ndarray:
        light = WHITE + (grey - WHITE) * share
        return np.where(dark, pale + (BLACK - pale) * share, light).astype(np.float32)

    local = cv2.GaussianBlur(tone(whole), (0, 0), LOCAL, borderType=cv2.BORDER_REPLICATE)
    own = tone(centre)
    sign = np.where(dark, np.float32(-1), np.float32(1))
    return np.minimum(sign * (own - local), sign * (own - np.float32(0.5)) + np.float32(0.1))


def measured(plan: Plan, whole: np.ndarray, centre: np.ndarray, margin: float) -> Tones:
    """The strongest motif at which all but `GIVEN` of the modules keep a margin.

    Parameters
    ----------
    plan : Plan
    whole, centre : ndarray of float32, N × N
        Share of the motif in each module and in its centre; see `shares`.
    margin : float
        Luma; -1 asks for nothing.
    """
    body = ~plan.quiet

    def holds(grey: float, pale: float) -> bool:
        found = margins(plan.dark, whole, centre, grey, pale)[body]
        return float((found < margin).mean()) <= GIVEN

    def most(make) -> float:
        """Largest t, 0 to 1, at which `make(t)` holds."""
        low, high = 0.0, 1.0
        if holds(*make(1.0)):
            return 1.0
        for _ in range(HALVINGS):
            middle = (low + high) / 2
            low, high = (middle, high) if holds(*make(middle)) else (low, middle)
        return low

    def tones(grey: float, pale: float) -> tuple[float, float]:
        return WHITE + (BLACK - WHITE) * grey, BLACK + (WHITE - BLACK) * pale

    # Both together first, then each as far as it goes by itself.
    both = most(lambda t: tones(t, t))
    grey = most(lambda t: tones(max(t, both), both))
    pale = most(lambda t: tones(max(grey, both), max(t, both)))
    return Tones(*tones(max(grey, both), max(pale, both)))


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with `Blend.cut`. Returns uint8 S × S × 3."""
    import cv2

    dark_motif = motif(plan, settings)
    body = strength[~plan.quiet]
    knots = np.unique(body)
    if len(knots) > MOST_MEASURED:
        knots = np.linspace(float(body.min()), float(body.max()), MOST_MEASURED)
    asked = np.interp(knots, *zip(*_MARGIN, strict=True))
    cover = plan.once("shares", settings.cut, lambda: shares(plan, dark_motif))

    def measure() -> list[Tones]:
        return [measured(plan, *cover, float(margin)) for margin in asked]

    found = plan.once("measured", (settings.cut, tuple(knots)), measure)
    grey = np.interp(strength, knots, [t.grey for t in found])
    pale = np.interp(strength, knots, [t.pale for t in found])
    # Where the motif is dark, and where it is light, on the grid of modules.
    deep = np.where(plan.dark, BLACK, grey)
    bare = np.where(plan.dark, pale, WHITE)
    deep, bare = (plan.on_pixels(np.rint(grid * 255).astype(np.uint8)) for grid in (deep, bare))
    own = cv2.multiply(deep, dark_motif, scale=1 / 255)
    after = cv2.add(own, cv2.multiply(bare, cv2.bitwise_not(dark_motif), scale=1 / 255))
    # A strength near 0 fades from the motif to the picture itself.
    share = np.rint(np.clip(strength / FADES, 0, 1) * 255).astype(np.uint8)
    if (share < 255).any():
        share = plan.on_pixels(share)
        kept = cv2.multiply(plan.luma, cv2.bitwise_not(share), scale=1 / 255)
        after = cv2.add(cv2.multiply(after, share, scale=1 / 255), kept)
    out = toned(plan, after, settings, strength)
    if settings.cut.colour < 1:
        luma = cv2.cvtColor(cv2.cvtColor(out, cv2.COLOR_RGB2GRAY), cv2.COLOR_GRAY2RGB)
        out = cv2.addWeighted(out, settings.cut.colour, luma, 1 - settings.cut.colour, 0)
    return out
