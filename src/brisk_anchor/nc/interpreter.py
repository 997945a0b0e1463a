"""Runs NC text on a machine, one block at a time, as a control does. What it does not know it refuses.

A program is scanned whole before the first block runs, so a misprint in the last line moves nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from enum import Enum

from brisk_anchor.core.errors import BriskAnchorError, MachineError, NcError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.touches import AXES
from brisk_anchor.nc.expressions import ExpressionError, Value, variable_number
from brisk_anchor.nc.port import MachinePort
from brisk_anchor.nc.profile import Profile
from brisk_anchor.nc.scanner import Assign, Block, Branch, Loop, PrintLine, PrintPort, Routine, Words, scan_program

BLOCK_LIMIT = 200_000
_CALL_LIMIT = 4
_ARGUMENTS = dict(
    zip(
        "ABCIJKDEFHMQRSTUVWXYZ",
        (1, 2, 3, 4, 5, 6, 7, 8, 9, 11, 13, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26),
        strict=True,
    )
)
_MODAL_GROUPS: dict[str, tuple[float, ...]] = {
    "motion": (0, 1),
    "plane": (17,),
    "distance": (90, 91),
    "feed mode": (94,),
    "units": (20, 21),
    "radius compensation": (40,),
    "tool length": (43, 49),
    "cycle": (80,),
    "offset": (54, 55, 56, 57, 58, 59),
    "rotation": (69,),
}
_ONE_BLOCK = (4, 10, 31, 53, 65)
_GROUP_OF = {code: group for group, codes in _MODAL_GROUPS.items() for code in codes} | {
    code: ("feed or table" if code != 53 else "machine coordinates") for code in _ONE_BLOCK
}
_LETTERS_OF = {4: "X", 10: "LPXYZ", 98: "P"}
"""Letters a block may hold beside F and H, by its code; all others take X, Y and Z."""
_M_CODES = (0, 1, 2, 5, 9, 30, 98, 99)


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


@dataclass(slots=True)
class Modal:
    """Modal state of the control."""

    motion: int | None = None
    absolute: bool = True
    offset: str = ""
    length: int = 0
    feed: float = 0.0


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
        self.common: dict[int, Value] = {}
        self.modal = Modal(offset=next(iter(profile.offsets)))
        self.printed: list[str] = []
        self.status = Status.READY
        self.alarm: Alarm | None = None
        self.block: Block | None = None
        self.blocks_run = 0
        self._skipped: Vector | None = None
        self._system = self._system_variables()
        self._rows_by_word = {row.select: name for name, row in profile.offsets.items()}
        self._rows_by_write = {row.write: name for name, row in profile.offsets.items()}

    # -- variables ---------------------------------------------------------------------------------------------

    def _system_variables(self) -> dict[int, tuple[str, int]]:
        places = self.profile.positions
        table = {n: (kind, i) for kind in ("machine", "work", "skip") for i, n in enumerate(getattr(places, kind))}
        for name, row in self.profile.offsets.items():
            table.update({number: (name, i) for i, number in enumerate(row.read)})
        table[self.profile.tool.in_spindle] = ("tool", 0)
        return table

    def _shift(self) -> Vector:
        """Machine less work: active offset and tool length."""
        x, y, z = self.machine.offset(self.modal.offset)
        return x, y, z + (self._length(self.modal.length) if self.modal.length else 0.0)

    def _length(self, number: int) -> float:
        try:
            return self.machine.tool_length(number)
        except ValueError as error:
            raise ExpressionError(str(error)) from None

    def read(self, number: int) -> Value:
        """Value of `#number`; None when null."""
        if number == 0:
            return None
        if 1 <= number <= 33:
            return self.calls[-1].local.get(number)
        if 100 <= number <= 999:
            return self.common.get(number)
        kind, index = self._system.get(number, ("", 0))
        match kind:
            case "":
                raise ExpressionError(f"#{number} is no variable this control knows")
            case "machine":
                return self.machine.position[index]
            case "work":
                return self.machine.position[index] - self._shift()[index]
            case "skip":
                if self._skipped is None:
                    raise ExpressionError("no skip move has been made yet, so there is no skip position to read")
                return self._skipped[index] - self._shift()[index]
            case "tool":
                return float(self.machine.tool_in_spindle)
            case row:
                return self.machine.offset(row)[index]

    def write(self, number: int, value: Value) -> None:
        """Set `#number`."""
        if 1 <= number <= 33:
            self.calls[-1].local[number] = value
        elif 100 <= number <= 999:
            self.common[number] = value
        else:
            raise ExpressionError(f"#{number} cannot be written by a program on this control")

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
        match block.statement:
            case None:
                pass
            case Words(words):
                self._words([(letter, value) for letter, get in words if (value := get(self)) is not None])
            case Assign():
                self._assign(block.statement, block)
            case Branch(condition, target, then):
                if condition is None or condition(self):
                    if target is not None:
                        self._goto(variable_number(target(self)))
                    elif then is not None:
                        self._assign(then, block)
            case Loop():
                self._loop(block.statement)
            case PrintLine(pieces):
                self.printed.append(
                    "".join(
                        piece if isinstance(piece, str) else f"{piece[0](self) or 0.0:.{piece[1]}f}" for piece in pieces
                    )
                )
            case PrintPort():
                pass

    def _assign(self, assign: Assign, block: Block) -> None:
        number = variable_number(assign.number(self))
        value = assign.value(self)
        if number == self.profile.alarm.variable:
            text = block.comment.strip() or "alarm raised by the program"
            self.status = Status.ALARM
            self.alarm = Alarm(block.line, int(value or 0), text)
        elif number == self.profile.alarm.stop_variable:
            self.status = Status.STOPPED
        else:
            self.write(number, value)

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
        elif loop.condition is not None and not loop.condition(self):
            call.at = call.routine.loops[here] + 1

    # -- words -------------------------------------------------------------------------------------------------

    def _words(self, words: list[tuple[str, float]]) -> None:
        codes = [value for letter, value in words if letter == "G"]
        ms = [value for letter, value in words if letter == "M"]
        if 65 in codes:
            self._call_with_arguments(words)
            return
        self._check_codes(codes, ms)
        axes = self._letters(words)
        self._modal(codes, axes)
        special = next((code for code in (4, 10, 31) if code in codes), 98 if 98 in ms else 0)
        stray = set(axes) - set(_LETTERS_OF.get(special, "XYZ"))
        if stray:
            raise ExpressionError(f"{', '.join(sorted(stray))} has no meaning in this block")
        match special:
            case 98:
                self._enter(variable_number(axes.get("P")), {})
                return
            case 4:
                self._dwell(axes)
            case 10:
                self._table(axes)
            case 31:
                self._skip(axes)
            case _:
                self._move(codes, axes)
        self._program_flow(ms)

    @staticmethod
    def _letters(words: list[tuple[str, float]]) -> dict[str, float]:
        axes: dict[str, float] = {}
        for letter, value in words:
            if letter in "GM":
                continue
            if letter in axes:
                raise ExpressionError(f"{letter} stands twice in the block")
            if letter not in ("X", "Y", "Z", "F", "P", "L", "H"):
                raise ExpressionError(f"the word {letter}{value:g} is not known to this control")
            axes[letter] = value
        return axes

    @staticmethod
    def _check_codes(codes: list[float], ms: list[float]) -> None:
        groups: dict[str, float] = {}
        for code in codes:
            group = _GROUP_OF.get(code)
            if group is None:
                raise ExpressionError(f"G{code:g} is not known to this control")
            if group in groups:
                raise ExpressionError(f"G{groups[group]:g} and G{code:g} contradict each other")
            groups[group] = code
        for code in ms:
            if code not in _M_CODES:
                raise ExpressionError(f"M{code:g} is not known to this control")
        if len(ms) > 1:
            raise ExpressionError("more than one M word stands in the block")
        if 20 in codes:
            raise ExpressionError("the program is in inches (G20), this control is set to millimetres (G21)")

    def _modal(self, codes: list[float], axes: dict[str, float]) -> None:
        for code in codes:
            match int(code):
                case 0 | 1:
                    self.modal.motion = int(code)
                case 90 | 91:
                    self.modal.absolute = code == 90
                case 49:
                    self.modal.length = 0
                case 43:
                    number = variable_number(axes.pop("H", None))
                    self._length(number)
                    self.modal.length = number
                case 54 | 55 | 56 | 57 | 58 | 59:
                    word = f"G{code:g}"
                    if word not in self._rows_by_word:
                        raise ExpressionError(f"{word} is no row of this control's offset table")
                    self.modal.offset = self._rows_by_word[word]
        if "F" in axes:
            feed = axes.pop("F")
            if not 0 < feed <= 60_000:
                raise ExpressionError(f"a feed of {feed:g} mm/min makes no sense")
            self.modal.feed = feed

    def _target(self, axes: dict[str, float], *, machine: bool = False) -> Vector | None:
        """Target in machine coordinates; takes X, Y, Z out of `axes`. None when no axis is named."""
        if not any(letter in axes for letter in "XYZ"):
            return None
        now, shift = self.machine.position, self._shift()
        target = list(now)
        for i, letter in enumerate("XYZ"):
            if letter in axes:
                value = axes.pop(letter)
                if machine:
                    target[i] = value
                elif self.modal.absolute:
                    target[i] = value + shift[i]
                else:
                    target[i] = now[i] + value
        if not all(math.isfinite(value) and abs(value) < 1e5 for value in target):
            raise ExpressionError("the target lies nowhere on this machine")
        return target[0], target[1], target[2]

    def _line(self) -> int:
        return self.block.line if self.block else 0

    def _need_feed(self) -> float:
        if self.modal.feed <= 0:
            raise ExpressionError("no feed has been given")
        return self.modal.feed

    def _move(self, codes: list[float], axes: dict[str, float]) -> None:
        machine = 53 in codes
        if machine and not self.modal.absolute:
            raise ExpressionError("G53 takes absolute positions: G90 must be in force")
        target = self._target(axes, machine=machine)
        if target is None:
            if machine:
                raise ExpressionError("G53 names no axis")
            return
        if self.modal.motion is None:
            raise ExpressionError("neither G0 nor G1 is in force, so how to move is not known")
        if self.modal.motion == 0:
            self.machine.rapid(target, self._line())
        else:
            self.machine.feed(target, self._need_feed(), self._line())

    def _skip(self, axes: dict[str, float]) -> None:
        target = self._target(axes)
        if target is None:
            raise ExpressionError("a skip move names no axis")
        self._skipped = self.machine.skip(target, self._need_feed(), self._line()).latched

    def _dwell(self, axes: dict[str, float]) -> None:
        seconds = axes.pop("X", None)
        if seconds is None or not 0 <= seconds <= 600:
            raise ExpressionError("G4 wants X with the seconds to wait (0 to 600)")
        self.machine.dwell(seconds, self._line())

    def _table(self, axes: dict[str, float]) -> None:
        block = f"G10 L{axes.pop('L', 0):g} P{axes.pop('P', -1):g}"
        if block not in self._rows_by_write:
            raise ExpressionError(f"{block} writes no row that this control has")
        if not self.modal.absolute:
            raise ExpressionError("G10 under G91 means different things on different controls: put G90 before it")
        row = self._rows_by_write[block]
        values = list(self.machine.offset(row))
        for i, axis in enumerate(AXES):
            if axis.upper() in axes:
                step = self.profile.resolution
                values[i] = round(round(axes.pop(axis.upper()) / step) * step, 9)
        self.machine.write_offset(row, (values[0], values[1], values[2]))

    def _call_with_arguments(self, words: list[tuple[str, float]]) -> None:
        local: dict[int, Value] = {}
        number: int | None = None
        for letter, value in words:
            if letter == "G" and value == 65:
                continue
            if letter == "P":
                number = variable_number(value)
            elif letter in _ARGUMENTS and _ARGUMENTS[letter] not in local:
                local[_ARGUMENTS[letter]] = value
            else:
                raise ExpressionError(f"{letter}{value:g} cannot be given to a subprogram")
        self._enter(variable_number(number), local)

    def _enter(self, number: int, local: dict[int, Value]) -> None:
        for routine in self.routines[1:]:
            if routine.number == number:
                if len(self.calls) > _CALL_LIMIT:
                    raise ExpressionError(f"subprograms are nested more than {_CALL_LIMIT} deep")
                self.calls.append(_Call(routine, local=local))
                return
        raise ExpressionError(f"there is no subprogram O{number:04d} in this file")

    def _program_flow(self, ms: list[float]) -> None:
        for code in ms:
            if code in (2, 30):
                self.status = Status.ENDED
            elif code == 0:
                self.status = Status.STOPPED
            elif code == 99:
                if len(self.calls) == 1:
                    raise ExpressionError("M99 in the main program would run it for ever")
                self.calls.pop()
