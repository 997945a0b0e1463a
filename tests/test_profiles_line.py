"""The whole line in every language of a control: same offsets, and every guard stops it before the store."""

from __future__ import annotations

import re

import pytest

from brisk_anchor.core.errors import BriskAnchorError, PlanError, ProfileError
from brisk_anchor.core.offsets.rules import Fixed
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile, shipped_text
from brisk_anchor.nc.programs.plan import Plan, StorePlan
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.offsets.sheets import write_sheets
from brisk_anchor.services.session.session import Session

NGC = shipped_profile("probe-params")
WITHOUT_FLAG = parse_profile(
    shipped_text("probe-params").replace("contact_flag = 5070", "").replace('"contact flag"', '"end position"'), "plain"
)


def measured(scene, profile):
    session = Session(scene, None, profile, seed=None)
    for drawn in session.setup.features:
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
    return session


@pytest.fixture(scope="module")
def ngc(scene):
    return measured(scene, NGC)


def test_without_branches_the_same_offsets_are_found_stored_and_proved(ngc, scene, profile):
    macro = measured(scene, profile)
    for row in ("G54", "G55"):
        assert ngc.writer.store(row).values == pytest.approx(macro.writer.store(row).values, abs=1e-4)
        assert ngc.prover.prove(row).holds
        assert max(abs(a.difference) for m in ngc.measured.values() for a in m.agreements) < 1e-4


@pytest.mark.parametrize("profile", [NGC, WITHOUT_FLAG], ids=["flag", "no flag"])
@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ("X[-453.-#5381] F800.", "X[-440.-#5381] F800.", r"G38.2 ended without contact|TOUCH 1"),
        ("G90 G53 G0 X-434. Y-250.", "G90 G53 G0 X-434. Y-225.", "UNEXPECTED CONTACT"),
        ("0.2-ABS", "0.001-ABS", "SIZE OF BORE IS WRONG"),
        ("+470.]", "+480.]", "G54 X JUMPS TOO FAR"),
        ("#5400-20", "#5400-21", "PROBE T20 MUST BE"),
        ("G10 L2 P1", "G10 L2 P2", "WAS NOT TAKEN"),
        ("G40 G49 G80", "G40 G49 G80\nG92 X5.", "A SHIFT STANDS ON TOP"),
    ],
)
def test_every_guard_without_branches_stops_the_program(ngc, scene, profile, old, new, reason):
    session = Session(scene, None, profile, seed=None)
    program = session.programs.full_program("G54")
    assert old in program.text
    machine = scene.stand_in(seed=None)
    before = machine.offset("G54")
    run = Run(program, profile, machine, Interpreter(program.text.replace(old, new), profile, machine))
    run.to_end()
    failure = run.failure()
    assert failure is not None
    assert re.search(reason, failure.what)
    assert machine.offset("G54") == before
    assert not run.printed


def test_a_control_without_a_known_tool_stops_and_asks(scene):
    text = shipped_text("probe-params").replace('[tool]\nvariable = 5400\nholds = "tool in spindle"\n', "")
    calls = parse_profile(text, "calls")
    assert not any("stops and asks" in limit for limit in calls.limits)
    assert "\nT20 M6\n" in Session(scene, None, calls, seed=None).programs.full_program("G54").text
    profile = calls.model_copy(update={"call": None})
    assert any("stops and asks" in limit for limit in profile.limits)
    program = Session(scene, None, profile, seed=None).programs.full_program("G54")
    assert "M0 (PROBE T20 MUST BE IN THE SPINDLE)" in program.text


def test_an_offset_table_alone_is_set_with_figures_that_were_checked_here(scene, quiet):
    table = shipped_profile("table-only")
    rules = tuple((axis, Fixed(value, 0.001)) for axis, value in zip("xyz", (-469.08451, -286.5, -504.2), strict=True))
    expected = (("x", -470.0), ("y", -286.0), ("z", -504.5))
    plan = Plan(2254, "set G54", "Otter", "BC-27", "2026-11-23", 0.0, (), StorePlan("G54", rules, expected, 5.0))
    program = write_program(plan, table)
    assert "#" not in program.text
    assert "G10 L2 P1 X-469.085 Y-286.5 Z-504.2 (WRITE G54)" in program.text
    machine = scene.stand_in(seed=None)
    run = Run(program, table, machine)
    run.to_end()
    assert machine.offset("G54") == (-469.085, -286.5, -504.2)
    assert parse_reports(run.printed).stored["G54"]["X"] == -469.0845
    far = Plan(2254, "x", "Otter", "BC-27", "2026-11-23", 0.0, (), StorePlan("G54", rules, expected, 0.5))
    with pytest.raises(PlanError, match="jumps too far: by"):
        write_program(far, table)
    drawn = quiet.setup.features[0]
    with pytest.raises(BriskAnchorError, match="cannot probe"):
        Session(scene, None, table, seed=None).runner.measure(
            build_measurement(quiet.setup, point_at(quiet.setup, drawn))
        )


def changed(*pairs):
    text = shipped_text("skip-macro")
    for old, new in pairs:
        assert old in text
        text = text.replace(old, new, 1)
    return parse_profile(text, "changed")


def test_a_shops_own_words_are_written_and_understood(scene):
    own = changed(
        ('open = "("', 'open = ";"'),
        ('close = ")"', 'close = ""'),
        ("semicolon_comments = false", "semicolon_comments = true"),
        ('number = "O{number:04d}"', 'number = "O{number:05d}"'),
        ('line = "DPRNT[{text}]"', 'line = "SAY[{text}]"'),
        ('space = "*"', 'space = "_"'),
        ('select = "G54.1 P{n}"', 'select = "G54 P{n}"'),
        ("touch_number = 7301", "touch_number = 801"),
        ("free = [101, 199]", "free = [600, 690]"),
        ('last_word = "M30"', 'last_word = "M30"\nhead = ["M9"]\ntail = ["G90", "M5"]'),
    )
    session = measured(scene, own)
    text = session.programs.full_program("G54").text
    for words in ("O02354 ;GL-114", "SAY[BRISK_1_TOUCH", "G65 P801 ", "#600", "T20 M6", "#3000=101 ;MISSED"):
        assert words in text
    assert "(" not in text
    assert "G90\nM5\nM30\n" in text
    session.writer.store("G54")
    assert session.prover.prove("G54").holds
    machine = scene.stand_in(seed=None)
    machine.write_offset("G54 P7", (-400.0, -200.0, -300.0))
    run = Run("G54 P7\nG90 G0 X0.\n#700=#4014\nG54 G10 L2 P1 X-1.\nM30", own, machine)
    run.to_end()
    assert run.ended_well
    assert (machine.position[0], run.interpreter.common[700]) == (-400.0, 54.0)


@pytest.mark.parametrize(("convention", "more"), [("master", 140.0), ("part", None)])
def test_tool_lengths_as_the_shop_counts_them(scene, profile, tmp_path, convention, more):
    length = f"\nmaster_length = {more}" if more else ""
    counted = changed(('convention = "gauge line"', f'convention = "{convention}"{length}'))
    usual, session = measured(scene, profile), measured(scene, counted)
    before = session.machine.offset("G54")[2]
    usual.writer.store("G54")
    chain = session.writer.store("G54")
    assert session.prover.prove("G54").holds
    svg = write_sheets(session, "G54", tmp_path)[0].read_text()
    assert ("touched off on the part" if more is None else "master of 140") in svg
    if more is None:
        assert session.machine.offset("G54")[2] == before
        assert any("touched off on the part" in limit for limit in counted.limits)
        return
    assert session.machine.offset("G54")[2] == pytest.approx(usual.machine.offset("G54")[2] + more)
    assert [term.label for term in chain.axis("z").terms][-2] == "length of the master"
    assert session.solver.true_offset("G54")["z"] == pytest.approx(usual.solver.true_offset("G54")["z"] + more)
    # Whatever lengths are counted from, the same program position is the same place on the part.
    places = []
    for shop in (usual, session):
        run = Run("G90 G54 G43 H20\nG1 X36. Y36. Z100. F500\nM30", shop.profile, shop.machine.twin(seed=None))
        run.to_end()
        places.append(run.machine.position)
    assert places[0] == pytest.approx(places[1])


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ('convention = "gauge line"', 'convention = "master"', "master_length"),
        ('open = "("', 'open = ";"', "go together"),
        ("variable = 4120", "variable = 150", "inside variables.common"),
        ("kept = [500, 999]", "kept = [50, 999]", "variables.kept"),
        ('language = "hash-macro"', 'language = "ngc"', "has no use for"),
        ('language = "hash-macro"', 'language = "table"', "has no use for"),
        ("machine = [5021, 5022, 5023]", "", "positions.machine"),
        ("inches = true", "inches = true\no_words = true", "belong to the language ngc"),
    ],
)
def test_profiles_that_contradict_themselves(old, new, reason):
    with pytest.raises(ProfileError, match=reason):
        changed((old, new))
