"""A ball: its top, four sides at the height of its middle, and the top again over the centre that they gave."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from brisk_anchor.core.expressions import Name, add, less, over, plus, scaled, subtract, times
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.shapes import solve_sphere
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums
from brisk_anchor.core.features.specs.walls import check_opposite, check_sizes
from brisk_anchor.core.features.touch_place import TouchPlace
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.features.walls import feature_of
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.uncertainty.estimates import SHARED, Estimate, correlated

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement


def _check(m: Measurement) -> None:
    check_opposite(m, 5)
    check_sizes(m)


def _contacts(m: Measurement) -> tuple[TouchPlace, ...]:
    below = TouchPlace((0.0, 0.0, -1.0))
    sides = [TouchPlace(d) for d in m.directions if d[2] == 0]
    return (below, *sides, TouchPlace(below.direction, (0.0, 0.0, m.hop_height - m.drop)))


def solve_ball(name: str, touches: Sequence[Touch]) -> Feature:
    """A ball touched from outside: its centre and its diameter.

    Raises:
        GeometryError: fewer than four touches, or touches that define no ball.
    """
    ball = solve_sphere(name, touches)
    tool = touches[0].stylus
    own = correlated(name, ball.centre, ball.covariance[:3, :3])
    # The height of the tip's centre depends on its length; the radius moves it by as much, and leaves X and Y alone.
    below = {
        f"{SHARED}T{tool.tool_number} length": -tool.u_length,
        f"{SHARED}T{tool.tool_number} radius": tool.u_radius,
    }
    estimates = [own[0], own[1], Estimate(own[2].value, {**own[2].effects, **below})]
    u_size = 2 * math.hypot(math.sqrt(float(ball.covariance[3, 3])), tool.u_radius)
    form = float(np.ptp(ball.residuals)) if len(touches) > 4 else None
    sizes = {"size": ball.diameter, "u_size": u_size, "form": form}
    return feature_of(name, FeatureKind.BALL, ("x", "y", "z"), estimates, touches, ball.residuals, **sizes)


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Feature:
    return solve_ball(name, touches)


def _sums(sums: Sums) -> None:
    m = sums.measurement
    x, y = Name(f"m{sums.index}x"), Name(f"m{sums.index}y")
    (low,), (high,) = sums.names_at(1, -1), sums.names_at(1, 1)
    top = Name(sums.made[-1][1][2])
    # The sides were touched where the first touch on top, off its middle, put the middle: so they lie on a chord.
    half = sums.compute(
        f"m{sums.index}s", scaled(subtract(Name(high[1]), Name(low[1])), 1, 2), "half the chord along Y"
    )
    rise = sums.compute(f"m{sums.index}k", subtract(top, Name(low[2])), "from there up to the top")
    squares = add(times(half, half), times(rise, rise))
    reach = sums.compute(f"m{sums.index}q", scaled(over(squares, rise), 1, 2), "radius that the ball's centre runs on")
    size = plus(scaled(reach, 2), -2 * m.stylus.effective_radius)
    d = sums.compute(f"m{sums.index}d", size, "diameter: twice that less the ball", keep=True)
    z = sums.compute(
        f"m{sums.index}z",
        subtract(less(top, m.stylus.length), scaled(d, 1, 2)),
        "centre Z: half below its top",
        keep=True,
    )
    for letter, value, across in (("x", x, y), ("y", y, x), ("z", z, None)):
        sums.locate(letter, value, across)
    sums.report({"x": x, "y": y, "z": z, "d": d})
    sums.guard_size(d, 0)


SPEC = FeatureSpec((FeatureKind.BALL,), _check, _contacts, _solve, _sums, lambda _walls: "xyz", lambda _spread: False)
