"""A program of the tests: does something with a book again and again, killed before each SQL statement in turn.

It forks, as starting Python anew for every statement would take minutes. The parent opens no book itself.
"""

from __future__ import annotations

import os
import shutil
import signal
import sqlite3
import sys
from pathlib import Path

import alembic.command  # noqa: F401 loaded once, before the forks
import filelock  # noqa: F401

from brisk_anchor.book.seals import SealMark
from brisk_anchor.book.store import Book
from tests.test_book import entry

MOST = 400


def killed_before(number: int) -> None:
    """Kill this process before the SQL statement of that number, on whichever connection it comes."""
    real, count = sqlite3.dbapi2.connect, [0]

    def step(_statement: str) -> None:
        count[0] += 1
        if count[0] == number:
            os.kill(os.getpid(), signal.SIGKILL)

    def connect(*arguments: object, **more: object) -> sqlite3.Connection:
        connection = real(*arguments, **more)
        connection.set_trace_callback(step)
        return connection

    sqlite3.connect = sqlite3.dbapi2.connect = connect


def forked(work, *arguments) -> int:
    """How a child that does the work ends: its exit code, or minus the signal that killed it."""
    pid = os.fork()
    if not pid:
        code = 1
        try:
            code = work(*arguments) or 0
        finally:
            os._exit(code)
    return os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])


def store(path: Path, number: int) -> None:
    killed_before(number)
    with Book.open(path) as book:
        book.add(entry(note="a" * 3000), entry(note="b" * 3000))


def opening(path: Path, number: int) -> None:
    killed_before(number)
    Book.open(path).close()


def looked_at(path: Path, before: int) -> int:
    """Whether the book opens, has all its entries or none of the new ones, is sealed, and takes another."""
    with Book.open(path) as book:
        entries = book.history("Heron")
        assert len(entries) in (before, before + 2), len(entries)
        assert book.verify() == SealMark(len(entries), book.verify().seal)
        book.check()
        (added,) = book.add(entry(note="after"))
        assert added == len(entries) + 1
    return 0


def main() -> None:
    """kill_points MODE FOLDER BEFORE [FIRST STEP]: a `base.sqlite` in the folder is the book that is begun with."""
    mode, folder, before = sys.argv[1], Path(sys.argv[2]), int(sys.argv[3])
    first, step = (int(sys.argv[4]), int(sys.argv[5])) if len(sys.argv) > 5 else (1, 1)
    base = folder / "base.sqlite"
    for number in range(first, MOST, step):
        here = folder / f"{mode}-{number}"
        here.mkdir()
        path = here / "book.sqlite"
        if base.exists():
            shutil.copy(base, path)
        ended = forked(store if mode == "store" else opening, path, number)
        assert ended in (0, -signal.SIGKILL), (number, ended)
        assert forked(looked_at, path, before) == 0, (mode, number)
        shutil.rmtree(here)
        if not ended:
            print(number - 1, "statements")
            return
    raise AssertionError("it never came to its end")


if __name__ == "__main__":
    main()
