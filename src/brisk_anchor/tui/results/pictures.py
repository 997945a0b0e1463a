"""What the results view draws: bands with their figures, the part with its numbers, the run of a characteristic."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.core.inspection.characteristic import numbers_together
from brisk_anchor.core.inspection.verdict import Fate
from brisk_anchor.core.quantities import bare, num
from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas, Projection
from brisk_anchor.tui.picture import draw_outline

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.setup import Outline, Setup
    from brisk_anchor.services.results.inspected import InspectedPart
    from brisk_anchor.services.results.over_parts import Series

COLOURS = {
    Fate.GOOD: theme.LIVE,
    Fate.AGAIN: theme.SAND,
    Fate.CANNOT_TELL: theme.SAND,
    Fate.SCRAP: theme.CORAL,
    Fate.OPEN: theme.QUIET,
}
_BAR = 15
"""Cells of a band's bar: the band itself takes the middle two thirds."""


def bar(share: float | None, fate: Fate, mark: str) -> Text:
    """A band as a line with its limits and its target, and the figure's mark where it lies."""
    cells = list("───├────┼────┤──")
    text = Text()
    if share is None:
        return text.append("".join(cells), theme.FAINT)
    half, middle = 4.0, _BAR // 2
    at = max(0, min(_BAR - 1, round(middle + half * share)))
    for number, cell in enumerate(cells):
        if number == at:
            text.append(mark, f"bold {COLOURS[fate]}")
        else:
            text.append(cell, theme.FAINT if cell == "─" else theme.QUIET)
    return text


def part_text(setup: Setup, part: InspectedPart, chosen: str, width: int, height: int, ratio: float) -> Text:
    """The part from above, each number at its feature, coloured and shaped by the worst verdict there."""
    from brisk_anchor.services.results.results_words import MARKS

    names = {line.feature for line in part.lines}
    bodies = {feature.body for feature in setup.features if feature.name in names}
    shown = [outline for outline in setup.outlines if outline.body in bodies]
    if not shown or width < 12 or height < 4:
        return Text()
    alone, view = _alone(tuple(shown), width, height, ratio)
    canvas = alone.copy()
    order = (Fate.SCRAP, Fate.AGAIN, Fate.CANNOT_TELL, Fate.OPEN, Fate.GOOD)
    at: dict[tuple[int, int], list[int]] = {}
    for number, line in enumerate(part.lines):
        drawn = next((feature for feature in setup.features if feature.name == line.feature), None)
        if drawn is not None:
            at.setdefault(view.cell(*drawn.machine[:2]), []).append(number)
    for (column, row), numbers in at.items():
        lines = [part.lines[number] for number in numbers]
        worst = next(fate for fate in order if any(line.state is fate for line in lines))
        words = f"{MARKS[worst]} {numbers_together([line.balloon for line in lines])}"
        style = f"bold {COLOURS[worst]}"
        if any(line.balloon == chosen for line in lines):
            words, style = f"[{words}]", f"{style} on {theme.CHOSEN}"
        canvas.label(max(0, min(width - len(words), column - len(words) // 2)), row, words, style)
    return _text(canvas)


@lru_cache(maxsize=2)
def _alone(shown: tuple[Outline, ...], width: int, height: int, ratio: float) -> tuple[Canvas, Projection]:
    """The part alone, and how its mm become dots; drawn once for all that is chosen on it."""
    points = [point for outline in shown for point in outline.plan[0]]
    low, high = (
        (min(x for x, _ in points), min(y for _, y in points)),
        (max(x for x, _ in points), max(y for _, y in points)),
    )
    canvas = Canvas(width, height)
    view = Projection.fit((low[0] - 6, low[1] - 6), (high[0] + 6, high[1] + 6), width, height, ratio / 2)
    for outline in shown:
        draw_outline(canvas, outline, view, theme.PART, theme.PART_GROUND, front=False)
    return canvas, view


def _text(canvas: Canvas) -> Text:
    text = Text(no_wrap=True)
    for row in range(canvas.rows):
        for words, style in canvas.runs(row):
            text.append(words, style)
        text.append("\n")
    return text


def run_text(series: Series | None, width: int, height: int) -> Text:
    """The run of a characteristic: limits as lines, its target dashed, a part a dot, corrections as marks below."""
    if series is None or width < 20 or height < 5:
        return Text(" No part has a figure of it yet.\n" if series is None else "", theme.QUIET)
    edge = 9
    canvas = Canvas(width - edge, height - 1)
    wide, tall = canvas.columns * 2, canvas.rows * 4
    values = series.values[-wide // 2 :]
    first = len(series.values) - len(values)
    limits = series.limits
    marks = [value for value in (limits.low, limits.high, limits.target) if value is not None]
    low, high = min(*values, *marks), max(*values, *marks)
    room = 0.08 * ((high - low) or 1.0)
    low, high = low - room, high + room

    def y(value: float) -> float:
        return (tall - 1) * (1 - (value - low) / (high - low))

    def x(number: int) -> float:
        return (wide - 1) * (number + 0.5) / len(values)

    for level in (limits.low, limits.high):
        if level is not None:
            canvas.line(0, y(level), wide - 1, y(level), theme.CORAL, 1)
    if limits.low is not None:
        canvas.line(0, y(limits.target), wide - 1, y(limits.target), theme.QUIET, 1, (2, 3))
    for number, value in enumerate(values):
        colour = theme.CORAL if first + number in series.chart.signals else theme.LIVE
        canvas.dot(x(number), y(value), colour, 5)
        canvas.dot(x(number) + 1, y(value), colour, 5)
    labels = dict.fromkeys(range(canvas.rows), "")
    for level in (limits.low, limits.high, limits.target if limits.low is not None else None):
        if level is not None:
            labels[min(canvas.rows - 1, max(0, int(y(level) // 4)))] = (
                num(level, 3) if series.is_angle else bare(level, 3)
            )
    text = Text(no_wrap=True)
    for row in range(canvas.rows):
        text.append(f"{labels[row][: edge - 1]:>{edge - 1}} ", theme.QUIET)
        for words, style in canvas.runs(row):
            text.append(words, style)
        text.append("\n")
    below = [" "] * canvas.columns
    for number in series.corrected_at:
        if number >= first:
            below[min(canvas.columns - 1, int(x(number - first) // 2))] = "▴"
    text.append(" " * edge + "".join(below).rstrip(), theme.SAND)
    return text


def fates_text(parts: Sequence[InspectedPart], width: int) -> Text:
    """The newest parts as marks, oldest first."""
    from brisk_anchor.services.results.results_words import MARKS

    text = Text(" ", no_wrap=True)
    for part in parts[-max(1, width - 2) :]:
        text.append(MARKS[part.outcome], COLOURS[part.outcome])
    return text
