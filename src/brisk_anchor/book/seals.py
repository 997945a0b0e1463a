"""The hash chain of a book: each entry is sealed with the seal before it, so that no later change goes unseen.

A seal is the SHA-256 of the seal before and the canonical bytes of every other column. Each entry also stores the
version number of that byte format.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from typing import Any

from brisk_anchor.core.errors import BookTamperedError
from brisk_anchor.lazy_dataclass import dataclass

FORM = 1
_LATER = frozenset(("result",))
"""Columns that were added later: they count where they hold something, so what was sealed before stays sealed."""
FIRST = ""
"""The previous seal of the first entry."""


@dataclass(frozen=True, slots=True)
class SealMark:
    """How far a book is known to be whole: the newest entry that was looked at, and its seal."""

    id: int = 0
    seal: str = FIRST


def canonical(columns: Mapping[str, Any]) -> bytes:
    """The bytes an entry is sealed by: JSON with sorted names; figures exactly, in hexadecimal; times in UTC."""
    return json.dumps(
        {
            name: _plain(value)
            for name, value in columns.items()
            if name != "seal" and not (name in _LATER and value is None)
        },
        sort_keys=True,
        separators=(",", ":"),
        ensure_ascii=True,
    ).encode("ascii")


def _plain(value: Any) -> Any:
    if isinstance(value, float):
        return (value + 0.0).hex()  # SQLite gives −0 back as 0
    if isinstance(value, datetime):
        moment = value if value.tzinfo is not None else value.replace(tzinfo=UTC)
        return moment.astimezone(UTC).isoformat(timespec="microseconds")
    return value


def seal(before: str, columns: Mapping[str, Any]) -> str:
    """The seal of an entry that follows one with the seal `before`."""
    return hashlib.sha256(before.encode("ascii") + b"\n" + canonical(columns)).hexdigest()


def look_through(entries: Iterable[Mapping[str, Any]], after: SealMark, name: str) -> SealMark:
    """Go along the chain from a mark; `entries` are those after it, in order, with every column.

    Raises:
        BookTamperedError: an entry is not as it was added, or one is missing.
    """
    last = after
    for columns in entries:
        number = int(columns["id"])
        if number != last.id + 1:
            raise BookTamperedError(
                f"The book {name} misses the entries {last.id + 1} to {number - 1}"
                if number > last.id + 1
                else f"The book {name} has entry {number} twice"
            )
        if columns["form"] != FORM or columns["seal"] != seal(last.seal, columns):
            raise BookTamperedError(f"Entry {number} of the book {name} is not as it was added")
        last = SealMark(number, str(columns["seal"]))
    return last
