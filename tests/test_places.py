"""Fixtures of many places: tombstone and trunnion, their rows, plans over faces, and the centre of rotation."""

from __future__ import annotations

import math
import re
import tomllib
from dataclasses import replace
from importlib import resources
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest

from brisk_anchor.core.errors import CrashError, GeometryError, JobError, PlanError, PlanFileError
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.core.geometry.rotary import carried
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.nc.profile.control_profile import Profile, parse_profile, shipped_profile, shipped_text
from brisk_anchor.services.demo.demo_job import demo_files
from brisk_anchor.services.insert.modal_restore import ModalStateError
from brisk_anchor.services.insert.row_exchange import exchange_row
from brisk_anchor.services.insert.weave_proof import cut_as_before
from brisk_anchor.services.insert.weaving import take_apart, weave
from brisk_anchor.services.job.job_editor import JobEditor
from brisk_anchor.services.job.jobs import check_job, load_job, new_job
from brisk_anchor.services.job.places import centre_letters, following_rows
from brisk_anchor.services.measure.measurement_request import MeasurementRequest, build_measurement, point_at
from brisk_anchor.services.measure.reach import reaches
from brisk_anchor.services.offsets.schools import preview, school_change
from brisk_anchor.services.offsets.sheets import write_places
from brisk_anchor.services.offsets.tilted_words import as_tilted_plane, stance_of, tilted_words
from brisk_anchor.services.plan.face_plans import not_looked_at, plan_of_places, turned_angles
from brisk_anchor.services.plan.plan_file import PlanFile, parse_plan, plan_text
from brisk_anchor.services.plan.plan_words import read_measure_words, sets_words
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import prove
from brisk_anchor.services.rows.row_owner import located_before, owner_of
from brisk_anchor.services.session.guide import next_step
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.places_map import places_map
from brisk_anchor.services.session.rotation_centre import read_centre, take_centre
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene, faces_away, nominal_frame
from brisk_anchor.standin.variations import varied

PROFILES = ("skip-macro", "probe-params")


def files(folder: Path, name: str = "tombstone", **changes: tuple[str, str]) -> Path:
    """The demo's files in a folder, with some text of each changed."""
    demo_files(folder, name)
    for file, (old, new) in changes.items():
        path = folder / f"{file}.toml"
        text = path.read_text(encoding="utf-8")
        assert old in text
        path.write_text(text.replace(old, new), encoding="utf-8")
    return folder


def session_of(folder: Path, roll: int = 0, profile: str = "skip-macro") -> Session:
    return Session(build_scene(load_job(folder).scene(roll)), None, shipped_profile(profile), seed=None)


# -- what the files make ---------------------------------------------------------------------------------------------


def test_a_part_is_at_every_place_with_its_features_and_rows(tmp_path):
    scene = build_scene(load_job(files(tmp_path)).scene(0))
    setup = scene.setup
    assert [place.name for place in setup.places] == [f"{f}-{n}" for f in (1, 2, 3, 4) for n in (1, 2, 3)]
    assert [place.rows for place in setup.places] == [(f"G54.1 P{n}",) for n in range(1, 13)]
    # Face 2 looks at the spindle with B at 90; there its first bore lies where that of face 1 does at 0.
    one, two = setup.drawn("bore 1-1"), setup.drawn("bore 2-1")
    assert two.machine == pytest.approx(one.machine)
    assert two.table == (("B", 90.0),)
    assert setup.drawn("bore 3-1").table == (("B", 180.0),)
    assert setup.drawn("bush 4").table == (("B", -90.0),)
    assert len(setup.card.operations) == 24
    assert [reach.reason for reach in reaches(scene) if reach.reason] == []


def test_derived_rows_go_round_the_centre_and_along_the_face(tmp_path):
    setup = build_scene(load_job(files(tmp_path)).scene(0)).setup
    zero = (-588.0, -680.0, -409.5)  # the part's zero at the first place, by the figures of the files
    for place in setup.places[1:]:
        rules = setup.row(place.rows[0]).rules
        angle = dict(place.table)["B"]
        height = 130.0 * (place.row - 1)
        assert rules["y"].shift if angle == 0 else rules["y"].shift[1] == pytest.approx(height)
        if angle:
            moved = tuple(a + b for a, b in zip(zero, rules["x"].shift, strict=True))
            there = carried(moved, setup.machine.rotary, {}, {"B": angle})
            assert there == pytest.approx((zero[0], zero[1] + height, zero[2]))
        assert math.hypot(*(effect for _, effect in rules["x"].placed)) > 0.005


@pytest.mark.parametrize(("school", "rows"), [("part", 12), ("face", 4), ("centre", 1), ("derived", 12)])
def test_every_school_has_its_rows_and_no_operation_is_without(tmp_path, school, rows):
    files(tmp_path, job=('offsets = "derived"', f'offsets = "{school}"'))
    setup = build_scene(load_job(tmp_path).scene(0)).setup
    assert len(setup.rows) == rows
    known = {plan.row for plan in setup.rows}
    assert all(operation.offset in known for operation in setup.card.operations)
    if school == "centre":
        rules = setup.rows[0].rules
        assert (rules["x"].value, rules["x"].u, rules["x"].centre_of) == (-500.0, 0.005, "B")
        assert rules["z"].value == -600.0
        assert rules["y"].feature == "bore 1-1"
        assert setup.nominal(rules["y"], "y") == pytest.approx(-700.0)


def test_what_follows_from_the_places_is_not_changed_in_another_ones_section(tmp_path):
    editor = JobEditor(files(tmp_path))
    setup = build_scene(editor.job.scene(0)).setup
    with pytest.raises(JobError, match=r"follows from the places of the fixture"):
        editor.assigned(setup.card.operations[-1].name, "G54")
    row = setup.rows[-1].row
    assert row not in [section.row for section in editor.job.job.offset]
    with pytest.raises(JobError, match="has no line"):
        editor.turned_by(row, "B")


def test_the_centre_of_a_trunnion_is_level_with_its_tilt(tmp_path):
    axes = build_scene(load_job(files(tmp_path, "trunnion")).scene(0)).setup.machine.rotary
    assert centre_letters(axes) == {"x": "C", "y": "C", "z": "A"}
    assert centre_letters(()) == {}


def test_an_empty_place_has_no_part_keeps_its_row_free_and_sets_its_flag(tmp_path):
    files(tmp_path, job=('numbering = "rows"', 'numbering = "rows"\nempty = ["2-3"]'))
    session = session_of(tmp_path)
    assert "GL-114 2-3" not in {body.name for body in session.scene.file.body}
    assert not session.setup.plans("G54.1 P6")
    assert session.setup.plans("G54.1 P7")
    text = program_of(session, planned(session, plan_of_places(session.setup, "base"))).text
    assert "#705=1. (1 WHERE PLACE 2-3 IS EMPTY)" in text
    assert "#704=0. (1 WHERE PLACE 2-2 IS EMPTY)" in text


@pytest.mark.parametrize(
    ("changes", "reason"),
    [
        ({"fixture": ("pitch = [0.0, 130.0]", "pitch = [0.0, 40.0]")}, "places 1-1 and 1-2 overlap"),
        ({"fixture": ("first = [62.0, 20.0, 0.0]", "first = [150.0, 20.0, 0.0]")}, "26 mm out over its face"),
        ({"fixture": ("rows = 3\npitch = [0.0, 130.0]", "rows = 3\npitch = [0.0, 0.0]")}, "need a pitch"),
        ({"fixture": ("count = 4", "count = 9")}, "faces.count: it must be at most 8"),
        ({"fixture": ('letter = "B"', 'letter = "A"')}, "no rotary axis A"),
        ({"job": ('"G54.1 P1"', '"G54.1 P45"')}, "up to G54.1 P56; the control of Otter has"),
        ({"job": ('offsets = "derived"', 'offsets = "derived"\nempty = ["7-1"]')}, "no place 7-1"),
        ({"job": ('offsets = "derived"', 'offsets = "derived"\nface_count = 5')}, "it uses 5 faces, the fixture has 4"),
        ({"machine": ("angle_rapid = 7200.0", "angle_rapid = 7200.0\nangle_step = 72.0")}, "whole steps of 72°"),
        (
            {"machine": ("angle_rapid = 7200.0", "angle_rapid = 7200.0\nangle_low = -10.0\nangle_high = 100.0")},
            "turns from",
        ),
    ],
)
def test_what_does_not_go_together_is_told(tmp_path, changes, reason):
    files(tmp_path, **changes)
    with pytest.raises(JobError) as error:
        load_job(tmp_path)
    assert reason in "\n".join(map(str, error.value.findings))


def test_rows_that_follow_one_another_in_the_table():
    assert following_rows("G54.1 P7", 3) == ["G54.1 P7", "G54.1 P8", "G54.1 P9"]
    assert following_rows("G57", 3) == ["G57", "G58", "G59"]
    with pytest.raises(ValueError, match="4 rows from G57"):
        following_rows("G57", 4)


def test_a_row_of_vices_and_nests_hold_their_parts(tmp_path):
    demo_files(tmp_path, "trunnion")
    (tmp_path / "machine.toml").write_text(
        (resources.files("brisk_anchor.services") / "examples" / "bc-27" / "machine.toml").read_text()
    )
    (tmp_path / "part.toml").write_text(
        'form = "brisk-anchor-part-1"\nunits = "mm"\nname = "BL"\n[[solid]]\nname = "block"\nshape = "block"\n'
        'low = [0.0, 0.0]\nhigh = [70.0, 60.0]\nbottom = -50.0\ntop = 0.0\n[[feature]]\nname = "top"\ntitle = "top"\n'
        'kind = "surface"\nsolid = "block"\nplace = [35.0, 50.0, 0.0]\nwalls = ["BELOW"]\n[[feature]]\nname = "left"\n'
        'title = "left"\nkind = "surface"\nsolid = "block"\nplace = [0.0, 30.0, 0.0]\nwalls = ["RIGHT"]\ndepth = 6.0\n'
    )
    fixture = (tmp_path / "fixture.toml").read_text()
    fixture = fixture.replace('kind = "vice"', 'kind = "vices"').replace('on = "rotary table"\n', "")
    fixture = fixture.replace("at = [-370.0, -310.0, -430.0]", "at = [-700.0, -310.0, -600.0]")
    (tmp_path / "fixture.toml").write_text(fixture + "\n[places]\ncolumns = 3\nrows = 1\npitch = [200.0, 0.0]\n")
    job = (tmp_path / "job.toml").read_text()
    head, _, _ = job.partition("[[offset]]")
    (tmp_path / "job.toml").write_text(
        head + '[repeat]\ncolumns = 2\noffsets = "derived"\n[[offset]]\nrow = "G55"\ntitle = "b"\njump_limit = 3.0\n'
        'x = { feature = "left" }\ny = { keep = true }\nz = { feature = "top" }\n'
    )
    with pytest.raises(JobError, match="comes from no feature of the part"):
        load_job(tmp_path)
    (tmp_path / "job.toml").write_text((tmp_path / "job.toml").read_text().replace('"derived"', '"part"'))
    setup = build_scene(load_job(tmp_path).scene(0)).setup
    assert [row.row for row in setup.rows] == ["G55", "G56"]
    assert setup.drawn("left 2").machine[0] - setup.drawn("left 1").machine[0] == pytest.approx(200.0)
    assert setup.drawn("left 2").table == ()
    bodies = {outline.body for outline in setup.outlines}
    assert {"V-5 1", "V-5 2", "BL 1", "BL 2"} <= bodies
    # The same as sawn stock: its faces are what can be measured at each place, the part is drawn inside.
    with (tmp_path / "part.toml").open("a") as part:
        part.write("[stock]\nallowance = [2.0, 2.0, 2.0, 2.0, 0.0, 1.5]\n")
    job = tmp_path / "job.toml"
    drawn = job.read_text()
    job.write_text(
        drawn.replace('"left" }', '"stock left", allowance = 2.0 }').replace('"top"', '"stock top", allowance = -1.5')
    )
    session = session_of(tmp_path)
    names = [feature.name for feature in session.setup.features]
    assert [name for name in names if name.startswith("stock top")] == ["stock top 1", "stock top 2"]
    assert session.setup.drawn("stock left 2").machine[0] == pytest.approx(setup.drawn("left 2").machine[0] - 2.0)
    assert "BL finished 2" in {outline.body for outline in session.setup.outlines}
    ready = planned(session, plan_of_places(session.setup, "all"))
    assert {ending.how for ending in prove(session, ready, program_of(session, ready), 6).endings} == {"right"}
    (tmp_path / "part.toml").write_text((tmp_path / "part.toml").read_text().partition("[stock]")[0])
    job.write_text(drawn)
    # A vice that is off takes its part with it.
    whole = (
        fixture + "\n[places]\ncolumns = 3\nrows = 1\npitch = [200.0, 0.0]\n\n[variation]\nshift = [3.0, 0.0, 0.0]\n"
    )
    (tmp_path / "fixture.toml").write_text(whole)
    real = {body.name: body.real.shift[0] for body in load_job(tmp_path).scene(7).body}
    assert len({real["BL 1"], real["BL 2"]}) == 2
    assert real["BL 2"] == pytest.approx(real["V-5 2"], abs=0.6)
    assert abs(real["V-5 1"] - real["V-5 2"]) > 0.6


# -- measuring over faces ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("profile", PROFILES)
def test_all_rows_are_written_by_one_program_and_lie_where_the_parts_do(tmp_path, profile):
    files(tmp_path)
    if profile == "probe-params":  # it has nine rows
        text = (tmp_path / "job.toml").read_text().replace('"G54.1 P1"', '"G54"').replace('"derived"', '"face"')
        (tmp_path / "job.toml").write_text(text)
    session = session_of(tmp_path, profile=profile)
    ready = planned(session, plan_of_places(session.setup, "face"))
    program = program_of(session, ready)
    assert [step.measurement.options.table for step in ready.steps][::2] in (
        [(("B", a),) for a in (-90.0, 0.0, 90.0, 180.0)],
        [(("B", a),) for a in (90.0, 0.0, -90.0, -180.0)],
        [(("B", a),) for a in (180.0, 90.0, 0.0, -90.0)],
    )
    outcome = prove(session, ready, program, 12)
    assert not [ending for ending in outcome.endings if ending.how in ("wrong", "crashed")]
    assert outcome.right >= 10
    assert {place.name for place in not_looked_at(session.setup, [s.name for s in ready.steps])} == {
        f"{f}-{n}" for f in (1, 2, 3, 4) for n in (2, 3)
    }


def test_a_part_that_was_put_in_wrong_is_found_out(tmp_path):
    session = session_of(files(tmp_path), roll=1)
    plan = plan_of_places(session.setup, "3-2")
    program = program_of(session, ready := planned(session, plan))
    outcome = prove(session, ready, program, 1)
    (ending,) = outcome.endings
    assert ending.how == "stopped"
    assert "PART AT PLACE 3-2 LIES OFF" in ending.words


def test_rows_cover_their_truth_with_every_part_off_by_its_own(tmp_path):
    session = session_of(files(tmp_path))
    ready = planned(session, plan_of_places(session.setup, "base"))
    outcome = prove(session, ready, program_of(session, ready), 40)
    assert [ending.how for ending in outcome.endings] == ["right"] * 40
    assert 0.005 < outcome.worst < 0.2


def test_plans_say_what_cannot_be(tmp_path):
    session = session_of(files(tmp_path))
    with pytest.raises(PlanError, match="No part lies at place 9-9"):
        plan_of_places(session.setup, "9-9")
    seated = plan_of_places(session.setup, "base", by="feature", seat="top")
    assert [section.known_as for section in seated.measure].count("top 3-2") == 1
    assert not not_looked_at(session.setup, [section.known_as for section in seated.measure])
    with pytest.raises(PlanError, match="Nothing called"):
        plan_of_places(session.setup, "base", seat="corner")
    wrong = seated.with_measure([seated.measure[0].model_copy(update={"table": {"B": 90.0}})])
    with pytest.raises(PlanFileError) as error:
        planned(session, wrong)
    assert "drawn with the table at B0" in str(error.value.findings)
    one = plan_of_places(session.setup, "base")
    boss = one.measure[0].model_copy(update={"feature": "boss 2-2", "check": 0.2})
    with pytest.raises(PlanFileError) as error:
        planned(session, one.with_measure([*one.measure, boss]))
    assert "takes anything from a “boss”" in str(error.value.findings)


def test_a_plan_of_many_rows_is_told_shortly_and_checks_are_typed(tmp_path):
    session = session_of(files(tmp_path))
    plan = plan_of_places(session.setup, "face")
    assert sets_words(plan) == "G54.1 P1 and 11 more"
    assert sets_words(plan.model_copy(update={"also": ["G54.1 P2"]})) == "G54.1 P1, G54.1 P2"
    assert parse_plan(plan_text(plan), "again") == plan
    changes, told = read_measure_words(plan.measure[2], "check 0.25")
    assert (changes, told) == ({"check": 0.25}, "must lie within 0.25 mm of where the row of its place has it")
    assert read_measure_words(plan.measure[2], "check nothing")[0] == {"check": None}


def test_a_table_without_limits_turns_as_it_is_asked_to(tmp_path):
    axes = build_scene(load_job(files(tmp_path)).scene(0)).setup.machine.rotary
    tables = [(("B", a),) for a in (0.0, 180.0, -90.0, 0.0)]

    def turned(way):
        return [table[0][1] for table in turned_angles(axes, way, tables)]

    assert turned("shortest") == [0.0, 180.0, 270.0, 360.0]
    assert turned("clockwise") == [0.0, -180.0, -450.0, -720.0] or turned("clockwise") == [0.0, -180.0, -450.0, -360.0]
    assert turned("counter-clockwise") == [0.0, 180.0, 270.0, 360.0]
    assert turned("unwind") == [0.0, 180.0, -90.0, 0.0]


def test_the_table_turns_only_clear_of_what_it_sweeps(tmp_path):
    near = ("centre = [-500.0, -740.0, -600.0]", "centre = [-500.0, -740.0, -330.0]")
    files(tmp_path, machine=near, fixture=("at = [-500.0, -700.0, -600.0]", "at = [-500.0, -700.0, -330.0]"))
    session = session_of(tmp_path)
    ready = planned(session, plan_of_places(session.setup, "face"))
    assert any("meets the tool" in look.found or "comes within" in look.found for look in ready.looks if look.stops)


def test_parts_vary_by_their_own_and_the_fixture_as_a_whole(tmp_path):
    scene = build_scene(load_job(files(tmp_path)).scene(0))
    one, again, other = (varied(scene, [], roll) for roll in (3, 3, 4))
    real = {body.name: body.real for body in one.file.body}
    assert real == {body.name: body.real for body in again.file.body}
    assert real != {body.name: body.real for body in other.file.body}
    # Neighbours on one face differ by no more than their own errors and the face's turn.
    a, b = np.array(real["GL-114 1-1"].shift), np.array(real["GL-114 1-2"].shift)
    assert 0 < np.abs(a - b).max() < 2 * 0.01 + math.radians(0.005) * 140
    assert np.abs(a).max() > 0.02


def test_a_face_that_looks_away_is_refused(tmp_path):
    files(tmp_path, "trunnion", part=("stance = { A = 35.0 }\nsize", "stance = { A = 30.0 }\nsize"))
    with pytest.raises(JobError) as error:
        load_job(tmp_path)
    assert "its face leans 5.000° from the spindle" in str(error.value.findings)


def test_a_bore_that_leans_from_its_metal_is_refused(tmp_path):
    """The solid of a face turned alone, by 0.5° about Y, which lies at 35° to its axis: 0.5° × cos 35°."""
    files(tmp_path, "trunnion", part=("0]             # about", "5]             # about"))
    with pytest.raises(JobError) as error:
        load_job(tmp_path)
    assert [str(fault) for fault in error.value.findings] == [
        f"part.toml feature.{number}.tilt: its face leans 0.410° from those of nozzle face: one tilt for both"
        for number in (3, 4)
    ]


def test_a_bore_on_a_sloping_face_is_measured_in_its_plane(tmp_path):
    session = session_of(files(tmp_path, "trunnion"))
    assert faces_away(session.scene.file) == []
    drawn = session.setup.drawn("nozzle")
    assert drawn.table == (("A", 35.0), ("C", 0.0))
    # By hand: the place 14 and 12 from the block's zero, carried by −35° about A's centre.
    y, z = -310.0 + 30.0 + 14.0 + 250.0, -430.0 + 80.0 + 12.0 + 380.0
    c, s = math.cos(math.radians(-35)), math.sin(math.radians(-35))
    assert drawn.machine[1:] == pytest.approx((-250.0 + c * y - s * z, -380.0 + s * y + c * z))
    feature = session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn))).feature
    assert feature.coordinates == pytest.approx(drawn.machine[:2], abs=0.0005)
    assert feature.size == pytest.approx(20.0, abs=0.001)
    assert any("was never proved" in line for line in check_job(tmp_path))


def test_a_sloping_face_is_told_as_a_tilted_plane(tmp_path, monkeypatch):
    """By the drawing the face's zero lies at X 35, Z 12 of the block and leans 35° to the front, about X."""
    session = session_of(files(tmp_path, "trunnion"))
    assert as_tilted_plane(session, "G55") == []  # the control holds nothing yet
    part = nominal_frame(next(body for body in session.scene.file.body if body.name == "NB-40"))
    session.machine.offsets["G54"] = part.point((0.0, 0.0, 0.0))
    values = session.rows.expected("G55")
    session.machine.offsets["G55"] = (values["x"], values["y"], values["z"])
    found = tilted_words(session, "G55", "G54")
    assert found.plane.zero == pytest.approx((35.0, 14.0, 12.0), abs=1e-6)
    assert found.plane.angles == pytest.approx((0.0, 35.0, 0.0), abs=1e-9)
    assert found.block == "G68.2 X35. Y14. Z12. I0. J35. K0."
    told = as_tilted_plane(session, "G55")
    assert told[1] == "X +35.0000 mm  Y +14.0000 mm  Z +12.0000 mm"
    assert told[4] == "the block's lengths are mm: it stands after G21"
    with pytest.raises(PlanError, match="lies level"):
        tilted_words(session, "G54", "G54")
    assert stance_of(session.setup, "G55") == {"A": 35.0}
    text = shipped_text("skip-macro").replace('units = "mm"', 'units = "inch"').replace('safe = ["G21', 'safe = ["G20')
    monkeypatch.setattr(type(session), "profile", parse_profile(text, "inches"))
    assert as_tilted_plane(session, "G55")[3:] == [
        "G68.2 X1.37795 Y0.55118 Z0.47244 I0. J35. K0.",
        "the block's lengths are inches: it stands after G20",
    ]


def test_what_is_marked_by_hand_belongs_to_the_face_that_looks_at_the_spindle(tmp_path):
    session = session_of(files(tmp_path))
    drawn = point_at(session.setup, session.setup.drawn("bore 1-2"))
    marked = replace(drawn, drawn=None, size=None, depth=None)
    assert session.planner.asked(marked).drawn.name == "bore 1-2"
    session.machine.rapid(session.machine.home, 0, {"B": 90.0})
    assert session.planner.asked(marked).drawn.name == "bore 2-2"
    session.machine.rapid(session.machine.home, 0, {"B": 45.0})
    assert not session.planner.asked(marked).is_drawn
    session.machine.rapid(session.machine.home, 0, {"B": -270.0})
    measured = session.runner.measure(session.planner.measurement_of(marked))
    assert (measured.feature.name, measured.measurement.options.table) == ("bore 2-2", (("B", 90.0),))
    below = MeasurementRequest(TouchPattern(frozenset({Wall.BELOW})), (-620.0, -610.0, -290.0), reach=12.0)
    found = session.runner.measure(session.planner.measurement_of(below)).feature.name
    assert session.setup.drawn(found).table == (("B", 90.0),)
    assert [top.name for top in session.working.tops({"B": 90.0})] == [found]
    assert session.working.tops({"B": 0.0}) == []


def test_the_map_says_how_each_place_stands(tmp_path):
    session = session_of(files(tmp_path))
    session.runner.measure(build_measurement(session.setup, point_at(session.setup, session.setup.drawn("bore 1-1"))))
    faces = places_map(session, {"B": 90.0})
    assert [face.looks for face in faces] == [False, True, False, False]
    assert [place.place.name for place in faces[0].places] == ["1-3", "1-2", "1-1"]
    assert [place.looked_at for place in faces[0].places] == [False, False, True]
    assert (faces[0].places[2].state, faces[1].places[0].short_row) == ("part", "P6")


def test_a_table_is_let_go_before_it_turns_and_held_after(tmp_path):
    profile = shipped_profile("skip-macro")
    words = {"B": {"unclamp": "M11", "clamp": "M10"}}
    clamping = Profile.model_validate(profile.model_dump() | {"table_clamp": words})
    session = Session(build_scene(load_job(files(tmp_path)).scene(0)), None, clamping, seed=None)
    ready = planned(session, plan_of_places(session.setup, "face"))
    program = program_of(session, ready)
    lines = [line.split(" (")[0] for line in program.text.splitlines()]
    at = lines.index("G90 G53 G0 B90.")
    assert (lines[at - 1], lines[at + 1]) == ("M11", "M10")
    assert prove(session, ready, program, 1).right == 1
    run = session.runner.start(replace(program, lines=tuple(x for x in program.lines if x.text != "M11")))
    run.to_end()
    assert "B is clamped" in str(run.failure())


def test_rows_stand_for_something_else_and_back_with_every_figure_shown(tmp_path):
    with open_job(files(tmp_path / "job"), tmp_path / "data", roll=0) as session:
        change = school_change(session, "centre")
        lines = preview(session, change)
        assert len(lines) == 24
        third = next(line for line in lines if line.title == "op 10 1-3")
        assert third.row == "G54.1 P1"
        assert (third.values["x"], third.values["z"], third.note) == (-500.0, -600.0, "was G54.1 P3")
        assert third.moves == pytest.approx({"x": -88.0, "y": 280.0, "z": 190.5})
        session.editor.change(change)
        assert {operation.offset for operation in session.setup.card.operations} == {"G54.1 P1"}
        assert owner_of(session.setup, "G54.1 P1") == "machine"
        session.editor.undo()
        assert len(session.setup.rows) == 12
        assert owner_of(session.setup, "G54.1 P5") == "part"
        with pytest.raises(PlanError, match="cannot stand for"):
            school_change(session, "nothing")


TWO_FACES = (
    "%\nO3114 (X)\nG21 G17 G90 G94 G40 G49 G80\nT12 M6\nG54.1 P1 G0 X10. Y20. B90.\nS1000 M3\nG43 H12 Z250.\n"
    "G1 X20. F100.\nG0 Z250.\nM9\nT5 M6\nG54.1 P1 G0 X10. Y20.\nS1000 M3\nG43 H5 Z250.\nG1 X30. F100.\nG0 Z250.\n"
    "M30\n%\n"
)


def two_faces(tmp_path, old, new):
    """The session, a cutting program for two faces with a change in it, and a measurement on the first of them."""
    session = session_of(files(tmp_path))
    assert old in TWO_FACES
    plan = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "w", "measure": [{"feature": "bore 1-2"}]}
    return session, TWO_FACES.replace(old, new, 1), planned(session, PlanFile.model_validate(plan))


@pytest.mark.parametrize(
    ("old", "new", "after", "back", "cuts"),
    [
        ("", "", 1, ["G90 G0 B90. (TABLE B AS IT STOOD)"], 2),
        ("", "", 2, [], 2),  # what comes next, when it is run again, says B itself
        ("G0 X10. Y20. B90.", "G0 X10. Y20.\nG53 B90.", 1, ["G90 G53 G0 B90. (TABLE B AS IT STOOD)"], 2),
        ("T5 M6\nG54.1 P1 G0 X10. Y20.", "T5 M6\nG54.1 P1 G0 X10. Y20. B180.", 1, [], 2),
        ("M9\n", "(FACE)\nG0 X12.\n", 1, ["G90 G0 B90. (TABLE B AS IT STOOD)"], 2),  # the same tool goes on
        ("G0 Z250.\nM9\nT5 M6\n", "G1 Z250. F900.\nT5 M6\nB180.\n", 1, [], 3),  # a table that turns at feed is no cut
    ],
)
def test_measuring_in_a_program_turns_the_table_and_turns_it_back(tmp_path, old, new, after, back, cuts):
    """What is cut next would be cut on another face."""
    session, text, ready = two_faces(tmp_path, old, new)
    woven = weave(session, take_apart(text), ready, [after])
    assert "IS EMPTY" in program_of(session, ready).text  # said by the plan alone, not each time the program cuts
    assert "IS EMPTY" not in woven
    restored = woven.split("M98 P7313")[1].split("(BRISK ANCHOR 1 END)")[0].splitlines()
    assert [line for line in restored if "TABLE B" in line] == back
    assert cut_as_before(session, text, woven) == f"It ends well on the stand-in, and the same moves are cut: {cuts}"
    for line in back:
        assert "is cut with the table elsewhere" in cut_as_before(session, text, woven.replace(f"{line}\n", ""))


@pytest.mark.parametrize(
    ("old", "new", "why"),
    [
        (" B90.", "", "no B stands before it"),
        (" B90.", "\nG91 B90.\nG90", "line 6 turns B by G91 B90."),
        (" B90.", " B#500", "line 5 turns B by"),
        ("M9\n", "M98 P8000\n", "calls another program"),
        ("M9\n", "/B180.\n", "can be skipped"),
        ("M9\n", "G28 B0\n", "turns B by G28"),
    ],
)
def test_a_table_that_could_not_be_turned_back_is_not_turned_in_a_program(tmp_path, old, new, why):
    session, text, ready = two_faces(tmp_path, old, new)
    with pytest.raises(ModalStateError, match=f"where table B stands .*{re.escape(why)}"):
        weave(session, take_apart(text), ready, [1])


CUT = (
    "G21 G90 G40 G17\nT5 M6\nG43 H5\nG54.1 P2\nG0 X10. Y20.\nG1 Z5. F500.\nX30.\n"
    "G54.1 P3 G0 X1.\nG54.1 P2\nG0 X5.\nM30\n"
)


def test_a_finished_program_takes_another_row_with_a_shift_that_moves_nothing(tmp_path):
    session = session_of(files(tmp_path))
    for row, place in (("G54.1 P2", (-500.0, -400.0, -300.0)), ("G54.1 P3", (-480.0, -300.0, -310.0))):
        session.machine.offsets[row] = place
    session.machine.offsets["G57"] = (-450.5, -410.25, -290.0)
    text, shift = exchange_row(session, CUT, "G54.1 P2", "G57")
    assert shift == pytest.approx((-49.5, 10.25, -10.0))
    assert text.count("G52 X-49.5000 Y10.2500 Z-10.0000\nG57") == 2
    assert "G52 X0.0000 Y0.0000 Z0.0000\nG54.1 P3 G0 X1." in text
    assert text.endswith("G52 X0.0000 Y0.0000 Z0.0000\nM30\n")
    waits = exchange_row(session, CUT.replace("X30.\n", "X30.\nM0\n"), "G54.1 P2", "G57")[0]
    assert waits == text.replace("X30.\n", "X30.\nM0\n")
    commented = CUT.replace("G54.1 P2\n", "(FROM G54.1 P2 \x85 G58) G54.1 P2\n")
    there, _ = exchange_row(session, commented, "G54.1 P2", "G57")
    assert there.count("(FROM G54.1 P2 \x85 G58) G57\n") == commented.count("\x85") > 0
    for wrong, why in (
        (CUT.replace("G43 H5", "G52 X1."), "shifts or units itself"),
        (CUT.replace("G54.1 P3", "G57"), "It uses G57 as well"),
        (CUT.replace("G54.1 P2", "G54.1 P3"), "Nowhere does it select"),
        (CUT.replace("G1 Z5.", "G777 Z5."), "cannot be tried"),
        (CUT.replace("G21 ", ""), "does not say G21"),
        (CUT.replace("G54.1 P2\nG0 X5.", "/G54.1 P2\nG0 X5."), "may be skipped"),
        (CUT.replace("G54.1 P2\nG0 X5.", "G#500\nG0 X5."), "itself: G#"),
        (CUT.replace("G54.1 P3 G0 X1.", "G54.1 P#500 G0 X1."), "itself: G54.1 P#"),
        (CUT.replace("X30.\n", "X30.\nM0\nG0 X7. M30\n"), "position is another"),
    ):
        with pytest.raises(PlanError) as error:
            exchange_row(session, wrong, "G54.1 P2", "G57")
        assert re.search(why, error.value.meaning)
        assert "posted again" in error.value.what
    jumping = CUT.replace("G54.1 P2\nG0 X5.", "#500=0\nIF [#500 EQ 0] GOTO 70\nN70 G54.1 P2\nG0 X5.")
    jumping = jumping.replace("M30", "N80 M30")
    there, _ = exchange_row(session, jumping, "G54.1 P2", "G57")
    assert "N70\nG52 X-49.5000 Y10.2500 Z-10.0000\nG57\nG0 X5.\nN80\nG52 X0.0000 Y0.0000 Z0.0000\nM30\n" in there
    session.machine.offsets["G57"] = (-450.50004, -410.25, -290.0)
    with pytest.raises(PlanError, match="posted again"):
        exchange_row(session, CUT, "G54.1 P2", "G57")
    with pytest.raises(PlanError):
        exchange_row(session, CUT, "G54.1 P2", "G58")


def test_the_map_is_written_to_pin_to_the_machine(tmp_path):
    files(tmp_path, job=('numbering = "rows"', 'numbering = "rows"\nempty = ["2-3"]'))
    session = session_of(tmp_path)
    paths = write_places(session, tmp_path)
    assert [path.name for path in paths] == ["places-gl-114-ts.svg", "places-gl-114-ts.pdf"]
    drawn = paths[0].read_text(encoding="utf-8")
    ElementTree.fromstring(drawn)
    for words in ("face 3   B 180°", "G54.1 P7", "not measured, not looked at", "op 10 3-1, op 20 3-1", "empty"):
        assert f"<!-- {words} -->" in drawn


def test_after_a_crash_no_row_that_a_table_carries_is_stored(tmp_path):
    session = session_of(files(tmp_path))
    for name in ("bore 1-1", "top 1-1"):
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name))))
    session.writer.store("G54.1 P1")
    assert not [look for look in session.writer.look_before_store("G54.1 P4") if look.stops]
    session.note_ending(None)
    assert not session.working.crashed
    session.note_ending(CrashError("stem", "the face", (0.0, 0.0, 0.0), "a rapid"))
    (look,) = [look for look in session.writer.look_before_store("G54.1 P4") if look.stops]
    assert "crashed since the centre of B" in look.found
    assert not [look for look in session.writer.look_before_store("G54.1 P1") if look.stops]


def test_a_fixture_that_is_put_back_is_known_from_where_it_stood(tmp_path):
    new_job(tmp_path / "one")
    with open_job(tmp_path / "one", tmp_path / "data", roll=0) as session:
        assert (owner_of(session.setup, "G55"), owner_of(session.setup, "G54")) == ("fixture", "part")
        assert located_before(session.setup, session.ledger, "G55") is None
        for name in ("stop bush", "jaw top"):
            drawn = session.setup.drawn(name)
            session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
        stored = session.writer.store("G55").values
        assert located_before(session.setup, session.ledger, "G55") is None  # that is this job's own
    new_job(tmp_path / "two", like=tmp_path / "one")
    job = tmp_path / "two" / "job.toml"
    job.write_text(job.read_text().replace('name = "BC-27"', 'name = "other"'))
    with open_job(tmp_path / "two", tmp_path / "data", roll=0) as session:
        known = located_before(session.setup, session.ledger, "G55")
        assert known.values == pytest.approx(stored)
        assert (known.row, known.job) == ("G55", "BC-27")
        _, behind = next_step(session, "G55", None, None)
        assert "V-3 stood at X" in behind
        assert "one touch in each direction" in behind
        assert located_before(session.setup, session.ledger, "G54") is None


# -- the centre of rotation --------------------------------------------------------------------------------------------


def test_the_centre_is_found_from_a_face_touched_at_three_angles(tmp_path):
    with open_job(files(tmp_path / "job"), tmp_path / "data", roll=1) as session:
        real = session.scene.real_axes[0].centre
        stated = session.setup.machine.rotary[0].centre
        names = []
        length = session.setup.stylus.length
        for angle, wall, start in (
            (90.0, Wall.RIGHT, (-500.0 - 150.0 - 16.0, -579.0, -480.0)),
            (270.0, Wall.LEFT, (-500.0 + 150.0 + 16.0, -579.0, -480.0)),
            (0.0, Wall.BELOW, (-640.0, -579.0, -440.0)),
        ):
            session.machine.rapid((start[0], start[1], 0.0), 0)
            session.machine.rapid((start[0], start[1], 0.0), 0, {"B": angle})
            session.machine.rapid((start[0], start[1], start[2] + length), 0)
            request = MeasurementRequest(
                TouchPattern(frozenset({wall})),
                (start[0], start[1], start[2] + length),
                reach=13.0 if wall is not Wall.BELOW else 10.0,
                depth=20.0 if wall is not Wall.BELOW else None,
            )
            measured = session.runner.measure(session.planner.measurement_of(request))
            names.append(measured.feature.name)
            session.machine.rapid((start[0], start[1], 0.0), 0)
        found = read_centre(session, f"B faces {', '.join(names)}")
        assert found.centre.place["x"].value == pytest.approx(real[0], abs=0.003)
        assert found.centre.place["z"].value == pytest.approx(real[2], abs=0.012)
        assert abs(real[0] - stated[0]) > 1e-4
        told = take_centre(session, found, "2026-11-28")
        assert "tested by nothing" in told
        with pytest.raises(PlanError, match="name no axis"):
            read_centre(session, "A faces")
        machine = load_job(tmp_path / "job").machine.rotary[0]
        assert machine.centre[0] == pytest.approx(found.centre.place["x"].value, abs=1e-6)
        assert machine.u_centre == pytest.approx(max(i.expanded for i in found.centre.place.values()) / 2, rel=1e-3)
        assert str(machine.measured) == "2026-11-28"


def _seen_on(session: Session, direction: np.ndarray, centre: np.ndarray) -> None:
    """Two points of a table whose axis leans, met at three angles each: what a bench would have found, by hand."""
    side = np.cross(direction, (0.0, 0.0, 1.0))
    side /= np.linalg.norm(side)
    third = np.cross(direction, side)
    one = session.runner.measure(
        build_measurement(session.setup, point_at(session.setup, session.setup.drawn("bore 1-1")))
    )
    for name, height in (("low", -600.0), ("high", -300.0)):
        arm = 120.0
        for angle in (0.0, 90.0, 200.0):
            turn = -math.radians(angle)  # sense −1
            at = centre + direction * (height - centre[1]) + arm * (math.cos(turn) * side + math.sin(turn) * third)
            touches = tuple(replace(t, position=(at[0], height, t.position[2])) for t in one.feature.touches)
            effects = tuple((Source(f"{name}{angle:.0f} {a}"), tuple(0.001 * (a == b) for b in "xyz")) for a in "xyz")
            own = {"name": f"{name}{angle:.0f}", "touches": touches, "axes": ("x", "y", "z"), "effects": effects}
            feature = replace(one.feature, coordinates=tuple(float(v) for v in at), size=None, **own)
            options = replace(one.measurement.options, table=(("B", angle),))
            measurement = replace(one.measurement, options=options)
            session.working.measured[feature.name] = replace(one, feature=feature, measurement=measurement)


def test_points_at_two_heights_tell_how_a_table_leans(tmp_path):
    with open_job(files(tmp_path / "job"), tmp_path / "data", roll=0) as session:
        direction = np.array((2e-4, 1.0, -3e-4))
        direction /= np.linalg.norm(direction)
        centre = np.array((-500.0, -740.0, -600.0))
        _seen_on(session, direction, centre)
        found = read_centre(session, "B direction low0, low90, low200 / high0, high90, high200")
        assert found.leaning[0] == pytest.approx(direction, abs=1e-7)
        assert found.leaning[1] == pytest.approx(math.degrees(0.001 * 2**0.5 * 0.66 / 300), rel=0.5)
        told = take_centre(session, found, "2026-11-28")
        assert "B leans +0.0115° towards X  −0.0172° towards Z" in told
        machine = load_job(tmp_path / "job").machine.rotary[0]
        assert machine.direction == pytest.approx(direction, abs=1e-7)
        assert machine.centre[1] == pytest.approx(-600.0)
        assert machine.u_direction == pytest.approx(found.leaning[1], abs=1e-6)
        with pytest.raises(PlanError, match="two heights"):
            read_centre(session, "B direction low0, low90")


def test_a_fixture_on_a_pallet_has_the_centre_that_was_measured_there(tmp_path):
    machine, fixture = tmp_path / "machine.toml", tmp_path / "fixture.toml"
    files(tmp_path)
    axis = machine.read_text(encoding="utf-8").partition("[[rotary]]")[2].partition("[probe]")[0]
    second = "[[rotary]]" + axis.replace("-500.0, -740.0", "-500.3, -740.0") + 'pallet = "2"\n\n'
    machine.write_text(machine.read_text(encoding="utf-8").replace("[probe]", second + "[probe]", 1), encoding="utf-8")
    assert load_job(tmp_path).scene(0).machine.rotary[0].centre[0] == -500.0
    text = fixture.read_text(encoding="utf-8")
    fixture.write_text(text.replace("units =", 'pallet = "2"\nunits =', 1), encoding="utf-8")
    with open_job(tmp_path, tmp_path / "data", roll=0) as session:
        assert session.setup.machine.rotary[0].centre[0] == -500.3
        session.editor.change(session.editor.changing().rotary_figures(0, u_centre=0.002))
    known = [(axis["centre"][0], axis["u_centre"]) for axis in tomllib.loads(machine.read_text("utf-8"))["rotary"]]
    assert known == [(-500.0, 0.005), (-500.3, 0.002)]
    fixture.write_text(text.replace("units =", 'pallet = "3"\nunits =', 1), encoding="utf-8")
    with pytest.raises(JobError, match="measured on pallet 3"):
        load_job(tmp_path)


def test_what_belongs_to_no_one_centre_is_refused(tmp_path):
    session = session_of(files(tmp_path))
    with pytest.raises(PlanError, match="was not measured"):
        read_centre(session, "B points nothing")
    one = session.runner.measure(
        build_measurement(session.setup, point_at(session.setup, session.setup.drawn("bore 1-1")))
    )
    with pytest.raises((PlanError, GeometryError)):
        read_centre(session, "B points bore 1-1")
    session.working.measured["far"] = replace(one, feature=replace(one.feature, name="far"))
    with pytest.raises(PlanError, match="no faces"):
        read_centre(session, "B faces bore 1-1, far")
