"""Sums of turning against figures that were worked out by hand, and their ± against simulated set-ups."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from typer.testing import CliRunner

from brisk_anchor.cli.commands import app
from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.turning import sums as t
from brisk_anchor.core.turning.part import Chamfer, Groove, Shoulder, TurnedPart, is_slender, stock_for
from brisk_anchor.core.turning.tools import ToolKind, TurningTool
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source


def e(value: float, u: float = 0.0, name: str = "") -> Estimate:
    return Estimate(value, {Source(name or f"{value}"): u} if u else {})


def close(found: Estimate, wanted: float) -> None:
    assert found.value == pytest.approx(wanted, abs=1e-9)


def test_zero_by_cutting():
    close(t.work_offset("z", e(-310.420), e(42.350), t.faced(e(86.15), 85.0)).result, -353.920)
    cut = t.geometry("x", e(-182.640), e(0.0), t.turned_to(e(48.360)))
    close(cut.result, -231.000)
    assert cut.as_radius == pytest.approx(-115.500)
    close(t.geometry("x", e(-182.640), e(0.0), e(48.360), e(0.080)).result, -231.080)
    close(t.geometry("x", e(-204.180), e(0.0), e(31.240)).result, -235.420)
    close(t.geometry("x", e(-258.600), e(0.0), t.turned_to(e(30.0), beyond=True)).result, -228.600)


def test_feelers_and_shims():
    close(t.geometry("z", e(-268.310), e(-353.920), t.felt_on_face(e(0.10))).result, 85.510)
    close(t.geometry("x", e(-195.300), e(0.0), t.felt_on_diameter(e(36.020), e(0.05), inside=False)).result, -231.420)
    close(t.felt_on_diameter(e(36.020), e(0.05), inside=True), 35.920)


def test_blades_have_two_edges():
    assert t.groove_places(-26.0, -20.0, 3.020, "chuck") == pytest.approx((-26.000, -23.020))
    assert t.groove_places(-26.0, -20.0, 3.020, "front") == pytest.approx((-22.980, -20.000))
    assert t.parting_place(42.0, 0.3, 3.020, "chuck") == pytest.approx(-45.320)
    assert t.parting_place(42.0, 0.3, 3.020, "front") == pytest.approx(-42.300)
    with pytest.raises(DatumError, match="does not fit"):
        t.groove_places(-22.0, -20.0, 3.020, "chuck")


def test_stops_jaws_and_families():
    second = t.work_offset("z", e(-301.200), e(42.350), t.faced(e(42.360), 42.0)).result
    close(second, -343.910)
    stop = t.stop_plane(second, 42.0)
    close(stop, -385.910)
    close(t.on_stop(stop, 55.0), -330.910)
    face = t.work_offset("z", e(-362.400), e(42.350), t.NOTHING).result
    close(face, -404.750)
    plane, zero = t.soft_jaws(face, 12.0, 42.0)
    close(plane, -416.750)
    close(zero, -374.750)
    assert [w.value for w in t.family(e(-353.920), 40.0, [55.0, 72.0])] == pytest.approx([-338.920, -321.920])


def test_wear_noses_and_tapers():
    close(t.wear_due(40.0, e(40.034)), -0.034)
    close(t.wear_due(25.010, e(24.982)), 0.028)
    close(t.wear_due(-30.0, e(-30.045)), 0.045)
    assert (t.first_cut_wear(0.3, inside=False), t.first_cut_wear(0.3, inside=True)) == (0.3, -0.3)
    # An outside tool's centre stands 0.4 outside its corner: to bring it onto the axis X goes 0.8 of ⌀ further in.
    assert t.nose_centre(-231.0, 0.4, 1, axis="x") == pytest.approx(-231.8)
    assert t.nose_centre(-231.0, 0.4, -1, axis="x") == pytest.approx(-230.2)
    assert t.nose_centre(85.0, 0.4, 1, axis="z") == pytest.approx(84.6)
    assert t.taper_of(40.0, 40.02, 100.0) == pytest.approx(0.00573, abs=1e-5)
    assert t.meant_other(24.18, 48.36)
    assert t.meant_other(96.7, 48.36)
    assert not t.meant_other(47.0, 48.36)


def test_a_part_is_a_profile_with_its_edges_broken():
    part = TurnedPart(
        "sleeve",
        (Shoulder(44.0, 12.0), Shoulder(48.0, 40.0)),
        bore=(Shoulder(36.0, 5.0), Shoulder(30.0, 30.0)),
        back_bore=(Shoulder(33.0, 10.0),),
        grooves=(Groove(-26.0, -20.0, 42.0), Groove(-18.0, -15.0, 32.0, inside=True)),
        chamfers=(Chamfer(0.0, 1.0), Chamfer(-12.0, 0.5), Chamfer(-40.0, 1.0), Chamfer(0.0, 0.5, inside=True)),
    )
    assert part.contour() == (
        (0.0, 42.0), (-1.0, 44.0), (-12.0, 44.0), (-12.0, 47.0), (-12.5, 48.0), (-20.0, 48.0), (-20.0, 42.0),
        (-26.0, 42.0), (-26.0, 48.0), (-39.0, 48.0), (-40.0, 46.0),
    )  # fmt: skip
    assert part.bore_contour() == (
        (0.0, 37.0), (-0.5, 36.0), (-5.0, 36.0), (-5.0, 30.0), (-15.0, 30.0), (-15.0, 32.0), (-18.0, 32.0),
        (-18.0, 30.0), (-30.0, 30.0), (-30.0, 33.0), (-40.0, 33.0),
    )  # fmt: skip
    assert (part.length, part.largest, part.bored_through) == (40.0, 48.0, False)
    assert (part.diameter_at(-23.0), part.bore_at(-16.0), part.bore_at(-35.0)) == (42.0, 32.0, 33.0)
    assert stock_for(part, 1.0, [45.0, 50.0, 55.0], front=1.0).diameter == 50.0
    assert is_slender(151.0, 50.0, supported=False)
    assert not is_slender(151.0, 50.0, supported=True)


@pytest.mark.parametrize(
    ("points", "rear", "front"), [("outside", "↙", "↖"), ("boring", "↖", "↙"), ("drill", "←", "←")]
)
def test_the_picture_of_a_tip_follows_the_side_of_the_turret(points, rear, front):
    kind = {"outside": ToolKind.OUTSIDE, "boring": ToolKind.BORING, "drill": ToolKind.DRILL}[points]
    tool = TurningTool(1, 1, points, kind, 50.0, size=12.0)
    assert (tool.picture("rear"), tool.picture("front")) == (rear, front)


@given(st.floats(10, 200), st.floats(0.2, 40), st.booleans(), st.floats(0.05, 3), st.floats(0, 0.5), st.integers(0, 3))
def test_passes_end_at_the_target_and_none_is_too_deep(target, much, inside, depth, finish, spring):
    present = target - much if inside else target + much
    stops = t.passes(present, target, depth, finish, spring)
    assert stops[-1] == pytest.approx(target)
    cuts = [abs(b - a) / 2 for a, b in zip([present, *stops], stops, strict=False)]
    assert all(cut <= max(depth, finish) + 1e-9 for cut in cuts)
    assert sum(cuts) == pytest.approx(much / 2)
    assert stops.count(stops[-1]) >= 1 + spring


@pytest.mark.parametrize("method", ["face", "turn", "feeler", "shim"])
def test_the_plus_minus_covers_what_it_claims(method):
    """2,000 set-ups each: gauge, readout and known figures drawn within what is stated."""
    rng = np.random.default_rng([4, len(method)])
    inside, errors = 0, []
    for _ in range(2000):
        machine_off, gauge_off, known_off = rng.normal(0, [0.003, 0.010, 0.004])
        machine = e(-310.42 + machine_off, 0.003, "machine")
        gauge, known = e(36.02 + gauge_off, 0.010, "gauge"), e(42.35 + known_off, 0.004, "known")
        if method == "face":
            found, true = t.work_offset("z", machine, known, t.faced(gauge, 35.0)).result, -310.42 - 42.35 - 1.02
        elif method == "turn":
            found, true = t.geometry("x", machine, known, gauge).result, -310.42 - 42.35 - 36.02
        elif method == "feeler":
            found, true = t.geometry("z", machine, known, t.felt_on_face(gauge)).result, -310.42 - 42.35 - 36.02
        else:
            shim = e(0.05 + known_off, 0.004, "shim")
            place = t.felt_on_diameter(gauge, shim, inside=False)
            found, true = t.geometry("x", machine, e(0.0), place).result, -310.42 - 36.02 - 0.10
        errors.append(found.value - true)
        inside += abs(errors[-1]) <= found.expanded
    assert 0.935 < inside / 2000 < 0.975
    assert abs(np.mean(errors)) < 4 * np.std(errors) / 2000**0.5


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ("face --machine -310.420 --geometry 42.350 --measured 86.15±0.02 --wanted 85 --length 100", "−338.9200"),
        ("diameter --machine -182.640 --work 0 --measured 48.360±0.004", "−115.5000"),
        ("feeler z --machine -268.310 --work -353.920 --thickness 0.10", "+85.5100"),
        ("feeler x --machine -195.3 --work 0 --thickness 0.05 --on 36.020", "−231.4200"),
        ("wear x --wanted 40 --actual 40.034±0.01", "−0.0340"),
        ("wear x --wanted 40 --actual 40.004±0.01", "leave it"),
        ("groove --chuck-wall -26 --front-wall -20 --width 3.02", "−26.000 and −23.020"),
        ("insert --allowance 0.3 --inside", "−0.3000"),
        ("nose x --geometry -231 --radius 0.4 --centre +", "−231.8000"),
        ("feeler z --machine -268.310 --work -353.920 --thickness 0.10 --blade 3.02", "+82.4900"),
        ("face --machine -310.420 --geometry 42.350 --measured 86.15±0.02 --wanted 85 --blade 3", "−356.9200"),
        ("nose x --geometry -231 --radius 0.4 --centre up", ""),
        ("taper 40 40.02 --apart 100", "+0.0057°"),
        ("part-off 42 --allowance 0.3 --width 3.02", "−45.320"),
        ("jaws --machine -362.4 --geometry 42.35 --step 12 --length 42", "−374.7500"),
        ("passes 50 48.36 --depth 0.3 --finish 0.1 --spring 1", "48.360"),
    ],
)
def test_from_the_command_line(words, told):
    result = CliRunner().invoke(app, ["turn", *words.split()])
    assert told in result.output
    assert (result.exit_code == 0) == bool(told)


def test_a_radius_where_a_diameter_is_meant_is_noticed():
    words = "diameter --machine -182.640 --work 0 --measured 24.18 --expected 48.36"
    result = CliRunner().invoke(app, ["turn", *words.split()])
    assert "half or twice" in str(result.exception)
