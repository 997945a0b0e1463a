"""Features from touches: least squares in ball-centre space, offset by the effective ball radius afterwards.

Fitting the centres of the ball and moving out by its radius at the end has no cosine error, whatever direction the
ball came from. Uncertainty has two parts that must not be mixed: what each touch has for itself, which averages out,
and what all touches of one stylus share (radius, length), which does not. See docs/maths.md.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.touches import AXES, Touch, axis_of
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.geometry.least_squares import gauss_newton
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.quantities import mm
from brisk_anchor.core.uncertainty.estimates import SHARED, Estimate, correlated

COVERAGE_FACTOR = 2.0


@dataclass(frozen=True, slots=True)
class SharedEffect:
    """What one standard uncertainty of a shared error (one stylus's radius, say) does to each coordinate, mm."""

    source: str
    effect: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Feature:
    """A measured feature, in machine coordinates of the tip (spindle position less tool length), mm.

    `axes` names the coordinates it locates: "x", "y", "z" in mm; "r", how far it is turned about Z from the axis it
    runs along; "a" and "b", how far its own axis leans about X and about Y, degrees. `coordinates`, rows of
    `covariance` (own part of the touches only) and each `SharedEffect.effect` follow that order. `size` is the diameter
    of a bore or boss and `u_size` its standard uncertainty; of a slot or web it is the width, of a pocket or block that
    along X, and `size_y` that along Y. `residuals` are radial, one a touch, outward positive. `form` is their range;
    None when there are no more touches than unknowns. `square` is how far, degrees, its walls are from square.

    `places` says where each coordinate was found, as the place of the tip that touched: along a wall, X holds only at
    the Y where it was touched. Empty for what is a point, a bore's centre say. `own` holds the own part by source where
    it is built from other features, so that what it has in common with them is known; `covariance` is their sum.
    """

    name: str
    kind: FeatureKind
    axes: tuple[str, ...]
    coordinates: tuple[float, ...]
    covariance: tuple[tuple[float, ...], ...]
    shared: tuple[SharedEffect, ...]
    touches: tuple[Touch, ...]
    residuals: tuple[float, ...]
    size: float | None = None
    u_size: float | None = None
    form: float | None = None
    size_y: float | None = None
    u_size_y: float | None = None
    places: tuple[Vector, ...] = ()
    square: float | None = None
    own: tuple[SharedEffect, ...] = ()

    @property
    def sizes(self) -> dict[str, float]:
        """What was measured between its walls, by the letter it is reported with: D, and E for the second, mm."""
        pairs = (("D", self.size), ("E", self.size_y))
        return {letter: value for letter, value in pairs if value is not None}

    def coordinate(self, axis: str) -> float:
        """The coordinate along `axis` ("x", "y", "z"), mm; KeyError when the feature does not locate that axis."""
        if axis not in self.axes:
            raise KeyError(axis)
        return self.coordinates[self.axes.index(axis)]

    @property
    def angles(self) -> dict[str, float]:
        """The coordinates that are angles, degrees."""
        return {a: value for a, value in zip(self.axes, self.coordinates, strict=True) if a not in AXES}

    def estimates(self) -> dict[str, Estimate]:
        """Its coordinates with what they depend on, by axis."""
        if self.own:
            found = [
                Estimate(value, {own.source: own.effect[i] for own in self.own})
                for i, value in enumerate(self.coordinates)
            ]
        else:
            found = correlated(self.name, self.coordinates, np.array(self.covariance).reshape(len(self.axes), -1))
        result = {}
        for i, (axis, item) in enumerate(zip(self.axes, found, strict=True)):
            shared = {SHARED + effect.source: effect.effect[i] for effect in self.shared}
            result[axis] = Estimate(item.value, {**item.effects, **shared})
        return result

    def standard_uncertainty(self, axis: str) -> float:
        """Standard uncertainty along `axis`, shared part included, mm."""
        i = self.axes.index(axis)
        return math.sqrt(self.covariance[i][i] + sum(shared.effect[i] ** 2 for shared in self.shared))


@dataclass(frozen=True, slots=True)
class CircleFit:
    """A circle of ball centres: `centre` and `radius` (mm), covariance (3×3: x, y, radius), residuals (mm)."""

    centre: tuple[float, float]
    radius: float
    covariance: Array
    residuals: Array


_FLATTEST = 1e12
"""Condition number of a flat arc that is still a circle: how badly its centre is known is told by its ±."""
_LARGEST = 1e5
"""A circle so many times larger than its touches lie apart is a line."""


def fit_circle(points: Array, u: Array) -> CircleFit:
    """Geometric least-squares circle, weighted by 1/u², by Gauss-Newton on centred coordinates.

    Points are centred and scaled first: at machine coordinates of hundreds of millimetres a plain algebraic fit would
    throw digits away. The algebraic (Kåsa) solution of the centred points starts the iteration.

    Args:
        points: (n, 2) ball centres, mm, n ≥ 3.
        u: (n,) standard uncertainties, mm; all zero is taken as equal weights.

    Returns:
        The fit; its covariance is (JᵀWJ)⁻¹ with W = diag(1/u²), zero when u is zero.

    Raises:
        GeometryError: fewer than three points, points that coincide or lie on a line, or no convergence.
    """
    if len(points) < 3:
        raise GeometryError(
            f"{len(points)} touches do not define a circle", "Three are the least", "Add a touch at another place"
        )
    origin = points.mean(axis=0)
    local = points - origin
    scale = float(np.abs(local).max())
    singular = np.linalg.svd(local, compute_uv=False)
    if scale < 1e-3 or singular[1] < 1e-6 * singular[0]:
        raise GeometryError(
            "The touches lie on a line or on one spot", "They fit a circle of any size", "Spread them round the feature"
        )
    local = local / scale
    sigma = np.where(u > 0, u, u[u > 0].min()) if np.any(u > 0) else np.ones(len(points))

    def residual(x: Array) -> tuple[Array, Array]:
        offset = local - x[:2]
        distance = np.maximum(np.hypot(offset[:, 0], offset[:, 1]), 1e-9)
        return distance - x[2], np.column_stack([-offset / distance[:, None], -np.ones(len(local))])

    system = np.column_stack([2 * local, np.ones(len(local))]) / sigma[:, None]
    kasa, *_ = np.linalg.lstsq(system, (local**2).sum(axis=1) / sigma, rcond=None)
    start = np.append(kasa[:2], math.sqrt(max(float(kasa[2] + kasa[:2] @ kasa[:2]), 1e-12)))
    found = gauss_newton(start, residual, sigma, condition=_FLATTEST)
    if found is None or not 0 < found.x[2] <= _LARGEST:
        raise GeometryError(
            "No circle fits these touches", "They lie on too flat an arc", "Spread them further round the feature"
        )
    covariance = found.covariance if np.any(u > 0) else np.zeros((3, 3))
    cx, cy = origin + found.x[:2] * scale
    return CircleFit((float(cx), float(cy)), float(found.x[2]) * scale, covariance, found.residuals * scale)


def matrix(array: Array) -> tuple[tuple[float, ...], ...]:
    """A matrix as plain tuples."""
    return tuple(tuple(float(value) for value in row) for row in array)


def solve_circle(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Feature:
    """Bore or boss with its axis along Z, from three or more touches at any angles; part arcs are welcome.

    The diameter is 2·(ρ + r) for a bore and 2·(ρ − r) for a boss, where ρ is the radius of the circle of ball centres
    and r the effective ball radius.

    Raises:
        GeometryError: touches of more than one stylus, not in a plane across Z, or no circle in them.
    """
    styli = {touch.stylus for touch in touches}
    if len(styli) > 1:
        raise GeometryError(f"{name} was touched with more than one stylus", "", "Touch it with one")
    centres = np.array([touch.ball_centre for touch in touches]).reshape(-1, 3)
    if any(abs(touch.direction[2]) > 0.02 for touch in touches):
        raise GeometryError(f"A touch of {name} came along Z", "A bore or boss is touched from the side", "")
    fit = fit_circle(centres[:, :2], np.array([touch.u for touch in touches]))
    stylus = touches[0].stylus
    sense = 1.0 if kind is FeatureKind.BORE else -1.0
    size = 2 * (fit.radius + sense * stylus.effective_radius)
    if size <= 0:
        raise GeometryError(
            f"{name} comes out {mm(size, 3)} in diameter", "The ball would be larger than the boss", "Is it a bore?"
        )
    return Feature(
        name=name,
        kind=kind,
        axes=("x", "y"),
        coordinates=fit.centre,
        covariance=matrix(fit.covariance[:2, :2]),
        shared=(),
        touches=touches,
        residuals=tuple(float(value) for value in fit.residuals),
        size=size,
        u_size=2 * math.hypot(math.sqrt(float(fit.covariance[2, 2])), stylus.u_radius),
        form=float(np.ptp(fit.residuals)) if len(touches) > 3 else None,
    )


def mean_place(touches: Sequence[Touch]) -> Vector:
    """The middle of the ball centres of some touches, mm."""
    x, y, z = (sum(touch.ball_centre[i] for touch in touches) / len(touches) for i in range(3))
    return x, y, z


def solve_surface(name: str, touches: tuple[Touch, ...]) -> Feature:
    """A surface square to one axis, from one or more touches along that axis, all from the same side.

    Several touches are averaged with weights 1/u². The surface lies one effective radius beyond the ball centre, in the
    direction of the approach.

    Raises:
        GeometryError: no touches, or touches askew, along different axes or from different sides.
    """
    if not touches:
        raise GeometryError(f"{name} was not touched", "", "Touch it at least once")
    senses = {axis_of(touch.direction) for touch in touches}
    if len(senses) > 1 or len({touch.stylus for touch in touches}) > 1:
        raise GeometryError(
            f"The touches of {name} differ in direction or stylus",
            "They belong to different surfaces",
            "Measure them apart",
        )
    index, sign = senses.pop()
    values = np.array([touch.ball_centre[index] + sign * touch.stylus.effective_radius for touch in touches])
    u = np.array([touch.u for touch in touches])
    weights = np.ones(len(values)) if not np.all(u > 0) else 1 / u**2
    value = float((weights * values).sum() / weights.sum())
    variance = float(((weights * u) ** 2).sum() / weights.sum() ** 2)
    stylus = touches[0].stylus
    # Ball centre and compensation cancel along Z: what is left there is the length; sideways it is the radius.
    shared = (
        SharedEffect(f"T{stylus.tool_number} length", (-stylus.u_length,))
        if index == 2 and sign < 0
        else SharedEffect(f"T{stylus.tool_number} radius", (sign * stylus.u_radius,))
    )
    residuals = values - value
    return Feature(
        name=name,
        kind=FeatureKind.SURFACE,
        axes=(AXES[index],),
        coordinates=(value,),
        covariance=((variance,),),
        shared=(shared,),
        touches=touches,
        residuals=tuple(float(r) for r in residuals),
        form=float(np.ptp(residuals)) if len(touches) > 1 else None,
        places=(mean_place(touches),),
    )
