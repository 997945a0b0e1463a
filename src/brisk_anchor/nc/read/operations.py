"""A cutting program as a person reads it: its tools and operations, and what is modal where one of them ends.

Read from the text alone, so that words this control's reader does not run (drilling cycles, cutter compensation) are no
hindrance. Where the text alone does not tell, that is said: a program that branches, or calls others.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import field
from enum import Enum
from typing import NamedTuple

from brisk_anchor.lazy_dataclass import dataclass

_COMMENT = re.compile(r"\(([^()]*)\)|;(.*)$")
_WORD = re.compile(r"([A-Z])\s*([-+]?(?:[0-9]+\.?[0-9]*|\.[0-9]+))")
_FLOW = re.compile(r"\b(IF|GOTO|WHILE|END[0-9])\b|O<|\bO[0-9]+\s+(?:IF|WHILE|CALL|SUB)")
_WORKED_OUT = re.compile(r"(?<![A-Z])([FGHPST])\s*[#\[]\S*")
"""A word of these letters with a value that only the control knows, and knows when it runs."""
_TURNS = re.compile(r"(?<![A-Z#,])(?<!,\s)([ABC])\s*([-+]?[0-9.]+|[#\[])")
"""A word of a rotary axis, and its figure or how one begins that is worked out; after a comma it is a chamfer."""
_TABLES = frozenset("ABC")
_PATH = re.compile(r"(?<![A-Z])G\s*(?:61(?:\.1)?|62|63|64)(?![0-9.])(?:\s*[PQ]\s*[0-9]*\.?[0-9]+)*")
_CALLS = frozenset((97, 98, 198))
"""M codes that go through lines elsewhere: of the same program, another one, or another file."""
_CYCLES = frozenset((73, 74, 76, *range(81, 90)))
_AT_FIRST = {"distance": 90.0, "plane": 17.0, "feed mode": 94.0, "length": 49.0, "compensation": 40.0, "path": 64.0}
"""What holds where a program says nothing."""
_MODAL: dict[str, frozenset[float]] = {
    "motion": frozenset((0, 1, 2, 3)),
    "plane": frozenset((17, 18, 19)),
    "distance": frozenset((90, 91)),
    "feed mode": frozenset((93, 94, 95)),
    "units": frozenset((20, 21)),
    "compensation": frozenset((40, 41, 42)),
    "rotation": frozenset((68, 68.2, 68.3, 68.4, 69)),
    "scaling": frozenset((50, 51)),
    "mirror": frozenset((50.1, 51.1)),
    "polar": frozenset((15, 16)),
    "polar contour": frozenset((12.1, 13.1)),
    "modal call": frozenset((66, 66.1, 67)),
    "length": frozenset((43, 43.4, 43.5, 44, 49)),
    "path": frozenset((61, 61.1, 62, 63, 64)),
    "return": frozenset((98, 99)),
    "speed mode": frozenset((96, 97)),
}


@dataclass(frozen=True, slots=True)
class CutOperation:
    """What one tool does until the next comes, or until a comment says that something else begins.

    `first` and `after` are lines counted from 0: it runs from `first` up to `after`, which is not its own.
    """

    number: int
    tool: int
    title: str
    first: int
    after: int
    changes: bool
    """Whether it begins with a tool change."""


class TableAngle(NamedTuple):
    """An angle of a rotary axis as a block says it, the offset that was active then, whether it is the machine's."""

    row: str
    in_machine: bool
    angle: str


@dataclass(slots=True)
class ModalText:
    """What the text says is modal at a line; codes as they are written, "" or None where it says nothing."""

    tool: int = 0
    prepared: int = 0
    """The tool that the next M6 without a T loads; 0: no tool was named, or its number is computed."""
    preselected: bool = False
    """Whether a tool was named since the last M6."""
    prepared_open: str = ""
    """Why the prepared tool may differ from the one named last, with the line; "": it cannot."""
    codes: dict[str, float] = field(default_factory=dict)
    path: str = ""
    """The words of the path control, with its tolerance where it has one: "G64 P0.01"."""
    offset: str = ""
    offset_open: str = ""
    """Why another offset may be active than the one selected last, with the line; "" where none can be."""
    feed: str = ""
    speed: str = ""
    spindle: int = 5
    coolant: frozenset[int] = frozenset()
    length: str = ""
    cycle: bool = False
    shifted: bool = False
    """Whether something may stand on top of the offsets: G52, G92."""
    angles: dict[str, TableAngle] = field(default_factory=dict)
    """Where the text has turned rotary axes, by letter."""
    angles_open: dict[str, str] = field(default_factory=dict)
    """Why the angle of a rotary axis is unknown, by letter; the key "" holds a reason for all axes."""
    unsure: str = ""
    """Why the text alone does not tell, with the line: it branches, or calls another program."""
    worked_out: dict[str, str] = field(default_factory=dict)
    """Letters whose value only the control knows there, with where: a figure after it is known again, a G never is."""


def code_of(line: str) -> str:
    """A line without its comments, in capitals."""
    return _COMMENT.sub(" ", line).upper().strip()


def comment_of(line: str) -> str:
    """The comments of a line."""
    return " ".join(" ".join(part for part in found if part) for found in _COMMENT.findall(line)).strip()


def words_of(line: str) -> list[tuple[str, float]]:
    """Letters with their figures; values that are worked out are passed over."""
    return _words_in(code_of(line))


def _words_in(code: str) -> list[tuple[str, float]]:
    return [(letter, float(value)) for letter, value in _WORD.findall(code)]


def worked_out_in(line: str) -> dict[str, str]:
    """Letters (F, G, H, P, S, T) whose value is worked out when the line runs, each with the word as it is written."""
    return {found[1]: found[0] for found in _WORKED_OUT.finditer(code_of(line))}


def _names_tool(line: str) -> bool:
    """Whether a block names a tool. The T of a macro call is an argument and names none."""
    if "T" not in line and "t" not in line:
        return False  # as nearly all have none, and a program has hundreds of thousands
    words = words_of(line)
    if any(letter == "G" and value in (65, 66) for letter, value in words):
        return False
    return "T" in worked_out_in(line) or any(letter == "T" for letter, _ in words)


def _tool_word(line: str, before: int) -> int:
    """The tool that is prepared after a line; 0 where its number is worked out."""
    if not _names_tool(line):
        return before
    return next((int(value) for letter, value in words_of(line) if letter == "T"), 0)


def main_end(lines: Sequence[str]) -> int:
    """The line that ends the main program (M2, M30 or M99); the number of lines where none does."""
    for number, line in enumerate(lines):
        if any(letter == "M" and value in (2, 30, 99) for letter, value in words_of(line)):
            return number
    return len(lines)


def operations_of(lines: Sequence[str]) -> list[CutOperation]:
    """The operations of the main program, each with its tool and what its comment calls it."""
    end = main_end(lines)
    starts: list[tuple[int, int, str, bool]] = []
    tool, prepared, changed = 0, 0, -1
    for number in range(end):
        words = words_of(lines[number])
        prepared = _tool_word(lines[number], prepared)
        if ("M", 6.0) in words:
            tool = prepared
            first = _heading(lines, number, changed)
            title = " ".join(part for part in (comment_of(line) for line in lines[first : number + 1]) if part)
            while starts and starts[-1][0] >= first:
                starts.pop()  # its comment stood before it, and was taken for one of its own
            starts.append((first, tool, title, True))
            changed = first
        elif starts and not code_of(lines[number]) and (title := comment_of(lines[number])):
            before = starts[-1]
            moved = any(letter in "XYZ" for at in range(before[0], number) for letter, _ in words_of(lines[at]))
            if moved:
                starts.append((number, tool, title, False))
    found = []
    for at, (first, number, title, changes) in enumerate(starts):
        after = starts[at + 1][0] if at + 1 < len(starts) else end
        called = f"T{number}" if number else "a tool that is worked out"
        found.append(CutOperation(at + 1, number, title or called, first, after, changes))
    return found


def _heading(lines: Sequence[str], number: int, low: int) -> int:
    """Where a tool change begins: with the comments and bare line numbers that stand right before it."""
    first = number
    while first - 1 > low:
        code = code_of(lines[first - 1])
        if code and not re.fullmatch(r"N[0-9]+", code):
            break
        if not code and not comment_of(lines[first - 1]):
            break
        if re.match(r"^%|^O[0-9]", code):
            break
        first -= 1
    return first


def modal_at(lines: Sequence[str], line: int, extended: Collection[str] = ("G54.1",)) -> ModalText:
    """What is modal when a line of the main program is reached, running straight through.

    `extended` are the codes that select an offset together with a P.
    """
    state = ModalText()
    rows = _RowWords.of(extended)
    branched = False
    for number in range(min(line, len(lines))):
        code = code_of(lines[number])
        if re.match(r"^[:O]\s*[0-9]", code) or not code:
            continue
        words = _words_in(code)
        codes = [value for letter, value in words if letter == "G"]
        functions = [value for letter, value in words if letter == "M"]
        for value in codes:
            for group, members in _MODAL.items():
                if value in members:
                    state.codes[group] = value
            if value in _CYCLES:
                state.cycle = True
            elif value in (80, 0, 1, 2, 3):
                state.cycle = False
            if value in (44, 49):
                state.length = ""
        state.prepared = _tool_word(lines[number], state.prepared)
        if 6 in functions:
            state.tool, state.preselected, state.spindle = state.prepared, False, 5  # no tool is changed while it turns
        elif _names_tool(lines[number]):
            state.preselected = True
        if _names_tool(lines[number]) and not branched:
            state.prepared_open = ""
        _note(state, code, codes, functions)
        selected = rows.selected_in(code)
        state.offset = selected or state.offset
        if selected and not branched:
            state.offset_open = ""
        _note_worked_out(state, number, code, {letter for letter, _ in words}, rows)
        _note_angles(state, number, code, codes)
        if found := _leaves_open(code, codes, functions):
            why = f"line {number + 1} {found}"
            if not code.startswith("/") or _TURNS.search(code):
                state.angles, state.angles_open = {}, {"": why}
            state.unsure, state.offset_open = state.unsure or why, state.offset_open or why
            if not code.startswith("/") or _names_tool(lines[number]):
                state.prepared_open = state.prepared_open or why
            branched = branched or found.startswith("branches")
    return state


class _RowWords(NamedTuple):
    """How blocks select an offset: one in figures, and any that goes with a P."""

    known: re.Pattern[str]
    with_p: re.Pattern[str]

    @classmethod
    def of(cls, extended: Collection[str]) -> _RowWords:
        """For a control whose offsets with a P have these codes."""
        numbers = "|".join(re.escape(code.removeprefix("G")) for code in extended) or "(?!)"
        known = rf"G\s*((?:{numbers})\s*P\s*[0-9]+|59\.[123]|5[4-9])(?![0-9.])"
        return cls(re.compile(known), re.compile(rf"G\s*(?:{numbers})(?![0-9.])"))

    def selected_in(self, code: str) -> str:
        """The offset that a block selects in figures, "" where it selects none."""
        found = self.known.search(code)
        return "G" + re.sub(r"\s*P\s*0*(?=[0-9])", " P", found[1]) if found else ""


def _leaves_open(code: str, codes: list[float], functions: list[float]) -> str:
    """Why what is modal after a block is not in the text."""
    if flow := _FLOW.search(code):
        return f"branches ({flow[0]})"
    if _CALLS & set(functions) or 65 in codes:
        return "calls another program"
    return "can be skipped" if code.startswith("/") else ""


def _note_worked_out(state: ModalText, number: int, code: str, letters: set[str], rows: _RowWords) -> None:
    """What a block leaves open, and what it closes; its P only where it goes with an offset."""
    closed = letters & set("FHST") | ({"P"} if rows.known.search(code) else set())
    for letter in closed:
        state.worked_out.pop(letter, None)
    for letter, word in worked_out_in(code).items() if "#" in code or "[" in code else ():
        if letter != "P" or rows.with_p.search(code):
            state.worked_out.setdefault(letter, f"line {number + 1} works {word} out when it runs")


def _note_angles(state: ModalText, number: int, code: str, codes: list[float]) -> None:
    """Record the absolute angles that a block states for rotary axes."""
    if codes and {10, 65, 66} & set(codes):
        return  # figures of a table, or arguments
    for letter, angle in _TURNS.findall(code) if _TABLES & set(code) else ():
        known = re.fullmatch(r"[-+]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)", angle) is not None
        if known and not {28, 30, 52, 92} & set(codes) and (53 in codes or state.codes.get("distance", 90.0) == 90.0):
            state.angles[letter] = TableAngle(state.offset, 53 in codes, angle)
            state.angles_open.pop(letter, None)
        else:
            state.angles.pop(letter, None)
            state.angles_open[letter] = f"line {number + 1} turns {letter} by {code}"


def _note(state: ModalText, code: str, codes: list[float], functions: list[float]) -> None:
    """Feeds, speeds, lengths, spindle and coolant of a block."""
    if found := re.search(r"F\s*([0-9]+\.?[0-9]*|\.[0-9]+)", code):
        state.feed = found[1]
    if found := re.search(r"S\s*([0-9]+\.?[0-9]*)", code):
        state.speed = found[1]
    if "6" in code and (found := _PATH.search(code)):
        state.path = found[0]
    if (43 in codes) and (found := re.search(r"H\s*([0-9]+)", code)):
        state.length = found[1]
    elif 43 in codes and (word := worked_out_in(code).get("H")):
        state.length = word
    for value in codes:
        if value in (52, 92):
            figures = re.findall(r"[XYZ]\s*([^\sA-Z]+)", code)
            state.shifted = value == 92 or not figures or any(re.search(r"[1-9#\[]", figure) for figure in figures)
        elif value in (92.1, 92.2):
            state.shifted = False
    for value in functions:
        if value in (3, 4, 5):
            state.spindle = int(value)
        elif value in (7, 8):
            state.coolant |= {int(value)}
        elif value == 9:
            state.coolant = frozenset()


class NextTool(Enum):
    """What comes first after a line: a block that names a tool, or an M6 that loads the prepared tool."""

    NAMED = "named"
    CHANGED = "changed"
    OPEN = "open"
    """A block that branches, or calls another program, which may change the tool."""
    NONE = "none"


def next_tool(lines: Sequence[str], after: int) -> NextTool:
    """Return what the main program does first with tools from a line on; a T in a block with "/" is ignored."""
    for number in range(after, main_end(lines)):
        code, words = code_of(lines[number]), words_of(lines[number])
        functions = [value for letter, value in words if letter == "M"]
        if _names_tool(lines[number]) and not code.startswith("/"):
            return NextTool.NAMED
        if 6 in functions:
            return NextTool.CHANGED
        if not code.startswith("/") and _leaves_open(code, [v for letter, v in words if letter == "G"], functions):
            return NextTool.OPEN
    return NextTool.NONE


@dataclass(frozen=True, slots=True)
class OwnStart:
    """Whether an operation states its own position, length, spindle and coolant, or takes them over from before."""

    position: bool
    """X and Y, absolute, before it goes down or cuts."""
    length: bool
    """How the length of its tool counts, before it goes anywhere in Z."""
    spindle: bool
    coolant: frozenset[int]
    """Coolants that it switches on with its first move or before; both where it switches them off."""
    height: bool
    """Z, absolute, where it goes anywhere in Z."""
    distance: bool
    """G90 or G91 with its first move or before."""
    angles: frozenset[str] = frozenset()
    """Rotary axes that it moves to a stated absolute angle, with its first move or before."""


_NO_MOVE = frozenset((4.0, 10.0, 28.0, 30.0, 52.0, 92.0))
"""Codes whose X and Y are not where the tool goes to."""
_LENGTHS = _MODAL["length"]


def begins_otherwise(lines: Sequence[str], operation: CutOperation, extended: Collection[str] = ("G54.1",)) -> str:
    """Return the first modal value that an operation would find changed if it ran again from its end; "" if none.

    The program is read up to the operation's first cut, once from its start and once from its end.
    `extended` as for `modal_at`.
    """
    start = own_start(lines, operation)
    missing = {"where it begins in X and Y": start.position, "how its length counts": start.length}
    missing |= {"S with M3": start.spindle, "its first height, with G90": start.height}
    if gone := next((words for words, said in missing.items() if not said), ""):
        return gone
    motion, end = modal_at(lines, operation.first).codes.get("motion", 0.0), operation.first
    for number in range(operation.first, operation.after):
        block = words_of(lines[number])
        motion = next((v for letter, v in block if letter == "G" and v in _MODAL["motion"] | _CYCLES), motion)
        end = number + 1
        if motion != 0.0 and any(letter in "XYZ" for letter, _ in block):
            break
    head = lines[operation.first : end]
    at_first = modal_at(lines, end, extended)
    again = modal_at([*lines[: operation.after], *head], operation.after + len(head), extended)
    if again.unsure and not at_first.unsure and not start.distance:
        return f"G90, as {again.unsure}"
    for words, one, other in (
        ("its tool", at_first.tool, again.tool),
        ("its offset", at_first.offset, again.offset),
        ("its feed", at_first.feed, again.feed),
        ("its speed", at_first.speed, again.speed),
    ):
        if one != other:
            return words
    if at_first.angles != again.angles or at_first.angles_open != again.angles_open:
        return "where its table stands"
    for group, code in again.codes.items():
        before = at_first.codes.get(group, _AT_FIRST.get(group))
        if before != code:
            return f"G{before:g}" if before is not None else f"whether G{code:g} holds"
    return ""


def own_start(lines: Sequence[str], operation: CutOperation) -> OwnStart:
    """Read the lines of an operation. Where it calls others or branches, only its position counts as missing."""
    before = modal_at(lines, operation.first).codes
    start = _Start(absolute=before.get("distance", 90.0) == 90.0, motion=before.get("motion", 0.0))
    for line in lines[operation.first : operation.after]:
        start.read(line)
    return OwnStart(
        bool(start.position),
        start.length is not False,
        bool(start.spindle),
        start.coolant,
        start.height is not False,
        start.distance,
        start.angles,
    )


@dataclass(slots=True)
class _Start:
    """What an operation has stated up to a block. None: neither stated nor needed yet."""

    absolute: bool
    motion: float
    stated: set[str] = field(default_factory=set)
    position: bool | None = None
    length: bool | None = None
    height: bool | None = None
    spindle: bool | None = None
    coolant: frozenset[int] = frozenset()
    distance: bool = False
    angles: frozenset[str] = frozenset()
    under_way: bool = False

    def read(self, line: str) -> None:
        """Take the next block."""
        code = code_of(line)
        words = _words_in(code)
        codes = [value for letter, value in words if letter == "G"]
        functions = {value for letter, value in words if letter == "M"}
        called = bool(_leaves_open(code, codes, list(functions)))
        axes = set(re.findall(r"(?<![A-Z])([XYZ])\s*[-+#\[.0-9]", code))
        self.absolute = next((value == 90.0 for value in reversed(codes) if value in (90.0, 91.0)), self.absolute)
        self.motion = next((value for value in reversed(codes) if value in _MODAL["motion"] | _CYCLES), self.motion)
        if 53.0 in codes:
            axes -= {"Z"}  # up, out of the way
        if _NO_MOVE & set(codes):
            axes = set()
        if not self.under_way:
            self.distance = self.distance or bool({90.0, 91.0} & set(codes))
            if (self.absolute or 53.0 in codes) and not (_NO_MOVE | {65.0, 66.0}) & set(codes):
                self.angles |= {letter for letter, _ in _TURNS.findall(code)}
            self.coolant |= {7, 8} if 9.0 in functions else {int(value) for value in functions & {7.0, 8.0}}
        self.under_way = self.under_way or called or bool(axes)
        if self.spindle is None and (called or functions & {3.0, 4.0, 29.0}):
            self.spindle = True
        elif self.spindle is None and axes and self.motion != 0.0:
            self.spindle = False  # it cuts
        if self.length is None and (called or _LENGTHS & set(codes)):
            self.length = True
        elif self.length is None and "Z" in axes:
            self.length = False
        if self.height is None and "Z" in axes:
            self.height = self.absolute
        if self.position is not None or not (axes or called):
            return
        self.stated |= axes
        if called or not self.absolute:
            self.position = False
        elif {"X", "Y"} <= self.stated or "Z" in axes:
            self.position = {"X", "Y"} <= self.stated
