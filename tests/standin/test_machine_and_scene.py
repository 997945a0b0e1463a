"""The machine's alarms and the scene's truth; and scene files that are refused."""

from __future__ import annotations

from dataclasses import replace
from importlib import resources

import numpy as np
import pytest

from brisk_anchor.core.errors import CrashError, PlanError, SceneError, TravelError
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.profile.profile_proof import sample_scene
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene, parse_scene
from brisk_anchor.standin.solid_file import RealSolidSection

TEXT = (resources.files("brisk_anchor.standin") / "scenes" / "heron-gl114.toml").read_text()
IN_BORE = (-434.0, -250.0, -365.0)


@pytest.fixture
def machine(scene):
    return scene.stand_in(seed=None, position=IN_BORE)


def test_travel_alarm_names_axis_and_amount_and_nothing_moves(machine):
    with pytest.raises(TravelError, match=r"X would have to go to \+12\.500 mm, 12\.500 mm past"):
        machine.rapid((12.5, -250.0, 0.0), 1)
    assert machine.position == IN_BORE


@pytest.mark.parametrize("move", ["rapid", "feed"])
def test_unguarded_contact_is_a_crash_with_line_and_place(machine, move):
    target = (-400.0, -250.0, -365.0)
    with pytest.raises(CrashError, match=r"ball met the (hub|lever) of GL-114 at X.* in line 7") as caught:
        machine.rapid(target, 7) if move == "rapid" else machine.feed(target, 500.0, 7)
    assert caught.value.exit_code == 5
    assert machine.position[0] == pytest.approx(-417.087, abs=0.01)


def test_stem_in_a_guarded_move_is_a_crash(scene):
    machine = scene.stand_in(seed=None, position=(-434.0, -250.0, -393.0))
    with pytest.raises(CrashError, match="stylus stem|ball"):
        machine.feed((-400.0, -250.0, -393.0), 500.0, 3)


def test_skip_latches_late_by_the_pre_travel_and_stops_later(machine, scene):
    result = machine.skip((-415.0, -250.0, -365.0), 800.0, 1)
    assert result.contact
    bore_x = scene.true_value("bore", "x", (*IN_BORE[:2], IN_BORE[2] - 150))
    half = np.sqrt((38.0124 / 2 - 3) ** 2 - 0.52**2)
    assert result.latched[0] == pytest.approx(bore_x + half + 0.006, abs=2e-4)
    assert machine.position[0] > result.latched[0]
    assert machine.motions[-1].contact is not None


def test_skip_that_meets_nothing_ends_where_it_was_sent(machine):
    result = machine.skip((-430.0, -250.0, -365.0), 800.0, 1)
    assert not result.contact
    assert machine.position == (-430.0, -250.0, -365.0)


def test_a_touch_too_fast_breaks_the_stylus(machine):
    with pytest.raises(CrashError, match="too fast to stop"):
        machine.skip((-400.0, -250.0, -365.0), 12000.0, 1)


def test_noise_has_the_stated_size_and_the_twin_changes_nothing(scene):
    machine = scene.stand_in(seed=5, position=IN_BORE)
    found = []
    for _ in range(300):
        twin = machine.twin(seed=len(found))
        found.append(twin.skip((-415.0, -250.0, -365.0), 60.0, 1).latched[0])
    assert np.std(found) == pytest.approx(0.0005, rel=0.15)
    assert machine.position == IN_BORE
    assert not machine.motions


def test_what_the_job_knows_has_no_errors_of_real_life(scene):
    clean = build_scene(parse_scene(TEXT.replace("shift = [1.1326, -0.7418, 0.0]", "shift = [9.0, 9.0, 9.0]"), "x"))
    assert clean.setup == scene.setup
    assert clean.true_value("bore", "x", (0, 0, -515)) != pytest.approx(scene.true_value("bore", "x", (0, 0, -515)))


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ('units = "mm"', "", "units are missing"),
        ('units = "mm"', 'units = "inch"', "units are “inch”"),
        ("[job]", "[job", "TOML"),
        ("ball_diameter = 6.0", "ball_diameter = 6000.0", "no probe ball"),
        ("ball_diameter = 6.0", "ball_diameter = nan", "it is no figure"),
        ("travel_low = [-800.0", "travel_low = [800.0", "low and high are exchanged"),
        ("home = [0.0, 0.0, 0.0]", "home = [5.0, 0.0, 0.0]", "home or position of X"),
        ('shape = "lever"', 'shape = "block"', "a block needs low, high"),
        ("bottom = -40.5\ntop = -18.5", "bottom = -18.5\ntop = -40.5", "does not lie below"),
        ('solid = "hub"', 'solid = "hob"', "no solid “hob”"),
        ('feature = "top"', 'feature = "tip"', "no feature “tip”"),
        ("drawing = 0.0, allowance = -1.5", "fixed = 3.0", "exactly one"),
        ("slope = [0.004, -0.006]", "slope = [0.4, -0.006]", "too steep"),
        ('row = "G55"', 'row = "G54"', "named twice"),
        ("size = 38.0\n", "", "a bore needs its size"),
        ('name = "Heron"', 'name = "Heron"\ncolour = "red"', "machine.colour"),
        ("noise = 0.0005", "noise = 5", "probe.real.noise"),
    ],
)
def test_broken_scenes_tell_where_and_why(old, new, reason):
    assert old in TEXT
    with pytest.raises(SceneError, match=reason):
        parse_scene(TEXT.replace(old, new, 1), "test")


def test_all_faults_are_listed_at_once(tmp_path):
    text = TEXT.replace("rapid = 18000.0", "rapid = -1").replace("clear_height = -470.0", 'clear_height = "high"')
    with pytest.raises(SceneError) as caught:
        parse_scene(text, "test")
    assert {finding.place for finding in caught.value.findings} == {"machine.rapid", "job.clear_height"}
    with pytest.raises(SceneError, match="heron-gl114"):
        load_scene(str(tmp_path / "none.toml"))
    (tmp_path / "binary.toml").write_bytes(b"\xff\x00\xfe")
    with pytest.raises(SceneError, match="no text in UTF-8"):
        load_scene(str(tmp_path / "binary.toml"))


def test_slots_pockets_and_blocks_are_measured_as_wide_as_they_really_are():
    """Real sizes about the same middle: what is drawn stays, what the ball meets does not."""
    file = sample_scene().file
    plate, boss, island, *rest = file.body[1].solid
    pocket, slot = plate.slots
    slots = [
        pocket.model_copy(update={"real_size": (50.12, 39.9)}),
        slot.model_copy(update={"real_size": (14.05, 50.0)}),
    ]
    solids = [
        plate.model_copy(update={"slots": slots}),
        boss,
        island.model_copy(update={"real_size": (39.93, 30.06)}),
        *rest,
    ]
    body = file.body[1].model_copy(update={"solid": solids})
    scene = build_scene(file.model_copy(update={"body": [file.body[0], body]}))
    session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
    for name, sizes in (("pocket", (50.12, 39.9)), ("slot", (14.05,)), ("block", (39.93, 30.06))):
        drawn = session.setup.drawn(name)
        found = session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
        assert max(abs(a.difference) for a in found.agreements) < 0.0005
        sizes_found = [found.feature.size, getattr(found.feature, "size_y", None)][: len(sizes)]
        assert sizes_found == pytest.approx(list(sizes), abs=0.0005)


def test_the_height_of_a_leaning_plane_is_that_of_its_drawn_place():
    """Its three touches were centred a sixth of their spread beside it."""
    file = sample_scene().file
    lean = RealSolidSection(slope=(0.004, -0.01))
    solids = [file.body[1].solid[0].model_copy(update={"real": lean}), *file.body[1].solid[1:]]
    body = file.body[1].model_copy(update={"solid": solids})
    session = Session(
        build_scene(file.model_copy(update={"body": [file.body[0], body]})),
        None,
        shipped_profile("skip-macro"),
        seed=None,
    )
    drawn = session.setup.drawn("plane")
    assert drawn.spread
    found = session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn))).feature
    # The plate's middle is (130, 80), where its top is 0; it lies 0.31 and -0.24 beside where it is described.
    x, y = drawn.drawing[0] - 0.31 - 130.0, drawn.drawing[1] + 0.24 - 80.0
    assert dict(zip(found.axes, found.coordinates, strict=True))["z"] == pytest.approx(
        -530.0 + 0.004 * x - 0.01 * y, abs=0.0005
    )


@pytest.mark.parametrize("name", ["corner", "block", "slot"])
def test_walls_touched_twice_next_to_each_other_tell_no_angle_and_are_refused(name):
    """A program took R from a corner that the application then said has none."""
    session = Session(sample_scene(), None, shipped_profile("skip-macro"), seed=None)
    drawn = replace(session.setup.drawn(name), spread=0.4)
    with pytest.raises(PlanError, match="its touches lie 0.4 mm apart"):
        build_measurement(session.setup, point_at(session.setup, drawn))
