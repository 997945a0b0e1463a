"""The stand-in at the other end of both ports, and the file that keeps how it was left."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from datetime import UTC, datetime

from brisk_anchor.core.errors import InspectionError, MachineError, PlanError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.checks import ControlCondition, look_at_control, stop_where_found
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.read.port import LENGTH
from brisk_anchor.services.machine.machine_file import MachineFile
from brisk_anchor.services.machine.ports import ActiveRow
from brisk_anchor.services.machine.runs import Run, table_values
from brisk_anchor.standin.control import Control, Mode

_KEPT_MOVES = 2000


class StandInLink:
    """The stand-in as a `ControlLink`."""

    def __init__(self, control: Control, machine_file: MachineFile, mark: Callable[[], tuple[int, str]]) -> None:
        """`mark` gives the newest entry of the book that is known, by its id there and its own."""
        self.control = control
        self.profile = control.profile
        self.machine_file = machine_file
        self._mark = mark
        self._handed: Program | None = None
        self._run: Run | None = None
        self._told = ActiveRow("")

    @property
    def active(self) -> ActiveRow:
        """The row that is active now; where no control is connected, what a person said last."""
        return ActiveRow(self.control.active_row) if self.control.machine.machine.connected else self._told

    def tell_active(self, row: str) -> None:
        """Note what a person says is active on a control that is not connected."""
        self._told = ActiveRow(row, datetime.now(UTC))

    def used_by_held_program(self, row: str) -> str:
        """The program that is under way or held, where it selects or reads a row; "" where none does."""
        running = self.control.running
        if running is None or not self.control.busy:
            return ""
        known = self.profile.row(row)
        told = [word.replace(" ", "") for word in (known.select, known.write) if word]
        words = "|".join(map(re.escape, [*told, *(f"#{number}" for number in known.read or ())]))
        used = running.modal.offset == row or any(
            re.search(rf"(?:{words})(?![0-9.P])", block.source.replace(" ", ""))
            for routine in running.routines
            for block in routine.blocks
        )
        return self.control.title if used else ""

    @property
    def condition(self) -> ControlCondition:
        """How the control stands."""
        control = self.control
        alarm = f"{int(control.alarm.number)}, {control.alarm.text}" if control.alarm is not None else ""
        return ControlCondition(
            homed=control.homed,
            door_open=control.door_open,
            alarm=alarm,
            held=control.title if control.busy else "",
            mode=control.mode.value if control.mode in (Mode.MDI, Mode.HANDLE) else "",
            stops="its switch is at the machine" if control.single_block else "",
        )

    @property
    def spindle(self) -> Vector:
        """Where the spindle stands, machine mm."""
        return self.control.machine.position

    @property
    def angles(self) -> Mapping[str, float]:
        """Where the rotary axes stand, degrees by letter."""
        return self.control.machine.angles

    @property
    def tool_in_spindle(self) -> int:
        """Number of the tool in the spindle, 0 for none."""
        return self.control.machine.tool_in_spindle

    @property
    def turned_round(self) -> bool:
        """Whether the spindle stands turned half round."""
        return self.control.machine.turned_round

    def offset(self, row: str) -> Vector:
        """X, Y, Z of a row of the offset table, mm."""
        return self.control.machine.offset(row)

    def table_values(self, row: str) -> dict[str, float]:
        """X, Y, Z of a row, mm, and its angle, degrees, where the control keeps one."""
        return table_values(self.control.machine, self.control.memory, self.profile, row)

    def knows(self, row: str) -> bool:
        """Always: it is asked now."""
        return True

    def age(self, row: str) -> str:
        """As of now."""
        return ""

    def turn_of(self, row: str) -> float:
        """How far the control itself turns every position in a row, degrees; 0 where rows hold no angle."""
        held = self.profile.row(row).rotation is not None
        return self.control.machine.angle_offset(row).get("R", 0.0) if held else 0.0

    def write_row(self, row: str, values: Mapping[str, float]) -> None:
        """Put a row of the table back to values that stood there: X, Y, Z, and its angle (none is 0)."""
        machine = self.control.machine
        machine.write_offset(row, (values["x"], values["y"], values["z"]))
        angle = values.get("r", 0.0)
        number = self.profile.angle_of(row)
        if number is not None and self.profile.row(row).rotation is None:
            self.control.memory.common[number] = angle
        elif number is not None:
            machine.write_angle_offset(row, "R", angle)

    def tool_figure(self, number: int, column: int) -> float:
        """A figure of the tool table, mm. Raises InspectionError: it has no such tool."""
        try:
            return self.control.machine.tool_value(number, column)
        except ValueError:
            what = f"The control's tool table has no T{number}"
            raise InspectionError(what, "There is no wear to correct", "Enter the tool, or name another") from None

    def write_tool_figure(self, number: int, column: int, value: float) -> None:
        """Write a figure of the tool table, mm. Raises MachineError: there is no such tool."""
        self.control.machine.write_tool(number, column, value)

    def write_tool_length(self, number: int, length: float) -> None:
        """Write a tool's length into the tool table, mm. Raises MachineError when there is no such tool."""
        self.control.machine.write_tool(number, LENGTH, length)

    def hand_over(self, program: Program) -> None:
        """Put a program into the memory of the stand-in's control."""
        self._handed, self._run = program, None

    def begin(self) -> Run:
        """The program handed over, ready to run. Raises SecondLookError: an alarm stands, say, or the door is open."""
        program = self._handed
        if program is None:
            raise PlanError("No program was handed over", "There is nothing to start", "Measure or store something")
        self.control.settle()
        stop_where_found(look_at_control(self.condition))
        self.control.reset()
        interpreter = self.control.begin(program.text, f"O{program.number:04d} {program.title}")
        self._run = Run(program, self.profile, self.control.machine, interpreter)
        return self._run

    def report(self) -> list[str]:
        """The lines that the program handed over last has printed so far."""
        return list(self._run.printed) if self._run is not None else []

    def settle(self) -> None:
        """Enter what is over in the control's history, and write how the machine stands now into its file."""
        self.control.settle()
        machine = self.control.machine
        if len(machine.motions) > _KEPT_MOVES and (self._run is None or self._run.over):
            machine.forget_motions()  # nobody looks at them any more, and a day of work makes many thousands
            machine.hits.clear()
        self.machine_file.save(self.control, self._mark())


class StandInPanel:
    """The stand-in's `OperatorPanel`."""

    def __init__(self, link: StandInLink) -> None:
        self._link = link
        self._control = link.control

    def jog(self, axis: str, distance: float) -> str:
        """Move the tip by hand along one axis, the probe watching; returns what was met, "" for nothing.

        Raises:
            MachineError: outside the travels, a crash, or the control is not ready for it.
        """
        try:
            return self._control.jog(axis, distance)
        except MachineError as error:
            self._control.raise_alarm(error)
            raise
        finally:
            self._link.settle()

    def reset(self) -> None:
        """Give up what is under way and clear the alarm."""
        self._control.reset()
        self._link.settle()

    def home(self) -> None:
        """Send every axis home. Raises MachineError when something is in the way, or the door is open."""
        self._control.go_home()
        self._link.settle()

    def change_tool(self, number: int) -> None:
        """Put a tool in the spindle. Raises MachineError when there is no such tool."""
        self._control.machine.change_tool(number, 0)
        self._link.settle()

    def turn_half_round(self, *, turned: bool) -> None:
        """Put the spindle half round from where the probe was calibrated, or back."""
        self._control.machine.turned_round = turned

    def mdi(self, line: str) -> Run:
        """One typed line, ready to run. Raises GuardError, NcError."""
        interpreter = self._control.begin_mdi(line)
        return Run(line, self._link.profile, self._control.machine, interpreter)

    def start(self) -> Run:
        """The program that was handed over, ready to run. Raises SecondLookError: an alarm, the door, not homed."""
        return self._link.begin()

    def start_loaded(self, title: str, loaded: Program | str) -> Run:
        """What a person loaded at the control, ready to run. Raises GuardError: an alarm stands, say; NcError."""
        text = loaded if isinstance(loaded, str) else loaded.text
        interpreter = self._control.begin(text, title)
        return Run(loaded, self._link.profile, self._control.machine, interpreter)
