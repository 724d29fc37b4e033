"""Gentle: the tones of all pixels solved together for the eye, within what readers need.

Readers need each module on its side of its surroundings, by a margin at its
middle and by a smaller one over most of its area; the eye wants the structure
of the picture. Both are written as one smooth function of the change of tone on
a fine grid, four cells a module, and its minimum is found by gradient descent:
likeness as the eye has it at viewing distance, plus the square of every margin
that is missed, plus a little for every change of tone and for every change that
is finer than a module where the picture is smooth. A margin may thus be missed
where it would cost the picture much; error correction is there for it.

References
----------
D. P. Kingma, J. Ba, "Adam: a method for stochastic optimization", ICLR 2015:
the steps of the descent.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from nimble_tile.core.blend import eye, rims
from nimble_tile.core.blend.bands import LOCAL
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import by_strength
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend
from nimble_tile.core.symbol.anatomy import Part

# Margins by strength, in steps of 255, at a module's middle and over its area; found by
# search over settings on six photographs with the readers as judges.
_CENTRE = ((0, -255), (0.15, -20), (0.3, 30), (0.45, 52), (0.6, 63), (0.8, 72), (1, 112))
_WHOLE = ((0, -255), (0.15, -30), (0.3, -6), (0.45, 12), (0.6, 30), (0.7, 42), (0.8, 50), (1, 80))
FINDER_MARGIN = ((0, -255), (0.15, 15), (0.3, 65), (0.6, 94), (0.8, 98), (1, 140))
_QUIET = ((0, -255), (0.15, -20), (0.3, 6), (0.6, 27), (0.8, 31), (1, 55))

FINDERS = 0.8
"""Margin of finders in parts of that: a new blend needs no more."""

FINDER_AREA = 0.4
"""A finder's margin over its modules' area, in parts of that at their middles."""

TIMING, ALIGNMENT = 0.75, 1.0
"""Margin of timing and alignment patterns in parts of a finder's."""

CRISP = 0.92
"""Margin that the pixels of finders and alignment patterns keep up to their very edge, in
parts of `FINDER_MARGIN`: OpenCV finds the code's corners by these edges."""

HALO = (0.6, 1.0)
"""Modules round a finder that are kept light: wholly, and fading."""

MIDDLE, AREA = 0.25, 0.42
"""Standard deviations, in modules, of the spots by which a module's middle and its area are
looked at: a sharp frame and one from far away."""

ALONE = (0.4, 1.5, 1.5)
"""A module among its like needs less: parts of its margin that remain among its like alone,
growth with the share of others, and the standard deviation, in modules, of that share. Where
it has none of the other kind near, its surroundings are its own tone, and only a grid of dots
could keep it off them."""


@dataclass(frozen=True)
class Weights:
    """What the cost is made of, relative to the likeness.

    Attributes
    ----------
    missed : float
        Of the squared shortfall of margins.
    changed : float
        Of the squares of changes of tone. Likeness as it is measured hardly counts a change that
        is broad and smooth, and eyes do.
    fine : float
        Of the squares of that part of the changes which is finer than half a module, where the
        picture is smooth.
    in_finders : float
        The same in finders and round them, where crisp edges are drawn anyway, in parts of it.
    insisting : tuple of (strength, weight)
        How much missed margins weigh by a module's strength, in parts of `missed`.
    """

    missed: float
    changed: float
    fine: float
    in_finders: float
    insisting: tuple[tuple[float, float], ...] = ((0, 1.0),)


WEIGHTS = Weights(100.0, 10.0, 6.0, 0.3, ((0.45, 1.0), (0.7, 2.0), (1, 4.0)))
"""Those of a new blend: found on the same photographs."""

HELD, HELD_AT_EDGE = 6.0, 20.0
"""Weight of changes in the quiet zone where no reader asks for them; and in its outermost
module, beyond which the picture goes on unchanged."""

ROUGH = 12.0
"""Standard deviation of tone, of 255, at which fine changes are half as visible."""

FINE_IN_QUIET = 3.0
"""How many times more fine changes weigh in the quiet zone, where nothing calls for them."""

FREE_STRENGTH = 0.15
"""Strength from which a module's tone may go anywhere; at 0 it stays."""

ROUNDS, STEP = 60, 40.0
"""Steps of the descent, and the first one's length, of 255. More steps come nearer to the minimum
and keep less margin than is asked for: at the same reach the picture is less alike."""

QUICK_ROUNDS = 10
"""Steps while a slider is dragged, when each result is only seen for a moment."""

DENSE = 100
"""Modules a side, quiet zone included, from which only three cells a module are solved."""

GUARANTEE = tr(
    "Modules are marked, or moved in tone, together so that the picture stays as alike as readers "
    "let it; at 0.7 readers pass nine of ten frames that the usual code passes on sample "
    "photographs."
)


@dataclass(frozen=True, eq=False)
class Solved:
    """Change of tone on the grid of cells.

    Attributes
    ----------
    change : ndarray of float32, (N · cells)²
        In steps of 255.
    local : ndarray of float32, (N · cells)²
        The local tone afterwards, 0 to 255.
    cells : int
        Cells a module.
    """

    change: np.ndarray
    local: np.ndarray
    cells: int


def beside(plan: Plan) -> np.ndarray:
    """Bool N × N: modules of the quiet zone that touch the code's square, corners included."""
    n, own = plan.symbol.side, plan.quiet_zone
    rows, columns = np.mgrid[: plan.modules, : plan.modules] - own
    near = (rows >= -1) & (rows <= n) & (columns >= -1) & (columns <= n)
    return plan.quiet & near


@dataclass(frozen=True, eq=False)
class Margins:
    """Margins of each module (float32 N × N, of 255): at its middle and over its area from the
    local tone, and over its area from mid grey. Far below 0 where nothing is asked for."""

    middle: np.ndarray
    area: np.ndarray
    grey: np.ndarray


def margins(plan: Plan, settings: Blend, strength: np.ndarray, finders: float = FINDERS) -> Margins:
    """The margins that a map of strengths asks for; of finders in parts of `FINDER_MARGIN`."""
    import cv2

    centre, whole = by_strength(_CENTRE, strength), by_strength(_WHOLE, strength)
    remains, growth, near = ALONE
    share = cv2.GaussianBlur(plan.dark.astype(np.float32), (0, 0), near)
    others = np.where(plan.dark, 1 - share, share)
    lonely = np.clip(remains + growth * others, remains, 1).astype(np.float32)
    centre, whole = (np.where(m > 0, m * lonely, m) for m in (centre, whole))
    wider = np.where(plan.dark, np.float32(settings.darks), np.float32(settings.lights))
    if settings.darks != 1 or settings.lights != 1:
        centre, whole = (_shared(m, wider) for m in (centre, whole))
    finder = by_strength(FINDER_MARGIN, strength)
    finder = np.where(finder > 0, finders * finder, finder)
    for part, share in (
        (Part.FINDER, 1), (Part.SEPARATOR, 1), (Part.TIMING, TIMING), (Part.ALIGNMENT, ALIGNMENT),
    ):  # fmt: skip
        own = plan.parts == part
        centre[own], whole[own] = share * finder[own], share * FINDER_AREA * finder[own]
    centre[plan.quiet] = whole[plan.quiet] = -255
    lines = beside(plan)
    whole[lines] = by_strength(_QUIET, strength)[lines]
    # For readers with one threshold for all.
    grey = np.where(whole > 0, whole / 2, 6 * whole)
    return Margins(*(field.astype(np.float32) for field in (centre, whole, grey)))


def _shared(margin: np.ndarray, share: np.ndarray) -> np.ndarray:
    """A margin widened or narrowed: 0 lets the picture be, 1 changes nothing."""
    return np.where(margin > 0, margin * share, margin) - 60 * np.maximum(0, 1 - share)


class Descent:
    """The cost of a change of tone, to be minimised for one square.

    Parameters
    ----------
    plan : Plan
    weights : Weights
    """

    def __init__(self, plan: Plan, weights: Weights = WEIGHTS) -> None:
        import cv2

        self.cells = cells = eye.EYE_CELLS if plan.modules <= DENSE else eye.EYE_CELLS - 1
        side = plan.modules * cells
        luma = plan.luma.astype(np.float32)
        way = cv2.INTER_AREA if plan.side >= side else cv2.INTER_LINEAR
        self.tone = cv2.resize(luma, (side, side), interpolation=way)
        self._seen = partial(_blur, by=eye.EYE_BLUR * cells)
        window = eye.WINDOW if cells == eye.EYE_CELLS else eye.WINDOW - 2
        self._like = eye.Likeness(self._seen(self.tone), window)
        self._sign = np.where(plan.dark, -1, 1).astype(np.float32)
        self._count = plan.modules**2
        mean = _blur(self.tone, 0.6 * cells)
        square = _blur(self.tone * self.tone, 0.6 * cells)
        rough = np.sqrt(np.maximum(square - mean * mean, 0))
        smooth = 1 / (1 + rough / np.float32(ROUGH))

        def cells_of(grid: np.ndarray) -> np.ndarray:
            return grid.repeat(cells, 0).repeat(cells, 1)

        smooth[cells_of(plan.quiet)] *= FINE_IN_QUIET
        smooth[cells_of(np.isin(plan.parts, (Part.FINDER, Part.SEPARATOR)))] *= weights.in_finders
        self._smooth = (smooth * smooth).astype(np.float32)
        self._quiet = cells_of(plan.quiet)
        held = np.ones_like(self.tone)
        held[cells_of(plan.quiet & ~beside(plan))] = HELD
        if plan.fades and plan.quiet_zone > 1:
            outer = np.ones_like(plan.quiet)
            outer[1:-1, 1:-1] = False
            held[cells_of(outer)] = HELD_AT_EDGE
        self._held, self._weights = held, weights

    def _at(self, field: np.ndarray) -> np.ndarray:
        """A field at the modules' middles."""
        cells, half = self.cells, self.cells // 2
        if cells % 2:
            return field[half::cells, half::cells]
        low, high = field[half - 1 :: cells], field[half::cells]
        pair = low + high
        return np.float32(0.25) * (pair[:, half - 1 :: cells] + pair[:, half::cells])

    def _back(self, grid: np.ndarray) -> np.ndarray:
        """The transpose of `_at`."""
        cells, half = self.cells, self.cells // 2
        out = np.zeros_like(self.tone)
        if cells % 2:
            out[half::cells, half::cells] = grid
            return out
        for row in (half - 1, half):
            for column in (half - 1, half):
                out[row::cells, column::cells] = np.float32(0.25) * grid
        return out

    def value(
        self, change: np.ndarray, wanted: Margins, strength: np.ndarray
    ) -> tuple[float, np.ndarray]:
        """The cost and its gradient by the change of tone (float32, as `Solved.change`), with
        the strength of each module."""
        cells = self.cells
        middle, area = MIDDLE * cells, AREA * cells
        toned = self.tone + change
        alike, slope = self._like(self._seen(toned))
        slope = -self._seen(slope)
        each = np.float32(self._weights.missed / 255**2 / self._count)
        # On the modules' means: the local tone is so smooth that cells add nothing.
        local = _blur(module_means(toned, cells), LOCAL)
        sharp, far = self._at(_blur(toned, middle)), self._at(_blur(toned, area))
        miss_middle = np.maximum(wanted.middle - self._sign * (sharp - local), 0)
        miss_area = np.maximum(wanted.area - self._sign * (far - local), 0)
        miss_grey = np.maximum(wanted.grey - self._sign * (far - np.float32(127.5)), 0)
        weight = by_strength(self._weights.insisting, strength).astype(np.float32)
        missed = (weight * (miss_middle**2 + 2 * miss_area**2 + 2 * miss_grey**2)).sum()
        dear = -2 * each * weight * self._sign
        by_middle, by_area, by_grey = dear * miss_middle, 2 * dear * miss_area, 2 * dear * miss_grey
        slope += _blur(self._back(by_middle), middle)
        slope += _blur(self._back(by_area + by_grey), area)
        by_local = _blur(by_middle + by_area, LOCAL) * np.float32(1 / cells**2)
        slope -= by_local.repeat(cells, 0).repeat(cells, 1)
        cell = np.float32(1 / 255**2 / self._count / cells**2)
        finer = change - _blur(change, eye.EYE_BLUR * cells)
        weighed = self._smooth * finer
        held = self._held * change
        changed, fine = self._weights.changed, self._weights.fine
        back = weighed - _blur(weighed, eye.EYE_BLUR * cells)
        slope += 2 * cell * (changed * held + fine * back)
        rest = changed * (held * change).sum() + fine * (weighed * finer).sum()
        return 1 - alike + float(each * missed) + float(cell * rest), slope

    def solve(
        self,
        wanted: Margins,
        strength: np.ndarray,
        rounds: int = ROUNDS,
        step: float = STEP,
    ) -> Solved:
        """The change of tone of least cost for some margins; no change where the strength is 0."""
        free = np.clip(strength / np.float32(FREE_STRENGTH), 0, 1).astype(np.float32)
        free = free.repeat(self.cells, 0).repeat(self.cells, 1)
        change = np.zeros_like(self.tone)
        first, second = np.zeros_like(change), np.zeros_like(change)
        for number in range(1, rounds + 1):
            _, slope = self.value(change, wanted, strength)
            toned = self.tone + change
            slope[((toned <= 0) & (slope > 0)) | ((toned >= 255) & (slope < 0))] = 0
            first = np.float32(0.9) * first + np.float32(0.1) * slope
            second = np.float32(0.95) * second + np.float32(0.05) * slope * slope
            length = step * (0.03 + 0.97 * 0.5 * (1 + np.cos(np.pi * number / rounds)))
            ratio = np.float32(length / (1 - 0.9**number))
            scale = np.float32(1 / (1 - 0.95**number))
            change -= ratio * first / (np.sqrt(scale * second) + np.float32(1e-9))
            change = np.clip(change, -self.tone * free, (255 - self.tone) * free)
            # Darker parts of the quiet zone would make light modules cheap, and be seen.
            change[self._quiet] = np.maximum(change[self._quiet], 0)
        local = _blur(self.tone + change, LOCAL * self.cells)
        return Solved(change, local, self.cells)


def module_means(field: np.ndarray, cells: int) -> np.ndarray:
    """Means over the modules of a field on the grid of cells."""
    import cv2

    side = field.shape[0] // cells
    return cv2.resize(field, (side, side), interpolation=cv2.INTER_AREA)


def local_tone(plan: Plan) -> np.ndarray:
    """The tone round each module that it is told apart from (float32 N × N, 0 to 255)."""
    return _blur(plan.module_luma * np.float32(255), LOCAL)


def _blur(field: np.ndarray, by: float) -> np.ndarray:
    import cv2

    return cv2.GaussianBlur(field, (0, 0), by, borderType=cv2.BORDER_REFLECT)


def solved(plan: Plan, settings: Blend, strength: np.ndarray) -> Solved:
    """The change of tone for a square; remembered with it."""
    key = (strength.tobytes(), settings.darks, settings.lights)

    def make() -> Solved:
        descent = plan.once("descent", 0, lambda: Descent(plan))
        rounds = QUICK_ROUNDS if plan.quick else ROUNDS
        return descent.solve(margins(plan, settings, strength), strength, rounds)

    return plan.once("gentle", key, make)


def tones(plan: Plan, found: Solved, strength: np.ndarray, crisp: float = CRISP) -> np.ndarray:
    """Luma that every pixel gets (uint8 S × S) by a change of tone; see `CRISP`."""
    import cv2

    size = (plan.side, plan.side)
    grow = partial(cv2.resize, dsize=size, interpolation=cv2.INTER_LINEAR)
    after = plan.luma.astype(np.float32) + grow(found.change)
    local = grow(found.local)
    margin = crisp * np.maximum(by_strength(FINDER_MARGIN, strength), 0)
    edged = np.isin(plan.parts, (Part.FINDER, Part.ALIGNMENT)) & (margin > 0)
    if not edged.any():
        return np.rint(np.clip(after, 0, 255)).astype(np.uint8)
    by = plan.on_pixels(np.where(edged, margin, 0).astype(np.float32))
    here = plan.on_pixels(edged.astype(np.float32))
    dark = plan.covered  # as the look draws them
    # No farther than that either, unless the picture is: the descent puts a dot in each middle.
    tone, below, above = plan.luma.astype(np.float32), local - by, local + np.float32(0.8) * by
    darker = cv2.min(cv2.max(after, cv2.min(tone, below)), below)
    lighter = cv2.max(cv2.min(after, cv2.max(tone, above)), above)
    after += here * (dark * (darker - after) + (1 - dark) * (lighter - after))
    # Just outside a finder it must be light up to its edge.
    finder = plan.parts == Part.FINDER
    away = cv2.distanceTransform(
        1 - (plan.on_pixels(finder.astype(np.float32)) > 0.5).astype(np.uint8), cv2.DIST_L2, 5
    ) * np.float32(plan.modules / plan.side)  # fmt: skip
    whole, fading = HALO
    halo = np.clip((fading - away) / (fading - whole), 0, 1) * (away > 0)
    rim = cv2.dilate(np.where(finder, margin, 0).astype(np.float32), np.ones((5, 5)))
    halo = halo * (plan.on_pixels(rim) > 0)
    light = local + np.float32(0.8) * plan.on_pixels(rim)
    after += halo.astype(np.float32) * (cv2.max(after, light) - after)
    rims.lay_seam(plan, after, local, strength)
    rims.lay_serifs(plan, after, local, margin)
    return np.rint(np.clip(after, 0, 255)).astype(np.uint8)


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend; see `tones`. Returns uint8 S × S × 3."""
    after = tones(plan, solved(plan, settings, strength), strength)
    return rims.coloured(plan, after, settings, float(strength[0, 0]))
