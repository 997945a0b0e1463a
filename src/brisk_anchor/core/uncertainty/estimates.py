"""Figures with what they depend on: an error that two figures share stays shared through every sum made of them.

An estimate is a value and the effect of each independent error on it, each for one standard uncertainty of that error.
Whatever is worked out from estimates carries the effects on by its derivatives, so variances and covariances of any
result follow, correlations included (law of propagation of uncertainty, JCGM 100, first order).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import field
from typing import TYPE_CHECKING

from brisk_anchor.core.uncertainty.coverage import coverage_factor
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:  # sums need no arrays, and a command line should start at once
    from brisk_anchor.core.geometry.frames import Array

Effects = Mapping[Source, float]
"""By source the effect of one standard uncertainty of it, in the unit of the figure."""


@dataclass(frozen=True, slots=True)
class Estimate:
    """A value, and by source the effect of one standard uncertainty of that source, in the value's unit."""

    value: float
    effects: Effects = field(default_factory=dict)

    @property
    def u(self) -> float:
        """Standard uncertainty, in the unit of the value."""
        return math.sqrt(sum(effect**2 for effect in self.effects.values()))

    @property
    def u_own(self) -> float:
        """The part of it that differs from run to run, in the same unit."""
        return math.sqrt(sum(effect**2 for source, effect in self.effects.items() if source.own))

    @property
    def freedom(self) -> float:
        """Effective degrees of freedom (`effective_freedom`); infinite where every source is known."""
        return effective_freedom(self.effects)

    @property
    def k(self) -> float:
        """The coverage factor of its ±."""
        return coverage_factor(self.freedom, self.uniform_share)

    @property
    def uniform_share(self) -> float:
        """The share (0 to 1, no unit) of its variance that the largest error has which lies anywhere within limits."""
        total = sum(effect**2 for effect in self.effects.values())
        largest = max((effect**2 for source, effect in self.effects.items() if source.uniform), default=0.0)
        return largest / total if total else 0.0

    @property
    def expanded(self) -> float:
        """Its ±, in the unit of the value: in 95.45 % of all cases the true value lies within."""
        return self.k * self.u


def effective_freedom(effects: Effects) -> float:
    """Effective degrees of freedom, `u⁴ / Σ (u_g⁴ / ν_g)` (Welch–Satterthwaite, JCGM 100, G.4.1).

    They belong to an estimate of scatter, not to a touch: contributions from the same estimate are summed into one
    group first, so that four touches whose u comes from three repeats have two degrees, not eight.
    """
    total = 0.0
    groups: dict[str, tuple[float, float]] = {}
    for source, effect in effects.items():
        total += effect**2
        if source.freedom is not None:
            variance, freedom = groups.get(source.group or source.name, (0.0, source.freedom))
            groups[source.group or source.name] = (variance + effect**2, min(freedom, source.freedom))
    below = sum(variance**2 / freedom for variance, freedom in groups.values())
    return total**2 / below if below else math.inf


def combined(*parts: tuple[float, Effects]) -> dict[Source, float]:
    """Effects of a sum of figures, each counting by a factor."""
    held: dict[Source, float] = {}
    for factor, effects in parts:
        if not factor:
            continue
        for source, effect in effects.items():
            if contribution := factor * effect:
                held[source] = held.get(source, 0.0) + contribution
    return held


def linear(values: Iterable[float], jacobian: Array, inputs: Sequence[Estimate]) -> list[Estimate]:
    """Estimates of what a function makes of others, by its derivatives: `jacobian` has a row for each value."""
    import numpy as np

    rows = np.atleast_2d(jacobian).tolist()
    return [
        Estimate(float(value), combined(*zip(row, (item.effects for item in inputs), strict=True)))
        for value, row in zip(values, rows, strict=True)
    ]


def independent(covariance: Array) -> list[list[float]]:
    """Effects, on each of k figures, of independent errors that together have a covariance (k × k).

    They are in the unit of its root.
    """
    import numpy as np

    if len(covariance) == 1:
        return [[math.sqrt(float(covariance[0, 0]))]] if covariance[0, 0] > 0 else []
    weights, vectors = np.linalg.eigh(covariance)
    roots: list[list[float]] = (vectors * np.sqrt(np.maximum(weights, 0.0))).T.tolist()
    return [root for root, weight in zip(roots, weights.tolist(), strict=True) if weight > 0]


def numbered(source: Source, number: int) -> Source:
    """One of several independent errors that are one line of a budget."""
    group = source.group or (source.name if source.freedom is not None else "")
    return Source(
        f"{source.name} {number}", source.words, source.own, group, source.freedom, source.bounded, source.uniform
    )


def correlated(source: Source, covariance: Array) -> list[dict[Source, float]]:
    """Effects of errors that have a covariance, by figure: as many independent ones as it has directions.

    They are in the unit of its root.
    """
    roots = independent(covariance)
    names = [numbered(source, n) for n in range(len(roots))]
    return [{name: root[i] for name, root in zip(names, roots, strict=True) if root[i]} for i in range(len(covariance))]


def covariance_of(estimates: Sequence[Estimate], *, own: bool = False) -> Array:
    """Covariances of some estimates, squares of their unit; with `own` only the part that differs from run to run."""
    import numpy as np

    sources = sorted({source for item in estimates for source in item.effects}, key=lambda source: source.name)
    if own:
        sources = [source for source in sources if source.own]
    rows = np.array([[item.effects.get(source, 0.0) for source in sources] for item in estimates])
    result: Array = rows.reshape(len(estimates), -1) @ rows.reshape(len(estimates), -1).T
    return result


_FEW = 12
"""So many errors of touches from one estimate are kept as they are: what they share with other figures stays known."""


def folded(estimates: Sequence[Estimate]) -> list[Estimate]:
    """The same with the errors of touches drawn together, one set for every group: as few as say the same.

    Touches are many, and only their sum counts once they are in no other figure. A group keeps its name, so that what
    it shares with other figures by its degrees of freedom stays known; what it shares touch by touch is let go.
    """
    import numpy as np

    own = {source for item in estimates for source in item.effects if source.own}
    groups: dict[tuple[str, float | None, str], list[Source]] = {}
    for source in sorted(own, key=lambda source: source.name):
        groups.setdefault((source.group, source.freedom, source.words), []).append(source)
    kept = [{source: effect for source, effect in item.effects.items() if not source.own} for item in estimates]
    for (group, freedom, words), sources in groups.items():
        if len(sources) <= max(len(estimates), _FEW):
            for held, item in zip(kept, estimates, strict=True):
                held |= {source: item.effects[source] for source in sources if source in item.effects}
            continue
        rows = np.array([[item.effects.get(source, 0.0) for source in sources] for item in estimates])
        name = Source(f"{sources[0].name} and {len(sources) - 1} more", words, own=True, group=group, freedom=freedom)
        for held, more in zip(kept, correlated(name, rows @ rows.T), strict=True):
            held |= more
    return [Estimate(item.value, held) for item, held in zip(estimates, kept, strict=True)]
