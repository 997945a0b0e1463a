"""From a touch to a proved offset, through the services: bias, spread, guards, staleness, refusals."""

from __future__ import annotations

import math
import re
from dataclasses import replace

import numpy as np
import pytest

from brisk_anchor.book.entries import EntryKind, RowState
from brisk_anchor.core.errors import (
    BriskAnchorError,
    CrashError,
    DatumError,
    GeometryError,
    PlanError,
    ReportError,
    TravelError,
)
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.checks import SecondLookError, look_at_feature, look_at_store
from brisk_anchor.core.offsets.proof import Agreement
from brisk_anchor.core.offsets.rules import Keep
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile, shipped_text
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.services.machine import stand_in_link
from brisk_anchor.services.machine.player import Player
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.measure.datum_rules import with_rules
from brisk_anchor.services.measure.measurement_request import MeasurementRequest, build_measurement, point_at, recognise
from brisk_anchor.services.rows.program_heads import ProgramSeries
from brisk_anchor.services.session.guide import next_step, store_preview
from brisk_anchor.services.session.repeatability import repeat
from brisk_anchor.services.session.session import Session


def drawn(session, name):
    return next(feature for feature in session.setup.features if feature.name == name)


def asked(session, name, **change):
    return replace(build_measurement(session.setup, point_at(session.setup, drawn(session, name))), **change)


def measure_all(session, row="G54"):
    for name in session.rows.missing(row):
        session.runner.measure(asked(session, name))


@pytest.mark.parametrize("row", ["G54", "G55"])
def test_without_noise_the_offset_is_true_to_half_a_micrometre(quiet, row):
    measure_all(quiet, row)
    truth = quiet.solver.true_offset(row)
    for axis, value in quiet.writer.store(row).values.items():
        assert abs(value - truth[axis]) < 0.0005, axis
    assert quiet.machine.offset(row)[0] == pytest.approx(truth["x"], abs=0.0005)


def test_boss_is_found_from_outside(quiet):
    feature = quiet.runner.measure(asked(quiet, "boss")).feature
    tip = (*feature.coordinates, -519.0)
    for axis in "xy":
        assert feature.coordinate(axis) == pytest.approx(quiet.scene.true_value("boss", axis, tip), abs=0.0005)
    assert feature.size == pytest.approx(24.31, abs=0.0005)


def test_with_noise_the_spread_is_that_of_the_touches(scene, profile):
    session = Session(scene, None, profile, seed=11)
    found = [session.runner.measure(asked(session, "bore")).feature.coordinates for _ in range(60)]
    theory = math.hypot(0.0005, 1e-4 / math.sqrt(12)) / math.sqrt(2)
    # 120 values: their standard deviation is known to 6.5 %, so three of that.
    pooled = np.sqrt(np.var(np.array(found), axis=0, ddof=1).mean())
    assert pooled == pytest.approx(theory, rel=0.2)


def test_states_run_from_not_measured_to_proved(session):
    assert session.rows.state("G54") is RowState.EMPTY
    session.runner.measure(asked(session, "bore"))
    assert session.rows.state("G54") is RowState.PART
    assert [axis.axis for axis in session.solver.part_chain("G54").axes] == ["x", "y"]
    session.runner.measure(asked(session, "top"))
    assert session.rows.state("G54") is RowState.MEASURED
    session.writer.store("G54")
    assert session.rows.state("G54") is RowState.STORED
    proof = session.prover.prove("G54")
    assert proof.holds
    assert proof.touches == 5
    assert session.rows.state("G54") is RowState.PROVED
    assert [entry.kind.value for entry in session.rows.history("G54")] == ["measured", "stored", "proved"]
    assert session.rows.state("G55") is RowState.EMPTY


def test_the_control_agrees_with_us(session):
    measured = session.runner.measure(asked(session, "bore"))
    by_label = {agreement.label: agreement for agreement in measured.agreements}
    assert set(by_label) == {"X", "Y", "D"}
    assert abs(by_label["X"].difference) < 0.0002
    assert abs(by_label["D"].difference) < 0.003


def test_a_new_clamping_makes_everything_stale_and_unstorable(session):
    measure_all(session)
    session.writer.store("G54")
    assert session.editor.clamp() == ["G54"]
    assert session.rows.state("G54") is RowState.STALE
    assert session.rows.missing("G54") == ["bore", "top"]
    before = session.machine.offset("G54")
    with pytest.raises(SecondLookError, match="before the last clamping"):
        session.writer.store("G54")
    assert session.machine.offset("G54") == before
    assert session.editor.clamp() == []


def test_a_twin_proves_nothing_that_was_clamped_or_measured_anew_since_it_was_stored(session):
    measure_all(session)
    session.writer.store("G54")
    full = session.programs.full_program("G54")
    run = session.prover.proving_run(full)
    run.to_end()
    # What the row is set from was changed while its program ran, and stored anew.
    session.datums.take_datum("G54", "z", "top", onto=True)
    session.writer.store("G54")
    with pytest.raises(PlanError, match="was changed while its program ran"):
        session.prover.judge("G54", full, run)
    session.editor.clamp()
    for attempt in (lambda: session.prover.prove("G54"), lambda: session.prover.judge("G54", full, run)):
        with pytest.raises(PlanError, match="holds no more: it is out of date"):
            attempt()
    assert session.rows.state("G54") is RowState.STALE
    measure_all(session)
    with pytest.raises(PlanError, match="measured or worked out anew"):
        session.prover.prove("G54")
    assert session.rows.state("G54") is RowState.MEASURED
    session.writer.store("G54")
    assert session.prover.prove("G54").holds


def test_next_session_remembers_what_was_stored(session, scene, book, profile):
    measure_all(session)
    stored = session.writer.store("G54").values
    again = Session(scene, book, profile)
    assert again.rows.state("G54") is RowState.STORED
    assert again.machine.offset("G54") == pytest.approx(tuple(stored.values()))
    assert again.rows.last("G54", EntryKind.STORED).chain == session.rows.last("G54", EntryKind.STORED).chain
    assert again.programs.full_program("G54").identity == session.programs.full_program("G54").identity


# Guards on the control: each alarm stops the program and stores nothing. (change of the measurement, alarm)
@pytest.mark.parametrize(
    ("name", "change", "alarm"),
    [
        ("bore", {"search": 14.0}, "101"),
        ("bore", {"size_limit": 0.005}, "104"),
        ("top", {"start": (-434.0, -224.5, -320.0 + 2.0), "clear_z": -318.0}, "101"),
        ("bore", {"start": (-434.0, -224.5, -365.0)}, "102"),
        ("top", {"start": (-434.0, -224.5, -352.9)}, "102"),
    ],
)
def test_the_code_guards_itself(quiet, name, change, alarm):
    measurement = asked(quiet, name, **change)
    before = dict(quiet.machine.offsets)
    program = _rewritten(quiet, measurement)
    run = quiet.runner.start(program)
    run.to_end()
    with pytest.raises(BriskAnchorError, match=f"Alarm {alarm}"):
        quiet.runner.take(measurement, program, run)
    assert quiet.machine.offsets == before
    assert name not in quiet.measured


def _rewritten(session, measurement):
    """The program of a measurement the second look would not let through."""
    from brisk_anchor.nc.write.writer import write_program

    return write_program(session.heads.plan_of(2100, "test", [measurement], None), session.profile)


def test_jump_guard_on_the_control_stops_before_the_store(quiet):
    measure_all(quiet)
    text = re.sub(r"(ABS\[#\d+\+)470\.\]", r"\g<1>480.]", quiet.programs.full_program("G54").text)
    machine = quiet.machine.twin(seed=None)
    run = Run(text, quiet.profile, machine)
    run.to_end()
    assert "105" in run.failure().what
    assert "jump guard" in run.failure().meaning
    assert machine.offsets == quiet.machine.offsets


@pytest.mark.parametrize("profile", ["skip-macro", "probe-params"])
def test_a_row_that_is_not_turned_has_no_arithmetic_of_angles_and_may_keep_an_axis(scene, profile):
    session = Session(scene, None, shipped_profile(profile), seed=None)
    session.working.setup = with_rules(session.setup, "G54", {"x": Keep()})
    session.link.write_row("G54", {"x": -470.0, "y": 0.0, "z": 0.0, "r": 2.0})  # an angle another job left
    measure_all(session)
    program = session.programs.full_program("G54")
    assert not re.search(r"COS|SIN|R JUMPS", program.text)
    session.writer.store("G54")
    held = session.link.table_values("G54")
    assert (held["x"], held["r"]) == (-470.0, 0.0)


def with_tool(profile, holds, call=True):
    """The profile with a tool variable that holds this, with a word that calls tools or without one."""
    tool = profile.tool.model_copy(update={"holds": holds})
    return profile.model_copy(update={"tool": tool, "call": profile.call if call else None})


@pytest.mark.parametrize("call", [True, False])
def test_a_tool_called_ahead_does_not_pass_for_the_one_in_the_spindle(quiet, call):
    """T20, the probe, was called ahead with T5 in the spindle: the variable reads 20, and T5 went down on the part."""
    quiet = Session(quiet.scene, None, with_tool(quiet.profile, "last tool called", call), seed=None)
    program = quiet.programs.full_program("G54")
    machine = quiet.machine.twin(seed=None)
    machine.place(machine.home, {}, 5)
    memory = Memory()
    before = Run("T20\nM30", quiet.profile, machine, Interpreter("T20\nM30", quiet.profile, machine, memory))
    before.to_end()
    assert (machine.tool_in_spindle, before.interpreter.variables.read(4120)) == (5, 20.0)
    run = Run(program, quiet.profile, machine, Interpreter(program.text, quiet.profile, machine, memory))
    run.to_end()
    if call:
        assert run.ended_well
        assert machine.tool_in_spindle == 20
    else:
        assert run.interpreter.status is Status.STOPPED
        assert "T20 MUST BE IN THE SPINDLE" in run.interpreter.message
        assert all(motion.end == machine.home for motion in machine.motions)


def test_wrong_tool_in_the_spindle_stops_before_any_move(quiet):
    quiet = Session(quiet.scene, None, with_tool(quiet.profile, "tool in spindle"), seed=None)
    text = quiet.programs.full_program("G54").text.replace("#4120 NE 20", "#4120 NE 21")
    run = Run(text, quiet.profile, quiet.machine.twin(seed=None))
    run.to_end()
    assert "107" in run.failure().what
    assert all(motion.end[:2] == motion.start[:2] for motion in run.machine.motions)
    assert run.machine.position[2] == run.machine.home[2]


@pytest.mark.parametrize(
    ("change", "found"),
    [
        ({"depth": 2.0}, "widest part"),
        ({"search": 15.0}, "search ends after"),
        ({"start": (-434.0, 30.0, -365.0)}, "the travel is"),
    ],
)
def test_second_look_before_measuring(quiet, change, found):
    with pytest.raises(SecondLookError, match=found):
        quiet.planner.measuring_program(asked(quiet, "bore", **change))


def test_second_look_before_storing(quiet):
    measure_all(quiet)
    chain = quiet.solver.chain("G54")
    sound = look_at_store(chain, quiet.rows.expected("G54"), "the drawing", 5.0, stale=False)
    assert sound == []
    wrong_sum = Agreement("bore", "X", -433.0, -433.004, expected=-433.0, rounding=0.0002, explained=0.01)
    looks = look_at_store(chain, {"x": 0.0}, "the last value", 5.0, stale=True, agreements=[wrong_sum])
    assert [look.stops for look in looks] == [True, True, True]
    assert "jumps −469" in looks[1].found.replace("-", "−")
    measured = quiet.measured["bore"]
    far = replace(measured.feature.misfit, square=900.0)
    wrong = replace(measured.feature, size=measured.feature.size + 6.0, misfit=far)
    guess, dirt = look_at_feature(wrong, *measured.sizes)
    assert "one ball diameter" in guess.why
    assert not dirt.stops


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"size": None}, "nominal diameter"),
        ({"size": 9.0}, "hardly goes into"),
        ({"search": 0.2}, "too short"),
        ({"search": math.nan}, "missing"),
        ({"clear_z": -400.0}, "below the start"),
        ({"directions": ((1.0, 0.0, 0.0),)}, "three to 36, at any angles"),
    ],
)
def test_measurements_that_make_no_sense_cannot_be_made(quiet, change, reason):
    with pytest.raises(PlanError, match=reason):
        asked(quiet, "bore", **change)


def test_nothing_incomplete_is_stored(session):
    session.runner.measure(asked(session, "bore"))
    with pytest.raises(DatumError, match="top"):
        session.writer.store("G54")
    assert session.rows.history("G54") == []


def test_a_book_that_cannot_be_written_leaves_the_control_as_it_was(session, monkeypatch):
    measure_all(session)
    before = session.machine.offset("G54")
    monkeypatch.setattr(session.book, "add_after", lambda *entries: (_ for _ in ()).throw(PlanError("disk full")))
    with pytest.raises(PlanError, match="disk full"):
        session.writer.store("G54")
    assert session.machine.offset("G54") == before
    assert session.rows.state("G54") is RowState.MEASURED


def test_hand_marked_rose_is_taken_for_the_drawn_feature_nearby(quiet):
    spindle = (-433.0, -251.0, -366.0)
    request = recognise(quiet.setup, MeasurementRequest(TouchPattern().all_round(), spindle))
    assert request.drawn.name == "bore"
    assert (request.size, request.depth) == (38.0, pytest.approx(13.0))
    feature = quiet.runner.measure(build_measurement(quiet.setup, request)).feature
    assert feature.coordinate("x") == pytest.approx(-433.084, abs=0.001)
    far = recognise(quiet.setup, MeasurementRequest(TouchPattern().all_round(), (-300.0, -100.0, -366.0)))
    assert far.drawn is None
    assert far.missing() == "diameter"
    below = recognise(quiet.setup, MeasurementRequest(TouchPattern(frozenset({Wall.BELOW})), (-434.0, -225.0, -345.0)))
    assert (below.drawn.name, below.reach) == ("top", pytest.approx(8.0))


def test_a_bore_away_from_the_drawing_never_feeds_an_offset(quiet):
    """The bushed bore marked by hand from too far off to be recognised, its size typed."""
    spindle = (-519.0, -190.0, -420.0)
    free = MeasurementRequest(TouchPattern().all_round(), spindle, size=25.0, depth=10.0)
    measured = quiet.runner.measure(build_measurement(quiet.setup, free))
    assert measured.feature.size == pytest.approx(25.0061, abs=0.001)
    assert quiet.rows.missing("G54") == ["bore", "top"]
    assert quiet.rows.missing("G55") == ["bush", "pad"]
    assert quiet.solver.part_chain("G54") is None


def test_a_dropped_solution_of_the_control_is_noticed(quiet):
    measurement = asked(quiet, "bore")
    program = quiet.planner.measuring_program(measurement)
    run = quiet.runner.start(program)
    run.to_end()
    run.printed[:] = [line for line in run.printed if "SOLVED" not in line]
    with pytest.raises(ReportError, match="did not report its own X, Y, D"):
        quiet.runner.take(measurement, program, run)
    assert quiet.measured == {}


def test_side_wall_by_hand_needs_its_distance_typed(quiet):
    quiet.machine.rapid((-396.0, -168.0, -300.0), 0)
    request = MeasurementRequest(TouchPattern(frozenset({Wall.LEFT})), (-250.0, -250.0, -430.0))
    with pytest.raises(PlanError, match="distance is not known"):
        build_measurement(quiet.setup, request)
    measurement = build_measurement(quiet.setup, replace(request, reach=7.0))
    feature = quiet.runner.measure(measurement).feature
    # The plate's right face: −260 + 0.083, turned by 0.02° about its corner 100 mm below the touch.
    assert feature.coordinates[0] == pytest.approx(-259.917 - math.tan(math.radians(0.02)) * 100, abs=0.002)


def test_jogging_stops_at_metal_and_at_the_travel_end(quiet):
    quiet.machine.rapid((-434.0, -250.0, -300.0), 0)
    assert quiet.panel.jog("z", -60.0) == ""
    assert "GL-114" in quiet.panel.jog("x", 30.0)
    assert quiet.panel.jog("x", -1.0) == ""
    with pytest.raises(TravelError):
        quiet.panel.jog("y", 400.0)


def test_prompt_tells_the_next_step(session):
    assert "point at bore" in next_step(session, "G54", None, None)[0]
    request = point_at(session.setup, drawn(session, "bore"))
    assert next_step(session, "G54", request, None)[0] == "Enter measures bore ⌀38 H7."
    assert (
        "e"
        in next_step(session, "G54", MeasurementRequest(TouchPattern().all_round(), (-300.0, -100.0, -366.0)), None)[0]
    )
    assert "search ends" in next_step(session, "G54", replace(request, search=5.0), None)[0]
    measure_all(session)
    assert "⟨s⟩ to store" in next_step(session, "G54", None, None)[0]
    assert "X −13.8" in store_preview(session, "G54")
    session.writer.store("G54")
    assert "⟨p⟩ to prove" in next_step(session, "G54", None, None)[0]
    session.prover.prove("G54")
    assert "⟨t⟩ for the set-up sheet" in next_step(session, "G54", None, None)[0]


def test_player_shows_the_same_run_slowly_and_stops_where_it_is(quiet):
    measurement = asked(quiet, "top")
    program = quiet.planner.measuring_program(measurement)
    player = Player(quiet.runner.start(program), speed=1.0)
    seen = []
    while not player.over:
        assert player.advance(0.05)
        seen.append(player.position)
    assert len(seen) > 100
    assert player.run.ended_well
    assert {motion.kind.value for motion in player.contacts} == {"skip"}
    player = Player(quiet.runner.start(program), speed=1.0)
    for _ in range(20):
        player.advance(0.05)
    where = player.position
    player.stop()
    assert quiet.machine.position == pytest.approx(where)
    assert "stopped by hand" in player.run.failure().what
    with pytest.raises(BriskAnchorError, match="stopped by hand"):
        quiet.runner.take(measurement, program, player.run)


def test_stepping_runs_one_block_at_a_time(quiet):
    player = Player(quiet.prover.proving_run(quiet.programs.full_program("G54")), speed=1.0)
    player.paused = True
    assert not player.advance(1.0)
    player.step()
    assert player.line == 2
    while not player.over:
        player.step()
    assert player.run.ended_well


def test_proof_on_a_twin_touches_nothing_and_can_fail(session):
    measure_all(session)
    session.writer.store("G54")
    before, position = dict(session.machine.offsets), session.machine.position
    program = session.programs.full_program("G54")
    run = session.prover.proving_run(program)
    run.to_end()
    x, y, z = run.machine.offset("G54")
    run.machine.write_offset("G54", (x + 0.05, y, z))
    proof = session.prover.judge("G54", program, run)
    assert not proof.holds
    assert proof.worst == pytest.approx(0.05, abs=0.003)
    assert session.rows.state("G54") is RowState.STORED
    assert (session.machine.offsets, session.machine.position) == (before, position)


def test_crash_on_the_way_is_told_and_nothing_is_taken(quiet):
    measurement = asked(quiet, "bore", clear_z=-365.0, start=(-434.0, -250.0, -365.0))
    program = _rewritten(quiet, measurement)
    quiet.machine.rapid((-390.0, -250.0, 0.0), 0)
    text = program.text.replace("G90 G53 G0 Z0.", "G90 G53 G0 Z-365.")
    run = Run(text, quiet.profile, quiet.machine)
    run.to_end()
    failure = run.failure()
    assert isinstance(failure, CrashError)
    assert measurement.kind is FeatureKind.BORE
    assert "line" in failure.what


def test_a_value_the_table_did_not_take_does_not_stay_in_it(scene, profile, tmp_path):
    path = tmp_path / "machine.json"
    session = Session(scene, None, profile, seed=None, machine_file=path)
    measure_all(session)
    before = session.machine.offset("G54")
    write, wrong = session.machine.write_offset, [1.0]
    session.machine.write_offset = lambda row, v: write(row, (v[0] + (wrong.pop() if wrong else 0.0), v[1], v[2]))
    with pytest.raises(BriskAnchorError, match="Alarm 106"):
        session.writer.store("G54")
    assert session.rows.state("G54") is RowState.MEASURED
    for left in (session, Session(scene, None, profile, seed=None, machine_file=path)):
        assert left.machine.offset("G54") == before
    with pytest.raises(BriskAnchorError, match="An alarm stands: 106"):
        session.writer.store("G54")
    session.panel.reset()
    stored = session.writer.store("G54").values["x"]
    assert session.machine.offset("G54")[0] == pytest.approx(stored, abs=1e-4)


def test_a_repeatability_run_spreads_as_stated(session):
    found = {item.label: item for item in repeat(session, asked(session, "bore"), 60)}
    assert set(found) == {"X", "Y", "size"}
    # Four touches of 0.5 µm, and the last printed digit: a middle of two has 1/√2 of that.
    touch = math.hypot(0.0005, 0.0001 / math.sqrt(12))
    assert found["X"].stated == pytest.approx(touch / math.sqrt(2), rel=0.01)
    assert found["X"].spread == pytest.approx(found["X"].stated, rel=0.35)
    assert all(item.honest for item in found.values())
    assert found["X"].range > found["X"].spread
    assert session.measured == {}
    assert session.rows.history("G54") == []
    with pytest.raises(PlanError, match="no repeatability run"):
        repeat(session, asked(session, "bore"), 1)
    kept = {name: dict(runs) for name, runs in session.working.repeated.items()}
    with pytest.raises(PlanError, match="Stopped after 2 of 25 runs"):
        repeat(session, asked(session, "bore"), 25, lambda done: done < 2)
    assert session.working.repeated == kept


def test_a_probe_is_calibrated_in_a_bore_and_on_a_face_of_known_figure(scene, book, profile):
    session = Session(scene, book, profile, seed=None)
    drawn = session.setup.drawn("bore")
    off = replace(session.setup.stylus, effective_radius=2.980, u_radius=0.01, length=150.4)
    session.working.setup = replace(session.setup, stylus=off)
    session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
    true_size = 38.0125  # of the scene's bore
    found = session.editor.calibrate("bore", true_size, 0.0005)
    # The ball is 6 mm and signals after 6 µm on the way, more or less with the direction.
    assert found.value == pytest.approx(2.994, abs=0.001)
    assert found.u == pytest.approx(0.0004, abs=0.0002)
    assert [heading for heading, _ in found.by_direction] == [180.0, 0.0, 270.0, 90.0]
    assert sum(radius for _, radius in found.by_direction) / 4 == pytest.approx(found.value)
    assert session.rows.missing("G54") == ["bore", "top"]
    measured = session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
    assert measured.feature.size == pytest.approx(true_size, abs=0.0003)
    top = session.runner.measure(build_measurement(session.setup, point_at(session.setup, session.setup.drawn("top"))))
    known = session.solver.true_offset("G54")["z"] + 1.5
    length = session.editor.calibrate("top", known, 0.001)
    assert length.value == pytest.approx(150.4 + top.feature.coordinates[0] - known)
    session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
    for wrong, reason in ((38.5, "would change by"), (1496.5, "would change by"), (math.nan, "is none")):
        with pytest.raises(GeometryError, match=reason):
            session.editor.calibrate("bore", wrong, 0.0)


def test_nothing_of_the_old_calibration_is_used_again(session):
    measure_all(session)
    session.writer.store("G54")
    old = session.setup.stylus
    size = session.measured["bore"].feature.size
    session.editor.calibrate("bore", size + 0.004, 0.0)
    assert session.rows.state("G54") is RowState.STALE
    assert session.rows.history("G54")[-1].note == "probe calibrated"
    assert session.measured == {}
    text = session.programs.full_program("G54").text
    assert "EFFECTIVE RADIUS 2.9960" in text
    assert f"EFFECTIVE RADIUS {old.effective_radius:.4f}" not in text


def test_a_trial_set_up_is_worked_out_on_a_copy(quiet):
    drawn = {feature.name: feature for feature in quiet.setup.features}
    top = quiet.runner.measure(build_measurement(quiet.setup, point_at(quiet.setup, drawn["top"])))
    trial = quiet.trial(with_rules(quiet.setup, "G54", {"x": Keep(), "y": Keep()}))
    assert trial.solver.chain("G54").values["z"] == pytest.approx(top.feature.coordinates[0] - 1.5, abs=1e-9)
    assert quiet.solver.chain("G54") is None
    entries = len(quiet.rows.history("G54"))
    trial.working.measured.clear()
    assert ("top" in quiet.measured, len(quiet.rows.history("G54"))) == (True, entries)


def test_a_program_handed_over_moves_nothing_until_the_operator_starts_it(quiet):
    with pytest.raises(PlanError, match="No program was handed over"):
        quiet.panel.start()
    program = quiet.programs.full_program("G54")
    quiet.link.hand_over(program)
    assert (quiet.machine.motions, quiet.link.report()) == ([], [])
    quiet.panel.start().to_end()
    assert quiet.machine.motions
    assert quiet.link.report()[-1].startswith("BRISK 1 END")


def test_a_measurement_under_way_says_what_the_machine_does(quiet):
    drawn = quiet.setup.drawn("top")
    measurement = build_measurement(quiet.setup, point_at(quiet.setup, drawn))
    player = Player(quiet.runner.start(quiet.planner.measuring_program(measurement)), 1.0)
    told = []
    while not player.over:
        player.advance(0.05)
        if (progress := player.progress(measurement)) is not None:
            told.append(progress)
    words = list(dict.fromkeys(progress.doing for progress in told))
    assert words == ["rapid", "guarded", "touch 1 of 1", "backing off", "touch 1 of 1, slow"]
    assert all(0 <= progress.share <= 1 for progress in told)


def test_no_two_programs_of_a_job_have_one_number_and_none_is_higher_than_controls_take(scene):
    """Every row of a control with 150 extended ones, in every series, beside the fixed numbers of a job."""
    text = shipped_text("skip-macro").replace("count = 48", "count = 150")
    session = Session(scene, None, parse_profile(text, "wide"), seed=None)
    rows = [row for row in session.profile.all_rows if row != "common"]
    numbers = [session.heads.number(series, row) for series in ProgramSeries for row in rows]
    first = session.heads.first_number
    assert len({*numbers, *(first + more for more in (0, 47, 50, 60, 61, 62))}) == len(numbers) + 6
    assert min(numbers) > first
    session.heads.plan_of(9999, "last", [], None)
    with pytest.raises(PlanError, match=f"O10000.*`program` {first - 1} or less"):
        session.heads.plan_of(10000, "too high", [], None)


def test_a_day_of_touches_is_not_kept(scene, monkeypatch):
    monkeypatch.setattr(stand_in_link, "_KEPT_MOVES", 60)
    session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
    bore = build_measurement(session.setup, point_at(session.setup, session.setup.drawn("bore")))
    for _ in range(12):
        session.runner.measure(bore)
    assert len(session.machine.motions) < 200
    assert len(session.machine.hits) < 40
