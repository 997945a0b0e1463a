"""Labels of a page kept clear of each other: those of a view give way, a heading that is too long gets smaller."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from matplotlib.figure import Figure
    from matplotlib.text import Text

_AIR = 1.0
"""Labels whose boxes share less than that, points, in either direction touch nowhere: boxes are wider than words."""
_SMALLEST = 5.0
"""No heading gets smaller than that, points; what is still too long is cut."""


Box = tuple[float, float, float, float]
"""Left, lower, right, upper, display units: in plain figures, since a page asks a hundred thousand times."""


def overlaps(figure: Figure) -> list[tuple[Text, Text]]:
    """Pairs of words that lie on each other."""
    return _overlaps(list(_boxes(figure)), _AIR * figure.dpi / 72)


def _overlaps(boxes: list[tuple[Text, Box]], air: float) -> list[tuple[Text, Text]]:
    return [(a, b) for (a, box), (b, other) in combinations(boxes, 2) if _meet(box, other, air)]


def labels_apart(figure: Figure) -> None:
    """Move labels of views until none lies on other words; make room beside a heading on the other side of its line."""
    dot = figure.dpi / 72
    air = _AIR * dot
    boxes = list(_boxes(figure))
    headings = set(figure.texts)
    crowded = [pair for pair in _overlaps(boxes, air) if headings.issuperset(pair)]
    for pair in crowded:
        left, right = sorted(pair, key=lambda text: float(text.get_position()[0]))
        _shorten(left, right)
    if crowded:
        boxes = list(_boxes(figure))
    movable = {text for axes in figure.axes if axes.axison for text in axes.texts}
    placed = [box for text, box in boxes if text not in movable]
    for text, box in boxes:
        if text not in movable:
            continue
        # In its own view, else on the page; where there is no room anywhere near, it stays where it belongs.
        frames = [_of(text.axes.bbox), _of(figure.bbox)] if text.axes is not None else [_of(figure.bbox)]
        across, up = (0.0, 0.0) if _is_free(box, placed, air) else _free_way(box, frames, placed, air)
        _shift(figure, text, across / dot, up / dot)
        placed.append(_moved(box, across, up))


def _boxes(figure: Figure) -> Iterator[tuple[Text, Box]]:
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.text import Annotation, Text

    assert isinstance(figure.canvas, FigureCanvasAgg)
    canvas: Any = figure.canvas
    renderer = canvas.get_renderer()
    for text in figure.findobj(Text):
        if isinstance(text, Text) and text.get_visible() and text.get_text().strip():
            if isinstance(text, Annotation):
                text.update_positions(renderer)
            yield text, _of(Text.get_window_extent(text, renderer))  # the words alone, without arrows


def _of(box: Any) -> Box:
    (x0, y0), (x1, y1) = box.get_points().tolist()
    return x0, y0, x1, y1


def _moved(box: Box, across: float, up: float) -> Box:
    return box[0] + across, box[1] + up, box[2] + across, box[3] + up


def _meet(a: Box, b: Box, air: float) -> bool:
    wide = (a[2] if a[2] < b[2] else b[2]) - (a[0] if a[0] > b[0] else b[0])
    return wide > air and (a[3] if a[3] < b[3] else b[3]) - (a[1] if a[1] > b[1] else b[1]) > air


def _is_free(box: Box, placed: list[Box], air: float) -> bool:
    return not any(_meet(box, other, air) for other in placed)


def _free_way(box: Box, frames: list[Box], placed: list[Box], air: float) -> tuple[float, float]:
    """The nearest place in the first frame that has one, as a way from where it is; none where there is none."""
    for frame in frames:
        for across, up in _ways(box):
            moved = _moved(box, across, up)
            inside = frame[0] <= moved[0] and frame[1] <= moved[1] and moved[2] <= frame[2] and moved[3] <= frame[3]
            if inside and _is_free(moved, placed, air):
                return across, up
    return 0.0, 0.0


def _ways(box: Box) -> Iterator[tuple[float, float]]:
    """Where a label may go, nearest first, display units: aside by its own height, then by its width too."""
    wide, tall = box[2] - box[0], box[3] - box[1]
    for step in (1.0, 1.6, 2.4, 3.4, 4.6):
        for across, up in ((0, 1), (0, -1), (1, 0), (-1, 0), (1, 1), (-1, 1), (1, -1), (-1, -1)):
            yield across * step * wide / 2, up * step * tall


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
    room = boxes[right][0] - boxes[left][0] - 6 * figure.dpi / 72
    if room <= 0 or _wide(boxes[left]) <= room:
        return
    left.set_fontsize(max(_SMALLEST, float(left.get_fontsize()) * room / _wide(boxes[left])))
    words = left.get_text()
    while words and (wide := _wide(dict(_boxes(figure.figure))[left])) > room:
        words = words[: min(len(words) - 1, int(len(words) * room / wide))].rstrip()
        left.set_text(f"{words}…")


def _wide(box: Box) -> float:
    return box[2] - box[0]
