"""The lathe's screen: every key, the whole way in a real terminal, and what is shown on it."""

from __future__ import annotations

import inspect
import re
from collections.abc import Sequence
from contextlib import asynccontextmanager
from pathlib import Path

import pytest

from brisk_anchor.core.errors import JobError
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.tui.entry import EntryLine
from brisk_anchor.tui.frame import Prompt
from brisk_anchor.tui.turning.app import TurningApp
from brisk_anchor.tui.turning.base import TurningPanel
from brisk_anchor.tui.turning.bench import BigFigures
from brisk_anchor.tui.turning.keys import ACTIONS, VIEWS
from brisk_anchor.tui.turning.targets import TargetsView
from tests.tui.test_tmux import Terminal
from tests.turning.lathe_helpers import SLEEVE, face, sleeve


def words_of(widget) -> str:
    """What a panel shows."""
    made = widget.render()
    return made.plain if hasattr(made, "plain") else str(made)


@asynccontextmanager
async def opened(folder: Path, *changes: tuple[str, str], size=(160, 44)):
    sleeve(folder, *changes).close()
    app = TurningApp(lambda: TurningSession.open(folder / "turning.toml", folder, seed=None), folder)
    async with app.run_test(size=size) as pilot:
        for _ in range(200):
            await pilot.pause(0.02)
            if app.session is not None and app.query("#bench"):
                break
        await pilot.pause()
        yield app, pilot


async def keys(pilot, *names: str) -> None:
    for name in names:
        if name.startswith("'"):
            for character in name[1:]:
                await pilot.press({".": "full_stop", "-": "minus", " ": "space"}.get(character, character))
        else:
            await pilot.press(name)
        await pilot.pause()


def prompt(app: TurningApp) -> str:
    return words_of(app.query_one(Prompt))


async def test_every_action_has_a_handler_that_takes_its_arguments(tmp_path: Path):
    async with opened(tmp_path) as (app, pilot):
        for view in VIEWS:
            await pilot.press(view.key)
            await pilot.pause()
            assert app.view == view.name
            panel = app.query_one(f"#{view.name}", TurningPanel)
            for action in ACTIONS:
                if view.name in action.views and action.do != "view":
                    handler = app.handlers.get(action.do) or panel.handlers[action.do]
                    inspect.signature(handler).bind(*action.arguments)


def test_a_key_means_one_thing_in_a_view():
    for view in VIEWS:
        meant = [key for action in ACTIONS if view.name in action.views for key in action.keys.split(",")]
        assert len(meant) == len(set(meant)), view.name


async def test_z_by_difference_takes_few_keys_and_shows_its_sum(tmp_path: Path):
    async with opened(tmp_path) as (app, pilot):
        assert "h: home" in prompt(app)
        await keys(pilot, "h", "n", "m", "c", "enter", "m")
        session = app.session
        assert session is not None
        pressed = ["f", "'53.0", "enter", "enter"]
        await keys(pilot, *pressed)
        besides = sum(1 for name in pressed if not name.startswith("'"))
        assert besides <= 8
        assert "G54 Z" in prompt(app)
        assert "is stored" in prompt(app)
        assert session.machine.tables.work["G54"][1] == pytest.approx(session.machine.cut_at[1] - 1.0)
        await keys(pilot, "f", "'53.0", "enter")
        assert "second look" in words_of(app.query_one("#looks-heading"))
        assert "measured from the jaws" in words_of(app.query_one("#sum"))
        await keys(pilot, "o")
        assert "T1 geometry" in prompt(app)
        await keys(pilot, "escape")
        assert session.zero.proposal is None
        await keys(pilot, "shift+right", "f")
        assert "Z moved by +0.100 mm since the cut" in prompt(app)
        await keys(pilot, "W")
        assert "Enter: write G55 Z" in prompt(app)
        await keys(pilot, "enter")
        assert "G55, G56 are written" in prompt(app)
        await keys(pilot, "W")
        assert "Every length of the family is written" in prompt(app)
        await keys(pilot, "u")
        assert "G55, G56 as before the last store" in prompt(app)
        await keys(pilot, "L")
        assert "has none" in prompt(app)


async def test_an_empty_turret_is_told_in_every_view(tmp_path: Path):
    tools = re.search(r"tools = \[.*?\n\]", SLEEVE, re.DOTALL)
    assert tools is not None
    typed = ('connection = "stand-in"', 'connection = "none"')
    async with opened(tmp_path, typed, (tools[0], "tools = []")) as (app, pilot):
        for view in VIEWS:
            await keys(pilot, view.key)
        for names in (("6", "down"), ("n",), ("N",), ("w",), ("1", "full_stop")):
            await keys(pilot, *names)
            assert "No tool is in the turret" in prompt(app), names
        await keys(pilot, "h", "'-182.64", "enter", "'-310.42", "enter", "f")
        assert "No tool is at the work" in prompt(app)


async def test_choices_sheets_and_refusals_are_told(tmp_path: Path):
    async with opened(tmp_path, size=(100, 30)) as (app, pilot):
        for name, told in (
            ("F", "from the chuck"),
            ("G", "measured with the caliper"),
            ("g", "1 mm a step"),
            ("o", "Nothing is measured yet"),
            ("f", "axes are not homed"),
            ("B", "Nothing of G54 is measured"),
            ("tab", "No part of the family"),
            ("p", "not stored"),
            ("t", "has not been stored yet"),
            ("enter", "home the axes"),
        ):
            await keys(pilot, name)
            await pilot.pause(0.3 if name in "pt" else 0)
            assert told in prompt(app), name
        await keys(pilot, "h", "question_mark")
        assert len(app.screen_stack) == 2
        await keys(pilot, "x", "I")
        assert "inch now" in prompt(app)
        assert app.query_one("#section").section is not None
        await keys(pilot, "I", "l", "'0.2", "enter")
        assert app.session is not None
        assert app.session.zero.later == pytest.approx(0.2)
        await keys(pilot, "r", "'40", "enter", "'40.02", "enter", "'100", "enter")
        assert "Taper: +0.020 mm" in prompt(app)
        await keys(pilot, "v", "w", "j", "'x 1 q", "enter")
        assert app.query_one(EntryLine).is_open, "what means nothing is not taken"
        await keys(pilot, "escape", "k", "enter")
        assert "fresh piece" in prompt(app)


async def test_set_up_turret_and_book_by_keys(tmp_path: Path):
    async with opened(tmp_path) as (app, pilot):
        session = app.session
        assert session is not None
        await keys(pilot, "5", "down", "enter")
        line = app.query_one(EntryLine)
        assert line.is_open
        line.query_one("Input").value = "bar ⌀55 front 2 back 32"
        await keys(pilot, "enter")
        assert session.job.setup.stock.diameter == 55
        await keys(pilot, "u")
        assert session.job.setup.stock.diameter == 52
        for _ in range(9):
            await keys(pilot, "down")
        await keys(pilot, "enter")
        line.query_one("Input").value = "T4 groover width 2 sticks 10"
        await pilot.pause()
        assert "reference edge" in words_of(line.query_one("#entry-note"))
        await keys(pilot, "escape", "delete")
        assert "cannot be taken out" in prompt(app)
        await keys(pilot, "6", "down", "n", "enter")
        assert session.machine.tables.wear[3] == (0.3, 0.0)
        assert "chuck's side" in app.query_one("#turret-tools").words
        await keys(pilot, "w", "'42", "enter", "'42.003", "enter")
        assert "lies within what the gauge knows" in prompt(app)
        assert session.machine.tables.wear[3] == (0.3, 0.0), "it is asked first"
        await keys(pilot, "w", "'42", "enter", "'42.05", "enter")
        assert session.machine.tables.wear[3][0] == pytest.approx(0.25)
        await keys(pilot, "N", "enter", "2")
        assert "T3 wear" in app.query_one("#rows").words
        await keys(pilot, "l")
        assert "G54 is locked" in prompt(app)
        await keys(pilot, "3", "c")
        assert "LOOK AT G54" in words_of(app.query_one("#program"))


async def test_the_bell_rings_on_the_way_and_past_is_said(tmp_path: Path, monkeypatch):
    table = (
        "[[stand_in.tool]]\noffset = 1",
        "[[stand_in.table]]\noffset = 1\nx = -231.0\nz = 42.35\n\n[[stand_in.tool]]\noffset = 1",
    )
    async with opened(tmp_path, table) as (app, pilot):
        rung: list[int] = []
        monkeypatch.setattr(app, "bell", lambda: rung.append(1))
        session = app.session
        assert session is not None
        session.home()
        session.bring_near()
        await keys(pilot, "7")
        assert "G54 is not set" in prompt(app)
        face(session)
        session.zero.store()
        await keys(pilot, "down")
        view = app.query_one("#targets", TargetsView)
        assert "away" in words_of(view.query_one("#to-go"))
        await keys(pilot, "j", "'x 51.5", "enter")
        assert not rung
        assert "near" in words_of(view.query_one("#to-go"))
        await keys(pilot, "j", "'x 50.9", "enter")
        assert len(rung) == 1
        await keys(pilot, "j", "'x 50.7", "enter")
        shown = words_of(view.query_one("#to-go"))
        assert "past the target" in shown
        assert "✕" in shown
        assert len(rung) == 2
        await keys(pilot, "d", "'5", "enter", "'0.5", "enter")
        assert session.job.setup.approach.near == 5.0
        await keys(pilot, "a", "'d30 z -5", "enter")
        assert session.targets.target is not None
        assert session.targets.target.x == 30.0
        await keys(pilot, "delete")
        assert len(session.targets.targets) == 3
        session.home()
        session.to_index_place()
        session.turn_turret(session.job.setup.tool(3))
        await keys(pilot, "up", "down")
        told = "How far T3 reaches in X and Z is not known"
        assert told in words_of(view.query_one("#to-go"))
        assert told in prompt(app)
        await keys(pilot, "1")
        assert told in words_of(app.query_one(BigFigures))


async def test_a_broken_job_is_told_on_the_screen(tmp_path: Path):
    def broken() -> TurningSession:
        raise JobError("turning.toml", (), "Correct it")

    app = TurningApp(broken, tmp_path)
    async with app.run_test() as pilot:
        for _ in range(50):
            await pilot.pause(0.02)
            if "turning.toml" in prompt(app):
                break
        assert "The job turning.toml" in prompt(app)
        await keys(pilot, "f", "2")
        assert "The job turning.toml" in prompt(app)


def type_what_the_gauge_shows(window: Terminal, steps: Sequence[tuple[str, str]]) -> None:
    """Press keys, each after the screen said what the one before did; then type the length that it shows last."""
    for name, told in steps:
        window.keys(name)
        window.wait(told)
    gauge = re.compile(r"gauge shows ([\d.]+)")
    seen = gauge.search(window.wait(gauge))
    assert seen is not None
    window.keys(*seen[1], "Enter")


def test_from_an_empty_turret_to_a_finished_list_in_a_terminal(tmp_path: Path):
    window = Terminal(tmp_path, (160, 44), "--job", "sleeve")
    try:
        window.wait("h: home the axes")
        steps = (
            ("h", "bring the tool near"),
            ("n", "stands before the stock"),
            ("m", "The spindle turns"),
            ("c", "take off the face"),
            ("Enter", "went away in X only"),
            ("m", "The spindle stands"),
            ("f", "gauge shows"),
        )
        type_what_the_gauge_shows(window, steps)
        window.wait("Enter: store G54 Z")
        window.keys("Enter")
        window.wait("is stored")
        window.wait("RS-09-55")
        steps = (
            ("m", "The spindle turns"),
            ("C", "over a length of"),
            ("Enter", "take off the diameter"),
            ("Enter", "X did not move since"),
            ("m", "The spindle stands"),
            ("d", "gauge shows"),
        )
        type_what_the_gauge_shows(window, steps)
        window.wait("Enter: store T1 geometry X")
        window.keys("Enter")
        window.wait("is stored")
        window.keys("p")
        window.wait("is proved")
        window.keys("Tab")
        window.wait("Enter: RS-09-55, 55 mm long: G55 Z")
        window.keys("Enter")
        window.wait("is chosen: G55")
        window.keys("Tab", "Enter")
        window.wait("is chosen: G56")
        window.keys("Tab")
        window.wait("is chosen: G54")
        window.keys("7")
        window.wait("to go to face")
        for name in ("m", "j"):
            window.keys(name)
        window.keys("z", "Space", "0", "Enter")
        window.wait("at the target")
        window.keys("Enter")
        window.wait("seat is next")
        for _ in range(9):
            window.keys("Enter")
            if "every target is" in window.screen():
                break
        window.wait("every target is")
        window.keys("q")
        window.wait("ended with 0")
    finally:
        window.close()


def test_the_demo_job_ships_as_it_is_tested():
    assert 'job = "RS-09"' in SLEEVE
