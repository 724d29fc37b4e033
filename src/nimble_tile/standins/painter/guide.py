"""A code as a guide: how it pulls a painting.

What is painted at each step is the scene and a change of tone that has grown so far. While the
guide works it grows towards what the code wants, in masses first and in modules later, and the
scene itself gives way: what is dark moves to where modules are dark. Afterwards the change fades
slowly, as further steps belong to the scene alone.
"""

from __future__ import annotations

import cv2
import numpy as np

from nimble_tile.standins.painting import Guide

QUIET = 4
"""Modules of light round the code (ISO/IEC 18004, 6.3.8)."""

FADES = 0.97
"""What is left of the change after each step without the guide."""

COARSE, FINE = 1.1, 0.22
"""Standard deviations, in modules, of what grows at the first step and at the last."""

FINEST = 0.8
"""Share of the steps from which single modules are wanted as such."""

MARGIN = 0.68
"""Distance of dark from light modules, 0 to 1, that is wanted for each unit of weight."""

OWN_COLOURS = 0.9
"""How far what grows darker or lighter takes on the scene's own colours at such tones."""

TONES = 9
"""Standard deviation, in steps of 255, of the scene's colours over its tones."""

FEW = 0.02
"""Weight of a grey where the scene has no such tone."""

UNEVEN = 0.12
"""Modules by which edges of modules are off, as a hand would draw them; those of finders, which
readers measure, half as much."""

MIDDLING = (0.30, 0.68)
"""Tones round which modules are set off from each other."""

EVEN = 0.7
"""How much of the scene's own texture goes where finders are."""

RIM = (1.2, 3.4)
"""Modules round the code that are kept light: wholly, and fading."""

LEVELLED = 0.5
"""How much the tones of surroundings come together for each unit of weight."""

PACE = 8.0
"""How fast the change follows what is wanted, over all steps."""

BENDS = 1.3
"""Modules by which the scene gives way over all steps, at weight 1."""


class Pull:
    """How guides change one scene, step by step.

    Parameters
    ----------
    guides : sequence of Guide
    width, height : int
        Of the painting; codes fill its middle square.
    seed : int
        Of the unevenness of edges.
    """

    def __init__(self, guides: tuple[Guide, ...], width: int, height: int, seed: int = 0) -> None:
        self.guides, self.seed = guides, seed
        self.side = min(width, height)
        left, top = (width - self.side) // 2, (height - self.side) // 2
        self.box = slice(top, top + self.side), slice(left, left + self.side)
        self.change = np.zeros((self.side, self.side), np.float32)
        self._fields = [self._field(guide) for guide in guides]

    def _field(self, guide: Guide) -> tuple[np.ndarray, np.ndarray, np.ndarray, float]:
        """Light (+1) or dark (-1), where the quiet zone is, where finders are, a module's side."""
        padded = np.pad(guide.dark, QUIET)
        module = self.side / padded.shape[0]
        sign = np.where(padded, -1, 1).astype(np.float32)
        size = (self.side, self.side)
        own = cv2.resize(sign, size, interpolation=cv2.INTER_NEAREST)
        inside = np.pad(np.ones_like(guide.dark, np.uint8), QUIET)
        outside = cv2.resize(1 - inside, size, interpolation=cv2.INTER_NEAREST)
        away = cv2.distanceTransform(outside, cv2.DIST_L2, 5) / module
        beside = np.clip((RIM[1] - away) / (RIM[1] - RIM[0]), 0, 1)
        corners = np.zeros_like(guide.dark, np.float32)
        corners[:8, :8] = corners[:8, -8:] = corners[-8:, :8] = 1
        finder = cv2.resize(np.pad(corners, QUIET), size, interpolation=cv2.INTER_NEAREST)
        return self._uneven(own, finder, module), beside, finder, module

    def _uneven(self, sign: np.ndarray, finder: np.ndarray, module: float) -> np.ndarray:
        """The modules with edges that are not quite straight."""
        rng = np.random.default_rng([self.seed, 29])
        count = max(4, round(self.side / (0.7 * module)))
        columns, rows = np.meshgrid(*[np.arange(self.side, dtype=np.float32)] * 2)
        even = 1 - 0.5 * finder
        off = [
            even * cv2.resize(rng.normal(0, UNEVEN * module, (count, count)).astype(np.float32),
                       (self.side, self.side), interpolation=cv2.INTER_CUBIC)
            for _ in range(2)
        ]  # fmt: skip
        return cv2.remap(sign, columns + off[0], rows + off[1], cv2.INTER_LINEAR,
                         borderMode=cv2.BORDER_REPLICATE)  # fmt: skip

    def step(self, scene: np.ndarray, at: float, steps: int) -> np.ndarray:
        """One step: what is to be painted at this share of all steps.

        Parameters
        ----------
        scene : ndarray of float32, H × W × 3
            0 to 1; it is changed where it gives way.
        at : float
            0 (the first step) to 1 (the last).
        steps : int
        """
        working = False
        for guide, (sign, near, finder, module) in zip(self.guides, self._fields, strict=True):
            if guide.first <= at <= guide.last and guide.weight > 0:
                working = True
                if at < 0.6:
                    self._give_way(scene, sign, module, guide.weight, steps)
                self._grow(scene, sign, near, finder, module, guide.weight, at, steps)
        if not working:
            self.change *= FADES
        return self.painted(scene)

    def _tone(self, scene: np.ndarray) -> np.ndarray:
        return cv2.cvtColor(np.ascontiguousarray(scene[self.box]), cv2.COLOR_RGB2GRAY)

    def _grow(self, scene, sign, near, finder, module, weight, at, steps) -> None:
        tone = self._tone(scene)
        small = cv2.GaussianBlur(tone, (0, 0), max(0.3 * module, 0.5))
        every = max(1, int(module))
        shrunk = cv2.resize(tone, None, fx=1 / every, fy=1 / every, interpolation=cv2.INTER_AREA)
        local = cv2.GaussianBlur(shrunk, (0, 0), 3.0 * module / every)
        local = cv2.resize(local, (self.side, self.side), interpolation=cv2.INTER_LINEAR)
        # Very dark and very light surroundings leave no room on one side.
        local = np.clip(local, *MIDDLING)
        # Some readers know one threshold for all of a code.
        local += (0.5 - local) * min(1.0, LEVELLED * weight)
        margin = MARGIN * weight
        wanted = local + 0.5 * margin * sign
        missing = np.where(sign > 0, np.maximum(wanted - small, 0), np.minimum(wanted - small, 0))
        # The scene's own texture in a finder would hide where the code is.
        even = np.clip(wanted - small, -0.5, 0.5) + 0.12 * margin * sign
        missing += finder * (EVEN * (even - missing))
        beside = np.maximum(local + 0.45 * margin - small, 0)
        missing = np.where(self._beyond(module), near * beside, missing).astype(np.float32)
        scale = COARSE + (FINE - COARSE) * min(1.0, at / FINEST)
        missing = cv2.GaussianBlur(missing, (0, 0), max(scale * module, 0.6))
        self.change += np.float32(1 - np.exp(-PACE / steps)) * (missing - self.change)

    def _beyond(self, module: float) -> np.ndarray:
        """The quiet zone."""
        line = np.arange(self.side) + 0.5
        inside = (line > QUIET * module) & (line < self.side - QUIET * module)
        return ~(inside[:, None] & inside[None, :])

    def _give_way(self, scene, sign, module, weight, steps) -> None:
        tone = cv2.GaussianBlur(self._tone(scene), (0, 0), max(0.5 * module, 0.5))
        down, across = np.gradient(tone)
        steep = np.hypot(across, down)
        reach = BENDS * module * weight / max(0.6 * steps, 1)
        soft = cv2.GaussianBlur(sign, (0, 0), 0.35 * module) * (1 - self._beyond(module))
        amount = reach * soft / (steep + 0.02 / module) * (steep > 0)
        columns, rows = np.meshgrid(
            np.arange(self.side, dtype=np.float32), np.arange(self.side, dtype=np.float32)
        )
        part = np.ascontiguousarray(scene[self.box])
        scene[self.box] = cv2.remap(
            part,
            columns + (amount * across).astype(np.float32),
            rows + (amount * down).astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REFLECT,
        )

    def painted(self, scene: np.ndarray) -> np.ndarray:
        """The scene with the change that has grown so far (a new array).

        What grows darker or lighter takes on the colours that the scene itself has at such
        tones, so that a code in a sunset is made of its violets and its gold.
        """
        made = scene.copy()
        part = made[self.box]
        tone = self._tone(scene)
        after = np.clip(tone + self.change, 0, 1)
        curve = self._colours(part, tone)
        before_, after_ = (cv2.LUT(cv2.merge([np.rint(255 * t).astype(np.uint8)] * 3), curve)
                           for t in (tone, after))  # fmt: skip
        shifted = part + OWN_COLOURS * (after_ - before_)
        # Tones are what readers see: they are exactly as wanted.
        missing = after - cv2.cvtColor(shifted.astype(np.float32), cv2.COLOR_RGB2GRAY)
        darker = shifted * np.clip(
            1 + missing / np.maximum(shifted.mean(-1), 0.12), 0, None
        )[..., None]  # fmt: skip
        lighter = shifted + missing[..., None]
        made[self.box] = np.clip(np.where(missing[..., None] < 0, darker, lighter), 0, 1)
        return made

    def _colours(self, part: np.ndarray, tone: np.ndarray) -> np.ndarray:
        """The scene's mean colour at each tone (float32 1 × 256 × 3), smooth, from black to
        white."""
        step = max(1, self.side // 160)
        tones = np.rint(255 * tone[::step, ::step]).astype(int).ravel()
        colours = part[::step, ::step].reshape(-1, 3)
        weight = np.bincount(tones, minlength=256).astype(np.float32)
        sums = np.stack(
            [np.bincount(tones, colours[:, k], 256) for k in range(3)], -1
        ).astype(np.float32)  # fmt: skip
        # Where the scene has none of a tone, grey of that tone with a little of its neighbours.
        level = (np.arange(256, dtype=np.float32) / 255)[:, None]
        sums += FEW * level
        weight = weight + FEW
        size = 1, 6 * TONES + 1
        smooth = [cv2.GaussianBlur(a.reshape(256, -1), size, TONES) for a in (sums, weight)]
        curve = smooth[0] / smooth[1].reshape(256, 1)
        return np.ascontiguousarray(curve[None], np.float32)
