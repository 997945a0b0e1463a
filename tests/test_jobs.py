"""Jobs of one's own: files with every fault at its line, units, stock, the twin, and the whole line on it."""

from __future__ import annotations

import re
import sys
import time
from datetime import date
from pathlib import Path

import pytest

from brisk_anchor import services, standin
from brisk_anchor.core.errors import (
    BriskAnchorError,
    DatumError,
    ExportError,
    FindingsError,
    GuardError,
    JobError,
    PlanError,
)
from brisk_anchor.core.offsets.checks import SecondLookError
from brisk_anchor.core.offsets.rules import FromFeature
from brisk_anchor.exchange.toml_files import in_millimetres, line_of
from brisk_anchor.nc.profile.control_profile import load_profile, parse_profile, shipped_text
from brisk_anchor.services.job import job_editor
from brisk_anchor.services.job.job_editor import JobEditor
from brisk_anchor.services.job.job_models import NO_LENGTHS
from brisk_anchor.services.job.job_text import sections, with_key, without_table
from brisk_anchor.services.job.jobs import FILES, check_job, load_job, new_job
from brisk_anchor.services.measure.datum_rules import axes_of
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.measure.reach import reaches
from brisk_anchor.services.plan.plan_file import parse_plan
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.tool_shelf import lines as shelf_lines
from brisk_anchor.services.session.tool_shelf import set_figure
from brisk_anchor.services.turning.turning_job import read_turning
from brisk_anchor.standin.scene_file import load_scene, parse_scene

PLATE = ("[[solid]]", 'name = "plate"')

EXAMPLES, SCENES = Path(services.__file__).parent / "examples", Path(standin.__file__).parent / "scenes"


@pytest.fixture
def folder(tmp_path):
    new_job(tmp_path / "job")
    return tmp_path / "job"


def change(folder, name, *pairs):
    path = folder / f"{name}.toml"
    text = path.read_text()
    for old, new in pairs:
        assert old in text
        text = text.replace(old, new, 1)
    path.write_text(text)


def faults(folder):
    with pytest.raises(JobError) as caught:
        load_job(folder)
    return [str(finding) for finding in caught.value.findings]


def test_the_example_is_sound_and_nothing_is_written_over(folder):
    told = check_job(folder)
    assert told[0] == "BC-27 is sound: Heron, 7 features, 2 offsets"
    assert "G55 vice V-3: stop bush, jaw top; no operation uses it" in told
    with pytest.raises(ExportError, match="there already"):
        new_job(folder)


@pytest.mark.parametrize("roll", [1, 2, 3])
def test_own_jobs_are_measured_stored_and_proved_on_their_twin(folder, tmp_path, roll):
    session = open_job(folder, tmp_path / "data", roll=roll)
    for drawn in session.setup.features:
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
    for row in ("G54", "G55"):
        values, truth = session.writer.store(row).values, session.solver.true_offset(row)
        assert [values[a] for a in "xy"] == pytest.approx([truth[a] for a in "xy"], abs=0.003)
        assert values["z"] == pytest.approx(truth["z"], abs=0.008)  # the length is known within 2 µm (k = 1)
        assert session.prover.prove(row).holds
    touch = session.measured["left"].feature.touches[0]
    x, y, z = touch.position
    edge = session.scene.true_value("left", "x", (x, y, z - 150.0))
    assert session.measured["left"].feature.coordinates[0] == pytest.approx(edge, abs=0.003)
    session.book.close()


def test_a_roll_draws_the_same_part_again_and_none_as_described(folder, tmp_path):
    job = load_job(folder)
    assert job.scene(7) == job.scene(7) != job.scene(8)
    plain = job.scene(0)
    assert all(body.real.shift == (0, 0, 0) for body in plain.body)
    rolled = job.scene(7).body[1].real
    one, other = (job.scene(roll).body[1].solid[0] for roll in (7, 8))
    assert one.real_size != other.real_size
    assert max(abs(w - (b - a)) for w, a, b in zip(one.real_size, one.low, one.high, strict=True)) <= 0.02
    assert 0 < abs(rolled.shift[0]) <= 0.6
    assert 0 < abs(rolled.turn[2]) <= 0.2
    session = open_job(folder, tmp_path / "data", roll=1)
    seat = session.setup.features[2]
    first = session.runner.measure(build_measurement(session.setup, point_at(session.setup, seat))).feature.coordinates
    session.machine.place((-400.0, -220.0, -380.0), {}, 20)
    with pytest.raises(GuardError, match="in the way"):
        session.editor.roll(9)
    session.panel.home()
    session.editor.roll(9)
    assert "seat" in session.rows.missing("G54")
    second = session.runner.measure(build_measurement(session.setup, point_at(session.setup, seat))).feature.coordinates
    assert first != pytest.approx(second, abs=0.01)
    session.book.close()


def test_a_row_of_another_job_counts_as_not_measured(folder, tmp_path):
    first = open_job(folder, tmp_path / "data", roll=1)
    for drawn in first.setup.features:
        first.runner.measure(build_measurement(first.setup, point_at(first.setup, drawn)))
    first.writer.store("G54")
    first.book.close()
    change(folder, "job", ('name = "BC-27"', 'name = "BC-28"'))
    other = open_job(folder, tmp_path / "data", roll=1)
    assert other.rows.state("G54").value == "not measured"
    assert other.machine.offset("G54") == first.machine.offset("G54")
    other.book.close()


def test_every_fault_of_a_file_is_told_with_its_line(folder):
    change(folder, "part", ("diameter = 62.0", "diameter = -62.0"), ('walls = ["RIGHT"]', 'walls = ["EAST"]'))
    change(folder, "fixture", ('kind = "vice"', 'kind = "glue"'), ("top = 60.0", "top = 60.0\ncolour = 1"))
    told = faults(folder)
    assert len(told) == 4
    lines = {word.split(" ")[0] for word in told}
    part = (folder / "part.toml").read_text().splitlines()
    at = 1 + next(n for n, line in enumerate(part) if "EAST" in line)
    assert f"part.toml:{at}" in lines
    assert any(word.startswith("fixture.toml:8 kind") for word in told)

    more = "".join(f'[[feature]]\nname = "f{n}"\nkind = "bore"\nsolid = "plate"\n\n' for n in range(1_000))
    (folder / "part.toml").write_text((folder / "part.toml").read_text() + more)
    began = time.process_time()
    told = [word for word in faults(folder) if word.startswith("part.toml")]
    assert len(told) == 41
    assert re.fullmatch(r"part.toml: \d{4} faults more", told[-1])
    assert time.process_time() - began < 8  # the file was gone through once for each of thousands


def test_a_part_has_no_more_than_is_worked_on_while_somebody_waits(folder):
    hole = "    { at = [20.0, 50.0], diameter = 16.0 },\n"
    change(folder, "part", (hole, hole * 1_000))
    assert "holes: there are more than 1000" in " ".join(faults(folder))


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("diameter = 62.0", 'diameter = "wide"', "holes.2.diameter: it is no figure"),
        ("diameter = 62.0", 'diameter = "62.0"', "holes.2.diameter: it is no figure"),
        ("diameter = 62.0", "diameter = true", "holes.2.diameter: it is no figure"),
        ("place = [80.0, 50.0, 0.0]", 'place = ["80.0", 50.0, 0.0]', "feature.0.place.0: it is no figure"),
        ("balloon = 1\n", 'balloon = "1"\n', "feature.0.balloon: it is no whole number"),
        ("balloon = 1\n", "balloon = true\n", "feature.0.balloon: it is no whole number"),
        ("diameter = 62.0", "diameter = -62.0", "holes.2.diameter: it must be more than 0"),
        ("diameter = 62.0", "diameter = 90000.0", "holes.2.diameter: it must be at most 20000"),
        ("diameter = 62.0", "width = 62.0", "holes.2.width: there is no such key here"),
        ("diameter = 62.0", "width = 62.0", "holes.2.diameter: it is missing"),
        ("balloon = 1\n", "balloon = 1.5\n", "feature.0.balloon: it is no whole number"),
        ('walls = ["RIGHT"]', 'walls = ["EAST"]', "feature.2.walls.0: it must be 'LEFT', 'RIGHT'"),
        ('title = "bearing seat ⌀62 H7"', "title = 5", "feature.0.title: it is no text in quotes"),
        ('title = "bearing seat ⌀62 H7"', f'title = "{"x" * 99}"', "feature.0.title: it is longer than 60 characters"),
        ('walls = ["RIGHT"]', 'walls = "RIGHT"', "feature.2.walls: it is no list"),
        ("place = [80.0, 50.0, 0.0]", "place = [80.0, 50.0]", "feature.0.place.2: it is missing"),
    ],
)
def test_faults_are_told_in_words_of_a_shop(folder, old, new, told):
    change(folder, "part", (old, new))
    text = " ".join(faults(folder))
    assert told in text
    assert not re.search(r"Input|should|valid|instance", text)


BUILT = """
[[feature]]
name = "made"
title = "made of two"
kind = "{}"
solid = "plate"
place = [0.0, 0.0, 0.0]
of = ["seat", "{}"]
"""


@pytest.mark.parametrize(
    ("name", "old", "new", "reason"),
    [
        ("part", 'units = "mm"', "", "units are missing"),
        ("part", 'units = "mm"', 'units = "cm"', "write mm or inch"),
        ("machine", "[probe]", "[probe", r"machine\.toml:[0-9]+: it is no TOML"),
        ("machine", "travel_low = [-800.0, -500.0, -450.0]", "travel_low = [-31.5, -19.7, -17.7]", "in inch"),
        ("machine", 'units = "mm"', 'units = "inch"', "did you mean|travels"),
        ("machine", "home = [0.0", "home = [5.0", "outside its travel"),
        ("machine", 'profile = "skip-macro"', 'profile = "none.toml"', "No such file"),
        ("machine", 'profile = "skip-macro"', 'profile = "../../etc/passwd"', "No such file"),
        ("job", 'part = "part.toml"', 'part = "../part.toml"', "part"),
        ("job", 'part = "part.toml"', 'part = "other.toml"', "No such file"),
        ("job", 'offset = "G54"', 'offset = "G57"', "no \\[\\[offset"),
        ("job", 'feature = "seat"', 'feature = "sea"', "no feature “sea”"),
        (
            "job",
            'x = { feature = "seat", drawing = 80.0 }',
            "r = { angle = 3.0 }\nx = { keep = true }",
            "from features",
        ),
        ("job", 'x = { feature = "seat"', 'x = { fit = ["dowel"], feature = "seat"', "X and Y both"),
        ("job", 'z = { feature = "top"', 'r = { fit = true }\nz = { feature = "top"', "they have none"),
        ("job", 'z = { feature = "top", drawing = 0.0 }', 'z = { parent = "G54" }', "derived from itself"),
        ("job", 'z = { feature = "top", drawing = 0.0 }', 'z = { parent = "G57" }', "no row G57"),
        ("job", 'z = { feature = "top", drawing = 0.0 }', "z = { keep = true, shift = 2.0 }", "goes with a parent"),
        ("part", "spread = 120.0", "", "edge needs spread"),
        ("part", "size = 16.0", "size = 16.0\nspread = 5.0", "has no spread"),
        ("part", 'kind = "edge"', 'kind = "edge"\nheadings = [0.0, 90.0]', "belong to a bore"),
        ("part", "balloon = 5", "balloon = 5\n" + BUILT.format("intersection", "left"), "seat is none of its lines"),
        ("part", "balloon = 5", "balloon = 5\n" + BUILT.format("point between", "no"), "no feature “no” before it"),
        ("job", "clear_height = 130.0", "clear_height = -19800.0", "job.clear_height"),
        ("part", "size = 0.02", "size = 9.0", "smallest round is 16 mm"),
        ("part", 'name = "BC-27"', 'name = "V-3"', "both called"),
        ("part", 'name = "dowel"', 'name = "stop bush"', "give one another name"),
        ("part", "diameter = 16.0 }", "diameter = 16.0, real_diameter = 16.1 }", "a description is nominal"),
        ("part", 'shape = "block"', 'shape = "block"\nreal_size = [80.0, 60.0]', "a description is nominal"),
        ("part", 'shape = "block"', 'shape = "outline"\nreal_size = [80.0, 60.0]', "needs points|real_size is of a"),
        ("part", "tolerance = [0.0, 0.03]", "tolerance = [0.03, 0.0]", "larger to the smaller"),
        ("part", "size = 62.0", "size = nan", "no figure"),
    ],
)
def test_what_cannot_be_is_refused_with_a_reason(folder, name, old, new, reason):
    change(folder, name, (old, new))
    assert any(re.search(reason, word) for word in faults(folder)), faults(folder)


def test_inches_become_millimetres_and_angles_stay(folder):
    data = {"units": "inch", "seat": [1.0, 2.0, -0.5], "turn": [1.0], "solid": [{"top": 2, "name": "a", "on": True}]}
    # One name, two meanings: of an axis how its direction is known, degrees; of a probe how its radii are.
    known = {"rotary": [{"u_direction": 0.0005, "u_centre": 0.1}], "probe": {"u_direction": 0.0005}}
    assert in_millimetres(known, 25.4, NO_LENGTHS) == {
        "rotary": [{"u_direction": 0.0005, "u_centre": pytest.approx(2.54)}],
        "probe": {"u_direction": pytest.approx(0.0127)},
    }
    assert in_millimetres(data, 25.4, NO_LENGTHS) == {
        "units": "inch",
        "seat": [25.4, 50.8, -12.7],
        "turn": [1.0],
        "solid": [{"top": 50.8, "name": "a", "on": True}],
    }
    usual = load_job(folder).job
    text = (folder / "job.toml").read_text().replace('"mm"', '"inch"')
    (folder / "job.toml").write_text(re.sub(r"(?<=[= \[])-?\d+\.\d+", lambda m: f"{float(m[0]) / 25.4:.9f}", text))
    job = load_job(folder).job
    assert job.seat == pytest.approx(usual.seat, abs=1e-6)
    assert job.offset[1].y.drawing == pytest.approx(158.0, abs=1e-6)
    assert job.offset[0].jump_limit == pytest.approx(5.0, abs=1e-6)


PLAN = 'form = "brisk-anchor-plan-1"\nunits = "inch"\nname = "p"\n\n[[measure]]\nfeature = "seat"\ndepth = 0.2\n'


@pytest.mark.parametrize(
    ("read", "text", "key"),
    [
        (parse_profile, shipped_text("skip-macro"), "resolution"),
        (parse_scene, (SCENES / "heron-gl114.toml").read_text(), "effective_radius"),
        (parse_plan, PLAN, "depth"),
        (read_turning, (EXAMPLES / "sleeve" / "turning.toml").read_text(), "chuck_face"),
    ],
)
def test_a_figure_in_quotes_is_none_in_any_file(read, text, key):
    """It would be taken as it is in a file in inches, where the others are multiplied."""
    for new in ('"1.0"', "true"):
        changed = re.sub(rf"(?m)^{key} = .*$", f"{key} = {new}", text, count=1)
        assert changed != text
        with pytest.raises(FindingsError) as caught:
            read(changed, Path("t.toml") if read is read_turning else "t.toml")
        assert any("it is no figure" in str(finding) for finding in caught.value.findings)


def test_whole_numbers_are_never_lengths():
    """In a file in inches everything not named is multiplied: a count that is not named would be too."""
    seen = set()

    def walk(model):
        for name, field in model.model_fields.items():
            kinds = re.findall(r"\w[\w.]*", str(field.annotation))
            assert "int" not in kinds or name in NO_LENGTHS, (model, name)
            for kind in filter(lambda kind: kind.startswith("brisk_anchor"), kinds):
                inner = getattr(sys.modules[kind.rpartition(".")[0]], kind.rpartition(".")[2])
                if inner not in seen:
                    seen.add(inner)
                    walk(inner)

    for model in FILES.values():
        walk(model)
    assert {"ProbeTable", "ToolSection", "RotaryTable", "JobFeature", "SolidSection"} <= {m.__name__ for m in seen}


def test_what_the_probe_would_break_on_is_not_measured_on_the_bench(folder, tmp_path):
    """A clamp that the body meets beside the left edge: `check` told it, and the bench measured all the same."""
    clamp = (
        '[[solid]]\nname = "clamp"\nshape = "block"\nlow = [0.0, 20.0]\nhigh = [15.0, 60.0]\nbottom = 0\ntop = 160\n\n'
    )
    change(folder, "fixture", ("[variation]", f"{clamp}[variation]"))
    session = open_job(folder, tmp_path / "data", roll=0)
    asked = (session.planner.pointed_at(session.setup.drawn(name)) for name in ("left", "seat"))
    left, seat = map(session.planner.measurement_of, asked)
    with pytest.raises(SecondLookError, match="the probe body meets the clamp of V-3 at X−468.1 mm"):
        session.runner.measure(left)
    assert session.machine.motions == []
    assert session.runner.look(seat) == []
    probe = next(line for line in shelf_lines(session, date.today()) if line.table == ("probe",))
    for length in (170.0, 120.0):  # as it was measured: it touches where it did before
        set_figure(session, probe, "length", length)
        asked = map(session.planner.pointed_at, session.setup.features)
        looks = [session.runner.look(session.planner.measurement_of(request)) for request in asked]
        assert [len(found) for found in looks] == [0, 0, 0, 0, 1, 0, 0]
    session.book.close()


def test_a_feature_and_its_solid_that_say_two_things_are_told(folder):
    """The bearing seat's hole typed 0.02 mm off, the dowel's 0.1 mm wider than the bore that is drawn on it."""
    assert not any("otherwise" in words for words in check_job(folder))
    change(folder, "part", ("at = [80.0, 50.0]", "at = [80.02, 50.0]"), ("diameter = 16.0", "diameter = 16.1"))
    told = [words for words in check_job(folder) if "otherwise" in words]
    assert told == [
        "caution: bearing seat ⌀62 H7: its solid is described otherwise, X +0.020 mm",
        "caution: dowel bore ⌀16: its solid is described otherwise, size +0.100 mm",
    ]


def test_a_radius_larger_than_the_ball_is_told_and_no_solid_blamed_for_it(folder):
    change(folder, "machine", ("effective_radius = 2.994", "effective_radius = 3.004"))
    told = [words for words in check_job(folder) if words.startswith("caution")]
    assert told == ["caution: the effective radius is 0.004 mm more than the ball's: a probe signals late, never early"]


def test_why_a_feature_cannot_be_measured_is_no_alarm_of_a_program_that_nobody_sees(folder):
    change(folder, "part", ("place = [80.0, 50.0, 0.0]", "place = [300.0, 50.0, 0.0]"), ("size = 16.0", "size = 15.0"))
    told = [words.split(" cannot be measured: ")[1] for words in check_job(folder) if "cannot" in words]
    assert told == ["the ball meets nothing where it is searched for", "what the ball meets has another size"]


@pytest.mark.parametrize(("file", "key"), [("part", "turn"), ("fixture", "shift")])
def test_how_far_parts_differ_is_no_negative_figure(folder, file, key):
    """It was taken for sound, and ended the program when a part was drawn by it."""
    text = (folder / f"{file}.toml").read_text()
    (folder / f"{file}.toml").write_text(re.sub(rf"(?m)^{key} = .*", f"{key} = [0.0, -0.1, 0.0]", text))
    assert [fault.split(" ", 1)[1] for fault in faults(folder)] == [f"variation.{key}.1: it must be at least 0"]


def test_what_is_out_of_reach_is_said_and_the_zero_moves_to_something_that_is_not(folder, tmp_path):
    change(folder, "job", ("seat = [30.0", "seat = [-350.0"))
    told = "\n".join(check_job(folder))
    assert re.search(r"dowel bore ⌀16 cannot be measured: .* needs X −", told)
    assert "bearing seat ⌀62 H7 cannot" not in told
    session = open_job(folder, tmp_path / "data", roll=0)
    reached = {reach.drawn.name: not reach.reason for reach in reaches(session.scene)}
    assert (reached["seat"], reached["dowel"], reached["left"]) == (True, False, False)
    session.datums.take_datum("G54", "x", "dowel", onto=False)
    with pytest.raises(SecondLookError, match="needs X"):
        session.programs.full_program("G54")
    session.datums.take_datum("G54", "x", "seat", onto=False)
    assert session.programs.full_program("G54").lines
    session.book.close()


def test_stock_by_rule_and_its_faces_are_what_can_be_measured(folder, tmp_path):
    change(
        folder,
        "part",
        ("[variation]", "[stock]\nallowance = [2.0, 3.0, 1.0, 1.0, 0.0, 1.5]\nstep = 5.0\n\n[variation]"),
    )
    change(
        folder, "job", ('x = { feature = "seat", drawing = 80.0 }', 'x = { feature = "stock left", allowance = 2.0 }')
    )
    change(
        folder, "job", ('y = { feature = "seat", drawing = 50.0 }', 'y = { feature = "stock front", allowance = 1.0 }')
    )
    change(folder, "job", ('feature = "top"', 'feature = "stock top"'))
    job = load_job(folder)
    (block,) = job.scene(0).body[1].solid
    # 165 × 102 × 36.5, rounded up to 165 × 105 × 40 about the same middle; the bottom stays.
    assert (block.low, block.high) == ((-2.0, -2.5), (163.0, 102.5))
    assert (block.bottom, block.top) == (-35.0, 5.0)
    session = open_job(folder, tmp_path / "data", roll=4)
    for name in session.rows.missing("G54"):
        drawn = next(f for f in session.setup.features if f.name == name)
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
    chain = session.writer.store("G54")
    truth = session.solver.true_offset("G54")
    assert [chain.values[a] for a in "xyz"] == pytest.approx([truth[a] for a in "xyz"], abs=0.008)
    session.book.close()


def test_the_demo_has_one_part_only(quiet):
    with pytest.raises(PlanError, match="one part only"):
        quiet.editor.roll(1)


def test_lines_of_places():
    text = 'a = 1\n[b]\nc = 2\n[[d]]\ne = 3\n[[d]]\n"e" = 4\nf.g = 5\n'
    found = {("a",): 1, ("b", "c"): 3, ("b", "x"): 2, ("d", 0, "e"): 5, ("d", 1, "e", 0): 7, ("d", 1, "f", "g"): 8}
    places = found | {("z",): None}
    assert {place: line_of(text, place) for place in places} == places


def test_files_of_windows_are_read_and_keep_the_ends_of_their_lines(folder):
    for path in folder.glob("*.toml"):
        path.write_bytes(b"\xef\xbb\xbf" + path.read_bytes().replace(b"\n", b"\r\n"))
    editor = JobEditor(folder)
    editor.make(editor.drawn("bore 8, 20, 10"))
    editor.make(editor.turned(2.0))
    for path in folder.glob("*.toml"):
        assert path.read_bytes().count(b"\n") == path.read_bytes().count(b"\r\n") > 20, path
    assert load_job(folder).job.seat_turn == 2.0
    own = folder / "own.toml"
    own.write_text(shipped_text("skip-macro"), "utf-8-sig")
    assert load_profile(own).name == "skip-macro"
    own.write_text((SCENES / "heron-gl114.toml").read_text(), "utf-8-sig")
    assert load_scene(str(own)).machine.name == "Heron"


def test_folders_that_are_none(tmp_path):
    for path in (tmp_path, tmp_path / "none"):
        with pytest.raises(BriskAnchorError, match="No such file"):
            load_job(path)


def test_a_zero_moves_off_what_cannot_be_reached_with_its_distance_kept(folder, tmp_path):
    session = open_job(folder, tmp_path / "data", roll=2)
    for drawn in session.setup.features:
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
    before = session.writer.store("G54").values
    comments = (folder / "job.toml").read_text().count("#")
    assert session.datums.take_datum("G54", "x", "dowel", onto=False)
    assert session.rows.state("G54").value == "stale"
    chain = session.writer.store("G54")
    # The drawing says the dowel lies 20 mm from the zero; the plate is turned a little, so the zero hardly moves.
    assert session.setup.row("G54").rules["x"].drawing == 20.0
    assert chain.values["x"] == pytest.approx(before["x"], abs=0.05)
    assert session.datums.take_datum("G54", "y", "seat", onto=True)
    assert session.writer.store("G54").values["y"] == pytest.approx(before["y"] + 50.0, abs=0.01)
    with pytest.raises(DatumError, match="locates Z"):
        session.datums.take_datum("G54", "x", "top", onto=True)
    session.book.close()
    again = load_job(folder)
    assert again.job.offset[0].x.feature == "dowel"
    assert again.job.offset[0].y.drawing == 0.0
    text = (folder / "job.toml").read_text()
    assert text.count("#") == comments
    (folder / "job.toml").write_text(text.replace('x = { feature = "dowel"', '"x" = { feature = "dowel"'))
    quoted = JobEditor(folder).ruled("G54", {"x": FromFeature("seat", 1.0)})
    assert '"x" = { feature = "seat", drawing = 1.000000 }' in quoted.texts["job.toml"]
    with pytest.raises(JobError, match="G58 has no line"):
        JobEditor(folder).ruled("G58", {"x": FromFeature("seat", 1.0)})


def test_what_can_be_reached_and_what_a_feature_locates(quiet):
    found = {reach.drawn.name: (reach.reason, axes_of(reach.drawn)) for reach in reaches(quiet.scene)}
    assert found["bore"] == ("", "xy")
    assert found["top"] == ("", "z")
    assert quiet.datums.take_datum("G54", "x", "boss", onto=False) is False
    assert quiet.rows.expected("G54")["x"] == pytest.approx(-470.0)
    assert quiet.setup.row("G54").rules["x"].drawing == pytest.approx(104.0)


AWKWARD = (
    """# of the file
units = "mm"   # inside

# of the solid
[[solid]]
name = "plate"
points = [
  [0, 0],   # a corner
  ["a"],
]
# inside the plate

# of the bore
[[feature]]
name = 'bore'
note = """
    + '"""'
    + """
[[feature]]
name = "no section"
"""
    + '"""'
    + """
size = 12.0 # about
[[solid]]
name = "ball"
[[feature]]
name = "ball"
"""
)


def test_a_file_is_cut_into_its_sections_whatever_stands_in_its_values():
    found = sections(AWKWARD)
    assert "".join(section.text for section in found) == AWKWARD
    assert [section.name for section in found] == [(), ("solid",), ("feature",), ("solid",), ("feature",)]
    changed = with_key(AWKWARD, "part.toml", "size", "13.0", "name", table=("feature", 0))
    assert changed == AWKWARD.replace("size = 12.0 # about", "size = 13.0 # about")
    added = with_key(AWKWARD, "part.toml", "radius", "4.5", "name", table=("solid", 1))
    assert added == AWKWARD.replace('name = "ball"\n[[feature]]', 'name = "ball"\nradius = 4.5\n[[feature]]')
    gone = without_table(AWKWARD, "part.toml", "feature", "bore")
    assert [words in gone for words in ("# of the bore", "no section", "# inside the plate")] == [False, False, True]
    with pytest.raises(JobError, match="no line"):
        with_key(AWKWARD, "part.toml", "radius", "4.5", "diameter", table=("solid", 1))


def test_a_line_that_is_typed_reads_the_part_once_not_with_every_character(folder, monkeypatch):
    read: list[str] = []
    real = job_editor.parse
    monkeypatch.setattr(job_editor, "parse", lambda text, name: read.append(name) or real(text, name))
    change(folder, "part", ('name = "BC-27"', 'name = "BC-28"'))  # no other test has read this text
    editor = JobEditor(folder)
    for figures in ("2", "20", "20.5"):
        assert "⌀" in editor.drawn(f"bore {figures}, 30, 20").told
    assert read == ["part.toml"]
