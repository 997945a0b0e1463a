"""Coverage factors and limits of tests: quantiles of Student's, the chi-square and Fisher's distributions.

They come from SciPy, which is loaded when the first one is wanted that is not Gaussian.
"""

from __future__ import annotations

import math
from functools import lru_cache

COVERAGE = 0.9545
"""Share of all cases in which the true value lies within a ± (two standard deviations of a Gaussian)."""
_MANY = 1e6
"""More degrees of freedom than this are as good as knowing."""


def coverage_factor(freedom: float) -> float:
    """k of a ± with so many degrees of freedom: Student's quantile (JCGM 100, G.3), never more than 20.

    >>> coverage_factor(math.inf), round(coverage_factor(2.0), 2)
    (2.0, 4.53)
    """
    if freedom > _MANY:
        return 2.0
    # The quantile changes slowly: a hundredth of a degree is no difference, and makes the same question come again.
    return _student(max(0.5, round(freedom, 2) if freedom < 100 else float(round(freedom))))


def u_within(limit: float | None) -> float:
    """Standard uncertainty of what lies anywhere within ± `limit`, each place as likely (JCGM 100, 4.3.7)."""
    return (limit or 0.0) / math.sqrt(3)


def load() -> None:
    """Load what quantiles come from, before the first one is wanted: it takes a moment."""
    _student(1.0)


@lru_cache(maxsize=4096)
def _student(freedom: float) -> float:
    from scipy.special import stdtrit

    return min(20.0, float(stdtrit(freedom, 0.5 + COVERAGE / 2)))


@lru_cache(maxsize=4096)
def chi_square_limit(freedom: int, alarm: float, scatter: float | None = None) -> float:
    """What a sum of squares of so many degrees of freedom exceeds with a probability of `alarm`.

    Args:
        freedom: of the sum.
        alarm: the probability, 0 to 1.
        scatter: degrees of freedom of the standard uncertainty that the residuals are counted in; None: it is known.
    """
    from scipy.special import chdtri, fdtri

    if scatter is None or scatter > _MANY:
        return float(chdtri(freedom, alarm))
    return freedom * float(fdtri(freedom, scatter, 1 - alarm))


@lru_cache(maxsize=4096)
def normal_limit(alarm: float, scatter: float | None = None) -> float:
    """What a standardised residual exceeds, either way, with a probability of `alarm`."""
    from scipy.special import ndtri, stdtrit

    if scatter is None or scatter > _MANY:
        return float(-ndtri(alarm / 2))
    return float(-stdtrit(scatter, alarm / 2))
