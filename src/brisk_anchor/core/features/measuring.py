"""A measurement as it is asked for: which feature, from where, in which directions, how deep and how far."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import TypeVar

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.measurement_options import AS_USUAL, MeasurementOptions
from brisk_anchor.core.features.specs.registry import spec_of
from brisk_anchor.core.features.specs.spec import FeatureSpec
from brisk_anchor.core.features.touch_place import TouchPlace
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.kinds import FeatureKind, Vector, Walls
from brisk_anchor.core.quantities import dim
from brisk_anchor.lazy_dataclass import dataclass

SEARCH_MARGIN = 1.0
"""How far, mm, a search goes beyond what the stated uncertainty asks for, so that a wall just there is still met."""


MOST_REPEATS = 9
LEAST_SEARCH = 0.3
"""The shortest probing move, and the least height of a depth check, mm: some controls refuse one below 0.254 mm."""
TOP_UNCERTAINTY = 0.2
"""Height difference allowed between a measured top face and the upper edge, mm: the face may be tilted."""

EDGE_MARGIN = 0.5
"""How far, mm, the widest part of the ball is proposed to meet a wall below the lowest place of its edge."""

Item = TypeVar("Item")


@dataclass(frozen=True, slots=True)
class Top:
    """The face an upper edge lies in, measured before the feature: `name` is that measurement.

    `nominal` is the face's machine Z as described (tip, mm); `found` where it was measured before the program was
    written. None: the same program measures it and counts depths from what it finds.
    """

    name: str
    nominal: float
    found: float | None = None


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
    `spread` is how far apart along a wall its two touches lie, 0 for one touch a wall; of a plane the side of the
    triangle. `repeats` is how often each place is touched; `second_depth` how much deeper the second level of a tilted
    bore lies; with `known_size` the diameter stands in for a touch. `turn_uncertainty`, degrees, is how far the part
    may lie turned: touches apart along a wall must reach it all the same.

    With `top` heights count from a face that was measured, so that the start's uncertainty is no longer that of the
    edge. `options` say how it is made where that is not as usual. With `only` some places are touched, by their numbers
    from 0, and the control works nothing out: these touches replace those of a feature that was measured before.
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
    spread: float = 0.0
    repeats: int = 1
    second_depth: float = 0.0
    known_size: bool = False
    turn_uncertainty: float = 0.0
    top: Top | None = None
    options: MeasurementOptions = AS_USUAL
    only: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        figures = [*self.start, self.clear_z, self.search, self.start_uncertainty, self.depth, self.standoff]
        figures += [self.drop, self.spread, self.second_depth, self.turn_uncertainty, self.depth_check]
        if not all(math.isfinite(value) for value in figures):
            raise PlanError(f"{self.name}: a figure is missing", "No program can be written", "Give every figure")
        if self.search < LEAST_SEARCH or self.start_uncertainty < 0:
            what = f"{self.name}: a search distance of {dim(self.search)} is too short"
            raise PlanError(what, "Some controls refuse such a probing move", f"Search {dim(LEAST_SEARCH)} or more")
        if self.depth_check and (self.depth_check < LEAST_SEARCH or not self.touches_walls):
            what = f"{self.name}: touching again {dim(self.depth_check)} higher makes no sense"
            raise PlanError(what, "It shows nothing of the edge", f"{dim(LEAST_SEARCH)} or more, on walls only")
        if self.clear_z < self.start[2] - 1e-9:
            raise PlanError(
                f"{self.name}: the clear height lies below the start",
                "The approach would go through the part",
                "Raise the clear height, or lower the start",
            )
        if not 1 <= self.repeats <= MOST_REPEATS or self.spread < 0 or self.second_depth < 0:
            raise PlanError(f"{self.name}: repeats, spread or the second depth make no sense", "", "Give other figures")
        self._spec.check(self)
        self._check_way()
        if self.only and (self.kind.has_top or not set(self.only) <= set(range(len(self._spec.contacts(self))))):
            raise PlanError(
                f"{self.name}: some of its touches cannot be made alone",
                "Where they are depends on what the others find",
                "Measure the whole feature",
            )

    def _check_way(self) -> None:
        """Whether the probe can go the way it is to go between touches, and the feeds are feeds."""
        self.options.check(self.name)
        kind = self.kind
        if self.options.hop is not None:
            if not self.hops:
                raise PlanError(f"{self.name}: it does not go up and over by a hop", "", "Leave the hop out")
            if not self.depth + self.start_uncertainty <= self.options.hop <= self.drop:
                raise PlanError(
                    f"{self.name}: a hop of {dim(self.options.hop)} makes no sense",
                    f"The probe would meet what it goes over, {dim(self.depth)} up, or go higher than it came from",
                    f"{dim(self.depth + self.start_uncertainty)} to {dim(self.drop)}",
                )
        if self.options.over_the_top is None:
            return
        if kind.is_outside and not self.options.over_the_top:
            if kind.traits.walls is not Walls.ALL or self.is_free:
                raise PlanError(
                    f"{self.name}: {kind.one} in these directions cannot be gone round",
                    "Where its ends are is not known",
                    "Go over the top between touches",
                )
        elif self.options.over_the_top and not kind.is_outside:
            if not kind.is_paired or kind.has_levels:
                raise PlanError(f"{self.name}: {kind.one} has no walls to go between", "", "Leave over_the_top out")
            if min(self.begin_distance(axis) for axis in {self.axis_along(d) for d in self.directions}) <= 0:
                raise PlanError(
                    f"{self.name} is too narrow to come down beside each wall",
                    "The places to come down would lie beyond the middle",
                    "Stay down between touches, or state a smaller uncertainty",
                )

    @property
    def depth_check(self) -> float:
        """How much higher every wall is touched once more, mm; 0 where it is not."""
        return self.options.depth_check or 0.0

    # -- how deep ------------------------------------------------------------------------------------------------

    @property
    def touches_walls(self) -> bool:
        """Whether it touches walls below an upper edge. A ball's sides are touched at a height that it finds itself."""
        return not self.kind.has_top and any(not direction[2] for direction in self.directions)

    @property
    def depth_known(self) -> bool:
        """Whether it is known how far below the upper edge it touches."""
        return self.depth > 0

    @property
    def height_uncertainty(self) -> float:
        """How far the upper edge may lie from where it is taken to be, each way, mm."""
        return self.start_uncertainty if self.top is None else min(self.start_uncertainty, TOP_UNCERTAINTY)

    @property
    def widest_part(self) -> float:
        """How far below the upper edge the widest part of the ball touches where that edge is as described, mm."""
        return self.depth - self.stylus.ball_diameter / 2

    @property
    def deep_enough(self) -> bool:
        """Whether the widest part of the ball meets the wall wherever the upper edge may lie."""
        return not self.touches_walls or (self.depth_known and self.widest_part >= self.height_uncertainty - 1e-9)

    @property
    def depth_is_checked(self) -> bool:
        """Whether a second touch higher up tells the wall from its edge, and agrees with everything as described."""
        return self.depth_check > 0 and (not self.depth_known or self.widest_part >= self.depth_check - 1e-9)

    @property
    def depth_limit(self) -> float:
        """How far, mm, the two touches of a depth check may differ.

        Half of what an edge makes of it at the least: where the widest part stands h above the edge, the wall seems
        r − √(r² − h²) off, which grows by at least r − √(r² − s²) from h to h + s.
        """
        radius = self.stylus.ball_diameter / 2
        return (radius - math.sqrt(max(0.0, radius**2 - self.depth_check**2))) / 2

    def counted(self, made: Sequence[Item]) -> list[Item]:
        """Of all touches, in the order they are made, those the feature is worked out from."""
        if not self.depth_check:
            return list(made)
        each, at = self.repeats * (2 if self.options.half_turn else 1), 0
        found: list[Item] = []
        for contact in self.contacts():
            found += made[at : at + each]
            at += each + (not contact.direction[2])
        return found

    @property
    def goes_over(self) -> bool:
        """Whether the probe goes up between touches and comes down beside each wall."""
        return self.kind.is_outside if self.options.over_the_top is None else self.options.over_the_top

    @property
    def starts_over(self) -> bool:
        """Whether it starts above the feature and goes `drop` down to touch."""
        return self.kind.is_outside or self.goes_over

    @property
    def hops(self) -> bool:
        """Whether it goes up and over by a height that can be stated; over a ball that is by the top that was found."""
        return self.goes_over and not self.kind.has_top

    @property
    def hop_height(self) -> float:
        """How far over touching height it goes from wall to wall, mm: as high as the feature may stand, and clear.

        Of a ball the height is known from a touch that may have met it so far beside its top that this stands higher.
        """
        if self.options.hop is not None:
            return self.options.hop
        if not self.kind.has_top and not self.depth_known:
            return self.drop  # as high as it came from: what it goes over may stand anywhere below that
        if not self.kind.has_top:
            return min(self.drop, self.depth + self.start_uncertainty + SEARCH_MARGIN)
        reach = ((self.size or 0.0) + self.stylus.ball_diameter) / 2
        top = reach - math.sqrt(max(0.0, reach**2 - 2 * self.start_uncertainty**2))
        return min(self.drop, reach + top + SEARCH_MARGIN)

    @property
    def _spec(self) -> FeatureSpec:
        """What is known of its kind."""
        return spec_of(self.kind)

    @property
    def slack(self) -> float:
        """How far from its nominal place a wall may be where it is touched, each way, mm."""
        return self.start_uncertainty + slack_along(self.spread, self.turn_uncertainty)

    @property
    def is_free(self) -> bool:
        """Whether it is round and touched in free directions, not in two opposite pairs."""
        pairs = len(self.directions) == 4 and all(max(map(abs, direction)) > 0.9999 for direction in self.directions)
        return self.kind.may_be_free and not pairs

    @property
    def is_many(self) -> bool:
        """Whether it is a round that is touched at more places than closed sums of each would be written for."""
        return self.is_free and not self.known_size and len(self.directions) > 3

    @staticmethod
    def axis_along(direction: Vector) -> int:
        """The axis a direction runs along most."""
        return max(range(3), key=lambda i: abs(direction[i]))

    def contacts(self) -> tuple[TouchPlace, ...]:
        """Every place that is touched, in order; each of them `repeats` times."""
        every = self._spec.contacts(self)
        return tuple(every[n] for n in self.only) if self.only else every

    @property
    def touch_count(self) -> int:
        """How many touches it makes, those of a depth check counted in."""
        contacts = self.contacts()
        checks = sum(not contact.direction[2] for contact in contacts) if self.depth_check else 0
        return len(contacts) * self.repeats * (2 if self.options.half_turn else 1) + checks

    def across(self, axis: int) -> float:
        """The nominal distance between the walls along an axis (0 is X), mm; at a corner twice that to its wall."""
        if self.kind.is_corner:
            return 2 * self.standoff
        return (self.size_y if axis == 1 and self.size_y is not None else self.size) or 0.0

    @property
    def nominal_reach(self) -> float:
        """How far the ball travels to the first wall when everything is where the drawing puts it, mm."""
        return self.reach_along(self.axis_along(self.directions[0]))

    def reach_along(self, axis: int) -> float:
        """How far it travels to a wall along an axis, mm."""
        if not self.kind.is_paired and not self.kind.is_outside:
            return self.standoff
        half = (self.across(axis) + self._side * self.stylus.ball_diameter) / 2
        return abs(self.begin_distance(axis) - half) if self.starts_over else half

    def reach_of(self, contact: TouchPlace) -> float:
        """How far the ball travels in the search of a contact, when everything is where the drawing puts it, mm."""
        if contact.direction[2]:
            return self.standoff + contact.aside[2]
        return self.reach_along(self.axis_along(contact.direction))

    def touch_direction(self, contact: TouchPlace) -> Vector:
        """Unit vector of the way the ball goes in that search: towards the wall.

        From beside a feature that stands it goes inward.
        """
        dx, dy, dz = contact.direction
        return (-dx, -dy, dz) if self.kind.is_outside and not dz else (dx, dy, dz)

    @property
    def _side(self) -> int:
        """+1 where the ball stands outside the metal's middle, −1 inside."""
        return 1 if self.kind.is_outside else -1

    def begin_distance(self, axis: int) -> float:
        """From the middle of what is touched from beside each wall to where the search along an axis begins, mm.

        It is clear of the wall at the worst stated place.
        """
        clear = self.stylus.ball_diameter / 2 + self.slack + SEARCH_MARGIN
        return self.across(axis) / 2 + self._side * clear

    def search_zone(self, axis: int) -> tuple[float, float, float]:
        """Where a search along an axis begins and ends, and where the wall is, mm from the middle of the feature."""
        ball, search, reach = self.stylus.ball_diameter, self.search_along(axis), self.reach_along(axis)
        if not self.kind.is_outside:
            return 0.0, search, ball / 2 + reach
        out = self.begin_distance(axis)
        return out, out - search, out - ball / 2 - reach

    def search_along(self, axis: int) -> float:
        """The search distance along an axis, mm: `search` is that of the first touch, all have the same margin."""
        first = self.axis_along(self.directions[0])
        return self.search if self.starts_over else self.search + (self.across(axis) - self.across(first)) / 2

    def search_down(self, contact: TouchPlace) -> float:
        """The search distance of a touch from above, mm; a ball is searched for from the start, then where it is."""
        if not self.kind.has_top:
            return self.search
        return self.reach_of(contact) + SEARCH_MARGIN + (0.0 if contact.aside[2] else self.start_uncertainty)

    def extreme_points(self) -> Iterator[Vector]:
        """The spindle positions furthest out on the path, machine axes, mm, for the check against the travels."""
        x, y, z = self.start
        yield x, y, self.clear_z
        yield self.start
        for contact in self.contacts():
            dx, dy, dz = contact.direction
            ax, ay, az = contact.aside
            out = self.standoff + self.search
            if not dz:
                axis = self.axis_along(contact.direction)
                out = self.begin_distance(axis) if self.starts_over else self.search_along(axis)
                out += 0.0 if self.kind.is_outside or not self.starts_over else self.search
            elif self.kind.is_open:
                out = self.search
            drop = 0.0 if dz else self.drop
            yield x + ax + dx * out, y + ay + dy * out, z + az + dz * out - drop


def slack_along(spread: float, turn_uncertainty: float) -> float:
    """How much nearer or further a wall may be at the ends of a spread (mm) when it is turned by so much (degrees)."""
    return spread / 2 * math.tan(math.radians(turn_uncertainty))


def propose_search(
    kind: FeatureKind, stylus: Stylus, size: float | None, standoff: float, uncertainty: float, *, over: bool = False
) -> float:
    """The search distance that just covers the stated uncertainty, with SEARCH_MARGIN beyond, mm.

    Long enough to reach a wall at its worst stated place; no longer, so that it cannot meet the neighbour.
    """
    if kind.is_outside or over:
        return 2 * uncertainty + 2 * SEARCH_MARGIN
    if kind.is_paired:
        return (size or 0.0) / 2 - stylus.ball_diameter / 2 + uncertainty + SEARCH_MARGIN
    return standoff + uncertainty + SEARCH_MARGIN


def propose_depth(ball_diameter: float, uncertainty: float) -> float:
    """How deep below an upper edge the ball's end goes so that its widest part meets the wall, mm.

    `uncertainty` is how far the edge may lie from where it is described, each way; half a millimetre more is left for a
    chamfer or a burr.
    """
    return ball_diameter / 2 + uncertainty + EDGE_MARGIN


def propose_depth_check(ball_diameter: float) -> float:
    """How much higher a wall is touched again to tell it from its edge, mm: an edge then shows by hundredths."""
    return max(ball_diameter / 8, LEAST_SEARCH)
