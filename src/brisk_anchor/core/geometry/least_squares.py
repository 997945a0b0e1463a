"""Small weighted least-squares problems, solved by Gauss–Newton (docs/maths.md)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.lazy_dataclass import dataclass

_MOST_STEPS = 80
_FURTHEST = 1e6
_KEEPS_DIGITS = 1e-3
"""Columns that differ no more than that leave ten digits in a step, and the next one has the rest."""
_STALLED = 1e-7
"""A step smaller than this, that is no smaller than the one before it, is rounding: a flat arc ends so."""


@dataclass(frozen=True, slots=True, eq=False)
class LeastSquares:
    """A solution: `x` (k,), its covariance (k × k), the residuals (n,) and their Jacobian (n × k).

    `gain` (k × n) is what a change of each residual does to x: `−(JᵀWJ)⁻¹JᵀW`.
    """

    x: Array
    covariance: Array
    residuals: Array
    jacobian: Array
    gain: Array


def gauss_newton(
    start: Array,
    residual: Callable[[Array], tuple[Array, Array]],
    sigma: Array,
    *,
    tolerance: float = 1e-12,
    condition: float = 1e6,
) -> LeastSquares | None:
    """Minimise Σ (r/σ)² from a start near enough; None where that does not end, or a direction stays free.

    Args:
        start: (k,) first guess, centred so that its figures are near 1 or a few hundred.
        residual: gives r (n,) and ∂r/∂x (n × k) at x.
        sigma: (n,) standard uncertainties, above zero. The covariance is (JᵀWJ)⁻¹ with W = diag(1/σ²).
        tolerance: the iteration ends when no figure changes by more.
        condition: a Jacobian of a larger condition number leaves a direction free.
    """
    x, before = start, np.inf
    for _ in range(_MOST_STEPS):
        r, jacobian = residual(x)
        x = x + (step := _step(jacobian / sigma[:, None], -r / sigma))
        if not np.isfinite(x).all() or float(np.abs(x).max()) > _FURTHEST:
            return None
        moved = float((np.abs(step) / np.maximum(1.0, np.abs(x))).max())
        if moved < tolerance or before <= moved < _STALLED:
            return _solution(x, residual, sigma, condition)
        before = moved
    return None


def _inverse(jacobian: Array) -> Array | None:
    """(JᵀJ)⁻¹ where J keeps enough digits for that; None where it takes singular values."""
    normal = jacobian.T @ jacobian
    try:
        pivots = np.diagonal(np.linalg.cholesky(normal))
    except np.linalg.LinAlgError:
        return None
    if not pivots.min() > _KEEPS_DIGITS * pivots.max():
        return None
    return np.asarray(np.linalg.inv(normal), dtype=np.float64)


def _step(jacobian: Array, r: Array) -> Array:
    """The least-squares step: by its normal equations where they keep enough digits, else by singular values."""
    inverse = _inverse(jacobian)
    if inverse is not None:
        return inverse @ (jacobian.T @ r)
    return np.asarray(np.linalg.lstsq(jacobian, r, rcond=None)[0], dtype=np.float64)


def _solution(
    x: Array, residual: Callable[[Array], tuple[Array, Array]], sigma: Array, condition: float
) -> LeastSquares | None:
    """What stands at the end; the covariance by singular values where JᵀWJ would lose digits."""
    r, jacobian = residual(x)
    weighed = jacobian / sigma[:, None]
    covariance = _inverse(weighed)
    if covariance is not None:
        return LeastSquares(x, covariance, r, jacobian, -(covariance @ weighed.T) / sigma)
    left, singular, rows = np.linalg.svd(weighed, full_matrices=False)
    if not singular[-1] > 0 or singular[-1] * condition < singular[0]:
        return None
    spread = rows / singular[:, None]
    return LeastSquares(x, spread.T @ spread, r, jacobian, -(spread.T @ left.T) / sigma)
