"""The entries of one machine's rows, in memory and in the book."""

from __future__ import annotations

import getpass
import logging
from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Protocol

from brisk_anchor.book.entries import DISAGREES, Entry, EntryKind, RowState, state_of
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.proof import Proof
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from brisk_anchor.book.store import Book

_LOG = logging.getLogger(__name__)
KEPT = 200
"""How many of its newest entries a row holds in memory, beside the newest of each kind: it may be locked for years.

Older ones come from the book when they are asked for.
"""
WHOLE = 20
"""How many of its newest entries a row holds with their chains: a chain is large, and a day of work makes hundreds."""


@dataclass(frozen=True, slots=True)
class Facts:
    """What follows from the entries of a row: its state, the newest that has values, lock, limit, name, jobs."""

    state: RowState
    valued: Entry | None
    locked: bool
    limit: float | None
    name: str
    jobs: tuple[str, ...]


def plain(words: str, longest: int) -> str:
    """Words of a person without what a terminal would act on."""
    return "".join(c for c in words if c.isprintable())[:longest]


def person() -> str:
    """Who makes entries, as the computer knows them; free text, and empty where it does not."""
    try:
        return getpass.getuser()[:60]
    except (KeyError, OSError):
        return ""


def _facts_of(entries: list[Entry], own: list[Entry]) -> Facts:
    valued, locked, limit, name = None, False, None, ""
    for entry in entries:
        match entry.kind:
            case EntryKind.LOCKED:
                locked = True
            case EntryKind.UNLOCKED:
                locked = False
            case EntryKind.LIMIT:
                limit = entry.figure
            case EntryKind.NAMED:
                name = entry.title
        if entry.values and entry.kind.has_values:
            valued = entry
    jobs = tuple(dict.fromkeys(entry.job for entry in entries if entry.job))
    return Facts(state_of(own), valued, locked, limit, name, jobs)


class RowNamed(Protocol):
    """A row that a job needs, with what it calls it."""

    @property
    def row(self) -> str:
        """Its name in the table."""

    @property
    def title(self) -> str:
        """What the job calls it."""


class MachineNamed(Protocol):
    """A machine, as far as the book knows it."""

    @property
    def name(self) -> str:
        """Its name."""


class Described(Protocol):
    """What a book's entries say of the set-up they were made in."""

    @property
    def job(self) -> str:
        """The job."""

    @property
    def machine(self) -> MachineNamed:
        """The machine."""

    @property
    def rows(self) -> Sequence[RowNamed]:
        """The rows it needs."""


class Ledger:
    """What is known of each row, oldest first; every addition goes into the book first, where there is one.

    Entries are listed without their chains, which `last` and `whole` fetch when they are wanted: a book of years opens
    as quickly as one of a day.
    """

    def __init__(self, book: Book | None, setup: Callable[[], Described], who: str = "") -> None:
        """`setup` gives the set-up as it is described now: rows are named and added while a job is open."""
        self.book = book
        self._setup = setup
        self.who = who
        self.added: Callable[[list[Entry]], None] = lambda _entries: None
        """Called with what was added, when it stands."""
        self._history: dict[str, list[Entry]] = {row.row: [] for row in setup().rows}
        self._facts: dict[str, Facts] = {}
        self._numbers: dict[str, int] = {}
        self._newest = 0
        self._gapless: dict[str, int] = {}
        """From which entry on, by its id, none of a row is missing. Rows that are not named here are all there."""
        if book:
            self._newest = book.newest(setup().machine.name)
            for entry in book.listed(setup().machine.name, KEPT, setup().job):
                self._take(entry)
            for row, held in self._history.items():
                if len(held) >= KEPT and (first := held[-KEPT].id) is not None:
                    self._gapless[row] = first
            self._numbers |= book.numbers(setup().machine.name)
            self._fetch_what_is_used([row.row for row in setup().rows])

    @property
    def setup(self) -> Described:
        """The set-up as it is described now."""
        return self._setup()

    def _fetch_what_is_used(self, rows: list[str]) -> None:
        """Fetch what the job's rows are shown and judged by, so that nothing waits for the book later on."""
        wanted: dict[int, Entry] = {}
        for row in rows:
            for entries in (self.history(row), self.own(row)):
                newest = {entry.kind: entry for entry in entries if entry.kind.has_values}
                wanted |= {entry.id: entry for entry in newest.values() if entry.id is not None}
            wanted |= {entry.id: entry for entry in self.history(row)[-1:] if entry.id is not None}
        if not wanted or self.book is None:
            return
        whole = {entry.id: entry for entry in self.book.entries(list(wanted))}
        for row in rows:
            self._history[row] = [whole.get(entry.id, entry) for entry in self._history[row]]
            self._facts.pop(row, None)

    def _take(self, entry: Entry) -> None:
        if entry.kind is EntryKind.INSPECTED:  # of no row: what many parts say is read apart
            self._newest = max(self._newest, entry.id or 0)
            self._numbers[entry.row] = max(self._numbers.get(entry.row, 0), entry.number or 0)
            return
        held = self._history.setdefault(entry.row, [])
        if entry.id is not None and any(other.id == entry.id for other in held[-20:]):
            return
        held.append(entry)
        if self.book is not None and len(held) > WHOLE and not (old := held[-WHOLE - 1]).light and old.id is not None:
            held[-WHOLE - 1] = old.lightened()
        if len(held) > 2 * KEPT:
            self._shorten(entry.row, held)
        self._facts.pop(entry.row, None)
        self._newest = max(self._newest, entry.id or 0)
        self._numbers[entry.row] = max(self._numbers.get(entry.row, 0), entry.number or 0)

    def _shorten(self, row: str, held: list[Entry]) -> None:
        """Hold of a row what an opening would: a day of stores fills no memory, and is as quick as its first hour."""
        first = held[-KEPT].id
        if self.book is None or first is None:
            return
        older = {(e.kind, e.job == self.setup.job, DISAGREES in e.note): e for e in held[:-KEPT]}
        self._history[row] = sorted(older.values(), key=lambda entry: entry.id or 0) + held[-KEPT:]
        self._gapless[row] = first

    @property
    def mark(self) -> tuple[int, str]:
        """The newest entry that is known, by its id in the book and its own; (0, "") where there is none."""
        entries = (entries[-1] for entries in self._history.values() if entries)
        newest = max(entries, key=lambda entry: entry.id or 0, default=None)
        return (newest.id or 0, newest.uid) if newest is not None else (0, "")

    @property
    def rows(self) -> list[str]:
        """Every row that has entries or that the job needs."""
        return [row for row in self._history if row]

    def refresh(self) -> list[str]:
        """Take over what another window added since; returns the rows that changed. Raises BookError."""
        return self.take(self.fetch())

    def fetch(self) -> list[Entry]:
        """What the book has beyond what is known here; may be called from another thread. Raises BookError."""
        if self.book is None or self.book.newest(self.setup.machine.name) <= self._newest:
            return []
        return self.book.history(self.setup.machine.name, after=self._newest)

    def take(self, entries: Sequence[Entry]) -> list[str]:
        """Take over entries of the book, oldest first; returns the rows that changed."""
        fresh = [entry for entry in entries if (entry.id or 0) > self._newest]
        for entry in fresh:
            self._take(entry)
        return list(dict.fromkeys(entry.row for entry in fresh))

    def history(self, row: str) -> list[Entry]:
        """The newest entries of a row, and the newest of each kind before them, oldest first; some of them light."""
        return self._history.get(row, [])

    def older(self, row: str) -> int:
        """Fetch as many older entries of a row again; returns how many there were. Raises BookError."""
        if self.book is None or row not in self._gapless:
            return 0
        start = self._gapless[row]
        self._merge(row, found := self.book.older(self.setup.machine.name, row, start, KEPT))
        if len(found) == KEPT and (first := found[0].id) is not None:
            self._gapless[row] = first
        else:
            del self._gapless[row]
        return len(found)

    def _merge(self, row: str, found: list[Entry]) -> None:
        """Put entries of a row among those that are held already, which may be whole."""
        known = {entry.id: entry for entry in found} | {entry.id: entry for entry in self._history[row]}
        self._history[row] = sorted(known.values(), key=lambda entry: entry.id or 0)
        self._facts.pop(row, None)

    def nears_gap(self, row: str, back: int) -> bool:
        """Whether older entries are missing right before the one that lies so many back from the newest, or nearer."""
        start = self._gapless.get(row)
        return start is not None and back >= sum((entry.id or 0) >= start for entry in self.history(row))

    def back_to(self, row: str, enough: Callable[[Entry], bool]) -> list[Entry]:
        """The newest entries of a row, oldest first, none missing, back to one that is enough; all where none is.

        Raises BookError.
        """
        while True:
            start = self._gapless.get(row, 0)
            known = [entry for entry in self.history(row) if (entry.id or 0) >= start]
            if any(map(enough, known)) or not self.older(row):
                return known

    def before_newest(self, row: str, kinds: Collection[EntryKind]) -> Entry | None:
        """The newest entry of these kinds with other values than the newest one of them. Raises BookError."""
        held = [entry for entry in self.history(row) if entry.kind in kinds and entry.values]
        if not held:
            return None
        newest = held[-1].values

        def differs(entry: Entry) -> bool:
            return entry.kind in kinds and bool(entry.values) and entry.values != newest

        return next(filter(differs, reversed(self.back_to(row, differs))), None)

    def count(self, row: str) -> int:
        """How many entries a row has, those that are not held here too."""
        return max(self._numbers.get(row, 0), len(self.history(row)))

    def every(self, row: str) -> list[Entry]:
        """Every entry of a row, oldest first; what is held stays as it is. Raises BookError."""
        held = self.history(row)
        if self.book is None or row not in self._gapless:
            return list(held)
        start = self._gapless[row]
        older = self.book.older(self.setup.machine.name, row, start)
        return older + [entry for entry in held if (entry.id or 0) >= start]

    def whole(self, row: str, at: int) -> Entry:
        """One entry of a row with its chain and proof. Raises BookError."""
        entries = self._history[row]
        if entries[at].light and self.book is not None and (number := entries[at].id) is not None:
            entries[at] = self.book.entry(number)
            self._facts.pop(row, None)
        return entries[at]

    def newest(self, row: str) -> Entry | None:
        """The newest entry of a row, whole. Raises BookError."""
        entries = self.history(row)
        return self.whole(row, len(entries) - 1) if entries else None

    def own(self, row: str) -> list[Entry]:
        """Entries of a row of this job since another job stored something in it, oldest first."""
        entries = self.history(row)
        others = [n for n, e in enumerate(entries) if e.job != self.setup.job and e.kind is EntryKind.STORED]
        return [entry for entry in entries[(others[-1] if others else 0) :] if entry.job == self.setup.job]

    def last(self, row: str, kind: EntryKind, *, own: bool = False) -> Entry | None:
        """The newest entry of a kind, whole; with `own` only of what this job has there."""
        wanted = {id(entry) for entry in self.own(row)} if own else None
        entries = self.history(row)
        for at in range(len(entries) - 1, -1, -1):
            if entries[at].kind is kind and (wanted is None or id(entries[at]) in wanted):
                return self.whole(row, at)
        return None

    def add(
        self, kind: EntryKind, row: str, chain: Chain | None, *, proof: Proof | None = None, note: str = ""
    ) -> None:
        """Add an entry. Raises BookWriteError: then it is nowhere."""
        self.add_all([self.entry(kind, row, chain, proof=proof, note=note)])

    def title(self, row: str) -> str:
        """What a row is called: as it was named in the book, else as the job has it."""
        planned = next((plan.title for plan in self.setup.rows if plan.row == row), "")
        return self.facts(row).name or planned

    def named(self, row: str) -> str:
        """A row with what it is called, where it is: "G54, lever"."""
        title = self.title(row)
        return f"{row}, {title}" if title else row

    def facts(self, row: str) -> Facts:
        """What follows from the entries of a row; worked out once after each change."""
        found = self._facts.get(row)
        if found is None:
            found = self._facts[row] = _facts_of(self.history(row), self.own(row))
        return found

    def locked(self, row: str) -> bool:
        """Whether a row is locked: nothing writes it then."""
        return self.facts(row).locked

    def limit(self, row: str) -> float | None:
        """How far, mm, a value of a row may jump from the one before; None where nobody set a limit."""
        return self.facts(row).limit

    def valued(self, row: str) -> Entry | None:
        """The newest entry of a row that says what its values are."""
        return self.facts(row).valued

    def chain_of_values(self, row: str) -> Chain | None:
        """The chain of the values a row has, None where they came without one. Raises BookError."""
        valued = self.valued(row)
        return None if valued is None else self.whole(row, self.history(row).index(valued)).chain

    def entry(
        self,
        kind: EntryKind,
        row: str,
        chain: Chain | None,
        *,
        proof: Proof | None = None,
        note: str = "",
        title: str | None = None,
        figure: float | None = None,
    ) -> Entry:
        """An entry of this job, made now and not added yet."""
        return Entry(
            at=datetime.now(UTC),
            machine=self.setup.machine.name,
            row=row,
            kind=kind,
            job=self.setup.job,
            title=plain(self.title(row) if title is None else title, 120),
            values=chain.values if chain else {},
            u={axis.axis: axis.expanded / 2 for axis in chain.axes if axis.stated} if chain else {},
            chain=chain.folded() if chain else None,
            proof=proof,
            note=plain(note, 300),
            who=plain(self.who, 60),
            figure=figure,
        )

    def add_all(self, entries: list[Entry]) -> None:
        """Add entries, all or none.

        Raises:
            BookTakenError: another window added to one of these rows since it was looked at. BookWriteError: they could
            not be written. Then they are nowhere.
        """
        counted = dict(self._numbers)
        numbered = []
        for entry in entries:
            counted[entry.row] = counted.get(entry.row, 0) + 1
            numbered.append(replace(entry, number=counted[entry.row]))
        if self.book:
            added = self.book.add_after(numbered, self._newest)
            self.take(added.missed)  # of other rows: on these the numbers would have clashed
            numbered = [replace(entry, id=number) for entry, number in zip(numbered, added.ids, strict=True)]
        for entry in numbered:
            self._take(entry)
            figures = " ".join(f"{axis.upper()}{value:.4f}" for axis, value in entry.values.items())
            _LOG.info("%s %s %s %s %s", entry.kind.value, entry.machine, entry.row, figures, entry.note)
        self.added(numbered)
