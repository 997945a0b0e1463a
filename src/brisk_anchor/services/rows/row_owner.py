"""What a row belongs to: the machine, the fixture or the part; and where a fixture that is put back was before."""

from __future__ import annotations

from brisk_anchor.book.entries import Entry, EntryKind, local_time
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.rows.ledger import Ledger


def owner_of(setup: Setup, row: str) -> str:
    """What a row belongs to: "machine" (a centre of rotation, a setter), "fixture", "part"; "" where nothing tells."""
    rules = setup.row(row).rules
    if setup.shelf.setter is not None and setup.shelf.setter.row == row:
        return "machine"
    if any(getattr(rule, "centre_of", "") for rule in rules.values()):
        return "machine"
    bodies = {feature.name: feature.body for feature in setup.features}
    named = [bodies[name] for name in setup.touched(setup.row(row).features) if name in bodies]
    if any(body in (*setup.parts, setup.part) for body in named):
        return "part"
    if any(row in place.rows for place in setup.places):
        return "part"
    return "fixture" if named else ""


def fixture_note(setup: Setup, row: str) -> str:
    """What an entry of a row says of the fixture it belongs to; nothing where it belongs to none."""
    return f"; of fixture {setup.fixture}" if owner_of(setup, row) == "fixture" else ""


@dataclass(frozen=True, slots=True)
class Located:
    """Where a fixture was located before, by another job on this machine: the row it had there and its values, mm."""

    row: str
    job: str
    day: str
    values: dict[str, float]


def located_before(setup: Setup, ledger: Ledger, row: str) -> Located | None:
    """Where the fixture that a row belongs to stood when another job stored it last; None where the book knows of none.

    It is the same place of the fixture only where the same features gave the row.
    """
    if owner_of(setup, row) != "fixture":
        return None
    wanted = set(setup.touched(setup.row(row).features))
    found: list[Entry] = []
    for other in ledger.rows:
        for at, entry in enumerate(ledger.history(other)):
            if (
                entry.kind is EntryKind.STORED
                and entry.job != setup.job
                and entry.note.endswith(fixture_note(setup, row))
            ):
                whole = ledger.whole(other, at)
                if whole.chain is not None and {feature.name for feature in whole.chain.features} == wanted:
                    found.append(whole)
    if not found:
        return None
    newest = max(found, key=lambda entry: entry.at)
    return Located(newest.row, newest.job, f"{local_time(newest.at):%Y-%m-%d}", dict(newest.values))
