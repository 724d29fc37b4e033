"""Painting items with skia: on pixels, in any perspective, or on the page of a PDF."""

from __future__ import annotations

import math
import weakref
from collections.abc import Callable, Iterable, Sequence
from weakref import WeakKeyDictionary

import numpy as np
import skia

from nimble_tile.core.channels import alpha_of, colours_of
from nimble_tile.core.laid.items import Item, Shape, Stamp
from nimble_tile.core.symbol.looks.paint import to_skia
from nimble_tile.core.symbol.looks.paths import Path

FADE_BLUR = 0.42
"""Standard deviation of a blur in parts of the width over which an edge fades."""

LARGEST_STAMP = 4096
"""Pixels of a stamp's longer side that are drawn at most."""

_known: WeakKeyDictionary[Path, skia.Path] = WeakKeyDictionary()


def _path(path: Path) -> skia.Path:
    made = _known.get(path)
    if made is None:
        made = _known[path] = to_skia(path)
    return made


def _colour(text: str, opacity: float) -> int:
    return round(255 * opacity) << 24 | int(text[1:], 16)


def _shape(canvas: skia.Canvas, item: Shape) -> None:
    path = _path(item.path)
    paint = skia.Paint(AntiAlias=True)
    if item.colour is not None:
        paint.setColor(_colour(item.colour, item.opacity))
        if item.soft > 0:
            sigma = item.soft * FADE_BLUR
            paint.setMaskFilter(skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, sigma))
        canvas.drawPath(path, paint)
    if item.stroke > 0:
        paint = skia.Paint(AntiAlias=True, Color=_colour(item.stroke_colour, item.opacity))
        paint.setStyle(skia.Paint.kStroke_Style)
        paint.setStrokeWidth(item.stroke)
        paint.setStrokeJoin(skia.Paint.kRound_Join)
        if item.dash is not None or item.round_ends:
            paint.setStrokeCap(skia.Paint.kRound_Cap)
        if item.dash is not None:
            paint.setPathEffect(skia.DashPathEffect.Make(list(item.dash), 0))
        canvas.drawPath(path, paint)


_reduced: dict[int, tuple[weakref.ref, dict[int, np.ndarray]]] = {}

STAMP_RATIO = 2**0.5
"""Ratio of the sizes at which a stamp is kept: what lies between is scaled by skia."""


def smaller(rgba: np.ndarray, longer: float) -> np.ndarray:
    """A picture averaged down to at least this longer side, though not much more; never enlarged.

    Remembered for as long as the picture itself lives.

    Parameters
    ----------
    rgba : ndarray of uint8, H × W × 4
        Straight alpha.
    longer : float
        Pixels.
    """
    have = max(rgba.shape[:2])
    rung = math.floor(math.log(max(have / max(longer, 1), 1)) / math.log(STAMP_RATIO))
    if rung <= 0:
        return rgba
    key = id(rgba)
    known = _reduced.get(key)
    if known is None or known[0]() is not rgba:
        known = _reduced[key] = (weakref.ref(rgba, lambda _: _reduced.pop(key, None)), {})
    if rung not in known[1]:
        known[1][rung] = _averaged(rgba, STAMP_RATIO**-rung)
    return known[1][rung]


def _averaged(rgba: np.ndarray, scale: float) -> np.ndarray:
    import cv2

    size = tuple(max(1, round(side * scale)) for side in (rgba.shape[1], rgba.shape[0]))
    alpha = alpha_of(rgba)
    inked = cv2.multiply(colours_of(rgba), cv2.merge([alpha] * 3), scale=1 / 255)
    inked = cv2.resize(inked, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    alpha = cv2.resize(alpha, size, interpolation=cv2.INTER_AREA)
    straight = inked * 255 / np.maximum(alpha, 1)[..., None]
    return np.dstack([np.clip(np.rint(straight), 0, 255).astype(np.uint8), alpha])


def _stamp(canvas: skia.Canvas, item: Stamp, scale: float) -> None:
    wanted = min(LARGEST_STAMP, max(item.width, item.height) * scale * 1.25 + 1)
    pixels = np.ascontiguousarray(smaller(item.rgba, wanted))
    image = skia.Image.fromarray(
        pixels, colorType=skia.kRGBA_8888_ColorType, alphaType=skia.kUnpremul_AlphaType, copy=True
    )
    canvas.save()
    canvas.translate(*item.middle)
    canvas.rotate(item.angle)
    place = skia.Rect.MakeXYWH(-item.width / 2, -item.height / 2, item.width, item.height)
    smooth = skia.SamplingOptions(skia.FilterMode.kLinear, skia.MipmapMode.kLinear)
    canvas.drawImageRect(image, place, smooth, skia.Paint(Alphaf=item.opacity, AntiAlias=True))
    canvas.restore()


SOFT_PIXELS = 24
"""Pixels a module at which a soft shape is rasterised where the format cannot blur."""


def as_stamp(item: Shape) -> Stamp:
    """A soft shape as a picture: pages of a PDF know no blur."""
    left, top, right, bottom = item.bounds
    more = item.soft
    left, top, right, bottom = left - more, top - more, right + more, bottom + more
    scale = min(SOFT_PIXELS, LARGEST_STAMP / max(right - left, bottom - top))
    size = max(1, math.ceil((right - left) * scale)), max(1, math.ceil((bottom - top) * scale))
    empty = np.zeros((size[1], size[0], 4), np.uint8)
    matrix = np.array([[scale, 0, -left * scale], [0, scale, -top * scale], [0, 0, 1.0]])
    width, height = size[0] / scale, size[1] / scale
    middle = left + width / 2, top + height / 2
    return Stamp(
        item.role, item.owner, painted(empty, [item], matrix, scale), middle, width, height
    )


def paint_items(
    canvas: skia.Canvas, items: Iterable[Item], scale: float, page: bool = False
) -> None:
    """Paint items in module units on a canvas that is set up for them.

    Parameters
    ----------
    canvas : skia.Canvas
    items : iterable of Item
    scale : float
        About how many pixels a module has.
    page : bool
        Whether it is the page of a PDF.
    """
    for item in items:
        if page and isinstance(item, Shape) and item.soft > 0 and item.colour is not None:
            _stamp(canvas, as_stamp(item), SOFT_PIXELS)
        elif page and isinstance(item, Stamp) and item.shapes:
            for shape in item.shapes:
                _shape(canvas, shape)
        elif isinstance(item, Shape):
            _shape(canvas, item)
        else:
            _stamp(canvas, item, scale)


def _reach(items: Sequence[Item], matrix: np.ndarray, size: tuple[int, int]) -> tuple:
    """Whole pixels that items can touch on an image of this width and height, or ()."""
    points = []
    for item in items:
        left, top, right, bottom = item.bounds
        points += [(left, top, 1), (right, top, 1), (right, bottom, 1), (left, bottom, 1)]
    if not points:
        return ()
    spread = np.array(points, float) @ matrix.T
    if (spread[:, 2] <= 1e-9).any():
        return 0, 0, *size  # beyond the horizon of a steep perspective
    spread = spread[:, :2] / spread[:, 2:]
    low = np.maximum(np.floor(spread.min(0)).astype(int) - 2, 0)
    high = np.minimum(np.ceil(spread.max(0)).astype(int) + 2, size)
    return (*low, *high) if (high > low).all() else ()


def painted(
    image: np.ndarray, items: Sequence[Item], matrix: np.ndarray, scale: float
) -> np.ndarray:
    """An image with items on it.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 or H × W × 4 (straight alpha)
        Stays as it is.
    items : sequence of Item
    matrix : ndarray of float64, 3 × 3
        From modules to pixels of the image; may be projective.
    scale : float
        About how many pixels a module has.

    Returns
    -------
    ndarray
        Of the same shape and type; `image` itself where no item touches it.
    """
    height, width = image.shape[:2]
    reach = _reach(items, matrix, (width, height))
    if not reach:
        return image
    left, top, right, bottom = (int(value) for value in reach)
    sheet = Sheet(image[top:bottom, left:right])
    shifted = np.array([[1, 0, -left], [0, 1, -top], [0, 0, 1.0]]) @ matrix
    sheet.paint(items, shifted, scale)
    out = image.copy()
    out[top:bottom, left:right] = sheet.pixels()
    return out


class Sheet:
    """A surface to paint on, one thing after another.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 or H × W × 4 (straight alpha)
        What is there to begin with; stays as it is.

    Attributes
    ----------
    rgba : ndarray of uint8, H × W × 4
        What is there now, premultiplied.
    """

    def __init__(self, image: np.ndarray) -> None:
        import cv2

        self._opaque = image.shape[2] == 3
        self.rgba = np.empty((*image.shape[:2], 4), np.uint8)
        if self._opaque:
            cv2.cvtColor(np.ascontiguousarray(image), cv2.COLOR_RGB2RGBA, dst=self.rgba)
        else:
            self.rgba[...] = image
            if image[..., 3].min() < 255:
                alpha = cv2.merge([alpha_of(image)] * 3)
                colours = colours_of(image)
                self.rgba[..., :3] = cv2.multiply(colours, alpha, scale=1 / 255)
        info = skia.ImageInfo.Make(
            image.shape[1], image.shape[0], skia.kRGBA_8888_ColorType, skia.kPremul_AlphaType,
            skia.ColorSpace.MakeSRGB(),
        )  # fmt: skip
        self._surface = skia.Surface.MakeRasterDirect(info, self.rgba, self.rgba.strides[0])

    def draw(self, matrix: np.ndarray, drawer: Callable[[skia.Canvas], None]) -> None:
        """Let `drawer` draw on a canvas whose units the matrix (3 × 3) turns into pixels."""
        canvas = self._surface.getCanvas()
        canvas.save()
        canvas.concat(skia.Matrix.MakeAll(*(float(value) for value in matrix.flat)))
        drawer(canvas)
        canvas.restore()
        self._surface.flushAndSubmit()

    def paint(self, items: Sequence[Item], matrix: np.ndarray, scale: float) -> None:
        """Paint items; see `painted`."""
        self.draw(matrix, lambda canvas: paint_items(canvas, items, scale))

    def pixels(self) -> np.ndarray:
        """What has been painted, as a new array of the same kind as the first one."""
        import cv2

        if self._opaque:
            return cv2.cvtColor(self.rgba, cv2.COLOR_RGBA2RGB)
        return _straight(self.rgba)


_UNDO = (255 / np.maximum(np.arange(256), 1)).astype(np.float32)


def _straight(rgba: np.ndarray) -> np.ndarray:
    """Premultiplied colours with straight alpha again."""
    import cv2

    alpha = alpha_of(rgba)
    if alpha.min() == 255:
        return rgba.copy()
    factor = cv2.merge([_UNDO[alpha]] * 3)
    colours = cv2.multiply(colours_of(rgba), factor, dtype=cv2.CV_8U)
    return np.dstack([colours, alpha])


def cover(items: Sequence[Item], modules: int, cells: int) -> np.ndarray:
    """How much of the code's square items cover.

    Parameters
    ----------
    items : sequence of Item
    modules : int
        Modules a side, quiet zone included.
    cells : int
        Cells a module.

    Returns
    -------
    ndarray of uint8, modules·cells a side
        255 = covered wholly.
    """
    side = modules * cells
    empty = np.zeros((side, side, 4), np.uint8)
    return painted(empty, items, np.diag([cells, cells, 1.0]), cells)[..., 3]
