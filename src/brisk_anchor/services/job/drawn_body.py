"""What a feature does to the metal: openings it cuts, solids it stands as, the pattern it is repeated in."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.services.job.job_models import BodyFile, FixtureFile, JobFeature
from brisk_anchor.standin.solid_file import HoleSection, Point, SlotSection, SolidSection

Drawn = dict[str, object]


def expand(body: BodyFile) -> tuple[list[SolidSection], list[Drawn]]:
    """Solids with everything cut and standing, and every feature on its own, in the body's frame, mm.

    Raises:
        ValueError: a feature is cut into, or stands on, a solid that is not there.
    """
    given = body.solids if isinstance(body, FixtureFile) else body.solid
    solids = {solid.name: solid for solid in given}
    features: list[Drawn] = []
    for drawn in body.feature:
        for feature in _repeated(drawn):
            solid = feature.solid
            if feature.cut is not None or feature.stands is not None:
                if solid not in solids:
                    raise ValueError(f"{feature.name} needs a solid “{solid}”, which is not there")
                made = _standing(feature, solids) if feature.stands is not None else _cut(feature, solids[solid])
                solids[made.name] = made
                solid = made.name
            data = feature.model_dump(exclude={"cut", "stands", "length", "pattern"})
            features.append(data | {"solid": solid, "asks_unit": body.units})
    return list(solids.values()), features


def _repeated(drawn: JobFeature) -> Iterator[JobFeature]:
    """The feature itself, or each of its pattern, numbered from 1."""
    pattern = drawn.pattern
    if pattern is None:
        yield drawn
        return
    x, y, z = drawn.place
    places: list[Point]
    if pattern.circle is not None and pattern.count is not None:
        turns = [math.radians(pattern.first_angle + 360 * n / pattern.count) for n in range(pattern.count)]
        radius = pattern.circle / 2
        places = [(round(x + radius * math.cos(t), 6), round(y + radius * math.sin(t), 6)) for t in turns]
    else:
        dx, dy = pattern.pitch or (0.0, 0.0)
        places = [(x + i * dx, y + j * dy) for j in range(pattern.rows or 1) for i in range(pattern.columns or 1)]
    for number, (px, py) in enumerate(places, 1):
        name = {"name": f"{drawn.name} {number}", "title": f"{drawn.title} {number}"}
        asks = [re.sub(r"^\s*([\w.]+)", rf"\1.{number}", words) for words in drawn.asks]
        yield drawn.model_copy(update={**name, "place": (px, py, z), "pattern": None, "asks": asks})


def _spans(feature: JobFeature) -> Point:
    """Size along X and along Y of what is cut or stands, mm."""
    size = feature.size or 0.0
    if FeatureKind(feature.kind).has_two_sizes:
        return size, feature.size_y or 0.0
    if FeatureKind(feature.kind).is_round:
        return size, size
    length = feature.length or 0.0
    return (size, length) if "LEFT" in feature.walls else (length, size)


def _corners(feature: JobFeature) -> tuple[Point, Point]:
    (x, y, _), (wide, long) = feature.place, _spans(feature)
    return (x - wide / 2, y - long / 2), (x + wide / 2, y + long / 2)


def _cut(feature: JobFeature, solid: SolidSection) -> SolidSection:
    """The solid with one opening more."""
    depth = None if feature.cut == "through" else feature.cut
    if FeatureKind(feature.kind).is_round:
        hole = HoleSection(at=feature.place[:2], diameter=feature.size or 0.0, depth=depth)
        return SolidSection.model_validate({**solid.model_dump(), "holes": [*solid.holes, hole]})
    low, high = _corners(feature)
    slot = SlotSection(low=low, high=high, depth=depth)
    if feature.angle:
        slot = SlotSection(points=_turned(feature), depth=depth)
    return SolidSection.model_validate({**solid.model_dump(), "slots": [*solid.slots, slot]})


def _turned(feature: JobFeature) -> list[Point]:
    """The corners turned by the feature's angle about its place."""
    (x, y, _), (wide, long) = feature.place, _spans(feature)
    c, s = math.cos(math.radians(feature.angle)), math.sin(math.radians(feature.angle))
    corners = ((-wide / 2, -long / 2), (wide / 2, -long / 2), (wide / 2, long / 2), (-wide / 2, long / 2))
    return [(round(x + u * c - v * s, 6), round(y + u * s + v * c, 6)) for u, v in corners]


def _standing(feature: JobFeature, solids: dict[str, SolidSection]) -> SolidSection:
    """A solid of the feature's own name; its top is the feature's upper edge."""
    if feature.name in solids:
        raise ValueError(f"{feature.name} stands as a solid of its own, and there is one of that name already")
    top = feature.place[2]
    ends = {"name": feature.name, "bottom": top - (feature.stands or 0.0), "top": top}
    if FeatureKind(feature.kind).is_round:
        return SolidSection.model_validate(
            {**ends, "shape": "round", "centre": feature.place[:2], "diameter": feature.size}
        )
    if feature.angle:
        return SolidSection.model_validate({**ends, "shape": "outline", "points": _turned(feature)})
    low, high = _corners(feature)
    return SolidSection.model_validate({**ends, "shape": "block", "low": low, "high": high})
