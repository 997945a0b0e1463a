"""Numbers and heads of the programs of a job."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import date

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.plan import Plan, StorePlan
from brisk_anchor.nc.programs.steps import MarkTool
from brisk_anchor.services.rows.working_state import WorkingState

FIRST_NUMBER = 2100
"""Of the measuring program, where the job states none; 100 and 200 further on, and by row, those that set it."""


class ProgramHeads:
    """Plans with the number, title, machine and part that a program of this job begins with."""

    def __init__(self, working: WorkingState, profile: Profile) -> None:
        self._working = working
        self._profile = profile

    @property
    def first_number(self) -> int:
        """The number of the measuring program; those that set a row count on from it."""
        return self._working.setup.card.program or FIRST_NUMBER

    def number(self, series: int, row: str) -> int:
        """The number of a program for a row, in the order the control has them; extended ones lie above the rest."""
        at = list(self._profile.all_rows).index(row)
        extended = at - len(self._profile.offsets)
        number = 54 + at + 100 * series if extended < 0 else 398 + 2 * extended + series
        return self.first_number + number

    def plan_of(self, number: int, title: str, measurements: Iterable[Measurement], store: StorePlan | None) -> Plan:
        """A plan with the head of this job."""
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

    def marking(self, series: int, number: int, title: str, *, usable: bool) -> Plan:
        """A plan that marks a tool on the control, with the number of a series of programs."""
        first = next(iter(self._profile.offsets))
        plan = self.plan_of(self.number(series, first), title, [], None)
        return replace(plan, mark=MarkTool(number, usable))

    def setting(self, series: int, row: str, title: str, stores: list[StorePlan], stop: str = "") -> Plan:
        """A plan that measures nothing and sets rows, with the number of a series of programs."""
        plan = self.plan_of(self.number(series, row), title, [], stores[0])
        return replace(plan, also=tuple(stores[1:]), stop=stop)
