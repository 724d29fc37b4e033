"""Lift: what patches leave missing is made up by tone, broadly and softly.

The descent of `nimble_tile.core.blend.gentle` is asked for it with the cloth in the picture's
place, but for a module's area more than for its middle, and with changes finer than half a
module made dear, so that like modules flow together and no dots come about. Finders keep the
matter's texture: all of a part is moved by what it lacks on average, within crisp edges.
"""

from __future__ import annotations

from functools import partial

import numpy as np

from nimble_tile.core.blend import gentle, rims
from nimble_tile.core.blend.gentle import Margins
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import by_strength
from nimble_tile.core.piece import Blend
from nimble_tile.core.symbol.anatomy import Part

MIDDLE, AREA = 0.5, 1.3
"""Margins of modules in parts of those of the gentle blend: at the middle and over the area."""

WEIGHTS = gentle.Weights(missed=75.0, changed=1.2, fine=100.0, in_finders=1.0)
"""Of the descent: changes finer than half a module are dear."""

LED, EDGE = 0.2, 20.0
"""Radius, in modules, within which a change follows the edges of the matter, so that it is as
crisp as they are; and the difference of tone, in steps of 255, that counts as an edge."""

FINDER = 0.7
"""Margin of finders in parts of the gentle blend's."""

FINDER_MIDDLE, FINDER_AREA = 0.8, 0.7
"""What the descent is asked for of that margin, at a module's middle and over its area."""

TEXTURE = 0.2
"""How far the texture of a finder may reach into its margin, in parts of that."""

LIGHT = 0.8
"""Margin of a finder's light parts, and of what lies round it, in parts of its dark ones'."""

CALM = 0.8
"""How far the texture of other modules may reach into the margin at their middles, where readers
look, in parts of what is left."""

CALM_WHOLE, CALM_FADING = 0.2, 0.45
"""Radii, in modules, of the middle within which that holds: wholly, and fading."""

CALM_AREA = 0.35
"""Standard deviation, in modules, of what a module is by and large."""

SWELL = 8.0
"""Steps of 255 beyond that which are granted."""

CALM_SEEN = 0.07
"""Standard deviation, in modules, of the finest spots that a reader looks at."""

EVENED = 0.45
"""Standard deviation, in modules, over which a part is moved alike."""

FINE_ENOUGH = 3
"""Pixels of such a deviation that are enough: large squares are evened out at less."""

ROUND = (0.6, 1.0)
"""Modules round a finder that are kept light: wholly, and fading."""

QUIET = (0.6, 2.4)
"""Modules of the quiet zone that are lightened beyond what readers ask for: wholly, and fading.
The seam of light round the code is no line then."""

QUIET_EVENED = 0.7
"""Standard deviation, in modules, over which the quiet zone is moved alike."""

QUIET_SHARE = 0.5
"""That lightening in parts of the seam's margin."""


def lifted(cloth: Plan, settings: Blend, strength: np.ndarray, opacity: float) -> np.ndarray:
    """A square with the margins that a map of strengths asks for.

    Parameters
    ----------
    cloth : Plan
        Whose square is the cloth.
    settings : Blend
    strength : ndarray of float32, N × N
    opacity : float
        Of a plain quiet zone.

    Returns
    -------
    ndarray of uint8, S × S × 3 sRGB
    """
    after, local = _solved(cloth, settings, strength)
    _lighten_quiet(cloth, after, local, strength)
    drawn = settings.weave.finders == "drawn"
    share, texture = (1.0, 0.0) if drawn else (FINDER, TEXTURE)
    margin = share * np.maximum(by_strength(gentle.FINDER_MARGIN, strength), 0)
    edged = np.isin(cloth.parts, (Part.FINDER, Part.ALIGNMENT)) & (margin > 0)
    if edged.any():
        _lay_finders(cloth, after, local, np.where(edged, margin, 0).astype(np.float32), texture)
    _calm_middles(cloth, after, local, settings, strength)
    rims.lay_seam(cloth, after, local, strength)
    rims.lay_serifs(cloth, after, local, np.where(edged, margin, 0).astype(np.float32))
    after = np.rint(np.clip(after, 0, 255)).astype(np.uint8)
    # What the strength leaves alone is not touched by edges beside it either.
    still = cloth.on_pixels((strength <= 0).astype(np.float32)) > 0.5
    after[still] = cloth.luma[still]
    return rims.coloured(cloth, after, settings, opacity)


def _solved(cloth: Plan, settings: Blend, strength: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Tone of each pixel (float32 S × S, of 255) and the local tone round it."""
    import cv2

    wanted = gentle.margins(cloth, settings, strength, 1.0)
    middle, area = (
        np.where(field > 0, field * share, field)
        for field, share in ((wanted.middle, MIDDLE), (wanted.area, AREA))
    )
    finders = np.isin(cloth.parts, (Part.FINDER, Part.SEPARATOR, Part.ALIGNMENT))
    margin = FINDER * by_strength(gentle.FINDER_MARGIN, strength)
    middle[finders] = FINDER_MIDDLE * margin[finders]
    area[finders] = FINDER_AREA * margin[finders]
    wanted = Margins(middle.astype(np.float32), area.astype(np.float32), wanted.grey)
    descent = cloth.once("lift", 0, lambda: gentle.Descent(cloth, WEIGHTS))
    rounds = gentle.QUICK_ROUNDS if cloth.quick else gentle.ROUNDS
    found = descent.solve(wanted, strength, rounds)
    grow = partial(cv2.resize, dsize=(cloth.side,) * 2, interpolation=cv2.INTER_LINEAR)
    tone = cloth.luma.astype(np.float32)
    change = led(grow(found.change), tone, max(1, round(LED * cloth.side / cloth.modules)))
    return tone + change, grow(found.local)


def led(field: np.ndarray, guide: np.ndarray, radius: int) -> np.ndarray:
    """A field that follows the edges of another one, by the guided filter.

    References
    ----------
    K. He, J. Sun, X. Tang, "Guided image filtering", ECCV 2010.
    """
    import cv2

    mean = partial(cv2.blur, ksize=(2 * radius + 1,) * 2, borderType=cv2.BORDER_REFLECT)
    along, own = mean(guide), mean(field)
    spread = np.maximum(mean(guide * guide) - along * along, 0)
    slope = (mean(guide * field) - along * own) / (spread + np.float32(EDGE * EDGE))
    return mean(slope) * guide + mean(own - slope * along)


def _evened(lack: np.ndarray, mask: np.ndarray, by: float) -> np.ndarray:
    """What is lacking, evened out within a mask (float32, 0 to 1)."""
    import cv2

    size, smaller = lack.shape[::-1], max(1, int(by / FINE_ENOUGH))
    fields = (lack * mask, mask)
    if smaller > 1:
        extent = tuple(max(1, extent // smaller) for extent in size)
        fields = tuple(cv2.resize(f, extent, interpolation=cv2.INTER_AREA) for f in fields)
    above, below = (cv2.GaussianBlur(field, (0, 0), by / smaller) for field in fields)
    found = above / np.maximum(below, np.float32(1e-3))
    return found if smaller == 1 else cv2.resize(found, size, interpolation=cv2.INTER_LINEAR)


def _calm_middles(
    cloth: Plan, after: np.ndarray, local: np.ndarray, settings: Blend, strength: np.ndarray
) -> None:
    """Keep what is fine and contrary out of the modules' middles, in place: a reader that sees
    them sharp looks at few pixels."""
    import cv2

    wanted = gentle.margins(cloth, settings, strength, 1.0).middle
    finders = np.isin(cloth.parts, (Part.FINDER, Part.SEPARATOR, Part.ALIGNMENT))
    asked, module = (wanted > 0) & ~finders & ~cloth.quiet, cloth.side / cloth.modules
    if not asked.any():
        return
    at = rims.along(cloth)
    away = np.abs(at - np.floor(at) - 0.5).astype(np.float32)
    away = np.hypot(away[:, None], away[None, :])
    share = np.clip((CALM_FADING - away) / (CALM_FADING - CALM_WHOLE), 0, 1)
    share = share * share * (3 - 2 * share)

    def pixels(grid: np.ndarray) -> np.ndarray:
        return cv2.resize(grid.astype(np.float32), (cloth.side,) * 2,
                          interpolation=cv2.INTER_NEAREST)  # fmt: skip

    share *= pixels(asked)
    sign = pixels(np.where(cloth.dark, -1, 1))
    goal = sign * local + pixels(np.float32(CALM) * np.maximum(wanted, 0))
    # No farther than the module is by and large: what is smooth there gets no dot.
    goal = cv2.min(goal, sign * cv2.GaussianBlur(after, (0, 0), CALM_AREA * module) + SWELL)
    by = max(0.5, CALM_SEEN * module)
    for _ in range(2):
        seen = cv2.GaussianBlur(after, (0, 0), by)
        after += share * sign * np.maximum(goal - sign * seen, 0)


def _lighten_quiet(cloth: Plan, after: np.ndarray, local: np.ndarray, strength: np.ndarray) -> None:
    """Lighten the quiet zone broadly, in place."""
    at, (whole, fading) = rims.along(cloth), QUIET
    beyond = np.maximum(-at, at - cloth.symbol.side)
    away = np.maximum(beyond[:, None], beyond[None, :])
    share = np.clip((fading - away) / (fading - whole), 0, 1) * (away > 0)
    share = (share * share * (3 - 2 * share)).astype(np.float32)
    margin = np.where(cloth.quiet, np.maximum(by_strength(rims.SEAM_MARGIN, strength), 0), 0)
    wanted = QUIET_SHARE * cloth.on_pixels(margin.astype(np.float32))
    lack = np.maximum(local + wanted - after, 0) * (wanted > 0)
    outside = (away > 0).astype(np.float32)
    after += share * _evened(lack, outside, QUIET_EVENED * cloth.side / cloth.modules)


def _lay_finders(
    cloth: Plan, after: np.ndarray, local: np.ndarray, margin: np.ndarray, texture: float
) -> None:
    """Give finders and alignment patterns their margin up to crisp edges, in place."""
    import cv2

    module = cloth.side / cloth.modules
    here, by = cloth.on_pixels((margin > 0).astype(np.float32)), cloth.on_pixels(margin)
    finder = cloth.parts == Part.FINDER
    outside = 1 - (cloth.on_pixels(finder.astype(np.float32)) > 0.5).astype(np.uint8)
    away = cv2.distanceTransform(outside, cv2.DIST_L2, 5) * np.float32(1 / module)
    whole, fading = ROUND
    halo = np.clip((fading - away) / (fading - whole), 0, 1) * (away > 0)
    rim = cv2.dilate(np.where(finder, margin, 0).astype(np.float32), np.ones((5, 5)))
    around = cloth.on_pixels(rim)
    halo = (halo * (around > 0)).astype(np.float32)
    dark = cloth.covered  # as the look draws them
    for mask, sign, margin_here in (
        (here * dark, -1, by), (here * (1 - dark), 1, LIGHT * by), (halo, 1, LIGHT * around),
    ):  # fmt: skip
        sign = np.float32(sign)
        goal = local + sign * margin_here
        after += sign * mask * _evened(np.maximum(sign * (goal - after), 0), mask, EVENED * module)
        # Texture stays, but does not reach farther than this.
        least = goal - sign * np.float32(texture) * margin_here
        after += sign * mask * np.maximum(sign * (least - after), 0)
