"""`brisk-anchor weave`: measurements and tool checks in a cutting program that exists already."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from brisk_anchor.cli.book import JobOption, session_of
from brisk_anchor.cli.saying import say

if TYPE_CHECKING:
    from brisk_anchor.services.insert.weaving import CuttingProgram
    from brisk_anchor.services.plan.plan_file import PlanFile


def weave(
    program: Annotated[Path, typer.Argument(help="A cutting program.")],
    after: Annotated[list[int] | None, typer.Option("--after", help="Number of an operation; may be repeated.")] = None,
    measure: Annotated[list[str] | None, typer.Option("--measure", help="A feature of the drawing to measure.")] = None,
    keep: Annotated[list[str] | None, typer.Option("--keep", help='A result to keep, as "D #610".')] = None,
    tool: Annotated[int | None, typer.Option("--tool", help="A tool to look at on the setter.")] = None,
    tolerance: Annotated[float | None, typer.Option("--tolerance", help="How far its length may be off, mm.")] = None,
    plan: Annotated[Path | None, typer.Option("--plan", help="A plan file: its measurements and tools.")] = None,
    again: Annotated[int | None, typer.Option("--again", help="Cut again; the variable to count in.")] = None,
    remove: Annotated[str | None, typer.Option("--remove", help='What to take out: its number, or "all".')] = None,
    out: Annotated[Path | None, typer.Option("--out", help="File for the result.")] = None,
    job: JobOption = None,
) -> None:
    """Show a program's tools and operations, put measuring in after them, or take it out again."""
    from brisk_anchor.core.errors import BriskAnchorError
    from brisk_anchor.core.numbers import is_whole
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.services.insert.program_text import read_text
    from brisk_anchor.services.insert.weaving import difference, take_apart, unweave

    text = read_text(program)
    apart = take_apart(text)
    if remove is not None:
        if remove != "all" and not is_whole(remove):
            raise BriskAnchorError(f"“{remove[:20]}” is no number", "Nothing was taken out", "Give a number, or all")
        result = unweave(apart, None if remove == "all" else int(remove))
    elif after:
        result = _put_in(apart, after, _plan(measure, keep, tool, tolerance, plan), again, job, (program, plan))
    else:
        _show(apart)
        return
    for line in difference(text, result, program.name):
        say(line)
    if out is None:
        raise BriskAnchorError("Nothing was written", "The changes are shown above", "Give --out FILE")
    say(f"Written {write_whole(out, result.encode('latin-1'))}")


def _show(apart: CuttingProgram) -> None:
    for operation in apart.operations:
        lines = f"lines {operation.first + 1} to {operation.after}"
        say(f"{operation.number:3}  T{operation.tool:<4} {operation.title:<40} {lines}")
    for woven in apart.woven:
        say(f"put in: {woven.number}  {woven.title}, in {woven.places} places")


def _plan(
    measure: list[str] | None, keep: list[str] | None, tool: int | None, tolerance: float | None, plan: Path | None
) -> PlanFile:
    """What is to be put in, as a plan."""
    from pydantic import ValidationError

    from brisk_anchor.core.errors import BriskAnchorError
    from brisk_anchor.nc.profile.control_profile import findings_of
    from brisk_anchor.services.plan.plan_file import PlanFile, load_plan

    if plan is not None:
        return load_plan(plan)
    if tool is not None and tolerance is None:
        raise BriskAnchorError("How far may the tool be off?", "A check without a limit is none", "Give --tolerance")
    sections: list[dict[str, object]] = [{"feature": name} for name in measure or []]
    if keep and sections:
        sections[-1]["keep"] = keep
    checks = [{"tool": tool, "tolerance": tolerance}] if tool is not None else []
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "WOVEN", "measure": sections, "tool_check": checks}
    try:
        return PlanFile.model_validate(data)
    except ValidationError as error:
        raise BriskAnchorError(
            f"That cannot be put in: {findings_of(error)[0].reason}", "", "Give --measure, --tool or --plan"
        ) from None


def _put_in(
    apart: CuttingProgram,
    after: list[int],
    plan: PlanFile,
    again: int | None,
    job: Path | None,
    files: tuple[Path | None, ...],
) -> str:
    from brisk_anchor.services.insert.weave_proof import cut_as_before
    from brisk_anchor.services.insert.weaving import again_of, weave
    from brisk_anchor.services.plan.planning import planned

    session = session_of(job, *files)
    ready = planned(session, plan)
    result = weave(session, apart, ready, after, again_of(ready, again) if again is not None else None)
    say(cut_as_before(session, apart.text, result))
    return result
