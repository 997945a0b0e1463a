"""Sphere tracing: how far the probe gets along a straight move before something touches.

The probe is a ball, exactly, with stem, body and spindle nose as upright cylinders above it. Along the move the
smallest clearance is a safe step; where a step overshoots, halving finds the place to 0.1 nm. Along a
cylinder's axis the field is walked in the same way, and two looks bound what lies between them.
"""

from __future__ import annotations

import math
from collections.abc import Collection

from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.standin.solids import Solid

CONTACT = 1e-7
_SHORTEST_STEP = 2e-4
_AXIS_STEP = 0.25
"""Shortest step along a cylinder's axis, mm; shorter along one so thin that an edge between two would be seen late."""
_SEEN_LATE = 0.004
"""How late, mm, such an edge may be seen: by a step `s` that is `s²/8` over the radius."""
_WATCHED = 10.0
"""How far, mm, the closest approach of stem and body is looked for; what stays further off is as good as free."""
_WATCHED_STEP = 0.5
"""Share of a safe step that is gone while it is looked how near a part comes: in whole ones it would pass by unseen."""
_UNDERSIDE = (
    (0.0, 0.0),
    *((0.5 * math.cos(math.pi * i / 4), 0.5 * math.sin(math.pi * i / 4)) for i in range(8)),
    *((math.cos(math.pi * i / 8), math.sin(math.pi * i / 8)) for i in range(16)),
)
"""Points of a flat end, in radii: middle, half way out, rim."""


STEM = "stylus stem"
"""What the part between ball and probe body is called."""


@dataclass(frozen=True, slots=True)
class Cylinder:
    """An upright part of the probe from `low` to `high` above the ball's end; a flat one has an underside.

    What gives way leans with the ball when a touch pushes that aside.
    """

    part: str
    radius: float
    low: float
    high: float
    flat: bool
    gives_way: bool = False


def _nose(low: float) -> Cylinder:
    return Cylinder("spindle nose", 50.0, low, low + 150.0, flat=True)


@dataclass(frozen=True, slots=True)
class ProbeShape:
    """Ball radius and the cylinders above it, mm; a tool that is no probe has a ball of nothing at its end.

    The first `cutting` cylinders and the end itself may go into a part while they cut.
    """

    ball: float
    cylinders: tuple[Cylinder, ...]
    end: str = "ball"
    cutting: int = 0

    @classmethod
    def of(cls, stylus: Stylus) -> ProbeShape:
        """Ball, stem and body of a stylus; the spindle nose of ⌀100 above the body."""
        neck = stylus.stem_length
        return cls(
            stylus.ball_diameter / 2,
            (
                Cylinder(STEM, stylus.stem_diameter / 2, stylus.ball_diameter, neck, flat=False, gives_way=True),
                Cylinder("probe body", stylus.body_diameter / 2, neck, neck + stylus.body_length, flat=True),
                _nose(stylus.length),
            ),
        )

    @classmethod
    def cutter(cls, diameter: float, reach: float, holder: float, length: float) -> ProbeShape:
        """A cutter standing `reach` out of its holder, and the spindle nose at `length`."""
        tool = Cylinder("tool", diameter / 2, 0.0, reach, flat=True)
        return cls(0.0, (tool, Cylinder("tool holder", holder / 2, reach, length, flat=True), _nose(length)), "tool", 1)

    @classmethod
    def empty(cls) -> ProbeShape:
        """Nothing but the spindle nose."""
        return cls(0.0, (_nose(0.0),), "spindle nose")


@dataclass(frozen=True, slots=True)
class Contact:
    """Where a move met something: distance along it (mm), which part of the probe, which solid, and the place."""

    distance: float
    part: str
    solid: Solid
    place: Vector


@dataclass(frozen=True, slots=True)
class Clearance:
    """How far, mm, a part of the probe is from the nearest solid; below zero inside it.

    It is looked at in steps along the part and along the move. What lies between two looks a step `s` apart is nearer
    by less than `s²/8` over its distance from the part's axis: hundredths where it is near.
    """

    distance: float
    part: str
    solid: str
    body: str


@dataclass(slots=True)  # not frozen: that makes one in a third of the time, and a proof makes half a million
class _Nearest:
    """Smallest clearance of a part at one place: a bound for stepping, and where; `seen` is the least looked at."""

    clearance: float
    solid: Solid
    place: Vector
    seen: float


def _apart(tip: Vector, low: float, high: float, place: Vector) -> float:
    """How far a place is from the upright line from `low` to `high` above `tip`, mm."""
    z = place[2] - tip[2]
    return math.dist((tip[0], tip[1], min(max(z, low), high)), (place[0], place[1], z))


def _between(first: float, second: float, step: float) -> float:
    """How near to an axis metal can be between two looks from it, mm, that far from metal each and a step apart.

    Metal `t` along the axis from the first is at least √(first² − t²) from it, and √(second² − (step − t)²): the least
    of the larger of both is where they are equal.
    """
    along = (first * first - second * second + step * step) / (2 * step)
    if along <= 0:
        return math.sqrt(max(0.0, second * second - step * step))
    along = min(along, step)
    return math.sqrt(max(0.0, first * first - along * along))


class Tracer:
    """Traces one probe through a set of solids."""

    def __init__(self, solids: tuple[Solid, ...], shape: ProbeShape) -> None:
        self.solids = solids
        self.shape = shape
        self._found_boxes: list[tuple[Solid, Vector, Vector]] | None = None
        self.closest: dict[str, Clearance] | None = None
        """Of stem, body and nose, while it is watched: how near each came to metal, a lower bound, and to what."""

    @property
    def _boxes(self) -> list[tuple[Solid, Vector, Vector]]:
        """Each solid with a box around it; while a table turns nobody asks for them."""
        if self._found_boxes is None:
            self._found_boxes = [(solid, *solid.bounds()) for solid in self.solids]
        return self._found_boxes

    def _near(self, start: Vector, end: Vector, radius: float, low: float, high: float) -> list[Solid]:
        """Solids whose box meets the box swept by a part; no other can be touched on this move."""
        x0, x1 = (start[0], end[0]) if start[0] < end[0] else (end[0], start[0])
        y0, y1 = (start[1], end[1]) if start[1] < end[1] else (end[1], start[1])
        z0, z1 = (start[2], end[2]) if start[2] < end[2] else (end[2], start[2])
        x0, x1, y0, y1, z0, z1 = x0 - radius, x1 + radius, y0 - radius, y1 + radius, z0 + low, z1 + high
        return [
            solid
            for solid, below, above in self._boxes
            if x0 <= above[0]
            and x1 >= below[0]
            and y0 <= above[1]
            and y1 >= below[1]
            and z0 <= above[2]
            and z1 >= below[2]
        ]

    def _ball(self, tip: Vector, solids: list[Solid]) -> _Nearest:
        x, y, z = tip[0], tip[1], tip[2] + self.shape.ball
        clearance, solid = math.inf, solids[0]
        for one in solids:
            if (apart := one.distance(x, y, z)) < clearance:
                clearance, solid = apart, one
        clearance -= self.shape.ball
        return _Nearest(clearance, solid, (x, y, z), clearance)

    @staticmethod
    def _cylinder(cylinder: Cylinder, tip: Vector, solids: list[Solid]) -> _Nearest:
        """A lower bound of the clearance along a cylinder, and its underside when it has one."""
        x, y, base = tip
        # A flat end is as good as a round one from a radius up; what is below that is for the points of the underside.
        low = cylinder.low + (min(cylinder.radius, (cylinder.high - cylinder.low) / 2) if cylinder.flat else 0.0)
        radius, shortest = cylinder.radius, min(_AXIS_STEP, math.sqrt(8 * cylinder.radius * _SEEN_LATE))
        best = seen = math.inf
        nearest = solids[0]
        place = (x, y, base + low)
        for solid in solids:
            at, before, step = low, math.inf, 0.0
            while True:
                bound = clear = solid.distance(x, y, base + at) - radius
                if step and clear > CONTACT:
                    bound = min(clear, _between(before + radius, clear + radius, step) - radius)
                if clear < seen:
                    seen = clear
                if bound < best:
                    best, nearest, place = bound, solid, (x, y, base + at)
                if clear <= CONTACT or at >= cylinder.high:
                    break
                before, step = clear, min(max(0.7 * clear, shortest), cylinder.high - at)
                at += step
            if cylinder.flat and best > -CONTACT:
                for cosine, sine in _UNDERSIDE:
                    px, py, pz = x + cylinder.radius * cosine, y + cylinder.radius * sine, base + cylinder.low
                    clear = solid.distance(px, py, pz)
                    if clear < best:
                        best, nearest, place = clear, solid, (px, py, pz)
                    seen = min(seen, clear)
        return _Nearest(best, nearest, place, seen)

    def penetration(self, tip: Vector) -> float:
        """How deep the ball is in metal now, mm; 0 when it is free, a trace above 0 when it just touches."""
        solids = self._near(tip, tip, self.shape.ball, 0.0, 2 * self.shape.ball)
        if not solids:
            return 0.0
        clear = self._ball(tip, solids).clearance
        return 0.0 if clear > 10 * CONTACT else max(CONTACT, -clear)

    def comes_free(self, start: Vector, end: Vector) -> float | None:
        """How far along a move off metal the ball comes free, mm; 0 where it was free, None where it never is.

        Halving finds the place to 0.1 µm.
        """
        length = math.dist(start, end)

        def pressed(distance: float) -> bool:
            share = distance / length
            x, y, z = (a + (b - a) * share for a, b in zip(start, end, strict=True))
            return self.penetration((x, y, z)) > 0

        if length == 0 or not pressed(0.0):
            return 0.0
        held, free = 0.0, 0.0
        while free < length and pressed(free):
            held, free = free, min(length, free + 0.05)
        if pressed(free):
            return None
        while free - held > 1e-4:
            middle = (held + free) / 2
            held, free = (middle, free) if pressed(middle) else (held, middle)
        return free

    def free(self, tip: Vector) -> bool:
        """Whether no part of the probe touches anything with the ball's end at `tip`."""
        if self.penetration(tip) > 0:
            return False
        for cylinder in self.shape.cylinders:
            solids = self._near(tip, tip, cylinder.radius, cylinder.low, cylinder.high)
            if solids and self._cylinder(cylinder, tip, solids).clearance <= 10 * CONTACT:
                return False
        return True

    def clearance(self, tip: Vector) -> float:
        """How far at least the tool is from everything with its end at `tip`, mm; below zero inside metal.

        Solids are asked from the nearest on, by balls around them, until the next ball is further off than what is
        known.
        """
        balls = [(solid, *solid.ball()) for solid in self.solids]
        least = math.inf
        for part in (None, *self.shape.cylinders):
            low, high, radius = (
                (self.shape.ball, self.shape.ball, self.shape.ball)
                if part is None
                else (part.low, part.high, part.radius)
            )
            for apart, solid in sorted(
                ((_apart(tip, low, high, middle) - around - radius, solid) for solid, middle, around in balls),
                key=lambda found: found[0],
            ):
                if apart >= least:
                    break
                near = self._ball(tip, [solid]) if part is None else self._cylinder(part, tip, [solid])
                least = min(least, near.clearance)
        return least * min(solid.step_share for solid in self.solids)

    def nearest(
        self, tip: Vector, within: float, *, stem_and_body: bool = False, besides: Collection[str] = ()
    ) -> Clearance | None:
        """The nearest metal with the tool's end at `tip`, None where there is none within so many mm.

        With `stem_and_body` the ball itself is left out; `besides` are bodies that are.
        """
        parts: list[Cylinder | None] = [*([] if stem_and_body else [None]), *self.shape.cylinders]
        found: Clearance | None = None
        for part in parts:
            radius, low, high = (
                (self.shape.ball, 0.0, 2 * self.shape.ball) if part is None else (part.radius, part.low, part.high)
            )
            room = within if found is None else found.distance
            solids = self._near(tip, tip, radius + room, low - room - radius, high + room + radius)
            if besides:
                solids = [solid for solid in solids if solid.body not in besides]
            if not solids:
                continue
            near = self._ball(tip, solids) if part is None else self._cylinder(part, tip, solids)
            if near.seen < room:
                name = self.shape.end if part is None else part.part
                found = Clearance(near.seen, name, near.solid.title, near.solid.body)
        return found

    def touched(self, tip: Vector) -> Contact:
        """What the tool touches with its end at `tip`, where it touches something."""
        solids = self._near(tip, tip, self.shape.ball, 0.0, 2 * self.shape.ball)
        found = [(self.shape.end, self._ball(tip, solids))] if solids else []
        for cylinder in self.shape.cylinders:
            if solids := self._near(tip, tip, cylinder.radius, cylinder.low, cylinder.high):
                found.append((cylinder.part, self._cylinder(cylinder, tip, solids)))
        part, nearest = min(found, key=lambda item: item[1].clearance)
        return Contact(0.0, part, nearest.solid, nearest.place)

    def trace(self, start: Vector, end: Vector, *, pressed: float = 0.0, cutting: bool = False) -> Contact | None:
        """First contact of any part of the probe from `start` to `end` (the ball's lowest point, machine mm).

        `pressed` is how deep (mm) the ball is in metal at the start, deflected by an earlier touch: until it has come
        free, only going deeper counts as contact. The stem leans then and is no deeper in the metal than the ball;
        it is drawn upright, so it is let out likewise. With `cutting` the tool's cutting parts pass through parts.
        """
        length = math.dist(start, end)
        if length == 0:
            return None
        unit = ((end[0] - start[0]) / length, (end[1] - start[1]) / length, (end[2] - start[2]) / length)
        ball = self.shape.ball
        first: Contact | None = None
        solids = self._near(start, end, ball, 0.0, 2 * ball)
        if cutting:
            solids = [solid for solid in solids if solid.role != "part"]
        if solids:
            first = self._march(start, unit, length, solids, None, pressed)
        for number, cylinder in enumerate(self.shape.cylinders):
            room = self._room(cylinder.part) if self.closest is not None else 0.0
            solids = self._near(start, end, cylinder.radius + room, cylinder.low - room, cylinder.high + room)
            if cutting and number < self.shape.cutting:
                solids = [solid for solid in solids if solid.role != "part"]
            if solids:
                reach = first.distance if first else length
                first = self._march(start, unit, reach, solids, cylinder, pressed * cylinder.gives_way) or first
        return first

    def _march(
        self, start: Vector, unit: Vector, length: float, solids: list[Solid], cylinder: Cylinder | None, pressed: float
    ) -> Contact | None:
        """First contact of one part (None: the ball) within `length`."""
        share = min(solid.step_share for solid in solids)

        def look(distance: float) -> _Nearest:
            x, y, z = start
            tip = (x + unit[0] * distance, y + unit[1] * distance, z + unit[2] * distance)
            return self._ball(tip, solids) if cylinder is None else self._cylinder(cylinder, tip, solids)

        watching = cylinder is not None and self.closest is not None
        travelled, before = 0.0, 0.0
        allowed = pressed + CONTACT if pressed > 0 else 0.0
        while True:
            found = look(travelled)
            margin = found.clearance
            if watching and cylinder is not None:
                self._watch(cylinder.part, found)
            if allowed:
                if margin > 10 * CONTACT:
                    allowed = 0.0
                elif margin >= -allowed:
                    margin = max(_SHORTEST_STEP, -margin)  # it cannot come free sooner than this
            if margin <= CONTACT:
                if margin < -CONTACT and travelled > before and not allowed:
                    while travelled - before > CONTACT:
                        middle = (before + travelled) / 2
                        if look(middle).clearance > CONTACT:
                            before = middle
                        else:
                            travelled = middle
                    found = look(travelled)
                part = cylinder.part if cylinder else self.shape.end
                return Contact(travelled, part, found.solid, found.place)
            if travelled >= length or margin * share > length - travelled:
                if watching and cylinder is not None and travelled < length:
                    self._watch(cylinder.part, look(length))
                return None
            before = travelled
            step = margin * share * (_WATCHED_STEP if watching else 1.0)
            travelled = min(length, travelled + max(step, _SHORTEST_STEP))

    def _watch(self, part: str, near: _Nearest) -> None:
        """Note how near a part came."""
        if self.closest is not None and near.seen < self._room(part):
            self.closest[part] = Clearance(near.seen, part, near.solid.title, near.solid.body)

    def _room(self, part: str) -> float:
        """How far round a part metal is looked for, mm: no further than it came already."""
        known = (self.closest or {}).get(part)
        return _WATCHED if known is None else max(0.0, min(_WATCHED, known.distance))
