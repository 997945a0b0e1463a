"""A verdict that can be defended: how probable it is that the true value lies between the limits (JCGM 106).

In: at least 95 %. Out: at most 5 %. Between them nobody can tell. Where the uncertainty is small against the band only
one limit counts, and the guard band (ISO 14253-1) is 1.645 standard uncertainties.
"""

from __future__ import annotations

import math
from enum import Enum
from functools import lru_cache

import numpy as np

from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.quantities import num
from brisk_anchor.core.uncertainty.coverage import normal_quantile, student_distribution
from brisk_anchor.lazy_dataclass import dataclass

SURE = 0.95
"""The probability from which on something is in, and below whose rest it is out."""


class Verdict(Enum):
    """What can be said of a characteristic."""

    IN = "in"
    CANNOT_TELL = "cannot tell"
    OUT = "out"
    NOT_MEASURED = "not measured"


class Fate(Enum):
    """What follows from it for the metal: a part that is out may have metal left that can still be cut off."""

    GOOD = "good"
    CANNOT_TELL = "cannot tell"
    AGAIN = "cut again"
    SCRAP = "scrap"
    OPEN = "not measured"


@dataclass(frozen=True, slots=True)
class Limits:
    """What a drawing allows, mm or degrees; None is no limit on that side. `target` is what is aimed at.

    Raises:
        InspectionError: the limits are the wrong way round, or there are none.
    """

    low: float | None
    high: float | None
    target: float

    def __post_init__(self) -> None:
        if self.low is None and self.high is None:
            raise InspectionError("A characteristic without limits cannot be judged", "", "Give it a tolerance")
        if self.low is not None and self.high is not None and not self.low < self.high:
            raise InspectionError(
                f"The limits run from {num(self.low, 4)} to {num(self.high, 4)}",
                "Nothing lies between them: they are the wrong way round, or the same",
                "Give the lower one first, as -0.01 +0.02",
            )

    @property
    def band(self) -> float | None:
        """Their distance, in the unit of the limits; None where one is open."""
        return None if self.low is None or self.high is None else self.high - self.low

    def share(self, value: float) -> float | None:
        """Where in the band a value lies: −1 at the lower limit, +1 at the upper, without unit.

        None where one is open.
        """
        if self.low is None or self.high is None:
            return None
        return (2 * value - self.low - self.high) / (self.high - self.low)


def below(value: float, u: float, limit: float, freedom: float | None = None) -> float:
    """How probable it is that the true value lies below a limit; Student's distribution where u has a freedom."""
    if u <= 0:
        return 1.0 if value <= limit else 0.0
    return student_distribution((limit - value) / u, freedom)


def probability_inside(value: float, u: float, limits: Limits, freedom: float | None = None) -> float:
    """How probable it is that the true value lies between the limits (JCGM 106, 7.4).

    Args:
        value: what was measured.
        u: its standard uncertainty.
        limits: those of the drawing.
        freedom: degrees of freedom of u; None where it is known.
    """
    high = 1.0 if limits.high is None else below(value, u, limits.high, freedom)
    low = 0.0 if limits.low is None else below(value, u, limits.low, freedom)
    if u <= 0 and limits.low is not None and value == limits.low:
        low = 0.0  # on the limit is in
    return max(0.0, high - low)


_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(96)
_WIDE = 9.0
"""Standard uncertainties beyond which nothing counts."""


def probability_within(place: tuple[float, float], covariance: Array, radius: float) -> float:
    """How probable it is that a true place lies within a circle about zero, by the joint distribution of X and Y.

    Along the axes of the covariance the two errors are independent: one is integrated (Gauss–Legendre), the other has a
    closed form.

    Args:
        place: where it was measured, mm from its true place.
        covariance: (2 × 2) of X and Y, mm².
        radius: of the circle, mm.
    """
    values, axes = np.linalg.eigh(np.asarray(covariance, dtype=float))
    (a, b), (s, t) = axes.T @ np.array(place), np.sqrt(np.maximum(values, 0.0))
    if radius <= 0:
        return 0.0
    if t <= 1e-12:
        return 1.0 if math.hypot(a, b) <= radius else 0.0
    low, high = max(-radius, b - _WIDE * t), min(radius, b + _WIDE * t)
    if low >= high:
        return 0.0
    at = (low + high) / 2 + (high - low) / 2 * _NODES
    half = np.sqrt(np.maximum(0.0, radius**2 - at**2))
    if s <= 1e-12:
        across = (np.abs(a) <= half).astype(float)
    else:
        across = np.array([student_distribution((h - a) / s) - student_distribution((-h - a) / s) for h in half])
    density = np.exp(-0.5 * ((at - b) / t) ** 2) / (t * math.sqrt(2 * math.pi))
    return min(1.0, float((high - low) / 2 * (_WEIGHTS * density * across).sum()))


def verdict_of(probability: float) -> Verdict:
    """In, out, or neither, by the probability of being in."""
    if probability >= SURE:
        return Verdict.IN
    return Verdict.OUT if probability <= 1 - SURE + 1e-12 else Verdict.CANNOT_TELL


@lru_cache(maxsize=256)
def guard_band(u: float, freedom: float | None = None) -> float:
    """How far inside a limit a measured value must lie to be in, where the other limit is far: 1.645 u, in its unit."""
    return normal_quantile(SURE, freedom) * u


def acceptance(limits: Limits, u: float, freedom: float | None = None) -> tuple[float | None, float | None] | None:
    """Between which measured values, in their unit, something is in; None where the band is too narrow for any.

    The guard band holds where one limit counts alone; in a narrow band the ends are searched for, by halving.
    """
    if limits.low is None or limits.high is None:
        guard = guard_band(u, freedom)
        low = None if limits.low is None else limits.low + guard
        return low, None if limits.high is None else limits.high - guard
    middle = (limits.low + limits.high) / 2
    if probability_inside(middle, u, limits, freedom) < SURE:
        return None
    inside, outside = middle, limits.high
    for _ in range(60):
        at = (inside + outside) / 2
        inside, outside = (at, outside) if probability_inside(at, u, limits, freedom) >= SURE else (inside, at)
    return 2 * middle - inside, inside


def rejection(limits: Limits, u: float, freedom: float | None = None) -> tuple[float | None, float | None]:
    """Beyond which measured values something is out: a guard band outside each limit, in their unit."""
    guard = guard_band(u, freedom)
    low = None if limits.low is None else limits.low - guard
    return low, None if limits.high is None else limits.high + guard
