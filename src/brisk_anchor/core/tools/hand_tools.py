"""Tools that touch by hand: edge finder, sensor, feeler and paper on a cutter, reference tool, gauge block."""

from __future__ import annotations

import math
from collections.abc import Mapping
from enum import Enum

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass

MOST_UNCERTAIN = 1.0
"""A standard uncertainty over this, mm, is a wrong figure or a wrong unit."""


class HandKind(Enum):
    """What is held between the spindle and the metal."""

    EDGE_FINDER = "edge finder"
    SENSOR = "3D sensor"
    FEELER = "feeler on a cutter"
    PAPER = "paper on a cutter"
    BLUED = "cutter on a blued face"
    REFERENCE = "reference tool"
    BLOCK = "gauge block under a tool"
    INDICATOR = "dial indicator"


@dataclass(frozen=True, slots=True)
class HandTool:
    """A tool of the hand; lengths in mm, `u_*` standard uncertainties (k = 1).

    `diameter` is that of the part that touches sideways, 0 where it reads over its axis (a 3D sensor) and None where it
    cannot touch sideways. `thickness` lies between tool and metal (feeler, paper, block). `bare_length` goes from the
    gauge line to the tool's end, None where the tool is no use from above. `u_repeatability` is one touch's own.
    """

    name: str
    kind: HandKind
    tool_number: int
    diameter: float | None
    thickness: float
    bare_length: float | None
    u_repeatability: float
    u_diameter: float = 0.0
    u_thickness: float = 0.0
    u_bare_length: float = 0.0
    repeats: int | None = None
    """How many touches its repeatability was worked out from; None where it is known otherwise."""

    def __post_init__(self) -> None:
        spreads = [self.u_repeatability, self.u_diameter, self.u_thickness, self.u_bare_length]
        given = [self.diameter, self.thickness, self.bare_length, *spreads]
        figures = [value for value in given if value is not None]
        if not all(math.isfinite(value) and value >= 0 for value in figures):
            raise GeometryError(f"{self.name}: a figure is below zero or none", "Its sign would be wrong", "Give mm")
        if max(spreads) > MOST_UNCERTAIN:
            raise GeometryError(
                f"{self.name}: an uncertainty over 1 mm", "It would say nothing; the unit may be another", "Give mm"
            )
        if self.repeats is not None and self.repeats < 2:
            raise GeometryError(f"{self.name}: fewer than two repeats scatter by nothing", "", "Give two or more")
        if self.diameter is None and self.bare_length is None and self.kind is not HandKind.INDICATOR:
            raise GeometryError(f"{self.name} can touch nothing", "", "Give a diameter, a length, or both")
        if (self.diameter is not None and self.diameter > 100) or self.thickness > 300:
            raise GeometryError(f"{self.name} is absurdly large", "Its figures may be in another unit", "Give mm")

    @property
    def effective_radius(self) -> float:
        """From the spindle's axis to the metal beside it, mm."""
        return (self.diameter or 0.0) / 2 + self.thickness

    @property
    def ball_diameter(self) -> float:
        """What it takes up between two walls, mm."""
        return 2 * self.effective_radius

    @property
    def length(self) -> float:
        """From the gauge line to the metal below it, mm."""
        return (self.bare_length or 0.0) + self.thickness

    @property
    def u_radius(self) -> float:
        """Of the effective radius, mm."""
        return math.hypot(self.u_diameter / 2, self.u_thickness)

    @property
    def u_length(self) -> float:
        """Of the length, mm."""
        return math.hypot(self.u_bare_length, self.u_thickness)

    @property
    def scatter(self) -> Scatter:
        """How its touches scatter."""
        return Scatter(self.u_repeatability, self.repeats)

    @property
    def _thickness_errors(self) -> Mapping[Source, float]:
        """The feeler or block is the same below the tool and beside it."""
        label = f"thickness of {self.name}"
        return {Source(f"{label}, {self.thickness:g}", label): self.u_thickness}

    @property
    def radius_errors(self) -> Mapping[Source, float]:
        """The errors of the effective radius, mm. Tools of one number and diameter are one cutter."""
        label = f"diameter of T{self.tool_number}"
        return {Source(f"{label}, {self.diameter or 0:g}", label): self.u_diameter / 2, **self._thickness_errors}

    @property
    def length_errors(self) -> Mapping[Source, float]:
        """The errors of the length, mm."""
        label = f"length of T{self.tool_number}"
        return {Source(f"{label}, {self.bare_length or 0:g}", label): self.u_bare_length, **self._thickness_errors}

    def touches(self, *, below: bool) -> bool:
        """Whether it can touch a face below it, or a wall beside it."""
        return self.bare_length is not None if below else self.diameter is not None
