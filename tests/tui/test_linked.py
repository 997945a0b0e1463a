"""A linked control on the screen: handed over, running, taken; how old what is known is; both side by side."""

from __future__ import annotations

import os
import shutil
import subprocess
import time

import pytest

from brisk_anchor.book.entries import RowState
from brisk_anchor.services.demo.demo_job import demo_shop
from brisk_anchor.services.served.serving import ServedMachine
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.frame import TopLine
from tests.tui.test_pilot import said, wait_for
from tests.tui.test_tmux import COMMAND


@pytest.fixture
def shop(tmp_path):
    folder = demo_shop(tmp_path / "shop")
    served = ServedMachine(folder, tmp_path / "data", speed=1e6)
    served.do("home")
    app = BriskAnchorApp(lambda: open_job(folder, tmp_path / "data", roll=0), folder)
    yield app, served, folder
    served.close()


async def came(pilot, app, served, words, *, start=True):
    """Load and start what was handed over, as an operator does; wait until the screen says so."""
    if start:
        served.pass_time(0.01)
        served.do("load")
        served.do("start")
    until = time.monotonic() + 15
    while words not in said(app):
        assert time.monotonic() < until, said(app)
        served.pass_time(0.05)
        await pilot.pause(0.02)


async def test_the_line_on_a_linked_control(shop, tmp_path):
    app, served, folder = shop
    async with app.run_test(size=(160, 44)) as pilot:
        await wait_for(lambda: app.view_state is not None)
        session = app.view_state.session
        assert "never" not in app.query_one(TopLine)._key.__repr__()
        for name in ("left edge", "front edge", "top face"):
            await pilot.press("f", "enter")
            await wait_for(lambda: "press cycle start" in said(app))
            await came(pilot, app, served, name + ":")
        assert "G54 is complete" in said(app)
        await pilot.press("s", "enter")
        await wait_for(lambda: "O2254 is O2254.nc" in said(app))
        assert session.rows.state("G54") is RowState.MEASURED
        await came(pilot, app, served, "G54 is stored")
        await pilot.press("p")
        await wait_for(lambda: "press cycle start" in said(app))
        await came(pilot, app, served, "G54 is proved")
        assert session.rows.state("G54") is RowState.PROVED
        # The machine view: what is known of it, and keys that only move the stand-in do nothing here.
        await pilot.press("4", "r")
        await wait_for(lambda: "the control's table" in said(app))
        await came(pilot, app, served, "The control's table came")
        assert session.active == "G54"
        await pilot.press("m")
        assert "worked at its own control" in said(app)
        await pilot.press("l", "l", "r")
        await wait_for(lambda: "press cycle start" in said(app))
        await pilot.press("x", "enter")
        assert "not waited for any more" in said(app)
        # Without a drawing a mark needs a place: typed as the control shows it.
        await pilot.press("1", "up", "enter")
        assert "Where the spindle stands is not known" in said(app)
        await pilot.press("h", *"-400, -250, -200", "enter")
        assert "The spindle stands there" in said(app)
        # A plan, and a repeatability run.
        await pilot.press("escape", "7", "a")
        await pilot.press("H")
        await wait_for(lambda: "cycle start" in said(app) or "plan" in said(app))
        # The folder goes: told; and when it is there again, nothing is lost.
        await pilot.press("1")
        control = folder / "control"
        control.rename(folder / "gone")
        await wait_for(lambda: "link is lost" in said(app), 10)
        (folder / "gone").rename(control)
        await wait_for(lambda: app.view_state.desk.state.lost == "", 10)


async def test_a_job_without_a_link_offers_nothing_of_it(tmp_path):
    from brisk_anchor.services.demo.demo_job import open_demo

    app = BriskAnchorApp(lambda: open_demo(tmp_path, fresh=True), tmp_path)
    async with app.run_test(size=(160, 44)) as pilot:
        await wait_for(lambda: app.view_state is not None)
        assert app.view_state.desk is None
        await pilot.press("7", "H")
        assert "no link to a control" in said(app)


@pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed")
def test_application_and_machine_side_by_side(tmp_path):
    environment = {
        **os.environ, "BRISK_ANCHOR_HOME": str(tmp_path), "BIN": os.path.dirname(COMMAND), "SHOP_DETACHED": "1",
        "COLUMNS": "160", "LINES": "60", "TMUX_TMPDIR": str(tmp_path),
    }  # fmt: skip
    environment.pop("TMUX", None)

    def tmux(*arguments):
        return subprocess.run(["tmux", *arguments], env=environment, capture_output=True, text=True, check=True).stdout

    name = subprocess.run(
        ["tools/demo-shop", "--speed", "400"], env=environment, capture_output=True, text=True, check=True
    ).stdout.strip()

    def wait(pane, words, seconds=30):
        until = time.monotonic() + seconds
        while words not in (shown := tmux("capture-pane", "-p", "-t", f"{name}.{pane}")):
            assert time.monotonic() < until, shown
            time.sleep(0.1)

    try:
        wait(0, "Press f to point")
        wait(1, "switch off")
        tmux("send-keys", "-t", f"{name}.0", "f", "Enter")
        wait(0, "press cycle start")
        wait(1, "O2100.nc has arrived")
        tmux("send-keys", "-t", f"{name}.1", "home", "Enter", "load", "Enter", "start", "Enter")
        wait(0, "left edge: X")
        # The application is killed while the next one runs; the report is taken at its next start.
        tmux("send-keys", "-t", f"{name}.0", "f", "Enter")
        wait(0, "press cycle start")
        pid = tmux("display-message", "-p", "-t", f"{name}.0", "#{pane_pid}").strip()
        tmux("set-option", "-t", name, "remain-on-exit", "on")
        os.kill(int(pid), 9)
        tmux("send-keys", "-t", f"{name}.1", "load", "Enter", "start", "Enter")
        wait(1, "O2100.nc has ended")
        tmux("respawn-pane", "-k", "-t", f"{name}.0", f"env -u COLUMNS -u LINES {COMMAND} demo --job shop")
        wait(0, "front edge: Y")
        shown = tmux("capture-pane", "-p", "-t", f"{name}.0")
        assert "1 left edge" in shown
    finally:
        subprocess.run(["tmux", "kill-server"], env=environment, capture_output=True)
