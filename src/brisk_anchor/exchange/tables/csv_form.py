"""Offset tables as CSV (RFC 4180); what a person wrote can never be a formula of a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

from brisk_anchor.exchange.tables.rows import AXES, TableForm, TableRow, decoded, number_in, once, refuse

COLUMNS = ("row", "name", "x", "y", "z", "r", "u_x", "u_y", "u_z", "u_r", "state", "at", "source")
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def _cell(text: str) -> str:
    """Text that no spreadsheet takes for a formula: it begins with an apostrophe where it could be one."""
    plain = "".join(c for c in text if c.isprintable())
    return f"'{plain}" if plain.startswith((*_FORMULA, "'")) else plain


def _text(cell: str) -> str:
    return cell[1:] if cell.startswith("'") else cell


def to_csv(rows: Iterable[TableRow]) -> bytes:
    """A table as CSV (RFC 4180), figures with all their digits."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for row in rows:
        figures = [repr(row.values[a]) if a in row.values else "" for a in AXES]
        spreads = [repr(row.u[a]) if a in row.u else "" for a in AXES]
        words = [_cell(text) for text in (row.state, row.at, row.source)]
        writer.writerow([_cell(row.row), _cell(row.name), *figures, *spreads, *words])
    return stream.getvalue().encode()


def from_csv(data: bytes, name: str) -> list[TableRow]:
    """Read a table; columns are known by their names, in any order, and may lack what is not known.

    Raises:
        TableFileError: no row column, a figure that is none, a row twice.
    """
    text = decoded(data, name)
    try:
        records = list(csv.DictReader(io.StringIO(text), strict=True))
    except csv.Error as error:
        raise refuse(name, 0, f"it is no CSV: {error}") from None
    found = []
    for line, raw in enumerate(records, 2):
        record = {str(key or "").strip().lower(): value for key, value in raw.items() if isinstance(value, str)}
        if "row" not in record:
            raise refuse(name, 1, "there is no column “row”")
        values = {a: number_in(record[a], name, line) for a in AXES if record.get(a, "").strip()}
        u = {a: number_in(record[f"u_{a}"], name, line) for a in AXES if record.get(f"u_{a}", "").strip()}
        words = (_text(record.get(key, "")) for key in ("name", "state", "at", "source"))
        found.append(TableRow(_text(record["row"]).strip(), values, u, *words))
    return once(found, name)


def _is_csv(data: bytes) -> bool:
    first = data.lstrip(b"\xef\xbb\xbf").split(b"\n", 1)[0].lower()
    return b"," in first and b"row" in first


FORM = TableForm(
    ".csv", "CSV", _is_csv, lambda data, name, _profile: from_csv(data, name), lambda _m, _p, rows: to_csv(rows)
)
