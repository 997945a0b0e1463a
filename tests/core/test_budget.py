"""What a ± holds: every source by hand, degrees of freedom, residuals, and what is told that it does not hold."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.special import chdtrc

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.calibration import calibrate, calibrate_offset
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.features.touches import CalibratedOn, Stylus, Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.chain import budget_words, solve_offset
from brisk_anchor.core.offsets.checks import look_at_residuals, look_at_turn
from brisk_anchor.core.offsets.conditions import Conditions, Temperature, grown
from brisk_anchor.core.offsets.rotated_offsets import straightened
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromRow, FromTable, Turner
from brisk_anchor.core.tools.hand_tools import HandKind, HandTool
from brisk_anchor.core.uncertainty.coverage import chi_square_tail, coverage_factor, normal_limit, normal_tail
from brisk_anchor.core.uncertainty.estimates import Estimate, covariance_of, effective_freedom, folded
from brisk_anchor.core.uncertainty.residuals import judge
from brisk_anchor.core.uncertainty.sources import Source

QUIET = Stylus(20, "probe", 6.0, 2.994, 150.0, 0.001, 0.0, 0.0, 4.0, 50.0, 40.0, 70.0)
U = 0.001
CROSS = (0.0, 90.0, 180.0, 270.0)


def ring(
    stylus: Stylus = QUIET, headings=CROSS, off=(), size: float = 38.0, kind=FeatureKind.BORE
) -> tuple[Touch, ...]:
    """Touches of a round about (−400, −200); each lies `off` further along its way than a true one."""
    sense = -1.0 if kind.is_outside else 1.0
    found = []
    for n, heading in enumerate(headings):
        out = np.array((math.cos(math.radians(heading)), math.sin(math.radians(heading))))
        reach = 19.0 - sense * stylus.effective_radius + sense * (off[n] if n < len(off) else 0.0)
        x, y = np.array((-400.0, -200.0)) + reach * out
        found.append(Touch(f"t{n + 1}", (x, y, -150.0), (*(sense * out), 0.0), stylus, U))
    return tuple(found)


def walls(ways: str, spread: float = 0.0, off=(), aside: float = 0.0, outside: bool = False) -> tuple[Touch, ...]:
    """Walls of a 60 × 40 pocket about (−400, −200), touched at places `aside` from its middle, and along the wall."""
    found: list[Touch] = []
    for way in ways.split():
        axis, sign = "xy".index(way[1]), 1.0 if way[0] == "+" else -1.0
        for along in (-spread / 2, spread / 2) if spread else (0.0,):
            place = [-400.0, -200.0, -150.0]
            half = (30.0, 20.0)[axis] + QUIET.effective_radius * (1 if outside else -1)
            bump = off[len(found)] if len(found) < len(off) else 0.0
            place[axis] += sign * (half - bump if outside else half + bump)
            place[1 - axis] += along + aside
            direction = [0.0, 0.0, 0.0]
            direction[axis] = -sign if outside else sign
            found.append(Touch(f"t{len(found) + 1}", tuple(place), tuple(direction), QUIET, U))
    return tuple(found)


def part(feature: Feature, axis: str, label: str) -> float:
    """The standard uncertainty that sources of a label have in a figure."""
    figures = feature.estimates() | feature.size_estimates()
    return math.sqrt(sum(e**2 for s, e in figures[axis].effects.items() if s.words.startswith(label)))


# -- freedom ---------------------------------------------------------------------------------------------------------


def test_four_touches_of_one_estimate_have_its_freedom_and_not_their_sum():
    few = replace(QUIET, repeats=3)
    feature = solve("bore", FeatureKind.BORE, ring(few))
    for figure in feature.estimates().values():
        assert figure.freedom == pytest.approx(2.0)
        assert figure.k == pytest.approx(4.53, abs=0.005)
    assert solve("bore", FeatureKind.BORE, ring()).estimates()["x"].k == 2.0


def test_welch_and_satterthwaite_by_hand():
    # u 3 and 4 with 4 and 9 degrees: (25)² / (81/4 + 256/9); one group of 3 and 4 with 5 degrees has just those.
    apart = {Source("a", freedom=4.0): 3.0, Source("b", freedom=9.0): 4.0}
    assert effective_freedom(apart) == pytest.approx(625 / (81 / 4 + 256 / 9))
    together = {Source("a", group="g", freedom=5.0): 3.0, Source("b", group="g", freedom=5.0): 4.0}
    assert effective_freedom(together) == pytest.approx(5.0)
    assert effective_freedom({Source("a"): 1.0}) == math.inf
    assert coverage_factor(math.inf) == 2.0
    assert [round(coverage_factor(n), 2) for n in (1.0, 4.0, 10.0)] == [13.97, 2.87, 2.28]  # JCGM 100, table G.2


@pytest.mark.parametrize("share", [0.51, 0.7, 0.9, 1.0])
def test_most_of_it_within_limits_stays_within_what_can_be(share):
    rng = np.random.default_rng(3)
    limit, sigma = math.sqrt(3 * share), math.sqrt(1 - share)
    drawn = rng.uniform(-limit, limit, 400_000) + rng.normal(0, sigma, 400_000)
    known = Estimate(0.0, {Source("turn", uniform=True): math.sqrt(share), Source("touch"): sigma})
    assert np.mean(np.abs(drawn) <= known.expanded) == pytest.approx(0.9545, abs=0.002)
    assert Estimate(0.0, {Source("a", uniform=True): 1.0, Source("b", uniform=True): 1.0}).k == 2.0


def test_the_last_digit_beside_the_scatter_is_known():
    touch = Touch("t", (0.0, 0.0, 0.0), (1.0, 0.0, 0.0), replace(QUIET, repeats=6), 0.001 * math.sqrt(2))
    assert touch.freedom == pytest.approx(5 * 4)


# -- what each source does -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", [FeatureKind.BORE, FeatureKind.BOSS])
def test_lobing_goes_into_the_middle_and_the_size_of_four_touches(kind):
    lobed = solve("bore", kind, ring(replace(QUIET, lobing=0.001), kind=kind))
    # Three lobes move opposite touches to the same side: the middle goes by their height.
    assert part(lobed, "x", "lobing") == pytest.approx(0.001 / math.sqrt(2))
    assert part(lobed, "D", "lobing") == pytest.approx(0.0005)
    turned = solve("bore", kind, ring(replace(QUIET, lobing=0.001), kind=kind), stated=Stated(half_turn=True))
    assert part(turned, "x", "lobing") == pytest.approx(0, abs=1e-12)  # what opposite sides have turned about falls out
    assert "lobing of T20: not stated" in solve("bore", kind, ring(kind=kind)).without


def test_form_is_within_its_zone_or_told_as_unknown():
    formed = solve("bore", FeatureKind.BORE, ring(), stated=Stated(form=0.004))
    assert part(formed, "x", "form") == pytest.approx(0.002 / math.sqrt(2))
    slot = solve("slot", FeatureKind.SLOT, walls("-x +x"), stated=Stated(form=0.006))
    assert part(slot, "D", "form") == pytest.approx(0.003 / math.sqrt(3) * math.sqrt(2))
    assert "form: not bounded below 8 touches" in solve("bore", FeatureKind.BORE, ring()).without
    thrice = solve("bore", FeatureKind.BORE, ring() * 3)
    assert "form: not bounded below 8 touches" in thrice.without
    many = solve("bore", FeatureKind.BORE, ring(headings=range(0, 360, 45)))
    assert not any(words.startswith("form") for words in many.without)


def test_a_corner_touched_once_counts_the_turn_by_how_far_from_it_it_was_touched():
    x = Touch("x", (-402.994, -215.0, -150.0), (1.0, 0.0, 0.0), QUIET, U)
    y = Touch("y", (-411.0, -202.994, -150.0), (0.0, 1.0, 0.0), QUIET, U)
    corner = solve("corner", FeatureKind.OUTSIDE_CORNER, (x, y), stated=Stated(turn=0.5))
    assert corner.coordinates == pytest.approx((-400.0, -200.0))
    theta = math.radians(0.5) / math.sqrt(3)
    turned = {
        axis: {s.name: e for s, e in item.effects.items() if s.words == "turn of the part"}["turn of the part"]
        for axis, item in corner.estimates().items()
    }
    # Turned counter-clockwise, the wall across X was met 15 mm below the corner at x + 15 θ, that across Y at y − 11 θ:
    # the corner lies nearer than told, or further, by that.
    assert abs(turned["x"]) == pytest.approx(15 * theta)
    assert abs(turned["y"]) == pytest.approx(11 * theta)
    assert turned["x"] * turned["y"] < 0
    chain = solve_offset("G54", {"x": FromFeature("corner"), "y": FromFeature("corner")}, {"corner": corner})
    (look,) = look_at_turn(chain)
    assert "X ±0.126" in look.found
    assert "twice" in look.do
    assert "turn of the part" in budget_words(chain.axis("x"))


def test_a_pocket_aimed_off_and_a_size_askew_count_the_turn():
    pocket = solve("pocket", FeatureKind.POCKET, walls("-x +x -y +y", aside=0.3), stated=Stated(turn=1.0, aim=0.3))
    assert part(pocket, "x", "turn") == pytest.approx(math.radians(1.0) / math.sqrt(3) * 0.3, rel=1e-6)
    askew = (1 / math.cos(math.radians(1.0)) - 1) / math.sqrt(5)
    assert part(pocket, "D", "turn") == pytest.approx((60 - 2 * QUIET.effective_radius) * askew)
    twice = solve("pocket", FeatureKind.POCKET, walls("-x +x -y +y", spread=20.0), stated=Stated(turn=1.0))
    assert part(twice, "x", "turn") == 0  # how it lies was measured
    face = solve("face", FeatureKind.SURFACE, walls("+x"), stated=Stated(turn=1.0))
    assert any(words.startswith("the part turned by up to 1°") for words in face.without)


def test_a_centre_of_rotation_is_wrong_in_every_row_by_the_same():
    """The centre lies (−0.010, +0.020) from the stated one: worked by hand for B90 and B180."""
    known = {"G54": {a: Estimate(v) for a, v in zip("xyz", (-320.0, -100.0, -430.0), strict=True)}}
    off = {"x": -0.010, "z": 0.020}
    for angle, wanted in ((90.0, (0.010, 0.030)), (180.0, (-0.020, 0.040)), (0.0, (0.0, 0.0))):
        rule = FromTable("G54", "B", angle, (0.0, 1.0, 0.0), (-400.0, 0.0, -550.0), -1, u_centre=0.002)
        chain = solve_offset("G55", dict.fromkeys("xyz", rule), {}, {}, known)
        for axis, by in zip("xz", wanted, strict=True):
            effects = {source.name[-1].lower(): e for source, e in chain.axis(axis).effects}
            assert sum(effects.get(a, 0.0) / 0.002 * off[a] for a in "xz") == pytest.approx(by, abs=1e-9)
        assert chain.axis("y").u == 0
        unknown = solve_offset("G55", dict.fromkeys("xyz", replace(rule, u_centre=None)), {}, {}, known)
        assert "centre of B: not stated" in unknown.without


def test_a_table_that_leans_carries_a_row_off_by_its_arm():
    """An arm of (80, −100, 120) turned by 180° about Y: leaning by a about X it is off (0, 240 a, −200 a), by hand."""
    known = {"G54": {a: Estimate(v) for a, v in zip("xyz", (-320.0, -100.0, -430.0), strict=True)}}
    u = 0.001
    rule = FromTable("G54", "B", 180.0, (0.0, 1.0, 0.0), (-400.0, 0.0, -550.0), -1, u_centre=0.0, u_direction=u)
    chain = solve_offset("G55", dict.fromkeys("xyz", rule), {}, {}, known)
    a = math.radians(u)
    wanted = {"X": (0.0, 240 * a, -200 * a), "Z": (200 * a, -160 * a, 0.0)}
    for about, off in wanted.items():
        source = Source(f"direction of B, about {about}")
        found = [dict(chain.axis(axis).effects).get(source, 0.0) for axis in "xyz"]
        assert found == pytest.approx(off, abs=1e-9)
    assert chain.axis("y").u == pytest.approx(math.hypot(240 * a, 160 * a))


def test_a_table_turns_by_what_was_measured_right_or_wrong():
    edges = {
        "x": Estimate(-440.0, {Source("a"): 0.001}),
        "y": Estimate(-220.0),
        "r": Estimate(1.0, {Source("r"): 0.01}),
    }

    straight, by = straightened(edges, Turner("C", (-380.0, -300.0), 1, 0.002))
    assert by == -1.0
    assert Source("r") not in straight["x"].effects
    assert straight["r"].u == 0.01
    assert straight["x"].effects[Source("centre of C, X")] == pytest.approx((1 - math.cos(math.radians(1.0))) * 0.002)


def test_a_master_counts_once_whatever_the_table_does():
    top = solve("top", FeatureKind.SURFACE, (Touch("t", (0.0, 0.0, -200.0), (0.0, 0.0, -1.0), QUIET, U),))
    chain = solve_offset("G54", {"z": FromFeature("top", master=100.0, u_master=0.002)}, {"top": top})
    assert chain.axis("z").u == pytest.approx(math.hypot(0.001, 0.002))
    known = {"G54": {"x": Estimate(0.0), "y": Estimate(0.0), "z": chain.axis("z").estimate}}
    rule = FromTable("G54", "A", 90.0, (1.0, 0.0, 0.0), (0.0, 0.0, -500.0), 1, 100.0, u_centre=0.0)
    carried = solve_offset("G55", dict.fromkeys("xyz", rule), {}, {}, known)
    masters = {a.axis: dict(a.effects).get(Source("length of the master"), 0.0) for a in carried.axes}
    assert masters == {"x": 0.0, "y": 0.0, "z": pytest.approx(0.002)}


def test_steel_of_300_mm_grows_17_µm_in_5_degrees_and_its_figures_go_with_it():
    warm = Conditions(temperature=Temperature(25.0, "steel"))
    rules = {"x": FromFeature("a", 300.0), "y": FromRow("G54", 300.0), "r": FromFit(("a",), ((300.0, 0.0),))}
    found = grown(rules, warm)
    assert found["x"].drawing - 300 == pytest.approx(0.01725)
    assert found["y"].shift - 300 == pytest.approx(0.01725)
    both = Conditions(temperature=Temperature(25.0, "aluminium", 25.0, "steel"))
    assert grown(rules, both)["x"].drawing - 300 == pytest.approx(300 * 5 * (23.5e-6 - 11.5e-6))
    bore = solve("a", FeatureKind.BORE, ring())
    chain = solve_offset("G54", {"x": rules["x"]}, {"a": bore}, conditions=warm)
    assert chain.values["x"] == pytest.approx(-400 - 300.01725)
    # 1 K of each, and a tenth of the steel's own figure each way over 5 K.
    u = 300 * 11.5e-6 * math.sqrt(2 + (5 * 0.1) ** 2 / 3)
    assert chain.axis("x").u == pytest.approx(math.hypot(u, U / math.sqrt(2)), rel=1e-3)
    cold = solve_offset("G54", {"x": rules["x"]}, {"a": bore})
    assert "temperature: not stated; 5 K are 17.2 µm over 300 mm of steel, more than the ±" in cold.without
    with pytest.raises(GeometryError, match="not known"):
        Temperature(25.0, "chocolate")


def test_scale_and_squareness_count_by_how_far_the_zero_lies():
    bore = solve("a", FeatureKind.BORE, ring())
    stated = Conditions(5e-6, 0.001)
    chain = solve_offset(
        "G54", {"x": FromFeature("a", 300.0), "y": FromFeature("a", 200.0)}, {"a": bore}, conditions=stated
    )
    own = U / math.sqrt(2)
    assert chain.axis("x").u == pytest.approx(math.hypot(own, 0.0015, 200 * math.radians(0.001)))
    assert chain.axis("y").u == pytest.approx(math.hypot(own, 0.001))
    assert not any("scale" in words or "squareness" in words for words in chain.without)


# -- names -----------------------------------------------------------------------------------------------------------


def test_errors_are_shared_by_measurement_calibration_and_tool_alone():
    sure = replace(QUIET, u_radius=0.0005, calibrations=(CalibratedOn("radius", "Monday"),))
    again = replace(sure, calibrations=(CalibratedOn("radius", "Tuesday"),))

    def wall(stylus: Stylus, measurement: str) -> Estimate:
        touch = Touch("t", (0.0, 0.0, 0.0), (1.0, 0.0, 0.0), stylus, U)
        return solve("wall", FeatureKind.SURFACE, (touch,), stated=Stated(measurement)).estimates()["x"]

    def together(a: Estimate, b: Estimate) -> float:
        return float(covariance_of([a, b])[0, 1])

    first = wall(sure, "one")
    assert together(first, wall(sure, "two")) == pytest.approx(0.0005**2)
    assert together(first, wall(again, "two")) == 0
    assert together(first, wall(sure, "one")) == pytest.approx(0.0005**2 + U**2)
    on = CalibratedOn("radius", "Monday", "⌀25 of ring", 0.0003)
    same_ring = [replace(sure, calibrations=(replace(on, at=at),)) for at in ("Monday", "Tuesday")]
    assert together(*(wall(s, s.calibrations[0].at) for s in same_ring)) == pytest.approx(0.0003**2)


def test_one_feeler_is_as_thick_below_as_beside_and_two_are_not():
    def tool(name: str, thickness: float) -> HandTool:
        return HandTool(name, HandKind.FEELER, 5, 10.0, thickness, 120.0, 0.0, 0.002, 0.003, 0.004)

    def wall(which: HandTool, way: tuple[float, float, float]) -> Estimate:
        return next(
            iter(solve("w", FeatureKind.SURFACE, (Touch("t", (0.0, 0.0, 0.0), way, which, 0.0),)).estimates().values())
        )

    feeler, paper = tool("feeler", 0.1), tool("paper", 0.08)
    side, below = wall(feeler, (1.0, 0.0, 0.0)), wall(feeler, (0.0, 0.0, -1.0))
    assert (side.u, below.u) == (pytest.approx(math.hypot(0.001, 0.003)), pytest.approx(math.hypot(0.004, 0.003)))
    assert abs(covariance_of([side, below])[0, 1]) == pytest.approx(0.003**2)
    # The same cutter with paper: its diameter is shared, what lies between is not.
    assert covariance_of([side, wall(paper, (1.0, 0.0, 0.0))])[0, 1] == pytest.approx(0.001**2)


def test_folding_keeps_covariance_and_freedom_and_is_short():
    sources = [Source(f"touch {n}", "touches", own=True, group="g", freedom=4.0) for n in range(40)]
    random = np.random.default_rng(3)
    rows = [Estimate(0.0, {s: float(random.normal()) for s in sources} | {Source("radius"): 0.5}) for _ in range(3)]
    short = folded(rows)
    assert covariance_of(short) == pytest.approx(covariance_of(rows))
    assert [item.freedom for item in short] == pytest.approx([item.freedom for item in rows])
    assert max(len(item.effects) for item in short) <= 4


# -- residuals -------------------------------------------------------------------------------------------------------


def test_the_touch_that_lies_off_is_named_by_leaving_it_out():
    off = [0.0] * 16
    off[5] = 0.012
    feature = solve("bore", FeatureKind.BORE, ring(headings=[n * 22.5 for n in range(16)], off=off))
    misfit = feature.misfit
    assert misfit is not None
    assert misfit.too_large
    assert misfit.worst == 5
    rest = ring(headings=[n * 22.5 for n in range(16) if n != 5])
    without = solve("bore", FeatureKind.BORE, rest)
    assert without.coordinates == pytest.approx((-400.0, -200.0), abs=1e-6)
    assert misfit.off == pytest.approx(0.012, rel=0.02)  # what it lies off the circle of the others
    (look,) = look_at_residuals(feature)
    assert look.found.startswith("Touch 6 of bore lies 12")


def test_with_one_touch_too_many_nobody_can_tell_which_and_the_factor_says_so():
    feature = solve("bore", FeatureKind.BORE, ring(off=(0.030,)))
    (look,) = look_at_residuals(feature)
    assert "nobody can tell which" in look.found
    figure = feature.estimates()["x"]
    assert figure.k == pytest.approx(13.97, abs=0.01)
    assert abs(figure.value + 400) < figure.expanded
    # Residuals of one of four are a quarter of it each: χ² = 4 (7.5 µm / 1 µm)², on one degree.
    assert feature.widened == pytest.approx(15.0, rel=1e-3)


def test_walls_that_are_not_parallel_or_square_are_told():
    for kind, ways, outside in ((FeatureKind.BLOCK, "-x +x -y +y", True), (FeatureKind.SLOT, "-x +x", False)):
        good = solve("it", kind, walls(ways, 20.0, outside=outside))
        assert good.misfit is not None
        assert not good.misfit.too_large
        bad = solve("it", kind, walls(ways, 20.0, off=(0.2,), outside=outside))
        assert bad.misfit.too_large
        for axis, true in (("x", -400.0), ("y", -200.0)):
            if axis in bad.axes:
                assert abs(bad.coordinate(axis) - true) < bad.estimates()[axis].expanded


def test_form_and_lobing_that_are_stated_are_no_misfit():
    off = [0.001 * math.cos(math.radians(2 * n * 45)) for n in range(8)]
    rounds = {
        form: solve(
            "b", FeatureKind.BORE, ring(headings=range(0, 360, 45), off=[4 * o for o in off]), stated=Stated(form=form)
        )
        for form in (None, 0.008)
    }
    assert [feature.misfit.too_large for feature in rounds.values()] == [True, False]


@given(st.integers(3, 30), st.integers(0, 2**31))
def test_residuals_and_their_square_go_with_the_hat_matrix(count, seed):
    random = np.random.default_rng(seed)
    design = np.column_stack([np.ones(count), random.normal(size=count)])
    errors = random.normal(0, 0.002, count)
    hat = design @ np.linalg.pinv(design)
    left = errors - hat @ errors
    found = judge(left, np.full(count, 0.002), design)
    assert found.freedom == count - 2
    assert found.square == pytest.approx(float(left @ left) / 0.002**2)
    scores = np.abs(left) / (0.002 * np.sqrt(np.maximum(1 - np.diag(hat), 1e-12)))
    assert found.score == pytest.approx(float(scores.max()))
    assert chi_square_tail(4.0, 1) == pytest.approx(0.0455, abs=1e-4)  # two standard deviations, squared
    assert chi_square_tail(5 * 3.326, 5, 10) == pytest.approx(0.05, abs=1e-4)  # F 5, 10 of tables
    for freedom in (1, 2, 3, 8, 33, 320):
        for square in (0.1, freedom * 0.7, freedom * 1.4, 3000.0):
            assert chi_square_tail(square, freedom) == pytest.approx(
                float(chdtrc(freedom, square)), rel=1e-9, abs=1e-300
            )
    assert normal_limit(0.05) == pytest.approx(1.95996, abs=1e-5)
    assert normal_tail(2.2281, 10) == pytest.approx(0.05, abs=1e-5)  # Student's of tables


def test_what_is_absurd_is_refused():
    with pytest.raises(GeometryError, match="says nothing"):
        replace(ring()[0], u=1e9)
    with pytest.raises(GeometryError, match="over 1 mm"):
        replace(QUIET, u_length=1e9)
    with pytest.raises(GeometryError, match="over 1 mm"):
        HandTool("f", HandKind.FEELER, 5, 10.0, 0.1, 120.0, 1e9)
    with pytest.raises(GeometryError, match="two"):
        replace(QUIET, repeats=1)


# -- calibrations ----------------------------------------------------------------------------------------------------


def test_a_ring_at_many_places_gives_a_table_that_takes_lobing_out():
    """Three lobes of 2 µm: a bore is found where it is, and its ± no longer holds them."""
    headings = list(range(0, 360, 15))
    lobes = [0.002 * math.cos(math.radians(3 * h)) for h in headings]
    # The signal comes later where the ball reaches further: it goes so much further into the wall.
    master = solve("ring", FeatureKind.BORE, ring(headings=headings, off=[-value for value in lobes]))
    found = calibrate(master, 38.0, 0.0002, "Monday")
    stylus = found.stylus(replace(QUIET, lobing=0.002))
    assert found.value == pytest.approx(QUIET.effective_radius)
    assert stylus.lobing < 0.0005
    touched = ring(headings=CROSS, off=[-0.002 * math.cos(math.radians(3 * h)) for h in CROSS])
    bore = solve("bore", FeatureKind.BORE, tuple(replace(touch, stylus=stylus) for touch in touched))
    assert bore.coordinates == pytest.approx((-400.0, -200.0), abs=1e-6)
    assert bore.shifted[0] == pytest.approx(0.002, abs=1e-5)
    assert part(bore, "x", "lobing") < 0.0005
    (note,) = solve_offset("G54", {"x": FromFeature("b")}, {"b": bore}).notes
    assert "a control knows one, and has it ±2.0 µm" in note
    assert part(bore, "x", "radius of T20 by direction") == pytest.approx(U / math.sqrt(2))
    mean = tuple(replace(touch, stylus=stylus) for touch in ring())
    both = solve("bore", FeatureKind.BORE, mean, stated=Stated(half_turn=True))
    assert both.coordinates == pytest.approx((-400.0, -200.0), abs=1e-9)  # opposite sides of the ball met: their mean
    few = calibrate(solve("ring", FeatureKind.BORE, ring()), 38.0, 0.0)
    assert few.lobing is None


def test_run_out_from_a_known_centre_holds_nothing_of_the_one_before():
    unsure = replace(QUIET, u_offset=0.004)
    found = calibrate_offset(unsure, solve("ring", FeatureKind.BORE, ring(unsure)), None, (-400.0, -200.0), 0.0002)
    assert found.u == pytest.approx(math.hypot(U / math.sqrt(2), 0.0002))
    half = solve("bore", FeatureKind.BORE, ring(unsure), stated=Stated(half_turn=True))
    assert part(half, "x", "X of the ball") == 0
