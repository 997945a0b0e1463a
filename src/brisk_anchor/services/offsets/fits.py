"""Does a whole cutting program fit into the travels from its offsets, with its tools; and how far may they move?"""

from __future__ import annotations

import io
import math
from collections.abc import Mapping
from pathlib import Path

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.row_rotation import turned
from brisk_anchor.core.quantities import dim, signed_bare
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import open_plain
from brisk_anchor.nc.read.extents import Extent, ExtentReader, read_extents
from brisk_anchor.services.offsets.book_rows import line_of
from brisk_anchor.services.session.session import Session

Values = Mapping[str, float]


@dataclass(frozen=True, slots=True)
class AxisFit:
    """One axis of one tool in one offset: where the spindle goes, machine mm, and the lines that make it go there.

    `beyond_low` and `beyond_high` are how far past the travel, 0 inside; None where nothing is known of it.
    """

    axis: str
    low: float
    high: float
    low_line: int
    high_line: int
    beyond_low: float
    beyond_high: float


@dataclass(frozen=True, slots=True)
class ToolFit:
    """One tool in one offset. `length` as the tool table counts it, None where nobody knows: Z is not judged then."""

    tool: int
    length: float | None
    axes: tuple[AxisFit, ...]

    @property
    def fits(self) -> bool:
        """Whether it stays inside, as far as is known."""
        return not any(axis.beyond_low or axis.beyond_high for axis in self.axes)


@dataclass(frozen=True, slots=True)
class RowFit:
    """One offset of a program: its zero, its tools, and by axis how far the zero may move so that all fits.

    `room` is None for an axis along which the program is longer than the travel.
    """

    row: str
    known: str
    zero: dict[str, float]
    tools: tuple[ToolFit, ...]
    room: dict[str, tuple[float, float] | None]

    @property
    def fits(self) -> bool:
        """Whether everything known of it stays inside."""
        return all(tool.fits for tool in self.tools)

    @property
    def shift(self) -> dict[str, float] | None:
        """The shortest move of the zero, by axis, that makes all fit, mm; None where none does."""
        move = {}
        for axis, room in self.room.items():
            if room is None:
                return None
            low, high = room
            move[axis] = low if low > 0 else high if high < 0 else 0.0
        return move


@dataclass(frozen=True, slots=True)
class Fit:
    """A whole program: its name, how many blocks, and each offset it calls."""

    name: str
    blocks: int
    rows: tuple[RowFit, ...]

    @property
    def fits(self) -> bool:
        """Whether everything known of it stays inside, and every offset has a value."""
        return all(row.fits and not row.known for row in self.rows)


def fit_file(session: Session, path: Path) -> Fit:
    """Judge a cutting program of any length. Raises PlanError: it cannot be read. NcError: a word of it cannot."""
    try:
        with open_plain(path) as stream:
            return judge(session, path.name, read_extents(stream, session.profile.steps_of_whole))
    except OSError as error:
        raise PlanError(f"{path.name} cannot be read: {error.strerror}", "", "Check its name and place") from error


def fit_text(session: Session, name: str, text: str) -> Fit:
    """Judge a program that is at hand as text. Raises NcError."""
    return judge(session, name, read_extents(io.BytesIO(text.encode()), session.profile.steps_of_whole))


def judge(session: Session, name: str, reader: ExtentReader) -> Fit:
    """Set what a program reaches at its offsets on the machine, with the lengths of its tools."""
    rows: dict[str, dict[int, Extent]] = {}
    for (row, tool), extent in reader.by_tool.items():
        if any(low <= high for low, high in zip(extent.low, extent.high, strict=True)):
            rows.setdefault(row, {})[tool] = extent
    order = list(session.profile.all_rows)
    names = sorted(rows, key=lambda row: order.index(row) if row in order else len(order))
    return Fit(name, reader.blocks, tuple(_row_fit(session, row, rows[row]) for row in names))


def _length(session: Session, number: int) -> float | None:
    """A tool's length as the table counts it; None where nobody knows it."""
    shelf = session.setup.shelf
    cutter = next((c for c in shelf.cutters if c.number == number), None)
    if cutter is not None:
        return cutter.length
    if number == 0 or number not in session.machine.table.rows:
        return None
    return session.machine.tool_length(number)


def _row_fit(session: Session, row: str, tools: Mapping[int, Extent]) -> RowFit:
    if row not in session.profile.all_rows:
        return RowFit(row, "the control has no such row", {}, (), {})
    line = line_of(session, row)
    zero = dict(line.values) if line.values else {}
    known = ""
    if not zero:
        zero = line.held
        known = "" if any(zero.get(a) for a in "xyz") else "it has no value in the book or on the control"
    elif line.state.value == "stale":
        known = "it is stale"
    common = session.profile.common_shift
    shift = session.link.offset(common) if common else (0.0, 0.0, 0.0)
    fits = []
    room: dict[str, tuple[float, float] | None] = {}
    for number, extent in sorted(tools.items()):
        length = _length(session, number)
        axes = []
        for axis, low, high, low_line, high_line in _spindle(zero, shift, length, extent):
            i = "xyz".index(axis)
            least, most = session.setup.machine.travel.low[i], session.setup.machine.travel.high[i]
            axes.append(AxisFit(axis, low, high, low_line, high_line, max(0.0, least - low), max(0.0, high - most)))
            before = room.get(axis, (-math.inf, math.inf))
            if before is not None:
                narrow = max(before[0], least - low), min(before[1], most - high)
                room[axis] = narrow if narrow[0] <= narrow[1] else None
        fits.append(ToolFit(number, length, tuple(axes)))
    return RowFit(row, known, zero, tuple(fits), room)


def _spindle(
    zero: Values, shift: Vector, length: float | None, extent: Extent
) -> list[tuple[str, float, float, int, int]]:
    """Where the spindle goes along each axis the program names; a turned row takes the box round its corners."""
    x0, x1, y0, y1 = extent.low[0], extent.high[0], extent.low[1], extent.high[1]
    if (turn := zero.get("r", 0.0)) and x0 <= x1 and y0 <= y1:
        corners = [turned(x, y, turn) for x in (x0, x1) for y in (y0, y1)]
        x0, x1 = min(p[0] for p in corners), max(p[0] for p in corners)
        y0, y1 = min(p[1] for p in corners), max(p[1] for p in corners)
    found = []
    for i, (low, high) in enumerate(((x0, x1), (y0, y1), (extent.low[2], extent.high[2]))):
        if low > high or (i == 2 and length is None):
            continue
        at = zero.get("xyz"[i], 0.0) + shift[i] + (length or 0.0) * (i == 2)
        found.append(("xyz"[i], low + at, high + at, extent.low_line[i], extent.high_line[i]))
    return found


def words(fit: Fit) -> list[str]:
    """What was found, a sentence a line."""
    told = []
    for row in fit.rows:
        if row.known:
            told.append(f"! {row.row}: {row.known}")
        for tool in row.tools:
            name = f"T{tool.tool}" if tool.tool else "the tool at the start"
            if tool.length is None:
                told.append(f"! {row.row}, {name}: its length is not known, so Z is not judged")
            for axis in tool.axes:
                for beyond, line, end in (
                    (axis.beyond_low, axis.low_line, "low"),
                    (axis.beyond_high, axis.high_line, "high"),
                ):
                    if beyond:
                        told.append(
                            f"! {row.row}, {name}: {axis.axis.upper()} goes {dim(beyond, 3)} past the {end} end of its "
                            f"travel, in line {line}"
                        )
        move = row.shift
        if move is None:
            longer = ", ".join(axis.upper() for axis, room in row.room.items() if room is None)
            told.append(f"! {row.row}: no move of the zero helps; the program is longer than the travel in {longer}")
        elif any(move.values()):
            shown = "  ".join(f"{axis.upper()} {signed_bare(value, 3)}" for axis, value in move.items() if value)
            told.append(f"  {row.row} fits when its zero moves by {shown} mm, with the part or by a spacer")
    return told or ["Everything stays inside the travels."]
