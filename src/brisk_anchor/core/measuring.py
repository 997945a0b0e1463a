"""A measurement as it is asked for: which feature, from where, in which directions, how deep and how far."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.touches import Stylus

SEARCH_MARGIN = 1.0
"""How far, mm, a search goes beyond what the stated uncertainty asks for, so that a wall just there is still met."""


@dataclass(frozen=True, slots=True)
class Measurement:
    """One measurement. Positions are spindle (gauge point) machine coordinates, mm.

    `start` is where the tip stands when the measurement is asked for: inside a bore at touching depth, beside a wall,
    or above a boss or surface. `clear_z` is the spindle Z at which nothing is in the way. `start_uncertainty` is how
    far from its nominal place the feature may lie, each way. `standoff` is the distance from start to the
    surface when the kind is a surface. `depth` is how far below the feature's upper edge the ball's
    end is when it touches; `drop` how far it goes down beside a boss from the start.
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
        if self.kind.is_round:
            if len(self.directions) != 4:
                raise PlanError(f"{self.name}: a {self.kind.value} takes four touches", "", "Mark all four sides")
            if self.size is None:
                raise PlanError(
                    f"{self.name}: the nominal diameter is not known",
                    "The search distance and the size guard hang on it",
                    "Give the diameter from the drawing",
                )
            if self.kind is FeatureKind.BORE and self.size <= self.stylus.ball_diameter + 2 * self.start_uncertainty:
                raise PlanError(
                    f"{self.name}: the ball of ⌀{self.stylus.ball_diameter:g} hardly goes into ⌀{self.size:g}",
                    f"With the start known to ±{self.start_uncertainty:g} mm it may land on the edge",
                    "Bring the tip nearer and state a smaller uncertainty, or take a smaller ball",
                )
        elif len(self.directions) != 1:
            raise PlanError(f"{self.name}: a surface takes one direction", "", "Mark one wall")

    @property
    def nominal_reach(self) -> float:
        """How far the ball travels to the wall when everything is where the drawing puts it, mm."""
        if self.kind is FeatureKind.BORE:
            return (self.size or 0.0) / 2 - self.stylus.ball_diameter / 2
        if self.kind is FeatureKind.BOSS:
            return self.outside_distance - (self.size or 0.0) / 2 - self.stylus.ball_diameter / 2
        return self.standoff

    @property
    def outside_distance(self) -> float:
        """From the centre of a boss to where the search begins: clear of the wall at the worst stated place, mm."""
        return (self.size or 0.0) / 2 + self.stylus.ball_diameter / 2 + self.start_uncertainty + SEARCH_MARGIN

    def extreme_points(self) -> Iterator[Vector]:
        """The spindle positions furthest out on the path, for the check against the travels."""
        x, y, z = self.start
        yield x, y, self.clear_z
        yield self.start
        out = self.outside_distance if self.kind is FeatureKind.BOSS else self.search
        for dx, dy, dz in self.directions:
            yield x + dx * out, y + dy * out, z + dz * out - self.drop


def propose_search(kind: FeatureKind, stylus: Stylus, size: float | None, standoff: float, uncertainty: float) -> float:
    """The search distance that just covers the stated uncertainty, with SEARCH_MARGIN beyond, mm.

    Long enough to reach a wall at its worst stated place; no longer, so that it cannot meet the neighbour.
    """
    if kind is FeatureKind.BORE:
        return (size or 0.0) / 2 - stylus.ball_diameter / 2 + uncertainty + SEARCH_MARGIN
    if kind is FeatureKind.BOSS:
        return 2 * uncertainty + 2 * SEARCH_MARGIN
    return standoff + uncertainty + SEARCH_MARGIN
