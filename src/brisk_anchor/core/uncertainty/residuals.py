"""What residuals say: whether touches go together with what is stated of them, and which one does not.

The sum of squares is compared with the chi-square distribution (Fisher's where the standard uncertainty was itself
estimated), each residual on its own with the Gaussian one (Baarda's w). See docs/maths.md.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.uncertainty.coverage import chi_square_tail, normal_tail
from brisk_anchor.lazy_dataclass import dataclass

SUM_ALARM = 0.004
"""How often a sum of squares is called too large though all is as stated."""
WORST_ALARM = 0.002
"""How often the worst residual of a feature is called too large though all is as stated."""
SMALL_ALARM = 0.001
"""How often many features are said to scatter less than stated though they do not."""
_AS_LIKELY = 9.0
"""A touch whose leaving out takes less than this from a sum of squares, less than the worst does, may be it as well:
its odds are above exp(−9/2), one in ninety."""
_LOOSE = 1e-9
"""A touch with less redundancy than this is checked by no other."""


@dataclass(frozen=True, slots=True)
class Misfit:
    """The residuals of one feature against what is stated of its touches.

    `square` is their sum of squares in standard uncertainties and `freedom` its degrees; `worst` the touch whose
    residual is least likely, by index, and `score` that residual in its own standard uncertainties; `off` how far, mm,
    that touch lies from where the others put it (leave one out). `suspects` are the touches, by index, any of which
    would explain the residuals nearly as well if it was wrong, the worst with them; none where chance explains them.
    `scatter` are the degrees of freedom of the stated u.
    """

    square: float
    freedom: int
    worst: int
    score: float
    off: float
    count: int
    scatter: float | None = None
    suspects: tuple[int, ...] = ()

    @property
    def too_large(self) -> bool:
        """Whether chance does not explain it. With one degree of freedom the two questions are one."""
        if self.square > self.freedom and chi_square_tail(self.square, self.freedom, self.scatter) < SUM_ALARM:
            return True
        return self.freedom > 1 and normal_tail(self.score, self.scatter) < WORST_ALARM / self.count

    @property
    def worst_is_known(self) -> bool:
        """Whether leaving one out tells which: with one degree of freedom, say, any one explains all residuals."""
        return self.freedom > 1 and len(self.suspects) < 2

    @property
    def birge(self) -> float:
        """Factor by which the touches scatter more than stated.

        It is the root of the sum of squares over its freedom (Birge).
        """
        return max(1.0, math.sqrt(self.square / self.freedom))


def judge(residuals: Array, sigma: Array, design: Array, scatter: float | None = None) -> Misfit | None:
    """Compare residuals with their standard uncertainties; None where there are no more touches than unknowns.

    Args:
        residuals: (n,) mm.
        sigma: (n,) of each touch, everything in it that may differ from touch to touch, mm.
        design: (n, k) derivatives by the unknowns: what part of an error at a touch shows in its own residual is
            `1 − h`, with `h` the diagonal of the hat matrix.
        scatter: degrees of freedom of `sigma`; None where it is known.
    """
    n, k = design.shape
    if n <= k or not np.all(sigma > 0):
        return None
    weighed = design / sigma[:, None]
    try:
        root = np.linalg.solve(np.linalg.cholesky(weighed.T @ weighed), weighed.T).T
    except np.linalg.LinAlgError:  # a flat arc: squares of its columns have no digits left
        root, _ = np.linalg.qr(weighed)
    redundancy = np.maximum(0.0, 1 - (root**2).sum(axis=1))
    counted = residuals / sigma
    loose = redundancy < _LOOSE
    scores = np.where(loose, 0.0, np.abs(counted) / np.sqrt(np.where(loose, 1.0, redundancy)))
    worst = int(np.argmax(scores))
    off = 0.0 if loose[worst] else float(residuals[worst] / redundancy[worst])
    found = Misfit(float(counted @ counted), n - k, worst, float(scores[worst]), off, n, scatter)
    if not found.too_large:
        return found
    return replace(found, suspects=tuple(np.flatnonzero(scores**2 > scores[worst] ** 2 - _AS_LIKELY).tolist()))
