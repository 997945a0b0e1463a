"""NC text to blocks. Every line is read exactly once; what is not understood is refused with line and reason."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.bounded import lines_of, no_code_in
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.read.expressions import (
    FIGURES,
    HASH_MACRO,
    Cursor,
    Evaluator,
    ExpressionError,
    Grammar,
    ngc_grammar,
    parse_condition,
    parse_expression,
    parse_value,
    parse_variable,
)
from brisk_anchor.nc.read.flow import match_flow, match_loops, split_subs
from brisk_anchor.nc.read.statements import (
    Assign,
    Block,
    Branch,
    Flow,
    Loop,
    PrintLine,
    PrintPort,
    Routine,
    Statement,
    WordBlock,
)

LETTERS = frozenset("ABCDEFGHIJKLMPQRSTUVWXYZ")
_LONGEST_LINE = 400
LONGEST_PROGRAM = 2_000_000


FLOW_WORDS = {
    **dict.fromkeys(("IF", "ELSEIF", "WHILE", "REPEAT"), 1),
    **dict.fromkeys(("SUB", "ENDSUB", "ELSE", "ENDIF", "ENDWHILE", "DO", "ENDREPEAT", "BREAK", "CONTINUE"), 0),
}
"""O-words and how many values follow; CALL takes any number up to 30, RETURN and ENDSUB none."""
_MOST_ARGUMENTS = 30


def _split_comment(text: str, line: int, *, semicolon: bool) -> tuple[str, str]:
    """Code in upper case, and the text of the comments."""
    if "(" not in text and ")" not in text and ";" not in text:
        return _capitals(text, line), ""
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
    return _capitals("".join(code), line), " ".join(comments)


def _capitals(code: str, line: int) -> str:
    """Code in capitals. Raises NcError."""
    if odd := no_code_in(code):
        raise NcError(line, code, f"“{odd}” is no character of NC code")
    return code.upper()


def _whole(cursor: Cursor, what: str) -> int:
    value = cursor.literal()
    if value != int(value):
        raise ExpressionError(f"{what} must be a whole number")
    return int(value)


def _print(cursor: Cursor, space: str) -> PrintLine:
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
        elif character.isalnum() or character in "+-/." or character == space:
            cursor.at += 1
            pieces.append(" " if character == space else character)
        else:
            raise ExpressionError(f"“{character}” cannot be printed")
    cursor.expect("]")
    return PrintLine(tuple(pieces))


def _assign(cursor: Cursor) -> Assign:
    target, _ = parse_variable(cursor)
    cursor.expect("=")
    return Assign(target, parse_value(cursor) if cursor.grammar.sums_need_brackets else parse_expression(cursor))


_PLAIN = re.compile(r" *(?:N *([0-9]{1,9}) *)?((?:[A-MP-Z] *[+-]?(?:[0-9]{1,15}\.?[0-9]{0,8}|\.[0-9]{1,8}) *)+)")
"""A block of words with plain figures, the bulk of cutting programs; anything else is read character by character."""
_PLAIN_WORD = re.compile(r"([A-Z]) *([+-]?[0-9.]+)")


def _constant(value: float) -> Evaluator:
    return lambda store: value


def _plain_words(text: str) -> WordBlock:
    return WordBlock(
        tuple((letter, _constant(float(figure)), "." not in figure) for letter, figure in _PLAIN_WORD.findall(text))
    )


def _ngc_grammar(profile: Profile) -> Grammar:
    return ngc_grammar(names=profile.input.named_parameters, comparisons=profile.input.o_words)


_GRAMMARS: dict[str, Callable[[Profile], Grammar]] = {
    "hash-macro": lambda _: HASH_MACRO,
    "ngc": _ngc_grammar,
    "table": lambda _: FIGURES,
}
"""The grammar of each language."""


class Reader:
    """Reads lines of one control's language."""

    def __init__(self, profile: Profile, keeps: int = 0) -> None:
        """It `keeps` what so many lines said: programs have most of their lines in common, and are read many times."""
        self.profile = profile
        self.speaks = profile.speaks
        self.grammar = _GRAMMARS[profile.language](profile)
        self._keeps = keeps
        self._read: dict[str, tuple[Block, int | None]] = {}

    def _statement(self, cursor: Cursor) -> Statement | None:
        if not cursor.peek():
            return None
        if self.speaks.branches and (found := self._macro(cursor)) is not None:
            return found
        if self.profile.input.o_words and cursor.peek() == "O":
            return _flow(cursor)
        words: list[tuple[str, Evaluator, bool]] = []
        sets: list[Assign] = []
        while letter := cursor.peek():
            if letter == "#" and self.speaks.sets_in_words:
                sets.append(_assign(cursor))
                continue
            if letter not in LETTERS:
                what = cursor.text[cursor.at : cursor.at + 8].strip()
                raise ExpressionError(f"“{what}” is no word this control knows")
            cursor.at += 1
            start = cursor.at
            value = parse_value(cursor)
            words.append((letter, value, cursor.text[start : cursor.at].strip().lstrip("+-").isdigit()))
        return WordBlock(tuple(words), tuple(sets))

    def _macro(self, cursor: Cursor) -> Statement | None:
        """The statements of the # macro language; None when the block is one of words."""
        printing = self.profile.print
        if cursor.peek() == "#":
            return _assign(cursor)
        if printing and printing.open and cursor.accept(printing.open):
            return PrintPort(open=True)
        if printing and printing.close and cursor.accept(printing.close):
            return PrintPort(open=False)
        if printing and cursor.accept(printing.line.split("[")[0]):
            return _print(cursor, printing.space)
        if not cursor.word()[1:]:
            return None  # a lone letter is an address; every statement below begins with a word
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
            return Loop(start=True, label=_whole(cursor, "the loop's number"), condition=condition)
        if cursor.accept("END"):
            return Loop(start=False, label=_whole(cursor, "the loop's number"), condition=None)
        if cursor.accept("DO"):
            return Loop(start=True, label=_whole(cursor, "the loop's number"), condition=None)
        return None

    def block(self, raw: str, line: int) -> tuple[Block, int | None] | None:
        """One line, and the O number when it starts a program; None for an empty line or a file mark.

        Raises:
            NcError: the line is not understood.
        """
        if (known := self._read.get(raw)) is not None:
            block, program = known
            said = (block.source, block.sequence, block.comment, block.statement, block.optional)
            return Block(line, *said), program
        found = self._block(raw, line)
        if found is not None and self._keeps:
            if len(self._read) >= self._keeps:
                self._read.clear()
            self._read[raw] = found
        return found

    def _block(self, raw: str, line: int) -> tuple[Block, int | None] | None:
        text = raw.replace("\t", " ").rstrip()
        if text.strip() in ("", "%"):
            return None
        if len(text) > _LONGEST_LINE:
            raise NcError(line, text[:80], f"the line is longer than {_LONGEST_LINE} characters")
        if not text.isprintable():
            raise NcError(line, repr(text), "it holds characters that cannot be printed")
        if (plain := _PLAIN.fullmatch(text)) is not None:
            number = plain[1]
            return Block(line, text, int(number) if number else None, "", _plain_words(plain[2])), None
        code, comment = _split_comment(text, line, semicolon=self.profile.input.semicolon_comments)
        cursor = Cursor(code, self.grammar)
        program = sequence = None
        try:
            optional = cursor.accept("/")
            if cursor.peek() == "O" and self.profile.program.number and not cursor.word()[1:]:
                cursor.at += 1
                program = _whole(cursor, "a program number")
            if cursor.peek() == "N":
                cursor.at += 1
                sequence = _whole(cursor, "a sequence number")
            statement = self._statement(cursor)
            if cursor.peek():
                raise ExpressionError(f"“{cursor.text[cursor.at :].strip()[:12]}” is not understood after that")
        except ExpressionError as error:
            raise NcError(line, text, str(error)) from None
        return Block(line, text, sequence, comment, statement, optional), program

    def blocks(self, lines: Iterable[str]) -> Iterator[tuple[Block, int | None]]:
        """The blocks of a text, line by line. Raises NcError."""
        for line, raw in enumerate(lines, 1):
            if (found := self.block(raw, line)) is not None:
                yield found


def _flow(cursor: Cursor) -> Flow:
    """`o100 word …` or `o<name> word …`."""
    cursor.expect("O") if not cursor.word()[1:] else cursor.skip()
    if cursor.peek() == "<":
        end = cursor.text.find(">", cursor.at)
        label = "".join(cursor.text[cursor.at + 1 : end].split()) if end > 0 else ""
        cursor.at = end + 1 if end > 0 else len(cursor.text)
    else:
        label = str(_whole(cursor, "the label of an o-word"))
    word = cursor.word()
    if not label or (word not in FLOW_WORDS and word not in ("CALL", "RETURN")):
        raise ExpressionError(f"“o{label} {word.lower()}” is no o-word this control knows")
    cursor.expect(word)
    arguments = []
    while cursor.peek() == "[":
        cursor.expect("[")
        arguments.append(parse_expression(cursor))
        cursor.expect("]")
    if len(arguments) > _MOST_ARGUMENTS or (word != "CALL" and len(arguments) != FLOW_WORDS.get(word, 0)):
        raise ExpressionError(f"o{label} {word.lower()} has {len(arguments)} values in brackets")
    return Flow(label, word, tuple(arguments))


_KEPT_LINES = 2000
_KEPT_READERS = 4
_READERS: dict[int, Reader] = {}
"""Readers of the profiles that were read last, by the identity of the profile, which a reader keeps alive."""


def _reader_of(profile: Profile) -> Reader:
    if (known := _READERS.get(id(profile))) is not None:
        return known
    if len(_READERS) >= _KEPT_READERS:
        _READERS.pop(next(iter(_READERS)), None)
    return _READERS.setdefault(id(profile), Reader(profile, _KEPT_LINES))


def scan_program(text: str, profile: Profile) -> list[Routine]:
    """Read a file into its routines; the first is the main program.

    Raises:
        NcError: at the first line that is not understood, before anything has moved.
    """
    if len(text) > LONGEST_PROGRAM:
        raise NcError(1, "", f"the program is longer than {LONGEST_PROGRAM} characters")
    routines: list[Routine] = []
    for block, program in _reader_of(profile).blocks(lines_of(text)):
        if program is not None or not routines:
            if program is not None and any(routine.number == program for routine in routines):
                raise NcError(block.line, block.source, f"there are two programs O{program:04d} in this file")
            routines.append(Routine(program))
        routine = routines[-1]
        if block.sequence is not None:
            if block.sequence in routine.sequences and profile.speaks.branches:
                raise NcError(block.line, block.source, f"N{block.sequence} stands twice in one program")
            routine.sequences[block.sequence] = len(routine.blocks)
        routine.blocks.append(block)
    if not routines or not any(block.statement for block in routines[0].blocks):
        raise NcError(1, "", "there is no program in this text")
    if profile.input.o_words:
        routines = split_subs(routines[0])
    for routine in routines:
        match_loops(routine)
        match_flow(routine)
    return routines


def survey(lines: Iterable[str], profile: Profile) -> list[Routine]:
    """Read a program of any length once, to the last line, and keep only its subprograms.

    Raises:
        NcError: a line that is not understood, a main program that does not run straight through, or subprograms that
            are too long to hold.
    """
    reader, held, some = Reader(profile), 0, False
    routines: list[Routine] = []
    for block, program in reader.blocks(lines):
        if program is not None and some:
            if any(routine.number == program for routine in routines):
                raise NcError(block.line, block.source, f"there are two programs O{program:04d} in this file")
            routines.append(Routine(program))
        some = some or program is not None or block.statement is not None
        if not routines:
            if isinstance(block.statement, Loop | Flow) or (
                isinstance(block.statement, Branch) and block.statement.target is not None
            ):
                raise NcError(
                    block.line, block.source, "a program this long runs straight through: no loops, branches or calls"
                )
            continue
        held += len(block.source)
        if held > LONGEST_PROGRAM:
            raise NcError(block.line, block.source, f"the subprograms are longer than {LONGEST_PROGRAM} characters")
        if block.sequence is not None:
            routines[-1].sequences[block.sequence] = len(routines[-1].blocks)
        routines[-1].blocks.append(block)
    if not some:
        raise NcError(1, "", "there is no program in this text")
    for routine in routines:
        match_loops(routine)
    return routines


def streamed_blocks(lines: Iterable[str], profile: Profile) -> Iterator[Block]:
    """The blocks of a long file's main program, one at a time; its subprograms end it. Raises NcError."""
    some = False
    for block, program in Reader(profile).blocks(lines):
        if program is not None and some:
            return
        some = some or program is not None or block.statement is not None
        yield block
