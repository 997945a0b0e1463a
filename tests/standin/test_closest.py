"""How near stem, body and spindle come to metal: against distances worked out by hand, at rest and on the way."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.standin.solids import Disc, Rectangle, Solid
from brisk_anchor.standin.tracing import ProbeShape, Tracer

STYLUS = Stylus(20, "probe", 6.0, 2.994, 150.0, 0.0005, 0.0, 0.0, 4.0, 50.0, 40.0, 70.0)
SHAPE = ProbeShape.of(STYLUS)


def block(x0, x1, top, *, name="wall", y=(-200.0, 200.0), bottom=-100.0):
    return Solid(name, "QB-1", "part", Rectangle((x0, y[0]), (x1, y[1])), bottom, top)


def post(x, y, radius, top):
    return Solid("post", "SP-9", "fixture", Disc((x, y), radius), -100.0, top)


@pytest.mark.parametrize(
    ("solid", "tip", "part", "distance"),
    [
        (block(20.0, 30.0, 100.0), (0.0, 0.0, 0.0), "probe body", 0.0),  # the body, ⌀40, reaches to x 20
        (block(20.5, 30.0, 100.0), (0.0, 0.0, 0.0), "probe body", 0.5),
        (block(9.0, 30.0, 20.0), (0.0, 0.0, 0.0), "ball", 6.0),  # 9 less the ball's radius; the stem is 7 away
        (block(-50.0, 50.0, -4.0), (0.0, 0.0, 0.0), "ball", 4.0),
        (post(0.0, 12.0, 5.0, 60.0), (0.0, 0.0, 0.0), "probe body", None),  # under the body: it stands in it
        (post(0.0, 12.0, 5.0, 45.0), (0.0, 0.0, 0.0), "ball", 4.0),
    ],
)
def test_the_nearest_part_at_rest(solid, tip, part, distance):
    near = Tracer((solid,), SHAPE).nearest(tip, 30.0)
    assert near.part == part
    if distance is None:
        assert near.distance < 0
    else:
        assert near.distance == pytest.approx(distance, abs=1e-6)


def test_without_the_ball_and_out_of_sight():
    tracer = Tracer((block(9.0, 30.0, 20.0),), SHAPE)
    assert tracer.nearest((0.0, 0.0, 0.0), 30.0, stem_and_body=True).distance == pytest.approx(7.0, abs=0.05)
    assert tracer.nearest((-300.0, 0.0, 0.0), 30.0) is None


@given(
    gap=st.floats(0.2, 8.0),
    start=st.floats(-60.0, -25.0),
    end=st.floats(25.0, 60.0),
    tall=st.floats(8.0, 40.0),
)
def test_on_the_way_past_a_post_it_is_the_distance_of_the_axes_less_both_radii(gap, start, end, tall):
    """The stem passes a round post: it comes nearest where it is abreast of it, somewhere within a move."""
    radius = 5.0
    away = 2.0 + radius + gap  # the stem's radius, the post's, and what is between
    away = max(away, 3.0 + radius + 0.05)  # the ball is wider than the stem
    tracer = Tracer((post(0.0, away, radius, tall),), SHAPE)
    tracer.closest = {}
    assert tracer.trace((start, 0.0, 0.0), (end, 0.0, 0.0)) is None
    seen = tracer.closest["stylus stem"].distance
    true = away - radius - 2.0
    assert true - 1e-6 <= seen <= true + 0.06 * (true + 0.3)
    assert tracer.closest["stylus stem"].solid == "the post of SP-9"


def test_only_what_came_near_is_kept_and_a_later_nearer_move_wins():
    tracer = Tracer((block(20.0, 30.0, 30.0),), SHAPE)
    tracer.closest = {}
    tracer.trace((0.0, 0.0, 0.0), (5.0, 0.0, 0.0))
    assert tracer.closest == {}  # 13 mm away: as good as free
    tracer.trace((5.0, 0.0, 0.0), (9.0, 0.0, 0.0))
    first = tracer.closest["stylus stem"].distance
    tracer.trace((9.0, 0.0, 0.0), (12.0, 0.0, 0.0))
    assert tracer.closest["stylus stem"].distance == pytest.approx(20.0 - 12.0 - 2.0, abs=0.01)
    assert first > tracer.closest["stylus stem"].distance
    tracer.trace((12.0, 0.0, 0.0), (0.0, 0.0, 0.0))
    assert tracer.closest["stylus stem"].distance == pytest.approx(6.0, abs=0.01)
    assert "probe body" not in tracer.closest  # it stayed 20 mm above


@pytest.mark.parametrize("turn", [0.0, 30.0, 200.0])
def test_a_touched_wall_is_as_near_to_the_stem_as_the_radii_differ(turn):
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    solid = Solid(
        "wall",
        "QB-1",
        "part",
        Rectangle((10.0, -80.0), (30.0, 80.0)),
        -50.0,
        40.0,
        frame=Frame.from_angles((0, 0, 0), c=turn),
    )
    tracer = Tracer((solid,), SHAPE)
    tracer.closest = {}
    contact = tracer.trace((0.0, 0.0, 0.0), (20.0 * c, 20.0 * s, 0.0))
    assert contact.distance == pytest.approx(7.0, abs=1e-5)
    assert tracer.closest["stylus stem"].distance == pytest.approx(1.0, abs=1e-3)
