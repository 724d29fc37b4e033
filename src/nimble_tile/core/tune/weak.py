"""What frames tell of each module: its margin on the right side of the modelled threshold.

Each frame is looked at as readers do after their first step: against the
Gaussian mean of its surroundings (OpenCV's detector takes 83 pixels), at the
module's middle and by the majority of its area. The paper is smoothed out, so
that each module lies where it should.
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from nimble_tile.core.trials.camera import CameraFrame
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject
from nimble_tile.core.trials.trial import Trial

SURROUNDINGS_SIDE = 83
"""Pixels of a frame over which the surroundings are averaged."""

BIAS = 2.0
"""Steps of 255 by which a pixel may be darker than its surroundings and still be light."""

FINER = 8
"""Samples along each side of a module."""

CLIPPED = 40.0
"""Steps of 255 beyond which a pixel counts as certain."""

SPIKE = 0.8
"""Weight of the middle's margin, which is noisier than the whole module's."""


def margins_in(frame: CameraFrame, side: int, quiet_zone: int, sign: np.ndarray) -> np.ndarray:
    """Margin of each module in a frame, in steps of 255; negative = on the wrong side.

    Parameters
    ----------
    frame : CameraFrame
    side, quiet_zone : int
        Modules of the symbol and of its quiet zone.
    sign : ndarray of float32, N × N
        1 for light modules, -1 for dark ones.
    """
    import cv2

    grey = cv2.cvtColor(frame.image, cv2.COLOR_RGB2GRAY)
    mean = cv2.GaussianBlur(grey, (SURROUNDINGS_SIDE, SURROUNDINGS_SIDE), 0)
    above = grey.astype(np.float32) - mean.astype(np.float32) + np.float32(BIAS)
    total = side + 2 * quiet_zone
    to_modules = np.array([[1 / FINER, 0, -quiet_zone], [0, 1 / FINER, -quiet_zone], [0, 0, 1.0]])
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    seen = cv2.warpPerspective(
        above, np.linalg.inv(half) @ frame.matrix @ to_modules @ half,
        (total * FINER, total * FINER), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    cells = seen.reshape(total, FINER, total, FINER)
    inner = slice(FINER // 2 - 1, FINER // 2 + 1)
    middle = cells[:, inner, :, inner].mean((1, 3))
    area = np.clip(cells, -CLIPPED, CLIPPED).mean((1, 3))
    return np.minimum(sign * area, SPIKE * sign * middle)


def weakest(
    room: Room,
    subject: Subject,
    quiet_zone: int,
    trials: Sequence[Trial],
    seed: int = 0,
    share: float = 0.15,
) -> np.ndarray:
    """The margin that each module keeps in all but a share of the frames (float32 N × N)."""
    symbol = subject.symbol
    dark = np.pad(symbol.dark, quiet_zone)
    sign = np.where(dark, -1, 1).astype(np.float32)
    studio = room.studio(subject)

    def look(trial: Trial) -> np.ndarray:
        frame = studio.frame(trial, seed, flat=True)
        return margins_in(frame, symbol.side, quiet_zone, sign)

    with ThreadPoolExecutor(2) as pool:
        found = list(pool.map(look, trials))
    return np.quantile(np.stack(found), share, axis=0).astype(np.float32)
