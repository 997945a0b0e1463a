"""Asking for a measurement: the rose, the feature it points at, and the few figures that go with it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.measuring import Measurement, propose_search
from brisk_anchor.core.rose import SIDES, Rose, Wall
from brisk_anchor.core.setup import DrawnFeature, Setup

APPROACH = 8.0
"""How far, mm, over a boss or surface the tip stands before it goes down, when a drawn feature is pointed at."""
NEARBY = 15.0
"""How far, mm, the tip may stand from a drawn feature of the same kind and still be taken to mean it."""


@dataclass(frozen=True, slots=True)
class Asking:
    """What is being asked for. `start` is the spindle position to measure from, machine mm.

    `size`, `depth` and `reach` (how far the wall is) are what the person typed or the drawing says; None is unknown and
    is never guessed.
    """

    rose: Rose
    start: Vector
    drawn: DrawnFeature | None = None
    size: float | None = None
    depth: float | None = None
    reach: float | None = None
    search: float | None = None

    @property
    def title(self) -> str:
        """What a person calls it."""
        return self.drawn.title if self.drawn else self.rose.read().name

    def missing(self) -> str | None:
        """The figure that is still needed before it can be measured, in words; None when all is there."""
        kind = self.rose.read().kind
        if kind is None:
            return "marks"
        if kind.is_round and self.size is None:
            return "diameter"
        if kind.is_round and not self.depth:
            return "depth"
        if not kind.is_round and self.reach is None:
            return "distance"
        return None


def point_at(setup: Setup, drawn: DrawnFeature) -> Asking:
    """Fill the rose from a drawn feature, with the start at its nominal place."""
    x, y, edge = drawn.machine
    stylus = setup.stylus
    walls = [Wall[name] for name in drawn.walls]
    stands_in = drawn.kind is FeatureKind.BORE
    tip = edge - drawn.depth if stands_in else edge + APPROACH
    reach = None if drawn.kind.is_round else APPROACH
    if drawn.kind is FeatureKind.SURFACE and walls != [Wall.BELOW]:
        dx, dy, _ = walls[0].direction
        away = APPROACH + stylus.ball_diameter / 2
        x, y, tip = x - dx * away, y - dy * away, edge - drawn.depth
    return Asking(
        rose=Rose(frozenset(walls), over=drawn.over, round=drawn.kind.is_round),
        start=(x, y, tip + stylus.length),
        drawn=drawn,
        size=drawn.size,
        depth=drawn.depth or None,
        reach=reach,
    )


def recognise(setup: Setup, asking: Asking) -> Asking:
    """Give a hand-marked rose the drawn feature it must mean: the same kind and sides, and near the tip."""
    kind = asking.rose.read().kind
    if kind is None or asking.drawn is not None:
        return asking
    tip = (*asking.start[:2], asking.start[2] - setup.stylus.length)
    marks = {wall.name for wall in asking.rose.marks}
    near = [
        (math.dist(tip[:2], drawn.machine[:2]), drawn)
        for drawn in setup.features
        if drawn.kind is kind and (kind.is_round or set(drawn.walls) == marks)
    ]
    if not near:
        return asking
    distance, drawn = min(near, key=lambda item: item[0])
    if distance > NEARBY:
        return asking
    depth = asking.depth
    if kind.is_round and depth is None:
        depth = drawn.machine[2] - tip[2] if kind is FeatureKind.BORE else drawn.depth
    return replace(
        asking,
        drawn=drawn,
        size=drawn.size if asking.size is None else asking.size,
        depth=depth,
        reach=asking.reach if asking.reach is not None or kind.is_round else _reach(asking, drawn, tip),
    )


def _reach(asking: Asking, drawn: DrawnFeature, tip: Vector) -> float | None:
    """Distance from the ball to the drawn surface along the mark, when it lies ahead."""
    (wall,) = asking.rose.marks
    index = max(range(3), key=lambda i: abs(wall.direction[i]))
    ahead = (drawn.machine[index] - tip[index]) * wall.direction[index]
    return ahead if ahead > 0 else None


def build_measurement(setup: Setup, asking: Asking) -> Measurement:
    """Turn what is asked for into a measurement.

    Raises:
        PlanError: marks that are no feature this version measures, or a figure that is missing or makes no sense.
    """
    reading = asking.rose.read()
    kind = reading.kind
    if kind is None:
        raise PlanError(f"The rose says “{reading.name}”", reading.hint, "")
    missing = asking.missing()
    if missing:
        raise PlanError(f"The {missing} is not known", "The search distance and the guards hang on it", "Type it")
    stylus = setup.stylus
    uncertainty = setup.start_uncertainty
    standoff = asking.reach or 0.0
    directions = tuple(
        wall.direction
        for wall in ((*SIDES, Wall.BELOW) if len(asking.rose.marks) > 1 else asking.rose.marks)
        if wall in asking.rose.marks
    )
    depth = asking.depth or 0.0
    drop = 0.0
    if kind is FeatureKind.BOSS:
        edge = asking.drawn.machine[2] if asking.drawn else None
        above = asking.start[2] - stylus.length - edge if edge is not None else APPROACH
        drop = above + depth
    search = asking.search
    if search is None:
        search = propose_search(kind, stylus, asking.size, standoff, uncertainty)
    return Measurement(
        # A drawing's names begin small, so what was marked away from it can never pass for one of its features.
        name=asking.drawn.name if asking.drawn else f"Free {reading.name}",
        title=asking.title,
        kind=kind,
        stylus=stylus,
        start=asking.start,
        directions=directions,
        clear_z=max(setup.clear_height + stylus.length, asking.start[2]),
        search=search,
        start_uncertainty=uncertainty,
        depth=depth,
        drop=drop,
        standoff=standoff,
        size=asking.size,
        size_limit=asking.drawn.size_limit if asking.drawn else (asking.size or 0) * 0.1 or None,
    )
