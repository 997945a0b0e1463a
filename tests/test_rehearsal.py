"""The written code on many real-life parts: whatever lies within the stated uncertainty ends with the right offset."""

from __future__ import annotations

import re
import tomllib
from importlib import resources

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_anchor.core.errors import CrashError
from brisk_anchor.nc.read.interpreter import Status
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import SceneFile

TEXT = (resources.files("brisk_anchor.standin") / "scenes" / "heron-gl114.toml").read_text()
SIDE = st.floats(-1.3, 1.3)


def part(shift, turn, rise=0.0, slope=(0.0, 0.0)):
    """The demo scene with another real-life part."""
    data = tomllib.loads(TEXT)
    data["body"][1]["real"] = {"shift": list(shift), "turn": list(turn)}
    data["body"][1]["solid"][1]["real"] = {"rise": rise, "slope": list(slope)}
    return build_scene(SceneFile.model_validate(data))


@pytest.fixture(scope="module")
def program(scene, profile):
    return Session(scene, None, profile, seed=None).programs.full_program("G54")


@settings(max_examples=25)
@given(
    shift=st.tuples(SIDE, SIDE, st.floats(-0.5, 0.5)),
    turn=st.tuples(st.floats(-0.05, 0.05), st.floats(-0.05, 0.05), st.floats(-0.5, 0.5)),
    rise=st.floats(-1.0, 1.0),
    slope=st.tuples(st.floats(-0.008, 0.008), st.floats(-0.008, 0.008)),
)
def test_every_part_within_the_stated_uncertainty_ends_right(profile, program, shift, turn, rise, slope):
    real = part(shift, turn, rise, slope)
    machine = real.stand_in(seed=None)
    run = Run(program.text, profile, machine)
    run.to_end()
    assert run.ended_well, run.failure()
    touches = [motion for motion in machine.motions if motion.contact and motion.feed < 200]
    assert len(touches) == 5
    bore = (*touches[3].contact[:2], -365.0 - 150.0)
    top = (-434.0, -224.5, -503.0)
    truth = real.true_offset(real.setup.row("G54").rules, {("bore", "x"): bore, ("bore", "y"): bore, ("top", "z"): top})
    # A tilted bore is an ellipse in its slice, a ball on a slope touches a little uphill: both under 0.5 µm here.
    for value, axis in zip(machine.offset("G54"), "xyz", strict=True):
        assert value == pytest.approx(truth[axis], abs=0.0005)


@settings(max_examples=25)
@given(shift=st.tuples(st.floats(-40, 40), st.floats(-40, 40), st.floats(-30, 30)))
def test_a_part_anywhere_else_stops_safely_and_stores_nothing(profile, program, shift):
    real = part(shift, (0.0, 0.0, 0.0))
    machine = real.stand_in(seed=None)
    before = machine.offset("G54")
    run = Run(program.text, profile, machine)
    run.to_end()
    if run.ended_well:
        # Near enough to be found: then it is found, and the jump guard let it through.
        assert max(map(abs, shift)) < 6.0
        return
    assert run.interpreter.status is Status.ALARM
    # A crash can only come where the part reaches into the clear height that the job promised to be free.
    assert not isinstance(run.failure(), CrashError) or shift[2] > 20 or abs(shift[0]) > 10 or abs(shift[1]) > 10
    assert machine.offset("G54") == before


@pytest.mark.parametrize("probe", [{"noise": 0.003}, {"lobing": 0.004}, {"pre_travel": 0.02}])
def test_a_worse_probe_shows_in_size_and_spread_not_in_the_centre(profile, program, probe):
    data = tomllib.loads(TEXT)
    data["probe"]["real"] |= probe
    scene = build_scene(SceneFile.model_validate(data))
    machine = scene.stand_in(seed=4)
    run = Run(program.text, profile, machine)
    run.to_end()
    assert run.ended_well
    truth = scene.true_offset(
        scene.setup.row("G54").rules,
        {
            ("bore", "x"): (-433.0, -250.0, -515.0),
            ("bore", "y"): (-433.0, -250.0, -515.0),
            ("top", "z"): (-434.0, -224.5, -503.0),
        },
    )
    limit = 0.001 + 4 * max(probe.get("noise", 0.0), 0.0005) + probe.get("lobing", 0.0)
    assert abs(machine.offset("G54")[0] - truth["x"]) < limit


def test_a_slow_signal_reads_worse_the_faster_the_touch():
    data = tomllib.loads(TEXT)
    data["probe"]["real"]["delay"] = 0.002
    scene = build_scene(SceneFile.model_validate(data))
    late = {}
    for feed in (60.0, 800.0):
        machine = scene.stand_in(seed=None, position=(-434.0, -250.0, -365.0))
        late[feed] = machine.skip((-410.0, -250.0, -365.0), feed, 1).latched[0]
    assert late[800.0] - late[60.0] == pytest.approx((800 - 60) / 60 * 0.002, abs=1e-6)


@pytest.mark.parametrize(
    ("fault", "told"), [("stuck", "Alarm 102|Alarm 103"), ("absent", "Alarm 101"), ("battery", "Alarm 101")]
)
def test_a_broken_probe_stops_the_program_before_anything_is_stored(profile, program, fault, told):
    """The search is kept short: without a signal it ends inside the over-travel, and the stylus lives."""
    data = tomllib.loads(TEXT)
    data["probe"]["real"]["fault"] = fault
    machine = build_scene(SceneFile.model_validate(data)).stand_in(seed=None)
    before = machine.offset("G54")
    run = Run(program.text, profile, machine)
    run.to_end()
    assert re.search(told, run.failure().what)
    assert machine.offset("G54") == before
