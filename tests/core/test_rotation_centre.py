"""Centres of rotation, senses, levelling and facing: hand-worked examples, and the way there and back."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.geometry.rotary import RotaryAxis, carried, table_frame
from brisk_anchor.core.offsets.rotation_centre import (
    Sight,
    angles_facing,
    direction_between,
    level_angles,
    levelling,
    sense_of,
    shims,
    solve_centre,
)
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source

B = RotaryAxis("B", (0.0, 1.0, 0.0), (-400.0, 0.0, -550.0), -1, None, None, 3600.0)
A = RotaryAxis("A", (1.0, 0.0, 0.0), (-300.0, -250.0, -380.0), -1, -30.0, 110.0, 3600.0)
C = RotaryAxis("C", (0.0, 0.0, 1.0), (-300.0, -249.985, 0.0), -1, None, None, 3600.0)


def at(**figures):
    return {axis: Estimate(value, {Source(f"touch {axis} {value}"): 0.001}) for axis, value in figures.items()}


@pytest.mark.parametrize(
    ("angle", "x", "z"), [(90, -520.0, -470.0), (180, -480.0, -670.0), (270, -280.0, -630.0), (30, -390.718, -406.077)]
)
def test_rows_at_the_faces_of_a_table_b(angle, x, z):
    there = carried((-320.0, 10.0, -430.0), (B,), {}, {"B": angle})
    assert there == pytest.approx((x, 10.0, z), abs=5e-4)


def test_a_wrong_centre_shows_in_every_row():
    real = B.moved((0.010, 0.0, -0.020))
    for angle, off in ((90, (0.010, 0.030)), (180, (-0.020, 0.040))):
        stated, true = (carried((-320.0, 0.0, -430.0), (axis,), {}, {"B": angle}) for axis in (B, real))
        assert (stated[0] - true[0], stated[2] - true[2]) == pytest.approx(off)


def test_a_trunnion_by_the_examples():
    tilt = table_frame((A,), {"A": 35.0}).point((0.0, -262.0, -318.0))
    assert tilt[1:] == pytest.approx((-224.268, -322.330), abs=5e-4)
    assert table_frame((A,), {"A": 90.0}).point((0.0, -262.0, -318.0))[1:] == pytest.approx((-188.0, -368.0))
    both = table_frame((A, C), {"A": 35.0, "C": 90.0}).point((-275.0, -249.985, -318.0))
    assert both == pytest.approx((-300.0, -234.905, -314.882), abs=5e-4)


def test_the_centre_from_one_face_touched_from_both_sides_and_from_the_spindle():
    # Ball ⌀6: the metal lies 3 further, at −522.005 with B90 (it looks to −X) and at −277.985 with B270 (to +X).
    sights = [
        Sight("face", 90.0, at(x=-525.005 + 3.0), looks=-1),
        Sight("face", 270.0, at(x=-274.985 - 3.0), looks=1),
        Sight("face", 0.0, at(z=-427.980), looks=1),
    ]
    centre = solve_centre(B, sights)
    assert centre.place["x"].value == pytest.approx(-399.995)
    assert centre.place["z"].value == pytest.approx(-549.990)
    assert centre.freedom == 0
    assert centre.place["x"].u == pytest.approx(0.001 / math.sqrt(2))
    assert centre.place["z"].u == pytest.approx(math.hypot(0.001, 0.001 / math.sqrt(2)))


@given(st.lists(st.integers(0, 359), min_size=3, max_size=6, unique=True), st.tuples(*[st.floats(-5, 5)] * 3))
def test_a_point_seen_at_three_angles_gives_the_centre_and_tests_it(angles, off):
    if max(abs(math.sin(math.radians(a - b) / 2)) for a in angles for b in angles) < 0.3:
        return
    real = B.moved((off[0], 0.0, off[2]))
    sights = []
    for angle in angles:
        x, _, z = carried((-310.0, 20.0, -480.0), (real,), {}, {"B": float(angle)})
        sights.append(Sight("ball", float(angle), at(x=x, z=z)))
    centre = solve_centre(B, sights)
    assert centre.place["x"].value == pytest.approx(real.centre[0], abs=1e-6)
    assert centre.place["z"].value == pytest.approx(real.centre[2], abs=1e-6)
    assert centre.worst < 1e-7
    assert centre.freedom == 2 * len(angles) - 4
    wrong = [*sights[:-1], Sight("ball", sights[-1].angle + 3.0, sights[-1].found)]
    assert solve_centre(B, wrong).worst > 1e-3


def test_one_angle_tells_no_centre():
    with pytest.raises(GeometryError, match="does not tell where B turns"):
        solve_centre(B, [Sight("ball", 10.0, at(x=-300.0, z=-400.0))])
    askew = RotaryAxis("C", (0.0, 0.6, 0.8), (0.0, 0.0, 0.0), 1, None, None, 1.0)
    with pytest.raises(GeometryError, match="does not run along"):
        solve_centre(askew, [])


def test_the_direction_comes_from_two_heights():
    low = solve_centre(B, [Sight("p", a, at(**_seen((-0.010, -0.004), a))) for a in (0.0, 120.0, 240.0)])
    high = solve_centre(B, [Sight("p", a, at(**_seen((0.010, 0.004), a))) for a in (0.0, 120.0, 240.0)])
    direction, u = direction_between(B, (-100.0, low), (100.0, high))
    assert direction == pytest.approx((0.0001, 1.0, 0.00004), abs=1e-8)
    assert 0 < u < 0.001
    with pytest.raises(GeometryError, match="no direction"):
        direction_between(B, (0.0, low), (0.5, high))


def _seen(off, angle):
    x, _, z = carried((-310.0, 0.0, -480.0), (B.moved((off[0], 0.0, off[1])),), {}, {"B": angle})
    return {"x": x, "z": z}


@pytest.mark.parametrize("sense", [1, -1])
def test_a_small_turn_proves_the_sense(sense):
    real = RotaryAxis("B", B.direction, B.centre, sense, None, None, 1.0)
    point = (-300.0, 0.0, -550.0)
    assert sense_of(B, point, real.frame(5.0).point(point), 5.0) == sense
    with pytest.raises(GeometryError, match="does not tell"):
        sense_of(B, point, point, 5.0)
    with pytest.raises(GeometryError, match="does not tell"):
        sense_of(B, B.centre, B.centre, 5.0)


@given(st.floats(-109, 29), st.floats(-179, 179))
def test_two_axes_bring_a_face_to_the_spindle(tilt, around):
    stands = {"A": -tilt, "C": around}
    normal = table_frame((A, C), stands).inverse().turn((0.0, 0.0, 1.0))
    ways = angles_facing((A, C), tuple(normal))
    for way in ways:
        assert not A.why_not_at(way["A"])
        assert table_frame((A, C), way).turn(normal) == pytest.approx((0.0, 0.0, 1.0), abs=1e-7)
    if abs(tilt) > 0.01:
        assert any(abs(way["A"] + tilt) < 1e-5 and abs(math.remainder(way["C"] - around, 360)) < 1e-3 for way in ways)


def test_a_face_no_axis_reaches_is_refused():
    with pytest.raises(GeometryError, match="No angle of B"):
        angles_facing((B,), (0.0, 1.0, 0.0))
    with pytest.raises(GeometryError, match="no rotary axis"):
        angles_facing((), (0.0, 0.0, 1.0))
    assert angles_facing((B,), (1.0, 0.0, 0.0)) == [{"B": pytest.approx(90.0)}]


@given(st.floats(-0.5, 0.5), st.floats(-0.5, 0.5), st.floats(-20, 20), st.floats(-170, 170))
def test_two_axes_level_any_plane_from_where_they_stand(a, b, tilt, around):
    stands = {"A": tilt, "C": around}
    up = np.array((math.tan(math.radians(b)), -math.tan(math.radians(a)), 1.0))
    there = table_frame((A, C), level_angles((A, C), stands, (a, b)))
    now = there.rotation @ table_frame((A, C), stands).rotation.T @ up
    assert now[:2] / now[2] == pytest.approx((0.0, 0.0), abs=1e-6)


def test_a_b_table_takes_out_what_leans_about_y_and_shims_take_the_rest():
    found = levelling((B,), (0.2, 0.3))
    assert found.left == (0.2, 0.0)
    level = table_frame((B,), found.turns).rotation @ np.array(
        (math.sin(math.radians(0.3)), 0.0, math.cos(math.radians(0.3)))
    )
    assert level == pytest.approx((0.0, 0.0, 1.0), abs=1e-12)
    under = dict(shims((0.2, 0.0), [("front", 0.0, 0.0), ("back", 0.0, 100.0)]))
    assert under == pytest.approx({"front": 100 * math.tan(math.radians(0.2)), "back": 0.0})
