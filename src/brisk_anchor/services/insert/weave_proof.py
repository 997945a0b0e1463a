"""Whether a program cuts the same with something put in as without: both run on the stand-in."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from brisk_anchor.core.errors import BriskAnchorError, NcError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import lines_of
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.services.insert.weaving import WeaveError, shown
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.motion import MoveKind

_NEAR = 1e-6
_STANDS = 5
"""The M code of a spindle that does not turn."""


@dataclass(frozen=True, slots=True)
class _Cut:
    """A move at feed with a cutter: its line, and in what state of the machine its end was reached (machine mm)."""

    line: int
    end: Vector
    feed: float
    tool: int
    spindle: int
    speed: float
    coolant: frozenset[int]
    table: tuple[tuple[str, float], ...]
    """Where the rotary axes stand, degrees."""

    def otherwise(self, other: _Cut) -> str:
        """What differs from another first; "" where all is the same."""
        if max(abs(a - b) for a, b in zip(self.end, other.end, strict=True)) > _NEAR:
            return "ends elsewhere"
        if self.table != other.table:
            return "is cut with the table elsewhere"
        if abs(self.feed - other.feed) > _NEAR:
            return f"has a feed of {other.feed:g}, not {self.feed:g}"
        if self.tool != other.tool:
            return f"is cut with T{other.tool}, not T{self.tool}"
        if (self.spindle, self.speed) != (other.spindle, other.speed):
            return f"is cut with M{other.spindle} S{other.speed:g}, not M{self.spindle} S{self.speed:g}"
        return "has another coolant" if self.coolant != other.coolant else ""


def cut_as_before(session: Session, before: str, after: str, going: Callable[[], bool] = lambda: True) -> str:
    """In a sentence, what the stand-in says of both: whether they end, and whether the same is cut in the same state.

    Raises:
        WeaveError: nobody waits for it any longer: `going` says so.
    """
    try:
        old, first = _cut(session, before, going)
    except NcError as error:
        return f"Not tried on the stand-in: it does not know {error.one_line()}"
    if first is not None:
        return f"Not compared: without measuring the program ends in: {first.one_line()}"
    new, second = _cut(session, after, going)
    if second is not None:
        return f"! With measuring it ends on the stand-in in: {second.one_line()}"
    return _compared(old, new)


def _compared(old: Sequence[_Cut], new: Sequence[_Cut]) -> str:
    for one, other in zip(old, new, strict=False):
        if differs := one.otherwise(other):
            return f"! The move of line {one.line} {differs}: look at the difference"
    if len(old) != len(new):
        return f"! {len(old)} moves were cut before and {len(new)} are now: look at the difference"
    return f"It ends well on the stand-in, and the same moves are cut: {len(old)}"


def _cut(session: Session, text: str, going: Callable[[], bool]) -> tuple[list[_Cut], BriskAnchorError | None]:
    """Moves at feed with a cutter, but for those of what was put in; and why the run did not end well.

    On the set-up as it is described, with the job's offsets where that puts them: what stands in the table may be the
    last job's.
    """
    machine = session.scene.as_described().stand_in(
        seed=None, position=session.machine.home, length_reference=session.profile.length_reference
    )
    machine.offsets = dict(session.machine.offsets)
    for plan in session.setup.rows:
        expected = session.rows.expected(plan.row)
        machine.offsets[plan.row] = (expected["x"], expected["y"], expected["z"])
    memory = Memory(dict(session.control.memory.common))
    run = Run(text, session.profile, machine, Interpreter(text, session.profile, machine, memory))
    probe = session.setup.stylus.tool_number
    own = shown(lines_of(text))
    cut: list[_Cut] = []
    seen, tool = 0, machine.tool_in_spindle
    while not run.over:
        if not going():
            raise WeaveError("It was given up", "Nothing was compared", "Put it in again")
        run.stride()
        modal, table = run.interpreter.modal, tuple(sorted(machine.angles.items()))
        cut += [
            _Cut(m.line, m.end, m.feed, tool, machine.spindle, modal.spindle_speed, modal.coolant, table)
            for m in machine.motions[seen:]
            if m.kind is MoveKind.FEED
            and tool not in (probe, 0)
            and own[m.line - 1].strip()
            and (m.start != m.end or machine.spindle != _STANDS)  # a table that turns is no cut by itself
        ]
        seen, tool = len(machine.motions), machine.tool_in_spindle
    return cut, run.failure()
