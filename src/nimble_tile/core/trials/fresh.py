"""Trials drawn anew: like those of a set, but none that a search has used."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nimble_tile.core.trials.trial import Trial

SPREAD = {
    ("view", "distance"): 0.10,
    ("shown", "size"): 0.08,
    ("light", "lux"): 0.30,
    ("camera", "blur"): 0.20,
}
"""Standard deviation of the logarithm of each value that is drawn about the set's own."""

TURNED = {("view", "sideways"): 3.0, ("view", "lengthways"): 3.0, ("view", "turn"): 8.0}
"""Standard deviation of each angle, in degrees."""


def fresh(trials: Sequence[Trial], seed: int, opposite: bool = False) -> tuple[Trial, ...]:
    """The trials that are on, each a little nearer or farther, darker, softer or more turned.

    Parameters
    ----------
    trials : sequence of Trial
    seed : int
        The same seed draws the same trials; with another one also the noise and the place of
        the pixels should be others, see `Room`.
    opposite : bool
        Every value is moved the other way: what is darker in the one draw is lighter in the
        other, so that both together are about as hard as the set itself.
    """
    way = -1.0 if opposite else 1.0
    rng = np.random.default_rng([seed, 77])
    made = []
    for trial in trials:
        if not trial.on:
            continue
        for (part, name), spread in SPREAD.items():
            value, factor = getattr(getattr(trial, part), name), np.exp(way * rng.normal(0, spread))
            if value is not None:
                trial = _with(trial, part, name, float(value * factor))
        for (part, name), spread in TURNED.items():
            angle = getattr(getattr(trial, part), name) + way * float(rng.normal(0, spread))
            trial = _with(trial, part, name, float(np.clip(angle, -75, 75)))
        made.append(trial)
    return tuple(made)


def _with(trial: Trial, part: str, name: str, value: float) -> Trial:
    """The trial with another value, kept inside the value's range."""
    info = type(getattr(trial, part)).model_fields[name]
    for limit in info.metadata:
        value = max(value, getattr(limit, "ge", value))
        value = min(value, getattr(limit, "le", value))
    return trial.changed(part, **{name: value})
