"""The variables of a control: local, common, and those that read the machine. The profile says which is which."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from brisk_anchor.core.kinds import Vector
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.read.expressions import ExpressionError, Value
from brisk_anchor.nc.read.modal import Modal
from brisk_anchor.nc.read.port import MachinePort, TurningPort


class Place(Protocol):
    """What turns machine positions into program positions under the present modal state."""

    def to_program(self, machine: Vector) -> Vector:
        """A machine position in the coordinates the program uses now, mm."""


class Memory:
    """What outlasts a program on a control: common variables, global names, and a main program's own in RS-274/NGC."""

    def __init__(self, common: dict[int, Value] | None = None) -> None:
        self.common: dict[int, Value] = dict(common or {})
        self.names: dict[str, Value] = {}
        self.first: dict[int, Value] = {}
        self.clock_set = 0.0
        self.skipped: Vector | None = None
        """Where the last skip signal came, mm, in the frame of `skip.frame` at that moment: no later change of offset
        moves it."""
        self.contact = False
        self.called: int | None = None
        """The tool that was last called, None since power came on."""

    def kept(self, profile: Profile) -> dict[int, Value]:
        """The variables that outlast the power too."""
        if profile.variables is None or profile.variables.kept is None:
            return {}
        low, high = profile.variables.kept
        return {number: value for number, value in self.common.items() if low <= number <= high}


def active_row(profile: Profile, name: str) -> float:
    """What the variable of the active row reads: its number from 1, or its code (54.1 for all extended ones)."""
    if profile.input.active_row_reads == "number":
        return float(list(profile.all_rows).index(name) + 1)
    return float(profile.all_rows[name].select.split()[0][1:])


class Variables:
    """Reads and writes `#n`. Locals are swapped by the caller as subprograms come and go."""

    def __init__(
        self, profile: Profile, machine: MachinePort, modal: Modal, place: Place, memory: Memory | None = None
    ) -> None:
        self.memory = memory or Memory()
        self.local: dict[int, Value] = {}
        self.named: dict[str, Value] = {}
        self.common = self.memory.common
        self._machine = machine
        self._modal = modal
        self._profile = profile
        self._nulls = profile.speaks.null_values
        self._last_local = 33 if self._nulls else 30
        self._range = profile.variables.common if profile.variables else (1, 0)
        self._wide = (2.0, 1.0, 1.0) if profile.input.diameter_x else (1.0, 1.0, 1.0)
        self._row_wide = self._wide
        if (lathe := profile.lathe) is not None:
            self._wide = lathe.program.of_radius("x"), 1.0, lathe.program.of_radius("z")
            self._row_wide = lathe.work_offset.of_radius("x"), 1.0, lathe.work_offset.of_radius("z")
        self._system = self._readers(profile, place)

    def _readers(self, profile: Profile, place: Place) -> dict[int, Callable[[], Value]]:
        machine, modal, wide = self._machine, self._modal, self._wide

        def skip() -> Vector:
            if self.memory.skipped is None and profile.skip.after_miss != "end position":
                return 0.0, 0.0, 0.0  # what no signal ever wrote is nothing
            if self.memory.skipped is None:
                raise ExpressionError("no skip move has been made yet, so there is no skip position to read")
            return self.memory.skipped

        def set_shift() -> Vector:
            x, y, z = modal.set_shift
            return x, y, z

        readers: dict[int, Callable[[], Value]] = {}

        def triple(numbers: tuple[int, int, int] | None, source: Callable[[], Vector]) -> None:
            for i, number in enumerate(numbers or ()):
                readers[number] = lambda i=i: source()[i] * wide[i] / modal.unit  # type: ignore[misc]

        if (places := profile.positions) is not None:
            triple(places.machine, lambda: machine.position)
            triple(places.work, lambda: place.to_program(machine.position))
            triple(places.block_end, lambda: place.to_program(machine.position))
            triple(places.skip, skip)
            triple(places.set_shift, set_shift)
        triple(profile.reference.first_read, lambda: machine.home)
        triple(profile.reference.second_read, lambda: profile.second_reference)
        if profile.tool is not None:
            called = profile.tool.holds == "last tool called"
            readers[profile.tool.variable] = lambda: float(
                self.memory.called if called and self.memory.called is not None else machine.tool_in_spindle
            )
        if profile.skip.contact_flag is not None:
            readers[profile.skip.contact_flag] = lambda: 1.0 if self.memory.contact else 0.0
        if (timers := profile.timers) is not None:
            readers[timers.milliseconds] = lambda: float(round((machine.clock - self.memory.clock_set) * 1000))
            readers[timers.hours] = lambda: machine.hours
        states: dict[str, Callable[[], float]] = {
            "motion": lambda: modal.motion or 0.0,
            "plane": lambda: float(modal.plane),
            "distance": lambda: 90.0 if modal.absolute else 91.0,
            "feed_mode": lambda: float(modal.feed_mode),
            "units": lambda: 20.0 if modal.inches else 21.0,
            "offset": lambda: active_row(profile, modal.offset),
            "feed": lambda: modal.feed / modal.unit,
            "spindle_speed": lambda: modal.spindle_speed,
            "length_number": lambda: float(modal.length),
        }
        readers.update({number: states[name] for name, number in profile.modal_variables.items()})
        return readers

    def _read_table(self, number: int) -> Value:
        """A figure of an offset row or of the tool table. Raises ExpressionError when `number` is of neither."""
        if (place := self._profile.row_variables.get(number)) is not None:
            row, i = place
            return self._machine.offset(row)[i] * self._row_wide[i] / self._modal.unit
        if (turned := self._profile.rotation_variables.get(number)) is not None:
            return self._machine.angle_offset(turned).get("R", 0.0)
        if (entry := self._profile.tool_variable(number)) is not None:
            try:
                return self._machine.tool_value(*entry) / self._modal.unit
            except ValueError as error:
                raise ExpressionError(str(error)) from None
        if (place_of := self._profile.turning_variables.get(number)) is not None:
            return self._turning(place_of) / self._modal.unit
        raise ExpressionError(f"#{number} is no variable this control knows")

    def _turning(self, place: tuple[int, str, str]) -> float:
        """Return a value of a lathe's tool table, in the table's own form.

        Raises:
            ExpressionError: the machine is no lathe.
        """
        row, name, axis = place
        lathe, machine = self._profile.lathe, self._machine
        table = lathe.table(name) if lathe is not None else None
        if table is None or not isinstance(machine, TurningPort):
            raise ExpressionError("this machine is no lathe")
        return machine.turning_value(row, name, axis) * table.of_radius(axis)

    def _write_turning(self, place: tuple[int, str, str], length: float) -> None:
        row, name, axis = place
        lathe, machine, step = self._profile.lathe, self._machine, self._profile.resolution
        table = lathe.table(name) if lathe is not None else None
        if table is None or not isinstance(machine, TurningPort):
            raise ExpressionError("this machine is no lathe")
        machine.write_turning(row, name, axis, round(round(length / step) * step, 9) / table.of_radius(axis))

    def _write_table(self, number: int, value: Value) -> None:
        """Set a figure of an offset row of the tool table, or the clock. Raises ExpressionError for what is none."""
        timers = self._profile.timers
        place, entry = self._profile.row_variables.get(number), self._profile.tool_variable(number)
        tool, turned = self._profile.turning_variables.get(number), self._profile.rotation_variables.get(number)
        known = place or entry or tool or turned
        if known is None and (timers is None or number != timers.milliseconds):
            raise ExpressionError(f"#{number} cannot be written by a program on this control")
        if value is None:
            raise ExpressionError(f"#{number} is a table value and cannot be made null")
        length = value * self._modal.unit
        if turned is not None:
            self._machine.write_angle_offset(turned, "R", round(value, 9))
        elif tool is not None:
            self._write_turning(tool, length)
        elif place is not None:
            row, i = place
            held, step = list(self._machine.offset(row)), self._profile.resolution
            held[i] = self._held(length, i, step)
            self._machine.write_offset(row, (held[0], held[1], held[2]))
        elif entry is not None:
            self._machine.write_tool(*entry, length)
        else:
            self.memory.clock_set = self._machine.clock - value / 1000

    def _held(self, length: float, axis: int, step: float) -> float:
        """A figure for a row as the control holds it, mm, X a radius: rounded as it stands in the table."""
        if self._profile.lathe is None:
            return round(round(length / self._row_wide[axis] / step) * step, 9)
        return round(round(length / step) * step, 9) / self._row_wide[axis]

    def read(self, number: int) -> Value:
        """Value of `#number`; None when null. Raises ExpressionError when there is none of that number."""
        low, high = self._range
        if low <= number <= high:
            value = self.common.get(number)
        elif 1 <= number <= self._last_local:
            value = self.local.get(number)
        elif number == 0 and self._nulls:
            return None
        elif (reader := self._system.get(number)) is not None:
            return reader()
        else:
            return self._read_table(number)
        return value if value is not None or self._nulls else 0.0

    def write(self, number: int, value: Value) -> None:
        """Set `#number`. Raises ExpressionError when a program may not."""
        low, high = self._range
        if low <= number <= high:
            self.common[number] = value
        elif 1 <= number <= self._last_local:
            self.local[number] = value
        else:
            self._write_table(number, value)

    def read_name(self, name: str) -> Value:
        """Value of `#<name>`; those that begin with _ are seen everywhere, the others in their own sub.

        Raises ExpressionError.
        """
        table = self.memory.names if name.startswith("_") else self.named
        if name not in table:
            raise ExpressionError(f"#<{name.lower()}> has not been set")
        return table[name]

    def write_name(self, name: str, value: Value) -> None:
        """Set `#<name>`."""
        (self.memory.names if name.startswith("_") else self.named)[name] = value
