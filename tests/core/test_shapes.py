"""Edges, corners, planes, spheres, known circles, axes, fits and sweeps: exact shapes come back, coverage is honest."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import BriskAnchorError, GeometryError
from brisk_anchor.core.features.alignment import axis_through, best_fit, plane_line_point, sweep
from brisk_anchor.core.features.shapes import corner, solve_edge, solve_known_circle, solve_plane, solve_sphere
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.checks import look_at_feature
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.core.uncertainty.estimates import covariance_of

R, LENGTH = 2.994, 150.0
STYLUS = Stylus(20, "probe", 6.0, R, LENGTH, 0.0005, 0.0005, 0.002, 4.0, 50.0, 40.0, 70.0)
PLACE = st.floats(-600, 0)


QUIET = replace(STYLUS, u_radius=0.0, u_length=0.0)
"""The same with nothing shared by its touches: what is left is their own."""


def touch(contact, normal, u=0.001, label="t", stylus=STYLUS):
    """A touch whose ball, `R` away along the outward normal of the metal, meets it at `contact`."""
    centre = np.array(contact) + R * np.array(normal)
    spindle = (centre[0], centre[1], centre[2] + LENGTH - R)
    return Touch(label, spindle, tuple(-float(v) for v in normal), stylus, u)


def edge_touches(x, y, heading, places, noise=None, stylus=STYLUS):
    """Touches on an edge through (x, y) whose metal lies to the left of `heading`."""
    c, s = math.cos(math.radians(heading)), math.sin(math.radians(heading))
    shifts = noise if noise is not None else [0.0] * len(places)
    return [
        touch((x + c * t - s * e, y + s * t + c * e, -300.0), (s, -c, 0.0), stylus=stylus)
        for t, e in zip(places, shifts, strict=True)
    ]


@given(PLACE, PLACE, st.floats(-179, 179), st.lists(st.floats(-80, 80), min_size=2, max_size=6, unique=True))
def test_an_edge_comes_back_at_any_heading(x, y, heading, places):
    if max(places) - min(places) < 1:
        return
    edge = solve_edge("edge", edge_touches(x, y, heading, places))
    assert math.isclose(math.remainder(edge.heading - heading, 360), 0, abs_tol=1e-6)
    assert edge.across(x, y)[0] == pytest.approx(0, abs=1e-9)
    c, s = math.cos(math.radians(heading)), math.sin(math.radians(heading))
    assert edge.across(x - 7 * s, y + 7 * c)[0] == pytest.approx(7, abs=1e-7)
    assert edge.residuals == pytest.approx([0] * len(places), abs=1e-9)


def test_the_heading_of_two_touches_is_known_by_their_distance():
    edge = solve_edge("edge", edge_touches(-100, -50, 0, [0, 80]))
    # Two touches of 1 µm, 80 mm apart: √2 · 0.001 / 80 rad.
    assert edge.u_heading == pytest.approx(math.degrees(math.sqrt(2) * 0.001 / 80))
    assert edge.across(-60, -50)[1] == pytest.approx(math.hypot(0.001 / math.sqrt(2), 0.0005))
    assert edge.across(100, -50)[1] > 3 * edge.across(-60, -50)[1]


@given(PLACE, PLACE, st.floats(-180, 180), st.floats(30, 150))
def test_a_corner_comes_back_whatever_its_angle(x, y, heading, between):
    first = solve_edge("a", edge_touches(x, y, heading, [10, 60]))
    second = solve_edge("b", edge_touches(x, y, heading + between, [15, 40]))
    found = corner(first, second)
    assert found.place == pytest.approx((x, y), abs=1e-7)
    assert found.angle == pytest.approx(min(between, 180 - between), abs=1e-6)
    assert np.all(np.linalg.eigvalsh(found.covariance) > 0)


@given(PLACE, PLACE, st.floats(-8, 8), st.floats(-8, 8))
def test_a_plane_comes_back_at_any_tilt(x, y, a, b):
    slope_x, slope_y = math.tan(math.radians(a)), math.tan(math.radians(b))
    normal = np.array((-slope_x, -slope_y, 1.0))
    normal /= np.linalg.norm(normal)
    places = [(0, 0), (60, 5), (10, 50), (55, 45)]
    plane = solve_plane("top", [touch((x + u, y + v, -500 + slope_x * u + slope_y * v), normal) for u, v in places])
    assert plane.tilt == pytest.approx((-a, -b), abs=1e-6)
    assert plane.height(x + 30, y + 20)[0] == pytest.approx(-500 + slope_x * 30 + slope_y * 20, abs=1e-7)
    assert plane.height(x + 300, y)[1] > plane.height(x + 30, y + 20)[1]


def ball_touches(centre, diameter, headings, inside=False):
    sense = -1.0 if inside else 1.0
    result = []
    for a, b in headings:
        c = math.cos(math.radians(b))
        away = np.array((c * math.cos(math.radians(a)), c * math.sin(math.radians(a)), math.sin(math.radians(b))))
        result.append(touch(np.array(centre) + diameter / 2 * away, sense * away))
    return result


@given(st.tuples(PLACE, PLACE, PLACE), st.floats(10, 80), st.booleans(), st.booleans())
def test_a_ball_and_a_hollow_come_back(centre, diameter, hollow, known):
    headings = [(0, 5), (90, 10), (180, 0), (270, 5)] if hollow else [(0, 10), (120, 5), (240, 0), (0, 90)]
    touches = ball_touches(centre, diameter, headings if not hollow else [*headings, (45, -80)], hollow)
    sphere = solve_sphere("ball", touches, inside=hollow, diameter=diameter if known else None)
    assert sphere.centre == pytest.approx(centre, abs=1e-6)
    assert sphere.diameter == pytest.approx(diameter, abs=1e-6)
    assert len(sphere.covariance) == (3 if known else 4)


@given(PLACE, PLACE, st.floats(12, 200), st.floats(40, 140), st.booleans())
def test_two_touches_are_enough_where_the_diameter_is_known(x, y, diameter, apart, inside):
    sense = -1.0 if inside else 1.0
    touches = []
    for angle in (20.0, 20.0 + apart):
        away = np.array((math.cos(math.radians(angle)), math.sin(math.radians(angle)), 0.0))
        touches.append(touch(np.array((x, y, -300.0)) + diameter / 2 * away, sense * away))
    found = solve_known_circle("bore", touches, inside=inside, diameter=diameter)
    assert found.centre == pytest.approx((x, y), abs=1e-6)
    assert np.linalg.eigvalsh(found.covariance)[0] > 0


NARROW = ball_touches((0, 0, 0), 20, [(0, 0), (180, 0)], True)


@pytest.mark.parametrize(
    ("work", "reason"),
    [
        (lambda: solve_edge("e", edge_touches(0, 0, 0, [5])), "takes 2"),
        (lambda: solve_edge("e", edge_touches(0, 0, 0, [5, 5])), "on one spot"),
        (lambda: solve_edge("e", edge_touches(0, 0, 0, [5]) + edge_touches(30, 0, 180, [5])), "different sides"),
        (lambda: corner(*(solve_edge("e", edge_touches(0, 0, h, [0, 50])) for h in (0, 1))), "nearly parallel"),
        (lambda: solve_plane("p", [touch((i, i, 0.0), (0, 0, 1)) for i in range(4)]), "on a line"),
        (lambda: solve_sphere("s", ball_touches((0, 0, 0), 20, [(i, 0) for i in (0, 90, 180, 270)])), "do not define"),
        (
            lambda: solve_known_circle(
                "b", ball_touches((0, 0, 0), 20, [(0, 0), (180, 0)], True), inside=True, diameter=5
            ),
            "does not go",
        ),
        (lambda: best_fit([(0, 0)], [(0, 0)], [0.1]), "takes 2"),
        (lambda: best_fit([(0, 0), (0, 0)], [(5, 5), (5, 5)], [0.1, 0.1]), "on one spot"),
        (lambda: sweep([(0, 0.0), (90, 0.1)], Scatter(0.001), inside=True), "three readings"),
        (lambda: sweep([(0, 0.0), (1, 0.1), (2, 0.1)], Scatter(0.001), inside=True), "too close"),
        (lambda: axis_through((0, 0), (1, 1), 0.0, 0.01, (np.eye(2), np.eye(2))), "nearly one"),
    ],
)
def test_what_defines_nothing_is_refused(work, reason):
    with pytest.raises(GeometryError, match=reason):
        work()


def test_a_diameter_that_may_be_off_makes_the_centre_uncertain():
    """Touched at 0° and 90° the centre goes by half of the diameter's error along each axis, and along both at once."""
    touches = tuple(touch((20 * c, 20 * s, 0), (-c, -s, 0), u=0.0, stylus=QUIET) for c, s in ((1, 0), (0, 1)))
    exact, unsure = (solve("bore", FeatureKind.BORE, touches, diameter=40, u_diameter=u) for u in (0.0, 0.06))
    assert exact.standard_uncertainty("x") == 0
    assert covariance_of(list(unsure.estimates().values())) == pytest.approx(np.full((2, 2), 0.03**2))


@given(PLACE, PLACE, st.floats(-170, 170), st.booleans())
def test_a_drawing_is_fitted_to_where_its_features_are(x, y, angle, given_):
    drawn = [(0.0, 0.0), (80.0, 10.0), (20.0, 60.0)]
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    measured = [(x + c * u - s * v, y + s * u + c * v) for u, v in drawn]
    fit = best_fit(measured, drawn, [0.001, 0.002, 0.001], angle=angle if given_ else None)
    assert fit.place == pytest.approx((x, y), abs=1e-7)
    assert math.isclose(math.remainder(fit.angle - angle, 360), 0, abs_tol=1e-7)
    assert fit.point(10, 5) == pytest.approx((x + c * 10 - s * 5, y + s * 10 + c * 5), abs=1e-7)
    assert fit.covariance[2, 2] == 0 if given_ else fit.covariance[2, 2] > 0


def test_plane_line_and_point_make_a_frame():
    normal = np.array((-0.01, 0, 1)) / math.hypot(0.01, 1)
    corners = ((0, 0), (80, 0), (0, 60), (80, 60))
    plane = solve_plane("top", [touch((u, v, -500.0 + 0.01 * u), normal) for u, v in corners])
    edge = solve_edge("front", edge_touches(0, 0, 10, [0, 80]))
    frame = plane_line_point(plane, edge, (0.0, 0.0, -480.0))
    z = frame.turn((0, 0, 1))
    assert z == pytest.approx(normal, abs=1e-9)
    x = frame.turn((1, 0, 0))
    assert math.degrees(math.atan2(x[1], x[0])) == pytest.approx(10, abs=0.001)
    ox, _, oz = frame.point((0, 0, 0))
    assert oz == pytest.approx(-500 + 0.01 * ox, abs=1e-9)


def test_an_axis_through_two_levels_leans_and_a_cone_opens():
    axis = axis_through((0.0, 0.0), (0.5, -0.25), -40.0, 0.0, (np.eye(2) * 1e-6, np.eye(2) * 1e-6), (20.0, 24.0))
    assert axis.lean == pytest.approx((math.degrees(math.atan(0.5 / 40)), -math.degrees(math.atan(0.25 / 40))))
    assert axis.half_angle == pytest.approx(math.degrees(math.atan(2 / 40)))
    place, covariance = axis.at(-60.0)
    assert place == pytest.approx((-0.25, 0.125))
    assert covariance[0, 0] == pytest.approx(1e-6 * (1.5**2 + 0.5**2))


@given(st.floats(-0.2, 0.2), st.floats(-0.2, 0.2), st.floats(0, 0.02), st.floats(-80, 80), st.booleans())
def test_an_indicator_finds_the_centre_and_the_oval(ex, ey, oval, heading, inside):
    sign = -1 if inside else 1
    readings = []
    for angle in range(0, 360, 45):
        t = math.radians(angle)
        wall = 30 + ex * math.cos(t) + ey * math.sin(t) + oval * math.cos(2 * (t - math.radians(heading)))
        readings.append((angle, 5 + sign * (wall - 30)))
    found = sweep(readings, Scatter(0.002), inside=inside)
    assert found.centre == pytest.approx((ex, ey), abs=1e-9)
    assert found.ovality == pytest.approx(oval, abs=1e-9)
    if oval > 1e-4:
        assert math.remainder(found.heading - heading, 180) == pytest.approx(0, abs=1e-3)
    four = sweep([reading for reading in readings if reading[0] % 90 == 0], Scatter(0.002), inside=inside)
    assert four.ovality is None
    assert four.covariance[0, 0] == pytest.approx(0.002**2 / 2)


def test_a_known_or_a_short_arc_is_told_by_its_covariance():
    def u(angles):
        touches = []
        for angle in angles:
            away = np.array((math.cos(math.radians(angle)), math.sin(math.radians(angle)), 0.0))
            touches.append(touch(np.array((0.0, 0.0, -300.0)) + 20 * away, -away))
        found = solve_known_circle("bore", touches, inside=True, diameter=40)
        return math.sqrt(np.linalg.eigvalsh(found.covariance)[-1])

    values = [u(angles) for angles in ((0, 90), (0, 40), (0, 15))]
    assert values == sorted(values)
    assert values[0] == pytest.approx(0.001)


@pytest.mark.parametrize("shape", ["edge", "corner", "plane", "fit"])
def test_coverage_of_the_stated_uncertainty(shape):
    source, inside, trials = np.random.default_rng(5), 0, 1500
    for _ in range(trials):
        noise = source.normal(0, 0.001, 8)
        if shape == "edge":
            edge = solve_edge("e", edge_touches(-100, -50, 25, [0, 30, 80], noise[:3]))
            error, u = math.remainder(edge.heading - 25, 360), edge.u_heading
        elif shape == "corner":
            pairs = ((10, noise[:2]), (95, noise[2:4]))
            found = corner(*(solve_edge("e", edge_touches(-100, -50, h, [5, 60], n, QUIET)) for h, n in pairs))
            error, u = found.place[0] + 100, math.sqrt(found.covariance[0, 0])
        elif shape == "plane":
            places = [(0, 0), (60, 0), (0, 50), (60, 50)]
            touches = [touch((x, y, e), (0, 0, 1), stylus=QUIET) for (x, y), e in zip(places, noise[:4], strict=True)]
            error, u = solve_plane("p", touches).height(90, 10)
        else:
            drawn = [(0, 0), (80, 0), (40, 50)]
            measured = [(x + a, y + b) for (x, y), a, b in zip(drawn, noise[:3], noise[3:6], strict=True)]
            fit = best_fit(measured, drawn, [0.001] * 3)
            error, u = fit.place[1], math.sqrt(fit.covariance[1, 1])
        inside += abs(error) <= 2 * u
    assert 0.935 < inside / trials < 0.972


def test_a_short_arc_is_told_with_its_uncertainty():
    def looks(angles):
        touches = []
        for angle in angles:
            away = np.array((math.cos(math.radians(angle)), math.sin(math.radians(angle)), 0.0))
            touches.append(touch(np.array((0.0, 0.0, -300.0)) + 20 * away, -away))
        return look_at_feature(solve("bore", FeatureKind.BORE, tuple(touches)), 40.0, None, 0.3)

    assert looks((0, 120, 240)) == []
    (look,) = looks((0, 20, 40))
    assert not look.stops
    # Three touches over 40°: the sagitta is 1.2 mm, and a 1 µm touch moves the centre by some 20 µm.
    assert "short arc: its centre is known to ±0.0" in look.found


@pytest.mark.parametrize("kind", [kind for kind in FeatureKind if not kind.is_built])
def test_touches_in_one_place_or_two_are_refused_or_give_figures(kind):
    """A report, or a person, may tell the same touch many times: no library's error, and nothing that is no number."""
    normals = [(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1)]
    for count, one_way, apart in product(range(13), (True, False), (0.0, 5.0, 1e9)):
        touches = tuple(
            touch((-300.1 + apart * (n % 2), -200.2, -350.3), normals[n % len(normals) if not one_way else 4])
            for n in range(count)
        )
        try:
            feature = solve("f", kind, touches, diameter=20.0 if count == 2 else None)
        except BriskAnchorError:
            continue
        figures = [*feature.coordinates, *(figure for _, effect in feature.effects for figure in effect)]
        assert np.isfinite(figures).all()
