"""A program running on a stand-in, block by block, so that a screen can follow it and stop it."""

from __future__ import annotations

from brisk_anchor.core.errors import BriskAnchorError, MachineError
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.read.interpreter import ControlAlarm, Interpreter, Status
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.standin.machine import StandIn
from brisk_anchor.standin.motion import Motion

_ADVICE = {
    101: ("The search met nothing", "Look where the tip is; bring it nearer or search further"),
    102: ("Something is in the way of a guarded move", "Look for it; raise the clear height or move the start"),
    103: ("The ball touched before it moved", "Take the tip off the metal; check that the probe is at rest"),
    104: ("The size guard stopped the program; nothing was stored", "Check which feature was touched"),
    105: ("The jump guard stopped the program; nothing was stored", "Check part, drawing figure and stylus"),
    106: ("The table does not hold what was written", "Check that the table is not locked"),
    108: ("What stands on top of all rows would shift it", "Clear the common shift, or G52 and G92, then start again"),
    109: ("The part lies turned further than is believed; nothing was stored", "Look how it lies in its fixture"),
    110: ("A check on the way failed; what was measured after it stands, nothing was stored", "Look at the report"),
    111: (
        "The tool is broken, or sits in another way than when it was measured",
        "Look at it; measure its length again",
    ),
    112: ("A tool would have been brought back into the work", "Let the operation end above it, at the clear height"),
    113: ("The feature was cut twice and is still not in size", "Look at the tool and its figures"),
    114: ("More was cut off than the drawing allows", "The part is scrap, or the tolerance is another"),
    115: (
        "The ball met an edge, or the wall leans: the upper edge lies lower than the depth allows for",
        "Measure the top first, go deeper, or look how the part lies",
    ),
    117: ("The part does not lie where its place has it", "Look how it is clamped there, and measure again"),
    116: ("The tool is marked as broken or gone", "Measure a whole one on the shelf: that takes the mark off"),
    118: ("A table does not hold what this was worked out with", "Look at the tables; work it out again"),
    122: (
        "Positions count by distances (G91) where the measuring begins, and what is cut next does not say G90",
        "Say G90 there, or at the end of what is called before",
    ),
    119: (
        "Another offset is active than the program could bring back after the measuring",
        "Select it in figures before the measuring, or put the measuring elsewhere",
    ),
    120: ("What the line names is not in its limits", "Look at the part, and at the figure in the report"),
    121: ("It is further off than a wear may answer", "Look at the tool: a person decides"),
    107: ("Another tool is in the spindle", "Put the probe in, or write the program for the tool that is there"),
}


class RunStopped(BriskAnchorError):
    """The program ended in an alarm or was stopped: what, where and what to do."""

    exit_code = 4


@dataclass(frozen=True, slots=True)
class Stride:
    """What one block did: its line, the moves it made, the lines it printed."""

    line: int
    source: str
    motions: tuple[Motion, ...]
    printed: tuple[str, ...]


def table_values(machine: StandIn, memory: Memory, profile: Profile, row: str) -> dict[str, float]:
    """What stands in the offset table of a stand-in, a twin say: mm, and the angle of the row, degrees."""
    values = dict(zip(AXES, machine.offset(row), strict=True))
    if profile.row(row).rotation is not None:
        values["r"] = machine.angle_offset(row).get("R", 0.0)
    elif (number := profile.angle_of(row)) is not None:
        values["r"] = memory.common.get(number) or 0.0
    return values


class Run:
    """One program on one machine. `stride` runs a block; nothing runs by itself."""

    def __init__(
        self, program: Program | str, profile: Profile, machine: StandIn, interpreter: Interpreter | None = None
    ) -> None:
        """A program of ours or a text, scanned here unless a control has made its `interpreter` ready.

        Raises:
            NcError: when a line is not understood.
        """
        self.machine = machine
        self.profile = profile
        self.program = program if isinstance(program, Program) else None
        text = program.text if isinstance(program, Program) else program
        self.interpreter = interpreter or Interpreter(text, profile, machine)
        self.interpreter.called = self.program is not None and self.program.returns
        self._motions = len(machine.motions)
        self._printed = 0
        self.stopped = False

    @property
    def over(self) -> bool:
        """Whether there is nothing more to run."""
        return self.stopped or self.interpreter.status in (Status.ENDED, Status.ALARM)

    @property
    def ended_well(self) -> bool:
        """Whether the program came to its end."""
        return not self.stopped and self.interpreter.status is Status.ENDED

    @property
    def printed(self) -> list[str]:
        """Everything printed so far; a control that prints nothing gives its report from its variables at the end."""
        if self.program is not None and self.program.results and self.ended_well:
            return self.program.report(self._variable)
        return self.interpreter.printed

    def _variable(self, number: int) -> float:
        return self.interpreter.variables.read(number) or 0.0

    def stride(self) -> Stride:
        """Run one block and tell what it did."""
        self.interpreter.step()
        block = self.interpreter.block
        motions = tuple(self.machine.motions[self._motions :])
        printed = tuple(self.interpreter.printed[self._printed :])
        self._motions, self._printed = len(self.machine.motions), len(self.interpreter.printed)
        return Stride(block.line if block else 0, block.source if block else "", motions, printed)

    def to_end(self) -> None:
        """Run to the end, a stop or an alarm."""
        self.interpreter.run()
        self._motions, self._printed = len(self.machine.motions), len(self.interpreter.printed)

    def table_values(self, row: str) -> dict[str, float]:
        """What it has left in a row of the offset table so far: mm, and the angle of the row, degrees."""
        return table_values(self.machine, self.interpreter.memory, self.profile, row)

    def stop(self, motion: Motion | None = None, share: float = 1.0) -> None:
        """Stop for good, within `motion` after `share` of it."""
        if motion is not None:
            self.machine.hold(motion, share)
        self.stopped = True
        self.interpreter.reset()

    def failure(self) -> BriskAnchorError | None:
        """Why it did not end well, None when it did or still runs."""
        alarm = self.interpreter.alarm
        if self.stopped or (alarm is not None and alarm.number == ControlAlarm.RESET):
            return RunStopped("The run was stopped by hand", "Nothing was stored", "Start again when all is clear")
        return failure_of(self.interpreter, self.program)


def failure_of(interpreter: Interpreter, program: Program | None) -> BriskAnchorError | None:
    """Why a program did not end well on its control, None when it did or still runs; one of ours says more."""
    alarm = interpreter.alarm
    if alarm is None:
        if interpreter.status is Status.STOPPED:
            return RunStopped("The program stopped and waits", "", "Go on when you have looked")
        return None
    if alarm.error is not None:
        if isinstance(alarm.error, MachineError):
            return alarm.error
        guard = interpreter.block.comment if interpreter.block else ""
        if alarm.number == ControlAlarm.BLOCK and guard and program is not None:
            # Without words of its own for alarms, a program says in the comment which guard stopped it.
            return RunStopped(
                f"The guard in line {alarm.line} stopped the program: {guard}",
                f"The control's words are: {alarm.text}; nothing after that line was done",
                "Look at the tip and the part, then start again",
            )
        return RunStopped(f"Alarm {alarm.number} in line {alarm.line}: {alarm.text}", alarm.error.meaning, "")
    meaning, remedy = _ADVICE.get(alarm.number, ("The program raised this alarm itself", "Read its comment"))
    return RunStopped(f"Alarm {alarm.number} in line {alarm.line}: {alarm.text}", meaning, remedy)
