"""Pixel art: a code and a picture of whole pixels in few colours, dark ones and light ones apart.

Every module has the same whole number of pixels. A palette keeps its dark colours and its light
ones at a distance, so that a module is what its pixels say.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import marked, tr
from nimble_tile.core.look import rgb
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol

APART = 0.44
"""Distance in luma, of 1, between the lightest dark and the darkest light colour."""

LEAST_APART = 0.07
"""Luma, of 1, by which a module must differ from the mean of what lies round it."""

MIDDLE = 0.5
"""Luma between dark and light."""

MOST_SIDE = 1024
"""Pixels a side of pixel art at most."""

FREE_CORNERS = 5
"""Pixels a module from which its corners may take any colour: shapes look less boxed."""

PALETTES: dict[str, tuple[str, ...]] = {
    marked("Two inks"): ("#1d2a3a", "#f6efdc"),
    marked("Marsh"): (
        "#16242b", "#23413f", "#2f5a45", "#5a4630", "#e8ddb5", "#f4ecd2", "#c9d8b0", "#e9c46a",
    ),
    marked("Lantern walk"): (
        "#131a33", "#23285a", "#3d2c5e", "#6a2c4f", "#7a3b1e", "#ffcf6b", "#ffe3a3", "#fff4d6",
        "#f2a65a", "#cfe0ee",
    ),
    marked("Heron"): ("#1f2933", "#334756", "#4a5b66", "#e7ecef", "#f7f4ea", "#c9d6df", "#f0c987"),
    marked("Berries"): (
        "#2a1224", "#531b33", "#75203a", "#3f2b52", "#fbe9e1", "#f6c9c0", "#ffdfa8",
    ),
}  # fmt: skip
"""Palettes that ship, dark colours first."""

Tool = Literal["pencil", "line", "fill", "erase"]
Mirror = Literal["none", "across", "down", "both"]


def luma(colours: Sequence[str]) -> np.ndarray:
    """Luma of colours, 0 to 1 (ITU-R BT.601, as readers compute it)."""
    values = np.array([rgb(colour) for colour in colours], float).reshape(-1, 3)
    return values @ [0.299, 0.587, 0.114] / 255


def dark_ones(colours: Sequence[str]) -> np.ndarray:
    """Which colours of a palette are dark."""
    return luma(colours) < MIDDLE


def kept_apart(colours: Sequence[str], apart: float = APART) -> tuple[str, ...]:
    """A palette with dark colours dark enough and light ones light enough.

    Parameters
    ----------
    colours : sequence of str
        ``#rrggbb``.
    apart : float
        Distance in luma between the two sorts, of 1.

    Returns
    -------
    tuple of str
        Each once, at least one dark and one light one; dark ones first, each sort from the
        darkest on.
    """
    dark_most, light_least = MIDDLE - apart / 2, MIDDLE + apart / 2
    made = []
    for colour, tone in zip(colours, luma(colours), strict=True):
        value = np.array(rgb(colour), float)
        if dark_most < tone < MIDDLE:  # towards black, until it is dark enough
            value = value * ((dark_most - 0.004) / tone)
        elif MIDDLE <= tone < light_least:  # towards white, until it is light enough
            value = value + (255 - value) * ((light_least + 0.004 - tone) / (1 - tone))
        made.append("#{:02x}{:02x}{:02x}".format(*np.rint(value).astype(int)))
    made = list(dict.fromkeys(made))
    dark = dark_ones(made)
    made += [] if dark.any() else ["#1d2a3a"]
    made += [] if (~dark).any() else ["#f6efdc"]
    return tuple(sorted(made, key=lambda c: (not luma([c])[0] < MIDDLE, luma([c])[0])))


def palette_of(image: np.ndarray, count: int) -> tuple[str, ...]:
    """So many colours of a picture, dark ones and light ones apart.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    count : int
        2 to 32.
    """
    import cv2

    small = cv2.resize(image, (96, 96), interpolation=cv2.INTER_AREA)
    lab = cv2.cvtColor(small, cv2.COLOR_RGB2LAB).reshape(-1, 3).astype(np.float32)
    count = int(np.clip(count, 2, min(32, len(np.unique(lab, axis=0)))))
    cv2.setRNGSeed(1)
    ends = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 0.5)
    _, _, middles = cv2.kmeans(lab, count, None, ends, 3, cv2.KMEANS_PP_CENTERS)
    tones = cv2.cvtColor(np.rint(middles)[None].astype(np.uint8), cv2.COLOR_LAB2RGB)[0]
    found = kept_apart(["#{:02x}{:02x}{:02x}".format(*tone) for tone in tones])
    return found[:32]


@dataclass(frozen=True, eq=False)
class PixelArt:
    """A drawing of whole pixels.

    Attributes
    ----------
    pixels : ndarray of uint8, H × W
        Index of each pixel's colour.
    palette : tuple of str
    module : int
        Pixels a side of a module.
    first : (int, int)
        (x, y) of the first pixel of the code's quiet zone.
    """

    pixels: np.ndarray
    palette: tuple[str, ...]
    module: int
    first: tuple[int, int]

    @property
    def rgb(self) -> np.ndarray:
        """As an image (uint8 H × W × 3 sRGB)."""
        return np.array([rgb(colour) for colour in self.palette], np.uint8)[self.pixels]

    def with_pixels(self, pixels: np.ndarray) -> PixelArt:
        return PixelArt(pixels, self.palette, self.module, self.first)

    def file(self) -> bytes:
        """As an indexed PNG with this palette."""
        from PIL import Image

        image = Image.fromarray(self.pixels, "P")
        image.putpalette([value for colour in self.palette for value in rgb(colour)])
        out = io.BytesIO()
        image.save(out, "PNG", bits=8)
        return out.getvalue()


def indexed(image: np.ndarray, palette: Sequence[str]) -> np.ndarray:
    """Which colour of a palette each pixel has, or is nearest to (uint8 H × W)."""
    colours = np.array([rgb(colour) for colour in palette], np.int32)
    flat = image.reshape(-1, 3).astype(np.int32)
    found, back = np.unique(flat, axis=0, return_inverse=True)
    nearest = ((found[:, None] - colours) ** 2).sum(-1).argmin(1)
    return nearest[back.ravel()].reshape(image.shape[:2]).astype(np.uint8)


def art_of(
    symbol: Symbol,
    palette: Sequence[str],
    module: int = 3,
    around: int = 2,
    image: np.ndarray | None = None,
) -> PixelArt:
    """Pixel art of a code, of a picture where there is one.

    Parameters
    ----------
    symbol : Symbol
    palette : sequence of str
        2 to 32 colours; they are kept apart.
    module : int
        Pixels a side of a module, 1 to 16.
    around : int
        Modules of picture round the quiet zone.
    image : ndarray of uint8, H × W × 3 sRGB, optional
        What it shows; its middle square is used.

    Raises
    ------
    UserError
        Too many pixels, or too many or too few colours.
    """
    if not 2 <= len(palette) <= 32:
        raise UserError(tr("Pixel art has 2 to 32 colours."))
    if not 1 <= module <= 16 or not 0 <= around <= 20:
        raise UserError(tr("A module has 1 to 16 pixels, and 0 to 20 modules go round the code."))
    colours = kept_apart(palette)[:32]
    quiet = tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
    modules = symbol.side + 2 * (quiet + around)
    side = modules * module
    if side > MOST_SIDE:
        raise UserError(
            tr(
                "That makes {side} pixels a side; {most_side} is the most.",
                side=side,
                most_side=MOST_SIDE,
            ),
            tr("Take fewer pixels a module, or a shorter message."),
        )
    first = (around * module, around * module)
    dark, tones = dark_ones(colours), luma(colours)
    blank = np.full((side, side), int(tones.argmax()), np.uint8)
    art = PixelArt(blank, colours, module, first)
    if image is None:
        return art.with_pixels(plain_pixels(art, symbol))
    return art.with_pixels(_pictured(art, symbol, image, dark))


def wanted_of(art: PixelArt, symbol: Symbol) -> np.ndarray:
    """What the code asks of each pixel (int8 H × W): -1 dark, 1 light, 0 nothing."""
    quiet = tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
    grid = np.where(np.pad(symbol.dark, quiet), -1, 1).astype(np.int8)
    fine = grid.repeat(art.module, 0).repeat(art.module, 1)
    wanted = np.zeros(art.pixels.shape, np.int8)
    x, y = art.first
    wanted[y : y + fine.shape[0], x : x + fine.shape[1]] = fine
    return wanted


def plain_pixels(art: PixelArt, symbol: Symbol) -> np.ndarray:
    """The code alone: darkest colour in dark modules, lightest everywhere else."""
    tones = luma(art.palette)
    wanted = wanted_of(art, symbol)
    return np.where(wanted < 0, int(tones.argmin()), int(tones.argmax())).astype(np.uint8)


def _pictured(art: PixelArt, symbol: Symbol, image: np.ndarray, dark: np.ndarray) -> np.ndarray:
    """The picture in the palette's colours, in each module of its own sort."""
    import cv2

    height, width = image.shape[:2]
    edge = min(height, width)
    top, left = (height - edge) // 2, (width - edge) // 2
    side = art.pixels.shape[0]
    square = np.ascontiguousarray(image[top : top + edge, left : left + edge])
    small = cv2.resize(square, (side, side), interpolation=cv2.INTER_AREA)
    lab = cv2.cvtColor(small, cv2.COLOR_RGB2LAB).astype(np.float32)
    own = np.array([[rgb(colour) for colour in art.palette]], np.uint8)
    own = cv2.cvtColor(own, cv2.COLOR_RGB2LAB)[0].astype(np.float32)
    off = ((lab[:, :, None] - own) ** 2).sum(-1)
    wanted = wanted_of(art, symbol)
    if art.module >= FREE_CORNERS:
        wanted = _without_corners(art, symbol, wanted)
    off[(wanted < 0)[..., None] & ~dark] = np.inf
    off[(wanted > 0)[..., None] & dark] = np.inf
    tones = luma(art.palette)
    # The lightest colours of the light sort, and the darkest of the dark one, by rank.
    order = np.argsort(np.argsort(np.where(dark, tones, -tones)))
    count = np.where(dark, dark.sum(), (~dark).sum())
    order = np.where(dark, order - order[dark].min(), order - order[~dark].min())
    # The quiet zone is lighter than most.
    ring = np.zeros(wanted.shape, bool)
    quiet = (tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE) * art.module
    (x, y), inner = art.first, symbol.side * art.module
    ring[y : y + inner + 2 * quiet, x : x + inner + 2 * quiet] = True
    ring[y + quiet : y + quiet + inner, x + quiet : x + quiet + inner] = False
    off[ring[..., None] & (order > np.floor(0.5 * (count - 1)))] = np.inf
    pixels = off.argmin(-1).astype(np.uint8)
    for share in (0.5, 0.25, 0.0):
        weak = _weak(tones[pixels], art, symbol)
        if not weak.any():
            break
        # Readers compare a module with what lies round it: where it hardly differs, it takes
        # clearer colours of its sort.
        fine = np.zeros(pixels.shape, bool)
        large = weak.repeat(art.module, 0).repeat(art.module, 1)
        fine[y : y + large.shape[0], x : x + large.shape[1]] = large
        fine &= wanted != 0
        dull = order > np.floor(share * (count - 1))
        off[fine[..., None] & dull] = np.inf
        pixels = off.argmin(-1).astype(np.uint8)
    return pixels


def _weak(tones: np.ndarray, art: PixelArt, symbol: Symbol) -> np.ndarray:
    """Modules, quiet zone included, that hardly differ from the mean of five by five modules."""
    import cv2

    quiet = tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
    modules = symbol.side + 2 * quiet
    x, y = art.first
    part = tones[y : y + modules * art.module, x : x + modules * art.module]
    grid = part.reshape(modules, art.module, modules, art.module).mean((1, 3))
    around = cv2.blur(grid, (5, 5), borderType=cv2.BORDER_REPLICATE)
    sign = np.where(np.pad(symbol.dark, quiet), -1, 1)
    weak = sign * (grid - around) < LEAST_APART
    inner = np.zeros_like(weak)
    inner[quiet:-quiet, quiet:-quiet] = True
    return weak & inner


def _without_corners(art: PixelArt, symbol: Symbol, wanted: np.ndarray) -> np.ndarray:
    """Single modules ask nothing of their corner pixels; function patterns ask all."""
    from nimble_tile.core.symbol.anatomy import Part

    quiet = tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
    free = np.isin(symbol.anatomy.parts, (Part.DATA, Part.CORRECTION, Part.REMAINDER))
    cell = np.zeros((art.module, art.module), bool)
    cell[[0, 0, -1, -1], [0, -1, 0, -1]] = True
    corners = np.kron(np.pad(free, quiet), cell)
    wanted = wanted.copy()
    x, y = art.first
    part = wanted[y : y + corners.shape[0], x : x + corners.shape[1]]
    part[corners] = 0
    return wanted


# Drawing ---------------------------------------------------------------------------------------


def mirrored(points: np.ndarray, shape: tuple[int, int], mirror: Mirror) -> list[np.ndarray]:
    """Points (x, y) and their mirror images in the middle of a drawing (height, width)."""
    made = [points]
    if mirror in ("across", "both"):
        made += [np.column_stack([shape[1] - 1 - p[:, 0], p[:, 1]]) for p in made]
    if mirror in ("down", "both"):
        made += [np.column_stack([p[:, 0], shape[0] - 1 - p[:, 1]]) for p in made]
    return made


def drawn(
    art: PixelArt,
    symbol: Symbol,
    tool: Tool,
    points: Sequence[tuple[int, int]],
    colour: int,
    mirror: Mirror = "none",
) -> PixelArt:
    """A stroke.

    Parameters
    ----------
    art : PixelArt
    symbol : Symbol
        For what erasing brings back.
    tool : {"pencil", "line", "fill", "erase"}
        A line goes from the first point to the last one; erasing brings the plain code back.
    points : sequence of (int, int)
        (x, y) of the pixels that the pointer went through.
    colour : int
        Index in the palette.
    mirror : {"none", "across", "down", "both"}
        The same on the other side of the middle.
    """
    import cv2

    pixels, shape = art.pixels.copy(), art.pixels.shape
    path = np.array(points, np.int32).reshape(-1, 2)
    for mine in mirrored(path, shape, mirror):
        if tool == "fill":
            x, y = (int(value) for value in mine[-1])
            if 0 <= x < shape[1] and 0 <= y < shape[0]:
                cv2.floodFill(pixels, None, (x, y), int(colour), flags=4)
            continue
        if tool == "line":
            mine = mine[[0, -1]]
        mask = np.zeros(shape, np.uint8)
        ends = np.concatenate([mine[:1], mine])  # a single point is drawn, too
        cv2.polylines(mask, [ends.reshape(-1, 1, 2)], False, 1, 1, cv2.LINE_8)
        if tool == "erase":
            pixels[mask > 0] = plain_pixels(art, symbol)[mask > 0]
        else:
            pixels[mask > 0] = colour
    return art.with_pixels(pixels)


def whole_size(side: int, size: int) -> int:
    """The longer side of a finished image nearest to a wanted one at which every pixel of a
    drawing is a whole number of pixels.

    Parameters
    ----------
    side : int
        Longer side of the drawing.
    size : int
        What is wanted.
    """
    from nimble_tile.core.piece import MAX_SIDE

    factor = max(1, round(size / side))
    return side * min(factor, max(1, MAX_SIDE // side))
