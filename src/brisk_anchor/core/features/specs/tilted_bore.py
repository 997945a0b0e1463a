"""A bore touched at two levels: its centre at the upper one, and how its axis leans."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from brisk_anchor.core.errors import GeometryError, PlanError
from brisk_anchor.core.expressions import Expression, Name, Number, plus, small_angle, subtract
from brisk_anchor.core.features.feature import Feature, solve_circle
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums
from brisk_anchor.core.features.specs.walls import check_opposite, check_sizes, wall_contacts
from brisk_anchor.core.features.touch_place import LEAST_SPREAD, TouchPlace
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.features.walls import feature_of
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.quantities import mm
from brisk_anchor.core.uncertainty.estimates import derive

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement

_LEVELS_APART = 1.0
"""Two levels of a bore nearer than this, mm, say nothing of how it leans."""


def _check(m: Measurement) -> None:
    check_opposite(m, 4)
    check_sizes(m)
    if m.second_depth < LEAST_SPREAD:
        raise PlanError(
            f"{m.name}: its levels lie {mm(m.second_depth)} apart",
            "How the bore leans cannot be told from levels so near to each other",
            f"Go at least {mm(LEAST_SPREAD)} deeper for the second",
        )


def _contacts(m: Measurement) -> tuple[TouchPlace, ...]:
    upper = wall_contacts(m)
    return (*upper, *(TouchPlace(contact.direction, (0.0, 0.0, -m.second_depth)) for contact in upper))


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


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Feature:
    return solve_tilted_bore(name, touches)


def _sums(sums: Sums) -> None:
    m = sums.measurement
    upper = [Name(f"m{sums.index}{letter}") for letter in "xy"]
    lower = [Name(f"n{sums.index}{letter}") for letter in "xy"]
    sums.release(*(name.name for name in lower))
    found: dict[str, Expression] = {"x": upper[0], "y": upper[1]}
    for letter, i, sense in (("a", 1, -1), ("b", 0, 1)):
        lean = small_angle(subtract(upper[i], lower[i]), Number(m.second_depth), sense)
        about = "XY"[1 - i]
        found[letter] = sums.compute(f"m{sums.index}{letter}", lean, f"how it leans about {about}", keep=True)
        sums.locate(letter, found[letter])
    low, high = sums.names_at(1, -1), sums.names_at(1, 1)
    for level, letter in enumerate("de"):
        across = subtract(Name(high[level][1]), Name(low[level][1]))
        value = plus(across, 2 * m.stylus.effective_radius)
        found[letter] = sums.compute(f"m{sums.index}{letter}", value, "diameter: distance plus the ball")
    sums.locate("x", upper[0], upper[1])
    sums.locate("y", upper[1], upper[0])
    sums.report(found)
    sums.guard_size(found["d"], 0)


SPEC = FeatureSpec(
    (FeatureKind.TILTED_BORE,), _check, _contacts, _solve, _sums, lambda _walls: "xy", lambda _spread: False
)
