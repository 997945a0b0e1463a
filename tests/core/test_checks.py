"""Thresholds of the second look, each at its edge: what is just allowed says nothing, what is just over does."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from types import SimpleNamespace

import pytest

from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets import checks
from brisk_anchor.core.offsets.checks import (
    ControlCondition,
    look_at_control,
    look_at_feature,
    look_at_jump,
    look_at_measurement,
    look_at_one_touch,
    look_at_scatter,
    look_at_start,
    look_at_store,
    stop_where_found,
)
from brisk_anchor.core.offsets.conditions import Conditions
from brisk_anchor.core.uncertainty.residuals import Misfit
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.offsets.offset_book import typed_chain
from brisk_anchor.services.profile.profile_proof import sample_scene
from brisk_anchor.services.session.session import Session


@pytest.fixture(scope="module")
def session():
    return Session(sample_scene(), None, shipped_profile("skip-macro"), seed=None)


def asked(session, name, **change):
    return replace(build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name))), **change)


@pytest.mark.parametrize(
    ("over", "said"),
    [(-0.001, "wall may be"), (0.0, ""), (checks.SEARCH_BEYOND, ""), (checks.SEARCH_BEYOND + 0.001, "beyond where")],
)
def test_a_search_reaches_the_wall_and_not_far_beyond(session, over, said):
    m = asked(session, "bore")
    looks = look_at_measurement(replace(m, search=m.nominal_reach + m.slack + over), session.setup.machine.travel)
    assert [said in look.found for look in looks] == [True] * bool(said)
    assert [look.stops for look in looks] == [over < 0] * bool(said)


@pytest.mark.parametrize("by", [-0.001, 0.0, 0.001])
@pytest.mark.parametrize("axis", [0, 1, 2])
def test_a_path_may_go_to_the_end_of_the_travel_and_no_further(session, axis, by):
    m = asked(session, "bore")
    m = replace(m, search=m.nominal_reach + m.slack)
    travel = session.setup.machine.travel
    places = [point[axis] for point in m.extreme_points()]
    for name, limit in (("low", min(places) + by), ("high", max(places) - by)):
        ends = list(getattr(travel, name))
        ends[axis] = limit
        looks = look_at_measurement(m, replace(travel, **{name: tuple(ends)}))
        assert bool(looks) == (by > 0), name
        assert all(f"needs {'XYZ'[axis]}" in look.found and look.stops for look in looks)


@pytest.mark.parametrize(("name", "told"), [("bore", True), ("pocket", True), ("left face", False)])
def test_a_start_beside_the_drawn_centre_is_told_from_its_uncertainty_on(session, name, told):
    m = asked(session, name)
    x, y, z = m.start
    off = m.start_uncertainty
    assert look_at_start(m, (x + 0.6 * off, y + 0.8 * off, z - 50.0)) == []
    looks = look_at_start(m, (x + 0.6 * off, y + 0.8 * off + 0.001, z))
    assert bool(looks) == told
    assert not any(look.stops for look in looks)
    figure = f"{math.hypot(0.6 * off, 0.8 * off + 0.001):.3f} mm from"
    assert all(figure in look.found for look in looks)


@pytest.mark.parametrize(
    ("name", "least"),
    [
        # The turn at which one touch a wall puts a place off by 5 µm, by hand for each kind.
        ("corner", lambda m: math.atan(0.005 / m.standoff)),
        ("pocket", lambda m: math.atan(0.005 / m.start_uncertainty)),
        ("left face", lambda m: math.acos(1 / (1 + 0.005 / m.stylus.effective_radius))),
    ],
)
def test_one_touch_a_wall_is_told_from_five_micrometres_on(session, name, least):
    m = asked(session, name, spread=0.0)
    turn = math.degrees(least(m))
    assert look_at_one_touch(replace(m, turn_uncertainty=turn * 0.999)) == []
    (look,) = look_at_one_touch(replace(m, turn_uncertainty=turn * 1.001))
    assert "0.005 mm off" in look.found
    assert not look.stops
    assert look_at_one_touch(replace(m, turn_uncertainty=turn * 1.001, spread=20.0)) == []


@pytest.mark.parametrize("name", ["bore", "top"])
def test_rounds_and_tops_need_no_second_touch_a_wall(session, name):
    assert look_at_one_touch(asked(session, name, spread=0.0, turn_uncertainty=5.0)) == []


@pytest.mark.parametrize(
    ("error", "said"),
    [
        (0.4, ""),
        (-0.4, ""),
        (0.401, "wrong feature, stylus or unit"),
        (-6.0, "one ball diameter"),
        (12.1, "two ball diameters"),
        (None, "in inches"),
        (9.0, "wrong feature, stylus or unit"),
    ],
)
def test_a_size_is_held_to_its_limit_and_a_guess_says_why(session, error, said):
    found = session.runner.measure(asked(session, "bore")).feature
    wanted = found.size / 25.4 if error is None else found.size - error
    looks = look_at_feature(found, wanted, None, 0.4)
    assert all(look.stops for look in looks)
    assert [said in look.why for look in looks] == [True] * bool(said)
    figures = f"{found.size:.4f} mm, {found.size - wanted:+.4f} mm from".replace("-", "\u2212")
    assert all(figures in look.found for look in looks)


def test_the_second_size_is_looked_at_too(session):
    found = session.runner.measure(asked(session, "pocket")).feature
    assert look_at_feature(found, found.size, found.size_y, 0.1) == []
    (look,) = look_at_feature(found, found.size, found.size_y + 0.2, 0.1)
    assert look.stops
    assert look_at_feature(found, found.size, found.size_y + 0.2, None) == []


def test_few_residuals_are_not_asked_whether_they_are_too_small(session):
    feature = session.runner.measure(asked(session, "bore")).feature

    def looks(freedom, square=0.01, scatter=None):
        misfit = Misfit(square, freedom, 0, 0.1, 0.0, 20, scatter=scatter)
        return look_at_scatter([SimpleNamespace(misfit=misfit)])

    assert feature.misfit is None or feature.misfit.freedom < checks.ENOUGH_FREEDOM
    assert looks(checks.ENOUGH_FREEDOM - 1) == []
    (look,) = looks(checks.ENOUGH_FREEDOM)
    assert f"{math.sqrt(checks.ENOUGH_FREEDOM / 0.01):.1f} times less" in look.found
    assert looks(checks.ENOUGH_FREEDOM, square=12.0) == []
    assert looks(checks.ENOUGH_FREEDOM, scatter=24) == []


def chain(**values):
    return typed_chain("G54", values, {}, {}, "typed")


@pytest.mark.parametrize(("moved", "told"), [(0.25, False), (-0.25, False), (0.2501, True), (-0.2501, True)])
def test_a_rows_own_limit_is_kept_to(moved, told):
    assert bool(look_at_jump(chain(x=moved), {"x": 0.0}, 0.25)) == told
    assert look_at_jump(chain(x=moved), {"x": 0.0}, None) == []
    assert look_at_jump(chain(x=moved, r=9.0), {"x": moved, "r": 0.0}, 0.25) == []
    assert look_at_jump(chain(x=moved), {}, 0.25) == []


def store(found, reference, limit=5.0, stale=False):
    return look_at_store(found, reference, "the last one", limit, stale=stale)


@pytest.mark.parametrize(
    ("value", "said"),
    [
        (-95.0, ""),
        (-105.0, ""),
        (-105.001, "wrong tool, unit, row or drawing"),
        (-2540.0, "25.4"),
        (-100.0 / 25.4, "25.4"),
        (100.0, "other way round"),
        (-60.0, "wrong tool, unit, row or drawing"),
    ],
)
def test_a_store_may_move_as_far_as_is_believable_and_a_guess_says_why(value, said):
    looks = store(chain(x=value), {"x": -100.0})
    assert [said in look.why for look in looks] == [True] * bool(said)
    assert all(look.stops for look in looks)
    assert store(chain(x=value), None) == []
    assert store(chain(x=value), {"y": 0.0}) == []


@pytest.mark.parametrize(
    ("jump", "said"),
    [
        ("effective_radius", "one radius of"),
        ("ball_diameter", "one diameter of"),
        ("length", "the length of"),
    ],
)
def test_a_jump_by_a_size_of_the_probe_says_so(session, jump, said):
    feature = session.runner.measure(asked(session, "bore")).feature
    found = replace(chain(x=-200.0), features=(feature,))
    amount = getattr(session.setup.stylus, jump)
    for sign in (-1, 1):
        for beside in (-0.25, 0.25):
            (look,) = store(found, {"x": -200.0 - sign * amount + beside}, limit=1.0)
            assert said in look.why


@pytest.mark.parametrize(("turn", "told"), [(5.0, False), (-5.0, False), (5.001, True), (-5.001, True)])
def test_a_part_that_lies_turned_too_far_is_taken_for_a_mistake(turn, told):
    looks = store(chain(x=0.0, r=12.0 + turn), {"x": 0.0, "r": 12.0})
    assert [look.stops for look in looks] == [True] * told
    assert bool(store(chain(x=0.0, r=turn), None)) == told


def test_what_was_measured_before_the_last_clamping_is_not_stored():
    (look,) = store(chain(x=0.0), None, stale=True)
    assert look.stops
    with pytest.raises(checks.SecondLookError, match="before the last clamping"):
        stop_where_found([look])
    stop_where_found([])


@pytest.mark.parametrize(
    ("condition", "stops"),
    [
        ({}, None),
        ({"homed": True, "door_open": False, "alarm": "", "held": "", "mode": "", "stops": ""}, None),
        ({"homed": False}, True),
        ({"door_open": True}, True),
        ({"alarm": "900, over travel"}, True),
        ({"held": "O2354"}, True),
        ({"mode": "handle"}, False),
        ({"stops": "its switch is on"}, False),
    ],
)
def test_what_a_control_tells_stops_or_warns_and_what_it_does_not_tell_does_neither(condition, stops):
    assert [look.stops for look in look_at_control(ControlCondition(**condition))] == [stops] * (stops is not None)


def test_how_deep_the_ball_goes_is_told_in_figures(session):
    """⌀6: its widest part is 3 mm up; at 1.5 mm it lies 1.5 mm above the edge."""
    m = asked(session, "bore", depth=1.5)
    (look,) = checks.look_at_depth(m)
    assert "goes 1.500 mm below the edge" in look.found
    assert "its widest part is 3.000 mm up" in look.found
    assert look.do == f"Go at least {3.0 + m.height_uncertainty:.3f} mm deep" or re.search(
        r"\d\.\d{3} mm deep", look.do
    )
    assert look.stops


def axis_of(share, expanded=0.01, axis="x"):
    line = SimpleNamespace(label=checks.TURN, share=share)
    return SimpleNamespace(axis=axis, budget=[line], expanded=expanded, written=True, stated=True)


@pytest.mark.parametrize(
    ("share", "expanded", "told"),
    [(0.5, 0.01, False), (0.501, 0.01, True), (0.9, 0.005, False), (0.9, 0.0051, True)],
)
def test_what_most_of_a_spread_comes_from_is_told_where_it_counts(share, expanded, told):
    axes = [axis_of(share, expanded), axis_of(0.1, 0.01, "y")]
    looks = checks.look_at_turn(SimpleNamespace(axes=axes, row="G54"))
    assert bool(looks) == told
    assert all("G54" in look.found and "Y" not in look.found.split(":")[1] for look in looks)
    assert checks.look_at_turn(SimpleNamespace(axes=[axis_of(0.9, 0.01, "r")], row="G54")) == []


@pytest.mark.parametrize(("band", "told"), [(0.0115, False), (0.0114, True)])
def test_five_kelvin_are_told_where_they_count_more_than_a_tolerance(band, told):
    """200 mm of steel, 11.5 µm a metre and kelvin: 11.5 µm for 5 K."""
    nothing = SimpleNamespace(axes=[], features=[])
    looks = checks.look_at_temperature(nothing, [("the bore", band, 200.0)], Conditions())
    assert bool(looks) == told
    assert all("the bore" in look.found and "11.5 µm" in look.found for look in looks)


@pytest.mark.parametrize(
    ("suspects", "worst", "said"),
    [((2,), 2, "Touch 3 of bore lies"), ((1, 3), 1, "Touch 2 or 4 of bore"), ((), 1, "nobody can tell which")],
)
def test_touches_that_are_off_are_counted_from_one(suspects, worst, said):
    misfit = SimpleNamespace(
        too_large=True, off=0.0123, worst=worst, suspects=suspects, worst_is_known=len(suspects) == 1
    )
    touches = [None] * 6
    feature = SimpleNamespace(
        misfit=misfit,
        touches=touches,
        residuals=[0.004, -0.0123],
        name="bore",
        kind=FeatureKind.BORE,
        square=None,
        widened=2.34,
    )
    (look,) = checks.look_at_residuals(feature)
    assert said in look.found
    assert "12.3 µm" in look.found
    assert "count 2.3 times" in look.why
    assert not look.stops
