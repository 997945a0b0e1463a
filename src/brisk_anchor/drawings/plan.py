"""A measuring plan on paper: the path in plan and elevation, and the sheet with every measurement."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby
from textwrap import wrap
from typing import TYPE_CHECKING, Any

from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.quantities import shown_unit
from brisk_anchor.drawings.paper import (
    FAINT,
    INK,
    LIVE,
    MARK,
    QUIET,
    Page,
    line,
    outlines,
    page_size,
    place,
    rendered,
    view,
)
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

LINES: dict[str, dict[str, Any]] = {
    "rapid": {"color": QUIET, "linewidth": 0.7, "linestyle": (0, (6, 4))},
    "guarded": {"color": LIVE, "linewidth": 0.9, "linestyle": "-"},
    "touching": {"color": MARK, "linewidth": 1.8, "linestyle": "-"},
}
"""Kinds of move, told apart by dash and width as well as by colour."""


@dataclass(frozen=True, slots=True)
class Leg:
    """One move of the tip, machine mm: "rapid", "guarded" or "touching"; `touch` is where the ball met the metal."""

    kind: str
    start: Vector
    end: Vector
    touch: Vector | None = None


@dataclass(frozen=True, slots=True)
class PlanContent:
    """Everything on the drawings. `rows` of the sheet: number, title, what is touched, figures, what it sets."""

    setup: Setup
    title: str
    program: str
    proof: str
    legs: tuple[Leg, ...]
    places: tuple[tuple[int, Vector], ...]
    """What is measured, by its number in the list, with the place of the tip over it."""
    rows: tuple[tuple[str, ...], ...]
    notes: tuple[tuple[str, tuple[str, ...]], ...]
    """Headings with lines under them."""


def path_drawing(content: PlanContent, paper: str = "a4") -> Page:
    """The path over the part, from above and from the front."""

    def draw(figure: Figure) -> None:
        wide, tall = page_size(figure)
        _head(figure, content, "Measuring path")
        low, high = _box(content)
        _path(figure, content, (10.0, 74.0, wide - 20, tall - 103), (low, high), front=False)
        _path(figure, content, (10.0, 18.0, wide - 20, 48.0), (low, high), front=True)
        _legend(figure, content)

    return rendered(draw, paper)


def plan_sheet(content: PlanContent, paper: str = "a4") -> Page:
    """The list of measurements with a small path beside it."""

    def draw(figure: Figure) -> None:
        wide, tall = page_size(figure)
        _head(figure, content, "Measuring plan")
        _path(figure, content, (wide - 110, tall - 98, 100.0, 68.0), _box(content), front=False)
        _list(figure, content, wide - 128, tall - 48)
        _notes(figure, content, wide - 110, tall - 106)
        _legend(figure, content)

    return rendered(draw, paper)


def _head(figure: Figure, content: PlanContent, what: str) -> None:
    setup = content.setup
    wide, tall = page_size(figure)
    figure.text(10 / wide, (tall - 11) / tall, f"{what}  {content.title}", fontsize=17, fontweight="bold", va="center")
    figure.text(10 / wide, (tall - 18.5) / tall, f"{setup.part}  {setup.title}", fontsize=10, va="center")
    right = f"{setup.company}\n{setup.machine.name}  ·  fixture {setup.fixture}  ·  {content.program}"
    figure.text((wide - 10) / wide, (tall - 14) / tall, right, fontsize=8.5, ha="right", va="center", color=QUIET)
    figure.add_artist(line(figure, 10, tall - 23, wide - 10, tall - 23))
    figure.text(10 / wide, 6 / tall, content.proof, fontsize=7, color=QUIET)
    figure.text((wide - 10) / wide, 6 / tall, "Brisk Anchor", fontsize=7, color=QUIET, ha="right")


def _legend(figure: Figure, content: PlanContent) -> None:
    axes = place(figure, 10, 9.5, 150, 5)
    axes.axis("off")
    axes.set_xlim(0, 150)
    axes.set_ylim(0, 5)
    for number, (kind, style) in enumerate(LINES.items()):
        x = number * 34
        axes.plot((x, x + 12), (2.5, 2.5), **style)
        axes.text(x + 14, 2.5, kind, fontsize=7, color=QUIET, va="center")
    axes.plot((104,), (2.5,), marker="x", markersize=4, color=INK)
    axes.text(107, 2.5, f"touch; figures in {shown_unit().word}", fontsize=7, color=QUIET, va="center")


def _box(content: PlanContent) -> tuple[Vector, Vector]:
    """What the drawing must show: every place that is measured, and some round it."""
    near = [leg for leg in content.legs if leg.kind != "rapid"] or list(content.legs)
    points = [point for leg in near for point in (leg.start, leg.end)]
    if not points:
        return (0.0, 0.0, 0.0), (1.0, 1.0, 1.0)
    low = tuple(min(p[i] for p in points) for i in range(3))
    high = tuple(max(p[i] for p in points) for i in range(3))
    margin = 0.12 * max(b - a for a, b in zip(low, high, strict=True)) + 8.0
    (x0, y0, z0), (x1, y1, z1) = low, high
    return (x0 - margin, y0 - margin, z0 - margin), (x1 + margin, y1 + margin, z1 + margin / 2)


def _path(
    figure: Figure,
    content: PlanContent,
    box: tuple[float, float, float, float],
    shown: tuple[Vector, Vector],
    *,
    front: bool,
) -> None:
    i = 2 if front else 1
    (low, high) = ((p[0], p[i]) for p in shown)
    axes, scale = view(figure, box, low, high, "From the front, XZ" if front else "From above, XY")
    outlines(axes, content.setup.outlines, front=front)
    for number, (kind, style) in enumerate(LINES.items()):  # touching last, so that nothing hides it
        for leg in (leg for leg in content.legs if leg.kind == kind):
            ends = (leg.start[0], leg.end[0]), (leg.start[i], leg.end[i])
            axes.plot(*ends, **style, solid_capstyle="butt", zorder=3 + number)
    for leg in content.legs:
        if leg.touch is not None:
            axes.plot((leg.touch[0],), (leg.touch[i],), marker="x", markersize=3.5, color=INK, zorder=7)
    _numbers(axes, content, i, scale)


def _numbers(axes: Axes, content: PlanContent, i: int, scale: float) -> None:
    """The number of each measurement beside its place; those on one spot share a mark."""
    spots = sorted(((round(p[0], 1), round(p[i], 1)), n) for n, p in content.places)
    for (x, y), found in groupby(spots, key=lambda item: item[0]):
        words = ",".join(str(number) for _, number in found)
        style: dict[str, Any] = {"fontsize": 7, "fontweight": "bold", "color": INK, "ha": "center", "va": "center"}
        badge = {"boxstyle": "circle,pad=0.25", "facecolor": "white", "edgecolor": FAINT, "linewidth": 0.6}
        axes.text(x + 3.0 * scale, y + 3.0 * scale, words, bbox=badge, clip_on=True, **style)


_COLUMNS = (0.0, 6.0, 52.0, 76.0, 124.0)
"""Where the columns of the list begin, mm."""
_WIDEST = (4, 34, 18, 34, 24)
"""How many characters a column takes before its words are wrapped."""


def _list(figure: Figure, content: PlanContent, wide: float, tall: float) -> None:
    axes = place(figure, 10, 20, wide, tall)
    axes.axis("off")
    axes.set_xlim(0, wide)
    axes.set_ylim(-tall, 0)
    lines = [max(len(wrap(text, most)) or 1 for text, most in zip(row, _WIDEST, strict=True)) for row in content.rows]
    pitch = min(3.6, tall / (sum(lines) + 0.6 * len(lines) + 3))
    size = min(6.8, 1.9 * pitch)
    for x, heading in zip(_COLUMNS, ("", "measured", "touches", "figures", "sets, keeps"), strict=True):
        axes.text(x, 0, heading, fontsize=7, color=QUIET, va="top")
    y = -1.6 * pitch
    for row, count in zip(content.rows, lines, strict=True):
        for column, (x, text, most) in enumerate(zip(_COLUMNS, row, _WIDEST, strict=True)):
            for number, words in enumerate(wrap(text, most)):
                weight = "bold" if column < 2 else "normal"
                axes.text(x, y - number * pitch, words, fontsize=size, va="top", fontweight=weight)
        y -= (count + 0.6) * pitch


def _notes(figure: Figure, content: PlanContent, left: float, top: float) -> None:
    axes = place(figure, left, 20, 100, top - 20)
    axes.axis("off")
    axes.set_xlim(0, 100)
    axes.set_ylim(-(top - 20), 0)
    shown: Sequence[tuple[str, list[str]]] = [
        (heading, [part for words in lines for part in wrap(words, 74)]) for heading, lines in content.notes
    ]
    pitch = min(3.6, (top - 20) / max(1, sum(len(lines) + 2 for _, lines in shown)))
    y = 0.0
    for heading, lines in shown:
        axes.text(0, y, heading, fontsize=7, color=QUIET, va="top")
        for words in lines:
            y -= pitch
            axes.text(0, y, words, fontsize=min(6.8, 1.9 * pitch), va="top")
        y -= 1.8 * pitch
