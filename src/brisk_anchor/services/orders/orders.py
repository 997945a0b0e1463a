"""The orders of a job at work: programs handed over, reports taken, what others took known as well."""

from __future__ import annotations

import json
import re
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Literal

from brisk_anchor.core.errors import BookError, BriskAnchorError, ExportError, PlanError, ReportError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.inspection.correction import Correction
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.rules import Keep
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import lines_of, read_at_most
from brisk_anchor.nc.programs.heard import Heard, Listener
from brisk_anchor.nc.programs.plan import Plan, StorePlan, TableReading
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.machine.outlet import plainly
from brisk_anchor.services.machine.real_link import RealLink
from brisk_anchor.services.offsets.offset_book import chain_as_booked, edit, writing_program
from brisk_anchor.services.orders.order import (
    Kind,
    Order,
    OrderFolder,
    OrderState,
    WearOrder,
    digest_of,
    order_for,
)
from brisk_anchor.services.orders.since import as_ordered, length_counted_by
from brisk_anchor.services.orders.taking import Taken, program_of_order, replay, take, touches_in
from brisk_anchor.services.plan.plan_file import PlanFile, ToolCheckSection, plan_text
from brisk_anchor.services.plan.plan_tools import tool_check
from brisk_anchor.services.plan.planning import planned, program_of, rows_set
from brisk_anchor.services.results.inspection import Inspection
from brisk_anchor.services.session.session import Session

_AGAIN = 10.0
"""How often, s, a report that book or disk did not take is tried again."""
_VARIABLE = re.compile(r"^\s*([0-9]{1,6})\s+(-?[0-9]{1,12}(?:\.[0-9]{0,12})?)\s*$")
_REPEAT, _TABLE, _LENGTH = 60, 61, 62
"""Programs that stand so far behind the job's first number."""
_REGISTER = "order-folders.json"
_MOST_FOLDERS = 200
_ABOUT, _SEARCH = 4.9, 5.0
"""How far, mm, a tool may be from the length it is known by, and how far beyond it is searched for."""
Progress = Callable[[int, int], bool]


def _quiet(_done: int, _of: int) -> bool:
    return True


@dataclass(frozen=True, slots=True)
class Arrival:
    """What became of a report: `taken` with its order, or why not. `again`: it was taken before, nothing changed.

    `held_up`: book or disk did not take it; it is kept, and tried again.
    """

    heard: Heard
    order: Order | None = None
    taken: Taken | None = None
    error: BriskAnchorError | None = None
    again: bool = False
    offered: str = ""
    """The folder of the job that it was laid down for."""

    @property
    def held_up(self) -> bool:
        """Whether trouble that passes kept it from being taken."""
        return isinstance(self.error, BookError | ExportError)

    @property
    def words(self) -> tuple[str, str, str]:
        """It in two sentences, and their tone."""
        passed = f"Passed over: {'; '.join(self.heard.notes)}. " if self.heard.notes else ""
        if self.again:
            return "This report was taken before: nothing changed.", passed, ""
        if self.offered:
            return (
                f"A report came for another job: it lies in {self.offered}.",
                "Open that job, and it is taken.",
                "ask",
            )
        if self.error is not None:
            parts = (
                self.error.meaning,
                self.error.remedy,
                "The report is kept and tried again" if self.held_up else "",
            )
            behind = " ".join(f"{part.rstrip('.')}." for part in parts if part)
            return f"{self.error.what.rstrip('.')}.", f"{passed}{behind}", "bad"
        told = self.taken or Taken("")
        return f"{told.told}.", f"{passed}{told.behind}", "good"


class Orders:
    """Programs of one job on their way to a control, and what comes back."""

    def __init__(self, session: Session, folder: Path, data: Path | None = None) -> None:
        """Know again what was taken in this clamping before.

        Args:
            session: its link is a real one.
            folder: the job's.
            data: the user's data folder: it keeps which jobs have orders.

        Raises:
            PlanError: the machine has no link.
        """
        if session.real is None:
            raise PlanError("This machine has no link", "", "Give machine.toml a [link]")
        self.session = session
        self.real: RealLink = session.real
        self.folder = OrderFolder(folder)
        self.faults: list[str] = []
        """What was taken before and does not fit the job any more."""
        self._data = data
        self._known: set[str] = set()
        self._held_up: dict[str, Heard] = {}
        """Reports that book or disk did not take, by digest; a copy of each lies in the folder, where that can be."""
        self._tried = 0.0
        self.kept = self.folder.kept()
        if self.kept.clamped:
            session.working.clamped = self.kept.clamped
        self._clamped = session.working.clamped
        self.real.outlet.is_ours = self._is_ours
        self.refresh()
        self._register()

    def _is_ours(self, text: str) -> bool:
        return any(plainly(order.text) == text for order in self.folder.all())

    # -- handing over --------------------------------------------------------------------------------------------------

    def measure(self, measurement: Measurement, told: Progress = _quiet) -> Order:
        """Hand over the program that measures something. Raises BriskAnchorError: it cannot be."""
        program = self.session.planner.measuring_program(measurement)
        title = measurement.title or measurement.name
        return self._hand_over(
            program, Kind.MEASURE, title, told, measurement=measurement, touches=measurement.touch_count
        )

    def repeat(self, measurement: Measurement, times: int, told: Progress = _quiet) -> Order:
        """Hand over a program that measures the same many times. Raises BriskAnchorError: it cannot be."""
        if not 2 <= times <= 50:
            raise PlanError(f"{times} runs are no repeatability run", "It takes 2 to 50", "")
        heads = self.session.heads
        title = f"{measurement.title or measurement.name} {times} times"
        plan = heads.plan_of(heads.first_number + _REPEAT, title, [measurement] * times, None)
        program = write_program(plan, self.session.profile)
        touches = times * measurement.touch_count
        return self._hand_over(program, Kind.REPEAT, title, told, measurement=measurement, touches=touches)

    def store(self, row: str, told: Progress = _quiet) -> Order:
        """Hand over the program that sets a row. Raises BriskAnchorError: it cannot be."""
        session = self.session
        kept = [axis for axis, rule in session.setup.row(row).rules.items() if isinstance(rule, Keep)]
        if kept:
            self._known_rows([row])
        return self.set_to(*session.writer.prepared(row), told)

    def set_to(self, chain: Chain, plan: StorePlan, told: Progress = _quiet) -> Order:
        """Hand over the program that sets a row to figures that were worked out. Raises BriskAnchorError."""
        program = self.session.writer.program_of(chain, plan)
        rows = [as_ordered(self.session, chain.row, chain)]
        return self._hand_over(program, Kind.SET_ROWS, f"set {chain.row}", told, rows=rows)

    def tool_length(self, number: int, told: Progress = _quiet) -> Order:
        """Hand over the program that brings a tool onto the setter. Raises PlanError: about how long it is, or where
        the setter stands, is not known.
        """
        on_fail: Literal["alarm", "go on"] = "go on" if self.session.profile.speaks.branches else "alarm"
        section = ToolCheckSection(tool=number, tolerance=_ABOUT, search=_SEARCH, on_fail=on_fail)
        check = tool_check(self.session, section, call=True)
        heads = self.session.heads
        plan = heads.plan_of(heads.first_number + _LENGTH, f"length of T{number}", [], None)
        program = write_program(replace(plan, tools=(check,), date=""), self.session.profile)
        title, counted = f"length of T{number}", length_counted_by(self.session, number)
        return self._hand_over(program, Kind.TOOL_LENGTH, title, told, tool=number, touches=1, counted=counted)

    def prove(self, row: str, told: Progress = _quiet) -> Order:
        """Hand over a program that touches again what a row is set from: the proof, on the machine itself.

        Raises:
            BriskAnchorError: it is not stored, or stands on nothing that can be touched.
        """
        session = self.session
        session.prover.look(row, on_the_machine=True)
        measurements = session.programs.retouching(row)
        if not measurements:
            parent = session.rows.parent_of(row)
            raise PlanError(
                f"{row} stands on no touches of its own",
                f"It follows {parent}" if parent else "Its figures were typed",
                f"Prove {parent}" if parent else "Read the control's table: that shows what it holds",
            )
        program = session.programs.retouching_program(row, measurements)
        touches = touches_in(tuple(measurements))
        title, rows = f"{row} touched again", [as_ordered(session, row)]
        return self._hand_over(
            program, Kind.PROVE, title, told, measurements=measurements, row=row, rows=rows, touches=touches
        )

    def write_rows(self, rows: Sequence[str], told: Progress = _quiet, wear: WearOrder | None = None) -> Order:
        """Hand over one program that sets many rows to what the book has. Raises BriskAnchorError: it cannot be.

        `wear`: what a part has asked for by it.
        """
        session = self.session
        self._known_rows(rows)
        program = writing_program(session, list(rows), stops=True)
        ordered = []
        for row in rows:
            valued = session.ledger.valued(row)
            if valued is not None:
                ordered.append(as_ordered(session, row, chain_as_booked(session, row, valued)))
        names = ", ".join(rows[:6]) + (" and more" if len(rows) > 6 else "")
        return self._hand_over(program, Kind.SET_ROWS, f"set {names}", told, rows=ordered, wear=wear)

    def plan(self, plan: PlanFile, told: Progress = _quiet) -> Order:
        """Hand over a plan's program. Raises BriskAnchorError: it cannot be."""
        ready = planned(self.session, plan)
        program = program_of(self.session, ready)
        touches = len(ready.tools) + touches_in(ready.measurements)
        rows = [as_ordered(self.session, row) for row in rows_set(ready.plan)]
        return self._hand_over(program, Kind.PLAN, plan.name, told, plan=plan_text(plan), rows=rows, touches=touches)

    def read_table(self, told: Progress = _quiet) -> Order:
        """Hand over the program that prints the control's tables. Raises PlanError: this control cannot."""
        program = write_program(replace(self._plan_of_table(), date=""), self.session.profile)
        return self._hand_over(program, Kind.READ_TABLE, "the control's table", told)

    def correct(self, balloon: str, correction: Correction, told: Progress = _quiet) -> Order:
        """Hand over the program that corrects a wear or a row. Raises BriskAnchorError: it cannot be."""
        from brisk_anchor.services.job.characteristics import by_of
        from brisk_anchor.services.results.correcting import correction_program

        way = correction.way
        wear = WearOrder(
            tool=way.tool,
            column=way.target,
            old=correction.old,
            new=correction.new,
            balloon=balloon,
            reason=f"by {balloon}: {'; '.join(correction.steps)}"[:200],
            row=by_of(way) if way.target == "row" else "",
        )
        if way.target == "row":
            self._known_rows([way.row])
            edit(self.session, way.row, {way.axis: correction.new}, wear.reason)
            return self.write_rows([way.row], told, wear)
        program = correction_program(Inspection(self.session), correction)
        return self._hand_over(program, Kind.WEAR, f"T{way.tool} {way.target}", told, wear=wear)

    def _plan_of_table(self) -> Plan:
        session, profile = self.session, self.session.profile
        rows = tuple(row for row in profile.all_rows if profile.reads(row, "x") is not None)
        if not rows or (profile.print is None and not profile.speaks.branches and not profile.variables):
            raise PlanError(
                "No program on this control can print its table",
                "It reads no row, or prints nothing",
                "Save the table on the control, and take the file: brisk-anchor take FILE",
            )
        probe, table = session.setup.stylus.tool_number, profile.tool_table
        numbers = sorted(number for number in session.machine.tools if number not in (0, probe))
        columns = (table.length, table.length_wear, table.radius_wear) if table is not None else (None, None, None)
        tools, wear_of_length, wear_of_radius = (
            tuple((number, first + number) for number in numbers) if first is not None else () for first in columns
        )
        angles = tuple(
            (row, number)
            for row in rows
            if (number := profile.angle_of(row)) is not None and profile.reads(row, "r") is None
        )
        heads = session.heads
        plan = heads.plan_of(heads.first_number + _TABLE, "the control's table", [], None)
        active = profile.modal_variables.get("offset")
        return replace(plan, reading=TableReading(rows, tools, active, angles, wear_of_length, wear_of_radius))

    def _known_rows(self, rows: Sequence[str]) -> None:
        """Raises PlanError: nobody knows what the control holds in one of them."""
        if unknown := [row for row in rows if not self.real.knows(row)]:
            raise PlanError(
                f"What the control holds in {', '.join(unknown[:4])} is not known",
                "The program could not tell whether somebody changed it",
                "Read the control's table first",
            )

    def _hand_over(self, program: Program, kind: Kind, title: str, told: Progress, **more: object) -> Order:
        session = self.session
        order = Order.model_validate(
            {
                "kind": kind,
                "title": title,
                "program": program.number,
                "identity": program.identity,
                "text": program.text,
                "results": program.results,
                "at": datetime.now(UTC),
                "clamped": session.working.clamped,
                "machine": session.setup.machine.name,
                "job": session.setup.job,
                "who": session.ledger.who,
                **more,
            }
        )
        with self.folder.held():
            self._keep_clamping()
            self.folder.write(order)  # before the program goes: a report never comes for what nobody asked
        try:
            where = self.real.outlet.put(program, told)
        except BriskAnchorError as error:
            self.folder.write(order.model_copy(update={"state": OrderState.GIVEN_UP, "told": error.one_line()}))
            raise
        order = order.model_copy(update={"where": where})
        self.folder.write(order)
        return order

    def give_up(self, order: Order) -> None:
        """Wait for an order no more; its program is taken away where it lies as a file of ours."""
        with self.folder.held():
            self.folder.write(order.model_copy(update={"state": OrderState.GIVEN_UP}))
        self.real.outlet.withdraw(program_of_order(order))

    # -- what is waited for --------------------------------------------------------------------------------------------

    @property
    def waiting(self) -> list[Order]:
        """Orders of this clamping whose report has not come, oldest first; of one number the newest."""
        last = {order.program: order for order in self.folder.all() if order.state is OrderState.WAITING}
        return sorted(last.values(), key=lambda order: order.at)

    @property
    def last_report(self) -> list[str]:
        """The lines of the report that was taken last."""
        taken = [order for order in self.folder.all() if order.taken_at is not None]
        return max(taken, key=lambda order: order.taken_at or order.at).report if taken else []

    def _keep_clamping(self) -> None:
        clamped = self.session.working.clamped
        if self.kept.clamped != clamped:
            self.kept = replace(self.folder.kept(), clamped=clamped)
            self.folder.keep(self.kept)
        self._clamped = clamped

    def refresh(self) -> None:
        """Know what another window took, and tell others of a new clamping; what does not fit is told in `faults`."""
        if self.session.working.clamped != self._clamped:
            with self.folder.held():
                self._keep_clamping()
        elif (there := self.folder.kept().clamped) and there != self._clamped:
            self.session.editor.clamp()  # another window said so
            self.session.working.clamped = self._clamped = there
        for order in sorted(self.folder.all(fresh=True), key=lambda o: o.taken_at or o.at):
            if order.state is not OrderState.TAKEN or order.key in self._known or order.clamped != self._clamped:
                continue
            self._known.add(order.key)
            try:
                heard = _whole(order.report)
                replay(self.session, order, heard.report(), order.taken_at or order.at)
            except ReportError:
                continue  # out of date by now, as after a new calibration: it is measured again
            except BriskAnchorError as error:
                self.faults.append(f"{order.label}, {order.title}: {error.one_line()}")

    # -- taking --------------------------------------------------------------------------------------------------------

    def marked(self, mark: dict[str, Any]) -> None:
        """Note how far the link was heard and everything taken. Raises ExportError."""
        with self.folder.held():
            self.kept = replace(self.folder.kept(), mark=mark)
            self.folder.keep(self.kept)

    def arrived(self, heard: Heard) -> Arrival:
        """Take a report that was heard, or say why not. What it cannot take changes nothing.

        What book or disk did not take is kept: a control says it once.
        """
        outcome, digest = self._arrived(heard), digest_of(heard.lines)
        if outcome.held_up:
            self._held_up[digest] = heard
            self._tried = time.monotonic()
            with suppress(ExportError):  # it is kept as long as this window is open then
                self.folder.offer(heard)
        elif self._held_up.pop(digest, None) is not None:
            self.folder.drop_offered(digest)
        return outcome

    def _arrived(self, heard: Heard) -> Arrival:
        at = datetime.now(UTC)
        try:
            with self.folder.held():
                kept = self.folder.kept()
                digest = digest_of(heard.lines)
                outcome = self._judged(heard, digest, kept.seen, at)
                self.real.heard(at)
                if outcome.taken is not None or outcome.offered:
                    kept.see(digest)
                kept.clamped = kept.clamped or self.session.working.clamped
                self.folder.keep(kept)
                self.kept = kept
        except ExportError as error:
            return Arrival(heard, error=error)
        return outcome

    def _judged(self, heard: Heard, digest: str, seen: Sequence[str], at: datetime) -> Arrival:
        if digest in seen and not heard.problem:
            return Arrival(heard, again=True)
        order: Order | None = None
        try:
            if heard.problem and not heard.identity:
                heard.report()
            order = order_for(self.folder.all(fresh=True), heard)
            report = heard.report()
            taken = take(self.session, order, report, at)
        except BriskAnchorError as error:
            if order is None and not heard.problem and (other := self._other(heard)) is not None:
                other.offer(heard)
                return Arrival(heard, offered=str(other.path.parent))
            return Arrival(heard, order, error=error)
        done = order.model_copy(
            update={"state": OrderState.TAKEN, "taken_at": at, "report": list(heard.lines), "told": taken.told}
        )
        self._known.add(done.key)
        self.folder.write(done)
        return Arrival(heard, done, taken)

    def take_offered(self) -> list[Arrival]:
        """Take what other windows heard for this job, and from time to time what was held up, which is not told again.

        Nor is what was taken before.
        """
        outcomes = []
        if self._held_up and time.monotonic() - self._tried > _AGAIN:
            again = [self.arrived(heard) for heard in list(self._held_up.values())]
            outcomes += [outcome for outcome in again if not outcome.held_up]
        for path in self.folder.offered():
            if path.stem in self._held_up:
                continue
            try:
                text = read_at_most(path, 20_000_000).decode("ascii", "replace")
            except OSError:
                continue
            came = [self.arrived(heard) for heard in reports_in(text, path.name)]
            if not any(outcome.held_up for outcome in came):
                self.folder.drop_offered(path.stem)
            outcomes += came
        return [outcome for outcome in outcomes if not outcome.again]

    def take_file(self, data: bytes, name: str) -> list[Arrival]:
        """Take every report of a file. Raises ReportError: there is none in it."""
        found = [self.arrived(heard) for heard in reports_in(data.decode("ascii", "replace"), name)]
        if not found:
            raise ReportError(f"{name} holds no report of ours", "", "Name the file that the control printed to")
        return found

    def take_variables(self, data: bytes, name: str) -> list[Arrival]:
        """Take a file of variables that a control saved after a program of ours: for one that prints nothing.

        Each line has a number and a value, as RS-274/NGC keeps its parameters.

        Raises:
            ReportError: it is none, or no program waits whose results stand in variables.
        """
        values: dict[int, float] = {}
        for number, line in enumerate(lines_of(data.decode("ascii", "replace")), 1):
            found = _VARIABLE.match(line)
            if found is not None:
                values[int(found[1])] = float(found[2])
            elif line.strip() and not line.lstrip().startswith((";", "#", "(")):
                raise ReportError(f"{name} line {number} is no variable and its value", "", "Look at the file")
        waiting = [
            order
            for order in self.folder.all()
            if order.state is OrderState.WAITING and any(line.variables for line in order.results)
        ]
        if not waiting:
            raise ReportError("No program waits whose results stand in variables", "", "Hand one over, and run it")
        order = next((order for order in reversed(waiting) if _ran(order, values)), None)
        if order is None:
            label = waiting[-1].label
            raise ReportError(
                f"{name} was saved before {label} ran to its end",
                "Its figures are of another run, or of one that was broken off",
                f"Run {label} to its end, save the variables, and take that file",
            )

        def read(number: int) -> float:
            if number not in values:
                what = f"{name} has no variable {number}, which {order.label} keeps a figure in"
                raise ReportError(what, "It was saved before the program ran, or is of another", "Save it again")
            return values[number]

        text = "\n".join(line.text(read) for line in order.results)
        return [self.arrived(heard) for heard in reports_in(text, name)]

    # -- other jobs ----------------------------------------------------------------------------------------------------

    def _register(self) -> None:
        """Note in the user's data that this job has orders, so that a report of it is known wherever it is heard."""
        if self._data is None:
            return
        folders = [str(self.folder.path), *(f for f in self._folders() if f != str(self.folder.path))]
        try:
            write_whole(self._data / _REGISTER, json.dumps(folders[:_MOST_FOLDERS]).encode())
        except ExportError as error:
            self.faults.append(error.one_line())

    def _folders(self) -> list[str]:
        try:
            data = json.loads(read_at_most((self._data or Path()) / _REGISTER, 200_000))
        except (OSError, ValueError):
            return []
        return [str(item) for item in data] if isinstance(data, list) else []

    def _other(self, heard: Heard) -> OrderFolder | None:
        """The orders of another job that a report belongs to."""
        for path in self._folders() if self._data is not None else []:
            folder = OrderFolder(Path(path).parent)
            if folder.path != self.folder.path and folder.belongs(heard):
                return folder
        return None


def reports_in(text: str, source: str) -> list[Heard]:
    """Every report of a text, also what is wrong with those that are not whole."""
    from brisk_anchor.link.lines import LineSplitter

    splitter, listener, found = LineSplitter(), Listener(source), []
    data = text.encode("latin-1", "replace")
    for line in (*splitter.add(data), *splitter.end()):
        found += listener.add(line.number, line.text, noisy=line.noisy)
    return [*found, *listener.cut()]


def _ran(order: Order, values: Mapping[int, float]) -> bool:
    """Whether saved variables say that this very program ran to its end; it says so in the one of its beginning."""
    return all(values.get(variable) == order.identity for variable in order.results[0].variables)


def _whole(lines: Sequence[str]) -> Heard:
    found = reports_in("\n".join(lines), "order")
    if len(found) != 1:
        raise ReportError("The lines that were kept are no whole report", "", "Measure again")
    return found[0]
