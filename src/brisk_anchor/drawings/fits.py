"""Whether a program fits, drawn in plan and elevation: travels, what it reaches, and where it would fit. SVG or PDF."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from brisk_anchor.drawings.paper import FAINT, INK, LIVE, MARK, QUIET, Page, rendered
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from brisk_anchor.core.offsets.setup import Setup


@dataclass(frozen=True, slots=True)
class FitBox:
    """What one tool reaches in one offset, spindle positions in machine mm: low and high of X, Y, Z."""

    label: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    inside: bool
    shift: tuple[float, float, float] | None = None


def fits_drawing(title: str, setup: Setup, boxes: Sequence[FitBox], told: Sequence[str]) -> Page:
    """Draw them."""
    from matplotlib.patches import Rectangle

    def draw(figure: Figure) -> None:
        figure.text(0.05, 0.95, title, fontsize=14, fontweight="bold", va="center", color=INK)
        travel = setup.machine.travel
        for up, (left, wide), name in ((1, (0.07, 0.42), "From above, XY"), (2, (0.55, 0.42), "From the front, XZ")):
            axes = figure.add_axes((left, 0.30, wide, 0.56))
            axes.set_aspect("equal")
            axes.set_title(name, fontsize=9, color=QUIET, loc="left")
            size = (travel.high[0] - travel.low[0], travel.high[up] - travel.low[up])
            axes.add_patch(
                Rectangle((travel.low[0], travel.low[up]), *size, fill=False, edgecolor=INK, linestyle=(0, (6, 4)))
            )
            for number, box in enumerate(boxes):
                colour = LIVE if box.inside else MARK
                at = (box.low[0], box.low[up])
                span = (box.high[0] - box.low[0], box.high[up] - box.low[up])
                axes.add_patch(Rectangle(at, *span, fill=False, edgecolor=colour, linewidth=1.2))
                axes.annotate(
                    box.label,
                    (box.low[0], box.high[up]),
                    (2, -8 - 8 * (number % 4)),
                    textcoords="offset points",
                    fontsize=7,
                    color=colour,
                )
                if box.shift and any(box.shift):
                    moved = (at[0] + box.shift[0], at[1] + box.shift[up])
                    axes.add_patch(Rectangle(moved, *span, fill=False, edgecolor=QUIET, linestyle=(0, (2, 2))))
                    axes.annotate("", moved, at, arrowprops={"arrowstyle": "-|>", "color": QUIET})
            xs = [travel.low[0], travel.high[0], *(b.low[0] for b in boxes), *(b.high[0] for b in boxes)]
            ys = [travel.low[up], travel.high[up], *(b.low[up] for b in boxes), *(b.high[up] for b in boxes)]
            axes.set_xlim(min(xs) - 30, max(xs) + 30)
            axes.set_ylim(min(ys) - 30, max(ys) + 30)
            axes.tick_params(labelsize=7)
            axes.grid(visible=True, color=FAINT, linewidth=0.3)
        for number, line in enumerate(told[:10]):
            figure.text(0.07, 0.21 - 0.02 * number, line, fontsize=8, color=MARK if line.startswith("!") else INK)
        figure.text(0.95, 0.03, "Spindle positions, machine mm  ·  Brisk Anchor", fontsize=7, ha="right", color=QUIET)

    return rendered(draw)
