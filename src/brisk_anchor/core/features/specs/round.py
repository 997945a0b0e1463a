"""Bores and bosses: four touches, three at any angles, or two where the diameter is known."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import (
    Binary,
    Expression,
    Name,
    Number,
    add,
    half_sum,
    less,
    over,
    plus,
    root,
    scaled,
    subtract,
    times,
)
from brisk_anchor.core.features.circle import solve_circle
from brisk_anchor.core.features.shapes import solve_known_circle
from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums, report_point
from brisk_anchor.core.features.specs.walls import check_opposite, check_sizes, pair_sums, wall_contacts
from brisk_anchor.core.features.touch_place import MOST_PLACES, NEAREST, NEAREST_OF_MANY
from brisk_anchor.core.features.touches import AXES, Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.quantities import deg
from brisk_anchor.core.uncertainty.sources import Source

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement


def _check(m: Measurement) -> None:
    if m.is_free:
        _check_free(m)
    else:
        check_opposite(m, 4)
    check_sizes(m)


def _check_free(m: Measurement) -> None:
    """Directions that are not four in opposite pairs: two where the diameter is known, else three or more."""
    count = len(m.directions)
    if count != 2 if m.known_size else not 3 <= count <= MOST_PLACES:
        raise PlanError(
            f"{m.name}: {count} directions do not make it",
            f"It takes three to {MOST_PLACES}, at any angles; or two, not opposite, where the diameter is known",
            "Mark its walls",
        )
    nearest = NEAREST_OF_MANY if m.is_many else NEAREST
    headings = sorted(math.degrees(math.atan2(y, x)) % 360 for x, y, _ in m.directions)
    gaps = [b - a for a, b in pairwise([*headings, headings[0] + 360])]
    arc = 360 - max(gaps)
    opposite = m.known_size and abs(arc - 180) < 20
    if arc < 20 or min(gaps) < nearest or opposite:
        why = "opposite" if opposite else f"within {deg(arc if arc < 20 else min(gaps), 0)}"
        raise PlanError(
            f"{m.name}: its touches lie {why}",
            "They would leave its centre free, or nearly so",
            "Choose directions further apart, none of them opposite where there are two",
        )


def solve_known_round(
    name: str, kind: FeatureKind, touches: Sequence[Touch], diameter: float, u_diameter: float = 0.0
) -> Solution:
    """Bore or boss of known diameter from two touches or more: its centre.

    Args:
        name: what it is called.
        kind: bore or boss.
        touches: of one tool.
        diameter: mm; `u_diameter` its standard uncertainty.

    Raises:
        GeometryError: too few touches, or opposite ones, which leave the centre free.
    """
    inside = not kind.is_outside
    found = solve_known_circle(name, touches, inside=inside, diameter=diameter)
    sense = 1.0 if inside else -1.0
    outward = np.hstack([-found.design, np.zeros((len(touches), 1))])
    # A larger diameter leaves every touch half of that nearer to the middle than the circle.
    by_size = -found.gain.sum(axis=1) * u_diameter / 2
    label = f"diameter of {name}"
    return Solution(
        ("x", "y"),
        found.centre,
        sense * found.gain,
        sense * outward,
        found.residuals,
        found.design if len(touches) > 2 else None,
        known=((Source(f"{label}, as stated", label, bounded=True, uniform=True), tuple(by_size.tolist())),),
    )


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Solution:
    if known is not None:
        return solve_known_round(name, kind, touches, known.diameter, known.u)
    return solve_circle(name, kind, touches)


def _sums(sums: Sums) -> None:
    m = sums.measurement
    if not m.is_free:
        pair_sums(sums)
    else:
        (_known_circle if m.known_size else _circle_of_many if m.is_many else _free_circle)(sums)


def _free_circle(sums: Sums) -> None:
    """Centre and diameter of the circle through three touches."""
    m = sums.measurement
    p, q, r = (names for _, names in sums.made)
    u = [sums.compute(f"u{AXES[i]}", subtract(Name(q[i]), Name(p[i])), "first to second touch") for i in (0, 1)]
    v = [sums.compute(f"v{AXES[i]}", subtract(Name(r[i]), Name(p[i])), "first to third touch") for i in (0, 1)]
    uu = sums.compute("uu", add(times(u[0], u[0]), times(u[1], u[1])), "its square")
    vv = sums.compute("vv", add(times(v[0], v[0]), times(v[1], v[1])), "its square")
    area = sums.compute("ud", scaled(subtract(times(u[0], v[1]), times(u[1], v[0])), 2), "four times the area")
    cx = sums.compute("ucx", over(subtract(times(v[1], uu), times(u[1], vv)), area), "first touch to centre, X")
    cy = sums.compute("ucy", over(subtract(times(u[0], vv), times(v[0], uu)), area), "first touch to centre, Y")
    x = sums.compute(f"m{sums.index}x", add(Name(p[0]), cx), "centre X: where three touches put it", keep=True)
    y = sums.compute(f"m{sums.index}y", add(Name(p[1]), cy), "centre Y", keep=True)
    across = scaled(root(add(times(cx, cx), times(cy, cy))), 2)
    size = plus(across, sums.ball_sign * 2 * m.stylus.effective_radius)
    d = sums.compute(f"m{sums.index}d", size, "diameter: twice that, and the ball")
    report_point(sums, {"x": x, "y": y, "d": d})
    sums.guard_size(d, 0)


TALLY = ("su", "sv", "suu", "suv", "svv", "sw", "suw", "svw")
"""What a program adds up over many touches: u, v, their squares and product, and w = u² + v² with each."""


def tallied(u: Expression, v: Expression, w: Expression) -> tuple[Expression, ...]:
    """What each touch adds to the tally; u and v count from the start, so that no digit is lost."""
    return u, v, times(u, u), times(u, v), times(v, v), w, times(u, w), times(v, w)


def _circle_of_many(sums: Sums) -> None:
    """Centre and diameter of the circle with the least squares of `u² + v² − A u − B v − C` (Kåsa), from the tally."""
    m = sums.measurement
    n = Number(float(len(sums.made)))
    su, sv, suu, suv, svv, sw, suw, svw = (Name(name) for name in TALLY)

    def about(name: str, square: Name, one: Name, other: Name, why: str) -> Name:
        return sums.compute(name, subtract(square, over(times(one, other), n)), why)

    a = about("qa", suu, su, su, "squares about the middle, X")
    b = about("qb", suv, su, sv, "and products")
    c = about("qc", svv, sv, sv, "squares in Y")
    d = about("qd", suw, su, sw, "with the squared distance")
    e = about("qe", svw, sv, sw, "and in Y")
    det = sums.compute("qt", subtract(times(a, c), times(b, b)), "determinant")
    x2 = sums.compute("qx", over(subtract(times(d, c), times(e, b)), det), "twice the centre from the start, X")
    y2 = sums.compute("qy", over(subtract(times(e, a), times(d, b)), det), "twice the centre from the start, Y")
    rest = sums.compute("qr", over(subtract(sw, add(times(x2, su), times(y2, sv))), n), "what is left of the squares")
    x = sums.compute(f"m{sums.index}x", plus(scaled(x2, 1, 2), m.start[0]), "centre X: least squares", keep=True)
    y = sums.compute(f"m{sums.index}y", plus(scaled(y2, 1, 2), m.start[1]), "centre Y", keep=True)
    square = add(rest, scaled(add(times(x2, x2), times(y2, y2)), 1, 4))
    size = plus(scaled(root(square), 2), sums.ball_sign * 2 * m.stylus.effective_radius)
    diameter = sums.compute(f"m{sums.index}d", size, "diameter: twice the radius, and the ball")
    report_point(sums, {"x": x, "y": y, "d": diameter})
    sums.guard_size(diameter, 0)


def _known_circle(sums: Sums) -> None:
    """Centre of a bore or boss of known diameter from two touches."""
    m = sums.measurement
    rho = (m.size or 0.0) / 2 - sums.ball_sign * m.stylus.effective_radius
    p, q = (names for _, names in sums.made)
    half = [
        sums.compute(f"u{AXES[i]}", Binary(subtract(Name(q[i]), Name(p[i])), "/", Number(2)), "half of the chord")
        for i in (0, 1)
    ]
    square = sums.compute("uu", add(times(half[0], half[0]), times(half[1], half[1])), "its square")
    away = root(less(over(Number(rho * rho), square), 1.0))
    # Both touches lie out along their directions, so the centre lies back from the chord against their sum.
    first, second = sums.measurement.directions
    chord = [b - a for a, b in zip(first, second, strict=True)]
    outward = -chord[1] * (first[0] + second[0]) + chord[0] * (first[1] + second[1])
    k = sums.compute("uk", away, "from the chord to the centre, in halves of it")
    sign = -1 if outward > 0 else 1
    found = []
    for i, (across, sense) in enumerate(((half[1], -sign), (half[0], sign))):
        middle = half_sum(Name(p[i]), Name(q[i]))
        value = Binary(middle, "+" if sense > 0 else "-", times(across, k))
        found.append(sums.compute(f"m{sums.index}{AXES[i]}", value, f"centre {AXES[i].upper()}", keep=True))
    report_point(sums, {"x": found[0], "y": found[1]})


SPEC = FeatureSpec(
    (FeatureKind.BORE, FeatureKind.BOSS),
    _check,
    wall_contacts,
    _solve,
    _sums,
    lambda walls: "xy",
    lambda _spread: False,
)
