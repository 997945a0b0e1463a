"""Features from touches, against closed forms, SciPy's solver and Monte Carlo."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import least_squares

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.circle import fit_circle
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.touches import Origin, Touch, axis_of
from brisk_anchor.core.kinds import FeatureKind


def ring(stylus, centre, diameter, angles, kind=FeatureKind.BORE, u=0.001, errors=None):
    """Touches on a perfect bore or boss, radial, with radial errors added."""
    touches = []
    for i, degrees in enumerate(angles):
        a = math.radians(degrees)
        sense = 1 if kind is FeatureKind.BORE else -1
        ball = diameter / 2 - sense * stylus.effective_radius + (errors[i] if errors is not None else 0.0)
        place = (centre[0] + ball * math.cos(a), centre[1] + ball * math.sin(a), -300.0)
        towards = (sense * math.cos(a), sense * math.sin(a), 0.0)
        touches.append(Touch(f"t{i}", place, towards, stylus, u))
    return tuple(touches)


PATTERNS = {
    "cross": (0, 90, 180, 270),
    "three": (10, 130, 250),
    "short arc": (0, 20, 40, 60),
    "quarter, crowded": (0, 5, 10, 80, 90),
    "many": tuple(range(0, 360, 15)),
}


@pytest.mark.parametrize("kind", [FeatureKind.BORE, FeatureKind.BOSS])
@pytest.mark.parametrize("pattern", PATTERNS)
def test_perfect_circles_are_found_exactly_far_from_zero(stylus, kind, pattern):
    centre, diameter = (-71234.5678, 43210.9876), 38.0124
    feature = solve("x", kind, ring(stylus, centre, diameter, PATTERNS[pattern], kind))
    assert feature.coordinates == pytest.approx(centre, abs=1e-8)
    assert feature.size == pytest.approx(diameter, abs=1e-7)
    assert max(map(abs, feature.residuals)) < 1e-8


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(4, 12))
def test_agrees_with_an_independent_solver(seed, count):
    random = np.random.default_rng(seed)
    angles = random.uniform(0, 2 * np.pi) + np.arange(count) * 2 * np.pi / count + random.normal(0, 0.1, count)
    points = np.column_stack([np.cos(angles), np.sin(angles)]) * 16 + random.normal(0, 0.05, (count, 2))
    fit = fit_circle(points, np.full(count, 0.05))
    oracle = least_squares(
        lambda p: np.hypot(points[:, 0] - p[0], points[:, 1] - p[1]) - p[2],
        (0.0, 0.0, 16.0),
        xtol=1e-15,
        ftol=1e-15,
        gtol=1e-15,
    )
    assert (*fit.centre, fit.radius) == pytest.approx(tuple(oracle.x), abs=1e-6)
    assert fit.covariance == pytest.approx(np.linalg.inv(oracle.jac.T @ oracle.jac) * 0.05**2, rel=1e-3, abs=1e-8)


@pytest.mark.parametrize("pattern", ["cross", "short arc", "many"])
def test_stated_uncertainty_covers_what_it_claims(stylus, pattern):
    random = np.random.default_rng(8)
    angles, u, inside, trials = PATTERNS[pattern], 0.002, 0, 1500
    for _ in range(trials):
        errors = random.normal(0, u, len(angles))
        feature = solve("x", FeatureKind.BORE, ring(stylus, (5, 7), 38, angles, u=u, errors=errors))
        inside += abs(feature.coordinates[0] - 5) <= 2 * feature.standard_uncertainty("x")
    assert inside / trials == pytest.approx(0.9545, abs=0.02)


def test_cross_of_four_has_the_textbook_uncertainty(stylus):
    feature = solve("x", FeatureKind.BORE, ring(stylus, (0, 0), 38, PATTERNS["cross"], u=0.001))
    assert feature.standard_uncertainty("x") == pytest.approx(0.001 / math.sqrt(2))
    assert feature.u_size == pytest.approx(2 * math.hypot(0.001 / 2, stylus.u_radius))


def test_a_worse_touch_counts_less(stylus):
    touches = list(ring(stylus, (0, 0), 38, (0, 72, 144, 216, 288), errors=[0.1, 0, 0, 0, 0]))
    even = solve("x", FeatureKind.BORE, tuple(touches)).coordinates[0]
    touches[0] = replace(touches[0], u=0.1)
    weighed = solve("x", FeatureKind.BORE, tuple(touches)).coordinates[0]
    assert abs(weighed) < abs(even) / 100


@pytest.mark.parametrize(
    ("direction", "expected_z"),
    [((0.0, 0.0, -1.0), -352.7), ((0.0, 0.0, 1.0), None)],
)
def test_surface_below_is_spindle_less_length(stylus, direction, expected_z):
    feature = solve("top", FeatureKind.SURFACE, (Touch("t", (1.0, 2.0, -202.7), direction, stylus, 0.0005),))
    assert feature.axes == ("z",)
    if expected_z is not None:
        assert feature.coordinates[0] == pytest.approx(-202.7 - stylus.length)
        assert feature.standard_uncertainty("z") == pytest.approx(math.hypot(0.0005, stylus.u_length))
    else:
        assert feature.coordinates[0] == pytest.approx(-202.7 - stylus.length + 2 * stylus.effective_radius)


@pytest.mark.parametrize(("axis", "sign"), [(0, 1), (0, -1), (1, 1), (1, -1)])
def test_side_surfaces_lie_one_radius_beyond_the_ball(stylus, axis, sign):
    direction = tuple(float(sign) if i == axis else 0.0 for i in range(3))
    touches = tuple(Touch("t", (10.0 + d, 20.0 + d, -300.0), direction, stylus, 0.001) for d in (-0.002, 0.002))
    feature = solve("wall", FeatureKind.SURFACE, touches)
    assert feature.coordinates[0] == pytest.approx((10.0, 20.0)[axis] + sign * stylus.effective_radius)
    assert feature.form == pytest.approx(0.004)
    assert feature.standard_uncertainty("xy"[axis]) == pytest.approx(math.hypot(0.001 / math.sqrt(2), stylus.u_radius))


def broken_patterns(stylus):
    line = [Touch(f"t{i}", (float(i), 0.0, 0.0), (1.0, 0.0, 0.0), stylus, 0.001) for i in range(4)]
    other = replace(stylus, tool_number=21)
    good = ring(stylus, (0, 0), 38, (0, 90, 180))
    return {
        "two": (good[:2], "takes 3 touches"),
        "line": (line, "line"),
        "one spot": ([good[0]] * 3, "one spot"),
        "two styli": ([good[0], good[1], replace(good[2], stylus=other)], "more than one tool"),
        "along z": ([*good[:2], replace(good[2], direction=(0.0, 0.0, -1.0))], "along Z"),
    }


@pytest.mark.parametrize("name", ["two", "line", "one spot", "two styli", "along z"])
def test_touches_that_define_nothing_are_refused(stylus, name):
    touches, reason = broken_patterns(stylus)[name]
    with pytest.raises(GeometryError, match=reason):
        solve("x", FeatureKind.BORE, tuple(touches))


def test_surface_refuses_touches_of_two_surfaces(stylus):
    a = Touch("a", (0.0, 0.0, 0.0), (1.0, 0.0, 0.0), stylus, 0.001)
    with pytest.raises(GeometryError, match="differ"):
        solve("x", FeatureKind.SURFACE, (a, replace(a, direction=(-1.0, 0.0, 0.0))))
    with pytest.raises(GeometryError, match="not touched"):
        solve("x", FeatureKind.SURFACE, ())
    with pytest.raises(GeometryError, match="askew"):
        axis_of((0.8, 0.6, 0.0))


@pytest.mark.parametrize(
    "change",
    [
        {"position": (math.nan, 0.0, 0.0)},
        {"direction": (1.0, 1.0, 0.0)},
        {"u": -1.0},
    ],
)
def test_touches_with_nonsense_cannot_be_made(stylus, change):
    good = {"label": "t", "position": (0.0, 0.0, 0.0), "direction": (1.0, 0.0, 0.0), "stylus": stylus, "u": 0.001}
    Touch(**good, source=Origin.TYPED)
    with pytest.raises(GeometryError):
        Touch(**good | change)


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"ball_diameter": 6000.0}, "no probe ball"),
        ({"ball_diameter": 0.0}, "no probe ball"),
        ({"effective_radius": 6.0}, "does not go with"),
        ({"length": 1.5}, "absurd"),
        ({"u_length": -0.1}, "below zero"),
        ({"stem_diameter": 8.0}, "thicker"),
        ({"stem_length": 500.0}, "do not fit"),
        ({"length": math.inf}, "no number"),
    ],
)
def test_an_absurd_probe_is_refused(stylus, change, reason):
    with pytest.raises(GeometryError, match=reason):
        replace(stylus, **change)


@pytest.mark.parametrize("arc", [3, 8, 20, 45])
def test_a_flat_arc_is_still_a_circle_with_the_uncertainty_it_has(arc):
    """Steps that end in rounding are an end: the centre lies on the bisector, as far off as its ± says."""
    rng = np.random.default_rng(arc)
    headings = np.radians(np.linspace(-arc / 2, arc / 2, 5))
    u, off = 0.0005, []
    for _ in range(200):
        noise = rng.normal(0, u, 5)
        points = np.column_stack([(100 + noise) * np.cos(headings), (100 + noise) * np.sin(headings)])
        fit = fit_circle(points + np.array([-470.0, -286.0]), np.full(5, u))
        off.append((fit.centre[0] + 470.0) / np.sqrt(fit.covariance[0, 0]))
    assert np.mean(np.abs(off) < 1.96) == pytest.approx(0.95, abs=0.05)
