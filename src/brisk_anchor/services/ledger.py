"""The entries of one machine's rows, in memory and in the book."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from brisk_anchor.book.store import Book, Entry, EntryKind
from brisk_anchor.core.offsets import Chain
from brisk_anchor.core.proof import Proof
from brisk_anchor.core.setup import Setup


class Ledger:
    """What is known of each row, oldest first; every addition goes into the book first, where there is one."""

    def __init__(self, book: Book | None, setup: Setup) -> None:
        self.book = book
        self.setup = setup
        self._history: dict[str, list[Entry]] = {row.row: [] for row in setup.rows}
        if book:
            for entry in book.history(setup.machine.name):
                self._history.setdefault(entry.row, []).append(entry)

    def history(self, row: str) -> list[Entry]:
        """Entries of a row, oldest first."""
        return self._history.get(row, [])

    def own(self, row: str) -> list[Entry]:
        """Entries of a row of this job since another job stored something in it, oldest first."""
        entries = self.history(row)
        others = [n for n, e in enumerate(entries) if e.job != self.setup.job and e.kind is EntryKind.STORED]
        return [entry for entry in entries[(others[-1] if others else 0) :] if entry.job == self.setup.job]

    def last(self, row: str, kind: EntryKind) -> Entry | None:
        """The newest entry of a kind."""
        return next((entry for entry in reversed(self.history(row)) if entry.kind is kind), None)

    def add(
        self, kind: EntryKind, row: str, chain: Chain | None, *, proof: Proof | None = None, note: str = ""
    ) -> None:
        """Add an entry. Raises BookWriteError: then it is nowhere."""
        self.add_all([self.entry(kind, row, chain, proof=proof, note=note)])

    def entry(
        self, kind: EntryKind, row: str, chain: Chain | None, *, proof: Proof | None = None, note: str = ""
    ) -> Entry:
        """An entry of this job, made now and not added yet."""
        return Entry(
            at=datetime.now(UTC),
            machine=self.setup.machine.name,
            row=row,
            kind=kind,
            job=self.setup.job,
            title=next((plan.title for plan in self.setup.rows if plan.row == row), ""),
            values=chain.values if chain else {},
            u={axis.axis: axis.u for axis in chain.axes} if chain else {},
            chain=chain,
            proof=proof,
            note=note,
        )

    def add_all(self, entries: list[Entry]) -> None:
        """Add entries, all or none. Raises BookWriteError: then they are nowhere."""
        if self.book:
            numbers = self.book.add(*entries)
            entries = [replace(entry, id=number) for entry, number in zip(entries, numbers, strict=True)]
        for entry in entries:
            self._history.setdefault(entry.row, []).append(entry)
