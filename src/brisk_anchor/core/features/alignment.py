"""Putting a drawing where its measured features are: best fit, plane-line-point, and the dial indicator's sweep."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.shapes import Axis, Edge, Plane
from brisk_anchor.core.geometry.frames import Array, Frame
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.core.uncertainty.residuals import Misfit, judge
from brisk_anchor.lazy_dataclass import dataclass

Point = tuple[float, float]


@dataclass(frozen=True, slots=True, eq=False)
class Alignment:
    """A drawing's frame on the machine, in XY: `place` of its zero, `angle` of its X axis in degrees.

    `covariance` (3×3) is that of x, y (mm) and the angle (radians); `residuals` are measured less fitted, mm.
    """

    place: Point
    angle: float
    covariance: Array
    residuals: tuple[Point, ...]

    def point(self, x: float, y: float) -> Point:
        """Where a place of the drawing lies on the machine, mm."""
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        return self.place[0] + c * x - s * y, self.place[1] + s * x + c * y


def best_fit(
    measured: Sequence[Point], drawn: Sequence[Point], u: Sequence[float], *, angle: float | None = None
) -> Alignment:
    """The place (and the angle, unless it is given, degrees) that brings drawn points nearest to measured ones.

    Weighted by 1/u²: the angle is `atan2(Σ w d×m, Σ w d·m)` of places about their weighted middles (Procrustes), the
    middles then coincide. The covariance is (JᵀWJ)⁻¹.

    Raises:
        GeometryError: too few points, or all on one spot with the angle free.
    """
    m, d, sigma = np.array(measured, dtype=float), np.array(drawn, dtype=float), np.array(u, dtype=float)
    least = 1 if angle is not None else 2
    if len(m) < least or m.shape != d.shape or len(sigma) != len(m):
        raise GeometryError(f"A fit takes {least} measured features or more", "", "Measure another")
    weights = 1 / np.where(sigma > 0, sigma, sigma[sigma > 0].min() if np.any(sigma > 0) else 1.0) ** 2
    m0, d0 = weights @ m / weights.sum(), weights @ d / weights.sum()
    dm, dd = m - m0, d - d0
    if angle is None:
        if float((weights @ (dd**2).sum(axis=1)) / weights.sum()) < 1e-6:
            raise GeometryError(
                "The features lie on one spot", "They say nothing of the angle", "Measure one further off"
            )
        turn = math.atan2(
            float(weights @ (dd[:, 0] * dm[:, 1] - dd[:, 1] * dm[:, 0])), float(weights @ (dd * dm).sum(axis=1))
        )
    else:
        turn = math.radians(angle)
    c, s = math.cos(turn), math.sin(turn)
    rotation = np.array(((c, -s), (s, c)))
    place = m0 - rotation @ d0
    left = m - (d @ rotation.T + place)
    rows, spread = [], []
    for (x, y), w in zip(d, weights, strict=True):
        rows += [(1.0, 0.0, -s * x - c * y), (0.0, 1.0, c * x - s * y)]
        spread += [w, w]
    jacobian, scale = np.array(rows), np.array(spread)
    covariance = np.zeros((3, 3))
    if np.any(sigma > 0):
        used = jacobian if angle is None else jacobian[:, :2]
        inverse = np.linalg.inv((used * scale[:, None]).T @ used)
        covariance[: len(inverse), : len(inverse)] = inverse
    return Alignment(
        (float(place[0]), float(place[1])),
        math.degrees(turn),
        covariance,
        tuple((float(x), float(y)) for x, y in left),
    )


def plane_line_point(plane: Plane, edge: Edge, origin: Vector) -> Frame:
    """The full frame of a part (3-2-1): Z out of the plane, X along the edge as seen in the plane, zero at `origin`.

    `origin` is brought onto the plane along its normal.

    Raises:
        GeometryError: the edge stands square to the plane.
    """
    z = np.array(plane.normal)
    c, s = math.cos(math.radians(edge.heading)), math.sin(math.radians(edge.heading))
    along = np.array((c, s, 0.0))
    x = along - z * float(along @ z)
    if float(np.linalg.norm(x)) < 0.1:
        raise GeometryError(f"{edge.name} stands square to {plane.name}", "It gives no direction in it", "")
    x /= np.linalg.norm(x)
    away = np.array(origin) - np.array(plane.point)
    return Frame(np.column_stack([x, np.cross(z, x), z]), np.array(origin) - z * float(away @ z))


def axis_through(
    low: Point,
    high: Point,
    z_low: float,
    z_high: float,
    covariances: tuple[Array, Array],
    diameters: Point | None = None,
) -> Axis:
    """The axis of a tilted bore or a cone from circles at two levels; `diameters` give a cone its half angle.

    Raises:
        GeometryError: the levels are one.
    """
    if z_high - z_low < 0.1:
        raise GeometryError("The two levels are nearly one", "The axis could lean anywhere", "Measure further apart")
    total = np.zeros((4, 4))
    total[:2, :2], total[2:, 2:] = covariances
    half = 0.0
    if diameters is not None:
        half = math.degrees(math.atan2((diameters[1] - diameters[0]) / 2, z_high - z_low))
    return Axis((*low, z_low), (*high, z_high), total, half)


@dataclass(frozen=True, slots=True, eq=False)
class Sweep:
    """What a dial indicator swept round says: how far the centre lies from the spindle's axis (mm), and ovality.

    `covariance` (2×2) is that of the centre, of readings that scatter as `scatter` says; `misfit` is what their
    residuals say. `ovality` is half the difference of the largest and smallest diameter, `heading` where the round is
    widest, degrees; None with fewer than five readings.
    """

    centre: Point
    covariance: Array
    residuals: tuple[float, ...]
    scatter: Scatter
    misfit: Misfit | None
    ovality: float | None = None
    heading: float | None = None


def sweep(readings: Sequence[tuple[float, float]], scatter: Scatter, *, inside: bool) -> Sweep:
    """A dial indicator turned with the spindle in a bore (`inside`) or round a boss.

    Readings are (heading in degrees from +X, counter-clockwise; figure in mm, larger where the stylus is pushed in).
    The distance to the wall is `R + e·û(θ)`, so the figure is `c ∓ (eₓ cos θ + e_y sin θ)`; from five readings on the
    second harmonic is fitted too.

    Raises:
        GeometryError: fewer than three readings, or all on one side.
    """
    if len(readings) < 3:
        raise GeometryError("A sweep takes three readings or more", "", "Read at 3, 12 and 9 o'clock, and at 6")
    angles = np.radians([angle for angle, _ in readings])
    figures = np.array([figure for _, figure in readings], dtype=float)
    columns = [np.ones(len(angles)), np.cos(angles), np.sin(angles)]
    oval = len(readings) >= 5
    if oval:
        columns += [np.cos(2 * angles), np.sin(2 * angles)]
    design = np.column_stack(columns)
    normal = design.T @ design
    if not np.isfinite(figures).all() or np.linalg.cond(normal) > 1e4:
        raise GeometryError(
            "The readings lie too close together", "They do not say where the centre is", "Read all round"
        )
    solved = np.linalg.solve(normal, design.T @ figures)
    covariance = np.linalg.inv(normal) * scatter.u**2
    residuals = figures - design @ solved
    sign = -1.0 if inside else 1.0
    ovality = heading = None
    if oval:
        ovality = float(math.hypot(solved[3], solved[4]))
        heading = math.degrees(math.atan2(sign * solved[4], sign * solved[3]) / 2)
    return Sweep(
        (sign * float(solved[1]), sign * float(solved[2])),
        covariance[1:3, 1:3],
        tuple(float(value) for value in residuals),
        scatter,
        judge(residuals, np.full(len(figures), scatter.u), design, scatter.freedom),
        ovality,
        heading,
    )
