"""What a program for a lathe does: figures it writes to tables, guarded and read back; or a tool brought near to look.

Figures here are ours: mm, X a diameter. The steps hold them as the control's tables and words do, by its profile.
"""

from __future__ import annotations

from collections.abc import Sequence

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Number
from brisk_anchor.core.quantities import dim
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.profile.sections import LatheProfile
from brisk_anchor.nc.programs.program import row_word
from brisk_anchor.nc.programs.steps import (
    AlarmNumber,
    NoCommonShift,
    NoShift,
    OperatorStop,
    ProgramRapid,
    Rapid,
    ReadBack,
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
    TurretCall,
)


@dataclass(frozen=True, slots=True)
class TableFigure:
    """A figure of a table: `row` is a work offset where `number` is 0, else `table` of that offset number."""

    axis: str
    value: float
    row: str = ""
    number: int = 0
    table: str = ""

    @property
    def place(self) -> tuple[str, int, str]:
        """Which row of which table."""
        return self.row, self.number, self.table

    @property
    def title(self) -> str:
        """What it is called in a program and in the book: "G54", "T5 geometry"."""
        return self.row if not self.number else f"T{self.number} {self.table}"


@dataclass(frozen=True, slots=True)
class NearLook:
    """A tool brought near the zero, for a person to look with a rule: its corner at `x` and `z`, then `away`."""

    row: str
    station: int
    offset: int
    x: float
    z: float
    away: tuple[float, float]
    index_at: tuple[float, float]
    """Where the turret may turn, machine position; X is gone to first."""
    nose: tuple[float, float] = (0.0, 0.0)
    """How far the point that the program names lies from the corner: the nose's centre, X a diameter, mm."""


@dataclass(frozen=True, slots=True)
class TurningPlan:
    """A program: `expected` is what the tables must still hold, `writes` what is written; `look` brings a tool near."""

    number: int
    title: str
    machine: str
    part: str
    date: str
    identity: int
    expected: tuple[TableFigure, ...] = ()
    writes: tuple[TableFigure, ...] = ()
    look: NearLook | None = None


def _form(lathe: LatheProfile, figure: TableFigure) -> float:
    """A figure as its table holds it. Raises PlanError: the control has no such table."""
    if not figure.number:
        return lathe.work_offset.shown(figure.axis, figure.value)
    table = lathe.table(figure.table)
    if table is None:
        raise PlanError(f"This control has no table of {figure.table}", "", "Put it into the geometry")
    return table.shown(figure.axis, figure.value)


def _grouped(figures: Sequence[TableFigure]) -> dict[tuple[str, int, str], list[TableFigure]]:
    found: dict[tuple[str, int, str], list[TableFigure]] = {}
    for figure in figures:
        found.setdefault(figure.place, []).append(figure)
    return found


def _holds(lathe: LatheProfile, figures: list[TableFigure], text: str, alarm: int) -> Step:
    first = figures[0]
    values = tuple((figure.axis, _form(lathe, figure)) for figure in figures)
    if first.number:
        return ToolHolds(first.number, first.table, values, text, alarm)
    return RowHolds(first.row, values, text, alarm)


def turning_steps(plan: TurningPlan, profile: Profile) -> tuple[Step, ...]:
    """The steps of a plan for a control.

    Raises:
        PlanError: an empty plan, or a table that the control has not.
    """
    if (lathe := profile.lathe) is None:
        raise PlanError(f"The profile {profile.name} is of no lathe", "", "Choose turn-macro or turn-table")
    if not plan.writes and plan.look is None:
        raise PlanError("The program would do nothing", "", "Measure first")
    steps: list[Step] = [SectionHeading("safe state"), SafeState(), SpindleStop()]
    steps.append(Report(("BEGIN", f"O{plan.number:04d}"), (("I", Number(plan.identity), 0),)))
    if plan.expected:
        steps.append(SectionHeading("the tables as this was worked out"))
        for figures in _grouped(plan.expected).values():
            text = f"{figures[0].title} has changed".upper()
            steps.append(_holds(lathe, figures, text, AlarmNumber.CHANGED))
    if any(not figure.number for figure in plan.writes) or plan.look is not None:
        steps.append(NoCommonShift())
    for (row, number, table), figures in _grouped(plan.writes).items():
        steps.append(SectionHeading(f"set {figures[0].title}"))
        values = tuple((figure.axis, _form(lathe, figure)) for figure in figures)
        if number:
            steps.append(StoreTool(number, table, values))
            steps.append(_holds(lathe, figures, f"{figures[0].title} was not taken".upper(), AlarmNumber.READ_BACK))
        else:
            held = tuple((axis, Number(value)) for axis, value in values)
            steps += [Store(row, held), ReadBack(row, held)]
            steps.append(Report(("STORED", row_word(row)), tuple((a.upper(), v, -1) for a, v in held)))
    if plan.look is not None:
        steps += _look(plan.look, lathe, moves=profile.moves is not None)
    steps.append(Report(("END", f"O{plan.number:04d}"), (("I", Number(plan.identity), 0),)))
    return tuple(steps)


def _look(look: NearLook, lathe: LatheProfile, *, moves: bool) -> list[Step]:
    words = lathe.program
    nose_x, nose_z = look.nose
    x, z = words.shown("x", look.x + nose_x), words.shown("z", look.z + nose_z)
    away_x, away_z = words.shown("x", look.away[0] + nose_x), words.shown("z", look.away[1] + nose_z)
    index: list[Step] = [OperatorStop("THE TURRET MUST STAND WHERE IT MAY TURN")]
    if moves:
        index = [Rapid(x=words.shown("x", look.index_at[0])), Rapid(z=words.shown("z", look.index_at[1]))]
    return [
        SectionHeading("bring the tool near"),
        *index,
        RowCall(look.row),
        TurretCall(look.station, 0, "no offset in force yet"),
        NoShift(look.row),
        TurretCall(look.station, look.offset, "the turret stands where it may turn"),
        ProgramRapid("before the face of the stock", z=away_z),
        ProgramRapid("beside it", x=away_x),
        ProgramRapid("along the axis", z=z),
        ProgramRapid("towards it", x=x),
        OperatorStop(f"TIP AT Z {dim(look.z, 3)} DIA {dim(look.x, 3)}: LOOK WITH A RULE"),
        ProgramRapid("away from it", x=away_x),
        ProgramRapid("back", z=away_z),
        *index,
        TurretCall(look.station, 0, "no offset in force"),
    ]
