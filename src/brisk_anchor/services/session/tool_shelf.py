"""The tool shelf at work: figures, a new stylus, lengths by the setter, a broken tool, a new master."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from brisk_anchor.book.entries import Entry, EntryKind, RowState, clock_words, state_of
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.calibration import Calibration, calibrate_offset
from brisk_anchor.core.features.touches import CalibratedOn, Stylus
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.checks import Finding, SecondLookError
from brisk_anchor.core.offsets.rules import Fixed, Keep
from brisk_anchor.core.offsets.tool_setting import (
    ToolLength,
    counts_with,
    height_of,
    length_on_part,
    length_on_setter,
    look_at_length,
    look_at_probe,
    reference_chain,
)
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.core.tools.hand_tools import HandKind, HandTool
from brisk_anchor.core.tools.shelf import Cutter, Health, Setter
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.plan import StorePlan
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.measure.by_hand import MACHINE, READING, PositionFrame
from brisk_anchor.services.measure.cautions import age_in_days
from brisk_anchor.services.rows.voiding import Declared, Voided
from brisk_anchor.services.session.session import Session

REFERENCE_JUMP = 5.0
"""How far, mm, a new reference may lie from the one before it, or from the table where there is none."""
U_READING = READING / 12**0.5
"""Standard uncertainty of the last digit of a figure that is read off the control, mm."""
EDITED = {
    "effective radius": "effective_radius",
    "length": "length",
    "diameter": "diameter",
    "thickness": "thickness",
    "repeatability ±": "u_repeatability",
    "radius ±": "u_radius",
    "length ±": "u_length",
    "diameter ±": "u_diameter",
    "thickness ±": "u_thickness",
    "height": "height",
    "height ±": "u_height",
    "run-out ±": "u_offset",
}
"""Figures that can be typed, as they are shown and as the machine's file calls them."""


@dataclass(frozen=True, slots=True)
class ShelfLine:
    """One tool of the shelf: where it is kept (`table` of the machine's file), its figures in mm, and how it stands."""

    group: str
    number: int
    name: str
    table: tuple[str | int, ...]
    figures: tuple[tuple[str, float | None], ...]
    state: str
    sound: bool = True


def lines(session: Session, today: date) -> list[ShelfLine]:
    """Everything on the shelf in the order it is shown; ± is k = 2."""
    setup = session.setup
    found = [_probe_line(setup.stylus, session, today)]
    for n, tool in enumerate(setup.hand_tools):
        figures: list[tuple[str, float | None]] = [("repeatability ±", 2 * tool.u_repeatability)]
        if tool.diameter:
            figures = [("diameter", tool.diameter), ("diameter ±", 2 * tool.u_diameter), *figures]
        if tool.bare_length is not None or tool.kind is HandKind.SENSOR:  # one with a new tip waits for its length
            figures = [("length", tool.bare_length), ("length ±", 2 * tool.u_bare_length), *figures]
        if tool.thickness:
            figures = [("thickness", tool.thickness), ("thickness ±", 2 * tool.u_thickness), *figures]
        found.append(ShelfLine(tool.kind.value, tool.tool_number, tool.name, ("hand_tool", n), tuple(figures), "ready"))
    if (setter := setup.shelf.setter) is not None:
        entry = reference(session)
        state = f"{setter.row} is its reference" if entry else f"its reference {setter.row} is to be taken"
        setting = (
            ("height", setter.height),
            ("height ±", 2 * setter.u_height),
            ("repeatability ±", 2 * setter.u_repeatability),
        )
        found.append(
            ShelfLine("tool setter", setter.master, setter.name, ("setter",), setting, state, entry is not None)
        )
    for n, cutter in enumerate(setup.shelf.cutters):
        lengths = (("diameter", cutter.diameter), ("length", cutter.length), ("length ±", 2 * cutter.u_length))
        sound = cutter.health is Health.WHOLE
        words = {
            Health.WHOLE: f"measured {cutter.measured}" if cutter.measured else "length as the tool table has it",
            Health.BROKEN: "broken or new: measure it",
            Health.OLD_MASTER: "counted from the old master: measure it",
        }[cutter.health]
        found.append(ShelfLine("cutter", cutter.number, cutter.name, ("tool", n), lengths, words, sound))
    return found


def _probe_line(stylus: Stylus, session: Session, today: date) -> ShelfLine:
    record = session.setup.shelf.probe
    days = age_in_days(record.calibrated, today)
    age = "no date of calibration" if days is None else f"calibrated {days} d ago"
    state = f"{', '.join(record.due)} to be calibrated" if record.due else age
    if record.valid_days and not record.due:
        state += f", {record.valid_days} d allowed"
    if stylus.repeats is not None:
        state += f"; scatter of {stylus.repeats} touches" + (f", {record.scattered}" if record.scattered else "")
    figures = (
        ("effective radius", stylus.effective_radius),
        ("radius ±", 2 * stylus.u_radius),
        ("length", stylus.length),
        ("length ±", 2 * stylus.u_length),
        ("run-out ±", 2 * stylus.u_offset),
        ("repeatability ±", 2 * stylus.u_repeatability),
    )
    return ShelfLine(
        "probe", stylus.tool_number, stylus.name, ("probe",), figures, state, not look_at_probe(record, days)
    )


def _kept(session: Session, table: tuple[str | int, ...], figures: Mapping[str, Any], told: str) -> None:
    if session.editor.files is not None:
        session.editor.files.make(session.editor.files.tool_figures(table, figures, told))


def _listed(names: tuple[str, ...]) -> str:
    quoted = ", ".join(f'"{name}"' for name in names)
    return f"[{quoted}]"


def set_figure(session: Session, line: ShelfLine, label: str, value: float) -> Program | None:
    """Change one figure of a tool, mm; results of the old figure become invalid.

    A ± is given as it is shown, k = 2.

    Returns:
        The program that takes the mark of a broken tool off the control, where its length was typed; else None.

    Raises:
        GeometryError: it makes no sense. JobError, ExportError: the file could not be changed.
    """
    key = EDITED[label]
    value = value / 2 if label.endswith("±") else value
    setup = session.setup
    changed: dict[str, Any] = {key: value}
    told = f"{line.name}: {label} {dim(value)}"
    match line.table:
        case ("probe",):
            plain, left = _without_calibration(setup.stylus, key)
            stylus = replace(plain, **changed)
            given = {"effective_radius": "radius", "length": "length", "u_offset": "offset"}.get(key, "")
            record = setup.shelf.probe
            if given in record.due:  # a figure from a certificate is as good as one measured here
                record = record.done(given, date.today().isoformat())
                changed["due"] = _listed(record.due)
            _kept(session, line.table, changed | left, told)
            session.working.setup = replace(setup, stylus=stylus, shelf=replace(setup.shelf, probe=record))
            session.editor.keep_tools()
            session.editor.probe_changed()
        case ("hand_tool", int(n)):
            field = {"length": "bare_length", "u_length": "u_bare_length"}.get(key, key)
            tool = replace(setup.hand_tools[n], **({field: value} if field != key else changed))
            _kept(session, line.table, {key: value}, told)
            tools = (*setup.hand_tools[:n], tool, *setup.hand_tools[n + 1 :])
            session.working.setup = replace(setup, hand_tools=tools)
            session.editor.keep_tools()
            session.editor.tool_changed(tool.tool_number, f"{tool.name} changed")
            reference_due(session)
        case ("setter",) if setup.shelf.setter is not None:
            setter = replace(setup.shelf.setter, **changed)
            _kept(session, line.table, {key: value}, told)
            session.working.setup = replace(setup, shelf=replace(setup.shelf, setter=setter))
            session.editor.keep_tools()
            reference_due(session)
        case ("tool", int(n)):
            cutter = setup.shelf.cutters[n]
            fresh = (
                replace(cutter, u_length=value)
                if key == "u_length"
                else replace(cutter, length=value, health=Health.WHOLE, measured=date.today().isoformat(), before=None)
                if key == "length"
                else replace(cutter, diameter=value)
            )
            _take_cutter(session, fresh, told)
            if cutter.health is Health.BROKEN and fresh.health is Health.WHOLE:
                return mark_program(session, cutter.number, usable=True)
    return None


def _without_calibration(stylus: Stylus, key: str) -> tuple[Stylus, dict[str, Any]]:
    """A stylus before a figure of it is typed: nothing that was found with the one before belongs to it any more.

    Returns:
        The stylus, and the lines of the machine's file that change with it.
    """
    what = {"effective_radius": "radius", "length": "length", "u_offset": "offset"}.get(key, "")
    if key == "u_repeatability":
        return replace(stylus, repeats=None), {"repeats": None, "repeats_measured": None}
    if not what:
        return stylus, {}
    now = datetime.now(UTC).isoformat(timespec="seconds")
    known = (*(c for c in stylus.calibrations if c.what != what), CalibratedOn(what, f"typed {now}"))
    plain = replace(stylus, calibrations=known)
    if what != "radius":
        return plain, {"calibration": known}
    lines = {"calibration": known, "by_direction": None, "u_direction": None}
    return replace(plain, by_direction=(), u_direction=0.0), lines


def probe_exchanged(session: Session, what: str) -> Voided:
    """The probe got a new stylus, or stands in another pocket: what depends on it is invalid until it is calibrated.

    Raises:
        JobError, ExportError: the file could not be changed.
    """
    told = f"the probe has another {what}"

    def work() -> None:
        record = session.setup.shelf.probe.changed(what)
        _kept(session, ("probe",), {"due": _listed(record.due)}, told)
        session.working.setup = replace(session.setup, shelf=replace(session.setup.shelf, probe=record))
        session.editor.keep_tools()
        session.editor.probe_changed()

    return session.editor.declare(told, work)


def turn_half_round(session: Session) -> bool:
    """Turn the spindle half round; tells whether it stands turned now. What is measured then only calibrates."""
    session.panel.turn_half_round(turned=not session.link.turned_round)
    return session.link.turned_round


def offset_of_ball(
    session: Session, name: str, known: tuple[float, float] | None = None, u_known: float = 0.0
) -> Calibration:
    """Calibrate where the ball stands beside the spindle's axis, on a feature measured both ways or of known centre.

    Raises:
        PlanError: it was not measured. GeometryError: it tells nothing. JobError, ExportError: the file.
    """
    if name not in session.measured:
        raise PlanError("The ring was not measured yet", "It is measured both ways", "Measure it")
    opposite = session.working.half_round.get(name)
    found = session.measured[name].feature
    now = datetime.now(UTC).isoformat(timespec="seconds")
    calibration = calibrate_offset(session.setup.stylus, found, opposite, known, u_known, now)
    return session.editor.calibrated(calibration)


# -- tool lengths ------------------------------------------------------------------------------------------------


def _setter(session: Session) -> tuple[Setter, HandTool]:
    setter = session.setup.shelf.setter
    if setter is None:
        raise PlanError("There is no tool setter on the shelf", "", "Describe it in machine.toml as [setter]")
    master = next((tool for tool in session.setup.hand_tools if tool.tool_number == setter.master), None)
    if master is None or master.bare_length is None:
        raise PlanError(
            f"T{setter.master} is no tool of known length", "The reference is taken with it", "Describe it, with length"
        )
    if setter.row not in session.profile.all_rows:
        raise PlanError(f"The control has no {setter.row}", "The reference could not be kept", "Name another row")
    return setter, master


def reference(session: Session) -> Entry | None:
    """The reference offset of the setter as it holds now; None when it has to be taken."""
    setter = session.setup.shelf.setter
    if setter is None:
        return None
    entries = session.rows.history(setter.row)
    if state_of(entries) not in (RowState.STORED, RowState.PROVED):
        return None
    stored = session.ledger.last(setter.row, EntryKind.STORED)
    if stored is None or not _counts_now(session, setter, stored):
        return None
    foot = stored.values.get("z")
    held = session.link.offset(setter.row)[2]
    return stored if foot is not None and abs(held - foot) <= 2 * session.profile.resolution else None


def _counts_now(session: Session, setter: Setter, stored: Entry) -> bool:
    """Whether a stored reference counts with the master's length and the setter's height as the shelf has them now."""
    master = next((tool for tool in session.setup.hand_tools if tool.tool_number == setter.master), None)
    if stored.chain is None or master is None or master.bare_length is None:
        return stored.chain is None  # one that is typed has no sum; without a master none can be taken
    return counts_with(stored.chain.axis("z"), setter, _counted(session, master))


def _counted(session: Session, master: HandTool) -> float:
    """The master's length as the tool table counts it, mm."""
    return 0.0 if session.profile.tool_lengths.convention == "master" else master.length


def _reading(figure: float, frame: PositionFrame, row: str) -> float:
    """Machine Z of the spindle for a typed figure; it counts from the machine's zero or from the right row."""
    if frame.row and frame.row != row:
        raise PlanError(
            f"The figure counts from {frame.row}, not from {row}",
            f"A length counted from another offset is wrong by what lies between them; {row} is kept for tools",
            f"Make {row} active, or read the machine position",
        )
    return figure + frame.zero[2]


def _standing(session: Session, number: int) -> float:
    """Machine Z of the spindle now, with the right tool in it."""
    if session.link.tool_in_spindle != number:
        raise PlanError(
            f"T{session.link.tool_in_spindle} stands in the spindle, not T{number}",
            "The position is that of another tool",
            "Change the tool, or type what the control showed",
        )
    return session.link.spindle[2]


def take_reference(session: Session, figure: float | None, frame: PositionFrame = MACHINE) -> Chain:
    """Take the reference of the setter: the master stands on it. It is written to its row, and nothing else ever is.

    Args:
        session: the job.
        figure: Z as the control shows it, mm; None takes where the machine stands.
        frame: what it counts from.

    Raises:
        PlanError: no setter, no master, another tool in the spindle. SecondLookError: it cannot be. RunStopped,
        BookWriteError: it could not be written.
    """
    chain, plan = reference_prepared(session, figure, frame)
    session.writer.write(chain, plan)
    return chain


def reference_prepared(
    session: Session, figure: float | None, frame: PositionFrame = MACHINE
) -> tuple[Chain, StorePlan]:
    """What taking the reference writes, nothing written yet. Raises like `take_reference`."""
    setter, master = _setter(session)
    reading = _standing(session, master.tool_number) if figure is None else figure + frame.zero[2]
    u = (U_READING**2 + setter.u_repeatability**2 + master.u_repeatability**2) ** 0.5
    now = datetime.now(UTC).isoformat(timespec="seconds")
    axis = reference_chain(setter, reading, u, master, _counted(session, master), now)
    before = reference(session)
    expected = before.values["z"] if before else axis.value
    if abs(axis.value - expected) > REFERENCE_JUMP:
        raise SecondLookError(
            [
                Finding.stopping(
                    f"The reference would jump {signed_dim(axis.value - expected, 3)} from the one before",
                    "The setter moved, another tool stood on it, or the figure counts from another offset",
                    "Touch it again; if the setter was moved, say that the master is new first",
                )
            ]
        )
    variance = axis.u**2
    chain = Chain(setter.row, (axis,), (), ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), (0.0, 0.0, variance)))
    rules = (("x", Keep()), ("y", Keep()), ("z", Fixed(axis.value, axis.u)))
    held = session.link.offset(setter.row)
    places = (("x", held[0]), ("y", held[1]), ("z", expected))
    return chain, StorePlan(setter.row, rules, places, REFERENCE_JUMP)


def measured_length(
    session: Session, number: int, figure: float | None, frame: PositionFrame = MACHINE
) -> tuple[ToolLength, list[Finding]]:
    """A tool's length on the setter, worked out and looked at, not taken yet. `figure` as in `take_reference`.

    Raises:
        PlanError: no reference, another tool in the spindle, or a figure that counts from the wrong offset.
    """
    setter, _ = _setter(session)
    held = reference(session)
    if held is None or held.chain is None:
        raise PlanError(
            f"The reference of {setter.name} is not taken, or {setter.row} was changed since",
            "Lengths are counted from it",
            "Put the master on the setter and take the reference first",
        )
    reading = _standing(session, number) if figure is None else _reading(figure, frame, setter.row)
    foot = held.chain.axis("z")
    others = {row: value for row in session.profile.all_rows if (value := session.link.offset(row)[2])}
    others.pop(setter.row, None)
    u_foot = sum(e**2 for source, e in foot.effects if source != height_of(setter)) ** 0.5
    length = length_on_setter(setter, reading, (U_READING**2 + setter.u_repeatability**2) ** 0.5, foot.value, u_foot)
    convention = session.profile.tool_lengths.convention
    return length, look_at_length(
        session.setup.shelf.cutter(number), length, convention, setter.row, foot.value, others
    )


def length_on_the_part(
    session: Session, number: int, figure: float | None, place: float, thickness: float, frame: PositionFrame = MACHINE
) -> tuple[ToolLength, list[Finding]]:
    """A tool's length where every tool is touched on the part, at program Z `place`; looked at, not taken yet.

    Raises:
        PlanError: the control counts lengths otherwise, or another tool stands in the spindle.
    """
    if session.profile.tool_lengths.convention != "part":
        raise PlanError(
            "This control counts tool lengths from elsewhere, not from the part",
            "A length touched on the part would be wrong by the offset",
            "Measure it on the setter",
        )
    reading = _standing(session, number) if figure is None else figure + frame.zero[2]
    row = session.known_active()
    length = length_on_part(reading, U_READING, thickness, 0.0, session.link.offset(row)[2], place)
    return length, look_at_length(session.setup.shelf.cutter(number), length, "part", row, 0.0, {})


def take_length(session: Session, number: int, length: ToolLength, looks: list[Finding]) -> Program | None:
    """Put a measured length into the tool table and on the shelf.

    Returns:
        The program that takes the mark of a tool that was broken off the control again, handed over for a person to
        start; None where there is nothing to take off.

    Raises:
        SecondLookError: a finding stops. JobError, ExportError: the file could not be changed.
    """
    if any(look.stops for look in looks):
        raise SecondLookError(looks)
    cutter = session.setup.shelf.cutter(number)
    fresh = replace(
        cutter,
        length=length.value,
        u_length=length.u,
        measured=date.today().isoformat(),
        health=Health.WHOLE,
        before=None,
    )
    _take_cutter(session, fresh, f"length of T{number} measured")
    return mark_program(session, number, usable=True) if cutter.health is Health.BROKEN else None


def _take_cutter(session: Session, cutter: Cutter, told: str) -> None:
    n = session.setup.shelf.cutters.index(session.setup.shelf.cutter(cutter.number))
    figures: dict[str, str | float] = {"health": f'"{cutter.health.value}"', "diameter": cutter.diameter}
    if cutter.length is not None:
        figures |= {"length": cutter.length + session.profile.length_reference, "u_length": cutter.u_length}
    if cutter.measured:
        figures["measured"] = cutter.measured
    _kept(session, ("tool", n), figures, told)
    session.working.setup = replace(session.setup, shelf=session.setup.shelf.with_cutter(cutter))
    session.editor.keep_tools()
    if cutter.length is not None:
        session.link.write_tool_length(cutter.number, cutter.length)
        session.link.settle()


def broken(session: Session, number: int) -> Program | None:
    """A tool broke or was changed: its length, and no other's, becomes invalid; nothing is written to the tool table.

    Returns:
        The program that marks the tool on the control as not to be used, handed over for a person to start; None where
        the control has no such mark.

    Raises:
        JobError, ExportError: the file could not be changed.
    """
    cutter, told = session.setup.shelf.cutter(number), f"T{number} is broken or new"
    before = cutter.length if cutter.length is not None else cutter.before
    fresh = replace(cutter, length=None, health=Health.BROKEN, before=before)
    session.editor.declare(told, lambda: _take_cutter(session, fresh, told))
    return mark_program(session, number, usable=False)


def take_back(session: Session) -> tuple[Declared, Program | None]:
    """Take the last declaration back; with the program that takes a tool's mark off the control, where it set one.

    Raises:
        PlanError: there is none, or something followed it. JobError, ExportError: the files.
    """
    broken_before = {cutter.number for cutter in session.setup.shelf.cutters if cutter.health is Health.BROKEN}
    last = session.editor.take_back()
    whole = [c.number for c in session.setup.shelf.cutters if c.health is Health.WHOLE and c.number in broken_before]
    return last, mark_program(session, whole[0], usable=True) if whole else None


def mark_program(session: Session, number: int, *, usable: bool) -> Program | None:
    """The program that marks a tool on the control, or takes the mark off, handed over; None: the control has none."""
    marks = session.profile.tool_table.not_to_be_used if session.profile.tool_table is not None else None
    if marks is None:
        return None
    title = f"T{number} {'may be used again' if usable else 'is not to be used'}"
    program = write_program(session.heads.marking(number, title, usable=usable), session.profile)
    session.link.hand_over(program)
    return program


def write_mark(program: Program, folder: Path) -> Path:
    """Write the program that marks a tool to a file. Raises ExportError."""
    return write_whole(folder / f"o{program.number:04d}-tool-mark.nc", program.text.encode())


def master_voids(session: Session) -> Voided:
    """What a new tip of the master makes invalid. Raises PlanError: no setter."""
    setter, master = _setter(session)
    voids = session.editor.tool_voids(master.tool_number)
    rows = (*voids.rows, *((setter.row,) if reference(session) is not None else ()))
    return replace(voids, rows=rows, kept=tuple(row for row in voids.kept if row not in rows))


def new_master(session: Session) -> Voided:
    """The master got a new tip: its reference becomes invalid, and what depends on it. Returns the rows out of date.

    Raises:
        PlanError: no setter. JobError, ExportError: the file could not be changed.
    """
    _, master = _setter(session)
    told = f"{master.name} has a new tip"

    def work() -> None:
        shelf = session.setup.shelf.with_new_master(session.profile.tool_lengths.convention)
        for old, fresh in zip(session.setup.shelf.cutters, shelf.cutters, strict=True):
            if old != fresh:
                _take_cutter(session, fresh, f"T{fresh.number} was counted from the old master")
        _void_reference(session, told)
        session.editor.tool_changed(master.tool_number, told)

    return session.editor.declare(told, work)


def new_tip(session: Session, line: ShelfLine) -> Voided:
    """A tool of the hand, a 3D sensor say, got a new tip: its length holds no longer, nor what it touched.

    Raises:
        PlanError: it has no length that could change. JobError, ExportError: the file could not be changed.
    """
    setup = session.setup
    n = int(line.table[1])
    tool = setup.hand_tools[n]
    if tool.bare_length is None or tool.diameter is None:
        raise PlanError(f"{tool.name} has no length beside its diameter", "Nothing would be left of it", "Type it anew")
    told = f"{tool.name} has a new tip"

    def work() -> None:
        _kept(session, line.table, {"length": None, "u_length": None}, told)
        fresh = replace(tool, bare_length=None, u_bare_length=0.0)
        tools = (*setup.hand_tools[:n], fresh, *setup.hand_tools[n + 1 :])
        session.working.setup = replace(session.setup, hand_tools=tools)
        session.editor.keep_tools()
        session.editor.tool_changed(tool.tool_number, told)

    return session.editor.declare(told, work)


def reference_due(session: Session) -> None:
    """Note in the book that the reference counts with another master or height than the shelf has. Raises BookError."""
    if (setter := session.setup.shelf.setter) is None:
        return
    stored = session.ledger.last(setter.row, EntryKind.STORED)
    settled = state_of(session.rows.history(setter.row)) in (RowState.STORED, RowState.PROVED)
    if settled and stored is not None and not _counts_now(session, setter, stored):
        note = f"the length of T{setter.master} or the height of {setter.name} is another"
        session.ledger.add(EntryKind.STALE, setter.row, None, note=note)


def _void_reference(session: Session, note: str) -> None:
    if reference(session) is not None and (setter := session.setup.shelf.setter) is not None:
        session.ledger.add(EntryKind.STALE, setter.row, None, note=note)


def into_spindle(session: Session, number: int) -> None:
    """Send the stand-in home and change to a tool there. Raises MachineError."""
    session.panel.home()
    session.panel.change_tool(number)


def bring_to_setter(session: Session, number: int) -> str:
    """Put a tool in the spindle of the stand-in and lower it onto the setter until that signals; what it met.

    Home first, across at home, then down: nothing is passed near. Lowering ends where the travel does.

    Raises:
        PlanError: no setter, or nobody knows where it stands. MachineError: a crash, or the travel ends above it.
    """
    setter, _ = _setter(session)
    if setter.at is None:
        raise PlanError(f"Nobody knows where {setter.name} stands", "", "Give it `at` in machine.toml, or jog there")
    into_spindle(session, number)
    machine, control = session.machine, session.control
    for axis, place in zip("xy", setter.at, strict=True):
        control.jog(axis, place - machine.position["xy".index(axis)])
    met = control.jog("z", machine.machine.travel.low[2] - machine.position[2])
    session.link.settle()
    if not met:
        raise PlanError(
            f"T{number} reaches the end of the travel without a signal", "It is too short for the setter", "Home it"
        )
    return met


def tool_facts(session: Session, line: ShelfLine) -> list[tuple[str, str]]:
    """What is known of a tool beside its figures, as label and words: calibrations, and what depends on it."""
    setup, facts = session.setup, []
    match line.group:
        case "probe":
            for known in setup.stylus.calibrations:
                when = clock_words(known.at)
                facts.append((f"{known.what} calibrated", "  ".join(word for word in (known.on, when) if word)))
            voids = session.editor.probe_voids()
        case "cutter":
            uses = [o.name for o in setup.card.operations if line.number in o.tools]
            return [("operations with it", ", ".join(uses) or "none is stated")]
        case "tool setter":
            voids = master_voids(session)
        case _:
            voids = session.editor.tool_voids(line.number)
    facts.append(("measured with it", ", ".join(voids.features) or "nothing since the last clamping"))
    facts.append(("offsets that depend on it", ", ".join(map(session.ledger.named, voids.rows)) or "none"))
    facts.append(("offsets that do not", ", ".join(map(session.ledger.named, voids.kept)) or "none"))
    return facts


def next_step(session: Session, line: ShelfLine) -> tuple[str, str]:
    """What can be done next with a tool of the shelf, in two sentences."""
    match line.group:
        case "probe":
            if session.link.turned_round:
                return (
                    "The spindle stands turned half round: ⟨1⟩ and ⟨bench:y⟩ measure the ring again, then ⟨6⟩ "
                    "and ⟨tools:c⟩.",
                    "⟨o⟩ turns it back. What is measured now only calibrates.",
                )
            return (
                "⟨n⟩ says the stylus is new, ⟨k⟩ that it stands in another pocket; then it must be calibrated.",
                "Radius and length: measure a ring or a face on the bench, then ⟨bench:c⟩ there. Run-out: "
                "⟨o⟩ and ⟨c⟩ here.",
            )
        case "tool setter":
            return (
                f"Put T{line.number} on {line.name}: ⟨r⟩ takes the reference.",
                "⟨m⟩ moves it there on the stand-in. ⟨n⟩ says the master has a new tip.",
            )
        case "cutter":
            return (
                f"Put T{line.number} on the setter: ⟨l⟩ takes its length.",
                "⟨m⟩ moves it there on the stand-in. ⟨b⟩ says it is broken or new: only its own length "
                "becomes invalid.",
            )
    return "← → choose a figure, Enter changes it.", "Results of the old figure become invalid."
