"""`brisk-anchor plan`: measuring programs for whole set-ups from a plan file."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from brisk_anchor.cli.book import JobOption, session_of
from brisk_anchor.cli.saying import say
from brisk_anchor.core.numbers import counted
from brisk_anchor.core.quantities import dim, num
from brisk_anchor.nc.bounded import is_there

if TYPE_CHECKING:
    from brisk_anchor.services.plan.planning import Planned
    from brisk_anchor.services.plan.proving import Outcome
    from brisk_anchor.services.session.session import Session

app = typer.Typer(no_args_is_help=True, help="Plans: what to measure in which order, as code, proved and drawn.")
FileArgument = Annotated[Path, typer.Argument(help="A plan file (TOML).")]


def opened(file: Path, job: Path | None) -> tuple[Session, Planned]:
    """A plan made ready for a job; every fault of it is told, each on a line."""
    from brisk_anchor.core.errors import PlanFileError
    from brisk_anchor.services.plan.plan_file import load_plan
    from brisk_anchor.services.plan.planning import planned

    try:
        plan = load_plan(file)
        session = session_of(job, file)
        return session, planned(session, plan)
    except PlanFileError as error:
        for finding in error.findings:
            say(str(finding))
        raise


@app.command()
def new(
    file: Annotated[Path, typer.Argument(help="File to write; an existing one is left alone.")],
    row: Annotated[str, typer.Option("--row", help="The offset it sets.")] = "G54",
    job: JobOption = None,
    places: Annotated[
        str | None,
        typer.Option("--places", help="Every row of many places; parts touched beside: base, face, all, or names."),
    ] = None,
    by: Annotated[str, typer.Option("--by", help="part (all of one, then the next) or feature.")] = "part",
    seat: Annotated[str, typer.Option("--seat", help="A feature that is touched on every part.")] = "",
) -> None:
    """A plan that measures what an offset needs; with --places what all offsets of a fixture need."""
    from brisk_anchor.core.errors import BriskAnchorError
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.services.plan.plan_file import plan_of_features, plan_text

    session = session_of(job, file)
    if places is not None:
        from brisk_anchor.services.plan.face_plans import plan_of_places

        if by not in ("part", "feature") or is_there(file):
            what = (
                f"{file} is there already" if is_there(file) else f"A plan goes by part or by feature, not by {by[:20]}"
            )
            raise BriskAnchorError(what, "Nothing was written", "Choose another")
        made = plan_of_places(session.setup, places, by=by, seat=seat)
        say(f"Written {write_whole(file, plan_text(made).encode())}")
        return
    plan = next((plan for plan in session.setup.rows if plan.row == row), None)
    if plan is None or is_there(file):
        what = f"The job has no {row}" if plan is None else f"{file} is there already"
        raise BriskAnchorError(what, "Nothing was written", "Choose another")
    if not (needed := session.rows.needed(plan)):
        parent = session.rows.parent_of(row)
        what = f"{row} follows {parent}" if parent else f"{row} needs no feature"
        raise BriskAnchorError(what, "Nothing is measured for it", f"Plan {parent}" if parent else "Plan another row")
    text = plan_text(plan_of_features(f"{session.setup.part} {row}", row, needed))
    say(f"Written {write_whole(file, text.encode())}: it measures {', '.join(needed)} and sets {row}")


@app.command()
def check(file: FileArgument, job: JobOption = None) -> None:
    """Every measurement with its figures and why each is that; what the second look finds. Exit code 2 if it stops."""
    from brisk_anchor.services.plan.ordering import way
    from brisk_anchor.services.plan.planning import rows_set

    _, ready = opened(file, job)
    sets = ", ".join(rows_set(ready.plan)) or "nothing"
    over = f"{dim(way(ready.measurements), 0)} over the part"
    measured = counted(len(ready.steps), "measurement", "measurements")
    touched = counted(ready.touch_count, "touch", "touches")
    say(f"{ready.plan.name}: {measured}, {touched}, {over}, sets {sets}")
    for tool in ready.tools:
        say(f"     T{tool.number} {tool.name} must be within {dim(tool.tolerance)} of its length, else {tool.on_fail}")
    for number, step in enumerate(ready.steps, 1):
        table = "".join(f"  table {letter} {num(angle)}" for letter, angle in step.measurement.options.table)
        touched = counted(step.measurement.touch_count, "touch", "touches")
        say(f"{number:3}  {step.measurement.title}{table}  {touched}")
        for figure in step.figures:
            say(f"     {figure.name:<14}{figure.value:>10.3f} {figure.unit:<7}{figure.why}")
        for look in step.looks:
            say(f"   {'!' if look.stops else '?'} {look.found}. {look.do}.")
    for look in ready.looks:
        say(f"{'!' if look.stops else '?'} {look.found}. {look.do}.")
    if any(look.stops for look in ready.all_looks):
        raise typer.Exit(2)


@app.command()
def code(
    file: FileArgument,
    out: Annotated[Path, typer.Option("--out", help="File for the program.")],
    job: JobOption = None,
) -> None:
    """Write the program of a plan, and say whether that text is proved."""
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.services.plan.plan_proof import read_proof
    from brisk_anchor.services.plan.planning import program_of
    from brisk_anchor.services.plan.proof_basis import basis_of

    session, ready = opened(file, job)
    program = program_of(session, ready)
    proof = read_proof(file)
    say(f"Written {write_whole(out, program.text.encode())}")
    say(f"{program.label} {program.digest[:12]}: {counts(program.text, ready.touch_count)}")
    basis = basis_of(session, program.digest, ready.plan)
    say(proof.words(basis) if proof is not None else "not proved: brisk-anchor plan prove")


def counts(text: str, touches: int) -> str:
    """How long a program is, in words."""
    lines = text.count("\n")
    return f"{lines} lines, {counted(touches, 'touch', 'touches')}, {num(lines / max(1, touches), 1)} lines a touch"


@app.command()
def prove(
    file: FileArgument,
    job: JobOption = None,
    variations: Annotated[int, typer.Option("--variations", min=1, max=5000, help="How many real-life parts.")] = 200,
    beyond: Annotated[
        float, typer.Option("--beyond", min=0.0, max=10.0, help="How many times the stated uncertainty they lie off.")
    ] = 1.0,
) -> None:
    """Run the program on many real-life parts. Exit code 4 when one is wrong or the proof fails, 5 for a crash."""
    from brisk_anchor.services.plan.plan_proof import PlanProof, keep_proof
    from brisk_anchor.services.plan.planning import program_of
    from brisk_anchor.services.plan.proof_basis import basis_of
    from brisk_anchor.services.plan.proving import prove as run
    from brisk_anchor.services.plan.proving import rehearse, summary

    session, ready = opened(file, job)
    program = program_of(session, ready)
    outcome = run(session, ready, program, variations, beyond=beyond)
    say(f"{program.label} {program.digest[:12]}: {counts(program.text, ready.touch_count)}")
    for line in summary(outcome):
        say(line)
    times = rehearse(session, ready)[2]
    if times is not None:
        where = ", ".join(f"{words} {num(seconds, 0)} s" for words, seconds in times.shares() if seconds)
        least = f"{times.over:.1%} more than the {num(times.least, 0)} s that the same touches take at the least"
        say(f"{num(times.total, 0)} s: {where}; {least}")
    if beyond == 1.0:
        say(f"Kept in {keep_proof(file, PlanProof.of(outcome, basis_of(session, program.digest, ready.plan)))}")
    _verdict(outcome)


def _verdict(outcome: Outcome) -> None:
    say("PROVED" if outcome.proved else "NOT PROVED")
    if not outcome.proved:
        raise typer.Exit(5 if outcome.of("crashed") else 4)


@app.command()
def draw(
    file: FileArgument,
    out: Annotated[Path, typer.Option("--out", help="Folder for the drawings.")],
    job: JobOption = None,
    paper: Annotated[str, typer.Option("--paper", help="a4 or letter.")] = "a4",
) -> None:
    """The path of the program and the plan's sheet, as SVG and PDF."""
    from brisk_anchor.services.plan.plan_sheets import write_plan_sheets

    session, ready = opened(file, job)
    for path in write_plan_sheets(session, ready, file, out, paper):
        say(f"Written {path}")
