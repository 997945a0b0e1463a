"""The same measurement many times: how far its figures spread, against what is stated of one."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.services.session.session import Session

MOST = 200


@dataclass(frozen=True, slots=True)
class Repeated:
    """One figure of a feature over all runs, mm; `stated` is the standard uncertainty of a single one, its own part."""

    label: str
    values: tuple[float, ...]
    stated: float

    @property
    def mean(self) -> float:
        """The mean, mm."""
        return float(np.mean(self.values))

    @property
    def spread(self) -> float:
        """Standard deviation of a single run, mm."""
        return float(np.std(self.values, ddof=1))

    @property
    def range(self) -> float:
        """Largest less smallest, mm."""
        return max(self.values) - min(self.values)

    @property
    def honest(self) -> bool:
        """Whether the spread is what is stated: within what chance makes of so many runs (3 standard deviations)."""
        freedom = len(self.values) - 1
        return self.spread <= self.stated * (1 + 3 / math.sqrt(2 * freedom)) + 1e-6


def repeat(session: Session, measurement: Measurement, times: int) -> list[Repeated]:
    """Measure the same feature many times; nothing of it is kept as a measurement.

    Raises:
        PlanError: too few or too many runs. BriskAnchorError: a run did not end well; nothing is told then.
    """
    if not 2 <= times <= MOST:
        raise PlanError(f"{times} runs are no repeatability run", f"It takes 2 to {MOST}", "")
    features = []
    for _ in range(times):
        program = session.planner.measuring_program(measurement)
        run = session.runner.start(program)
        run.to_end()
        features.append(session.runner.solved(measurement, program, run).feature)
    session.link.settle()
    first = features[0]
    own = _own(first)
    found = []
    for i, axis in enumerate(first.axes):
        found.append(Repeated(axis.upper(), tuple(feature.coordinates[i] for feature in features), own[i]))
    for i, (letter, label) in enumerate(zip(first.sizes, ("size", "size in Y"), strict=False), len(first.axes)):
        found.append(Repeated(label, tuple(feature.sizes[letter] for feature in features), own[i]))
    return found


def _own(feature: Feature) -> list[float]:
    """What differs between runs in each coordinate and size, as stated: the touches' own part, standard uncertainties.

    What all runs share, the tool's radius say, is in none of their differences.
    """
    figures = [*feature.estimates().values(), *feature.size_estimates().values()]
    return [item.u_own / feature.widened for item in figures]
