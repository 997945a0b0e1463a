"""A report taken for the order it belongs to: the same touches, features, rows and entries as on the bench, or none.

What reaches the book carries the report's digest in its note, so that a report that was half way in when the power went
is entered once.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import datetime

from brisk_anchor.book.chain_form import loaded
from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.core.errors import PlanError, ReportError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.offsets.chain import Chain, Term
from brisk_anchor.core.quantities import along, dim, expanded, signed_dim, um
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import lines_of
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.judging import ControlCorrection
from brisk_anchor.nc.programs.program import Program, ProgramLine, row_word
from brisk_anchor.nc.programs.reports import PRINTED, RunReport, touches_of
from brisk_anchor.nc.read.port import LENGTH_WEAR, RADIUS_WEAR
from brisk_anchor.services.machine.real_link import RealLink
from brisk_anchor.services.measure.features_touched import feature_from
from brisk_anchor.services.measure.found_features import request_of
from brisk_anchor.services.measure.limits_stated import stated_of
from brisk_anchor.services.orders.order import Kind, Order, WearOrder, digest_of
from brisk_anchor.services.orders.since import changed_since, length_counted_by, stands_again
from brisk_anchor.services.plan.plan_file import parse_plan
from brisk_anchor.services.plan.planning import Planned, planned, program_of, rows_set
from brisk_anchor.services.plan.reported import take_report
from brisk_anchor.services.results.inspection import COLUMNS
from brisk_anchor.services.rows.working_state import FigureChange, WorkingState
from brisk_anchor.services.session.repeatability import Repeated, spread_of
from brisk_anchor.services.session.session import Session
from brisk_anchor.services.session.tool_shelf import measured_length, take_length

_AGREE = 1e-3
"""How far, mm or degrees, a row that the control worked out itself may lie from ours: what printing loses."""
_LOOKED_BACK = 12
_WEAR = {"L": LENGTH_WEAR, "R": RADIUS_WEAR}


@dataclass(frozen=True, slots=True)
class Taken:
    """What came of a report, in two sentences; the feature measured last, and figures of a repeatability run."""

    told: str
    behind: str = ""
    feature: str = ""
    repeated: tuple[Repeated, ...] = ()


def take(session: Session, order: Order, report: RunReport, at: datetime) -> Taken:
    """Take a whole report.

    Args:
        session: the job; its link is a real one.
        order: what it belongs to.
        report: it.
        at: when it was heard.

    Raises:
        BriskAnchorError: it does not fit what was asked for; nothing of it is kept then.
    """
    real = session.real
    if real is None:
        raise PlanError("This job's machine has no link", "", "Give machine.toml a [link]")
    if report.identity != order.identity:
        raise ReportError("The report belongs to another program", "Its touches mean something else", "Run it again")
    work: Callable[[Session, RealLink, Order, RunReport, datetime], Taken] = {
        Kind.MEASURE: _measure,
        Kind.REPEAT: _repeat,
        Kind.SET_ROWS: _set_rows,
        Kind.PLAN: _plan,
        Kind.READ_TABLE: _read_table,
        Kind.WEAR: _wear,
        Kind.PROVE: _prove,
        Kind.TOOL_LENGTH: _tool_length,
    }[order.kind]
    return work(session, real, order, report, at)


def replay(session: Session, order: Order, report: RunReport, at: datetime) -> None:
    """Know again what was taken before: after a start, or by another window. Nothing reaches the book.

    Raises:
        BriskAnchorError: it does not fit the job as it is now.
    """
    if order.kind is Kind.MEASURE and order.measurement is not None:
        _same_probe(session, order)
        session.runner.take_report(order.measurement, report, at=at, noted=False)
    elif order.kind is Kind.WEAR and order.wear is not None:
        _note_change(session, order.wear, at)
    elif order.kind is Kind.PLAN:
        ready = _plan_as_ordered(session, order)
        session.working.figures_changed += [change for change, _ in _answered_there(ready, report, at)]
        trial = session.trial(ready.setup)
        take_report(trial.working, ready.setup, ready.measurements, len(ready.tools), report)
        _keep_features(session, ready, trial.working, at, noted=False)


def _still_clamped(session: Session, order: Order) -> None:
    if order.clamped != session.working.clamped:
        raise ReportError(
            f"The part was clamped again since {order.label} was handed over",
            "Its touches are of the clamping before, as far as anybody knows",
            "Nothing was taken; hand the program over again and run it",
        )
    _same_probe(session, order)


def _same_probe(session: Session, order: Order) -> None:
    made = [order.measurement] if order.measurement is not None else order.measurements
    if any(measurement.stylus != session.setup.stylus for measurement in made):
        raise ReportError(
            f"The probe has other figures since {order.label} was handed over",
            "Its touches were made by what was known before",
            "Nothing was taken; hand the program over again and run it",
        )


def _mark(order: Order, report: RunReport) -> str:
    """How an entry of this report is known again."""
    touches = [f"{touch}" for touch in report.touches] + [f"{report.stored}", f"{report.corrected}"]
    return f"{order.label} {order.at:%H%M%S} {digest_of(touches)[:8]}"


def _entered(session: Session, row: str, mark: str) -> bool:
    newest = session.ledger.history(row)[-_LOOKED_BACK:]
    return any(mark in entry.note for entry in newest if entry.kind in (EntryKind.STORED, EntryKind.PROVED))


def _measure(session: Session, real: RealLink, order: Order, report: RunReport, at: datetime) -> Taken:
    _still_clamped(session, order)
    if order.measurement is None:
        raise ReportError("This order names no measurement", "Its file is damaged", "Measure again")
    mark = _mark(order, report)
    measured = session.runner.take_report(order.measurement, report, at=at, noted=mark)
    return Taken(f"{order.title} came from the control", feature=measured.feature.name)


def _repeat(session: Session, real: RealLink, order: Order, report: RunReport, at: datetime) -> Taken:
    _still_clamped(session, order)
    measurement = order.measurement
    if measurement is None or not measurement.touch_count:
        raise ReportError("This order names no measurement", "Its file is damaged", "Measure again")
    times = order.touches // measurement.touch_count
    labels = [f"{measurement.name} {n}" for n in range(1, order.touches + 1)]
    touches = touches_of(report, measurement.stylus, labels, measurement.options.touch_feed)
    size = measurement.touch_count
    stated = stated_of(
        session.setup,
        measurement.name,
        measurement=order.key,
        clamping=session.working.clamped,
        half_turn=measurement.options.half_turn,
    )
    runs = [feature_from(measurement, touches[n * size : (n + 1) * size], stated) for n in range(times)]
    return Taken(
        f"{order.title}: {times} runs came from the control", repeated=tuple(spread_of(session, measurement, runs))
    )


def _told_values(report: RunReport, row: str) -> Mapping[str, float]:
    told = report.stored.get(row_word(row).upper())
    if told is None:
        raise ReportError(
            f"The control does not say that it stored {row}", "Nothing is known of that row", "Run the program again"
        )
    return {letter.lower(): value for letter, value in told.items()}


def _off(chain: Chain, told: Mapping[str, float], limit: float) -> None:
    """Compare what was stored with what was wanted. Raises ReportError: it is something else."""
    for axis in chain.axes:
        if not axis.written:
            continue
        if axis.axis not in told:
            what = f"The control does not say what it stored as {chain.row} {axis.axis.upper()}"
            raise ReportError(what, "", "Run it again")
        if abs(told[axis.axis] - axis.value) > limit:
            raise ReportError(
                f"{chain.row} {axis.axis.upper()} was stored as {along(axis.axis, told[axis.axis])}, "
                f"not {along(axis.axis, axis.value)}",
                "Somebody changed the program, or the job since",
                "Look at it; the book keeps what it had",
            )


def _set_rows(session: Session, real: RealLink, order: Order, report: RunReport, at: datetime) -> Taken:
    chains = {item.row: loaded(item.chain) for item in order.rows}
    told = {row: _told_values(report, row) for row in chains}
    for row, chain in chains.items():
        _off(chain, told[row], session.profile.grain + PRINTED)
    names = ", ".join(chains)
    if order.clamped != session.working.clamped:
        real.note_rows(told, at)
        return Taken(
            f"The control holds {names} as {order.label} set it, from before the part was clamped again",
            "The book keeps it as out of date: measure again.",
        )
    mark = _mark(order, report)
    changes = _enter_stored(session, chains, mark, {row: changed_since(session, order, row) for row in chains})
    real.note_rows(told, at)
    if order.wear is not None:
        _note_corrected(session, order.wear)
    for chain in chains.values():
        if chain.table is not None:
            session.datums.table_turned(chain.row, chain.table)
    words = f"{names} is stored: the control has written it and read it back"
    return Taken(words, _since_words(order, changes) or "It is in the book. ⟨bench:p⟩ proves it.")


def _enter_stored(
    session: Session, chains: Mapping[str, Chain], mark: str, since: Mapping[str, list[Entry]]
) -> list[Entry]:
    """Enter that the control stored rows, once; what was changed `since` stands behind it. Returns those changes."""
    entries, changes = [], []
    for row, chain in chains.items():
        if not _entered(session, row, mark):
            entries += [
                entry
                for entry in session.writer.stored(chain, f"set by {mark}, the control says so")
                if entry.row == row or entry.row not in chains
            ]
            entries += stands_again(session, since[row])
            changes += since[row]
    if entries:
        session.ledger.add_all(entries)
    return changes


def _since_words(order: Order, changes: list[Entry]) -> str:
    """What a person is told of rows that were changed while a program was on its way; "" where none was."""
    if not changes:
        return ""
    *_, last = changes
    rows = ", ".join(dict.fromkeys(entry.row for entry in changes))
    why = (
        f"out of date: {last.note}" if last.kind is EntryKind.STALE else f"{last.kind.value} anew, and not written yet"
    )
    return f"Since {order.label} was handed over {rows} is {why}."


def _with_control(chain: Chain, told: Mapping[str, float]) -> Chain:
    """A chain that ends in what the control worked out itself, where that differs by what printing loses."""
    axes = []
    for axis in chain.axes:
        off = told.get(axis.axis, axis.value) - axis.value
        if axis.written and off:
            term = Term("+" if off >= 0 else "−", "as the control worked it out", abs(off), source="report")
            *before, last = axis.terms
            final = replace(last, value=axis.value + off) if last.sign == "=" else last
            terms = (*before, term, final) if last.sign == "=" else (*axis.terms, term)
            axis = replace(axis, value=axis.value + off, terms=terms)
        axes.append(axis)
    return replace(chain, axes=tuple(axes))


def _plan_as_ordered(session: Session, order: Order) -> Planned:
    """The plan of an order on the job as it is now. Raises ReportError: it would be another program."""
    ready = planned(session, parse_plan(order.plan, order.title))
    if program_of(session, ready).identity != order.identity:
        raise ReportError(
            f"The job has changed since {order.label} was handed over",
            "The same plan would be another program now",
            "Nothing was taken; hand the plan over again",
        )
    return ready


def _keep_features(
    session: Session, ready: Planned, tried: WorkingState, at: datetime, *, noted: str | bool
) -> list[str]:
    """Keep the features of a plan that were worked out on trial; their names."""
    for measurement in ready.measurements:
        measured = replace(tried.measured[measurement.name], at=at)
        session.runner.keep(measured, request_of(measurement), noted=noted)
    return [measurement.name for measurement in ready.measurements]


def _plan(session: Session, real: RealLink, order: Order, report: RunReport, at: datetime) -> Taken:
    _still_clamped(session, order)
    mark, ready = _mark(order, report), _plan_as_ordered(session, order)
    trial = session.trial(ready.setup)  # nothing of it is kept before all of it agrees
    take_report(trial.working, ready.setup, ready.measurements, len(ready.tools), report)
    chains, told = {}, {}
    for row in rows_set(ready.plan):
        chain, told[row] = trial.solver.chain(row), _told_values(report, row)
        if chain is None:
            raise ReportError(f"{row} cannot be worked out from this report", "", "Look at the plan")
        _off(chain, told[row], _AGREE)
        chains[row] = _with_control(chain, told[row])
    typed = {row: [e for e in changed_since(session, order, row) if e.kind is EntryKind.TYPED] for row in chains}
    answered = _answered_there(ready, report, at)
    names = _keep_features(session, ready, trial.working, at, noted=mark)
    session.working.figures_changed += [change for change, _ in answered]
    real.note_wear({(one.tool, COLUMNS[one.column]): change.new for change, one in answered}, at)
    changes = _enter_stored(session, chains, mark, typed)
    if told:
        real.note_rows(told, at)
    stored_words = f"; {', '.join(chains)} stored" if chains else ""
    behind = [f"T{number} is {signed_dim(off, 3)} off its length." for number, off in report.tools.items()]
    behind += [f"{change.by} is {signed_dim(change.new, 4)} now: the control answered it." for change, _ in answered]
    behind += [words] if (words := _since_words(order, changes)) else []
    return Taken(f"{len(names)} features came from the control{stored_words}", " ".join(behind), names[-1])


def _answered_there(ready: Planned, report: RunReport, at: datetime) -> list[tuple[FigureChange, ControlCorrection]]:
    """The wear that the control itself has answered in a plan. Raises ReportError: it answered another."""
    asked = ready.inspecting.corrections
    if [tool for tool, _, _ in report.corrected] != [correction.tool for correction in asked]:
        raise ReportError("The control answered other tools than the plan has", "", "Run the program again")
    return [
        (FigureChange(at, f"T{tool} {one.column}", old, new, f"by {one.balloon}, answered by the control"), one)
        for (tool, old, new), one in zip(report.corrected, asked, strict=True)
        if abs(new - old) > PRINTED / 2
    ]


def active_row(profile: Profile, figure: float) -> str:
    """The row that a control means by what it reads where its active row stands; "" where that is none of them."""
    if profile.input.active_row_reads == "number":
        names = list(profile.all_rows)
        return names[round(figure) - 1] if 1 <= round(figure) <= len(names) else ""
    meant = [name for name, row in profile.all_rows.items() if row.select.split()[:1] == [f"G{figure:g}"]]
    return meant[0] if len(meant) == 1 else ""  # every extended row reads the same


def _read_table(session: Session, real: RealLink, order: Order, report: RunReport, at: datetime) -> Taken:
    names = {row_word(row).upper(): row for row in session.profile.all_rows}
    rows = {
        names[word]: {letter.lower(): value for letter, value in figures.items()}
        for word, figures in report.rows.items()
        if word in names
    }
    real.note_rows(rows, at)
    probe = session.setup.stylus.tool_number  # its length is calibrated, not what the table says
    shelf = {tool for tool in session.machine.tools if tool not in (0, probe)}
    lengths = {number: report.lengths[number] for number in shelf.intersection(report.lengths)}
    real.note_lengths(lengths, at)
    told = ((n, c, report.wear[n].get(a)) for n in shelf.intersection(report.wear) for a, c in _WEAR.items())
    real.note_wear({(number, column): value for number, column, value in told if value is not None}, at)
    row = active_row(session.profile, report.active) if report.active is not None else ""
    if row:
        real.note_active(row, at)
    differ = [row for row in rows if session.rows.away_from_control(row)]
    words = f"{', '.join(differ[:6])} differ from the book: ⟨2⟩ compares" if differ else "All that the book has agrees."
    known = (
        f"{len(rows)} rows"
        + (f", {len(lengths)} tool lengths" if lengths else "")
        + (f"; {row} is active" if row else "")
    )
    return Taken(f"The control's table came: {known}", words)


def program_of_order(order: Order) -> Program:
    """The program of an order, as it was handed over."""
    lines = tuple(ProgramLine(line, "") for line in lines_of(order.text))
    return Program(order.program, order.title, order.identity, lines)


def _prove(session: Session, real: RealLink, order: Order, report: RunReport, at: datetime) -> Taken:
    _still_clamped(session, order)
    session.prover.look(order.row, on_the_machine=True)
    if changes := changed_since(session, order, order.row):
        raise ReportError(
            f"{order.row} was changed since {order.label} was handed over",
            f"What it touched proves the value of before. {_since_words(order, changes)}",
            "Nothing was taken; store it, then prove it",
        )
    trial = session.trial(session.setup)  # what is touched again proves, and is no new measurement
    take_report(trial.working, session.setup, order.measurements, 0, report)
    chain = trial.solver.chain(order.row)
    if chain is None:
        raise ReportError(f"{order.row} cannot be worked out from this report", "", "Look what it is set from")
    mark = _mark(order, report)
    if _entered(session, order.row, mark):
        return Taken(f"{order.row} was proved by this report already")
    proof = session.prover.compare(
        order.row, program_of_order(order), chain.values, len(report.touches), 0.0, f", touched again, {mark}"
    )
    if proof.holds:
        return Taken(f"{order.row} is proved: touched again, it differs by {um(proof.worst)}", "⟨t⟩ writes its sheet.")
    return Taken(
        f"{order.row} is not proved: touched again, it differs by {um(proof.worst)}",
        f"Two honest measurements differ by {um(proof.allowed)} at most: look what moved.",
    )


def _tool_length(session: Session, real: RealLink, order: Order, report: RunReport, at: datetime) -> Taken:
    if len(report.touches) != 1 or order.tool not in report.tools:
        raise ReportError(f"The control does not say where T{order.tool} met the setter", "", "Run the program again")
    if order.counted and order.counted != length_counted_by(session, order.tool):
        raise ReportError(
            f"T{order.tool} or the setter was changed since {order.label} was handed over",
            "It may be another edge that met the setter, or from another reference",
            "Nothing was taken; hand the program over again and run it",
        )
    stands = report.touches[0][1][2]  # machine Z of the spindle with the tool on the setter
    length, looks = measured_length(session, order.tool, stands)
    before = session.setup.shelf.cutter(order.tool).length
    take_length(session, order.tool, length, looks)
    change = f", {signed_dim(length.value - before, 4)} from before" if before is not None else ""
    return Taken(
        f"T{order.tool} is {dim(length.value, 4)} {expanded(length.u)} long{change}",
        "Type it into the control's tool table; ⟨machine:r⟩ in the machine view reads what stands there.",
    )


def _wear(session: Session, real: RealLink, order: Order, report: RunReport, at: datetime) -> Taken:
    wear = order.wear
    told = next((new for tool, _, new in report.corrected if wear is not None and tool == wear.tool), None)
    if wear is None or told is None:
        raise ReportError("The control does not say that it changed the wear", "", "Run the program again")
    if abs(told - wear.new) > 2 * PRINTED:
        raise ReportError(
            f"The wear of T{wear.tool} was set to {signed_dim(told, 4)}, not {signed_dim(wear.new, 4)}",
            "Somebody changed the program",
            "Look at the tool table",
        )
    _note_change(session, wear, at)
    _note_corrected(session, wear)
    real.note_wear({(wear.tool, COLUMNS[wear.column]): told}, at)
    return Taken(f"{wear.by} is {signed_dim(told, 4)} now: the control has written it and read it back")


def touches_in(measurements: tuple[Measurement, ...]) -> int:
    """How many touches a program makes."""
    return sum(measurement.touch_count for measurement in measurements)


def _note_change(session: Session, wear: WearOrder, at: datetime) -> None:
    change = FigureChange(at, wear.by, wear.old, wear.new, f"{wear.reason}; the control says so")
    session.working.figures_changed.append(change)


def _note_corrected(session: Session, wear: WearOrder) -> None:
    """Enter with the newest part what it was answered by, once."""
    from brisk_anchor.services.results.inspected import Corrected
    from brisk_anchor.services.results.inspection import Inspection

    inspection = Inspection(session)
    change = Corrected(wear.by, wear.old, wear.new, f"{wear.reason}; the control says so")
    if not any(change in part.corrected for part in inspection.parts[-1:]):
        inspection.note_corrected(change)
