"""A page on paper: its size, axes at millimetres, views to a true scale, outlines; and how it becomes a file."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any

from brisk_anchor.core.offsets.setup import Outline
from brisk_anchor.core.quantities import num
from brisk_anchor.drawings.labels import labels_apart
from brisk_anchor.surroundings import Elsewhere

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, QUIET, FAINT, LIVE, MARK = "#1d2b33", "#6b7b83", "#c9d2d4", "#1f7a6d", "#b4452f"
_MM = 1 / 25.4
PAPERS = {"a4": (297.0, 210.0), "letter": (279.4, 215.9)}
"""Width and height of a page lying on its side, mm."""
_SCALES = (0.5, 1, 2, 2.5, 5, 10, 20, 25, 50)


Page = dict[str, bytes]
"""A page as the files it may be: "svg" and "pdf"."""


def rendered(draw: Callable[[Figure], None], paper: str = "a4") -> Page:
    """A page, drawn once for all its files; `paper` is one of PAPERS."""
    with Elsewhere():
        import matplotlib
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure

    settings: Any = {
        "font.family": "DejaVu Sans",
        "font.size": 8,
        "svg.hashsalt": "brisk-anchor",
        "axes.edgecolor": FAINT,
        "text.color": INK,
        "text.parse_math": False,
        "axes.formatter.useoffset": False,
        "timezone": "UTC",
    }
    with matplotlib.rc_context(settings):
        width, height = PAPERS[paper]
        figure = Figure(figsize=(width * _MM, height * _MM))
        FigureCanvasAgg(figure)
        draw(figure)
        labels_apart(figure)
        return {kind: _saved(figure, kind, undated) for kind, undated in (("svg", "Date"), ("pdf", "CreationDate"))}


def _saved(figure: Figure, kind: str, undated: str) -> bytes:
    stream = io.BytesIO()
    figure.savefig(stream, format=kind, metadata={undated: None})
    return stream.getvalue()


def page_size(figure: Figure) -> tuple[float, float]:
    """Width and height of the page, mm."""
    wide, tall = figure.get_size_inches()
    return float(wide) / _MM, float(tall) / _MM


def place(figure: Figure, left: float, bottom: float, width: float, height: float) -> Axes:
    """Axes at millimetres on the page."""
    wide, tall = page_size(figure)
    axes = figure.add_axes((left / wide, bottom / tall, width / wide, height / tall))
    axes.set_xticks([])
    axes.set_yticks([])
    return axes


def line(figure: Figure, x0: float, y0: float, x1: float, y1: float) -> Any:
    """A thin line on the page, mm."""
    from matplotlib.lines import Line2D

    wide, tall = page_size(figure)
    return Line2D(
        (x0 / wide, x1 / wide), (y0 / tall, y1 / tall), transform=figure.transFigure, color=FAINT, linewidth=0.8
    )


def true_scale(width_mm: float, height_mm: float, low: tuple[float, float], high: tuple[float, float]) -> float:
    """Of the usual scales the largest view that shows a box on so much paper: mm of reality per mm of paper."""
    need = max((high[0] - low[0]) / width_mm, (high[1] - low[1]) / height_mm)
    return next((scale for scale in _SCALES if scale >= need), math.ceil(need))


def view(
    figure: Figure,
    box: tuple[float, float, float, float],
    low: tuple[float, float],
    high: tuple[float, float],
    name: str,
) -> tuple[Axes, float]:
    """A view to a true scale on paper, centred on low..high; returns the axes and mm of reality per mm of paper."""
    axes = place(figure, *box)
    scale = true_scale(box[2], box[3], low, high)
    cx, cy = (low[0] + high[0]) / 2, (low[1] + high[1]) / 2
    axes.set_xlim(cx - box[2] * scale / 2, cx + box[2] * scale / 2)
    axes.set_ylim(cy - box[3] * scale / 2, cy + box[3] * scale / 2)
    axes.text(0.0, 1.02, f"{name}   1:{num(scale)}", transform=axes.transAxes, fontsize=8, color=QUIET)
    return axes, scale


def outlines(axes: Axes, shown: Iterable[Outline], *, front: bool) -> None:
    """Solids as they are described, from above or from the front."""
    widths = {"table": 0.6, "fixture": 0.7, "setter": 0.7, "part": 1.3, "drawn": 0.6}
    colours = {"table": FAINT, "fixture": QUIET, "setter": QUIET, "part": INK, "drawn": QUIET}
    for outline in shown:
        for ring in outline.front if front else outline.plan:
            style = (0, (5, 3)) if outline.role == "drawn" else "-"
            axes.plot(
                *zip(*ring, strict=True), color=colours[outline.role], linewidth=widths[outline.role], linestyle=style
            )


def anchor(axes: Axes, x: float, y: float, scale: float, colour: str) -> None:
    """An offset's zero."""
    size = 2.2 * scale
    axes.plot((x - size, x + size), (y, y), color=colour, linewidth=1.1)
    axes.plot((x, x), (y - size, y + size), color=colour, linewidth=1.1)
    axes.plot((x,), (y,), marker="D", markersize=5, markerfacecolor="white", markeredgecolor=colour)
