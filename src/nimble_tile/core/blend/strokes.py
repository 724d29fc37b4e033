"""Strokes: short overlapping brush strokes along the picture's contours, toned by the code.

Every stroke lies in one module, takes its colour from the picture there, drawn
into the module's band, and follows the direction in which the picture changes
least. Where it would run into a module of the other kind it stops early.
Between the strokes the picture itself shows, drawn more mildly into the bands.

References
----------
J. Bigün, G. H. Granlund, "Optimal orientation detection of linear symmetry",
International Conference on Computer Vision 1987: the structure tensor.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.blend import tone
from nimble_tile.core.blend.bands import bands
from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.compose import toned
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.quiet import strips
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Blend, Strokes

GUARANTEE = tr(
    "Each stroke's colour keeps its module's band with more margin than tone does, and ends "
    "before a module of the other kind; the middle of each module is held."
)

STROKES_A_SIDE = 2
"""Strokes along a module's side, up to `LARGE` modules; beyond, one wider stroke a
module, which the eye could not tell from two."""

LARGE = 85
WIDER = 1.6

CONTOUR_CELLS = 4
"""Cells a module at which contours are found."""

CONTOUR_BLUR = 0.9
"""Standard deviation of the contours' directions, in modules."""

PLAIN_DIRECTION = 0.6
"""Direction, in radians, of strokes where the picture has no contours."""

UNDER = 0.85
"""Strength of the picture under the strokes, in parts of the strength."""

OVER = 0.07
"""Luma by which strokes go beyond their band, at strength 1."""

FINDER_REACH = 0.45
"""Length of strokes in finder and alignment patterns, in parts of the others'."""

BRISTLES = 6
"""One stroke in this many shows the mark of a bristle."""

MARK_LEVELS = 12
"""Levels of 255 by which such a mark is lighter or darker."""

VARIED = 0.045
"""Luma by which strokes of one module differ, standard deviation."""


def grid_of(plan: Plan) -> int:
    """Strokes along a module's side."""
    return STROKES_A_SIDE if plan.modules <= LARGE else 1


def directions(plan: Plan) -> np.ndarray:
    """Angle of the contours, radians, float32 on a grid of `grid_of` points a module."""
    import cv2

    side = plan.modules * CONTOUR_CELLS
    luma = cv2.resize(plan.luma, (side, side), interpolation=cv2.INTER_AREA).astype(np.float32)
    across, down = (cv2.Scharr(luma, cv2.CV_32F, *which) for which in ((1, 0), (0, 1)))
    spread = CONTOUR_BLUR * CONTOUR_CELLS
    xx, yy, xy = (
        cv2.GaussianBlur(product, (0, 0), spread)
        for product in (across * across, down * down, across * down)
    )
    # A slight bias towards the plain direction decides where the picture has no contours.
    weak = np.float32((4 * 16) ** 2)
    xx += weak * np.float32(np.sin(PLAIN_DIRECTION) ** 2)
    yy += weak * np.float32(np.cos(PLAIN_DIRECTION) ** 2)
    xy -= weak * np.float32(np.sin(PLAIN_DIRECTION) * np.cos(PLAIN_DIRECTION))
    angle = 0.5 * np.arctan2(2 * xy, xx - yy) + np.float32(np.pi / 2)
    step = CONTOUR_CELLS // grid_of(plan)
    return angle[step // 2 :: step, step // 2 :: step]


def _laid_out(plan: Plan, settings: Strokes) -> dict[str, np.ndarray]:
    """Where the strokes lie, in modules: `x`, `y`, end points, width, varied tone."""
    n, fine = plan.modules, grid_of(plan)
    rng = np.random.default_rng(settings.seed)
    row, column = (grid.ravel() for grid in np.indices((n * fine, n * fine)))
    jitter = rng.uniform(-0.32, 0.32, (2, row.size)) / fine
    x = (column + 0.5) / fine + jitter[0]
    y = (row + 0.5) / fine + jitter[1]
    angle = directions(plan)[row, column] + rng.normal(0, 0.12, row.size)
    half = settings.length / 2 * rng.uniform(0.75, 1.25, row.size)
    width = settings.width * rng.uniform(0.75, 1.25, row.size)
    if fine == 1:
        width *= WIDER
    varied = rng.normal(0, 1, row.size)
    module = np.stack([np.clip(y, 0, n - 1e-6), np.clip(x, 0, n - 1e-6)]).astype(int)
    own = plan.dark[module[0], module[1]]
    # Readers find a code by the straight sides of its finders.
    function = plan.function[module[0], module[1]]
    half = np.where(function, FINDER_REACH * half, half)
    ends = []
    for sign in (-1, 1):
        reach = half.copy()
        for _ in range(3):
            tip = reach + width / 2
            at = np.stack([y + sign * np.sin(angle) * tip, x + sign * np.cos(angle) * tip])
            there = np.clip(at, 0, n - 1e-6).astype(int)
            reach = np.where(plan.dark[there[0], there[1]] != own, reach * 0.45, reach)
        ends.append((x + sign * np.cos(angle) * reach, y + sign * np.sin(angle) * reach))
    # Finders have fewer strokes and never a gap; they are strong underneath.
    kept = np.where(function, (row + column) % 2 == 0, rng.uniform(0, 1, row.size) >= settings.gaps)
    kept &= ~plan.quiet[module[0], module[1]]
    order = rng.permutation(np.flatnonzero(kept))
    bow = rng.normal(0, 0.06, row.size)
    return {
        "row": row[order], "column": column[order], "width": width[order],
        "from": np.stack(ends[0], -1)[order], "to": np.stack(ends[1], -1)[order],
        "middle": np.stack([x - np.sin(angle) * bow, y + np.cos(angle) * bow], -1)[order],
        "varied": varied[order],
    }  # fmt: skip


def _colours(plan: Plan, settings: Blend, strength: np.ndarray, laid: dict) -> np.ndarray:
    """RGB of each stroke, uint8."""
    import cv2

    side = plan.modules * grid_of(plan)
    square = cv2.resize(plan.square, (side, side), interpolation=cv2.INTER_AREA)
    luma = cv2.cvtColor(square, cv2.COLOR_RGB2GRAY)
    made = bands(plan, settings, strength)

    def fine(grid: np.ndarray) -> np.ndarray:
        return cv2.resize(grid, (side, side), interpolation=cv2.INTER_NEAREST)

    over = np.float32(OVER) * np.maximum(strength, 0)
    ceiling = fine(np.where(plan.dark, made.below - made.centre - over, 1).astype(np.float32))
    lowest = np.minimum(made.above + made.centre + over, made.enough)
    floor = fine(np.where(plan.dark, 0, lowest).astype(np.float32))
    varied = np.zeros((side, side), np.float32)
    varied[laid["row"], laid["column"]] = laid["varied"] * VARIED
    tone_now = luma.astype(np.float32) / 255 + varied
    after = np.rint(np.clip(np.minimum(np.maximum(tone_now, floor), ceiling), 0, 1) * 255)
    moved = move_luma(square, luma, after.astype(np.uint8))
    return moved[laid["row"], laid["column"]]


def blend(plan: Plan, settings: Blend, strength: np.ndarray) -> np.ndarray:
    """Blend with `Blend.strokes`. Returns uint8 S × S × 3."""
    import cv2
    import skia

    under = strength * np.float32(UNDER)
    fixed = plan.function | plan.quiet
    under[fixed] = strength[fixed]
    base = toned(plan, tone.tones(plan, settings, under), settings, under)
    laid = plan.once("strokes", settings.strokes, lambda: _laid_out(plan, settings.strokes))
    paths = plan.once("paths", settings.strokes, lambda: _paths(laid, plan.side / plan.modules))
    colours = _colours(plan, settings, strength, laid)
    pixels = cv2.cvtColor(base, cv2.COLOR_RGB2RGBA)
    surface = skia.Surface(pixels, colorType=skia.kRGBA_8888_ColorType)
    canvas = surface.getCanvas()
    paint = skia.Paint(AntiAlias=True)
    # At strength 0 nothing is painted, whatever the map says elsewhere.
    cover = np.clip(strength / 0.3, 0, 1)
    fine_grid = grid_of(plan)
    alpha = np.rint(255 * cover[laid["row"] // fine_grid, laid["column"] // fine_grid]).astype(int)
    lighter = np.where(colours.sum(1) < 384, MARK_LEVELS, -MARK_LEVELS)[:, None]
    marks = np.clip(colours.astype(int) + lighter, 0, 255)
    for (path, bristle), own, mark, seen in zip(
        paths, colours.tolist(), marks.tolist(), alpha.tolist(), strict=True
    ):
        if not seen:
            continue
        paint.setARGB(seen, *own)
        canvas.drawPath(path, paint)
        if bristle is not None:
            paint.setARGB(seen // 2, *mark)
            canvas.drawPath(bristle, paint)
    surface.flushAndSubmit()
    out = cv2.cvtColor(pixels, cv2.COLOR_RGBA2RGB)
    for place in strips(plan):  # strokes of the outermost modules end at the symbol's edge
        out[place] = base[place]
    return out


def _paths(laid: dict[str, np.ndarray], scale: float) -> list[tuple]:
    """Outline of each stroke in pixels, and of the mark of a bristle in some of them."""
    import skia

    pen = skia.Paint(Style=skia.Paint.kStroke_Style, StrokeCap=skia.Paint.kRound_Cap)

    def outline(path: skia.Path, width: float) -> skia.Path:
        pen.setStrokeWidth(width)
        made = skia.Path()
        pen.getFillPath(path, made)
        return made

    made = []
    starts, ends, bows = ((laid[k] * scale).tolist() for k in ("from", "to", "middle"))
    widths = (laid["width"] * scale).tolist()
    for index, (start, end, bow, width) in enumerate(zip(starts, ends, bows, widths, strict=True)):
        path = skia.Path()
        path.moveTo(*start)
        path.quadTo(*bow, *end)
        bristle = None
        if index % BRISTLES == 0:
            bristle = outline(path, width * 0.3)
            bristle.offset(width * 0.16, -width * 0.1)
        made.append((outline(path, width), bristle))
    return made
