"""Numbers and heads of the programs of a job."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import date
from enum import IntEnum

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.plan import Plan, StorePlan
from brisk_anchor.nc.programs.steps import MarkTool
from brisk_anchor.services.rows.working_state import WorkingState

FIRST_NUMBER = 2100
"""Of the measuring program, where the job states none; further on, by series and row, those that set and prove it."""
_LAST_NUMBER = 9999
"""The highest that controls take."""


class ProgramSeries(IntEnum):
    """The purposes of a row's programs. Each purpose has its own program number, so the wrong program is not run."""

    STORE = 1
    MEASURE_AND_STORE = 2
    SET = 3
    MARK_TOOL = 4
    PROVE = 5


class ProgramHeads:
    """Plans with the number, title, machine and part that a program of this job begins with."""

    def __init__(self, working: WorkingState, profile: Profile) -> None:
        self._working = working
        self._profile = profile

    @property
    def first_number(self) -> int:
        """The number of the measuring program; those that set a row count on from it."""
        return self._working.setup.card.program or FIRST_NUMBER

    def number(self, series: ProgramSeries, row: str) -> int:
        """The number of a program for a row, in the order the control has them; extended ones lie above the rest."""
        at = list(self._profile.all_rows).index(row)
        extended = at - len(self._profile.offsets)
        number = 54 + at + 100 * series if extended < 0 else 600 + len(ProgramSeries) * extended + series - 1
        return self.first_number + number

    def plan_of(self, number: int, title: str, measurements: Iterable[Measurement], store: StorePlan | None) -> Plan:
        """A plan with the head of this job. Raises PlanError: the number is higher than controls take."""
        if number > _LAST_NUMBER:
            raise PlanError(
                f"The program would have the number O{number}",
                f"Controls take numbers up to O{_LAST_NUMBER}",
                f"Give the job a lower number: `program` {self.first_number - (number - _LAST_NUMBER)} or less",
            )
        setup = self._working.setup
        comment = setup.card.comment
        return Plan(
            number=number,
            title=f"{title}  {comment}" if comment else title,
            machine=setup.machine.name,
            part=setup.part,
            date=date.today().isoformat(),
            home_z=setup.machine.home[2],
            measurements=tuple(measurements),
            store=store,
        )

    def marking(self, number: int, title: str, *, usable: bool) -> Plan:
        """A plan that marks a tool on the control."""
        first = next(iter(self._profile.offsets))
        plan = self.plan_of(self.number(ProgramSeries.MARK_TOOL, first), title, [], None)
        return replace(plan, mark=MarkTool(number, usable))

    def setting(self, row: str, title: str, stores: list[StorePlan], stop: str = "") -> Plan:
        """A plan that measures nothing and sets rows; its number is that of the first."""
        plan = self.plan_of(self.number(ProgramSeries.SET, row), title, [], stores[0])
        return replace(plan, also=tuple(stores[1:]), stop=stop)
