"""Measurements and tool checks put into a cutting program of somebody else's, and taken out again without a trace.

What is put in stands between marks, in comments. At an operation that is a few lines: the modal state is kept, the
block is called, the state is brought back. The block itself stands once, at the end of the file, however often it is
called; a control without subprograms has it written out at each place.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from dataclasses import replace

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.checks import SecondLookError
from brisk_anchor.core.offsets.rules import Fixed, Keep
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import lines_of
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.plan import Plan
from brisk_anchor.nc.programs.program import comment_text
from brisk_anchor.nc.programs.steps import AlarmNumber, RowHolds
from brisk_anchor.nc.read.operations import CutOperation, begins_otherwise, code_of, modal_at, operations_of
from brisk_anchor.nc.write.subprograms import MacroWords, guard_subprogram, touch_subprogram
from brisk_anchor.nc.write.writer import write_block
from brisk_anchor.services.insert.modal_restore import KeptState, state_of
from brisk_anchor.services.plan.planning import Planned, nc_plan
from brisk_anchor.services.session.session import Session

LONGEST = 5_000_000
"""Characters of a program that something is put into."""
_MOST_LINES, _MOST_OPERATIONS = 400_000, 2_000
_MARK = re.compile(r"^\s*[(;]\s*BRISK ANCHOR ([0-9]+|SHARED) (BEGIN|END)\b([^()]*)\)?\s*$")
_AFTER = r"\s*AFTER [0-9]+$"
_FROM_HERE = "CUT AGAIN FROM HERE"
_NO_NEWLINE = "NO LINE END"
_FIRST_SEQUENCE = 9001
_ROOM = 3.0
"""Clearance of the probe's paths, in multiples of the stated uncertainty."""


class WeaveError(BriskAnchorError):
    """Something cannot be put into a program, or taken out of it."""


@dataclass(frozen=True, slots=True)
class Again:
    """A jump back to cut again: the variable of the size, one that counts, and the limits of a good size, mm."""

    size: int
    count: int
    low: float
    high: float
    outside: bool
    """Whether more can be cut off while it is too large (a boss), not while it is too small (a bore)."""


@dataclass(frozen=True, slots=True)
class Woven:
    """One thing that was put in: its number, what it is, and how many places call it."""

    number: int
    title: str
    places: int


@dataclass(frozen=True, slots=True)
class CuttingProgram:
    """A program's text taken apart: lines without their ends, the ends, its operations, what was put in before."""

    text: str
    lines: tuple[str, ...]
    ends: tuple[str, ...]
    operations: tuple[CutOperation, ...]
    woven: tuple[Woven, ...]
    own: tuple[str, ...]
    """Its lines with what was put in blanked out, so that every line keeps its number."""

    @property
    def newline(self) -> str:
        """How its lines end."""
        return next((end for end in self.ends if end), "\n")


def take_apart(text: str) -> CuttingProgram:
    """A program ready to have something put in.

    Raises:
        WeaveError: it is too long, is none, or its marks do not go together.
    """
    if len(text) > LONGEST:
        raise WeaveError(f"The program has more than {LONGEST} characters", "It is not taken apart", "Split it")
    if max(text.count("\n"), text.count("\r")) > _MOST_LINES:
        raise WeaveError(f"The program has more than {_MOST_LINES} lines", "It is not taken apart", "Split it")
    lines = tuple(lines_of(text))
    ends = tuple(whole[len(line) :] for line, whole in zip(lines, lines_of(text, ends=True), strict=True))
    sections, own = _sections(lines), tuple(shown(lines))
    operations = operations_of(own)
    if len(operations) > _MOST_OPERATIONS:
        raise WeaveError(f"The program has more than {_MOST_OPERATIONS} operations", "Nobody could choose", "Split it")
    if not operations and not sections:
        raise WeaveError("There is no tool change in this text", "It is no cutting program", "Open another")
    woven = []
    for number in sorted({int(name) for name, *_ in sections if name != "SHARED"}):
        titles = [title for name, _, _, title in sections if name == str(number)]
        places = sum(re.search(_AFTER, title) is not None for title in titles)
        woven.append(Woven(number, re.sub(rf"{_AFTER}|\s*{_FROM_HERE}$", "", titles[0]).strip(), places))
    return CuttingProgram(text, lines, ends, tuple(operations), tuple(woven), own)


def _sections(lines: Sequence[str]) -> list[tuple[str, int, int, str]]:
    """What stands between marks: name, first and last line, title. Raises WeaveError: a mark has no partner."""
    found, open_at, name, title = [], -1, "", ""
    for number, line in enumerate(lines):
        if (mark := _MARK.match(line)) is None:
            continue
        if mark[2] == "BEGIN" and open_at < 0:
            open_at, name, title = number, mark[1], mark[3].strip()
        elif mark[2] == "END" and open_at >= 0 and mark[1] == name:
            found.append((name, open_at, number, title))
            open_at = -1
        else:
            raise WeaveError(f"The mark in line {number + 1} has no partner", "Someone changed the marks", "Correct it")
    if open_at >= 0:
        raise WeaveError(f"The mark in line {open_at + 1} has no partner", "Someone changed the marks", "Correct it")
    return found


def shown(lines: Sequence[str]) -> list[str]:
    """The lines with what was put in blanked out, so that every line keeps its number."""
    hidden = {n for _, first, last, _ in _sections(lines) for n in range(first, last + 1)}
    return ["" if n in hidden else line for n, line in enumerate(lines)]


def unweave(program: CuttingProgram, number: int | None = None) -> str:
    """The text without what was put in under a number, or without all of it; what is left is as it was.

    Raises:
        WeaveError: nothing was put in under that number.
    """
    known = {woven.number for woven in program.woven}
    if number is not None and number not in known:
        raise WeaveError(f"Nothing was put in as number {number}", "", f"There are {sorted(known) or 'none'}")
    names = {str(number)} if number is not None else {str(one) for one in known}
    if names >= {str(one) for one in known}:
        names.add("SHARED")
    out, bare = set(), False
    for name, first, last, title in _sections(program.lines):
        if name in names:
            out |= set(range(first, last + 1))
            bare = bare or (name == "SHARED" and _NO_NEWLINE in title)
    kept = [(line, end) for n, (line, end) in enumerate(zip(program.lines, program.ends, strict=True)) if n not in out]
    if bare and kept:
        kept[-1] = (kept[-1][0], "")
    return "".join(line + end for line, end in kept)


def weave(
    session: Session, program: CuttingProgram, ready: Planned, after: Sequence[int], again: Again | None = None
) -> str:
    """The text with what a plan measures, or the tools it looks at, put in after operations.

    Args:
        after: numbers of operations; the block is called after each of them.
        again: jump back to the operation before while the size can still be cut.

    Raises:
        WeaveError: it cannot be put there safely. SecondLookError: a finding stops. PlanError: it cannot be written.
    """
    if any(look.stops for look in ready.all_looks):
        raise SecondLookError(ready.all_looks)
    profile = session.profile
    if not profile.measures:
        what = f"A control with the profile {profile.name} cannot probe"
        raise WeaveError(what, "Nothing can be put into a program of it", "Choose another profile")
    places = [_operation(program, number) for number in dict.fromkeys(after)]
    if not places:
        raise WeaveError("After which operation is it to stand?", "", "Give the number of one")
    if again is not None and not profile.speaks.branches:
        what = f"A control with the profile {profile.name} cannot jump back"
        raise WeaveError(what, "It has no branches", "Leave the jump out")
    _free_variables(program, profile, again)
    _free_numbers(program, profile)
    plan = nc_plan(session, ready)
    # Empty places are marked by the plan that measures all places; a program that runs weeks later must not reset them.
    # The block always ends at home: tables are turned and tools changed from there.
    hold = _rows_hold(session, program, places) if ready.steps else ()
    plan = replace(plan, call_probe=bool(ready.steps), flags=(), z_home=True, rows_hold=hold)
    number = max((woven.number for woven in program.woven), default=0) + 1
    title = comment_text(_title(ready), 40)
    weaver = _Weaver(session, program, plan, number, title, again)
    return weaver.text(places)


def _rows_hold(session: Session, program: CuttingProgram, places: Sequence[CutOperation]) -> tuple[RowHolds, ...]:
    """Return checks of the job's rows that are active at these places.

    A program is kept for years, and the probe moves to machine positions: if the fixture was moved since, the probe
    could hit something. Paths keep a clearance of three times the stated uncertainty from the described part.
    """
    names = {words.select: row for row, words in session.profile.all_rows.items()}
    selected = {modal_at(program.own, place.after, session.profile.codes_with_p).offset for place in places}
    found = []
    for row in sorted({names[select] for select in selected if select in names}):
        if not session.setup.plans(row):
            continue
        expected, plan = session.rows.expected(row), session.setup.row(row)
        drawn = [axis for axis, rule in plan.rules.items() if axis in "xyz" and not isinstance(rule, Keep | Fixed)]
        values = tuple((axis, expected[axis]) for axis in drawn)
        within = min(plan.jump_limit, _ROOM * session.setup.start_uncertainty)
        found.append(RowHolds(row, values, f"{row} HAS CHANGED", AlarmNumber.CHANGED, within))
    return tuple(found)


def _operation(program: CuttingProgram, number: int) -> CutOperation:
    for operation in program.operations:
        if operation.number == number:
            return operation
    known = len(program.operations)
    raise WeaveError(f"There is no operation {number}", f"The program has {known}", "Choose one of them")


def _title(ready: Planned) -> str:
    names = [step.measurement.title or step.name for step in ready.steps]
    tools = [f"T{check.number}" for check in ready.tools]
    return " ".join([*(["IS", *tools, "WHOLE"] if tools else []), *(["MEASURE", ", ".join(names)] if names else [])])


def _programs(lines: Sequence[str]) -> set[int]:
    """Numbers of the programs in a file."""
    return {int(found[1]) for line in lines if (found := re.match(r"[O:]\s*([0-9]+)", code_of(line)))}


def _free_numbers(program: CuttingProgram, profile: Profile) -> None:
    """Raises WeaveError where the file has programs of its own with the numbers of touch and guarded move."""
    calls = profile.subprograms
    own = _programs(program.own)
    for number in (calls.touch_number, calls.guard_number) if calls else ():
        if number in own:
            raise WeaveError(
                f"The file has a program O{number} of its own",
                "The touch or the guarded move would stand under the same number",
                "Give subprograms in the profile other numbers",
            )


def _free_variables(program: CuttingProgram, profile: Profile, again: Again | None) -> None:
    """Raises WeaveError where the program uses variables that the measuring code works with."""
    if profile.variables is None:
        return
    low, high = profile.variables.free
    own = {again.size, again.count} if again is not None else set()
    for n, line in enumerate(program.own):
        for found in re.findall(r"#\s*([0-9]+)", code_of(line)):
            if low <= int(found) <= high or int(found) in own:
                raise WeaveError(
                    f"Line {n + 1} uses #{found}, which the measuring code works with too",
                    f"The profile gives it #{low} to #{high}: the two would spoil each other's figures",
                    "Give variables.free in the profile a range that this program leaves alone",
                )


@dataclass(slots=True)
class _Weaver:
    """Puts one block into one program."""

    session: Session
    program: CuttingProgram
    plan: Plan
    number: int
    title: str
    again: Again | None

    def text(self, places: Sequence[CutOperation]) -> str:
        profile = self.session.profile
        macro = profile.speaks.subprograms
        before: dict[int, list[str]] = {}
        base = self.program
        turns = {letter for m in self.plan.measurements for letter, _ in m.options.table}
        for place in places:
            state = state_of(self.session, base.own, base.operations, place, turns)
            lines = self._call(state, macro=macro)
            before.setdefault(place.after, []).extend(self._marked(lines, self.title, after=f"AFTER {place.number}"))
        if self.again is not None:
            first = places[0]
            if len(places) != 1 or not first.changes:
                why = f"{len(places)} were named" if len(places) != 1 else "the tool that cuts would not come back"
                raise WeaveError("A jump back goes to one operation that begins with its tool", why, "Name such a one")
            if missing := begins_otherwise(base.own, first, profile.codes_with_p):
                raise WeaveError(
                    f"Operation {first.number} counts on what stands before it: it does not say {missing}",
                    "Cut once more it would find what it left behind itself",
                    "Say it at its beginning, or leave the jump back out",
                )
            start = [f"#{self.again.count}=0 {self._comment('HOW OFTEN IT WAS CUT AGAIN')}", f"N{self._label}"]
            before.setdefault(first.first, [])[:0] = self._marked(start, self.title, after=_FROM_HERE)
        end = self._end_of_file(base.lines)
        tail: list[str] = []
        if macro:
            body = [f"O{self._body_number} {self._comment(self.title)}", *self._body(), "M99"]
            tail += self._marked(body, self.title)
            if not any(_MARK.match(line) and "SHARED" in line for line in base.lines):
                bare = _NO_NEWLINE if base.ends and not base.ends[-1] and end >= len(base.lines) else ""
                tail += self._marked(self._shared(), "TOUCH AND GUARDED MOVE", "SHARED", after=bare)
        return self._put(base, before, end, tail)

    @property
    def _body_number(self) -> int:
        """A program number for the block that nothing in the file has."""
        calls = self.session.profile.subprograms
        number = (calls.guard_number if calls else 0) + 10 + self.number
        taken = _programs(self.program.lines)
        while number in taken:
            number += 1
        return number

    @property
    def _label(self) -> int:
        taken = {int(found) for line in self.program.lines for found in re.findall(r"\bN\s*([0-9]+)", code_of(line))}
        label = _FIRST_SEQUENCE + 10 * self.number
        while taken & {label, label + 5}:
            label += 1
        return label

    def _comment(self, text: str) -> str:
        marks = self.session.profile.comment
        return f"{marks.open}{comment_text(text, marks.longest)}{marks.close}"

    def _marked(self, lines: Sequence[str], title: str, name: str = "", *, after: str = "") -> list[str]:
        """Return the lines between marks. Where comments are short only the title is cut: the rest must stay readable.

        Raises:
            WeaveError: the control's comments are shorter than a mark.
        """
        name = name or str(self.number)
        head, foot = (f"BRISK ANCHOR {name} {which}" for which in ("BEGIN", "END"))
        longest = self.session.profile.comment.longest
        room = longest - len(head) - len(after) - 2
        if room < 0:
            raise WeaveError(
                f"A comment of the profile {self.session.profile.name} has {longest} characters",
                f"A mark needs {longest - room}: what is put in could not be found again",
                "Give comment.longest in the profile, if the control takes longer ones",
            )
        begin = " ".join(part for part in (head, comment_text(title, room).rstrip(), after) if part)
        return [self._comment(begin), *lines, self._comment(foot)]

    def _body(self) -> list[str]:
        return [line.text for line in write_block(self.plan, self.session.profile)]

    def _shared(self) -> list[str]:
        words = MacroWords.of(self.session.profile)
        aside = self.session.setup.stylus.offset
        blocks = [*touch_subprogram(words, aside, own_feeds=True), *guard_subprogram(words)]
        return [code for code, _ in blocks]

    def _call(self, state: KeptState, *, macro: bool) -> list[str]:
        call = [f"M98 P{self._body_number} {self._comment(self.title)}"] if macro else self._body()
        lines = [*state.keep, *call, *state.bring_back]
        return lines + (self._jump() if self.again is not None else [])

    def _jump(self) -> list[str]:
        """Good: on; to be cut further: once back to where the operation begins; else an alarm."""
        again = self.again
        alarm = self.session.profile.alarm
        if again is None or alarm is None:
            return []
        done = self._label + 5
        unit = self.session.profile.unit
        size, low, high = f"#{again.size}", *(f"{v / unit:.5f}".rstrip("0") for v in (again.low, again.high))
        scrap = f"{size} LT {low}" if again.outside else f"{size} GT {high}"
        good = f"{size} LE {high}" if again.outside else f"{size} GE {low}"
        too_much, not_in_size = AlarmNumber.TOO_MUCH, AlarmNumber.NOT_IN_SIZE
        still = self._comment("CUT TWICE, STILL NOT IN SIZE")
        return [
            f"IF [{scrap}] THEN #{alarm.variable}={too_much} {self._comment('TOO MUCH IS CUT OFF')}",
            f"IF [{good}] GOTO {done}",
            f"IF [#{again.count} GE 1] THEN #{alarm.variable}={not_in_size} {still}",
            f"#{again.count}=#{again.count}+1",
            f"GOTO {self._label} {self._comment('CUT ONCE MORE')}",
            f"N{done}",
        ]

    @staticmethod
    def _end_of_file(lines: Sequence[str]) -> int:
        """Before the mark that ends the file, or at its end."""
        last = len(lines)
        while last and not lines[last - 1].strip():
            last -= 1
        return last - 1 if last and lines[last - 1].strip() == "%" and last > 1 else len(lines)

    def _put(self, base: CuttingProgram, before: dict[int, list[str]], end: int, tail: list[str]) -> str:
        newline = base.newline
        pieces = []
        for n, (line, ending) in enumerate(zip(base.lines, base.ends, strict=True)):
            if n == end:
                pieces += [f"{one}{newline}" for one in tail]
            pieces += [f"{one}{newline}" for one in before.get(n, ())]
            last = n == len(base.lines) - 1 and not ending
            pieces.append(line + (newline if last and end >= len(base.lines) and tail else ending))
        if end >= len(base.lines):
            pieces += [f"{one}{newline}" for one in tail]
        return "".join(pieces)


def again_of(ready: Planned, count: int) -> Again:
    """The jump back for the one measurement of a plan: its size is kept, and the drawing says what is good.

    Raises:
        WeaveError: there is not one, it keeps no size, or the drawing gives no limits.
    """
    if len(ready.steps) != 1:
        raise WeaveError("A jump back depends on one measurement", f"{len(ready.steps)} are put in", "Put in one")
    step = ready.steps[0]
    m = step.measurement
    kept = dict(step.section.kept)
    drawn = ready.setup.drawn(step.name)
    if "d" not in kept or m.size is None or m.kind in (FeatureKind.BALL, FeatureKind.TILTED_BORE):
        raise WeaveError(f"{m.title} keeps no size", "The jump back depends on it", "Let it keep one, as D #610")
    if count == kept["d"]:
        raise WeaveError(f"#{count} holds the size already", "", "Count in another variable")
    if drawn.tolerance is None and m.size_limit is None:
        raise WeaveError(f"{m.title} has no tolerance", "What is good is not known", "Give it one in the drawing")
    low, high = drawn.tolerance or (-(m.size_limit or 0.0), m.size_limit or 0.0)
    return Again(kept["d"], count, m.size + low, m.size + high, m.kind.is_outside)


def difference(before: str, after: str, name: str) -> list[str]:
    """What changed, as a unified diff."""
    old, new = map(lines_of, (before, after))
    return list(difflib.unified_diff(old, new, name, f"{name} with measuring", lineterm="", n=2))
