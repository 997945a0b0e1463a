"""Boxes and balls round solids hold all of them, and looking at the nearest ones alone misses nothing."""

from __future__ import annotations

import math
import random

import pytest

from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.standin.solids import Disc, Lever, Polygon, Rectangle, Solid, Unevenness
from brisk_anchor.standin.tracing import ProbeShape, Tracer

REGIONS = {
    "plate": Rectangle((-40.0, -10.0), (60.0, 30.0)),
    "disc": Disc((5.0, -3.0), 120.0),
    "lever": Lever((0.0, 0.0), 30.0, (90.0, 20.0), 12.0),
    "outline": Polygon(((0.0, 0.0), (80.0, 0.0), (20.0, 15.0), (0.0, 70.0))),
}


def border(region, bottom, top, count=720):
    """Places on the border: found by going out along rays until the field says that one is outside."""
    centre = {"Disc": (5.0, -3.0), "Lever": (0.0, 0.0), "Rectangle": (0.0, 0.0), "Polygon": (10.0, 10.0)}
    x, y = centre[type(region).__name__]
    for number in range(count):
        ux, uy = math.cos(2 * math.pi * number / count), math.sin(2 * math.pi * number / count)
        inside, outside = 0.0, 400.0
        while outside - inside > 1e-6:
            middle = (inside + outside) / 2
            inside, outside = (
                (middle, outside) if region.distance(x + ux * middle, y + uy * middle) < 0 else (inside, middle)
            )
        for z in (bottom, top):
            yield x + ux * inside, y + uy * inside, z


@pytest.mark.parametrize("name", REGIONS)
@pytest.mark.parametrize("turned", [0.0, 1.25, 33.0])
def test_box_and_ball_hold_the_whole_solid_however_it_is_turned(name, turned):
    frame = Frame.from_angles((10.0, -20.0, 5.0), a=turned, c=turned * 2)
    solid = Solid("one", "one", "part", REGIONS[name], -7.0, 12.0, frame=frame)
    (low, high), (middle, radius) = solid.bounds(), solid.ball()
    for place in border(REGIONS[name], -7.0, 12.0):
        point = frame.point(place)
        assert all(a <= value <= b for a, value, b in zip(low, point, high, strict=True))
        assert math.dist(point, middle) <= radius


def test_openings_of_corners_count_by_the_nearest_of_them_wherever_one_stands():
    """Each is asked only where its box is near enough; the field is that of all of them."""
    chance = random.Random(3)
    turn = [number * 2 * math.pi / 7 for number in range(7)]
    slots = tuple(
        Polygon(tuple((x + chance.uniform(1, 4) * math.cos(t), y + chance.uniform(1, 4) * math.sin(t)) for t in turn))
        for x, y in ((chance.uniform(0, 60), chance.uniform(0, 40)) for _ in range(25))
    )
    plate = Rectangle((0.0, 0.0), (60.0, 40.0))
    solid = Solid("plate", "x", "part", plate, -5.0, 0.0, slots=slots)
    for _ in range(4_000):
        x, y, z = chance.uniform(-10, 70), chance.uniform(-10, 50), chance.uniform(-9, 4)
        aside = max(plate.distance(x, y), *(-slot.distance(x, y) for slot in slots))
        upright = max(z, -5.0 - z)
        apart = math.hypot(aside, upright) if aside > 0 and upright > 0 else max(aside, upright)
        assert solid.distance(x, y, z) == pytest.approx(apart, abs=1e-12)


def test_the_clearance_over_many_solids_is_that_of_each_alone():
    chance = random.Random(7)
    solids = tuple(
        Solid(
            f"solid {number}",
            "x",
            "fixture",
            chance.choice(list(REGIONS.values())),
            -chance.uniform(1, 40),
            chance.uniform(1, 40),
            uneven=Unevenness(rise=0.3, wave=0.1) if number % 3 == 0 else None,
            frame=Frame.from_angles([chance.uniform(-300, 300) for _ in range(3)], b=chance.choice((0.0, 90.0, 17.0))),
        )
        for number in range(24)
    )
    shape = ProbeShape.cutter(10.0, 30.0, 40.0, 120.0)
    together = Tracer(solids, shape)
    for _ in range(40):
        tip = tuple(chance.uniform(-350, 350) for _ in range(3))
        alone = min(Tracer((solid,), shape).clearance(tip) / solid.step_share for solid in solids)
        assert together.clearance(tip) == pytest.approx(alone * min(solid.step_share for solid in solids), abs=1e-12)
