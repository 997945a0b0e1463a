"""Verdicts, tolerances, corrections and figures over many parts, against worked examples and printed tables."""

from __future__ import annotations

import math
from dataclasses import replace
from statistics import stdev

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.inspection.characteristic import (
    Characteristic,
    Evidence,
    What,
    Zero,
    judge,
    numbers_together,
    part_outcome,
    two_point_sizes,
)
from brisk_anchor.core.inspection.correction import (
    CorrectionRule,
    CutPart,
    Way,
    due,
    expected_growth,
    propose,
    remaining_lag,
)
from brisk_anchor.core.inspection.many_parts import abilities, drift_of, leaving, repeatability, run_chart
from brisk_anchor.core.inspection.tolerances import deviations, general_angle, general_tolerance, standard_tolerance
from brisk_anchor.core.inspection.verdict import (
    Fate,
    Limits,
    Verdict,
    acceptance,
    guard_band,
    probability_inside,
    probability_within,
    verdict_of,
)
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source

H7 = Limits(38.0, 38.025, 38.0125)

# -- tolerances as they are printed ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("size", "code", "low", "high"),
    [  # µm, as hand tables print them
        (38, "H7", 0, 25),
        (62, "H7", 0, 30),
        (38, "K7", -18, 7),
        (38, "N7", -33, -8),
        (38, "P7", -42, -17),
        (38, "M7", -25, 0),
        (38, "JS7", -12.5, 12.5),
        (38, "F8", 25, 64),
        (38, "N9", -62, 0),
        (25, "g6", -20, -7),
        (25, "h6", -13, 0),
        (25, "k6", 2, 15),
        (25, "n6", 15, 28),
        (25, "p6", 22, 35),
        (25, "s6", 35, 48),
        (100, "r6", 51, 73),
        (101, "r6", 54, 76),
        (2, "H7", 0, 10),
        (2, "K7", -10, 0),
        (300, "M6", -41, -9),
        (500, "H8", 0, 97),
        (25, "d9", -117, -65),
        (25, "k8", 0, 33),
        (10, "P9", -51, -15),
    ],
)
def test_limits_of_a_class_are_those_of_the_tables(size, code, low, high):
    found = deviations(size, code)
    assert [1000 * value for value in found] == pytest.approx([low, high], abs=1e-6)


@pytest.mark.parametrize("code", ["H4", "Q7", "H", "hH7", "7H", "ZC9", "K9"])
def test_what_no_table_has_is_told(code):
    with pytest.raises(InspectionError, match="not in the tables"):
        deviations(38, code)
    with pytest.raises(InspectionError, match="500 mm"):
        standard_tolerance(501, 7)


def test_general_tolerances():
    assert [general_tolerance(80, of) for of in "fmcv"] == [0.15, 0.3, 0.8, 1.5]
    assert [general_tolerance(size, "m") for size in (3, 6, 30, 120, 400)] == [0.1, 0.1, 0.2, 0.3, 0.5]
    assert general_angle(40, "m") == 0.5
    assert general_angle(8, "c") == 1.5
    for size, of in ((0.3, "m"), (2, "v"), (3000, "f")):
        with pytest.raises(InspectionError, match="gives nothing"):
            general_tolerance(size, of)


# -- verdicts ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("value", "probability", "verdict"),
    [
        (38.0210, 0.977, Verdict.IN),
        (38.0230, 0.841, Verdict.CANNOT_TELL),
        (38.0255, 0.401, Verdict.CANNOT_TELL),
        (38.0290, 0.023, Verdict.OUT),
    ],
)
def test_a_verdict_by_the_probability_of_being_in(value, probability, verdict):
    found = probability_inside(value, 0.002, H7)
    assert found == pytest.approx(probability, abs=5e-4)
    assert verdict_of(found) is verdict


def test_the_guard_band_of_a_small_uncertainty_is_1645_of_it():
    assert guard_band(0.002) == pytest.approx(0.00329, abs=1e-5)
    assert acceptance(H7, 0.002) == pytest.approx((38.0033, 38.0217), abs=5e-5)
    assert acceptance(Limits(None, 0.05, 0.0), 0.002) == (None, pytest.approx(0.05 - 0.00329, abs=1e-5))
    assert acceptance(Limits(0.0, 0.004, 0.002), 0.002) is None  # no value of such a narrow band is sure
    assert guard_band(0.002, 2.0) == pytest.approx(0.002 * 2.920, abs=1e-5)  # Student, two degrees


def test_limits_that_make_no_sense():
    with pytest.raises(InspectionError, match="wrong way round"):
        Limits(38.025, 38.0, 38.0)
    with pytest.raises(InspectionError, match="without limits"):
        Limits(None, None, 0.0)


@given(
    st.floats(-0.03, 0.03), st.floats(-0.03, 0.03), st.floats(0.001, 0.01), st.floats(0.001, 0.01), st.floats(-0.9, 0.9)
)
def test_a_place_in_a_circle_by_counting(x, y, s, t, share):
    covariance = np.array([[s * s, share * s * t], [share * s * t, t * t]])
    random = np.random.default_rng(1)
    drawn = random.multivariate_normal((x, y), covariance, 4000)
    counted = float((np.hypot(*drawn.T) <= 0.025).mean())
    assert probability_within((x, y), covariance, 0.025) == pytest.approx(counted, abs=0.035)


def test_a_place_that_is_known_is_in_or_out():
    assert probability_within((0.01, 0.0), np.zeros((2, 2)), 0.025) == 1.0
    assert probability_within((0.03, 0.0), np.zeros((2, 2)), 0.025) == 0.0
    line = np.diag([1e-4, 0.0])
    assert probability_within((0.0, 0.0), line, 0.02) == pytest.approx(math.erf(2 / math.sqrt(2)), abs=1e-3)


# -- characteristics ---------------------------------------------------------------------------------------------------

PROBE = Stylus(20, "probe", 6.0, 3.0, 150.0, 0.0005, 0.0005, 0.0, 4.0, 50.0, 40.0, 70.0)


def ring(size: float, centre: tuple[float, float] = (0.0, 0.0), *, outside: bool = False, oval: float = 0.0) -> Feature:
    """A bore or boss as four touches of a perfect probe have it; `oval` makes X larger and Y smaller."""
    touches = []
    for n, (dx, dy) in enumerate(((1, 0), (-1, 0), (0, 1), (0, -1))):
        radius = (size + (oval if dx else -oval)) / 2 + (3.0 if outside else -3.0)
        at = (centre[0] + dx * radius, centre[1] + dy * radius, -10.0)
        towards = (-dx, -dy, 0.0) if outside else (dx, dy, 0.0)
        touches.append(Touch(f"t{n}", at, tuple(map(float, towards)), PROBE, 0.0005))
    return solve("seat", FeatureKind.BOSS if outside else FeatureKind.BORE, tuple(touches), stated=Stated())


def size(limits: Limits, **more: object) -> Characteristic:
    return Characteristic("1", "seat", What.SIZE, 38.0, limits, **more)


def known(*features: Feature, zero: Zero | None = None, **more: object) -> Evidence:
    zeros = {zero.row: zero} if zero is not None else {}
    return Evidence({feature.name: feature for feature in features}, zeros, **more)


@pytest.mark.parametrize(
    ("value", "outside", "outcome", "metal"),
    [
        (38.0125, False, Fate.GOOD, 0.0),
        (37.98, False, Fate.AGAIN, 0.01625),
        (38.05, False, Fate.SCRAP, -0.01875),
        (38.05, True, Fate.AGAIN, 0.01875),
        (37.98, True, Fate.SCRAP, -0.01625),
        (38.0255, False, Fate.CANNOT_TELL, -0.0065),
    ],
)
def test_a_size_is_good_or_can_be_cut_again_or_is_scrap(value, outside, outcome, metal):
    found = judge(size(H7), known(ring(value, outside=outside)))
    assert (found.outcome, found.metal) == (outcome, pytest.approx(metal, abs=1e-9))
    assert found.value == pytest.approx(value, abs=1e-9)
    assert found.process_only


def test_under_the_envelope_requirement_the_worst_two_point_size_judges():
    feature = replace(ring(38.006, oval=0.01), effects=())
    assert sorted(two_point_sizes(feature)) == pytest.approx([37.996, 38.016], abs=1e-6)
    assert judge(size(H7), known(feature)).verdict is Verdict.IN
    worst = judge(size(H7, envelope=True), known(feature))
    assert (worst.verdict, worst.value) == (Verdict.OUT, pytest.approx(37.996, abs=1e-6))
    assert worst.u == pytest.approx(0.0005)  # two touches against four: √(2 − 4/4) of one
    # The other end counts too: here the largest of two-point sizes lies beyond the upper limit.
    wide = judge(size(H7, envelope=True), known(replace(ring(38.0195, oval=0.008), effects=())))
    assert (wide.verdict, wide.value) == (Verdict.OUT, pytest.approx(38.0275, abs=1e-6))
    single = replace(feature, touches=feature.touches[:3], residuals=feature.residuals[:3])
    lone = replace(single, touches=(single.touches[0], *single.touches[2:]), residuals=single.residuals[1:])
    assert "lie opposite" in judge(size(H7, envelope=True), known(lone)).notes[0]


def test_a_drift_says_when_it_asks_for_the_next_correction():
    drift = drift_of([38.0125 - 0.0002 * n for n in range(11)])  # a bore that gets smaller, 2 µm off at the last
    last = CutPart(-0.002, 0.0005, 0.001, 0.0)
    found = due(drift, last, 38.0125, Way("radius wear", 12), CorrectionRule(), 0.004, diameter=True)
    assert found.leaves.parts == pytest.approx(10)
    assert found.change == pytest.approx(-0.001)  # half of 4 µm on the diameter, 2 µm a side
    assert due(drift, last, 38.0, Way("radius wear", 12), CorrectionRule(), 0.001, diameter=True) is None
    row = due(drift, last, 38.0125, Way("row", row="G54", axis="x"), CorrectionRule(), 0.004, diameter=False)
    assert row.change == pytest.approx(0.002)


def zero(u: float = 0.0, r: float = 0.0, features: tuple[str, ...] = ()) -> Zero:
    values = {a: Estimate(0.0, {Source(f"zero {a}"): u} if u else {}) for a in "xyz"}
    return Zero("G54", values | {"r": Estimate(r)}, features)


def position(**more: object) -> Characteristic:
    limits = Limits(None, 0.05, 0.0)
    return Characteristic("2", "seat", What.POSITION, 0.0, limits, place=(80.0, 50.0), row="G54", size=H7, **more)


def test_a_position_grows_by_the_departure_from_maximum_material():
    """dx 0.021, dy −0.016, ⌀0.05 at maximum material, a bore of 38.012: ⌀0.0528 of 0.062."""
    exact = replace(ring(38.012, (80.021, 49.984)), effects=())
    found = judge(position(bonus=True), known(exact, zero=zero()))
    assert found.value == pytest.approx(0.0528, abs=5e-5)
    assert (found.limits.high, found.verdict) == (pytest.approx(0.062), Verdict.IN)
    without = judge(position(), known(exact, zero=zero()))
    assert (without.limits.high, without.verdict) == (0.05, Verdict.OUT)
    # With a ± the size counts as it is least favourable.
    real = judge(position(bonus=True), known(ring(38.012, (80.021, 49.984)), zero=zero()))
    assert 0.059 < real.limits.high < 0.062


def test_a_position_counts_from_its_datums_or_says_from_which_row():
    feature, datums = ring(38.01, (80.0, 50.0)), ("left", "front")
    asked = position(datums=datums)
    assert judge(asked, known(feature, zero=zero(features=datums))).to == "datums left, front"
    assert judge(asked, known(feature, zero=zero(features=("front", "left")))).to == "to G54"
    assert judge(asked, known(feature, zero=zero())).to == "to G54"
    # Turned by 90° the drawing's X lies along the machine's Y.
    turned = judge(position(), known(ring(38.01, (-50.0, 80.0)), zero=zero(r=90.0)))
    assert turned.value == pytest.approx(0.0, abs=1e-9)
    # What the feature and the zero share leaves their difference; what they do not is in it.
    assert judge(asked, known(feature, zero=zero(0.004))).u > 0.0075


def test_form_rejects_and_never_accepts():
    form = Characteristic("3", "seat", What.FORM, 0.0, Limits(None, 0.01, 0.0))
    assert judge(form, known(ring(38.01))).verdict is Verdict.CANNOT_TELL
    assert judge(form, known(ring(38.01, oval=0.03))).verdict is Verdict.OUT


def test_a_distance_and_a_coordinate():
    one, two = ring(38.0, (0.0, 0.0)), replace(ring(16.0, (-60.03, 0.01)), name="dowel")
    apart = Characteristic("4", "seat", What.DISTANCE, 60.0, Limits(59.95, 60.05, 60.0), other="dowel", along="x")
    assert judge(apart, known(one, two)).value == pytest.approx(60.03, abs=1e-6)
    place = Characteristic("5", "dowel", What.X, -60.0, Limits(-60.02, -59.98, -60.0), row="G54")
    found = judge(place, known(two, zero=zero()))
    assert (found.verdict, found.to) == (Verdict.OUT, "to G54")
    with pytest.raises(InspectionError, match="was not measured"):
        judge(apart, known(one))
    with pytest.raises(InspectionError, match="has no figures"):
        judge(place, known(two))


def test_the_worst_characteristic_is_that_of_the_part():
    assert part_outcome([Fate.GOOD, Fate.AGAIN, Fate.CANNOT_TELL]) is Fate.AGAIN
    assert part_outcome([Fate.GOOD, Fate.AGAIN, Fate.SCRAP]) is Fate.SCRAP
    assert part_outcome([Fate.GOOD, Fate.OPEN]) is Fate.OPEN
    assert part_outcome([]) is Fate.OPEN


def test_a_true_value_on_a_limit_is_accepted_once_in_twenty():
    random = np.random.default_rng(5)
    u = 0.002
    for beyond, wanted, off in ((0.0, 0.05, 0.007), (u, 0.004, 0.002)):
        values = 38.025 + beyond + random.normal(0.0, u, 10_000)
        accepted = sum(verdict_of(probability_inside(v, u, H7)) is Verdict.IN for v in values) / 10_000
        assert accepted == pytest.approx(wanted, abs=off)


# -- corrections -------------------------------------------------------------------------------------------------------

WHOLE = CorrectionRule(share=1.0, limit=0.5)


def part(deviation: float, metal: float | None, then: float = 0.0, expanded: float = 0.0) -> CutPart:
    return CutPart(deviation, expanded, metal, then)


@pytest.mark.parametrize(
    ("deviation", "metal", "way", "change"),
    [
        (-0.008, 0.004, Way("radius wear", 12), -0.004),
        (-0.008, 0.004, Way("radius wear", 12, "diameter"), -0.008),
        (0.018, 0.009, Way("radius wear", 12), -0.009),
        (0.032, 0.032, Way("length wear", 12), -0.032),
        (0.2, None, Way("row", row="G54", axis="z", blank=True), 0.2),
        (0.2, None, Way("row", row="G54", axis="x"), -0.2),
    ],
)
def test_the_sign_of_a_correction(deviation, metal, way, change):
    found = propose([part(deviation, metal)], 0.0, way, WHOLE, diameter=True)
    assert found.change == pytest.approx(change)


def test_what_is_not_corrected_says_why():
    way = Way("radius wear", 12)
    small = propose([part(0.003, -0.0015, expanded=0.004)], 0.0, way, WHOLE, diameter=True)
    assert (small.change, "larger" in small.why) == (0.0, True)
    dead = propose([part(0.003, -0.0015)], 0.0, way, CorrectionRule(1.0, 0.004, 0.5), diameter=True)
    assert "dead band" in dead.why
    far = propose([part(0.3, -0.15)], 0.0, way, CorrectionRule(1.0, 0.0, 0.1), diameter=True)
    assert (far.change, "look at the tool" in far.why) == (0.0, True)
    waits = propose([part(0.02, -0.01, then=0.1)], 0.0, way, WHOLE, diameter=True)
    assert waits.why == "waits for a part that was cut after the last change"
    head = propose([part(-0.02, 0.01)], 0.0, replace(way, head=True), WHOLE, diameter=True)
    assert (head.change, head.card) == (0.0, "open the head by ⌀ 0.020 mm")
    bare = propose([part(-0.02, 0.01)], 0.0, replace(way, compensated=False), WHOLE, diameter=True)
    assert (bare.change, "wear does nothing" in bare.why) == (0.0, True)
    with pytest.raises(InspectionError, match="which side"):
        propose([part(0.02, None)], 0.0, way, WHOLE, diameter=True)
    with pytest.raises(InspectionError, match="makes no sense"):
        CorrectionRule(share=1.5)


def test_parts_cut_under_one_value_give_their_median():
    parts = [part(d, -d / 2) for d in (0.01, 0.012, 0.05)] + [part(0.9, -0.45, then=1.0)]
    assert propose(parts, 0.0, Way("radius wear", 12), WHOLE, diameter=True).change == pytest.approx(0.006)
    assert "2 more" in propose(parts, 0.0, Way("radius wear", 12), CorrectionRule(1.0, 0.0, 1.0, 5), diameter=True).why


def run(share: float, drift: float, noise: np.ndarray) -> np.ndarray:
    """Deviations of parts that are cut one after the other, each answered by the rule."""
    wear, found = 0.0, []
    for n, e in enumerate(noise):
        deviation = float(e) + drift * n + 2 * wear
        found.append(deviation)
        wear = propose(
            [part(deviation, deviation / 2, wear)],
            wear,
            Way("radius wear", 1),
            CorrectionRule(share, 0, 1e6),
            diameter=True,
        ).new
    return np.array(found)


def test_answering_scatter_adds_scatter_and_a_drift_leaves_a_lag():
    random = np.random.default_rng(3)
    for share, growth in ((1.0, 1.414), (0.5, 1.155), (0.2, 1.054)):
        assert expected_growth(share) == pytest.approx(growth, abs=5e-4)
        ends = np.concatenate([run(share, 0.0, random.normal(0, 1, 400))[40:] for _ in range(20)])
        assert stdev(ends) == pytest.approx(growth, rel=0.03)
        lag = run(share, 0.01, np.zeros(200))[-1]
        assert lag == pytest.approx(remaining_lag(0.01, share), rel=0.03)


# -- many parts --------------------------------------------------------------------------------------------------------


def test_a_chart_of_individuals_by_hand():
    chart = run_chart([10.0, 12.0, 11.0, 13.0, 9.0])
    assert (chart.mean, chart.ranges) == (11.0, (2.0, 1.0, 2.0, 4.0))
    assert (chart.low, chart.high) == (pytest.approx(11 - 2.66 * 2.25), pytest.approx(11 + 2.66 * 2.25))
    assert chart.steady
    assert run_chart([0.0, 0.5] * 10 + [2.5]).signals == (20,)
    assert not run_chart([0.1 * n for n in range(20)]).steady
    assert run_chart([5.0]).steady


def test_a_drift_says_when_it_leaves_the_band():
    random = np.random.default_rng(2)
    values = 38.002 + 0.0002 * np.arange(40) + random.normal(0, 0.0005, 40)
    drift = drift_of(values)
    assert drift.slope == pytest.approx(0.0002, abs=drift.expanded)
    when = leaving(drift, H7)
    assert when.earliest < when.parts < when.latest
    assert when.parts == pytest.approx((38.025 - values[-1]) / 0.0002, rel=0.1)
    assert leaving(drift_of(random.normal(38.01, 0.001, 40)), H7) is None
    assert drift_of([1.0, 2.0]) is None


def test_ability_only_of_fifty_parts_and_only_what_can_be_known():
    random = np.random.default_rng(4)
    values = list(random.normal(38.0125, 0.002, 200))
    names = {item.name: item for item in abilities(values, H7, corrected=False)}
    assert set(names) >= {"Pp", "Ppk"}
    assert names["Pp"].low < 0.025 / (6 * 0.002) < names["Pp"].high
    # For n = 200 a table of chi-square gives 0.902 and 1.098 of Pp.
    assert names["Pp"].low / names["Pp"].value == pytest.approx(0.902, abs=0.002)
    assert names["Pp"].high / names["Pp"].value == pytest.approx(1.098, abs=0.002)
    assert {item.name for item in abilities(values, H7, corrected=True)} == {"Pp", "Ppk"}
    assert [i.name for i in abilities(np.abs(values), Limits(None, 39.0, 0.0), corrected=False, zone=True)] == ["Ppk"]
    assert abilities(values[:49], H7, corrected=False) == ()
    assert repeatability([1.0, 1.002], H7).share == pytest.approx(4 * 0.001414 / 0.025, rel=1e-3)


@pytest.mark.parametrize(
    ("numbers", "together"),
    [
        (["3", "4", "5", "6"], "3–6"),
        (["1", "2"], "1, 2"),
        (["1", "3", "4", "5", "8", "9", "12a", "13"], "1, 3–5, 8, 9, 12a, 13"),
        (["9", "10", "11"], "9–11"),
        (["3", "2", "1"], "3, 2, 1"),
        ([], ""),
    ],
)
def test_numbers_of_one_place_stand_together(numbers, together):
    assert numbers_together(numbers) == together
