"""Offset tables as CSV (RFC 4180); what a person wrote can never be a formula of a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

from brisk_anchor.core.quantities import Unit, fixed, unit_named
from brisk_anchor.exchange.tables.rows import (
    AXES,
    TableForm,
    TableRow,
    decoded,
    no_unit,
    not_too_many,
    number_in,
    once,
    refuse,
)
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.profile.sections import SavedTable

COLUMNS = ("row", "name", "unit", "x", "y", "z", "r", "u_x", "u_y", "u_z", "u_r", "state", "at", "source")
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def cell(text: str) -> str:
    """Text that no spreadsheet takes for a formula: it begins with an apostrophe where it could be one."""
    plain = "".join(c for c in text if c.isprintable())
    return f"'{plain}" if plain.startswith((*_FORMULA, "'")) else plain


def _text(cell: str) -> str:
    return cell[1:] if cell.startswith("'") else cell


def _figure(value: float, axis: str, unit: Unit) -> str:
    """A figure to a millionth of a mm or a degree (an inch: to a hundred-millionth), with no more digits than that."""
    scaled, decimals = (value, 6) if axis == "r" or unit is Unit.MM else (value / float(unit.in_mm), 8)
    text = fixed(scaled, decimals)
    return text.rstrip("0").rstrip(".") if "." in text else text


def to_csv(rows: Iterable[TableRow], unit: Unit = Unit.MM) -> bytes:
    """A table as CSV (RFC 4180), lengths in a unit that stands in each line."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for row in rows:
        figures = [_figure(row.values[a], a, unit) if a in row.values else "" for a in AXES]
        spreads = [_figure(row.u[a], a, unit) if a in row.u else "" for a in AXES]
        words = [cell(text) for text in (row.state, row.at, row.source)]
        writer.writerow([cell(row.row), cell(row.name), unit.value, *figures, *spreads, *words])
    return stream.getvalue().encode()


def from_csv(data: bytes, name: str, unit: Unit | None = None) -> list[TableRow]:
    """Read a table; columns are known by their names, in any order, and may lack what is not known.

    `unit` is that of a file without a column for it.

    Raises:
        TableFileError: no row column, no unit, a figure that is none, a row twice.
    """
    text = decoded(data, name)
    try:
        records = not_too_many(csv.DictReader(io.StringIO(text), strict=True), name)
    except csv.Error as error:
        raise refuse(name, 0, f"it is no CSV: {error}") from None
    found = []
    for line, raw in enumerate(records, 2):
        record = {str(key or "").strip().lower(): value for key, value in raw.items() if isinstance(value, str)}
        if "row" not in record:
            raise refuse(name, 1, "there is no column “row”")
        scale = _scale(record.get("unit", "").strip().lower(), unit, name, line)
        by = {a: 1.0 if a == "r" else scale for a in AXES}
        values = {a: number_in(record[a], name, line, by[a]) for a in AXES if record.get(a, "").strip()}
        u = {a: number_in(record[f"u_{a}"], name, line, by[a]) for a in AXES if record.get(f"u_{a}", "").strip()}
        words = (_text(record.get(key, "")) for key in ("name", "state", "at", "source"))
        found.append(TableRow(_text(record["row"]).strip(), values, u, *words))
    return once(found, name)


def _scale(said: str, unit: Unit | None, name: str, line: int) -> float:
    """mm in one unit of a line."""
    found = unit_named(said) if said else unit
    if said and found is None:
        raise refuse(name, line, f"“{said[:20]}” is no unit: mm or in")
    if found is None:
        raise no_unit(name, line)
    return float(found.in_mm)


def from_saved(data: bytes, name: str, columns: SavedTable) -> list[TableRow]:
    """Read a table as a control saves it, by the columns that its profile names.

    Raises:
        TableFileError: a column is missing, or a figure is none.
    """
    named = {"row": columns.row, "x": columns.x, "y": columns.y, "z": columns.z}
    named |= {"r": columns.r} if columns.r is not None else {}
    try:
        lines = not_too_many(csv.reader(io.StringIO(decoded(data, name)), delimiter=columns.separator), name)
    except csv.Error as error:
        raise refuse(name, 0, f"it is no CSV: {error}") from None
    head = [text.strip() for text in lines[0]] if lines else []
    lacking = [column for column in named.values() if column not in head]
    if lacking:
        raise refuse(name, 1, f"there is no column “{lacking[0]}”, which the profile names")
    at = {key: head.index(column) for key, column in named.items()}
    scale = float((Unit.MM if columns.units == "mm" else Unit.INCH).in_mm)
    found = []
    for line, cells in enumerate(lines[1:], 2):
        if len(cells) < len(head):
            if sum(bool(cell.strip()) for cell in cells) > 1:
                raise refuse(name, line, f"it holds {len(cells)} of {len(head)} columns: something was cut off")
            continue  # an empty line, or a word at the end
        values = {
            key: number_in(cells[column], name, line, 1.0 if key == "r" else scale)
            for key, column in at.items()
            if key != "row" and cells[column].strip()
        }
        found.append(TableRow(f"{columns.prefix}{cells[at['row']].strip()}", values, {}))
    return once(found, name)


def _read(data: bytes, name: str, profile: Profile, unit: Unit | None) -> list[TableRow]:
    columns = profile.saved_table
    first = data.lstrip(b"\xef\xbb\xbf").split(b"\n", 1)[0].decode("utf-8", "replace")
    own = columns is not None and columns.x in first and columns.row in first
    return from_saved(data, name, columns) if own and columns is not None else from_csv(data, name, unit)


def _is_csv(data: bytes) -> bool:
    first = data.lstrip(b"\xef\xbb\xbf").split(b"\n", 1)[0].lower()
    return (b"," in first and b"row" in first) or any(first.count(mark) >= 3 for mark in (b",", b";", b"\t"))


FORM = TableForm(
    ".csv",
    "CSV",
    _is_csv,
    _read,
    lambda _m, _p, rows, unit: to_csv(rows, unit),
)
