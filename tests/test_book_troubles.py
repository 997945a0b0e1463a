"""What keeps a book from opening is told for what it is, and never by an advice that could cost the book."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy.exc import OperationalError

from brisk_anchor.book.address import BookAddress
from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.book.store import Book
from brisk_anchor.book.troubles import cannot_open, cannot_read, cannot_write
from brisk_anchor.core.errors import BookDamagedError, BookError
from brisk_anchor.services.demo.demo_job import open_demo
from brisk_anchor.services.offsets.book_files import write_snapshot
from brisk_anchor.services.session.book_opening import open_book


def sqlite_error(name: str, told: str) -> OperationalError:
    error = sqlite3.OperationalError(told)
    error.sqlite_errorname = name
    return OperationalError("select", {}, error)


@pytest.mark.parametrize(
    ("name", "told", "means"),
    [
        ("SQLITE_FULL", "database or disk is full", "The disk is full"),
        ("SQLITE_READONLY_DIRECTORY", "attempt to write a readonly database", "may only be read"),
        ("SQLITE_PERM", "access permission denied", "may not use this file"),
        ("SQLITE_CANTOPEN", "unable to open database file", "cannot be reached"),
        ("SQLITE_IOERR_FSYNC", "disk I/O error", "answers with an error"),
        ("SQLITE_BUSY", "database is locked", "Another process holds it"),
        ("SQLITE_NOTADB", "file is not a database", "damaged, or no book"),
        ("SQLITE_CORRUPT_VTAB", "database disk image is malformed", "damaged, or no book"),
    ],
)
def test_each_trouble_with_a_file_has_its_own_words(name, told, means):
    error = cannot_open(BookAddress.file(Path("book.sqlite")), sqlite_error(name, told))
    assert means in error.meaning
    assert "nothing in the book was changed" in error.meaning.lower()
    assert isinstance(error, BookDamagedError) == ("damaged" in means)
    assert "move" not in error.remedy
    if "damaged" not in means and name != "SQLITE_BUSY":
        assert means in cannot_write(sqlite_error(name, told)).meaning


@pytest.mark.parametrize(
    ("told", "means"),
    [
        ('connection failed: FATAL:  password authentication failed for user "x"', "password, or the user"),
        ('connection failed: FATAL:  database "y" does not exist', "no such database"),
        ("connection is bad: Connection refused", "No database server answers"),
        ("connection is bad: Name or service not known", "no server of that name"),
        ("permission denied for table entry", "may not use this book"),
        ("cannot execute INSERT in a read-only transaction", "only be read"),
        ("something new", "does not do what is asked"),
    ],
)
def test_each_trouble_with_a_server_has_its_own_words(told, means):
    address = BookAddress.parse("postgresql://u:secret@h/d")
    for error in (
        cannot_open(address, OperationalError("x", {}, Exception(told))),
        cannot_read(address.name, OperationalError("x", {}, Exception(told)), is_server=True),
    ):
        assert means in error.meaning
        assert not isinstance(error, BookDamagedError)
        assert "secret" not in error.one_line()


def test_a_folder_a_foreign_database_and_a_text_in_its_place(tmp_path: Path):
    (tmp_path / "book.sqlite").mkdir()
    with pytest.raises(BookError, match="cannot be reached") as caught:
        open_book(tmp_path / "book.sqlite")
    assert not isinstance(caught.value, BookDamagedError)
    foreign = tmp_path / "foreign.sqlite"
    with sqlite3.connect(foreign) as connection:
        connection.execute("create table stock (name)")
    connection.close()
    with pytest.raises(BookError, match="holds tables of something else"):
        open_book(foreign)
    (tmp_path / "file").write_text("x")
    with pytest.raises(BookError, match=r"opened: File exists\. The file or its folder cannot be reached"):
        open_book(tmp_path / "file" / "book.sqlite")
    text = tmp_path / "text.sqlite"
    text.write_text("no book at all, " * 100)
    with pytest.raises(BookDamagedError, match="Leave it where it is"):
        open_book(text)
    assert text.read_text().startswith("no book")


def test_a_trouble_that_is_no_damage_leaves_a_sound_book_alone(tmp_path: Path, monkeypatch):
    path = tmp_path / "book.sqlite"
    Book.open(path).close()
    before = path.read_bytes()

    def full(*_: object) -> None:
        raise sqlite_error("SQLITE_FULL", "database or disk is full")

    monkeypatch.setattr("brisk_anchor.book.store.prepare", full)
    with pytest.raises(BookError, match="Make room"):
        open_book(path)
    assert path.read_bytes() == before


def test_snapshots_of_names_that_look_alike_have_files_of_their_own(tmp_path: Path):
    session = open_demo(tmp_path, fresh=False)
    first, second = write_snapshot(session, "part 14"), write_snapshot(session, "part-14")
    assert first != second
    assert first.exists()
    assert second.name == "part-14.json"
    session.close()


def test_an_entry_of_the_last_year_is_shown_anywhere_on_earth(tmp_path: Path):
    (tmp_path / "home" / "demo").mkdir(parents=True)
    with Book.open(tmp_path / "home" / "demo" / "book.sqlite") as book:
        at = datetime(9999, 12, 31, 23, 59, 59, tzinfo=UTC)
        book.add(Entry(at, "Heron", "G54", EntryKind.TYPED, "GL-114", "late", {"x": 1.0}))
    command = str(Path(sys.executable).parent / "brisk-anchor")
    where = {"BRISK_ANCHOR_HOME": str(tmp_path / "home"), "TZ": "Asia/Tokyo"}
    done = subprocess.run([command, "book", "history", "G54"], capture_output=True, text=True, env=os.environ | where)
    assert done.returncode == 0, done.stderr
    assert "9999-12-31" in done.stdout
