"""Solids as signed-distance functions, vectorised over points.

Every solid is a flat region (rectangle, disc, or the hull of two discs; less round holes and slots) drawn up from a
bottom to a top that may be uneven as a casting's is. Outside, the distance is exact where region borders do not cross,
so the ball is stopped where a real ball would be, edges included; near the mouth of a slot it is a lower bound.
An uneven top uses the vertical distance, which is right for the height of contact and needs shorter steps on the way.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from brisk_anchor.core.frames import Array, Frame

UNEVEN_STEP = 0.95
"""Share of the field value that is a safe step over an uneven top (slopes up to 0.3)."""


@dataclass(frozen=True, slots=True)
class Rectangle:
    """An axis-parallel rectangle, mm."""

    low: tuple[float, float]
    high: tuple[float, float]

    def distance(self, x: Array, y: Array) -> Array:
        """Signed distance, negative inside."""
        cx, cy = (self.low[0] + self.high[0]) / 2, (self.low[1] + self.high[1]) / 2
        dx = np.abs(x - cx) - (self.high[0] - self.low[0]) / 2
        dy = np.abs(y - cy) - (self.high[1] - self.low[1]) / 2
        result: Array = np.hypot(np.maximum(dx, 0), np.maximum(dy, 0)) + np.minimum(np.maximum(dx, dy), 0)
        return result

    def outline(self) -> list[tuple[float, float]]:
        """Corners, counter-clockwise."""
        (x0, y0), (x1, y1) = self.low, self.high
        return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]


@dataclass(frozen=True, slots=True)
class Disc:
    """A disc, mm."""

    centre: tuple[float, float]
    radius: float

    def distance(self, x: Array, y: Array) -> Array:
        """Signed distance, negative inside."""
        result: Array = np.hypot(x - self.centre[0], y - self.centre[1]) - self.radius
        return result

    def outline(self) -> list[tuple[float, float]]:
        """A fine polygon for drawing."""
        return [
            (self.centre[0] + self.radius * math.cos(a), self.centre[1] + self.radius * math.sin(a))
            for a in (2 * math.pi * i / 72 for i in range(72))
        ]


@dataclass(frozen=True, slots=True)
class Lever:
    """The hull of two discs: a big end at `a`, a small end at `b`, straight sides between."""

    a: tuple[float, float]
    radius_a: float
    b: tuple[float, float]
    radius_b: float

    def distance(self, x: Array, y: Array) -> Array:
        """Signed distance: the smallest over all discs between the two ends, in closed form."""
        bx, by = self.b[0] - self.a[0], self.b[1] - self.a[1]
        length = math.hypot(bx, by)
        ux, uy = bx / length, by / length
        along = (x - self.a[0]) * ux + (y - self.a[1]) * uy
        across = np.abs(-(x - self.a[0]) * uy + (y - self.a[1]) * ux)
        sine = (self.radius_a - self.radius_b) / length
        cosine = math.sqrt(1 - sine * sine)
        foot = along - across * sine / cosine
        share = np.clip(foot, 0, length) / length
        radius = self.radius_a + (self.radius_b - self.radius_a) * share
        result: Array = np.hypot(along - share * length, across) - radius
        return result

    def outline(self) -> list[tuple[float, float]]:
        """A fine polygon for drawing."""
        heading = math.atan2(self.b[1] - self.a[1], self.b[0] - self.a[0])
        length = math.hypot(self.b[0] - self.a[0], self.b[1] - self.a[1])
        lean = math.acos((self.radius_a - self.radius_b) / length)
        points = []
        for centre, radius, first, last in (
            (self.a, self.radius_a, heading + lean, heading + 2 * math.pi - lean),
            (self.b, self.radius_b, heading - lean, heading + lean),
        ):
            for i in range(25):
                angle = first + (last - first) * i / 24
                points.append((centre[0] + radius * math.cos(angle), centre[1] + radius * math.sin(angle)))
        return points


Region = Rectangle | Disc | Lever


@dataclass(frozen=True, slots=True)
class Unevenness:
    """A casting's top: `rise` (mm) over nominal, slopes (mm per mm) about `centre`, waves of `wave` and `pitch` mm."""

    rise: float = 0.0
    slope: tuple[float, float] = (0.0, 0.0)
    wave: float = 0.0
    pitch: float = 40.0
    centre: tuple[float, float] = (0.0, 0.0)

    def height(self, x: Array, y: Array) -> Array:
        """Height over nominal, mm."""
        dx, dy = x - self.centre[0], y - self.centre[1]
        turn = 2 * math.pi / self.pitch
        result: Array = (
            self.rise
            + self.slope[0] * dx
            + self.slope[1] * dy
            + self.wave * np.sin(turn * dx + 0.7) * np.cos(turn * dy)
        )
        return result


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
    slots: tuple[Rectangle, ...] = ()
    uneven: Unevenness | None = None
    frame: Frame = field(default_factory=Frame.identity)

    @property
    def title(self) -> str:
        """Name for messages: "the hub of GL-114"."""
        return f"the {self.name} of {self.body}" if self.name != self.body else f"the {self.body}"

    @property
    def step_share(self) -> float:
        """Share of the field value that is a safe step."""
        return UNEVEN_STEP if self.uneven else 1.0

    def distance(self, points: Array) -> Array:
        """Signed distance of machine points (n, 3), mm, negative inside."""
        local = (points - self.frame.translation) @ self.frame.rotation
        x, y, z = local[:, 0], local[:, 1], local[:, 2]
        flat = self.region.distance(x, y)
        for hole in self.holes:
            flat = np.maximum(flat, -hole.distance(x, y))
        for slot in self.slots:
            flat = np.maximum(flat, -slot.distance(x, y))
        top = self.top + self.uneven.height(x, y) if self.uneven else self.top
        upright = np.maximum(z - top, self.bottom - z)
        result: Array = np.hypot(np.maximum(flat, 0), np.maximum(upright, 0)) + np.minimum(np.maximum(flat, upright), 0)
        return result

    def bounds(self) -> tuple[Array, Array]:
        """Lowest and highest corner of a box around it in machine coordinates, mm."""
        outline = self.region.outline()
        extra = (
            abs(self.uneven.rise) + 0.3 * 60 * max(map(abs, self.uneven.slope)) * 4 + self.uneven.wave
            if self.uneven
            else 0
        )
        corners = [(x, y, z) for x, y in outline for z in (self.bottom, self.top + extra)]
        placed = self.frame.apply(np.array(corners))
        return placed.min(axis=0) - 0.01, placed.max(axis=0) + 0.01
