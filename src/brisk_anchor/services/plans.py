"""Measuring programs from a plan: what is proposed and why, in which order, as code, proved on many parts."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from itertools import pairwise

from brisk_anchor.core.checks import Look
from brisk_anchor.core.errors import BriskAnchorError, CrashError, Finding, PlanError, PlanFileError
from brisk_anchor.core.measuring import Measurement
from brisk_anchor.core.rules import FromFeature, Keep
from brisk_anchor.core.solving import solve
from brisk_anchor.nc.plan import plan_steps
from brisk_anchor.nc.program import Program
from brisk_anchor.nc.reports import parse_reports, touches_of
from brisk_anchor.nc.steps import TouchStep
from brisk_anchor.nc.writer import write_program
from brisk_anchor.services.asking import build_measurement, point_at
from brisk_anchor.services.described import Measured
from brisk_anchor.services.plan_file import MeasureSection, PlanFile
from brisk_anchor.services.workshop import SecondLookError, Workshop
from brisk_anchor.standin.scene import build_scene

MOST_VARIATIONS = 2000
SURE = 5.0
"""A value further from the truth than so many of its standard uncertainties is no right one."""
_FIGURES = ("depth", "search", "spread", "second_depth", "repeats")
_WHY = {
    "depth": "from the drawing, the ball's widest part below the edge",
    "search": "to the nominal wall and on by the stated uncertainty of the start",
    "spread": "from the drawing",
    "second_depth": "from the drawing",
    "repeats": "once, unless more is stated",
}


@dataclass(frozen=True, slots=True)
class Step:
    """One measurement of a plan, with each of its figures and why it is that."""

    measurement: Measurement
    figures: tuple[tuple[str, float, str], ...]
    looks: tuple[Look, ...]


@dataclass(slots=True)
class Outcome:
    """What became of a plan on many parts: how many ended right, which alarms ended others, crashes, the worst."""

    right: int = 0
    stopped: Counter[str] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)
    crashed: list[str] = field(default_factory=list)
    worst: float = 0.0
    """Largest distance of a value from the truth along an axis, mm, of those that ended right."""
    longest_search: float = 0.0
    """Largest share of a search distance that was used, 0 to 1."""
    seconds: float = 0.0
    """Machine time of one run that ended right."""

    @property
    def proved(self) -> bool:
        """Whether every part ended right or stopped safely, and not all of them stopped."""
        return bool(self.right) and not self.wrong and not self.crashed


def steps_of(workshop: Workshop, plan: PlanFile) -> list[Step]:
    """The enabled measurements of a plan in its order.

    Raises:
        PlanFileError: a feature that is not drawn, or cannot be touched. PlanError: a figure that makes no sense.
    """
    drawn = {feature.name: feature for feature in workshop.setup.features}
    findings = []
    for number, section in enumerate(plan.measure):
        if section.feature not in drawn:
            findings.append(Finding(f"measure.{number}", f"nothing called “{section.feature}” is drawn"))
        elif drawn[section.feature].of:
            findings.append(Finding(f"measure.{number}", f"{section.feature} is built from others and never touched"))
    names = [section.feature for section in plan.measure if section.enabled]
    findings += [Finding("measure", f"{n} is measured twice") for n in sorted({n for n in names if names.count(n) > 1})]
    if not names:
        findings.append(Finding("measure", "nothing is enabled"))
    if plan.offset is not None and all(row.row != plan.offset for row in workshop.setup.rows):
        findings.append(Finding("offset", f"the job has no {plan.offset}"))
    if findings:
        raise PlanFileError(plan.name, tuple(findings))
    steps = [_step(workshop, section) for section in plan.measure if section.enabled]
    return shortest(steps) if plan.order == "shortest" else steps


def _step(workshop: Workshop, section: MeasureSection) -> Step:
    asking = point_at(workshop.setup, workshop.setup.drawn(section.feature))
    for name, value in section.figures.items():
        asking = asking.with_figure(name, value)
    measurement = build_measurement(workshop.setup, asking)
    figures = tuple(
        (name, float(getattr(measurement, name)), "stated" if name in section.figures else _WHY[name])
        for name in _FIGURES
        if getattr(measurement, name)
    )
    return Step(measurement, figures, tuple(workshop.look(measurement)))


def way(steps: Sequence[Step]) -> float:
    """How far the tip goes over the part from feature to feature, mm."""
    places = [step.measurement.start[:2] for step in steps]
    return sum(math.dist(a, b) for a, b in pairwise(places))


def shortest(steps: Sequence[Step]) -> list[Step]:
    """The same in an order with a short way: the nearest next from each beginning, then turned pieces while that helps.

    All share one clear height, so any order is as safe as another.
    """
    best = list(steps)
    for first in steps:
        left, order = [step for step in steps if step is not first], [first]
        while left:
            here = order[-1].measurement.start[:2]
            order.append(min(left, key=lambda step: math.dist(here, step.measurement.start[:2])))
            left.remove(order[-1])
        better = True
        while better:
            better = False
            for i in range(len(order) - 1):
                for j in range(i + 1, len(order)):
                    turned = order[:i] + order[i : j + 1][::-1] + order[j + 1 :]
                    if way(turned) < way(order) - 1e-9:
                        order, better = turned, True
        best = order if way(order) < way(best) - 1e-9 else best
    return best


def program_of(workshop: Workshop, plan: PlanFile, steps: Sequence[Step]) -> Program:
    """The program of a plan.

    Raises:
        SecondLookError: a finding stops. PlanError: it cannot be written, or what its offset needs is not measured.
    """
    looks = [look for step in steps for look in step.looks]
    if any(look.stops for look in looks):
        raise SecondLookError(looks)
    store, number = None, workshop.first_number + 50
    if plan.offset is not None:
        store = workshop.store_plan(plan.offset, workshop.setup.row(plan.offset).rules)
    measurements = [step.measurement for step in steps]
    return write_program(workshop.plan_of(number, plan.name, measurements, store), workshop.profile)


def prove(workshop: Workshop, plan: PlanFile, steps: Sequence[Step], variations: int) -> Outcome:
    """Run the program on the stand-in as set up, and on real-life parts drawn from the stated variation.

    Raises:
        PlanError, SecondLookError: it cannot be written.
    """
    program = program_of(workshop, plan, steps)
    written = workshop.plan_of(program.number, plan.name, [step.measurement for step in steps], None)
    searches = [step.distance for step in plan_steps(written) if isinstance(step, TouchStep)]
    outcome = Outcome()
    rolls = [0] if workshop.description is None else range(min(variations, MOST_VARIATIONS))
    for roll in rolls:
        scene = workshop.scene if workshop.description is None else build_scene(workshop.description.job.scene(roll))
        one = Workshop(scene, None, workshop.profile, seed=roll + 1)
        _run(one, plan, steps, program, searches, outcome, f"part {roll}")
    return outcome


def _run(
    workshop: Workshop,
    plan: PlanFile,
    steps: Sequence[Step],
    program: Program,
    searches: Sequence[float],
    outcome: Outcome,
    part: str,
) -> None:
    run = workshop.start(program)
    run.to_end()
    failure = run.failure()
    if isinstance(failure, CrashError):
        outcome.crashed.append(f"{part}: {failure.one_line()}")
        return
    if failure is not None:
        outcome.stopped[failure.what] += 1
        return
    try:
        error = _error(workshop, plan, steps, run.printed)
    except BriskAnchorError as problem:
        outcome.wrong.append(f"{part}: {problem.one_line()}")
        return
    outcome.right += 1
    outcome.worst = max(outcome.worst, error)
    outcome.longest_search = max(outcome.longest_search, _longest(workshop, searches))
    outcome.seconds = run.machine.seconds


def _longest(workshop: Workshop, searches: Sequence[float]) -> float:
    """The largest share of its search distance that a touch needed; each touches twice, first the search."""
    met = [m for m in workshop.machine.motions if m.kind.value == "skip" and m.contact is not None]
    return max(math.dist(m.start, m.end) / search for m, search in zip(met[::2], searches, strict=True))


def _error(workshop: Workshop, plan: PlanFile, steps: Sequence[Step], printed: Sequence[str]) -> float:
    """How far the row the program has set lies from the truth, mm; 0 where it sets none or the truth is not known.

    Raises:
        PlanError: the control's figures and ours differ, or a value is further from the truth than its ± explains.
        BriskAnchorError: the report is incomplete, or its touches define nothing.
    """
    report = parse_reports(printed)
    measurements = [step.measurement for step in steps]
    labels = [f"{m.name} {n}" for m in measurements for n in range(1, m.touch_count + 1)]
    touches = touches_of(report, measurements[0].stylus, labels)
    for m in measurements:
        own, touches = tuple(touches[: m.touch_count]), touches[m.touch_count :]
        feature = solve(m.name, m.kind, own, diameter=m.size if m.known_size else None)
        workshop.measured[m.name] = Measured(m, feature, (), datetime.now(UTC), workshop.clamping)
    if plan.offset is None:
        return 0.0
    rules, held = workshop.setup.row(plan.offset).rules, workshop.table_values(plan.offset)
    chain = workshop.chain(plan.offset)
    if chain is None:
        raise PlanError(f"{plan.offset} cannot be worked out from the touches", "", "Look at its rules")
    step = 2 * workshop.profile.resolution
    for axis in chain.axes:
        if axis.written and abs(held[axis.axis] - axis.value) > step:
            raise PlanError(
                f"The control has {axis.axis.upper()} {held[axis.axis]:+.4f}, not {axis.value:+.4f}", "", ""
            )
    if any(not isinstance(rule, FromFeature | Keep) for rule in rules.values()):
        return 0.0
    errors = {axis: abs(held[axis] - value) for axis, value in workshop.true_offset(plan.offset).items()}
    for name, error in errors.items():
        if error > SURE * chain.axis(name).u + step:
            raise PlanError(f"{name.upper()} is {error:.4f} mm from the truth", "Its ± does not explain that", "")
    return max(errors.values(), default=0.0)
