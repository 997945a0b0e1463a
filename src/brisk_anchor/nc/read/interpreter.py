"""Runs NC text on a machine, one block at a time, as a control does. What it does not know it refuses.

A program is scanned whole before the first block runs, so a misprint in the last line moves nothing. One that is too
long for that is read twice as a stream: once to look for misprints, once to run; its main program then runs straight
through.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import field
from enum import Enum, IntEnum

from brisk_anchor.core.errors import BriskAnchorError, MachineError, NcError
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.read.blocks import BlockRunner
from brisk_anchor.nc.read.expressions import ExpressionError, Value, variable_number
from brisk_anchor.nc.read.modal import Modal
from brisk_anchor.nc.read.port import MachinePort
from brisk_anchor.nc.read.scanner import scan_program, streamed_blocks, survey
from brisk_anchor.nc.read.statements import Assign, Block, Branch, Flow, Loop, PrintLine, PrintPort, Routine, WordBlock
from brisk_anchor.nc.read.variables import Memory, Variables

BLOCK_LIMIT = 200_000
_CALL_LIMIT = 4
_NGC_CALL_LIMIT = 10
_MOST_REPEATS = 9999
_ARGUMENTS = dict(
    zip(
        "ABCIJKDEFHMQRSTUVWXYZ",
        (1, 2, 3, 4, 5, 6, 7, 8, 9, 11, 13, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26),
        strict=True,
    )
)


class Status(Enum):
    """How a run stands."""

    READY = "ready"
    RUNNING = "running"
    STOPPED = "stopped"
    ENDED = "ended"
    ALARM = "alarm"


class ControlAlarm(IntEnum):
    """The control's own alarm numbers; those of the machine stand with its errors, those of programs in `steps.py`."""

    NO_END = 1
    ENDLESS = 2
    BLOCK = 3
    RESET = 4


@dataclass(frozen=True, slots=True)
class Alarm:
    """An alarm: the control's own, one raised by the program, or the machine's."""

    line: int
    number: int
    text: str
    error: BriskAnchorError | None = None


@dataclass(slots=True)
class _Call:
    """One running routine: its place, local variables and how often it is still to be repeated."""

    routine: Routine
    at: int = 0
    local: dict[int, Value] = field(default_factory=dict)
    named: dict[str, Value] = field(default_factory=dict)
    left: int = 0
    first: dict[int, Value] | None = None
    rounds: dict[int, int] = field(default_factory=dict)
    """Index of an o-word repeat → how often it still goes round."""
    stream: Iterator[Block] | None = None

    def fetch(self) -> Block | None:
        """The next block, None behind the last."""
        if self.stream is not None:
            return next(self.stream, None)
        if self.at >= len(self.routine.blocks):
            return None
        block = self.routine.blocks[self.at]
        self.at += 1
        return block


class Interpreter:
    """One program on one machine. `step` runs a block; `run` runs to the end."""

    def __init__(
        self,
        text: str,
        profile: Profile,
        machine: MachinePort,
        memory: Memory | None = None,
        *,
        modal: Modal | None = None,
        open_ended: bool = False,
    ) -> None:
        """Scan the program; `memory` and `modal` are what the control holds from the programs before.

        An `open_ended` text, a typed line, needs no end of program.

        Raises:
            NcError: when any line is not understood.
        """
        self._begin(scan_program(text, profile), profile, machine, memory, modal)
        self._open_ended = open_ended

    @classmethod
    def scanned(
        cls, routines: list[Routine], profile: Profile, machine: MachinePort, memory: Memory | None = None
    ) -> Interpreter:
        """A program that was scanned before: for one that is run many times."""
        self = cls.__new__(cls)
        self._begin(routines, profile, machine, memory)
        return self

    @classmethod
    def streamed(
        cls, lines: Callable[[], Iterable[str]], profile: Profile, machine: MachinePort, memory: Memory | None = None
    ) -> Interpreter:
        """A program of any length, in flat memory. `lines` gives its lines from the first each time it is called.

        Raises:
            NcError: when any line is not understood, or the main program does not run straight through.
        """
        self = cls.__new__(cls)
        self._begin([Routine(None), *survey(lines(), profile)], profile, machine, memory)
        self.calls[0].stream = streamed_blocks(lines(), profile)
        return self

    def _begin(
        self,
        routines: list[Routine],
        profile: Profile,
        machine: MachinePort,
        memory: Memory | None,
        modal: Modal | None = None,
    ) -> None:
        self.profile = profile
        self.machine = machine
        self.routines = routines
        self.memory = memory or Memory()
        first = self.memory.first if profile.speaks.main_locals_kept else {}
        self.calls = [_Call(self.routines[0], local=first)]
        self.modal = modal or Modal(offset=next(iter(profile.offsets)))
        self._open_ended = False
        self.runner = BlockRunner(profile, machine, self.modal)
        self.variables = Variables(profile, machine, self.modal, self.runner, self.memory)
        self._swap(self.calls[0])
        self.block_delete = False
        self.optional_stop = False
        self.called = False
        """Whether some other program calls the main one, so that M99 ends it."""
        self.printed: list[str] = []
        self.printer_open = False
        self.status = Status.READY
        self.alarm: Alarm | None = None
        self.message = ""
        self.block: Block | None = None
        self.blocks_run = 0
        self._counted_from = 0
        self._numbers = profile.alarm
        self._straight = not profile.speaks.subprograms

    @property
    def is_stream(self) -> bool:
        """Whether the main program is read as it runs, and so ends where the file does."""
        return self.calls[0].stream is not None

    def _swap(self, call: _Call) -> None:
        self.variables.local, self.variables.named = call.local, call.named

    @property
    def common(self) -> dict[int, Value]:
        """The common variables."""
        return self.variables.common

    # -- running -----------------------------------------------------------------------------------------------

    def run(self, limit: int = BLOCK_LIMIT) -> Status:
        """Run until the end, a stop or an alarm; more than `limit` blocks is an alarm.

        In a stream, which runs straight through, the blocks of subprograms are counted from one of its own to the next.
        """
        while self.step(limit):
            pass
        return self.status

    def step(self, limit: int = BLOCK_LIMIT) -> bool:
        """Run one block. Returns False when there is nothing more to run."""
        if self.status in (Status.ENDED, Status.ALARM):
            return False
        self.status = Status.RUNNING
        try:
            block = self.calls[-1].fetch()
        except NcError as error:
            self.status, self.alarm = Status.ALARM, Alarm(error.line, ControlAlarm.BLOCK, error.reason, error)
            return False
        if block is None:
            if self._open_ended and len(self.calls) == 1:
                self.status = Status.ENDED
            elif self.block is not None:
                self._raise(self.block, ControlAlarm.NO_END, "the program ends without M2, M30 or M99")
            return False
        self.block = block
        self.blocks_run += 1
        if self.calls[-1].stream is not None:
            self._counted_from = self.blocks_run
        if self.blocks_run - self._counted_from > limit:
            reason = f"more than {limit} blocks have run: the program goes round in circles"
            self._raise(block, ControlAlarm.ENDLESS, reason)
            return False
        try:
            self._execute(block)
        except ExpressionError as error:
            self._raise(block, ControlAlarm.BLOCK, str(error))
        except MachineError as error:
            self.status, self.alarm = Status.ALARM, Alarm(block.line, error.number, error.what, error)
        return self.status is Status.RUNNING

    def reset(self) -> None:
        """Give the program up where it stands."""
        if self.status not in (Status.ENDED, Status.ALARM):
            line = self.block.line if self.block else 0
            self.status, self.alarm = Status.ALARM, Alarm(line, ControlAlarm.RESET, "reset by hand")

    def _raise(self, block: Block, number: int, reason: str) -> None:
        self.status = Status.ALARM
        self.alarm = Alarm(block.line, number, reason, NcError(block.line, block.source, reason))

    def _execute(self, block: Block) -> None:
        if block.optional and self.block_delete:
            return
        store = self.variables
        match block.statement:
            case None:
                pass
            case WordBlock(words, sets):
                values = [(a, value, whole) for a, get, whole in words if (value := get(store)) is not None]
                if sets:
                    for assign, value in [(assign, assign.value(store)) for assign in sets]:
                        self._set(assign, value, block)
                if values:
                    self._words(values, block)
            case Flow():
                self._flow(block.statement)
            case Assign():
                self._assign(block.statement, block)
            case Branch(condition, target, then):
                if condition is None or condition(store):
                    if target is not None:
                        self._goto(variable_number(target(store)))
                    elif then is not None:
                        self._assign(then, block)
            case Loop():
                self._loop(block.statement)
            case PrintLine(pieces):
                if not self.printer_open and self.profile.print is not None and self.profile.print.open:
                    raise ExpressionError(f"the printer is closed: {self.profile.print.open} opens it")
                self.printed.append(
                    "".join(
                        piece if isinstance(piece, str) else f"{piece[0](store) or 0.0:.{piece[1]}f}"
                        for piece in pieces
                    )
                )
            case PrintPort(is_open):
                self.printer_open = is_open

    def _assign(self, assign: Assign, block: Block) -> None:
        self._set(assign, assign.value(self.variables), block)

    def _set(self, assign: Assign, value: Value, block: Block) -> None:
        if isinstance(assign.target, str):
            self.variables.write_name(assign.target, value)
            return
        number, numbers = variable_number(assign.target(self.variables)), self._numbers
        if numbers is not None and number == numbers.variable:
            text = block.comment.strip() or "alarm raised by the program"
            self.status = Status.ALARM
            self.alarm = Alarm(block.line, int(value or 0), text)
        elif numbers is not None and number == numbers.stop_variable:
            self.status, self.message = Status.STOPPED, block.comment.strip()
        else:
            self.variables.write(number, value)

    def _goto(self, sequence: int) -> None:
        call = self.calls[-1]
        if call.stream is not None:
            raise ExpressionError(f"a program this long runs straight through: no going to N{sequence}")
        if sequence not in call.routine.sequences:
            raise ExpressionError(f"there is no N{sequence} in this program to go to")
        call.at = call.routine.sequences[sequence]

    def _loop(self, loop: Loop) -> None:
        call = self.calls[-1]
        here = call.at - 1
        if not loop.start:
            call.at = call.routine.loops[here]
        elif loop.condition is not None and not loop.condition(self.variables):
            call.at = call.routine.loops[here] + 1

    # -- words -------------------------------------------------------------------------------------------------

    def _words(self, words: list[tuple[str, float, bool]], block: Block) -> None:
        values: dict[str, list[float]] = {}
        for letter, value, _ in words:
            values.setdefault(letter, []).append(value)
        functions = values.get("M", [])
        if self._straight:
            if 65 in values.get("G", ()) or 98 in functions or 99 in functions:
                raise ExpressionError("this control calls no subprograms with G65, M98 or M99")
        elif 65 in values.get("G", ()):
            self._call_with_arguments(words)
            return
        if 99 in functions and len(functions) == 1 and "P" in values:
            self._return(int(values["P"][0]))
            return
        if (skipped := self.runner.run(words, block.line)) is not None:
            if skipped.contact or self.profile.skip.after_miss in ("end position", None):
                in_machine = self.profile.skip.frame == "machine"
                self.memory.skipped = skipped.latched if in_machine else self.runner.to_program(skipped.latched)
            self.memory.contact = skipped.contact
        if "T" in values:
            self.memory.called = self.modal.prepared_tool
        if 98 in functions:
            repeats = values.get("L", [1.0])[0]
            self._enter(variable_number(values.get("P", [None])[0]), None, variable_number(repeats))
        elif 2 in functions or 30 in functions:
            self.status = Status.ENDED
        elif 0 in functions or (1 in functions and self.optional_stop):
            self.status, self.message = Status.STOPPED, block.comment.strip()
        elif 99 in functions:
            self._return(None)

    def _call_with_arguments(self, words: list[tuple[str, float, bool]]) -> None:
        local: dict[int, Value] = {}
        number: int | None = None
        repeats = 1
        for letter, value, _ in words:
            if letter == "G" and value == 65:
                continue
            if letter == "P":
                number = variable_number(value)
            elif letter == "L":
                repeats = variable_number(value)
            elif letter in _ARGUMENTS and _ARGUMENTS[letter] not in local:
                local[_ARGUMENTS[letter]] = value
            else:
                raise ExpressionError(f"{letter}{value:g} cannot be given to a subprogram")
        self._enter(variable_number(number), local, repeats)

    def _enter(self, number: int, local: dict[int, Value] | None, repeats: int) -> None:
        """Go into a subprogram; `local` None (M98) leaves it the caller's local variables."""
        for routine in self.routines[1:]:
            if routine.number == number:
                if len(self.calls) > _CALL_LIMIT:
                    raise ExpressionError(f"subprograms are nested more than {_CALL_LIMIT} deep")
                if repeats > _MOST_REPEATS:
                    raise ExpressionError(f"L{repeats} repeats it more than {_MOST_REPEATS} times")
                if repeats > 0:
                    own = self.calls[-1].local if local is None else local
                    self.calls.append(
                        _Call(routine, local=own, left=repeats - 1, first=None if local is None else dict(local))
                    )
                    self._swap(self.calls[-1])
                return
        raise ExpressionError(f"there is no subprogram O{number:04d} in this file")

    def _return(self, sequence: int | None) -> None:
        """M99: again while repeats are left, else back to the caller, to block N`sequence` where one is given."""
        if len(self.calls) == 1 and self.called and sequence is None:
            self.status = Status.ENDED
            return
        if len(self.calls) == 1:
            raise ExpressionError("M99 in the main program would run it for ever")
        call = self.calls[-1]
        if call.left > 0:
            call.left -= 1
            call.at = 0
            if call.first is not None:
                call.local = dict(call.first)
        else:
            self.calls.pop()
            call = self.calls[-1]
        self._swap(call)
        if sequence is not None:
            self._goto(sequence)

    # -- o-words -----------------------------------------------------------------------------------------------

    def _flow(self, flow: Flow) -> None:
        """An o-word of RS-274/NGC; the places it may go to were worked out by `flow.match_flow`."""
        call = self.calls[-1]
        here = call.at - 1
        jumps = call.routine.jumps.get(here, ())
        store = self.variables
        match flow.word:
            case "CALL":
                self._call_sub(flow)
            case "ENDSUB" | "RETURN":
                if len(self.calls) == 1:
                    raise ExpressionError("return stands in no sub")
                self.calls.pop()
                self._swap(self.calls[-1])
            case "IF":
                while not flow.arguments or not flow.arguments[0](store):
                    here = jumps[0]
                    following = call.routine.blocks[here].statement
                    if not isinstance(following, Flow) or following.word in ("ENDIF", "ELSE"):
                        break
                    flow, jumps = following, call.routine.jumps[here]
                call.at = here + 1
            case "ELSE" | "ELSEIF":
                call.at = jumps[1]
            case "WHILE" if jumps[0] < here:  # the end of a do
                if flow.arguments[0](store):
                    call.at = jumps[0] + 1
            case "WHILE":
                if not flow.arguments[0](store):
                    call.at = jumps[0] + 1
            case "ENDWHILE" | "ENDREPEAT":
                call.at = jumps[0]
            case "REPEAT":
                left = call.rounds.pop(here, None)
                if left is None:
                    left = variable_number(flow.arguments[0](store))
                if left > 0:
                    call.rounds[here] = left - 1
                else:
                    call.at = jumps[0] + 1
            case "BREAK":
                call.rounds.pop(jumps[0], None)
                call.at = jumps[1] + 1
            case "CONTINUE":
                call.at = jumps[1]

    def _call_sub(self, flow: Flow) -> None:
        """`o100 call [..]`: the values become #1 to #30 of the sub, those not given are 0."""
        routine = next((routine for routine in self.routines[1:] if routine.number == flow.label), None)
        if routine is None:
            raise ExpressionError(f"there is no o{flow.label} sub in this file")
        if len(self.calls) > _NGC_CALL_LIMIT:
            raise ExpressionError(f"subs are nested more than {_NGC_CALL_LIMIT} deep")
        values = {number: get(self.variables) for number, get in enumerate(flow.arguments, 1)}
        self.calls.append(_Call(routine, local=values))
        self._swap(self.calls[-1])
