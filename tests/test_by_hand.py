"""Measuring by hand: sides and signs, typed figures, the same chain, and what cannot be."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import GeometryError, PlanError
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.checks import SecondLookError
from brisk_anchor.core.tools.hand_tools import HandKind, HandTool
from brisk_anchor.services.measure.by_hand import PositionFrame
from brisk_anchor.services.measure.hands import begin
from brisk_anchor.services.measure.measurement_request import MeasurementRequest, point_at

FINDER = HandTool("edge finder", HandKind.EDGE_FINDER, 31, 10.0, 0.0, None, 0.005, u_diameter=0.002)
FEELER = HandTool("feeler", HandKind.FEELER, 32, 12.0, 0.1, 118.4, 0.005, 0.004, 0.002, 0.005)
SENSOR = HandTool("sensor", HandKind.SENSOR, 34, 0.0, 0.0, 142.5, 0.008)
START = (-400.0, -200.0, -300.0)


def begun(walls, tool, *, over=False, round_=False, frame=None):
    pattern = TouchPattern(frozenset(Wall[name] for name in walls.split()), over, round_)
    return begin(MeasurementRequest(pattern, START), tool, frame or PositionFrame())


def typed(state, *figures):
    for figure in figures:
        state = state.typed(figure)
    return state.feature()


@pytest.mark.parametrize(
    ("walls", "tool", "side", "amount", "told", "value"),
    [
        ("RIGHT", FINDER, "−X side", 5.0, "on the −X side: 5.000 is added", 105.0),
        ("LEFT", FINDER, "+X side", -5.0, "on the +X side: 5.000 is taken off", 95.0),
        ("UP", FEELER, "−Y side", 6.1, "6.000 + 0.100 is added", 106.1),
        ("DOWN", FEELER, "+Y side", -6.1, "taken off", 93.9),
        ("LEFT", SENSOR, "+X side", 0.0, "over its axis", 100.0),
        ("BELOW", FEELER, "above", -118.5, "118.400 of tool and 0.100 between are taken off", -18.5),
    ],
)
def test_sides_and_signs_are_said_and_done(walls, tool, side, amount, told, value):
    state = begun(walls, tool)
    prompt = state.prompt()
    assert state.compensations() == [(side, pytest.approx(amount))]
    assert told in prompt.sign
    assert typed(state, 100.0).coordinates == (pytest.approx(value),)


def test_uncertainty_is_that_of_the_tool_the_touch_and_the_last_digit():
    # 5 µm a touch, half of 2 µm of diameter, 1 µm of the readout's last digit (rectangular).
    touch = math.hypot(0.005, 0.001 / math.sqrt(12))
    assert typed(begun("LEFT", FINDER), 1.0).standard_uncertainty("x") == pytest.approx(math.hypot(touch, 0.001))
    below = typed(begun("BELOW", FEELER), 1.0).standard_uncertainty("z")
    assert below == pytest.approx(math.sqrt(touch**2 + 0.005**2 + 0.002**2))


@given(
    st.sampled_from(["slot", "web", "pocket", "block", "bore", "boss"]),
    st.floats(-700, -20),
    st.floats(-400, -20),
    st.floats(11, 90),
    st.floats(11, 90),
)
def test_every_pair_comes_back_from_the_figures_a_person_would_read(word, x, y, wide, long):
    kind = FeatureKind(word)
    over, walls = kind.is_outside, "LEFT RIGHT" if word in ("slot", "web") else "LEFT RIGHT DOWN UP"
    if kind.is_round:
        long = wide
    state = begun(walls, FINDER, over=over, round_=kind.is_round)
    assert state.kind is kind
    half = {"x": wide / 2 + (5.0 if over else -5.0), "y": long / 2 + (5.0 if over else -5.0)}
    figures = [x - half["x"], x + half["x"], y - half["y"], y + half["y"]][: len(state.directions)]
    feature = typed(state, *figures)
    assert feature.coordinates == pytest.approx((x, y)[: len(feature.axes)])
    sizes = [wide] if kind.is_round or len(figures) == 2 else [wide, long]
    assert list(feature.sizes.values()) == pytest.approx(sizes)


def test_the_second_side_may_be_typed_from_the_first_and_the_middle_is_told():
    state = begun("LEFT RIGHT DOWN UP", FINDER, round_=True)
    assert state.prompt().present is None
    state = state.typed(-452.0)
    assert state.prompt().present == -452.0
    state = state.typed(-424.0)
    prompt = state.prompt()
    assert prompt.read.startswith("Move X to −438.000 first. ")
    assert prompt.present is None
    assert (prompt.label, prompt.axis) == ("touch 3 of 4, towards −Y: Y", "y")


def test_work_positions_count_from_the_offset():
    state = begun("LEFT", FINDER, frame=PositionFrame("G54", (-469.0, -286.0, -504.0)))
    assert "work position in G54" in state.prompt().read
    assert typed(state, 20.0).coordinates[0] == pytest.approx(-469.0 + 20.0 - 5.0)


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"diameter": -1.0}, "below zero"),
        ({"diameter": math.nan}, "below zero or none"),
        ({"diameter": 250.0}, "absurdly large"),
        ({"diameter": None}, "touch nothing"),
        ({"u_repeatability": -0.1}, "below zero"),
    ],
)
def test_tools_that_cannot_be(change, reason):
    with pytest.raises(GeometryError, match=reason):
        replace(FINDER, **change)


def test_what_a_tool_cannot_touch_and_marks_that_are_nothing():
    with pytest.raises(PlanError, match="touches nothing below"):
        begun("BELOW", FINDER)
    with pytest.raises(PlanError, match="touches nothing beside"):
        begun("LEFT", replace(FEELER, diameter=None))
    with pytest.raises(PlanError, match="three walls"):
        begun("LEFT RIGHT UP", FINDER)
    # An outside corner by hand: the finder stands left of the left wall and in front of the front one.
    assert typed(begun("LEFT DOWN", FINDER, over=True), -455.0, -275.0).coordinates == (-450.0, -270.0)
    with pytest.raises(GeometryError, match="wide"):
        typed(begun("LEFT RIGHT", FINDER, over=True), 0.0, 5.0)


def test_an_offset_by_hand_is_worked_out_stored_and_told(session):
    drawn = {feature.name: feature for feature in session.setup.features}
    bore = begin(point_at(session.setup, drawn["bore"]), FINDER)
    # The bore's nominal middle is at −433, −250; 14 mm each way to a wall with a ball of 10.
    for figure in (-447.1, -419.1, -264.55, -236.53):
        bore = bore.typed(figure)
    session.runner.take_by_hand(bore)
    top = begin(point_at(session.setup, drawn["top"]), FEELER).typed(-384.2)
    session.runner.take_by_hand(top)
    chain = session.writer.store("G54")
    assert chain.values["x"] == pytest.approx(-433.1 - 36.0)
    assert chain.values["y"] == pytest.approx(-250.54 - 36.0)
    assert chain.values["z"] == pytest.approx(-384.2 - 118.5 - 1.5)
    labels = [term.label for term in chain.axis("z").terms]
    assert labels == [
        "read on the control, Z",
        "length of feeler",
        "between tool and metal",
        "top",
        "allowance",
        "G54 Z",
    ]
    assert sum(
        {"": 1, "+": 1, "−": -1}[t.sign] * t.value for t in chain.axis("z").terms if t.sign != "="
    ) == pytest.approx(chain.values["z"])
    assert session.rows.history("G54")[-1].chain == chain.folded()
    again = session.book.history(session.setup.machine.name)[-1]
    assert again.chain.features[0].touches[0].stylus == FINDER
    wrong = begin(point_at(session.setup, drawn["bore"]), FINDER)
    for figure in (-452.1, -414.1, -264.55, -226.53):
        wrong = wrong.typed(figure)
    with pytest.raises(SecondLookError, match="measures ⌀48"):
        session.runner.take_by_hand(wrong)
    assert "MEASURES" in session.programs.full_program("G54").text  # by the probe, where there is one


def test_an_indicator_is_swept_and_tells_where_to_move(session):
    dial = HandTool("dial", HandKind.INDICATOR, 35, None, 0.0, None, 0.002)
    drawn = {feature.name: feature for feature in session.setup.features}
    state = begin(point_at(session.setup, drawn["bore"]), dial)
    assert [state.prompt().label, state.typed(1.0).prompt().label] == ["spindle X", "spindle Y"]
    # The bore's middle lies +0.03, −0.01 from the spindle: its wall is further off there, the dial reads less.
    for figure in (-433.1, -250.5, 0.97, 1.01, 1.03, 0.99):
        state = state.typed(figure)
    measured = session.runner.take_by_hand(state)
    assert measured.feature.coordinates == pytest.approx((-433.07, -250.51))
    assert state.told() == "The middle lies X +0.0300  Y −0.0100 from the spindle. "
    assert measured.feature.standard_uncertainty("x") == pytest.approx(
        math.hypot(0.002 / math.sqrt(2), 0.001 / 12**0.5)
    )
    assert session.solver.part_chain("G54").axis("x").terms[0].source == "swept with a dial indicator"
    with pytest.raises(PlanError, match="round a bore"):
        begin(point_at(session.setup, drawn["top"]), dial)


@pytest.mark.parametrize(
    ("error", "reason"),
    [
        (5.1, "near one radius of edge finder: it was not taken into account"),
        (-10.0, "near one diameter of edge finder: it was counted to the wrong side"),
        (7.7, "wrong tool, unit, row"),
    ],
)
def test_a_guess_which_rule_was_broken(session, error, reason):
    drawn = {feature.name: feature for feature in session.setup.features}
    bore = begin(point_at(session.setup, drawn["bore"]), FINDER)
    for figure in (-448.0 + error, -420.0 + error, -264.0, -236.0):
        bore = bore.typed(figure)
    session.runner.take_by_hand(bore)
    session.runner.take_by_hand(begin(point_at(session.setup, drawn["top"]), FEELER).typed(-384.2))
    (look,) = [look for look in session.writer.look_before_store("G54") if look.stops]
    assert reason in look.why


def twice(walls, tool, **more):
    pattern = TouchPattern(frozenset(Wall[name] for name in walls.split()), twice=True, **more)
    return begin(MeasurementRequest(pattern, START), tool)


def test_an_edge_takes_where_along_it_each_touch_was():
    state = twice("UP", FINDER)
    assert state.count == 4
    assert "X beside the touch" in state.prompt().label
    # An edge through (0, 200) at 2°: the finder's middle stays 5 mm square off it.
    slope, off = math.tan(math.radians(2.0)), 5.0 / math.cos(math.radians(2.0))
    figures = [value for x in (-50.0, 70.0) for value in (x, 200.0 + slope * x - off)]
    edge = typed(state, *figures)
    assert edge.angles["r"] == pytest.approx(2.0, abs=1e-6)
    assert edge.coordinate("y") == pytest.approx(200.0 + slope * 10.0)
    assert state.compensations() == [("−Y side", 5.0)]
    with pytest.raises(GeometryError, match="one spot"):
        typed(state, 10.0, 195.0, 10.0, 195.0)


def test_a_plane_by_hand_tells_height_and_lean():
    state = twice("BELOW", FEELER)
    assert state.count == 9
    figures = [v for x, y in ((0, 0), (80, 0), (0, 60)) for v in (x, y, -300.0 + 118.5 + 0.01 * x)]
    plane = typed(state, *figures)
    assert plane.angles == {"a": pytest.approx(0.0, abs=1e-9), "b": pytest.approx(-math.degrees(math.atan(0.01)))}
    assert plane.coordinate("z") == pytest.approx(-300.0 + 0.8 / 3, abs=0.002)


def test_part_of_a_bore_by_hand_from_two_places_and_its_diameter():
    pattern = TouchPattern(frozenset((Wall.RIGHT, Wall.UP)), round=True)
    state = begin(MeasurementRequest(pattern, START, size=40.0), FINDER)
    # The finder of ⌀10 in a bore of ⌀40 about (12, −7): its middle runs on a circle of radius 15.
    figures = [12 + 15 * math.cos(0.2), -7 + 15 * math.sin(0.2), 12 + 15 * math.cos(1.4), -7 + 15 * math.sin(1.4)]
    order = [figures[1], figures[0], figures[2], figures[3]]  # the touched coordinate comes last
    assert typed(state, *order).coordinates == pytest.approx((12.0, -7.0), abs=1e-6)


@pytest.mark.parametrize(("wall", "sense"), [("UP", 1), ("DOWN", -1), ("RIGHT", 1), ("LEFT", -1)])
@pytest.mark.parametrize("run", [120.0, -120.0])
def test_a_dial_run_along_an_edge_tells_how_to_turn_the_part(wall, sense, run):
    dial = HandTool("dial", HandKind.INDICATOR, 36, None, 0.0, None, 0.002)
    state = twice(wall, dial)
    # At 1° the wall comes `run · tan 1°` further along +Y (or against +X) from the first place to the second.
    rise = run * math.tan(math.radians(1.0)) * (1 if wall in ("UP", "DOWN") else -1)
    figures = (10.0, 0.5, 10.0 + run, 0.5 - rise * sense)
    full = state
    for figure in figures:
        full = full.typed(figure)
    assert full.feature().angles["r"] == pytest.approx(1.0)
    assert "1.0000° clockwise" in full.told()
    with pytest.raises(GeometryError, match="no angle"):
        typed(state, 10.0, 0.0, 11.0, 0.1)
    with pytest.raises(PlanError, match="run along an edge"):
        begun(wall, dial)


def test_levels_of_a_bore_are_for_the_probe():
    with pytest.raises(PlanError, match="with the probe"):
        twice("LEFT RIGHT UP DOWN", FINDER, round=True)
