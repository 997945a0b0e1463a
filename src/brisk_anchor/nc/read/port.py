"""What an interpreter needs of a machine. The stand-in provides it; tests use a collector."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol, runtime_checkable

from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass

LENGTH, LENGTH_WEAR, RADIUS, RADIUS_WEAR = 10, 11, 12, 13
"""Columns of the tool table, by the L of the block that writes them."""


@dataclass(frozen=True, slots=True)
class SkipResult:
    """Where the skip signal came, machine mm; the end of the move when it never came."""

    latched: Vector
    contact: bool


class MachinePort(Protocol):
    """Moves in machine coordinates (spindle position, mm), tables, clocks, and the tool in the spindle.

    `angles` are machine positions of rotary axes by letter, degrees; an axis not named stays where it is.
    """

    @property
    def position(self) -> Vector:
        """Where the spindle stands, machine mm."""

    @property
    def angles(self) -> Mapping[str, float]:
        """Where the rotary axes stand; its keys are the axes the machine has."""

    @property
    def tool_in_spindle(self) -> int:
        """Number of the tool in the spindle, 0 for none."""

    @property
    def clock(self) -> float:
        """Machine time since power came on, seconds."""

    @property
    def hours(self) -> float:
        """Hours of running programs."""

    @property
    def probe_signals(self) -> bool:
        """Whether the probe signals contact now."""

    @property
    def home(self) -> Vector:
        """The first reference position, machine mm."""

    def rapid(self, target: Vector, line: int, angles: Mapping[str, float] | None = None) -> None:
        """Move at rapid; any contact is a crash. Raises MachineError."""

    def feed(self, target: Vector, feed: float, line: int, angles: Mapping[str, float] | None = None) -> None:
        """Move at `feed` mm/min (degrees a minute where only angles change), probe not watched. Raises MachineError."""

    def skip(self, target: Vector, feed: float, line: int, *, away: bool = False) -> SkipResult:
        """Move at `feed` mm/min until the probe signals, or with `away` until it comes free. Raises MachineError."""

    def change_tool(self, number: int, line: int) -> None:
        """Put a tool in the spindle. Raises MachineError when there is no such tool."""

    def orient(self, angle: float, line: int) -> None:
        """Turn the spindle to an angle, degrees, and hold it. Raises MachineError when it cannot."""

    def turn_spindle(self, code: int, speed: float, line: int) -> None:
        """M3, M4, M5 or M19. Raises MachineError when it must not turn."""

    def dwell(self, seconds: float, line: int) -> None:
        """Wait."""

    def offset(self, row: str) -> Vector:
        """Values of an offset row, mm."""

    def write_offset(self, row: str, values: Vector) -> None:
        """Write an offset row, mm."""

    def angle_offset(self, row: str) -> Mapping[str, float]:
        """Angles of an offset row, degrees by letter; an axis not in it counts as 0."""

    def write_angle_offset(self, row: str, letter: str, value: float) -> None:
        """Write one angle of an offset row, degrees."""

    def tool_length(self, number: int) -> float:
        """Length of a tool, wear included, mm. Raises ValueError when there is no such tool."""

    def tool_value(self, number: int, column: int) -> float:
        """A figure of the tool table, mm. Raises ValueError when there is no such tool."""

    def write_tool(self, number: int, column: int, value: float) -> None:
        """Write a figure of the tool table, mm. Raises MachineError when there is no such tool."""


@runtime_checkable
class TurningPort(MachinePort, Protocol):
    """A lathe: a turret, and tables of geometry and wear. X is a radius here, mm."""

    @property
    def tool_shift(self) -> tuple[float, float]:
        """Geometry and wear of the offset in force, X and Z, mm."""

    def index(self, station: int, offset: int, line: int) -> None:
        """Turn the turret and put an offset in force, 0 for none. Raises MachineError."""

    def turning_value(self, number: int, table: str, axis: str) -> float:
        """A figure of the table "geometry" or "wear", mm. Raises ValueError: there is none of that number."""

    def write_turning(self, number: int, table: str, axis: str, value: float) -> None:
        """Write it, mm."""
