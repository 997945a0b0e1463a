"""Steps as text of the # macro language: alarms with words, printed report lines, one touch and one guarded move."""

from __future__ import annotations

from dataclasses import replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Binary, Expression, Name, Number, Variable
from brisk_anchor.core.quantities import fixed
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import REPORT_TAG, comment_text
from brisk_anchor.nc.programs.steps import (
    AlarmNumber,
    Centre,
    Check,
    Compute,
    Guarded,
    NoCommonShift,
    NoShift,
    NothingFailed,
    NothingYet,
    Rapid,
    React,
    ReadBack,
    Release,
    Report,
    RowHolds,
    SafeState,
    SetWear,
    Sort,
    Step,
    Store,
    ToolCheck,
    ToolHolds,
    TouchStep,
    ZeroWithin,
)
from brisk_anchor.nc.write.subprograms import MacroWords, alarm_where, guard_subprogram, touch_subprogram
from brisk_anchor.nc.write.text import NO_SHIFT, TextWriter, unknown

_SHIFTED = 0.01
"""A shift of more, mm, is one: figures of positions are rounded."""


class MacroWriter(TextWriter):
    """Writes the # macro language."""

    def __init__(self, profile: Profile) -> None:
        super().__init__(profile)
        self.words = MacroWords.of(profile)
        self.aside = (0.0, 0.0)
        """Where the ball stands beside the spindle's axis, mm, as the touches of the program have it."""
        self.own_feeds = False
        """Whether a touch has feeds of its own."""
        self.labels = 0
        """How many places the program jumps to."""
        self.printing = False
        """Whether the printer is open: it is closed before an alarm then."""
        self.guards_failed = False
        """Whether a check lets the program go on."""

    def close(self) -> None:
        """Close the printer, absolute positions."""
        if self.words.printer.close:
            self.put(self.words.printer.close, "closes the printer")
        self.put(self.words.moves.absolute, "absolute positions again")

    def subprograms(self) -> None:
        """The touch and the guarded move."""
        for block in (touch_subprogram(self.words, self.aside, own_feeds=self.own_feeds), guard_subprogram(self.words)):
            self.put("")
            for number, (code, meaning) in enumerate(block):
                self.put(code, meaning, heading=number == 0)

    def _report(self, report: Report) -> None:
        """Print one line of a report, lengths in mm: where they stand in inches, that is worked out first."""
        told = []
        for letter, value, decimals in report.values:
            if letter in report.inches:
                shown = Name(f"mm{letter}")
                code = (
                    f"#{self.allocate((shown.name,))}={self.expression(value, nested=True)}*{self.constant(self.unit)}"
                )
                self.put(code, f"{letter} in mm, as reports have it")
                value = shown
            told.append((letter, value, decimals))
        self.put(
            self.print_line(replace(report, values=tuple(told))), "prints a report line that the application reads"
        )
        self.release(tuple(f"mm{letter}" for letter in report.inches))

    def print_line(self, report: Report) -> str:
        """The block that prints one line of a report."""
        form = self.words.printer
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

    def alarm(self, condition: str, number: int, text: str, meaning: str) -> None:
        """Stop with an alarm where a condition holds."""
        shown = comment_text(text, self.words.alarm.longest)
        for block in alarm_where(self.words, condition, number, shown, meaning, printing=self.printing):
            self.put(*block)

    def check(self, check: Check) -> None:
        """A check with what is to be done when it fails. Raises PlanError."""
        difference = self.expression(Binary(check.value, "-", check.centre))
        condition = f"ABS[{difference}] GT {self.constant(check.limit)}"
        if check.reaction == "go on":
            failed = self.allocate(("failed",))
            if not self.guards_failed:
                raise PlanError("Nothing was made ready to note a check that fails", "", "Begin the plan with it")
            self.put(f"IF [{condition}] THEN #{failed}=1", f"{check.why}; else noted, and nothing is stored at the end")
        elif check.reaction == "stop":
            shown = comment_text(check.text, self.words.alarm.longest)
            code = f"IF [{condition}] THEN #{self.words.alarm.stop_variable}=1 ({shown})"
            self.put(code, f"{check.why}; else stops, and a person decides whether it goes on")
        else:
            self.alarm(condition, check.alarm, check.text, check.why)

    def _guarded(self, why: str, *places: Expression | None) -> None:
        words = [self.word(a, v) for a, v in zip("XYZ", places, strict=True) if v is not None]
        call = self.words.calls.call.format(number=self.words.calls.guard_number)
        self.put(f"{call} {' '.join(words)}", f"guarded move to a machine position: {why}", note=why)

    def _touch(self, step: TouchStep) -> None:
        """A touch by its subprogram: search, back off, touch slowly, keep where the machine was."""
        self.aside = (step.aside[0] * self.unit, step.aside[1] * self.unit)
        first = self.allocate(step.names)
        call = self.words.calls.call.format(number=self.words.calls.touch_number)
        words = [
            f"{a}{self.constant(d * step.distance)}"
            for a, d in zip("XYZ", step.direction, strict=True)
            if abs(d) > 1e-9
        ]
        own = "".join(f" {a}{self.figure(feed)}" for a, feed in zip("RS", step.feeds, strict=True) if feed)
        self.own_feeds = self.own_feeds or bool(own)
        self.put(
            f"{call} {' '.join(words)} A{step.number}. Q{first}.{own}",
            f"touch: search up to {step.distance * self.unit:g} mm, keep the position in #{first} to #{first + 2}",
            note=step.why,
        )

    def _no_shift(self) -> None:
        """Stop where something stands on top of the rows, as far as a program can read it."""
        profile = self.profile
        read = [] if profile.common_shift is None else list(profile.row(profile.common_shift).read or ())
        if profile.positions is not None:
            read += profile.positions.set_shift or ()
        if not read:
            return
        condition = f"{'+'.join(f'ABS[#{n}]' for n in read)} GT {self.constant(profile.resolution / self.unit)}"
        self.alarm(
            condition,
            AlarmNumber.COMMON_SHIFT,
            "COMMON SHIFT IS NOT ZERO",
            "stop unless nothing is shifted on top of the rows: the offset was worked out so",
        )

    def _stands_by_row(self, row: str) -> None:
        """Stop where the program position is not that of the machine less the row; ask a person where none can tell."""
        profile, lathe, positions = self.profile, self.profile.lathe, self.profile.positions
        work, machine = (positions.work, positions.machine) if positions is not None else (None, None)
        read = profile.row(row).read
        if lathe is None or work is None or machine is None or read is None:
            self.operator_stop(NO_SHIFT)
            return
        for axis, i in (("x", 0), ("z", 2)):
            share = Number(lathe.program.of_radius(axis) / lathe.work_offset.of_radius(axis))
            held: Expression = Variable(read[i])
            held = held if share.value == 1.0 else Binary(held, "*", share)
            off = self.expression(Binary(Binary(Variable(work[i]), "-", Variable(machine[i])), "+", held))
            self.alarm(
                f"ABS[{off}] GT {self.constant(_SHIFTED / self.unit)}",
                AlarmNumber.COMMON_SHIFT,
                "A SHIFT STANDS ON TOP",
                f"stop unless {axis.upper()} counts from the row alone: a shift would take the tool elsewhere",
            )

    def _off_by(self, axis: str, variable: int, value: Expression, within: float | None = None) -> str:
        """The condition that the variable of an axis does not hold a value, or is further off than that."""
        difference = self.expression(Binary(Variable(variable), "-", value))
        return f"ABS[{difference}] GT {self.constant(self.grain(axis) if within is None else within)}"

    def _read_back(self, step: ReadBack) -> None:
        """Stop where the table does not hold what was written to it."""
        profile = self.profile
        for axis, value in step.values:
            holds = profile.reads(step.row, axis)
            if holds is None or (axis == "r" and profile.row(step.row).rotation is None):
                continue
            condition = self._off_by(axis, holds, value)
            self.alarm(
                condition,
                AlarmNumber.READ_BACK,
                f"{step.row} {axis.upper()} WAS NOT TAKEN",
                f"read back: alarm unless the table holds what was written to {step.row} {axis.upper()}",
            )

    def holds_step(self, step: Step) -> bool:
        """Write a step that looks what holds: a table, or no shift; False for any other, nothing written."""
        if isinstance(step, NoShift):
            self._stands_by_row(step.row)
            return True
        if not isinstance(step, ToolHolds | RowHolds):
            return False
        for axis, variable, value in self.held_in(step):
            meaning = f"alarm unless the table holds {self.figure(value)} for {axis}"
            within = step.within if isinstance(step, RowHolds) else None
            off = self._off_by(axis.lower(), variable, Number(value), within)
            self.alarm(off, step.alarm, f"{step.text} {axis}", meaning)
        return True

    def inspecting_step(self, step: Step) -> bool:
        """Write a step that judges or corrects; False for any other, nothing written."""
        match step:
            case Sort():
                self._sort(step)
            case React():
                self._react(step)
            case ZeroWithin(name, limit, why, code):
                held = self.allocate((name,))
                self.put(f"IF [ABS[#{held}] LE {self.constant(limit)}] THEN #{held}=0", why, note=why)
                if code:
                    out = "what is out is no drift, a person decides"
                    self.put(f"IF [#{self.allocate((code,))} GE 2] THEN #{held}=0", out, note=out)
            case SetWear(number, column, value):
                told, variable = f"the {column} of T{number}", self.wear_variable(number, column)
                self.put(f"#{variable}={self.expression(value)}", f"writes {told}", note=f"write {told}")
            case _:
                return False
        return True

    def _sort(self, step: Sort) -> None:
        """A verdict as a figure, by comparing with limits that hold the ± already."""
        code, value = self.allocate((step.name,)), self.expression(step.value)
        self.put(f"#{code}=0", "0 is in", note="0 in, 1 cannot tell, 2 cut again, 3 scrap")
        for limits, words, codes in ((step.accept, "LT GT", (1, 1)), (step.reject, "LT GT", (step.below, step.above))):
            for limit, word, found in zip(limits, words.split(), codes, strict=True):
                if limit is not None:
                    meaning = {1: "nobody can tell", 2: "can be cut again", 3: "scrap"}[found]
                    self.put(f"IF [{value} {word} {self.constant(limit)}] THEN #{code}={found}", meaning)

    def _react(self, step: React) -> None:
        """What a verdict does, after everything was measured and corrected."""
        code = self.allocate((step.name,))
        kind, _, rest = step.reaction.partition(" ")
        shown = comment_text(step.text, self.words.alarm.longest)
        match kind:
            case "flag":
                self.put(f"{rest}=#{code}", "the verdict for programs that come after", note="verdict kept")
            case "stop":
                stop = f"#{self.words.alarm.stop_variable}=1 ({shown})"
                self.put(f"IF [#{code} EQ {step.code}] THEN {stop}", "stops, and a person decides")
            case "alarm":
                self.alarm(f"#{code} EQ {step.code}", step.alarm, step.text, "ends with an alarm")
            case "end" | "block":
                label = self.label()
                self.put(f"IF [#{code} NE {step.code}] GOTO {label}", "only where that is the verdict", note=step.text)
                if kind == "end":
                    self.end()
                else:
                    self.put(rest, "a block of the shop's own", note="a block of the shop's own")
                self.put(f"N{label}", "goes on here")
            case _:
                what = f"“{step.reaction[:24]}” is nothing that can follow a verdict"
                raise PlanError(what, "", "As stop, alarm, end, flag #620 or block M60")

    def label(self) -> int:
        """A sequence number that no heading has."""
        self.labels += 1
        return 9000 + self.labels

    def guard_tool(self, number: int) -> None:
        """Stop before a tool is called that is marked as not to be used."""
        table = self.profile.tool_table
        if table is None or table.not_to_be_used is None:
            return
        condition = f"#{table.not_to_be_used + number} GT 0"  # what nothing was ever written to counts as 0 there
        text = f"T{number} IS NOT TO BE USED"
        self.alarm(condition, AlarmNumber.NOT_TO_BE_USED, text, f"stop where T{number} is marked as broken")

    def step(self, step: Step) -> None:
        """Write one step. Raises PlanError."""
        if self.shared_step(step) or self.inspecting_step(step) or self.holds_step(step):
            return
        match step:
            case NothingYet():
                self.guards_failed = True
                self.put(f"#{self.allocate(('failed',))}=0", "no check has failed yet")
            case SafeState():
                self.safe_state()
                if self.words.printer.open:
                    self.put(self.words.printer.open, "opens the printer for the report lines")
                    self.printing = True
            case ToolCheck(number, what, called):
                if self.can_look(number, what, called=called):
                    condition = f"#{self.words.tool.variable} NE {number}"
                    self.alarm(
                        condition,
                        AlarmNumber.TOOL,
                        f"{what} T{number} NOT IN SPINDLE",
                        f"stop unless T{number} is in the spindle",
                    )
            case Rapid(x, y, z):
                words = [f"{a}{self.figure(v)}" for a, v in zip("XYZ", (x, y, z), strict=True) if v is not None]
                self.put(
                    f"{self.words.moves.rapid_machine} {' '.join(words)}",
                    "rapid to this machine position, at clear height",
                )
            case Guarded(why, x, y, z):
                self._guarded(why, x, y, z)
            case Centre(why, _, x, y):
                self._guarded(why, x, y, None)
            case TouchStep():
                self._touch(step)
            case Compute(name, value, why):
                text = self.expression(value)
                self.put(f"#{self.allocate((name,))}={text}", why, note=why)
            case Check():
                self.check(step)
            case NothingFailed():
                if self.guards_failed:
                    condition = f"#{self.allocate(('failed',))} NE 0"
                    self.alarm(
                        condition,
                        AlarmNumber.FAILED,
                        "A CHECK FAILED, NOTHING STORED",
                        "stop before anything is stored when a check on the way has failed",
                    )
            case NoCommonShift():
                self._no_shift()
            case Store(row, values):
                self.store_row(row, values)
            case ReadBack():
                self._read_back(step)
            case Release(names):
                self.release(names)
            case Report():
                self._report(step)
            case _:
                raise unknown(step)
