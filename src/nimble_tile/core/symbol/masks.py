"""Masks: one symbol under each of them, and the standard's penalty scores.

References
----------
ISO/IEC 18004: data masking, evaluation of masking results.
"""

from __future__ import annotations

import numpy as np

from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import Part, anatomy, function_parts
from nimble_tile.core.symbol.assemble import function_pattern, mask_pattern

N1, N2, N3, N4 = 3, 3, 40, 10
"""Weights of the four features of the penalty."""

_FINDER_LIKE = np.array([1, 0, 1, 1, 1, 0, 1], np.int8)


def masks_of(version: str) -> range:
    """Mask numbers that the version offers."""
    return range(4 if tables.is_micro(version) else 8)


def remask(dark: np.ndarray, version: str, level: str, old: int, new: int) -> np.ndarray:
    """The same message under another mask.

    Parameters
    ----------
    dark : ndarray of bool, n × n
    version, level : str
    old, new : int
        Masks, numbered as the version does.

    Returns
    -------
    ndarray of bool, n × n
    """
    if old == new:
        return dark
    encoding = anatomy(version, level).encoding
    out = function_pattern(version, level, new)
    n = dark.shape[0]
    change = _pattern(version, old, n) ^ _pattern(version, new, n)
    out[encoding] = (dark ^ change)[encoding]
    return out


def _pattern(version: str, mask: int, n: int) -> np.ndarray:
    return mask_pattern(tables.MICRO_MASKS[mask] if tables.is_micro(version) else mask, n)


def penalty(dark: np.ndarray, version: str) -> int:
    """Penalty score of a masked symbol; the lowest is the best.

    Scored, as the standard says, before format and version information are
    placed. Micro QR has a score of its own, of which the highest is the best;
    its negative is returned here, so that the lowest is the best there too.

    Parameters
    ----------
    dark : ndarray of bool, n × n
    version : str
    """
    parts = function_parts(version)
    bare = dark.copy()
    bare[np.isin(parts, (Part.FORMAT, Part.VERSION, Part.DARK))] = False
    if tables.is_micro(version):
        right, foot = int(bare[1:, -1].sum()), int(bare[-1, 1:].sum())
        return -(min(right, foot) * 16 + max(right, foot))
    return sum(features(bare))


def features(dark: np.ndarray) -> tuple[int, int, int, int]:
    """The four features of the penalty: runs, squares, finder-like runs, balance."""
    both = np.concatenate([dark, dark.T])
    runs = _runs(both)
    same = dark[1:, 1:] == dark[:-1, 1:]
    same &= dark[1:, 1:] == dark[1:, :-1]
    same &= dark[1:, 1:] == dark[:-1, :-1]
    share = dark.sum() / dark.size * 100
    return runs, N2 * int(same.sum()), N3 * _finder_like(both), N4 * int(abs(share - 50) / 5)


def _runs(lines: np.ndarray) -> int:
    """Points for runs of five and more of one colour, over all lines."""
    count, n = lines.shape
    ends = np.ones((count, n), bool)
    ends[:, :-1] = lines[:, 1:] != lines[:, :-1]
    at = np.flatnonzero(ends)
    lengths = np.diff(at, prepend=-1)
    return int((lengths[lengths >= 5] - 5 + N1).sum())


def _finder_like(lines: np.ndarray) -> int:
    """Runs like a finder's with four light modules, or the edge, on one side."""
    count, n = lines.shape
    padded = np.pad(lines.astype(np.int8), ((0, 0), (4, 4)))
    hits = np.ones((count, n - 6), bool)
    for offset, value in enumerate(_FINDER_LIKE):
        hits &= padded[:, 4 + offset : n - 2 + offset] == value
    dark_before = np.zeros((count, n - 6), bool)
    dark_after = np.zeros((count, n - 6), bool)
    for step in range(4):
        dark_before |= padded[:, step : step + n - 6] == 1
        dark_after |= padded[:, 11 + step : 11 + step + n - 6] == 1
    return int((hits & ~(dark_before & dark_after)).sum())


def best_mask(dark: np.ndarray, version: str, level: str, mask: int) -> tuple[int, dict[int, int]]:
    """The mask with the lowest penalty, and the penalty of each.

    Parameters
    ----------
    dark : ndarray of bool, n × n
        The symbol under `mask`.
    """
    scores = {
        new: penalty(remask(dark, version, level, mask, new), version) for new in masks_of(version)
    }
    return min(scores, key=lambda m: (scores[m], m)), scores
