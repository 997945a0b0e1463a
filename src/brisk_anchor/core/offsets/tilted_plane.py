"""A plane that was measured with the table turned, as a control with tilted planes is told of it.

The control is given the plane's zero, from the zero of another row with the table at 0, and three angles. With `T(s)`
where the table stands at angles s, a place p met at s lies at `T(s)⁻¹ p` with the table at 0, and the plane's axes,
which are the machine's at s, are the columns of the rotation of `T(s)⁻¹`.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

import numpy as np

from brisk_anchor.core.geometry.frames import Array, Frame
from brisk_anchor.core.geometry.rotary import RotaryAxis, table_frame
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass

Order = Literal["zxz", "xyz"]
"""Turn about Z, lean about the X so turned, turn about the Z so leaned; or about the row's own X, then Y, then Z."""
_SAME = 1e-12


@dataclass(frozen=True, slots=True)
class TiltedZero:
    """The zero of a tilted plane from another row's, mm, and its three angles in their order, degrees."""

    zero: Vector
    angles: Vector


def tilted_zero(
    axes: tuple[RotaryAxis, ...],
    plane: tuple[Vector, Mapping[str, float]],
    row: tuple[Vector, Mapping[str, float], float],
    order: Order,
) -> TiltedZero:
    """A row that was set with the table turned, as a tilted plane on another row.

    Args:
        axes: the rotary axes, the outermost first.
        plane: zero of the plane's row, machine mm of the tip, and where the table stood for it.
        row: zero of the other row, where the table stands for it, and how far that row is turned about Z, degrees.
        order: what the angles are counted about.
    """
    (at, stance), (zero, stands, turn) = plane, row
    seen = table_frame(axes, stands) @ table_frame(axes, stance).inverse()
    own = Frame.from_angles(zero, c=turn).inverse()
    return TiltedZero(own.point(seen.point(at)), angles_of(own.rotation @ seen.rotation, order))


def angles_of(rotation: Array, order: Order) -> Vector:
    """The three angles of a rotation, degrees; where two of them turn about the same line the last is 0."""
    r = np.where(np.abs(rotation) < _SAME, 0.0, rotation)
    lean: float
    if order == "zxz":
        lean = math.atan2(math.hypot(r[2, 0], r[2, 1]), r[2, 2])
        if math.sin(lean) < 1e-9:  # flat: only the sum, or overhead the difference, of the two turns shows
            found = (math.atan2(r[1, 0], r[0, 0]), lean, 0.0)
        else:
            found = (math.atan2(r[0, 2], -r[1, 2]), lean, math.atan2(r[2, 0], r[2, 1]))
    else:
        lean = math.atan2(-r[2, 0], math.hypot(r[0, 0], r[1, 0]))
        if math.cos(lean) < 1e-9:
            found = (math.atan2(-r[1, 2], r[1, 1]), lean, 0.0)
        else:
            found = (math.atan2(r[2, 1], r[2, 2]), lean, math.atan2(r[1, 0], r[0, 0]))
    x, y, z = (math.degrees(value) + 0.0 for value in found)
    return x, y, z
