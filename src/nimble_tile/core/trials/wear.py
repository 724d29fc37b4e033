"""What print and use do to an image: ink that spreads, smudges, creases.

Everything here works on linear reflectance (float32, H × W × 3, 0 to 1) of the
image's own plane.

References
----------
A. Murray, "Monochrome reproduction in photoengraving", Journal of the Franklin
Institute 221, 1936 (the Murray–Davies equation: reflectance is the mean of ink
and paper, weighted by the covered area). The parabola of dot gain, greatest at
50 %, is common practice.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from nimble_tile.core.memory import Memory
from nimble_tile.core.trials.trial import Before, Wear

SPREAD = 0.03
"""Standard deviation, in mm, by which ink and paper blur an edge without dot gain."""

SPREAD_BY_GAIN = 0.35
"""Further mm for each unit of dot gain."""

DIRT = 0.12
"""Reflectance of a smudge."""

SURFACE = 120
"""Points along the shorter side at which smooth surfaces are worked out."""

CREASES = 9
"""Creases of a crumpled paper across the code."""


def printed(plane: np.ndarray, before: Before, module_mm: float, per_mm: float) -> np.ndarray:
    """As ink on paper.

    Parameters
    ----------
    plane : ndarray
    before : Before
    module_mm : float
        Side of a module, which no edge is blurred beyond.
    per_mm : float
        Pixels of the plane a millimetre.
    """
    import cv2

    given = plane
    spread = min(SPREAD + SPREAD_BY_GAIN * before.dot_gain, 0.5 * module_mm) * per_mm
    if spread > 0.3:
        plane = cv2.GaussianBlur(plane, (0, 0), spread)
    if before.dot_gain:
        covered = 1 - plane
        covered += 4 * before.dot_gain * covered * plane
        plane = 1 - covered
    # A new array would take longer to fetch than to fill.
    own = plane if plane is not given else np.empty_like(plane)
    np.multiply(plane, np.float32(before.paper - before.ink), out=own)
    own += np.float32(before.ink)
    return own


def lit(plane: np.ndarray, ink: float) -> np.ndarray:
    """As on a screen, which reflects a little where it is black."""
    return ink + (1 - ink) * plane


_SURFACES = Memory(6)
"""Surfaces do not depend on what is printed on the paper: many artworks are looked at in the
same trials, those of a set and some draws about it."""


def _surface(what: tuple, places: tuple, make: Callable[[], object]) -> object:
    """A surface at these places, made once."""
    corners = tuple(
        float(place[row, column]) for place in places for row in (0, -1) for column in (0, -1)
    )
    return _SURFACES.recall("surface", (what, places[0].shape, corners), make)


def worn(
    plane: np.ndarray, wear: Wear, paper: float, places: tuple, seed: int, flat: bool = False
) -> np.ndarray:
    """After use.

    Parameters
    ----------
    plane : ndarray
    wear : Wear
    paper : float
        Reflectance of bare paper.
    places : (ndarray, ndarray) of float32, H × W
        Each pixel's place from the code's middle, in parts of the code.
    seed : int
    flat : bool
        Smoothed out again: creases shade, but nothing has moved.
    """
    import cv2

    if wear.smudge:
        plane = _smudged(plane, wear.smudge, paper, places, seed)
    if wear.fold:
        plane = _cracked(plane, wear, paper, places)
    if wear.crumple or wear.fold:
        what = wear.model_copy(update={"smudge": 0.0}), seed
        moved, shade = _surface(what, places, lambda: creased(wear, places, seed))
        if not flat:
            plane = _shifted(plane, moved, places[0])
        plane = cv2.multiply(plane, cv2.merge([shade] * 3))
    return plane


def creased(wear: Wear, places: tuple, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """How far everything has moved, in parts of the code (2 × H × W), and its shading (H × W)."""
    across, down = places
    moved = np.zeros((2, *across.shape), np.float32)
    shade = np.ones(across.shape, np.float32)
    if wear.crumple:
        _crumple(wear.crumple, across, down, moved, shade, np.random.default_rng([seed, 3]))
    if wear.fold:
        _fold(wear, across, down, moved, shade)
    return moved, shade


def shift_within(wear: Wear, seed: int) -> float:
    """Greatest distance, in parts of the code, by which creases move something in it against
    the rest."""
    if not (wear.crumple or wear.fold):
        return 0.0
    line = np.linspace(-0.5, 0.5, 41, dtype=np.float32)
    moved, _ = creased(wear, tuple(np.meshgrid(line, line)), seed)
    # A plane through the corners is what readers allow for.
    x, y = np.meshgrid(line, line)
    design = np.stack([np.ones(x.size), x.ravel(), y.ravel(), (x * y).ravel()], 1)
    flat = moved.reshape(2, -1).T
    corners = [0, 40, 40 * 41, 41 * 41 - 1]
    plane = design @ np.linalg.solve(design[corners], flat[corners])
    return float(np.hypot(*(flat - plane).T).max())


def _noise(places: tuple, size: float, rng: np.random.Generator) -> np.ndarray:
    """A smooth random surface with bumps of this size, in parts of the code; about 0 ± 1."""
    import cv2

    # It is smooth: worked out on fewer points and stretched.
    every = max(1, min(places[0].shape) // SURFACE)
    across, down = (place[::every, ::every] for place in places)
    total = np.zeros(across.shape, np.float32)
    waves = 24
    for angle, phase, pace in zip(
        rng.uniform(0, 2 * np.pi, waves), rng.uniform(0, 2 * np.pi, waves),
        rng.uniform(0.6, 1.4, waves), strict=True,
    ):  # fmt: skip
        length = 2 * np.pi * pace / (2 * size)
        total += np.cos(length * (across * np.cos(angle) + down * np.sin(angle)) + phase)
    total *= np.float32(np.sqrt(2 / waves))
    return cv2.resize(total, places[0].shape[::-1], interpolation=cv2.INTER_LINEAR)


def _smudged(plane: np.ndarray, share: float, paper: float, places: tuple, seed: int) -> np.ndarray:
    """Blots over a share of the code: some dirty, some rubbed off."""

    def covers() -> list[np.ndarray]:
        across, down = places
        inside = (np.abs(across) <= 0.5) & (np.abs(down) <= 0.5)
        rng, found = np.random.default_rng([seed, 1]), []
        for size, part, opaque in ((0.12, 0.6, 0.85), (0.07, 0.4, 0.8)):
            surface = _noise(places, size, rng)
            level = np.quantile(surface[inside], 1 - share * part) if inside.any() else np.inf
            found.append(np.clip((surface - level) * 4 + 0.5, 0, 1) * np.float32(opaque))
        return found

    for value, cover in zip((DIRT, paper), _surface((share, seed), places, covers),
                            strict=True):  # fmt: skip
        plane = _towards(plane, value, cover)
    return plane


def _crumple(
    amount: float,
    across: np.ndarray,
    down: np.ndarray,
    moved: np.ndarray,
    shade: np.ndarray,
    rng: np.random.Generator,
) -> None:
    """Flat facets between sharp creases: each leans its own way.

    The height is a sum of folded planes |n·p − c|: its slope, which decides light and
    foreshortening, is the same all over a facet.
    """
    slope = np.zeros((2, *across.shape), np.float32)
    for angle, at in zip(
        rng.uniform(0, np.pi, CREASES), rng.uniform(-0.6, 0.6, CREASES), strict=True
    ):
        normal = np.array([np.cos(angle), np.sin(angle)], np.float32)
        distance = across * normal[0] + down * normal[1] - np.float32(at)
        side = np.clip(distance / 0.015, -1, 1)
        lean = np.float32(amount * rng.uniform(0.06, 0.16))
        slope += lean * side * normal[:, None, None]
        # A facet that leans is foreshortened: its points lie nearer to the crease.
        moved += 0.5 * lean**2 * distance * normal[:, None, None]
        moved += np.float32(0.06) * lean * np.abs(distance) * normal[:, None, None]
    shade *= np.clip(1 - 1.1 * (0.7 * slope[0] + 0.7 * slope[1]), 0.25, 1.35)


def _from_fold(wear: Wear, places: tuple) -> tuple[np.ndarray, np.ndarray]:
    angle = np.radians(wear.fold_angle)
    normal = np.array([np.cos(angle), np.sin(angle)], np.float32)
    return places[0] * normal[0] + places[1] * normal[1] - np.float32(wear.fold_at), normal


def _fold(
    wear: Wear, across: np.ndarray, down: np.ndarray, moved: np.ndarray, shade: np.ndarray
) -> None:
    """One side of the fold leans away from the viewer."""
    lean = np.radians(wear.fold)
    distance, normal = _from_fold(wear, (across, down))
    behind = np.maximum(distance, 0)
    # A point seen at this distance lies farther along the sheet.
    moved += (behind / np.float32(np.cos(lean)) - behind) * normal[:, None, None]
    shade *= np.where(distance > 0, np.float32(1 - 0.55 * np.sin(lean)), np.float32(1))


def _cracked(plane: np.ndarray, wear: Wear, paper: float, places: tuple) -> np.ndarray:
    """Ink has come off along the fold."""

    def crack() -> np.ndarray:
        distance, _ = _from_fold(wear, places)
        return np.exp(-((distance / 0.006) ** 2)) * np.float32(0.8)

    what = "crack", wear.fold_angle, wear.fold_at
    return _towards(plane, paper, _surface(what, places, crack))


def _towards(plane: np.ndarray, value: float, share: np.ndarray) -> np.ndarray:
    """The plane, with a share of each pixel replaced by one reflectance."""
    import cv2

    kept = cv2.multiply(plane, cv2.merge([1 - share] * 3))
    return cv2.add(kept, cv2.merge([share * np.float32(value)] * 3), dst=kept)


def _shifted(plane: np.ndarray, moved: np.ndarray, across: np.ndarray) -> np.ndarray:
    """Each pixel taken from where it was before, `moved` being in parts of the code."""
    import cv2

    height, width = across.shape
    code = (width - 1) / max(float(across[0, -1] - across[0, 0]), 1e-6)
    columns, rows = np.meshgrid(
        np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32)
    )
    return cv2.remap(
        plane, columns + moved[0] * np.float32(code), rows + moved[1] * np.float32(code),
        cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
