"""A table that a control saved as a file: known from then on as what the control held at the file's time."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from pathlib import Path

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.quantities import unit_named
from brisk_anchor.nc.bounded import lines_of
from brisk_anchor.services.offsets.book_files import read_reference
from brisk_anchor.services.session.session import Session

_VARIABLE = re.compile(r"^\s*[0-9]{1,6}\s+-?[0-9.]+\s*$")


def is_report(data: bytes) -> bool:
    """Whether a file holds report lines of ours, as far as its bytes tell."""
    return b"BRISK" in data.upper()


def is_variables(data: bytes) -> bool:
    """Whether a file holds variables, a number and a value a line, as far as its beginning tells."""
    lines = [line for line in lines_of(data[:4000].decode("ascii", "replace"))[:20] if line.strip()]
    return bool(lines) and all(_VARIABLE.match(line) for line in lines[:-1] or lines)


def take_table(session: Session, path: Path, units: str | None = None) -> str:
    """Note what the control holds by a file it saved; in words what that is. Nothing reaches the book.

    Raises:
        PlanError: this machine has no link. TableFileError: it is no table.
    """
    if session.real is None:
        raise PlanError("This machine has no link", "Its table is read as it is", "")
    reference = read_reference(session, path, unit_named(units) if units else None)
    at = datetime.fromtimestamp(path.stat().st_mtime, UTC)
    now = datetime.now(UTC)
    ahead = (at - now).total_seconds() > 60  # the clock of the share differs: it can be no newer than now
    rows = {row: values for row, values in reference.values.items() if row in session.profile.all_rows}
    session.real.note_rows(rows, min(at, now))
    differ = [row for row in rows if session.rows.away_from_control(row)]
    told = f"{len(rows)} rows as of {min(at, now).astimezone():%Y-%m-%d %H:%M}"
    told += "; the file is dated ahead of this clock" if ahead else ""
    return f"{told}. " + (f"{', '.join(differ)} differ from the book" if differ else "All that the book has agrees")
