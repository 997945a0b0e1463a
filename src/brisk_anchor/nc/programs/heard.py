"""Runs as they are heard: lines that come one after another become whole reports, or say with line numbers why not.

A report counts from its BEGIN to its END. A line that the same source printed twice is taken once, and told; a line of
somebody else is passed over, and told. What is lost, mixed, cut off or damaged makes the whole report one that is not
to be taken.
"""

from __future__ import annotations

import re
from dataclasses import field, replace

from brisk_anchor.core.errors import ReportError
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.reports import LINE, RunReport, parse_reports

_OURS = re.compile(r"BRISK|BRIS|RISK 1", re.IGNORECASE)
_MOST_LINES = 200_000
_MOST_NOTES = 6
_BEGIN = re.compile(r"O\s*([0-9]+)\s*I\s*([0-9]+)")
_NUMBER = re.compile(r"\s*N\s*([0-9]+)")


@dataclass(frozen=True, slots=True)
class Heard:
    """A run as it was heard: its program and identity (0: not known), its lines, and what is wrong with it.

    `problem` is empty for one that can be taken. `notes` are what was passed over on the way.
    """

    program: int
    identity: int
    lines: tuple[str, ...]
    source: str = ""
    first: int = 0
    last: int = 0
    problem: str = ""
    notes: tuple[str, ...] = ()
    touches: int = 0
    read: RunReport | None = field(default=None, compare=False, repr=False)
    """What it reports, where it was read already."""

    def report(self) -> RunReport:
        """What it reports. Raises ReportError: why it is not to be taken."""
        if self.problem:
            raise ReportError(self.problem, "Nothing of it was taken", "Run the program again")
        return self.read if self.read is not None else parse_reports(self.lines)


@dataclass(slots=True)
class Listener:
    """Puts the lines of one source together. `present` is the run that has begun and not ended."""

    source: str
    _lines: list[str] = field(default_factory=list)
    _numbers: list[int] = field(default_factory=list)
    _notes: list[str] = field(default_factory=list)
    _problem: str = ""
    _touches: int = 0

    @property
    def present(self) -> Heard | None:
        """The run that is being heard; None between runs."""
        return self._made(self._problem) if self._lines else None

    def add(self, number: int, text: str, *, noisy: bool = False) -> list[Heard]:
        """Take a line; returns the runs that end with it: one, or a cut one before a new beginning."""
        found = LINE.match(text)
        if found is None or noisy:
            if _OURS.search(text) and self._lines:
                self._fail(f"line {number} is damaged: “{text[:60]}”")
            elif self._lines:
                self._note(f"line {number} is not ours")
            return []
        kind, rest = found[1].upper(), found[2].upper()
        if self._lines and text == self._lines[-1]:
            self._note(f"line {number} stands there twice")
            return []
        ended: list[Heard] = []
        if kind == "BEGIN":
            if self._lines:
                ended.append(self._made(self._problem or f"it was cut off after line {self._numbers[-1]}"))
            self._clear()
        elif not self._lines:
            return [Heard(0, 0, (text,), self.source, number, number, f"line {number} belongs to no report that began")]
        self._lines.append(text)
        self._numbers.append(number)
        if len(self._lines) > _MOST_LINES:
            self._fail(f"it has more than {_MOST_LINES} lines")
            del self._lines[1:], self._numbers[1:]
        if kind == "TOUCH":
            self._count(number, rest)
        if kind == "END":
            ended.append(self._ended())
            self._clear()
        return ended

    def cut(self) -> list[Heard]:
        """The source has ended: what had begun is cut off."""
        if not self._lines:
            return []
        ended = [self._made(self._problem or f"it was cut off after line {self._numbers[-1]}")]
        self._clear()
        return ended

    def _count(self, number: int, rest: str) -> None:
        told = _NUMBER.match(rest)
        now = int(told[1]) if told else 0
        if now != self._touches + 1:
            before = self._numbers[-2] if len(self._numbers) > 1 else number
            self._fail(
                f"touch {now} in line {number} follows touch {self._touches} (line {before}): "
                "lines are lost, or two reports are mixed"
            )
        self._touches = now

    def _ended(self) -> Heard:
        problem, read = self._problem, None
        if not problem:
            try:
                read = parse_reports(self._lines)
            except ReportError as error:
                problem = f"lines {self._numbers[0]} to {self._numbers[-1]}: {error.what}"
        return replace(self._made(problem), read=read)

    def _made(self, problem: str) -> Heard:
        begun = _BEGIN.search(self._lines[0].upper())
        program, identity = (int(begun[1]), int(begun[2])) if begun else (0, 0)
        ends = self._numbers[0], self._numbers[-1]
        return Heard(
            program, identity, tuple(self._lines), self.source, *ends, problem, tuple(self._notes), self._touches
        )

    def _fail(self, why: str) -> None:
        self._problem = self._problem or why

    def _note(self, what: str) -> None:
        if len(self._notes) < _MOST_NOTES:
            self._notes.append(what)

    def _clear(self) -> None:
        self._lines, self._numbers, self._notes = [], [], []
        self._problem, self._touches = "", 0
