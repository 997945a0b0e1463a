"""Lengths of tools: by a setter with its reference offset, or on the part; and the second look at tools and probe."""

from __future__ import annotations

import math
from collections.abc import Mapping

from brisk_anchor.core.offsets.chain import AxisChain, Term
from brisk_anchor.core.offsets.checks import Finding
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.core.tools.hand_tools import HandTool
from brisk_anchor.core.tools.shelf import Cutter, Health, ProbeRecord, Setter
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass

SHORTEST, LONGEST = 5.0, 600.0
"""Lengths of tools outside these, mm, are taken for a mistake."""
LENGTH_JUMP = 0.5
"""How far, mm, a whole tool's length may differ from the one before: wear is less, and a new tool is told."""


def look_at_probe(record: ProbeRecord, age: int | None) -> list[Finding]:
    """What the second look finds: a figure that is due stops a store, an old calibration is told.

    `age` is that of the calibration in days, None where nobody knows it.
    """
    if record.due:
        names = " and ".join(record.due)
        return [
            Finding.stopping(
                f"The probe was changed, and its {names} not calibrated since",
                "Its old figures make every place and size wrong by what the change was",
                "Calibrate it: a ring for radius and offset, a face of known height for the length",
            )
        ]
    if record.valid_days is None:
        return []
    if age is None:
        return [Finding.warning("The probe's calibration has no date", "Nobody knows how old it is", "Calibrate it")]
    if age <= record.valid_days:
        return []
    return [
        Finding.warning(
            f"The probe was calibrated {age} days ago, {record.valid_days} are allowed",
            "Its radius and length may have changed since",
            "Calibrate it",
        )
    ]


SAME_LENGTH = 1e-7
"""Two lengths, mm, that differ by less are the same figure."""


def reference_chain(
    setter: Setter, reading: float, u_reading: float, master: HandTool, counted: float, at: str = ""
) -> AxisChain:
    """The Z of the reference offset: `Z = spindle Z of the master on the setter − its length − height of the setter`.

    Args:
        setter: what it touches.
        reading: machine Z of the spindle there, mm; `u_reading` its standard uncertainty.
        master: the tool.
        counted: its length as the tool table counts it, mm: 0 where lengths are counted from it.
        at: when it was taken: another time the touch has another error.
    """
    lengths = master.length_errors if counted else {}
    u_length = math.hypot(*lengths.values()) if lengths else 0.0
    u = math.hypot(u_reading, u_length, setter.u_height)
    value = reading - counted - setter.height
    terms = (
        Term("", f"{master.name} on {setter.name}", reading, u_reading, "machine Z"),
        Term("−", f"length of T{master.tool_number}", counted, u_length, "as the tool table counts it"),
        Term("−", f"height of {setter.name}", setter.height, setter.u_height, "certified"),
        Term("=", f"{setter.row} Z", value, u),
    )
    label = f"touch of T{master.tool_number} on the setter"
    touch = Source(f"{label}, {at}" if at else label, label, own=True)
    effects = ((touch, u_reading), *((s, -u) for s, u in lengths.items()), (height_of(setter), -setter.u_height))
    return AxisChain("z", value, u, terms, effects=tuple((s, e) for s, e in effects if e))


def counts_with(axis: AxisChain, setter: Setter, counted: float) -> bool:
    """Whether a reference was worked out with the height of the setter and the master's length as they are now, mm."""
    terms = {term.label: term.value for term in axis.terms}
    height = terms.get(f"height of {setter.name}")
    length = next((value for label, value in terms.items() if label.startswith("length of T")), None)
    pairs = ((height, setter.height), (length, counted))
    return all(then is None or abs(then - now) < SAME_LENGTH for then, now in pairs)


def height_of(setter: Setter) -> Source:
    """The error of a setter's height."""
    return Source(f"height of {setter.name}")


@dataclass(frozen=True, slots=True)
class ToolLength:
    """A length as the tool table counts it, mm, with the terms it comes from; `u` standard uncertainty."""

    value: float
    u: float
    terms: tuple[Term, ...]


def length_on_setter(setter: Setter, reading: float, u_reading: float, foot: float, u_foot: float) -> ToolLength:
    """A tool's length from where it stood on the setter: `L = spindle Z − Z of the reference − height`.

    The height of the setter is in the reference with the same sign and cancels: its error is in no length. `u_foot` is
    the reference's own uncertainty without that of the height.
    """
    value = reading - foot - setter.height
    u = math.hypot(u_reading, u_foot)
    terms = (
        Term("", f"tool on {setter.name}", reading, u_reading, "machine Z"),
        Term("−" if foot >= 0 else "+", f"{setter.row} Z", abs(foot), u_foot, "the reference offset"),
        Term("−", f"height of {setter.name}", setter.height, None, "certified"),
        Term("=", "length", value, u),
    )
    return ToolLength(value, u, terms)


def length_on_part(
    reading: float, u_reading: float, thickness: float, u_thickness: float, row: float, place: float
) -> ToolLength:
    """A tool's length where every tool is touched on the part: `L = spindle Z − thickness between − row Z − place`.

    `row` is the Z that stands in the active offset, `place` the program Z of the face that was touched, mm.
    """
    value = reading - thickness - row - place
    u = math.hypot(u_reading, u_thickness)
    terms = [Term("", "tool on the part", reading, u_reading, "machine Z")]
    if thickness:
        terms.append(Term("−", "thickness between", thickness, u_thickness))
    if row:
        terms.append(Term("−" if row >= 0 else "+", "Z of the active offset", abs(row)))
    terms += [
        Term("−" if place >= 0 else "+", "program Z of that face", abs(place)),
        Term("=", "length", value, u),
    ]
    return ToolLength(value, u, tuple(terms))


def look_at_length(
    cutter: Cutter, new: ToolLength, convention: str, row: str, foot: float, others: Mapping[str, float]
) -> list[Finding]:
    """Second look before a length goes into the tool table.

    Args:
        cutter: as it was.
        new: what was measured.
        convention: how lengths are counted; only from the gauge line can one be absurd by itself.
        row: the row the figure was counted in, and `foot` its Z, machine mm.
        others: Z of the other rows that hold something: the usual suspects where the wrong one was active.
    """
    looks = []
    if convention == "gauge line" and not SHORTEST <= new.value <= LONGEST:
        looks.append(
            Finding.stopping(
                f"T{cutter.number} would be {dim(new.value, 3)} long",
                _absurd(new.value, row, foot, others),
                "Check which offset was active, and what the figure counts from",
            )
        )
    elif convention != "part" and cutter.before is not None and new.value < cutter.before - LENGTH_JUMP:
        missing = cutter.before - new.value
        looks.append(
            Finding.stopping(
                f"T{cutter.number} is {dim(missing, 3)} shorter than before it broke",
                "With that length in the table the spindle nose would come down by what is missing",
                "Put a whole tool in and measure it; one that is shorter on purpose gets its length typed",
            )
        )
    elif cutter.length is not None and cutter.health is Health.WHOLE:
        change = new.value - cutter.length
        if abs(change) > LENGTH_JUMP:
            looks.append(
                Finding.stopping(
                    f"T{cutter.number} would change by {signed_dim(change, 3)}",
                    _jump(change, row, foot, others),
                    "If it is another tool or a broken one, say so first; then measure it",
                )
            )
    return looks


def _absurd(value: float, row: str, foot: float, others: Mapping[str, float]) -> str:
    for other, held in others.items():
        if SHORTEST <= (real := value - (foot - held)) <= LONGEST:
            return f"Counted from {other} it would be {dim(real, 3)}: {other} was active, not {row}"
    return "No tool is so long or so short: the unit, the sign or the active offset is another"


def _jump(change: float, row: str, foot: float, others: Mapping[str, float]) -> str:
    for other, held in others.items():
        if abs(change - (foot - held)) <= LENGTH_JUMP:
            return f"{row} and {other} lie {dim(abs(foot - held), 3)} apart: {other} was active, not {row}"
    return "A whole tool does not change so much: the tool, the setter or the unit is another"
