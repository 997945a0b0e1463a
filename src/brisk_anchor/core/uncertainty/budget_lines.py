"""The budget of a figure as it is shown: its sources by share, and how its ± comes of them."""

from __future__ import annotations

import math

from brisk_anchor.core.quantities import num
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.lazy_dataclass import dataclass

_AS_USUAL = 0.05
"""A coverage factor no further than this from 2 is not told."""
_NOTHING = 1e-4
"""The share of a variance that is not worth a line."""
FEW_LINES = 4
"""How many sources are named where there is little room; the rest are counted together."""


@dataclass(frozen=True, slots=True)
class BudgetLine:
    """One line: what it is, its standard uncertainty in the figure (its unit), and its share of the variance, 0 to 1.

    `freedom` are its degrees of freedom where it was estimated, None where it is known.
    """

    label: str
    u: float
    share: float
    freedom: float | None


def words_of_k(estimate: Estimate) -> str:
    """Which factor its ± has and why, where that is not 2: "k 4.53, 2.0 degrees of freedom"; else nothing."""
    if abs(estimate.k - 2) <= _AS_USUAL:
        return ""
    if math.isinf(estimate.freedom):
        return f"k {num(estimate.k, 2)}, most of it lies within limits"
    return f"k {num(estimate.k, 2)}, {num(estimate.freedom, 1)} degrees of freedom"


def budget_of(estimate: Estimate) -> tuple[BudgetLine, ...]:
    """The sources of a figure, the largest first; those of one label are one line, and what is next to nothing none."""
    variances: dict[str, float] = {}
    freedoms: dict[str, float | None] = {}
    for source, effect in estimate.effects.items():
        variances[source.words] = variances.get(source.words, 0.0) + effect**2
        freedoms[source.words] = source.freedom
    total = sum(variances.values()) or 1.0
    lines = [
        BudgetLine(words, v**0.5, v / total, freedoms[words]) for words, v in variances.items() if v > _NOTHING * total
    ]
    return tuple(sorted(lines, key=lambda line: -line.share))
