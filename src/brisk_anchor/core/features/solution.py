"""What a solver finds: coordinates and sizes, and what an error at each touch does to every one of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True, eq=False)
class OwnTurns:
    """Residuals (n,) of touches, mm, and their derivatives by the unknowns (n × k), None where none are to spare."""

    residuals: tuple[float, ...]
    design: Array | None


@dataclass(frozen=True, slots=True, eq=False)
class Solution:
    """The figures of a feature with their derivatives.

    `values` are its coordinates in the order of `axes` (mm; angles in degrees), then its `sizes`, and with `own_turns`
    how far its walls are from square, degrees. `normals` (n × 3) point from each touch into the metal, and `gain` has a
    row for each value: its change for every mm that the metal at a touch lies further along that normal than was found.
    Every error of a touch, its own or shared, comes in by it.

    `residuals` (n,) are how far touches lie off what was fitted, and `design` (n × k) their derivatives by the unknowns
    of that fit; None where there are no more touches than unknowns. `own_turns` is the same where walls along X
    and along Y have each their own turn: how far from square they are is told by that, and shows in the other. `known`
    holds effects on the values of what stood in for touches.
    """

    axes: tuple[str, ...]
    values: tuple[float, ...]
    gain: Array
    normals: Array
    residuals: tuple[float, ...]
    design: Array | None = None
    places: tuple[Vector, ...] = ()
    own_turns: OwnTurns | None = None
    known: tuple[tuple[Source, tuple[float, ...]], ...] = ()

    @property
    def sizes(self) -> tuple[float, ...]:
        """What was measured between walls, or across, mm."""
        return self.values[len(self.axes) : None if self.own_turns is None else -1]

    @property
    def square(self) -> float | None:
        """How far the angle between its walls is from 90°, degrees; None where it has no such angle."""
        return None if self.own_turns is None else self.values[-1]


def sigma_of(touches: Sequence[Touch]) -> Array:
    """Standard uncertainties, mm; touches that state none count like the best of the others, or equally."""
    u = np.array([touch.u for touch in touches])
    return np.where(u > 0, u, u[u > 0].min() if np.any(u > 0) else 1.0)


def mean_place(touches: Sequence[Touch]) -> Vector:
    """The middle of the ball centres of some touches, mm."""
    x, y, z = (sum(touch.ball_centre[i] for touch in touches) / len(touches) for i in range(3))
    return x, y, z
