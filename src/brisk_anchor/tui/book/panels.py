"""What the book shows at its side: the chain of an entry, what would move, the days of an offset."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.book.entries import local_time
from brisk_anchor.core.offsets.row_rotation import place_before
from brisk_anchor.core.quantities import along, bare, dim, signed_bare
from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas, Projection
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.book.entries import Entry
    from brisk_anchor.services.offsets.book_rows import BookLine, TableReference
    from brisk_anchor.services.session.session import Session


def signed(value: float, decimals: int = 4) -> str:
    """A signed length for a column."""
    return signed_bare(value, decimals)


_LARGEST, _SMALLEST = 12, 5
"""How many lines the drawing of what moves takes; where fewer are left it is not drawn."""


def moves_text(session: Session, line: BookLine, reference: TableReference, height: int) -> Text:
    """What moves from the reference to this row: the zero, and each drawn feature where a turn is in it.

    Figures first: the part is drawn in what they leave of the height.
    """
    from brisk_anchor.services.offsets.book_compare import moved_features
    from brisk_anchor.services.offsets.book_rows import distance

    text = Text(no_wrap=True, overflow="ellipsis")
    difference = reference.difference(line)
    text.append(f" from {reference.words} to the book\n\n", theme.QUIET)
    if not difference:
        text.append(" there is nothing to compare\n", theme.QUIET)
        return text
    for axis, value in difference.items():
        text.append(f"   {axis.upper()} ", f"bold {theme.SAND}")
        text.append(f"{along(axis, value):>16}\n", f"bold {theme.TEXT}" if abs(value) > 5e-5 else theme.FAINT)
    text.append(f"\n   straight {dim(distance(difference), 4)}\n", theme.TEXT)
    text.append(" every program on it moves so\n", theme.QUIET)
    moved = moved_features(session, line.row, difference)[:10]
    rows = min(_LARGEST, height - text.plain.count("\n") - len(moved) - 4)  # two blank lines and two of words
    if rows >= _SMALLEST:
        text.append("\n")
        text.append_text(_drawn(session, line.values, difference, rows))
    text.append("\n feature                      X        Y        Z\n", theme.QUIET)
    for title, shift in moved:
        text.append(f"   {cut(title, 20):<21}", theme.TEXT)
        text.append("".join(f"{signed(shift[a], 3):>9}" for a in "xyz") + "\n", theme.TEXT)
    return text


def _drawn(session: Session, zero: Mapping[str, float], difference: Mapping[str, float], rows: int) -> Text:
    """The part from above where the reference has it, dashed, and where the book has it; small moves drawn larger."""
    setup = session.setup
    rings = [ring for outline in setup.outlines if outline.role == "part" for ring in outline.plan]
    if not rings:
        return Text()
    xs = [p[0] for ring in rings for p in ring]
    wide = max(xs) - min(xs)
    away = math.hypot(difference.get("x", 0.0), difference.get("y", 0.0))
    larger = next((f for f in (1, 10, 100, 1000, 10_000) if away * f >= 0.06 * wide), 1) if away > 1e-5 else 1
    shown = {**difference, **{axis: larger * difference.get(axis, 0.0) for axis in "xy"}}
    x0, y0 = zero.get("x", 0.0), zero.get("y", 0.0)
    old = [[place_before(x, y, zero, shown) for x, y in ring] for ring in rings]
    every = [*((x, y) for ring in old for x, y in ring), *((x, y) for ring in rings for x, y in ring)]
    low = (min(x for x, _ in every), min(y for _, y in every))
    high = (max(x for x, _ in every), max(y for _, y in every))
    canvas = Canvas(50, rows)
    view = Projection.fit(low, high, canvas.columns, canvas.rows, 1.125)
    for moved in old:
        canvas.polyline([view(x, y) for x, y in moved], theme.QUIET, 0, (2, 2))
    for ring in rings:
        canvas.polyline([view(x, y) for x, y in ring], theme.LIVE, 1)
    canvas.line(*view(*place_before(x0, y0, zero, shown)), *view(x0, y0), theme.SAND, 3)
    text = Text(no_wrap=True)
    for row in range(canvas.rows):
        text.append(" ")
        for words, style in canvas.runs(row):
            text.append(words, style)
        text.append("\n")
    scale = f"; move × {larger}" if larger > 1 else ""
    text.append(f" dashed there, green by the book{scale}\n", theme.QUIET)
    return text


def days_text(entries: Sequence[Entry], width: int, height: int) -> Text:
    """Stored and typed values of each axis over the days, oldest left; the range beside it."""
    text = Text(no_wrap=True)
    used = [entry for entry in entries if entry.kind.value in ("stored", "typed") and entry.values]
    if len(used) < 2:
        text.append(" two stored values make a chart\n", theme.QUIET)
        return text
    first, last = used[0].at, used[-1].at
    span = max((last - first).total_seconds(), 1.0)
    text.append(f" {local_time(first):%Y-%m-%d}", theme.QUIET)
    text.append(f"{f'{local_time(last):%Y-%m-%d}':>{max(1, width - 13)}}\n", theme.QUIET)
    rows = max(3, min(8, (height - 6) // 3 - 1))
    for axis in "xyz":
        points = [(entry, entry.values[axis]) for entry in used if axis in entry.values]
        values = [value for _, value in points]
        low, high = min(values), max(values)
        canvas = Canvas(max(10, width - 3), rows)
        tall, wide = rows * 4 - 3, canvas.columns * 2 - 4
        reach = max(high - low, 1e-4)
        before: tuple[float, float] | None = None
        for entry, value in points:
            x = 1 + wide * (entry.at - first).total_seconds() / span
            y = 1 + tall * (high - value) / reach
            if before is not None:
                canvas.line(*before, x, y, theme.FAINT, 0)
            colour = theme.LIVE if entry.kind.value == "stored" else theme.SAND
            for dx in (0, 1):
                for dy in (0, 1):
                    canvas.dot(x + dx, y + dy, colour, 2)
            before = (x, y)
        text.append(f" {axis.upper()} ", f"bold {theme.SAND}")
        text.append(f"{signed(low)} to {signed(high)}, {bare(high - low, 4)} apart\n", theme.TEXT)
        for row in range(rows):
            text.append("  ")
            for words, style in canvas.runs(row):
                text.append(words, style)
            text.append("\n")
    text.append(" green stored, sand by hand; ⟨T⟩ writes SVG and PDF\n", theme.QUIET)
    return text
