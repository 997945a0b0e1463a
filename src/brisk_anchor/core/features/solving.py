"""A feature of any kind from its touches."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.feature import Feature, SharedEffect, mean_place, solve_circle, solve_surface
from brisk_anchor.core.features.shapes import solve_known_circle, solve_plane, solve_sphere
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.features.walls import (
    by_wall,
    feature_of,
    is_long,
    solve_corner,
    solve_edge_feature,
    solve_pairs,
    solve_walls,
)
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.uncertainty.estimates import SHARED, Estimate, correlated, derive

_LEVELS_APART = 1.0
"""Two levels of a bore nearer than this, mm, say nothing of how it leans."""


def solve(
    name: str, kind: FeatureKind, touches: tuple[Touch, ...], *, diameter: float | None = None, u_diameter: float = 0.0
) -> Feature:
    """Solve a feature of any kind from its touches.

    Args:
        name: what it is called.
        kind: what it is.
        touches: of one tool.
        diameter: mm, where it is known and stands in for a touch: a bore or boss from two.
        u_diameter: standard uncertainty of that, mm.

    Raises:
        GeometryError: the touches do not define it.
    """
    if diameter is not None and kind in (FeatureKind.BORE, FeatureKind.BOSS):
        found = solve_known_round(name, kind, touches, diameter, u_diameter)
    else:
        found = _solve(name, kind, touches)
    stylus = touches[0].stylus if touches else None
    if not isinstance(stylus, Stylus) or not stylus.u_offset:
        return found
    aside = (
        SharedEffect(
            f"T{stylus.tool_number} {axis} of the ball", tuple(stylus.u_offset * (a == axis) for a in found.axes)
        )
        for axis in "xy"
    )
    return replace(found, shared=(*found.shared, *(effect for effect in aside if any(effect.effect))))


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Feature:
    match kind:
        case FeatureKind.SURFACE:
            return solve_surface(name, touches)
        case FeatureKind.EDGE:
            return solve_edge_feature(name, touches)
        case FeatureKind.PLANE:
            return solve_plane_feature(name, touches)
        case FeatureKind.BALL:
            return solve_ball(name, touches)
        case FeatureKind.TILTED_BORE:
            return solve_tilted_bore(name, touches)
        case FeatureKind.BORE | FeatureKind.BOSS:
            return solve_circle(name, kind, touches)
    groups = [group for sides in by_wall(touches).values() for group in sides.values()]
    if any(map(is_long, groups)):
        return solve_walls(name, kind, touches)
    return (solve_corner if kind.is_corner else solve_pairs)(name, kind, touches)


def solve_known_round(
    name: str, kind: FeatureKind, touches: tuple[Touch, ...], diameter: float, u_diameter: float = 0.0
) -> Feature:
    """The centre of a bore or boss of known diameter (mm), from two touches or more that are not opposite.

    The tool's radius does not cancel here: it moves the centre as far as it moves the mean of the touches. So does half
    of what the diameter is off.

    Raises:
        GeometryError: too few touches, opposite ones, or a size that cannot be.
    """
    inside = kind is FeatureKind.BORE
    place, covariance, residuals = solve_known_circle(name, touches, inside=inside, diameter=diameter)
    tool = touches[0].stylus
    nudge = 1e-3
    moved, _, _ = solve_known_circle(name, touches, inside=inside, diameter=diameter + (2 if inside else -2) * -nudge)
    by_radius = [(b - a) / nudge for a, b in zip(place, moved, strict=True)]
    effect = [each * tool.u_radius for each in by_radius]
    own = correlated(name, place, covariance + np.outer(by_radius, by_radius) * (u_diameter / 2) ** 2)
    source = f"{SHARED}T{tool.tool_number} radius"
    estimates = [Estimate(item.value, {**item.effects, source: e}) for item, e in zip(own, effect, strict=True)]
    form = float(np.ptp(residuals)) if len(touches) > 2 else None
    return feature_of(name, kind, ("x", "y"), estimates, touches, residuals, form=form)


def solve_plane_feature(name: str, touches: Sequence[Touch]) -> Feature:
    """A plane touched from above: its height at the middle of the touches, and how its normal leans about X and Y.

    Raises:
        GeometryError: fewer than three touches, on a line, or an upright plane.
    """
    plane = solve_plane(name, touches)
    if abs(plane.normal[2]) < 0.5:
        raise GeometryError(f"{name} stands upright", "It has no height", "Touch it from the side, as an edge")
    tool = touches[0].stylus
    point, normal = np.array(plane.point), np.array(plane.normal)
    spot = (*mean_place(touches)[:2], plane.height(*mean_place(touches)[:2])[0])
    away = np.array(spot) - point
    first, second = np.array(plane.first), np.array(plane.second)
    inputs = correlated(name, (0.0, 0.0, 0.0), plane.covariance)
    inputs.append(Estimate(0.0, {f"{SHARED}T{tool.tool_number} length": -tool.u_length}))

    def work(x: Array) -> tuple[float, float, float]:
        n = normal - x[1] * first - x[2] * second
        n = n / np.linalg.norm(n)
        along = (x[0] - float(n[:2] @ away[:2])) / n[2]
        return (
            float(point[2] + along + x[3]),
            -math.degrees(math.atan2(n[1], n[2])),
            math.degrees(math.atan2(n[0], n[2])),
        )

    form = float(np.ptp(plane.residuals)) if len(touches) > 3 else None
    estimates = derive(work, inputs)
    axes = ("z", "a", "b")
    return feature_of(
        name, FeatureKind.PLANE, axes, estimates, touches, plane.residuals, form=form, places=(spot, spot, spot)
    )


def solve_ball(name: str, touches: Sequence[Touch]) -> Feature:
    """A ball touched from outside: its centre and its diameter.

    Raises:
        GeometryError: fewer than four touches, or touches that define no ball.
    """
    ball = solve_sphere(name, touches)
    tool = touches[0].stylus
    own = correlated(name, ball.centre, ball.covariance[:3, :3])
    # The height of the tip's centre hangs on its length; the radius moves it by as much, and leaves X and Y alone.
    below = {
        f"{SHARED}T{tool.tool_number} length": -tool.u_length,
        f"{SHARED}T{tool.tool_number} radius": tool.u_radius,
    }
    estimates = [own[0], own[1], Estimate(own[2].value, {**own[2].effects, **below})]
    u_size = 2 * math.hypot(math.sqrt(float(ball.covariance[3, 3])), tool.u_radius)
    form = float(np.ptp(ball.residuals)) if len(touches) > 4 else None
    sizes = {"size": ball.diameter, "u_size": u_size, "form": form}
    return feature_of(name, FeatureKind.BALL, ("x", "y", "z"), estimates, touches, ball.residuals, **sizes)


def solve_tilted_bore(name: str, touches: tuple[Touch, ...]) -> Feature:
    """A bore touched at two levels: its centre at the upper one and how its axis leans; a cone has two diameters.

    `size` is the diameter at the upper level and `size_y` that at the lower one, both as seen along Z.

    Raises:
        GeometryError: the levels are one, or either is no circle.
    """
    heights = [touch.ball_centre[2] for touch in touches]
    middle = (min(heights) + max(heights)) / 2
    if max(heights) - min(heights) < _LEVELS_APART:
        raise GeometryError(f"{name} was touched at one level", "How it leans cannot be told", "Touch it deeper too")
    upper = tuple(touch for touch, z in zip(touches, heights, strict=True) if z > middle)
    lower = tuple(touch for touch, z in zip(touches, heights, strict=True) if z <= middle)
    high = solve_circle(f"{name}, upper", FeatureKind.BORE, upper)
    low = solve_circle(f"{name}, lower", FeatureKind.BORE, lower)
    rise = float(np.mean([touch.ball_centre[2] for touch in upper]) - np.mean([t.ball_centre[2] for t in lower]))
    inputs = [*high.estimates().values(), *low.estimates().values()]

    def work(x: Array) -> tuple[float, float, float, float]:
        dx, dy = x[0] - x[2], x[1] - x[3]
        return float(x[0]), float(x[1]), -math.degrees(math.atan2(dy, rise)), math.degrees(math.atan2(dx, rise))

    estimates = derive(work, inputs)
    residuals = dict(zip((*upper, *lower), (*high.residuals, *low.residuals), strict=True))
    return feature_of(
        name,
        FeatureKind.TILTED_BORE,
        ("x", "y", "a", "b"),
        estimates,
        touches,
        [residuals[touch] for touch in touches],
        size=high.size,
        u_size=high.u_size,
        size_y=low.size,
        u_size_y=low.u_size,
        form=max(high.form or 0.0, low.form or 0.0) if len(upper) > 3 else None,
    )
