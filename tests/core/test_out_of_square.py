"""A machine that is off by what is stated of it: what that does to zeros and to what is inspected is in their ±."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import pytest

from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.features.dial import dialled_edge
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.out_of_square import share_between, share_of_points
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.inspection.characteristic import Characteristic, Evidence, What, Zero, judge
from brisk_anchor.core.inspection.verdict import Limits
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.chain import solve_offset
from brisk_anchor.core.offsets.conditions import Conditions, Temperature
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromHeading, FromRow, FromTable, Rule, Turner
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.core.uncertainty.estimates import Estimate

ORIGIN = Zero("G54", dict.fromkeys("xyzr", Estimate(0.0)))


def known(*features: Feature, zero: Zero | None = None) -> Evidence:
    return Evidence({feature.name: feature for feature in features}, {zero.row: zero} if zero is not None else {})


# -- what is inspected -------------------------------------------------------------------------------------------------

EXACT = Stylus(20, "probe", 6.0, 3.0, 150.0, 0.0005, 0.0, 0.0, 4.0, 50.0, 40.0, 70.0)


class World:
    """A machine whose lengths are off by `scale` and whose X and Y by `skew` rad; touches scatter by `u`, mm."""

    def __init__(self, u: float, scale: float = 0.0, skew: float = 0.0, seed: int | None = None) -> None:
        self.u, self.scale, self.skew = u, scale, skew
        self.random = np.random.default_rng(seed) if seed is not None else None

    def touch(self, x: float, y: float, dx: float, dy: float) -> Touch:
        """At a contact with metal, met along a direction."""
        ball = (x - 3 * dx, y - 3 * dy)
        noise = float(self.random.normal(0.0, self.u)) if self.random is not None else 0.0
        here = (ball[0] * (1 + self.scale) + self.skew * ball[1], ball[1] * (1 + self.scale))
        place = (here[0] + noise * dx, here[1] + noise * dy, -10.0)
        return Touch(f"{x:.0f} {y:.0f} {dx:.0f}", place, (dx, dy, 0.0), EXACT, self.u)

    def ring(self, name: str, x: float, y: float, size: float, scale: float | None = None) -> Feature:
        ways = ((1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0))
        touches = tuple(self.touch(x + size / 2 * dx, y + size / 2 * dy, dx, dy) for dx, dy in ways)
        return solve(name, FeatureKind.BORE, touches, stated=Stated(measurement=name, scale=scale))

    def edge(self, name: str, along: str, turn: float) -> Feature:
        """40 mm of a wall through the origin, turned by degrees from the axis it runs along."""
        off = 20 * math.tan(math.radians(turn))
        ends = ((-20.0, -off), (20.0, off)) if along == "x" else ((off, -20.0), (-off, 20.0))
        way = (0.0, 1.0) if along == "x" else (1.0, 0.0)
        touches = tuple(self.touch(*end, *way) for end in ends)
        return solve(name, FeatureKind.EDGE, touches, stated=Stated(measurement=name))

    def corner(self, name: str, opens: float) -> Feature:
        """Of walls at the origin, touched 40 mm apart, that are `opens` degrees more than square."""
        off = 40 * math.tan(math.radians(opens))
        across = (self.touch(0.0, 10.0, 1.0, 0.0), self.touch(-off, 50.0, 1.0, 0.0))
        along = (self.touch(10.0, 0.0, 0.0, 1.0), self.touch(50.0, 0.0, 0.0, 1.0))
        return solve(name, FeatureKind.OUTSIDE_CORNER, (*across, *along), stated=Stated(measurement=name))


def asked(what: What, feature: str, **more: object) -> Characteristic:
    limits = Limits(None, 0.02, 0.0) if what.is_zone else Limits(-500.0, 500.0, 0.0)
    return Characteristic("9", feature, what, 90.0 * (what is What.ANGLE and "other" in more), limits, **more)


def test_the_angle_of_two_walls_has_the_whole_of_what_each_may_be_turned_by():
    """Each turns by √2 u over its 40 mm: over 50 mm the two come to 2 u · 50/40."""
    world = World(0.001)
    corner, square = world.corner("corner", 0.01), asked(What.SQUARENESS, "corner", over=50.0)
    found = judge(square, known(corner))
    assert (found.value, found.u) == (pytest.approx(math.tan(math.radians(0.01)) * 50, rel=1e-6), pytest.approx(0.0025))
    stated = Conditions(u_scale=0.0, u_square=0.003)
    machine = math.radians(0.003) * 50
    skewed = judge(square, replace(known(corner), conditions=stated))
    assert skewed.u == pytest.approx(math.hypot(0.0025, machine))
    walls = [world.edge("left", "y", 0.01), world.edge("front", "x", 0.0), world.edge("back", "x", 0.0)]
    evidence = replace(known(*walls, zero=ORIGIN), conditions=stated)
    for what, one, other, value, u in (
        (What.SQUARENESS, "left", "front", found.value, skewed.u),
        (What.PARALLELISM, "back", "front", 0.0, 0.0025),
        (What.PARALLELISM, "front", "", 0.0, 0.0025 / math.sqrt(2)),
    ):
        judged = judge(asked(what, one, other=other, over=50.0, row="G54"), evidence)
        assert (judged.value, judged.u) == (pytest.approx(value, abs=1e-9), pytest.approx(u))
    # 90.01° from front to left, of which the drawing asks the other way round: 89.99° from left to front.
    for one, other, value in (("left", "front", 90.01), ("front", "left", 89.99)):
        angle = judge(asked(What.ANGLE, one, other=other), evidence)
        assert (angle.value, angle.u) == (pytest.approx(value), pytest.approx(math.degrees(skewed.u / 50)))
    dialled = replace(dialled_edge("left", 0.01, 40.0, 0.0, Scatter(0.0, None), Stated()), effects=())
    angle = judge(asked(What.ANGLE, "left", other="front"), known(dialled, walls[1]))
    assert angle.value == pytest.approx(90.01)
    kept = replace(corner, effects=tuple((source, effect[:-1]) for source, effect in corner.effects))
    with pytest.raises(InspectionError, match="touched twice"):
        judge(square, known(kept))  # of a book from before
    with pytest.raises(InspectionError, match="Over which length"):
        judge(asked(What.SQUARENESS, "corner"), known(corner))
    with pytest.raises(InspectionError, match="touched twice"):
        judge(asked(What.SQUARENESS, "seat", over=50.0), known(world.ring("seat", 0.0, 0.0, 38.01)))


def test_a_size_counts_the_scale_once_and_a_warm_part_is_judged_as_at_20_degrees():
    conditions = Conditions(1e-5, 0.0, Temperature(30.0, "aluminium"))
    grown = 1 + 23.5e-6 * 10
    for scale in (None, 1e-5):
        bore = World(1e-9).ring("seat", 0.0, 0.0, 100.0 * grown, scale)
        found = judge(asked(What.SIZE, "seat"), Evidence({"seat": bore}, {}, conditions))
        assert found.value == pytest.approx(100.0, abs=1e-6)
        warm = 100 * conditions.temperature.u_growth
        assert found.u == pytest.approx(math.hypot(100 * 1e-5, warm), rel=1e-3)


def test_inspected_figures_scatter_by_their_uncertainty_on_a_machine_as_good_as_stated():
    conditions, random = Conditions(2e-5, 0.004, None), np.random.default_rng(11)
    off = dict[str, list[float]]()
    for seed in range(300):
        world = World(0.001, float(random.normal(0, 2e-5)), float(random.normal(0, math.radians(0.004))), seed)
        features = {
            "zero": world.ring("zero", 0.0, 0.0, 30.0),
            "far": world.ring("far", 120.0, 90.0, 30.0, 2e-5),
            "left": world.edge("left", "y", 0.5),
            "front": world.edge("front", "x", -0.3),
            "corner": world.corner("corner", 0.02),
        }
        estimates = features["zero"].estimates()
        evidence = Evidence(features, {"G54": Zero("G54", estimates)}, conditions)
        opens = math.tan(math.radians(0.02)) * 50
        for name, characteristic, true in (
            ("size", asked(What.SIZE, "far"), 30.0),
            ("x", asked(What.X, "far", row="G54"), 120.0),
            ("y", asked(What.Y, "far", row="G54"), 90.0),
            ("place", asked(What.POSITION, "far", row="G54", place=(119.0, 91.0)), 2 * math.sqrt(2)),
            ("along x", asked(What.DISTANCE, "far", other="zero", along="x"), 120.0),
            ("straight", asked(What.DISTANCE, "far", other="zero"), 150.0),
            ("angle", asked(What.ANGLE, "left", other="front"), 90.8),
            ("turn", asked(What.ANGLE, "front", row="G54"), -0.3),
            ("square", asked(What.SQUARENESS, "corner", over=50.0), opens),
        ):
            found = judge(characteristic, evidence)
            off.setdefault(name, []).append((found.value - true) / found.u)
    spread = {name: math.sqrt(float(np.mean(np.square(values)))) for name, values in off.items()}
    assert spread == pytest.approx(dict.fromkeys(off, 1.0), abs=0.1)


def test_how_much_of_an_angle_is_the_machines():
    assert share_of_points(((0.0, 0.0), (3.0, 4.0))) == pytest.approx(0.64)
    assert share_of_points(((-1.0, 0.0), (1.0, 0.0), (0.0, -1.0), (0.0, 1.0))) == pytest.approx(0.5)
    assert share_between(1.0, 0.25) == 0.75
    assert [share_between(None, other) for other in (0.0, 0.5, 1.0, None)] == [1.0, 0.5, 1.0, 1.0]


def test_few_degrees_of_freedom_leave_more_doubt_in_a_zone_too():
    world = World(0.001)
    few = Scatter(0.001, 4)
    for what, feature, more in (
        (What.SQUARENESS, world.corner("seat", 0.012), {"over": 50.0}),
        (What.POSITION, world.ring("seat", 0.006, 0.0, 30.0), {"row": "G54"}),
    ):
        guessed = solve("seat", feature.kind, tuple(replace(touch, scatter=few) for touch in feature.touches))
        sure, unsure = (judge(asked(what, "seat", **more), known(one, zero=ORIGIN)) for one in (feature, guessed))
        assert unsure.u == pytest.approx(sure.u)
        assert unsure.probability < sure.probability < 1
    # P(|T − t| inside) of Student's distribution with three degrees of freedom, by its closed form.
    corner = tuple(replace(touch, scatter=few) for touch in world.corner("seat", 0.012).touches)
    outside = solve("seat", FeatureKind.OUTSIDE_CORNER, corner)
    found = judge(asked(What.SQUARENESS, "seat", over=50.0), known(outside))
    ends = [(limit - found.value) / found.u / math.sqrt(3) for limit in (-0.02, 0.02)]
    low, high = (0.5 + (x / (1 + x * x) + math.atan(x)) / math.pi for x in ends)
    assert found.probability == pytest.approx(high - low, abs=1e-9)


# -- rows --------------------------------------------------------------------------------------------------------------

PLACES = {"a": (0.0, 0.0), "b": (200.0, 0.0), "c": (0.0, 120.0)}
"""Of bores on the drawing; the zero lies elsewhere."""
ZERO = (30.0, -70.0)


def here(world: World, x: float, y: float) -> tuple[float, float]:
    """What the machine reads at a place."""
    return x * (1 + world.scale) + world.skew * y, y * (1 + world.scale)


def of_part(x: float, y: float, turn: float) -> tuple[float, float]:
    """A place of the drawing on the table, the part turned by degrees and its zero at `ZERO`."""
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    return ZERO[0] + c * x - s * y, ZERO[1] + s * x + c * y


ROWS: dict[str, tuple[float, Mapping[str, Rule]]] = {
    "a corner's bore": (0.0, {a: FromFeature("c", d) for a, d in zip("xy", (80.0, 170.0), strict=True)}),
    "X of one, Y of another": (0.0, {"x": FromFeature("b", 280.0), "y": FromFeature("c", 170.0)}),
    "turned by a line along X": (
        25.0,
        {"x": FromFeature("a", 80.0), "y": FromFeature("a", 50.0), "r": FromHeading("a", "b")},
    ),
    "turned by a line along Y": (
        -10.0,
        {"x": FromFeature("a", 80.0), "y": FromFeature("a", 50.0), "r": FromHeading("a", "c", 90.0)},
    ),
    "fitted": (
        40.0,
        dict.fromkeys("xyr", FromFit(("a", "b", "c"), tuple((x + 80, y + 50) for x, y in PLACES.values()))),
    ),
}


@pytest.mark.parametrize("name", ROWS)
@pytest.mark.parametrize(("scale", "skew"), [(1e-5, 0.0), (0.0, 2e-5)])
def test_what_the_machine_is_off_by_moves_a_zero_as_its_effect_says(name, scale, skew):
    """Bores lie (80, 50) from the zero; the zero as the machine reads it is what the row should hold."""
    turn, rules = ROWS[name]
    conditions = Conditions(scale, math.degrees(skew))
    off = []
    for world in (World(1e-9), World(1e-9, scale, skew)):
        bores = {n: world.ring(n, *of_part(x + 80, y + 50, turn), 20.0) for n, (x, y) in PLACES.items()}
        chain = solve_offset("G54", rules, bores, conditions=conditions)
        x, y = here(world, *ZERO)
        off.append((chain.values["x"] - x, chain.values["y"] - y))
        # A row derived from it, 150 mm and 90 mm further on along its own axes.
        parents = {"G54": {axis.axis: axis.estimate for axis in chain.axes}}
        derived = solve_offset(
            "G55", {"x": FromRow("G54", 150.0), "y": FromRow("G54", 90.0)}, {}, {}, parents, None, conditions
        )
        x, y = here(world, *of_part(150.0, 90.0, turn))
        off.append((derived.values["x"] - x, derived.values["y"] - y))
    for found, without, with_ in ((chain, off[0], off[2]), (derived, off[1], off[3])):
        for axis, before, after in zip("xy", without, with_, strict=True):
            effects = {s.name: e for s, e in found.axis(axis).effects if "touches" not in s.name}
            told = sum(effects.values())
            assert told == pytest.approx(after - before, abs=2e-6), (found.row, axis, effects)


def test_a_carried_zero_and_a_part_turned_straight_keep_what_the_machine_is_off_by():
    world, conditions = World(1e-9), Conditions(1e-5, 0.0)
    parents = {"G54": {"x": Estimate(10.0), "y": Estimate(20.0), "z": Estimate(-200.0)}}
    rule = FromTable("G54", "B", 180.0, (0.0, 1.0, 0.0), (0.0, 0.0, -500.0), 1, shift=(100.0, 0.0, 40.0), u_centre=0.0)
    carried = solve_offset("G55", dict.fromkeys("xyz", rule), {}, {}, parents, None, conditions)
    assert [axis.u for axis in carried.axes] == pytest.approx([0.001, 0.0, 0.0004])
    bores = {n: world.ring(n, *of_part(x + 80, y + 50, 3.0), 20.0) for n, (x, y) in PLACES.items()}
    turner = Turner("C", (0.0, 0.0), 1, 0.0)
    chain = solve_offset("G54", ROWS["turned by a line along X"][1], bores, turner=turner, conditions=conditions)
    assert [chain.axis(a).u for a in "xy"] == pytest.approx([80e-5, 50e-5], rel=1e-3)
    by_y = ROWS["turned by a line along Y"][1]
    for one in (None, turner):
        told = solve_offset("G54", by_y, bores, turner=one, conditions=Conditions(0.0, 0.001)).axis("r")
        assert told.u == pytest.approx(0.001, rel=0.01)
    up = solve_offset("G56", {"z": FromRow("G54", -30.0)}, {}, {}, parents, None, conditions)
    assert up.axis("z").u == pytest.approx(0.0003)
