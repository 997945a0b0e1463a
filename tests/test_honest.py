"""An honest ± through the whole line: the control's way to read touches and ours, what book and files keep of it."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np
import pytest

from brisk_anchor.book.chain_form import dumped, loaded
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.touches import CalibratedOn, Touch
from brisk_anchor.core.offsets.checks import look_at_agreement
from brisk_anchor.core.offsets.conditions import Conditions, Temperature
from brisk_anchor.core.uncertainty.estimates import covariance_of
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.programs.control_solution import ControlSolution, agreements
from brisk_anchor.services.job.job_models import MachineDescription
from brisk_anchor.services.job.jobs import load_job, new_job
from brisk_anchor.services.measure.features_touched import feature_from, feature_of_touches
from brisk_anchor.services.measure.limits_stated import stated_of
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.measure.touch_again import places_again, suspects_of
from brisk_anchor.services.offsets import offset_book as book_work
from brisk_anchor.services.offsets.book_words import read_typed
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.repeatability import keep_repeatability, over_clampings, repeat
from brisk_anchor.services.session.session import Session
from brisk_anchor.services.session.tool_shelf import lines, set_figure
from tests.test_line import asked, measure_all
from tests.test_turned_part import brought_near, line  # noqa: F401 - a fixture

FIRST_FORM = Path(__file__).parent / "data" / "chain-of-the-first-form.json"


@pytest.fixture
def session(scene, book, profile):
    return Session(scene, book, profile, seed=4)


# -- the control and the application ---------------------------------------------------------------------------------


def noisy(session, measurement, u, seed):
    """Touches of a quiet run with noise along their approach, as they would be printed."""
    program = session.planner.measuring_program(measurement)
    run = session.runner.start(program)
    run.to_end()
    quiet = session.runner.solved(measurement, program, run).touches
    random = np.random.default_rng(seed)

    def one(touch: Touch) -> Touch:
        step = random.normal(0, u)
        place = (round(p + step * d, 4) for p, d in zip(touch.position, touch.direction, strict=True))
        return replace(touch, position=tuple(place), u=u, scatter=None)

    while True:
        yield [one(touch) for touch in quiet]


def told_by(measurement, touches):
    figures = ControlSolution(measurement).figures([touch.position for touch in touches])
    return {letter: round(value, 4) for letter, value in figures.items()}


@pytest.mark.parametrize("line", ["skip-macro"], indirect=True)
@pytest.mark.parametrize("name", ["ball", "cut", "island"])
@pytest.mark.parametrize("u", [0.001, 0.002])
def test_honest_touches_are_never_refused_and_faulty_programs_always(line, name, u):  # noqa: F811
    session, truth = line
    measurement = brought_near(session, truth, name)
    stated = stated_of(session.setup, name)
    source = noisy(session, measurement, u, 5)
    for _ in range(60):
        touches = next(source)
        feature = feature_from(measurement, touches, stated)
        found = agreements(measurement, touches, told_by(measurement, touches), feature, stated)
        assert {a.label for a in found} >= {"X", "Y", "D"}
        assert all(agreement.holds for agreement in found)
    larger = replace(measurement, stylus=replace(measurement.stylus, effective_radius=2.984))
    swapped = [touches[-1], *touches[1:-1], touches[0]]
    faults = [told_by(larger, touches)]
    if name != "cut":  # one circle goes through three touches, in whatever order
        faults.append(told_by(measurement, swapped))
    for faulty in faults:
        found = agreements(measurement, touches, faulty, feature, stated)
        looks = [look for agreement in found for look in look_at_agreement(agreement)]
        assert looks
        assert all(look.stops and "own touches" in look.found for look in looks)


def test_an_oval_bore_is_told_and_stored_all_the_same(quiet):
    """40 µm between its diameters, met 2 mm off its middle: two ways to read it differ, and the ± explains it."""
    measurement = asked(quiet, "bore")
    stylus = measurement.stylus
    touches, off = [], (1.4, 1.4)
    for n, (dx, dy, _) in enumerate(measurement.directions):
        reach = 19.0 + (0.01 if dx else -0.01) - stylus.effective_radius
        aside = off[1] if dx else (off[0] if n < 2 else 0.0)
        along = math.sqrt(reach**2 - aside**2)
        place = (-433.0 + dx * along + (aside if dy else 0), -250.0 + dy * along + (aside if dx else 0), -150.0)
        touches.append(Touch(f"t{n}", place, (dx, dy, 0.0), stylus, 0.0005))
    stated = stated_of(quiet.setup, "bore")
    feature = feature_from(measurement, touches, stated)
    found = agreements(measurement, touches, told_by(measurement, touches), feature, stated)
    assert max(abs(agreement.difference) for agreement in found) > 0.001
    assert all(agreement.holds for agreement in found)
    assert feature.misfit.too_large
    assert feature.widened > 3


@pytest.mark.parametrize("places", [5, 12, 36])
def test_a_round_is_measured_at_many_places_by_a_program(quiet, places):
    request = point_at(quiet.setup, quiet.setup.drawn("bore")).with_figure("places", float(places))
    measured = quiet.runner.measure(build_measurement(quiet.setup, request))
    assert len(measured.feature.touches) == places
    four = quiet.runner.measure(asked(quiet, "bore")).feature
    assert measured.feature.coordinates == pytest.approx(four.coordinates, abs=0.0002)
    assert measured.feature.size == pytest.approx(four.size, abs=0.0003)
    assert all(agreement.holds for agreement in measured.agreements)


@pytest.mark.parametrize("line", ["skip-macro"], indirect=True)
def test_how_figures_change_with_each_touch_is_what_a_small_step_of_it_gives(line):  # noqa: F811
    session, truth = line
    for name in ("ball", "deep", "cut", "pocket", "island", "rib", "outer", "front", "top"):
        measurement = brought_near(session, truth, name)
        touches = next(noisy(session, measurement, 0.002, 3))
        control = ControlSolution(measurement)
        places = np.array([touch.position for touch in touches])
        slopes = control.derivatives(touches)
        assert slopes
        for n, touch in enumerate(touches):
            step = np.zeros(places.shape)
            step[n] = 1e-4 * np.array(touch.direction)
            ahead, behind = control.figures(places + step), control.figures(places - step)
            for letter, row in slopes.items():
                assert row[n] == pytest.approx((ahead[letter] - behind[letter]) / 2e-4, abs=1e-6)


# -- one touch again ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "figures", "repeats"),
    [
        ("deep", {}, 1),
        ("cut", {"places": 9.0}, 2),
        ("pocket", {}, 3),
        ("island", {}, 1),
        ("rib", {}, 1),
        ("outer", {}, 1),
        ("front", {}, 3),
        ("top", {}, 3),
    ],
)
def test_a_touch_that_is_off_is_made_again_alone(line, name, figures, repeats):  # noqa: F811
    session, truth = line
    session.working.clamping += 1  # what other tests measured is another clamping's
    session.working.setup = replace(
        session.setup, stylus=replace(session.setup.stylus, u_repeatability=0.0005, lobing=0.0002)
    )
    measurement = replace(brought_near(session, truth, name, **figures), repeats=repeats)
    clean = session.runner.measure(measurement)
    stated = stated_of(session.setup, name)
    for at in range(0, len(clean.feature.touches), repeats):
        touches = list(clean.feature.touches)
        (x, y, z), (dx, dy, dz) = touches[at].position, touches[at].direction
        touches[at] = replace(touches[at], position=(x + 0.05 * dx, y + 0.05 * dy, z + 0.05 * dz))
        faulty = feature_of_touches(measurement, tuple(touches), stated)
        suspects = suspects_of(faulty)
        assert at in suspects
        alone = places_again(measurement, faulty)
        places = sorted({n // repeats for n in suspects})
        if len(places) == len(measurement.contacts()):
            assert alone is measurement
            continue
        session.working.measured[name] = replace(clean, feature=faulty)
        assert (alone.only, alone.touch_count) == (tuple(places), len(places) * repeats)
        program = session.planner.measuring_program(alone)
        assert "SOLVED" not in program.text
        again = session.runner.measure(alone)
        assert again.measurement == measurement
        assert again.feature.coordinates == pytest.approx(clean.feature.coordinates, abs=0.0005)
        assert again.feature.widened == 1
        assert [touch.label for touch in again.feature.touches] == [touch.label for touch in clean.feature.touches]
    session.working.measured.clear()
    only = replace(measurement, only=(0,))
    program = session.planner.measuring_program(only)
    run = session.runner.start(program)
    run.to_end()
    with pytest.raises(PlanError, match="anew or clamped again"):
        session.runner.take(only, program, run)


def test_a_touch_of_a_ball_is_never_made_alone(line):  # noqa: F811
    session, truth = line
    with pytest.raises(PlanError, match="cannot be made alone"):
        replace(brought_near(session, truth, "ball"), only=(2,))


# -- the book --------------------------------------------------------------------------------------------------------


def test_a_chain_of_the_first_form_says_what_it_said():
    text = FIRST_FORM.read_text(encoding="utf-8")
    old, chain = json.loads(text), loaded(text)
    assert chain.values == {axis["axis"]: axis["value"] for axis in old["axes"]}
    assert [axis.u for axis in chain.axes] == [axis["u"] for axis in old["axes"]]
    assert covariance_of([axis.estimate for axis in chain.axes]) == pytest.approx(
        np.array(old["covariance"]), abs=1e-14
    )
    bore, top = chain.features
    assert bore.u_size == pytest.approx(old["features"][0]["u_size"])
    assert {source.words for source in top.estimates()["z"].effects} == {"top 0", "length of T20"}
    assert loaded(dumped(chain)) == chain.folded()


def test_an_entry_of_many_touches_stays_short(quiet):
    for name in ("bore", "boss", "top"):
        quiet.runner.measure(asked(quiet, name, repeats=9) if name != "top" else asked(quiet, name))
    chain = quiet.solver.chain("G54")
    assert sum(len(feature.touches) for feature in chain.features) == 37
    text = dumped(chain)
    assert len(text) < 16_000
    again = loaded(text)
    assert covariance_of([a.estimate for a in again.axes]) == pytest.approx(
        covariance_of([a.estimate for a in chain.axes])
    )
    assert again.features[0].touches == chain.features[0].touches
    request = replace(point_at(quiet.setup, quiet.setup.drawn("bore")).with_figure("places", 36.0), repeats=9)
    quiet.runner.measure(build_measurement(quiet.setup, request))
    text = dumped(quiet.solver.chain("G54"))
    assert len(text) < 16_000
    assert len(loaded(text).features[0].touches) == 40


def test_a_typed_change_keeps_what_the_value_depended_on(session):
    measure_all(session)
    stored = session.writer.store("G54")
    typed = read_typed("z =-0.2; recut", stored.values)
    chain = book_work.edit(session, "G54", typed.values, typed.reason)
    assert chain.axis("z").value == pytest.approx(stored.values["z"] - 0.2)
    assert chain.axis("z").expanded == pytest.approx(stored.axis("z").expanded)
    typed = read_typed("z =+0.1 ±0.02; by eye", chain.values)
    assert typed.spreads == {"z": 0.02}
    after = book_work.edit(session, "G54", typed.values, typed.reason, {"z": 0.01})
    assert after.axis("z").expanded == pytest.approx(math.hypot(stored.axis("z").expanded, 0.02))
    assert session.rows.history("G54")[-1].u["z"] == pytest.approx(after.axis("z").expanded / 2)
    back = book_work.undo(session, "G54")
    assert back.axis("z").value == pytest.approx(chain.axis("z").value)
    assert back.axis("z").expanded == pytest.approx(stored.axis("z").expanded)


def test_an_imported_row_keeps_its_spread_brings_its_own_or_says_that_nobody_knows(session):
    measure_all(session)
    stored = session.writer.store("G54")
    moved = {"x": stored.values["x"] + 1.0, "y": stored.values["y"]}
    book_work.take_over(session, {"G54": moved}, "from a file")
    assert session.rows.history("G54")[-1].u["x"] == pytest.approx(stored.axis("x").expanded / 2)
    book_work.take_over(session, {"G54": {"x": moved["x"] + 1.0}}, "from a file", {"G54": {"x": 0.004}})
    assert session.rows.history("G54")[-1].u["x"] == pytest.approx(0.004)
    book_work.take_over(session, {"G57": {"x": 1.0, "y": 2.0, "z": 3.0}}, "from a file")
    entry = session.rows.history("G57")[-1]
    assert entry.u == {}
    assert "G57 X: nobody said how well it is known" in entry.chain.without


# -- what is kept of the probe ---------------------------------------------------------------------------------------


def test_repeats_become_the_probes_own_with_their_count_in_its_file_too(tmp_path):
    new_job(tmp_path)
    with open_job(tmp_path, tmp_path / "data", roll=0) as session:
        name = next(drawn.name for drawn in session.setup.features if drawn.kind.is_round and not drawn.of)
        measurement = build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name)))
        found = repeat(session, measurement, 6)
        told = keep_repeatability(session, measurement, found)
        stylus = session.setup.stylus
        figures = len(found)
        assert stylus.repeats == figures * 5 + 1
        assert f"from {stylus.repeats} touches" in told
        ratio = math.sqrt(sum((item.spread / item.stated) ** 2 for item in found) / figures)
        before = load_job(tmp_path).machine.probe
        assert before.repeats == stylus.repeats
        assert before.u_repeatability == pytest.approx(stylus.u_repeatability, abs=1e-6)
        assert stylus.u_repeatability == pytest.approx(ratio * 0.0005, rel=0.05)
        at = build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name)))
        measured = session.runner.measure(at)
        assert measured.feature.estimates()["x"].freedom == pytest.approx(figures * 5, rel=0.05)
        slow = replace(at, options=replace(at.options, touch_feed=10.0))
        keep_repeatability(session, slow, repeat(session, slow, 4))
        assert isinstance(load_job(tmp_path).machine, MachineDescription)
        assert session.setup.stylus.scatter_at(10.0).repeats == figures * 3 + 1
        assert load_job(tmp_path).machine.probe.at_feed[0].touch_feed == 10.0


def test_reproducibility_is_that_of_runs_and_clampings_together():
    # Two clampings 10 µm apart, runs of each 2 µm apart: by hand s² = 2, means 50 less 1 of the runs.
    found = over_clampings([(0.0, 0.002), (0.010, 0.012)])
    assert found.within == pytest.approx(0.002 / math.sqrt(2))
    assert found.between == pytest.approx(math.sqrt(0.00005 - 0.000001))
    assert found.reproducibility == pytest.approx(math.sqrt(0.000002 + 0.000049))
    assert over_clampings([(0.0, 0.002)]) is None


def test_a_ring_calibrated_at_many_places_stands_in_the_file(tmp_path):
    new_job(tmp_path)
    with open_job(tmp_path, tmp_path / "data", roll=0) as session:
        name = next(drawn.name for drawn in session.setup.features if drawn.kind.is_round and not drawn.of)
        request = point_at(session.setup, session.setup.drawn(name)).with_figure("places", 12.0)
        feature = session.runner.measure(build_measurement(session.setup, request)).feature
        session.editor.calibrate(name, feature.size, 0.0002)
        stylus = session.setup.stylus
        assert len(stylus.by_direction) == 12
        assert stylus.calibration("radius").u_on == pytest.approx(0.0001)
    with open_job(tmp_path, tmp_path / "data", roll=0) as again:
        kept = again.setup.stylus
        assert np.array(kept.by_direction) == pytest.approx(np.array(stylus.by_direction), abs=1e-3)
        assert (kept.lobing, kept.u_direction) == pytest.approx((stylus.lobing, stylus.u_direction), abs=1e-6)
        assert kept.calibration("radius").on == stylus.calibration("radius").on


def test_a_typed_figure_leaves_nothing_of_what_was_found_before(tmp_path):
    new_job(tmp_path)
    with open_job(tmp_path, tmp_path / "data", roll=0) as session:
        table = ((0.0, 2.9941), (180.0, 2.9939))
        known = (CalibratedOn("radius", "Monday", "ring", 0.0001), CalibratedOn("length", "Monday"))
        stylus = session.setup.stylus
        session.working.setup = replace(
            session.setup, stylus=replace(stylus, by_direction=table, repeats=9, calibrations=known)
        )
        probe = next(line for line in lines(session, date(2026, 11, 28)) if line.group == "probe")
        assert "scatter of 9 touches" in probe.state
        set_figure(session, probe, "effective radius", 2.9945)
        set_figure(session, probe, "repeatability ±", 0.002)
        kept = session.setup.stylus
        assert (kept.by_direction, kept.repeats, kept.u_repeatability) == ((), None, 0.001)
        assert kept.calibration("radius").at.startswith("typed")
        assert kept.calibration("length").at == "Monday"
        written = load_job(tmp_path).machine.probe
        assert written.calibration[-1].at == kept.calibration("radius").at
        assert (written.repeats, written.u_repeatability) == (None, 0.001)


def test_touches_that_scatter_less_than_stated_are_told_once(quiet):
    for name in ("bore", "boss"):
        request = point_at(quiet.setup, quiet.setup.drawn(name)).with_figure("repeats", 3.0)
        quiet.runner.measure(build_measurement(quiet.setup, request))
    (look,) = quiet.working.scatter_to_tell()
    assert "less than is stated" in look.found
    assert quiet.working.scatter_to_tell() == []


@pytest.mark.parametrize("profile_name", ["skip-macro", "probe-params"])
def test_a_warm_part_is_stored_and_proved_with_its_figures_as_long_as_they_are(scene, profile_name):
    session = Session(scene, None, shipped_profile(profile_name), seed=None)
    warm = Conditions(temperature=Temperature(30.0, "aluminium"))
    cold = session.solver
    measure_all(session)
    before = cold.chain("G54").values
    session.working.setup = replace(session.setup, conditions=warm)
    stored = session.writer.store("G54").values
    assert before["x"] - stored["x"] == pytest.approx(36.0 * 10 * 23.5e-6)
    assert session.prover.prove("G54").holds
    assert session.solver.true_offset("G54")["x"] == pytest.approx(stored["x"], abs=0.0003)
