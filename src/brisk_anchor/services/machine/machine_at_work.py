"""At the machine: its control, moves by hand, programs put on it, and how it is left."""

from __future__ import annotations

from collections.abc import Callable

from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.machine.machine_file import MachineFile
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.standin.control import Control
from brisk_anchor.standin.machine import StandIn


class MachineAtWork:
    """A machine with its control and the file that keeps how it stands."""

    def __init__(
        self, machine: StandIn, profile: Profile, machine_file: MachineFile, known: Callable[[], tuple[int, str]]
    ) -> None:
        """`known` gives the newest entry of the book that is known, by its id there and its own."""
        self.machine = machine
        self.profile = profile
        self.control = Control(machine, profile)
        self.machine_file = machine_file
        self._known = known

    def save(self) -> None:
        """Note how the machine stands now."""
        self.control.settle()
        self.machine_file.save(self.control, self._known())

    def jog(self, axis: str, distance: float) -> str:
        """Move the tip by hand along one axis, the probe watching; returns what was met, "" for nothing.

        Raises:
            MachineError: outside the travels, a crash, or the control is not ready for it.
        """
        self.control.reset()
        met = self.control.jog(axis, distance)
        self.save()
        return met

    def home(self) -> None:
        """Send every axis home. Raises MachineError when something is in the way, or the door is open."""
        self.control.reset()
        self.control.go_home()
        self.save()

    def start(self, program: Program) -> Run:
        """Put a program on the stand-in's control, ready to run.

        Raises:
            GuardError: the machine is not homed, or its door is open.
        """
        self.control.reset()
        interpreter = self.control.begin(program.text, f"O{program.number:04d} {program.title}")
        return Run(program, self.profile, self.machine, interpreter)
