"""A measurement as it is asked for: which feature, from where, in which directions, how deep and how far."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.touches import Stylus, axis_of

SEARCH_MARGIN = 1.0
"""How far, mm, a search goes beyond what the stated uncertainty asks for, so that a wall just there is still met."""


@dataclass(frozen=True, slots=True)
class Measurement:
    """One measurement. Positions are spindle (gauge point) machine coordinates, mm.

    `start` is where the tip stands when the measurement is asked for: inside a bore at touching depth, beside a wall,
    or above a boss or surface. `clear_z` is the spindle Z at which nothing is in the way. `start_uncertainty` is how
    far from its nominal place the feature may lie, each way. `standoff` is the distance from start to the surface, to
    the walls of an inside corner, or how far inside the walls of an outside one it stands. `depth` is how far below
    the feature's upper edge the ball's end is when it touches; `drop` how far it goes down from a start over the
    feature to touch beside it. `size` is the
    nominal diameter, or the width between opposite walls; of a pocket or block that along X, and `size_y` along Y.
    """

    name: str
    kind: FeatureKind
    stylus: Stylus
    start: Vector
    directions: tuple[Vector, ...]
    clear_z: float
    search: float
    start_uncertainty: float
    depth: float = 0.0
    drop: float = 0.0
    standoff: float = 0.0
    size: float | None = None
    size_limit: float | None = None
    title: str = ""
    size_y: float | None = None

    def __post_init__(self) -> None:
        figures = (*self.start, self.clear_z, self.search, self.start_uncertainty, self.depth, self.standoff)
        if not all(math.isfinite(value) for value in figures):
            raise PlanError(f"{self.name}: a figure is missing", "No program can be written", "Give every figure")
        if self.search <= 0 or self.start_uncertainty < 0:
            raise PlanError(f"{self.name}: the search distance must be above zero", "", "Give a search distance")
        if self.clear_z < self.start[2] - 1e-9:
            raise PlanError(
                f"{self.name}: the clear height lies below the start",
                "The approach would go through the part",
                "Raise the clear height, or lower the start",
            )
        if self.kind.is_paired:
            self._check_pairs()
        elif self.kind.is_corner:
            if {axis for axis, _ in map(axis_of, self.directions)} != {0, 1} or self.standoff <= 0:
                raise PlanError(f"{self.name}: a corner takes a wall along X and one along Y", "", "Mark its walls")
        elif len(self.directions) != 1:
            raise PlanError(f"{self.name}: a surface takes one direction", "", "Mark one wall")

    def _check_pairs(self) -> None:
        wanted = 2 if self.kind in (FeatureKind.SLOT, FeatureKind.WEB) else 4
        senses = {axis_of(direction) for direction in self.directions}
        if len(self.directions) != wanted or any((axis, -sign) not in senses for axis, sign in senses):
            raise PlanError(
                f"{self.name}: a {self.kind.value} takes {wanted} touches, in opposite pairs", "", "Mark its walls"
            )
        if self.size is None or (self.kind.has_two_sizes and self.size_y is None):
            what = "diameter" if self.kind.is_round else "size"
            raise PlanError(
                f"{self.name}: the nominal {what} is not known",
                "The search distance and the size guard hang on it",
                f"Give the {what} from the drawing",
            )
        narrow = min(self.across(axis) for axis, _ in senses)
        if not self.kind.is_outside and narrow <= self.stylus.ball_diameter + 2 * self.start_uncertainty:
            sign = self.kind.size_sign
            raise PlanError(
                f"{self.name}: the ball of ⌀{self.stylus.ball_diameter:g} hardly goes into {sign}{narrow:g}",
                f"With the start known to ±{self.start_uncertainty:g} mm it may land on the edge",
                "Bring the tip nearer and state a smaller uncertainty, or take a smaller ball",
            )

    def across(self, axis: int) -> float:
        """The nominal distance between the walls along an axis (0 is X), mm; at a corner twice that to its wall."""
        if self.kind.is_corner:
            return 2 * self.standoff
        return (self.size_y if axis == 1 and self.size_y is not None else self.size) or 0.0

    @property
    def nominal_reach(self) -> float:
        """How far the ball travels to the first wall when everything is where the drawing puts it, mm."""
        return self.reach_along(axis_of(self.directions[0])[0])

    def reach_along(self, axis: int) -> float:
        """How far it travels to a wall along an axis, mm."""
        if not self.kind.is_paired and not self.kind.is_outside:
            return self.standoff
        half = (self.across(axis) + (1 if self.kind.is_outside else -1) * self.stylus.ball_diameter) / 2
        return self.outside_distance(axis) - half if self.kind.is_outside else half

    def outside_distance(self, axis: int) -> float:
        """From the middle of a boss, web or block to where the search along an axis begins, mm.

        It is clear of the wall at the worst stated place.
        """
        return self.across(axis) / 2 + self.stylus.ball_diameter / 2 + self.start_uncertainty + SEARCH_MARGIN

    def search_along(self, axis: int) -> float:
        """The search distance along an axis, mm: `search` is that of the first touch, all have the same margin."""
        first, _ = axis_of(self.directions[0])
        return self.search if self.kind.is_outside else self.search + (self.across(axis) - self.across(first)) / 2

    def extreme_points(self) -> Iterator[Vector]:
        """The spindle positions furthest out on the path, for the check against the travels."""
        x, y, z = self.start
        yield x, y, self.clear_z
        yield self.start
        for dx, dy, dz in self.directions:
            axis, _ = axis_of((dx, dy, dz))
            out = self.outside_distance(axis) if self.kind.is_outside else self.search_along(axis)
            yield x + dx * out, y + dy * out, z + dz * out - self.drop


def propose_search(kind: FeatureKind, stylus: Stylus, size: float | None, standoff: float, uncertainty: float) -> float:
    """The search distance that just covers the stated uncertainty, with SEARCH_MARGIN beyond, mm.

    Long enough to reach a wall at its worst stated place; no longer, so that it cannot meet the neighbour.
    """
    if kind.is_outside:
        return 2 * uncertainty + 2 * SEARCH_MARGIN
    if kind.is_paired:
        return (size or 0.0) / 2 - stylus.ball_diameter / 2 + uncertainty + SEARCH_MARGIN
    return standoff + uncertainty + SEARCH_MARGIN
