"""Features that stand on no drawing: what is proposed for measuring one, and what is known of it afterwards."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import TOP_UNCERTAINTY, Measurement, propose_depth
from brisk_anchor.core.features.touch_pattern import SIDES, TouchPattern, Wall
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import Apart, FeatureKind, Vector
from brisk_anchor.core.offsets.setup import DrawnFeature, Setup
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.measure.measurement_request import MeasurementRequest

STAND = 10.0
"""How far, mm, the tip is proposed to stand before a face, over it, or inside the walls of a corner."""
APART = 20.0
"""How far apart, mm, two touches along a wall are proposed."""
_BESIDE_TOP = 80.0
"""How far, mm, a top may have been touched from the tip and still be taken for that of what is under it."""
_MOST_OVER = 150.0
"""How high, mm, the tip may stand over such a top."""


@dataclass(frozen=True, slots=True)
class KnownTop:
    """A face that was touched from above since the part was clamped: its name, and where, machine mm of the tip."""

    name: str
    place: Vector


def next_name(kind: FeatureKind, taken: Iterable[str]) -> str:
    """The name of the next found feature of a kind: "Bore 2". It begins large, and no drawn one does."""
    names, base = set(taken), kind.value.capitalize()
    number = 1
    while f"{base} {number}" in names:
        number += 1
    return f"{base} {number}"


def name_of_found(words: str, taken: Iterable[str]) -> str:
    """A name as a person typed it for a found feature, its first letter large.

    Raises:
        PlanError: it is empty, too long, holds other signs than letters, figures, spaces and hyphens, or is taken.
    """
    name = " ".join(words.split())
    name = name[:1].upper() + name[1:]
    if not name or len(name) > 24 or not name[0].isalpha() or not name.replace(" ", "").replace("-", "").isalnum():
        raise PlanError(
            f"“{words[:24]}” is no name", "", "Begin with a letter; letters, figures, spaces and hyphens, 24 at most"
        )
    if not name.isascii():
        raise PlanError(f"“{name}” cannot stand in a program", "Its comments are plain letters", "Use A to Z")
    if name in set(taken):
        raise PlanError(f"{name} is taken", "", "Choose another name")
    return name


def top_under(tops: Sequence[KnownTop], tip: Vector) -> KnownTop | None:
    """The top that was touched under a tip, the newest of those near it; None where there is none."""
    for top in reversed(tops):
        x, y, z = top.place
        if math.dist((x, y), tip[:2]) <= _BESIDE_TOP and -_MOST_OVER <= z - tip[2] <= _MOST_OVER:
            return top
    return None


def with_proposals(setup: Setup, request: MeasurementRequest, top: KnownTop | None) -> MeasurementRequest:
    """The same with figures that nobody typed proposed, and named as that.

    How far a face is, and how far apart touches lie, is what the tip is brought to: a search that finds nothing stops,
    and so does a guarded move that meets something. How far down is proposed from a measured top alone.
    """
    kind = request.pattern.read().kind
    if kind is None or request.is_drawn:
        return request
    fields = request.figures().values()
    figures: dict[str, float] = {}
    if "reach" in fields and request.reach is None:
        figures["reach"] = STAND
    if "spread" in fields and request.spread is None:
        figures["spread"] = APART
    tip = request.start[2] - setup.stylus.length
    if top is not None and "down" in fields and request.down is None:
        deep = propose_depth(setup.stylus.ball_diameter, TOP_UNCERTAINTY)
        figures["down"] = round(tip - top.place[2] + deep, 3)
    proposed = frozenset(figures)
    beside = request.pattern.marks != {Wall.BELOW} and not kind.has_top
    if top is not None and beside:
        down = figures.get("down", request.down or 0.0) if kind.is_outside else 0.0
        below = round(top.place[2] - tip + down, 3)
        if below > 0 and (kind.is_outside or request.depth is None):
            figures["depth"] = below  # it follows from the top; where it is not below that, nobody knows its edge
            proposed |= set() if kind.is_outside else {"depth"}
    return replace(request, proposed=proposed, **figures)  # type: ignore[arg-type]


def request_of(measurement: Measurement) -> MeasurementRequest:
    """What asks for a measurement again as it was."""
    m = measurement
    marks = frozenset(
        wall for wall in (*SIDES, Wall.BELOW) if any(math.dist(wall.direction, way) < 1e-9 for way in m.directions)
    )
    pattern = TouchPattern(
        marks, over=m.kind.is_outside, round=m.kind.is_round, twice=m.spread > 0 or m.kind.has_levels
    )
    if m.is_free:
        pattern = pattern.with_headings(tuple(math.degrees(math.atan2(y, x)) for x, y, _ in m.directions))
    return MeasurementRequest(
        pattern,
        m.start,
        size=m.size,
        depth=m.depth or None,
        reach=m.standoff or None,
        size_y=m.size_y,
        spread=m.spread or None,
        second_depth=m.second_depth or None,
        depth_check=m.depth_check or None,
        repeats=m.repeats,
        down=m.drop or None,
        called=m.name,
    )


def twice_of(setup: Setup, measurement: Measurement) -> MeasurementRequest | None:
    """What asks for the same walls with two touches on each, which tells how they lie; None where it has none."""
    if measurement.kind.traits.apart is not Apart.MAY:
        return None
    request = request_of(measurement)
    spread = measurement.spread or APART
    drawn = next((drawn for drawn in setup.features if drawn.name == measurement.name), None)
    return replace(request, drawn=drawn, pattern=replace(request.pattern, twice=True), spread=spread)


def found_feature(
    setup: Setup, feature: Feature, request: MeasurementRequest, table: tuple[tuple[str, float], ...] = ()
) -> DrawnFeature:
    """A measured feature that no drawing has, as the set-up holds it: it lies where it was found.

    Rotary axes stood at the angles of `table` then, degrees.
    """
    x, y, z = request.start
    tip = [x, y, z - setup.stylus.length]
    if request.depth:
        tip[2] += request.depth - (request.down or 0.0)
    for axis, value in zip(feature.axes, feature.coordinates, strict=True):
        if axis in AXES:
            tip[AXES.index(axis)] = value
    kind, pattern = feature.kind, request.pattern
    return DrawnFeature(
        name=feature.name,
        title=feature.name,
        kind=kind,
        body=setup.part,
        drawing=(0.0, 0.0, 0.0),
        machine=(tip[0], tip[1], tip[2]),
        walls=tuple(wall.name for wall in pattern.marks if not (kind.has_top and wall is Wall.BELOW)),
        size=request.size if request.size is not None else feature.size,
        size_limit=(request.size or 0.0) * 0.1 or None,
        depth=request.depth or 0.0,
        over=pattern.over,
        size_y=request.size_y if request.size_y is not None else feature.size_y,
        spread=request.spread or 0.0,
        second_depth=request.second_depth or 0.0,
        headings=pattern.headings,
        table=table,
        found=True,
    )
