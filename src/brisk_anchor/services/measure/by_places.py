"""Measuring by hand where it matters along a wall, too: edges, planes, walls touched twice, part of a round, a dial.

Of every touch the control's figures along the wall are read first, then the one that touched.
"""

from __future__ import annotations

import math

from brisk_anchor.core.errors import GeometryError, PlanError
from brisk_anchor.core.features.dial import dialled_edge
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.touch_pattern import Wall
from brisk_anchor.core.features.touch_place import LEAST_SPREAD
from brisk_anchor.core.features.touches import AXES, Touch
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.quantities import bare, deg, dim, shown_unit, signed_bare
from brisk_anchor.core.uncertainty.coverage import u_within
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.measure.by_hand import READING, ByHand, ByTouch, TouchPrompt, hand_touch


@dataclass(frozen=True, slots=True)
class ByPlaces(ByTouch):
    """Two or three figures for each touch: where it is along the wall, then how far the tool came."""

    def __post_init__(self) -> None:
        ByTouch.__post_init__(self)
        if self.kind.has_levels:
            raise PlanError(
                "How a bore leans is measured with the probe",
                "By hand its depth is not known well enough at every touch",
                "Choose the probe with ⟨bench:b⟩, or take the mark for the second level off",
            )

    @property
    def directions(self) -> tuple[Vector, ...]:
        """The direction of each touch, from the tool to the metal."""
        walls = self.request.pattern.directions
        if self.kind is FeatureKind.PLANE:
            return walls * 3
        sign = -1.0 if self.kind.is_outside else 1.0
        inward = [(x * sign, y * sign, z) if not z else (x, y, z) for x, y, z in walls]
        return tuple(item for item in inward for _ in range(2 if self.request.pattern.twice else 1))

    def _axes(self, direction: Vector) -> list[int]:
        """The coordinates that are read at a touch, the one that touched last."""
        touched = max(range(3), key=lambda i: abs(direction[i]))
        wanted = range(3) if self.kind in (FeatureKind.PLANE, FeatureKind.BALL) else range(2)
        return [axis for axis in wanted if axis != touched] + [touched]

    @property
    def _stages(self) -> list[tuple[int, int]]:
        """Touch and axis of every figure."""
        return [(n, axis) for n, direction in enumerate(self.directions) for axis in self._axes(direction)]

    @property
    def count(self) -> int:
        """Two or three a touch."""
        return len(self._stages)

    def figure_of(self, touch: int) -> int:
        """The one that touched; those beside it come before."""
        return self._stages.index((touch, self._axes(self.directions[touch])[-1]))

    def prompt(self) -> TouchPrompt:
        """What to read next."""
        number, axis = self._stages[len(self.figures)]
        direction = self.directions[number]
        letter = AXES[axis].upper()
        count = f"touch {number + 1} of {len(self.directions)}"
        if axis != self._axes(direction)[-1]:
            told = f"where along it the tool stands; touches lie {dim(LEAST_SPREAD)} or more apart"
            return TouchPrompt(AXES[axis], f"{count}: {letter} beside the touch", self.frame.short, told, "", 0.0, None)
        sign = 1 if direction[axis] > 0 else -1
        towards = f"towards {'+' if sign > 0 else '−'}{letter}"
        half = self.tool.length if axis == 2 else self.tool.effective_radius
        told = "both figures give the tool's middle; its radius is taken into account along the metal's normal"
        where = "above" if axis == 2 else f"{'−' if sign > 0 else '+'}{letter} side"
        if self.kind.needs_spread:
            done = "taken off" if axis == 2 or sign < 0 else "added"
            told = f"the tool stands {where}: {bare(half, 3)} is {done}, square"
        amount = -half if axis == 2 else sign * half
        return TouchPrompt(AXES[axis], f"{count}, {towards}: {letter}", self.frame.short, told, where, amount, None)

    def compensations(self) -> list[tuple[str, float]]:
        """The side of the tip at each wall, and its radius with its sign, mm."""
        found: dict[str, float] = {}
        for number in range(len(self.directions)):
            prompt = ByPlaces(self.request, self.tool, self.frame, (0.0,) * self.figure_of(number)).prompt()
            found[prompt.side] = prompt.amount
        return list(found.items())

    def touches(self) -> tuple[Touch, ...]:
        """Touches as a probe would have reported them."""
        places = [list(self.request.start) for _ in self.directions]
        for (number, axis), figure in zip(self._stages, self.figures, strict=True):
            places[number][axis] = figure + self.frame.zero[axis]
        return tuple(
            hand_touch(f"{self.name} {n}", (x, y, z), direction, self.tool)
            for n, ((x, y, z), direction) in enumerate(zip(places, self.directions, strict=True), 1)
        )

    def feature(self) -> Feature:
        """The feature of all touches. Raises GeometryError."""
        known = len(self.directions) == 2 and self.kind.may_be_free
        if not known:
            return solve(self.name, self.kind, self.touches(), stated=self.stated)
        drawn = self.request.drawn
        off, size = u_within(drawn.size_limit if drawn is not None else None), self.request.size
        return solve(self.name, self.kind, self.touches(), diameter=size, u_diameter=off, stated=self.stated)


@dataclass(frozen=True, slots=True)
class ByDial(ByHand):
    """An edge with a dial indicator run along it: two places and two readings give how far it is turned."""

    def __post_init__(self) -> None:
        reading = self.request.pattern.read()
        if reading.kind is not FeatureKind.EDGE:
            raise PlanError(
                f"{self.tool.name} is swept round a bore or a boss, or run along an edge",
                f"The rose says “{reading.name}”",
                "Mark all sides, or one side twice",
            )

    @property
    def _wall(self) -> Wall:
        return next(iter(self.request.pattern.marks))

    @property
    def _axis(self) -> int:
        """The axis the edge lies across."""
        return 0 if self._wall.direction[0] else 1

    @property
    def count(self) -> int:
        """A place and a reading, twice."""
        return 4

    def prompt(self) -> TouchPrompt:
        """What to read next."""
        which = ("first", "second")[len(self.figures) // 2]
        along = AXES[1 - self._axis]
        if len(self.figures) % 2 == 0:
            told = f"run the indicator along the edge in {along.upper()} alone"
            return TouchPrompt(along, f"{which} place: {along.upper()}", self.frame.short, told, "", 0.0, None)
        told = "the figure grows where the stylus is pushed in"
        return TouchPrompt("", f"dial at the {which} place", f"the dial, {shown_unit().word}", told, "", 0.0, None)

    def _run(self) -> tuple[float, float]:
        """How far the places lie apart, and how much the edge moves away from the spindle between them, mm."""
        at, dial, to, later = self.figures
        if abs(to - at) < LEAST_SPREAD:
            raise GeometryError(f"The places lie {dim(abs(to - at))} apart", "That tells no angle", "Run further along")
        return to - at, dial - later

    def _turn(self) -> float:
        run, away = self._run()
        rise = away * sum(self._wall.direction)
        angle = math.degrees(math.atan2(rise * math.copysign(1, run), abs(run)))
        return angle if self._axis == 1 else -angle

    def told(self) -> str:
        """How to bring the edge along the axis."""
        turn = self._turn()
        run, away = self._run()
        axis = "XY"[self._axis]
        far = -away * sum(self._wall.direction)
        sense = "clockwise" if turn > 0 else "counter-clockwise"
        words = signed_bare(far, 3)
        return f"Turn it {deg(abs(turn), 4)} {sense}: {axis} {words} over {dim(abs(run))}. "

    def feature(self) -> Feature:
        """The edge's angle. Raises GeometryError."""
        run, _ = self._run()
        return dialled_edge(self.name, self._turn(), run, READING / math.sqrt(12), self.tool.scatter, self.stated)
