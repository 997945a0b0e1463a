"""Whether a program cuts the same moves with something put in as without: both run on the stand-in."""

from __future__ import annotations

from collections.abc import Callable

from brisk_anchor.core.errors import BriskAnchorError, NcError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.services.insert.weaving import WeaveError
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.motion import MoveKind

_NEAR = 1e-6


def cut_as_before(session: Session, before: str, after: str, going: Callable[[], bool] = lambda: True) -> str:
    """In a sentence, what the stand-in says of both: whether they end, and whether the same moves are cut.

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
    same = len(old) == len(new) and all(
        a[0] == b[0] and max(abs(x - y) for x, y in zip(a[1], b[1], strict=True)) < _NEAR
        for a, b in zip(old, new, strict=True)
    )
    if same:
        return f"It ends well on the stand-in, and the same moves are cut: {len(old)}"
    return f"! {len(old)} moves were cut before and {len(new)} are now, or others: look at the difference"


def _cut(
    session: Session, text: str, going: Callable[[], bool]
) -> tuple[list[tuple[float, Vector]], BriskAnchorError | None]:
    """Moves at feed with a cutter, by feed and end; and why the run did not end well.

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
    cut: list[tuple[float, Vector]] = []
    seen, tool = 0, machine.tool_in_spindle
    while not run.over:
        if not going():
            raise WeaveError("It was given up", "Nothing was compared", "Put it in again")
        run.stride()
        cut += [(m.feed, m.end) for m in machine.motions[seen:] if m.kind is MoveKind.FEED and tool not in (probe, 0)]
        seen, tool = len(machine.motions), machine.tool_in_spindle
    return cut, run.failure()
