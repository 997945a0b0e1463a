"""A part that lies turned: every kind of feature on the stand-in, in both probing languages, to the zero."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from matplotlib.figure import Figure

from brisk_anchor.core.errors import BookWriteError, DatumError, GeometryError, PlanError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.touch_pattern import SIDES, TouchPattern, Wall
from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.core.offsets.checks import SecondLookError
from brisk_anchor.core.offsets.rules import Fixed
from brisk_anchor.core.uncertainty.estimates import Estimate, combined
from brisk_anchor.drawings import paper
from brisk_anchor.drawings.labels import labels_apart, overlaps
from brisk_anchor.nc.profile.control_profile import Profile, shipped_profile
from brisk_anchor.nc.programs.plan import StorePlan
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.job.jobs import load_job, new_job
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.measure.measurement_request import MeasurementRequest, build_measurement, point_at
from brisk_anchor.services.offsets.following import following, write_following
from brisk_anchor.services.offsets.offset_book import edit, lock, write_rows
from brisk_anchor.services.offsets.sheets import write_sheets
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import RealBodySection
from brisk_anchor.tui.view_state import ViewState
from tests.sample_part import feature, offset, part_file

TURN = 1.7
PART = part_file(
    "QB-2",
    (
        feature("front", "edge", (60, 0, 0), 'walls = ["UP"]\nspread = 80.0\ndepth = 6.0'),
        feature("left", "surface", (0, 40, 0), 'walls = ["RIGHT"]\ndepth = 6.0'),
        feature(
            "pocket", "pocket", (40, 40, 0), "size = 60.0\nsize_y = 40.0\nsize_limit = 0.5\ndepth = 10.0\nspread = 20.0"
        ),
        feature("slot", "slot", (96, 50, 0), 'walls = ["LEFT", "RIGHT"]\nsize = 12.0\ndepth = 8.0\nspread = 50.0'),
        feature("island", "block", (133, 41, 20), "size = 34.0\nsize_y = 22.0\ndepth = 8.0\nspread = 10.0", "island"),
        feature(
            "rib", "web", (133, 41, 20), 'walls = ["DOWN", "UP"]\nsize = 22.0\ndepth = 8.0\nspread = 20.0', "island"
        ),
        feature("outer", "outside corner", (0, 0, 0), 'walls = ["LEFT", "DOWN"]\ndepth = 8.0\nspread = 15.0'),
        feature("inner", "inside corner", (70, 60, 0), 'walls = ["RIGHT", "UP"]\ndepth = 9.0\nspread = 15.0'),
        feature("cut", "bore", (130, 75, 0), "size = 30.0\nsize_limit = 0.5\ndepth = 9.0\nheadings = [10, 110, 250]"),
        feature("part", "bore", (130, 75, 0), "size = 30.0\ndepth = 9.0\nheadings = [-20, 75]"),
        feature("deep", "tilted bore", (130, 75, 0), "size = 30.0\nsize_limit = 0.5\ndepth = 7.0\nsecond_depth = 16.0"),
        feature("top", "plane", (80, 75, 0), 'walls = ["BELOW"]\nspread = 14.0'),
        feature("ball", "ball", (35, 82, 12), "size = 20.0", "ball"),
        feature("side", "edge", (0, 40, 0), 'walls = ["RIGHT"]\nspread = 40\ndepth = 6.0'),
        feature("mid", "point between", (82.5, 78.5, 0), 'of = ["cut", "ball"]'),
        feature("meet", "intersection", (0, 0, 0), 'of = ["front", "side"]'),
    ),
)


ROWS = (
    offset("G54", x='feature = "left"', y='feature = "front"', z='feature = "top"', r='feature = "front"'),
    offset(
        "G55",
        x='feature = "cut", fit = ["ball"], drawing = 130.0',
        y='feature = "cut", fit = ["ball"], drawing = 75.0',
        z='feature = "ball", drawing = 12.0',
        r="fit = true",
    ),
    offset(
        "G56",
        x='feature = "cut", drawing = 130.0',
        y='feature = "ball", drawing = 82.0',
        z='feature = "top"',
        r='feature = "ball", other = "cut"',
    ),
    offset(
        "G57",
        x='feature = "mid", drawing = 82.5',
        y='feature = "mid", drawing = 78.5',
        z='feature = "top"',
        r='feature = "front"',
    ),
    offset("G58", x='feature = "meet"', y='feature = "meet"', z='feature = "top"', r='feature = "side"'),
    offset(
        "G59",
        x='parent = "G54", shift = 100.0',
        y='parent = "G54", shift = 20.0',
        z='parent = "G54", shift = -3.0',
        r='parent = "G54"',
    ),
)


@pytest.fixture(scope="module", params=["skip-macro", "probe-params"])
def line(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> tuple[Session, Frame]:
    """A session with the part turned, and the frame its drawing really has on the machine."""
    folder = tmp_path_factory.mktemp("turned")
    new_job(folder)
    (folder / "part.toml").write_text(PART)
    job = (folder / "job.toml").read_text()
    head, _, rest = job.partition("[[offset]]")
    _, _, tail = rest.partition("[[operation]]")
    (folder / "job.toml").write_text(head + "".join(ROWS) + "[[operation]]" + tail)
    file = load_job(folder).scene(0)
    real = RealBodySection(shift=(0.6, -0.4, 0.1), turn=(0.0, 0.0, TURN))
    part = next(body for body in file.body if body.name == "QB-2")
    truth = Frame.from_angles(np.array(part.at) + np.array(real.shift), c=TURN + part.turn)
    bodies = [body.model_copy(update={"real": real}) if body is part else body for body in file.body]
    file = file.model_copy(update={"body": bodies, "setter": None})
    return Session(build_scene(file), None, shipped_profile(request.param), seed=None), truth


def brought_near(session: Session, truth: Frame, name: str, **figures: float) -> Measurement:
    """What a person asks for who has brought the tip near by eye: the start of the drawing, moved with the part."""
    setup = session.setup
    request = point_at(setup, drawn := setup.drawn(name))
    for field, value in figures.items():
        request = request.with_figure(field, value)
    by = np.array(truth.point(drawn.drawing)) - np.array(drawn.machine)
    x, y, z = np.array(request.start) + np.round(by, 1)
    return build_measurement(setup, replace(request, start=(float(x), float(y), float(z))))


EXPECTED = {
    "front": (None, {"r": TURN}, ()),
    "left": (None, {}, ()),
    "pocket": ((40, 40), {"r": TURN}, (60, 40)),
    "slot": ((96, 50), {"r": TURN}, (12,)),
    "island": ((133, 41), {"r": TURN}, (34, 22)),
    "rib": ((133, 41), {"r": TURN}, (22,)),
    "outer": ((0, 0), {"r": TURN}, ()),
    "inner": ((70, 60), {"r": TURN}, ()),
    "cut": ((130, 75), {}, (30,)),
    "part": ((130, 75), {}, ()),
    "deep": ((130, 75), {"a": 0.0, "b": 0.0}, (30, 30)),
    "top": (None, {"a": 0.0, "b": 0.0}, ()),
    "ball": ((35, 82, 12), {}, (20,)),
    "side": (None, {"r": TURN}, ()),
}


def test_every_kind_is_found_on_a_turned_part(line: tuple[Session, Frame]) -> None:
    session, truth = line
    setup = session.setup
    for drawn in (setup.drawn(name) for name in EXPECTED):
        measured = session.runner.measure(brought_near(session, truth, drawn.name))
        found = measured.feature
        place, angles, sizes = EXPECTED[drawn.name]
        assert found.angles == pytest.approx(angles, abs=5e-4), drawn.name
        assert list(found.sizes.values()) == pytest.approx(sizes, abs=0.0005), drawn.name
        assert max(abs(a.difference) for a in measured.agreements) < 0.0005, drawn.name
        if place is not None and len(found.places) != 2:
            x, y, z = truth.point((*place, 0)[:3])
            at = dict(zip(found.axes, found.coordinates, strict=True))
            assert (at["x"], at["y"], at.get("z", z)) == pytest.approx((x, y, z), abs=0.0005), drawn.name
        elif found.places and drawn.kind.is_paired:
            # A slot or web is told at the middle of its touches: that lies on its middle line.
            local = truth.inverse().point((*found.places[0][:2], 0.0))
            axis = "xy".index(found.axes[0])
            assert local[axis] == pytest.approx(place[axis], abs=0.0005), drawn.name


def test_the_zero_of_a_turned_part_is_stored_with_its_angle_and_proved(line: tuple[Session, Frame]) -> None:
    session, truth = line
    for name in EXPECTED:
        if name not in session.measured:
            session.runner.measure(brought_near(session, truth, name))
    x, y, z = truth.point((0.0, 0.0, 0.0))
    for row in ("G54", "G55", "G56", "G57", "G58"):
        chain = session.writer.store(row)
        assert chain.values == pytest.approx({"x": x, "y": y, "z": z, "r": TURN}, abs=0.0005), row
        assert session.link.table_values(row) == pytest.approx(chain.values, abs=2e-4)
        shown = chain.axis("x").terms[-1].value
        total = sum(t.value * (-1 if t.sign == "−" else 1) for t in chain.axis("x").terms[:-1] if t.sign != "=")
        if row != "G55":  # a fit is not a sum
            assert total == pytest.approx(shown, abs=1e-6)
        proof = session.prover.prove(row)
        assert proof.holds, (row, proof)
        assert proof.turned < 2e-3


@pytest.mark.parametrize("resolution", [0.001, 0.01])
@pytest.mark.parametrize("row", ["G54", "G55", "G56", "G57", "G58"])
def test_the_digits_a_control_stores_are_all_that_is_rounded(
    line: tuple[Session, Frame], row: str, resolution: float
) -> None:
    """Cosines and weights written with the digits of lengths put a row 11 µm off, a best fit 75 µm."""
    session, truth = line
    for name in EXPECTED:
        if name not in session.measured:
            session.runner.measure(brought_near(session, truth, name))
    coarse = session.profile.model_copy(update={"resolution": resolution})
    other = Session(session.scene, None, coarse, seed=None)
    other.working.measured = session.measured
    run = Run(other.programs.full_program(row), coarse, other.machine.twin(seed=None))
    run.to_end()
    assert run.ended_well, run.failure()
    x, y, z = truth.point((0.0, 0.0, 0.0))
    held = run.table_values(row)
    worst = max(abs(held[axis] - value) for axis, value in {"x": x, "y": y, "z": z}.items())
    assert worst < resolution / 2 + 0.0003
    assert held["r"] == pytest.approx(TURN, abs=1e-4)


def test_what_is_built_knows_what_it_has_in_common_with_its_parts(line: tuple[Session, Frame]) -> None:
    session, truth = line
    for name in ("cut", "ball"):
        session.runner.measure(brought_near(session, truth, name))
    features = session.solver.features()
    own = {name: features[name].estimates()["x"] for name in ("cut", "ball", "mid")}
    # mid − cut/2 = ball/2: were they taken for strangers, it would come out more uncertain than that.
    rest = Estimate(0.0, combined((1.0, own["mid"].effects), (-0.5, own["cut"].effects)))
    assert rest.u_own == pytest.approx(own["ball"].u_own / 2)


def test_a_derived_row_follows_its_parent_in_that_ones_turned_frame(line: tuple[Session, Frame]) -> None:
    session, truth = line
    fresh = Session(session.scene, None, session.profile, seed=None)
    assert fresh.rows.missing("G59") == ["left", "front", "top"]
    assert fresh.solver.chain("G59") is None
    for name in ("left", "front", "top"):
        fresh.runner.measure(brought_near(fresh, truth, name))
    with pytest.raises(DatumError, match="G54, which is not stored"):
        fresh.writer.store("G59")
    fresh.writer.store("G54")
    assert fresh.rows.state("G59").value == "not written"
    chain = fresh.writer.store("G59")
    x, y, z = truth.point((100.0, 20.0, -3.0))
    assert chain.values == pytest.approx({"x": x, "y": y, "z": z, "r": TURN}, abs=0.0005)
    # The edge is known best at the middle of its touches, 60 mm along; 100 mm along it is known as well as 40 mm off.
    edge = fresh.measured["front"].feature.estimates()
    arm = (100 - 60) * math.radians(edge["r"].u)
    assert chain.axis("y").u == pytest.approx(math.hypot(edge["y"].u, arm), rel=0.02)
    assert fresh.prover.prove("G59").holds
    fresh.datums.take_parent("G58", "G59")
    fresh.writer.store("G58")
    fresh.writer.store("G54")  # again, unchanged: what follows it is as the control has it
    rows = ("G54", "G59", "G58")
    assert [fresh.rows.state(row).value for row in rows] == ["stored", "proved", "stored"]
    lock(fresh, "G58", locked=True)
    edit(
        fresh, "G54", {"x": fresh.link.table_values("G54")["x"] + 0.2}, "moved"
    )  # what follows is worked out anew, and not written yet
    assert [fresh.rows.state(row).value for row in rows] == ["typed", "not written", "stored"]
    with pytest.raises(SecondLookError, match="G54 is not written"):
        write_rows(fresh, ["G59"])
    write_rows(fresh, ["G54"])
    left_out = {line.row: line.left_out for line in following(fresh, "G58")}
    assert left_out["G59"] == ""
    assert write_following(fresh, "G54")[1] == ["G59"]
    assert [fresh.rows.state(row).value for row in rows] == ["stored", "stored", "stored"]
    assert fresh.link.table_values("G59")["x"] == pytest.approx(chain.values["x"] + 0.2, abs=1e-4)
    assert fresh.rows.away_from_parent("G58") == pytest.approx({"x": -0.2}, abs=1e-4)
    assert "locked: 0.200 mm from where G59 puts it" in [line.left_out for line in following(fresh, "G54")]
    fresh.editor.clamp()
    assert (fresh.rows.state("G54").value, fresh.rows.state("G59").value) == ("stale", "stale")


def test_distances_of_features_lose_what_they_share(line: tuple[Session, Frame]) -> None:
    session, truth = line
    for name in ("cut", "ball", "side", "left", "slot"):
        session.runner.measure(brought_near(session, truth, name))
    found = session.solver.distance("ball", "cut")
    assert found.straight.value == pytest.approx(math.hypot(95, 7), abs=0.0005)
    across = session.solver.distance("left", "side")
    # Both were touched from the same side with the same ball: its radius is in neither, only the touches are.
    own = [session.measured[n].feature.covariance[0][0] for n in ("left", "side")]
    assert across.straight.u_own == pytest.approx(math.sqrt(sum(own)), rel=1e-3)
    shared = {source.words: e for source, e in across.straight.effects.items()}
    assert abs(shared["radius of T20"]) < 1e-3 * session.setup.stylus.u_radius
    with pytest.raises(GeometryError, match="no axis together"):
        session.solver.distance("slot", "front")
    with pytest.raises(DatumError, match="not measured"):
        Session(session.scene, None, session.profile).solver.distance("cut", "ball")


def test_repeats_are_averaged_on_the_control_and_here_alike(line: tuple[Session, Frame]) -> None:
    session, truth = line
    noisy = Session(session.scene, None, session.profile, seed=3)
    once = noisy.runner.measure(brought_near(noisy, truth, "cut"))
    measured = noisy.runner.measure(brought_near(noisy, truth, "cut", repeats=4.0))
    assert len(measured.feature.touches) == 12
    u = [item.feature.standard_uncertainty("x") for item in (once, measured)]
    assert u[1] == pytest.approx(u[0] / 2, rel=1e-3)
    assert max(abs(a.difference) for a in measured.agreements) < 0.001


def test_marks_name_the_new_features_and_their_figures() -> None:
    up = TouchPattern().toggle(Wall.UP)
    assert [pattern.read().name for pattern in (up, up.toggle(Wall.UP), up.toggle(Wall.UP).toggle(Wall.UP))] == [
        "surface towards +Y",
        "edge towards +Y",
        "nothing marked",
    ]
    below = TouchPattern().toggle(Wall.BELOW)
    assert below.toggle(Wall.BELOW).read().name == "plane below"
    around = TouchPattern().all_round()
    assert (around.read().name, around.all_round().read().name) == ("bore", "bore at two levels")
    over = TouchPattern(over=True).all_round()
    assert over.toggle(Wall.BELOW).read().name == "ball"
    assert TouchPattern(frozenset(SIDES[:3]), round=True).read().name == "interrupted bore"
    corner = TouchPattern(frozenset((Wall.LEFT, Wall.UP)), round=True)
    assert corner.read().name == "bore of known ⌀"
    request = MeasurementRequest(corner, (0.0, 0.0, 0.0)).with_figure("heading 1", 200.0)
    assert request.pattern.headings == (200.0, 90.0)
    assert request.pattern.directions[0] == pytest.approx((math.cos(math.radians(200)), math.sin(math.radians(200)), 0))
    assert list(request.optional()) == [
        *("search", "times each", "places", "below edge", "again +Z", "angle 1", "angle 2")
    ]
    with pytest.raises(PlanError, match="no count"):
        request.with_figure("repeats", 2.5)


def test_patterns_that_leave_a_centre_free_are_refused(line: tuple[Session, Frame]) -> None:
    session, _ = line
    request = point_at(session.setup, session.setup.drawn("part"))
    for headings, words in (
        ((0.0, 175.0), "opposite"),
        ((0.0, 5.0, 12.0), "within 12°"),
        ((9.0, 9.0), "within 0°"),
        ((0.0, 90.0, 97.0), "within 7°"),
    ):
        wrong = MeasurementRequest(request.pattern.with_headings(headings), request.start, size=30.0, depth=9.0)
        with pytest.raises(PlanError, match=words):
            build_measurement(session.setup, wrong)


def test_a_part_turned_further_than_believed_is_not_stored(line: tuple[Session, Frame]) -> None:
    session, truth = line
    for name in ("front", "left", "top"):
        session.runner.measure(brought_near(session, truth, name))
    edge = session.measured["front"]
    turned = tuple(
        c + (6.0 if a == "r" else 0.0) for a, c in zip(edge.feature.axes, edge.feature.coordinates, strict=True)
    )

    session.measured["front"] = replace(edge, feature=replace(edge.feature, coordinates=turned))
    try:
        with pytest.raises(SecondLookError, match="turned"):
            session.writer.store("G54")
    finally:
        session.measured["front"] = edge


def test_a_store_that_fails_leaves_the_row_with_the_angle_it_had(
    line: tuple[Session, Frame], monkeypatch: pytest.MonkeyPatch
) -> None:
    session, truth = line
    fresh = Session(session.scene, None, session.profile, seed=None)
    for name in ("left", "front", "top"):
        fresh.runner.measure(brought_near(fresh, truth, name))
    before = {"x": 1.0, "y": 2.0, "z": 3.0, "r": 0.25}
    fresh.link.write_row("G54", before)

    def full(_entries: object) -> None:
        raise BookWriteError("The disk is full", "", "")

    monkeypatch.setattr(fresh.ledger, "add_all", full)
    with pytest.raises(BookWriteError):
        fresh.writer.store("G54")
    assert fresh.link.table_values("G54") == before


def test_edges_found_running_the_same_way_are_told_at_the_store_and_nowhere_crash(line: tuple[Session, Frame]) -> None:
    session, truth = line
    fresh = Session(session.scene, None, session.profile, seed=None)
    for name, turn in (("front", 44.0), ("side", -44.0), ("top", 0.0)):
        found = fresh.runner.measure(brought_near(fresh, truth, name))
        tilted = tuple(
            v + turn * (a == "r") for a, v in zip(found.feature.axes, found.feature.coordinates, strict=True)
        )
        fresh.measured[name] = replace(found, feature=replace(found.feature, coordinates=tilted))
    assert "meet" not in fresh.solver.features()
    assert fresh.solver.chain("G58") is None
    assert fresh.solver.part_chain("G58").values.keys() == {"z"}
    with pytest.raises(GeometryError, match="nearly parallel"):
        fresh.writer.store("G58")


def test_a_turned_row_is_shown_as_the_control_shows_it(line: tuple[Session, Frame]) -> None:
    session, _ = line
    fresh = Session(session.scene, None, session.profile, seed=None)
    fresh.link.write_row("G54", {"x": -100.0, "y": -50.0, "z": -200.0, "r": 90.0})
    # 30 along Y from the zero: where rows hold their angle that is 30 along the row's own X.
    turned = fresh.profile.name == "probe-params"
    expected = (30.0, 0.0, 5.0) if turned else (0.0, 30.0, 5.0)
    assert fresh.rows.place_in("G54", (-100.0, -20.0, -45.0), 150.0) == pytest.approx(expected)
    assert fresh.link.table_values("G54")["r"] == 90.0
    view_state = ViewState(fresh, 1.0, in_work=True)
    # Typed figures cannot count from a row that turns them: the machine's own are asked for.
    assert view_state.frame().row == ("" if turned else "G54")


def test_a_control_that_cannot_turn_refuses_a_turned_row(line: tuple[Session, Frame]) -> None:
    session, truth = line
    plain = Session(session.scene, None, shipped_profile("table-only"), seed=None)
    for name in ("left", "front", "top"):
        measured = session.runner.measure(brought_near(session, truth, name))
        plain.measured[name] = replace(measured, clamping=plain.working.clamping)
    with pytest.raises(PlanError, match="cannot turn coordinates"):
        plain.writer.store("G54")
    assert plain.link.table_values("G54") == {"x": 0.0, "y": 0.0, "z": 0.0}


def test_a_row_whose_angle_is_kept_nowhere_is_told_from_a_control_that_cannot_turn(line: tuple[Session, Frame]) -> None:
    """The refusal of an extended row blamed the control, which turns the other rows."""
    kept = shipped_profile("skip-macro").model_dump()
    kept["rotation"]["extended"] = None
    profile = Profile.model_validate(kept)
    rules = (("x", Fixed(1.0)), ("y", Fixed(2.0)), ("r", Fixed(3.0)))
    store = StorePlan("G54.1 P3", rules, (("x", 1.0), ("y", 2.0), ("r", 3.0)), 5.0)
    session, _ = line
    with pytest.raises(PlanError, match="keeps no angle for it") as told:
        write_program(session.heads.plan_of(1, "turned", [], store), profile)
    assert "G54, G55, G56, G57, G58, G59" in told.value.one_line()
    assert "rotation.extended" in told.value.remedy
    write_program(session.heads.plan_of(1, "turned", [], replace(store, row="G57")), profile)


def test_the_sheet_of_a_fitted_built_or_derived_row(
    line: tuple[Session, Frame], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, truth = line
    left: list[object] = []

    def looked(figure: Figure) -> None:
        labels_apart(figure)
        left.extend(overlaps(figure))  # the words of every feature stood in one corner, on each other

    monkeypatch.setattr(paper, "labels_apart", looked)
    for name in ("left", "front", "top", "cut", "ball"):
        if name not in session.measured:
            session.runner.measure(brought_near(session, truth, name))
    session.writer.store("G54")
    # A sheet depends on no control: what one language does not draw, the other does.
    for row in ("G55", "G57") if session.profile.name == "skip-macro" else ("G59",):
        session.writer.store(row)
        svg, pdf = write_sheets(session, row, tmp_path)
        assert f"{row} R, °" in svg.read_text()
        assert pdf.read_bytes().startswith(b"%PDF")
    assert left == []
