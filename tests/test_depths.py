"""How deep: the widest part of the ball meets the wall wherever the upper edge may lie, or nothing is stored."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.measurement_options import MeasurementOptions
from brisk_anchor.core.features.measuring import propose_depth, propose_depth_check
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.checks import SecondLookError
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.insert.weaving import take_apart, weave
from brisk_anchor.services.measure.measurement_request import MeasurementRequest, build_measurement, point_at
from brisk_anchor.services.measure.reach import reaches
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.profile.profile_proof import sample_scene
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import Scene, build_scene

LOW = 1.9
LANGUAGES = ("skip-macro", "probe-params")
WALLS = {
    "bore": "x", "pocket": "x", "slot": "x", "boss": "x", "web": "x", "block": "x",
    "left face": "x", "front edge": "y", "corner": "x", "inner corner": "x",
}  # fmt: skip


def scene_with(uncertainty: float = 2.0, low: float = LOW) -> Scene:
    """The sample plate, its top so much lower than described, and touched once a wall."""
    file = sample_scene().file
    job = file.job.model_copy(
        update={"start_uncertainty": uncertainty, "turn_uncertainty": 0.0, "clear_height": -485.0}
    )
    real = file.body[1].real.model_copy(update={"shift": (0.31, -0.24, -low)})
    bodies = [file.body[0], file.body[1].model_copy(update={"real": real})]
    features = [
        f.model_copy(update={"spread": None}) if f.kind in ("slot", "block", "outside corner") else f
        for f in file.feature
    ]
    return build_scene(file.model_copy(update={"job": job, "body": bodies, "feature": features}))


def session_with(language: str = LANGUAGES[0], **more: float) -> Session:
    return Session(scene_with(**more), None, shipped_profile(language), seed=None)


def plan_of(session: Session, *measure: dict[str, object], order: str = "as listed") -> PlanFile:
    sections = []
    for section in measure:
        x, y, z = session.setup.drawn(str(section["feature"])).drawing
        axis = WALLS.get(str(section["feature"]))
        sets = {"row": "G55", "z": z} if axis is None else {"row": "G54", axis: x if axis == "x" else y}
        sections.append({**section, "sets": sets})
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "depths", "order": order, "measure": sections}
    return PlanFile.model_validate(data)


def ending_of(session: Session, plan: PlanFile):
    ready = planned(session, plan)
    return Prover(Case.of(session, ready, program_of(session, ready))).trial(0, noisy=False).ending


@pytest.mark.parametrize("language", LANGUAGES)
@pytest.mark.parametrize("name", WALLS)
def test_too_shallow_stops_and_with_a_depth_check_no_wrong_value_is_stored(name, language):
    """4 mm deep with a ball of 6, the part 1.9 mm lower: its edge was touched, 136 µm off, and stored."""
    session = session_with(language)
    shallow = {"feature": name, "depth": 4.0}
    with pytest.raises(SecondLookError, match="may lie 2 mm lower"):
        program_of(session, planned(session, plan_of(session, shallow)))
    checked = {**shallow, "depth_check": 0.75}
    ending = ending_of(session, plan_of(session, checked))
    assert (ending.how, "EDGE TOUCHED" in ending.words) == ("stopped", True)
    at_its_place = ending_of(session_with(language, low=0.0), plan_of(session, checked))
    assert (at_its_place.how, at_its_place.error < 0.0005) == ("right", True), at_its_place
    deep = ending_of(session, plan_of(session, {"feature": name, "depth": 5.2}))
    assert (deep.how, deep.error < 0.0005) == ("right", True), deep


@pytest.mark.parametrize("language", LANGUAGES)
@pytest.mark.parametrize("order", ["as listed", "shortest"])
def test_depth_counts_from_the_top_that_the_same_program_has_measured(language, order):
    session = session_with(language)
    plan = plan_of(session, {"feature": "top"}, {"feature": "bore", "depth": 4.0}, order=order)
    if order == "shortest":
        plan = plan.with_measure(plan.measure[::-1])
    ready = planned(session, plan)
    assert [step.name for step in ready.steps] == ["top", "bore"]
    ending = ending_of(session, plan)
    assert (ending.how, ending.error < 0.0005) == ("right", True), ending
    with pytest.raises(SecondLookError):
        program_of(session, planned(session, plan_of(session, {"feature": "bore", "depth": 4.0}, {"feature": "top"})))


def test_on_the_bench_and_in_a_whole_program_a_measured_top_gives_the_depth():
    session = session_with()
    bore = point_at(session.setup, replace(session.setup.drawn("bore"), depth=4.0))
    with pytest.raises(SecondLookError, match="measure its top first"):
        session.runner.measure(session.planner.measurement_of(bore))
    session.runner.measure(session.planner.measurement_of(point_at(session.setup, session.setup.drawn("top"))))
    measurement = session.planner.measurement_of(bore)
    assert measurement.top is not None
    found = session.runner.measure(measurement).feature
    assert found.size == pytest.approx(30.0, abs=0.0005)
    by_hand = session.planner.measurement_of(replace(bore, start=(*bore.start[:2], bore.start[2] - LOW)))
    assert by_hand.depth == pytest.approx(4.0, abs=0.001)  # where the tip stands is how deep it is
    assert session.runner.measure(by_hand).feature.size == pytest.approx(30.0, abs=0.0005)
    session.editor.clamp()
    with pytest.raises(SecondLookError, match="measure its top first"):
        session.runner.measure(session.planner.measurement_of(bore))


def test_the_demo_job_stated_as_less_certain_is_refused_until_the_boss_is_touched_deeper(scene):
    file = scene.file
    job = file.job.model_copy(update={"start_uncertainty": 4.0})
    session = Session(build_scene(file.model_copy(update={"job": job})), None, shipped_profile("skip-macro"), seed=None)
    with pytest.raises(SecondLookError, match="may lie 4 mm lower"):
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, session.setup.drawn("boss"))))


def test_a_wall_of_unknown_depth_is_touched_again_higher():
    session = session_with()
    face = session.setup.drawn("left face")
    x, y, _ = point_at(session.setup, face).start
    top = face.machine[2] - LOW + session.setup.stylus.length
    for below, how in ((8.0, None), (2.0, "EDGE TOUCHED")):
        request = MeasurementRequest(TouchPattern(frozenset({Wall.RIGHT})), (x, y, top - below), reach=8.0)
        measurement = build_measurement(session.setup, request)
        assert measurement.depth_check == propose_depth_check(6.0)
        assert not any(look.stops for look in session.planner.look(measurement))
        if how is None:
            found = session.runner.measure(measurement).feature
            assert found.coordinates[0] == pytest.approx(face.machine[0] + 0.31, abs=0.0005)
        else:
            with pytest.raises(Exception, match=how):
                session.runner.measure(measurement)
    deep = replace(request, depth=6.0)
    assert not build_measurement(session.setup, deep).depth_check
    assert {"below edge", "again +Z"} <= set(request.optional())


def test_where_a_floor_keeps_it_from_going_deeper_the_plan_proposes_a_depth_check():
    scene = scene_with(low=0.0)
    body = scene.file.body[1]
    plate = body.solid[0]
    shallow = plate.model_copy(update={"slots": [plate.slots[0].model_copy(update={"depth": 6.2}), plate.slots[1]]})
    other = body.model_copy(update={"solid": [shallow, *body.solid[1:]]})
    scene = build_scene(scene.file.model_copy(update={"body": [scene.file.body[0], other]}))
    session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
    plan = plan_of(session, {"feature": "pocket", "depth": 4.0})
    (step,) = planned(session, plan).steps
    assert step.measurement.depth_check == propose_depth_check(6.0)
    assert "depth check" in {figure.name for figure in step.figures}
    assert not any(look.stops for look in step.looks)
    assert ending_of(session, plan).how == "right"


def test_weaving_stops_too():
    session = session_with()
    ready = planned(session, plan_of(session, {"feature": "bore", "depth": 4.0}))
    with pytest.raises(SecondLookError, match="lower"):
        weave(session, take_apart("O1\nT12 M6\nG0 Z1.\nM30\n"), ready, [1])


def test_figures_of_depth():
    session = session_with()
    bore = build_measurement(session.setup, point_at(session.setup, session.setup.drawn("bore")))
    assert propose_depth(6.0, 2.0) == 5.5
    assert replace(bore, depth=5.0).deep_enough
    assert not replace(bore, depth=4.99).deep_enough
    # 0.75 mm higher an edge shows by 3 − √(9 − 0.5625) = 95 µm at the least; half of it is allowed.
    assert replace(bore, options=MeasurementOptions(depth_check=0.75)).depth_limit == pytest.approx(0.04764, abs=1e-5)
    assert not replace(bore, depth=3.5, options=MeasurementOptions(depth_check=0.75)).depth_is_checked
    with pytest.raises(PlanError, match="makes no sense"):
        replace(bore, options=MeasurementOptions(depth_check=0.1))
    assert bore.kind is FeatureKind.BORE


@pytest.mark.parametrize(
    ("name", "place"), [("top", (97.0, 71.5, 0.0)), ("left face", (0.0, 158.5, 0.0)), ("front edge", (199.5, 0.0, 0.0))]
)
def test_a_touch_that_could_land_beside_its_face_is_stopped(name, place):
    scene = scene_with(low=0.0)
    moved = [f.model_copy(update={"place": place}) if f.name == name else f for f in scene.file.feature]
    session = Session(
        build_scene(scene.file.model_copy(update={"feature": moved})), None, shipped_profile("skip-macro"), seed=None
    )
    looks = session.planner.look(build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name))))
    assert any(look.stops and "beside its face" in look.found for look in looks)
    usual = session_with(low=0.0)
    assert not usual.planner.look(build_measurement(usual.setup, point_at(usual.setup, usual.setup.drawn(name))))


@pytest.mark.parametrize("name", ["depth", "drop", "standoff", "turn_uncertainty", "search", "options"])
def test_a_figure_that_is_no_number_is_refused(name):
    session = session_with()
    request = point_at(session.setup, session.setup.drawn("bore"))
    measurement = build_measurement(session.setup, request)
    nan = float("nan")
    wrong = MeasurementOptions(depth_check=nan) if name == "options" else nan
    with pytest.raises(PlanError, match="a figure is missing"):
        replace(measurement, **{name: wrong})


def thin(thickness: float) -> Session:
    """The sample plate so thin; it may lie 1 mm higher or lower."""
    file = scene_with(1.0, low=0.0).file
    plate, *others = file.body[1].solid
    slots = [slot for slot in plate.slots if slot.depth is None]
    thinner = plate.model_copy(update={"bottom": -thickness, "slots": slots})
    bodies = [file.body[0], file.body[1].model_copy(update={"solid": [thinner, *others]})]
    features = [f.model_copy(update={"depth": 5.0}) if f.name in ("bore", "left face") else f for f in file.feature]
    scene = build_scene(file.model_copy(update={"body": bodies, "feature": features}))
    return Session(scene, None, shipped_profile(LANGUAGES[0]), seed=None)


@pytest.mark.parametrize("name", ["bore", "left face"])
@pytest.mark.parametrize(
    ("thickness", "ends"), [(3.5, None), (3.1, None), (2.9, 0.9), (2.2, 0.2), (1.9, 0.0), (0.4, 0.0)]
)
def test_a_wall_may_not_end_below_the_ball_wherever_the_part_lies(name: str, thickness: float, ends: float | None):
    """The ball of 6 goes 5 mm below the edge: it touches at 2 mm, and the part may lie 1 mm higher."""
    session = thin(thickness)
    request = point_at(session.setup, session.setup.drawn(name))
    looks = session.planner.look_before_moving(session.planner.measurement_of(request))
    reach = next(each for each in reaches(session.scene) if each.drawn.name == name)
    if ends is None:
        assert not any(look.stops for look in looks)
        assert not reach.reason
        return
    told = next(look for look in looks if look.stops)
    for words in (told.found, reach.reason):
        above = re.search(r"touches a wall ([\d.]+) mm above its lower edge, which may lie 1 mm higher", words)
        assert (above is None) == (ends == 0)
        assert (
            float(above[1]) == pytest.approx(ends, abs=0.051) if above else "ends above the middle of the ball" in words
        )
    assert "measure its top first" in told.do
    assert reach.runs_out
    ready = planned(session, plan_of(session, {"feature": name}))
    assert any(
        re.search("above its lower edge|a wall ends", look.found) and look.stops for look in ready.steps[0].looks
    )


@pytest.mark.parametrize(("ball", "stem"), [(1.0, 0.7), (2.0, 1.4), (6.0, 5.9), (6.0, 4.0)])
def test_a_fine_stem_beside_a_straight_wall_is_nothing_to_be_told(ball: float, stem: float):
    file = scene_with(1.0, low=0.0).file
    probe = file.probe.model_copy(update={"ball_diameter": ball, "effective_radius": ball / 2, "stem_diameter": stem})
    scene = build_scene(file.model_copy(update={"probe": probe}))
    session = Session(scene, None, shipped_profile(LANGUAGES[0]), seed=None)
    (step,) = planned(session, plan_of(session, {"feature": "bore"})).steps
    assert not any("stylus stem" in look.found for look in step.looks)
