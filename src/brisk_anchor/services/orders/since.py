"""What became of a row or a tool between the hour a program was handed over and the hour its report came.

On a real control that may be a shift: rows are measured anew meanwhile, values typed, datums changed, tools break. What
the report says is true of the control; it never undoes what a person decided since.
"""

from __future__ import annotations

from brisk_anchor.book.chain_form import dumped
from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.services.orders.order import Order, RowOrder
from brisk_anchor.services.rows.counted_by import counted_by, mark_of
from brisk_anchor.services.session.session import Session
from brisk_anchor.services.session.tool_shelf import reference

_CHANGES = (EntryKind.MEASURED, EntryKind.TYPED, EntryKind.STALE)


def _counted(session: Session, row: str) -> str:
    return mark_of(counted_by(session.setup, session.setup.row(row)))


def as_ordered(session: Session, row: str, chain: Chain | None = None) -> RowOrder:
    """What to remember of a row while a program is on its way; `chain` has the figures that the program sets."""
    figures, entries = dumped(chain) if chain is not None else "", session.ledger.count(row)
    return RowOrder(row=row, chain=figures, entries=entries, counted=_counted(session, row))


def changed_since(session: Session, order: Order, row: str) -> list[Entry]:
    """Entries of a row since a program was handed over, oldest first: of each kind of change the newest.

    The description may have changed without an entry, in an editor say. Then an entry that says so is the last one; it
    is not in the book yet.
    """
    then = next((known for known in order.rows if known.row == row), None)
    if then is None or then.entries is None:
        return []
    changes: dict[EntryKind, Entry] = {}
    for entry in session.ledger.own(row):
        if (entry.number or 0) > then.entries and entry.kind in _CHANGES:
            changes.pop(entry.kind, None)
            changes[entry.kind] = entry
    if EntryKind.STALE not in changes and then.counted != _counted(session, row):
        note = f"what it counts with was changed since {order.label} was handed over"
        changes[EntryKind.STALE] = session.ledger.entry(EntryKind.STALE, row, None, note=note)
    return list(changes.values())


def stands_again(session: Session, changes: list[Entry]) -> list[Entry]:
    """The same changes as new entries, to follow the store that the control made meanwhile: what waited still waits."""
    entries = []
    for change in changes:
        whole = session.ledger.last(change.row, change.kind) if change.kind.has_values else None
        chain = whole.chain if whole is not None else None
        entries.append(session.ledger.entry(change.kind, change.row, chain, note=change.note))
        if chain is not None:
            entries += session.writer.followers(change.row, chain)
    return entries


def length_counted_by(session: Session, number: int) -> str:
    """What a length that is measured on the setter counts with, in a few letters."""
    stored = reference(session)
    health = [cutter.health for cutter in session.setup.shelf.cutters if cutter.number == number]
    return mark_of((session.setup.shelf.setter, stored.values if stored is not None else {}, health))
