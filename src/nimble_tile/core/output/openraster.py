"""OpenRaster: a picture of named layers that painting programs open.

References
----------
OpenRaster, file layout and layer stack specification (freedesktop.org): a ZIP whose first,
uncompressed member is ``mimetype``; ``stack.xml``; a merged image; a thumbnail of at most
256 × 256 pixels.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from typing import BinaryIO
from xml.sax.saxutils import quoteattr

import numpy as np

from nimble_tile.core.output.raster import save_png
from nimble_tile.core.piece import Finish

MIMETYPE = b"image/openraster"

THUMBNAIL = 256
"""Longer side of the small picture, in pixels."""


@dataclass(frozen=True, eq=False)
class RasterLayer:
    """A layer.

    Attributes
    ----------
    name : str
    image : ndarray of uint8, H × W × 4
        sRGB with straight alpha, as large as the whole picture.
    visible : bool
    opacity : float
        0 to 1.
    """

    name: str
    image: np.ndarray
    visible: bool = True
    opacity: float = 1.0


def save_openraster(
    layers: Sequence[RasterLayer], file: BinaryIO, finish: Finish, about: str = ""
) -> None:
    """Write layers, the lowest first.

    Parameters
    ----------
    layers : sequence of RasterLayer
        All of one size.
    file : binary file
    finish : Finish
        Its dpi.
    """
    height, width = layers[0].image.shape[:2]
    stack = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<image version="0.0.5" w="{width}" h="{height}" xres="{finish.dpi}" '
        f'yres="{finish.dpi}"><stack>',
    ]
    for number in range(len(layers) - 1, -1, -1):  # the topmost comes first
        layer = layers[number]
        shown = "visible" if layer.visible else "hidden"
        stack.append(
            f'<layer name={quoteattr(layer.name)} src="data/layer{number}.png" x="0" y="0" '
            f'opacity="{layer.opacity:g}" visibility="{shown}" composite-op="svg:src-over"/>'
        )
    stack.append("</stack></image>")
    whole = merged(layers)
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("mimetype", MIMETYPE)
        archive.writestr("stack.xml", "\n".join(stack).encode(), zipfile.ZIP_DEFLATED)
        for number, layer in enumerate(layers):
            archive.writestr(f"data/layer{number}.png", _png(layer.image, finish))
        archive.writestr("mergedimage.png", _png(whole, finish, about))
        archive.writestr("Thumbnails/thumbnail.png", _png(_small(whole), finish))


def merged(layers: Sequence[RasterLayer]) -> np.ndarray:
    """All visible layers over each other (uint8 H × W × 4, straight alpha)."""
    made = np.zeros(layers[0].image.shape, np.float32)  # premultiplied
    for layer in layers:
        if layer.visible:
            alpha = layer.image[..., 3:].astype(np.float32) * (layer.opacity / 255)
            made *= 1 - alpha
            made[..., :3] += layer.image[..., :3] * alpha
            made[..., 3:] += 255 * alpha
    alpha = np.maximum(made[..., 3:], 1e-6) / 255
    made[..., :3] /= alpha
    return np.rint(np.clip(made, 0, 255)).astype(np.uint8)


def _small(image: np.ndarray) -> np.ndarray:
    import cv2

    scale = min(1.0, THUMBNAIL / max(image.shape[:2]))
    size = tuple(max(1, round(side * scale)) for side in image.shape[1::-1])
    return cv2.resize(image, size, interpolation=cv2.INTER_AREA)


def _png(image: np.ndarray, finish: Finish, about: str = "") -> bytes:
    out = io.BytesIO()
    save_png(image, out, finish, about)
    return out.getvalue()
