"""The frame: turning, flipping, tilting, cropping and extending the original."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nimble_tile.core.artwork import Frame
from nimble_tile.core.errors import PictureError
from nimble_tile.core.language import tr
from nimble_tile.core.look import rgb
from nimble_tile.core.picture.placing import output_size

if TYPE_CHECKING:
    from nimble_tile.core.picture.opening import Opened

LEAST_CROP_SIDE = 16
"""Pixels that a crop must leave on each side."""

MOST_EXTENSION = 4.0
"""Times the cropped picture's side that may be added on a side: beyond, an
extension would be nothing but memory."""


def turned_size(size: tuple[int, int], frame: Frame) -> tuple[int, int]:
    """Width and height after the quarter turns."""
    return (size[1], size[0]) if frame.turn in (90, 270) else size


def inner_size(size: tuple[int, int], frame: Frame) -> tuple[int, int]:
    """Width and height after turning and cropping, before any extension.

    Raises
    ------
    PictureError
        The crop leaves too little.
    """
    width, height = turned_size(size, frame)
    left, top, right, bottom = frame.crop
    inner = (width - left - right, height - top - bottom)
    if min(inner) < LEAST_CROP_SIDE:
        raise PictureError(
            tr(
                "The crop leaves less than {least_crop_side} pixels of the picture.",
                least_crop_side=LEAST_CROP_SIDE,
            ),
            tr("Crop less."),
        )
    return inner


def framed_size(size: tuple[int, int], frame: Frame) -> tuple[int, int]:
    """Width and height of the framed picture at the original's resolution.

    Raises
    ------
    PictureError
        The crop leaves too little, or the extension is beyond measure.
    """
    inner = inner_size(size, frame)
    left, top, right, bottom = frame.extend
    if max(left, right) > MOST_EXTENSION * inner[0] or max(top, bottom) > MOST_EXTENSION * inner[1]:
        raise PictureError(tr("The picture is extended to more than four times its size."),
                           tr("Extend it less."))  # fmt: skip
    return inner[0] + left + right, inner[1] + top + bottom


@dataclass(frozen=True)
class FramedSizes:
    """Widths and heights of a picture on its way through the frame to an output.

    Attributes
    ----------
    original : (int, int)
    whole : (int, int)
        The framed picture at the original's resolution.
    extent : (int, int)
        The framed picture on the output.
    inner : (int, int)
        The same before its extension.
    """

    original: tuple[int, int]
    whole: tuple[int, int]
    extent: tuple[int, int]
    inner: tuple[int, int]


def framed_sizes(original: tuple[int, int], frame: Frame, longer: int) -> FramedSizes:
    """All sizes for an output with this longer side; raises as `framed_size`."""
    whole, inner = framed_size(original, frame), inner_size(original, frame)
    extent = output_size(whole, longer)
    own = tuple(max(1, round(extent[i] * inner[i] / whole[i])) for i in (0, 1))
    return FramedSizes(original, whole, extent, own)


def to_frame(size: tuple[int, int], frame: Frame) -> np.ndarray:
    """From points of the original to points of the framed picture.

    Returns
    -------
    ndarray of float64, 2 × 3
        Affine, for (x, y) with outer edges at 0, at the original's resolution.
    """
    width, height = size
    quarter = {
        0: [[1, 0, 0], [0, 1, 0]],
        90: [[0, -1, height], [1, 0, 0]],
        180: [[-1, 0, width], [0, -1, height]],
        270: [[0, 1, 0], [-1, 0, width]],
    }[frame.turn]
    made = np.vstack([quarter, [0, 0, 1]]).astype(float)
    width, height = turned_size(size, frame)
    if frame.flip:
        made = np.array([[-1, 0, width], [0, 1, 0], [0, 0, 1.0]]) @ made
    made = np.vstack([tilt_matrix((width, height), frame.tilt), [0, 0, 1]]) @ made
    left, top = frame.extend[0] - frame.crop[0], frame.extend[1] - frame.crop[1]
    return (np.array([[1, 0, left], [0, 1, top], [0, 0, 1.0]]) @ made)[:2]


def tilt_matrix(size: tuple[float, float], degrees: float) -> np.ndarray:
    """Turn about the middle, enlarged so that every corner stays filled (2 × 3)."""
    width, height = size
    turn = math.radians(degrees)
    sine, cosine = abs(math.sin(turn)), abs(math.cos(turn))
    # The smallest enlargement whose turned rectangle covers the upright one.
    scale = cosine + sine * max(width / height, height / width)
    linear = scale * np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    middle = np.array([width / 2, height / 2])
    return np.hstack([linear, (middle - linear @ middle)[:, None]])


def between(size: tuple[int, int], before: Frame, after: Frame) -> np.ndarray:
    """From points of one frame of a picture to points of another (2 × 3)."""
    first = np.vstack([to_frame(size, before), [0, 0, 1]])
    second = np.vstack([to_frame(size, after), [0, 0, 1]])
    return (second @ np.linalg.inv(first))[:2]


def inner_framed(image: np.ndarray, frame: Frame, extent: tuple[int, int]) -> np.ndarray:
    """Turned, flipped, tilted and cropped, at a size.

    Parameters
    ----------
    image : ndarray of uint8, H × W or H × W × C
        The original or a mask of the same proportions.
    frame : Frame
    extent : (int, int)
        Width and height of the result.

    Returns
    -------
    ndarray of uint8
        A view of the original where nothing has to be computed.
    """
    import cv2

    turned = np.rot90(image, -(frame.turn // 90)) if frame.turn else image
    if frame.flip:
        turned = turned[:, ::-1]
    height, width = turned.shape[:2]
    left, top, right, bottom = frame.crop
    if not frame.tilt:
        turned = turned[top : height - bottom, left : width - right]
        return resized(turned, extent)
    scale = (extent[0] / (width - left - right), extent[1] / (height - top - bottom))
    small = resized(turned, (max(1, round(width * scale[0])), max(1, round(height * scale[1]))))
    matrix = tilt_matrix((small.shape[1], small.shape[0]), frame.tilt)
    matrix[:, 2] -= (left * scale[0], top * scale[1])
    return cv2.warpAffine(
        small, centred_on_pixels(matrix), extent, flags=cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REFLECT_101,
    )  # fmt: skip


def cut(
    opened: Opened, frame: Frame, extent: tuple[int, int], crisp: bool = False
) -> tuple[np.ndarray, np.ndarray | None]:
    """An opened picture turned and cropped, with its alpha; see `inner_framed`.

    `crisp`: its pixels stay squares, whatever the size.
    """
    if crisp:
        enlarged = [None if part is None else squares(part, frame, extent)
                    for part in (opened.rgb, opened.alpha)]  # fmt: skip
        return with_alpha(*enlarged, _grown(frame, enlarged[0], opened.rgb), extent)
    return with_alpha(opened.rgb, opened.alpha, frame, extent)


def squares(image: np.ndarray, frame: Frame, extent: tuple[int, int]) -> np.ndarray:
    """An image with each pixel as a square of so many pixels that it shrinks to `extent`, if
    anything: at whole factors nothing is resampled then."""
    left, top, right, bottom = frame.crop
    height, width = image.shape[:2]
    if frame.turn % 180:
        height, width = width, height
    across = extent[0] / max(1, width - left - right)
    down = extent[1] / max(1, height - top - bottom)
    factor = max(1, math.ceil(max(across, down) - 1e-6))
    return image.repeat(factor, 0).repeat(factor, 1)


def _grown(frame: Frame, enlarged: np.ndarray, image: np.ndarray) -> Frame:
    """The frame of an image that was enlarged."""
    factor = enlarged.shape[0] // image.shape[0]
    return frame.model_copy(update={"crop": tuple(factor * side for side in frame.crop)})


def with_alpha(
    image: np.ndarray, alpha: np.ndarray | None, frame: Frame, extent: tuple[int, int]
) -> tuple[np.ndarray, np.ndarray | None]:
    """`inner_framed` for an image with straight alpha; colours do not bleed at its edges."""
    import cv2

    if alpha is None:
        return inner_framed(image, frame, extent), None
    cover = inner_framed(alpha, frame, extent)
    if cover.shape == alpha.shape and not frame.tilt:
        return inner_framed(image, frame, extent), cover
    inked = cv2.multiply(image, cv2.merge([alpha] * 3), scale=1 / 255)
    inked = inner_framed(inked, frame, extent)
    return cv2.divide(inked, cv2.merge([np.maximum(cover, 1)] * 3), scale=255), cover


def mask_on(
    mask: np.ndarray,
    size: tuple[int, int],
    frame: Frame,
    extent: tuple[int, int],
    inner: bool = False,
) -> np.ndarray:
    """A mask of the original where it lies on the framed picture.

    Parameters
    ----------
    mask : ndarray of uint8, h × w
    size : (int, int)
        Width and height of the original.
    frame : Frame
    extent : (int, int)
        Width and height of the result.
    inner : bool
        The result is the picture before its extension.
    """
    import cv2

    if inner:
        frame = frame.model_copy(update={"extend": (0, 0, 0, 0)})
    outer = framed_size(size, frame)
    whole = np.vstack([to_frame(size, frame), [0, 0, 1]])
    before = np.diag([size[0] / mask.shape[1], size[1] / mask.shape[0], 1])
    after = np.diag([extent[0] / outer[0], extent[1] / outer[1], 1])
    matrix = centred_on_pixels((after @ whole @ before)[:2])
    return cv2.warpAffine(mask, matrix, extent, flags=cv2.INTER_LINEAR)


def centred_on_pixels(matrix: np.ndarray) -> np.ndarray:
    """An affine or projective matrix for OpenCV, which counts from the middle of pixels."""
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    whole = matrix if matrix.shape[0] == 3 else np.vstack([matrix, [0, 0, 1]])
    return (np.linalg.inv(shift) @ whole @ shift)[: matrix.shape[0]]


def extended(image: np.ndarray, frame: Frame, extent: tuple[int, int]) -> np.ndarray:
    """The inner picture with what is added round it.

    Parameters
    ----------
    image : ndarray of uint8, h × w × 3, or h × w for an alpha channel
        The inner picture at the size that `sides` gives for `extent`.
    frame : Frame
    extent : (int, int)
        Width and height of the result.
    """
    import cv2

    if not any(frame.extend):
        return image
    left, top = sides(image, frame, extent)
    right, bottom = extent[0] - image.shape[1] - left, extent[1] - image.shape[0] - top
    if frame.edge == "colour":
        colour = rgb(frame.colour)
        if image.ndim == 2:  # what is added is opaque
            colour = (255,)
        return cv2.copyMakeBorder(
            image, top, bottom, left, right, cv2.BORDER_CONSTANT, value=colour
        )
    return cv2.copyMakeBorder(image, top, bottom, left, right, cv2.BORDER_REFLECT_101)


def sides(image: np.ndarray, frame: Frame, extent: tuple[int, int]) -> tuple[int, int]:
    """Pixels to add on the left and at the top, for an inner picture of this size."""
    spare = extent[0] - image.shape[1], extent[1] - image.shape[0]
    left, top, right, bottom = frame.extend
    return (
        round(spare[0] * left / max(1, left + right)),
        round(spare[1] * top / max(1, top + bottom)),
    )


def resized(image: np.ndarray, extent: tuple[int, int]) -> np.ndarray:
    """An image at another size: area averages when it shrinks, cubic when it grows."""
    import cv2

    if (image.shape[1], image.shape[0]) == extent:
        return image
    shrinks = extent[0] < image.shape[1]
    image = np.ascontiguousarray(image)
    return cv2.resize(image, extent, interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC)
