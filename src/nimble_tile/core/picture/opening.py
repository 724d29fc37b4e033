"""From the bytes of a picture file to sRGB pixels.

Opens PNG, JPEG, WebP and TIFF by content, not by file name. EXIF orientation
is applied, an embedded ICC profile is converted to sRGB, and every colour mode
becomes 8-bit RGB with an optional alpha channel.
"""

from __future__ import annotations

import io
import os
import warnings
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nimble_tile.core.channels import alpha_of, colours_of
from nimble_tile.core.errors import PictureError
from nimble_tile.core.files import read_bytes
from nimble_tile.core.foreign import apart
from nimble_tile.core.language import tr
from nimble_tile.core.look import rgb as rgb_of
from nimble_tile.core.workers.plain import sent

if TYPE_CHECKING:
    import numpy as np

FORMATS = ("PNG", "JPEG", "WEBP", "TIFF")
SUFFIXES = (".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff")

MOST_PIXELS = 100_000_000
"""100 megapixels: 300 MB of RGB, what a large medium-format camera makes."""

MOST_BYTES = 1 << 30
"""A file of over 1 GiB is refused unread."""

STRIP = 256
"""Rows that are converted at once."""

SMALL = 1 << 22
"""Pixels up to which an image is converted as a whole."""

OPEN_LIMIT = 40.0
"""Seconds that decoding may take; 100 megapixels of PNG take about 8 here."""

LEAST_SIDE = 16
"""A picture smaller than this on a side cannot carry any code."""


@sent
@dataclass(frozen=True, eq=False)
class Opened:
    """A decoded picture.

    Attributes
    ----------
    rgb : ndarray of uint8, H × W × 3 sRGB
        Read-only; not yet mixed with a ground colour.
    alpha : ndarray of uint8, H × W, or None
        None when the picture is opaque throughout.
    notes : tuple of str
        What was done on the way, in sentences for people.
    """

    rgb: np.ndarray
    alpha: np.ndarray | None = None
    notes: tuple[str, ...] = field(default=())

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.rgb.shape[1], self.rgb.shape[0]

    def over(self, ground: str) -> np.ndarray:
        """The picture on a ground colour.

        Parameters
        ----------
        ground : str
            ``#rrggbb``.

        Returns
        -------
        ndarray of uint8, H × W × 3 sRGB
        """
        return on_ground(self.rgb, self.alpha, ground)


def on_ground(rgb: np.ndarray, alpha: np.ndarray | None, ground: str) -> np.ndarray:
    """An image (uint8 H × W × 3) with straight alpha (H × W) on a colour (``#rrggbb``)."""
    if alpha is None:
        return rgb
    import cv2
    import numpy as np

    colour = np.array(rgb_of(ground), np.uint8)
    out = np.empty_like(rgb)
    # In strips, so that a large picture needs no float copy of itself.
    for top in range(0, out.shape[0], 256):
        rows = slice(top, top + 256)
        share = cv2.merge([alpha[rows].astype(np.float32) / 255] * 3)
        base = np.broadcast_to(colour, out[rows].shape)
        out[rows] = np.rint(rgb[rows] * share + base * (1 - share))
    return out


def read_file(path: str | os.PathLike) -> bytes:
    """Bytes of a picture file.

    Raises
    ------
    PictureError
        It cannot be read, or is larger than `MOST_BYTES`.
    """
    return read_bytes(path, MOST_BYTES, PictureError)


def _limit(given: dict) -> float:
    """Seconds that opening may take."""
    from nimble_tile.core.picture.drawings import DRAW_LIMIT, kind_of

    drawn = given["drawings"] and kind_of(given["data"]) is not None
    return DRAW_LIMIT if drawn else OPEN_LIMIT


@apart(_limit)
def open_picture(
    data: bytes,
    name: str = tr("The picture"),
    most_pixels: int = MOST_PIXELS,
    drawings: bool = False,
) -> Opened:
    """Decode a picture.

    Parameters
    ----------
    data : bytes
        A whole PNG, JPEG, WebP or TIFF file; of several pages the first.
    name : str
        What to call it in error messages.
    most_pixels : int
        Pixels that it may have.
    drawings : bool
        Whether SVG drawings and PDF pages are welcome, too.

    Raises
    ------
    PictureError
        Empty, of another type, damaged, too large, or of a kind that cannot
        be shown; with a sentence on what to do. Nothing is half loaded.
    """
    from PIL import Image, UnidentifiedImageError

    if not data:
        raise PictureError(
            tr("{name} is empty.", name=name), tr("Save it again from where it comes from.")
        )
    if drawings:
        from nimble_tile.core.picture.drawings import draw, has_letters, kind_of

        kind = kind_of(data)
        if kind is not None:
            note = tr("Its letters are text: turn them into paths, or they depend on fonts here.")
            notes = (note,) if kind == "svg" and has_letters(data) else ()
            return _drawn(draw(data, name), notes)
    try:
        # The limit on pixels is ours and is checked before decoding.
        Image.MAX_IMAGE_PIXELS = None
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(data), formats=FORMATS) as image:
                _check_size(image.size, name, most_pixels)
                several = _has_more(data)
                image.load()
                return _convert(image, name, several)
    except PictureError:
        raise
    except UnidentifiedImageError as error:
        raise _unknown(data, name) from error
    except MemoryError as error:
        raise PictureError(
            tr("{name} needs more memory than there is.", name=name),
            tr("Save a smaller copy of it."),
        ) from error
    except Exception as error:  # decoders throw anything on damaged files
        raise PictureError(
            tr("{name} is damaged or cut off ({error}).", name=name, error=error),
            tr("Save or download it again; nothing was changed."),
        ) from error


def _has_more(data: bytes) -> bool:
    """Whether there is a second page. Counting them all takes for ever where they are many."""
    from PIL import Image

    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            image.seek(1)
    except Exception:  # none, or one that cannot be reached
        return False
    return True


def _drawn(rgba: np.ndarray, notes: tuple[str, ...]) -> Opened:

    rgb, alpha = colours_of(rgba), alpha_of(rgba)
    for array in (rgb, alpha):
        array.setflags(write=False)
    return Opened(rgb, None if alpha.min() == 255 else alpha, notes)


def _check_size(size: tuple[int, int], name: str, most: int) -> None:
    width, height = size
    if width * height > most:
        raise _too_large(name, size, most)
    if min(width, height) < LEAST_SIDE:
        raise PictureError(
            tr("{name} is only {width} × {height} pixels.", name=name, width=width, height=height),
            tr("Choose one with at least {least_side} pixels on each side.", least_side=LEAST_SIDE),
        )


def _too_large(name: str, size: tuple[int, int], most: int) -> PictureError:
    return PictureError(
        tr(
            "{name} has more than {most} megapixels ({size} × {size2} pixels).",
            name=name,
            most=most // 1000000,
            size=size[0],
            size2=size[1],
        ),
        tr("Save a smaller copy of it."),
    )


def _unknown(data: bytes, name: str) -> PictureError:
    start = data[:64].lstrip().lower()
    if start.startswith((b"<svg", b"<?xml")):
        return PictureError(
            tr("{name} is a vector drawing.", name=name),
            tr("Save it as PNG at the size that you need."),
        )
    if data[:4] in (b"II*\0", b"MM\0*"):
        return PictureError(
            tr(
                "{name} is a TIFF file that is damaged or of a rare kind, such as floating point.",
                name=name,
            ),
            tr("Save it with 8 or 16 bits a channel."),
        )
    if data[:4] in (b"\x89PNG", b"RIFF") or data[:3] == b"\xff\xd8\xff":
        return PictureError(
            tr("{name} is damaged: it begins like a picture but cannot be read.", name=name),
            tr("Save or download it again."),
        )
    return PictureError(
        tr("{name} is not a picture that can be opened here.", name=name),
        tr("Use PNG, JPEG, WebP or TIFF."),
    )


def _convert(image, name: str, several: bool) -> Opened:
    """To 8-bit sRGB and alpha, orientation applied."""
    notes: list[str] = []
    if several:
        notes.append(tr("It has several pages; the first is used."))
    profile = image.info.get("icc_profile")
    orientation = 1
    try:
        orientation = image.getexif().get(0x0112, 1)
    except Exception:  # EXIF is often damaged where the picture is not
        notes.append(tr("Its EXIF data is damaged and was left aside."))
    image = _eight_bits(image, name, notes)
    alpha = None
    if image.has_transparency_data:
        wanted = "LA" if image.mode in ("LA", "La") else "RGBA"
        if image.mode != wanted:
            image = image.convert(wanted)
        alpha = _rows(image, -1)
        if profile and wanted == "RGBA":
            image = image.convert("RGB")
    elif image.mode in ("P", "1", "RGBX", "YCbCr", "HSV"):
        image = image.convert("RGB")
    image = _to_srgb(image, profile, notes)
    rgb = _rows(image)
    if orientation in range(2, 9):
        rgb, alpha = (None if a is None else _turned(a, orientation) for a in (rgb, alpha))
    if alpha is not None and alpha.min() == 255:
        alpha = None
    for array in (rgb, alpha):
        if array is not None:
            array.setflags(write=False)
    return Opened(rgb, alpha, tuple(notes))


def _rows(image, channel: int | None = None) -> np.ndarray:
    """An image as RGB (uint8 H × W × 3), or one of its channels (H × W).

    Row by row: a large image is not copied as a whole on the way.
    """
    import numpy as np

    width, height = image.size
    if channel is None and width * height <= SMALL:
        return np.asarray(image if image.mode == "RGB" else image.convert("RGB"))
    out = np.empty((height, width) if channel is not None else (height, width, 3), np.uint8)
    for top in range(0, height, STRIP):
        strip = image.crop((0, top, width, min(top + STRIP, height)))
        if channel is None:
            pixels = np.asarray(strip if strip.mode == "RGB" else strip.convert("RGB"))
        else:
            pixels = np.asarray(strip)[..., channel]
        out[top : top + STRIP] = pixels
    return out


def _turned(image: np.ndarray, orientation: int) -> np.ndarray:
    """An array as the EXIF orientation (2 to 8) says."""
    import numpy as np

    if orientation in (5, 6, 7, 8):
        image = image.swapaxes(0, 1)
    across = orientation in (2, 3, 6, 7)
    down = orientation in (3, 4, 7, 8)
    image = image[:, ::-1] if across else image
    return np.ascontiguousarray(image[::-1] if down else image)


def _eight_bits(image, name: str, notes: list[str]):
    """Deeper modes to 8 bits a channel."""
    import numpy as np
    from PIL import Image

    if image.mode.startswith("I"):
        values = np.asarray(image)
        if values.min() < 0 or values.max() > 65535:
            raise PictureError(
                tr("{name} has 32-bit values.", name=name),
                tr("Save it with 8 or 16 bits a channel."),
            )
        notes.append(tr("Its 16-bit grey was reduced to 8 bits."))
        return Image.fromarray((values.astype(np.float32) * (255 / 65535) + 0.5).astype(np.uint8))
    if image.mode == "F":
        raise PictureError(
            tr("{name} has floating-point values.", name=name),
            tr("Save it with 8 or 16 bits a channel."),
        )
    return image


def _to_srgb(image, profile: bytes | None, notes: list[str]):
    """Apply the embedded profile, if there is a usable one."""
    from PIL import ImageCms

    if profile or image.mode == "LAB":
        try:
            # Lab is defined by itself; what a file says about it adds nothing.
            named = ImageCms.createProfile("LAB") if image.mode == "LAB" else io.BytesIO(profile)
            source = ImageCms.ImageCmsProfile(named)
            converted = ImageCms.profileToProfile(
                image,
                source,
                ImageCms.createProfile("sRGB"),
                renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
                outputMode="RGB",
                flags=ImageCms.Flags.BLACKPOINTCOMPENSATION,
            )
            title = ImageCms.getProfileDescription(source).strip()
        except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
            notes.append(tr("Its colour profile does not fit and was left aside."))
        else:
            if "srgb" not in title.lower():
                notes.append(
                    tr(
                        "Its colours were converted from {title} to sRGB.",
                        title=title or tr("its profile"),
                    )
                )
            return converted
    if image.mode == "CMYK":
        notes.append(tr("Its CMYK colours have no profile and were converted plainly."))
    return image if image.mode in ("RGB", "RGBA", "L", "LA") else image.convert("RGB")
