"""Slots and webs, pockets and blocks: walls that face each other, with a middle and a size between them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums
from brisk_anchor.core.features.specs.walls import (
    across_wall,
    check_opposite,
    check_sizes,
    check_spread,
    long_walls,
    pair_sums,
    touched_twice,
    wall_contacts,
)
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.features.walls import solve_pairs, solve_walls
from brisk_anchor.core.kinds import FeatureKind

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement


def _check(m: Measurement) -> None:
    check_opposite(m, 2 if m.kind.is_one_pair else 4)
    check_sizes(m)
    if m.spread:
        check_spread(m)


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Solution:
    return (solve_walls if touched_twice(touches) else solve_pairs)(name, kind, touches)


def _sums(sums: Sums) -> None:
    (long_walls if sums.measurement.spread else pair_sums)(sums)


def _locates(walls: Sequence[str]) -> str:
    return "xy" if len(walls) == 4 else across_wall(walls)


SPEC = FeatureSpec(
    (FeatureKind.SLOT, FeatureKind.WEB, FeatureKind.POCKET, FeatureKind.BLOCK),
    _check,
    wall_contacts,
    _solve,
    _sums,
    _locates,
    lambda spread: spread > 0,
)
