"""Time: of each move, of a whole program, and the least the same touches take; the sheets that show it."""

from __future__ import annotations

import math
import re
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import ExportError, PlanFileError
from brisk_anchor.drawings.plan import LINES, plan_sheet
from brisk_anchor.services.plan.ordering import way_seconds
from brisk_anchor.services.plan.plan_file import PlanFile, load_plan, parse_plan, plan_text
from brisk_anchor.services.plan.plan_proof import PlanProof, keep_proof, proof_path, read_proof
from brisk_anchor.services.plan.plan_sheets import content_of, legs_of, write_plan_sheets
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proof_basis import Basis
from brisk_anchor.services.plan.proving import Outcome, rehearse, summary
from brisk_anchor.standin.motion import Motion, MoveKind, move_seconds


def plan(*measure, **more):
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "timed", "measure": list(measure), **more}
    return PlanFile.model_validate(data)


ALL = [{"feature": name} for name in ("bore", "top", "boss", "bush", "pad")]


def test_shares_add_up_to_the_machine_s_time_and_are_never_less_than_the_least(quiet):
    _, run, times = rehearse(quiet, planned(quiet, plan(*ALL, order="shortest")))
    assert times.total == pytest.approx(run.machine.seconds, abs=1e-9)
    assert sum(seconds for _, seconds in times.shares()) == pytest.approx(times.total)
    assert times.least < times.total < 1.1 * times.least
    assert times.touches == 14
    assert times.over == pytest.approx(times.total / times.least - 1)


def test_the_least_of_one_touch_by_hand(quiet):
    """From home over the place, down, search, back off and touch, up and home: every leg by its own trapezoid."""
    ready = planned(quiet, plan({"feature": "top"}))
    _, run, times = rehearse(quiet, ready)
    m = ready.measurements[0]
    rapid, guarded, acceleration = 18000.0, 3000.0, 2000.0

    def seconds(way, feed):
        speed = feed / 60
        return (
            way / speed + speed / acceleration if way > speed**2 / acceleration else 2 * math.sqrt(way / acceleration)
        )

    across = seconds(math.hypot(m.start[0], m.start[1]), rapid) + seconds(-m.clear_z, rapid)
    down = seconds(m.clear_z - m.start[2], guarded)
    met = [motion for motion in run.machine.motions if motion.contact]
    touch = sum(seconds(math.dist(motion.start, motion.end), motion.feed) for motion in met) + seconds(1.0, 800.0)
    up = seconds(m.clear_z - met[-1].end[2], guarded) + seconds(-m.clear_z, rapid)
    assert times.least == pytest.approx(across + down + touch + up, abs=1e-6)


def test_a_program_that_did_not_end_or_looked_at_tools_has_no_times(quiet):
    from brisk_anchor.services.session.tool_shelf import take_reference

    take_reference(quiet, -440.0)
    assert rehearse(quiet, planned(quiet, plan(*ALL[:1], tool_check=[{"tool": 12, "tolerance": 0.1}])))[2] is None
    assert rehearse(quiet, planned(quiet, plan({"feature": "boss", "size_limit": 0.05})))[2] is None


@given(st.floats(0.001, 900.0), st.floats(10.0, 20000.0), st.floats(200.0, 5000.0))
def test_a_move_takes_longer_the_longer_it_is_and_never_less_than_at_full_speed(way, feed, acceleration):
    found = move_seconds(way, feed, acceleration)
    assert found >= way / (feed / 60) - 1e-12
    assert found <= move_seconds(way * 1.01, feed, acceleration)
    assert move_seconds(0.0, feed, acceleration) == 0.0


def test_the_way_between_two_is_by_the_higher_clear_height(quiet):
    """The bore is 68 mm from the boss, which is come to 18 before it and left 18 beside it."""
    a, b = planned(quiet, plan({"feature": "bore"}, {"feature": "boss", "clear": -450.0})).measurements
    leg, machine = way_seconds(quiet.setup.machine), quiet.setup.machine
    up = move_seconds(20.0, machine.rapid, machine.acceleration)
    for way, across in (((a, b), 68.0 - 18.0), ((b, a), math.hypot(68.0, 18.0))):
        assert leg(*way) == pytest.approx(up + move_seconds(across, machine.rapid, machine.acceleration))
    assert leg(None, a) == pytest.approx(leg(a, None))


def test_moves_become_legs_told_apart_by_kind():
    places = [(0.0, 0.0, 0.0), (10.0, 0.0, 0.0), (10.0, 5.0, 0.0), (10.0, 5.0, -3.0)]
    motions = [
        Motion(MoveKind.RAPID, 1, places[0], places[1], 0.0, 1.0),
        Motion(MoveKind.SKIP, 2, places[1], places[2], 0.0, 1.0),
        Motion(MoveKind.SKIP, 3, places[2], places[3], 0.0, 1.0, contact=(10.0, 5.0, -9.0)),
        Motion(MoveKind.FEED, 4, places[3], places[2], 0.0, 1.0),
        Motion(MoveKind.DWELL, 5, places[2], places[2], 0.0, 1.0),
    ]
    legs = legs_of(motions, 100.0)
    assert [leg.kind for leg in legs] == ["rapid", "guarded", "touching", "touching"]
    assert legs[2].end == (10.0, 5.0, -103.0)
    assert legs[2].touch == (10.0, 5.0, -9.0)
    dashes = [(style["linestyle"], style["linewidth"]) for style in LINES.values()]
    assert len({str(dash) for dash in dashes}) == 3  # by more than colour


def test_sheets_show_every_measurement_its_figures_and_the_proof(quiet, tmp_path):
    made = plan(*ALL[:3], {"feature": "pad", "keep": ["Z #610"]}, offset="G54")
    ready = planned(quiet, made)
    program = program_of(quiet, ready)
    content = content_of(quiet, ready, program, None)
    assert [row[1] for row in content.rows] == ["bore ⌀38 H7", "cast top of the hub", "boss ⌀24, as cast", "ground pad"]
    assert [row[4] for row in content.rows] == ["G54 XY", "G54 Z", "", "Z in #610"]
    assert "search 19" in content.rows[0][3]
    assert "not proved" in content.proof
    page = plan_sheet(content)
    assert page == plan_sheet(content)  # the same plan draws the same files
    svg = page["svg"].decode()
    assert "timestamp" not in svg
    assert len(re.findall(r"<path", svg)) > 30
    assert plan_sheet(content, "letter")["pdf"].startswith(b"%PDF")
    with pytest.raises(ExportError, match="no paper"):
        write_plan_sheets(quiet, ready, tmp_path / "p.plan.toml", tmp_path, "a9")
    paths = write_plan_sheets(quiet, ready, tmp_path / "p.plan.toml", tmp_path)
    assert [path.name for path in paths] == ["path-p.svg", "path-p.pdf", "plan-p.svg", "plan-p.pdf"]


FIGURE = st.floats(0.01, 900.0).map(lambda value: round(value, 4))
NAMES = st.text("abcdefgh ÄÖ⌀\"\\'#=[]", min_size=1, max_size=20)
SECTION = st.fixed_dictionaries(
    {"feature": NAMES},
    optional={
        "depth": FIGURE,
        "search": FIGURE,
        "clear": st.floats(-900.0, 900.0).map(lambda value: round(value, 4)),
        "repeats": st.integers(1, 9),
        "enabled": st.booleans(),
        "over_the_top": st.booleans(),
        "on_fail": st.sampled_from(["alarm", "stop", "go on"]),
        "keep": st.lists(st.sampled_from(["X #610", "D #611"]), max_size=2),
        "comment": st.text(max_size=100).filter(str.isprintable),
        "headings": st.lists(st.floats(-360, 360).map(lambda v: round(v, 4)), min_size=2, max_size=3),
        "sets": st.fixed_dictionaries(
            {"row": st.sampled_from(["G54", "G59.1", "G54.1 P12"]), "x": FIGURE},
            optional={"r": st.floats(-90, 90).map(lambda v: round(v, 4)), "allowance": st.just({"x": -1.5})},
        ),
    },
)


@given(st.lists(SECTION, min_size=1, max_size=4), st.booleans(), st.sampled_from(["as listed", "shortest"]))
def test_a_plan_written_and_read_is_the_same_plan_whatever_people_call_things(measure, half_turn, order):
    made = plan(*measure, half_turn=half_turn, order=order)
    again = parse_plan(plan_text(made), "p.toml")
    assert plan_text(again) == plan_text(made)
    for one, two in zip(made.measure, again.measure, strict=True):
        assert one.stated == two.stated
        assert (one.sets, one.headings, one.keep, one.on_fail) == (two.sets, two.headings, two.keep, two.on_fail)


def test_inches_become_millimetres_and_angles_stay():
    text = plan_text(plan({"feature": "a", "depth": 1.0, "sets": {"row": "G54", "x": 2.0, "r": 3.0}}))
    again = parse_plan(text.replace('"mm"', '"inch"'), "p.toml")
    sets = again.measure[0].sets
    assert (again.measure[0].depth, sets.x, sets.r) == (25.4, 50.8, 3.0)


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("[]", "p.plan"),
        ('{"form": "x"}', "form"),
        ('{"form": "brisk-anchor-proof-1", "digest": "zz"}', "digest"),
        ("\0", "p."),
    ],
)
def test_a_proof_that_is_none_is_told_and_one_without_a_file_is_no_proof(tmp_path, text, reason):
    plan_path = tmp_path / "p.plan.toml"
    assert read_proof(plan_path) is None
    proof_path(plan_path).write_text(text)
    with pytest.raises(PlanFileError, match=reason):
        read_proof(plan_path)
    with pytest.raises(PlanFileError, match="nowhere"):
        load_plan(tmp_path / "nowhere.toml")


def test_a_proof_says_of_which_text_it_is_and_what_went_wrong(tmp_path):
    outcome = Outcome("a" * 64, 2150, 2, at="2026-11-27T10:00:00+00:00")
    basis = Basis("a" * 64, "", "c" * 64, "d" * 64, "1")
    proof = PlanProof.of(outcome, basis)
    keep_proof(tmp_path / "p.plan.toml", proof)
    assert read_proof(tmp_path / "p.plan.toml") == proof
    assert "another" in proof.words(replace(basis, program="b" * 64))
    assert "the control profile was another" in proof.words(replace(basis, profile="e" * 64))
    assert "as it stands did not end right" in proof.words(basis)
    assert not outcome.complete
    assert "nothing within 10 mm" in " ".join(summary(outcome))
