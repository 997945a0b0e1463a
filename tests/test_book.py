"""The book: append-only, crash-safe, and clear about what it cannot read."""

from __future__ import annotations

import math
import os
import signal
import sqlite3
import subprocess
import sys
import time
from dataclasses import replace
from datetime import UTC, datetime

import pytest
from sqlalchemy import event, inspect

from brisk_anchor.book.entries import Entry, EntryKind, RowState, state_of
from brisk_anchor.book.store import Book
from brisk_anchor.book.table import ENTRIES, HEAD
from brisk_anchor.core.errors import BookError, BookVersionError, BookWriteError
from brisk_anchor.core.offsets.proof import Proof

NOW = datetime(2026, 11, 23, 8, 0, tzinfo=UTC)


@pytest.fixture
def book(url):
    """An empty book, on each database that is supported."""
    with Book.open_url(url) as book:
        yield book


def entry(kind=EntryKind.STORED, row="G54", **more):
    return Entry(NOW, "Heron", row, kind, "GL-114", "lever", {"x": -1.0, "y": 2.0, "z": 3.5}, {"x": 0.001}, **more)


def proof(worst):
    return Proof(2354, "abc", (("x", -1.0),), worst, 0.002, 5, 19.0)


def test_entries_come_back_as_they_went_in(book):
    numbers = book.add(entry(note="naïve “quotes” ; drop table entry"), entry(EntryKind.PROVED, proof=proof(0.001)))
    assert numbers == [1, 2]
    first, second = book.history("Heron", "G54")
    assert (first.values, first.u, first.at) == ({"x": -1.0, "y": 2.0, "z": 3.5}, {"x": 0.001}, NOW)
    assert second.proof == proof(0.001)
    assert book.history("Heron", "G55") == []
    assert book.history("Otter") == []


def test_what_a_database_would_give_back_otherwise_leaves_the_seals_whole(book):
    odd = replace(entry(note="a\0b"), who="j\udce9r\u00f4me", values={"x": -0.0, "y": 3.0, "z": 5e-324}, figure=-0.0)
    book.add(odd, entry(row="G55"))
    assert book.verify().id == 2
    first = book.history("Heron", "G54")[0]
    assert (first.note, first.who, first.values) == ("a?b", "j?r\u00f4me", {"x": 0.0, "y": 3.0, "z": 5e-324})
    for figure in (math.nan, math.inf):
        with pytest.raises(BookWriteError, match="no number"):
            book.add(replace(entry(), values={"x": figure}))
    assert book.verify().id == 2


@pytest.mark.parametrize(
    ("kinds", "state"),
    [
        ([], RowState.EMPTY),
        ([("measured", None)], RowState.MEASURED),
        ([("measured", None), ("stored", None)], RowState.STORED),
        ([("stored", None), ("proved", 0.001)], RowState.PROVED),
        ([("stored", None), ("proved", 0.1)], RowState.STORED),
        ([("stored", None), ("proved", 0.001), ("stale", None)], RowState.STALE),
        ([("stored", None), ("stale", None), ("measured", None)], RowState.MEASURED),
        ([("stale", None)], RowState.EMPTY),
    ],
)
def test_state_follows_from_the_entries(kinds, state):
    assert state_of(entry(EntryKind(kind), proof=proof(p) if p else None) for kind, p in kinds) is state


def test_the_book_only_grows(book):
    book.add(entry())
    for change in (ENTRIES.update().values(x=99.0), ENTRIES.delete()):
        with pytest.raises(BookWriteError, match="only grows"), book.engine.begin() as connection:
            connection.execute(change)
    assert book.history("Heron")[0].values["x"] == -1.0


def test_all_or_none(book):
    with pytest.raises(BookWriteError, match="Nothing was stored"):
        book.add(entry(), entry(row=None))
    assert book.history("Heron") == []


def test_a_full_disk_changes_nothing(tmp_path):
    book = Book.open(tmp_path / "full.sqlite")
    book.add(entry())
    # A limit on the pages of the file is how SQLite meets a full disk; it holds for each connection.
    book.engine.dispose()
    event.listen(book.engine, "connect", lambda c, _: c.execute("PRAGMA max_page_count=16"))

    def fill():
        for _ in range(200):
            book.add(entry(note="x" * 2000))

    with pytest.raises(BookWriteError, match="Make room"):
        fill()
    kept = book.history("Heron")
    assert all(len(e.note) in (0, 2000) for e in kept)
    assert kept[0].note == ""
    assert len(kept) > 3
    book.close()


def test_a_book_of_a_newer_version_is_left_alone(tmp_path):
    path = tmp_path / "newer.sqlite"
    Book.open(path).close()
    with sqlite3.connect(path) as connection:
        connection.execute("update alembic_version set version_num = '9999'")
    connection.close()
    before = path.read_bytes()
    with pytest.raises(BookVersionError, match="newer version"):
        Book.open(path)
    assert path.read_bytes() == before


@pytest.mark.parametrize("content", [b"this is no database, only words" * 100, b"SQLite format 3\x00" + b"\xff" * 2000])
def test_what_is_no_book_is_refused_and_kept(tmp_path, content):
    path = tmp_path / "odd.sqlite"
    path.write_bytes(content)
    with pytest.raises(BookError, match="cannot be opened"):
        Book.open(path)
    assert path.read_bytes() == content


def test_a_folder_that_cannot_be_made(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(BookError, match="cannot be reached"):
        Book.open(tmp_path / "file" / "book.sqlite")


def test_head_is_the_newest_migration_and_makes_the_models_table(book):
    with book.engine.connect() as connection:
        assert connection.exec_driver_sql("select version_num from alembic_version").scalar() == HEAD
        columns = {column["name"] for column in inspect(connection).get_columns("entry")}
    assert columns == {column.name for column in ENTRIES.columns}


WRITER = """
import sys
from pathlib import Path
from tests.test_book import entry
from brisk_anchor.book.store import Book
book = Book.open(Path(sys.argv[1]))
print("open", flush=True)
while True:
    print(*book.add(entry(note="a" * 3000), entry(note="b" * 3000)), flush=True)
"""


def test_kill_in_the_middle_of_a_store_loses_nothing_confirmed(tmp_path):
    path, confirmed = tmp_path / "kill.sqlite", 0
    for pause in (0.05, 0.11, 0.23):
        writer = subprocess.Popen([sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE, text=True)
        assert writer.stdout.readline() == "open\n"
        time.sleep(pause)
        os.kill(writer.pid, signal.SIGKILL)
        told = writer.communicate()[0].splitlines()
        whole = [line for line in told if len(line.split()) == 2]
        confirmed = max([confirmed, *(int(line.split()[1]) for line in whole[:-1])])
        book = Book.open(path)
        kept = book.history("Heron")
        assert len(kept) >= confirmed
        assert len(kept) % 2 == 0
        assert [e.note[0] for e in kept] == ["a", "b"] * (len(kept) // 2)
        book.close()
    assert confirmed > 0
