"""Woven mediums: the scene put together from patches of a material, in the program's own weave."""

from __future__ import annotations

from functools import lru_cache
from types import SimpleNamespace

import cv2
import numpy as np

from nimble_tile.core.blend.weave import laid_out
from nimble_tile.core.blend.weave.lay import LEVELS, Cloth, Wish, lay
from nimble_tile.core.blend.weave.matter import CELLS, Matter, Source, material, planes
from nimble_tile.standins.painter.mediums import Medium

PATCHES = 34
"""Units of the weave along the shorter side: the largest patches are three of them."""

NEARNESS = 9.0
"""Steps of 255 by which a cell's tone may differ before another patch is tried."""

MOTIF = 0.8
"""How far the scene's shapes and colours are kept; see `Wish`."""

LAID_AT = (0.25, 1.0)
"""Shares of the steps at which the cloth is woven: of large patches, and of all sizes."""

HEM = 3
"""Units of the weave beyond the edge of the picture."""

LIFTED = 0.65
"""How much of the tones that patches miss is added to them."""


@lru_cache(maxsize=2)
def _matter(name: str) -> tuple[Source, Matter]:
    source = material(name)
    return source, Matter(source)


def _softened(image: np.ndarray, spread: float) -> np.ndarray:
    """A wide Gaussian blur (float32), on fewer pixels: nothing that it leaves is fine."""
    every = max(1, int(spread / 3))
    if every == 1:
        return cv2.GaussianBlur(image, (0, 0), spread)
    small = cv2.resize(image, None, fx=1 / every, fy=1 / every, interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), spread / every)
    return cv2.resize(small, image.shape[1::-1], interpolation=cv2.INTER_CUBIC)


class Woven(Medium):
    """Patches of a material, large ones first; what they miss of the tones is lifted."""

    matter = "reed"

    def __init__(self, *rest) -> None:
        super().__init__(*rest)
        self._modules = round(PATCHES / max(self.rough, 0.5) ** 0.5)
        self._spread = 0.35 * self.side / self._modules
        self._seed = int(self.rng.integers(10_000))
        self._laid: np.ndarray | None = None  # the cloth without most of its tones
        self._next = 0

    def step(self, seen: np.ndarray, at: float) -> None:
        if self._next < len(LAID_AT) and at >= LAID_AT[self._next] - 1e-6:
            while self._next < len(LAID_AT) and at >= LAID_AT[self._next] - 1e-6:
                self._next += 1
            self._laid = self._woven(seen, LEVELS if at >= 1 else LEVELS[: self._next])
            soft = _softened(self._laid, self._spread)
            # What is left of the patches where the tones that they bring are taken off.
            self._laid -= LIFTED * soft
        spread = self._spread if self._laid is not None else 1.6 * self.side / self._modules
        wanted = _softened(seen.astype(np.float32), spread)
        if self._laid is None:  # the threads that patches will lie on
            lines = 1 + 0.06 * np.sin(np.arange(self.width) * (40 * np.pi / self.side))
            made = wanted * lines[None, :, None]
        else:
            made = self._laid + LIFTED * wanted
        self.canvas = np.clip(made, 0, 255).astype(np.uint8)

    def _woven(self, seen: np.ndarray, levels: tuple[tuple[float, float], ...]) -> np.ndarray:
        """The cloth of a scene (float32 H × W × 3)."""
        longer = max(self.width, self.height)
        # Patches do not come up to the edge everywhere: what is beyond it is cut off again.
        edge = -(-HEM * self.side // self._modules)
        down, right = longer - self.height + edge, longer - self.width + edge
        whole = cv2.copyMakeBorder(seen, edge, down, edge, right, cv2.BORDER_REFLECT)
        side = whole.shape[0]
        modules = round(side * self._modules / self.side)
        cells = modules * CELLS
        picture = planes(cv2.resize(whole, (cells, cells), interpolation=cv2.INTER_AREA))
        tone, free = picture[..., 0], np.ones((cells, cells), bool)
        cloth = Cloth(picture.copy(), picture, tone - NEARNESS, tone + NEARNESS, free, True)
        source, matter = _matter(self.matter)
        lay(cloth, matter, Wish(MOTIF, self._seed, levels))
        square = SimpleNamespace(square=whole, side=side, modules=modules)
        laid = laid_out(square, cloth, matter, source)
        return laid[edge:-down, edge:-right].astype(np.float32)


class Embroidery(Woven):
    """Stitches of coloured thread."""

    matter = "embroidery"


class Feathers(Woven):
    """Feathers laid over each other."""

    matter = "feathers"
