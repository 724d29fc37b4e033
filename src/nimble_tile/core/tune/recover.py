"""Which symbol a finished picture was made from, and where it lies, though no reader reads it.

The intended message is known, so everything the picture can hold is known too:
each version, level and mask. Places are guessed (the whole picture, a region,
three finder patterns, what a reader says), the tones of the modules there are
compared with the function patterns of each version and then with whole symbols,
and the corners are moved until they agree best.

References
----------
ISO/IEC 18004: function patterns. Correlation with a known pattern as the best
detector of it in noise is textbook knowledge (matched filter).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from nimble_tile.core.picture.warping import mapped, matrix_to
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.scan.locate import refined_corners
from nimble_tile.core.symbol.anatomy import Part, anatomy
from nimble_tile.core.symbol.assemble import assemble
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.tune.family import Family as Family
from nimble_tile.core.tune.family import family as family
from nimble_tile.core.tune.family import steered_there, weakest_letters
from nimble_tile.core.tune.finders import finder_places

WORKING = 900
"""Longer side, in pixels, at which finders are looked for."""

WITHIN = (0.375, 0.625)
"""Where, in a module, its tone is taken: at four points about its middle."""

LOCAL = 2.5
"""Standard deviation, in modules, of the surroundings that are taken off each module's tone."""

SURE_CORRELATION = 12.0
"""Correlation with the whole symbol, in its standard deviations under chance, from which it is
that symbol; the search itself makes up to ten of chance."""

PARITY = 4.0
"""The same for its error correction modules alone: messages that begin alike share many data
modules, but no error correction."""

WORDED = 1.8
"""The same for any few letters of a steered symbol's message."""

CERTAIN = 1.3
"""Multiple of the sure correlation at which no further places are looked at."""

HOPELESS, STILL_HOPELESS = 6.0, 8.0
"""Correlations below which a place is given up: when its corners were moved once by more than
half a module, and when such moves bring nothing more. Where a symbol stands, it was above 13 by
then on every picture that we tried; where none does, chance brings it to 5, now and then to 7."""

TRIPLES = 28
"""Places made of three likely finders that are looked at for any perspective."""

HINT = 2.5
"""Agreement of the function patterns, in standard deviations under chance, that three finders
must have for their far corner to be looked for. With the far corner still wrong, symbols in
perspective had above 5."""

QUIET_ZONES = (4, 2, 0, 1, 3)
"""Quiet zones that are tried where the whole picture may be the code."""


@dataclass(frozen=True, eq=False)
class Suspect:
    """A symbol that may stand there.

    Attributes
    ----------
    symbol : Symbol
    quad : ndarray of float64, 4 × 2
        Its corners on the picture, without quiet zone.
    score : float
        Correlation in standard deviations under chance.
    parity : float
        That of its error correction modules alone; of a steered symbol, of the letters of the
        message that agree least.
    chosen : ndarray of bool, n × n, or None
        Modules of a steered symbol that depend on its free bits: these were concluded from the
        picture, so that they agree by themselves and count for nothing.
    """

    symbol: Symbol
    quad: np.ndarray
    score: float
    parity: float = 0.0
    chosen: np.ndarray | None = None

    @property
    def sure(self) -> bool:
        """Whether it stands there."""
        return self.score >= SURE_CORRELATION and self.parity >= self.least

    @property
    def least(self) -> float:
        """What `parity` must be."""
        return PARITY if self.chosen is None else WORDED

    def outer(self, quiet_zone: int) -> np.ndarray:
        """Corners with so many modules of quiet zone (float64 4 × 2)."""
        low, high = -quiet_zone, self.symbol.side + quiet_zone
        corners = np.array([[low, low], [high, low], [high, high], [low, high]], float)
        return mapped(matrix_to(self.quad, self.symbol.side), corners)

    @property
    def alike(self) -> bool:
        """Whether the symbol there only begins alike."""
        return self.score >= SURE_CORRELATION and self.parity < self.least


def module_tones(plane: np.ndarray, quad: np.ndarray, side: int) -> np.ndarray:
    """Each module's tone less that of its surroundings, in their standard deviations.

    Parameters
    ----------
    plane : ndarray of float32, H × W
    quad : ndarray, 4 × 2
        Corners of the symbol.
    side : int
        Modules a side.
    """
    import cv2

    matrix = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]]) @ matrix_to(quad, side)
    tones = np.zeros((side, side), np.float32)
    for down, across in ((y, x) for y in WITHIN for x in WITHIN):
        point = np.array([[1, 0, across], [0, 1, down], [0, 0, 1.0]])
        tones += cv2.warpPerspective(
            plane, matrix @ point, (side, side),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip
    return _whitened(tones / np.float32(len(WITHIN) ** 2))


def _whitened(tones: np.ndarray) -> np.ndarray:
    import cv2

    tones = tones - cv2.GaussianBlur(tones, (0, 0), LOCAL, borderType=cv2.BORDER_REFLECT)
    spread = cv2.GaussianBlur(tones * tones, (0, 0), 2 * LOCAL, borderType=cv2.BORDER_REFLECT)
    return np.clip(tones / np.sqrt(spread + 1.0), -2.5, 2.5)


@lru_cache(maxsize=64)
def _function(version: int) -> tuple[np.ndarray, np.ndarray]:
    """Indices of the function modules of a version, and their pattern (1 light, -1 dark)."""
    plan = anatomy(str(version), "L")
    words = [0] * (int(plan.codeword.max()) + 1)
    dark = assemble(str(version), "L", 0, words)
    known = np.isin(plan.parts, (Part.FINDER, Part.SEPARATOR, Part.TIMING, Part.ALIGNMENT))
    return np.flatnonzero(known), np.where(dark, -1.0, 1.0)[known].astype(np.float32)


def _agreement(tones: np.ndarray, pattern: np.ndarray) -> float:
    """Correlation in standard deviations under chance."""
    pattern = pattern - pattern.mean()
    spread = float(np.sqrt((pattern**2).sum()) * max(float(tones.std()), 1e-6))
    return float((tones - tones.mean()) @ pattern) / max(spread, 1e-6)


def _square(left: float, top: float, width: float, height: float) -> np.ndarray:
    return np.array(
        [[left, top], [left + width, top], [left + width, top + height], [left, top + height]],
        float,
    )


def _upright_places(
    extent: tuple[float, float, float, float], versions: Sequence[int]
) -> Iterator[tuple[int, np.ndarray]]:
    """The code over the whole of an area (left, top, width, height)."""
    left, top, width, height = extent
    for version in versions:
        side = 17 + 4 * version
        for quiet in QUIET_ZONES:
            x, y = width * quiet / (side + 2 * quiet), height * quiet / (side + 2 * quiet)
            yield version, _square(left + x, top + y, width - 2 * x, height - 2 * y)


def suspects(
    image: np.ndarray,
    text: str,
    region: tuple[float, float, float, float] | None = None,
    known: Sequence[np.ndarray] = (),
    most: int = 3,
    stop: Callable[[], bool] = lambda: False,
    symbols: Sequence[Symbol] = (),
) -> list[Suspect]:
    """Symbols of a message that may stand on a picture, the surest first.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    text : str
        The intended message.
    region : (left, top, width, height), optional
        Where the code is, quiet zone included, in pixels.
    known : sequence of ndarray, 4 × 2
        Corners that a reader reported.
    most : int
        How many are given back.
    stop : callable
        Asked between places; True: what was found until then is given back.
    symbols : sequence of Symbol
        Known ones that it may be, whoever encoded or steered them.
    """
    import cv2

    grey = cv2.cvtColor(image, cv2.COLOR_RGB2GRAY)
    scale = min(1.0, WORKING / max(grey.shape))
    plane = grey.astype(np.float32)
    if scale < 1:
        plane = cv2.resize(plane, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    least = _least_version(text)
    versions = list(range(least, 41))
    height, width = plane.shape
    areas = [(0.0, 0.0, float(width), float(height))]
    if width != height:
        edge = float(min(width, height))
        areas.append(((width - edge) / 2, (height - edge) / 2, edge, edge))
    if region is not None:
        areas.insert(0, tuple(value * scale for value in region))
    places = [place for area in areas for place in _upright_places(area, versions)]
    for quad in known:
        places += [(version, np.asarray(quad, float) * scale) for version in versions]
    families: dict[int, Family | None] = {}

    def members(version: int) -> Family | None:
        if version not in families:
            families[version] = family(text, version, symbols=symbols)
        return families[version]

    def likely() -> Iterator[tuple[int, np.ndarray, bool]]:
        """Places from the likeliest on, and whether their far corner must be looked for."""
        for _, version, quad in _ranked(plane, places)[:8]:
            yield version, quad, False
        flat = list(finder_places(plane, versions))
        for _, version, quad in _ranked(plane, flat)[:6]:
            yield version, quad, True
        for score, version, quad in _ranked(plane, flat[:TRIPLES]):
            if score >= HINT:
                yield version, quad, True

    found: list[Suspect] = []
    for version, quad, is_open in likely():
        if stop():
            break
        if members(version) is not None:
            start = _far_corner(plane, members(version), quad) if is_open else quad
            found.append(_settled(plane, members(version), start))
            last = found[-1]
            if last.score >= CERTAIN * SURE_CORRELATION and (
                last.alike or last.parity >= CERTAIN * last.least
            ):
                break  # nothing else can stand there
    found.sort(key=lambda suspect: -suspect.score)
    kept: list[Suspect] = []
    for suspect in found:
        same = [k for k in kept if k.symbol.version == suspect.symbol.version
                and k.symbol.level == suspect.symbol.level
                and k.symbol.mask == suspect.symbol.mask]  # fmt: skip
        if not same:
            kept.append(suspect)
    full = []
    for suspect in kept[:most]:
        quad = suspect.quad / scale
        if suspect.sure:
            quad = refined_corners(grey.astype(np.float32), quad, suspect.symbol.dark)
            again = _score(grey.astype(np.float32), quad, suspect.symbol, suspect.chosen)
            if again < suspect.score - 1:
                quad = suspect.quad / scale
        full.append(replace(suspect, quad=quad))
    # What agrees as a whole but not in its error correction comes last.
    return sorted(full, key=lambda suspect: (suspect.alike, -suspect.score))


def _least_version(text: str) -> int:
    return int(encode(Message(text=text), Code(level="L", raise_level=False)).version)


def _ranked(
    plane: np.ndarray, places: Sequence[tuple[int, np.ndarray]]
) -> list[tuple[float, int, np.ndarray]]:
    """Places by how well the function patterns agree with them."""
    found = []
    for version, quad in places:
        side = 17 + 4 * version
        if not np.isfinite(quad).all() or _edge(quad) < 1.2 * side:
            continue
        where, pattern = _function(version)
        tones = module_tones(plane, quad, side).ravel()[where]
        found.append((_agreement(tones, pattern), version, quad))
    found.sort(key=lambda place: -place[0])
    return found


def _edge(quad: np.ndarray) -> float:
    return float(np.hypot(*(np.roll(quad, -1, axis=0) - quad).T).min())


def _score(
    plane: np.ndarray, quad: np.ndarray, symbol: Symbol, chosen: np.ndarray | None = None
) -> float:
    """Agreement of all modules except those that were chosen to agree."""
    tones = module_tones(plane, quad, symbol.side)
    counts = slice(None) if chosen is None else ~chosen
    return _agreement(tones[counts].ravel(), np.where(symbol.dark, -1.0, 1.0)[counts].ravel())


def _parity(plane: np.ndarray, quad: np.ndarray, symbol: Symbol) -> float:
    """Agreement of the error correction modules alone."""
    tones = module_tones(plane, quad, symbol.side)
    plan = symbol.anatomy
    words = [word for block in plan.blocks for word in block.correction]
    own = np.isin(plan.codeword, words)
    return _agreement(tones[own], np.where(symbol.dark[own], -1.0, 1.0))


def _far_corner(plane: np.ndarray, members: Family, quad: np.ndarray) -> np.ndarray:
    """The corner that three finders leave open in perspective, where some symbol agrees best."""
    side = 17 + 4 * members.version
    far, start = quad[2].copy(), quad
    across, down = quad[1] - quad[0], quad[3] - quad[0]
    best = -np.inf
    for spread, count in ((0.24, 7), (0.05, 5)):
        for x in np.linspace(-spread, spread, count):
            for y in np.linspace(-spread, spread, count):
                moved = start.copy()
                moved[2] = far + x * across + y * down
                score, _ = members.best(module_tones(plane, moved, side))
                if score > best:
                    best, quad = score, moved
        far = quad[2].copy()
    return quad


def _settled(plane: np.ndarray, members: Family, quad: np.ndarray) -> Suspect:
    """The best symbol of a family at a place, corners moved until they agree best."""
    side = 17 + 4 * members.version
    _, member = members.best(module_tones(plane, quad, side))
    symbol = member.symbol
    if member.known is None:
        quad = _moved(plane, quad, symbol, None)
        return Suspect(symbol, quad, _score(plane, quad, symbol), _parity(plane, quad, symbol))
    quad = _moved(plane, quad, symbol, ~member.known)
    score, tones = _score(plane, quad, symbol, ~member.known), module_tones(plane, quad, side)
    parity, chosen = weakest_letters(member, tones), ~member.known
    if score >= SURE_CORRELATION:
        symbol, chosen = steered_there(member, tones)
    return Suspect(symbol, quad, score, parity, chosen)


def _moved(
    plane: np.ndarray, quad: np.ndarray, symbol: Symbol, chosen: np.ndarray | None
) -> np.ndarray:
    """A place whose corners were moved until a symbol agrees best."""
    score, module = _score(plane, quad, symbol, chosen), _edge(quad) / symbol.side
    for step in (0.6, 0.3, 0.15, 0.08):
        better = True
        rounds = 0
        while better and rounds < 4:
            better, rounds = False, rounds + 1
            for corner in range(4):
                for axis in range(2):
                    for way in (-1, 1):
                        moved = quad.copy()
                        moved[corner, axis] += way * step * module
                        new = _score(plane, moved, symbol, chosen)
                        if new > score + 1e-3:
                            score, quad, better = new, moved, True
            if score < HOPELESS:
                return quad
        if score < STILL_HOPELESS:
            return quad
    return quad


def quiet_around(quad: np.ndarray, side: int, extent: tuple[int, int]) -> int:
    """Modules of quiet zone, up to 4, that the picture has room for round a symbol."""
    matrix = matrix_to(quad, side)
    width, height = extent
    for quiet in (4, 3, 2, 1):
        low, high = -quiet, side + quiet
        corners = mapped(
            matrix, np.array([[low, low], [high, low], [high, high], [low, high]], float)
        )
        slack = 0.25 * _edge(quad) / side
        inside = (corners >= -slack).all() and (corners <= np.array([width, height]) + slack).all()
        if inside:
            return quiet
    return 0
