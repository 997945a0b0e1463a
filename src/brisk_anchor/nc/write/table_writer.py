"""Offset-setting blocks alone, for a control that works nothing out: every figure is worked out and checked here."""

from __future__ import annotations

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import (
    Binary,
    Expression,
    Function,
    LengthInTable,
    Name,
    Number,
    RowValue,
    Variable,
    WearInTable,
)
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import ResultLine
from brisk_anchor.nc.programs.steps import (
    Check,
    Compute,
    KeepAngle,
    NoCommonShift,
    NoShift,
    OperatorStop,
    ProgramRapid,
    ReadBack,
    Release,
    Report,
    RowCall,
    RowHolds,
    SafeState,
    SectionHeading,
    SpindleStop,
    Step,
    Store,
    StoreTool,
    ToolHolds,
    TurnTable,
    TurretCall,
)
from brisk_anchor.nc.write.text import NO_SHIFT, TextWriter, unknown


class TableWriter(TextWriter):
    """Folds every value to a figure; a check that fails is told now and nothing is written."""

    def __init__(self, profile: Profile) -> None:
        super().__init__(profile)
        self.values: dict[str, float] = {}

    def _fold(self, value: Expression) -> float:
        match value:
            case Number(figure):
                return figure
            case Name(name):
                return self.values[name]
            case Binary(left, operator, right):
                a, b = self._fold(left), self._fold(right)
                return {"+": a + b, "-": a - b, "*": a * b}[operator] if operator != "/" else a / b
            case RowValue(row, axis):
                raise PlanError(f"{row} {axis.upper()} cannot be read on this control", "", "Give a figure")
            case LengthInTable(number):
                raise PlanError(f"The length of T{number} cannot be read on this control", "", "Give a figure")
            case WearInTable(number):
                raise PlanError(f"The wear of T{number} cannot be read on this control", "", "Type it at the control")
            case Function(name, _):
                raise PlanError(f"{name} is worked out by no control without variables", "", "Give a figure")
            case Variable(number):
                raise PlanError(f"#{number} cannot be read on this control", "It has no variables", "Give a figure")

    def step(self, step: Step) -> None:
        """Write one step. Raises PlanError."""
        match step:
            case SectionHeading(title):
                self.put("", title, note=title, heading=True)
            case SafeState():
                self.safe_state()
            case Compute(name, value, _):
                self.values[name] = self._fold(value)
            case Check(value, centre, limit, _, text, why):
                off = self._fold(value) - self._fold(centre)
                if not abs(off) <= limit:
                    raise PlanError(
                        f"{text.capitalize()}: by {off * self.unit:+.3f} mm", f"The guard: {why}", "Measure again"
                    )
            case NoCommonShift():
                if self.profile.common_shift is not None:
                    self.put(self.comment("THE COMMON SHIFT MUST BE ZERO, LOOK BEFORE STARTING"), "look at the table")
            case NoShift():
                self.operator_stop(NO_SHIFT)
            case Store(row, values):
                self.store_row(row, [(axis, Number(self._fold(value))) for axis, value in values])
            case ReadBack(row, values):
                shown = "  ".join(f"{axis.upper()} {self.figure(self._fold(value))}" for axis, value in values)
                self.put(self.comment(f"{row} THEN READS {shown}"), "compare with the control's screen")
            case TurnTable(letter, by):
                self.turn_table(letter, by)
            case OperatorStop(text, optional):
                self.operator_stop(text, optional=optional)
            case KeepAngle(row, value):
                self.keep_angle(row, value)
            case ToolHolds(number, table, values, _, _):
                told = "  ".join(f"{axis.upper()} {self.figure(value)}" for axis, value in values)
                self.put(self.comment(f"{table} OF OFFSET {number} READS {told}"), "compare with the control's screen")
            case RowHolds(row, values):
                told = "  ".join(f"{axis.upper()} {self.figure(value)}" for axis, value in values)
                self.put(self.comment(f"{row} READS {told}"), "compare with the control's screen")
            case SpindleStop() | StoreTool() | TurretCall() | RowCall() | ProgramRapid():
                self.shared_step(step)
            case Release():
                pass  # every value is a figure here
            case Report(words, values, inches):
                figures = tuple((letter, float(self._fold(value)), 4 if d < 0 else d) for letter, value, d in values)
                self.results.append(ResultLine(words, figures, inches))
            case _:
                raise unknown(step)
