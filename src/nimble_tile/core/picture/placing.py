"""Where the code lies: from picture pixels to pixels of the finished image.

Points are (x, y) with the outer edge of the first pixel at 0. Corners go top
left, top right, bottom right, bottom left, as they are named while the code
stands upright.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nimble_tile.core.errors import PictureError
from nimble_tile.core.language import marked, tr
from nimble_tile.core.piece import MAX_SIDE, Region

if TYPE_CHECKING:
    import numpy as np

# numpy is loaded where it is used: the window opens before it is needed.

SMALLEST_MODULE = 8
"""Pixels that `natural_size` grants each module at least: enough for all
readers on a clean image with room for blur."""

PLAIN_SIZE = 1024
"""About how large a code without a picture is made, in pixels."""

LEAST_PLACE = 8
"""Pixels of the picture that a code takes at least: below, nothing of the picture is left."""

PLACE_SLACK = 0.5
"""Pixels that a place may reach beyond the picture: typed whole numbers round."""

CORNERS = (
    marked("top left"), marked("top right"), marked("bottom right"), marked("bottom left"),
)  # fmt: skip

LEAST_ANGLE = 12.0
"""Degrees that each corner of a quad keeps from flat and from folded: beyond,
modules at one side are too thin for any reader."""

LEAST_EDGE = 0.12
"""Shortest edge of a quad in parts of the longest."""

NATURAL = 0
"""Stands for the longer side that `natural_size` gives."""

UNIT = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))


@dataclass(frozen=True)
class Box:
    """Whole pixels of an image: left, top, width, height."""

    x: int
    y: int
    width: int
    height: int

    @property
    def slices(self) -> tuple[slice, slice]:
        """For indexing an array (rows, columns)."""
        return slice(self.y, self.y + self.height), slice(self.x, self.x + self.width)

    def matrix(self, units: float) -> np.ndarray:
        """From a square of so many units a side to the box's pixels (float64 3 × 3)."""
        import numpy as np

        return np.array(
            [[self.width / units, 0, self.x], [0, self.height / units, self.y], [0, 0, 1.0]]
        )


def centred_square(size: tuple[int, int]) -> Region:
    """The largest square in the middle of a picture.

    Parameters
    ----------
    size : (int, int)
        Width and height in pixels.
    """
    side = min(size)
    return Region(x=(size[0] - side) / 2, y=(size[1] - side) / 2, width=side, height=side)


def corners(region: Region) -> np.ndarray:
    """The four corners of a place (float64 4 × 2, pixels of the framed picture)."""
    import numpy as np

    shape = np.array(UNIT)
    if region.bend is not None:
        shape = shape + np.array(region.bend)
    extent = np.array([region.width, region.height])
    middle = np.array([region.x, region.y]) + extent / 2
    turn = math.radians(region.angle)
    matrix = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    return (shape - 0.5) * extent @ matrix.T + middle


def possible(quad: np.ndarray) -> bool:
    """Whether a code can be seen on a quad: convex, not mirrored, not nearly folded.

    Parameters
    ----------
    quad : ndarray, 4 × 2
    """
    import numpy as np

    edges = np.roll(quad, -1, axis=0) - quad
    lengths = np.hypot(*edges.T)
    if not np.isfinite(quad).all() or lengths.min() < LEAST_EDGE * lengths.max():
        return False
    before = np.roll(edges, 1, axis=0)
    cross = before[:, 0] * edges[:, 1] - before[:, 1] * edges[:, 0]
    sine = cross / np.maximum(lengths * np.roll(lengths, 1), 1e-12)
    # All turns to the right: no crossing, no fold, not seen from behind.
    return bool((sine > math.sin(math.radians(LEAST_ANGLE))).all())


def inside(region: Region, size: tuple[int, int], slack: float = PLACE_SLACK) -> bool:
    """Whether a place lies on a picture of this width and height."""
    if region.upright:
        reach = region.x + region.width, region.y + region.height
        return min(region.x, region.y) >= -slack and all(
            reach[i] <= size[i] + slack for i in (0, 1)
        )
    quad = corners(region)
    return bool((quad >= -slack).all() and (quad.max(0) <= [side + slack for side in size]).all())


def region_on(size: tuple[int, int], region: Region | None) -> Region:
    """The region to use on a picture of this size.

    Raises
    ------
    PictureError
        It reaches beyond the picture, or its corners are crossed or folded.
    """
    if region is None:
        return centred_square(size)
    if min(region.width, region.height) < LEAST_PLACE:
        raise PictureError(
            tr(
                "The place of the code is smaller than {least_place} pixels of the picture.",
                least_place=LEAST_PLACE,
            ),
            tr("Make it larger."),
        )
    if not region.upright and not possible(corners(region)):
        raise PictureError(
            tr("The corners of the code are crossed or folded."), tr("Set the corners back.")
        )
    if not inside(region, size):
        raise PictureError(
            tr(
                "The code reaches beyond the picture, which has {size} × {size2} pixels.",
                size=size[0],
                size2=size[1],
            ),
            tr("Move it or make it smaller."),
        )
    return region


def whole(region: Region, size: tuple[int, int], modules: int, output: tuple[int, int]) -> Region:
    """The place at which every module is a whole number of pixels of the finished image.

    Parameters
    ----------
    region : Region
    size, output : (int, int)
        Width and height of the picture and of the finished image.
    modules : int
        Modules along the code, quiet zone included.

    Returns
    -------
    Region
        The same place if it does not stand upright or is no square.
    """
    square = abs(region.width - region.height) < 0.01 * region.width
    if not region.upright or not square:
        return region
    scale = output[0] / size[0]
    most = int(min(size[0] * scale, size[1] * scale) / modules)
    module = max(1, min(most, round(region.width * scale / modules)))
    side = module * modules
    x, y = (
        min(max(0, round((at + (region.width - side / scale) / 2) * scale)), whole_side - side)
        for at, whole_side in ((region.x, output[0]), (region.y, output[1]))
    )
    if x < 0 or y < 0:
        return region
    return Region(x=x / scale, y=y / scale, width=side / scale, height=side / scale)


def box_at(size: tuple[int, int], region: Region, output: tuple[int, int]) -> Box:
    """An upright region on an image of another size, on whole pixels.

    Parameters
    ----------
    size : (int, int)
        Width and height of the picture that the region is measured on.
    region : Region
    output : (int, int)
        Width and height of the finished image.
    """
    across, down = output[0] / size[0], output[1] / size[1]
    width = max(1, round(region.width * across))
    height = max(1, round(region.height * down))
    if abs(region.width - region.height) < 0.01 * region.width:
        width = height = min(width, height, *output)
    x = min(max(0, round(region.x * across)), output[0] - width)
    y = min(max(0, round(region.y * down)), output[1] - height)
    return Box(x, y, width, height)


def quad_at(size: tuple[int, int], region: Region, output: tuple[int, int]) -> np.ndarray:
    """The corners of a region on an image of another size (float64 4 × 2)."""
    import numpy as np

    scale = np.array([output[0] / size[0], output[1] / size[1]])
    return np.clip(corners(region) * scale, 0, output)


def bounds(quad: np.ndarray, output: tuple[int, int]) -> Box:
    """The whole pixels of an image that a quad touches."""
    import numpy as np

    low = np.floor(quad.min(0) + 1e-6).astype(int)
    high = np.ceil(quad.max(0) - 1e-6).astype(int)
    left, top = (int(v) for v in np.clip(low, 0, np.array(output) - 1))
    right, bottom = (int(v) for v in np.clip(high, 1, output))
    return Box(left, top, max(1, right - left), max(1, bottom - top))


@dataclass(frozen=True, eq=False)
class Spot:
    """Where a code lies on a picture and on an output made of it.

    Attributes
    ----------
    region : Region
        The place on the framed picture as it is used.
    box : Box
        The same on the output, on whole pixels; what it touches where it does not stand
        upright.
    quad : ndarray of float64, 4 × 2, or None
        Its corners on the output; None where it stands upright.
    """

    region: Region
    box: Box
    quad: np.ndarray | None

    @property
    def corners(self) -> np.ndarray:
        """Its corners on the output (4 × 2), clockwise from the top left."""
        import numpy as np

        if self.quad is not None:
            return self.quad
        box = self.box
        return np.array([[box.x, box.y], [box.x + box.width, box.y],
                         [box.x + box.width, box.y + box.height],
                         [box.x, box.y + box.height]], float)  # fmt: skip


def spot(
    size: tuple[int, int],
    region: Region | None,
    extent: tuple[int, int],
    modules: int,
    longer: int | None = None,
) -> Spot:
    """Where a code lies.

    Parameters
    ----------
    size : (int, int)
        Width and height of the framed picture.
    region : Region or None
        The place on it; None: the centred square.
    extent : (int, int)
        Width and height of the output.
    modules : int
        Modules along the code, quiet zone included.
    longer : int or None
        The place is moved so that each module has whole pixels on a finished image of this
        longer side (`NATURAL`: of its natural size); None: it stays.

    Raises
    ------
    PictureError
        As `region_on`.
    """
    region = region_on(size, region)
    if longer is not None:
        longer = longer if longer != NATURAL else natural_size(size, region, modules)
        region = whole(region, size, modules, output_size(size, longer))
    if region.upright:
        return Spot(region, box_at(size, region, extent), None)
    quad = quad_at(size, region, extent)
    return Spot(region, bounds(quad, extent), quad)


def output_size(size: tuple[int, int], longer: int) -> tuple[int, int]:
    """Width and height of the finished image whose longer side is given."""
    scale = longer / max(size)
    return max(1, round(size[0] * scale)), max(1, round(size[1] * scale))


def side_of(region: Region) -> float:
    """Side of the code as people would measure it: its mean edge, or its shorter one."""
    if region.bend is None:
        return min(region.width, region.height)
    import numpy as np

    quad = corners(region)
    return float(np.hypot(*(np.roll(quad, -1, axis=0) - quad).T).mean())


def natural_size(size: tuple[int, int] | None, region: Region | None, modules: int) -> int:
    """Longer side, in pixels, that suits a piece for which none was chosen.

    The picture's own size, or more where a module would get fewer than
    `SMALLEST_MODULE` pixels. Without a picture about `PLAIN_SIZE`, a multiple
    of the modules so that every edge is crisp.
    """
    if size is None:
        return modules * max(SMALLEST_MODULE, round(PLAIN_SIZE / modules))
    module = side_of(region_on(size, region)) / modules
    grow = max(1.0, SMALLEST_MODULE / module)
    return min(MAX_SIDE, round(max(size) * grow))
