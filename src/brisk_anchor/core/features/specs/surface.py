"""A surface: one touch, on any side or from above."""

from __future__ import annotations

from brisk_anchor.core.expressions import Name, Number, less, plus
from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums
from brisk_anchor.core.features.specs.walls import across_wall, check_one_direction, wall_contacts
from brisk_anchor.core.features.touches import AXES, Touch, axis_of
from brisk_anchor.core.features.walls import solve_surface
from brisk_anchor.core.kinds import FeatureKind


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Solution:
    return solve_surface(name, touches)


def _sums(sums: Sums) -> None:
    m = sums.measurement
    axis, sign = axis_of(m.directions[0])
    letter = AXES[axis]
    ((_, names),) = sums.made
    touched = Name(names[axis])
    radius = sign * m.stylus.effective_radius
    if axis == 2:
        value, why = less(touched, m.stylus.length), "surface: spindle Z less the length of the probe"
    else:
        value, why = plus(touched, radius), f"surface: touch {'plus' if sign > 0 else 'less'} the ball radius"
    found = sums.compute(f"m{sums.index}{letter}", value, why, keep=True)
    sums.report({letter: found})
    if axis == 2:
        sums.locate(letter, found)
    else:
        sums.locate(letter, found, Number(m.start[1 - axis]), radius)


SPEC = FeatureSpec(
    (FeatureKind.SURFACE,), check_one_direction, wall_contacts, _solve, _sums, across_wall, lambda _spread: False
)
