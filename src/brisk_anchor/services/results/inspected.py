"""An inspected part as it is kept: every characteristic with what was found, and what was corrected after it."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import MISSING, asdict, field, fields, replace
from functools import cached_property
from typing import Any

from brisk_anchor.core.errors import BookError
from brisk_anchor.core.inspection.characteristic import Actual, What, part_outcome
from brisk_anchor.core.inspection.correction import CutPart
from brisk_anchor.core.inspection.verdict import Fate, Limits, Verdict
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.job.characteristics import Asked

FORM = "brisk-anchor-inspection-1"


@dataclass(frozen=True, slots=True)
class CharacteristicLine:
    """One characteristic of one part; mm, an angle's figures degrees. What was not measured has no value.

    `wear` is the figure that cut it (`by`: "T12 radius wear" or "G54 X"), as it stood then.
    """

    balloon: str
    words: str
    feature: str
    what: str
    nominal: float
    low: float | None
    high: float | None
    target: float
    value: float | None = None
    expanded: float | None = None
    probability: float | None = None
    verdict: str = Verdict.NOT_MEASURED.value
    outcome: str = Fate.OPEN.value
    metal: float | None = None
    to: str = ""
    process_only: bool = False
    by: str = ""
    wear: float | None = None
    beside: tuple[tuple[str, float], ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def is_angle(self) -> bool:
        """Whether its figures are degrees."""
        return self.what == What.ANGLE.value

    @property
    def deviation(self) -> float | None:
        """From the target."""
        return None if self.value is None else self.value - self.target

    @property
    def limits(self) -> Limits:
        """What is allowed."""
        return Limits(self.low, self.high, self.target)

    @property
    def share(self) -> float | None:
        """Where in the band it lies: −1 at the lower limit, +1 at the upper; of a zone from −1 at none of it."""
        if self.value is None or self.high is None:
            return None
        low = 0.0 if self.low is None else self.low
        return (2 * self.value - low - self.high) / (self.high - low) if self.high > low else None

    @property
    def state(self) -> Fate:
        """What follows for the metal."""
        return Fate(self.outcome)

    def part(self) -> CutPart | None:
        """The same for a correction; None where nothing was measured."""
        if self.deviation is None or self.wear is None:
            return None
        return CutPart(self.deviation, self.expanded or 0.0, self.metal, self.wear)


@dataclass(frozen=True, slots=True)
class Corrected:
    """A figure that was changed: what it is ("T12 radius wear"), its old and new value, mm, and why."""

    by: str
    old: float
    new: float
    why: str


@dataclass(frozen=True)
class InspectedPart:
    """One part. `at` is when (ISO, UTC), `source` where its touches came from; `program_hash` of its text.

    `clamping` tells which clamping of one session it was inspected in; empty where that is not known.
    """

    part: str
    serial: str
    at: str
    machine: str
    job: str
    who: str = ""
    place: str = ""
    operation: str = ""
    program: int = 0
    program_hash: str = ""
    source: str = ""
    lines: tuple[CharacteristicLine, ...] = ()
    corrected: tuple[Corrected, ...] = ()
    note: str = ""
    clamping: str = ""
    form: str = field(default=FORM)

    @cached_property
    def outcome(self) -> Fate:
        """What follows for the part."""
        return part_outcome([line.state for line in self.lines])

    @cached_property
    def _numbered(self) -> dict[str, CharacteristicLine]:
        return {line.balloon: line for line in self.lines}

    def line(self, balloon: str) -> CharacteristicLine | None:
        """One characteristic by its number on the drawing."""
        return self._numbered.get(balloon)

    def dumped(self) -> str:
        """As it is kept in the book: what is as usual is left out."""
        data = asdict(self)
        data["lines"] = [{key: v for key, v in line.items() if v != _USUAL.get(key, _ALWAYS)} for line in data["lines"]]
        return json.dumps(data, separators=(",", ":"), ensure_ascii=False)


_ALWAYS = object()
_USUAL = {item.name: item.default for item in fields(CharacteristicLine) if item.default is not MISSING}


def loaded(text: str) -> InspectedPart:
    """A part from the book. Raises BookError: it cannot be read."""
    try:
        data: dict[str, Any] = json.loads(text)
        if data["form"] != FORM:
            raise ValueError(data["form"])
        lines = tuple(
            CharacteristicLine(
                **{**line, "beside": tuple(map(tuple, line.get("beside", ()))), "notes": tuple(line.get("notes", ()))}
            )
            for line in data.pop("lines")
        )
        corrected = tuple(Corrected(**item) for item in data.pop("corrected"))
        return InspectedPart(**data, lines=lines, corrected=corrected)
    except (ValueError, TypeError, KeyError) as error:
        raise BookError("An inspected part in the book cannot be read", str(error)[:80], "Put back a copy") from None


def line_of(asked: Asked, actual: Actual | None, by: str = "", wear: float | None = None) -> CharacteristicLine:
    """A characteristic as it is kept, with what was found of it; `actual` None where it was not measured."""
    characteristic = asked.characteristic
    limits = actual.limits if actual is not None else characteristic.limits
    line = CharacteristicLine(
        characteristic.balloon,
        characteristic.words,
        characteristic.feature,
        characteristic.what.value,
        characteristic.nominal,
        limits.low,
        limits.high,
        limits.target,
        by=by,
        wear=wear,
    )
    if actual is None:
        return line
    return replace(
        line,
        value=actual.value,
        expanded=actual.expanded,
        probability=actual.probability,
        verdict=actual.verdict.value,
        outcome=actual.outcome.value,
        metal=actual.metal,
        to=actual.to,
        process_only=actual.process_only,
        beside=actual.beside,
        notes=actual.notes,
    )


def short_words(part: InspectedPart) -> str:
    """A part in one line: its outcome and what is not good."""
    bad = [line.balloon for line in part.lines if line.state not in (Fate.GOOD, Fate.OPEN)]
    lacking = sum(line.state is Fate.OPEN for line in part.lines)
    told = f"part {part.serial}: {part.outcome.value}" + (f", {', '.join(bad)}" if bad else "")
    return told + (f"; {lacking} not measured" if lacking else "")


def balloons(parts: Sequence[InspectedPart]) -> list[str]:
    """Numbers of all characteristics that some parts have, in the order they stand in."""
    return list(dict.fromkeys(line.balloon for part in parts for line in part.lines))
