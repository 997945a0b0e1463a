"""Plan → steps → text: the steps a plan has, the safety of the text, and nothing that escapes a comment."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import PlanError, ProfileError
from brisk_anchor.core.expressions import Number, Variable
from brisk_anchor.core.features.measuring import Top
from brisk_anchor.core.features.probe_path import search_start
from brisk_anchor.core.offsets.rules import Fixed, FromFeature, FromHeading, Keep
from brisk_anchor.nc.programs.plan import Plan, StorePlan, TableReading, plan_steps
from brisk_anchor.nc.programs.program import comment_text
from brisk_anchor.nc.programs.steps import AlarmNumber, Check, Guarded, Probe, Rapid, ReadBack, Report, Store, TouchStep
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.modal import Modal
from brisk_anchor.nc.read.scanner import scan_program
from brisk_anchor.nc.write.subprograms import MacroWords, touch_subprogram
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from tests.nc.collector import Collector


@pytest.fixture(scope="module")
def measurements(scene):
    setup = scene.setup
    return {drawn.name: build_measurement(setup, point_at(setup, drawn)) for drawn in setup.features}


@pytest.fixture(scope="module")
def plan(scene, measurements):
    rules = scene.setup.row("G54").rules
    expected = (("x", -470.0), ("y", -286.0), ("z", -504.5))
    store = StorePlan("G54", tuple(rules.items()), expected, 5.0)
    return Plan(
        2354, "GL-114", "Heron", "GL-114", "2026-11-23", 0.0, (measurements["bore"], measurements["top"]), store
    )


def test_a_plan_measures_checks_and_only_then_stores(plan):
    steps = plan_steps(plan)
    kinds = [type(step) for step in steps]
    assert kinds.count(TouchStep) == 5
    last_check = max(i for i, step in enumerate(steps) if isinstance(step, Check))
    assert last_check < kinds.index(Store) < kinds.index(ReadBack)
    alarms = [step.alarm for step in steps if isinstance(step, Check)]
    assert alarms == [AlarmNumber.SIZE] + [AlarmNumber.JUMP] * 3
    assert steps[kinds.index(Rapid)].z == 0.0


def test_an_angle_that_no_edge_can_tell_is_not_written(plan):
    rules = (*plan.store.rules, ("r", FromHeading("top", "", 60.0)))
    with pytest.raises(PlanError, match=r"stated \+60.000° from the axis that top lies along"):
        plan_steps(replace(plan, store=replace(plan.store, rules=rules)))


def test_touches_that_would_begin_above_the_clear_height_are_refused(plan, measurements):
    bore = measurements["bore"]
    high = replace(bore, top=Top("top", 0.0, bore.clear_z - search_start(bore, bore.contacts()[0])[2] + 1.0))
    with pytest.raises(PlanError, match="begin 1.000 mm above the clear height"):
        plan_steps(replace(plan, measurements=(high,)))


def test_a_shift_that_a_program_can_read_stops_it_before_it_stores(plan, profile):
    told = profile.positions.model_copy(update={"set_shift": (5211, 5212, 5213)})
    text = write_program(plan, profile.model_copy(update={"positions": told})).text
    condition = r"ABS\[#5201\].*\+ABS\[#5211\]\+ABS\[#5212\]\+ABS\[#5213\] GT 0?\.0001"
    assert re.search(rf"WHILE \[{condition}\] DO3\nPCLOS\n#3000=108 .*\nEND3", text)
    assert text.index("=108") < text.index("G10 L2")
    assert "G52 X0. Y0. Z0." in text


def test_what_prints_the_tables_says_its_unit_and_opens_the_printer_first(plan, profile):
    """Read after a program in inches, the figures were inches taken for mm; and nothing was ever opened to print on."""
    reading = TableReading(rows=("G54",), active=4014)
    text = write_program(replace(plan, measurements=(), store=None, reading=reading), profile).text
    machine = Collector()
    machine.offsets["G54"] = (-25.4, 0.0, 50.8)
    interpreter = Interpreter(text, profile, machine, modal=Modal(offset="G54", inches=True))
    interpreter.run()
    assert interpreter.alarm is None
    assert any(re.search(r"ROW G54 X-25\.4000 Y0?\.0000 Z50\.8000", line) for line in interpreter.printed)


def test_a_program_never_has_the_number_of_a_subprogram_it_carries(plan, profile):
    with pytest.raises(PlanError, match="O7302 is the number of a subprogram"):
        write_program(replace(plan, number=7302), profile)


def test_every_rapid_across_happens_at_home_or_clear_height(plan, measurements):
    height = None
    for step in plan_steps(plan):
        if isinstance(step, Rapid):
            if step.z is not None:
                height = step.z
            else:
                assert height in (0.0, measurements["bore"].clear_z)
        elif isinstance(step, Guarded) and step.z is not None:
            height = step.z.value


def test_boss_is_touched_inwards_from_outside_and_below_its_top(measurements, plan):
    boss = measurements["boss"]
    steps = plan_steps(replace(plan, measurements=(boss,), store=None))
    touches = [step for step in steps if isinstance(step, TouchStep)]
    assert [step.direction for step in touches] == [(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0)]
    place, out = [0.0, 0.0], []
    for step in steps:  # where the spindle stands when a search begins, from the middle of the boss
        if isinstance(step, Rapid | Guarded):
            for i, value in enumerate((step.x, step.y)):
                place[i] = place[i] if value is None else getattr(value, "value", value)
        elif isinstance(step, TouchStep):
            out.append((place[0] - boss.start[0]) if step.number < 3 else 0.0)
    assert out[:2] == [-18.0, 18.0]
    down = [step.z.value for step in steps if isinstance(step, Guarded) and step.why.startswith("down beside")]
    assert len(down) == 4
    hops = [step.z.value for step in steps if isinstance(step, Guarded) and step.why == "up over it"]
    assert [hop - down[0] for hop in hops] == [9.0] * 3  # 6 deep, 2 that it may stand higher, 1 more
    tip = down[0] - boss.stylus.length
    assert tip == pytest.approx(-513.0 - 6.0)


def test_the_text_is_what_the_profile_reads_and_carries_its_guards(plan, profile):
    program = write_program(plan, profile)
    routines = scan_program(program.text, profile)
    assert [routine.number for routine in routines] == [2354, 7301, 7302]
    main = program.text.split("O7301")[0]
    assert main.index("JUMPS TOO FAR") < main.index("G10 L2 P1") < main.index("WAS NOT TAKEN")
    assert "MISSED CONTACT" in program.text
    assert "UNEXPECTED CONTACT" in program.text
    assert main.index("G53 G0 Z0.") < main.index("T20 M6") < main.index("G65 P7302")
    for word in ("HERON", "GL-114", "T20", "BALL 6.000", "2026-11-23", "SKIP-MACRO"):
        assert word in main
    # Every sideways or downward move in the main list is guarded or a search; G0 only in machine coordinates.
    assert not re.search(r"^G1\b", main, re.MULTILINE)
    assert all("G53" in line for line in main.splitlines() if re.search(r"\bG0\b", line))


def test_figures_have_points_and_no_negative_zero(plan, profile):
    text = re.sub(r"\([^)]*\)", "", write_program(plan, profile).text)
    text = "\n".join(line for line in text.splitlines() if not line.startswith(("DPRNT", "O", "N", "G10")))
    for letter, figure in re.findall(r"\b([XYZ])(-?[\d.]+)", text):
        assert "." in figure, (letter, figure)
        assert float(figure) or not figure.startswith("-")


def test_every_line_has_a_meaning_and_the_identity_ignores_the_date(plan, profile):
    program = write_program(plan, profile)
    assert all(line.meaning for line in program.lines if line.text)
    tomorrow = write_program(replace(plan, date="2026-11-24"), profile)
    assert tomorrow.identity == program.identity
    assert tomorrow.digest != program.digest
    deeper = replace(plan, measurements=(replace(plan.measurements[0], depth=11.0), plan.measurements[1]))
    assert deeper.identity != plan.identity


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"measurements": (), "store": None}, "empty"),
        ({"measurements": ()}, "does not measure"),
    ],
)
def test_plans_that_cannot_be_written(plan, change, reason):
    with pytest.raises(PlanError, match=reason):
        plan_steps(replace(plan, **change))


def test_store_needs_a_guard_and_something_to_write(plan, profile):
    store = plan.store
    with pytest.raises(PlanError, match="jump guard needs"):
        plan_steps(replace(plan, store=replace(store, expected=())))
    with pytest.raises(PlanError, match="keeps all"):
        plan_steps(replace(plan, store=replace(store, rules=(("x", Keep()),))))
    with pytest.raises(ProfileError, match="no row G77"):
        write_program(replace(plan, store=replace(store, row="G77")), profile)
    text = write_program(
        replace(plan, measurements=(), store=replace(store, rules=(("x", Fixed(-470.1)), ("y", Keep())))), profile
    ).text
    assert "G10 L2 P1 X#101 (" in text
    assert "O7301" not in text


def test_too_many_measurements_for_the_variables(plan, profile, measurements):
    assert write_program(replace(plan, measurements=(measurements["bore"],) * 12, store=None), profile)
    few = profile.model_copy(update={"variables": profile.variables.model_copy(update={"free": (101, 110)})})
    with pytest.raises(PlanError, match="variables"):
        write_program(replace(plan, measurements=(measurements["bore"],) * 2, store=None), few)


@given(st.text(max_size=60), st.integers(12, 72))
def test_no_name_can_leave_its_comment(text, longest):
    shown = comment_text(text, longest)
    assert len(shown) <= longest
    assert re.fullmatch(r"[A-Z0-9 .,+\-/:=#]*", shown)


def test_a_hostile_part_name_changes_nothing_but_a_comment(plan, profile):
    evil = write_program(replace(plan, part="X)\nG0 Z-999 (", title="a)M30(b"), profile).text
    good = write_program(plan, profile).text
    strip = re.compile(r"\([^)\n]*\)")
    assert strip.sub("", evil) == strip.sub("", good)


def test_rule_of_an_axis_a_feature_does_not_locate(plan):
    wrong = replace(plan.store, rules=(("z", FromFeature("bore")),))
    with pytest.raises(PlanError, match="G54 Z"):
        plan_steps(replace(plan, store=wrong))


def test_the_identity_of_a_program_stays_whatever_the_classes_look_like(quiet):
    """It stands in the text that proofs are tied to: these are the numbers that proofs of the first versions have."""
    assert [quiet.programs.full_program(row).identity for row in ("G54", "G55")] == [392527, 194864]


def test_the_probe_is_switched_between_measurements_only_where_that_is_wanted(plan, measurements):
    two = tuple(measurements.values())[:2]
    for each, wanted in ((False, [True, False]), (True, [True, False, True, False])):
        steps = plan_steps(replace(plan, measurements=two, store=None, probe_each=each))
        assert [step.on for step in steps if isinstance(step, Probe)] == wanted


def test_a_ball_that_stands_aside_counts_in_the_report_and_not_on_the_way_back(plan, profile):
    """By hand: +0.3 in X and −0.2 in Y onto what is kept and printed, off again before the spindle goes back."""
    codes = [code for code, _ in touch_subprogram(MacroWords.of(profile), (0.3, -0.2))]
    changes = [code for code in codes if re.match(r"#(8|9|10)=#\1[-+]", code)]
    assert changes == ["#8=#8+0.3", "#9=#9-0.2", "#8=#8-0.3", "#9=#9+0.2"]
    kept, printed = codes.index("#[#17]=#8"), next(n for n, code in enumerate(codes) if "TOUCH*N#1[20]" in code)
    assert codes.index(changes[1]) < kept < printed < codes.index(changes[2])
    stylus = replace(plan.measurements[0].stylus, offset=(0.3, -0.2))
    moved = tuple(replace(measurement, stylus=stylus) for measurement in plan.measurements)
    whole = write_program(replace(plan, measurements=moved), profile).text
    assert [line for line in whole.splitlines() if re.match(r"#(8|9)=#\1[-+]", line)] == changes
    straight = [code for code, _ in touch_subprogram(MacroWords.of(profile))]
    assert straight == [code for code in codes if code not in changes]
    own = [code for code, _ in touch_subprogram(MacroWords.of(profile), own_feeds=True)]
    assert [code for code in own if code not in straight and code.startswith("IF")] == [
        f"IF [#{n} EQ #0] THEN #{n}={feed}." for n, feed in ((18, 800), (19, 60))
    ]
    assert [re.search(r"F(\S+)$", code)[1] for code in own if " G31 " in code] == ["#18", "#19"]


def test_a_program_of_the_tables_counts_what_it_prints(plan):
    bare = replace(plan, measurements=(), store=None)
    for reading, told in (
        (TableReading(rows=("G54", "G55"), tools=((5, 11005),), active=4014), ["ROW", "ROW", "LENGTH", "ACTIVE"]),
        (TableReading(("G54",), wear_of_length=((5, 10005),), wear_of_radius=((5, 12005),)), ["ROW", "WEAR"]),
        (TableReading(rows=("G54",)), ["ROW"]),
    ):
        reports = [step for step in plan_steps(replace(bare, reading=reading)) if isinstance(step, Report)]
        assert [step.words[0] for step in reports] == ["BEGIN", *told, "END"]
        counts = [("N", Number(0), 0), ("R", Number(told.count("ROW")), 0), ("L", Number(told.count("LENGTH")), 0)]
        counts.append(("W", Number(told.count("WEAR")), 0))
        assert list(reports[-1].values) == counts
        lengths = [step.values for step in reports if step.words[0] == "LENGTH"]
        assert lengths == [(("T", Number(5), 0), ("L", Variable(11005), -1))] * told.count("LENGTH")
        worn = [step.values[1:] for step in reports if step.words[0] == "WEAR"]
        assert worn == [(("L", Variable(10005), -1), ("R", Variable(12005), -1))] * told.count("WEAR")
