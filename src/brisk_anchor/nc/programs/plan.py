"""From a plan to steps: what to measure, in which order, where the result goes, what to check on the way."""

from __future__ import annotations

import zlib
from collections.abc import Iterator

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Binary, Expression, LengthInTable, Name, Number, RowValue, Variable, plus
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.touches import AXES, Stylus
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.offsets.rules import Rule, Turner, features_in
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.control_result import ControlResult
from brisk_anchor.nc.programs.cycles import Cycle
from brisk_anchor.nc.programs.judging import NOTHING, Inspecting, inspecting_steps
from brisk_anchor.nc.programs.offset_steps import held_steps, store_steps
from brisk_anchor.nc.programs.program import row_word
from brisk_anchor.nc.programs.steps import (
    AlarmNumber,
    CallTool,
    Check,
    Compute,
    Guarded,
    KeepResult,
    MarkTool,
    NothingFailed,
    NothingYet,
    OperatorStop,
    Probe,
    Rapid,
    Release,
    Report,
    RowHolds,
    SafeState,
    SectionHeading,
    SpindleStop,
    Step,
    TableAt,
    ToolCheck,
    TouchStep,
)


@dataclass(frozen=True, slots=True)
class StorePlan:
    """Where the result goes: the row, a rule an axis, and the guard against a jump.

    `expected` is where each value should lie (machine mm) and `jump_limit` how far from there it may; the angle of a
    turned row lies within `TURN_LIMIT` of its own. `weights` by feature are those of a best fit.
    """

    row: str
    rules: tuple[tuple[str, Rule], ...]
    expected: tuple[tuple[str, float], ...]
    jump_limit: float
    weights: tuple[tuple[str, float], ...] = ()
    built: tuple[tuple[str, FeatureKind, tuple[str, ...]], ...] = ()
    """Features the rules name that are built from measured ones: name, kind, what they are made of."""
    turner: Turner | None = None
    """The table that turns the part straight when the program has measured how it lies."""
    held: tuple[tuple[str, float], ...] = ()
    """What the control's table held when these values were decided on: the program stops where it holds something else
    by more than the limit, as the move that was looked at is then another."""
    table: tuple[str, float] | None = None
    """A table and how far it is to turn, degrees, where the application has worked that out."""


@dataclass(frozen=True, slots=True)
class LengthCheck:
    """A look whether a tool is still whole: its end onto the setter, spindle stopped.

    `at` is the setter's middle, `top` its top (machine mm of a tool without length), `length` what the application
    knows of the tool (mm as the control counts it, plus `reference` gives the real one), `search` how far beyond the
    place it should be met at, `tolerance` how far from there it may be met. With `call` the program puts it in itself.
    """

    number: int
    name: str
    at: tuple[float, float]
    top: float
    length: float
    reference: float
    tolerance: float
    search: float
    on_fail: str = "alarm"
    call: bool = True


@dataclass(frozen=True, slots=True)
class PlaceCheck:
    """A look whether a part lies where the row of its place has it, once all rows are written.

    `lies` is where the feature lies in that row, mm by axis, and `limit` how far from there it may be met. The variable
    `flag`, where there is one, is set to 1 when it is further off and the reaction is to go on.
    """

    feature: str
    place: str
    row: str
    lies: tuple[tuple[str, float], ...]
    limit: float
    on_fail: str = "alarm"


_OF_MEASUREMENT = (
    *("name", "kind", "stylus", "start", "directions", "clear_z", "search", "start_uncertainty", "depth", "drop"),
    *("standoff", "size", "size_limit", "title", "size_y", "spread", "repeats", "second_depth", "known_size"),
    "turn_uncertainty",
)
_OF_OPTIONS = ("over_the_top", "half_turn", "search_feed", "touch_feed", "on_fail", "keep", "table", "hop")


@dataclass(frozen=True, slots=True)
class _Identified:
    """A measurement as it counts for the identity: the same words as ever, whatever the class looks like.

    The identity stands in the program's text, and proofs are tied to that: other words would undo every proof.
    """

    measurement: Measurement

    def __repr__(self) -> str:
        m = self.measurement
        figures = {name: getattr(m, name) for name in _OF_MEASUREMENT}
        figures |= {name: getattr(m.options, name) for name in _OF_OPTIONS}
        figures |= {"top": m.top, "depth_check": m.depth_check}
        figures |= {"only": m.only} if m.only else {}
        return f"Measurement({', '.join(f'{name}={value!r}' for name, value in figures.items())})"


@dataclass(frozen=True, slots=True)
class TableReading:
    """Tables that a program prints: `rows`, each with its axes; by number of `tools` the variable of their length, and
    of their wear of length and radius; the variable of the `active` row.

    Where rows hold no angle, `angles` names by row the variable that it is kept in.
    """

    rows: tuple[str, ...]
    tools: tuple[tuple[int, int], ...] = ()
    active: int | None = None
    angles: tuple[tuple[str, int], ...] = ()
    wear_of_length: tuple[tuple[int, int], ...] = ()
    wear_of_radius: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class Plan:
    """A measuring program before it is written. `date` is text for the head (ISO), given by the caller.

    `home_z` is the spindle's Z at home, where the program starts and ends: from there every rapid across is free.
    """

    number: int
    title: str
    machine: str
    part: str
    date: str
    home_z: float
    measurements: tuple[Measurement, ...]
    store: StorePlan | None = None
    also: tuple[StorePlan, ...] = ()
    """More rows to set, after that one."""
    stop: str = ""
    """What a person is to look at before the first row is written; the program stops there."""
    tools: tuple[LengthCheck, ...] = ()
    """Tools to look at before anything is measured."""
    probe_each: bool = False
    """Whether the probe is switched off and on between measurements, not kept on."""
    call_probe: bool = False
    """Whether the program puts the probe into the spindle itself."""
    mark: MarkTool | None = None
    """A tool that is marked on the control, and nothing else done."""
    checks: tuple[PlaceCheck, ...] = ()
    """Parts whose place is looked at after the rows are written."""
    rows_hold: tuple[RowHolds, ...] = ()
    """Rows that are checked before the machine moves: the plan is valid only for a part that lies where they say."""
    flags: tuple[tuple[int, int, str], ...] = ()
    """Variables that are set first, each with its figure and what it says: which places are empty."""
    inspecting: Inspecting = NOTHING
    """What is judged and corrected at the end."""
    ending: str = "end"
    """What stands at the end: "end", "stop" or "optional stop" before it; "return" to the program that calls it."""
    z_home: bool = True
    """Whether the tip is brought home at the end, or stays at the last clear height."""
    reading: TableReading | None = None
    """What of the control's tables is printed, and nothing else done."""
    back_to: Vector | None = None
    """Where the spindle is brought back to from the last clear height, guarded, machine mm; None: it ends at home."""

    @property
    def identity(self) -> int:
        """Six digits that tie report lines to the plan they came from (the date does not count)."""
        measurements = tuple(map(_Identified, self.measurements))
        told = (self.number, measurements, self.store, *self.also, *self.tools, *((self.mark,) if self.mark else ()))
        told += (*self.checks, *self.flags, *((self.reading,) if self.reading else ()))
        told += (self.inspecting,) if self.inspecting != NOTHING else ()
        return zlib.crc32(repr(told).encode()) % 1_000_000


def _styli(plan: Plan) -> set[Stylus]:
    """The stylus it measures with, none where it measures nothing. Raises PlanError: empty, or at odds with itself."""
    if not plan.measurements and plan.store is None and not plan.tools and plan.inspecting == NOTHING:
        raise PlanError("The plan is empty", "There is nothing to write", "Measure something first")
    styli = {measurement.stylus for measurement in plan.measurements}
    if len({tuple(letter for letter, _ in measurement.options.table) for measurement in plan.measurements}) > 1:
        raise PlanError("Only some measurements say where the table stands", "", "Say it of all")
    if len(styli) > 1:
        raise PlanError("The plan uses more than one stylus", "This version writes one probe a program", "Split it")
    return styli


def plan_steps(plan: Plan) -> tuple[Step, ...]:
    """Turn a plan into steps.

    Raises:
        PlanError: an empty plan, probes that differ, or a rule that needs what the plan does not measure.
    """
    if plan.mark is not None:
        return SafeState(), plan.mark
    if plan.reading is not None:
        return tuple(_printed_tables(plan, plan.reading))
    styli = _styli(plan)
    steps: list[Step] = [SectionHeading("safe state"), SafeState()]
    steps += [SpindleStop()] * bool(styli)  # a probe in a spindle that turns is gone
    calls = plan.call_probe or any(check.call for check in plan.tools)
    for stylus in styli if not calls else ():
        # Up first: where a program cannot look what is in the spindle, it puts the probe in here.
        steps += [Rapid(z=plan.home_z), ToolCheck(stylus.tool_number)]
    reactions = [m.options.on_fail for m in plan.measurements] + [check.on_fail for check in plan.tools]
    if "go on" in reactions:
        steps.append(NothingYet())
    steps.append(Report(("BEGIN", f"O{plan.number:04d}"), (("I", Number(plan.identity), 0),)))
    steps += plan.rows_hold
    for variable, value, why in plan.flags:
        steps.append(KeepResult(variable, Number(float(value)), why))
    touches = 0
    for check in plan.tools:
        touches = length_check(steps, check, plan.home_z, touches)
    if calls:
        for stylus in styli:
            steps += [
                SectionHeading(f"probe T{stylus.tool_number}"),
                Rapid(z=plan.home_z),
                CallTool(stylus.tool_number),
            ]
            steps.append(ToolCheck(stylus.tool_number, called=True))
    for stylus in styli:
        _begin_with(steps, stylus, plan.home_z)
    located: dict[tuple[str, str], ControlResult] = {}
    wanted = _needed(plan)
    height = plan.home_z
    stands: tuple[tuple[str, float], ...] = ()
    for index, measurement in enumerate(plan.measurements, 1):
        if plan.probe_each and index > 1:
            steps += [Probe(on=False), Probe(on=True)]
        if measurement.options.table != stands:
            words = " ".join(f"{letter}{angle:g}" for letter, angle in measurement.options.table)
            steps += [SectionHeading(f"table at {words}"), Rapid(z=plan.home_z), TableAt(measurement.options.table)]
            height, stands = plan.home_z, measurement.options.table
        own = Cycle(steps, measurement, index, touches, located, height=height, wanted=measurement.name in wanted)
        own.keeps_size = measurement.name in plan.inspecting.sizes
        touches = own.run()
        height = measurement.clear_z
    if styli and plan.back_to is not None:
        x, y, z = plan.back_to
        steps += [Rapid(x=x, y=y), Guarded("back to where it was asked from", z=Number(z)), Probe(on=False)]
    elif styli:
        steps += [*([Rapid(z=plan.home_z)] if plan.z_home else []), Probe(on=False)]
    if plan.stop:
        steps.append(OperatorStop(plan.stop))
    if plan.store is not None and "go on" in reactions:
        steps.append(NothingFailed())
    stores = [store for store in (plan.store, *plan.also) if store is not None]
    held_steps(steps, stores)
    for number, store in enumerate((plan.store, *plan.also), 1):
        if store is not None:
            first = len(steps)
            store_steps(steps, store, located, number)
            used = dict.fromkeys(step.name for step in steps[first:] if isinstance(step, Compute))
            steps.append(Release(tuple(used)))
    for placed in plan.checks:
        _place_check(steps, placed, located)
    _end(steps, plan, located, touches)
    return tuple(steps)


def _printed_tables(plan: Plan, reading: TableReading) -> Iterator[Step]:
    """Print tables; nothing moves, and nothing is written."""
    yield SectionHeading("print the tables; nothing moves and nothing is written")
    yield SafeState(moves=False)  # a program before may have left inches
    yield Report(("BEGIN", f"O{plan.number:04d}"), (("I", Number(plan.identity), 0),))
    angles = dict(reading.angles)
    for row in reading.rows:
        figures: list[tuple[str, Expression, int]] = [(a.upper(), RowValue(row, a), -1) for a in AXES]
        figures += [("R", Variable(angles[row]), -1)] if row in angles else []
        yield Report(("ROW", row_word(row)), tuple(figures))
    for number, variable in reading.tools:
        yield Report(("LENGTH",), (("T", Number(number), 0), ("L", Variable(variable), -1)))
    wears = (("L", dict(reading.wear_of_length)), ("R", dict(reading.wear_of_radius)))
    worn = sorted({number for _, wear in wears for number in wear})
    for number in worn:
        held = [(letter, Variable(wear[number]), -1) for letter, wear in wears if number in wear]
        yield Report(("WEAR",), (("T", Number(number), 0), *held))
    if reading.active is not None:
        yield Report(("ACTIVE",), (("A", Variable(reading.active), -1),))
    told: list[tuple[str, Expression, int]] = [("N", Number(0), 0), ("R", Number(len(reading.rows)), 0)]
    told += [("L", Number(len(reading.tools)), 0), ("W", Number(len(worn)), 0)]
    yield Report(("END",), tuple(told))


def _begin_with(steps: list[Step], stylus: Stylus, home_z: float) -> None:
    """Report the probe, switch it on, and go up."""
    figures: list[tuple[str, Expression, int]] = [
        ("T", Number(stylus.tool_number), 0),
        ("R", Number(stylus.effective_radius), 4),
        ("L", Number(stylus.length), 4),
    ]
    if any(stylus.offset):
        figures += [(letter, Number(aside), 4) for letter, aside in zip("UV", stylus.offset, strict=True)]
    steps.append(Report(("TOOL",), tuple(figures)))
    steps.append(Probe(on=True))
    steps.append(Rapid(z=home_z))


def _end(steps: list[Step], plan: Plan, located: dict[tuple[str, str], ControlResult], touches: int) -> None:
    """Judge what was measured, report how much there was, and stop where that is wanted."""
    inspecting_steps(steps, plan.inspecting, located)
    told: list[tuple[str, Expression, int]] = [("N", Number(touches), 0)]
    if judged := len(plan.inspecting.judgements):
        told.append(("J", Number(judged), 0))
    if corrected := len(plan.inspecting.corrections) + len(plan.inspecting.wear):
        told.append(("C", Number(corrected), 0))
    steps.append(Report(("END",), tuple(told)))
    if "stop" in plan.ending:
        steps.append(OperatorStop("MEASURED", optional=plan.ending == "optional stop"))


def _place_check(steps: list[Step], check: PlaceCheck, located: dict[tuple[str, str], ControlResult]) -> None:
    steps.append(SectionHeading(f"is the part at place {check.place} where {check.row} has it"))
    for axis, where in check.lies:
        steps.append(
            Check(
                located[check.feature, axis].value,
                plus(RowValue(check.row, axis), where),
                check.limit,
                AlarmNumber.WRONG_PLACE,
                f"PART AT PLACE {check.place} LIES OFF IN {axis.upper()}",
                f"place check: within {check.limit:g} of where {check.row} has it",
                check.on_fail,
            )
        )


def _needed(plan: Plan) -> set[str]:
    """Names of the measurements that some row is worked out from."""
    found: set[str] = set()
    for store in (plan.store, *plan.also):
        if store is not None:
            found |= {name for _, rule in store.rules for name in features_in(rule)}
            found |= {part for _, _, of in store.built for part in of}
    found |= {check.feature for check in plan.checks} | plan.inspecting.features
    return found | {m.top.name for m in plan.measurements if m.top is not None}


APPROACH_SETTER = 10.0
"""How far, mm, over where its end should be met a tool stands before it is searched for."""


def length_check(steps: list[Step], check: LengthCheck, home_z: float, touches: int) -> int:
    """Append the look at one tool; returns how many touches the program has made by then.

    The machine stops with an alarm where nothing is met as far as `search` goes, whatever the reaction: what is left
    of the tool is not known then.
    """
    steps += [SectionHeading(f"is T{check.number} whole"), Rapid(z=home_z)]
    steps.append(CallTool(check.number) if check.call else ToolCheck(check.number, "TOOL"))
    x, y = check.at
    length = LengthInTable(check.number, check.length)
    # Named by the tool: where a report is read from variables after the program, each must still hold its own.
    where, off = f"te{check.number}", f"td{check.number}"
    expected = Name(where)
    touches += 1
    names = (f"t{touches}x", f"t{touches}y", f"t{touches}z")
    down = APPROACH_SETTER + check.search
    steps += [
        Rapid(x=x, y=y),
        Compute(where, plus(length, check.top + check.reference), f"where T{check.number} should meet the setter"),
        Guarded("over the setter", z=plus(expected, APPROACH_SETTER)),
        TouchStep(touches, (0.0, 0.0, -1.0), down, names, "onto the setter"),
        Rapid(z=home_z),
        Compute(off, Binary(Name(names[2]), "-", expected), "how much longer the tool is than its table says"),
        Report(("TOOLCHECK",), (("T", Number(check.number), 0), ("D", Name(off), -1))),
        Check(
            Name(off),
            Number(0.0),
            check.tolerance,
            AlarmNumber.BROKEN,
            f"T{check.number} IS BROKEN OR MOVED",
            f"tool check: within {check.tolerance:g} of its length",
            check.on_fail,
        ),
        Release((*names, where, off)),
    ]
    return touches
