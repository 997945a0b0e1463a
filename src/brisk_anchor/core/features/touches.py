"""A touch: one contact, with the tool that touched, its compensation and its standard uncertainty."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from enum import Enum

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.tools.hand_tools import MOST_UNCERTAIN, HandTool
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass

AXES = "xyz"


class Origin(Enum):
    """Where a touch comes from; all give the same object."""

    RUN = "program run"
    READOUT = "machine readout"
    TYPED = "typed"


@dataclass(frozen=True, slots=True)
class CalibratedOn:
    """How a figure of a stylus ("radius", "length", "offset") came about: when, on what, and the share `u_on` (mm)
    that this has in the figure's uncertainty. What was calibrated on the same thing shares its error."""

    what: str
    at: str = ""
    on: str = ""
    u_on: float = 0.0


@dataclass(frozen=True, slots=True)
class Stylus:
    """A calibrated touch probe stylus, all lengths mm.

    `effective_radius` is the ball radius less the pre-travel found by calibration. `length` is the effective
    length from the spindle gauge line to the ball's lowest point, so that a surface touched from above lies at
    spindle Z − length. `offset` is where the ball stands beside the spindle's axis, X and Y. `u_*` are standard
    uncertainties (k = 1).

    `repeats` is how many touches `u_repeatability` was worked out from, None where it is known otherwise; `feeds` what
    was found at other touch feeds. `by_direction` is the effective radius at headings (degrees, mm) and `lobing` how
    far, each way, the radius differs by direction, beyond that table where there is one; None where nobody said it.
    `u_direction` is the standard uncertainty of each entry of the table.
    `calibrations` say of each figure when, on what, and how much of its uncertainty that has. None of these is in
    a program, and so none is in what it is identified by.
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
    repeats: int | None = field(default=None, repr=False)
    feeds: tuple[Scatter, ...] = field(default=(), repr=False)
    by_direction: tuple[tuple[float, float], ...] = field(default=(), repr=False)
    lobing: float | None = field(default=None, repr=False)
    u_direction: float = field(default=0.0, repr=False)
    calibrations: tuple[CalibratedOn, ...] = field(default=(), repr=False)

    def __post_init__(self) -> None:
        def refuse(what: str, remedy: str) -> GeometryError:
            return GeometryError(
                f"Probe {self.name}: {what}", "A wrong probe gives wrong sizes or breaks the stylus", remedy
            )

        for name in self.__slots__:
            value = getattr(self, name)
            if isinstance(value, float) and not math.isfinite(value):
                raise refuse(f"{name.replace('_', ' ')} is no number", "Give a figure in mm")
        if not 0.2 <= self.ball_diameter <= 30:
            raise refuse(
                f"a ball of {dim(self.ball_diameter)} is no probe ball", "Check the unit: 0.2 to 30 mm is expected"
            )
        if not 0.8 * self.ball_diameter / 2 <= self.effective_radius <= 1.02 * self.ball_diameter / 2:
            raise refuse(
                f"effective radius {dim(self.effective_radius)} does not go with a ball of {dim(self.ball_diameter)}",
                "Calibrate the stylus, or check radius against diameter",
            )
        if not 20 <= self.length <= 600:
            raise refuse(
                f"a length of {dim(self.length)} is absurd", "Give the length from the gauge line to the ball's end"
            )
        if not all(math.isfinite(value) and abs(value) <= 0.5 for value in self.offset):
            raise refuse("its ball stands more than 0.5 mm beside the spindle's axis", "Set the stylus true, calibrate")
        spreads = (
            self.u_repeatability,
            self.u_radius,
            self.u_length,
            self.u_offset,
            self.lobing or 0.0,
            self.u_direction,
        )
        if min(spreads) < 0 or max(spreads) > MOST_UNCERTAIN:
            raise refuse("an uncertainty is below zero, or over 1 mm", "Give standard uncertainties from zero to 1 mm")
        if self.repeats is not None and self.repeats < 2:
            raise refuse("its repeatability comes from fewer than two touches", "Two are the least that scatter")
        if not all(abs(radius - self.effective_radius) <= 0.1 for _, radius in self.by_direction):
            raise refuse("its radius by direction differs by more than 0.1 mm", "Calibrate it in a ring again")
        if not 0 < self.stem_diameter <= self.ball_diameter:
            raise refuse("the stem is thicker than the ball", "A side wall would meet the stem first")
        if not 0 < self.stem_length < self.length or self.body_diameter <= 0 or self.body_length <= 0:
            raise refuse("stem or body do not fit the length", "Check stem length, body diameter and body length")

    @property
    def scatter(self) -> Scatter:
        """How its touches scatter at the usual feed."""
        return Scatter(self.u_repeatability, self.repeats)

    def scatter_at(self, feed: float | None) -> Scatter:
        """How its touches scatter at a touch feed, mm/min: as was found there, else as at the usual one."""
        return next((found for found in self.feeds if found.feed == feed), self.scatter)

    def calibration(self, what: str) -> CalibratedOn:
        """When and on what its "radius", "length" or "offset" was calibrated; nothing where nobody said it."""
        return next((c for c in self.calibrations if c.what == what), CalibratedOn(what))

    def _errors(self, what: str, u: float) -> dict[Source, float]:
        """A calibrated figure's errors: what the calibration's own touches left, and what it was calibrated on."""
        known = self.calibration(what)
        label = f"{what} of T{self.tool_number}"
        own = Source(f"{label}, {self.name}" + (f", calibrated {known.at}" if known.at else ""), label)
        if not known.u_on:
            return {own: u}
        return {own: math.sqrt(max(0.0, u**2 - known.u_on**2)), Source(known.on, known.on): known.u_on}

    @property
    def radius_errors(self) -> Mapping[Source, float]:
        """The errors of its effective radius, mm."""
        return self._errors("radius", self.u_radius)

    @property
    def length_errors(self) -> Mapping[Source, float]:
        """The errors of its length, mm."""
        return self._errors("length", self.u_length)

    def offset_errors(self, axis: str) -> dict[Source, float]:
        """The errors of where its ball stands along an axis, mm; X and Y have each its own."""
        known = self.calibration("offset")
        label = f"{axis.upper()} of the ball of T{self.tool_number}"
        name = f"{label}, {self.name}" + (f", calibrated {known.at}" if known.at else "")
        return {Source(name, label): self.u_offset}


@dataclass(frozen=True, slots=True)
class Touch:
    """One contact.

    `position` is the spindle gauge point in machine coordinates at contact, mm, moved by how far the stylus's ball
    stands beside the spindle's axis: the program adds that to what it reads. `direction` is the unit vector of
    the approach. `u` is the standard uncertainty of this one contact along the approach, mm (k = 1), and `scatter` the
    estimate it was taken from; what all touches of a stylus share (ball radius, length) is kept with the stylus.
    """

    label: str
    position: Vector
    direction: Vector
    stylus: Stylus | HandTool
    u: float
    source: Origin = Origin.RUN
    scatter: Scatter | None = None

    def __post_init__(self) -> None:
        if not all(math.isfinite(value) for value in (*self.position, *self.direction, self.u)) or self.u < 0:
            raise GeometryError(
                f"Touch {self.label} carries a figure that is no number", "It cannot be used", "Touch again"
            )
        if self.u > MOST_UNCERTAIN:
            raise GeometryError(
                f"Touch {self.label} is stated to be uncertain by {dim(self.u)}",
                "A touch so uncertain says nothing; the figure or its unit is wrong",
                "State its repeatability in mm",
            )
        if abs(math.hypot(*self.direction) - 1) > 1e-6:
            raise GeometryError(
                f"Touch {self.label} has no proper direction", "Its compensation is unknown", "Touch again"
            )

    @property
    def group(self) -> str:
        """Which estimate of scatter its `u` comes from: all touches of a tool at one feed have the same."""
        feed = self.scatter.feed if self.scatter is not None else None
        at = f" at F{feed:g}" if feed is not None else ""
        return f"repeatability of T{self.stylus.tool_number} {self.stylus.name}{at}"

    @property
    def freedom(self) -> float | None:
        """Degrees of freedom of its `u`, no unit; what is known beside the scatter, the last digit say, has a share."""
        scatter = self.scatter or self.stylus.scatter
        if scatter.freedom is None or not scatter.u:
            return None
        return scatter.freedom * max(1.0, self.u / scatter.u) ** 4

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
