"""Changes of the book: values by hand, locks, names, snapshots, and its rows to and from the control."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime

from brisk_anchor.book.entries import Entry, EntryKind, RowState, local_time
from brisk_anchor.core.errors import BriskAnchorError, PlanError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.offsets.chain import AxisChain, Chain, Term
from brisk_anchor.core.offsets.checks import Finding, SecondLookError, look_at_jump
from brisk_anchor.core.offsets.rules import Fixed, Keep, Rule
from brisk_anchor.core.quantities import dim, signed_deg
from brisk_anchor.core.uncertainty.estimates import Estimate, combined
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.nc.programs.plan import StorePlan
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.offsets.book_compare import snapshots
from brisk_anchor.services.offsets.book_rows import RowChange, TableReference, Values, distance
from brisk_anchor.services.rows.ledger import plain
from brisk_anchor.services.session.session import Session

FAR = 10.0
"""A row that moves further than this, mm, from what the control holds is worth a question."""
GUARD = 5.0
"""The jump limit, mm, of a row whose job states none."""
NO_VARIANCE = ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), (0.0, 0.0, 0.0))


def _guard(session: Session, row: str) -> None:
    if row not in session.profile.all_rows:
        raise PlanError(f"The control has no row {row[:20]}", "", "Choose one it has")
    session.writer.may_change(row)


def _angle_kept(session: Session, row: str, values: Values) -> dict[str, float]:
    """Values without an angle where the control keeps none of that row. Raises PlanError: it would lie turned."""
    if values.get("r"):
        session.profile.refuse_turned(row)
    if "r" not in values or session.profile.angle_of(row) is not None:
        return dict(values)
    if values["r"]:
        raise PlanError(
            f"{row} is turned by {signed_deg(values['r'], 4)}, and this control keeps no angle of it",
            "Its zero alone would be another place",
            "Turn the part straight, or take a row whose angle is kept",
        )
    return {axis: value for axis, value in values.items() if axis != "r"}


def typed_chain(
    row: str,
    values: Values,
    u: Values,
    before: Mapping[str, Estimate],
    reason: str,
    at: str = "",
    without: tuple[str, ...] = (),
) -> Chain:
    """Values that were typed, read or restored as a chain: from what was there before, by how much, and why.

    A change is a source of its own, with nothing in it unless its `u` is typed; what the value depended on before, it
    still depends on. A value that stands on nothing and of which nobody said a ± has none that is known.
    """
    axes = []
    for axis, value in values.items():
        unit = "" if axis in "xyz" else ", °"
        own = Source(f"{row} {axis.upper()} {reason or 'typed'}" + (f", {at}" if at else ""), reason or "typed")
        held = before.get(axis)
        effects = combined((1.0, held.effects if held else {}), (u.get(axis, 0.0), {own: 1.0}))
        estimate = Estimate(value, effects)
        known = axis in u or (held is not None and bool(held.effects))
        spread, k = (estimate.u, estimate.k) if known else (None, 2.0)
        terms = []
        if held is not None:
            change = value - held.value
            was = held.u if held.effects else None
            terms.append(Term("", f"{row} {axis.upper()} before{unit}", held.value, was, k=held.k))
            label = reason or "typed"
            terms.append(Term("+" if change >= 0 else "−", label, abs(change), u.get(axis) if axis in u else None))
        else:
            terms.append(Term("", reason or "typed", value, u.get(axis)))
        terms.append(Term("=", f"{row} {axis.upper()}{unit}", value, spread, k=k))
        axes.append(AxisChain(axis, value, estimate.u, tuple(terms), effects=tuple(effects.items()), stated=known))
    lacking = tuple(f"{row} {axis.axis.upper()}: nobody said how well it is known" for axis in axes if not axis.stated)
    return Chain(row, tuple(axes), (), NO_VARIANCE, without=(*without, *lacking))


def present(session: Session, row: str) -> dict[str, Estimate]:
    """What a row's values are taken to be now, with what they depend on: the book's, else the control's."""
    valued = session.ledger.valued(row)
    if valued is None:
        return {axis: Estimate(value) for axis, value in session.link.table_values(row).items()}
    return estimates_of(valued, session.ledger.chain_of_values(row))


def estimates_of(entry: Entry, chain: Chain | None) -> dict[str, Estimate]:
    """The values of an entry with what they depend on: by its chain, else as far as its ± says it."""
    found = {}
    for axis, value in entry.values.items():
        told = f"{entry.row} {axis.upper()} as entered"
        source = Source(f"{told} {entry.at:%Y-%m-%d %H:%M}", f"{told} {local_time(entry.at):%Y-%m-%d %H:%M}")
        stated = {source: entry.u.get(axis, 0.0)}
        known = next((held for held in chain.axes if held.axis == axis), None) if chain is not None else None
        if known is not None and known.effects:
            found[axis] = Estimate(value, dict(known.effects))
        else:
            found[axis] = Estimate(value, stated if axis in entry.u else {})
    return found


def edit(session: Session, row: str, changed: Values, reason: str, u: Values | None = None) -> Chain:
    """Change values of a row by hand, mm; the reason goes into the book with them. The control is not written.

    Raises:
        PlanError, DatumError: no reason, no such row, locked, or kept for the setter. BookWriteError.
    """
    _guard(session, row)
    if not reason.strip():
        raise PlanError("A change by hand needs a reason", "In a month nobody would know why", "Say it in a few words")
    if not all(math.isfinite(value) and abs(value) <= FURTHEST for value in changed.values()):
        raise PlanError("One of the figures is no position", "Nothing was changed", "Give mm within 20 m")
    changed = _angle_kept(session, row, changed)
    before = present(session, row)
    values = {axis: changed.get(axis, held.value) for axis, held in before.items()} | dict(changed)
    valued = session.ledger.chain_of_values(row)
    chain = typed_chain(row, values, u or {}, before, reason.strip()[:60], _now(), valued.without if valued else ())
    return _enter(session, row, chain, reason)


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


def _enter(session: Session, row: str, chain: Chain, reason: str) -> Chain:
    entry = session.ledger.entry(EntryKind.TYPED, row, chain, note=reason.strip()[:200])
    session.ledger.add_all([entry, *session.writer.followers(row, chain)])
    return chain


def restore(session: Session, row: str, entry: Entry, reason: str = "") -> Chain:
    """Bring the values of an earlier entry back, as a new entry. Raises like `edit`."""
    if not entry.values:
        raise PlanError("That entry carries no values", "There is nothing to bring back", "Choose another")
    when = f"{local_time(entry.at):%Y-%m-%d %H:%M}"
    _guard(session, row)
    told = (reason or f"as it was {when}").strip()
    at = next((n for n, held in enumerate(session.rows.history(row)) if held.uid == entry.uid), None)
    chain = session.ledger.whole(row, at).chain if at is not None else entry.chain
    now = present(session, row)
    # It depends again on what it depended on then; axes that it says nothing of stay as they are.
    values = {axis: held.value for axis, held in now.items()} | dict(entry.values)
    known = now | estimates_of(entry, chain)
    back = typed_chain(row, values, {}, known, told[:60], _now(), chain.without if chain else ())
    return _enter(session, row, back, told)


def undo(session: Session, row: str) -> Chain:
    """Bring back what a row was before its newest values, as a new entry. Raises PlanError where there is nothing."""
    earlier = session.ledger.before_newest(row, (EntryKind.STORED, EntryKind.TYPED))
    if earlier is None:
        raise PlanError(f"{row} has no value before this one", "There is nothing to go back to", "")
    return restore(session, row, earlier)


def lock(session: Session, row: str, *, locked: bool, reason: str = "") -> None:
    """Lock a row, or unlock it. Raises BookWriteError."""
    session.ledger.add(EntryKind.LOCKED if locked else EntryKind.UNLOCKED, row, None, note=reason[:200])


def set_limit(session: Session, row: str, limit: float) -> None:
    """How far a row may jump at a store, mm. Raises PlanError, BookWriteError."""
    if not 0 < limit <= 1000:
        raise PlanError(f"A limit lies above 0 and up to {dim(1000.0)}", "", "Give another")
    ledger = session.ledger
    ledger.add_all([ledger.entry(EntryKind.LIMIT, row, None, note=f"limit {dim(limit)}", figure=limit)])


def rename(session: Session, row: str, name: str) -> None:
    """Give a row another name. Raises PlanError, BookWriteError."""
    words = " ".join(plain(name, 60).split())
    if not words:
        raise PlanError("A name has at least one letter", "", "Type it")
    session.ledger.add_all([session.ledger.entry(EntryKind.NAMED, row, None, note=f"named {words}", title=words)])


def snapshot(session: Session, name: str) -> None:
    """Keep how the whole table stands under a name. Raises PlanError: no name, or it is taken. BookWriteError."""
    words = " ".join(plain(name, 60).split())
    if not words or any(e.note.lower() == words.lower() for e in snapshots(session)):
        raise PlanError("A snapshot needs a name of its own", f"“{words}” is taken" if words else "", "Choose another")
    session.ledger.add_all([session.ledger.entry(EntryKind.SNAPSHOT, "", None, note=words, title="")])


# -- from and to the control -------------------------------------------------------------------------------------


def changes_of(session: Session, found: TableReference) -> list[RowChange]:
    """What taking figures over does to each row of the book, before it is done. Raises PlanError: there is no such row.

    A row that is locked, kept for the setter, or turned where the control keeps no angle, is left out with the reason.
    """
    changes = []
    for row, values in found.values.items():
        if row not in session.profile.all_rows:
            raise PlanError(f"The control has no row {row[:20]}", "Nothing was taken", "Take it out of the file")
        valued = session.ledger.valued(row)
        known = {"r": 0.0, **valued.values} if valued else {}  # a row without an angle is one that is not turned
        moves = {axis: value - known[axis] for axis, value in values.items() if axis in known}
        left_out, note = "", "new in the book" if valued is None else f"it was {valued.kind.value}, {valued.note}"
        try:
            session.writer.may_change(row)
            _angle_kept(session, row, values)
        except BriskAnchorError as error:
            left_out = error.what
        if valued is not None and all(abs(move) <= _step(session) for move in moves.values()):
            left_out = left_out or "the book has these figures"
        changes.append(RowChange(row, session.ledger.title(row), dict(values), moves, note.rstrip(", "), left_out))
    return changes


def _step(session: Session) -> float:
    """A control holds its figures to its own step, and to that of the word: what is no further off is the same, mm."""
    return session.profile.rounding + 1e-9


def take_over(
    session: Session, figures: Mapping[str, Values], source: str, spreads: Mapping[str, Values] | None = None
) -> list[str]:
    """Take figures from outside into the book as typed ones, all or none; returns the rows that changed.

    `spreads` are standard uncertainties that come with them, by row and axis: they take the place of what the value
    depended on. Where none comes, the figure is a change of what was there, and keeps what that depended on.

    Raises:
        PlanError, DatumError: a row there is not, is locked, or is kept for the setter. BookWriteError.
    """
    entries: list[Entry] = []
    for row, given in figures.items():
        values = _angle_kept(session, row, given) if row in session.profile.all_rows else given
        before, told = present(session, row), (spreads or {}).get(row, {})
        step = _step(session)
        if session.ledger.valued(row) is not None and all(
            abs((before[a].value if a in before else 0.0) - v) <= step for a, v in values.items()
        ):
            continue
        _guard(session, row)
        full = {axis: values.get(axis, held.value) for axis, held in before.items()} | dict(values)
        kept = {axis: Estimate(held.value) if axis in told else held for axis, held in before.items()}
        valued = session.ledger.chain_of_values(row)
        lacks = valued.without if valued else ()
        chain = typed_chain(row, full, told, kept if session.ledger.valued(row) else {}, source[:60], _now(), lacks)
        entries.append(session.ledger.entry(EntryKind.TYPED, row, chain, note=source[:200]))
        entries += [entry for entry in session.writer.followers(row, chain) if entry.row not in figures]
    session.ledger.add_all(entries)
    return list(dict.fromkeys(entry.row for entry in entries if entry.kind is EntryKind.TYPED))


def look_before_writing(session: Session, rows: Iterable[str]) -> list[Finding]:
    """Second look before rows of the book are written to the control. Raises PlanError, DatumError."""
    looks: list[Finding] = []
    rows = list(rows)
    for row in rows:
        _guard(session, row)
        valued = session.ledger.valued(row)
        if valued is None:
            raise PlanError(f"{row} has no values in the book", "There is nothing to write", "Measure or type it")
        if session.rows.state(row) is RowState.STALE:
            looks.append(
                Finding.stopping(
                    f"{row} is stale: {_why_stale(session, row)}",
                    "Its figures describe something that is no longer so",
                    "Measure it again",
                )
            )
        parent = session.rows.parent_of(row)
        if parent is not None and parent not in rows and session.rows.state(parent).waits:
            why = f"{row} follows {parent}, and is worked out with figures of it that the control does not have"
            looks.append(Finding.stopping(f"{parent} is not written", why, f"Write {parent} first, or both together"))
        chain = session.ledger.chain_of_values(row) or typed_chain(row, valued.values, valued.u, {}, "")
        held = session.link.table_values(row)
        looks += look_at_jump(chain, held, session.ledger.limit(row))
        if moved := moved_far(session, row):
            looks.append(
                Finding.warning(
                    f"{row} moves {dim(moved, 3)} from what the control holds",
                    "An offset that jumps by centimetres is nearly always a wrong row, tool or unit",
                    "Look at the difference by axis",
                )
            )
    return looks


def _why_stale(session: Session, row: str) -> str:
    stale = next((e for e in reversed(session.rows.history(row)) if e.kind is EntryKind.STALE), None)
    return stale.note if stale is not None and stale.note else "clamped again"


def writing_program(session: Session, rows: list[str], *, stops: bool = True) -> Program:
    """The program that sets rows as the book has them: jump guards, read-back and report lines in it.

    With `stops` the operator is stopped before the first row is written where one moves far from what the control held.

    Raises:
        SecondLookError: a finding stops. PlanError, DatumError: it cannot be written.
    """
    looks = look_before_writing(session, rows)
    if any(look.stops for look in looks):
        raise SecondLookError(looks)
    stores = []
    for row in rows:
        valued = session.ledger.valued(row)
        if valued is None:
            continue
        rules: list[tuple[str, Rule]] = [
            (axis, Fixed(valued.values[axis], valued.u.get(axis, 0.0)) if axis in valued.values else Keep())
            for axis in "xyz"
        ]
        expected = dict(valued.values)
        if session.profile.angle_of(row) is not None:
            rules.append(("r", Fixed(valued.values.get("r", 0.0))))
            expected.setdefault("r", 0.0)
        limit = session.ledger.limit(row) or GUARD
        held = zip("xyz", session.link.offset(row), strict=True) if session.profile.row(row).read else ()
        stores.append(StorePlan(row, tuple(rules), tuple(expected.items()), limit, held=tuple(held)))
    title = f"set {', '.join(rows[:6])}" + (" and more" if len(rows) > 6 else "")
    far = [row for row in rows if moved_far(session, row)]
    stop = f"{', '.join(far[:4])} MOVE FAR: LOOK, THEN START" if far and stops else ""
    return write_program(session.heads.setting(rows[0], title, stores, stop), session.profile)


def moved_far(session: Session, row: str) -> float:
    """How far a row moves from what the control holds, mm, where that is further than is usual; else 0."""
    valued = session.ledger.valued(row)
    held = session.link.table_values(row)
    if valued is None or not any(held.get(axis) for axis in "xyz"):
        return 0.0
    moved = distance({axis: value - held.get(axis, 0.0) for axis, value in valued.values.items()})
    return moved if moved > FAR else 0.0


def chain_as_booked(session: Session, row: str, valued: Entry) -> Chain:
    """The chain of what a row has in the book; one of its figures alone where they came without."""
    known = session.ledger.chain_of_values(row)
    return known or typed_chain(row, valued.values, valued.u, {}, "as the book has it")


def write_rows(session: Session, rows: list[str]) -> Program:
    """Write rows to the control by one program, read them back, and enter them as stored; all or none.

    Raises:
        SecondLookError: a finding stops. RunStopped: the control refused. BookWriteError: the table is as it was.
    """
    program = writing_program(session, rows, stops=False)  # the person has been asked already
    before = {row: session.link.table_values(row) for row in rows}
    run = session.runner.start(program)
    run.to_end()
    try:
        if failure := run.failure():
            raise failure
        entries = []
        for row in rows:
            valued = session.ledger.valued(row)
            if valued is None:
                continue
            chain = chain_as_booked(session, row, valued)
            session.writer.read_back(row, chain)
            note = f"set by O{program.number:04d}, read back"
            entries.append(session.ledger.entry(EntryKind.STORED, row, chain, note=note))
            entries += [follower for follower in session.writer.followers(row, chain) if follower.row not in rows]
        session.ledger.add_all(entries)
    except BriskAnchorError:
        for row, values in before.items():
            session.link.write_row(row, values)
        raise
    finally:
        session.link.settle()
    return program
