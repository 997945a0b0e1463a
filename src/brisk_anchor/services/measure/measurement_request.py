"""Asking for a measurement: the touch pattern, the feature it points at, and the few figures that go with it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.measurement_options import AS_USUAL, MeasurementOptions
from brisk_anchor.core.features.measuring import Measurement, propose_depth_check, propose_search, slack_along
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.core.features.touch_place import MOST_PLACES
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.setup import DrawnFeature, Setup
from brisk_anchor.core.quantities import Unit, num, shown_unit, signed_deg
from brisk_anchor.lazy_dataclass import dataclass

APPROACH = 8.0
"""How far, mm, over a boss or surface the tip stands before it goes down, when a drawn feature is pointed at."""
_LIMITS = {
    "size": (0.5, 1000.0),
    "size_y": (0.5, 1000.0),
    "depth": (0.01, 300.0),
    "repeats": (1.0, 9.0),
    "places": (3.0, float(MOST_PLACES)),
    "spread": (2.0, 1000.0),
    "heading": (-360.0, 360.0),
}
"""Of typed figures, by field: lengths in mm, headings in degrees."""
NEARBY = 15.0
"""How far, mm, the tip may stand from a drawn feature of the same kind and still be taken to mean it."""
STEEPEST = 20.0
"""How far, degrees, a wall may be drawn askew and still be touched along an axis."""


@dataclass(frozen=True, slots=True)
class MeasurementRequest:
    """What is being asked for. `start` is the spindle position to measure from, machine mm.

    `size`, `depth` and `reach` (how far the wall is) are what the person typed or the drawing says; None is unknown and
    is never guessed.
    """

    pattern: TouchPattern
    start: Vector
    drawn: DrawnFeature | None = None
    size: float | None = None
    depth: float | None = None
    reach: float | None = None
    search: float | None = None
    size_y: float | None = None
    spread: float | None = None
    second_depth: float | None = None
    depth_check: float | None = None
    repeats: int = 1
    down: float | None = None
    """How far the tip goes down from where it stands now, to touch beside what stands under it, mm."""
    called: str = ""
    """The name it gets when it is measured and stands on no drawing."""
    proposed: frozenset[str] = frozenset()
    """Fields that nobody typed: they are proposed, and shown as that before anything moves."""

    @property
    def is_drawn(self) -> bool:
        """Whether a drawing says where it lies, and how high its edge."""
        return self.drawn is not None and not self.drawn.found

    def figures(self) -> dict[str, str]:
        """What must be known of it, by the word for it: the name of the field here.

        "below edge" is how far the ball's end is below the upper edge where it touches; "go down" how far the tip goes
        down from where it stands now.
        """
        kind = self.pattern.read().kind
        if kind is None:
            return {}
        apart = {"apart": "spread"} if self.pattern.twice and not kind.has_levels else {}
        known = self.is_drawn or kind.has_levels
        lower = {"below edge": "depth"} if known else {"go down": "down"} if kind.is_outside else {}
        if kind.is_corner and kind.is_outside:
            return {"inside": "reach", **lower, **apart}
        if not kind.is_paired:
            return {"distance": "reach", **apart}
        if kind.has_two_sizes:
            return {"size in X": "size", "size in Y": "size_y", **lower, **apart}
        if kind.has_top:
            return {"diameter": "size"} if self.is_drawn else {"diameter": "size", "above it": "reach"}
        second = {"2nd level": "second_depth"} if kind.has_levels else {}
        return {"diameter" if kind.is_round else "width": "size", **lower, **second, **apart}

    def optional(self) -> dict[str, str]:
        """What can be said of it beside that, by the word for it."""
        angles = {f"angle {n}": f"heading {n}" for n in range(1, len(self._headings()) + 1)}
        kind, beside = self.pattern.read().kind, any(not wall.direction[2] for wall in self.pattern.marks)
        inside = kind is not None and not kind.is_outside and "below edge" not in self.figures()
        open_depth = {"below edge": "depth"} if beside and inside else {}
        many = {"places": "places"} if kind is not None and kind.may_be_free else {}
        deep = {**open_depth, "again +Z": "depth_check"} if beside and not (kind is not None and kind.has_top) else {}
        return {"search": "search", "times each": "repeats", **many, **deep, **angles}

    def _headings(self) -> tuple[float, ...]:
        """Directions of part of a round that a person may choose, degrees."""
        reading = self.pattern.read()
        free = reading.kind is not None and reading.kind.may_be_free and len(self.pattern.directions) < 4
        if not free:
            return ()
        return self.pattern.headings or tuple(
            round(math.degrees(math.atan2(y, x)), 6) for x, y, _ in self.pattern.directions
        )

    def figure(self, field: str) -> float | None:
        """A figure by the name of its field."""
        if field.startswith("heading "):
            return self._headings()[int(field[-1]) - 1]
        if field == "places":
            return float(len(self.pattern.directions))
        value: float | None = getattr(self, field)
        return value

    def with_figure(self, field: str, value: float) -> MeasurementRequest:
        """The same with a figure typed. Raises PlanError for a count that is none."""
        if field.startswith("heading "):
            headings = list(self._headings())
            headings[int(field[-1]) - 1] = value
            return replace(self, pattern=self.pattern.with_headings(tuple(headings)))
        if field == "places":
            if value != int(value):
                raise PlanError(f"{num(value)} places are no count", "", "Type a whole number")
            return replace(self, pattern=self.pattern.at_places(int(value)))
        if field == "repeats":
            if value != int(value):
                raise PlanError(f"{num(value)} times is no count", "", "Type a whole number")
            return replace(self, repeats=int(value))
        return replace(self, proposed=self.proposed - {field}, **{field: value})  # type: ignore[arg-type]

    @property
    def title(self) -> str:
        """What a person calls it."""
        return self.drawn.title if self.drawn else self.called or self.pattern.read().name

    @property
    def name(self) -> str:
        """The name of what is measured: drawn ones begin small, so that nothing found can ever pass for one."""
        return self.drawn.name if self.drawn else self.called or f"Free {self.pattern.read().name}"

    def missing(self) -> str | None:
        """The figure that is still needed before it can be measured, in words; None when all is there."""
        if self.pattern.read().kind is None:
            return "marks"
        empty = (word for word, name in self.figures().items() if getattr(self, name) is None)
        return next(empty, None)


def point_at(setup: Setup, drawn: DrawnFeature) -> MeasurementRequest:
    """Fill the touch pattern from a drawn feature, with the start at its nominal place.

    Raises:
        PlanError: it is built from others, and never touched.
    """
    if drawn.of:
        raise PlanError(f"{drawn.title} is worked out from {' and '.join(drawn.of)}", "", "Measure those")
    x, y, _ = drawn.machine
    edge = drawn.top
    stylus = setup.stylus
    walls = [Wall[name] for name in drawn.walls]
    if drawn.kind.has_top:
        walls.append(Wall.BELOW)
    doubled = drawn.spread > 0 or drawn.kind.has_levels
    pattern = TouchPattern(frozenset(walls), over=drawn.over, round=drawn.kind.is_round, twice=doubled)
    stands_in = drawn.kind.is_paired and not drawn.kind.is_outside
    tip = edge - drawn.depth if stands_in else edge + APPROACH
    reach = None if drawn.kind.is_paired else APPROACH
    if drawn.kind.is_corner and drawn.kind.is_outside:
        reach = max(APPROACH, setup.start_uncertainty + 1.0) + stylus.ball_diameter / 2
        x, y = (a - reach * sum(wall.direction[i] for wall in walls) for i, a in enumerate((x, y)))
    elif not drawn.kind.is_paired and walls != [Wall.BELOW]:
        away = APPROACH + stylus.ball_diameter / 2
        x, y = (a - away * sum(wall.direction[i] for wall in walls) for i, a in enumerate((x, y)))
        tip = edge - drawn.depth
    return MeasurementRequest(
        pattern=pattern.with_headings(drawn.headings) if drawn.headings else pattern,
        start=(x, y, tip + stylus.length),
        drawn=drawn,
        size=drawn.size,
        size_y=drawn.size_y,
        depth=drawn.depth or None,
        reach=reach,
        spread=drawn.spread or None,
        second_depth=drawn.second_depth or None,
    )


def recognise(setup: Setup, request: MeasurementRequest) -> MeasurementRequest:
    """Give a hand-marked touch pattern the drawn feature it must mean: the same kind and sides, and near the tip."""
    kind = request.pattern.read().kind
    if kind is None or request.drawn is not None:
        return request
    tip = (*request.start[:2], request.start[2] - setup.stylus.length)
    marks = {wall.name for wall in request.pattern.marks}
    near = [
        (math.dist(tip[:2], drawn.machine[:2]), drawn)
        for drawn in setup.features
        if not drawn.found and drawn.kind is kind and set(drawn.walls) == marks - ({"BELOW"} if kind.has_top else set())
    ]
    if not near:
        return request
    distance, drawn = min(near, key=lambda item: item[0])
    if distance > NEARBY:
        return request
    depth = request.depth
    if kind.is_paired and depth is None:
        depth = drawn.depth if kind.is_outside else drawn.machine[2] - tip[2]
    return replace(
        request,
        drawn=drawn,
        size=drawn.size if request.size is None else request.size,
        size_y=drawn.size_y if request.size_y is None else request.size_y,
        depth=depth,
        spread=request.spread or drawn.spread or None,
        second_depth=request.second_depth or drawn.second_depth or None,
        reach=request.reach if request.reach is not None or kind.is_paired else _reach(request, drawn, tip),
    )


def _reach(request: MeasurementRequest, drawn: DrawnFeature, tip: Vector) -> float | None:
    """Distance from the ball to the drawn surface along the mark, when it lies ahead."""
    furthest = 0.0
    for wall in request.pattern.marks:
        index = max(range(3), key=lambda i: abs(wall.direction[i]))
        ahead = (drawn.machine[index] - tip[index]) * wall.direction[index]
        if ahead <= 0:
            return None
        furthest = max(furthest, ahead)
    return furthest


def build_measurement(setup: Setup, request: MeasurementRequest, options: MeasurementOptions = AS_USUAL) -> Measurement:
    """Turn what is asked for into a measurement.

    Raises:
        PlanError: marks that are no feature this version measures, or a figure that is missing or makes no sense.
    """
    if request.drawn is not None and not options.table:
        options = replace(options, table=request.drawn.table)
    reading = request.pattern.read()
    kind = reading.kind
    if kind is None:
        raise PlanError(f"The rose says “{reading.name}”", reading.hint, "")
    missing = request.missing()
    if missing:
        raise PlanError(f"The {missing} is not known", "The search distance and the guards depend on it", "Type it")
    skew = request.drawn.skew if request.drawn is not None else 0.0
    limit = STEEPEST if request.pattern.twice else 0.0
    if request.drawn is not None and abs(skew) > limit:
        raise PlanError(
            f"{request.drawn.title} lies {signed_deg(skew)} askew to the machine's axes",
            "A touch along an axis would slip on it" if limit else "One touch a wall cannot tell how it lies",
            "Turn the part in its fixture until it lies along an axis"
            + ("" if limit else ", or mark its walls twice for two touches on each"),
        )
    stylus = setup.stylus
    uncertainty = setup.start_uncertainty
    standoff = request.reach or 0.0
    spread = (request.spread or 0.0) if request.pattern.twice and not kind.has_levels else 0.0
    depth = request.depth or 0.0
    drop = 0.0
    if kind.is_outside:
        tip = request.start[2] - stylus.length
        above = tip - request.drawn.top if request.drawn and request.is_drawn else standoff
        if kind.has_top:
            standoff, depth = above, ((request.size or 0.0) + stylus.ball_diameter) / 2
        drop = above + depth if request.down is None or kind.has_top else request.down
    start, over_inside = request.start, bool(options.over_the_top) and not kind.is_outside
    if over_inside:  # from over the feature, not from its middle: something may stand there
        drop = depth + APPROACH
        start = (*start[:2], start[2] + drop)
    check = options.depth_check if request.depth_check is None else request.depth_check
    blind = not depth
    if check is None and blind and request.pattern.marks != {Wall.BELOW}:
        check = propose_depth_check(stylus.ball_diameter)  # nobody knows how deep it stands: let the touches tell
    known = kind.may_be_free and len(request.pattern.directions) == 2
    size_limit = request.drawn.size_limit if request.drawn else (request.size or 0) * 0.1 or None
    if known and not (request.drawn and request.drawn.body):
        size_limit = None  # it is not measured, and whoever says how large it is says that it is known
    search = request.search
    if search is None:
        slack = uncertainty + slack_along(spread, setup.turn_uncertainty)
        search = propose_search(kind, stylus, request.size, standoff, slack, over=over_inside)
        search += math.tan(math.radians(abs(skew))) * spread / 2
    clear_z = max(setup.clear_height + stylus.length, start[2])
    if options.clear is not None:
        clear_z = options.clear + stylus.length
    return Measurement(
        name=request.name,
        title=request.title,
        kind=kind,
        stylus=replace(stylus, offset=(0.0, 0.0), u_offset=0.0) if options.half_turn else stylus,
        start=start,
        directions=request.pattern.directions,
        clear_z=clear_z,
        search=search,
        start_uncertainty=uncertainty,
        depth=depth,
        drop=drop,
        standoff=standoff,
        size=request.size,
        size_y=request.size_y,
        size_limit=options.size_limit or size_limit,
        spread=spread,
        turn_uncertainty=setup.turn_uncertainty,
        repeats=request.repeats,
        second_depth=(request.second_depth or 0.0) if kind.has_levels else 0.0,
        known_size=known,
        options=replace(options, depth_check=check or 0.0),
    )


def limits_of(field: str) -> tuple[float, float]:
    """Between which figures a typed one must lie, by the name of its field: mm, degrees, or a count."""
    return _LIMITS.get(field.split()[0], (0.1, 500.0))


def unit_of(field: str) -> str | None:
    """What stands behind a typed figure, by the name of its field; None is a length, in the unit that is shown."""
    return {"repeats": "", "places": "", "heading": "°"}.get(field.split()[0])


def step_of(field: str) -> float:
    """By how much a key or the wheel changes a figure, by the name of its field: mm, degrees or a count."""
    steps = {"repeats": 1.0, "places": 1.0, "heading": 5.0, "depth": 0.5, "second_depth": 0.5, "depth_check": 0.25}
    step = steps.get(field.split()[0], 1.0)
    if unit_of(field) is not None or shown_unit() is Unit.MM:
        return step
    return {1.0: 0.05, 0.5: 0.02, 0.25: 0.01}[step] * float(Unit.INCH.in_mm)


def nearest_of(places: Sequence[Vector | None], x: float, y: float) -> int | None:
    """The number of the place nearest to another seen from above, machine mm; None where none lies anywhere."""
    known = [(math.dist(place[:2], (x, y)), number) for number, place in enumerate(places) if place is not None]
    return min(known)[1] if known else None


def nearest(setup: Setup, x: float, y: float, within: float = math.inf) -> DrawnFeature | None:
    """The drawn feature nearest to a place seen from above, machine mm; None where none lies so near."""
    touched = [drawn for drawn in setup.features if not drawn.of]
    found = min(touched, key=lambda drawn: math.dist(drawn.machine[:2], (x, y)), default=None)
    return found if found is not None and math.dist(found.machine[:2], (x, y)) <= within else None
