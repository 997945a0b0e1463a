"""A plane: three touches from above, which tell its height and how it leans."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.expressions import (
    Binary,
    Expression,
    Function,
    Name,
    Number,
    add,
    less,
    over,
    plus,
    root,
    small_angle,
    subtract,
    times,
)
from brisk_anchor.core.features.shapes import solve_plane
from brisk_anchor.core.features.solution import Solution, mean_place
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums, report_point
from brisk_anchor.core.features.specs.walls import across_wall, check_one_direction, check_spread
from brisk_anchor.core.features.touch_place import TouchPlace
from brisk_anchor.core.features.touches import AXES, Touch
from brisk_anchor.core.kinds import FeatureKind

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement


def _check(m: Measurement) -> None:
    check_one_direction(m, below=True)
    check_spread(m)


def _contacts(m: Measurement) -> tuple[TouchPlace, ...]:
    half = m.spread / 2
    # Their middle is the place itself: the height of a leaning plane is that of where it is drawn.
    asides = ((-half, -half / 2, 0.0), (half, -half / 2, 0.0), (0.0, half, 0.0))
    return tuple(TouchPlace(m.directions[0], aside) for aside in asides)


def solve_plane_feature(name: str, touches: Sequence[Touch]) -> Solution:
    """A plane touched from above: its height at the middle of the touches, and how its normal leans about X and Y.

    Raises:
        GeometryError: fewer than three touches, on a line, or an upright plane.
    """
    plane = solve_plane(name, touches)
    nx, ny, nz = plane.normal
    if abs(nz) < 0.5:
        raise GeometryError(f"{name} stands upright", "It has no height", "Touch it from the side, as an edge")
    x, y, _ = mean_place(touches)
    spot = (x, y, plane.height(x, y)[0])
    away = np.array(spot) - np.array(plane.point)
    slopes = np.array([plane.first, plane.second])
    # The normal leans by −first · dx − second · dy; what that does to atan2 of its parts, degrees.
    about_x = np.degrees((nz * slopes[:, 1] - ny * slopes[:, 2]) / (ny**2 + nz**2))
    about_y = -np.degrees((nz * slopes[:, 0] - nx * slopes[:, 2]) / (nx**2 + nz**2))
    by_height = np.array([[1.0, *(slopes @ away)], [0.0, *(about_x * nz)], [0.0, *(about_y * nz)]]) / nz
    return Solution(
        ("z", "a", "b"),
        (spot[2], -math.degrees(math.atan2(ny, nz)), math.degrees(math.atan2(nx, nz))),
        -by_height @ plane.gain,  # a step into the metal goes down, against the normal
        np.tile(np.array(plane.normal) * -1.0, (len(touches), 1)),
        plane.residuals,
        plane.design if len(touches) > 3 else None,
        (spot, spot, spot),
    )


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Solution:
    return solve_plane_feature(name, touches)


def _sums(sums: Sums) -> None:
    """Height and lean of a plane from three touches down."""
    m = sums.measurement
    p, q, r = (names for _, names in sums.made)
    u = [subtract(Name(q[i]), Name(p[i])) for i in range(3)]
    v = [subtract(Name(r[i]), Name(p[i])) for i in range(3)]
    d = sums.compute("pd", subtract(times(u[0], v[1]), times(u[1], v[0])), "twice the triangle's area")
    along = [
        sums.compute(
            f"p{AXES[i]}",
            over(subtract(times(u[2], v[1 - i]), times(u[1 - i], v[2])), d if i == 0 else subtract(Number(0), d)),
            f"slope along {AXES[i].upper()}",
        )
        for i in (0, 1)
    ]
    mean = Binary(add(add(Name(p[2]), Name(q[2])), Name(r[2])), "/", Number(3))
    squares = add(Number(1), add(times(along[0], along[0]), times(along[1], along[1])))
    ball = m.stylus.effective_radius
    # The ball's centre lies one radius over the metal along the normal: further up, where the plane leans.
    height = subtract(less(mean, m.stylus.length - ball), times(Number(ball), root(squares)))
    z = sums.compute(f"m{sums.index}z", height, "height halfway between the touches", keep=True)
    a = sums.compute(f"m{sums.index}a", small_angle(along[1], Number(1)), "how it leans about X", keep=True)
    b = sums.compute(f"m{sums.index}b", small_angle(along[0], Number(1), -1), "how it leans about Y", keep=True)
    report_point(sums, {"z": z, "a": a, "b": b})
    if {"i", "j", "k"} & {letter for letter, _ in m.options.keep}:
        for letter, value in _tilted_plane(sums, along[0], along[1], squares).items():
            sums.result(letter, value)


def _tilted_plane(sums: Sums, px: Expression, py: Expression, squares: Expression) -> dict[str, Expression]:
    """Turns about Z, the new X and the new Z that lay the XY plane into a plane of these slopes (docs/maths.md).

    A level plane has no heading: a tiny slope along Y keeps the quotient defined and does not turn the plane.
    """
    ahead = plus(times(Number(1000), py), 0.001)
    i = sums.compute("pi", Function("ATAN", (times(Number(-1000), px), ahead)), "plane: turn about Z")
    slope = root(subtract(squares, Number(1)))
    j = sums.compute("pj", small_angle(slope, Number(1)), "plane: lean about the new X")
    return {"i": i, "j": j, "k": sums.compute("pk", subtract(Number(0), i), "plane: back about the new Z")}


SPEC = FeatureSpec((FeatureKind.PLANE,), _check, _contacts, _solve, _sums, across_wall, lambda _spread: False)
