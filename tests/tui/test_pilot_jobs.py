"""The rest of the interface under the pilot: jobs of one's own, the set-up, the hand, tools, lists, units."""

from __future__ import annotations

import re
import threading
from dataclasses import replace
from datetime import date

import pytest
from textual.widgets import Input

from brisk_anchor.core.errors import BookSilentError
from brisk_anchor.core.offsets.rules import Keep
from brisk_anchor.core.quantities import Unit, show_in, shown_unit
from brisk_anchor.services.demo.demo_job import open_demo
from brisk_anchor.services.job.new_job import begin_job
from brisk_anchor.services.measure.features_touched import feature_of_touches
from brisk_anchor.services.measure.hands import begin
from brisk_anchor.services.measure.limits_stated import stated_of
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.offsets.offset_book import edit
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.tool_shelf import lines, set_figure
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.budget_sheet import BudgetSheet
from brisk_anchor.tui.choice_list import ChoiceList
from brisk_anchor.tui.rows_sheet import RowsSheet
from tests.tui.test_pilot import Bench, on_sheet, said, wait_for


async def typed(bench, words):
    bench.app.query_one(Input).value = words
    await bench.pilot.pause()


async def open_own(bench, tmp_path, **begin):
    begin_job(tmp_path / "job", **begin)
    bench.app.view_state.session.book.close()
    session = open_job(tmp_path / "job", tmp_path / "data", roll=1)
    bench.app._opened(session)
    await bench.pilot.pause()
    return session


async def test_a_plate_with_two_bores_is_drawn_and_touched_from_nothing(tmp_path):
    async with Bench(tmp_path) as bench:
        session = await open_own(bench, tmp_path, plate="120, 80, 20", name="PL-1")
        await bench.press("n")
        for words, told in (("bo", "no such word"), ("bore 12", "other figures"), ("bore 12, 20, 40", "⌀12 at X +20")):
            await typed(bench, words)
            assert told in said(bench.app, "#entry-result")
        outlines = len(bench.app.query_one("#bench-drawing").picture.setup.outlines[-1].plan)
        assert outlines == 2
        await bench.press("escape")
        assert len(bench.app.query_one("#bench-drawing").picture.setup.outlines[-1].plan) == 1
        real = session.scene.file.body[-1]
        for words in ("bore 12, 20, 40", "bore 12, 100, 40"):
            await bench.press("n")
            await typed(bench, words)
            await bench.press("enter")
        drawn = session.scene.file.body[-1]
        assert (drawn.real, drawn.solid[0].real) == (real.real, real.solid[0].real), "the metal that lay there stays"
        assert "bore 2" in [feature.name for feature in session.setup.features]
        await bench.press("5", *["down"] * 6, "x", "Y")
        assert "Every program on G54 moves by Y +40.000 mm." in said(bench.app)
        await bench.press("enter")
        assert "The zero lies on it now" in said(bench.app)
        await bench.press("1", "f", "enter")
        assert session.measured


async def test_the_setup_view_turns_lists_assigns_and_takes_back(tmp_path):
    async with Bench(tmp_path, size=(100, 30)) as bench:
        session = await open_own(bench, tmp_path)
        before = session.rows.expected("G54")
        await bench.press("5", "l", "down", "down", "enter", "escape")
        assert session.rows.expected("G54") == before, "Enter alone moved nothing"
        await bench.press("enter", "enter")
        assert "The zero of G54 lies on back left corner, along XY" in said(bench.app)
        await bench.press("e")
        await typed(bench, "10, 1in")
        assert "X +10.000  Y +25.400" in said(bench.app, "#entry-result")
        await bench.press("enter")
        assert "X +10  Y +25.4 from back left corner" in said(bench.app)
        assert session.rows.expected("G54")["y"] == pytest.approx(-170.0 + 25.4)
        await bench.press("x")
        assert "A point is not measured" in said(bench.app)
        await bench.press("Z")
        assert "says nothing of Z" in said(bench.app)
        await bench.press("l", "tab", "enter")
        assert "Op 10 uses G55" in said(bench.app)
        await bench.press("l", "l", "o")
        assert "turned by +90°" in said(bench.app)
        await bench.press("O")
        assert "askew" in said(bench.app)
        await bench.press("n")
        await typed(bench, "turn 20")
        await bench.press("enter", *["down"] * 4, "O")
        assert session.setup.turn == 0.0
        await bench.press("delete")
        assert "Left taken off the drawing" in said(bench.app)
        await bench.press("delete")
        assert "no feature “top”" in said(bench.app)
        await bench.press("u", "u", "u")
        assert session.setup.turn == 90.0


async def test_angle_fit_parent_and_distance_are_chosen_in_the_setup_view(tmp_path):
    async with Bench(tmp_path) as bench:
        session = await open_own(bench, tmp_path)
        job = session.editor.files.folder / "job.toml"
        rules = lambda: session.setup.row("G54").rules  # noqa: E731
        await bench.press("5", *["down"] * 3, "f")  # X comes from the seat; this is the dowel bore
        assert "in the best fit of G54" in said(bench.app)
        assert rules()["r"].names == ("seat", "dowel")
        assert "fit = true" in job.read_text()
        await bench.press("x")
        assert "together from a best fit" in said(bench.app)
        await bench.press("down", "r")
        assert "does not tell how the part is turned" in said(bench.app)
        await bench.press("up", "f")
        assert "out of the best fit" in said(bench.app)
        assert "r" not in rules()
        await bench.press("r")  # from the seat, X's own, to the dowel bore
        assert (rules()["r"].feature, rules()["r"].other) == ("seat", "dowel")
        await bench.press("down", "down", "down", "r")
        assert rules()["r"].feature == "front"
        assert "turned with front edge" in said(bench.app, "#zero")
        await bench.press("R")
        assert "r" not in rules()
        await bench.press("p")
        await typed(bench, "G77")
        assert "cannot follow" in said(bench.app, "#entry-result")
        await bench.press("escape", "p")
        await typed(bench, "g55")
        await bench.press("enter")
        assert 'parent = "G55"' in job.read_text()
        assert "store" not in said(bench.app)
        await bench.press("d", "up", "d")
        assert "not measured yet" in said(bench.app)
        await bench.press("1")
        assert session.rows.missing("G54") == session.rows.missing("G55")


async def test_an_edge_by_hand_gives_the_angle_of_the_offset(tmp_path):
    async with Bench(tmp_path) as bench:
        session = await open_own(bench, tmp_path)
        await bench.press("5", *["down"] * 6, "r", "1", "b", "f")
        names = []
        for _ in session.setup.features:  # what the offset needs comes first, and every feature once
            names.append(bench.app.view_state.request.drawn.name)
            await bench.press("f")
        assert names[:3] == session.rows.missing("G54")
        assert set(names) == {feature.name for feature in session.setup.features}
        while bench.app.view_state.request.drawn.name != "front":
            await bench.press("f")
        await bench.press("enter")
        for figure in ("-430", "-275", "-310", "-274.79"):
            await typed(bench, figure)
            await bench.press("enter")
        assert "front edge: Y −269.8950 mm  R +0.1003°" in said(bench.app)
        assert session.measured["front"].measurement is None


async def test_drawings_zoom_pan_and_show_distances(tmp_path):
    async with Bench(tmp_path) as bench:
        drawing = bench.app.query_one("#bench-drawing")
        whole = drawing.millimetres_across
        await bench.press("plus", "plus", "ctrl+right")
        assert drawing.millimetres_across == pytest.approx(whole / 2)
        assert "×2" in "".join(words for words, _ in drawing._rows[0])
        assert bench.app.view_state.pan[0] == pytest.approx(whole / 10, rel=0.01)
        await bench.press("minus", "v")
        assert (bench.app.view_state.magnify, bench.app.view_state.pan) == (1.0, (0.0, 0.0, 0.0))
        await bench.press("v", "v", "m")
        assert "+36 +36" in "".join(words for row in drawing._rows for words, _ in row)
        await bench.press("f")
        assert "X +36.000" in "".join(words for row in drawing._rows for words, _ in row)


async def test_an_offset_is_measured_by_hand_unconnected_and_stored(tmp_path):
    keys = 0
    async with Bench(tmp_path) as bench:
        session = await open_own(bench, tmp_path, plate="120, 80, 20", name="PL-1")
        machine = tmp_path / "job" / "machine.toml"
        machine.write_text(machine.read_text().replace('"stand-in"', '"nothing"'))
        session.book.close()
        session = open_job(tmp_path / "job", tmp_path / "data", roll=1)
        bench.app._opened(session)
        await bench.pilot.pause()
        assert not session.setup.machine.connected

        async def press(*names):
            nonlocal keys
            keys += len(names)
            await bench.press(*names)

        await press("b", "f", "enter")
        assert "the tip stands on the −X side: 5.000 is added" in said(bench.app, "#entry-result")
        assert "type what the control shows" in said(bench.app, "#entry-result")
        await typed(bench, "-455.02")
        await press("enter")
        assert "left face: X −450.0200" in said(bench.app)
        await press("f", "enter")
        await typed(bench, "-255.11")
        await press("enter", "b", "f")
        await press("enter")
        assert "118.400 of tool and 0.100 between are taken off" in said(bench.app, "#entry-result")
        await typed(bench, "-386.5")
        await press("enter", "s", "enter")
        assert "Type into G54 on the control: X −450.0200  Y −250.1100  Z −505.0000" in said(bench.app)
    assert keys <= 20
    assert keys == 13


async def test_by_hand_connected_takes_where_the_machine_stands_or_a_distance(tmp_path):
    async with Bench(tmp_path) as bench:
        session = bench.app.view_state.session
        session.machine.rapid((-433.0, -251.0, -300.0), 0)
        session.machine.rapid((-446.5, -251.0, -366.0), 0)
        await bench.press("b", "left", "right", "enter")
        assert "Enter takes −446.500" in said(bench.app, "#entry-result")
        await bench.press("enter")
        await typed(bench, "=+28.02")
        await bench.press("enter")
        # Half of 28.02 on from −446.5, in a slot 38.02 wide.
        assert "X −432.4900 mm  size 38.0200 mm" in said(bench.app)
        await bench.press("b", "b", "left", "enter")
        assert "touches nothing beside it" in said(bench.app)
        await bench.press("b", "b", "b", "w")
        assert bench.app.view_state.hand is None


async def test_what_a_view_holds_follows_tools_and_set_up_that_change_in_another(tmp_path):
    """Tool of the hand, feature that is pointed at, program of the plan: none goes on with figures of before."""
    async with Bench(tmp_path) as bench:
        session = await open_own(bench, tmp_path)
        app, state = bench.app, bench.app.view_state
        app.folder = tmp_path / "job"
        by_name = {line.name: line for line in lines(session, date.today())}
        await bench.press("b")
        assert (state.hand.name, state.hand.diameter) == ("edge finder 10", 10.0)
        set_figure(session, by_name["edge finder 10"], "diameter", 9.98)
        assert state.hand.diameter == 9.98
        await bench.press(*["b"] * len(session.setup.hand_tools))
        assert state.hand is None
        await bench.press("f", "e")
        await typed(bench, "62.2")
        await bench.press("enter", "escape")
        assert (state.request.drawn.name, state.present_request().size) == ("seat", 62.2)
        session.editor.change(session.editor.files.turned(0.0))
        assert state.present_request().size == 62.2, "what was typed stays where the drawing asks for the same"
        await bench.press("7")
        await wait_for(lambda: state.plan is not None and state.plan.ready is not None)
        await bench.press("c")
        before = app.query_one("#code").program.text
        start = state.present_request().start
        set_figure(session, by_name[session.setup.stylus.name], "length", session.setup.stylus.length + 4)
        await bench.press("1", "3")
        text = app.query_one("#code").program.text
        assert text != before
        assert text == program_of(session, planned(session, state.plan.plan)).text
        assert state.present_request().start[2] == pytest.approx(start[2] + 4), "the ball is where it was, not 4 lower"
        session.editor.change(session.editor.files.turned(5.0))
        seat = session.setup.drawn("seat")
        assert state.present_request().start[:2] == seat.machine[:2]
        session.editor.change(session.editor.files.ruled("G54", {"x": Keep(), "y": Keep()}))
        session.editor.change(session.editor.files.removed("seat"))
        assert state.present_request() is None


async def test_what_rows_are_compared_with_is_as_it_is_now(tmp_path, monkeypatch):
    """A row, or the control however it is written, is no figure of the moment it was named in."""
    async with Bench(tmp_path) as bench:
        session = bench.app.view_state.session
        await bench.press("2")
        choice = bench.app.query_one("#book").choice
        for words, column in (("g55", "G55"), (" Control ", "G54")):
            edit(session, "G55", {"x": 1.0, "y": 0.0, "z": 0.0}, "typed")
            session.machine.write_offset("G54", (1.0, 0.0, 0.0))
            await bench.press("c")
            await typed(bench, words)
            await bench.press("enter")
            assert choice.reference.values[column]["x"] == 1.0
            edit(session, "G55", {"x": 2.0, "y": 0.0, "z": 0.0}, "corrected")
            session.machine.write_offset("G54", (2.0, 0.0, 0.0))
            bench.app.show_all()
            assert choice.reference.values[column]["x"] == 2.0
        await bench.press("c")
        await typed(bench, "last")
        await bench.press("enter")
        assert choice.reference.words == "the value before"

        def silent(*_):
            raise BookSilentError("The book does not answer", "", "")

        monkeypatch.setattr(session.ledger, "before_newest", silent)
        bench.app.show_all()
        assert choice.reference.words.startswith("the control's table")


async def test_the_last_is_measured_again_and_many_times(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("y")
        assert "Nothing was measured with the probe yet" in said(bench.app)
        await bench.press("f", "enter")
        first = bench.app.view_state.session.solver.features()["bore"].coordinates
        await bench.press("y")
        again = bench.app.view_state.session.solver.features()["bore"].coordinates
        assert first != again
        assert first == pytest.approx(again, abs=0.004)
        await bench.pilot.press("Y")
        await wait_for(lambda: "measured 25 times" in on_sheet(bench.app))  # the sum runs beside the screen
        told = on_sheet(bench.app)
        assert "bore ⌀38 H7, measured 25 times" in told
        assert told.count("as stated") == 3
        assert bench.app.view_state.session.solver.features()["bore"].coordinates == again
        await bench.pilot.press("x")
        await bench.pilot.pause()
        assert len(bench.app.screen_stack) == 1


async def test_keys_pressed_while_the_job_opens_count(tmp_path):
    gate = threading.Event()

    def slowly():
        gate.wait(20)
        return open_demo(tmp_path, fresh=False)

    app = BriskAnchorApp(slowly, tmp_path, speed=2000.0)
    async with app.run_test(size=(160, 44)) as pilot:
        await pilot.press("f", "v")
        gate.set()
        await wait_for(lambda: app.view_state is not None and app.view_state.request is not None)
        assert app.view_state.request.drawn.name == "bore"
        assert app.view_state.zoom == "feature"
        app.view_state.session.book.close()


async def test_the_probe_is_calibrated_on_what_was_measured(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("c")
        assert "of known figure first" in said(bench.app)
        await bench.press("f", "enter", "c")
        assert "from the certificate" in said(bench.app, "#entry-result")
        await typed(bench, "38.013")
        await bench.press("enter")
        assert "k = 2" in said(bench.app, "#entry-result")
        await typed(bench, "0.001")
        await bench.press("enter")
        assert re.search(r"Radius 2\.99\d+ mm ±0\.00\d+, it was 2\.994", said(bench.app))
        assert "180°" in said(bench.app)
        assert bench.app.view_state.session.setup.stylus.effective_radius != 2.994


async def test_plane_ball_and_two_levels_are_asked_for_by_the_rose(tmp_path):
    async with Bench(tmp_path) as bench:
        session = await open_own(bench, tmp_path, plate="120, 80, 40", name="PL-2")
        for words in ("bore 30, 60, 40", "ball 20, 25, 20", "plane 16, 95, 20"):
            await bench.press("n")
            await typed(bench, words)
            await bench.press("enter")
        place = {feature.name: feature.machine for feature in session.setup.features}

        def stand(name, above):
            x, y, z = place[name]
            session.machine.place((x, y, z + above + session.setup.stylus.length), {}, 20)

        def reads():
            return bench.app.view_state.present_request().pattern.read().name

        stand("plane 1", 6.0)
        await bench.press("down", "backspace", "d", "d")
        assert reads() == "plane below"
        await bench.press("enter")
        assert session.measured["plane 1"].feature.axes[0] == "z"
        stand("bore 1", -6.0)
        await bench.press("backspace", "a", "a")
        assert "two levels" in reads()
        figures = {"diameter": "30", "below edge": "8", "2nd level": "12"}
        for number, (name, figure) in enumerate(figures.items()):
            await bench.press("tab" if number else "e")
            assert said(bench.app, "#entry-label").strip() == name
            await typed(bench, figure)
        await bench.press("enter")
        await bench.press("enter")
        tilted = next(m.feature for m in session.measured.values() if m.feature.kind.value == "tilted bore")
        assert set(tilted.angles) == {"a", "b"}
        stand("ball 1", 16.0)
        await bench.press("backspace", "f", "f", "f", "f", "f")
        for _ in range(8):
            if reads() == "ball":
                break
            await bench.press("f")
        await bench.press("enter")
        assert session.measured["ball 1"].feature.size == pytest.approx(20.0, abs=0.02)


async def test_tools_are_brought_to_the_setter_measured_and_renewed(tmp_path):
    async with Bench(tmp_path) as bench:
        session = bench.app.view_state.session
        await bench.press("6", *["down"] * 6, "m", "r", "enter")
        assert "G59 Z −600.0000" in said(bench.app).replace("-", "−")
        await bench.press("down", "down", "l")
        await typed(bench, "-300")
        await bench.press("enter")
        assert "T12 would change by" in said(bench.app)
        await bench.press("m", "l", "enter")
        assert "T12 is 131.4180 mm" in said(bench.app)
        await bench.press("b", "enter")
        assert "not known" in said(bench.app, "#shelf")
        assert "marks it on the control" in said(bench.app)
        await bench.press("4", "o", "space")
        assert session.control.memory.common[812] == 1.0
        await bench.press("6", "up", "up", "n", "enter")
        assert "take the reference again" in said(bench.app)
        await bench.press(*["up"] * 5, "enter")
        await typed(bench, "0.02")
        await bench.press("enter", "up", "i", "n", "enter")
        assert session.setup.shelf.probe.due == ("radius", "length", "offset")
        assert session.setup.hand_tools[0].diameter == pytest.approx(0.02)


async def test_the_walk_from_a_fixture_to_its_parts_written_and_read_back(tmp_path):
    async with Bench(tmp_path) as bench:
        session = bench.app.view_state.session
        keys = 0

        async def press(*pressed):
            nonlocal keys
            keys += len(pressed)
            await bench.press(*pressed)

        async def answer(key, words):
            await press(key)
            await typed(bench, words)
            await press("enter")

        await press("tab", "f", "enter", "f", "enter", "s", "enter")
        assert session.rows.state("G55").value == "stored"
        await press("2")
        await answer("p", "grid 3, 1, 90, 0")
        assert "G56, G57 follow G55" in said(bench.app)
        await answer("c", "G55")
        assert "Δ X +90.000" in said(bench.app, "#book-table")
        await press("down", "space", "down", "space")
        await answer("s", "y")
        assert "G56, G57 written" in said(bench.app)
        await answer("c", "control")
        assert said(bench.app, "#book-table").count("same") == 3
        await answer("a", "control")
        assert isinstance(bench.app.screen, RowsSheet)
        assert [line.left_out for line in bench.app.screen.lines] == ["the book has these figures"]
        await bench.press("escape")
        assert keys == 22
        zero = session.machine.offset("G55")
        assert session.machine.offset("G57")[0] == pytest.approx(zero[0] + 180.0, abs=1e-4)
        await answer("enter", "z =-0.5; recut")
        await press("l", "s")
        assert "locked" in said(bench.app)
        await press("l", "u", "g", "g", "o", "i", "i")
        assert session.ledger.valued("G57").values["z"] == pytest.approx(zero[2])
        await answer("N", "third part")
        await answer("j", "0.5")
        await answer("w", "late shift")
        await answer("k", "good part 14")
        assert session.rows.history("")[-1].who == "late shift"
        await press("d", "enter", "enter", "backspace", "escape", "pagedown", "r", "T")
        await wait_for(lambda: "offset-g57.svg" in said(bench.app))
        (tmp_path / "p.nc").write_text("G57 G0 X900. Y0\nM30\n")
        await answer("f", str(tmp_path / "p.nc"))
        await wait_for(lambda: "G57" in on_sheet(bench.app))
        assert "does not fit" in on_sheet(bench.app)
        await press("escape")
        await answer("x", "set.tap")
        assert "G10 L2 P4" in (tmp_path / "set.tap").read_text()
        await answer("slash", "third")
        assert "G54" not in said(bench.app, "#book-table")


async def test_a_moved_zero_shows_its_way_and_a_drawn_ball_is_taken_off_again(tmp_path):
    async with Bench(tmp_path) as bench:
        session = await open_own(bench, tmp_path, plate="120, 80, 20", name="PL-3")
        await bench.press("5", "l", "down", "down", "enter")
        assert "Every program on G54 moves by Y +80.000 mm" in said(bench.app)
        await bench.press("enter")
        anchors = bench.app.query_one("#setup-drawing").picture.anchors
        assert [anchor.ghost for anchor in anchors] == [True, False]
        assert anchors[1].was == anchors[0].place
        await bench.press("1")
        assert bench.app.view_state.moved is None
        await bench.press("5", "l", "l", "l")
        for words in ("ball 16, 30, 30", "edge front", "between ball 1, ball 1"):
            await bench.press("n")
            await typed(bench, words)
            await bench.press("enter")
        names = [feature.name for feature in session.setup.features]
        assert {"ball 1", "edge 1"} <= set(names)
        await bench.press("T")
        assert "no measured angle" in said(bench.app)
        chosen = next(
            n
            for n, item in enumerate(bench.app.query_one("#setup")._items)
            if item.drawn and item.drawn.name == "edge 1"
        )
        await bench.press(*["down"] * chosen, "r", "T")
        assert "no table about Z" in said(bench.app)


async def test_what_follows_is_told_before_a_store_and_a_damaged_book_at_once(tmp_path):
    async with Bench(tmp_path) as bench:
        session = bench.app.view_state.session
        await bench.press("tab", "f", "enter", "f", "enter", "s", "enter", "2", "p")
        await typed(bench, "shift 90, 0, 0")
        await bench.press("enter", "down", "s")
        await typed(bench, "y")
        await bench.press("enter")
        assert session.rows.state("G56").value == "stored"
        await bench.press("up", "1", "y", "s")
        assert "G56 follows by" in said(bench.app)
        await bench.press("escape", "6", "w", "l")
        assert "Choose a cutter" in said(bench.app)
        await bench.press("k")
        assert "another pocket? Enter says so" in said(bench.app)
        await bench.press("enter", "o")
        assert "turned half round" in said(bench.app)
        await bench.press("c")
        assert "Measure a ring" in said(bench.app)
        session.book.damage = "page 7 is torn"
        bench.app._opened(session)
        assert "reading only" in said(bench.app)
        await bench.press("2", "enter")
        await typed(bench, "z 1; why")
        await bench.press("enter")
        assert "reading only" in said(bench.app)


async def test_a_list_that_was_empty_can_be_chosen_from_by_key_and_by_click(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("5", "l", "l")
        rows = bench.app.query_one("#features", ChoiceList)
        assert rows.words.strip() == "there are no operations"
        await bench.press("l", "l")
        assert not any(option.disabled for option in rows.options)
        assert rows.words.splitlines()[0].startswith(" › ")
        await bench.press("down")
        assert [line[:3] for line in rows.words.splitlines()[:2]] == ["   ", " › "]
        await bench.pilot.click("#features", offset=(10, 3))
        await bench.pilot.pause()
        assert bench.app.query_one("#setup").chosen == 3
        assert rows.words.splitlines()[3].startswith(" › ")


async def test_what_a_spread_is_made_of_and_what_is_not_in_it_is_shown(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("B")
        assert "Nothing of G54 is measured yet" in said(bench.app)
        await bench.press("f", "enter", "f", "enter")
        assert "things are not in it" in said(bench.app, "#chain")
        await bench.press("B")
        await wait_for(lambda: "length of T20" in on_sheet(bench.app))
        sheet = on_sheet(bench.app)
        for words in ("length of T20", "94 %", "lobing of T20: not stated", "temperature: not stated", "job.toml"):
            assert words in sheet
        await bench.press("escape", "Y")
        await wait_for(lambda: "measured 25 times" in on_sheet(bench.app))
        await bench.press("u")
        await wait_for(lambda: "from 25 touches" in on_sheet(bench.app))
        assert bench.app.view_state.session.setup.stylus.repeats == 25
        await bench.press("escape", "f", "enter")
        await bench.press("2", "B")
        assert isinstance(bench.app.screen, BudgetSheet)


async def test_a_count_is_typed_as_one_and_shown_in_the_rose(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("f", "e", "tab", "tab", "tab", "tab")
        assert "now 4\n" in said(bench.app, "#entry-result")
        await bench.press("1", "2", "enter")
        assert len(bench.app.view_state.present_request().pattern.headings) == 12
        await bench.press("enter")
        assert len(bench.app.view_state.session.measured["bore"].feature.touches) == 12


async def test_the_unit_is_flipped_for_looking_and_typing_and_nothing_stored_changes(tmp_path):
    async with Bench(tmp_path) as bench:
        session = bench.app.view_state.session
        await bench.press("f", "enter")
        before = session.measured["bore"].feature

        def centre():
            figure = re.search(r"X bore centre +−([\d.]+)", said(bench.app, "#chain"))
            return -float(figure[1])

        x = centre()
        try:
            await bench.press("I")
            assert shown_unit() is Unit.INCH
            assert centre() == pytest.approx(x / 25.4, abs=1e-5)
            await bench.press("2", "e")
            await typed(bench, "x -10; moved")
            await bench.press("enter")
            assert session.ledger.valued("G54").values["x"] == pytest.approx(-254.0)
        finally:
            show_in(Unit.MM)
        assert session.measured["bore"].feature is before


async def test_the_touch_that_is_off_is_made_or_typed_again(tmp_path):
    async with Bench(tmp_path) as bench:
        session = bench.app.view_state.session
        bore = session.setup.drawn("bore")
        request = point_at(session.setup, bore).with_figure("places", 8.0)
        measured = session.runner.measure(build_measurement(session.setup, request))
        touches = list(measured.feature.touches)
        x, y, z = touches[2].position
        touches[2] = replace(touches[2], position=(x, y + 0.05, z))
        faulty = feature_of_touches(measured.measurement, tuple(touches), stated_of(session.setup, "bore"))
        session.working.measured["bore"] = replace(measured, feature=faulty)
        await bench.press("y")
        found = session.measured["bore"].feature
        assert [a == b for a, b in zip(found.touches, touches, strict=True)] == [n != 2 for n in range(8)]
        assert found.widened < faulty.widened
        assert found.size == pytest.approx(measured.feature.size, abs=0.003)
        typed_one = begin(point_at(session.setup, bore), session.setup.hand_tools[0])
        for figure in (-447.0, -419.0, -264.1, -236.0):
            typed_one = typed_one.typed(figure)
        session.runner.take_by_hand(typed_one)
        await bench.press("y")
        assert "correct 1" in said(bench.app, "#entry-label")
        await bench.press("escape")


async def test_touches_that_do_not_go_together_are_told_with_what_to_do(tmp_path):
    async with Bench(tmp_path) as bench:
        session = bench.app.view_state.session
        # A probe that is said to be a tenth as good as it is: four touches of a bore lie off their circle.
        session.working.setup = replace(session.setup, stylus=replace(session.setup.stylus, u_repeatability=0.00001))
        await bench.press("f", "enter")
        for _ in range(6):
            if "off a true shape" in said(bench.app):
                break
            await bench.press("y")
        assert "nobody can tell which it is" in said(bench.app)
        assert "touch it again: y" in said(bench.app)
        assert session.measured["bore"].feature.widened > 1
        await bench.press("f", "enter")
        assert "count" in said(bench.app, "#chain")


async def test_one_of_many_is_found_by_its_number_or_words(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        last = [drawn for drawn in app.view_state.session.setup.features if not drawn.of][-1]
        await bench.press("slash")
        await typed(bench, "no such thing")
        assert "Nothing here has" in said(app, "#entry-result")
        await typed(bench, last.title.upper())
        assert last.title in said(app, "#entry-result")
        await bench.press("enter")
        assert app.view_state.request.drawn == last
        await bench.press("5", "slash")
        await typed(bench, "⌀")
        assert "one of" in said(app, "#entry-result")
        await bench.press("enter")
        first = app.query_one("#setup").item.title
        await bench.press("slash")
        await typed(bench, "⌀")
        await bench.press("enter")
        assert "⌀" in first
        assert "⌀" in app.query_one("#setup").item.title != first
        await bench.press("7", "slash")
        plan = app.query_one("#plan")
        wanted = plan.builder.unmeasured()[-1]
        await typed(bench, wanted.title)
        await bench.press("enter")
        assert plan.pointed == wanted
