"""Where control goes: loops of the # macro language, o-words of RS-274/NGC. Worked out once, before the first block.

The places of an o-word in `Routine.jumps`, as indices of blocks:

    IF, ELSEIF, ELSE   where to go on when its condition fails or its part is done: the next part; then the end
    WHILE              its end
    ENDWHILE           its WHILE
    DO                 its WHILE, which stands at the end
    WHILE after DO     the DO
    REPEAT             its end
    ENDREPEAT          its REPEAT
    BREAK, CONTINUE    the first and the last block of the loop
"""

from __future__ import annotations

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.read.statements import Flow, Loop, Routine

_DEEPEST = 10


def match_loops(routine: Routine) -> None:
    """Pair DO and END. Raises NcError when they do not pair."""
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


def split_subs(whole: Routine) -> list[Routine]:
    """The main program, and a routine for each `sub … endsub`, named by its label.

    Raises:
        NcError: a sub within another, one without its end, two of one name, or an end without a beginning.
    """
    main, subs, inside = Routine(None), {}, None
    for block in whole.blocks:
        flow = block.statement if isinstance(block.statement, Flow) else None
        if flow and flow.word == "SUB":
            if inside is not None or flow.label in subs:
                raise NcError(block.line, block.source, f"o{flow.label} sub stands inside another, or twice")
            inside = subs[flow.label] = Routine(flow.label)
        target = main if inside is None else inside
        if block.sequence is not None:
            target.sequences[block.sequence] = len(target.blocks)
        target.blocks.append(block)
        if flow and flow.word == "ENDSUB":
            if inside is None or inside.number != flow.label:
                raise NcError(block.line, block.source, f"o{flow.label} endsub ends no sub of that name")
            inside = None
    if inside is not None:
        block = inside.blocks[0]
        raise NcError(block.line, block.source, f"o{inside.number} sub is never ended")
    return [main, *subs.values()]


class _Open:
    """A construct that is not closed yet: its word, and the indices of its blocks so far."""

    def __init__(self, word: str, label: str, index: int) -> None:
        self.word, self.label = word, label
        self.parts = [index]
        self.leaving: list[int] = []


_CLOSES = {"ENDIF": ("IF",), "ENDWHILE": ("WHILE",), "ENDREPEAT": ("REPEAT",), "ELSE": ("IF",), "ELSEIF": ("IF",)}


def match_flow(routine: Routine) -> None:
    """Work out where every o-word of a routine goes on. Raises NcError when they do not pair."""
    stack: list[_Open] = []
    for index, block in enumerate(routine.blocks):
        if not isinstance(block.statement, Flow):
            continue
        word, label = block.statement.word, block.statement.label
        top = stack[-1] if stack else None
        same = top is not None and top.label == label
        if word == "WHILE" and top is not None and same and top.word == "DO":
            _close(routine, top, index)
            routine.jumps[index] = (top.parts[0],)
            stack.pop()
        elif word in ("IF", "WHILE", "DO", "REPEAT"):
            if len(stack) == _DEEPEST:
                raise NcError(block.line, block.source, f"o-words are nested more than {_DEEPEST} deep")
            stack.append(_Open(word, label, index))
        elif word in _CLOSES:
            if top is None or not same or top.word not in _CLOSES[word]:
                raise NcError(block.line, block.source, f"o{label} {word.lower()} has no beginning to go with it")
            if word in ("ELSE", "ELSEIF"):
                last = routine.blocks[top.parts[-1]].statement
                if isinstance(last, Flow) and last.word == "ELSE":
                    raise NcError(block.line, block.source, f"o{label} {word.lower()} comes after the else")
                top.parts.append(index)
                continue
            _close(routine, top, index)
            stack.pop()
        elif word in ("BREAK", "CONTINUE"):
            loop = next((item for item in reversed(stack) if item.label == label and item.word != "IF"), None)
            if loop is None:
                raise NcError(block.line, block.source, f"o{label} {word.lower()} stands in no loop of that name")
            loop.leaving.append(index)
    if stack:
        block = routine.blocks[stack[-1].parts[0]]
        raise NcError(block.line, block.source, f"o{stack[-1].label} {stack[-1].word.lower()} is never ended")


def _close(routine: Routine, opened: _Open, end: int) -> None:
    if opened.word == "IF":
        for here, following in zip(opened.parts, [*opened.parts[1:], end], strict=True):
            routine.jumps[here] = (following, end)
        return
    start = opened.parts[0]
    routine.jumps[start] = (end,)
    routine.jumps[end] = (start,)
    for index in opened.leaving:
        routine.jumps[index] = (start, end)
