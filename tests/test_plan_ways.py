"""Every feature and every way of going between its walls, in both languages: the right row, nothing met on the way."""

from __future__ import annotations

import math

import pytest

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.features.probe_path import between
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.programs.plan import plan_steps
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.programs.steps import Guarded, KeepResult, Rapid, Release, TiltedPlane, TouchStep
from brisk_anchor.services.job.jobs import load_job, new_job
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import nc_plan, planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene, real_frame
from brisk_anchor.standin.scene_file import RealBodySection
from tests.sample_part import feature, part_file

PART = part_file(
    "QB-4",
    (
        feature("left", "surface", (0, 40, 0), 'walls = ["RIGHT"]\ndepth = 6.0'),
        feature("front", "edge", (60, 0, 0), 'walls = ["UP"]\nspread = 80.0\ndepth = 6.0'),
        feature("side", "edge", (0, 45, 0), 'walls = ["RIGHT"]\nspread = 50.0\ndepth = 6.0'),
        feature("pocket", "pocket", (40, 40, 0), "size = 60.0\nsize_y = 40.0\nsize_limit = 0.5\ndepth = 10.0"),
        feature("slot", "slot", (96, 50, 0), 'walls = ["LEFT", "RIGHT"]\nsize = 12.0\ndepth = 8.0'),
        feature("island", "block", (133, 41, 20), "size = 34.0\nsize_y = 22.0\ndepth = 8.0", "island"),
        feature("rib", "web", (133, 41, 20), 'walls = ["DOWN", "UP"]\nsize = 22.0\ndepth = 8.0', "island"),
        feature("outer", "outside corner", (0, 0, 0), 'walls = ["LEFT", "DOWN"]\ndepth = 8.0'),
        feature("inner", "inside corner", (70, 60, 0), 'walls = ["RIGHT", "UP"]\ndepth = 9.0'),
        feature("bore", "bore", (130, 75, 0), "size = 30.0\nsize_limit = 0.5\ndepth = 9.0"),
        feature("deep", "tilted bore", (130, 75, 0), "size = 30.0\nsize_limit = 0.5\ndepth = 7.0\nsecond_depth = 16.0"),
        feature("top", "plane", (80, 75, 0), 'walls = ["BELOW"]\nspread = 14.0'),
        feature("ball", "ball", (35, 82, 12), "size = 20.0", "ball"),
    ),
)


@pytest.fixture(scope="module")
def scene(tmp_path_factory):
    folder = tmp_path_factory.mktemp("ways")
    new_job(folder)
    (folder / "part.toml").write_text(PART)
    job = (folder / "job.toml").read_text()
    head, _, rest = job.partition("[[offset]]")
    kept = "".join(f"{axis} = {{ keep = true }}\n" for axis in "xyz")
    row = f'[[offset]]\nrow = "G54"\ntitle = "a"\njump_limit = 8.0\n{kept}'
    (folder / "job.toml").write_text(f"{head}{row}[[operation]]{rest.partition('[[operation]]')[2]}")
    file = load_job(folder).scene(0)
    part = next(body for body in file.body if body.name == "QB-4")
    real = RealBodySection(shift=(0.6, -0.4, 0.1), turn=(0.0, 0.0, 0.0))
    bodies = [body.model_copy(update={"real": real}) if body is part else body for body in file.body]
    return build_scene(file.model_copy(update={"body": bodies, "setter": None}))


@pytest.fixture(scope="module", params=["skip-macro", "probe-params"])
def session(request, scene):
    return Session(scene, None, shipped_profile(request.param), seed=None)


def plan(*measure, **more):
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "ways", "measure": list(measure), **more}
    return PlanFile.model_validate(data)


def ran(session, made):
    ready = planned(session, made)
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    scene = prover.scene(0)
    run = prover.run(scene, 0, noisy=False)
    run.to_end()
    return ready, prover._ending(0, scene, run), run


WAYS = {
    "left": [{}],
    "front": [{}, {"sets": {"row": "G55", "y": 0}}],
    "pocket": [{}, {"spread": 20.0}, {"over_the_top": True}, {"spread": 12.0, "over_the_top": True}, {"repeats": 2}],
    "slot": [{}, {"spread": 30.0}],
    "island": [{}, {"over_the_top": False}, {"spread": 10.0}, {"spread": 10.0, "over_the_top": False}],
    "rib": [{}, {"spread": 20.0}],
    "outer": [{}, {"spread": 15.0}],
    "inner": [{}, {"spread": 15.0}],
    "bore": [{}, {"headings": [10, 110, 250]}, {"headings": [-20, 75]}, {"over_the_top": True}, {"touch_feed": 30.0}],
    "deep": [{}],
    "ball": [{}, {"repeats": 3}],
}
TELLS = {"left": "x", "front": "y", "slot": "x", "rib": "y"}


@pytest.mark.parametrize(
    ("name", "way"), [(name, way) for name, ways in WAYS.items() for way in ways], ids=lambda v: str(v)[:40]
)
def test_each_way_gives_the_row_its_true_place(session, scene, name, way):
    place = scene.setup.drawn(name).drawing
    axes = TELLS.get(name, "xyz" if name == "ball" else "xy")
    sets = {"row": "G55", **{axis: place["xyz".index(axis)] for axis in axes}}
    ready, ending, run = ran(session, plan({"feature": name, "sets": sets} | way))
    assert (ending.how, ending.words) == ("right", "")
    assert ending.error < 0.0005
    # The zero of the drawing really lies 0.6, −0.4 and 0.1 beside −450, −270, −505.
    held = dict(zip("xyz", run.machine.offset("G55"), strict=True))
    for axis, true in zip("xyz", (-449.4, -270.4, -504.9), strict=True):
        if axis in axes:
            assert held[axis] == pytest.approx(true, abs=0.0006)
    assert len([m for m in run.machine.motions if m.contact]) == 2 * ready.touch_count


@pytest.mark.parametrize(
    ("name", "way"), [(name, way) for name, ways in WAYS.items() for way in ways[:4]], ids=lambda v: str(v)[:40]
)
def test_the_second_look_goes_along_the_ways_of_the_program(scene, name, way):
    """Where everything lies as it is drawn the moves from wall to wall are those that were looked at."""
    drawn = Session(scene.as_described(), None, shipped_profile("skip-macro"), seed=None)
    ready, ending, run = ran(drawn, plan({"feature": name} | way))
    assert ending.how == "right"
    moves = [(*motion.start, *motion.end) for motion in run.machine.motions]
    for start, end in between(ready.measurements[0]):
        assert any(math.dist((*start, *end), move) < 0.05 for move in moves), (start, end)


def test_of_two_turned_rows_each_is_reported_as_it_was_stored(session):
    """Reports of a control that prints nothing are read from its variables when the program is through."""
    made = plan(
        {"feature": "left", "sets": {"row": "G55", "x": 0}},
        {"feature": "front", "sets": {"row": "G55", "y": 0, "r": 0}},
        {"feature": "side", "sets": {"row": "G56", "x": -20, "r": 0}},
        {"feature": "outer", "sets": {"row": "G56", "y": -30}},
    )
    ready = planned(session, made)
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    run = prover.run(prover.scene(0), 0, noisy=False)
    run.to_end()
    report = parse_reports(run.printed)
    for row, x, y in (("G55", 0.0, 0.0), ("G56", -20.0, -30.0)):
        held = dict(zip("XYZ", run.machine.offset(row), strict=True))
        said = {axis: value for axis, value in report.stored[row].items() if axis != "R"}
        assert said == pytest.approx({axis: held[axis] for axis in said}, abs=1e-3)
        assert held["X"] == pytest.approx(-449.4 - x, abs=0.1)
        assert held["Y"] == pytest.approx(-270.4 - y, abs=0.1)


def test_a_low_hop_over_a_boss_and_none_above_the_clear_height(session):
    """Between walls it goes as high as the feature may stand and a millimetre, not up to where it came from."""
    ready = planned(session, plan({"feature": "island"}))
    steps = plan_steps(nc_plan(session, ready))
    m = ready.measurements[0]
    guarded = [step for step in steps if isinstance(step, Guarded)]
    hops = [step.z.value - (m.start[2] - m.drop) for step in guarded if step.why == "up over it"]
    assert hops == pytest.approx([8.0 + 2.0 + 1.0] * 3)
    assert guarded[0].why == "down beside the -X side"
    highest = max(step.z for step in steps if isinstance(step, Rapid) and step.z is not None)
    assert highest == session.setup.machine.home[2]


def test_going_across_is_at_the_higher_of_two_clear_heights(session):
    low, high = session.setup.clear_height, session.setup.clear_height + 20
    made = plan({"feature": "bore"}, {"feature": "left", "clear": high}, {"feature": "slot"})
    steps = plan_steps(nc_plan(session, planned(session, made)))
    level, crossings = 0.0, []
    for step in steps:
        if isinstance(step, Rapid):
            level = step.z if step.z is not None else level
            if step.x is not None:
                crossings.append(level - 150.0)
    assert crossings == [-150.0, high, high]
    assert low < high


@pytest.mark.parametrize(
    ("way", "reason"),
    [
        ({"feature": "slot", "over_the_top": True}, "too narrow"),
        ({"feature": "rib", "over_the_top": False}, "cannot be gone round"),
        ({"feature": "left", "over_the_top": True}, "no walls to go between"),
        ({"feature": "bore", "headings": [0, 5]}, "within 5"),
        ({"feature": "bore", "hop": 12.0}, "does not go up and over"),
        ({"feature": "island", "hop": 9.0}, "makes no sense"),
        ({"feature": "island", "hop": 17.0}, "makes no sense"),
        ({"feature": "pocket", "size": 4.0}, "hardly goes into"),
        ({"feature": "left", "clear": -520.0}, "clear height lies below the start"),
        ({"name": "x", "walls": ["LEFT", "RIGHT"], "at": [0, 0, 0]}, "not known"),
        ({"name": "x", "walls": ["LEFT", "RIGHT", "UP"], "at": [0, 0, 0]}, "three walls"),
    ],
)
def test_ways_that_cannot_be_gone_say_why(session, way, reason):
    with pytest.raises(BriskAnchorError, match=reason):
        planned(session, plan(way))


def test_a_standoff_less_than_the_uncertainty_is_told_and_stops_safely(session):
    ready, ending, _ = ran(session, plan({"feature": "front", "standoff": 0.2}))
    stated = [(figure.name, figure.value) for figure in ready.steps[0].figures if figure.stated]
    assert stated == [("standoff", 0.2)]
    near = [look.found for look in ready.all_looks]
    assert any("0.20 mm from the plate" in found for found in near)
    assert (ending.how, "UNEXPECTED CONTACT" in ending.words) == ("stopped", True)  # the part lies 0.4 mm nearer


def test_no_rapid_ends_where_a_part_that_lies_off_could_be(session):
    for clear, off in ((-520.0, math.hypot(6, 3) - 3), (-512.0, None), (-500.0, None)):  # the ball over a rim of ⌀12
        ready = planned(session, plan({"feature": "stop bush", "clear": clear}))
        told = [look.found for look in ready.all_looks if look.stops]
        near = f"comes within {off:.2f} mm of the fixed jaw of V-3 with the ball" if off else ""
        assert told == ([f"The rapid down to bush ⌀12 in the fixed jaw {near}"] if near else [])
    far = {"name": "far", "walls": ["BELOW"], "at": [-293.0, -229.0, -497.0], "standoff": 8.0}
    for clear, met in (
        (-481.0, True),
        (-477.0, False),
    ):  # 4 and 8 over the island, which could stand 6 higher; the real probe is 0.006 longer
        ready = planned(session, plan({"feature": "pocket", "clear": clear}, far | {"clear": clear}))
        told = [look.found for look in ready.all_looks if look.stops]
        assert told == (
            ["The rapid from pocket to far comes within 3.99 mm of the island of QB-4 with the ball"] if met else []
        )


def test_a_tilted_plane_gives_its_three_angles_and_how_they_are_called(scene):
    session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
    ready, ending, run = ran(session, plan({"feature": "top", "keep": ["I #620", "J #621", "K #622"]}))
    assert ending.how == "right"
    steps = plan_steps(nc_plan(session, ready))
    assert [step.variables for step in steps if isinstance(step, TiltedPlane)] == [(620, 621, 622)]
    assert len([step for step in steps if isinstance(step, KeepResult)]) == 3
    assert "A PROGRAM LIES IN THAT PLANE BY G68.2" in program_of(session, ready).text
    assert [run.interpreter.common[n] for n in (620, 621, 622)] == pytest.approx([0.0, 0.0, 0.0], abs=0.01)
    # On a part that leans the plane's Z, turned by I about Z and then by J about X, is the part's own.
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    leaning = prover.scene(3)
    run = prover.run(leaning, 3, noisy=False)
    run.to_end()
    i, j, k = (math.radians(run.interpreter.common[n]) for n in (620, 621, 622))
    part = next(body for body in leaning.file.body if body.name == "QB-4")
    found = math.sin(i) * math.sin(j), -math.cos(i) * math.sin(j), math.cos(j)
    assert found == pytest.approx(real_frame(part).rotation[:, 2], abs=2e-5)
    assert abs(j) > 1e-4
    assert i + k == pytest.approx(0.0, abs=1e-6)


def test_what_nobody_needs_later_gives_its_variables_free(session):
    """Twelve features, one row: only what the row depends on is held to the end."""
    names = list(WAYS)
    made = plan(*({"feature": name} for name in names), {"feature": "top"})
    steps = plan_steps(nc_plan(session, planned(session, made)))
    held: set[str] = set()
    most = 0
    for step in steps:
        if isinstance(step, TouchStep):
            held |= set(step.names)
        elif hasattr(step, "name"):
            held.add(step.name)
        elif isinstance(step, Release):
            held -= set(step.names)
        most = max(most, len(held))
    assert most < 60
    assert held == set()
    program_of(session, planned(session, made))
