"""Plans: files with faults, what is proposed and why, the shortest way, and programs proved on many real-life parts."""

from __future__ import annotations

import itertools

import pytest
from typer.testing import CliRunner

from brisk_anchor.cli import app
from brisk_anchor.core.errors import BriskAnchorError, PlanFileError
from brisk_anchor.services.jobs import new_job, open_job
from brisk_anchor.services.plan_file import PlanFile, load_plan, plan_text
from brisk_anchor.services.plans import program_of, prove, shortest, steps_of, way
from brisk_anchor.services.workshop import Workshop


def plan(*features, offset=None, order="as listed", **figures):
    measure = [{"feature": name, **figures} for name in features]
    return PlanFile(form="brisk-anchor-plan-1", units="mm", name="p", offset=offset, order=order, measure=measure)


@pytest.fixture
def job(tmp_path):
    new_job(tmp_path / "job")
    workshop = open_job(tmp_path / "job", tmp_path / "data", roll=0)
    yield workshop
    workshop.book.close()


def test_a_plan_is_read_in_its_unit_and_proposes_the_rest(quiet, tmp_path):
    file = tmp_path / "p.toml"
    file.write_text(plan_text("lever", "G54", ["bore", "top"]).replace('"mm"', '"inch"') + "search = 0.5\n")
    steps = steps_of(quiet, load_plan(file))
    top = {name: (value, why) for name, value, why in steps[1].figures}
    assert top["search"] == (pytest.approx(12.7), "stated")
    bore = {name: (value, why) for name, value, why in steps[0].figures}
    assert bore["depth"][0] == 12.0
    assert "drawing" in bore["depth"][1]


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
        steps_of(quiet, made)


def test_the_shortest_way_is_never_longer_and_the_best_of_a_few(job):
    names = [f.name for f in job.setup.features if not f.of][:6]
    steps = steps_of(job, plan(*names))
    found = shortest(steps)
    assert {s.measurement.name for s in found} == set(names)
    assert way(found) == pytest.approx(min(way(order) for order in itertools.permutations(steps)), rel=0.02)
    assert way(steps_of(job, plan(*names, order="shortest"))) == pytest.approx(way(found))


def test_a_plan_is_proved_on_many_parts_or_says_what_went_wrong(job):
    names = job.needed(job.setup.row("G54"))
    made = plan(*names, offset="G54")
    steps = steps_of(job, made)
    outcome = prove(job, made, steps, 8)
    assert outcome.proved
    assert outcome.right == 8
    assert outcome.worst < 0.005
    assert 0.3 < outcome.longest_search <= 1.0
    assert not job.measured
    with pytest.raises(BriskAnchorError):
        program_of(job, plan(names[0], offset="G54"), steps_of(job, plan(names[0])))


def test_a_search_that_could_miss_a_sound_part_is_never_written(job):
    """Cut to the nominal wall, it would meet nothing on half of the parts."""
    made = plan("seat")
    steps = steps_of(job, made)
    short = steps_of(job, plan("seat", search=steps[0].measurement.nominal_reach + 0.05))
    assert short[0].looks[0].stops
    with pytest.raises(BriskAnchorError):
        prove(job, made, short, 2)


def test_plans_from_the_command_line(tmp_path):
    file = str(tmp_path / "p.toml")

    def run(*words, code=0):
        result = CliRunner().invoke(app, ["plan", *words])
        assert result.exit_code == code, result.output
        return result.output

    run("new", file)
    assert "4 touches" in run("check", file)
    assert "a touch" in run("code", file, "--out", str(tmp_path / "p.nc"))
    assert "BRISK" in (tmp_path / "p.nc").read_text()
    assert "PROVED" in run("prove", file)
    (tmp_path / "p.toml").write_text(plan_text("x", None, ["bore"]) + "search = 5.0\n")
    assert "The search ends" in run("check", file, code=2)
    assert isinstance(CliRunner().invoke(app, ["plan", "new", file]).exception, BriskAnchorError)


@pytest.mark.parametrize(
    ("method", "off", "words"), [("true_offset", 0.05, "from the truth"), ("table_values", 0.01, "The control has")]
)
def test_a_program_that_ends_wrong_is_not_proved(job, monkeypatch, method, off, words):
    """The truth moved away, or the control's table: both must be seen, whatever the touches say."""
    made = plan(*job.needed(job.setup.row("G54")), offset="G54")
    steps = steps_of(job, made)
    real = getattr(Workshop, method)
    monkeypatch.setattr(Workshop, method, lambda self, row: {a: v + off for a, v in real(self, row).items()})
    outcome = prove(job, made, steps, 2)
    assert not outcome.proved
    assert len(outcome.wrong) == 2
    assert words in outcome.wrong[0]
