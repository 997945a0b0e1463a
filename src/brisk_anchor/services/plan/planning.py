"""A plan made ready: its measurements with every figure and why it is that, the rows it sets, the tools it looks at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from brisk_anchor.core.errors import BriskAnchorError, DatumError, Fault, PlanError, PlanFileError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.checks import Finding, SecondLookError, look_at_one_touch
from brisk_anchor.core.offsets.rules import FromFeature, FromHeading, Keep, Rule, parent_in
from brisk_anchor.core.offsets.setup import DrawnFeature, RowPlan, Setup
from brisk_anchor.core.quantities import num
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.judging import NOTHING, Inspecting
from brisk_anchor.nc.programs.plan import LengthCheck, PlaceCheck, Plan, StorePlan
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.measure.approach_adjustment import deepest, over_neighbours, room_behind, stand_off
from brisk_anchor.services.measure.clearance import Clearances
from brisk_anchor.services.measure.datum_rules import axes_of
from brisk_anchor.services.measure.measured_tops import counted_from_tops, tops_first
from brisk_anchor.services.measure.measurement_request import APPROACH, MeasurementRequest, build_measurement, point_at
from brisk_anchor.services.plan.face_plans import look_at_turns, place_check, turned_angles
from brisk_anchor.services.plan.judged import cannot_on, counts_from_table, expected_evidence, inspecting_of, judged_of
from brisk_anchor.services.plan.ordering import shortest
from brisk_anchor.services.plan.plan_file import MeasureSection, PlanFile, SetsSection
from brisk_anchor.services.plan.plan_tools import look_at_tool, tool_check
from brisk_anchor.services.plan.reasons import Figure, figures_of
from brisk_anchor.services.rows.row_programs import WorkedOut
from brisk_anchor.services.rows.row_setting import counted_rule
from brisk_anchor.services.session.session import Session

PLAN_NUMBER = 50
"""The program of a plan that states no number: so many after the job's first."""


@dataclass(frozen=True, slots=True)
class Step:
    """One measurement of a plan, with each of its figures and why it is that."""

    section: MeasureSection
    measurement: Measurement
    figures: tuple[Figure, ...]
    looks: tuple[Finding, ...]

    @property
    def name(self) -> str:
        """What it is known by in the plan."""
        return self.section.known_as


@dataclass(frozen=True, slots=True)
class Planned:
    """A plan in the order it is run. `setup` is the job's, with what was marked away from the drawing, and its rows."""

    plan: PlanFile
    setup: Setup
    steps: tuple[Step, ...]
    stores: tuple[StorePlan, ...]
    tools: tuple[LengthCheck, ...]
    looks: tuple[Finding, ...]
    """What the second look found of the plan as a whole; what it found of a measurement stands with that."""
    checks: tuple[PlaceCheck, ...] = ()
    """Parts whose place is looked at once the rows are written."""
    flags: tuple[tuple[int, int, str], ...] = ()
    """By place the variable that says whether it is empty, and that figure."""
    inspecting: Inspecting = NOTHING
    """What the program judges and corrects."""

    @property
    def measurements(self) -> tuple[Measurement, ...]:
        """What is measured, in order."""
        return tuple(step.measurement for step in self.steps)

    @property
    def all_looks(self) -> list[Finding]:
        """Everything the second look found."""
        return [*self.looks, *(look for step in self.steps for look in step.looks)]

    @property
    def touch_count(self) -> int:
        """Touches of a run, those on the tool setter counted in."""
        return len(self.tools) + sum(m.touch_count for m in self.measurements)


def planned(session: Session, plan: PlanFile) -> Planned:
    """Make a plan ready for the job as it stands.

    Raises:
        PlanFileError: something in it does not go with the job. PlanError: a figure that makes no sense, or is missing;
            there is nothing in it.
    """
    if not plan.measure and not plan.tool_check:
        raise PlanError(
            "Nothing is planned yet",
            "There is no program yet",
            "⟨plan:a⟩ adds a drawn feature, ⟨bench:L⟩ what is marked on the bench",
        )
    _check(session, plan)
    setup = _with_rows(_with_marked(session.setup, plan), plan, session.profile)
    trial = session.trial(setup)
    sections = [section for section in plan.measure if section.enabled]
    neighbours = Clearances(session.scene, (section.feature or "" for section in sections))
    made = [
        (section, _measurement(setup, plan, section, neighbours, table))
        for section, table in zip(sections, _tables_of(session, sections), strict=True)
    ]
    if plan.order == "shortest":
        made = tops_first(setup, shortest(made, setup.machine, lambda one: one[1]), lambda one: one[1])
    measurements = [deepest(m, neighbours) for m in counted_from_tops(setup, [m for _, m in made])]
    steps = [
        _step(trial, session.profile, section, measurement, neighbours)
        for (section, _), measurement in zip(made, measurements, strict=True)
    ]
    looks = [
        *_rows_may_change(session, plan),
        *_left_behind(setup, rows_set(plan)),
        *neighbours.look_across([s.measurement for s in steps]),
        *_beyond(session.profile, plan, steps),
    ]
    tools = []
    for section in (section for section in plan.tool_check if section.enabled):
        tools.append(tool_check(session, section, call=True))
        looks += look_at_tool(session, section)
    steps = turned_shortest(setup, plan.turning, steps)
    looks += look_at_turns(setup, session.scene, [s.measurement for s in steps])
    stores = [trial.programs.store_plan(row, setup.row(row).rules) for row in parents_first(setup, rows_set(plan))]
    checks = tuple(check for step in steps if (check := place_check(setup, step.section)) is not None)
    flags = tuple((place.flag, int(place.empty), place.name) for place in setup.places if place.flag is not None)
    ready = Planned(plan, setup, tuple(steps), tuple(stores), tuple(tools), tuple(looks), checks, flags)
    return _with_judging(session, ready) if plan.judge else ready


def _with_judging(session: Session, ready: Planned) -> Planned:
    """The same with what its program judges: by how well a run as described says that each will be known."""
    judged = judged_of(ready.setup, ready.plan.judge, session.profile)
    told = cannot_on(session.profile, judged, {step.name for step in ready.steps})
    why = "The program could not do it"
    looks = [Finding.stopping(words, why, "Change the judgement, or leave it out") for words in told]
    if looks or any(look.stops for look in ready.all_looks):
        return replace(ready, looks=(*ready.looks, *looks))
    meaning = "That is right in the clamping it was cut in, and in no other"
    kept = [
        Finding.warning(words, meaning, "Let the plan set that row, or inspect before the part is taken out")
        for words in counts_from_table(judged, rows_set(ready.plan))
    ]
    ready = replace(ready, looks=(*ready.looks, *kept))
    rows = {asked.characteristic.row for _, asked in judged if asked.characteristic.row}
    program = program_of(session, replace(ready, tools=()))
    evidence = expected_evidence(session, ready.setup, ready.measurements, program, rows)
    return replace(ready, inspecting=inspecting_of(judged, evidence))


def program_of(session: Session, ready: Planned) -> Program:
    """The program of a plan: the same plan, job and profile give the same text, so a proof of it holds.

    Raises:
        SecondLookError: a finding stops. PlanError: it cannot be written, or what an offset needs is not measured.
    """
    if any(look.stops for look in ready.all_looks):
        raise SecondLookError(ready.all_looks)
    return write_program(nc_plan(session, ready), session.profile)


def nc_plan(session: Session, ready: Planned) -> Plan:
    """The plan as it is written; it carries no date."""
    plan = ready.plan
    number = plan.number if plan.number is not None else session.heads.first_number + PLAN_NUMBER
    first, *also = ready.stores or (None,)
    made = session.heads.plan_of(number, plan.name, ready.measurements, first)
    return replace(
        made,
        date="",
        also=tuple(store for store in also if store is not None),
        tools=ready.tools,
        probe_each=plan.probe == "each",
        call_probe=plan.call_probe,
        checks=ready.checks,
        flags=tuple((variable, value, f"1 where place {name} is empty") for variable, value, name in ready.flags),
        inspecting=ready.inspecting,
        ending=plan.ending,
        z_home=plan.z_home,
    )


def rows_set(plan: PlanFile) -> list[str]:
    """The rows a plan sets, each once, in its order."""
    sets = [section.sets.row for section in plan.measure if section.enabled and section.sets is not None]
    return list(dict.fromkeys([*([plan.offset] if plan.offset else []), *plan.also, *sets]))


def parents_first(setup: Setup, rows: Sequence[str]) -> list[str]:
    """Rows in the order they are written: what follows another row comes after it, and takes what this run found."""
    order: list[str] = []

    def add(row: str) -> None:
        for parent in _parents(setup, row):
            if parent in rows and parent not in order:
                add(parent)
        if row not in order:
            order.append(row)

    for row in rows:
        add(row)
    return order


def _parents(setup: Setup, row: str) -> list[str]:
    known = next((plan for plan in setup.rows if plan.row == row), None)
    named = (parent_in(rule) for rule in known.rules.values()) if known is not None else ()
    return [parent for parent in dict.fromkeys(named) if parent and parent != row]


def _left_behind(setup: Setup, rows: Sequence[str]) -> list[Finding]:
    """Rows that follow one this plan sets, and that it does not set itself."""
    return [
        Finding.warning(
            f"{child.row} follows {parent}, which this plan sets, and is not set by it",
            f"After the run {child.row} still holds what followed from the old {parent}",
            f"Let the plan set {child.row} too, or write it afterwards from the book",
        )
        for child in setup.rows
        if child.row not in rows
        for parent in _parents(setup, child.row)
        if parent in rows
    ]


def turned_shortest(setup: Setup, way: str, steps: list[Step]) -> list[Step]:
    """The steps with the angles of tables without limits as the table is to turn from one to the next."""
    tables = turned_angles(setup.machine.rotary, way, [step.measurement.options.table for step in steps])
    return [
        replace(step, measurement=replace(m, options=replace(m.options, table=table)))
        if (m := step.measurement).options.table != table
        else step
        for step, table in zip(steps, tables, strict=True)
    ]


# -- checking --------------------------------------------------------------------------------------------------


def _check(session: Session, plan: PlanFile) -> None:
    """Raises PlanFileError with everything that does not go with the job."""
    setup = session.setup
    drawn = {feature.name: feature for feature in setup.features}
    findings = []
    for number, section in enumerate(plan.measure):
        place = f"measure.{number}"
        if section.feature is not None and section.feature not in drawn:
            findings.append(Fault(place, f"nothing called “{section.feature}” is drawn"))
        elif section.feature is not None and drawn[section.feature].of:
            findings.append(Fault(place, f"{section.feature} is built from others and never touched"))
        findings += [Fault(f"{place}.table", words) for words in _wrong_table(session, section)]
        if section.sets is not None:
            findings += [Fault(f"{place}.sets", words) for words in _wrong_row(session, section.sets.row)]
    active = [section for section in plan.measure if section.enabled]
    names = [section.known_as for section in active]
    findings += [Fault("measure", f"{n} is measured twice") for n in sorted({n for n in names if names.count(n) > 1})]
    if not active and not any(check.enabled for check in plan.tool_check):
        findings.append(Fault("measure", "nothing is enabled"))
    if plan.offset is not None:
        if all(row.row != plan.offset for row in setup.rows):
            findings.append(Fault("offset", f"the job has no {plan.offset}"))
        if any(section.sets is not None and section.sets.row == plan.offset for section in active):
            findings.append(Fault("offset", f"{plan.offset} is set by the job's own rules and by a measurement too"))
    findings += [Fault("also", f"the job has no {row}") for row in plan.also if not setup.plans(row)]
    findings += _set_twice(active)
    kept = [number for section in active for _, number in section.kept]
    findings += [Fault("measure", f"#{n} keeps two results") for n in sorted({n for n in kept if kept.count(n) > 1})]
    tools = [check.tool for check in plan.tool_check]
    findings += [Fault("tool_check", f"T{n} stands twice") for n in sorted({n for n in tools if tools.count(n) > 1})]
    if findings:
        raise PlanFileError(plan.name, tuple(findings))


def _wrong_table(session: Session, section: MeasureSection) -> list[str]:
    axes = {axis.letter: axis for axis in session.setup.machine.rotary}
    found = [f"the machine has no rotary axis {letter}" for letter in section.table if letter not in axes]
    found += [
        why for letter, angle in section.table.items() if letter in axes and (why := axes[letter].why_not_at(angle))
    ]
    drawn = next((feature for feature in session.setup.features if feature.name == section.feature), None)
    stands = dict(drawn.table) if drawn is not None else {}
    if drawn is not None and any(angle != stands.get(letter, 0.0) for letter, angle in section.table.items()):
        words = " ".join(f"{letter}{num(angle)}" for letter, angle in stands.items()) or "0"
        found.append(
            f"{section.feature} is drawn with the table at {words}: mark what lies before the probe at another angle"
        )
    return found


def _tables_of(session: Session, sections: Sequence[MeasureSection]) -> list[tuple[tuple[str, float], ...]]:
    """Where every rotary axis stands for each measurement; nothing in a plan that turns none."""
    drawn = {feature.name: dict(feature.table) for feature in session.setup.features if feature.table}
    if not any(section.table or section.feature in drawn for section in sections):
        return [()] * len(sections)
    angles: dict[str, float] = {axis.letter: 0.0 for axis in session.setup.machine.rotary}
    return [tuple((angles | drawn.get(one.feature or "", {}) | dict(one.table)).items()) for one in sections]


def _wrong_row(session: Session, row: str) -> list[str]:
    if row not in session.profile.all_rows or row == session.profile.common_shift:
        return [f"the control has no row {row}"]
    setter = session.setup.shelf.setter
    return [f"{row} is kept for {setter.name}"] if setter is not None and setter.row == row else []


def _set_twice(active: Sequence[MeasureSection]) -> list[Fault]:
    seen: dict[tuple[str, str], str] = {}
    found = []
    for section in active:
        for axis in _axes(section.sets) if section.sets is not None else ():
            row = section.sets.row if section.sets is not None else ""
            if (row, axis) in seen:
                found.append(
                    Fault("measure", f"{row} {axis.upper()} is set by {seen[row, axis]} and {section.known_as}")
                )
            seen[row, axis] = section.known_as
    return found


def _axes(sets: SetsSection) -> list[str]:
    return [axis for axis in ("x", "y", "z", "r") if getattr(sets, axis) is not None]


def _rows_may_change(session: Session, plan: PlanFile) -> list[Finding]:
    looks = []
    for row in rows_set(plan):
        try:
            session.writer.may_change(row)
        except DatumError as error:
            looks.append(Finding.stopping(error.what, error.meaning, error.remedy))
    return looks


def _beyond(profile: Profile, plan: PlanFile, steps: Sequence[Step]) -> list[Finding]:
    """What this plan asks for and a program on this control cannot do."""
    looks = []
    reactions = [(s.name, s.section.on_fail) for s in steps] + [(f"T{c.tool}", c.on_fail) for c in plan.tool_check]
    if (
        profile.measures
        and not profile.speaks.branches
        and (other := [(name, r) for name, r in reactions if r != "alarm"])
    ):
        name, reaction = other[0]
        looks.append(
            Finding.stopping(
                f"{name} is to “{reaction}” when its check fails; a control with the profile {profile.name} cannot",
                "It has no branches: a check can only end the program",
                "Choose alarm",
            )
        )
    if plan.half_turn and not (profile.probing and profile.probing.orient_half):
        looks.append(
            Finding.stopping(
                f"The profile {profile.name} names no half turn of the spindle",
                "The run-out cannot be taken out by it",
                "State probing.orient and probing.orient_half in the profile, or measure without it",
            )
        )
    if not profile.measures and steps:
        looks.append(
            Finding.stopping(
                f"A control with the profile {profile.name} cannot probe", "Nothing is measured by a program", ""
            )
        )
    return looks


# -- the set-up a plan works on --------------------------------------------------------------------------------


def _with_marked(setup: Setup, plan: PlanFile) -> Setup:
    """The set-up with what a plan measures away from the drawing, as if it were drawn."""
    marked = [_marked(setup, section) for section in plan.measure if section.enabled and section.name is not None]
    return replace(setup, features=(*setup.features, *marked)) if marked else setup


def touch_pattern_of(section: MeasureSection) -> TouchPattern:
    """The marks of a measurement that is not drawn."""
    walls = frozenset(Wall[name] for name in section.walls)
    pattern = TouchPattern(walls, over=section.over, round=section.round, twice=section.twice)
    return pattern.with_headings(tuple(section.headings)) if section.headings else pattern


def _marked(setup: Setup, section: MeasureSection) -> DrawnFeature:
    """A feature where the marks say that it is. Raises PlanError: the marks are none."""
    pattern = touch_pattern_of(section)
    reading = pattern.read()
    if (kind := reading.kind) is None or section.at is None:
        raise PlanError(f"{section.name}: the marks say “{reading.name}”", reading.hint, "Mark its walls")
    x, y, z = section.at
    depth, ball = section.depth or 0.0, setup.stylus.ball_diameter
    if kind.is_outside:
        z -= APPROACH + ((section.size or 0.0) / 2 if kind.has_top else 0.0)
    elif pattern.marks == {Wall.BELOW}:
        z -= section.standoff or 0.0
    else:
        z += depth
    if not kind.is_paired and pattern.marks != {Wall.BELOW}:
        away = (section.standoff or 0.0) + (0.0 if kind.is_corner and kind.is_outside else ball / 2)
        x, y = (a + away * sum(wall.direction[i] for wall in pattern.marks) for i, a in enumerate((x, y)))
    return DrawnFeature(
        name=section.known_as,
        title=section.name or "",
        kind=kind,
        body="",
        drawing=(x, y, z),
        machine=(x, y, z),
        walls=tuple(wall.name for wall in pattern.marks if not (kind.has_top and wall is Wall.BELOW)),
        size=section.size,
        size_limit=section.size_limit or (section.size or 0.0) * 0.1 or None,
        depth=depth,
        over=pattern.over,
        size_y=section.size_y,
        spread=section.spread or 0.0,
        second_depth=section.second_depth or 0.0,
        headings=pattern.headings,
    )


def _with_rows(setup: Setup, plan: PlanFile, profile: Profile) -> Setup:
    """The set-up with the rows that measurements set, each axis by its own; what none sets is kept."""
    rules: dict[str, dict[str, Rule]] = {}
    for section in plan.measure:
        if section.enabled and (sets := section.sets) is not None:
            row = rules.setdefault(sets.row, {"x": Keep(), "y": Keep(), "z": Keep()})
            for axis in _axes(sets):
                row[axis] = counted_rule(_rule(setup, section, sets, axis), axis, profile)
    rows = {row.row: row for row in setup.rows}
    limit = setup.jump_limit
    for name, own in rules.items():
        known = rows.get(name, RowPlan(name, "as the plan sets it", {}, limit))
        rows[name] = replace(known, rules=own, turner=None)
    return replace(setup, rows=tuple(rows.values()))


def _rule(setup: Setup, section: MeasureSection, sets: SetsSection, axis: str) -> Rule:
    """Raises PlanFileError where the feature does not tell that axis."""
    drawn = setup.drawn(section.known_as)
    tells = axes_of(drawn) + ("r" if drawn.spread and drawn.kind is not FeatureKind.PLANE else "")
    value = float(getattr(sets, axis))
    if axis not in tells:
        words = f"{section.known_as} does not tell {axis.upper()}; it tells {', '.join(tells.upper())}"
        raise PlanFileError(section.known_as, (Fault("sets", words),))
    if axis == "r":
        return FromHeading(section.known_as, "", value)
    allowance = {str(name): figure for name, figure in sets.allowance.items()}
    return FromFeature(section.known_as, value, allowance.get(axis, 0.0))


# -- one measurement, one tool ---------------------------------------------------------------------------------


def request_of(setup: Setup, section: MeasureSection) -> MeasurementRequest:
    """What a measurement asks for: the drawing's figures, or the marks', with those that are stated in their place."""
    drawn = setup.drawn(section.known_as)
    if section.feature is not None:
        request = point_at(setup, drawn)
        if section.headings:
            request = replace(request, pattern=request.pattern.with_headings(tuple(section.headings)))
    else:
        x, y, z = section.at or (0.0, 0.0, 0.0)
        request = MeasurementRequest(
            touch_pattern_of(section), (x, y, z + setup.stylus.length), drawn=drawn, reach=section.standoff
        )
    for name in ("depth", "search", "spread", "second_depth", "size", "size_y", "repeats"):
        if (value := getattr(section, name)) is not None:
            request = request.with_figure(name, float(value))
    if section.spread is not None and not drawn.kind.is_round:
        request = replace(request, pattern=replace(request.pattern, twice=True))
    beside = not drawn.kind.is_outside and request.pattern.marks != {Wall.BELOW}
    if section.feature is not None and section.depth is not None and beside:
        x, y, z = request.start  # the tip goes to where it is told to, not to the drawing's depth
        request = replace(request, start=(x, y, z + drawn.depth - section.depth))
    if section.feature is not None and section.standoff is not None:
        request = stand_off(setup, request, drawn, section.standoff)
    return request


def _measurement(
    setup: Setup, plan: PlanFile, section: MeasureSection, neighbours: Clearances, table: tuple[tuple[str, float], ...]
) -> Measurement:
    """One measurement by itself, with what is proposed because of what stands near."""
    request = request_of(setup, section)
    options = section.options(half_turn=plan.half_turn, table=table)
    try:
        measurement = build_measurement(setup, request, options)
        if section.standoff is None:
            measurement = room_behind(setup, request, options, measurement, neighbours)
        if section.hop is None:
            measurement = over_neighbours(measurement, neighbours)
    except PlanError as error:
        name = section.name or section.feature or ""
        what = error.what if name in error.what else f"{name}: {error.what}"
        raise PlanError(what, error.meaning, error.remedy) from None
    return measurement


def _step(
    trial: WorkedOut, profile: Profile, section: MeasureSection, measurement: Measurement, neighbours: Clearances
) -> Step:
    looks = trial.planner.look(measurement) + neighbours.look(measurement) + look_at_one_touch(measurement)
    figures = figures_of(trial.working.setup, section, measurement, profile, neighbours)
    return Step(section, measurement, figures, tuple(dict.fromkeys(looks)))


def problem_of(session: Session, plan: PlanFile, section: MeasureSection) -> str:
    """Why one measurement of a plan cannot be made ready by itself, in a sentence; empty when it can."""
    alone = plan.model_copy(update={"measure": [section.model_copy(update={"enabled": True})], "offset": None})
    try:
        planned(session, alone)
    except PlanFileError as error:
        return error.findings[0].reason
    except BriskAnchorError as error:
        return error.what
    return ""
