"""The variables of a control: local, common, and those that read the machine. The profile says which is which."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from brisk_anchor.core.kinds import Vector
from brisk_anchor.nc.expressions import ExpressionError, Value
from brisk_anchor.nc.modal import Modal
from brisk_anchor.nc.port import MachinePort
from brisk_anchor.nc.profile import Profile


class Place(Protocol):
    """What turns machine positions into program positions under the present modal state."""

    def to_program(self, machine: Vector) -> Vector:
        """A machine position in the coordinates the program uses now, mm."""


class Variables:
    """Reads and writes `#n`. Locals are swapped by the caller as subprograms come and go."""

    def __init__(self, profile: Profile, machine: MachinePort, modal: Modal, place: Place) -> None:
        self.local: dict[int, Value] = {}
        self.common: dict[int, Value] = {}
        self.skipped: Vector | None = None
        self.contact = False
        self._machine = machine
        self._modal = modal
        self._system = self._readers(profile, place)

    def _readers(self, profile: Profile, place: Place) -> dict[int, Callable[[], Value]]:
        machine, modal, places = self._machine, self._modal, profile.positions

        def skip(i: int) -> float:
            if self.skipped is None:
                raise ExpressionError("no skip move has been made yet, so there is no skip position to read")
            return place.to_program(self.skipped)[i] / modal.unit

        readers: dict[int, Callable[[], Value]] = {}
        for i in range(3):
            readers[places.machine[i]] = lambda i=i: machine.position[i] / modal.unit  # type: ignore[misc]
            readers[places.work[i]] = lambda i=i: place.to_program(machine.position)[i] / modal.unit  # type: ignore[misc]
            readers[places.skip[i]] = lambda i=i: skip(i)  # type: ignore[misc]
            for name, row in profile.all_rows.items():
                readers[row.read[i]] = lambda i=i, name=name: machine.offset(name)[i] / modal.unit  # type: ignore[misc]
        readers[profile.tool.in_spindle] = lambda: float(machine.tool_in_spindle)
        if profile.skip.contact_flag is not None:
            readers[profile.skip.contact_flag] = lambda: 1.0 if self.contact else 0.0
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

    def read(self, number: int) -> Value:
        """Value of `#number`; None when null. Raises ExpressionError when there is none of that number."""
        if number == 0:
            return None
        if 1 <= number <= 33:
            return self.local.get(number)
        if 100 <= number <= 999:
            return self.common.get(number)
        reader = self._system.get(number)
        if reader is None:
            raise ExpressionError(f"#{number} is no variable this control knows")
        return reader()

    def write(self, number: int, value: Value) -> None:
        """Set `#number`. Raises ExpressionError when a program may not."""
        if 1 <= number <= 33:
            self.local[number] = value
        elif 100 <= number <= 999:
            self.common[number] = value
        else:
            raise ExpressionError(f"#{number} cannot be written by a program on this control")
