"""Axes of the zero, distances from it, and the words of the part's own drawing, on a picture of the set-up."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from brisk_anchor.core.quantities import signed_bare
from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas, Projection

if TYPE_CHECKING:
    from brisk_anchor.core.kinds import Vector
    from brisk_anchor.tui.picture import Picture

_AXIS = 14.0
"""Length of an axis arrow, dots."""


def draw_dimensions(canvas: Canvas, picture: Picture, zero: Vector, view: Projection, *, front: bool) -> None:
    """Everything that is told from the zero of the offset."""
    second = 2 if front else 1
    _axes(canvas, view(zero[0], zero[second]), 0.0, ("X", "Z" if front else "Y"), view.tall, theme.SAND)
    setup = picture.setup
    if not front and setup.turn and (there := _zero_of_drawing(picture)) is not None:
        _axes(canvas, view(*there[:2]), setup.turn, ("x", "y"), view.tall, theme.PART)
    if picture.chosen is not None:
        _distances(canvas, zero, picture.chosen, view, second)
    if not picture.dimensions or front:
        return
    for feature in setup.features:
        x, y, _ = feature.machine
        column, row = view.cell(x, y)
        words = f"{signed_bare(x - zero[0])} {signed_bare(y - zero[1])}"
        if canvas.free(column, row, len(words) + 1):
            canvas.write(column, row, "·" + words, theme.SAND)
    for word in setup.words:
        column, row = view.cell(*word.machine[:2])
        if canvas.free(column, row, len(word.text)):
            canvas.write(column, row, word.text, theme.PART)


def _zero_of_drawing(picture: Picture) -> Vector | None:
    wanted = (point for point in picture.setup.points if point.axes == "xyz" and point.body == picture.setup.part)
    return next((point.machine for point in wanted), None)


def _axes(
    canvas: Canvas, at: tuple[float, float], turn: float, names: tuple[str, str], tall: float, colour: str
) -> None:
    """Two arrows from a place, the first turned from the right, counter-clockwise, degrees."""
    x, y = at
    for name, angle in zip(names, (turn, turn + 90), strict=True):
        dx, dy = math.cos(math.radians(angle)), math.sin(math.radians(angle)) / tall
        ex, ey = x + dx * _AXIS, y - dy * _AXIS
        canvas.line(x, y, ex, ey, colour, 4)
        column, row = int((ex + dx * 2) // 2), int((ey - dy * 4) // 4)
        if canvas.free(column, row, len(name)):
            canvas.write(column, row, name, colour)


def _distances(canvas: Canvas, zero: Vector, place: Vector, view: Projection, second: int) -> None:
    """Along X from the zero, then across to the place, each with its figure."""
    corner = view(place[0], zero[second])
    start, end = view(zero[0], zero[second]), view(place[0], place[second])
    canvas.line(*start, *corner, theme.SAND, 5, (1, 1))
    canvas.line(*corner, *end, theme.SAND, 5, (1, 1))
    column, row = int(end[0] // 2), int(end[1] // 4)
    canvas.write(column, row, "◎", f"bold {theme.SAND}")
    along, across = place[0] - zero[0], place[second] - zero[second]
    if second == 1:
        words = f"X {signed_bare(along, 3)}".replace("-", "−")
        middle = int((start[0] + corner[0]) / 4) - len(words) // 2
        canvas.label(max(0, middle) - 2, int(corner[1] // 4) + 1, words, theme.SAND)
    words = f"{'XYZ'[second]} {signed_bare(across, 3)}".replace("-", "−")
    canvas.label(column, max(0, int((corner[1] + end[1]) / 8)), words, theme.SAND)
