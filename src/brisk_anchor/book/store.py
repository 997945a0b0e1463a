"""Opening the book, adding entries, reading them back."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import datetime
from enum import Enum
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import Engine, create_engine, event, inspect, select, text
from sqlalchemy.exc import DatabaseError, SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from brisk_anchor.book.models import HEAD, EntryRow
from brisk_anchor.core.errors import BookError, BookVersionError, BookWriteError
from brisk_anchor.core.offsets import Chain
from brisk_anchor.core.proof import Proof

Result = TypeVar("Result")
AXIS_NAMES = ("x", "y", "z", "r")


class EntryKind(Enum):
    """What an entry tells."""

    MEASURED = "measured"
    STORED = "stored"
    PROVED = "proved"
    STALE = "stale"


class RowState(Enum):
    """How one offset stands, from its entries; `PART` is known only to the job that is being measured."""

    EMPTY = "not measured"
    PART = "part"
    MEASURED = "measured"
    STORED = "stored"
    PROVED = "proved"
    STALE = "stale"


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry of the book. `values` and `u` (standard uncertainty) by axis, mm; of `r` degrees."""

    at: datetime
    machine: str
    row: str
    kind: EntryKind
    job: str
    title: str
    values: dict[str, float] = field(default_factory=dict)
    u: dict[str, float] = field(default_factory=dict)
    chain: Chain | None = None
    proof: Proof | None = None
    note: str = ""
    id: int | None = None


@cache
def _adapter(kind: Any) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def _dump(value: Chain | Proof | None) -> str | None:
    kind: Any = type(value)
    return None if value is None else _adapter(kind).dump_json(value).decode()


def state_of(entries: Iterable[Entry]) -> RowState:
    """How a row stands after its entries, oldest first."""
    state = RowState.EMPTY
    for entry in entries:
        match entry.kind:
            case EntryKind.MEASURED:
                state = RowState.MEASURED
            case EntryKind.STORED:
                state = RowState.STORED
            case EntryKind.PROVED:
                state = RowState.PROVED if entry.proof and entry.proof.holds else state
            case EntryKind.STALE:
                state = RowState.STALE if state is not RowState.EMPTY else state
    return state


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
        engine = create_engine(url)
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

    def close(self) -> None:
        """Let go of the database."""
        self.engine.dispose()

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
            )
            for entry in entries
        ]

        def work(session: Session) -> list[int]:
            session.add_all(rows)
            session.flush()
            return [row.id for row in rows]

        return self._do(work)

    def history(self, machine: str, row: str | None = None) -> list[Entry]:
        """Entries of a machine, or of one row of it, oldest first.

        Raises:
            BookError: when an entry cannot be read.
        """
        query = select(EntryRow).where(EntryRow.machine == machine).order_by(EntryRow.id)
        if row is not None:
            query = query.where(EntryRow.row == row)
        try:
            with self._sessions() as session:
                return [_entry(found) for found in session.scalars(query)]
        except (SQLAlchemyError, ValidationError, ValueError) as error:
            reason = str(error).splitlines()[0]
            raise BookError(f"The book {self.name} cannot be read: {reason}", "", "Put back a copy") from error


def _entry(found: EntryRow) -> Entry:
    return Entry(
        at=found.at,
        machine=found.machine,
        row=found.row,
        kind=EntryKind(found.kind),
        job=found.job,
        title=found.title,
        values={a: v for a in AXIS_NAMES if (v := getattr(found, a)) is not None},
        u={a: v for a in AXIS_NAMES if (v := getattr(found, f"u_{a}")) is not None},
        chain=_adapter(Chain).validate_json(found.chain) if found.chain else None,
        proof=_adapter(Proof).validate_json(found.proof) if found.proof else None,
        note=found.note,
        id=found.id,
    )
