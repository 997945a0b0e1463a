"""Steps of a program in inches: every length of them, and no angle, share or count, divided by 25.4.

Report lines stay in mm whatever the program's unit: what reads them need not know it. A step says which of its figures
stand in inches when it is printed.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Expression, Number
from brisk_anchor.core.lengths_in_sums import LengthPowers
from brisk_anchor.core.quantities import Unit
from brisk_anchor.nc.programs.steps import (
    Centre,
    Check,
    Compute,
    Guarded,
    KeepAngle,
    KeepResult,
    ProgramRapid,
    Rapid,
    ReadBack,
    Report,
    RowHolds,
    SetWear,
    Sort,
    Step,
    Store,
    StoreTool,
    ToolHolds,
    TouchStep,
    TurnTable,
    ZeroWithin,
)

_FACTOR = 1 / float(Unit.INCH.in_mm)


def in_inches(steps: Sequence[Step], of_variable: Callable[[int], int | None]) -> tuple[Step, ...]:
    """The steps with their lengths in inches; `of_variable` gives the power of length of a control's own variable.

    Raises:
        PlanError: a step adds a length to something that is not a length, or it is not known whether a value is one.
    """
    powers = LengthPowers(of_variable)
    known = -1
    while known != len(powers.names) or powers.take_for_share():  # what one sum tells of a name tells more of the next
        known = len(powers.names)
        for step in steps:
            _learn(powers, step)
    return tuple(_converted(powers, step) for step in steps)


def _power_of(axis: str) -> int:
    return 0 if axis == "r" else 1


def _learn(powers: LengthPowers, step: Step) -> None:
    match step:
        case TouchStep(names=names):
            powers.names |= dict.fromkeys(names, 1)
        case Compute(name, value):
            powers.define(name, value)
            if name in powers.names:
                powers.want(value, powers.names[name])
        case Guarded() | Centre():
            for place in (step.x, step.y, step.z if isinstance(step, Guarded) else None):
                if place is not None:
                    powers.want(place, 1)
        case Check(value, centre):
            if (found := powers.power(value)) is None:
                found = powers.power(centre)
            if found is not None:
                powers.want(value, found)
                powers.want(centre, found)
        case Store(_, values) | ReadBack(_, values):
            for axis, value in values:
                powers.want(value, _power_of(axis))
        case KeepAngle(_, value) | TurnTable(_, value):
            powers.want(value, 0)
        case SetWear(value=value):
            powers.want(value, 1)
        case _:
            pass


def _figures(values: Sequence[tuple[str, float]]) -> tuple[tuple[str, float], ...]:
    return tuple((axis, value if axis == "r" else value * _FACTOR) for axis, value in values)


def _over(value: float | None, power: int = 1) -> float | None:
    return None if value is None else value * _FACTOR**power


def _converted(powers: LengthPowers, step: Step) -> Step:
    def length(value: Expression | None) -> Expression | None:
        return None if value is None else powers.scaled(value, 1, _FACTOR)

    def sum_of(value: Expression) -> tuple[Expression, int]:
        power = powers.likely_power(value) or 0
        return powers.scaled(value, power, _FACTOR), power

    match step:
        case Rapid(x, y, z):
            return Rapid(_over(x), _over(y), _over(z))
        case Guarded(why, x, y, z):
            return Guarded(why, length(x), length(y), length(z))
        case Centre(why, limit, x, y):
            return Centre(why, limit * _FACTOR, length(x), length(y))
        case TouchStep():
            search, touch = step.feeds
            aside = step.aside[0] * _FACTOR, step.aside[1] * _FACTOR
            return replace(step, distance=step.distance * _FACTOR, aside=aside, feeds=(_over(search), _over(touch)))
        case Compute(name, value, why):
            if name not in powers.names:
                what = f"It is not known whether “{why}” is a length"
                raise PlanError(what, "It cannot be written in inches", "Write it in millimetres")
            return Compute(name, powers.scaled(value, powers.names[name], _FACTOR), why)
        case Check(value, centre):
            # Two plain numbers and their limit compare alike in any unit: then it does not matter which power is taken.
            power = next((found for found in map(powers.likely_power, (value, centre)) if found is not None), 1)
            value, centre = (powers.scaled(part, power, _FACTOR) for part in (value, centre))
            return replace(step, value=value, centre=centre, limit=step.limit * _FACTOR**power)
        case KeepResult(variable, value, why):
            return KeepResult(variable, sum_of(value)[0], why)
        case Store(row, values):
            return Store(row, tuple((a, powers.scaled(v, _power_of(a), _FACTOR)) for a, v in values))
        case ReadBack(row, values):
            return ReadBack(row, tuple((a, powers.scaled(v, _power_of(a), _FACTOR)) for a, v in values))
        case Report(words, values):
            # A plain number is only printed, never calculated with: it stays in mm, as reports are.
            inches = frozenset(a for a, v, _ in values if not isinstance(v, Number) and powers.likely_power(v) == 1)
            told = tuple((a, v if isinstance(v, Number) else sum_of(v)[0], d) for a, v, d in values)
            return Report(words, told, inches)
        case Sort(value=value):
            scaled_value, power = sum_of(value)
            accept = _over(step.accept[0], power), _over(step.accept[1], power)
            reject = _over(step.reject[0], power), _over(step.reject[1], power)
            return replace(step, value=scaled_value, accept=accept, reject=reject)
        case ZeroWithin(name, limit):
            return replace(step, limit=limit * _FACTOR ** powers.names.get(name, 1))
        case SetWear(number, column, value):
            return SetWear(number, column, powers.scaled(value, 1, _FACTOR))
        case RowHolds():
            return replace(step, values=_figures(step.values), within=_over(step.within))
        case StoreTool() | ToolHolds():
            return replace(step, values=_figures(step.values))
        case ProgramRapid(why, x, z):
            return ProgramRapid(why, _over(x), _over(z))
        case _:
            return step
