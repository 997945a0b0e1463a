"""A presetter's list of tools: CSV with the columns that a shop names, as geometry of a lathe's tools.

`geometry = zero + sign · figure`: a presetter measures from its own planes, and their places are the shop's.
"""

from __future__ import annotations

import csv
import io
import math
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from brisk_anchor.core.errors import Fault, TableFileError
from brisk_anchor.core.numbers import is_whole, plain_figure
from brisk_anchor.exchange.tables.rows import no_csv, take_commas_for_points, too_many
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import read_at_most, why_unread

_MOST_BYTES, _MOST_ROWS = 1_000_000, 2_000
Column = Annotated[str, Field(min_length=1, max_length=40)]


class PresetterColumns(BaseModel):
    """The columns of the list by their headings, what X counts as, its unit, and where its planes lie, mm.

    `spread` is the presetter's ± at 95 %, mm of diameter and of Z.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    number: Column
    x: Column
    z: Column
    nose: Column | None = None
    x_is: Literal["diameter", "radius"]
    length_units: Literal["mm", "inch"]
    spread: float = Field(gt=0, le=1)
    x_zero: float = 0.0
    z_zero: float = 0.0
    x_sign: Literal[1, -1] = 1
    z_sign: Literal[1, -1] = 1
    separator: Literal[",", ";", "\t"] = ","


@dataclass(frozen=True, slots=True)
class PresetTool:
    """A tool of the list: offset number, geometry (X a diameter, mm), nose radius where the list has one."""

    number: int
    x: float
    z: float
    nose: float | None = None


def read_presetter(path: Path, columns: PresetterColumns) -> list[PresetTool]:
    """The tools of a list.

    Raises:
        TableFileError: every fault with its line; then nothing of the list counts.
    """
    try:
        data = read_at_most(path, _MOST_BYTES)
        if len(data) > _MOST_BYTES:
            raise TableFileError(path.name, (Fault("", f"larger than {_MOST_BYTES} bytes"),))
        text = data.decode("utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise TableFileError(path.name, (Fault("", why_unread(error)),)) from error
    return parse_presetter(text, path.name, columns)


def parse_presetter(text: str, name: str, columns: PresetterColumns) -> list[PresetTool]:
    """The tools of a list from its text. Raises TableFileError."""
    reader = csv.DictReader(io.StringIO(text), delimiter=columns.separator, strict=True)
    try:
        heads = reader.fieldnames = [head.strip() for head in reader.fieldnames or []]
        named = [c for c in (columns.number, columns.x, columns.z, columns.nose) if c is not None]
        if lacking := [column for column in named if column not in heads]:
            raise TableFileError(name, (Fault("line 1", f"there is no column {', '.join(lacking)}"),))
        if twice := [column for column in named if heads.count(column) > 1]:
            raise TableFileError(name, (Fault("line 1", f"there are two columns “{twice[0]}”"),))
        found, faults, seen = list[PresetTool](), list[Fault](), dict[int, int]()
        lines = list[tuple[int, dict[str, str]]]()
        for line in reader:
            if reader.line_num > _MOST_ROWS:
                raise TableFileError(name, (Fault("", f"more than {_MOST_ROWS} lines"),))
            lines.append((reader.line_num, line))
    except csv.Error as error:
        raise TableFileError(name, (Fault(f"line {reader.reader.line_num}", no_csv(error)),)) from error
    if columns.separator != ",":
        wanted = [column for column in (columns.x, columns.z, columns.nose) if column is not None]
        take_commas_for_points([(line, column) for _, line in lines for column in wanted if line[column]])
    for number, line in lines:
        try:
            tool = _tool(line, columns)
        except ValueError as error:
            faults.append(Fault(f"line {number}", str(error)))
            continue
        if tool.number in seen:
            faults.append(Fault(f"line {number}", f"T{tool.number} stands in line {seen[tool.number]} too"))
        seen[tool.number] = number
        found.append(tool)
    if faults:
        raise TableFileError(name, tuple(faults))
    if not found:
        raise TableFileError(name, (Fault("", "it lists no tool"),))
    return found


def _tool(line: dict[str, str], columns: PresetterColumns) -> PresetTool:
    beyond = line.get(None)  # type: ignore[call-overload]  # where the library puts cells without a heading
    if too_many(beyond or (), 0):
        raise ValueError("it has more columns than the first line has headings")
    number = (line[columns.number] or "").strip().upper().removeprefix("T")
    if not (is_whole(number, 3) and int(number)):
        raise ValueError(f"“{number[:12]}” is no tool number")
    unit = 25.4 if columns.length_units == "inch" else 1.0

    def figure(column: str) -> float:
        text = (line[column] or "").strip()
        try:
            value = plain_figure(text) if len(text) <= 20 else math.nan
        except ValueError:
            value = math.nan
        if not abs(value) * unit < 2000:
            raise ValueError(f"{column}: “{text[:16]}” is no length")
        return value * unit

    x = figure(columns.x) * (2.0 if columns.x_is == "radius" else 1.0)
    nose = figure(columns.nose) if columns.nose is not None and (line[columns.nose] or "").strip() else None
    if nose is not None and not 0 <= nose <= 20:
        raise ValueError(f"a nose radius of {nose:g} makes no sense")
    return PresetTool(
        int(number), columns.x_zero + columns.x_sign * x, columns.z_zero + columns.z_sign * figure(columns.z), nose
    )
