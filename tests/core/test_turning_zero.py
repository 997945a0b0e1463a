"""Zeros, targets and outlines of a lathe as mathematics: set, machine = work + geometry + wear + program."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.turning.part import Groove, Shoulder, TurnedPart
from brisk_anchor.core.turning.setup import Member
from brisk_anchor.core.turning.shapes import holding_rings, stock_ring, swept_by_index, turret_around
from brisk_anchor.core.turning.sums import TurningTerm, face_terms, felt_terms, turned_terms
from brisk_anchor.core.turning.targets import Approach, ApproachStage, PassProgress, Target, correction
from brisk_anchor.core.turning.tools import Gauge, GaugeKind, ToolKind, TurningTool
from brisk_anchor.core.turning.zero import (
    CutEvidence,
    Destination,
    Held,
    Method,
    MovedError,
    family_sum,
    gauged,
    machine_reading,
    propose,
    refuse_moved,
)
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.services.turning.turning_samples import sample_job

length = st.floats(-400, 400).map(lambda value: round(value, 3))
SETUP = sample_job().setup
OUTSIDE = TurningTool(1, 1, "outside tool", ToolKind.OUTSIDE, 25.0, nose_radius=0.4)
CENTRED = replace(OUTSIDE, refers_to="nose centre")
BAR = TurningTool(5, 5, "boring bar", ToolKind.BORING, 110.0, nose_radius=0.4, size=20.0, refers_to="nose centre")


def known(value: float, name: str, u: float = 0.002) -> Estimate:
    return Estimate(value, {Source(name): u})


@given(
    st.sampled_from([Method.FACE, Method.TURN]),
    st.sampled_from([OUTSIDE, CENTRED, BAR]),
    st.sampled_from(list(Destination)),
    length,
    length,
    length,
    st.floats(-0.5, 0.5),
    st.booleans(),
)
def test_what_is_set_makes_the_four_add_up_again(method, tool, destination, machine, work, geometry, wear, keep):
    """The corner's geometry is the table's and what leads to the centre of the nose: R in Z, 2R in diameters."""
    axis = method.axis
    place = 48.36 if axis == "x" else 1.15
    terms = (TurningTerm("+", "place", known(place, "gauge")),)
    evidence = CutEvidence(method, tool, machine_reading(axis, machine, 0.001), terms)
    held = Held(known(work, "work"), known(geometry, "geometry"), known(wear, "wear"), measured=True, set_here=True)
    found = propose(evidence, held, "G54", destination=destination, keep_wear=keep)
    now = {"work": work, "geometry": geometry, "wear": wear}
    now[{"work offset": "work"}.get(destination.value, destination.value)] = found.value
    if destination is Destination.GEOMETRY and not keep:
        now["wear"] = 0.0
        assert found.wear_becomes == (0.0 if wear else None)
    along = -tool.points[0 if axis == "x" else 1]
    shift = (along * 0.4 * (2 if axis == "x" else 1)) if tool.refers_to == "nose centre" else 0.0
    assert machine == pytest.approx(now["work"] + now["geometry"] + now["wear"] + place + shift, abs=1e-9)
    assert found.chain.axis(axis).value == pytest.approx(found.value)
    assert found.total.result.u > 0.002


@given(length, st.floats(0.5, 200), st.floats(0, 5), st.floats(-50, 120))
def test_a_face_lies_where_what_was_measured_says(machine, wanted, extra, zero):
    gauge = Gauge("depth gauge", GaugeKind.DEPTH_GAUGE, 0.02)
    terms = face_terms(gauged(gauge, wanted + extra), Estimate(wanted), 0.25, zero, "jaws")
    place = CutEvidence(Method.FACE, OUTSIDE, Estimate(machine), terms).place
    assert place.value == pytest.approx(extra - 0.25 + zero, abs=1e-9)
    assert place.u == pytest.approx(0.01)


@pytest.mark.parametrize(
    ("terms", "place"),
    [
        (turned_terms(Estimate(30.0), beyond=True), -30.0),
        (turned_terms(Estimate(30.0), beyond=False), 30.0),
        (felt_terms("z", Estimate(0.0), Estimate(0.1), inside=False), 0.1),
        (felt_terms("z", Estimate(-5.0), Estimate(0.1), inside=False), -4.9),
        (felt_terms("z", Estimate(-5.0), Estimate(0.1), inside=False, leads=3.0), -1.9),
        (felt_terms("x", Estimate(36.02), Estimate(0.05), inside=False), 36.12),
        (felt_terms("x", Estimate(36.02), Estimate(0.05), inside=True), 35.92),
    ],
)
def test_places_of_each_method(terms, place):
    method = Method.FELT_FACE if abs(place) < 10 else Method.TURN
    assert CutEvidence(method, OUTSIDE, Estimate(0.0), terms).place.value == pytest.approx(place)


def test_a_drill_says_nothing_of_a_diameter():
    drill = TurningTool(6, 6, "drill", ToolKind.DRILL, 90.0, size=12.0)
    evidence = CutEvidence(Method.TURN, drill, Estimate(0.0), turned_terms(Estimate(30.0), beyond=False))
    with pytest.raises(DatumError, match="touches nothing along X"):
        propose(evidence, Held(Estimate(0.0), Estimate(0.0)), "G54")


@pytest.mark.parametrize(
    ("method", "now", "moved"),
    [
        (Method.FACE, (-100.0, -310.0), ""),
        (Method.FACE, (-150.0, -309.999), "Z moved by +0.001"),
        (Method.TURN, (-150.0, -200.0), ""),
        (Method.TURN, (-149.998, -310.0), "X moved by +0.002"),
    ],
)
def test_the_axis_that_says_it_must_not_have_moved(method, now, moved):
    if not moved:
        refuse_moved(method, (-150.0, -310.0), now, 0.001)
        return
    with pytest.raises(MovedError) as caught:
        refuse_moved(method, (-150.0, -310.0), now, 0.001)
    assert moved in caught.value.what


@given(length, st.floats(5, 200), st.floats(5, 200))
def test_a_family_moves_by_the_difference_and_shares_its_error(zero, own, other):
    parent, member = Member("a", "G54", own), Member("b", "G55", other)
    there = family_sum("G55", parent, known(zero, "zero", 0.01), member).result
    assert there.value == pytest.approx(zero + other - own, abs=1e-9)
    back = family_sum("G54", member, there, parent).result
    assert back.value == pytest.approx(zero, abs=1e-9)
    assert there.u == pytest.approx(0.01)


@given(st.floats(5, 100), st.floats(0.1, 20), st.booleans(), st.floats(0.05, 2), st.floats(0, 0.4))
def test_the_way_to_go_runs_out_pass_by_pass(size, much, inside, depth, finish):
    target = Target("t", size, None, inside, depth, finish, spring=1)
    present = size - much if inside else size + much
    progress = PassProgress(target, tuple(target.stops(present)))
    ways = []
    while progress.passes_left:
        ways.append(target.to_go_x(present, progress.stop))
        progress = progress.after_pass()
    assert all(early <= late + 1e-9 for early, late in pairwise(ways))
    assert ways[-1] == pytest.approx(much)
    assert progress.stop == pytest.approx(size)
    assert target.to_go_x(size) == 0
    assert PassProgress(target, ()).again_from(size).passes_left == 0


@given(st.floats(-5, 5), st.floats(0.3, 5), st.floats(0.01, 0.29))
def test_stages_follow_the_way(to_go, near, close):
    approach = Approach(near, close)
    stage = approach.stage(to_go, 0.001)
    if abs(to_go) <= 0.0005:
        assert stage is ApproachStage.AT
    elif to_go < 0:
        assert stage is ApproachStage.PAST
    else:
        assert (stage is ApproachStage.AWAY) == (to_go > near + 1e-9)
        assert (stage is ApproachStage.CLOSE) == (to_go <= close + 1e-9)


@given(st.floats(10, 90), st.floats(-0.9, 0.9))
def test_a_correction_makes_the_readout_show_what_was_measured(shown, off):
    measured = shown + off
    machine, work, geometry, wear = -180.0, 0.0, -180.0 - shown, 0.0
    moved = wear + correction(measured, shown)
    assert machine - work - geometry - moved == pytest.approx(measured)
    with pytest.raises(DatumError, match="too far apart"):
        correction(shown * 2 + 5, shown)


@given(st.lists(st.floats(1, 30), min_size=1, max_size=5), st.data())
def test_the_area_of_a_section_is_that_of_its_shoulders(lengths, data):
    """By the shoelace formula against width times radius, shoulder by shoulder and groove."""
    diameters = [data.draw(st.floats(20, 80)) for _ in lengths]
    ends = [math.fsum(lengths[: n + 1]) for n in range(len(lengths))]
    part = TurnedPart("p", tuple(Shoulder(d, to) for d, to in zip(diameters, ends, strict=True)))
    wide = lengths[0] / 3
    groove = Groove(-2 * wide, -wide, diameters[0] - 5.0)
    grooved = replace(part, grooves=(groove,))
    for shape, less in ((part, 0.0), (grooved, wide * 2.5)):
        ring = [(z, d / 2) for z, d in shape.section()]
        twice = math.fsum(a[0] * b[1] - b[0] * a[1] for a, b in zip(ring, [*ring[1:], ring[0]], strict=True))
        wanted = math.fsum(w * d / 2 for w, d in zip(lengths, diameters, strict=True)) - less
        assert abs(twice) / 2 == pytest.approx(wanted, rel=1e-9)


def test_outlines_stand_where_the_set_up_has_them():
    jaws = SETUP.lathe.chuck_face + 30.0
    stock = stock_ring(SETUP, jaws)
    assert (min(z for z, _ in stock), max(z for z, _ in stock)) == pytest.approx((jaws + 52 - 40 - 32, jaws + 53.5))
    solids = {solid.name: solid.ring for solid in holding_rings(SETUP, SETUP.lathe.chuck_face)}
    assert max(z for z, _ in solids["the jaws"]) == pytest.approx(jaws)
    assert max(r for _, r in solids["the jaws"]) == pytest.approx(75.0)
    reaches = {1: (120.0, 42.0), 3: (121.0, 38.0), 5: (118.0, 128.0), 7: (125.0, 37.0)}
    around = {item.name: item.ring for item in turret_around(SETUP, SETUP.tool(1), reaches, 24.0)}
    low = min(r for _, r in around["T3 beside it"])
    assert low == pytest.approx(math.hypot(144.0, 121.0) - 12.5 - 24.0), "a quarter turn aside"
    ring = swept_by_index(SETUP, reaches, 235.5, -150.0)
    assert (min(r for _, r in ring), min(z for z, _ in ring)) == pytest.approx((235.5 - 125.0, -150.0 - 128.0))
