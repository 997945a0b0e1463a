"""Tables of scene and machine files for what stands in the spindle: probe, cutters, tools of the hand, tool setter."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from brisk_anchor.core.features.touches import CalibratedOn, Stylus
from brisk_anchor.core.tools.hand_tools import HandKind, HandTool
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.core.tools.shelf import Cutter, Health, ProbeRecord, Setter
from brisk_anchor.standin.row_file import ROW
from brisk_anchor.standin.solid_file import Coordinate, FileSection, Length, Name

Runout = Annotated[float, Field(ge=-0.5, le=0.5)]
"""How far the ball may stand beside the spindle's axis, mm."""


class ToolSection(FileSection):
    """A cutter in the magazine: it stands `reach` out of a holder; `length` is from the gauge line to its end.

    `u_length`, the day it was `measured` and its `health` are what the shelf knows; `real_length` is the stand-in's,
    where it is another.
    """

    number: int = Field(ge=1, le=9999)
    name: Name
    diameter: Length
    reach: Length
    holder_diameter: Length
    length: Length
    u_length: float = Field(default=0.0, ge=0, le=1)
    measured: date | None = None
    health: Literal["whole", "broken", "old master"] = "whole"
    real_length: Length | None = None

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.reach >= min(self.length, self.real_length or self.length):
            raise ValueError("it stands further out of its holder than it is long")
        return self

    def cutter(self) -> Cutter:
        """The cutter as the shelf knows it, its length from the gauge line."""
        health, measured = Health(self.health), self.measured.isoformat() if self.measured else ""
        broken = health is Health.BROKEN
        length, before = (None, self.length) if broken else (self.length, None)
        return Cutter(self.number, self.name, self.diameter, length, self.u_length, measured, health, before)


class HandToolSection(FileSection):
    """A tool of the hand; `u_*` are standard uncertainties. Figures it has not are left out, never guessed."""

    name: Name
    kind: Literal[
        "edge finder",
        "3D sensor",
        "feeler on a cutter",
        "paper on a cutter",
        "cutter on a blued face",
        "reference tool",
        "gauge block under a tool",
        "dial indicator",
    ]
    tool_number: int = Field(ge=1, le=9999)
    diameter: float | None = Field(default=None, ge=0, le=100)
    thickness: float = Field(default=0.0, ge=0, le=300)
    length: Length | None = None
    u_repeatability: float = Field(ge=0, le=1)
    u_diameter: float = Field(default=0.0, ge=0, le=1)
    u_thickness: float = Field(default=0.0, ge=0, le=1)
    u_length: float = Field(default=0.0, ge=0, le=1)
    repeats: int | None = Field(default=None, ge=2, le=100_000)

    def tool(self) -> HandTool:
        """The tool. Raises GeometryError."""
        return HandTool(
            self.name,
            HandKind(self.kind),
            self.tool_number,
            self.diameter,
            self.thickness,
            self.length,
            self.u_repeatability,
            self.u_diameter,
            self.u_thickness,
            self.u_length,
            self.repeats,
        )


class RealProbeSection(FileSection):
    """The probe as it really is. `delay` is seconds to the signal; `fault`: see docs/formats.md."""

    length: Length
    pre_travel: float = Field(ge=0, le=0.2)
    lobing: float = Field(ge=0, le=0.05)
    noise: float = Field(ge=0, le=0.1)
    over_travel: float = Field(gt=0, le=30)
    delay: float = Field(default=0.0, ge=0, le=0.1)
    offset: tuple[Runout, Runout] = (0.0, 0.0)
    fault: Literal["", "absent", "stuck", "battery"] = ""


class ScatterSection(FileSection):
    """What a repeatability run found at a touch feed (mm/min): standard deviation of one touch, how many, and when."""

    touch_feed: float = Field(gt=0, le=10_000)
    u: float = Field(ge=0, le=1)
    repeats: int = Field(ge=2, le=100_000)
    measured: date | None = None

    def scatter(self) -> Scatter:
        """The same for the sums."""
        return Scatter(self.u, self.repeats, self.touch_feed, self.measured.isoformat() if self.measured else "")


class ByDirectionSection(FileSection):
    """The effective radius at headings of a touch, degrees."""

    headings: Annotated[list[float], Field(max_length=72)] = []
    radii: Annotated[list[float], Field(max_length=72)] = []

    @model_validator(mode="after")
    def _together(self) -> Self:
        if len(self.headings) != len(self.radii):
            raise ValueError("every heading has its radius, and no more")
        return self


class CalibrationSection(FileSection):
    """When a figure of the probe was calibrated, on what, and the part of its uncertainty that has, mm."""

    what: Literal["radius", "length", "offset"]
    at: Annotated[str, Field(max_length=40)] = ""
    on: Annotated[str, Field(max_length=60)] = ""
    u_on: float = Field(default=0.0, ge=0, le=1)


class ProbeFigures(FileSection):
    """A probe as calibrated."""

    tool_number: int = Field(ge=1, le=9999)
    name: Name
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
    calibrated: date | None = None
    valid_days: int | None = Field(default=None, ge=1, le=3650)
    offset: tuple[Runout, Runout] = (0.0, 0.0)
    u_offset: float = Field(default=0.0, ge=0, le=0.1)
    repeats: int | None = Field(default=None, ge=2, le=100_000)
    repeats_measured: date | None = None
    lobing: float | None = Field(default=None, ge=0, le=0.1)
    u_direction: float = Field(default=0.0, ge=0, le=0.1)
    by_direction: ByDirectionSection = ByDirectionSection()
    at_feed: Annotated[list[ScatterSection], Field(max_length=12)] = []
    calibration: Annotated[list[CalibrationSection], Field(max_length=3)] = []
    due: list[Literal["radius", "length", "offset"]] = []


class ProbeSection(ProbeFigures):
    """The probe as calibrated, and as it is."""

    real: RealProbeSection

    def stylus(self) -> Stylus:
        """The calibrated stylus. Raises GeometryError when its figures make no sense."""
        elsewhere = {"calibrated", "valid_days", "due", "repeats_measured"}
        elsewhere |= {"real", "by_direction", "at_feed", "calibration"}
        return Stylus(
            **self.model_dump(exclude=elsewhere),
            by_direction=tuple(zip(self.by_direction.headings, self.by_direction.radii, strict=True)),
            feeds=tuple(found.scatter() for found in self.at_feed),
            calibrations=tuple(CalibratedOn(c.what, c.at, c.on, c.u_on) for c in self.calibration),
        )

    def record(self) -> ProbeRecord:
        """When it was calibrated, and what is due."""
        scattered = self.repeats_measured.isoformat() if self.repeats_measured else ""
        calibrated = self.calibrated.isoformat() if self.calibrated else ""
        return ProbeRecord(calibrated, self.valid_days, tuple(self.due), scattered)


class SetterSection(FileSection):
    """A tool setter: `offset` is the row kept for it, `master` the tool its reference is taken with.

    `at` is the machine X and Y of the spindle over it: where it is given, the stand-in has a setter on its table.
    """

    name: Name
    height: Length
    u_height: float = Field(default=0.0, ge=0, le=0.1)
    u_repeatability: float = Field(ge=0, le=1)
    offset: Annotated[str, Field(pattern=ROW)]
    master: int = Field(ge=1, le=9999)
    at: tuple[Coordinate, Coordinate] | None = None

    def setter(self) -> Setter:
        """The setter. Raises GeometryError."""
        return Setter(self.name, self.height, self.u_height, self.u_repeatability, self.offset, self.master, self.at)
