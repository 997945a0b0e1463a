"""TOML files that people write: read whole or not at all, in their own unit, with every fault at its line."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_anchor.core.errors import Fault, JobError
from brisk_anchor.core.fault_words import fault_words
from brisk_anchor.nc.bounded import lines_of, read_at_most, toml_sections, why_unread

if TYPE_CHECKING:
    from pydantic import ValidationError

MILLIMETRES = {"mm": 1.0, "inch": 25.4}
LONGEST = 1_000_000
"""Bytes that a file may have."""
_MOST_TOLD = 40
"""Of the faults of one file so many are told: to find the line of each, the file is gone through."""
_LONGEST_LINE = 200
_HEADER = re.compile(r"^\s*(\[\[?)\s*([A-Za-z0-9_.\- \"']+?)\s*\]\]?\s*(#.*)?$")
_KEY = re.compile(r"""^\s*(?:"([^"\\]*)"|'([^']*)'|([A-Za-z0-9_.\-"']+))\s*=""")

_LINE_TOLD = re.compile(r"at line ([0-9]+)")

Place = Sequence[str | int]


def read_text(path: Path) -> str:
    """The text of a file.

    Raises:
        JobError: it cannot be read, is too long, or is no text.
    """
    try:
        data = read_at_most(path, LONGEST)
        if len(data) > LONGEST:
            raise JobError(path.name, (Fault("", f"larger than {LONGEST} bytes"),))
        return data.decode("utf-8-sig")  # editors of Windows put a mark before the first key
    except (OSError, UnicodeDecodeError) as error:
        raise JobError(path.name, (Fault("", why_unread(error)),)) from error


def parse(text: str, name: str) -> dict[str, Any]:
    """The tables of a text that states its unit.

    Raises:
        JobError: it is no TOML, holds what cannot be shown, or does not state its unit.
    """
    data = parse_tables(text, name)
    said = data.get("units")
    if not isinstance(said, str) or said not in MILLIMETRES:
        told = 'units are missing: write units = "mm" or units = "inch"'
        if "units" in data:
            told = f"units are “{str(said)[:40]}”: write mm or inch"
        raise JobError(name, (Fault(_at(name, text, ("units",)), told),), "State the unit of the figures")
    return data


def parse_tables(text: str, name: str) -> dict[str, Any]:
    """The tables of a text.

    Raises:
        JobError: it is no TOML, or holds what cannot be shown.
    """
    try:
        data = toml_sections(text)
    except tomllib.TOMLDecodeError as error:
        found = _LINE_TOLD.search(str(error))
        place = f"{name}:{found[1]}" if found else name
        raise JobError(name, (Fault(place, f"it is no TOML: {error}"),)) from error
    if (bad := _unshowable(data, ())) is not None:
        raise JobError(
            name, (finding_at(name, text, bad, "it holds characters that cannot be shown"),), "Take them out"
        )
    return data


def _unshowable(data: Any, place: tuple[str | int, ...]) -> tuple[str | int, ...] | None:
    """Where a text or a key holds what a terminal would act on, None where none does."""
    if isinstance(data, str):
        return None if all(c.isprintable() or c in "\n\t" for c in data) else place
    if isinstance(data, dict):
        for key, value in data.items():
            if not key.isprintable():
                return place
            if (found := _unshowable(value, (*place, key))) is not None:
                return found
    elif isinstance(data, list):
        for number, value in enumerate(data):
            if (found := _unshowable(value, (*place, number))) is not None:
                return found
    return None


def in_millimetres(data: Any, factor: float, others: frozenset[str], key: str = "") -> Any:
    """The same tables with every length times `factor`; the keys in `others` hold no lengths.

    "rotary.u_direction" is that key of a table `rotary` alone.
    """
    if isinstance(data, dict):
        return {
            name: value if f"{key}.{name}" in others else in_millimetres(value, factor, others, name)
            for name, value in data.items()
        }
    if key in others or isinstance(data, bool) or factor == 1.0:
        return data
    if isinstance(data, list):
        return [in_millimetres(value, factor, others, key) for value in data]
    return data * factor if isinstance(data, int | float) else data


def line_of(text: str, place: Place) -> int | None:
    """The line of a table or key such as ("feature", 1, "size"), or of the nearest one around it that stands there."""
    wanted = tuple(place)
    best, found = 0, None
    table: tuple[str | int, ...] = ()
    counts: dict[tuple[str, ...], int] = {}
    for number, whole in enumerate(lines_of(text), 1):
        line = whole[:_LONGEST_LINE]  # longer ones are no headers, and would keep the search busy
        here: tuple[str | int, ...] | None = None
        if header := _HEADER.match(line):
            names = tuple(part.strip(" \"'") for part in header[2].split("."))
            if header[1] == "[[":
                counts[names] = counts.get(names, -1) + 1
                table = (*names, counts[names])
            else:
                table = names
            here = table
        elif key := _KEY.match(line):
            whole_name = key[1] or key[2]
            names = (whole_name,) if whole_name else tuple(part.strip("\"'") for part in (key[3] or "").split("."))
            here = (*table, *names)
        if here is not None and best < len(here) <= len(wanted) and wanted[: len(here)] == here:
            best, found = len(here), number
    return found


def _at(name: str, text: str, place: Place) -> str:
    line = line_of(text, place)
    return f"{name}:{line}" if line else name


def faults_in(
    name: str, text: str, error: ValidationError, hint: Callable[[Mapping[str, Any]], str] = lambda _: ""
) -> list[Fault]:
    """What Pydantic has against a text, each with file, line and field; `hint` adds words to one complaint."""
    found = error.errors(include_url=False)
    return findings_at(name, text, [(item["loc"], fault_words(item) + hint(item)) for item in found])


def findings_at(name: str, text: str, faults: Sequence[tuple[Place, str]]) -> list[Fault]:
    """Faults with file, line and field, the first 40 of them, and how many there are besides."""
    told = [finding_at(name, text, place, reason) for place, reason in faults[:_MOST_TOLD]]
    if len(faults) > _MOST_TOLD:
        told.append(Fault(name, f"{len(faults) - _MOST_TOLD} faults more"))
    return told


def finding_at(name: str, text: str, place: Place, reason: str) -> Fault:
    """A fault with file, line and field."""
    field = ".".join(str(part) for part in place)
    return Fault(f"{_at(name, text, place)} {field}".rstrip(), reason)
