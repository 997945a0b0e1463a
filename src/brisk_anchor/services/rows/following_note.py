"""How a row follows another, in the note of its entry: so that it is known again where no file describes the job."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.core.offsets.rules import FromRow, Rule
from brisk_anchor.core.quantities import fixed

_FIGURE = r"(-?[0-9]+(?:\.[0-9]+)?)"
_NOTE = re.compile(rf"^follows (G[0-9.]+(?: P[0-9]+)?); X {_FIGURE} Y {_FIGURE} Z {_FIGURE} mm(, turned with it)?$")


def following_note(parent: str, rules: Mapping[str, Rule]) -> str:
    """The note of a row that follows another at fixed distances; without them where it follows in another way."""
    shifts = [rule.shift for axis in "xyz" if isinstance(rule := rules.get(axis), FromRow)]
    if len(shifts) != 3:
        return f"follows {parent}"
    x, y, z = (fixed(shift, 6) for shift in shifts)
    return f"follows {parent}; X {x} Y {y} Z {z} mm{', turned with it' if 'r' in rules else ''}"


def rules_noted(entries: Sequence[Entry]) -> dict[str, Rule]:
    """The rules by which a row follows another, as its entries say, oldest first; none where it was set anew since."""
    rules: dict[str, Rule] = {}
    for entry in entries:
        if entry.kind is not EntryKind.MEASURED:
            continue  # its note is a person's
        if (found := _NOTE.match(entry.note)) is not None:
            parent, *shifts = found.groups()[:4]
            rules = {axis: FromRow(parent, float(shift)) for axis, shift in zip("xyz", shifts, strict=True)}
            rules |= {"r": FromRow(parent)} if found[5] else {}
        elif not entry.note.startswith("follows "):
            rules = {}  # set from what was measured: it follows no more
    return rules
