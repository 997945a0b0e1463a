"""Opening the book, adding entries, reading them back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import Engine, create_engine, event, func, inspect, select, text
from sqlalchemy.exc import DatabaseError, IntegrityError, SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.pool import StaticPool

from brisk_anchor.book.entries import AXIS_NAMES, Entry, EntryKind
from brisk_anchor.book.models import HEAD, EntryRow
from brisk_anchor.core.errors import BookError, BookTakenError, BookVersionError, BookWriteError
from brisk_anchor.core.offsets import Chain
from brisk_anchor.core.proof import Proof

Result = TypeVar("Result")


@cache
def _adapter(kind: Any) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def _dump(value: Chain | Proof | None) -> str | None:
    kind: Any = type(value)
    return None if value is None else _adapter(kind).dump_json(value).decode()


def _prepare_sqlite(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=FULL")
    cursor.execute("PRAGMA busy_timeout=5000")
    cursor.close()


class Book:
    """An open book. Every `add` is one transaction; when it returns, the entries are on the disk."""

    def __init__(self, engine: Engine, name: str) -> None:
        self.engine = engine
        self.name = name
        self.damage = ""
        """What is wrong with the file this was read from; nothing can be added then."""
        self.saved = 0
        self._sessions = sessionmaker(engine, expire_on_commit=False)

    @classmethod
    def open(cls, path: Path) -> Book:
        """Open or make the SQLite book at `path`.

        Raises:
            BookVersionError: it was written by a newer version. BookError: it cannot be opened or is damaged.
        """
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise BookError(
                f"The folder of the book {path} cannot be made: {error.strerror}", "", "Check the disk"
            ) from error
        return cls.open_url(f"sqlite:///{path}")

    @classmethod
    def open_url(cls, url: str) -> Book:
        """Open the book in any database SQLAlchemy knows. Raises like `open`."""
        # One connection holds a book in memory; files and servers have a pool of their own.
        engine = create_engine(url, poolclass=StaticPool) if url == "sqlite://" else create_engine(url)
        name = engine.url.database or url
        if engine.dialect.name == "sqlite":
            event.listen(engine, "connect", _prepare_sqlite)
        try:
            revision = cls._revision(engine)
            if revision != HEAD:
                cls._upgrade(engine, revision, name)
        except DatabaseError as error:
            engine.dispose()
            raise BookError(
                f"The book {name} cannot be read: {error.orig}",
                "It is damaged, locked or no book; nothing in it was changed",
                "Put back a copy, or move it away and start a new one",
            ) from error
        except BookError:
            engine.dispose()
            raise
        return cls(engine, name)

    @staticmethod
    def _revision(engine: Engine) -> str | None:
        with engine.connect() as connection:
            tables = inspect(connection).get_table_names()
            if "alembic_version" not in tables:
                return None if not tables else "none"
            return connection.execute(text("select version_num from alembic_version")).scalar()

    @staticmethod
    def _upgrade(engine: Engine, revision: str | None, name: str) -> None:
        from alembic import command
        from alembic.config import Config
        from alembic.script import ScriptDirectory

        config = Config()
        config.set_main_option("script_location", "brisk_anchor.book:migrations")
        known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
        if revision is not None and revision not in known:
            raise BookVersionError(
                f"The book {name} was written by a newer version of Brisk Anchor (its form is “{revision}”)",
                "This version could misread it; nothing in it was changed",
                "Update Brisk Anchor, or open another book",
            )
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def check(self) -> None:
        """Look through the whole book for damage. Raises BookError."""
        try:
            with self.engine.connect() as connection:
                if self.engine.dialect.name == "sqlite":
                    told = connection.execute(text("PRAGMA quick_check(1)")).scalar()
                    if told != "ok":
                        raise BookError(f"The book {self.name} is damaged: {told}", "", "Put back a copy")
                connection.execute(select(func.count(EntryRow.id))).scalar()
        except DatabaseError as error:
            raise BookError(f"The book {self.name} is damaged: {error.orig}", "", "Put back a copy") from error

    @classmethod
    def salvage(cls, path: Path) -> Book | None:
        """What can still be read of a damaged file, as a book in memory that takes no entries; None for nothing."""
        import sqlite3

        columns = [column.name for column in EntryRow.__table__.columns]
        rows: list[tuple[Any, ...]] = []
        try:
            damaged = sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True)
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
        damaged.close()
        book = cls.open_url("sqlite://")
        marks = ", ".join("?" for _ in columns)
        raw = book.engine.raw_connection()
        for row in rows:
            values = [
                "" if value is None and name == "who" else value for name, value in zip(columns, row, strict=True)
            ]
            try:
                raw.execute(f"INSERT INTO entry ({', '.join(columns)}) VALUES ({marks})", values)
            except (sqlite3.DatabaseError, BookError, ValueError):
                continue
            book.saved += 1
        raw.commit()
        raw.close()
        book.name = str(path)
        return book if book.saved else None

    def close(self) -> None:
        """Let go of the database."""
        self.engine.dispose()

    def _writable(self) -> None:
        if self.damage:
            raise BookWriteError("The book is damaged and open for reading only", self.damage, "Put back a copy")

    def _do(self, work: Callable[[Session], Result]) -> Result:
        try:
            with self._sessions.begin() as session:
                return work(session)
        except SQLAlchemyError as error:
            reason = str(getattr(error, "orig", None) or error).splitlines()[0]
            full = "full" in reason
            raise BookWriteError(
                f"The book could not be written: {reason}",
                "Nothing was stored; all earlier entries are as they were",
                "Make room on the disk and store again" if full else "Check the disk and its rights, and store again",
            ) from error

    def add(self, *entries: Entry) -> list[int]:
        """Add entries, all or none; returns their numbers.

        Raises:
            BookWriteError: when they could not be written. Nothing is changed then.
        """
        self._writable()
        rows = [
            EntryRow(
                at=entry.at,
                machine=entry.machine,
                row=entry.row,
                kind=entry.kind.value,
                job=entry.job,
                title=entry.title,
                **{axis: entry.values.get(axis) for axis in AXIS_NAMES},
                **{f"u_{axis}": entry.u.get(axis) for axis in AXIS_NAMES},
                chain=_dump(entry.chain),
                proof=_dump(entry.proof),
                note=entry.note,
                number=entry.number,
                who=entry.who,
                figure=entry.figure,
            )
            for entry in entries
        ]

        def work(session: Session) -> list[int]:
            session.add_all(rows)
            session.flush()
            return [row.id for row in rows]

        try:
            return self._do(work)
        except BookWriteError as error:
            reason = str(getattr(error.__cause__, "orig", "")).lower()
            if isinstance(error.__cause__, IntegrityError) and ("unique" in reason or "duplicate" in reason):
                names = ", ".join(dict.fromkeys(entry.row for entry in entries))
                raise BookTakenError(
                    f"{names} was changed in another window meanwhile",
                    "Yours would have written over it without seeing it; nothing was stored",
                    "Look at what changed, then store again",
                ) from error
            raise

    def newest(self, machine: str) -> int:
        """The largest number an entry of a machine has in the whole book; 0 for none. Raises BookError."""
        query = select(func.max(EntryRow.id)).where(EntryRow.machine == machine)
        return self._read(lambda session: session.scalar(query) or 0)

    def numbers(self, machine: str) -> dict[str, int]:
        """The largest number of each row's entries. Raises BookError."""
        query = (
            select(EntryRow.row, func.max(EntryRow.number)).where(EntryRow.machine == machine).group_by(EntryRow.row)
        )
        return self._read(lambda session: {row: number or 0 for row, number in session.execute(query)})

    def history(self, machine: str, row: str | None = None, *, after: int = 0) -> list[Entry]:
        """Entries of a machine, or of one row of it, oldest first, whole; `after` leaves those up to an id out.

        Raises:
            BookError: when an entry cannot be read.
        """
        query = select(EntryRow).where(EntryRow.machine == machine, EntryRow.id > after).order_by(EntryRow.id)
        if row is not None:
            query = query.where(EntryRow.row == row)
        return self._read(lambda session: [_entry(found) for found in session.scalars(query)])

    def listed(self, machine: str, newest: int) -> list[Entry]:
        """The newest entries of every row of a machine, oldest first, without chains and proofs. Raises BookError."""
        counted = func.row_number().over(partition_by=EntryRow.row, order_by=EntryRow.id.desc()).label("back")
        inner = select(*_LIGHT, counted).where(EntryRow.machine == machine).subquery()
        query = select(inner).where(inner.c.back <= newest).order_by(inner.c.id)
        return self._read(lambda session: [_light(found) for found in session.execute(query).mappings()])

    def older(self, machine: str, row: str, before: int, count: int) -> list[Entry]:
        """Entries of a row before an id, the newest `count` of them, oldest first, light. Raises BookError."""
        query = (
            select(*_LIGHT)
            .where(EntryRow.machine == machine, EntryRow.row == row, EntryRow.id < before)
            .order_by(EntryRow.id.desc())
            .limit(count)
        )
        return self._read(lambda session: [_light(found) for found in session.execute(query).mappings()][::-1])

    def entry(self, number: int) -> Entry:
        """One entry, whole. Raises BookError."""
        query = select(EntryRow).where(EntryRow.id == number)
        return self._read(lambda session: _entry(session.scalars(query).one()))

    def _read(self, work: Callable[[Session], Result]) -> Result:
        try:
            with self._sessions() as session:
                return work(session)
        except (SQLAlchemyError, ValidationError, ValueError) as error:
            reason = str(error).splitlines()[0]
            raise BookError(f"The book {self.name} cannot be read: {reason}", "", "Put back a copy") from error


_LIGHT = tuple(column for column in EntryRow.__table__.columns if column.name not in ("chain", "proof"))


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
    )


def _entry(found: EntryRow) -> Entry:
    held = {column.name: getattr(found, column.name) for column in _LIGHT}
    return replace(
        _light(held),
        chain=_adapter(Chain).validate_json(found.chain) if found.chain else None,
        proof=_adapter(Proof).validate_json(found.proof) if found.proof else None,
        light=False,
    )
