"""The book at work: rows as they stand, comparing, changes by hand, locks, snapshots, writing to the control."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time

from brisk_anchor.book.store import Entry, EntryKind, RowState
from brisk_anchor.core.checks import Look, look_at_jump
from brisk_anchor.core.errors import BriskAnchorError, DatumError, PlanError
from brisk_anchor.core.offsets import AxisChain, Chain, Term
from brisk_anchor.core.rules import Fixed, Keep, Rule
from brisk_anchor.nc.plan import StorePlan
from brisk_anchor.nc.program import Program
from brisk_anchor.nc.writer import write_program
from brisk_anchor.services.workshop import SecondLookError, Workshop

Values = Mapping[str, float]
ORDERS = ("row", "difference", "age", "state")
NO_VARIANCE = ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), (0.0, 0.0, 0.0))


@dataclass(frozen=True, slots=True)
class Line:
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
        """Whether an operation needs it and it is empty or stale: that must never be missed."""
        return bool(self.operations) and self.state in (RowState.EMPTY, RowState.PART, RowState.STALE)


@dataclass(frozen=True, slots=True)
class Reference:
    """What rows are compared with: in words, and their values by row."""

    words: str
    values: dict[str, Values] = field(default_factory=dict)

    def difference(self, line: Line) -> dict[str, float]:
        """How far a row lies from it by axis, the row less the reference; empty where one of them has no values."""
        other = self.values.get(line.row)
        if not other or not line.values:
            return {}
        return {axis: value - other[axis] for axis, value in line.values.items() if axis in other}


def distance(difference: Values) -> float:
    """Straight distance of a difference, mm."""
    return math.sqrt(sum(value**2 for axis, value in difference.items() if axis in "xyz"))


def line_of(workshop: Workshop, row: str, depth: int = 0) -> Line:
    """One row as it stands."""
    ledger, setup = workshop.ledger, workshop.setup
    valued = ledger.valued(row)
    planned = any(plan.row == row for plan in setup.rows)
    setter = setup.shelf.setter
    entries = ledger.history(row)
    return Line(
        row=row,
        title=ledger.title(row),
        state=workshop.state(row),
        locked=ledger.locked(row),
        limit=ledger.limit(row),
        kept_for=setter.name if setter is not None and setter.row == row else "",
        values=dict(valued.values) if valued else {},
        u=dict(valued.u) if valued else {},
        held=workshop.table_values(row),
        source=f"{valued.kind.value}, {valued.note}".rstrip(", ") if valued else "",
        at=valued.at if valued else None,
        who=valued.who if valued else "",
        parent=(workshop.parent_of(row) or "") if planned else "",
        depth=depth,
        operations=tuple(o.name for o in setup.card.operations if o.offset == row),
        jobs=tuple(dict.fromkeys(entry.job for entry in entries if entry.job)),
        needed=planned,
        entries=len(entries),
    )


def lines(
    workshop: Workshop,
    *,
    everything: bool = False,
    order: str = "row",
    search: str = "",
    against: Reference | None = None,
) -> list[Line]:
    """The rows of the book: standard ones, those of the job, those that hold or held anything; or all there are.

    Derived rows stand under their parent while the order is that of the control.
    """
    profile = workshop.profile
    shown = [
        row
        for row in profile.all_rows
        if row != profile.common_shift
        and (
            everything
            or row in profile.offsets
            or workshop.ledger.history(row)
            or any(workshop.machine.offset(row))
            or any(plan.row == row for plan in workshop.setup.rows)
        )
    ]
    planned = {plan.row for plan in workshop.setup.rows}
    parents = {row: (workshop.parent_of(row) if row in planned else None) for row in shown}
    found: list[Line] = []

    def branch(row: str, depth: int) -> None:
        found.append(line_of(workshop, row, depth))
        for child in shown:
            if parents[child] == row:
                branch(child, depth + 1)

    for row in shown:
        if parents[row] is None or parents[row] not in shown:
            branch(row, 0)
    words = search.lower().split()
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


# -- comparing ---------------------------------------------------------------------------------------------------


def reference(workshop: Workshop, against: str) -> Reference:
    """What to compare with: "control", "last", a row, "machine NAME", a day (2026-11-03), "snapshot NAME".

    Raises:
        PlanError: it is none of these, or there is nothing there. BookError: the book cannot be read.
    """
    rows = [row for row in workshop.profile.all_rows if row != workshop.profile.common_shift]
    words = against.strip()
    low = words.lower()
    if low in ("", "control"):
        return Reference("the control's table", {row: workshop.table_values(row) for row in rows})
    if low == "last":
        return Reference("the value before", {row: values for row in rows if (values := _before(workshop, row))})
    if words.upper() in workshop.profile.all_rows:
        valued = workshop.ledger.valued(words.upper())
        if valued is None:
            raise PlanError(f"{words.upper()} has no values in the book", "", "Choose another")
        return Reference(words.upper(), dict.fromkeys(rows, valued.values))
    if low.startswith("snapshot"):
        return _snapshot(workshop, words[8:].strip())
    if low.startswith("machine"):
        return _other_machine(workshop, words[7:].strip())
    try:
        day = date.fromisoformat(words)
    except ValueError:
        raise PlanError(
            f"“{words[:30]}” is nothing to compare with",
            "",
            "control, last, a row, a day as 2026-11-03, snapshot NAME, or machine NAME",
        ) from None
    end = datetime.combine(day, time.max).astimezone()
    return Reference(f"the evening of {day}", _as_of(workshop.ledger.rows, workshop, lambda entry: entry.at <= end))


def _before(workshop: Workshop, row: str) -> Values | None:
    """The values a row had before the newest ones that differ."""
    valued = [e for e in workshop.history(row) if e.kind.has_values and e.values]
    return next((e.values for e in reversed(valued[:-1]) if e.values != valued[-1].values), None)


def _as_of(rows: Iterable[str], workshop: Workshop, held: object) -> dict[str, Values]:
    found: dict[str, Values] = {}
    for row in rows:
        entries = [e for e in workshop.history(row) if e.kind in (EntryKind.STORED, EntryKind.TYPED) and held(e)]  # type: ignore[operator]
        if entries:
            found[row] = entries[-1].values
    return found


def snapshots(workshop: Workshop) -> list[Entry]:
    """Snapshots of this machine, newest first."""
    return [e for e in reversed(workshop.history("")) if e.kind is EntryKind.SNAPSHOT]


def _snapshot(workshop: Workshop, name: str) -> Reference:
    found = next((e for e in snapshots(workshop) if not name or e.note.lower() == name.lower()), None)
    if found is None:
        known = ", ".join(e.note for e in snapshots(workshop)) or "there is none yet"
        raise PlanError(f"There is no snapshot “{name[:40]}”", f"Known: {known}", "Make one with its name")
    at, number = found.at, found.id
    return Reference(
        f"snapshot {found.note}",
        _as_of(
            workshop.ledger.rows,
            workshop,
            lambda e: e.id <= number if e.id is not None and number is not None else e.at <= at,
        ),
    )


def _other_machine(workshop: Workshop, name: str) -> Reference:
    book = workshop.book
    entries = book.listed(name, 50) if book is not None else []
    values = {e.row: e.values for e in entries if e.kind in (EntryKind.STORED, EntryKind.TYPED)}
    if not values:
        raise PlanError(f"The book has nothing of a machine “{name[:40]}”", "", "Check its name")
    return Reference(f"{name}", dict(values))


def moved_features(workshop: Workshop, row: str, difference: Values) -> list[tuple[str, dict[str, float]]]:
    """Where each drawn feature goes when a row moves: titles and shifts, mm; a turn moves what is far off more."""
    setup = workshop.setup
    line = line_of(workshop, row)
    zero = line.values or workshop.table_values(row)
    turn = math.radians(difference.get("r", 0.0))
    c, s = math.cos(turn), math.sin(turn)
    found = []
    for drawn in setup.features:
        x, y = drawn.machine[0] - zero.get("x", 0.0), drawn.machine[1] - zero.get("y", 0.0)
        shift = {
            "x": difference.get("x", 0.0) + c * x - s * y - x,
            "y": difference.get("y", 0.0) + s * x + c * y - y,
            "z": difference.get("z", 0.0),
        }
        found.append((drawn.title, shift))
    return found


# -- changes -----------------------------------------------------------------------------------------------------


def _guard(workshop: Workshop, row: str) -> None:
    if row not in workshop.profile.all_rows:
        raise PlanError(f"The control has no row {row[:20]}", "", "Choose one it has")
    if workshop.ledger.locked(row):
        raise DatumError(f"{row} is locked", "Nothing changes it while it is", "Unlock it first, if that is meant")
    setter = workshop.setup.shelf.setter
    if setter is not None and setter.row == row:
        raise DatumError(
            f"{row} is kept for {setter.name}", "Every tool's length hangs on it", "Take it on the shelf: 6"
        )


def typed_chain(row: str, values: Values, u: Values, before: Values, reason: str) -> Chain:
    """Values that were typed, read or restored as a chain: from what was there before, by how much, and why."""
    axes = []
    for axis, value in values.items():
        terms = []
        unit = "" if axis in "xyz" else ", °"
        if axis in before:
            change = value - before[axis]
            terms.append(Term("", f"{row} {axis.upper()} before{unit}", before[axis]))
            terms.append(Term("+" if change >= 0 else "−", reason or "typed", abs(change)))
        else:
            terms.append(Term("", reason or "typed", value, u.get(axis, 0.0)))
        terms.append(Term("=", f"{row} {axis.upper()}{unit}", value, u.get(axis, 0.0)))
        axes.append(AxisChain(axis, value, u.get(axis, 0.0), tuple(terms)))
    return Chain(row, tuple(axes), (), NO_VARIANCE)


def present(workshop: Workshop, row: str) -> tuple[dict[str, float], dict[str, float]]:
    """What a row's values are taken to be now, and their uncertainties: the book's, else the control's."""
    valued = workshop.ledger.valued(row)
    if valued is not None:
        return dict(valued.values), dict(valued.u)
    held = workshop.table_values(row)
    return held, dict.fromkeys(held, 0.0)


def edit(workshop: Workshop, row: str, changed: Values, reason: str, u: Values | None = None) -> Chain:
    """Change values of a row by hand, mm; the reason goes into the book with them. The control is not written.

    Raises:
        PlanError, DatumError: no reason, no such row, locked, or kept for the setter. BookWriteError.
    """
    _guard(workshop, row)
    if not reason.strip():
        raise PlanError("A change by hand needs a reason", "In a month nobody would know why", "Say it in a few words")
    if not all(math.isfinite(value) and abs(value) <= 20_000 for value in changed.values()):
        raise PlanError("One of the figures is no position", "Nothing was changed", "Give mm within 20 m")
    before, known = present(workshop, row)
    values = {axis: changed.get(axis, value) for axis, value in before.items()} | dict(changed)
    spread = {axis: (u or {}).get(axis, 0.0 if axis in changed else known.get(axis, 0.0)) for axis in values}
    chain = typed_chain(row, values, spread, before, reason.strip()[:60])
    entry = workshop.ledger.entry(EntryKind.TYPED, row, chain, note=reason.strip()[:200])
    workshop.ledger.add_all([entry, *_stale_children(workshop, row)])
    return chain


def _stale_children(workshop: Workshop, row: str) -> list[Entry]:
    settled = (RowState.MEASURED, RowState.STORED, RowState.PROVED, RowState.TYPED)
    return [
        workshop.ledger.entry(EntryKind.STALE, child, None, note=f"{row} was changed by hand")
        for child in workshop.children(row)
        if workshop.state(child) in settled
    ]


def restore(workshop: Workshop, row: str, entry: Entry, reason: str = "") -> Chain:
    """Bring the values of an earlier entry back, as a new entry. Raises like `edit`."""
    if not entry.values:
        raise PlanError("That entry carries no values", "There is nothing to bring back", "Choose another")
    when = f"{entry.at.astimezone():%Y-%m-%d %H:%M}"
    return edit(workshop, row, entry.values, reason or f"as it was {when}", entry.u)


def undo(workshop: Workshop, row: str) -> Chain:
    """Bring back what a row was before its newest values, as a new entry. Raises PlanError where there is nothing."""
    valued = [e for e in workshop.history(row) if e.kind in (EntryKind.STORED, EntryKind.TYPED) and e.values]
    earlier = next((e for e in reversed(valued[:-1]) if e.values != valued[-1].values), None)
    if earlier is None:
        raise PlanError(f"{row} has no value before this one", "There is nothing to go back to", "")
    return restore(workshop, row, earlier)


def lock(workshop: Workshop, row: str, *, locked: bool, reason: str = "") -> None:
    """Lock a row, or unlock it. Raises BookWriteError."""
    workshop.ledger.add(EntryKind.LOCKED if locked else EntryKind.UNLOCKED, row, None, note=reason[:200])


def set_limit(workshop: Workshop, row: str, limit: float) -> None:
    """How far a row may jump at a store, mm. Raises PlanError, BookWriteError."""
    if not 0 < limit <= 1000:
        raise PlanError("A limit lies above 0 and up to 1000 mm", "", "Give another")
    ledger = workshop.ledger
    ledger.add_all([ledger.entry(EntryKind.LIMIT, row, None, note=f"limit {limit:g} mm", figure=limit)])


def rename(workshop: Workshop, row: str, name: str) -> None:
    """Give a row another name. Raises PlanError, BookWriteError."""
    words = " ".join("".join(c for c in name if c.isprintable()).split())[:60]
    if not words:
        raise PlanError("A name has at least one letter", "", "Type it")
    workshop.ledger.add_all([workshop.ledger.entry(EntryKind.NAMED, row, None, note=f"named {words}", title=words)])


def snapshot(workshop: Workshop, name: str) -> None:
    """Keep how the whole table stands under a name. Raises PlanError: no name, or it is taken. BookWriteError."""
    words = " ".join("".join(c for c in name if c.isprintable()).split())[:60]
    if not words or any(e.note.lower() == words.lower() for e in snapshots(workshop)):
        raise PlanError("A snapshot needs a name of its own", f"“{words}” is taken" if words else "", "Choose another")
    workshop.ledger.add_all([workshop.ledger.entry(EntryKind.SNAPSHOT, "", None, note=words, title="")])


# -- from and to the control -------------------------------------------------------------------------------------


def take_over(workshop: Workshop, figures: Mapping[str, Values], source: str) -> list[str]:
    """Take figures from outside into the book as typed ones, all or none; returns the rows that changed.

    Raises:
        PlanError, DatumError: a row there is not, is locked, or is kept for the setter. BookWriteError.
    """
    entries: list[Entry] = []
    for row, values in figures.items():
        before, known = present(workshop, row)
        if workshop.ledger.valued(row) is not None and all(abs(before.get(a, 0) - v) < 5e-7 for a, v in values.items()):
            continue
        _guard(workshop, row)
        full = {axis: values.get(axis, value) for axis, value in before.items()} | dict(values)
        u = {axis: 0.0 if axis in values else known.get(axis, 0.0) for axis in full}
        chain = typed_chain(row, full, u, before if workshop.ledger.valued(row) else {}, source[:60])
        entries.append(workshop.ledger.entry(EntryKind.TYPED, row, chain, note=source[:200]))
        entries += _stale_children(workshop, row)
    workshop.ledger.add_all(entries)
    return list(dict.fromkeys(entry.row for entry in entries if entry.kind is EntryKind.TYPED))


def look_before_writing(workshop: Workshop, rows: Iterable[str]) -> list[Look]:
    """Second look before rows of the book are written to the control. Raises PlanError, DatumError."""
    looks: list[Look] = []
    for row in rows:
        _guard(workshop, row)
        valued = workshop.ledger.valued(row)
        if valued is None:
            raise PlanError(f"{row} has no values in the book", "There is nothing to write", "Measure or type it")
        if workshop.state(row) is RowState.STALE:
            looks.append(
                Look(
                    True,
                    f"{row} is stale: {_why_stale(workshop, row)}",
                    "Its figures describe something that is no longer so",
                    "Measure it again",
                )
            )
        chain = typed_chain(row, valued.values, valued.u, {}, "")
        held = workshop.table_values(row)
        looks += look_at_jump(chain, held, workshop.ledger.limit(row))
        moved = distance({a: v - held.get(a, 0.0) for a, v in valued.values.items()})
        if moved > 10 and any(held.get(a) for a in "xyz"):
            looks.append(
                Look(
                    False,
                    f"{row} moves {moved:.3f} mm from what the control holds",
                    "An offset that jumps by centimetres is nearly always a wrong row, tool or unit",
                    "Look at the difference by axis",
                )
            )
    return looks


def _why_stale(workshop: Workshop, row: str) -> str:
    stale = next((e for e in reversed(workshop.history(row)) if e.kind is EntryKind.STALE), None)
    return stale.note if stale is not None and stale.note else "clamped again"


def writing_program(workshop: Workshop, rows: list[str], *, stops: bool = True) -> Program:
    """The program that sets rows as the book has them: jump guards, read-back and report lines in it.

    With `stops` the operator is stopped before the first row is written, where a row moves further than its limit.

    Raises:
        SecondLookError: a finding stops. PlanError, DatumError: it cannot be written.
    """
    looks = look_before_writing(workshop, rows)
    if any(look.stops for look in looks):
        raise SecondLookError(looks)
    stores = []
    for row in rows:
        valued = workshop.ledger.valued(row)
        if valued is None:
            continue
        rules: list[tuple[str, Rule]] = [
            (axis, Fixed(valued.values[axis], valued.u.get(axis, 0.0)) if axis in valued.values else Keep())
            for axis in "xyz"
        ]
        expected = dict(valued.values)
        if workshop.profile.angle_of(row) is not None:
            rules.append(("r", Fixed(valued.values.get("r", 0.0))))
            expected.setdefault("r", 0.0)
        limit = workshop.ledger.limit(row) or 5.0
        stores.append(StorePlan(row, tuple(rules), tuple(expected.items()), limit))
    title = f"set {', '.join(rows[:6])}" + (" and more" if len(rows) > 6 else "")
    return write_program(workshop.plan(3, rows[0], title, stores), workshop.profile)


def write_rows(workshop: Workshop, rows: list[str]) -> Program:
    """Write rows to the control by one program, read them back, and enter them as stored; all or none.

    Raises:
        SecondLookError: a finding stops. RunStopped: the control refused. BookWriteError: the table is as it was.
    """
    program = writing_program(workshop, rows)
    before = {row: workshop.table_values(row) for row in rows}
    run = workshop.start(program)
    run.to_end()
    try:
        if failure := run.failure():
            raise failure
        entries = []
        for row in rows:
            valued = workshop.ledger.valued(row)
            if valued is None:
                continue
            chain = valued.chain
            if valued.light:
                at = workshop.history(row).index(valued)
                chain = workshop.ledger.whole(row, at).chain
            chain = chain or typed_chain(row, valued.values, valued.u, {}, "as the book has it")
            workshop.read_back(row, chain)
            note = f"set by O{program.number:04d}, read back"
            entries.append(workshop.ledger.entry(EntryKind.STORED, row, chain, note=note))
            entries += workshop.followers(row, chain)
        workshop.ledger.add_all(entries)
    except BriskAnchorError:
        for row, values in before.items():
            workshop.write_row(row, values)
        raise
    finally:
        workshop.save()
    return program
