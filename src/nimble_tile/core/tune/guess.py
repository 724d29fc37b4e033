"""What a candidate that nobody has looked at is worth, guessed from those that were.

Reach and likeness are taken for Gaussian processes over candidates: a version has
a level of its own, so have a mask in it and a way of sharing the strength; both rise
or fall with the strength; and what is left is luck, which candidates of one kind
share when their strengths are near. The next candidate is the one that promises most
to be better than the best.

References
----------
C. E. Rasmussen, C. K. I. Williams, "Gaussian Processes for Machine Learning",
2006, section 2.2: prediction. J. Močkus, "On Bayesian methods for seeking the
extremum", 1975: expected improvement.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

MIDDLE = 0.66
"""Strength about which slopes are counted."""


@dataclass(frozen=True)
class Kind:
    """What a candidate is made of, but for its strength.

    Attributes
    ----------
    version : int
        Which of the versions that are tried.
    mask : int
        0 to 7.
    finders, quiet : float
        Strength of finders and of the quiet zone beyond that of the rest.
    """

    version: int
    mask: int
    finders: float = 0.0
    quiet: float = 0.0


@dataclass(frozen=True)
class Prior:
    """What is known of a quantity before anything was looked at: mean and slope, and
    standard deviations of each share of it."""

    mean: float
    slope: float
    whole: float
    slopes: float
    version: float
    mask: float
    sharing: float
    luck: float
    near: float
    noise: float


REACH = Prior(0.88, 0.42, 0.08, 0.12, 0.06, 0.02, 0.015, 0.035, 0.003, 0.005)
"""In the trials that ship, over sample photographs."""

LIKENESS = Prior(0.36, -0.45, 0.15, 0.15, 0.05, 0.008, 0.012, 0.003, 0.2, 0.002)


def _columns(kinds: Sequence[Kind], strengths: np.ndarray) -> tuple[np.ndarray, ...]:
    rows = np.array([(k.version, k.mask, k.finders, k.quiet) for k in kinds], float)
    rows = rows.reshape(-1, 4)
    sharing = rows[:, 2] * 1000 + rows[:, 3]
    return rows[:, 0], rows[:, 1], sharing, np.asarray(strengths, float)


def _covariance(prior: Prior, one: tuple[np.ndarray, ...], two: tuple[np.ndarray, ...]):
    same = [a[:, None] == b[None, :] for a, b in zip(one[:3], two[:3], strict=True)]
    version, mask, sharing = same
    strengths = one[3][:, None], two[3][None, :]
    apart = (strengths[0] - strengths[1]) / prior.near
    slopes = (strengths[0] - MIDDLE) * (strengths[1] - MIDDLE)
    of_mask = version & mask
    found = prior.whole**2 + prior.slopes**2 * slopes + prior.version**2 * version
    found = found + prior.mask**2 * of_mask
    found = found + prior.sharing**2 * 0.5 * (sharing + (sharing & version))
    return found + prior.luck**2 * (of_mask & sharing) * np.exp(-0.5 * apart**2)


def predict(
    prior: Prior,
    kinds: Sequence[Kind],
    strengths: np.ndarray,
    values: np.ndarray,
    new_kinds: Sequence[Kind],
    new_strengths: np.ndarray,
) -> tuple[np.ndarray, np.ndarray]:
    """Mean and standard deviation of a quantity at new candidates.

    Parameters
    ----------
    prior : Prior
    kinds, strengths, values
        Of the n candidates that were looked at.
    new_kinds, new_strengths
        Of the m others.

    Returns
    -------
    ndarray of float64, m; ndarray of float64, m
    """
    known, new = _columns(kinds, strengths), _columns(new_kinds, new_strengths)
    expected = prior.mean + prior.slope * (new[3] - MIDDLE)
    variance = (
        prior.whole**2 + prior.slopes**2 * (new[3] - MIDDLE) ** 2 + prior.version**2
        + prior.mask**2 + prior.sharing**2 + prior.luck**2
    )  # fmt: skip
    if not len(kinds):
        return expected, np.sqrt(variance)
    inner = _covariance(prior, known, known) + prior.noise**2 * np.eye(len(kinds))
    across = _covariance(prior, known, new)
    solved = np.linalg.solve(inner, across)
    rest = np.asarray(values, float) - prior.mean - prior.slope * (known[3] - MIDDLE)
    variance = np.maximum(variance - (across * solved).sum(0), 1e-8)
    return expected + solved.T @ rest, np.sqrt(variance)


def chance(mean: np.ndarray, deviation: np.ndarray, least: float) -> np.ndarray:
    """Chance of a normally distributed quantity to be at least so much."""
    from scipy.special import ndtr

    return ndtr((mean - least) / deviation)
