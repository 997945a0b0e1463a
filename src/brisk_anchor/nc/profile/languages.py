"""The languages of controls: what each can do, which sections of a profile it needs, what a person must know of it.

A language is added here, with its writer in `nc.write.writer` and its grammar in `nc.read.scanner`. Everything else
asks for what a language can do, never which one it is.
"""

from __future__ import annotations

from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class Language:
    """What a control language can do.

    `needs` and `foreign` are the sections a profile in it must have, and those that mean nothing in it; `limits` what
    its programs cannot do, in sentences.
    """

    name: str
    needs: tuple[str, ...] = ()
    foreign: tuple[str, ...] = ()
    limits: tuple[str, ...] = ()
    branches: bool = False
    """Conditions, jumps and alarms with words of their own; without them a guard is arithmetic that fails."""
    subprograms: bool = False
    """Programs within a file that are called with arguments; positions are read from the machine there."""
    null_values: bool = False
    """A variable that was never set is no zero."""
    sets_in_words: bool = False
    """Parameters may be set in a block of address words."""
    main_locals_kept: bool = False
    """What a main program keeps in its own variables is there for the next one."""
    named_words: bool = False
    """Named parameters and o-words may be understood, where the profile says so."""
    rotation_in_variables: bool = False
    """Angles of rows may be kept in variables that outlast a program."""
    positions_from_row: bool = False
    """Machine positions are worked out from a row of the offset table."""


HASH_MACRO = Language(
    "hash-macro",
    needs=("subprograms", "moves", "positions", "variables", "tool", "alarm", "print", "probing"),
    branches=True,
    subprograms=True,
    null_values=True,
    rotation_in_variables=True,
)
NGC = Language(
    "ngc",
    needs=("moves", "positions", "variables", "probing"),
    foreign=("subprograms", "alarm", "print", "timers"),
    limits=(
        "It has no branches: a guard that fails stops the program with an arithmetic error and no message; the "
        "comment in that line says which guard it was.",
        "So a wrong size or a broken tool ends a program there: it cannot stop for a person to decide, note it and go "
        "on, or jump back to an operation.",
        "It has no subprograms: every touch is written out.",
    ),
    sets_in_words=True,
    main_locals_kept=True,
    named_words=True,
    positions_from_row=True,
)
TABLE = Language(
    "table",
    foreign=(
        *("subprograms", "moves", "positions", "variables", "tool", "tool_table", "alarm", "timers", "print"),
        "probing",
    ),
    limits=("It works nothing out: every figure is worked out and checked here, before it is written.",),
)
LANGUAGES = {language.name: language for language in (HASH_MACRO, NGC, TABLE)}
