"""Shapes through ball centres: edge, plane, sphere, circle of known size, axis from two levels, with their covariance.

Everything is fitted in ball-centre space and moved out by the effective radius at the end, as in `features`; lengths in
mm, headings in degrees, machine axes. `u` of a touch is its own standard uncertainty along the surface's normal.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.circle import one_tool
from brisk_anchor.core.features.solution import sigma_of
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.geometry.least_squares import LeastSquares, gauss_newton
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import dim
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True, eq=False)
class Edge:
    """A straight edge in XY.

    `point` lies on the metal, at the middle of the touches; `heading` is the direction of the edge and `normal` points
    into the metal. `covariance` is that of the distance along `normal` (mm) and of the heading (radians).
    """

    name: str
    point: tuple[float, float]
    heading: float
    normal: tuple[float, float]
    covariance: Array
    residuals: tuple[float, ...]
    u_shared: float
    gain: Array
    """(2 × n) what a step of each touch into the metal does to distance (mm) and heading (radians)."""
    along: Array
    """(n,) how far along it each touch lies from their middle, mm."""

    @property
    def u_heading(self) -> float:
        """Standard uncertainty of the heading, degrees."""
        return math.degrees(math.sqrt(float(self.covariance[1, 1])))

    def across(self, x: float, y: float) -> tuple[float, float]:
        """How far a place lies beyond the edge, into the metal, mm, and the standard uncertainty of that."""
        (px, py), (nx, ny) = self.point, self.normal
        along = -(x - px) * ny + (y - py) * nx
        row = np.array((-1.0, along))
        variance = float(row @ self.covariance @ row) + self.u_shared**2
        return (x - px) * nx + (y - py) * ny, math.sqrt(variance)


@dataclass(frozen=True, slots=True, eq=False)
class Plane:
    """A plane: `point` on the metal at the middle of the touches, `normal` out of the metal.

    `covariance` (3×3) is that of the height along `normal` and of the slopes along `first` and `second`, unit vectors
    in the plane.
    """

    name: str
    point: Vector
    normal: Vector
    first: Vector
    second: Vector
    covariance: Array
    residuals: tuple[float, ...]
    u_shared: float
    gain: Array
    """(3 × n) what a step of each touch along `normal` does to height (mm) and slopes."""
    design: Array
    """(n × 3) derivatives of the touches' heights by height and slopes."""

    @property
    def tilt(self) -> tuple[float, float]:
        """How far the normal leans from Z towards X and towards Y, degrees."""
        x, y, z = self.normal
        return math.degrees(math.atan2(x, z)), math.degrees(math.atan2(y, z))

    def height(self, x: float, y: float) -> tuple[float, float]:
        """Z of the plane over a place, mm, and its standard uncertainty. Raises GeometryError for an upright plane."""
        nx, ny, nz = self.normal
        if abs(nz) < 1e-3:
            raise GeometryError(f"{self.name} stands upright", "It has no height over a place", "")
        px, py, pz = self.point
        z = pz - ((x - px) * nx + (y - py) * ny) / nz
        away = np.array((x - px, y - py, z - pz))
        row = np.array((1.0, float(away @ self.first), float(away @ self.second)))
        return z, math.sqrt(float(row @ self.covariance @ row) + self.u_shared**2) / abs(nz)


@dataclass(frozen=True, slots=True, eq=False)
class Sphere:
    """A ball or a hollow: centre, diameter, covariance of centre and radius (4×4, or 3×3 where the size was known)."""

    name: str
    centre: Vector
    diameter: float
    covariance: Array
    residuals: tuple[float, ...]
    gain: Array
    """(3 or 4 × n) what an outward step of each touch does to centre and radius."""
    design: Array
    """(n × 3 or 4) derivatives of the residuals; the outward normals are its first three columns with a minus."""


@dataclass(frozen=True, slots=True, eq=False)
class Axis:
    """The axis of a bore or cone through two levels: a point, a unit direction upwards, and its lean.

    `covariance` (4×4) is that of x and y at the lower level and of x and y at the upper one.
    """

    low: Vector
    high: Vector
    covariance: Array
    half_angle: float = 0.0

    @property
    def lean(self) -> tuple[float, float]:
        """Towards X and towards Y, degrees."""
        dx, dy, dz = (b - a for a, b in zip(self.low, self.high, strict=True))
        return math.degrees(math.atan2(dx, dz)), math.degrees(math.atan2(dy, dz))

    def at(self, z: float) -> tuple[tuple[float, float], Array]:
        """Where the axis is at a height, mm, and the covariance (2×2) of that, mm²."""
        share = (z - self.low[2]) / (self.high[2] - self.low[2])
        x, y = (a + (b - a) * share for a, b in zip(self.low[:2], self.high[:2], strict=True))
        rows = np.hstack([np.eye(2) * (1 - share), np.eye(2) * share])
        return (x, y), rows @ self.covariance @ rows.T


def _known(touches: Sequence[Touch], covariance: Array) -> Array:
    """The covariance, nothing where no touch states an uncertainty."""
    return covariance if any(touch.u > 0 for touch in touches) else np.zeros_like(covariance)


def solve_edge(name: str, touches: Sequence[Touch]) -> Edge:
    """A straight edge from two touches or more that came from the same side, at any angle to it.

    The line through the ball centres has the smallest weighted sum of squared distances; the edge lies one effective
    radius beyond it. The covariance is (JᵀWJ)⁻¹ of distance and heading; at the weighted middle they are independent.

    Raises:
        GeometryError: fewer than two touches, all on one spot, or from different sides.
    """
    tool = one_tool(name, touches, 2).stylus
    points = np.array([touch.ball_centre[:2] for touch in touches])
    weights = 1 / sigma_of(touches) ** 2
    middle = weights @ points / weights.sum()
    local = points - middle
    scatter = (local * weights[:, None]).T @ local
    values, vectors = np.linalg.eigh(scatter)
    if values[1] < 1e-9 * weights.sum():
        raise GeometryError(f"The touches of {name} are on one spot", "They have no direction", "Touch further along")
    along = vectors[:, 1]
    normal = np.array((-along[1], along[0]))
    senses = [float(normal @ touch.direction[:2]) for touch in touches]
    if min(senses) < 0 < max(senses) or min(abs(s) for s in senses) < 0.2:
        raise GeometryError(f"The touches of {name} came from different sides, or along it", "", "Touch it square")
    if senses[0] < 0:
        normal, along = -normal, -along
    t = local @ along
    covariance = np.diag([1 / weights.sum(), 1 / float(weights @ t**2)])
    gain = np.vstack([weights / weights.sum(), weights * t / float(weights @ t**2)])
    point = middle + normal * tool.effective_radius
    return Edge(
        name,
        (float(point[0]), float(point[1])),
        math.degrees(math.atan2(along[1], along[0])),
        (float(normal[0]), float(normal[1])),
        _known(touches, covariance),
        tuple(float(value) for value in local @ normal),
        tool.u_radius,
        gain,
        t,
    )


@dataclass(frozen=True, slots=True, eq=False)
class Corner:
    """Where two edges meet: place, its covariance (2×2, mm²), and the angle between the edges, degrees."""

    place: tuple[float, float]
    covariance: Array
    angle: float


def corner(first: Edge, second: Edge) -> Corner:
    """The meeting point of two edges that need not be square.

    Each edge says `n·p = n·p₀`; the effect of its distance and heading on the solution is worked out linearly, and the
    ball's radius, where both were touched by one tool, is shared.

    Raises:
        GeometryError: the edges are parallel.
    """
    matrix = np.array((first.normal, second.normal))
    determinant = float(np.linalg.det(matrix))
    if abs(determinant) < math.sin(math.radians(2)):
        raise GeometryError(f"{first.name} and {second.name} are nearly parallel", "They meet nowhere near", "")
    place = np.linalg.solve(matrix, np.array([np.dot(edge.normal, edge.point) for edge in (first, second)]))
    inverse = np.linalg.inv(matrix)
    total = np.zeros((2, 2))
    for i, edge in enumerate((first, second)):
        nx, ny = edge.normal
        along = float(np.dot((-ny, nx), place - np.array(edge.point)))
        effect = np.outer(inverse[:, i], (1.0, -along))
        total += effect @ edge.covariance @ effect.T
    shared = inverse @ np.array((first.u_shared, second.u_shared))
    between = math.degrees(math.acos(max(-1.0, min(1.0, abs(float(np.dot(first.normal, second.normal)))))))
    return Corner((float(place[0]), float(place[1])), total + np.outer(shared, shared), between)


def solve_plane(name: str, touches: Sequence[Touch]) -> Plane:
    """A plane from three touches or more, at any tilt.

    Raises:
        GeometryError: fewer than three touches, or all on a line.
    """
    tool = one_tool(name, touches, 3).stylus
    points = np.array([touch.ball_centre for touch in touches])
    weights = 1 / sigma_of(touches) ** 2
    middle = weights @ points / weights.sum()
    local = points - middle
    values, vectors = np.linalg.eigh((local * weights[:, None]).T @ local)
    if values[1] <= max(1e-8 * values[2], 1e-9 * weights.sum()):
        raise GeometryError(f"The touches of {name} lie on a line", "The plane could turn about it", "Spread them")
    normal, first, second = vectors[:, 0], vectors[:, 1], vectors[:, 2]
    if float(normal @ np.array(touches[0].direction)) > 0:
        normal = -normal  # out of the metal, against the approach
    design = np.column_stack([np.ones(len(points)), local @ first, local @ second])
    covariance = np.linalg.inv((design * weights[:, None]).T @ design)
    point = middle - normal * tool.effective_radius
    shared = tool.u_length if abs(normal[2]) > 0.9 else tool.u_radius
    return Plane(
        name,
        _vector(point),
        _vector(normal),
        _vector(first),
        _vector(second),
        _known(touches, covariance),
        tuple(float(value) for value in local @ normal),
        shared,
        covariance @ (design * weights[:, None]).T,
        design,
    )


def _vector(values: Array) -> Vector:
    return float(values[0]), float(values[1]), float(values[2])


def _solved(
    start: Array, residual: Callable[[Array], tuple[Array, Array]], touches: Sequence[Touch], what: str
) -> LeastSquares:
    """The least-squares solution. Raises GeometryError: the touches leave something free."""
    found = gauss_newton(start, residual, sigma_of(touches))
    if found is None:
        what = f"The touches do not define {what}"
        raise GeometryError(what, "They lie too close together, or on a line", "Spread them")
    return found


def solve_sphere(name: str, touches: Sequence[Touch], *, inside: bool = False, diameter: float | None = None) -> Sphere:
    """A ball touched from outside, or a hollow from inside; four touches, or three where its diameter is known.

    Raises:
        GeometryError: too few touches, or touches that define none.
    """
    tool = one_tool(name, touches, 4 if diameter is None else 3).stylus
    sense = -1.0 if inside else 1.0
    points = np.array([touch.ball_centre for touch in touches])
    origin = points.mean(axis=0)
    local = points - origin
    known = None if diameter is None else diameter / 2 + sense * tool.effective_radius

    def residual(x: Array) -> tuple[Array, Array]:
        away = local - x[:3]
        distance = np.maximum(np.linalg.norm(away, axis=1), 1e-9)
        jacobian = -away / distance[:, None]
        if known is not None:
            return distance - known, jacobian
        return distance - x[3], np.column_stack([jacobian, -np.ones(len(away))])

    # The algebraic sphere starts the iteration; with a known size the centre lies behind the touches.
    system = np.column_stack([2 * local, np.ones(len(local))])
    kasa, *_ = np.linalg.lstsq(system, (local**2).sum(axis=1), rcond=None)
    start = kasa[:3]
    if known is None:
        start = np.append(start, math.sqrt(max(1e-6, float(kasa[3] + start @ start))))
    else:
        start = np.mean([np.array(t.direction) for t in touches], axis=0) * known * sense
    found = _solved(start, residual, touches, "a ball")
    x, covariance, r = found.x, found.covariance, found.residuals
    radius = known if known is not None else float(x[3])
    size = 2 * (radius - sense * tool.effective_radius)
    if size <= 0:
        raise GeometryError(f"{name} comes out {dim(size, 3)} in diameter", "The tip would be larger", "Inside or out?")
    centre, residuals = _vector(x[:3] + origin), tuple(float(v) for v in r)
    return Sphere(name, centre, size, _known(touches, covariance), residuals, found.gain, found.jacobian)


@dataclass(frozen=True, slots=True, eq=False)
class KnownCircle:
    """A circle of known size: `centre` (mm), covariance (2×2), residuals (mm); `gain` and `design` as of a sphere."""

    centre: tuple[float, float]
    covariance: Array
    residuals: tuple[float, ...]
    gain: Array
    design: Array


def solve_known_circle(name: str, touches: Sequence[Touch], *, inside: bool, diameter: float) -> KnownCircle:
    """Centre of a bore (`inside`) or boss of known diameter from two touches or more.

    Raises:
        GeometryError: too few touches, opposite ones that leave it free, or a size that cannot be.
    """
    tool = one_tool(name, touches, 2).stylus
    rho = diameter / 2 + (-1.0 if inside else 1.0) * tool.effective_radius
    if rho <= 0:
        raise GeometryError(
            f"A tip of ⌀{dim(tool.ball_diameter)} does not go into ⌀{dim(diameter)}", "", "Check the size"
        )
    points = np.array([touch.ball_centre[:2] for touch in touches])
    origin = points.mean(axis=0)
    local = points - origin

    def residual(x: Array) -> tuple[Array, Array]:
        away = local - x
        distance = np.maximum(np.linalg.norm(away, axis=1), 1e-9)
        return distance - rho, -away / distance[:, None]

    # Inside, the centre lies against the approach; outside, along it.
    push = np.mean([np.array(touch.direction[:2]) for touch in touches], axis=0) * (-1.0 if inside else 1.0)
    found = _solved(push * rho, residual, touches, "a centre")
    place = found.x + origin
    residuals = tuple(float(value) for value in found.residuals)
    centre = (float(place[0]), float(place[1]))
    return KnownCircle(centre, _known(touches, found.covariance), residuals, found.gain, found.jacobian)
