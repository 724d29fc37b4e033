"""Where the code lies: from picture pixels to pixels of the finished image."""

from __future__ import annotations

from dataclasses import dataclass

from nimble_tile.core.errors import PictureError
from nimble_tile.core.piece import MAX_SIDE, Region

SMALLEST_MODULE = 8
"""Pixels that `natural_size` grants each module at least: enough for all
readers on a clean image with room for blur."""

PLAIN_SIZE = 1024
"""About how large a code without a picture is made, in pixels."""


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


def centred_square(size: tuple[int, int]) -> Region:
    """The largest square in the middle of a picture.

    Parameters
    ----------
    size : (int, int)
        Width and height in pixels.
    """
    side = min(size)
    return Region(x=(size[0] - side) / 2, y=(size[1] - side) / 2, width=side, height=side)


def region_on(size: tuple[int, int], region: Region | None) -> Region:
    """The region to use on a picture of this size.

    Raises
    ------
    PictureError
        It reaches beyond the picture.
    """
    if region is None:
        return centred_square(size)
    slack = 0.5  # typed whole numbers may round half a pixel over
    if region.x + region.width > size[0] + slack or region.y + region.height > size[1] + slack:
        raise PictureError(
            f"The code reaches beyond the picture, which has {size[0]} × {size[1]} pixels.",
            "Move it or make it smaller.",
        )
    return region


def dragged(
    region: Region, part: str, by: tuple[float, float], size: tuple[int, int], least: float = 48
) -> Region:
    """The region after one of its parts was dragged; it stays square and on the picture.

    Parameters
    ----------
    region : Region
        Before the gesture.
    part : str
        ``"code"`` for the whole, or a corner: ``"top left"`` …
    by : (float, float)
        How far, in picture pixels.
    size : (int, int)
        Width and height of the picture.
    least : float
        Smallest side that a corner can reach.
    """
    width, height = size
    if part == "code":
        return Region(
            x=round(max(0.0, min(max(0.0, region.x + by[0]), width - region.width))),
            y=round(max(0.0, min(max(0.0, region.y + by[1]), height - region.height))),
            width=region.width,
            height=region.height,
        )
    left, top = "left" in part, "top" in part
    grow = ((-by[0] if left else by[0]) + (-by[1] if top else by[1])) / 2
    # The opposite corner stays where it is.
    fixed_x = region.x + region.width if left else region.x
    fixed_y = region.y + region.height if top else region.y
    room = min(fixed_x if left else width - fixed_x, fixed_y if top else height - fixed_y)
    side = max(1, round(min(room, max(least, region.width + grow))))
    return Region(
        x=max(0.0, fixed_x - side if left else fixed_x),
        y=max(0.0, fixed_y - side if top else fixed_y),
        width=side,
        height=side,
    )


def box_at(size: tuple[int, int], region: Region, output: tuple[int, int]) -> Box:
    """The region on an image of another size, on whole pixels.

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


def output_size(size: tuple[int, int], longer: int) -> tuple[int, int]:
    """Width and height of the finished image whose longer side is given."""
    scale = longer / max(size)
    return max(1, round(size[0] * scale)), max(1, round(size[1] * scale))


def natural_size(size: tuple[int, int] | None, region: Region | None, modules: int) -> int:
    """Longer side, in pixels, that suits a piece for which none was chosen.

    The picture's own size, or more where a module would get fewer than
    `SMALLEST_MODULE` pixels. Without a picture about `PLAIN_SIZE`, a multiple
    of the modules so that every edge is crisp.
    """
    if size is None:
        return modules * max(SMALLEST_MODULE, round(PLAIN_SIZE / modules))
    place = region_on(size, region)
    module = min(place.width, place.height) / modules
    grow = max(1.0, SMALLEST_MODULE / module)
    return min(MAX_SIDE, round(max(size) * grow))
