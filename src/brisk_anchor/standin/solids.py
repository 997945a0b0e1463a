"""Solids as signed-distance functions of one point.

A solid is a ball, a cone, or a flat region (rectangle, disc, outline, or the hull of two discs; less openings) drawn up
from a bottom to a top that may be uneven as a casting's is. Outside, the distance is exact where region borders do not
cross, so the ball is stopped where a real ball would be, edges included; near the mouth of a slot it is a lower bound.
An uneven top uses the vertical distance, which is right for the height of contact and needs shorter steps on the way.

Plain floats on purpose: a move asks for one point at a time, and for that NumPy is five times slower.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import field
from functools import lru_cache

import numpy as np

from brisk_anchor.core.geometry.frames import Array, Frame
from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass

UNEVEN_STEP = 0.95
"""Share of the field value that is a safe step over an uneven top (slopes up to 0.3)."""
_CORNERS = 72
"""Corners of the outline of a disc."""
_STEPS = 24
"""Edges of the outline of each end of a lever."""
Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Rectangle:
    """An axis-parallel rectangle, mm."""

    low: Point
    high: Point

    def distance(self, x: float, y: float) -> float:
        """Signed distance, negative inside."""
        (x0, y0), (x1, y1) = self.low, self.high
        dx, dy = x0 - x, y0 - y
        if x - x1 > dx:
            dx = x - x1
        if y - y1 > dy:
            dy = y - y1
        if dx > 0 and dy > 0:
            return math.hypot(dx, dy)
        return dx if dx > dy else dy

    @property
    def bulge(self) -> float:
        """How far, mm, it goes beyond its outline: nowhere."""
        return 0.0

    def outline(self) -> list[Point]:
        """Corners, counter-clockwise."""
        (x0, y0), (x1, y1) = self.low, self.high
        return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]


@dataclass(frozen=True, slots=True)
class Disc:
    """A disc, mm."""

    centre: Point
    radius: float

    def distance(self, x: float, y: float) -> float:
        """Signed distance, negative inside."""
        return math.hypot(x - self.centre[0], y - self.centre[1]) - self.radius

    @property
    def bulge(self) -> float:
        """How far, mm, it goes beyond its outline: half way between two corners."""
        return self.radius * (1 - math.cos(math.pi / _CORNERS))

    def outline(self) -> list[Point]:
        """A fine polygon for drawing."""
        return [
            (self.centre[0] + self.radius * math.cos(a), self.centre[1] + self.radius * math.sin(a))
            for a in (2 * math.pi * i / _CORNERS for i in range(_CORNERS))
        ]


@dataclass(frozen=True, slots=True)
class Lever:
    """The hull of two discs: a big end at `a`, a small end at `b`, straight sides between."""

    a: Point
    radius_a: float
    b: Point
    radius_b: float

    def distance(self, x: float, y: float) -> float:
        """Signed distance: the smallest over all discs between the two ends, in closed form (docs/maths.md)."""
        bx, by = self.b[0] - self.a[0], self.b[1] - self.a[1]
        length = math.hypot(bx, by)
        ux, uy = bx / length, by / length
        px, py = x - self.a[0], y - self.a[1]
        along, across = px * ux + py * uy, abs(py * ux - px * uy)
        sine = (self.radius_a - self.radius_b) / length
        foot = along - across * sine / math.sqrt(1 - sine * sine)
        share = min(1.0, max(0.0, foot / length))
        radius = self.radius_a + (self.radius_b - self.radius_a) * share
        return math.hypot(along - share * length, across) - radius

    @property
    def bulge(self) -> float:
        """How far, mm, it goes beyond its outline: half way between two corners of the larger end."""
        return max(self.radius_a, self.radius_b) * (1 - math.cos(math.pi / _STEPS))

    def outline(self) -> list[Point]:
        """A fine polygon for drawing."""
        heading = math.atan2(self.b[1] - self.a[1], self.b[0] - self.a[0])
        length = math.hypot(self.b[0] - self.a[0], self.b[1] - self.a[1])
        lean = math.acos((self.radius_a - self.radius_b) / length)
        points = []
        for centre, radius, first, last in (
            (self.a, self.radius_a, heading + lean, heading + 2 * math.pi - lean),
            (self.b, self.radius_b, heading - lean, heading + lean),
        ):
            for i in range(_STEPS + 1):
                angle = first + (last - first) * i / _STEPS
                points.append((centre[0] + radius * math.cos(angle), centre[1] + radius * math.sin(angle)))
        return points


@dataclass(frozen=True, slots=True)
class Polygon:
    """A closed outline of straight edges, counter-clockwise or not, mm, local."""

    points: tuple[Point, ...]

    def distance(self, x: float, y: float) -> float:
        """Signed distance; exact. The sign is by the count of edges a ray to +X crosses."""
        nearest, inside = math.inf, False
        x0, y0 = self.points[-1]
        for x1, y1 in self.points:
            ex, ey, wx, wy = x1 - x0, y1 - y0, x - x0, y - y0
            share = (wx * ex + wy * ey) / (ex * ex + ey * ey)
            share = 0.0 if share < 0.0 else (1.0 if share > 1.0 else share)
            dx, dy = wx - ex * share, wy - ey * share
            square = dx * dx + dy * dy
            if square < nearest:
                nearest = square
            if (y0 > y) != (y1 > y) and x < x0 + ex * (y - y0) / ey:
                inside = not inside
            x0, y0 = x1, y1
        return -math.sqrt(nearest) if inside else math.sqrt(nearest)

    @property
    def bulge(self) -> float:
        """How far, mm, it goes beyond its outline: nowhere."""
        return 0.0

    def outline(self) -> list[Point]:
        """Its corners."""
        return list(self.points)


Region = Rectangle | Disc | Lever | Polygon


@dataclass(frozen=True, slots=True)
class Ball:
    """A ball about the axis of its solid's disc, as wide as that; `height` is its middle, mm, local."""

    radius: float
    height: float

    def distance(self, r: float, z: float) -> float:
        """Signed distance of a point `r` from the axis at height `z`; exact."""
        return math.hypot(r, z - self.height) - self.radius


@dataclass(frozen=True, slots=True)
class Cone:
    """A cone or its stump about the axis of its solid's disc, from `low` radius at `bottom` to `high` at `top`."""

    low: float
    high: float
    bottom: float
    top: float

    def distance(self, r: float, z: float) -> float:
        """Signed distance of a point `r` from the axis at height `z`; exact."""
        dr, dz = self.high - self.low, self.top - self.bottom
        share = min(1.0, max(0.0, ((r - self.low) * dr + (z - self.bottom) * dz) / (dr * dr + dz * dz)))
        slant = math.hypot(r - self.low - dr * share, z - self.bottom - dz * share)
        floor = math.hypot(max(0.0, r - self.low), z - self.bottom)
        roof = math.hypot(max(0.0, r - self.high), z - self.top)
        nearest = min(slant, floor, roof)
        within = self.bottom < z < self.top and r < self.low + dr * (z - self.bottom) / dz
        return -nearest if within else nearest


@dataclass(frozen=True, slots=True)
class Unevenness:
    """A casting's top: `rise` over nominal, slopes (mm per mm) about `centre`, waves of `wave` and `pitch` mm."""

    rise: float = 0.0
    slope: Point = (0.0, 0.0)
    wave: float = 0.0
    pitch: float = 40.0
    centre: Point = (0.0, 0.0)

    def height(self, x: float, y: float) -> float:
        """Height over nominal, mm."""
        dx, dy = x - self.centre[0], y - self.centre[1]
        height = self.rise + self.slope[0] * dx + self.slope[1] * dy
        if self.wave:
            turn = 2 * math.pi / self.pitch
            height += self.wave * math.sin(turn * dx + 0.7) * math.cos(turn * dy)
        return height


def _box(points: Sequence[Point]) -> tuple[float, float, float, float]:
    xs, ys = zip(*points, strict=True)
    return min(xs), min(ys), max(xs), max(ys)


@dataclass(frozen=True, slots=True, eq=False)
class Solid:
    """A region drawn up from `bottom` to `top` (mm, local), placed by `frame` in machine tip coordinates."""

    name: str
    body: str
    role: str
    region: Region
    bottom: float
    top: float
    holes: tuple[Disc, ...] = ()
    slots: tuple[Rectangle | Polygon, ...] = ()
    plugs: tuple[tuple[Region, float], ...] = ()
    """Metal left under openings that do not go through: the opening again, and the height of its floor."""
    uneven: Unevenness | None = None
    turned: Ball | Cone | None = None
    """A ball or cone in place of the drawn-up region, which is then the disc it is seen as from above."""
    frame: Frame = field(default_factory=Frame.identity)
    carried: bool = False
    """Whether it stands on the rotary table and turns with it."""
    _placed: tuple[float, ...] = field(init=False)
    _round: tuple[tuple[float, float, float], ...] = field(init=False)
    _square: tuple[tuple[float, float, float, float], ...] = field(init=False)
    _other: tuple[tuple[float, float, float, float, Polygon], ...] = field(init=False)

    def __post_init__(self) -> None:
        columns = self.frame.rotation.T.reshape(-1)
        numbers = tuple(float(value) for value in (*columns, *self.frame.translation))
        object.__setattr__(self, "_placed", numbers)
        # Openings as bare figures: a plate has many, and the field is asked for a hundred thousand times a second.
        object.__setattr__(self, "_round", tuple((*hole.centre, hole.radius) for hole in self.holes))
        square = tuple((*slot.low, *slot.high) for slot in self.slots if isinstance(slot, Rectangle))
        object.__setattr__(self, "_square", square)
        other = tuple((*_box(slot.points), slot) for slot in self.slots if not isinstance(slot, Rectangle))
        object.__setattr__(self, "_other", other)

    @property
    def title(self) -> str:
        """Name for messages: "the hub of GL-114"."""
        return f"the {self.name} of {self.body}" if self.name != self.body else f"the {self.body}"

    @property
    def step_share(self) -> float:
        """Share of the field value that is a safe step."""
        return UNEVEN_STEP if self.uneven else 1.0

    def distance(self, x: float, y: float, z: float) -> float:
        """Signed distance of a machine point, mm, negative inside."""
        a, b, c, d, e, f, g, h, i, tx, ty, tz = self._placed
        x, y, z = x - tx, y - ty, z - tz
        x, y, z = a * x + b * y + c * z, d * x + e * y + f * z, g * x + h * y + i * z
        if self.turned is not None and isinstance(self.region, Disc):
            centre = self.region.centre
            return self.turned.distance(math.hypot(x - centre[0], y - centre[1]), z)
        flat = self.region.distance(x, y)
        for cx, cy, radius in self._round:
            opening = radius - math.hypot(x - cx, y - cy)
            if opening > flat:
                flat = opening
        for x0, y0, x1, y1 in self._square:  # as Rectangle.distance
            dx = x0 - x if x0 + x1 > x + x else x - x1
            dy = y0 - y if y0 + y1 > y + y else y - y1
            opening = -math.hypot(dx, dy) if dx > 0 and dy > 0 else (-dx if dx > dy else -dy)
            if opening > flat:
                flat = opening
        for x0, y0, x1, y1, slot in self._other:
            # It is no nearer than its box: a drawing brings hundreds of outlines of dozens of corners.
            reach = -flat if flat < 0.0 else 0.0
            if x0 - x <= reach and x - x1 <= reach and y0 - y <= reach and y - y1 <= reach:
                opening = -slot.distance(x, y)
                if opening > flat:
                    flat = opening
        above = z - (self.top + self.uneven.height(x, y) if self.uneven else self.top)
        below = self.bottom - z
        upright = above if above > below else below
        nearest = math.hypot(flat, upright) if flat > 0 and upright > 0 else (flat if flat > upright else upright)
        for plug, floor in self.plugs:
            flat, upright = plug.distance(x, y), max(z - floor, self.bottom - z)
            nearest = min(nearest, math.hypot(flat, upright) if flat > 0 and upright > 0 else max(flat, upright))
        return nearest

    def bounds(self) -> tuple[Vector, Vector]:
        """Lowest and highest corner of a box around it in machine coordinates, mm."""
        corners, _, _, extra = _hull(self.region, self.bottom, self.top, self.uneven)
        placed = self.frame.apply(corners)
        (x0, y0, z0), (x1, y1, z1) = placed.min(axis=0).tolist(), placed.max(axis=0).tolist()
        return (x0 - extra, y0 - extra, z0 - extra), (x1 + extra, y1 + extra, z1 + extra)

    def ball(self) -> tuple[Vector, float]:
        """Middle, in machine coordinates, and radius of a ball around it, mm."""
        _, middle, radius, _ = _hull(self.region, self.bottom, self.top, self.uneven)
        return self.frame.point(middle), radius


@lru_cache(maxsize=4096)
def _hull(region: Region, bottom: float, top: float, uneven: Unevenness | None) -> tuple[Array, Vector, float, float]:
    """Corners (n, 3) of a drawn-up region, middle and radius of a ball around it, and how far it goes beyond corners.

    In mm, in its own frame. Kept, since a solid that turns with a table is asked at every step, and only placed anew.
    """
    outline, extra, rise = region.outline(), 0.01 + region.bulge, 0.0
    if uneven:
        reach = max(math.dist(point, uneven.centre) for point in outline)
        rise = abs(uneven.rise) + uneven.wave + reach * math.hypot(*uneven.slope)
    corners = np.array([(x, y, z) for x, y in outline for z in (bottom, top + rise)])
    middle = (corners.min(axis=0) + corners.max(axis=0)) / 2
    radius = float(np.sqrt(((corners - middle) ** 2).sum(axis=1).max())) + extra
    x, y, z = middle.tolist()
    return corners, (x, y, z), radius, extra


def clear_place(region: Region, openings: Sequence[Region], margin: float = 5.0) -> Point | None:
    """A place inside a region, as far as it goes from its border and from openings; None where none is `margin` away.

    Of places equally far the first from the left and the front; mm, the region's own frame.
    """
    points = region.outline()
    (x0, x1), (y0, y1) = ((min(values), max(values)) for values in zip(*points, strict=True))
    best, place = margin, None
    for i in range(1, 24):
        for j in range(1, 24):
            x, y = x0 + (x1 - x0) * i / 24, y0 + (y1 - y0) * j / 24
            clear = min(-region.distance(x, y), *(opening.distance(x, y) for opening in openings), math.inf)
            if clear > best + 1e-9:
                best, place = clear, (round(x, 3), round(y, 3))
    return place


def table_reach(solids: tuple[Solid, ...], axes: tuple[RotaryAxis, ...]) -> float:
    """How far from a rotary axis anything that the table carries may lie, mm."""
    corners = [corner for solid in solids if solid.carried for corner in solid.bounds()]
    return max((math.dist(corner, axis.centre) for axis in axes for corner in corners), default=0.0)
