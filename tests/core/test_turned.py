"""Parts that lie turned: walls at a skew, offsets turned with the part; places worked out by plain trigonometry."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_anchor.core.errors import DatumError, GeometryError
from brisk_anchor.core.features.calibration import calibrate
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.chain import solve_offset
from brisk_anchor.core.offsets.rules import Fixed, FromFeature, FromFit, FromHeading, Keep

PROBE = Stylus(20, "probe", 6.0, 2.994, 150.0, 0.0, 0.0005, 0.001, 4.0, 50.0, 40.0, 70.0)
U = 0.001
ZERO = np.array((-433.21, -250.4))
ANGLES = st.floats(-12, 12, allow_nan=False)


def _turn(angle: float) -> np.ndarray:
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    return np.array(((c, -s), (s, c)))


def wall(
    angle: float, direction: tuple[float, float], along: float, at: tuple[float, float], noise: float = 0.0
) -> Touch:
    """A touch along a machine axis on a wall of a part turned about ZERO.

    The wall is square to `direction` in the part and goes through `at`; `along` is the other machine coordinate of the
    ball, counted from ZERO. Where a ball of that radius stops is found by cutting two lines.
    """
    turn = _turn(angle)
    normal, through = turn @ np.array(direction), ZERO + turn @ np.array(at)
    axis = 0 if direction[0] else 1
    centre = ZERO + along
    # Of the ball's centre: normal · (centre − through) = −r; one coordinate is given, the other follows.
    rest = -PROBE.effective_radius - normal[1 - axis] * (centre[1 - axis] - through[1 - axis])
    centre[axis] = through[axis] + rest / normal[axis] + noise
    spindle_z = -300.0 + PROBE.length - PROBE.effective_radius
    return Touch("w", (float(centre[0]), float(centre[1]), spindle_z), (*direction, 0.0), PROBE, U)


def ring(angle: float, at: tuple[float, float], radius: float, z: float = -300.0) -> tuple[Touch, ...]:
    """Four touches in a bore whose place on the part is `at`."""
    middle = ZERO + _turn(angle) @ np.array(at)
    touches = []
    for dx, dy in ((-1, 0), (1, 0), (0, -1), (0, 1)):
        x, y = middle + (radius - PROBE.effective_radius) * np.array((dx, dy))
        position = (float(x), float(y), z + PROBE.length - PROBE.effective_radius)
        touches.append(Touch("b", position, (float(dx), float(dy), 0.0), PROBE, U))
    return tuple(touches)


@given(ANGLES)
def test_walls_of_a_turned_part_put_its_zero_where_it_is(angle: float) -> None:
    front = tuple(wall(angle, (0, 1), along, (0, 0)) for along in (20.0, 70.0))
    left = (wall(angle, (1, 0), 15.0, (0, 0)),)
    features = {
        "front": solve("front", FeatureKind.EDGE, front),
        "left": solve("left", FeatureKind.SURFACE, left),
    }
    rules = {"x": FromFeature("left"), "y": FromFeature("front"), "r": FromHeading("front"), "z": Keep()}
    chain = solve_offset("G54", rules, features, {"z": 1.0})
    assert chain.values["r"] == pytest.approx(angle, abs=1e-9)
    assert (chain.values["x"], chain.values["y"]) == pytest.approx(tuple(ZERO), abs=1e-9)
    # The heading's ± is that of two touches 50 mm apart, seen square to the edge; X is a whole 15 mm off the zero.
    assert chain.axis("r").u == pytest.approx(math.degrees(math.sqrt(2) * U / 50) * math.cos(math.radians(angle)))


@settings(max_examples=40)
@given(ANGLES, st.floats(-90, 90), st.floats(-60, 60))
def test_two_bores_give_place_and_angle_at_once(angle: float, dx: float, dy: float) -> None:
    if math.hypot(dx, dy) < 5:
        return
    features = {
        "a": solve("a", FeatureKind.BORE, ring(angle, (10.0, 5.0), 12.0)),
        "b": solve("b", FeatureKind.BORE, ring(angle, (10.0 + dx, 5.0 + dy), 8.0)),
    }
    heading = math.degrees(math.atan2(dy, dx))
    rules = {"x": FromFeature("a", 10.0), "y": FromFeature("a", 5.0), "r": FromHeading("a", "b", heading)}
    chain = solve_offset("G54", rules, features)
    assert chain.values["r"] == pytest.approx(angle, abs=1e-8)
    assert (chain.values["x"], chain.values["y"]) == pytest.approx(tuple(ZERO), abs=1e-8)
    fit = FromFit(("a", "b"), ((10.0, 5.0), (10.0 + dx, 5.0 + dy)))
    fitted = solve_offset("G54", {"x": fit, "y": fit, "r": fit}, features)
    assert fitted.values == pytest.approx(chain.values, abs=1e-8)
    assert max(abs(t.value) for axis in fitted.axes for t in axis.terms[1:-1]) < 1e-8


def test_the_stated_uncertainty_of_a_turned_zero_is_what_noise_makes_of_it() -> None:
    angle, generator = 3.0, np.random.default_rng(5)
    rules = {
        "x": FromFeature("left", -4.0),
        "y": FromFeature("front"),
        "r": FromHeading("front"),
    }
    stated, found = None, []
    for _ in range(600):
        e = generator.normal(0, U, 3)
        features = {
            "front": solve(
                "front",
                FeatureKind.EDGE,
                tuple(wall(angle, (0, 1), p, (0, 0), float(n)) for p, n in zip((90.0, 140.0), e, strict=False)),
            ),
            "left": solve("left", FeatureKind.SURFACE, (wall(angle, (1, 0), 60.0, (-4, 0), float(e[2])),)),
        }
        chain = solve_offset("G54", rules, features)
        stated = [math.sqrt(chain.own_variance(axis)) for axis in "xyr"]
        found.append([chain.values[axis] for axis in "xyr"])
    spread = np.std(np.array(found), axis=0, ddof=1)
    assert stated == pytest.approx(tuple(spread), rel=0.12)
    assert stated[1] > 2 * U  # the front was touched far from the zero: the angle's error counts there


@pytest.mark.parametrize(
    ("kind", "sense"),
    [(FeatureKind.POCKET, 1), (FeatureKind.BLOCK, -1), (FeatureKind.SLOT, 1), (FeatureKind.WEB, -1)],
)
@pytest.mark.parametrize("angle", [-7.0, 0.0, 2.5])
def test_middle_size_and_turn_from_two_touches_a_wall(kind: FeatureKind, sense: int, angle: float) -> None:
    touches = []
    sides = ((-1, 0), (1, 0)) if not kind.has_two_sizes else ((-1, 0), (1, 0), (0, -1), (0, 1))
    for dx, dy in sides:
        half = 20.0 if dx else 15.0
        at = (dx * half, dy * half)
        touches += [wall(angle, (sense * dx, sense * dy), along, at) for along in (-8.0, 8.0)]
    feature = solve("it", kind, tuple(touches))
    assert feature.size == pytest.approx(40.0, abs=1e-9)
    assert feature.angles["r"] == pytest.approx(angle, abs=1e-9)
    if kind.has_two_sizes:
        assert (feature.coordinates[:2], feature.size_y) == (pytest.approx(tuple(ZERO)), pytest.approx(30.0))
        assert feature.square == pytest.approx(0.0, abs=1e-9)
    else:
        spot = feature.places[0]
        assert np.array(_turn(-angle) @ (np.array(spot[:2]) - ZERO))[0] == pytest.approx(0.0, abs=1e-9)


def test_a_corner_that_is_not_square_lies_where_its_walls_meet() -> None:
    front = [wall(4.0, (0, -1), along, (0, 0)) for along in (-30.0, -60.0)]
    right = [wall(2.0, (-1, 0), along, (0, 0)) for along in (10.0, 45.0)]
    corner = solve("c", FeatureKind.OUTSIDE_CORNER, (*right, *front))
    assert corner.coordinates[:2] == pytest.approx(tuple(ZERO), abs=1e-9)
    assert (corner.square, corner.angles["r"]) == (pytest.approx(-2.0), pytest.approx(3.0))
    with pytest.raises(GeometryError, match="two touches"):
        solve("c", FeatureKind.OUTSIDE_CORNER, (*right, front[0]))


def shared(feature: Feature, axis: str) -> dict[str, float]:
    """What a coordinate depends on beside its own touches, by what a budget calls it."""
    return {source.words: effect for source, effect in feature.estimates()[axis].effects.items() if not source.own}


def test_plane_ball_and_tilted_bore_tell_height_and_lean() -> None:
    # A plane z = −300 + 0.01 x − 0.02 y (from ZERO): the ball stops where its own centre is one radius off.
    slope = np.array((0.01, -0.02))
    up = math.sqrt(1 + float(slope @ slope))
    touches = []
    for x, y in ((0, 0), (50, 5), (10, 60), (40, 50)):
        centre_z = -300 + float(slope @ (x, y)) + PROBE.effective_radius * up
        position = (ZERO[0] + x, ZERO[1] + y, centre_z + PROBE.length - PROBE.effective_radius)
        touches.append(Touch("p", position, (0.0, 0.0, -1.0), PROBE, U))
    plane = solve("p", FeatureKind.PLANE, tuple(touches))
    x, y, _ = plane.places[0]
    assert plane.coordinates[0] == pytest.approx(-300 + float(slope @ (x - ZERO[0], y - ZERO[1])), abs=1e-9)
    assert (plane.angles["a"], plane.angles["b"]) == (
        pytest.approx(-math.degrees(math.atan(0.02))),
        pytest.approx(-math.degrees(math.atan(0.01))),
    )
    assert shared(plane, "z")["length of T20"] == pytest.approx(-PROBE.u_length)
    bore = solve("t", FeatureKind.TILTED_BORE, (*ring(0, (0.2, 0), 12, -310.0), *ring(0, (0, 0.1), 12.5, -330.0)))
    assert bore.coordinates[:2] == pytest.approx((ZERO[0] + 0.2, ZERO[1]))
    assert bore.angles == {
        "a": pytest.approx(math.degrees(math.atan2(0.1, 20))),
        "b": pytest.approx(math.degrees(math.atan2(0.2, 20))),
    }
    assert bore.sizes == {"D": pytest.approx(24), "E": pytest.approx(25)}
    with pytest.raises(GeometryError, match="one level"):
        solve("t", FeatureKind.TILTED_BORE, ring(0, (0, 0), 12))


def test_two_touches_and_the_diameter_give_a_centre_that_hangs_on_the_radius() -> None:
    touches = tuple(t for t in ring(0, (0, 0), 19.0) if t.direction[0] + t.direction[1] > 0)
    bore = solve("b", FeatureKind.BORE, touches, diameter=38.0)
    assert bore.coordinates == pytest.approx(tuple(ZERO), abs=1e-9)
    # Both touches point away from the centre at 0° and 90°: a radius larger by ε moves the centre by ε along each.
    for axis in "xy":
        assert shared(bore, axis)["radius of T20"] == pytest.approx(PROBE.u_radius, rel=0.01)


def test_rules_that_do_not_belong_are_refused() -> None:
    features = {"a": solve("a", FeatureKind.BORE, ring(0, (0, 0), 12.0))}
    a = FromFeature("a")
    for rules, words in (
        ({"x": a, "y": Keep(), "r": Fixed(2.0)}, "comes from no feature"),
        ({"x": a, "y": a, "r": FromHeading("a")}, "does not locate R"),
        ({"x": FromHeading("a"), "y": a}, "another axis"),
        ({"x": a, "y": a, "r": FromHeading("a", "b")}, "not been measured"),
    ):
        with pytest.raises(DatumError, match=words):
            solve_offset("G54", rules, features, dict.fromkeys("xyzr", 0.0))
    turned = solve_offset("G54", {"x": a, "y": FromFeature("a", 10.0), "r": Fixed(90.0)}, features)
    assert (turned.values["x"], turned.values["y"]) == pytest.approx((ZERO[0] + 10.0, ZERO[1]))


@pytest.mark.parametrize(
    ("kind", "touches"),
    [
        (FeatureKind.BORE, ring(0, (0, 0), 12)),
        (FeatureKind.TILTED_BORE, (*ring(0, (0, 0), 12, -310.0), *ring(0, (0, 0), 12, -330.0))),
    ],
)
def test_a_ring_calibrates_the_same_however_deep_it_was_touched(kind: FeatureKind, touches: tuple[Touch, ...]) -> None:
    # The ring is said to be 10 µm wider than it came out, so the ball is 5 µm larger than believed.
    found = calibrate(solve("ring", kind, touches), 24.010, 0.0)
    assert found.value == pytest.approx(PROBE.effective_radius + 0.005)


@pytest.mark.parametrize(("front", "right"), [(44.0, -44.0), (-42.0, 44.0)])
def test_walls_that_run_the_same_way_have_no_corner(front: float, right: float) -> None:
    touches = [wall(front, (0, -1), along, (0, 0)) for along in (-30.0, -60.0)]
    touches += [wall(right, (-1, 0), along, (0, 0)) for along in (10.0, 45.0)]
    with pytest.raises(GeometryError, match="nearly parallel"):
        solve("c", FeatureKind.OUTSIDE_CORNER, tuple(touches))


_PLACES = ((0.0, 0.0), (80.0, 10.0), (20.0, 60.0))
_FIT = FromFit(("a", "b", "c"), _PLACES)


@pytest.mark.parametrize(
    "rules",
    [
        {"x": FromFeature("a", 10.0), "y": FromFeature("c", 60.0), "r": FromHeading("a", "b")},
        {"x": FromFeature("a", 10.0, other="b"), "y": FromFeature("a"), "r": Fixed(2.0, 0.01)},
        {"x": _FIT, "y": _FIT, "r": _FIT},
        {"x": _FIT, "y": _FIT, "r": FromHeading("a", "b")},
        {"x": _FIT, "y": FromFeature("c", 60.0), "r": _FIT},
    ],
)
def test_derivatives_of_a_turned_row_are_those_of_its_values(rules) -> None:
    features = {n: solve(n, FeatureKind.BORE, ring(2.0, at, 12.0)) for n, at in zip("abc", _PLACES, strict=True)}
    chain = solve_offset("G54", rules, features)

    def nudged(name: str, i: int, by: float) -> dict[str, float]:
        x, y = features[name].coordinates
        moved = replace(features[name], coordinates=(x + by, y) if i == 0 else (x, y + by))
        return solve_offset("G54", rules, features | {name: moved}).values

    for axis in chain.axes:
        effects = dict(axis.effects)
        for name in features:
            for source in [source for source, _ in features[name].effects if source.own]:
                own = next(effect for known, effect in features[name].effects if known == source)
                wanted = 0.0
                for i in (0, 1):
                    ahead, back = nudged(name, i, 1e-4)[axis.axis], nudged(name, i, -1e-4)[axis.axis]
                    wanted += own[i] * (ahead - back) / 2e-4
                assert effects.get(source, 0.0) == pytest.approx(wanted, abs=1e-9)
    typed = [effect for source, effect in chain.axis("x").effects if source.name == "G54 R by hand"]
    if isinstance(rules["r"], Fixed):
        ahead, back = ({**rules, "r": Fixed(2.0 + by)} for by in (1e-4, -1e-4))
        high, low = (solve_offset("G54", changed, features).values["x"] for changed in (ahead, back))
        swing = (high - low) / 2e-4
        assert typed == [pytest.approx(0.01 * swing, rel=1e-6)]


@pytest.mark.parametrize(("stated", "kept"), [(180.0, 0.0), (-180.0, 0.0), (179.6, -0.4), (30.0, 30.0), (360.0, 0.0)])
def test_an_edge_has_no_direction(stated, kept) -> None:
    assert FromHeading("front", "", stated).drawing == pytest.approx(kept)
    assert FromHeading("a", "b", stated).drawing == stated  # from one feature to another there is one
    front = tuple(wall(1.5, (0, 1), along, (0, 0)) for along in (20.0, 70.0))
    features = {
        "front": solve("front", FeatureKind.EDGE, front),
        "left": solve("left", FeatureKind.SURFACE, (wall(1.5, (1, 0), 15.0, (0, 0)),)),
    }
    rules = {"x": FromFeature("left"), "y": FromFeature("front"), "r": FromHeading("front", "", stated), "z": Keep()}
    turned = solve_offset("G54", rules, features, {"z": 1.0}).values["r"]
    assert turned == pytest.approx(1.5 - kept, abs=1e-9)
