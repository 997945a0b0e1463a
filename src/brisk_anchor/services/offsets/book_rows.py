"""The rows of the book as they stand, in the order and with the words a person asks for."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import field
from datetime import UTC, datetime

from brisk_anchor.book.entries import RowState
from brisk_anchor.core.tools.shelf import Health
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.rows.row_owner import owner_of
from brisk_anchor.services.rows.row_states import DIFFERS
from brisk_anchor.services.session.session import Session

Values = Mapping[str, float]
ORDERS = ("row", "difference", "age", "state")


@dataclass(frozen=True, slots=True)
class BookLine:
    """One row of the book as it stands. Values mm, `r` degrees; `u` standard uncertainties; `held` is the control's."""

    row: str
    title: str
    state: RowState
    locked: bool
    limit: float | None
    kept_for: str
    values: dict[str, float]
    u: dict[str, float]
    held: dict[str, float]
    off_parent: str
    """How far a row keeps away from where its parent puts it, in words; "" where it does not."""
    source: str
    at: datetime | None
    who: str
    parent: str
    depth: int
    operations: tuple[str, ...]
    jobs: tuple[str, ...]
    needed: bool
    entries: int

    @property
    def lacking(self) -> bool:
        """Whether an operation needs it and the control does not hold what the book says: that must never be missed."""
        return bool(self.operations) and not self.state.may_run

    @property
    def differs_from_control(self) -> bool:
        """Whether the control holds something else than the book."""
        difference = TableReference("the control's table", {self.row: self.held}).difference(self)
        return any(abs(value) > DIFFERS for value in difference.values())


@dataclass(frozen=True, slots=True)
class TableReference:
    """What rows are compared with: in words, and their values by row."""

    words: str
    values: dict[str, Values] = field(default_factory=dict)
    spreads: dict[str, Values] = field(default_factory=dict)
    """Standard uncertainties that came with them, by row."""
    lasting: bool = True
    """Whether it stays what it is as rows change; a control, a row and a value before do not."""

    def difference(self, line: BookLine) -> dict[str, float]:
        """How far a row lies from it by axis, the row less the reference; empty where one of them has no values."""
        other = self.values.get(line.row)
        if not other or not line.values:
            return {}
        found = {axis: value - other[axis] for axis, value in line.values.items() if axis in other}
        if "r" not in line.values and (angle := other.get("r", 0.0)):
            found["r"] = -angle  # a row without an angle is one that is not turned
        return found


@dataclass(frozen=True, slots=True)
class RowChange:
    """What is about to happen to one row: its new values and how far they lie from those before, mm and degrees (`r`).

    `note` says where they come from; `left_out` why nothing happens to it, "" where something does.
    """

    row: str
    title: str
    values: dict[str, float]
    moves: dict[str, float]
    note: str
    left_out: str = ""


def distance(difference: Values) -> float:
    """Straight distance of a difference, mm."""
    return math.sqrt(sum(value**2 for axis, value in difference.items() if axis in "xyz"))


def line_of(session: Session, row: str, depth: int = 0) -> BookLine:
    """One row as it stands."""
    ledger, setup = session.ledger, session.setup
    valued = ledger.valued(row)
    planned = any(plan.row == row for plan in setup.rows)
    setter = setup.shelf.setter
    return BookLine(
        row=row,
        title=ledger.title(row),
        state=session.rows.state(row),
        locked=ledger.locked(row),
        limit=ledger.limit(row),
        kept_for=setter.name if setter is not None and setter.row == row else "",
        values=dict(valued.values) if valued else {},
        u=dict(valued.u) if valued else {},
        held=session.link.table_values(row),
        off_parent=session.rows.off_parent_words(row),
        source=f"{valued.kind.value}, {valued.note}".rstrip(", ") if valued else "",
        at=valued.at if valued else None,
        who=valued.who if valued else "",
        parent=(session.rows.parent_of(row) or "") if planned else "",
        depth=depth,
        operations=tuple(o.name for o in setup.card.operations if o.offset == row),
        jobs=ledger.facts(row).jobs,
        needed=planned,
        entries=ledger.count(row),
    )


def lines(
    session: Session,
    *,
    everything: bool = False,
    order: str = "row",
    search: str = "",
    against: TableReference | None = None,
) -> list[BookLine]:
    """The rows of the book: standard ones, those of the job, those that hold or held anything; or all there are.

    Derived rows stand under their parent while the order is that of the control.
    """
    profile = session.profile
    shown = [
        row
        for row in profile.all_rows
        if row != profile.common_shift
        and (
            everything
            or row in profile.offsets
            or session.ledger.history(row)
            or any(session.link.offset(row))
            or any(plan.row == row for plan in session.setup.rows)
        )
    ]
    planned = {plan.row for plan in session.setup.rows}
    parents = {row: (session.rows.parent_of(row) if row in planned else None) for row in shown}
    found: list[BookLine] = []

    def branch(row: str, depth: int) -> None:
        found.append(line_of(session, row, depth))
        for child in shown:
            if parents[child] == row:
                branch(child, depth + 1)

    for row in shown:
        if parents[row] is None or parents[row] not in shown:
            branch(row, 0)
    words = search.lower().split()
    if "differs" in words and against is not None:
        words.remove("differs")
        found = [line for line in found if (away := against.difference(line)) and distance(away) > DIFFERS]
    found = [
        line
        for line in found
        if all(word in f"{line.row} {line.title} {line.state.value} {line.source} {line.who}".lower() for word in words)
    ]
    oldest = datetime.min.replace(tzinfo=UTC)
    match order:
        case "difference" if against is not None:
            found.sort(key=lambda line: -distance(against.difference(line)))
        case "age":
            found.sort(key=lambda line: line.at or oldest, reverse=True)
        case "state":
            states = list(RowState)
            found.sort(key=lambda line: (not line.lacking, states.index(line.state)))
    return found


def row_note(session: Session, row: str) -> str:
    """What of a row does not show in its state: that it is locked, and how far it keeps away from its parent."""
    words = ["locked"] if session.ledger.locked(row) else []
    return ", ".join([*words, *([away] if (away := session.rows.off_parent_words(row)) else [])])


def owner_words(session: Session, row: str) -> str:
    """What a row belongs to, for a heading: " · of the fixture SP-2"; nothing where nobody can tell."""
    owner = owner_of(session.setup, row)
    names = {"machine": session.setup.machine.name, "fixture": session.setup.fixture, "part": session.setup.part}
    return f" · of the {owner} {names[owner]}" if owner else ""


_TOLD = 3
"""So many operations that cannot run are told each with why; of more, how many there are comes first."""


def lacking(session: Session) -> list[str]:
    """Operations that cannot run, each with why: its offset is not on the control, or a tool of it is broken.

    Of many the first line says how many; those that follow name them.
    """
    states = {plan.row: session.rows.state(plan.row) for plan in session.setup.rows}
    broken = {cutter.number for cutter in session.setup.shelf.cutters if cutter.health is Health.BROKEN}
    found = []
    for operation in session.setup.card.operations:
        why = []
        if not states.get(operation.offset, RowState.EMPTY).may_run:
            held = states[operation.offset].value if operation.offset in states else "is gone"
            why.append(f"{operation.offset} {held}")
        why += [f"T{number} broken" for number in operation.tools if number in broken]
        if why:
            found.append(f"{operation.name} ({', '.join(why)})")
    if len(found) > _TOLD:
        return [f"{len(found)} of {len(session.setup.card.operations)} operations; {found[0]}", *found[1:]]
    return found
