"""Where finder patterns seem to lie on a picture, and the places that three of them make."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

FINDER_MODULE = 3.0
"""Pixels a module at which finders are looked for."""

PEAKS = 26
"""Likeliest finders that are combined."""


def _finder_profile(away: np.ndarray) -> np.ndarray:
    """A finder and its separator averaged over all ways in which it may be turned (1 light,
    -1 dark), at some distances from its middle in modules."""
    angles = np.linspace(0, np.pi / 4, 33)
    distances = np.linspace(0, 5, 101)
    square = distances[:, None] * np.cos(angles)  # a square's distance along its nearer axis
    tone = np.select([square < 1.5, square < 2.5, square < 3.5], [-1.0, 1.0, -1.0], 1.0)
    return np.interp(away, distances, tone.mean(1)).astype(np.float32)


def likely_finders(plane: np.ndarray) -> list[tuple[float, float, float, float]]:
    """Likely finder patterns: x, y, module in pixels, correlation; best first.

    A ring filter: it does not mind how the code is turned.
    """
    import cv2

    radius = int(np.ceil(4.6 * FINDER_MODULE))
    rows, columns = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    away = np.hypot(rows, columns) / FINDER_MODULE
    template = _finder_profile(away)
    weight = (away < 4.6).astype(np.float32)
    template = (template - template[weight > 0].mean()) * weight
    found = []
    module = 1.6
    longest = max(plane.shape)
    while module * 25 < longest * 1.1:
        scale = FINDER_MODULE / module
        size = max(32, round(plane.shape[1] * scale)), max(32, round(plane.shape[0] * scale))
        if min(size) > 2 * radius + 3 and max(size) < 2600:
            way = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
            seen = cv2.resize(plane, size, interpolation=way)
            seen = cv2.copyMakeBorder(seen, *(radius // 2,) * 4, cv2.BORDER_REPLICATE)
            scores = cv2.matchTemplate(seen, template, cv2.TM_CCOEFF_NORMED)
            peaks = (scores == cv2.dilate(scores, np.ones((9, 9)))) & (scores > 0.25)
            y, x = np.nonzero(peaks)
            best = np.argsort(-scores[y, x])[:PEAKS]
            shift = radius - radius // 2
            for row, column in zip(y[best], x[best], strict=True):
                found.append(((column + shift + 0.5) / scale, (row + shift + 0.5) / scale, module,
                              float(scores[row, column])))  # fmt: skip
        module *= 1.17
    found.sort(key=lambda peak: -peak[3])
    kept: list[tuple[float, float, float, float]] = []
    for peak in found:
        if all(np.hypot(peak[0] - k[0], peak[1] - k[1]) > 2 * min(peak[2], k[2]) for k in kept):
            kept.append(peak)
        if len(kept) == PEAKS:
            break
    return kept


def finder_places(plane: np.ndarray, versions: Sequence[int]) -> Iterator[tuple[int, np.ndarray]]:
    """Places that three likely finders make."""
    peaks = likely_finders(plane)
    triples = []
    for corner in peaks:
        for right in peaks:
            for below in peaks:
                if right is corner or below is corner or right is below:
                    continue
                modules = np.array([corner[2], right[2], below[2]])
                if modules.max() > 1.7 * modules.min():
                    continue
                a = np.array(right[:2]) - corner[:2]
                b = np.array(below[:2]) - corner[:2]
                cross = a[0] * b[1] - a[1] * b[0]
                lengths = np.hypot(*a), np.hypot(*b)
                if cross <= 0 or max(lengths) > 1.9 * min(lengths):
                    continue
                if abs(a @ b) > 0.55 * lengths[0] * lengths[1]:
                    continue
                score = corner[3] + right[3] + below[3]
                # The more regular candidate wins: codes are seldom seen at a steep angle.
                score -= 0.2 * abs(np.log(lengths[0] / lengths[1]))
                score -= 0.2 * abs(a @ b) / (lengths[0] * lengths[1])
                score -= 0.2 * np.log(modules.max() / modules.min())
                triples.append((score, corner, a, b, float(modules.mean()), lengths))
    triples.sort(key=lambda triple: -triple[0])
    for _, corner, a, b, module, lengths in triples[:30]:
        guess = (np.mean(lengths) / module + 7 - 17) / 4
        for version in versions:
            if abs(version - guess) > max(1.6, 0.16 * guess):
                continue
            side = 17 + 4 * version
            x, y = a / (side - 7), b / (side - 7)
            first = np.array(corner[:2]) - 3.5 * (x + y)
            yield (
                version,
                np.array([first, first + side * x, first + side * (x + y), first + side * y]),
            )
