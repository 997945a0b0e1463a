"""Labels of a page kept clear of each other: those of a view give way, a heading that is too long gets smaller."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from matplotlib.figure import Figure
    from matplotlib.text import Text
    from matplotlib.transforms import Bbox

_AIR = 1.0
"""Labels whose boxes share less than that, points, in either direction touch nowhere: boxes are wider than words."""
_SMALLEST = 5.0
"""No heading gets smaller than that, points; what is still too long is cut."""


def overlaps(figure: Figure) -> list[tuple[Text, Text]]:
    """Pairs of words that lie on each other."""
    boxes = list(_boxes(figure))
    return [(a, b) for (a, box), (b, other) in combinations(boxes, 2) if _meet(box, other, figure.dpi / 72)]


def labels_apart(figure: Figure) -> None:
    """Move labels of views until none lies on other words; make room beside a heading on the other side of its line."""
    for heading, other in overlaps(figure):
        if heading in figure.texts and other in figure.texts:
            left, right = sorted((heading, other), key=lambda text: float(text.get_position()[0]))
            _shorten(left, right)
    dot = figure.dpi / 72
    movable = {text for axes in figure.axes if axes.axison for text in axes.texts}
    placed = [box for text, box in _boxes(figure) if text not in movable]
    for text, box in [(text, box) for text, box in _boxes(figure) if text in movable]:
        free = [way for way in _ways(box) if not any(_meet(box.translated(*way), other, dot) for other in placed)]
        frames = [text.axes.bbox, figure.bbox] if text.axes is not None else [figure.bbox]
        # In its own view, else on the page; where there is no room anywhere near, it stays where it belongs.
        within = [way for frame in frames for way in free if _inside(box.translated(*way), frame)]
        across, up = (0.0, 0.0) if (0.0, 0.0) in free or not within else within[0]
        _shift(figure, text, across / dot, up / dot)
        placed.append(box.translated(across, up))


def _boxes(figure: Figure) -> Iterator[tuple[Text, Bbox]]:
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.text import Annotation, Text

    assert isinstance(figure.canvas, FigureCanvasAgg)
    canvas: Any = figure.canvas
    renderer = canvas.get_renderer()
    for text in figure.findobj(Text):
        if isinstance(text, Text) and text.get_visible() and text.get_text().strip():
            if isinstance(text, Annotation):
                text.update_positions(renderer)
            yield text, Text.get_window_extent(text, renderer)  # the words alone, without arrows


def _meet(a: Bbox, b: Bbox, dot: float) -> bool:
    wide, tall = min(a.x1, b.x1) - max(a.x0, b.x0), min(a.y1, b.y1) - max(a.y0, b.y0)
    return bool(wide > _AIR * dot and tall > _AIR * dot)


def _inside(box: Bbox, frame: Any) -> bool:
    return bool(frame.x0 <= box.x0 and frame.y0 <= box.y0 and box.x1 <= frame.x1 and box.y1 <= frame.y1)


def _ways(box: Bbox) -> Iterator[tuple[float, float]]:
    """Where a label may go, nearest first, display units: aside by its own height, then by its width too."""
    yield 0.0, 0.0
    for step in (1.0, 1.6, 2.4, 3.4, 4.6):
        for across, up in ((0, 1), (0, -1), (1, 0), (-1, 0), (1, 1), (-1, 1), (1, -1), (-1, -1)):
            yield across * step * box.width / 2, up * step * box.height


def _shift(figure: Figure, text: Text, across: float, up: float) -> None:
    """Move a label by points, whatever it counts its place in."""
    if not (across or up):
        return
    from matplotlib.text import Annotation
    from matplotlib.transforms import ScaledTranslation

    by = ScaledTranslation(across / 72, up / 72, figure.dpi_scale_trans)
    if isinstance(text, Annotation):
        anchor, words = text.xycoords, text.anncoords
        if words == "offset points":
            x, y = text.xyann
            text.xyann = (x + across, y + up)
        elif words == anchor == "data" and text.axes is not None:
            x, y = (text.axes.transData + by).transform(text.xyann)
            text.xyann = tuple(text.axes.transData.inverted().transform((x, y)))
        return
    text.set_transform(text.get_transform() + by)


def _shorten(left: Text, right: Text) -> None:
    """Make the words of the left one small enough to end before the right one begins, or cut them."""
    figure = left.get_figure()
    assert figure is not None
    boxes = dict(_boxes(figure.figure))
    room = boxes[right].x0 - boxes[left].x0 - 6 * figure.dpi / 72
    if room <= 0 or boxes[left].width <= room:
        return
    left.set_fontsize(max(_SMALLEST, float(left.get_fontsize()) * room / boxes[left].width))
    words = left.get_text()
    while words and (wide := dict(_boxes(figure.figure))[left].width) > room:
        words = words[: min(len(words) - 1, int(len(words) * room / wide))].rstrip()
        left.set_text(f"{words}…")
