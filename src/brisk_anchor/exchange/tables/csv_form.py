"""Offset tables as CSV (RFC 4180); what a person wrote can never be a formula of a spreadsheet."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable

from brisk_anchor.core.quantities import Unit, fixed, unit_named
from brisk_anchor.exchange.tables.rows import (
    AXES,
    TableForm,
    TableRow,
    decoded,
    encoding_of,
    no_csv,
    no_unit,
    not_too_many,
    number_in,
    once,
    refuse,
    take_commas_for_points,
    too_many,
)
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.profile.sections import SavedTable

_SEPARATOR_LINE = re.compile(r"sep=([,;\t])\r?\n", re.IGNORECASE)
"""What a spreadsheet may write above the first line."""
_FIGURES = (*AXES, *(f"u_{axis}" for axis in AXES))
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
    text, before = decoded(data, name), 0
    if told := _SEPARATOR_LINE.match(text):
        text, before = text[told.end() :], 1
    separator = told[1] if told else _separator(text)
    try:
        head, *records = not_too_many(csv.reader(io.StringIO(text), delimiter=separator, strict=True), name) or [[]]
    except csv.Error as error:
        raise refuse(name, 0, no_csv(error)) from None
    head = [column.strip().lower() for column in head]
    if twice := [column for column in COLUMNS if head.count(column) > 1]:
        raise refuse(name, 1 + before, f"there are two columns “{twice[0]}”")
    lines = []
    for number, cells in enumerate(records, 2 + before):
        if (len(cells) < len(head) and any(text.strip() for text in cells)) or too_many(cells, len(head)):
            # Fewer: a figure may be cut as well. More: commas of figures or words part columns.
            raise refuse(name, number, f"it has {len(cells)} columns, and the first line {len(head)}")
        lines.append(dict(zip(head, cells, strict=False)))
    if separator != ",":
        take_commas_for_points([(line, column) for line in lines for column in _FIGURES if column in line])
    found = []
    if "row" not in head:
        raise refuse(name, 1 + before, "there is no column “row”")
    for number, record in enumerate(lines, 2 + before):
        if not any(text.strip() for text in record.values()):
            continue
        scale = _scale(record.get("unit", "").strip().lower(), unit, name, number)
        by = {a: 1.0 if a == "r" else scale for a in AXES}
        values = {a: number_in(record[a], name, number, by[a]) for a in AXES if record.get(a, "").strip()}
        u = {a: number_in(record[f"u_{a}"], name, number, by[a]) for a in AXES if record.get(f"u_{a}", "").strip()}
        words = (_text(record.get(key, "")) for key in ("name", "state", "at", "source"))
        found.append(TableRow(_text(record["row"]).strip(), values, u, *words))
    return once(found, name)


def _separator(text: str) -> str:
    """What parts the columns: the mark by which the first line has a column “row”; a spreadsheet saves as it likes."""
    head = text.split("\n", 1)[0].lower()
    return next((mark for mark in ",;\t" if "row" in (cell.strip(' \r"') for cell in head.split(mark))), ",")


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
        lines = not_too_many(
            csv.reader(io.StringIO(decoded(data, name)), delimiter=columns.separator, strict=True), name
        )
    except csv.Error as error:
        raise refuse(name, 0, no_csv(error)) from None
    head = [text.strip() for text in lines[0]] if lines else []
    lacking = [column for column in named.values() if column not in head]
    if lacking:
        raise refuse(name, 1, f"there is no column “{lacking[0]}”, which the profile names")
    if twice := [column for column in named.values() if head.count(column) > 1]:
        raise refuse(name, 1, f"there are two columns “{twice[0]}”")
    at = {key: head.index(column) for key, column in named.items()}
    scale = float((Unit.MM if columns.units == "mm" else Unit.INCH).in_mm)
    found = []
    if columns.separator != ",":
        columns_of_figures = [column for key, column in at.items() if key != "row"]
        whole = [cells for cells in lines[1:] if len(cells) >= len(head)]
        take_commas_for_points([(cells, column) for cells in whole for column in columns_of_figures])
    for line, cells in enumerate(lines[1:], 2):
        if too_many(cells, len(head)):
            raise refuse(name, line, f"it has {len(cells)} columns, and the first line {len(head)}")
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


def _head(data: bytes) -> str:
    """The first line that names columns, as far as it can be read."""
    text = data[:4000].decode(encoding_of(data), "replace")
    return _SEPARATOR_LINE.sub("", text, count=1).split("\n", 1)[0]


def _read(data: bytes, name: str, profile: Profile, unit: Unit | None) -> list[TableRow]:
    columns, first = profile.saved_table, _head(data)
    own = columns is not None and columns.x in first and columns.row in first
    return from_saved(data, name, columns) if own and columns is not None else from_csv(data, name, unit)


def _is_csv(data: bytes) -> bool:
    first = _head(data).lower()
    return ("," in first and "row" in first) or any(first.count(mark) >= 3 for mark in ",;\t")


FORM = TableForm(
    ".csv",
    "CSV",
    _is_csv,
    _read,
    lambda _m, _p, rows, unit: to_csv(rows, unit),
)
