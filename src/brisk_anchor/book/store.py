"""Opening the book, adding entries, reading them back."""

from __future__ import annotations

import math
import sqlite3
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import TimeoutError as Overdue
from contextlib import closing
from dataclasses import replace
from functools import cache, partial
from pathlib import Path
from types import TracebackType
from typing import Any, Self, TypeVar

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import Connection, Engine, Select, func, select, text, union
from sqlalchemy.exc import DBAPIError, IntegrityError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as NoConnection

from brisk_anchor.book.address import ANSWER, BookAddress
from brisk_anchor.book.chain_form import dumped, loaded
from brisk_anchor.book.entries import AXIS_NAMES, DISAGREES, Entry, EntryKind
from brisk_anchor.book.opening import prepare, take_turn
from brisk_anchor.book.seals import FIRST, FORM, SealMark, look_through, seal
from brisk_anchor.book.table import ENTRIES
from brisk_anchor.book.troubles import cannot_open, cannot_read, cannot_write, silent
from brisk_anchor.core.errors import (
    BookDamagedError,
    BookError,
    BookSilentError,
    BookTakenError,
    BookTamperedError,
    BookWriteError,
)
from brisk_anchor.core.offsets.proof import Proof
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.patience import Given, Helper

Result = TypeVar("Result")
OPENING = 60.0
"""How long, s, an opening may take: a book of years is brought to a newer form in it."""
_BREATH = 100
"""Number of entries verified before other threads get a turn."""
_LOOKING = 600.0
"""Time limit of a complete verification, s."""


@cache
def _adapter(kind: Any) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def _dump(value: Proof | None) -> str | None:
    return None if value is None else _adapter(Proof).dump_json(value).decode()


@dataclass(frozen=True, slots=True)
class Added:
    """What an addition gave: ids of the new entries, and what others had added since the id that was known."""

    ids: tuple[int, ...]
    missed: tuple[Entry, ...]


class Book:
    """An open book. Every `add` is one transaction; when it returns, the entries are on the disk.

    Questions and additions run on a thread of the book's own, within time limits. Close it, or use it in a `with`.
    """

    def __init__(self, engine: Engine, address: BookAddress, helper: Helper) -> None:
        self.engine = engine
        self.address = address
        self.name = address.name
        self.damage = ""
        """What is wrong with the file this was read from; nothing can be added then."""
        self.saved = 0
        self._helper = helper
        self._looker = Helper("book-looker")
        """Goes along all entries, which may take long, while the other helper answers questions."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    @classmethod
    def open(cls, path: Path) -> Book:
        """Open or make the SQLite book at `path`.

        Raises:
            BookVersionError: it was written by a newer version. BookError: it cannot be opened or is damaged.
        """
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise cannot_open(BookAddress.file(path), error) from error
        return cls.open_at(BookAddress.file(path))

    @classmethod
    def open_url(cls, url: str) -> Book:
        """Open the book at a configured address. Raises like `open`."""
        return cls.open_at(BookAddress.parse(url))

    @classmethod
    def open_at(cls, address: BookAddress) -> Book:
        """Open or make a book. Raises like `open`."""
        engine = address.engine()
        helper = Helper("book")
        try:
            helper.run(lambda given: prepare(address, engine), OPENING)
        except Overdue:
            raise silent(address.name, OPENING) from None
        except BookError:
            engine.dispose()
            helper.close()
            raise
        except (SQLAlchemyError, sqlite3.Error, OSError) as error:
            engine.dispose()
            helper.close()
            if isinstance(error, NoConnection):
                raise silent(address.name, ANSWER) from None
            raise cannot_open(address, error) from None
        return cls(engine, address, helper)

    def check(self) -> None:
        """Look through the whole file for damage. Raises BookError."""

        def look(connection: Connection) -> str:
            if connection.dialect.name != "sqlite":
                return "ok"
            return str(connection.execute(text("PRAGMA quick_check(1)")).scalar())

        try:
            told = self._ask(look, _LOOKING)
        except BookDamagedError as error:
            raise BookDamagedError(
                f"The book {self.name} is damaged: {error.what}", error.meaning, error.remedy
            ) from None
        if told != "ok":
            raise BookDamagedError(
                f"The book {self.name} is damaged: {told}",
                "Nothing in it was changed",
                "Leave it where it is, and put back a copy beside it",
            )

    def verify(self, after: SealMark | None = None) -> SealMark:
        """Go along the chain of seals, from the start or after a mark, to the end; returns how far that is.

        Raises:
            BookTamperedError: an entry was changed or taken out. BookError: it cannot be read.
        """
        known = after or SealMark()

        def held(connection: Connection) -> str | None:
            return connection.execute(select(ENTRIES.c.seal).where(ENTRIES.c.id == known.id)).scalar()

        def look(connection: Connection) -> SealMark:
            query = select(ENTRIES).where(ENTRIES.c.id > known.id).order_by(ENTRIES.c.id)
            with closing(connection.execution_options(yield_per=1000).execute(query)) as result:
                return look_through(_unhurried(result.mappings()), known, self.name)

        if known.id and self._ask(held, ANSWER) != known.seal:
            self.verify()  # says which entry it is, where the rest of the chain does not hold
            raise BookTamperedError(f"Entry {known.id} of the book {self.name}, seen before, is another now or is gone")
        return self._ask(look, _LOOKING)

    @classmethod
    def salvage(cls, path: Path) -> Book | None:
        """What can still be read of a damaged file, as a book in memory that takes no entries; None for nothing."""
        columns = [column.name for column in ENTRIES.columns]
        rows: list[tuple[Any, ...]] = []
        try:
            damaged = sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro&immutable=1", uri=True)
        except sqlite3.Error:
            return None
        with closing(damaged):
            try:
                present = {str(row[1]) for row in damaged.execute("PRAGMA table_info(entry)")}
                wanted = ", ".join(name if name in present else f"NULL AS {name}" for name in columns)
                last = int(damaged.execute("SELECT max(id) FROM entry").fetchone()[0] or 0)
            except (sqlite3.DatabaseError, TypeError, ValueError):
                return None
            step = 64

            def read(first: int, count: int) -> None:
                query = f"SELECT {wanted} FROM entry WHERE id >= ? AND id < ? ORDER BY id"
                try:
                    rows.extend(damaged.execute(query, (first, first + count)).fetchall())
                except (sqlite3.DatabaseError, UnicodeDecodeError):
                    if count > 1:
                        for one in range(first, first + count):
                            read(one, 1)

            for first in range(1, last + 1, step):
                read(first, step)
        book = cls.open_url("sqlite://")
        marks = ", ".join("?" for _ in columns)
        raw = book.engine.raw_connection()
        for row in rows:
            values = [
                "" if value is None and name == "who" else value for name, value in zip(columns, row, strict=True)
            ]
            try:
                raw.cursor().execute(f"INSERT INTO entry ({', '.join(columns)}) VALUES ({marks})", values)
            except (sqlite3.DatabaseError, BookError, ValueError):
                continue
            book.saved += 1
        raw.close()
        book.name = str(path)
        if book.saved:
            return book
        book.close()
        return None

    def close(self) -> None:
        """Let go of the database."""
        self.engine.dispose()
        self._helper.close()
        self._looker.close()

    # -- adding ------------------------------------------------------------------------------------------------

    def add(self, *entries: Entry) -> list[int]:
        """Add entries, all or none; returns their ids. Raises like `add_after`."""
        return list(self.add_after(entries, None).ids)

    def add_after(self, entries: Sequence[Entry], known: int | None) -> Added:
        """Add entries, all or none; tell what others added to the book since the entry `known` (None tells nothing).

        Insertions happen one after another, so ids follow the order in which they take effect, without gaps. Entries
        that are there already, as an answer was lost, are not added again.

        Raises:
            BookTakenError: another window added to the same row meanwhile. BookSilentError: there was no answer in
            time. BookWriteError: they could not be written. Nothing is changed then.
        """
        if self.damage:
            raise BookWriteError("The book is damaged and open for reading only", self.damage, "Put back a copy")
        if not entries:
            return Added((), ())
        rows = [_columns(entry) for entry in entries]

        def work(given: Given, *, look: bool = False) -> Added:
            with self.engine.connect().execution_options(writes=True) as connection, connection.begin() as transaction:
                take_turn(connection)
                query = select(ENTRIES.c.id, ENTRIES.c.seal).order_by(ENTRIES.c.id.desc()).limit(1)
                newest = connection.execute(query).first()
                last = SealMark(newest[0], newest[1] or FIRST) if newest else SealMark()
                missed: tuple[Entry, ...] = ()
                if known is not None and last.id > known:
                    missed = self._missed(connection, entries, known)
                there = self._there(connection, rows) if look else {}
                ids = self._insert(connection, rows, last, there)
                if not given.wanted:
                    transaction.rollback()
                return Added(ids, missed)

        try:
            try:
                return self._helper.run(work, 2 * ANSWER)
            except DBAPIError as error:
                if not (error.connection_invalidated or isinstance(error, IntegrityError)):
                    raise
                # An answer was lost, perhaps behind a commit: the ids of the entries tell, so nothing is twice.
                return self._helper.run(partial(work, look=True), 2 * ANSWER)
        except Overdue:
            raise BookSilentError(
                f"The book {self.name} has not answered for {2 * ANSWER:.0f} s",
                "Nothing more is done with the entry, unless it was on its way already",
                "Look whether the server or the disk answers, then store again",
            ) from None
        except IntegrityError as error:
            reason = str(error.orig).lower()
            if "unique" in reason or "duplicate" in reason:
                names = ", ".join(dict.fromkeys(entry.row for entry in entries))
                raise BookTakenError(
                    f"{names} was changed in another window meanwhile",
                    "Yours would have written over it without seeing it; nothing was stored",
                    "Look at what changed, then store again",
                ) from None
            raise cannot_write(error) from None
        except SQLAlchemyError as error:
            raise cannot_write(error) from None

    @staticmethod
    def _missed(connection: Connection, entries: Sequence[Entry], known: int) -> tuple[Entry, ...]:
        """What others added to this machine's rows since an entry."""
        own = {entry.uid for entry in entries}
        query = select(ENTRIES).where(ENTRIES.c.id > known, ENTRIES.c.machine == entries[0].machine)
        found = connection.execute(query.order_by(ENTRIES.c.id)).mappings()
        return tuple(_entry(row) for row in found if row["uid"] not in own)

    @staticmethod
    def _there(connection: Connection, rows: Sequence[dict[str, Any]]) -> dict[str, int]:
        """Which of these entries are in the book already, and under which id."""
        known = select(ENTRIES.c.uid, ENTRIES.c.id).where(ENTRIES.c.uid.in_([row["uid"] for row in rows]))
        return {str(uid): int(number) for uid, number in connection.execute(known)}

    @staticmethod
    def _insert(
        connection: Connection, rows: Sequence[dict[str, Any]], last: SealMark, there: Mapping[str, int]
    ) -> tuple[int, ...]:
        number, before = last.id, last.seal
        ids, fresh = [], []
        for row in rows:
            if row["uid"] in there:
                ids.append(there[row["uid"]])
                continue
            number += 1
            columns = {"id": number, **row, "form": FORM}
            before = seal(before, columns)
            fresh.append({**columns, "seal": before})
            ids.append(number)
        if fresh:
            connection.execute(ENTRIES.insert(), fresh)
        return tuple(ids)

    # -- asking ------------------------------------------------------------------------------------------------

    def newest(self, machine: str) -> int:
        """The largest number an entry of a machine has in the whole book; 0 for none. Raises BookError."""
        query = select(func.max(ENTRIES.c.id)).where(ENTRIES.c.machine == machine)
        return self._ask(lambda connection: connection.scalar(query) or 0)

    def numbers(self, machine: str) -> dict[str, int]:
        """The largest number of each row's entries. Raises BookError."""
        query = (
            select(ENTRIES.c.row, func.max(ENTRIES.c.number))
            .where(ENTRIES.c.machine == machine)
            .group_by(ENTRIES.c.row)
        )
        return self._ask(lambda connection: {row: number or 0 for row, number in connection.execute(query)})

    def has(self, number: int, uid: str) -> bool:
        """Whether the entry with this number has this unique id (`uid`). Raises BookError."""
        query = select(ENTRIES.c.uid).where(ENTRIES.c.id == number)
        return self._ask(lambda connection: connection.scalar(query) == uid)

    def history(self, machine: str, row: str | None = None, *, after: int = 0) -> list[Entry]:
        """Entries of a machine, or of one row of it, oldest first, whole; `after` leaves those up to an id out.

        Raises:
            BookError: when an entry cannot be read.
        """
        query = select(ENTRIES).where(ENTRIES.c.machine == machine, ENTRIES.c.id > after).order_by(ENTRIES.c.id)
        if row is not None:
            query = query.where(ENTRIES.c.row == row)
        return self._found(query, _entry)

    def listed(self, machine: str, newest: int, job: str = "") -> list[Entry]:
        """The newest entries of every row of a machine, and of each kind the newest however old it is: a lock holds for
        years. Of a `job` too, and of proofs the newest of each end. Oldest first, without chains and proofs.

        Raises BookError.
        """
        counted = func.row_number().over(partition_by=ENTRIES.c.row, order_by=ENTRIES.c.id.desc()).label("back")
        of_rows = (ENTRIES.c.machine == machine, ENTRIES.c.kind != EntryKind.INSPECTED.value)
        numbered = select(ENTRIES.c.id, counted).where(*of_rows).subquery()  # ids alone: a whole line is slow to sort
        last = select(func.max(ENTRIES.c.id)).where(*of_rows)
        last = last.group_by(ENTRIES.c.row, ENTRIES.c.kind, ENTRIES.c.job == job, ENTRIES.c.note.contains(DISAGREES))
        wanted = union(select(numbered.c.id).where(numbered.c.back <= newest), last)
        query = select(*_LIGHT).where(ENTRIES.c.id.in_(wanted)).order_by(ENTRIES.c.id)
        # Once, at the start, while nothing else is asked of it: a book of years on a slow disk takes its time.
        return self._found(query, _light, OPENING)

    def inspected(self, machine: str, job: str, *, after: int = 0, newest: int | None = None) -> list[tuple[int, str]]:
        """What was inspected for a job on a machine, oldest first: id and JSON; of many the `newest`.

        Raises BookError.
        """
        query = (
            select(ENTRIES.c.id, ENTRIES.c.result)
            .where(ENTRIES.c.machine == machine, ENTRIES.c.kind == EntryKind.INSPECTED.value, ENTRIES.c.job == job)
            .where(ENTRIES.c.id > after)
            .order_by(ENTRIES.c.id.desc())
            .limit(newest)
        )
        return self._ask(
            lambda connection: [(int(n), str(result)) for n, result in connection.execute(query) if result][::-1]
        )

    def was_inspected(self, machine: str, job: str, title: str) -> bool:
        """Whether a part of that title was inspected for a job on a machine, however long ago. Raises BookError."""
        query = (
            select(ENTRIES.c.id)
            .where(ENTRIES.c.machine == machine, ENTRIES.c.kind == EntryKind.INSPECTED.value, ENTRIES.c.job == job)
            .where(ENTRIES.c.title == title)
            .limit(1)
        )
        return self._ask(lambda connection: connection.execute(query).first() is not None)

    def older(self, machine: str, row: str, before: int, count: int | None = None) -> list[Entry]:
        """Entries of a row before an id, all or the newest `count`, oldest first, light. Raises BookError."""
        query = (
            select(*_LIGHT)
            .where(ENTRIES.c.machine == machine, ENTRIES.c.row == row, ENTRIES.c.id < before)
            .order_by(ENTRIES.c.id.desc())
            .limit(count)
        )
        return self._found(query, _light)[::-1]

    def entry(self, number: int) -> Entry:
        """One entry, whole. Raises BookError."""
        return self.entries([number])[0]

    def entries(self, numbers: Sequence[int]) -> list[Entry]:
        """Some entries, whole, oldest first. Raises BookError."""
        query = select(ENTRIES).where(ENTRIES.c.id.in_(numbers)).order_by(ENTRIES.c.id)
        return self._found(query, _entry)

    def _found(
        self, query: Select[Any], made: Callable[[Mapping[Any, Any]], Entry], limit: float = ANSWER
    ) -> list[Entry]:
        return self._ask(lambda connection: [made(row) for row in connection.execute(query).mappings()], limit)

    def _ask(self, work: Callable[[Connection], Result], limit: float = ANSWER) -> Result:
        def ask(given: Given) -> Result:
            with self.engine.connect() as connection:
                return work(connection)

        helper = self._helper if limit <= ANSWER else self._looker
        try:
            return helper.run(ask, limit)
        except Overdue:
            raise silent(self.name, limit) from None
        except (SQLAlchemyError, ValidationError, ValueError) as error:
            raise cannot_read(self.name, error, is_server=self.address.is_server) from None


def _unhurried(rows: Iterable[Mapping[Any, Any]]) -> Iterator[Mapping[Any, Any]]:
    """The same, with a breath now and then: a screen is drawn by another thread of this process."""
    for number, row in enumerate(rows):
        if number % _BREATH == 0:
            time.sleep(0.001)
        yield row


# -- entries and columns ---------------------------------------------------------------------------------------------


def _columns(entry: Entry) -> dict[str, Any]:
    """What is written of an entry, but for its id and seal."""
    return {
        "at": entry.at,
        "machine": entry.machine,
        "row": entry.row,
        "kind": entry.kind.value,
        "job": _words(entry.job),
        "title": _words(entry.title),
        **{axis: _figure(entry.values.get(axis)) for axis in AXIS_NAMES},
        **{f"u_{axis}": _figure(entry.u.get(axis)) for axis in AXIS_NAMES},
        "chain": dumped(entry.chain) if entry.chain else None,
        "proof": _dump(entry.proof),
        "note": _words(entry.note),
        "number": entry.number,
        "who": _words(entry.who),
        "figure": _figure(entry.figure),
        "result": entry.result,
        "uid": entry.uid,
    }


def _words(words: str) -> str:
    """As every database keeps them: bytes of a command line or user name that are no text become question marks."""
    return words.encode("utf-8", "replace").decode("utf-8").replace("\0", "?")


def _figure(value: float | None) -> float | None:
    """As it comes back from every database: those have no −0, and SQLite keeps what is no number as nothing."""
    if value is None:
        return None
    if not math.isfinite(value):
        raise BookWriteError("A figure that is no number was to be stored", "Nothing was stored", "Measure again")
    return float(value) + 0.0


_LIGHT = tuple(column for column in ENTRIES.columns if column.name not in ("chain", "proof", "form", "seal", "result"))


def _light(found: Mapping[Any, Any]) -> Entry:
    return Entry(
        at=found["at"],
        machine=found["machine"],
        row=found["row"],
        kind=EntryKind(found["kind"]),
        job=found["job"],
        title=found["title"],
        values={a: found[a] for a in AXIS_NAMES if found[a] is not None},
        u={a: found[f"u_{a}"] for a in AXIS_NAMES if found[f"u_{a}"] is not None},
        note=found["note"],
        id=found["id"],
        number=found["number"],
        who=found["who"],
        figure=found["figure"],
        light=True,
        uid=found["uid"] or "",
    )


def _entry(found: Mapping[Any, Any]) -> Entry:
    return replace(
        _light(found),
        chain=loaded(found["chain"]) if found["chain"] else None,
        proof=_adapter(Proof).validate_json(found["proof"]) if found["proof"] else None,
        result=found["result"],
        light=False,
    )
