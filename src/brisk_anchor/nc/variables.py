"""The variables of a control: local, common, and those that read the machine. The profile says which is which."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from brisk_anchor.core.kinds import Vector
from brisk_anchor.nc.expressions import ExpressionError, Value
from brisk_anchor.nc.modal import Modal
from brisk_anchor.nc.port import LENGTH, LENGTH_WEAR, RADIUS, RADIUS_WEAR, MachinePort
from brisk_anchor.nc.profile import Profile


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

    def kept(self, profile: Profile) -> dict[int, Value]:
        """The variables that outlast the power too."""
        if profile.variables is None or profile.variables.kept is None:
            return {}
        low, high = profile.variables.kept
        return {number: value for number, value in self.common.items() if low <= number <= high}


class Variables:
    """Reads and writes `#n`. Locals are swapped by the caller as subprograms come and go."""

    def __init__(
        self, profile: Profile, machine: MachinePort, modal: Modal, place: Place, memory: Memory | None = None
    ) -> None:
        self.memory = memory or Memory()
        self.local: dict[int, Value] = {}
        self.named: dict[str, Value] = {}
        self.common = self.memory.common
        self.skipped: Vector | None = None
        """Where the last skip signal came, program mm at that moment: a later change of offset does not move it."""
        self.contact = False
        self._machine = machine
        self._modal = modal
        self._profile = profile
        self._nulls = profile.language == "hash-macro"
        self._last_local = 33 if self._nulls else 30
        self._range = profile.variables.common if profile.variables else (1, 0)
        self._system = self._readers(profile, place)
        self._writers = self._tables(profile)

    def _readers(self, profile: Profile, place: Place) -> dict[int, Callable[[], Value]]:
        machine, modal = self._machine, self._modal
        wide = (2.0, 1.0, 1.0) if profile.input.diameter_x else (1.0, 1.0, 1.0)

        def skip() -> Vector:
            if self.skipped is None:
                raise ExpressionError("no skip move has been made yet, so there is no skip position to read")
            return self.skipped

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
        for name, row in profile.all_rows.items():
            triple(row.read, lambda name=name: machine.offset(name))  # type: ignore[misc]
        if profile.tool is not None:
            readers[profile.tool.in_spindle] = lambda: float(machine.tool_in_spindle)
        if profile.skip.contact_flag is not None:
            readers[profile.skip.contact_flag] = lambda: 1.0 if self.contact else 0.0
        if (timers := profile.timers) is not None:
            readers[timers.milliseconds] = lambda: float(round((machine.clock - self.memory.clock_set) * 1000))
            readers[timers.hours] = lambda: machine.hours
        states: dict[str, Callable[[], float]] = {
            "motion": lambda: modal.motion or 0.0,
            "plane": lambda: float(modal.plane),
            "distance": lambda: 90.0 if modal.absolute else 91.0,
            "feed_mode": lambda: float(modal.feed_mode),
            "units": lambda: 20.0 if modal.inches else 21.0,
            "offset": lambda: float(list(profile.all_rows).index(modal.offset) + 1),
            "feed": lambda: modal.feed / modal.unit,
            "spindle_speed": lambda: modal.spindle_speed,
            "length_number": lambda: float(modal.length),
        }
        readers.update({number: states[name] for name, number in profile.modal_variables.items()})
        return readers

    def _tables(self, profile: Profile) -> dict[int, Callable[[float], None]]:
        """What a program may write beside its own variables: offset rows, tool table, the clock."""
        machine, modal = self._machine, self._modal
        wide = (2.0, 1.0, 1.0) if profile.input.diameter_x else (1.0, 1.0, 1.0)
        writers: dict[int, Callable[[float], None]] = {}

        def row(name: str, i: int, value: float) -> None:
            held, step = list(machine.offset(name)), profile.resolution
            held[i] = round(round(value * modal.unit / wide[i] / step) * step, 9)
            machine.write_offset(name, (held[0], held[1], held[2]))

        def tool(number: int, column: int) -> float:
            try:
                return machine.tool_value(number, column) / modal.unit
            except ValueError as error:
                raise ExpressionError(str(error)) from None

        for name, offset in profile.all_rows.items():
            for i, number in enumerate(offset.read or ()):
                writers[number] = lambda value, name=name, i=i: row(name, i, value)  # type: ignore[misc]
        if (table := profile.tool_table) is not None:
            firsts = (table.length, table.length_wear, table.radius, table.radius_wear)
            for column, first in zip((LENGTH, LENGTH_WEAR, RADIUS, RADIUS_WEAR), firsts, strict=True):
                for n in range(1, table.tools + 1) if first is not None else ():
                    number = (first or 0) + n
                    self._system[number] = lambda n=n, column=column: tool(n, column)  # type: ignore[misc]
                    writers[number] = lambda value, n=n, column=column: machine.write_tool(  # type: ignore[misc]
                        n, column, value * modal.unit
                    )
        if (timers := profile.timers) is not None:
            writers[timers.milliseconds] = self._set_clock
        return writers

    def _set_clock(self, value: float) -> None:
        self.memory.clock_set = self._machine.clock - value / 1000

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
            raise ExpressionError(f"#{number} is no variable this control knows")
        return value if value is not None or self._nulls else 0.0

    def write(self, number: int, value: Value) -> None:
        """Set `#number`. Raises ExpressionError when a program may not."""
        low, high = self._range
        if low <= number <= high:
            self.common[number] = value
        elif 1 <= number <= self._last_local:
            self.local[number] = value
        elif (writer := self._writers.get(number)) is not None:
            if value is None:
                raise ExpressionError(f"#{number} is a table value and cannot be made null")
            writer(value)
        else:
            raise ExpressionError(f"#{number} cannot be written by a program on this control")

    def read_name(self, name: str) -> Value:
        """Value of `#<name>`; those that begin with _ are seen everywhere, the others in their own sub."""
        table = self.memory.names if name.startswith("_") else self.named
        if name not in table:
            raise ExpressionError(f"#<{name.lower()}> has not been set")
        return table[name]

    def write_name(self, name: str, value: Value) -> None:
        """Set `#<name>`."""
        (self.memory.names if name.startswith("_") else self.named)[name] = value
