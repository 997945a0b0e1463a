"""The screen stays alive while the book does not answer, and says so; what was asked is done when the answer comes."""

from __future__ import annotations

import asyncio
import io
import threading
import time
from contextvars import copy_context
from functools import partial

import pytest
from rich.console import Console

from brisk_anchor.book.entries import EntryKind
from brisk_anchor.book.store import Book
from brisk_anchor.core.errors import BookSilentError, BookTamperedError
from brisk_anchor.patience import PAUSE, Helper
from brisk_anchor.services.offsets.book_rows import RowChange
from brisk_anchor.tui import start
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.entry import Question
from brisk_anchor.tui.patience import _pause
from brisk_anchor.tui.rows_sheet import RowsSheet
from tests.tui.test_fast_keys import press_at_once
from tests.tui.test_pilot import Bench, said, wait_for


@pytest.fixture
def hanging(monkeypatch):
    """The book's additions hang until the event is set; the screen waits for them a moment only."""
    monkeypatch.setattr("brisk_anchor.tui.patience.MOMENT", 0.02)
    monkeypatch.setattr("brisk_anchor.tui.patience.TOLD_AFTER", 0.05)
    go, real = threading.Event(), Book._insert

    def slow(*arguments):
        go.wait(20)
        return real(*arguments)

    def hang():
        monkeypatch.setattr(Book, "_insert", staticmethod(slow))
        return go

    yield hang
    go.set()


async def test_keys_go_on_while_a_store_waits_and_it_is_stored_when_the_book_answers(tmp_path, hanging):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("f", "enter", "f", "enter", "s")
        go = hanging()
        await bench.pilot.press("enter")
        await wait_for(lambda: app.patience.waits)
        await wait_for(lambda: "Waiting for an answer from" in said(app))
        taken = []
        for key in ("2", "1", "4", "1"):
            began = time.monotonic()
            await bench.pilot.press(key)
            taken.append(time.monotonic() - began)
        assert max(taken) < 5.0  # with the pilot on a busy machine; the store itself still hangs
        assert app.view == "bench"
        await bench.pilot.press("k")  # whatever would change something has to wait
        assert "Waiting for an answer" in said(app)
        assert app.view_state.session.working.clamping == 0
        go.set()
        await wait_for(lambda: not app.patience.waits)
        await bench.pilot.pause()
        assert app.view_state.session.rows.state("G54").value == "stored"


async def test_a_store_that_is_never_answered_is_told_and_the_table_put_back(tmp_path, hanging, monkeypatch):
    monkeypatch.setattr("brisk_anchor.book.store.ANSWER", 0.3)
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("f", "enter", "f", "enter", "s")
        before = app.view_state.session.machine.offset("G54")
        hanging()
        await bench.pilot.press("enter")
        await wait_for(lambda: app.patience.waits)
        await wait_for(lambda: not app.patience.waits)
        await bench.pilot.pause()
        assert "has not answered" in said(app)
        assert app.view_state.session.machine.offset("G54") == before
        assert app.view_state.session.rows.state("G54").value == "measured"


async def test_what_is_typed_while_the_disk_takes_a_moment_is_taken_after_it_in_its_order(
    tmp_path, hanging, monkeypatch
):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("f", "enter", "f", "enter", "s")
        go = hanging()
        monkeypatch.setattr("brisk_anchor.tui.patience.TOLD_AFTER", 20.0)
        press_at_once(app, ["enter", "o", "G", "5", "6", "enter", "2", "k"])
        await asyncio.sleep(0.1)
        assert app.view == "bench"
        go.set()
        await wait_for(lambda: app.view == "book")
        assert app.view_state.row == "G56"
        assert app.view_state.session.rows.state("G54").value == "stored"


async def test_keys_typed_before_it_is_told_that_the_book_hangs_are_forgotten_and_counted(tmp_path, hanging):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("f", "enter", "f", "enter", "s")
        go = hanging()
        press_at_once(app, ["enter", "o", "G"])
        await wait_for(lambda: "2 keys typed since: not taken" in said(app))
        go.set()
        await wait_for(lambda: not app.patience.waits)
        await bench.pilot.pause()
        assert not app.query_one("EntryLine").is_open


async def test_a_digit_is_not_overtaken_by_the_key_that_takes_the_figure(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        asked = []
        for last in ("tab", "enter"):
            app.ask(Question("length", None, 0.0, 500.0, asked.append))
            press_at_once(app, [*"120.258", "backspace", "left", "delete", "7", last])
            await wait_for(lambda: not app.query_one("EntryLine").is_open)
            await bench.pilot.pause()
        assert asked == [120.27, 120.27]


async def test_a_sheet_that_writes_rows_waits_for_the_book_as_a_view_does(tmp_path, hanging):
    async with Bench(tmp_path) as bench:
        app, done = bench.app, []
        book = app.view_state.session.ledger

        def change():
            book.add(EntryKind.LOCKED, "G54", None)
            done.append(book.locked("G54"))
            return "locked", ""

        line = RowChange("G54", {"x": 1.0}, {"x": 1.0}, "", "")
        app.push_screen(RowsSheet(app, "rows", "locks", [line], change))
        await bench.pilot.pause()
        go = hanging()
        press_at_once(app, ["enter"])
        await wait_for(lambda: app.patience.waits)
        go.set()
        await wait_for(lambda: done)
        assert done == [True]


def test_what_is_not_set_aside_waits_in_full():
    helper = Helper("slow")
    context = copy_context()
    context.run(PAUSE.set, _pause)
    assert context.run(helper.run, lambda given: (time.sleep(0.2), given.wanted)[1], 5.0)
    helper.close()


def top_line(app):
    console = Console(width=160, file=io.StringIO())
    console.print(app.query_one("TopLine").render())
    return console.file.getvalue()


async def test_what_others_added_is_asked_for_behind_the_screen_and_silence_is_shown(tmp_path, monkeypatch):
    async with Bench(tmp_path) as bench:
        app = bench.app
        threads = []

        def silent(self, machine):
            threads.append(threading.current_thread())
            raise BookSilentError("The book has not answered for 5 s", "", "")

        monkeypatch.setattr(Book, "newest", silent)
        await wait_for(lambda: app.view_state.book_silent)
        assert threading.main_thread() not in threads
        assert "does not answer" in top_line(app)
        monkeypatch.undo()
        await wait_for(lambda: not app.view_state.book_silent)
        await asyncio.sleep(0.05)
        assert "does not answer" not in top_line(app)


async def test_an_entry_that_was_changed_is_told_when_the_book_is_opened(tmp_path, monkeypatch):
    def tampered(book):
        raise BookTamperedError("Entry 2 of the book is not as it was added")

    monkeypatch.setattr("brisk_anchor.services.session.book_opening.verify_new", tampered)
    async with Bench(tmp_path) as bench:
        await wait_for(lambda: "Entry 2 of the book" in said(bench.app))
        assert bench.app.view_state.session.book.damage  # nothing more is written into it


def test_an_unexpected_error_is_no_success_and_shows_no_values(tmp_path, monkeypatch, capsys):
    def open_job():
        password = "s3cret-word"
        raise RuntimeError(f"unexpected, {len(password)}")

    app = BriskAnchorApp(open_job, tmp_path)
    monkeypatch.setattr(start, "BriskAnchorApp", lambda *_, **__: app)
    monkeypatch.setattr(app, "run", lambda: asyncio.run(app.run_async(headless=True)))
    assert start._run(open_job, tmp_path, 1.0) == 1
    told = capsys.readouterr()
    assert "s3cret-word" not in (told.out + told.err).replace('password = "s3cret-word"', "")


async def test_what_is_worked_on_behind_the_screen_is_never_put_into_words(tmp_path):
    """A set-up with a thousand features took a third of a second to be written out, and nobody reads it."""

    class Vast:
        def __repr__(self):
            raise AssertionError("written out")

    async with Bench(tmp_path) as bench:
        done = []
        bench.app.in_background(partial(done.append, Vast()), "vast")
        await wait_for(lambda: done)
