"""Inspection from the drawing's words to verdicts, files, corrections and programs, on the batch of bearing caps."""

from __future__ import annotations

import csv
import io
import json
import math
import random
import re
import time
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from xml.etree import ElementTree

import pytest
from typer.testing import CliRunner

from brisk_anchor.book.entries import Entry, EntryKind, clock_words
from brisk_anchor.book.store import Book
from brisk_anchor.cli.commands import app
from brisk_anchor.core.errors import BookError, InspectionError, PlanError, PlanFileError, ReportError
from brisk_anchor.core.inspection.characteristic import What
from brisk_anchor.core.inspection.verdict import Fate
from brisk_anchor.core.quantities import Unit, deg, show_in, signed_deg
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.programs.judging import AGAIN, GOOD, SCRAP, Inspecting, Judgement
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.read.port import LENGTH_WEAR, RADIUS_WEAR
from brisk_anchor.services.demo.demo_batch import open_batch
from brisk_anchor.services.demo.demo_job import demo_files
from brisk_anchor.services.job.characteristics import by_of, read_characteristic
from brisk_anchor.services.job.jobs import load_job
from brisk_anchor.services.plan.plan_file import parse_plan, plan_text
from brisk_anchor.services.plan.planning import nc_plan, planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.results.correcting import correction_program, write_correction
from brisk_anchor.services.results.inspected import InspectedPart, loaded
from brisk_anchor.services.results.inspection import KEPT, Inspection
from brisk_anchor.services.results.measuring import features_needed, measure_asked
from brisk_anchor.services.results.over_parts import offset_series, repeated, series_of, words_of
from brisk_anchor.services.results.rehearsal import BatchRehearsal, cut_next
from brisk_anchor.services.results.report_files import schema, to_csv, to_json, write_chart, write_part
from brisk_anchor.services.results.results_words import line_words
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.cutting import EdgeLife, cut_scene
from brisk_anchor.standin.scene import build_scene

QUIET = EdgeLife()


@pytest.fixture
def batch(tmp_path):
    with open_job(demo_files(tmp_path / "job", "batch"), tmp_path / "data", roll=0) as session:
        yield Inspection(session)


def scene_session(
    folder: Path, profile: str = "skip-macro", table: str | None = "radius", **changes: tuple[str, str]
) -> Session:
    demo_files(folder, "batch")
    for file, (old, new) in changes.items():
        path = folder / f"{file}.toml"
        text = path.read_text(encoding="utf-8")
        assert old in text
        path.write_text(text.replace(old, new), encoding="utf-8")
    chosen = shipped_profile(profile).model_copy(update={"tool_radius": table})
    return Session(build_scene(load_job(folder).scene(0)), None, chosen, seed=None)


# -- words of a drawing ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("feature", "words", "what", "low", "high", "more"),
    [
        ("seat", "1 ⌀62 H7", What.SIZE, 62.0, 62.03, {}),
        ("seat", "1 size H7 envelope", What.SIZE, 62.0, 62.03, {"envelope": True}),
        ("seat", "1 ⌀62 +0.025 0", What.SIZE, 62.0, 62.025, {}),
        ("seat", "1 size ±0,05", What.SIZE, 61.95, 62.05, {}),
        ("seat", "1 size 2768 m", What.SIZE, 61.7, 62.3, {}),
        ("pocket", "4 length 24 +0.06 0", What.SIZE_Y, 24.0, 24.06, {}),
        ("seat", "2 position 0.1 at maximum datums top, left", What.POSITION, None, 0.1, {"datums": ("top", "left")}),
        ("pocket", "5 x 130 ±0.1", What.X, 129.9, 130.1, {"row": "G54"}),
        ("floor", "6 depth ±0.04", What.Z, -12.04, -11.96, {}),
        (
            "seat",
            "7 distance 50 ±0.05 to pocket along x",
            What.DISTANCE,
            49.95,
            50.05,
            {"other": "pocket", "along": "x"},
        ),
        ("seat", "8 form 0.01", What.FORM, None, 0.01, {}),
        ("front", "9 parallel 0.02 over 100 to left", What.PARALLELISM, None, 0.02, {"over": 100.0}),
        ("front", "10 angle 90 ±0.1 to left", What.ANGLE, 89.9, 90.1, {}),
    ],
)
def test_a_characteristic_is_read_as_it_stands_on_a_drawing(batch, feature, words, what, low, high, more):
    asked = read_characteristic(words, batch.setup.drawn(feature), batch.setup)
    made = asked.characteristic
    assert (made.what, made.limits.low, made.limits.high) == (
        what, None if low is None else pytest.approx(low), pytest.approx(high)
    )  # fmt: skip
    assert {name: getattr(made, name) for name in more} == more
    assert asked.way is None


@pytest.mark.parametrize(
    ("feature", "words", "reason"),
    [
        ("seat", "1", "no characteristic"),
        ("seat", "1 roundish 0.1", "nothing a drawing asks"),
        ("seat", "1 ⌀62 H99", "not in the tables"),
        ("seat", "1 size +0.02 +0.02", "Both deviations"),
        ("seat", "1 size 40 mm", "is no figure"),
        ("seat", "1 size 40 1 2 3", "is no tolerance"),
        ("seat", "1 position 0", "above nothing"),
        ("seat", "1 distance 50 ±0.1", "needs the feature"),
        ("seat", "1 distance 50 ±0.1 to nowhere", "no other feature"),
        ("seat", "1 x 80 ±0.1 row G59", "has no G59"),
        ("seat", "1 size ±40", "makes no sense"),
        ("front", "1 angle ±0.1 to left", "shows no angle"),
    ],
)
def test_words_that_mean_nothing_say_so(batch, feature, words, reason):
    with pytest.raises(InspectionError, match=reason):
        read_characteristic(words, batch.setup.drawn(feature), batch.setup)


def test_what_cuts_it_and_in_which_unit(batch):
    drawn = batch.setup.drawn("seat")
    inch = replace(batch.setup.drawn("front"), asks_unit="inch")
    angle = read_characteristic("1 angle 90 +0.2 -0,1 target 90.02 to left", inch, batch.setup).characteristic
    limits = angle.limits
    assert (angle.nominal, limits.low, limits.high, limits.target) == pytest.approx((90.0, 89.9, 90.2, 90.02))
    words = "1 size 2.4409 ±0.001 cut by T12 share 0.3 dead 0.0002 limit 0.002"
    rule = read_characteristic(words, replace(drawn, asks_unit="inch"), batch.setup).rule
    assert (rule.share, rule.dead_band, rule.limit) == (0.3, pytest.approx(0.00508), pytest.approx(0.0508))
    with pytest.raises(InspectionError, match="is no angle"):
        read_characteristic("1 angle 90 ±wide to left", batch.setup.drawn("front"), batch.setup)
    asked = read_characteristic("1 ⌀62 H7 cut by T12 not compensated share 0.3 dead 0.004", drawn, batch.setup)
    assert (asked.way.tool, asked.way.compensated, asked.rule.share, asked.rule.dead_band) == (12, False, 0.3, 0.004)
    assert asked.characteristic.words == "1 ⌀62 H7"
    row = read_characteristic("5 x 80 ±0.1 moves G54 x blank", drawn, batch.setup)
    assert (by_of(row.way), row.way.blank) == ("G54 X", True)
    inch = read_characteristic("1 size +0.001 0", replace(drawn, asks_unit="inch"), batch.setup)
    assert inch.characteristic.limits.high == pytest.approx(62.0254)
    noted = read_characteristic("2 position 0.1 datums top, left at maximum", drawn, batch.setup).characteristic
    assert "adds nothing" in noted.note
    assert not noted.bonus


# -- one part ----------------------------------------------------------------------------------------------------------


def test_a_part_is_measured_judged_entered_and_read_again(batch, tmp_path):
    assert features_needed(batch) == ["top", "left", "front", "seat", "pocket", "floor"]
    with pytest.raises(InspectionError, match="Nothing of this part"):
        batch.take("1")
    measure_asked(batch)
    part = batch.take("1")
    lines = {line.balloon: line for line in part.lines}
    assert lines["2"].to == "datums top, left, front"
    assert lines["1"].verdict == "cannot tell"  # as drawn it lies on the lower limit
    assert lines["1"].process_only
    assert lines["6"].value == pytest.approx(-12.0, abs=0.002)
    with pytest.raises(InspectionError, match="part 1 already"):
        batch.take("1")
    batch.take("1", again=True)
    assert [p.serial for p in batch.parts] == ["1", "1"]
    assert batch.next_serial() == "2"
    assert repeated(batch.parts, "1")["in one clamping"].count == 2
    assert "over clampings" not in repeated(batch.parts, "1")
    other = [replace(part, clamping=f"{n // 2}") for n, part in enumerate([*batch.parts] * 2)]
    assert repeated(other, "1")["over clampings"].count == 2
    # What the book gives back is what was entered; its rows and seals are as they were.
    known = Inspection(batch.session)
    assert known.parts[0] == part
    forgetful = Inspection(batch.session)
    forgetful.parts.clear()
    with pytest.raises(InspectionError, match="part 1 already"):  # however long ago it was
        forgetful.take("1", part=part)
    assert batch.session.ledger.rows == ["G54"]
    assert loaded(part.dumped()) == part
    with pytest.raises(BookError, match="cannot be read"):
        loaded('{"form": "another"}')
    path = batch.session.ledger.book.address.path
    batch.session.close()
    with Book.open(path) as book:
        assert book.verify().id > 2


def test_a_master_takes_the_errors_of_the_machine_off(batch):
    measure_asked(batch)
    before = batch.part_now().line("1")
    off = batch.master("1", 61.9985, 0.0005)  # the machine shows 62.0000: 1.5 µm too much
    assert off.value == pytest.approx(0.0015, abs=0.0006)
    ring = batch.part_now().line("1")
    assert (ring.value, ring.notes) == (None, ("its master was measured, and not the part",))
    measure_asked(batch)
    after = batch.part_now().line("1")
    assert (before.process_only, after.process_only) == (True, False)
    assert after.value == pytest.approx(61.9985, abs=0.0012)
    assert after.expanded < before.expanded  # the radius of the ball is the same in both
    # With another stylus the machine is off by something else.
    setup = batch.session.setup
    batch.session.working.setup = replace(setup, stylus=replace(setup.stylus, effective_radius=2.9945))
    assert batch.part_now().line("1").process_only
    batch.session.working.setup = setup
    measure_asked(batch)
    with pytest.raises(InspectionError, match="right ring"):
        batch.master("1", 61.0, 0.0005)
    with pytest.raises(InspectionError, match="stands in for a size"):
        batch.master("6", -12.0, 0.001)


def test_results_are_written_as_csv_json_and_sheets(batch, tmp_path):
    measure_asked(batch)
    part = replace(batch.take("7"), note="=HYPERLINK(1)", operation="=1+1")
    rows = list(csv.DictReader(io.StringIO(to_csv([part], Unit.MM).decode())))
    assert [row["balloon"] for row in rows] == ["1", "2", "3", "4", "5", "6"]
    assert float(rows[0]["actual"]) == pytest.approx(part.lines[0].value, abs=1e-6)
    assert rows[0]["operation"] == "'=1+1"  # no formula for a spreadsheet
    inch = next(csv.DictReader(io.StringIO(to_csv([part], Unit.INCH).decode())))
    assert float(inch["actual"]) == pytest.approx(part.lines[0].value / 25.4, abs=1e-7)
    data = json.loads(to_json([part]))
    described = schema()["$defs"]
    assert set(data["parts"][0]) == set(described["InspectedPart"]["properties"])
    assert set(data["parts"][0]["lines"][0]) == set(described["CharacteristicLine"]["properties"])
    for path in write_part(batch.setup, replace(part, serial="7 <b>&"), tmp_path / "out"):
        content = path.read_bytes()
        if path.suffix == ".svg":
            assert ElementTree.fromstring(content).tag.endswith("svg")
        else:
            assert content.startswith(b"%PDF")


def test_times_are_those_of_the_shops_clock(batch, tmp_path, monkeypatch):
    monkeypatch.setenv("TZ", "Asia/Tokyo")
    time.tzset()
    try:
        assert clock_words("2026-11-30T23:30:12.500+00:00") == "2026-12-01 08:30"
        assert [clock_words(at) for at in ("2026-11-30", "2026-11-30T08:30", "typed")] == [
            "2026-11-30",
            "2026-11-30 08:30",
            "typed",
        ]
        at = datetime(2026, 11, 30, 23, 30, tzinfo=UTC)
        stored = [Entry(at, "Heron", "G54", EntryKind.STORED, "j", "t", {"x": x}, {}) for x in (1.0, 2.0)]
        assert offset_series(stored, "G54", "x").serials == ("2026-12-01 08:30",) * 2
        measure_asked(batch)
        part = replace(batch.take("7"), at="2026-11-30T23:30:12.500+00:00")
        page = next(path for path in write_part(batch.setup, part, tmp_path) if path.suffix == ".svg")
        assert "2026-12-01 08:30" in page.read_text(encoding="utf-8")
    finally:
        monkeypatch.undo()
        time.tzset()


RELATED = """asks = [
    "11 angle 90 ±0.1 to left", "12 square 0.05 over 60 to left", "16 distance 78 ±0.2 to pocket along y",
]
"""


def test_features_are_judged_against_each_other(tmp_path):
    """A part that is square: 90° was told as 0°, and a zone as wide as the tangent of a right angle."""
    folder = demo_files(tmp_path / "job", "batch")
    path = folder / "part.toml"
    text = path.read_text(encoding="utf-8")
    for old, new in (
        (
            'kind = "surface"\nsolid = "plate"\nplace = [0.0',
            'kind = "edge"\nspread = 30.0\nsolid = "plate"\nplace = [0.0',
        ),
        (
            'kind = "surface"\nsolid = "plate"\nplace = [40.0',
            f'{RELATED}kind = "edge"\nspread = 50.0\nsolid = "plate"\nplace = [40.0',
        ),
        (
            '    "5 x 130 ±0.1",\n]',
            '    "13 square 0.05 over 40", "14 parallel 0.05 over 60 to front",\n]\nspread = 8.0',
        ),
    ):
        assert old in text
        text = text.replace(old, new)
    path.write_text(text, encoding="utf-8")
    with open_job(folder, tmp_path / "data", roll=0) as session:
        inspection = Inspection(session)
        measure_asked(inspection)
        part = inspection.take("1")
        lines = {line.balloon: line for line in part.lines}
        assert lines["11"].value == pytest.approx(90.0, abs=0.01)
        assert lines["16"].value == pytest.approx(78.0, abs=0.05)
        assert all(0 <= lines[n].value < 0.01 for n in ("12", "13", "14"))
        assert {lines[n].state for n in ("11", "12", "13", "14", "16")} == {Fate.GOOD}
        # In inches an angle, its ± and what it is off stay degrees.
        there = line_words(lines["11"])
        wider = tuple(replace(line, value=(line.value or 0.0) + 0.05) for line in part.lines)
        series = series_of([part, replace(part, serial="2", lines=wider)], "11")
        charts = [write_chart(series, tmp_path, "")[0].read_text(encoding="utf-8")]
        show_in(Unit.INCH)
        charts.append(write_chart(series, tmp_path, "")[0].read_text(encoding="utf-8"))
        assert "<!-- moving range -->" in charts[0]
        in_mm, in_inches = (
            [re.findall("<!-- (.*?) -->", chart), re.findall('<use .*?y="(.*?)"', chart)] for chart in charts
        )
        in_mm[0], in_inches[0] = ([words for words in told if ":" not in words] for told in (in_mm[0], in_inches[0]))
        assert in_mm == in_inches
        page = write_part(session.setup, part, tmp_path)[0].read_text(encoding="utf-8")
        assert line_words(lines["11"]) == there
        spread = f"±{deg(lines['11'].expanded, 4)}"
        assert spread in there
        assert spread in page
        assert signed_deg(lines["11"].deviation, 4) in page


# -- corrections -------------------------------------------------------------------------------------------------------


def test_a_correction_is_written_by_a_program_that_looks_first(batch):
    measure_asked(batch)
    batch.take("1")
    asked = batch.by_balloon("1")
    found = batch.correction(asked)
    assert found.change == pytest.approx(-0.00375, abs=0.0002)  # ⌀62.000 of 62.015: half of 7.5 µm a side
    program = correction_program(batch, found)
    told = write_correction(batch, asked, found)
    assert "T12 radius wear is" in told
    assert batch.figure_now(asked.way) == pytest.approx(found.new, abs=1e-4)
    assert batch.parts[-1].corrected[0].by == "T12 radius wear"
    assert batch.correction(asked).why == "waits for a part that was cut after the last change"
    # The same program again stops: the table holds another figure than it was worked out from.
    run = batch.session.runner.start(program)
    run.to_end()
    assert "IS ANOTHER NOW" in str(run.failure())
    with pytest.raises(InspectionError, match="has no number 99"):
        batch.by_balloon("99")


def test_a_tool_that_the_table_lacks_is_told(tmp_path):
    session = scene_session(tmp_path, part=("cut by T12 compensated", "cut by T77 compensated"))
    inspection = Inspection(session)
    with pytest.raises(InspectionError, match="no T77"):
        inspection.figure_now(inspection.by_balloon("1").way)


def test_the_next_part_is_cut_with_the_wear_that_the_control_has(batch):
    asked = batch.by_balloon("1")
    sizes = []
    for wear in (0.0, -0.01):
        batch.session.link.write_tool_figure(12, RADIUS_WEAR, wear)
        cut_next(batch)
        measure_asked(batch)
        sizes.append(batch.part_now().line("1").value)
        assert batch.part_now().line("1").wear == wear
    assert sizes[1] - sizes[0] == pytest.approx(0.02, abs=0.012)  # 10 µm a side, less chance of two cuts
    assert asked.characteristic.limits.target == pytest.approx(62.015)


# -- batches -----------------------------------------------------------------------------------------------------------


def test_a_batch_with_correction_stays_good_and_without_runs_out(tmp_path):
    rehearsal = BatchRehearsal(Inspection(scene_session(tmp_path)))
    lives = {"T12 radius wear": EdgeLife(wear=0.0006, scatter=0.0008)}
    left, answered = (rehearsal.run(30, corrected=corrected, lives=lives) for corrected in (False, True))
    assert answered.count(Fate.GOOD) == 30
    assert left.count(Fate.AGAIN) > 5
    assert "30 parts, corrected" in answered.words()
    drift = series_of(left.parts, "1")
    assert drift.drift.slope == pytest.approx(-2 * 0.0006, rel=0.1)  # a µm of edge is two of diameter
    assert any(words.startswith("drifts") for words in words_of(drift))
    assert series_of(answered.parts, "1").corrected_at
    assert series_of([], "1") is None


def test_a_single_upset_is_not_answered(tmp_path):
    rehearsal = BatchRehearsal(Inspection(scene_session(tmp_path)))
    lives = {"T12 radius wear": EdgeLife(scatter=0.0008, upsets=((14, 0.012),))}
    answered = rehearsal.run(18, corrected=True, lives=lives)
    line = answered.parts[15].line("1")
    assert answered.parts[14].line("1").state is Fate.AGAIN
    assert abs(line.wear - answered.parts[14].line("1").wear) < 0.002
    assert answered.parts[16].outcome is Fate.GOOD


def test_metal_that_is_left_makes_a_bore_smaller_a_floor_higher_and_a_pocket_narrower(tmp_path):
    scene = scene_session(tmp_path).scene
    cut = cut_scene(scene, {"seat": 0.01, "floor": 0.02, "pocket": 0.005}, {"seat": 0.015})
    solid = next(solid for body in cut.file.body if body.name == "BC-27" for solid in body.solid)
    assert solid.holes[0].real_diameter == pytest.approx(62.015 - 0.02)
    assert solid.slots[0].depth == pytest.approx(12.0 - 0.02)
    assert solid.slots[0].real_size[0] == pytest.approx(40.0 - 0.01)
    assert solid.slots[0].high[0] - solid.slots[0].low[0] == 40.0
    assert QUIET.lost(100) == 0
    assert EdgeLife(wear=0.001, warmth=0.01, chip_at=5, chip=0.1).lost(5) == pytest.approx(
        0.005 + 0.01 * math.exp(-5 / 12) + 0.1
    )


def test_the_demo_has_its_history(tmp_path):
    with open_batch(tmp_path) as session:
        known = Inspection(session)
        fates = {fate: sum(part.outcome is fate for part in known.parts) for fate in Fate}
        assert len(known.parts) == 60
        assert fates[Fate.AGAIN] >= 1
        assert fates[Fate.SCRAP] == 1
        assert fates[Fate.GOOD] > 45
        assert len(series_of(known.parts, "3").corrected_at) > 20  # the one that is over-corrected
        assert known.figure_now(known.by_balloon("1").way) < -0.01


# -- on the control ----------------------------------------------------------------------------------------------------

PLAN = """form = "brisk-anchor-plan-1"
units = "mm"
name = "inspect"
ending = "optional stop"
{measures}
[[judge]]
balloon = "1"
unsure = "go on"
again = "{again}"
scrap = "alarm"
{more}
[[judge]]
balloon = "6"
unsure = "go on"
again = "go on"
scrap = "go on"
{also}
"""
MEASURES = "\n".join(f'[[measure]]\nfeature = "{n}"' for n in ("top", "left", "front", "seat", "pocket", "floor"))


def plan_of(again: str = "go on", more: str = "", also: str = ""):
    return parse_plan(PLAN.format(measures=MEASURES, again=again, more=more, also=also), "plan")


def cut_run(prover: Prover, metal: dict[str, float], wear: dict[tuple[int, int], float] | None = None):
    """The program on a part with so much metal left; with the figures of the tool table as they are."""
    drawn = prover.case.scene
    scene = cut_scene(drawn, metal, {"seat": 0.015})
    run = prover.run(scene, 1, noisy=False)
    for (tool, column), value in (wear or {}).items():
        run.machine.write_tool(tool, column, value)
    run.to_end()
    return run


@pytest.mark.parametrize(
    ("left", "code", "ended"),
    [(0.0, GOOD, ""), (0.02, AGAIN, ""), (-0.02, SCRAP, "62 H7 SCRAP")],
)
def test_the_control_judges_answers_and_reacts(tmp_path, left, code, ended):
    session = scene_session(tmp_path)
    ready = planned(session, plan_of(more="flag = 620\ncorrect = true", also="correct = true"))
    assert [look.found for look in ready.all_looks if look.stops] == []
    assert any("counts from G54 as the control's table holds it" in look.found for look in ready.looks)
    program = program_of(session, ready)
    assert "M1 " in program.text
    assert plan_text(parse_plan(plan_text(ready.plan), "again")) == plan_text(ready.plan)
    prover = Prover(Case.of(session, ready, program))
    prover.case.offsets["G54"] = prover.session.rows.expected("G54")["x"], -270.0, -505.0
    run = cut_run(prover, {"seat": left, "floor": 0.03}, {(12, RADIUS_WEAR): 0.002})
    assert (ended in str(run.failure())) if ended else (run.failure() is None)
    judged = [line for line in run.printed if "JUDGED" in line]
    assert judged[0].endswith(f"V{code}")
    assert run.interpreter.common[620] == code
    # Out in either way is answered by a person; what is in, by half of what a side is off.
    told = run.machine.tool_value(12, RADIUS_WEAR)
    assert told == pytest.approx(0.002, abs=3e-4)
    if not ended:
        report = parse_reports(run.printed)
        assert report.judged[1][1] == code
        assert [tool for tool, _, _ in report.corrected] == [12, 14]
        for word, what in (("JUDGED", "verdicts"), ("CORRECTED", "corrections")):
            lost = next(line for line in run.printed if word in line)
            with pytest.raises(ReportError, match=f"{what} were reported"):
                parse_reports([line for line in run.printed if line != lost])


def test_one_wear_is_answered_once_in_a_plan(tmp_path):
    session = scene_session(tmp_path, part=("by T14 compensated by length", "by T12 compensated by length"))
    told = [look.found for look in planned(session, plan_of(more="correct = true", also="correct = true")).all_looks]
    assert not any("would each correct" in words for words in told)  # of one tool the radius and the length
    plan = plan_of(more="correct = true")
    twice = plan.model_copy(update={"judge": plan.judge[:1] * 2})
    stops = [look.found for look in planned(session, twice).all_looks if look.stops]
    assert "1 and 1 would each correct T12 radius wear" in stops


def test_what_was_measured_before_an_answer_was_cut_before_it(batch):
    measure_asked(batch)
    batch.take("1")
    asked = batch.by_balloon("1")
    cut_next(batch)
    measure_asked(batch)
    found = batch.correction(asked)
    write_correction(batch, asked, found)
    second = batch.take("2")
    assert second.line("1").wear == found.old
    assert second.corrected == ()  # it stands with the part before
    assert batch.correction(asked).why.startswith("waits for a part that was cut after")
    assert batch.figure_now(asked.way) == pytest.approx(found.new)
    cut_next(batch)
    measure_asked(batch)
    assert batch.take("3").line("1").wear == pytest.approx(found.new)


@pytest.mark.parametrize(("table", "times"), [("radius", 1), ("diameter", 2)])
def test_the_control_answers_as_the_application_does(tmp_path, table, times):
    session = scene_session(tmp_path, table=table)
    ready = planned(session, plan_of(more="correct = true", also="correct = true"))
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    prover.case.offsets["G54"] = (-449.99, -269.97, -505.0)
    source = random.Random(4)
    for _ in range(6):
        metal = {"seat": source.uniform(-0.005, 0.005), "floor": source.uniform(-0.02, 0.02)}
        before = source.uniform(-0.05, 0.05), source.uniform(-0.05, 0.05)
        run = cut_run(prover, metal, {(12, RADIUS_WEAR): before[0], (14, LENGTH_WEAR): before[1]})
        assert run.failure() is None
        for (tool, column), side, old in (
            ((12, RADIUS_WEAR), metal["seat"], before[0]),
            ((14, LENGTH_WEAR), metal["floor"], before[1]),
        ):
            per_side = times if tool == 12 else 1
            answer = -0.5 * side * per_side if abs(side) * (2 if tool == 12 else 1) > 0.0025 else None
            change = run.machine.tool_value(tool, column) - old
            if answer is not None:
                assert change == pytest.approx(answer, abs=6e-4 * per_side)


def test_a_table_of_diameters_is_answered_twice_and_an_unknown_one_not_at_all(tmp_path):
    known = Inspection(scene_session(tmp_path / "two", table="diameter"))
    assert known.by_balloon("1").way.per_side == 2.0
    assert known.by_balloon("6").way.per_side == 1.0  # a length
    rehearsed = BatchRehearsal(known).run(30, corrected=True, lives={"T12 radius wear": EdgeLife(wear=0.004)})
    line = rehearsed.parts[-1].line("1")
    # What 29 parts wore off stands in the table twice, but for a lag of some parts of wear.
    assert -2 * 0.004 * 29 < line.wear < -2 * 0.004 * (29 - 4)
    assert abs(line.deviation) < 2 * 0.004 * 4
    with pytest.raises(InspectionError, match="what the tool table holds"):
        Inspection(scene_session(tmp_path / "none", table=None))


def test_a_plan_ends_as_it_is_asked_to(tmp_path):
    session = scene_session(tmp_path)
    asked = PLAN.replace("optional stop", "return").replace("{also}", "").replace("[[judge]]", "#").partition("#")[0]
    asked = asked.format(measures="z_home = false\n" + MEASURES)
    ready = planned(session, parse_plan(asked, "p"))
    program = program_of(session, ready)
    assert plan_text(parse_plan(plan_text(ready.plan), "again")) == plan_text(ready.plan)
    main = program.text.partition("M99")[0]
    assert "M30" not in main
    run = Prover(Case.of(session, ready, program)).run(session.scene, 0, noisy=False)
    run.to_end()
    assert run.failure() is None
    assert run.machine.position[2] == pytest.approx(ready.measurements[-1].clear_z, abs=1e-6)
    straight = scene_session(tmp_path / "ngc", "probe-params")
    with pytest.raises(PlanError, match="No program calls another"):
        program_of(straight, planned(straight, parse_plan(asked, "p")))


def test_a_control_without_branches_can_only_end_and_says_so(tmp_path):
    session = scene_session(tmp_path, "probe-params")
    told = [look.found for look in planned(session, plan_of("stop")).all_looks if look.stops]
    assert told == ["1 is to “stop”; without branches a program can only end: alarm"]
    told = [look.found for look in planned(session, plan_of("alarm", more="correct = true")).all_looks if look.stops]
    assert "a program on this control cannot reach the radius wear of T12" in told[0]
    ready = planned(session, plan_of("alarm"))
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    prover.case.offsets["G54"] = (-449.99, -269.97, -505.0)
    assert cut_run(prover, {"seat": 0.0}).failure() is None
    assert "CAN BE CUT AGAIN" in str(cut_run(prover, {"seat": 0.02}).failure())
    assert "SCRAP" in str(cut_run(prover, {"seat": -0.02}).failure())


def test_what_a_plan_cannot_judge_is_told_before(tmp_path):
    session = scene_session(tmp_path)
    with pytest.raises(PlanFileError, match="plan"):
        planned(
            session,
            parse_plan(PLAN.format(measures=MEASURES, again="stop", more="", also="").replace('"6"', '"66"'), "p"),
        )
    two = PLAN.format(measures=MEASURES, again="stop", more="", also="").replace('"6"', '"2"')
    assert "position: the application judges it" in planned(session, parse_plan(two, "p")).looks[-1].found
    few = PLAN.format(measures='[[measure]]\nfeature = "top"', again="stop", more="", also="")
    assert any("does not measure" in look.found for look in planned(session, parse_plan(few, "p")).looks)
    with pytest.raises(PlanFileError):
        plan_of("block M60 (a)")
    ready = planned(session, plan_of("block M60"))
    text = program_of(session, ready).text
    assert re.search(r"IF \[#\d+ NE 2\] GOTO 9001.*\nM60 \(.*\)\nN9001", text)
    plan = replace(
        nc_plan(session, ready), inspecting=Inspecting((Judgement("1", "no", "d", "", (0, 1), (0, 1), 2, 3),))
    )
    from brisk_anchor.nc.programs.plan import plan_steps

    with pytest.raises(PlanError, match="gives no D"):
        plan_steps(plan)


# -- the command line --------------------------------------------------------------------------------------------------


def test_results_from_the_command_line(tmp_path):
    job = str(demo_files(tmp_path / "job", "batch"))
    run = CliRunner()

    def told(*words: str, fails: bool = False) -> str:
        result = run.invoke(app, ["results", *words, "--job", job])
        assert (result.exit_code != 0) == fails, (words, result.output, result.exception)
        return str(result.exception) if fails else result.output

    assert "T12 radius wear" in told("asked")
    assert "No part was inspected" in told("list")
    assert "part 17" in told("take", "17")
    assert "part 17 already" in told("take", "17", fails=True)
    assert "⌀62 H7" in told("show")
    assert json.loads(told("list", "--json"))[0]["serial"] == "17"
    assert "radius wear" in told("correct", "1", "--write")
    assert "waits for a part" in told("correct", "1")
    assert "There is no part 18" in told("show", "18", fails=True)
    out = str(tmp_path / "out")
    for form in ("csv", "json", "svg", "pdf"):
        assert Path(told("export", "--format", form, "--out", out).split("Written ")[1].strip()).exists()
    assert "is told from 50 on" in told("take", "18") + told("chart", "1", "--out", out)
    assert "stored fewer than twice" in told("offsets", "G54", "--out", out, fails=True)
    assert "InspectedPart" in run.invoke(app, ["results", "schema"]).output


def test_ten_thousand_parts_are_opened_by_their_newest(batch):
    measure_asked(batch)
    part = batch.take("1")
    made = [
        replace(part, serial=str(n), at=f"2026-11-{1 + n % 28:02d}T{n % 24:02d}:00:00+00:00") for n in range(2, 1400)
    ]
    batch.enter_all(made)
    assert len(Inspection(batch.session).parts) == KEPT
    assert len(Inspection(batch.session, newest=None).parts) == 1399
    assert isinstance(batch.parts[-1], InspectedPart)


def test_the_parts_of_all_places_are_entered_together_or_none_is(tmp_path):
    job = demo_files(tmp_path / "job", "tombstone")
    path = job / "part.toml"
    path.write_text(path.read_text(encoding="utf-8").replace("size = 38.0\n", 'size = 38.0\nasks = ["1 ⌀38 H7"]\n'))
    with open_job(job, tmp_path / "data", roll=0) as session:
        known = Inspection(session)
        places = known.places
        assert len(places) == 12
        for place in places[:-1]:
            session.panel.mdi(f"G0 B{90.0 * (int(place.name[0]) - 1):g}").to_end()
            measure_asked(known, place)
        with pytest.raises(InspectionError, match="Nothing of this part was measured at 4-3"):
            known.take_all("7")
        assert known.parts == []
        measure_asked(known, places[-1])
        assert [part.serial for part in known.take_all("7")][::11] == ["7-1-1", "7-4-3"]
        with pytest.raises(InspectionError, match="Nothing was measured since part 7-1-1 was entered at 1-1"):
            known.take_all("8")
