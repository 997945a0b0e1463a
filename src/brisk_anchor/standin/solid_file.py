"""Solids as files describe them, and what every table of a file has in common. Fields: docs/formats.md."""

from __future__ import annotations

import math
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from brisk_anchor.core.quantities import num

Coordinate = Annotated[float, Field(ge=-20_000, le=20_000)]
Point = tuple[Coordinate, Coordinate]
Place = tuple[Coordinate, Coordinate, Coordinate]
Length = Annotated[float, Field(gt=0, le=20_000)]
Name = Annotated[str, Field(min_length=1, max_length=60)]


class FileSection(BaseModel):
    """A table of a file: unknown fields are refused, figures must be figures, words must be printable."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    @model_validator(mode="after")
    def _printable(self) -> Self:
        for name, value in self:
            if isinstance(value, str) and not value.isprintable():
                raise ValueError(f"{name} holds characters that cannot be shown")
        return self


def without_repeats(points: list[Point]) -> None:
    """Refuse an outline with a side of no length: ValueError."""
    if any(a == b for a, b in zip(points, [*points[1:], points[0]], strict=True)):
        raise ValueError("a point of the outline stands twice in a row")


class HoleSection(FileSection):
    """A round hole: right through its solid, or `depth` deep from its top."""

    at: Point
    diameter: Length
    real_diameter: Length | None = None
    depth: Length | None = None


class SlotSection(FileSection):
    """An opening of straight sides, `low` to `high` or `points`: right through its solid, or `depth` deep.

    `real_size` is the true width along X and Y of one given by `low` and `high`, centred as drawn.
    """

    low: Point | None = None
    high: Point | None = None
    real_size: tuple[Length, Length] | None = None
    points: Annotated[list[Point], Field(min_length=3, max_length=2000)] | None = None
    depth: Length | None = None

    @model_validator(mode="after")
    def _one_shape(self) -> Self:
        if (self.low is None) != (self.high is None) or (self.low is None) == (self.points is None):
            raise ValueError("give either low and high, or points")
        if self.low and self.high and (self.low[0] >= self.high[0] or self.low[1] >= self.high[1]):
            raise ValueError("low and high are exchanged")
        if self.real_size and not self.low:
            raise ValueError("real_size goes with low and high")
        if self.points:
            without_repeats(self.points)
        return self


class RealSolidSection(FileSection):
    """An uneven top: `rise` mm over nominal, slopes in mm per mm, waves of `wave` mm over `pitch` mm."""

    rise: float = Field(default=0.0, ge=-20, le=20)
    slope: tuple[float, float] = (0.0, 0.0)
    wave: float = Field(default=0.0, ge=0, le=1)
    pitch: float = Field(default=40.0, ge=5, le=1000)

    @model_validator(mode="after")
    def _gentle(self) -> Self:
        if max(map(abs, self.slope)) + 2 * math.pi * self.wave / self.pitch > 0.3:
            raise ValueError("the top is too steep: slope and waves together may reach 0.3 mm per mm")
        return self


class SolidSection(FileSection):
    """A block (`low`, `high`), a round (`centre`, `diameter`), a lever (`a`, `radius_a`, `b`, `radius_b`), a ball
    (`centre`, between `bottom` and `top`), a cone (`centre`, `diameter` at the bottom, `top_diameter`) or an outline of
    straight edges (`points`). `real_size` is the true width of a block along X and Y, centred as drawn. A solid with
    `tilt` has its own frame: its origin is `place` in the body's frame, and it is turned about X and then Y, degrees.
    """

    name: Name
    shape: Literal["block", "round", "lever", "ball", "cone", "outline"]
    bottom: Coordinate
    top: Coordinate
    low: Point | None = None
    high: Point | None = None
    real_size: tuple[Length, Length] | None = None
    centre: Point | None = None
    diameter: Length | None = None
    real_diameter: Length | None = None
    top_diameter: Annotated[float, Field(ge=0, le=20_000)] | None = None
    a: Point | None = None
    radius_a: Length | None = None
    b: Point | None = None
    radius_b: Length | None = None
    points: Annotated[list[Point], Field(min_length=3, max_length=2000)] | None = None
    holes: Annotated[list[HoleSection], Field(max_length=1_000)] = []
    slots: Annotated[list[SlotSection], Field(max_length=1_000)] = []
    real: RealSolidSection | None = None
    tilt: tuple[Annotated[float, Field(ge=-180, le=180)], Annotated[float, Field(ge=-180, le=180)]] | None = None
    place: Place = (0.0, 0.0, 0.0)

    @model_validator(mode="after")
    def _whole(self) -> Self:
        needs = {
            "block": ("low", "high"),
            "round": ("centre", "diameter"),
            "ball": ("centre",),
            "cone": ("centre", "diameter", "top_diameter"),
            "lever": ("a", "radius_a", "b", "radius_b"),
            "outline": ("points",),
        }[self.shape]
        missing = [name for name in needs if getattr(self, name) is None]
        if missing:
            raise ValueError(f"a {self.shape} needs {', '.join(missing)}")
        if self.shape in ("ball", "cone") and (self.holes or self.slots or self.real or self.real_diameter):
            raise ValueError(f"a {self.shape} takes no holes, slots or errors of its own")
        if self.real_size and self.shape != "block":
            raise ValueError("real_size is of a block: a round has real_diameter")
        if self.points:
            without_repeats(self.points)
        if self.tilt is None and any(self.place):
            raise ValueError("place goes with tilt: it is where a solid's own frame lies")
        if self.bottom >= self.top:
            raise ValueError(f"its bottom ({num(self.bottom)}) does not lie below its top ({num(self.top)})")
        if self.low and self.high and (self.low[0] >= self.high[0] or self.low[1] >= self.high[1]):
            raise ValueError("low and high are exchanged")
        for depth in (*(hole.depth for hole in self.holes), *(slot.depth for slot in self.slots)):
            if depth is not None and depth >= self.top - self.bottom:
                raise ValueError(f"an opening is {num(depth)} deep: leave the depth out where it goes through")
        if self.a and self.b and self.radius_a and self.radius_b:
            length = math.dist(self.a, self.b)
            if self.radius_a < self.radius_b or length <= self.radius_a - self.radius_b:
                raise ValueError("end a must be the larger, and neither end may swallow the other")
        return self


def _tilted_extent(solid: SolidSection) -> tuple[Place, Place]:
    """The box round a solid that stands in a frame of its own, in its body's."""
    low, high = extent_of([solid.model_copy(update={"tilt": None})])
    a, b = (math.radians(angle) for angle in solid.tilt or (0.0, 0.0))
    corners = []
    for x in (low[0], high[0]):
        for y in (low[1], high[1]):
            for z in (low[2], high[2]):
                v, w = y * math.cos(a) - z * math.sin(a), y * math.sin(a) + z * math.cos(a)
                u, w = x * math.cos(b) + w * math.sin(b), -x * math.sin(b) + w * math.cos(b)
                corners.append(tuple(p + q for p, q in zip((u, v, w), solid.place, strict=True)))
    lows, highs = ([pick(c[i] for c in corners) for i in range(3)] for pick in (min, max))
    return (lows[0], lows[1], lows[2]), (highs[0], highs[1], highs[2])


def extent_of(solids: list[SolidSection]) -> tuple[Place, Place]:
    """Lowest and highest corner of the box round solids, in their body's frame, mm."""
    xs: list[float] = []
    ys: list[float] = []
    for solid in (solid for solid in solids if solid.tilt is None):
        points = [point for point in (solid.low, solid.high, *(solid.points or ())) if point]
        for centre, radius in (
            (solid.centre, (max(solid.diameter or 0, solid.top_diameter or 0) or solid.top - solid.bottom) / 2),
            (solid.a, solid.radius_a or 0.0),
            (solid.b, solid.radius_b or 0.0),
        ):
            if centre:
                points += [(centre[0] - radius, centre[1] - radius), (centre[0] + radius, centre[1] + radius)]
        xs += [x for x, _ in points]
        ys += [y for _, y in points]
    zs = [z for solid in solids if solid.tilt is None for z in (solid.bottom, solid.top)]
    for low, high in (_tilted_extent(solid) for solid in solids if solid.tilt is not None):
        for i, values in enumerate((xs, ys, zs)):
            values += [low[i], high[i]]
    return (min(xs), min(ys), min(zs)), (max(xs), max(ys), max(zs))
