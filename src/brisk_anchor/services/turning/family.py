"""Parts alike but for their length: one work offset each, derived from one that was measured, chosen by one key."""

from __future__ import annotations

from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.checks import stop_where_found
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.core.turning.looks import look_at_jaws
from brisk_anchor.core.turning.setup import Member
from brisk_anchor.core.turning.sums import TurningSum, TurningTerm
from brisk_anchor.core.turning.zero import chain_of, family_sum
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.turning.table_desk import TableDesk


@dataclass(frozen=True, slots=True)
class Choice:
    """What choosing a part of the family means: its row, what its Z would be, and how far from the row in force."""

    member: Member
    value: float
    moves: float
    written: bool
    """Whether the table holds it already."""

    @property
    def told(self) -> str:
        """The difference, before anything starts."""
        held = "as it is in the table" if self.written else "not written yet"
        return (
            f"{self.member.name}, {dim(self.member.length)} long: {self.member.row} Z {signed_dim(self.value, 3)}, "
            f"{signed_dim(self.moves, 3)} from the row in force, {held}"
        )


def family_entries(desk: TableDesk, row: str, zero: Estimate) -> list[Entry]:
    """What a measured zero of one part means for the others on the same stop: each is worked out, not written yet."""
    own = desk.job.setup.member(row)
    if own is None:
        return []
    entries = []
    for member in desk.job.setup.family:
        if member.row != row and not desk.ledger.locked(member.row):
            chain = chain_of(member.row, [("z", family_sum(member.row, own, zero, member))])
            entries.append(desk.ledger.entry(EntryKind.MEASURED, member.row, chain, note=f"follows {row}"))
    return entries


def _parent(desk: TableDesk) -> Member:
    """The part of the family whose zero was found last, by a cut or a feeler. Raises DatumError: none was."""
    found = [
        (entry.at, member)
        for member in desk.job.setup.family
        if desk.was_found(member.row, "z")
        and (entry := desk.ledger.last(member.row, EntryKind.STORED, own=True)) is not None
    ]
    if not found:
        raise DatumError(
            "No part of the family is measured", "The others follow from one", "Face one and measure: ⟨bench:f⟩"
        )
    return max(found, key=lambda item: item[0])[1]


def pending(desk: TableDesk, row: str) -> Choice:
    """What choosing a row of the family would do. Raises DatumError: no such part, or none is measured."""
    member = desk.job.setup.member(row)
    if member is None:
        raise DatumError(f"{row} belongs to no part of the family", "", "State it in the set-up: ⟨5⟩")
    now = desk.figure(desk.machine.active_row, "z")
    if desk.is_known(row, "z"):
        value = desk.figure(row, "z")
        return Choice(member, value, value - now, written=True)
    parent = _parent(desk)
    value = desk.figure(parent.row, "z") + member.length - parent.length
    return Choice(member, value, value - now, written=False)


def waiting(desk: TableDesk) -> list[Choice]:
    """The rows of the family that follow one that was measured, and are not written. Raises DatumError: none is."""
    found = [pending(desk, member.row) for member in desk.job.setup.family]
    return [choice for choice in found if not choice.written]


def write_waiting(desk: TableDesk) -> tuple[list[Choice], Program | None]:
    """Write every row of the family that is not written, by one program.

    Raises:
        DatumError: none is measured, or none waits. SecondLookError: one would bring a tool into the jaws. RunStopped,
            BookWriteError: then none of them is written.
    """
    choices = waiting(desk)
    if not choices:
        raise DatumError("Every length of the family is written", "Nothing waits", "")
    parent = _parent(desk)
    for choice in choices:
        _look(desk, choice)
    chains = [_chain(desk, parent, choice) for choice in choices]
    return choices, desk.write(chains, f"follows {parent.row}", uses=[(parent.row, "z")])


def _look(desk: TableDesk, choice: Choice) -> None:
    stop_where_found(look_at_jaws(desk.job.setup, desk.job.setup.longer(choice.member.row)))


def _chain(desk: TableDesk, parent: Member, choice: Choice) -> Chain:
    row = choice.member.row
    axis_x = TurningTerm("+", f"X of {parent.row}", desk.estimate(parent.row, "x"))
    along = family_sum(row, parent, desk.estimate(parent.row, "z"), choice.member)
    return chain_of(row, [("x", TurningSum(f"{row} X", "x", (axis_x,))), ("z", along)])


def choose_member(desk: TableDesk, row: str) -> tuple[Choice, Program | None]:
    """Put a row of the family in force, and write it where it is not.

    Raises:
        DatumError: none is measured. SecondLookError: it would bring a tool into the jaws. RunStopped, BookWriteError.
    """
    choice = pending(desk, row)
    _look(desk, choice)
    program = None
    if not choice.written:
        parent = _parent(desk)
        program = desk.write([_chain(desk, parent, choice)], f"follows {parent.row}", uses=[(parent.row, "z")])
    desk.machine.active_row = row
    desk.file.save(desk.machine)
    return choice, program
