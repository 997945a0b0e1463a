"""What stands beside the way of the probe, by the description: metal that a part lying elsewhere could bring near."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Sequence
from itertools import pairwise

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.probe_path import between, entry, leaving, search_start
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.checks import EDGE_TOUCHED, LESS_DEEP, Finding
from brisk_anchor.core.quantities import dim
from brisk_anchor.standin.machine import StandIn
from brisk_anchor.standin.scene import Scene
from brisk_anchor.standin.solids import Solid
from brisk_anchor.standin.tracing import STEM, Clearance

LEAST_ROOM = 0.3
"""How near, mm, stem and body may come to metal of the same body where the ball touches: that moves with the wall."""
_LEANS_IN = 0.5
"""A stem nearer to the wall than this share of what its ball keeps it off a straight one is near."""
RAPID_ROOM = 3.0
"""How many times the stated uncertainty a rapid stays off metal: it stops at nothing, so it counts on no statement."""
_LEVEL = 0.1
"""What is a touch of a wall: the largest share of its way that goes up or down."""
_INTO_THE_WALL = 0.3
"""How far behind a touch, mm, metal is looked for below it: a wall that leans away by less still counts as going on."""
_ENDS_STEP = 0.05
"""How far apart, mm, the looks for the end of a wall lie."""
_LOOK_STEP = 0.1
"""The shortest step, mm, from look to look along a way."""
NEARBY = 30.0
"""How far, mm, neighbours are looked for."""


class Clearances:
    """The set-up as it is described, with the probe in the spindle."""

    def __init__(self, scene: Scene, measured: Iterable[str]) -> None:
        """`measured` are the names of what is measured: the bodies those belong to may each lie off."""
        self._scene = scene.as_described()
        self._machines: dict[tuple[tuple[str, float], ...], StandIn] = {}
        self._part = scene.file.job.first_part
        self._bodies = {drawn.name: drawn.body for drawn in scene.setup.features}
        self._measured = {self._bodies.get(name) or self._part for name in measured}
        self._home_z = scene.setup.machine.home[2]
        self._every = {solid.body for solid in scene.solids}

    def _at(self, table: tuple[tuple[str, float], ...]) -> StandIn:
        """The set-up with rotary axes at these angles, each kept: what stands nearest is looked up often."""
        if table not in self._machines:
            machine = self._scene.stand_in(seed=None, position=self._scene.setup.machine.home)
            machine.angles |= dict(table)
            self._machines[table] = machine
        return self._machines[table]

    def _own(self, measurement: Measurement) -> str:
        """The body that is measured; the part, where it is not drawn which."""
        return self._bodies.get(measurement.name) or self._part

    def room(self, measurement: Measurement) -> Clearance | None:
        """The nearest metal to the probe where its searches begin; None where there is none near."""
        found = [
            near
            for contact in measurement.contacts()
            if (near := _nearest(self._at(measurement.options.table), search_start(measurement, contact))) is not None
        ]
        return min(found, key=lambda near: near.distance, default=None)

    def may_go_deeper(self, measurement: Measurement, by: float) -> bool:
        """Whether the probe has room as far as the part may lie off where it touches walls so much deeper, mm."""
        machine = self._at(measurement.options.table)
        for contact in measurement.contacts():
            if contact.direction[2]:
                continue
            x, y, z = search_start(measurement, contact)
            near = _nearest(machine, (x, y, z - by))
            if near is not None and near.distance < measurement.start_uncertainty:
                return False
        return True

    def look(self, measurement: Measurement) -> list[Finding]:
        """Whether stem, body and spindle stay clear beside the walls, wherever those may be."""
        name, machine = measurement.title or measurement.name, self._at(measurement.options.table)
        own = self._own(measurement)
        looks, at = [], dict.fromkeys((entry(measurement), leaving(measurement)))
        for (x, y), way in zip(at, ("down to", "up from"), strict=False):
            rapid = ((x, y, self._home_z), (x, y, measurement.clear_z))
            looks += self._look_rapid(
                f"The rapid {way} {name}", measurement.options.table, measurement.start_uncertainty, *rapid
            )
        starts = [search_start(measurement, contact) for contact in measurement.contacts()]
        upright = [((x, y, measurement.clear_z), (x, y, z)) for x, y, z in dict.fromkeys((starts[0], starts[-1]))]
        ways = [*upright, *between(measurement)]
        for start, contact in zip(starts, measurement.contacts(), strict=True):
            reach = measurement.reach_of(contact)
            dx, dy, dz = measurement.touch_direction(contact)
            end = (start[0] + dx * reach, start[1] + dy * reach, start[2] + dz * reach)
            begins = _nearest(machine, start)
            if begins is not None and begins.distance <= 0:
                looks.append(_in_the_way(name, begins))
                continue
            ways.append((start, end))
            touching = _nearest(machine, end, self._every - {own}, stem_and_body=True)
            least_room = _room_at_the_wall(measurement.stylus, touching)
            for near, least in ((begins, measurement.start_uncertainty), (touching, least_room)):
                if near is not None and near.body == own and near.distance < least - 1e-6:
                    looks.append(_near(name, near, measurement.start_uncertainty))
        if ends := wall_ends(machine, measurement, own, measurement.height_uncertainty):
            looks.append(Finding.stopping(f"At {name} {ends}", EDGE_TOUCHED, LESS_DEEP))
        if (near := self.beside(measurement, ways)) is not None:
            both = near.body in self._measured - {own}
            looks.append(_near(name, near, measurement.start_uncertainty, both=both))
        return list(dict.fromkeys(looks))

    def beside(self, measurement: Measurement, ways: Iterable[tuple[Vector, Vector]]) -> Clearance | None:
        """The nearest metal of other bodies that leaves too little room beside these ways; None where all do.

        The ways follow the part, and a body that is measured too may lie off the other way.
        """
        own = self._own(measurement)
        others = self._measured - {own}
        fixed = ({own} | others, measurement.start_uncertainty)
        moving = (self._every - others, 2 * measurement.start_uncertainty)
        found = [
            near
            for start, end in ways
            for left_out, needed in ((fixed, moving) if others else (fixed,))
            if (near := _least_beside(self._at(measurement.options.table), start, end, needed, left_out)) is not None
        ]
        return min(found, key=lambda near: near.distance, default=None)

    def look_across(self, measurements: Sequence[Measurement]) -> list[Finding]:
        """Whether the rapids from feature to feature at the clear heights are clear."""
        looks = []
        for a, b in pairwise(measurements):
            if a.options.table != b.options.table:
                continue  # by way of home
            level, uncertainty = max(a.clear_z, b.clear_z), max(a.start_uncertainty, b.start_uncertainty)
            way = f"The rapid from {a.title or a.name} to {b.title or b.name}"
            looks += self._look_rapid(way, a.options.table, uncertainty, (*leaving(a), level), (*entry(b), level))
        return looks

    def _look_rapid(
        self, way: str, table: tuple[tuple[str, float], ...], uncertainty: float, start: Vector, end: Vector
    ) -> list[Finding]:
        """Whether a rapid stays clear of everything, even of what lies off; `way` says which it is."""
        machine = self._at(table)
        near = _least_beside(machine, start, end, RAPID_ROOM * uncertainty, ())
        if near is None:
            return []
        how = f"comes within {dim(near.distance, 2)} of" if near.distance > 0 else "meets"
        return [
            Finding.stopping(
                f"{way} {how} {near.solid} with the {near.part}",
                f"That may lie {dim(uncertainty)} off or more, and a rapid stops at nothing",
                "Raise the clear height",
            )
        ]


def _room_at_the_wall(stylus: Stylus, touching: Clearance | None) -> float:
    """How near, mm, what is nearest may come to the wall that the ball touches: a fine stem always is."""
    straight = (stylus.ball_diameter - stylus.stem_diameter) / 2
    return min(LEAST_ROOM, straight * _LEANS_IN) if touching is not None and touching.part == STEM else LEAST_ROOM


def wall_ends(machine: StandIn, measurement: Measurement, body: str, higher: float) -> str:
    """That a wall of the body ends so near below a touch that it may lie above it, in words; empty where none does.

    `machine` has the set-up as described; the body may lie `higher`, mm.
    """
    ends: list[float] = []
    angles = machine.angles | dict(measurement.options.table)
    placed = machine.tracer.solids if angles == machine.angles else machine.solids_at(angles)
    solids = [solid for solid in placed if solid.body == body]
    for contact in measurement.contacts() if measurement.touches_walls else ():
        start = search_start(measurement, contact)
        reach, direction = measurement.reach_of(contact), measurement.touch_direction(contact)
        end = (start[0] + direction[0] * reach, start[1] + direction[1] * reach, start[2] + direction[2] * reach)
        (x0, y0, z0), (x, y, z) = machine.traced(start), machine.traced(end)
        way = math.dist((x0, y0, z0), (x, y, z))
        if not way or abs(z - z0) > _LEVEL * way:
            continue
        ball = measurement.stylus.ball_diameter / 2
        beyond = (ball + _INTO_THE_WALL) / way
        x, y, z = x + (x - x0) * beyond, y + (y - y0) * beyond, z + ball
        ended = _end_below(solids, (x, y, z), higher)
        # Where none stands beside the stem either the wall is drawn elsewhere, which is told by itself.
        if ended or (ended is not None and _stands_above(solids, (x, y, z), measurement.stylus.stem_length)):
            ends.append(ended)
    if not ends:
        return ""
    if not min(ends):
        return "a wall ends above the middle of the ball"
    return f"the ball touches a wall {dim(min(ends))} above its lower edge, which may lie {dim(higher)} higher"


def _end_below(solids: Sequence[Solid], place: Vector, within: float) -> float | None:
    """How far straight below a place metal ends, mm; None where it goes on for as far as is asked.

    As deep in the metal as a look is, so far down it cannot end.
    """
    x, y, z = place
    down = 0.0
    while True:
        outside = min((solid.distance(x, y, z - down) for solid in solids), default=math.inf)
        if outside > 0:
            return down
        if down >= within:
            return None
        down = min(within, down + max(_ENDS_STEP, -outside))


def _stands_above(solids: Sequence[Solid], place: Vector, height: float) -> bool:
    """Whether there is metal somewhere straight above a place, as far up as that, mm."""
    x, y, z = place
    ups = (look * _ENDS_STEP for look in range(1, math.ceil(height / _ENDS_STEP) + 1))
    return any(solid.distance(x, y, z + up) <= 0 for up in ups for solid in solids)


def _nearest(
    machine: StandIn, spindle: Vector, besides: Collection[str] = (), *, stem_and_body: bool = False
) -> Clearance | None:
    """The nearest metal with the spindle there, apart from some bodies."""
    return machine.tracer.nearest(machine.traced(spindle), NEARBY, stem_and_body=stem_and_body, besides=besides)


def _least_beside(
    machine: StandIn, start: Vector, end: Vector, needed: float, besides: Collection[str]
) -> Clearance | None:
    """The nearest metal of other bodies on a straight way, None where none comes nearer than is needed.

    From where there is more room than needed, nothing comes too near before the rest of it is used up.
    """
    length, gone, least = math.dist(start, end), 0.0, None
    while True:
        share = gone / length if length else 0.0
        x, y, z = (a + (b - a) * share for a, b in zip(start, end, strict=True))
        near = _nearest(machine, (x, y, z), besides)
        if near is not None and near.distance < needed - 1e-6 and (least is None or near.distance < least.distance):
            least = near
        if gone >= length:
            return least
        gone = min(length, gone + max(_LOOK_STEP, (NEARBY if near is None else near.distance) - needed))


def _in_the_way(name: str, near: Clearance) -> Finding:
    return Finding.stopping(
        f"Beside {name} the {near.part} stands in {near.solid}",
        "The probe would break",
        "Touch elsewhere, or less deep; or take a longer stylus",
    )


def _near(name: str, near: Clearance, allowed: float, *, both: bool = False) -> Finding:
    """Too near; in the way where there is no room at all."""
    if near.distance <= 0:
        return _in_the_way(name, near)
    return Finding.warning(
        f"Beside {name} the {near.part} is {dim(near.distance, 2)} from {near.solid}",
        f"The part may lie {dim(allowed)} off{', and so may that' if both else ''}: they could meet",
        "Prove it before it runs; touch elsewhere or less deep, or state a smaller uncertainty",
    )
