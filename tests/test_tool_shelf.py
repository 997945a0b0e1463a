"""The shelf: lengths by the setter against what the tools really are, guards, what a change makes void, run-out."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import date

import pytest

from brisk_anchor.book.entries import EntryKind, RowState
from brisk_anchor.core.errors import BriskAnchorError, PlanError, StateError
from brisk_anchor.core.offsets.checks import SecondLookError
from brisk_anchor.core.offsets.setup import Operation
from brisk_anchor.core.offsets.tool_setting import ToolLength, length_on_part, look_at_length, look_at_probe
from brisk_anchor.core.tools.shelf import ProbeRecord
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.demo.demo_job import demo_files, open_demo
from brisk_anchor.services.insert.weave_editor import WeaveEditor
from brisk_anchor.services.insert.weaving import WeaveError
from brisk_anchor.services.job.jobs import load_job, new_job
from brisk_anchor.services.measure.by_hand import PositionFrame
from brisk_anchor.services.measure.cautions import age_in_days
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.offsets.book_rows import lacking
from brisk_anchor.services.session import tool_shelf as shelf
from brisk_anchor.services.session.certified_heights import read_height, u_certified
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.repeatability import repeat
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene

TODAY = date(2026, 11, 23)


def line(session, number, group=""):
    return next(i for i in shelf.lines(session, TODAY) if i.number == number and (not group or i.group == group))


def asking_for(session, name):
    return build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name)))


@pytest.fixture(scope="module", params=["gauge line", "master"])
def set_up(request):
    """Reference taken and T12 measured on the stand-in, lengths counted either way."""
    profile = shipped_profile("skip-macro")
    if request.param == "master":
        lengths = profile.tool_lengths.model_copy(update={"convention": "master", "master_length": 100.0})
        profile = profile.model_copy(update={"tool_lengths": lengths})
    session = Session(build_scene(load_scene("heron-gl114")), None, profile, seed=None)
    assert shelf.reference(session) is None
    with pytest.raises(PlanError, match="is not taken"):
        shelf.measured_length(session, 12, None)
    assert shelf.bring_to_setter(session, 33) == "the tool setter 60"
    shelf.take_reference(session, None)
    shelf.bring_to_setter(session, 12)
    return session, 131.418 - profile.length_reference


def test_a_length_on_the_setter_is_the_tools_own_and_goes_into_the_table(set_up):
    session, real = set_up
    length, looks = shelf.measured_length(session, 12, None)
    assert length.value == pytest.approx(real, abs=1e-4)
    assert not looks
    u_reading = math.hypot(0.001 / math.sqrt(12), 0.001)
    own = math.hypot(u_reading, 0.003) if session.profile.tool_lengths.convention == "master" else None
    assert length.u == pytest.approx(math.hypot(u_reading, own or math.hypot(u_reading, 0.003, 0.002)))
    shelf.take_length(session, 12, length, looks)
    assert session.machine.tool_length(12) == pytest.approx(real, abs=1e-4)
    assert line(session, 12).sound
    assert session.machine.offset("G59")[2] == pytest.approx(-500.0 if own else -600.0, abs=1e-4)


def test_a_certified_height_is_stated_against_what_stands_there(set_up):
    session, _ = set_up
    table = session.setup.machine.table[4]
    assert read_height(session, "table 50.003").z == pytest.approx(table + 50.003)
    assert read_height(session, "-480.2").z == -480.2
    foot = session.machine.offset("G59")[2] - session.profile.length_reference
    assert (u_certified(0.004), u_certified(0.006, 0.004)) == (0.002, pytest.approx(0.005))
    assert read_height(session, "setter").z == pytest.approx(foot + 60.0)
    assert read_height(session, "block 1in").z == pytest.approx(foot + 25.4)
    with pytest.raises(PlanError, match="No height"):
        read_height(session, " ")


def test_a_figure_of_the_wrong_offset_is_refused_or_recognised(set_up):
    session, real = set_up
    foot, other = (session.machine.offset(row)[2] for row in ("G59", "G54"))
    with pytest.raises(PlanError, match="counts from G54, not from G59"):
        shelf.measured_length(session, 12, 60.0 + real, PositionFrame("G54", session.machine.offset("G54")))
    right = shelf.measured_length(session, 12, 60.0 + real, PositionFrame("G59", session.machine.offset("G59")))
    assert right[0].value == pytest.approx(real)
    # Typed as if it were G59's while G54 was active: too long or short by what lies between the two.
    typed = 60.0 + real + foot - other
    length, looks = shelf.measured_length(session, 12, typed, PositionFrame("G59", session.machine.offset("G59")))
    assert "G54 was active, not G59" in looks[0].why
    with pytest.raises(SecondLookError):
        shelf.take_length(session, 12, length, looks)
    with pytest.raises(PlanError, match="T12 stands in the spindle, not T5"):
        shelf.measured_length(session, 5, None)
    with pytest.raises(SecondLookError, match="would jump"):
        shelf.take_reference(session, -400.0)
    before = session.setup
    session.working.setup = replace(before, rows=(replace(before.rows[0], row="G59"),))
    with pytest.raises(BriskAnchorError, match="kept for tool setter"):
        session.writer.store("G59")
    session.working.setup = before


def test_files_changed_in_an_editor_put_out_of_date_what_their_tools_touched(tmp_path):
    job, data = demo_files(tmp_path / "job", "bc-27"), tmp_path / "data"
    with open_job(job, data, roll=0) as session:
        for name in session.rows.missing("G54"):
            session.runner.measure(asking_for(session, name))
        session.writer.store("G54")
        shelf.take_reference(session, -440.0)
    file = job / "machine.toml"
    text = file.read_text(encoding="utf-8")
    for old, new, state, holds in (
        ("u_length = 0.002", "u_length = 0.003", RowState.STORED, True),  # a ± moves nothing
        ("\nlength = 100.0", "\nlength = 100.004", RowState.STORED, False),
        ("effective_radius = 2.994", "effective_radius = 2.991", RowState.STALE, False),
    ):
        assert old in text
        file.write_text(text.replace(old, new), encoding="utf-8")
        with open_job(job, data, roll=0) as session:
            assert session.rows.state("G54") is state
            assert (shelf.reference(session) is not None) is holds
            if not holds:
                assert "length of T33" in session.ledger.history("G59")[-1].note
    assert session.ledger.history("G54")[-1].note == "touch probe, ruby ball 6 has other figures since"


@pytest.mark.parametrize("convention", ["gauge line", "master"])
def test_the_reference_holds_as_long_as_master_and_setter_have_the_figures_it_counts_with(convention):
    profile = shipped_profile("skip-macro")
    lengths = profile.tool_lengths.model_copy(update={"convention": convention, "master_length": 100.0})
    session = Session(
        build_scene(load_scene("heron-gl114")), None, profile.model_copy(update={"tool_lengths": lengths}), seed=None
    )
    shelf.take_reference(session, -440.0)
    for number, group, label, figure, holds in (
        (33, "reference tool", "length ±", 0.006, True),
        (33, "reference tool", "length", 100.004, convention == "master"),  # counted from it, its length is 0
        (33, "tool setter", "height", 60.001, False),
    ):
        shelf.set_figure(session, line(session, number, group), label, figure)
        assert (shelf.reference(session) is not None) is holds
        assert (session.ledger.history("G59")[-1].kind is EntryKind.STALE) is not holds
    assert [entry.kind for entry in session.ledger.history("G59")].count(EntryKind.STALE) == 1


def test_a_broken_tool_is_measured_alone_and_a_new_master_voids_what_hangs_on_it(set_up):
    session, _ = set_up
    shelf.broken(session, 12)
    assert not line(session, 12).sound
    assert line(session, 5).sound
    shelf.new_master(session)
    assert shelf.reference(session) is None
    relative = session.profile.tool_lengths.convention == "master"
    assert line(session, 5).sound is not relative
    with pytest.raises(PlanError, match="Take|take"):
        shelf.measured_length(session, 12, None)


def test_what_is_declared_of_tools_outlasts_a_restart_and_is_taken_back(tmp_path):
    (tmp_path / "cut.nc").write_text("G21 G90\nT12 M6\nG54 G0 X0. Y0.\nG43 H12 Z5.\nG1 Z-1. F100.\nM30\n")
    with open_demo(tmp_path, fresh=False) as session:
        length = session.machine.tool_length(12)
        card = replace(session.setup.card, operations=(Operation("op 10", "G54", tools=(5, 12)),))
        session.working.setup = replace(session.setup, card=card)
        assert "#812=1 (T12 IS NOT TO BE USED)" in shelf.broken(session, 12).text
        assert session.machine.tool_length(12) == length  # never 0, or the spindle would come down by what is missing
        assert lacking(session) == ["op 10 (G54 not measured, T12 broken)"]
        shorter = ToolLength(length - 14.0, 0.001, ())
        stump = look_at_length(session.setup.shelf.cutter(12), shorter, "gauge line", "G59", -600.0, {})
        assert [look.found for look in stump] == ["T12 is 14.000 mm shorter than before it broke"]
        with pytest.raises(WeaveError, match="calls T12, which is broken"):
            WeaveEditor(session, tmp_path / "cut.nc").write()
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, session.setup.drawn("bore"))))
        session.editor.calibrate("bore", 38.012, 0.001)
        radius = session.setup.stylus.effective_radius
        sensor = next(one for one in shelf.lines(session, date.today()) if one.group == "3D sensor")
        shelf.new_tip(session, sensor)
        with pytest.raises(PlanError, match="no length"):
            shelf.new_tip(session, sensor)
    with open_demo(tmp_path, fresh=False) as session:
        assert not line(session, 12).sound
        assert session.setup.stylus.effective_radius == radius
        assert dict(line(session, sensor.number).figures)["length"] is None
        shelf.set_figure(session, line(session, sensor.number), "length", 141.2)
        assert dict(line(session, sensor.number).figures)["length"] == 141.2
    (tmp_path / "machine-tools.json").write_text('{"form": "brisk-anchor-tools-1"}')
    with pytest.raises(StateError, match=r"machine-tools\.json"):
        open_demo(tmp_path, fresh=False)


def test_a_declaration_is_taken_back_until_something_follows_it(quiet):
    for name in ("bore", "top"):
        quiet.runner.measure(build_measurement(quiet.setup, point_at(quiet.setup, quiet.setup.drawn(name))))
    quiet.writer.store("G54")
    voids = quiet.editor.probe_voids()
    assert (voids.features, voids.rows) == (("bore", "top"), ("G54",))
    done = shelf.probe_exchanged(quiet, "stylus")
    assert (done.rows, quiet.rows.state("G54").value) == (("G54",), "stale")
    assert quiet.editor.take_back().words == "the probe has another stylus"
    assert (quiet.rows.state("G54").value, quiet.setup.shelf.probe.due) == ("stored", ())
    assert quiet.solver.chain("G54") is not None
    quiet.editor.declare("clamped again", quiet.editor.clamp)
    quiet.runner.measure(build_measurement(quiet.setup, point_at(quiet.setup, quiet.setup.drawn("bore"))))
    with pytest.raises(PlanError, match="cannot be taken back any more"):
        quiet.editor.take_back()


def test_every_tool_on_the_part():
    """Z −380 on 0.1 of paper, on a face that the program has at +2: the tool is −382.1 in a table whose offset is 0."""
    assert length_on_part(-380.0, 0.0, 0.1, 0.0, 0.0, 2.0).value == pytest.approx(-382.1)


def test_figures_go_into_the_file_and_void_what_hangs_on_them(tmp_path):
    new_job(tmp_path / "job")
    session = open_job(tmp_path / "job", tmp_path / "data", roll=1)
    shelf.set_figure(session, line(session, 31), "repeatability ±", 0.02)
    shelf.set_figure(session, line(session, 33, "tool setter"), "height", 60.5)
    shelf.set_figure(session, line(session, 5), "length", 148.3)
    shelf.probe_exchanged(session, "stylus")
    assert load_job(tmp_path / "job").machine.probe.due == ["radius", "length", "offset"]
    session.editor.take_back()
    assert load_job(tmp_path / "job").machine.probe.due == []
    before = load_job(tmp_path / "job").machine.tool
    assert "#812=1" in shelf.broken(session, 12).text
    assert load_job(tmp_path / "job").machine.tool != before
    declared, unmark = shelf.take_back(session)
    assert declared.words == "T12 is broken or new"
    assert load_job(tmp_path / "job").machine.tool == before
    assert unmark is not None
    assert "#812=0" in unmark.text
    shelf.probe_exchanged(session, "stylus")
    session.editor.change(session.editor.files.drawn("bore 12, 30, 30"))
    with pytest.raises(PlanError, match="described after it"):
        session.editor.take_back()
    machine = load_job(tmp_path / "job").machine
    assert machine.hand_tool[0].u_repeatability == pytest.approx(0.01)
    assert (machine.setter.height, machine.tool[0].length, machine.probe.due) == (
        60.5,
        148.3,
        ["radius", "length", "offset"],
    )
    assert session.machine.tool_length(5) == pytest.approx(148.3)
    with pytest.raises(BriskAnchorError):
        shelf.set_figure(session, line(session, 20), "effective radius", 6.0)
    for label, value in (("effective radius", 2.99), ("length", 150.1), ("run-out ±", 0.002)):
        assert any(look.stops for look in look_at_probe(session.setup.shelf.probe, 0))
        shelf.set_figure(session, line(session, 20), label, value)
    assert load_job(tmp_path / "job").machine.probe.due == []
    session.book.close()


@pytest.mark.parametrize(
    ("record", "stops", "words"),
    [
        (ProbeRecord(), None, ""),
        (ProbeRecord("2026-11-01", 30), None, ""),
        (ProbeRecord("2026-10-01", 30), False, "53 days ago, 30 are allowed"),
        (ProbeRecord("", 30), False, "no date"),
        (ProbeRecord("2026-11-23", 30).changed("pocket"), True, "length and offset not calibrated"),
        (ProbeRecord().changed("stylus").done("radius", "2026-11-23").done("length", "2026-11-23"), True, "its offset"),
    ],
)
def test_an_old_calibration_is_told_and_a_changed_probe_stores_nothing(record, stops, words):
    looks = look_at_probe(record, age_in_days(record.calibrated, TODAY))
    assert [look.stops for look in looks] == ([] if stops is None else [stops])
    assert not looks or words in looks[0].found


@pytest.mark.parametrize("profile", ["skip-macro", "probe-params"])
@pytest.mark.parametrize("way", ["half round", "known centre"])
def test_run_out_is_found_and_taken_out_of_every_touch(profile, way):
    file = load_scene("heron-gl114")
    real = file.probe.real.model_copy(update={"offset": (0.012, -0.007)})
    file = file.model_copy(update={"probe": file.probe.model_copy(update={"real": real})})
    session = Session(build_scene(file), None, shipped_profile(profile), seed=None)
    straight = Session(build_scene(load_scene("heron-gl114")), None, shipped_profile(profile), seed=None)
    asked = asking_for(session, "bore")
    true = straight.runner.measure(asked).feature.coordinates
    first = session.runner.measure(asked).feature.coordinates
    assert first[0] - true[0] == pytest.approx(-0.012, abs=2e-4)
    known = None
    if way == "half round":
        shelf.turn_half_round(session)
        session.runner.measure(asked)
        assert session.measured["bore"].feature.coordinates == first
        shelf.turn_half_round(session)
    else:
        known = (true[0], true[1])
    found = shelf.offset_of_ball(session, "bore", known)
    assert found.offset == pytest.approx((0.012, -0.007), abs=3e-4)
    assert not session.measured
    again = session.runner.measure(asking_for(session, "bore")).feature
    assert again.coordinates == pytest.approx(true, abs=3e-4)
    assert again.standard_uncertainty("x") > straight.measured["bore"].feature.standard_uncertainty("x")
    assert repeat(session, asking_for(session, "bore"), 2)
