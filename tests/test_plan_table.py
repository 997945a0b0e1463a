"""Plans that turn the table: what lies before the probe at another angle is marked, and found there."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from brisk_anchor.core.errors import BriskAnchorError, PlanError
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.nc.programs.plan import plan_steps
from brisk_anchor.nc.programs.steps import Rapid, TableAt
from brisk_anchor.services.insert.modal_restore import ModalStateError
from brisk_anchor.services.insert.weaving import take_apart, weave
from brisk_anchor.services.measure.measurement_request import MeasurementRequest
from brisk_anchor.services.plan.plan_builder import PlanBuilder
from brisk_anchor.services.plan.plan_file import parse_plan, plan_text
from brisk_anchor.services.plan.plan_sheets import write_plan_sheets
from brisk_anchor.services.plan.plan_words import read_measure_words
from brisk_anchor.services.plan.planning import nc_plan, planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.plan.timing import times_of
from brisk_anchor.standin.motion import motions_at
from brisk_anchor.standin.outlines import outline_of
from brisk_anchor.standin.solids import Rectangle, Solid
from brisk_anchor.tui.view_state import ViewState

from .sample_part import offset
from .test_plan_ways import plan
from .test_table_angle import CENTRE, CUT, TURN, set_up


@pytest.fixture(scope="module", params=[("skip-macro", 1), ("probe-params", -1)], ids=lambda p: p[0])
def session(request, tmp_path_factory):
    return set_up(tmp_path_factory.mktemp("table") / "job", *request.param)[0]


def marked(session, name, angle, keep, turned):
    """The bore, marked where a table at `angle` has brought it; `turned` works that out by hand."""
    x, y, z = session.setup.drawn("cut").machine
    x, y = (c + d for c, d in zip(CENTRE[:2], turned(x - CENTRE[0], y - CENTRE[1]), strict=True))
    at = [round(x, 3), round(y, 3), z - 9.0]
    walls = ["LEFT", "RIGHT", "UP", "DOWN"]
    figures = {"size": 30.0, "size_limit": 0.5, "depth": 9.0}
    return {"name": name, "walls": walls, "round": True, "at": at, "table": {"C": angle}, "keep": keep} | figures


def scene_box(outlines):
    return next(outline.extents[0] for outline in outlines if outline.role == "part")


def test_a_bore_at_opposite_angles_lies_round_the_centre_of_the_table(session, tmp_path):
    made = plan(
        {"feature": "cut", "keep": ["X #610", "Y #611"]},
        marked(session, "half round", 180.0, ["X #612", "Y #613"], lambda x, y: (-x, -y)),
        {"feature": "top"},
        order="shortest",
    )
    assert plan_text(parse_plan(plan_text(made), "p")) == plan_text(made)
    ready = planned(session, made)
    assert [dict(m.options.table)["C"] for m in ready.measurements] in ([0, 0, 180], [180, 0, 0])
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    run = prover.run(prover.scene(0), 0, noisy=False)
    run.to_end()
    assert run.ended_well, run.failure()
    x0, y0, x180, y180 = (run.interpreter.variables.read(number) for number in (610, 611, 612, 613))
    assert ((x0 + x180) / 2, (y0 + y180) / 2) == pytest.approx(CENTRE[:2], abs=0.002)
    times = times_of(ready.setup.machine, session.profile, ready.measurements, run.machine.motions)
    assert times.turning >= 180 / 3600 * 60
    assert 1.0 <= times.total / times.least < 1.15
    paths = write_plan_sheets(session, ready, tmp_path / "p.plan.toml", tmp_path)
    assert {path.name for path in paths if path.suffix == ".svg"} == {"path-p.svg", "path-p-c180.svg", "plan-p.svg"}
    halves = [motions_at(run.machine.motions, {"C": 0.0}, {"C": angle}) for angle in (0.0, 180.0)]
    assert sum(map(len, halves)) == len(run.machine.motions)
    assert [len([m for m in half if m.contact]) for half in halves] == [10, 8]
    boxes = [scene_box(session.scene.outlines_at({"C": angle})) for angle in (0.0, 180.0)]
    for i in (0, 1):
        assert boxes[0][i] + boxes[1][i + 2] == pytest.approx(2 * CENTRE[i])


def test_the_table_turns_with_the_tool_at_home_and_only_where_it_must(session):
    quarter = marked(session, "quarter", 90.0, [], lambda x, y: (-y, x))
    made = plan({"feature": "cut"}, quarter, {**quarter, "name": "again"})
    steps = plan_steps(nc_plan(session, planned(session, made)))
    turns = [i for i, step in enumerate(steps) if isinstance(step, TableAt)]
    assert [steps[i].angles for i in turns] == [(("C", 0.0),), (("C", 90.0),)]
    assert all(steps[i - 1] == Rapid(z=session.setup.machine.home[2]) for i in turns)


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"feature": "cut", "table": {"C": 30.0}}, "drawn with the table at 0"),
        ({"feature": "cut", "table": {"B": 0.0}}, "no rotary axis B"),
    ],
)
def test_angles_that_make_no_sense(session, change, reason):
    with pytest.raises(BriskAnchorError, match=reason):
        planned(session, plan(change))


def test_it_is_said_in_words_drawn_so_and_put_in_only_where_the_table_can_be_turned_back(session, tmp_path):
    section = plan({"feature": "cut"}).measure[0]
    assert read_measure_words(section, "table C 90, A -5.5")[0] == {"table": {"C": 90.0, "A": -5.5}}
    assert read_measure_words(section, "table none")[0] == {"table": {}}
    for words in ("table 90", "table C 90 quick"):
        with pytest.raises(PlanError, match="no axis and angle"):
            read_measure_words(section, words)
    builder = PlanBuilder.open(session, tmp_path, "G54")
    request = MeasurementRequest(TouchPattern(frozenset({Wall.BELOW})), (-400.0, -200.0, -340.0), reach=8.0)
    session.machine.angles["C"] = 90.0
    at = builder.add_marked(request, 150.0)
    session.machine.angles["C"] = 0.0
    assert builder.plan.measure[at].table == {"C": 90.0}  # as the table stands while it is marked
    setup, told = ViewState(session, 1.0).standing({"C": 90.0})
    assert told == "C +90°"
    assert not setup.features
    assert setup.outlines != session.setup.outlines
    program = take_apart("%\nO1\nT2 M6\nG0 X0\nM30\n%\n")
    ready = planned(session, plan({"feature": "cut", "table": {"C": 0.0}}))
    with pytest.raises(ModalStateError, match="where table C stands .* no C stands before it"):
        weave(session, program, ready, [1])


def test_what_a_table_has_tipped_is_drawn_as_what_it_covers():
    axis = RotaryAxis("A", (1.0, 0.0, 0.0), (0.0, 0.0, 0.0), 1, None, None, 1.0)
    block = Solid("block", "block", "part", Rectangle((0.0, 0.0), (40.0, 20.0)), 0.0, 10.0)
    lying = outline_of(replace(block, frame=axis.frame(90.0) @ block.frame))
    assert lying.extents[0] == pytest.approx((0.0, -10.0, 40.0, 0.0), abs=1e-9)
    assert lying.top == pytest.approx(20.0)
    assert {round(z, 6) for _, z in lying.front[0]} == {0.0, 20.0}


def test_a_face_that_a_table_tips_up_is_touched_from_above(tmp_path):
    """The left face, at x = −450 on the description, lies 60 above the centre of a B table that stands at 90."""
    session, truth = set_up(tmp_path / "job", "skip-macro", 1, offset("G54", **CUT), "B", (0, 1, 0))
    x, y, z = -390 + (-516 + 600), -200.0, -600 + 60
    face = {"name": "left face", "walls": ["BELOW"], "at": [x, y, z + 8.0], "standoff": 8.0, "clear": z + 60.0}
    ready = planned(session, plan({**face, "table": {"B": 90.0}, "sets": {"row": "G56", "z": 0}}))
    prover = Prover(Case.of(session, ready, program_of(session, ready)))
    run = prover.run(prover.scene(0), 0, noisy=False)
    run.to_end()
    assert run.ended_well, run.failure()
    along = (y - truth.point((0, 0, 0))[1]) / math.cos(math.radians(TURN))
    real = truth.point((0.0, along, 0.0))[0]
    assert run.machine.offset("G56")[2] == pytest.approx(-600 - (real + 390), abs=0.01)
    assert not session.planner.look(ready.measurements[0])
