"""What a program has worked out, by feature and axis."""

from __future__ import annotations

from brisk_anchor.core.expressions import Expression
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class ControlResult:
    """A coordinate the program has worked out, where along its wall it holds, and the radius that was added, mm.

    `across` is None for a coordinate that stands for itself, a height say.
    """

    value: Expression
    across: Expression | None = None
    radius: float = 0.0
