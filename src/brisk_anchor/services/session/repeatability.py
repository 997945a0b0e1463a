"""The same measurement many times: how far its figures spread, against what is stated of one."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date

import numpy as np

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.quantities import num, um
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.reports import PRINTED
from brisk_anchor.services.session.session import Session

MOST = 200


@dataclass(frozen=True, slots=True)
class Repeated:
    """One figure of a feature over all runs, mm; `stated` is the standard uncertainty of a single one, its own part."""

    label: str
    values: tuple[float, ...]
    stated: float
    over: OverClampings | None = None

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


@dataclass(frozen=True, slots=True)
class OverClampings:
    """One figure over several clampings of the same part (one-way analysis of variance, ISO 5725-2), mm.

    `within` is the standard deviation of one run, `between` that of the place the part takes up anew each time;
    `reproducibility` is both together.
    """

    clampings: int
    within: float
    between: float

    @property
    def reproducibility(self) -> float:
        """Standard deviation of one run in one clamping among all, mm."""
        return math.hypot(self.within, self.between)


def over_clampings(series: Sequence[Sequence[float]]) -> OverClampings | None:
    """What runs of the same figure in several clampings say, two runs or more in each; None for a single clamping."""
    groups = [np.array(values) for values in series if len(values) > 1]
    if len(groups) < 2:
        return None
    freedom = sum(len(group) - 1 for group in groups)
    within = math.sqrt(sum(float(group.var(ddof=1)) * (len(group) - 1) for group in groups) / freedom)
    means = np.array([float(group.mean()) for group in groups])
    each = len(groups) / sum(1 / len(group) for group in groups)
    between = max(0.0, float(means.var(ddof=1)) - within**2 / each)
    return OverClampings(len(groups), within, math.sqrt(between))


def keep_repeatability(session: Session, measurement: Measurement, found: Sequence[Repeated]) -> str:
    """Take the spread of a run as the probe's own, with the count it comes from, for the touch feed it was made at.

    Of one touch it is what is stated, times what the figures scatter more or less than stated; every figure tells it
    with one degree of freedom less than there are runs.

    Raises:
        PlanError: nothing scattered: there is nothing to take. JobError, ExportError: the file could not be changed.
    """
    stylus, feed = session.setup.stylus, measurement.options.touch_feed
    touch = math.hypot(stylus.scatter_at(feed).u, PRINTED / math.sqrt(12))
    known = [item for item in found if item.stated > 0]
    freedom = sum(len(item.values) - 1 for item in known)
    if not freedom:
        raise PlanError("Nothing is stated of these figures", "They cannot be compared", "Measure something else")
    ratio = sum((item.spread / item.stated) ** 2 * (len(item.values) - 1) for item in known) / freedom
    u = math.sqrt(max(0.0, ratio * touch**2 - PRINTED**2 / 12))
    if not u:
        raise PlanError("The figures do not scatter", "A touch that scatters by nothing is none", "Measure it again")
    scatter = Scatter(u, freedom + 1, feed, date.today().isoformat())
    session.editor.scatter_known(scatter)
    where = f" at F{num(feed)}" if feed is not None else ""
    return f"One touch{where} scatters by {um(u)}, from {freedom + 1} touches. Measure again: all is stale."


def repeat(
    session: Session, measurement: Measurement, times: int, go_on: Callable[[int], bool] = lambda _: True
) -> list[Repeated]:
    """Measure the same feature many times; nothing of it is kept as a measurement. It may run in a thread.

    `go_on` is asked before each run, with how many are done; False ends it.

    Raises:
        PlanError: too few or too many runs, or it was ended. BriskAnchorError: a run did not end well. Nothing is told
        then.
    """
    if not 2 <= times <= MOST:
        raise PlanError(f"{times} runs are no repeatability run", f"It takes 2 to {MOST}", "")
    features = []
    for done in range(times):
        if not go_on(done):
            session.link.settle()
            raise PlanError(f"Stopped after {done} of {times} runs", "Nothing of them is kept", "Y begins anew")
        program = session.planner.measuring_program(measurement)
        run = session.runner.start(program)
        run.to_end()
        features.append(session.runner.solved(measurement, program, run).feature)
    session.link.settle()
    return spread_of(session, measurement, features)


def spread_of(session: Session, measurement: Measurement, features: list[Feature]) -> list[Repeated]:
    """How figures of a feature spread that was measured many times in one clamping, and over clampings so far."""
    first = features[0]
    own = _own(first)
    found = []
    for i, axis in enumerate(first.axes):
        found.append(Repeated(axis.upper(), tuple(feature.coordinates[i] for feature in features), own[i]))
    for i, (letter, label) in enumerate(zip(first.sizes, ("size", "size in Y"), strict=False), len(first.axes)):
        found.append(Repeated(label, tuple(feature.sizes[letter] for feature in features), own[i]))
    runs = session.working.repeated.setdefault(first.name, {})
    for item in found:
        runs.setdefault(item.label, {})[session.working.clamping] = item.values
    return [replace(item, over=over_clampings(list(runs[item.label].values()))) for item in found]


def _own(feature: Feature) -> list[float]:
    """What differs between runs in each coordinate and size, as stated: the touches' own part, standard uncertainties.

    What all runs share, the tool's radius say, is in none of their differences.
    """
    figures = [*feature.estimates().values(), *feature.size_estimates().values()]
    return [item.u_own / feature.widened for item in figures]
