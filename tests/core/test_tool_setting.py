"""Tool lengths: the height of the setter cancels, uncertainties by hand, and what a wrong figure is taken for."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.calibration import calibrate, calibrate_offset
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.tool_setting import (
    ToolLength,
    length_on_part,
    length_on_setter,
    look_at_length,
    reference_chain,
)
from brisk_anchor.core.tools.hand_tools import HandKind, HandTool
from brisk_anchor.core.tools.shelf import Cutter, Health, ProbeRecord, Setter, Shelf

MASTER = HandTool("reference tool", HandKind.REFERENCE, 33, None, 0.0, 100.0, 0.003, u_bare_length=0.002)
SETTER = Setter("setter", 60.0, 0.004, 0.001, "G59", 33)
PROBE = Stylus(20, "probe", 6.0, 2.994, 150.0, 0.0005, 0.0005, 0.002, 4.0, 50.0, 40.0, 70.0)
HELD = st.floats(-600, 0)


@given(HELD, HELD, st.floats(10, 200), st.booleans())
def test_the_height_cancels_and_a_length_is_a_difference_of_readings(tool, master, height, relative):
    setter = Setter("setter", height, 0.004, 0.001, "G59", 33)
    counted = 0.0 if relative else 100.0
    foot = reference_chain(setter, master, 0.001, MASTER, counted)
    found = length_on_setter(setter, tool, 0.001, foot.value, 0.0)
    assert found.value == pytest.approx(tool - master + counted)
    assert sum({"−": -1}.get(t.sign, 1) * t.value for t in foot.terms[:-1]) == pytest.approx(foot.value)
    assert sum({"−": -1}.get(t.sign, 1) * t.value for t in found.terms[:-1]) == pytest.approx(found.value)


def test_uncertainties_of_the_reference_by_hand():
    gauge = reference_chain(SETTER, -440.0, 0.003, MASTER, 100.0)
    assert gauge.u == pytest.approx(math.sqrt(0.003**2 + 0.002**2 + 0.004**2))
    assert gauge.estimate.u == pytest.approx(gauge.u)
    relative = reference_chain(SETTER, -440.0, 0.003, MASTER, 0.0)
    assert relative.u == pytest.approx(0.005)
    assert length_on_setter(SETTER, -400.0, 0.003, -600.0, 0.004).u == pytest.approx(0.005)
    assert length_on_part(-400.0, 0.003, 0.1, 0.004, -500.0, 2.0).u == pytest.approx(0.005)
    assert length_on_part(-400.0, 0.003, 0.1, 0.004, -500.0, 2.0).value == pytest.approx(97.9)


WHOLE = Cutter(12, "end mill", 12.0, 131.4)
ROWS = {"G54": -497.9, "G55": -558.0}


@pytest.mark.parametrize(
    ("cutter", "value", "convention", "found", "why"),
    [
        (WHOLE, 131.41, "gauge line", "", ""),
        (WHOLE, 131.4 - 600.0 + 558.0, "gauge line", "change by −42.000", "G55 was active, not G59"),
        (WHOLE, 135.0, "gauge line", "change by +3.600", "tool, the setter or the unit"),
        (WHOLE, 131.4 / 25.4, "gauge line", "change|long", "tool, the setter or the unit"),
        (WHOLE, 131.4 + 497.9, "gauge line", "would be 629.300 mm long", "unit, the sign or the active offset"),
        (Cutter(7, "new", 5.0, None, health=Health.BROKEN), 80.0, "gauge line", "", ""),
        (Cutter(7, "new", 5.0, None), 90.0 - 600.0 + 497.9, "gauge line", "would be −12.100", "G54 was active"),
        (Cutter(7, "new", 5.0, 80.0, health=Health.BROKEN), 120.0, "gauge line", "", ""),
        (Cutter(7, "short", 5.0, -20.0), -20.2, "master", "", ""),
        (Cutter(7, "short", 5.0, -20.0), 20.0, "master", "change by +40.000", "tool, the setter"),
    ],
)
def test_what_a_length_is_taken_for(cutter, value, convention, found, why):
    looks = look_at_length(cutter, ToolLength(value, 0.003, ()), convention, "G59", -600.0, ROWS)
    assert bool(looks) is bool(found)
    if looks:
        assert looks[0].stops
        assert any(word in looks[0].found for word in found.split("|"))
        assert why in looks[0].why


def test_a_new_master_voids_only_what_is_counted_from_it():
    shelf = Shelf(ProbeRecord(), (WHOLE, Cutter(5, "drill", 8.5, None, health=Health.BROKEN)), SETTER)
    assert [c.health for c in shelf.with_new_master("master").cutters] == [Health.OLD_MASTER, Health.BROKEN]
    assert shelf.with_new_master("gauge line") == shelf
    assert shelf.counted_from(100.0).cutter(12).length == pytest.approx(31.4)
    assert shelf.counted_from(100.0).cutter(5).length is None
    with pytest.raises(KeyError):
        shelf.cutter(99)
    for height in (0.0, -1.0, math.nan, 900.0):
        with pytest.raises(GeometryError):
            Setter("setter", height, 0.0, 0.0, "G59", 33)


# -- run-out -----------------------------------------------------------------------------------------------------


def ring(x, y, runout=(0.0, 0.0), stylus=PROBE, kind=FeatureKind.BORE):
    """A ring of ⌀40 at (x, y) touched at four sides by a ball that stands aside; what is kept has `offset` added."""
    touches = []
    for angle in (180, 0, 270, 90):
        u, v = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        reach = 20.0 - stylus.effective_radius
        place = (x + reach * u - runout[0] + stylus.offset[0], y + reach * v - runout[1] + stylus.offset[1], -200.0)
        touches.append(Touch("t", place, (u, v, 0.0), stylus, 0.0005))
    return solve("ring", kind, tuple(touches))


@given(st.tuples(*[st.floats(-0.1, 0.1)] * 4), st.tuples(*[st.floats(-500, 0)] * 2))
def test_run_out_by_a_half_turn_whatever_was_calibrated_before(figures, place):
    real, before = figures[:2], figures[2:]
    stylus = Stylus(20, "probe", 6.0, 2.994, 150.0, 0.0005, 0.0005, 0.002, 4.0, 50.0, 40.0, 70.0, offset=before)
    straight = ring(*place, real, stylus)
    turned = ring(*place, (-real[0], -real[1]), stylus)
    assert calibrate_offset(stylus, straight, turned, None).offset == pytest.approx(real, abs=1e-9)
    assert calibrate_offset(stylus, straight, None, place).offset == pytest.approx(real, abs=1e-9)


def test_run_out_says_how_sure_it_is_and_refuses_what_cannot_be():
    straight, turned = ring(-400.0, -200.0), ring(-400.0, -200.0)
    found = calibrate_offset(PROBE, straight, turned, None)
    # Each centre is good to u·√(1/2) from two touches along an axis; half of the difference of two centres.
    assert found.u == pytest.approx(0.0005 * math.sqrt(0.5) * math.sqrt(2) / 2)
    assert found.stylus(PROBE).u_offset == found.u
    with pytest.raises(GeometryError, match="Nothing tells"):
        calibrate_offset(PROBE, straight, None, None)
    with pytest.raises(GeometryError, match="beside the spindle"):
        calibrate_offset(PROBE, straight, ring(-398.0, -200.0), None)
    face = solve("face", FeatureKind.SURFACE, (Touch("t", (0.0, 0.0, -200.0), (0.0, 0.0, -1.0), PROBE, 0.0005),))
    with pytest.raises(GeometryError, match="no centre"):
        calibrate_offset(PROBE, face, None, (0.0, 0.0))
    with pytest.raises(GeometryError, match=r"0\.5 mm beside"):
        Stylus(20, "probe", 6.0, 2.994, 150.0, 0.0005, 0.0005, 0.002, 4.0, 50.0, 40.0, 70.0, offset=(0.6, 0.0))


def test_the_uncertainty_of_run_out_is_shared_by_x_and_y_and_never_by_z():
    sure = Stylus(20, "probe", 6.0, 2.994, 150.0, 0.0005, 0.0, 0.0, 4.0, 50.0, 40.0, 70.0, u_offset=0.003)
    touches = ring(-400.0, -200.0, stylus=sure).touches
    bore = solve("bore", FeatureKind.BORE, touches)
    own = math.sqrt(bore.covariance[0][0])
    assert bore.standard_uncertainty("x") == pytest.approx(math.hypot(own, 0.003))
    assert bore.estimates()["x"].u_own == pytest.approx(own)
    face = solve("face", FeatureKind.SURFACE, (Touch("t", (0.0, 0.0, -200.0), (0.0, 0.0, -1.0), sure, 0.0005),))
    assert face.standard_uncertainty("z") == pytest.approx(0.0005)


@pytest.mark.parametrize("error", [-0.004, 0.0, 0.0065])
def test_a_sphere_of_known_size_calibrates_the_radius(error):
    """Ball centres lie at R + r of the sphere with the real r; the stylus believes another."""
    real = PROBE.effective_radius + error
    ways = [(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1)]
    touches = []
    for u, v, w in ways:
        reach = 12.5 + real
        place = (-300 + reach * u, -200 + reach * v, -300 + reach * w + PROBE.length - PROBE.effective_radius)
        touches.append(Touch("t", place, (-float(u), -float(v), -float(w)), PROBE, 0.0005))
    found = calibrate(solve("sphere", FeatureKind.BALL, tuple(touches)), 25.0, 0.0002)
    assert (found.what, found.value) == ("radius", pytest.approx(real, abs=1e-9))


def test_lengths_counted_from_a_master_are_short_of_its_own():
    known = Cutter(5, "drill", 8.5, 148.2, health=Health.BROKEN, before=148.6)
    shelf = Shelf(cutters=(known, Cutter(7, "tap", 6.0, None))).counted_from(100.0)
    assert [(c.length, c.before) for c in shelf.cutters] == [
        (pytest.approx(48.2), pytest.approx(48.6)),
        (None, None),
    ]


def test_a_new_master_voids_whole_cutters_of_known_length_and_no_others():
    cutters = (
        WHOLE,
        Cutter(5, "drill", 8.5, 148.2, health=Health.BROKEN),
        Cutter(7, "tap", 6.0, None),
    )
    found = Shelf(cutters=cutters).with_new_master("master").cutters
    assert [c.health for c in found] == [Health.OLD_MASTER, Health.BROKEN, Health.WHOLE]
    assert found[0].length == WHOLE.length


def test_a_cutter_is_changed_by_its_number_alone():
    other = Cutter(5, "drill", 8.5, 148.2)
    shelf = Shelf(cutters=(WHOLE, other)).with_cutter(Cutter(5, "new drill", 8.5, 140.0))
    assert [(c.number, c.name) for c in shelf.cutters] == [(12, "end mill"), (5, "new drill")]
    assert shelf.cutter(12) is WHOLE
    with pytest.raises(KeyError):
        shelf.cutter(6)


@pytest.mark.parametrize(
    ("height", "u", "sound"),
    [(500.0, 0.0, True), (500.001, 0.0, False), (0.0, 0.0, False), (0.001, 0.0, True), (50.0, -0.001, False)],
)
def test_a_setter_has_figures_that_make_sense(height, u, sound):
    if sound:
        assert Setter("setter", height, u, u, "G59", 33).height == height
        return
    with pytest.raises(GeometryError, match="makes no sense"):
        Setter("setter", height, u, 0.0, "G59", 33)
