"""Offset tables in files: CSV, JSON and blocks of offset-setting code; out, and in again with nothing lost."""

from __future__ import annotations

import csv
import io
import json
import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brisk_anchor.core.errors import ExportError, Fault, TableFileError
from brisk_anchor.core.numbers import fixed
from brisk_anchor.nc.profile.control_profile import Profile

FORM = "brisk-anchor-offsets-1"
COLUMNS = ("row", "name", "x", "y", "z", "r", "u_x", "u_y", "u_z", "u_r", "state", "at", "source")
LONGEST = 5_000_000
_AXES = ("x", "y", "z", "r")
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True, slots=True)
class TableRow:
    """One row of a table: values mm (`r` degrees) and standard uncertainties by axis, and what is said of it."""

    row: str
    values: Mapping[str, float]
    u: Mapping[str, float]
    name: str = ""
    state: str = ""
    at: str = ""
    source: str = ""


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
        figures = [repr(row.values[a]) if a in row.values else "" for a in _AXES]
        spreads = [repr(row.u[a]) if a in row.u else "" for a in _AXES]
        words = [_cell(text) for text in (row.state, row.at, row.source)]
        writer.writerow([_cell(row.row), _cell(row.name), *figures, *spreads, *words])
    return stream.getvalue().encode()


def _refuse(name: str, line: int, reason: str) -> TableFileError:
    return TableFileError(name, (Fault(f"line {line}" if line else "", reason),))


def _number(text: str, name: str, line: int) -> float:
    try:
        value = float(text)
    except ValueError:
        raise _refuse(name, line, f"“{text[:30]}” is no figure") from None
    if not math.isfinite(value) or abs(value) > 20_000:
        raise _refuse(name, line, f"{text[:30]} is no position in mm")
    return value


def _decoded(data: bytes, name: str) -> str:
    if len(data) > LONGEST:
        raise _refuse(name, 0, f"larger than {LONGEST} bytes")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise _refuse(name, 0, "it is no text") from None


def from_csv(data: bytes, name: str) -> list[TableRow]:
    """Read a table; columns are known by their names, in any order, and may lack what is not known.

    Raises:
        TableFileError: no row column, a figure that is none, a row twice.
    """
    text = _decoded(data, name)
    try:
        records = list(csv.DictReader(io.StringIO(text), strict=True))
    except csv.Error as error:
        raise _refuse(name, 0, f"it is no CSV: {error}") from None
    found = []
    for line, raw in enumerate(records, 2):
        record = {str(key or "").strip().lower(): value for key, value in raw.items() if isinstance(value, str)}
        if "row" not in record:
            raise _refuse(name, 1, "there is no column “row”")
        values = {a: _number(record[a], name, line) for a in _AXES if record.get(a, "").strip()}
        u = {a: _number(record[f"u_{a}"], name, line) for a in _AXES if record.get(f"u_{a}", "").strip()}
        words = (_text(record.get(key, "")) for key in ("name", "state", "at", "source"))
        found.append(TableRow(_text(record["row"]).strip(), values, u, *words))
    return _once(found, name)


def _once(rows: list[TableRow], name: str) -> list[TableRow]:
    names = [row.row for row in rows]
    twice = sorted({row for row in names if names.count(row) > 1})
    if twice:
        raise _refuse(name, 0, f"{', '.join(twice[:5])} stands in it twice")
    if not rows:
        raise _refuse(name, 0, "there are no offsets in it")
    return rows


_Position = Annotated[float, Field(ge=-20_000, le=20_000, allow_inf_nan=False)]


class JsonRow(BaseModel):
    """One row in JSON."""

    model_config = ConfigDict(extra="forbid")
    row: Annotated[str, Field(max_length=24)]
    name: Annotated[str, Field(max_length=120)] = ""
    values: dict[Literal["x", "y", "z", "r"], _Position]
    u: dict[Literal["x", "y", "z", "r"], Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)]] = {}
    state: Annotated[str, Field(max_length=40)] = ""
    at: Annotated[str, Field(max_length=40)] = ""
    source: Annotated[str, Field(max_length=300)] = ""


class OffsetTable(BaseModel):
    """A table in JSON: lengths in mm, angles in degrees, `u` standard uncertainties."""

    model_config = ConfigDict(extra="forbid")
    form: Literal["brisk-anchor-offsets-1"]
    units: Literal["mm"]
    machine: Annotated[str, Field(max_length=60)]
    offsets: Annotated[list[JsonRow], Field(max_length=2000)]


def to_json(machine: str, rows: Iterable[TableRow]) -> bytes:
    """A table as JSON; its schema is `brisk-anchor schema offsets`."""
    listed: list[Any] = [
        {
            "row": row.row,
            "name": row.name,
            "values": dict(row.values),
            "u": dict(row.u),
            "state": row.state,
            "at": row.at,
            "source": row.source,
        }
        for row in rows
    ]
    table = {"form": FORM, "units": "mm", "machine": machine, "offsets": listed}
    return (json.dumps(table, indent=1, ensure_ascii=False) + "\n").encode()


def from_json(data: bytes, name: str) -> list[TableRow]:
    """Read a table. Raises TableFileError."""
    try:
        table = OffsetTable.model_validate_json(_decoded(data, name))
    except ValidationError as error:
        places = (".".join(str(part) for part in item["loc"]) for item in error.errors(include_url=False)[:8])
        reasons = (item["msg"] for item in error.errors(include_url=False)[:8])
        raise TableFileError(name, tuple(Fault(p, r) for p, r in zip(places, reasons, strict=True))) from None
    rows = [
        TableRow(
            r.row,
            {str(a): v for a, v in r.values.items()},
            {str(a): v for a, v in r.u.items()},
            r.name,
            r.state,
            r.at,
            r.source,
        )
        for r in table.offsets
    ]
    return _once(rows, name)


def to_blocks(profile: Profile, rows: Iterable[TableRow]) -> bytes:
    """Rows as offset-setting blocks of a control, one a line. Raises ExportError where it has no such row."""
    lines = ["%"]
    for row in rows:
        if row.row not in profile.all_rows:
            raise ExportError(f"{profile.name} has no row {row.row}", "The block could not be written", "Leave it out")
        decimals = max(profile.decimals, 4)
        words = [f"{a.upper()}{fixed(row.values[a], decimals)}" for a in "xyz" if a in row.values]
        if "r" in row.values and profile.row(row.row).rotation is not None:
            words.append(f"R{fixed(row.values['r'], decimals)}")
        lines.append(f"G90 {profile.row(row.row).write} {' '.join(words)}")
    return ("\n".join([*lines, "%"]) + "\n").encode()


_WORD = re.compile(r"([A-Z])\s*([+-]?(?:\d+\.?\d*|\.\d+))")


def from_blocks(data: bytes, name: str, profile: Profile) -> list[TableRow]:
    """Read offset-setting blocks: those the control's profile writes, in mm or inches, absolute.

    Raises:
        TableFileError: no such block, an incremental one, a sum or variable in one, or a row twice.
    """
    writes = {tuple(_WORD.findall(row.write)): row_name for row_name, row in profile.all_rows.items()}
    scale, absolute = 1.0, True
    found: list[TableRow] = []
    for number, raw in enumerate(_decoded(data, name).splitlines(), 1):
        line = re.sub(r"\([^)]*\)|;.*$|^\s*/|^\s*%.*$", "", raw.upper()).strip()
        words = _WORD.findall(line)
        codes = {f"{letter}{float(value):g}" for letter, value in words if letter == "G"}
        scale = 25.4 if "G20" in codes else 1.0 if "G21" in codes else scale
        absolute = False if "G91" in codes else True if "G90" in codes else absolute
        if "G10" not in codes:
            continue
        if "#" in line or "[" in line:
            raise _refuse(name, number, "a block with a variable or a sum says no figure")
        if not absolute:
            raise _refuse(name, number, "an incremental block says no place")
        head = {(letter, float(value)) for letter, value in words if letter in "LP"}
        row = next((r for w, r in writes.items() if {(a, float(v)) for a, v in w if a in "LP"} == head and w), None)
        if row is None:
            continue
        values = {a.lower(): _number(v, name, number) * scale for a, v in words if a in "XYZ"}
        for letter, value in words:
            if letter == "R":
                values["r"] = _number(value, name, number)
        found.append(TableRow(row, values, {}, source=f"{name}, line {number}"))
    return _once(found, name)


def read_table(data: bytes, name: str, profile: Profile) -> list[TableRow]:
    """A table in any of the three forms, told apart by what is in it. Raises TableFileError."""
    start = data.lstrip()[:1]
    if start == b"{":
        return from_json(data, name)
    first = data.lstrip(b"\xef\xbb\xbf").split(b"\n", 1)[0].lower()
    if b"," in first and b"row" in first:
        return from_csv(data, name)
    return from_blocks(data, name, profile)
