"""What a declaration makes invalid: said before it is made, and taken back as long as nothing followed it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from brisk_anchor.core.numbers import counted
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.rows.working_state import WorkingState


@dataclass(frozen=True, slots=True)
class Voided:
    """What becomes invalid: measured features by what they are called, rows; and rows that stay as they are."""

    features: tuple[str, ...]
    rows: tuple[str, ...]
    kept: tuple[str, ...]

    @property
    def nothing(self) -> bool:
        """Whether nothing is lost."""
        return not self.features and not self.rows

    @property
    def words(self) -> str:
        """What is affected and what is not, for a person who decides."""
        lost = [counted(len(self.features), "measurement", "measurements")] if self.features else []
        lost += [", ".join(self.rows)] if self.rows else []
        kept = f" Not affected: {', '.join(self.kept)}." if self.kept else ""
        return f"Out of date then: {' and '.join(lost)}.{kept}" if lost else f"Nothing is lost.{kept}"


@dataclass(frozen=True, slots=True)
class Declared:
    """A declaration that was made: in words, how all stood before it, and how far the book had come after it."""

    words: str
    before: WorkingState
    rows: tuple[str, ...]
    mark: tuple[int, str]
    measured: frozenset[tuple[str, datetime]]
    in_files: int
    """How many changes of the description it made."""
    changes: int
    """How many changes the description had seen by then."""


def rows_that_stay(known: Sequence[str], lost: Sequence[str]) -> tuple[str, ...]:
    """Rows with a stored value that are not among those lost."""
    return tuple(row for row in known if row not in lost)
