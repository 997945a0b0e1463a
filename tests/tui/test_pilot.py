"""The interface driven by Textual's pilot: what is not on the main path, and what goes wrong."""

from __future__ import annotations

import asyncio
import json
import re
from itertools import product
from types import SimpleNamespace

import pytest
from sqlalchemy import event
from textual import events
from textual.command import CommandList
from textual.widgets import Input, Static

from brisk_anchor.core.errors import BookVersionError
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.demo.demo_job import open_demo
from brisk_anchor.services.job.jobs import new_job
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.tui.actions import ACTIONS, ALL
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.choice_list import ChoiceList
from brisk_anchor.tui.entry import EntryLine
from brisk_anchor.tui.keymap import Keymap
from brisk_anchor.tui.view_state import ViewState


def said(app, widget="Prompt"):
    """The text of a widget, in one line for the entry line and its note."""
    shown = app.query_one(widget)
    if widget == "#entry-result":
        return f"{shown.render()}\n{app.query_one('#entry-note').render()}"
    return shown.words if isinstance(shown, ChoiceList) else str(shown.render())


def on_sheet(app):
    """The text of a sheet that lies on top; empty while it is being laid there."""
    return "\n".join(str(part.render()) for part in app.screen.query(Static)) if len(app.screen_stack) > 1 else ""


async def wait_for(condition, seconds=20.0):
    for _ in range(int(seconds / 0.02)):
        if condition():
            return
        await asyncio.sleep(0.02)
    raise AssertionError("it did not happen in time")


class Bench:
    """A running application; leaves nothing behind."""

    def __init__(self, folder, size=(160, 44), speed=2000.0, keys=None):
        self.app = BriskAnchorApp(lambda: open_demo(folder, fresh=False), folder, speed=speed, keys=keys)
        self.size = size

    async def __aenter__(self):
        self.context = self.app.run_test(size=self.size)
        self.pilot = await self.context.__aenter__()
        await wait_for(lambda: self.app.view_state is not None)
        await self.pilot.pause()
        return self

    async def __aexit__(self, *error):
        if self.app.view_state:
            self.app.view_state.session.book.close()
        await self.context.__aexit__(*error)

    async def press(self, *keys):
        await self.pilot.press(*keys)
        await self.pilot.pause()
        await wait_for(lambda: not self.app.view_state.moving)
        await self.pilot.pause()


async def test_hand_marked_bore_is_named_recognised_and_measured(tmp_path):
    async with Bench(tmp_path) as bench:
        bench.app.view_state.session.machine.rapid((-433.0, -251.0, -300.0), 0)
        bench.app.view_state.session.machine.rapid((-433.0, -251.0, -366.0), 0)
        await bench.press("left")
        assert "tip beside the wall" in said(bench.app, "#touch-pattern")
        await bench.press("right", "up", "down", "r")
        assert "Enter measures bore ⌀38 H7" in said(bench.app)
        await bench.press("enter")
        assert "bore ⌀38 H7: X −433.08" in said(bench.app)
        assert bench.app.view_state.session.rows.state("G54").value == "part"


async def test_figures_are_typed_with_sums_and_refused_with_a_reason(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("f", "e")
        entry = app.query_one(EntryLine)
        assert (entry.is_open, entry.question.name) == (True, "diameter")
        app.query_one(Input).value = "1 1/2in"
        await bench.pilot.pause()
        assert "38.1000" in said(app, "#entry-result")
        app.query_one(Input).value = "38,1"
        await bench.pilot.pause()
        assert "comma" in said(app, "#entry-result")
        await bench.pilot.press("enter")
        assert entry.is_open
        await bench.press("tab")
        assert entry.question.name == "diameter", "Tab does not drop what cannot be kept"
        app.query_one(Input).value = "38.2"
        await bench.press("tab")
        assert (entry.question.name, app.view_state.request.size) == ("below edge", 38.2)
        app.query_one(Input).value = "=-2"
        await bench.press("enter")
        assert app.view_state.request.depth == 10.0
        await bench.press("e", "escape")
        assert not entry.is_open


async def test_store_asks_first_and_escape_leaves_it(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("s")
        assert "cannot be stored" in said(bench.app)
        await bench.press("f", "enter")
        await bench.press("f", "enter")
        await bench.press("s")
        assert "Store G54?" in said(bench.app)
        assert "X −13.8" in said(bench.app)
        await bench.press("escape")
        assert bench.app.view_state.session.rows.state("G54").value == "measured"
        await bench.press("s", "enter")
        assert "G54 stored" in said(bench.app)
        await bench.press("k")
        assert "Out of date then: 2 measurements and G54." in said(bench.app)
        await bench.press("escape")
        assert bench.app.view_state.session.rows.state("G54").value == "stored"
        await bench.press("k", "enter", "U")
        assert "Taken back: clamped again." in said(bench.app)
        assert bench.app.view_state.session.rows.state("G54").value == "stored"
        assert set(bench.app.view_state.session.measured) == {"bore", "top"}
        await bench.press("k", "enter")
        assert "out of date" in said(bench.app)
        await bench.press("2")
        assert "◌ stale" in said(bench.app, "#book-table")
        await bench.press(*["pagedown"] * 4)
        assert "measured" in said(bench.app, "#entry-heading")


async def test_escape_stops_the_machine_where_it_is(tmp_path):
    async with Bench(tmp_path, speed=1.0) as bench:
        await bench.pilot.press("f", "enter")
        await asyncio.sleep(0.6)
        await bench.pilot.press("s", "q")
        assert "Esc stops" in said(bench.app)
        await bench.press("escape")
        assert "stopped by hand" in said(bench.app)
        assert bench.app.view_state.session.measured == {}
        stopped = bench.app.view_state.session.machine.position
        assert stopped != (-396.0, -168.0, -236.0)
        assert json.loads((tmp_path / "machine.json").read_text())["position"] == list(stopped)


async def test_code_can_be_stepped_read_and_stopped(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("3", "down", "down")
        assert "head" in said(app, "#meaning")
        await bench.press("n", "n", "n")
        assert app.view_state.proving.player.paused
        assert "Held" in said(app)
        await bench.press("escape")
        assert app.view_state.proving is None
        await bench.press("space")
        await wait_for(lambda: app.view_state.proving.player.over)
        await bench.pilot.pause()
        assert "has not been stored yet" in said(app)


async def test_the_mouse_points_at_features_and_offsets(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        _, view = app.query_one("#bench-drawing")._grounds[1][0]
        for name in ("boss", "bush", "bore"):
            drawn = next(feature for feature in app.view_state.session.setup.features if feature.name == name)
            column, row = view.cell(*drawn.machine[:2])
            await bench.pilot.click("#bench-drawing", offset=(column, row + 1))
            await bench.pilot.pause()
            assert app.view_state.request.drawn.name == name
        column, row = view.cell(-300.0, -180.0)
        await bench.pilot.click("#bench-drawing", offset=(column, row + 1))
        await bench.pilot.pause()
        assert "No feature" in said(app)
        await bench.pilot.click("Ladder")
        await bench.pilot.pause()
        assert app.view_state.row == "G55"


async def test_lists_and_the_listing_are_worked_by_mouse_too(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        for _ in range(2):
            await bench.press("f", "enter")
        first, second = (m.feature.name for m in app.view_state.session.working.listed())
        panel = app.query_one("#measured")
        await bench.pilot.click("#measured", offset=(6, panel._names.index(first)))
        await bench.pilot.pause()
        assert app.view_state.chosen == first
        await bench.pilot.click("#measured", offset=(6, panel._names.index(second)))
        await bench.pilot.pause()
        assert app.view_state.chosen == second
        await bench.press("3")
        code = app.query_one("#code")
        await bench.pilot.click("#listing", offset=(12, 4))
        await bench.pilot.pause()
        assert code.cursor == 5
        listing = app.query_one("#listing")
        listing.on_mouse_scroll_down(SimpleNamespace(stop=lambda: None))
        await bench.pilot.pause()
        assert code.cursor == 8
        await bench.press("5")
        setup = app.query_one("#setup")
        _, view = app.query_one("#setup-drawing")._grounds[1][0]
        item = next(item for item in setup._items if item.drawn is not None and item.drawn.name == "boss")
        column, row = view.cell(*item.machine[:2])
        await bench.pilot.click("#setup-drawing", offset=(column, row + 1))
        await bench.pilot.pause()
        assert setup.item.drawn.name == "boss"


async def test_jog_meets_metal_and_travel(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        app.view_state.session.machine.rapid((-434.0, -224.5, -300.0), 0)
        await bench.press("g", "g")
        assert "Jog step 50" in said(app)
        await bench.press("pagedown", "pagedown")
        assert "Contact with the hub of GL-114" in said(app)
        app.view_state.session.machine.rapid((-434.0, -224.5, 0.0), 0)
        await bench.press("pageup")
        assert "past its travel end" in said(app)


async def test_after_contact_there_is_a_way_home(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        machine = app.view_state.session.machine
        machine.rapid((-434.0, -224.5, -340.0), 0)
        machine.skip((-434.0, -224.5, -360.0), 600.0, 0)
        assert machine.touching
        await bench.press("f", "enter")
        assert "stands against metal" in said(app)
        await bench.press("h")
        assert machine.position == (0.0, 0.0, 0.0)
        await bench.press("enter")
        assert "bore ⌀38 H7: X" in said(app)


async def test_a_search_that_meets_nothing_is_told_in_three_sentences(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        app.view_state.session.machine.rapid((-150.0, -100.0, -200.0), 0)
        await bench.press("d", "e")
        app.query_one(Input).value = "20"
        await bench.press("enter", "enter")
        shown = said(app)
        assert "Alarm 101" in shown
        assert "MISSED CONTACT" in shown
        assert "bring it nearer" in shown
        assert app.view_state.session.measured == {}


async def test_a_book_that_fills_up_stores_nothing_and_says_so(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("f", "enter")
        await bench.press("f", "enter")
        engine = app.view_state.session.book.engine
        engine.dispose()
        event.listen(engine, "connect", lambda c, _: c.execute("PRAGMA max_page_count=1"))
        before = app.view_state.session.machine.offset("G54")
        await bench.press("s", "enter")
        assert "could not be written" in said(app)
        assert "Make room" in said(app)
        assert app.view_state.session.machine.offset("G54") == before
        assert app.view_state.session.rows.state("G54").value == "measured"


async def test_measuring_again_asks_for_a_new_proof(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        for keys in (("f", "enter"), ("f", "enter"), ("s", "enter")):
            await bench.press(*keys)
        await bench.press("p")
        await wait_for(lambda: "is proved" in said(app))
        assert "● proved" in said(app, "#code-heading")
        await bench.press("1", "f", "enter")
        await bench.press("3")
        assert "○ not proved" in said(app, "#code-heading")
        await bench.press("2")
        assert "◑ measured" in said(app, "#book-table")


async def test_nonsense_marks_are_told_and_not_measured(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("enter")
        assert "Nothing is marked" in said(bench.app)
        await bench.press("left", "up")
        assert "Enter measures Inside corner 1" in said(bench.app)
        await bench.press("right", "enter")
        assert "three walls" in said(bench.app)
        await bench.press("d")
        await bench.press("backspace", "a", "i")
        assert bench.app.view_state.request.pattern.over


async def test_help_palette_and_views_have_every_key(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.pilot.press("question_mark")
        await bench.pilot.pause()
        assert len(bench.app.screen_stack) == 2
        await bench.pilot.press("x")
        await bench.pilot.pause()
        assert len(bench.app.screen_stack) == 1
        commands = [command.title for command in bench.app.get_system_commands(bench.app.screen)]
        assert any("measure" in title for title in commands)
        await bench.press("tab")
        assert bench.app.view_state.row == "G55"
        await bench.press("v", "w", "v", "2", "up", "3", "v", "1")
        assert bench.app.view == "bench"


@pytest.mark.parametrize("size", [(100, 30), (130, 40), (200, 60)])
async def test_every_view_fits_every_size(tmp_path, size):
    async with Bench(tmp_path, size=size) as bench:
        await bench.press("f")
        for view in "123":
            await bench.press(view)
            for widget in bench.app.view_widget.query("*"):
                if widget.display and widget.size.width and all(w.display for w in widget.ancestors_with_self):
                    assert widget.region.right <= size[0], widget
                    assert widget.region.bottom <= size[1], widget


async def test_a_window_too_small_says_so(tmp_path):
    async with Bench(tmp_path, size=(80, 24)) as bench:
        assert "80 × 24" in said(bench.app, "#too-small")
        assert bench.app.query_one("#too-small").display


async def test_a_book_that_cannot_be_opened_is_told(tmp_path):
    def refuse():
        raise BookVersionError("The book is newer", "It could be misread", "Update Brisk Anchor")

    app = BriskAnchorApp(refuse, tmp_path)
    async with app.run_test(size=(160, 44)) as pilot:
        await wait_for(lambda: "newer" in said(app))
        await pilot.press("f")
        assert "Update Brisk Anchor" in said(app)
        await pilot.press("q")
    assert app.return_value == 6


def test_the_action_table_has_one_meaning_for_each_key_in_each_view():
    for view, linked in product(ALL, (False, True)):
        fitting = [action for action in ACTIONS if view in action.views and action.fits(linked=linked)]
        keys = [key for action in fitting for key in action.keys.split(",")]
        assert len(keys) == len(set(keys))
        assert all(action.help.endswith(".") for action in Keymap(ACTIONS).of_view(view, linked=linked))


async def test_the_machine_by_hand_by_typed_line_and_by_program(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("4")
        control = bench.app.view_state.session.control
        start = control.machine.position
        await bench.press("right", "up", "up")
        assert control.machine.position[1] == start[1] + 2.0
        await bench.press("m", "g", "down")
        assert control.machine.position[1] == pytest.approx(start[1] + 1.9)
        await bench.press("m", "up")
        assert "nothing moves by hand" in said(bench.app)
        await bench.press("i")
        bench.app.query_one(Input).value = "G0 Q"
        await bench.pilot.pause()
        assert "no figure" in said(bench.app, "#entry-result")
        await bench.press("enter")
        assert bench.app.query_one(EntryLine).is_open
        bench.app.query_one(Input).value = "g91 g0 z5."
        await bench.press("enter")
        assert control.machine.position[2] == start[2] + 5.0
        await bench.press("c")
        bench.app.query_one(Input).value = "4003"
        await bench.press("enter")
        assert re.search(r"#4003 +91 +watched", said(bench.app, "#machine-table"))
        assert "no skip move has been made yet" in said(bench.app, "#machine-table")
        await bench.press("i")
        bench.app.query_one(Input).value = "X9999."
        await bench.press("enter")
        assert "past its travel end" in said(bench.app, "#mode")
        await bench.press("escape", "o", "space")
        assert "STORED G54" in said(bench.app, "#printed")
        assert control.machine.offset("G54")[0] == pytest.approx(-469.084, abs=0.01)
        await bench.press("l")
        assert "O2354" in said(bench.app, "#machine-table")
        await bench.press("2")
        assert bench.app.view_state.session.rows.state("G54").value == "not measured"


async def test_single_block_hold_reset_door_and_power(tmp_path):
    async with Bench(tmp_path, speed=1.0) as bench:
        await bench.press("4", "o", "s")
        view_state = bench.app.view_state
        control = view_state.session.control
        await bench.pilot.press("space")
        await wait_for(lambda: view_state.operating is not None and view_state.operating.player.paused)
        assert view_state.operating.player.line == 11
        await bench.pilot.press("n", "d", "m")
        await bench.pilot.pause()
        assert view_state.operating.player.line == 12
        assert not control.door_open
        await bench.press("escape")
        assert control.history[-1].ended == "alarm 4: reset by hand"
        await bench.press("d", "space")
        assert "The door is open" in said(bench.app)
        await bench.press("d", "P", "space")
        assert "has not been homed" in said(bench.app)
        await bench.press("h")
        assert control.homed
        assert view_state.session.machine.position == view_state.session.machine.home


async def test_a_program_from_a_file_stops_where_it_says_and_holds(tmp_path):
    path = tmp_path / "mine.nc"
    path.write_text("O1\nG91\nG1 X-1. F60\n#3006=1 (LOOK AT IT)\n#500=7\nM30\n")
    async with Bench(tmp_path) as bench:
        await bench.press("4", "O")
        for given, told in ((str(tmp_path / "none.nc"), "is no file"), (str(path), "loads it")):
            bench.app.query_one(Input).value = given
            await bench.pilot.pause()
            assert told in said(bench.app, "#entry-result")
        await bench.press("enter")
        await bench.pilot.press("space")
        await wait_for(lambda: "LOOK AT IT" in said(bench.app))
        await bench.press("space")
        assert bench.app.view_state.session.control.memory.common[500] == 7.0
        assert json.loads((tmp_path / "machine.json").read_text())["variables"]["500"] == 7.0


async def test_the_zero_is_chosen_by_pointing_and_another_part_is_rolled(tmp_path):
    new_job(tmp_path / "job")
    async with Bench(tmp_path) as bench:
        bench.app.view_state.session.book.close()
        session = open_job(tmp_path / "job", tmp_path / "data", roll=1)
        bench.app.view_state = ViewState(session, 2000.0)
        await bench.press("5")
        assert "bearing seat ⌀62 H7" in said(bench.app, "#features")
        await bench.press("down", "down", "down", "down", "x")
        assert "G54 X comes from left edge" in said(bench.app)
        assert "on left edge" in said(bench.app, "#zero")
        await bench.press("down", "x")
        assert "does not locate X" in said(bench.app)
        await bench.press("Z")
        assert 'feature = "left"' in (tmp_path / "job" / "job.toml").read_text()
        await bench.press("1", "f", "enter")
        first = session.solver.features()["left"].coordinates
        await bench.press("R")
        assert "Another part lies in the stand-in" in said(bench.app)
        await bench.press("f", "enter")
        assert session.solver.features()["left"].coordinates != first


async def test_a_control_without_branches_does_the_whole_line_and_says_what_it_cannot(tmp_path):
    async with Bench(tmp_path) as bench:
        bench.app.view_state.session.book.close()
        session = open_demo(tmp_path / "ngc", fresh=False, profile=shipped_profile("probe-params"))
        bench.app._opened(session)
        await bench.pilot.pause()
        assert "It has no branches" in said(bench.app)
        await bench.press("f", "enter")
        assert "bore ⌀38 H7: X −433.08" in said(bench.app)
        await bench.press("f", "enter")
        await bench.press("s")
        await bench.press("enter")
        assert "G54 stored" in said(bench.app)
        await bench.press("p")
        await wait_for(lambda: session.rows.state("G54").value == "proved")
        await bench.press("4", "o", "space")
        assert "BRISK 1 STORED G54" in said(bench.app, "#printed")
        await bench.press("l", "l")
        assert "#5061" in said(bench.app, "#machine-table")


async def test_a_control_that_cannot_probe_says_so_and_stays_whole(tmp_path):
    async with Bench(tmp_path) as bench:
        bench.app.view_state.session.book.close()
        bench.app._opened(open_demo(tmp_path / "table", fresh=False, profile=shipped_profile("table-only")))
        await bench.press("f", "enter")
        assert "cannot probe" in said(bench.app)
        await bench.press("4", "o")
        assert "cannot probe" in said(bench.app)
        await bench.press("l", "l")
        assert "no variables" in said(bench.app, "#machine-table")
        await bench.press("i")
        bench.app.query_one(Input).value = "G90 G10 L2 P3 X-12.5"
        await bench.press("enter")
        assert bench.app.view_state.session.machine.offset("G56")[0] == -12.5


@pytest.mark.parametrize("size", [(100, 30), (160, 44)])
async def test_no_figure_of_machine_and_setup_is_cut_off(tmp_path, size):
    async with Bench(tmp_path, size=size) as bench:
        views = {"4": ("#machine-table", "#machine-work", "#mode"), "5": ("#features", "#feature")}
        for key, panels in views.items():
            await bench.press(key)
            for panel in panels:
                width = bench.app.query_one(panel).size.width
                assert max(len(line.rstrip()) for line in said(bench.app, panel).splitlines()) <= width, panel


async def test_space_holds_the_machine_where_it_is_and_lets_it_go_on(tmp_path):
    async with Bench(tmp_path, speed=1.0) as bench:
        await bench.press("4", "o")
        view_state = bench.app.view_state
        await bench.pilot.press("space")
        await wait_for(lambda: view_state.operating is not None and view_state.operating.player.to_go is not None)
        await bench.pilot.press("space")
        assert "Held" in said(bench.app)
        held = view_state.spindle
        await asyncio.sleep(0.3)
        assert view_state.spindle == held
        await bench.pilot.press("space")
        await wait_for(lambda: view_state.spindle != held)
        await bench.press("escape")
        assert view_state.session.machine.position == view_state.spindle


async def test_a_key_that_comes_late_takes_away_no_other_screen(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.pilot.press("question_mark")
        sheet = bench.app.screen
        bench.app.action_command_palette()  # before the sheet has seen the key that leaves it
        for _ in range(2):
            sheet.post_message(events.Key("x", "x"))
        await bench.pilot.pause()
        assert [type(screen).__name__ for screen in bench.app.screen_stack] == ["Screen", "Palette"]
        palette = bench.app.screen
        for _ in range(2):
            palette.dismiss()
        await bench.pilot.pause()
        assert len(bench.app.screen_stack) == 1
        await bench.press("3")
        assert bench.app.view == "code"


async def test_a_palette_whose_list_does_not_stand_yet_waits_for_it(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.pilot.press("ctrl+p")
        palette = bench.app.screen
        listed = palette.query_one(CommandList)
        parent = listed.parent
        await listed.remove()
        palette._gather_commands("")
        await bench.pilot.pause(0.1)
        await parent.mount(CommandList())
        await wait_for(lambda: palette.query_one(CommandList).option_count > 5)
        await bench.pilot.press("escape")
        assert bench.app.is_running
