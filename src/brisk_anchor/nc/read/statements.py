"""What a scanned program consists of: statements, blocks, routines."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field

from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.read.expressions import Evaluator, VariableStore


@dataclass(frozen=True, slots=True)
class Assign:
    """`#n = value`, or `#<name> = value`."""

    target: Evaluator | str
    value: Evaluator


@dataclass(frozen=True, slots=True)
class WordBlock:
    """Address words in the order written, and the parameters that the block sets besides (RS-274/NGC)."""

    words: tuple[tuple[str, Evaluator, bool], ...]
    """Letter, value, and whether the figure was written without a decimal point."""
    sets: tuple[Assign, ...] = ()
    """They take effect once every value of the block has been found."""


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


@dataclass(frozen=True, slots=True)
class Flow:
    """An o-word: `o100 if [..]` has the label "100", the word "IF" and one argument."""

    label: str
    word: str
    arguments: tuple[Evaluator, ...]


Statement = WordBlock | Assign | Branch | Loop | PrintLine | PrintPort | Flow


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
    """The blocks from one O number (or o-word sub) to its end, with the places of its N numbers and loops."""

    number: int | str | None
    blocks: list[Block] = field(default_factory=list)
    sequences: dict[int, int] = field(default_factory=dict)
    loops: dict[int, int] = field(default_factory=dict)
    """Index of a loop's start → index of its end, and back."""
    jumps: dict[int, tuple[int, ...]] = field(default_factory=dict)
    """Index of an o-word → where it may go on; what each place means stands in `flow.py`."""
