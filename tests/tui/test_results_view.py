"""The results view: a part inspected, entered, answered and written by keys; what is shown is what the book has."""

from __future__ import annotations

import json
from dataclasses import replace

from textual.widgets import Input

from brisk_anchor.services.demo.demo_job import demo_files
from brisk_anchor.services.results import rehearsal
from brisk_anchor.services.results.inspection import Inspection
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.results import view as results_view
from tests.tui.test_pilot import Bench, said, wait_for


class Batch(Bench):
    """The batch of bearing caps, with nothing inspected yet."""

    def __init__(self, folder, size=(160, 44)):
        job = demo_files(folder / "job", "batch")
        self.app = BriskAnchorApp(lambda: open_job(job, folder / "data", roll=0), folder, speed=2000.0)
        self.size = size


async def test_a_part_is_inspected_entered_and_answered(tmp_path):
    async with Batch(tmp_path) as bench:
        app = bench.app
        await bench.press("8")
        await wait_for(lambda: "Nothing of this part was measured" in said(app))
        assert "⌀62 H7 of seat" in said(app, "#asked")
        await bench.press("n")
        assert "Part 1 was cut and clamped" in said(app)
        await bench.press("enter")
        await wait_for(lambda: "s enters this part" in said(app))
        assert "not entered yet" in said(app, "#part-heading")
        await bench.press("s")
        app.query_one(Input).value = "A 17"
        await bench.press("enter")
        assert "part A 17" in said(app)
        session = app.view_state.session
        known = Inspection(session)
        line = known.parts[0].line("1")
        assert f"{line.value:.4f}" in said(app, "#asked")
        await bench.press("s", "enter")
        assert "Nothing was measured since part A 17 was entered" in said(app)
        await bench.press("escape", "n", "enter")
        await wait_for(lambda: "s enters this part" in said(app))
        await bench.press("s", "enter")  # the next number is proposed
        assert [part.serial for part in Inspection(session).parts] == ["A 17", "A 18"]
        await bench.press("pageup")
        assert "A 17" in said(app, "#part-heading")
        # What is off its target is answered: the sum first, then by a program.
        await bench.press("down", "down", "c")
        told = said(app)
        if "Enter writes it" in told:
            await bench.press("enter")
            assert "T14 radius wear is" in said(app)
        await bench.press("x")
        assert "2 parts" in said(app)
        assert len(json.loads((tmp_path / "results-bc-27-batch.json").read_text())["parts"]) >= 2
        await bench.press("t")
        await wait_for(lambda: "Written: part-bc-27-a-17.svg" in said(app), 60)
        await bench.press("T")
        await wait_for(lambda: "Written: chart-bc-27-3.svg" in said(app), 60)


async def test_a_master_a_second_number_and_a_batch(tmp_path, monkeypatch):
    monkeypatch.setattr(results_view, "_BATCH", 4)
    async with Batch(tmp_path, (100, 30)) as bench:
        app = bench.app
        await bench.press("8", "enter")
        await wait_for(lambda: "s enters this part" in said(app))
        await bench.press("m")
        app.query_one(Input).value = "61.9990 0.0005"
        await bench.pilot.pause()
        assert "61.9990 mm ± 0.0010" in said(app, "#entry-result")
        await bench.press("enter")
        assert "taken off from here on" in said(app)
        await bench.press("s", "enter", "s")
        app.query_one(Input).value = "1"
        await bench.press("enter")
        assert "There is a part 1 already" in said(app)
        await bench.press("escape", "b")
        await wait_for(lambda: "4 parts, corrected" in said(app), 60)
        assert "4 parts, not corrected" in said(app, "#about-asked")


async def test_a_drawing_that_asks_nothing_or_nonsense_says_what_to_do(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("8")
        await wait_for(
            lambda: "of GL-114" in said(bench.app, "#part-heading") or "GL-114" in said(bench.app, "#part-heading")
        )
    job = demo_files(tmp_path / "nonsense", "batch")
    part = job / "part.toml"
    part.write_text(part.read_text(encoding="utf-8").replace("1 ⌀62 H7", "1 roundish"), encoding="utf-8")
    bench = Batch(tmp_path / "other")
    bench.app = BriskAnchorApp(lambda: open_job(job, tmp_path / "d", roll=0), tmp_path, speed=2000.0)
    async with bench:
        await bench.press("8")
        await wait_for(lambda: "words cannot be read" in said(bench.app))
        assert "nothing a drawing asks" in said(bench.app)
    assert rehearsal.USUAL.wear > 0


async def test_a_part_is_entered_where_the_set_up_changed_while_its_number_was_typed(tmp_path):
    async with Batch(tmp_path) as bench:
        app = bench.app
        await bench.press("8", "enter")
        await wait_for(lambda: "s enters this part" in said(app))
        await bench.press("s")
        session, view = app.view_state.session, app.query_one("#results")
        before = view.inspection
        session.working.setup = replace(session.setup, start_uncertainty=session.setup.start_uncertainty + 0.5)
        view.show()
        await wait_for(lambda: view.inspection is not before)
        await bench.press("enter")
        assert "part 1" in said(app, "#part-heading")
        assert [part.serial for part in view.inspection.parts] == ["1"]
        # What was read before a part was entered, and comes after it, loses nothing.
        late = Inspection(session)
        late.parts, late._seen = [], 0
        view._opened(view._of, late, "")
        assert [part.serial for part in view.inspection.parts] == ["1"]
        view.inspection.parts.clear()  # and nothing to go back to is no crash
        view.show()
