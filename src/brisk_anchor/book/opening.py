"""Making a book ready: first opening and migrations, whole or not at all, one process at a time."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Column, Connection, Delete, Engine, MetaData, String, Table, Update, event, inspect, text

from brisk_anchor.book.address import BUSY, BookAddress
from brisk_anchor.book.table import HEAD, METADATA
from brisk_anchor.core.errors import BookError, BookVersionError, BookWriteError

LOCK_KEY = 0x42_41_42_4F
"""Of the advisory lock on a server that first openings, migrations and insertions take, each for its transaction."""
_WAIT = 20.0
"""How long, s, the first opening or migration by another process is waited for."""


def prepare(address: BookAddress, engine: Engine) -> None:
    """Bring a book to the newest form; one that has it is only looked at.

    Raises:
        BookVersionError: it was written by a newer version. BookError: another process holds it, or it is no book.
        SQLAlchemyError, sqlite3.Error: it cannot be read or written.
    """
    _listen(engine)
    if address.path is None:
        _upgrade(address, engine)
    else:
        with _file_lock(address.path):
            _use_wal(address.path)
            if _revision_of(engine) != HEAD:
                _copy_before(address.path, engine)
                _upgrade(address, engine)
    event.listen(engine, "before_execute", _refuse_changes)


def _refuse_changes(_connection: Connection, statement: Any, *_more: Any) -> None:
    """A book that is ready only grows, whoever asks; what brings it to a newer form has run before."""
    if isinstance(statement, (Update, Delete)):
        raise BookWriteError(
            "An entry of the book was to be changed or removed", "The book only grows", "Add a new entry instead"
        )


@contextmanager
def _file_lock(path: Path) -> Iterator[None]:
    """One process at a time; where no lock can be made, on a read-only disk, nothing can be changed either."""
    from filelock import FileLock, Timeout

    lock = FileLock(path.with_name(f".{path.name}.lock"), timeout=_WAIT)
    try:
        lock.acquire()
    except Timeout:
        what = f"Another process has held the book {path} for {_WAIT:.0f} s"
        raise BookError(what, "It brings it to a newer form, or hangs", "Wait, or end it, then try again") from None
    except OSError:
        yield
        return
    try:
        yield
    finally:
        lock.release()


_PAGES = 400
"""KiB of the file that SQLite keeps in memory, a fifth of what it would: the system keeps what was read last anyway."""


def _use_wal(path: Path) -> None:
    """Switch the file to write-ahead logging; that cannot be done within a transaction."""
    with closing(sqlite3.connect(path, timeout=BUSY, isolation_level=None)) as connection:
        if connection.execute("PRAGMA journal_mode").fetchone()[0] != "wal":
            connection.execute("PRAGMA journal_mode=WAL")


def _listen(engine: Engine) -> None:
    if engine.dialect.name != "sqlite":
        return

    def prepare_connection(connection: Any, _record: Any) -> None:
        connection.execute("PRAGMA synchronous=FULL")
        connection.execute(f"PRAGMA cache_size=-{_PAGES}")

    def begin(connection: Connection) -> None:
        writes = connection.get_execution_options().get("writes", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    event.listen(engine, "connect", prepare_connection)
    event.listen(engine, "begin", begin)


def take_turn(connection: Connection) -> None:
    """Within a transaction that writes: wait for all others that do. On SQLite it has been begun so."""
    if connection.dialect.name == "postgresql":
        connection.execute(text("SELECT pg_advisory_xact_lock(:key)"), {"key": LOCK_KEY})


def _revision_of(engine: Engine) -> str | None:
    with engine.connect() as connection:
        return _revision(connection)


def _revision(connection: Connection) -> str | None:
    tables = inspect(connection).get_table_names()
    if "alembic_version" not in tables:
        return None if not tables else "none"
    return connection.execute(text("select version_num from alembic_version")).scalar()


def _upgrade(address: BookAddress, engine: Engine) -> None:
    """Everything that makes or changes tables, in one transaction."""
    with engine.connect() as looking:
        present = _revision(looking)
    if present == HEAD or (present is None and _begin(engine)):
        return
    from alembic import command
    from alembic.config import Config
    from alembic.script import ScriptDirectory

    config = Config()
    config.set_main_option("script_location", "brisk_anchor.book:migrations")
    known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
    with engine.connect().execution_options(writes=True) as connection, connection.begin():
        take_turn(connection)
        revision = _revision(connection)  # another process may have done it meanwhile
        if revision == HEAD:
            return
        if revision == "none":
            what = f"{address.name} holds tables of something else"
            raise BookError(
                what, "It is not a book; nothing was changed", "Use a separate file or database for the book"
            )
        if revision is not None and revision not in known:
            raise BookVersionError(
                f"The book {address.name} was written by a newer version of Brisk Anchor (its form is “{revision}”)",
                "This version could misread it; nothing in it was changed",
                "Update Brisk Anchor, or open another book",
            )
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


_FORM = Table("alembic_version", MetaData(), Column("version_num", String(32), primary_key=True, nullable=False))
"""Where the form of a book is kept, as migrations keep it."""


def _begin(engine: Engine) -> bool:
    """Make the tables of a new book as the newest form has them; False where another process has begun one meanwhile.

    The migrations would come to the same, and a test holds that they do; but to load and run them takes longer than
    everything else at the first start.
    """
    with engine.connect().execution_options(writes=True) as connection, connection.begin():
        take_turn(connection)
        if _revision(connection) is not None:
            return False
        METADATA.create_all(connection)
        _FORM.create(connection)
        connection.execute(_FORM.insert().values(version_num=HEAD))
    return True


def _copy_before(path: Path, engine: Engine) -> None:
    """Keep the book as it is beside it, before its form changes; a copy is whole or not there."""
    revision = _revision_of(engine)
    if revision in (None, "none"):
        return
    kept = path.with_name(f"{path.stem}.before-{HEAD}.sqlite")
    if kept.exists():
        return
    partial = kept.with_suffix(".partial")
    with closing(sqlite3.connect(path, timeout=BUSY)) as source, closing(sqlite3.connect(partial)) as copy:
        source.backup(copy)
    with open(partial, "rb") as written:
        os.fsync(written.fileno())
    partial.replace(kept)
