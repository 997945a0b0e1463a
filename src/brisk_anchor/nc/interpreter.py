"""Runs NC text on a machine, one block at a time, as a control does. What it does not know it refuses.

A program is scanned whole before the first block runs, so a misprint in the last line moves nothing.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

from brisk_anchor.core.errors import BriskAnchorError, MachineError, NcError
from brisk_anchor.nc.blocks import BlockRunner
from brisk_anchor.nc.expressions import ExpressionError, Value, variable_number
from brisk_anchor.nc.modal import Modal
from brisk_anchor.nc.port import MachinePort
from brisk_anchor.nc.profile import Profile
from brisk_anchor.nc.scanner import Assign, Block, Branch, Loop, PrintLine, PrintPort, Routine, Words, scan_program
from brisk_anchor.nc.variables import Variables

BLOCK_LIMIT = 200_000
_CALL_LIMIT = 4
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


@dataclass(frozen=True, slots=True)
class Alarm:
    """An alarm: the control's own (number above 0), one raised by the program, or the machine's."""

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
    left: int = 0
    first: dict[int, Value] | None = None


class Interpreter:
    """One program on one machine. `step` runs a block; `run` runs to the end."""

    def __init__(self, text: str, profile: Profile, machine: MachinePort) -> None:
        """Scan the program.

        Raises:
            NcError: when any line is not understood.
        """
        self.profile = profile
        self.machine = machine
        self.routines = scan_program(text, profile)
        self.calls = [_Call(self.routines[0])]
        self.modal = Modal(offset=next(iter(profile.offsets)))
        self.runner = BlockRunner(profile, machine, self.modal)
        self.variables = Variables(profile, machine, self.modal, self.runner)
        self.variables.local = self.calls[0].local
        self.block_delete = False
        self.printed: list[str] = []
        self.status = Status.READY
        self.alarm: Alarm | None = None
        self.block: Block | None = None
        self.blocks_run = 0

    @property
    def common(self) -> dict[int, Value]:
        """The common variables."""
        return self.variables.common

    # -- running -----------------------------------------------------------------------------------------------

    def run(self, limit: int = BLOCK_LIMIT) -> Status:
        """Run until the end, a stop or an alarm; more than `limit` blocks is an alarm."""
        while self.step(limit):
            pass
        return self.status

    def step(self, limit: int = BLOCK_LIMIT) -> bool:
        """Run one block. Returns False when there is nothing more to run."""
        if self.status in (Status.ENDED, Status.ALARM):
            return False
        self.status = Status.RUNNING
        call = self.calls[-1]
        if call.at >= len(call.routine.blocks):
            last = call.routine.blocks[-1]
            self._raise(last, 1, "the program ends without M30 or M99")
            return False
        block = self.block = call.routine.blocks[call.at]
        call.at += 1
        self.blocks_run += 1
        if self.blocks_run > limit:
            self._raise(block, 2, f"more than {limit} blocks have run: the program goes round in circles")
            return False
        try:
            self._execute(block)
        except ExpressionError as error:
            self._raise(block, 3, str(error))
        except MachineError as error:
            self.status, self.alarm = Status.ALARM, Alarm(block.line, 10, error.what, error)
        return self.status is Status.RUNNING

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
            case Words(words):
                self._words([(a, value, whole) for a, get, whole in words if (value := get(store)) is not None], block)
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
                self.printed.append(
                    "".join(
                        piece if isinstance(piece, str) else f"{piece[0](store) or 0.0:.{piece[1]}f}"
                        for piece in pieces
                    )
                )
            case PrintPort():
                pass

    def _assign(self, assign: Assign, block: Block) -> None:
        number = variable_number(assign.number(self.variables))
        value = assign.value(self.variables)
        if number == self.profile.alarm.variable:
            text = block.comment.strip() or "alarm raised by the program"
            self.status = Status.ALARM
            self.alarm = Alarm(block.line, int(value or 0), text)
        elif number == self.profile.alarm.stop_variable:
            self.status = Status.STOPPED
        else:
            self.variables.write(number, value)

    def _goto(self, sequence: int) -> None:
        call = self.calls[-1]
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
        if 65 in values.get("G", ()):
            self._call_with_arguments(words)
            return
        functions = values.get("M", [])
        if 99 in functions and len(functions) == 1 and "P" in values:
            self._return(int(values["P"][0]))
            return
        if (skipped := self.runner.run(words, block.line)) is not None:
            self.variables.skipped, self.variables.contact = skipped.latched, skipped.contact
        if 98 in functions:
            repeats = values.get("L", [1.0])[0]
            self._enter(variable_number(values.get("P", [None])[0]), None, variable_number(repeats))
        elif 2 in functions or 30 in functions:
            self.status = Status.ENDED
        elif 0 in functions:
            self.status = Status.STOPPED
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
                if repeats > 0:
                    own = self.calls[-1].local if local is None else local
                    self.calls.append(
                        _Call(routine, local=own, left=repeats - 1, first=None if local is None else dict(local))
                    )
                    self.variables.local = own
                return
        raise ExpressionError(f"there is no subprogram O{number:04d} in this file")

    def _return(self, sequence: int | None) -> None:
        """M99: again while repeats are left, else back to the caller, to block N`sequence` where one is given."""
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
        self.variables.local = call.local
        if sequence is not None:
            self._goto(sequence)
