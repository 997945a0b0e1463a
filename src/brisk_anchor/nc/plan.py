"""From a plan to steps: what to measure, in which order, where the result goes, what to check on the way."""

from __future__ import annotations

import zlib
from dataclasses import dataclass

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.measuring import Measurement
from brisk_anchor.core.rules import Rule, Turner
from brisk_anchor.nc.cycles import Cycle
from brisk_anchor.nc.located import Located
from brisk_anchor.nc.steps import (
    Expression,
    Number,
    OperatorStop,
    Probe,
    Rapid,
    Report,
    SafeState,
    Section,
    Step,
    ToolCheck,
)
from brisk_anchor.nc.storing import store_steps


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

    @property
    def identity(self) -> int:
        """Six digits that tie report lines to the plan they came from (the date does not count)."""
        return zlib.crc32(repr((self.number, self.measurements, self.store, *self.also)).encode()) % 1_000_000


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
        figures: list[tuple[str, Expression, int]] = [
            ("T", Number(stylus.tool_number), 0),
            ("R", Number(stylus.effective_radius), -1),
            ("L", Number(stylus.length), -1),
        ]
        if any(stylus.offset):
            figures += [(letter, Number(aside), -1) for letter, aside in zip("UV", stylus.offset, strict=True)]
        steps.append(Report(("TOOL",), tuple(figures)))
        steps.append(Probe(True))
        steps.append(Rapid(z=plan.home_z))
    located: dict[tuple[str, str], Located] = {}
    touches = 0
    for index, measurement in enumerate(plan.measurements, 1):
        touches = Cycle(steps, measurement, index, touches, located).run()
    if styli:
        steps += [Rapid(z=plan.home_z), Probe(False)]
    if plan.stop:
        steps.append(OperatorStop(plan.stop))
    for number, store in enumerate((plan.store, *plan.also), 1):
        if store is not None:
            store_steps(steps, store, located, number)
    steps.append(Report(("END",), (("N", Number(touches), 0),)))
    return tuple(steps)
