"""Written code on controls that differ: what a miss leaves, how short a probing move may be, words of their own."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from typer.testing import CliRunner

from brisk_anchor.cli.commands import app
from brisk_anchor.core.errors import CrashError
from brisk_anchor.core.offsets.rules import FromRow
from brisk_anchor.core.offsets.setup import RowPlan
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profiles, shipped_text
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.services.machine.player import Player
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.profile.profile_proof import prove_profile, sample_scene
from brisk_anchor.services.session.session import Session


def changed(name, *pairs):
    text = shipped_text(name)
    for old, new in pairs:
        assert old in text
        text = text.replace(old, new, 1)
    return parse_profile(text, "changed")


MISSES = [
    changed("skip-macro"),
    changed("skip-macro", ('"end position"', '"old position"')),
    changed("skip-macro", ('after_miss = "end position"', 'after_miss = "contact flag"\ncontact_flag = 5999')),
    changed("skip-macro", ("shortest = 0.0", "shortest = 0.254")),
    changed("probe-params"),
    changed("probe-params", ('"contact flag"', '"end position"'), ("contact_flag = 5070", "")),
]
WAYS = ["end", "old", "flag", "shortest", "ngc flag", "ngc end"]


def unlike(name, *more):
    """A control of the same language that differs in what a control of its own may: skips, frame, rows, numbers."""
    text = re.sub(r"(?m)^write = .*\n", "", shipped_text(name))
    for old, new in more:
        assert old in text
        text = text.replace(old, new, 1)
    return parse_profile(text, "unlike")


IN_MACHINE = ("[skip]\n", '[skip]\nframe = "machine"\n')
MISSES += [
    unlike(
        "skip-macro",
        IN_MACHINE,
        ('["G31"]', '["G36 P2", "G31"]'),
        ('"G91 G31"', '"G91 G36 P2"'),
        ("work = [5041, 5042, 5043] ", "# "),
        ("touch_number = 7301", "touch_number = 9810"),
        ("guard_number = 7302", "guard_number = 9811"),
    ),
    unlike("probe-params", IN_MACHINE, ('"contact flag"', '"end position"'), ("contact_flag = 5070", "")),
]
WAYS += ["unlike", "ngc unlike"]


def run_with(profile, change=lambda text: text, *, name="bore"):
    session = Session(sample_scene(), None, profile, seed=None)
    measurement = build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name)))
    program = session.planner.measuring_program(measurement)
    machine = session.machine.twin(seed=None)
    text = change(program.text)
    run = Run(program, profile, machine, Interpreter(text, profile, machine))
    run.to_end()
    return text, run


@pytest.mark.parametrize("profile", MISSES, ids=WAYS)
def test_whatever_a_miss_leaves_every_guard_tells_contact_from_none(profile):
    text, run = run_with(profile)
    assert run.ended_well, run.failure()
    assert profile.skip.shortest == 0 or min(
        m.seconds for m in run.machine.motions if m.kind.value == "skip" and m.contact is None
    )
    # A search that ends before the wall.
    short = re.sub(r"(G65 P(?:7301|9810) X-)\d+\.\d+", r"\g<1>9.5", text, count=1)
    short = re.sub(r"(G38\.2 X\[-)(\d+)\.", lambda m: f"{m[1]}{int(m[2]) - 5}.", short, count=1)
    assert short != text
    _, run = run_with(profile, lambda _: short)
    assert re.search(r"MISSED CONTACT|without contact|TOUCH 1", run.failure().what), run.failure()
    assert not run.interpreter.printer_open
    # Something in the way of a guarded move: the start lies in the plate beside the bore.
    blocked = re.sub(r"(G53 G0 X-)\d+\.\d*( Y-)\d+\.\d*", r"\g<1>560.\g<2>280.", text, count=1)
    _, run = run_with(profile, lambda _: blocked)
    assert "UNEXPECTED CONTACT" in run.failure().what
    assert not run.interpreter.printer_open


@pytest.mark.parametrize("profile", MISSES, ids=WAYS)
def test_no_probing_move_is_shorter_than_the_control_takes(profile):
    """A part just where it is described: the way on to the centre is nothing, which open RS-274/NGC refuses."""
    for by in ((0.0, 0.0, 0.0), (0.1, 0.0, 0.0), (0.253, 0.255, 0.0)):
        scene = sample_scene()
        body = scene.file.body[1]
        real = body.real.model_copy(update={"shift": by})
        scene = replace(scene, file=scene.file.model_copy(update={"body": [scene.file.body[0], body]}))
        bodies = [scene.file.body[0], body.model_copy(update={"real": real})]
        from brisk_anchor.standin.scene import build_scene

        session = Session(build_scene(scene.file.model_copy(update={"body": bodies})), None, profile, seed=None)
        for name in ("bore", "leaning bore", "pocket", "slot", "boss", "ball", "block"):
            measured = session.runner.measure(
                build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name)))
            )
            assert max(abs(a.difference) for a in measured.agreements) < 0.0005
    skips = [m for m in session.machine.motions if m.kind.value == "skip" and m.contact is None]
    shortest = min(sum((a - b) ** 2 for a, b in zip(m.start, m.end, strict=True)) ** 0.5 for m in skips)
    assert shortest >= max(profile.skip.shortest, 0.02)


@pytest.mark.parametrize("profile", MISSES[::4], ids=["macro", "ngc"])
def test_nothing_backs_off_further_than_it_came(profile):
    """In a slot just wider than the ball, backing off a millimetre would press the ball on the other wall."""
    scene = sample_scene()
    body = scene.file.body[1]
    plate = body.solid[0]
    slots = [plate.slots[0], plate.slots[1].model_copy(update={"low": (93.7, 20.0), "high": (100.3, 70.0)})]
    part = body.model_copy(update={"solid": [plate.model_copy(update={"slots": slots}), *body.solid[1:]]})
    features = [
        f.model_copy(update={"size": 6.6, "spread": None}) if f.name == "slot" else f for f in scene.file.feature
    ]
    real = part.real.model_copy(update={"shift": (0.0, 0.0, 0.0)})
    job = scene.file.job.model_copy(update={"start_uncertainty": 0.1, "turn_uncertainty": 0.0})
    from brisk_anchor.standin.scene import build_scene

    bodies = [scene.file.body[0], part.model_copy(update={"real": real})]
    file = scene.file.model_copy(update={"body": bodies, "feature": features, "job": job})
    session = Session(build_scene(file), None, profile, seed=None)
    slot = build_measurement(session.setup, point_at(session.setup, session.setup.drawn("slot")))
    try:
        assert session.runner.measure(slot).feature.size == pytest.approx(6.6, abs=0.0005)
    except CrashError as crash:
        pytest.fail(crash.one_line())


@pytest.mark.parametrize("profile", MISSES[-2:], ids=WAYS[-2:])
def test_a_control_unlike_the_shipped_ones_is_given_every_kind_of_program(profile):
    """Probing words, their frame, rows written through variables, and subprogram numbers are its own."""
    proof = prove_profile(profile)
    assert proof.findings == ()
    assert proof.programs > 50
    text, run = run_with(profile)
    assert "G10 L2" not in text
    assert run.ended_well


def inches(name):
    """A shipped profile whose programs are in inches."""
    return changed(name, ('safe = ["G21', 'safe = ["G20'), ('units = "mm"', 'units = "inch"'))


IN_MM = {"probe-params": 53, "skip-macro": 71, "table-only": 4, "turn-macro": 7, "turn-table": 7}
"""How many sample programs each shipped profile is given."""


@pytest.mark.parametrize("name", shipped_profiles())
def test_every_kind_of_program_is_written_in_inches_too_and_does_what_it_should(name):
    proof = prove_profile(inches(name))
    assert (proof.findings, proof.refused) == ((), ())
    assert proof.programs == IN_MM[name]


@pytest.mark.parametrize("name", ["skip-macro", "probe-params"])
def test_a_program_in_inches_reports_mm_and_its_guards_hold(name):
    text, run = run_with(inches(name))
    assert run.ended_well, run.failure()
    assert "G20" in text
    assert "G21" not in text
    _, in_mm = run_with(changed(name))
    told, wanted = (parse_reports(one.printed) for one in (run, in_mm))
    found, mm = ([figure for _, place, _ in one.touches for figure in place] for one in (told, wanted))
    assert found == pytest.approx(mm, abs=0.0006)
    short = re.sub(r"(G65 P7301 X-)\d*\.\d+", r"\g<1>.37", text, count=1)
    short = re.sub(r"(G38\.2 X\[-)(\d+)\.", lambda m: f"{m[1]}{int(m[2]) - 1}.", short, count=1)
    assert short != text
    _, run = run_with(inches(name), lambda _: short)
    assert re.search(r"MISSED CONTACT|without contact|TOUCH 1", run.failure().what), run.failure()
    blocked = re.sub(r"(G53 G0 X-)\d+\.\d*( Y-)\d+\.\d*", r"\g<1>22.05\g<2>11.02", text, count=1)
    _, run = run_with(inches(name), lambda _: blocked)
    assert "UNEXPECTED CONTACT" in run.failure().what


def test_a_guarded_move_is_told_from_a_touch_in_inches_too():
    """Feeds that were written in inches come back a hair off."""
    session = Session(sample_scene(), None, inches("skip-macro"), seed=None)
    measurement = build_measurement(session.setup, point_at(session.setup, session.setup.drawn("top")))
    player = Player(session.runner.start(session.planner.measuring_program(measurement)), 1.0)
    words = []
    while not player.over:
        player.advance(0.05)
        if (progress := player.progress(measurement)) is not None:
            words.append(progress.doing)
    assert list(dict.fromkeys(words)) == ["rapid", "guarded", "touch 1 of 1", "backing off", "touch 1 of 1, slow"]


@pytest.mark.parametrize("language", ["skip-macro", "probe-params"])
def test_rows_that_follow_another_are_written_after_it_from_this_run(language):
    """A plan that sets G55, derived from G54, and G54 wrote G55 from the old G54: 1.3 to 1.8 mm off."""
    session = Session(sample_scene(), None, changed(language), seed=None)
    session.machine.offsets["G54"] = (-1.0, -2.0, -3.0)  # what the last job left there
    follows = RowPlan(
        "G55", "follows", {a: FromRow("G54", s) for a, s in zip("xyz", (10.0, 5.0, -2.0), strict=True)}, 5
    )
    behind = RowPlan("G56", "left behind", {a: FromRow("G54", 1.0) for a in "xyz"}, 5.0)
    session.working.setup = replace(session.setup, rows=(*session.setup.rows[:0], follows, behind))
    measure = [
        {"feature": "top", "sets": {"row": "G54", "z": 0.0}},
        {"feature": "bore", "sets": {"row": "G54", "x": 40.0, "y": 120.0}},
    ]
    names = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "follows", "offset": "G55", "measure": measure}
    plan = PlanFile.model_validate(names)
    ready = planned(session, plan)
    assert [store.row for store in ready.stores] == ["G54", "G55"]
    assert any(look.found.startswith("G56 follows G54") for look in ready.looks)
    program = program_of(session, ready)
    prover = Prover(Case.of(session, ready, program))
    assert prover.trial(0, noisy=False).ending.how == "right"
    run = prover.run(prover.scene(0), 0, noisy=False)
    run.to_end()
    x, y, z = run.machine.offset("G54")
    assert run.machine.offset("G55") == pytest.approx((x + 10, y + 5, z - 2), abs=1e-4)
    assert (x, y, z) == pytest.approx((-620 + 0.31, -400 - 0.24, -530.0), abs=0.0005)


def test_the_probe_is_reported_as_it_is_stated_and_the_spindle_stopped_before_it_moves(scene):
    own = changed("skip-macro", ("\ndecimals = 4", "\ndecimals = 3"))
    session = Session(scene, None, own, seed=None)
    measurement = build_measurement(session.setup, point_at(session.setup, session.setup.drawn("bore")))
    lines = [line.text for line in session.planner.measuring_program(measurement).lines]
    tool = next(line for line in lines if "TOOL" in line)
    assert f"R{session.setup.stylus.effective_radius:.4f}" in tool
    moves = next(n for n, line in enumerate(lines) if line.startswith("G90 G53"))
    assert "M5" in lines[:moves]
    session.runner.measure(measurement)


def test_what_a_profile_names_is_known_to_the_stand_in_and_proved_by_the_check(tmp_path):
    path = tmp_path / "own.toml"
    own = shipped_text("skip-macro").replace("on = [] ", 'on = ["M17", "M118 P2"] ', 1)
    path.write_text(own.replace("off = []", 'off = ["M18"]', 1))
    told = CliRunner().invoke(app, ["profile", "check", str(path)])
    assert told.exit_code == 0, told.output
    assert "71 sample programs were written" in told.output
    # Words that go against each other are found by the same samples, not on the machine.
    path.write_text(
        shipped_text("skip-macro").replace("on = [] ", 'on = ["G20"] ', 1).replace("inches = true", "inches = false")
    )
    told = CliRunner().invoke(app, ["profile", "check", str(path)])
    assert told.exit_code != 0
    assert "G20" in told.output


def test_a_plan_that_only_looks_at_tools_carries_what_it_calls(scene):
    session = Session(sample_scene(), None, changed("skip-macro"), seed=None)
    from brisk_anchor.services.profile import profile_proof

    profile_proof._check_tool(session)  # it called a guarded move that the file did not have


@pytest.mark.parametrize(
    ("name", "old", "new", "reason"),
    [
        ("skip-macro", 'after_miss = "end position"', "", "after_miss is missing"),
        ("skip-macro", '"end position"', '"contact flag"', "contact_flag must give"),
        ("skip-macro", "shortest = 0.0", "shortest = 1.5", "back_off is shorter"),
        ("probe-params", '"contact flag"', '"old position"\nx = 1', "x|Extra"),
        ("skip-macro", 'holds = "last tool called"', "", "holds"),
        ("skip-macro", '"G91 G31"', '"G91 G1"', "moves.skip is “G91 G1”, which holds none"),
        ("skip-macro", 'words = ["G31"]', 'words = ["G31", "G83"]', "G83 means something else"),
        ("skip-macro", "touch_number = 7301", "touch_number = 12345", "above O9999"),
        ("skip-macro", 'safe = ["G21', 'safe = ["G20', "state.safe must set G21"),
        ("table-only", 'write = "G10 L2 P1"\n', "", "neither by a block nor through variables"),
    ],
)
def test_profiles_must_say_what_a_guard_counts_on(name, old, new, reason):
    from brisk_anchor.core.errors import ProfileError

    with pytest.raises(ProfileError, match=reason):
        changed(name, (old, new))


def test_a_touch_is_told_from_a_search_whatever_the_feeds(scene):
    """A touch was taken for one by a feed below 200 mm/min: none was drawn at 250, every search at 150."""
    from brisk_anchor.standin.motion import touches_in

    fast = changed("skip-macro", ("touch_feed = 60.0", "touch_feed = 250.0"))
    slow = changed("skip-macro", ("search_feed = 800.0", "search_feed = 150.0"))
    for profile in (fast, slow):
        _, run = run_with(profile)
        assert run.ended_well
        assert [m.feed for m in touches_in(run.machine.motions)] == [profile.probing.touch_feed] * 4
