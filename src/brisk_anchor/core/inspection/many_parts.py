"""Figures over many parts: is it steady, does it drift, when does it leave its band, is the process able.

Individuals and moving range: the mean ± 2.66 times the mean moving range, whose own limit is 3.267 times it (ISO
7870-2). Ability: Pp and Ppk from the overall standard deviation; Cp and Cpk from the moving range (MR/1.128), which
says what the process could do without its wandering, so only while it is steady and uncorrected (ISO 22514-2). Their
95 % limits are from the chi-square distribution of s, and for the one-sided ones from their large-sample variance
(Bissell 1990).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from statistics import fmean, median, stdev

import numpy as np

from brisk_anchor.core.inspection.verdict import Limits
from brisk_anchor.core.uncertainty.coverage import normal_quantile
from brisk_anchor.lazy_dataclass import dataclass

ENOUGH = 50
"""Parts below which no figure of ability is told."""
_D2 = 1.128
"""Mean range of two, in standard deviations."""
_INDIVIDUALS = 2.66
_RANGES = 3.267
_RUN = 8
"""So many in a row on one side of the mean are no accident: 1 in 128."""


@dataclass(frozen=True, slots=True)
class RunChart:
    """A chart of individuals: mean, control limits, the parts that say it is not steady (by their number from 0)."""

    values: tuple[float, ...]
    mean: float
    sigma: float
    """From the moving range, mm."""
    low: float
    high: float
    ranges: tuple[float, ...]
    range_limit: float
    signals: tuple[int, ...]

    @property
    def steady(self) -> bool:
        """Whether nothing in it says that more than chance is at work."""
        return not self.signals


def run_chart(values: Sequence[float]) -> RunChart:
    """The chart of figures in the order in which they were cut; of fewer than two without limits."""
    if len(values) < 2:
        mean = fmean(values) if values else 0.0
        return RunChart(tuple(values), mean, 0.0, mean, mean, (), 0.0, ())
    ranges = tuple(abs(b - a) for a, b in pairwise(values))
    mean, middle = fmean(values), fmean(ranges)
    low, high, limit = mean - _INDIVIDUALS * middle, mean + _INDIVIDUALS * middle, _RANGES * middle
    signals = {n for n, value in enumerate(values) if not low <= value <= high}
    signals |= {n + 1 for n, value in enumerate(ranges) if value > limit}
    side, length = 0, 0
    for n, value in enumerate(values):
        now = int(value > mean) - int(value < mean)
        length = length + 1 if now == side and now else 1
        side = now
        if length >= _RUN:
            signals.add(n)
    return RunChart(tuple(values), mean, middle / _D2, low, high, ranges, limit, tuple(sorted(signals)))


_MEDIAN_RANGE = 0.9539
"""Median range of two, in standard deviations."""


def scatter_of(values: Sequence[float]) -> float | None:
    """The standard deviation of parts, in their unit, from the median moving range; None of fewer than ten.

    Single parts that lie far off do not count.
    """
    if len(values) < 10:
        return None
    return median(abs(b - a) for a, b in pairwise(values)) / _MEDIAN_RANGE


@dataclass(frozen=True, slots=True)
class Drift:
    """A straight line through figures: `slope` a part, with its ± (95 %), and where it stands at the last part."""

    slope: float
    expanded: float
    now: float
    expanded_now: float
    scatter: float

    @property
    def is_real(self) -> bool:
        """Whether the slope is more than its ±."""
        return abs(self.slope) > self.expanded


def drift_of(values: Sequence[float]) -> Drift | None:
    """The drift of figures in order (least squares); None of fewer than four."""
    n = len(values)
    if n < 4:
        return None
    at = np.arange(n) - (n - 1) / 2
    figures = np.array(values)
    square = float(at @ at)
    slope = float(at @ figures) / square
    mean = float(figures.mean())
    rest = figures - mean - slope * at
    s = math.sqrt(float(rest @ rest) / (n - 2))
    k = normal_quantile(0.975, float(n - 2))
    last = float(at[-1])
    return Drift(slope, k * s / math.sqrt(square), mean + slope * last, k * s * math.sqrt(1 / n + last**2 / square), s)


@dataclass(frozen=True, slots=True)
class Leaving:
    """In how many parts a drift leaves its band: most likely, and earliest and latest (None: never)."""

    parts: float
    earliest: float
    latest: float | None


def leaving(drift: Drift, limits: Limits) -> Leaving | None:
    """When a drift brings the figure to the limit it runs towards; None where it does not, or nobody can tell."""
    limit = limits.high if drift.slope > 0 else limits.low
    if limit is None or not drift.is_real:
        return None
    left = abs(limit - drift.now)
    beyond = (drift.now > limit) if drift.slope > 0 else (drift.now < limit)
    if beyond:
        return Leaving(0.0, 0.0, 0.0)
    fast, slow = abs(drift.slope) + drift.expanded, abs(drift.slope) - drift.expanded
    return Leaving(
        left / abs(drift.slope),
        max(0.0, left - drift.expanded_now) / fast,
        (left + drift.expanded_now) / slow if slow > 0 else None,
    )


@dataclass(frozen=True, slots=True)
class Ability:
    """A figure of ability with its 95 % limits."""

    name: str
    value: float
    low: float
    high: float


def abilities(values: Sequence[float], limits: Limits, *, corrected: bool, zone: bool = False) -> tuple[Ability, ...]:
    """What can be said of how able a process is; nothing of fewer than 50 parts.

    Args:
        values: figures in the order in which they were cut.
        limits: those of the drawing.
        corrected: whether anything was corrected meanwhile.
        zone: whether it is the width of a zone: only the upper limit counts then, and only overall.
    """
    if len(values) < ENOUGH or (limits.high is None and limits.low is None):
        return ()
    found = list(_pair("P", fmean(values), stdev(values), len(values) - 1, limits, zone=zone))
    chart = run_chart(values)
    if chart.steady and not corrected and not zone and chart.sigma > 0:
        # The moving range of n figures knows its sigma as well as 0.62 (n − 1) independent ones do.
        found += _pair("C", chart.mean, chart.sigma, 0.62 * (len(values) - 1), limits, zone=zone)
    return tuple(found)


def _pair(letter: str, mean: float, s: float, freedom: float, limits: Limits, *, zone: bool) -> list[Ability]:
    if s <= 0:
        return []
    found = []
    if limits.band is not None and not zone:
        whole = limits.band / (6 * s)
        low, high = (math.sqrt(_chi_square(p, freedom) / freedom) for p in (0.025, 0.975))
        found.append(Ability(f"{letter}p", whole, whole * low, whole * high))
    sides = [] if limits.low is None or zone else [(mean - limits.low) / (3 * s)]
    sides += [] if limits.high is None else [(limits.high - mean) / (3 * s)]
    least = min(sides)
    off = normal_quantile(0.975) * math.sqrt(1 / (9 * (freedom + 1)) + least**2 / (2 * freedom))
    found.append(Ability(f"{letter}pk", least, least - off, least + off))
    return found


def _chi_square(probability: float, freedom: float) -> float:
    from scipy.special import chdtri

    return float(chdtri(freedom, 1 - probability))


@dataclass(frozen=True, slots=True)
class Repeatability:
    """How far one thing measured again differs: s, its 95 % spread (± 2 s), and as a share of the band."""

    count: int
    s: float
    share: float | None


def repeatability(values: Sequence[float], limits: Limits) -> Repeatability | None:
    """Of one part measured again, in one clamping or over clampings: 4 s over the band; None of fewer than two."""
    if len(values) < 2:
        return None
    s = stdev(values)
    return Repeatability(len(values), s, None if not limits.band else 4 * s / limits.band)
