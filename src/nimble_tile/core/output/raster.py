"""PNG and JPEG with resolution and colour tag.

References
----------
PNG Specification, third edition: ``sRGB`` and ``pHYs`` chunks. JPEG carries
the sRGB profile by the ICC's embedding.
"""

from __future__ import annotations

from typing import BinaryIO

import numpy as np

from nimble_tile.core.piece import Finish

COMPRESSION = 3
"""Of PNG, 0 to 9: a quarter of the time that 6 takes, for a tenth more bytes."""


def save_png(image: np.ndarray, file: BinaryIO, finish: Finish) -> None:
    """Write an image as PNG.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 or H × W × 4 (straight alpha), sRGB
    file : binary file
    finish : Finish
    """
    from PIL import Image, PngImagePlugin

    tags = PngImagePlugin.PngInfo()
    tags.add(b"sRGB", b"\x00")  # perceptual intent
    dpi = (finish.dpi, finish.dpi)
    Image.fromarray(image).save(file, "PNG", dpi=dpi, pnginfo=tags, compress_level=COMPRESSION)


def save_jpeg(image: np.ndarray, file: BinaryIO, finish: Finish) -> None:
    """Write an image (uint8 H × W × 3 sRGB) as JPEG."""
    from PIL import Image, ImageCms

    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    dpi = (finish.dpi, finish.dpi)
    # Full colour resolution: halved chroma smears module edges.
    Image.fromarray(image).save(
        file, "JPEG", quality=finish.quality, subsampling=0, dpi=dpi, icc_profile=profile
    )
