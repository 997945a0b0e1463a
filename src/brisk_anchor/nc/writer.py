"""Steps to NC text by a control profile. Every line keeps its meaning in plain words for the screen."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass, field

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.numbers import fixed
from brisk_anchor.core.touches import Stylus
from brisk_anchor.nc.plan import Plan, plan_steps
from brisk_anchor.nc.profile import Profile
from brisk_anchor.nc.steps import (
    AlarmNumber,
    Binary,
    Check,
    Compute,
    Expression,
    Guarded,
    Name,
    NoCommonShift,
    Number,
    Probe,
    Rapid,
    ReadBack,
    Report,
    SafeState,
    Section,
    Step,
    Store,
    ToolCheck,
    TouchStep,
)
from brisk_anchor.nc.subprograms import guard_subprogram, touch_subprogram

REPORT_TAG = "BRISK"
_ALLOWED = re.compile(r"[^A-Z0-9 .,+\-/:=]")


@dataclass(frozen=True, slots=True)
class ProgramLine:
    """One line of NC text and what it does; `heading` marks the start of a section."""

    text: str
    meaning: str = ""
    heading: bool = False


@dataclass(frozen=True, slots=True)
class Program:
    """A written program."""

    number: int
    title: str
    identity: int
    lines: tuple[ProgramLine, ...]

    @property
    def text(self) -> str:
        """The file as it goes to the control."""
        return "\n".join(line.text for line in self.lines) + "\n"

    @property
    def digest(self) -> str:
        """SHA-256 of the text; ties a proof to exactly this program."""
        return hashlib.sha256(self.text.encode()).hexdigest()


def comment_text(text: str, longest: int) -> str:
    """Make a person's text safe inside an NC comment: capitals, digits and a few signs; brackets cannot come through.

    >>> comment_text('a (b) % "c"\\nG0 X0', 40)
    'A B C G0 X0'
    """
    folded = (
        text.upper().replace("Ä", "AE").replace("Ö", "OE").replace("Ü", "UE").replace("−", "-").replace("⌀", "DIA ")
    )
    plain = " ".join(_ALLOWED.sub(" ", folded).split())
    return plain[:longest].rstrip()


@dataclass
class _Writer:
    """Collects lines; knows which variable holds which name."""

    profile: Profile
    lines: list[ProgramLine] = field(default_factory=list)
    variables: dict[str, int] = field(default_factory=dict)
    section: int = 0

    def comment(self, text: str) -> str:
        marks = self.profile.comment
        return f"{marks.open}{comment_text(text, marks.longest)}{marks.close}"

    def put(self, code: str, meaning: str = "", *, note: str = "", heading: bool = False) -> None:
        text = f"{code} {self.comment(note)}".strip() if note else code
        self.lines.append(ProgramLine(text, meaning or note, heading))

    def allocate(self, names: tuple[str, ...]) -> int:
        """Give names variables side by side and return the first; a name keeps the one it has."""
        if names[0] in self.variables:
            return self.variables[names[0]]
        low, high = self.profile.variables.free
        first = low + len(self.variables)
        if first + len(names) - 1 > high:
            raise PlanError(
                f"The program needs more than the {high - low + 1} variables the profile allows",
                "Values would overwrite each other",
                "Measure fewer features in one program, or widen variables.free in the profile",
            )
        for offset, name in enumerate(names):
            self.variables[name] = first + offset
        return first

    def figure(self, value: float) -> str:
        """A figure at the control's resolution, always with a decimal point, never −0."""
        text = fixed(value, self.profile.decimals).rstrip("0")
        return text if not text.startswith("-0.") or float(text) else "0."

    def expression(self, value: Expression, *, nested: bool = False) -> str:
        if isinstance(value, Number):
            return self.figure(value.value)
        if isinstance(value, Name):
            return f"#{self.variables[value.name]}"
        left, right = self.expression(value.left, nested=True), self.expression(value.right, nested=True)
        if isinstance(value.right, Number) and value.operator in "+-" and value.right.value < 0:
            text = f"{left}{'-+'[value.operator == '-']}{self.figure(-value.right.value)}"
        else:
            text = f"{left}{value.operator}{right}"
        return f"[{text}]" if nested else text

    def word(self, letter: str, value: Expression) -> str:
        text = self.expression(value)
        return f"{letter}[{text}]" if isinstance(value, Binary) else f"{letter}{text}"

    def print_line(self, report: Report) -> str:
        form = self.profile.print
        space = form.space
        parts = [REPORT_TAG, "1", *report.words]
        for letter, value, decimals in report.values:
            if isinstance(value, Number):
                figure = fixed(value.value, form.decimals if decimals < 0 else decimals)
                parts.append(f"{letter}{figure}")
            else:
                places = form.decimals if decimals < 0 else decimals
                parts.append(
                    form.number.format(letter=letter, value=self.expression(value), whole=form.whole, decimals=places)
                )
        return form.line.format(text=space.join(parts))

    def alarm(self, condition: str, number: int, text: str) -> str:
        shown = comment_text(text, self.profile.alarm.longest)
        return f"IF [{condition}] THEN #{self.profile.alarm.variable}={number} ({shown})"

    def step(self, step: Step) -> None:
        profile = self.profile
        match step:
            case Section(title):
                self.section += 10
                self.put(f"N{self.section}", title, note=title, heading=True)
            case SafeState():
                for block in profile.state.safe:
                    self.put(block, "a known state: mm, XY plane, no length, no rotation, no cycle")
                self.put(profile.print.open, "opens the printer for the report lines")
            case ToolCheck(number):
                condition = f"#{profile.tool.in_spindle} NE {number}"
                self.put(
                    self.alarm(condition, AlarmNumber.TOOL, f"PROBE T{number} NOT IN SPINDLE"),
                    f"stop unless T{number} is in the spindle",
                )
            case Probe(on):
                for block in profile.probing.on if on else profile.probing.off:
                    self.put(block, "probe on" if on else "probe off")
            case Rapid(x, y, z):
                words = [f"{a}{self.figure(v)}" for a, v in zip("XYZ", (x, y, z), strict=True) if v is not None]
                self.put(
                    f"{profile.moves.rapid_machine} {' '.join(words)}",
                    "rapid to this machine position, at clear height",
                )
            case Guarded(why, x, y, z):
                words = [self.word(a, v) for a, v in zip("XYZ", (x, y, z), strict=True) if v is not None]
                call = profile.program.call.format(number=profile.program.guard_number)
                self.put(f"{call} {' '.join(words)}", f"guarded move to a machine position: {why}", note=why)
            case TouchStep(number, direction, distance, names, why):
                first = self.allocate(names)
                call = profile.program.call.format(number=profile.program.touch_number)
                words = [
                    f"{a}{self.figure(d * distance)}" for a, d in zip("XYZ", direction, strict=True) if abs(d) > 1e-9
                ]
                self.put(
                    f"{call} {' '.join(words)} A{number}. Q{first}.",
                    f"touch: search up to {distance:g} mm, keep the machine position in #{first} to #{first + 2}",
                    note=why,
                )
            case Compute(name, value, why):
                text = self.expression(value)
                self.put(f"#{self.allocate((name,))}={text}", why, note=why)
            case Check(value, centre, limit, number, text, why):
                difference = self.expression(Binary(value, "-", centre))
                self.put(self.alarm(f"ABS[{difference}] GT {self.figure(limit)}", number, text), why)
            case NoCommonShift():
                if profile.common_shift is not None:
                    held = "+".join(f"ABS[#{n}]" for n in profile.row(profile.common_shift).read)
                    self.put(
                        self.alarm(
                            f"{held} GT {self.figure(profile.resolution)}",
                            AlarmNumber.COMMON_SHIFT,
                            "COMMON SHIFT IS NOT ZERO",
                        ),
                        "stop unless the common shift is zero: the offset was worked out without one",
                    )
            case Store(row, values):
                offset = profile.row(row)
                written = " ".join(self.word(axis.upper(), value) for axis, value in values)
                self.put(f"{offset.write} {written}", f"writes offset {row}", note=f"write {row}")
            case ReadBack(row, values):
                offset = profile.row(row)
                for axis, value in values:
                    held = f"#{offset.read['xyz'.index(axis)]}"
                    condition = f"ABS[{held}-{self.expression(value)}] GT {self.figure(profile.resolution * 2)}"
                    self.put(
                        self.alarm(condition, AlarmNumber.READ_BACK, f"{row} {axis.upper()} WAS NOT TAKEN"),
                        f"read back: alarm unless the table holds what was written to {row} {axis.upper()}",
                    )
            case Report():
                self.put(self.print_line(step), "prints a report line that the application reads")


def write_program(plan: Plan, profile: Profile) -> Program:
    """Write a plan as NC text for a control.

    The file holds the main program, the touch and the guarded move; nothing is needed on the control.

    Raises:
        PlanError: the plan cannot be written safely. ProfileError: the control lacks a row.
    """
    steps = plan_steps(plan)
    writer = _Writer(profile)
    for mark in profile.program.start:
        writer.put(mark, "start of the file")
    writer.put(
        profile.program.number.format(number=plan.number), f"program {plan.number}", note=plan.title, heading=True
    )
    for line in _head(plan, profile):
        writer.put(writer.comment(line), "head")
    for step in steps:
        writer.step(step)
    writer.put(profile.print.close, "closes the printer")
    writer.put(profile.moves.absolute, "absolute positions again")
    writer.put(profile.program.last_word, "end of program")
    if plan.measurements:
        for block in (touch_subprogram(profile), guard_subprogram(profile)):
            writer.put("")
            for number, (code, meaning) in enumerate(block):
                writer.put(code, meaning, heading=number == 0)
    for mark in profile.program.end:
        writer.put(mark, "end of the file")
    return Program(plan.number, plan.title, plan.identity, tuple(writer.lines))


def _head(plan: Plan, profile: Profile) -> list[str]:
    lines = [f"BRISK ANCHOR  {plan.date}  FOR {plan.machine}  PROFILE {profile.name}", f"PART {plan.part}"]
    styli: dict[Stylus, None] = dict.fromkeys(measurement.stylus for measurement in plan.measurements)
    for stylus in styli:
        lines.append(
            f"PROBE T{stylus.tool_number}  BALL {stylus.ball_diameter:.3f}"
            f"  EFFECTIVE RADIUS {stylus.effective_radius:.4f}"
            f"  LENGTH {stylus.length:.4f}"
        )
    lines += [f"MEASURES {measurement.title or measurement.name}" for measurement in plan.measurements]
    if plan.store:
        lines.append(f"SETS {plan.store.row}. ANY OFFSET MAY BE ACTIVE WHEN IT STARTS")
    lines.append("MILLIMETRES. MOVES ARE MACHINE POSITIONS OF THE SPINDLE")
    return lines
