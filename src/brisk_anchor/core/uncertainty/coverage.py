"""Coverage factors and limits of tests: quantiles of Student's, the chi-square and Fisher's distributions.

Those of estimates with few degrees of freedom come from SciPy, which is loaded when the first one is wanted.
"""

from __future__ import annotations

import math
from functools import lru_cache
from statistics import NormalDist

COVERAGE = 0.9545
"""Share of all cases in which the true value lies within a ± (two standard deviations of a Gaussian)."""
_MOST = 0.5
"""Where one uniform error has less than this of a variance, the sum is as good as Gaussian."""
_MANY = 1e6
"""More degrees of freedom than this are as good as knowing."""


def coverage_factor(freedom: float, uniform_share: float = 0.0) -> float:
    """k of a ± with so many degrees of freedom: Student's quantile (JCGM 100, G.3), never more than 20.

    `uniform_share` is the share of its variance, 0 to 1, of one error that lies anywhere within limits. Where that is
    most of it, two standard uncertainties would go beyond what can be: k is that of the two together then.

    >>> coverage_factor(math.inf), round(coverage_factor(2.0), 2), round(coverage_factor(math.inf, 1.0), 3)
    (2.0, 4.53, 1.653)
    """
    # The quantile changes slowly: a hundredth of a degree is no difference, and makes the same question come again.
    few = max(0.5, round(freedom, 2) if freedom < 100 else float(round(min(freedom, _MANY))))
    k = 2.0 if freedom > _MANY else _student(few)
    return k if uniform_share <= _MOST else k * _with_uniform(math.floor(100 * uniform_share + 1e-9)) / 2


@lru_cache(maxsize=64)
def _with_uniform(percent: int) -> float:
    """What a uniform error and a Gaussian one, of variance 1 together, stay within in 95.45 % of all cases."""
    half, sigma = math.sqrt(3 * percent / 100), math.sqrt(1 - percent / 100)
    if not sigma:
        return COVERAGE * half

    def above(x: float) -> float:
        """The mean of how far a Gaussian error lies above −x, mm: its slope by x is the distribution function."""
        z = x / sigma
        return x * (1 + math.erf(z / math.sqrt(2))) / 2 + sigma * math.exp(-z * z / 2) / math.sqrt(2 * math.pi)

    low, high = 1.0, 2.0
    while high - low > 1e-6:
        k = (low + high) / 2
        inside = (above(k + half) - above(k - half)) / half - 1
        low, high = (k, high) if inside < COVERAGE else (low, k)
    return high


def u_within(limit: float | None) -> float:
    """Standard uncertainty of what lies anywhere within ± `limit`, each place as likely.

    It is in the unit of the limit (JCGM 100, 4.3.7).
    """
    return (limit or 0.0) / math.sqrt(3)


def load() -> None:
    """Load what quantiles come from, before the first one is wanted: it takes a moment."""
    _student(1.0)


@lru_cache(maxsize=4096)
def _student(freedom: float) -> float:
    from scipy.special import stdtrit

    return min(20.0, float(stdtrit(freedom, 0.5 + COVERAGE / 2)))


def chi_square_tail(square: float, freedom: int, scatter: float | None = None) -> float:
    """The probability that a sum of squares of so many degrees of freedom is larger than this one.

    Where standard uncertainties are known it is a finite sum (Abramowitz and Stegun, 26.4.4 and 26.4.5), and needs no
    library: a proof asks it of every part.

    Args:
        square: the sum, in standard uncertainties.
        freedom: of the sum, 1 or more.
        scatter: degrees of freedom of the standard uncertainty that the residuals are counted in; None: it is known.
    """
    if square <= 0:
        return 1.0
    if scatter is not None and scatter <= _MANY:
        from scipy.special import fdtrc

        return float(fdtrc(freedom, scatter, square / freedom))
    half = square / 2
    odd = 0.5 * (freedom % 2)
    tail = math.erfc(math.sqrt(half)) if odd else 0.0
    count = freedom // 2
    if not count:
        return tail
    # From the largest term down, then up: what is next to nothing beside it is left out.
    peak = max(0, min(count - 1, int(half - odd)))
    largest = term = math.exp((peak + odd) * math.log(half) - half - math.lgamma(peak + odd + 1))
    for k in range(peak, -1, -1):
        tail += term
        term *= (k + odd) / half
        if term < largest * 1e-18:
            break
    term = largest
    for k in range(peak + 1, count):
        term *= half / (k + odd)
        tail += term
        if term < largest * 1e-18:
            break
    return tail


def normal_tail(score: float, scatter: float | None = None) -> float:
    """The probability that a standardised residual is larger than this one, either way."""
    if scatter is not None and scatter <= _MANY:
        from scipy.special import stdtr

        return 2 * float(stdtr(scatter, -abs(score)))
    return math.erfc(abs(score) / math.sqrt(2))


@lru_cache(maxsize=4096)
def normal_limit(alarm: float, scatter: float | None = None) -> float:
    """What a standardised residual exceeds, either way, with a probability of `alarm`."""
    if scatter is not None and scatter <= _MANY:
        from scipy.special import stdtrit

        return float(-stdtrit(scatter, alarm / 2))
    return NormalDist().inv_cdf(1 - alarm / 2)


def student_distribution(t: float, freedom: float | None = None) -> float:
    """The probability that a standardised error is smaller than t; Gaussian where its u is known."""
    if freedom is not None and freedom <= _MANY:
        from scipy.special import stdtr

        return float(stdtr(freedom, t))
    return 0.5 * math.erfc(-t / math.sqrt(2))


@lru_cache(maxsize=4096)
def normal_quantile(probability: float, freedom: float | None = None) -> float:
    """What a standardised error stays below with this probability; Gaussian where its u is known."""
    if freedom is not None and freedom <= _MANY:
        from scipy.special import stdtrit

        return float(stdtrit(freedom, probability))
    return NormalDist().inv_cdf(probability)
