"""Words typed in the book: a change with its reason, and rows that follow another one."""

from __future__ import annotations

import re
from collections.abc import Mapping

from brisk_anchor.book.entries import EntryKind, RowState
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.numbers import parse_length, parse_number
from brisk_anchor.core.offsets.rules import FromRow, FromTable, Rule
from brisk_anchor.core.quantities import dim, num
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.rows.following_note import following_note
from brisk_anchor.services.session.session import Session

_CHANGE = re.compile(r"([xyzr])\s*([^xyzr;]+?)(?=\s*[xyzr]\s*[=+\-.0-9]|\s*$)", re.I)


@dataclass(frozen=True, slots=True)
class Derived:
    """A row that is to follow another: its name, what it is called, and its rules."""

    row: str
    title: str
    rules: Mapping[str, Rule]


@dataclass(frozen=True, slots=True)
class TypedChange:
    """What was typed: values by axis, mm, their ± where one was typed (k = 2), and the reason."""

    values: dict[str, float]
    spreads: dict[str, float]
    reason: str


def read_change(words: str, present: Mapping[str, float]) -> tuple[dict[str, float], str]:
    """Axes with new values, mm, and the reason, where no ± belongs. Raises like `read_typed`."""
    typed = read_typed(words, present)
    if typed.spreads:
        raise PlanError("A ± does not belong here", "Only offsets that are typed have one", "Leave it out")
    return typed.values, typed.reason


def read_typed(words: str, present: Mapping[str, float]) -> TypedChange:
    """Axes with new values, mm, perhaps with a ±, and the reason after a semicolon: "z =-0.2 ±0.01; recut".

    Raises:
        PlanError: no axis, or one twice. NumberEntryError: a figure is none.
    """
    figures, _, reason = words.partition(";")
    found = _CHANGE.findall(figures.strip())
    letters = [letter.lower() for letter, _ in found]
    if not found or len(set(letters)) != len(letters) or _CHANGE.sub("", figures).strip():
        raise PlanError(
            "That is no change of an offset", "Each axis has its letter and one figure", "As x -455.2 z =-0.2; why"
        )
    changed, spreads = {}, {}
    for letter, whole in zip(letters, (figure for _, figure in found), strict=True):
        parse, furthest = (parse_number, 360.0) if letter == "r" else (parse_length, FURTHEST)
        figure, sign, spread = re.sub(r"\+/?-", "±", whole).partition("±")
        if sign:
            spreads[letter] = parse(spread.strip(), present=None, low=0.0, high=10.0)
        now = present.get(letter, 0.0)
        changed[letter] = parse(figure.strip(), present=now, low=-furthest, high=furthest)
    return TypedChange(changed, spreads, reason.strip())


def _rows_for(session: Session, parent: str, count: int, destination: str) -> list[str]:
    """The rows that are to follow: the ones named, or as many from the one named on; else the next ones that are free.

    Raises:
        PlanError: too few, one that does not exist, or one that has another use.
    """
    if not destination.strip():
        return _free_rows(session, count)
    named = [session.setter.read_row(word) for word in destination.split(",") if word.strip()]
    if len(named) == 1 and count > 1:
        known = session.setter.may_set
        named = known[known.index(named[0]) :][:count]
    if len(named) != count or len(set(named)) != count:
        raise PlanError(f"{count} rows are wanted, {len(named)} are named", "", "Name each, or the first of a series")
    for row in named:
        if session.setup.plans(row):
            raise PlanError(
                f"{row} has a use in this job already", "It would lose what it is set from", "Choose another"
            )
        if session.ledger.locked(row):
            raise PlanError(f"{row} is locked", "Nothing writes it while it is", "Unlock it in the book, if meant")
    return named


def _free_rows(session: Session, count: int) -> list[str]:
    setup = session.setup
    taken = {plan.row for plan in setup.rows} | ({setup.shelf.setter.row} if setup.shelf.setter else set())
    free = [row for row in session.profile.all_rows if row not in taken and row != session.profile.common_shift]
    if len(free) < count:
        raise PlanError(
            f"{count} rows are wanted, {len(free)} are free", "The control has no more", "Make a smaller pattern"
        )
    return free[:count]


def _figures(text: str, what: str, *, plain: int = 0) -> list[float]:
    """Typed figures: the first `plain` ones are counts or degrees, the others lengths, mm. Raises PlanError."""
    parts = [part.strip() for part in text.split(",") if part.strip()]
    if not parts or len(parts) > 50:
        raise PlanError(f"{what} takes figures with commas between them", "", "As length 40, 55, 70")
    return [
        (parse_number if number < plain else parse_length)(part, present=None, low=-5_000.0, high=5_000.0)
        for number, part in enumerate(parts)
    ]


def read_derived(session: Session, parent: str, words: str) -> list[Derived]:
    """Rows that follow `parent`: "grid 3, 2, 60, 45" (columns, rows, pitches; the first is the parent itself),
    "length 40, 55" (along Z), "spacer x 25", "shift 10, 0, -5", "table B 90". "to G57" at the end says which row is the
    first of them, "to G57, G59" each.

    Raises:
        PlanError: none of these, the parent is no row of the job, or there are not enough free rows.
        NumberEntryError: a figure is none.
    """
    if all(plan.row != parent for plan in session.setup.rows):
        raise PlanError(f"The job has no {parent}", "Only its own rows can be followed", "Choose one of the job")
    words, _, destination = re.sub(r"\s+to\s+", "\0", words.strip(), count=1, flags=re.I).partition("\0")
    kind, _, rest = words.partition(" ")
    shifts: list[tuple[str, tuple[float, float, float]]] = []
    match kind.lower():
        case "grid":
            figures = _figures(rest, "A grid", plain=2)
            if len(figures) != 4 or any(value != int(value) or not 1 <= value <= 20 for value in figures[:2]):
                raise PlanError("A grid has columns, rows and two pitches", "", "As grid 3, 2, 60, 45")
            columns, rows, dx, dy = int(figures[0]), int(figures[1]), figures[2], figures[3]
            places = [(i, j) for j in range(rows) for i in range(columns) if i or j]
            shifts = [(f"column {i + 1}, row {j + 1}", (i * dx, j * dy, 0.0)) for i, j in places]
        case "length":
            shifts = [(f"longer by {dim(value)}", (0.0, 0.0, value)) for value in _figures(rest, "Length")]
        case "spacer":
            axis, _, thick = rest.strip().partition(" ")
            if axis.lower() not in ("x", "y", "z"):
                raise PlanError("A spacer lies along X, Y or Z", "", "As spacer x 25")
            by = _figures(thick, "A spacer")[0]
            away = tuple(by if letter == axis.lower() else 0.0 for letter in "xyz")
            shifts = [(f"spacer {dim(by)} along {axis.upper()}", (away[0], away[1], away[2]))]
        case "shift":
            figures = _figures(rest, "A shift")
            if len(figures) != 3:
                raise PlanError("A shift has X, Y and Z", "", "As shift 10, 0, -5")
            shifts = [("shifted", (figures[0], figures[1], figures[2]))]
        case "table":
            return _on_table(session, parent, rest, destination)
        case _:
            raise PlanError("There is no such word", "", "grid, length, spacer, shift or table")
    turned = "r" in session.setup.row(parent).rules
    free = _rows_for(session, parent, len(shifts), destination)
    return [
        Derived(
            row,
            title,
            {axis: FromRow(parent, by) for axis, by in zip("xyz", away, strict=True)}
            | ({"r": FromRow(parent)} if turned else {}),
        )
        for row, (title, away) in zip(free, shifts, strict=True)
    ]


def _on_table(session: Session, parent: str, rest: str, destination: str) -> list[Derived]:
    letter, _, angles = rest.strip().partition(" ")
    axis = next((axis for axis in session.setup.machine.rotary if axis.letter == letter.upper()), None)
    if axis is None:
        known = ", ".join(a.letter for a in session.setup.machine.rotary) or "none"
        raise PlanError(f"The machine has no rotary axis {letter[:5]}", f"It has {known}", "As table B 90, 180")
    turns = _figures(angles, "A table", plain=50)
    free = _rows_for(session, parent, len(turns), destination)
    return [
        Derived(
            row,
            f"{axis.letter} {num(turn)}",
            dict.fromkeys(
                "xyz",
                FromTable(
                    parent,
                    axis.letter,
                    turn,
                    axis.direction,
                    axis.centre,
                    axis.sense,
                    u_centre=axis.u_centre,
                    u_direction=axis.u_direction,
                ),
            ),
        )
        for row, turn in zip(free, turns, strict=True)
    ]


def derive(session: Session, parent: str, words: str) -> list[str]:
    """Make the rows, in the job's file where it has one; returns them. Raises like `read_derived`, and JobError."""
    found = read_derived(session, parent, words)
    session.datums.add_rows(parent, [(item.row, item.title, dict(item.rules)) for item in found])
    names = [item.row for item in found]
    entries = []
    for row, rules in [(item.row, item.rules) for item in found]:
        chain = session.solver.chain(row)
        if chain is not None and not session.writer.holds(row, chain):
            entries.append(session.ledger.entry(EntryKind.MEASURED, row, chain, note=following_note(parent, rules)))
        elif chain is None and session.rows.state(row) not in (RowState.EMPTY, RowState.STALE):
            entries.append(session.ledger.entry(EntryKind.STALE, row, None, note=f"follows {parent}, not stored yet"))
    session.ledger.add_all(entries)
    return names
