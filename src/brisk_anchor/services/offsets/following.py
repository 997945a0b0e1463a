"""Rows that follow another one and are not written yet: what each comes to, and all of them in one action."""

from __future__ import annotations

from brisk_anchor.book.entries import RowState
from brisk_anchor.core.errors import PlanError
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.offsets.book_rows import RowChange
from brisk_anchor.services.offsets.offset_book import write_rows
from brisk_anchor.services.session.session import Session


def first_of(session: Session, row: str) -> str:
    """The row at the head of those that follow one another, which this one belongs to."""
    while (parent := session.rows.parent_of(row)) is not None:
        row = parent
    return row


def following(session: Session, row: str) -> list[RowChange]:
    """Every row that follows the head of this one, each with what a writing does to it.

    Raises:
        PlanError: no row follows it.
    """
    head = first_of(session, row)
    children = session.rows.children(head)
    if not children:
        raise PlanError(f"No row follows {head}", "", "⟨book:p⟩ in the book makes rows that follow it")
    lines: list[RowChange] = []
    for child in children:
        valued = session.ledger.valued(child)
        values, held = dict(valued.values) if valued is not None else {}, session.link.table_values(child)
        moves = {axis: value - held.get(axis, 0.0) for axis, value in values.items()}
        parent = session.rows.parent_of(child) or head
        left_out = _why_not(session, child, parent, [line.row for line in lines if not line.left_out])
        lines.append(RowChange(child, session.ledger.title(child), values, moves, f"follows {parent}", left_out))
    return lines


def _why_not(session: Session, row: str, parent: str, written: list[str]) -> str:
    """Why a row is left out; `written` are those before it that are written."""
    away = session.rows.off_parent_words(row)
    if session.ledger.locked(row):
        return f"locked{f': {away}' if away else ''}"
    if held := session.link.used_by_held_program(row):
        return f"“{held}” uses it, and is under way or held"
    match session.rows.state(row):
        case RowState.TYPED:
            return "typed by hand: ⟨book:s⟩ writes it"
        case RowState.NOT_WRITTEN | RowState.DIFFERS:
            if parent in written or session.rows.state(parent).may_run:
                return ""
            return f"{parent}, which it follows, is not written"
        case RowState.STORED | RowState.PROVED:
            return "the control has it"
        case _:
            return str(session.rows.state(row).value)


def write_following(session: Session, row: str) -> tuple[Program, list[str]]:
    """Write every row that follows and is not left out, by one program, read back; the program and the rows.

    Raises:
        PlanError: there is none to write. Else like `write_rows`: then nothing is changed.
    """
    rows = rows_to_write(session, row)
    return write_rows(session, rows), rows


def rows_to_write(session: Session, row: str) -> list[str]:
    """The rows that follow and are to be written. Raises PlanError: there is none."""
    rows = [line.row for line in following(session, row) if not line.left_out]
    if not rows:
        raise PlanError(f"Nothing that follows {first_of(session, row)} is to be written", "", "")
    return rows
