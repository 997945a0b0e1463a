"""Where the ball stops, against closed forms; and what counts as a crash."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.standin.motion import move_seconds
from brisk_anchor.standin.solids import Ball, Cone, Disc, Lever, Rectangle, Solid
from brisk_anchor.standin.tracing import ProbeShape, Tracer

R = 3.0


def tracer(stylus, *solids):
    return Tracer(solids, ProbeShape.of(stylus))


def solid(region, bottom=-40.0, top=0.0, **more):
    return Solid("thing", "test", "part", region, bottom, top, **more)


def centre_at(start, end, distance):
    """Ball centre after a distance; trace takes the ball's lowest point."""
    unit = np.subtract(end, start) / np.linalg.norm(np.subtract(end, start))
    return np.array(start) + unit * distance + (0, 0, R)


@settings(max_examples=150, deadline=None)
@given(st.floats(0, 360), st.floats(-4, 4), st.floats(-4, 4), st.floats(-170, 170))
def test_ball_in_a_turned_bore_stops_where_geometry_says(stylus, heading, off_x, off_y, turn):
    place = np.array([-433.0, 210.0, 5.0])
    bore = solid(Rectangle((-60, -60), (60, 60)), holes=(Disc((7, -3), 19.0),), frame=Frame.from_angles(place, c=turn))
    axis = bore.frame.apply((7, -3, 0))
    start = axis + np.array([off_x, off_y, -12 - R])
    direction = np.array([math.cos(math.radians(heading)), math.sin(math.radians(heading)), 0])
    found = tracer(stylus, bore).trace(start, start + direction * 40)
    assert found is not None
    assert found.part == "ball"
    p = np.array([off_x, off_y])
    along = p @ direction[:2]
    expected = -along + math.sqrt(along**2 - p @ p + (19.0 - R) ** 2)
    assert found.distance == pytest.approx(expected, abs=1e-5)


@settings(max_examples=150, deadline=None)
@given(st.floats(0, 360), st.floats(-9, 9))
def test_ball_against_a_boss_from_outside(stylus, heading, aside):
    boss = solid(Disc((0, 0), 12.0))
    direction = np.array([math.cos(math.radians(heading)), math.sin(math.radians(heading)), 0])
    across = np.array([-direction[1], direction[0], 0])
    start = direction * 40 + across * aside + (0, 0, -8 - R)
    found = tracer(stylus, boss).trace(start, start - direction * 60)
    assert found is not None
    expected = 40 - math.sqrt(15.0**2 - aside**2)
    assert found.distance == pytest.approx(expected, abs=1e-5)


@settings(max_examples=100, deadline=None)
@given(st.floats(0, 6), st.floats(-3, 3), st.floats(0.2, 1.4))
def test_ball_on_faces_and_edges_of_a_block(stylus, high, low_x, slope):
    """Slanting down onto a block's edge: the ball's centre ends one radius from the nearest point of the block."""
    block = solid(Rectangle((0, -50), (50, 50)))
    start = np.array([-30.0 + low_x, 0.0, 10.0 + high])
    end = start + np.array([60.0, 0.0, -60.0 * slope])
    found = tracer(stylus, block).trace(start, end)
    if found is None or found.part != "ball":
        return
    x, _, z = centre_at(start, end, found.distance)
    nearest = math.hypot(max(0.0 - x, 0.0, x - 50.0), max(z - 0.0, 0.0, -40.0 - z))
    assert nearest == pytest.approx(R, abs=1e-5)


def block_distance(x, y, z):
    outside = [max(abs(v) - h, 0.0) for v, h in zip((x, y, z + 20), (30, 25, 20), strict=True)]
    return math.hypot(*outside)


def cylinder_distance(x, y, z):
    return math.hypot(max(math.hypot(x, y) - 25, 0.0), max(z, -40 - z, 0.0))


def cone_distance(x, y, z):
    """Against a stump from radius 30 at -40 to 10 at 0: the nearest of very many points of its outline."""
    r = math.hypot(x, y)
    s = np.linspace(0, 1, 4001)
    slant = np.hypot(r - (30 - 20 * s), z + 40 - 40 * s).min()
    return min(slant, math.hypot(r - min(r, 10), z), math.hypot(r - min(r, 30), z + 40))


BODIES = {
    "box": (solid(Rectangle((-30, -25), (30, 25))), block_distance),
    "cylinder": (solid(Disc((0, 0), 25)), cylinder_distance),
    "cone": (solid(Disc((0, 0), 30), turned=Cone(30, 10, -40, 0)), cone_distance),
    "ball": (solid(Disc((0, 0), 20), turned=Ball(20, -20)), lambda x, y, z: math.hypot(x, y, z + 20) - 20),
}


@pytest.mark.parametrize("name", BODIES)
@settings(max_examples=100)
@given(aim=st.tuples(*[st.floats(-1, 1)] * 3), heading=st.floats(0, 360), lift=st.floats(-0.9, 1))
def test_the_ball_stops_one_radius_from_any_body(stylus, name, aim, heading, lift):
    """From anywhere around towards somewhere inside: at contact the centre is one radius away, within 0.1 µm."""
    body, distance = BODIES[name]
    level = math.sqrt(1 - lift * lift)
    away = np.array([level * math.cos(math.radians(heading)), level * math.sin(math.radians(heading)), lift])
    inside = np.array([aim[0] * 5, aim[1] * 5, -20 + aim[2] * 10])
    start = inside + away * 120 - (0, 0, R)
    found = Tracer((body,), ProbeShape(R, ())).trace(tuple(start), tuple(start - away * 120))
    assert found is not None
    x, y, z = start - away * found.distance + (0, 0, R)
    assert distance(x, y, z) == pytest.approx(R, abs=1e-4)
    assert body.distance(x, y, z) == pytest.approx(R, abs=1e-6)


@given(st.floats(-60, 160), st.floats(-60, 60))
def test_lever_distance_is_the_smallest_over_its_discs(x, y):
    lever = Lever((0, 0), 34.0, (120, 0), 20.0)
    shares = np.linspace(0, 1, 200001)
    brute = np.min(np.hypot(x - 120 * shares, y) - (34 + (20 - 34) * shares))
    assert lever.distance(x, y) == pytest.approx(brute, abs=1e-3)


def test_stem_and_body_are_met_too(stylus):
    high_wall = solid(Rectangle((10, -50), (50, 50)), bottom=20.0, top=45.0)
    found = tracer(stylus, high_wall).trace(np.array([0.0, 0, 0]), np.array([30.0, 0, 0]))
    assert found is not None
    assert found.part == "stylus stem"
    assert found.distance == pytest.approx(8.0, abs=0.005)  # stem of ⌀4
    shelf = solid(Rectangle((10, -50), (50, 50)), bottom=-40.0, top=45.0)
    found = tracer(stylus, shelf).trace(np.array([-9.0, 0, 0.0]), np.array([-9.0, 0, -30.0]))
    assert found is not None
    assert found.part == "probe body"
    assert found.distance == pytest.approx(5.0, abs=0.05)


def test_nothing_in_the_way_and_nowhere_to_go(stylus):
    traced = tracer(stylus, solid(Disc((0, 0), 5)))
    assert traced.trace(np.array([50.0, 0, 1]), np.array([50.0, 90, 1])) is None
    assert traced.trace(np.array([0.0, 0, 9]), np.array([0.0, 0, 9])) is None
    assert traced.penetration(np.array([0.0, 0, -0.5])) == pytest.approx(0.5)
    assert traced.free(np.array([0.0, 0, 0.5]))
    assert not traced.free(np.array([0.0, 0, 0.0]))
    assert traced.penetration(np.array([0.0, 0, 0.5])) == 0.0


def test_a_pressed_ball_may_come_off_but_not_go_deeper(stylus):
    wall = tracer(stylus, solid(Rectangle((10, -50), (50, 50)), bottom=-40.0, top=40.0))
    pressed = np.array([7.2, 0.0, -5.0])
    assert wall.trace(pressed, pressed - np.array([5, 0, 0]), pressed=0.2) is None
    deeper = wall.trace(pressed, pressed + np.array([5, 0, 0]), pressed=0.2)
    assert deeper is not None
    assert deeper.distance < 0.5


@pytest.mark.parametrize("stem", [0.2, 0.34, 0.7, 1.4, 4.0])
@pytest.mark.parametrize("top", [40.0, 0.0, 0.1, 0.17])
def test_a_stem_meets_a_wall_and_an_edge_where_it_should(stylus, stem, top):
    """A wall from 3 mm above the ball on, so that the stem alone can meet it: upright, or as a thin edge beside it."""
    fine = replace(stylus, ball_diameter=stem + 0.1, effective_radius=(stem + 0.1) / 2, stem_diameter=stem)
    low = fine.ball_diameter + 3.0
    wall = tracer(fine, solid(Rectangle((10, -50), (50, 50)), bottom=low, top=low + top + 0.02))
    found = wall.trace(np.array([0.0, 0.0, 0.0]), np.array([20.0, 0.0, 0.0]))
    assert found is not None
    assert found.part == "stylus stem"
    assert found.distance == pytest.approx(10.0 - stem / 2, abs=0.0045)


@pytest.mark.parametrize(("ball", "stem"), [(0.5, 0.34), (0.5, 0.45), (1.0, 0.9), (6.0, 5.98)])
def test_a_ball_meets_a_straight_wall_before_its_stem_does(stylus, ball, stem):
    fine = replace(stylus, ball_diameter=ball, effective_radius=ball / 2, stem_diameter=stem)
    wall = tracer(fine, solid(Rectangle((10, -50), (50, 50)), bottom=-40.0, top=40.0))
    found = wall.trace(np.array([0.0, 0.0, -5.0]), np.array([20.0, 0.0, -5.0]))
    assert found is not None
    assert found.part == "ball"


def test_a_stem_hardly_thinner_than_its_ball_comes_off_with_it(stylus):
    """A ball of 1 on a stem of 0.7: 0.2 mm past the wall it leans, and upright it would stand 0.05 mm in the metal."""
    fine = replace(stylus, ball_diameter=1.0, effective_radius=0.498, stem_diameter=0.7)
    wall = tracer(fine, solid(Rectangle((10, -50), (50, 50)), bottom=-40.0, top=40.0))
    pressed = np.array([9.7, 0.0, -5.0])
    assert wall.trace(pressed, pressed - np.array([5, 0, 0]), pressed=0.2) is None
    again = wall.trace(pressed - np.array([5, 0, 0]), pressed)
    assert again is not None
    assert again.part == "ball"
    aside = tracer(fine, solid(Rectangle((10, -50), (50, 50)), bottom=0.0, top=40.0))
    met = aside.trace(np.array([9.0, 0.0, -5.0]), np.array([10.7, 0.0, -5.0]), pressed=0.2)
    assert met is not None
    assert met.part == "stylus stem", "what it did not press on is met as ever"


@pytest.mark.parametrize(
    ("distance", "feed", "seconds"),
    [(0.0, 600, 0.0), (100.0, 600, 10.005), (0.001, 6000, 2 * math.sqrt(0.001 / 2000))],
)
def test_time_of_a_move(distance, feed, seconds):
    assert move_seconds(distance, feed, 2000.0) == pytest.approx(seconds, rel=1e-6)
