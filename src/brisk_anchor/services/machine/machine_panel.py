"""What a control's panel shows, as rows of words: tables, tools, variables, runs, modal state. No widget."""

from __future__ import annotations

from collections.abc import Callable

from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import shown_unit, signed_bare, signed_deg
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.read.expressions import ExpressionError
from brisk_anchor.nc.read.port import LENGTH, LENGTH_WEAR, RADIUS, RADIUS_WEAR
from brisk_anchor.nc.read.variables import Variables
from brisk_anchor.standin.control import Control, Mode

TABLES = ("offsets", "tools", "variables", "runs")
_MOST_VARIABLES = 40


@dataclass(frozen=True, slots=True)
class Table:
    """Columns of a table, rows of words, and which row stands out (-1: none)."""

    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    marked: int = -1
    note: str = ""


def _mm(value: float) -> str:
    return signed_bare(value, 4)


def work_position(control: Control, spindle: Vector) -> Vector:
    """Where the spindle stands in the coordinates a program would use now, mm."""
    return control.reader.runner.to_program(spindle)


def modal_words(control: Control) -> str:
    """The modal state as a person reads it on a control: "G1 G17 G90 G21 G94 G54  F800  S0 M5"."""
    modal = control.reader.modal
    codes = [] if modal.motion is None else [f"G{modal.motion:g}"]
    codes += [f"G{modal.plane}", "G90" if modal.absolute else "G91", "G20" if modal.inches else "G21"]
    codes += [f"G{modal.feed_mode}", modal.offset]
    if modal.length or modal.length_shift:
        codes.append(f"G43 H{modal.length}" if modal.length else "G43.1")
    if modal.rotation:
        codes.append(f"G68 R{modal.rotation:g}")
    if any(modal.local_shift) or any(modal.set_shift):
        codes.append("shifted")
    spindle = f"S{control.machine.speed:g} M{control.machine.spindle}"
    return f"{' '.join(codes)}   {modal.feed_word}   {spindle}"


def table(control: Control, name: str, watched: tuple[int, ...], names: Callable[[str], str] = lambda _: "") -> Table:
    """One of `TABLES`; `watched` are the variables a person asked for, `names` says what a row is called."""
    return {
        "offsets": lambda control: _offsets(control, names),
        "tools": _tools,
        "variables": lambda control: _variables(control, watched),
        "runs": _runs,
    }[name](control)


def _offsets(control: Control, names: Callable[[str], str]) -> Table:
    machine, active = control.machine, control.reader.modal.offset
    letters = tuple(machine.angles)
    rows: list[tuple[str, ...]] = []
    marked = -1
    shown = [name for name in control.profile.all_rows if name in control.profile.offsets or name in machine.offsets]
    for name in shown:
        if name == active:
            marked = len(rows)
        angles = machine.angle_offset(name)
        values = tuple(_mm(value) for value in machine.offset(name))
        turns = (signed_deg(angles.get(letter, 0.0), 3) for letter in letters)
        rows.append((name, *values, *turns, names(name)))
    extended = control.profile.extended
    note = f"{extended.count} extended rows besides, shown once they are written" if extended and extended.count else ""
    note = f"lengths in {shown_unit().word}{f'; {note}' if note else ''}"
    return Table(("row", *(axis.upper() for axis in AXES), *letters, "name"), tuple(rows), marked, note)


def _tools(control: Control) -> Table:
    machine = control.machine
    rows: list[tuple[str, ...]] = []
    marked = -1
    for number, tool in sorted(machine.tools.items()):
        if number == 0:
            continue
        if number == machine.tool_in_spindle:
            marked = len(rows)
        figures = []
        for column in (LENGTH, LENGTH_WEAR, RADIUS, RADIUS_WEAR):
            try:
                figures.append(_mm(machine.tool_value(number, column)))
            except ValueError:
                figures.append("empty")
        rows.append((f"T{number}", *figures, tool.name))
    return Table(
        ("tool", "length", "wear", "radius", "wear", "name"),
        tuple(rows),
        marked,
        f"{shown_unit().word}; ▸ in the spindle",
    )


def _variables(control: Control, watched: tuple[int, ...]) -> Table:
    if control.profile.variables is None:
        return Table(("variable", "value", ""), (), note="this control has no variables")
    store = control.reader.variables
    numbers = list(watched)
    if control.profile.positions is not None:
        numbers += [number for number in control.profile.positions.skip if number not in numbers]
    numbers += [n for n, value in sorted(control.memory.common.items()) if value is not None and n not in numbers]
    rows: list[tuple[str, ...]] = []
    for number in numbers[:_MOST_VARIABLES]:
        value, note = _value(store, number)
        rows.append((f"#{number}", value, note or ("watched" if number in watched else "")))
    return Table(
        ("variable", "value", ""),
        tuple(rows),
        note="as the control holds them: lengths in mm, or as the program left them",
    )


def _value(store: Variables, number: int) -> tuple[str, str]:
    """The value of a variable, and why it has none."""
    try:
        value = store.read(number)
    except ExpressionError as error:
        return "—", str(error)
    return ("null" if value is None else f"{value:.6f}".rstrip("0").rstrip(".")), ""


def _runs(control: Control) -> Table:
    rows = tuple(
        (note.title, note.ended, str(note.blocks), f"{note.seconds:.1f} s") for note in reversed(control.history)
    )
    return Table(("program", "ended", "blocks", "machine time"), rows, note="newest first")


def next_step(control: Control, *, loaded: bool) -> tuple[str, str]:
    """The next thing to do at the control, in two sentences; `loaded` is whether a program is."""
    if control.alarm is not None:
        return f"Alarm {int(control.alarm.number)}: {control.alarm.text}.", "Esc resets it."
    if control.door_open:
        return "The door is open: nothing moves under power.", "⟨d⟩ closes it."
    if not control.homed:
        return "The machine does not know where it is: press ⟨h⟩ to send it home.", "No program runs before."
    if control.mode is Mode.MDI:
        return "Press ⟨i⟩ and type a line.", "Modal state and offset stay in force from line to line."
    if control.mode is Mode.AUTO:
        if not loaded:
            return "Press ⟨o⟩ to load the program of the chosen offset, ⟨O⟩ for a file.", "Tab chooses the offset."
        return (
            "Press ⟨Space⟩ to run the program on this machine.",
            "It moves, and writes the tables: ⟨3⟩ proves it first.",
        )
    return "Move by hand: ← → choose the axis, ↑ ↓ move it.", "Contact stops the probe. ⟨m⟩ turns the mode switch."
