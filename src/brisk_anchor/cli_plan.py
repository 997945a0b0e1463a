"""`brisk-anchor plan`: measuring programs for whole set-ups from a plan file."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from brisk_anchor.cli_book import JobOption, workshop_of

if TYPE_CHECKING:
    from brisk_anchor.services.plan_file import PlanFile
    from brisk_anchor.services.plans import Step
    from brisk_anchor.services.workshop import Workshop

app = typer.Typer(no_args_is_help=True, help="Plans: what to measure in which order, as code, and proved.")
FileArgument = Annotated[Path, typer.Argument(help="A plan file (TOML).")]


def _opened(file: Path, job: Path | None) -> tuple[Workshop, PlanFile, list[Step]]:
    from brisk_anchor.core.errors import PlanFileError
    from brisk_anchor.services.plan_file import load_plan
    from brisk_anchor.services.plans import steps_of

    try:
        plan = load_plan(file)
        workshop = workshop_of(job)
        return workshop, plan, steps_of(workshop, plan)
    except PlanFileError as error:
        for finding in error.findings:
            typer.echo(str(finding))
        raise


@app.command()
def new(
    file: Annotated[Path, typer.Argument(help="File to write; an existing one is left alone.")],
    row: Annotated[str, typer.Option("--row", help="The offset it sets.")] = "G54",
    job: JobOption = None,
) -> None:
    """A plan that measures what an offset needs."""
    from brisk_anchor.core.errors import BriskAnchorError
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.services.plan_file import plan_text

    workshop = workshop_of(job)
    plan = next((plan for plan in workshop.setup.rows if plan.row == row), None)
    if plan is None or file.exists():
        what = f"The job has no {row}" if plan is None else f"{file} is there already"
        raise BriskAnchorError(what, "Nothing was written", "Choose another")
    text = plan_text(f"{workshop.setup.part} {row}", row, workshop.needed(plan))
    typer.echo(f"Written {write_whole(file, text.encode())}")


@app.command()
def check(file: FileArgument, job: JobOption = None) -> None:
    """Every measurement with its figures and why each is that; what the second look finds. Exit code 2 if it stops."""
    from brisk_anchor.services.plans import way

    _, plan, steps = _opened(file, job)
    typer.echo(
        f"{plan.name}: {len(steps)} measurements, {way(steps):.0f} mm over the part, sets {plan.offset or 'nothing'}"
    )
    stops = False
    for number, step in enumerate(steps, 1):
        typer.echo(f"{number:3}  {step.measurement.title}  {step.measurement.touch_count} touches")
        for name, value, why in step.figures:
            typer.echo(f"     {name.replace('_', ' '):<14}{value:>10.3f}  {why}")
        for look in step.looks:
            stops = stops or look.stops
            typer.echo(f"   {'!' if look.stops else '?'} {look.found}. {look.do}.")
    if stops:
        raise typer.Exit(2)


@app.command()
def code(
    file: FileArgument,
    out: Annotated[Path, typer.Option("--out", help="File for the program.")],
    job: JobOption = None,
) -> None:
    """Write the program of a plan."""
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.services.plans import program_of

    workshop, plan, steps = _opened(file, job)
    program = program_of(workshop, plan, steps)
    touches = sum(step.measurement.touch_count for step in steps)
    lines = program.text.count("\n")
    typer.echo(f"Written {write_whole(out, program.text.encode())}")
    typer.echo(
        f"O{program.number:04d} {program.digest[:12]}: {lines} lines, {touches} touches, {lines / touches:.1f} a touch"
    )


@app.command()
def prove(
    file: FileArgument,
    job: JobOption = None,
    variations: Annotated[int, typer.Option("--variations", min=1, max=2000, help="How many real-life parts.")] = 200,
) -> None:
    """Run the program on many real-life parts. Exit code 4 when one is wrong or the proof fails, 5 for a crash."""
    from brisk_anchor.services.plans import program_of
    from brisk_anchor.services.plans import prove as run

    workshop, plan, steps = _opened(file, job)
    program = program_of(workshop, plan, steps)
    outcome = run(workshop, plan, steps, variations)
    identity = f"O{program.number:04d} {program.digest[:12]}"
    typer.echo(f"{identity}: {outcome.right} ended right, worst {1000 * outcome.worst:.2f} µm off")
    typer.echo(f"longest search used {outcome.longest_search:.0%}; {outcome.seconds:.0f} s of machine time a part")
    for reason, count in outcome.stopped.most_common():
        typer.echo(f"{count} stopped safely: {reason}")
    for words in [*outcome.wrong[:10], *outcome.crashed[:10]]:
        typer.echo(f"! {words}")
    typer.echo("PROVED" if outcome.proved else "NOT PROVED")
    if not outcome.proved:
        raise typer.Exit(5 if outcome.crashed else 4)
