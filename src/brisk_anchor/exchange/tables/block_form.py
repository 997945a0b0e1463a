"""Offset tables as offset-setting blocks of a control, as its profile writes them: by G10, or through variables."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace

from brisk_anchor.core.errors import ExportError
from brisk_anchor.core.quantities import Unit, fixed, signed_deg
from brisk_anchor.exchange.tables.rows import TableForm, TableRow, decoded, no_unit, number_in, once, refuse
from brisk_anchor.nc.bounded import lines_of
from brisk_anchor.nc.profile.control_profile import Profile, in_mm

_SET = re.compile(r"^(?:N[0-9]+\s*)?#\s*([0-9]{1,6})\s*=(.*)$")
_WORD = re.compile(r"([A-Z])\s*([+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+))")


def to_blocks(profile: Profile, rows: Iterable[TableRow]) -> bytes:
    """Rows as offset-setting blocks of a control, one a line. Where the control keeps the angle of a row in a variable,
    the line after its block sets that.

    Raises:
        ExportError: the control has no such row, or keeps no angle of one that is turned.
    """
    lines = ["%"]
    for row in rows:
        if row.row not in profile.all_rows:
            raise ExportError(f"{profile.name} has no row {row.row}", "The block could not be written", "Leave it out")
        decimals = max(profile.decimals, 4)
        known = profile.row(row.row)
        held = [a for a in "xyzr" if a in row.values and (a != "r" or known.rotation is not None)]
        kept = profile.angle_of(row.row) if "r" in row.values and "r" not in held else None
        if row.values.get("r") and kept is None and "r" not in held:
            raise ExportError(
                f"{row.row} is turned by {signed_deg(row.values['r'], 4)}, and {profile.name} keeps no angle of it",
                "The block would set the zero and lose the turn",
                "Leave the row out, or write a table as CSV or JSON",
            )
        marks = profile.comment
        if known.write is not None:
            words = [f"{a.upper()}{fixed(row.values[a], decimals)}" for a in held]
            lines.append(f"G21 G90 {known.write} {' '.join(words)}")
        else:
            lines.append("G21")
            for axis in held:
                told = f"{marks.open}{row.row.upper()} {axis.upper()}{marks.close}"
                lines.append(f"#{profile.reads(row.row, axis)}={fixed(row.values[axis], decimals)} {told}")
        if kept is not None:
            told = f"{marks.open}{row.row.upper()} R{marks.close}"
            lines.append(f"#{kept}={fixed(row.values['r'], decimals)} {told}")
    return ("\n".join([*lines, "%"]) + "\n").encode()


def from_blocks(data: bytes, name: str, profile: Profile, unit: Unit | None = None) -> list[TableRow]:
    """Read offset-setting blocks: those the control's profile writes, and its rows' variables; mm or inches, absolute.

    `unit` is that of blocks before which no G20 or G21 stands.

    Raises:
        TableFileError: no such block, no unit, an incremental one, a sum or variable in one, or a row twice.
    """
    writes = {tuple(_WORD.findall(row.write or "")): row_name for row_name, row in profile.all_rows.items()}
    turned = {number: (row, "r") for row in profile.all_rows if (number := profile.angle_of(row)) is not None}
    variables = {number: (row, "xyz"[axis]) for number, (row, axis) in profile.row_variables.items()} | turned
    through: dict[str, dict[str, float]] = {}
    scale, absolute = float(unit.in_mm) if unit is not None else None, True
    found: list[TableRow] = []
    for number, raw in enumerate(lines_of(decoded(data, name)), 1):
        line = re.sub(r"\([^)]*\)|;.*$|^\s*/|^\s*%.*$", "", raw.upper()).strip()
        words = _WORD.findall(line)
        codes = {f"{letter}{float(value):g}" for letter, value in words if letter == "G"}
        scale = 25.4 if "G20" in codes else 1.0 if "G21" in codes else scale
        absolute = False if "G91" in codes else True if "G90" in codes else absolute
        if (assigned := _SET.match(line)) is not None and (place := variables.get(int(assigned[1]))) is not None:
            row_name, axis = place
            if scale is None and axis != "r":
                raise no_unit(name, number)
            if row_name not in through:
                found.append(TableRow(row_name, through.setdefault(row_name, {}), {}, source=f"{name}, line {number}"))
            if axis in through[row_name]:
                raise refuse(name, number, f"{row_name} {axis.upper()} is set twice")
            own = 1.0 if axis == "r" or scale is None else scale
            through[row_name][axis] = number_in(assigned[2].strip(), name, number, own)
            continue
        if "G10" not in codes:
            continue
        if "#" in line or "[" in line:
            raise refuse(name, number, "a block with a variable or a sum says no figure")
        if rest := _WORD.sub("", line).strip():
            raise refuse(name, number, f"“{rest[:12]}” cannot be read")
        if not absolute:
            raise refuse(name, number, "an incremental block says no place")
        head = {(letter, float(value)) for letter, value in words if letter in "LP"}
        row = next((r for w, r in writes.items() if {(a, float(v)) for a, v in w if a in "LP"} == head and w), None)
        if row is None:
            continue
        if scale is None:
            raise no_unit(name, number)
        values = _values_in(words, name, number, profile.steps_of_whole, inches=scale != 1.0)
        found.append(TableRow(row, values, {}, source=f"{name}, line {number}"))
    return once(_whole(found), name)


def _whole(found: list[TableRow]) -> list[TableRow]:
    """Join each angle that was read from a separate line to its row; return the rows."""
    angles = [row for row in found if set(row.values) == {"r"}]
    for angle in angles:
        others = [n for n, row in enumerate(found) if row.row == angle.row and row is not angle]
        if len(others) == 1 and "r" not in (row := found[others[0]]).values:
            found[others[0]] = replace(row, values={**row.values, **angle.values})
            found = [row for row in found if row is not angle]
    return found


def _values_in(
    words: list[tuple[str, str]], name: str, number: int, steps: float | None, *, inches: bool
) -> dict[str, float]:
    """What a block sets, mm and degrees. Raises TableFileError: nothing, or one axis twice."""
    values: dict[str, float] = {}
    for letter, figure in words:
        if letter not in "XYZR":
            continue
        if letter.lower() in values:
            raise refuse(name, number, f"{letter} stands twice in the block")
        # Read as typed first: that refuses what is no figure, or no place.
        value = number_in(figure, name, number)
        whole = "." not in figure
        values[letter.lower()] = value if letter == "R" else in_mm(value, steps, whole=whole, inches=inches)
    if not values:
        raise refuse(name, number, "the block names no axis, and what follows it is not read")
    return values


FORM = TableForm(
    ".nc",
    "offset-setting blocks",
    lambda data: b"G10" in data.upper(),
    from_blocks,
    lambda _machine, profile, rows, _unit: to_blocks(profile, rows),
)
