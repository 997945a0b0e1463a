"""A touch: one contact, with the tool that touched, its compensation and its standard uncertainty."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import Enum

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import mm
from brisk_anchor.core.tools.hand_tools import HandTool

AXES = "xyz"


class Source(Enum):
    """Where a touch comes from; all give the same object."""

    RUN = "program run"
    READOUT = "machine readout"
    TYPED = "typed"


@dataclass(frozen=True, slots=True)
class Stylus:
    """A calibrated touch probe stylus, all lengths mm.

    `effective_radius` is the ball radius less the pre-travel found by calibration. `length` is the effective
    length from the spindle gauge line to the ball's lowest point, so that a surface touched from above lies at
    spindle Z − length. `offset` is where the ball stands beside the spindle's axis, X and Y. `u_*` are standard
    uncertainties (k = 1).
    """

    tool_number: int
    name: str
    ball_diameter: float
    effective_radius: float
    length: float
    u_repeatability: float
    u_radius: float
    u_length: float
    stem_diameter: float
    stem_length: float
    body_diameter: float
    body_length: float
    offset: tuple[float, float] = (0.0, 0.0)
    u_offset: float = 0.0

    def __post_init__(self) -> None:
        def refuse(what: str, remedy: str) -> GeometryError:
            return GeometryError(
                f"Probe {self.name}: {what}", "A wrong probe gives wrong sizes or breaks the stylus", remedy
            )

        for field in self.__slots__:
            value = getattr(self, field)
            if isinstance(value, float) and not math.isfinite(value):
                raise refuse(f"{field.replace('_', ' ')} is no number", "Give a figure in mm")
        if not 0.2 <= self.ball_diameter <= 30:
            raise refuse(
                f"a ball of {mm(self.ball_diameter)} is no probe ball", "Check the unit: 0.2 to 30 mm is expected"
            )
        if not 0.8 * self.ball_diameter / 2 <= self.effective_radius <= 1.02 * self.ball_diameter / 2:
            raise refuse(
                f"effective radius {mm(self.effective_radius)} does not go with a ball of {mm(self.ball_diameter)}",
                "Calibrate the stylus, or check radius against diameter",
            )
        if not 20 <= self.length <= 600:
            raise refuse(
                f"a length of {mm(self.length)} is absurd", "Give the length from the gauge line to the ball's end"
            )
        if not all(math.isfinite(value) and abs(value) <= 0.5 for value in self.offset):
            raise refuse("its ball stands more than 0.5 mm beside the spindle's axis", "Set the stylus true, calibrate")
        if min(self.u_repeatability, self.u_radius, self.u_length, self.u_offset) < 0:
            raise refuse("an uncertainty is below zero", "Give standard uncertainties of zero or more")
        if not 0 < self.stem_diameter <= self.ball_diameter:
            raise refuse("the stem is thicker than the ball", "A side wall would meet the stem first")
        if not 0 < self.stem_length < self.length or self.body_diameter <= 0 or self.body_length <= 0:
            raise refuse("stem or body do not fit the length", "Check stem length, body diameter and body length")


@dataclass(frozen=True, slots=True)
class Touch:
    """One contact.

    `position` is the spindle gauge point in machine coordinates at contact, mm, moved by how far the stylus's ball
    stands beside the spindle's axis: the program adds that to what it reads. `direction` is the unit vector of
    the approach. `u` is the standard uncertainty of this one contact along the approach, mm (k = 1); what all touches
    of a stylus share (ball radius, length) is kept with the stylus.
    """

    label: str
    position: Vector
    direction: Vector
    stylus: Stylus | HandTool
    u: float
    source: Source = Source.RUN

    def __post_init__(self) -> None:
        if not all(math.isfinite(value) for value in (*self.position, *self.direction, self.u)) or self.u < 0:
            raise GeometryError(
                f"Touch {self.label} carries a figure that is no number", "It cannot be used", "Touch again"
            )
        if abs(math.hypot(*self.direction) - 1) > 1e-6:
            raise GeometryError(
                f"Touch {self.label} has no proper direction", "Its compensation is unknown", "Touch again"
            )

    @property
    def ball_centre(self) -> Vector:
        """Centre of the effective ball in machine coordinates of the tip, mm."""
        x, y, z = self.position
        return x, y, z - self.stylus.length + self.stylus.effective_radius


def without_run_out(touches: Sequence[Touch], each: int) -> list[Touch]:
    """One touch for every place that was touched twice, the spindle turned half round between: their means.

    `each` touches were made in either position. Where the ball stands beside the axis falls out of the mean.
    """
    found = []
    for first in range(0, len(touches), 2 * each):
        for one, two in zip(touches[first : first + each], touches[first + each : first + 2 * each], strict=True):
            x, y, z = ((a + b) / 2 for a, b in zip(one.position, two.position, strict=True))
            u = math.hypot(one.u, two.u) / 2
            found.append(replace(one, position=(x, y, z), u=u))
    return found


def axis_of(direction: Vector) -> tuple[int, int]:
    """The axis (0, 1, 2) and sign of a direction that runs along an axis.

    >>> axis_of((0.0, 0.0, -1.0))
    (2, -1)

    Raises:
        GeometryError: when the direction is not along an axis (within 0.01°).
    """
    index = max(range(3), key=lambda i: abs(direction[i]))
    if abs(direction[index]) < math.cos(math.radians(0.01)):
        raise GeometryError("The touch runs askew to the axes", "A surface along an axis needs a touch along that axis")
    return index, 1 if direction[index] > 0 else -1
