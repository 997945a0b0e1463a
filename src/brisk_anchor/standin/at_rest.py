"""What a program reads and sets while every axis stands: offsets with their angles, tools, the spindle."""

from __future__ import annotations

from collections.abc import Mapping

from brisk_anchor.core.errors import ToolError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import num
from brisk_anchor.standin.motion import RealProbe
from brisk_anchor.standin.tools import Tool, ToolTable


class AtRest:
    """Tables and spindle of the virtual machine."""

    offsets: dict[str, Vector]
    angle_offsets: dict[str, dict[str, float]]
    table: ToolTable
    tools: dict[int, Tool]
    tool: Tool
    probe: RealProbe
    spindle: int
    speed: float
    turned_round: bool

    def offset(self, row: str) -> Vector:
        """Values of an offset row, mm; zero where nothing was ever written."""
        return self.offsets.get(row, (0.0, 0.0, 0.0))

    def write_offset(self, row: str, values: Vector) -> None:
        """Write an offset row, mm."""
        self.offsets[row] = values

    def angle_offset(self, row: str) -> Mapping[str, float]:
        """Angles of an offset row, degrees by letter."""
        return self.angle_offsets.get(row, {})

    def write_angle_offset(self, row: str, letter: str, value: float) -> None:
        """Write one angle of an offset row, degrees."""
        self.angle_offsets.setdefault(row, {})[letter] = value

    def tool_length(self, number: int) -> float:
        """Length in the tool table, wear included, mm. Raises ValueError when there is no such tool."""
        return self.table.length(number)

    def tool_value(self, number: int, column: int) -> float:
        """A figure of the tool table, mm. Raises ValueError when there is no such tool."""
        return self.table.value(number, column)

    def write_tool(self, number: int, column: int, value: float) -> None:
        """Write the tool table, mm. The probe's own figures come from its calibration and stay. Raises ToolError."""
        if number not in self.tools or number == 0:
            raise ToolError(f"There is no tool T{number} to write figures for", "The table is unchanged", "Check P")
        self.table.write(number, column, value, probe=self.probe.stylus.tool_number)

    def orient(self, angle: float, line: int) -> None:
        """Hold the spindle at an angle: where the probe was calibrated, or half round from there. Raises ToolError."""
        if angle % 180 > 1e-6:
            raise ToolError(
                f"M19 R{num(angle)} in line {line}: the stand-in holds its spindle at 0 and at 180 degrees",
                "Where the ball would stand then is not known to it",
                "Use 0 or 180",
            )
        self.turned_round = angle % 360 > 90

    def turn_spindle(self, code: int, speed: float, line: int) -> None:
        """Start, stop or orient. The probe must never turn under power. Raises ToolError."""
        if code in (3, 4) and self.tool.is_probe:
            raise ToolError(
                f"M{code} in line {line} would turn the spindle with the probe in it",
                "That throws the stylus off and tears the cable of a wired probe",
                "Take the spindle start out, or change the tool before it",
            )
        if code in (3, 4) and speed <= 0:
            raise ToolError(f"M{code} in line {line}: no speed has been given", "The spindle stands", "Give S first")
        self.spindle, self.speed = code, speed
