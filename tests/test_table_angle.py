"""A part that lies askew on a rotary table: the table turns it straight, and the row holds without an angle."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.offsets.chain import solve_offset
from brisk_anchor.core.offsets.rules import FromTable
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.job.jobs import load_job, new_job
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import RealBodySection

from .sample_part import feature, offset, part_file

TURN = 0.9
CENTRE = (-390.0, -230.0, -600.0)
PART = part_file(
    "QB-3",
    (
        feature("front", "edge", (60, 0, 0), 'walls = ["UP"]\nspread = 80.0\ndepth = 6.0'),
        feature("cut", "bore", (130, 75, 0), "size = 30.0\nsize_limit = 0.5\ndepth = 9.0"),
        feature("top", "surface", (80, 75, 0), 'walls = ["BELOW"]'),
        feature("ball", "ball", (35, 82, 12), "size = 20.0", "ball"),
    ),
)
CUT = {"x": 'feature = "cut", drawing = 130.0', "y": 'feature = "cut", drawing = 75.0', "z": 'feature = "top"'}
LINE = offset("G54", **CUT, r='feature = "ball", other = "cut", table = "C"')
FIT = offset(
    "G54",
    x='feature = "cut", fit = ["ball"], drawing = 130.0',
    y='feature = "cut", fit = ["ball"], drawing = 75.0',
    z='feature = "top"',
    r='fit = true, table = "C"',
)
ROW = offset(
    "G54",
    x='feature = "cut", drawing = 130.0',
    y='feature = "cut", drawing = 75.0',
    z='feature = "top"',
    r='feature = "front", table = "C"',
)


def set_up(folder, profile, sense, row=None, letter="C", direction=(0, 0, 1)):
    new_job(folder)
    (folder / "part.toml").write_text(PART)
    axis = (
        f'letter = "{letter}"',
        f"direction = {list(direction)}",
        f"centre = {list(CENTRE)}",
        f"sense = {sense}",
        "angle_rapid = 3600",
    )
    machine = (folder / "machine.toml").read_text().split("[setter]")[0]
    machine = machine.replace('kind = "vertical mill"', 'kind = "mill with rotary table"')
    (folder / "machine.toml").write_text("\n".join([machine, "[[rotary]]", *axis, ""]))
    fixture = (folder / "fixture.toml").read_text()
    (folder / "fixture.toml").write_text(fixture.replace("\nat = ", '\non = "rotary table"\nat = ', 1))
    job = (folder / "job.toml").read_text()
    head, _, rest = job.partition("[[offset]]")
    (folder / "job.toml").write_text(
        head + (row or ROW) + "[[operation]]" + rest.partition("[[operation]]")[2].replace("G55", "G54")
    )
    file = load_job(folder).scene(0)
    real = RealBodySection(shift=(0.4, -0.3, 0.05), turn=(0.0, 0.0, TURN))
    part = next(body for body in file.body if body.name == "QB-3")
    truth = Frame.from_angles(np.array(part.at) + np.array(real.shift), c=TURN + part.turn)
    bodies = [body.model_copy(update={"real": real}) if body is part else body for body in file.body]
    return Session(
        build_scene(file.model_copy(update={"body": bodies})), None, shipped_profile(profile), seed=None
    ), truth


@pytest.mark.parametrize(
    ("profile", "sense", "row"),
    [
        ("skip-macro", 1, ROW),
        ("skip-macro", -1, LINE),
        ("skip-macro", -1, FIT),
        ("probe-params", -1, ROW),
        ("probe-params", 1, LINE),
        ("probe-params", 1, FIT),
    ],
)
def test_the_table_turns_the_part_straight_and_the_row_holds_without_an_angle(tmp_path, profile, sense, row):
    session, truth = set_up(tmp_path / "job", profile, sense, row)
    for name in session.rows.missing("G54"):
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name))))
    chain = session.writer.store("G54")
    assert chain.table == ("C", pytest.approx(-sense * TURN, abs=1e-4))
    assert session.machine.angles["C"] == pytest.approx(-sense * TURN, abs=2e-4)
    carried = RotaryAxis("C", (0.0, 0.0, 1.0), CENTRE, sense, None, None, 1.0).frame(-sense * TURN)
    zero = carried.point(truth.point((0.0, 0.0, 0.0)))
    held = session.link.table_values("G54")
    assert (held["x"], held["y"], held["z"], held["r"]) == pytest.approx((*zero, 0.0), abs=6e-4)
    assert chain.axis("r").value == 0.0
    assert chain.axis("r").u > 0
    assert not session.measured
    assert session.rows.state("G54").value == "stored"
    # The written program measures the part where it lies now, straight, and turns the table by what is left: nothing.
    proof = session.prover.prove("G54")
    assert proof.holds
    assert proof.worst < 2e-3  # the probe of the twin errs as a real one does


def stored(folder, row=None):
    """A job with files whose G54 is measured and stored."""
    set_up(folder / "job", "skip-macro", 1, row)
    session = open_job(folder / "job", folder / "data", roll=0)
    for name in session.rows.missing("G54"):
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name))))
    session.writer.store("G54")
    return session


def test_another_centre_of_the_table_puts_the_row_out_of_date(tmp_path):
    session = stored(tmp_path)
    change = session.editor.changing().rotary_figures(0, centre=(-390.5, -230.0, -600.0), u_centre=0.01)
    session.editor.change(change)
    assert session.rows.state("G54").value == "stale"
    session.book.close()


@pytest.mark.parametrize(
    ("file", "before", "after", "state"),
    [
        ("part.toml", "place = [130, 75, 0]", "place = [131, 75, 0]", "stale"),
        ("part.toml", "size = 30.0", "size = 30.5", "stored"),
        ("part.toml", "depth = 9.0", "depth = 8.0", "stored"),
        ("job.toml", "[[offset]]", '[temperature]\npart = 32.0\nmaterial = "bronze"\n\n[[offset]]', "stale"),
        ("job.toml", "drawing = 130.0", "drawing = 131.0", "stale"),
    ],
)
def test_what_a_value_follows_from_puts_it_out_of_date_and_nothing_else_does(tmp_path, file, before, after, state):
    session = stored(tmp_path, offset("G54", **CUT))
    text = (tmp_path / "job" / file).read_text()
    assert before in text
    session.editor.change(session.editor.changing().rewritten({file: text.replace(before, after, 1)}, "changed"))
    assert session.rows.state("G54").value == state
    session.book.close()


def test_files_that_are_changed_while_nothing_is_open_put_out_of_date_what_counted_with_them(tmp_path):
    session = stored(tmp_path, offset("G54", **CUT))
    session.close()
    job, (kept,) = tmp_path / "job" / "job.toml", (tmp_path / "data").glob("*.rows.json")
    text, noted = job.read_text(), kept.read_text()
    changed = text.replace("drawing = 130.0", "drawing = 131.0")
    (name,) = json.loads(noted)
    for told in ([], {name: 3}, {name: {"G54": [1]}}, "{", {name: {"G54": ["2026", "x"]}}):
        broken = told if isinstance(told, str) else json.dumps(told)
        kept.write_text(broken)  # it tells nothing then
        job.write_text(changed)
        session = open_job(tmp_path / "job", tmp_path / "data", roll=0)
        assert session.rows.state("G54").value == "stored", broken
        session.close()
    kept.write_text(noted)
    for now, state, note in (
        (text.replace("jump_limit", "# its limit\njump_limit"), "stored", "set by"),
        (changed, "stale", "the job's files were changed since"),
        (text, "stale", "the job's files were changed since"),
    ):
        job.write_text(now)
        session = open_job(tmp_path / "job", tmp_path / "data", roll=0)
        assert session.rows.state("G54").value == state
        assert note in session.ledger.history("G54")[-1].note
        session.close()


def test_the_whole_program_turns_the_table_itself(tmp_path):
    session, truth = set_up(tmp_path / "job", "skip-macro", -1)
    program = session.programs.full_program("G54")
    assert any(line.startswith("G91 G0 C") for line in program.text.splitlines())
    run = session.runner.start(program)
    run.to_end()
    assert run.failure() is None
    assert session.machine.angles["C"] == pytest.approx(TURN, abs=2e-4)
    carried = RotaryAxis("C", (0.0, 0.0, 1.0), CENTRE, -1, None, None, 1.0).frame(TURN)
    assert session.machine.offset("G54") == pytest.approx(carried.point(truth.point((0, 0, 0))), abs=6e-4)


def test_a_zero_carried_round_where_lengths_count_from_a_master():
    """The same zero both ways: the master's length stands on top of the place, and no table turns it."""
    rule = FromTable("G54", "B", 90.0, (0.0, 1.0, 0.0), (-400.0, 0.0, -550.0), -1)
    zero = {"x": -450.0, "y": -270.0, "z": -505.0}
    found = []
    for master in (0.0, 100.0):
        parents = {"G54": {a: Estimate(v + master * (a == "z")) for a, v in zero.items()}}
        rules = dict.fromkeys("xyz", replace(rule, master=master))
        values = solve_offset("G55", rules, {}, {}, parents).values
        found.append((values["x"], values["y"], values["z"] - master))
    assert found[0] == pytest.approx(found[1])
    assert found[0] == pytest.approx((-445.0, -270.0, -600.0))


def test_a_table_that_is_not_there_or_lies_down_is_told(tmp_path):
    set_up(tmp_path / "job", "skip-macro", 1)
    job = tmp_path / "job" / "job.toml"
    job.write_text(job.read_text().replace('table = "C"', 'table = "B"'))
    with pytest.raises(BriskAnchorError, match="no table B about Z"):
        load_job(tmp_path / "job")


def test_the_set_up_gives_the_angle_to_the_table_and_takes_it_back(tmp_path):
    set_up(tmp_path / "job", "skip-macro", 1)
    session = open_job(tmp_path / "job", tmp_path / "data", roll=0)
    assert session.datums.take_table("G54") == ""
    assert load_job(tmp_path / "job").job.offset[0].r.table is None
    assert session.datums.take_table("G54") == "C"
    session.datums.take_turn("G54", "front")
    assert load_job(tmp_path / "job").job.offset[0].r.table == "C"
    session.datums.take_turn("G54", None)
    with pytest.raises(BriskAnchorError, match="no measured angle"):
        session.datums.take_table("G54")
    session.book.close()
