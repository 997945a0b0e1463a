"""Tool checks in a plan: whole, worn, broken, not there; with each reaction, and in both tables of lengths."""

from __future__ import annotations

import pytest

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile, shipped_text
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.session.session import Session
from brisk_anchor.services.session.tool_shelf import take_reference


def plan(*checks, measure=("top",), **more):
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "tools", "tool_check": list(checks), **more}
    return PlanFile.model_validate(data | {"measure": [{"feature": name} for name in measure]})


def check(tool, tolerance, **more):
    return {"tool": tool, "tolerance": tolerance, **more}


def ran(session, made):
    ready = planned(session, made)
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    run = prover.run(prover.scene(0), 0, noisy=False)
    run.to_end()
    return prover._ending(0, prover.scene(0), run), run


@pytest.fixture(params=["skip-macro", "probe-params", "master"])
def shelf(request, scene):
    """A session with the setter's reference: the master is 100 long, and the setter's top lies at −540."""
    if request.param == "master":
        text = shipped_text("skip-macro").replace(
            'convention = "gauge line"', 'convention = "master"\nmaster_length = 100.0'
        )
        profile = parse_profile(text, "own")
    else:
        profile = shipped_profile(request.param)
    session = Session(scene, None, profile, seed=None)
    take_reference(session, -440.0)
    return session


def test_whole_tools_are_told_how_far_off_they_are_and_the_rest_is_measured(shelf):
    """T5 is as its table says; T12 was sharpened and is 0.018 longer than that."""
    ending, run = ran(shelf, plan(check(5, 0.05), check(12, 0.05), offset=None))
    assert (ending.how, ending.words) == ("right", "")
    report = parse_reports(run.printed)
    assert report.tools == pytest.approx({5: 0.0, 12: 0.018}, abs=2e-4)
    assert len(report.touches) == 3
    assert run.machine.tool_in_spindle == 20
    hits = [m.solid for m in run.machine.hits]
    assert hits.count("the tool setter 60") == 4


@pytest.mark.parametrize(("reaction", "number", "measured"), [("alarm", 111, 0), ("go on", 110, 1)])
def test_a_tool_out_of_its_tolerance_ends_the_program_or_keeps_it_from_storing(scene, reaction, number, measured):
    session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
    take_reference(session, -440.0)
    sets = [{"feature": "top", "sets": {"row": "G54", "z": 0.0}}]
    made = plan(check(12, 0.01, on_fail=reaction)).model_copy(update={"measure": plan_sets(sets)})
    before = session.machine.offset("G54")
    _, run = ran(session, made)
    assert run.interpreter.alarm.number == number
    assert sum("SOLVED" in line for line in run.interpreter.printed) == measured
    assert run.machine.offset("G54") == before


def plan_sets(measure):
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "x", "measure": measure}
    return PlanFile.model_validate(data).measure


def test_a_person_decides_where_it_is_to_stop(scene):
    session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
    take_reference(session, -440.0)
    _, run = ran(session, plan(check(12, 0.01, on_fail="stop")))
    assert run.interpreter.status is Status.STOPPED
    assert isinstance(run.interpreter, Interpreter)
    run.interpreter.run()
    assert run.interpreter.status is Status.ENDED


def test_a_tool_that_broke_off_is_searched_no_further_than_stated(scene):
    """Seven millimetres are missing: with a search of five nothing is met, with ten it is told broken."""
    tools = [t.model_copy(update={"real_length": t.length - 7.0}) if t.number == 5 else t for t in scene.file.tool]
    from brisk_anchor.standin.scene import build_scene

    session = Session(
        build_scene(scene.file.model_copy(update={"tool": tools})), None, shipped_profile("skip-macro"), seed=None
    )
    take_reference(session, -440.0)
    for search, number in ((5.0, 101), (10.0, 111)):
        _, run = ran(session, plan(check(5, 0.05, search=search)))
        assert run.interpreter.alarm.number == number


@pytest.mark.parametrize(
    ("made", "reason"),
    [
        (plan(check(14, 0.1)), "length is not known"),
        (plan(check(77, 0.1)), "not on the shelf"),
        (plan(check(5, 0.1), check(5, 0.2)), "stands twice"),
    ],
)
def test_tools_that_cannot_be_looked_at(shelf, made, reason):
    try:
        looks = planned(shelf, made).looks
    except BriskAnchorError as error:
        assert reason in error.one_line()
        return
    assert any(look.stops and reason in look.found for look in looks)


def test_a_tolerance_finer_than_the_length_is_known_is_told(shelf):
    looks = planned(shelf, plan(check(12, 0.01))).looks
    assert [look.stops for look in looks] == [False]
    assert "±0.008" in looks[0].found
