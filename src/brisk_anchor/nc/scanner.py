"""NC text to blocks. Every line is read exactly once; what is not understood is refused with line and reason."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.expressions import (
    Cursor,
    Evaluator,
    ExpressionError,
    VariableStore,
    parse_condition,
    parse_expression,
    parse_value,
    parse_variable,
)
from brisk_anchor.nc.profile import Profile

LETTERS = frozenset("ABCDEFGHIJKLMPQRSTUVWXYZ")
_LONGEST_LINE = 400
_LONGEST_PROGRAM = 2_000_000


@dataclass(frozen=True, slots=True)
class Words:
    """Address words in the order written."""

    words: tuple[tuple[str, Evaluator, bool], ...]
    """Letter, value, and whether the figure was written without a decimal point."""


@dataclass(frozen=True, slots=True)
class Assign:
    """`#n = value`."""

    number: Evaluator
    value: Evaluator


@dataclass(frozen=True, slots=True)
class Branch:
    """`IF [..] GOTO n`, `GOTO n` (condition None), or `IF [..] THEN #n = value`."""

    condition: Callable[[VariableStore], bool] | None
    target: Evaluator | None
    then: Assign | None


@dataclass(frozen=True, slots=True)
class Loop:
    """`WHILE [..] DO n` (condition None: `DO n`) or `END n` (start False)."""

    start: bool
    label: int
    condition: Callable[[VariableStore], bool] | None


@dataclass(frozen=True, slots=True)
class PrintLine:
    """A print command: literal pieces and (value, decimals)."""

    pieces: tuple[str | tuple[Evaluator, int], ...]


@dataclass(frozen=True, slots=True)
class PrintPort:
    """Opening or closing the printer."""

    open: bool


Statement = Words | Assign | Branch | Loop | PrintLine | PrintPort


@dataclass(frozen=True, slots=True)
class Block:
    """One line: its number in the file, its text, its N number, comment and statement (None: nothing to do)."""

    line: int
    source: str
    sequence: int | None
    comment: str
    statement: Statement | None
    optional: bool = False
    """Written with / : left out while block delete is on."""


@dataclass(slots=True)
class Routine:
    """The blocks from one O number to the next, with the places of its N numbers and loops."""

    number: int | None
    blocks: list[Block] = field(default_factory=list)
    sequences: dict[int, int] = field(default_factory=dict)
    loops: dict[int, int] = field(default_factory=dict)
    """Index of a loop's start → index of its end, and back."""


def _split_comment(text: str, line: int, semicolon: bool) -> tuple[str, str]:
    """Code in upper case, and the text of the comments."""
    if "(" not in text and ")" not in text and ";" not in text:
        return text.upper(), ""
    code, comments, at = [], [], 0
    while at < len(text):
        if text[at] == ";" and semicolon:
            comments.append(text[at + 1 :].strip())
            break
        if text[at] == "(":
            end = text.find(")", at)
            if end < 0:
                raise NcError(line, text, "a comment is opened and not closed", "Close it with )")
            comments.append(text[at + 1 : end])
            code.append(" ")
            at = end + 1
        elif text[at] == ")":
            raise NcError(line, text, "a comment is closed that was never opened")
        else:
            code.append(text[at])
            at += 1
    return "".join(code).upper(), " ".join(comments)


def _whole(cursor: Cursor, what: str) -> int:
    value = cursor.literal()
    if value != int(value):
        raise ExpressionError(f"{what} must be a whole number")
    return int(value)


def _print(cursor: Cursor) -> PrintLine:
    pieces: list[str | tuple[Evaluator, int]] = []
    cursor.expect("[")
    while (character := cursor.peek()) != "]":
        if not character:
            raise ExpressionError("“]” is missing at the end of the print command")
        if character == "#":
            _, value = parse_variable(cursor)
            cursor.expect("[")
            digits = f"{_whole(cursor, 'the format'):02d}"
            cursor.expect("]")
            if len(digits) != 2:
                raise ExpressionError("a print format has two digits: before and after the point")
            pieces.append((value, int(digits[1])))
        elif character.isalnum() or character in "*+-/.":
            cursor.at += 1
            pieces.append(" " if character == "*" else character)
        else:
            raise ExpressionError(f"“{character}” cannot be printed")
    cursor.expect("]")
    return PrintLine(tuple(pieces))


def _assign(cursor: Cursor) -> Assign:
    number, _ = parse_variable(cursor)
    cursor.expect("=")
    return Assign(number, parse_expression(cursor))


def _statement(cursor: Cursor, profile: Profile) -> Statement | None:
    if not cursor.peek():
        return None
    if cursor.peek() == "#":
        return _assign(cursor)
    if cursor.accept(profile.print.open):
        return PrintPort(True)
    if cursor.accept(profile.print.close):
        return PrintPort(False)
    if cursor.accept(profile.print.line.split("[")[0]):
        return _print(cursor)
    if cursor.accept("IF"):
        condition = parse_condition(cursor)
        if cursor.accept("GOTO"):
            return Branch(condition, parse_value(cursor), None)
        cursor.expect("THEN")
        return Branch(condition, None, _assign(cursor))
    if cursor.accept("GOTO"):
        return Branch(None, parse_value(cursor), None)
    if cursor.accept("WHILE"):
        condition = parse_condition(cursor)
        cursor.expect("DO")
        return Loop(True, _whole(cursor, "the loop's number"), condition)
    if cursor.accept("END"):
        return Loop(False, _whole(cursor, "the loop's number"), None)
    if cursor.accept("DO"):
        return Loop(True, _whole(cursor, "the loop's number"), None)
    words = []
    while letter := cursor.peek():
        if letter not in LETTERS:
            raise ExpressionError(f"“{cursor.text[cursor.at : cursor.at + 8].strip()}” is no word this control knows")
        cursor.at += 1
        start = cursor.at
        value = parse_value(cursor)
        words.append((letter, value, cursor.text[start : cursor.at].strip().lstrip("+-").isdigit()))
    return Words(tuple(words))


def _block(text: str, line: int, profile: Profile) -> tuple[Block, int | None]:
    """One line, and the O number when it starts a program."""
    if len(text) > _LONGEST_LINE:
        raise NcError(line, text[:80], f"the line is longer than {_LONGEST_LINE} characters")
    if not text.isprintable():
        raise NcError(line, repr(text), "it holds characters that cannot be printed")
    code, comment = _split_comment(text, line, profile.input.semicolon_comments)
    cursor = Cursor(code)
    program = sequence = None
    try:
        optional = cursor.accept("/")
        if cursor.peek() == "O" and not cursor.word()[1:]:
            cursor.at += 1
            program = _whole(cursor, "a program number")
        if cursor.peek() == "N":
            cursor.at += 1
            sequence = _whole(cursor, "a sequence number")
        statement = _statement(cursor, profile)
        if cursor.peek():
            raise ExpressionError(f"“{cursor.text[cursor.at :].strip()[:12]}” is not understood after that")
    except ExpressionError as error:
        raise NcError(line, text, str(error)) from None
    return Block(line, text, sequence, comment, statement, optional), program


def _match_loops(routine: Routine) -> None:
    open_loops: list[tuple[int, int]] = []
    for index, block in enumerate(routine.blocks):
        if not isinstance(block.statement, Loop):
            continue
        label = block.statement.label
        if block.statement.start:
            if len(open_loops) == 3 or any(label == other for other, _ in open_loops):
                raise NcError(block.line, block.source, "loops are nested more than three deep or share a number")
            open_loops.append((label, index))
        else:
            if not open_loops or open_loops[-1][0] != label:
                raise NcError(block.line, block.source, f"END {label} has no DO {label} to go with it")
            _, start = open_loops.pop()
            routine.loops[start] = index
            routine.loops[index] = start
    if open_loops:
        block = routine.blocks[open_loops[-1][1]]
        raise NcError(block.line, block.source, f"DO {open_loops[-1][0]} is never ended")


def scan_program(text: str, profile: Profile) -> list[Routine]:
    """Read a file into its routines; the first is the main program.

    Raises:
        NcError: at the first line that is not understood, before anything has moved.
    """
    if len(text) > _LONGEST_PROGRAM:
        raise NcError(1, "", f"the program is longer than {_LONGEST_PROGRAM} characters")
    routines: list[Routine] = []
    for line, raw in enumerate(text.splitlines(), 1):
        source = raw.replace("\t", " ").rstrip()
        if source.strip() in ("", "%"):
            continue
        block, program = _block(source, line, profile)
        if program is not None or not routines:
            if program is not None and any(routine.number == program for routine in routines):
                raise NcError(line, source, f"there are two programs O{program:04d} in this file")
            routines.append(Routine(program))
        routine = routines[-1]
        if block.sequence is not None:
            if block.sequence in routine.sequences:
                raise NcError(line, source, f"N{block.sequence} stands twice in one program")
            routine.sequences[block.sequence] = len(routine.blocks)
        routine.blocks.append(block)
    if not routines or not any(block.statement for block in routines[0].blocks):
        raise NcError(1, "", "there is no program in this text")
    for routine in routines:
        _match_loops(routine)
    return routines
