"""A feature of any kind from its touches."""

from __future__ import annotations

from dataclasses import replace

from brisk_anchor.core.features.budget import compensated, feature_of
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.specs.registry import spec_of
from brisk_anchor.core.features.specs.spec import KnownSize
from brisk_anchor.core.features.stated import NOTHING, Stated
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.kinds import FeatureKind


def solve(
    name: str,
    kind: FeatureKind,
    touches: tuple[Touch, ...],
    *,
    diameter: float | None = None,
    u_diameter: float = 0.0,
    stated: Stated = NOTHING,
) -> Feature:
    """Solve a feature of any kind from its touches.

    Args:
        name: what it is called.
        kind: what it is.
        touches: of one tool; compensated here by direction, where the tool was calibrated so.
        diameter: mm, where it is known and stands in for a touch: a bore or boss from two.
        u_diameter: standard uncertainty of that, mm.
        stated: what touches cannot tell.

    Raises:
        GeometryError: the touches do not define it.
    """
    known = KnownSize(diameter, u_diameter) if diameter is not None and kind.may_be_free else None
    solver = spec_of(kind).solve
    plain = solver(name, kind, touches, known)
    better = compensated(touches, half_turn=stated.half_turn)
    if better == touches:
        return feature_of(name, kind, touches, plain, stated)
    solution = solver(name, kind, better, known)
    shifted = tuple(a - b for a, b in zip(solution.values, plain.values, strict=True))[: len(plain.axes)]
    return replace(feature_of(name, kind, touches, solution, stated), shifted=shifted)
