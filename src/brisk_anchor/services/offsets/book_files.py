"""The book in files: tables out and in, programs that set rows, cards to type from, charts of a row over days."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path

from brisk_anchor.book.entries import EntryKind, RowState
from brisk_anchor.core.errors import ExportError, PlanError
from brisk_anchor.core.quantities import MINUS, Unit, along, fixed, in_shown, shown_unit, unit_named
from brisk_anchor.drawings.charts import Panel, chart
from brisk_anchor.drawings.fits import FitBox, fits_drawing
from brisk_anchor.exchange.files import write_each, write_whole
from brisk_anchor.exchange.tables.json_form import to_json
from brisk_anchor.exchange.tables.registry import TABLE_FORMS, form_of, read_table
from brisk_anchor.exchange.tables.rows import LONGEST, TableRow
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import read_at_most, typed_path
from brisk_anchor.services.offsets.book_rows import BookLine, TableReference, lines
from brisk_anchor.services.offsets.fits import Fit, words
from brisk_anchor.services.offsets.offset_book import snapshot, writing_program
from brisk_anchor.services.session.session import Session

PROGRAM_ENDINGS = (".ngc", ".tap")
"""Of files that hold a program that sets rows, with its guards."""


@dataclass(frozen=True, slots=True)
class CardRow:
    """One row of a card: figures as they are typed, and their sum, by which a slip of the finger is found."""

    row: str
    title: str
    figures: tuple[tuple[str, str], ...]
    check: str


def table_rows(found: Sequence[BookLine]) -> list[TableRow]:
    """Rows that have values, for a file."""
    return [
        TableRow(
            line.row,
            line.values,
            line.u,
            line.title,
            line.state.value,
            line.at.isoformat(timespec="seconds") if line.at else "",
            line.source,
        )
        for line in found
        if line.values
    ]


def export(session: Session, path: Path) -> Path:
    """Write the book's table in the form that the name's ending says. Raises ExportError."""
    rows = table_rows(lines(session))
    form = form_of(path.suffix)
    if form is None or form.write is None:
        known = ", ".join(form.suffix for form in TABLE_FORMS if form.write is not None)
        raise ExportError(f"“{path.name}” does not say which form", "", f"End it in one of {known}")
    return write_whole(path, form.write(session.setup.machine.name, session.profile, rows, shown_unit()))


def write_out(session: Session, path: Path, rows: list[str]) -> tuple[str, str]:
    """Write the program that sets some rows, or the whole table, as the name's ending says; tells what was written.

    Raises:
        ExportError: the ending says nothing. PlanError, DatumError: no program sets these rows.
    """
    if path.suffix.lower() in PROGRAM_ENDINGS:
        write_whole(path, writing_program(session, rows).text.encode())
        return f"The program that sets {', '.join(rows)} is written.", str(path)
    return f"Written {export(session, path).name}.", f"{stale_words(session)}In {path.parent}"


def stale_words(session: Session) -> str:
    """What of a table that is written out no longer holds: "Stale in it: G54. "; "" where all does."""
    found = [line for line in lines(session) if line.values]
    told = [
        f"{words}: {', '.join(rows)}. "
        for words, rows in (
            ("Stale in it", [line.row for line in found if line.state is RowState.STALE]),
            ("Not on the control", [line.row for line in found if line.state.waits]),
            ("The control differs in", [line.row for line in found if line.state is RowState.DIFFERS]),
        )
        if rows
    ]
    return "".join(told)


def named_unit(words: str) -> tuple[Path, Unit | None]:
    """A file that is named, and the unit that is said behind its name: "table.csv in"; None where none is."""
    name, _, last = words.strip().rpartition(" ")
    unit = unit_named(last) if name else None
    return typed_path(name if unit is not None else words.strip()), unit


def read_reference(session: Session, path: Path, unit: Unit | None = None) -> TableReference:
    """A table from a file, to compare with or to take over: CSV, JSON, offset-setting blocks, or report lines.

    `unit` is that of a CSV that does not say its own.

    Raises:
        PlanError: it cannot be read. TableFileError: it is none of these, or has faults.
    """
    try:
        data = read_at_most(path, LONGEST)
    except OSError as error:
        raise PlanError(f"{path.name} cannot be read: {error.strerror}", "", "Check its name and place") from error
    found = read_table(data, path.name, session.profile, unit)
    return TableReference(path.name, {row.row: row.values for row in found}, {row.row: row.u for row in found if row.u})


def card(session: Session, rows: Sequence[str]) -> list[CardRow]:
    """What to type at a control that takes no program, figures to its resolution. Raises PlanError: nothing to type."""
    found = []
    for line in lines(session, everything=True):
        if line.row in rows and line.values:
            decimals = session.profile.decimals
            shown = {
                a: along(a, v, decimals, bare=True).rstrip("°").replace(MINUS, "-") for a, v in line.values.items()
            }
            total = sum(float(text) for text in shown.values())
            figures = tuple((axis.upper(), text.lstrip("+")) for axis, text in shown.items())
            places = max(len(text.partition(".")[2]) for text in shown.values())
            found.append(
                CardRow(
                    line.row, ", ".join(filter(None, (line.title, shown_unit().word))), figures, fixed(total, places)
                )
            )
    if not found:
        raise PlanError("None of these rows has values", "There is nothing to type", "Choose others")
    return found


def timeline(session: Session, row: str) -> list[Panel]:
    """The stored and typed values of a row over days, one panel an axis. Raises PlanError: it has none."""
    wanted = (EntryKind.STORED, EntryKind.TYPED)
    entries = [entry for entry in session.ledger.every(row) if entry.kind in wanted and entry.values]
    if not entries:
        raise PlanError(f"{row} has no stored values", "There is nothing to chart", "Store it first")
    panels = []
    for axis in ("x", "y", "z", "r"):
        used = [entry for entry in entries if axis in entry.values]
        if not used or (axis == "r" and not any(entry.values["r"] for entry in used)):
            continue
        values = tuple(entry.values[axis] for entry in used)
        low, high = min(values), max(values)
        by = 1.0 if axis == "r" else in_shown(1.0)
        note = f"from {along(axis, low)} to {along(axis, high)}, {along(axis, high - low, signed=False)} apart"
        panels.append(
            Panel(
                f"{axis.upper()}, {'°' if axis == 'r' else shown_unit().word}",
                tuple(entry.at for entry in used),
                tuple(by * value for value in values),
                spreads=tuple(2 * by * entry.u.get(axis, 0.0) for entry in used),
                shapes=tuple("o" if entry.kind is EntryKind.STORED else "x" for entry in used),
                note=note,
            )
        )
    return panels


def write_timeline(session: Session, row: str, folder: Path) -> list[Path]:
    """Write the chart of a row over days as SVG and PDF. Raises PlanError, ExportError."""
    panels = timeline(session, row)
    about = f"{session.setup.machine.name}  ·  {session.ledger.title(row)}  ·  dots stored, crosses by hand, ± is 95 %"
    name = f"offset-{row.lower().replace(' ', '-')}"
    return write_each(folder, name, chart(f"{row} over the days", about, "day", panels))


def write_fit(session: Session, fit: Fit, folder: Path) -> list[Path]:
    """Write the drawing of what a program reaches as SVG and PDF. Raises ExportError."""
    boxes = []
    for row in fit.rows:
        move = row.shift or {}
        for tool in row.tools:
            low = {axis.axis: axis.low for axis in tool.axes}
            high = {axis.axis: axis.high for axis in tool.axes}
            if not {"x", "y"} <= set(low):
                continue
            z = (
                low.get("z", session.setup.machine.travel.high[2]),
                high.get("z", session.setup.machine.travel.high[2]),
            )
            boxes.append(
                FitBox(
                    f"{row.row} T{tool.tool}",
                    (low["x"], low["y"], z[0]),
                    (high["x"], high["y"], z[1]),
                    tool.fits,
                    (move.get("x", 0.0), move.get("y", 0.0), move.get("z", 0.0)),
                )
            )
    title = f"Does {fit.name} fit on {session.setup.machine.name}?"
    stem = "".join(c if c.isalnum() or c in "-_" else "-" for c in Path(fit.name).stem)[:40]
    return write_each(folder, f"fits-{stem}", fits_drawing(title, session.setup, boxes, words(fit)))


def write_snapshot(session: Session, name: str) -> Path:
    """Keep how the table stands under a name: in the book, and as a JSON file beside it for the day the book is lost.

    Raises:
        PlanError: no name, or it is taken. BookWriteError, ExportError: it could not be written.
    """
    snapshot(session, name)
    stem = "".join(c if c.isalnum() or c in "-_" else "-" for c in name.strip().lower())[:60] or "snapshot"
    if stem != name.strip():  # “part 14” and “part-14” are two snapshots
        stem += "-" + hashlib.sha256(name.strip().encode()).hexdigest()[:6]
    folder = session.machine_file.path.parent if session.machine_file.path else Path()
    path = folder / "snapshots" / f"{stem}.json"
    data = to_json(session.setup.machine.name, table_rows(lines(session)))
    return write_whole(path, data)
