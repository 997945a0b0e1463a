"""What the book has to say of its rows: the next thing to do, and what stands under each row."""

from __future__ import annotations

from collections.abc import Sequence

from brisk_anchor.book.entries import RowState
from brisk_anchor.core.quantities import along, dim, signed_num
from brisk_anchor.services.offsets.book_rows import BookLine, TableReference, distance
from brisk_anchor.services.rows.row_states import DIFFERS
from brisk_anchor.services.session.session import Session

NOT_LISTED = ("No row has these words.", "⟨/⟩ and * show all rows.")
"""What is said where a search leaves no row to choose."""


def next_step(session: Session, lines: Sequence[BookLine], line: BookLine | None) -> tuple[str, str]:
    """What cannot be missed first, then what can be done with the chosen row, in two sentences."""
    if session.book is not None and session.book.damage:
        return "The book is damaged and open for reading only.", session.book.damage
    lacking = [line for line in lines if line.lacking]
    if lacking:
        names = ", ".join(f"{line.row} ({', '.join(line.operations)})" for line in lacking)
        unwritten = all(line.state in (RowState.NOT_WRITTEN, RowState.TYPED, RowState.DIFFERS) for line in lacking)
        if unwritten:
            return f"The control does not have {names} yet.", "⟨s⟩ writes the row, ⟨W⟩ everything that follows it."
        return f"Operations need {names}: measure them first.", "⟨1⟩ goes to the bench. Do not start the program."
    if line is None:
        return NOT_LISTED
    if line.locked:
        return f"{line.row} is locked.", "⟨l⟩ unlocks it."
    if line.state.value == "stale":
        return f"{line.row} is stale: nothing writes it until it is measured again.", "⟨1⟩ goes to the bench."
    if not line.values:
        return f"{line.row} has no values in the book.", "Enter types them, ⟨a⟩ takes them from the control."
    off = [line.row for line in lines if line.values and line.differs_from_control]
    if line.row in off:
        return f"The control holds something else in {line.row}: ⟨s⟩ writes it there.", "⟨a⟩ takes the control's over."
    return (
        f"{line.row} is on the control as it is in the book.",
        "Enter types a change, ⟨c⟩ compares, ⟨g⟩ looks further.",
    )


def remarks(line: BookLine, reference: TableReference | None, job_here: str) -> list[tuple[str, str]]:
    """What is to be said of a row, each with its tone: "bad", "ask", "good", "plain", "quiet" or "faint"."""
    parts: list[tuple[str, str]] = []
    if line.lacking:
        parts.append((f"! {', '.join(line.operations)} cannot run", "bad"))
    if line.locked:
        parts.append(("■ locked", "ask"))
    if line.off_parent:
        parts.append((f"{'keeps its value, ' if line.locked else ''}{line.off_parent}", "ask"))
    if line.state is RowState.DIFFERS:
        off = {axis: held - line.values.get(axis, 0.0) for axis, held in line.held.items()}
        words = " ".join(f"{a.upper()} {along(a, v)}" for a, v in off.items() if abs(v) > DIFFERS)
        parts.append((f"≠ the control holds {words} from it", "bad"))
    if line.kept_for:
        parts.append((f"■ kept for {line.kept_for}", "ask"))
    if line.title:
        parts.append((line.title, "quiet"))
    if line.parent:
        parts.append((f"follows {line.parent}", "quiet"))
    if line.operations and not line.lacking:
        parts.append((", ".join(line.operations), "quiet"))
    if others := [job for job in line.jobs if job != job_here]:
        parts.append((f"also {', '.join(others[:3])}", "quiet"))
    if line.limit is not None:
        parts.append((f"limit {dim(line.limit)}", "quiet"))
    if (angle := line.values.get("r", 0.0)) and abs(angle) > DIFFERS / 2:
        parts.append((f"R {signed_num(angle, 4)}°", "plain"))
    difference = reference.difference(line) if reference is not None else {}
    if difference:
        away = distance(difference)
        turned = abs(difference.get("r", 0.0)) > DIFFERS
        if away <= DIFFERS and not turned:
            parts.append(("same", "good"))
        else:
            moved = " ".join(
                f"{a.upper()} {along(a, v, 3, bare=True)}" for a, v in difference.items() if abs(v) > DIFFERS
            )
            parts.append((f"Δ {moved}, {dim(away, 3)}", "ask"))
    elif not line.values and any(line.held[axis] for axis in "xyz"):
        parts.append(("the control holds these figures, no source recorded", "faint"))
    return parts
