"""Matter: what a weave is made of, cut into patches that can be looked up by their tones.

The matter is looked at with `CELLS` pixels a module, as it is and smaller, in four turns and
mirrored; all that stands beside each other on one sheet, so that a patch is a place on it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

CELLS = 8
"""Pixels a module at which a weave is thought out."""

MATERIAL_MODULE = 24.0
"""Pixels of a module on the materials that ship."""

SCALES = (1.0, 0.62)
"""Sizes at which the matter is used."""

MOST_PIXELS = (420_000, 160_000)
"""Pixels of the matter, at `CELLS` a module, that are used at each size: beyond, a part about
the middle of what is asked for."""

LEAST_SIDE = 4
"""Shorter side, in modules, of matter that can be used."""

GRID = 5
"""Points along a patch's side at which its tones are compared."""

AXES = 12
"""Numbers that a patch is looked up by: the axes along which patches differ most."""

MOST_PATCHES = 60_000
"""Patches of one size in the index."""

MEAN_WEIGHT, COLOUR_WEIGHT = 0.6, 1.1
"""How much a patch's mean tone and its colours count beside its pattern of tones."""


def planes(image: np.ndarray) -> np.ndarray:
    """Luma and two differences of colour (float32 H × W × 3) of sRGB (uint8): R − Y and B − Y.

    All in steps of 255; luma as readers compute it (ITU-R BT.601).
    """
    rgb = image.astype(np.float32)
    luma = rgb @ np.array([0.299, 0.587, 0.114], np.float32)
    return np.dstack([luma, rgb[..., 0] - luma, rgb[..., 2] - luma])


def in_rgb(planes: np.ndarray) -> np.ndarray:
    """A difference of `planes` as one of red, green and blue."""
    luma, red, blue = (planes[..., k] for k in range(3))
    green = -(0.299 * red + 0.114 * blue) / 0.587
    return np.stack([luma + red, luma + green, luma + blue], -1).astype(np.float32)


def material(name: str) -> Source:
    """A material that ships."""
    from importlib.resources import files

    from nimble_tile.core.picture.opening import open_picture

    data = files("nimble_tile.assets").joinpath(f"materials/{name}.jpg").read_bytes()
    return Source(open_picture(data, name).rgb, MATERIAL_MODULE)


@dataclass(frozen=True)
class Way:
    """One of the ways in which the matter stands on the sheet.

    Attributes
    ----------
    scale : int
        Index in `SCALES`.
    turns : int
        Quarter turns, against the clock.
    mirrored : bool
        Mirrored left to right before it was turned.
    top : int
        First row on the sheet.
    shape : (int, int)
        Rows and columns, in cells.
    """

    scale: int
    turns: int
    mirrored: bool
    top: int
    shape: tuple[int, int]


def stood(image: np.ndarray, way: Way) -> np.ndarray:
    """An image turned and mirrored (a view)."""
    return np.rot90(image[:, ::-1] if way.mirrored else image, way.turns)


@dataclass(frozen=True, eq=False)
class Source:
    """An image that is woven of, in one resolution.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    module : float
        Pixels of a module on it.
    middle : (float, float)
        Place (x, y), in parts of the image, about which it is used where it is large.
    """

    image: np.ndarray
    module: float
    middle: tuple[float, float] = (0.5, 0.5)

    @cached_property
    def parts(self) -> list[np.ndarray]:
        """What of it is used, at each of `SCALES`."""
        import cv2

        found = []
        for scale, most in zip(SCALES, MOST_PIXELS, strict=True):
            image = self.image
            if scale != 1:
                size = tuple(max(1, round(side * scale)) for side in image.shape[1::-1])
                image = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
            found.append(_about(image, self.middle, most * (self.module / CELLS) ** 2))
        return found


class Matter:
    """Patches of an image.

    Parameters
    ----------
    source : Source
        In the resolution in which it is thought about; it may be woven of in another one.

    Attributes
    ----------
    sheet : ndarray of float16, rows × columns × 3
        See `planes`; finer than 8 bits, and half as large as what it is computed with.
    ways : list of Way
    """

    def __init__(self, source: Source) -> None:
        import cv2

        sheets = []
        self.ways: list[Way] = []
        top = 0
        for index, part in enumerate(source.parts):
            rows, columns = (max(1, round(s * CELLS / source.module)) for s in part.shape[:2])
            if min(rows, columns) < LEAST_SIDE * CELLS:
                continue
            small = planes(cv2.resize(part, (columns, rows), interpolation=cv2.INTER_AREA))
            for mirrored in (False, True):
                for turns in range(4):
                    one = stood(small, Way(index, turns, mirrored, top, (rows, columns)))
                    self.ways.append(Way(index, turns, mirrored, top, one.shape[:2]))
                    sheets.append(one)
                    top += one.shape[0]
        width = max((one.shape[1] for one in sheets), default=0)
        self.sheet = np.zeros((top, width, 3), np.float16)
        for way, one in zip(self.ways, sheets, strict=True):
            self.sheet[way.top : way.top + one.shape[0], : one.shape[1]] = one
        self._indexes: dict[int, _Index] = {}

    def index(self, side: int) -> _Index:
        """The patches of so many cells a side."""
        if side not in self._indexes:
            self._indexes[side] = _Index(self, side)
        return self._indexes[side]

    def averaged(self, part: int) -> np.ndarray:
        """The sheet, averaged at each cell over the part of so many cells a side that begins
        there; where this reaches beyond an image, no patch lies.

        Returns
        -------
        ndarray of float16, as `sheet`
        """
        if part == 1:
            return self.sheet
        found = np.empty_like(self.sheet)
        for way in self.ways:
            rows = slice(way.top, way.top + way.shape[0])
            found[rows] = averaged(self.sheet[rows].astype(np.float32), part)
        return found

    def valid(self, rows: np.ndarray, columns: np.ndarray, side: int) -> np.ndarray:
        """Whether patches at these places of the sheet lie within one image."""
        tops = np.array([way.top for way in self.ways])
        rows, columns = np.asarray(rows), np.asarray(columns)
        number = np.clip(np.searchsorted(tops, rows, "right") - 1, 0, len(tops) - 1)
        heights, widths = np.array([way.shape for way in self.ways]).T
        return (
            (rows >= 0) & (columns >= 0)
            & (rows + side <= tops[number] + heights[number])
            & (columns + side <= widths[number])
        )  # fmt: skip


def averaged(field: np.ndarray, part: int) -> np.ndarray:
    """A field averaged, at each cell, over the part of so many cells a side that begins there."""
    import cv2

    if part == 1:
        return field
    return cv2.blur(field, (part, part), anchor=(0, 0), borderType=cv2.BORDER_REFLECT)


def _about(image: np.ndarray, middle: tuple[float, float], most: float) -> np.ndarray:
    """A part of an image that has so many pixels at most, about a place on it."""
    height, width = image.shape[:2]
    if height * width <= most:
        return image
    side = max(1, int(np.sqrt(most)))
    rows = min(height, max(side, int(most / width)))
    columns = min(width, max(1, int(most / rows)))
    top = int(np.clip(middle[1] * height - rows / 2, 0, height - rows))
    left = int(np.clip(middle[0] * width - columns / 2, 0, width - columns))
    return image[top : top + rows, left : left + columns]


class _Index:
    """Patches of one size by their tones."""

    def __init__(self, matter: Matter, side: int) -> None:
        from scipy.spatial import cKDTree

        extents = [tuple(max(0, extent - side + 1) for extent in way.shape) for way in matter.ways]
        ends = np.cumsum([rows * columns for rows, columns in extents], dtype=int)
        every = int(ends[-1]) if len(ends) else 0
        step = max(1, -(-every // MOST_PATCHES))
        # A step that shares no factor with the width, so that no columns are left out.
        chosen = np.arange(0, every, step + 1 - step % 2 if step > 1 else 1)
        way = np.searchsorted(ends, chosen, "right")
        width = np.array([columns for _, columns in extents], int)[way]
        top = np.array([way.top for way in matter.ways], int)[way]
        within = chosen - (ends[way] - np.array([r * c for r, c in extents], int)[way])
        down, right = np.divmod(within, width)
        self.places = np.stack([top + down, right], 1).astype(np.int32)
        self.side = side
        parts = [self._described(matter, index, way == index) for index in range(len(extents))]
        found = np.concatenate(parts) if parts else np.zeros((0, 1), np.float32)
        self.origin = found.mean(0) if len(found) else np.zeros(found.shape[1], np.float32)
        centred = found - self.origin
        _, vectors = np.linalg.eigh(centred.T @ centred)
        self.axes = np.ascontiguousarray(vectors[:, ::-1][:, :AXES])
        self.tree = cKDTree(centred @ self.axes, leafsize=24)

    def _described(self, matter: Matter, index: int, own: np.ndarray) -> np.ndarray:
        """What tells its places on one of the images apart, which are looked at one by one: all
        at once take four times the sheet's memory."""
        stands = matter.ways[index]
        top = max(0, stands.top - self.side)
        part = matter.sheet[top : stands.top + stands.shape[0] + self.side].astype(np.float32)
        rows, columns = self.places[own].T
        return described(part, self.side)(rows - top, columns)

    def near(self, wanted: np.ndarray, count: int) -> np.ndarray:
        """The places (M × count × 2) of the patches nearest to some descriptions (M × D)."""
        count = min(count, len(self.places))
        _, found = self.tree.query((wanted - self.origin) @ self.axes, count, eps=0.6, workers=2)
        return self.places[np.asarray(found).reshape(len(wanted), count)]


def described(sheet: np.ndarray, side: int):
    """How patches of a sheet are described: a function of the places of their first corners
    that gives one row each: pattern of tones, mean tone, colours in four quarters."""
    import cv2

    # Means over the parts of a patch, by their middles.
    part = side / GRID
    tone = cv2.blur(sheet[..., 0], (max(1, round(part)),) * 2, borderType=cv2.BORDER_REFLECT)
    half = max(1, round(side / 2))
    colour = cv2.blur(sheet[..., 1:], (half, half), borderType=cv2.BORDER_REFLECT)
    at = np.floor((np.arange(GRID) + 0.5) * part).astype(int)
    corners = (side // 4, side - 1 - side // 4)

    def rows(down: np.ndarray, right: np.ndarray) -> np.ndarray:
        pattern = tone[down[:, None, None] + at[:, None], right[:, None, None] + at]
        pattern = pattern.reshape(len(down), -1)
        mean = pattern.mean(1, keepdims=True)
        colours = [colour[down + y, right + x] for y in corners for x in corners]
        return np.concatenate(
            [pattern - mean, mean * np.float32(MEAN_WEIGHT * GRID),
             np.concatenate(colours, 1) * np.float32(COLOUR_WEIGHT * GRID / 2)], 1
        )  # fmt: skip

    return rows
