"""The book under the worst: killed at any point of 500 stores, and 100,000 entries of history under every key.

With `--all` also: killed before every SQL statement of first opening, migration and storing; first openings by several
processes at once; 10,000 additions and looks of three clients in any order; edits of a job killed, without room and on
a bad disk at every file operation; 100,000 spoiled files for the readers. It fails when anything was lost.
"""

from __future__ import annotations

import errno
import os
import random
import shutil
import signal
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import ExitStack, suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path

from tests.test_book import entry as test_entry
from tests.test_book_safety import MANY, interleaved, old_book

from benchmarks.readers import spoiled_files
from benchmarks.start import Terminal
from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.book.store import Book
from brisk_anchor.services.offsets.offset_book import typed_chain
from brisk_anchor.services.paths import demo_folder

STORES, ENTRIES = 500, 100_000
RACES, STEPS = 24, 10_000
_WRITER = """
import sys
from pathlib import Path
from benchmarks.strength import entry
from brisk_anchor.book.store import Book
book = Book.open(Path(sys.argv[1]))
start = book.numbers("Heron").get("G54", 0)
for n in range(start + 1, int(sys.argv[2]) + 1):
    book.add(entry(n, "G54"), entry(n, "G55"))
    print(n, flush=True)
"""


def entry(number: int, row: str, at: datetime | None = None) -> Entry:
    """A stored entry with a chain."""
    chain = typed_chain(row, {"x": -float(number), "y": 2.0, "z": 3.5}, {}, {}, "made up")
    when = at or datetime.now(UTC)
    return Entry(when, "Heron", row, EntryKind.STORED, "GL-114", "lever", chain.values, {}, chain, number=number)


def _kills(folder: Path) -> bool:
    """Writers are killed at random moments until 500 double stores are in; each time the book is looked through."""
    path, confirmed, kills = folder / "kills.sqlite", 0, 0
    Book.open(path).close()
    source = random.Random(3)
    while confirmed < STORES:
        with subprocess.Popen(
            [sys.executable, "-c", _WRITER, str(path), str(STORES)], stdout=subprocess.PIPE, text=True
        ) as run:
            told = [run.stdout.readline()] if run.stdout else []
            time.sleep(source.uniform(0, 0.15))
            os.kill(run.pid, signal.SIGKILL)
            told += run.stdout.read().splitlines() if run.stdout else []
        kills += 1
        confirmed = max([confirmed, *(int(line) for line in told if line.strip().isdigit())])
        book = Book.open(path)
        book.check()
        rows = [[e.number for e in book.history("Heron", row)] for row in ("G54", "G55")]
        whole = rows[0] == rows[1] == list(range(1, len(rows[0]) + 1)) and len(rows[0]) >= confirmed
        book.close()
        if not whole:
            print(f"BROKEN after kill {kills}: {len(rows[0])} and {len(rows[1])} entries, {confirmed} confirmed")
            return False
    print(f"{confirmed} double stores, killed {kills} times: nothing confirmed was lost, no half store was left")
    return True


def _keys(folder: Path) -> None:
    """Keys over 100,000 entries in a real terminal, from the press to the first change; then with the book locked."""
    os.environ["BRISK_ANCHOR_HOME"] = str(folder / "home")
    path = demo_folder() / "book.sqlite"
    book = Book.open(path)
    rows = ["G54", "G55", "G56", "G57", "G58", *(f"G54.1 P{n}" for n in range(1, 46))]
    start, each = datetime.now(UTC) - timedelta(days=900), ENTRIES // 50
    for row in rows:
        for first in range(1, each + 1, 1000):
            numbers = range(first, min(first + 1000, each + 1))
            book.add(*(entry(n, row, start + timedelta(minutes=n)) for n in numbers))
    book.close()
    terminal = Terminal([str(Path(sys.executable).parent / "brisk-anchor"), "demo"], folder / "home")
    print(f"{ENTRIES} entries: ready to work after {terminal.read_until(b'measures it again'):.2f} s")
    time.sleep(45)  # the new book is looked through once, beside the keys
    bench, listed = [b"f", b"d", b"a", b"v", b"\t", b"I", b"I"], [b"\x1b[B", b"g", b"o", b" ", b"\x1b[A", b"i"]

    def told(name: str) -> None:
        taken = [terminal.key(key) for key in bench * 6]
        terminal.key(b"2")
        taken += [terminal.key(key) for key in listed * 8]
        terminal.key(b"1")
        ordered = sorted(1000 * value for value in taken)
        most = ordered[int(0.95 * len(ordered))]
        print(f"  {name:<32}{statistics.median(ordered):4.0f} ms median, 95 % under {most:.0f} ms ({len(taken)} keys)")

    told("bench and book")
    with sqlite3.connect(path, isolation_level=None) as other:
        other.execute("BEGIN EXCLUSIVE")
        told("the same while the book hangs")
        other.execute("ROLLBACK")
    terminal.close()


def _statements(folder: Path) -> bool:
    """Killed before each SQL statement in turn."""
    told = []
    for mode, before in (("open", 0), ("migrate", 3), ("store", 1)):
        here = folder / mode
        here.mkdir()
        if mode == "migrate":
            old_book(here / "base.sqlite")
        elif mode == "store":
            with Book.open(here / "base.sqlite") as book:
                book.add(test_entry())
        command = [sys.executable, "-m", "tests.kill_points", mode, str(here), str(before)]
        ran = subprocess.run(command, capture_output=True, text=True)
        if ran.returncode:
            print(ran.stderr[-1000:])
            return False
        told.append(f"{mode} {ran.stdout.strip()}")
    print(f"killed before every statement, each time whole afterwards: {', '.join(told)}")
    return True


def _races(folder: Path) -> bool:
    """New books opened by two to four processes at once, each adding five entries."""
    failed = 0
    for race in range(RACES):
        url, many = f"sqlite:///{folder / f'race-{race}.sqlite'}", 2 + race % 3
        runs = [
            subprocess.Popen([sys.executable, "-c", MANY, url, str(n)], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
            for n in range(many)
        ]
        time.sleep(0.8)
        for run in runs:
            run.communicate(b"\n", timeout=120)
        with Book.open_url(url) as book:
            failed += any(run.returncode for run in runs) or book.verify().id != 5 * many
    print(f"{RACES} first openings by two to four processes at once: {failed} failed")
    return not failed


def _interleavings(folder: Path) -> bool:
    """Three clients add and look in any order."""
    with ExitStack() as stack:
        books = [stack.enter_context(Book.open(folder / "three.sqlite")) for _ in range(3)]
        seen = interleaved(books, STEPS, random.Random(11))
        same = seen[0] == seen[1] == seen[2]
        entries = books[0].verify().id  # of which a window holds the newest of each row
        whole = entries == max(number for row in seen[0].values() for number, _ in row)
    print(f"{STEPS} steps of three clients, {entries} entries: {'all saw the same' if same and whole else 'DIFFERENT'}")
    return same and whole


def _edits(folder: Path) -> bool:
    """A new job, an edit of two files and its undoing: killed, without room, or with a bad disk at each file operation.

    Whatever happens, the job is as it was or as it was to be: never half, and never damaged.
    """
    from tests.kill_points import forked
    from tests.test_folder_change import at_operation

    from brisk_anchor.core.errors import BriskAnchorError
    from brisk_anchor.exchange import files
    from brisk_anchor.services.job.job_editor import JobEditor
    from brisk_anchor.services.job.jobs import load_job, new_job

    def edit(there: Path) -> None:
        editor = JobEditor(there)
        editor.make(editor.drawn("bore 12, 40, 20"))

    def undo(there: Path) -> None:
        editor = JobEditor(there)
        change = editor.drawn("bore 12, 40, 20")
        editor.make(change)
        editor.take_back(editor.undone())

    def texts(there: Path) -> dict[str, bytes]:
        return {p.name: p.read_bytes() for p in there.iterdir() if p.suffix in (".toml", ".dxf")}

    def trouble(kind: str) -> Callable[[], None]:
        def happens() -> None:
            if kind == "killed":
                os.kill(os.getpid(), signal.SIGKILL)
            code = getattr(errno, kind)
            raise OSError(code, os.strerror(code))

        return happens

    told, good, here = [], True, folder / "here"
    for work, begin in ((new_job, False), (edit, True), (undo, True)):
        (base := folder / f"{work.__name__}-base").mkdir()
        if begin:
            new_job(base)
        before = texts(base)
        counted = folder / f"{work.__name__}-counted"
        shutil.copytree(base, counted)
        with at_operation(0, trouble("EIO")) as count:
            work(counted)
        wanted = [before, texts(counted)]
        if work is undo:  # what it undoes may be what stands
            shutil.copytree(base, half := folder / "undo-half")
            edit(half)
            wanted.append(texts(half))
        points, half_done = 0, 0
        for kind in ("killed", "ENOSPC", "EIO"):
            for number in range(1, count[0] + 1):
                shutil.rmtree(here, ignore_errors=True)
                shutil.copytree(base, here)
                files._HELPER.close()  # its thread does not come along
                points += 1

                def there(work: Callable[[Path], object] = work, number: int = number, kind: str = kind) -> int:
                    with suppress(BriskAnchorError), at_operation(number, trouble(kind)):
                        work(here)
                    return 0

                ended = forked(there)
                now = texts(here)
                try:
                    if any(here.glob("*.toml")):
                        load_job(here)  # finishes what was cut off
                    now = texts(here)
                    whole = now in wanted or (work is new_job and set(now) <= {"bc-27.dxf"})
                except BriskAnchorError:
                    whole = False
                half_done += not (whole and ended in (0, -signal.SIGKILL))
        told.append(f"{work.__name__.replace('_', ' ')} {points} points, {half_done} left half")
        good = good and not half_done
    print(f"killed, no room and a bad disk at every file operation: {'; '.join(told)}")
    return good


def main() -> None:
    """What was asked for."""
    everything = "--all" in sys.argv
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        good = _kills(folder)
        if everything:
            good = all([_edits(folder), _statements(folder), _races(folder), _interleavings(folder), good])
            good = spoiled_files() and good
        _keys(folder)
    print(f"{'GOOD' if good else 'FAILED'}: the book under the worst")
    if not good:
        raise SystemExit(1)
