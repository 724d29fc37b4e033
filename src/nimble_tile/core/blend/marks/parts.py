"""Parts: finders, alignment patterns and the border, as flat areas in inks of the picture."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.blend import gentle, rims
from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.marks.edges import edge
from nimble_tile.core.blend.marks.inks import LEAST_LUMA, MOST_LUMA, Palette
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import by_strength
from nimble_tile.core.piece import Marks
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.looks.drawing import finder_corners, finder_shapes
from nimble_tile.core.symbol.looks.paths import (
    Path,
    circle,
    joined,
    rectangle,
    reversed_path,
    rounded,
)
from nimble_tile.core.symbol.looks.shapes import eye_shape, ring_shape

LIGHT = 0.8
"""Margin of a part's light ink, in parts of that of its dark ink."""

BROAD = {"line": 0.85, "panel": 2.2, "round": 2.9, "ticket": 2.6, "label": 2.4, "torn": 2.5}
"""Width of a border, in modules. Below four fifths of a module OpenCV follows dark parts from
the code's edge outwards, see `nimble_tile.core.blend.rims`."""

ROUND = {"line": 0.85, "panel": 1.5}
"""Radius of its outer corners."""

INNER = 0.5
"""Radius of the inner corner of a finder's panel."""

OVER = 0.06
"""Modules by which areas of one colour reach under each other, so that no seam is seen."""

FADE_FROM = 0.8
"""Modules round the code that a broad fade brightens wholly."""

FADING = ((0.5, 0.9), (1.5, 0.62), (2.5, 0.36))
"""Rings of marks round the code: where their middles are, modules outside it, and their size."""


@dataclass(frozen=True, eq=False)
class Flat:
    """An area of one colour.

    Attributes
    ----------
    path : Path
        In modules, from the quiet zone's corner.
    colour : (int, int, int)
        sRGB, 0 to 255.
    role : {"border", "finder", "mark"}
    tiled : bool
        Whether it fills its module and lies beside others that do: with soft edges what is below
        would shine through between them.
    """

    path: Path
    colour: tuple[int, int, int]
    role: str
    tiled: bool = False


@dataclass(frozen=True, eq=False)
class Marked:
    """All that is laid on the picture, from the bottom to the top."""

    flats: tuple[Flat, ...]


def parts(plan: Plan, settings: Marks, palette: Palette, strength: np.ndarray) -> Iterator[Flat]:
    """The border, then finders and alignment patterns, each with its panel below it.

    Border and panels are of one light ink: together they are seen as one frame.
    """
    local = gentle.local_tone(plan)
    own, side = plan.quiet_zone, plan.symbol.side
    margin = np.maximum(by_strength(gentle.FINDER_MARGIN, strength), 0) * gentle.FINDERS
    finders = []
    for at, (row, column) in enumerate(finder_corners(plan.symbol)):
        deep = float(margin[own + row : own + row + 7, own + column : own + column + 7].mean())
        if deep > 0:
            where = np.zeros(plan.dark.shape, bool)
            top, left = max(0, own + row - 1), max(0, own + column - 1)
            where[top : own + row + 8, left : own + column + 8] = True
            finders.append((at, row, column, where, *_tones(local, where, deep)))
    light = _light(plan, palette, strength, local, [each[-1] for each in finders])
    yield from _border(plan, settings, palette, strength, local, light)
    # A broad panel lies below those of the finders already, and has its own edge.
    broad = BROAD.get(settings.border, 0) > 1
    out = min(OVER if broad else BROAD["line"], own)
    for at, row, column, where, low, _ in finders:
        yield Flat(_panel(row, column, side, out).moved(own, own), light, "finder")
        middle = own + column + 3.5, own + row + 3.5
        inks = _inks_of(palette, where, (own + row + 3, own + column + 3), low)
        for path, ink in zip(finder_shapes(plan.look, at), inks, strict=True):
            yield Flat(path.moved(*middle), ink, "finder")
    for row, column in _alignments(plan):
        where = np.zeros(plan.dark.shape, bool)
        where[row - 2 : row + 3, column - 2 : column + 3] = True
        deep = float(margin[where].mean())
        if deep > 0:
            low, high = _tones(local, where, deep)
            middle, dark = (column + 0.5, row + 0.5), palette.ink(where, low, False)
            ground = rectangle(-2.5, -2.5, 5, 5).moved(*middle)
            yield Flat(ground, palette.ink(where, high, True), "finder")
            yield Flat(ring_shape(plan.look, 2.5).moved(*middle), dark, "finder")
            yield Flat(eye_shape(plan.look, 0.5).moved(*middle), dark, "finder")


def border(plan: Plan, settings: Marks, palette: Palette, strength: np.ndarray) -> Iterator[Flat]:
    """The border alone."""
    local = gentle.local_tone(plan)
    light = _light(plan, palette, strength, local, [])
    return _border(plan, settings, palette, strength, local, light)


def _inks_of(
    palette: Palette, where: np.ndarray, middle: tuple[int, int], luma: float
) -> tuple[tuple[int, int, int], tuple[int, int, int]]:
    """Inks of a finder's ring and of its eye: one of the picture for both, or the look's own."""
    eye = np.zeros(where.shape, bool)
    eye[middle[0] - 1 : middle[0] + 2, middle[1] - 1 : middle[1] + 2] = True
    inks = []
    for part in (where & ~eye, where & eye):
        own = bool((palette.dark & part).any())
        inks.append(palette.ink(part if own else where, luma, False, own))
    return inks[0], inks[1]


def _light(
    plan: Plan, palette: Palette, strength: np.ndarray, local: np.ndarray, highs: list[float]
) -> tuple[int, int, int]:
    """The light ink of border and panels: nowhere darker than it must be where the picture is
    lightest."""
    lines = gentle.beside(plan)
    margin = np.maximum(by_strength(rims.SEAM_MARGIN, strength), 0)
    if lines.any() and margin[lines].any():
        highs = [*highs, float(np.percentile((local + margin)[lines], 90))]
    where = lines if lines.any() else ~plan.quiet
    return palette.ink(where, max(highs, default=0.0), True)


def _tones(local: np.ndarray, where: np.ndarray, deep: float) -> tuple[float, float]:
    """Luma of a part's dark and light ink; where one comes to its end, the other goes on."""
    tone = float(local[where].mean())
    low, high = tone - deep, tone + LIGHT * deep
    return low - max(0.0, high - MOST_LUMA), high + max(0.0, LEAST_LUMA - low)


def _panel(row: int, column: int, side: int, out: float) -> Path:
    """What is light round a finder, from the symbol's corner: its separator, and outside."""
    top, left = (row - 1 if row else -out), (column - 1 if column else -out)
    bottom = row + 7 + (out if row + 7 == side else 1)
    right = column + 7 + (out if column + 7 == side else 1)
    outer = ROUND["line"]
    radii = [0.0, 0.0, 0.0, 0.0]  # top left, top right, bottom right, bottom left
    if out > OVER:
        corner = {(0, 0): 0, (0, side - 7): 1, (side - 7, 0): 3}[row, column]
        radii[corner] = outer
    radii[{(0, 0): 2, (0, side - 7): 3, (side - 7, 0): 1}[row, column]] = INNER
    return rounded(left, top, right - left, bottom - top, tuple(radii))


def _alignments(plan: Plan) -> list[tuple[int, int]]:
    """Middles of the alignment patterns, in modules of the plan."""
    import cv2

    own = (plan.parts == Part.ALIGNMENT).astype(np.uint8)
    count, _, stats, middles = cv2.connectedComponentsWithStats(own, connectivity=4)
    return [
        (round(middles[i][1]), round(middles[i][0]))
        for i in range(1, count)
        if stats[i][cv2.CC_STAT_WIDTH] == stats[i][cv2.CC_STAT_HEIGHT] == 5
    ]


def faded(plan: Plan, settings: Marks, strength: np.ndarray) -> np.ndarray:
    """The square under the marks (uint8 S × S × 3): the picture itself, or with a broad fade
    brightened round the code, less and less outwards."""
    margin = np.where(plan.quiet, np.maximum(by_strength(rims.SEAM_MARGIN, strength), 0), 0)
    if settings.border != "fade" or not margin.any():
        return plan.square
    import cv2

    at = rims.along(plan)
    beyond = np.maximum(-at, at - plan.symbol.side)
    away = np.hypot(np.maximum(beyond, 0)[:, None], np.maximum(beyond, 0))
    away[(beyond[:, None] <= 0) & (beyond <= 0)] = np.inf  # the code's own square
    width = max(1.0, plan.quiet_zone - 1.0)
    share = np.clip(1 - (away - FADE_FROM) / (width - FADE_FROM), 0, 1)
    share = share * share * (3 - 2 * share)
    local = cv2.resize(gentle.local_tone(plan), (plan.side,) * 2, interpolation=cv2.INTER_LINEAR)
    tone = plan.luma.astype(np.float32)
    light = np.maximum(tone, local + plan.on_pixels(margin.astype(np.float32), smooth=True))
    after = np.rint(np.clip(tone + share * (light - tone), 0, 255)).astype(np.uint8)
    return move_luma(plan.square, plan.luma, after, plan.colours)


def _border(
    plan: Plan, settings: Marks, palette: Palette, strength: np.ndarray, local: np.ndarray,
    light: tuple[int, int, int],
) -> Iterator[Flat]:  # fmt: skip
    """What keeps the code apart from the picture round it."""
    lines = gentle.beside(plan)
    margin = np.maximum(by_strength(rims.SEAM_MARGIN, strength), 0)
    if settings.border in ("none", "fade") or not lines.any() or not margin[lines].any():
        return
    side, own = plan.symbol.side, plan.quiet_zone
    if settings.border == "marks":
        yield from _fading(plan, palette, margin, local)
        return
    broad = min(BROAD[settings.border], own)
    if settings.border in ("line", "panel"):
        radius = min(ROUND[settings.border], broad)
        outer = rounded(-broad, -broad, side + 2 * broad, side + 2 * broad, (radius,) * 4)
    else:
        outer = edge(settings.border, side, broad)
    inner = rectangle(OVER, OVER, side - 2 * OVER, side - 2 * OVER)
    ring = joined([outer, reversed_path(inner)])
    yield Flat(ring.moved(own, own), light, "border")


def _fading(plan: Plan, palette: Palette, margin: np.ndarray, local: np.ndarray) -> Iterator[Flat]:
    """Rings of light marks that become smaller outwards."""
    side, own = plan.symbol.side, plan.quiet_zone
    rows, columns = np.mgrid[: plan.modules, : plan.modules] - own
    away = np.maximum(np.maximum(-rows, rows - side + 1), np.maximum(-columns, columns - side + 1))
    for at, size in FADING:
        ring = (away == at + 0.5) & (margin > 0)
        if not ring.any():
            continue
        luma = np.clip(np.maximum(local + margin, palette.luma), LEAST_LUMA, MOST_LUMA)
        for (row, column), ink in zip(np.argwhere(ring), palette.marks(ring, luma), strict=True):
            path = circle(column + 0.5, row + 0.5, size / 2)
            yield Flat(path, ink, "border")
