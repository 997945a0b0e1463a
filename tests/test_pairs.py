"""Slots, webs, pockets, blocks and corners: solved from their walls, written in both probing languages, and run."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import GeometryError, PlanError
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.checks import look_at_feature
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.job.jobs import load_job, new_job
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover, row_errors
from brisk_anchor.services.profile.profile_proof import sample_scene
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from tests.sample_part import feature, part_file

STYLUS = Stylus(20, "probe", 6.0, 2.994, 150.0, 0.0005, 0.0005, 0.002, 4.0, 50.0, 40.0, 70.0)
OUTSIDE = (FeatureKind.WEB, FeatureKind.BLOCK)

SIDES = 'walls = ["LEFT", "RIGHT"]'
PART = part_file(
    "QB-1",
    (
        feature("pocket", "pocket", (40, 40, 0), "size = 60.0\nsize_y = 40.0\nsize_limit = 0.5\ndepth = 10.0"),
        feature("slot", "slot", (96, 50, 0), f"{SIDES}\nsize = 12.0\ndepth = 8.0"),
        feature("island", "block", (133, 41, 20), "size = 34.0\nsize_y = 22.0\nsize_limit = 0.5\ndepth = 8", "island"),
        feature("rib", "web", (133, 41, 20), 'walls = ["DOWN", "UP"]\nsize = 22.0\ndepth = 8.0', "island"),
        feature("outer", "outside corner", (0, 0, 0), 'walls = ["LEFT", "DOWN"]\ndepth = 6.0'),
        feature("inner", "inside corner", (70, 60, 0), 'walls = ["RIGHT", "UP"]\ndepth = 9.0'),
    ),
)
FEATURES = {
    "outer": (0, 0, None, None),
    "inner": (70, 60, None, None),
    "pocket": (40, 40, 60, 40),
    "slot": (96, None, 12, None),
    "island": (133, 41, 34, 22),
    "rib": (None, 41, 22, None),
}


def touched(kind, middle, size, axes="xy", radius=2.994):
    """Touches on the walls of a perfect feature, worked out by hand."""
    touches = []
    for axis in axes:
        i = "xy".index(axis)
        for sign in (-1, 1):
            wall = middle[i] + sign * size[i] / 2
            direction = [0.0, 0.0, 0.0]
            direction[i] = -sign if kind in OUTSIDE else sign
            place = [middle[0], middle[1], -300.0]
            place[i] = wall - direction[i] * radius
            touches.append(Touch(f"{axis}{sign}", tuple(place), tuple(direction), STYLUS, 0.001))
    return tuple(touches)


@given(
    st.sampled_from([FeatureKind.POCKET, FeatureKind.BLOCK]),
    st.tuples(st.floats(-700, 700), st.floats(-400, 400)),
    st.tuples(st.floats(8, 300), st.floats(8, 300)),
)
def test_middle_and_sizes_come_back_whatever_they_were(kind, middle, size):
    feature = solve("it", kind, touched(kind, middle, size))
    assert feature.coordinates == pytest.approx(middle, abs=1e-9)
    assert (feature.size, feature.size_y) == pytest.approx(size, abs=1e-9)
    # Each middle is the mean of two touches; the ball's radius leaves it and is doubled in the size.
    assert feature.standard_uncertainty("x") == pytest.approx(0.001 / math.sqrt(2))
    assert feature.u_size == pytest.approx(math.hypot(0.001 * math.sqrt(2), 2 * 0.0005))
    assert all(source.own for axis in "xy" for source in feature.estimates()[axis].effects)


@pytest.mark.parametrize(
    ("kind", "touches", "reason"),
    [
        (FeatureKind.SLOT, touched(FeatureKind.SLOT, (0, 0), (12, 12), "xy"), "no opposite pairs"),
        (FeatureKind.POCKET, touched(FeatureKind.POCKET, (0, 0), (12, 12), "x"), "no opposite pairs"),
        (FeatureKind.SLOT, touched(FeatureKind.SLOT, (0, 0), (12, 12), "x")[:1], "no opposite pairs"),
        (FeatureKind.INSIDE_CORNER, touched(FeatureKind.SLOT, (0, 0), (12, 12), "x"), "not on two walls"),
        (FeatureKind.SLOT, touched(FeatureKind.WEB, (0, 0), (2, 2), "x"), "from the other side"),
    ],
)
def test_touches_that_are_no_pair_are_refused(kind, touches, reason):
    with pytest.raises(GeometryError) as caught:
        solve("it", kind, touches)
    assert reason in caught.value.one_line()


@pytest.mark.parametrize("profile", ["skip-macro", "probe-params"])
@pytest.mark.parametrize("roll", [0, 4])
def test_every_kind_is_measured_on_the_stand_in_in_both_languages(tmp_path, profile, roll):
    new_job(tmp_path)
    (tmp_path / "part.toml").write_text(PART)
    job = (tmp_path / "job.toml").read_text().replace('"seat", drawing = 80.0', '"pocket", drawing = 40.0')
    job = job.replace('"seat", drawing = 50.0', '"pocket", drawing = 40.0').replace('"top", drawing = 0.0', '"jaw top"')
    (tmp_path / "job.toml").write_text(job)
    scene = build_scene(load_job(tmp_path).scene(roll))
    session = Session(scene, None, shipped_profile(profile), seed=None)
    part = scene.file.body[1]
    zero = [a + b for a, b in zip(part.at, part.real.shift, strict=True)]
    for name, (x, y, size, size_y) in FEATURES.items():
        drawn = next(feature for feature in scene.setup.features if feature.name == name)
        measured = session.runner.measure(build_measurement(scene.setup, point_at(scene.setup, drawn)))
        found = measured.feature
        truth = [zero[i] + place for i, place in enumerate((x, y)) if place is not None]
        assert found.coordinates == pytest.approx(truth, abs=0.0005)
        assert list(found.sizes.values()) == pytest.approx([s for s in (size, size_y) if s], abs=0.0005)
        assert max(abs(agreement.difference) for agreement in measured.agreements) < 0.0005
        assert look_at_feature(found, *measured.sizes) == []
    top = next(feature for feature in scene.setup.features if feature.name == "jaw top")
    session.runner.measure(build_measurement(scene.setup, point_at(scene.setup, top)))
    corner = session.measured["inner"].feature.estimates().values()
    radius = [{s.words: e for s, e in item.effects.items()}["radius of T20"] for item in corner]
    assert radius == pytest.approx([0.0005, 0.0005])  # both walls on the plus side: the radius moves them alike
    values = session.writer.store("G54").values
    assert values["x"] == pytest.approx(zero[0], abs=0.0005)
    assert session.prover.prove("G54").holds


def test_a_pocket_too_narrow_or_of_the_wrong_size_is_told(tmp_path):
    new_job(tmp_path)
    (tmp_path / "part.toml").write_text(PART)
    text = (tmp_path / "job.toml").read_text().replace('"seat"', '"pocket"').replace('"top"', '"jaw top"')
    (tmp_path / "job.toml").write_text(text)
    setup = build_scene(load_job(tmp_path).scene(0)).setup
    drawn = next(feature for feature in setup.features if feature.name == "pocket")
    measurement = build_measurement(setup, point_at(setup, drawn))
    wrong = solve("pocket", FeatureKind.POCKET, touched(FeatureKind.POCKET, (0, 0), (60, 46)))
    (look,) = look_at_feature(wrong, 60.0, 40.0, 0.5)
    assert "one ball diameter" in look.why
    with pytest.raises(PlanError, match="hardly goes into"):
        replace(measurement, size_y=9.5)


@pytest.mark.parametrize("name", ["slot", "web"])
def test_a_turned_slot_met_beside_its_middle_is_within_its_uncertainty(name):
    """Up to 1 mm off along the slot and up to 1° turned: X where it was met is not X of the drawn middle."""
    file = sample_scene().file
    job = file.job.model_copy(update={"start_uncertainty": 1.0, "turn_uncertainty": 1.0, "clear_height": -480.0})
    spread = [f.model_copy(update={"spread": 10.0}) if f.name == name else f for f in file.feature]
    scene = build_scene(file.model_copy(update={"job": job, "feature": spread}))
    session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
    sets = {"row": "G54", "x": session.setup.drawn(name).drawing[0]}
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "s", "measure": [{"feature": name, "sets": sets}]}
    ready = planned(session, PlanFile.model_validate(data))
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    endings = [prover.trial(part).ending for part in range(1, 25)]
    assert [ending.words for ending in endings if ending.how != "right"] == []
    run = prover.run(scene := prover.scene(3), 3)
    run.to_end()
    (error,) = row_errors(prover.session, prover.case, scene, run)
    body = next(solid for solid in scene.solids if solid.body == "EK-1")
    lean = body.frame.rotation[1, 0] / body.frame.rotation[0, 0]
    met = 1.0 / math.sqrt(3) * abs(lean)
    assert met > 0.001
    assert error.u == pytest.approx(math.hypot(met, 0.00025), rel=0.05)  # and two touches on each of two walls
