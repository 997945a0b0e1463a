"""Steps to NC text by a control profile. Every line keeps its meaning in plain words for the screen."""

from __future__ import annotations

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.in_inches import in_inches
from brisk_anchor.nc.programs.plan import Plan, plan_steps
from brisk_anchor.nc.programs.program import Program, ProgramLine
from brisk_anchor.nc.programs.steps import Step
from brisk_anchor.nc.programs.turning_plan import TurningPlan, turning_steps
from brisk_anchor.nc.write.macro_writer import MacroWriter
from brisk_anchor.nc.write.parameter_writer import ParameterWriter
from brisk_anchor.nc.write.table_writer import TableWriter
from brisk_anchor.nc.write.text import TextWriter

_WRITERS: dict[str, type[TextWriter]] = {
    "hash-macro": MacroWriter,
    "ngc": ParameterWriter,
    "table": TableWriter,
}


def _in_unit(steps: tuple[Step, ...], profile: Profile) -> tuple[Step, ...]:
    """Steps in the unit of the profile's programs. Raises PlanError: it is not known which figures are lengths."""
    return steps if profile.program.units == "mm" else in_inches(steps, profile.length_power)


def write_program(plan: Plan, profile: Profile) -> Program:
    """Write a plan as NC text for a control. The file needs nothing else on the control.

    Raises:
        PlanError: the plan cannot be written safely for this control. ProfileError: the control lacks a row.
    """
    if plan.measurements and not profile.measures:
        raise PlanError(
            f"A control with the profile {profile.name} cannot probe",
            "No program can measure on it",
            "Measure by hand and let the program set the offset, or choose another profile",
        )
    steps = _in_unit(plan_steps(plan), profile)
    writer = _WRITERS[profile.language](profile)
    notes = writer.notes if plan.measurements or plan.store else ()
    _begin(writer, plan.number, plan.title, [*_head(plan, profile), *notes])
    for step in steps:
        writer.step(step)
    returns = plan.ending == "return"
    writer.end(returns=returns)
    if plan.measurements or plan.tools:
        writer.subprograms()
    return _finished(writer, plan.number, plan.title, plan.identity, returns=returns)


def write_turning(plan: TurningPlan, profile: Profile) -> Program:
    """Write a plan for a lathe as NC text for its control.

    Raises:
        PlanError: the plan cannot be written safely for this control. ProfileError: the control lacks a row.
    """
    steps = _in_unit(turning_steps(plan, profile), profile)
    writer = _WRITERS[profile.language](profile)
    head = [f"BRISK ANCHOR  {plan.date}  FOR {plan.machine}  PROFILE {profile.name}", f"PART {plan.part}"]
    if plan.writes:
        head.append(f"SETS {', '.join(dict.fromkeys(figure.title for figure in plan.writes))}")
    _begin(writer, plan.number, plan.title, [*head, f"{_unit_word(profile)}. NOTHING CUTS IN THIS PROGRAM"])
    for step in steps:
        writer.step(step)
    writer.end()
    return _finished(writer, plan.number, plan.title, plan.identity)


def _begin(writer: TextWriter, number: int, title: str, head: list[str]) -> None:
    """The file's mark, the program's number, comments of the head, and what a shop always writes.

    Raises:
        PlanError: a subprogram of the file has that number.
    """
    form, calls = writer.profile.program, writer.profile.subprograms
    if calls is not None and number in (calls.touch_number, calls.guard_number):
        raise PlanError(
            f"O{number} is the number of a subprogram that the file carries",
            "Two programs of one number cannot stand in a file",
            "Give the program, or subprograms in the profile, another number",
        )
    for mark in form.start:
        writer.put(mark, "start of the file")
    writer.put(form.number.format(number=number), f"program {number}", note=title, heading=True)
    for line in head:
        writer.put(writer.comment(line), "head")
    for block in form.head:
        writer.put(block, "this shop's own head")


def _finished(writer: TextWriter, number: int, title: str, identity: int, *, returns: bool = False) -> Program:
    """The file's last mark, and the program of it all."""
    for mark in writer.profile.program.end:
        writer.put(mark, "end of the file")
    return Program(number, title, identity, tuple(writer.lines), tuple(writer.results), returns)


def write_block(plan: Plan, profile: Profile) -> tuple[ProgramLine, ...]:
    """The steps of a plan without head, end and subprograms, to stand in another program.

    Raises:
        PlanError: the plan cannot be written safely for this control. ProfileError: the control lacks a row.
    """
    if not profile.measures:
        what = f"A control with the profile {profile.name} cannot probe"
        raise PlanError(what, "Nothing can be put into a program of it", "Choose another profile")
    writer = _WRITERS[profile.language](profile)
    for step in _in_unit(plan_steps(plan), profile):
        writer.step(step)
    writer.close()
    return tuple(writer.lines)


def _head(plan: Plan, profile: Profile) -> list[str]:
    lines = [f"BRISK ANCHOR  {plan.date}  FOR {plan.machine}  PROFILE {profile.name}", f"PART {plan.part}"]
    if not profile.program.number:
        lines[0] += f"  PROGRAM {plan.number}"
    styli: dict[Stylus, None] = dict.fromkeys(measurement.stylus for measurement in plan.measurements)
    more = profile.word_decimals - profile.decimals
    for stylus in styli:
        lines.append(
            f"PROBE T{stylus.tool_number}  BALL {stylus.ball_diameter / profile.unit:.{3 + more}f}"
            f"  EFFECTIVE RADIUS {stylus.effective_radius / profile.unit:.{4 + more}f}"
            f"  LENGTH {stylus.length / profile.unit:.{4 + more}f}"
        )
    lines += [f"MEASURES {measurement.title or measurement.name}" for measurement in plan.measurements]
    if plan.store:
        lines.append(f"SETS {plan.store.row}. ANY OFFSET MAY BE ACTIVE WHEN IT STARTS")
    if plan.measurements:
        lines.append(f"{_unit_word(profile)}. MOVES ARE MACHINE POSITIONS OF THE SPINDLE")
    return lines


def _unit_word(profile: Profile) -> str:
    return "MILLIMETRES" if profile.program.units == "mm" else "INCHES, REPORTS IN MM"
