"""What the screens of a lathe say: the next step, choices of a measurement, tables of rows and tools, targets."""

from __future__ import annotations

from brisk_anchor.book.entries import RowState, local_time
from brisk_anchor.core.errors import BriskAnchorError, DatumError
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.quantities import bare, dim, num, shown_unit, signed_bare, signed_dim
from brisk_anchor.core.turning.setup import geometry_row, wear_row
from brisk_anchor.core.turning.targets import ApproachStage
from brisk_anchor.core.turning.tools import ToolKind, TurningTool
from brisk_anchor.core.turning.zero import Method
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.turning.turning_session import TurningSession


@dataclass(frozen=True, slots=True)
class FigureLine:
    """One row of a table as it is shown: name, state, X, Z, their ±, what is known of it."""

    row: str
    title: str
    state: str
    x: str
    z: str
    spread: str
    note: str


def next_step(session: TurningSession) -> tuple[str, str]:
    """The next thing to do on the bench, in two sentences."""
    zero, machine, setup = session.zero, session.machine, session.job.setup
    if zero.proposal is not None:
        p = zero.proposal
        stops = [finding for finding in zero.findings if finding.stops]
        if stops:
            return f"{stops[0].found}.", f"{stops[0].why}. {stops[0].do}."
        told = zero.findings[0].found + ". " if zero.findings else ""
        value = f"{p.row} {p.axis.upper()} {signed_dim(p.value, 3)}"
        return (
            f"Enter: store {value} as {p.destination.value}.",
            f"{told}{p.why[:1].upper()}{p.why[1:]}. ⟨o⟩: elsewhere.",
        )
    if not setup.lathe.connected:
        if zero.typed is None:
            return "⟨h⟩: type where the axes stand, as the display shows it.", "X a diameter, machine positions."
        return "⟨f⟩: a face was cut; ⟨d⟩: a diameter; ⟨e⟩, ⟨E⟩: a feeler lies there.", "⟨h⟩ types the position again."
    if not machine.homed:
        return "⟨h⟩: home the axes.", "Until then machine positions count from anywhere."
    tool = machine.tool
    if tool is None:
        return ". : turn a tool to the work.", "The turret stands at an empty station."
    if session.state(session.row) not in (RowState.STORED, RowState.PROVED):
        return _to_the_face(session)
    if not session.desk.is_known(geometry_row(tool.offset), "x") and ToolKind.DRILL is not tool.kind:
        if tool.offset != (setup.tools[0].offset if setup.tools else 0) and not session.desk.is_known(
            geometry_row(tool.offset), "z"
        ):
            return (
                f"⟨e⟩: bring {tool.name} to the face with a feeler; ⟨E⟩: to the diameter.",
                f"{tool.about_edge[:1].upper()}{tool.about_edge[1:]}." if tool.about_edge else "Spindle standing: ⟨m⟩.",
            )
        if machine.cut_at is not None and machine.cut_along == "z":
            if machine.spindle != 5:
                return "⟨m⟩: stop the spindle, then measure the diameter.", "Z alone may have moved since the cut."
            return "⟨d⟩: measure the diameter that was cut, and type it.", "The diameter, not the radius. ⟨G⟩: gauge."
        if machine.spindle == 5:
            return "⟨m⟩: start the spindle; ⟨C⟩: cut a diameter.", "X must not move between cut and measuring."
        return "⟨C⟩: cut a diameter.", "X must not move between cut and measuring."
    last = session.ledger.newest(session.row)
    if last is not None and last.proof is not None and not last.proof.holds:
        return "⟨f⟩: face and measure again: the proof did not agree.", "Look which face was measured from: ⟨F⟩."
    if session.state(session.row) is RowState.STORED and session.job.profile is not None:
        return f"⟨p⟩: prove {session.row} on a twin; 7: cut to targets.", ". turns the next tool to the work."
    return "7: cut to targets; Tab: the next length of the family.", ". turns the next tool to the work."


def _to_the_face(session: TurningSession) -> tuple[str, str]:
    machine = session.machine
    if machine.cut_at is not None and machine.cut_along == "x":
        if machine.spindle != 5:
            return "⟨m⟩: stop the spindle, then measure the length.", "X alone may have moved since the cut."
        return (
            f"⟨f⟩: measure from the {session.zero.known_face.name}, and type it.",
            "⟨F⟩: from another face. ⟨G⟩: gauge.",
        )
    if machine.spindle == 5:
        return (
            "⟨n⟩: bring the tool near; ⟨m⟩: start the spindle; ⟨c⟩: face.",
            "Arrows with Shift jog, ⟨g⟩ changes the step.",
        )
    return "⟨c⟩: cut the face.", "Then away in X only, which ⟨c⟩ does."


def choices(session: TurningSession) -> list[tuple[str, str, str]]:
    """Key, label and choice of what a measurement is made with."""
    zero, tool = session.zero, session.machine.tool
    face = zero.known_face
    found = [
        (
            ".",
            "tool",
            "none"
            if tool is None
            else f"{tool.name} {tool.picture(session.job.setup.lathe.turret)} {tool.title}{_edge(tool)}",
        ),
        ("F", "measured from", f"{face.name}, wanted {dim(face.wanted, 3)}"),
    ]
    what = zero.begun.what if zero.begun is not None and zero.begun.what else "length"
    try:
        gauge = zero.gauge(what)
        found.append(("G", f"{what} with", f"{gauge.name} ±{dim(gauge.spread, 3)}"))
    except BriskAnchorError as error:
        found.append(("G", f"{what} with", error.what))
    if zero.later:
        found.append(("l", "left to face", dim(zero.later, 3)))
    if zero.slide or session.job.setup.lathe.top_slide == "free":
        found.append(("L", "top slide", signed_dim(zero.slide, 3)))
    return found


def _edge(tool: TurningTool) -> str:
    return f", {tool.edge} edge" if tool.edge else ""


def question_of(session: TurningSession, method: Method) -> tuple[str, str, float | None]:
    """What is asked after a measurement was begun: its name, what to do, and what Enter alone takes."""
    zero = session.zero
    begun = zero.begun
    if begun is None:
        return "figure", "", None
    seen = zero.reading(begun)
    told = f"the stand-in's gauge shows {dim(seen, 3)}; " if seen is not None else ""
    still = "" if begun.live else "nobody can tell whether an axis moved since the cut; "
    match method:
        case Method.FACE:
            face = zero.known_face
            return f"length from the {face.name}", f"{told}{still}⟨F⟩: another face, ⟨G⟩: another gauge", None
        case Method.TURN:
            word = "bore" if begun.tool.kind.is_inside else "diameter"
            return word, f"{told}{still}the diameter, not the radius; below 0: cut beyond the axis", None
        case Method.FELT_FACE:
            known = zero.face_in_program
            here = "the face as it was cut" if known is not None else "Z of the face the feeler lies on"
            return "Z of the face", f"{here}; the feeler is added", None if known is None else known.value
        case Method.FELT_DIAMETER | Method.WHISKER:
            diameter = zero.known_diameter(bore=begun.tool.kind.is_inside)
            word = "blued diameter" if method is Method.WHISKER else "diameter under the feeler"
            if diameter is None:
                return word, "not measured since it was cut: type it", None
            return word, "measured before, or type it", diameter.value
        case Method.DIAL:
            return "off the axis", "half of what the dial shows between both sides; 0 where it stands still", 0.0


def work_lines(session: TurningSession) -> list[FigureLine]:
    """The work offsets of the job."""
    return [_line(session, row, session.ledger.title(row)) for row in session.rows()]


def tool_lines(session: TurningSession) -> list[tuple[TurningTool, FigureLine, FigureLine]]:
    """The tools of the turret with their geometry and wear."""
    return [
        (tool, _line(session, geometry_row(tool.offset), tool.title), _line(session, wear_row(tool.offset), tool.title))
        for tool in session.job.setup.tools
    ]


@dataclass(frozen=True, slots=True)
class LatheRow:
    """One row of a lathe's tables for other programs: figures mm, X a diameter; `u` standard uncertainties."""

    row: str
    title: str
    state: str
    locked: bool
    values: dict[str, float]
    u: dict[str, float]
    note: str
    at: str
    who: str


def table_rows(session: TurningSession) -> list[LatheRow]:
    """The work offsets of the job, then geometry and wear of each tool."""
    lines = [*work_lines(session), *(line for _, *pair in tool_lines(session) for line in pair)]
    found = []
    for line in lines:
        facts = session.ledger.facts(line.row)
        entry = facts.valued
        values = {axis: session.desk.figure(line.row, axis) for axis in "xz"}
        u = {axis: entry.u[axis] for axis in "xz" if entry.u.get(axis)} if entry is not None and line.spread else {}
        at, who = ("", "") if entry is None else (entry.at.isoformat(), entry.who)
        locked = session.ledger.locked(line.row)
        found.append(LatheRow(line.row, line.title, line.state, locked, values, u, line.note, at, who))
    return found


def table_row(session: TurningSession, row: str) -> LatheRow:
    """One of them by its name: "G54", "T3 geometry". Raises DatumError: the job has no such row."""
    rows = table_rows(session)
    found = next((one for one in rows if one.row == row), None)
    if found is None:
        names = ", ".join(one.row for one in rows)
        raise DatumError(f"This job has no row {row}", "Nothing is known of it", f"It has {names}")
    return found


def _line(session: TurningSession, row: str, title: str) -> FigureLine:
    desk, state = session.desk, session.state(row)
    entry = session.ledger.facts(row).valued
    spreads = []
    if entry is not None and state is not RowState.NOT_WRITTEN:
        spreads = [f"{axis.upper()} ±{bare(2 * entry.u[axis], 4)}" for axis in ("x", "z") if entry.u.get(axis)]
    note = entry.note if entry is not None else ""
    if state is RowState.NOT_WRITTEN and entry is not None and "z" in entry.values:
        note = f"would be Z {signed_bare(entry.values['z'], 3)}: {note}"
    return FigureLine(
        row,
        title,
        state.value,
        signed_bare(desk.figure(row, "x"), 3),
        signed_bare(desk.figure(row, "z"), 3),
        "  ".join(spreads),
        note,
    )


def tip_number(session: TurningSession, tool: TurningTool) -> int | None:
    """The control's number for the way a tip points; None where its profile gives it none, and on a readout."""
    lathe = session.job.lathe
    corner = tool.refers_to == "sharp corner"
    return None if lathe is None else lathe.tip_number(tool.points if corner else None)


def chain_of(session: TurningSession, row: str) -> Chain | None:
    """The chain of what a row holds, None where it came without one. Raises BookError."""
    return session.ledger.chain_of_values(row)


def history_lines(session: TurningSession, row: str) -> list[tuple[str, str, str]]:
    """The entries of a row, the newest first: when, what, why."""
    found = []
    for entry in reversed(session.ledger.history(row)):
        figures = "  ".join(f"{axis.upper()} {signed_bare(value, 3)}" for axis, value in entry.values.items())
        when = f"{local_time(entry.at):%d.%m. %H:%M}"
        found.append((when, entry.kind.value, f"{figures}  {entry.note}".strip()))
    return found


def reach_words(session: TurningSession) -> str:
    """Along what nobody knows how far the tool at the work reaches; nothing where it is known."""
    axes, tool = session.targets.unknown_reach, session.machine.tool
    if not axes or tool is None:
        return ""
    return f"How far {tool.name} reaches in {' and '.join(axes.upper())} is not known"


def way_words(session: TurningSession) -> str:
    """The way to go to the target in hand, in a line; nothing without a target or a position."""
    target, ways = session.targets.target, session.targets.to_go()
    if target is None or not ways:
        return ""
    told = ", ".join(f"{'⌀' if way.axis == 'x' else 'Z'} {signed_bare(way.to_target, 3)}" for way in ways)
    return f"to go to {target.name}: {told}"


STAGE_SHAPES = {
    ApproachStage.AWAY: ("·", "quiet"),
    ApproachStage.NEAR: ("▹", "sand"),
    ApproachStage.CLOSE: ("▶", "sand"),
    ApproachStage.AT: ("●", "live"),
    ApproachStage.PAST: ("✕", "coral"),
}
"""Each stage of the way to a target by a shape and the name of a colour."""


def target_step(session: TurningSession) -> tuple[str, str]:
    """The next thing to do at a target, in two sentences."""
    work = session.targets
    target = work.target
    if target is None:
        return "a: add a target; A: take all of the drawing.", f"As {shown_unit().word}: seat: ⌀48 z −40"
    if not work.has_zero:
        return (
            f"{session.row} is not set: find its zero on the bench first (⟨1⟩).",
            "A way to go would count from nowhere.",
        )
    if set(work.unknown_reach) & {axis for axis in "xz" if getattr(target, axis) is not None}:
        return f"{reach_words(session)}: find it on the bench first (⟨1⟩).", "A way to go would count from nowhere."
    if work.offer is not None:
        return f"Enter: {work.offer.told}", "The rest of the passes is planned from it. Esc: leave it."
    if work.finished:
        return "Every target is done.", "⟨n⟩ goes round again, ⟨k⟩ clamps the next piece."
    if work.place() is None:
        return "⟨h⟩: type where the axes stand.", "The way to go is counted from it."
    progress = work.progress
    if progress is None:
        return f"Cut to {target.name}. Enter: done, the next target.", "⟨f⟩: a size that was measured."
    left = progress.passes_left
    stop = "" if progress.stop is None else f" to ⌀{dim(progress.stop, 3)}"
    passes = f"pass {progress.done + 1} of {len(progress.stops)}" if progress.stops else "one cut"
    last = "Enter: it is cut, the target is done." if left <= 1 else "Enter: this pass is cut."
    return f"{target.name}: {passes}{stop}. {last}", "⟨f⟩: a size that was measured between passes."


def target_lines(session: TurningSession) -> list[tuple[str, str, str, str]]:
    """The targets: mark, name, figures, passes."""
    work = session.targets
    found = []
    for target in work.targets:
        figures = []
        if target.x is not None:
            figures.append(f"⌀{bare(target.x, 3)}")
        if target.z is not None:
            figures.append(f"Z {signed_bare(target.z, 3)}")
        passes = ""
        if target.depth:
            spring = f", {target.spring} spring" if target.spring else ""
            passes = f"{dim(target.depth)} a pass, {dim(target.finish)} last{spring}"
        mark = "●" if target.name in work.done else "○"
        found.append((mark, target.name, "  ".join(figures), passes))
    return found


def setup_lines(session: TurningSession) -> list[tuple[str, int | None, str, str]]:
    """The set-up line by line: its key in the file, its place in a list, what it is called, its words."""
    said = session.job.file.setup
    found: list[tuple[str, int | None, str, str]] = [
        ("part", None, "part", said.part),
        ("stock", None, "stock", said.stock),
        ("holding", None, "holding", said.holding),
        ("zero", None, "zero at", said.zero),
        ("side", None, "side", said.side),
        ("row", None, "row", said.row),
    ]
    for key, title in (("tools", "tool"), ("gauges", "gauge"), ("targets", "target"), ("family", "family")):
        lines: list[str] = getattr(said, key)
        found += [(key, number, title, words) for number, words in enumerate(lines)]
        found.append((key, len(lines), f"+ {title}", ""))
    return found


def facts_of_setup(session: TurningSession) -> list[str]:
    """What follows from the set-up, in short lines."""
    setup = session.job.setup
    held, part = setup.holding, setup.part
    unsupported = "" if held.tailstock else ", no tailstock"
    out = held.stands_out + setup.stock.front
    lines = [
        f"part {dim(part.length)} long, ⌀{dim(part.largest)}; {setup.stock.kind} ⌀{dim(setup.stock.diameter)}",
        f"{dim(out)} out of the jaws, {num(out / setup.stock.diameter, 1)} × ⌀{unsupported}",
        f"jaws at program Z {signed_dim(setup.jaws_in_program, 3)}",
    ]
    if setup.slender:
        lines.append("! slender: it bends away from the tool, support it")
    if part.length > held.stands_out and setup.side == "first":
        lines.append(f"! {dim(part.length - held.stands_out)} of the part lie in the jaws")
    return lines
