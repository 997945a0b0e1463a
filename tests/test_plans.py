"""Plans: files with faults, what is proposed and why, the shortest way, and programs proved on many real-life parts."""

from __future__ import annotations

import itertools
import math
import shutil
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from typer.testing import CliRunner

from brisk_anchor.cli.commands import app
from brisk_anchor.core.errors import BriskAnchorError, PlanFileError
from brisk_anchor.services.demo.demo_job import demo_cutting
from brisk_anchor.services.job.jobs import new_job
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.plan import proving
from brisk_anchor.services.plan.ordering import Legs, shortest, way
from brisk_anchor.services.plan.plan_file import PlanFile, load_plan, plan_of_features, plan_text
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import prove
from brisk_anchor.services.rows.offset_solver import OffsetSolver
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.standin.scene import nominal_frame, real_frame


def plan(*features, offset=None, order="as listed", measure=None, **figures):
    measure = measure or [{"feature": name, **figures} for name in features]
    return PlanFile(form="brisk-anchor-plan-1", units="mm", name="p", offset=offset, order=order, measure=measure)


@pytest.fixture
def job(tmp_path):
    new_job(tmp_path / "job")
    session = open_job(tmp_path / "job", tmp_path / "data", roll=0)
    yield session
    session.book.close()


def test_a_plan_is_read_in_its_unit_and_proposes_the_rest(quiet, tmp_path):
    file = tmp_path / "p.toml"
    text = plan_text(plan_of_features("lever", "G54", ["bore", "top"]))
    file.write_text(text.replace('"mm"', '"inch"') + "search = 0.5\n")
    steps = planned(quiet, load_plan(file)).steps
    top, bore = ({figure.name: (figure.value, figure.why) for figure in steps[i].figures} for i in (1, 0))
    assert top["search"] == (pytest.approx(12.7), "stated")
    kept = 'sets = { row = "G55", x = 0.25, r = 30.0 }\n'
    file.write_text(file.read_text() + "search_feed = 40.0\n" + kept)
    assert load_plan(file).measure[1].search_feed == pytest.approx(1016)
    assert plan_text(load_plan(file)) == file.read_text()
    assert bore["depth"][0] == 12.0
    assert "as drawn" in bore["depth"][1]


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("units = 3", "units"),
        ('form = "x"\nunits = "mm"\nname = "a"', "form|measure"),
        ('form = "brisk-anchor-plan-1"\nunits = "mm"\nname = "a"\n[[measure]]\nfeature = "b"\nsearch = -1', "p.toml:6"),
        ('form = "brisk-anchor-plan-1"\nunits = "mm"\nname = "a"\n[[measure]]\nfeature = "b"\nfast = 1', "fast"),
        ("[[", "TOML"),
    ],
)
def test_a_file_with_faults_tells_them_with_their_lines(tmp_path, text, reason):
    (tmp_path / "p.toml").write_text(text)
    with pytest.raises(BriskAnchorError) as caught:
        load_plan(tmp_path / "p.toml")
    told = caught.value.one_line() + " ".join(str(f) for f in caught.value.findings)
    assert any(word in told for word in reason.split("|"))


def test_of_a_file_without_end_no_more_is_read_than_could_be_used():
    with pytest.raises(BriskAnchorError, match="no plain file"):
        load_plan(Path("/dev/zero"))


@pytest.mark.parametrize(
    ("made", "reason"),
    [
        (plan("nothing"), "nothing called"),
        (plan("bore", "bore"), "twice"),
        (plan("bore", enabled=False), "nothing is enabled"),
        (plan("bore", offset="G57"), "has no G57"),
    ],
)
def test_a_plan_that_does_not_go_with_the_job_says_why(quiet, made, reason):
    with pytest.raises(PlanFileError, match=reason):
        planned(quiet, made)


def test_the_shortest_way_is_never_longer_and_the_best_of_a_few(job):
    names = [f.name for f in job.setup.features if not f.of][:6]
    found = planned(job, plan(*names, order="shortest"))
    listed = planned(job, plan(*names)).measurements
    assert {step.name for step in found.steps} == set(names)
    home = job.setup.machine.home[:2]

    def whole(order):
        return way(order) + math.dist(home, order[0].start[:2]) + math.dist(home, order[-1].start[:2])

    assert whole(found.measurements) == pytest.approx(min(map(whole, itertools.permutations(listed))), rel=0.02)


@pytest.mark.parametrize(("also", "hop"), [("top", 9.0), ("bush", 14.0)])
def test_over_a_boss_it_goes_higher_where_what_stands_beside_may_lie_off_too(quiet, also, hop):
    """From +X (-348, -250) to -Y (-366, -268): 8/√2 past the clamp's corner, its top 1 mm below the ball's middle.

    That is room enough beside a clamp that stands where it is drawn. With the fixture measured too, it may not.
    """
    ready = planned(quiet, plan("boss", also))
    figure = next(figure for figure in ready.steps[0].figures if figure.name == "hop")
    assert (figure.value, "other metal" in figure.why) == (hop, also == "bush")
    assert not ready.all_looks
    stated = planned(quiet, plan(measure=[{"feature": "boss", "hop": 9.0}, {"feature": also}]))
    apart = math.hypot(8 / math.sqrt(2), 1.0) - 3.0
    near = f"Beside boss ⌀24, as cast the ball is {apart:.2f} mm from the clamp of SP-2"
    assert [look.found for look in stated.all_looks] == ([near] if also == "bush" else [])


@pytest.mark.parametrize("beside", [1.5, 2.1])
def test_the_way_down_is_looked_at_and_not_its_end_alone(quiet, beside):
    """Past the clamp (from -352, down to -523) with a ball of 3; where it stops the stem of 2 has a millimetre more."""
    spot = {"name": "spot", "walls": ["BELOW"], "at": [-352.0 - 3.0 - beside, -300.0, -540.0], "standoff": 15.0}
    told = [look.found for look in planned(quiet, plan(measure=[spot])).all_looks]
    near = [found for found in told if "clamp" in found]
    assert near == (["Beside spot the ball is 1.50 mm from the clamp of SP-2"] if beside < 2 else [])


def test_those_with_one_clear_height_stay_together(job):
    names = [f.name for f in job.setup.features if not f.of][:6]
    high = job.setup.clear_height + 30
    sections = [{"feature": name, **({"clear": high} if n % 2 else {})} for n, name in enumerate(names)]
    made = plan(*names, order="shortest").model_copy(update={"measure": plan(measure=sections).measure})
    heights = [m.clear_z for m in planned(job, made).measurements]
    assert len(list(itertools.groupby(heights))) == 2


def test_a_plan_is_proved_on_many_parts_or_says_what_went_wrong(job):
    names = job.rows.needed(job.setup.row("G54"))
    made = planned(job, plan(*names, offset="G54"))
    program = program_of(job, made)
    outcome = prove(job, made, program, 8)
    assert outcome.proved
    assert outcome.right == 8
    assert outcome.worst < 0.005
    assert 0.3 < outcome.longest_search <= 1.0
    assert outcome.digest == program.digest
    assert 0.5 < outcome.closest["stylus stem"].distance <= 1.0 + 0.006  # ball and stem: 3 and 2 mm, less the lean
    assert not job.measured
    with pytest.raises(BriskAnchorError):
        program_of(job, planned(job, plan(names[0], offset="G54")))


def test_parts_within_the_stated_uncertainty_lie_within_it_and_those_beyond_are_stopped(job):
    """The places a proof draws: never further off than is stated, and near enough to the limit to be a test of it."""
    made = planned(job, plan("seat", "left", "front"))
    prover = proving.Prover(proving.Case.of(job, made, program_of(job, made)))
    far = []
    for part in range(1, 40):
        body = next(body for body in prover.scene(part).file.body if body.name == "BC-27")
        real, nominal = real_frame(body), nominal_frame(body)
        for name in ("seat", "left", "front"):
            place = job.setup.drawn(name).machine
            off = max(abs(a - b) for a, b in zip(real.point(nominal.inverse().point(place)), place, strict=True))
            far.append(off)
            assert off <= job.setup.start_uncertainty + 1e-9
        assert abs(body.real.turn[2]) <= job.setup.turn_uncertainty
    assert max(far) > 0.7 * job.setup.start_uncertainty
    beyond = prove(job, made, program_of(job, made), 20, beyond=4.0)
    assert beyond.stopped
    assert not beyond.of("crashed")


def test_many_parts_are_worked_on_by_several_processes_with_the_same_result(job, monkeypatch):
    made = planned(job, plan("seat"))
    program = program_of(job, made)
    together = prove(job, made, program, proving.FEW)
    monkeypatch.setattr(proving.os, "cpu_count", lambda: 1)
    alone = prove(job, made, program, proving.FEW)
    assert [ending.part for ending in together.endings] == list(range(proving.FEW))
    assert together.endings == alone.endings
    seen = []
    halted = prove(job, made, program, 10, told=lambda outcome: seen.append(1) or len(seen) < 3)
    assert len(halted.endings) == 3
    assert not halted.proved


def test_a_search_that_could_miss_a_sound_part_is_never_written(job):
    """Cut to the nominal wall, it would meet nothing on half of the parts."""
    reach = planned(job, plan("seat")).measurements[0].nominal_reach
    short = planned(job, plan("seat", search=reach + 0.05))
    assert short.steps[0].looks[0].stops
    with pytest.raises(BriskAnchorError):
        program_of(job, short)


def test_plans_from_the_command_line(tmp_path):
    file = str(tmp_path / "p.toml")

    def run(*words, code=0):
        result = CliRunner().invoke(app, ["plan", *words])
        assert result.exit_code == code, result.output
        return result.output

    run("new", file)
    assert "4 touches" in run("check", file)
    assert "not proved" in run("code", file, "--out", str(tmp_path / "p.nc"))
    assert "BRISK" in (tmp_path / "p.nc").read_text()
    assert "PROVED" in run("prove", file, "--variations", "6")
    assert "proved on 6 parts" in run("code", file, "--out", str(tmp_path / "p.nc"))
    drawn = run("draw", file, "--out", str(tmp_path))
    assert drawn.count("Written") == 4
    assert (tmp_path / "path-p.svg").read_text().count("<path") > 20
    (tmp_path / "p.toml").write_text((tmp_path / "p.toml").read_text() + "search = 11.5\n")
    assert "another" in run("code", file, "--out", str(tmp_path / "p.nc"))  # the proof is of the text before
    (tmp_path / "p.toml").write_text(plan_text(plan_of_features("x", None, ["bore"])) + "search = 5.0\n")
    assert "The search ends" in run("check", file, code=2)
    assert isinstance(CliRunner().invoke(app, ["plan", "new", file]).exception, BriskAnchorError)
    in_inch = str(tmp_path / "inch.plan.toml")
    CliRunner().invoke(app, ["--show", "inch", "plan", "new", in_inch])
    assert 'units = "inch"' in Path(in_inch).read_text()


def test_a_file_in_the_folder_of_a_job_is_for_that_job_and_the_demo_is_said(tmp_path):
    new_job(tmp_path / "own")
    own = [str(tmp_path / "own" / "p.plan.toml"), str(tmp_path / "own" / "cut.nc")]
    elsewhere = str(tmp_path / "p.plan.toml")

    def run(*words):
        result = CliRunner().invoke(app, words)
        assert result.exit_code == 0, result.output
        return result.stdout, result.stderr

    assert run("plan", "new", own[0])[1] == ""
    assert "seat" in Path(own[0]).read_text()  # of BC-27; the demo has none
    assert run("plan", "code", own[0], "--out", str(tmp_path / "p.nc"))[1] == ""
    shutil.copy(demo_cutting(tmp_path), own[1])
    assert run("weave", own[1], "--after", "1", "--measure", "seat", "--out", str(tmp_path / "w.nc"))[1] == ""
    elsewhere_cut = str(shutil.copy(own[1], tmp_path / "cut.nc"))
    woven = ["weave", elsewhere_cut, "--after", "1", "--out", str(tmp_path / "w2.nc")]
    assert run(*woven, "--plan", own[0])[1] == ""  # the plan lies with the job, the program does not
    assert run("book", "export", str(tmp_path / "own" / "table.csv"))[1] == ""
    assert run("plan", "new", elsewhere)[1] == "No --job was given: this is the demo, GL-114.\n"
    assert "this is the demo" in run("book", "show", "G54")[1]


@pytest.mark.parametrize(
    ("part", "method", "off", "words"),
    [(OffsetSolver, "true_offset", 0.05, "from the truth"), (Run, "table_values", 0.01, "The control has")],
)
def test_a_program_that_ends_wrong_is_not_proved(job, monkeypatch, part, method, off, words):
    """The truth moved away, or the control's table: both must be seen, whatever the touches say."""
    made = planned(job, plan(*job.rows.needed(job.setup.row("G54")), offset="G54"))
    real = getattr(part, method)
    monkeypatch.setattr(part, method, lambda self, *a: {k: v + off for k, v in real(self, *a).items()})
    outcome = prove(job, made, program_of(job, made), 2)
    assert not outcome.proved
    assert len(outcome.of("wrong")) == 2
    assert words in outcome.of("wrong")[0].words


SECONDS = st.floats(0.1, 9.0)


def table_of(count):
    """Seconds from each place to each, and two columns more."""
    return st.lists(st.lists(SECONDS, min_size=count + 2, max_size=count + 2), min_size=count, max_size=count)


@given(st.integers(1, 6).flatmap(table_of))
def test_no_change_of_an_improved_order_makes_it_shorter(table):
    """Costs of any kind, not the same both ways; what a change gains is held against the whole length."""
    count = len(table)
    between = [row[:count] for row in table]
    legs = Legs(between, list(zip(*between, strict=True)), [row[count] for row in table], [row[-1] for row in table])
    for first in range(count):
        near = legs.nearest_from(first)
        assert sorted(near) == list(range(count))
        ahead, back = legs._sums(near)
        for i, j in itertools.combinations(range(count), 2):
            piece = near[i : j + 1]
            for gain, other in zip(
                legs._gains(near, ahead, back, i, j), (piece[::-1], [*piece[1:], piece[0]]), strict=True
            ):
                whole = legs.length([*near[:i], *other, *near[j + 1 :]])
                assert gain == pytest.approx(legs.length(near) - whole, abs=1e-9)
        better = legs.improved(near)
        assert sorted(better) == list(range(count))
        assert legs.length(better) <= legs.length(near) + 1e-9
        assert (
            max(
                (
                    g
                    for i, j in itertools.combinations(range(count), 2)
                    for g in legs._gains(better, *legs._sums(better), i, j)
                ),
                default=0.0,
            )
            <= 1e-9
        )


def test_three_hundred_places_are_ordered_too(job):
    """Each pair of places is asked for once: minutes went by with sixty when every order was added up anew."""
    asked = []
    one = planned(job, plan(*job.rows.needed(job.setup.row("G54")), offset="G54")).measurements[0]
    spots = [replace(one, start=(one.start[0] + 7.0 * (n * 37 % 300), one.start[1], one.start[2])) for n in range(300)]
    found = shortest(spots, job.setup.machine, lambda m: (asked.append(1), m)[1])
    assert sorted(m.start[0] for m in found) in ([m.start[0] for m in found], [m.start[0] for m in found][::-1])
    assert len(asked) < 2000
