"""What an interpreter needs of a machine. The stand-in provides it; tests use a collector."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from brisk_anchor.core.kinds import Vector


@dataclass(frozen=True, slots=True)
class SkipResult:
    """Where the skip signal came, machine mm; the end of the move when it never came."""

    latched: Vector
    contact: bool


class MachinePort(Protocol):
    """Moves in machine coordinates (spindle position, mm), tables, and the tool in the spindle."""

    @property
    def position(self) -> Vector:
        """Where the spindle stands, machine mm."""

    @property
    def tool_in_spindle(self) -> int:
        """Number of the tool in the spindle, 0 for none."""

    def rapid(self, target: Vector, line: int) -> None:
        """Move at rapid; any contact is a crash. Raises MachineError."""

    def feed(self, target: Vector, feed: float, line: int) -> None:
        """Move at `feed` mm/min, probe not watched. Raises MachineError."""

    @property
    def home(self) -> Vector:
        """The first reference position, machine mm."""

    def skip(self, target: Vector, feed: float, line: int, *, away: bool = False) -> SkipResult:
        """Move at `feed` mm/min until the probe signals, or with `away` until it comes free. Raises MachineError."""

    def change_tool(self, number: int, line: int) -> None:
        """Put a tool in the spindle. Raises MachineError when there is no such tool."""

    def turn_spindle(self, code: int, speed: float, line: int) -> None:
        """M3, M4, M5 or M19. Raises MachineError when it must not turn."""

    def write_tool(self, number: int, kind: int, value: float) -> None:
        """Write a tool table entry (L10 to L13), mm. Raises MachineError when there is no such tool."""

    def dwell(self, seconds: float, line: int) -> None:
        """Wait."""

    def offset(self, row: str) -> Vector:
        """Values of an offset row, mm."""

    def write_offset(self, row: str, values: Vector) -> None:
        """Write an offset row, mm."""

    def tool_length(self, number: int) -> float:
        """Length in the tool table, mm. Raises ValueError when there is no such tool."""
