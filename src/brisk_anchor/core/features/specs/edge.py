"""An edge: a wall touched at two places, which tells where it is and how it is turned."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums
from brisk_anchor.core.features.specs.wall_sums import wall, wall_turn
from brisk_anchor.core.features.specs.walls import across_wall, check_one_direction, check_spread, wall_contacts
from brisk_anchor.core.features.touches import AXES, Touch, axis_of
from brisk_anchor.core.features.walls import solve_edge_feature
from brisk_anchor.core.kinds import FeatureKind

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement


def _check(m: Measurement) -> None:
    check_one_direction(m, below=False)
    check_spread(m)


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Solution:
    return solve_edge_feature(name, touches)


def _sums(sums: Sums) -> None:
    m = sums.measurement
    axis, sign = axis_of(m.directions[0])
    pair = [names for _, names in sums.made]
    line = wall(sums, f"m{sums.index}w", axis, pair, sign * m.stylus.effective_radius, keep=True)
    letter = AXES[axis]
    found = sums.compute(f"m{sums.index}{letter}", line.place, "the wall, halfway between the touches", keep=True)
    turn = sums.compute(f"m{sums.index}r", wall_turn(axis, line.slope), "how far it is turned", keep=True)
    sums.report({letter: found, "r": turn})
    sums.locate(letter, found, line.at)
    sums.locate("r", turn)


SPEC = FeatureSpec((FeatureKind.EDGE,), _check, wall_contacts, _solve, _sums, across_wall, lambda _spread: True)
