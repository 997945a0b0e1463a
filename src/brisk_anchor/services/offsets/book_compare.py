"""What the rows of the book can be compared with, and what moves then."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import date, datetime, time

from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.offsets.row_rotation import place_before
from brisk_anchor.services.offsets.book_rows import TableReference, Values, line_of
from brisk_anchor.services.session.session import Session


def reference(session: Session, against: str) -> TableReference:
    """What to compare with: "control", "last", a row, "machine NAME", a day (2026-11-03), "snapshot NAME".

    Raises:
        PlanError: it is none of these, or there is nothing there. BookError: the book cannot be read.
    """
    rows = [row for row in session.profile.all_rows if row != session.profile.common_shift]
    words = against.strip()
    low = words.lower()
    if low in ("", "control"):
        known = [row for row in rows if session.link.knows(row)]
        ages = dict.fromkeys(age for row in known if (age := session.link.age(row)))
        told = f" of {', '.join(list(ages)[:3])}" if ages else "" if known else ", never read"
        held: dict[str, Values] = {row: session.link.table_values(row) for row in known}
        return TableReference(f"the control's table{told}", held, lasting=False)
    if low == "last":
        before = {row: values for row in rows if (values := _before(session, row))}
        return TableReference("the value before", before, lasting=False)
    if words.upper() in session.profile.all_rows:
        valued = session.ledger.valued(words.upper())
        if valued is None:
            raise PlanError(f"{words.upper()} has no values in the book", "", "Choose another")
        return TableReference(words.upper(), dict.fromkeys(rows, valued.values), lasting=False)
    if low.startswith("snapshot"):
        return _snapshot(session, words[8:].strip())
    if low.startswith("machine"):
        return _other_machine(session, words[7:].strip())
    try:
        day = date.fromisoformat(words)
    except ValueError:
        raise PlanError(
            f"“{words[:30]}” is nothing to compare with",
            "",
            "control, last, a row, a day as 2026-11-03, snapshot NAME, or machine NAME",
        ) from None
    end = datetime.combine(day, time.max).astimezone()
    return TableReference(f"the evening of {day}", _as_of(session.ledger.rows, session, lambda entry: entry.at <= end))


def _before(session: Session, row: str) -> Values | None:
    """The values a row had before the newest ones that differ."""
    found = session.ledger.before_newest(row, [kind for kind in EntryKind if kind.has_values])
    return None if found is None else found.values


def _as_of(rows: Iterable[str], session: Session, held: Callable[[Entry], bool]) -> dict[str, Values]:
    found: dict[str, Values] = {}
    for row in rows:

        def wanted(entry: Entry) -> bool:
            return entry.kind in (EntryKind.STORED, EntryKind.TYPED) and held(entry)

        newest = next(filter(wanted, reversed(session.ledger.back_to(row, wanted))), None)
        if newest is not None:
            found[row] = newest.values
    return found


def snapshots(session: Session) -> list[Entry]:
    """Snapshots of this machine, newest first."""
    return [e for e in reversed(session.rows.history("")) if e.kind is EntryKind.SNAPSHOT]


def _snapshot(session: Session, name: str) -> TableReference:
    found = next((e for e in snapshots(session) if not name or e.note.lower() == name.lower()), None)
    if found is None:
        known = ", ".join(e.note for e in snapshots(session)) or "there is none yet"
        raise PlanError(f"There is no snapshot “{name[:40]}”", f"Known: {known}", "Make one with its name")
    at, number = found.at, found.id
    return TableReference(
        f"snapshot {found.note}",
        _as_of(
            session.ledger.rows,
            session,
            lambda e: e.id <= number if e.id is not None and number is not None else e.at <= at,
        ),
    )


def _other_machine(session: Session, name: str) -> TableReference:
    book = session.book
    entries = book.listed(name, 50) if book is not None else []
    values = {e.row: e.values for e in entries if e.kind in (EntryKind.STORED, EntryKind.TYPED)}
    if not values:
        raise PlanError(f"The book has nothing of a machine “{name[:40]}”", "", "Check its name")
    return TableReference(f"{name}", dict(values))


def moved_features(session: Session, row: str, difference: Values) -> list[tuple[str, dict[str, float]]]:
    """How far each drawn feature moved to where a row has it now: titles and shifts, mm; a turn moves what is far more.

    `difference` is the row's values now less those before.
    """
    setup = session.setup
    line = line_of(session, row)
    zero = line.values or session.link.table_values(row)
    found = []
    for drawn in setup.features:
        x, y = place_before(*drawn.machine[:2], zero, difference)
        shift = {"x": drawn.machine[0] - x, "y": drawn.machine[1] - y, "z": difference.get("z", 0.0)}
        found.append((drawn.title, shift))
    return found
