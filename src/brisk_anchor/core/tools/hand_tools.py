"""Tools that touch by hand: edge finder, sensor, feeler and paper on a cutter, reference tool, gauge block."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import Enum

from brisk_anchor.core.errors import GeometryError


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

    def __post_init__(self) -> None:
        given = [self.diameter, self.thickness, self.bare_length, self.u_repeatability]
        given += [self.u_diameter, self.u_thickness, self.u_bare_length]
        figures = [value for value in given if value is not None]
        if not all(math.isfinite(value) and value >= 0 for value in figures):
            raise GeometryError(f"{self.name}: a figure is below zero or none", "Its sign would be wrong", "Give mm")
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

    def touches(self, *, below: bool) -> bool:
        """Whether it can touch a face below it, or a wall beside it."""
        return self.bare_length is not None if below else self.diameter is not None
