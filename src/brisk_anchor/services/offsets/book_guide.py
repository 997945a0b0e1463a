"""What the book has to say of its rows: the next thing to do, and what stands under each row."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from brisk_anchor.core.quantities import num, signed_num
from brisk_anchor.services.offsets.book_rows import DIFFERS, BookLine, TableReference, distance
from brisk_anchor.services.session.session import Session


def age_words(moment: datetime, now: datetime) -> str:
    """An age in words: "now", "5 min", "3 h", "12 d"."""
    seconds = (now - moment).total_seconds()
    if seconds < 60:
        return "now"
    for size, word in ((86400, "d"), (3600, "h"), (60, "min")):
        if seconds >= size:
            return f"{int(seconds // size)} {word}"
    return "now"


def next_step(session: Session, lines: Sequence[BookLine], line: BookLine | None) -> tuple[str, str]:
    """What cannot be missed first, then what can be done with the chosen row, in two sentences."""
    if session.book is not None and session.book.damage:
        return "The book is damaged and open for reading only.", session.book.damage
    lacking = [line for line in lines if line.lacking]
    if lacking:
        names = ", ".join(f"{line.row} ({', '.join(line.operations)})" for line in lacking)
        return f"Operations need {names}: measure them first.", "1 goes to the bench. Do not start the program."
    if line is None:
        return "No row has these words.", "/ and * show all rows."
    if line.locked:
        return f"{line.row} is locked.", "l unlocks it."
    if line.state.value == "stale":
        return f"{line.row} is stale: nothing writes it until it is measured again.", "1 goes to the bench."
    if not line.values:
        return f"{line.row} has no values in the book.", "Enter types them, a takes them from the control."
    off = [line.row for line in lines if line.values and line.differs_from_control]
    if line.row in off:
        return f"The control holds something else in {line.row}: s writes it there.", "a takes the control's over."
    return (
        f"{line.row} is on the control as it is in the book.",
        "Enter types a change, c compares, g looks further.",
    )


def remarks(line: BookLine, reference: TableReference | None, job_here: str) -> list[tuple[str, str]]:
    """What is to be said of a row, each with its tone: "bad", "ask", "good", "plain", "quiet" or "faint"."""
    parts: list[tuple[str, str]] = []
    if line.lacking:
        parts.append((f"! {', '.join(line.operations)} cannot run", "bad"))
    if line.locked:
        parts.append(("■ locked", "ask"))
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
        parts.append((f"limit {num(line.limit)}", "quiet"))
    if (angle := line.values.get("r", 0.0)) and abs(angle) > DIFFERS / 2:
        parts.append((f"R {signed_num(angle, 4)}°", "plain"))
    difference = reference.difference(line) if reference is not None else {}
    if difference:
        away = distance(difference)
        turned = abs(difference.get("r", 0.0)) > DIFFERS
        if away <= DIFFERS and not turned:
            parts.append(("same", "good"))
        else:
            moved = " ".join(f"{a.upper()} {signed_num(v, 3)}" for a, v in difference.items() if abs(v) > DIFFERS)
            parts.append((f"Δ {moved}, {num(away, 3)} mm", "ask"))
    elif not line.values and any(line.held[axis] for axis in "xyz"):
        parts.append(("the control holds these figures, no source recorded", "faint"))
    return parts
