"""A bore touched at two levels: its centre at the upper one, and how its axis leans."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from brisk_anchor.core.errors import GeometryError, PlanError
from brisk_anchor.core.expressions import Expression, Name, Number, plus, small_angle, subtract
from brisk_anchor.core.features.circle import solve_circle
from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.specs.spec import FeatureSpec, KnownSize, Sums
from brisk_anchor.core.features.specs.walls import check_opposite, check_sizes, wall_contacts
from brisk_anchor.core.features.touch_place import LEAST_SPREAD, TouchPlace
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.quantities import dim

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement

_LEVELS_APART = 1.0
"""Two levels of a bore nearer than this, mm, say nothing of how it leans."""


def _check(m: Measurement) -> None:
    check_opposite(m, 4)
    check_sizes(m)
    if m.second_depth < LEAST_SPREAD:
        raise PlanError(
            f"{m.name}: its levels lie {dim(m.second_depth)} apart",
            "How the bore leans cannot be told from levels so near to each other",
            f"Go at least {dim(LEAST_SPREAD)} deeper for the second",
        )


def _contacts(m: Measurement) -> tuple[TouchPlace, ...]:
    upper = wall_contacts(m)
    return (*upper, *(TouchPlace(contact.direction, (0.0, 0.0, -m.second_depth)) for contact in upper))


def solve_tilted_bore(name: str, touches: tuple[Touch, ...]) -> Solution:
    """A bore touched at two levels: its centre at the upper one and how its axis leans; a cone has two diameters.

    Its sizes are the diameters at the upper and at the lower level, both as seen along Z.

    Raises:
        GeometryError: the levels are one, or either is no circle.
    """
    heights = [touch.ball_centre[2] for touch in touches] or [0.0]
    middle = (min(heights) + max(heights)) / 2
    if max(heights) - min(heights) < _LEVELS_APART:
        raise GeometryError(f"{name} was touched at one level", "How it leans cannot be told", "Touch it deeper too")
    levels = [[n for n, z in enumerate(heights) if z > middle], [n for n, z in enumerate(heights) if z <= middle]]
    made = [
        solve_circle(f"{name}, {words}", FeatureKind.BORE, tuple(touches[n] for n in numbers))
        for words, numbers in zip(("upper", "lower"), levels, strict=True)
    ]
    (x, y, high), (low_x, low_y, low) = (circle.values for circle in made)
    rise = float(np.mean([heights[n] for n in levels[0]]) - np.mean([heights[n] for n in levels[1]]))
    gains, normals, residuals = np.zeros((2, 3, len(touches))), np.zeros((len(touches), 3)), np.zeros(len(touches))
    design = np.zeros((len(touches), 6))
    for level, (circle, numbers) in enumerate(zip(made, levels, strict=True)):
        gains[level][:, numbers] = circle.gain
        normals[numbers], residuals[numbers] = circle.normals, circle.residuals
        design[numbers, 3 * level : 3 * level + 3] = circle.design
    dx, dy = x - low_x, y - low_y
    # The lean is the arc tangent of what the centres lie apart over the rise.
    about = [np.degrees(rise / (rise**2 + d**2)) * (gains[0][i] - gains[1][i]) for i, d in ((1, dy), (0, dx))]
    return Solution(
        ("x", "y", "a", "b"),
        (x, y, -math.degrees(math.atan2(dy, rise)), math.degrees(math.atan2(dx, rise)), high, low),
        np.array([gains[0][0], gains[0][1], -about[0], about[1], gains[0][2], gains[1][2]]),
        normals,
        tuple(residuals.tolist()),
        design if len(touches) > 6 else None,
    )


def _solve(name: str, kind: FeatureKind, touches: tuple[Touch, ...], known: KnownSize | None) -> Solution:
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
