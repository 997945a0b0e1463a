"""Figures with what they depend on: an error that two figures share stays shared through every sum made of them.

An estimate is a value and the effect of each independent error on it, each for one standard uncertainty of that error.
Whatever is worked out from estimates carries the effects on by its derivatives, so variances and covariances of any
result follow, correlations included (law of propagation of uncertainty, JCGM 100, first order).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from brisk_anchor.core.geometry.frames import Array

SHARED = "shared "
"""Sources that begin so are common to all touches of a tool; the others are a touch's own and differ run to run."""


@dataclass(frozen=True, slots=True)
class Estimate:
    """A value, and by source the effect of one standard uncertainty of that source, in the value's unit."""

    value: float
    effects: Mapping[str, float] = field(default_factory=dict)

    @property
    def u(self) -> float:
        """Standard uncertainty."""
        return math.sqrt(sum(effect**2 for effect in self.effects.values()))

    @property
    def u_own(self) -> float:
        """The part of it that differs from run to run."""
        return math.sqrt(sum(effect**2 for source, effect in self.effects.items() if not source.startswith(SHARED)))


def u_within(limit: float | None) -> float:
    """Standard uncertainty of what lies anywhere within ± `limit`, each place as likely (JCGM 100, 4.3.7)."""
    return (limit or 0.0) / math.sqrt(3)


def derive(function: Callable[[Array], Sequence[float]], inputs: Sequence[Estimate]) -> list[Estimate]:
    """Estimates of what a smooth function makes of others.

    Derivatives are central differences; a step of 1e-4 mm or degree is small against any curve a part has, and large
    against rounding at machine coordinates of metres.
    """
    at = np.array([item.value for item in inputs], dtype=np.float64)
    values = [float(value) for value in function(at)]
    effects: list[dict[str, float]] = [{} for _ in values]
    step = 1e-4
    for i, item in enumerate(inputs):
        if not any(item.effects.values()):
            continue
        ahead, back = at.copy(), at.copy()
        ahead[i] += step
        back[i] -= step
        for held, high, low in zip(effects, function(ahead), function(back), strict=True):
            slope = (float(high) - float(low)) / (2 * step)
            for source, effect in item.effects.items():
                if contribution := slope * effect:
                    held[source] = held.get(source, 0.0) + contribution
    return [Estimate(value, held) for value, held in zip(values, effects, strict=True)]


def correlated(name: str, values: Sequence[float], covariance: Array) -> list[Estimate]:
    """Estimates of values with a covariance of their own; their sources are named after `name`."""
    weights, vectors = np.linalg.eigh(covariance)
    roots = vectors * np.sqrt(np.maximum(weights, 0.0))
    return [
        Estimate(float(value), {f"{name} {k}": float(part) for k, part in enumerate(row) if part})
        for value, row in zip(values, roots, strict=True)
    ]


def covariance_of(estimates: Sequence[Estimate], *, own: bool = False) -> Array:
    """Covariance matrix of some estimates; with `own` only the part that differs from run to run."""
    sources = sorted({source for item in estimates for source in item.effects})
    if own:
        sources = [source for source in sources if not source.startswith(SHARED)]
    rows = np.array([[item.effects.get(source, 0.0) for source in sources] for item in estimates])
    result: Array = rows.reshape(len(estimates), -1) @ rows.reshape(len(estimates), -1).T
    return result
