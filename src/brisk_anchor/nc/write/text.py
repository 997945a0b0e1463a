"""What the writers of every language share: lines, comments, figures, expressions, variables for names."""

from __future__ import annotations

import re
from collections.abc import Sequence

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import (
    Binary,
    Expression,
    Function,
    LengthInTable,
    Name,
    Number,
    RowValue,
    Variable,
    WearInTable,
)
from brisk_anchor.core.quantities import fixed
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.profile.sections import LatheProfile, Probing, TurningTable
from brisk_anchor.nc.programs.program import ProgramLine, ResultLine, comment_text
from brisk_anchor.nc.programs.steps import (
    CallTool,
    KeepAngle,
    KeepResult,
    MarkTool,
    OperatorStop,
    Orient,
    Probe,
    ProgramRapid,
    RowCall,
    RowHolds,
    SectionHeading,
    SpindleStop,
    Step,
    StoreTool,
    TableAt,
    TiltedPlane,
    ToolHolds,
    TurnTable,
    TurretCall,
)

NO_SHIFT = "NO SHIFT (G52, G50, G92) MAY STAND: LOOK"
"""What a person is asked where a program cannot read it."""


class TextWriter:
    """Collects the lines of one program; knows which variable holds which name."""

    notes: tuple[str, ...] = ()
    """What a person must know of programs in this language, for the head."""

    def __init__(self, profile: Profile) -> None:
        self.profile = profile
        self.unit = profile.unit
        """Millimetres in one unit of the program; figures of steps are in that unit already."""
        self.lines: list[ProgramLine] = []
        self.results: list[ResultLine] = []
        self.variables: dict[str, int] = {}
        self.section = 0

    def step(self, step: Step) -> None:
        """Write one step."""
        raise NotImplementedError

    def shared_step(self, step: Step) -> bool:
        """Write a step that the profile alone words, whatever the language; False for any other, nothing written."""
        probing = self.profile.probing
        match step:
            case SectionHeading(title):
                self.heading(title)
            case TableAt(angles):
                self.table_at(angles)
            case TurnTable(letter, by):
                self.turn_table(letter, by)
            case OperatorStop(text, optional):
                self.operator_stop(text, optional=optional)
            case Probe(on) if probing is not None:
                for block in probing.on if on else probing.off:
                    self.put(block, "probe on" if on else "probe off")
            case Orient(half) if probing is not None:
                self.orient(probing, half=half)
            case KeepResult(variable, value, why):
                self.keep(variable, value, why)
            case TiltedPlane(variables):
                self.tilted_plane(variables)
            case CallTool(number):
                self.call_tool(number)
            case MarkTool(number, usable):
                self.mark_tool(number, usable=usable)
            case KeepAngle(row, value):
                self.keep_angle(row, value)
            case SpindleStop():
                self.put("M5", "spindle stopped")
                self.put("M9", "coolant off")
            case StoreTool():
                self.store_tool(step)
            case TurretCall(station, offset, why):
                code = self._lathe.tool.format(station=station, offset=offset)
                self.put(code, why, note=why)
            case RowCall(row):
                self.put(self.profile.row(row).select, f"{row} in force")
            case ProgramRapid(why, x, z):
                words = [f"{a}{self.figure(v)}" for a, v in (("X", x), ("Z", z)) if v is not None]
                self.put(f"G0 {' '.join(words)}", f"rapid to a place of the program: {why}", note=why)
            case _:
                return False
        return True

    def close(self) -> None:
        """Leave the control as this program found it, as far as the writer changed it by itself."""

    def end(self, *, returns: bool = False) -> None:
        """Write the end of the main program, or go back to the one that called it.

        Raises:
            PlanError: this control's programs cannot be called.
        """
        self.close()
        for block in self.profile.program.tail:
            self.put(block, "this shop's own tail")
        if not returns:
            self.put(self.profile.program.last_word, "end of program")
        elif (calls := self.profile.subprograms) is not None:
            self.put(calls.return_word, "back to the program that called this one, which goes on")
        else:
            raise PlanError(
                "No program calls another on this control",
                "The plan is to return to the one that called it",
                "Let it end or stop, or put the measuring into the program (brisk-anchor weave)",
            )

    def subprograms(self) -> None:
        """Write what the main program calls, where the language calls anything."""

    @property
    def _lathe(self) -> LatheProfile:
        """What the profile says of a lathe. Raises PlanError: nothing."""
        if self.profile.lathe is None:
            raise PlanError(
                f"The profile {self.profile.name} is of no lathe",
                "It does not say how tools and their tables are written",
                "Choose a profile with a section lathe: turn-macro, turn-table",
            )
        return self.profile.lathe

    def tool_table(self, name: str) -> TurningTable:
        """The table "geometry" or "wear" of the lathe. Raises PlanError: its control has none."""
        table = self._lathe.table(name)
        if table is None:
            raise PlanError(
                f"A control with the profile {self.profile.name} has no table of {name}",
                "Nothing can be written to it",
                "Put the figure into the geometry",
            )
        return table

    def held_in(self, step: ToolHolds | RowHolds) -> list[tuple[str, int, float]]:
        """The figures of a step that a program can read: axis in capitals, variable, what it is to hold.

        Raises:
            PlanError: the control has no such table.
        """
        found = []
        for axis, value in step.values:
            if isinstance(step, ToolHolds):
                variable = self.tool_table(step.table).variable(axis, step.number)
            else:
                variable = self.profile.reads(step.row, axis)
            if variable is not None:
                found.append((axis.upper(), variable, value))
        return found

    def store_tool(self, step: StoreTool) -> None:
        """Write figures of a tool, by a block or through variables. Raises PlanError."""
        table, told = self.tool_table(step.table), f"{step.table} of offset {step.number}"
        if not 1 <= step.number <= self._lathe.offsets:
            raise PlanError(
                f"The control has no offset {step.number}", f"It has {self._lathe.offsets}", "Choose another"
            )
        if table.write is not None:
            words = " ".join(f"{axis.upper()}{self.figure(value)}" for axis, value in step.values)
            self.put(f"{table.write.format(n=step.number)} {words}", f"writes the {told}", note=f"write {told}")
            return
        for axis, value in step.values:
            variable = table.variable(axis, step.number)
            self.put(
                f"#{variable}={self.constant(value)}", f"writes {axis.upper()} of the {told}", note=f"write {told}"
            )

    def comment(self, text: str) -> str:
        """A comment of a text that may come from a person."""
        marks = self.profile.comment
        return f"{marks.open}{comment_text(text, marks.longest)}{marks.close}"

    def put(self, code: str, meaning: str = "", *, note: str = "", heading: bool = False) -> None:
        """Add a line with its meaning; `note` becomes its comment."""
        text = f"{code} {self.comment(note)}".strip() if note else self._own_comment(code)
        self.lines.append(ProgramLine(text, meaning or note, heading))

    def _own_comment(self, code: str) -> str:
        """Code of ours with its comment in brackets, in the marks of this control."""
        marks = self.profile.comment
        return code if marks.open == "(" else re.sub(r"\(([^()]*)\)$", rf"{marks.open}\1{marks.close}", code)

    def heading(self, title: str) -> None:
        """Add the heading of a section, numbered in tens."""
        self.section += 10
        self.put(f"N{self.section}", title, note=title, heading=True)

    def safe_state(self) -> None:
        """Add the blocks for a known state."""
        for block in self.profile.state.safe:
            plane = "XY plane, no length, no rotation, no cycle"
            if self.profile.lathe is not None:
                plane = "ZX plane, absolute positions, no nose compensation"
            self.put(block, f"a known state: {'mm' if self.unit == 1 else 'inch'}, {plane}")

    def allocate(self, names: tuple[str, ...]) -> int:
        """Give names variables side by side and return the first; a name keeps the one it has. Raises PlanError."""
        if names[0] in self.variables:
            return self.variables[names[0]]
        low, high = self.profile.variables.free if self.profile.variables else (1, 0)
        taken = set(self.variables.values())
        wanted = range(len(names))
        first = next((n for n in range(low, high + 1) if not any(n + i in taken for i in wanted)), high + 1)
        if first + len(names) - 1 > high:
            raise PlanError(
                f"The program needs more than the {high - low + 1} variables the profile allows",
                "Values would overwrite each other",
                "Measure fewer features in one program, or widen variables.free in the profile",
            )
        for offset, name in enumerate(names):
            self.variables[name] = first + offset
        return first

    def release(self, names: tuple[str, ...]) -> None:
        """Let the variables of names hold something else."""
        for name in names:
            self.variables.pop(name, None)

    def figure(self, value: float) -> str:
        """A place or a feed at the control's resolution, always with a decimal point, never −0."""
        text = fixed(value, self.profile.word_decimals).rstrip("0")
        return text if not text.startswith("-0.") or float(text) else "0."

    def grain(self, axis: str) -> float:
        """How far off a figure may be that is read back, in the program's unit or degrees."""
        return self.profile.resolution * 2 if axis == "r" else self.profile.grain / self.unit

    def constant(self, value: float) -> str:
        """A figure that is worked with, with its full significance: a rounded cosine moves what lies far from the zero.

        Ten digits, and no more than eight behind the point: what controls read.
        """
        whole = len(str(int(abs(value)))) if abs(value) >= 1 else 0
        text = fixed(value, min(8, 10 - whole) if whole < 10 else 0)
        text = text.rstrip("0") if "." in text else f"{text}."
        return text if float(text) else "0."

    def expression(self, value: Expression, *, nested: bool = False) -> str:
        """A value as text; a sum within another stands in brackets."""
        if isinstance(value, Number):
            return self.constant(value.value)
        if isinstance(value, Variable):
            return f"#{value.number}"
        if isinstance(value, Name):
            return f"#{self.variables[value.name]}"
        if isinstance(value, RowValue):
            return f"#{self.row_variable(value)}"
        if isinstance(value, LengthInTable):
            table = self.profile.tool_table
            if table is None or table.length is None:
                return self.constant(value.known)
            wear = "" if table.length_wear is None else f"+#{table.length_wear + value.number}"
            return f"[#{table.length + value.number}{wear}]"
        if isinstance(value, WearInTable):
            return f"#{self.wear_variable(value.number, value.column)}"
        if isinstance(value, Function):
            return value.name + "/".join(f"[{self.expression(part)}]" for part in value.values)
        left, right = self.expression(value.left, nested=True), self.expression(value.right, nested=True)
        if isinstance(value.right, Number) and value.operator in "+-" and value.right.value < 0:
            text = f"{left}{'-+'[value.operator == '-']}{self.constant(-value.right.value)}"
        else:
            text = f"{left}{value.operator}{right}"
        return f"[{text}]" if nested else text

    def wear_variable(self, number: int, column: str) -> int:
        """The variable that holds the wear of a tool. Raises PlanError: a program has none for it."""
        table = self.profile.tool_table
        first = None if table is None else table.length_wear if column == "length wear" else table.radius_wear
        if table is None or first is None or not 1 <= number <= table.tools:
            raise PlanError(
                f"A program cannot reach the {column} of T{number} on this control",
                "The profile names no variable for it",
                "Type the new figure at the control: the card says it",
            )
        return first + number

    def row_variable(self, value: RowValue) -> int:
        """The variable a figure of a row can be read from. Raises PlanError where there is none."""
        number = self.profile.reads(value.row, value.axis)
        if number is None:
            raise PlanError(
                f"{value.row} {value.axis.upper()} cannot be read by a program on this control",
                "What is derived from it cannot be worked out there",
                "Let the application set the row",
            )
        return number

    def store_row(self, row: str, values: Sequence[tuple[str, Expression]], *, before: str = "") -> None:
        """Write a row, by its block (with words `before` it) or through its variables; an angle where the row has one.

        Raises:
            PlanError: a figure has no variable.
        """
        known, note = self.profile.row(row), f"write {row}"
        held = [(axis, value) for axis, value in values if axis != "r" or known.rotation is not None]
        if known.write is not None:
            words = " ".join(self.word(axis.upper(), value) for axis, value in held)
            self.put(f"{before}{known.write} {words}", f"writes offset {row}", note=note)
            return
        for axis, value in held:
            text, told = self._value(axis.upper(), value), f"writes {axis.upper()} of offset {row}"
            self.put(f"#{self.row_variable(RowValue(row, axis))}={text}", told, note=note)

    def table_at(self, angles: Sequence[tuple[str, float]]) -> None:
        """Rotary tables turned to machine angles."""
        words = " ".join(f"{letter}{self.constant(angle)}" for letter, angle in angles)
        assert self.profile.moves is not None  # whatever measures can move
        self._clamps([letter for letter, _ in angles], clamp=False)
        self.put(f"{self.profile.moves.rapid_machine} {words}", "turns the table: what follows is measured there")
        self._clamps([letter for letter, _ in angles], clamp=True)

    def turn_table(self, letter: str, by: Expression) -> None:
        """A rotary table turned from where it stands, everything else at rest."""
        self._clamps([letter], clamp=False)
        self.put(f"G91 G0 {self.word(letter, by)}", f"turns the table {letter}: the part lies straight then")
        self.put("G90", "absolute positions again")
        self._clamps([letter], clamp=True)

    def _clamps(self, letters: Sequence[str], *, clamp: bool) -> None:
        """Let go of tables that turn, or hold them again, where the profile has words for it."""
        for letter, words in self.profile.table_clamp.items():
            if letter in letters:
                self.put(
                    words.clamp if clamp else words.unclamp, f"{'holds' if clamp else 'lets go of'} table {letter}"
                )

    def orient(self, probing: Probing, *, half: bool) -> None:
        """Hold the spindle where the probe was calibrated, or half round from there. Raises PlanError: no words."""
        blocks = probing.orient_half if half else probing.orient
        if not blocks:
            raise PlanError(
                f"The profile {self.profile.name} names no way to turn the spindle half round",
                "The run-out cannot be taken out by it",
                "State probing.orient and probing.orient_half, or measure without the half turn",
            )
        for block in blocks:
            self.put(block, "the spindle half round" if half else "the spindle as the probe was calibrated")

    def keep(self, variable: int, value: Expression, why: str) -> None:
        """Copy a result where the next program finds it. Raises PlanError: that variable is spoken for."""
        variables = self.profile.variables
        low, high = variables.common if variables else (1, 0)
        free = variables.free if variables else (1, 0)
        angles = [n for row in self.profile.offsets if (n := self.profile.angle_of(row)) is not None]
        if not low <= variable <= high or free[0] <= variable <= free[1] or variable in angles:
            raise PlanError(
                f"#{variable} cannot keep a result",
                f"A person's own are #{low} to #{high}, but for #{free[0]} to #{free[1]}, which programs use, and "
                "those that keep angles of offsets",
                "Choose another",
            )
        self.put(f"#{variable}={self.expression(value)}", f"{why} in #{variable}", note=why)

    def tilted_plane(self, variables: tuple[int, int, int]) -> None:
        """Say how a program calls the plane whose angles were kept."""
        if (form := self.profile.tilted) is None or form.order != "zxz":
            return  # the angles that are kept turn, lean and turn back
        i, j, k = variables
        call = form.call.format(i=i, j=j, k=k)
        self.put(self.comment(f"A PROGRAM LIES IN THAT PLANE BY {call}"), "how the angles of the plane are used")

    def call_tool(self, number: int) -> None:
        """Put a tool into the spindle. Raises PlanError: the profile does not say how."""
        if self.profile.call is None:
            raise PlanError(
                f"The profile {self.profile.name} does not say how a tool is called",
                f"T{number} cannot be put into the spindle by a program",
                "State call.tool in the profile",
            )
        self.guard_tool(number)
        self.put("M5", "spindle stopped")
        self.put("M9", "coolant off")
        self.put(self.profile.call.tool.format(number=number), f"T{number} into the spindle")

    def guard_tool(self, number: int) -> None:
        """Stop before a tool is called that is marked as not to be used, where the language can look."""

    def mark_tool(self, number: int, *, usable: bool) -> None:
        """Mark a tool as not to be used, or take the mark off. Raises PlanError: the control has no such mark."""
        table = self.profile.tool_table
        if table is None or table.not_to_be_used is None:
            what = f"A control with the profile {self.profile.name} has no mark for a tool that is not to be used"
            raise PlanError(what, f"It may still call T{number}", "Take the tool out of the magazine")
        meaning = f"T{number} may be used again" if usable else f"T{number} is not to be used"
        self.put(f"#{table.not_to_be_used + number}={0 if usable else 1}", meaning, note=meaning)

    def operator_stop(self, text: str, *, optional: bool = False) -> None:
        """A stop that a person ends; an optional one is passed where the switch for it is off."""
        word, when = ("M1", "where the optional stop is on, ") if optional else ("M0", "")
        self.put(word, f"{when}stops until a person presses start", note=text)

    def keep_angle(self, row: str, value: Expression) -> None:
        """Keep the angle of a row where programs of the shop turn their coordinates by it.

        Raises:
            PlanError: the control knows no such way.
        """
        rotation, number = self.profile.rotation, self.profile.angle_of(row)
        if self.profile.row(row).rotation is not None:
            return
        if rotation is not None and number is None:
            raise PlanError(
                f"{row} lies turned, and the profile {self.profile.name} keeps no angle for it",
                f"Its variables (rotation.first) are those of {', '.join(self.profile.turned_rows)}",
                "Give the profile rotation.extended, the first variable for extended rows, or take one of these rows",
            )
        if rotation is None or number is None:
            raise PlanError(
                f"{row} lies turned, and a control with the profile {self.profile.name} cannot turn coordinates",
                "Its program would cut along the machine's axes",
                "Turn the part or the table by the angle, or choose a datum without R",
            )
        self.put(f"#{number}={self.expression(value)}", f"the angle {row} is turned by", note=f"angle {row}")
        if value == Number(0.0):
            return  # programs there need not turn anything
        call = rotation.call.format(variable=number)
        self.put(self.comment(f"A PROGRAM IN {row} TURNS ITS COORDINATES BY {call}"), "how the angle is used")

    def _value(self, letter: str, value: Expression) -> str:
        """A value of an axis: a plain place at the control's resolution, an angle in full."""
        if isinstance(value, Number) and letter in "XYZ":
            return self.figure(value.value)
        return self.expression(value)

    def word(self, letter: str, value: Expression) -> str:
        """An address word, with brackets round a value that is worked out."""
        text = self._value(letter, value)
        return f"{letter}[{text}]" if isinstance(value, Binary | Function) else f"{letter}{text}"

    def can_look(self, number: int, what: str, *, called: bool) -> bool:
        """Whether a program can look which tool is in the spindle; if not, it puts the tool in here, or asks."""
        tool = self.profile.tool
        if tool is not None and tool.holds == "tool in spindle":
            return True
        if called:
            return False
        if self.profile.call is not None:
            self.call_tool(number)
        else:
            text = f"{what} T{number} MUST BE IN THE SPINDLE"
            self.put("M0", "stops: look at the spindle, then start again", note=text)
        return False


def unknown(step: Step) -> PlanError:
    """The error for a step that the language or the profile cannot write; omitting it could break a spindle."""
    return PlanError(
        f"The profile has no words for a step of the program ({type(step).__name__})",
        "No program is written without it",
        "Add what the profile lacks",
    )
