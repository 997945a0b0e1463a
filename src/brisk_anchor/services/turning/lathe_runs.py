"""A program on the virtual lathe, from its start to its end."""

from __future__ import annotations

from brisk_anchor.core.turning.setup import Pair
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.services.machine.runs import failure_of
from brisk_anchor.standin.lathe import LatheStandIn


def run_through(program: Program, profile: Profile, machine: LatheStandIn) -> list[Pair]:
    """Run a program, its stops for a person passed over; where the tip stood at each of them, X a diameter.

    Raises:
        RunStopped: it ended in an alarm. MachineError: a crash, the end of a travel.
    """
    interpreter = Interpreter(program.text, profile, machine)
    stood = []
    while interpreter.run() is Status.STOPPED:
        stood.append(machine.tip())
    if (failure := failure_of(interpreter, program)) is not None:
        raise failure
    return stood
