"""Steps that judge what was measured, say what follows, and correct the wear of a tool: on the control itself."""

from __future__ import annotations

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Expression, Name, Number, RowValue, WearInTable, add, plus, subtract, times
from brisk_anchor.core.quantities import fixed
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.control_result import ControlResult
from brisk_anchor.nc.programs.steps import (
    AlarmNumber,
    Check,
    Compute,
    React,
    Release,
    Report,
    SectionHeading,
    SetWear,
    Sort,
    Step,
    ZeroWithin,
)

GOOD, UNSURE, AGAIN, SCRAP = 0, 1, 2, 3
"""What a control keeps of a verdict: good, cannot tell, can be cut again, scrap."""
WORDS = {UNSURE: "CANNOT TELL", AGAIN: "CAN BE CUT AGAIN", SCRAP: "SCRAP"}
_SAME = 2.0
"""So many steps of the table a figure may be off after it was written."""


@dataclass(frozen=True, slots=True)
class Judgement:
    """One characteristic, judged on the control by limits that the application has worked out with its ±.

    `letter` is "d" or "e" for a size, or an axis, counted from `row`. Between `accept` it is in; beyond `reject` it is
    out, and between the two nobody can tell (mm; None: no limit there). `below` and `above` say what being out on that
    side means. `reactions` by code, and `flag` a variable that takes the code.
    """

    balloon: str
    feature: str
    letter: str
    row: str
    accept: tuple[float | None, float | None]
    reject: tuple[float | None, float | None]
    below: int
    above: int
    reactions: tuple[tuple[int, str], ...] = ()
    flag: int | None = None
    words: str = ""


@dataclass(frozen=True, slots=True)
class ControlCorrection:
    """A wear that the control answers by itself: `share` of `factor` × (measured − target), nothing within `dead`.

    `factor` holds the side and the table: of a bore in a radius table ½. Further off than `limit`, mm, it stops; and
    the wear never goes beyond `most`, either way.
    """

    balloon: str
    feature: str
    letter: str
    row: str
    target: float
    factor: float
    share: float
    dead: float
    limit: float
    tool: int
    column: str
    most: float = 1.0
    """What is out is not answered: that is no drift, and a person decides."""


@dataclass(frozen=True, slots=True)
class WearChange:
    """A wear that the application has worked out: its figure as it stood, and the new one, mm."""

    tool: int
    column: str
    old: float
    new: float


@dataclass(frozen=True, slots=True)
class Inspecting:
    """What a program judges and corrects."""

    judgements: tuple[Judgement, ...] = ()
    corrections: tuple[ControlCorrection, ...] = ()
    wear: tuple[WearChange, ...] = ()

    @property
    def features(self) -> set[str]:
        """The features that must still be known at the end of the program."""
        return {one.feature for one in self.judgements} | {one.feature for one in self.corrections}

    @property
    def sizes(self) -> set[str]:
        """Those whose size must be."""
        judged = {one.feature for one in self.judgements if one.letter in "de"}
        return judged | {one.feature for one in self.corrections if one.letter in "de"}


Located = dict[tuple[str, str], ControlResult]


def _value(located: Located, feature: str, letter: str, row: str) -> Expression:
    found = located.get((feature, letter))
    if found is None:
        raise PlanError(
            f"The program gives no {letter.upper()} of {feature}", "It cannot be judged there", "Measure that feature"
        )
    return found.value if letter in "de" or not row else subtract(found.value, RowValue(row, letter))


def inspecting_steps(steps: list[Step], inspecting: Inspecting, located: Located) -> None:
    """Append everything: sums and verdicts first, then corrections, then what a bad verdict does.

    Raises:
        PlanError: the program does not measure what is judged.
    """
    codes: list[str] = []
    for number, one in enumerate(inspecting.judgements, 1):
        value, code = f"jv{number}", f"jc{number}"
        steps += [
            SectionHeading(f"balloon {one.balloon} {one.words}".strip()),
            Compute(value, _value(located, one.feature, one.letter, one.row), f"{one.balloon}: what was measured"),
            Sort(code, Name(value), one.accept, one.reject, one.below, one.above),
            Report(("JUDGED",), (("M", Number(number), 0), ("A", Name(value), -1), ("V", Name(code), 0))),
        ]
        codes.append(code)
    for number, answer in enumerate(inspecting.corrections, 1):
        code = next(
            (c for c, one in zip(codes, inspecting.judgements, strict=True) if one.balloon == answer.balloon), ""
        )
        _correct(steps, answer, number, located, code)
    for change in inspecting.wear:
        wear_steps(steps, change)
    for number, one in enumerate(inspecting.judgements, 1):
        if one.flag is not None:
            steps.append(React(codes[number - 1], GOOD, f"flag #{one.flag}", "", 0))
        for verdict, reaction in one.reactions:
            if reaction == "go on":
                continue
            text = f"{one.balloon} {one.words} {WORDS.get(verdict, '')}".strip()
            steps.append(React(codes[number - 1], verdict, reaction, text, AlarmNumber.OUT_OF_LIMITS))


def _correct(steps: list[Step], answer: ControlCorrection, number: int, located: Located, code: str) -> None:
    held = WearInTable(answer.tool, answer.column)
    off, change, new = f"kd{number}", f"kc{number}", f"kn{number}"
    what = f"T{answer.tool} {answer.column}"
    value = _value(located, answer.feature, answer.letter, answer.row)
    steps += [
        SectionHeading(f"correct {what} by balloon {answer.balloon}"),
        Compute(off, plus(value, -answer.target), f"{answer.balloon}: off its target"),
        ZeroWithin(off, answer.dead, f"within {fixed(answer.dead, 4)} nothing is answered", code),
        Check(
            Name(off),
            Number(0.0),
            answer.limit,
            AlarmNumber.NO_CORRECTION,
            f"{answer.balloon} IS TOO FAR OFF TO CORRECT",
            f"correction guard: no more than {answer.limit:g} off its target",
        ),
        Compute(change, times(Number(answer.factor * answer.share), Name(off)), f"{answer.share:g} of it as {what}"),
        Compute(new, add(held, Name(change)), f"{what} then"),
        Check(
            Name(new),
            Number(0.0),
            answer.most,
            AlarmNumber.NO_CORRECTION,
            f"WEAR OF T{answer.tool} WOULD BE TOO LARGE",
            f"correction guard: no wear beyond {answer.most:g}",
        ),
        Report(("CORRECTED",), (("T", Number(answer.tool), 0), ("A", held, -1), ("B", Name(new), -1))),
        SetWear(answer.tool, answer.column, Name(new)),
        *_read_back(answer.tool, answer.column, Name(new)),
        Release((off, change, new)),
    ]


def _read_back(tool: int, column: str, value: Expression) -> list[Step]:
    return [
        Check(
            WearInTable(tool, column),
            value,
            _SAME * 1e-4,
            AlarmNumber.READ_BACK,
            f"WEAR OF T{tool} WAS NOT TAKEN",
            f"read back: the table holds the {column} of T{tool} that was written",
        )
    ]


def wear_steps(steps: list[Step], change: WearChange) -> None:
    """Append a change that was decided on: only where the table holds what it was worked out from."""
    held = WearInTable(change.tool, change.column)
    steps += [
        SectionHeading(f"T{change.tool} {change.column}"),
        Check(
            held,
            Number(change.old),
            _SAME * 1e-4,
            AlarmNumber.CHANGED,
            f"WEAR OF T{change.tool} IS ANOTHER NOW",
            f"the table still holds {fixed(change.old, 4)}, as when this was worked out",
        ),
        Report(("CORRECTED",), (("T", Number(change.tool), 0), ("A", held, -1), ("B", Number(change.new), -1))),
        SetWear(change.tool, change.column, Number(change.new)),
        *_read_back(change.tool, change.column, Number(change.new)),
    ]


NOTHING = Inspecting()
