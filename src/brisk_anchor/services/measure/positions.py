"""Where the spindle stands, from whatever tells it: the stand-in, or figures that a person read off the control.

All give the same reading: a machine position, how old it is, in which frame it was read and with which tool length.
What is marked by hand, and what a hand touches, takes its place from here.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Protocol

from brisk_anchor.core.errors import NumberEntryError
from brisk_anchor.core.kinds import FURTHEST, Vector
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.quantities import Unit, age_words, signed_bare
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.measure.by_hand import MACHINE, PositionFrame

FRESH = 300.0
"""So many seconds a typed position is taken for where the spindle stands."""


@dataclass(frozen=True, slots=True)
class PlaceRead:
    """A place of the spindle, machine mm. `at` None: it is read now; `settled`: it did not move while it was read.

    `frame` is what it was read in, `length` the tool length that the figures held, mm.
    """

    spindle: Vector
    how: str
    at: datetime | None = None
    settled: bool = True
    frame: PositionFrame = MACHINE
    length: float = 0.0

    @property
    def live(self) -> bool:
        """Whether it is where the spindle stands at this moment."""
        return self.at is None

    @property
    def fresh(self) -> bool:
        """Whether it can still be taken for where the spindle stands."""
        return self.at is None or (datetime.now(UTC) - self.at).total_seconds() < FRESH

    @property
    def words(self) -> str:
        """How it is known, in a few words: "typed 2 min ago, machine position, without tool length"."""
        if self.at is None:
            return self.how
        age = age_words((datetime.now(UTC) - self.at).total_seconds())
        with_length = f"with length {signed_bare(self.length, 3)}" if self.length else "without tool length"
        return f"{self.how} {age if age == 'now' else f'{age} ago'}, {self.frame.short}, {with_length}"


class PositionSource(Protocol):
    """Something that tells where the spindle stands."""

    def read(self) -> PlaceRead | None:
        """The place as it is known; None where nobody told it."""


class LivePositions:
    """A machine that tells its position at any moment."""

    def __init__(self, spindle: Callable[[], Vector], how: str) -> None:
        self._spindle, self._how = spindle, how

    def read(self) -> PlaceRead:
        """Where it stands now."""
        return PlaceRead(self._spindle(), self._how)


class TypedPositions:
    """A machine that tells nothing: what a person read off its screen, until the next time."""

    def __init__(self) -> None:
        self._last: PlaceRead | None = None

    def read(self) -> PlaceRead | None:
        """What was typed last."""
        return self._last

    def typed(self, words: str, frame: PositionFrame, unit: Unit) -> PlaceRead:
        """Read "X, Y, Z" as the control shows them in a frame; nothing is kept.

        Raises:
            NumberEntryError: these are not three figures.
        """
        parts = words.replace(";", ",").split(",")
        if len(parts) != 3:
            raise NumberEntryError("A place has three figures", "X, Y and Z with commas between", "As -400, -250, -120")
        x, y, z = (
            parse_length(part.strip(" xyzXYZ="), unit, low=-FURTHEST, high=FURTHEST) + zero
            for part, zero in zip(parts, frame.zero, strict=True)
        )
        return PlaceRead((x, y, z), "typed", datetime.now(UTC), frame=frame)

    def keep(self, reading: PlaceRead) -> None:
        """Take a reading for where the spindle stands."""
        self._last = reading
