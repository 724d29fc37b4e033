"""Colours that a picture is made of, by clustering.

References
----------
k-means with the seeding of Arthur and Vassilvitskii 2007 (k-means++), in
CIE L*a*b*, by OpenCV.
"""

from __future__ import annotations

import numpy as np

PALETTE_SIDE = 128
"""Longer side, in pixels, at which the picture is looked at."""


def palette(image: np.ndarray, count: int = 8) -> list[str]:
    """The main colours of a picture.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    count : int
        Colours at most.

    Returns
    -------
    list of str
        ``#rrggbb``, from dark to light, no two of them alike; the same for
        the same picture.
    """
    import cv2

    scale = PALETTE_SIDE / max(image.shape[:2])
    if scale < 1:
        extent = tuple(max(1, round(side * scale)) for side in image.shape[1::-1])
        image = cv2.resize(image, extent, interpolation=cv2.INTER_AREA)
    lab = cv2.cvtColor(image.astype(np.float32) / 255, cv2.COLOR_RGB2LAB).reshape(-1, 3)
    if len(lab) == 1:  # which OpenCV would take for three samples of one number
        lab = np.repeat(lab, 2, axis=0)
    distinct = np.unique(np.rint(lab), axis=0)
    clusters = min(count, len(distinct))
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 0.5)
    cv2.setRNGSeed(1)
    _, _, centres = cv2.kmeans(lab, clusters, None, stop, 2, cv2.KMEANS_PP_CENTERS)
    centres = centres[np.argsort(centres[:, 0])]
    rgb = cv2.cvtColor(centres[None].astype(np.float32), cv2.COLOR_LAB2RGB)[0]
    found = ["#" + "".join(f"{v:02x}" for v in row) for row in np.rint(rgb * 255).astype(int)]
    return list(dict.fromkeys(found))
