"""The sheet of an inspected part: every characteristic with its place in its band, and the part with its numbers."""

from __future__ import annotations

from collections.abc import Sequence
from textwrap import wrap
from typing import TYPE_CHECKING

from brisk_anchor.core.inspection.characteristic import numbers_together
from brisk_anchor.core.inspection.verdict import Fate
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.setup import Outline
from brisk_anchor.drawings.paper import FAINT, INK, LIVE, MARK, QUIET, Page, outlines, page_size, place, rendered, view
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

WARN = "#9a6a12"
COLOURS = {Fate.GOOD: LIVE, Fate.AGAIN: WARN, Fate.CANNOT_TELL: WARN, Fate.SCRAP: MARK, Fate.OPEN: QUIET}
SHAPES = {Fate.GOOD: "o", Fate.AGAIN: "^", Fate.CANNOT_TELL: "s", Fate.SCRAP: "X", Fate.OPEN: "."}
_HEADS = ("", "no.", "asked", "nominal", "limits", "actual", "±", "off target", "in with", "verdict", "in its band")
_COLUMNS = (0.0, 0.025, 0.06, 0.235, 0.30, 0.445, 0.515, 0.565, 0.63, 0.68, 0.80)
_LONGEST = 84
"""Characters of a line beside a run."""
_WIDEST = 1.6
"""How far beyond its band, in half bands, a mark is drawn at most."""


@dataclass(frozen=True, slots=True)
class SheetLine:
    """One characteristic in words and figures; `share` is −1 at its lower limit and +1 at its upper."""

    mark: str
    balloon: str
    asked: str
    nominal: str
    limits: str
    actual: str
    expanded: str
    deviation: str
    probability: str
    verdict: str
    share: float | None
    fate: Fate


@dataclass(frozen=True, slots=True)
class MarkedFeature:
    """A number at its feature, machine mm."""

    balloon: str
    at: Vector
    fate: Fate


def inspection_page(
    heading: str,
    about: str,
    lines: Sequence[SheetLine],
    shown: Sequence[Outline],
    marks: Sequence[MarkedFeature],
    corrected: Sequence[str],
    unit: str,
    paper: str = "a4",
) -> Page:
    """One part on one page."""

    def draw(figure: Figure) -> None:
        wide, tall = page_size(figure)
        figure.text(10 / wide, (tall - 12) / tall, heading, fontsize=15, fontweight="bold", va="center")
        figure.text(10 / wide, (tall - 19) / tall, about, fontsize=8, va="center", color=QUIET)
        figure.text((wide - 10) / wide, 6 / tall, f"{unit}   Brisk Anchor", fontsize=7, ha="right", color=QUIET)
        step = min(6.5, (tall - 36) / (len(lines) + 12))
        table = place(figure, 10, tall - 26 - step * (len(lines) + 1), wide - 20, step * (len(lines) + 1))
        _table(table, lines, min(8.0, step * 1.5))
        below = tall - 30 - step * (len(lines) + 1)
        if shown and below > 35:
            _picture(figure, shown, marks, (10, 12, (wide - 20) * 0.55, below - 14))
        told = [*corrected[:6], f"and {len(corrected) - 6} more"] if len(corrected) > 7 else corrected
        folded = (wrap(words, 62, max_lines=3, placeholder=" …") for words in told)
        for number, text in enumerate(line for lines_of in folded for line in lines_of):
            y = (below - 8 - 4.5 * number) / tall
            figure.text((10 + (wide - 20) * 0.6) / wide, y, text, fontsize=7.5, color=INK)

    return rendered(draw, paper)


def _table(axes: Axes, lines: Sequence[SheetLine], size: float) -> None:
    axes.set_xlim(0, 1)
    axes.set_ylim(len(lines) + 1, 0)
    for side in axes.spines.values():
        side.set_visible(False)
    for x, head in zip(_COLUMNS, _HEADS, strict=True):
        axes.text(x, 0.5, head, fontsize=size * 0.85, color=QUIET, va="center")
    for number, line in enumerate(lines, 1):
        y, colour = number + 0.5, COLOURS[line.fate]
        axes.axhline(number, color=FAINT, linewidth=0.4)
        texts = (
            *(line.mark, line.balloon, line.asked[:38], line.nominal, line.limits, line.actual),
            *(line.expanded, line.deviation, line.probability, line.verdict),
        )
        for column, (x, text) in enumerate(zip(_COLUMNS, texts, strict=False)):
            own = colour if column in (0, 9) else INK
            weight = "bold" if column in (0, 1, 5) else "normal"
            axes.text(x, y, text, fontsize=size, color=own, va="center", fontweight=weight)
        if line.share is not None:
            _bar(axes, y, line.share, colour, SHAPES[line.fate])


def _bar(axes: Axes, y: float, share: float, colour: str, shape: str) -> None:
    """Where a figure lies in its band: the band as a strip, its middle, the figure as a mark."""
    left, right = _COLUMNS[-1] + 0.03, 0.97
    middle, half = (left + right) / 2, (right - left) / 2 / _WIDEST
    axes.plot((middle - half, middle + half), (y, y), color=FAINT, linewidth=4, solid_capstyle="butt")
    for x in (middle - half, middle, middle + half):
        axes.plot((x, x), (y - 0.28, y + 0.28), color=QUIET, linewidth=0.7)
    at = middle + half * max(-_WIDEST, min(_WIDEST, share))
    axes.plot((at,), (y,), shape, color=colour, markersize=4.5)


def _picture(
    figure: Figure,
    shown: Sequence[Outline],
    marks: Sequence[MarkedFeature],
    box: tuple[float, float, float, float],
) -> None:
    points = [point for outline in shown for ring in outline.plan for point in ring]
    low = (min(x for x, _ in points), min(y for _, y in points))
    high = (max(x for x, _ in points), max(y for _, y in points))
    axes, _ = view(figure, box, low, high, "from above")
    outlines(axes, shown, front=False)
    at: dict[tuple[float, float], list[MarkedFeature]] = {}
    for mark in marks:
        at.setdefault((round(mark.at[0], 2), round(mark.at[1], 2)), []).append(mark)
    order = list(COLOURS)
    for (x, y), together in at.items():
        worst = max(together, key=lambda mark: order.index(mark.fate))
        axes.plot((x,), (y,), SHAPES[worst.fate], color=COLOURS[worst.fate], markersize=9, fillstyle="none")
        text = numbers_together([mark.balloon for mark in together])
        axes.annotate(text, (x, y), (6, 6), textcoords="offset points", fontsize=8, color=COLOURS[worst.fate])


@dataclass(frozen=True, slots=True)
class BatchLine:
    """One characteristic over a batch: words and figures, its run with limits and target in the unit of the page."""

    balloon: str
    asked: str
    counts: str
    figures: str
    words: str
    values: tuple[float, ...]
    low: float | None
    high: float | None
    out: bool


def batch_page(heading: str, about: str, lines: Sequence[BatchLine], unit: str, paper: str = "a4") -> Page:
    """A batch on one page: every characteristic with what its parts say, and its run."""

    def draw(figure: Figure) -> None:
        wide, tall = page_size(figure)
        figure.text(10 / wide, (tall - 12) / tall, heading, fontsize=15, fontweight="bold", va="center")
        figure.text(10 / wide, (tall - 19) / tall, about, fontsize=8, va="center", color=QUIET)
        figure.text((wide - 10) / wide, 6 / tall, f"{unit}   Brisk Anchor", fontsize=7, ha="right", color=QUIET)
        step = min(30.0, (tall - 36) / max(1, len(lines)))
        size = max(4.0, min(8.0, step * 0.42))
        for number, line in enumerate(lines):
            top = tall - 26 - step * number
            colour = MARK if line.out else INK
            head = f"{line.balloon}   {line.asked}"
            shown = ((head, colour), (line.counts, colour), (line.figures, INK), (line.words, QUIET))
            for row, (text, own) in enumerate(shown):
                y = (top - step * (row + 0.7) / 4.4) / tall
                weight = "bold" if row == 0 else "normal"
                text = text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"
                figure.text(10 / wide, y, text, fontsize=size, color=own, va="center", fontweight=weight)
            axes = place(figure, 10 + (wide - 20) * 0.5, top - step + 1.5, (wide - 20) * 0.5, step - 3)
            _run(axes, line)

    return rendered(draw, paper)


def _run(axes: Axes, line: BatchLine) -> None:
    for level in (line.low, line.high):
        if level is not None:
            axes.axhline(level, color=MARK, linewidth=0.8)
    over = range(1, len(line.values) + 1)
    axes.plot(over, line.values, color=LIVE, linewidth=0.7)
    axes.plot(over, line.values, ".", color=LIVE, markersize=2.5)
    axes.set_xlim(0, len(line.values) + 1)
