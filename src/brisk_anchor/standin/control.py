"""The control of the stand-in: modes, home state, door, holds, programs, MDI, jog, memory and the history of its runs.

Nothing moves by hand or by program but through it, and it refuses what a control refuses.
"""

from __future__ import annotations

import math
from dataclasses import field
from enum import Enum

from brisk_anchor.core.errors import GuardError, MachineError
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.read.interpreter import Alarm, ControlAlarm, Interpreter, Status
from brisk_anchor.nc.read.modal import Modal
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.standin.machine import StandIn

JOG_FEED = 600.0
"""Feed of a jog with the probe in the spindle, mm/min: slow enough to stop inside the stylus's over-travel."""
JOG_BACK_OFF = 1.0
LONGEST_HISTORY = 200
_NEVER_RUN = "M0"
"""The text of the interpreter that only reads."""


class Mode(Enum):
    """How the machine is worked just now."""

    JOG = "jog"
    HANDLE = "handle"
    MDI = "MDI"
    AUTO = "automatic"


class Switch(Enum):
    """What the operator switches on and off."""

    SINGLE_BLOCK = "single block"
    OPTIONAL_STOP = "optional stop"
    BLOCK_DELETE = "block delete"
    DOOR = "door"


@dataclass(frozen=True, slots=True)
class RunNote:
    """One run of the past: program, how it ended, blocks, machine time."""

    title: str
    ended: str
    blocks: int
    seconds: float


@dataclass(slots=True)
class Control:
    """A control on a machine. `homed` and `door_open` are the machine's; the switches are the operator's."""

    machine: StandIn
    profile: Profile
    memory: Memory = field(default_factory=Memory)
    mode: Mode = Mode.JOG
    homed: bool = True
    door_open: bool = False
    single_block: bool = False
    optional_stop: bool = False
    block_delete: bool = False
    modal: Modal = field(init=False)
    running: Interpreter | None = None
    title: str = ""
    alarm: Alarm | None = None
    history: list[RunNote] = field(default_factory=list)
    _begun: float = 0.0
    _idle: Interpreter | None = None

    def __post_init__(self) -> None:
        self.modal = Modal(offset=next(iter(self.profile.offsets)))

    # -- state -------------------------------------------------------------------------------------------------

    @property
    def busy(self) -> bool:
        """Whether a program is under way, held ones included."""
        return self.running is not None and self.running.status in (Status.READY, Status.RUNNING, Status.STOPPED)

    @property
    def active_row(self) -> str:
        """The row of the offset table that is in force now."""
        return (self.running.modal if self.running is not None else self.modal).offset

    @property
    def reader(self) -> Interpreter:
        """What reads variables and positions now: the program under way, else the modal state of typed lines."""
        if self.running is not None:
            return self.running
        if self._idle is None or self._idle.modal is not self.modal or self._idle.memory is not self.memory:
            self._idle = Interpreter(
                _NEVER_RUN, self.profile, self.machine, self.memory, modal=self.modal, open_ended=True
            )
        return self._idle

    def settle(self) -> None:
        """Enter the last run in the history once it is over, and show its alarm."""
        interpreter = self.running
        if interpreter is None or self.busy:
            return
        self.running = None
        if interpreter.modal is not self.modal:
            self.modal = Modal(offset=interpreter.modal.offset)  # the rest is back as at power on; the row stays
        ended = "end"
        if interpreter.alarm is not None:
            if interpreter.alarm.number != ControlAlarm.RESET:
                self.alarm = interpreter.alarm
            ended = f"alarm {int(interpreter.alarm.number)}: {interpreter.alarm.text}"
        note = RunNote(self.title, ended, interpreter.blocks_run, self.machine.seconds - self._begun)
        self.history.append(note)
        del self.history[:-LONGEST_HISTORY]

    def reset(self) -> None:
        """Give up the program under way, clear the alarm, bring the modal state back to that of power on."""
        if self.running is not None:
            self.running.reset()
            self.settle()
        self.alarm = None
        self.machine.spindle = 5
        self.modal = Modal(offset=self.modal.offset)

    def power_off_and_on(self) -> None:
        """What outlasts it: tables, kept variables, the tool in the spindle. The home position is lost."""
        self.reset()
        self.homed = False
        self.memory = Memory(self.memory.kept(self.profile))
        self.memory.clock_set = self.machine.clock
        self.modal = Modal(offset=next(iter(self.profile.offsets)))
        self.mode = Mode.JOG

    def choose(self, mode: Mode) -> None:
        """Turn the mode switch. Raises GuardError while a program runs."""
        self._free("the mode cannot be changed")
        self.mode = mode

    def open_door(self, *, opened: bool) -> None:
        """Open or close the door. Raises GuardError while a program runs: the door is locked then."""
        self._free("the door is locked")
        self.door_open = opened

    def turn(self, switch: Switch) -> None:
        """Turn a switch over. Raises GuardError: the door is locked while a program runs."""
        match switch:
            case Switch.SINGLE_BLOCK:
                self.single_block = not self.single_block
            case Switch.OPTIONAL_STOP:
                self.optional_stop = not self.optional_stop
            case Switch.BLOCK_DELETE:
                self.block_delete = not self.block_delete
            case Switch.DOOR:
                self.open_door(opened=not self.door_open)

    def _free(self, so: str) -> None:
        self.settle()
        if self.busy:
            raise GuardError(f"A program is under way: {so}", "Nothing was changed", "Reset, or let it end")

    def _ready(self, what: str) -> None:
        """Raises GuardError unless power moves are allowed now."""
        self._free(f"{what} cannot begin")
        if self.alarm is not None:
            raise GuardError(
                f"Alarm {int(self.alarm.number)} stands: {self.alarm.text}", f"{what} cannot begin", "Reset first"
            )
        if self.door_open:
            raise GuardError("The door is open", f"{what} cannot begin", "Close the door")

    # -- home and hand -------------------------------------------------------------------------------------------

    def go_home(self) -> None:
        """Reference every axis: the tool's axis first. Raises GuardError, MachineError."""
        self._ready("Homing")
        self.machine.go_home()
        self.homed = True

    def jog(self, axis: str, distance: float) -> str:
        """Move the tool by hand along one axis, the probe watching; returns what was met, "" for nothing.

        After contact the tip backs off, so that the next move is free. In handle mode a click comes here too.

        Raises:
            TravelError: the target lies outside the travels. CrashError: something other than the ball touched.
            GuardError: a program is under way, an alarm stands, or the door is open.
        """
        self._ready("A move by hand")
        machine = self.machine
        start = machine.position
        if axis.upper() in machine.angles:
            machine.rapid(start, 0, {axis.upper(): machine.angles[axis.upper()] + distance})
            return ""
        i = AXES.index(axis)
        target = _stepped(start, i, distance)
        if (place := machine.setter_on_the_way(target)) is not None:
            machine.feed(place[0], JOG_FEED, 0)
            return place[1]
        if not machine.tool.is_probe or machine.touching:
            # No probe watches; or it signals already, so only a move that comes off the metal gets anywhere.
            machine.feed(target, JOG_FEED, 0)
            return ""
        result = machine.skip(target, JOG_FEED, 0)
        met = machine.motions[-1].solid if result.contact else ""
        if met:
            room = abs(result.latched[i] - start[i])
            back = result.latched[i] - math.copysign(min(JOG_BACK_OFF, room), distance)
            machine.feed(_stepped(machine.position, i, back - machine.position[i]), JOG_FEED, 0)
        return met

    # -- programs ------------------------------------------------------------------------------------------------

    def begin(self, text: str, title: str) -> Interpreter:
        """Load a program and make it ready to run in automatic.

        Raises:
            GuardError: not homed, door open, an alarm stands, or a program is under way. NcError: a line is refused.
        """
        self._ready("A program")
        if not self.homed:
            raise GuardError(
                "The machine has not been homed since power came on",
                "It does not know where it is, so no program may run",
                "Send it home first",
            )
        modal = Modal(offset=self.modal.offset)
        interpreter = Interpreter(text, self.profile, self.machine, self.memory, modal=modal)
        self.mode = Mode.AUTO
        return self._take(interpreter, title)

    def begin_mdi(self, line: str) -> Interpreter:
        """Make one typed line ready to run; modal state and offset stay in force from line to line.

        Raises:
            GuardError, NcError: as for a program; before homing only lines that name no axis are taken.
        """
        self._ready("A typed line")
        if "\n" in line or not line.strip():
            raise GuardError("MDI takes one line", "Nothing was run", "Type a line")
        interpreter = Interpreter(line, self.profile, self.machine, self.memory, modal=self.modal, open_ended=True)
        if not self.homed and any(
            letter in "XYZABCUVW"
            for block in interpreter.routines[0].blocks
            for letter, *_ in getattr(block.statement, "words", ())
        ):
            raise GuardError(
                "The machine has not been homed since power came on", "It does not know where it is", "Send it home"
            )
        self.mode = Mode.MDI
        return self._take(interpreter, line)

    def _take(self, interpreter: Interpreter, title: str) -> Interpreter:
        interpreter.optional_stop, interpreter.block_delete = self.optional_stop, self.block_delete
        self.running, self.title, self._begun = interpreter, title, self.machine.seconds
        return interpreter

    def raise_alarm(self, error: MachineError) -> None:
        """Show an alarm of a move by hand; what is refused while the machine is not ready is none: nothing moved."""
        if isinstance(error, GuardError):
            return
        self.alarm = Alarm(0, error.number, error.what, error)


def _stepped(place: Vector, axis: int, distance: float) -> Vector:
    x, y, z = (value + distance if i == axis else value for i, value in enumerate(place))
    return x, y, z
