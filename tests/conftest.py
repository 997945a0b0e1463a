"""Shared fixtures. No test can touch the user's files: the data folder is always a fresh one."""

from __future__ import annotations

import gc
import os
import socket
from contextlib import suppress
from functools import lru_cache
from itertools import count
from pathlib import Path

import pytest
from hypothesis import settings
from sqlalchemy import text
from typer.main import get_command

from brisk_anchor.book.address import BookAddress
from brisk_anchor.book.store import Book
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.quantities import Unit, show_in
from brisk_anchor.nc.profile.control_profile import Profile, shipped_profile
from brisk_anchor.services.paths import HOME_VARIABLE
from brisk_anchor.services.session.book_opening import BOOK_VARIABLE
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import Scene, build_scene
from brisk_anchor.standin.scene_file import load_scene
from tests import postgres

# The same examples in every run: a test that fails must fail again.
settings.register_profile("steady", derandomize=True, deadline=None)
settings.load_profile("steady")


@pytest.fixture(autouse=True, scope="session")
def _commands_worked_out_once():
    """Typer works every command out again each time one is run: 50 ms, for hundreds of runs."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("typer.testing._get_command", lru_cache(maxsize=4)(get_command))
        yield


LONGEST_FIRST = (
    "tui/test_pilot_jobs.py",
    "test_guide.py",
    "tui/test_pilot.py",
    "tui/test_plan_view.py",
    "test_book_safety.py",
    "turning/test_turning_screen.py",
    "test_hostile_files.py",
    "tui/test_tmux.py",
    "tui/test_fast_keys.py",
    "test_places.py",
    "test_runtime.py",
    "tui/test_walk_up.py",
    "test_results.py",
    "test_cli.py",
    "tui/test_views_agree.py",
    "test_surroundings.py",
    "tui/test_linked.py",
)
"""Files that take longest: they begin first, so that no worker is left alone with one of them at the end."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Put the files that take longest first."""
    here = Path(__file__).parent

    def place(item: pytest.Item) -> int:
        name = item.path.relative_to(here).as_posix() if item.path.is_relative_to(here) else ""
        return LONGEST_FIRST.index(name) if name in LONGEST_FIRST else len(LONGEST_FIRST)

    items.sort(key=place)


_PORTS = count()


@pytest.fixture
def free_port() -> int:
    """A port of this computer that no other test process is given.

    One that the system hands out may have been another's a moment before, who still calls there.
    """
    worker = int("".join(filter(str.isdigit, os.environ.get("PYTEST_XDIST_WORKER", "0"))))
    while True:
        number = 20_000 + 200 * worker + next(_PORTS) % 200
        with suppress(OSError), socket.create_server(("127.0.0.1", number)):
            return number


def pytest_collection_finish() -> None:
    """Leave what was collected out of every later collection of garbage: looking through it takes half a second."""
    gc.collect()
    gc.freeze()


@pytest.fixture(autouse=True)
def lengths_in_mm(monkeypatch: pytest.MonkeyPatch):
    """Each test begins with lengths shown in mm, and nobody asked for another unit, whatever the one before did."""
    monkeypatch.setattr("brisk_anchor.core.quantities._preferred", [])
    show_in(Unit.MM)


@pytest.fixture(autouse=True)
def _own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(HOME_VARIABLE, str(tmp_path / "home"))
    monkeypatch.delenv(BOOK_VARIABLE, raising=False)
    # The pilot looks at the screen at once: a disk that is slow just then must not decide what it sees.
    monkeypatch.setattr("brisk_anchor.tui.patience.MOMENT", 5.0)


@pytest.fixture(scope="session")
def scene() -> Scene:
    return build_scene(load_scene("heron-gl114"))


@pytest.fixture(scope="session")
def profile() -> Profile:
    return shipped_profile("skip-macro")


@pytest.fixture(scope="session")
def stylus(scene: Scene) -> Stylus:
    return scene.setup.stylus


@pytest.fixture(scope="session")
def postgres_url():
    """A server of our own, where the tests are to use one."""
    if not os.environ.get(postgres.WANTED):
        pytest.skip(f"{postgres.WANTED} is not set")
    with postgres.server() as url:
        yield url


@pytest.fixture(params=["sqlite", "postgresql"])
def url(request, tmp_path):
    """The address of an empty book, on each database that is supported."""
    if request.param == "sqlite":
        return f"sqlite:///{tmp_path / 'book.sqlite'}"
    found = request.getfixturevalue("postgres_url")
    engine = BookAddress.parse(found).engine()
    with engine.begin() as connection:
        connection.execute(text("drop table if exists entry, alembic_version"))
    engine.dispose()
    return found


@pytest.fixture
def book(tmp_path: Path):
    book = Book.open(tmp_path / "book.sqlite")
    yield book
    book.close()


@pytest.fixture
def session(scene: Scene, book: Book, profile: Profile) -> Session:
    """The demo job with noise and an empty book."""
    return Session(scene, book, profile, seed=3)


@pytest.fixture
def quiet(scene: Scene, profile: Profile) -> Session:
    """The demo job with a probe that never errs, and no book."""
    return Session(scene, None, profile, seed=None)


def pytest_terminal_summary(terminalreporter):
    """Print the keystrokes that the walk-ups took, whether output is captured or not."""
    for report in terminalreporter.stats.get("passed", []):
        for name, words in report.user_properties:
            if name == "keystrokes":
                terminalreporter.write_line(words)
