"""A circle through ball centres, by geometric least squares, and the bore or boss that it is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import chain

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.geometry.least_squares import gauss_newton
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.quantities import dim
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class CircleFit:
    """A circle of ball centres: `centre` and `radius` (mm), covariance (3×3: x, y, radius), residuals (mm).

    `gain` (3 × n) is what an outward step of each touch does to x, y and radius; `normals` (n × 2) point outward.
    """

    centre: tuple[float, float]
    radius: float
    covariance: Array
    residuals: Array
    gain: Array
    normals: Array


_FLATTEST = 1e12
"""Condition number of a flat arc that is still a circle: how badly its centre is known is told by its ±."""
_LARGEST = 1e5
"""A circle so many times larger than its touches lie apart is a line."""


_ROUND = 0.05
"""Touches no narrower than that, as `_narrow` has it, need no care with digits to find a start."""


def _narrow(local: Array) -> float:
    """How wide centred points lie across the line they lie along, in parts of that: the ratio of singular values."""
    (a, b), (_, c) = local.T @ local
    half, apart = (a + c) / 2, math.hypot((a - c) / 2, b)
    return math.sqrt(max(0.0, float(half - apart)) / float(half + apart)) if half > 0 else 0.0


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
    narrow = _narrow(local)
    if scale < 1e-3 or narrow < 1e-6:
        raise GeometryError(
            "The touches lie on a line or on one spot", "They fit a circle of any size", "Spread them round the feature"
        )
    local = local / scale
    sigma = np.where(u > 0, u, u[u > 0].min()) if np.any(u > 0) else np.ones(len(points))

    def residual(x: Array) -> tuple[Array, Array]:
        offset = local - x[:2]
        distance = np.maximum(np.hypot(offset[:, 0], offset[:, 1]), 1e-9)
        jacobian = np.full((len(local), 3), -1.0)
        jacobian[:, :2] = -offset / distance[:, None]
        return distance - x[2], jacobian

    system = np.ones((len(local), 3))
    system[:, :2] = 2 * local
    system /= sigma[:, None]
    squares = (local**2).sum(axis=1) / sigma
    if narrow > _ROUND:
        kasa = np.linalg.solve(system.T @ system, system.T @ squares)
    else:
        kasa, *_ = np.linalg.lstsq(system, squares, rcond=None)
    start = np.append(kasa[:2], math.sqrt(max(float(kasa[2] + kasa[:2] @ kasa[:2]), 1e-12)))
    found = gauss_newton(start, residual, sigma, condition=_FLATTEST)
    if found is None or not 0 < found.x[2] <= _LARGEST:
        raise GeometryError(
            "No circle fits these touches", "They lie on too flat an arc", "Spread them further round the feature"
        )
    covariance = found.covariance if np.any(u > 0) else np.zeros((3, 3))
    cx, cy = origin + found.x[:2] * scale
    return CircleFit(
        (float(cx), float(cy)),
        float(found.x[2]) * scale,
        covariance,
        found.residuals * scale,
        found.gain,
        -found.jacobian[:, :2],
    )


def one_tool(name: str, touches: Sequence[Touch], least: int) -> Touch:
    """The first of touches that one tool made. Raises GeometryError: there are fewer, or of several tools."""
    if len(touches) < least:
        raise GeometryError(f"{name} takes {least} touches or more", f"There are {len(touches)}", "Touch again")
    first = touches[0].stylus
    if any(touch.stylus is not first and touch.stylus != first for touch in touches):
        raise GeometryError(f"{name} was touched with more than one tool", "", "Touch it with one")
    return touches[0]


def solve_circle(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Solution:
    """Bore or boss with its axis along Z, from three or more touches at any angles; part arcs are welcome.

    The diameter is 2·(ρ + r) for a bore and 2·(ρ − r) for a boss, where ρ is the radius of the circle of ball centres
    and r the effective ball radius.

    Raises:
        GeometryError: touches of more than one stylus, not in a plane across Z, or no circle in them.
    """
    one_tool(name, touches, 3)
    places = chain.from_iterable([touch.position for touch in touches])
    centres = np.fromiter(places, float, 3 * len(touches)).reshape(-1, 3)
    if np.abs(np.array([touch.direction[2] for touch in touches])).max() > 0.02:
        raise GeometryError(f"A touch of {name} came along Z", "A bore or boss is touched from the side", "")
    fit = fit_circle(centres[:, :2], np.array([touch.u for touch in touches]))
    sense = -1.0 if kind.is_outside else 1.0
    size = 2 * (fit.radius + sense * touches[0].stylus.effective_radius)
    if size <= 0:
        raise GeometryError(
            f"{name} comes out {dim(size, 3)} in diameter",
            "The ball would be larger than the boss",
            "Is it a bore?",
        )
    gain = np.vstack([fit.gain[:2], 2 * fit.gain[2]]) * sense
    flat = np.zeros((len(touches), 1))
    return Solution(
        ("x", "y"),
        (*fit.centre, size),
        gain,
        sense * np.hstack([fit.normals, flat]),
        tuple(fit.residuals.tolist()),
        np.hstack([fit.normals, flat + 1]),
    )
