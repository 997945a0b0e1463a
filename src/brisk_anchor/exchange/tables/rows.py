"""Rows of an offset table as they are written to files and read again, and the checks all forms share."""

from __future__ import annotations

import csv
import math
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from itertools import islice
from typing import Protocol, TypeVar

from brisk_anchor.core.errors import Fault, TableFileError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.numbers import plain_figure
from brisk_anchor.core.quantities import Unit
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile

LONGEST = 5_000_000
"""Bytes of a file that is read."""
MOST_ROWS = 2_000
"""No control has a table with more rows."""
AXES = ("x", "y", "z", "r")
_WIDE = (b"\xff\xfe", b"\xfe\xff")
"""What a text in UTF-16 begins with, as a spreadsheet saves one."""


_Line = TypeVar("_Line")
_Key = TypeVar("_Key", contravariant=True)


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


@dataclass(frozen=True, slots=True)
class TableForm:
    """One form of file: its suffix, its name, whether bytes are of it, how they are read, and how rows are written.

    `read` takes bytes, the file's name, the control's profile and the unit of a file that does not say its own, and
    raises TableFileError; `write` the machine's name, the profile, rows and the unit to write in, and raises
    ExportError; None where the form is only read.
    """

    suffix: str
    name: str
    recognise: Callable[[bytes], bool]
    read: Callable[[bytes, str, Profile, Unit | None], list[TableRow]]
    write: Callable[[str, Profile, Iterable[TableRow], Unit], bytes] | None = None


def refuse(name: str, line: int, reason: str) -> TableFileError:
    """The error of one line; 0 is the whole file."""
    return TableFileError(name, (Fault(f"line {line}" if line else "", reason),))


def no_unit(name: str, line: int = 0) -> TableFileError:
    """The error of a file that does not say which unit its figures have, and nobody else does."""
    return refuse(name, line, "it does not say its unit: say mm or in behind its name, or --units")


def number_in(text: str, name: str, line: int, scale: float = 1.0) -> float:
    """A typed figure in mm, one unit of the file being `scale` mm. Raises TableFileError: it is none, or too far."""
    try:
        value = plain_figure(text) * scale
    except ValueError:
        raise refuse(name, line, f"“{text[:30]}” is no figure") from None
    if not math.isfinite(value) or abs(value) > FURTHEST:
        raise refuse(name, line, f"{text[:30]} is no position")
    return value


class Cells(Protocol[_Key]):
    """Cells of a line, by heading or by number."""

    def __getitem__(self, key: _Key, /) -> str: ...

    def __setitem__(self, key: _Key, value: str, /) -> None: ...


def take_commas_for_points(figures: Sequence[tuple[Cells[_Key], _Key]]) -> None:
    """Turn commas in figures into points, in a file whose columns no comma parts; where one has a point, in none.

    `figures` are all figures of the file: a line, and the cell in it.
    """
    if not any("." in cells[key] for cells, key in figures):
        for cells, key in figures:
            cells[key] = cells[key].replace(",", ".", 1)


def too_many(cells: Sequence[str], columns: int) -> bool:
    """Whether a line says something behind its last column; empty ends say nothing."""
    return any(text.strip() for text in cells[columns:])


def encoding_of(data: bytes) -> str:
    """The encoding of a text by how it begins."""
    return "utf-16" if data.startswith(_WIDE) else "utf-8-sig"


def decoded(data: bytes, name: str, longest: int = LONGEST) -> str:
    """The text of a file. Raises TableFileError: it is none, or too long."""
    if len(data) > longest:
        raise refuse(name, 0, f"larger than {longest} bytes")
    try:
        return data.decode(encoding_of(data))
    except UnicodeDecodeError:
        raise refuse(name, 0, "it is no text in UTF-8: save it as that") from None


def no_csv(error: csv.Error) -> str:
    """Why a table cannot be taken apart into lines and columns."""
    unclosed = "unexpected end of data" in str(error)
    return "a quote is opened and never closed" if unclosed else f"it is no CSV: {error}"


def not_too_many(found: Iterator[_Line], name: str) -> list[_Line]:
    """Lines of a table, read no further than any table goes. Raises TableFileError: there are more."""
    lines = list(islice(found, MOST_ROWS + 2))
    if len(lines) > MOST_ROWS + 1:
        raise refuse(name, 0, f"it has more than {MOST_ROWS} rows")
    return lines


def once(rows: list[TableRow], name: str) -> list[TableRow]:
    """The rows. Raises TableFileError: there are none, or one stands in it twice."""
    twice = sorted(row for row, count in Counter(row.row for row in rows).items() if count > 1)
    if twice:
        raise refuse(name, 0, f"{', '.join(twice[:5])} stands in it twice")
    if not rows:
        raise refuse(name, 0, "there are no offsets in it")
    return rows
