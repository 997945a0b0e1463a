"""Parts drawn within what is stated, and where they really lie: the truth that proofs are judged by."""

from __future__ import annotations

import math

import numpy as np
import pytest

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromHeading, Keep
from brisk_anchor.standin.scene import build_scene, nominal_frame, real_frame
from brisk_anchor.standin.scene_file import SceneFile, load_scene
from brisk_anchor.standin.variations import SIZE_SHARE, varied

PLACES = [
    ("bore", (-434.0, -250.0, -503.0), ()),
    ("boss", (-366.0, -250.0, -513.0), ()),
    ("top", (-434.0, -224.5, -503.0), ()),
]


def body_of(scene, name="GL-114"):
    return next(body for body in scene.file.body if body.name == name)


def test_the_first_part_is_the_set_up_as_it_stands_and_the_same_number_draws_the_same(scene):
    assert varied(scene, PLACES, 0) is scene
    one, again, other = (varied(scene, PLACES, roll) for roll in (5, 5, 6))
    assert body_of(one).real == body_of(again).real
    assert body_of(one).real != body_of(other).real
    assert body_of(one, "SP-2") == body_of(scene, "SP-2")  # nothing is measured on it
    assert one.setup is scene.setup


@pytest.mark.parametrize("beyond", [1.0, 3.0])
def test_every_place_lies_within_the_stated_uncertainty_and_some_near_its_end(scene, beyond):
    worst = 0.0
    for roll in range(1, 60):
        body = body_of(varied(scene, PLACES, roll, beyond=beyond))
        real, nominal = real_frame(body), nominal_frame(body)
        for _, place, _ in PLACES:
            off = np.abs(np.array(real.point(nominal.inverse().point(place))) - np.array(place))
            worst = max(worst, float(off.max()))
        assert abs(body.real.turn[2]) <= beyond * scene.setup.turn_uncertainty + 1e-9
    limit = beyond * scene.setup.start_uncertainty
    assert 0.6 * limit < worst <= limit


def test_sizes_differ_within_what_the_guard_allows_and_tops_in_height(scene):
    bores, bosses, rises = [], [], []
    for roll in range(1, 40):
        solids = {solid.name: solid for solid in body_of(varied(scene, PLACES, roll)).solid}
        bores.append(solids["hub"].holes[0].real_diameter - 38.0)
        bosses.append(solids["boss"].real_diameter - 24.0)
        rises.append(solids["hub"].real.rise)
    assert max(map(abs, bores)) <= SIZE_SHARE * 0.2
    assert max(map(abs, bosses)) <= SIZE_SHARE * 1.5
    assert max(map(abs, rises)) <= 0.2 * scene.setup.start_uncertainty
    assert min(map(np.std, (bores, bosses, rises))) > 0.02


def plate(*, shift=(0.7, -0.4, 0.2), turn=(0.0, 0.0, 1.5)):
    """A plate with a seat, two walls and a ball, lying somewhere else than described."""
    data = load_scene("heron-gl114").model_dump()
    walls = {"front": ((80.0, 0.0, 0.0), ["UP"]), "left": ((0.0, 50.0, 0.0), ["RIGHT"])}
    features = [
        {"name": name, "title": name, "kind": "edge", "body": "P", "solid": "plate", "place": place, "walls": sides}
        | {"spread": 60.0, "depth": 8.0}
        for name, (place, sides) in walls.items()
    ]
    features += [
        {"name": "seat", "title": "seat", "kind": "bore", "body": "P", "solid": "plate", "place": (80.0, 50.0, 0.0)}
        | {"size": 62.0, "size_limit": 0.3, "depth": 12.0},
        {"name": "ball", "title": "ball", "kind": "ball", "body": "P", "solid": "ball", "place": (20.0, 80.0, 12.0)}
        | {"size": 20.0},
        {"name": "top", "title": "top", "kind": "surface", "body": "P", "solid": "plate", "place": (140.0, 80.0, 0.0)}
        | {"walls": ["BELOW"]},
        {"name": "floor", "title": "f", "kind": "surface", "body": "P", "solid": "plate", "place": (135.0, 20.0, -30.0)}
        | {"walls": ["BELOW"]},
    ]
    solids = [
        {"name": "plate", "shape": "block", "low": (0.0, 0.0), "high": (160.0, 100.0), "bottom": -35.0, "top": 0.0}
        | {"holes": [{"at": (80.0, 50.0), "diameter": 62.0}]}
        | {"slots": [{"low": (120.0, 5.0), "high": (150.0, 35.0), "depth": 30.0}]},
        {"name": "ball", "shape": "ball", "centre": (20.0, 80.0), "bottom": 2.0, "top": 22.0},
    ]
    real = {"shift": shift, "turn": turn}
    bodies = [
        {"name": "SP-2", "role": "fixture", "at": (-560.0, -350.0, -600.0)}
        | {"solid": [{"name": "b", "shape": "block", "low": (0, 0), "high": (9, 9), "bottom": 0.0, "top": 9.0}]},
        {"name": "P", "role": "part", "at": (-450.0, -300.0, -500.0), "real": real, "solid": solids},
    ]
    kept = {
        "row": "G54",
        "title": "t",
        "jump_limit": 5.0,
        "x": {"keep": True},
        "y": {"keep": True},
        "z": {"keep": True},
    }
    data |= {"body": bodies, "feature": features, "row": [kept], "setter": None, "hand_tool": []}
    data["job"] |= {"part": "P", "fixture": "SP-2"}
    return build_scene(SceneFile.model_validate(data))


def tips_beside(scene, names):
    """Where the tip stands when it touches, near enough: a ball's radius before each wall, at its depth."""
    frame = real_frame(body_of(scene, "P"))
    beside = {"front": (80.0, -3.0, -8.0), "left": (-3.0, 50.0, -8.0), "seat": (80.0, 50.0, -12.0)}
    beside |= {"ball": (20.0, 80.0, 22.0), "top": (140.0, 80.0, 0.0)}
    return {(name, axis): frame.point(beside[name]) for name in names for axis in "xyz"}


def test_a_turned_row_is_where_the_drawing_s_zero_really_lies():
    scene = plate()
    rules = {"x": FromFeature("left"), "y": FromFeature("front"), "z": FromFeature("top"), "r": FromHeading("front")}
    tips = tips_beside(scene, ("left", "front", "top"))
    tips = {key: tip for key, tip in tips.items() if key in (("left", "x"), ("front", "y"), ("top", "z"))}
    found = scene.true_offset(rules, tips)
    x, y, z = real_frame(body_of(scene, "P")).point((0.0, 0.0, 0.0))
    assert (found["x"], found["y"], found["z"]) == pytest.approx((x, y, z), abs=1e-6)
    assert found["r"] == pytest.approx(1.5)


def test_a_wall_before_a_bore_and_a_ball_are_found_where_they_are():
    """The middle of the front wall lies before the seat: half way through the plate there is no metal."""
    scene = plate(turn=(0.0, 0.0, 0.0))
    tips = tips_beside(scene, ("front", "ball", "seat"))
    assert scene.true_value("front", "y", tips["front", "y"]) == pytest.approx(-300.4, abs=1e-9)
    assert scene.true_value("ball", "z", tips["ball", "z"]) == pytest.approx(-500.0 + 0.2 + 12.0, abs=1e-9)
    assert scene.true_value("seat", "x", tips["seat", "x"]) == pytest.approx(-450.0 + 0.7 + 80.0, abs=1e-9)
    leaning = plate(turn=(0.2, 0.0, 0.0))
    tip = tips_beside(leaning, ("top",))["top", "z"]
    assert leaning.true_value("top", "z", tip) == pytest.approx(tip[2], abs=1e-6)
    assert tip[2] != pytest.approx(-499.8, abs=0.1)


@pytest.mark.parametrize("height", [-8.0, 0.5, 3.0, -60.0])
def test_a_wall_goes_on_where_the_ball_stands_higher_or_lower_than_it_ends(height):
    """By hand: the wall is the plane y = 0 of the plate."""
    scene = plate(turn=(2.0, -1.0, 3.0))
    radius = scene.setup.stylus.ball_diameter / 2
    frame = real_frame(body_of(scene, "P"))
    x, y, z = frame.point((80.0, -3.0, height))
    fx, fy, fz = frame.point((80.0, 0.0, -8.0))
    normal = frame.rotation[:, 1]
    wall = fy - (normal[0] * (x - fx) + normal[2] * (z - fz)) / normal[1]
    assert scene.true_value("front", "y", (x, y, z - radius)) == pytest.approx(wall, abs=1e-6)


def test_the_floor_of_a_deep_pocket_is_where_it_is_and_beside_metal_there_is_no_truth():
    scene = plate(turn=(0.0, 0.0, 0.0))
    frame = real_frame(body_of(scene, "P"))
    tip = frame.point((135.0, 20.0, -30.0))
    assert scene.true_value("floor", "z", tip) == pytest.approx(-500.0 + 0.2 - 30.0, abs=1e-6)
    for name, axis, place in (("front", "y", (-5.0, -3.0, -8.0)), ("floor", "z", (170.0, 20.0, 0.0))):
        with pytest.raises(GeometryError, match=f"A touch of {name} lies beside the plate of P"):
            scene.true_value(name, axis, frame.point(place))


def test_rows_whose_truth_is_not_known_say_nothing_and_bores_give_a_turned_zero():
    scene = plate()
    tips = tips_beside(scene, ("seat", "ball", "front"))
    fit = FromFit(("seat", "ball"), ((80.0, 50.0), (20.0, 80.0)))
    assert scene.true_offset({"x": fit, "y": fit, "r": fit}, tips) == {}
    line = {"x": FromFeature("seat"), "y": FromFeature("seat"), "r": FromHeading("seat", "ball")}
    assert scene.true_offset(line, tips) == {}
    rules = {"x": FromFeature("seat", 80.0), "y": FromFeature("seat", 50.0), "z": Keep(), "r": FromHeading("front")}
    found = scene.true_offset(rules, tips)
    x, y, _ = real_frame(body_of(scene, "P")).point((0.0, 0.0, 0.0))
    assert math.dist((found["x"], found["y"]), (x, y)) < 1e-6
