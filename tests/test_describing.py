"""Describing a job: words that draw, zeros on points, turns, undo, beginnings, fixtures by their figures, cautions."""

from __future__ import annotations

import math
import re
import tomllib
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import BriskAnchorError, DatumError, ExportError, GuardError, JobError, PlanError
from brisk_anchor.core.offsets.rules import Keep
from brisk_anchor.core.quantities import Unit
from brisk_anchor.exchange import files
from brisk_anchor.services.demo.demo_job import demo_job
from brisk_anchor.services.job.feature_builder import FORMS
from brisk_anchor.services.job.feature_commands import read_words
from brisk_anchor.services.job.fixture_shapes import AnglePlate, Chuck, Plate, Vice
from brisk_anchor.services.job.jobs import check_job, load_job, new_job
from brisk_anchor.services.job.new_job import DrawingSource, begin_job
from brisk_anchor.services.measure.cautions import cautions
from brisk_anchor.services.measure.datum_rules import read_distances, rule_at, with_rules
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.measure.reach import reaches
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.solid_file import SolidSection
from tests.test_jobs import change

PLATE = SolidSection(name="plate", shape="block", low=(0, 0), high=(160, 100), bottom=-35, top=0)


@pytest.fixture
def folder(tmp_path):
    new_job(tmp_path / "job")
    return tmp_path / "job"


@pytest.fixture
def session(folder, tmp_path):
    session = open_job(folder, tmp_path / "data", roll=1)
    yield session
    session.book.close()


def named(session, name):
    return next(drawn for drawn in session.setup.features if drawn.name == name)


def measure(session, *names):
    for name in names:
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, named(session, name))))


def table(words, names=(), unit=1.0):
    there = {
        "a": {"place": (0.0, 40.0, 0.0), "walls": ["RIGHT"], "solid": "plate"},
        "b": {"place": (10.0, 20.0, 0.0), "walls": ["UP"], "solid": "plate"},
    }
    text = read_words(words, [PLATE], names, "P-1", 6.0, unit, there, uncertainty=2.0).table
    return tomllib.loads(text)["feature"][0]


def test_patterns_beyond_the_alphabet_have_names():
    names = [f"hole {letter} 1" for letter in "abcdefghijklmnopqrstuvwxyz"]
    assert table("circle 6, 8, 60, 80, 50", names)["name"] == "hole aa"
    assert table("grid 3, 2, 8, 40, 30, 20, 20", [*names, "hole aa 1"])["name"] == "hole ab"


@pytest.mark.parametrize(
    ("words", "expected"),
    [
        ("bore 16, 20, 50", {"kind": "bore", "name": "bore 1", "size": 16.0, "cut": "through", "depth": 5.5}),
        ("bore 16, 20, 50, 4.5", {"cut": 4.5, "depth": 3.75}),
        ("BORE 5/8in, 20, 50+1", {"size": 15.875, "place": [20.0, 51.0, 0.0]}),
        ("boss 30, 80, 50, 12", {"stands": 12.0, "place": [80.0, 50.0, 12.0], "size_limit": 0.3}),
        ("pocket 40, 20, 30, 30, 8", {"size": 40.0, "size_y": 20.0, "cut": 8.0}),
        ("slot 12, 60, 100, 50", {"walls": ["LEFT", "RIGHT"], "size": 12.0, "length": 60.0}),
        ("slot 60, 12, 100, 50", {"walls": ["DOWN", "UP"], "size": 12.0, "length": 60.0}),
        ("web 8, 50, 100, 50, 20", {"stands": 20.0, "size": 8.0}),
        ("face left", {"name": "left", "walls": ["RIGHT"], "place": [0.0, 50.0, 0.0]}),
        ("corner back right", {"walls": ["RIGHT", "UP"], "place": [160.0, 100.0, 0.0], "name": "corner 1"}),
        ("face top", {"walls": ["BELOW"]}),
        ("circle 6, 8, 60, 80, 50, 30", {"pattern": {"count": 6, "circle": 60.0, "first_angle": 30.0}}),
        ("edge left", {"kind": "edge", "name": "edge 1", "walls": ["RIGHT"], "spread": 60.0}),
        ("edge front, 1in", {"walls": ["UP"], "spread": 25.4, "place": [80.0, 0.0, 0.0]}),
        ("plane 20, 60, 30", {"kind": "plane", "spread": 20.0, "place": [60.0, 30.0, 0.0]}),
        ("ball 20, 30, 40", {"kind": "ball", "size": 20.0, "place": [30.0, 40.0, 10.0], "solid": "ball 1"}),
        ("between a, b", {"kind": "point between", "of": ["a", "b"], "place": [5.0, 30.0, 0.0]}),
        ("crossing a, b", {"kind": "intersection", "place": [0.0, 20.0, 0.0]}),
        ("grid 3, 2, 8, 20, 20, 40, 30", {"pattern": {"columns": 3, "rows": 2, "pitch": [40.0, 30.0]}}),
    ],
)
def test_words_become_features(words, expected):
    found = table(words)
    assert {key: found[key] for key in expected} == expected


def test_words_in_a_file_in_inches_and_names_that_are_free():
    found = table("bore 25.4, 50.8, 50.8", names=["bore 1", "bore 2"], unit=25.4)
    assert (found["name"], found["size"], found["place"][:2]) == ("bore 3", 1.0, [2.0, 2.0])


@pytest.mark.parametrize(
    ("words", "reason"),
    [
        ("", "no such word"),
        ("hole 12, 1, 1", "no such word"),
        ("bore", "takes other figures"),
        ("bore 12, 20", "takes other figures"),
        ("bore 12, 20, 50, 2", "is 2 mm deep"),
        ("bore 12, 200, 50", "no metal at X \\+200"),
        ("bore -12, 20, 50", "above zero"),
        ("bore twelve, 20, 50", "diameter: "),
        ("face up", "no face"),
        ("corner left front", "no corner"),
        ("circle 2.5, 8, 60, 80, 50", "whole number"),
        ("circle 300, 8, 60, 80, 50", "between 2 and 100"),
        ("turn x", "no figure"),
        ("edge top", "no edge"),
        ("edge left, 99", "only 100 mm long"),
        ("plane 200", "no place wide enough"),
        ("ball 1, 20, 20", "too small"),
        ("between c, d", "no feature “c”"),
        ('bore 12, 20, 50]\nname = "x"', "(is no|cannot|Y|y)"),
    ],
)
def test_words_that_draw_nothing_say_why(words, reason):
    with pytest.raises(BriskAnchorError) as caught:
        read_words(words, [PLATE], [], "P-1", 6.0, 1.0, uncertainty=2.0)
    assert re.search(reason, caught.value.one_line())


@given(st.text(max_size=60), st.sampled_from(sorted(FORMS)))
def test_no_words_break_in(tail, word):
    try:
        drawn = read_words(f"{word} {tail}", [PLATE], [], 'na"me\n', 6.0, 1.0, uncertainty=2.0)
    except BriskAnchorError:
        return
    assert set(tomllib.loads(drawn.table or drawn.whole or "")) <= {"feature", "solid", "form", "units", "name"}


def test_what_is_drawn_is_cut_measured_taken_off_and_taken_back(session, folder):
    comments = (folder / "part.toml").read_text().count("#")
    for words in (
        "bore 20, 120, 20",
        "pocket 36, 24, 30, 82, 12",
        "block 16, 16, 145, 82, 14",
        "circle 3, 12, 76, 80, 50",
        "edge left",
        "edge front",
        "crossing edge 1, edge 2",
        "ball 14, 20, 20",
        "between bore 1, ball 1",
    ):
        session.editor.change(session.editor.files.drawn(words))
    assert all(not reach.reason for reach in reaches(session.scene))
    measure(session, "bore 1", "pocket 1", "block 1", "hole a 2")
    slots = [slot for body in session.scene.file.body for solid in body.solid for slot in solid.slots]
    (real,) = {slot.real_size[0] for slot in slots if slot.high[0] - slot.low[0] == 36.0}
    assert 0 < abs(real - 36.0) <= 0.03
    assert session.measured["pocket 1"].feature.size == pytest.approx(real, abs=0.001)
    assert session.measured["hole a 2"].feature.size == pytest.approx(12.0, abs=0.03)
    session.editor.change(session.editor.files.removed("hole a 3"))
    assert "hole a 1" not in [feature.name for feature in session.setup.features]
    assert "bore 1" in session.measured
    assert session.editor.undo() == "the last change is taken back"
    assert len(load_job(folder).part.feature) == 14
    session.editor.change(session.editor.files.removed("between 1"))
    session.editor.change(session.editor.files.removed("ball 1"))
    assert "ball 1" not in [solid.name for solid in load_job(folder).part.solid]
    for _ in range(11):
        assert session.editor.undo()
    assert session.editor.undo() is None
    assert len(load_job(folder).part.feature) == 5
    assert (folder / "part.toml").read_text().count("#") == comments
    with pytest.raises(JobError, match="no feature “seat”"):
        session.editor.change(session.editor.files.removed("seat"))
    with pytest.raises(JobError, match="no table"):
        session.editor.change(session.editor.files.removed("stop bush"))


def test_a_plate_in_place_of_the_part_gives_the_zero_new_features(session, folder):
    before = (folder / "part.toml").read_text()
    session.editor.change(session.editor.files.drawn("plate 120, 80, 35"))
    rules = session.setup.row("G54").rules
    assert [rules[axis].feature for axis in "xyz"] == ["left", "front", "top"]
    assert session.rows.expected("G54") == {"x": -450.0, "y": -270.0, "z": -505.0}
    assert (folder / "part-1.toml").read_text() == before
    assert load_job(folder).part.variation.shift == (0.6, 0.3, 0.05)
    measure(session, "left", "front", "top")
    assert session.writer.store("G54").values["x"] == pytest.approx(session.solver.true_offset("G54")["x"], abs=0.003)


def test_a_turned_part_keeps_its_zero_and_is_measured_there(session, folder):
    session.datums.take_datum("G54", "x", "left", onto=False)
    zero = session.rows.expected("G54")
    session.editor.change(session.editor.files.turned(90))
    assert named(session, "left").walls == ("UP",)
    # Turned about its own zero, which the offset's zero is: nothing moves, but Y comes from what was the left face.
    assert session.rows.expected("G54") == pytest.approx(zero)
    assert session.setup.row("G54").rules["x"].feature == "seat"
    assert session.setup.row("G54").rules["x"].drawing == pytest.approx(-50.0)
    session.editor.change(session.editor.files.drawn("turn 30"))
    assert "askew" in next(r.reason for r in reaches(session.scene) if r.drawn.name == "left")
    assert [words for words in cautions(session.scene, date(2026, 11, 23)) if "fixed jaw" in words]
    session.editor.undo()
    session.editor.undo()
    assert (load_job(folder).job.seat_turn, session.rows.expected("G54")) == (0.0, zero)
    assert cautions(session.scene, date(2026, 11, 23)) == []


def test_a_zero_is_put_on_points_and_beside_them(session, folder):
    points = {(point.title, point.body): point for point in session.setup.points}
    assert points["front left corner", "BC-27"].machine == (-450.0, -270.0, -505.0)
    assert points["centre", "BC-27"].machine[:2] == (-370.0, -220.0)
    assert points["bottom", "BC-27"].machine[2] == -540.0
    centre = points["centre", "BC-27"].machine
    assert session.datums.put_zero("G54", {"x": centre[0] + 10, "y": centre[1]})
    rule = load_job(folder).job.offset[0]
    assert (rule.x.feature, rule.x.drawing, rule.y.drawing) == ("seat", -10.0, 0.0)
    change(folder, "job", ('z = { feature = "top", drawing = 0.0 }', "z = { keep = true }"))


def test_a_point_needs_something_that_is_measured(quiet):
    with pytest.raises(BriskAnchorError, match="not measured on anything"):
        rule_at(with_rules(quiet.setup, "G54", {"x": Keep()}), "G54", "x", 1.0)
    assert read_distances("10, 1in", "xy") == [10.0, 25.4]
    with pytest.raises(BriskAnchorError, match="2 figures"):
        read_distances("10", "xy")
    with pytest.raises(PlanError, match="no files of its own"):
        quiet.editor.changing()


def test_a_change_that_cannot_be_written_changes_nothing(session, folder, monkeypatch):
    change_ = session.editor.files.drawn("plate 120, 80, 35")
    before = {path.name: path.read_text() for path in folder.iterdir()}
    written = []

    def refuse(path, data):
        if path.name == "part.toml":
            raise ExportError("no room", "", "")
        written.append(path.name)
        return files.write_whole(path, data)

    monkeypatch.setattr("brisk_anchor.exchange.folder_change.write_whole", refuse)
    with pytest.raises(ExportError):
        session.editor.change(change_)
    assert {name: (folder / name).read_text() for name in before} == before
    assert "seat" in [feature.name for feature in session.setup.features]
    assert session.scene.solids == session.machine._solids


def test_operations_take_another_offset(session, folder):
    session.editor.change(session.editor.files.assigned("op 10", "G55"))
    assert load_job(folder).job.operation[0].offset == "G55"
    assert session.setup.card.operations[0].offset == "G55"


def test_jobs_begin_from_a_plate_a_drawing_and_another_job(tmp_path):
    paths, told = begin_job(tmp_path / "a", plate="100, 60, 20", name="PL-7")
    written = "".join(path.read_text() for path in paths)
    assert not [words for words in ("BC-27", "Quern", "Heron", "V-3", "cap") if words in written]
    assert (len(paths), load_job(tmp_path / "a").job.name) == (4, "PL-7")
    assert told.startswith("a plate of 100")
    begin_job(tmp_path / "i", plate="4, 2.5, 1.25", unit=Unit.INCH)
    in_inch = load_job(tmp_path / "i")
    assert in_inch.unit is Unit.INCH
    assert in_inch.part.solid[0].high == pytest.approx([101.6, 63.5])
    begin_job(tmp_path / "b", like=tmp_path / "a", name="PL-8")
    assert load_job(tmp_path / "b").part.solid == load_job(tmp_path / "a").part.solid
    for bad in ({"plate": "1, 2"}, {"name": ")x"}, {"drawing": DrawingSource(tmp_path / "none.dxf")}):
        with pytest.raises(BriskAnchorError):
            begin_job(tmp_path / "c", **bad)
    assert not (tmp_path / "c").exists()
    with pytest.raises(ExportError, match="there already"):
        begin_job(tmp_path / "a")


@pytest.mark.parametrize(
    ("plate", "seat", "jaw"),
    [
        ("160, 100, 35", (30, 40, 95), (10, 40)),  # the example's
        ("100, 60, 50", (30, 80, 110), (50, 80)),  # thicker: on the bed, which is at 60
        ("60, 40, 8", (30, 100, 84), (70, 100)),  # thin: half of it in the jaws, which are 80 high
        ("40, 130, 20", (30, 10, 95), (10, 40)),  # too wide for the bed
    ],
)
def test_a_new_part_is_held_by_the_vice_it_begins_in(tmp_path, plate, seat, jaw):
    begin_job(tmp_path / "a", plate=plate)
    job = load_job(tmp_path / "a")
    moving = next(solid for solid in job.fixture.solid if solid.name == "moving jaw")
    assert job.job.seat == pytest.approx(seat)
    assert (moving.low[1], moving.high[1]) == pytest.approx(jaw)
    odd = cautions(build_scene(job.scene(0)), date(2026, 11, 30))
    assert [("moving jaw" in words, "look at the seat" in words) for words in odd] == [(True, True)] * ("130" in plate)


def test_the_demo_part_is_read_from_its_drawing_and_measured(tmp_path):
    folder = demo_job(tmp_path)
    assert demo_job(tmp_path) == folder
    told = check_job(folder)
    assert any("edge 1" in line and "askew" in line for line in told)
    session = open_job(folder, tmp_path / "data", roll=2)
    assert "160" in [word.text for word in session.setup.words]
    names = [reach.drawn.name for reach in reaches(session.scene) if not reach.reason]
    assert {"bore 1", "pocket 1", "left", "front", "top"} <= set(names)
    measure(session, *names)
    session.writer.store("G54")
    assert session.prover.prove("G54").holds
    session.book.close()


@pytest.mark.parametrize(
    ("shape", "names"),
    [
        (
            Vice(
                bed_length=200,
                bed_width=150,
                bed_height=50,
                jaw_length=160,
                jaw_thickness=20,
                jaw_height=18,
                fixed_jaw=120,
                opening=70,
                stop=(20, 60),
            ),
            ["bed", "fixed jaw", "moving jaw", "stop"],
        ),
        (
            Chuck(diameter=200, height=80, grip=60, jaw_length=50, jaw_width=22, jaw_height=25),
            ["body", "jaw 1", "jaw 2", "jaw 3"],
        ),
        (AnglePlate(length=150, depth=100, height=120, thickness=15), ["base", "wall"]),
        (Plate(length=200, width=100, height=20, hole=12, first=(25, 25), pitch=(50, 50)), ["plate"]),
    ],
)
def test_fixtures_by_their_own_figures(folder, shape, names):
    assert [solid.name for solid in shape.solids()] == names
    if isinstance(shape, Plate):
        assert [hole.at for hole in shape.solids()[0].holes][-1] == (175.0, 75.0)
    word, kind = {Vice: ("vice", "vice"), Chuck: ("chuck", "chuck"), AnglePlate: ("angle_plate", "angle plate")}.get(
        type(shape), ("plate", "pallet")
    )
    figures = "\n".join(
        f"{key} = {list(map(float, value)) if isinstance(value, tuple) else value}"
        for key, value in shape.model_dump().items()
        if value is not None
    )
    head = (
        f'form = "brisk-anchor-fixture-1"\nunits = "mm"\nname = "F-1"\nkind = "{kind}"\nat = [-480.0, -310.0, -600.0]\n'
    )
    (folder / "fixture.toml").write_text(f"{head}at_turn = 90.0\n[{word}]\n{figures}\n")
    job = (folder / "job.toml").read_text()
    (folder / "job.toml").write_text(job[: job.index('[[offset]]\nrow = "G55"')])
    scene = build_scene(load_job(folder).scene(0))
    assert {solid.name for solid in scene.nominal if solid.role == "fixture"} == set(names)
    assert scene.setup.turn == 90.0
    change(folder, "fixture", (f'kind = "{kind}"', 'kind = "spacers"' if kind == "vice" else 'kind = "vice"'))
    with pytest.raises(JobError, match="is not described by"):
        load_job(folder)


def test_spacers_bars_and_programs_of_a_job(folder):
    spacer = '[[spacer]]\nname = "10 block"\nalong = "-X"\nthickness = 10.0\n\n[[operation]]'
    change(
        folder,
        "job",
        ("[[operation]]", spacer),
        ("clear_height", 'program = 4000\nprogram_comment = "LOT 7"\nclear_height'),
    )
    scene = build_scene(load_job(folder).scene(0))
    assert scene.setup.points[0].body == "BC-27"
    assert scene.file.body[1].at == (-460.0, -270.0, -505.0)
    assert scene.setup.card.notes == ("spacer 10 block, 10 mm along -X",)
    change(
        folder,
        "part",
        ("[variation]", "[stock]\nbar = 200.0\nallowance = [0.0, 0.0, 0.0, 0.0, 0.0, 2.0]\n\n[variation]"),
    )
    job = (folder / "job.toml").read_text().replace('"seat"', '"stock round"').replace('"top"', '"stock top"')
    (folder / "job.toml").write_text(job)
    scene = build_scene(load_job(folder).scene(0))
    assert [solid.shape for solid in scene.file.body[1].solid] == ["round"]
    assert [body.role for body in scene.file.body] == ["fixture", "part", "drawn"]
    assert {feature.name for feature in scene.setup.features} >= {"stock round", "stock top"}


def test_what_is_odd_is_told_though_it_opens(folder):
    begin = (folder / "part.toml").read_text()
    (folder / "part.toml").write_text(begin.replace("high = [160.0, 100.0]", "high = [950.0, 100.0]"))
    assert any("the set-up is 980 mm long in X, the table 900 mm" in line for line in check_job(folder))
    (folder / "part.toml").write_text(begin)
    change(folder, "job", ("seat = [30.0, 40.0, 95.0]", "seat = [30.0, 300.0, 95.0]"))
    assert any("over the table in Y" in line for line in check_job(folder))
    change(folder, "machine", ('connection = "stand-in"', 'connection = "nothing"'))
    assert not build_scene(load_job(folder).scene(0)).setup.machine.connected


def test_nothing_is_taken_back_while_the_tip_stands_where_metal_would_be(session, folder):
    session.editor.change(session.editor.files.drawn("bore 20, 120, 20"))
    x, y, edge = named(session, "bore 1").machine
    session.machine.place((x, y, edge - 4.0 + 150.0), {}, 20)
    with pytest.raises(GuardError, match="in the way"):
        session.editor.undo()
    assert "bore 1" in [feature.name for feature in load_job(folder).part.feature]
    session.panel.home()
    assert session.editor.undo()
    assert "bore 1" not in [feature.name for feature in load_job(folder).part.feature]


@pytest.mark.parametrize("profile", ["skip-macro", "probe-params"])
def test_a_zero_in_the_middle_of_two_faces(tmp_path, profile):
    begin_job(tmp_path / "job", plate="120, 80, 20")
    change(tmp_path / "job", "machine", ('profile = "skip-macro"', f'profile = "{profile}"'))
    session = open_job(tmp_path / "job", tmp_path / "data", roll=3)
    session.editor.change(session.editor.files.drawn("face right"))
    session.datums.take_middle("G54", "x", "right")
    rule = load_job(tmp_path / "job").job.offset[0].x
    assert (rule.feature, rule.other, rule.drawing) == ("left", "right", 60.0)
    assert session.rows.expected("G54")["x"] == pytest.approx(-450.0)
    session.datums.put_zero("G54", {"x": -390.0})
    assert load_job(tmp_path / "job").job.offset[0].x.drawing == 0.0
    assert session.rows.missing("G54") == ["left", "right", "front", "top"]
    measure(session, *session.rows.missing("G54"))
    axis = session.writer.store("G54").axis("x")
    left, right = (session.measured[name].feature.coordinates[0] for name in ("left", "right"))
    assert axis.value == pytest.approx((left + right) / 2)
    # The ball's radius counts against each other on the two faces; what is left is a middle of two touches.
    own = [session.measured[name].feature.covariance[0][0] for name in ("left", "right")]
    assert axis.u == pytest.approx(math.sqrt(sum(own)) / 2)
    assert [term.label for term in axis.terms][-2:] == ["halfway between them", "G54 X"]
    assert axis.value == pytest.approx(session.solver.true_offset("G54")["x"], abs=0.003)
    assert session.prover.prove("G54").holds
    with pytest.raises(DatumError, match="does not locate X"):
        session.datums.take_middle("G54", "x", "top")
    with pytest.raises(DatumError, match="no other feature"):
        session.datums.take_middle("G54", "y", "front")
    session.editor.change(session.editor.files.drawn("plate 100, 60, 20"))
    assert session.setup.row("G54").rules["x"].features == ("left",)
    session.book.close()


def test_a_calibration_is_written_into_the_machines_file(session, folder):
    comments = (folder / "machine.toml").read_text().count("#")
    measure(session, "seat")
    size = session.measured["seat"].feature.size
    session.editor.calibrate("seat", size + 0.002, 0.0005)
    machine = load_job(folder).machine.probe
    assert machine.effective_radius == pytest.approx(2.995, abs=1e-6)
    assert machine.calibrated is not None
    change(folder, "machine", ("[probe]", "[probe]\nvalid_days = 30"))
    scene = build_scene(load_job(folder).scene(0))
    day = machine.calibrated
    assert cautions(scene, day + timedelta(30)) == []
    assert "31 days ago, 30 are allowed" in cautions(scene, day + timedelta(31))[0]
    assert (folder / "machine.toml").read_text().count("#") == comments
    change(folder, "machine", ("[probe]\nvalid_days = 30", "[probe]"))
    assert session.editor.undo()
    assert load_job(folder).machine.probe.effective_radius == 2.994
