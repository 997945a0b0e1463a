"""Plans put together: words, figures with reasons, order, changes taken back; the ways they are run."""

from __future__ import annotations

from dataclasses import replace

import pytest

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.read.interpreter import Status
from brisk_anchor.services.measure.measurement_request import MeasurementRequest, point_at
from brisk_anchor.services.plan.plan_builder import PlanBuilder
from brisk_anchor.services.plan.plan_file import MeasureSection, PlanFile, parse_plan, plan_text
from brisk_anchor.services.plan.plan_words import (
    MEASURE_FORMS,
    PLAN_FORMS,
    hint,
    read_measure_words,
    read_plan_words,
    sets_text,
)
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover, prove
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene


def plan(*measure, **more):
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "p", "measure": list(measure), **more}
    return PlanFile.model_validate(data)


def x_of(feature):
    return {"feature": feature, "sets": {"row": "G54", "x": 0}}


def ran(session, made, part=0, scene=None):
    """A plan run without noise on the set-up as it stands: the outcome and the run."""
    ready = planned(session, made)
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    scene = scene or prover.scene(part)
    run = prover.run(scene, part, noisy=False)
    run.to_end()
    return prover._ending(part, scene, run), run


@pytest.fixture
def builder(quiet, tmp_path):
    return PlanBuilder.open(quiet, tmp_path, "G54")


@pytest.mark.parametrize(
    ("words", "field", "value"),
    [
        ("sets G54 x 0 y 25.4/2", "sets", {"row": "G54", "x": 0.0, "y": 12.7, "allowance": {}}),
        ("set g54.1 p3 z 1", "sets", {"row": "G54.1 P3", "z": 1.0, "allowance": {}}),
        ("sets nothing", "sets", None),
        ("keep d #610, x#611", "keep", ["D #610", "X #611"]),
        ("3 at 10 130 250", "headings", [10.0, 130.0, 250.0]),
        ("all", "headings", None),
        ("over", "over_the_top", True),
        ("round", "over_the_top", False),
        ("usual", "over_the_top", None),
        ("go on", "on_fail", "go on"),
        ("stop", "on_fail", "stop"),
        ("comment as cast", "comment", "as cast"),
    ],
)
def test_words_about_a_measurement(words, field, value):
    assert read_measure_words(MeasureSection(feature="bore"), words)[0] == {field: value}


def test_hints_are_of_what_is_typed_and_what_they_show_can_be_said():
    assert hint(MEASURE_FORMS, "").startswith("sets · allowance · keep · check · 3 at · all round")
    assert hint(MEASURE_FORMS, "al").split("   ")[1] == "all round"
    assert hint(MEASURE_FORMS, "keep D #6") == "keep D #610, or keep nothing"
    assert hint(PLAN_FORMS, "no").split("   ")[1:] == ["no tool 12", "no half turn", "no call"]
    section = MeasureSection(feature="bore", sets={"row": "G54", "z": 0.0})
    checked = PlanFile.model_validate(
        {**plan({"feature": "bore"}).model_dump(), "tool_check": [{"tool": 12, "tolerance": 0.1}]}
    )
    for form in (form for name, form in MEASURE_FORMS.items() if name != "at"):
        for words in form.split(" where ")[0].split(":")[0].split(", or "):
            assert read_measure_words(section, words)[1], words
    for form in PLAN_FORMS.values():
        for words in form.split(":")[0].split(", or "):
            assert read_plan_words(checked, words)[1], words


@pytest.mark.parametrize(
    "words",
    ["sets", "sets G12 x 0", "sets G54", "keep D", "3 at 10 20", "at 1, 2, 3", "allowance z 1", "what", "sets G54 q"],
)
def test_words_that_say_nothing_are_refused(words):
    try:
        fields, _ = read_measure_words(MeasureSection(feature="bore"), words)
    except BriskAnchorError:
        return
    assert fields == {"sets": None}  # "sets" alone takes it away


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ("tool 12 0.05 stop", "T12 must be within 0.05"),
        ("number 2160", "O2160"),
        ("half turn", "half round"),
        ("no half turn", "once"),
        ("probe each", "each"),
        ("call probe", "itself"),
        ("offset none", "no row"),
        ("name LEVER", "LEVER"),
    ],
)
def test_words_about_the_plan(builder, words, told):
    assert told in builder.say_of_plan(words)
    again = parse_plan(plan_text(builder.plan), "p.toml")
    assert again == builder.plan
    assert builder.undo()


def test_wrong_words_and_figures_change_nothing(builder):
    before = builder.plan
    for work in (
        lambda: builder.say_of_plan("tool 12"),
        lambda: builder.say_of_plan("number x"),
        lambda: builder.say_of_plan("number 99999"),
        lambda: builder.say_of_plan("number ²"),
        lambda: builder.say_of_plan("number " + "9" * 5000),
        lambda: builder.say_of_plan("no tool 9"),
        lambda: builder.say_of_plan("probe sometimes"),
        lambda: builder.state(0, "search", -1.0),
        lambda: builder.state(0, "repeats", 1.5),
        lambda: builder.say(0, "keep D #99999"),
        lambda: read_plan_words(before, "weather"),
    ):
        with pytest.raises(BriskAnchorError):
            work()
    assert builder.plan == before
    assert not builder.undo()


def test_a_list_is_built_changed_ordered_and_taken_back(builder):
    assert [s.feature for s in builder.plan.measure] == ["bore", "top"]
    at = builder.add("boss", 1)
    builder.state(at, "depth", 5.0)
    builder.state(at, "size_limit", 2.0)
    assert (builder.add("bush", at, like=True), builder.plan.measure[3].depth) == (3, 5.0)
    assert builder.plan.measure[3].size is None
    figures = {figure.name: figure for figure in builder.ready.steps[2].figures}
    assert (figures["depth"].value, figures["depth"].stated, figures["depth"].why) == (5.0, True, "stated")
    assert "3 mm to the wall" in figures["search"].why
    assert "the ball to the boss" in figures["room"].why
    builder.state(at, "depth", None)
    assert {f.name: f.why for f in builder.ready.steps[2].figures}["depth"].startswith("as drawn")
    assert builder.move(3, -3) == 0
    assert builder.toggle(0) is False
    assert len(builder.ready.steps) == 3
    builder.toggle(0)
    assert "Ordered" in builder.order()
    assert "already" in builder.order()
    assert builder.remove(0)
    while builder.undo():
        pass
    assert [s.feature for s in builder.plan.measure] == ["bore", "top"]
    builder.add("bore", 0)
    assert "twice" in builder.problem.what


def test_what_the_rose_asks_for_goes_into_the_plan_and_sets_a_row(builder, quiet):
    drawn = point_at(quiet.setup, quiet.setup.drawn("boss"))
    assert builder.add_marked(drawn, 150.0) == 2
    marks = frozenset((Wall.LEFT, Wall.RIGHT, Wall.UP, Wall.DOWN))
    free = MeasurementRequest(TouchPattern(marks, round=True), (-434.0, -250.0, -365.0), size=38.0, depth=12.0)
    at = builder.add_marked(replace(free, drawn=None), 150.0)
    section = builder.plan.measure[at]
    assert (section.name, section.at, section.size) == ("bore", (-434.0, -250.0, -515.0), 38.0)
    builder.say(at, "sets G56 x 36 y 36")
    assert sets_text(section.sets, section.kept) == ""
    assert sets_text(builder.plan.measure[at].sets, ()) == "G56 XY"
    ending, run = ran(quiet, plan(builder.plan.measure[at].model_dump()))
    assert ending.how == "right"
    # The same bore as drawn: 36, 36 from the lever's zero, which really lies at −469.08.
    _, other = ran(quiet, plan({"feature": "bore", "sets": {"row": "G56", "x": 36, "y": 36}}))
    assert run.machine.offset("G56")[:2] == pytest.approx(other.machine.offset("G56")[:2], abs=2e-4)
    with pytest.raises(BriskAnchorError, match="not complete"):
        builder.add_marked(MeasurementRequest(TouchPattern(marks, round=True), (0.0, 0.0, 0.0)), 150.0)


def test_the_file_the_proof_and_the_program_go_together(builder):
    outcome = prove(builder.session, builder.ready, program_of(builder.session, builder.ready), 3)
    builder.prove(outcome)
    paths = builder.write()
    assert [path.name for path in paths] == ["gl-114.plan.toml", "o2150.nc"]
    assert not builder.changed
    again = PlanBuilder.open(builder.session, paths[0].parent, "G54")
    assert again.plan == builder.plan
    digest = program_of(again.session, again.ready).digest
    assert "proved on 3 parts" in again.proof.words(again.basis(digest))
    assert again.is_proved(digest)
    file = again.session.scene.file
    again.session.working.scene = replace(again.session.scene, file=file.model_copy(update={"word": []}))
    assert again.is_proved(digest)  # the same as described
    stated = file.model_copy(update={"job": file.job.model_copy(update={"start_uncertainty": 1.0})})
    kept, again.session.working.scene = again.session.scene, replace(again.session.scene, file=stated)
    assert "the job was another" in again.proof.words(again.basis(digest))
    assert not again.is_proved(digest)
    again.session.working.scene = kept
    older = again.proof.model_copy(update={"version": "0.0.1"})
    assert "the version of Brisk Anchor was another" in older.words(again.basis(digest))
    again.state(0, "search", 19.5)
    changed = again.basis(program_of(again.session, again.ready).digest)
    assert "the text that was tried, the plan was another" in again.proof.words(changed)
    paths[0].with_name("gl-114.plan.proof.json").write_text('{"form": "x"}')
    with pytest.raises(BriskAnchorError):
        PlanBuilder.open(builder.session, paths[0].parent, "G54")


def test_a_wrong_size_ends_stops_or_goes_on_without_storing(quiet):
    tight = {"feature": "boss", "size_limit": 0.1}
    before = quiet.machine.offset("G54")
    for reaction, number in (("alarm", 104), ("go on", 110)):
        _, run = ran(quiet, plan({**tight, "on_fail": reaction}, {"feature": "bore"}, {"feature": "top"}, offset="G54"))
        assert run.interpreter.alarm.number == number
        assert run.machine.offset("G54") == before
        assert len([line for line in run.interpreter.printed if "SOLVED" in line]) == (1 if number == 104 else 3)
    _, run = ran(quiet, plan({**tight, "on_fail": "stop"}))
    assert run.interpreter.status is Status.STOPPED
    run.interpreter.run()
    assert run.interpreter.status is Status.ENDED


@pytest.mark.parametrize("kept", [["X #610", "Y #611", "D #612"], ["X #105"], ["Q #610"], ["R #610"]])
def test_results_are_kept_where_the_next_program_finds_them_or_it_is_told(quiet, kept):
    try:
        _, run = ran(quiet, plan({"feature": "bore", "keep": kept}))
    except (BriskAnchorError, ValueError) as error:
        assert kept[0] in ("X #105", "Q #610", "R #610"), error
        return
    held = [run.interpreter.common[number] for number in (610, 611, 612)]
    assert held == pytest.approx([*quiet_bore(quiet), 38.0124], abs=1e-3)


def quiet_bore(session):
    ready = planned(session, plan({"feature": "bore"}))
    return session.runner.measure(ready.measurements[0]).feature.coordinates


def test_the_run_out_falls_out_of_a_plan_with_half_turns(scene):
    """The ball stands 12 µm and −7 µm beside the axis, and nobody has calibrated it."""
    real = scene.file.probe.real.model_copy(update={"offset": (0.012, -0.007)})
    file = scene.file.model_copy(update={"probe": scene.file.probe.model_copy(update={"real": real})})
    session = Session(build_scene(file), None, shipped_profile("skip-macro"), seed=None)
    sets = {"feature": "bore", "sets": {"row": "G54", "x": 36.0, "y": 36.0}}
    crooked, _ = ran(session, plan(sets))
    straight, run = ran(session, plan(sets, half_turn=True))
    assert crooked.how == "wrong"
    assert (straight.how, straight.error < 0.0005) == ("right", True)
    assert not run.machine.turned_round
    bare = Session(build_scene(file), None, shipped_profile("probe-params"), seed=None)
    assert any(look.stops for look in planned(bare, plan(sets, half_turn=True)).all_looks)
    assert any("go on" in look.found for look in planned(bare, plan({"feature": "boss", "on_fail": "go on"})).looks)


def test_the_second_look_sees_neighbours_locks_and_what_is_on_the_way(quiet):
    near = planned(quiet, plan({"feature": "slot edge", "standoff": 9.0}))
    assert any("1.00 mm from the lever" in look.found for look in near.all_looks)
    assert not planned(quiet, plan({"feature": "slot edge", "standoff": 5.0})).all_looks
    low = plan({"feature": "bush", "clear": -550.0}, {"feature": "slot edge", "standoff": 5.0, "clear": -520.0})
    across = [look for look in planned(quiet, low).looks if look.stops]
    assert "meets" in across[0].found
    for made, reason in (
        (plan({"feature": "bore", "sets": {"row": "G59", "x": 0}}), "kept for tool setter"),
        (plan({"feature": "top", "sets": {"row": "G54", "x": 0}}), "does not tell X"),
        (plan(x_of("bore"), x_of("boss")), "set by"),
        (plan(x_of("bore"), offset="G54"), "own rules"),
        (plan({"feature": "bore", "standoff": 3.0}), "measured from its middle"),
        (plan(tool_check=[{"tool": 12, "tolerance": 0.1}]), "reference"),
    ):
        with pytest.raises(BriskAnchorError, match=reason):
            planned(quiet, made)
