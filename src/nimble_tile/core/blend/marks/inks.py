"""Inks: flat colours taken from the picture, at the tones that readers need."""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend.colour import HUES, TONES, from_oklab, largest_chroma, to_oklab
from nimble_tile.core.blend.own import as_drawn, chosen
from nimble_tile.core.blend.plan import Plan

LUMA = np.array([0.299, 0.587, 0.114], np.float32)
"""Weights of luma as readers compute it (ITU-R BT.601)."""

HALVINGS = 14
"""Steps by which a lightness is found for a luma: to a tenth of an 8-bit step."""

IN_GAMUT = 0.98
"""Part of the largest possible chroma that an ink may have."""

NEAR = 1.0
"""Standard deviation, in modules, of the surroundings that a mark's colour is taken from."""

RICHER, MOST_RICHER = 0.8, 0.04
"""Chroma that a dark ink has beside what is there, in parts of that, and at most (OKLab): a pale
colour that is only darkened looks like dirt on it. Hue and luma stay, and so does what readers
see; by FLIP such inks are as near to the picture, by a trifle nearer."""

STEPS_RICHER = 16.0
"""The same at most in steps of 255, for pixels of a texture."""

LEAST_LUMA, MOST_LUMA = 5.0, 251.0
"""Darkest and lightest ink: pure black and white look like holes in a picture."""


def inked(lab: np.ndarray, luma: np.ndarray) -> np.ndarray:
    """Colours moved to a luma: hue stays, and chroma as far as the gamut holds it.

    Parameters
    ----------
    lab : ndarray of float32, K × 3
        OKLab.
    luma : ndarray, K
        0 to 255; met within two steps.

    Returns
    -------
    ndarray of uint8, K × 3 sRGB
    """
    lab, luma = np.asarray(lab, np.float32), np.asarray(luma, np.float32)
    chroma, hue = np.hypot(lab[:, 1], lab[:, 2]), np.arctan2(lab[:, 2], lab[:, 1])
    column = np.clip((hue % (2 * np.pi)) * (HUES / (2 * np.pi)), 0, HUES - 1e-3).astype(int)
    limits = largest_chroma()[:, column]
    each = np.arange(len(lab))
    low, high = np.zeros(len(lab), np.float32), np.ones(len(lab), np.float32)
    for _ in range(HALVINGS):
        lightness = (low + high) / 2
        at = lightness * (TONES - 1)
        below = np.minimum(at.astype(int), TONES - 2)
        share = at - below
        most = limits[below, each] * (1 - share) + limits[below + 1, each] * share
        kept = np.minimum(chroma, np.float32(IN_GAMUT) * most)
        made = np.stack([lightness, kept * np.cos(hue), kept * np.sin(hue)], 1)
        rgb = np.rint(255 * np.clip(from_oklab(made.astype(np.float32)), 0, 1))
        darker = rgb @ LUMA < luma
        low, high = np.where(darker, lightness, low), np.where(darker, high, lightness)
    return rgb.astype(np.uint8)


def richer(lab: np.ndarray) -> np.ndarray:
    """Colours (… × 3, OKLab) as dark inks have them, before they are darkened."""
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    more = np.minimum(RICHER * chroma, MOST_RICHER) / np.maximum(chroma, 1e-6)
    scale = np.stack([np.ones_like(more), 1 + more, 1 + more], -1)
    return (lab * scale).astype(np.float32)


def richer_pixels(rgb: np.ndarray, luma: np.ndarray) -> np.ndarray:
    """Pixels of darkened texture (uint8 … × 3 sRGB, of this luma) that are as much richer as dark
    inks are; their luma stays, as it is linear in these values."""
    luma = luma[..., None].astype(np.float32)
    apart = rgb - luma
    low, high = apart.min(-1, keepdims=True), apart.max(-1, keepdims=True)
    most = np.minimum(luma / np.maximum(-low, 1), (255 - luma) / np.maximum(high, 1))
    scale = 1 + np.minimum(RICHER, STEPS_RICHER / np.maximum(np.maximum(-low, high), 1))
    scale = np.maximum(np.minimum(scale, most), 1)
    return np.rint(np.clip(luma + scale * apart, 0, 255)).astype(np.uint8)


class Palette:
    """The colours of a square, module by module.

    Parameters
    ----------
    plan : Plan
    own : bool
        Where the look has colours, these; their tones are still what readers need.
    """

    def __init__(self, plan: Plan, own: bool = False) -> None:
        import cv2

        grid = (plan.modules, plan.modules)
        self.lab = cv2.resize(to_oklab(plan.square), grid, interpolation=cv2.INTER_AREA)
        chroma = np.hypot(self.lab[..., 1], self.lab[..., 2])

        def near(field: np.ndarray) -> np.ndarray:
            return cv2.GaussianBlur(field, (0, 0), NEAR, borderType=cv2.BORDER_REFLECT)

        around, mean = near(chroma), near(self.lab)
        # The mean of two hues is duller than either: what lies there is as rich as they are.
        dull = np.maximum(np.hypot(mean[..., 1], mean[..., 2]), 1e-5)
        self.around = mean.copy()
        self.around[..., 1:] *= (around / dull)[..., None]
        self.luma = plan.module_luma * np.float32(255)
        self.dark = self.light = np.zeros(grid, bool)
        if own:
            self._take_own(plan)

    def _take_own(self, plan: Plan) -> None:
        """The look's colours, module by module."""
        import cv2

        grid = (plan.modules, plan.modules)
        dark, light = chosen(plan)
        self.dark, self.light = dark & plan.dark, light & ~plan.dark
        drawn = to_oklab(as_drawn(plan))
        for side, share in ((self.dark, plan.covered), (self.light, 1 - plan.covered)):
            if side.any():
                whole = cv2.resize(drawn * share[..., None], grid, interpolation=cv2.INTER_AREA)
                weight = cv2.resize(share, grid, interpolation=cv2.INTER_AREA)[..., None]
                self.around[side] = (whole / np.maximum(weight, 1e-3))[side]

    def marks(self, which: np.ndarray, luma: np.ndarray) -> list[tuple[int, int, int]]:
        """Inks of marks on some modules (bool N × N) at a luma for each (N × N)."""
        darker = ((luma < self.luma) & ~self.dark & ~self.light)[which]
        near = self.around[which]
        lab = np.where(darker[:, None], richer(near), near)
        return [tuple(map(int, ink)) for ink in inked(lab, luma[which])]

    def ink(
        self, where: np.ndarray, luma: float, light: bool, by_look: bool = True
    ) -> tuple[int, int, int]:
        """One ink at a luma, of the lights or the darks of some modules (bool N × N).

        `by_look`: in the look's colours where it has some there.
        """
        own = where & (self.light if light else self.dark)
        if by_look and own.any():
            mean = self.around[own].mean(0)
            luma = np.clip(luma, LEAST_LUMA, MOST_LUMA)
            return tuple(map(int, inked(mean[None], np.array([luma]))[0]))
        colours, tones = self.lab[where], self.luma[where]
        order = np.argsort(-tones if light else tones, kind="stable")
        some = colours[order[: max(1, len(order) // 3)]]
        rich = float(np.hypot(some[:, 1], some[:, 2]).mean())
        mean = some.mean(0)
        mean[1:] *= rich / max(float(np.hypot(*mean[1:])), 1e-5)
        if not light:
            mean = richer(mean)
        luma = np.clip(luma, LEAST_LUMA, MOST_LUMA)
        return tuple(map(int, inked(mean[None], np.array([luma]))[0]))
