"""Rotary axes: by hand, and against turning there and back."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import DatumError, GeometryError
from brisk_anchor.core.geometry.rotary import RotaryAxis, carried, table_frame
from brisk_anchor.core.offsets.chain import solve_offset
from brisk_anchor.core.offsets.rules import FromTable
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source

B = RotaryAxis("B", (0.0, 1.0, 0.0), (-300.0, 0.0, -400.0), -1, None, None, 3600.0)
TILT = RotaryAxis("A", (1.0, 0.0, 0.0), (0.0, -200.0, -500.0), 1, -30.0, 110.0, 3600.0)
ROUND = RotaryAxis("C", (0.0, 0.0, 1.0), (-250.0, -200.0, 0.0), 1, None, None, 3600.0)


def test_a_quarter_turn_of_table_b_by_hand():
    # A point 100 mm towards +X of the centre; by ISO 841 a positive B turns the part clockwise about +Y: +X goes to +Z.
    assert carried((-200.0, 50.0, -400.0), (B,), {"B": 0.0}, {"B": 90.0}) == pytest.approx((-300.0, 50.0, -300.0))
    assert carried((-200.0, 50.0, -400.0), (B,), {"B": 270.0}, {"B": 90.0}) == pytest.approx((-400.0, 50.0, -400.0))


def test_a_trunnion_carries_its_round_table_with_it():
    # C by 90° first brings (x, y) = (100, 0) from the centre to (0, 100); then A by 90° lifts +Y to +Z.
    placed = table_frame((TILT, ROUND), {"A": 90.0, "C": 90.0}).point((-150.0, -200.0, -500.0))
    assert placed == pytest.approx((-250.0, -200.0, -400.0))


@given(st.floats(-720, 720), st.tuples(*[st.floats(-400, 400)] * 3), st.tuples(*[st.floats(0.0005, 0.01)] * 3))
def test_a_row_carried_by_the_table_is_where_its_zero_goes_with_its_uncertainty_turned(angle, zero, spread):
    rule = FromTable("G54", B.letter, angle, B.direction, B.centre, B.sense)
    parents = {"G54": {a: Estimate(v, {Source(a): s}) for a, v, s in zip("xyz", zero, spread, strict=True)}}
    chain = solve_offset("G55", dict.fromkeys("xyz", rule), {}, {}, parents)
    assert list(chain.values.values()) == pytest.approx(carried(zero, (B,), {"B": 0.0}, {"B": angle}), abs=1e-6)
    turn = np.array(B.frame(angle).rotation)
    wanted = turn @ np.diag(np.square(spread)) @ turn.T
    assert np.array(chain.covariance) == pytest.approx(wanted, abs=1e-9)
    for axis in chain.axes:
        total = sum({"−": -1}.get(t.sign, 1) * t.value for t in axis.terms[:-1])
        if len(axis.terms) > 2:
            assert total == pytest.approx(axis.value, abs=1e-6)


def test_a_table_carries_nothing_that_is_not_known():
    rule = FromTable("G54", "B", 90.0, B.direction, B.centre, B.sense)
    for parents in ({}, {"G54": {"x": Estimate(1.0)}}):
        with pytest.raises(DatumError, match="not stored yet"):
            solve_offset("G55", dict.fromkeys("xyz", rule), {}, {}, parents)


@given(st.tuples(*[st.floats(-700, 700)] * 4), st.tuples(*[st.floats(-300, 300)] * 3))
def test_turning_back_comes_back_and_lengths_stay(angles, point):
    axes = (TILT, ROUND)
    before, after = {"A": angles[0], "C": angles[1]}, {"A": angles[2], "C": angles[3]}
    moved = carried(point, axes, before, after)
    assert carried(moved, axes, after, before) == pytest.approx(point, abs=1e-9)
    centre = carried((0.0, 0.0, 0.0), axes, before, after)
    assert math.dist(moved, centre) == pytest.approx(math.dist(point, (0, 0, 0)), abs=1e-9)


def test_a_wrong_centre_moves_the_offset_by_twice_itself_after_half_a_turn():
    real = B.moved((0.01, 0.0, -0.02))
    there = carried((-200.0, 0.0, -350.0), (B,), {}, {"B": 180.0})
    really = carried((-200.0, 0.0, -350.0), (real,), {}, {"B": 180.0})
    assert np.subtract(really, there) == pytest.approx((0.02, 0.0, -0.04))


def test_directions_are_brought_to_length_one_and_nonsense_is_refused():
    axis = RotaryAxis("A", (3.0, 0.0, 4.0), (0.0, 0.0, 0.0), 1, None, None, 100.0)
    assert axis.direction == pytest.approx((0.6, 0.0, 0.8))
    sound = {"letter": "A", "direction": (1, 0, 0), "centre": (0, 0, 0), "sense": 1, "low": None, "high": None}
    for change in ({"direction": (0.0, 0.0, 0.0)}, {"sense": 0}, {"letter": "W"}):
        with pytest.raises(GeometryError):
            RotaryAxis(**sound | change, rapid=1.0)
