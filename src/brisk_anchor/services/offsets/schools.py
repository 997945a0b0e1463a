"""What the rows of a fixture with many places stand for, and what another choice does to every operation.

A row for each part, for each face, one on the centre of rotation, or one measured part that all others follow. Another
choice moves no tool: a program that is posted again counts its figures from the other row; one that is finished keeps
its machine positions only with a shift written into it (`services.insert.row_exchange`).
"""

from __future__ import annotations

from brisk_anchor.core.errors import PlanError
from brisk_anchor.services.job.job_editor import Change
from brisk_anchor.services.offsets.book_rows import RowChange
from brisk_anchor.services.session.session import Session

SCHOOLS = {
    "part": "a row for each part",
    "face": "a row for each face",
    "centre": "one row on the centre of rotation",
    "derived": "one part measured, the others follow",
}


def school_change(session: Session, school: str) -> Change:
    """The job with rows that stand for something else.

    Raises:
        PlanError: there is no such choice, or the fixture holds one part. JobError: the job does not allow it.
    """
    school = school.strip().lower()
    if school not in SCHOOLS:
        raise PlanError(f"Rows cannot stand for “{school[:20]}”", "", f"Give one of {', '.join(SCHOOLS)}")
    if not session.setup.places:
        raise PlanError(
            "The fixture holds one part", "Its row is its own", "job.toml says by [repeat] how many it holds"
        )
    return session.editor.changing().rows_stand_for(school)


def preview(session: Session, change: Change) -> list[RowChange]:
    """Every operation with its row after a change: what that holds, and how far the program's own figures move.

    Figures are those of the table where the row is stored, else those of the description.
    """
    before = {operation.name: operation.offset for operation in session.setup.card.operations}
    trial = session.trial(change.setup)
    found = []
    for operation in change.setup.card.operations:
        new, old = trial.rows.expected(operation.offset), before.get(operation.name)
        values = {axis: new[axis] for axis in "xyz" if axis in new}
        moves, note = {}, "new"
        if old is not None:
            was = session.rows.expected(old)
            moves = {axis: was[axis] - values[axis] for axis in values if axis in was}
            note = f"was {old}" if old != operation.offset else "keeps its row"
        found.append(RowChange(operation.offset, operation.name, values, moves, note))
    return found
