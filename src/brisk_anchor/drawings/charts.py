"""Charts of figures over runs or days, one panel a figure, as SVG or PDF on an A4 page."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import TYPE_CHECKING, Any

from brisk_anchor.drawings.paper import FAINT, INK, LIVE, MARK, QUIET, Page, rendered
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from matplotlib.figure import Figure


@dataclass(frozen=True, slots=True)
class Panel:
    """One figure: `xs` are numbers of runs, or moments; `values` in the unit of `label`.

    `middle` and `band` are drawn as a line with a strip round it: the mean and what is stated, or nothing. `spreads`
    are a ± of each value. `shapes` are marks of the points where they are not all alike ("o", "D", "x").
    """

    label: str
    xs: tuple[float | datetime, ...]
    values: tuple[float, ...]
    middle: float | None = None
    band: float = 0.0
    spreads: tuple[float, ...] = ()
    shapes: tuple[str, ...] = ()
    note: str = ""
    levels: tuple[tuple[float, str], ...] = ()
    """Lines across with a word: limits of a drawing."""


def chart(title: str, subtitle: str, across: str, panels: Sequence[Panel]) -> Page:
    """Draw the panels under each other over one axis named `across`."""

    def draw(figure: Figure) -> None:
        figure.text(0.05, 0.95, title, fontsize=15, fontweight="bold", va="center")
        figure.text(0.05, 0.905, subtitle, fontsize=9, va="center", color=QUIET)
        figure.text(0.95, 0.03, "Brisk Anchor", fontsize=7, ha="right", color=QUIET)
        tall = 0.80 / max(1, len(panels))
        for number, panel in enumerate(panels):
            axes = figure.add_axes((0.12, 0.07 + tall * (len(panels) - 1 - number) + 0.02, 0.83, tall - 0.05))
            _draw(axes, panel)
            if number == len(panels) - 1:
                axes.set_xlabel(across, color=QUIET)
            else:
                axes.tick_params(labelbottom=False)

    return rendered(draw)


def _draw(axes: Any, panel: Panel) -> None:
    if panel.middle is not None:
        axes.axhline(panel.middle, color=QUIET, linewidth=0.7, linestyle=(0, (5, 3)))
        if panel.band:
            axes.axhspan(panel.middle - panel.band, panel.middle + panel.band, color=FAINT, alpha=0.45, linewidth=0)
    for level, word in panel.levels:
        axes.axhline(level, color=MARK, linewidth=0.9)
        axes.text(1.003, level, word, transform=axes.get_yaxis_transform(), fontsize=6.5, color=MARK, va="center")
    axes.plot(panel.xs, panel.values, color=LIVE, linewidth=0.9)
    if panel.spreads:
        axes.errorbar(panel.xs, panel.values, yerr=panel.spreads, fmt="none", ecolor=QUIET, elinewidth=0.7, capsize=2)
    shapes = panel.shapes or ("o",) * len(panel.values)
    for shape in dict.fromkeys(shapes):
        chosen = [(x, v) for x, v, s in zip(panel.xs, panel.values, shapes, strict=True) if s == shape]
        xs, values = zip(*chosen, strict=True)
        axes.plot(xs, values, shape, color=MARK if shape == "x" else LIVE, markersize=4)
    axes.set_ylabel(panel.label)
    axes.tick_params(labelsize=7, colors=INK)
    axes.grid(visible=True, color=FAINT, linewidth=0.4)
    if panel.note:
        axes.set_title(panel.note, fontsize=7.5, color=QUIET, loc="right", pad=3)
