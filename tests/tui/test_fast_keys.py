"""Keys typed faster than the screen can follow: each goes to the view that was shown when it was pressed."""

from __future__ import annotations

import asyncio
import random

import pytest
from textual import events
from textual.keys import _character_to_key
from textual.widgets import Input

from brisk_anchor.services.demo.demo_job import open_block
from brisk_anchor.tui.actions import ACTIONS
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.views import VIEWS
from tests.tui.test_pilot import Bench, said, wait_for

LEAVE = {"q", "ctrl+q"}


def keys_of(view: str) -> list[str]:
    """Every key that means something in a view, but those that leave the application."""
    return [key for action in ACTIONS if view in action.views for key in action.keys.split(",") if key not in LEAVE]


def press_at_once(app, keys):
    """Put keys into the application without waiting for any of them."""
    names = {_character_to_key(character): character for character in map(chr, range(33, 127))}
    for key in keys:
        app.post_message(events.Key(key, names.get(key)))


async def settled(bench):
    """Leave whatever is open and let what moves come to its end."""
    for _ in range(4):
        await bench.pilot.press("escape")
    await wait_for(lambda: not bench.app.view_state.moving)
    await bench.pilot.pause()


async def test_escape_stops_the_repeats_and_keeps_nothing_of_them(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("f", "enter")
        press_at_once(bench.app, ["Y", "escape"])
        await wait_for(lambda: bench.app.view_state.repeating is not None or "Stopped after" in said(bench.app))
        await wait_for(lambda: bench.app.view_state.repeating is None)
        await bench.pilot.pause()
        assert "of 25 runs" in said(bench.app)
        session = bench.app.view_state.session
        assert session.working.repeated == {}
        assert session.setup.stylus.repeats is None


@pytest.mark.parametrize("view", [view.name for view in VIEWS])
async def test_every_key_of_a_view_at_full_speed(tmp_path, view):
    entry = next(entry for entry in VIEWS if entry.name == view)
    chance = random.Random(view)
    async with Bench(tmp_path) as bench:
        for _ in range(2):
            keys = keys_of(view)
            chance.shuffle(keys)
            for key in keys:
                press_at_once(bench.app, [entry.key, key, "escape"])
            press_at_once(bench.app, ["escape", entry.key, *keys])  # and without a pause for lines that opened
            await asyncio.sleep(0.1)
            await settled(bench)
        assert bench.app.is_running


async def test_what_is_typed_ahead_of_the_job_goes_to_the_view_it_was_typed_for(tmp_path):
    bench = Bench(tmp_path)
    async with bench.app.run_test(size=(160, 44)) as pilot:
        press_at_once(bench.app, ["3", "c", "2", "g", "6", "right", "3", "p", "1"])
        bench.pilot = pilot
        await wait_for(lambda: bench.app.view_state is not None and bench.app.view == "bench")
        await settled(bench)
        assert bench.app.query("#code")
        assert bench.app.query("#tools")
        bench.app.view_state.session.book.close()


async def test_a_block_with_nothing_drawn_opens_every_view_and_an_empty_plan_takes_every_key(tmp_path):
    app = BriskAnchorApp(lambda: open_block(tmp_path, fresh=False), tmp_path, speed=2000.0)
    async with app.run_test(size=(160, 44)) as pilot:
        await wait_for(lambda: app.view_state is not None)
        for entry in VIEWS:
            await pilot.press(entry.key)
            assert app.view == entry.name
        await pilot.press("7")
        assert "Nothing is planned yet" in said(app)
        assert "L takes what is marked" in said(app, "#plan-list")
        assert str(app.query_one("#plan-figures").render()) == ""
        press_at_once(app, ["delete", "space", "shift+up", "enter", "backspace", "e", "o", "w", "t", "escape"])
        await pilot.pause()
        assert app.view_state.plan.plan.measure == []
        app.view_state.session.book.close()


async def test_no_key_of_the_book_acts_on_a_row_that_is_not_listed(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("2", "slash")
        app.query_one(Input).value = "no such words"
        await bench.press("enter")
        assert "no row is chosen" in said(app, "#history-heading")
        for key in ("e", "u", "r", "l", "j", "N", "p", "O", "s", "W", "x", "d", "T", "a"):
            press_at_once(app, [key, "y", "enter"])
            await bench.pilot.pause()
            assert "No row has these words" in said(app), key
            await settled(bench)
        assert app.view_state.session.book.newest("Heron") == 0
