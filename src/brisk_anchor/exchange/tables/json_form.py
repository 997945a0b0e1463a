"""Offset tables as JSON, with a schema."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brisk_anchor.core.errors import TableFileError
from brisk_anchor.exchange.tables.rows import MOST_ROWS, TableForm, TableRow, decoded, once
from brisk_anchor.nc.profile.control_profile import findings_of

_FORM = "brisk-anchor-offsets-1"
_LONGEST = 1_000 * MOST_ROWS
"""Bytes: as objects they take a hundred times the room."""
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
    offsets: Annotated[list[JsonRow], Field(max_length=MOST_ROWS)]


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
    table = {"form": _FORM, "units": "mm", "machine": machine, "offsets": listed}
    return (json.dumps(table, indent=1, ensure_ascii=False) + "\n").encode()


def from_json(data: bytes, name: str) -> list[TableRow]:
    """Read a table. Raises TableFileError."""
    try:
        table = OffsetTable.model_validate_json(decoded(data, name, _LONGEST), strict=True)
    except ValidationError as error:
        raise TableFileError(name, findings_of(error)[:8]) from None
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
    return once(rows, name)


FORM = TableForm(
    ".json",
    "JSON",
    lambda data: data.lstrip()[:1] == b"{",
    lambda data, name, _profile, _unit: from_json(data, name),
    lambda machine, _profile, rows, _unit: to_json(machine, rows),
)
