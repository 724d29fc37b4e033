"""Predicts the worth of an unseen candidate from those that were looked at.

Reach and likeness are taken for Gaussian processes over candidates: a version has
a level of its own, so have a variant of it and a way of sharing the strength; both rise
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
class Trait:
    """What a candidate is made of, but for its strength.

    Attributes
    ----------
    version : int
        Which of the symbols that are tried.
    variant : int
        Which of its variants: a mask, or a weaving.
    finders, quiet : float
        Strength of finders and of the quiet zone beyond that of the rest.
    """

    version: int
    variant: int
    finders: float = 0.0
    quiet: float = 0.0


@dataclass(frozen=True)
class Prior:
    """Prior of a quantity: mean and slope, and
    standard deviations of each share of it."""

    mean: float
    slope: float
    whole: float
    slopes: float
    version: float
    variant: float
    sharing: float
    luck: float
    near: float
    noise: float


REACH = Prior(0.94, 0.35, 0.08, 0.3, 0.07, 0.02, 0.015, 0.035, 0.003, 0.005)
"""In the trials that ship, over sample photographs, by marks."""

LIKENESS = Prior(0.30, -0.5, 0.15, 0.15, 0.05, 0.0075, 0.012, 0.003, 0.2, 0.002)

WOVEN_REACH = Prior(0.92, 0.35, 0.08, 0.3, 0.06, 0.03, 0.015, 0.03, 0.02, 0.005)
"""The same for weaves."""

WOVEN_LIKENESS = Prior(0.26, -0.5, 0.12, 0.15, 0.04, 0.01, 0.012, 0.004, 0.1, 0.002)


def as_rows(kinds: Sequence[Trait]) -> np.ndarray:
    """Kinds as float32, n × 3: symbol, variant of it, way of sharing in it; equal where they
    are."""
    rows = [(k.version, 8 * k.version + k.variant, 100 * k.finders + k.quiet) for k in kinds]
    return np.array(rows, np.float32).reshape(-1, 3)


def _covariance(
    prior: Prior, one: np.ndarray, strengths: np.ndarray, two: np.ndarray, others: np.ndarray
) -> np.ndarray:
    apart = (strengths[:, None] - others[None, :]).astype(np.float32)
    slopes = np.outer(strengths - MIDDLE, others - MIDDLE).astype(np.float32)
    version, variant, sharing = (one[:, None, i] == two[None, :, i] for i in range(3))
    found = np.float32(prior.slopes**2) * slopes
    found += np.float32(prior.whole**2)
    found += np.float32(prior.version**2) * version
    found += np.float32(prior.variant**2) * variant
    found += np.float32(0.5 * prior.sharing**2) * sharing
    found += np.float32(0.5 * prior.sharing**2) * (sharing & version)
    near = np.float32(prior.luck**2) * np.exp(np.float32(-0.5 / prior.near**2) * apart * apart)
    return found + near * (variant & sharing)


def predict(
    prior: Prior,
    kinds: np.ndarray,
    strengths: np.ndarray,
    values: np.ndarray,
    new_kinds: np.ndarray,
    new_strengths: np.ndarray,
) -> tuple[np.ndarray, np.ndarray]:
    """Mean and standard deviation of a quantity at new candidates.

    Parameters
    ----------
    prior : Prior
    kinds, strengths, values
        Of the n candidates that were looked at; kinds from `as_rows`.
    new_kinds, new_strengths
        Of the m others.

    Returns
    -------
    ndarray of float64, m; ndarray of float64, m
    """
    expected = prior.mean + prior.slope * (new_strengths - MIDDLE)
    variance = (
        prior.whole**2 + prior.slopes**2 * (new_strengths - MIDDLE) ** 2 + prior.version**2
        + prior.variant**2 + prior.sharing**2 + prior.luck**2
    )  # fmt: skip
    if not len(kinds):
        return expected, np.sqrt(variance)
    inner = _covariance(prior, kinds, strengths, kinds, strengths).astype(float)
    inner += prior.noise**2 * np.eye(len(kinds))
    across = _covariance(prior, kinds, strengths, new_kinds, new_strengths)
    solved = np.linalg.inv(inner).astype(np.float32) @ across
    rest = np.asarray(values, float) - prior.mean - prior.slope * (strengths - MIDDLE)
    variance = np.maximum(variance - (across * solved).sum(0), 1e-8)
    return expected + solved.T @ rest, np.sqrt(variance)


def chance(mean: np.ndarray, deviation: np.ndarray, least: float) -> np.ndarray:
    """Chance of a normally distributed quantity to be at least so much."""
    from scipy.special import ndtr

    return ndtr((mean - least) / deviation)
