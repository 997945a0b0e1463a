"""From a plan to steps: what to measure, in which order, where the result goes, what to check on the way."""

from __future__ import annotations

import zlib
from dataclasses import dataclass

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.measuring import Measurement
from brisk_anchor.core.rules import Fixed, FromFeature, Keep, Rule
from brisk_anchor.core.touches import AXES, axis_of
from brisk_anchor.nc.steps import (
    AlarmNumber,
    Binary,
    Check,
    Compute,
    Expression,
    Guarded,
    Name,
    NoCommonShift,
    Number,
    Probe,
    Rapid,
    ReadBack,
    Report,
    SafeState,
    Section,
    Step,
    Store,
    ToolCheck,
    TouchStep,
    plus,
)


@dataclass(frozen=True, slots=True)
class StorePlan:
    """Where the result goes: the row, a rule an axis, and the guard against a jump.

    `expected` is where each value should lie (machine mm) and `jump_limit` how far from there it may.
    """

    row: str
    rules: tuple[tuple[str, Rule], ...]
    expected: tuple[tuple[str, float], ...]
    jump_limit: float


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

    @property
    def identity(self) -> int:
        """Six digits that tie report lines to the plan they came from (the date does not count)."""
        return zlib.crc32(repr((self.number, self.measurements, self.store)).encode()) % 1_000_000


def plan_steps(plan: Plan) -> tuple[Step, ...]:
    """Turn a plan into steps.

    Raises:
        PlanError: an empty plan, probes that differ, or a rule that needs what the plan does not measure.
    """
    if not plan.measurements and plan.store is None:
        raise PlanError("The plan is empty", "There is nothing to write", "Measure something first")
    styli = {measurement.stylus for measurement in plan.measurements}
    if len(styli) > 1:
        raise PlanError("The plan uses more than one stylus", "This version writes one probe a program", "Split it")
    steps: list[Step] = [Section("safe state"), SafeState()]
    for stylus in styli:
        steps.append(ToolCheck(stylus.tool_number))
    steps.append(Report(("BEGIN", f"O{plan.number:04d}"), (("I", Number(plan.identity), 0),)))
    for stylus in styli:
        steps.append(
            Report(
                ("TOOL",),
                (
                    ("T", Number(stylus.tool_number), 0),
                    ("R", Number(stylus.effective_radius), -1),
                    ("L", Number(stylus.length), -1),
                ),
            )
        )
        steps.append(Probe(True))
        steps.append(Rapid(z=plan.home_z))
    located: dict[tuple[str, str], str] = {}
    touches = 0
    for index, measurement in enumerate(plan.measurements, 1):
        touches = _measure(steps, measurement, index, touches, located)
    if styli:
        steps += [Rapid(z=plan.home_z), Probe(False)]
    if plan.store:
        _store(steps, plan.store, located)
    steps.append(Report(("END",), (("N", Number(touches), 0),)))
    return tuple(steps)


def _axis_value(names: tuple[str, str, str], axis: int) -> Name:
    return Name(names[axis])


def _measure(
    steps: list[Step], measurement: Measurement, index: int, touches: int, located: dict[tuple[str, str], str]
) -> int:
    """Append the steps of one measurement; note in `located` which variable holds which coordinate."""
    kind = measurement.kind
    x, y, z = measurement.start
    steps += [
        Section(f"measure {measurement.title or measurement.name}"),
        Rapid(x=x, y=y),
        Rapid(z=measurement.clear_z),
        Guarded("down to the start", z=Number(z)),
    ]
    kept: dict[tuple[int, int], tuple[str, str, str]] = {}
    centre: dict[int, Expression] = {0: Number(x), 1: Number(y)}
    for count, direction in enumerate(measurement.directions, 1):
        touches += 1
        axis, sign = axis_of(direction)
        names = (f"t{touches}x", f"t{touches}y", f"t{touches}z")
        kept[axis, sign] = names
        side = f"towards {'+' if sign > 0 else '-'}{AXES[axis].upper()}"
        if kind.is_outside:
            away = plus(centre[axis], sign * measurement.outside_distance(axis))
            steps += [
                Guarded(f"out past the {'-+'[sign > 0]}{AXES[axis].upper()} side", **{AXES[axis]: away}),
                Guarded("down beside it", z=Number(z - measurement.drop)),
            ]
            inward = tuple(-value for value in direction)
            steps.append(
                TouchStep(
                    touches, (inward[0], inward[1], inward[2]), measurement.search, names, f"touch {count} inward"
                )
            )
            steps += [Guarded("up", z=Number(z)), Guarded("back over the middle", **{AXES[axis]: centre[axis]})]
        else:
            search = measurement.search_along(axis)
            steps.append(TouchStep(touches, direction, search, names, f"touch {count} {side}"))
        if kind.is_corner:
            letter = AXES[axis]
            toward = -sign if kind.is_outside else sign
            wall = Binary(
                _axis_value(names, axis), "+" if toward > 0 else "-", Number(measurement.stylus.effective_radius)
            )
            steps.append(Compute(f"m{index}{letter}", wall, f"wall: touch {'plus' if toward > 0 else 'less'} the ball"))
            located[measurement.name, letter] = f"m{index}{letter}"
        if kind.is_paired and count % 2 == 0:
            letter = AXES[axis]
            middle = f"m{index}{letter}"
            pair = Binary(_axis_value(kept[axis, -1], axis), "+", _axis_value(kept[axis, 1], axis))
            steps.append(Compute(middle, Binary(pair, "/", Number(2)), f"centre {letter.upper()}: middle of the two"))
            located[measurement.name, letter] = middle
            centre[axis] = Name(middle)
            if count < len(measurement.directions):
                steps.append(Guarded("on to the centre", **{letter: Name(middle)}))
    if kind.is_corner:
        places = tuple((letter.upper(), Name(f"m{index}{letter}"), -1) for letter in "xy")
        steps.append(Report(("SOLVED",), (("M", Number(index), 0), *places)))
    elif kind.is_paired:
        _sizes(steps, measurement, index, kept)
    else:
        _surface_place(steps, measurement, index, kept, located)
    steps.append(Guarded("up to the clear height", z=Number(measurement.clear_z)))
    return touches


def _sizes(
    steps: list[Step], measurement: Measurement, index: int, kept: dict[tuple[int, int], tuple[str, str, str]]
) -> None:
    """Sizes between opposite walls, their guards, the report.

    A diameter comes from the last pair alone: that one ran through the centre found by the first.
    """
    kind = measurement.kind
    axes = sorted({axis for axis, _ in kept})
    last, _ = axis_of(measurement.directions[-1])
    sized = [last] if kind.is_round else axes
    what = "diameter" if kind.is_round else "size"
    names = []
    for letter, axis in zip("de", sized, strict=False):
        across = Binary(_axis_value(kept[axis, 1], axis), "-", _axis_value(kept[axis, -1], axis))
        size = Binary(across, "-" if kind.is_outside else "+", Number(2 * measurement.stylus.effective_radius))
        names.append((letter, axis, f"m{index}{letter}"))
        along = "" if kind.is_round else f" along {AXES[axis].upper()}"
        why = f"{what}{along}: distance {'less' if kind.is_outside else 'plus'} the ball"
        steps.append(Compute(names[-1][2], size, why))
    places = tuple((AXES[axis].upper(), Name(f"m{index}{AXES[axis]}"), -1) for axis in axes)
    told = tuple((letter.upper(), Name(name), -1) for letter, _, name in names)
    steps.append(Report(("SOLVED",), (("M", Number(index), 0), *places, *told)))
    if measurement.size_limit is None:
        return
    for _, axis, name in names:
        wanted = measurement.across(axis)
        steps.append(
            Check(
                Name(name),
                Number(wanted),
                measurement.size_limit,
                AlarmNumber.SIZE,
                f"SIZE OF {measurement.name} IS WRONG",
                f"size guard: within {measurement.size_limit:g} of {wanted:g}",
            )
        )


def _surface_place(
    steps: list[Step],
    measurement: Measurement,
    index: int,
    kept: dict[tuple[int, int], tuple[str, str, str]],
    located: dict[tuple[str, str], str],
) -> None:
    axis, sign = axis_of(measurement.directions[0])
    letter = AXES[axis]
    name = f"m{index}{letter}"
    stylus = measurement.stylus
    touched = _axis_value(kept[axis, sign], axis)
    if axis == 2:
        value, why = Binary(touched, "-", Number(stylus.length)), "surface: spindle Z less the probe's length"
    else:
        operator = "+" if sign > 0 else "-"
        value = Binary(touched, operator, Number(stylus.effective_radius))
        why = f"surface: touch {'plus' if sign > 0 else 'less'} the ball radius"
    steps.append(Compute(name, value, why))
    steps.append(Report(("SOLVED",), (("M", Number(index), 0), (letter.upper(), Name(name), -1))))
    located[measurement.name, letter] = name


def _store(steps: list[Step], store: StorePlan, located: dict[tuple[str, str], str]) -> None:
    steps.append(Section(f"offset {store.row}"))
    values: list[tuple[str, Expression]] = []
    for axis, rule in store.rules:
        if isinstance(rule, Keep):
            continue
        name = f"o{axis}"
        if isinstance(rule, Fixed):
            expression: Expression = Number(rule.value)
            why = f"{store.row} {axis.upper()}: as worked out by the application"
        elif isinstance(rule, FromFeature):
            for feature in rule.features:
                if (feature, axis) not in located:
                    raise PlanError(
                        f"{store.row} {axis.upper()} is to come from {feature}, which this plan does not measure",
                        "The offset would be incomplete",
                        "Measure it first",
                    )
            expression = Name(located[rule.feature, axis])
            if rule.other:
                pair = Binary(expression, "+", Name(located[rule.other, axis]))
                middle = f"h{axis}"
                why = f"halfway between {rule.feature} and {rule.other}"
                steps.append(Compute(middle, Binary(pair, "/", Number(2)), why))
                expression = Name(middle)
            if rule.drawing:
                expression = plus(expression, -rule.drawing)
            what = f"middle of {rule.feature} and {rule.other}" if rule.other else rule.feature
            why = f"{store.row} {axis.upper()}: {what} less its place on the drawing"
            if rule.allowance:
                expression = plus(expression, rule.allowance)
                why += ", with allowance"
            if rule.master:
                expression = plus(expression, rule.master)
                why += ", master tool"
        steps.append(Compute(name, expression, why))
        values.append((axis, Name(name)))
    if not values:
        raise PlanError(f"{store.row} keeps all its values", "There is nothing to store", "Give an axis a rule")
    expected = dict(store.expected)
    for axis, value in values:
        if axis not in expected:
            raise PlanError(f"No expected value for {store.row} {axis.upper()}", "The jump guard needs one", "")
        steps.append(
            Check(
                value,
                Number(expected[axis]),
                store.jump_limit,
                AlarmNumber.JUMP,
                f"{store.row} {axis.upper()} JUMPS TOO FAR",
                f"jump guard: within {store.jump_limit:g} of {expected[axis]:.3f}",
            )
        )
    steps.append(NoCommonShift())
    steps.append(Store(store.row, tuple(values)))
    steps.append(ReadBack(store.row, tuple(values)))
    report = tuple((axis.upper(), value, -1) for axis, value in values)
    steps.append(Report(("STORED", store.row), report))
