"""A ball: its top, four sides at the height of its middle, and the top again over the centre that they gave."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from brisk_anchor.core.expressions import Name, add, less, over, plus, scaled, subtract, times
from brisk_anchor.core.features.shapes import solve_sphere
from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums
from brisk_anchor.core.features.specs.walls import check_opposite, check_sizes
from brisk_anchor.core.features.touch_place import TouchPlace
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.kinds import FeatureKind

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement


def _check(m: Measurement) -> None:
    check_opposite(m, 5)
    check_sizes(m)


def _contacts(m: Measurement) -> tuple[TouchPlace, ...]:
    below = TouchPlace((0.0, 0.0, -1.0))
    sides = [TouchPlace(d) for d in m.directions if d[2] == 0]
    return (below, *sides, TouchPlace(below.direction, (0.0, 0.0, m.hop_height - m.drop)))


def solve_ball(name: str, touches: Sequence[Touch]) -> Solution:
    """A ball touched from outside: its centre and its diameter.

    Raises:
        GeometryError: fewer than four touches, or touches that define no ball.
    """
    ball = solve_sphere(name, touches)
    outward = -ball.design[:, :3]
    return Solution(
        ("x", "y", "z"),
        (*ball.centre, ball.diameter),
        -np.vstack([ball.gain[:3], 2 * ball.gain[3]]),
        -outward,
        ball.residuals,
        ball.design if len(touches) > 4 else None,
    )


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Solution:
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
