"""Small weighted least-squares problems, solved by Gauss–Newton (docs/maths.md)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brisk_anchor.core.geometry.frames import Array

_MOST_STEPS = 80
_FURTHEST = 1e6
_SINGULAR = 1e12
"""A normal matrix of a larger condition number leaves a direction free."""


@dataclass(frozen=True, slots=True, eq=False)
class LeastSquares:
    """A solution: `x` (k,), its covariance (k × k) and the residuals (n,)."""

    x: Array
    covariance: Array
    residuals: Array


def gauss_newton(
    start: Array, residual: Callable[[Array], tuple[Array, Array]], sigma: Array, *, tolerance: float = 1e-12
) -> LeastSquares | None:
    """Minimise Σ (r/σ)² from a start near enough; None where that does not end, or a direction stays free.

    Args:
        start: (k,) first guess, centred so that its figures are near 1 or a few hundred.
        residual: gives r (n,) and ∂r/∂x (n × k) at x.
        sigma: (n,) standard uncertainties, above zero. The covariance is (JᵀWJ)⁻¹ with W = diag(1/σ²).
        tolerance: the iteration ends when no figure changes by more.
    """
    x = start
    for _ in range(_MOST_STEPS):
        r, jacobian = residual(x)
        step, *_ = np.linalg.lstsq(jacobian / sigma[:, None], -r / sigma, rcond=None)
        x = x + step
        if not np.isfinite(x).all() or float(np.abs(x).max()) > _FURTHEST:
            return None
        if float(np.abs(step).max()) < tolerance:
            r, jacobian = residual(x)
            normal = (jacobian / sigma[:, None] ** 2).T @ jacobian
            if np.linalg.cond(normal) > _SINGULAR:
                return None
            return LeastSquares(x, np.asarray(np.linalg.inv(normal), dtype=np.float64), r)
    return None
