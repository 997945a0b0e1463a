"""The two ports to a machine: one that reads and hands over, and one that moves.

A real control is reached through `ControlLink` alone. `OperatorPanel` is what a person does at the machine; only the
stand-in has one, so nothing written against `ControlLink` can move a real machine.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Protocol

from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.checks import ControlCondition
from brisk_anchor.core.quantities import age_words
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.machine.runs import Run


@dataclass(frozen=True, slots=True)
class ActiveRow:
    """The offset row that is active on a control: "" where nobody knows; since when, where it cannot say so now."""

    row: str
    known_at: datetime | None = None

    @property
    def words(self) -> str:
        """The row, and how old that knowledge is."""
        if not self.row:
            return "not known"
        if self.known_at is None:
            return self.row
        age = age_words((datetime.now(UTC) - self.known_at).total_seconds())
        return f"{self.row}, told {age if age == 'now' else f'{age} ago'}"


class ControlLink(Protocol):
    """State and tables of a control, a program handed over, a report taken. It has no motion.

    Lengths in mm, angles in degrees, positions those of the spindle in machine coordinates.

        link.hand_over(program)      # the operator starts it at the machine
        link.report()                # the lines it has printed since
    """

    @property
    def profile(self) -> Profile:
        """How the control is described."""

    @property
    def spindle(self) -> Vector:
        """Where the spindle stands."""

    @property
    def angles(self) -> Mapping[str, float]:
        """Where the rotary axes stand, by letter."""

    @property
    def tool_in_spindle(self) -> int:
        """Number of the tool in the spindle, 0 for none."""

    @property
    def turned_round(self) -> bool:
        """Whether the spindle stands turned half round from where the probe was calibrated."""

    @property
    def active(self) -> ActiveRow:
        """The row that is active on the control, whoever made it so."""

    @property
    def condition(self) -> ControlCondition:
        """What keeps a program from running, as far as the control tells."""

    def used_by_held_program(self, row: str) -> str:
        """The title of a program that is under way or held and uses a row; "" where none does, as far as is known."""

    def tell_active(self, row: str) -> None:
        """Note what a person says is active, for a control that does not say so itself."""

    def offset(self, row: str) -> Vector:
        """X, Y, Z of a row of the offset table. Raises ValueError: there is no such row."""

    def table_values(self, row: str) -> dict[str, float]:
        """X, Y, Z of a row, and `r`, the angle its coordinates are turned by, where the control keeps one."""

    def knows(self, row: str) -> bool:
        """Whether what the control holds in a row is known at all."""

    def age(self, row: str) -> str:
        """How old what is known of a row is: "" where it is as of now, else "14 min ago" or "never read"."""

    def turn_of(self, row: str) -> float:
        """How far the control itself turns every position in a row; 0 where rows hold no angle."""

    def write_row(self, row: str, values: Mapping[str, float]) -> None:
        """Put a row back to values that stood there: `x`, `y`, `z`, and its angle `r` (none is 0)."""

    def tool_figure(self, number: int, column: int) -> float:
        """A figure of the tool table, mm. Raises InspectionError: it has no such tool."""

    def write_tool_figure(self, number: int, column: int, value: float) -> None:
        """Write a figure of the tool table, mm. Raises MachineError: there is no such tool."""

    def write_tool_length(self, number: int, length: float) -> None:
        """Write a tool's length into the tool table. Raises MachineError: there is no such tool."""

    def hand_over(self, program: Program) -> None:
        """Put a program where the control finds it. It does not run by that."""

    def report(self) -> list[str]:
        """The lines that the program handed over last has printed so far."""

    def settle(self) -> None:
        """Note how the machine stands after something ran or was written."""


class OperatorPanel(Protocol):
    """What a person does at the machine by hand: jog, home, type a line, start a program."""

    def jog(self, axis: str, distance: float) -> str:
        """Move the tip along one axis, the probe watching; returns what was met, "" for nothing.

        Raises:
            MachineError: outside the travels, a crash, or the control is not ready for it.
        """

    def reset(self) -> None:
        """Give up what is under way and clear the alarm."""

    def home(self) -> None:
        """Send every axis home. Raises MachineError when something is in the way, or the door is open."""

    def change_tool(self, number: int) -> None:
        """Put a tool in the spindle. Raises MachineError when there is no such tool."""

    def turn_half_round(self, *, turned: bool) -> None:
        """Put the spindle half round from where the probe was calibrated, or back."""

    def mdi(self, line: str) -> Run:
        """One typed line, ready to run. Raises GuardError, NcError."""

    def start(self) -> Run:
        """The program that was handed over, ready to run. Raises SecondLookError: an alarm, the door, not homed."""

    def start_loaded(self, title: str, loaded: Program | str) -> Run:
        """What a person loaded at the control, ready to run. Raises GuardError: an alarm stands, say; NcError."""
