"""Rotary axes of a table: where a part goes when they turn, and what that does to a work offset.

A table is a frame that depends on angles. Each axis is a line in machine coordinates; the outermost comes first (a
trunnion: the tilt, then the rotary table it carries). Formulas in docs/maths.md.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import num
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class RotaryAxis:
    """One rotary axis of the table.

    `direction` is a unit vector along it and `centre` a point on it, machine mm, both with every axis at 0. `sense` is
    +1 when a positive angle turns the part counter-clockwise about `direction`, −1 when it turns it clockwise (ISO 841:
    a positive angle moves the tool round the part in the positive sense, so a table turns the other way). Limits in
    degrees; None is endless. `rapid` in degrees a minute. One that indexes stops at whole multiples of `step` degrees,
    None stops anywhere. `u_centre` is the standard uncertainty of the centre along each machine axis, mm; None where
    nobody said it. `u_direction` is that of its direction about each axis across it, degrees; 0 where it was not said.
    """

    letter: str
    direction: Vector
    centre: Vector
    sense: int
    low: float | None
    high: float | None
    rapid: float
    u_centre: float | None = None
    u_direction: float = 0.0
    step: float | None = None

    def __post_init__(self) -> None:
        length = math.hypot(*self.direction)
        if (
            self.letter not in ("A", "B", "C")
            or self.sense not in (1, -1)
            or not math.isfinite(length)
            or length < 1e-9
        ):
            raise GeometryError(
                f"Rotary axis {self.letter} makes no sense", "It has no direction, sense or letter", "Give all three"
            )
        if not abs(length - 1) < 1e-12:
            unit = tuple(value / length for value in self.direction)
            object.__setattr__(self, "direction", unit)

    def frame(self, angle: float) -> Frame:
        """Where a point of the table goes when this axis stands at `angle` degrees (Rodrigues' formula)."""
        turn = math.radians(math.fmod(self.sense * angle, 360.0))
        x, y, z = self.direction
        cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
        rotation = np.eye(3) + math.sin(turn) * cross + (1 - math.cos(turn)) * (cross @ cross)
        centre = np.array(self.centre)
        return Frame(rotation, centre - rotation @ centre)

    def moved(self, by: Vector, turn: Vector = (0.0, 0.0, 0.0)) -> RotaryAxis:
        """The same axis, its centre shifted by `by` mm and its direction turned about X, Y, Z, degrees: where it is."""
        x, y, z = (a + b for a, b in zip(self.centre, by, strict=True))
        if not any(turn):
            return replace(self, centre=(x, y, z))
        a, b, c = turn
        direction = Frame.from_angles((0.0, 0.0, 0.0), a=a, b=b, c=c).point(self.direction)
        return replace(self, centre=(x, y, z), direction=direction)

    def why_not_at(self, angle: float) -> str:
        """Why it cannot stand at an angle, degrees; nothing where it can."""
        low, high = self.low, self.high
        if (low is not None and angle < low - 1e-9) or (high is not None and angle > high + 1e-9):
            ends = f"{num(low)} to {num(high)}" if low is not None and high is not None else "its limits"
            return f"{self.letter} cannot stand at {num(angle)}°: it turns from {ends}"
        if self.step is not None and abs(angle / self.step - round(angle / self.step)) * self.step > 1e-4:
            return f"{self.letter} cannot stand at {num(angle)}°: it stops at whole steps of {num(self.step)}°"
        return ""


def table_frame(axes: tuple[RotaryAxis, ...], angles: Mapping[str, float]) -> Frame:
    """Where the table stands at some angles, against where it stands with all axes at 0; machine mm."""
    frame = Frame.identity()
    for axis in axes:
        frame = frame @ axis.frame(angles.get(axis.letter, 0.0))
    return frame


def carried(
    point: Vector, axes: tuple[RotaryAxis, ...], before: Mapping[str, float], after: Mapping[str, float]
) -> Vector:
    """Where a point of the part goes when the table turns from one set of angles to another, machine mm.

    An offset measured at one angle is thereby known at every other, as far as the centre of rotation is.
    """
    return (table_frame(axes, after) @ table_frame(axes, before).inverse()).point(point)
