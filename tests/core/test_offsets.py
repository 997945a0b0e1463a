"""Datum rules and offsets, against sums done by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.chain import solve_offset
from brisk_anchor.core.offsets.checks import ControlCondition, look_at_control
from brisk_anchor.core.offsets.rules import Fixed, FromFeature, Keep
from tests.core.test_features import ring


@pytest.fixture(scope="module")
def features(stylus):
    down, right, back = (0.0, 0.0, -1.0), (1.0, 0.0, 0.0), (0.0, -1.0, 0.0)
    return {
        "bore": solve("bore", FeatureKind.BORE, ring(stylus, (-433.0, -250.5), 38, (0, 90, 180, 270))),
        "top": solve("top", FeatureKind.SURFACE, (Touch("t", (0.0, 0.0, -352.7), down, stylus, 0.0005),)),
        "wall": solve("wall", FeatureKind.SURFACE, (Touch("w", (-100.0, 0.0, -300.0), right, stylus, 0.0005),)),
        "far": solve("far", FeatureKind.SURFACE, (Touch("f", (0.0, -90.0, -300.0), back, stylus, 0.0005),)),
    }


def test_offset_is_machine_position_less_drawing_position(features):
    rules = {
        "x": FromFeature("bore", drawing=36),
        "y": FromFeature("bore", drawing=-10),
        "z": FromFeature("top", drawing=0, allowance=-1.5),
    }
    chain = solve_offset("G54", rules, features)
    assert chain.values == pytest.approx({"x": -469.0, "y": -240.5, "z": -504.2}, abs=1e-9)
    assert chain.axis("x").u == pytest.approx(0.001 / math.sqrt(2))
    assert [(term.sign, term.label) for term in chain.axis("z").terms] == [
        ("", "touched at, spindle Z"),
        ("−", "length of T20"),
        ("=", "top"),
        ("−", "allowance"),
        ("=", "G54 Z"),
    ]


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_the_terms_shown_add_up_to_the_value(features, axis):
    rules = {"x": FromFeature("wall", 5, 0.25), "y": FromFeature("far", -7), "z": FromFeature("top", 3, -1.5)}
    chain = solve_offset("G55", rules, features).axis(axis)
    total = 0.0
    for term in chain.terms:
        if term.sign == "=":
            assert term.value == pytest.approx(total, abs=1e-12)
        else:
            total += -term.value if term.sign == "−" else term.value
    assert total == pytest.approx(chain.value, abs=1e-12)


def test_side_wall_takes_the_ball_radius_with_its_sign(features, stylus):
    chain = solve_offset("G54", {"x": FromFeature("wall"), "y": FromFeature("far")}, features)
    r = stylus.effective_radius
    assert chain.values == pytest.approx({"x": -100 + r, "y": -90 - r})
    # One radius error moves both walls, so their errors are correlated: away from each other here.
    assert chain.covariance[0][1] == pytest.approx(-(stylus.u_radius**2))


def test_covariance_holds_for_shared_and_own_parts(features, stylus):
    chain = solve_offset(
        "G54", {a: FromFeature(f) for a, f in zip("xyz", ("wall", "far", "top"), strict=True)}, features
    )
    random = np.random.default_rng(1)
    own = random.normal(0, 0.0005, (20000, 3))
    radius = random.normal(0, stylus.u_radius, 20000)
    length = random.normal(0, stylus.u_length, 20000)
    errors = own + np.column_stack([radius, -radius, -length])
    assert np.cov(errors.T) == pytest.approx(np.array(chain.covariance), abs=1.3e-7)


def test_fixed_and_keep(features):
    rules = {"x": Fixed(-100.0, 0.01), "y": Keep(), "z": FromFeature("top")}
    chain = solve_offset("G54", rules, features, present={"y": -3.25})
    assert chain.values["x"] == -100.0
    assert chain.values["y"] == -3.25
    assert [axis.written for axis in chain.axes] == [True, False, True]
    assert chain.axis("x").expanded == pytest.approx(0.02)


@pytest.mark.parametrize(
    ("rules", "reason"),
    [
        ({"x": FromFeature("boss")}, "has not been measured"),
        ({"z": FromFeature("bore")}, "does not locate Z"),
        ({"y": Keep()}, "nothing is known"),
        ({"y": Fixed(math.nan)}, "no number"),
    ],
)
def test_incomplete_rules_are_refused(features, rules, reason):
    with pytest.raises(DatumError, match=reason):
        solve_offset("G54", rules, features)


@pytest.mark.parametrize(
    ("condition", "stops", "found", "do"),
    [
        (ControlCondition(alarm="500, travel"), True, "An alarm stands: 500, travel", "Esc resets it"),
        (ControlCondition(held="bore"), True, "“bore” is under way or held", "reset it at the machine"),
        (ControlCondition(door_open=True), True, "The door is open", "Close it: ⟨machine:d⟩"),
        (ControlCondition(homed=False), True, "has not been homed", "Send it home: ⟨bench:h⟩"),
        (ControlCondition(mode="MDI"), False, "stands at MDI", "The start turns it"),
        (ControlCondition(stops="its switch"), False, "Single block is on: its switch", "Switch it off: ⟨machine:s⟩"),
    ],
)
def test_what_keeps_a_control_from_running_is_told_with_what_to_do(condition, stops, found, do):
    (look,) = look_at_control(condition)
    assert look.stops is stops
    assert found in look.found
    assert do in look.do


def test_a_control_that_tells_nothing_or_is_ready_has_no_findings():
    assert look_at_control(ControlCondition()) == []
    assert look_at_control(ControlCondition(True, False, "", "", "", "")) == []
    everything = look_at_control(ControlCondition(False, True, "1, x", "bore", "MDI", "switch"))
    assert [look.stops for look in everything] == [True] * 4 + [False] * 2
