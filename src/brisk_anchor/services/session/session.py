"""One job on one machine: measure, work out, look, store, prove. What both the screen and the command line drive."""

from __future__ import annotations

import copy
import math
from collections.abc import Callable, Iterable
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Self

from brisk_anchor.book.entries import Entry, EntryKind, RowState
from brisk_anchor.core.errors import BriskAnchorError, DatumError, GeometryError, PlanError, ReportError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.touches import Touch, without_run_out
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.offsets.chain import Chain, solve_offset
from brisk_anchor.core.offsets.checks import (
    Finding,
    look_at_feature,
    look_at_jump,
    look_at_measurement,
    look_at_start,
    look_at_store,
)
from brisk_anchor.core.offsets.proof import Agreement, Proof
from brisk_anchor.core.offsets.rotated_offsets import u_of_point
from brisk_anchor.core.offsets.rules import Fixed, FromFit, Keep, Rule, features_in
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.offsets.tool_setting import look_at_probe
from brisk_anchor.core.uncertainty.estimates import u_within
from brisk_anchor.nc.profile.control_profile import Profile, shipped_profile
from brisk_anchor.nc.programs.plan import Plan, StorePlan
from brisk_anchor.nc.programs.program import Program, row_word
from brisk_anchor.nc.programs.reports import RunReport, parse_reports, touches_of
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.machine.runs import Run, RunStopped
from brisk_anchor.services.measure.by_hand import ByHand
from brisk_anchor.services.measure.face_check import look_at_faces
from brisk_anchor.services.measure.measured_tops import counted_from_tops, from_top, tops_first, tops_of
from brisk_anchor.services.measure.measurement_request import MeasurementRequest, build_measurement, point_at
from brisk_anchor.services.session.offset_solver import OffsetSolver
from brisk_anchor.services.session.session_state import Measured, known_of
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene

if TYPE_CHECKING:
    from brisk_anchor.book.store import Book

FIRST_NUMBER = 2100
"""Of the measuring program, where the job states none; 100 and 200 further on, and by row, those that set it."""


class SecondLookError(BriskAnchorError):
    """The second look found something that stops; `looks` lists all of it."""

    def __init__(self, looks: list[Finding]) -> None:
        self.looks = looks
        first = next(look for look in looks if look.stops)
        super().__init__(first.found, first.why, first.do)


def feature_from(measurement: Measurement, touches: list[Touch]) -> Feature:
    """The feature of a measurement from the touches it made. Raises GeometryError: they define nothing."""
    counted = measurement.counted(touches)
    made = without_run_out(counted, measurement.repeats) if measurement.half_turn else counted
    if not measurement.known_size:
        return solve(measurement.name, measurement.kind, tuple(made))
    off = u_within(measurement.size_limit)
    return solve(measurement.name, measurement.kind, tuple(made), diameter=measurement.size, u_diameter=off)


class Session(OffsetSolver):
    """The state of a job. Methods that run for long take no screen with them and may be called from a thread."""

    @classmethod
    def open(
        cls,
        scene_name: str,
        book: Book | None,
        *,
        seed: int | None = 1,
        profile: Profile | None = None,
        machine_file: Path | None = None,
    ) -> Session:
        """Open a scene, with its own profile unless another is given.

        Raises:
            SceneError, ProfileError, StateError, BookError: what cannot be used.
        """
        scene = build_scene(load_scene(scene_name))
        control = profile or shipped_profile(scene.setup.machine.profile)
        return cls(scene, book, control, seed=seed, machine_file=machine_file)

    @classmethod
    def with_book(cls, book: Book, make: Callable[[Book], Session]) -> Session:
        """The session that is made with a book; where that fails the book is closed. Raises what `make` raises."""
        try:
            return make(book)
        except BaseException:
            book.close()
            raise

    def close(self) -> None:
        """Let go of the book. Whoever opens a session closes it, or uses it in a `with`."""
        if self.book is not None:
            self.book.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def with_setup(self, setup: Setup) -> Session:
        """The same job with another set-up, to work things out with: what is measured in it is not kept here."""
        other = copy.copy(self)
        other.setup, other.measured = setup, dict(self.measured)
        return other

    # -- measuring ---------------------------------------------------------------------------------------------

    def look(self, measurement: Measurement) -> list[Finding]:
        """Second look before a measurement; a probe that is to be calibrated may measure, and says so."""
        probe = [replace(look, stops=False) for look in look_at_probe(self.setup.shelf.probe, self.calibration_age)]
        drawn = next((feature for feature in self.setup.features if feature.name == measurement.name), None)
        centred = look_at_start(measurement, drawn.machine) if drawn else []
        beside = look_at_faces(self.scene, measurement)
        return look_at_measurement(measurement, self.setup.machine.travel) + beside + centred + probe

    @property
    def first_number(self) -> int:
        """The number of the measuring program; those that set a row count on from it."""
        return self.setup.card.program or FIRST_NUMBER

    def _number(self, series: int, row: str) -> int:
        """The number of a program for a row, in the order the control has them; extended ones lie above the rest."""
        at = list(self.profile.all_rows).index(row)
        extended = at - len(self.profile.offsets)
        number = 54 + at + 100 * series if extended < 0 else 398 + 2 * extended + series
        return self.first_number + number

    def plan_of(self, number: int, title: str, measurements: Iterable[Measurement], store: StorePlan | None) -> Plan:
        """A plan with the head of this job."""
        comment = self.setup.card.comment
        return Plan(
            number=number,
            title=f"{title}  {comment}" if comment else title,
            machine=self.setup.machine.name,
            part=self.setup.part,
            date=date.today().isoformat(),
            home_z=self.setup.machine.home[2],
            measurements=tuple(measurements),
            store=store,
        )

    def plan(self, series: int, row: str, title: str, stores: list[StorePlan], stop: str = "") -> Plan:
        """A plan that measures nothing and sets rows, with the number of a series of programs."""
        plan = self.plan_of(self._number(series, row), title, [], stores[0])
        return replace(plan, also=tuple(stores[1:]), stop=stop)

    def measurement_of(self, request: MeasurementRequest) -> Measurement:
        """The measurement that is asked for, its depth counted from its own top where that was measured already.

        Raises:
            PlanError: marks that are no feature, or a figure that is missing or makes no sense.
        """
        measurement = build_measurement(self.setup, request)
        counted = self.from_measured_top(measurement)
        top, drawn = counted.top, request.drawn
        if top is None or top.found is None or drawn is None or measurement.starts_over:
            return counted
        if math.isclose(request.start[2], point_at(self.setup, drawn).start[2], abs_tol=1e-6):
            return counted
        # The tip was brought here by hand: it stays where it is, and how deep that is follows from the top.
        depth = top.found - (request.start[2] - measurement.stylus.length)
        return replace(measurement, depth=depth, top=replace(top, nominal=top.found))

    def from_measured_top(self, measurement: Measurement) -> Measurement:
        """The measurement with its depths counted from its own top, where that was measured since the last clamping."""
        if not measurement.touches_walls:
            return measurement
        for face in tops_of(self.setup, measurement.name):
            known = self.measured.get(face.name)
            if known is None or known.clamping != self.clamping or "z" not in known.feature.axes:
                continue
            table = known.measurement.table if known.measurement is not None else ()
            if table == measurement.table:
                z = known.feature.coordinates[known.feature.axes.index("z")]
                return from_top(measurement, face, z)
        return measurement

    def measuring_program(self, measurement: Measurement) -> Program:
        """The program that makes one measurement and stores nothing.

        Raises:
            SecondLookError: a finding stops. PlanError: it cannot be written.
        """
        looks = self.look(measurement)
        if any(look.stops for look in looks):
            raise SecondLookError(looks)
        title = f"measure {measurement.title or measurement.name}"
        return write_program(self.plan_of(self.first_number, title, [measurement], None), self.profile)

    def solved(self, measurement: Measurement, program: Program, run: Run) -> tuple[Feature, RunReport]:
        """The feature of a finished run, and its report.

        Raises:
            BriskAnchorError: the run did not end well, the report is incomplete, or the touches define nothing.
        """
        if failure := run.failure():
            raise failure
        report = parse_reports(run.printed)
        if report.identity != program.identity:
            raise PlanError("The report belongs to another program", "Its touches mean something else", "Run it again")
        labels = [f"{measurement.name} {number}" for number in range(1, measurement.touch_count + 1)]
        return feature_from(measurement, touches_of(report, measurement.stylus, labels)), report

    def take(self, measurement: Measurement, program: Program, run: Run) -> Measured:
        """Read the report of a finished run, solve the feature, compare with the control, keep it.

        Raises:
            BriskAnchorError: the run did not end well, the report is incomplete, or the touches define nothing.
        """
        self.save()
        feature, report = self.solved(measurement, program, run)
        told = report.solved.get(1, {})
        ours = dict(zip(feature.axes, feature.coordinates, strict=True))
        ours |= {} if measurement.known_size else feature.sizes
        if lacking := [axis.upper() for axis in ours if axis.upper() not in told]:
            raise ReportError(
                f"The control did not report its own {', '.join(lacking)} of {measurement.title or feature.name}",
                "It dropped a line, and its arithmetic cannot be compared with ours",
                "Run it again",
            )
        agreements = tuple(
            Agreement(feature.name, label.upper(), value, told[label.upper()], label in feature.sizes)
            for label, value in ours.items()
        )
        sizes = (measurement.size, measurement.size_y, measurement.size_limit)
        self.active = run.interpreter.modal.offset
        return self._keep(Measured(measurement, feature, agreements, datetime.now(UTC), self.clamping, sizes))

    def _keep(self, measured: Measured) -> Measured:
        """Note a measured feature, and every row that is complete with it."""
        name = measured.feature.name
        if self.machine.turned_round and measured.measurement is not None:
            self.half_round[name] = measured.feature
            return measured
        self.measured[name] = measured
        for row in self.setup.rows:
            if name in self.needed(row) and not self.missing(row.row):
                self.ledger.add(EntryKind.MEASURED, row.row, self.chain(row.row), note=f"{name} measured")
        return measured

    def take_by_hand(self, by_hand: ByHand) -> Measured:
        """Keep a feature that was measured by hand, with nothing to compare the arithmetic with.

        Raises:
            GeometryError: its figures contradict each other. SecondLookError: its size cannot be.
        """
        feature = by_hand.feature()
        request = by_hand.request
        limit = request.drawn.size_limit if request.drawn else None
        measured = Measured(None, feature, (), datetime.now(UTC), self.clamping, (request.size, request.size_y, limit))
        looks = look_at_feature(feature, *measured.sizes)
        if any(look.stops for look in looks):
            raise SecondLookError(looks)
        return self._keep(measured)

    def measure(self, measurement: Measurement) -> Measured:
        """The whole measurement in one go, for callers that do not watch. Raises like its parts."""
        program = self.measuring_program(measurement)
        run = self.start(program)
        run.to_end()
        return self.take(measurement, program, run)

    # -- offset ------------------------------------------------------------------------------------------------

    def look_before_store(self, row: str) -> list[Finding]:
        """Second look before a store.

        Raises:
            DatumError: when the row is not complete. GeometryError: what was measured contradicts itself.
        """
        plan = self.setup.row(row)
        self.may_change(row)
        held, features = self.table_values(row), self.features(strict=True)
        chain = solve_offset(row, plan.rules, features, held, self.parents(), plan.turner)
        used = [self.measured[name] for name in self.needed(plan)]
        reference, name, limit = self.jump_reference(row)
        differences = [abs(a.difference) for m in used for a in m.agreements if not a.is_size]
        looks = look_at_store(
            chain,
            reference,
            name,
            limit,
            stale=any(m.clamping != self.clamping for m in used),
            control_difference=max(differences, default=None),
        )
        if any(measured.measurement is not None for measured in used):
            looks += look_at_probe(self.setup.shelf.probe, self.calibration_age)
        for measured in used:
            looks += look_at_feature(measured.feature, *measured.sizes)
        looks += look_at_jump(chain, self.table_values(row), self.ledger.limit(row))
        return looks

    def jump_reference(self, row: str) -> tuple[dict[str, float], str, float]:
        """What a new value is compared with: the nominal place on the set-up. A table row may hold the last job's."""
        return self.expected(row), "where the set-up puts it", self.setup.row(row).jump_limit

    def store_plan(self, row: str, rules: dict[str, Rule]) -> StorePlan:
        """How a row is set by rules, with what guards it."""
        reference, _, limit = self.jump_reference(row)
        if "r" not in rules and self.profile.angle_of(row) is not None:
            rules, reference = {**rules, "r": Fixed(0.0)}, {**reference, "r": 0.0}  # no angle of another job stays
        features = self.features()
        fitted = dict.fromkeys(n for rule in rules.values() if isinstance(rule, FromFit) for n in rule.names)
        weights = tuple((name, 1 / u_of_point(features[name]) ** 2) for name in fitted if name in features)
        weights = weights if len(weights) == len(fitted) else ()
        names = dict.fromkeys(name for rule in rules.values() for name in features_in(rule))
        built = tuple((d.name, d.kind, d.of) for d in self.setup.features if d.of and d.name in names)
        turner = self.setup.row(row).turner
        return StorePlan(row, tuple(rules.items()), tuple(reference.items()), limit, weights, built, turner)

    def full_program(self, row: str) -> Program:
        """The program that measures everything a row needs and sets it, for a control without us.

        It measures as it was done on the bench; what was not measured there yet, as the drawing proposes.

        Raises:
            SecondLookError: a finding stops. PlanError: it cannot be written.
        """
        plan = self.setup.row(row)
        drawn = {feature.name: feature for feature in self.setup.features}
        made = [
            (self.measured[name].measurement if name in self.measured else None)
            or build_measurement(self.setup, point_at(self.setup, drawn[name]))
            for name in self.needed(plan)
        ]
        measurements = counted_from_tops(self.setup, tops_first(self.setup, made, lambda m: m))
        looks = [look for measurement in measurements for look in self.look(measurement)]
        if any(look.stops for look in looks):
            raise SecondLookError(looks)
        title = f"{self.setup.part} {plan.title} to {row}"
        store = self.store_plan(row, plan.rules)
        return write_program(self.plan_of(self._number(2, row), title, measurements, store), self.profile)

    def store(self, row: str) -> Chain:
        """Write the worked-out offset into the control's table by a program, then into the book.

        Raises:
            DatumError: incomplete. SecondLookError: a finding stops. RunStopped: the control refused.
            BookWriteError: the book could not be written. The control's table is then put back as it was.
        """
        looks = self.look_before_store(row)
        if any(look.stops for look in looks):
            raise SecondLookError(looks)
        chain = self.chain(row)
        if chain is None:
            raise DatumError(f"{row} is not complete", "", "Measure what is missing")
        rules: dict[str, Rule] = {
            axis.axis: Fixed(axis.value, axis.u) if axis.written else Keep() for axis in chain.axes
        }
        self.write(chain, replace(self.store_plan(row, rules), turner=None, table=chain.table))
        if chain.table is not None:
            self.table_turned(row, chain.table)
        return chain

    def write(self, chain: Chain, plan: StorePlan) -> None:
        """Put a row into the control's table by a program, read it back, and into the book; or leave all as it was.

        Raises:
            RunStopped: the control refused. BookWriteError: the book could not be written.
        """
        row = chain.row
        self._not_locked(row)
        program = write_program(self.plan_of(self._number(1, row), f"set {row}", [], plan), self.profile)
        before = self.table_values(row)
        run = self.start(program)
        run.to_end()
        try:
            if failure := run.failure():
                raise failure
            if row_word(row) not in parse_reports(run.printed).stored:
                raise RunStopped(f"The program ended without storing {row}", "Nothing is known of the table", "Look")
            self.read_back(row, chain)
            stored = self.ledger.entry(EntryKind.STORED, row, chain, note=f"set by O{program.number:04d}")
            self.ledger.add_all([stored, *self.followers(row, chain)])
        except BriskAnchorError:
            self.write_row(row, before)  # no value stays in the table that failed a check
            raise
        finally:
            self.save()

    def may_change(self, row: str) -> None:
        """Raises DatumError where nothing may change a row: it is locked, or kept for the tool setter."""
        self._not_locked(row)
        setter = self.setup.shelf.setter
        if setter is not None and setter.row == row:
            what = f"{row} is kept for {setter.name}"
            raise DatumError(what, "Every tool's length hangs on it", "Use another offset, or take it on the shelf: 6")

    def _not_locked(self, row: str) -> None:
        if self.ledger.locked(row):
            raise DatumError(
                f"{row} is locked", "Nothing writes it while it is", "Unlock it in the book, if that is meant"
            )

    def followers(self, row: str, chain: Chain) -> list[Entry]:
        """What a store means for the rows derived from it: the next ones are to be stored anew, others are stale."""
        entries = []
        for child in self.children(row):
            note = f"follows {row}"
            if self.parent_of(child) == row:
                parents = {**self.parents(), row: known_of(chain)}
                plan = self.setup.row(child)
                try:
                    new = solve_offset(child, plan.rules, self.features(), self.table_values(child), parents)
                except (DatumError, GeometryError):
                    continue  # its own features are not measured yet
                entries.append(self.ledger.entry(EntryKind.MEASURED, child, new, note=note))
            elif self.state(child) not in (RowState.EMPTY, RowState.PART, RowState.STALE):
                entries.append(self.ledger.entry(EntryKind.STALE, child, None, note=note))
        return entries

    def read_back(self, row: str, chain: Chain) -> None:
        """Compare the control's table with the chain, whatever the program could check itself."""
        held = self.table_values(row)
        for axis in chain.axes:
            if axis.written and abs(held[axis.axis] - axis.value) > 2 * self.profile.resolution:
                name = f"{row} {axis.axis.upper()}"
                raise RunStopped(
                    f"{name} reads {held[axis.axis]:+.4f} after the program, not {axis.value:+.4f}",
                    "The control did not take what was written",
                    "Look whether the table is locked, and whether the profile is this control's",
                )

    # -- proof -------------------------------------------------------------------------------------------------

    def proving_run(self, program: Program) -> Run:
        """A run of a program on a twin of the machine; the machine itself and its tables are not touched."""
        twin = self.machine.twin(seed=len(self.machine.motions) + 7)
        twin.turned_round = False  # a program finds the spindle as it always stands
        # What outlasts a program on the control is there for this one too: the angles of rows, say.
        memory = Memory(self.control.memory.common)
        return Run(program, self.profile, twin, Interpreter(program.text, self.profile, twin, memory))

    def judge(self, row: str, program: Program, run: Run) -> Proof:
        """Compare what a proving run left in the twin's table with the stored value, and enter it in the book.

        Two honest measurements of the same thing differ by no more than 3 × √2 × their standard uncertainty, plus one
        step of the table.

        Raises:
            BriskAnchorError: the run did not end well, or nothing has been stored yet.
        """
        if failure := run.failure():
            raise failure
        stored = self.last(row, EntryKind.STORED)
        if stored is None:
            raise PlanError(f"{row} has not been stored yet", "There is nothing to prove", "Store it first")
        values = self.table_values(row, run)
        worst = max(abs(values[axis] - value) for axis, value in stored.values.items() if axis != "r")
        own = stored.chain
        random = [math.sqrt(own.own_variance(axis)) for axis in stored.values if axis != "r"] if own else [0.0]
        allowed = 3 * math.sqrt(2) * max(random) + self.profile.resolution
        proof = Proof(
            program.number,
            program.digest,
            tuple(values.items()),
            worst,
            allowed,
            len(parse_reports(run.printed).touches),
            run.machine.seconds,
            abs(values["r"] - stored.values["r"]) if "r" in stored.values else 0.0,
            self._angle_allowed(stored),
            *self.proved_with,
        )
        words = f"O{program.number:04d} " + ("agrees" if proof.holds else "does not agree")
        self.ledger.add(EntryKind.PROVED, row, stored.chain, proof=proof, note=words)
        return proof

    def _angle_allowed(self, stored: Entry) -> float:
        """How far two honest measurements of a row's angle may differ, degrees."""
        if stored.chain is None or "r" not in stored.values:
            return 0.0
        return 3 * math.sqrt(2 * stored.chain.own_variance("r")) + self.profile.resolution

    def prove(self, row: str) -> Proof:
        """Write the full program, run it on the twin, judge it. Raises like its parts."""
        program = self.full_program(row)
        run = self.proving_run(program)
        run.to_end()
        return self.judge(row, program, run)

    # -- truth, which only a stand-in has -------------------------------------------------------------------------

    def true_offset(self, row: str) -> dict[str, float]:
        """The value a perfect measurement would give, machine mm."""
        tips: dict[tuple[str, str], Vector] = {}
        for name in self.setup.row(row).features:
            feature = self.measured[name].feature
            for i, axis in enumerate(feature.axes):
                upper = feature.kind is FeatureKind.TILTED_BORE  # its place is that of the first level
                x, y, z = feature.places[i] if feature.places else feature.touches[0 if upper else -1].ball_centre
                tips[name, axis] = (x, y, z - self.setup.stylus.effective_radius)
        return self.scene.true_offset(self.setup.row(row).rules, tips)
