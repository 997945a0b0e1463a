"""The ways of the probe in one measurement, and a string pulled tight round what is in the way."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import ConvexHull, QhullError

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.probe_path import between, entry, leaving, search_start
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.geometry.hull import convex_hull
from brisk_anchor.core.geometry.string_path import string_length
from brisk_anchor.core.kinds import FeatureKind

SQUARE = [(-10.0, -5.0), (10.0, -5.0), (10.0, 5.0), (-10.0, 5.0)]
PLUS_X, MINUS_X, PLUS_Y, MINUS_Y = (1.0, 0.0, 0.0), (-1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, -1.0, 0.0)


def measurement(kind, directions, **more):
    stylus = Stylus(20, "T20", 6.0, 2.994, 150.0, 0.001, 0.001, 0.002, 4.0, 50.0, 40.0, 80.0)
    figures = {"search": 5.0, "start_uncertainty": 2.0, "clear_z": -300.0, "start": (-400.0, -200.0, -350.0)} | more
    return Measurement("a", kind, stylus, directions=directions, **figures)


@pytest.mark.parametrize(
    ("start", "end", "length"),
    [
        ((-14.0, 0.0), (14.0, 0.0), 20.0 + 2 * math.hypot(4.0, 5.0)),  # by both corners of one side
        ((-14.0, 1.0), (14.0, 1.0), 20.0 + 2 * math.hypot(4.0, 4.0)),  # of the nearer side
        ((-14.0, 0.0), (0.0, 9.0), math.hypot(4.0, 5.0) + math.hypot(10.0, 4.0)),  # round one corner
        ((-14.0, 6.0), (14.0, 6.0), 28.0),  # clear of it
        ((-14.0, 0.0), (-14.0, 3.0), 3.0),
    ],
)
def test_a_string_round_a_block_by_hand(start, end, length):
    assert string_length(start, end, SQUARE) == pytest.approx(length)
    assert string_length(end, start, SQUARE) == pytest.approx(length)


@given(st.floats(1.0, 40.0), st.floats(1.05, 3.0), st.floats(0.0, 6.28))
def test_a_string_round_a_circle_is_two_tangents_and_the_arc_between(radius, far, turn):
    """From R·far on one side to the other: tangents of √(d² − R²), and π − 2·arccos(R/d) of the rim."""
    rim = [(radius * math.cos(n * math.pi / 180), radius * math.sin(n * math.pi / 180)) for n in range(360)]
    d = radius * far
    start = (d * math.cos(turn), d * math.sin(turn))
    by_hand = 2 * math.sqrt(d * d - radius * radius) + radius * (math.pi - 2 * math.acos(1 / far))
    found = string_length(start, (-start[0], -start[1]), rim)
    assert found == pytest.approx(by_hand, rel=2e-3)
    assert found <= by_hand + 1e-9


@given(st.lists(st.tuples(st.integers(-5, 5), st.integers(-5, 5)), min_size=1, max_size=30))
def test_the_corners_of_a_hull_are_those_of_another_method(points):
    ring = [points[at] for at in convex_hull(points)]
    assert ring[0] == min(points)
    try:
        other = ConvexHull(points)
    except (QhullError, ValueError):  # all on one line
        assert set(ring) == {min(points), max(points)}
        return
    assert len(ring) == len(set(ring))
    assert set(ring) == {points[at] for at in other.vertices}
    area = sum(a[0] * b[1] - a[1] * b[0] for a, b in zip(ring, [*ring[1:], ring[0]], strict=True)) / 2
    assert area == pytest.approx(other.volume)


def test_it_comes_down_where_it_touches_first_and_goes_up_where_it_touched_last():
    edge = measurement(FeatureKind.EDGE, (PLUS_Y,), spread=80.0, standoff=6.0)
    assert (entry(edge), leaving(edge)) == ((-440.0, -200.0), (-360.0, -200.0))
    corner = measurement(FeatureKind.INSIDE_CORNER, (PLUS_X, PLUS_Y), spread=15.0, standoff=6.0)
    places = [search_start(corner, contact)[:2] for contact in corner.contacts()]
    # Towards the corner along one wall, away from it along the other.
    assert places == [(-400.0, -215.0), (-400.0, -200.0), (-400.0, -200.0), (-415.0, -200.0)]


def test_long_walls_are_touched_there_and_back():
    pocket = measurement(FeatureKind.POCKET, (MINUS_X, PLUS_X, MINUS_Y, PLUS_Y), size=60.0, size_y=40.0, spread=20.0)
    assert [contact.aside[:2] for contact in pocket.contacts()] == [
        *((0.0, -10.0), (0.0, 10.0), (0.0, 10.0), (0.0, -10.0)),
        *((-10.0, 0.0), (10.0, 0.0), (10.0, 0.0), (-10.0, 0.0)),
    ]
    assert sum(math.dist(*leg) for leg in between(pocket)) == pytest.approx(20.0 * 4 + math.hypot(10.0, 10.0))


def test_over_a_ball_it_goes_as_high_as_its_top_was_found_and_could_stand_higher():
    """The ball's centre runs on 13: met 2·√2 beside the top it lies 13 − √(169 − 8) = 0.311 too low, and 1 is left."""
    directions = ((0.0, 0.0, -1.0), MINUS_X, PLUS_X, MINUS_Y, PLUS_Y)
    ball = measurement(FeatureKind.BALL, directions, size=20.0, standoff=8.0, depth=13.0, drop=21.0)
    assert ball.hop_height == pytest.approx(13.0 + 0.3114 + 1.0, abs=1e-4)
    first, *_, last = ball.contacts()
    assert ball.search_down(first) == pytest.approx(8.0 + 2.0 + 1.0)
    assert ball.search_down(last) == pytest.approx(1.3114 + 1.0, abs=1e-4)
    assert max(end[2] for _, end in list(between(ball))[2:]) == pytest.approx(-350.0 - 21.0 + ball.hop_height)
