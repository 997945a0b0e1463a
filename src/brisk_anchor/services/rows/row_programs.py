"""How a row is set by a program, and all parts that only read, put together."""

from __future__ import annotations

from dataclasses import replace

from brisk_anchor.book.entries import EntryKind
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.offsets.checks import stop_where_found
from brisk_anchor.core.offsets.conditions import grown
from brisk_anchor.core.offsets.rotated_offsets import u_of_point
from brisk_anchor.core.offsets.rules import Fixed, FromFit, Keep, Rule, features_in
from brisk_anchor.core.offsets.setup import DrawnFeature, RowPlan
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.plan import StorePlan
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.machine.ports import ControlLink
from brisk_anchor.services.measure.measured_tops import counted_from_tops, tops_first
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.rows.measurement_planner import MeasurementPlanner
from brisk_anchor.services.rows.offset_solver import OffsetSolver
from brisk_anchor.services.rows.program_heads import ProgramHeads, ProgramSeries
from brisk_anchor.services.rows.row_states import RowStates
from brisk_anchor.services.rows.working_state import WorkingState


class RowPrograms:
    """Programs that set rows. It reads and never changes anything."""

    def __init__(
        self,
        working: WorkingState,
        profile: Profile,
        rows: RowStates,
        solver: OffsetSolver,
        heads: ProgramHeads,
        planner: MeasurementPlanner,
    ) -> None:
        self._working = working
        self._profile = profile
        self._rows = rows
        self._solver = solver
        self._heads = heads
        self._planner = planner

    def jump_reference(self, row: str) -> tuple[dict[str, float], str, float]:
        """What a new value is compared with: the nominal place on the set-up. A table row may hold the last job's."""
        return self._rows.expected(row), "where the set-up puts it", self._working.setup.row(row).jump_limit

    def store_plan(self, row: str, rules: dict[str, Rule]) -> StorePlan:
        """How a row is set by rules, with what guards it; figures of the drawing at the part's temperature."""
        rules = grown(rules, self._working.setup.conditions)
        reference, _, limit = self.jump_reference(row)
        if "r" not in rules and self._profile.angle_of(row) is not None:
            rules, reference = {**rules, "r": Fixed(0.0)}, {**reference, "r": 0.0}  # no angle of another job stays
        features = self._solver.features()
        fitted = dict.fromkeys(n for rule in rules.values() if isinstance(rule, FromFit) for n in rule.names)
        weights = tuple((name, 1 / u_of_point(features[name]) ** 2) for name in fitted if name in features)
        weights = weights if len(weights) == len(fitted) else ()
        names = dict.fromkeys(name for rule in rules.values() for name in features_in(rule))
        setup = self._working.setup
        built = tuple((d.name, d.kind, d.of) for d in setup.features if d.of and d.name in names)
        return StorePlan(
            row, tuple(rules.items()), tuple(reference.items()), limit, weights, built, setup.row(row).turner
        )

    def _measurement(self, drawn: DrawnFeature) -> Measurement:
        """How a program measures a feature: as it was done on the bench, else as the drawing proposes."""
        working = self._working
        known = working.measured.get(drawn.name)
        if known is not None and known.measurement is not None:
            return known.measurement
        if drawn.found:
            return self._planner.measurement_of(working.requests[drawn.name])
        return build_measurement(working.setup, point_at(working.setup, drawn))

    def rules_of_program(self, plan: RowPlan) -> dict[str, Rule]:
        """The rules a program sets a row by: what was found by hand, on no drawing, it takes as the figures it came to.

        Raises:
            PlanError: the row is set from nothing.
        """
        hands = {
            drawn.name for drawn in self._working.setup.features if drawn.found and drawn.name in self._working.by_hand
        }
        fixed = {axis for axis, rule in plan.rules.items() if hands.intersection(features_in(rule))}
        if fixed & {"x", "y", "r"} and "r" in plan.rules:
            fixed |= {"x", "y", "r"}  # a turned zero depends on all three
        if plan.rules and not fixed:
            return plan.rules
        stored = self._rows.last(plan.row, EntryKind.STORED)
        chain = self._solver.chain(plan.row) or (stored.chain if stored is not None else None)
        if chain is None:
            raise PlanError(
                f"{plan.row} is set from nothing yet", "There is no program to write", "Measure, then set it"
            )
        known: dict[str, Rule] = {
            axis.axis: Fixed(axis.value, axis.u) if axis.written else Keep()
            for axis in chain.axes
            if not plan.rules or axis.axis in fixed
        }
        return plan.rules | known

    def full_program(self, row: str) -> Program:
        """The program that measures everything a row needs and sets it, for a control without us.

        It measures as it was done on the bench; what was not measured there yet, as the drawing proposes.

        Raises:
            SecondLookError: a finding stops. PlanError: it cannot be written.
        """
        setup = self._working.setup
        plan = setup.row(row)
        rules = self.rules_of_program(plan)
        measurements = self.retouching(row)
        title = f"{setup.part} {plan.title} to {row}"
        store = self.store_plan(row, rules)
        number = self._heads.number(ProgramSeries.MEASURE_AND_STORE, row)
        return write_program(self._heads.plan_of(number, title, measurements, store), self._profile)

    def retouching(self, row: str) -> list[Measurement]:
        """Everything a row needs, measured once more, tops first.

        Raises:
            SecondLookError: a finding stops.
        """
        setup = self._working.setup
        plan = setup.row(row)
        needed = setup.touched(replace(plan, rules=self.rules_of_program(plan)).features)
        made = [self._measurement(setup.drawn(name)) for name in needed]
        measurements = counted_from_tops(setup, tops_first(setup, made, lambda m: m))
        stop_where_found(
            [look for measurement in measurements for look in self._planner.look_before_moving(measurement)]
        )
        return measurements

    def retouching_program(self, row: str, measurements: list[Measurement]) -> Program:
        """The program that measures them and sets nothing: what proves a row on a control."""
        title = f"{self._working.setup.part} touched again for {row}"
        return write_program(
            self._heads.plan_of(self._heads.number(ProgramSeries.PROVE, row), title, measurements, None), self._profile
        )


@dataclass(frozen=True, slots=True)
class WorkedOut:
    """What follows from a working state. None of these parts moves, stores or marks anything."""

    working: WorkingState
    rows: RowStates
    solver: OffsetSolver
    heads: ProgramHeads
    planner: MeasurementPlanner
    programs: RowPrograms

    @classmethod
    def of(cls, working: WorkingState, link: ControlLink, ledger: Ledger) -> WorkedOut:
        """The parts over a state, with the tables of a control and the entries of a book."""
        rows = RowStates(working, link, ledger)
        solver = OffsetSolver(working, link, rows)
        heads = ProgramHeads(working, link.profile)
        planner = MeasurementPlanner(working, link.profile, heads, lambda: link.angles)
        programs = RowPrograms(working, link.profile, rows, solver, heads, planner)
        return cls(working, rows, solver, heads, planner, programs)
