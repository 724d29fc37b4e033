"""Where a piece lies on the page of a PDF: trimmed size, bleed, crop marks, copies.

References
----------
ISO 32000-1:2008, 14.11.2: media, bleed and trim box. Crop marks stand outside the bleed
(common practice).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.errors import OutputError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import MM_PER_INCH, Finish

POINTS = 72 / MM_PER_INCH
"""Points in a millimetre."""

PAGES = {"a4": (210.0, 297.0), "a3": (297.0, 420.0)}
"""Sheets for stickers, in millimetres."""

EDGE = 8.0
"""Millimetres at a sheet's edges that printers leave free."""

MARK, AWAY = 5.0, 1.0
"""Length of a crop mark, and its distance from the bleed, in millimetres."""

LEAST_AWAY = 2.0
"""Millimetres between a crop mark and the trimmed size at least."""


@dataclass(frozen=True)
class PagePlan:
    """A page.

    Attributes
    ----------
    width, height : float
        Of the page in millimetres.
    trim : (float, float)
        Width and height of a copy in millimetres.
    at : tuple of (float, float)
        Left and top of each copy on the page.
    bleed : float
    marks : tuple of four float
        Crop marks as lines, x1, y1, x2, y2.
    """

    width: float
    height: float
    trim: tuple[float, float]
    at: tuple[tuple[float, float], ...]
    bleed: float
    marks: tuple[tuple[float, float, float, float], ...]


def plan_page(size: tuple[int, int], finish: Finish) -> PagePlan:
    """Lay out the page for an image.

    Parameters
    ----------
    size : (int, int)
        Width and height of the image in pixels.
    finish : Finish

    Raises
    ------
    OutputError
        A copy is larger than the sheet.
    """
    width, height = (side / finish.dpi * MM_PER_INCH for side in size)
    away = max(finish.bleed, LEAST_AWAY) + AWAY
    if finish.sheet == "none":
        margin = away + MARK if finish.marks else finish.bleed
        at = ((margin, margin),)
        page = width + 2 * margin, height + 2 * margin
    else:
        page = PAGES[finish.sheet]
        at = _grid(page, width, height, finish)
        if not at:
            raise OutputError(
                tr(
                    "A copy of {width:.0f} × {height:.0f} mm does not fit on the sheet.",
                    width=width,
                    height=height,
                ),
                tr("Make it smaller, or choose a larger sheet."),
            )
    marks = _marks(at, width, height, away, page) if finish.marks else ()
    return PagePlan(*page, (width, height), at, finish.bleed, marks)


def _grid(
    page: tuple[float, float], width: float, height: float, finish: Finish
) -> tuple[tuple[float, float], ...]:
    """Left and top of as many copies as fit, in the middle of the sheet."""
    gap = max(finish.gap, 2 * finish.bleed)
    edge = EDGE + (LEAST_AWAY + AWAY + MARK if finish.marks else 0) + finish.bleed
    across, down = (
        max(0, math.floor((side - 2 * edge + gap + 1e-6) / (own + gap)))
        for side, own in ((page[0], width), (page[1], height))
    )
    left = (page[0] - across * (width + gap) + gap) / 2
    top = (page[1] - down * (height + gap) + gap) / 2
    return tuple(
        (left + column * (width + gap), top + row * (height + gap))
        for row in range(down)
        for column in range(across)
    )


def _marks(
    at: tuple[tuple[float, float], ...], width: float, height: float, away: float,
    page: tuple[float, float],
) -> tuple[tuple[float, float, float, float], ...]:  # fmt: skip
    """Crop marks at the outer ends of all edges of copies."""
    lefts, tops = {x for x, _ in at}, {y for _, y in at}
    xs = sorted({*lefts, *(x + width for x in lefts)})
    ys = sorted({*tops, *(y + height for y in tops)})
    found = []
    for x in xs:
        found += [(x, ys[0] - away, x, ys[0] - away - MARK),
                  (x, ys[-1] + away, x, ys[-1] + away + MARK)]  # fmt: skip
    for y in ys:
        found += [(xs[0] - away, y, xs[0] - away - MARK, y),
                  (xs[-1] + away, y, xs[-1] + away + MARK, y)]  # fmt: skip
    return tuple(found)


def mirrored(image: np.ndarray, pixels: int) -> np.ndarray:
    """An image with its edges mirrored outwards by so many pixels."""
    import cv2

    most = min(image.shape[:2]) - 1
    own = min(pixels, most)
    out = cv2.copyMakeBorder(image, own, own, own, own, cv2.BORDER_REFLECT_101)
    more = pixels - own
    return cv2.copyMakeBorder(out, more, more, more, more, cv2.BORDER_REPLICATE) if more else out
