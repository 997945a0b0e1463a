"""A written program: its lines with their meaning, its digest, and text from people made safe for comments."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable

from brisk_anchor.core.quantities import Unit, fixed
from brisk_anchor.lazy_dataclass import dataclass

REPORT_TAG = "BRISK"
_ALLOWED = re.compile(r"[^A-Z0-9 .,+\-/:=#]")


@dataclass(frozen=True, slots=True)
class ProgramLine:
    """One line of NC text and what it does; `heading` marks the start of a section."""

    text: str
    meaning: str = ""
    heading: bool = False


@dataclass(frozen=True, slots=True)
class ResultLine:
    """A report line whose figures stand in variables: words, then letter, figure or variable, decimals."""

    words: tuple[str, ...]
    values: tuple[tuple[str, float | int, int], ...]
    """A whole number is a variable, a float a figure."""
    inches: frozenset[str] = frozenset()
    """Letters whose variables hold inches: the line gives mm."""

    @property
    def variables(self) -> tuple[int, ...]:
        """The variables that its figures stand in."""
        return tuple(value for _, value, _ in self.values if isinstance(value, int))

    def text(self, read: Callable[[int], float]) -> str:
        """The line with its figures."""
        figures = []
        for letter, value, decimals in self.values:
            held = read(value) if isinstance(value, int) else value
            unit = float(Unit.INCH.in_mm) if letter in self.inches else 1.0
            figures.append(f"{letter}{fixed(held * unit, decimals)}")
        return " ".join([REPORT_TAG, "1", *self.words, *figures])


@dataclass(frozen=True, slots=True)
class Program:
    """A written program."""

    number: int
    title: str
    identity: int
    lines: tuple[ProgramLine, ...]
    results: tuple[ResultLine, ...] = ()
    """Report lines of a control that prints nothing, to be filled in from its variables after the run."""
    returns: bool = False
    """Whether another program calls it, and goes on after it."""

    def report(self, read: Callable[[int], float]) -> list[str]:
        """The report lines of a control that prints nothing; `read` gives the value of a variable."""
        return [line.text(read) for line in self.results]

    @property
    def label(self) -> str:
        """Its number as a person says it."""
        return f"O{self.number:04d}"

    @property
    def text(self) -> str:
        """The file as it goes to the control."""
        return "\n".join(line.text for line in self.lines) + "\n"

    @property
    def digest(self) -> str:
        """SHA-256 of the text; ties a proof to exactly this program."""
        return hashlib.sha256(self.text.encode()).hexdigest()


def row_word(row: str) -> str:
    """A row's name as one word of a report line: "G54.1 P3" is "G54.1P3"."""
    return row.replace(" ", "")


def comment_text(text: str, longest: int) -> str:
    """Make a person's text safe inside an NC comment: capitals, digits and a few signs; brackets cannot come through.

    >>> comment_text('a (b) % "c"\\nG0 X0', 40)
    'A B C G0 X0'
    """
    folded = (
        text.upper().replace("Ä", "AE").replace("Ö", "OE").replace("Ü", "UE").replace("−", "-").replace("⌀", "DIA ")
    )
    plain = " ".join(_ALLOWED.sub(" ", folded).split())
    return plain[:longest].rstrip()
