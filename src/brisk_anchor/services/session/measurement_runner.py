"""Measuring: a program handed over and run, its report taken, the feature kept."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from brisk_anchor.book.entries import EntryKind
from brisk_anchor.core.errors import CrashError, PlanError, ReportError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.offsets.checks import Finding, look_at_control, look_at_feature, stop_where_found
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.control_solution import agreements
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.programs.reports import RunReport, parse_reports
from brisk_anchor.services.machine.ports import ControlLink, OperatorPanel
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.measure.by_hand import ByHand
from brisk_anchor.services.measure.features_touched import (
    feature_from,
    feature_of_touches,
    touches_from,
    touches_reported,
)
from brisk_anchor.services.measure.found_features import found_feature, request_of
from brisk_anchor.services.measure.limits_stated import stated_of
from brisk_anchor.services.measure.measurement_request import MeasurementRequest
from brisk_anchor.services.measure.touch_again import with_places
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.rows.row_programs import WorkedOut
from brisk_anchor.services.rows.working_state import Measured


@dataclass(frozen=True, slots=True)
class Solved:
    """A feature of a finished run, all touches it made, what the control reported, and what was stated of it."""

    feature: Feature
    touches: tuple[Touch, ...]
    report: RunReport
    stated: Stated


class MeasurementRunner:
    """Runs measurements and keeps what they found."""

    def __init__(self, parts: WorkedOut, link: ControlLink, panel: OperatorPanel, ledger: Ledger) -> None:
        self._working, self._rows, self._solver, self._planner = parts.working, parts.rows, parts.solver, parts.planner
        self._link = link
        self._panel = panel
        self._ledger = ledger

    def look(self, measurement: Measurement) -> list[Finding]:
        """Second look before a measurement is started: at the control, then at what is asked for."""
        return look_at_control(self._link.condition) + self._planner.look_before_moving(measurement)

    def start(self, program: Program) -> Run:
        """Hand a program over and make it ready to run.

        Raises:
            SecondLookError: the machine is not homed, its door is open, an alarm stands, or a program is held.
        """
        self._link.hand_over(program)
        return self._panel.start()

    def solved(self, measurement: Measurement, program: Program, run: Run) -> Solved:
        """The feature of a finished run, with its touches and its report.

        Raises:
            BriskAnchorError: the run did not end well, the report is incomplete, or the touches define nothing.
        """
        return self._solved(measurement, self._report_of(program, run))

    def _solved(self, measurement: Measurement, report: RunReport) -> Solved:
        touches = touches_reported(measurement, report)
        stated = self._stated(measurement.name, half_turn=measurement.options.half_turn)
        return Solved(feature_from(measurement, touches, stated), tuple(touches), report, stated)

    def _report_of(self, program: Program, run: Run) -> RunReport:
        """The report of a run that ended well. Raises BriskAnchorError: it did not, or something is missing."""
        if failure := run.failure():
            self._working.crashed = self._working.crashed or isinstance(failure, CrashError)
            raise failure
        report = parse_reports(run.printed)
        if report.identity != program.identity:
            raise PlanError("The report belongs to another program", "Its touches mean something else", "Run it again")
        return report

    def _stated(self, name: str, *, half_turn: bool = False) -> Stated:
        """What is stated of a measurement that is made now."""
        now, working = datetime.now(UTC).isoformat(timespec="milliseconds"), self._working
        return stated_of(working.setup, name, measurement=now, clamping=working.clamped, half_turn=half_turn)

    def take(self, measurement: Measurement, program: Program, run: Run) -> Measured:
        """Read the report of a finished run, solve the feature, compare with the control, keep it.

        Where some places were touched again, their touches replace those before, and nothing is compared: the
        control saw no others.

        Raises:
            BriskAnchorError: the run did not end well, the report is incomplete, or the touches define nothing.
        """
        self._link.settle()
        return self.take_report(measurement, self._report_of(program, run))

    def take_report(
        self, measurement: Measurement, report: RunReport, *, at: datetime | None = None, noted: str | bool = True
    ) -> Measured:
        """The same from a report, of a run that was made elsewhere.

        Args:
            measurement: what was asked for.
            report: of its program.
            at: when it was heard; None is now.
            noted: whether rows that are complete with it get an entry in the book, and what its note says besides;
                an entry with these words is not made twice.

        Raises:
            BriskAnchorError: the report is incomplete, or the touches define nothing. Nothing is kept then.
        """
        if measurement.only:
            return self._take_places(measurement, report, at, noted=noted)
        solved = self._solved(measurement, report)
        feature, told = solved.feature, solved.report.solved.get(1, {})
        ours = dict(zip(feature.axes, feature.coordinates, strict=True))
        ours |= {} if measurement.known_size else feature.sizes
        if lacking := [axis.upper() for axis in ours if axis.upper() not in told]:
            raise ReportError(
                f"The control did not report its own {', '.join(lacking)} of {measurement.title or feature.name}",
                "It dropped a line, and its arithmetic cannot be compared with ours",
                "Run it again",
            )
        found = agreements(measurement, solved.touches, told, feature, solved.stated)
        feature = replace(feature, control=tuple(agreement.ratio for agreement in found if not agreement.is_size))
        sizes = (measurement.size, measurement.size_y, measurement.size_limit)
        working = self._working
        measured = Measured(measurement, feature, found, at or datetime.now(UTC), working.clamping, sizes)
        return self.keep(measured, request_of(measurement), noted=noted)

    def _take_places(
        self, measurement: Measurement, report: RunReport, at: datetime | None, *, noted: str | bool
    ) -> Measured:
        working, name = self._working, measurement.name
        made = touches_reported(measurement, report)
        before = working.measured.get(name)
        whole = replace(measurement, only=())
        if before is None or before.measurement != whole or not working.holds(name):
            raise PlanError(
                f"{measurement.title or name} was measured anew or clamped again since",
                "The new touches belong to none of its own",
                "Measure the whole feature",
            )
        touches = with_places(measurement, before.feature, touches_from(measurement, made))
        feature = feature_of_touches(whole, touches, self._stated(name, half_turn=whole.options.half_turn))
        feature = replace(feature, control=before.feature.control)
        measured = replace(before, feature=feature, agreements=(), at=at or datetime.now(UTC))
        return self.keep(measured, request_of(whole), noted=noted)

    def keep(self, measured: Measured, request: MeasurementRequest, *, noted: str | bool = True) -> Measured:
        """Note a measured feature, and every row that is complete with it; one that is not drawn joins the set-up."""
        working, name = self._working, measured.feature.name
        if self._link.turned_round and measured.measurement is not None:
            working.half_round[name] = measured.feature
            return measured
        working.measured[name] = measured
        if measured.measurement is not None:
            working.by_hand.pop(name, None)
        known = next((drawn for drawn in working.setup.features if drawn.name == name), None)
        if known is None or known.found:
            table = measured.measurement.options.table if measured.measurement is not None else ()
            found = found_feature(working.setup, measured.feature, request, table)
            others = tuple(drawn for drawn in working.setup.features if drawn.name != name)
            working.setup = replace(working.setup, features=(*others, found))
            working.requests[name] = replace(request, drawn=found)
        for row in working.setup.rows:
            if not noted or name not in self._rows.needed(row) or self._rows.missing(row.row):
                continue
            words = f"{name} measured" + (f", {noted}" if isinstance(noted, str) else "")
            newest = self._ledger.history(row.row)[-1:]
            if not (isinstance(noted, str) and newest and newest[0].note == words):
                self._ledger.add(EntryKind.MEASURED, row.row, self._solver.chain(row.row), note=words)
        return measured

    def take_by_hand(self, by_hand: ByHand) -> Measured:
        """Keep a feature that was measured by hand, with nothing to compare the arithmetic with.

        Raises:
            GeometryError: its figures contradict each other. SecondLookError: its size cannot be.
        """
        by_hand = replace(by_hand, stated=self._stated(by_hand.name))
        feature = by_hand.feature()
        request = by_hand.request
        limit = request.drawn.size_limit if request.drawn else None
        sizes = (request.size, request.size_y, limit)
        measured = Measured(None, feature, (), datetime.now(UTC), self._working.clamping, sizes)
        stop_where_found(look_at_feature(feature, *sizes))
        self._working.by_hand[feature.name] = by_hand
        return self.keep(measured, request)

    def measure(self, measurement: Measurement) -> Measured:
        """The whole measurement in one go, for callers that do not watch. Raises like its parts."""
        program = self._planner.measuring_program(measurement)
        run = self.start(program)
        run.to_end()
        return self.take(measurement, program, run)
