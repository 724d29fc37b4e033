"""What structural similarity does not see: how a blend differs to the eye, and whether it is
made of things that are in the picture."""

from __future__ import annotations

import cv2
import numpy as np

MODULE, PATCH = 6, 9
"""Pixels a module, and of a patch's side, at which coherence is measured."""

VIEWED = 522
"""Pixels of the square's side at which FLIP is measured."""

AXES = 48


def flip(picture: np.ndarray, result: np.ndarray) -> float:
    """FLIP, 0 (alike) to 1: what the eye sees when it alternates between two images.

    P. Andersson et al., "FLIP: a difference evaluator for alternating images", Proceedings of
    the ACM on Computer Graphics and Interactive Techniques 3(2), 2020; the authors' evaluator.
    """
    import flip_evaluator

    size = (VIEWED, VIEWED)
    first, second = (
        cv2.resize(image, size, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        for image in (picture, result)
    )
    return float(flip_evaluator.evaluate(first, second, "LDR", applyMagma=False)[1])


def coherence(picture: np.ndarray, result: np.ndarray, modules: int) -> float:
    """Mean distance in CIE L*a*b* of a result's patches to the nearest patch of the picture in
    any of four turns; 0: it consists of the picture's own matter.

    D. Simakov, Y. Caspi, E. Shechtman, M. Irani, "Summarizing visual data using bidirectional
    similarity", CVPR 2008, eq. 1, its second half. The distance of two patches is the root of
    the mean square over their pixels.

    Parameters
    ----------
    picture, result : ndarray of uint8, S × S × 3 sRGB
        The code's square before and after.
    modules : int
        Along a side, quiet zone included.
    """
    size = (modules * MODULE,) * 2
    small = [
        cv2.cvtColor(
            cv2.resize(image, size, interpolation=cv2.INTER_AREA).astype(np.float32) / 255,
            cv2.COLOR_RGB2LAB,
        )
        for image in (picture, result)
    ]
    same = picture is result
    known = [_patches(np.rot90(small[0], turns), 2) for turns in range(4)]
    asked = _patches(small[1], 3)
    places = known[0][1]
    every = np.concatenate([rows for rows, _ in known])
    del known
    mean = every.mean(0)
    _, vectors = np.linalg.eigh(np.cov((every[:: max(1, len(every) // 8000)] - mean).T))
    axes = vectors[:, ::-1][:, :AXES].astype(np.float32)
    left, right = every @ axes - mean @ axes, asked[0] @ axes - mean @ axes
    squares = (left * left).sum(1)
    nearest = np.empty(len(right), int)
    for start in range(0, len(right), 512):
        rows = slice(start, start + 512)
        apart = squares - 2 * right[rows] @ left.T
        if same:  # of the picture itself, other places count
            at, count = asked[1][rows], len(places)
            near = (np.abs(at[:, None] - places[None]) < PATCH).all(-1)
            apart[:, :count][near] = np.inf
        nearest[rows] = apart.argmin(1)
    found = every[nearest] - asked[0]
    return float(np.sqrt((found * found).mean(1) * 3).mean())


def _patches(image: np.ndarray, step: int) -> tuple[np.ndarray, np.ndarray]:
    """Patches (M × 243) and their places (M × 2)."""
    windows = np.lib.stride_tricks.sliding_window_view(image, (PATCH, PATCH), (0, 1))
    windows = windows[::step, ::step]
    places = np.stack(np.mgrid[: windows.shape[0], : windows.shape[1]], -1) * step
    flat = windows.reshape(-1, PATCH * PATCH * image.shape[2])
    return np.ascontiguousarray(flat), places.reshape(-1, 2)


def sharpness(picture: np.ndarray, result: np.ndarray) -> float:
    """Variance of the Laplacian of a result's luma in parts of the picture's."""
    first, second = (
        cv2.Laplacian(cv2.cvtColor(image, cv2.COLOR_RGB2GRAY), cv2.CV_32F).var()
        for image in (picture, result)
    )
    return float(second / max(first, 1e-6))
