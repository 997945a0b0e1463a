"""Corners, inside and outside: one wall along X and one along Y, at any angle where each is touched twice."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Name, Number, plus
from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums
from brisk_anchor.core.features.specs.walls import check_spread, long_walls, touched_twice, wall_contacts
from brisk_anchor.core.features.touches import AXES, Touch, axis_of
from brisk_anchor.core.features.walls import solve_corner, solve_walls
from brisk_anchor.core.kinds import FeatureKind

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement


def _check(m: Measurement) -> None:
    if m.spread:
        check_spread(m)
    if {axis for axis, _ in map(axis_of, m.directions)} != {0, 1} or m.standoff <= 0:
        raise PlanError(f"{m.name}: a corner takes a wall along X and one along Y", "", "Mark its walls")


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Solution:
    return (solve_walls if touched_twice(touches) else solve_corner)(name, kind, touches)


def _sums(sums: Sums) -> None:
    (long_walls if sums.measurement.spread else _square)(sums)


def _square(sums: Sums) -> None:
    m = sums.measurement
    found = {}
    for contact, names in sums.made:
        axis, sign = axis_of(contact.direction)
        toward = sums.ball_sign * sign
        letter = AXES[axis]
        radius = toward * m.stylus.effective_radius
        why = f"wall: touch {'plus' if toward > 0 else 'less'} the ball"
        found[letter] = sums.compute(f"m{sums.index}{letter}", plus(Name(names[axis]), radius), why, keep=True)
        sums.locate(letter, found[letter], Number(m.start[1 - axis]), radius)
    sums.report(dict(sorted(found.items())))


SPEC = FeatureSpec(
    (FeatureKind.INSIDE_CORNER, FeatureKind.OUTSIDE_CORNER),
    _check,
    wall_contacts,
    _solve,
    _sums,
    lambda _walls: "xy",
    lambda spread: spread > 0,
)
