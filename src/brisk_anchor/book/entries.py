"""What the book is made of: entries, what each tells, and how a row stands after them."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from dataclasses import field, replace
from datetime import datetime
from enum import Enum
from uuid import uuid4

from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.proof import Proof
from brisk_anchor.lazy_dataclass import dataclass

AXIS_NAMES = ("x", "y", "z", "r")


class EntryKind(Enum):
    """What an entry tells."""

    MEASURED = "measured"
    TYPED = "typed"
    STORED = "stored"
    PROVED = "proved"
    STALE = "stale"
    HOLDS = "holds again"
    LOCKED = "locked"
    UNLOCKED = "unlocked"
    LIMIT = "limit"
    NAMED = "named"
    SNAPSHOT = "snapshot"
    INSPECTED = "inspected"

    @property
    def has_values(self) -> bool:
        """Whether it carries values of the row."""
        return self in _VALUED


RESULTS = "results"
"""The row that inspected parts are entered under: no control has one of that name."""
DISAGREES = "does not agree"
"""In the note of a proof that did not hold: what is listed without its proof is judged by it."""
_VALUED = (EntryKind.MEASURED, EntryKind.TYPED, EntryKind.STORED, EntryKind.PROVED)


class RowState(Enum):
    """How one offset stands, from its entries; the last three are known only to a job that is open.

    `PART`: some of its features are measured. `NOT_WRITTEN`: the row it follows changed, and it is worked out anew but
    not written to the control. `DIFFERS`: the control holds other figures than those that were stored.
    """

    EMPTY = "not measured"
    TYPED = "typed"
    MEASURED = "measured"
    STORED = "stored"
    PROVED = "proved"
    STALE = "stale"
    PART = "part"
    NOT_WRITTEN = "not written"
    DIFFERS = "differs"

    @property
    def is_settled(self) -> bool:
        """Whether a value was stored that still holds, whatever the control has now."""
        return self in (RowState.STORED, RowState.PROVED, RowState.DIFFERS)

    @property
    def may_run(self) -> bool:
        """Whether an operation may run on it: the control holds what the book says."""
        return self in (RowState.STORED, RowState.PROVED)

    @property
    def waits(self) -> bool:
        """Whether its figures wait to be written to the control."""
        return self in (RowState.TYPED, RowState.MEASURED, RowState.NOT_WRITTEN)


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry of the book. `values` and `u` by axis, mm; of `r` degrees. `u` is half of the ± (where k is 2, the
    standard uncertainty).

    `number` counts the entries of its row. `light` is one that was listed without its chain and proof.
    """

    at: datetime
    machine: str
    row: str
    kind: EntryKind
    job: str
    title: str
    values: dict[str, float] = field(default_factory=dict)
    u: dict[str, float] = field(default_factory=dict)
    chain: Chain | None = None
    proof: Proof | None = None
    note: str = ""
    id: int | None = None
    number: int | None = None
    who: str = ""
    figure: float | None = None
    result: str | None = None
    """What was inspected of a part, JSON; light entries have none."""
    light: bool = False
    uid: str = field(default_factory=lambda: uuid4().hex)
    """Made with the entry, when it was measured or decided on: adding it again adds nothing."""

    def lightened(self) -> Entry:
        """The same without what the book gives again when it is asked for: chain, proof and result."""
        return replace(self, chain=None, proof=None, result=None, light=True)


def local_time(at: datetime) -> datetime:
    """A moment in this computer's time zone; as it is at the end of all years, which a clock set wrongly may name."""
    try:
        return at.astimezone()
    except (OverflowError, OSError, ValueError):
        return at


def clock_words(at: str) -> str:
    """A moment that is kept as ISO text in UTC, to the minute, in this computer's time zone; a day stays one."""
    with suppress(ValueError):
        if (moment := datetime.fromisoformat(at)).tzinfo is not None:
            return f"{local_time(moment):%Y-%m-%d %H:%M}"
    return at[:16].replace("T", " ")


def state_of(entries: Iterable[Entry]) -> RowState:
    """How a row stands after its entries, oldest first."""
    state = before = RowState.EMPTY
    for entry in entries:
        match entry.kind:
            case EntryKind.MEASURED:
                state = RowState.MEASURED
            case EntryKind.STORED:
                state = RowState.STORED
            case EntryKind.PROVED:
                # One that was listed without its proof says in its note how that ended.
                holds = entry.proof.holds if entry.proof else entry.light and DISAGREES not in entry.note
                state = RowState.PROVED if holds else state
            case EntryKind.TYPED:
                state = RowState.TYPED
            case EntryKind.STALE:
                before = state if state is not RowState.STALE else before
                state = RowState.STALE if state is not RowState.EMPTY else state
            case EntryKind.HOLDS:  # what made it stale was taken back
                state = before if state is RowState.STALE else state
    return state
